"""The circuit against closed forms, against a dense solution of the whole board, and for every fault kind."""

from __future__ import annotations

import math
import unittest
from dataclasses import replace

import numpy as np
from scipy.optimize import brentq

from dextrum.core.board import ComponentKind, FaultKind, Method
from dextrum.core.circuit.edit import NOTHING, Edit, cut_terminal, short
from dextrum.core.circuit.fit import fit_to_known_good
from dextrum.core.circuit.isolation import isolation_edit
from dextrum.core.circuit.junction import (
    IDEALITY_TIMES_THERMAL_VOLTS,
    SERIES_OHMS,
    TEST_AMPS,
    Junctions,
    junction_volts,
    log_saturation_current,
)
from dextrum.core.circuit.network import GROUND, Circuit, build_circuit
from dextrum.core.circuit.solve import continuous, diode_volts, resistance_ohms
from dextrum.core.faults.listing import enumerate_faults
from dextrum.core.faults.registry import edit_for
from tests.support import duo_board, fault_named, line_board, part


class JunctionTest(unittest.TestCase):
    def test_drop_at_test_current_is_what_the_pack_says(self) -> None:
        for volts in (0.2, 0.455, 0.7, 1.4):
            log_is = log_saturation_current(volts)
            self.assertAlmostEqual(float(junction_volts(TEST_AMPS, log_is)), volts, places=9)

    def test_inverse_agrees_with_forward_law(self) -> None:
        log_is = np.full(50, log_saturation_current(0.55))
        amps = np.geomspace(1e-9, 0.3, 50)
        back, slope = Junctions.of(log_is).amps(junction_volts(amps, log_is))
        np.testing.assert_allclose(back, amps, rtol=1e-6)
        self.assertTrue(np.all(slope > 0))

    def test_slope_is_the_derivative(self) -> None:
        log_is = np.array([log_saturation_current(0.6)])
        volts, step = np.array([0.58]), 1e-6
        up, _ = Junctions.of(log_is).amps(volts + step)
        down, _ = Junctions.of(log_is).amps(volts - step)
        _, slope = Junctions.of(log_is).amps(volts)
        self.assertAlmostEqual(float(slope[0]), float((up - down)[0] / (2 * step)), delta=1e-6)

    def test_neither_overflows_nor_turns_negative_far_out(self) -> None:
        amps, _ = Junctions.of(np.full(4, log_saturation_current(0.5))).amps(np.array([-5.0, 0.0, 50.0, 1000.0]))
        self.assertTrue(np.all(np.isfinite(amps)))
        self.assertAlmostEqual(float(amps[3]), (1000.0 - 0.5) / SERIES_OHMS, delta=0.5)

    def test_impossible_drop_is_refused(self) -> None:
        for volts in (0.005, float("nan"), -1.0):
            with self.assertRaises(ValueError):
                log_saturation_current(volts)


class JunctionNumbersTest(unittest.TestCase):
    def test_two_alike_read_lower_by_what_half_the_current_makes(self) -> None:
        """n Vt ln 2 of 1.55 times 25.35 mV, and half a milliampere less through ten ohms: 32.2 mV."""
        log_is = log_saturation_current(0.6)
        lower = 0.6 - float(junction_volts(TEST_AMPS / 2, log_is))
        self.assertAlmostEqual(lower, 1.55 * 0.02535 * math.log(2.0) + 0.0005 * 10.0, delta=1e-5)
        self.assertAlmostEqual(lower, 0.0322, delta=1e-4)


