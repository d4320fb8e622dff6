"""How likely what the power meter showed is under every hypothesis row.

Both orientations are one piece of evidence: they share the unit, its cell and the supply. For every row the chance of
what is broken, both ways up, weighs the likelihood of the traces under it.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import lru_cache

import numpy as np

from dextrum.core.assumptions.trials import (
    BAD_SUPPLY_STATES,
    FLAT_UNSEEN,
    MISNAMED,
    MOVES_ANYWAY,
    MOVES_WITH_PLUG,
    NO_CELL,
    SAME_CELL,
)
from dextrum.core.board import Board, ComponentKind
from dextrum.core.diagnosis.hypotheses import FIRST_FAULT_ROW
from dextrum.core.diagnosis.model import DiagnosisModel
from dextrum.core.draw.profile import DrawProfile, Regime, profile_of
from dextrum.core.draw.records import DrawRecord
from dextrum.core.draw.regimes import regime_log_likelihood, remembered_log_likelihood
from dextrum.core.draw.spells import Spell
from dextrum.core.draw.states import UNKNOWN
from dextrum.core.faults.registry import KINDS
from dextrum.core.log_sum import log_sum

LEAST = 1e-4


def functional_chances(board: Board, broken: np.ndarray, profile: DrawProfile, orientation: str) -> np.ndarray:
    """Chance that each entry of `profile.functions` is what the draw shows under each row, (R, F); the first broken one
    of the list wins."""
    column = board.function_order
    chances = np.zeros((broken.shape[0], len(profile.functions)))
    left = np.ones(broken.shape[0])
    for k, name in enumerate(profile.functions):
        taken = left * broken[:, column[name.replace("{o}", orientation)]] if name else left
        chances[:, k] = taken
        left = left - taken
    return chances


def joint_functional_chances(board: Board, broken: np.ndarray, profile: DrawProfile) -> np.ndarray:
    """The same for both orientations of one unit, (R, F, F): what both share is broken for both or for neither."""
    column = board.function_order
    count = len(profile.functions)
    joint = np.zeros((broken.shape[0], count, count))
    both = np.ones(broken.shape[0])
    only_a = np.zeros((broken.shape[0], count))
    only_b = np.zeros((broken.shape[0], count))
    for k, name in enumerate(profile.functions):
        if name and "{o}" in name:
            a, b = (broken[:, column[name.replace("{o}", o)]] for o in "ab")
            joint[:, k, k] += both * a * b
            joint[:, k, :] += only_a * a[:, None]
            joint[:, :, k] += only_b * b[:, None]
            only_a, only_b = only_a * (1 - a)[:, None], only_b * (1 - b)[:, None]
            only_b[:, k] += both * a * (1 - b)
            only_a[:, k] += both * (1 - a) * b
            both = both * (1 - a) * (1 - b)
        else:
            p = broken[:, column[name]] if name else np.ones(broken.shape[0])
            joint[:, k, k] += both * p
            joint[:, k, :] += only_a * p[:, None]
            joint[:, :, k] += only_b * p[:, None]
            both, only_a, only_b = both * (1 - p), only_a * (1 - p)[:, None], only_b * (1 - p)[:, None]
    return joint


def bad_supply_regime(profile: DrawProfile) -> Regime:
    """A supply, cable or dock at fault: mostly nothing drawn, or on and off."""
    count = len(profile.states) + 1
    initial = np.full(count, (1 - sum(BAD_SUPPLY_STATES.values())) / len(profile.states))
    initial[min(range(len(profile.states)), key=lambda k: profile.states[k].amps)] += BAD_SUPPLY_STATES["least"]
    blinking = [k for k, s in enumerate(profile.states) if s.pattern == "blinking"]
    for k in blinking or [count - 1]:
        initial[k] += BAD_SUPPLY_STATES["blinking"] / max(len(blinking), 1)
    initial[-1] += BAD_SUPPLY_STATES[UNKNOWN]
    moves = np.full((count, count), 0.01)
    return Regime(-1, -1, initial / initial.sum(), moves, np.full(count, np.inf), np.ones(count), 1.0)


@lru_cache(maxsize=256)
def _bad_supply_log_likelihood(profile: DrawProfile, spells: tuple[Spell, ...], switched_on: bool) -> float:
    found, _ = regime_log_likelihood(profile, spells, switched_on, (bad_supply_regime(profile),))
    return float(found[0])


def record_log_likelihood(profile: DrawProfile, record: DrawRecord) -> tuple[np.ndarray, float]:
    """ln likelihood of one record under each regime (G,), and with a supply at fault."""
    if record.spells:
        found, _ = remembered_log_likelihood(profile, record.spells, record.switched_on)
        return found, _bad_supply_log_likelihood(profile, record.spells, record.switched_on)
    bad = bad_supply_regime(profile)
    named = np.full(len(profile.states) + 1, MISNAMED / (len(profile.states) + 1))
    named[profile.index_of(record.named)] += 1.0 - MISNAMED
    return np.array([np.log(r.initial @ named) for r in profile.regimes]), float(np.log(bad.initial @ named))


def _table(profile: DrawProfile, regime_values: np.ndarray) -> np.ndarray:
    """(F, C): by function and cell condition; a fault's value does not depend on the cell."""
    conditions = [r.condition for r in profile.regimes if r.condition >= 0]
    table = np.empty((len(profile.functions), len(conditions)))
    for regime, value in zip(profile.regimes, regime_values, strict=True):
        if regime.condition < 0:
            table[regime.function, :] = value
        else:
            table[regime.function, conditions.index(regime.condition)] = value
    return table


