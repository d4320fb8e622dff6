"""What one observation says of sets of faults, as it says it of single rows.

A set's likelihood is exact: readings where faults meet are solved from the network with all their edits, functions are
broken by noisy-OR, and a fault that a repair was meant to take away is weighed both ways.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from functools import cache, cached_property
from itertools import product
from typing import TYPE_CHECKING

import numpy as np

from dextrum.core.board import Method
from dextrum.core.circuit.isolation import Isolated
from dextrum.core.diagnosis.carried_over import carried_over
from dextrum.core.diagnosis.expected import Expected, again_spread, expected_apart, expected_of_sets, of_these
from dextrum.core.diagnosis.hypotheses import NO_ROW, NOTHING_ROW, LeftByRepair
from dextrum.core.diagnosis.joined_copper import Beside, deviation_beside, given_joined
from dextrum.core.diagnosis.joint_predictions import joint_values, unchanged
from dextrum.core.diagnosis.likelihood import CONTACT_FAILURE, OnceRead, log_density, read_again
from dextrum.core.diagnosis.own_deviation import Taught, deviation_at, share_of_junctions
from dextrum.core.diagnosis.shared_deviation import SharedDeviation, with_reading
from dextrum.core.diagnosis.size_in_ohms import size_of_sets
from dextrum.core.log_sum import log_sum

if TYPE_CHECKING:
    from dextrum.core.diagnosis.model import DiagnosisModel


def mixed_by_repair(row: np.ndarray, gone: np.ndarray, left: LeftByRepair,
                    worked: np.ndarray | None = None) -> np.ndarray:
    """A row vector (R,) after repairs: rows that were mended mostly say what a healthy board says. worked: that, for
    each of the mended rows, where it isn't the same for all."""
    if not gone.any():
        return row
    mended = row[gone]
    found = row.copy()
    found[gone] = np.logaddexp(left.log_works[gone] + (row[NOTHING_ROW] if worked is None else worked),
                               left.log_fails[gone] + mended)
    return found


@cache
def ways(wide: int) -> np.ndarray:
    """In which ways the repairs of `wide` members may have gone, (2 ** wide, wide): true where one has taken."""
    return np.array(list(product((False, True), repeat=wide)), dtype=bool).reshape(-1, wide)


def numbered(taken: np.ndarray) -> np.ndarray:
    """The place of ways (..., W) in the order of `ways`."""
    return np.asarray(taken @ (1 << np.arange(taken.shape[-1])[::-1]))


def log_of_ways(mended: np.ndarray, sets: np.ndarray, left: LeftByRepair) -> np.ndarray:
    """ln of the chance of each way, (2 ** W, N), of sets (N, W) of which these members were mended, (N, W)."""
    taken = ways(mended.shape[1])[:, None, :]
    possible = (mended[None] | ~taken).all(axis=2)
    each = np.where(mended, np.where(taken, left.log_works[sets], left.log_fails[sets]), 0.0)
    return np.where(possible, each.sum(axis=2), -np.inf)


def healthy_where(row: np.ndarray, gone: np.ndarray, worked: np.ndarray | None = None) -> np.ndarray:
    """What rows (R,) say with their repairs taken: of those mended, what a healthy board says, or `worked`."""
    found = row.copy()
    found[gone] = row[NOTHING_ROW] if worked is None else worked
    return found


