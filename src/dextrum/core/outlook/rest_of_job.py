"""The rest of a job played many times by a policy that is quick to play, from what is known now.

The faults of a play are drawn from the posterior. What is left of the usual order (look, supply, port, board) is done
first; then parts are changed, the one that was found first, or where it was not found by chance over cost (D.
Heckerman, J. S. Breese and K. Rommelse, Decision-theoretic troubleshooting, CACM 38(3), 1995), each with the risk that
it does not take; then the unit is proved. All plays go side by side, as arrays. How far this is from playing the whole
advice was measured: a play's minutes are spread by what was found (`BEFORE_TOUCHED`, `AFTER_REPAIR`).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from dextrum.core.advice.kinds.registry import kind_of
from dextrum.core.advice.recommend import Advice
from dextrum.core.advice.weighing import Weighing
from dextrum.core.assumptions.outlook import (
    AFTER_REPAIR,
    BEFORE_TOUCHED,
    CHARGES_MINUTES,
    FOUND_BY_MEASURING,
    MOST_TOUCHES,
    QUIET_FOUND,
    ROUND_AGAIN_MINUTES,
    TOUCHES_A_SUSPECT,
    TOUCHES_IF_WHOLE,
)
from dextrum.core.assumptions.stated import as_stated
from dextrum.core.assumptions.trials import FLAT_UNSEEN
from dextrum.core.diagnosis.hypotheses import FIRST_FAULT_ROW, NO_ROW
from dextrum.core.faults.registry import KINDS
from dextrum.core.reference.warm import COOLING

PLAYS = 2_000
"""Of one job: the 10th and the 90th percentile then move by some two per cent from seed to seed."""
BOARD_SIDES = 2
"""Looked at one by one; the minutes of looking at a board are those of both."""
MOST_ROUNDS = 6
"""Repairs of one play, after which it counts as given up."""


@dataclass(frozen=True)
class RestOfJob:
    """N plays side by side. hands, waiting: minutes of each, (N,). good: whether it ends proved, (N,). parts: their
    names, (P,), with fitted: how many of each a play takes, (N, P), and prices: of each, (P,), in the shop's currency.
    full: plays by the whole advice, not the quick policy."""

    hands: np.ndarray
    waiting: np.ndarray
    good: np.ndarray
    parts: tuple[str, ...]
    fitted: np.ndarray
    prices: np.ndarray
    full: bool = False

    @property
    def plays(self) -> int:
        return len(self.hands)

    @property
    def spent_on_parts(self) -> np.ndarray:
        """Of each play, (N,), in the shop's currency."""
        return np.asarray(self.fitted @ self.prices) if len(self.parts) else np.zeros(self.plays)

    @property
    def chance_good(self) -> float:
        return float(self.good.mean()) if self.plays else 0.0

    def chance_of_part(self) -> dict[str, float]:
        """Chance that a play takes at least one of each part, likeliest first."""
        chance = (self.fitted > 0).mean(axis=0) if self.plays else np.zeros(len(self.parts))
        return {self.parts[k]: float(chance[k]) for k in np.argsort(-chance, kind="stable") if chance[k] > 0}


def span(minutes: np.ndarray, share: float = 0.8) -> tuple[float, float, float]:
    """The middle of an array of values and the ends of what holds `share` of them: low, middle, high; zeros of none."""
    if not len(minutes):
        return 0.0, 0.0, 0.0
    low, middle, high = np.quantile(minutes, ((1.0 - share) / 2.0, 0.5, (1.0 + share) / 2.0))
    return float(low), float(middle), float(high)


def nothing_left(plays: int = 1, good: bool = True) -> RestOfJob:
    """Of a job that is closed."""
    none = np.zeros(plays)
    return RestOfJob(none, none, np.full(plays, good), (), np.zeros((plays, 0)), np.zeros(0))


