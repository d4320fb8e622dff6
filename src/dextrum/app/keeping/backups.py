"""Backups of the bench in hand: written, noted, and missed where the last one is long ago."""

from __future__ import annotations

from datetime import datetime
from pathlib import Path

from dextrum.errors import StoreError
from dextrum.progress import Told, unheard
from dextrum.store.backup import WARN_AFTER_DAYS, BackedUp, back_up
from dextrum.store.jobs import JobStore
from dextrum.tongue import tr

LAST, LAST_PLACE = "backup.at", "backup.place"


def keep_backup(store: JobStore, place: Path, now: datetime, over: bool = False, told: Told = unheard) -> BackedUp:
    """Write a backup, and note when. Raises as `back_up`; StoreError for jobs that are kept on a server."""
    if store.path is None:
        raise StoreError(
            tr("These jobs are kept on a server."), tr("No backup was written."), tr("Use the server's own backup.")
        )
    store.must_stand()
    done = back_up(store.path, place, now, over, told)
    store.set_setting(LAST, now.isoformat())
    store.set_setting(LAST_PLACE, str(place.parent))
    return done


def usual_place(store: JobStore, now: datetime) -> Path:
    """A new file where the last one went, else in the home folder."""
    kept = store.setting(LAST_PLACE)
    folder = Path(kept) if kept and Path(kept).is_dir() else Path.home()
    return folder / f"dextrum-{now.astimezone():%Y-%m-%d}.backup.zip"


def backup_words(store: JobStore, now: datetime) -> str:
    """That the last backup is long ago, or that there is none though there is much to lose; else nothing."""
    if store.path is None:
        return ""
    begun = store.first_opened()
    at = store.setting(LAST)
    try:
        last = datetime.fromisoformat(at) if at else None
    except ValueError:
        last = None
    since = last or begun
    if since is None or begun is None or (now - since).days < WARN_AFTER_DAYS:
        return ""
    days = (now - since).days
    return (tr("The last backup is {days} days old.",
               days=days) if last is not None else tr("No backup of {days} days of work yet.", days=days)) \
        + tr(" Program, Back up… writes one.")
