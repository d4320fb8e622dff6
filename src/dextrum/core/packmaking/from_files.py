"""A pack from a shop's files: parts and nets from a test netlist, places and words from tables."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import replace

from dextrum.core.board import (
    Board,
    Component,
    ComponentKind,
    FailureRate,
    Net,
    NetRole,
    Point,
    Port,
    RepairRule,
    Side,
    SourceKind,
    Terminal,
)
from dextrum.core.board.kinds import KIND_WORDS
from dextrum.core.board.sources import USUAL, net_of_end
from dextrum.core.packmaking.first_rung import Opening, described
from dextrum.core.packmaking.kind_defaults import PRICES, RATES, REPAIRS, UNDESCRIBED_ELSE
from dextrum.core.packmaking.port_template import ROLE_OF, SIGNALS, TEMPLATES, PortTemplate
from dextrum.core.packmaking.second_rung import checks_of, functions_of, symptoms_of
from dextrum.core.packmaking.shop_files.tables import Row
from dextrum.core.packmaking.shop_files.test_netlist import Left, TestPoint, by_part
from dextrum.tongue import tr

KIND_OF_PREFIX: Mapping[str, ComponentKind] = {
    "C": ComponentKind.CAPACITOR, "R": ComponentKind.RESISTOR, "L": ComponentKind.INDUCTOR, "F": ComponentKind.FUSE,
    "FL": ComponentKind.FILTER, "FB": ComponentKind.LINK, "U": ComponentKind.IC, "IC": ComponentKind.IC,
    "D": ComponentKind.ESD_ARRAY, "J": ComponentKind.CONNECTOR, "P": ComponentKind.CONNECTOR,
    "CN": ComponentKind.CONNECTOR}
"""By the letters of a designator, as they are used on most boards; what has other letters is left out, and told."""
NOT_PARTS = frozenset({"TP", "FID", "MH", "H", "LOGO", "SH"})
PINS_OF = {ComponentKind.CAPACITOR: 2, ComponentKind.RESISTOR: 2, ComponentKind.INDUCTOR: 2, ComponentKind.FUSE: 2,
           ComponentKind.LINK: 2, ComponentKind.FILTER: 4}
GROUND_NAMES = frozenset({"GND", "AGND", "DGND", "PGND", "VSS", "0V", "GROUND"})
RAIL = re.compile(r"^(V|\+|VDD|VCC|VSYS|SYS|P)[A-Z_]*\d|^(VDD|VCC|VSYS|SYS|VBAT|VCELL)", re.IGNORECASE)
LINK_OHMS = 0.5
"""A resistor of less is a link: it carries a supply, and nothing measures across it."""
LEAST_MM, PIN_MM = 0.6, 0.5
"""Size of a part that has one pin of its own place, and what its pins reach beyond."""


def board_from_files(model: str, revision: str, points: Sequence[TestPoint], rows: Sequence[Row] = (),
                     openings: Sequence[Opening] = ()) -> tuple[Board, tuple[Left, ...]]:
    """The pack, and what was left out with the reason (line 0: of no line). rows: of any tables, the first that says
    something of a part counts. Raises ValueError where there is no port among the parts."""
    said: dict[str, Row] = {}
    for row in rows:
        before = said.get(row.part)
        said[row.part] = row if before is None else replace(
            before, x_mm=row.x_mm if before.x_mm is None else before.x_mm,
            y_mm=row.y_mm if before.y_mm is None else before.y_mm, bottom=before.bottom or row.bottom,
            value=before.value or row.value, words=before.words or row.words)
    left: list[Left] = []
    parts: list[Component] = []
    for name, pins in by_part(points).items():
        made = _part(name, pins, said.get(name))
        if isinstance(made, Component):
            parts.append(made)
        elif made:
            left.append(Left(0, f"{name}: {made}"))
    left += [Left(0, tr("{name}: is in a table and not in the netlist", name=name)) for name in said
             if name not in {part.designator for part in parts} and KIND_OF_PREFIX.get(_prefix(name)) is not None]
    port = next((part for part in parts if part.kind is ComponentKind.RECEPTACLE), None)
    if port is None:
        raise ValueError(tr("no part has the contacts of a USB-C receptacle; expected one with pins A5 and B5"))
    start = described(model, revision, _template_of(port), openings)
    return _whole(start, parts, port, openings), tuple(left)


def _prefix(name: str) -> str:
    found = re.match(r"[A-Za-z]+", name)
    return found[0].upper() if found else ""


def _kind(name: str, pins: Sequence[TestPoint]) -> ComponentKind | None:
    if {"A5", "B5"} <= {pin.pin.upper() for pin in pins} and {p.pin.upper() for p in pins} & set(SIGNALS):
        return ComponentKind.RECEPTACLE
    return KIND_OF_PREFIX.get(_prefix(name))


def _part(name: str, pins: Sequence[TestPoint], row: Row | None) -> Component | str:
    """The part, or why it is left out; empty for test pads and holes."""
    if _prefix(name) in NOT_PARTS:
        return ""
    kind = _kind(name, pins)
    if kind is None:
        return tr("what kind of part has the letters {prefix!r} is not known", prefix=_prefix(name) or name[:6])
    terminals: dict[str, Terminal] = {}
    for pin in pins:
        label = pin.pin.upper() if kind is ComponentKind.RECEPTACLE else pin.pin
        if kind is ComponentKind.RECEPTACLE and label not in SIGNALS:
            continue
        terminals.setdefault(label, Terminal(label, pin.net or f"NC_{name}_{label}"))
    wanted = PINS_OF.get(kind)
    if wanted == 4 and len(terminals) == 2:
        kind, wanted = ComponentKind.LINK, 2  # a bead has the letters of a filter now and then
    if wanted is not None and len(terminals) != wanted:
        return tr("has {count} pins; a {kind} has {wanted}", count=len(terminals), kind=KIND_WORDS[kind],
                  wanted=wanted)
    xs, ys = [pin.x_mm for pin in pins], [pin.y_mm for pin in pins]
    x = row.x_mm if row is not None and row.x_mm is not None else (min(xs) + max(xs)) / 2
    y = row.y_mm if row is not None and row.y_mm is not None else (min(ys) + max(ys)) / 2
    purpose = ((row.words or row.value) if row is not None else "") or kind.value.replace("_", " ")
    ohms = _ohms(row.value) if row is not None and kind is ComponentKind.RESISTOR else None
    if ohms is not None and ohms < LINK_OHMS:
        kind, ohms = ComponentKind.LINK, None
    return Component(name, kind, purpose[:80], tuple(terminals.values()),
                     Side.BOTTOM if row is not None and row.bottom else Side.TOP, round(x, 3), round(y, 3),
                     max(LEAST_MM, round(max(xs) - min(xs) + PIN_MM, 2)),
                     max(LEAST_MM, round(max(ys) - min(ys) + PIN_MM, 2)), ohms=ohms,
                     price=PRICES.get(kind, 0.0))


def _ohms(value: str) -> float | None:
    """'5.1k', '4k7', '0R', '100' as ohms; None for what is none."""
    found = re.match(r"^\s*(\d+)(?:[.,](\d+))?\s*([RkKM]?)(\d*)\s*(?:ohms?|Ω)?", value)
    if found is None:
        return None
    whole = float(f"{found[1]}.{found[2] or found[4] or 0}")
    return whole * {"k": 1e3, "K": 1e3, "M": 1e6}.get(found[3], 1.0)


def _template_of(port: Component) -> PortTemplate:
    """The template with as many of its contacts as the port has."""
    names = {terminal.name for terminal in port.terminals}
    return max(TEMPLATES.values(), key=lambda one: (
        len(names & set(one.net_of)) - len(names ^ set(one.net_of))))


def role_of_net(net: str, port_roles: Mapping[str, NetRole]) -> NetRole:
    """What a net is for, by the port's and by its name."""
    if net in port_roles:
        return port_roles[net]
    if net.upper() in GROUND_NAMES:
        return NetRole.GROUND
    return NetRole.RAIL if RAIL.match(net) else NetRole.SIGNAL


