"""The shop's ledger, and which parts jobs took: of older jobs as their reworks say."""

from __future__ import annotations

import json

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "ledger",
        sa.Column("id", sa.Text, primary_key=True),
        sa.Column("position", sa.Integer, nullable=False, unique=True),
        sa.Column("at", sa.Text, nullable=False),
        sa.Column("who", sa.Text, nullable=False),
        sa.Column("kind", sa.Text, nullable=False),
        sa.Column("version", sa.Integer, nullable=False),
        sa.Column("payload", sa.Text, nullable=False),
    )
    op.create_table(
        "part_uses",
        sa.Column("entry_id", sa.Text, primary_key=True),
        sa.Column("job_id", sa.Text, sa.ForeignKey("jobs.id"), nullable=False),
        sa.Column("serial", sa.Text, nullable=False),
        sa.Column("pack_id", sa.Text, nullable=False),
        sa.Column("part", sa.Text, nullable=False),
        sa.Column("lot", sa.Text, nullable=False),
        sa.Column("at", sa.Text, nullable=False),
        sa.Column("failed", sa.Integer, nullable=False),
        sa.Column("amount", sa.Float, nullable=False, server_default="1"),
    )
    op.create_index("part_uses_of_job", "part_uses", ["job_id"])
    op.create_index("part_uses_by_time", "part_uses", ["at"])
    op.add_column("jobs", sa.Column("closed_at", sa.Text, nullable=False, server_default=""))
    op.execute("update jobs set closed_at = coalesce((select max(at) from entries where entries.job_id = jobs.id "
               "and entries.kind = 'outcome'), changed_at) where outcome <> ''")
    op.create_index("jobs_by_closing", "jobs", ["closed_at"])
    own = sa.text("kind = 'own_unit'")
    op.create_index("entries_of_own_units", "entries", ["job_id"], sqlite_where=own, postgresql_where=own)
    _fill()


def _fill() -> None:
    """Older reworks name no lot; they still say how many of a part a week takes."""
    db = op.get_bind()
    text = sa.Text
    entries = sa.table("entries", *(sa.column(n, text) for n in ("id", "job_id", "at", "kind", "payload")),
                       sa.column("position", sa.Integer))
    jobs = sa.table("jobs", *(sa.column(n, text) for n in ("id", "serial", "pack_id")))
    uses = sa.table("part_uses", *(sa.column(n, text) for n in (
        "entry_id", "job_id", "serial", "pack_id", "part", "lot", "at")), sa.column("failed", sa.Integer))
    struck: dict[str, bool] = {}
    for identity, payload in db.execute(sa.select(entries.c.id, entries.c.payload).where(
            entries.c.kind == "strike").order_by(entries.c.job_id, entries.c.position.desc())):
        target = _plain(payload).get("entry", "")
        if not struck.get(identity):
            struck[str(target)] = True
    rows: list[dict[str, object]] = []
    found = db.execute(sa.select(entries.c.id, entries.c.job_id, entries.c.at, entries.c.payload, jobs.c.serial,
                                 jobs.c.pack_id).join(jobs, jobs.c.id == entries.c.job_id).where(
        entries.c.kind == "rework").order_by(entries.c.job_id, entries.c.position)).all()
    last: dict[tuple[str, str], dict[str, object]] = {}
    for identity, job, at, payload, serial, pack in found:
        plain = _plain(payload)
        part = str(plain.get("part", ""))
        if plain.get("action") != "replace" or struck.get(identity) or not part:
            continue
        if (job, part) in last:
            last[job, part]["failed"] = 1
        row: dict[str, object] = {"entry_id": identity, "job_id": job, "serial": serial, "pack_id": pack,
                                  "part": part, "lot": "", "at": at, "failed": 0}
        last[job, part] = row
        rows.append(row)
    if rows:
        db.execute(uses.insert(), rows)


def _plain(payload: str) -> dict[str, object]:
    """What can't be read says nothing."""
    try:
        found = json.loads(payload)
    except ValueError:
        return {}
    return found if isinstance(found, dict) else {}
