"""A chip put in turned half round: each pin sits on the pad across, so every line meets another pin's junction.

What a line reads then is what the pin that sits on it now would read there; a ground pin on a line's pad is a short
to ground through the chip, whose frame the pad below it keeps on ground. As far as a pack tells, pins follow one
another as it lists them, so the pad across is half the list away: only roughly so where it lists a few of many pins.
"""

from __future__ import annotations

from collections.abc import Iterator

from dextrum.core.assumptions.breaking import CROSSED_DISTURB, SURE
from dextrum.core.assumptions.reworked import BY_HANDS, TURNED_GROUND_OHMS
from dextrum.core.board.faults import Fault
from dextrum.core.board.kinds import ComponentKind, FaultKind, NetRole
from dextrum.core.board.model import Board, Component
from dextrum.core.circuit.edit import Edit, GainedJunction, cut_part, short
from dextrum.core.circuit.network import GROUND, Circuit
from dextrum.core.faults.kind import Hit, KindOfFault, Place, live_terminals
from dextrum.tongue import tr

FEWEST_PINS = 4
"""Below it half round is no other place, or the part has a corner that fits one way only."""


def pads_across(part: Component) -> dict[str, str]:
    """Each terminal to the one whose pad it sits on when the part is turned half round."""
    names = [terminal.name for terminal in part.terminals]
    return {name: names[(k + len(names) // 2) % len(names)] for k, name in enumerate(names)}


class TurnedPart(KindOfFault):
    word = FaultKind.TURNED_PART
    words = tr("put in turned half round")
    shown = ("turned", 0.4)
    counted = 0.85
    by_hands = BY_HANDS["turned_part"]
    after_fitting = 0.05

    def places(self, board: Board, part: Component) -> Iterator[Place]:
        if part.kind is ComponentKind.IC and len(part.terminals) >= FEWEST_PINS and live_terminals(board, part):
            yield (), ""

    def edit(self, board: Board, circuit: Circuit, fault: Fault, ohms: float, new_node: int) -> Edit:
        part = board.component_by_designator[fault.part]
        across = pads_across(part)
        role = {net.name: net.role for net in board.nets}
        found = cut_part(circuit, fault.part)

        def pad(pin: str) -> str:
            return f"{fault.part}.{across[pin]}"

        for terminal in part.terminals:
            if role[terminal.net] is NetRole.GROUND and circuit.address_node[pad(terminal.name)] != GROUND:
                found |= short(circuit, pad(terminal.name), None, TURNED_GROUND_OHMS)
        gained = []
        for index in circuit.junctions_of_part.get(fault.part, ()):
            junction = circuit.junctions[index]
            gained.append(GainedJunction(pad(_pin(junction.owner)), junction.log_is_red_ground,
                                         junction.log_is_black_ground))
        found |= Edit(gained=tuple(gained))
        for index in circuit.resistances_of_part.get(fault.part, ()):
            resistance = circuit.resistances[index]
            one, _, two = _pin(resistance.owner).partition("-")
            found |= short(circuit, pad(one), pad(two) if two else None, resistance.ohms)
        return found

    def breaks(self, hit: Hit, ohms: float) -> float:
        if hit.chip:
            return SURE
        return CROSSED_DISTURB if hit.signal else 0.0


def _pin(owner: str) -> str:
    """'A5' of 'U1.A5', '1-2' of 'U1.1-2'."""
    return owner.partition(".")[2]
