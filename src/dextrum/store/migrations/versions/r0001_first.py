"""Jobs, entries, settings."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0001"
down_revision = None
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "jobs",
        sa.Column("id", sa.Text, primary_key=True),
        sa.Column("serial", sa.Text, nullable=False),
        sa.Column("model", sa.Text, nullable=False),
        sa.Column("pack_id", sa.Text, nullable=False),
        sa.Column("opened_at", sa.Text, nullable=False),
        sa.Column("stage", sa.Text, nullable=False),
        sa.Column("waits_for", sa.Text, nullable=False, server_default=""),
        sa.Column("due", sa.Text, nullable=False, server_default=""),
        sa.Column("outcome", sa.Text, nullable=False, server_default=""),
        sa.Column("changed_at", sa.Text, nullable=False),
        sa.Column("search_text", sa.Text, nullable=False, server_default=""),
    )
    op.create_index("jobs_by_outcome", "jobs", ["outcome", "changed_at"])
    op.create_table(
        "entries",
        sa.Column("id", sa.Text, primary_key=True),
        sa.Column("job_id", sa.Text, sa.ForeignKey("jobs.id"), nullable=False),
        sa.Column("position", sa.Integer, nullable=False),
        sa.Column("at", sa.Text, nullable=False),
        sa.Column("who", sa.Text, nullable=False),
        sa.Column("kind", sa.Text, nullable=False),
        sa.Column("version", sa.Integer, nullable=False),
        sa.Column("payload", sa.Text, nullable=False),
        sa.UniqueConstraint("job_id", "position", name="entries_in_order"),
    )
    op.create_table(
        "settings",
        sa.Column("key", sa.Text, primary_key=True),
        sa.Column("value", sa.Text, nullable=False),
    )
