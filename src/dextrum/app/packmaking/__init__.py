"""Packs made at the bench: begun in half a minute, and taught by good units."""
