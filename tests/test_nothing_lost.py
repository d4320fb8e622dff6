"""What the disk, other programs and odd files may do: nothing is lost in silence, nothing hangs, nothing lies open."""

from __future__ import annotations

import errno
import json
import os
import shutil
import sqlite3
import stat
import tempfile
import unittest
from datetime import UTC, datetime
from pathlib import Path
from unittest import mock

from dextrum.app.job.session import BenchSession
from dextrum.core.board import Method
from dextrum.core.reference.known_good import KnownGoodReading
from dextrum.core.trail import Cell, JobOpened, PointReading, Readings, Wait, local_time, standing
from dextrum.errors import EntryRefusedError, FileStandsError, ImportRefusedError, StoreGoneError
from dextrum.store.entries import entry_from_json, entry_to_json, new_entry
from dextrum.store.files import read_bounded, safe_name, write_beside
from dextrum.store.job_file import read_job_file, write_job_file
from dextrum.store.jobs import JobStore
from dextrum.store.packs.pack_files import known_good_csv, known_good_rows, known_good_table
from tests.support import DUO, duo_board, library

OPENED = JobOpened("SLS-1", "Tarnwick Duo", DUO)
RED = Method.DIODE_RED_GROUND


class FolderCase(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name) / "data"
        self.path = self.folder / "jobs.sqlite"

    def store(self, path: Path | None = None) -> JobStore:
        made = JobStore(path or self.path)
        self.addCleanup(made.close)
        return made


class StandingFileTest(FolderCase):
    """Before 'recorded' is said, the file at the path is the one that is open, and holds the entry."""

    def job(self) -> tuple[JobStore, str]:
        store = self.store()
        return store, store.create(new_entry(OPENED, "x"))

    def refused(self, store: JobStore, job: str) -> None:
        with self.assertRaises(StoreGoneError):
            store.append(job, new_entry(Cell("unplugged"), "x"))

    def test_deleted(self) -> None:
        store, job = self.job()
        self.path.unlink()
        self.refused(store, job)

    def test_replaced(self) -> None:
        store, job = self.job()
        other = self.folder / "other.sqlite"
        self.store(other).close()
        os.replace(other, self.path)
        self.refused(store, job)

    def test_folder_renamed(self) -> None:
        store, job = self.job()
        self.folder.rename(self.folder.with_name("elsewhere"))
        self.refused(store, job)

    def test_truncated(self) -> None:
        store, job = self.job()
        store.append(job, new_entry(Cell("unplugged"), "x"))
        with sqlite3.connect(self.path) as db:
            db.execute("pragma wal_checkpoint(truncate)")
        db.close()
        os.truncate(self.path, 0)
        try:
            store.append(job, new_entry(Cell("plugged"), "x"))
        except Exception as problem:  # the database's own word for it, or ours; either way it was not called recorded
            self.assertIn("Store", type(problem).__name__)
        else:
            fresh = self.store(self.path)
            self.assertEqual(len(fresh.trail(job)), 3, "what was called recorded can be read by another program")

    def test_untouched_it_is_recorded(self) -> None:
        store, job = self.job()
        store.append(job, new_entry(Cell("unplugged"), "x"))
        self.assertEqual(len(store.trail(job)), 2)


class RightsTest(FolderCase):
    def test_data_folder_and_files_are_nobody_elses(self) -> None:
        store = self.store()
        store.create(new_entry(OPENED, "x"))
        self.assertEqual(stat.S_IMODE(self.folder.stat().st_mode), 0o700)
        for file in self.folder.iterdir():
            self.assertEqual(stat.S_IMODE(file.stat().st_mode) & 0o077, 0, file.name)

    def test_a_folder_that_holds_other_things_keeps_its_rights(self) -> None:
        self.folder.mkdir(mode=0o755)
        (self.folder / "letter.txt").write_text("x", encoding="utf-8")
        self.folder.chmod(0o755)
        self.store()
        self.assertEqual(stat.S_IMODE(self.folder.stat().st_mode), 0o755)
        self.assertEqual(stat.S_IMODE(self.path.stat().st_mode), 0o600)


