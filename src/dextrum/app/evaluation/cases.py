"""Units that come to the bench: faults drawn from the pack's priors, with what the owner says and what is seen."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from dextrum.core.advice.advice_model import AdviceModel
from dextrum.core.board import Fault
from dextrum.core.diagnosis.fault_pairs import share_of_rows
from dextrum.core.diagnosis.hypotheses import FIRST_FAULT_ROW
from dextrum.core.looks import Look
from dextrum.instruments.decided_unit import DecidedUnit
from dextrum.instruments.simulated_board import METER_M1, SimulatedMeter
from dextrum.instruments.simulated_look import look_at_port

NO_FAULT_SHARE = 0.06
"""Units with nothing wrong: the owner's supply or dock is bad, or the cell was flat."""
BAD_GEAR_SHARE = 0.04
"""Of faulty units, those whose owner also has a bad supply."""
UNLISTED_SHARE = 0.05
MISMATCH_SPREAD, MISMATCH_TOUCH, MISMATCH_PRIORS = 1.5, 0.05, 3.0


@dataclass(frozen=True)
class Case:
    """A unit as it comes in. present: what the owner says; look: what is seen in the port."""

    unit: DecidedUnit
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
        unit = DecidedUnit(board, faults, generator, spread, unlisted,
                           (advice.model.hypotheses, advice.model.broken))
        present = set(unit.symptoms())
        if (healthy or generator.random() < BAD_GEAR_SHARE) and "no_charge" in board.symptom_by_id:
            present.add("no_charge")
        if present and (healthy or is_unlisted or unit.harmful()):
            break
    return Case(unit, meter, tuple(s.id for s in board.symptoms if s.id in present),
                look_at_port(board, unit, generator), is_unlisted)
