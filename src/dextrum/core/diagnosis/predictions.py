"""What every hypothesis row would read at every point, computed from the circuit."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from dextrum.core.board import Board, Method
from dextrum.core.circuit.edit import NOTHING, Edit, edit_for
from dextrum.core.circuit.islands import Island, island_of, place_of
from dextrum.core.circuit.network import GROUND, Circuit
from dextrum.core.circuit.solve import resistance_ohms, solve_islands
from dextrum.core.diagnosis.hypotheses import FIRST_FAULT_ROW, Hypotheses

COMPLIANCE_VOLTS = 2.5
"""What a meter can drive in diode mode when its own limit isn't known; above it shows OL."""
OL_OHMS = 5e7


@dataclass(frozen=True)
class Predictions:
    """values: (R, P) in volts or ohms, inf for OL, nan where the method can't be used at the point.

    touched: (R, P), whether the row's fault changes the network this point sits in.
    column: point id to column.
    """

    method: Method
    values: np.ndarray
    touched: np.ndarray
    column: Mapping[str, int]


def _touched_nodes(circuit: Circuit, edit: Edit) -> set[int]:
    nodes: set[int] = set()
    for index in edit.cut_resistances:
        nodes.update((circuit.resistances[index].a, circuit.resistances[index].b))
    nodes.update(circuit.junctions[index].node for index in edit.cut_junctions)
    for a, b, _ in edit.added:
        nodes.update((a, b))
    for address, new in edit.moved.items():
        nodes.update((circuit.address_node[address], new))
    return nodes - {GROUND}


def row_edits(board: Board, circuit: Circuit, hypotheses: Hypotheses) -> list[Edit]:
    """The edit of every row, R of them."""
    edits = [NOTHING, NOTHING]
    for row in range(FIRST_FAULT_ROW, hypotheses.count):
        fault = hypotheses.faults[int(hypotheses.fault_of_row[row])]
        edits.append(edit_for(board, circuit, fault, float(hypotheses.ohms[row])))
    return edits


def _clip_open(volts: np.ndarray) -> np.ndarray:
    return np.where(volts > COMPLIANCE_VOLTS, np.inf, volts)


def predict_diode(board: Board, circuit: Circuit, hypotheses: Hypotheses, edits: list[Edit],
                  method: Method) -> Predictions:
    """Diode-mode predictions for all rows. Islands that a fault doesn't touch keep the healthy value."""
    points = board.points
    column = {point.id: i for i, point in enumerate(points)}
    singles = [(i, point) for i, point in enumerate(points) if point.to is None]
    by_node: dict[int, list[int]] = {}
    for i, point in singles:
        by_node.setdefault(circuit.address_node[point.at], []).append(i)
    islands: list[Island] = []
    targets: list[tuple[int, list[int]]] = []
    sources: list[int] = []

    def add(row: int, edit: Edit, start: int, seen: set[int]) -> None:
        island = island_of(circuit, start, method, edit)
        seen.update(island.nodes)
        for position, node in enumerate(island.nodes):
            columns = [i for i in by_node.get(node, ())
                       if not edit.moved or place_of(circuit, edit, points[i].at) == node]
            if node >= len(circuit.nodes):
                columns = [i for i, p in singles if edit.moved.get(p.at) == node]
            if columns:
                islands.append(island)
                sources.append(position)
                targets.append((row, columns))

    healthy_seen: set[int] = set()
    for node in by_node:
        if node != GROUND and node not in healthy_seen:
            add(0, NOTHING, node, healthy_seen)
    for row in range(FIRST_FAULT_ROW, hypotheses.count):
        seen: set[int] = set()
        for node in sorted(_touched_nodes(circuit, edits[row])):
            if node not in seen:
                add(row, edits[row], node, seen)
    volts = _clip_open(solve_islands(islands, sources)) if islands else np.empty(0)
    values = np.full((hypotheses.count, len(points)), np.nan)
    touched = np.zeros((hypotheses.count, len(points)), dtype=bool)
    for i, point in singles:
        values[0, i] = 0.0 if circuit.address_node[point.at] == GROUND else np.nan
    healthy_count = sum(1 for row, _ in targets if row == 0)
    for (_row, columns), value in zip(targets[:healthy_count], volts[:healthy_count], strict=True):
        values[0, columns] = value
    values[1:] = values[0]
    for (row, columns), value in zip(targets[healthy_count:], volts[healthy_count:], strict=True):
        values[row, columns] = value
        touched[row, columns] = True
    return Predictions(method, values, touched, column)


def predict_resistance(board: Board, circuit: Circuit, hypotheses: Hypotheses,
                       edits: list[Edit]) -> Predictions:
    """Point-to-point ohms for all rows; only rows whose fault touches either island are solved anew."""
    points = board.points
    column = {point.id: i for i, point in enumerate(points)}
    values = np.full((hypotheses.count, len(points)), np.nan)
    touched = np.zeros((hypotheses.count, len(points)), dtype=bool)
    nodes_touched = [_touched_nodes(circuit, edit) for edit in edits]
    for i, point in enumerate(points):
        if point.to is None:
            continue
        healthy = _open_ohms(resistance_ohms(circuit, point.at, point.to))
        values[:, i] = healthy
        members: set[int] = set()
        for address in (point.at, point.to):
            node = circuit.address_node[address]
            if node != GROUND:
                members.update(island_of(circuit, node).nodes)
        for row in range(FIRST_FAULT_ROW, hypotheses.count):
            if nodes_touched[row] & members:
                values[row, i] = _open_ohms(resistance_ohms(circuit, point.at, point.to, edits[row]))
                touched[row, i] = abs(values[row, i] - healthy) > 1e-9 if np.isfinite(
                    values[row, i]) and np.isfinite(healthy) else values[row, i] != healthy
    return Predictions(Method.RESISTANCE, values, touched, column)


def _open_ohms(ohms: float) -> float:
    return float("inf") if ohms > OL_OHMS else ohms
