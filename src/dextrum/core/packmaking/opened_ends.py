"""Ends whose net is doubted, taken back to 'nobody knows': probing then asks for them anew."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import replace

from dextrum.core.board import Board, Component, ComponentKind, unknown_net
from dextrum.core.packmaking.placing import points_of, settled
from dextrum.core.packmaking.unlikely_nets import UNLIKELY
from dextrum.core.packmaking.wrong_pack import PackMistake
from dextrum.tongue import tr


def doubted_ends(board: Board, mistakes: Iterable[PackMistake]) -> tuple[str, ...]:
    """Ends of placed parts that touches would tell about, in the order of the board: of the mistakes that would explain
    the same readings, or lie at one end, the likeliest one's alone. What the port's contacts are called is the
    standard's, and is not doubted."""
    there = set(placed_ends(board))
    ends: set[str] = set()
    explained: set[str] = set()
    for one in sorted(mistakes, key=lambda mistake: (mistake.kind != UNLIKELY, -mistake.weight)):
        if there & set(one.ends) and not (explained & set(one.points) or ends & set(one.ends)):
            ends |= set(one.ends)
            explained |= set(one.points)
    return tuple(end for end in placed_ends(board) if end in ends)


def placed_ends(board: Board) -> tuple[str, ...]:
    """Ends of parts that were placed, the port's contacts aside, as 'FL1.2'."""
    return tuple(f"{part.designator}.{t.name}" for part in board.components
                 if not part.undescribed and part.kind is not ComponentKind.RECEPTACLE for t in part.terminals)


def with_ends_open(board: Board, ends: Sequence[str]) -> Board:
    """The pack with nobody knowing the nets of these ends, 'FL1.2'. Raises ValueError for an end that is not there, or
    that is a contact of the port."""
    there = set(placed_ends(board))
    for end in ends:
        if end not in there:
            raise ValueError(tr("{end} is no end of a placed part; expected one such as FL1.2", end=end[:24]))
    chosen = set(ends)

    def opened(part: Component) -> Component:
        return replace(part, terminals=tuple(
            replace(t, net=unknown_net(part.designator, t.name), junction_volts=None)
            if f"{part.designator}.{t.name}" in chosen else t for t in part.terminals))

    sources = tuple(one for one in board.sources if one.end not in chosen)
    grown = settled(replace(board, components=tuple(opened(part) for part in board.components), sources=sources),
                    {board.net_of(end) for end in chosen})
    roles = {net.name: net.role for net in grown.nets}
    deepest = board.access_levels[-1].id if board.access_levels else "closed"
    new = [point for part in grown.components for point in points_of(part, roles, deepest)
           if point.at in chosen and point.id not in grown.point_by_id]
    return replace(grown, points=(*grown.points, *new))
