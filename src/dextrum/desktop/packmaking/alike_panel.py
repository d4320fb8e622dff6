"""Parts that look alike, one after the other on the plan: taken or left by a key."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QFont, QKeyEvent, QPainter, QPen
from PySide6.QtWidgets import QFrame, QLabel, QPushButton, QVBoxLayout, QWidget

from dextrum.core.board import Component, Side
from dextrum.core.packmaking.likes import PlaceOfLike
from dextrum.desktop.board.board_plan import BoardPlan
from dextrum.desktop.frame.flow_layout import FlowLayout
from dextrum.desktop.theme import look
from dextrum.tongue import tr

TAKEN, LEFT = True, False
GROW_PIXELS = 3.0
LEAST_ZOOM = 3.5
"""While parts are looked at one by one: a part of a millimetre is then as large as a letter."""
LEAST_SHARE = 0.85
"""How strongly the photo shows meanwhile, at least."""


class AlikePanel(QFrame):
    """Y takes the one in hand, N leaves it, A takes all that follow, Backspace goes one back, Enter places what was
    taken, Esc leaves all. Signals: ended (the places taken; empty where it was left)."""

    ended = Signal(tuple)

    def __init__(self, plan: BoardPlan) -> None:
        super().__init__()
        self.plan = plan
        self.part: Component | None = None
        self.places: tuple[PlaceOfLike, ...] = ()
        self.answers: list[bool] = []
        self._before = (Side.TOP, 1.0, QPointF())
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("Parts that look alike"))
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
        for key, words, act in (
            ("take", tr("Take it · Y"), lambda: self._answer(TAKEN)),
            ("leave", tr("Not this · N"), lambda: self._answer(LEFT)),
            ("all", tr("All that follow · A"), self._take_rest),
            ("place", tr("Place them · Enter"), self._place),
            ("stop", tr("Leave · Esc"), self._stop),
        ):
            self.buttons[key] = QPushButton(words)
            self.buttons[key].setFocusPolicy(Qt.FocusPolicy.NoFocus)
            self.buttons[key].clicked.connect(act)
            line.addWidget(self.buttons[key])
        self.hide()

    def show_places(self, part: Component, places: Sequence[PlaceOfLike]) -> None:
        """Begin with the likeliest."""
        self.part, self.places, self.answers = part, tuple(places), []
        self._before = (self.plan.side, self.plan.zoom, self.plan.middle)
        self.plan.over = self.paint_over
        self.plan.side = part.side
        self.plan.zoom = max(self.plan.zoom, LEAST_ZOOM)
        self.plan.least_share = LEAST_SHARE
        self._tell()
        self.show()
        self.setFocus()

    def _tell(self) -> None:
        at, count = len(self.answers), len(self.places)
        taken = sum(self.answers)
        if at < count:
            self.words.setText(tr("{at} of {count}, {likeness:.0%} alike · {taken} taken", at=at + 1, count=count,
                                  likeness=self.places[at].likeness, taken=taken))
            self.plan.middle = QPointF(self.places[at].x_mm, self.places[at].y_mm)
        else:
            self.words.setText(tr("{taken} of {count} taken. Enter places them.", taken=taken, count=count))
        for key in ("take", "leave", "all"):
            self.buttons[key].setEnabled(at < count)
        self.buttons["place"].setEnabled(taken > 0)
        self.plan.update()

    def _answer(self, taken: bool) -> None:
        if len(self.answers) < len(self.places):
            self.answers.append(taken)
            self._tell()

    def _take_rest(self) -> None:
        self.answers += [TAKEN] * (len(self.places) - len(self.answers))
        self._tell()

    def _place(self) -> None:
        if any(self.answers):
            self._end(tuple(p for p, taken in zip(self.places, self.answers, strict=False) if taken))

    def _stop(self) -> None:
        self._end(())

    def _end(self, taken: tuple[PlaceOfLike, ...]) -> None:
        self.plan.over = None
        self.plan.side, self.plan.zoom, self.plan.middle = self._before
        self.plan.least_share = 0.0
        self.plan.update()
        self.hide()
        self.ended.emit(taken)

    def leave(self) -> None:
        """Another job is open: nothing was placed."""
        if not self.isHidden():
            self._stop()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = Qt.Key(event.key())
        if key == Qt.Key.Key_Y:
            self._answer(TAKEN)
        elif key == Qt.Key.Key_N:
            self._answer(LEFT)
        elif key == Qt.Key.Key_A:
            self._take_rest()
        elif key == Qt.Key.Key_Backspace and self.answers:
            self.answers.pop()
            self._tell()
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._place()
        elif key == Qt.Key.Key_Escape:
            self._stop()
        else:
            super().keyPressEvent(event)

    def paint_over(self, painter: QPainter) -> None:
        """Over the plan: the one in hand boldly, taken ones ticked, left ones struck, the rest thin."""
        assert self.part is not None
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setFont(look.font(13, QFont.Weight.DemiBold))
        for k, place in enumerate(self.places):
            box = self._box(place)
            answer = self.answers[k] if k < len(self.answers) else None
            here = k == len(self.answers)
            for ink, wide in ((look.colour("card"), 5.0 if here else 3.0),
                              (look.colour("card_accent" if here or answer else "ground"), 3.0 if here else 1.5)):
                painter.setPen(QPen(ink, wide))
                painter.drawRect(box)
                if answer is TAKEN:
                    painter.drawPolyline([QPointF(box.left() + box.width() * across, box.top() + box.height() * down)
                                          for across, down in ((0.2, 0.5), (0.42, 0.75), (0.85, 0.2))])
                elif answer is LEFT:
                    painter.drawLine(box.topLeft(), box.bottomRight())

    def _box(self, place: PlaceOfLike) -> QRectF:
        assert self.part is not None
        wide, high = (self.part.height_mm, self.part.width_mm) if place.turned else (
            self.part.width_mm, self.part.height_mm)
        one = self.plan.place(place.x_mm - wide / 2, place.y_mm - high / 2, self.part.side)
        other = self.plan.place(place.x_mm + wide / 2, place.y_mm + high / 2, self.part.side)
        return QRectF(one, other).normalized().adjusted(-GROW_PIXELS, -GROW_PIXELS, GROW_PIXELS, GROW_PIXELS)
