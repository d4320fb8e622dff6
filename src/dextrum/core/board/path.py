"""The way of a signal from a contact to its chip: nets, the parts between them, and where a break must lie."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from dextrum.core.board.kinds import ComponentKind, NetRole
from dextrum.core.board.model import Board, Component

MOST_STEPS = 12
SUPPLY_ROLES = frozenset({NetRole.GROUND})


@dataclass(frozen=True)
class PathStep:
    """One net of the way, with the part that leads to it (empty for the first) and the points on it."""

    net: str
    through: str
    points: tuple[str, ...]


@dataclass(frozen=True)
class SignalPath:
    """steps from the contact on; chip: where it ends, empty where the pack knows no chip on the last net."""

    contact: str
    steps: tuple[PathStep, ...]
    chip: str

    @property
    def points(self) -> tuple[str, ...]:
        return tuple(p for step in self.steps for p in step.points)


@dataclass(frozen=True)
class BreakStretch:
    """Between the last point that is cut off from the chip and the first that is not. parts: what lies between."""

    after: str
    before: str
    parts: tuple[str, ...]


def _chip_on(board: Board, net: str) -> str:
    for part in board.components:
        if part.kind is ComponentKind.IC and any(t.net == net for t in part.terminals):
            return part.designator
    return ""


def _onward(board: Board, net: str, seen: set[str]) -> tuple[Component, str] | None:
    """A part in series with the net and the net behind it; an alternating-current capacitor counts, as on lanes."""
    for part in board.components:
        pairs = part.lines
        if part.kind is ComponentKind.CAPACITOR and len(part.terminals) == 2:
            pairs = ((part.terminals[0].name, part.terminals[1].name),)
        for one, two in pairs:
            ends = part.terminal(one).net, part.terminal(two).net
            for here, there in (ends, ends[::-1]):
                if here == net and there not in seen and board.net_by_name[there].role not in SUPPLY_ROLES:
                    return part, there
    return None


def signal_path(board: Board, point_id: str) -> SignalPath | None:
    """The way of the signal at a point, up to the first net with a chip on it.

    None for ground, an unknown point, or one measured from end to end.
    """
    point = board.point_by_id.get(point_id)
    if point is None or point.to is not None:
        return None
    net = board.net_of(point.at)
    if board.net_by_name[net].role in SUPPLY_ROLES:
        return None
    on_net: dict[str, list[str]] = {}
    for other in board.points:
        if other.to is None:
            on_net.setdefault(board.net_of(other.at), []).append(other.id)
    steps = [PathStep(net, "", (point_id, *(p for p in on_net.get(net, []) if p != point_id)))]
    seen = {net}
    while not _chip_on(board, net) and len(steps) < MOST_STEPS:
        found = _onward(board, net, seen)
        if found is None:
            break
        part, net = found
        seen.add(net)
        steps.append(PathStep(net, part.designator, tuple(on_net.get(net, ()))))
    return SignalPath(point_id, tuple(steps), _chip_on(board, net))


def break_stretch(path: SignalPath, is_open: Mapping[str, bool]) -> BreakStretch | None:
    """Where the break must lie by what was read along the way; None while it is not open at its beginning, or nothing
    behind it has been read. is_open: by point, for those that were read."""
    if not is_open.get(path.contact, False):
        return None
    after, parts = path.contact, []
    for step in path.steps:
        if step.through:
            parts.append(step.through)
        for point in step.points:
            if point not in is_open or point == path.contact:
                continue
            if not is_open[point]:
                return BreakStretch(after, point, tuple(parts))
            if step.through:
                after, parts = point, []
    return None
