"""What each check of the proof proves, and what nothing else proves if it is left out."""

from __future__ import annotations

from dextrum.core.board import Board
from dextrum.core.job import JobFacts


def _reaches(board: Board, names: tuple[str, ...]) -> tuple[str, ...]:
    """Functions with all that they rest on, in the pack's order."""
    by_id = {one.id: one for one in board.functions}
    found: dict[str, None] = {}
    waiting = [name for name in names if name in by_id]
    while waiting:
        name = waiting.pop(0)
        if name not in found:
            found[name] = None
            waiting += [other for other in by_id[name].functions if other in by_id]
    return tuple(one.id for one in board.functions if one.id in found)


def _own_words(board: Board, names: tuple[str, ...]) -> tuple[str, ...]:
    """Words of those that stand for parts or nets themselves, and not only for others."""
    return tuple(one.words for one in board.functions
                 if one.id in names and (one.parts or one.nets_through or one.nets_clear))


def proves(board: Board, check: str) -> tuple[str, ...]:
    """What works if it passes, in words; nothing for one that stands for no function."""
    return _own_words(board, next((_reaches(board, c.functions) for c in board.checks if c.id == check), ()))


def unproved_without(board: Board, facts: JobFacts, check: str) -> tuple[str, ...]:
    """What no other check proves that has passed or is still to be tried."""
    out = set(facts.left_out or {}) | {check}
    failed = {name for name, proof in (facts.proofs or {}).items() if not proof.passed}
    others = {name for c in board.checks if c.id not in out | failed for name in _reaches(board, c.functions)}
    own = next((_reaches(board, c.functions) for c in board.checks if c.id == check), ())
    return _own_words(board, tuple(name for name in own if name not in others))
