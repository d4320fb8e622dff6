"""What is still to be done on a job as steps of a plan: measuring, the repair, the proof, with the waits between."""

from __future__ import annotations

from datetime import datetime
from functools import lru_cache

import numpy as np

from dextrum.app.outlook.outlooks import JobOutlook
from dextrum.core.advice.actions import Action
from dextrum.core.advice.kinds.registry import kind_of
from dextrum.core.advice.places import Place
from dextrum.core.assumptions.shop import NO_PACK_MINUTES
from dextrum.core.outlook.rest_of_job import span
from dextrum.core.planning.steps import Step
from dextrum.core.reference.warm import COOLING
from dextrum.core.trail import local_time
from dextrum.tongue import tr

HOT, METER, DOCK = tr("hot air"), "meter", "dock"
CHARGING, POWER_METER = tr("charging shelf"), tr("power meter")
KNOWN_GOOD = tr("known-good cell")
PLACES = {CHARGING: 4, POWER_METER: 1, DOCK: 1, KNOWN_GOOD: 1}
LIKELY_NEEDED, SURELY_NEEDED = 0.5, 0.8
"""Chance that a repair is needed from which the plan holds time for it; and that it is this part, from which it is
named."""
MOST_KEPT = 400
"""Jobs whose steps are kept from plan to plan."""
LEAST_STEP = 2.0
"""Minutes: what is shorter goes with what comes next."""
LEAST_WAIT = 5.0
HAND_BACK_MINUTES = 10.0
"""Closing a unit that goes back as it came, and its sheet."""


@lru_cache(maxsize=MOST_KEPT)
def steps_of(job: JobOutlook) -> tuple[Step, ...]:
    """In order; one step of looking at it where the job has no pack."""
    facts = job.facts
    if facts.outcome is not None:
        return ()
    if facts.quote_answer is not None and facts.quote_answer.answer == "declined":
        return (Step(tr("Hand it back: the quote was declined"), HAND_BACK_MINUTES),)
    if job.done is None or job.rest is None or job.model is None:
        return (Step(tr("Look at it: no board pack"), NO_PACK_MINUTES, setup=METER),)
    action = job.done.advice.next
    board = job.model.model.board
    hands = max(span(job.rest.hands)[1], action.minutes if not kind_of(action).waits else 0.0, 1.0)
    waiting = float(np.median(job.rest.waiting))
    proof = min(hands, sum(c.minutes for c in board.checks if c.id not in (facts.proofs or {})))
    cell = cells_held(job) if action.kind != "repair" else ()
    found: list[Step] = []
    if kind_of(action).waits and facts.wait is None:
        found.append(Step(action.title, 1.0, action.minutes, METER, (*_kept_busy(action), *cell)))
        waiting = max(0.0, waiting - action.minutes)
    repair = _repair_minutes(job)
    heats = repair > 0.0
    repair = min(repair, max(0.0, hands - proof))
    cooling = COOLING.total_seconds() / 60.0 if heats else 0.0
    charging = waiting - cooling if waiting - cooling >= LEAST_WAIT else 0.0
    measuring = max(0.0, hands - proof - repair)
    repairing = [Step(_repair_words(job, action), repair, cooling, HOT, whole=True)] if heats else []
    if action.kind == "repair":
        found += repairing
    if measuring >= LEAST_STEP or not (repair or proof):
        found.append(
            Step(
                tr("Measure again") if action.kind == "repair" else _words(action, tr("Measure")),
                measuring,
                0.0,
                METER,
                cell,
            )
        )
    if action.kind != "repair":
        found += repairing
    # Before heat the unit's own cell and the known-good one come out.
    cell = () if heats else cell
    if proof > 0.0:
        if charging:
            found.append(Step(tr("Leave it to charge"), 1.0, charging, "", (CHARGING, *cell)))
        found.append(Step(tr("Prove it"), proof, 0.0, DOCK, (DOCK, *cell)))
    return tuple(found)


def cells_held(job: JobOutlook) -> tuple[str, ...]:
    """The known-good cell, where it is in the unit, or goes in next."""
    in_next = job.done is not None and job.done.advice.next.kind == "swap_cell"
    return (KNOWN_GOOD,) if job.facts.cell == "known_good" or in_next else ()


def _kept_busy(action: Action) -> tuple[str, ...]:
    """What a wait keeps busy: a unit that charges has a place on the shelf, a draw that is watched the power meter."""
    if kind_of(action).place is Place.SUPPLY and action.kind == "wait_draw":
        return (POWER_METER,)
    return (CHARGING,) if action.kind in ("wait_charge", "wait") else ()


def _repair_minutes(job: JobOutlook) -> float:
    """Of the likeliest repair, where one is likely to be needed at all."""
    assert job.rest is not None and job.done is not None and job.model is not None
    action = job.done.advice.next
    if action.kind == "repair":
        return action.minutes
    chances = job.rest.chance_of_part()
    if not chances or sum(chances.values()) < LIKELY_NEEDED:
        return 0.0
    part = next(iter(chances))
    return next((o.minutes for o in job.model.repairs.options if o.part == part and o.action == "replace"), 0.0)


def _repair_words(job: JobOutlook, action: Action) -> str:
    assert job.rest is not None
    if action.kind == "repair":
        return action.title
    chances = job.rest.chance_of_part()
    part, chance = next(iter(chances.items()))
    return tr("Replace {part}", part=part) if chance > SURELY_NEEDED else tr("Repair (perhaps {part})", part=part)


def _words(action: Action, usual: str) -> str:
    return action.title if not kind_of(action).waits and action.kind not in ("repair", "prove") else usual


@lru_cache(maxsize=MOST_KEPT)
def spread_of(job: JobOutlook) -> np.ndarray:
    """What hands may take over what is planned, to draw from; nothing for a job that was not played."""
    if job.rest is None or not job.rest.plays:
        return np.zeros(0)
    middle = max(span(job.rest.hands)[1], 1.0)
    return np.asarray(np.clip(job.rest.hands / middle, 0.05, 8.0))


def waits_until(job: JobOutlook) -> datetime | None:
    """The wall clock time until which the job waits, if it does and it is said; None for none."""
    wait = job.facts.wait
    return local_time(wait.until) if wait is not None and wait.until and not job.facts.wait_is_over else None


def waits_for(job: JobOutlook) -> str:
    """What the job waits for without a time: the owner's answer, or what was written down; empty where hands can go
    on."""
    return "" if job.facts.wait is not None and job.facts.wait.until else job.facts.waits_for
