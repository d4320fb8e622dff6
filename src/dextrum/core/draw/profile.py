"""The model's draw profile for one supply class, as regimes: what is broken (or nothing) and how the cell is.

A regime says in which state the draw begins, how long it stays and what may follow. A faulty unit stays in what its
fault makes of it; a healthy one walks along the profile, from where the condition of its cell lets it begin.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from dextrum.core.board import Board, DrawOutcome, DrawState
from dextrum.core.draw.states import UNKNOWN, UNKNOWN_WORDS, states_of, used_class

HEALTHY = ""
FOLLOWS = 0.97
STRAYS = 0.001
TO_UNKNOWN = 0.01
FROM_UNKNOWN = 0.02
FAULT_MOVES = 0.03
"""Chance that a faulty unit, when its draw changes, goes to another state of its fault rather than to the unknown."""
UNKNOWN_SECONDS, UNKNOWN_SPREAD = 600.0, 2.5
"""How long the unknown lasts is hardly known either."""
KNOWN_CELL = 0.97
NO_CONDITION = -1


@dataclass(frozen=True, eq=False)
class Regime:
    """function: index into `DrawProfile.functions`; condition: index of the state in which a healthy unit with this
    cell begins, or NO_CONDITION. initial (S + 1,), moves (S + 1, S + 1) given that the state is left, dwell_seconds and
    dwell_spread (S + 1,), inf for endless. prior: of this condition given the function.
    midway: the first state was joined somewhere in its stay, as that of a cell that was not quite empty."""

    function: int
    condition: int
    initial: np.ndarray
    moves: np.ndarray
    dwell_seconds: np.ndarray
    dwell_spread: np.ndarray
    prior: float
    midway: bool = False


@dataclass(frozen=True, eq=False)
class DrawProfile:
    """Made once per board, supply class and cell, and told apart by identity. states: S of them, 'unknown' is S.
    functions: what is broken, the first one wins; the last is HEALTHY."""

    supply_class: str
    states: tuple[DrawState, ...]
    functions: tuple[str, ...]
    outcomes: tuple[DrawOutcome, ...]
    regimes: tuple[Regime, ...]

    @property
    def unknown(self) -> int:
        return len(self.states)

    @property
    def healthy(self) -> int:
        return len(self.functions) - 1

    def state_words(self, index: int) -> str:
        return UNKNOWN_WORDS if index == self.unknown else self.states[index].words

    def index_of(self, state_id: str) -> int:
        """Index of a state, 'unknown' included. Raises KeyError."""
        if state_id == UNKNOWN:
            return self.unknown
        for index, state in enumerate(self.states):
            if state.id == state_id:
                return index
        raise KeyError(state_id)


def _faulty(function: int, outcome: DrawOutcome, index: dict[str, int], count: int) -> Regime:
    initial = np.full(count, 1e-6)
    for state, chance in outcome.states.items():
        initial[index[state]] += chance
    initial = initial / initial.sum()
    moves = np.full((count, count), STRAYS)
    listed = np.array([index[s] for s in outcome.states if s != UNKNOWN], dtype=int)
    moves[:, listed] += FAULT_MOVES / max(len(listed), 1)
    moves[:, -1] += TO_UNKNOWN
    moves[-1, listed] += FROM_UNKNOWN
    endless = np.append(np.full(count - 1, np.inf), UNKNOWN_SECONDS)
    return Regime(function, NO_CONDITION, initial, moves, endless, np.append(np.ones(count - 1), UNKNOWN_SPREAD), 1.0)


def _healthy(function: int, states: tuple[DrawState, ...], outcome: DrawOutcome, index: dict[str, int],
             cell_known_good: bool) -> list[Regime]:
    count = len(states) + 1
    moves = np.full((count, count), STRAYS)
    for k, state in enumerate(states):
        for following in state.followed_by:
            moves[k, index[following]] += FOLLOWS / len(state.followed_by)
    moves[:, -1] += TO_UNKNOWN
    moves[-1, :-1] += FROM_UNKNOWN / len(states)
    dwell = np.array([60.0 * s.dwell_minutes if s.dwell_minutes else np.inf for s in states]
                     + [UNKNOWN_SECONDS])
    spread = np.array([s.dwell_spread for s in states] + [UNKNOWN_SPREAD])
    known = {index[s]: chance for s, chance in outcome.states.items() if s != UNKNOWN and chance > 0}
    total = sum(known.values())
    strange = outcome.states.get(UNKNOWN, 0.0)
    part = [k for k in known if states[k].cell == "part_charged"]
    found = []
    for k, chance in known.items():
        prior = chance / total
        if cell_known_good and part:
            prior = KNOWN_CELL / len(part) if k in part else (1 - KNOWN_CELL) / max(len(known) - len(part), 1)
        initial = np.full(count, 1e-6)
        initial[k] += 1.0 - strange
        initial[-1] += strange
        midway = states[k].cell != "deeply_flat"
        found.append(Regime(function, k, initial / initial.sum(), moves, dwell, spread, prior, midway))
    return found


@lru_cache(maxsize=64)
def _profile(states: tuple[DrawState, ...], outcomes: tuple[tuple[str, tuple[tuple[str, float], ...]], ...],
             supply_class: str, cell_known_good: bool) -> DrawProfile:
    index = {state.id: k for k, state in enumerate(states)} | {UNKNOWN: len(states)}
    made = tuple(DrawOutcome(broken, dict(chances), supply_class) for broken, chances in outcomes)
    regimes: list[Regime] = []
    for function, outcome in enumerate(made):
        if outcome.broken:
            regimes.append(_faulty(function, outcome, index, len(states) + 1))
        else:
            regimes.extend(_healthy(function, states, outcome, index, cell_known_good))
    return DrawProfile(supply_class, states, tuple(o.broken for o in made), made, tuple(regimes))


def profile_of(board: Board, supply_class: str = "", cell_known_good: bool = False) -> DrawProfile | None:
    """The profile of a supply class; None where the pack knows nothing about it."""
    used = used_class(board, supply_class)
    states = states_of(board, used)
    outcomes = tuple((o.broken, tuple(o.states.items())) for o in board.draw_outcomes if o.supply_class == used)
    if not states or not outcomes:
        return None
    profile = _profile(states, outcomes, used, cell_known_good)
    # Without a state in which a healthy unit begins there is nothing to hold a fault against.
    return profile if any(r.condition != NO_CONDITION for r in profile.regimes) else None
