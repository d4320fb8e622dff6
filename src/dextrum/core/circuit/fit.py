"""Fit the junctions so that the healthy network reads what the known-good boards read.

One number per island and polarity: ln(Is) of its junctions goes down and ln(ohms) of its loads to ground goes
up by it together, so the reading rises whichever of them carries the test current. Gauss-Newton with a numeric
slope, at most 8 times.
"""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from dextrum.core.board import Method
from dextrum.core.circuit.edit import NOTHING
from dextrum.core.circuit.islands import Island, island_of
from dextrum.core.circuit.network import GROUND, Circuit, Resistance, with_shifts
from dextrum.core.circuit.solve import solve_islands
from dextrum.errors import SolveError

_STEP = 0.02
_BOUND = 3.0
_OPEN_VOLTS = 4.0


def _is_load(resistance: Resistance) -> bool:
    """Whether it is a load inside a part, which differs from board to board; a joint, a contact or a part in series to
    ground is what it is."""
    own = resistance.owner.partition(".")[2]
    return "-" not in own and "/" not in own


def _groups(circuit: Circuit, targets: Mapping[str, float], method: Method) -> list[list[str]]:
    """Addresses with a target, grouped by island."""
    seen: dict[int, int] = {}
    groups: list[list[str]] = []
    for address in targets:
        node = circuit.address_node[address]
        if node == GROUND:
            continue
        if node not in seen:
            for member in island_of(circuit, node, method).nodes:
                seen[member] = len(groups)
            groups.append([])
        groups[seen[node]].append(address)
    return groups


def fit_to_known_good(circuit: Circuit, targets: Mapping[str, float],
                      method: Method = Method.DIODE_RED_GROUND) -> Circuit:
    """The circuit with shifted junctions and loads. targets: address to the known-good volts.

    Targets above what any junction can read (open) are left alone. Where a network gets so far from what its pack says
    that it doesn't settle, the last that did is taken. Deterministic.
    """
    usable = {a: v for a, v in targets.items() if 0.0 <= v < _OPEN_VOLTS}
    groups = _groups(circuit, usable, method)
    black = method is Method.DIODE_BLACK_GROUND
    junction_shift = np.zeros(len(circuit.junctions))
    black_shift = np.zeros(len(circuit.junctions))
    ohms_shift = np.zeros(len(circuit.resistances))
    members: list[tuple[list[int], list[int], list[str]]] = []
    for addresses in groups:
        nodes = set(island_of(circuit, circuit.address_node[addresses[0]], method).nodes)
        junctions = [j for node in nodes for j in circuit.junctions_at.get(node, ())]
        loads = [r for node in nodes for r in circuit.resistances_at.get(node, ())
                 if GROUND in (circuit.resistances[r].a, circuit.resistances[r].b) and _is_load(circuit.resistances[r])]
        members.append((junctions, loads, addresses))
    if not members:
        return circuit

    def read(*circuits: Circuit) -> list[list[np.ndarray]]:
        """Of each circuit, the volts at the addresses of each group; solved together."""
        islands: list[Island] = []
        sources: list[int] = []
        for one in circuits:
            for _, _, addresses in members:
                island = island_of(one, one.address_node[addresses[0]], method, NOTHING)
                islands += [island] * len(addresses)
                sources += [island.nodes.index(one.address_node[a]) for a in addresses]
        ends = np.cumsum([len(addresses) for _, _, addresses in members])
        return [np.split(volts, ends[:-1]) for volts in np.split(solve_islands(islands, sources), len(circuits))]

    current = circuit
    settled = circuit
    for _ in range(8):
        nudged = with_shifts(circuit, junction_shift if black else junction_shift - _STEP,
                             black_shift - _STEP if black else black_shift, ohms_shift + _STEP)
        try:
            now, then = read(current, nudged)
        except SolveError:
            return settled
        settled = current
        slopes = [(b - a) / _STEP for a, b in zip(now, then, strict=True)]
        moved = 0.0
        for (junctions, loads, addresses), volts, slope in zip(members, now, slopes, strict=True):
            good = (volts < _OPEN_VOLTS) & (np.abs(slope) > 1e-7)
            if not good.any():
                continue
            error = np.array([usable[a] for a in addresses]) - volts
            step = float(np.clip(np.sum(error[good] * slope[good]) / np.sum(slope[good] ** 2), -1.0, 1.0))
            moved = max(moved, abs(step))
            (black_shift if black else junction_shift)[junctions] -= step
            ohms_shift[loads] += step
        np.clip(junction_shift, -_BOUND * 5, _BOUND * 5, out=junction_shift)
        np.clip(black_shift, -_BOUND * 5, _BOUND * 5, out=black_shift)
        np.clip(ohms_shift, -_BOUND, _BOUND, out=ohms_shift)
        current = with_shifts(circuit, junction_shift, black_shift, ohms_shift)
        if moved < 1e-6:
            break
    return current
