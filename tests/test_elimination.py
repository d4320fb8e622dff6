"""Loads taken off, rails injected and rails under power: what they change in the network, and what they say."""

from __future__ import annotations

import unittest
from dataclasses import replace

import numpy as np

from dextrum.app.advising.assess import Assessment, assess
from dextrum.app.advising.reason_words import beyond_words, change_words, load_words
from dextrum.app.bench.simulated_technician import SimulatedTechnician, with_fault
from dextrum.core.advice.repairs import lifting
from dextrum.core.advice.ways_of_seeing import WAY_BY_WORD
from dextrum.core.board import UNLISTED_PART, Method
from dextrum.core.board.pull_up import pull_up_of
from dextrum.core.circuit.injecting import (
    injection_limits,
    limits_held_to_a_watt,
    limits_on_pulled_up,
    same_setting,
)
from dextrum.core.circuit.isolation import isolation_edit
from dextrum.core.circuit.solve import diode_volts
from dextrum.core.diagnosis.evidence import gather_evidence
from dextrum.core.diagnosis.hypotheses import NOTHING_ROW
from dextrum.core.diagnosis.injection import (
    chance_seen,
    rail_nets,
    rail_shorts,
    short_seen,
    warmth_log_likelihood,
    watts_in,
)
from dextrum.core.diagnosis.posterior import weigh_sets
from dextrum.core.faults.registry import edit_for
from dextrum.core.faults.taken_along import taken_along
from dextrum.core.job import job_facts
from dextrum.core.reference.own_scale import AS_USUAL, USUAL_SLIPS, own_scale, slip_share
from dextrum.core.safety.gates import held_gates, most_volts
from dextrum.core.trail import (
    Access,
    Cell,
    Injection,
    Intake,
    Isolation,
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
    with_isolation,
)
from dextrum.instruments.simulated_board import METER_M1, SimulatedBoard
from dextrum.store.entries import payload_from_json, payload_to_json, payload_version
from tests.support import START, duo_advice, duo_board, fault_named, trail_of

RED = Method.DIODE_RED_GROUND
OPENED = JobOpened("T-1", "Tarnwick Duo", "tarnwick-duo-c")
BEGUN: tuple[Payload, ...] = (OPENED, Look(("clean",)), Supply("a", 5.05, 0.06), Supply("b", 5.05, 0.06),
                              Cell("unplugged"))


def unit_with(*faults: str, seed: int = 3) -> SimulatedBoard:
    known = duo_advice().model.hypotheses.faults
    return SimulatedBoard(duo_board(), [(f, f.variants[0][0]) for f in (fault_named(known, n) for n in faults)],
                          np.random.default_rng(seed))


def read(unit: SimulatedBoard, *points: str) -> Readings:
    return Readings(RED, tuple(PointReading(p, unit.read(p, RED, METER_M1)) for p in points), "M1")


def assessed(*payloads: Payload) -> Assessment:
    return assess(duo_advice(), trail_of(*payloads))


def chance(done: Assessment, part: str) -> float:
    faults = done.posterior.hypotheses.faults
    return float(sum(c for f, c in zip(faults, done.posterior.faults, strict=True) if f.part == part))


