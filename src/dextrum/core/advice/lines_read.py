"""One point of each of several lines, the easiest to reach, as a step."""

from __future__ import annotations

from collections.abc import Collection

from dextrum.core.advice.actions import Action
from dextrum.core.advice.weighing import Weighing
from dextrum.core.advice.wording import where_words


def easiest_points(weighing: Weighing, lines: Collection[int], but: Collection[str] = ()) -> tuple[str, ...]:
    """Of each of these pieces of copper the point that is reached first, in the board's order; without those in `but`.
    A line that has no other point is left out."""
    board, copper = weighing.board, weighing.advice.model.copper
    found: dict[int, str] = {}
    for point in sorted(board.points, key=lambda p: (board.access_order.get(p.access, 0), board.point_order[p.id])):
        if point.to is None and copper[point.id] in lines and point.id not in but:
            found.setdefault(copper[point.id], point.id)
    return tuple(sorted(found.values(), key=board.point_order.__getitem__))


def read_points(weighing: Weighing, points: tuple[str, ...], title: str, why: str) -> Action:
    """The step that reads these points, not none; titles and reasons in words."""
    board = weighing.board
    deepest = max((board.point_by_id[p].access for p in points), key=lambda a: board.access_order.get(a, 0))
    in_port = sum(point in board.port_points for point in points)
    minutes = board.minutes_to(deepest, weighing.facts.access) + weighing.rates.walk_minutes(
        in_port, len(points) - in_port)
    return Action("measure", points[0], title, where_words(board, board.point_by_id[points[0]]), why, minutes,
                  weighing.minutes_cost(minutes), weighing.now, points)
