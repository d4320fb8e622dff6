"""The second rung: one good unit. Its readings become references, and what lies behind the port one part, `REST`,
and what lies in its fast lanes another, `LANES`: filters fail there, and a dark dock is no dead charger. What makes the
unit start is a third, `SYSTEM`: it is no part of the charging, and nothing of it is seen at the port.

They have a junction on every net of the port, as strong as the good unit reads there, so that the circuit predicts
what a good board reads and what an open contact or a short would; which part behind the port it is, nobody has told.
They can't be replaced and are no reason to give a unit up (`Component.undescribed`).
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from dataclasses import replace

from dextrum.core.board import (
    Board,
    Component,
    ComponentKind,
    FailureRate,
    FaultKind,
    Function,
    Method,
    NetRole,
    Point,
    ProofCheck,
    RepairRule,
    Side,
    Symptom,
    Terminal,
)
from dextrum.core.board.copper import joined_nets
from dextrum.core.board.sources import USUAL, with_sources
from dextrum.core.circuit.junction import IDEALITY_TIMES_THERMAL_VOLTS
from dextrum.core.packmaking.draw_profile import LEARNED, STATED, Profile
from dextrum.core.packmaking.kind_defaults import RATES, REPAIRS, REST_RATES, UNDESCRIBED_ELSE
from dextrum.tongue import tr

REST, LANES, LOADS, SYSTEM = "REST", "LANES", "LOADS", "SYSTEM"
REST_FUNCTION, SYSTEM_FUNCTION = "rest", "system"
"""Of a circuit's template: that what nobody has described works, and that what makes the unit start does."""
SYSTEM_CHIPS = 3.0
"""How often what makes a unit start fails unseen, against one chip: as processor, memory and storage do, 1 to 5, an
estimate. Without it a unit that only doesn't start was thought whole, with a flat cell, once its port read well."""
LANE_PAIRS = ("TX1", "RX1", "TX2", "RX2")
"""Signals of a USB-C port's fast lanes, by the USB Type-C specification: the number is that of CC, the way up."""
LEAST_VOLTS, MOST_VOLTS = 0.1, 3.0
"""Of a junction, as a pack may state it; below it a net is as good as ground, above it as good as open."""


def with_good_unit(board: Board, readings: Mapping[str, float]) -> Board:
    """The pack once a good unit's port was read. readings: volts by point in diode mode with red on ground, inf for OL.

    A pack that has parts behind its port keeps them; nets of theirs that state no junction get one.
    """
    volts = _by_net(board, readings)
    if not volts:
        return board
    if any(not part.undescribed and part.kind is not ComponentKind.RECEPTACLE for part in board.components):
        return with_junctions(board, volts)
    return with_rest(board, volts)


def with_rest(board: Board, volts: Mapping[str, float]) -> Board:
    """A pack of a port with what lies behind it as parts that nobody has described. volts: what a good unit reads, by
    net; where it wasn't read, they have a pin and no junction."""
    grounded = {net for net, value in volts.items() if value < LEAST_VOLTS}
    nets = tuple(replace(net, role=NetRole.GROUND) if net.name in grounded and net.role is NetRole.SIGNAL else net
                 for net in board.nets)
    live = [net.name for net in nets if net.role is not NetRole.GROUND]
    lanes = [net.name for net in nets if net.role is NetRole.LANE]
    ground = next((net.name for net in nets if net.role is NetRole.GROUND), "")

    def behind(name: str, purpose: str, own: list[str], x_mm: float) -> Component:
        terminals = tuple(Terminal(net, net, volts[net] if LEAST_VOLTS <= volts.get(net, math.inf) <= MOST_VOLTS
                                   else None) for net in own)
        return Component(name, ComponentKind.IC, purpose, (*terminals, *((Terminal("GND", ground),) if ground else ())),
                         Side.TOP, x_mm, 12.0, 12.0, 10.0, undescribed=True)

    rest = [behind(REST, tr("the board behind the port, not described yet"), [n for n in live if n not in lanes], 20.0)]
    rest += [behind(LANES, tr("what lies in the fast lanes, not described yet"), lanes, 40.0)] if lanes else []
    rest.append(system_of(board, ground, rates_of_rest=True))
    port = tuple(part for part in board.components if not part.undescribed)
    deepest = board.access_levels[-1].id if board.access_levels else "closed"
    return replace(
        board, nets=nets, components=(*port, *rest), functions=functions_of(
            board, live, {net.name: net.role for net in nets}, (REST,), system=True), symptoms=symptoms_of(board),
        failure_rates=(*(FailureRate(ComponentKind.RECEPTACLE, mode, weight) for mode, weight in
                         RATES[ComponentKind.RECEPTACLE].items()),
                       *(FailureRate(ComponentKind.IC, mode, weight) for mode, weight in REST_RATES.items())),
        repair_rules=tuple(RepairRule(ComponentKind.RECEPTACLE, action, mends, minutes, deepest, risk)
                           for action, mends, minutes, risk in REPAIRS[ComponentKind.RECEPTACLE]),
        points=(*(p for p in board.points if p.to is None), *_pairs(board)), checks=checks_of(board),
        prior_something_else=UNDESCRIBED_ELSE, sources=with_sources(board.sources, USUAL))


