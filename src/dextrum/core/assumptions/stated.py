"""What a pack or a shop states in place of what is assumed: the one what is its board's, the other what is its own.

The rest of what is assumed is how the method reckons, or was counted nowhere, and is nobody's to change. A statement is
held to the range of its assumption. Where both state the same, the shop's counts: it has the board on its bench.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING

from dextrum.core.assumptions import breaking, looks, planning, readings, repairs, trials
from dextrum.core.assumptions.assumption import ASSUMPTIONS, Assumption
from dextrum.tongue import tr

if TYPE_CHECKING:
    from dextrum.core.board import Board

DEFINED_IN = (breaking, looks, planning, readings, repairs, trials)
"""Modules whose reading takes down what is assumed."""
OF_THE_BOARD = ("trace_weight", "breaks_one", "feed_spared", "port_collateral", "feeder_collateral", "odd_draw",
                "odd_part", "other_make", "check_slips", "rail_slips")
"""What a pack may state: how its board fails, scatters and behaves when it is tried."""
OF_THE_SHOP = ("wrong_point", "check_slips", "rail_slips", "swap_slips", "repair_fails", "dead_again", "new_part_fails",
               "heat_hurts", "inject_minutes.camera", "inject_minutes.spray", "inject_minutes.alcohol", "inject_risk",
               "rail_setup_minutes", "safe_minutes", "clean_minutes", "audit_minutes", "unplug_minutes",
               "search_minutes", "good_chip")
"""What a shop may state: what its hands and gear do, how its repairs go, and how long they take."""


def assumption_of(name: str) -> Assumption:
    """The assumption that a name stands for; 'inject_minutes.camera' is one number of several. Raises KeyError."""
    return ASSUMPTIONS[name.partition(".")[0]]


def assumed_of(name: str) -> float:
    """What is assumed where nobody states it. Raises KeyError."""
    value, key = assumption_of(name).value, name.partition(".")[2]
    if isinstance(value, Mapping):
        return float(value[key])
    if key or isinstance(value, tuple):
        raise KeyError(name)
    return float(value)


def as_stated(board: Board, name: str) -> float:
    """The number that counts on this board."""
    stated = board.assumed.get(name)
    return assumed_of(name) if stated is None else stated


def trouble_with(name: str, value: float, may: tuple[str, ...]) -> str:
    """Why this can't be stated, in words; empty where it can."""
    if name not in may:
        return tr("{name} is not among what can be stated here: {names}", name=name, names=", ".join(may))
    of = assumption_of(name)
    if not of.low <= value <= of.high:
        return tr("{name} is {value:g} {unit}; it lies between {low:g} and {high:g}", name=name, value=value,
                  unit=of.unit, low=of.low, high=of.high)
    return ""


def with_shop(board: Board, stated: Mapping[str, float]) -> dict[str, float]:
    """What counts on a board: the pack's statements, and over them the shop's."""
    return {**board.assumed, **stated}
