"""One file of everything a bench keeps: written while it works, checked, and restored into an empty folder.

The database is copied by its own backup call first; then the pictures. A picture that the copy names was on the disk
before its entry was, so none is missing. The file is a zip; backup.json in it names each file with its SHA-256.
"""

from __future__ import annotations

import hashlib
import io
import json
import shutil
import sqlite3
import tempfile
import zipfile
from collections.abc import Iterable, Iterator
from contextlib import closing
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path, PurePosixPath

from dextrum.errors import FileStandsError, ImportRefusedError, StoreError
from dextrum.progress import Told, go_on, unheard
from dextrum.store import pictures
from dextrum.store.database import copy_whole, file_revision, told_as_store_errors
from dextrum.store.files import PRIVATE_FILE, PRIVATE_FOLDER, read_beginning, sync_folder, write_through
from dextrum.store.schema import REVISIONS
from dextrum.tongue import tr

FORMAT, SCHEMA = "dextrum-backup", 1
ABOUT, JOBS = "backup.json", "jobs.sqlite"
BESIDE = ("packs", "recipes", "meters")
"""Folders of a bench beside its job file and its pictures."""
MOST_BYTES = 200_000_000_000
MOST_FILES = 500_000
CHUNK = 1 << 20
WARN_AFTER_DAYS = 14
"""A bench that has recorded something since, and has no backup younger than this, is told so."""


@dataclass(frozen=True)
class BackedUp:
    """What a backup holds. at: ISO time with a zone."""

    at: str
    jobs: int
    entries: int
    pictures: int
    bytes: int

    @property
    def words(self) -> str:
        return (tr("{jobs} job{s}, {entries} entr{ies}, {pictures} photo{s2}, {bytes:.1f} MB", jobs=self.jobs,
                   s="s" * (self.jobs != 1), entries=self.entries, ies="y" if self.entries == 1 else "ies",
                   pictures=self.pictures, s2="s" * (self.pictures != 1), bytes=self.bytes / 1000000.0))


def back_up(database: Path, place: Path, now: datetime, over: bool = False, told: Told = unheard) -> BackedUp:
    """Write everything beside a job file into one file, and read it back. now: with a zone. May take long.

    Raises FileStandsError, ImportRefusedError where it can't be written, StoreError where what was written is not what
    was read, StoppedError; then nothing is left of it.
    """
    if place.exists() and not over:
        raise FileStandsError(tr("{place} stands there already.",
                                 place=place.name[:80]), tr("It is kept."), tr("Name another."))
    if not place.parent.is_dir():
        raise ImportRefusedError(tr("There is no folder {parent}.",
                                    parent=place.parent.name[:80]), tr("Nothing was written."),
                                 tr("Name one that is there."))
    folder = database.parent
    with tempfile.TemporaryDirectory(prefix=".backup-", dir=place.parent) as beside:
        copy = Path(beside) / JOBS
        with told_as_store_errors(tr("The backup was not written")):
            copy_whole(database, copy)
            jobs, entries, named = _counted(copy)
        with told_as_store_errors(tr("The backup was not written")):
            files = _files(folder, copy, named)
            whole = sum(path.stat().st_size for _, path in files)
        sums: dict[str, str] = {}

        def write(out: io.BufferedWriter) -> None:
            done = 0
            with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED, allowZip64=True) as archive:
                for name, path in files:
                    digest = hashlib.sha256()
                    with path.open("rb") as source, \
                            archive.open(zipfile.ZipInfo(name), "w", force_zip64=True) as target:
                        while chunk := source.read(CHUNK):
                            go_on(told, 0.5 * done / max(whole, 1), tr("Nothing was written."))
                            digest.update(chunk)
                            target.write(chunk)
                            done += len(chunk)
                    sums[name] = digest.hexdigest()
                about = {"format": FORMAT, "schema": SCHEMA, "at": now.isoformat(), "jobs": jobs, "entries": entries,
                         "files": sums}
                archive.writestr(zipfile.ZipInfo(ABOUT), json.dumps(about, indent=1))

        write_through(place, write, over)
    try:
        with Backup(place) as backup:
            for _ in backup.checked(lambda share: told(0.5 + 0.5 * share)):
                pass
    except ImportRefusedError as problem:
        place.unlink(missing_ok=True)
        raise StoreError(
            tr("The backup is not what was written ({happened})", happened=problem.happened),
            tr("The bench's own data are as they were."),
            tr("Write it to another disk."),
        ) from problem
    return BackedUp(now.isoformat(), jobs, entries, sum(name.startswith(pictures.FOLDER) for name in sums), whole)


def _files(folder: Path, copy: Path, named: Iterable[str]) -> list[tuple[str, Path]]:
    """Name in the backup, and where it lies: the copy of the database, the pictures it names, packs and recipes."""
    kept = [(f"{pictures.FOLDER}/{name[:2]}/{name}.jpg", pictures.place_of(folder, name)) for name in named]
    return [(JOBS, copy), *((name, path) for name, path in kept if path.is_file()),
            *((str(PurePosixPath(*path.relative_to(folder).parts)), path) for path in _beside(folder))]


def _counted(copy: Path) -> tuple[int, int, tuple[str, ...]]:
    """Jobs, entries, and the pictures that entries name, of a sound copy. Raises StoreError, sqlite3.Error."""
    with closing(sqlite3.connect(copy)) as db:
        db.execute("pragma journal_mode = delete")
        if db.execute("pragma integrity_check").fetchone() != ("ok",):
            raise StoreError(tr("The job file is damaged."), tr("No backup was written."),
                             tr("Keep it as it is, and ask for help."))
        named: dict[str, None] = {}
        for (payload,) in db.execute("select payload from entries where kind = 'photo'"):
            found = json.loads(payload)
            named[str(found.get("sha256", ""))] = None
        return (int(db.execute("select count(*) from jobs").fetchone()[0]),
                int(db.execute("select count(*) from entries").fetchone()[0]), tuple(name for name in named if name))


