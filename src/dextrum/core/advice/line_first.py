"""A line is read itself before a chip is changed, or lifted, for pulling it down: ohms of a rail, or a check that
fails, may say that one of its lines is on ground, and leave open which, and in which chip.

What weighs is sure of the line already, so that reading it tells the plan nothing. But a line that reads on ground is
injected, or read again as each chip is off it, and that tells one chip from the other.
"""

from __future__ import annotations

import numpy as np

from dextrum.core.advice.actions import Action
from dextrum.core.advice.lines_read import easiest_points, read_points
from dextrum.core.advice.parts_off import standing_reading
from dextrum.core.advice.weighing import Weighing
from dextrum.core.assumptions.planning import ACROSS_FROM
from dextrum.core.board import ComponentKind
from dextrum.core.circuit.network import GROUND
from dextrum.tongue import tr


def line_first(weighing: Weighing, part: str) -> Action | None:
    """Reading the lines that this chip is suspected of pulling to ground and that nobody has read since the last
    repair, one point of each; None where there is none, or parts are off the board."""
    model, board, facts = weighing.advice.model, weighing.board, weighing.facts
    component = board.component_by_designator.get(part)
    if facts.isolated or component is None or component.kind is not ComponentKind.IC:
        return None
    own = np.flatnonzero(model.hypotheses.rows_of_part(part) & (weighing.row_weight > 0.0))
    pulled: dict[int, float] = {}
    for row in own.tolist():
        for one, other, _ in model.edits[row].joins(model.circuit):
            for node in {one, other} - {GROUND} if GROUND in (one, other) else ():
                if node < len(model.copper_of_node):
                    copper = model.copper_of_node[node]
                    pulled[copper] = pulled.get(copper, 0.0) + float(weighing.row_weight[row])
    read = {model.copper.get(name) for epoch, name, _ in facts.readings or {} if epoch == facts.epoch}
    whole = float(weighing.row_weight[own].sum())
    wanted = {copper for copper, weight in pulled.items() if copper not in read and weight >= ACROSS_FROM * whole}
    points = easiest_points(weighing, wanted, lambda point: model.copper[point.id])
    if not points:
        return None
    return read_points(weighing, points, tr("Measure the line itself: {points}", points=", ".join(points)),
                       tr("{part} is suspected of pulling it to ground, and it has not been read. Once it is, other "
                          "chips on it can be told apart.", part=part))


def read_before_lifting(weighing: Weighing, lifting: Action) -> Action | None:
    """Reading the point by which a part that comes off is told, where it has not been read with what is off now; None
    where it has."""
    board, facts = weighing.board, weighing.facts
    unread = tuple(name for name in lifting.points
                   if standing_reading(facts, name, board.point_by_id[name].default_method) is None)
    if not unread:
        return None
    words = ", ".join(board.point_by_id[name].words or name for name in unread)
    return read_points(weighing, unread, tr("Measure {points}", points=words),
                       tr("Before {part} comes off: what it reads now is what it is compared with.",
                          part=lifting.target))
