"""What a step or an entry does to the unit, as far as safety goes: power, the cell, heat, current, probes."""

from __future__ import annotations

from enum import StrEnum

from dextrum.core.board import Board, ComponentKind


class Activity(StrEnum):
    """power: something is plugged in, or the unit is tried. running: it is tried for more than moments. cell: a cell
    goes in. readings: probes on the unpowered board. heat: iron or hot air. injection: current from a bench supply into
    a rail."""

    POWER = "supply"
    RUNNING = "running"
    CELL = "cell"
    READINGS = "readings"
    HEAT = "rework"
    INJECTION = "injection"


NONE: frozenset[Activity] = frozenset()


def is_powered(board: Board, check: str) -> bool:
    """Whether a check of the proof has the unit running or charging; one the pack doesn't know is taken as if."""
    return next((c.powered for c in board.checks if c.id == check), True)


def unplugs(board: Board, address: str) -> bool:
    """Whether a part, or the part of a pin, is a connector."""
    part = board.component_by_designator.get(address.partition(".")[0])
    return part is not None and part.kind is ComponentKind.CONNECTOR


def power_of_check(board: Board, check: str) -> frozenset[Activity]:
    """What trying a check does: most have the unit running."""
    return frozenset({Activity.POWER, Activity.RUNNING}) if is_powered(board, check) else NONE
