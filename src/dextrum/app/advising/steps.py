"""The kind of a step, for the window: kinds bring the diagnosis along, which a start does without."""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from dextrum.core.advice.actions import Action
    from dextrum.core.advice.kinds.kind import KindOfAction


def kind_of_step(action: Action) -> KindOfAction:
    """The kind of an action. Raises KeyError for a word that no kind has."""
    from dextrum.core.advice.kinds.registry import kind_of

    return kind_of(action)
