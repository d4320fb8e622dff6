"""How likely a trace is under each regime, and the states it went through: a hidden semi-Markov model over spells.

The spells of a trace are emitted by the profile's states; how long a state is kept is part of the model, not only that
it is kept. S.-Z. Yu, Hidden semi-Markov models, Artificial Intelligence 174 (2010). A spell counts once, however many
samples it has: what scatters is the unit's level, not the meter.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from dextrum.core.board import DrawState
from dextrum.core.draw.dwell import stay_chance
from dextrum.core.draw.profile import DrawProfile, Regime
from dextrum.core.draw.spells import Spell
from dextrum.core.draw.states import AMPS_RANGE, LEAST_AMPS_SPREAD, UNKNOWN_SHARE, VOLTS_RANGE
from dextrum.core.log_sum import log_sum

PATTERNS = ("steady", "falling", "rising", "blinking", "irregular")
PATTERN_CHANCE = {
    "steady": (0.959, 0.03, 1e-3, 0.01, 1e-4),
    "falling": (0.38, 0.61, 1e-12, 0.01, 1e-4),
    "blinking": (0.08, 0.005, 0.005, 0.91, 5e-4),
}
UNKNOWN_PATTERN = (0.35, 0.15, 0.15, 0.15, 0.20)
"""Chance of each of PATTERNS in a spell of a state of that pattern; the last for the unknown."""
LOG_PERIODS = 7.0
PERIOD_SPREAD = 1.0
EDGE_SLACK = 0.03
EDGE_SECONDS = 3.0
MOST_SPELLS = 120
LEAST_CHANCE = 1e-12
FALL_SHARE, FALL_AMPS, FALL_SECONDS = 0.15, 0.03, 120.0
STEEP_SHARE, STEEP_AMPS, STEEP_SECONDS = 0.4, 0.1, 5.0
WATCHED_SECONDS = 30.0
WATCHED = 1e-5
"""Chance that a trace of WATCHED_SECONDS shows what comes and goes as steady, or the reverse; one look can't tell."""


def spell_pattern(spell: Spell) -> str:
    """One of PATTERNS."""
    if spell.pattern != "steady":
        return spell.pattern
    change = spell.last_amps - spell.first_amps
    level = max(spell.first_amps, spell.last_amps)
    moves = spell.seconds >= FALL_SECONDS and abs(change) > max(FALL_SHARE * level, FALL_AMPS)
    steep = spell.seconds >= STEEP_SECONDS and abs(change) > max(STEEP_SHARE * level, STEEP_AMPS)
    if moves or steep:
        return "falling" if change < 0 else "rising"
    return "steady"


LEVEL_SECONDS, LEAST_LEVEL = 150.0, float(np.log(1e-7))
"""How long a state that falls may look level, e-fold by e-fold: a charge that dies away with a time constant of twenty
minutes to an hour loses a seventh in three to nine minutes."""
TRICKLE_AMPS = 0.2
"""Below it the last digits of the meter hide the fall for four times as long."""


def _stays_level(spell: Spell) -> float:
    """ln chance that a state that falls has not visibly fallen over a spell."""
    lasting = LEVEL_SECONDS * (4.0 if spell.amps < TRICKLE_AMPS else 1.0)
    return max(-max(spell.seconds - FALL_SECONDS, 0.0) / lasting, LEAST_LEVEL)


def _log_normal(value: float, centre: np.ndarray, spread: np.ndarray) -> np.ndarray:
    return np.asarray(-0.5 * ((value - centre) / spread) ** 2 - np.log(spread * np.sqrt(2 * np.pi)))