def draw_log_likelihood(model: DiagnosisModel, records: Mapping[str, DrawRecord],
                        broken: np.ndarray | None = None, of: str = "rows") -> np.ndarray | None:
    """ln likelihood of the records of one epoch, supply class and cell, by orientation, under each row (R,).

    broken: (N, functions) of other sets of faults, called `of`, where given.

    A damaged trace, or a name that the profile doesn't have, says nothing. None where nothing is left, or the pack
    knows nothing about this class of supply.
    """
    first = next(iter(records.values()))
    profile = profile_of(model.board, first.supply_class, first.cell == "known_good")
    if profile is None:
        return None
    records = {o: r for o, r in records.items() if r.spells or _is_named(profile, r.named)}
    if not records:
        return None
    cells = np.array([r.prior for r in profile.regimes if r.condition >= 0])
    tables, bad = {}, {}
    for orientation, record in records.items():
        values, bad[orientation] = record_log_likelihood(profile, record)
        tables[orientation] = _table(profile, values)
    top = {o: max(float(t.max()), bad[o]) for o, t in tables.items()}
    scaled = {o: np.exp(t - top[o]) for o, t in tables.items()}
    suspicion = max(r.bad_supply for r in records.values())
    at_fault = float(np.exp(sum(bad[o] - top[o] for o in records)))

    def density_of(which: np.ndarray, name: str) -> np.ndarray:
        found = _density(model, profile, scaled, cells, which, name)
        return (1 - suspicion) * found + suspicion * at_fault

    of_rows = density_of(model.broken, "rows")
    density = of_rows if broken is None else density_of(broken, of)
    if first.cell == "unplugged" and profile.supply_class != "bench":
        density = (1 - NO_CELL) * density + NO_CELL * float(of_rows.mean())
    return np.asarray(np.log(density + LEAST * float(of_rows.max())) + sum(top.values()))


def _density(model: DiagnosisModel, profile: DrawProfile, scaled: Mapping[str, np.ndarray], cells: np.ndarray,
             broken: np.ndarray, of: str) -> np.ndarray:
    """Density of the records under each row of `broken` (N, functions), shared between the orientations: (N,)."""
    if len(scaled) < 2:
        (orientation,) = scaled
        return np.asarray(functional_chances(model.board, broken, profile, orientation) @ (scaled[orientation] @ cells))
    if of:
        joint = model.remembered(("joint draw", of, profile.supply_class, profile.functions),
                                 lambda: joint_functional_chances(model.board, broken, profile))
        assert joint is not None
    else:
        joint = joint_functional_chances(model.board, broken, profile)
    shared = np.einsum("fc,gc,c->fg", scaled["a"], scaled["b"], cells)
    apart = np.outer(scaled["a"] @ cells, scaled["b"] @ cells)
    mixed = SAME_CELL * shared + (1 - SAME_CELL) * apart
    return np.asarray(joint.reshape(len(broken), -1) @ mixed.ravel())


def _is_named(profile: DrawProfile, name: str) -> bool:
    return name == UNKNOWN or any(state.id == name for state in profile.states)


def plug_log_likelihood(model: DiagnosisModel, moves: bool) -> np.ndarray:
    """ln chance that the draw comes and goes with the plug's position, or does not, under each row (R,)."""
    hypotheses = model.hypotheses
    chance = np.full(hypotheses.count, MOVES_ANYWAY)
    receptacles = {p.designator for p in model.board.components if p.kind is ComponentKind.RECEPTACLE}
    for row in range(FIRST_FAULT_ROW, hypotheses.count):
        fault = hypotheses.faults[int(hypotheses.fault_of_row[row])]
        if fault.part in receptacles and KINDS[fault.kind].moves_with_plug:
            chance[row] = MOVES_WITH_PLUG
    return np.asarray(np.log(chance if moves else 1.0 - chance))


FLAT_CONDITIONS = ("deeply_flat", "flat")


def flat_cell_chance(board: Board, records: Sequence[DrawRecord]) -> float:
    """Chance that the unit's own cell came in flat, by its first draws."""
    found = []
    for record in records:
        profile = profile_of(board, record.supply_class)
        if record.epoch or record.cell == "known_good" or profile is None or not record.spells:
            continue
        (chances,) = current_posterior(profile, [record])
        found.append(sum(float(chance) for regime, chance in zip(profile.regimes, chances, strict=True)
                         if regime.condition >= 0 and profile.states[regime.condition].cell in FLAT_CONDITIONS))
    return max(found, default=FLAT_UNSEEN)


def current_posterior(profile: DrawProfile, records: Sequence[DrawRecord],
                      functional_prior: np.ndarray | None = None) -> list[np.ndarray]:
    """Per record, chance of each regime given its spells alone: (G,) each. functional_prior: (F,), even by default."""
    found = []
    for record in records:
        values, _ = record_log_likelihood(profile, record)
        prior = np.array([r.prior for r in profile.regimes])
        if functional_prior is not None:
            prior = prior * functional_prior[[r.function for r in profile.regimes]]
        weight = values + np.log(np.maximum(prior, 1e-12))
        found.append(np.exp(weight - log_sum(weight)))
    return found
