"""What it means that the cell has been unplugged: the unit was opened for it."""

from __future__ import annotations

from dextrum.core.board import Board
from dextrum.core.job import JobFacts
from dextrum.core.trail import Access, Cell, Payload


def cell_out(board: Board | None, facts: JobFacts) -> tuple[Payload, ...]:
    """Entries for the cell unplugged; the unit is then open as far as its cell lies, if it wasn't. board: None where
    the job's pack is not here."""
    from dextrum.core.advice.doubt_actions import cell_access  # with numbers, which a start can do without

    if board is None:
        return (Cell("unplugged"),)
    level, order = cell_access(board, facts), board.access_order
    deeper = order.get(level, 0) > order.get(facts.access, 0)
    return (Access(level), Cell("unplugged")) if deeper else (Cell("unplugged"),)
