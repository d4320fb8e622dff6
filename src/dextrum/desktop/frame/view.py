"""What all views of a job have in common: a sentence on top, a line for problems, cautions where they apply."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QEvent, QPoint, Qt, Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QLabel, QLayout, QScrollArea, QSizePolicy, QVBoxLayout, QWidget

from dextrum.app.reading.judged import cooling_words
from dextrum.core.safety.cautions import cautions_in_view
from dextrum.desktop.frame.background import Background
from dextrum.desktop.frame.command_row import CommandRow
from dextrum.desktop.frame.job_model import JobModel
from dextrum.desktop.frame.notice import Notice
from dextrum.desktop.frame.reading_order import in_reading_order
from dextrum.desktop.theme import look
from dextrum.tongue import tr

if TYPE_CHECKING:
    from dextrum.core.advice.recommend import Advice


def quiet_label(text: str = "") -> QLabel:
    label = QLabel(text)
    label.setObjectName("quiet")
    label.setWordWrap(True)
    return label


def clear_layout(layout: QLayout) -> None:
    """Take everything out of a layout. Gone from sight at once; Qt deletes it when it may."""
    while layout.count():
        item = layout.takeAt(0)
        widget = item.widget() if item is not None else None
        if widget is not None:
            widget.hide()
            widget.deleteLater()


MARGIN = 18
SENTENCE_PIXELS, LINE_PIXELS = 21, 18
"""Height of a line of the sentence, and of a quiet line, at 100 % text."""


class JobView(QWidget):
    """A view of the job in hand. Subclasses fill `body` and override `refresh` and `focus_entry`.

    shows_advice: it is shown again when the job has been weighed, not only when something was recorded.
    sentence_lines: how many its sentence has room for, so that nothing moves when it grows.
    commands: ids of what can be done here, shown as a row of buttons. keys: what keys do here, beside the commands'.
    Signals: asked (the id of a command that was pressed), asks_reason (what takes the reason that is typed, and says
    what is wrong with it), reshaped (something in it came, went or changed its size, so that Tab may go another way).
    """

    asked = Signal(str)
    asks_reason = Signal(object)
    reshaped = Signal()

    name = ""
    shows_advice = False
    sentence_lines = 1
    commands: tuple[str, ...] = ()
    keys: tuple[tuple[str, str], ...] = ()

    def __init__(self, model: JobModel) -> None:
        super().__init__()
        self.model = model
        column = QVBoxLayout(self)
        column.setContentsMargins(MARGIN, 4, MARGIN, 8)
        column.setSpacing(4)
        self.sentence = QLabel()
        self.sentence.setObjectName("sentence")
        self.sentence.setWordWrap(True)
        self.detail = quiet_label()
        self.sentence.setAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop)
        self.trouble = Notice(self)
        for label in (self.sentence, self.detail):
            label.setTextFormat(Qt.TextFormat.PlainText)
            label.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Minimum)
            column.addWidget(label)
        self.row = CommandRow(self.commands, model.why_not)
        self.row.asked.connect(self.asked)
        column.addWidget(self.row)
        if not self.commands:
            self.row.hide()
        self.body = QVBoxLayout()
        self.body.setContentsMargins(0, 4, 0, 0)
        column.addLayout(self.body, 1)
        self.cautions = quiet_label()
        column.addWidget(self.cautions)

    @property
    def settled(self) -> bool:
        """Whether nothing is being worked out for it any more."""
        return not any(work.busy for work in self.findChildren(Background))

    def say_trouble(self, words: str) -> None:
        """Show what was wrong with an entry, in place; empty words take it away."""
        self.trouble.say(words)
        self.place_trouble()

    def place_trouble(self) -> None:
        """Below the sentence, over what can be done: nothing moves for it."""
        self.trouble.put(MARGIN, self.detail.geometry().top(), max(1, self.width() - 2 * MARGIN))

    def event(self, event: QEvent) -> bool:
        if event.type() is QEvent.Type.LayoutRequest:
            self.reshaped.emit()
        return super().event(event)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.keep_places()
        self.place_trouble()

    def keep_places(self) -> None:
        """Lines whose words change keep room for as many as they usually have."""
        self.sentence.setMinimumHeight(look.px(SENTENCE_PIXELS * self.sentence_lines))
        self.detail.setMinimumHeight(look.px(LINE_PIXELS))
        self.cautions.setMinimumHeight(look.px(LINE_PIXELS))

    def warm_words(self) -> str:
        """What to do about a board that has just been under heat, or at which temperature it is read."""
        celsius = self.model.board_celsius
        if celsius is not None:
            return tr("board at {celsius:g} °C: readings are corrected to 21 °C", celsius=celsius)
        return cooling_words(self.model.facts, self.model.session.clock(), None)

    def show_cautions(self) -> None:
        words = cautions_in_view(self.model.board, self.model.facts, self.name)
        self.cautions.setText(" ".join(words))

    def light(self, advice: Advice | None) -> None:
        """Mark what the next step asks for."""

    def tab_chain(self) -> list[QWidget]:
        """What can have the keyboard, in the order of Tab."""
        return in_reading_order(self)

    def leave_job(self) -> None:
        """The job goes out of view: what was said about it goes along, what was typed is kept by those that can."""
        self.say_trouble("")

    def scroll_to(self, part: QWidget) -> None:
        """A part of the view, from its top, into sight."""
        above: QWidget | None = self.parentWidget()
        while above is not None and not isinstance(above, QScrollArea):
            above = above.parentWidget()
        if above is not None:
            above.verticalScrollBar().setValue(part.mapTo(self, QPoint(0, 0)).y())

    def close_work(self) -> None:
        """The window is closing: what works beside it ends."""

    def refresh(self) -> None:
        """Show the model as it is now."""

    def focus_entry(self) -> None:
        """Put the keyboard where this view's entry begins."""
        self.setFocus()

    def as_text(self) -> str:
        """The view as text for the clipboard."""
        return self.sentence.text()
