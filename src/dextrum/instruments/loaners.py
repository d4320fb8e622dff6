"""Known-good readings of healthy loaners, made by the simulated board: every point, every meter, one seed."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from dextrum.core.board import CAPACITANCE_KIND, Board
from dextrum.core.reference.known_good import KnownGoodReading
from dextrum.instruments.simulated_board import METER_M1, METER_M2, SimulatedBoard, SimulatedMeter

LOANER_SEED = 417
LOANER_SERIALS = ("SLS-0101", "SLS-0102", "SLS-0107", "SLS-0113", "SLS-0120", "SLS-0131")
TAKEN_ON = "2026-01-19"
LATER_KINDS = (frozenset({"to_ground", "of_value"}), frozenset({CAPACITANCE_KIND}))
"""Kinds of the points at which a rail is read in ohms to ground, and a resistor across its ends; and of capacitance."""


def known_good_of_loaners(board: Board, serials: Sequence[str] = LOANER_SERIALS, seed: int = LOANER_SEED,
                          meters: Sequence[SimulatedMeter] = (METER_M1, METER_M2),
                          taken_on: str = TAKEN_ON) -> tuple[KnownGoodReading, ...]:
    """One reading of each point by its default method, for every serial and meter. Same seed, same readings.

    Points of `LATER_KINDS` are read in further rounds, after all else: one more of them leaves every other
    reading as it was.
    """
    generator = np.random.default_rng(seed)
    units = []
    read: dict[tuple[str, str, str], float] = {}

    def round_of(serial: str, unit: SimulatedBoard, number: int) -> None:
        for meter in meters:
            for point in board.points:
                if number == next((k for k, kinds in enumerate(LATER_KINDS, start=1) if point.kind in kinds), 0):
                    read[serial, meter.name, point.id] = unit.read(point.id, point.default_method, meter)

    for serial in serials:
        units.append(SimulatedBoard(board, (), generator))
        round_of(serial, units[-1], 0)
    for number in range(1, len(LATER_KINDS) + 1):
        for serial, unit in zip(serials, units, strict=True):
            round_of(serial, unit, number)
    return tuple(KnownGoodReading(serial, point.id, point.default_method, meter.name,
                                  read[serial, meter.name, point.id], 21.0, taken_on)
                 for serial in serials for meter in meters for point in board.points)
