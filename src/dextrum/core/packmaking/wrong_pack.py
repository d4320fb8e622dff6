"""Where good boards contradict a pack: what in it is likely wrong, and the one touch that would tell.

Method: copper, and what a direct current goes through as through copper, reads alike against ground. So all points of
such a group must read the same on a good board, within what boards scatter. Where they don't, each thing that could be
wrong in the pack is tried: a filter's lines crossed or its ends exchanged, a series part that is not between the two,
one point that belongs elsewhere, a net that is two. What leaves least to be explained comes first; each is held against
doing nothing by half the drop in the sum of squared deviations, less what its freedom costs (G. Schwarz, Ann. Statist.
6, 1978). A group that should read open and does not, or the other way round, is told as it is.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from dextrum.core.assumptions.packs import MOST_DEVIATION, PACK_DOUBT
from dextrum.core.board import Board, Component, ComponentKind, NetRole
from dextrum.core.board.copper import CARRY
from dextrum.core.reference.good_readings import OPEN, GoodReading
from dextrum.tongue import tr


@dataclass(frozen=True)
class PackMistake:
    """kind: crossed, exchanged, not_between, elsewhere, two_nets, not_open or open, or unlikely or twins_apart
    (`unlikely_nets`). place: the part, point or net. words: what is likely wrong. touch: what would tell,
    in words. points: those whose readings the pack can't explain. weight: how much better it explains them, in nats.
    ends: those of parts whose nets it doubts, 'FL1.2'."""

    kind: str
    place: str
    words: str
    touch: str
    points: tuple[str, ...]
    weight: float
    ends: tuple[str, ...] = ()


@dataclass(frozen=True, eq=False)
class _Group:
    """Nets that read alike, and the points that were read on them, by net. Told apart by identity."""

    nets: tuple[str, ...]
    points: Mapping[str, tuple[str, ...]]

    @property
    def every(self) -> tuple[str, ...]:
        return tuple(point for net in self.nets for point in self.points.get(net, ()))


class _Good:
    """Readings of good boards, and how far some of them are from being one."""

    def __init__(self, readings: Mapping[str, GoodReading]) -> None:
        self.readings = readings

    def squares(self, points: Iterable[str]) -> float:
        """Sum of squared deviations from their own middle, in spreads; OL among numbers is as far as any."""
        read = [self.readings[point] for point in points]
        numbers = [one for one in read if one.volts < OPEN]
        if not numbers:
            return 0.0
        weights = [1.0 / one.variance for one in numbers]
        middle = sum(w * one.volts for w, one in zip(weights, numbers, strict=True)) / sum(weights)
        return sum(min(MOST_DEVIATION ** 2, (one.volts - middle) ** 2 / one.variance) for one in numbers) + \
            MOST_DEVIATION ** 2 * min(len(read) - len(numbers), len(numbers))

    def alike(self, one: str, other: str) -> bool:
        a, b = self.readings[one], self.readings[other]
        if OPEN in (a.volts, b.volts):
            return a.volts == b.volts
        return (a.volts - b.volts) ** 2 <= 9.0 * (a.variance + b.variance)


Lines = Sequence[tuple[str, str]]
"""Pairs of nets that read alike through a part."""


def _lines_of(part: Component) -> list[tuple[str, str]]:
    return [(part.terminal(one).net, part.terminal(other).net) for one, other in part.lines]


def _groups(board: Board, lines: Lines, points_on: Mapping[str, tuple[str, ...]]) -> dict[str, _Group]:
    """The group of every net."""
    root = {net.name: net.name for net in board.nets}

    def find(name: str) -> str:
        while root[name] != name:
            name = root[name]
        return name

    for one, other in lines:
        if one in root and other in root:
            root[find(one)] = find(other)
    members: dict[str, list[str]] = {}
    for net in board.nets:
        members.setdefault(find(net.name), []).append(net.name)
    made = {head: _Group(tuple(nets), points_on) for head, nets in members.items()}
    return {name: made[find(name)] for name in root}


def wrong_in_pack(board: Board, readings: Mapping[str, GoodReading],
                  predicted: Mapping[str, float]) -> tuple[PackMistake, ...]:
    """What is likely wrong, likeliest first. readings: of good boards, by point; predicted: what the pack's circuit
    says there, in volts, inf for OL."""
    good = _Good(readings)
    ground = {net.name for net in board.nets if net.role is NetRole.GROUND}
    points_on: dict[str, list[str]] = {}
    for point in board.points:
        if point.to is None and point.id in readings and point.id not in board.unknown_points:
            points_on.setdefault(board.net_of(point.at), []).append(point.id)
    on = {net: tuple(points) for net, points in points_on.items()}
    carrying = [part for part in board.components if part.kind in CARRY]
    lines = [line for part in carrying for line in _lines_of(part)]
    groups = _groups(board, lines, on)
    found: list[PackMistake] = []
    for group in dict.fromkeys(groups[net] for net in on if net not in ground):
        if good.squares(group.every) > _enough(group):
            found += _of_group(board, good, group, groups, carrying, lines, on, ground)
    found += _open_or_not(board, good, groups, predicted, on, ground)
    return _best(found)


def _enough(group: _Group) -> float:
    """What the squares of readings that are alike stay below: their count, and four of its standard deviations."""
    count = max(len(group.every) - 1, 1)
    return count + 4.0 * math.sqrt(2.0 * count) + 2.0 * PACK_DOUBT


def _of_group(board: Board, good: _Good, group: _Group, groups: Mapping[str, _Group], carrying: Sequence[Component],
              lines: Lines, on: Mapping[str, tuple[str, ...]], ground: set[str]) -> list[PackMistake]:
    """Each thing that could be wrong where a group does not read alike."""
    whole = good.squares(group.every)
    found: list[PackMistake] = []

    def add(kind: str, place: str, words: str, touch: str, points: Sequence[str], left: float, before: float,
            ends: Iterable[str], freedom: int = 1) -> None:
        weight = 0.5 * (before - left) - 0.5 * freedom * math.log(max(len(points), 2)) - PACK_DOUBT
        if weight > 0.0:
            found.append(PackMistake(kind, place, words, touch, tuple(points), weight, tuple(ends)))

    for part in carrying:
        own = _lines_of(part)
        if not any(one in group.nets for line in own for one in line):
            continue
        if part.kind is ComponentKind.FILTER and len(part.terminals) == 4:
            a, b, c, d = (t.net for t in part.terminals)
            others = [line for line in lines if line not in own]
            crossed = _groups(board, [*others, (a, d), (c, b)], on)
            touched = dict.fromkeys(groups[net] for net in (a, b, c, d) if net not in ground)
            anew = dict.fromkeys(crossed[net] for net in (a, b, c, d) if net not in ground)
            points = tuple(point for one in touched for point in one.every)
            first, last = part.terminals[0].name, part.terminals[3].name
            before = sum(good.squares(one.every) for one in touched)
            add("crossed", part.designator, tr("{designator}: its lines seem to be crossed in the pack",
                                               designator=part.designator),
                tr("{designator}.{first} to {designator}.{last}, in ohms: through means crossed",
                   designator=part.designator, first=first, last=last), points,
                sum(good.squares(one.every) for one in anew), before,
                (f"{part.designator}.{t.name}" for t in part.terminals))
            second = part.terminals[1].name
            changed = _exchanged(board, part, on)
            ends = _groups(board, [*others, (a, d), (c, b)], changed)
            anew = dict.fromkeys(ends[net] for net in (a, b, c, d) if net not in ground)
            beyond = next((point for point in changed.get(d, ()) if not point.startswith(f"{part.designator}.")), d)
            add("exchanged", part.designator, tr("{designator}: its ends {second} and {last} seem exchanged in the "
                                                 "pack", designator=part.designator, second=second,
                                                 last=last), tr("{designator}.{second} to {beyond}, in ohms: "
                                                                "through means exchanged", designator=part.designator,
                                                                second=second, beyond=beyond), points,
                sum(good.squares(one.every) for one in anew), before,
                (f"{part.designator}.{pin}" for pin in (second, last)))
        for (one, other), (first, last) in zip(own, part.lines, strict=True):
            if one not in group.nets or one == other:
                continue
            apart = _groups(board, [line for line in lines if line != (one, other)], on)
            if apart[one] is apart[other] or apart[one].nets == apart[other].nets:
                continue
            add("not_between", part.designator, tr("{designator} seems not to lie between {one} and {other}",
                                                   designator=part.designator, one=one, other=other),
                tr("{designator}.{first} to {designator}.{last}, in ohms: open means so", designator=part.designator,
                   first=first, last=last), group.every,
                good.squares(apart[one].every) + good.squares(apart[other].every), whole,
                (f"{part.designator}.{pin}" for pin in (first, last)))
    for net in group.nets:
        here = on.get(net, ())
        rest = [point for point in group.every if point not in here]
        for point in here if len(here) + len(rest) > 2 else ():
            others_of_it = [one for one in group.every if one != point]
            partner = next((one for one in here if one != point), rest[0] if rest else "")
            like = _reads_as(board, good, point, groups, group, on, ground)
            add("elsewhere", point, tr("{point} seems not to be on {net}", point=point,
                                       net=net) + (tr(", but on {like}", like=like) if like else ""),
                tr("{point} to {partner}, in ohms: open means so", point=point,
                   partner=partner), group.every, good.squares(others_of_it), whole, (board.point_by_id[point].at,), 2)
        if len(here) >= 2:
            near, far = _two_of(good, here)
            add("two_nets", net, tr("{net} seems to be two nets: {near} and {far}", net=net, near=", ".join(near[:3]),
                                    far=", ".join(far[:3])),
                tr("{near} to {far}, in ohms: open means so", near=near[0], far=far[0]), group.every,
                min(good.squares([*near, *rest]) + good.squares(far), good.squares([*far, *rest])
                    + good.squares(near)), whole, _ends_at(board, far if len(far) < len(near) else near), 3)
    return found


def _ends_at(board: Board, points: Iterable[str]) -> tuple[str, ...]:
    return tuple(board.point_by_id[point].at for point in points)


def _exchanged(board: Board, part: Component, on: Mapping[str, tuple[str, ...]]) -> dict[str, tuple[str, ...]]:
    """Points by net as they would be with a filter's far ends on each other's nets."""
    far, other = part.terminals[1], part.terminals[3]
    at = {f"{part.designator}.{far.name}": other.net, f"{part.designator}.{other.name}": far.net}
    moved = {point.id: at[point.at] for point in board.points if point.at in at}
    found: dict[str, tuple[str, ...]] = {net: tuple(point for point in points if point not in moved)
                                         for net, points in on.items()}
    for points in on.values():
        for point in points:
            if point in moved:
                found[moved[point]] = (*found.get(moved[point], ()), point)
    return found


def _two_of(good: _Good, points: Sequence[str]) -> tuple[list[str], list[str]]:
    """The cut by value that leaves least in both halves."""
    order = sorted(points, key=lambda point: good.readings[point].volts)
    cuts = [(good.squares(order[:k]) + good.squares(order[k:]), k) for k in range(1, len(order))]
    k = min(cuts)[1]
    return order[:k], order[k:]


def _reads_as(board: Board, good: _Good, point: str, groups: Mapping[str, _Group], own: _Group,
              on: Mapping[str, tuple[str, ...]], ground: set[str]) -> str:
    """The one net whose points all read like this one; empty where there is none, or several."""
    found = [net.name for net in board.nets if net.name in on and groups[net.name] is not own
             and all(good.alike(point, other) for other in on[net.name])]
    grounds = [name for name in found if name in ground]
    return grounds[0] if grounds else found[0] if len(found) == 1 else ""


def _open_or_not(board: Board, good: _Good, groups: Mapping[str, _Group], predicted: Mapping[str, float],
                 on: Mapping[str, tuple[str, ...]], ground: set[str]) -> list[PackMistake]:
    """Groups that should read open and don't, that should read something and are open, or that are ground."""
    found = []
    for group in dict.fromkeys(groups[net] for net in on if net not in ground):
        points = [point for point in group.every if point in predicted]
        numbers = [point for point in points if good.readings[point].volts < OPEN]
        if not points:
            continue
        weight = 0.5 * MOST_DEVIATION ** 2 - PACK_DOUBT
        if numbers and all(predicted[point] == OPEN for point in points):
            read = good.readings[numbers[0]].volts
            found.append(PackMistake("not_open", group.nets[0], tr("Something hangs on {nets} that the pack does "
                                                                   "not name: {numbers} reads {read:.3f} V and "
                                                                   "should be open", nets=group.nets[0],
                                                                   numbers=numbers[0], read=read),
                                     tr("read {numbers} again on a good board; then place what is there",
                                        numbers=numbers[0]),
                                     tuple(points), weight, _ends_at(board, points)))
        elif not numbers and all(predicted[point] < OPEN for point in points):
            found.append(PackMistake("open", group.nets[0], tr("Nothing hangs on {nets}: {points} is open on good "
                                                               "boards, and the pack says {predicted:.3f} V",
                                                               nets=group.nets[0], points=points[0],
                                                               predicted=predicted[points[0]]),
                                     tr("{points} to the next pin of {nets}, in ohms: open means that it is another "
                                        "net", points=points[0], nets=group.nets[0]), tuple(points), weight,
                                     _ends_at(board, points)))
    return found


def _best(found: Sequence[PackMistake]) -> tuple[PackMistake, ...]:
    """Likeliest first; the same place is named once."""
    ranked = sorted(found, key=lambda one: (-one.weight, one.kind, one.place))
    return tuple({one.place: one for one in reversed(ranked)}[place] for place in dict.fromkeys(
        one.place for one in ranked))