@dataclass(frozen=True)
class Witness:
    """gone: (R,) rows mended before it. rows: (R,) ln likelihood under each single row, repairs mixed in."""

    gone: np.ndarray
    rows: np.ndarray

    @property
    def memory_key(self) -> tuple[object, ...]:
        """What it says of sets of rows depends on this, and on `rows`."""
        raise NotImplementedError

    def raw(self, model: DiagnosisModel, sets: np.ndarray, came_with: np.ndarray | None = None) -> np.ndarray:
        """ln likelihood under sets of rows that are all there, (N, W) filled up with NO_ROW to (N,). came_with: what
        was there as the unit came in, (N, W), in the same places; where it isn't given, the same."""
        raise NotImplementedError

    def of_sets(self, model: DiagnosisModel, sets: np.ndarray) -> np.ndarray:
        """ln likelihood under sets (N, W), (N,), each mended fault there still with the chance that its repair has
        failed."""
        mended = (sets != NO_ROW) & self.gone[sets]
        return log_sum(self.of_ways(model, sets) + log_of_ways(mended, sets, model.hypotheses.left), axis=0)

    def of_ways(self, model: DiagnosisModel, sets: np.ndarray) -> np.ndarray:
        """ln likelihood under sets (N, W) for each way in which their repairs may have gone, (2 ** W, N), in the order
        of `ways`; a way counts for members that were mended by then only."""
        mended = (sets != NO_ROW) & self.gone[sets]
        own, place = np.unique(numbered(ways(sets.shape[1])[:, None] & mended[None]), return_inverse=True)
        place = place.reshape(len(ways(sets.shape[1])), len(sets))
        found = np.empty(place.shape)
        of = [np.flatnonzero((place == k).any(axis=0)) for k in range(len(own))]
        gone = [ways(sets.shape[1])[number] for number in own.tolist()]
        parts = np.concatenate([np.where(worked, NO_ROW, sets[here]) for worked, here in zip(gone, of, strict=True)])
        likely = self.raw(model, parts, np.concatenate([sets[here] for here in of]))
        start = 0
        for k, here in enumerate(of):
            values = np.empty(len(sets))
            values[here] = likely[start:start + len(here)]
            start += len(here)
            found = np.where(place == k, values, found)
        return found


@dataclass(frozen=True)
class LocatedWitness(Witness):
    """Something seen at one place, where faults can hide each other. unmended: (R,) ln likelihood with no repair mixed
    in; worked: (R,) the same of each mended row with its repair taken; fresh: (R,) without what was seen before the
    last repair; size: (R,) how much each row changes what is seen there, 0 where it has no part in it; key: what
    `unmended` depends on."""

    unmended: np.ndarray
    worked: np.ndarray
    fresh: np.ndarray
    size: np.ndarray
    key: tuple[object, ...]

    def where_both(self, model: DiagnosisModel) -> np.ndarray:
        """Places in the model's list of meeting pairs of those where both rows have part in it: each by itself, or as
        one that joins two places and carries the other there."""
        one, other = self.size[model.pairs.first] > 0, self.size[model.pairs.second] > 0
        return np.flatnonzero((one & other) | ((one | other) & model.pairs.spans_meeting))

    def beyond_apart(self, model: DiagnosisModel) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """Where both rows have part in it: places of such pairs, what the two say by themselves, added up, and what the
        one says that changes it more. All (M',); kept for a while, since a trail grows by one entry at a time."""
        def make() -> tuple[np.ndarray, np.ndarray, np.ndarray]:
            here = self.where_both(model)
            first, second = model.pairs.first[here], model.pairs.second[here]
            apart = self.rows[first] + self.rows[second] - float(self.rows[NOTHING_ROW])
            larger = self.of_larger(first, second, model.hypotheses.left)
            return here, apart, larger

        return model.memory.meeting.recall(self.memory_key, make)

    @cached_property
    def at_most(self) -> float:
        """What it says, at most, of any faults together."""
        return float(self.rows.max())

    @cached_property
    def memory_key(self) -> tuple[object, ...]:
        """What `beyond_apart` depends on, too."""
        return *self.key, self.gone.tobytes()

    def of_larger(self, first: np.ndarray, second: np.ndarray, left: LeftByRepair) -> np.ndarray:
        """ln likelihood under pairs of rows that both have part in it, (M,): what the one says that changes it more."""
        one, other = self.unmended[first], self.unmended[second]
        larger = np.where(self.size[first] >= self.size[second], one, other)
        gone_one, gone_other = self.gone[first], self.gone[second]
        if not (gone_one.any() or gone_other.any()):
            return np.asarray(larger)
        works_one, fails_one = left.log_works[first], left.log_fails[first]
        # The second is there, or mended; and within each, so is the first. What one of them left changed when it was
        # mended, since both have part in it: what was seen there before tells nothing of how far it is off now.
        with_other = np.where(gone_one, np.logaddexp(works_one + self.fresh[second], fails_one + larger), larger)
        nothing = np.full(len(first), float(self.fresh[NOTHING_ROW]))
        alone = self.fresh[first]
        without = np.where(gone_one, np.logaddexp(works_one + nothing, fails_one + alone), alone)
        both = np.logaddexp(left.log_works[second] + without, left.log_fails[second] + with_other)
        return np.asarray(np.where(gone_other, both, with_other))


