"""Which points are one net, found by probing: a diode reading of each, then as few continuity touches as will do.

Points of one net read alike to ground, so readings part most of the board at once, and only look-alikes are told apart
by pairs. Points are taken in the order of their readings; each belongs to one of the nets found before it or begins a
new one. That is weighed by Bayes: how near its reading is to the net's, how many points the net has already (a net that
has many gets the next one, as in the Chinese restaurant process of D. J. Aldous, Lecture Notes in Mathematics 1117,
1985), how near its points lie, what the parts placed make likely, and what continuity said, where a touch that reads
open may have been a bad one. It is asked until it is sure, and nothing joins a net that has not beeped.

What is joined through a coil, a fuse or a winding beeps like copper: nets found here are joined through such parts, and
the parts that were placed divide them (`divided`).
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from types import MappingProxyType

OPEN = math.inf
ALIKE_VOLTS = 0.0025
"""Standard deviation of two readings of one piece of copper, by one meter on one board: contact and last digit. Range
1 to 5 mV."""
ALIKE_SHARE = 0.002
"""The same as a share of the reading. Range 0 to 0.5 %."""
SPREAD_VOLTS = 0.8
"""Readings of different nets lie anywhere in so many volts: 0.1 to 0.9 on usual boards."""
NEW_NETS = 8.0
"""How readily a point begins a new net: concentration of the process. Range 3 to 20; most nets have few points."""
LIKE_ANOTHER, LIKE_VOLTS = 0.3, 0.006
"""How many nets read as another one does, within so many volts: the lanes of a port, the pins of one chip's kind."""
MISSED = 0.03
"""Chance that joined points read open at a touch: probe beside the pad, flux. Range 0.01 to 0.1."""
FALSELY_JOINED = 0.001
"""Chance that points that aren't joined beep: the probe bridges to a neighbour. Range 0.0003 to 0.01."""
READ_OPEN = 0.001
"""Chance that a point that reads a number on another board of its copper was read as open twice by mistake."""
SURE = 0.998
"""From here on a point's net is settled: two in a thousand are wrong, and contradictions find most of those."""
NEAR_MM, NEAR_TIMES, AWAY_TIMES = 8.0, 4.0, 0.3
"""How much likelier a net is that has a point so near, and one that has none: copper is short where it can be."""
THROUGH_TIMES = 60.0
"""How much likelier a net is that holds the other end of a coil, fuse or winding: it beeps through it."""
SAME_PART_TIMES = 0.15
"""How much less likely a net is that holds another pin of the same part, but for ground and feeds, which have many."""
MANY = 6
"""Points of a net from which it is ground or a feed."""
FAR = 6.0
"""Standard deviations beyond which a net is not thought of."""


@dataclass(frozen=True)
class Touch:
    """Continuity between two points."""

    one: str
    other: str
    joined: bool


@dataclass(frozen=True)
class Ask:
    """What to touch next: a point in diode mode where other is empty, else continuity between the two."""

    one: str
    other: str = ""


@dataclass(frozen=True)
class Contradiction:
    """Touches that can't all be true: the path of joined ones between two points that read open, and which of all to
    touch again."""

    path: tuple[Touch, ...]
    opened: Touch
    again: Touch


@dataclass(frozen=True)
class Netting:
    """nets: of the points that are settled, each sorted; ask: what to touch next, None when all is settled."""

    nets: tuple[tuple[str, ...], ...]
    ask: Ask | None
    contradictions: tuple[Contradiction, ...] = ()


@dataclass(frozen=True)
class Placed:
    """What was placed: millimetres of points, and which points are two ends of something that carries through. A
    point's part is what stands before its last dot."""

    places: Mapping[str, tuple[float, float]] = field(default_factory=dict)
    through: Mapping[str, str] = field(default_factory=dict)


NOTHING_PLACED = Placed()


@dataclass
class _Net:
    members: list[str]
    total: float = 0.0
    read: int = 0
    set_of: set[str] = field(default_factory=set)

    def add(self, point: str, value: float) -> None:
        self.members.append(point)
        self.set_of.add(point)
        if math.isfinite(value):
            self.total, self.read = self.total + value, self.read + 1

    @property
    def volts(self) -> float:
        return self.total / self.read if self.read else OPEN