def _beside(folder: Path) -> Iterator[Path]:
    """The shop's own packs, steps before them included, and its recipes."""
    for name in BESIDE:
        for path in sorted((folder / name).rglob("*")):
            if path.is_file() and not path.is_symlink() and ".new" not in "/".join(path.parts):
                yield path


class Backup:
    """A backup that was opened. Raises ImportRefusedError for what is none."""

    def __init__(self, place: Path) -> None:
        read_beginning(place, 4, MOST_BYTES)
        self._place = place
        try:
            self._archive = zipfile.ZipFile(place)
            with self._archive.open(ABOUT) as file:
                about = json.loads(file.read(100_000_000).decode("utf-8"))
        except (OSError, zipfile.BadZipFile, KeyError, ValueError, RecursionError, RuntimeError,
                NotImplementedError) as problem:
            raise self._refused(tr("is no backup ({problem})", problem=str(problem)[:60])) from None
        if not isinstance(about, dict) or about.get("format") != FORMAT:
            raise self._refused(tr("is no backup"))
        if about.get("schema") != SCHEMA:
            raise self._refused(tr("was written by a later version"))
        files = about.get("files")
        if not isinstance(files, dict) or len(files) > MOST_FILES or JOBS not in files or not all(
                isinstance(value, str) and _is_inside(name) for name, value in files.items()):
            raise self._refused(tr("names files that can't be"))
        if set(self._archive.namelist()) != {*files, ABOUT}:
            raise self._refused(tr("does not hold what it names"))
        self.files: dict[str, str] = files
        at, jobs, entries = about.get("at"), about.get("jobs"), about.get("entries")
        if not (isinstance(at, str) and len(at) < 60 and isinstance(jobs, int) and isinstance(entries, int)):
            raise self._refused(tr("does not say what it holds"))
        self.told = BackedUp(at, jobs, entries,
                             sum(name.startswith(f"{pictures.FOLDER}/") for name in files),
                             sum(info.file_size for info in self._archive.infolist()))

    def __enter__(self) -> Backup:
        return self

    def __exit__(self, *_of: object) -> None:
        self._archive.close()

    def _refused(self, why: str) -> ImportRefusedError:
        return ImportRefusedError(f"{self._place.name[:80]} {why}.", tr("Nothing was restored."),
                                  tr("Name a file that Dextrum has written as a backup."))

    def checked(self, told: Told = unheard, into: Path | None = None) -> Iterator[str]:
        """Each file read whole and compared with its sum; into: a folder to write them to. Raises ImportRefusedError,
        StoppedError, OSError."""
        done = 0
        for name, wanted in self.files.items():
            digest = hashlib.sha256()
            target = None if into is None else into.joinpath(*PurePosixPath(name).parts)
            if target is not None:
                target.parent.mkdir(parents=True, exist_ok=True, mode=PRIVATE_FOLDER)
            try:
                with self._archive.open(name) as source, open(target or "/dev/null", "wb") as out:
                    while chunk := source.read(CHUNK):
                        go_on(told, min(done / max(self.told.bytes, 1), 1.0), tr("Nothing was restored."))
                        digest.update(chunk)
                        out.write(chunk)
                        done += len(chunk)
            except (zipfile.BadZipFile, RuntimeError, NotImplementedError, EOFError, ValueError) as problem:
                raise self._refused(tr("is damaged at {name} ({problem})", name=name[:60],
                                       problem=str(problem)[:60])) from None
            if digest.hexdigest() != wanted:
                raise self._refused(tr("is damaged at {name}", name=name[:60]))
            if target is not None:
                target.chmod(PRIVATE_FILE)
            yield name


def _is_inside(name: str) -> bool:
    """Whether a name stays within the folder, and is one that a bench has."""
    parts = PurePosixPath(name).parts
    return bool(parts) and len(name) < 400 and ".." not in parts and not name.startswith("/") and "\\" not in name \
        and "\0" not in name and (name == JOBS or parts[0] in (pictures.FOLDER, *BESIDE))


def restore(place: Path, folder: Path, told: Told = unheard) -> BackedUp:
    """A bench as it was backed up, in a folder that is empty or not there yet. May take long.

    Raises ImportRefusedError for what is no backup, is damaged or comes from a later version, and for a folder that
    holds something; StoreError where it can't be written, StoppedError. Then the folder is as it was.
    """
    if folder.exists() and (not folder.is_dir() or any(folder.iterdir())):
        raise ImportRefusedError(
            tr("{folder} is not empty.", folder=folder.name[:80]),
            tr("Nothing was restored, and nothing there was changed."),
            tr("Name an empty folder, or one that is not there yet."),
        )
    with Backup(place) as backup, told_as_store_errors(tr("Nothing was restored")):
        folder.parent.mkdir(parents=True, exist_ok=True)
        beside = Path(tempfile.mkdtemp(prefix=f".{folder.name}.", dir=folder.parent))
        try:
            for _ in backup.checked(told, beside):
                pass
            revision = file_revision(beside / JOBS)
            if revision not in REVISIONS:
                raise ImportRefusedError(tr("The backup was written by a later version of Dextrum."),
                                         tr("Nothing was restored."),
                                         tr("Start that version."))
            if folder.exists():
                folder.rmdir()
            beside.chmod(PRIVATE_FOLDER)
            beside.rename(folder)
            sync_folder(folder.parent)
        except BaseException:
            shutil.rmtree(beside, ignore_errors=True)
            raise
        return backup.told
