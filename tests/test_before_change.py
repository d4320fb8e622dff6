"""What is read before a part is changed: across it, and a rail that is likely on ground, for what injecting shows."""

from __future__ import annotations

import unittest

from dextrum.app.advising.assess import assess
from dextrum.core.advice.across_first import across_first
from dextrum.core.advice.actions import Action
from dextrum.core.advice.before_repair import against_again, before_repair
from dextrum.core.advice.injecting import injection_actions, read_to_inject
from dextrum.core.advice.measuring import measure_actions, try_actions
from dextrum.core.advice.short_first import short_first
from dextrum.core.advice.weighing import Weighing
from dextrum.core.assumptions.planning import LIKELY_SHORT
from dextrum.core.board import Method
from dextrum.core.diagnosis.after_repair import weigh_trail
from dextrum.core.job import job_facts
from dextrum.core.trail import (
    Cell,
    Injection,
    Isolation,
    Payload,
    PointReading,
    Proof,
    PutTogether,
    RailVolts,
    Readings,
    Supply,
)
from tests.support import as_good, board_out, duo_advice, duo_board, replaced, trail_of

CYCLES = (Supply("a", 5.2, 0.07, 1.0, supply_proved=True),
          Supply("b", 3.67, 0.36, 1.0, pattern="blinking", supply_proved=True))
"""A draw that comes and goes at a pulled-down voltage: something behind the charger is on ground."""


def weighed(*payloads: Payload) -> Weighing:
    advice, trail = duo_advice(), trail_of(*payloads)
    return Weighing(advice, weigh_trail(advice.model, trail), job_facts(trail))


class AgainstAgainTest(unittest.TestCase):
    """A contact on ground, touched twice, and its tail as on a good board, touched once: one of them is wrong."""

    GROUNDED = 2 * as_good(but={"J1.B5": 0.001})
    TAIL = as_good("J1.B5/tail")

    def test_what_speaks_against_a_part_at_one_touch_is_touched_again_before_it_is_changed(self) -> None:
        again = against_again(weighed(*board_out("no_charge"), *self.GROUNDED, *self.TAIL), "U1")
        assert again is not None
        self.assertEqual((again.kind, again.points), ("measure", ("J1.B5/tail",)))
        self.assertIn("touched once", again.why)

    def test_not_a_third_time_nor_for_a_part_that_it_does_not_speak_against(self) -> None:
        twice = weighed(*board_out("no_charge"), *self.GROUNDED, *self.TAIL, *self.TAIL)
        self.assertIsNone(against_again(twice, "U1"))
        once = weighed(*board_out("no_charge"), *self.GROUNDED, *self.TAIL)
        self.assertIsNone(against_again(once, "U3"))
        self.assertIsNone(against_again(once, "NOTHING"))


class TryAgainTest(unittest.TestCase):
    """All has passed but one check, which failed once: a slip is told in three minutes, a change in vain is half an
    hour and all checks anew."""

    PASSED = tuple(Proof(check, True) for check in ("charge_a", "charge_b", "boot", "dock_a", "dock_b", "rails"))
    FAILED = (*board_out("code_T47"), *as_good(*duo_board().port_point_ids(), "R2.2", "J3.1", "TP14"), Cell("plugged"),
              PutTogether(("S5", "S6", "A1")), *PASSED, Proof("touch", False))

    def before(self, cost: float, *more: Payload) -> Action | None:
        """What comes before changing J3 where that costs so much."""
        weighing = weighed(*self.FAILED, *more)
        self.assertLess(weighing.nothing, weighing.chance_of_part["J3"])
        change = Action("repair", "J3", "", "", "", 26.0, cost, 0.0, detail="replace")
        trial = Action("try", "touch", "", "", "", 3.0, weighing.minutes_cost(3.0), 0.0)
        return before_repair(weighing, [change, trial])

    def test_a_check_that_failed_once_is_tried_again_where_that_may_save_more(self) -> None:
        dear = self.before(400.0)
        self.assertEqual(dear.kind if dear else "", "try")

    def test_not_for_a_change_that_costs_little(self) -> None:
        cheap = self.before(1.0)
        self.assertNotEqual(cheap.kind if cheap else "", "try")


