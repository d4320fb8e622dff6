"""One posterior seen through the cost of repair: what every action is weighed with."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from functools import cached_property

import numpy as np

from dextrum.core.advice.actions import OutcomeMeaning
from dextrum.core.advice.advice_model import AdviceModel
from dextrum.core.advice.broken import broken_now
from dextrum.core.advice.done_enough import done_enough
from dextrum.core.advice.repairs import (
    RepairOptions,
    cut_down,
    expected_repair_cost,
    lifting,
    option_costs,
)
from dextrum.core.advice.wording import LEAST_OUTCOME, fault_words, part_words, percent
from dextrum.core.assumptions.planning import MENDED_ANYWAY, PLANNING_PENALTY
from dextrum.core.assumptions.stated import as_stated
from dextrum.core.board import UNLISTED_PART, Method
from dextrum.core.diagnosis.hypotheses import (
    FIRST_FAULT_ROW,
    NO_ROW,
    NOTHING_ROW,
    SOMETHING_ELSE_ROW,
    distinct_sets,
)
from dextrum.core.diagnosis.posterior import Posterior
from dextrum.core.diagnosis.suspected_parts import LEAST_NAMED
from dextrum.core.faults.registry import KINDS
from dextrum.core.faults.trace_parts import shown_part
from dextrum.core.job import JobFacts
from dextrum.core.looks import MISSING
from dextrum.tongue import tr

MOST_OUTCOMES = 5
MOST_REPAIRS, LEAST_REPAIR = 48, 1e-5
"""Repairs looked at when the best order is sought, and the least chance that one mends anything; past the likeliest two
dozen nothing changes it, to a cent."""
WEIGHED_MASS, MOST_WEIGHED = 0.998, 256
"""Share of the posterior that advice looks at: the likeliest sets that make it up, so many at most."""


class Weighing:
    """One posterior, seen through the cost of repair. All arrays are cut down to the L likeliest sets of faults.

    sets: (L, 3) rows, the first repeated where a set has fewer, in `rows` with NO_ROW there; weight: (L,), adding up to
    1; broken: (L, functions). harm: chance that each fault of each set breaks anything that matters, (L, 3).
    joints: by kind and target of the actions weighed so far, their outcomes' weights under each set, (outcomes, L).
    compared: places of the points that were compared, (P,), and their outcomes under each set, (P, 5, L).
    """

    def __init__(self, advice: AdviceModel, posterior: Posterior, facts: JobFacts) -> None:
        self.advice = advice
        self.board = advice.model.board
        self.rates = advice.rates
        self.facts = facts
        self.evidence = posterior.evidence
        self._costs_at: dict[str, np.ndarray] = {}
        self._live_costs: dict[str, np.ndarray] = {}
        self.joints: dict[tuple[str, str], np.ndarray] = {}
        self._outcome_names: dict[tuple[str, str], Sequence[str]] = {}
        self.compared: tuple[np.ndarray, np.ndarray] | None = None
        remaining = posterior.what_remains
        enough = min(int(np.searchsorted(np.cumsum(remaining.weight), WEIGHED_MASS)) + 1, MOST_WEIGHED)
        rows = remaining.rows[:enough]
        self.rows = rows
        self.sets = np.where(rows == NO_ROW, rows[:, :1], rows)
        self.weight = (remaining.weight[:enough] / remaining.weight[:enough].sum()).astype(np.float32)
        self.broken, harm = broken_now(advice.model, advice.harm, posterior, rows)
        self.harm: np.ndarray = self._harm_of(rows, harm)
        self.is_nothing = (1.0 - self.harm).prod(axis=1).astype(np.float32)
        self.costs = self.costs_at(facts.access)
        self.prove = self.rates.labour_per_minute * sum(check.minutes for check in self.board.checks)
        self.give_up = PLANNING_PENALTY * (self.board.unit_value - self.board.donor_value)
        self.nothing = float(self.weight @ self.is_nothing)
        self.options = self._options(rows)
        mending = self.weight @ self.options.mends
        likely = np.argsort(-mending, kind="stable")[:MOST_REPAIRS]
        self._live_options, self._live = cut_down(self.options, np.sort(likely[mending[likely] >= LEAST_REPAIR]))
        self.now = float(self.expect(self.weight[None, :])[0])

    def _harm_of(self, rows: np.ndarray, harm: np.ndarray) -> np.ndarray:
        """Chance that each fault of each set breaks anything the device must do, (L, 3); 0 where there is none. A fault
        that is as good as found is mended whatever it breaks, unless it may stay."""
        sure = (self._marginal[rows] >= MENDED_ANYWAY) & (rows >= FIRST_FAULT_ROW) & ~self._may_stay[rows]
        return np.asarray(np.where(sure, 1.0, harm))

    @cached_property
    def _may_stay(self) -> np.ndarray:
        """Faults that stay where they break nothing, (R,): a chip's, since changing one may do more harm than that it
        reads oddly; and an empty place that was empty when the unit came, since some boards never had the part."""
        came = self.showing((part, MISSING) for part in self.facts.came_without)
        return np.asarray(self.advice.of_chip | came)

    def showing(self, seen: Iterable[tuple[str, str]]) -> np.ndarray:
        """Which rows' faults show as one of these does, (R,). seen: parts, each with what is seen of it."""
        named = frozenset(" ".join(one) for one in seen)
        words, shows = self.advice.what_shows
        return np.isin(shows, [k for k, word in enumerate(words) if word in named])

    def chance_to_mend(self, option: int) -> float:
        """Chance that the option mends anything of what is wrong."""
        mends = self.advice.repairs.mends[:, option] > 0
        return float(self.weight @ (mends[self.rows] & (self.rows >= FIRST_FAULT_ROW)).any(axis=1))

    @cached_property
    def done_enough(self) -> tuple[int, ...]:
        """Places of the repairs that are not done once more."""
        return done_enough(self.board, self.advice.model.references, self.advice.repairs, self.facts)

    @cached_property
    def _mends(self) -> np.ndarray:
        """What each repair mends, (R, K): nothing more, where it has been done often enough."""
        mends = self.advice.repairs.mends
        if self.done_enough:
            mends = mends.copy()
            mends[:, list(self.done_enough)] = 0.0
        return mends

    @cached_property
    def _cheapest_of_row(self) -> np.ndarray:
        """What the cheapest repair of each row costs from where the unit is, (R,); inf where nothing mends it."""
        key = self.facts.access, frozenset(a.partition(".")[0] for a in self.facts.isolated), self.done_enough

        def make() -> np.ndarray:
            costs = np.where(self._mends > 0, self.costs[None, :], np.inf).min(axis=1, initial=np.inf)
            costs[:FIRST_FAULT_ROW] = 0.0
            return np.asarray(costs)

        return self.advice.memory.cheapest.recall(key, make)

    def _options(self, rows: np.ndarray) -> RepairOptions:
        """The repairs over sets.

        A set of several is in the order of repairs with its likeliest fault; what the others then cost is `_later`:
        each its cheapest repair, and as far as it isn't known yet, the search for it once the proof has failed.
        """
        member: np.ndarray = np.not_equal(rows, NO_ROW)
        self._cheapest: np.ndarray = np.where(member, self._cheapest_of_row[rows], 0.0)
        chance = self._marginal[rows]
        search = (1.0 - chance) * (self.minutes_cost(as_stated(self.board, "search_minutes")) + self.prove)
        self._second: np.ndarray = np.where(member, np.minimum(self._cheapest + search, self.give_up), 0.0) * self.harm
        first = np.where(member & np.isfinite(self._cheapest), chance, -1.0).argmax(axis=1)
        everyone = np.arange(len(rows))
        self._later = (self._second.sum(axis=1) - self._second[everyone, first]).astype(np.float32)
        mendable: np.ndarray = np.all(np.isfinite(self._cheapest), axis=1)
        share = np.where(mendable[:, None], self._mends[rows[everyone, first]], 0.0).astype(np.float32)
        share *= (1.0 - self.is_nothing)[:, None]
        self._later[~mendable] = 0.0
        return RepairOptions(self.advice.repairs.options, share)

    @cached_property
    def _marginal(self) -> np.ndarray:
        """Chance of each row's fault among what weighs, (R + 1,); variants of a fault count together, and what is no
        fault has none."""
        of = np.append(self.advice.model.hypotheses.fault_of_row, -1)
        each = of[self.rows] + 1
        per_fault = np.bincount(each.ravel(), np.repeat(self.weight, each.shape[1]),
                                len(self.advice.model.hypotheses.faults) + 1)
        per_fault[0] = 0.0
        return np.asarray(per_fault[of + 1])

    def after_repairs(self, options: Sequence[int]) -> list[float]:
        """What is still to be spent, proof included, once each of these options is done."""
        member = (self.rows != NO_ROW) & (self.rows >= FIRST_FAULT_ROW)
        left: list[np.ndarray] = []
        spent: list[float] = []
        for option in options:
            mended = member & (self.advice.repairs.mends[:, option] > 0)[self.rows]
            touched = mended.any(axis=1)
            rest = np.where(member & ~mended, self._second, 0.0).sum(axis=1) + self.prove
            left.append(np.where(touched, 0.0, self.weight)[None, :])
            spent.append(float(self.weight[touched] @ rest[touched]))
        others = self.expect_each(left, [self.advice.repairs.options[option].access for option in options])
        return [own + after for own, after in zip(spent, others, strict=True)]

    def outcome_rows(self, points: np.ndarray) -> np.ndarray:
        """Which of a set's rows decides what each point reads, (P, L): the one that changes it most."""
        found = np.repeat(self.sets[None, :, 0], len(points), axis=0)
        sets = self.sets[self._several]
        size = self.advice.sizes[points[:, None, None], sets[None, :, :]]
        found[:, self._several] = sets[np.arange(len(sets)), size.argmax(axis=2)]
        return found

    @cached_property
    def _several(self) -> np.ndarray:
        """Places of the sets of more than one row."""
        return np.flatnonzero((self.sets[:, 1:] != self.sets[:, :1]).any(axis=1))

    def values_at(self, points: np.ndarray, method: Method = Method.DIODE_RED_GROUND) -> np.ndarray:
        """What points (places in the outcome table) read under each set by a method, (P, L) in volts or ohms; nan where
        they can't be."""
        table = self.advice.model.predictions(method)
        columns = np.array([table.column[self.advice.outcomes.points[i]] for i in points.tolist()], dtype=int)
        return np.asarray(table.values[self.outcome_rows(points), columns[:, None]])

    @cached_property
    def row_weight(self) -> np.ndarray:
        """The weight of the sets, shared out among their rows, (R,)."""
        shared = np.repeat(self.weight / self.sets.shape[1], self.sets.shape[1])
        return np.bincount(self.sets.ravel(), shared, self.advice.model.hypotheses.count).astype(np.float32)

    def outcome_chances(self, points: np.ndarray) -> np.ndarray:
        """Chance of each outcome at points (places in the outcome table) under each set, (P, 5, L)."""
        table = self.advice.outcomes
        found = np.take(table.chances[points], self.sets[:, 0], axis=2)
        rows = self.outcome_rows(points)[:, self._several]
        found[:, :, self._several] = table.by_row[rows, points[:, None]].transpose(0, 2, 1)
        return found

    def costs_at(self, access: str) -> np.ndarray:
        """Cost of each repair (K,) once the unit is open as far as `access`, or as it is now if that is deeper."""
        order = self.board.access_order
        level = access if order.get(access, 0) > order.get(self.facts.access, 0) else self.facts.access
        if level not in self._costs_at:
            known = self.advice.memory.costs.recall(level, lambda: option_costs(
                self.board, self.advice.repairs, self.rates, level))
            self._costs_at[level] = known - self._lifted
        return self._costs_at[level]

    @cached_property
    def _lifted(self) -> np.ndarray:
        """What replacing costs less where the part is off already, (K,)."""
        off = {a.partition(".")[0] for a in self.facts.isolated}
        found = np.zeros(len(self.advice.repairs.options))
        if not off:
            return found
        for k, option in enumerate(self.advice.repairs.options):
            if option.part in off and option.action == "replace":
                how = lifting(self.board, self.board.component_by_designator[option.part])
                found[k] = self.minutes_cost(how[0]) + how[1] * self.board.unit_value if how is not None else 0.0
        return found

    def expect(self, weights: np.ndarray, access: str = "") -> np.ndarray:
        """Expected cost of repair (B,) of B weight vectors over the live sets, each adding up to 1.

        access: how far the unit is open by then; what an action opened, the repairs after it need not open again.
        """
        total = np.maximum(weights.sum(axis=1, keepdims=True), 1e-30)
        normal = weights / total
        if access not in self._live_costs:
            self._live_costs[access] = self.costs_at(access)[self._live].astype(np.float32)
        first = expected_repair_cost(self._live_options, self._live_costs[access], normal, normal @ self.is_nothing,
                                     self.give_up, self.prove)
        return np.asarray(first + normal @ self._later)

    def expect_each(self, joints: Sequence[np.ndarray], accesses: Sequence[str]) -> list[float]:
        """Expected cost after each of many actions, of joint weights of its outcomes (outcomes, L) and how far it
        leaves the unit open. All of one access are weighed at once."""
        found = [0.0] * len(joints)
        for access in dict.fromkeys(accesses):
            members = [k for k, a in enumerate(accesses) if a == access]
            cost = self.expect(np.concatenate([joints[k] for k in members]), access)
            ends = np.cumsum([len(joints[k]) for k in members])
            for k, own in zip(members, np.split(cost, ends[:-1]), strict=True):
                found[k] = float(joints[k].sum(axis=1) @ own)
        return found

    def minutes_cost(self, minutes: float) -> float:
        return minutes * self.rates.labour_per_minute

    @cached_property
    def _state(self) -> np.ndarray:
        """Number of the set of faults, sizes apart, (L,); -1 for 'something else'."""
        of = self.advice.model.hypotheses.fault_of_row[self.sets]
        _, place = distinct_sets(np.sort(of, axis=1), len(self.advice.model.hypotheses.faults))
        own = np.where(self.sets[:, 0] == NOTHING_ROW, place.max(initial=0) + 1, place)
        return np.asarray(np.where(self.sets[:, 0] == SOMETHING_ELSE_ROW, -1, own))

    def leading(self, weights: np.ndarray) -> np.ndarray:
        """Weight of the likeliest single state (a set of faults, or none) among the live sets, (..., L) to (...)."""
        order, starts = self._by_state
        if not len(order):
            return np.zeros(weights.shape[:-1])
        return np.asarray(np.add.reduceat(weights[..., order], starts, axis=-1).max(axis=-1))

    @cached_property
    def _by_state(self) -> tuple[np.ndarray, np.ndarray]:
        """Places of the sets in the order of their state, and where each state begins among them."""
        order = np.argsort(self._state, kind="stable")
        order = order[self._state[order] >= 0]
        return order, np.flatnonzero(np.diff(self._state[order], prepend=-1))

    @cached_property
    def _member(self) -> tuple[np.ndarray, np.ndarray]:
        """Places of the faults that are in any set, (P,), and which of them are in which set, (L, P)."""
        hypotheses = self.advice.model.hypotheses
        found = np.zeros((len(self.sets), len(hypotheses.faults) + 1), dtype=np.float32)
        found[np.arange(len(self.sets))[:, None], hypotheses.fault_of_row[self.sets]] = 1.0
        present = np.flatnonzero(found[:, :-1].any(axis=0))
        return present, found[:, present]

    def tell(self, kind: str, target: str, names: Sequence[str], joint: np.ndarray) -> None:
        """Keep what an action's outcomes would leave of each set, (outcomes, L), for what comes to be shown."""
        self.joints[kind, target] = joint
        self._outcome_names[kind, target] = names

    def meanings(self, actions: Sequence[tuple[str, str]]) -> list[tuple[OutcomeMeaning, ...]]:
        """What each outcome of actions, by kind and target, would mean, likeliest first."""
        shown: list[list[tuple[str, float, np.ndarray]]] = []
        for action in actions:
            names, joint = self._outcome_names.get(action, ()), self.joints.get(action)
            if joint is None or not names:
                shown.append([])
                continue
            chance = joint.sum(axis=1)
            shown.append([(names[k], float(chance[k]), joint[k])
                          for k in np.argsort(-chance, kind="stable")[:MOST_OUTCOMES] if chance[k] >= LEAST_OUTCOME])
        every = [weights for outcomes in shown for *_, weights in outcomes]
        leads = iter(self.leads(np.stack(every)) if every else ())
        return [tuple(OutcomeMeaning(name, chance, next(leads)) for name, chance, _ in outcomes) for outcomes in shown]

    @cached_property
    def _parts(self) -> tuple[tuple[str, ...], np.ndarray]:
        """Parts that are at fault in any set, and in which, (L, P)."""
        names, of = self.advice.parts
        found = np.zeros((len(self.sets), len(names) + 1), dtype=np.float32)
        found[np.arange(len(self.sets))[:, None], of[self.sets]] = 1.0
        present = np.flatnonzero(found[:, :-1].any(axis=0))
        return tuple(names[k] for k in present), found[:, present]

    @cached_property
    def chance_of_part(self) -> dict[str, float]:
        """Chance that each part is at fault still."""
        names, member = self._parts
        return dict(zip(names, (self.weight @ member).tolist(), strict=True))

    def decided_each(self, joint: np.ndarray) -> np.ndarray:
        """`decided` of many actions at once: joint (A, outcomes, L) to (A,)."""
        names, member = self._parts
        if not names:
            return np.ones(len(joint))
        both = np.concatenate([member, 1.0 - member.max(axis=1, keepdims=True)], axis=1)
        return np.asarray((joint @ both).max(axis=2).sum(axis=1))

    def sets_with(self, part: str, quiet: bool = False) -> np.ndarray:
        """In which sets a part is at fault, and shows in no reading if that is asked for, (L,)."""
        if quiet:
            hypotheses = self.advice.model.hypotheses
            wanted = np.array([fault.part == part and KINDS[fault.kind].quiet for fault in hypotheses.faults] + [False])
            return np.asarray(wanted[hypotheses.fault_of_row[self.sets]].any(axis=1), dtype=np.float32)
        names, member = self._parts
        return np.asarray(member[:, names.index(part)] if part in names else np.zeros(len(self.sets), dtype=np.float32))

    def shaken(self, joint: np.ndarray, part: str) -> np.ndarray:
        """By how much the outcomes of actions that speak against a part lower its chance, times their own chance.
        joint: (A, outcomes, L) to (A,)."""
        own = self.sets_with(part)
        sure = float(self.weight @ own)
        return np.asarray(np.maximum(sure * joint.sum(axis=2) - joint @ own, 0.0).sum(axis=1))

    @property
    def likeliest_part(self) -> str:
        return max(self.chance_of_part, key=self.chance_of_part.__getitem__, default="")

    def decided(self, joint: np.ndarray) -> float:
        """Chance that the likeliest part (or none) after an action is at fault indeed. joint: (outcomes, L)."""
        return float(self.decided_each(joint[None])[0])

    @cached_property
    def beyond_repair(self) -> float:
        """Chance that something is wrong that nothing in the pack mends, 'something else' included."""
        hopeless = ~np.isfinite(np.where(self.rows == NO_ROW, 0.0, self._cheapest)).all(axis=1)
        hopeless |= self._unlisted
        return float(self.weight @ ((1.0 - self.is_nothing) * hopeless))

    @cached_property
    def part_beyond_repair(self) -> tuple[str, float]:
        """The likeliest part whose fault nothing mends, and its chance; empty where there is none."""
        hypotheses = self.advice.model.hypotheses
        member: np.ndarray = np.not_equal(self.rows, NO_ROW)
        lost = member & ~np.isfinite(self._cheapest) & (self.rows >= FIRST_FAULT_ROW)
        chance: dict[str, float] = {}
        for k in np.flatnonzero(lost.any(axis=1)):
            for part in {hypotheses.faults[int(hypotheses.fault_of_row[r])].part for r in self.rows[k][lost[k]]}:
                chance[part] = chance.get(part, 0.0) + float(self.weight[k])
        chance.pop(UNLISTED_PART, None)
        return max(chance.items(), key=lambda item: item[1], default=("", 0.0))

    @property
    def unexplained(self) -> float:
        """Chance of 'something else'."""
        return float(self.weight @ self._unlisted)

    @cached_property
    def _unlisted(self) -> np.ndarray:
        """Sets with anything in them that the pack doesn't list, (L,)."""
        return np.asarray(self.advice.model.hypotheses.unlisted[self.sets].any(axis=1))

    def lead(self, weights: np.ndarray) -> str:
        """The likeliest part of a weight vector over the live sets, in words."""
        return self.leads(weights[None])[0]

    def leads(self, weights: np.ndarray) -> list[str]:
        """`lead` of many weight vectors, (O, L): with its fault, where one is most of what may be wrong with it."""
        faults, (places, member), (names, of_part) = self.advice.model.hypotheses.faults, self._member, self._parts
        total, per_fault, per_part = weights.sum(axis=1), weights @ member, weights @ of_part
        healthy, unlisted = weights[:, self.sets[:, 0] == NOTHING_ROW].sum(axis=1), weights @ self._unlisted
        per_part = np.where([name == UNLISTED_PART for name in names], 0.0, per_part)
        found = []
        for k, whole in enumerate(total.tolist()):
            best, most = (int(per_part[k].argmax()), float(per_part[k].max())) if names else (0, 0.0)
            if whole <= 0:
                found.append(tr("cannot happen"))
            elif healthy[k] >= max(most, float(unlisted[k])):
                found.append(tr("no fault there"))
            elif unlisted[k] > most:
                found.append(f"{tr(UNLISTED_PART)}, {percent(float(unlisted[k]) / whole)}")
            else:
                own = [p for p, place in enumerate(places.tolist()) if faults[place].part == names[best]]
                share = per_fault[k, own]
                named = float(share.max()) >= LEAST_NAMED * float(share.sum())
                words = (fault_words(self.board, faults[places[own[int(share.argmax())]]]) if named
                         else part_words(self.board, names[best]))
                found.append(f"{shown_part(names[best])} {words}, {percent(most / whole)}")
        return found


