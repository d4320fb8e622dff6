"""Posterior against brute force, properties, repairs in time, and written stories with computed readings."""

from __future__ import annotations

import math
import unittest
from dataclasses import replace
from itertools import pairwise
from pathlib import Path

import numpy as np
from scipy.stats import norm
from scipy.stats import t as student

from dextrum.app.advising.assess import assess
from dextrum.core.advice.recommend import build_advice_model
from dextrum.core.assumptions.breaking import BREAKS_ONE
from dextrum.core.assumptions.packs import POINT_SURE, SEEN_ELSEWHERE_OFF
from dextrum.core.assumptions.readings import (
    ELSE_GROUND,
    ELSE_GROUND_VOLTS,
    ELSE_OPEN,
    ELSE_SHARE,
    LEAK_SIZE_SHARE,
    MODEL_SHARE,
    MODEL_VOLTS,
    ODD_FROM_VOLTS,
    ODD_PART,
    ODD_VOLTS,
    SHORT_OHMS_SHARE,
    SHORT_VOLTS,
    UNREFERENCED_VOLTS,
    WRONG_POINT,
)
from dextrum.core.board import UNLISTED_PART, FaultKind, Function, Method
from dextrum.core.circuit.edit import Edit
from dextrum.core.circuit.network import build_circuit
from dextrum.core.circuit.solve import diode_volts, resistance_ohms
from dextrum.core.diagnosis.after_repair import weigh_trail
from dextrum.core.diagnosis.evidence import gather_evidence
from dextrum.core.diagnosis.functions import joined_nets, state_chances, symptom_chance
from dextrum.core.diagnosis.likelihood import CONTACT_FAILURE, reading_log_likelihood
from dextrum.core.diagnosis.model import build_model
from dextrum.core.diagnosis.posterior import suspects, weigh_sets
from dextrum.core.faults.registry import edit_for
from dextrum.core.reference.judge import SHORT_SHARE
from dextrum.core.reference.table import NO_REFERENCES
from dextrum.core.trail import (
    Cell,
    Intake,
    JobOpened,
    Look,
    Payload,
    PointReading,
    Proof,
    RailVolts,
    Readings,
    Rework,
    Strike,
    Supply,
)
from dextrum.instruments.simulated_board import METER_M1, SimulatedBoard
from tests.support import DUO, duo_advice, duo_board, fault_named, line_board, trail_of

RED = Method.DIODE_RED_GROUND
OPENED = JobOpened("T-1", "Tarnwick Duo", "tarnwick-duo-c")


def read(**values: float) -> Readings:
    return Readings(RED, tuple(PointReading(p.replace("_", "."), v) for p, v in values.items()), "M1")


def simulated(fault: str, seed: int = 1) -> SimulatedBoard:
    faults = duo_advice().model.hypotheses.faults
    found = fault_named(faults, fault)
    return SimulatedBoard(duo_board(), [(found, found.variants[0][0])], np.random.default_rng(seed))


def scan(unit: SimulatedBoard, *points: str) -> Readings:
    return Readings(RED, tuple(PointReading(p, unit.read(p, RED, METER_M1)) for p in points), "M1")


