"""Known-good readings of healthy loaners, made by the simulated board: every point, every meter, one seed."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from dextrum.core.board import Board
from dextrum.core.reference.known_good import KnownGoodReading
from dextrum.instruments.simulated_board import METER_M1, METER_M2, SimulatedBoard, SimulatedMeter

LOANER_SEED = 417
LOANER_SERIALS = ("SLS-0101", "SLS-0102", "SLS-0107", "SLS-0113", "SLS-0120", "SLS-0131")
TAKEN_ON = "2026-01-19"


def known_good_of_loaners(board: Board, serials: Sequence[str] = LOANER_SERIALS, seed: int = LOANER_SEED,
                          meters: Sequence[SimulatedMeter] = (METER_M1, METER_M2),
                          taken_on: str = TAKEN_ON) -> tuple[KnownGoodReading, ...]:
    """One reading of each point by its default method, for every serial and meter. Same seed, same readings."""
    generator = np.random.default_rng(seed)
    found = []
    for serial in serials:
        unit = SimulatedBoard(board, (), generator)
        for meter in meters:
            for point in board.points:
                method = point.default_method
                found.append(KnownGoodReading(serial, point.id, method, meter.name,
                                              unit.read(point.id, method, meter), 21.0, taken_on))
    return tuple(found)
