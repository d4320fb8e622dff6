"""Which parts jobs took, counted again whenever a trail's reworks change; a cache of the trails."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from typing import TYPE_CHECKING

import sqlalchemy as sa

from dextrum.core.stock.lots import PartUse
from dextrum.core.stock.uses import failed_by_return, uses_of
from dextrum.core.trail import Entry
from dextrum.store.database import told_as_store_errors
from dextrum.store.schema import part_uses as table
from dextrum.tongue import tr

if TYPE_CHECKING:
    from dextrum.store.jobs import JobStore

IN_ITS_JOB, BY_RETURN = 1, 2
"""How a part failed, added up: found bad in the job that took it; replaced again when its unit came back, which stands
in the trail of the later job."""


def renew_uses(db: sa.Connection, job_id: str, trail: Sequence[Entry]) -> None:
    """Inside the write of the entries that changed them. A unit that came back tells of its earlier job's parts."""
    returned = {row[0] for row in db.execute(sa.select(table.c.entry_id).where(
        table.c.job_id == job_id, table.c.failed >= BY_RETURN))}
    db.execute(table.delete().where(table.c.job_id == job_id))
    rows = [{"entry_id": use.entry_id, "job_id": job_id, "serial": use.serial, "pack_id": use.pack_id,
             "part": use.part, "lot": use.lot, "at": use.at.isoformat(),
             "failed": IN_ITS_JOB * use.failed + BY_RETURN * (use.entry_id in returned), "amount": use.amount}
            for use in uses_of(job_id, trail)]
    if rows:
        db.execute(table.insert(), rows)
    before, again = failed_by_return(trail)
    if before:
        own = table.c.failed % BY_RETURN
        db.execute(table.update().where(table.c.job_id == before).values(failed=sa.case(
            (table.c.part.in_(sorted(again)), own + BY_RETURN), else_=own)))


def part_uses(store: JobStore, lot_only: bool = True, since: str = "") -> tuple[PartUse, ...]:
    """In the order of time. lot_only: those that name a lot or donor; since: an ISO time in UTC. Raises StoreError."""
    t = table.c
    query = sa.select(t.entry_id, t.job_id, t.serial, t.pack_id, t.part, t.lot, t.at, t.failed, t.amount).order_by(t.at)
    if lot_only:
        query = query.where(t.lot != "")
    if since:
        query = query.where(t.at >= since)
    with told_as_store_errors(tr("The parts used can't be read")), store.engine.connect() as db:
        return tuple(PartUse(*row[:6], datetime.fromisoformat(row[6]), bool(row[7]), row[8])
                     for row in db.execute(query))