class BruteForceTest(unittest.TestCase):
    """Every row of the little line board by its own full solution, with the density written out here."""

    SEEN = (("P1", 0.545), ("P3", 0.04))
    """On two pieces of copper that no row joins, so their densities multiply."""

    def density(self, row: int, predicted: float, healthy: float, value: float) -> float:
        """Student t of four degrees round the prediction, mixed with slips; the spreads are the documented ones."""
        changed = abs(predicted - healthy) > 1e-9
        spread = UNREFERENCED_VOLTS
        away = abs(predicted - healthy)
        if changed and predicted < SHORT_SHARE * healthy:
            spread = SHORT_OHMS_SHARE * predicted + SHORT_VOLTS
        elif changed and predicted < healthy and away > MODEL_VOLTS:
            spread = math.hypot(spread, LEAK_SIZE_SHARE * away + MODEL_VOLTS)
        elif changed:
            spread = math.hypot(spread, MODEL_SHARE * away + MODEL_VOLTS)
        good = float(student.pdf((value - predicted) / spread, 4) / spread)
        if predicted >= ODD_FROM_VOLTS:
            good = (1 - ODD_PART) * good + ODD_PART * float(norm.pdf(value, predicted, math.hypot(spread, ODD_VOLTS)))
        mixed = (1 - CONTACT_FAILURE - WRONG_POINT) * good + WRONG_POINT / 2.0
        anywhere = ELSE_GROUND * math.exp(-value / ELSE_GROUND_VOLTS) / ELSE_GROUND_VOLTS + (
            1 - ELSE_OPEN - ELSE_GROUND) / 2.0
        as_good = float(student.pdf((value - healthy) / UNREFERENCED_VOLTS, 4) / UNREFERENCED_VOLTS)
        mixed = POINT_SURE * mixed + (1 - POINT_SURE) * (
            (1 - SEEN_ELSEWHERE_OFF) * as_good + SEEN_ELSEWHERE_OFF * anywhere)
        if row != 1:
            return mixed
        return (1 - ELSE_SHARE) * mixed + ELSE_SHARE * anywhere

    def test_posterior_is_bayes_over_every_row(self) -> None:
        board = replace(line_board(), share_of_two=0.0, share_of_three=0.0)
        model = build_model(board, NO_REFERENCES)
        circuit, hypotheses = build_circuit(board), model.hypotheses
        weight = np.exp(hypotheses.log_prior)
        for row in range(hypotheses.count):
            edit = Edit() if row < 2 else edit_for(
                board, circuit, hypotheses.faults[int(hypotheses.fault_of_row[row])], float(hypotheses.ohms[row]))
            for point, value in self.SEEN:
                at = board.point_by_id[point].at
                weight[row] *= self.density(row, diode_volts(circuit, at, edit=edit), diode_volts(circuit, at), value)
        taken = Readings(RED, tuple(PointReading(p, v) for p, v in self.SEEN))
        found = weigh_sets(model, gather_evidence(model, trail_of(OPENED, taken)))
        np.testing.assert_allclose(found.rows, weight / weight.sum(), rtol=1e-6, atol=1e-9)

    def test_the_chance_of_any_of_several_is_that_of_the_sets_that_hold_one(self) -> None:
        posterior = weigh_trail(duo_advice().model, trail_of(JobOpened("T-1", "Tarnwick Duo", DUO), Intake(
            "x", ("no_charge", "no_dock")), Look(("clean",))))
        rows = posterior.hypotheses.count
        generator = np.random.default_rng(3)
        left = posterior.remaining_sets()
        for share in (0.01, 0.2, 0.9):
            chosen = generator.random(rows) < share
            by_hand = sum(float(weight) for members, weight in zip(left.rows, left.weight, strict=True)
                          if any(row >= 0 and chosen[row] for row in members))
            found = posterior.chance_of_any(chosen)
            self.assertAlmostEqual(found, by_hand, places=9)
            apart = left.marginal(rows)[chosen]
            self.assertLessEqual(found, float(apart.sum()) + 1e-9)
            self.assertGreaterEqual(found, float(apart.max(initial=0.0)) - 1e-9)
        self.assertEqual(posterior.chance_of_any(np.zeros(rows, bool)), 0.0)
        self.assertAlmostEqual(posterior.chance_of_any(np.ones(rows, bool)), 1.0, places=6)

    def test_prior_adds_up_and_follows_the_pack(self) -> None:
        board = line_board()
        hypotheses = build_model(board, NO_REFERENCES).hypotheses
        prior = np.exp(hypotheses.log_prior)
        self.assertAlmostEqual(float(prior.sum()), 1.0, places=12)
        self.assertAlmostEqual(prior[0], board.prior_nothing)
        by_fault = {f.id: p for f, p in zip(hypotheses.faults, hypotheses.per_fault(prior), strict=True)}
        self.assertAlmostEqual(by_fault["F1:blown_fuse:1:2"] / by_fault["C1:hard_short:1"], 2.0, places=9)

    def test_what_nobody_lists_goes_half_by_the_parts_and_nets_that_a_function_needs_itself(self) -> None:
        board = replace(line_board(), functions=(
            Function("power", "has power", (), ("IN", "OUT"), ("OUT",)),
            Function("run", "runs", ("U1",), (), ("CORE",)),
            Function("lamp", "lamp is lit", functions=("power",)), Function("idea", "has ideas"),
            Function("charge", "charges", ("U1", "F1"), ("IN", "OUT"), (), ("power",))))
        hypotheses = build_model(board, NO_REFERENCES).hypotheses
        prior = hypotheses.per_fault(np.exp(hypotheses.log_prior))
        found = {f.id: float(p) for f, p in zip(hypotheses.faults, prior, strict=True) if f.part == UNLISTED_PART}
        for name, needs in (("power", 2), ("run", 2), ("idea", 1), ("charge", 4)):
            share = 0.5 / 4.0 + 0.5 * needs / 9.0  # half as any of the four, half by the nine parts and nets
            whole = board.prior_something_else * BREAKS_ONE
            self.assertAlmostEqual(found.pop(f"else:{name}"), whole * share, places=12)
        self.assertEqual({}, found, "what only hangs on others has nothing of its own that could break")


