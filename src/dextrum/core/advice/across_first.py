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
from dextrum.core.assumptions.readings import TOUCH_OHMS
from dextrum.core.board import ComponentKind, Method
from dextrum.core.board.part_checks import points_across, telling_only_where
from dextrum.core.diagnosis.hypotheses import NOTHING_ROW
from dextrum.tongue import tr

APART_OHMS = 3.0 * np.sqrt(2.0) * TOUCH_OHMS
"""Two readings across that differ by less are alike: three times the spread of what tips make of two of them, a fifth
of a filter's two windings."""


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


def other_end_first(weighing: Weighing, part: str) -> Action | None:
    """Across the other end of a filter whose lines read joined, before a part is changed that would join them: the one
    reading that tells on which side of it they touch. None where there is none left, or parts are off the board."""
    board, facts, model = weighing.board, weighing.facts, weighing.advice.model
    if facts.isolated:
        return None
    rows = model.hypotheses.rows_of_part(part)
    for component in board.components:
        ends = points_across(board, component.designator) if component.kind is ComponentKind.FILTER else ()
        read = {end: facts.reading(end, Method.RESISTANCE.value) for end in ends}
        unread = tuple(end for end, reading in read.items() if reading is None)
        joined = [end for end, reading in read.items() if reading is not None and np.isfinite(reading.value)]
        predicted = model.predicted_at(joined[0], Method.RESISTANCE) if joined and unread else None
        if predicted is not None and np.isfinite(predicted.values[rows]).any():
            _tell_sides(weighing, joined[0], unread[0])
            return read_points(
                weighing, unread, tr("Measure across {part}: {points}", part=component.designator,
                                     points=", ".join(unread)),
                tr("Its lines read joined. The other end tells whether that is on the port's side, in it, or on the "
                   "chip's side."))
    return None


def _tell_sides(weighing: Weighing, seen: str, unread: str) -> None:
    """What it would mean that one end across reads less ohms than the other, as many, or more: that is what speaks,
    since nobody knows how many a bridge has."""
    place = weighing.advice.outcomes.place
    if seen not in place or unread not in place:
        return
    one, other = weighing.values_at(np.array([place[seen], place[unread]]), Method.RESISTANCE)
    away = np.zeros(len(one))
    both = np.isfinite(one) & np.isfinite(other)
    away[both] = other[both] - one[both]
    side = np.stack([away < -APART_OHMS, np.abs(away) <= APART_OHMS, away > APART_OHMS])
    weighing.tell("measure", unread, (tr("less than {point}", point=seen), tr("as much as {point}", point=seen),
                                      tr("more than {point}", point=seen)), side * weighing.weight)
