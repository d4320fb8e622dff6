"""Open the job database: SQLite in WAL with full synchronisation, or PostgreSQL by its URL.

An older file is upgraded after a copy has been put beside it; a newer one is refused and left untouched.
"""

from __future__ import annotations

import os
import sqlite3
from collections.abc import Iterator
from contextlib import closing, contextmanager
from pathlib import Path
from typing import Any

import sqlalchemy as sa
from sqlalchemy.exc import DBAPIError

from dextrum.errors import NewerStoreError, StoreError
from dextrum.store.files import PRIVATE_FILE, PRIVATE_FOLDER, keep_private
from dextrum.store.schema import REVISIONS
from dextrum.tongue import tr

BUSY_SECONDS = 1.5
"""How long a write waits for another window's; the technician waits with it."""


def _refused(problem: Exception, what: str) -> StoreError:
    text = str(getattr(problem, "orig", problem)).lower()
    kept = tr("What was recorded before is kept.")
    if "locked" in text or "busy" in text:
        return StoreError(tr("{what}: the file is held by another program.", what=what), kept,
                          tr("Wait a moment and try again."))
    if "full" in text:
        return StoreError(tr("{what}: the disk is full.", what=what), kept, tr("Make room and try again."))
    if "malformed" in text or "not a database" in text:
        return StoreError(tr("{what}: the file is damaged.", what=what), tr("It is left as it is."),
                          tr("Start with another file (--data) and restore a copy."))
    if "readonly" in text or "read-only" in text or "unable to open" in text:
        return StoreError(tr("{what}: the place can't be written to.", what=what), kept,
                          tr("Check the folder's rights."))
    return StoreError(f"{what} ({text[:120]}).", kept, tr("Try again; if it stays, start with a copy."))


@contextmanager
def told_as_store_errors(what: str) -> Iterator[None]:
    """Turn the database's own errors into StoreError."""
    try:
        yield
    except (DBAPIError, sqlite3.Error, OSError) as problem:
        raise _refused(problem, what) from problem


def file_revision(path: Path) -> str | None:
    """The revision of an existing SQLite file, read without writing; None for a new or empty one.

    Raises StoreError when the file is no database.
    """
    if not path.exists() or path.stat().st_size == 0:
        return None
    with told_as_store_errors(tr("The job file can't be opened")), \
            closing(sqlite3.connect(f"{path.resolve().as_uri()}?mode=ro", uri=True, timeout=BUSY_SECONDS)) as db:
        names = {row[0] for row in db.execute("select name from sqlite_master where type = 'table'")}
        if "alembic_version" not in names:
            if names:
                raise StoreError(tr("The file is a database of another program."), tr("It is left as it is."),
                                 tr("Name another file with --data."))
            return None
        row = db.execute("select version_num from alembic_version").fetchone()
        return str(row[0]) if row else None


def file_identity(path: Path) -> tuple[int, int] | None:
    """Device and inode of the file at a path, None where there is none."""
    try:
        about = path.stat()
    except OSError:
        return None
    return about.st_dev, about.st_ino


def holds_entry(path: Path, entry: str) -> bool:
    """Whether the file at the path holds an entry, asked over a connection of its own."""
    try:
        with closing(sqlite3.connect(f"{path.resolve().as_uri()}?mode=ro", uri=True, timeout=BUSY_SECONDS)) as db:
            return db.execute("select 1 from entries where id = ?", (entry,)).fetchone() is not None
    except (sqlite3.Error, OSError, ValueError):
        return False


def copy_whole(path: Path, copy: Path) -> None:
    """A copy of a job file with what still stands in its write-ahead log."""
    with closing(sqlite3.connect(path, timeout=BUSY_SECONDS)) as source, closing(sqlite3.connect(copy)) as target:
        source.backup(target)


def _configure_sqlite(engine: sa.Engine) -> None:
    @sa.event.listens_for(engine, "connect")
    def on_connect(connection: Any, _record: Any) -> None:
        connection.isolation_level = None
        cursor = connection.cursor()
        cursor.execute(f"pragma busy_timeout = {int(BUSY_SECONDS * 1000)}")
        cursor.execute("pragma journal_mode = wal")
        cursor.execute("pragma synchronous = full")
        cursor.execute("pragma foreign_keys = on")
        cursor.close()

    @sa.event.listens_for(engine, "begin")
    def on_begin(connection: sa.Connection) -> None:
        connection.exec_driver_sql("begin immediate" if connection.get_execution_options().get("writes")
                                   else "begin")


def _upgrade(engine: sa.Engine) -> None:
    # Alembic takes half a second to import, so only a file that needs an upgrade pays for it.
    from alembic import command
    from alembic.config import Config

    config = Config()
    config.set_main_option("script_location", "dextrum.store:migrations")
    with engine.execution_options(writes=True).begin() as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, "head")


def _is_ours(name: str) -> bool:
    """Whether a file of a data folder is one of the program's own."""
    return (name in ("packs", "simbench.json", "photos", "meters") or name.startswith(("jobs.", "demo"))
            or name.endswith((".live.csv", ".part")))


def open_engine(place: Path | str) -> sa.Engine:
    """An engine on a file or a database URL, at the newest revision.

    Raises NewerStoreError when it was written by a later version, StoreError when it can't be used.
    """
    if isinstance(place, str) and "://" in place:
        engine = sa.create_engine(place)
        with told_as_store_errors(tr("The job database can't be opened")):
            with engine.connect() as connection:
                revision = _server_revision(connection)
            _check_known(revision)
            if revision != REVISIONS[-1]:
                _upgrade(engine)
        return engine
    path = Path(place)
    revision = file_revision(path)
    _check_known(revision)
    with told_as_store_errors(tr("The job file can't be opened")):
        fresh = not path.parent.exists()
        path.parent.mkdir(parents=True, exist_ok=True, mode=PRIVATE_FOLDER)
        own = fresh or all(_is_ours(file.name) for file in path.parent.iterdir())
        if revision is None:
            os.close(os.open(path, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, PRIVATE_FILE))
        keep_private(path.parent, own)
        if revision is not None and revision != REVISIONS[-1]:
            copy_whole(path, path.with_suffix(f".before-{REVISIONS[-1]}{path.suffix}"))
        engine = sa.create_engine(sa.URL.create("sqlite", database=str(path)))
        _configure_sqlite(engine)
        if revision != REVISIONS[-1]:
            _upgrade(engine)
        else:
            with engine.connect():
                pass
    return engine


def _server_revision(connection: sa.Connection) -> str | None:
    if not sa.inspect(connection).has_table("alembic_version"):
        return None
    row = connection.execute(sa.text("select version_num from alembic_version")).fetchone()
    return str(row[0]) if row else None


def _check_known(revision: str | None) -> None:
    if revision is not None and revision not in REVISIONS:
        raise NewerStoreError(tr("The job file was written by a later version of Dextrum."),
                              tr("It is left untouched."),
                              tr("Start that version, or name another file with --data."))
