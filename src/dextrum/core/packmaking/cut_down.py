"""A whole pack cut down to what a technician would know of the board on one rung of the ladder: to measure what each
rung is worth. The board behind it stays the whole one.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

import numpy as np

from dextrum.core.board import Board, Component, ComponentKind, NetRole, Point
from dextrum.core.packmaking.circuit_template import CircuitTemplate, misfit, suggested, with_circuit
from dextrum.core.packmaking.first_rung import Opening, described
from dextrum.core.packmaking.placing import PartToPlace, with_part
from dextrum.core.packmaking.port_template import TEMPLATES, PortTemplate
from dextrum.core.packmaking.second_rung import with_good_unit
from dextrum.tongue import tr

MATTERS = (ComponentKind.FUSE, ComponentKind.FILTER, ComponentKind.ESD_ARRAY)
"""Kinds that are placed on the third rung, besides the chips of the template and the capacitors on their lines."""
BEHIND = "_B"
"""What a net of the whole pack is called here if the port has one of that name."""


def port_of(board: Board) -> PortTemplate:
    """The template that the port of a pack is. Raises ValueError where it is none of those that ship."""
    names = {contact.name for port in board.ports for contact in port.contacts}
    for template in TEMPLATES.values():
        if set(template.net_of) == names:
            return template
    raise ValueError(tr("the port is none of the kinds that a pack can begin with; expected a USB-C one"))


def net_names(board: Board, port: PortTemplate) -> dict[str, str]:
    """Each net of the whole pack by the name that it has in the small one: the port's by its contacts."""
    receptacle = board.component_by_designator[board.ports[0].component]
    found = {t.net: port.net_of[t.name] for t in receptacle.terminals}
    for net in board.nets:
        if net.name not in found:
            taken = net.name in port.roles
            found[net.name] = net.name + BEHIND if taken else net.name
    ground = {net.name for net in board.nets if net.role is NetRole.GROUND}
    own_ground = next(name for name, role in port.roles.items() if role is NetRole.GROUND)
    return found | dict.fromkeys(ground, own_ground)


def first_rung(board: Board) -> Board:
    """Port and openings."""
    levels = board.access_levels[1:]
    made = described(board.model, board.revision, port_of(board), [Opening(one.words, one.minutes) for one in levels])
    return replace(made, outline_mm=board.outline_mm)


def third_rung(board: Board, good: Mapping[str, float], template: CircuitTemplate, wrong_share: float = 0.0,
               draw: np.random.Generator | None = None) -> Board:
    """Port, one good unit, the parts that matter with their nets, and the circuit. good: what the good unit reads, by
    point. wrong_share: of the ends that are typed, those that `draw` puts on another net."""
    port = port_of(board)
    names = net_names(board, port)
    grown = with_good_unit(first_rung(board), good)
    lines = sorted(set(names.values()))
    for part in parts_that_matter(board, template):
        pins = []
        for terminal in part.terminals:
            net = names[terminal.net]
            if draw is not None and draw.random() < wrong_share:
                net = str(draw.choice([line for line in lines if line != net]))
            pins.append((terminal.name, net))
        grown = with_part(grown, PartToPlace(part.designator, part.kind, tuple(pins), part.width_mm, part.height_mm),
                          part.side, part.x_mm, part.y_mm)
    purposes = {part.designator: part.purpose for part in board.components}
    grown = replace(grown, components=tuple(replace(part, purpose=purposes.get(part.designator, part.purpose))
                                            for part in grown.components))
    if not misfit(template, grown):
        grown = with_circuit(grown, template, suggested(template, grown))
    return with_good_unit(grown, good)


def parts_that_matter(board: Board, template: CircuitTemplate) -> tuple[Component, ...]:
    """Fuse, filters, arrays, the chips and coils whose purpose the template names, and the capacitors on their nets."""
    purposes = {role.purpose.casefold() for role in template.role}
    chosen = [part for part in board.components if part.kind in MATTERS or part.purpose.casefold() in purposes]
    ground = {net.name for net in board.nets if net.role is NetRole.GROUND}
    nets = {t.net for part in chosen for t in part.terminals} - ground
    near = [part for part in board.components if part.kind is ComponentKind.CAPACITOR
            and any(t.net in nets for t in part.terminals)]
    return (*chosen, *near)


def with_points_of(board: Board, other: Board) -> Board:
    """The whole pack with the points that only the small one has: ends of its parts that nobody had listed."""
    level = board.access_levels[-1].id if board.access_levels else "closed"
    new = tuple(Point(p.id, p.at, p.side, p.x_mm, p.y_mm, level, p.kind, p.to) for p in other.points
                if p.id not in board.point_by_id)
    return replace(board, points=(*board.points, *new))
