"""Probing without hands on the keyboard: what beeps and what settles is heard by the meter, a foot switch says 'no'.

With nothing touched a meter shows OL as well, so that two points are not joined is never taken from it: a tap of the
foot switch (or Space, or N) says so. A value counts once it has settled, and the probes must lift before the next.
"""

from __future__ import annotations

from math import inf, isfinite
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QTimer

from dextrum.app.reading.capture import Cue
from dextrum.core.capture.settling import DIODE_TEST, OHMS_TEST
from dextrum.core.capture.walk import CaptureWalk, HandTimes, Hearing, Recorded
from dextrum.core.circuit.solve import CONTINUITY_OHMS
from dextrum.desktop.capture.capture_commands import DRAIN_MILLISECONDS
from dextrum.instruments.polling import Heard
from dextrum.instruments.protocols import DIODE, MULTIMETER, OHMS
from dextrum.tongue import tr

if TYPE_CHECKING:
    from dextrum.core.packmaking.netting import Ask
    from dextrum.desktop.frame.window import MainWindow
    from dextrum.desktop.packmaking.view import PackmakingView

NEVER_OPEN = HandTimes(open_after=inf)
"""What is held open is not recorded by itself."""


class ProbeListening(QObject):
    """Answers the probing panel's questions from what the multimeter shows, while it is on."""

    def __init__(self, window: MainWindow, view: PackmakingView) -> None:
        super().__init__(view)
        self.window, self.view, self.panel = window, view, view.probe
        self._walk: CaptureWalk | None = None
        self._ask: Ask | None = None
        self._timer = QTimer(self)
        self._timer.setInterval(DRAIN_MILLISECONDS)
        self._timer.timeout.connect(self._listen)
        self.panel.listens.connect(self.turn)
        self.panel.tapped.connect(self._say_no)

    @property
    def on(self) -> bool:
        return self._timer.isActive()

    def turn(self) -> None:
        """On, or off again."""
        if self.on:
            self.stop()
        elif self.window.instruments.poller(MULTIMETER) is None:
            self.view.say_trouble(tr("No multimeter is connected: Look for instruments, or type what it shows."))
        elif self.window.model.readings_held():
            self.view.say_trouble(tr("Is the cell unplugged? Ctrl+U says it is."))
        else:
            self.view.say_trouble("")
            self._ask = self._walk = None
            self._timer.start()
            self.panel.show_listening(self.window.commands.capture.panel.pedal, True)
            self.panel.take_keyboard()

    def stop(self) -> None:
        self._timer.stop()
        meter = self.window.instruments.poller(MULTIMETER)
        if meter is not None:
            meter.listen(on=False)
        self.panel.show_listening(0, False)

    def _listen(self) -> None:
        meter = self.window.instruments.poller(MULTIMETER)
        if meter is None or not self.panel.isVisible():
            self.stop()
            return
        if self.panel.ask is not self._ask:
            self._begin(self.panel.ask)
        if self._walk is None:
            meter.drain()
            return
        for heard in meter.drain():
            if not isinstance(heard, Heard):
                continue
            self.panel.show_heard(heard.value)
            for event in self._walk.sample(heard.at, heard.value):
                if isinstance(event, Recorded) and isfinite(event.value):
                    self._take(event.value)
                    return

    def _begin(self, ask: Ask | None) -> None:
        """Arm for a question; the probes must have lifted from the one before."""
        meter = self.window.instruments.poller(MULTIMETER)
        first, self._ask = self._ask is None, ask
        if ask is None or meter is None:
            self._walk = None
            return
        self._point_hands(ask)
        self._walk = CaptureWalk((ask.one,), test=OHMS_TEST if ask.other else DIODE_TEST, times=NEVER_OPEN)
        if not first:
            self._walk.hearing = Hearing.LIFT
        meter.listen(OHMS if ask.other else DIODE)
        self.window.commands.capture.sounder.play(Cue.NEXT, f"{ask.one} {ask.other}".strip())

    def _point_hands(self, ask: Ask) -> None:
        """The hands of a simulated bench are told where to touch; they go there where they follow."""
        board, port = self.window.model.board, self.window.bench_hands()
        if board is None or not port:
            return
        from dextrum.app.bench.hands import ask_for_touch

        places = [[p.side.value, p.x_mm, p.y_mm] for name in (ask.one, ask.other)
                  if (p := board.point_by_id.get(name)) is not None]
        if places:
            ask_for_touch(port, places[0], places[1] if ask.other and len(places) > 1 else None)

    def _take(self, value: float) -> None:
        ask = self._ask
        assert ask is not None
        sounder = self.window.commands.capture.sounder
        if ask.other:
            joined = value <= CONTINUITY_OHMS
            sounder.play(Cue.WITHIN if joined else Cue.QUESTION, "joined" if joined else tr("not joined"))
            self.panel.touched.emit(ask.one, ask.other, joined)
        else:
            sounder.play(Cue.WITHIN, f"{value:.3f}")
            self.panel.read.emit(ask.one, f"{max(value, 0.0):.3f}")
        self._asked_on(ask)

    def _say_no(self) -> None:
        """The foot switch: these two are not joined, or this point is open."""
        ask = self.panel.ask
        if ask is None or not self.on:
            return
        if ask.other:
            self.panel.touched.emit(ask.one, ask.other, False)
        else:
            self.panel.read.emit(ask.one, "OL")
        self._asked_on(ask)

    def _asked_on(self, ask: Ask) -> None:
        """Where nothing was recorded the question stays; it is not heard twice from one touch."""
        if self.panel.ask is ask and self._walk is not None:
            self._begin(ask)
