"""What stands in for what: parts of one board that are alike, and those of sister revisions."""

from __future__ import annotations

from collections.abc import Iterable

from dextrum.core.board import Board, Component, ComponentKind

SAME_MM = 0.05
"""How far sizes in packs may differ by rounding."""
BY_FUNCTION = frozenset({ComponentKind.IC, ComponentKind.RECEPTACLE, ComponentKind.CONNECTOR})
"""Kinds of which size tells nothing: such a part fits only where the same function is."""


def alike(one: Component, other: Component) -> bool:
    """Whether a part could take the other's place: same kind, size, terminals and value, and of chips, ports and
    connectors the same purpose in the pack's words."""
    return (one.kind is other.kind and abs(one.width_mm - other.width_mm) <= SAME_MM
            and abs(one.height_mm - other.height_mm) <= SAME_MM and one.ohms == other.ohms
            and len(one.terminals) == len(other.terminals)
            and (one.kind not in BY_FUNCTION or one.purpose.casefold() == other.purpose.casefold()))


def fits_of(board: Board, designator: str, sisters: Iterable[Board] = ()) -> tuple[str, ...]:
    """'pack:designator' of every place that takes the same part, its own first; only its own where the pack doesn't
    know it. Across boards that are no sisters nothing is guessed: one size fits many circuits."""
    own = f"{board.pack_id}:{designator}"
    part = board.component_by_designator.get(designator)
    if part is None:
        return (own,)
    found = [f"{b.pack_id}:{c.designator}" for b in (board, *sisters) for c in b.components
             if not c.undescribed and alike(part, c)]
    return (own, *(place for place in found if place != own))
