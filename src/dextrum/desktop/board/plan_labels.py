"""Designators and stops of the path on the board's plan, placed so that none covers another."""

from __future__ import annotations

from functools import lru_cache
from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QFont, QFontMetricsF, QPainter

from dextrum.core.board import ComponentKind
from dextrum.desktop.board.labels import Box, Label, place_labels
from dextrum.desktop.theme import look
from dextrum.tongue import tr

if TYPE_CHECKING:
    from dextrum.desktop.board.board_plan import BoardPlan

HEAD_PIXELS = 22
"""Height of the line that names the side, at 100 % text: no label stands there."""
RING = 1.3
"""Radius of the ring round the point in hand, beside the size of a point."""
STOP_WEIGHT, CHIP_WEIGHT = 3.0, 1.0
"""Labels of the path go before those of chips, those before small parts, the larger before the smaller."""


def labels(plan: BoardPlan) -> list[tuple[Label, QRectF]]:
    """Designators and stops of the path with where they stand; what finds no free place is left out."""
    if plan.board is None:
        return []
    on_path = plan.on_path()
    wanted: list[Label] = []
    painted = QFontMetricsF(look.font(11)), QFontMetricsF(look.font(12, QFont.Weight.Bold))
    for part in plan.parts_here():
        box = plan.box_of(part)
        lit = part.designator in on_path
        metrics = painted[1 if lit else 0]
        weight = (STOP_WEIGHT if lit else CHIP_WEIGHT if part.kind is ComponentKind.IC else 0.0) \
            + min(0.9, box.width() * box.height() / 1e5)
        wanted.append(Label(part.designator, metrics.horizontalAdvance(part.designator) + 4, metrics.height(),
                            (box.left(), box.top(), box.width(), box.height()), weight, True, lit))
    for words, at in _stops_named(plan):
        metrics = painted[1]
        wanted.append(Label(words, metrics.horizontalAdvance(words) + 6, metrics.height(),
                            (at.x() - 7, at.y() - 7, 14, 14), STOP_WEIGHT + 1.0))
    size = plan.dot()
    taken: list[Box] = [(tag.left(), tag.top(), tag.width(), tag.height()) for tag, _ in plan.number_tags(size)]
    for point in plan.points_here():
        reach = size * (RING if point.id == plan.current else 0.6 if point.id in plan.judged else 0.35)
        at = plan.place(point.x_mm, point.y_mm, point.side)
        taken.append((at.x() - reach, at.y() - reach, 2 * reach, 2 * reach))
    taken += [label.around for label in wanted if label.inside]
    top = look.px(HEAD_PIXELS)
    found = _placed(tuple(wanted), tuple(taken), (0.0, float(top), float(plan.width()), float(plan.height() - top)))
    return [(wanted[index], QRectF(*box)) for index, box in found.items()]


@lru_cache(maxsize=4)
def _placed(wanted: tuple[Label, ...], taken: tuple[Box, ...], bounds: Box) -> dict[int, Box]:
    """The same plan is painted again at each key: its labels stand where they stood."""
    return place_labels(wanted, taken, bounds)


def _stops_named(plan: BoardPlan) -> list[tuple[str, QPointF]]:
    """Where the way under suspicion begins and what lies on it, by name; a stop of the other side says so."""
    if plan.path is None or plan.board is None:
        return []
    named: list[tuple[str, QPointF]] = []
    shown = {pane.side for pane in plan.panes()}
    first = plan.board.point_by_id.get(plan.path.contact)
    if first is not None:
        name = first.id.partition(".")[2] if first.id in plan.board.port_points else first.id
        named.append((name, plan.place(first.x_mm, first.y_mm, first.side)))
    for designator in sorted(plan.on_path()):
        part = plan.board.component_by_designator[designator]
        if part.side not in shown:
            named.append((tr("{designator} (other side)",
                             designator=designator), plan.place(part.x_mm, part.y_mm, part.side)))
    return named


def paint_labels(plan: BoardPlan, painter: QPainter) -> None:
    for label, box in labels(plan):
        strong = label.weight >= STOP_WEIGHT
        painter.setFont(look.font(12, QFont.Weight.Bold) if strong else look.font(11))
        if strong and not label.inside:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(look.colour("panel"))
            painter.drawRoundedRect(box, 3, 3)
        painter.setPen(look.colour("ink"))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, label.text)
