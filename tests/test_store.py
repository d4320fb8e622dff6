"""The database: nothing recorded is lost, nothing foreign is touched, and two windows may write."""

from __future__ import annotations

import json
import os
import sqlite3
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

import sqlalchemy as sa

from dextrum.app.job.session import BenchSession
from dextrum.core.board import Method
from dextrum.core.trail import Intake, JobOpened, Look, PointReading, Readings, Rework, Strike, standing
from dextrum.errors import EntryRefusedError, ImportRefusedError, NewerStoreError, StoreError
from dextrum.store.database import file_revision
from dextrum.store.entries import (
    entry_from_json,
    entry_to_json,
    new_entry,
    payload_from_json,
    payload_to_json,
    payload_version,
)
from dextrum.store.job_file import read_job_file, write_job_file
from dextrum.store.jobs import JobStore
from dextrum.store.schema import REVISIONS, metadata
from tests.support import DUO, library

OPENED = JobOpened("S-1", "Tarnwick Duo", DUO)


class StoreCase(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = tempfile.TemporaryDirectory()
        self.addCleanup(self.folder.cleanup)
        self.path = Path(self.folder.name) / "jobs.sqlite"

    def store(self) -> JobStore:
        made = JobStore(self.path)
        self.addCleanup(made.close)
        return made


class OpeningTest(StoreCase):
    def test_new_file_is_at_the_newest_revision_in_wal_with_full_synchronisation(self) -> None:
        store = self.store()
        with store.engine.connect() as db:
            self.assertEqual(db.exec_driver_sql("pragma journal_mode").scalar(), "wal")
            self.assertEqual(db.exec_driver_sql("pragma synchronous").scalar(), 2)
        self.assertEqual(file_revision(self.path), REVISIONS[-1])

    def test_migrations_make_the_tables_that_the_program_uses(self) -> None:
        made = sa.inspect(self.store().engine)
        for table in metadata.sorted_tables:
            self.assertEqual({c["name"] for c in made.get_columns(table.name)}, {c.name for c in table.columns})

    def test_newer_file_is_refused_and_left_untouched(self) -> None:
        self.store().close()
        with sqlite3.connect(self.path) as db:
            db.execute("update alembic_version set version_num = '9999'")
        db.close()
        before = self.path.read_bytes()
        with self.assertRaises(NewerStoreError) as told:
            JobStore(self.path)
        self.assertIn("later version", told.exception.happened)
        self.assertIn("untouched", told.exception.kept)
        self.assertEqual(self.path.read_bytes(), before)

    def test_damaged_and_foreign_files_are_told_and_left(self) -> None:
        self.path.write_bytes(b"this is no database at all" * 100)
        before = self.path.read_bytes()
        with self.assertRaises(StoreError) as told:
            JobStore(self.path)
        self.assertIn("damaged", told.exception.happened)
        self.assertEqual(self.path.read_bytes(), before)
        other = self.path.with_name("other.sqlite")
        with sqlite3.connect(other) as db:
            db.execute("create table songs (name text)")
        db.close()
        with self.assertRaises(StoreError) as foreign:
            JobStore(other)
        self.assertIn("another program", foreign.exception.happened)

    def test_place_that_cannot_be_made(self) -> None:
        blocker = self.path.with_name("file")
        blocker.write_text("x")
        with self.assertRaises(StoreError):
            JobStore(blocker / "jobs.sqlite")


class TrailTest(StoreCase):
    def test_trail_comes_back_as_it_was_after_reopening(self) -> None:
        store = self.store()
        entries = [new_entry(p, "Ines") for p in (
            OPENED, Intake("dead", ("no_charge",), due="2026-05-01T12:00"), Look(("clean",)),
            Readings(Method.DIODE_RED_GROUND, (PointReading("J1.A10", float("inf")), PointReading("J1.A1", 0.0))))]
        job = store.create(entries[0])
        store.append(job, *entries[1:])
        store.close()
        self.assertEqual(JobStore(self.path).trail(job), tuple(entries))

    def test_same_entry_twice_is_kept_once(self) -> None:
        store = self.store()
        first, look = new_entry(OPENED, "x"), new_entry(Look(("clean",)), "x")
        job = store.create(first)
        store.append(job, look)
        store.append(job, look)
        self.assertEqual(len(store.trail(job)), 2)

    def test_all_or_none(self) -> None:
        store = self.store()
        job = store.create(new_entry(OPENED, "x"))
        other = store.create(new_entry(OPENED, "x"))
        taken = new_entry(Look(("clean",)), "x")
        store.append(other, taken)
        with self.assertRaises(StoreError):
            store.append(job, new_entry(Look(("dirt",)), "x"), taken)
        self.assertEqual(len(store.trail(job)), 1)

    def test_two_windows_on_one_file_both_record(self) -> None:
        one, two = self.store(), self.store()
        job = one.create(new_entry(OPENED, "one"))
        mark = two.change_count()
        for i in range(20):
            (one if i % 2 else two).append(job, new_entry(Look(("clean",)), "x"))
        self.assertEqual(len(two.trail(job)), 21)
        self.assertNotEqual(two.change_count(), mark)

    def test_locked_file_is_told_in_words(self) -> None:
        store = self.store()
        job = store.create(new_entry(OPENED, "x"))
        holder = sqlite3.connect(self.path, isolation_level=None)
        self.addCleanup(holder.close)
        holder.execute("begin immediate")
        with store.engine.connect() as db:
            db.exec_driver_sql("pragma busy_timeout = 50")
        with self.assertRaises(StoreError) as told:
            store.append(job, new_entry(Look(("clean",)), "x"))
        self.assertIn("another program", told.exception.happened)
        holder.execute("rollback")
        store.append(job, new_entry(Look(("clean",)), "x"))
        self.assertEqual(len(store.trail(job)), 2)

    def test_shelf_search_and_summary(self) -> None:
        store = self.store()
        job = store.create(new_entry(OPENED, "x"))
        store.append(job, new_entry(Intake("dead after rain"), "x"), new_entry(Rework("replace", "F1"), "x"))
        store.create(new_entry(JobOpened("S-2", "Bramlet Orb", "bramlet-orb-a"), "x"))
        self.assertEqual(len(store.shelf()), 2)
        for text in ("RAIN", "s-1 rain", "f1", "duo"):
            self.assertEqual([r.serial for r in store.shelf(text)], ["S-1"], text)
        self.assertEqual(store.shelf("100%"), ())
        self.assertEqual(store.shelf()[1].stage, "rework")

    def test_settings_at_once_are_those_that_were_there_or_set_meanwhile(self) -> None:
        store = self.store()
        store.set_setting("one", "1")
        with store.settings_at_once():
            self.assertEqual((store.setting("one"), store.setting("none", "usual")), ("1", "usual"))
            store.set_setting("two", "2")
            self.assertEqual(store.setting("two"), "2")
        self.assertEqual((store.setting("one"), store.setting("two")), ("1", "2"))
        with self.assertRaises(ValueError), store.settings_at_once():
            raise ValueError
        store.set_setting("one", "3")
        self.assertEqual(store.setting("one"), "3")

    def test_settings(self) -> None:
        store = self.store()
        self.assertEqual(store.setting("theme", "light"), "light")
        store.set_setting("theme", "dark")
        store.set_setting("theme", "light")
        self.assertEqual(store.setting("theme"), "light")

    def test_a_damaged_row_is_set_aside_and_named(self) -> None:
        store = self.store()
        job = store.create(new_entry(OPENED, "x"))
        with sqlite3.connect(self.path) as db:
            db.execute("update entries set payload = '{\"kind\": \"supply\", \"volts\": \"many\"}'")
        db.close()
        self.assertEqual(store.trail(job), ())
        self.assertIn("1 entry of this job can't be read", store.set_aside[job])
        self.assertEqual(len(store.shelf()), 1)


class KillTest(StoreCase):
    def test_nothing_recorded_is_lost_in_a_hundred_kills(self) -> None:
        helper = Path(__file__).with_name("kill_writer.py")
        done = subprocess.run([sys.executable, str(helper), str(self.path), "100", "7"], capture_output=True,
                              text=True, check=True, env={**os.environ}, timeout=300)
        said = json.loads(done.stdout.splitlines()[-1])
        self.assertEqual(said["kills"], 100)
        self.assertGreaterEqual(said["told"], 100)
        self.assertEqual(said["missing"], 0)
        self.assertEqual(said["whole"], "ok")


class EntryFormatTest(unittest.TestCase):
    def test_open_readings_are_written_as_ol(self) -> None:
        payload = Readings(Method.DIODE_RED_GROUND, (PointReading("A", float("inf")), PointReading("B", 0.5)))
        data = payload_to_json(payload)
        self.assertEqual([r["value"] for r in data["readings"]], ["OL", 0.5])
        json.dumps(data, allow_nan=False)
        self.assertEqual(payload_from_json(data, 1), payload)

    def test_nonsense_and_newer_versions_are_refused(self) -> None:
        good = payload_to_json(Look(("clean",)))
        for data, version in (({"kind": "spell"}, 1), ({**good, "extra": 1}, 1), (good, payload_version("look") + 1),
                              ({}, 1),
                              ({**good, "findings": "clean"}, 1)):
            with self.assertRaises(ValueError):
                payload_from_json(data, version)

    def test_entry_needs_a_zone_and_an_id(self) -> None:
        good = entry_to_json(new_entry(Look(("clean",)), "x"))
        for change in ({"at": "2026-01-01T10:00"}, {"id": ""}, {"at": "yesterday"}, {"payload": 3}):
            with self.assertRaises(ImportRefusedError):
                entry_from_json({**good, **change})


class JobFileTest(StoreCase):
    def session(self) -> BenchSession:
        return BenchSession(self.store(), library())

    def test_export_and_import_without_loss(self) -> None:
        session = self.session()
        job = session.open_new_job("S-9", DUO)
        session.record(job, Intake("caf\u00e9, =1+1", ("no_charge",)), Look(("dirt",), note="<b>"))
        session.record_reading(job, PointReading("C14.1", float("inf")), Method.DIODE_RED_GROUND)
        session.strike_last(job)
        file = self.path.with_name("job.json")
        session.export_job(session.store.trail(job), file)
        trail = session.store.trail(job)
        self.assertEqual(read_job_file(file), trail)
        other = BenchSession(JobStore(self.path.with_name("second.sqlite")), library())
        self.addCleanup(other.store.close)
        self.assertEqual(other.import_job(file).job_id, job)
        self.assertEqual(other.store.trail(job), trail)
        self.assertEqual(other.import_job(file).new, 0)
        self.assertEqual(len(other.store.trail(job)), len(trail))

    def test_files_that_are_no_job_are_refused(self) -> None:
        session = self.session()
        file = self.path.with_name("bad.json")
        good = {"format": "dextrum-job", "schema": 1, "entries": [entry_to_json(new_entry(OPENED, "x"))]}
        for text in ("", "[]", "{", '{"format": "dextrum-job", "schema": 1, "entries": []}', "[" * 100_000,
                     json.dumps({**good, "schema": 2}), json.dumps(good).replace("S-1", "\\u0020"),
                     json.dumps({**good, "entries": [entry_to_json(new_entry(Look(("clean",)), "x"))]}),
                     json.dumps(good).replace('"version": 2', '"version": NaN')):
            file.write_text(text)
            with self.assertRaises(ImportRefusedError, msg=text[:60]):
                session.import_job(file)
        self.assertEqual(session.store.shelf(), ())
        with self.assertRaises(ImportRefusedError):
            session.import_job(self.path.with_name("nowhere.json"))

    def test_a_place_that_cannot_be_written(self) -> None:
        with self.assertRaises(ImportRefusedError):
            write_job_file(self.path.with_name("no") / "job.json", (new_entry(OPENED, "x"),))


class SessionTest(StoreCase):
    def test_deeper_access_is_recorded_with_the_reading(self) -> None:
        session = BenchSession(self.store(), library())
        job = session.open_new_job("S-1", DUO)
        kinds = [e.payload.kind for e in session.record_reading(job, PointReading("C30.1", 0.4),
                                                                Method.DIODE_RED_GROUND)]
        self.assertEqual(kinds, ["access", "readings"])
        kinds = [e.payload.kind for e in session.record_reading(job, PointReading("C14.1", 0.4),
                                                                Method.DIODE_RED_GROUND)]
        self.assertEqual(kinds, ["readings"])

    def test_strike_and_bring_back(self) -> None:
        session = BenchSession(self.store(), library())
        job = session.open_new_job("S-1", DUO)
        self.assertIsNone(session.strike_last(job))
        self.assertIsNone(session.bring_back(job))
        session.record(job, Look(("clean",)))
        session.strike_last(job)
        self.assertEqual(len(standing(session.store.trail(job))), 1)
        session.bring_back(job)
        self.assertEqual(len(standing(session.store.trail(job))), 2)
        opened = session.store.trail(job)[0]
        with self.assertRaises(EntryRefusedError):
            session.strike(job, opened.id)
        self.assertFalse(any(isinstance(e.payload, Strike) and e.payload.entry == opened.id
                             for e in session.store.trail(job)))

    def test_empty_serial_is_refused(self) -> None:
        with self.assertRaises(EntryRefusedError):
            BenchSession(self.store(), library()).open_new_job("  ", DUO)