class LineTest(unittest.TestCase):
    """The little line board has closed forms."""

    def setUp(self) -> None:
        self.board = line_board()
        self.circuit = build_circuit(self.board)
        self.faults = enumerate_faults(self.board)

    def with_fault(self, name: str, ohms: float = 0.0) -> Edit:
        return edit_for(self.board, self.circuit, fault_named(self.faults, name), ohms)

    def moved(self, *addresses: str) -> Edit:
        """Copper broken so that these sit on a node of their own."""
        return Edit(moved=dict.fromkeys(addresses, len(self.circuit.nodes)))

    def test_what_moves_with_a_broken_trace_takes_both_of_its_ends_along(self) -> None:
        good = diode_volts(self.circuit, "@IN")
        far = self.moved("F1.2", "U1.IN", "C1.1")
        self.assertAlmostEqual(diode_volts(self.circuit, "@IN", edit=far), good, places=6)
        self.assertAlmostEqual(diode_volts(self.circuit, "U1.IN", edit=far), diode_volts(self.circuit, "U1.IN"),
                               places=6)
        self.assertGreater(diode_volts(self.circuit, "@OUT", edit=far), 2.5)
        near = self.moved("F1.1", "D1.1")
        self.assertAlmostEqual(diode_volts(self.circuit, "@OUT", edit=near), diode_volts(self.circuit, "@OUT"),
                               places=6)
        self.assertGreater(diode_volts(self.circuit, "@IN", edit=near), 2.5)

    def test_what_stays_on_its_side_of_a_break_no_longer_sees_the_other(self) -> None:
        edit = self.moved("U1.IN", "C1.1")
        self.assertAlmostEqual(diode_volts(self.circuit, "@IN", edit=edit), 0.70, delta=1e-6)
        self.assertAlmostEqual(diode_volts(self.circuit, "@OUT", edit=edit), 0.70 + 0.05 * TEST_AMPS, delta=1e-6)
        self.assertAlmostEqual(diode_volts(self.circuit, "U1.IN", edit=edit), 0.55, delta=1e-6)
        self.assertAlmostEqual(resistance_ohms(self.circuit, "F1.1", "F1.2", edit), 0.05, delta=1e-3)

    def test_a_pin_off_the_board_takes_its_own_along_and_nothing_else(self) -> None:
        core = cut_terminal(self.circuit, "U1", "CORE")
        self.assertGreater(diode_volts(self.circuit, "@CORE", edit=core), 2.5)
        self.assertAlmostEqual(diode_volts(self.circuit, "@IN", edit=core), diode_volts(self.circuit, "@IN"), places=9)
        pin = cut_terminal(self.circuit, "U1", "IN")
        self.assertAlmostEqual(diode_volts(self.circuit, "@IN", edit=pin), 0.70, delta=1e-6)
        self.assertAlmostEqual(diode_volts(self.circuit, "@CORE", edit=pin), 0.040, delta=1e-4)
        for end in ("1", "2"):
            fuse = cut_terminal(self.circuit, "F1", end)
            self.assertAlmostEqual(diode_volts(self.circuit, "@OUT", edit=fuse), 0.55, delta=1e-6)

    def test_what_is_isolated_together_is_all_off(self) -> None:
        self.assertEqual(isolation_edit(self.circuit, ()), NOTHING)
        both = isolation_edit(self.circuit, ("U1.IN", "F1"))
        self.assertGreater(diode_volts(self.circuit, "@OUT", edit=both), 2.5)
        self.assertAlmostEqual(diode_volts(self.circuit, "@IN", edit=both), 0.70, delta=1e-6)
        self.assertAlmostEqual(diode_volts(self.circuit, "@CORE", edit=both), 0.040, delta=1e-4)
        whole = isolation_edit(self.circuit, ("U1", "D1", "NOBODY"))
        for point in ("@IN", "@OUT", "@CORE"):
            self.assertGreater(diode_volts(self.circuit, point, edit=whole), 2.5)

    def test_a_short_has_its_ohms_and_joins_two_nets_once(self) -> None:
        for ohms in (0.3, 25.0):
            edit = short(self.circuit, "U1.CORE", None, ohms)
            self.assertAlmostEqual(diode_volts(self.circuit, "@CORE", edit=edit),
                                   TEST_AMPS * ohms * 40.0 / (40.0 + ohms), delta=1e-6)
        self.assertEqual(short(self.circuit, "F1.1", "D1.1", 0.3), NOTHING, "one net already")
        across = short(self.circuit, "U1.IN", "U1.CORE", 5.0)
        self.assertAlmostEqual(diode_volts(self.circuit, "@OUT", edit=across), 0.045, delta=1e-4)

    def test_what_moved_away_hides_nothing_that_stayed(self) -> None:
        """Two fuses side by side: one end of the first is off, or both ends of it sit on one piece of copper."""
        board = line_board()
        board = replace(board, components=(*board.components, part("F2", ComponentKind.FUSE, ("1", "IN"), ("2", "OUT"),
                                                                   ohms=0.05)))
        circuit = build_circuit(board)
        node, good = len(circuit.nodes), diode_volts(circuit, "@IN")
        one_end = Edit(moved={"F1.1": node})
        self.assertAlmostEqual(diode_volts(circuit, "@IN", edit=one_end), good, delta=1e-4)
        both_ends = Edit(moved={"F1.1": node, "F1.2": node, "F2.1": node})
        self.assertAlmostEqual(diode_volts(circuit, "F1.1", edit=both_ends), 0.55, delta=1e-3)
        self.assertAlmostEqual(diode_volts(circuit, "@IN", edit=both_ends), 0.70, delta=1e-6)

    def test_a_load_to_ground_moves_with_its_pin(self) -> None:
        edit = self.moved("U1.CORE")
        self.assertGreater(diode_volts(self.circuit, "@CORE", edit=edit), 2.5)
        self.assertAlmostEqual(diode_volts(self.circuit, "U1.CORE", edit=edit), 0.040, delta=1e-4)

    def test_a_short_counts_where_its_net_is_alone(self) -> None:
        edit = Edit(added=(("U1.CORE", None, 10.0),))
        self.assertAlmostEqual(diode_volts(self.circuit, "@CORE", edit=edit), 0.008, delta=1e-5)

    def test_a_contact_moves_with_its_joint(self) -> None:
        board, circuit = duo_board(), build_circuit(duo_board())
        edit = Edit(moved={"J1.A5": len(circuit.nodes)})
        at = {name: board.point_by_id[name].at for name in ("J1.A5", "C15.1")}
        self.assertGreater(diode_volts(circuit, at["J1.A5"], edit=edit), 2.5)
        self.assertAlmostEqual(diode_volts(circuit, at["C15.1"], edit=edit), diode_volts(circuit, at["C15.1"]),
                               places=6)
        tail = Edit(moved={"J1.B5": len(circuit.nodes)})
        self.assertGreater(diode_volts(circuit, "J1.B5/tail", edit=tail), 2.5)
        self.assertLess(diode_volts(circuit, "J1.B5/tail"), 1.0)

    def parallel_drop(self, resistance: float) -> float:
        """Two junctions in parallel, 0.70 V direct and 0.55 V behind `resistance`, by bisection."""
        direct, behind = np.array([log_saturation_current(0.70)]), log_saturation_current(0.55)

        def total(volts: float) -> float:
            inner = brentq(lambda i: volts - i * resistance - float(junction_volts(i, behind)), 0.0, 0.2)
            return float(Junctions.of(direct).amps(np.array([volts]))[0][0]) + float(inner) - TEST_AMPS

        return float(brentq(total, 0.1, 0.9))

    def test_healthy_reads_two_junctions_in_parallel(self) -> None:
        self.assertAlmostEqual(diode_volts(self.circuit, "@IN"), self.parallel_drop(0.05), places=4)

    def test_blown_fuse_leaves_each_side_its_own_junction(self) -> None:
        edit = self.with_fault("F1:blown_fuse:1:2")
        self.assertAlmostEqual(diode_volts(self.circuit, "@IN", edit=edit), 0.70, places=4)
        self.assertAlmostEqual(diode_volts(self.circuit, "@OUT", edit=edit), 0.55, places=4)

    def test_hard_short_is_the_resistance_times_the_current(self) -> None:
        edit = self.with_fault("C1:hard_short:1", 2.0)
        self.assertAlmostEqual(diode_volts(self.circuit, "@OUT", edit=edit), 2.0e-3, places=5)
        self.assertAlmostEqual(diode_volts(self.circuit, "@IN", edit=edit), 2.05e-3, places=5)

    def test_resistive_rail_is_ohms_law_and_blind_to_polarity(self) -> None:
        for method in (Method.DIODE_RED_GROUND, Method.DIODE_BLACK_GROUND):
            self.assertAlmostEqual(diode_volts(self.circuit, "@CORE", method), 40.0 * TEST_AMPS, places=5)

    def test_black_on_ground_reads_the_other_junction(self) -> None:
        self.assertAlmostEqual(diode_volts(self.circuit, "@OUT", Method.DIODE_BLACK_GROUND), 1.2, places=2)

    def test_lifted_pin_raises_and_open_floats(self) -> None:
        edit = self.with_fault("U1:lifted_joint:IN")
        self.assertAlmostEqual(diode_volts(self.circuit, "@OUT", edit=edit), 0.70, places=3)
        both = edit | self.with_fault("D1:missing_part")
        self.assertGreater(diode_volts(self.circuit, "@OUT", edit=both), 100.0)

    def test_ground_reads_nothing(self) -> None:
        self.assertEqual(diode_volts(self.circuit, "@GND"), 0.0)

    def test_resistance_through_fuse_and_across_ground(self) -> None:
        self.assertAlmostEqual(resistance_ohms(self.circuit, "F1.1", "F1.2"), 0.05, places=9)
        self.assertEqual(resistance_ohms(self.circuit, "F1.1", "F1.2", self.with_fault("F1:blown_fuse:1:2")), math.inf)
        self.assertAlmostEqual(resistance_ohms(self.circuit, "@CORE", "@GND"), 40.0, places=6)
        self.assertEqual(resistance_ohms(self.circuit, "@CORE", "@IN"), math.inf)
        shorted = self.with_fault("C1:hard_short:1", 2.0)
        self.assertAlmostEqual(resistance_ohms(self.circuit, "@CORE", "@IN", shorted), 42.05, places=6)
        self.assertEqual(resistance_ohms(self.circuit, "@GND", "@GND"), 0.0)

    def test_continuity_beeps_below_its_threshold(self) -> None:
        self.assertTrue(continuous(self.circuit, "F1.1", "F1.2"))
        self.assertFalse(continuous(self.circuit, "F1.1", "F1.2", self.with_fault("F1:blown_fuse:1:2")))
        self.assertFalse(continuous(self.circuit, "@CORE", "@GND"))
        self.assertTrue(continuous(self.circuit, "@CORE", "@GND", most_ohms=50.0))

    def test_unknown_address_is_a_key_error(self) -> None:
        with self.assertRaises(KeyError):
            diode_volts(self.circuit, "U9.X")


