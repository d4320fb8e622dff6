"""What a direct current goes through as through copper: fuses, links, coils and filters. Nets joined through them read
alike."""

from __future__ import annotations

from collections.abc import Mapping

from dextrum.core.board.kinds import ComponentKind
from dextrum.core.board.model import Board

CARRY = (ComponentKind.FUSE, ComponentKind.LINK, ComponentKind.INDUCTOR, ComponentKind.FILTER)


def carrying_ends(board: Board) -> list[tuple[str, str]]:
    """Pairs of ends, as 'FL1.1', that beep through their part."""
    return [(f"{part.designator}.{one}", f"{part.designator}.{other}") for part in board.components
            if part.kind in CARRY for one, other in part.lines]


def joined_nets(board: Board) -> Mapping[str, str]:
    """The first net, in the order of the board's, of all that a net is joined with through such parts."""
    order = {net.name: k for k, net in enumerate(board.nets)}
    root = {name: name for name in order}

    def find(net: str) -> str:
        while root[net] != net:
            net = root[net]
        return net

    for one, other in carrying_ends(board):
        pair = sorted((find(board.net_of(one)), find(board.net_of(other))), key=order.__getitem__)
        root[pair[1]] = pair[0]
    return {name: find(name) for name in root}
