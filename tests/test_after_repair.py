"""What a repair may have done is among the suspects: bad new parts, joints that did not take, hurt neighbours."""

from __future__ import annotations

import math
import unittest
from dataclasses import replace
from unittest.mock import patch

import numpy as np

from dextrum.app.advising.assess import assess
from dextrum.app.advising.reason_words import readings_words
from dextrum.app.rework.solved_reach import SolvedReach
from dextrum.core.advice.before_repair import touched_once
from dextrum.core.advice.recommend import build_advice_model
from dextrum.core.advice.weighing import Weighing
from dextrum.core.assumptions.packs import MOST_UNSURE
from dextrum.core.assumptions.repairs import (
    HEAT_HURTS,
    NEW_PART_FAILS,
    SOFTENED_LEAST,
    SOFTENED_MOST,
    SOFTENED_USUALLY,
    TOUCHED_BY_HAND,
)
from dextrum.core.board import FaultKind, Method, Side
from dextrum.core.diagnosis.after_repair import _as_left, chances_made, weigh_trail
from dextrum.core.diagnosis.as_usual import SetApart, readings_of
from dextrum.core.diagnosis.evidence import gather_evidence
from dextrum.core.diagnosis.expected import expected_at
from dextrum.core.diagnosis.fault_pairs import share_of_rows
from dextrum.core.diagnosis.heat_reach import lies_near, looked_round
from dextrum.core.diagnosis.hypotheses import NOTHING_ROW
from dextrum.core.diagnosis.likelihood import OnceRead, log_density, read_again
from dextrum.core.diagnosis.memory import Memory
from dextrum.core.diagnosis.model import build_model
from dextrum.core.diagnosis.posterior import Posterior, weigh_sets
from dextrum.core.diagnosis.suspected_parts import chance_by_part
from dextrum.core.packmaking.placing import parse_part, with_part
from dextrum.core.trail import (
    AUDIT_STEPS,
    Access,
    Audit,
    Cell,
    Intake,
    JobOpened,
    Look,
    PartSeen,
    Payload,
    PlannedRepair,
    PointReading,
    Proof,
    RailVolts,
    Readings,
    Rework,
    ReworkPlan,
    Supply,
)
from tests.support import as_good, duo_advice, duo_board, replaced, trail_of
from tests.test_packmaking import first_rung

OPENED = JobOpened("T-1", "Tarnwick Duo", "tarnwick-duo-c")
BASE: tuple[Payload, ...] = (OPENED, Intake("does not charge", ("no_charge", "no_dock")), Look(("clean",)),
                             Cell("unplugged"), *as_good("J1.A4", "J1.A5", "J1.B5", "C12.1", "C13.1", "L2.2"),
                             Proof("charge_a", False), Proof("dock_a", False))


def reading_of(point: str, value: float) -> Readings:
    return Readings(Method.DIODE_RED_GROUND, (PointReading(point, value),), "M1")


def weighed(*payloads: Payload) -> Posterior:
    return weigh_trail(duo_advice().model, trail_of(*BASE, *payloads))


class WeighedOnceTest(unittest.TestCase):
    def usual_ones(self, *payloads: Payload) -> tuple[Posterior, int]:
        """The posterior, and how often one over the whole trail, repairs and all, was weighed for it."""
        with patch("dextrum.core.diagnosis.after_repair.weigh_sets", wraps=weigh_sets) as weighing:
            found = weighed(*payloads)
        return found, sum(bool(call.args[1].mended) for call in weighing.call_args_list)

    def test_what_the_usual_posterior_cannot_change_is_weighed_without_it(self) -> None:
        hurt = Audit(AUDIT_STEPS, part="J1", seen=(PartSeen("C14", "missing"),))
        found, usual = self.usual_ones(replaced("J1"), hurt)
        self.assertEqual((found.since_repair, usual), ("J1", 0))
        self.assertGreater(found.new_since, 0.5)
        found, usual = self.usual_ones(replaced("J1"), *as_good("J1.A4", "J1.A5"))
        self.assertEqual((found.since_repair, usual), ("", 1))


