"""Gates, access levels, expected cost, and whole jobs played by the advice on hidden faults."""

from __future__ import annotations

import math
import unittest

import numpy as np

from dextrum.app.advising.assess import Assessment, assess
from dextrum.app.bench.simulated_technician import SimulatedTechnician, with_fault
from dextrum.core.advice.rates import ShopRates
from dextrum.core.advice.recommend import build_advice_model
from dextrum.core.advice.repairs import RepairOption, RepairOptions, cut_down, expected_repair_cost
from dextrum.core.advice.weighing import Weighing
from dextrum.core.advice.wording import percent, where_words
from dextrum.core.board import Method
from dextrum.core.diagnosis.after_repair import weigh_trail
from dextrum.core.diagnosis.model import build_model
from dextrum.core.job import job_facts
from dextrum.core.reference.table import NO_REFERENCES
from dextrum.core.safety.gates import held_gates
from dextrum.core.safety.recheck import points_of_part, points_to_recheck
from dextrum.core.trail import (
    AUDIT_STEPS,
    Access,
    Audit,
    BoardLook,
    Cause,
    Cell,
    Fastened,
    Injection,
    Intake,
    JobOpened,
    Look,
    Override,
    PartSeen,
    Payload,
    PointReading,
    Proof,
    Readings,
    Rework,
    Supply,
    Wait,
)
from dextrum.instruments.simulated_board import METER_M1
from tests.support import (
    LONG,
    START,
    as_good,
    board_out,
    duo_advice,
    duo_board,
    library,
    line_board,
    new_joints,
    replaced,
    trail_of,
)

RED = Method.DIODE_RED_GROUND
OPENED = JobOpened("T-1", "Tarnwick Duo", "tarnwick-duo-c")
SUPPLIED = (Look(("clean",)), Supply("a", 9.0, 1.9), Supply("b", 9.0, 1.9), Cell("unplugged"))


def reading(point: str, value: float) -> Readings:
    return Readings(duo_board().point_by_id[point].default_method, (PointReading(point, value),), "M1")


def assessed(*payloads: Payload) -> Assessment:
    return assess(duo_advice(), trail_of(OPENED, *payloads))


class ExpectedCostTest(unittest.TestCase):
    def options(self) -> RepairOptions:
        made = tuple(RepairOption(p, "replace", 1.0, "open", 0.0, 0.0) for p in ("A", "B"))
        return RepairOptions(made, np.array([[0.0, 0.0], [1.0, 0.0], [0.0, 1.0]]))

    def cost(self, rows: list[float], give_up: float = 1e6, prove: float = 0.0) -> float:
        found = expected_repair_cost(self.options(), np.array([10.0, 2.0]), np.array([rows]), np.array([rows[0]]),
                                     give_up, prove)
        return float(found[0])

    def test_cheap_and_likely_goes_first(self) -> None:
        # B first (0.5/2 beats 0.5/10): 2 for B, then 10 with the other half.
        self.assertAlmostEqual(self.cost([0.0, 0.5, 0.5]), 2.0 + 0.5 * 10.0)

    def test_what_is_worth_less_than_the_repair_is_given_up(self) -> None:
        self.assertAlmostEqual(self.cost([0.0, 1.0, 0.0], give_up=7.0), 7.0)

    def test_nothing_wrong_costs_the_proof(self) -> None:
        self.assertAlmostEqual(self.cost([1.0, 0.0, 0.0], prove=3.0), 3.0)

    def test_never_more_than_giving_up_and_never_negative(self) -> None:
        generator = np.random.default_rng(4)
        for rows in generator.dirichlet(np.ones(3), 50):
            found = self.cost(list(rows), give_up=9.0)
            self.assertGreaterEqual(found, 0.0)
            self.assertLessEqual(found, 9.0 + 1e-9)


    def test_what_is_tried_on_one_part_in_turn_leaves_the_rest_to_the_next(self) -> None:
        """Reflowing mends the joint, replacing the contact too: the cheaper does not take the dearer's place."""
        made = (RepairOption("J", "reflow", 1.0, "open", 0.0, 0.0), RepairOption("F", "replace", 1.0, "open", 0.0, 0.0),
                RepairOption("J", "replace", 1.0, "open", 0.0, 0.0))
        mends = np.array([[0.0, 0.0, 0.0], [1.0, 0.0, 1.0], [0.0, 0.0, 1.0], [0.0, 1.0, 0.0]])
        options, places = cut_down(RepairOptions(made, mends), np.arange(3))
        cost = np.array([15.6, 16.0, 42.9])[places]
        found = expected_repair_cost(options, cost, np.array([[0.0, 0.24, 0.29, 0.47]]), np.zeros(1), 210.0, 14.4)
        # F (0.47/16), the joint with what that leaves, the contact with what both leave, and the proof.
        self.assertAlmostEqual(float(found[0]), 16.0 + 0.53 * 15.6 + 0.29 * 42.9 + 14.4)

    def test_repairs_of_one_part_that_mend_different_things_take_nothing_from_each_other(self) -> None:
        """A wire mends the torn pad and a new port the contact."""
        made = (RepairOption("J", "replace", 1.0, "open", 0.0, 0.0), RepairOption("J", "wire", 1.0, "open", 0.0, 0.0))
        options, places = cut_down(RepairOptions(made, np.array([[0.0, 0.0], [1.0, 0.0], [0.0, 1.0]])), np.arange(2))
        cost = np.array([40.0, 10.0])[places]
        found = expected_repair_cost(options, cost, np.array([[0.0, 0.5, 0.5]]), np.zeros(1), 1e6, 0.0)
        self.assertAlmostEqual(float(found[0]), 10.0 + 0.5 * 40.0)

    def test_an_open_unit_is_no_dearer_to_mend(self) -> None:
        """A contact reads open for the port or for a filter: with the board out, reflowing had hidden replacing, and
        a reading across the filter was never worth the opening."""
        contacts = duo_board().port_point_ids()
        trail = trail_of(*board_out("no_dock")[:3], *as_good(*contacts, but={"J1.A2": float("inf")}),
                         *as_good("J1.A2", but={"J1.A2": float("inf")}))
        weighing = Weighing(duo_advice(), weigh_trail(duo_advice().model, trail), job_facts(trail))
        by_access = [float(weighing.expect(weighing.weight[None, :], level.id)[0])
                     for level in duo_board().access_levels]
        self.assertEqual(sorted(by_access, reverse=True), by_access)


