"""How far one piece of copper is off by itself, and how that moves what is expected of it next.

Readings of one piece of copper have in common how far their board is off there, and how large a fault is: a normal
random effect, row by row (N. M. Laird and J. H. Ware, Random-effects models for longitudinal data, Biometrics 38,
1982).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from dextrum.core.assumptions.readings import (
    LEAST_LEVEL_VOLTS,
    ODD_FROM_VOLTS,
    ODD_VOLTS,
    SHARED_SHARE,
    TOUCH_VOLTS,
)
from dextrum.core.diagnosis.expected import Expected, ExpectedApart, differs, held_to_side, told_apart
from dextrum.core.log_student import log_student

LEAST_SPREADS_ODD = 3.0
"""Spreads from which another maker's junction is thought of as what copper is off by; below it is as good as none."""


@dataclass(frozen=True)
class CarriedOver:
    """Of what was read with other parts on the board than now. gone: chance that what the copper was off by came off,
    or on, with those parts, (R,); spread: volts by which the circuit may be wrong about what they change, (R,). Both 0
    for rows that have learned from what was read with the same parts, or from nothing."""

    gone: np.ndarray
    spread: np.ndarray

    def of(self, places: np.ndarray) -> CarriedOver:
        """Of some rows only."""
        return CarriedOver(self.gone[places], self.spread[places])


@dataclass(frozen=True)
class SharedDeviation:
    """How far one piece of copper has read from each row's prediction so far.

    total: sums of deviations as shares of the prediction, (R,), so that what a short pulls down does not move with what
    a fuse has cut off from it; count: how many readings each row has learned from, (R,). leaked: the number that was
    read last where a row says OL, (R,), NaN where none was: what has parted and leaks reads so at every point.
    carried: None where all was read with the same parts on the board.
    """

    total: np.ndarray
    count: np.ndarray
    leaked: np.ndarray
    carried: CarriedOver | None = None

    @classmethod
    def unknown(cls, rows: int) -> SharedDeviation:
        """Before anything was read."""
        return cls(np.zeros(rows), np.zeros(rows), np.full(rows, np.nan))

    @classmethod
    def of_all(cls, several: Sequence[SharedDeviation]) -> SharedDeviation:
        """Of the rows of several, one after another."""
        return cls(np.concatenate([one.total for one in several]), np.concatenate([one.count for one in several]),
                   np.concatenate([one.leaked for one in several]))

    def of(self, places: np.ndarray) -> SharedDeviation:
        """Of some rows only."""
        return SharedDeviation(self.total[places], self.count[places], self.leaked[places],
                               None if self.carried is None else self.carried.of(places))

    def or_else(self, other: SharedDeviation) -> SharedDeviation:
        """Of rows that have learned nothing from what was read with the same parts on the board, what they learn from
        readings with other parts."""
        take = (self.count == 0) & (other.count > 0)
        if other.carried is None or not take.any():
            return self
        return SharedDeviation(np.where(take, other.total, self.total), np.where(take, other.count, self.count),
                               self.leaked, CarriedOver(np.where(take, other.carried.gone, 0.0),
                                                        np.where(take, other.carried.spread, 0.0)))

    @property
    def as_it_is(self) -> SharedDeviation:
        """Without what was read with other parts on the board."""
        if self.carried is None:
            return self
        own = self.carried.spread == 0.0
        return SharedDeviation(np.where(own, self.total, 0.0), np.where(own, self.count, 0.0), self.leaked)

    def plus(self, other: SharedDeviation, where: np.ndarray | None = None) -> SharedDeviation:
        """With what other readings have taught; where: of which rows, (R,), None for all. Of what is carried over, the
        less sure counts."""
        total, count, leaked = other.total, other.count, other.leaked
        if where is not None and not where.all():
            total, count = np.where(where, total, 0.0), np.where(where, count, 0.0)
            leaked = np.where(where, leaked, np.nan)
        carried = self.carried
        if other.carried is not None:
            carried = other.carried if carried is None else CarriedOver(
                np.maximum(carried.gone, other.carried.gone), np.maximum(carried.spread, other.carried.spread))
        return SharedDeviation(self.total + total, self.count + count, np.where(np.isnan(leaked), self.leaked, leaked),
                               carried)


