"""One point of each of several lines, the easiest to reach, as a step."""

from __future__ import annotations

from collections.abc import Callable, Collection

from dextrum.core.advice.actions import Action
from dextrum.core.advice.weighing import Weighing
from dextrum.core.advice.wording import where_words
from dextrum.core.board import Point


def easiest_points(weighing: Weighing, wanted: Collection[int | str], line_of: Callable[[Point], int | str],
                   but: Collection[str] = ()) -> tuple[str, ...]:
    """Of each of these lines the point against ground that is reached first, in the board's order; without those in
    `but`. line_of: which line a point lies on, a piece of copper or a net. A line without such a point is left out."""
    board = weighing.board
    found: dict[int | str, str] = {}
    for point in sorted(board.points, key=lambda p: (board.access_order.get(p.access, 0), board.point_order[p.id])):
        if point.to is None and point.id not in but and line_of(point) in wanted:
            found.setdefault(line_of(point), point.id)
    return tuple(sorted(found.values(), key=board.point_order.__getitem__))


def read_points(weighing: Weighing, points: tuple[str, ...], title: str, why: str) -> Action:
    """The step that reads these points, one at least. title, why: in words."""
    board = weighing.board
    deepest = max((board.point_by_id[p].access for p in points), key=lambda a: board.access_order.get(a, 0))
    in_port = sum(point in board.port_points for point in points)
    minutes = board.minutes_to(deepest, weighing.facts.access) + weighing.rates.walk_minutes(
        in_port, len(points) - in_port)
    return Action("measure", points[0], title, where_words(board, board.point_by_id[points[0]]), why, minutes,
                  weighing.minutes_cost(minutes), weighing.now, points)
