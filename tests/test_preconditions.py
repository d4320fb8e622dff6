"""What comes before an action: gates, a whole board, charge; each as a step with a cost."""

from __future__ import annotations

import unittest

from dextrum.app.advising.assess import assess
from dextrum.core.advice.actions import Action
from dextrum.core.advice.kinds.registry import kind_of
from dextrum.core.advice.preconditions import Preconditions
from dextrum.core.advice.recommend import Advice
from dextrum.core.advice.weighing import Weighing
from dextrum.core.assumptions.planning import UNPLUG_MINUTES
from dextrum.core.board import Method
from dextrum.core.draw.cell import Span
from dextrum.core.safety.gates import held_gates
from dextrum.core.trail import (
    Access,
    Cell,
    Danger,
    Fastened,
    Injection,
    Intake,
    Isolation,
    JobOpened,
    Look,
    Payload,
    PointReading,
    Readings,
    Supply,
)
from tests.support import DUO, as_good, duo_advice, duo_board, trail_of

OPENED: tuple[Payload, ...] = (JobOpened("SLS-1", "Tarnwick Duo", DUO), Intake("dead", ("no_charge",)),
                               Look(("clean",)),
                               Supply("a", 5.1, 0.05), Supply("b", 5.1, 0.05), Cell("unplugged"), Access("board_out"),
                               *as_good(*duo_board().port_point_ids()),
                               *(Fastened(name, "in") for name in ("A1", "S5", "S6")))
REPAIR = Action("repair", "F1", "Replace F1", "", "", 20.0, 20.0, 50.0, detail="replace")
TRY = Action("try", "charge_a", "Charge it", "", "", 4.0, 4.0, 60.0)
MEASURE = Action("measure", "C17.1", "Measure C17.1", "", "", 1.0, 1.0, 40.0, ("C17.1",))


def before(*more: Payload, starts: Span | None = None) -> Preconditions:
    done = assess(duo_advice(), trail_of(*OPENED, *more), explain=False)
    model = duo_advice().model
    return Preconditions(Weighing(duo_advice(), done.posterior, done.facts), done.facts,
                         held_gates(model.board, model.references, done.facts), starts)


def advice(*more: Payload) -> Advice:
    return assess(duo_advice(), trail_of(*OPENED, *more), explain=False).advice


class ReachTest(unittest.TestCase):
    def test_with_nothing_in_its_way_an_action_is_itself(self) -> None:
        at = before()
        for action in (REPAIR, TRY, MEASURE):
            self.assertIs(at.reach(action), action)
            self.assertIs(at.first(action), action)

    def test_a_cell_that_is_in_comes_out_before_heat_and_costs_little_beside_opening(self) -> None:
        at = before(Cell("plugged"))
        priced, step = at.reach(REPAIR), at.first(REPAIR)
        assert priced is not None and step is not None
        self.assertEqual(step.kind, "unplug_cell")
        self.assertAlmostEqual(priced.expected - REPAIR.expected, at.weighing.minutes_cost(UNPLUG_MINUTES))
        probed = at.reach(MEASURE)
        assert probed is not None
        self.assertIs(at.first(MEASURE), MEASURE, "probing says in its own words that the cell comes out")
        self.assertAlmostEqual(probed.expected - MEASURE.expected, at.weighing.minutes_cost(UNPLUG_MINUTES))

    def test_what_is_off_goes_back_before_what_needs_the_whole_board(self) -> None:
        at = before(Isolation(("C17",)))
        for action in (TRY, MEASURE):
            step, priced = at.first(action), at.reach(action)
            assert step is not None and priced is not None
            self.assertEqual((step.kind, step.target), ("put_back", "C17"))
            self.assertAlmostEqual(priced.expected, action.expected + step.cost)
        self.assertIs(at.first(MEASURE, apart=True), MEASURE, "what is read with the part off")

    def test_what_is_off_and_the_fault_itself_is_replaced_once_before_a_trial(self) -> None:
        """Both the gate of power and the whole board ask for it; it is one step with one price."""
        shorted = Readings(Method.DIODE_RED_GROUND, (PointReading("C17.1", 0.001),), "M1")
        at = before(shorted, shorted, Injection("V3V3_AV", 3.3, 1.8, "C17"), Isolation(("C17",)))
        step, priced = at.first(TRY), at.reach(TRY)
        assert step is not None and priced is not None
        self.assertEqual((step.kind, step.target), ("repair", "C17"))
        self.assertAlmostEqual(priced.expected, TRY.expected + step.cost)

    def test_danger_comes_before_putting_back_and_before_heat(self) -> None:
        more = (Isolation(("C17",)), Danger(("hot",)))
        at = before(*more)
        for action in (TRY, MEASURE, REPAIR):
            step = at.first(action)
            assert step is not None
            self.assertIn(step.kind, ("make_safe", "put_back") if action is MEASURE else ("make_safe",))
        self.assertEqual(advice(*more).next.kind, "make_safe")

    def test_a_flat_unit_is_charged_before_it_is_tried_and_not_before_it_is_read(self) -> None:
        at = before(starts=Span(20.0, 30.0, 45.0))
        step, priced = at.first(TRY), at.reach(TRY)
        assert step is not None and priced is not None
        self.assertEqual(step.kind, "wait_charge")
        self.assertAlmostEqual(priced.expected, TRY.expected + step.cost)
        self.assertIs(at.first(MEASURE), MEASURE)

    def test_what_only_the_diagnosis_lifts_takes_the_action_out_of_the_plan(self) -> None:
        at = before(Look(("crossed",), ("A2", "A3")))
        self.assertIsNone(at.reach(TRY))
        self.assertIsNone(at.first(TRY))
        self.assertIs(at.first(REPAIR), REPAIR)

    def test_nothing_that_a_gate_holds_is_ever_ranked(self) -> None:
        for more in ((), (Cell("plugged"),), (Isolation(("C17",)),), (Danger(("wet",)),),
                     (Isolation(("U1",)), Danger(("smoke",)), Cell("plugged"))):
            with self.subTest(more):
                at = before(*more)
                for action in advice(*more).ranked:
                    wanted = kind_of(action).activities(duo_board(), action.target)
                    self.assertFalse([gate.id for gate in at.gates if gate.holds & wanted], action.title)

    def test_a_step_carries_the_expected_cost_of_what_it_is_for(self) -> None:
        at = before(Isolation(("C17",)))
        priced = at.reach(TRY)
        assert priced is not None
        step = at.first(priced)
        assert step is not None
        self.assertAlmostEqual(step.expected, priced.expected)


if __name__ == "__main__":
    unittest.main()
