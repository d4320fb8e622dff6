"""What every hypothesis row would read at every point, computed from the circuit."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from dextrum.core.assumptions.readings import COMPLIANCE_VOLTS, OL_OHMS
from dextrum.core.board import Board, Method
from dextrum.core.circuit.capacitance import LEAST_OHMS_TO_CHARGE, capacitors_between, impeding_ohms_of
from dextrum.core.circuit.edit import NOTHING, Edit, place_of
from dextrum.core.circuit.islands import Island, island_of
from dextrum.core.circuit.isolation import Isolated
from dextrum.core.circuit.network import GROUND, Circuit
from dextrum.core.circuit.solve import resistance_ohms, solve_islands
from dextrum.core.diagnosis.farads_of_rows import held_nanofarads
from dextrum.core.diagnosis.hypotheses import FIRST_FAULT_ROW, NOTHING_ROW, Hypotheses
from dextrum.core.faults.registry import edit_for
from dextrum.core.faults.taken_along import taken_along


@dataclass(frozen=True)
class Predictions:
    """values: (R, P) in volts or ohms, inf for OL, nan where the method can't be used at the point; capacitance is in
    the ohms that it impedes (`circuit.capacitance`).

    touched: (R, P), whether the row's fault changes the network this point sits in.
    column: point id to column. moved: (P,), whether what was isolated changes the network this point sits in.
    """

    method: Method
    values: np.ndarray
    touched: np.ndarray
    column: Mapping[str, int]
    moved: np.ndarray

    def at(self, point: str) -> PointPredictions | None:
        """Of one point; None where the pack has no such point."""
        column = self.column.get(point)
        if column is None:
            return None
        return PointPredictions(self.values[:, column], self.touched[:, column], bool(self.moved[column]))


@dataclass(frozen=True)
class PointPredictions:
    """As `Predictions`, of one point: values (R,), touched (R,), moved."""

    values: np.ndarray
    touched: np.ndarray
    moved: bool


@dataclass(frozen=True)
class Apart:
    """A board with parts off. base: what that cuts; whole: predictions with everything on; near: nodes of the whole
    board's islands that the parts sit on. only: the one point asked for; all of them where it is None. rows: the only
    rows to solve; the others are left as on the whole board, or as with no fault."""

    base: Edit
    whole: Predictions
    near: frozenset[int]
    only: str | None = None
    rows: frozenset[int] | None = None


def nodes_near(circuit: Circuit, isolated: Isolated) -> frozenset[int]:
    """Nodes of the whole board's islands that the isolated addresses sit on."""
    near: set[int] = set()
    for address, node in circuit.address_node.items():
        part = address.partition(".")[0]
        if node != GROUND and node not in near and (part in isolated or address in isolated):
            near.update(island_of(circuit, node).nodes)
    return frozenset(near)


def row_edits(board: Board, circuit: Circuit, hypotheses: Hypotheses) -> list[Edit]:
    """The edit of every row, R of them."""
    edits = [NOTHING, NOTHING]
    for row in range(FIRST_FAULT_ROW, hypotheses.count):
        fault = hypotheses.faults[int(hypotheses.fault_of_row[row])]
        edits.append(edit_for(board, circuit, fault, float(hypotheses.ohms[row])))
    return edits


def edits_left(whole: list[Edit], hypotheses: Hypotheses, isolated: Isolated) -> list[Edit]:
    """The same with parts off: nothing for faults that are off the board with what was isolated."""
    off = [taken_along(fault, isolated) for fault in hypotheses.faults]
    return [*whole[:FIRST_FAULT_ROW], *(NOTHING if off[int(hypotheses.fault_of_row[row])] else whole[row]
                                        for row in range(FIRST_FAULT_ROW, hypotheses.count))]


def _clip_open(volts: np.ndarray) -> np.ndarray:
    return np.where(volts > COMPLIANCE_VOLTS, np.inf, volts)


