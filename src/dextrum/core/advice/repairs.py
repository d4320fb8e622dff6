"""What can be mended, what each costs, and the expected cost of repairing in the best order.

With repairs sorted by chance over cost, the expected cost is minimal when one at a time is tried until the
device works: D. Heckerman, J. S. Breese and K. Rommelse, Decision-theoretic troubleshooting, CACM 38(3), 1995.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property
from itertools import accumulate

import numpy as np

from dextrum.core.advice.rates import ShopRates
from dextrum.core.assumptions.planning import LIFTING_MINUTES, LIFTING_RISK
from dextrum.core.board import Board, Component, ComponentKind, FaultKind, Side
from dextrum.core.diagnosis.hypotheses import Hypotheses
from dextrum.core.faults.mending import kinds_mended


@dataclass(frozen=True)
class RepairOption:
    """One action on one part. minutes: once the access is there, with the recheck after it."""

    part: str
    action: str
    minutes: float
    access: str
    price: float
    risk: float

    @property
    def verb(self) -> str:
        """As the trail records it."""
        return self.action if self.action in ("reflow", "wire") else "replace"


@dataclass(frozen=True)
class RepairOptions:
    """options: K of them. mends: (R, K), 1 where the option mends the row."""

    options: tuple[RepairOption, ...]
    mends: np.ndarray

    @cached_property
    def ranks(self) -> tuple[tuple[int, ...], ...]:
        """Places of the first option of every part, of the second of those that have one, and so on; the parts with
        most options first."""
        by_part: dict[str, list[int]] = {}
        for k, option in enumerate(self.options):
            by_part.setdefault(option.part, []).append(k)
        parts = sorted(by_part.values(), key=len, reverse=True)
        return tuple(tuple(own[rank] for own in parts if len(own) > rank)
                     for rank in range(max(map(len, parts), default=0)))

    @cached_property
    def rivals(self) -> tuple[tuple[slice, slice], ...]:
        """Of options that stand by their ranks: each rank but the last as far as its parts have one more, and the next
        rank."""
        counts = [len(rank) for rank in self.ranks]
        starts = list(accumulate(counts, initial=0))
        return tuple((slice(start, start + count), slice(end, end + count))
                     for start, end, count in zip(starts, starts[1:], counts[1:], strict=False))

    @cached_property
    def mended_by_both(self) -> tuple[np.ndarray, ...]:
        """Of each pair of `rivals`, how far both options of a part mend each row, (R, parts)."""
        return tuple(np.minimum(self.mends[:, one], self.mends[:, other]) for one, other in self.rivals)


def deeper(board: Board, access: str, side: Side) -> str:
    """A part on the far side is not reached before the deepest level."""
    if side is Side.BOTTOM and board.access_levels:
        return board.access_levels[-1].id
    return access


def lifting(board: Board, part: Component) -> tuple[float, float] | None:
    """Minutes to take a part off, and the risk; None for what can't be taken off and put back."""
    if part.kind is ComponentKind.IC:
        rule = next((r for r in board.repair_rules if r.kind is part.kind and r.action == "replace"), None)
        return (rule.minutes / 2, rule.risk / 2) if rule is not None and part.price > 0 else None
    return (LIFTING_MINUTES[part.kind], LIFTING_RISK[part.kind]) if part.kind in LIFTING_MINUTES else None


