"""Parts round a chip are counted before heat goes on it: what that tells, when it is asked for, and in the window."""

from __future__ import annotations

import unittest
from functools import cache
from unittest.mock import patch

import numpy as np

from dextrum.app.advising.assess import assess
from dextrum.app.advising.reason_words import item_words
from dextrum.app.bench.simulated_technician import SimulatedTechnician
from dextrum.app.handover.handover import make_sheet
from dextrum.app.job.trail_words import words_of
from dextrum.core.advice.counted_first import counted_first
from dextrum.core.advice.looking import look_outcomes
from dextrum.core.assumptions.looks import SHOWN_BY_MISTAKE
from dextrum.core.assumptions.planning import COUNT_MINUTES
from dextrum.core.diagnosis.board_look import audit_look_parts, audit_look_shows
from dextrum.core.diagnosis.heat_reach import looked_round
from dextrum.core.diagnosis.hypotheses import NOTHING_ROW
from dextrum.core.diagnosis.telling import LookRound
from dextrum.core.faults.registry import KINDS
from dextrum.core.job import job_facts
from dextrum.core.looks import BOARD_FINDING_WORDS
from dextrum.core.trail import Audit, BoardLook, Entry, Intake, Look, PartSeen, Payload, Rework
from dextrum.instruments.decided_unit import DecidedUnit
from dextrum.instruments.simulated_board import METER_M1
from dextrum.store.entries import new_entry, payload_from_json, payload_to_json, payload_version
from dextrum.store.jobs import JobStore
from tests.support import START, as_good, board_out, duo_advice, duo_board, fault_named, trail_of
from tests.test_before_change import weighed
from tests.window_support import CTRL, Key, WindowCase

MISSING = PartSeen("C32", "missing")
DARK = (*board_out("no_dock"), *as_good("C30.1"))


def counted(*seen: PartSeen, part: str = "U3") -> BoardLook:
    return BoardLook("bottom", seen, before_heat_on=part)


def told(*seen: PartSeen, known: frozenset[tuple[str, str]] = frozenset(), before_heat: bool = True) -> np.ndarray:
    """ln of how much likelier each row makes it than nothing at all does."""
    model = duo_advice().model
    total, _ = audit_look_parts(model, LookRound("U3", seen, False, known, before_heat),
                                looked_round(model.board, model.heat, "U3"))
    return np.asarray(total - total[NOTHING_ROW])


def of_fault(of_row: np.ndarray, name: str) -> float:
    hypotheses = duo_advice().model.hypotheses
    fault = hypotheses.faults.index(fault_named(hypotheses.faults, name))
    rows = of_row[hypotheses.fault_of_row == fault]
    np.testing.assert_allclose(rows, rows[0])
    return float(rows[0])


