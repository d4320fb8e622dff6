"""One job with its pictures as a zip: job.json, and photos/ by content. Described in docs/job-format.md."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Callable, Iterator
from pathlib import Path

from dextrum.core.trail import Entry
from dextrum.errors import ImportRefusedError
from dextrum.progress import Told, go_on, unheard
from dextrum.store import pictures
from dextrum.store.files import read_beginning, write_through
from dextrum.store.job_file import MOST_BYTES, job_bytes, parse_job
from dextrum.tongue import tr

JOB = "job.json"
MOST_PICTURES = 2000
MOST_TOTAL_BYTES = 4_000_000_000
WHEN = (2026, 1, 1, 0, 0, 0)
"""The time of every file inside, so that one job always gives one zip."""


def is_job_zip(path: Path) -> bool:
    """Whether a file is a zip with a job in it."""
    try:
        read_beginning(path, 4, MOST_TOTAL_BYTES)
        with zipfile.ZipFile(path) as archive:
            return JOB in archive.namelist()
    except (ImportRefusedError, OSError, zipfile.BadZipFile, ValueError):
        return False


def write_job_zip(path: Path, trail: tuple[Entry, ...], read: Callable[[str], bytes], over: bool = False,
                  told: Told = unheard) -> None:
    """read: a picture by its content. One picture is in memory at a time. Raises FileStandsError, ImportRefusedError,
    StoreError where a picture is gone, StoppedError; then nothing is left."""
    names = pictures.pictures_of(trail)

    def write(out: io.BufferedWriter) -> None:
        with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
            archive.writestr(zipfile.ZipInfo(JOB, WHEN), job_bytes(trail), zipfile.ZIP_DEFLATED)
            for place, name in enumerate(names):
                go_on(told, place / len(names), tr("Nothing was written."))
                # A JPEG does not get smaller.
                archive.writestr(zipfile.ZipInfo(f"photos/{name}.jpg", WHEN), read(name), zipfile.ZIP_STORED)

    write_through(path, write, over)


class JobZip:
    """A zip of a job that was opened and checked: its names, sizes and the job; pictures are read one by one.

    Raises ImportRefusedError for what is no such zip or holds anything else.
    """

    def __init__(self, path: Path) -> None:
        read_beginning(path, 4, MOST_TOTAL_BYTES)  # a regular file of a size that can be
        try:
            self._archive = zipfile.ZipFile(path)
            files = self._archive.infolist()
        except (OSError, zipfile.BadZipFile, ValueError) as problem:
            raise _refused(path, tr("is no zip that can be read ({problem})", problem=str(problem)[:60])) from None
        self.path = path
        self._sizes = {file.filename: file.file_size for file in files}
        wrong = next((name for name in self._sizes if name != JOB and not _is_picture(name)), "")
        if wrong or JOB not in self._sizes or len(self._sizes) != len(files):
            raise _refused(path, tr("holds {wrong!r}",
                                    wrong=wrong[:60]) if wrong else tr("holds no job, or a file twice"))
        if len(files) > MOST_PICTURES + 1 or sum(self._sizes.values()) > MOST_TOTAL_BYTES:
            raise _refused(path, tr("holds too much"))
        self.trail = parse_job(path.name, self._read(JOB, MOST_BYTES))
        self.names = pictures.pictures_of(self.trail)
        missing = [name for name in self.names if f"photos/{name}.jpg" not in self._sizes]
        if missing:
            raise _refused(path, tr("lacks {count} of the pictures that its job names", count=len(missing)))

    def close(self) -> None:
        self._archive.close()

    def pictures(self, told: Told = unheard) -> Iterator[bytes]:
        """Those that the job names, checked. Raises ImportRefusedError, StoppedError."""
        for place, name in enumerate(self.names):
            go_on(told, place / len(self.names), tr("Nothing was taken in."))
            data = self._read(f"photos/{name}.jpg", pictures.MOST_BYTES)
            if pictures.content_of(data) != name:
                raise _refused(self.path, tr("holds a picture that is not the one its job names"))
            pictures.picture_size(data)
            yield data

    def _read(self, name: str, most: int) -> bytes:
        """What is said of a size may be a lie, so no more is read than may be."""
        try:
            with self._archive.open(name) as file:
                data = file.read(most + 1)
        except (OSError, zipfile.BadZipFile, RuntimeError, NotImplementedError, EOFError, ValueError) as problem:
            raise _refused(self.path, tr("can't be read ({problem})", problem=str(problem)[:60])) from None
        except Exception as problem:  # the unpackers' own errors, such as zlib's, have no common kind
            raise _refused(self.path, tr("is broken ({name__})", name__=type(problem).__name__)) from None
        if len(data) > most:
            raise _refused(self.path, tr("has a file of more than {most:.0f} MB", most=most / 1000000.0))
        return data


def _is_picture(name: str) -> bool:
    folder, _, file = name.partition("/")
    stem, _, suffix = file.partition(".")
    return folder == "photos" and suffix == "jpg" and len(stem) == 64 and set(stem) <= set("0123456789abcdef")


def _refused(path: Path, why: str) -> ImportRefusedError:
    return ImportRefusedError(
        f"{path.name[:80]} {why}.", tr("Nothing was taken in."), tr("Check where the file comes from.")
    )
