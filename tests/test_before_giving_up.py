"""Before a unit is given up what fails is read: at a second point where only one was; OL is not believed at once."""

from __future__ import annotations

import math
import unittest
from dataclasses import replace
from types import SimpleNamespace
from typing import cast
from unittest import mock

from dextrum.app.advising.assess import assess
from dextrum.core.advice import before_repair
from dextrum.core.advice.actions import Action
from dextrum.core.advice.before_repair import (
    _beside_what_was_changed,
    _still_pays,
    _unread_rails,
    before_giving_up,
)
from dextrum.core.advice.giving_up import tried_before_the_end
from dextrum.core.advice.measuring import measure_actions, try_actions
from dextrum.core.advice.rules import Turn, _seen_first, _tried_anew
from dextrum.core.advice.weighing import Weighing
from dextrum.core.assumptions.planning import BEYOND_REPAIR, KNOWN, MOST_TIMES, OPEN_TOUCHES, PLANNING_PENALTY
from dextrum.core.board import Method
from dextrum.core.diagnosis.after_repair import weigh_trail
from dextrum.core.job import job_facts
from dextrum.core.trail import (
    AUDIT_STEPS,
    Access,
    Audit,
    BoardLook,
    Injection,
    PartSeen,
    Payload,
    PointReading,
    Proof,
    RailVolts,
    Readings,
    Rework,
)
from tests.support import as_good, board_out, duo_advice, duo_board, replaced, trail_of

BEGUN = board_out("no_rails")


def asked(*payloads: Payload, sure: bool = False) -> Action | None:
    advice, trail = duo_advice(), trail_of(*BEGUN, *payloads)
    return _unread_rails(Weighing(advice, weigh_trail(advice.model, trail), job_facts(trail)), sure)


def coppers(found: Action | None) -> set[int]:
    """Pieces of copper that are to be read."""
    return set() if found is None else {duo_advice().model.copper[p] for p in found.points}


def copper_of(net: str) -> int:
    board = duo_board()
    return next(duo_advice().model.copper[p.id] for p in board.points if p.to is None and board.net_of(p.at) == net)


def a_point_of_each(kept: str = "") -> tuple[Payload, ...]:
    """One point of every piece of copper, that of the 5 V rail as asked."""
    model, board = duo_advice().model, duo_board()
    first: dict[int, str] = {}
    for point in board.points:
        if point.to is None and model.copper[point.id] >= 0 and board.net_of(point.at) != "GND":
            first.setdefault(model.copper[point.id], point.id)
    first.update({model.copper[kept]: kept} if kept else {})
    return as_good(*first.values())


class SecondPointTest(unittest.TestCase):
    """The rails for controllers fail: they hang on the 5 V rail."""

    def test_a_line_that_nobody_read_is_read(self) -> None:
        self.assertIn(copper_of("V5V0"), coppers(asked()))
        self.assertIn(copper_of("V5V0"), coppers(asked(sure=True)))

    def test_what_fails_is_read_at_a_second_point_too(self) -> None:
        """The first may be on another net than the pack has it on."""
        read = a_point_of_each("J3.1")
        found = asked(*read)
        assert found is not None
        self.assertIn(copper_of("V5V0"), coppers(found))
        self.assertNotIn("J3.1", found.points)
        self.assertIsNone(asked(*read, *as_good(*found.points)), "and then it has been looked at")

    def test_where_what_is_wrong_has_a_name_one_point_will_do(self) -> None:
        self.assertIsNone(asked(*a_point_of_each("J3.1"), sure=True))

    def test_a_rail_that_nothing_failing_needs_is_read_once(self) -> None:
        self.assertNotIn(copper_of("VCELL"), coppers(asked(*a_point_of_each("J3.1"))))

    def test_trials_that_failed_say_what_is_needed(self) -> None:
        self.assertNotIn(copper_of("HPD"), coppers(asked()))
        self.assertIn(copper_of("HPD"), coppers(asked(Proof("dock_a", False))))


