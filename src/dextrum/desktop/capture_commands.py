"""What the commands of instruments do: looking for them, the walk without hands, a tester's scan, and the power
meter's stream."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from math import isfinite
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QTimer, Signal
from PySide6.QtGui import QKeySequence

from dextrum.app.capture import (
    Cue,
    answer_keys,
    cue_of,
    due_points,
    hearing_words,
    point_name,
    point_words,
    quantity_at,
    walk_over,
)
from dextrum.app.typed import parse_number, parse_reading
from dextrum.core.board import Method
from dextrum.core.board.value_words import value_words
from dextrum.core.capture.walk import (
    Asks,
    CaptureWalk,
    Contact,
    Event,
    HandTimes,
    NeedsProbe,
    Next,
    Over,
    Recorded,
    Struck,
    Tap,
)
from dextrum.core.reference.table import NO_REFERENCES
from dextrum.core.reference.tester import facing_points
from dextrum.core.trail import PointReading, Readings, standing
from dextrum.desktop.capture_panel import CapturePanel
from dextrum.desktop.sound import Sounder
from dextrum.desktop.views.supply import SupplyView
from dextrum.errors import DextrumError, InstrumentError
from dextrum.instruments.polling import Heard
from dextrum.instruments.protocols import KIND_WORDS, MULTIMETER, PORT_TESTER, POWER_METER, SUPPLY

if TYPE_CHECKING:
    from dextrum.app.instruments_at_hand import Found
    from dextrum.desktop.window import MainWindow

PEDAL = "capture.pedal"
"""Setting: the number of the key that a foot switch sends."""
HOLD, HOLD_BOUNDS = "capture.hold", (1.0, 30.0)
TYPED = "0123456789.,okmw"
"""Keys that values are typed with, in a walk too."""
DRAIN_MILLISECONDS = 40
STREAM_MILLISECONDS = 40
MOST_PASSED = 400
"""Samples handed on at once: a meter of 1,000 a second brings 40 in that time, and what has piled up is caught up."""
AFTER_VERDICT_MILLISECONDS = 260
"""Between the tone of the verdict and that of the next point."""
CELL_IN = "Is the cell unplugged? Ctrl+U says it is. Nothing was recorded."


class CaptureCommands(QObject):
    """Handlers by command id, and the walk that runs. Instruments answer by signals, on the window's thread."""

    found = Signal(object)
    scanned = Signal(object, str)
    limited = Signal(object, float, float)

    def __init__(self, window: MainWindow, panel: CapturePanel) -> None:
        super().__init__(window)
        self.window = window
        self.model = window.model
        self.instruments = window.instruments
        self.panel = panel
        self.sounder = Sounder(window.session.store, self)
        self.walk: CaptureWalk | None = None
        self._job = ""
        self._recorded: dict[str, str] = {}
        self._typing = False
        self._pending: list[tuple[float, float, float]] = []
        self._streamed_until = 0.0
        self.handlers: dict[str, Callable[[], None]] = {
            "instrument.find": self.find, "instrument.connect": self.ask_connect, "instrument.leave": self.leave_one,
            "capture.walk": self.begin, "capture.scan": self.scan, "draw.meter": self.stream,
            "capture.pedal": self.choose_pedal, "capture.hold": self.ask_hold,
        }
        panel.tapped.connect(self.tap)
        panel.typed.connect(self.typed)
        panel.left.connect(self.end)
        panel.pedal_chosen.connect(self._keep_pedal)
        kept = window.session.store.setting(PEDAL)
        panel.pedal = int(kept) if kept.isdigit() else 0
        self.found.connect(self._take_found)
        self.scanned.connect(self._take_scan)
        self.limited.connect(self._say_limited)
        self.model.opened.connect(self._job_changed)
        self._drain = QTimer(self)
        self._drain.setInterval(DRAIN_MILLISECONDS)
        self._drain.timeout.connect(self._listen)
        self._stream = QTimer(self)
        self._stream.setInterval(STREAM_MILLISECONDS)
        self._stream.timeout.connect(self._pass_stream)

    # Instruments

    def find(self) -> None:
        self.window.trail.say("Looking for instruments …")
        store = self.window.session.store
        known = [store.setting(f"instrument.{kind}") for kind in KIND_WORDS]
        known += [*self.window.bench_addresses().values()]
        self.instruments.find([k for k in known if k], self.found.emit)

    def _take_found(self, found: object) -> None:
        if isinstance(found, InstrumentError):
            self.window.trail.say(f"{found.happened} Typing goes on as before.")
            return
        answered: tuple[Found, ...] = found  # type: ignore[assignment]
        self.instruments.take(answered)
        self._remember()
        names = ", ".join(f"{KIND_WORDS[f.kind]} {f.name}" for f in answered)
        self.window.trail.say(f"Found: {names}" if names else "No instrument answers. Typing goes on as before.")
        self.window.connections.begin()

    def connect_to(self, addresses: dict[str, str]) -> None:
        """Use these from now on, by kind."""
        for kind, resource in addresses.items():
            self.instruments.connect(kind, resource)
        if addresses:
            self.window.connections.begin()

    def _remember(self) -> None:
        for kind, resource in self.instruments.resources().items():
            self.window.session.store.set_setting(f"instrument.{kind}", resource)

    def ask_connect(self) -> None:
        def answer(resource: str, kind: str) -> str:
            if not resource.strip():
                return "A resource name, such as TCPIP::192.168.0.7::5025::SOCKET."
            self.connect_to({kind: resource.strip()})
            self._remember()
            return ""

        self.window.ask.ask("Connect: resource name", answer, "", tuple(KIND_WORDS.items()), self.window.focusWidget())

    def leave_one(self) -> None:
        choices = tuple((s.kind, s.name or KIND_WORDS[s.kind]) for s in self.instruments.statuses())
        if not choices:
            self.window.trail.say("No instrument is connected.")
            return

        def answer(_text: str, kind: str) -> str:
            self.instruments.disconnect(kind)
            self.window.session.store.set_setting(f"instrument.{kind}", "")
            return ""

        self.window.ask.ask("Let go of", answer, "", choices, self.window.focusWidget())

    # The walk

    def begin(self) -> None:
        """A walk over the points that are due now."""
        board = self.model.board
        if board is None:
            self.window.trail.say("No board pack: there are no points to walk over.")
            return
        if self.model.readings_held():
            self.window.trail.say(CELL_IN)
            return
        assessment = self.model.assessment
        asked = assessment.advice.next.points if assessment is not None and assessment.advice.next.kind in (
            "measure", "scan", "recheck", "isolate") else ()
        view = self.window.current_view()
        read = {p for _, p, _ in self.model.facts.readings or {}}
        points = due_points(board, asked, read, view is None or view.name == "port")
        if not points:
            self.window.trail.say("Every point here is read.")
            return
        self.walk = walk_over(board, self.model.references or NO_REFERENCES, points, self.model.diode_method,
                              HandTimes(open_after=self._hold()))
        self._job, self._recorded = self.model.job_id, {}
        self._show_where()
        self.panel.begin()
        self._listen_for()
        self._drain.start()
        self._show()
        self.sounder.play(Cue.NEXT, point_words(board, points[0]))

    def end(self) -> None:
        """Leave the walk; what was recorded stays."""
        if self.walk is None:
            return
        self.walk = None
        self._drain.stop()
        self.panel.hide()
        meter = self.instruments.poller(MULTIMETER)
        if meter is not None:
            meter.listen(on=False)
        view = self.window.current_view()
        if view is not None:
            view.focus_entry()

    def _hold(self) -> float:
        try:
            return parse_number(self.window.session.store.setting(HOLD, "2.5"), *HOLD_BOUNDS, "s")
        except DextrumError:
            return HandTimes().open_after

    def ask_hold(self) -> None:
        def answer(text: str, _choice: str) -> str:
            try:
                held = parse_number(text, *HOLD_BOUNDS, "s")
            except DextrumError as problem:
                return problem.happened
            self.window.session.store.set_setting(HOLD, f"{held:g}")
            self.window.trail.say(f"OL counts as open after {held:g} s")
            return ""

        self.window.ask.ask("Seconds of OL until a point counts as open", answer, f"{self._hold():g}", (),
                            self.window.focusWidget())

    def choose_pedal(self) -> None:
        """The next key pressed in the walk is what the foot switch sends."""
        if self.walk is None:
            # Nothing is listened to meanwhile, so nothing can be recorded.
            self.panel.begin()
            self.panel.show_next("", "Press the foot switch now; Esc for none.", 0)
        self.panel.choosing = True
        self.panel.show_last("Press the foot switch now; Esc for none.")

    def _keep_pedal(self, key: int) -> None:
        if chr(key).casefold() in TYPED if 0 < key < 128 else False:
            self.panel.show_last("That key types values. Set the foot switch to another.")
            self.panel.choosing = self.walk is None
            return
        self.panel.pedal = key
        self.window.session.store.set_setting(PEDAL, str(key))
        name = QKeySequence(key).toString() if key else ""
        said = f"The foot switch sends {name}: it repeats." if name else "No foot switch."
        self.panel.show_last(said)
        if self.walk is None:
            self.panel.hide()
            self.window.trail.say(said)
            view = self.window.current_view()
            if view is not None:
                view.focus_entry()

    def _job_changed(self) -> None:
        if self.walk is not None and self.model.job_id != self._job:
            self.end()

    def _listen_for(self) -> None:
        board, meter = self.model.board, self.instruments.poller(MULTIMETER)
        if board is not None and meter is not None and self.walk is not None and self.walk.point:
            meter.listen(quantity_at(board, self.walk.point, self.model.diode_method, self.model.ohms_method))

    def _listen(self) -> None:
        """Take what the meter has said since."""
        meter = self.instruments.poller(MULTIMETER)
        if self.walk is None or meter is None:
            return
        for heard in meter.drain():
            if self.walk is None:
                return
            if isinstance(heard, Heard):
                self.panel.show_heard(self._shown(heard.value))
                self._follow(self.walk.sample(heard.at, heard.value))

    def _shown(self, value: float) -> str:
        board = self.model.board
        if not isfinite(value) or board is None or self.walk is None or not self.walk.point:
            return "OL"
        return value_words(max(value, 0.0) + 0.0, self.model.method_at(board.point_by_id[self.walk.point]))

    def tap(self, tap: Tap) -> None:
        if self.walk is not None:
            self._follow(self.walk.tap(tap))

    def typed(self, text: str) -> None:
        """A value typed instead of heard."""
        board = self.model.board
        if self.walk is None or board is None or not self.walk.point:
            return
        point = self.walk.point
        try:
            reading = parse_reading(text, point, self.model.method_at(board.point_by_id[point]))
        except DextrumError as problem:
            self.panel.show_last(problem.happened)
            self.panel.field.selectAll()
            return
        self.panel.field.clear()
        self._typing = True
        try:
            self._follow(self.walk.typed(reading.value), reading.wavering)
        finally:
            self._typing = False

    def _follow(self, events: list[Event], wavering: bool = False) -> None:
        """Do what the walk says: record, strike out, sound, show."""
        board = self.model.board
        if board is None or not events:
            if self.walk is not None:
                self._show()
            return
        delay = 0
        for event in events:
            if isinstance(event, Recorded):
                if not self._record(event, wavering):
                    self.end()
                    return
                delay = AFTER_VERDICT_MILLISECONDS
            elif isinstance(event, Struck):
                self._strike(event.point)
            elif isinstance(event, Next):
                self._listen_for()
                self._show_where()
                self.sounder.play(Cue.NEXT, point_words(board, event.point), delay)
            elif isinstance(event, Asks):
                self.sounder.play(Cue.QUESTION, f"{point_words(board, event.other)}?")
            elif isinstance(event, NeedsProbe):
                self.sounder.play(Cue.PROBE)
            elif isinstance(event, Over):
                self.sounder.play(Cue.OVER, "", delay)
                self.window.trail.say("All points of the walk are read.")
                self.end()
                return
            else:
                assert isinstance(event, Contact)
        self._show()

    def _record(self, event: Recorded, wavering: bool) -> bool:
        board = self.model.board
        assert board is not None
        if self.model.readings_held():
            self.window.trail.say(CELL_IN)
            return False
        method = self.model.method_at(board.point_by_id[event.point])
        value = max(event.value, 0.0) if isfinite(event.value) else event.value
        shown = round(value, 3 if method.is_diode else 2) if isfinite(value) else value
        before = self.model.trail
        meter = self.instruments.poller(MULTIMETER)
        heard_by = meter.status.name if meter is not None and not self._typing else ""
        if not self.model.record_reading(PointReading(event.point, shown, wavering), method, heard_by):
            return False
        made = [e.id for e in self.model.trail[len(before):] if isinstance(e.payload, Readings)]
        if made:
            self._recorded[event.point] = made[-1]
        judged = self.model.judged.get(event.point)
        verdict = judged.judgement.verdict if judged is not None else None
        said = f"{point_words(board, event.point)} reads {value_words(shown, method)}"
        if verdict is not None:
            said += f": {verdict.words}"
            self.sounder.play(cue_of(verdict), verdict.words)
        self.panel.show_last(said + (", held open" if event.held else ""))
        return True

    def _strike(self, point: str) -> None:
        entry = self._recorded.pop(point, "")
        if entry and any(e.id == entry for e in standing(self.model.trail)):
            self.model.strike(entry)
            self.panel.show_last("Struck out.")

    def _show(self) -> None:
        board = self.model.board
        if self.walk is None or board is None or not self.walk.point:
            return
        words = hearing_words(board, self.walk, self.instruments.clock())
        meter = self.instruments.poller(MULTIMETER)
        if meter is None:
            words = "No meter: type the value"
        elif meter.status.state not in ("ready", "slow"):
            words = meter.status.words or "The meter is being asked"
        self.panel.show_next(point_name(board, self.walk.point), words, self.walk.left(),
                             answer_keys(board, self.walk))

    def _show_where(self) -> None:
        """Bring the point that is next into view, without taking the keyboard."""
        board = self.model.board
        if self.walk is None or board is None or not self.walk.point:
            return
        at_port = self.walk.point in board.port_points or self.walk.point in {p.id for p in board.node_pairs}
        name = "port" if at_port else "board"
        view = self.window.current_view()
        if view is None or view.name != name:
            self.window.show_view(name)
            view = self.window.current_view()
        go_to = getattr(view, "go_to", None)
        if go_to is not None:
            go_to(self.walk.point)
        if self.panel.isVisible():
            self.panel.field.setFocus()

    # A port tester, and a power meter's stream

    def scan(self) -> None:
        """All contacts from the port tester, as one entry."""
        tester = self.instruments.poller(PORT_TESTER)
        if tester is None:
            self.window.trail.say("No port tester is connected. Ctrl+Shift+F looks for one.")
            return
        if self.model.readings_held():
            self.window.trail.say(CELL_IN)
            return
        job = self.model.job_id
        self.window.trail.say("The port tester reads …")
        tester.ask(lambda driver: driver.scan(), lambda result: self.scanned.emit(result, job))

    def _take_scan(self, result: object, job: str) -> None:
        board = self.model.board
        if isinstance(result, InstrumentError):
            self.window.say_problem(str(result))
            return
        if board is None or job != self.model.job_id:
            self.window.trail.say("The scan came for another job, and was not recorded.")
            return
        contacts = {board.point_by_id[p].at.partition(".")[2]: p for p in board.port_point_ids()}
        readings = tester_readings(contacts, facing_points(board), list(result),  # type: ignore[call-overload]
                                   self.model.turned)
        tester = self.instruments.poller(PORT_TESTER)
        name = tester.status.name if tester is not None else ""
        try:
            scan = Readings(Method.DIODE_RED_GROUND, readings, name or self.window.session.meter,
                            self.model.board_celsius, None, self.model.turned)
        except ValueError as problem:
            self.window.say_problem(f"The port tester's scan can't be: {problem}. Nothing was recorded.")
            return
        if self.model.record(scan):
            off = [j for p in readings if (j := self.model.judged.get(p.point)) is not None
                   and j.judgement.verdict.is_off]
            self.sounder.play(Cue.OFF if off else Cue.WITHIN, f"{len(off)} off")
            self.window.trail.say(f"{len(readings)} contacts from the tester in one entry.")

    def stream(self) -> None:
        """The power meter's stream as the live trace of the Supply view; again, to stop and record."""
        view = self.window.views["supply"]
        assert isinstance(view, SupplyView)
        if view.live is not None and view.live.running:
            view.live.end()
            return
        meter = self.instruments.poller(POWER_METER)
        if meter is None:
            self.window.trail.say("No power meter is connected. Ctrl+Shift+F looks for one.")
            return
        held = view.held()
        self.window.show_view("supply")
        if held:
            view.say_trouble(held)
            return
        meter.drain()
        advice = self.model.assessment.advice.next if self.model.assessment is not None else None
        if advice is not None and advice.kind in ("supply", "wait_draw", "swap_cell") and advice.target in ("a", "b"):
            view.go_to(advice.target)
        try:
            view.begin_stream()
        except DextrumError as problem:
            view.say_trouble(str(problem))
            return
        self._streamed_until = 0.0
        self._pending = []
        self._stream.start()

    def _pass_stream(self) -> None:
        view, meter = self.window.views["supply"], self.instruments.poller(POWER_METER)
        if not isinstance(view, SupplyView) or view.live is None or not view.live.running or meter is None:
            self._stream.stop()
            return
        # So many at a time that the window is held for no longer than a frame.
        self._pending += meter.drain()
        samples, self._pending = self._pending[:MOST_PASSED], self._pending[MOST_PASSED:]
        if not samples:
            return
        if samples[-1][0] < self._streamed_until:
            # Plugged anew: its clock begins again, and so would the trace.
            self._stream.stop()
            view.live.end()
            self.window.trail.say("The power meter began anew: what came before is recorded. Ctrl+Shift+E goes on.")
            return
        self._streamed_until = samples[-1][0]
        view.live.take(samples)

    def limit_supply(self, volts: float, amps: float) -> None:
        """Set the limits of a connected bench supply. It is never switched on from here: that is for whoever sees the
        board."""
        supply = self.instruments.poller(SUPPLY)
        if supply is not None:
            supply.ask(lambda driver: driver.limit(volts, amps), lambda result: self.limited.emit(result, volts, amps))

    def _say_limited(self, result: object, volts: float, amps: float) -> None:
        if isinstance(result, InstrumentError):
            self.window.say_problem(str(result))
        else:
            self.window.trail.say(f"The bench supply is limited to {volts:.2f} V, {amps:.2f} A. Switch it on by hand.")

    def close(self) -> None:
        self._drain.stop()
        self._stream.stop()
        self.walk = None
        self.instruments.close()


def tester_readings(contacts: Mapping[str, str], facing: dict[str, str], values: list[float],
                    turned: bool) -> tuple[PointReading, ...]:
    """What the pads of a port tester show, given to the contacts that they touch. contacts: name to point. values: pads
    A1 to A12, B1 to B12."""
    found = []
    for k, value in enumerate(values):
        pad = f"{'AB'[k // 12]}{k % 12 + 1}"
        point = contacts.get(pad, "")
        point = facing.get(point, point) if turned else point
        if point:
            found.append(PointReading(point, max(value, 0.0)))
    return tuple(found)
