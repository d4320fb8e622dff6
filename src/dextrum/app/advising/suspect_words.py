"""The suspects beyond their list: how a part can be at fault, and where the rest of the chance lies."""

from __future__ import annotations

from typing import TYPE_CHECKING

from dextrum.core.advice.wording import percent
from dextrum.tongue import tr

if TYPE_CHECKING:
    from dextrum.app.supply.draws import DrawAssessment
    from dextrum.core.diagnosis.posterior import Posterior, Suspect

LEAST_MODE, MOST_MODES = 0.001, 6
"""Chance from which a way of being at fault is named, and how many are."""
LEAST_COUNTED = 0.005
"""Chance from which a fault that isn't shown is counted."""


def one_for_each_part(suspects: tuple[Suspect, ...], most: int) -> tuple[Suspect, ...]:
    """The likeliest fault of each part, in order."""
    found: dict[str, Suspect] = {}
    for suspect in suspects:
        found.setdefault(suspect.fault.part, suspect)
    return tuple(found.values())[:most]


def mode_words(posterior: Posterior, part: str) -> tuple[str, ...]:
    """The ways in which a part can be at fault, likeliest first, each with its chance; empty where there is one."""
    from dextrum.core.diagnosis.posterior import suspect_of

    seen = [suspect_of(posterior, index) for index, fault in enumerate(posterior.hypotheses.faults)
            if fault.part == part]
    modes = sorted(((one.still if one.mended else one.probability, one.fault) for one in seen),
                   key=lambda one: -one[0])
    modes = [(chance, fault) for chance, fault in modes if chance >= LEAST_MODE]
    if len(modes) < 2:
        return ()
    named = [f"{percent(chance)} {fault.words}" for chance, fault in modes[:MOST_MODES]]
    left = len(modes) - MOST_MODES
    return (*named, tr("and {left} more, up to {percent} each", left=left,
                       percent=percent(modes[MOST_MODES][0]))) if left > 0 else tuple(named)


def rest_words(posterior: Posterior, shown: frozenset[str], draws: DrawAssessment) -> str:
    """That faults can be there together, and what of the chance is in none of the lines that are shown. shown: parts.

    The chance that any of the faults left out is there is at most the sum of theirs (Boole's inequality).
    """
    left = [chance for fault, chance in zip(posterior.hypotheses.faults, posterior.faults_left.tolist(), strict=True)
            if fault.part not in shown]
    counted = sum(chance >= LEAST_COUNTED for chance in left)
    words = [tr("Faults can be there together, so the chances need not add up to 100 %.")]
    if counted:
        words.append(tr("Not shown: {counted} more, {percent} together at most.", counted=counted,
                        percent=percent(min(1.0, sum(left)))))
    doubt = draws.doubt
    if doubt is not None:
        words.append(tr("A flat cell would draw the same: {percent}.", percent=percent(doubt.doubt.healthy)))
    return " ".join(words)
