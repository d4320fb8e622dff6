"""A placed part moved on the plan: by arrows, by dragging, turned, copied; kept at once, or left as it was."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtCore import QEvent, QObject, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPen
from PySide6.QtWidgets import QFrame, QLabel, QPushButton, QVBoxLayout, QWidget

from dextrum.core.board import Component, Side
from dextrum.core.packmaking.shifting import Shift, turned_about
from dextrum.desktop.board.board_plan import BoardPlan
from dextrum.desktop.frame.flow_layout import FlowLayout
from dextrum.desktop.theme import look
from dextrum.tongue import tr

NUDGE_MM, STRIDE_MM = 0.1, 1.0
"""By an arrow, and by one with Shift."""
LEAST_ZOOM = 3.0
GRAB_PIXELS = 6.0
ARROWS = {Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, -1), Qt.Key.Key_Down: (0, 1)}


class MovePanel(QFrame):
    """Arrows nudge by a tenth of a millimetre, with Shift by one; R turns a quarter, M puts it on the other side, G
    snaps to half a millimetre, C puts another one like it there, Enter keeps, Esc leaves. On the plan the part is
    dragged, or put by a click.

    Signals: kept (designator, Shift), copied (designator, Shift)."""

    kept = Signal(str, object)
    copied = Signal(str, object)

    def __init__(self, plan: BoardPlan) -> None:
        super().__init__()
        self.plan = plan
        self.part: Component | None = None
        self.shift = Shift(0.0, 0.0)
        self.pin_one: tuple[float, float] | None = None
        self._held: QPointF | None = None
        self._before = (Side.TOP, 1.0, QPointF())
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("Move a part"))
        self.words = QLabel()
        self.words.setTextFormat(Qt.TextFormat.PlainText)
        self.words.setWordWrap(True)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.words)
        keys = QWidget()
        line = FlowLayout(keys)
        column.addWidget(keys)
        self.buttons: dict[str, QPushButton] = {}
        for key, words, act in (("turn", tr("Turn · R"), self._turn), ("mirror", tr("Other side · M"), self._mirror),
                                ("snap", tr("Grid · G"), self._snap), ("copy", tr("One more · C"), self._copy),
                                ("keep", tr("Keep · Enter"), self._keep),
                                ("stop", tr("Leave · Esc"), self.leave)):
            self.buttons[key] = QPushButton(words)
            self.buttons[key].setFocusPolicy(Qt.FocusPolicy.NoFocus)
            self.buttons[key].clicked.connect(act)
            line.addWidget(self.buttons[key])
        self.hide()

    def begin(self, part: Component, pin_one: tuple[float, float] | None) -> None:
        """pin_one: where its first end lies, in mm from its middle, where that is a point."""
        self.part, self.pin_one = part, pin_one
        self.shift = Shift(part.x_mm, part.y_mm)
        self._before = (self.plan.side, self.plan.zoom, self.plan.middle)
        self.plan.over = self._paint_over
        self.plan.side, self.plan.zoom = part.side, max(self.plan.zoom, LEAST_ZOOM)
        self.plan.middle = QPointF(part.x_mm, part.y_mm)
        self.plan.installEventFilter(self)
        self._tell()
        self.show()
        self.setFocus()

    def _tell(self) -> None:
        part = self.part
        assert part is not None
        turned = tr(", turned {quarters}°", quarters=90 * (self.shift.quarters % 4)) if self.shift.quarters % 4 else ""
        side = tr(", {side} side", side=tr(self._side().value)) if self.shift.mirrored else ""
        self.words.setText(tr("{designator} at {x_mm:.1f} {y_mm:.1f} mm{turned}. Arrows or drag; Shift for a "
                              "millimetre.", designator=part.designator, x_mm=self.shift.x_mm, y_mm=self.shift.y_mm,
                              turned=side + turned))
        self.plan.update()

    def _to(self, x_mm: float, y_mm: float) -> None:
        self.shift = replace(self.shift, x_mm=x_mm, y_mm=y_mm)
        self._tell()

    def _turn(self) -> None:
        self.shift = replace(self.shift, quarters=self.shift.quarters + 1)
        self._tell()

    def _mirror(self) -> None:
        """To the other side of the board, as it is turned over."""
        self.shift = replace(self.shift, mirrored=not self.shift.mirrored)
        self.plan.side = self._side()
        self._tell()

    def _side(self) -> Side:
        """That the part would lie on."""
        assert self.part is not None
        return self.part.side.other if self.shift.mirrored else self.part.side

    def _snap(self) -> None:
        self.shift = self.shift.snapped()
        self._tell()

    def _keep(self) -> None:
        if self.part is not None:
            name, shift = self.part.designator, self.shift
            self.leave()
            self.kept.emit(name, shift)

    def _copy(self) -> None:
        """Another like it where the frame is now; the part itself stays."""
        if self.part is not None:
            name, shift = self.part.designator, self.shift
            self.leave()
            self.copied.emit(name, shift)

    def leave(self) -> None:
        """As it was."""
        if self.isHidden():
            return
        self.plan.removeEventFilter(self)
        self.plan.over = None
        self.plan.side, self.plan.zoom, self.plan.middle = self._before
        self._held = None
        self.plan.update()
        self.hide()
        self.plan.setFocus()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = Qt.Key(event.key())
        if key in ARROWS:
            step = STRIDE_MM if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else NUDGE_MM
            across, down = ARROWS[key]
            # The bottom is seen from behind: right on the screen is left on the board.
            seen = 1 if self.part is None or self._side() is Side.TOP else -1
            self._to(round(self.shift.x_mm + seen * across * step, 2), round(self.shift.y_mm + down * step, 2))
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._keep()
        elif key == Qt.Key.Key_Escape:
            self.leave()
        elif key == Qt.Key.Key_R:
            self._turn()
        elif key == Qt.Key.Key_M:
            self._mirror()
        elif key == Qt.Key.Key_G:
            self._snap()
        elif key == Qt.Key.Key_C:
            self._copy()
        else:
            super().keyPressEvent(event)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if watched is not self.plan or not isinstance(event, QMouseEvent):
            return super().eventFilter(watched, event)
        at = event.position()
        if event.type() == QEvent.Type.MouseButtonPress and self._box().contains(at):
            self._held = at - self._middle()
            return True
        if event.type() == QEvent.Type.MouseMove and self._held is not None:
            x, y, _ = self.plan.board_place(at - self._held)
            self._to(round(x, 2), round(y, 2))
            return True
        if event.type() == QEvent.Type.MouseButtonRelease and self._held is not None:
            self._held = None
            self.setFocus()
            return True
        return super().eventFilter(watched, event)

    def _middle(self) -> QPointF:
        assert self.part is not None
        return self.plan.place(self.shift.x_mm, self.shift.y_mm, self._side())

    def _box(self) -> QRectF:
        part = self.part
        assert part is not None
        wide, high = (part.height_mm, part.width_mm) if self.shift.quarters % 2 else (part.width_mm, part.height_mm)
        one = self.plan.place(self.shift.x_mm - wide / 2, self.shift.y_mm - high / 2, self._side())
        other = self.plan.place(self.shift.x_mm + wide / 2, self.shift.y_mm + high / 2, self._side())
        return QRectF(one, other).normalized().adjusted(-GRAB_PIXELS, -GRAB_PIXELS, GRAB_PIXELS, GRAB_PIXELS)

    def _paint_over(self, painter: QPainter) -> None:
        """The part as it would lie, with its first end."""
        assert self.part is not None
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for ink, wide in ((look.colour("card"), 5.0), (look.colour("card_accent"), 3.0)):
            painter.setPen(QPen(ink, wide))
            painter.drawRect(self._box())
        if self.pin_one is not None:
            x, y = turned_about(-self.pin_one[0] if self.shift.mirrored else self.pin_one[0], self.pin_one[1],
                                self.shift.quarters)
            painter.setPen(QPen(look.colour("card"), 2.0))
            painter.setBrush(look.colour("card_accent"))
            painter.drawEllipse(self.plan.place(self.shift.x_mm + x, self.shift.y_mm + y, self._side()), 6.0, 6.0)