def play_rest(weighing: Weighing, advice: Advice, generator: np.random.Generator, plays: int = PLAYS) -> RestOfJob:
    """The rest of the job by the quick policy. Takes some ten milliseconds."""
    facts, rates, board = weighing.facts, weighing.rates, weighing.board
    options = weighing.advice.repairs.options
    names = tuple(dict.fromkeys(o.part for o in options if o.action == "replace"))
    prices = np.array([next(o.price for o in options if o.part == name and o.action == "replace") for name in names])
    if facts.outcome is not None:
        return nothing_left(plays, facts.outcome.result in ("repaired", "no_fault"))
    chosen = generator.choice(len(weighing.weight), plays, p=_sums_to_one(weighing.weight))
    rows = weighing.rows[chosen]
    there = (rows != NO_ROW) & (generator.random(rows.shape) < weighing.harm[chosen])
    measured, needs_access = _before_repair(weighing, there, generator)
    run = _Repairing(weighing, rows, there, names, generator)
    run.play()
    proof = sum(check.minutes for check in board.checks if check.id not in (facts.proofs or {}))
    proved = np.where(run.good, proof + rates.replug_minutes, 0.0)
    # Heat may have hurt a neighbour, before now or in the repairs to come: one round more, and one small repair.
    heats = run.heats + (1 if facts.epoch > 0 and not facts.proofs else 0)
    hurt = generator.random(plays) < 1.0 - (1.0 - as_stated(board, "heat_hurts")) ** heats
    rounds = run.rounds_in_vain + hurt
    again = rounds * generator.exponential(ROUND_AGAIN_MINUTES, plays) + hurt * run.usual_repair
    access = np.where(run.opened | needs_access, _access_minutes(weighing), 0.0)
    hands = measured + access + run.minutes + proved + again
    middle, spread = AFTER_REPAIR if facts.epoch > 0 else BEFORE_TOUCHED
    hands = hands * middle * np.exp(spread * generator.normal(size=plays))
    flat = generator.random(plays) < (FLAT_UNSEEN if facts.cell != "known_good" and not facts.proofs else 0.0)
    waiting = run.heats * COOLING.total_seconds() / 60.0 + flat * generator.exponential(CHARGES_MINUTES, plays)
    if kind_of(advice.next).waits:
        waiting = waiting + advice.next.minutes
    return RestOfJob(hands, waiting, run.good, names, run.fitted, prices)


def _sums_to_one(weight: np.ndarray) -> np.ndarray:
    exact = weight.astype(float)
    return np.asarray(exact / exact.sum())


def _access_minutes(weighing: Weighing) -> float:
    board = weighing.board
    return board.minutes_to(board.access_levels[-1].id, weighing.facts.access) if board.access_levels else 0.0


def _before_repair(weighing: Weighing, there: np.ndarray, generator: np.random.Generator) -> tuple[
        np.ndarray, np.ndarray]:
    """Minutes of looking and measuring before anything is changed, (N,), and whether the board has to be reached."""
    facts, rates, board = weighing.facts, weighing.rates, weighing.board
    usual = 0.0
    if facts.look is None:
        usual += rates.look_minutes
    usual += rates.supply_minutes * sum(not facts.drawn(o) for o in "ab")
    points = board.port_point_ids()
    unread = sum(facts.latest_reading(p, board.point_by_id[p].default_method) is None for p in points)
    usual += rates.contact_minutes * unread
    usual += rates.board_look_minutes * max(0, BOARD_SIDES - len(facts.board_looks or {})) / BOARD_SIDES
    chance = np.array(list(weighing.chance_of_part.values()) or [0.0])
    shares = chance / max(chance.sum(), 1e-9)
    alike = float(np.exp(-(shares * np.log(np.maximum(shares, 1e-12))).sum())) if chance.sum() > 0 else 1.0
    touches = min(MOST_TOUCHES, TOUCHES_A_SUSPECT * max(0.0, alike - 1.0))
    faulty = there.any(axis=1)
    read = generator.exponential(1.0, len(there)) * touches * rates.touch_minutes
    return usual + np.where(faulty, read, TOUCHES_IF_WHOLE * read), np.asarray(faulty & (touches > 1.0))