class SeenToFailTest(unittest.TestCase):
    """The owner says that it does not charge, and it draws next to nothing; all that was read reads well."""

    WELL = (*board_out("no_charge", "no_start"), Supply("a", 5.09, 0.06, 1.0, supply_proved=True),
            Supply("b", 5.1, 0.04, 1.0, supply_proved=True),
            *as_good(*duo_board().port_point_ids(), "C27.1", "C27.2", "TP10", "C26.1", "J2.1", "C12.1", "C13.1", "TP6",
                     "TP7", "R1.1", "L2.2", "C18.nF", "C26.nF", "R12.1-2", "C16.1-2"), RailVolts("VCHG", 9.09, "a"))

    def before(self, *more: Payload) -> Action | None:
        weighing = weighed(*self.WELL, *more)
        change = Action("repair", "U2", "", "", "", 36.0, 45.0, 0.0, detail="replace")
        return before_repair(weighing, [change, *try_actions(weighing)])

    def test_a_chip_that_reads_well_is_not_changed_before_anything_failed_on_the_bench(self) -> None:
        trial = self.before()
        assert trial is not None
        self.assertEqual(trial.kind, "try")
        self.assertIn(trial.target, ("charge_a", "charge_b"))
        self.assertTrue(trial.why.startswith("Nothing was seen to fail on the bench yet. U2 would fail this"))

    def test_one_failure_asks_for_another_and_two_for_no_more(self) -> None:
        one = self.before(Proof("charge_a", False), Proof("charge_a", False))
        assert one is not None
        self.assertEqual((one.kind, one.target), ("try", "charge_b"))
        self.assertIn("as well", one.why)
        both = self.before(*(Proof(check, False) for check in 2 * ("charge_a", "charge_b")))
        self.assertNotIn("would fail this", both.why if both else "")


class ShortFirstTest(unittest.TestCase):
    """The dock is dark, and the processor's rail is on ground: that has to be found anyhow."""

    SHORTED = (*board_out("no_dock", "no_start", "code_T34"), *2 * as_good(but={"L2.2": 0.0005}))

    def first(self, part: str, *more: Payload) -> Action | None:
        weighing = weighed(*self.SHORTED, *more)
        return short_first(weighing, part, injection_actions(weighing))

    def test_a_rail_that_is_surely_shorted_is_searched_before_a_chip_elsewhere_is_changed(self) -> None:
        search = self.first("U3")
        assert search is not None
        self.assertEqual((search.kind, search.target), ("inject", "VCORE"))
        self.assertTrue(search.why.startswith("VCORE is shorted, and that has to be found anyhow; whether U3"))

    def test_not_before_the_part_that_shorts_it(self) -> None:
        weighing = weighed(*self.SHORTED, Injection("VCORE", 0.9, 1.8, "U5", "camera"))
        self.assertGreater(weighing.chance_of_part["U5"], 0.9)
        self.assertIsNone(short_first(weighing, "U5", injection_actions(weighing)))

    def test_not_where_nothing_searches_it(self) -> None:
        self.assertIsNone(short_first(weighed(*self.SHORTED), "U3", []))

    def test_not_for_a_board_that_reads_well(self) -> None:
        weighing = weighed(*board_out("no_dock", "code_T34"), *2 * as_good("L2.2"))
        self.assertIsNone(short_first(weighing, "U3", injection_actions(weighing)))

    def test_it_comes_before_the_change(self) -> None:
        weighing = weighed(*self.SHORTED)
        change = Action("repair", "U3", "", "", "", 36.0, 45.0, 0.0, detail="replace")
        before = before_repair(weighing, [change, *injection_actions(weighing)])
        assert before is not None
        self.assertEqual(before.kind, "inject")


class ReadToInjectTest(unittest.TestCase):
    BEGUN = (*board_out("no_dock", "no_start"), *CYCLES, *as_good("C33.1", "C27.2"))

    def found(self, *payloads: Payload) -> list[Action]:
        return read_to_inject(weighed(*self.BEGUN, *payloads))

    def test_a_rail_that_is_likely_on_ground_is_read_for_what_it_makes_possible(self) -> None:
        weighing = weighed(*self.BEGUN)
        found = read_to_inject(weighing)
        self.assertTrue(found)
        plain = {action.target: action for action in measure_actions(weighing)}
        for action in found:
            self.assertEqual(action.kind, "measure")
            if action.target in plain:
                self.assertLess(action.expected, plain[action.target].expected)

    def test_the_next_step_is_such_a_reading_or_better_and_injecting_comes_after_it(self) -> None:
        step = assess(duo_advice(), trail_of(*self.BEGUN, *as_good(*duo_board().port_point_ids()))).advice.next
        self.assertEqual(step.kind, "measure")
        grounded = Readings(Method.DIODE_RED_GROUND, (PointReading(step.points[0], 0.0),), "M1")
        after = weighed(*self.BEGUN, grounded)
        self.assertTrue(injection_actions(after))
        read = after.advice.model.copper[step.points[0]]
        self.assertNotIn(read, {after.advice.model.copper[a.target] for a in read_to_inject(after)})

    def test_a_board_without_a_sign_of_a_short_offers_none(self) -> None:
        weighing = weighed(*board_out("no_dock"))
        self.assertLess(max((float(w) for w in weighing.weight), default=0.0), LIKELY_SHORT)
        self.assertEqual(read_to_inject(weighing), [])

    def test_with_parts_off_what_is_off_is_looked_at_first(self) -> None:
        self.assertEqual(self.found(Isolation(("C28",), "off")), [])


