"""What a step would cost that the technician names, whatever the advice ranks."""

from __future__ import annotations

import numpy as np

from dextrum.core.advice.actions import Action
from dextrum.core.advice.repairing import repair_action
from dextrum.core.advice.weighing import Weighing
from dextrum.core.advice.wording import where_words
from dextrum.tongue import tr


def step_of(weighing: Weighing, name: str) -> Action | None:
    """Measuring the point of that name, or the cheapest repair of the part; None where there is neither."""
    point = next((p.id for p in weighing.board.points if p.id.casefold() == name.casefold()), "")
    if point:
        return _measuring(weighing, point)
    options = [k for k, o in enumerate(weighing.options.options) if o.part.casefold() == name.casefold()]
    found = [repair_action(weighing, k, weighing.chance_to_mend(k)) for k in options]
    return min(found, key=lambda action: action.expected, default=None)


def _measuring(weighing: Weighing, point: str) -> Action | None:
    table, board, facts = weighing.advice.outcomes, weighing.board, weighing.facts
    place = table.place.get(point)
    if place is None:
        return None
    where = board.point_by_id[point]
    access = where.access
    if facts.cell != "unplugged" and len(board.access_levels) > 1:
        access = max(access, board.access_levels[1].id, key=lambda level: board.access_order.get(level, 0))
    joint = weighing.outcome_chances(np.array([place]))[0] * weighing.weight
    minutes = board.minutes_to(access, facts.access) + weighing.rates.reading_minutes(where)
    cost = weighing.minutes_cost(minutes)
    expected = float(joint.sum(axis=1) @ weighing.expect(joint, access)) + cost
    return Action("measure", point, tr("Measure {where}",
                                       where=where.words or point), where_words(board, where), "", minutes, cost,
                  expected, (point,))