def given_shared(expected: Expected, shared: SharedDeviation) -> Expected:
    """The prediction for one more point on copper that has been read already, in diode mode.

    A normal random effect common to the copper: its posterior mean given the earlier readings shifts the
    prediction, and what is left of its variance narrows it. How large a fault is, is common to all its readings; only
    of what boards scatter a part is the touch's. What is off by so much that a junction there is another maker's may be
    off by any such amount, and reads so again. Rows that predict OL stay as they are.
    """
    scatter = (1.0 - SHARED_SHARE) * np.minimum(expected.spreads, expected.base) ** 2
    touch = scatter + TOUCH_VOLTS ** 2
    count = np.maximum(shared.count, 1.0)
    away = shared.total / count * _level(expected)
    common = expected.spreads ** 2 - scatter + _odd_variance(expected, away)
    gain = np.where(shared.count > 0, common / (common + touch / count), 0.0)
    if shared.carried is not None:
        touch = touch + shared.carried.spread ** 2
    return replace(expected, means=expected.means + gain * away, spreads=np.sqrt(common * (1.0 - gain) + touch))


def _odd_variance(expected: Expected, away: np.ndarray) -> np.ndarray | float:
    """What another maker's junction adds to how far copper may be off that has read so far from each row's prediction,
    (N,) in volts: `odd_volts` squared, times the chance that there is one by then."""
    with np.errstate(invalid="ignore"):
        far = np.flatnonzero((np.abs(away) > LEAST_SPREADS_ODD * expected.spreads) & (expected.means >= ODD_FROM_VOLTS)
                             & np.isfinite(expected.means))
    if not len(far):
        return 0.0
    spreads = expected.spreads[far]
    wide = np.hypot(spreads, ODD_VOLTS)
    part = expected.odd_part[far] if isinstance(expected.odd_part, np.ndarray) else expected.odd_part
    odd = part * np.exp(-0.5 * (away[far] / wide) ** 2) / (wide * np.sqrt(2.0 * np.pi))
    usual = (1.0 - part) * np.exp(log_student(0.0, away[far], spreads, expected.freedom))
    found = np.zeros(len(away))
    found[far] = odd / (odd + usual) * ODD_VOLTS ** 2
    return found


def _level(expected: Expected) -> np.ndarray:
    return np.maximum(np.where(np.isfinite(expected.means), expected.means, 1.0), LEAST_LEVEL_VOLTS)


def _away(expected: Expected, scaled: float) -> np.ndarray:
    """How far a reading is from each row's prediction, (R,); 0 where that is OL."""
    return np.asarray(np.subtract(scaled, expected.means, out=np.zeros(expected.means.shape),
                                  where=np.isfinite(expected.means)))


def _within(expected: Expected, scaled: float) -> np.ndarray:
    """Rows for which a reading is no outlier, (R,)."""
    odd = np.where(expected.means >= ODD_FROM_VOLTS, 3.0 * ODD_VOLTS, 0.0)
    return np.asarray(np.isfinite(expected.means)
                      & (np.abs(_away(expected, scaled)) < np.maximum(5.0 * expected.spreads, odd)))


def with_reading(expected: Expected, shared: SharedDeviation, scaled: float,
                 same: np.ndarray | None = None) -> SharedDeviation:
    """The deviation with one more reading; where it is an outlier for a row, that row learns nothing from it.

    same: which rows read the same there then and now, (R,), where something was mended between; the others learn
    nothing.
    """
    held, _ = held_to_side(expected, scaled)
    learned = _within(expected, scaled)
    if held is not expected:
        learned &= _within(held, scaled)
    # From its own prediction, on whichever side: what copper has read it reads again, whatever the fault's size.
    away = _away(expected, scaled)
    leaks = np.isinf(expected.means) & np.isfinite(scaled)
    if same is not None:
        learned &= same
        leaks &= same
    return SharedDeviation(shared.total + np.where(learned, away / _level(expected), 0.0), shared.count + learned,
                           np.where(leaks, scaled, shared.leaked))


def rows_to_weigh(apart: ExpectedApart, shared: SharedDeviation | None) -> tuple[np.ndarray, np.ndarray]:
    """Rows that may be weighed in place of all, (M,), and for every row which of them, (R,). shared: how far the
    copper has read from each row's prediction; rows that are off otherwise than a good board count by themselves.
    """
    if shared is None:
        return apart.rows, apart.place
    own = (apart.place > 0) | differs(shared.total) | differs(shared.count) | differs(shared.leaked)
    if shared.carried is not None:
        own |= differs(shared.carried.gone) | differs(shared.carried.spread)
    return told_apart(own)
