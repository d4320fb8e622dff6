"""What time and parts cost in this shop. Currency is the shop's own."""

from __future__ import annotations

from dataclasses import dataclass

from dextrum.core.board import Method, Point
from dextrum.core.board.bounds import require


@dataclass(frozen=True)
class ShopRates:
    """labour in currency per minute; the rest in minutes. touch_minutes: finding one point on the board and reading it;
    contact_minutes: the next contact of a port, in a walk along it. farads_minutes: what a reading of capacitance takes
    beyond that: the dial, what is left in it let out, some seconds of charging. replug_minutes: the cell in for power,
    and out again.

    waiting_share: of a minute of waiting, what it costs in labour while other jobs fit in. charge_floor_share: of the
    cell's capacity, what a unit must hold before it goes back.
    """

    labour_per_minute: float = 0.8
    touch_minutes: float = 0.4
    contact_minutes: float = 0.08
    farads_minutes: float = 0.3
    look_minutes: float = 1.0
    board_look_minutes: float = 2.5
    supply_minutes: float = 1.5
    recheck_minutes: float = 6.0
    wire_minutes: float = 18.0
    look_share: float = 0.04
    cell_swap_minutes: float = 6.0
    replug_minutes: float = 2.0
    waiting_share: float = 0.06
    charge_floor_share: float = 0.6

    def walk_minutes(self, contacts: int, elsewhere: int) -> float:
        """Of reading so many contacts of a port one after the other, and so many points elsewhere on the board."""
        return contacts * self.contact_minutes + elsewhere * self.touch_minutes

    def reading_minutes(self, point: Point) -> float:
        """Of finding one point on the board and reading it by its own method."""
        return self.touch_minutes + (self.farads_minutes if point.default_method is Method.CAPACITANCE else 0.0)

    def __post_init__(self) -> None:
        for name in ("labour_per_minute", "touch_minutes", "contact_minutes", "farads_minutes", "look_minutes",
                     "board_look_minutes", "supply_minutes", "cell_swap_minutes", "replug_minutes", "recheck_minutes",
                     "wire_minutes"):
            require(getattr(self, name), 0.001, 1000.0, name)
        require(self.waiting_share, 0.0, 1.0, "waiting_share")
        require(self.charge_floor_share, 0.0, 0.99, "charge_floor_share")
