"""The shop's ledger: lines are committed before `add_lines` returns; none is ever changed or deleted."""

from __future__ import annotations

import json
import uuid
from collections.abc import Sequence
from datetime import datetime
from functools import cache
from typing import Any, cast

import sqlalchemy as sa
from pydantic import TypeAdapter, ValidationError

from dextrum.core.ledger.lines import LINE_KINDS, Line, LinePayload
from dextrum.errors import StoreError
from dextrum.store.database import told_as_store_errors
from dextrum.store.jobs import JobStore
from dextrum.store.schema import ledger as table
from dextrum.store.strict_words import wrong_words
from dextrum.tongue import tr


@cache
def _adapter(kind: str) -> TypeAdapter[LinePayload]:
    return TypeAdapter(cast("Any", LINE_KINDS[kind]))


def line_to_json(payload: LinePayload) -> dict[str, Any]:
    """Plain JSON values; amounts as text."""
    found: dict[str, Any] = _adapter(payload.kind).dump_python(payload, mode="json")
    return found


def line_from_json(data: dict[str, Any]) -> LinePayload:
    """Raises ValueError with what is wrong."""
    kind = str(data.get("kind"))
    if kind not in LINE_KINDS:
        raise ValueError(tr("there is no line of kind {kind!r}", kind=kind[:40]))
    try:
        return _adapter(kind).validate_python(LINE_KINDS[kind].as_read(data))
    except ValidationError as bad:
        error = bad.errors(include_url=False)[0]
        raise ValueError(wrong_words(error, " · ".join(str(step) for step in error["loc"]))) from None


def add_lines(store: JobStore, payloads: Sequence[LinePayload], who: str, at: datetime) -> tuple[Line, ...]:
    """Commit lines, all or none. Raises StoreError."""
    store.must_stand()
    new = tuple(Line(uuid.uuid4().hex, at, who, payload) for payload in payloads)
    with told_as_store_errors(tr("The ledger was not written")), \
            store.engine.execution_options(writes=True).begin() as db:
        last = db.execute(sa.select(sa.func.coalesce(sa.func.max(table.c.position), -1))).scalar_one()
        if new:
            db.execute(table.insert(), [
                {"id": line.id, "position": last + 1 + k, "at": at.isoformat(), "who": who, "kind": line.payload.kind,
                 "version": LINE_KINDS[line.payload.kind].version, "payload": json.dumps(line_to_json(line.payload))}
                for k, line in enumerate(new)])
    return new


def lines(store: JobStore) -> tuple[Line, ...]:
    """All lines in order. One that can't be read is left in the file, and not counted. Raises StoreError."""
    t = table.c
    with told_as_store_errors(tr("The ledger can't be read")), store.engine.connect() as db:
        rows = db.execute(sa.select(t.id, t.at, t.who, t.kind, t.version, t.payload).order_by(t.position)).all()
    found = []
    for identity, at, who, kind, version, payload in rows:
        if kind in LINE_KINDS and version > LINE_KINDS[kind].version:
            raise StoreError(tr("The ledger was written by a later version of Dextrum."), tr("It is left untouched."),
                             tr("Start that version."))
        try:
            found.append(Line(identity, datetime.fromisoformat(at), who, line_from_json(json.loads(payload))))
        except (ValueError, AttributeError):
            continue
    return tuple(found)


def has_lines(store: JobStore) -> bool:
    """Whether the shop keeps a ledger at all. Raises StoreError."""
    with told_as_store_errors(tr("The ledger can't be read")), store.engine.connect() as db:
        return db.execute(sa.select(table.c.id).limit(1)).first() is not None
