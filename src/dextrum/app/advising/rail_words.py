"""A rail under power, in words: up or down, and where it was measured."""

from __future__ import annotations

from dextrum.core.board.procedures import RailCheck
from dextrum.tongue import tr


def rail_verdict(check: RailCheck, volts: float) -> str:
    """'up', or 'down' where it is below what it needs."""
    return tr("up") if volts >= check.least_volts else tr("down")


def rail_words(check: RailCheck, volts: float) -> str:
    """'V3V3 at C16.1: 1.20 V, down (up from 3.0 V on)'."""
    verdict = rail_verdict(check, volts)
    return tr("{id} at {point}: {volts:.2f} V, {verdict} (up from {least_volts:g} V on)", id=check.id,
              point=check.point, volts=volts, verdict=verdict, least_volts=check.least_volts)
