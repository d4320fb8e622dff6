"""Ending a job as a donor: what the unit is worth is lost. What can't be mended at all makes it cheaper."""

from __future__ import annotations

from dextrum.core.advice.actions import Action
from dextrum.core.advice.weighing import Weighing
from dextrum.core.advice.wording import percent
from dextrum.core.assumptions.planning import BEYOND_REPAIR
from dextrum.core.job import JobFacts
from dextrum.tongue import tr

ENDINGS = ("give_up", "grow_pack")
"""Kinds of step that leave a unit unmended: what may tell more comes before either."""


def giving_up(weighing: Weighing, looked: bool) -> list[Action]:
    """Nothing for a pack that names no parts. looked: whether the port was read whole and the rails were seen; before
    that, nothing is called unexplained."""
    if not weighing.advice.model.hypotheses.faults:
        return []
    value = weighing.board.unit_value - weighing.board.donor_value
    beyond = weighing.beyond_repair
    if not looked:
        beyond -= weighing.unexplained
    expected = value if beyond > BEYOND_REPAIR else weighing.give_up
    if any(part.undescribed for part in weighing.board.components):
        # What is beyond repair is what nobody has described: that is a reason to describe it, and none to give up.
        return [Action("grow_pack", weighing.part_beyond_repair[0], tr("Describe more of this board"), "",
                       tr("What is wrong is likely behind the port ({percent}), and the pack doesn't say what lies "
                          "there. Until it does, measure and note as you would without it.",
                          percent=percent(beyond)), 0.0, value, expected)]
    why = (tr("What is wrong cannot be repaired here ({percent} likely).",
              percent=percent(beyond)) if beyond > BEYOND_REPAIR
           else tr("Writes off the unit (donor value: {donor_value:.0f}).", donor_value=weighing.board.donor_value))
    return [Action("give_up", "", tr("Write it off, kept for parts"), "", why, 0.0, value, expected)]


def unproved(seen: JobFacts) -> bool:
    """Whether nothing has been seen to fail since the last repair: then it is put together and proved, not given up."""
    return bool(seen.epoch) and all(proof.passed for proof in (seen.proofs or {}).values())
