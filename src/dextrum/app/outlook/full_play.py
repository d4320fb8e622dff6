"""The rest of one job played by the whole advice, on units drawn from what is known of this one. A second a play."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime
from functools import partial

import numpy as np

from dextrum.app.advising.assess import Assessment, assess
from dextrum.app.bench.simulated_technician import SimulatedTechnician
from dextrum.core.advice.actions import Action
from dextrum.core.advice.advice_model import AdviceModel
from dextrum.core.advice.kinds.registry import kind_of
from dextrum.core.board import Fault
from dextrum.core.diagnosis.hypotheses import FIRST_FAULT_ROW, NO_ROW, SOMETHING_ELSE_ROW
from dextrum.core.outlook.rest_of_job import RestOfJob
from dextrum.core.reference.warm import COOLING
from dextrum.core.trail import Entry, Isolation
from dextrum.instruments.decided_unit import DecidedUnit
from dextrum.instruments.simulated_board import METER_M1

MOST_STEPS = 70
ENDS = {"hand_over": True, "done": True, "give_up": False, "grow_pack": False}
"""What ends a play, and whether the unit then works."""


class PlayedOn(SimulatedTechnician):
    """Goes on with a job where its trail ends, with hands' minutes and waiting apart."""

    def __init__(self, advice: AdviceModel, unit: DecidedUnit, trail: tuple[Entry, ...], start: datetime) -> None:
        super().__init__(advice, unit, METER_M1, "played", start, COOLING)
        self.trail = list(trail)
        self.hands, self.waiting = 0.0, 0.0
        self.fitted: dict[str, int] = {}
        self.ended = "never"

    def do(self, action: Action) -> None:
        before, waited = self.now, self.waiting
        super().do(action)
        spent = (self.now - before).total_seconds() / 60.0 - (self.waiting - waited)
        if kind_of(action).waits:
            self.waiting += spent
        else:
            self.hands += spent

    def cool_down(self) -> None:
        super().cool_down()
        self.waiting += self.cooling.total_seconds() / 60.0

    def mend(self, part: str, action: str) -> None:
        super().mend(part, action)
        if action == "replace":
            self.fitted[part] = self.fitted.get(part, 0) + 1


def _unit_of(advice: AdviceModel, done: Assessment, generator: np.random.Generator) -> DecidedUnit:
    """A unit as this one may be: with a set of faults drawn from what is left of the posterior."""
    remains, hypotheses = done.posterior.what_remains, advice.model.hypotheses
    weight = remains.weight / remains.weight.sum()
    rows = remains.rows[int(generator.choice(len(weight), p=weight))]
    faults: list[tuple[Fault, float]] = [
        (hypotheses.faults[int(hypotheses.fault_of_row[r])], float(hypotheses.ohms[r]))
        for r in rows if r != NO_ROW and r >= FIRST_FAULT_ROW and not hypotheses.unlisted[r]]
    board = advice.model.board
    leaves = [f.id for f in board.functions if not f.functions]
    unlisted = (str(generator.choice(leaves)),) if leaves and SOMETHING_ELSE_ROW in rows else ()
    unit = DecidedUnit(board, faults, generator, 1.0, unlisted)
    off = sorted(done.facts.isolated)
    if off:
        unit.isolate(Isolation(tuple(off), "off"))
    return unit


def play_on(advice: AdviceModel, trail: tuple[Entry, ...], done: Assessment, generator: np.random.Generator,
            stopped: Callable[[], bool] = lambda: False) -> PlayedOn | None:
    """One play to its end, which stands in `ended`; None where it was stopped."""
    start = max(entry.at for entry in trail)
    technician = PlayedOn(advice, _unit_of(advice, done, generator), trail, start)
    for _ in range(MOST_STEPS):
        if stopped():
            return None
        action = assess(advice, tuple(technician.trail), explain=False, now=technician.now).advice.next
        technician.ended = action.kind
        if action.kind in ENDS:
            break
        technician.do(action)
    return technician


def rest_of_plays(advice: AdviceModel, plays: list[PlayedOn]) -> RestOfJob:
    """Plays by the whole advice, side by side as those of the quick policy are."""
    options = advice.repairs.options
    names = tuple(dict.fromkeys(o.part for o in options if o.action == "replace"))
    prices = np.array([next(o.price for o in options if o.part == name and o.action == "replace") for name in names])
    fitted = np.array([[float(play.fitted.get(name, 0)) for name in names] for play in plays]).reshape(
        len(plays), len(names))
    return RestOfJob(np.array([p.hands for p in plays]), np.array([p.waiting for p in plays]),
                     np.array([ENDS.get(p.ended, False) for p in plays]), names, fitted, prices, True)


def played_through(advice: AdviceModel, trail: tuple[Entry, ...], done: Assessment, count: int,
                   told: Callable[[float], bool]) -> RestOfJob:
    """So many plays, or as many as were done when `told` said to stop."""
    generator, plays = np.random.default_rng(len(trail)), list[PlayedOn]()
    for k in range(count):
        play = play_on(advice, trail, done, generator, partial(_stopped, told, k / count))
        if play is None:
            break
        plays.append(play)
    return rest_of_plays(advice, plays)


def _stopped(told: Callable[[float], bool], share: float) -> bool:
    return not told(share)