class IsolatingTest(unittest.TestCase):
    def test_predictions_are_the_network_solved_with_the_part_off(self) -> None:
        model = duo_advice().model
        rng = np.random.default_rng(5)
        for off in ({"R1"}, {"U1"}, {"J3", "R2"}, {"U3.VDD"}, {"C17"}):
            view = model.isolating(frozenset(off))
            base = isolation_edit(model.circuit, off)
            moved = np.flatnonzero(view.red_ground.moved)
            self.assertTrue(len(moved), off)
            near = np.flatnonzero(view.red_ground.touched[:, moved].any(axis=1))
            for row in [NOTHING_ROW, *rng.choice(near, min(12, len(near)), replace=False).tolist()]:
                edit = base
                if row != NOTHING_ROW:
                    fault = model.hypotheses.faults[int(model.hypotheses.fault_of_row[row])]
                    if not taken_along(fault, frozenset(off)):
                        edit = edit | edit_for(model.board, model.circuit, fault, float(model.hypotheses.ohms[row]))
                column = int(rng.choice(moved))
                point = model.board.points[column]
                volts = diode_volts(model.circuit, point.at, edit=edit)
                self.assertAlmostEqual(view.red_ground.values[row, column], volts if volts < 2.5 else float("inf"),
                                       delta=1e-6, msg=f"{off} row {row} at {point.id}")

    def test_a_part_that_is_off_takes_its_faults_along(self) -> None:
        view = duo_advice().model.isolating(frozenset({"C17"}))
        rows = [r for r in range(2, view.hypotheses.count)
                if view.hypotheses.faults[int(view.hypotheses.fault_of_row[r])].id == "C17:hard_short:1"]
        column = view.red_ground.column["R1.2"]
        np.testing.assert_allclose(view.red_ground.values[rows, column], view.red_ground.values[NOTHING_ROW, column])

    def test_nothing_off_or_nonsense_off_is_the_whole_board(self) -> None:
        model = duo_advice().model
        self.assertIs(model.isolating(frozenset()), model)
        self.assertIs(model.isolating(frozenset({"X99", "Q1.3", "U1.NOPIN"})), model)
        self.assertIs(model.isolating(frozenset({"R1"})).isolating(frozenset()), model)

    def test_a_trail_that_names_what_is_not_on_the_board_is_weighed_all_the_same(self) -> None:
        strange = (Isolation(("X99", "U1.NOPIN")), Injection("NOWHERE", 1.0, 1.0, "X99"), RailVolts("VXYZ", 1.0, "a"))
        done = assessed(*BEGUN, read(unit_with("C17:hard_short:1"), "R1.1"), *strange)
        self.assertEqual(done.facts.isolated, frozenset({"X99", "U1.NOPIN"}))
        self.assertTrue(done.advice.next.title)
        quiet = assessed(*BEGUN, *strange)
        self.assertEqual((quiet.advice.next.kind, quiet.advice.next.points), ("put_back", ("U1", "X99")))

    def test_functions_that_need_what_is_off_are_broken(self) -> None:
        model = duo_advice().model
        names = [f.id for f in model.board.functions]
        view = model.isolating(frozenset({"J3"}))
        self.assertGreater(view.broken[NOTHING_ROW, names.index("fan")], 0.9)
        self.assertEqual(view.broken[NOTHING_ROW, names.index("charge_a")], 0.0)

    def test_short_gone_convicts_what_is_off_and_still_there_clears_it(self) -> None:
        for fault, guilty in (("C17:hard_short:1", True), ("U1:hard_short:V33", False)):
            unit = unit_with(fault)
            trail: list[Payload] = [*BEGUN, read(unit, "R1.1")]
            before = chance(assessed(*trail), "C17")
            unit.isolate(Isolation(("C17",)))
            trail += [Isolation(("C17",)), read(unit, "R1.1")]
            after = chance(assessed(*trail), "C17")
            self.assertGreater(after if guilty else 1 - after, 0.9, fault)
            self.assertLess(before, 0.2)

    def test_both_sides_of_a_link_tell_where_the_short_is(self) -> None:
        unit = unit_with("C30:hard_short:1")
        unit.isolate(Isolation(("R1",)))
        done = assessed(*BEGUN, read(unit_with("C30:hard_short:1"), "R1.1"), Isolation(("R1",)),
                        read(unit, "R1.1", "R1.2"))
        behind = {"U3", "C17", "C30", "C31", "C32"}
        self.assertGreater(sum(chance(done, part) for part in behind), 0.95)
        self.assertLess(chance(done, "U1"), 0.05)

    def test_struck_out_isolation_does_not_count(self) -> None:
        unit = unit_with("C17:hard_short:1")
        plain = gather_evidence(duo_advice().model, trail_of(*BEGUN, read(unit, "R1.1"), read(unit, "R1.1")))
        struck = trail_of(*BEGUN, read(unit, "R1.1"), Isolation(("R1",)), read(unit, "R1.1"), Strike("e6"))
        found = gather_evidence(duo_advice().model, struck)
        self.assertEqual([i.isolated for i in found.items], [frozenset()] * len(found.items))
        self.assertEqual(len(plain.items), len(found.items))

    def test_rework_puts_the_part_back_and_pins_come_with_it(self) -> None:
        facts = job_facts(trail_of(OPENED, Isolation(("U1.V33", "R1")), Rework("replace", "U1")))
        self.assertEqual(facts.isolated, frozenset({"R1"}))
        self.assertEqual(with_isolation(frozenset({"U1.V33", "R1"}), Isolation(("U1",), "back")), frozenset({"R1"}))

    def test_readings_with_parts_off_are_kept_apart(self) -> None:
        facts = job_facts(trail_of(OPENED, Readings(RED, (PointReading("R1.1", 0.001),), "M1"), Isolation(("R1",)),
                                   Readings(RED, (PointReading("R1.1", 0.41),), "M1")))
        kept, apart = facts.reading("R1.1", RED.value), facts.reading_apart("R1.1", RED.value)
        self.assertEqual((kept.value if kept else 0, apart.value if apart else 0), (0.001, 0.41))
        self.assertEqual(facts.shown_readings[0, "R1.1", RED.value].value, 0.41)

    def test_no_power_with_a_link_lifted_but_with_the_fan_unplugged(self) -> None:
        references = duo_advice().model.references
        for part, held in (("R1", True), ("J3", False)):
            gates = held_gates(duo_board(), references, job_facts(trail_of(*BEGUN, Isolation((part,)))))
            self.assertEqual(any(g.id == "parts_off" for g in gates), held, part)

    def test_payloads_survive_json_and_refuse_nonsense(self) -> None:
        for payload in (Isolation(("R1", "U1.V33"), "back"), RailVolts("SYS", 3.8, "b"),
                        Injection("V3V3", 3.3, 1.8, "C17", "spray"),
                        Injection("V3V3", 3.3, 3.0, "", "alcohol", watts=1.0)):
            kind = payload.kind
            self.assertEqual(payload_from_json(payload_to_json(payload), payload_version(kind)), payload)
        for wrong in (lambda: Isolation(()), lambda: Isolation((" ",)), lambda: RailVolts("", 1.0, "a"),
                      lambda: RailVolts("SYS", float("nan"), "a"), lambda: Injection("V3V3", 0.0, 1.0),
                      lambda: Injection("", 1.0, 1.0), lambda: Injection("V3V3", 1.0, 1.0, watts=0.0)):
            with self.assertRaises(ValueError):
                wrong()


