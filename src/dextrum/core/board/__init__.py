"""The pack model: nets, components, terminals, points, ports, access levels, and how parts fail."""

from dextrum.core.board.draws import CellModel, DrawOutcome, DrawState
from dextrum.core.board.fasteners import Fastener
from dextrum.core.board.faults import UNLISTED_PART, Fault
from dextrum.core.board.kinds import ComponentKind, FaultKind, Method, NetRole, Side
from dextrum.core.board.model import (
    CAPACITANCE_KIND,
    AccessLevel,
    Board,
    CircuitUse,
    Component,
    Contact,
    FailureRate,
    Function,
    Net,
    Point,
    Port,
    Symptom,
    Terminal,
    Trace,
    unknown_net,
)
from dextrum.core.board.procedures import Caution, Kit, KitReading, ProofCheck, RailCheck, RepairRule
from dextrum.core.board.set_ups import SetUp
from dextrum.core.board.sources import FactSource, SourceKind

__all__ = [
    "CAPACITANCE_KIND",
    "UNLISTED_PART",
    "AccessLevel",
    "Board",
    "Caution",
    "CellModel",
    "CircuitUse",
    "Component",
    "ComponentKind",
    "Contact",
    "DrawOutcome",
    "DrawState",
    "FactSource",
    "FailureRate",
    "Fastener",
    "Fault",
    "FaultKind",
    "Function",
    "Kit",
    "KitReading",
    "Method",
    "Net",
    "NetRole",
    "Point",
    "Port",
    "ProofCheck",
    "RailCheck",
    "RepairRule",
    "SetUp",
    "Side",
    "SourceKind",
    "Symptom",
    "Terminal",
    "Trace",
    "unknown_net",
]
