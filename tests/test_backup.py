"""Backup: of everything, while entries are recorded; checked, restored equal, refused when damaged; its age is said."""

from __future__ import annotations

import hashlib
import json
import shutil
import sqlite3
import subprocess
import sys
import threading
import zipfile
from contextlib import closing
from datetime import timedelta
from pathlib import Path
from unittest import mock

from dextrum.app.keeping.backups import LAST, backup_words, keep_backup
from dextrum.app.packmaking.own_packs import begin_pack
from dextrum.core.trail import Intake
from dextrum.errors import DextrumError, FileStandsError, ImportRefusedError, StoppedError, StoreError
from dextrum.store import backup, pictures
from dextrum.store.backup import Backup, back_up, restore
from dextrum.store.jobs import JobStore
from tests.support import DUO, START, library_of
from tests.test_pictures import StoreCase, picture
from tests.window_support import Key, WindowCase

ROOT = Path(__file__).resolve().parent.parent


def everything(folder: Path) -> dict[str, bytes]:
    """All files of a bench but its database."""
    return {str(path.relative_to(folder)): path.read_bytes() for path in sorted(folder.rglob("*"))
            if path.is_file() and not path.name.startswith("jobs.sqlite") and path.suffix != ".zip"}


def rows(database: Path) -> list[tuple[object, ...]]:
    with closing(sqlite3.connect(database)) as db:
        return [tuple(row) for table in ("jobs", "entries", "gear", "known_good")
                for row in db.execute(f"select * from {table} order by 1")]