def dense_volts(circuit: Circuit, edit: Edit, source: int) -> np.ndarray:
    """The whole board at once, assembled here from the elements alone, by damped Newton."""
    count = len(circuit.nodes)
    matrix = np.eye(count) * 1e-12  # enough for a node of its own; ours leaks at one node of an island only
    edges = [(r.a, r.b, r.ohms) for i, r in enumerate(circuit.resistances) if i not in edit.cut_resistances]
    for a, b, ohms in (*edges, *edit.joins(circuit)):
        for node, other in ((a, b), (b, a)):
            if node != GROUND:
                matrix[node, node] += 1 / ohms
                if other != GROUND:
                    matrix[node, other] -= 1 / ohms
    live = [j for i, j in enumerate(circuit.junctions)
            if i not in edit.cut_junctions and j.log_is_red_ground is not None]
    at = np.array([j.node for j in live])
    saturation = np.exp(np.array([j.log_is_red_ground for j in live], dtype=float))
    volts = np.full(count, 0.4)
    for _ in range(400):
        residual = matrix @ volts
        jacobian = matrix.copy()
        # Bisection for the junctions' currents, so that nothing of the program's own inverse is used.
        low, high = np.zeros(len(live)), np.abs(volts[at]) / SERIES_OHMS + 1.0
        for _step in range(80):
            middle = (low + high) / 2
            drop = IDEALITY_TIMES_THERMAL_VOLTS * np.log1p(middle / saturation) + middle * SERIES_OHMS
            low, high = np.where(drop < volts[at], middle, low), np.where(drop < volts[at], high, middle)
        np.add.at(residual, at, low)
        np.add.at(jacobian, (at, at), 1 / (IDEALITY_TIMES_THERMAL_VOLTS / (low + saturation) + SERIES_OHMS))
        residual[source] -= TEST_AMPS
        step = np.linalg.solve(jacobian, residual)
        volts -= np.clip(step, -0.2, 0.2)
        if np.max(np.abs(step)) < 1e-9:
            break
    return volts


