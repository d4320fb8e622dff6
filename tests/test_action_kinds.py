"""Every kind of action there is: listed once, done somewhere, safe to name, and carried out on a simulated unit."""

from __future__ import annotations

import unittest
from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path

import numpy as np

from dextrum.app.bench.simulated_technician import SimulatedTechnician
from dextrum.app.commands import BY_ID
from dextrum.core.advice import kinds
from dextrum.core.advice.actions import Action
from dextrum.core.advice.kinds.registry import EVERY, KINDS, activities_of_action, kind_of
from dextrum.core.advice.places import Place
from dextrum.core.assumptions.planning import INJECT_MINUTES
from dextrum.core.circuit.injecting import InjectionLimits
from dextrum.core.safety.activities import Activity
from dextrum.core.trail import Access, Intake
from dextrum.desktop.frame.views import VIEWS
from dextrum.instruments.simulated_board import METER_M1, SimulatedBoard
from tests.support import duo_advice, duo_board
from tests.window_support import WindowCase

NEEDS_NOTHING = Action("", "", "", "", "", 2.0, 0.0, 0.0)
LIMITS = InjectionLimits(0.5, 1.0, 0.5, 0.5, 4.0)
TARGETS = {
    "clean": "J1", "make_safe": "wet", "scan": "J1.A4", "measure": "J1.A4", "recheck": "J1.A4", "isolate": "C17",
    "put_back": "C17", "supply": "a", "wait_draw": "a", "swap_cell": "a", "look_board": "top", "repair": "F1",
    "count_round": "U3", "try": "dock_a", "inject": "VSYS", "rail": "VSYS",
}
DETAILS = {"repair": "replace", "inject": next(iter(INJECT_MINUTES)), "rail": "a"}


def action_of(word: str) -> Action:
    """Some action of this kind that can be done on a Duo."""
    board = duo_board()
    target = TARGETS.get(word, "")
    if word == "try":
        target = board.checks[0].id
    if word == "rail":
        target = board.rail_checks[0].id
    points = ("C17",) if word == "put_back" else ("J1.A4",) if KINDS[word].reads or KINDS[word].at_point else ()
    return replace(NEEDS_NOTHING, kind=word, target=target, title=word, points=points, detail=DETAILS.get(word, ""),
                   limits=LIMITS if word == "inject" else None)


def technician() -> SimulatedTechnician:
    unit = SimulatedBoard(duo_board(), (), np.random.default_rng(3))
    hands = SimulatedTechnician(duo_advice(), unit, METER_M1, "test", datetime(2026, 1, 5, 8, 0, tzinfo=UTC))
    hands.open("T-1", Intake("does not charge"))
    hands.read_supply("a", 1.0, 2.0)
    hands.read("J1.A4")
    return hands


class ActionKindTest(unittest.TestCase):
    def test_each_is_listed_once_and_has_a_file(self) -> None:
        words = [kind.word for kind in EVERY]
        self.assertEqual(len(words), len(set(words)))
        files = {file.stem for file in Path(str(kinds.__file__)).parent.glob("*.py")}
        others = {"__init__", "kind", "hands", "registry"}
        self.assertEqual({kind.__module__.rsplit(".", 1)[1] for kind in EVERY}, files - others)

    def test_a_word_that_nobody_listed_is_refused(self) -> None:
        with self.assertRaises(KeyError):
            kind_of(replace(NEEDS_NOTHING, kind="polish"))

    def test_each_can_be_carried_out_and_time_never_runs_back(self) -> None:
        for word, kind in KINDS.items():
            with self.subTest(word):
                hands = technician()
                if word == "assemble":
                    hands.note(Access("board_out"))
                before, length = hands.now, len(hands.trail)
                kind.perform(hands, action_of(word))
                self.assertGreaterEqual(hands.now, before)
                written = len(hands.trail) > length
                self.assertEqual(written, word not in ("wait", "done", "grow_pack"))

    def test_what_it_says_it_does_is_what_its_entries_do(self) -> None:
        """Power, heat and current that a step brings are held by the same gates as what is written down for it."""
        heavy = {Activity.POWER, Activity.HEAT, Activity.INJECTION}
        for word in KINDS:
            with self.subTest(word):
                hands, action = technician(), action_of(word)
                length = len(hands.trail)
                kind_of(action).perform(hands, action)
                done = frozenset().union(*(e.payload.does(duo_board()) for e in hands.trail[length:]))
                said = activities_of_action(duo_board(), action)
                if word == "prove":  # of all checks; said of the one it begins with
                    continue
                self.assertEqual(done & heavy, said & heavy)

    def test_tests_can_be_undone_and_end_no_job(self) -> None:
        for kind in KINDS.values():
            if kind.tests:
                self.assertNotIn(kind.word, ("repair", "give_up", "hand_over", "done"))


class PlaceTest(WindowCase):
    def test_what_is_typed_into_the_line_has_a_command_of_the_window(self) -> None:
        for kind in KINDS.values():
            with self.subTest(kind.word):
                self.assertEqual(kind.place is Place.LINE, bool(kind.command))
                if kind.command:
                    self.assertIn(kind.command, self.window.commands.handlers)

    def test_each_view_has_a_name_a_title_a_file_and_a_command_with_its_key(self) -> None:
        keys = [BY_ID[f"view.{kind.name}"].shortcut for kind in VIEWS]
        self.assertEqual(len(set(keys)), len(keys))
        along = [key for key in keys if key.removeprefix("Alt+") in set("123456789")]
        self.assertEqual(along, [f"Alt+{place}" for place in range(1, 10)], "digits go along the work")
        for kind in VIEWS:
            with self.subTest(kind.name):
                self.assertEqual(kind.view_class().__module__, f"dextrum.desktop.{kind.name}.view")
                self.assertEqual(kind.view_class().name, kind.name)
                self.assertTrue(kind.title)
                self.assertTrue(BY_ID[f"view.{kind.name}"].shortcut.startswith("Alt+"))
                self.assertIn(f"view.{kind.name}", self.window.commands.handlers)
                self.assertIs(kind.has_some(self.window.model), False)


if __name__ == "__main__":
    unittest.main()
