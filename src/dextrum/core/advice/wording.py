"""Places, faults and repairs in a technician's words."""

from __future__ import annotations

from dextrum.core.board import UNLISTED_PART, Board, ComponentKind, Fault, Point

LEAST_OUTCOME = 0.03
"""Outcomes less likely than this are not told."""
KIND_WORDS = {
    ComponentKind.RECEPTACLE: "port", ComponentKind.CONNECTOR: "connector", ComponentKind.FUSE: "fuse",
    ComponentKind.LINK: "link", ComponentKind.RESISTOR: "resistor", ComponentKind.INDUCTOR: "coil",
    ComponentKind.FILTER: "filter", ComponentKind.CAPACITOR: "capacitor",
    ComponentKind.ESD_ARRAY: "ESD array",
}


def part_words(board: Board, part: str) -> str:
    """What a part is: 'PD controller' for a chip, 'filter' for the rest."""
    component = board.component_by_designator.get(part)
    if component is None:
        return "copper"
    return KIND_WORDS.get(component.kind, component.purpose)


def fault_words(board: Board, fault: Fault) -> str:
    return fault.words if fault.part == UNLISTED_PART else f"{part_words(board, fault.part)}: {fault.words}"


def repair_title(board: Board, part: str, action: str) -> str:
    if part not in board.component_by_designator:
        return f"Bridge {part} with wire"
    return f"{action.capitalize()} {part}, {part_words(board, part)}"


def where_words(board: Board, point: Point) -> str:
    """Access, side and the nearest chip."""
    level = next((lv.words for lv in board.access_levels if lv.id == point.access), point.access)
    part = board.component_by_designator.get(point.part)
    if part is not None and part.kind is ComponentKind.RECEPTACLE:
        return f"{level} · in the port" if "/tail" not in point.at else f"{level} · tail of the port"
    chips = board.chips_on[point.side]
    if not chips:
        return f"{level} · {point.side.value} side"
    nearest = min(chips, key=lambda c: (c.x_mm - point.x_mm) ** 2 + (c.y_mm - point.y_mm) ** 2)
    place = f"at {nearest.designator}" if nearest.designator == point.part else f"beside {nearest.designator}"
    return f"{level} · {point.side.value} side · {place}"


def percent(chance: float) -> str:
    """Never 0 % or 100 % for what is neither."""
    if 0.0 < chance < 0.005:
        return "<\u00a01\u00a0%"
    if 0.995 <= chance < 1.0:
        return ">\u00a099\u00a0%"
    return f"{chance * 100:.0f}\u00a0%"