class InjectingTest(unittest.TestCase):
    def test_limits_never_pass_the_rails_own_volts_nor_three_amps(self) -> None:
        for volts in (0.3, 0.9, 1.8, 3.3, 9.0):
            for ohms in (0.0, 0.3, 3.0, 25.0, 320.0):
                limits = injection_limits(volts, ohms)
                self.assertLessEqual(limits.volts, volts)
                self.assertLessEqual(limits.amps, 3.0)
                self.assertGreater(limits.volts, 0.0)
                self.assertLessEqual(limits.watts, 3.0 * 3.0 * 0.3 + 1e-9)

    def test_known_power(self) -> None:
        self.assertAlmostEqual(float(watts_in(np.array([1 / 3.0]), 3.3, 0.5)[0]), 0.75)
        self.assertAlmostEqual(float(watts_in(np.array([1 / 100.0]), 3.3, 1.0)[0]), 0.1089)
        self.assertEqual(float(watts_in(np.array([0.0]), 3.3, 1.0)[0]), 0.0)

    def test_held_to_a_watt_every_short_gets_all_that_volts_and_amps_allow_and_none_more(self) -> None:
        ohms = np.geomspace(0.01, 1000.0, 41)
        for volts in (0.2, 0.9, 3.3, 9.0):
            limits = limits_held_to_a_watt(volts)
            self.assertEqual((limits.volts, limits.amps), (volts, 3.0))
            self.assertAlmostEqual(limits.watts, min(1.0, 3.0 * volts))
            self.assertLessEqual(limits.start_volts, min(volts, 0.34))
            pairs = [(u, min(3.0, 1.0 / u)) for u in np.geomspace(limits.start_volts, volts, 4001)]
            self.assertTrue(all(u * i <= 1.0 + 1e-9 for u, i in pairs))
            self.assertAlmostEqual(limits.end_amps, min(3.0, 1.0 / volts), places=2)
            by_hand = np.array([max(min(i, u / r) ** 2 * r for u, i in pairs) for r in ohms])
            said = watts_in(1 / ohms, limits.volts, limits.amps, limits.watts)
            np.testing.assert_allclose(said, by_hand, rtol=0.03)
        few = np.array([1 / 0.02, 1 / 0.5, 1 / 5.0])
        held, by_volts = limits_held_to_a_watt(3.8), injection_limits(3.8, 1.0)
        np.testing.assert_allclose(watts_in(few, held.volts, held.amps, held.watts), [0.18, 1.0, 1.0])
        self.assertLess(float(watts_in(few, by_volts.volts, by_volts.amps)[1]), 0.6)

    def test_a_setting_counts_as_used_by_its_volts_or_by_the_watts_that_it_was_held_to(self) -> None:
        held = limits_held_to_a_watt(3.8)
        self.assertTrue(same_setting(3.5, 1.0, held) and same_setting(0.7, 1.4, held))
        self.assertFalse(same_setting(0.7, 0.4, held) or same_setting(1.0, 2.0, held))
        self.assertFalse(same_setting(0.7, 1.4, injection_limits(3.8, 10.0)))

    def test_a_signal_line_idles_at_the_rail_that_a_resistor_pulls_it_to(self) -> None:
        board = duo_board()
        rail = pull_up_of(board, "SDA")
        self.assertEqual(rail.name if rail else "", "V3V3")
        for other in ("V3V3", "CC1", "GND", "NOWHERE", "TX1P"):
            self.assertIsNone(pull_up_of(board, other), other)
        linked = tuple(replace(part, ohms=0.0) if part.designator == "R11" else part for part in board.components)
        self.assertIsNone(pull_up_of(replace(board, components=linked), "SDA"))
        self.assertEqual((most_volts(board, "SDA"), most_volts(board, "CC1")), (3.3, None))

    def test_a_pulled_up_line_gets_a_pins_current_and_its_rails_volts(self) -> None:
        self.assertAlmostEqual(limits_on_pulled_up("V3V3", 3.3, 110.0).watts, 3.3 ** 2 / 110.0)
        self.assertAlmostEqual(limits_on_pulled_up("V3V3", 3.3, 25.0).watts, 0.25)
        self.assertTrue(limits_held_to_a_watt(3.3).never_more)
        self.assertFalse(injection_limits(3.3, 1.0).never_more)
        self.assertEqual(limits_on_pulled_up("V3V3", 3.3, 25.0).amps, 0.1)

    def test_a_partly_shorted_bus_is_injected_beside_its_rail_unless_that_is_shorted_too(self) -> None:
        fault = fault_named(duo_advice().model.hypotheses.faults, "U2:partial_short:SDA")
        unit = SimulatedBoard(duo_board(), [(fault, 90.0)], np.random.default_rng(3))
        trail: tuple[Payload, ...] = (*BEGUN, Access("board_out"), read(unit, "TP7"), read(unit, "TP7"))
        offered = next(a for a in assessed(*trail).advice.ranked if a.kind == "inject")
        assert offered.limits is not None
        self.assertEqual((offered.target, offered.limits.fed, offered.limits.volts), ("SDA", "V3V3", 3.3))
        self.assertIn("First put V3V3 on its own 3.3 V from a second output, 0.5 A at most", offered.why)
        warm = assessed(*trail, Injection("SDA", 3.3, 0.1, "U2", "camera", "V3V3"))
        self.assertGreater(chance(warm, "U2"), 0.9)
        amiss = Readings(Method.DIODE_RED_GROUND, (PointReading("R1.1", float("inf")),))
        for rail in (read(unit_with("C17:hard_short:1"), "R1.1"), amiss):
            both = assessed(*trail, rail, rail)
            self.assertFalse([a for a in both.advice.ranked if a.limits is not None and a.limits.fed])

    def test_metal_counts_with_any_of_its_ohms_and_more_ohms_by_themselves(self) -> None:
        siemens = np.array([0.0, 1 / 25.0, 1 / 3.0, 1 / 0.3, 50.0])
        seen = short_seen(siemens, 3.0, 1.0)
        self.assertAlmostEqual(float(seen[3]), float(seen[4]))
        by_hand = 0.95 * np.mean([1 - np.exp(-ohms / 0.06) for ohms in (0.02, 0.08, 0.3)])
        self.assertAlmostEqual(float(seen[4]), float(by_hand))
        self.assertEqual(seen[:3].tolist(), chance_seen(watts_in(siemens, 3.0, 1.0))[:3].tolist())

    def test_another_setting_is_offered_where_the_first_showed_nothing_and_none_twice(self) -> None:
        grounded = read(unit_with("U2:hard_short:SYS"), "C27.2")
        used: list[tuple[str, float]] = []
        trail: tuple[Payload, ...] = (*BEGUN, Access("board_out"), grounded, grounded)
        for _ in range(6):
            offered = next((a for a in assessed(*trail).advice.ranked if a.kind == "inject"), None)
            if offered is None:
                break
            assert offered.limits is not None
            setting = offered.detail, offered.limits.volts
            self.assertNotIn(setting, used)
            self.assertLessEqual(offered.limits.volts, 3.8)
            used.append(setting)
            self.assertLess(offered.limits.start_volts, 0.34)
            trail = (*trail, Injection("SYS", offered.limits.volts, offered.limits.amps, "",
                                       WAY_BY_WORD[offered.detail].by, watts=offered.limits.watts))
        self.assertIsNone(offered)
        self.assertEqual(used[0][0], "camera")
        self.assertEqual({by for by, _ in used}, {"camera", "spray", "alcohol"})

    def test_more_power_and_freeze_spray_are_seen_more_surely(self) -> None:
        watts = np.array([0.0, 0.01, 0.05, 0.5, 2.0])
        self.assertTrue((np.diff(chance_seen(watts)) > 0).all())
        self.assertTrue((chance_seen(watts[1:], "spray") > chance_seen(watts[1:], "touch")).all())

    def test_the_rail_reaches_through_links_but_not_when_they_are_lifted(self) -> None:
        model = duo_advice().model
        self.assertIn("V3V3_AV", rail_nets(model, "V3V3"))
        self.assertNotIn("V3V3_AV", rail_nets(model.isolating(frozenset({"R1"})), "V3V3"))
        self.assertGreater(rail_shorts(model, "V3V3").max(), 1.0)
        self.assertEqual(rail_shorts(model, "GND").max(), 0.0)

    def test_what_warms_is_convicted_and_a_net_that_is_not_there_says_nothing(self) -> None:
        model = duo_advice().model
        self.assertIsNone(warmth_log_likelihood(model, "NOWHERE", 1.0, 1.0, "U1"))
        unit = unit_with("C17:hard_short:1")
        trail = (*BEGUN, read(unit, "R1.1"), Injection("V3V3", 3.3, 1.8, "C17"))
        self.assertGreater(chance(assessed(*trail), "C17"), 0.9)
        self.assertLess(chance(assessed(*trail), "U1"), 0.1)

    def test_nothing_warms_speaks_against_hard_shorts_on_the_rail(self) -> None:
        unit = unit_with("C17:hard_short:1")
        before = assessed(*BEGUN, read(unit, "R1.1"))
        after = assessed(*BEGUN, read(unit, "R1.1"), Injection("V3V3", 3.3, 1.8))
        self.assertLess(after.posterior.log_whole, before.posterior.log_whole - 1.0)

    def test_the_part_that_warms_is_the_faulty_one_nearly_always(self) -> None:
        named = [unit_with("C17:hard_short:1", seed=s).inject("V3V3", 3.3, 1.8) for s in range(200)]
        self.assertGreater(named.count("C17"), 160)
        healthy = [unit_with(seed=s).inject("V3V3", 3.3, 1.8) for s in range(200)]
        self.assertGreater(healthy.count(""), 185)


