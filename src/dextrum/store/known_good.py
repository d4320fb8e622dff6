"""The shop's own known-good readings: added once whatever way they come; a board is taken out, never deleted."""

from __future__ import annotations

import hashlib
import uuid
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

import sqlalchemy as sa

from dextrum.core.board import Method
from dextrum.core.reference.known_good import KnownGoodReading
from dextrum.errors import EntryRefusedError
from dextrum.progress import Told, go_on, unheard
from dextrum.store.database import told_as_store_errors
from dextrum.store.jobs import JobStore
from dextrum.store.schema import boards_taken_out, known_good
from dextrum.tongue import tr

AT_ONCE = 500


def reading_id(pack_id: str, reading: KnownGoodReading) -> str:
    """The same for the same reading, so that two shops' libraries merge without doubles."""
    text = "|".join((pack_id, reading.board_serial, reading.point, reading.method.value, reading.meter,
                     _value_text(reading.value), reading.taken_on))
    return hashlib.sha256(text.encode()).hexdigest()[:32]


def _value_text(value: float) -> str:
    return "OL" if value == float("inf") else f"{value:.5g}"


@dataclass(frozen=True)
class TakenOut:
    """A board that no longer counts as known-good, and why."""

    board_serial: str
    reason: str
    at: str


def has_shop_readings(store: JobStore) -> bool:
    """Whether the shop has added or taken out anything. Raises StoreError."""
    with told_as_store_errors(tr("The library can't be read")), store.engine.connect() as db:
        return any(db.execute(sa.select(table.c.id).limit(1)).first() is not None
                   for table in (known_good, boards_taken_out))


def shop_readings(store: JobStore, pack_id: str) -> tuple[KnownGoodReading, ...]:
    """All that the shop has added for a pack, taken-out boards included. Raises StoreError."""
    k = known_good.c
    with told_as_store_errors(tr("The library can't be read")), store.engine.connect() as db:
        rows = db.execute(sa.select(k.board_serial, k.point, k.method, k.meter, k.value, k.board_celsius, k.taken_on)
                          .where(k.pack_id == pack_id).order_by(k.board_serial, k.point, k.id)).all()
    return tuple(KnownGoodReading(serial, point, Method(method), meter, float("inf") if value == "OL" else float(value),
                                  celsius, taken_on) for serial, point, method, meter, value, celsius, taken_on in rows)


def add_readings(store: JobStore, pack_id: str, readings: Sequence[KnownGoodReading], at: datetime,
                 told: Told = unheard) -> int:
    """Add what isn't there yet; returns how many were new. In portions, so that a job's entry never waits long for its
    turn: what is in stays in where a later portion fails, and is not taken twice. Raises StoreError, StoppedError."""
    rows = {reading_id(pack_id, r): r for r in readings}
    ids = list(rows)
    new = 0
    for start in range(0, len(ids), AT_ONCE):
        go_on(told, start / len(ids), tr("{new} readings were added.",
                                         new=new) if new else tr("Nothing was added to the library."))
        part = ids[start:start + AT_ONCE]
        with (
            told_as_store_errors(
                tr("Not all was added to the library") if new else tr("Nothing was added to the library")
            ),
            store.engine.execution_options(writes=True).begin() as db,
        ):
            there = {row[0] for row in db.execute(sa.select(known_good.c.id).where(known_good.c.id.in_(part)))}
            fresh = [{"id": i, "pack_id": pack_id, "board_serial": rows[i].board_serial, "point": rows[i].point,
                      "method": rows[i].method.value, "meter": rows[i].meter, "value": _value_text(rows[i].value),
                      "board_celsius": rows[i].board_celsius, "taken_on": rows[i].taken_on,
                      "added_at": at.isoformat()} for i in part if i not in there]
            if fresh:
                db.execute(known_good.insert(), fresh)
                new += len(fresh)
    return new


def taken_out(store: JobStore, pack_id: str) -> tuple[TakenOut, ...]:
    """Boards that don't count now. Raises StoreError."""
    t = boards_taken_out.c
    with told_as_store_errors(tr("The library can't be read")), store.engine.connect() as db:
        rows = db.execute(sa.select(t.board_serial, t.out, t.reason, t.at).where(t.pack_id == pack_id)
                          .order_by(t.at, t.id)).all()
    last = {serial: TakenOut(serial, reason, at) if out else None for serial, out, reason, at in rows}
    return tuple(found for _, found in sorted(last.items()) if found is not None)


def take_out(store: JobStore, pack_id: str, board_serial: str, reason: str, who: str, at: datetime,
             out: bool = True) -> None:
    """Take a board out of the references, or back. Raises EntryRefusedError without a reason, StoreError."""
    if out and not reason.strip():
        raise EntryRefusedError(
            tr("The reason is empty."), tr("Nothing was changed."), tr("A few words, to be understood later.")
        )
    with told_as_store_errors(tr("Nothing was changed in the library")), \
            store.engine.execution_options(writes=True).begin() as db:
        # The last word counts, so no two may bear the same time.
        last = db.execute(sa.select(sa.func.max(boards_taken_out.c.at)).where(
            boards_taken_out.c.pack_id == pack_id)).scalar()
        if last is not None and at <= datetime.fromisoformat(last):
            at = datetime.fromisoformat(last) + timedelta(microseconds=1)
        db.execute(boards_taken_out.insert().values(
            id=uuid.uuid4().hex, pack_id=pack_id, board_serial=board_serial, out=int(out), reason=reason.strip(),
            who=who, at=at.isoformat(timespec="microseconds")))
