"""Ending a job as a donor: what the unit is worth is lost. What can't be mended at all makes it cheaper."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from dextrum.core.advice.actions import Action
from dextrum.core.advice.on_ground import held_by_ground
from dextrum.core.advice.weighing import Weighing
from dextrum.core.advice.wording import percent
from dextrum.core.assumptions.planning import BEYOND_REPAIR
from dextrum.core.board.kinds import FEED_ROLES
from dextrum.core.job import JobFacts
from dextrum.tongue import tr

ENDINGS = ("give_up", "grow_pack")
"""Kinds of step that leave a unit unmended: what may tell more comes before either."""
LEAST_WORKING = 0.01
"""Chance that a repaired unit works all the same, from which it is tried before it is written off: some minutes beside
the hour that it has had, and the whole unit to lose."""


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


def tried_before_the_end(weighing: Weighing, candidates: Sequence[Action]) -> Action | None:
    """One trial after a repair, where nothing has been tried since and the unit is about to be written off for a part
    that can't be mended: not all that is broken does harm, and a unit that works is not given up. The check that most
    likely fails tells most. None where a rail is on ground, where it hardly works, and where no check is."""
    board, facts = weighing.board, weighing.facts
    tried = {check.id for check in board.checks if check.functions} & (facts.proofs or {}).keys()
    held = {board.net_by_name[board.net_of_point[point]].role for point in held_by_ground(weighing)}
    if not facts.epoch or tried or held & FEED_ROLES or weighing.nothing < LEAST_WORKING:
        return None
    tries = [action for action in candidates if action.kind == "try" and ("try", action.target) in weighing.joints]
    if not tries:
        return None
    found = max(tries, key=lambda action: float(weighing.joints["try", action.target][1].sum()))
    return replace(found, why=tr("Nothing was tried since the repair: before it is written off, see what it does."))


def unproved(seen: JobFacts) -> bool:
    """Whether nothing has been seen to fail since the last repair: then it is put together and proved, not given up."""
    return bool(seen.epoch) and all(proof.passed for proof in (seen.proofs or {}).values())
