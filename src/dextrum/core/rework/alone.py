"""What a part reads by itself, off any board: measured before it goes on, and on the donor it came from once it is off.

The board's own circuit with everything else cut away; no new numbers. A port's contacts are swept, not read one by one.
"""

from __future__ import annotations

from dataclasses import dataclass

from dextrum.core.assumptions.auditing import ALONE_OHMS_SHARE, ALONE_VOLTS, LEAD_OHMS
from dextrum.core.assumptions.readings import COMPLIANCE_VOLTS
from dextrum.core.board import Board, Component, ComponentKind, Method
from dextrum.core.board.kinds import FEED_ROLES
from dextrum.core.circuit.edit import Edit
from dextrum.core.circuit.network import DEFAULT_OHMS, Circuit
from dextrum.core.circuit.solve import diode_volts
from dextrum.tongue import tr

OPEN = float("inf")
MOST_SUPPLY_PINS, MOST_SIGNAL_PINS = 6, 4
"""Pins of a chip that are read: supplies are shorted in a chip that is dead, and a few lines show the rest."""


@dataclass(frozen=True)
class AloneReading:
    """between: what the probes touch, in words. expected: volts or ohms of a good part, inf for OL. within: the share
    of it that is allowed, where its maker says; powered: volts with a supply on it; off: what it means where it is not
    so."""

    between: str
    method: Method
    expected: float
    within: float | None = None
    powered: bool = False
    off: str = ""

    def judged(self, value: float) -> bool:
        """Whether a part that reads this is as a good one."""
        if self.expected == OPEN or value == OPEN:
            return self.expected == value
        if self.within is not None:
            leads = 0.0 if self.powered else LEAD_OHMS
            return abs(value - self.expected) <= self.within * self.expected + leads
        if self.method.is_diode:
            return abs(value - self.expected) <= ALONE_VOLTS
        return abs(value - self.expected) <= LEAD_OHMS + ALONE_OHMS_SHARE * self.expected


def alone(board: Board, circuit: Circuit, part: str) -> tuple[AloneReading, ...]:
    """What is read of a part by itself, in the order of reading; nothing for what a pack doesn't describe."""
    component = board.component_by_designator.get(part)
    if component is None:
        return ()
    if component.kind is ComponentKind.RECEPTACLE:
        return _of_port(component)
    if component.kind is ComponentKind.CAPACITOR:
        return (AloneReading(tr("its two ends, once it has charged"), Method.RESISTANCE, OPEN),)
    if component.lines:
        return _of_lines(component)
    return _of_pins(board, circuit, component)


def kit_alone(board: Board, part: str) -> tuple[AloneReading, ...]:
    """What is read of the kit that takes a part's place; nothing where the pack has none."""
    kit = next((kit for kit in board.kits if kit.part == part), None)
    if kit is None:
        return ()
    return tuple(AloneReading(r.between, Method.RESISTANCE, r.volts if r.volts is not None else
                              OPEN if r.ohms is None else r.ohms, r.within, r.volts is not None, r.off)
                 for r in kit.readings)


def _of_port(part: Component) -> tuple[AloneReading, ...]:
    return (AloneReading(tr("each contact and its tail, the worst"), Method.RESISTANCE, 0.05),
            AloneReading(tr("each contact and the next in its row, the lowest"), Method.RESISTANCE, OPEN),
            AloneReading(tr("each contact and the shell, the lowest"), Method.RESISTANCE, OPEN))


def _of_lines(part: Component) -> tuple[AloneReading, ...]:
    ohms = part.ohms if part.ohms is not None else DEFAULT_OHMS.get(part.kind, 1.0)
    found = [AloneReading(tr("{one} and {two}", one=one, two=two), Method.RESISTANCE, ohms) for one, two in part.lines]
    if len(part.lines) == 2:
        found.append(AloneReading(tr("{lines} and {lines2}", lines=part.lines[0][0],
                                     lines2=part.lines[1][0]), Method.RESISTANCE, OPEN))
    return tuple(found)


def _of_pins(board: Board, circuit: Circuit, part: Component) -> tuple[AloneReading, ...]:
    role = {net.name: net.role for net in board.nets}
    ground = [t for t in part.terminals if role[t.net] == "ground"]
    live = [t for t in part.terminals if role[t.net] != "ground"]
    if not ground or not live:
        return ()
    supplies = [t for t in live if role[t.net] in FEED_ROLES]
    signals = [t for t in live if role[t.net] not in FEED_ROLES]
    read = (*supplies[:MOST_SUPPLY_PINS], *signals[:MOST_SIGNAL_PINS])
    own = Edit(frozenset(k for k, r in enumerate(circuit.resistances) if r.part != part.designator),
               frozenset(k for k, j in enumerate(circuit.junctions) if j.part != part.designator))
    found = []
    for pin in read:
        volts = diode_volts(circuit, f"{part.designator}.{pin.name}", Method.DIODE_RED_GROUND, own)
        found.append(AloneReading(tr("{pin} and {name}", pin=pin.name, name=ground[0].name), Method.DIODE_RED_GROUND,
                                  OPEN if volts > COMPLIANCE_VOLTS else round(volts, 3)))
    if len(ground) > 1:
        found.append(AloneReading(tr("{name} and {name2}", name=ground[0].name,
                                     name2=ground[1].name), Method.RESISTANCE, 0.05))
    return tuple(found)