class MadeTest(unittest.TestCase):
    def test_what_a_repair_can_do_adds_up_to_its_rates(self) -> None:
        made = chances_made(duo_advice().model, "U1")
        softened = sum(duo_advice().model.heat.softened("U1").values())
        self.assertAlmostEqual(float(made.sum()), NEW_PART_FAILS + HEAT_HURTS * softened / SOFTENED_USUALLY, places=6)

    def test_a_repair_that_softens_nothing_beside_it_hurts_least_and_none_hurts_without_bound(self) -> None:
        model = duo_advice().model

        class Reach:
            def __init__(self, chance: float) -> None:
                self.chance = chance

            def softened(self, part: str, action: str = "replace", recipe: str = "") -> dict[str, float]:
                return {c.designator: self.chance for c in duo_board().components if c.designator != part}

        for chance, times in ((1e-4, SOFTENED_LEAST), (1.0, SOFTENED_MOST)):
            made = chances_made(replace(model, reach=Reach(chance), memory=Memory()), "U1")
            self.assertAlmostEqual(float(made.sum()), NEW_PART_FAILS + HEAT_HURTS * times, places=6)

    def test_the_recipe_that_was_planned_says_how_far_heat_went(self) -> None:
        plans = [ReworkPlan((PlannedRepair("J1", recipe),)) for recipe in ("port-low-melting", "port-leaded")]
        model = duo_advice().model

        def beside(plan: ReworkPlan) -> float:
            made = _as_left(model, trail_of(*BASE, plan, replaced("J1")), frozenset())[1]
            return sum(float(c) for f, c in zip(model.hypotheses.faults, model.hypotheses.per_fault(made), strict=True)
                       if f.part in ("C1", "C2", "D1", "D2") and f.kind is FaultKind.MISSING_PART)

        gentle, hot = map(beside, plans)
        self.assertGreater(hot, 1.2 * gentle)

    def test_only_the_part_and_what_heat_reaches(self) -> None:
        hypotheses = duo_advice().model.hypotheses
        made = hypotheses.per_fault(chances_made(duo_advice().model, "U1"))
        heated = duo_board().component_by_designator["U1"]
        for fault, chance in zip(hypotheses.faults, made, strict=True):
            if chance > 0 and fault.part != "U1":
                self.assertIn(fault.part, {*duo_advice().model.heat.softened("U1"), *lies_near(duo_board(), "U1")})
                near = duo_board().component_by_designator[fault.part]
                self.assertLess(np.hypot(near.x_mm - heated.x_mm, near.y_mm - heated.y_mm), 20.0)
        self.assertEqual(float(made[[f.part == "J3" for f in hypotheses.faults]].sum()), 0.0)

    def test_what_lies_near_is_counted_and_may_be_hurt_by_hand_though_it_stays_solid(self) -> None:
        model = duo_advice().model

        class Cold:
            def softened(self, part: str, action: str = "replace", recipe: str = "") -> dict[str, float]:
                return {"C12": 1.0}

        cold = replace(model, reach=Cold(), memory=Memory())
        near = lies_near(duo_board(), "U1")
        self.assertLess(near, looked_round(duo_board(), duo_advice().model.heat, "U1") | {"U1"})
        self.assertEqual(looked_round(duo_board(), Cold(), "U1"), near | {"C12"})
        made = dict[str, float]()
        for fault, chance in zip(model.hypotheses.faults, model.hypotheses.per_fault(chances_made(cold, "U1")),
                                 strict=True):
            made[fault.part] = made.get(fault.part, 0.0) + float(chance)
        others = [made[part] for part in near - {"C12"} if made.get(part, 0.0) > 0.0]
        self.assertTrue(others)
        self.assertAlmostEqual(max(others) / made["C12"], TOUCHED_BY_HAND, places=6)

    def test_what_nobody_described_lies_nowhere(self) -> None:
        board = with_part(with_part(first_rung(), parse_part("C14 ? ?"), Side.TOP, 20.0, 9.0),
                          parse_part("C15 ? ?"), Side.TOP, 21.0, 9.0)
        self.assertTrue(any(part.undescribed for part in board.components))
        self.assertEqual(lies_near(board, "C14"), {"C15"})

    def test_a_part_that_the_board_does_not_have_does_nothing(self) -> None:
        self.assertEqual(float(chances_made(duo_advice().model, "trace VCHG").sum()), 0.0)


