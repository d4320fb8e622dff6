"""Entries to and from JSON: typed, versioned, and open to read ('OL' stands for an open reading)."""

from __future__ import annotations

import json
import uuid
from dataclasses import dataclass
from datetime import UTC, datetime
from functools import cache
from typing import Annotated, Any, cast

from pydantic import Field, TypeAdapter, ValidationError

from dextrum.core.trail import ENTRY_KINDS, Entry, Payload
from dextrum.errors import ImportRefusedError, StoreError
from dextrum.store.strict_words import shown, wrong_words
from dextrum.tongue import tr

FIRST_YEAR, LAST_YEAR = 1990, 2200
"""Years of entries: beyond them a time can't be brought to every zone."""


def payload_version(kind: str) -> int:
    """The newest version of a kind; 1 for one that nobody knows."""
    return ENTRY_KINDS[kind].version if kind in ENTRY_KINDS else 1


@cache
def _adapter(kind: str) -> TypeAdapter[Payload]:
    """Of one kind, made when the first of it is met: all of them together take a noticeable part of the start."""
    return TypeAdapter(cast("Any", ENTRY_KINDS[kind]))


def payload_schema() -> dict[str, Any]:
    """JSON Schema of all payloads."""
    return TypeAdapter[Payload](Annotated[Payload, Field(discriminator="kind")]).json_schema()


def new_entry(payload: Payload, who: str, at: datetime | None = None) -> Entry:
    """An entry with a fresh id; `at` defaults to now, in UTC."""
    return Entry(uuid.uuid4().hex, at or datetime.now(UTC), who, payload)


def payload_to_json(payload: Payload) -> dict[str, Any]:
    """Plain JSON values."""
    return payload.as_written(_adapter(payload.kind).dump_python(payload, mode="json"))


def payload_from_json(data: dict[str, Any], version: int) -> Payload:
    """The payload of a JSON object. Raises ValueError with the place and what is wrong."""
    kind = str(data.get("kind"))
    newest = payload_version(kind)
    if version > newest:
        raise ValueError(tr("entry version {version}; expected at most {newest}", version=version, newest=newest))
    if kind not in ENTRY_KINDS:
        raise ValueError(f"entry: there is no kind {kind[:40]!r}; expected one of {', '.join(sorted(ENTRY_KINDS))}")
    try:
        return _adapter(kind).validate_python(ENTRY_KINDS[kind].as_read(data))
    except ValidationError as bad:
        error = bad.errors(include_url=False)[0]
        place = " · ".join(str(step) for step in (kind, *error["loc"]))
        raise ValueError(wrong_words(error, place)) from None


def entry_to_json(entry: Entry) -> dict[str, Any]:
    return {"id": entry.id, "at": entry.at.astimezone(UTC).isoformat(), "who": entry.who,
            "version": payload_version(entry.payload.kind), "payload": payload_to_json(entry.payload)}


@dataclass(frozen=True)
class Envelope:
    """What stands round a payload in a file; what else does is left alone."""

    id: str
    at: str
    who: str
    version: int
    payload: dict[str, Any]


@cache
def _envelope() -> TypeAdapter[Envelope]:
    return TypeAdapter(Envelope)


def _moment(text: str) -> datetime:
    """Raises ValueError with what was expected."""
    try:
        return datetime.fromisoformat(text)
    except ValueError:
        raise ValueError(tr("at is {shown}; expected a date with a time", shown=shown(text))) from None


def entry_from_json(data: object, number: int = 1) -> Entry:
    """number: of the entry in its file, from 1. Raises ImportRefusedError when the object is not an entry."""
    try:
        said = _envelope().validate_python(data)
        at = _moment(said.at)
        if at.tzinfo is None:
            raise ValueError(tr("the time has no zone; expected UTC"))
        if not FIRST_YEAR <= at.year <= LAST_YEAR:
            raise ValueError(tr("the year is {year}; expected {first_year} to {last_year}", year=at.year,
                                first_year=FIRST_YEAR, last_year=LAST_YEAR))
        if not said.id or len(said.id) > 64:
            raise ValueError(tr("the id is empty or too long"))
        return Entry(said.id, at.astimezone(UTC), said.who, payload_from_json(said.payload, said.version))
    except (TypeError, ValueError, OverflowError, RecursionError) as bad:
        wrong = bad
        if isinstance(bad, ValidationError):
            first = bad.errors(include_url=False)[0]
            wrong = ValueError(wrong_words(first, " · ".join(map(str, first["loc"])) or tr("the entry")))
        raise ImportRefusedError(tr("Entry {number} can't be read ({bad}).", number=number, bad=wrong),
                                 tr("Nothing was taken in."), tr("Export the job again where it came from.")) from None


def decode_row(identity: str, at: str, who: str, version: int, payload: str) -> Entry:
    """An entry from its database row. Raises StoreError when the row is damaged."""
    try:
        return Entry(identity, datetime.fromisoformat(at), who, payload_from_json(json.loads(payload), version))
    except (ValueError, RecursionError) as bad:
        raise StoreError(tr("An entry of this job can't be read ({bad}).", bad=bad),
                         tr("It is left in the file as it is."), tr("Export the other jobs and report this.")) from None
