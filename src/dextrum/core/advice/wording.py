"""Places, faults and repairs in a technician's words."""

from __future__ import annotations

from dextrum.core.advice.ways_of_seeing import WAY_BY_WORD, WAYS_OF_SEEING
from dextrum.core.board import UNLISTED_PART, Board, ComponentKind, Fault, Point
from dextrum.core.board.kinds import KIND_WORDS
from dextrum.core.circuit.injecting import InjectionLimits
from dextrum.core.faults.trace_parts import shown_part
from dextrum.tongue import tr

LEAST_OUTCOME = 0.03
"""Outcomes less likely than this are not told."""
TITLES = {"replace": "Replace {part}, {words}", "reflow": "Reflow {part}, {words}", "clean": "Clean {part}, {words}",
          "wire": "Wire {part}, {words}"}
"""By what is done; said in the window's language once it is known of which part."""


def part_words(board: Board, part: str) -> str:
    """What a part is: 'PD controller' for a chip, 'filter' for the rest."""
    component = board.component_by_designator.get(part)
    if component is None:
        return tr("copper")
    return component.purpose if component.kind is ComponentKind.IC else KIND_WORDS[component.kind]


def fault_words(board: Board, fault: Fault) -> str:
    return fault.words if fault.part == UNLISTED_PART else f"{part_words(board, fault.part)}: {fault.words}"


def repair_title(board: Board, part: str, action: str) -> str:
    if part not in board.component_by_designator:
        return tr("Bridge {part} with wire", part=shown_part(part))
    words = part_words(board, part)
    return tr(TITLES[action], part=part, words=words) if action in TITLES else f"{part}, {words}"


def where_words(board: Board, point: Point) -> str:
    """Access, side and the nearest chip."""
    level = next((lv.words for lv in board.access_levels if lv.id == point.access), point.access)
    part = board.component_by_designator.get(point.part)
    if part is not None and part.kind is ComponentKind.RECEPTACLE:
        return tr("{level} · in the port",
                  level=level) if "/tail" not in point.at else tr("{level} · tail of the port", level=level)
    chips = board.chips_on[point.side]
    if not chips:
        return tr("{level} · {side} side", level=level, side=tr(point.side.value))
    nearest = min(chips, key=lambda c: (c.x_mm - point.x_mm) ** 2 + (c.y_mm - point.y_mm) ** 2)
    place = tr("at {designator}",
               designator=nearest.designator) if nearest.designator == point.part else tr("beside {designator}",
                                                                                          designator=nearest.designator)
    return tr("{level} · {side} side · {place}", level=level, side=tr(point.side.value), place=place)


def percent(chance: float) -> str:
    """Never 0 % or 100 % for what is neither."""
    if 0.0 < chance < 0.005:
        return "<\u00a01\u00a0%"
    if 0.995 <= chance < 1.0:
        return ">\u00a099\u00a0%"
    return f"{chance * 100:.0f}\u00a0%"


def setting_words(limits: InjectionLimits) -> str:
    """'start at 0.22 V, up to 0.45 V, at most 2.22 A', or '1 W up to 3.30 V'."""
    if limits.held:
        return tr("{watts:g}\u00a0W up to {volts:.2f}\u00a0V", watts=limits.watts, volts=limits.volts)
    return tr("start at {start_volts:.2f} V, up to {volts:.2f} V, at most {amps:.2f} A",
              start_volts=limits.start_volts, volts=limits.volts, amps=limits.amps)


def held_words(limits: InjectionLimits) -> str:
    """How a watt is kept on the way up: from which volts and amps to which. The amps go down first, or there would be
    more of it in between."""
    return tr("From {start_volts:.2f} V at {amps:.2f} A up to {volts:.2f} V at {end_amps:.2f} A: at each step lower "
              "the amps first, then raise the volts, so that both make {watts:g} W.", start_volts=limits.start_volts,
              amps=limits.amps, volts=limits.volts, end_amps=limits.end_amps, watts=limits.watts)


def injecting_words(net: str, by: str, limits: InjectionLimits) -> str:
    """'Inject into V3V3: 1 W up to 3.30 V', 'Look again with alcohol: V3V3, 1 W up to 3.30 V'."""
    if by == WAYS_OF_SEEING[0].by:
        return tr("Inject into {net}: {setting}", net=net, setting=setting_words(limits))
    return again_words(net, by, limits)


def again_words(net: str, by: str, limits: InjectionLimits) -> str:
    """'Look again with a camera: V3V3, 1 W up to 3.30 V'."""
    return tr("{again}: {net}, {setting}", again=WAY_BY_WORD[by].again, net=net, setting=setting_words(limits))
