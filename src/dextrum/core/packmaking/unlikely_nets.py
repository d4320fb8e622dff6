"""Nets that ends of placed parts are hardly on, told by what such parts are for: a filter carries a line on and joins
no line to a rail, a fuse lies between two things, an array's pins guard lines.

Copper that reads alike contradicts a pack only where two points of it were read. A fuse put on a net on which nothing
else lies contradicts no reading at all, and yet takes itself out of the line that it feeds: whatever then opens that
line convicts the port.
"""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Iterator

from dextrum.core.board import Board, Component, ComponentKind, Method, NetRole
from dextrum.core.packmaking.wrong_pack import PackMistake
from dextrum.core.reference.table import ReferenceTable
from dextrum.core.reference.twins_apart import twins_apart
from dextrum.tongue import tr

UNLIKELY = "unlikely"
"""Kind of such a mistake."""
UNLIKELY_NATS = 6.0
"""What such a mistake is taken to weigh beside those that readings contradict: less than most of them (10 to 200)."""
LINE_OF = {NetRole.GROUND: "ground", NetRole.VBUS: "supply", NetRole.RAIL: "supply", NetRole.CORE_RAIL: "supply",
           NetRole.CC: "line", NetRole.USB2: "line", NetRole.SBU: "line", NetRole.LANE: "line"}
"""What a net carries, by its role; a plain signal may be anything."""
IN_LINE = (ComponentKind.FUSE, ComponentKind.FILTER, ComponentKind.LINK)
FEWEST_GUARDED = 2
"""So many pins of an array that lie on lines tell what it guards."""


def unlikely_in_pack(board: Board) -> tuple[PackMistake, ...]:
    """Ends that are hardly on the net that the pack says, in the order of the board; nothing for a pack that says
    nothing of where its nets come from."""
    if not any(one.end for one in board.sources):
        return ()
    described = [part for part in board.components if not part.undescribed]
    on = Counter(t.net for part in described for t in part.terminals)
    port = {t.net for part in described if part.kind is ComponentKind.RECEPTACLE for t in part.terminals}
    found: dict[str, PackMistake] = {}
    for part in described:
        for mistake in (*_joins_unlike(board, part), *_joins_lines(board, part, described),
                        *_guards_unlike(board, part), *_alone(board, part, on, port)):
            if not board.net_is_unknown(mistake.place):
                found.setdefault(mistake.place, mistake)
    return tuple(found.values())


def left_out_in_pack(board: Board, references: ReferenceTable) -> tuple[PackMistake, ...]:
    """Points whose only number on a good board was left out of the references, since the rest of the same copper read
    another: a touch that slipped, or an end that is not on that copper. Nothing for a pack that says nothing of where
    its nets come from."""
    if not any(one.end for one in board.sources):
        return ()
    method = Method.DIODE_RED_GROUND
    found = {}
    for one in references.outliers:
        point = board.point_by_id.get(one.point)
        if point is None or one.method is not method or not math.isfinite(one.value) or point.to is not None \
                or point.id in board.port_points or references.get(point.id, method) is not None:
            continue
        designator, _, pin = point.at.partition(".")
        found[point.id] = _mistake(board, board.component_by_designator[designator], pin, tr(
            "{point} read {value:.3f} V on {unit}, and the rest of {net} did not: the touch slipped, or it is on "
            "another net", point=point.id, value=one.value, unit=one.board, net=board.net_of(point.at)))
    return tuple(found.values())


def apart_in_pack(board: Board, references: ReferenceTable) -> tuple[PackMistake, ...]:
    """Contacts that do the same, one each way up, and read apart on the only good boards."""
    return tuple(PackMistake("twins_apart", one, tr(
        "{one} and {other} do the same, and read {volts:.3f} V apart on good boards: one of them is odd there",
        one=one, other=other, volts=volts), tr("read another good unit"), (one, other), UNLIKELY_NATS)
        for one, other, volts in twins_apart(board, references.by_point, Method.DIODE_RED_GROUND))


def _carries(board: Board, net: str) -> str:
    return LINE_OF.get(board.net_by_name[net].role, "")


def _mistake(board: Board, part: Component, pin: str, words: str) -> PackMistake:
    end, net = f"{part.designator}.{pin}", part.terminal(pin).net
    other = next((point.id for point in board.points if point.to is None and point.at != end
                  and board.net_of(point.at) == net), "")
    touch = tr("{end} to {other}, in ohms: open means so", end=end, other=other) if other else tr(
        "touch {end} against the lines of the port, in ohms", end=end)
    points = (end,) if end in board.point_by_id else ()
    return PackMistake(UNLIKELY, end, words, touch, points, UNLIKELY_NATS, (end,))