class RailsUnderPowerTest(unittest.TestCase):
    def test_a_missing_rail_tells_quiet_chips_apart(self) -> None:
        base = (OPENED, Intake("x", ("no_charge",)), Look(("clean",)), Supply("a", 5.05, 0.06),
                Supply("b", 5.05, 0.06), Cell("unplugged"))
        up = assessed(*base, RailVolts("VCHG", 5.0, "a"))
        missing = assessed(*base, RailVolts("VCHG", 0.1, "a"))
        self.assertGreater(chance(up, "U2"), chance(up, "U1"))
        self.assertGreater(chance(missing, "U1"), chance(missing, "U2"))

    def test_a_rail_the_pack_does_not_know_is_kept_and_not_weighed(self) -> None:
        found = gather_evidence(duo_advice().model, trail_of(*BEGUN, RailVolts("VXYZ", 1.0, "a")))
        self.assertNotIn("rail", {i.kind for i in found.items})

    def test_the_simulated_rail_is_up_when_all_that_feeds_it_works(self) -> None:
        self.assertGreater(np.median([unit_with(seed=s).rail_volts("SYS", "a") for s in range(9)]), 3.0)
        dead = [unit_with("U2:quiet_failure", seed=s).rail_volts("SYS", "a") for s in range(9)]
        self.assertLess(np.median(dead), 3.0)


