"""Everything about a board that doesn't depend on a job: made once per pack and meter, then only read."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np

from dextrum.core.assumptions.readings import COPPER_OHMS
from dextrum.core.assumptions.stated import as_stated
from dextrum.core.board import Board, Method
from dextrum.core.circuit.edit import NOTHING, Edit
from dextrum.core.circuit.fit import fit_to_known_good
from dextrum.core.circuit.isolation import WHOLE_BOARD, Isolated, isolation_edit
from dextrum.core.circuit.network import GROUND, Circuit, build_circuit
from dextrum.core.diagnosis.fault_pairs import FaultPairs, build_fault_pairs, islands_of_nodes
from dextrum.core.diagnosis.functional_classes import FunctionalClasses, RowStates, functional_classes, row_states
from dextrum.core.diagnosis.functions import broken_but_feeds, broken_while_isolated, function_broken
from dextrum.core.diagnosis.heat_reach import HeatReach, ReachByDistance
from dextrum.core.diagnosis.hypotheses import NOTHING_ROW, Hypotheses, build_hypotheses
from dextrum.core.diagnosis.joining_rows import joined_rows
from dextrum.core.diagnosis.memory import Memory
from dextrum.core.diagnosis.predictions import (
    Apart,
    PointPredictions,
    Predictions,
    edits_left,
    nodes_near,
    predict_capacitance,
    predict_diode,
    predict_resistance,
    row_edits,
)
from dextrum.core.faults.registry import edit_for
from dextrum.core.faults.taken_along import taken_along
from dextrum.core.reference.table import ReferenceTable

if TYPE_CHECKING:
    pass



@dataclass(frozen=True)
class DiagnosisModel:
    """Board, references, fitted circuit, hypothesis rows, and what each row reads and breaks.

    broken_whole: (R, functions), chance that each row breaks each function of the whole board. isolated: what is off
    the board in this view of it; whole: the model with everything on, None where it is that. reach: how far the heat of
    a repair goes; None: by distance.
    """

    board: Board
    references: ReferenceTable
    circuit: Circuit
    hypotheses: Hypotheses
    broken_whole: np.ndarray
    isolated: Isolated = WHOLE_BOARD
    whole: DiagnosisModel | None = None
    reach: HeatReach | None = field(default=None, compare=False, repr=False)
    memory: Memory = field(default_factory=Memory, compare=False, repr=False)

    @cached_property
    def heat(self) -> HeatReach:
        """How far the heat of a repair softens joints."""
        return self.reach or ReachByDistance(self.board)

    @cached_property
    def broken(self) -> np.ndarray:
        """Chance that each row breaks each function, (R, functions); what is off the board takes its own along."""
        if self.whole is None:
            return self.broken_whole
        return broken_while_isolated(self.board, self.hypotheses, self.broken_whole, self.isolated)

    @cached_property
    def edits(self) -> list[Edit]:
        """Of every row, without what was isolated."""
        if self.whole is not None:
            return edits_left(self.whole.edits, self.hypotheses, self.isolated)
        return row_edits(self.board, self.circuit, self.hypotheses)

    def edit_beside(self, row: int, before: int) -> Edit:
        """That of a row of a set of which so many rows come before it, whose new nodes are numbered first."""
        if before == 0 or self.edits[row] is NOTHING:
            return self.edits[row]
        fault, ohms = self.hypotheses.faults[int(self.hypotheses.fault_of_row[row])], float(self.hypotheses.ohms[row])
        return (self.whole or self).memory.edits.recall(
            (row, before), lambda: edit_for(self.board, self.circuit, fault, ohms, before))

    @cached_property
    def base_edit(self) -> Edit:
        """What isolating has cut."""
        return isolation_edit(self.circuit, self.isolated)

    def _is_there(self, address: str) -> bool:
        """Whether a part or pin is on this board; an imported trail may name others."""
        name, _, terminal = address.partition(".")
        part = self.board.component_by_designator.get(name)
        return part is not None and (not terminal or any(t.name == terminal for t in part.terminals))

    def isolating(self, isolated: Isolated) -> DiagnosisModel:
        """The same board with these addresses off it, those that it has; the last few views are kept."""
        whole = self.whole or self
        isolated = frozenset(a for a in isolated if self._is_there(a))
        if not isolated:
            return whole
        kept = whole.memory.views
        return kept.keep(isolated, kept.get(isolated) or DiagnosisModel(
            self.board, self.references, self.circuit, self.hypotheses, self.broken_whole, isolated, whole, self.reach))

    def remembered(self, key: tuple[object, ...], make: Callable[[], np.ndarray | None]) -> np.ndarray | None:
        """The vector of a key, made when it isn't there. Not to be changed by the caller."""
        return self.memory.vectors.recall(key, make)

    @cached_property
    def pairs(self) -> FaultPairs:
        """Which rows can be there together, and where they meet; with parts off, where they might."""
        if self.whole is not None:
            return self.whole.pairs
        return build_fault_pairs(self.board, self.circuit, self.hypotheses, self.edits)

    @cached_property
    def states(self) -> RowStates:
        """What each row may turn out to break; with parts off, in the same states."""
        if self.whole is None:
            return row_states(self.broken_whole, broken_but_feeds(self.board, self.hypotheses, self.broken_whole),
                              as_stated(self.board, "feed_spared"))
        whole = self.whole.states
        return RowStates(whole.weight, np.stack([broken_while_isolated(
            self.board, self.hypotheses, broken, self.isolated) for broken in whole.broken]))

    @cached_property
    def classes(self) -> FunctionalClasses:
        """States of rows that break the same."""
        return functional_classes(self.states)

    @cached_property
    def red_ground(self) -> Predictions:
        return self._diode(Method.DIODE_RED_GROUND)

    @cached_property
    def black_ground(self) -> Predictions:
        return self._diode(Method.DIODE_BLACK_GROUND)

    def _diode(self, method: Method) -> Predictions:
        return predict_diode(self.board, self.circuit, self.hypotheses, self.edits, method, self._apart(method))

    def _apart(self, method: Method) -> Apart | None:
        return None if self.whole is None else Apart(self.base_edit, self.whole.predictions(method),
                                                     self._near)

    @cached_property
    def rows_off(self) -> np.ndarray:
        """Rows whose fault is off the board with what was isolated, (R,)."""
        off = np.array([taken_along(fault, self.isolated) for fault in self.hypotheses.faults] + [False])
        return np.asarray(off[self.hypotheses.fault_of_row])

    @cached_property
    def _near(self) -> frozenset[int]:
        return nodes_near(self.circuit, self.isolated)

    @cached_property
    def resistance(self) -> Predictions:
        return predict_resistance(self.board, self.circuit, self.hypotheses, self.edits,
                                  self._apart(Method.RESISTANCE))

    @cached_property
    def capacitance(self) -> Predictions:
        return predict_capacitance(self.board, self.hypotheses, self.resistance, self.isolated)

    @cached_property
    def copper_of_node(self) -> list[int]:
        """The piece of copper of every node: nodes joined by less than a few ohms."""
        root = list(range(len(self.circuit.nodes)))

        def find(node: int) -> int:
            while root[node] != node:
                node = root[node]
            return node

        off = self.base_edit.cut_resistances
        for index, r in enumerate(self.circuit.resistances):
            if index not in off and GROUND not in (r.a, r.b) and r.ohms < COPPER_OHMS:
                root[find(r.a)] = find(r.b)
        return [find(node) for node in range(len(root))]

    @cached_property
    def copper(self) -> Mapping[str, int]:
        """Point id to the piece of copper it sits on."""
        nodes = {point.id: self.circuit.address_node[point.at] for point in self.board.points}
        return {name: GROUND if node == GROUND else self.copper_of_node[node] for name, node in nodes.items()}

    @cached_property
    def joined(self) -> Mapping[tuple[int, int], np.ndarray]:
        """Rows that join two pieces of copper, by the two, in the order of their first points on the board."""
        first: dict[int, int] = {}
        for name, copper in self.copper.items():
            if copper != GROUND:
                first.setdefault(copper, self.board.point_order[name])
        return joined_rows(self.circuit, self.edits, self.copper_of_node, first)

    @cached_property
    def junction_copper(self) -> Mapping[str, frozenset[int]]:
        """Part to the pieces of copper that its junctions sit on."""
        return {part: frozenset(self.copper_of_node[self.circuit.junctions[index].node] for index in indices
                                if self.circuit.junctions[index].node != GROUND)
                for part, indices in self.circuit.junctions_of_part.items()}

    @cached_property
    def island_of_point(self) -> Mapping[str, int]:
        """Point id to the island of the healthy board that it sits on; ground is one of its own."""
        of_node, _ = islands_of_nodes(self.circuit)
        return {p.id: of_node.get(self.circuit.address_node[p.at], GROUND) for p in self.board.points}

    def predictions(self, method: Method) -> Predictions:
        """Made at the first use of a method; continuity is read as resistance."""
        if method is Method.DIODE_RED_GROUND:
            return self.red_ground
        if method is Method.CAPACITANCE:
            return self.capacitance
        return self.black_ground if method is Method.DIODE_BLACK_GROUND else self.resistance

    def near_at(self, point: str, method: Method) -> np.ndarray:
        """Rows that may have part in what a point reads, (R,): from end to end two shorts can join what neither joins
        alone, through ground. Raises KeyError for no such point."""
        predicted = self.predicted_at(point, method)
        if predicted is None:
            raise KeyError(point)
        return predicted.touched if method.is_diode else self.pairs.near_ends[:, self.resistance.column[point]]

    @cached_property
    def _at_points(self) -> dict[tuple[str, Method], PointPredictions | None]:
        return {}

    def predicted_at(self, point: str, method: Method) -> PointPredictions | None:
        """What every row reads at one point; None where the pack has no such point.

        With parts off, most of a board is never asked for: each point is solved by itself when it first is.
        """
        if self.whole is None:
            return self.predictions(method).at(point)
        if (point, method) not in self._at_points:
            self._at_points[point, method] = self.predicted_of(point, method, None)
        return self._at_points[point, method]

    def good_at(self, point: str, method: Method) -> float:
        """What a board without a fault reads at a point, by the circuit; inf for OL. Raises KeyError for no such point.
        """
        found = self.predicted_at(point, method)
        if found is None:
            raise KeyError(point)
        return float(found.values[NOTHING_ROW])

    def moved_at(self, point: str, method: Method) -> bool:
        """Whether what is off the board changes the network that a point sits in."""
        if self.whole is None or self.base_edit == NOTHING:
            return False
        place = self.board.point_by_id[point]
        return any(self.circuit.address_node[end] in self._near for end in (place.at, place.to) if end is not None)

    def predicted_of(self, point: str, method: Method, rows: frozenset[int] | None) -> PointPredictions | None:
        """As `predicted_at` with parts off, of these rows only (and of a board without a fault); not kept."""
        assert self.whole is not None
        if self.base_edit == NOTHING:
            # What conducts nothing takes its own faults along, and changes nothing else.
            found = self.whole.predictions(method).at(point)
            if found is None:
                return None
            values = np.where(self.rows_off, found.values[NOTHING_ROW], found.values)
            return replace(found, values=values, touched=found.touched & ~self.rows_off)
        if method is Method.CAPACITANCE:
            return self.capacitance.at(point)
        apart = self._apart(method)
        assert apart is not None
        apart = replace(apart, only=point, rows=rows)
        given = self.board, self.circuit, self.hypotheses, self.edits
        every = predict_diode(*given, method, apart) if method.is_diode else predict_resistance(*given, apart)
        return every.at(point)

    def warm(self) -> DiagnosisModel:
        """Make what advice always needs, so that the first answer is as quick as the next."""
        _ = self.red_ground, self.resistance, self.capacitance, self.pairs, self.classes
        return self


def build_model(board: Board, references: ReferenceTable,
                learned: Mapping[str, float] | None = None, reach: HeatReach | None = None) -> DiagnosisModel:
    """The model of a board as one meter sees it; the circuit is fitted to the known-good readings. learned: factors on
    the pack's rates, by part. reach: how far the heat of repairs goes; None: by distance."""
    circuit = build_circuit(board)
    for method in (Method.DIODE_RED_GROUND, Method.DIODE_BLACK_GROUND):
        targets = {}
        for (point, at_method), reference in references.by_point.items():
            if at_method is method and np.isfinite(reference.centre):
                targets[board.point_by_id[point].at] = reference.centre
        if targets:
            circuit = fit_to_known_good(circuit, targets, method)
    hypotheses = build_hypotheses(board, learned)
    return DiagnosisModel(board, references, circuit, hypotheses, function_broken(board, hypotheses),
                          reach=reach)
