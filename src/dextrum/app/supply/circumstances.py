"""How a unit was plugged in while its draw was recorded."""

from __future__ import annotations

from dataclasses import asdict, dataclass

from dextrum.core.trail import Gear


@dataclass(frozen=True)
class DrawCircumstances:
    """How it was plugged in: what goes into the entry beside the numbers."""

    orientation: str = "a"
    switched: str = ""
    position: str = "resting"
    supply_class: str = ""
    gear: tuple[Gear, ...] = ()
    supply_proved: bool = True

    def as_kept(self) -> dict[str, object]:
        """As a live log's first line keeps it."""
        return asdict(self)
