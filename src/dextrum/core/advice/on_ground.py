"""A point that reads as on ground holds the proof back, until another point of the same net shows that it was not read
where the pack has it: a net that is on ground is so at every one of its points. A data line holds nothing back: it does
no harm under power, and what it keeps from working the proof shows. Nor is a unit held that has worked since: what
power would harm it has harmed by then, or the pack has a point wrong of which it knows no other."""

from __future__ import annotations

from dextrum.core.advice.actions import Action
from dextrum.core.advice.lines_read import easiest_points, read_points
from dextrum.core.advice.weighing import Weighing
from dextrum.core.board.kinds import DATA_ROLES
from dextrum.core.reference.judge import Verdict
from dextrum.core.reference.off_points import ON_GROUND, off_points
from dextrum.tongue import tr

READS_WELL = frozenset({Verdict.WITHIN})


def held_by_ground(weighing: Weighing) -> tuple[str, ...]:
    """Points, but for those of data lines, read as on ground since the last repair, or nearly, that no other point of
    their net speaks against by reading as a good board does. What lies beyond a fuse, a link or a winding says nothing,
    since that may have parted; nor do ohms between two nets, neither of which is ground."""
    board, facts, references = weighing.board, weighing.facts, weighing.advice.model.references
    grounded = tuple(point for point in off_points(board, references, facts, facts.epoch, ON_GROUND)
                     if board.net_by_name[board.net_of_point[point]].role not in DATA_ROLES)
    if not grounded:
        return ()
    well = (board.point_by_id[p] for p in off_points(board, references, facts, facts.epoch, READS_WELL))
    nets = {board.net_of(point.at) for point in well if board.is_to_ground(point.id)}
    return tuple(point for point in grounded if board.net_of_point[point] not in nets)


def has_worked(weighing: Weighing) -> bool:
    """Whether something that the unit must do has been seen to work since the last repair."""
    does = {check.id for check in weighing.board.checks if check.functions}
    return any(proof.passed for check, proof in (weighing.facts.proofs or {}).items() if check in does)


def read_elsewhere(weighing: Weighing) -> Action | None:
    """Another point of the same net, for each point that reads as on ground; None where each of them was read."""
    board, facts = weighing.board, weighing.facts
    held = held_by_ground(weighing)
    read = {point for epoch, point, _ in facts.readings or {} if epoch == facts.epoch}
    nets = {board.net_of_point[point] for point in held}
    points = easiest_points(weighing, nets, lambda point: board.net_of(point.at), read)
    if not points:
        return None
    return read_points(weighing, points, tr("Read the same line elsewhere: {points}", points=", ".join(points)),
                       tr("{held} reads as on ground. If this reads well, it was another place, and power may follow.",
                          held=held[0]))
