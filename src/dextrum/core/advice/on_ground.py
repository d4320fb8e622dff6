"""A point that reads as on ground holds power back, until another point of the same copper shows that it was not read
where the pack has it: copper that is on ground is so at every one of its points."""

from __future__ import annotations

from dextrum.core.advice.actions import Action
from dextrum.core.advice.weighing import Weighing
from dextrum.core.advice.wording import where_words
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
    board, facts, copper = weighing.board, weighing.facts, weighing.advice.model.copper
    held = held_by_ground(weighing)
    read = {point for epoch, point, _ in facts.readings or {} if epoch == facts.epoch}
    by_access = sorted((p for p in board.points if p.to is None and p.id not in read),
                       key=lambda p: board.access_order.get(p.access, 0))
    other = {copper[place.id]: place for place in reversed(by_access)}
    places = [other[here] for here in dict.fromkeys(copper[point] for point in held) if here in other]
    if not places:
        return None
    deepest = max((p.access for p in places), key=lambda access: board.access_order.get(access, 0))
    minutes = board.minutes_to(deepest, facts.access) + weighing.rates.touch_minutes * len(places)
    points = tuple(place.id for place in places)
    return Action("measure", points[0], tr("Read the same line elsewhere: {points}", points=", ".join(points)),
                  where_words(board, places[0]),
                  tr("{held} reads as on ground. If this reads well, it was another place, and power may follow.",
                     held=held[0]), minutes, weighing.minutes_cost(minutes), weighing.now, points)
