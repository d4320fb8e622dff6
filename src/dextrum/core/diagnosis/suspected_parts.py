"""Parts as suspects: a part is changed as a whole, so what counts is the chance that anything is wrong with it.

Faults of one part can be there together, and their chances then add up to more than the part's: what the sets have of
two or three of them at once is counted once.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from dextrum.core.diagnosis.hypotheses import Hypotheses
from dextrum.core.diagnosis.posterior import FaultSets, Posterior, Suspect, suspect_of

LEAST_PART = 0.004
"""Chance from which a part is a suspect."""
LEAST_WAY = 0.001
"""Chance from which a fault counts among the ways in which its part may be at fault."""
LEAST_NAMED = 0.8
"""Of a part's chance: what its likeliest fault must have for the part to be called by it. Less is one of several."""


@dataclass(frozen=True)
class SuspectedPart:
    """chance: that something is wrong with the part still; lead: its likeliest fault; ways: in how many ways it may be
    at fault; named: whether the likeliest is most of them."""

    part: str
    chance: float
    lead: Suspect
    ways: int
    named: bool


def suspected_parts(posterior: Posterior, most: int = 5) -> tuple[SuspectedPart, ...]:
    """The parts that most likely have had something wrong, likeliest first; ties keep the board's order. A part that
    was repaired keeps its place, with the chance that something is wrong with it all the same."""
    hypotheses = posterior.hypotheses
    names, part_of_fault = hypotheses.parts
    if not names:
        return ()
    had, left = _had(posterior), chance_by_part(posterior)
    listed = np.bincount(part_of_fault, hypotheses.listed, len(names)) > 0
    found = []
    for k in np.argsort(-np.where(listed, had, 0.0), kind="stable")[:most].tolist():
        if had[k] < LEAST_PART or not listed[k]:
            break
        own = np.flatnonzero(part_of_fault == k)
        chances = posterior.faults[own]
        lead, ways = int(chances.argmax()), int((chances >= LEAST_WAY).sum())
        named = ways < 2 or float(chances[lead]) >= LEAST_NAMED * float(chances.sum())
        found.append(SuspectedPart(names[k], left[names[k]], suspect_of(posterior, int(own[lead])), ways, named))
    return tuple(found)


def chance_by_part(posterior: Posterior) -> dict[str, float]:
    """Chance that something is wrong with each part still."""
    names, part_of_fault = posterior.hypotheses.parts
    if posterior.ways is None:
        chance = _had(posterior)
    else:
        sets = posterior.remaining_sets()
        chance = np.bincount(part_of_fault, posterior.faults_left, len(names)) - _together(posterior.hypotheses, sets)
    return dict(zip(names, np.clip(chance, 0.0, 1.0).tolist(), strict=True))


def _had(posterior: Posterior) -> np.ndarray:
    """Chance that something was wrong with each part, (P,): of all pairs, but that several of one part go together only
    as far as the listed sets say."""
    names, part_of_fault = posterior.hypotheses.parts
    together = posterior.covered * _together(posterior.hypotheses, posterior.sets)
    return np.clip(np.bincount(part_of_fault, posterior.faults, len(names)) - together, 0.0, 1.0)


def _together(hypotheses: Hypotheses, sets: FaultSets) -> np.ndarray:
    """What the chances of each part's faults have too much for those of the sets that hold several of them, (P,)."""
    names, part_of_fault = hypotheses.parts
    none = len(names)
    of_row = np.append(np.append(part_of_fault, none)[hypotheses.fault_of_row], none)
    of = np.sort(of_row[sets.rows], axis=1)
    again: np.ndarray = (of[:, 1:] == of[:, :-1]) & (of[:, 1:] < none)
    found = np.zeros(none)
    np.add.at(found, of[:, 1:][again], np.broadcast_to(sets.weight[:, None], again.shape)[again])
    return found
