"""Weeks of a shop as they are met: when units come in, what was promised, what hands then take. Numbers of its own."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

UNITS_A_WEEK = (18.0, 34.0)
"""From a quiet week to more than one pair of hands can do."""
HANDS_MEDIAN, HANDS_SPREAD = 62.0, 0.6
"""Minutes of hands for a whole job, and the spread of their logarithm."""
SAID_SPREAD = 0.45
"""Of the logarithm, how far what was expected is from what it takes, where nothing else is asked for."""
CHANGING = {"hot air": 8.5, "meter": 0.5, "dock": 3.0}
"""Minutes that changing over takes in truth, by what is changed to: no shop knows its own."""
CHANGING_SPREAD = 0.4
"""Of the logarithm, from one time to the next."""
SHARES = (0.35, 0.4, 0.25)
"""Of hands: measuring, the repair, the proof."""
WAITS = ((0.0, 0.6), (20.0, 0.2), (90.0, 0.12), (1440.0, 0.08))
"""Minutes after measuring, and how often: none, a draw that has to be waited for, charging, a part in the post."""
COOLS = 10.0
CHARGES = (0.0, 30.0, 60.0)
PROMISED_DAYS = ((0.35, 0.1), (1.0, 0.35), (2.0, 0.35), (4.0, 0.2))
"""Days from coming in, and how often it was promised so."""
OPEN_AT_FIRST = 8


@dataclass(frozen=True)
class Arriving:
    """A unit of a week. at and due: minutes from Monday, midnight. said, true: hands' minutes of its three steps as
    expected, and as they turn out; waits: after each of them. changing: by which changing over before each of its
    steps takes longer than usual, as a factor."""

    at: float
    due: float
    said: tuple[float, float, float]
    true: tuple[float, float, float]
    waits: tuple[float, float, float]
    changing: tuple[float, float, float] = (1.0, 1.0, 1.0)


def week_of_units(generator: np.random.Generator, said_spread: float = SAID_SPREAD) -> tuple[Arriving, ...]:
    """One week, in the order of coming in: some are open on Monday, the rest come in on working days. said_spread: how
    far off what was expected is."""
    count = OPEN_AT_FIRST + int(generator.poisson(generator.uniform(*UNITS_A_WEEK) - OPEN_AT_FIRST))
    found = []
    for k in range(count):
        day = 0 if k < OPEN_AT_FIRST else int(generator.integers(5))
        at = 0.0 if k < OPEN_AT_FIRST else day * 1440.0 + generator.uniform(540.0, 1000.0)
        whole = HANDS_MEDIAN * float(np.exp(HANDS_SPREAD * generator.normal()))
        said = whole * float(np.exp(said_spread * generator.normal()))
        wait = float(generator.choice([w for w, _ in WAITS], p=[p for _, p in WAITS]))
        days = float(generator.choice([d for d, _ in PROMISED_DAYS], p=[p for _, p in PROMISED_DAYS]))
        shares = generator.dirichlet([12.0 * s for s in SHARES])
        found.append(Arriving(at, max(at, 540.0) + days * 1440.0,
                              _three(said * s for s in SHARES), _three(whole * s for s in shares),
                              (wait, COOLS, float(generator.choice(CHARGES))),
                              _three(np.exp(CHANGING_SPREAD * generator.normal(size=3)))))
    return tuple(sorted(found, key=lambda unit: unit.at))


def _three(values: object) -> tuple[float, float, float]:
    first, second, third = (float(v) for v in values)  # type: ignore[attr-defined]
    return first, second, third
