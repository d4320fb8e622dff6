"""A walk goes on by itself with what the next step reads, and not where anything else comes first."""

from __future__ import annotations

import unittest
from dataclasses import replace
from math import inf, isinf
from unittest.mock import patch

from dextrum.app.advising.assess import assess
from dextrum.app.advising.steps import kind_of_step
from dextrum.app.reading.capture import Cue
from dextrum.core.advice.actions import Action
from dextrum.core.capture.walk import CaptureWalk, Hearing, Next, Over, Recorded, Struck, Tap
from dextrum.core.job import job_facts
from dextrum.core.trail import Access, Cell, Intake, JobOpened, Look, Payload, Readings, Supply, standing
from dextrum.desktop.capture.going_on import read_next
from dextrum.store.entries import new_entry
from dextrum.store.jobs import JobStore
from tests.support import DUO, START, as_good, duo_advice, duo_board, trail_of
from tests.test_capture import ROW, Hand
from tests.window_support import CTRL, Key, WindowCase

DARK: tuple[Payload, ...] = (
    JobOpened("SLS-1", "Tarnwick Duo", DUO), Intake("no picture", ("no_dock",)), Look(("clean",)),
    Supply("a", 9.1, 1.85), Supply("b", 9.1, 1.85), Cell("unplugged"), Access("board_out"))
READ_AT_THE_PORT = as_good(*duo_board().port_point_ids())


class HeardAgainTest(unittest.TestCase):
    def test_the_touch_of_the_walk_before_is_not_heard_as_the_next_points(self) -> None:
        hand = Hand(CaptureWalk(("P3",), ROW, before=("P2",)))
        self.assertEqual(hand.shows(0.504, 20), [], "the probe is still where it was")
        self.assertIs(hand.walk.hearing, Hearing.LIFT)
        hand.shows(inf, 8)
        self.assertEqual(hand.shows(0.585, 5)[1:], [Recorded("P3", 0.585), Over()])

    def test_probes_that_are_put_down_read_as_nothing(self) -> None:
        hand = Hand(CaptureWalk(("P3",), ROW, before=("P2",)))
        self.assertEqual(hand.shows(inf, 600), [])

    def test_what_was_read_last_before_it_can_be_struck_out_or_repeated(self) -> None:
        walk = CaptureWalk(("P3", "P4"), ROW, before=("P0", "P2"))
        self.assertEqual(walk.tap(Tap.STRIKE), [Struck("P2"), Next("P2")])
        self.assertEqual(walk.read, ("P0",))
        self.assertEqual(walk.typed(0.504), [Recorded("P2", 0.504), Next("P3")])
        self.assertEqual(walk.skipped, frozenset())
        again = CaptureWalk(("P3", "P4"), ROW, before=("P0", "P2"))
        self.assertEqual(again.tap(Tap.REPEAT), [Next("P2")])
        again.typed(0.504)
        self.assertEqual(again.typed(0.585), [Recorded("P3", 0.585), Next("P4")])
        self.assertEqual(again.tap(Tap.REPEAT), [Next("P3")])


class ReadNextTest(unittest.TestCase):
    def step(self) -> Action:
        step = assess(duo_advice(), trail_of(*DARK, *READ_AT_THE_PORT), explain=False).advice.next
        self.assertTrue(kind_of_step(step).reads, step)
        return step

    def test_points_of_a_step_that_reads(self) -> None:
        step, facts = self.step(), job_facts(trail_of(*DARK))
        self.assertEqual(read_next(duo_board(), facts, step), step.points)
        self.assertEqual(read_next(duo_board(), facts, replace(step, points=("X9.1",))), ())

    def test_none_where_the_unit_must_be_opened_or_something_taken_off_first(self) -> None:
        deep = next(point.id for point in duo_board().points if point.access == duo_board().access_levels[-1].id)
        step = replace(self.step(), points=(deep,))
        closed = job_facts(trail_of(*DARK[:-1]))
        self.assertEqual(read_next(duo_board(), closed, step), ())
        self.assertEqual(read_next(duo_board(), job_facts(trail_of(*DARK)), step), (deep,))
        for kind in ("isolate", "cool", "repair", "supply"):
            self.assertEqual(read_next(duo_board(), job_facts(trail_of(*DARK)), replace(step, kind=kind)), (), kind)