class NewFaultTest(unittest.TestCase):
    def test_without_a_repair_nothing_changes(self) -> None:
        model, trail = duo_advice().model, trail_of(*BASE)
        self.assertTrue(np.array_equal(weigh_trail(model, trail).rows,
                                       weigh_sets(model, gather_evidence(model, trail)).rows))

    def test_a_joint_of_the_new_part_that_did_not_take_is_found(self) -> None:
        opened: tuple[Payload, ...] = (replaced("U1"), reading_of("C12.1", math.inf), reading_of("C12.1", math.inf),
                  *as_good("J1.A4", "J1.A5", "J1.B5", "C13.1"), Proof("charge_a", False), Proof("charge_b", False))
        found = weighed(*opened)
        self.assertEqual(found.since_repair, "U1")
        names = {f.id: float(c) for f, c in zip(found.hypotheses.faults, found.faults_left, strict=True)}
        self.assertGreater(names["U1:lifted_joint:VDD"], 0.8)
        self.assertLess(found.something_else, 0.1)

    def test_after_the_next_repair_the_board_is_still_explained(self) -> None:
        mended: tuple[Payload, ...] = (replaced("U1"), reading_of("C12.1", math.inf), reading_of("C12.1", math.inf),
                  *as_good("J1.A4", "J1.A5", "J1.B5", "C13.1"), Proof("charge_a", False), Proof("charge_b", False),
                  Rework("reflow", "U1"), *as_good("C12.1", "C13.1", "J1.A4", "J1.A5", "J1.B5"))
        untried = weighed(*mended)
        self.assertEqual(untried.since_repair, "U1")
        self.assertLess(max(chance_by_part(untried).values()), 0.1)
        # Before the first repair the part had been the whole fault at most so likely, and nothing was tried since.
        model, good = duo_advice().model, as_good("C12.1", "C13.1", "J1.A4", "J1.A5", "J1.B5")
        whole = weigh_sets(model, gather_evidence(model, trail_of(*BASE, replaced("U1"), *good)))
        known = float(whole.remaining_rows()[NOTHING_ROW])
        self.assertGreater(float(untried.remaining_rows()[NOTHING_ROW]), known)
        self.assertLess(float(untried.remaining_rows()[NOTHING_ROW]), 0.7)
        tried = weighed(*mended, Proof("charge_a", True), Proof("charge_b", True))
        self.assertEqual(tried.since_repair, "U1")
        self.assertGreater(float(tried.remaining_rows()[NOTHING_ROW]), 0.7)

    def test_a_repair_that_went_well_leaves_the_usual_weighing(self) -> None:
        found = weighed(replaced("U1"), *as_good("C12.1", "C13.1", "J1.A4", "J1.A5", "J1.B5"), Proof("charge_a", True),
                        Proof("dock_a", True))
        self.assertEqual(found.since_repair, "")
        self.assertGreater(float(found.remaining_rows()[0]), 0.8)

    def test_a_neighbour_that_the_audit_misses_is_suspected_though_all_seemed_done(self) -> None:
        seen = Audit(AUDIT_STEPS, part="U1", seen=(PartSeen("C12", "missing"),))
        clean = Audit(AUDIT_STEPS, part="U1")
        good = as_good("C13.1", "J1.A4", "J1.A5", "J1.B5")
        found = {name: weighed(Rework("replace", "U1"), audit, *good) for name, audit in (("C12", seen), ("", clean))}
        self.assertEqual({name: one.since_repair != "" for name, one in found.items()}, {"C12": True, "": False})
        self.assertGreater(chance_by_part(found["C12"]).get("C12", 0.0), 0.9)

    def test_the_window_says_that_it_is_weighed_anew(self) -> None:
        done = assess(duo_advice(), trail_of(*BASE, replaced("U1"), reading_of("C12.1", math.inf),
                                             reading_of("C12.1", math.inf), *as_good("J1.A4", "J1.A5", "J1.B5"),
                                             Proof("charge_a", False), Proof("charge_b", False)))
        self.assertIn("since U1 was worked on", done.together)


