"""Units that come to the bench: faults drawn from the pack's priors, with what the owner says and what is seen."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from dextrum.core.advice.weighing import AdviceModel
from dextrum.core.board import Board, ComponentKind, Fault, FaultKind
from dextrum.core.diagnosis.fault_pairs import share_of_rows
from dextrum.core.diagnosis.hypotheses import FIRST_FAULT_ROW, Hypotheses
from dextrum.core.diagnosis.model import DiagnosisModel
from dextrum.core.trail import Look
from dextrum.instruments.simulated_board import METER_M1, SimulatedBoard, SimulatedMeter

NO_FAULT_SHARE = 0.06
"""Units with nothing wrong: the owner's supply or dock is bad, or the cell was flat."""
BAD_GEAR_SHARE = 0.04
"""Of faulty units, those whose owner also has a bad supply."""
UNLISTED_SHARE = 0.05
MISMATCH_SPREAD, MISMATCH_TOUCH, MISMATCH_PRIORS = 1.5, 0.05, 3.0
CLEAN_CHANCE = {FaultKind.OPEN_CONTACT: 0.55, FaultKind.CROSSED_CONTACTS: 0.2, FaultKind.SHELL_CONTACT: 0.35,
                FaultKind.LIFTED_JOINT: 0.8}
SEEN_AS = {FaultKind.OPEN_CONTACT: "bent", FaultKind.CROSSED_CONTACTS: "crossed", FaultKind.SHELL_CONTACT: "bent",
           FaultKind.LIFTED_JOINT: "loose"}


class EvaluatedUnit(SimulatedBoard):
    """A unit of which every fault breaks what it breaks for good: decided once, by one number a fault.

    model: what its faults break is the same for all units of a board. unlisted: functions that something the pack
    doesn't know has broken.
    """

    def __init__(self, model: DiagnosisModel, faults: Sequence[tuple[Fault, float]], generator: np.random.Generator,
                 spread: float = 1.0, unlisted: tuple[str, ...] = ()) -> None:
        super().__init__(model.board, faults, generator, spread)
        self.model = model
        self.threshold = {fault.id: float(generator.uniform()) for fault, _ in self.faults}
        self._breaks: dict[tuple[str, float], np.ndarray] = {}
        self.unlisted = unlisted
        lost = set(unlisted)
        while more := {f.id for f in model.board.functions if f.id not in lost and set(f.functions) & lost}:
            lost |= more
        self._needing_unlisted = [k for k, f in enumerate(model.board.functions) if f.id in lost]

    @property
    def _hypotheses(self) -> Hypotheses:
        return self.model.hypotheses

    @property
    def _broken(self) -> np.ndarray:
        return self.model.broken

    def broken_by(self, fault: Fault, ohms: float) -> np.ndarray:
        """Which functions the fault breaks, (functions,) of 0 and 1."""
        if (fault.id, ohms) not in self._breaks:
            rows = [r for r in range(FIRST_FAULT_ROW, self._hypotheses.count)
                    if self._hypotheses.faults[int(self._hypotheses.fault_of_row[r])].id == fault.id]
            nearest = min(rows, key=lambda r: abs(np.log((self._hypotheses.ohms[r] + 0.01) / (ohms + 0.01))))
            self._breaks[fault.id, ohms] = np.asarray(self._broken[nearest] > self.threshold[fault.id], dtype=float)
        return self._breaks[fault.id, ohms]

    def _broken_now(self) -> np.ndarray:
        broken = np.zeros(self._broken.shape[1])
        for fault, ohms in self.faults:
            broken = np.maximum(broken, self.broken_by(fault, ohms))
        broken[self._needing_unlisted] = 1.0
        return broken[None, :]

    def harmful(self) -> tuple[Fault, ...]:
        """Faults that break something the device must do."""
        return tuple(fault for fault, ohms in self.faults if self.broken_by(fault, ohms).any())


