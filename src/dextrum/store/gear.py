"""Supplies, cables and docks of the bench, each with its record of when it proved good, or bad."""

from __future__ import annotations

import uuid
from dataclasses import dataclass
from datetime import datetime

import sqlalchemy as sa

from dextrum.core.trail import Gear
from dextrum.errors import EntryRefusedError
from dextrum.store.database import told_as_store_errors
from dextrum.store.jobs import JobStore
from dextrum.store.schema import gear as gear_table
from dextrum.store.schema import gear_proofs
from dextrum.tongue import tr

KINDS = ("supply", "cable", "dock")
LONGEST_NAME = 60


@dataclass(frozen=True)
class GearRecord:
    """proved_at: ISO time at which it last proved good, empty when it never did or has failed since; how: by what."""

    id: str
    kind: str
    name: str
    supply_class: str
    proved_at: str
    how: str
    failed: bool = False

    def as_used(self) -> Gear:
        """For an entry of the trail."""
        return Gear(self.kind, self.name, self.proved_at[:10])  # type: ignore[arg-type]


def list_gear(store: JobStore) -> tuple[GearRecord, ...]:
    """What is in use, by kind and name. Raises StoreError."""
    g, p = gear_table.c, gear_proofs.c
    with told_as_store_errors(tr("The list of supplies can't be read")), store.engine.connect() as db:
        pieces = db.execute(sa.select(g.id, g.kind, g.name, g.supply_class).where(g.retired_at == "")
                            .order_by(g.name, g.id)).all()
        last: dict[str, tuple[str, str, int]] = {}
        for gear_id, at, how, good in db.execute(sa.select(p.gear_id, p.at, p.how, p.good).order_by(p.at, p.id)):
            last[gear_id] = (at, how, good)
    found = []
    for identity, kind, name, supply_class in pieces:
        at, how, good = last.get(identity, ("", "", 1))
        found.append(GearRecord(identity, kind, name, supply_class, at if good else "", how, not good))
    return tuple(sorted(found, key=lambda record: KINDS.index(record.kind)))


def add_gear(store: JobStore, kind: str, name: str, supply_class: str, at: datetime) -> GearRecord:
    """A new piece; one of the same name that was put away comes back. Raises EntryRefusedError, StoreError."""
    name = " ".join(name.split())
    if kind not in KINDS or not name or len(name) > LONGEST_NAME:
        raise EntryRefusedError(tr("The name is empty or too long."), tr("Nothing was recorded."),
                                tr("Type what is written on it, such as S2."))
    identity = uuid.uuid4().hex
    with told_as_store_errors(tr("It was not recorded")), \
            store.engine.execution_options(writes=True).begin() as db:
        named = sa.and_(gear_table.c.kind == kind, gear_table.c.name == name)
        same = db.execute(sa.select(gear_table.c.id).where(named)).first()
        if same is None:
            db.execute(gear_table.insert().values(id=identity, kind=kind, name=name, supply_class=supply_class,
                                                  added_at=at.isoformat()))
        else:
            identity = str(same[0])
            db.execute(gear_table.update().where(gear_table.c.id == identity).values(
                retired_at="", supply_class=supply_class))
    return next(record for record in list_gear(store) if record.id == identity)


def prove_gear(store: JobStore, gear_id: str, good: bool, how: str, who: str, at: datetime) -> None:
    """Record that a piece has just proved good, or bad. Nothing recorded before is changed. Raises StoreError."""
    with told_as_store_errors(tr("It was not recorded")), \
            store.engine.execution_options(writes=True).begin() as db:
        db.execute(gear_proofs.insert().values(id=uuid.uuid4().hex, gear_id=gear_id, at=at.isoformat(), who=who,
                                               how=how, good=int(good)))


def retire_gear(store: JobStore, gear_id: str, at: datetime) -> None:
    """Put a piece away; its record stays. Raises StoreError."""
    with told_as_store_errors(tr("It was not recorded")), \
            store.engine.execution_options(writes=True).begin() as db:
        db.execute(gear_table.update().where(gear_table.c.id == gear_id).values(retired_at=at.isoformat()))
