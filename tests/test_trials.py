"""What was tried tells what will work next, and what is tried once more before anything is doubted."""

from __future__ import annotations

import math
import unittest
from types import SimpleNamespace

import numpy as np

from dextrum.app.advising.assess import Assessment, assess
from dextrum.app.supply.draws import _without_draws
from dextrum.core.advice.actions import Action
from dextrum.core.advice.before_repair import _found_first
from dextrum.core.advice.weighing import Weighing
from dextrum.core.board import Method
from dextrum.core.diagnosis.evidence import gather_evidence
from dextrum.core.diagnosis.likelihood import check_chances, check_log_likelihood
from dextrum.core.diagnosis.posterior import Suspect, weigh_sets
from dextrum.core.trail import (
    AUDIT_STEPS,
    Access,
    BoardLook,
    Cause,
    Cell,
    Fastened,
    Intake,
    JobOpened,
    Look,
    Payload,
    PointReading,
    Proof,
    RailVolts,
    Readings,
    Rework,
    Supply,
    Swap,
)
from dextrum.instruments.simulated_board import METER_M1, SimulatedBoard
from tests.support import duo_advice, duo_board, fault_named, trail_of

RED = Method.DIODE_RED_GROUND
OPENED = JobOpened("T-1", "Tarnwick Duo", "tarnwick-duo-c")


