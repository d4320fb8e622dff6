"""Proof: what is said of checks."""
