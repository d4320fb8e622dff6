"""The order of the checks, what must be in its place for them, and what instruments say on the proof."""

from __future__ import annotations

import itertools
import random
import time
import unittest
from dataclasses import replace

from dextrum.app.advising.assess import Assessment, assess
from dextrum.app.proof.measured import after_words, measured
from dextrum.app.proof.proves import proves, unproved_without
from dextrum.core.board import ProofCheck, SetUp
from dextrum.core.board.consistency import inconsistencies
from dextrum.core.job import JobFacts, job_facts
from dextrum.core.proof.order import checks_in_order
from dextrum.core.proof.together import needed_by, needed_to_run, not_in
from dextrum.core.safety.gates import asked_of, held_gates
from dextrum.core.trail import Access, Cell, Fastened, JobOpened, LeftOut, Look, Override, Payload, Proof, Supply
from tests.support import as_good, duo_advice, duo_board, trail_of

OPENED = JobOpened("T-1", "Tarnwick Duo", "tarnwick-duo-c")
UP = (SetUp("a", "A side up", 0.5, "plug"), SetUp("b", "B side up", 0.5, "plug"), SetUp("dock", "the dock", 2.0))


def facts_of(*payloads: Payload) -> JobFacts:
    return job_facts(trail_of(OPENED, *payloads))


def assessed(*payloads: Payload) -> Assessment:
    return assess(duo_advice(), trail_of(OPENED, *payloads))


def check(name: str, minutes: float, *needs: str) -> ProofCheck:
    return ProofCheck(name, name, minutes, set_up=needs)


def cost_by_hand(order: tuple[ProofCheck, ...], set_ups: tuple[SetUp, ...]) -> float:
    """Minutes of an order, walked through one by one."""
    known = {one.id: one for one in set_ups}
    at_place: dict[str, str] = {}
    total = 0.0
    for one in order:
        total += one.minutes
        for name in one.set_up:
            place = known[name].place or f"its own: {name}"
            if at_place.get(place) == name:
                total -= known[name].minutes
            at_place[place] = name
    return total


class OrderTest(unittest.TestCase):
    def test_each_way_up_is_plugged_once(self) -> None:
        checks = (check("charge a", 2, "a"), check("charge b", 2, "b"), check("dock a", 4, "a", "dock"),
                  check("dock b", 4, "b", "dock"))
        order = checks_in_order(checks, UP)
        self.assertEqual([one.check for one in order.checks], ["charge a", "dock a", "charge b", "dock b"])
        self.assertEqual((order.minutes, order.saved), (12.0 - 3.0, 3.0))
        self.assertEqual([one.set_up for one in order.checks], [("a",), ("dock",), ("b",), ()])

    def test_it_costs_least_of_all_orders(self) -> None:
        generator = random.Random(5)
        for trial in range(40):
            set_ups = tuple(SetUp(f"s{k}", f"s{k}", generator.choice((0.0, 0.5, 1.0)),
                                  generator.choice(("", "plug", "bench"))) for k in range(5))
            checks = []
            for k in range(6):
                needs: list[str] = []
                for one in generator.sample(set_ups, generator.randint(0, 3)):
                    if not one.place or all(one.place != other.place for other in set_ups if other.id in needs):
                        needs.append(one.id)
                checks.append(check(f"c{k}", 4.0, *needs))
            with self.subTest(trial):
                least = min(cost_by_hand(order, set_ups) for order in itertools.permutations(checks))
                self.assertAlmostEqual(checks_in_order(tuple(checks), set_ups).minutes, least)

    def test_without_set_ups_the_packs_order_stays(self) -> None:
        checks = tuple(check(f"c{k}", 1.0) for k in range(7))
        order = checks_in_order(checks, ())
        self.assertEqual([one.check for one in order.checks], [one.id for one in checks])
        self.assertEqual(order.saved, 0.0)
        self.assertEqual(checks_in_order((), ()).checks, ())

    def test_many_checks_are_ordered_soon_and_no_worse_than_as_listed(self) -> None:
        generator = random.Random(6)
        checks = tuple(check(f"c{k}", 4.0, generator.choice("ab"), *(("dock",) if k % 3 == 0 else ()))
                       for k in range(30))
        begun = time.process_time()
        order = checks_in_order(checks, UP)
        self.assertLess(time.process_time() - begun, 2.0)
        self.assertEqual(sorted(one.check for one in order.checks), sorted(one.id for one in checks))
        self.assertLess(order.minutes, cost_by_hand(checks, UP))

    def test_a_pack_that_names_what_is_not_there_is_told(self) -> None:
        board = duo_board()
        wrong = replace(board, set_ups=(*board.set_ups, SetUp("x", "x", 9.0, fasteners=("S99",))),
                        checks=(replace(board.checks[0], set_up=("y",)), replace(board.checks[1], set_up=("x",)),
                                replace(board.checks[2], set_up=("way_a", "way_b")), *board.checks[3:]))
        said = " ".join(f"{one.place} {one.wrong}" for one in inconsistencies(wrong) if one.section == "set_ups")
        for words in ("'S99' is not listed", "'y' is not listed", "two set-ups of one place", "more than that"):
            self.assertIn(words, said)
        self.assertEqual([one for one in inconsistencies(board) if one.section == "set_ups"], [])