class _Repairing:
    """Parts changed one after the other until all that does harm is mended, or nothing mends it."""

    def __init__(self, weighing: Weighing, rows: np.ndarray, there: np.ndarray, names: tuple[str, ...],
                 generator: np.random.Generator) -> None:
        self.weighing, self.rows, self.generator = weighing, rows, generator
        self.fails = as_stated(weighing.board, "repair_fails") + as_stated(weighing.board, "new_part_fails")
        self.left = there.copy()
        plays = len(rows)
        self.minutes, self.heats = np.zeros(plays), np.zeros(plays)
        self.rounds_in_vain = np.zeros(plays)
        self.fitted = np.zeros((plays, len(names)))
        self.opened = np.zeros(plays, dtype=bool)
        self.good = np.zeros(plays, dtype=bool)
        options = weighing.advice.repairs.options
        place = {name: k for k, name in enumerate(names)}
        self.column = np.array([place.get(o.part, -1) if o.action == "replace" else -1 for o in options], dtype=int)
        self.option_minutes = np.array([o.minutes for o in options])
        self.usual_repair = float(np.median(self.option_minutes)) if len(options) else 0.0
        self.mends = weighing.advice.repairs.mends > 0
        self.cost = weighing.costs
        chance = (weighing.weight @ weighing.options.mends).astype(float) if options else np.zeros(0)
        self.worth = chance / np.maximum(self.cost, 1e-6)
        hypotheses = weighing.advice.model.hypotheses
        quiet = np.array([KINDS[f.kind].quiet for f in hypotheses.faults] + [False])
        self.is_quiet = quiet[hypotheses.fault_of_row]

    def play(self) -> None:
        plays = len(self.rows)
        if not len(self.option_minutes):
            self.good = np.asarray(~self.left.any(axis=1))
            return
        safe = np.where(self.rows == NO_ROW, 0, self.rows)
        # The cheapest repair of every fault; a fault that nothing mends ends the job once it is found.
        cost = np.where(self.mends[safe], self.cost[None, None, :], np.inf)
        best = cost.argmin(axis=2)
        hopeless = self.left & ~np.isfinite(cost.min(axis=2))
        hopeless |= self.left & (safe < FIRST_FAULT_ROW)
        found_chance = np.where(self.is_quiet[safe], QUIET_FOUND, FOUND_BY_MEASURING)
        order = np.argsort(-self.worth, kind="stable")
        going = self.left.any(axis=1)
        lost = hopeless.any(axis=1)
        tried = np.zeros((plays, len(order)), dtype=bool)
        everyone = np.arange(plays)
        for _ in range(MOST_ROUNDS):
            now = going & ~lost & self.left.any(axis=1)
            if not now.any():
                break
            first = self.left.argmax(axis=1)
            named = self.generator.random(plays) < found_chance[everyone, first]
            # Not named: the option that looks best and was not tried yet.
            ranks = np.where(tried[:, order], len(order), np.arange(len(order))[None, :]).argmin(axis=1)
            option = np.where(named, best[everyone, first], order[ranks])
            tried[everyone, option] |= now
            takes = self.generator.random(plays) >= self.fails
            mended = self.left & self.mends[safe, option[:, None]] & (now & takes)[:, None]
            self.left = np.asarray(self.left & ~mended)
            self.minutes += np.where(now, self.option_minutes[option], 0.0)
            self.heats += now
            self.opened |= now
            column = self.column[option]
            new = now & (column >= 0)
            self.fitted[everyone[new], column[new]] += 1
            self.rounds_in_vain += now & self.left.any(axis=1) & going
        self.rounds_in_vain += lost
        self.good = np.asarray(~self.left.any(axis=1) & ~lost)
