"""One moment of planning: what kinds of action ask before they propose, each worked out once."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property

from dextrum.core.advice.actions import Action
from dextrum.core.advice.doubt_actions import OpenDoubt, doubt_actions
from dextrum.core.advice.elimination import Load, isolating_actions, rail_actions
from dextrum.core.advice.measuring import scan_action
from dextrum.core.advice.weighing import Weighing


@dataclass(frozen=True)
class Plan:
    """doubt: a draw that has two explanations still. reach: an action at the cost of what comes before it, or None
    where only the diagnosis can lift what holds it back."""

    weighing: Weighing
    doubt: OpenDoubt | None
    reach: Callable[[Action], Action | None]

    @cached_property
    def scan(self) -> Action | None:
        """Reading the port whole, while it isn't."""
        return scan_action(self.weighing)

    @cached_property
    def rails(self) -> list[Action]:
        """Rails to read under power."""
        return rail_actions(self.weighing)

    @cached_property
    def settling(self) -> list[Action]:
        """Steps that would settle a doubtful draw."""
        return [] if self.doubt is None else doubt_actions(self.weighing, self.doubt)

    @cached_property
    def isolating(self) -> tuple[list[Action], tuple[Load, ...]]:
        """Loads of a shorted rail to take off, and why in that order."""
        return isolating_actions(self.weighing)

    @property
    def looked(self) -> bool:
        """Whether the port was read whole and no rail is left that can be read."""
        return self.scan is None and all(self.reach(action) is None for action in self.rails)
