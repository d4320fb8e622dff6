"""Lines that a suspected fault joins are read both, before anything is changed for it: they read the same, or it isn't
there. Each by itself hardly tells."""

from __future__ import annotations

import numpy as np

from dextrum.core.advice.actions import Action
from dextrum.core.advice.lines_read import easiest_points, read_points
from dextrum.core.advice.weighing import Weighing
from dextrum.core.assumptions.planning import JOINED_READ_FROM
from dextrum.core.board import Method
from dextrum.tongue import tr


def joined_first(weighing: Weighing, part: str) -> Action | None:
    """A point of every line that was not read since the last repair, and that faults of this part would join to
    another; None where they have little share in what speaks for the part, or parts are off the board."""
    facts, model = weighing.facts, weighing.advice.model
    if facts.isolated:
        return None
    weight = np.where(model.hypotheses.rows_of_part(part), weighing.row_weight, 0.0)
    read = {model.copper.get(point) for epoch, point, method in facts.readings or {}
            if epoch == facts.epoch and Method(method).is_diode}
    unread: dict[int, float] = {}
    for pair, rows in model.joined.items():
        for copper in pair:
            if copper not in read:
                unread[copper] = unread.get(copper, 0.0) + float(weight[rows].sum())
    least = JOINED_READ_FROM * float(weight.sum())
    wanted = {copper for copper, chance in unread.items() if chance > 0.0 and chance >= least}
    points = easiest_points(weighing, wanted, lambda point: model.copper[point.id])
    if not points:
        return None
    return read_points(weighing, points, tr("Read what it would be joined to: {points}", points=", ".join(points)),
                       tr("Lines that are joined read the same. If they don't, it is not that."))