class WaitTest(FolderCase):
    def test_a_bar_in_the_reason_and_a_zone_in_the_time_stop_nothing(self) -> None:
        from dextrum.desktop.frame.shelf import is_due, waiting_words

        store = self.store()
        now = datetime.now().astimezone()
        for why, until in (("port | filter", ""), ("a|b", "2026-03-12T14:20"), ("zone", "2026-03-12T14:20:00+05:00"),
                           ("far", "9999-12-31T23:59:59-12:00")):
            job = store.create(new_entry(OPENED, "x"))
            store.append(job, new_entry(Wait(why, until), "x"))
            row = next(r for r in store.shelf() if r.id == job)
            self.assertEqual((row.waits_for, waiting_words(row, now)[0]), (why, why))
            self.assertIsInstance(is_due(row, now), bool)

    def test_odd_values_of_a_row_stop_no_start(self) -> None:
        store = self.store()
        store.create(new_entry(OPENED, "x"))
        with sqlite3.connect(self.path) as db:
            db.execute("update jobs set waits_for = 'x', waits_until = 'soon', due = 'never', stage = 'moon'")
        db.close()
        from dextrum.desktop.frame.shelf import waiting_words

        self.assertEqual(waiting_words(store.shelf()[0], datetime.now().astimezone()), ("x", "due never"))

    def test_times(self) -> None:
        self.assertIsNone(local_time("soon"))
        found = local_time("2026-03-12T14:20:00+00:00")
        assert found is not None
        self.assertIsNone(found.tzinfo)


class UndoTest(FolderCase):
    def test_as_many_redos_as_undos_bring_everything_back(self) -> None:
        session = BenchSession(self.store(), library())
        job = session.open_new_job("SLS-2", DUO)
        for k in range(34):
            session.record(job, Readings(RED, (PointReading("J1.A5", k / 100),)))
        before = standing(session.store.trail(job))
        for _ in range(40):
            session.strike_last(job)
        self.assertEqual(len(standing(session.store.trail(job))), 1)
        brought = sum(session.bring_back(job) is not None for _ in range(40))
        self.assertEqual(brought, 34)
        self.assertEqual(standing(session.store.trail(job)), before)

    def test_what_was_recorded_since_ends_redo_and_one_entry_can_still_be_brought_back(self) -> None:
        session = BenchSession(self.store(), library())
        job = session.open_new_job("SLS-2", DUO)
        (struck,) = session.record(job, Cell("unplugged"))
        session.strike_last(job)
        session.record(job, Cell("plugged"))
        self.assertIsNone(session.bring_back(job))
        self.assertEqual(session.bring_one_back(job, struck.id), struck)
        self.assertEqual(len(standing(session.store.trail(job))), 3)

    def test_another_windows_entry_is_named_not_struck(self) -> None:
        one, other = BenchSession(self.store(), library(), "Ines"), BenchSession(self.store(), library(), "Bo")
        job = one.open_new_job("SLS-2", DUO)
        other.record(job, Cell("unplugged"))
        with self.assertRaisesRegex(EntryRefusedError, "another window by Bo"):
            one.strike_last(job)
        self.assertEqual(len(standing(one.store.trail(job))), 2)


