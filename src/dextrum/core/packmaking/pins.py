"""Where the pins of a placed part lie: by the custom of its kind, so that a probe finds them on the plan.

Two ends lie at the ends of the longer side. Pins of a chip or array run against the clock from the top left, down one
side and up the other; a square chip of many pins has four sides of them. The windings of a filter lie across. The
contacts of a connector are one row.
"""

from __future__ import annotations

from dextrum.core.board import Board, ComponentKind

FOUR_SIDES_FROM = 12
"""Pins from which a square chip is taken to have them on all four sides."""
SQUARE = 1.3
"""A chip whose sides differ by less than this factor is square."""
PAD_AT = 0.38
"""Of its length, how far from the middle the pads of a part with two ends lie."""

Place = tuple[float, float]


LIES_ON = 0.3
"""How much of the smaller of two parts must be covered for one to lie on the other: placed by hand they may touch."""


def lies_on(board: Board, designator: str) -> tuple[str, ...]:
    """Parts of the same side that this one lies on, as it was placed: two parts can't be in one place."""
    part = board.component_by_designator[designator]
    found = []
    for other in board.components:
        if other is part or other.undescribed or other.side is not part.side:
            continue
        across, down = (min((a + wa / 2) - (b - wb / 2), (b + wb / 2) - (a - wa / 2), wa, wb) for a, wa, b, wb in (
            (part.x_mm, part.width_mm, other.x_mm, other.width_mm),
            (part.y_mm, part.height_mm, other.y_mm, other.height_mm)))
        smaller = min(part.width_mm * part.height_mm, other.width_mm * other.height_mm)
        if across > 0 and down > 0 and across * down > LIES_ON * smaller:
            found.append(other.designator)
    return tuple(found)


def pin_places(kind: ComponentKind, count: int, width_mm: float, height_mm: float) -> tuple[Place, ...]:
    """Millimetres of each pin from the part's middle, y down, pin 1 first."""
    wide = width_mm >= height_mm
    if count == 2:
        return tuple((side * PAD_AT * width_mm, 0.0) if wide else (0.0, side * PAD_AT * height_mm) for side in (-1, 1))
    if kind is ComponentKind.FILTER and count % 2 == 0:
        return _windings(count, width_mm, height_mm)
    if kind not in (ComponentKind.IC, ComponentKind.ESD_ARRAY):
        steps = [(k + 0.5) / count - 0.5 for k in range(count)]
        return tuple((step * width_mm, 0.0) if wide else (0.0, step * height_mm) for step in steps)
    square = max(width_mm, height_mm) < SQUARE * min(width_mm, height_mm)
    sides = 4 if square and count >= FOUR_SIDES_FROM else 2
    share, more = divmod(count, sides)
    found: list[Place] = []
    for side in range(sides):
        here = share + (side < more)
        steps = [(k + 0.5) / here - 0.5 for k in range(here)]
        at = side if sides == 4 else 2 * side
        found += [((-0.5 * width_mm, step * height_mm), (step * width_mm, 0.5 * height_mm),
                   (0.5 * width_mm, -step * height_mm), (-step * width_mm, -0.5 * height_mm))[at] for step in steps]
    return tuple(found)


def _windings(count: int, width_mm: float, height_mm: float) -> tuple[Place, ...]:
    """Ends 1 and 2 across from one another, then 3 and 4, and so on along the longer side."""
    rows = count // 2
    long, short = max(width_mm, height_mm), min(width_mm, height_mm)
    found = [((k // 2 + 0.5) / rows - 0.5, PAD_AT * (-1 if k % 2 == 0 else 1)) for k in range(count)]
    return tuple((along * long, across * short) if width_mm >= height_mm else (across * short, along * long)
                 for along, across in found)
