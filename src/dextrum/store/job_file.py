"""job.json: one whole job in the open, importable again without loss. Described in docs/job-format.md."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

from dextrum.core.trail import Entry, JobOpened
from dextrum.errors import ImportRefusedError
from dextrum.progress import Told, go_on, unheard
from dextrum.store.entries import entry_from_json, entry_to_json
from dextrum.store.files import read_bounded, write_beside
from dextrum.tongue import tr

FORMAT = "dextrum-job"
SCHEMA = 1
MOST_BYTES = 64_000_000
MOST_ENTRIES = 200_000
TOLD_EVERY = 1000
"""Entries between two words of progress."""


def job_to_json(trail: tuple[Entry, ...]) -> dict[str, Any]:
    return {"format": FORMAT, "schema": SCHEMA, "entries": [entry_to_json(entry) for entry in trail]}


def job_bytes(trail: tuple[Entry, ...]) -> bytes:
    """What stands in the file of a job."""
    text = json.dumps(job_to_json(trail), indent=1, ensure_ascii=False, allow_nan=False)
    return f"{text}\n".encode("utf-8", "replace")


def write_job_file(path: Path, trail: tuple[Entry, ...], over: bool = False) -> None:
    """One job as a file. Raises FileStandsError, ImportRefusedError, see `write_beside`."""
    write_beside(path, job_bytes(trail), over)


def _refuse(what: str) -> ImportRefusedError:
    return ImportRefusedError(what, tr("Nothing was taken in."), tr("Check where the file comes from."))


def _no_constant(name: str) -> float:
    raise ValueError(tr("{name} is not a number here", name=name))


def _finite(text: str) -> float:
    value = float(text)
    if value in (float("inf"), float("-inf")):
        raise ValueError(tr("{text} is beyond any number here", text=text[:20]))
    return value


def read_job_file(path: Path, told: Told = unheard) -> tuple[Entry, ...]:
    """The trail in a job file. Raises ImportRefusedError, StoppedError; then nothing of it is used."""
    return parse_job(path.name, read_bounded(path, MOST_BYTES), told)


def parse_job(name: str, content: bytes, told: Told = unheard) -> tuple[Entry, ...]:
    """The same, of a file that was read. name: what it is called in words."""
    try:
        data = json.loads(content.decode("utf-8-sig"), parse_constant=_no_constant, parse_float=_finite)
        json.dumps(data, ensure_ascii=False).encode("utf-8")  # a lone half of a surrogate pair is no text
    except (ValueError, RecursionError) as problem:
        raise _refuse(tr("{name} is not a job file ({problem}).", name=name, problem=str(problem)[:80])) from None
    if not isinstance(data, dict) or data.get("format") != FORMAT:
        raise _refuse(tr("{name} is not a job file.", name=name))
    if data.get("schema") != SCHEMA:
        raise _refuse(tr("{name} has schema {get!r}; this version reads {schema}.", name=name, get=data.get("schema"),
                         schema=SCHEMA))
    rows = data.get("entries")
    if not isinstance(rows, list) or not rows or len(rows) > MOST_ENTRIES:
        raise _refuse(tr("{name} has no entries, or too many.", name=name))
    read = []
    for place, row in enumerate(rows):
        if place % TOLD_EVERY == 0:
            go_on(told, place / len(rows))
        read.append(entry_from_json(row, place + 1))
    trail = tuple(read)
    if not isinstance(trail[0].payload, JobOpened):
        raise _refuse(tr("{name} does not begin with the opening of a job.", name=name))
    return trail