def _joins_unlike(board: Board, part: Component) -> Iterator[PackMistake]:
    """A filter between a line and a supply, or ground."""
    for pair in part.lines if part.kind is ComponentKind.FILTER else ():
        carried = [_carries(board, part.terminal(pin).net) for pin in pair]
        for pin, own in zip(pair, carried, strict=True):
            if own in ("ground", "supply") and any(other != own for other in carried):
                yield _mistake(board, part, pin, tr(
                    "{designator}.{pin} on {net}: a filter carries a line on, and joins none to a supply or ground",
                    designator=part.designator, pin=pin, net=part.terminal(pin).net))


def _joins_lines(board: Board, part: Component, described: list[Component]) -> Iterator[PackMistake]:
    """A filter that makes two lines of one chip, or of the port, one: at that end which another filter's line reaches
    already."""
    if part.kind is not ComponentKind.FILTER:
        return
    filtered = Counter(t.net for one in described if one.kind is ComponentKind.FILTER for t in one.terminals)
    for pair in part.lines:
        shared = [pin for pin in pair if filtered[part.terminal(pin).net] > 1]
        if len(shared) != 1:
            continue
        one, other = (_reached_beside(board, part, pin, described) for pin in pair)
        both = sorted(one & other)
        if both:
            yield _mistake(board, part, shared[0], tr(
                "{designator}.{pin} on {net}: so two lines of {part} would be one", designator=part.designator,
                pin=shared[0], net=part.terminal(shared[0]).net, part=both[0]))


def _reached_beside(board: Board, part: Component, pin: str, described: list[Component]) -> set[str]:
    """Chips and ports with a pin on the copper that this end of a filter lies on, other filters passed."""
    lines = [(one.terminal(a).net, one.terminal(b).net) for one in described if one.kind is ComponentKind.FILTER
             and one is not part for a, b in one.lines]
    nets, grown = set[str](), {part.terminal(pin).net}
    while grown != nets:
        nets = set(grown)
        grown |= {far for pair in lines for near, far in (pair, pair[::-1]) if near in nets}
    return {one.designator for one in described if one.kind in (ComponentKind.IC, ComponentKind.RECEPTACLE)
            for t in one.terminals if t.net in nets and _carries(board, t.net) != "ground"}


def _guards_unlike(board: Board, part: Component) -> Iterator[PackMistake]:
    """An array with a pin on a supply where the others guard lines, or with two on one line."""
    if part.kind is not ComponentKind.ESD_ARRAY:
        return
    guarded = {t.name: t.net for t in part.terminals if _carries(board, t.net) != "ground"}
    lines = sum(_carries(board, net) == "line" for net in guarded.values())
    twice = {net for net, count in Counter(guarded.values()).items() if count > 1}
    for pin, net in guarded.items():
        if net in twice:
            yield _mistake(board, part, pin, tr(
                "{designator}.{pin} on {net}: an ESD array guards each line with one pin", designator=part.designator,
                pin=pin, net=net))
        elif _carries(board, net) == "supply" and lines and len(guarded) >= FEWEST_GUARDED:
            yield _mistake(board, part, pin, tr(
                "{designator}.{pin} on {net}: the other pins of this ESD array guard lines",
                designator=part.designator, pin=pin, net=net))


def _alone(board: Board, part: Component, on: Counter[str], port: set[str]) -> Iterator[PackMistake]:
    """A part in a line, or a capacitor to ground, with an end on a net on which no other placed part lies. Where the
    other end is a contact's, what lies beyond may be yet to be placed."""
    if part.kind in IN_LINE:
        pairs = part.lines
    elif part.kind is ComponentKind.CAPACITOR and len(part.terminals) == len(("one", "other")):
        pairs = ((part.terminals[0].name, part.terminals[1].name),)
    else:
        return
    for pair in pairs:
        nets = [part.terminal(pin).net for pin in pair]
        decoupling = part.kind is ComponentKind.CAPACITOR
        if decoupling and not any(_carries(board, net) == "ground" for net in nets):
            continue
        for pin, net, other in zip(pair, nets, reversed(nets), strict=True):
            if on[net] == 1 and net not in port and (decoupling or other not in port):
                yield _mistake(board, part, pin, tr("{designator}.{pin} is the only end on {net}",
                                                    designator=part.designator, pin=pin, net=net))