class EachByItselfTest(unittest.TestCase):
    def test_the_odds_of_a_set_are_the_product_of_its_faults(self) -> None:
        model = duo_advice().model
        pairs, share = model.pairs.each_by_itself, share_of_rows(model.hypotheses)
        one = pairs.log_prior_one
        odds = one - one[NOTHING_ROW]
        with np.errstate(invalid="ignore"):
            beyond = pairs.log_prior - one[NOTHING_ROW] - odds[:, None] - odds[None, :]
        plain = np.isfinite(beyond)
        self.assertLess(float(np.abs(beyond[plain]).max()), 1e-9)
        self.assertTrue((plain == model.pairs.possible).all())
        self.assertAlmostEqual(float(np.log(pairs.apart.constant)) - one[NOTHING_ROW], float(
            2.0 * odds[400] - 2.0 * np.log(pairs.apart.share[400])), places=9)
        three = np.flatnonzero(np.isfinite(share))[[0, 50, 400]]
        self.assertAlmostEqual(pairs.log_triple_constant + float(share[three].sum()) - one[NOTHING_ROW],
                               float(odds[three].sum()), places=9)

    def test_what_was_suspected_before_a_repair_stays_so_beside_what_the_repair_has_made(self) -> None:
        charges: tuple[Payload, ...] = (
            OPENED, Intake("no picture", ("no_dock",)), Look(("clean",)), Supply("a", 9.0, 1.9), Supply("b", 9.0, 1.9),
            Cell("unplugged"), Access("board_out"), *as_good(*duo_board().port_point_ids(), "C30.1", "C33.1"),
            Proof("dock_a", False), Proof("dock_b", False))
        seen = Audit(AUDIT_STEPS, part="U6", seen=(PartSeen("C45", "missing"),))
        model = duo_advice().model
        done: tuple[Payload, ...] = (Rework("replace", "U6"), seen, *as_good("R2.1"))
        before, after = (chance_by_part(weigh_trail(model, trail_of(*charges, *more))).get("U3", 0.0)
                         for more in ((), done))
        self.assertGreater(before, 0.3)
        self.assertGreater(after, 0.5 * before)


