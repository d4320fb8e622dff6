"""Whether forecasts of the rest of a job hold: jobs of the simulated world played to their end, and forecast on the
way.

At intake, once the port was scanned and after the first repair the quick policy says how many minutes of hands are
left; its 80 % intervals should hold four in five of what hands then took. Where it is asked for, each forecast is also
made by playing the whole advice, and the two are compared.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import asdict, dataclass
from time import perf_counter

import numpy as np

from dextrum.app.advising.assess import assess
from dextrum.app.evaluation.cases import world_case
from dextrum.app.evaluation.players import MOST_STEPS, CaseTechnician
from dextrum.app.outlook.full_play import played_through
from dextrum.app.outlook.outlook import outlook_of_trail
from dextrum.core.advice.advice_model import AdviceModel
from dextrum.core.advice.kinds.registry import kind_of
from dextrum.core.outlook.rest_of_job import RestOfJob, span
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
    good_was: mean chance of a good end, and the share of good ends. seconds: median time of one forecast. whole: plays
    by the whole advice of each, 0 where none were asked for; whole_middle: median of the quick middle over theirs;
    whole_off: median share by which it is off either way; whole_good_off: mean difference of the chances of a good
    end."""

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
    whole: int = 0
    whole_middle: float = 1.0
    whole_off: float = 0.0
    whole_good_off: float = 0.0

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
                    progress: Callable[[int, int], None] = lambda _done, _of: None, world: World = DEFAULT,
                    whole: int = 0) -> tuple[OutlookResult, ...]:
    """Forecasts of so many jobs of a world against what they took. A second or two a job; whole: plays of each forecast
    by the whole advice as well, some seconds a play."""
    found: dict[str, list[tuple[float, ...]]] = {stage: [] for stage in STAGES}
    for number in range(jobs):
        job = played_job(advice, number, seed, world)
        for mark in job.marks:
            began = perf_counter()
            done, rest = outlook_of_trail(advice, job.trail[:mark.entries])
            seconds = perf_counter() - began
            apart = _apart(rest, played_through(advice, job.trail[:mark.entries], done, whole, lambda _share: True)) \
                if whole else (1.0, 0.0)
            left, (low, middle, high) = job.hands - mark.hands, span(rest.hands)
            found[mark.stage].append((left, low, middle, high, rest.chance_good, float(job.good), seconds, *apart))
        progress(number + 1, jobs)
    return tuple(_result(stage, np.array(rows), whole) for stage, rows in found.items() if rows)


def _apart(quick: RestOfJob, whole: RestOfJob) -> tuple[float, float]:
    """The quick policy's middle over that of plays by the whole advice, and how far the chances of a good end
    differ."""
    return ((span(quick.hands)[1] + 1.0) / (span(whole.hands)[1] + 1.0), abs(quick.chance_good - whole.chance_good))


def _result(stage: str, rows: np.ndarray, whole: int) -> OutlookResult:
    left, low, middle, high, said, was, seconds, ratio, good_off = rows.T
    return OutlookResult(stage, len(rows), float(((left >= low) & (left <= high)).mean()), float((left < low).mean()),
                         float((left > high).mean()), float(np.median((left + 1.0) / (middle + 1.0))),
                         float(np.median(high - low)), float(said.mean()), float(was.mean()),
                         float(np.median(seconds)), whole, float(np.median(ratio)),
                         float(np.median(np.abs(ratio - 1.0))), float(good_off.mean()))
