"""Units that come to the bench: faults drawn from the pack's priors, with what the owner says and what is seen."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from dextrum.app.bench.simulated_technician import HarmedUnit, Meter
from dextrum.core.advice.advice_model import AdviceModel
from dextrum.core.board import UNLISTED_PART, Board, Fault
from dextrum.core.diagnosis.fault_pairs import share_of_rows
from dextrum.core.diagnosis.hypotheses import FIRST_FAULT_ROW
from dextrum.core.looks import WASHES_OFF
from dextrum.core.trail import Look
from dextrum.instruments.decided_unit import DecidedUnit
from dextrum.instruments.simulated_board import METER_M1
from dextrum.instruments.simulated_look import look_at_port
from dextrum.world.arrivals import Arrival, arrival, listed_arrival
from dextrum.world.numbers import World

NO_FAULT_SHARE = 0.06
"""Units with nothing wrong: the owner's supply or dock is bad, or the cell was flat."""
BAD_GEAR_SHARE = 0.04
"""Of faulty units, those whose owner also has a bad supply."""
UNLISTED_SHARE = 0.05
MOST_TRIES = 1_000
"""Units drawn until one shows what an owner would bring it in for; of a pack without symptoms the last is taken."""
MISMATCH_SPREAD, MISMATCH_TOUCH, MISMATCH_PRIORS = 1.5, 0.05, 3.0


@dataclass(frozen=True)
class Case:
    """A unit as it comes in. present: what the owner says; look_port: what is seen in the port, as it comes or cleaned;
    ever_faulty: parts that are, or have been, at fault."""

    unit: HarmedUnit
    meter: Meter
    present: tuple[str, ...]
    look_port: Callable[[bool], Look]
    unlisted: bool
    ever_faulty: Callable[[], set[str]]
    name: str = ""

    @property
    def look(self) -> Look:
        return self.look_port(False)


def washed(look: Look) -> Look:
    """What is seen in a port once it has been cleaned."""
    left = tuple(f for f in look.findings if f not in WASHES_OFF)
    return replace(look, findings=left or ("clean",))


@dataclass(frozen=True)
class ListedCase:
    """One case of a file: fault ids with ohms (None to draw them), what the owner says, what is seen in the port (None
    to draw it), and the condition of the cell (empty to draw it)."""

    name: str
    faults: tuple[tuple[str, float | None], ...]
    present: tuple[str, ...]
    look: Look | None = None
    cell: str = ""
    bad_gear: tuple[str, ...] = ()


def _of_arrival(came: Arrival, name: str, look: Look | None = None) -> Case:
    unit = came.unit

    def look_port(cleaned: bool) -> Look:
        if look is None:
            return unit.look_port(cleaned)
        return washed(look) if cleaned else look

    return Case(unit, came.meter, came.present, look_port, bool(unit.unlisted), lambda: unit.ever_faulty, name)


def world_case(world: World, board: Board, number: int, seed: int) -> Case:
    """Case `number` of a seed in a world of its own."""
    return _of_arrival(arrival(world, board, number, seed), str(number))


def case_of_list(world: World, board: Board, listed: ListedCase, number: int, seed: int) -> Case:
    """A case of a file in a world; number tells its repetitions apart."""
    came = listed_arrival(world, board, listed.faults, listed.present, listed.cell, bool(listed.bad_gear),
                          (seed, number))
    return _of_arrival(came, listed.name, listed.look)


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
    healthy = not is_unlisted and (generator.random() < NO_FAULT_SHARE or not advice.model.hypotheses.faults)
    for _ in range(MOST_TRIES):
        unlisted: tuple[str, ...] = ()
        faults: list[tuple[Fault, float]] = []
        if is_unlisted:
            leaves = [f.id for f in board.functions if not f.functions]
            unlisted = (str(generator.choice(leaves)),)
        elif not healthy:
            faults = _draw_faults(advice, generator, tilt)
        unit = DecidedUnit(board, faults, generator, spread, unlisted)
        present = set(unit.symptoms())
        if (healthy or generator.random() < BAD_GEAR_SHARE) and "no_charge" in board.symptom_by_id:
            present.add("no_charge")
        if present and (healthy or is_unlisted or unit.harmful()):
            break
    look = look_at_port(board, unit, generator)
    began = {fault.part for fault, _ in unit.faults} | ({UNLISTED_PART} if is_unlisted else set())
    return Case(unit, meter, tuple(s.id for s in board.symptoms if s.id in present),
                lambda cleaned: washed(look) if cleaned else look, is_unlisted, lambda: began, str(number))
