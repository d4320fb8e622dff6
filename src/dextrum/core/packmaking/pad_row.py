"""A connector placed by the first and the last pad of its row, as they are seen on a photo."""

from __future__ import annotations

import math

from dextrum.core.board import Board, ComponentKind, Side
from dextrum.core.packmaking.placing import MOST_PINS, PartToPlace, with_part
from dextrum.core.packmaking.shifting import Shift, shifted
from dextrum.tongue import tr

STRAIGHT = 0.2
"""A row lies along the board's edges: it leaves them by less than this share of its length."""
DEEP_TIMES, LEAST_DEEP_MM = 2.0, 1.0
"""How deep such a part is drawn, in pitches of its pads, and at least."""


def with_pad_row(board: Board, designator: str, count: int, side: Side, first: tuple[float, float],
                 last: tuple[float, float]) -> Board:
    """The pack with a connector of so many pads in a row, the first and the last of them there, in mm; nets unknown.
    Raises ValueError for fewer than two, a row askew, a designator that is taken, or a place beside the board."""
    if not 2 <= count <= MOST_PINS:
        raise ValueError(tr("{count} pads in a row; expected 2 to {most}", count=count, most=MOST_PINS))
    across, down = abs(last[0] - first[0]), abs(last[1] - first[1])
    length, askew = max(across, down), min(across, down)
    if not length or askew > STRAIGHT * length:
        raise ValueError(tr("the row from {x:.1f} {y:.1f} to {x2:.1f} {y2:.1f} lies askew; expected its first and last "
                            "pad side by side or one below the other", x=first[0], y=first[1], x2=last[0], y2=last[1]))
    pitch = math.hypot(across, down) / (count - 1)
    long, deep = round(pitch * count, 2), round(max(DEEP_TIMES * pitch, LEAST_DEEP_MM), 2)
    deep = min(deep, long)  # the longer side is the one that the pads lie along
    wide, high = (long, deep) if across >= down else (deep, long)
    middle = (first[0] + last[0]) / 2.0, (first[1] + last[1]) / 2.0
    pins = tuple((str(k), "") for k in range(1, count + 1))
    part = PartToPlace(designator, ComponentKind.CONNECTOR, pins, wide, high)
    grown = with_part(board, part, side, *middle)
    one = grown.point_by_id[f"{designator}.1"]
    if math.dist((one.x_mm, one.y_mm), first) > math.dist((one.x_mm, one.y_mm), last):
        grown = shifted(grown, designator, Shift(*middle, 2))
    return grown
