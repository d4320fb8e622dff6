"""Packs made at the bench: from a unit nobody has described to a pack that judges."""
