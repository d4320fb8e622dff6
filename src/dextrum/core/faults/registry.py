"""Every kind of fault there is; a test finds a word of packs that has no class here."""

from __future__ import annotations

from dextrum.core.board.faults import Fault
from dextrum.core.board.kinds import FaultKind
from dextrum.core.board.model import Board
from dextrum.core.circuit.edit import Edit
from dextrum.core.circuit.network import Circuit
from dextrum.core.faults.blown_fuse import BlownFuse
from dextrum.core.faults.bridged_pins import BridgedPins
from dextrum.core.faults.bridged_windings import BridgedWindings
from dextrum.core.faults.broken_trace import BrokenTrace
from dextrum.core.faults.crossed_contacts import CrossedContacts
from dextrum.core.faults.hard_short import HardShort
from dextrum.core.faults.kind import KindOfFault
from dextrum.core.faults.leaky_part import LeakyPart
from dextrum.core.faults.lifted_joint import LiftedJoint
from dextrum.core.faults.missing_part import MissingPart
from dextrum.core.faults.open_contact import OpenContact
from dextrum.core.faults.open_winding import OpenWinding
from dextrum.core.faults.partial_short import PartialShort
from dextrum.core.faults.quiet_failure import QuietFailure
from dextrum.core.faults.shell_contact import ShellContact
from dextrum.core.faults.torn_pad import TornPad
from dextrum.core.faults.turned_part import TurnedPart
from dextrum.core.faults.wrong_part import WrongPart

EVERY: tuple[type[KindOfFault], ...] = (
    OpenContact,
    LiftedJoint,
    CrossedContacts,
    ShellContact,
    BlownFuse,
    OpenWinding,
    BridgedWindings,
    HardShort,
    PartialShort,
    LeakyPart,
    MissingPart,
    BrokenTrace,
    QuietFailure,
    BridgedPins,
    TornPad,
    WrongPart,
    TurnedPart,
)
KINDS: dict[FaultKind, KindOfFault] = {kind.word: kind() for kind in EVERY}


def edit_for(board: Board, circuit: Circuit, fault: Fault, ohms: float = 0.0, new_node: int = 0) -> Edit:
    """The edit of one size of a fault. new_node: how many new nodes earlier edits already took."""
    return KINDS[fault.kind].edit(board, circuit, fault, ohms, len(circuit.nodes) + new_node)
