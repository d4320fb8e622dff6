"""One check of the proof as a row that can be chosen, passed and failed by keys."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QFocusEvent, QKeyEvent
from PySide6.QtWidgets import QLabel, QPushButton, QSizePolicy, QVBoxLayout

from dextrum.tongue import tr

if TYPE_CHECKING:
    from dextrum.desktop.proof.view import ProofView

CHOOSING = (Qt.FocusReason.TabFocusReason, Qt.FocusReason.BacktabFocusReason, Qt.FocusReason.MouseFocusReason,
            Qt.FocusReason.ShortcutFocusReason)


class CheckButton(QPushButton):
    """One check; a click chooses it, P or Space passes it, F fails it, M measures what a meter
    can tell, I says that what it needs is in, arrows move. Until the row was chosen by hand,
    by Tab, an arrow, a click or the step that asks for it, its keys record nothing."""

    def __init__(self, view: ProofView, check: str, words: str) -> None:
        super().__init__()
        self.view = view
        self.check = check
        self.setAccessibleName(words)
        label = QLabel(words)
        label.setWordWrap(True)
        label.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        inside = QVBoxLayout(self)
        inside.addWidget(label)
        inside.setContentsMargins(10, 5, 10, 5)
        policy = QSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Minimum)
        policy.setHeightForWidth(True)
        self.setSizePolicy(policy)
        self.chosen = False

    def hasHeightForWidth(self) -> bool:
        return True

    def heightForWidth(self, width: int) -> int:
        """A button can't wrap its text; the label inside does."""
        inside = self.layout()
        return inside.heightForWidth(width) if inside is not None else self.sizeHint().height()

    def sizeHint(self) -> QSize:
        inside = self.layout()
        return inside.sizeHint() if inside is not None else super().sizeHint()

    def focusInEvent(self, event: QFocusEvent) -> None:
        if event.reason() in CHOOSING:
            self.chosen = True
        self.view.show_what_it_proves(self.check)
        super().focusInEvent(event)

    def focusOutEvent(self, event: QFocusEvent) -> None:
        self.chosen = False
        super().focusOutEvent(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        records = (Qt.Key.Key_F, Qt.Key.Key_P, Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space)
        if event.key() in records and event.isAutoRepeat():
            return  # a key that is held down is one try, not many
        if event.key() in records and not self.chosen:
            self.view.say_trouble(tr("Choose the check first, with an arrow, Tab or a click; then P or F."))
        elif event.key() == Qt.Key.Key_F:
            self.view.tick(self.check, False)
        elif event.key() in records:
            self.view.tick(self.check, True)
        elif event.key() == Qt.Key.Key_M:
            self.view.measure(self.check)
        elif event.key() == Qt.Key.Key_I:
            self.view.put_in(self.check)
        elif event.key() in (Qt.Key.Key_Down, Qt.Key.Key_Up):
            self.view.step(self.check, 1 if event.key() == Qt.Key.Key_Down else -1)
        else:
            if event.text().isprintable() and event.text():
                self.chosen = False  # text that is typed by mistake records at most its first letter
            super().keyPressEvent(event)
