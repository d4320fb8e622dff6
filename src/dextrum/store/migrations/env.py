"""Alembic's entry point: runs on the connection that `store.database` hands over."""

from __future__ import annotations

from alembic import context

from dextrum.store.schema import metadata

connection = context.config.attributes["connection"]
context.configure(connection=connection, target_metadata=metadata, render_as_batch=True)
with context.begin_transaction():
    context.run_migrations()