class WhatCountingTellsTest(unittest.TestCase):
    def test_an_empty_place_speaks_for_its_part_as_stated(self) -> None:
        shown = KINDS[fault_named(duo_advice().model.hypotheses.faults, "C32:missing_part").kind].counted
        self.assertAlmostEqual(of_fault(told(MISSING), "C32:missing_part"),
                               float(np.log(shown / SHOWN_BY_MISTAKE["missing"])))

    def test_without_a_photo_made_before_what_was_never_fitted_is_as_likely_as_to_one_who_looks_the_side_over(
            self) -> None:
        after = of_fault(told(MISSING, before_heat=False), "C32:missing_part")
        self.assertGreater(after, of_fault(told(MISSING), "C32:missing_part") + 1.0)

    def test_that_all_are_there_speaks_against_what_is_missing_there_alone(self) -> None:
        nothing = told()
        shown = KINDS[fault_named(duo_advice().model.hypotheses.faults, "C32:missing_part").kind].counted
        self.assertAlmostEqual(of_fault(nothing, "C32:missing_part"), float(np.log(1.0 - shown)))
        self.assertEqual(of_fault(nothing, "C12:missing_part"), 0.0)  # round U1, on the other side

    def test_parts_in_each_others_place_are_no_likelier_to_be_seen_than_on_the_whole_side(self) -> None:
        kind = KINDS[fault_named(duo_advice().model.hypotheses.faults, "C32:wrong_part").kind]
        self.assertAlmostEqual(of_fault(told(), "C32:wrong_part"), float(np.log(1.0 - kind.shown[1])))
        self.assertLess(of_fault(told(before_heat=False), "C32:wrong_part"), of_fault(told(), "C32:wrong_part"))

    def test_a_place_that_was_seen_empty_before_tells_nothing_more(self) -> None:
        again = told(MISSING, known=frozenset({("C32", "missing")}))
        self.assertEqual(of_fault(again, "C32:missing_part"), 0.0)

    def test_a_trail_with_it_suspects_the_missing_part(self) -> None:
        done = assess(duo_advice(), trail_of(*DARK, counted(MISSING)))
        faults = [fault.id for fault in done.posterior.hypotheses.faults]
        self.assertGreater(done.posterior.faults[faults.index("C32:missing_part")], 0.5)
        item = next(item for item in done.posterior.evidence.items if item.kind == "count look")
        self.assertEqual(item_words(duo_board(), item), "round U3 before the heat: C32 missing")

    def test_it_is_no_look_over_the_whole_side_and_the_place_is_shown_until_one_is_fitted(self) -> None:
        facts = job_facts(trail_of(*DARK, counted(MISSING)))
        self.assertEqual(dict(facts.board_looks or {}), {})
        self.assertEqual(dict(facts.parts_seen), {"C32": "missing"})
        self.assertEqual(facts.came_without, {"C32"})
        fitted = job_facts(trail_of(*DARK, counted(MISSING), Rework("replace", "C32", "stock")))
        self.assertEqual(dict(fitted.parts_seen), {})

    def test_it_is_written_down_read_back_and_said(self) -> None:
        look = counted(MISSING)
        self.assertEqual(payload_from_json(payload_to_json(look), payload_version(look.kind)), look)
        self.assertEqual(words_of(trail_of(look)[0], duo_board()), ("Counted round U3", "C32 missing"))
        trail = trail_of(*DARK, look)
        sheet = make_sheet(duo_board(), duo_advice().model.references, trail, "bench", "Ines", START)
        self.assertIn("Counted round U3 before the heat: C32 missing.", sheet.found)


class WhenItIsAskedForTest(unittest.TestCase):
    def asked(self, *more: Payload, part: str = "U3") -> bool:
        return counted_first(weighed(*DARK, *more), part) is not None

    def test_the_parts_round_the_chip_are_named_with_what_it_takes_and_what_it_would_mean(self) -> None:
        weighing = weighed(*DARK)
        step = counted_first(weighing, "U3")
        assert step is not None
        beside = looked_round(duo_board(), duo_advice().model.heat, "U3")
        self.assertEqual((step.kind, step.target, step.minutes), ("count_round", "U3", COUNT_MINUTES))
        self.assertIn(f"{len(beside)} parts on the bottom side: ", step.where)
        np.testing.assert_allclose(weighing.joints["count_round", "U3"].sum(axis=0), weighing.weight, atol=1e-5)

    def test_what_may_be_seen_is_said_in_the_words_of_the_window(self) -> None:
        weighing = weighed(*DARK)
        shows = audit_look_shows(duo_advice().model, LookRound("U3", (), False, frozenset(), before_heat=True),
                                 looked_round(duo_board(), duo_advice().model.heat, "U3"))
        with patch.dict(BOARD_FINDING_WORDS, {"burst": "geplatzt"}):
            names, _ = look_outcomes(weighing, shows)
        self.assertIn("U3 geplatzt", names)
        self.assertNotIn("U3 burst", names)

    def test_opening_the_unit_for_it_takes_its_time(self) -> None:
        board = duo_board()
        closed = weighed(*DARK[:4])
        step = counted_first(closed, "U3")
        assert step is not None
        self.assertGreater(step.minutes, COUNT_MINUTES + board.minutes_to(board.access_levels[1].id, "") - 1e-9)

    def test_not_again_and_not_after_its_side_was_looked_over_or_what_lies_round_it_audited(self) -> None:
        self.assertTrue(self.asked())
        self.assertFalse(self.asked(counted()))
        self.assertFalse(self.asked(BoardLook("bottom")))
        self.assertFalse(self.asked(Rework("reflow", "U3"), Audit(("counted",), part="U3")))
        self.assertTrue(self.asked(counted(part="U1"), BoardLook("top")))

    def test_not_of_what_the_pack_does_not_know(self) -> None:
        self.assertFalse(self.asked(part="U99"))


