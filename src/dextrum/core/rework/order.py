"""In which order several repairs on one board are done: exactly, over all orders of up to ten.

What is paid for, in this order of weight: what must be measured first covered by what comes before it (never), a part
that is new or tender under heat again, a turn of the board, and small heat before big heat. By dynamic programming over
subsets (M. Held, R. Karp, J. SIAM 10, 1962): the cost of the next repair depends only on which were done and on the
last.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from itertools import pairwise

from dextrum.tongue import tr

MOST_EXACT = 10
AGAIN_COST, TURN_COST, SMALL_FIRST_COST = 100.0, 10.0, 1.0
"""What each costs beside the others: one more heating of a new part is worse than nine turns, a turn than nine small
heats before big ones. Only their order decides."""
NEVER = 1e9


@dataclass(frozen=True)
class Repair:
    """side: 'top' or 'bottom'; x, y in millimetres; softens: parts whose joints its heat softens, None where nobody has
    reckoned it: then all within reach, how far from it joints soften; heat: how much it takes, by which big comes
    first; tender: suffers from heat though it isn't new; after: parts that must be done before."""

    part: str
    side: str
    x_mm: float
    y_mm: float
    reach_mm: float
    heat: float
    tender: bool = False
    after: frozenset[str] = field(default_factory=frozenset)
    softens: frozenset[str] | None = None


@dataclass(frozen=True)
class OrderCost:
    """again: heatings of parts that are new by then, or tender; turns of the board; small_first: pairs in which small
    heat comes before big."""

    again: int
    turns: int
    small_first: int
    forbidden: int = 0

    @property
    def weight(self) -> float:
        return (NEVER * self.forbidden + AGAIN_COST * self.again + TURN_COST * self.turns
                + SMALL_FIRST_COST * self.small_first)


def _within(one: Repair, other: Repair) -> bool:
    """Whether the heat of one reaches the other, through the board too."""
    if one.softens is not None:
        return other.part in one.softens
    return (one.x_mm - other.x_mm) ** 2 + (one.y_mm - other.y_mm) ** 2 <= one.reach_mm ** 2


def cost_of(order: Sequence[Repair]) -> OrderCost:
    """Of an order as it stands."""
    again = small = forbidden = 0
    for place, repair in enumerate(order):
        done = order[:place]
        again += sum(_within(repair, other) for other in done)
        again += sum(_within(repair, other) for other in order[place + 1:] if other.tender)
        small += sum(other.heat < repair.heat for other in done)
        forbidden += len(repair.after & {other.part for other in order[place + 1:]})
    turns = sum(one.side != other.side for one, other in pairwise(order))
    return OrderCost(again, turns, small, forbidden)


def best_order(repairs: Sequence[Repair]) -> tuple[Repair, ...]:
    """The cheapest order; among equals the one as typed. More than ten keep their order beyond the tenth. Raises
    ValueError where what must come before goes round in a circle."""
    exact, rest = list(repairs[:MOST_EXACT]), tuple(repairs[MOST_EXACT:])
    count = len(exact)
    if count < 2:
        return tuple(repairs)
    number = {repair.part: k for k, repair in enumerate(exact)}
    reaches = [[_within(one, other) for other in exact] for one in exact]
    before = [sum(1 << number[part] for part in repair.after if part in number) for repair in exact]
    best: dict[tuple[int, int], tuple[float, tuple[int, ...]]] = {}
    for k in range(count):
        if not before[k]:
            tender = sum(reaches[k][j] for j in range(count) if j != k and exact[j].tender)
            best[1 << k, k] = (AGAIN_COST * tender, (k,))
    for mask in range(1, 1 << count):
        for last in range(count):
            found = best.get((mask, last))
            if found is None:
                continue
            cost, order = found
            for nxt in range(count):
                if mask >> nxt & 1 or before[nxt] & ~mask:
                    continue
                more = 0.0
                for j in range(count):
                    if mask >> j & 1:
                        more += AGAIN_COST * reaches[nxt][j] + SMALL_FIRST_COST * (exact[j].heat < exact[nxt].heat)
                    elif j != nxt and exact[j].tender:
                        more += AGAIN_COST * reaches[nxt][j]
                more += TURN_COST * (exact[last].side != exact[nxt].side)
                key, told = (mask | 1 << nxt, nxt), (cost + more, (*order, nxt))
                if key not in best or told < best[key]:
                    best[key] = told
    whole = [best[key] for key in best if key[0] == (1 << count) - 1]
    if not whole:
        raise ValueError(tr("what must be done first goes round in a circle"))
    return (*(exact[k] for k in min(whole)[1]), *rest)
