"""The checks of the proof that have not passed yet."""

from __future__ import annotations

from dextrum.core.advice.actions import Action
from dextrum.core.advice.kinds.hands import Hands
from dextrum.core.advice.kinds.kind import KindOfAction
from dextrum.core.advice.places import Place
from dextrum.core.board import Board
from dextrum.core.safety.activities import Activity, power_of_check


class Prove(KindOfAction):
    word = "prove"
    place = Place.PROOF

    def activities(self, board: Board, target: str) -> frozenset[Activity]:
        return power_of_check(board, target)

    def perform(self, hands: Hands, action: Action) -> None:
        passed = {check for check, proof in (hands.facts.proofs or {}).items() if proof.passed}
        hands.prove([check.id for check in hands.board.checks if check.id not in passed])