class TogetherTest(unittest.TestCase):
    def gates(self, *payloads: Payload) -> list[str]:
        facts = facts_of(*payloads)
        return [g.id for g in held_gates(duo_board(), duo_advice().model.references, facts)]

    def test_what_runs_needs_its_heat_sink_and_two_screws(self) -> None:
        self.assertEqual(set(needed_to_run(duo_board())), {"A1", "S5", "S6"})
        self.assertEqual(len(needed_by(duo_board(), "screws")), len(duo_board().fasteners))
        self.assertEqual(needed_by(duo_board(), "floor"), ())

    def test_a_unit_that_was_never_opened_is_together(self) -> None:
        self.assertNotIn("not_together", self.gates(Look(("clean",))))
        self.assertNotIn("not_together", self.gates(Look(("clean",)), Access("closed")))

    def test_an_opened_unit_is_not_until_somebody_says_so(self) -> None:
        opened: tuple[Payload, ...] = (Look(("clean",)), Cell("plugged"), Access("board_out"))
        self.assertIn("not_together", self.gates(*opened))
        self.assertIn("not_together", self.gates(*opened, Fastened("A1", "in"), Fastened("S5", "in")))
        together = (*opened, *(Fastened(name, "in") for name in ("A1", "S5", "S6")))
        self.assertNotIn("not_together", self.gates(*together))
        self.assertIn("not_together", self.gates(*together, Fastened("S5", "out")))
        self.assertNotIn("not_together", self.gates(*opened, Override("not_together", "on the bench, fan on it")))

    def test_the_back_alone_leaves_the_heat_sink(self) -> None:
        facts = facts_of(Access("back_off"))
        self.assertEqual(set(not_in(duo_board(), facts, needed_to_run(duo_board()))), {"S5", "S6"})

    def test_a_screw_that_comes_out_alone_holds_too(self) -> None:
        self.assertIn("not_together", self.gates(Look(("clean",)), Fastened("S6", "out")))
        self.assertIn("not_together", self.gates(Look(("clean",)), Fastened("S6", "missing")))

    def test_only_what_runs_is_held(self) -> None:
        facts = facts_of(Look(("clean",)), Cell("plugged"), Access("board_out"))

        def asked(payload: Payload) -> list[str]:
            return [g.id for g in asked_of(duo_board(), duo_advice().model.references, facts, payload)]

        self.assertIn("not_together", asked(Proof("boot", True)))
        self.assertEqual(asked(Proof("screws", True)), [])
        self.assertEqual(asked(Supply("a", 9.0, 1.9)), [])

    def test_the_next_step_puts_it_together_and_then_goes_on(self) -> None:
        read = (*duo_board().port_point_ids(), *(p.id for p in duo_board().points if p.kind == "to_ground"))
        whole: tuple[Payload, ...] = (Look(("clean",)), Supply("a", 9.0, 1.92), Supply("b", 9.0, 1.92),
                                      Proof("charge_a", True), Proof("charge_b", True), Cell("unplugged"),
                                      *as_good(*read), Access("board_out"), Cell("plugged"))
        step = assessed(*whole).advice.next
        self.assertEqual((step.kind, step.where), ("assemble", "heat sink on, two port screws in"))
        after = assessed(*whole, *(Fastened(name, "in") for name in ("A1", "S5", "S6"))).advice.next
        self.assertNotEqual(after.kind, "assemble")


class ProvesTest(unittest.TestCase):
    def test_a_check_proves_what_it_rests_on(self) -> None:
        self.assertIn("CC1 reaches the PD controller", proves(duo_board(), "charge_a"))
        self.assertNotIn("CC2 reaches the PD controller", proves(duo_board(), "charge_a"))
        self.assertEqual(proves(duo_board(), "screws"), ())

    def test_left_out_only_what_no_other_check_proves_stays_open(self) -> None:
        facts = facts_of()
        self.assertEqual(unproved_without(duo_board(), facts, "charge_a"), (), "the dock proves CC1 too")
        without_dock = facts_of(LeftOut("dock_a", "no dock here"))
        self.assertEqual(unproved_without(duo_board(), without_dock, "charge_a"), ("CC1 reaches the PD controller",))
        failed = facts_of(Proof("dock_a", False))
        self.assertIn("CC1 reaches the PD controller", unproved_without(duo_board(), failed, "charge_a"))


class MeasuredTest(unittest.TestCase):
    def of(self, *payloads: Payload, way: str = "a") -> tuple[str, bool | None]:
        found = measured(assessed(Look(("clean",)), *payloads).draws, way)
        return ("", None) if found is None else (found.words, found.passes)

    def test_full_power_passes(self) -> None:
        words, passes = self.of(Supply("a", 9.0, 1.92), Supply("b", 9.0, 1.92))
        self.assertIn("9.00 V, 1.92 A: full power for this model", words)
        self.assertTrue(passes)

    def test_a_cell_that_is_near_full_says_why_not(self) -> None:
        words, passes = self.of(Supply("a", 9.05, 0.06), Supply("b", 9.05, 0.06))
        self.assertIn("near full", words)
        self.assertIsNone(passes)

    def test_no_draw_fails(self) -> None:
        words, passes = self.of(Supply("b", 9.0, 1.92), Supply("a", 5.1, 0.0))
        self.assertEqual(passes, False, words)
        self.assertIn("F fails it", words)

    def test_a_way_that_was_not_read_says_nothing(self) -> None:
        self.assertEqual(self.of(Supply("a", 9.0, 1.92), way="b"), ("", None))

    def test_a_draw_nobody_knows_is_told_so(self) -> None:
        words, passes = self.of(Supply("a", 13.0, 2.9))
        self.assertIsNone(passes, words)

    def test_nothing_is_said_of_readings_without_a_repair(self) -> None:
        facts = facts_of(Look(("clean",)))
        self.assertEqual(after_words(duo_board(), facts, duo_advice().model.references, {}), "")


if __name__ == "__main__":
    unittest.main()