class StillPaysTest(unittest.TestCase):
    """All rails are up and all lines read well, and it does not start: the processor, or a resistor nobody has read."""

    FAILED = (*board_out("no_start"), *(Proof(check, True) for check in ("charge_a", "charge_b", "dock_a", "dock_b")),
              Proof("boot", False), Proof("boot", False), RailVolts("VCORE", 0.91, "a"), RailVolts("V1V8", 1.8, "a"),
              RailVolts("V3V3", 3.3, "a"), *a_point_of_each("J3.1"))

    def before(self, *more: Payload) -> tuple[Weighing, Action | None]:
        advice, trail = duo_advice(), trail_of(*self.FAILED, *more)
        weighing = Weighing(advice, weigh_trail(advice.model, trail), job_facts(trail))
        return weighing, _still_pays(weighing, measure_actions(weighing))

    def test_a_touch_that_may_save_the_unit_comes_before_the_end(self) -> None:
        weighing, found = self.before()
        self.assertEqual(weighing.part_beyond_repair[0], "U7")
        assert found is not None
        self.assertEqual(found.kind, "measure")
        ends = {"R10": ("R10.1-2", "TP6-GND"), "R11": ("R11.1-2", "TP7-GND")}
        likelier = max(ends, key=lambda part: float(weighing.weight @ weighing.sets_with(part)))
        self.assertIn(found.target, ends[likelier], "either end shows whether the pull-up is the one it should be")
        self.assertLess(found.cost, (weighing.now - found.expected + found.cost) / PLANNING_PENALTY)

    def test_and_it_is_what_comes_first_where_the_plan_would_give_up(self) -> None:
        weighing, found = self.before()
        assert found is not None
        ending = Action("give_up", "", "", "", "", 0.0, 105.0, 105.0)
        sure = weighing.beyond_repair - weighing.unexplained
        self.assertTrue(BEYOND_REPAIR < sure < KNOWN, sure)
        first = before_giving_up(weighing, [ending, *measure_actions(weighing)], looked=True, sure=True)
        self.assertEqual(first and first.target, found.target)

    def test_nothing_is_touched_that_saves_less_than_it_costs(self) -> None:
        read: list[Payload] = []
        for _ in range(40):
            weighing, found = self.before(*read)
            if found is None:
                break
            saved = (weighing.now - found.expected + found.cost) / PLANNING_PENALTY
            self.assertGreater(saved, found.cost)
            read += as_good(found.target)
        self.assertIsNone(found, "it comes to an end")
        self.assertLess(len(read), 20)


class OpenTest(unittest.TestCase):
    SLIP = Readings(Method.DIODE_RED_GROUND, (PointReading("R3.1", math.inf),))

    def test_a_tip_that_did_not_touch_has_read_nothing(self) -> None:
        for touches in range(1, OPEN_TOUCHES + 2):
            found = asked(*(self.SLIP,) * touches, sure=True)
            self.assertEqual(copper_of("V5V0") in coppers(found), touches < OPEN_TOUCHES, touches)

    def test_another_point_of_that_copper_has_read_it(self) -> None:
        self.assertNotIn(copper_of("V5V0"), coppers(asked(*a_point_of_each("J3.1"), self.SLIP, sure=True)))

    def test_what_read_open_before_a_repair_does_not_count_for_ever(self) -> None:
        found = asked(self.SLIP, replaced("F1"), *as_good("R3.1"), sure=True)
        self.assertNotIn(copper_of("V5V0"), coppers(found))


class ChangedTwiceTest(unittest.TestCase):
    """The camera names C49 on a shorted rail, twice; it is changed twice, and the rail stays on ground."""

    RAIL = Readings(Method.DIODE_RED_GROUND, tuple(PointReading(p, 0.0) for p in (
        "R1.1", "L4.1", "L4.2", "C16.1", "C48.1", "C49.1", "TP2")))
    AGAIN = (Injection("V3V3", 3.3, 1.8, "C49", "camera"), replaced("C49"), Audit(AUDIT_STEPS, part="C49"), RAIL)

    BEGUN = (*board_out("no_start"), *as_good("C27.2", "L2.2", *duo_board().port_point_ids()), RAIL, *AGAIN, *AGAIN)

    def test_no_chip_is_changed_that_is_hardly_at_fault(self) -> None:
        """Only what is likelier than all others but that part; what can be undone may be tried."""
        advice, trail = duo_advice(), trail_of(*self.BEGUN)
        weighing = Weighing(advice, weigh_trail(advice.model, trail), job_facts(trail))

        def first(kind: str, part: str, cost: float = 1.0) -> Action | None:
            return _beside_what_was_changed(weighing, [
                Action(kind, part, "", "", "", 1.0, cost, 1.0, detail="replace" if kind == "repair" else "")])

        self.assertGreater(weighing.chance_of_part["C48"], 0.5 * (1.0 - weighing.chance_of_part["C49"]))
        for kind, part, tried in (("repair", "U8", False), ("isolate", "U8", False), ("repair", "C48", True),
                                  ("isolate", "C16", True), ("inject", "V3V3", True), ("give_up", "", False)):
            with self.subTest(kind, part=part):
                self.assertEqual(first(kind, part) is not None, tried)
        self.assertIsNotNone(first("repair", "C48", 80.0))
        with mock.patch.object(before_repair, "_is_chip", lambda _weighing, _part: True):
            self.assertIsNotNone(first("repair", "C48"))
            self.assertIsNone(first("repair", "C48", 80.0), "a chip's chance is not worth that")

    def test_its_neighbours_come_before_the_unit_is_given_up(self) -> None:
        found = assess(duo_advice(), trail_of(*self.BEGUN))
        self.assertEqual(found.advice.beyond[0], "C49")
        self.assertIn(found.advice.next.kind, ("measure", "inject", "isolate", "repair"))
        self.assertNotIn("give_up", (found.advice.next.kind, found.advice.ranked[0].kind))