class GateTest(unittest.TestCase):
    def gates(self, *payloads: Payload) -> set[str]:
        facts = job_facts(trail_of(OPENED, *payloads))
        return {g.id for g in held_gates(duo_board(), duo_advice().model.references, facts)}

    def test_look_comes_before_the_supply(self) -> None:
        self.assertIn("look_first", self.gates())
        self.assertNotIn("look_first", self.gates(Look(("clean",))))

    def test_nothing_is_plugged_into_a_damaged_port(self) -> None:
        for finding in ("bent", "crossed", "missing", "burnt"):
            self.assertIn("damaged_port", self.gates(Look((finding,))))
        self.assertNotIn("damaged_port", self.gates(Look(("dirt",))))
        self.assertNotIn("damaged_port", self.gates(Look(("bent",)), Rework("replace", "J1")))
        self.assertIn("damaged_port", self.gates(Look(("bent",)), Rework("replace", "J1"), Look(("crossed",))))

    def test_a_reason_passes_a_gate_until_the_next_repair(self) -> None:
        passed = (Look(("bent",)), Override("damaged_port", "only A1, a ground"))
        self.assertNotIn("damaged_port", self.gates(*passed))
        self.assertIn("damaged_port", self.gates(*passed, Rework("replace", "C14")))

    def test_no_supply_on_a_grounded_contact(self) -> None:
        self.assertIn("grounded_contact", self.gates(Look(("clean",)), reading("J1.B5", 0.001)))
        self.assertNotIn("grounded_contact", self.gates(Look(("clean",)), reading("J1.A1", 0.0)))

    def test_no_power_before_the_points_are_read_again(self) -> None:
        base: tuple[Payload, ...] = (Look(("clean",)), reading("J1.B5", 0.001), replaced("C14"))
        self.assertIn("recheck", self.gates(*base))
        self.assertIn("recheck", self.gates(*base, reading("J1.B5", 0.585)))
        self.assertIn("recheck", self.gates(*base, *new_joints("C14")))
        self.assertNotIn("recheck", self.gates(*base, reading("J1.B5", 0.585), *new_joints("C14")))

    def test_every_new_joint_is_read_before_power(self) -> None:
        base: tuple[Payload, ...] = (Look(("bent",)), replaced("J1"))
        contacts = points_of_part(duo_board(), "J1")
        self.assertEqual(len(contacts), 30)
        self.assertIn("recheck", self.gates(*base, *as_good(*contacts[:-1])))
        self.assertNotIn("recheck", self.gates(*base, *as_good(*contacts)))

    def test_no_power_before_the_audit(self) -> None:
        self.assertIn("audit", self.gates(Rework("replace", "C14")))
        self.assertIn("audit", self.gates(Rework("replace", "C14", audit=("counted",)), Audit(("bridges",))))
        self.assertNotIn("audit", self.gates(Rework("replace", "C14", audit=("counted",)), Audit(("bridges", "flux"))))
        self.assertNotIn("audit", self.gates(Rework("clean", "J1")))

    def test_no_power_after_a_blown_fuse_before_its_cause_is_named(self) -> None:
        off = reading("J1.A4", math.inf)
        base: tuple[Payload, ...] = (Look(("clean",)), off, Rework("replace", "F1"))
        self.assertIn("cause", self.gates(*base))
        self.assertNotIn("cause", self.gates(*base, Cause("unknown")))
        self.assertNotIn("cause", self.gates(Look(("clean",)), off, Rework("replace", "C14")))

    def test_no_cause_is_asked_of_a_fuse_on_which_nothing_read_wrong(self) -> None:
        self.assertNotIn("cause", self.gates(Look(("clean",)), Rework("replace", "F1")))
        self.assertNotIn("cause", self.gates(Look(("clean",)), reading("J1.B5", 0.0), Rework("replace", "FL3")))

    def test_a_cause_once_named_is_asked_again_only_after_power(self) -> None:
        off = reading("J1.A4", math.inf)
        twice = (Look(("clean",)), off, Rework("replace", "F1"), Cause("unknown"), off, Rework("replace", "F1"))
        self.assertNotIn("cause", self.gates(*twice))
        powered = (*twice[:4], Supply("a", 5.1, 0.0), off, Rework("replace", "F1"))
        self.assertIn("cause", self.gates(*powered))

    def test_cell_is_unplugged_before_readings(self) -> None:
        self.assertIn("cell_in", self.gates())
        self.assertNotIn("cell_in", self.gates(Cell("unplugged")))
        self.assertIn("cell_in", self.gates(Cell("unplugged"), Cell("known_good")))

    def test_points_to_recheck_are_those_that_were_off_last(self) -> None:
        board, references = duo_board(), duo_advice().model.references
        facts = job_facts(trail_of(OPENED, reading("J1.B5", 0.001), reading("J1.A5", 0.585), Rework("replace", "C14"),
                                   reading("C14.1", 0.5), reading("J1.B5", 0.001), Rework("replace", "U1")))
        # Of the chip, what can be reached with the unit closed: VBUS and both CC. C14 has new joints of its own.
        self.assertEqual(points_to_recheck(board, references, facts), ("J1.A4", "J1.A5", "J1.B5", "C14.1", "C14.1-2"))