def netting(points: Sequence[str], readings: Mapping[str, float], touches: Iterable[Touch] = (),
            placed: Placed = NOTHING_PLACED) -> Netting:
    """The nets as far as they are settled, and what to touch next. readings: volts by point, inf for OL. Pure: all of
    it is worked out anew from what was touched."""
    touches = tuple(touches)
    unread = next((point for point in points if point not in readings), None)
    if unread is not None:
        return Netting((), Ask(unread))
    of_point: dict[str, list[Touch]] = {}
    for touch in touches:
        of_point.setdefault(touch.one, []).append(touch)
        of_point.setdefault(touch.other, []).append(touch)
    nets: list[_Net] = []
    where: dict[str, int] = {}
    ask: Ask | None = None
    for point in sorted(points, key=lambda p: readings[p]):
        value, touched = readings[point], of_point.get(point, [])
        chance = _chances(point, value, nets, where, touched, placed)
        best = max(range(len(chance)), key=chance.__getitem__)
        beeped = best == len(nets) or any(t.joined and where.get(t.other if t.one == point else t.one) == best
                                          for t in touched)
        if chance[best] < SURE or not beeped:
            known = max(range(len(nets)), key=lambda k: chance[k])
            ask = Ask(point, _touched_at(nets[known], touched, point, placed))
            break
        if best == len(nets):
            nets.append(_Net([]))
        nets[best].add(point, value)
        where[point] = best
    found = tuple(tuple(sorted(net.members)) for net in nets)
    return Netting(found, ask, contradictions(touches))


def _chances(point: str, value: float, nets: Sequence[_Net], where: Mapping[str, int], touched: Sequence[Touch],
             placed: Placed) -> list[float]:
    """Chance of each net, and of a new one (last)."""
    deviation = math.hypot(ALIKE_VOLTS, ALIKE_SHARE * value) if math.isfinite(value) else ALIKE_VOLTS
    weights = []
    for net in nets:
        if math.isfinite(value) != math.isfinite(net.volts):
            weights.append(0.0 if math.isfinite(value) else READ_OPEN * len(net.members))
            continue
        if not math.isfinite(value):
            weights.append(float(len(net.members)))
            continue
        spread = deviation * math.sqrt(1.0 + 1.0 / net.read)
        away = (value - net.volts) / spread
        weights.append(0.0 if abs(away) > FAR else len(net.members) * math.exp(-0.5 * away * away) / (
            spread * math.sqrt(2.0 * math.pi)))
    weights = [w * _likely(point, net, placed) if w else 0.0 for w, net in zip(weights, nets, strict=True)]
    weights.append(NEW_NETS * (_of_new(value, nets) if math.isfinite(value) else 1.0))
    for touch in touched:
        other = touch.other if touch.one == point else touch.one
        at = where.get(other)
        if at is None:
            continue
        # Of the net that was touched against all others, which are touched alike by it.
        same, apart = (1.0 - MISSED, FALSELY_JOINED) if touch.joined else (MISSED, 1.0 - FALSELY_JOINED)
        weights[at] *= same / apart
    total = sum(weights)
    return [weight / total for weight in weights]


def _of_new(value: float, nets: Sequence[_Net]) -> float:
    """Density of a net that nobody has found yet at this reading, per volt: anywhere, or where others read."""
    known = [net.volts for net in nets if math.isfinite(net.volts)]
    like = sum(math.exp(-0.5 * ((value - volts) / LIKE_VOLTS) ** 2) for volts in known) / (
        LIKE_VOLTS * math.sqrt(2.0 * math.pi) * len(known)) if known else 0.0
    return (1.0 - LIKE_ANOTHER) / SPREAD_VOLTS + LIKE_ANOTHER * like


def _part(point: str) -> str:
    return point.rpartition(".")[0]


def _likely(point: str, net: _Net, placed: Placed) -> float:
    """How much likelier than others, by what was placed."""
    if placed.through.get(point) in net.set_of:
        return THROUGH_TIMES
    times = 1.0
    part = _part(point)
    if part and len(net.members) < MANY and any(_part(member) == part for member in net.members):
        times *= SAME_PART_TIMES
    here = placed.places.get(point)
    if here is not None:
        away = min((math.dist(here, there) for member in net.members if (there := placed.places.get(member))),
                   default=NEAR_MM)
        times *= AWAY_TIMES + NEAR_TIMES * math.exp(-away / NEAR_MM)
    return times


def _touched_at(net: _Net, touched: Sequence[Touch], point: str, placed: Placed) -> str:
    """A member to touch: the other end of a part that carries through, else the nearest that has not been touched with
    this point yet, else the first again."""
    done = {name for touch in touched for name in (touch.one, touch.other)}
    fresh = [member for member in net.members if member not in done]
    if not fresh:
        return net.members[0]
    end, here = placed.through.get(point), placed.places.get(point)
    if end in fresh:
        return str(end)
    if here is None:
        return fresh[0]
    return min(fresh, key=lambda member: math.dist(here, placed.places.get(member, here)))


