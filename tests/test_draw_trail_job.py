"""Draw states, trail entries, and what a job's facts are."""

from __future__ import annotations

import math
import unittest
from dataclasses import replace

from dextrum.core.draw.states import UNKNOWN, classify_draw, log_emission, state_ids, states_of, used_class
from dextrum.core.job import job_facts
from dextrum.core.trail import (
    Access,
    Cause,
    Intake,
    JobOpened,
    Look,
    Outcome,
    Override,
    PointReading,
    Proof,
    Readings,
    Rework,
    Strike,
    Supply,
    Wait,
    standing,
    struck_ids,
)
from tests.support import ORB, duo_board, library, trail_of

OPENED = JobOpened("T-1", "Duo", "tarnwick-duo-c")


class DrawTest(unittest.TestCase):
    def state(self, volts: float, amps: float, pattern: str = "steady", supply_class: str = "") -> str:
        judged = classify_draw(duo_board(), volts, amps, pattern, supply_class)
        assert judged is not None
        self.assertAlmostEqual(sum(chance for _, chance in judged.chances), 1.0, places=9)
        return judged.state

    def test_the_profiles_own_middle_is_called_by_its_name(self) -> None:
        for state in duo_board().draw_states:
            if state.id == "hang":
                continue  # one look can't tell it from the inrush: only time does
            with self.subTest(state.supply_class, state=state.id):
                self.assertEqual(self.state(state.volts, state.amps, state.pattern, state.supply_class), state.id)

    def test_a_pattern_no_profile_knows_is_unknown(self) -> None:
        for volts, amps in ((14.8, 3.0), (20.0, 0.5), (5.0, 2.8)):
            self.assertEqual(self.state(volts, amps), UNKNOWN)

    def test_blinking_is_not_steady(self) -> None:
        self.assertEqual(self.state(3.2, 0.35, "blinking"), "cycling")

    def test_no_profile_no_judgement(self) -> None:
        self.assertIsNone(classify_draw(replace(duo_board(), draw_states=(), draw_outcomes=()), 5.0, 0.0))

    def test_emission_has_a_column_for_every_state(self) -> None:
        for supply_class in ("", "default_5v", "dock", "bench"):
            states = states_of(duo_board(), supply_class)
            self.assertEqual(len(log_emission(states, 5.0, 0.1, "steady")), len(state_ids(duo_board(), supply_class)))

    def test_a_negotiating_supply_stays_at_5_volts_for_a_unit_that_only_takes_5(self) -> None:
        self.assertEqual(used_class(library().board(ORB), "negotiating"), "default_5v")
        self.assertEqual(used_class(duo_board(), "negotiating"), "negotiating")


class EntryTest(unittest.TestCase):
    def test_bad_values_never_become_entries(self) -> None:
        bad = (lambda: Supply("a", math.nan, 0.1), lambda: Supply("a", 57.0, 0.1), lambda: Supply("a", 5.0, -0.1),
               lambda: Look(()), lambda: Look(("clean", "bent")), lambda: Look(("shiny",)),
               lambda: JobOpened(" ", "Duo", "x"), lambda: Override("look_first", "  "),
               lambda: Readings("diode_red_ground", ()),  # type: ignore[arg-type]
               lambda: Intake(due="soon"), lambda: Wait("x", "later"), lambda: Rework("replace", ""),
               lambda: Intake("x" * 5000))
        for make in bad:
            with self.assertRaises(ValueError):
                make()

    def test_diode_readings_are_bounded_and_nan_is_refused(self) -> None:
        from dextrum.core.board import Method

        for value in (57.0, math.nan, -0.1):
            with self.assertRaises(ValueError):
                Readings(Method.DIODE_RED_GROUND, (PointReading("P1", value),))
        Readings(Method.DIODE_RED_GROUND, (PointReading("P1", math.inf),))


class StrikeTest(unittest.TestCase):
    def test_struck_entries_do_not_stand_and_come_back(self) -> None:
        trail = trail_of(OPENED, Look(("clean",)), Strike("e1"))
        self.assertEqual([e.id for e in standing(trail)], ["e0"])
        again = (*trail, *trail_of(OPENED, OPENED, OPENED, Strike("e2"))[3:])
        self.assertEqual([e.id for e in standing(again)], ["e0", "e1"])
        self.assertEqual(struck_ids(again), {"e2"})

    def test_striking_something_unknown_changes_nothing(self) -> None:
        trail = trail_of(OPENED, Strike("nobody"))
        self.assertEqual([e.id for e in standing(trail)], ["e0"])


class JobFactsTest(unittest.TestCase):
    def test_stages_follow_the_order_of_work(self) -> None:
        from dextrum.core.board import Method

        steps = [(Look(("dirt",)), "supply"), (Rework("clean", "J1"), "supply"), (Proof("boot", False), "supply"),
                 (Readings(Method.DIODE_RED_GROUND, (PointReading("J1.A1", 0.0),)), "port"),
                 (Access("back_off"), "board"),
                 (Readings(Method.DIODE_RED_GROUND, (PointReading("C14.1", 0.5),)), "board"),
                 (Rework("replace", "C14"), "rework"), (Proof("boot", True), "proof"),
                 (Outcome("repaired"), "handover")]
        payloads = [OPENED]
        self.assertEqual(job_facts(trail_of(*payloads)).stage, "intake")
        for payload, stage in steps:
            payloads.append(payload)  # type: ignore[arg-type]
            self.assertEqual(job_facts(trail_of(*payloads)).stage, stage)

    def test_the_latest_intake_counts(self) -> None:
        facts = job_facts(trail_of(OPENED, Intake("one"), Intake("two")))
        self.assertEqual(facts.intake.complaint if facts.intake else "", "two")

    def test_proofs_are_void_after_another_repair(self) -> None:
        facts = job_facts(trail_of(OPENED, Proof("boot", True), Rework("replace", "U1")))
        self.assertEqual(facts.proofs, {})

    def test_cleaning_is_no_repair(self) -> None:
        self.assertEqual(job_facts(trail_of(OPENED, Rework("clean", "J1"))).epoch, 0)
        self.assertEqual(job_facts(trail_of(OPENED, Rework("replace", "J1"))).epoch, 1)

    def test_work_ends_a_wait(self) -> None:
        self.assertIsNotNone(job_facts(trail_of(OPENED, Wait("cell"))).wait)
        self.assertIsNone(job_facts(trail_of(OPENED, Wait("cell"), Supply("a", 9.0, 1.9))).wait)

    def test_readings_are_kept_by_epoch(self) -> None:
        from dextrum.core.board import Method

        read = Readings(Method.DIODE_RED_GROUND, (PointReading("P", 0.1),))
        later = Readings(Method.DIODE_RED_GROUND, (PointReading("P", 0.5),))
        facts = job_facts(trail_of(OPENED, read, Rework("replace", "U1"), later, Access("open"), Cause("dock")))
        self.assertEqual(facts.access, "open")
        before, now = facts.reading("P", "diode_red_ground", 0), facts.reading("P", "diode_red_ground")
        self.assertEqual((before.value if before else 0, now.value if now else 0), (0.1, 0.5))