def log_emissions(states: Sequence[DrawState], spells: Sequence[Spell], switched_on: bool = False) -> np.ndarray:
    """ln density of each spell under each state, 'unknown' last: (J, S + 1)."""
    volts = np.array([s.volts for s in states])
    volts_spread = np.array([s.volts_spread for s in states])
    amps = np.array([s.amps + (s.amps_when_on if switched_on else 0.0) for s in states])
    amps_spread = np.array([max(s.amps_spread, LEAST_AMPS_SPREAD, 0.3 * s.amps_when_on if switched_on else 0.0)
                            for s in states])
    log_period = np.array([np.log(s.period_seconds) if s.period_seconds else np.nan for s in states])
    falls = np.array([s.pattern == "falling" for s in states])
    blinks = np.array([s.pattern == "blinking" for s in states])
    found = np.empty((len(spells), len(states) + 1))
    for j, spell in enumerate(spells):
        place = PATTERNS.index(spell_pattern(spell))
        pattern = np.log([PATTERN_CHANCE[s.pattern][place] for s in states])
        if place == 0 and not spell.typed and spell.seconds > WATCHED_SECONDS:
            pattern[blinks] = np.log(WATCHED)
        if place == 0 and not spell.typed:
            pattern[falls] += _stays_level(spell)
        if not spell.typed and spell.pattern != "steady":
            pattern[~blinks] = np.log(WATCHED)
        # A steady state is kept from end to end; one that falls only has its middle in the profile.
        ends = 0.5 * sum(_log_normal(end, amps, amps_spread) for end in (spell.first_amps, spell.last_amps))
        current = np.where(falls, _log_normal(spell.amps, amps, amps_spread), ends)
        found[j, :-1] = _log_normal(spell.volts, volts, volts_spread) + current + pattern
        found[j, -1] = np.log(UNKNOWN_SHARE / (VOLTS_RANGE * AMPS_RANGE) * UNKNOWN_PATTERN[place])
        if spell.rhythm is not None:
            timed = _log_normal(float(np.log(spell.rhythm.period_seconds)), log_period,
                                np.full(len(states), PERIOD_SPREAD))
            found[j, :-1] += np.where(np.isnan(timed), -np.log(LOG_PERIODS), timed)
            found[j, -1] -= np.log(LOG_PERIODS)
    return found


@dataclass(frozen=True)
class _Runs:
    """For runs of spells i..j in one state: the least and the most time it can have lasted, (J, J)."""

    least: np.ndarray
    most: np.ndarray


def _run_lengths(spells: Sequence[Spell]) -> _Runs:
    start = np.array([s.start for s in spells])
    end = np.array([s.end for s in spells])
    if spells[0].typed:
        start[0] = min(start[0], 0.0)
    before = np.concatenate([[start[0]], end[:-1]])
    after = np.concatenate([start[1:], [np.inf]])
    least = np.maximum(end[None, :] - start[:, None], 0.0)
    most = after[None, :] - before[:, None]
    return _Runs(np.maximum(least * (1 - EDGE_SLACK) - EDGE_SECONDS, 0.0),
                 np.maximum(most, least * (1 + EDGE_SLACK) + EDGE_SECONDS))


def fewer_spells(spells: Sequence[Spell], emissions: np.ndarray,
                 most: int = MOST_SPELLS) -> tuple[np.ndarray, np.ndarray]:
    """Groups of neighbouring spells that the same state fits best, then pairs, until there are at most `most`.

    Returns the first spell of each group (K,), and the emissions summed over groups (K, S + 1).
    """
    first = np.arange(len(spells))
    if len(first) > most:
        best = emissions.argmax(axis=1)
        first = np.flatnonzero(np.concatenate([[True], best[1:] != best[:-1]]))
    while len(first) > most:
        first = first[::2]
    return first, np.add.reduceat(emissions, first, axis=0)


def _run_chances(regimes: Sequence[Regime], runs: _Runs) -> np.ndarray:
    """ln chance of each run's length in each state: (G, J, J, S + 1)."""
    made: dict[tuple[int, int, bool], np.ndarray] = {}
    stacked = []
    for regime in regimes:
        key = (id(regime.dwell_seconds), id(regime.dwell_spread), regime.midway)
        if key not in made:
            chance = _length_chance(regime, runs.least, runs.most, False)
            if regime.midway:
                chance[0] = _length_chance(regime, runs.least[0], runs.most[0], True)
            made[key] = np.log(np.maximum(chance, LEAST_CHANCE))
        stacked.append(made[key])
    return np.stack(stacked)


def _length_chance(regime: Regime, least: np.ndarray, most: np.ndarray, midway: bool) -> np.ndarray:
    """Chance that a stay is between `least` and `most` seconds, with a last axis for the states."""
    longer, shorter = (stay_chance(x[..., None], regime.dwell_seconds, regime.dwell_spread, midway)
                       for x in (least, np.where(np.isinf(most), 1e15, most)))
    return np.asarray(longer - shorter)