def predict_diode(board: Board, circuit: Circuit, hypotheses: Hypotheses, edits: list[Edit],
                  method: Method, apart: Apart | None = None) -> Predictions:
    """Diode-mode predictions for all rows. Islands that a fault doesn't touch keep the healthy value.

    apart: what was isolated; then only the islands near it are solved, and all else is as on the whole board.
    """
    base, whole = (apart.base, apart.whole) if apart is not None else (NOTHING, None)
    near = apart.near if apart is not None else None
    points = board.points
    column = {point.id: i for i, point in enumerate(points)}
    only = apart.only if apart is not None else None
    singles = [(i, point) for i, point in enumerate(points) if point.to is None and only in (None, point.id)]
    if near is not None and only is not None:
        # Only what sits on this point's own island can change what it reads.
        near = near & {n for _, p in singles
                       if (at := circuit.address_node[p.at]) != GROUND for n in island_of(circuit, at).nodes}
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
        if node != GROUND and node not in healthy_seen and (near is None or node in near):
            add(0, base, node, healthy_seen)
    rows = apart.rows if apart is not None else None
    for row in range(FIRST_FAULT_ROW, hypotheses.count) if rows is None else sorted(rows):
        if near is not None and edits[row] is NOTHING:
            continue
        nodes = edits[row].touched(circuit)
        if near is not None and not nodes & near:
            continue
        seen: set[int] = set()
        for node in sorted(nodes):
            if node not in seen:
                add(row, base | edits[row], node, seen)
    volts = _clip_open(solve_islands(islands, sources)) if islands else np.empty(0)
    healthy_count = sum(1 for row, _ in targets if row == 0)
    moved = np.zeros(len(points), dtype=bool)
    if whole is None:
        values = np.full((hypotheses.count, len(points)), np.nan)
        touched = np.zeros((hypotheses.count, len(points)), dtype=bool)
        for i, point in singles:
            values[0, i] = 0.0 if circuit.address_node[point.at] == GROUND else np.nan
    else:
        values, touched = whole.values.copy(), whole.touched.copy()
        for _, columns in targets[:healthy_count]:
            touched[:, columns] = False
            moved[columns] = True
    for (_row, columns), value in zip(targets[:healthy_count], volts[:healthy_count], strict=True):
        values[0, columns] = value
    if whole is None:
        values[1:] = values[0]
    else:
        values[1:, moved] = values[0, moved]
    for (row, columns), value in zip(targets[healthy_count:], volts[healthy_count:], strict=True):
        values[row, columns] = value
        touched[row, columns] = True
    return Predictions(method, values, touched, column, moved)


def predict_resistance(board: Board, circuit: Circuit, hypotheses: Hypotheses, edits: list[Edit],
                       apart: Apart | None = None) -> Predictions:
    """Point-to-point ohms for all rows; only rows whose fault touches either island are solved anew."""
    base, whole, near = (apart.base, apart.whole, apart.near) if apart is not None else (NOTHING, None, None)
    points = board.points
    column = {point.id: i for i, point in enumerate(points)}
    values = np.full((hypotheses.count, len(points)), np.nan) if whole is None else whole.values.copy()
    touched = np.zeros((hypotheses.count, len(points)), dtype=bool) if whole is None else whole.touched.copy()
    moved = np.zeros(len(points), dtype=bool)
    # What only a junction does shows at no voltage that low.
    only, asked = (apart.only, apart.rows) if apart is not None else (None, None)
    rows = range(FIRST_FAULT_ROW, hypotheses.count) if asked is None else sorted(asked)
    nodes_touched = {row: edits[row].touched(circuit) for row in rows if edits[row].conducts}
    for i, point in enumerate(points):
        if point.to is None or only not in (None, point.id):
            continue
        members: set[int] = set()
        for address in (point.at, point.to):
            node = circuit.address_node[address]
            if node != GROUND:
                members.update(island_of(circuit, node).nodes)
        if near is not None and not members & near:
            continue
        moved[i] = near is not None
        healthy = _open_ohms(resistance_ohms(circuit, point.at, point.to, base))
        values[:, i] = healthy
        touched[:, i] = False
        for row, nodes in nodes_touched.items():
            if not nodes.isdisjoint(members):
                values[row, i] = _open_ohms(resistance_ohms(circuit, point.at, point.to, base | edits[row]))
                touched[row, i] = abs(values[row, i] - healthy) > 1e-9 if np.isfinite(
                    values[row, i]) and np.isfinite(healthy) else values[row, i] != healthy
    return Predictions(Method.RESISTANCE, values, touched, column, moved)


def _open_ohms(ohms: float) -> float:
    return float("inf") if ohms > OL_OHMS else ohms


def predict_capacitance(board: Board, hypotheses: Hypotheses, ohms: Predictions, isolated: Isolated) -> Predictions:
    """What each row would have a meter show between the ends of every point that is read in nanofarads, as the ohms
    that it impedes. ohms: what each row reads there in ohms, with the same parts off."""
    values, touched = np.full(ohms.values.shape, np.nan), np.zeros(ohms.values.shape, dtype=bool)
    moved = np.zeros(len(board.points), dtype=bool)
    for column, point in enumerate(board.points):
        if point.default_method is not Method.CAPACITANCE:
            continue
        held = held_nanofarads(board, hypotheses, point, isolated)
        conducts = ohms.values[:, column] < LEAST_OHMS_TO_CHARGE
        values[:, column] = np.where(conducts, 0.0, impeding_ohms_of(held))
        touched[:, column] = values[:, column] != values[NOTHING_ROW, column]
        moved[column] = bool(ohms.moved[column]) or any(part.designator in isolated
                                                        for part in capacitors_between(board, point))
    return Predictions(Method.CAPACITANCE, values, touched, ohms.column, moved)
