"""Lines through what a direct current or a signal goes through: what lies behind the port lies behind the parts in
series."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from dextrum.core.board import Board, Component, ComponentKind, NetRole
from dextrum.core.board.copper import carrying_ends, joined_nets

IN_SERIES = (ComponentKind.CAPACITOR, ComponentKind.RESISTOR)
"""What a signal goes through as well, where neither of its ends is ground."""


def lines_of(board: Board) -> Mapping[str, str]:
    """As `joined_nets`, of all that a signal goes through: capacitors and resistors in series as well."""
    line = dict(joined_nets(board))
    for part in board.components:
        nets = sorted({t.net for t in part.terminals})
        if part.kind in IN_SERIES and len(nets) == 2 and not any(
                board.net_by_name[net].role is NetRole.GROUND for net in nets):
            one, other = line[nets[0]], line[nets[1]]
            line = {net: one if own == other else own for net, own in line.items()}
    return line


def rest_moved_behind(board: Board) -> tuple[Component, ...]:
    """The parts, with each pin of what is undescribed on the far side of the series part that was placed between it and
    the port. Such a pin is called by the port's net that it began on."""
    away: dict[str, list[str]] = {}
    for one, other in carrying_ends(board):
        a, b = board.net_of(one), board.net_of(other)
        away.setdefault(a, []).append(b)
        away.setdefault(b, []).append(a)
    role = {net.name: net.role for net in board.nets}

    def far(net: str) -> str:
        passed = {net}
        while True:
            onward = [one for one in dict.fromkeys(away.get(net, ())) if one not in passed]
            # Where the way parts, nobody knows which branch the rest lies on.
            if len(onward) != 1 or role.get(onward[0]) is NetRole.GROUND:
                return net
            net = onward[0]
            passed.add(net)

    def moved(part: Component) -> Component:
        if not part.undescribed:
            return part
        return replace(part, terminals=tuple(replace(t, net=far(t.name)) if t.name in role else t
                                             for t in part.terminals))

    return tuple(moved(part) for part in board.components)