class AdviceOfEliminationTest(unittest.TestCase):
    def test_a_short_beside_the_pd_controller_does_not_cost_one(self) -> None:
        """C17 stands beside the PD controller and belongs to the A/V switch's rail."""
        for seed in (44, 45):
            technician = SimulatedTechnician(duo_advice(), with_fault(duo_advice(), "C17:hard_short:1", seed), METER_M1,
                                             "test", START)
            technician.open("T-1", Intake("x", ("no_charge",)))
            technician.work()
            facts = job_facts(technician.trail)
            self.assertEqual([r.part for _, r in facts.reworks], ["C17"])
            self.assertEqual(facts.outcome.result if facts.outcome else "", "repaired")

    def test_loads_are_listed_reversible_ones_first_and_the_processor_is_named(self) -> None:
        done = assessed(*BEGUN, read(unit_with("C17:hard_short:1"), "R1.1"))
        loads = done.advice.loads
        self.assertGreaterEqual(len(loads), 5)
        self.assertEqual(loads[0].part, "R1")
        self.assertNotIn("U7", [load.part for load in loads])
        words = load_words(loads, frozenset({"J3"}))
        self.assertIn("Removed now: J3", words)
        self.assertIn("1. Lift R1: splits the rail", words)
        self.assertEqual(load_words((), frozenset()), "")
        self.assertIn("U7", beyond_words(duo_board(), ("U7", 0.2)))
        self.assertIn(f"{duo_board().donor_value:.0f}", beyond_words(duo_board(), ("U7", 0.2)))
        self.assertEqual(beyond_words(duo_board(), ("U7", 0.01)), "")

    def test_a_short_that_has_a_name_has_no_loads_left_to_take_off(self) -> None:
        for fault, point, net, volts in (("C17:hard_short:1", "R1.1", "V3V3", 3.3),
                                         ("U7:hard_short:CORE", "C40.1", "VCORE", 0.9)):
            readings = [read(unit_with(fault), point) for _ in range(2)]
            self.assertTrue(assessed(*BEGUN, *readings).advice.loads)
            warmed = assessed(*BEGUN, *readings, Injection(net, volts, 1.8, fault.partition(":")[0], "camera"))
            self.assertEqual(warmed.advice.loads, (), fault)

    def test_no_cell_is_charged_for_a_unit_that_is_given_up(self) -> None:
        flat = (OPENED, Intake("dead", ("no_start",)), Look(("clean",)), Supply("b", 5.05, 0.07, 1),
                Supply("a", 5.05, 0.07, 1))
        dead = unit_with("U7:hard_short:CORE")
        core = (Proof("boot", False), Cell("unplugged"), Access("back_off"), read(dead, "C40.1"), read(dead, "C40.1"))
        lost = assessed(*flat, *core, Injection("VCORE", 0.9, 1.8, "U7", "camera"))
        assert lost.draws.starts is not None
        self.assertEqual(lost.advice.next.kind, "give_up")
        self.assertLess(lost.advice.nothing_left, 0.01)

    def test_what_reads_otherwise_with_a_part_off_is_touched_once_more(self) -> None:
        unit = unit_with("U8:hard_short:IN")
        shorted = read(unit, "R1.1")
        off = (*BEGUN, Access("board_out"), shorted, shorted, Isolation(("R1",)))
        slip = Readings(RED, (PointReading("R1.1", float("inf")),), "M1")
        changed = assessed(*off, slip)
        self.assertEqual((changed.advice.rule, changed.advice.next.target), ("read_apart", "R1.1"))
        self.assertIn("flux", changed.advice.next.why)
        for later in ((slip, slip), (slip, shorted), (shorted,)):
            found = assessed(*off, *later)
            self.assertNotEqual((found.advice.rule, found.advice.next.target), ("read_apart", "R1.1"), later)

    def test_a_capacitor_comes_off_or_is_looked_for_before_the_chip_beside_it(self) -> None:
        """A chip is likelier, but lifted in vain it goes back on: twice the work."""
        unit = unit_with("C12:hard_short:1")
        shorted = read(unit, "C12.1")
        begun = (*BEGUN, Intake("x", ("no_charge",)), Access("board_out"), read(unit, *duo_board().port_point_ids()),
                 *(read(unit, p) for p in ("C18.1", "C13.1")), shorted, shorted)
        ohms = assessed(*begun).advice.next
        self.assertEqual((ohms.kind, ohms.target), ("measure", "C12.1-2"), "by which what comes off is told")
        by_ohms = Method.RESISTANCE
        step = assessed(*begun, Readings(by_ohms, (PointReading("C12.1-2", unit.read("C12.1-2", by_ohms, METER_M1)),),
                                         "M1")).advice.next
        self.assertIn((step.kind, step.target), {("isolate", "C12"), ("inject", "VDD_PD"), ("inject", "VDD_PD15")})

    def test_outcomes_of_isolating_add_up(self) -> None:
        done = assessed(*BEGUN, read(unit_with("C17:hard_short:1"), "R1.1"))
        action = next(a for a in done.advice.ranked if a.kind in ("isolate", "inject"))
        self.assertLessEqual(sum(o.chance for o in action.outcomes), 1.0 + 1e-6)
        self.assertTrue(action.outcomes)

    def test_the_same_trail_gives_the_same_advice(self) -> None:
        unit = unit_with("U8:hard_short:IN")
        trail = (*BEGUN, read(unit, "R1.1"), Isolation(("R1",)), read(unit, "R1.1"))
        one, other = assessed(*trail), assessed(*trail)
        self.assertEqual([(a.kind, a.target, a.expected) for a in one.advice.ranked],
                         [(a.kind, a.target, a.expected) for a in other.advice.ranked])

    def test_nothing_is_injected_or_lifted_without_a_short(self) -> None:
        done = assessed(*BEGUN, read(unit_with(), "R1.1"))
        self.assertEqual(done.advice.loads, ())
        self.assertFalse({a.kind for a in done.advice.ranked} & {"isolate", "inject"})

    def test_what_can_not_be_lifted(self) -> None:
        board = duo_board()
        parts = board.component_by_designator
        self.assertIsNone(lifting(board, parts["U7"]))
        self.assertIsNone(lifting(board, parts["J1"]))
        self.assertEqual((lifting(board, parts["J3"]) or (0.0, 1.0))[1], 0.0)

    def test_change_words(self) -> None:
        self.assertEqual(change_words({"U1": 0.03, "F1": 0.2}, {"U1": 0.17, "F1": 0.21}),
                         "Since the last answer: U1 3\u00a0% to 17\u00a0%.")
        self.assertEqual(change_words({"U1": 0.03}, {"U1": 0.031}), "Little has changed since the last answer.")


