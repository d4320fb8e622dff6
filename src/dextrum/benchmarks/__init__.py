"""Measures of speed and memory against the budgets."""