class AcrossFirstTest(unittest.TestCase):
    """A data line reads as high as behind a filter that is open: the filter, or another maker's array."""

    HIGH = (*board_out("no_dock"), *as_good(*(p for p in duo_board().port_point_ids() if p not in ("J1.A7", "J1.B7")),
                                            but={"J1.A7": 0.683, "J1.B7": 0.683}))

    def test_the_filter_is_read_across_before_it_is_changed(self) -> None:
        weighing = weighed(*self.HIGH)
        self.assertGreater(weighing.chance_of_part["FL4"], 0.5)
        found = across_first(weighing, "FL4")
        assert found is not None
        self.assertIn("FL4.3-4", found.points)
        self.assertLess(found.minutes, 20.0)

    def test_read_through_it_is_cleared_and_not_asked_for_again(self) -> None:
        weighing = weighed(*self.HIGH, *as_good("FL4.1-2", "FL4.3-4", "FL4.1-3"))
        self.assertLess(weighing.chance_of_part.get("FL4", 0.0), 0.2)
        self.assertIsNone(across_first(weighing, "FL4"))

    def test_two_lines_that_read_low_together_are_read_between_before_the_filter_is_changed(self) -> None:
        """Whatever weighs says that they are bridged there or in the port: the reading may say that nothing does."""
        off = ("J1.A6", "J1.A7", "J1.B6", "J1.B7")
        low = (*board_out("no_dock"), *as_good(*(p for p in duo_board().port_point_ids() if p not in off),
                                               but=dict.fromkeys(off, 0.610)))
        weighing = weighed(*low)
        self.assertGreater(weighing.chance_of_part["FL4"], 0.3)
        found = across_first(weighing, "FL4")
        assert found is not None
        self.assertEqual(found.points, ("FL4.1-3",))
        self.assertLess(weighed(*low, *as_good("FL4.1-3")).chance_of_part.get("FL4", 0.0), 0.1)

    def test_after_a_repair_it_is_read_anew(self) -> None:
        self.assertIsNotNone(across_first(weighed(*self.HIGH, replaced("F1")), "FL4"))

    def test_the_unit_is_not_opened_for_it_further_than_the_change_needs(self) -> None:
        weighing = weighed(*self.HIGH)
        near, dear = (Action("repair", "FL4", "", "", "", minutes, minutes, 1.0) for minutes in (16.0, 0.4))
        self.assertEqual(getattr(before_repair(weighing, [near]), "points", ()), ("FL4.3-4",))
        self.assertNotEqual(getattr(before_repair(weighing, [dear]), "points", ()), ("FL4.3-4",))

    def test_nothing_across_a_part_that_has_no_ends_to_read_or_while_parts_are_off(self) -> None:
        self.assertIsNone(across_first(weighed(*self.HIGH), "U3"))
        self.assertIsNone(across_first(weighed(*self.HIGH, Isolation(("C28",), "off")), "FL4"))


class ScannedBeforeTriedTest(unittest.TestCase):
    def test_a_unit_that_draws_nothing_is_read_at_the_port_before_every_check_is_tried(self) -> None:
        """Each check was tried twice first, since a trial costs less than the port: what it tells was left out."""
        dead = (Supply("a", 5.03, 0.0, 1.0, supply_proved=True), Supply("b", 5.04, 0.0, 1.0, supply_proved=True))
        trail = trail_of(*board_out("no_charge", "no_dock", "no_start")[:3], *dead)
        self.assertNotEqual(assess(duo_advice(), trail).advice.next.kind, "try")


if __name__ == "__main__":
    unittest.main()
