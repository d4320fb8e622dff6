"""One moment of planning: what kinds of action ask before they propose, each worked out once."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

from dextrum.core.advice.actions import Action
from dextrum.core.advice.doubt_actions import OpenDoubt, doubt_actions
from dextrum.core.advice.elimination import Load, isolating_actions, rail_actions
from dextrum.core.advice.measuring import scan_action
from dextrum.core.advice.weighing import Weighing


@dataclass(frozen=True)
class Plan:
    """doubt: a draw that has two explanations still. power_held: a gate holds power back."""

    weighing: Weighing
    doubt: OpenDoubt | None
    power_held: bool

    @cached_property
    def scan(self) -> Action | None:
        """Reading the port whole, while it isn't."""
        return scan_action(self.weighing)

    @cached_property
    def rails(self) -> list[Action]:
        """Rails that can be read under power now."""
        return [] if self.power_held else rail_actions(self.weighing)

    @cached_property
    def settling(self) -> list[Action]:
        """Steps that would settle a doubtful draw."""
        return [] if self.doubt is None or self.power_held else doubt_actions(self.weighing, self.doubt)

    @cached_property
    def isolating(self) -> tuple[list[Action], tuple[Load, ...]]:
        """Loads of a shorted rail to take off, and why in that order."""
        return isolating_actions(self.weighing)

    @property
    def looked(self) -> bool:
        """Whether the port was read whole and no rail is left to be read."""
        return self.scan is None and not self.rails
