"""How often parts fail in this shop, learned from its own closed jobs.

The pack says how often each part fails beside the others; the shop's rate of a part is that times a factor. The factor
is believed to be one as if BELIEVED repairs of that part had been expected and seen; given c repairs where the pack
would have expected e, its posterior mean is (BELIEVED + c) / (BELIEVED + e), by the Gamma prior of a Poisson rate:
A. Gelman et al., Bayesian Data Analysis (2013), section 2.6.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from dextrum.core.assumptions.repairs import BELIEVED, EARLIER, LEARNED_LEAST, LEARNED_MOST
from dextrum.core.board import Board
from dextrum.core.faults.listing import enumerate_faults
from dextrum.core.job import job_facts
from dextrum.core.trail import Entry


def parts_at_fault(trail: Iterable[Entry]) -> dict[str, float]:
    """Which parts a closed job shows to have been at fault, each with its weight; none where the unit was not repaired
    and proved."""
    facts = job_facts(tuple(trail))
    proofs = facts.proofs or {}
    if facts.outcome is None or facts.outcome.result != "repaired" or not proofs \
            or not all(p.passed for p in proofs.values()):
        return {}
    mended = [rework for _, rework in facts.reworks if rework.action != "clean"]
    found: dict[str, float] = {}
    for k, rework in enumerate(mended):
        weight = 1.0 if k == len(mended) - 1 else EARLIER
        found[rework.part] = max(found.get(rework.part, 0.0), weight)
    return found


def learned_factors(board: Board, jobs: Iterable[Mapping[str, float]]) -> dict[str, float]:
    """Factor on the pack's rate of each part that can fail, from what closed jobs show."""
    share: dict[str, float] = {}
    for fault in enumerate_faults(board):
        share[fault.part] = share.get(fault.part, 0.0) + fault.weight
    total = sum(share.values())
    seen: dict[str, float] = {}
    for job in jobs:
        for part, weight in job.items():
            if part in share:
                seen[part] = seen.get(part, 0.0) + weight
    count = sum(seen.values())
    if not count or not total:
        return {}
    factors = {part: (BELIEVED + seen.get(part, 0.0)) / (BELIEVED + count * own / total) for part, own in share.items()}
    return {part: min(max(factor, LEARNED_LEAST), LEARNED_MOST) for part, factor in factors.items()}