class GoingOnTest(WindowCase):
    def fill(self, store: JobStore) -> None:
        store.add_trail([new_entry(p, "Ines", START) for p in (*DARK, *READ_AT_THE_PORT)])

    def setUp(self) -> None:
        super().setUp()
        self.settled()
        self.capture = self.window.commands.capture
        self.key(Key.Key_Space, CTRL)

    def points_left(self) -> tuple[str, ...]:
        return tuple(self.capture.walk.points) if self.capture.walk is not None else ()

    def read_all(self, value: str = "") -> None:
        """Types a value for every point of this walk; without one what a good board reads."""
        walk = self.capture.walk
        assert walk is not None
        while self.capture.walk is walk:
            point = duo_board().point_by_id[walk.point]
            good = duo_advice().model.good_at(point.id, point.default_method)
            self.type(value or ("o" if isinf(good) else f"{good:.3f}"))
            self.key(Key.Key_Return)

    def recorded(self) -> list[str]:
        return [r.point for e in standing(self.window.model.trail) if isinstance(e.payload, Readings)
                for r in e.payload.readings]

    def test_with_the_next_steps_points_until_escape(self) -> None:
        first = self.points_left()
        self.assertTrue(first)
        self.read_all()
        self.assertEqual(self.recorded()[-len(first):], list(first))
        self.wait(lambda: self.capture.walk is not None, what="for the walk to go on")
        step = self.window.model.assessment
        assert step is not None
        self.assertEqual(set(self.points_left()), set(step.advice.next.points))
        self.assertTrue(self.window.capture_panel.isVisible())
        self.assertIn("goes on", self.window.trail.said.text())
        count = len(self.window.model.trail)
        self.key(Key.Key_Escape)
        self.settled()
        self.assertIsNone(self.capture.walk)
        self.assertEqual(len(self.window.model.trail), count)

    def test_what_was_read_before_is_struck_out_by_its_key(self) -> None:
        first = self.points_left()
        self.read_all()
        self.wait(lambda: self.capture.walk is not None, what="for the walk to go on")
        self.key(Key.Key_X)
        self.assertNotIn(first[-1], self.recorded())
        assert self.capture.walk is not None
        self.assertEqual(self.capture.walk.point, first[-1])
        self.key(Key.Key_Escape)

    def test_not_with_what_was_skipped(self) -> None:
        first = self.points_left()
        for _ in first:
            self.key(Key.Key_S)
        self.settled()
        self.assertIsNone(self.capture.walk)
        self.assertNotIn(first[0], self.recorded())
        self.assertIn(f"{len(first)} point", self.window.trail.said.text())
        self.assertNotIn("are read", self.window.trail.said.text())

    def test_nor_with_what_was_read_before_and_is_skipped_when_it_is_to_be_touched_again(self) -> None:
        first = self.points_left()
        self.read_all()
        self.wait(lambda: self.capture.walk is not None, what="for the walk to go on")
        with patch("dextrum.desktop.capture.going_on.read_next", return_value=first):
            self.key(Key.Key_Escape)
            self.capture._begin_over(first, before=first)
            for _ in first:
                self.key(Key.Key_S)
            self.settled()
        self.assertIsNone(self.capture.walk)

    def test_over_sounds_once_and_only_where_nothing_follows(self) -> None:
        self.read_all()
        self.wait(lambda: self.capture.walk is not None, what="for the walk to go on")
        self.wait(lambda: self.capture.sounder.heard[-1] is Cue.NEXT, what="for the next point to be called")
        self.assertNotIn(Cue.OVER, self.capture.sounder.heard)
        for _ in self.points_left():
            self.key(Key.Key_S)
        self.wait(lambda: Cue.OVER in self.capture.sounder.heard, what="for the end to sound")
        self.assertIsNone(self.capture.walk)
        self.assertEqual(self.capture.sounder.heard.count(Cue.OVER), 1)

    def test_not_for_someone_who_has_turned_to_something_else(self) -> None:
        self.read_all()
        self.window.show_view("intake")
        self.settled()
        self.assertIsNone(self.capture.walk)
        view = self.window.current_view()
        assert view is not None
        self.assertEqual(view.name, "intake")

    def test_not_where_the_next_step_is_of_another_kind(self) -> None:
        point = self.points_left()[0]
        self.read_all("0.001")
        self.settled()
        self.assertIsNone(self.capture.walk, "a short is looked for otherwise than by reading on")
        done = self.window.model.assessment
        assert done is not None
        self.assertEqual(read_next(duo_board(), self.window.model.facts, done.advice.next), ())
        self.assertIn(point, self.recorded())


if __name__ == "__main__":
    unittest.main()
