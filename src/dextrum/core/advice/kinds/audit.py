"""Looking round what was reworked: parts counted, no bridges, flux off."""

from __future__ import annotations

from dextrum.core.advice.actions import Action
from dextrum.core.advice.kinds.hands import Hands
from dextrum.core.advice.kinds.kind import KindOfAction
from dextrum.core.advice.places import Place
from dextrum.core.diagnosis.board_look import pads_lie_bare
from dextrum.core.diagnosis.heat_reach import looked_round
from dextrum.core.trail import AUDIT_STEPS, PADS, Audit


class AuditRework(KindOfAction):
    word = "audit"
    place = Place.LINE
    with_parts_off = True
    command = "rework.audit"

    def perform(self, hands: Hands, action: Action) -> None:
        part = hands.board.component_by_designator.get(action.target)
        round_it = looked_round(hands.board, hands.advice.model.heat, action.target) | {action.target}
        bare = pads_lie_bare(hands.board, action.target, hands.facts.reworks)
        seen = () if part is None else hands.look_round(part.side, round_it, action.target if bare else "")
        hands.note(Audit((*AUDIT_STEPS, PADS) if bare else AUDIT_STEPS, part=action.target, seen=seen),
                   minutes=action.minutes)