class BackupTest(StoreCase):
    def setUp(self) -> None:
        super().setUp()
        self.add(picture(1), shows="port")
        self.add(picture(2))
        (self.folder / "recipes").mkdir()
        (self.folder / "recipes" / "port.toml").write_text("steps = []")
        self.place = self.folder / "out" / "bench.zip"
        self.place.parent.mkdir()

    def kept(self) -> None:
        assert self.session.store.path is not None
        back_up(self.session.store.path, self.place, START)

    def test_restored_it_is_equal(self) -> None:
        self.kept()
        other = self.folder / "other"
        told = restore(self.place, other)
        self.assertEqual((told.jobs, told.pictures), (1, 2))
        mine = {name: data for name, data in everything(self.folder).items() if not name.startswith(("out", "other"))}
        self.assertEqual(everything(other), mine)
        self.assertEqual(rows(other / "jobs.sqlite"), rows(self.folder / "jobs.sqlite"))
        again = JobStore(other / "jobs.sqlite")
        self.addCleanup(again.close)
        self.assertEqual(again.trail(self.job), self.session.store.trail(self.job))
        self.assertEqual(again.picture(pictures.content_of(picture(1))), picture(1))
        self.assertEqual(other.stat().st_mode & 0o077, 0)

    def test_while_entries_and_photos_are_recorded(self) -> None:
        stop = threading.Event()

        def record() -> None:
            k = 10
            while not stop.is_set():
                self.session.record(self.job, Intake(f"words {k}"))
                self.add(picture(k, 64, 64))
                k += 1

        worker = threading.Thread(target=record)
        worker.start()
        try:
            for turn in range(5):
                self.place = self.folder / "out" / f"{turn}.zip"
                self.kept()
        finally:
            stop.set()
            worker.join()
        for turn in range(5):
            other = self.folder / f"other{turn}"
            restore(self.folder / "out" / f"{turn}.zip", other)
            again = JobStore(other / "jobs.sqlite")
            named = {e.payload.sha256 for e in again.trail(self.job) if e.payload.kind == "photo"}
            self.assertEqual(named, {file.stem for file in pictures.pictures_there(other)})
            again.close()

    def test_damage_is_found_and_nothing_is_restored(self) -> None:
        self.kept()
        whole = self.place.read_bytes()
        for place in range(200, len(whole), max(len(whole) // 40, 1)):
            damaged = self.folder / "damaged.zip"
            damaged.write_bytes(whole[:place] + bytes([whole[place] ^ 0x41]) + whole[place + 1:])
            target = self.folder / "target"
            try:
                restore(damaged, target)
            except DextrumError:
                self.assertFalse(target.exists(), place)
            else:  # the byte was of no account, such as a time
                self.assertEqual(rows(target / "jobs.sqlite"), rows(self.folder / "jobs.sqlite"))
                shutil.rmtree(target)
            self.assertEqual(list(self.folder.glob(".target.*")), [])

    def test_hostile_ones_are_refused(self) -> None:
        self.kept()
        with zipfile.ZipFile(self.place) as archive:
            files = {name: archive.read(name) for name in archive.namelist()}
        about = json.loads(files["backup.json"])
        for words, more in (("../evil", b"x"), ("/etc/evil", b"x"), ("other/evil", b"x"), ("packs/..\\evil", b"x")):
            hostile = self.folder / "hostile.zip"
            sums = {**about["files"], words: hashlib.sha256(more).hexdigest()}
            with zipfile.ZipFile(hostile, "w") as archive:
                for name, data in {**files, words: more,
                                   "backup.json": json.dumps({**about, "files": sums}).encode()}.items():
                    archive.writestr(name, data)
            with self.subTest(words), self.assertRaises(ImportRefusedError):
                restore(hostile, self.folder / "target")
        for key, value in (("jobs", []), ("entries", "many"), ("at", None), ("at", "x" * 9999)):
            lying = self.folder / "lying.zip"
            with zipfile.ZipFile(lying, "w") as archive:
                for name, data in {**files, "backup.json": json.dumps({**about, key: value}).encode()}.items():
                    archive.writestr(name, data)
            with self.subTest(key), self.assertRaises(ImportRefusedError):
                restore(lying, self.folder / "target")
        later = self.folder / "later.zip"
        with zipfile.ZipFile(later, "w") as archive:
            for name, data in {**files, "backup.json": json.dumps({**about, "schema": 2}).encode()}.items():
                archive.writestr(name, data)
        with self.assertRaisesRegex(ImportRefusedError, "later version"):
            Backup(later)
        for name in ("nothing.zip", "gone.zip"):
            (self.folder / "nothing.zip").write_bytes(b"nothing")
            with self.assertRaises(ImportRefusedError):
                restore(self.folder / name, self.folder / "target")

    def test_what_stands_there_stays(self) -> None:
        self.kept()
        with self.assertRaises(FileStandsError):
            self.kept()
        with self.assertRaisesRegex(ImportRefusedError, "not empty"):
            restore(self.place, self.folder)
        with self.assertRaises(ImportRefusedError):
            assert self.session.store.path is not None
            back_up(self.session.store.path, self.folder / "nowhere" / "x.zip", START)

    def test_stopped_or_wrongly_written_nothing_is_left(self) -> None:
        assert self.session.store.path is not None
        with self.assertRaises(StoppedError):
            back_up(self.session.store.path, self.place, START, told=lambda share: share < 0.2)
        self.assertEqual(list(self.place.parent.iterdir()), [])
        with mock.patch.object(backup.Backup, "checked", side_effect=ImportRefusedError("It is damaged.", "", "")), \
                self.assertRaises(StoreError):
            self.kept()
        self.assertEqual(list(self.place.parent.iterdir()), [])

    def test_its_age_is_said(self) -> None:
        store = self.session.store
        self.assertEqual(backup_words(store, START + timedelta(days=3)), "")
        self.assertIn("No backup of 20 days", backup_words(store, START + timedelta(days=20)))
        keep_backup(store, self.place, START + timedelta(days=20))
        self.assertEqual(backup_words(store, START + timedelta(days=30)), "")
        self.assertIn("20 days old", backup_words(store, START + timedelta(days=40)))
        store.set_setting(LAST, "nonsense")
        self.assertIn("No backup of 40 days", backup_words(store, START + timedelta(days=40)))

    def test_by_the_command_line(self) -> None:
        def run(*of: object) -> subprocess.CompletedProcess[str]:
            return subprocess.run([sys.executable, "-m", "dextrum", *map(str, of)], text=True, capture_output=True,
                                  cwd=ROOT, check=False)

        done = run("backup", self.place, "--data", self.folder)
        self.assertIn("1 job, 3 entries, 2 photos", done.stdout, done.stderr)
        self.assertEqual(run("backup", self.place, "--data", self.folder).returncode, 1)
        done = run("restore", self.place, "--data", self.folder / "new")
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertEqual(rows(self.folder / "new" / "jobs.sqlite"), rows(self.folder / "jobs.sqlite"))
        self.assertIn("not empty", run("restore", self.place, "--data", self.folder / "new").stderr)


class BackupWindowTest(WindowCase):
    def test_from_the_window(self) -> None:
        self.window.open_job(self.session.open_new_job("SLS-0941", DUO))
        self.settled()
        place = self.folder / "bench.backup.zip"
        self.window.commands.run("keep.backup")
        self.assertIn(".backup.zip", self.window.ask.field.text())
        self.window.ask.field.setText(str(place))
        self.key(Key.Key_Return)
        self.wait(lambda: "written and read back: 1 job" in self.window.trail.said.text(), what="for the backup")
        self.assertTrue(place.is_file())
        self.window.commands.run("keep.backup")
        self.window.ask.field.setText(str(place))
        self.key(Key.Key_Return)
        self.assertIn("is there", self.window.ask.trouble.text())


class OwnPackKeptTest(StoreCase):
    def test_own_packs_come_along(self) -> None:

        own = library_of(self.folder / "packs")
        pack = begin_pack(own, "Grip", "B", "usb-c-16", "", "back off 6")
        own.keep(own.board(pack))  # a step more: the one before is kept as well
        assert self.session.store.path is not None
        place = self.folder / "b.zip"
        back_up(self.session.store.path, place, START)
        restore(place, self.folder / "new")
        again = library_of(self.folder / "new" / "packs")
        self.assertEqual(again.board(pack), own.board(pack))
        self.assertTrue(again.take_step(pack, back=True))


if __name__ == "__main__":
    import unittest

    unittest.main()
