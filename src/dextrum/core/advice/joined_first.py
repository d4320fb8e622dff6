"""Lines that a suspected fault joins are read both, before anything is changed for it: they read the same, or it isn't
there. Each by itself hardly tells."""

from __future__ import annotations

import numpy as np

from dextrum.core.advice.actions import Action
from dextrum.core.advice.weighing import Weighing
from dextrum.core.advice.wording import where_words
from dextrum.core.assumptions.planning import JOINED_READ_FROM
from dextrum.tongue import tr


def joined_first(weighing: Weighing, part: str) -> Action | None:
    """A point of every line that was not read since the last repair, and that faults of this part would join to
    another; None where they have little share in what speaks for the part, or parts are off the board."""
    board, facts, model = weighing.board, weighing.facts, weighing.advice.model
    if facts.isolated:
        return None
    hypotheses = model.hypotheses
    own = np.append([fault.part == part for fault in hypotheses.faults], False)[hypotheses.fault_of_row]
    weight = np.where(own, weighing.row_weight, 0.0)
    read = {model.copper.get(point) for epoch, point, _ in facts.readings or {} if epoch == facts.epoch}
    unread: dict[int, float] = {}
    for pair, rows in model.joined.items():
        for copper in pair:
            if copper not in read:
                unread[copper] = unread.get(copper, 0.0) + float(weight[rows].sum())
    least = JOINED_READ_FROM * float(weight.sum())
    wanted = {copper for copper, chance in unread.items() if chance > 0.0 and chance >= least}
    found: dict[int, str] = {}
    for point in sorted(board.points, key=lambda p: (board.access_order.get(p.access, 0), board.point_order[p.id])):
        if point.to is None and model.copper[point.id] in wanted:
            found.setdefault(model.copper[point.id], point.id)
    if not found:
        return None
    points = tuple(sorted(found.values(), key=board.point_order.__getitem__))
    deepest = max((board.point_by_id[p].access for p in points), key=lambda a: board.access_order.get(a, 0))
    in_port = sum(p in board.port_points for p in points)
    minutes = board.minutes_to(deepest, facts.access) + weighing.rates.walk_minutes(in_port, len(points) - in_port)
    return Action("measure", points[0], tr("Read what it would be joined to: {points}", points=", ".join(points)),
                  where_words(board, board.point_by_id[points[0]]),
                  tr("Lines that are joined read the same. If they don't, it is not that."), minutes,
                  weighing.minutes_cost(minutes), weighing.now, points)
