"""Every kind of action there is. Those that compete by their cost come first; of equal cost the earlier wins."""

from __future__ import annotations

from dextrum.core.advice.actions import Action
from dextrum.core.advice.kinds.assemble import Assemble
from dextrum.core.advice.kinds.audit import AuditRework
from dextrum.core.advice.kinds.cause import NameCause
from dextrum.core.advice.kinds.clean import Clean
from dextrum.core.advice.kinds.cool import Cool
from dextrum.core.advice.kinds.count_round import CountRound
from dextrum.core.advice.kinds.done import Done
from dextrum.core.advice.kinds.give_up import GiveUp
from dextrum.core.advice.kinds.grow_pack import GrowPack
from dextrum.core.advice.kinds.hand_over import HandOver
from dextrum.core.advice.kinds.inject import Inject
from dextrum.core.advice.kinds.isolate import TakeOff
from dextrum.core.advice.kinds.kind import KindOfAction
from dextrum.core.advice.kinds.look import Look
from dextrum.core.advice.kinds.look_board import LookBoard
from dextrum.core.advice.kinds.make_safe import MakeSafe
from dextrum.core.advice.kinds.measure import Measure
from dextrum.core.advice.kinds.prove import Prove
from dextrum.core.advice.kinds.put_back import PutBack
from dextrum.core.advice.kinds.rail import ReadRail
from dextrum.core.advice.kinds.recheck import Recheck
from dextrum.core.advice.kinds.repair import Repair
from dextrum.core.advice.kinds.scan import Scan
from dextrum.core.advice.kinds.supply import ReadSupply
from dextrum.core.advice.kinds.swap_cell import SwapCell
from dextrum.core.advice.kinds.try_check import TryCheck
from dextrum.core.advice.kinds.unplug_cell import UnplugCell
from dextrum.core.advice.kinds.wait import WaitOn
from dextrum.core.advice.kinds.wait_charge import WaitCharge
from dextrum.core.advice.kinds.wait_draw import WaitDraw
from dextrum.core.board import Board
from dextrum.core.safety.activities import Activity

EVERY: tuple[type[KindOfAction], ...] = (
    Scan,
    ReadSupply,
    TryCheck,
    ReadRail,
    WaitDraw,
    SwapCell,
    LookBoard,
    Measure,
    Repair,
    TakeOff,
    Inject,
    GiveUp,
    Look,
    Clean,
    MakeSafe,
    UnplugCell,
    CountRound,
    AuditRework,
    Cool,
    NameCause,
    Recheck,
    PutBack,
    Assemble,
    WaitOn,
    WaitCharge,
    Prove,
    HandOver,
    Done,
    GrowPack,
)
KINDS: dict[str, KindOfAction] = {kind.word: kind() for kind in EVERY}


def kind_of(action: Action) -> KindOfAction:
    """The kind of an action. Raises KeyError for a word that no kind has."""
    return KINDS[action.kind]


def activities_of_action(board: Board, action: Action) -> frozenset[Activity]:
    """What an advised action does to the unit."""
    return kind_of(action).activities(board, action.target)
