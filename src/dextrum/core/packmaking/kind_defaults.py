"""How often kinds of part fail, and how they are mended, where nobody has counted it for a model: a new pack's start.

The weights are relative, as packs have them. They are the shipped packs' own, which come from what practitioners tell;
a shop's closed jobs move them (`diagnosis.learned`).
"""

from __future__ import annotations

from collections.abc import Mapping

from dextrum.core.board import ComponentKind, FaultKind

RATES: Mapping[ComponentKind, Mapping[FaultKind, float]] = {
    ComponentKind.RECEPTACLE: {FaultKind.OPEN_CONTACT: 14.0, FaultKind.LIFTED_JOINT: 8.0,
                               FaultKind.CROSSED_CONTACTS: 4.0, FaultKind.SHELL_CONTACT: 4.0},
    ComponentKind.FUSE: {FaultKind.BLOWN_FUSE: 5.0},
    ComponentKind.FILTER: {FaultKind.OPEN_WINDING: 1.6, FaultKind.BRIDGED_WINDINGS: 0.3, FaultKind.MISSING_PART: 0.1},
    ComponentKind.CAPACITOR: {FaultKind.HARD_SHORT: 0.2, FaultKind.PARTIAL_SHORT: 0.08, FaultKind.LEAKY_PART: 0.04,
                              FaultKind.MISSING_PART: 0.06},
    ComponentKind.IC: {FaultKind.QUIET_FAILURE: 2.4, FaultKind.HARD_SHORT: 3.2, FaultKind.PARTIAL_SHORT: 1.2,
                       FaultKind.LIFTED_JOINT: 1.0, FaultKind.LEAKY_PART: 0.3},
    ComponentKind.ESD_ARRAY: {FaultKind.HARD_SHORT: 0.6, FaultKind.LEAKY_PART: 0.2, FaultKind.MISSING_PART: 0.05},
    ComponentKind.LINK: {FaultKind.MISSING_PART: 0.15},
    ComponentKind.INDUCTOR: {FaultKind.MISSING_PART: 0.1, FaultKind.LIFTED_JOINT: 0.1},
    ComponentKind.RESISTOR: {FaultKind.MISSING_PART: 0.08},
    ComponentKind.CONNECTOR: {FaultKind.QUIET_FAILURE: 0.4},
}
REST_RATES: Mapping[FaultKind, float] = {
    FaultKind.QUIET_FAILURE: 8.0, FaultKind.HARD_SHORT: 7.0, FaultKind.PARTIAL_SHORT: 2.5, FaultKind.LEAKY_PART: 1.2,
    FaultKind.LIFTED_JOINT: 7.0}
"""Of all that lies behind the slow and behind the fast lines of a port, each: fuse, filters, chips. An estimate for any
board with a port; the Duo's fuse, filters and chips together fail about so often beside its port."""
Rule = tuple[str, tuple[FaultKind, ...], float, float]
REPAIRS: Mapping[ComponentKind, tuple[Rule, ...]] = {
    ComponentKind.RECEPTACLE: (
        ("replace", (FaultKind.OPEN_CONTACT, FaultKind.LIFTED_JOINT, FaultKind.CROSSED_CONTACTS,
                     FaultKind.SHELL_CONTACT), 40.0, 0.05),
        ("reflow", (FaultKind.LIFTED_JOINT,), 12.0, 0.03)),
    ComponentKind.FUSE: (("replace", (FaultKind.BLOWN_FUSE, FaultKind.MISSING_PART), 8.0, 0.01),),
    ComponentKind.FILTER: (("replace", (FaultKind.OPEN_WINDING, FaultKind.BRIDGED_WINDINGS, FaultKind.MISSING_PART),
                            10.0, 0.02),),
    ComponentKind.CAPACITOR: (("replace", (FaultKind.HARD_SHORT, FaultKind.PARTIAL_SHORT, FaultKind.LEAKY_PART,
                                           FaultKind.MISSING_PART), 8.0, 0.01),),
    ComponentKind.IC: (("replace", (FaultKind.QUIET_FAILURE, FaultKind.HARD_SHORT, FaultKind.PARTIAL_SHORT,
                                    FaultKind.LEAKY_PART, FaultKind.LIFTED_JOINT, FaultKind.MISSING_PART), 30.0, 0.06),
                       ("reflow", (FaultKind.LIFTED_JOINT,), 12.0, 0.03)),
    ComponentKind.ESD_ARRAY: (("replace", (FaultKind.HARD_SHORT, FaultKind.LEAKY_PART, FaultKind.MISSING_PART), 10.0,
                               0.02),),
    ComponentKind.LINK: (("replace", (FaultKind.MISSING_PART,), 6.0, 0.01),),
    ComponentKind.INDUCTOR: (("replace", (FaultKind.MISSING_PART, FaultKind.LIFTED_JOINT), 12.0, 0.02),),
    ComponentKind.RESISTOR: (("replace", (FaultKind.MISSING_PART,), 6.0, 0.01),),
    ComponentKind.CONNECTOR: (("replace", (FaultKind.QUIET_FAILURE,), 20.0, 0.04),),
}
"""Action, what it mends, minutes once the unit is open, chance of harm."""
UNDESCRIBED_ELSE = 0.2
"""Chance of something that no row of the pack explains, while most of the board is one part: 0.1 to 0.4, an estimate.
Six times that of a whole pack, so that nothing is ever sure by default."""