@dataclass(frozen=True)
class WarmthWitness(LocatedWitness):
    """What warmed under injection. Of several shorts on the rail the one with the most current decides."""

    def raw(self, model: DiagnosisModel, sets: np.ndarray, came_with: np.ndarray | None = None) -> np.ndarray:
        size = np.where(sets != NO_ROW, self.size[sets], -1.0)
        largest = np.take_along_axis(sets, size.argmax(axis=1)[:, None], axis=1)[:, 0]
        return np.asarray(self.unmended[np.where(size.max(axis=1) < 0, NOTHING_ROW, largest)])


@dataclass(frozen=True)
class ReadingWitness(LocatedWitness):
    """before: what the same copper read before it, and with what off the board; then: what had been mended by each of
    them, (R,), None where nothing was mended between that and this. size: how far each row's prediction is from a good
    board's on the comparing scale, large for OL. under: the board with what was isolated off it; wider: by how much
    this board scatters more than others do; slips: how often a touch reads open by mistake; again: what the point read
    before repairs; once: before all that is weighed; beside: what was read on copper that a fault would join to it."""

    point: str
    method: Method
    value: float
    touches: int
    before: tuple[tuple[str, float, Isolated], ...]
    then: tuple[np.ndarray | None, ...]
    under: DiagnosisModel
    wider: float = 1.0
    slips: float = CONTACT_FAILURE
    again: tuple[float, ...] = ()
    once: tuple[OnceRead, ...] = ()
    beside: Beside = ()

    @cached_property
    def at_most(self) -> float:
        """Two together may explain what neither does by itself: then it reads just as they predict."""
        apart = expected_apart(self.under, self.point, self.method, self.wider)
        if apart is None or not self.method.is_diode or np.isinf(self.value):
            return float(self.rows.max())
        spread = again_spread(apart.expected, self.method, np.inf) if self.before else apart.expected.base
        return max(float(self.rows.max()), float(-np.log(np.sqrt(2.0 * np.pi) * spread)))

    @cached_property
    def memory_key(self) -> tuple[object, ...]:
        return *self.key, self.gone.tobytes(), *(None if then is None else then.tobytes() for then in self.then)

    def where_both(self, model: DiagnosisModel) -> np.ndarray:
        where = super().where_both
        return self.under.memory.pairs_near.recall((self.point, self.method), lambda: where(model))

    def raw(self, model: DiagnosisModel, sets: np.ndarray, came_with: np.ndarray | None = None) -> np.ndarray:
        model = self.under
        came_with = sets if came_with is None else came_with
        values, touched = joint_values(model, sets, self.point, self.method)
        shared = self._learned(model, sets, came_with, values)
        expected = expected_of_sets(model, self.point, self.method, sets, values, touched, self.wider)
        doubted = read_again(expected, self.method, self.again, self.once)
        found = log_density(doubted, self.method, self.value, self.touches, shared, self.slips)
        return self._held_to_joined(model, sets, found, doubted, shared)

    def _learned(self, model: DiagnosisModel, sets: np.ndarray, came_with: np.ndarray,
                 values: np.ndarray) -> SharedDeviation | None:
        """What the readings before this one have taught sets (N, W) that read `values` (N,) here; None without any."""
        if not self.before:
            return None
        if not self.method.is_diode:
            return size_of_sets(model, sets, self.before, self.wider)
        return deviation_at((self._taught(sets, came_with, place) for place in range(len(self.before))), values,
                            model.good_at(self.point, self.method))

    @cached_property
    def _mended_then(self) -> tuple[bytes | None, ...]:
        return tuple(None if then is None else then.tobytes() for then in self.then)

    def _taught(self, sets: np.ndarray, came_with: np.ndarray, place: int) -> Taught:
        """What one of the readings before this one has taught sets (N, W); kept for a while, since the next reading of
        the same copper asks for it as well."""
        model, (name, value, isolated), then = self.under, self.before[place], self.then[place]

        def make() -> Taught:
            now, near = joint_values(model, sets, name, self.method)
            view, unknown, good = model.isolating(isolated), SharedDeviation.unknown(len(sets)), model.good_at(
                name, self.method)
            there = sets if then is None else np.where((came_with != NO_ROW) & ~then[came_with], came_with, sets)
            values, touched = (now, near) if then is None and view is model else joint_values(
                view, there, name, self.method)
            before = expected_of_sets(view, name, self.method, there, values, touched, self.wider)
            found = with_reading(before, unknown, value, None if values is now else unchanged(values, now))
            if view is model:
                return Taught(found, now, good)
            expected = expected_of_sets(model, name, self.method, sets, now, near, self.wider)
            learned = (with_reading(before, unknown, value).count > 0) & (there == sets).all(axis=1)
            return Taught(found, now, good, carried_over(
                value, learned, before.means, expected.means, (before.centre, expected.centre),
                lambda: share_of_junctions(model, view, name)))

        key = (self.method, self.wider, self.before[place], self._mended_then[place], sets.shape, sets.tobytes(),
               came_with.tobytes())
        return model.memory.taught.recall(key, make)

    def _held_to_joined(self, model: DiagnosisModel, sets: np.ndarray, found: np.ndarray, expected: Expected,
                        shared: SharedDeviation | None) -> np.ndarray:
        """Sets (N, W) with a row that joins this copper to another, held to what that one read, (N,)."""
        for copper, readings in self.beside:
            here = np.flatnonzero(np.isin(sets, model.joined[copper, model.copper[self.point]]).any(axis=1))
            if not len(here):
                continue
            other = deviation_beside(model, sets[here], self.method, readings, self.wider)
            both = other if shared is None else shared.as_it_is.of(here).plus(other)
            found[here] = log_density(given_joined(of_these(expected, here), both, self.method), self.method,
                                      self.value, self.touches, None, self.slips)
        return found