LEAST_TOLD = 0.05


def _told(weighing: Weighing, chances: np.ndarray, faults: Sequence[int]) -> np.ndarray:
    """How differently boards with each fault and boards without it read at points, (P, faults): the total variation of
    the two; 0 where a fault is certain, or not there at all. chances: (P, 5, L)."""
    of = weighing.advice.model.hypotheses.fault_of_row[weighing.sets]
    there = (of[:, :, None] == np.asarray(faults)).any(axis=1)
    with_it, without = weighing.weight[:, None] * there, weighing.weight[:, None] * ~there
    for side in (with_it, without):
        side /= np.maximum(side.sum(axis=0), 1e-30)
    found = 0.5 * np.abs(chances @ (with_it - without)).sum(axis=1)
    return np.where(there.any(axis=0) & ~there.all(axis=0), found, 0.0)


def points_that_settle(weighing: Weighing, faults: Sequence[int]) -> tuple[tuple[int, str], ...]:
    """For each fault, the point among those compared that would tell most; faults that none tells are left out."""
    if weighing.compared is None:
        return ()
    places, chances = weighing.compared
    if not len(places) or not len(faults):
        return ()
    told = _told(weighing, chances, faults)
    best = told.argmax(axis=0)
    return tuple((fault, weighing.advice.outcomes.points[int(places[best[k]])]) for k, fault in enumerate(faults)
                 if told[best[k], k] >= LEAST_TOLD)


def point_that_settles(weighing: Weighing, fault: int) -> str:
    """The unread point of the whole board that would tell most of a fault; empty where nothing tells it."""
    points = weighing.advice.outcomes.points
    told = _told(weighing, weighing.outcome_chances(np.arange(len(points))), (fault,))[:, 0]
    read = {point for epoch, point, _ in weighing.facts.readings or {} if epoch == weighing.facts.epoch}
    told[[i for i, p in enumerate(points) if p in read]] = 0.0
    best = int(np.argmax(told)) if len(told) else 0
    return points[best] if len(told) and told[best] >= LEAST_TOLD else ""
