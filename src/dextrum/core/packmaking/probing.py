"""Nets of placed parts by probing: which of the board's points are asked about, and what the touches make of its nets.

One point of each net that is known stands for it, ground among them; ends whose net nobody knows are sorted to these or
among themselves by `netting`. That two known nets are two is known, not probed: it goes in as touches that read open,
so that a beep between them stands out as a contradiction.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from itertools import combinations

from dextrum.core.board import Board, Component, NetRole, SourceKind
from dextrum.core.board.copper import carrying_ends, joined_nets
from dextrum.core.board.sources import net_of_end, with_sources
from dextrum.core.packmaking.netting import Ask, Contradiction, Netting, Placed, Touch, divided, netting
from dextrum.core.packmaking.placing import settled, with_junctions_shared

SAID_TIMES = 4
"""That two nets are two, said by whoever made the pack, weighs as so many touches that read open: the readings of twins
are alike to the millivolt, and no touch is spent on what is known."""


@dataclass(frozen=True)
class Probing:
    """unknown: ends whose net nobody has said; left: those that are not settled yet. ask: what to touch next, None when
    nothing is left. doubts: what can't all be true, of known nets and of touches."""

    unknown: tuple[str, ...]
    left: tuple[str, ...]
    found: Netting
    ask: Ask | None
    doubts: tuple[Contradiction, ...] = ()


def unknown_ends(board: Board) -> tuple[str, ...]:
    """Ends of placed parts, as 'C14.2', whose net nobody knows, in the order of placing."""
    return tuple(f"{part.designator}.{t.name}" for part in board.components for t in part.terminals
                 if board.net_is_unknown(f"{part.designator}.{t.name}"))


def probing(board: Board, readings: Mapping[str, float], touches: Iterable[Touch]) -> Probing:
    """Where it stands. readings: volts by point, in diode mode with red on ground, inf for OL. Touches of points that
    have gone count no more."""
    unknown = unknown_ends(board)
    standing_for = _representatives(board, readings)
    points = (*standing_for, *unknown)
    there = set(points)
    touched = tuple(t for t in touches if t.one in there and t.other in there)
    carried = _carried_together(board, standing_for)
    said = tuple(Touch(one, other, False) for one, other in combinations(standing_for, 2)
                 if frozenset((standing_for[one], standing_for[other])) not in carried for _ in range(SAID_TIMES))
    said += tuple(Touch(end, point, False) for end, point in _beyond(board, unknown, standing_for)
                  for _ in range(SAID_TIMES))
    found = netting(points, readings, (*said, *touched), placed_on(board)) if unknown else Netting((), None)
    inside = {point for net in found.nets for point in net}
    return Probing(unknown, tuple(point for point in unknown if point not in inside), found,
                   _next_touch(found, touched), found.contradictions)


def _next_touch(found: Netting, touched: tuple[Touch, ...]) -> Ask | None:
    """What is in doubt before what is new, as long as it has been touched once only: then it is so, or somebody has to
    look."""
    for doubt in found.contradictions:
        pair = {doubt.again.one, doubt.again.other}
        if sum({t.one, t.other} == pair for t in touched) == 1:
            return Ask(doubt.again.one, doubt.again.other)
    return found.ask


def with_nets(board: Board, readings: Mapping[str, float], touches: Iterable[Touch]) -> Board:
    """The pack with the nets that are settled; what is not, and what clashes, stays as it was."""
    now = probing(board, readings, touches)
    standing_for = _representatives(board, readings)
    unknown = set(now.unknown)
    renamed: dict[str, str] = {}
    sources = []
    for net in now.found.nets:
        groups = _groups(board, net, standing_for, unknown)
        for group in groups:
            names = _known_names(group, standing_for)
            ends = [point for point in group if point in unknown]
            if len(names) > 1 or not ends:
                continue
            # A net that has no name anywhere is called by its first end.
            renamed |= dict.fromkeys(ends, names[0] if names else ends[0].replace(".", "_"))
            # A beep goes through coils and fuses: on which side of one an end lies is a guess by place.
            how = SourceKind.PROBED if len(groups) == 1 else SourceKind.GUESSED
            sources += [net_of_end(end, how) for end in ends]
    if not renamed:
        return board

    def sorted_out(part: Component) -> Component:
        return replace(part, terminals=tuple(replace(t, net=renamed.get(f"{part.designator}.{t.name}", t.net))
                                             for t in part.terminals))

    grown = settled(replace(board, components=tuple(sorted_out(part) for part in board.components),
                            sources=with_sources(board.sources, sources)),
                    {board.net_of(end) for end in renamed})
    grown = with_junctions_shared(board, grown)
    ground = {net.name for net in grown.nets if net.role is NetRole.GROUND}
    return replace(grown, points=tuple(p for p in grown.points if p.at not in renamed or renamed[p.at] not in ground))


def placed_on(board: Board) -> Placed:
    """Where ends lie, and what carries from one to another."""
    through: dict[str, str] = {}
    for one, other in carrying_ends(board):
        through |= {one: other, other: one}
    return Placed({point.at: (point.x_mm, point.y_mm) for point in board.points if point.to is None}, through)


def _representatives(board: Board, readings: Mapping[str, float]) -> dict[str, str]:
    """A point for each known net, with the net: one that was read, before others; the port's first."""
    found: dict[str, str] = {}
    fresh = set(unknown_ends(board))
    points = [point for point in board.points if point.to is None and point.at == point.id and point.id not in fresh]
    for point in sorted(points, key=lambda p: p.id not in readings):
        found.setdefault(board.net_of(point.at), point.id)
    return {point: net for net, point in found.items()}


def _beyond(board: Board, unknown: tuple[str, ...], standing_for: Mapping[str, str]) -> list[tuple[str, str]]:
    """Ends of parts that carry, with the point of the net that the part's other end is known to lie on: they beep
    through the part, and a part with both ends on one net would do nothing. Asked is what else the end is on."""
    fresh, point_of = set(unknown), {net: point for point, net in standing_for.items()}
    return [(one, point_of[net]) for pair in carrying_ends(board) for one, other in (pair, pair[::-1])
            if one in fresh and other not in fresh and (net := board.net_of(other)) in point_of]


def _carried_together(board: Board, standing_for: Mapping[str, str]) -> set[frozenset[str]]:
    """Pairs of known nets with a part between them that carries: they beep, and are two all the same."""
    joined = joined_nets(board)
    return {frozenset(pair) for pair in combinations(standing_for.values(), 2) if joined[pair[0]] == joined[pair[1]]}


def _groups(board: Board, net: tuple[str, ...], standing_for: Mapping[str, str], unknown: set[str]) -> (
        tuple[tuple[str, ...], ...]):
    """A net as it beeped, divided at the parts that carry; of a part whose one end is known already, the other end lies
    beyond it."""
    pairs = carrying_ends(board)
    named = {standing_for[point] for point in net if point in standing_for}
    known = {point: standing_for[point] for point in net if point in standing_for}
    known |= {end: board.net_of(end) for pair in pairs for end in pair if end not in unknown
              and board.net_of(end) in named}
    return divided({*net, *known}, pairs, placed_on(board).places, known)


def _known_names(group: Iterable[str], standing_for: Mapping[str, str]) -> tuple[str, ...]:
    return tuple(dict.fromkeys(standing_for[point] for point in group if point in standing_for))
