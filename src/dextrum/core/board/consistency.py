"""Checks that need the whole board: every name used must exist, and numbers must agree with each other."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable, Iterator
from dataclasses import dataclass

from dextrum.core.board.fasteners import wrong_fasteners
from dextrum.core.board.kinds import ComponentKind
from dextrum.core.board.model import Board
from dextrum.core.board.set_ups import wrong_set_ups
from dextrum.tongue import tr

LEAST_BOARD_MM, MOST_BOARD_MM = 1.0, 1000.0
"""Of a board's outline: what is smaller or larger was meant in another unit."""
CONTACT_NAME = re.compile(r"[AB][0-9]{1,2}")

TERMINALS_OF_KIND = {
    ComponentKind.FUSE: 2, ComponentKind.LINK: 2, ComponentKind.RESISTOR: 2, ComponentKind.INDUCTOR: 2,
    ComponentKind.CAPACITOR: 2, ComponentKind.FILTER: 4,
}


@dataclass(frozen=True)
class Inconsistency:
    """section: the part of the pack ('components', 'points' ...); place: which item."""

    section: str
    place: str
    wrong: str
    expected: str


def _duplicates(section: str, names: Iterable[str]) -> Iterator[Inconsistency]:
    for name, count in Counter(names).items():
        if count > 1:
            yield Inconsistency(section, name, tr("appears {count} times", count=count), tr("each name once"))


def _components(board: Board) -> Iterator[Inconsistency]:
    for part in board.components:
        wanted = TERMINALS_OF_KIND.get(part.kind)
        if wanted is not None and len(part.terminals) != wanted:
            yield Inconsistency("components", part.designator, tr("has {count} terminals", count=len(part.terminals)),
                                tr("{wanted} for a {kind}", wanted=wanted, kind=part.kind.value))
        yield from _duplicates(f"components, {part.designator}", (t.name for t in part.terminals))
        for terminal in part.terminals:
            if terminal.net not in board.net_by_name:
                yield Inconsistency("components", f"{part.designator}.{terminal.name}",
                                    tr("net {net!r} is not listed", net=terminal.net), tr("a net from nets"))


def _address_exists(board: Board, address: str) -> bool:
    try:
        board.net_of(address)
    except KeyError:
        return False
    return not address.endswith("/tail") or any(
        port.component == address.partition(".")[0] for port in board.ports)


def _points(board: Board) -> Iterator[Inconsistency]:
    for point in board.points:
        for address in (point.at, point.to):
            if address is not None and not _address_exists(board, address):
                yield Inconsistency("points", point.id, tr("{address!r} is not on the board", address=address),
                                    tr("PART.TERMINAL, PART.CONTACT/tail or @NET"))
        if point.access not in board.access_order:
            yield Inconsistency("points", point.id, tr("access level {access!r} is not listed", access=point.access),
                                tr("a level from access_levels"))


def _ports(board: Board) -> Iterator[Inconsistency]:
    for port in board.ports:
        part = board.component_by_designator.get(port.component)
        if part is None:
            yield Inconsistency("ports", port.component, tr("is not a component"), tr("a receptacle's designator"))
            continue
        names = {contact.name for contact in port.contacts}
        for name in sorted(name for name in names if not CONTACT_NAME.fullmatch(name)):
            yield Inconsistency("ports", f"{port.component}.{name}", tr("is no name of a contact"),
                                tr("a row, A or B, and a place along it, such as A5"))
        yield from _duplicates(f"ports, {port.component}", (str(c.number) for c in port.contacts))
        for name in sorted(names - {t.name for t in part.terminals}):
            yield Inconsistency("ports", f"{port.component}.{name}", tr("is not a terminal of the receptacle"),
                                tr("a terminal of the same name"))
        signal = {contact.name: contact.signal for contact in port.contacts}
        for group in port.one_node:
            if len({signal.get(name) for name in group}) > 1:
                yield Inconsistency("ports", f"{port.component}, one_node",
                                    tr("{group} carry different signals",
                                       group=", ".join(group)), tr("contacts of one signal"))
        for group in (*port.one_node, *port.twins):
            for name in group:
                if name not in names:
                    yield Inconsistency("ports", f"{port.component}.{name}", tr("is not a contact"),
                                        tr("a contact of this port"))


