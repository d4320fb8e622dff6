"""What donors still hold: for each part the chance that it is good, and what taking it off takes."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Literal

from dextrum.core.advice.repairs import deeper, lifting
from dextrum.core.board import Board, Component
from dextrum.core.job import JobFacts
from dextrum.tongue import tr

IN_JOB = {"replace": tr("replaced in its job"), "reflow": tr("reflowed in its job")}
"""What is to be known of a donor's part that was worked on, by what was done last."""


@dataclass(frozen=True)
class DonorPart:
    """One part of a given-up unit. good: chance, by that job's posterior and readings, or as it was measured once it
    was off. minutes: to take it off, opening included. promised: serial of the job it is promised to. words: what is to
    be known of it. kept: whether it was taken off already and lies in the drawer."""

    serial: str
    job_id: str
    pack_id: str
    part: str
    purpose: str
    good: float
    minutes: float
    promised: str
    words: str
    measured: Literal["good", "bad", "unmeasured"] = "unmeasured"
    kept: bool = False


def donor_name(serial: str) -> str:
    """As a rework names where its part came from."""
    return tr("donor {serial}", serial=serial)


MEASURED_GOOD = 0.99
"""Chance that a part is good that was measured by itself and read so: what a chip does no reading shows."""


def takes_off(board: Board, part: Component) -> float | None:
    """Minutes to take a part off that is not put back; None for what nobody takes off."""
    how = lifting(board, part)
    if how is not None:
        return how[0]
    rule = next((r for r in board.repair_rules if r.kind is part.kind and r.action == "replace"), None)
    return rule.minutes / 2 if rule is not None else None


def parts_of_donor(board: Board, job_id: str, facts: JobFacts, at_fault: Mapping[str, float]) -> tuple[DonorPart, ...]:
    """What can still be taken off a donor, dearest first. at_fault: chance of each part by the job's last weighing; a
    part that nobody could suspect counts as good as parts are.

    A part that was fitted in this very job is no worse for it; one beside something heated may have been hurt, which
    the posterior knows. Taken parts are left out, but those that lie in the drawer and were not found bad.
    """
    seen, found = facts.parts_seen, []
    worked_on = {rework.part: rework.action for _, rework in facts.reworks}
    for part in board.components:
        minutes = takes_off(board, part)
        if minutes is None or part.undescribed or part.price <= 0.0:
            continue
        taken = (facts.taken or {}).get(part.designator)
        if taken is not None and (taken.to or taken.state == "bad"):
            continue
        if part.designator in facts.isolated or seen.get(part.designator) == "missing":
            continue
        good = 1.0 - min(1.0, max(0.0, at_fault.get(part.designator, 0.0)))
        words = seen.get(part.designator, "") or IN_JOB.get(worked_on.get(part.designator, ""), "")
        state: Literal["good", "bad", "unmeasured"] = "unmeasured"
        if taken is not None:
            state, minutes = taken.state, 0.0
            good = MEASURED_GOOD if state == "good" else good
        access = deeper(board, board.access_levels[-1].id if board.access_levels else "", part.side)
        promised = (facts.promised or {}).get(part.designator)
        found.append((part.price, DonorPart(
            facts.serial, job_id, board.pack_id, part.designator, part.purpose, good,
            minutes + (board.minutes_to(access, facts.access) if taken is None else 0.0),
            promised.to if promised is not None else "", words, state, taken is not None)))
    return tuple(part for _, part in sorted(found, key=lambda pair: (-pair[0], pair[1].part)))


def donors_for(parts: Iterable[DonorPart], places: Iterable[str], serial: str = "") -> tuple[DonorPart, ...]:
    """Donors' parts for one place, the best first: not promised to another job, likeliest to be good, quickest off.
    places: 'pack:designator' of what fits, see `fits_of`. serial: of the job that asks."""
    wanted = frozenset(places)
    own = [p for p in parts if f"{p.pack_id}:{p.part}" in wanted]
    return tuple(sorted(own, key=lambda p: (p.promised not in ("", serial), -round(p.good, 2), p.minutes, p.serial)))