class UnlistedTest(unittest.TestCase):
    def test_priors_add_up_and_what_is_unlisted_can_stand_beside_a_known_fault(self) -> None:
        hypotheses = duo_advice().model.hypotheses
        prior = np.exp(hypotheses.log_prior)
        self.assertAlmostEqual(float(prior.sum()), 1.0)
        self.assertAlmostEqual(float(prior[hypotheses.unlisted].sum()), duo_board().prior_something_else)
        pairs = duo_advice().model.pairs
        known = next(r for r in range(2, hypotheses.count) if not hypotheses.unlisted[r])
        self.assertTrue(np.isfinite(pairs.log_prior[known, np.flatnonzero(hypotheses.unlisted)[1:]]).all())

    def test_it_is_never_among_the_suspects_by_name(self) -> None:
        done = assessed(*BEGUN)
        self.assertNotIn(UNLISTED_PART, [s.fault.part for s in done.suspects])

    def test_when_the_chip_was_changed_in_vain_it_rises(self) -> None:
        base = (OPENED, Intake("x", ("no_dock", "code_T34")), Look(("clean",)), Supply("a", 9.0, 1.9),
                Supply("b", 9.0, 1.9))
        before = assessed(*base).posterior.something_else
        tried = assessed(*base, Rework("replace", "U3"), Proof("dock_a", False), Proof("dock_b", False))
        after = tried.posterior.something_else
        self.assertGreater(after, 1.5 * before)


