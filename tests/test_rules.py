"""The rules of the advice: named, with a reason each, in one order, and each may be tried without."""

from __future__ import annotations

import unittest
from dataclasses import replace
from pathlib import Path
from typing import Any, cast

from dextrum.__main__ import main
from dextrum.app.advising.assess import assess
from dextrum.app.evaluation.cases import draw_case
from dextrum.app.evaluation.evaluate import Setting, evaluate, evaluation_table
from dextrum.app.evaluation.players import by_advice
from dextrum.app.evaluation.rules_earn import with_rules_weighed
from dextrum.core.advice.rules import MAY_BE_LEFT_OUT, RULES
from dextrum.core.trail import Intake, JobOpened
from tests.support import duo_advice, trail_of
from tests.test_world import CALM

OPENED = JobOpened("T-1", "Tarnwick Duo", "tarnwick-duo-c")


class RuleTest(unittest.TestCase):
    def test_each_has_a_name_of_its_own_and_a_reason_that_is_documented(self) -> None:
        text = (Path(__file__).parent.parent / "docs" / "diagnosis.md").read_text()
        self.assertEqual(len({rule.name for rule in RULES}), len(RULES))
        for number, rule in enumerate(RULES, start=1):
            with self.subTest(rule.name):
                self.assertIn(f"{number}. `{rule.name}`{' !' if rule.always else ''}: {rule.reason}\n", text)

    def test_what_keeps_from_harm_can_not_be_left_out(self) -> None:
        self.assertNotIn("protocol", MAY_BE_LEFT_OUT)
        advice = replace(duo_advice(), without=frozenset(rule.name for rule in RULES))
        found = assess(advice, trail_of(OPENED, Intake("got wet", ("no_charge",), signs=("wet",))), explain=False)
        self.assertEqual(found.advice.next.kind, "make_safe")

    def test_without_a_rule_the_plan_decides(self) -> None:
        """A unit with two faults is given up, where nothing has to be tried before, and mended with the rule."""
        advice = replace(duo_advice(), without=frozenset({"look_further"}))
        self.assertEqual(by_advice(advice, draw_case(advice, 15, 205)).ended, "given up")
        self.assertEqual(by_advice(duo_advice(), draw_case(duo_advice(), 15, 205)).ended, "repaired")

    def test_an_unknown_rule_is_named(self) -> None:
        for name in ("nonsense", "protocol"):
            with self.subTest(name):
                self.assertEqual(main(["evaluate", "--cases", "1", "--without", name]), 1)

    def test_the_evaluation_says_what_was_left_out(self) -> None:
        found = evaluate(Setting(1, 5, world=CALM, players=("advice",), without=frozenset({"worth_it"})), cores=1)
        self.assertEqual(found.without, ("worth_it",))

    def test_what_a_rule_earns_is_what_the_evaluation_without_it_says(self) -> None:
        """Though only the cases are played again in which it spoke."""
        setting = Setting(1, 41, players=("advice",))
        whole = with_rules_weighed(setting, evaluate(setting, cores=1), "tarnwick-duo-c", cores=1)
        self.assertEqual([one["rule"] for one in whole.rules_earn], list(MAY_BE_LEFT_OUT))
        first: dict[str, Any] = next(one for one in whole.rules_earn if one["rule"] == "test_first")
        self.assertGreater(int(first["spoke"]), 0)
        without = evaluate(replace(setting, without=frozenset({"test_first"})), cores=1)
        for key in ("minutes", "good_parts"):
            with_it, without_it = (sum(cast(float, play[key]) for play in found.plays) for found in (whole, without))
            self.assertAlmostEqual(first[f"{key}_without"] - first[f"{key}_with"], without_it - with_it, delta=0.11)
        self.assertIn("| test_first |", evaluation_table(whole))
        self.assertEqual(main(["evaluate", "--cases", "1", "--players", "oracle", "--each-rule"]), 1)


if __name__ == "__main__":
    unittest.main()
