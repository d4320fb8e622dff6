"""The tables. Columns of `jobs` beyond its identity, and `part_uses`, are a cache, computed from the trail at every
append."""

from __future__ import annotations

from sqlalchemy import Column, Float, ForeignKey, Index, Integer, MetaData, Table, Text, UniqueConstraint, text

metadata = MetaData()
OWN_UNIT = text("kind = 'own_unit'")

jobs = Table(
    "jobs", metadata,
    Column("id", Text, primary_key=True),
    Column("serial", Text, nullable=False),
    Column("model", Text, nullable=False),
    Column("pack_id", Text, nullable=False),
    Column("opened_at", Text, nullable=False),
    Column("stage", Text, nullable=False),
    Column("waits_for", Text, nullable=False, server_default=""),
    Column("waits_until", Text, nullable=False, server_default=""),
    Column("due", Text, nullable=False, server_default=""),
    Column("outcome", Text, nullable=False, server_default=""),
    Column("changed_at", Text, nullable=False),
    Column("closed_at", Text, nullable=False, server_default=""),
    Column("search_text", Text, nullable=False, server_default=""),
    Index("jobs_by_outcome", "outcome", "changed_at"),
    Index("jobs_by_arrival", "opened_at"),
    Index("jobs_open_by_arrival", "outcome", "opened_at"),
    Index("jobs_waiting", "outcome", "waits_until"),
    Index("jobs_by_serial", "serial", "opened_at"),
    Index("jobs_of_pack", "pack_id", "opened_at"),
    Index("jobs_by_closing", "closed_at"),
)

entries = Table(
    "entries", metadata,
    Column("id", Text, primary_key=True),
    Column("job_id", Text, ForeignKey("jobs.id"), nullable=False),
    Column("position", Integer, nullable=False),
    Column("at", Text, nullable=False),
    Column("who", Text, nullable=False),
    Column("kind", Text, nullable=False),
    Column("version", Integer, nullable=False),
    Column("payload", Text, nullable=False),
    UniqueConstraint("job_id", "position", name="entries_in_order"),
    # The migration makes it partial on PostgreSQL as well; to say so here would load that dialect at every start.
    Index("entries_of_own_units", "job_id", sqlite_where=OWN_UNIT),
)

settings = Table(
    "settings", metadata,
    Column("key", Text, primary_key=True),
    Column("value", Text, nullable=False),
)

gear = Table(
    "gear", metadata,
    Column("id", Text, primary_key=True),
    Column("kind", Text, nullable=False),
    Column("name", Text, nullable=False),
    Column("supply_class", Text, nullable=False, server_default=""),
    Column("added_at", Text, nullable=False),
    Column("retired_at", Text, nullable=False, server_default=""),
    UniqueConstraint("kind", "name", name="gear_by_name"),
)

gear_proofs = Table(
    "gear_proofs", metadata,
    Column("id", Text, primary_key=True),
    Column("gear_id", Text, ForeignKey("gear.id"), nullable=False),
    Column("at", Text, nullable=False),
    Column("who", Text, nullable=False),
    Column("how", Text, nullable=False),
    Column("good", Integer, nullable=False),
)

known_good = Table(
    "known_good", metadata,
    Column("id", Text, primary_key=True),
    Column("pack_id", Text, nullable=False),
    Column("board_serial", Text, nullable=False),
    Column("point", Text, nullable=False),
    Column("method", Text, nullable=False),
    Column("meter", Text, nullable=False),
    Column("value", Text, nullable=False),
    Column("board_celsius", Float, nullable=True),
    Column("taken_on", Text, nullable=False, server_default=""),
    Column("added_at", Text, nullable=False),
    Index("known_good_by_pack", "pack_id"),
)

boards_taken_out = Table(
    "boards_taken_out", metadata,
    Column("id", Text, primary_key=True),
    Column("pack_id", Text, nullable=False),
    Column("board_serial", Text, nullable=False),
    Column("out", Integer, nullable=False),
    Column("reason", Text, nullable=False),
    Column("who", Text, nullable=False),
    Column("at", Text, nullable=False),
)

ledger = Table(
    "ledger", metadata,
    Column("id", Text, primary_key=True),
    Column("position", Integer, nullable=False, unique=True),
    Column("at", Text, nullable=False),
    Column("who", Text, nullable=False),
    Column("kind", Text, nullable=False),
    Column("version", Integer, nullable=False),
    Column("payload", Text, nullable=False),
)

part_uses = Table(
    "part_uses", metadata,
    Column("entry_id", Text, primary_key=True),
    Column("job_id", Text, ForeignKey("jobs.id"), nullable=False),
    Column("serial", Text, nullable=False),
    Column("pack_id", Text, nullable=False),
    Column("part", Text, nullable=False),
    Column("lot", Text, nullable=False),
    Column("at", Text, nullable=False),
    Column("failed", Integer, nullable=False),
    Column("amount", Float, nullable=False, server_default="1"),
    Index("part_uses_of_job", "job_id"),
    Index("part_uses_by_time", "at"),
)

REVISIONS = ("0001", "0002", "0003", "0004", "0005")
"""Known revisions, oldest first. A file at any other revision was written by a later version."""