class OwnScaleTest(unittest.TestCase):
    def simulated(self, gain: float, offset: float, spread: float, seed: int, off: int = 0) -> tuple[np.ndarray, ...]:
        rng = np.random.default_rng(seed)
        centre = rng.uniform(0.3, 0.7, 30)
        usual = np.full(30, 0.005)
        volts = centre * (1 + gain) + offset + rng.normal(0.0, 0.005 * spread, 30)
        volts[:off] = 0.0
        return volts, centre, usual

    def test_a_meter_that_has_drifted_is_found_on_average(self) -> None:
        moved = []
        for seed in range(60):
            scale = own_scale(*self.simulated(0.01, 0.004, 1.0, seed))
            moved.append(scale.corrected(0.5 * 1.01 + 0.004))
        self.assertAlmostEqual(float(np.mean(moved)), 0.5, delta=0.0025)

    def test_touches_put_right_teach_how_often_the_hand_slips(self) -> None:
        self.assertEqual(slip_share(0, 0), USUAL_SLIPS)
        self.assertEqual(slip_share(0, 500), USUAL_SLIPS)
        self.assertGreaterEqual(slip_share(4, 40), 0.05)
        shares = [slip_share(k, 40) for k in range(12)]
        self.assertEqual(shares, sorted(shares))

    def test_shorts_and_opens_do_not_move_it(self) -> None:
        volts, centre, usual = self.simulated(0.0, 0.0, 1.0, 4, off=8)
        volts[8:10] = np.inf
        scale = own_scale(volts, centre, usual)
        self.assertLessEqual(abs(scale.corrected(0.5) - 0.5), 0.004)

    def test_few_readings_are_taken_as_usual(self) -> None:
        volts, centre, usual = self.simulated(0.05, 0.0, 1.0, 5)
        self.assertEqual(own_scale(volts[:6], centre[:6], usual[:6]), AS_USUAL)
        self.assertEqual(own_scale(np.array([]), np.array([]), np.array([])), AS_USUAL)

    def test_a_board_that_scatters_more_is_believed_slowly(self) -> None:
        wide = [own_scale(*self.simulated(0.0, 0.0, 2.5, s)).spread for s in range(30)]
        plain = [own_scale(*self.simulated(0.0, 0.0, 1.0, s)).spread for s in range(30)]
        self.assertGreater(np.mean(wide), 1.4)
        self.assertLess(np.mean(plain), 1.1)

    def test_open_and_near_ground_stay_as_they_are(self) -> None:
        scale = replace(AS_USUAL, gain=0.01, offset_volts=0.004)
        self.assertEqual(scale.corrected(float("inf")), float("inf"))
        self.assertEqual(scale.corrected(0.002), 0.002)

    def test_a_drifted_meter_does_not_make_leaks(self) -> None:
        unit = unit_with(seed=9)
        meter = replace(METER_M1, gain=1.012, offset_volts=0.006)
        points = (*duo_board().port_point_ids(), "C16.1", "C18.1", "C22.1", "C26.1", "TP6", "TP7", "C12.1")
        taken = Readings(RED, tuple(PointReading(p, unit.read(p, RED, meter)) for p in points), "M1")
        trail = trail_of(OPENED, Look(("clean",)), Supply("a", 9.0, 1.9), Supply("b", 9.0, 1.9), Cell("unplugged"),
                         taken)
        evidence = gather_evidence(duo_advice().model, trail)
        self.assertFalse(evidence.apart.scale.is_usual)
        self.assertLess(max(s for f, s in zip(duo_advice().model.hypotheses.faults,
                                              weigh_sets(duo_advice().model, evidence).faults, strict=True)
                            if "leaky" in f.id), 0.05)