def rest_of_the_port(*but: str) -> Readings:
    """All contacts as a good board's, but some."""
    references = duo_advice().model.references
    read = {p: r.centre for p in duo_board().port_point_ids()
            if p.partition(".")[2] not in but and (r := references.get(p, RED)) is not None}
    return Readings(RED, tuple(PointReading(p, round(v, 3)) for p, v in read.items()), "M1")


class RecommendTest(unittest.TestCase):
    def test_order_of_a_new_job(self) -> None:
        self.assertEqual(assessed().advice.next.kind, "look")
        self.assertEqual((assessed(Look(("clean",))).advice.next.kind), "supply")
        second = assessed(Look(("clean",)), Supply("a", 9.0, 1.9)).advice.next
        self.assertEqual((second.kind, second.target), ("supply", "b"))

    def test_a_wait_is_the_next_step_until_something_is_done(self) -> None:
        waiting = assessed(*SUPPLIED, Wait("Cell coming back", "2026-03-12T14:20")).advice
        self.assertEqual((waiting.next.kind, waiting.next.title), ("wait", "Wait: cell coming back"))
        self.assertIn("Thu 12 Mar 2026 14:20", waiting.next.where)
        self.assertGreater(len(waiting.ranked), 2)
        self.assertNotEqual(assessed(*SUPPLIED, Wait("x"), Supply("a", 9.0, 1.9)).advice.next.kind, "wait")

    def test_a_cleaned_port_is_no_repair_and_the_draw_comes_next(self) -> None:
        dirty: tuple[Payload, ...] = (Intake("x", ("no_charge",)), Look(("dirt",)), Rework("clean", "J1"),
                                      Look(("clean",)))
        for drawn, wanted in (((), ("supply", "a")), ((Supply("a", 9.0, 1.9),), ("supply", "b"))):
            step = assessed(*dirty, *drawn).advice.next
            self.assertEqual((step.kind, step.target), wanted)
        self.assertNotEqual(assessed(*dirty, Cell("unplugged"), Access("board_out"), replaced("FL3")).advice.next.kind,
                            "supply")

    def test_what_tells_nothing_never_beats_the_best_repair(self) -> None:
        """An uninformative reading costs its touch on top of repairing now, whatever the posterior."""
        for extra in ((), (Intake("x", ("no_start",)),), (Intake("x", ("no_dock", "code_T34")),)):
            found = assessed(*SUPPLIED, *extra, *(reading(p, 0.452) for p in ("J1.A10", "J1.A11")))
            repair = min((a.expected for a in found.advice.ranked if a.kind == "repair"), default=math.inf)
            for action in found.advice.ranked:
                if action.kind == "measure" and "little more" in action.why and repair < math.inf:
                    self.assertGreater(action.expected + 0.05, repair, action.title)

    def test_a_check_that_fails_once_on_a_unit_that_may_be_whole_is_tried_once_more(self) -> None:
        base: tuple[Payload, ...] = (
            Intake("dead", ("no_charge", "no_start", "no_rails")), Look(("clean",)), Cell("unplugged"),
                Access("board_out"), *(Fastened(name, "in") for name in ("A1", "S5", "S6")),
                reading("R1.1", 0.162), Injection("V3V3", 3.3, 0.3, "C17"), replaced("C17"),
                *as_good("R1.1", "C17.1"), Cell("plugged"), Proof("charge_a", True), Proof("charge_b", True))
        once = assessed(*base, Proof("boot", False), Proof("dock_a", True), Proof("dock_b", True), Proof("rails", True),
                        Proof("touch", True)).advice
        self.assertTrue(0.3 < once.nothing_left < 0.75, once.nothing_left)
        self.assertEqual((once.next.kind, once.next.target), ("try", "boot"))

    def test_what_failed_and_passed_once_passes_twice_before_the_hand_over(self) -> None:
        every = [Proof(check.id, True) for check in duo_board().checks]
        base: tuple[Payload, ...] = (*SUPPLIED, rest_of_the_port(), Proof("dock_a", False), *every)
        once = assessed(*base).advice.next
        self.assertEqual((once.kind, once.target), ("try", "dock_a"))
        self.assertIn("passed once", once.why)
        self.assertEqual(assessed(*base, Proof("dock_a", True)).advice.next.kind, "hand_over")
        self.assertEqual(assessed(*SUPPLIED, rest_of_the_port(), *every).advice.next.kind, "hand_over")

    def test_a_chip_that_reads_oddly_and_does_all_it_must_stays(self) -> None:
        every = tuple(Proof(check.id, True) for check in duo_board().checks if check.functions)
        odd = tuple(reading(point, 0.394) for point in ("J1.B3", "FL3.3", "FL3.4") for _ in range(2))
        base: tuple[Payload, ...] = (
            Intake("no picture", ("no_dock",)), Look(("clean",)), Cell("unplugged"), Access("board_out"),
                rest_of_the_port("B3"), *odd, Cell("plugged"))
        self.assertIn(assessed(*base, *every).advice.next.kind, ("prove", "hand_over", "supply"))

    def test_an_empty_place_that_came_empty_stays_where_all_works(self) -> None:
        every = tuple(Proof(check.id, True) for check in duo_board().checks if check.functions)
        empty = BoardLook("top", (PartSeen("C14", "missing"),))
        base: tuple[Payload, ...] = (Intake("no picture", ("no_dock",)), *SUPPLIED, Rework("clean", "J1"),
                                     Access("board_out"), empty, rest_of_the_port(), Cell("plugged"))
        self.assertEqual(assessed(*base, *every).advice.next.kind, "assemble")  # then the screws are left to tick
        self.assertEqual(assessed(*base, *every[:2]).facts.came_without, {"C14"})

    def test_a_chip_that_is_seen_burst_is_not_reflowed_first(self) -> None:
        burst = BoardLook("top", (PartSeen("U2", "burst"),))
        found = assessed(*SUPPLIED, Intake("x", ("no_charge",)), Access("board_out"), burst, rest_of_the_port()).advice
        of_part = [(action.kind, action.detail) for action in found.ranked if action.target == "U2"]
        self.assertIn(("repair", "replace"), of_part)
        self.assertNotIn(("repair", "reflow"), of_part)

    def test_a_part_that_is_gone_after_a_repair_did_not_come_without_it(self) -> None:
        gone = PartSeen("C14", "missing")
        trail: tuple[Payload, ...] = (*SUPPLIED, Access("board_out"), BoardLook("top"), Rework("reflow", "J1"))
        for seen in (BoardLook("top", (gone,)), Audit(AUDIT_STEPS, part="J1", seen=(gone,))):
            self.assertEqual(job_facts(trail_of(OPENED, *trail, seen)).came_without, frozenset())

    def test_copper_that_was_read_is_not_offered_again(self) -> None:
        before = assessed(*SUPPLIED, Intake("x", ("no_start",)), Access("back_off"))
        # L2 joins the two coppers as long as it is there: the look says so.
        after = assessed(*SUPPLIED, Intake("x", ("no_start",)), Access("back_off"), BoardLook("top", ()),
                         reading("C40.1", 0.038))
        core = {p.id for p in duo_board().points if p.to is None and duo_board().net_of(p.at) in ("VCORE", "SW_CORE")}
        self.assertTrue(core & {a.target for a in before.advice.ranked if a.kind == "measure"})
        self.assertFalse(core & {a.target for a in after.advice.ranked if a.kind == "measure"})

    def test_damaged_port_goes_to_the_readings_instead(self) -> None:
        found = assessed(Look(("crossed",), ("A5", "A6"))).advice
        self.assertNotIn("supply", {a.kind for a in found.ranked})
        self.assertIn(found.next.kind, ("scan", "measure", "repair"))

    def test_minutes_carry_the_access_level_once(self) -> None:
        closed = assessed(*SUPPLIED, reading("J1.A10", math.inf))
        opened = assessed(*SUPPLIED, reading("J1.A10", math.inf), Access("back_off"))

        def minutes(found: Assessment) -> float:
            return next(a.minutes for a in found.advice.ranked if a.kind == "measure" and a.target.startswith("FL5"))

        self.assertAlmostEqual(minutes(closed) - minutes(opened), 4.0)

    def test_what_a_measurement_opens_the_repair_need_not_open_again(self) -> None:
        """A fuse that is most likely blown is read before it is replaced: the shell comes off for either."""
        advice = library().advice_model("bramlet-orb-a", "M1")
        found = assess(advice, trail_of(JobOpened("T", "Bramlet Orb", "bramlet-orb-a"), Intake("x", ("no_charge",)),
                                        Look(("clean",)), Supply("a", 5.1, 0.0), Supply("b", 5.1, 0.0))).advice
        self.assertIn(found.next.kind, ("scan", "measure"))
        measure = next(a for a in found.ranked if a.kind == "measure")
        self.assertIn("F1", measure.outcomes[0].meaning)

    def test_ranked_by_expected_cost_and_outcomes_are_chances(self) -> None:
        found = assessed(*SUPPLIED, reading("J1.A10", math.inf)).advice
        costs = [a.expected for a in found.ranked]
        self.assertEqual(costs, sorted(costs))
        for action in found.ranked:
            if action.outcomes:
                self.assertLessEqual(sum(o.chance for o in action.outcomes), 1.0 + 1e-9)

    def test_repair_is_followed_by_reading_again_then_cause_then_power_then_proof(self) -> None:
        base: tuple[Payload, ...] = (*SUPPLIED, rest_of_the_port("A10"), reading("J1.A10", math.inf),
                                     reading("FL5.3", math.inf), reading("FL5.3-4", math.inf), Rework("replace", "FL5"))
        self.assertEqual(assessed(*base).advice.next.kind, "audit")
        base = (*base, Audit(AUDIT_STEPS))
        self.assertEqual(assessed(*base).advice.next.kind, "recheck")
        base = (*base, reading("J1.A10", 0.452), *new_joints("FL5"))
        round_it = assessed(*base).advice.next
        self.assertEqual(round_it.kind, "recheck")
        self.assertEqual(round_it.points, ("J1.A9",), "D5, beside it, is on VBUS")
        base = (*base, *as_good("J1.A9"))
        self.assertEqual(assessed(*base).advice.next.kind, "cause")
        base = (*base, Cause("dock"))
        # The proof begins with charging both ways up, with the power meter in line.
        found = assessed(*base).advice.next
        self.assertEqual((found.kind, found.target), ("prove", "charge_a"))
        base = (*base, *(Proof(c.id, True) for c in duo_board().checks))
        self.assertEqual(assessed(*base).advice.next.kind, "hand_over")

    def test_a_slip_after_the_repair_asks_for_that_point_again_and_gives_nothing_up(self) -> None:
        base: tuple[Payload, ...] = (*SUPPLIED, rest_of_the_port("A10"), reading("J1.A10", math.inf),
                                     reading("FL5.3", math.inf), reading("FL5.3-4", math.inf), replaced("FL5"),
                                     reading("J1.A10", 0.452), *new_joints("FL5", but={"FL5.3": math.inf}),
                                     Cause("dock"))
        found = assessed(*base)
        self.assertEqual((found.advice.next.kind, found.advice.next.points), ("measure", ("FL5.3",)))
        self.assertIn("again", found.advice.next.title)
        cleared = assessed(*base, reading("FL5.3", 0.452), *as_good("J1.A9", "J1.B6"))
        self.assertEqual(cleared.advice.next.kind, "prove")
        self.assertEqual(cleared.posterior.evidence.apart.scale.slips, 0.02)

    def test_useless_measurements_do_not_beat_the_obvious_repair(self) -> None:
        found = assessed(*SUPPLIED, Intake("x", ("no_dock",)), rest_of_the_port("A10"),
                         reading("J1.A10", math.inf), reading("FL5.3", math.inf),
                         reading("FL5.3-4", math.inf)).advice.next
        self.assertEqual((found.kind, found.target), ("repair", "FL5"))

    def test_dearer_labour_makes_every_action_dearer(self) -> None:
        model = duo_advice().model
        dear = build_advice_model(model, ShopRates(labour_per_minute=2.0))
        trail = trail_of(OPENED, *SUPPLIED, reading("J1.A10", math.inf))
        self.assertGreater(assess(dear, trail).advice.next.expected, assess(duo_advice(), trail).advice.next.expected)

    def test_rates_must_make_sense(self) -> None:
        for value in (-1.0, float("nan"), 0.0):
            with self.assertRaises(ValueError):
                ShopRates(labour_per_minute=value)

    def test_board_without_ports_or_draw_still_gets_advice(self) -> None:
        advice = build_advice_model(build_model(line_board(), NO_REFERENCES))
        found = assess(advice, trail_of(OPENED, Look(("clean",)), Cell("unplugged")))
        self.assertEqual(found.advice.next.kind, "measure")

    def test_words(self) -> None:
        self.assertEqual(percent(0.0), "0\u00a0%")
        self.assertTrue(percent(0.001).startswith("<"))
        self.assertTrue(percent(0.999).startswith(">"))
        self.assertIn("beside U1", where_words(duo_board(), duo_board().point_by_id["C14.1"]))


