"""Two lines of one part that touch half-way: between the windings of a filter, not at its ends.

Each winding is two halves, and the bridge joins the two middles. The middles are no address that anything else hangs
on, so they are taken out of the network exactly (Kron reduction: G. Kron, Tensor Analysis of Networks, 1939): with g
and h the conductance of half of either winding, G that of the bridge and D = (2g + G)(2h + G) − G², the first line
conducts g²(2h + G) / D from end to end, the second h²(2g + G) / D, and from each end of one to each end of the other
there is ghG / D. Read across either end such a part shows its bridge and half of both windings, where a short at one
end shows all of both at the other.
"""

from __future__ import annotations

from dextrum.core.circuit.edit import Edit
from dextrum.core.circuit.network import Circuit

LEAST_OHMS = 1e-3
"""As for any short: less is no number that a network is solved with."""


def bridged_half_way(circuit: Circuit, part: str, lines: tuple[tuple[str, str], tuple[str, str]], ohms: float) -> Edit:
    """lines: the two ends of either line, as terminals of the part, each a resistance of the circuit. Raises KeyError
    for one that is none."""
    owned = {circuit.resistances[k].owner: k for k in circuit.resistances_of_part.get(part, ())}
    windings = [owned[f"{part}.{one}-{two}"] for one, two in lines]
    ends = [[f"{part}.{name}" for name in line] for line in lines]
    g, h = (2.0 / max(circuit.resistances[k].ohms, LEAST_OHMS) for k in windings)
    bridge = 1.0 / max(ohms, LEAST_OHMS)
    across = (2.0 * g + bridge) * (2.0 * h + bridge) - bridge ** 2
    return Edit(frozenset(windings), added=(
        (ends[0][0], ends[0][1], across / (g ** 2 * (2.0 * h + bridge))),
        (ends[1][0], ends[1][1], across / (h ** 2 * (2.0 * g + bridge))),
        *((one, other, across / (g * h * bridge)) for one in ends[0] for other in ends[1])))
