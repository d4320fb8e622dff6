"""What is undone to open a unit, as its pack says: screws, ribbons, clips, what is glued, in their order."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

from dextrum.core.board.bounds import STRICT, require
from dextrum.tongue import tr

if TYPE_CHECKING:
    from dextrum.core.board.model import Board

FastenerKind = Literal["screw", "ribbon", "clip", "adhesive", "cover"]
MOST_MM = 1000.0


@dataclass(frozen=True)
class Fastener:
    """One thing that is undone on the way in, and done up again on the way out; listed in the order of the way in.

    access: the level that is reached once all of it are undone. kind: screw, ribbon, clip, adhesive or cover. words:
    what it is, where it helps. x_mm: from the left of the case, as it lies while it is undone. y_mm: from its top.
    length_mm: of a screw's thread; 0 where it is not known, and of all else. head: of a screw, such as cross 00.
    deepest_mm: the longest screw that its hole takes without reaching the board; 0 where none can. caution: what goes
    wrong here.
    """

    __pydantic_config__ = STRICT
    id: str
    access: str
    kind: FastenerKind
    x_mm: float
    y_mm: float
    words: str = ""
    length_mm: float = 0.0
    head: str = ""
    deepest_mm: float = 0.0
    caution: str = ""

    def __post_init__(self) -> None:
        for name in ("x_mm", "y_mm"):
            require(getattr(self, name), 0.0, MOST_MM, name)
        require(self.length_mm, 0.0, 60.0, "length_mm")
        require(self.deepest_mm, 0.0, 60.0, "deepest_mm")


def wrong_fasteners(board: Board) -> Iterator[tuple[str, str, str]]:
    """Id, what is wrong, and what was expected."""
    seen: set[str] = set()
    for one in board.fasteners:
        if one.id in seen:
            yield one.id, tr("appears twice"), tr("each id once")
        seen.add(one.id)
        if one.access not in board.access_order:
            yield one.id, tr("access level {access!r} is not listed",
                             access=one.access), tr("a level from access_levels")
        if one.deepest_mm and one.length_mm > one.deepest_mm:
            yield (one.id, tr("is {length_mm:g} mm long in a hole for {deepest_mm:g} mm", length_mm=one.length_mm,
                              deepest_mm=one.deepest_mm),
                   tr("a screw that fits its hole"))
        if board.case_mm and not (one.x_mm <= max(x for x, _ in board.case_mm)
                                  and one.y_mm <= max(y for _, y in board.case_mm)):
            yield one.id, tr("lies at {x_mm:g} {y_mm:g}, beside the case", x_mm=one.x_mm,
                             y_mm=one.y_mm), tr("a place within case_mm")
    orders = [board.access_order[one.access] for one in board.fasteners if one.access in board.access_order]
    if orders != sorted(orders):
        yield "fasteners", tr("come before those of a level above"), tr("the order of the way in")
