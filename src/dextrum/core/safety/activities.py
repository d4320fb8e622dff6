"""What a step or an entry does to the unit, as far as safety goes: power, the cell, heat, current, probes."""

from __future__ import annotations

from enum import StrEnum

from dextrum.core.board import Board, ComponentKind
from dextrum.core.looks import Swap
from dextrum.core.trail import (
    HOT_ACTIONS,
    Cell,
    DrawTrace,
    Injection,
    Isolation,
    Payload,
    Proof,
    RailVolts,
    Readings,
    Rework,
    Supply,
)


class Activity(StrEnum):
    """power: something is plugged in, or the unit is tried. cell: a cell goes in. readings: probes on the unpowered
    board. heat: iron or hot air. injection: current from a bench supply into a rail."""

    POWER = "supply"
    CELL = "cell"
    READINGS = "readings"
    HEAT = "rework"
    INJECTION = "injection"


NONE: frozenset[Activity] = frozenset()
OF_ACTION = {
    "supply": frozenset({Activity.POWER}), "wait_draw": frozenset({Activity.POWER}),
    "wait_charge": frozenset({Activity.POWER}), "swap_cell": frozenset({Activity.POWER, Activity.CELL}),
    "rail": frozenset({Activity.POWER}), "inject": frozenset({Activity.INJECTION}),
    "repair": frozenset({Activity.HEAT}),
}
"""By kind of action; tries and loads depend on what they are tried on. Readings say in their own words that the cell
comes out first, which is part of their minutes."""


def is_powered(board: Board, check: str) -> bool:
    """Whether a check of the proof has the unit running or charging; one the pack doesn't know is taken as if."""
    return next((c.powered for c in board.checks if c.id == check), True)


def unplugs(board: Board, address: str) -> bool:
    """Whether a part, or the part of a pin, is a connector."""
    part = board.component_by_designator.get(address.partition(".")[0])
    return part is not None and part.kind is ComponentKind.CONNECTOR


def activities_of_action(board: Board, kind: str, target: str) -> frozenset[Activity]:
    """What an advised action does."""
    if kind in ("try", "prove"):
        return frozenset({Activity.POWER}) if is_powered(board, target) else NONE
    if kind == "isolate":
        return NONE if unplugs(board, target) else frozenset({Activity.HEAT})
    return OF_ACTION.get(kind, NONE)


def activities_of(board: Board, payload: Payload) -> frozenset[Activity]:
    """What was done to have something to write down."""
    match payload:
        case Supply() | DrawTrace() | RailVolts() | Swap():
            return frozenset({Activity.POWER})
        case Proof():
            return frozenset({Activity.POWER}) if is_powered(board, payload.check) else NONE
        case Cell():
            return NONE if payload.state == "unplugged" else frozenset({Activity.CELL})
        case Readings():
            return frozenset({Activity.READINGS})
        case Isolation():
            if payload.state == "back" or all(unplugs(board, part) for part in payload.parts):
                return frozenset({Activity.READINGS})
            return frozenset({Activity.HEAT})
        case Injection():
            return frozenset({Activity.INJECTION})
        case Rework():
            return frozenset({Activity.HEAT}) if payload.action in HOT_ACTIONS else NONE
        case _:
            return NONE
