"""What a port contact must read by what it is for, where no board has been read: wide, but not blind.

A supply contact, a CC line or a data line of a good board ends in a junction of some chip, so it reads a few tenths of
a volt; ground reads nothing. Where the pack knows a part on the line, what that part's pin shows is the centre; else it
is that of the role. Nothing is called within by this alone.
"""

from __future__ import annotations

from collections.abc import Mapping

from dextrum.core.board import Board, Method, NetRole
from dextrum.core.reference.judge import Judgement, judge
from dextrum.core.reference.table import PointReference

USUAL_VOLTS = {NetRole.VBUS: 0.50, NetRole.CC: 0.58, NetRole.USB2: 0.60, NetRole.SBU: 0.55, NetRole.LANE: 0.42}
"""Middles of what chips show at a milliampere, red on ground: protection and body diodes between 0.3 and 0.8 V."""
ROLE_SPREAD, GROUND_SPREAD = 0.11, 0.012
FREEDOM = 30.0
FALSE_ALARM = 0.01
"""Of a good contact: tails of a range that is itself a guess."""
MAY_BE_UNUSED = frozenset({NetRole.LANE, NetRole.SBU, NetRole.USB2})
"""Roles that a board may leave unconnected altogether: where all of them read OL, nothing is said."""


def _shown_by_parts(board: Board, net: str) -> float | None:
    """The lowest drop that the pack gives for a pin on a net, or on one that a filter, fuse or link joins to it."""
    nets = {net}
    for part in board.components:
        for one, two in part.lines:
            ends = {part.terminal(one).net, part.terminal(two).net}
            if net in ends:
                nets |= ends
    found = [t.junction_volts for part in board.components for t in part.terminals
             if t.net in nets and t.junction_volts is not None]
    return min(found, default=None)


def judged_by_role(board: Board, values: Mapping[str, float], method: Method) -> dict[str, Judgement]:
    """Judgements of port contacts by their role, by point id; those of a role that nothing is known of are left out.

    values: point id to volts, inf for OL, red on ground.
    """
    if method is not Method.DIODE_RED_GROUND:
        return {}
    role_of = {p: board.net_by_name[board.net_of(board.point_by_id[p].at)].role for p in values}
    unused = {role for role in MAY_BE_UNUSED if all(values[p] == float("inf") for p in values if role_of[p] is role)}
    found: dict[str, Judgement] = {}
    for point, value in values.items():
        role = role_of[point]
        if role is NetRole.GROUND:
            reference = PointReference(point, method, 0.0, GROUND_SPREAD, FREEDOM, 0, True, "role")
        elif role in USUAL_VOLTS and role not in unused:
            shown = _shown_by_parts(board, board.net_of(board.point_by_id[point].at))
            centre = USUAL_VOLTS[role] if shown is None else shown
            reference = PointReference(point, method, centre, ROLE_SPREAD, FREEDOM, 0, True, "role")
        else:
            continue
        found[point] = judge(value, reference, FALSE_ALARM, comparisons=1)
    return found
