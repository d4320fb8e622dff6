"""What the commands of elimination do: loads off and on, rails under power, what warmed; and what advice costs."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import TYPE_CHECKING

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QWidget

from dextrum.app.advising.rail_words import rail_words
from dextrum.app.job.trail_words import used_words
from dextrum.app.reading.typed import parse_number, parse_volts_and_amps
from dextrum.core.advice.actions import Action
from dextrum.core.advice.wording import held_words, setting_words
from dextrum.core.board import Board
from dextrum.core.circuit.injecting import FED_AMPS, InjectionLimits
from dextrum.core.entries.injection import SeenBy
from dextrum.core.trail import Injection, Isolation, RailVolts
from dextrum.errors import DextrumError
from dextrum.tongue import tr

if TYPE_CHECKING:
    from dextrum.desktop.frame.window import MainWindow

SEEN_BY: tuple[tuple[SeenBy, str], ...] = (
    ("camera", tr("thermal camera")), ("spray", tr("freeze spray")), ("alcohol", tr("alcohol drying")),
    ("touch", tr("a finger")))
WAY_OF_CHOICE: dict[str, SeenBy] = {by: by for by, _ in SEEN_BY}


def _as_used(net: str, limits: InjectionLimits, text: str) -> Injection:
    """What was put on a net: of limits that are held to their watts the volts are enough. Raises EntryRefusedError."""
    if limits.held and (len(text.replace(";", " ").split()) == 1 or text.strip().casefold().endswith("v")):
        return Injection(net, parse_number(text, 0.001, 30.0, "V"), limits.amps, fed=limits.fed, watts=limits.watts)
    volts, amps = parse_volts_and_amps(text)
    return Injection(net, volts, amps, fed=limits.fed)


class EliminationCommands:
    """Handlers by command id."""

    def __init__(self, window: MainWindow) -> None:
        self.window = window
        self.model = window.model
        self.handlers: dict[str, Callable[[], None]] = {
            "load.off": self.take_off, "load.back": self.put_back, "rail.volts": self.rail_volts,
            "rail.inject": self.inject, "shop.labour": self.labour, "shop.price": self.price,
        }

    def _next(self, kind: str) -> Action | None:
        """The best action of a kind, for what the line offers."""
        done = self.model.assessment
        return None if done is None else next((a for a in done.advice.ranked if a.kind == kind), None)

    def _board(self) -> Board | None:
        if self.model.board is None:
            self.window.trail.say(tr("Without a board pack there are no parts to name."))
        return self.model.board

    def _addresses(self, board: Board, text: str) -> tuple[tuple[str, ...], str]:
        """Parts and pins as typed, and what is wrong with them."""
        by_name = {part.designator.casefold(): part for part in board.components}
        found = []
        for word in text.replace(",", " ").split():
            name, _, pin = word.partition(".")
            part = by_name.get(name.casefold())
            if part is None:
                return (), tr("{word!r} is not a part of this board.", word=word[:20])
            pins = {t.name.casefold(): t.name for t in part.terminals}
            if pin and pin.casefold() not in pins:
                return (), tr("{designator} has no pin {pin!r}.", designator=part.designator, pin=pin[:20])
            found.append(f"{part.designator}.{pins[pin.casefold()]}" if pin else part.designator)
        return tuple(found), "" if found else tr("A designator such as R1, or a pin such as U1.V33.")

    def take_off(self) -> None:
        board = self._board()
        if board is None:
            return
        offered = self._next("isolate")

        def answer(text: str, _choice: str) -> str:
            parts, wrong = self._addresses(board, text)
            if wrong:
                return wrong
            already = [p for p in parts if p in self.model.facts.isolated]
            if already:
                return tr("{already} is off already.", already=already[0])
            if not self.model.record(Isolation(parts)):
                return tr("Not recorded.")
            if offered is not None and offered.points:
                self.window.commands.go_to_point(offered.points[0])
            return ""

        self.window.ask.ask(tr("Taken off: unplugged or lifted (R1, or a pin U1.V33)"), answer,
                            offered.target if offered is not None else "", (), self.window.focusWidget())

    def put_back(self) -> None:
        board = self._board()
        off = sorted(self.model.facts.isolated)
        if board is None:
            return
        if not off:
            self.window.trail.say(tr("Nothing is disconnected."))
            return
        offered = self._next("put_back")

        def answer(text: str, _choice: str) -> str:
            parts, wrong = self._addresses(board, text)
            if wrong:
                return wrong
            strange = [p for p in parts if p not in off and not any(a.startswith(f"{p}.") for a in off)]
            if strange:
                return tr("{strange} is not off.", strange=strange[0])
            return "" if self.model.record(Isolation(parts, "back")) else tr("Not recorded.")

        self.window.ask.ask(tr("Put back"), answer, " ".join(offered.points if offered is not None else off), (),
                            self.window.focusWidget())

    def rail_volts(self) -> None:
        board = self._board()
        if board is None:
            return
        if not board.rail_checks:
            self.window.trail.say(tr("This pack names no rails to check under power."))
            return
        held = [gate for gate in self.model.gates if gate.holds_power]
        if held:
            self.window.say_problem(tr("Hold: {words} Ctrl+G goes on with a reason.", words=held[0].words))
            return
        offered = self._next("rail")
        first = offered.target if offered is not None else board.rail_checks[0].id
        way = offered.detail if offered is not None else "a"
        choices = tuple(
            (f"{check.id} {o}", tr("{id} at {point}, {o} side up", id=check.id, point=check.point, o=o.upper())
             if check.by_side else tr("{id} at {point}", id=check.id, point=check.point))
            for check in sorted(board.rail_checks, key=lambda c: c.id != first)
            for o in (sorted("ab", key=lambda o: o != way) if check.by_side else "a"))

        def answer(text: str, choice: str) -> str:
            rail, _, orientation = choice.partition(" ")
            try:
                volts = parse_number(text, 0.0, 60.0, "V")
            except DextrumError as problem:
                return problem.happened
            if not self.model.record(RailVolts(rail, volts, "a" if orientation == "a" else "b")):
                return tr("Not recorded.")
            check = next(c for c in board.rail_checks if c.id == rail)
            self.window.trail.say(rail_words(check, volts))
            return ""

        self.window.ask.ask(tr("Volts under power (one probe; off before touching)"), answer, "", choices,
                            self.window.focusWidget())

    def inject(self) -> None:
        board = self._board()
        if board is None:
            return
        offered = self._next("inject")
        if offered is None or offered.limits is None:
            self.window.trail.say(tr("Nothing to inject: no rail reads shorted, or nothing would be seen to warm."))
            return
        limits, back = offered.limits, self.window.focusWidget()

        def used(text: str, _choice: str) -> str:
            try:
                put_on = _as_used(offered.target, limits, text)
            except DextrumError as problem:
                return problem.happened
            held = self.model.held_back(put_on)
            if held:
                return held
            # The question that was answered is taken away first; this one comes after it.
            QTimer.singleShot(0, self.window, lambda: self._what_warms(board, offered, put_on, back))
            return ""

        self.window.commands.gear.limit_supply(limits.start_volts, limits.amps)
        words = (tr("{target}: {held} The most volts you used", target=offered.target, held=held_words(limits))
                 if limits.held else
                 tr("{target}: {setting}. The most you used", target=offered.target, setting=setting_words(limits)))
        if limits.fed:
            words = tr("{fed} on its own {volts:g} V first, {amps:g} A at most. {words}", fed=limits.fed,
                       volts=limits.most_volts, amps=FED_AMPS, words=words)
        usual = f"{limits.volts:.2f} V" if limits.held else f"{limits.volts:.2f} V {limits.amps:.2f} A"
        self.window.ask.ask(words, used, usual, (), back)

    def _what_warms(self, board: Board, offered: Action, put_on: Injection, back: QWidget | None) -> None:
        def answer(text: str, choice: str) -> str:
            parts: tuple[str, ...] = ()
            if text.strip():
                parts, wrong = self._addresses(board, text)
                if wrong:
                    return wrong
            if len(parts) > 1:
                return tr("One part: the one that warms first.")
            seen = replace(put_on, warmed=parts[0].partition(".")[0] if parts else "", seen_by=WAY_OF_CHOICE[choice])
            return "" if self.model.record(seen) else tr("Not recorded.")

        choices = tuple(sorted(SEEN_BY, key=lambda by: by[0] != offered.detail))
        words = tr("{target} at {used}: what warms (empty: nothing)", target=offered.target, used=used_words(put_on))
        self.window.ask.ask(words, answer, "", choices, back)

    def labour(self) -> None:
        session = self.window.session

        def answer(text: str, _choice: str) -> str:
            try:
                session.charge(parse_number(text, 0.0, 1000.0, tr("per minute")))
            except DextrumError as problem:
                return f"{problem.happened} {problem.next_step}"
            self.model.weigh_anew()
            self.window.trail.say(tr("A minute of work costs {labour_per_minute:g}",
                                     labour_per_minute=session.library.rates.labour_per_minute))
            return ""

        self.window.ask.ask(tr("What a minute of work costs, in your currency"), answer,
                            f"{session.library.rates.labour_per_minute:g}", (), self.window.focusWidget())

    def price(self) -> None:
        board = self._board()
        if board is None:
            return

        def answer(text: str, _choice: str) -> str:
            words = text.split()
            if len(words) != 2:
                return tr("A part, then what it costs: U1 6.40")
            parts, wrong = self._addresses(board, words[0])
            if wrong:
                return wrong
            try:
                self.window.session.price(board.pack_id, parts[0].partition(".")[0], parse_number(
                    words[1], 0.0, 10_000.0, ""))
            except DextrumError as problem:
                return f"{problem.happened} {problem.next_step}"
            self.model.weigh_anew()
            self.window.trail.say(tr("{parts} costs {words} here", parts=parts[0], words=words[1]))
            return ""

        self.window.ask.ask(tr("Part and its price in this shop (U1 6.40)"), answer, "", (), self.window.focusWidget())