class PlayedJobsTest(unittest.TestCase):
    """Whole jobs on the simulated board: the fault is found, mended and proved, and no gate is broken."""

    STORIES = (("U1:hard_short:CC2", ("no_charge",)), ("FL5:open_winding:3:4", ("no_dock",)),
               ("F1:blown_fuse:1:2", ("no_charge",)), ("J1:open_contact:B3", ("no_dock",)),
               ("U3:quiet_failure", ("no_dock", "code_T34")), ("R3:missing_part", ("no_rails",)),
               ("trace:broken_trace:VCHG", ("no_charge",)), ("U2:hard_short:BAT", ("no_charge",)))

    def test_each_ends_with_the_fault_mended(self) -> None:
        for seed, (fault, symptoms) in list(enumerate(self.STORIES, start=11))[::1 if LONG else 2]:
            with self.subTest(fault):
                unit = with_fault(duo_advice(), fault, seed)
                technician = SimulatedTechnician(duo_advice(), unit, METER_M1, "test", START)
                technician.open("T-1", Intake("x", symptoms))
                technician.work()
                facts = job_facts(technician.trail)
                self.assertEqual(unit.faults, [])
                self.assertIsNotNone(facts.outcome)
                self.assertEqual(facts.outcome.result if facts.outcome else "", "repaired")

    def test_unknown_fault_is_a_key_error(self) -> None:
        with self.assertRaises(KeyError):
            with_fault(duo_advice(), "X9:nonsense", 1)
