"""Entries to and from JSON: typed, versioned, and open to read ('OL' stands for an open reading)."""

from __future__ import annotations

import json
import uuid
from datetime import UTC, datetime
from functools import cache
from typing import Annotated, Any

from pydantic import Field, TypeAdapter, ValidationError

from dextrum.core.trail import Entry, Payload
from dextrum.errors import ImportRefusedError, StoreError

VERSIONS = {"intake": 2, "look": 3, "board_look": 2, "cell": 2, "supply": 2, "readings": 2}
"""Version of each payload kind that has changed since its first. Older ones read as they are: what was added has a
default. intake 2: signs. look 2: loose anchors; 3: signs. board_look 2: bridged. cell 2: a new one.
supply 2: switched, position, supply_class, gear, named. readings 2: test_milliamps, turned."""

FIRST_YEAR, LAST_YEAR = 1990, 2200
"""Years of entries: beyond them a time can't be brought to every zone."""


def payload_version(kind: str) -> int:
    return VERSIONS.get(kind, 1)


@cache
def _adapter() -> TypeAdapter[Payload]:
    return TypeAdapter(Annotated[Payload, Field(discriminator="kind")])


def payload_schema() -> dict[str, Any]:
    """JSON Schema of all payloads."""
    return _adapter().json_schema()


def new_entry(payload: Payload, who: str, at: datetime | None = None) -> Entry:
    """An entry with a fresh id; `at` defaults to now, in UTC."""
    return Entry(uuid.uuid4().hex, at or datetime.now(UTC), who, payload)


def payload_to_json(payload: Payload) -> dict[str, Any]:
    """Plain JSON values; inf in readings becomes 'OL'."""
    data: dict[str, Any] = _adapter().dump_python(payload, mode="json")
    if data["kind"] == "readings":
        for reading, source in zip(data["readings"], payload.readings, strict=True):  # type: ignore[union-attr]
            if source.value == float("inf"):
                reading["value"] = "OL"
    return data


def payload_from_json(data: dict[str, Any], version: int) -> Payload:
    """The payload of a JSON object. Raises ValueError with the place and what is wrong."""
    newest = payload_version(str(data.get("kind")))
    if version > newest:
        raise ValueError(f"entry version {version}; expected at most {newest}")
    if data.get("kind") == "readings" and isinstance(data.get("readings"), list):
        data = {**data, "readings": [
            {**r, "value": float("inf")} if isinstance(r, dict) and r.get("value") == "OL" else r
            for r in data["readings"]]}
    try:
        return _adapter().validate_python(data)
    except ValidationError as bad:
        error = bad.errors(include_url=False)[0]
        place = " · ".join(str(step) for step in error["loc"])
        raise ValueError(f"{place or 'entry'}: {error['msg']}") from None


def entry_to_json(entry: Entry) -> dict[str, Any]:
    return {"id": entry.id, "at": entry.at.astimezone(UTC).isoformat(), "who": entry.who,
            "version": payload_version(entry.payload.kind), "payload": payload_to_json(entry.payload)}


def entry_from_json(data: dict[str, Any]) -> Entry:
    """Raises ImportRefusedError when the object is not an entry."""
    try:
        at = datetime.fromisoformat(str(data["at"]))
        if at.tzinfo is None:
            raise ValueError("the time has no zone; expected UTC")
        if not FIRST_YEAR <= at.year <= LAST_YEAR:
            raise ValueError(f"the year is {at.year}; expected {FIRST_YEAR} to {LAST_YEAR}")
        identity = str(data["id"])
        if not identity or len(identity) > 64:
            raise ValueError("the id is empty or too long")
        return Entry(identity, at.astimezone(UTC), str(data["who"]),
                     payload_from_json(dict(data["payload"]), int(data["version"])))
    except (KeyError, TypeError, ValueError, OverflowError, RecursionError) as bad:
        raise ImportRefusedError(f"An entry can't be read ({bad}).", "Nothing was taken in.",
                                 "Export the job again where it came from.") from None


def decode_row(identity: str, at: str, who: str, version: int, payload: str) -> Entry:
    """An entry from its database row. Raises StoreError when the row is damaged."""
    try:
        return Entry(identity, datetime.fromisoformat(at), who, payload_from_json(json.loads(payload), version))
    except (ValueError, RecursionError) as bad:
        raise StoreError(f"An entry of this job can't be read ({bad}).",
                         "It is left in the file as it is.", "Export the other jobs and report this.") from None
