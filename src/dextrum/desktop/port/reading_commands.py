"""What the commands of reading points do: method, breakout, tester turned over, comparisons, meters."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from dextrum.app.reading.typed import parse_number
from dextrum.core.board import Method
from dextrum.errors import DextrumError
from dextrum.store.bench_settings import BenchMeter
from dextrum.tongue import tr

if TYPE_CHECKING:
    from dextrum.desktop.frame.window import MainWindow
    from dextrum.desktop.port.view import PortView

NAMING = "port_naming"
"""The setting that keeps how contacts are counted: empty, `numbers`, or a breakout's name."""


class ReadingCommands:
    """Handlers by command id."""

    def __init__(self, window: MainWindow) -> None:
        self.window = window
        self.model = window.model
        self.handlers: dict[str, Callable[[], None]] = {
            "port.pairs": self.to_pairs, "port.shift": self.shift, "port.naming": self.naming,
            "port.breakout": self.add_breakout, "port.turned": self.turn,
            "compare.choose": self.compare, "compare.none": lambda: self.model.compare_with(None),
            "method.diode": self.diode_method, "method.ohms": self.ohms_method,
            "meter.set_up": self.set_up_meter, "meter.remove": self.put_away_meter,
            "judging.false_alarm": self.false_alarm,
        }

    def _port(self) -> PortView:
        self.window.show_view("port")
        return self.window.views.port

    def to_pairs(self) -> None:
        """To the contacts that must be one node, in ohms."""
        if not self._port().to_pairs():
            self.window.trail.say(tr("This pack names no contacts to measure against each other."))

    def shift(self) -> None:
        """Move the readings that stand one contact too far."""
        self.window.trail.say(self._port().move_shifted())

    def naming(self) -> None:
        """A1 to B12, then the pack's count, then each breakout's, and round again."""
        session = self.window.session
        ways = ["", "numbers", *(b.name for b in session.breakouts())]
        here = session.store.setting(NAMING)
        following = ways[(ways.index(here) + 1) % len(ways)] if here in ways else ""
        self._name(following)

    def _name(self, naming: str) -> None:
        self.window.session.store.set_setting(NAMING, naming)
        self.window.views.port.name_anew()
        self.window.show_view("port")
        words = {"": tr("Contacts as A1 to B12"), "numbers": tr("Contacts counted 1 to 24, as the pack maps them")}
        self.window.trail.say(words.get(naming, tr("Contacts as {naming} counts them", naming=naming)))

    def add_breakout(self) -> None:
        def answer(text: str, _choice: str) -> str:
            name, _, order = text.partition(":")
            try:
                made = self.window.session.set_up_breakout(self.model.facts.pack_id, name, order)
            except DextrumError as problem:
                return f"{problem.happened} {problem.next_step}"
            self._name(made.name)
            return ""

        self.window.ask.ask(tr("Name: order in which it counts (blue: A1-A12 B12-B1)"), answer, "", (),
                            self.window.focusWidget())

    def turn(self) -> None:
        self.window.show_view("port")
        self.model.turn_tester()
        self.window.trail.say(tr("Tester turned over: what is read now is compared with the way up before")
                              if self.model.turned else tr("Tester upright again"))

    def compare(self) -> None:
        offered = self.model.comparisons()
        if not offered:
            self.window.trail.say(tr("Nothing to compare with yet: no earlier scan, no known-good board."))
            return
        by_name = {c.name: c for c in offered}

        def answer(text: str, choice: str) -> str:
            wanted = text.strip().casefold()
            fits = [c for c in offered if wanted in c.name.casefold()] if wanted else [by_name[choice]]
            if not fits:
                return tr("No scan or board has {text} in its name.", text=text.strip()[:20])
            self.window.show_view("port")
            self.model.compare_with(fits[0])
            self.window.trail.say(tr("Compared with {name}", name=fits[0].name))
            return ""

        self.window.ask.ask(tr("Compare with"), answer, "", tuple((c.name, c.name) for c in offered),
                            self.window.focusWidget())

    def diode_method(self) -> None:
        red = self.model.diode_method is Method.DIODE_RED_GROUND
        method = Method.DIODE_BLACK_GROUND if red else Method.DIODE_RED_GROUND
        self.model.measure_by(diode=method)
        self.window.trail.say(tr("Measured in {method}; judged only by readings of the same kind", method=method.words))

    def ohms_method(self) -> None:
        method = Method.CONTINUITY if self.model.ohms_method is Method.RESISTANCE else Method.RESISTANCE
        self.model.measure_by(ohms=method)
        self.window.trail.say(tr("Point to point: {method}", method=method.words))

    def set_up_meter(self) -> None:
        session = self.window.session
        sure: list[str] = []

        def answer(text: str, _choice: str) -> str:
            name, *rest = (piece.strip() for piece in text.split(";"))
            try:
                numbers = [parse_number(piece, low, high, unit) if piece else None for piece, (low, high, unit) in
                           zip(rest, ((0.001, 100.0, "mA"), (0.3, 30.0, "V")), strict=False)]
                meter = BenchMeter(name, *numbers)
                if text not in sure and name not in {m.name for m in session.meters()} and name != session.meter:
                    sure.append(text)
                    return tr("{name} is a new meter. Enter again adds it.", name=name)
                session.set_up_meter(meter)
            except (DextrumError, ValueError) as problem:
                return problem.happened if isinstance(problem, DextrumError) else f"{problem}."
            self.model.set_meter(name)
            session.store.set_setting("meter", name)
            self.window.trail.say(tr("Meter {name} is set up and in hand", name=name))
            return ""

        here = next((m for m in session.meters() if m.name == session.meter), None)
        start = session.meter if here is None else "; ".join(
            (here.name, *("" if v is None else f"{v:g}" for v in (here.test_milliamps, here.open_above_volts))))
        self.window.ask.ask(tr("Meter; test current in mA; OL above V (M3; 1.0; 2.5)"), answer, start, (),
                            self.window.focusWidget())

    def put_away_meter(self) -> None:
        session = self.window.session
        own = session.meters()
        if not own:
            self.window.trail.say(tr("No meter was set up here."))
            return

        def answer(_text: str, name: str) -> str:
            session.put_away_meter(name)
            self.model.set_meter(session.meter)
            self.window.trail.say(tr("Meter {name} put away; what it read is kept. In hand: {meter}", name=name,
                                     meter=session.meter))
            return ""

        self.window.ask.ask(tr("Put away which meter"), answer, "", tuple((m.name, m.name) for m in own),
                            self.window.focusWidget())

    def false_alarm(self) -> None:
        session = self.window.session

        def answer(text: str, _choice: str) -> str:
            try:
                session.accept_false_alarms(parse_number(text, 0.0, 100.0, "%") / 100)
            except DextrumError as problem:
                return f"{problem.happened} {problem.next_step}"
            self.model.set_meter(session.meter)
            self.window.trail.say(tr("False alarms: {false_alarm:g} % of scans; all is judged again",
                                     false_alarm=100 * session.library.false_alarm))
            return ""

        self.window.ask.ask(tr("False alarms accepted, % of scans of a good board"), answer,
                            f"{100 * session.library.false_alarm:g}", (), self.window.focusWidget())
