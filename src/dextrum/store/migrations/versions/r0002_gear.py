"""Supplies, cables and docks of the bench, and when each proved good."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "gear",
        sa.Column("id", sa.Text, primary_key=True),
        sa.Column("kind", sa.Text, nullable=False),
        sa.Column("name", sa.Text, nullable=False),
        sa.Column("supply_class", sa.Text, nullable=False, server_default=""),
        sa.Column("added_at", sa.Text, nullable=False),
        sa.Column("retired_at", sa.Text, nullable=False, server_default=""),
        sa.UniqueConstraint("kind", "name", name="gear_by_name"),
    )
    op.create_table(
        "gear_proofs",
        sa.Column("id", sa.Text, primary_key=True),
        sa.Column("gear_id", sa.Text, sa.ForeignKey("gear.id"), nullable=False),
        sa.Column("at", sa.Text, nullable=False),
        sa.Column("who", sa.Text, nullable=False),
        sa.Column("how", sa.Text, nullable=False),
        sa.Column("good", sa.Integer, nullable=False),
    )