OfBroken = Callable[[np.ndarray, str], np.ndarray]


@dataclass(frozen=True)
class FunctionalWitness(Witness):
    """What speaks of what is broken, not of where: of sets only together with all others (`FunctionalEvidence`).

    of_broken: ln likelihood of N sets by what they break, (N, functions) to (N,). key: what that depends on. under: the
    board with what was isolated off it."""

    of_broken: OfBroken = field(repr=False)
    key: tuple[object, ...]
    under: DiagnosisModel

    @cached_property
    def memory_key(self) -> tuple[object, ...]:
        return self.key, self.gone.tobytes(), self.under.isolated

    def table(self) -> np.ndarray:
        """ln likelihood of every pair of classes, (K, K); one alone is beside the healthy class."""
        classes = self.under.classes
        return np.asarray(self.of_broken(classes.pair_broken, "classes")[classes.pair_place])


@dataclass(frozen=True)
class SeenWitness(Witness):
    """What was seen or felt at the port. shared: (S, R) parts of ln likelihood that count once however many faults show
    them; the rest adds up."""

    shared: np.ndarray

    @cached_property
    def memory_key(self) -> tuple[object, ...]:
        return self.shared.tobytes(), self.gone.tobytes()

    def raw(self, model: DiagnosisModel, sets: np.ndarray, came_with: np.ndarray | None = None) -> np.ndarray:
        return self.of_sets(model, sets)

    def of_sets(self, model: DiagnosisModel, sets: np.ndarray) -> np.ndarray:
        base = float(self.rows[NOTHING_ROW])
        member: np.ndarray = np.not_equal(sets, NO_ROW)
        found = base + np.where(member, self.rows[sets] - base, 0.0).sum(axis=1)
        for part in self.shared:
            shown = np.where(member & ~self.gone[sets], part[sets], 0.0)
            first = np.take_along_axis(shown, (shown != 0.0).argmax(axis=1)[:, None], axis=1)[:, 0]
            found -= shown.sum(axis=1) - first
        return np.asarray(found)
