"""A small part in another's place, or of another value: it reads well where only its value differs, and works badly."""

from __future__ import annotations

from collections.abc import Iterator

from dextrum.core.assumptions.reworked import BY_HANDS, WRONG_CAPACITOR, WRONG_RESISTOR
from dextrum.core.board.faults import Fault
from dextrum.core.board.kinds import ComponentKind, FaultKind
from dextrum.core.board.model import Board, Component
from dextrum.core.circuit.edit import NOTHING, Edit, cut_part, short
from dextrum.core.circuit.network import Circuit
from dextrum.core.faults.kind import CERTAIN, Hit, KindOfFault, Place, Sizes
from dextrum.tongue import tr

OTHER_OHMS: Sizes = ((330.0, 0.5), (56_000.0, 0.5))
"""What lies beside a resistor of a few kilohms: one of a tenth, and one of ten times as much."""

OTHER_SHARE: Sizes = ((0.1, 0.5), (10.0, 0.5))
"""Of a capacitor's own value: what lies beside it is a decade or more away, else hardly anybody would notice."""


class WrongPart(KindOfFault):
    word = FaultKind.WRONG_PART
    words = tr("of another value, or swapped with one beside it")
    shown = ("swapped", 0.2)
    counted = 0.5
    by_heat = 0.25
    by_hands = BY_HANDS["wrong_part"]

    def sizes(self, of: ComponentKind | None) -> Sizes:
        return OTHER_OHMS if of is ComponentKind.RESISTOR else OTHER_SHARE if of is ComponentKind.CAPACITOR else CERTAIN

    def places(self, board: Board, part: Component) -> Iterator[Place]:
        if part.kind in (ComponentKind.CAPACITOR, ComponentKind.RESISTOR) and len(part.terminals) == 2:
            yield (), ""

    def edit(self, board: Board, circuit: Circuit, fault: Fault, ohms: float, new_node: int) -> Edit:
        part = board.component_by_designator[fault.part]
        if part.kind is not ComponentKind.RESISTOR:
            return NOTHING  # another capacitance conducts as little
        ground = {net.name for net in board.nets if net.role == "ground"}
        live = [t for t in part.terminals if t.net not in ground]
        if not live:
            return NOTHING
        other = f"{part.designator}.{live[1].name}" if len(live) == 2 else None
        return cut_part(circuit, part.designator) | short(circuit, f"{part.designator}.{live[0].name}", other, ohms)

    def nanofarads(self, own: float, size: float) -> float:
        return own * size

    def breaks(self, hit: Hit, ohms: float) -> float:
        if not hit.line:
            return 0.0
        return WRONG_RESISTOR if hit.of is ComponentKind.RESISTOR else WRONG_CAPACITOR
