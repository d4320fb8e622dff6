"""A row as it is typed: like which part, or pads of which connector, how many, and perhaps its first and last place."""

from __future__ import annotations

from dataclasses import dataclass

from dextrum.core.board import Board, ComponentKind, Side
from dextrum.core.packmaking.placing import parse_part
from dextrum.core.packmaking.shifting import copyable, row_of
from dextrum.tongue import tr

WITHOUT, WITH_PLACES = 2, 6
"""Words of a row without, and with both places."""


@dataclass(frozen=True)
class RowToPlace:
    """pads: whether it is one connector's pads, and not parts like one. ends: first and last, in mm; None where they
    are clicked. side: None for the one that is shown."""

    designator: str
    count: int
    pads: bool
    ends: tuple[tuple[float, float], tuple[float, float]] | None = None
    side: Side | None = None


def parse_row(board: Board, text: str) -> RowToPlace:
    """'C14 8' or 'C14 8 10 5 24 5'; 'J2 20' where no part is called so. Raises ValueError with what was expected."""
    words = text.replace(",", ".").split()
    if len(words) not in (WITHOUT, WITH_PLACES):
        raise ValueError(tr("a part and how many are wanted, and two places or none; expected such as C14 8, or C14 8 "
                            "10 5 24 5"))
    name = words[0].upper()
    pads = name not in board.component_by_designator
    if pads and parse_part(f"{name} {words[1]}").kind is not ComponentKind.CONNECTOR:
        raise ValueError(tr("{designator} is on no plan yet; expected a part that is placed, or a connector such as J2",
                            designator=name[:12]))
    try:
        count, places = int(words[1]), [float(word) for word in words[2:]]
    except ValueError:
        raise ValueError(tr("how many is a whole number, places are millimetres; expected such as C14 8 10 5 24 5")) \
            from None
    if not pads:
        copyable(board, name)
        row_of((0.0, 0.0), (1.0, 0.0), count)
    ends = ((places[0], places[1]), (places[2], places[3])) if places else None
    return RowToPlace(name, count, pads, ends)
