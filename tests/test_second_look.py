"""A chip that was seen to warm is looked for a second way before it is changed, while the rail is on the supply."""

from __future__ import annotations

import unittest
from dataclasses import replace

from dextrum.core.advice.actions import Action
from dextrum.core.advice.before_repair import before_giving_up, before_repair
from dextrum.core.advice.injecting import injecting_minutes, injection_actions
from dextrum.core.advice.second_look import second_look
from dextrum.core.advice.ways_of_seeing import WAY_BY_WORD
from dextrum.core.assumptions.planning import INJECT_MINUTES, LOOK_AGAIN_MINUTES
from dextrum.core.job import job_facts
from dextrum.core.trail import Injection, Isolation, Payload, Photo
from tests.support import as_good, board_out, duo_board, replaced, trail_of
from tests.test_before_change import weighed

SHORTED = (*board_out("no_charge", "no_start"), *2 * as_good(but={"L4.1": 0.0}))


def seen(part: str, by: str = "camera", net: str = "V3V3", volts: float = 3.3, amps: float = 1.83) -> Injection:
    return Injection(net, volts, amps, part, WAY_BY_WORD[by].by)


def before_changing(part: str, *more: Payload, at_stake: float) -> Action | None:
    weighing = weighed(*SHORTED, *more)
    return second_look(weighing, part, at_stake, injection_actions(weighing))


class SecondLookTest(unittest.TestCase):
    def test_a_chip_that_a_camera_named_is_looked_for_otherwise_where_its_neighbours_may_be_it(self) -> None:
        look = before_changing("U1", seen("U1"), at_stake=900.0)
        assert look is not None
        self.assertEqual((look.kind, look.target, look.detail), ("inject", "V3V3", "alcohol"))
        self.assertEqual(look.minutes, LOOK_AGAIN_MINUTES["alcohol"])
        self.assertEqual(look.title, "Look again with alcohol: V3V3, 1\u00a0W up to 3.30\u00a0V")
        self.assertIn("Away from flames", look.why)
        self.assertTrue(look.why.startswith("U1 was seen to warm, but what sits beside it"))

    def test_not_where_that_saves_less_than_it_takes(self) -> None:
        self.assertIsNone(before_changing("U1", seen("U1"), at_stake=1.0))

    def test_not_for_a_part_that_nobody_saw_warm(self) -> None:
        self.assertIsNone(before_changing("U1", at_stake=900.0))
        self.assertIsNone(before_changing("U1", seen("U4"), at_stake=900.0))

    def test_not_by_a_rail_that_the_part_is_not_on(self) -> None:
        weighing = weighed(*SHORTED, seen("U1"))
        look = injection_actions(weighing)[0]
        elsewhere = replace(look, target="VCORE")
        weighing.joints["inject", "VCORE"] = weighing.joints["inject", look.target]
        self.assertIsNotNone(second_look(weighing, "U1", 900.0, [look]))
        self.assertIsNone(second_look(weighing, "U1", 900.0, [elsewhere]))

    def test_not_a_third_time(self) -> None:
        for other in ("spray", "alcohol"):
            self.assertIsNone(before_changing("U1", seen("U1"), seen("U1", other), at_stake=900.0), other)

    def test_what_was_named_is_not_asked_of_the_same_way_with_another_setting(self) -> None:
        ways = {action.detail for action in injection_actions(weighed(*SHORTED, seen("U1")))}
        self.assertEqual(ways, {"alcohol"})
        few = seen("", volts=0.1, amps=0.1)
        nothing = {action.detail for action in injection_actions(weighed(*SHORTED, few))}
        self.assertEqual(nothing, {"camera"}, "at more than the hundredth of a watt that showed nothing")

    def test_with_what_was_named_off_the_board_and_the_rail_still_on_ground_it_is_asked_anew(self) -> None:
        off = Isolation(("C16",))
        still = weighed(*SHORTED, seen("C16"), off, *2 * as_good(but={"L4.1": 0.0}))
        self.assertEqual({action.detail for action in injection_actions(still)}, {"camera"})

    def test_after_the_chip_was_changed_and_the_rail_is_still_on_ground_it_is_looked_for_anew(self) -> None:
        again: tuple[Payload, ...] = (seen("U1"), replaced("U1"), *2 * as_good(but={"L4.1": 0.0}))
        weighing = weighed(*SHORTED, *again)
        change = Action("repair", "U1", "", "", "", 36.0, 45.0, 0.0, detail="replace")
        look = before_repair(weighing, [change, *injection_actions(weighing)])
        assert look is not None
        self.assertEqual((look.kind, look.detail), ("inject", "camera"))
        self.assertEqual(look.minutes, INJECT_MINUTES["camera"])


class BeforeGivingUpTest(unittest.TestCase):
    """The processor's rail is on ground and the processor was seen to warm: with capacitors beside it."""

    CORE = (*board_out("no_start"), *2 * as_good(but={"L2.2": 0.0005}))

    def before(self, *ways: str, worth: float = 2000.0) -> Action | None:
        """worth: of the unit, while planning."""
        looks = [seen("U7", by, "VCORE", 0.33, 3.0) for by in ways]
        weighing = weighed(*self.CORE, *looks)
        weighing.give_up = worth
        self.assertEqual(weighing.part_beyond_repair[0], "U7")
        return before_giving_up(weighing, injection_actions(weighing), looked=True, sure=True)

    def test_a_unit_is_not_given_up_for_one_picture(self) -> None:
        look = self.before("camera")
        assert look is not None
        self.assertEqual((look.kind, look.target, look.detail), ("inject", "VCORE", "alcohol"))

    def test_but_for_two_or_where_it_is_worth_less_than_the_look(self) -> None:
        twice = [self.before("camera", other) for other in ("spray", "alcohol")]
        for found in (*twice, self.before("camera", worth=100.0)):
            self.assertNotEqual(found.kind if found else "", "inject")


class OnSupplyTest(unittest.TestCase):
    """The rail stays on the bench supply until something else is done."""

    def minutes(self, *more: Payload, net: str = "V3V3", fed: str = "") -> float:
        facts = job_facts(trail_of(*SHORTED, *more))
        return injecting_minutes(duo_board(), facts, net, "spray", fed)

    def test_right_after_a_look_another_takes_less(self) -> None:
        self.assertEqual(self.minutes(), INJECT_MINUTES["spray"])
        self.assertEqual(self.minutes(seen("")), LOOK_AGAIN_MINUTES["spray"])

    def test_a_photo_leaves_it_wired_and_a_reading_does_not(self) -> None:
        photo = Photo("0" * 64, 640, 480)
        self.assertEqual(self.minutes(seen("U1"), photo), LOOK_AGAIN_MINUTES["spray"])
        self.assertEqual(self.minutes(seen("U1"), *as_good("L2.2")), INJECT_MINUTES["spray"])

    def test_another_rail_or_one_that_is_fed_beside_it_is_wired_anew(self) -> None:
        self.assertEqual(self.minutes(seen("U1"), net="V1V8"), INJECT_MINUTES["spray"])
        self.assertGreater(self.minutes(seen("U1"), fed="V3V3"), INJECT_MINUTES["spray"])


if __name__ == "__main__":
    unittest.main()
