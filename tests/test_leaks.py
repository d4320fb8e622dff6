"""Leaks that move a rail by little more than boards differ: found by taking parts off, not by changing them in turn."""

from __future__ import annotations

import unittest
from dataclasses import replace

import numpy as np

from dextrum.app.advising.assess import Assessment, assess
from dextrum.app.bench.simulated_technician import SimulatedTechnician
from dextrum.core.advice.elimination import isolating_actions, leaking_points, pulled_down, shorted_points
from dextrum.core.advice.repairing import repair_actions
from dextrum.core.advice.weighing import Weighing
from dextrum.core.board import Fault, Method
from dextrum.core.circuit.isolation import WHOLE_BOARD
from dextrum.core.diagnosis.evidence import gather_evidence
from dextrum.core.diagnosis.hypotheses import NO_ROW
from dextrum.core.diagnosis.predictions import predict_diode
from dextrum.core.diagnosis.reasons import reasons
from dextrum.core.diagnosis.witness import ReadingWitness
from dextrum.core.job import job_facts
from dextrum.core.trail import Access, Cell, Intake, Isolation, JobOpened, Look, Payload, PointReading, Readings, Supply
from dextrum.instruments.simulated_board import METER_M1, SimulatedBoard
from tests.support import START, duo_advice, duo_board, fault_named, trail_of

RED = Method.DIODE_RED_GROUND
RAIL_IS_DOWN = ("no_charge", "no_dock", "no_start", "no_rails", "fan_still", "code_T34", "code_T47")
BEGUN: tuple[Payload, ...] = (
    JobOpened("T-1", "Tarnwick Duo", "tarnwick-duo-c"), Intake("x", RAIL_IS_DOWN), Look(("clean",)),
    Supply("a", 5.05, 0.06), Supply("b", 5.05, 0.06), Cell("unplugged"), Access("board_out"))


def leaky(part: str, ohms: float, seed: int = 3) -> SimulatedBoard:
    found: Fault = fault_named(duo_advice().model.hypotheses.faults, f"{part}:leaky_part:1")
    return SimulatedBoard(duo_board(), [(found, ohms)], np.random.default_rng(seed))


def read(unit: SimulatedBoard, *points: str) -> Readings:
    return Readings(RED, tuple(PointReading(p, unit.read(p, RED, METER_M1)) for p in points), "M1")


