"""Looking round what was reworked: parts counted, no bridges, flux off."""

from __future__ import annotations

from dextrum.core.advice.actions import Action
from dextrum.core.advice.kinds.hands import Hands
from dextrum.core.advice.kinds.kind import KindOfAction
from dextrum.core.advice.places import Place
from dextrum.core.trail import AUDIT_STEPS, Audit


class AuditRework(KindOfAction):
    word = "audit"
    place = Place.LINE
    with_parts_off = True
    command = "rework.audit"

    def perform(self, hands: Hands, action: Action) -> None:
        hands.note(Audit(AUDIT_STEPS), minutes=action.minutes)