class WholeBoardTest(unittest.TestCase):
    """Islands against the dense solution of the whole Duo board."""

    FAULTS = ("U1:hard_short:CC2", "C17:hard_short:1", "J1:crossed_contacts:A4:A5", "FL5:bridged_windings:1:3",
              "J1:shell_contact:B8", "U3:partial_short:RX2P", "R1:missing_part", "D2:leaky_part:1")

    def test_islands_agree_with_the_dense_solution(self) -> None:
        board = duo_board()
        circuit = build_circuit(board)
        faults = enumerate_faults(board)
        for name in self.FAULTS:
            fault = fault_named(faults, name)
            edit = edit_for(board, circuit, fault, fault.variants[-1][0])
            nodes = {circuit.address_node[f"{fault.part}.{t}"] for t in fault.terminals} or {
                circuit.address_node["R1.2"]}
            for node in sorted(nodes - {GROUND}):
                address = next(a for a, n in circuit.address_node.items() if n == node)
                with self.subTest(name, address=address):
                    dense = dense_volts(circuit, edit, node)[node]
                    self.assertAlmostEqual(diode_volts(circuit, address, edit=edit), float(dense), places=5)

    def test_every_fault_kind_of_the_pack_changes_something_or_is_quiet(self) -> None:
        board = duo_board()
        circuit = build_circuit(board)
        kinds = set()
        for fault in enumerate_faults(board):
            kinds.add(fault.kind)
            edit = edit_for(board, circuit, fault, fault.variants[0][0])
            changed = bool(edit.cut_resistances or edit.cut_junctions or edit.added or edit.moved)
            if fault.kind is FaultKind.QUIET_FAILURE:
                self.assertFalse(changed, fault.id)
        self.assertEqual(kinds, set(FaultKind))

    def test_open_contact_reads_open_only_at_its_own_surface(self) -> None:
        board = duo_board()
        circuit = build_circuit(board)
        fault = fault_named(enumerate_faults(board), "J1:open_contact:B5")
        edit = edit_for(board, circuit, fault)
        self.assertGreater(diode_volts(circuit, "J1.B5", edit=edit), 100.0)
        self.assertAlmostEqual(diode_volts(circuit, "J1.B5/tail", edit=edit), diode_volts(circuit, "J1.B5/tail"),
                               places=4)

    def test_broken_trace_parts_the_far_end_from_the_near(self) -> None:
        board = duo_board()
        circuit = build_circuit(board)
        edit = edit_for(board, circuit, fault_named(enumerate_faults(board), "trace:broken_trace:CC2"))
        self.assertAlmostEqual(diode_volts(circuit, "J1.B5", edit=edit), 0.74, places=3)
        self.assertAlmostEqual(diode_volts(circuit, "U1.CC2", edit=edit), 0.585, places=3)


