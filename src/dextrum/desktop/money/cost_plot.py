"""What a job may cost as a drawing: how often each cost comes up among the plays, and where prices lie on it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QFont, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from dextrum.core.money.amounts import Currency
from dextrum.desktop.theme import look
from dextrum.tongue import tr

BINS = 36
HIGH = 132
FOOT, HEAD = 20, 34
SHOWN_SHARE = 0.985
"""Of the plays: the few dearest would press the rest together."""


@dataclass(frozen=True)
class Mark:
    """A price on the axis: amount, what of it is left to the shop; words, with the price as it is said; strong for the
    one that was said to the owner."""

    amount: float
    words: str
    strong: bool = False


class CostPlot(QWidget):
    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName(tr("What the job may cost"))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.costs = np.zeros(0)
        self.good = np.zeros(0, dtype=bool)
        self.marks: tuple[Mark, ...] = ()
        self.money = Currency()

    def sizeHint(self) -> QSize:
        return QSize(280, look.px(HIGH))

    minimumSizeHint = sizeHint

    def show_costs(self, costs: np.ndarray, good: np.ndarray, marks: tuple[Mark, ...], money: Currency) -> None:
        """costs: of each play; good: whether it ends well."""
        self.costs, self.good, self.marks, self.money = costs, good, marks, money
        self.setFixedHeight(self.sizeHint().height())
        self.setAccessibleDescription("; ".join(m.words for m in marks))
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        if not len(self.costs):
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        top, bottom = float(look.px(HEAD)), float(self.height() - look.px(FOOT))
        most = max(float(np.quantile(self.costs, SHOWN_SHARE)), *(m.amount for m in self.marks), 1.0) * 1.06
        edges = np.linspace(0.0, most, BINS + 1)
        whole, _ = np.histogram(self.costs, edges)
        bad, _ = np.histogram(self.costs[~self.good], edges)
        high = max(int(whole.max()), 1)
        wide = self.width() / BINS
        painter.setPen(Qt.PenStyle.NoPen)
        for k in range(BINS):
            for count, colour in ((whole[k], "band"), (bad[k], "above")):
                if count:
                    tall = (bottom - top) * count / high
                    painter.fillRect(QRectF(k * wide + 0.5, bottom - tall, wide - 1.0, tall), look.colour(colour))
        painter.setPen(QPen(look.colour("ink"), 1))
        painter.drawLine(QPointF(0, bottom), QPointF(self.width(), bottom))
        self._paint_axis(painter, bottom, most)
        self._paint_marks(painter, top, bottom, most)

    def _paint_axis(self, painter: QPainter, bottom: float, most: float) -> None:
        painter.setFont(look.font(12))
        painter.setPen(look.colour("quiet"))
        step = _round_step(most / 4.0)
        amount = 0.0
        while amount <= most:
            x = amount / most * self.width()
            text = self.money.about(amount)
            room = painter.fontMetrics().horizontalAdvance(text)
            painter.drawText(QPointF(min(max(0.0, x - room / 2), self.width() - room), bottom + look.px(15)), text)
            amount += step

    def _paint_marks(self, painter: QPainter, top: float, bottom: float, most: float) -> None:
        """Words stand above the lines, the second one line lower where they would meet."""
        taken = -1.0
        for mark in sorted(self.marks, key=lambda m: m.amount):
            x = mark.amount / most * self.width()
            painter.setPen(QPen(look.colour("ink"), 2 if mark.strong else 1,
                                Qt.PenStyle.SolidLine if mark.strong else Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(x, top - 2), QPointF(x, bottom))
            painter.setFont(look.font(12, QFont.Weight.DemiBold if mark.strong else QFont.Weight.Normal))
            text = mark.words
            room = painter.fontMetrics().horizontalAdvance(text)
            left = min(max(0.0, x - room / 2), self.width() - room)
            lower = left < taken
            painter.setPen(look.colour("ink"))
            painter.drawText(QPointF(left, float(look.px(28 if lower else 12))), text)
            taken = left + room + look.px(8)


def _round_step(least: float) -> float:
    """1, 2 or 5 times a power of ten, at least so much."""
    power = 10.0 ** np.floor(np.log10(max(least, 1e-6)))
    return float(next((m * power for m in (1.0, 2.0, 5.0) if m * power >= least), 10.0 * power))
