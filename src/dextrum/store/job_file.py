"""job.json: one whole job in the open, importable again without loss. Described in docs/job-format.md."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

from dextrum.core.trail import Entry, JobOpened
from dextrum.errors import ImportRefusedError
from dextrum.store.entries import entry_from_json, entry_to_json

FORMAT = "dextrum-job"
SCHEMA = 1
MOST_BYTES = 64_000_000
MOST_ENTRIES = 200_000


def job_to_json(trail: tuple[Entry, ...]) -> dict[str, Any]:
    return {"format": FORMAT, "schema": SCHEMA, "entries": [entry_to_json(entry) for entry in trail]}


def write_job_file(path: Path, trail: tuple[Entry, ...]) -> None:
    """Written beside and moved into place, so a half-written file never has the name."""
    text = json.dumps(job_to_json(trail), indent=1, ensure_ascii=False, allow_nan=False)
    part = path.with_name(path.name + ".part")
    try:
        part.write_text(text + "\n", encoding="utf-8")
        part.replace(path)
    except OSError as problem:
        part.unlink(missing_ok=True)
        raise ImportRefusedError(f"{path.name} was not written ({problem.strerror}).", "The job is kept.",
                                 "Choose another place.") from problem


def _refuse(what: str) -> ImportRefusedError:
    return ImportRefusedError(what, "Nothing was taken in.", "Check where the file comes from.")


def _no_constant(name: str) -> float:
    raise ValueError(f"{name} is not a number here")


def read_job_file(path: Path) -> tuple[Entry, ...]:
    """The trail in a job file. Raises ImportRefusedError; then nothing of it is used."""
    try:
        if path.stat().st_size > MOST_BYTES:
            raise _refuse(f"{path.name} is larger than {MOST_BYTES // 1_000_000} MB.")
        data = json.loads(path.read_text(encoding="utf-8"), parse_constant=_no_constant)
    except OSError as problem:
        raise _refuse(f"{path.name} can't be read ({problem.strerror}).") from problem
    except (ValueError, RecursionError) as problem:
        raise _refuse(f"{path.name} is not a job file ({str(problem)[:80]}).") from None
    if not isinstance(data, dict) or data.get("format") != FORMAT:
        raise _refuse(f"{path.name} is not a job file.")
    if data.get("schema") != SCHEMA:
        raise _refuse(f"{path.name} has schema {data.get('schema')!r}; this version reads {SCHEMA}.")
    rows = data.get("entries")
    if not isinstance(rows, list) or not rows or len(rows) > MOST_ENTRIES:
        raise _refuse(f"{path.name} has no entries, or too many.")
    trail = tuple(entry_from_json(row if isinstance(row, dict) else {}) for row in rows)
    if not isinstance(trail[0].payload, JobOpened):
        raise _refuse(f"{path.name} does not begin with the opening of a job.")
    return trail
