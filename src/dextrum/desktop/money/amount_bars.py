"""Pairs of amounts as bars under one another: what was quoted or came in, empty, and what it took, filled."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from decimal import Decimal

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from dextrum.core.money.amounts import Currency
from dextrum.desktop.theme import look

LINE, BAR = 34, 11
NAME, AMOUNT = 70, 84
"""Room for the names in front and for the amount behind the longest bar."""
MOST_PAIRS = 7


@dataclass(frozen=True)
class BarPair:
    """name: in front; each bar with its amount and what that is. An upper bar of nothing is left out."""

    name: str
    upper: tuple[Decimal, str]
    lower: tuple[Decimal, str]


class AmountBars(QWidget):
    def __init__(self, name: str) -> None:
        super().__init__()
        self.setAccessibleName(name)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.pairs: tuple[BarPair, ...] = ()
        self.money = Currency()

    def sizeHint(self) -> QSize:
        return QSize(280, look.px(LINE * max(1, len(self.pairs))))

    minimumSizeHint = sizeHint

    def show_pairs(self, pairs: Sequence[BarPair], money: Currency) -> None:
        """The first few of them."""
        self.pairs, self.money = tuple(pairs[:MOST_PAIRS]), money
        self.setFixedHeight(self.sizeHint().height())
        self.setAccessibleDescription("; ".join(
            f"{pair.name}: " + ", ".join(f"{words} {money.about(amount)}" for amount, words in (pair.upper, pair.lower))
            for pair in self.pairs))
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        if not self.pairs:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(look.font(13))
        names = painter.fontMetrics()
        left = float(max(look.px(NAME), *(names.horizontalAdvance(p.name) + look.px(8) for p in self.pairs)))
        most = max(float(max(pair.upper[0], pair.lower[0])) for pair in self.pairs) or 1.0
        painter.setFont(look.font(12))
        amounts = painter.fontMetrics()
        behind = max(amounts.horizontalAdvance(self._words(*bar)) for p in self.pairs for bar in (p.upper, p.lower))
        room = max(1.0, self.width() - left - max(look.px(AMOUNT), behind + look.px(8)))
        for k, pair in enumerate(self.pairs):
            top = float(look.px(LINE) * k)
            painter.setPen(look.colour("ink"))
            painter.setFont(look.font(13))
            painter.drawText(QRectF(0, top, left - look.px(6), look.px(LINE - 4)),
                             int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter), pair.name)
            for row, (amount, words) in enumerate((pair.upper, pair.lower)):
                if not amount and not row:
                    continue
                y = top + 2 + row * look.px(BAR + 3)
                wide = max(1.0, float(amount) / most * room)
                painter.setPen(QPen(look.colour("ink"), 1))
                painter.setBrush(look.colour("band") if row else Qt.BrushStyle.NoBrush)
                painter.drawRect(QRectF(left, y, wide, look.px(BAR)))
                painter.setFont(look.font(12))
                painter.setPen(look.colour("quiet"))
                painter.drawText(QPointF(left + wide + look.px(5), y + look.px(BAR - 1)), self._words(amount, words))

    def _words(self, amount: Decimal, words: str) -> str:
        return f"{words} {self.money.about(amount)}"
