"""A draw profile learned from good units' traces: at which levels they stay, how long, and what follows.

Spells (`draw.spells`) of all traces are put together where their levels agree (single linkage on volts and amps: a gap
larger than the reach parts two states); the first state of a trace is where a healthy unit begins. What a fault shows
is not learned from healthy units: no draw, and a supply that protects itself, are stated with the same widths as in the
shipped packs.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from dextrum.core.board import DrawOutcome, DrawState
from dextrum.core.draw.spells import Spell
from dextrum.tongue import tr

REACH_VOLTS, REACH_AMPS, REACH_SHARE = 0.35, 0.03, 0.15
"""How far two spells of one state may be apart: cables and meters differ by a third of a volt; a charger's steps are a
tenth of an ampere and more. Ranges 0.2 to 0.6 V, 0.02 to 0.06 A, 10 to 25 %."""
LEAST_SECONDS = 8.0
"""A shorter spell is on the way from one state to the next: plugging in, negotiating. Range 3 to 20."""
UNSEEN = 0.1
"""Chance that a good unit shows a state which no trace has shown yet: falls with the number of traces (rule of
succession)."""
LEARNED = tr("learned from")
"""How the meaning of a learned state begins."""
STATED = frozenset({"none", "cycling"})
"""States that no good unit shows."""
STEADY_SPREAD_VOLTS, STEADY_SPREAD_SHARE, STEADY_LEAST_AMPS = 0.15, 0.12, 0.01
"""Between units of a model, as the shipped packs state it."""


@dataclass(frozen=True)
class Profile:
    """states and outcomes as a pack has them; traces: how many it was learned from."""

    states: tuple[DrawState, ...]
    outcomes: tuple[DrawOutcome, ...]
    traces: int


def learned_profile(traces: Sequence[Sequence[Spell]], supply_class: str, ways: Sequence[str] = ("",),
                    path: str = "supply_path", short: str = "supply_clear", inside: str = "inside") -> Profile:
    """From the spells of each healthy trace. ways: functions without which nothing is drawn, '{o}' for the way up.
    path, short, inside: the functions that carry the supply. No states where no spell is long enough."""
    long = [[s for s in spells if s.seconds >= LEAST_SECONDS and s.pattern != "irregular"] for spells in traces]
    long = [spells for spells in long if spells]
    flat = [spell for spells in long for spell in spells]
    if not flat:
        return Profile((), (), 0)
    of = _clusters(flat)
    names = {k: f"level_{place}" for place, k in enumerate(dict.fromkeys(of), start=1)}
    placed = iter(of)
    by_trace = [[next(placed) for _ in spells] for spells in long]
    states = tuple(_state(names[k], [s for s, own in zip(flat, of, strict=True) if own == k], supply_class,
                          _follow(k, by_trace, names), any(t[0] == k for t in by_trace), len(long))
                   for k in dict.fromkeys(of))
    none = DrawState("none", tr("no draw"), tr("supply line open, or nothing asks for it"), 5.1, 0.2, 0.0, 0.006,
                     supply_class=supply_class)
    cycling = DrawState("cycling", tr("on and off in a steady rhythm"),
                        tr("something is shorted and the supply protects itself"), 3.4, 1.3, 0.4, 0.3, "blinking",
                        supply_class=supply_class, period_seconds=1.6)
    first = [names[t[0]] for t in by_trace]
    unseen = max(UNSEEN, 1.0 / (len(long) + 2))
    begins = {name: (1.0 - unseen) * first.count(name) / len(first) for name in dict.fromkeys(first)}
    outcomes = [DrawOutcome(short, {"cycling": 0.7, "none": 0.15, "unknown": 0.15}, supply_class),
                DrawOutcome(path, {"none": 0.9, "unknown": 0.1}, supply_class),
                *(DrawOutcome(way, {"none": 0.85, "unknown": 0.15}, supply_class) for way in ways if way),
                DrawOutcome(inside, {"none": 0.3, "unknown": 0.7}, supply_class),
                DrawOutcome("", {**begins, "unknown": 1.0 - sum(begins.values())}, supply_class)]
    dark = all(state.amps > REACH_AMPS for state in states)
    return Profile((*((none,) if dark else ()), *states, cycling), tuple(outcomes) if dark else (), len(long))


def _clusters(spells: Sequence[Spell]) -> list[int]:
    """The number of the state of each spell."""
    volts, amps = (np.array([getattr(s, what) for s in spells]) for what in ("volts", "amps"))
    reach = np.maximum(REACH_AMPS, REACH_SHARE * np.maximum(amps[:, None], amps[None, :]))
    alike = (np.abs(volts[:, None] - volts[None, :]) <= REACH_VOLTS) & (
        np.abs(amps[:, None] - amps[None, :]) <= reach)
    alike &= np.array([[one.pattern == other.pattern for other in spells] for one in spells])
    of = list(range(len(spells)))
    for one in range(len(spells)):
        for other in np.flatnonzero(alike[one]).tolist():
            if of[one] != of[other]:
                low, high = sorted((of[one], of[other]))
                of = [low if k == high else k for k in of]
    return of


def _follow(state: int, traces: Sequence[Sequence[int]], names: dict[int, str]) -> tuple[str, ...]:
    after = [names[two] for trace in traces for one, two in pairwise(trace)
             if one == state and two != state]
    return tuple(dict.fromkeys(after))


def _state(name: str, spells: Sequence[Spell], supply_class: str, followed_by: tuple[str, ...], begins: bool,
           traces: int) -> DrawState:
    volts, amps = np.array([s.volts for s in spells]), np.array([s.amps for s in spells])
    blinking = spells[0].pattern == "blinking"
    minutes = np.array([s.seconds for s in spells]) / 60.0
    spread = max(float(amps.std()), STEADY_SPREAD_SHARE * float(amps.mean()), STEADY_LEAST_AMPS)
    rhythm = spells[0].rhythm
    learned = tr("{learned} {traces} good trace{s}", learned=LEARNED, traces=traces,
                 s="s" if traces != 1 else "")
    return DrawState(
        name, f"{volts.mean():.1f} V {amps.mean():.2f} A", learned, round(float(volts.mean()), 3),
        round(max(float(volts.std()), STEADY_SPREAD_VOLTS), 3), round(float(amps.mean()), 4), round(spread, 4),
        "blinking" if blinking else "steady", round(float(np.median(minutes)), 2) if followed_by else 0.0, 0.8,
        followed_by, supply_class, "part_charged" if begins else "",
        period_seconds=round(rhythm.period_seconds, 3) if blinking and rhythm is not None else None)