class PropertyTest(unittest.TestCase):
    def posterior(self, *payloads: Payload) -> np.ndarray:
        model = duo_advice().model
        return weigh_sets(model, gather_evidence(model, trail_of(OPENED, *payloads))).rows

    def test_order_of_readings_does_not_matter(self) -> None:
        unit = simulated("U1:hard_short:CC2")
        points = list(duo_board().port_point_ids())
        one = [scan(unit, p) for p in points]
        np.testing.assert_allclose(self.posterior(*one), self.posterior(*one[::-1]), rtol=1e-9, atol=1e-15)

    def test_one_scan_or_single_readings_are_the_same(self) -> None:
        unit = simulated("FL3:open_winding:1:2")
        whole = scan(unit, *duo_board().port_point_ids())
        single = [Readings(RED, (r,), "M1") for r in whole.readings]
        np.testing.assert_allclose(self.posterior(whole), self.posterior(*single), rtol=1e-9, atol=1e-15)

    def test_striking_out_restores(self) -> None:
        model = duo_advice().model
        before = trail_of(OPENED, read(J1_B5=0.001))
        struck = (*before, *trail_of(OPENED, OPENED, read(J1_A10=math.inf), Strike("e2"))[2:])
        for trail in (before, struck):
            with self.subTest(len(trail)):
                rows = weigh_sets(model, gather_evidence(model, trail)).rows
                np.testing.assert_allclose(rows, self.posterior(read(J1_B5=0.001)), atol=1e-15)

    def test_a_wilder_value_never_sharpens_the_healthy(self) -> None:
        good, *wild = [self.posterior(read(J1_B5=v))[0] for v in (0.586, 0.56, 0.50, 0.40, 0.01)]
        self.assertTrue(all(good > chance for chance in wild))

    def test_more_scatter_never_tells_more(self) -> None:
        """What a reading is expected to tell of all faults (mutual information, in nats) as boards scatter more."""
        model = duo_advice().model
        prior = np.exp(model.hypotheses.log_prior)
        step = 0.004
        for point in ("J1.B5", "J1.A2", "C22.1"):
            told = []
            for wider in (1.0, 1.5, 2.0, 3.0):
                density = np.exp(np.stack([found for volts in np.arange(step, 1.6, step) if (
                    found := reading_log_likelihood(model, point, RED, float(volts), wider=wider)) is not None]))
                told.append(step * float((prior * density * np.log(density / (density @ prior)[:, None])).sum()))
            self.assertTrue(all(more >= less for more, less in pairwise(told)), (point, told))
            self.assertGreater(told[0], told[-1] + 1e-3, point)

    def test_copper_read_twice_is_not_counted_twice(self) -> None:
        """Four contacts of one net, all the same few millivolts low, are one deviation and not four."""
        low = 0.494
        one = self.posterior(read(J1_A4=low))[0]
        four = self.posterior(read(J1_A4=low, J1_A9=low, J1_B4=low, J1_B9=low))[0]
        self.assertGreater(four / one, 0.4)

    def test_a_leak_between_two_sizes_is_no_odd_board(self) -> None:
        """600 ohms lie between a partial short of 320 and a leak of 1500; no row reads just that."""
        faults = duo_advice().model.hypotheses.faults
        found = fault_named(faults, "C34:leaky_part:1")
        unit = SimulatedBoard(duo_board(), [(found, 600.0)], np.random.default_rng(4))
        rows = self.posterior(Intake("", ("fan_still",)), scan(unit, "C33.1"), scan(unit, "C33.1"))
        rail = duo_board().component_by_designator["C34"].terminal("1").net
        on_rail = {c.designator for c in duo_board().components if any(t.net == rail for t in c.terminals)}
        pulls = {FaultKind.LEAKY_PART, FaultKind.PARTIAL_SHORT}
        mine = np.array([f.part in on_rail and f.kind in pulls for f in faults] + [False])
        pulled = float(rows[mine[duo_advice().model.hypotheses.fault_of_row]].sum())
        self.assertGreater(pulled, 10.0 * float(rows[0]))
        self.assertGreater(pulled, 0.3)

    def test_a_rail_that_is_up_does_not_clear_the_short_that_was_read_on_it(self) -> None:
        """180 ohms on VCHG: the rail stands, the charger fails all the same, and is no second fault for that."""
        faults = duo_advice().model.hypotheses.faults
        unit = SimulatedBoard(duo_board(), [(fault_named(faults, "U1:partial_short:VOUT"), 180.0)],
                              np.random.default_rng(6))
        rows = self.posterior(Intake("", ("no_charge",)), Cell("unplugged"), scan(unit, "TP10"), scan(unit, "TP10"),
                              RailVolts("VCHG", 9.05, "a"), Proof("charge_a", False), Proof("charge_b", False))
        by_fault = duo_advice().model.hypotheses.per_fault(rows)
        shorted = sum(float(chance) for f, chance in zip(faults, by_fault, strict=True)
                      if f.kind in (FaultKind.PARTIAL_SHORT, FaultKind.HARD_SHORT))
        dead = next(float(chance) for f, chance in zip(faults, by_fault, strict=True) if f.id == "U2:quiet_failure")
        self.assertGreater(shorted, 0.9)
        self.assertLess(dead, 0.3)

    def test_a_second_touch_makes_an_open_surer(self) -> None:
        once = self.posterior(read(J1_B5=math.inf))
        twice = self.posterior(read(J1_B5=math.inf), read(J1_B5=math.inf))
        self.assertLess(twice[0], once[0])

    def test_wavering_readings_do_not_count(self) -> None:
        wavering = Readings(RED, (PointReading("J1.B5", 0.1, True),), "M1")
        np.testing.assert_allclose(self.posterior(wavering), self.posterior())

    def test_unknown_points_and_symptoms_are_left_out(self) -> None:
        np.testing.assert_allclose(self.posterior(read(X9_1=0.3), Intake("x", ("strange",))), self.posterior())


