"""How well typed volts and amps fit each state of the draw profile; 'unknown' is a state too."""

from __future__ import annotations

import math
from dataclasses import dataclass

from dextrum.core.board import Board, DrawState

UNKNOWN = "unknown"
LEAST_AMPS_SPREAD = 0.004
VOLTS_RANGE, AMPS_RANGE = 22.0, 6.0
PATTERN_MISREAD = 0.04


@dataclass(frozen=True)
class DrawJudgement:
    """Chance of each state for one reading, and the likeliest; words are the profile's."""

    state: str
    words: str
    meaning: str
    chances: tuple[tuple[str, float], ...]


def state_ids(board: Board) -> tuple[str, ...]:
    """The profile's states, and 'unknown' last."""
    return (*(state.id for state in board.draw_states), UNKNOWN)


def _log_normal(value: float, centre: float, spread: float) -> float:
    return -0.5 * ((value - centre) / spread) ** 2 - math.log(spread * math.sqrt(2 * math.pi))


def _log_density(state: DrawState, volts: float, amps: float, pattern: str) -> float:
    fits = math.log(1 - PATTERN_MISREAD if pattern == state.pattern else PATTERN_MISREAD)
    return (_log_normal(volts, state.volts, state.volts_spread)
            + _log_normal(amps, state.amps, max(state.amps_spread, LEAST_AMPS_SPREAD)) + fits)


def log_emission(board: Board, volts: float, amps: float, pattern: str) -> tuple[float, ...]:
    """ln density of a reading under each state of `state_ids`, S + 1 numbers."""
    known = [_log_density(state, volts, amps, pattern) for state in board.draw_states]
    return (*known, math.log(0.5 / (VOLTS_RANGE * AMPS_RANGE)))


def classify_draw(board: Board, volts: float, amps: float, pattern: str = "steady") -> DrawJudgement | None:
    """The states of the profile weighed evenly; None where the pack has no profile."""
    if not board.draw_states:
        return None
    log_density = log_emission(board, volts, amps, pattern)
    weights = [math.exp(value - max(log_density)) for value in log_density]
    ids = state_ids(board)
    best = weights.index(max(weights))
    pairs = tuple(sorted(((name, weight / sum(weights)) for name, weight in zip(ids, weights, strict=True)),
                         key=lambda pair: -pair[1]))
    if ids[best] == UNKNOWN:
        return DrawJudgement(UNKNOWN, "not a pattern this model is known for",
                             "check the supply, the cable and the typed values", pairs)
    state = board.draw_states[best]
    return DrawJudgement(state.id, state.words, state.meaning, pairs)
