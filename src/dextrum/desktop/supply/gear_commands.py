"""What the commands of a port tester, a power meter and a bench supply do."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QTimer, Signal

from dextrum.app.advising.steps import kind_of_step
from dextrum.app.reading.capture import Cue
from dextrum.core.board import Method
from dextrum.core.reference.tester import facing_points
from dextrum.core.trail import PointReading, Readings
from dextrum.desktop.capture.capture_commands import CELL_IN
from dextrum.desktop.capture.sound import Sounder
from dextrum.errors import DextrumError, InstrumentError
from dextrum.instruments.protocols import PORT_TESTER, SUPPLY
from dextrum.tongue import tr

if TYPE_CHECKING:
    from dextrum.desktop.frame.window import MainWindow

STREAM_MILLISECONDS = 40
MOST_PASSED = 400
"""Samples handed on at once: a meter of 1,000 a second brings 40 in that time, and what has piled up is caught up."""


class GearCommands(QObject):
    """Handlers by command id. Instruments answer by signals, on the window's thread."""

    scanned = Signal(object, str)
    limited = Signal(object, float, float)

    def __init__(self, window: MainWindow, sounder: Sounder) -> None:
        super().__init__(window)
        self.window = window
        self.model = window.model
        self.sounder = sounder
        self._pending: list[tuple[float, float, float]] = []
        self._streamed_until = 0.0
        self.handlers: dict[str, Callable[[], None]] = {"capture.scan": self.scan, "draw.meter": self.stream}
        self.scanned.connect(self._take_scan)
        self.limited.connect(self._say_limited)
        self._stream = QTimer(self)
        self._stream.setInterval(STREAM_MILLISECONDS)
        self._stream.timeout.connect(self._pass_stream)

    def scan(self) -> None:
        """All contacts from the port tester, as one entry."""
        tester = self.window.instruments.poller(PORT_TESTER)
        if tester is None:
            self.window.trail.say(tr("No port tester is connected. Ctrl+Shift+F looks for one."))
            return
        if self.model.readings_held():
            self.window.trail.say(CELL_IN)
            return
        job = self.model.job_id
        self.window.trail.say(tr("The port tester reads …"))
        tester.ask(lambda driver: driver.scan(), lambda result: self.scanned.emit(result, job))

    def _take_scan(self, result: object, job: str) -> None:
        board = self.model.board
        if isinstance(result, InstrumentError):
            self.window.say_problem(str(result))
            return
        if board is None or job != self.model.job_id:
            self.window.trail.say(tr("The scan came for another job, and was not recorded."))
            return
        contacts = {board.point_by_id[p].at.partition(".")[2]: p for p in board.port_point_ids()}
        readings = tester_readings(contacts, facing_points(board), list(result),  # type: ignore[call-overload]
                                   self.model.turned)
        tester = self.window.instruments.poller(PORT_TESTER)
        name = tester.status.name if tester is not None else ""
        try:
            scan = Readings(Method.DIODE_RED_GROUND, readings, name or self.window.session.meter,
                            self.model.board_celsius, None, self.model.turned)
        except ValueError as problem:
            self.window.say_problem(tr("The port tester's scan can't be: {problem}. Nothing was recorded.",
                                       problem=problem))
            return
        if self.model.record(scan):
            off = [j for p in readings if (j := self.model.judged.get(p.point)) is not None
                   and j.judgement.verdict.is_off]
            self.sounder.play(Cue.OFF if off else Cue.WITHIN, tr("{count} off", count=len(off)))
            self.window.trail.say(tr("{count} contacts from the tester in one entry.", count=len(readings)))

    def stream(self) -> None:
        """The power meter's stream as the live trace of the Supply view; again, to stop and record."""
        view = self.window.views.supply
        if view.live is not None and view.live.running:
            view.live.end()
            return
        advice = self.model.assessment.advice.next if self.model.assessment is not None else None
        sided = advice is not None and kind_of_step(advice).sided and advice.target in ("a", "b")
        if self.window.instruments.sampler() is not None:
            self.window.show_view("supply")
        self.record_draw(advice.target if sided and advice is not None else "")

    def record_draw(self, way: str) -> bool:
        """Begin the live trace of one way up, or of the one that Supply shows; whether it has begun. The view that is
        open stays, and says what is in the way."""
        view, meter = self.window.views.supply, self.window.instruments.sampler()
        if meter is None:
            self.window.trail.say(tr("No power meter is connected, and no bench supply. Ctrl+Shift+F looks for one."))
            return False
        here = self.window.current_view() or view
        held = view.held()
        if held:
            here.say_trouble(held)
            return False
        meter.listen()
        meter.drain()
        if way:
            view.show_way(way)
            if here is view:
                view.go_to(way)
        try:
            view.begin_stream()
        except DextrumError as problem:
            here.say_trouble(str(problem))
            return False
        self._streamed_until = 0.0
        self._pending = []
        self._stream.start()
        return True

    def _pass_stream(self) -> None:
        view, meter = self.window.views.supply, self.window.instruments.sampler()
        if view.live is None or not view.live.running or meter is None:
            self._stream.stop()
            if meter is not None and meter.status.kind == SUPPLY:
                meter.listen(on=False)
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
            self.window.trail.say(tr("The power meter began again: what came before is recorded. Ctrl+Shift+E goes "
                                     "on."))
            return
        self._streamed_until = samples[-1][0]
        view.live.take(samples)

    def limit_supply(self, volts: float, amps: float) -> None:
        """Set the limits of a connected bench supply. It is never switched on from here: that is for whoever sees the
        board."""
        supply = self.window.instruments.poller(SUPPLY)
        if supply is not None:
            supply.ask(lambda driver: driver.limit(volts, amps), lambda result: self.limited.emit(result, volts, amps))

    def _say_limited(self, result: object, volts: float, amps: float) -> None:
        if isinstance(result, InstrumentError):
            self.window.say_problem(str(result))
        else:
            self.window.trail.say(tr("The bench supply is limited to {volts:.2f} V, {amps:.2f} A. Switch it on by "
                                     "hand.", volts=volts, amps=amps))

    def close(self) -> None:
        self._stream.stop()


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
