"""Put together just enough: which fasteners a check needs in their place, and which of them are not."""

from __future__ import annotations

from collections.abc import Iterable

from dextrum.core.board import Board
from dextrum.core.job import JobFacts
from dextrum.core.teardown.walk import OUT_STATES, states_of


def not_in(board: Board, facts: JobFacts, names: Iterable[str]) -> tuple[str, ...]:
    """Those of some fasteners that are not in their place: recorded as out or missing, or of a level to which the unit
    is open while nobody has said that they are in."""
    state, order = states_of(facts), board.access_order
    opened = order.get(facts.access, 0)
    by_id = {one.id: one for one in board.fasteners}
    return tuple(name for name in dict.fromkeys(names) if name in by_id and (
        state[name] in OUT_STATES if name in state else 0 < order.get(by_id[name].access, 0) <= opened))


def needed_by(board: Board, check: str) -> tuple[str, ...]:
    """Fasteners that must be in for a check; none for one that the pack doesn't know."""
    needs = next((one.set_up for one in board.checks if one.id == check), ())
    return tuple(dict.fromkeys(name for one in board.set_ups if one.id in needs for name in one.fasteners))


def needed_to_run(board: Board) -> tuple[str, ...]:
    """Fasteners without which the unit is not run for more than moments: those that all checks under power need."""
    powered = [set(needed) for check in board.checks if check.powered and (needed := needed_by(board, check.id))]
    return tuple(one.id for one in board.fasteners if powered and one.id in set.intersection(*powered))


def to_run_words(board: Board) -> str:
    """What stands for them, in the pack's words: 'heat sink on, two port screws in'."""
    needed = set(needed_to_run(board))
    found = (one.words for one in board.set_ups if one.fasteners and set(one.fasteners) <= needed)
    return ", ".join(found)
