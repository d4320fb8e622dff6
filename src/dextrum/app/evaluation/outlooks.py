"""Whether forecasts of the rest of a job hold: jobs of the simulated world played to their end, and forecast on the
way.

At intake, once the port was scanned and after the first repair the quick policy says how many minutes of hands are
left; its 80 % intervals should hold four in five of what hands then took.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import asdict, dataclass
from time import perf_counter

import numpy as np

from dextrum.app.advising.assess import assess
from dextrum.app.evaluation.cases import world_case
from dextrum.app.evaluation.players import MOST_STEPS, CaseTechnician
from dextrum.app.outlook.outlook import outlook_of_trail
from dextrum.core.advice.advice_model import AdviceModel
from dextrum.core.advice.kinds.registry import kind_of
from dextrum.core.outlook.rest_of_job import span
from dextrum.core.trail import Entry
from dextrum.world.numbers import DEFAULT, World

STAGES = ("at intake", "after the port scan", "after the first repair")
ENDS = ("hand_over", "give_up", "grow_pack", "done")


@dataclass(frozen=True)
class Mark:
    """A moment of a played job: how much of its trail there was, and hands' minutes by then."""

    stage: str
    entries: int
    hands: float


@dataclass(frozen=True)
class PlayedJob:
    trail: tuple[Entry, ...]
    marks: tuple[Mark, ...]
    hands: float
    good: bool


@dataclass(frozen=True)
class OutlookResult:
    """Of one stage. held: share of jobs whose hands lay in the 80 % interval; below, above: shares outside. middle:
    median of what hands took over what was forecast. wide: median width of the interval in minutes. good_said,
    good_was: mean chance of a good end, and the share of good ends. seconds: median time of one forecast."""

    stage: str
    jobs: int
    held: float
    below: float
    above: float
    middle: float
    wide: float
    good_said: float
    good_was: float
    seconds: float

    def as_json(self) -> dict[str, object]:
        return asdict(self)


def played_job(advice: AdviceModel, number: int, seed: int, world: World = DEFAULT) -> PlayedJob:
    """One job of a world by the whole advice."""
    technician = CaseTechnician(advice, world_case(world, advice.model.board, number, seed))
    marks, hands, ended = [Mark(STAGES[0], len(technician.trail), 0.0)], 0.0, ""
    for _ in range(MOST_STEPS):
        action = assess(advice, tuple(technician.trail), explain=False).advice.next
        if action.kind in ENDS:
            ended = action.kind
            break
        before = technician.now
        technician.do(action)
        if not kind_of(action).waits:
            hands += (technician.now - before).total_seconds() / 60.0
        for kind, stage in (("scan", STAGES[1]), ("repair", STAGES[2])):
            if action.kind == kind and all(mark.stage != stage for mark in marks):
                marks.append(Mark(stage, len(technician.trail), hands))
    return PlayedJob(tuple(technician.trail), tuple(marks), hands, ended in ("hand_over", "done"))


def outlook_results(advice: AdviceModel, jobs: int, seed: int,
                    progress: Callable[[int, int], None] = lambda _done, _of: None) -> tuple[OutlookResult, ...]:
    """Forecasts of so many jobs against what they took. A second or two a job."""
    found: dict[str, list[tuple[float, ...]]] = {stage: [] for stage in STAGES}
    for number in range(jobs):
        job = played_job(advice, number, seed)
        for mark in job.marks:
            began = perf_counter()
            _, rest = outlook_of_trail(advice, job.trail[:mark.entries])
            seconds = perf_counter() - began
            left, (low, middle, high) = job.hands - mark.hands, span(rest.hands)
            found[mark.stage].append((left, low, middle, high, rest.chance_good, float(job.good), seconds))
        progress(number + 1, jobs)
    return tuple(_result(stage, np.array(rows)) for stage, rows in found.items() if rows)


def _result(stage: str, rows: np.ndarray) -> OutlookResult:
    left, low, middle, high, said, was, seconds = rows.T
    return OutlookResult(stage, len(rows), float(((left >= low) & (left <= high)).mean()), float((left < low).mean()),
                         float((left > high).mean()), float(np.median((left + 1.0) / (middle + 1.0))),
                         float(np.median(high - low)), float(said.mean()), float(was.mean()),
                         float(np.median(seconds)))