@dataclass(frozen=True)
class Case:
    """A unit as it comes in. present: what the owner says; look: what is seen in the port."""

    unit: EvaluatedUnit
    meter: SimulatedMeter
    present: tuple[str, ...]
    look: Look
    unlisted: bool


def _draw_faults(advice: AdviceModel, generator: np.random.Generator,
                 log_tilt: np.ndarray) -> list[tuple[Fault, float]]:
    model = advice.model
    hypotheses, pairs = model.hypotheses, model.pairs
    # What no pack lists is drawn by itself, in the mismatched world.
    share = np.where(hypotheses.unlisted, -np.inf, share_of_rows(hypotheses) + log_tilt)
    count = 1 + int(generator.choice(3, p=(1 - model.board.share_of_two - model.board.share_of_three,
                                           model.board.share_of_two, model.board.share_of_three)))
    rows: list[int] = []
    for _ in range(count):
        weight = share.copy()
        for row in rows:
            # As the pairs' prior has it: collateral, and what can't be there together.
            with np.errstate(invalid="ignore"):
                weight = weight + pairs.log_prior[row] - share_of_rows(hypotheses)
        weight = np.where(np.isfinite(weight), weight, -np.inf)
        chance = np.exp(weight - weight.max())
        rows.append(int(generator.choice(len(chance), p=chance / chance.sum())))
    return [(hypotheses.faults[int(hypotheses.fault_of_row[r])], float(hypotheses.ohms[r])) for r in rows]


def _look(board: Board, unit: EvaluatedUnit, generator: np.random.Generator) -> Look:
    found: list[str] = []
    contacts: list[str] = []
    for fault, _ in unit.faults:
        part = board.component_by_designator.get(fault.part)
        if part is None or part.kind is not ComponentKind.RECEPTACLE:
            continue
        if generator.random() > CLEAN_CHANCE.get(fault.kind, 0.85) and fault.kind in SEEN_AS:
            found.append(SEEN_AS[fault.kind])
            contacts += fault.terminals
    if not found:
        return Look(("clean",))
    return Look(tuple(dict.fromkeys(found)), tuple(dict.fromkeys(contacts)) if found != ["loose"] else ())


def draw_case(advice: AdviceModel, number: int, seed: int, mismatch: bool = False) -> Case:
    """Case `number` of a seed; the same each time, and independent of the other numbers."""
    generator = np.random.default_rng((seed, number))
    board = advice.model.board
    tilt = np.zeros(advice.model.hypotheses.count)
    meter = METER_M1
    spread = 1.0
    if mismatch:
        of = advice.model.hypotheses.fault_of_row
        # The world's priors are wrong the same way for all cases of a seed.
        world = np.random.default_rng(seed)
        by_fault = world.uniform(-np.log(MISMATCH_PRIORS), np.log(MISMATCH_PRIORS), len(advice.model.hypotheses.faults))
        tilt[FIRST_FAULT_ROW:] = by_fault[of[FIRST_FAULT_ROW:]]
        meter = replace(METER_M1, gain=1.008, offset_volts=0.004, bad_touch=MISMATCH_TOUCH)
        spread = MISMATCH_SPREAD
    is_unlisted = mismatch and generator.random() < UNLISTED_SHARE
    healthy = not is_unlisted and generator.random() < NO_FAULT_SHARE
    while True:
        unlisted: tuple[str, ...] = ()
        faults: list[tuple[Fault, float]] = []
        if is_unlisted:
            leaves = [f.id for f in board.functions if not f.functions]
            unlisted = (str(generator.choice(leaves)),)
        elif not healthy:
            faults = _draw_faults(advice, generator, tilt)
        unit = EvaluatedUnit(advice.model, faults, generator, spread, unlisted)
        present = set(unit.symptoms())
        if (healthy or generator.random() < BAD_GEAR_SHARE) and "no_charge" in board.symptom_by_id:
            present.add("no_charge")
        if present and (healthy or is_unlisted or unit.harmful()):
            break
    return Case(unit, meter, tuple(s.id for s in board.symptoms if s.id in present), _look(board, unit, generator),
                is_unlisted)
