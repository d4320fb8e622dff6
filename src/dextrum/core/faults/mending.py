"""What a piece of rework takes away, as the pack says: the one place that everything else asks."""

from __future__ import annotations

from dextrum.core.board.kinds import FaultKind
from dextrum.core.board.model import Board
from dextrum.core.faults.registry import KINDS


def kinds_mended(board: Board, part: str, action: str) -> frozenset[FaultKind]:
    """Kinds of fault that an action on a part, or on 'trace NAME', takes away; by the pack's rules for its kind."""
    component = board.component_by_designator.get(part)
    rules = [rule for rule in board.repair_rules if component is not None and rule.kind is component.kind]
    rated = {kind for rule in rules for kind in rule.mends} | {
        rate.mode for rate in board.failure_rates if component is not None and rate.kind is component.kind}
    # What only work on a board makes, a pack need not name.
    by_hands = frozenset(word for word, kind in KINDS.items()
                         if kind.by_hands > 0 and word not in rated and action in kind.mended_by)
    if not rules:
        # Copper, or a kind of part for which a pack has no rule at all.
        return frozenset(word for word, kind in KINDS.items()
                         if action in kind.mended_by and kind.of_copper is (component is None))
    return by_hands | frozenset(kind for rule in rules if rule.action == action for kind in rule.mends)