def system_of(board: Board, ground: str, rates_of_rest: bool) -> Component:
    """What makes the unit start, as a part that nobody has described; drawn by the board's edge, beside the others.
    ground: the net of its only pin, if there is any; rates_of_rest: whether the pack's rates of chips are still those
    of a whole board (`REST_RATES`)."""
    (left, right), (top, bottom) = ((min(along), max(along)) for along in zip(*board.outline_mm, strict=True))
    wide, high = right - left, bottom - top
    chip = RATES[ComponentKind.IC][FaultKind.QUIET_FAILURE]
    factor = SYSTEM_CHIPS * (chip / REST_RATES[FaultKind.QUIET_FAILURE] if rates_of_rest else 1.0)
    return Component(SYSTEM, ComponentKind.IC, tr("what makes it start, not described yet"),
                     (Terminal("GND", ground),) if ground else (), Side.TOP, left + wide / 2.0, top + high / 6.0,
                     wide / 10.0, high / 5.0, failure_factor=factor, undescribed=True)


def with_junctions(board: Board, volts: Mapping[str, float]) -> Board:
    """The pack with a junction at the chips and arrays of each net that has none stated, so that together they read as
    the good unit does. volts: by net; nets joined through a series part read alike, and count as one. The fit to all
    good units' readings refines them."""
    joined = joined_nets(board)
    stated = {joined[t.net] for part in board.components for t in part.terminals if t.junction_volts is not None}
    read: dict[str, list[float]] = {}
    for net, value in volts.items():
        read.setdefault(joined[net], []).append(value)
    conducts = (ComponentKind.IC, ComponentKind.ESD_ARRAY)
    count: dict[str, int] = {}
    for part in board.components:
        for net in {t.net for t in part.terminals} if part.kind in conducts else ():
            count[joined[net]] = count.get(joined[net], 0) + 1

    def pin(terminal: Terminal, first: bool) -> Terminal:
        group = joined[terminal.net]
        value = sorted(read[group])[len(read[group]) // 2] if group in read else math.inf
        if group in stated or not first or not LEAST_VOLTS <= value <= MOST_VOLTS:
            return terminal
        # Of k alike in parallel each carries a k-th: at the whole current it would read so much more.
        alone = value + IDEALITY_TIMES_THERMAL_VOLTS * math.log(count[group])
        return replace(terminal, junction_volts=round(min(alone, MOST_VOLTS), 4))

    def chip(part: Component) -> Component:
        if part.kind not in conducts:
            return part
        seen: set[str] = set()
        terminals = []
        for terminal in part.terminals:
            terminals.append(pin(terminal, terminal.net not in seen))
            seen.add(terminal.net)
        return replace(part, terminals=tuple(terminals))

    made = tuple(chip(part) for part in board.components)
    return board if made == board.components else replace(board, components=made)


def with_draws(board: Board, profile: Profile) -> Board:
    """The pack with a draw profile learned from good traces; as it was where nothing was learned, or where it has more
    than a learned one."""
    stated = any(not state.meaning.startswith(LEARNED) and state.id not in STATED for state in board.draw_states)
    if not profile.states or stated:
        return board
    known = {function.id for function in board.functions}
    outcomes = tuple(o for o in profile.outcomes if not o.broken or any(
        o.broken.replace("{o}", way) in known for way in ("a", "b")))
    return replace(board, draw_states=profile.states, draw_outcomes=outcomes)


def _by_net(board: Board, readings: Mapping[str, float]) -> dict[str, float]:
    """The middle of what the contacts of each net read."""
    found: dict[str, list[float]] = {}
    for point, value in readings.items():
        if point in board.point_by_id and board.point_by_id[point].to is None:
            found.setdefault(board.net_of(board.point_by_id[point].at), []).append(value)
    return {net: sorted(values)[len(values) // 2] for net, values in found.items()}


def _pairs(board: Board) -> Iterable[Point]:
    """From contact to contact of one node, in ohms: a bad contact shows there whatever lies behind."""
    for port in board.ports:
        for group in port.one_node:
            first = board.point_by_id[f"{port.component}.{group[0]}"]
            if board.net_by_name[board.net_of(first.at)].role is NetRole.GROUND:
                continue
            for other in group[1:]:
                yield Point(f"{port.component}.{group[0]}-{other}", first.at, first.side, first.x_mm, first.y_mm,
                            first.access, "one_node", f"{port.component}.{other}")


def _is_usb_c(board: Board) -> bool:
    return any(c.signal == "CC1" for port in board.ports for c in port.contacts)


def functions_of(board: Board, nets: Iterable[str], role: Mapping[str, NetRole], inside: tuple[str, ...],
                 system: bool = False) -> tuple[Function, ...]:
    """What a unit with this port must do, by the port's nets. nets: that are live; inside: the parts without which it
    does not charge, as far as anybody knows; system: whether what makes it start is a part by itself."""
    live = tuple(nets)
    feeds = tuple(net for net in live if role.get(net) is NetRole.VBUS)
    data = tuple(net for net in live if role.get(net) is NetRole.USB2)
    found = [Function("supply_clear", tr("the supply line is clear of ground"), nets_clear=feeds),
             Function("supply_path", tr("the supply line reaches the board"), nets_through=feeds),
             Function("inside", tr("what is behind the port works"), parts=inside)]
    common = ("supply_clear", "supply_path", "inside")
    if _is_usb_c(board):
        cc = {c.signal: board.net_of(f"{port.component}.{c.name}") for port in board.ports for c in port.contacts}
        ways = [("a", cc.get("CC1", "")), ("b", cc.get("CC2", ""))]
        found += [Function(f"cc_{way}", tr("CC reaches the board, {way} side up", way=way.upper()),
                           nets_through=(net,) if net in live else ()) for way, net in ways]
        found += [Function(f"charge_{way}", tr("charges with the {way} side up", way=way.upper()),
                           functions=(*common, f"cc_{way}")) for way, _ in ways]
    else:
        own = tuple(net for net in live if role.get(net) is NetRole.SIGNAL)
        found.append(Function("charge", "charges", nets_through=own, functions=common))
    if data:
        found.append(Function("data", tr("data lines reach the board"), nets_through=data))
    lanes = tuple(net for net in live if role.get(net) is NetRole.LANE)
    if lanes:
        # Each way up has lanes of its own, TX1 and RX1 or TX2 and RX2: a picture with one side up says nothing of the
        # other's. A shop's file may call their nets otherwise; what the port does not tell apart serves both.
        of_way = {board.net_of(f"{port.component}.{c.name}"): c.signal[2:3] for port in board.ports
                  for c in port.contacts if c.signal[:3] in LANE_PAIRS}
        found.append(Function("lanes", tr("the fast lanes work"), parts=(LANES,) if inside == (REST,) else ()))
        found += [Function(f"lanes_{way}", tr("fast lanes of the {way} side", way=way.upper()),
                           nets_through=tuple(net for net in lanes if of_way.get(net, number) == number))
                  for way, number in (("a", "1"), ("b", "2"))]
        band = tuple(net for net in live if role.get(net) is NetRole.SBU)
        found += [Function("side_band", tr("side-band lines reach the board"), nets_through=band)] if band else []
        both = ("inside", "lanes", *(("side_band",) if band else ()), *(("data",) if data else ()))
        found += [Function(f"dock_{way}", tr("picture in the dock, {way} side up", way=way.upper()),
                           functions=(*both, f"lanes_{way}", f"cc_{way}")) for way in "ab"]
    if system:
        found.append(Function(SYSTEM_FUNCTION, tr("what makes it start works"), parts=(SYSTEM,)))
    return (*found, Function("boot", tr("starts up"), functions=("inside", *((SYSTEM_FUNCTION,) if system else ()))))


def symptoms_of(board: Board) -> tuple[Symptom, ...]:
    charge = {"supply_clear": 0.9, "supply_path": 0.9, "inside": 0.5}
    if not _is_usb_c(board):
        return (Symptom("no_charge", tr("does not charge"), {"charge": 0.92}, 0.05),
                Symptom("no_start", tr("does not start"), {"boot": 0.6}, 0.05, flat_cell=0.85))
    return (Symptom("no_charge", tr("does not charge"), {**charge, "cc_a": 0.4, "cc_b": 0.4}, 0.05, flat_cell=0.15),
            Symptom("one_way", tr("charges only one way up"), {"cc_a": 0.6, "cc_b": 0.6}, 0.03),
            *((Symptom("no_dock", tr("no picture in the dock"), {
                "lanes": 0.85, "lanes_a": 0.55, "lanes_b": 0.55, "side_band": 0.8, "data": 0.7, "inside": 0.4,
                "cc_a": 0.2, "cc_b": 0.2}, 0.05),)
              if any(net.role is NetRole.LANE for net in board.nets) else ()),
            Symptom("no_start", tr("does not start"), {"boot": 0.6}, 0.05, flat_cell=0.85))


def checks_of(board: Board) -> tuple[ProofCheck, ...]:
    own = {"charge_a", "charge_b", "charge", "boot", "dock_a", "dock_b"}
    return tuple(replace(check, functions=(check.id,)) if check.id in own else check for check in board.checks)


def good_readings(board: Board, facts_readings: Iterable[tuple[str, Method, float]]) -> dict[str, float]:
    """Of what was read of a good unit, what a pack is made from: diode mode, red on ground."""
    return {point: value for point, method, value in facts_readings
            if method is Method.DIODE_RED_GROUND and point in board.point_by_id}
