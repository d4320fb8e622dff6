"""Why a job waits and until when are two columns; jobs are found in the order in which they came in."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("jobs", sa.Column("waits_until", sa.Text(), nullable=False, server_default=""))
    jobs = sa.table("jobs", *(sa.column(name, sa.Text) for name in ("id", "waits_for", "waits_until")))
    db = op.get_bind()
    waiting = sa.select(jobs.c.id, jobs.c.waits_for).where(jobs.c.waits_for.contains("|"))
    for identity, waits in db.execute(waiting).all():
        why, _, until = waits.rpartition("|")
        db.execute(jobs.update().where(jobs.c.id == identity).values(waits_for=why, waits_until=until))
    op.create_index("jobs_by_arrival", "jobs", ["opened_at"])
    op.create_index("jobs_open_by_arrival", "jobs", ["outcome", "opened_at"])
    op.create_index("jobs_waiting", "jobs", ["outcome", "waits_until"])
    op.create_index("jobs_by_serial", "jobs", ["serial", "opened_at"])
    op.create_index("jobs_of_pack", "jobs", ["pack_id", "opened_at"])
