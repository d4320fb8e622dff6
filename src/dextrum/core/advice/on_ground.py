"""A point that reads as on ground holds power back, until another point of the same copper shows that it was not read
where the pack has it: copper that is on ground is so at every one of its points."""

from __future__ import annotations

from dextrum.core.advice.actions import Action
from dextrum.core.advice.lines_read import easiest_points, read_points
from dextrum.core.advice.weighing import Weighing
from dextrum.core.reference.off_points import ON_GROUND, off_points
from dextrum.tongue import tr


def held_by_ground(weighing: Weighing) -> tuple[str, ...]:
    """Points read as on ground since the last repair, or nearly, that no other point of their copper speaks against."""
    facts, copper = weighing.facts, weighing.advice.model.copper
    references = weighing.advice.model.references
    grounded = off_points(weighing.board, references, facts, facts.epoch, ON_GROUND)
    if not grounded:
        return ()
    off = set(off_points(weighing.board, references, facts, facts.epoch))
    read_well = {copper.get(point) for epoch, point, _ in facts.readings or {}
                 if epoch == facts.epoch and point not in off}
    return tuple(point for point in grounded if copper.get(point) not in read_well)


def read_elsewhere(weighing: Weighing) -> Action | None:
    """Another point of the same copper, for each point that reads as on ground; None where each of them was read."""
    facts, copper = weighing.facts, weighing.advice.model.copper
    held = held_by_ground(weighing)
    read = {point for epoch, point, _ in facts.readings or {} if epoch == facts.epoch}
    points = easiest_points(weighing, {copper[point] for point in held}, read)
    if not points:
        return None
    return read_points(weighing, points, tr("Read the same line elsewhere: {points}", points=", ".join(points)),
                       tr("{held} reads as on ground. If this reads well, it was another place, and power may follow.",
                          held=held[0]))
