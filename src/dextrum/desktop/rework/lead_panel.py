"""One step of the rework plan at a time, in type that is read from the microscope."""

from __future__ import annotations

from datetime import datetime

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QApplication, QFrame, QHBoxLayout, QLabel, QPushButton, QSizePolicy, QVBoxLayout

from dextrum.app.job.trail_words import DONE
from dextrum.app.rework.leading import Led, timer_words
from dextrum.core.faults.trace_parts import shown_part
from dextrum.core.rework.recipe import CAUTIONS, PHASES, tool_words
from dextrum.desktop.theme import look
from dextrum.tongue import in_a_row, tr

TICK_MILLISECONDS = 500
ON = (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space, Qt.Key.Key_PageDown, Qt.Key.Key_Right, Qt.Key.Key_Down)
BACK = (Qt.Key.Key_Backspace, Qt.Key.Key_PageUp, Qt.Key.Key_Left, Qt.Key.Key_Up)


class LeadPanel(QFrame):
    """Keys, the foot switch's too: Enter, Space or Page down goes on, Backspace or Page up goes back. Signals: done,
    back, skip, record (the repair), ended, photo (the one that is due is to be taken)."""

    done = Signal()
    back = Signal()
    skip = Signal()
    record = Signal()
    ended = Signal()
    photo = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("card")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("Step of the rework plan"))
        self._led = Led()
        self._clock = datetime.now
        self._rung: set[str] = set()
        self.pedal = 0
        self.head, self.words, self.why = QLabel(), QLabel(), QLabel()
        self.watch, self.tools, self.caution, self.timers = QLabel(), QLabel(), QLabel(), QLabel()
        for label, name in ((self.head, "cardquiet"), (self.words, "leadwords"), (self.why, "cardquiet"),
                            (self.watch, "cardstrong"), (self.tools, "cardaccent"), (self.caution, "cardcaution"),
                            (self.timers, "cardaccent")):
            label.setObjectName(name)
            label.setWordWrap(True)
            label.setTextFormat(Qt.TextFormat.PlainText)
            label.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Minimum)
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 10, 16, 10)
        column.setSpacing(6)
        for label in (self.head, self.words, self.tools, self.watch, self.why, self.caution, self.timers):
            column.addWidget(label)
        self.buttons: dict[str, QPushButton] = {}
        line = QHBoxLayout()
        for name, words, signal, hint in (
            ("done", tr("Done, next"), self.done, tr("Enter, Space, Page down or the foot switch")),
            ("record", tr("Record the repair"), self.record, tr("Fills in the lines below")),
            ("photo", tr("Take the photo…"), self.photo, tr("It is due here: what it shows can't be seen afterwards")),
            ("back", tr("Back"), self.back, tr("Backspace or Page up: the step before was not done")),
            ("skip", tr("Leave out…"), self.skip, tr("With a reason, which stays on record")),
            ("end", tr("End the plan"), self.ended, tr("What was done stays in the trail")),
        ):
            button = QPushButton(words)
            button.setToolTip(hint)
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            button.clicked.connect(signal)
            self.buttons[name] = button
            line.addWidget(button)
        line.addStretch(1)
        column.addLayout(line)
        self._timer = QTimer(self)
        self._timer.setInterval(TICK_MILLISECONDS)
        self._timer.timeout.connect(self._tick)
        self.hide()

    def show_led(self, led: Led, now: datetime) -> None:
        """The step that is next; hidden where there is no plan."""
        self._led = led
        self.setVisible(bool(led.steps or led.missing))
        if self.isHidden():
            self._timer.stop()
            return
        step = led.step
        waiting = led.to_record is not None
        self.buttons["record"].setVisible(waiting)
        self.buttons["done"].setVisible(step is not None and not waiting)
        self.buttons["skip"].setVisible(step is not None and not waiting)
        self.buttons["photo"].setVisible(bool(led.photo_due) and not waiting)
        missing = tr(" Not here any more: {missing}.", missing=", ".join(led.missing)) if led.missing else ""
        if led.changed:
            missing += tr(" Recipe changed since the plan was made, look at the steps done: {changed}.",
                          changed=", ".join(led.changed))
        if led.to_record is not None:
            part, action = led.to_record
            self._say(tr("Repair of {part} done{missing}", part=shown_part(part),
                         missing=missing), tr("Record it: {part}, {action}", part=shown_part(part),
                                              action=DONE.get(action, DONE["replace"])), "", "", "", "")
        elif step is None:
            self._say(tr("All {count} steps done{missing}", count=len(led.steps), missing=missing),
                      tr("Now the audit, then the same points again, before any power."), "", "", "", "")
        else:
            assert led.at is not None
            left = sum(one.step.minutes for one in led.steps[led.at:])
            place = " · ".join((tr("Step {at} of {count}", at=led.at + 1,
                                   count=len(led.steps)), shown_part(step.part),
                                PHASES[step.step.phase], step.recipe.school))
            kept = tr("Its photo is kept. ") if step.step.photo else ""
            due = tr("A photo is due. ") if led.photo_due else kept
            self._say(tr("{place} · about {left:.0f} min of hands left{missing}", place=place, left=left,
                         missing=missing), step.words, step.step.why,
                      f"{due}{step.step.watch}", tool_words(step.step),
                      " ".join(CAUTIONS[one] for one in step.step.cautions))
        self._show_timers(now)
        self._timer.start() if led.timers else self._timer.stop()

    def _say(self, head: str, words: str, why: str, watch: str, tools: str, caution: str) -> None:
        for label, text in ((self.head, head), (self.words, words), (self.why, why), (self.watch, watch),
                            (self.tools, tools), (self.caution, caution)):
            label.setText(text)
            label.setVisible(bool(text))
        self.words.setStyleSheet(f"font-size: {look.px(26)}px; font-weight: 600")
        self.setAccessibleDescription(in_a_row((words, tools, watch, caution)))

    def _show_timers(self, now: datetime) -> None:
        self.timers.setText("\n".join(timer_words(timer, now) for timer in self._led.timers))
        self.timers.setVisible(bool(self._led.timers))

    def _tick(self) -> None:
        """A time that runs out calls, once."""
        now = self._clock().astimezone()
        self._show_timers(now)
        for timer in self._led.timers:
            key = f"{timer.words}{timer.until}"
            if timer.until <= now and key not in self._rung:
                self._rung.add(key)
                QApplication.beep()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = event.key()
        if event.modifiers() & ~Qt.KeyboardModifier.KeypadModifier:
            super().keyPressEvent(event)
        elif key in ON or (self.pedal and key == self.pedal):
            (self.record if self._led.to_record is not None else self.done).emit()
        elif key in BACK:
            self.back.emit()
        else:
            super().keyPressEvent(event)