def _whole(start: Board, parts: Sequence[Component], port: Component, openings: Sequence[Opening]) -> Board:
    deepest = start.access_levels[-1].id
    names = [terminal.name for terminal in port.terminals]
    port_roles = {terminal.net: ROLE_OF[SIGNALS[terminal.name]] for terminal in port.terminals}
    nets = dict.fromkeys(terminal.net for part in parts for terminal in part.terminals)
    contacts = tuple(c for c in start.ports[0].contacts if c.name in names)
    there = {c.name for c in contacts}
    ports = (Port(port.designator, contacts, tuple(g for group in start.ports[0].one_node if len(
        g := tuple(n for n in group if n in there)) > 1), tuple(
            pair for pair in start.ports[0].twins if set(pair) <= there)),)
    points: list[Point] = []
    for part in parts:
        for k, terminal in enumerate(part.terminals):
            role = role_of_net(terminal.net, port_roles)
            if part is port:
                access = start.access_levels[0].id
            elif role is NetRole.GROUND or terminal.net.startswith("NC_"):
                continue
            else:
                access = deepest
            points.append(Point(f"{part.designator}.{terminal.name}", f"{part.designator}.{terminal.name}", part.side,
                                round(part.x_mm + part.width_mm * ((k + 0.5) / len(part.terminals) - 0.5), 3),
                                part.y_mm, access, role.value))
    xs = [p.x_mm + s * p.width_mm / 2 for p in parts for s in (-1, 1)]
    ys = [p.y_mm + s * p.height_mm / 2 for p in parts for s in (-1, 1)]
    low_x, high_x, low_y, high_y = min(xs) - 1, max(xs) + 1, min(ys) - 1, max(ys) + 1
    edge = ((low_x, low_y), (high_x, low_y), (high_x, high_y), (low_x, high_y))
    kinds = {part.kind for part in parts}
    return replace(
        start, outline_mm=tuple((round(x, 2), round(y, 2)) for x, y in edge), components=tuple(parts), ports=ports,
        nets=tuple(Net(net, role_of_net(net, port_roles)) for net in nets), points=tuple(points),
        failure_rates=tuple(FailureRate(kind, mode, weight) for kind, rates in RATES.items() if kind in kinds
                            for mode, weight in rates.items()),
        repair_rules=tuple(RepairRule(kind, action, mends, minutes, deepest, risk) for kind, rules in REPAIRS.items()
                           if kind in kinds for action, mends, minutes, risk in rules),
        functions=functions_of(start, nets, port_roles, on_charge_lines(parts, port_roles)),
        symptoms=symptoms_of(start), checks=checks_of(start), prior_something_else=UNDESCRIBED_ELSE,
        sources=(*(net_of_end(f"{part.designator}.{terminal.name}", SourceKind.FILE)
                   for part in parts for terminal in part.terminals), *USUAL))


def on_charge_lines(parts: Sequence[Component], port_roles: Mapping[str, NetRole]) -> tuple[str, ...]:
    """Chips and fuses that sit on what supplies the unit or asks for it: without them it does not charge, as far as a
    netlist tells."""
    lines = {net for net, role in port_roles.items() if role in (NetRole.VBUS, NetRole.CC)}
    return tuple(part.designator for part in parts if part.kind in (ComponentKind.IC, ComponentKind.FUSE)
                 and any(terminal.net in lines for terminal in part.terminals))


def test_points_of(board: Board) -> tuple[TestPoint, ...]:
    """The pack's parts as a test netlist has them; pins stand in a row along their part."""
    found = []
    for part in board.components:
        if part.undescribed:
            continue
        for k, terminal in enumerate(part.terminals):
            found.append(TestPoint(terminal.net, part.designator, terminal.name,
                                   round(part.x_mm + part.width_mm * ((k + 0.5) / len(part.terminals) - 0.5), 3),
                                   part.y_mm, True))
    return tuple(found)