@cache
def before_the_heat(fault: str) -> tuple[Entry, ...]:
    """A simulated unit with this fault, up to where the parts round a chip are to be counted."""
    unit = DecidedUnit(duo_board(), [(fault_named(duo_advice().model.hypotheses.faults, fault), 0.0)],
                       np.random.default_rng(3))
    technician = SimulatedTechnician(duo_advice(), unit, METER_M1, "Ines", START)
    technician.open("SLS-0801", Intake("no picture", ("no_dock",)))
    technician.note(Look(("clean",)))
    technician.work(most_steps=60, stop=lambda action, _: action.kind in ("count_round", "repair", "isolate"))
    return tuple(technician.trail)


class BeforeAChipTest(unittest.TestCase):
    def test_a_chip_is_counted_round_before_it_is_changed_and_then_it_is(self) -> None:
        trail = before_the_heat("U3:quiet_failure")
        self.assertEqual((assess(duo_advice(), trail).advice.next.kind, assess(duo_advice(), trail).advice.next.target),
                         ("count_round", "U3"))
        after = (*trail, Entry("counted", trail[-1].at, "Ines", counted()))
        after_it = assess(duo_advice(), after).advice
        self.assertIn(after_it.next.kind, ("repair", "unplug_cell"))
        self.assertEqual(after_it.ranked[0].target if after_it.next.kind == "repair" else "U3", "U3")

    def test_an_empty_place_beside_it_is_filled_before_the_chip_comes_off(self) -> None:
        trail = before_the_heat("U3:quiet_failure")
        after = (*trail, Entry("counted", trail[-1].at, "Ines", counted(MISSING)))
        repairs = [action.target for action in assess(duo_advice(), after).advice.ranked if action.kind == "repair"]
        self.assertEqual(repairs[0], "C32")


class CountingWindowTest(WindowCase):
    def fill(self, store: JobStore) -> None:
        store.add_trail(tuple(new_entry(entry.payload, "Ines", entry.at) for entry in before_the_heat(
            "U3:quiet_failure")))

    def setUp(self) -> None:
        super().setUp()
        self.window.open_job(self.store.shelf()[0].id)
        self.settled()

    def test_the_step_asks_for_the_count_and_weighs_what_is_typed(self) -> None:
        assert self.window.model.assessment is not None
        self.assertEqual(self.window.model.assessment.advice.next.title, "Count the parts round U3")
        ask = self.window.ask
        self.key(Key.Key_Return, CTRL)
        self.assertEqual(ask.choice.currentText(), "counted round U3")
        self.assertEqual(self.window.views["board"].plan.side.value, "bottom")  # type: ignore[attr-defined]
        self.type("c12 missing")
        self.key(Key.Key_Return)
        self.assertIn("C12 is on the top side", ask.trouble.text())
        ask.field.clear()
        self.type("c32 missing")
        self.key(Key.Key_Return)
        self.settled()
        self.assertEqual(self.window.model.facts.counted_before[0][1], counted(MISSING))
        self.assertEqual(self.window.reasoning.suspects.rows[0].lead.fault.id, "C32:missing_part")
        self.key(Key.Key_Z, CTRL)
        self.settled()
        self.assertEqual(self.window.model.facts.counted_before, ())
        self.assertEqual(self.window.model.assessment.advice.next.kind, "count_round")

    def test_nothing_typed_is_that_all_are_there(self) -> None:
        self.key(Key.Key_Return, CTRL)
        self.key(Key.Key_Return)
        self.settled()
        self.assertEqual(self.window.model.facts.counted_before[0][1], counted())
        assert self.window.model.assessment is not None
        self.assertNotEqual(self.window.model.assessment.advice.next.kind, "count_round")


if __name__ == "__main__":
    unittest.main()
