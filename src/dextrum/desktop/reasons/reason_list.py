"""What speaks for and against a suspect: each entry in words, with a bar to the right for, to the left against."""

from __future__ import annotations

import re
from collections.abc import Sequence

from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QLabel, QVBoxLayout, QWidget

from dextrum.desktop.theme import look

MOST_ROWS = 5
_UNIT = re.compile(r"(?<=\d) (?=(?:V|A|Ω|min)\b)")
"""The space between a number and its unit: no line is broken there."""
FULL_LOG_ODDS = 5.0
"""Weight at which a bar is full: e to the fifth, 150 to 1."""


class WeightBar(QWidget):
    """From the middle to the right, filled, for; to the left, hollow, against."""

    def __init__(self) -> None:
        super().__init__()
        self.log_odds = 0.0

    def sizeHint(self) -> QSize:
        return QSize(120, look.px(9))

    def minimumSizeHint(self) -> QSize:
        return self.sizeHint()

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        middle, high = self.width() / 2, float(look.px(6))
        painter.setPen(QPen(look.colour("rule"), 1))
        painter.drawLine(0, round(high / 2) + 1, self.width(), round(high / 2) + 1)
        reach = (middle - 2) * min(abs(self.log_odds) / FULL_LOG_ODDS, 1.0)
        bar = QRectF(middle if self.log_odds > 0 else middle - reach, 1.0, max(reach, 2.0), high)
        painter.setPen(QPen(look.colour("ink"), 1.5))
        painter.setBrush(look.colour("ink") if self.log_odds > 0 else look.colour("panel"))
        painter.drawRect(bar)
        painter.drawLine(round(middle), 0, round(middle), round(high) + 2)


class ReasonList(QWidget):
    """Rows are kept and filled anew, so nothing jumps. `text` is all that is said."""

    def __init__(self) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        self._rows: list[tuple[QLabel, WeightBar]] = []
        for _ in range(MOST_ROWS):
            words, bar = self._label(), WeightBar()
            column.addWidget(words)
            column.addWidget(bar)
            self._rows.append((words, bar))
        self._more = self._label()
        column.addWidget(self._more)
        self.clear()

    @staticmethod
    def _label() -> QLabel:
        label = QLabel()
        label.setWordWrap(True)
        label.setTextFormat(Qt.TextFormat.PlainText)
        label.setAlignment(Qt.AlignmentFlag.AlignTop)
        return label

    def show_reasons(self, reasons: Sequence[tuple[str, float]], more: str = "") -> None:
        """Words and log-odds of each entry, at most MOST_ROWS; more: lines below them."""
        for k, (words, bar) in enumerate(self._rows):
            there = k < len(reasons)
            words.setText(_UNIT.sub("\u00a0", reasons[k][0]) if there else "")
            words.setVisible(there)
            bar.setVisible(there)
            if there:
                bar.log_odds = reasons[k][1]
                bar.update()
        self._more.setText(more)
        self._more.setVisible(bool(more))

    def clear(self) -> None:
        self.show_reasons(())

    def setText(self, text: str) -> None:
        """A sentence instead of reasons."""
        self.show_reasons((), text)

    def text(self) -> str:
        said = [words.text().replace("\u00a0", " ") for words, _ in self._rows if words.text()]
        return "\n".join([*said, *([self._more.text()] if self._more.text() else [])])
