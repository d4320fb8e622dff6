"""A part whose ends can be read is read across before it is changed for what other points show: a filter that is
through is not what keeps its line high, and one whose lines are apart does not pull both low.

What weighs may all say that it reads off. It is read for that: half a minute, and the one reading that speaks of this
part alone, whatever is wrong with the board or the pack elsewhere.
"""

from __future__ import annotations

import numpy as np

from dextrum.core.advice.actions import Action
from dextrum.core.advice.lines_read import read_points
from dextrum.core.advice.outcomes import OUTCOMES
from dextrum.core.advice.weighing import Weighing
from dextrum.core.assumptions.planning import ACROSS_FROM
from dextrum.core.board.part_checks import telling_only_where
from dextrum.core.diagnosis.hypotheses import NOTHING_ROW
from dextrum.tongue import tr


def across_first(weighing: Weighing, part: str) -> Action | None:
    """Reading from end to end of this part where it should read off if it is at fault, and was not read since the last
    repair; None where nothing should, or parts are off the board."""
    board, facts, table = weighing.board, weighing.facts, weighing.advice.outcomes
    if facts.isolated:
        return None
    read = {name for epoch, name, _ in facts.readings or {} if epoch == facts.epoch}
    spare = telling_only_where(board, part)
    unread = [point.id for point in board.points if point.to is not None and point.part == part
              and point.to.partition(".")[0] == part and point.id not in read | spare and point.id in table.place
              and not board.is_to_ground(point.id)]
    if not unread:
        return None
    places = np.array([table.place[name] for name in unread])
    joint = weighing.outcome_chances(places) * weighing.weight
    usual = table.chances[places, :, NOTHING_ROW].argmax(axis=1)  # through, or OL from line to line
    off = 1.0 - joint.sum(axis=2)[np.arange(len(places)), usual]
    points = tuple(name for name, chance in zip(unread, off.tolist(), strict=True) if chance >= ACROSS_FROM)
    if not points:
        return None
    weighing.tell("measure", points[0], OUTCOMES, joint[unread.index(points[0])])
    return read_points(weighing, points, tr("Measure across {part}: {points}", part=part, points=", ".join(points)),
                       tr("From end to end it tells whether it is at fault, before it is changed for what reads off."))