class FitTest(unittest.TestCase):
    def test_fitted_circuit_reads_the_known_good(self) -> None:
        circuit = build_circuit(line_board())
        fitted = fit_to_known_good(circuit, {"@IN": 0.50, "@CORE": 0.033})
        self.assertAlmostEqual(diode_volts(fitted, "@IN"), 0.50, places=4)
        self.assertAlmostEqual(diode_volts(fitted, "@CORE"), 0.033, places=4)

    def test_fit_of_its_own_reading_changes_nothing(self) -> None:
        circuit = build_circuit(line_board())
        here = diode_volts(circuit, "@IN")
        self.assertAlmostEqual(diode_volts(fit_to_known_good(circuit, {"@IN": here}), "@OUT"),
                               diode_volts(circuit, "@OUT"), places=6)

    def test_what_can_not_be_fitted_stays_as_far_as_it_settles(self) -> None:
        """A junction of two volts, as a slip in a pack has it, where good boards read half a volt."""
        board = line_board()
        far = replace(board, components=tuple(replace(part, terminals=tuple(
            replace(pin, junction_volts=2.0) if pin.junction_volts is not None else pin for pin in part.terminals))
            for part in board.components))
        for wanted in (0.02, 0.52, 1.0, 3.0):
            fitted = fit_to_known_good(build_circuit(far), {"@IN": wanted, "@OUT": wanted})
            self.assertTrue(0.0 < diode_volts(fitted, "@IN") < 5.0, wanted)

    def test_open_targets_are_left_alone(self) -> None:
        circuit = build_circuit(line_board())
        fitted = fit_to_known_good(circuit, {"@IN": math.inf})
        self.assertEqual(diode_volts(fitted, "@IN"), diode_volts(circuit, "@IN"))

    def test_no_edit_is_no_edit(self) -> None:
        self.assertEqual(NOTHING | NOTHING, NOTHING)
