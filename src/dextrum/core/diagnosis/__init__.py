"""Faults, likelihood, posterior, explanation."""