def _functions(board: Board) -> Iterator[Inconsistency]:
    ids = {function.id for function in board.functions}
    for function in board.functions:
        for part in function.parts:
            if part not in board.component_by_designator:
                yield Inconsistency("functions", function.id, tr("part {part!r} is not listed",
                                                                 part=part), tr("a component"))
        for net in (*function.nets_through, *function.nets_clear):
            if net not in board.net_by_name:
                yield Inconsistency("functions", function.id, tr("net {net!r} is not listed", net=net), tr("a net"))
        for other in function.functions:
            if other not in ids:
                yield Inconsistency("functions", function.id, tr("function {other!r} is not listed", other=other),
                                    tr("a function"))
    for check in board.checks:
        for name in check.functions:
            if name not in ids:
                yield Inconsistency("checks", check.id, tr("function {name!r} is not listed", name=name),
                                    tr("a function"))
    for symptom in board.symptoms:
        for name in symptom.weights:
            if name not in ids:
                yield Inconsistency("symptoms", symptom.id, tr("function {name!r} is not listed",
                                                               name=name), tr("a function"))


def _cycles(board: Board) -> Iterator[Inconsistency]:
    needs = {function.id: function.functions for function in board.functions}
    done: set[str] = set()
    for start in needs:
        stack, path = [(start, iter(needs[start]))], [start]
        while stack:
            name, rest = stack[-1]
            following = next(rest, None)
            if following is None:
                done.add(name)
                stack.pop()
                path.pop()
            elif following in path:
                yield Inconsistency("functions", following, tr("needs itself"), tr("no cycle of needs"))
                return
            elif following not in done and following in needs:
                stack.append((following, iter(needs[following])))
                path.append(following)


def _draw(board: Board) -> Iterator[Inconsistency]:
    ids = {function.id for function in board.functions}
    for supply_class in dict.fromkeys((*(s.supply_class for s in board.draw_states),
                                       *(o.supply_class for o in board.draw_outcomes))):
        outcomes = [o for o in board.draw_outcomes if o.supply_class == supply_class]
        states = {s.id for s in board.draw_states if s.supply_class == supply_class} | {"unknown"}
        for outcome in outcomes:
            for orientation in "ab":
                name = outcome.broken.replace("{o}", orientation)
                if name and name not in ids:
                    yield Inconsistency("draw_outcomes", outcome.broken, tr("function {name!r} is not listed",
                                                                            name=name),
                                        tr("a function"))
            for state in outcome.states:
                if state not in states:
                    yield Inconsistency("draw_outcomes", outcome.broken or "healthy",
                                        tr("state {state!r} is not listed for the supply class {supply_class!r}",
                                           state=state, supply_class=supply_class),
                                        tr("a state from draw_states, or unknown"))
        if outcomes and outcomes[-1].broken:
            yield Inconsistency("draw_outcomes", outcomes[-1].broken, tr("is the last row of {supply_class!r}",
                                                                         supply_class=supply_class),
                                tr("a last row with empty 'broken', for the healthy board"))
        for draw_state in board.draw_states:
            if draw_state.supply_class == supply_class:
                for following in draw_state.followed_by:
                    if following not in states:
                        yield Inconsistency("draw_states", draw_state.id, tr("state {following!r} is not listed",
                                                                             following=following),
                                            tr("a state of the supply class {supply_class!r}",
                                               supply_class=supply_class))


def _rail_checks(board: Board) -> Iterator[Inconsistency]:
    ids = {function.id for function in board.functions}
    for check in board.rail_checks:
        if check.point not in board.point_by_id or board.point_by_id[check.point].to is not None:
            yield Inconsistency("rail_checks", check.id, tr("point {point!r} is not listed", point=check.point),
                                tr("a point against ground"))
        if check.access not in board.access_order:
            yield Inconsistency("rail_checks", check.id, tr("access level {access!r} is not listed",
                                                            access=check.access),
                                tr("a level from access_levels"))
        for name in (name.replace("{o}", orientation) for name in check.functions for orientation in "ab"):
            if name not in ids:
                yield Inconsistency("rail_checks", check.id, tr("function {name!r} is not listed",
                                                                name=name), tr("a function"))


