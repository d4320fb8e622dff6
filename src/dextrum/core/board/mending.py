"""What a piece of rework takes away, as the pack says: the one place that everything else asks."""

from __future__ import annotations

from dextrum.core.board.kinds import FaultKind
from dextrum.core.board.model import Board

WITHOUT_RULES = {"replace": frozenset(FaultKind) - {FaultKind.BROKEN_TRACE},
                 "reflow": frozenset({FaultKind.LIFTED_JOINT})}
"""Of a kind of part for which a pack has no rule at all: a new part has none of the old one's faults."""
OF_TRACES = {"wire": frozenset({FaultKind.BROKEN_TRACE})}


def kinds_mended(board: Board, part: str, action: str) -> frozenset[FaultKind]:
    """Kinds of fault that an action on a part, or on 'trace NAME', takes away; by the pack's rules for its kind."""
    component = board.component_by_designator.get(part)
    if component is None:
        return OF_TRACES.get(action, frozenset())
    rules = [rule for rule in board.repair_rules if rule.kind is component.kind]
    if not rules:
        return WITHOUT_RULES.get(action, frozenset())
    return frozenset(kind for rule in rules if rule.action == action for kind in rule.mends)
