"""Voltage injected into a shorted rail: how warm each part gets, and what is seen of it.

Of several shorts on one rail the lowest takes nearly all of the current, so a set of faults shows what that one shows.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from dextrum.core.assumptions.looks import (
    ELSE_WARMS,
    FALSE_WARMTH,
    METAL_OHMS,
    NEAR_MM,
    NEXT_PART,
    RAIL_OHMS,
    RIGHT_PART,
    SEEN_AT_MOST,
    SEEN_WATTS,
)
from dextrum.core.circuit.edit import Edit
from dextrum.core.circuit.network import GROUND, Circuit
from dextrum.core.diagnosis.hypotheses import FIRST_FAULT_ROW, SOMETHING_ELSE_ROW

if TYPE_CHECKING:
    from dextrum.core.diagnosis.model import DiagnosisModel


def rail_group(model: DiagnosisModel, net: str) -> frozenset[int]:
    """Nodes joined to a net through less than an ohm, with what is isolated off."""
    return nodes_on_rail(model.circuit, model.base_edit, net)


def nodes_on_rail(circuit: Circuit, edit: Edit, net: str) -> frozenset[int]:
    """Nodes joined to a net through less than an ohm, with what the edit cuts; empty for a net that isn't there."""
    start = circuit.address_node.get(f"@{net}", GROUND)
    if start == GROUND:
        return frozenset()
    found, queue = {start}, [start]
    while queue:
        for index in circuit.resistances_at.get(queue.pop(), ()):
            r = circuit.resistances[index]
            if index in edit.cut_resistances or r.ohms >= RAIL_OHMS or GROUND in (r.a, r.b):
                continue
            for node in {r.a, r.b} - found:
                found.add(node)
                queue.append(node)
    return frozenset(found)


def rail_nets(model: DiagnosisModel, net: str) -> tuple[str, ...]:
    """Nets joined to one through less than an ohm, itself included, in the board's order."""
    group = rail_group(model, net)
    return tuple(n.name for n in model.board.nets if model.circuit.address_node.get(f"@{n.name}", GROUND) in group)


def rail_shorts(model: DiagnosisModel, net: str) -> np.ndarray:
    """Siemens from the rail to ground that each row's fault adds, (R,); 0 where it adds none. Not to be changed."""
    found = model.remembered(("rail shorts", net), lambda: _rail_shorts(model, net))
    assert found is not None
    return found


def _rail_shorts(model: DiagnosisModel, net: str) -> np.ndarray:
    group = rail_group(model, net)
    found = np.zeros(model.hypotheses.count)
    for row in range(FIRST_FAULT_ROW, model.hypotheses.count):
        for a, b, ohms in model.edits[row].joins(model.circuit):
            if GROUND in (a, b) and ({a, b} - {GROUND}) & group:
                found[row] += 1.0 / max(ohms, 0.02)
    return found


def watts_in(siemens: np.ndarray, volts: float, amps: float, held: float = np.inf) -> np.ndarray:
    """Power in shorts of `siemens` (N,) at these limits; 0 where there is none. held: watts that volts times amps were
    kept at on the way up to them."""
    ohms = np.where(siemens > 0, 1.0 / np.maximum(siemens, 1e-9), np.inf)
    through = np.minimum(amps, volts / ohms)
    return np.where(siemens > 0, np.minimum(through * through * np.where(np.isfinite(ohms), ohms, 0.0), held), 0.0)


def chance_seen(watts: np.ndarray, seen_by: str = "camera") -> np.ndarray:
    """Chance that a part with so much power in it is seen warming."""
    return SEEN_AT_MOST * (1.0 - np.exp(-watts / SEEN_WATTS[seen_by]))


def short_seen(siemens: np.ndarray, volts: float, amps: float, seen_by: str = "camera",
               held: float = np.inf) -> np.ndarray:
    """Chance that shorts of `siemens` (N,) are seen warming at these limits.

    What is as good as metal may have any of METAL_OHMS: at one ampere the least of them gets too little power to show.
    """
    seen = chance_seen(watts_in(siemens, volts, amps, held), seen_by)
    metal = chance_seen(watts_in(1.0 / np.array(METAL_OHMS), volts, amps, held), seen_by).mean()
    return np.where(siemens >= 1.0 / max(METAL_OHMS), metal, seen)


def parts_that_warm(model: DiagnosisModel, siemens: np.ndarray) -> tuple[str, ...]:
    """Parts whose fault would carry the current, in the board's order."""
    of = model.hypotheses.fault_of_row
    parts = {model.hypotheses.faults[int(of[r])].part for r in np.flatnonzero(siemens > 0)}
    return tuple(c.designator for c in model.board.components if c.designator in parts)


def warmth_log_likelihood(model: DiagnosisModel, net: str, volts: float, amps: float, warmed: str,
                          seen_by: str = "camera", held: float = np.inf) -> tuple[np.ndarray, np.ndarray] | None:
    """ln chance of what was seen under each row, (R,), and the siemens by which of several rows one decides.

    None where the rail isn't on the board.
    """
    if net not in model.board.net_by_name:
        return None
    siemens = rail_shorts(model, net)
    seen = short_seen(siemens, volts, amps, seen_by, held)
    seen[SOMETHING_ELSE_ROW] = ELSE_WARMS
    if not warmed:
        return np.log((1.0 - FALSE_WARMTH) * (1.0 - seen)), siemens
    board, of = model.board, model.hypotheses.fault_of_row
    every = max(len(board.components), 1)
    place = np.full(model.hypotheses.count, 1.0 / every)
    hit = board.component_by_designator.get(warmed)
    for row in np.flatnonzero(siemens > 0):
        part = board.component_by_designator.get(model.hypotheses.faults[int(of[row])].part)
        if part is None or hit is None:
            continue
        if part is hit:
            place[row] = RIGHT_PART
            continue
        near = [c for c in board.components if c.side is part.side and c is not part
                and np.hypot(c.x_mm - part.x_mm, c.y_mm - part.y_mm) < NEAR_MM]
        rest = (1.0 - RIGHT_PART - NEXT_PART) / every
        place[row] = rest + (NEXT_PART / len(near) if any(c is hit for c in near) else 0.0)
    return np.log(seen * place + (1.0 - seen) * FALSE_WARMTH / every), siemens
