"""Numbered upgrades of the database, run by Alembic; see `store.database`."""
