"""A broken piece of copper is worked on under a name of its own: 'trace CC1' for the trace CC1 of the pack."""

from __future__ import annotations

from dextrum.core.board import Board
from dextrum.core.saying import Say, plain

TRACE = "trace "


def trace_part(trace_id: str) -> str:
    """Under what a pack's trace is worked on."""
    return TRACE + trace_id


def parts_of(board: Board) -> tuple[str, ...]:
    """All that can be worked on: designators, then traces."""
    return *(part.designator for part in board.components), *(trace_part(trace.id) for trace in board.traces)


def is_trace(part: str) -> bool:
    return part.startswith(TRACE)


def shown_part(part: str, say: Say = plain) -> str:
    """A designator as it is, a trace as it is called in the language. say: that of a paper, where it is another."""
    return say("trace {id}", id=part.removeprefix(TRACE)) if is_trace(part) else part