class RepairTest(unittest.TestCase):
    """Repairs divide the trail; both sides keep speaking."""

    def test_short_gone_after_the_repair_convicts_the_part(self) -> None:
        model = duo_advice().model
        base = (OPENED, Cell("unplugged"), read(J1_B5=0.0), Rework("replace", "C14"))
        gone = weigh_sets(model, gather_evidence(model, trail_of(*base, read(J1_B5=0.585))))
        still = weigh_sets(model, gather_evidence(model, trail_of(*base, read(J1_B5=0.0))))
        c14 = [i for i, f in enumerate(model.hypotheses.faults) if f.part == "C14"]
        self.assertGreater(gone.faults[c14].sum(), 0.8)
        self.assertLess(still.faults[c14].sum(), 0.03)
        alone = build_model(replace(duo_board(), share_of_two=0.0, share_of_three=0.0), model.references)
        single = weigh_sets(alone, gather_evidence(alone, trail_of(*base, read(J1_B5=0.585))))
        self.assertGreater(float(single.remaining_rows()[0]), 0.8)
        # Of the units with one fault known, four in ten have a second by the pack's shares, and nothing else was read.
        self.assertGreater(float(gone.remaining_rows()[0]), 0.5)
        self.assertLess(float(still.remaining_rows()[0]), 0.1)

    def test_failed_check_speaks_against_a_finished_repair(self) -> None:
        model = duo_advice().model
        base = (OPENED, Intake("x", ("no_dock",)), Rework("replace", "U3"))
        good, bad = (weigh_sets(model, gather_evidence(model, trail_of(*base, Proof("dock_a", p), Proof("dock_b", p))))
                     for p in (True, False))
        self.assertGreater(float(good.remaining_rows()[0]), float(bad.remaining_rows()[0]) * 3)


