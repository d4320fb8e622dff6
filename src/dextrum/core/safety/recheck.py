"""What is read again after a repair, before power: what was off, and whatever was soldered anew."""

from __future__ import annotations

from collections.abc import Iterable

from dextrum.core.board import Board, Component, ComponentKind, NetRole, Point
from dextrum.core.board.part_checks import telling_only_where
from dextrum.core.job import JobFacts
from dextrum.core.reference.off_points import off_points
from dextrum.core.reference.table import ReferenceTable

SOLDERED = ("replace", "reflow")
THROUGH = frozenset({ComponentKind.FILTER, ComponentKind.FUSE, ComponentKind.LINK})


def points_of_part(board: Board, part: str, access: str = "") -> tuple[str, ...]:
    """Points that show whether a part's joints have taken, in the board's order: of a receptacle every contact, and
    from contact to contact, since the hidden row can't be seen; of others the ends, and the pins of a chip that can be
    reached with the unit open as far as `access`. Across the lines of a filter one end tells; what a line has to
    ground in ohms says nothing of joints."""
    component = board.component_by_designator.get(part)
    if component is not None and component.kind is ComponentKind.RECEPTACLE:
        return (*(p for p in board.port_point_ids() if board.point_by_id[p].part == part),
                *(pair.id for pair in board.node_pairs if pair.part == part))
    spare = telling_only_where(board, part)
    own = tuple(point.id for point in board.points if part in (point.part, (point.to or "").partition(".")[0])
                and point.id not in spare and not _of_the_line(board, part, point))
    return own or (_one_a_net(board, component, access) if component is not None else ())


def _of_the_line(board: Board, part: str, point: Point) -> bool:
    """Whether a point on a part is read against ground elsewhere, and so says what its line has, whatever the joint."""
    return point.to is not None and point.to.partition(".")[0] != part and board.is_to_ground(point.id)


def _one_a_net(board: Board, component: Component, access: str) -> tuple[str, ...]:
    """Where a chip's pins have no points of their own: one point of each net that it sits on, the easiest to reach; a
    port contact behind a filter or a fuse shows the pin as well."""
    nets = {t.net for t in component.terminals if board.net_by_name[t.net].role is not NetRole.GROUND}
    shows = {net: net for net in nets}
    for part in board.components:
        for one, two in part.lines if part.kind in THROUGH else ():
            ends = part.terminal(one).net, part.terminal(two).net
            for near, far in (ends, ends[::-1]):
                if near in nets:
                    shows.setdefault(far, near)
    best: dict[str, tuple[int, int, str]] = {}
    order = board.access_order
    for k, point in enumerate(board.points):
        net = shows.get(board.net_of_point[point.id])
        if point.to is None and net is not None and order.get(point.access, 0) <= order.get(access, 0):
            reach = order.get(point.access, 0), k, point.id
            best[net] = min(best.get(net, reach), reach)
    return tuple(sorted((point for _, _, point in best.values()), key=board.point_order.__getitem__))


def points_to_recheck(board: Board, references: ReferenceTable, facts: JobFacts) -> tuple[str, ...]:
    """After a repair: points that were off before it and have not been read since, and those of the parts that were
    soldered. What a warm board or a faulty tester read doesn't count as read. The port first, as it is walked."""
    if facts.epoch == 0:
        return ()
    readings = {(epoch, point): r for (epoch, point, _), r in (facts.readings or {}).items()
                if (r.entry_id, point) not in facts.set_aside}
    since = {point for epoch, point in readings if epoch == facts.epoch}
    last: dict[str, bool] = {}
    for epoch in range(facts.epoch):
        off = set(off_points(board, references, facts, epoch))
        for taken, point in readings:
            if taken == epoch:
                last[point] = point in off
    due = {point for point, was_off in last.items() if was_off and point not in since}
    for done, rework in facts.reworks:
        if rework.action in SOLDERED:
            due.update(p for p in points_of_part(board, rework.part, facts.access)
                       if not any((epoch, p) in readings for epoch in range(done, facts.epoch + 1)))
    return in_walking_order(board, (p for p in due if p in board.point_by_id))


def in_walking_order(board: Board, points: Iterable[str]) -> tuple[str, ...]:
    """The port first, as it is walked, then the rest in the order of the board."""
    port = {p: k for k, p in enumerate(board.port_point_ids())}
    return tuple(sorted(points, key=lambda p: (p not in port, port.get(p, 0), board.point_order[p])))