class SeenAgainTest(unittest.TestCase):
    """A part that is seen burst comes off before another is changed; one that looks so after two new ones does not."""

    def first(self, replacements: int) -> Action | None:
        seen = PartSeen("C52", "burst")
        work: tuple[Payload, ...] = (Rework("replace", "C52"), Audit(AUDIT_STEPS, part="C52", seen=(seen,)))
        trail = trail_of(*BEGUN, BoardLook("top", (seen,)), *a_point_of_each(), *work * replacements)
        found, model = assess(duo_advice(), trail, explain=False), duo_advice().model
        weighing = Weighing(duo_advice(), weigh_trail(model, trail), job_facts(trail))
        other = replace(found.advice.ranked[0], kind="repair", target="U6")
        self.assertIn("seen_on_board", [gate.id for gate in found.advice.gates])
        return _seen_first(cast(Turn, SimpleNamespace(weighing=weighing, leading=other, gates=found.advice.gates)))

    def test_it_comes_off_first_twice_and_no_more(self) -> None:
        for replacements in (0, 1):
            step = self.first(replacements)
            assert step is not None
            self.assertEqual((step.kind, step.target), ("repair", "C52"))
        for replacements in (MOST_TIMES, MOST_TIMES + 2):
            self.assertIsNone(self.first(replacements))


class OnceIsNotEnoughTest(unittest.TestCase):
    """A unit is not given up for what was touched once, or tried once, unless what is wrong has a name."""

    END = Action("give_up", "", "", "", "", 0.0, 105.0, 210.0)

    def weighing(self, *payloads: Payload) -> Weighing:
        advice, trail = duo_advice(), trail_of(*BEGUN, *payloads)
        return Weighing(advice, weigh_trail(advice.model, trail), job_facts(trail))

    def test_what_reads_off_by_one_touch_is_touched_again_first(self) -> None:
        off = Readings(Method.DIODE_RED_GROUND, (PointReading("J1.A5", math.inf),))
        for touches, sure, points in ((1, False, ("J1.A5",)), (2, False, None), (1, True, None)):
            found = before_giving_up(self.weighing(*(off,) * touches), (self.END,), looked=True, sure=sure)
            again = found.points if found is not None and found.points == ("J1.A5",) else None
            self.assertEqual(again, points, (touches, sure))

    def test_a_unit_is_not_given_up_for_a_part_that_one_touch_names(self) -> None:
        """A tip on ground beside the capacitor: the processor's lane reads as shorted, and it can't be replaced."""
        low = Readings(Method.DIODE_RED_GROUND, (PointReading("C65.2", 0.003),))
        for touches, points in ((1, ("C65.2",)), (2, None)):
            weighing = self.weighing(*(low,) * touches)
            self.assertEqual(weighing.part_beyond_repair[0], "U7")
            found = before_giving_up(weighing, (self.END,), looked=True, sure=True)
            again = found.points if found is not None and found.points == ("C65.2",) else None
            self.assertEqual(again, points, touches)
            if again is not None:
                assert found is not None
                self.assertIn("One touch names U7", found.why)

    def test_a_check_that_failed_once_is_tried_again_where_nothing_has_a_name(self) -> None:
        for failures, unexplained, again in ((1, 0.9, True), (2, 0.9, False), (1, 0.1, False)):
            weighing = self.weighing(*(Proof("dock_a", False),) * failures)
            weighing.nothing = 1e-6
            with mock.patch.object(Weighing, "unexplained", unexplained):
                found = _tried_anew(cast(Turn, SimpleNamespace(weighing=weighing)))
            self.assertEqual((found.kind, found.target) if found else None, ("try", "dock_a") if again else None)

    def test_a_repaired_unit_is_tried_once_before_it_is_written_off(self) -> None:
        repaired: tuple[Payload, ...] = (Access("board_out"), replaced("C24"))
        ground = tuple(Readings(Method.DIODE_RED_GROUND, (PointReading(point, 0.001),), "M1")
                       for point in ("TP5", "TP5", "TP5"))
        line = tuple(Readings(Method.DIODE_RED_GROUND, (PointReading("TP7", 0.001),), "M1") for _ in range(3))
        for payloads, nothing, tried in ((repaired, 0.02, True), ((*repaired, *line), 0.02, True),
                                         (repaired, 0.001, False), ((), 0.02, False),
                                         ((*repaired, *ground), 0.02, False),
                                         ((*repaired, Proof("dock_a", False)), 0.02, False)):
            weighing = self.weighing(*payloads)
            candidates = [*try_actions(weighing), self.END]
            weighing.nothing = nothing
            found = tried_before_the_end(weighing, candidates)
            with self.subTest(payloads=len(payloads), nothing=nothing):
                self.assertEqual(found is not None and found.kind == "try", tried)
        self.assertIsNone(tried_before_the_end(self.weighing(*repaired), [self.END]), "where nothing can be tried")


if __name__ == "__main__":
    unittest.main()