class FunctionTest(unittest.TestCase):
    def test_states_are_chances(self) -> None:
        model = duo_advice().model
        for orientation in "ab":
            chances = state_chances(model.board, model.broken, orientation)
            np.testing.assert_allclose(chances.sum(axis=1), 1.0, atol=2e-3)

    def test_one_open_cc_stops_one_orientation_only(self) -> None:
        model = duo_advice().model
        index = next(i for i, f in enumerate(model.hypotheses.faults) if f.id == "J1:open_contact:B5")
        row = int(np.flatnonzero(model.hypotheses.fault_of_row == index)[0])
        none = [s.id for s in model.board.draw_states].index("none")
        self.assertLess(state_chances(model.board, model.broken, "a")[row, none], 0.1)
        self.assertGreater(state_chances(model.board, model.broken, "b")[row, none], 0.8)

    def test_zero_ohm_link_takes_the_neighbour_rail_down(self) -> None:
        self.assertIn("V3V3", joined_nets(duo_board())["V3V3_AV"])
        self.assertNotIn("SYS", joined_nets(duo_board())["V3V3_AV"])

    def test_symptom_leaks_only_a_little_when_all_works(self) -> None:
        model = duo_advice().model
        self.assertAlmostEqual(float(symptom_chance(model.board, model.broken, "no_dock")[0]), 0.04)


