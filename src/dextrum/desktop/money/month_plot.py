"""A month by kind of fault as a drawing: what was quoted beside what was spent."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from dextrum.app.money.month import ShopMonth
from dextrum.core.money.amounts import Currency
from dextrum.desktop.theme import look

LINE, BAR = 34, 11
MOST_FAULTS = 7


class MonthPlot(QWidget):
    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName("Quoted and spent, by kind of fault")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.month: ShopMonth | None = None
        self.money = Currency()

    def sizeHint(self) -> QSize:
        count = min(MOST_FAULTS, len(self.month.by_fault)) if self.month is not None else 0
        return QSize(280, look.px(LINE * max(1, count)))

    minimumSizeHint = sizeHint

    def show_month(self, month: ShopMonth | None, money: Currency) -> None:
        self.month, self.money = month, money
        self.setFixedHeight(self.sizeHint().height())
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        if self.month is None or not self.month.by_fault:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        shown = self.month.by_fault[:MOST_FAULTS]
        most = max(float(max(f.quoted, f.cost)) for f in shown) or 1.0
        left = float(look.px(70))
        room = self.width() - left - look.px(84)
        for k, fault in enumerate(shown):
            top = float(look.px(LINE) * k)
            painter.setPen(look.colour("ink"))
            painter.setFont(look.font(13))
            painter.drawText(QRectF(0, top, left - look.px(6), look.px(LINE - 4)),
                             int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter), fault.fault)
            for row, (amount, words, filled) in enumerate(((fault.quoted, "quoted", False),
                                                           (fault.cost, "spent", True))):
                if not amount and not filled:
                    continue
                y = top + 2 + row * look.px(BAR + 3)
                wide = max(1.0, float(amount) / most * room)
                painter.setPen(QPen(look.colour("ink"), 1))
                painter.setBrush(look.colour("band") if filled else Qt.BrushStyle.NoBrush)
                painter.drawRect(QRectF(left, y, wide, look.px(BAR)))
                painter.setFont(look.font(12))
                painter.setPen(look.colour("quiet"))
                painter.drawText(QPointF(left + wide + look.px(5), y + look.px(BAR - 1)),
                                 f"{words} {self.money.about(amount)}")
