"""Islands: the nodes joined to a node by DC paths, after a fault has edited the network."""

from __future__ import annotations

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


def _ends(circuit: Circuit, edit: Edit, index: int) -> tuple[int, int, float]:
    r = circuit.resistances[index]
    if not edit.moved:
        return r.a, r.b, r.ohms
    a, b = r.a, r.b
    base, _, span = r.owner.partition(".")
    names = span.split("-")
    if len(names) == 2:
        a = edit.moved.get(f"{base}.{names[0]}", a)
        b = edit.moved.get(f"{base}.{names[1]}", b)
    elif span.endswith("/joint"):
        b = edit.moved.get(f"{base}.{span.removesuffix('/joint')}", b)
    else:
        a = edit.moved.get(r.owner, a)
    return a, b, r.ohms


def _candidates(circuit: Circuit, edit: Edit, node: int) -> set[int]:
    found = set(circuit.resistances_at.get(node, ()))
    if edit.moved:
        touched = {circuit.address_node[address] for address, new in edit.moved.items() if new == node}
        for old in touched:
            found.update(circuit.resistances_at.get(old, ()))
    return found - edit.cut_resistances


def reached(circuit: Circuit, edit: Edit, start: int) -> tuple[tuple[int, ...],
                                                               tuple[tuple[int, int, float], ...]]:
    """Nodes joined to `start` and the resistances among them and to ground, as (a, b, ohms)."""
    nodes = [start]
    seen = {start}
    edges: list[tuple[int, int, float]] = []
    used: set[int] = set()
    used_added: set[int] = set()
    added = edit.joins(circuit)
    for node in nodes:
        for index in sorted(_candidates(circuit, edit, node) - used):
            a, b, ohms = _ends(circuit, edit, index)
            if node not in (a, b):
                continue
            used.add(index)
            if a == b:
                continue
            edges.append((a, b, ohms))
            for other in (a, b):
                if other != GROUND and other not in seen:
                    seen.add(other)
                    nodes.append(other)
        for index, (a, b, ohms) in enumerate(added):
            if node in (a, b) and a != b and index not in used_added:
                used_added.add(index)
                edges.append((a, b, ohms))
                for other in (a, b):
                    if other != GROUND and other not in seen:
                        seen.add(other)
                        nodes.append(other)
    return tuple(nodes), tuple(edges)


def nodal_matrix(nodes: tuple[int, ...], edges: tuple[tuple[int, int, float], ...]) -> np.ndarray:
    """(N, N) conductance matrix in siemens, ground eliminated."""
    place = {node: i for i, node in enumerate(nodes)}
    matrix = np.zeros((len(nodes), len(nodes)))
    for a, b, ohms in edges:
        g = 1.0 / ohms
        for node in (a, b):
            if node != GROUND:
                matrix[place[node], place[node]] += g
        if a != GROUND and b != GROUND:
            matrix[place[a], place[b]] -= g
            matrix[place[b], place[a]] -= g
    return matrix


def island_of(circuit: Circuit, start: int, method: Method = Method.DIODE_RED_GROUND,
              edit: Edit = NOTHING) -> Island:
    """The island around a node, with the junctions that conduct in this method's polarity."""
    nodes, edges = reached(circuit, edit, start)
    junction_node: list[int] = []
    log_is: list[float] = []
    for i, node in enumerate(nodes):
        indices = set(circuit.junctions_at.get(node, ()))
        for address, new in edit.moved.items():
            if new == node:
                indices.update(circuit.junctions_at.get(circuit.address_node[address], ()))
        for index in sorted(indices - edit.cut_junctions):
            junction = circuit.junctions[index]
            if edit.moved.get(junction.owner, junction.node) != node:
                continue
            value = (junction.log_is_black_ground if method is Method.DIODE_BLACK_GROUND
                     else junction.log_is_red_ground)
            if value is not None:
                junction_node.append(i)
                log_is.append(value)
        for gained in edit.gained:
            value = (gained.log_is_black_ground if method is Method.DIODE_BLACK_GROUND else gained.log_is_red_ground)
            if value is not None and place_of(circuit, edit, gained.at) == node:
                junction_node.append(i)
                log_is.append(value)
    siemens = nodal_matrix(nodes, edges)
    if not log_is and not any(GROUND in (a, b) for a, b, _ in edges):
        siemens[0, 0] += LEAST_SIEMENS
    return Island(nodes, siemens, np.array(junction_node, dtype=int), np.array(log_is, dtype=float))