def _kits(board: Board) -> Iterator[Inconsistency]:
    for kit in board.kits:
        if kit.part not in board.component_by_designator:
            yield Inconsistency("kits", kit.id, tr("part {part!r} is not listed",
                                                   part=kit.part), tr("a part whose place it takes"))
        if not kit.readings:
            yield Inconsistency("kits", kit.id, tr("nothing is read of it"), tr("at least one reading"))


def _fasteners(board: Board) -> Iterator[Inconsistency]:
    for place, wrong, expected in wrong_fasteners(board):
        yield Inconsistency("fasteners", place, wrong, expected)


def _set_ups(board: Board) -> Iterator[Inconsistency]:
    for place, wrong, expected in wrong_set_ups(board):
        yield Inconsistency("set_ups", place, wrong, expected)


def _others(board: Board) -> Iterator[Inconsistency]:
    for rule in board.repair_rules:
        if rule.access not in board.access_order:
            yield Inconsistency("repair_rules", f"{rule.kind.value} {rule.action}",
                                tr("access level {access!r} is not listed", access=rule.access),
                                tr("a level from access_levels"))
    for trace in board.traces:
        if trace.net not in board.net_by_name:
            yield Inconsistency("traces", trace.id, tr("net {net!r} is not listed", net=trace.net), tr("a net"))
        for address in trace.far_terminals:
            if not _address_exists(board, address):
                yield Inconsistency("traces", trace.id, tr("{address!r} is not on the board",
                                                           address=address), "PART.TERMINAL")
            elif board.net_of(address) != trace.net:
                yield Inconsistency("traces", trace.id, tr("{address!r} is on {net_of!r}", address=address,
                                                           net_of=board.net_of(address)),
                                    tr("a terminal on {net!r}", net=trace.net))
    if len(board.outline_mm) < 3:
        yield Inconsistency("pack", "outline_mm", tr("has {count} corners",
                                                     count=len(board.outline_mm)), tr("at least 3"))
    else:
        for along, way in ((0, tr("wide")), (1, tr("high"))):
            size = max(corner[along] for corner in board.outline_mm) - min(corner[along] for corner in board.outline_mm)
            if not LEAST_BOARD_MM <= size <= MOST_BOARD_MM:
                yield Inconsistency("pack", "outline_mm", tr("is {size:g} mm {way}", size=size, way=way),
                                    tr("{least:g} to {most:g} mm", least=LEAST_BOARD_MM, most=MOST_BOARD_MM))


def _assumed(board: Board) -> Iterator[Inconsistency]:
    if not board.assumed:
        return
    from dextrum.core.assumptions.stated import OF_THE_BOARD, trouble_with

    for name, value in board.assumed.items():
        wrong = trouble_with(name, value, OF_THE_BOARD)
        if wrong:
            yield Inconsistency("assumed", name, wrong, tr("what a pack may state, within its range"))


def inconsistencies(board: Board) -> tuple[Inconsistency, ...]:
    """All places where the board contradicts itself; empty for a sound one."""
    return (
        *_duplicates("nets", (n.name for n in board.nets)),
        *_duplicates("components", (c.designator for c in board.components)),
        *_duplicates("points", (p.id for p in board.points)),
        *_duplicates("functions", (f.id for f in board.functions)),
        *_duplicates("symptoms", (s.id for s in board.symptoms)),
        *_duplicates("kits", (kit.id for kit in board.kits)),
        *_duplicates("rail_checks", (c.id for c in board.rail_checks)),
        *_duplicates("draw_states", (f"{s.supply_class} {s.id}" for s in board.draw_states)),
        *_components(board), *_points(board), *_ports(board), *_functions(board), *_cycles(board),
        *_draw(board), *_rail_checks(board), *_kits(board), *_fasteners(board), *_set_ups(board),
        *_others(board), *_assumed(board),
    )
