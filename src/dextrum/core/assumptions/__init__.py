"""Every number that the judgement assumes, with unit, range and reason. docs/assumptions.md has them as a table.

What a pack states (rates of failure, weights of symptoms, draws, minutes, prices, tolerances) and what a shop sets or
has learned (labour, false alarms, its own rates and boards) is theirs, and stands with them.
"""
