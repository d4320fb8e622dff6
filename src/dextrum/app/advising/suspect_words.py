"""The suspects beyond their list: how a part can be at fault, and where the rest of the chance lies."""

from __future__ import annotations

from typing import TYPE_CHECKING

from dextrum.core.advice.wording import fault_words, part_words, percent
from dextrum.tongue import tr

if TYPE_CHECKING:
    from dextrum.app.supply.draws import DrawAssessment
    from dextrum.core.board import Board
    from dextrum.core.diagnosis.posterior import Posterior
    from dextrum.core.diagnosis.suspected_parts import SuspectedPart

MOST_MODES = 6
"""Ways of being at fault that are named."""
LEAST_COUNTED = 0.005
"""Chance from which a fault that isn't shown is counted."""


def suspect_words(board: Board | None, one: SuspectedPart) -> str:
    """What is wrong with a suspected part: by its likeliest fault where that is most of it, else in how many ways it
    may be at fault, since one of them beside the chance of all would say too much. board: None for short words."""
    fault = one.lead.fault
    if one.named:
        return fault.words if board is None else fault_words(board, fault)
    ways = tr("one of {count} faults", count=one.ways)
    return ways if board is None else f"{part_words(board, one.part)}: {ways}"


def mode_words(posterior: Posterior, part: str) -> tuple[str, ...]:
    """The ways in which a part can be at fault, likeliest first, each with its chance; empty where there is one."""
    from dextrum.core.diagnosis.posterior import suspect_of
    from dextrum.core.diagnosis.suspected_parts import LEAST_WAY

    seen = [suspect_of(posterior, index) for index, fault in enumerate(posterior.hypotheses.faults)
            if fault.part == part]
    modes = sorted(((one.still if one.mended else one.probability, one.fault) for one in seen),
                   key=lambda one: -one[0])
    modes = [(chance, fault) for chance, fault in modes if chance >= LEAST_WAY]
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