class TriedAgainTest(unittest.TestCase):
    """A regulator that reads well was replaced, and all that failed for want of its rail fails again."""

    BEFORE: tuple[Payload, ...] = (
        OPENED, Intake("does not start", ("no_start",)), Look(("clean",)), Supply("a", 9.0, 1.9), Supply("b", 9.0, 1.9),
        Cell("unplugged"), Access("board_out"), *as_good(*duo_board().port_point_ids(), "L2.2", "L4.2", "C33.1"),
        RailVolts("V3V3", 3.27, "a"), RailVolts("V1V8", 0.05, "a"), RailVolts("VCORE", 0.9, "a"),
        RailVolts("V1V8", 0.04, "a"), replaced("U8"), *as_good("L4.2", "C33.1"), Proof("charge_a", True),
        Proof("charge_b", True), Proof("boot", False))
    AGAIN: tuple[Payload, ...] = (RailVolts("V3V3", 3.27, "a"), RailVolts("V1V8", 0.03, "a"), Proof("boot", False))

    def test_three_failures_for_one_reason_are_not_three_repairs_that_failed(self) -> None:
        chances = chance_by_part(weigh_trail(duo_advice().model, trail_of(*self.BEFORE, *self.AGAIN)))
        # Weighed one by one they left 2 in 100 for the part that was fitted.
        self.assertGreater(chances.get("U8", 0.0), 0.12, chances)

    def test_it_is_replaced_again_and_not_given_up(self) -> None:
        done = assess(duo_advice(), trail_of(*self.BEFORE, *self.AGAIN)).advice
        self.assertNotEqual(done.next.kind, "give_up")
        self.assertIn(("repair", "U8"), [(action.kind, action.target) for action in done.ranked])

    def test_what_was_done_twice_is_counted_on_no_more(self) -> None:
        """Else whatever is left looks as cheap as if the part could be replaced for ever."""
        done = assess(duo_advice(), trail_of(*self.BEFORE[:-6]), explain=False)
        first = Weighing(duo_advice(), done.posterior, done.facts)
        again = Weighing(duo_advice(), done.posterior, replace(done.facts, reworks=2 * ((0, Rework("replace", "U8")),)))
        place = [k for k, option in enumerate(first.options.options) if (option.part, option.verb) == ("U8", "replace")]
        self.assertEqual((first.done_enough, list(again.done_enough)), ((), place))
        off = Weighing(duo_advice(), done.posterior, replace(again.facts, audits=((0, Audit(
            AUDIT_STEPS, part="U8", seen=(PartSeen("U8", "missing"),))),)))
        self.assertEqual(off.done_enough, (), "it has come off: it is fitted again")
        self.assertGreater(first.options.mends[:, place].sum(), 0.0)
        self.assertEqual(again.options.mends[:, place].sum(), 0.0)
        self.assertGreater(again.now, first.now + 10.0)


class PlaceInTheTrailTest(unittest.TestCase):
    OPEN: tuple[Payload, ...] = (replaced("U1"), reading_of("C12.1", math.inf), reading_of("C12.1", math.inf),
            *as_good("J1.A4", "J1.A5", "J1.B5", "C13.1"), Proof("charge_a", False), Proof("charge_b", False))

    def test_what_was_seen_since_stands_in_its_own_epoch(self) -> None:
        done = assess(duo_advice(), trail_of(*BASE, *self.OPEN))
        self.assertEqual(done.posterior.since_repair, "U1")
        self.assertEqual({item.epoch for item in done.posterior.evidence.items}, {done.facts.epoch})
        shown = next(item for item in done.posterior.evidence.items if item.subject == "C12.1")
        self.assertIn("after the repair", readings_words(duo_board(), (shown,)))

    def test_what_was_touched_once_since_is_touched_again_before_a_part_is_changed(self) -> None:
        done = assess(duo_advice(), trail_of(*BASE, *self.OPEN, reading_of("J1.A8", math.inf)), explain=False)
        self.assertEqual(done.posterior.since_repair, "U1")
        self.assertEqual(touched_once(Weighing(duo_advice(), done.posterior, done.facts)), ("J1.A8",))

    def test_two_trails_that_share_their_ids_are_weighed_each_by_itself(self) -> None:
        """Ids tell entries of one file apart; another file may use the same ones."""
        sound: tuple[Payload, ...] = (
            replaced("U1"), *as_good("C12.1"), *as_good("C12.1"), *as_good("J1.A4", "J1.A5", "J1.B5", "C13.1"),
                 Proof("charge_a", True), Proof("charge_b", True))
        again: tuple[Payload, ...] = (Rework("reflow", "U1"), Proof("charge_a", False), Proof("charge_b", False))
        fresh = build_advice_model(build_model(
            duo_board(), duo_advice().model.references, reach=SolvedReach(duo_board()))).model
        alone = weigh_trail(fresh, trail_of(*BASE, *sound, *again))
        weighed(*self.OPEN, *again)
        self.assertEqual(len(self.OPEN), len(sound))
        np.testing.assert_allclose(weighed(*sound, *again).rows, alone.rows, atol=1e-12)


