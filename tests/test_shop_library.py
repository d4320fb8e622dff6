"""The shop's own known-good: offered by proved units, taken out with a reason, merged by CSV without doubles."""

from __future__ import annotations

import tempfile
import unittest
from datetime import UTC, datetime
from pathlib import Path

from dextrum.app.job.session import BenchSession
from dextrum.core.board import Method
from dextrum.core.reference.known_good import KnownGoodReading
from dextrum.core.trail import (
    Cell,
    JobOpened,
    Look,
    Payload,
    PointReading,
    Proof,
    Readings,
    Rework,
)
from dextrum.desktop.port.view import PortView
from dextrum.errors import EntryRefusedError, ImportRefusedError
from dextrum.store.entries import new_entry
from dextrum.store.jobs import JobStore
from dextrum.store.known_good import add_readings, shop_readings, taken_out
from tests.support import DUO, SLIVER, library_of
from tests.window_support import CTRL, SHIFT, Key, WindowCase

RED = Method.DIODE_RED_GROUND
NOON = datetime(2026, 3, 12, 12, 0, tzinfo=UTC)


class ShopCase(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.session = self.shop("jobs.sqlite")

    def shop(self, name: str) -> BenchSession:
        """A shop of its own, with its own library."""
        store = JobStore(self.folder / name)
        self.addCleanup(store.close)
        return BenchSession(store, library_of(), "Ines", clock=lambda: NOON)

    def proved(self, serial: str = "SLS-0900", *more: object, pack_id: str = SLIVER) -> str:
        """A unit of which a few contacts were read, and every check passed."""
        board = self.session.library.board(pack_id)
        readings = Readings(RED, (PointReading("J1.A5", 0.512), PointReading("J1.B5", 0.515),
                                  PointReading("J1.A6", float("inf"))), "M1")
        payloads = (JobOpened(serial, board.model, pack_id), Look(("clean",)), Cell("unplugged"), readings, *more,
                    *(Proof(c.id, True) for c in board.checks))
        return self.session.store.add_trail([new_entry(p, "Ines", NOON) for p in payloads])  # type: ignore[arg-type]


class OfferTest(ShopCase):
    def test_a_proved_unit_becomes_known_good_at_once(self) -> None:
        before = self.session.library.references(SLIVER, "M1").get("J1.A5", RED)
        self.assertIsNone(before)
        self.assertEqual(self.session.offer_readings(self.proved()), 2)
        found = self.session.library.references(SLIVER, "M1").get("J1.A5", RED)
        assert found is not None
        self.assertEqual((found.boards, round(found.centre, 3)), (1, 0.512))
        self.assertIsNone(self.session.library.references(SLIVER, "M1").get("J1.A6", RED))

    def test_offered_twice_it_counts_once(self) -> None:
        job = self.proved()
        self.assertEqual([self.session.offer_readings(job) for _ in range(2)], [2, 0])

    def test_it_is_there_after_a_restart(self) -> None:
        self.session.offer_readings(self.proved())
        again = BenchSession(self.session.store, library_of(), "Ines")
        self.assertIsNotNone(again.library.references(SLIVER, "M1").get("J1.A5", RED))

    def test_what_is_not_proved_or_not_read_is_refused(self) -> None:
        board = self.session.library.board(SLIVER)
        told: tuple[Payload, ...] = (JobOpened("S", board.model, SLIVER), *(Proof(c.id, True) for c in board.checks))
        bare = self.session.store.add_trail([new_entry(p, "x", NOON) for p in told])
        unproved = self.session.store.add_trail([new_entry(p, "x", NOON) for p in (
            JobOpened("S", board.model, SLIVER), Readings(RED, (PointReading("J1.A5", 0.5),), "M1"))])
        for job, words in ((bare, "no readings"), (unproved, "not proved good")):
            with self.assertRaises(EntryRefusedError) as caught:
                self.session.offer_readings(job)
            self.assertIn(words, caught.exception.happened)

    def test_readings_of_before_the_repair_count_only_where_they_were_good(self) -> None:
        job = self.proved("SLS-0901", Rework("replace", "J1"))
        with self.assertRaises(EntryRefusedError):
            self.session.offer_readings(job)


class TakeOutTest(ShopCase):
    def test_a_board_taken_out_no_longer_judges_and_can_come_back(self) -> None:
        boards = self.session.library.references(DUO, "M1").boards
        self.session.take_board_out(DUO, "SLS-0101", "its port was changed")
        self.assertEqual(self.session.library.references(DUO, "M1").boards, boards - 1)
        self.assertEqual([t.reason for t in taken_out(self.session.store, DUO)], ["its port was changed"])
        self.session.take_board_out(DUO, "SLS-0101", "", out=False)
        self.assertEqual(self.session.library.references(DUO, "M1").boards, boards)

    def test_without_a_reason_or_for_a_board_that_is_not_there_nothing_changes(self) -> None:
        for serial, reason, out in (("SLS-0101", "  ", True), ("SLS-9999", "why", True), ("SLS-0101", "", False)):
            with self.assertRaises(EntryRefusedError):
                self.session.take_board_out(DUO, serial, reason, out)
        self.assertEqual(taken_out(self.session.store, DUO), ())


class MergeTest(ShopCase):
    def test_two_shops_merge_without_doubles(self) -> None:
        other = self.shop("other.sqlite")
        self.session.offer_readings(self.proved())
        add_readings(other.store, SLIVER, [KnownGoodReading("SLS-0950", "J1.A5", RED, "M2", 0.509, 22.0, "2026-02-01")],
                     NOON)
        path = self.folder / "library.csv"
        self.session.write_library(SLIVER, path)
        first, second = other.merge_library(SLIVER, path), other.merge_library(SLIVER, path)
        self.assertEqual(((first.new, first.known), (second.new, second.known)), ((2, 0), (0, 2)))
        self.assertEqual(len(shop_readings(other.store, SLIVER)), 3)
        self.assertEqual(other.library.references(SLIVER, "M1").boards, 2)

    def test_rows_that_do_not_fit_are_listed_with_the_reason(self) -> None:
        path = self.folder / "library.csv"
        path.write_text("board_serial,point,method,meter,board_celsius,value,taken_on\n"
                        "B,J1.A5,diode_red_ground,M1,21,0.5,2026-01-01\n"
                        "B,U99.7,diode_red_ground,M1,21,0.5,2026-01-01\n"
                        "B,J1.A5,resistance,M1,21,0.5,2026-01-01\n"
                        "B,J1.A5,diode_red_ground,M1,21,lots,2026-01-01\n"
                        "B,J1.A5\n")
        merged = self.session.merge_library(SLIVER, path)
        self.assertEqual((merged.new, len(merged.left_out)), (1, 4))
        self.assertIn("left out", merged.words)
        self.assertTrue(any("U99.7" in why for why in merged.left_out))
        with self.assertRaises(ImportRefusedError):
            self.session.merge_library(SLIVER, self.folder / "not there.csv")

    def test_open_readings_and_values_come_back_as_they_went(self) -> None:
        readings = [KnownGoodReading("B", "J1.A5", RED, "M1", v, c, "2026-01-01")
                    for v, c in ((float("inf"), None), (0.4567, 30.5))]
        self.assertEqual(add_readings(self.session.store, SLIVER, readings, NOON), 2)
        self.assertEqual(set(shop_readings(self.session.store, SLIVER)), set(readings))


class LibraryWindowTest(WindowCase):
    def fill(self, store: JobStore) -> None:
        self.job_id = store.add_trail([new_entry(p, "x", NOON) for p in (
            JobOpened("SLS-0900", "Tarnwick Sliver", SLIVER), Look(("clean",)), Cell("unplugged"),
            Readings(RED, (PointReading("J1.A5", 0.512), PointReading("J1.B5", 0.515)), "M1"))])

    def setUp(self) -> None:
        super().setUp()
        self.session.library = library_of()

    def command(self, words: str) -> None:
        self.key(Key.Key_K, CTRL)
        self.type(words)
        self.key(Key.Key_Return)

    def judged_by(self, origin: str) -> None:
        """Readings are judged beside the window."""
        self.wait(lambda: {r.judgement.origin for r in self.window.model.judged.values()} == {origin}, what=origin)

    def test_offer_take_out_and_back_by_keys(self) -> None:
        self.key(Key.Key_K, CTRL | SHIFT)
        self.assertIn("not proved good yet", self.window.problem.text())
        self.window.model.record(*(Proof(c.id, True) for c in self.session.library.board(SLIVER).checks))
        self.key(Key.Key_K, CTRL | SHIFT)
        self.assertIn("2 readings added", self.window.trail.said.text())
        self.judged_by("own")
        self.command("Exclude a known-good board")
        self.type("SLS-0900, flux under it")
        self.key(Key.Key_Return)
        self.assertIn("taken out", self.window.trail.said.text())
        self.judged_by("scan")
        self.command("Include a known-good board")
        self.type("SLS-0900")
        self.key(Key.Key_Return)
        self.judged_by("own")

    def test_contacts_are_counted_as_the_breakout_counts_and_back(self) -> None:
        self.command("Contacts as A1")
        view = self.window.views["port"]
        assert isinstance(view, PortView)
        self.assertLessEqual(set(view.ladder.numbers.values()), set(range(1, 25)))
        self.assertEqual(view.ladder.numbers["A5"], 5)
        self.command("Contacts as A1")
        self.assertEqual(view.ladder.numbers, {})

    def test_a_board_that_is_not_there_is_told_in_place(self) -> None:
        self.command("Exclude a known-good board")
        self.type("SLS-1, x")
        self.key(Key.Key_Return)
        self.assertIn("not among the known-good boards", self.window.ask.trouble.text())
        self.key(Key.Key_Escape)


if __name__ == "__main__":
    unittest.main()
