"""What is seen in the port of a simulated unit, under magnification."""

from __future__ import annotations

import numpy as np

from dextrum.core.board import Board, ComponentKind, FaultKind
from dextrum.core.trail import Look
from dextrum.instruments.simulated_board import SimulatedBoard

CLEAN_CHANCE = {FaultKind.OPEN_CONTACT: 0.55, FaultKind.CROSSED_CONTACTS: 0.2, FaultKind.SHELL_CONTACT: 0.35,
                FaultKind.LIFTED_JOINT: 0.8}
SEEN_AS = {FaultKind.OPEN_CONTACT: "bent", FaultKind.CROSSED_CONTACTS: "crossed", FaultKind.SHELL_CONTACT: "bent",
           FaultKind.LIFTED_JOINT: "loose"}


def look_at_port(board: Board, unit: SimulatedBoard, generator: np.random.Generator) -> Look:
    """What shows of its faults, drawn once."""
    found: list[str] = []
    contacts: list[str] = []
    for fault, _ in unit.faults:
        part = board.component_by_designator.get(fault.part)
        if part is None or part.kind is not ComponentKind.RECEPTACLE:
            continue
        if generator.random() > CLEAN_CHANCE.get(fault.kind, 0.85) and fault.kind in SEEN_AS:
            found.append(SEEN_AS[fault.kind])
            contacts += fault.terminals
    if not found:
        return Look(("clean",))
    return Look(tuple(dict.fromkeys(found)), tuple(dict.fromkeys(contacts)) if found != ["loose"] else ())