class FilesTest(FolderCase):
    def setUp(self) -> None:
        super().setUp()
        self.folder.mkdir()

    def test_pipes_and_endless_devices_are_refused_at_once(self) -> None:
        pipe, link = self.folder / "pipe", self.folder / "zero"
        os.mkfifo(pipe)
        link.symlink_to("/dev/zero")
        for path in (pipe, link, self.folder, self.folder / "none", Path("x" * 5000)):
            with self.assertRaises(ImportRefusedError):
                read_bounded(path, 1000)
            with self.assertRaises(ImportRefusedError):
                read_job_file(path)

    def test_a_full_disk_leaves_what_stood_there(self) -> None:
        path = self.folder / "sheet.pdf"
        write_beside(path, b"old")
        with mock.patch("os.fsync", side_effect=OSError(errno.ENOSPC, "No space left on device")), \
                self.assertRaises(ImportRefusedError):
            write_beside(path, b"new", over=True)
        self.assertEqual(path.read_bytes(), b"old")
        self.assertEqual([p.name for p in self.folder.iterdir()], ["sheet.pdf"])

    def test_what_stands_there_is_replaced_only_when_asked(self) -> None:
        path = self.folder / "job.json"
        trail = (new_entry(OPENED, "x"),)
        write_job_file(path, trail)
        with self.assertRaises(FileStandsError):
            write_job_file(path, trail)
        write_job_file(path, trail, over=True)
        self.assertEqual(read_job_file(path), trail)

    def test_names_stay_in_their_folder(self) -> None:
        for serial in ("/etc/passwd", "../../x", "..", "a/b", "\0", "x" * 400, "SLS-0417", ""):
            name = safe_name(serial, ".pdf")
            self.assertEqual(Path(name).name, name)
            self.assertFalse(name.startswith("."), name)
            self.assertLessEqual(len(name), 120)
        self.assertEqual(safe_name("SLS-0417", ".pdf"), "SLS-0417.pdf")

    def test_odd_numbers_and_letters_are_refused_in_words(self) -> None:
        good = {"format": "dextrum-job", "schema": 1, "entries": [entry_to_json(new_entry(OPENED, "x"))]}
        text = json.dumps(good)
        readings = json.dumps(entry_to_json(new_entry(Readings(RED, (PointReading("J1.A5", 0.5),)), "x")))
        for change in (text.replace("SLS-1", "\\ud800"),
                       text[:-2] + ", " + readings.replace('"value": 0.5', '"value": 1e999') + "]}",
                       text[:-2] + ", " + readings.replace('"value": 0.5', f'"value": {"9" * 4400}') + "]}",
                       "[" * 100_000):
            path = self.folder / "odd.json"
            path.write_text(change, encoding="utf-8")
            with self.assertRaises(ImportRefusedError):
                read_job_file(path)

    def test_years_that_no_zone_holds_are_refused(self) -> None:
        good = entry_to_json(new_entry(OPENED, "x", datetime(2026, 1, 1, tzinfo=UTC)))
        for at in ("0001-01-01T00:00:00+14:00", "9999-12-31T23:59:59-12:00"):
            with self.assertRaises(ImportRefusedError):
                entry_from_json({**good, "at": at})


class LibraryCsvTest(unittest.TestCase):
    def rows(self, text: str) -> tuple[tuple[KnownGoodReading, ...], tuple[str, ...]]:
        rows, broken = known_good_table("x.csv", text.encode())
        kept, left_out = known_good_rows(duo_board(), rows, "x.csv")
        return kept, (*broken, *left_out)

    HEAD = "board_serial,point,method,meter,board_celsius,value,taken_on\n"

    def test_no_cell_is_a_formula_and_it_reads_back(self) -> None:
        one = KnownGoodReading("=1+1", "J1.A5", RED, "@M1", 0.5, None, "2026-11-20")
        text = known_good_csv((one,))
        self.assertNotIn(",=", "," + text.replace("\n", ","))
        self.assertEqual(self.rows(text)[0], (one,))

    def test_what_cannot_be_is_left_out_with_its_own_line(self) -> None:
        kept, left_out = self.rows(self.HEAD + "A,J1.A5,diode_red_ground,M1,,0.5,2026-11-20\n"
                                   "A,J1.A5\n"
                                   "A,J1.B5,diode_red_ground,M1,,9.99,2026-11-20\n"
                                   "A,J1.A6,diode_red_ground,M1,,0.6,20.11.2026\n")
        self.assertEqual(len(kept), 1)
        self.assertTrue(any("line 3" in words for words in left_out))
        self.assertTrue(any("line 4" in words and "9.99" in words for words in left_out))
        self.assertTrue(any("line 5" in words and "20.11.2026" in words for words in left_out))

    def test_semicolons_are_named(self) -> None:
        _, left_out = self.rows(self.HEAD.replace(",", ";") + "A;J1.A5;diode_red_ground;M1;;0.5;\n")
        self.assertIn("semicolons", left_out[0])


class MoveTest(FolderCase):
    def test_a_folder_with_signs_of_an_address_in_its_name(self) -> None:
        place = self.folder.with_name("a%20b?c#d") / "jobs.sqlite"
        store = self.store(place)
        job = store.create(new_entry(OPENED, "x"))
        store.append(job, new_entry(Cell("unplugged"), "x"))
        self.assertEqual(len(self.store(place).trail(job)), 2)
        self.assertTrue(place.exists())
        shutil.rmtree(place.parent, ignore_errors=True)


if __name__ == "__main__":
    unittest.main()
