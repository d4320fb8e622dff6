"""A job leaves as a file, and a file comes in as a job; a name that ends in zip has the pictures with it."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from dextrum.core.trail import Entry
from dextrum.progress import Told, part_of, unheard
from dextrum.store.job_file import read_job_file, write_job_file
from dextrum.store.jobs import JobStore

READING_SHARE = 0.5
"""Share of taking in a job that goes into reading its file, for the progress that is shown."""


@dataclass(frozen=True)
class ImportedJob:
    """new: how many entries were not here before; trail: the whole job as it is now."""

    job_id: str
    new: int
    trail: tuple[Entry, ...]


def export_job(store: JobStore, trail: tuple[Entry, ...], path: Path, over: bool = False) -> None:
    """Raises FileStandsError, ImportRefusedError, StoreError where a picture is gone."""
    if path.suffix.lower() == ".zip":
        from dextrum.store.job_zip import write_job_zip

        write_job_zip(path, trail, store.picture, over)
    else:
        write_job_file(path, trail, over)


def import_job(store: JobStore, path: Path, told: Told = unheard) -> ImportedJob:
    """Entries that are already here are not taken twice. May take long. Raises ImportRefusedError, StoreError,
    StoppedError."""
    if path.suffix.lower() == ".zip":
        from dextrum.store.job_zip import JobZip

        archive = JobZip(path)
        try:
            trail = archive.trail
            job_id, new = store.take_in(trail, unheard, archive.pictures(told))
        finally:
            archive.close()
    else:
        trail = read_job_file(path, part_of(told, 0.0, READING_SHARE))
        job_id, new = store.take_in(trail, part_of(told, READING_SHARE, 1.0))
    return ImportedJob(job_id, new, trail if new == len(trail) else store.trail(job_id))