class TriedTest(unittest.TestCase):
    """What was tried, and what is tried once more."""

    BEGUN: tuple[Payload, ...] = (OPENED, Look(("clean",)), Supply("a", 9.0, 1.9), Supply("b", 9.0, 1.9))
    FOUND: tuple[Payload, ...] = (*BEGUN, Cell("unplugged"), Access("board_out"),
             *(Readings(RED, (PointReading("TP13", 0.095),), "M1") for _ in range(2)))

    def weighing(self, *more: Payload) -> Weighing:
        done = assess(duo_advice(), trail_of(*self.FOUND, *more), explain=False)
        return Weighing(duo_advice(), done.posterior, done.facts)

    def broken(self, weighing: Weighing, function: str) -> float:
        """Chance that a function is broken with the likeliest set that shorts the hot-plug line alone."""
        hypotheses = weighing.advice.model.hypotheses
        of = hypotheses.fault_of_row[weighing.sets]
        alone = [k for k, rows in enumerate(of) if rows[0] >= 0 and len(set(rows.tolist())) == 1
                 and hypotheses.faults[int(rows[0])].id == "U3:partial_short:HPD"]
        return float(weighing.broken[alone[0], weighing.board.function_order[function]])

    def test_what_works_is_expected_to_work_and_what_failed_to_fail(self) -> None:
        untried = self.broken(self.weighing(), "av")
        works = self.broken(self.weighing(Proof("dock_a", True), Proof("dock_b", True)), "av")
        fails = self.broken(self.weighing(Proof("dock_a", False), Proof("dock_b", False)), "av")
        self.assertTrue(0.3 < untried < 0.95, untried)
        self.assertLess(works, 0.05)
        self.assertGreater(fails, 0.97)

    def test_what_failed_once_on_a_board_that_should_work_is_tried_once_more(self) -> None:
        unit = SimulatedBoard(duo_board(), [], np.random.default_rng(5))
        scan = Readings(RED, tuple(PointReading(p, unit.read(p, RED, METER_M1)) for p in duo_board().port_point_ids()),
                        "M1")
        base: tuple[Payload, ...] = (*self.BEGUN, Cell("unplugged"), scan, Cell("plugged"))
        passed = tuple(Proof(c.id, True) for c in duo_board().checks if c.id != "dock_a")
        once = assess(duo_advice(), trail_of(*base, *passed, Proof("dock_a", False)), explain=False).advice
        self.assertEqual((once.next.kind, once.next.target), ("try", "dock_a"))
        self.assertIn("once more", once.next.title)
        twice = assess(duo_advice(), trail_of(*base, *passed, Proof("dock_a", False), Proof("dock_a", False)),
                       explain=False).advice
        self.assertFalse([a for a in twice.ranked if a.kind == "try" and a.target == "dock_a"])
        self.assertLess(twice.nothing_left, once.nothing_left)
        again: tuple[Payload, ...] = (*base, *passed, Proof("dock_a", False), Proof("dock_a", True))
        self.assertEqual(assess(duo_advice(), trail_of(*again), explain=False).advice.next.target, "dock_a")
        done = assess(duo_advice(), trail_of(*again, Proof("dock_a", True)), explain=False).advice
        self.assertEqual(done.next.kind, "hand_over")

    def test_a_repair_made_twice_is_not_advised_a_third_time(self) -> None:
        off = Readings(RED, (PointReading("J1.A10", math.inf), PointReading("FL5.3", math.inf)), "M1")
        fitted = Rework("replace", "FL5", audit=AUDIT_STEPS)
        trail: tuple[Payload, ...] = (OPENED, Intake("", ("no_dock",)), *self.BEGUN[1:], Cell("unplugged"),
                                      Access("board_out"), off, off)
        for times in (0, 1, 2):
            with self.subTest(times):
                ranked = assess(duo_advice(), trail_of(*trail), explain=False).advice.ranked
                offered = [a for a in ranked if a.kind == "repair" and a.target == "FL5"]
                self.assertEqual(bool(offered), times < 2, [a.title for a in ranked])
            trail = (*trail, fitted, Cause("force"), off, off)

    def test_what_worked_once_against_a_dead_chip_is_tried_once_more_before_the_chip_is_changed(self) -> None:
        """One side dark twice, the other fine once: a dead chip explains that with a single slip."""
        unit = SimulatedBoard(duo_board(), [], np.random.default_rng(5))
        scan = Readings(RED, tuple(PointReading(p, unit.read(p, RED, METER_M1)) for p in duo_board().port_point_ids()),
                        "M1")
        base: tuple[Payload, ...] = (
            *self.BEGUN, Cell("unplugged"), scan, Cell("plugged"), Proof("dock_a", False), Proof("dock_a", False))
        once = assess(duo_advice(), trail_of(*base, Proof("dock_b", True)), explain=False)
        offered = {a.target: a.title for a in once.advice.ranked if a.kind == "try"}
        self.assertIn("once more", offered["dock_b"])
        twice = assess(duo_advice(), trail_of(*base, Proof("dock_b", True), Proof("dock_b", True)), explain=False)
        dead = next(i for i, f in enumerate(once.posterior.hypotheses.faults) if f.id == "U3:quiet_failure")
        self.assertGreater(once.posterior.faults[dead], 0.1)
        self.assertLess(twice.posterior.faults[dead], 0.3 * once.posterior.faults[dead])
        self.assertNotIn("dock_b", {a.target for a in twice.advice.ranked if a.kind == "try"})

    def test_no_chip_is_changed_for_a_dock_that_was_tried_one_way_up_only(self) -> None:
        """What no pack lists breaks the lanes of one side: the chip looks dead until the other side is tried."""
        unit = SimulatedBoard(duo_board(), [], np.random.default_rng(5))
        board = duo_board()
        lanes = [p.id for p in board.points if p.part.startswith(("FL", "C6")) and p.part != "C6"]

        def read(points: list[str]) -> tuple[Payload, ...]:
            return tuple(Readings(m, (PointReading(p, unit.read(p, m, METER_M1)),), "M1") for p in points
                         for m in (board.point_by_id[p].default_method,))

        base: tuple[Payload, ...] = (
            OPENED, Intake("", ("no_dock",)), *self.BEGUN[1:], Cell("unplugged"), Access("board_out"),
                *(Fastened(name, "in") for name in ("A1", "S5", "S6")),
                *read([*board.port_point_ids(), *lanes, "TP13", "L2.2", "C17.1", "C30.1", "C33.1"]),
                BoardLook("bottom", ()), BoardLook("top", ()))
        once = assess(duo_advice(), trail_of(*base, Proof("dock_a", False)), explain=False).advice
        for _ in range(3):  # a touch that strayed is made again first
            if not once.next.title.startswith("Touch again"):
                break
            base = (*base, *read(list(once.next.points)))
            once = assess(duo_advice(), trail_of(*base, Proof("dock_a", False)), explain=False).advice
        self.assertEqual((once.next.kind, once.next.target), ("try", "dock_b"))
        self.assertIn("U3", once.next.why)
        both = assess(duo_advice(), trail_of(*base, Proof("dock_a", False), Proof("dock_b", False)), explain=False)
        self.assertNotEqual(both.advice.next.kind, "try")
        clear = assess(duo_advice(), trail_of(*base, Proof("dock_a", False), Proof("dock_b", True)), explain=False)
        dead = next(i for i, f in enumerate(both.posterior.hypotheses.faults) if f.id == "U3:quiet_failure")
        self.assertGreater(both.posterior.faults[dead], 0.6)
        self.assertLess(clear.posterior.faults[dead], 0.6 * both.posterior.faults[dead])

    def test_a_repair_that_has_not_taken_is_made_again_and_said_to_have_failed(self) -> None:
        fault = fault_named(duo_advice().model.hypotheses.faults, "FL5:open_winding:3:4")
        unit = SimulatedBoard(duo_board(), [(fault, 0.0)], np.random.default_rng(3))

        def read(*points: str) -> tuple[Payload, ...]:
            methods = [(p, duo_board().point_by_id[p].default_method) for p in points]
            return tuple(Readings(m, (PointReading(p, unit.read(p, m, METER_M1)),), "M1") for p, m in methods)

        def seen(*more: Payload) -> tuple[Assessment, Suspect]:
            done = assess(duo_advice(), trail_of(*found, *more))
            return done, next(s for s in done.suspects if s.fault.id == fault.id)

        found = (OPENED, Intake("", ("no_dock",)), *self.BEGUN[1:], Cell("unplugged"),
                 *read(*duo_board().port_point_ids()), Access("board_out"), *read("FL5.3-4"))
        replaced = Rework("replace", "FL5", audit=AUDIT_STEPS)
        fresh, suspect = seen(replaced)
        self.assertTrue(suspect.mended)
        self.assertTrue(0.01 < suspect.still < 0.1, suspect.still)
        again = ("FL5.1", "FL5.2", "FL5.3", "FL5.4", "FL5.1-2", "FL5.1-3", "FL5.3-4", "FL5.3-4", "J1.A10")
        open_still = (replaced, *read(*again), Cause("force"))
        failed, suspect = seen(*open_still)
        self.assertGreater(suspect.still, 0.95)
        self.assertLess(failed.advice.nothing_left, 0.05)
        self.assertGreater(fresh.advice.nothing_left, 0.8)
        self.assertEqual((failed.advice.next.kind, failed.advice.next.target), ("repair", "FL5"))
        self.assertIn("worked on before", failed.advice.next.why)
        unit.mend("FL5", "replace")
        taken = assess(duo_advice(), trail_of(*found, *open_still, replaced, *read("FL5.3-4", "J1.A10")))
        self.assertLess(max((s.still for s in taken.suspects if s.fault.part == "FL5"), default=0.0), 0.02)
        self.assertGreater(taken.advice.nothing_left, 0.85)

    def test_a_check_that_the_pack_no_longer_has_holds_nothing_up(self) -> None:
        passed = tuple(Proof(c.id, True) for c in duo_board().checks)
        done = assess(duo_advice(), trail_of(*self.BEGUN, Proof("dock", False), *passed), explain=False)
        self.assertEqual(done.advice.next.kind, "hand_over")

    def test_a_trial_counts_once_however_it_was_told(self) -> None:
        """Two failures of one thing in a row make a slip less likely, and say no more of the faults."""
        model = duo_advice().model
        item = next(i for i in gather_evidence(model, trail_of(*self.FOUND, Proof("boot", False),
                                                               Proof("boot", False))).items if i.kind == "check")
        self.assertEqual((item.touches, item.seen), (2, "failed"))
        told, chances = check_log_likelihood(model, "boot", False, None, 2), check_chances(model, "boot", None, 2)
        assert told is not None and chances is not None
        np.testing.assert_allclose(np.exp(told), 1.0 - chances)

    def test_the_order_of_trials_does_not_matter(self) -> None:
        model = duo_advice().model
        tried: tuple[Payload, ...] = (Proof("dock_a", False), Proof("boot", True), RailVolts("V1V8", 1.8, "a"),
                 Swap("dock", "no_dock", False))
        one, other = (weigh_sets(model, gather_evidence(model, trail_of(*self.FOUND, *order)))
                      for order in (tried, tried[::-1]))
        np.testing.assert_allclose(one.rows, other.rows, rtol=1e-9, atol=1e-15)
        self.assertFalse(np.allclose(one.evidence.log_likelihood, other.evidence.log_likelihood))

    def test_a_draw_is_read_with_what_is_known_without_any_draw(self) -> None:
        model = duo_advice().model
        drawn = weigh_sets(model, gather_evidence(model, trail_of(*self.FOUND, Proof("dock_a", False))))
        undrawn = gather_evidence(model, trail_of(*(p for p in self.FOUND if not isinstance(p, Supply)),
                                                  Proof("dock_a", False)))
        weight = np.exp(model.hypotheses.log_prior + undrawn.log_likelihood.sum(axis=0))
        np.testing.assert_allclose(_without_draws(model, drawn), weight / weight.sum(), rtol=1e-9)

    def test_what_is_as_good_as_found_comes_before_a_chip_that_is_not(self) -> None:
        def ranked(chip: float, other: float, kind: str = "repair", part: str = "J1") -> Action | None:
            weighing = SimpleNamespace(board=duo_board(), chance_of_part={"U3": chip, part: other, "C31": 0.99})
            actions = [Action(kind, "U3", "", "", "", 36.0, 50.0, 90.0), Action("repair", part, "", "", "", 41.0, 52.0,
                                                                                91.0)]
            return _found_first(weighing, actions)  # type: ignore[arg-type]

        found = ranked(0.4, 0.97)
        self.assertEqual((found.target, found.kind) if found else None, ("J1", "repair"))
        self.assertIsNotNone(ranked(0.4, 0.97, "isolate"))
        self.assertIsNotNone(ranked(0.95, 0.97), "both have to be done: the one that may clear the chip comes first")
        self.assertIsNotNone(ranked(0.4, 0.97, part="U1"))
        for chip, other, part in ((0.996, 0.97, "J1"), (0.4, 0.6, "J1"), (0.95, 0.97, "U1")):
            self.assertIsNone(ranked(chip, other, part=part))
