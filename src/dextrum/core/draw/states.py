"""How well typed volts and amps fit each state of the draw profile; 'unknown' is a state too."""

from __future__ import annotations

import math
from dataclasses import dataclass

from dextrum.core.board import Board, DrawState
from dextrum.tongue import tr

UNKNOWN = "unknown"
UNKNOWN_WORDS = tr("not a pattern this model is known for")
LEAST_AMPS_SPREAD = 0.004
VOLTS_RANGE, AMPS_RANGE = 22.0, 6.0
UNKNOWN_SHARE = 0.5
PATTERN_MISREAD = 0.04


@dataclass(frozen=True)
class DrawJudgement:
    """Chance of each state for one reading, and the likeliest; words are the profile's."""

    state: str
    words: str
    meaning: str
    chances: tuple[tuple[str, float], ...]


def used_class(board: Board, supply_class: str) -> str:
    """The class whose states speak; a unit that only takes 5 V takes it from a negotiating supply too."""
    asked = supply_class or board.supply_class_default
    there = {state.supply_class for state in board.draw_states}
    return "default_5v" if asked == "negotiating" and asked not in there and "default_5v" in there else asked


def states_of(board: Board, supply_class: str = "") -> tuple[DrawState, ...]:
    """The profile's states on a class of supply; the board's usual one by default."""
    used = used_class(board, supply_class)
    return tuple(state for state in board.draw_states if state.supply_class == used)


def state_ids(board: Board, supply_class: str = "") -> tuple[str, ...]:
    """The profile's states, and 'unknown' last."""
    return (*(state.id for state in states_of(board, supply_class)), UNKNOWN)


def _log_normal(value: float, centre: float, spread: float) -> float:
    return -0.5 * ((value - centre) / spread) ** 2 - math.log(spread * math.sqrt(2 * math.pi))


def _log_density(state: DrawState, volts: float, amps: float, pattern: str) -> float:
    agree = (pattern == "blinking") == (state.pattern == "blinking")
    fits = math.log(1 - PATTERN_MISREAD if agree else PATTERN_MISREAD)
    return (_log_normal(volts, state.volts, state.volts_spread)
            + _log_normal(amps, state.amps, max(state.amps_spread, LEAST_AMPS_SPREAD)) + fits)


def log_emission(states: tuple[DrawState, ...], volts: float, amps: float, pattern: str) -> tuple[float, ...]:
    """ln density of a reading under each state, 'unknown' last: S + 1 numbers."""
    known = [_log_density(state, volts, amps, pattern) for state in states]
    return (*known, math.log(UNKNOWN_SHARE / (VOLTS_RANGE * AMPS_RANGE)))


def classify_draw(board: Board, volts: float, amps: float, pattern: str = "steady",
                  supply_class: str = "") -> DrawJudgement | None:
    """One look at a meter, the states weighed evenly; None where the pack has no profile for this class of supply."""
    states = states_of(board, supply_class)
    if not states:
        return None
    log_density = log_emission(states, volts, amps, pattern)
    weights = [math.exp(value - max(log_density)) for value in log_density]
    ids = state_ids(board, supply_class)
    best = weights.index(max(weights))
    pairs = tuple(sorted(((name, weight / sum(weights)) for name, weight in zip(ids, weights, strict=True)),
                         key=lambda pair: -pair[1]))
    if ids[best] == UNKNOWN:
        return DrawJudgement(UNKNOWN, UNKNOWN_WORDS,
                             tr("check the supply, the cable and the typed values"), pairs)
    state = states[best]
    return DrawJudgement(state.id, state.words, state.meaning, pairs)
