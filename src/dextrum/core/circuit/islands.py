"""Islands: the nodes joined to a node by DC paths, after a fault has edited the network."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from dextrum.core.board import Method
from dextrum.core.circuit.edit import NOTHING, Edit, place_of
from dextrum.core.circuit.network import GROUND, Circuit

LEAST_SIEMENS = 1e-8
"""Keeps an island solvable that nothing leads to ground from: a milliamp then makes 100 kV, far above any meter's
compliance. An island that leads to ground has none, or it would read otherwise alone than with a second fault."""


@dataclass(frozen=True)
class Island:
    """nodes: circuit node indices, N of them. siemens: (N, N) nodal matrix, ground eliminated.

    junction_node: (J,) index into nodes; log_is: (J,).
    """

    nodes: tuple[int, ...]
    siemens: np.ndarray
    junction_node: np.ndarray
    log_is: np.ndarray


def _ends(circuit: Circuit, edit: Edit, index: int, parts: frozenset[str]) -> tuple[int, int, float]:
    """Where a resistance ends, and its ohms. parts: those of which any terminal has moved."""
    r = circuit.resistances[index]
    a, b = r.a, r.b
    base, _, span = r.owner.partition(".")
    if base not in parts:
        return a, b, r.ohms
    names = span.split("-")
    if len(names) == 2:
        a = edit.moved.get(f"{base}.{names[0]}", a)
        b = edit.moved.get(f"{base}.{names[1]}", b)
    elif span.endswith("/joint"):
        b = edit.moved.get(f"{base}.{span.removesuffix('/joint')}", b)
    else:
        a = edit.moved.get(r.owner, a)
    return a, b, r.ohms


def _came_from(circuit: Circuit, edit: Edit) -> dict[int, set[int]]:
    """By node, those from which terminals have moved to it."""
    if not edit.moved:
        return {}
    found: dict[int, set[int]] = {}
    for address, new in edit.moved.items():
        found.setdefault(new, set()).add(circuit.address_node[address])
    return found


def _elements(at: Mapping[int, tuple[int, ...]], node: int, came_from: Mapping[int, set[int]]) -> Sequence[int]:
    """Elements that may sit on a node, in order: its own, and those of nodes from which terminals have moved to it.
    at: elements by node, in order."""
    own = at.get(node, ())
    if node not in came_from:
        return own
    return sorted({*own, *(index for old in came_from[node] for index in at.get(old, ()))})


def reached(circuit: Circuit, edit: Edit, start: int) -> tuple[tuple[int, ...],
                                                               tuple[tuple[int, int, float], ...]]:
    """Nodes joined to `start` and the resistances among them and to ground, as (a, b, ohms)."""
    came_from = _came_from(circuit, edit)
    parts = frozenset(address.partition(".")[0] for address in edit.moved)
    nodes = [start]
    seen = {start, GROUND}
    edges: list[tuple[int, int, float]] = []
    used = set(edit.cut_resistances)
    used_added: set[int] = set()
    added = edit.joins(circuit) if edit.added else ()
    for node in nodes:
        on_it: list[tuple[int, int, float]] = []
        for index in _elements(circuit.resistances_at, node, came_from):
            if index not in used:
                ends = _ends(circuit, edit, index, parts) if parts else circuit.ends[index]
                if node in ends[:2]:
                    used.add(index)
                    on_it.append(ends)
        for index, ends in enumerate(added):
            if node in ends[:2] and index not in used_added:
                used_added.add(index)
                on_it.append(ends)
        for a, b, ohms in on_it:
            if a == b:
                continue
            edges.append((a, b, ohms))
            if a not in seen:
                seen.add(a)
                nodes.append(a)
            if b not in seen:
                seen.add(b)
                nodes.append(b)
    return tuple(nodes), tuple(edges)


def nodal_matrix(nodes: tuple[int, ...], edges: tuple[tuple[int, int, float], ...]) -> np.ndarray:
    """(N, N) conductance matrix in siemens, ground eliminated."""
    place = {node: i for i, node in enumerate(nodes)}
    matrix = [[0.0] * len(nodes) for _ in nodes]
    for a, b, ohms in edges:
        g = 1.0 / ohms
        i, j = place.get(a), place.get(b)  # none for ground
        if i is not None:
            matrix[i][i] += g
        if j is not None:
            matrix[j][j] += g
        if i is not None and j is not None:
            matrix[i][j] -= g
            matrix[j][i] -= g
    return np.array(matrix)


def island_of(circuit: Circuit, start: int, method: Method = Method.DIODE_RED_GROUND,
              edit: Edit = NOTHING) -> Island:
    """The island around a node, with the junctions that conduct in this method's polarity."""
    nodes, edges = reached(circuit, edit, start)
    came_from = _came_from(circuit, edit)
    logs = circuit.logs(method)
    gained = [(place_of(circuit, edit, junction.at), junction.log_is_black_ground if
               method is Method.DIODE_BLACK_GROUND else junction.log_is_red_ground) for junction in edit.gained]
    junction_node: list[int] = []
    log_is: list[float] = []
    for i, node in enumerate(nodes):
        own = [logs[index] for index in _elements(circuit.junctions_at, node, came_from)
               if index not in edit.cut_junctions and (not edit.moved or edit.moved.get(
                   circuit.junctions[index].owner, circuit.junctions[index].node) == node)]
        for value in (*own, *(value for at, value in gained if at == node)):
            if value is not None:
                junction_node.append(i)
                log_is.append(value)
    siemens = nodal_matrix(nodes, edges)
    if not log_is and not any(GROUND in (a, b) for a, b, _ in edges):
        siemens[0, 0] += LEAST_SIEMENS
    return Island(nodes, siemens, np.array(junction_node, dtype=int), np.array(log_is, dtype=float))
