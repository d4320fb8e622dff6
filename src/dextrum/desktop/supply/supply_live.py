"""A trace that still grows: large figures, the state in words, and the samples handed on when it ends."""

from __future__ import annotations

import time
from collections.abc import Sequence
from math import isfinite

import numpy as np
from PySide6.QtCore import QTimer, Signal
from PySide6.QtGui import QFont
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton, QVBoxLayout

from dextrum.app.supply.draw_follow import FollowedFile
from dextrum.core.draw.live import LiveNow, LiveTrace
from dextrum.core.draw.profile import DrawProfile
from dextrum.desktop.supply.draw_plot import clock_words
from dextrum.desktop.theme import look
from dextrum.errors import DextrumError
from dextrum.store.live_journal import LiveJournal
from dextrum.tongue import tr

POLL_MILLISECONDS = 200
DRAWN_EVERY_SECONDS = 0.1
FEW_AT_ONCE, FEW_SAMPLES = 8, 2000
"""More at once are taken together; a short trace is drawn with every portion."""


class LivePanel(QFrame):
    """Signals: grown (the plot has more to show), ended (LiveTrace or nothing), trouble (words)."""

    grown = Signal()
    ended = Signal(object)
    trouble = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self.trace: LiveTrace | None = None
        self.followed: FollowedFile | None = None
        self.journal: LiveJournal | None = None
        self.dropped = 0
        self.setObjectName("palette")
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 2, 12, 2)
        self.volts, self.amps = QLabel("\u2013"), QLabel("\u2013")
        self.volts.setAccessibleName(tr("Volts now"))
        self.amps.setAccessibleName(tr("Amps now"))
        self.words, self.since = QLabel(), QLabel()
        self.since.setObjectName("quiet")
        said = QVBoxLayout()
        said.addWidget(self.words)
        said.addWidget(self.since)
        self.stop = QPushButton(tr("Stop and record"))
        self.stop.clicked.connect(self.end)
        row.addWidget(self.volts)
        row.addSpacing(look.px(18))
        row.addWidget(self.amps)
        row.addSpacing(look.px(18))
        row.addLayout(said, 1)
        row.addWidget(self.stop)
        self.timer = QTimer(self)
        self.timer.setInterval(POLL_MILLISECONDS)
        self.timer.timeout.connect(self.poll)
        self.hide()

    @property
    def running(self) -> bool:
        return self.trace is not None

    def begin(self, profile: DrawProfile | None, switched_on: bool, followed: FollowedFile | None = None) -> None:
        """Show an empty trace. followed: a growing file it is read from; without one, samples come by `take`."""
        self.trace = LiveTrace(profile, switched_on)
        self.dropped = 0
        self.followed = followed
        for label in (self.volts, self.amps):
            label.setFont(look.font(34, QFont.Weight.DemiBold))
            label.setStyleSheet(f"font-size: {look.px(34)}px; font-weight: 600")
        self.words.setText(tr("waiting for the first sample"))
        self.since.setText(followed.path.name if followed else "")
        self.show()
        if followed is not None:
            self.timer.start()
            self.poll()

    def poll(self) -> None:
        """Take what the file has more."""
        if self.followed is None:
            return
        try:
            self.take(self.followed.new_samples())
        except DextrumError as problem:
            self.trouble.emit(str(problem))
            self.end()

    def take(self, samples: Sequence[tuple[float, float, float]]) -> None:
        """Samples in time, in seconds, volts and amps; one that is not later than the last is left out."""
        if self.trace is None or not samples:
            return
        good = [sample for sample in samples if all(map(isfinite, sample))]
        self.dropped += len(samples) - len(good)
        samples = good
        if not samples:
            return
        if self.journal is not None:
            try:
                self.journal.add(samples)
            except DextrumError as problem:
                self.trouble.emit(str(problem))
                self.journal = None
        now = self._add(samples)
        if now is None:
            return
        self.volts.setText(f"{now.volts:.2f} V")
        self.amps.setText(f"{now.amps:.3f} A")
        profile = self.trace.profile
        self.words.setText(profile.state_words(now.state) if profile is not None and now.state >= 0
                           else tr("recorded, not interpreted"))
        refused = tr(", {refused} rows not read",
                     refused=self.followed.refused) if self.followed and self.followed.refused else ""
        if self.dropped:
            refused += tr(", {dropped} overload sample{s} left out", dropped=self.dropped,
                          s="s" if self.dropped != 1 else "")
        self.since.setText(tr("{plateau_amps:.3f} A for {clock_words}; {clock_words2} in all{refused}",
                              plateau_amps=now.plateau_amps, clock_words=clock_words(now.seconds - now.began),
                              clock_words2=clock_words(now.seconds), refused=refused))
        if time.monotonic() - self._drawn >= DRAWN_EVERY_SECONDS or self.trace.count < FEW_SAMPLES:
            self._drawn = time.monotonic()
            self.grown.emit()

    _drawn = 0.0

    def _add(self, samples: Sequence[tuple[float, float, float]]) -> LiveNow | None:
        """What the last of them shows; one that is not later than the last is left out, and all that a full trace has
        no room for."""
        assert self.trace is not None
        if len(samples) > FEW_AT_ONCE:
            columns = np.array(samples, dtype=float).T
            try:
                return self.trace.add_many(*columns)
            except ValueError:
                pass  # one by one, then: those in order are taken
        now: LiveNow | None = None
        for seconds, volts, amps in samples:
            try:
                now = self.trace.add(seconds, volts, amps)
            except ValueError:
                continue
        return now

    def end(self) -> None:
        """Stop, and hand the trace on; nothing where no sample came."""
        self.timer.stop()
        trace, self.trace = self.trace, None
        self.followed = self.journal = None
        self.hide()
        self.ended.emit(trace if trace is not None and trace.count else None)
