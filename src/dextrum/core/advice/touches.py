"""Points that were touched once and not again, so that what they read may be a slip of the hand."""

from __future__ import annotations

import numpy as np

from dextrum.core.advice.weighing import Weighing
from dextrum.core.diagnosis.evidence import EvidenceItem, agree, faults_mended


def single_touches(weighing: Weighing) -> frozenset[str]:
    """Points read at a single touch since the last repair, with what is off the board off as now. A touch before a
    repair that has no part in what the point reads bears the one after it out."""
    facts = weighing.facts
    readings = [item for item in weighing.evidence.items if item.kind == "reading" and item.isolated == facts.isolated]
    once = [item for item in readings if item.touches == 1 and item.epoch == facts.epoch]
    return frozenset(item.subject for item in once if not any(
        _bears_out(weighing, earlier, item) for earlier in readings))


def _bears_out(weighing: Weighing, earlier: EvidenceItem, item: EvidenceItem) -> bool:
    """Whether an earlier reading of the same point read the same, and no repair since has part in what it reads."""
    if (earlier.subject, earlier.method) != (item.subject, item.method) or earlier.epoch >= item.epoch \
            or not agree(earlier.value, item.value):
        return False
    advice = weighing.advice
    place = advice.outcomes.place.get(item.subject)
    mended = frozenset(fault for epoch, rework in weighing.facts.reworks if earlier.epoch < epoch <= item.epoch
                       for fault in faults_mended(advice.model, rework))
    return place is not None and not bool(np.any(advice.sizes[place, advice.model.hypotheses.rows_mended(mended)]))
