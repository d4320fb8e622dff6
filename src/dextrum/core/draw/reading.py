"""One plug-in read as a whole: its states, what is whole or broken, what is still in doubt, and the cell."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from dextrum.core.board import CellModel
from dextrum.core.draw.cell import ChargeForecast, remembered_forecast
from dextrum.core.draw.doubt import Doubt, find_doubt
from dextrum.core.draw.profile import DrawProfile
from dextrum.core.draw.regimes import remembered_log_likelihood, remembered_states
from dextrum.core.draw.spells import Spell
from dextrum.core.log_sum import log_sum
from dextrum.tongue import tr

EVEN_HEALTHY = 0.4
"""Chance that the charging path is whole, where nothing else is known about the unit."""
SURE_HEALTHY, SURE_FAULTY = 0.95, 0.05


@dataclass(frozen=True)
class DrawReading:
    """states: of every spell, (J,). by_state: chance of each state now, (S + 1,). by_function: (F,), the last healthy.

    state: the likeliest now; since: seconds at which it began.
    """

    profile: DrawProfile
    spells: tuple[Spell, ...]
    states: tuple[int, ...]
    by_state: np.ndarray
    by_function: np.ndarray
    state: int
    since: float
    doubt: Doubt | None
    charge: ChargeForecast | None

    @property
    def state_words(self) -> str:
        return self.profile.state_words(self.state)

    @property
    def healthy(self) -> float:
        """Chance that the charging path is whole, this way up."""
        return float(self.by_function[self.profile.healthy])

    @property
    def verdict(self) -> str:
        """unknown, doubt, healthy or faulty: of the charging path, by this draw alone."""
        if self.state == self.profile.unknown:
            return "unknown"
        if self.doubt is not None or SURE_FAULTY < self.healthy < SURE_HEALTHY:
            return "doubt"
        return "healthy" if self.healthy >= SURE_HEALTHY else "faulty"


def even_prior(profile: DrawProfile) -> np.ndarray:
    """Chance of each function where nothing else is known, (F,)."""
    faults = len(profile.functions) - 1
    prior = np.full(len(profile.functions), (1 - EVEN_HEALTHY) / max(faults, 1))
    prior[profile.healthy] = EVEN_HEALTHY
    return np.asarray(prior / prior.sum())


def read_draw(profile: DrawProfile, spells: tuple[Spell, ...], switched_on: bool = False,
              cell: CellModel | None = None, floor_share: float = 0.5,
              functional_prior: np.ndarray | None = None) -> DrawReading:
    """Everything that one plug-in says. Raises ValueError when there is no spell.

    functional_prior: (F,) what is known of the unit without this draw.
    """
    if not spells:
        raise ValueError(tr("there is nothing to read"))
    prior = even_prior(profile) if functional_prior is None else functional_prior
    values, ending = remembered_log_likelihood(profile, spells, switched_on)
    weight = np.log(np.maximum(prior[[r.function for r in profile.regimes]]
                               * np.array([r.prior for r in profile.regimes]), 1e-12))
    total = values + weight
    chance = np.exp(total - log_sum(total))
    regime = profile.regimes[int(total.argmax())]
    states = remembered_states(profile, regime, spells, switched_on)
    by_end = np.exp(ending + weight[:, None] - log_sum(total))
    by_state = by_end.sum(axis=0)
    functions = np.array([r.function for r in profile.regimes])
    by_function = np.bincount(functions, weights=chance, minlength=len(profile.functions))
    state = states[-1]
    begin = len(states) - 1
    while begin > 0 and states[begin - 1] == state:
        begin -= 1
    since = 0.0 if begin == 0 and spells[0].typed else spells[begin].start
    here = np.bincount(functions, weights=by_end[:, state], minlength=len(profile.functions))
    midway = begin == 0 and state != profile.unknown and profile.states[state].cell != "deeply_flat"
    doubt = find_doubt(profile, here / here.sum(), state, spells[-1].end - since, midway) if here.sum() > 0 else None
    charge = remembered_forecast(cell, profile, spells, states, floor_share) if cell is not None else None
    return DrawReading(profile, spells, states, by_state / by_state.sum(), by_function, state,
                       since, doubt, charge)
