"""Which audits by measuring a job still asks for, before power goes on."""

from __future__ import annotations

from collections.abc import Iterable

from dextrum.core.advice.advice_model import AdviceModel
from dextrum.core.job import JobFacts
from dextrum.core.rework.audit import AuditWalk, audit_walk
from dextrum.core.trail import HOT_ACTIONS


def audits_due(advice: AdviceModel, seen: JobFacts, due: Iterable[str], explain: bool = False) -> tuple[AuditWalk, ...]:
    """Of every part that was heated, in order; none with parts off, and none once power has been on since. due: points
    that are read anyhow; what one audit asks for counts as due for the next. explain: with the parts round it."""
    if seen.isolated or seen.proofs or any(seen.drawn(way) for way in "ab"):
        return ()
    readings = [(epoch, point) for (epoch, point, _), r in (seen.readings or {}).items()
                if (r.entry_id, point) not in seen.set_aside]
    found: list[AuditWalk] = []
    read_anyhow = list(due)
    planned = {one.part: one.recipe for one in (seen.rework_plan.repairs if seen.rework_plan is not None else ())}
    for since, rework in seen.reworks:
        if rework.action in HOT_ACTIONS:
            taken = {point for epoch, point in readings if epoch >= since}
            found.append(audit_walk(advice.model, advice.outcomes, rework.part, taken, read_anyhow, seen.access,
                                    explain, rework.action, planned.get(rework.part, ""), advice.rates))
            read_anyhow += found[-1].points
    return tuple(found)