class StoryTest(unittest.TestCase):
    """Each a story: what is hidden, what is read (by the circuit), what must lead, and why."""

    def leaders(self, *payloads: Payload, most: int = 3) -> list[str]:
        model = duo_advice().model
        found = weigh_sets(model, gather_evidence(model, trail_of(OPENED, *payloads)))
        return [s.fault.id for s in suspects(found, most)]

    def test_grounded_cc2_blames_everything_on_that_copper_and_the_chip_most(self) -> None:
        unit = simulated("U1:hard_short:CC2")
        found = self.leaders(scan(unit, *duo_board().port_point_ids()), most=4)
        self.assertEqual(found[0], "U1:hard_short:CC2")
        self.assertEqual({f.split(":")[0] for f in found}, {"U1", "C14", "D1", "J1"})

    def test_open_lane_with_good_tail_is_the_contact(self) -> None:
        unit = simulated("J1:open_contact:B3")
        found = self.leaders(scan(unit, *duo_board().port_point_ids(), "J1.B3/tail"), most=1)
        self.assertEqual(found, ["J1:open_contact:B3"])

    def test_open_winding_is_found_by_its_own_resistance(self) -> None:
        unit = simulated("FL5:open_winding:3:4")
        through = Readings(Method.RESISTANCE, (PointReading("FL5.3-4", unit.read("FL5.3-4", Method.RESISTANCE,
                                                                                 METER_M1)),), "M1")
        self.assertEqual(self.leaders(scan(unit, *duo_board().port_point_ids()), through, most=1),
                         ["FL5:open_winding:3:4"])

    def test_filter_good_through_but_bridged_needs_the_reading_across(self) -> None:
        unit = simulated("FL1:bridged_windings:1:3")
        across = Readings(Method.RESISTANCE, (PointReading("FL1.1-3", unit.read("FL1.1-3", Method.RESISTANCE,
                                                                                METER_M1)),), "M1")
        self.assertIn("FL1:bridged_windings:1:3", self.leaders(across, most=2))

    def test_all_readings_fine_and_the_code_points_at_a_quiet_chip(self) -> None:
        unit = simulated("U3:quiet_failure")
        found = self.leaders(Intake("x", ("no_dock", "code_T34")), Look(("clean",)),
                             Supply("a", 9.0, 1.9), Supply("b", 9.0, 1.9),
                             scan(unit, *duo_board().port_point_ids()), most=1)
        self.assertEqual(found, ["U3:quiet_failure"])

    def test_no_draw_one_way_is_the_line_of_that_way(self) -> None:
        found = self.leaders(Look(("clean",)), Supply("a", 9.0, 1.9), Supply("b", 5.1, 0.0), most=6)
        self.assertTrue(all("CC2" in f or ":B5" in f or f.startswith(("C14", "D1")) or ":A5" not in f for f in found))
        self.assertTrue(any(":B5" in f for f in found))
        self.assertFalse(any(":A5" in f for f in found))

    def test_no_draw_both_ways_with_vbus_open_is_the_fuse(self) -> None:
        unit = simulated("F1:blown_fuse:1:2")
        found = self.leaders(Supply("a", 5.1, 0.0), Supply("b", 5.1, 0.0),
                             scan(unit, "F1.1", "F1.2", *duo_board().port_point_ids()), most=1)
        self.assertEqual(found, ["F1:blown_fuse:1:2"])

    def test_steady_rhythm_means_a_short_on_vbus(self) -> None:
        model = duo_advice().model
        trail = trail_of(OPENED, Supply("a", 3.0, 0.4, 1, "blinking"), Supply("b", 3.2, 0.3, 1, "blinking"))
        found = suspects(weigh_sets(model, gather_evidence(model, trail)), 8)
        shorts = sum(s.probability for s in found if s.fault.kind in (
            FaultKind.HARD_SHORT, FaultKind.PARTIAL_SHORT, FaultKind.SHELL_CONTACT, FaultKind.CROSSED_CONTACTS))
        self.assertGreater(shorts / sum(s.probability for s in found), 0.7)

    def test_capacitor_beside_the_wrong_chip_does_not_single_out_that_chip(self) -> None:
        unit = simulated("C17:hard_short:1")
        found = self.leaders(scan(unit, "C17.1", "C16.1", "C30.1", "C12.1"), most=12)
        self.assertFalse(any(f.startswith("U1") and "V33" not in f for f in found))

    def test_bent_contacts_seen_raise_the_port(self) -> None:
        model = duo_advice().model

        def port(look: Look) -> float:
            found = weigh_sets(model, gather_evidence(model, trail_of(OPENED, look)))
            return float(sum(p for f, p in zip(model.hypotheses.faults, found.faults, strict=True) if f.part == "J1"))

        self.assertGreater(port(Look(("bent",), ("A5", "A6"))), port(Look(("clean",))) * 2)

    def test_supply_never_proved_is_weaker_evidence(self) -> None:
        model = duo_advice().model

        def nothing(proved: bool) -> float:
            trail = trail_of(OPENED, Supply("a", 5.1, 0.0, 1, "steady", proved),
                             Supply("b", 5.1, 0.0, 1, "steady", proved))
            return weigh_sets(model, gather_evidence(model, trail)).nothing

        self.assertGreater(nothing(False), nothing(True) * 5)

    def test_leaky_and_partial_shorts_are_told_from_hard_ones(self) -> None:
        unit = simulated("U1:partial_short:CC1")
        found = self.leaders(scan(unit, *duo_board().port_point_ids()), most=2)
        self.assertTrue(any("partial_short" in f for f in found))

    def test_crossed_contacts_show_on_both_lines(self) -> None:
        unit = simulated("J1:crossed_contacts:A5:A6")
        self.assertEqual(self.leaders(scan(unit, *duo_board().port_point_ids()), most=1),
                         ["J1:crossed_contacts:A5:A6"])

    def test_core_rail_on_ground_is_beyond_the_port(self) -> None:
        unit = simulated("U7:hard_short:CORE")
        found = self.leaders(scan(unit, "C40.1", "L2.1"), most=3)
        self.assertFalse(any(f.startswith("J1") for f in found))
        self.assertAlmostEqual(unit.true_value("C40.1", RED), 0.0003, delta=0.002)
        self.assertAlmostEqual(SimulatedBoard(duo_board(), (), np.random.default_rng(1)).true_value("C40.1", RED),
                               0.038, delta=0.006)

    def test_what_no_two_faults_of_the_pack_explain_is_admitted_as_something_else(self) -> None:
        """Where a pack allows no second fault, a ground here and an open there are something it doesn't know."""
        unit = simulated("U1:hard_short:CC2")
        unit.faults.append((fault_named(duo_advice().model.hypotheses.faults, "FL3:open_winding:1:2"), 0.0))
        alone = replace(duo_board(), share_of_two=0.0, share_of_three=0.0)
        model = build_model(alone, duo_advice().model.references)
        trail = trail_of(OPENED, scan(unit, *duo_board().port_point_ids()), scan(unit, "J1.B2"),
                         scan(unit, "J1.B5"))
        found = weigh_sets(model, gather_evidence(model, trail))
        self.assertGreater(found.something_else, 0.2)