def contradictions(touches: Iterable[Touch]) -> tuple[Contradiction, ...]:
    """Pairs that read open although joined touches lead from one to the other: the shortest such path each. The open
    touch is asked for again, since a bad touch reads open far oftener than a good one beeps; a pair that has read open
    twice is believed, and a joint of the path is asked for instead."""
    touches = tuple(touches)
    joined: dict[str, list[tuple[str, Touch]]] = {}
    times: dict[frozenset[str], list[int]] = {}
    for touch in touches:
        said = times.setdefault(frozenset((touch.one, touch.other)), [0, 0])
        said[touch.joined] += 1
    for touch in touches:
        said = times[frozenset((touch.one, touch.other))]
        if touch.joined and said[1] >= said[0]:
            joined.setdefault(touch.one, []).append((touch.other, touch))
            joined.setdefault(touch.other, []).append((touch.one, touch))
    found, told, net = [], set(), _joined_sets(joined)
    for touch in touches:
        if touch.joined or touch.one not in net or net[touch.one] != net.get(touch.other):
            continue
        key = frozenset((touch.one, touch.other))
        if key in told or times[key][1] >= times[key][0]:
            continue
        path = _path(joined, touch.one, touch.other)
        if path:
            told.add(key)
            weakest = min(path, key=lambda step: times[frozenset((step.one, step.other))][1])
            found.append(Contradiction(path, touch, touch if times[key][0] < 2 else weakest))
    return tuple(found)


def _joined_sets(joined: Mapping[str, Sequence[tuple[str, Touch]]]) -> dict[str, str]:
    """By point that was joined to any: one point of all that joined touches lead to, the same for each of them."""
    found: dict[str, str] = {}
    for first in joined:
        edge = [] if first in found else [first]
        found.setdefault(first, first)
        while edge:
            for there, _ in joined[edge.pop()]:
                if there not in found:
                    found[there] = first
                    edge.append(there)
    return found


def _path(joined: Mapping[str, Sequence[tuple[str, Touch]]], start: str, end: str) -> tuple[Touch, ...]:
    """The shortest path of joined touches; empty where there is none."""
    came: dict[str, tuple[str, Touch]] = {}
    edge = [start]
    while edge and end not in came:
        reached = []
        for here in edge:
            for there, touch in joined.get(here, ()):
                if there != start and there not in came:
                    came[there] = (here, touch)
                    reached.append(there)
        edge = reached
    steps = []
    at = end
    while at in came:
        at, touch = came[at]
        steps.append(touch)
    return tuple(reversed(steps)) if at == start else ()


def divided(net: Iterable[str], parts: Iterable[tuple[str, str]], places: Mapping[str, tuple[float, float]],
            known: Mapping[str, str] = MappingProxyType({})) -> tuple[tuple[str, ...], ...]:
    """A net as it beeped, divided at the parts that carry through: pairs of their ends. Each other point goes to the
    end that is nearest to it, since nothing that beeps can tell; the technician may move it. known: nets of points that
    are known; such a point goes to an end on its net, or else to one whose net is not known."""
    members = sorted(net)
    ends = [pair for pair in parts if pair[0] in members and pair[1] in members]
    if not ends:
        return (tuple(members),)
    anchors = list(dict.fromkeys(end for pair in ends for end in pair))
    anchors.sort(key=lambda anchor: anchor not in known)
    groups = {anchor: {anchor} for anchor in anchors}
    for point in members:
        if point not in groups:
            x, y = places.get(point, (0.0, 0.0))
            there = [a for a in anchors if _may_be_one(known, (point,), (a,))]
            same = [a for a in there if point in known and a in known]
            nearest = min(same or there or anchors, key=lambda a: math.dist((x, y), places.get(a, (0.0, 0.0))))
            groups[nearest].add(point)
    # Ends of different parts on one copper: no pair says that they are apart, so they are one side.
    apart = {frozenset(pair) for pair in ends}
    merged: list[set[str]] = []
    for anchor in anchors:
        own = next((group for group in merged if _may_be_one(known, group, groups[anchor]) and not any(
            frozenset((anchor, other)) in apart for other in group if other in groups)), None)
        if own is None:
            merged.append(set(groups[anchor]))
        else:
            own |= groups[anchor]
    return tuple(tuple(sorted(group)) for group in merged)


def _may_be_one(known: Mapping[str, str], some: Iterable[str], others: Iterable[str]) -> bool:
    """Whether two groups of points may be one copper: no two of them are known to lie on different nets."""
    return len({known[point] for point in (*some, *others) if point in known}) <= 1
