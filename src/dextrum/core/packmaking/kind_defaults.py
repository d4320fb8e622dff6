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
}
"""Action, what it mends, minutes once the unit is open, chance of harm."""
UNDESCRIBED_ELSE = 0.2
"""Chance of something that no row of the pack explains, while most of the board is one part: 0.1 to 0.4, an estimate.
Six times that of a whole pack, so that nothing is ever sure by default."""