class WrongPointTest(unittest.TestCase):
    """Whether the pack has a point on a wrong net is one thing for all that is read there, over repairs too."""

    METHOD = Method.DIODE_RED_GROUND

    def test_what_did_not_explain_an_earlier_reading_is_not_made_to_pay_again(self) -> None:
        model = duo_advice().model
        usual = model.references.get("FL1.3", self.METHOD)
        expected = expected_at(model, "FL1.3", self.METHOD)
        assert usual is not None and expected is not None and isinstance(expected.unsure, float)
        again = read_again(expected, self.METHOD, (), (OnceRead(usual.centre),))
        opens = np.isinf(expected.means)
        self.assertTrue(opens.any())
        # Under a row that opens the line the good number says that the point lies elsewhere; else next to nothing.
        np.testing.assert_allclose(again.unsure[opens], MOST_UNSURE)  # type: ignore[index]
        self.assertLess(again.unsure[NOTHING_ROW], expected.unsure)  # type: ignore[index]
        first, then = (log_density(one, self.METHOD, usual.centre) for one in (expected, again))
        row = int(np.flatnonzero(opens)[0])
        self.assertGreater(then[row] - then[NOTHING_ROW], first[row] - first[NOTHING_ROW] + 2.0)
        self.assertGreater(then[row] - then[NOTHING_ROW], np.log(0.4))

    def test_so_it_is_where_the_board_is_weighed_as_a_repair_has_left_it(self) -> None:
        model = duo_advice().model
        usual = model.references.get("FL1.3", self.METHOD)
        assert usual is not None
        once = trail_of(Cell("unplugged"), Readings(self.METHOD, (PointReading("FL1.3", usual.centre),), "M1"))
        since = trail_of(Readings(self.METHOD, (PointReading("FL1.3", usual.centre),), "M1"))
        read = readings_of(model, once, frozenset(), SetApart())
        self.assertEqual(read, {("FL1.3", self.METHOD): ((0, usual.centre),)})
        row = next(r for r in range(2, model.hypotheses.count)
                   if model.hypotheses.faults[model.hypotheses.fault_of_row[r]].id == "FL1:open_winding:3:4")
        new, known = (gather_evidence(model, since, read_before=before).log_likelihood.sum(axis=0)
                      for before in (None, {key: tuple(OnceRead(v) for _, v in values)
                                                   for key, values in read.items()}))
        self.assertGreater(known[row] - known[NOTHING_ROW], new[row] - new[NOTHING_ROW] + 2.0)


class OddBoardTest(unittest.TestCase):
    def test_a_board_that_reads_oddly_for_good_convicts_nobody_again_and_again(self) -> None:
        odd = ("J1.B5", "J1.B5/tail", "C14.1")
        read = tuple(reading_of(point, 0.637) for point in odd)
        trail: tuple[Payload, ...] = (
            OPENED, Intake("does not charge", ("no_charge",)), Look(("clean",)), Cell("unplugged"),
                 *as_good("J1.A4", "J1.A5"), *read, replaced("C14"), *read)
        found = weigh_trail(duo_advice().model, trail_of(*trail))
        chances = chance_by_part(found)
        self.assertLess(chances.get("U1", 0.0), 0.6)
        left = {f.part: float(c) for f, c in zip(found.hypotheses.faults, found.faults_left, strict=True)
                if f.part == "C14"}
        self.assertLess(max(left.values()), 0.1)


if __name__ == "__main__":
    unittest.main()