class LeakTest(unittest.TestCase):
    """C48 leaks 1.5 kΩ on the 3.3 V rail: R1.1 reads 18 mV low, four times what boards differ by."""

    def off(self, unit: SimulatedBoard, part: str) -> tuple[Payload, ...]:
        """Lifted, read, and put back."""
        unit.isolate(Isolation((part,)))
        seen = read(unit, "R1.1")
        unit.isolate(Isolation((part,), "back"))
        return Isolation((part,)), seen, Isolation((part,), "back")

    def chance(self, done: Assessment, part: str) -> float:
        faults = done.posterior.hypotheses.faults
        return float(done.posterior.faults[[i for i, f in enumerate(faults) if f.id == f"{part}:leaky_part:1"]].sum())

    def test_a_part_that_was_off_while_it_read_as_before_is_cleared_and_the_one_that_mended_it_is_found(self) -> None:
        unit = leaky("C48", 1500.0)
        begun = (*BEGUN, read(unit, "R1.1"), read(unit, "R1.1"))
        before = assess(duo_advice(), trail_of(*begun), explain=False)
        other = assess(duo_advice(), trail_of(*begun, *self.off(unit, "C49")), explain=False)
        self.assertGreater(self.chance(before, "C49"), 0.03)
        self.assertLess(self.chance(other, "C49"), 0.2 * self.chance(before, "C49"))
        found = assess(duo_advice(), trail_of(*begun, *self.off(unit, "C49"), *self.off(unit, "C48")), explain=False)
        self.assertGreater(self.chance(found, "C48"), 0.9)
        index = next(i for i, f in enumerate(found.posterior.hypotheses.faults) if f.id == "C48:leaky_part:1")
        why = reasons(duo_advice().model, found.posterior, [[index]])[0][0]
        self.assertEqual({item.isolated for item in why.items}, {WHOLE_BOARD, frozenset({"C49"}), frozenset({"C48"})})
        self.assertGreater(why.log_odds, 3.0)
        self.assertEqual((found.advice.ranked[0].kind, found.advice.ranked[0].target), ("repair", "C48"))
        off = assess(duo_advice(), trail_of(*begun, *self.off(unit, "C49"), *self.off(unit, "C48")[:2]), explain=False)
        self.assertEqual(off.advice.loads, (), "with the leak off nothing hangs on it")

    def test_the_order_of_lifting_does_not_matter(self) -> None:
        unit = leaky("C48", 1500.0)
        readings = read(unit, "R1.1"), read(unit, "R1.1")
        one, other = self.off(unit, "C49"), self.off(unit, "C16")
        first, second = (assess(duo_advice(), trail_of(*BEGUN, *readings, *order), explain=False).posterior
                         for order in ((*one, *other), (*other, *one)))
        np.testing.assert_allclose(first.rows, second.rows, rtol=1e-9, atol=1e-15)

    def test_sets_of_one_say_what_single_rows_say(self) -> None:
        unit = leaky("C48", 1500.0)
        model = duo_advice().model
        evidence = gather_evidence(model, trail_of(*BEGUN, read(unit, "R1.1", "L4.1"), *self.off(unit, "C49"),
                                                   *self.off(unit, "R1")))
        witnesses = [w for w in evidence.witnesses if isinstance(w, ReadingWitness)]
        self.assertEqual([len(w.before) for w in witnesses], [1, 0, 2, 3])
        rows = np.arange(2, model.hypotheses.count)
        sets = np.full((len(rows), 2), NO_ROW)
        sets[:, 0] = rows
        for witness in witnesses:
            np.testing.assert_allclose(witness.raw(model, sets), witness.unmended[rows], atol=1e-9)

    def test_what_conducts_nothing_is_taken_off_without_solving_and_reads_as_if_it_were_solved(self) -> None:
        model = duo_advice().model
        view = model.isolating(frozenset({"C48", "C17"}))
        for point in ("R1.1", "C48.1", "R1.2", "J1.B5"):
            quick = view.predicted_at(point, RED)
            solved = predict_diode(model.board, model.circuit, model.hypotheses, view.edits, RED,
                                   replace(view._apart(RED), only=point)).at(point)  # type: ignore[type-var]
            assert quick is not None and solved is not None
            np.testing.assert_allclose(quick.values, solved.values, atol=1e-9)
            np.testing.assert_array_equal(quick.touched, solved.touched)

    def test_before_parts_are_changed_in_turn_they_are_lifted(self) -> None:
        unit = leaky("C48", 1500.0)
        value = unit.read("C16.1-2", Method.RESISTANCE, METER_M1)
        ohms = Readings(Method.RESISTANCE, (PointReading("C16.1-2", value),), "M1")
        done = assess(duo_advice(), trail_of(*BEGUN, read(unit, "R1.1"), read(unit, "R1.1"), ohms, ohms), explain=False)
        weighing = Weighing(duo_advice(), done.posterior, done.facts)
        actions = {a.target: a for a in isolating_actions(weighing)[0]}
        capacitor = next(target for target in actions if target.startswith("C"))
        self.assertLess(actions[capacitor].expected, min(a.expected for a in repair_actions(weighing)))
        share = weighing.joints["isolate", capacitor].sum(axis=1)
        self.assertLess(float(share[0]), 0.3, "the short is likely still there")

    def test_what_was_off_once_and_read_is_not_taken_off_again(self) -> None:
        unit = leaky("C48", 1500.0)
        done = assess(duo_advice(), trail_of(*BEGUN, read(unit, "R1.1"), read(unit, "R1.1"), *self.off(unit, "R1"),
                                             *self.off(unit, "C49")), explain=False)
        again = {a.target for a in isolating_actions(Weighing(duo_advice(), done.posterior, done.facts))[0]}
        self.assertIn("C16", again)
        self.assertFalse({"R1", "C49"} & again)

    def test_a_leak_is_found_without_changing_the_rail_part_by_part(self) -> None:
        for seed in (1, 2):
            technician = SimulatedTechnician(duo_advice(), leaky("C49", 1500.0, seed), METER_M1, "test", START)
            technician.open("T-1", Intake("x", RAIL_IS_DOWN))
            technician.work()
            facts = job_facts(technician.trail)
            good = [r.part for _, r in facts.reworks if r.part != "C49"]
            self.assertEqual(facts.outcome.result if facts.outcome else "", "repaired")
            self.assertLessEqual(len(good), 2, good)

    def test_a_likely_leak_counts_though_the_reading_is_within(self) -> None:
        unit = leaky("C48", 6000.0)
        done = assess(duo_advice(), trail_of(*BEGUN, read(unit, "R1.1"), read(unit, "C33.1", "C27.2")), explain=False)
        weighing = Weighing(duo_advice(), done.posterior, done.facts)
        self.assertEqual(shorted_points(duo_advice(), done.facts), ())
        likely = leaking_points(weighing, WHOLE_BOARD)
        self.assertEqual(pulled_down(weighing, frozenset()), likely)
        healthy = SimulatedBoard(duo_board(), [], np.random.default_rng(5))
        fine = assess(duo_advice(), trail_of(BEGUN[0], Look(("clean",)), Supply("a", 9.0, 1.9), Supply("b", 9.0, 1.9),
                                             Cell("unplugged"), read(healthy, "R1.1")), explain=False)
        self.assertEqual(leaking_points(Weighing(duo_advice(), fine.posterior, fine.facts), WHOLE_BOARD), ())


if __name__ == "__main__":
    unittest.main()