def regime_log_likelihood(profile: DrawProfile, spells: Sequence[Spell], switched_on: bool = False,
                          regimes: Sequence[Regime] | None = None) -> tuple[np.ndarray, np.ndarray]:
    """ln likelihood of the spells under each regime (G,), and ln of it with each last state (G, S + 1)."""
    regimes = profile.regimes if regimes is None else regimes
    emissions = log_emissions(profile.states, spells, switched_on)
    first, emissions = fewer_spells(spells, emissions)
    runs = _run_chances(regimes, _grouped_runs(spells, first))
    total = np.vstack([np.zeros((1, emissions.shape[1])), np.cumsum(emissions, axis=0)])
    moves = np.log(np.stack([_barred(r.moves) for r in regimes]))
    enters = np.full((len(regimes), len(first), emissions.shape[1]), -np.inf)
    enters[:, 0] = np.log(np.stack([r.initial for r in regimes]))
    alpha = enters[:, 0]
    for j in range(len(first)):
        alpha = log_sum(enters[:, :j + 1] + (total[j + 1] - total[:j + 1])[None] + runs[:, :j + 1, j], axis=1)
        if j + 1 < len(first):
            enters[:, j + 1] = log_sum(alpha[:, :, None] + moves, axis=1)
    return np.asarray(log_sum(alpha, axis=1)), np.asarray(alpha)


@lru_cache(maxsize=256)
def remembered_log_likelihood(profile: DrawProfile, spells: tuple[Spell, ...],
                              switched_on: bool = False) -> tuple[np.ndarray, np.ndarray]:
    """`regime_log_likelihood` of the profile's own regimes: a trail grows, and its old traces stay. Not to be changed
    by the caller."""
    return regime_log_likelihood(profile, spells, switched_on)


@lru_cache(maxsize=256)
def remembered_states(profile: DrawProfile, regime: Regime, spells: tuple[Spell, ...],
                      switched_on: bool = False) -> tuple[int, ...]:
    """`best_states`, likewise."""
    return tuple(int(state) for state in best_states(profile, regime, spells, switched_on))


def _barred(moves: np.ndarray) -> np.ndarray:
    """Moves without staying, each row adding up to 1: a longer stay is a longer run, not a move to itself."""
    barred = moves.copy()
    np.fill_diagonal(barred, 1e-300)
    return np.asarray(barred / barred.sum(axis=1, keepdims=True))


def _grouped_runs(spells: Sequence[Spell], first: np.ndarray) -> _Runs:
    runs = _run_lengths(spells)
    last = np.append(first[1:], len(spells)) - 1
    return _Runs(runs.least[np.ix_(first, last)], runs.most[np.ix_(first, last)])


def best_states(profile: DrawProfile, regime: Regime, spells: Sequence[Spell], switched_on: bool = False) -> np.ndarray:
    """The likeliest state of every spell under one regime, (J,)."""
    emissions = log_emissions(profile.states, spells, switched_on)
    first, grouped = fewer_spells(spells, emissions)
    runs = _run_chances([regime], _grouped_runs(spells, first))[0]
    total = np.vstack([np.zeros((1, grouped.shape[1])), np.cumsum(grouped, axis=0)])
    moves = np.log(_barred(regime.moves))
    count = len(first)
    enters = np.full((count, grouped.shape[1]), -np.inf)
    enters[0] = np.log(regime.initial)
    entered_from = np.zeros((count, grouped.shape[1]), dtype=int)
    began = np.zeros((count, grouped.shape[1]), dtype=int)
    best = enters[0]
    for j in range(count):
        ways = enters[:j + 1] + (total[j + 1] - total[:j + 1]) + runs[:j + 1, j]
        began[j] = ways.argmax(axis=0)
        best = ways.max(axis=0)
        if j + 1 < count:
            steps = best[:, None] + moves
            entered_from[j + 1] = steps.argmax(axis=0)
            enters[j + 1] = steps.max(axis=0)
    path = np.empty(count, dtype=int)
    state, j = int(best.argmax()), count - 1
    while j >= 0:
        start = int(began[j, state])
        path[start:j + 1] = state
        state, j = int(entered_from[start, state]), start - 1
    return np.repeat(path, np.diff(np.append(first, len(spells))))
