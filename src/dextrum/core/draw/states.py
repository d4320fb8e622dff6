"""How well typed volts and amps fit each state of the draw profile; 'unknown' is a state too."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

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
    return -0.5 * ((value - centre) / spread) ** 2 - float(np.log(spread * np.sqrt(2 * np.pi)))


def _log_density(state: DrawState, volts: float, amps: float, pattern: str) -> float:
    fits = np.log(1 - PATTERN_MISREAD) if pattern == state.pattern else np.log(PATTERN_MISREAD)
    return float(_log_normal(volts, state.volts, state.volts_spread)
                 + _log_normal(amps, state.amps, max(state.amps_spread, LEAST_AMPS_SPREAD)) + fits)


def log_emission(board: Board, volts: float, amps: float, pattern: str) -> np.ndarray:
    """ln density of a reading under each state of `state_ids`, shape (S + 1,)."""
    known = [_log_density(state, volts, amps, pattern) for state in board.draw_states]
    return np.array([*known, float(-np.log(VOLTS_RANGE * AMPS_RANGE) + np.log(0.5))])


def classify_draw(board: Board, volts: float, amps: float, pattern: str = "steady") -> DrawJudgement | None:
    """The states of the profile weighed evenly; None where the pack has no profile."""
    if not board.draw_states:
        return None
    log_density = log_emission(board, volts, amps, pattern)
    chances = np.exp(log_density - log_density.max())
    chances /= chances.sum()
    ids = state_ids(board)
    best = int(np.argmax(chances))
    pairs = tuple((ids[i], float(chances[i])) for i in np.argsort(-chances))
    if ids[best] == UNKNOWN:
        return DrawJudgement(UNKNOWN, "not a pattern this model is known for",
                             "check the supply, the cable and the typed values", pairs)
    state = board.draw_states[best]
    return DrawJudgement(state.id, state.words, state.meaning, pairs)