def build_repair_options(board: Board, hypotheses: Hypotheses, rates: ShopRates,
                         prices: Mapping[str, float] | None = None) -> RepairOptions:
    """All options of the pack's repair rules, and wiring of broken traces."""
    parts: dict[str, list[int]] = {}
    for index, fault in enumerate(hypotheses.faults):
        parts.setdefault(fault.part, []).append(index)
    options: list[RepairOption] = []
    columns: list[np.ndarray] = []
    for part, indices in parts.items():
        component = board.component_by_designator.get(part)
        if component is None:
            access = board.access_levels[-1].id if board.access_levels else ""
            rules: list[tuple[str, frozenset[FaultKind], float, str, float, float]] = [
                ("wire", kinds_mended(board, part, "wire"), rates.wire_minutes, access, 0.5, 0.03)]
        else:
            rules = [(rule.action, kinds_mended(board, part, rule.action), rule.minutes,
                      deeper(board, rule.access, component.side),
                      (prices or {}).get(part, component.price) if rule.action == "replace" else 0.0, rule.risk)
                     for rule in board.repair_rules if rule.kind is component.kind]
            if component.designator and component.kind is ComponentKind.IC and component.price == 0.0:
                rules = []
            if "wire" not in {rule[0] for rule in rules} and (torn := kinds_mended(board, part, "wire")):
                rules.append(("wire", torn, rates.wire_minutes, board.access_levels[-1].id if board.access_levels
                              else "", 0.5, 0.03))
        for action, kinds, minutes, access, price, risk in rules:
            mended = np.zeros(len(hypotheses.faults) + 1)
            for i in indices:
                mended[i] = 1.0 if hypotheses.faults[i].kind in kinds else 0.0
            if mended.any():
                options.append(RepairOption(part, action, minutes + rates.recheck_minutes, access, price,
                                            risk))
                columns.append(mended[hypotheses.fault_of_row])
    mends = np.stack(columns, axis=1) if columns else np.zeros((hypotheses.count, 0))
    return RepairOptions(tuple(options), mends.astype(np.float32))


def option_costs(board: Board, options: RepairOptions, rates: ShopRates, access: str) -> np.ndarray:
    """Cost of each option (K,) from the access level that the unit is at now."""
    return np.array([
        (board.minutes_to(o.access, access) + o.minutes) * rates.labour_per_minute + o.price
        + o.risk * board.unit_value for o in options.options])


def _one_after_another(options: RepairOptions, rows: np.ndarray, cost: np.ndarray) -> np.ndarray:
    """Chances (B, K) that options mend, where those of one part are tried in turn, of B posteriors (B, R): the one with
    most chance for its cost as it is, the next without what that has mended. The options stand by their ranks, and are
    held against those of the next rank."""
    chance = rows @ options.mends
    if not options.rivals:
        return np.asarray(chance)
    worth = chance / cost
    for (one, other), both in zip(options.rivals, options.mended_by_both, strict=True):
        better, twice = worth[:, other] > worth[:, one], rows @ both
        chance[:, one] -= np.where(better, twice, 0.0)
        chance[:, other] -= np.where(better, 0.0, twice)
    return np.asarray(np.maximum(chance, 0.0))


def expected_repair_cost(options: RepairOptions, cost: np.ndarray, rows: np.ndarray, nothing: np.ndarray,
                         give_up: float, prove: float) -> np.ndarray:
    """Expected cost (B,) of repairing in the best order, from B posteriors (B, R).

    nothing: (B,) chance that no fault is left. Whatever works in the end costs the proof; after each repair the
    job may also be given up for `give_up`, and the cheapest place to stop is taken. The options stand by their ranks,
    as `cut_down` leaves them.
    """
    if not options.options:
        return nothing * prove + (1.0 - nothing) * give_up
    chance = _one_after_another(options, rows, cost)
    order = np.argsort(-chance / cost, axis=1)
    p = chance[np.arange(len(chance))[:, None], order]
    c = cost[order]
    left = np.empty((len(p), p.shape[1] + 1), dtype=p.dtype)
    left[:, 0] = 1.0 - nothing
    np.subtract(left[:, :1], np.cumsum(p, axis=1), out=left[:, 1:])
    np.maximum(left, 0.0, out=left)
    total = (give_up - prove) * left + prove
    total[:, 1:] += np.cumsum(c * left[:, :-1], axis=1)
    return np.asarray(total.min(axis=1))


def cut_down(options: RepairOptions, keep: np.ndarray) -> tuple[RepairOptions, np.ndarray]:
    """The options at these places by their ranks within each part, and the places in that order."""
    some = RepairOptions(tuple(options.options[k] for k in keep.tolist()), options.mends)
    places = keep[np.array([k for rank in some.ranks for k in rank], dtype=int)]
    return RepairOptions(tuple(options.options[k] for k in places.tolist()), options.mends[:, places]), places
