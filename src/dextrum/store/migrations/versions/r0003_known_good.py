"""Known-good readings of the shop's own boards, and boards taken out again."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "known_good",
        sa.Column("id", sa.Text, primary_key=True),
        sa.Column("pack_id", sa.Text, nullable=False),
        sa.Column("board_serial", sa.Text, nullable=False),
        sa.Column("point", sa.Text, nullable=False),
        sa.Column("method", sa.Text, nullable=False),
        sa.Column("meter", sa.Text, nullable=False),
        sa.Column("value", sa.Text, nullable=False),
        sa.Column("board_celsius", sa.Float, nullable=True),
        sa.Column("taken_on", sa.Text, nullable=False, server_default=""),
        sa.Column("added_at", sa.Text, nullable=False),
    )
    op.create_index("known_good_by_pack", "known_good", ["pack_id"])
    op.create_table(
        "boards_taken_out",
        sa.Column("id", sa.Text, primary_key=True),
        sa.Column("pack_id", sa.Text, nullable=False),
        sa.Column("board_serial", sa.Text, nullable=False),
        sa.Column("out", sa.Integer, nullable=False),
        sa.Column("reason", sa.Text, nullable=False),
        sa.Column("who", sa.Text, nullable=False),
        sa.Column("at", sa.Text, nullable=False),
    )