class WorkedExampleTest(unittest.TestCase):
    """docs/diagnosis.md works one touch out by hand."""

    DOCS = Path(__file__).parent.parent / "docs" / "diagnosis.md"

    def setUp(self) -> None:
        self.model = duo_advice().model
        self.evidence = gather_evidence(self.model, trail_of(
            JobOpened("T-1", "Tarnwick Duo", DUO), Cell("unplugged"),
            Readings(Method.DIODE_RED_GROUND, (PointReading("J1.B5", 0.0),), "M1")))
        text = self.DOCS.read_text()
        self.text = text[text.index("## A worked example"):text.index("## Elimination")]

    def row(self, name: str) -> int:
        if name in ("nothing", "something else"):
            return ("nothing", "something else").index(name)
        fault, _, ohms = name.rpartition(" ")
        h = self.model.hypotheses
        return next(r for r in range(2, h.count) if h.faults[h.fault_of_row[r]].id == fault
                    and h.ohms[r] == float(ohms))

    def test_the_table_is_what_the_program_weighs(self) -> None:
        told = [[cell.strip() for cell in line.strip("|").split("|")] for line in self.text.splitlines()
                if line.startswith("| ") and not line.startswith(("| row", "|--"))]
        self.assertEqual(len(told), 8)
        column = self.model.red_ground.column["J1.B5"]
        for name, *numbers in told:
            row = self.row(name)
            prior = math.exp(self.model.hypotheses.log_prior[row])
            p = math.exp(self.evidence.log_likelihood[-1, row])
            reads = self.model.red_ground.values[row, column]
            for said, found in zip(numbers, (prior, reads, p, prior * p), strict=True):
                self.assertAlmostEqual(float(said), found, delta=0.5e-2 * abs(found) + 0.5e-4, msg=name)

    def test_its_numbers_by_hand_and_what_comes_of_them(self) -> None:
        t = float(student.pdf((0.0 - 0.0003) / 0.0021, 9.9)) / 0.0021
        self.assertAlmostEqual(t, 183.0, delta=1.5)
        self.assertAlmostEqual(0.995 * (0.98 * t + 0.01 * 0.5), 178.0, delta=1.5)
        found = weigh_sets(self.model, self.evidence)
        chance: dict[str, float] = {}
        for fault, own in zip(found.hypotheses.faults, found.faults, strict=True):
            chance[fault.part] = chance.get(fault.part, 0.0) + float(own)
        for part, said in (("U1", 0.54), ("J1", 0.42), ("C14", 0.17), ("D1", 0.13)):
            self.assertIn(f"{said}", self.text)
            self.assertAlmostEqual(chance[part], said, delta=0.006, msg=part)


class ResistanceTest(unittest.TestCase):
    def test_predictions_agree_with_single_solutions(self) -> None:
        model = duo_advice().model
        table = model.resistance
        rows = [int(np.flatnonzero(model.hypotheses.fault_of_row == i)[0]) for i, f in enumerate(
            model.hypotheses.faults) if f.id in ("FL5:open_winding:3:4", "FL1:bridged_windings:1:3", "R1:missing_part")]
        for row in rows:
            fault = model.hypotheses.faults[int(model.hypotheses.fault_of_row[row])]
            edit = edit_for(model.board, model.circuit, fault, float(model.hypotheses.ohms[row]))
            for point in model.board.points:
                if point.to is None:
                    continue
                ohms = resistance_ohms(model.circuit, point.at, point.to, edit)
                shown = float(table.values[row, table.column[point.id]])
                self.assertTrue(shown == ohms or abs(shown - ohms) < 1e-9 or ohms > 5e7, (fault.id, point.id))


class AssessTest(unittest.TestCase):
    def test_same_trail_same_result(self) -> None:
        trail = trail_of(OPENED, Intake("x", ("no_charge",)), read(J1_B5=0.001))
        one, two = assess(duo_advice(), trail), assess(duo_advice(), trail)
        np.testing.assert_array_equal(one.posterior.rows, two.posterior.rows)
        self.assertEqual(one.advice, two.advice)

    def test_empty_job_and_board_without_parts(self) -> None:
        found = assess(duo_advice(), trail_of(OPENED))
        self.assertEqual(found.advice.next.kind, "look")
        board = line_board()
        bare = build_advice_model(build_model(board.__class__(
            "bare", "Bare", "Bare", "B", "A", board.outline_mm), NO_REFERENCES))
        self.assertEqual(assess(bare, trail_of(OPENED)).suspects, ())
