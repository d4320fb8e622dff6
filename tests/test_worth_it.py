"""No part that is likelier good than not is changed for more than that can earn."""

from __future__ import annotations

import unittest
from dataclasses import replace

from dextrum.app.advising.assess import assess
from dextrum.app.advising.reason_words import quiet_words
from dextrum.core.advice.actions import Action
from dextrum.core.advice.giving_up import giving_up
from dextrum.core.advice.repairing import repair_action
from dextrum.core.advice.rules import MAY_BE_LEFT_OUT, Turn, first_by_rule
from dextrum.core.advice.weighing import Weighing
from dextrum.core.advice.worth_it import costs_more_than_it_earns
from dextrum.core.diagnosis.after_repair import weigh_trail
from dextrum.core.job import job_facts
from dextrum.core.trail import Payload, Proof
from tests.support import as_good, board_out, duo_advice, duo_board, trail_of

DARK_DOCK = (*board_out("no_dock"), *as_good(*duo_board().port_point_ids()))
"""The port reads well: two chips are equally likely, and neither is likelier at fault than not."""
ONLY = frozenset(MAY_BE_LEFT_OUT) - {"worth_it"}


def weighed(*payloads: Payload) -> Weighing:
    advice, trail = duo_advice(), trail_of(*payloads)
    return Weighing(advice, weigh_trail(advice.model, trail), job_facts(trail))


def change(weighing: Weighing, part: str, action: str = "replace") -> Action:
    k = next(k for k, option in enumerate(weighing.options.options) if (option.part, option.action) == (part, action))
    return repair_action(weighing, k, weighing.chance_to_mend(k))


def turn(weighing: Weighing, *candidates: Action) -> Turn:
    return Turn(weighing, weighing.facts, (), frozenset(), (), (), None, (), False, True, candidates)


class WorthItTest(unittest.TestCase):
    def setUp(self) -> None:
        self.weighing = weighed(*DARK_DOCK)
        self.chip = change(self.weighing, "U3")
        self.chance = self.weighing.chance_of_part["U3"]
        board = self.weighing.board
        self.earns = self.chance * (board.unit_value - board.donor_value - self.weighing.prove)

    def test_what_it_costs_is_held_against_its_chance_of_what_the_unit_is_worth(self) -> None:
        self.assertLess(self.chance, 0.5)
        for share, more in ((0.99, False), (1.01, True)):
            with self.subTest(share):
                action = replace(self.chip, cost=share * self.earns)
                self.assertIs(costs_more_than_it_earns(self.weighing, action), more)

    def test_a_part_that_is_likelier_at_fault_than_not_is_left_to_the_plan(self) -> None:
        likely = weighed(*board_out("no_dock"), *as_good(*duo_board().port_point_ids(), but={"J1.A2": float("inf")}))
        part = likely.likeliest_part
        self.assertGreater(likely.chance_of_part[part], 0.5)
        self.assertFalse(costs_more_than_it_earns(likely, replace(change(likely, part), cost=1e6)))

    def test_tests_and_the_lifting_of_small_parts_are_not_asked_what_they_earn(self) -> None:
        for kind, target in (("measure", "J1.A5"), ("try", "dock_a"), ("isolate", "C60"), ("give_up", "")):
            with self.subTest(kind):
                self.assertFalse(costs_more_than_it_earns(self.weighing, replace(
                    self.chip, kind=kind, target=target, detail="", cost=1e6)))
        self.assertTrue(costs_more_than_it_earns(self.weighing, replace(
            self.chip, kind="isolate", detail="", cost=1e6)))

    def test_the_next_best_that_can_earn_its_cost_comes_first(self) -> None:
        trial = replace(self.chip, kind="try", target="dock_a", detail="", cost=1.0)
        found, rule = first_by_rule(turn(self.weighing, self.chip, trial, *giving_up(self.weighing, True)), ONLY)
        self.assertEqual((found, rule), (trial, "worth_it"))

    def test_a_unit_that_nothing_is_left_for_is_given_up_and_told_why(self) -> None:
        ends = replace(giving_up(self.weighing, True)[0], expected=1e6)
        everything = DARK_DOCK + as_good(*(p.id for p in duo_board().points))
        whole = weighed(*everything)
        chip = replace(change(whole, "U3"), cost=1e3)
        found, rule = first_by_rule(turn(whole, chip, ends), ONLY)
        assert found is not None
        self.assertEqual((found.kind, rule), ("give_up", "worth_it"))
        self.assertIn(chip.title, found.why)
        self.assertIn("more than its parts", found.why)

    def test_without_another_step_nothing_is_said(self) -> None:
        self.assertEqual(first_by_rule(turn(self.weighing, replace(self.chip, cost=1e3)), ONLY), (None, ""))

    def test_what_the_change_costs_beside_measuring_is_not_told_where_neither_is_advised(self) -> None:
        works = (Proof("dock_a", False), Proof("dock_b", False), Proof("charge_a", True), Proof("charge_b", True))
        found = assess(duo_advice(), trail_of(*DARK_DOCK, *works))
        self.assertEqual(found.suspects[0].fault.id, "U3:quiet_failure")
        on = next(action for action in found.advice.ranked if action.kind == "measure")
        ends = replace(on, kind="give_up")
        for first, told in ((on, True), (ends, False)):
            advice = replace(found.advice, next=first, ranked=(first, self.chip, on))
            self.assertEqual(bool(quiet_words(replace(found, advice=advice), 0.8)), told, first.kind)

    def test_what_pays_is_left_alone(self) -> None:
        ends = giving_up(self.weighing, True)[0]
        found, rule = first_by_rule(turn(self.weighing, replace(self.chip, cost=0.5 * self.earns), ends), ONLY)
        self.assertEqual((found, rule), (None, ""))


if __name__ == "__main__":
    unittest.main()
