"""The rail that a signal line idles at, by the resistor that pulls it up."""

from __future__ import annotations

from dextrum.core.board.kinds import FEED_ROLES, ComponentKind
from dextrum.core.board.model import Board, Net

LEAST_PULL_OHMS = 500.0
"""Less than this between a line and a rail is a link or a shunt, and the line is part of the rail."""


def pull_up_of(board: Board, net: str) -> Net | None:
    """The rail of known volts to which a resistor pulls a signal line, the lowest of several; None for a rail, and for
    a line that none pulls up."""
    line = board.net_by_name.get(net)
    if line is None or line.role in FEED_ROLES:
        return None
    rails: list[Net] = []
    for part in board.components:
        ends = {terminal.net for terminal in part.terminals}
        if part.kind is ComponentKind.RESISTOR and net in ends and (part.ohms or 0.0) >= LEAST_PULL_OHMS:
            rails += (board.net_by_name[end] for end in ends - {net})
    known = [rail for rail in rails if rail.role in FEED_ROLES and rail.nominal_volts]
    return min(known, key=lambda rail: (rail.nominal_volts or 0.0, rail.name), default=None)
