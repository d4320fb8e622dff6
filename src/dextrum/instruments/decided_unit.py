"""A simulated unit that is dead or alive for good, so that draw, proofs and symptoms agree."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from dextrum.core.board import Board, Fault
from dextrum.instruments.simulated_board import SimulatedBoard


class DecidedUnit(SimulatedBoard):
    """A unit of which every fault breaks what it breaks for good: decided once, by one number a fault.

    unlisted: functions that something the pack doesn't know has broken.
    """

    def __init__(self, board: Board, faults: Sequence[tuple[Fault, float]], generator: np.random.Generator,
                 spread: float = 1.0, unlisted: tuple[str, ...] = ()) -> None:
        super().__init__(board, faults, generator, spread)
        self.hurt: list[str] = []  # in the world as modelled, heat hurts nothing
        self.threshold = {fault.id: float(generator.uniform()) for fault, _ in self.faults}
        self._breaks: dict[tuple[str, float], np.ndarray] = {}
        self.unlisted = unlisted
        lost = set(unlisted)
        while more := {f.id for f in board.functions if f.id not in lost and set(f.functions) & lost}:
            lost |= more
        self._needing_unlisted = [k for k, f in enumerate(board.functions) if f.id in lost]

    def broken_by(self, fault: Fault, ohms: float) -> np.ndarray:
        """Which functions the fault breaks, (functions,) of 0 and 1."""
        if (fault.id, ohms) not in self._breaks:
            self._breaks[fault.id, ohms] = np.asarray(
                self._chances_broken(fault, ohms) > self.threshold[fault.id], dtype=float)
        return self._breaks[fault.id, ohms]

    def _broken_now(self) -> np.ndarray:
        broken = np.zeros(len(self._breaking.every))
        for fault, ohms in self.faults:
            broken = np.maximum(broken, self.broken_by(fault, ohms))
        broken[self._needing_unlisted] = 1.0
        return broken[None, :]

    def harmful(self) -> tuple[Fault, ...]:
        """Faults that break something the device must do."""
        return tuple(fault for fault, ohms in self.faults if self.broken_by(fault, ohms).any())
