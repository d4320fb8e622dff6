"""A job stays on the state of its pack that it was worked on with, until it is moved on; nothing recorded is lost."""

from __future__ import annotations

import unittest

from PySide6.QtCore import Qt

from dextrum.app.library.library import PackLibrary
from dextrum.app.packmaking.own_packs import begin_pack
from dextrum.core.board import Board, Method, Side
from dextrum.core.job import job_facts
from dextrum.core.packmaking.placing import parse_part, with_part, without_part
from dextrum.core.trail import Cell, Intake, PackVersion, PointReading, Readings, standing
from dextrum.store.packs.pack_versions import VERSIONS, version_of
from tests.support import library_of
from tests.window_support import Key, WindowCase


def with_capacitor(board: Board, name: str = "C14") -> Board:
    return with_part(board, parse_part(f"{name} CC2 GND"), Side.TOP, 10.0, 10.0)


class StaysTest(WindowCase):
    def packs(self) -> PackLibrary:
        return library_of(self.folder / "packs")

    def setUp(self) -> None:
        super().setUp()
        self.library = self.session.library
        self.pack = begin_pack(self.library, "Grip", "B", "usb-c-16", "", "back off 6")
        self.library.keep(with_capacitor(self.library.board(self.pack)))
        self.job = self.session.open_new_job("SLS-0901", self.pack)
        self.session.record(self.job, Intake("does not charge"), Cell("unplugged"),
                            Readings(Method.DIODE_RED_GROUND, (PointReading("C14.1", 0.6),), "M1"))
        self.idle = self.session.open_new_job("SLS-0902", self.pack)
        self.maker = self.session.open_new_job("SLS-0903", self.pack)
        self.window.open_job(self.maker)
        self.settled()

    def stays_on(self, job: str) -> str:
        return job_facts(self.session.store.trail(job)).pack_version

    def test_others_stay_the_one_in_hand_follows_and_one_that_was_not_worked_on_does_too(self) -> None:
        before = version_of(self.folder / "packs" / self.pack)
        self.session.record(self.maker, Intake("a good one"))
        self.window.open_job(self.maker)
        self.library.keep(without_part(self.library.board(self.pack), "C14"))
        self.assertEqual(self.stays_on(self.job), before)
        self.assertEqual((self.stays_on(self.idle), self.stays_on(self.maker)), ("", ""))
        # Once is enough, however often it changes.
        self.library.keep(with_capacitor(self.library.board(self.pack), "C15"))
        entries = [e for e in standing(self.session.store.trail(self.job)) if isinstance(e.payload, PackVersion)]
        self.assertEqual(len(entries), 1)
        self.assertEqual(len(list((self.folder / "packs" / VERSIONS / self.pack).iterdir())), 1)

    def test_it_is_judged_by_the_pack_it_stays_on_over_a_restart_and_moved_on_on_purpose(self) -> None:
        self.library.keep(without_part(self.library.board(self.pack), "C14"))
        self.window.open_job(self.job)
        self.settled()
        model = self.window.model
        assert model.board is not None
        self.assertTrue(model.stays)
        self.assertIn("C14.1", model.board.point_by_id)
        self.assertIn("C14.1", model.judged)
        self.assertIsNotNone(model.assessment)
        self.window.show_view("packmaking")
        self.assertIn("stays on the pack", self.window.views["packmaking"].detail.text())
        self.window.commands.run("pack.place")
        self.assertFalse(self.window.ask.isVisible())
        again = library_of(self.folder / "packs")
        name = again.at_version(self.pack, self.stays_on(self.job))
        self.assertIn("C14.1", again.board(name).point_by_id)
        self.assertNotIn("C14.1", again.board(self.pack).point_by_id)
        self.window.commands.run("pack.move_on")
        self.settled()
        self.assertFalse(model.stays)
        self.assertNotIn("C14.1", model.board.point_by_id)
        # What was read there is in the trail as before, and undo brings its pack back.
        self.assertTrue(any(isinstance(e.payload, Readings) for e in standing(model.trail)))
        self.key(Key.Key_Z, self.control())
        self.settled()
        self.assertTrue(model.stays)
        self.assertIn("C14.1", model.board.point_by_id)

    def control(self) -> Qt.KeyboardModifier:
        return Qt.KeyboardModifier.ControlModifier

    def test_one_that_was_moved_on_stays_again_when_the_pack_changes_once_more(self) -> None:
        self.library.keep(without_part(self.library.board(self.pack), "C14"))
        first = self.stays_on(self.job)
        self.session.record(self.job, PackVersion())
        self.assertEqual(self.stays_on(self.job), "")
        self.library.keep(with_capacitor(self.library.board(self.pack), "C15"))
        second = self.stays_on(self.job)
        self.assertTrue(second)
        self.assertNotEqual(second, first)

    def test_what_the_shop_reads_reaches_the_state_that_a_job_stays_on_too(self) -> None:
        self.library.keep(without_part(self.library.board(self.pack), "C14"))
        name = self.library.at_version(self.pack, self.stays_on(self.job))
        before = self.library.references(name, "M1")
        self.library.judge_anew(self.pack)
        self.assertIsNot(self.library.references(name, "M1"), before)

    def test_a_step_back_to_where_it_stays_makes_it_follow_again(self) -> None:
        self.library.keep(without_part(self.library.board(self.pack), "C14"))
        version = self.stays_on(self.job)
        self.assertNotEqual(self.library.at_version(self.pack, version), self.pack)
        self.library.take_step(self.pack, back=True)
        self.assertEqual(self.library.at_version(self.pack, version), self.pack)

    def test_a_version_that_is_not_here_is_the_pack_as_it_is(self) -> None:
        self.assertEqual(self.library.at_version(self.pack, "0123456789abcdef"), self.pack)
        self.assertEqual(self.library.at_version("tarnwick-duo-c", "0123456789abcdef"), "tarnwick-duo-c")
        for wrong in ("../../etc", "xyz", "A" * 16):
            with self.subTest(wrong), self.assertRaises(ValueError):
                PackVersion(wrong)


if __name__ == "__main__":
    unittest.main()
