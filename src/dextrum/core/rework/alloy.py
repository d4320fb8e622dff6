"""What a mix of solders melts at, how much low-melting alloy brings a joint down, and how often braid must pass.

Between published points: the composition is made up of published alloys in the way that is liquid earliest (the lower
convex hull of the liquidus over composition, by a linear programme). The solidus is the lowest of the alloys it is made
up of, as in a eutectic system. Exact at the points; how far it may be off grows with the distance to the nearest of
them, and is said, since a real liquidus lies a little above the hull.

The trap: bismuth that stays on pads and meets lead forms, in places, the ternary eutectic of Bi, Pb and Sn, which is
liquid at 95 °C however little of it there is.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from math import ceil, log

import numpy as np

ELEMENTS = ("Sn", "Ag", "Cu", "Pb", "Bi", "In")
Composition = Mapping[str, float]
"""Shares of mass by element; they add up to 1."""


@dataclass(frozen=True)
class Alloy:
    """name; shares of mass; solid up to and liquid from, °C; density g/cm³."""

    name: str
    shares: tuple[tuple[str, float], ...]
    solidus: float
    liquidus: float
    density: float
    source: str

    @property
    def composition(self) -> dict[str, float]:
        return dict(self.shares)


SAC305 = Alloy("SAC305", (("Sn", 0.965), ("Ag", 0.03), ("Cu", 0.005)), 217.0, 220.0, 7.4, "J-STD-006, makers' data")
SN_CU = Alloy("Sn99.3 Cu0.7", (("Sn", 0.993), ("Cu", 0.007)), 227.0, 227.0, 7.3, "phase diagram Sn-Cu")
LEADED = Alloy("Sn63 Pb37", (("Sn", 0.63), ("Pb", 0.37)), 183.0, 183.0, 8.4, "phase diagram Sn-Pb")
LEADED_60 = Alloy("Sn60 Pb40", (("Sn", 0.60), ("Pb", 0.40)), 183.0, 190.0, 8.5, "phase diagram Sn-Pb")
LOW_MELTING = Alloy("Sn42 Bi58", (("Sn", 0.42), ("Bi", 0.58)), 138.0, 138.0, 8.6, "phase diagram Sn-Bi")
TERNARY = Alloy("Bi52.5 Pb32 Sn15.5", (("Bi", 0.525), ("Pb", 0.32), ("Sn", 0.155)), 95.0, 95.0, 9.7,
                "ternary eutectic Bi-Pb-Sn")
INDIUM = Alloy("In52 Sn48", (("In", 0.52), ("Sn", 0.48)), 118.0, 118.0, 7.3, "eutectic In-Sn")
PURE = (Alloy("tin", (("Sn", 1.0),), 231.9, 231.9, 7.3, "melting point"),
        Alloy("lead", (("Pb", 1.0),), 327.5, 327.5, 11.3, "melting point"),
        Alloy("bismuth", (("Bi", 1.0),), 271.4, 271.4, 9.8, "melting point"),
        Alloy("indium", (("In", 1.0),), 156.6, 156.6, 7.3, "melting point"),
        Alloy("silver", (("Ag", 1.0),), 961.8, 961.8, 10.5, "melting point"),
        Alloy("copper", (("Cu", 1.0),), 1084.6, 1084.6, 9.0, "melting point"))
PUBLISHED = (SAC305, SN_CU, LEADED, LEADED_60, LOW_MELTING, TERNARY, INDIUM, *PURE)
SOLDERS = {alloy.name: alloy for alloy in (SAC305, SN_CU, LEADED, LEADED_60, LOW_MELTING, INDIUM)}
KELVIN_A_SHARE = 120.0
"""How far an interpolated temperature may be off, K for each share of mass between the mix and the nearest point. Range
80 to 200: between the points of Sn-Pb and of Sn-Bi, a straight line is up to 25 K off at a fifth."""
TRACE = 0.005
"""Share of mass of bismuth and of lead from which the ternary eutectic is reckoned with. Range 0.002 to 0.02."""
LEFT_BY_BRAID = 0.25
"""Share of the solder that one good pass of braid leaves on a pad. Range 0.15 to 0.4; assumed."""
BISMUTH_LIMIT = 0.005
"""Share of mass of bismuth in the new joint that the shop accepts. Range 0.002 to 0.01."""
MOST_PASSES = 12
AMOUNTS = 60
"""Amounts of alloy that are tried, up to ten times the joints' mass, closer together where they are small."""


@dataclass(frozen=True)
class MeltingRange:
    """solid up to, liquid from, °C; doubt: K either way; softens_from: where parts of it may soften well below, else
    None; nearest: the published point it is closest to."""

    solidus: float
    liquidus: float
    doubt: float
    softens_from: float | None
    nearest: str


def mixed(parts: Mapping[Alloy, float]) -> dict[str, float]:
    """Shares of mass of a mix, from the grams of each alloy. Raises ValueError where there is nothing."""
    total = sum(parts.values())
    if total <= 0 or any(grams < 0 for grams in parts.values()):
        raise ValueError("no solder; expected masses of 0 and more, and one above 0")
    shares = dict.fromkeys(ELEMENTS, 0.0)
    for alloy, grams in parts.items():
        for element, share in alloy.shares:
            shares[element] += share * grams / total
    return shares


def _away(one: Composition, other: Composition) -> float:
    """Distance of compositions: half the sum of what differs, 0 the same, 1 nothing in common."""
    return sum(abs(one.get(e, 0.0) - other.get(e, 0.0)) for e in ELEMENTS) / 2.0


def _made_up(composition: Composition) -> list[tuple[float, Alloy]]:
    """Shares of published alloys that make the composition up and are liquid earliest."""
    # A solver takes a while to import, and names of solders are wanted without it.
    from scipy.optimize import linprog

    wanted = np.array([composition.get(element, 0.0) for element in ELEMENTS])
    table = np.array([[alloy.composition.get(element, 0.0) for alloy in PUBLISHED] for element in ELEMENTS])
    found = linprog([alloy.liquidus for alloy in PUBLISHED], A_eq=table, b_eq=wanted / wanted.sum(), bounds=(0.0, 1.0),
                    method="highs")
    assert found.x is not None, "every element is among the published points"
    return [(float(share), alloy) for share, alloy in zip(found.x, PUBLISHED, strict=True) if share > 1e-12]


def melting_range(composition: Composition) -> MeltingRange:
    """Of a mix. Exact at the published points."""
    away = [(_away(composition, alloy.composition), alloy) for alloy in PUBLISHED]
    nearest_away, nearest = min(away, key=lambda one: one[0])
    if nearest_away < 1e-9:
        solidus, liquidus = nearest.solidus, nearest.liquidus
    else:
        shares = _made_up(composition)
        liquidus = sum(share * alloy.liquidus for share, alloy in shares)
        solidus = min(alloy.solidus for share, alloy in shares if share >= TRACE)
    trap = composition.get("Bi", 0.0) >= TRACE and composition.get("Pb", 0.0) >= TRACE
    doubt = KELVIN_A_SHARE * nearest_away
    return MeltingRange(min(solidus, liquidus), liquidus, doubt, TERNARY.solidus if trap else None, nearest.name)


def grams_of(alloy: Alloy, cubic_mm: float) -> float:
    return alloy.density * cubic_mm / 1000.0


def grams_to_bring_down(joint: Alloy, joint_cubic_mm: float, added: Alloy, celsius: float) -> float:
    """Grams of an alloy to be mixed into joints so that the mix is liquid from at most `celsius`, doubt included; inf
    where no amount does. The first such amount, to a hundredth, up to ten times the joints' mass."""
    joints = grams_of(joint, joint_cubic_mm)

    def liquid(grams: float) -> float:
        found = melting_range(mixed({joint: joints, added: grams} if grams else {joint: joints}))
        return found.liquidus + found.doubt

    if liquid(0.0) <= celsius:
        return 0.0
    # The doubt makes it rise and fall, so the first crossing is looked for before it is narrowed down.
    tried = [joints * 10.0 * (n / AMOUNTS) ** 2 for n in range(AMOUNTS + 1)]
    found = next((n for n in range(1, AMOUNTS + 1) if liquid(tried[n]) <= celsius), None)
    if found is None:
        return float("inf")
    low, high = tried[found - 1], tried[found]
    for _ in range(20):
        middle = (low + high) / 2.0
        low, high = (low, middle) if liquid(middle) <= celsius else (middle, high)
    return high


def braid_passes(composition: Composition, fresh_share: float = 1.0, limit: float = BISMUTH_LIMIT,
                 left: float = LEFT_BY_BRAID) -> int:
    """Passes of braid until what stays brings at most `limit` of bismuth into the new joint; 0 where none is needed.

    composition: of what is on the pads; fresh_share: new solder in the joint by what was there before; left: share that
    a pass leaves. Raises ValueError for shares that make no sense.
    """
    if not 0 < left < 1 or not 0 < limit < 1 or fresh_share <= 0:
        raise ValueError("expected a pass to leave more than nothing and less than all, and fresh solder")
    bismuth = composition.get("Bi", 0.0)
    # After n passes: bismuth · leftⁿ in leftⁿ + fresh.
    if bismuth <= 0 or bismuth / (1.0 + fresh_share) <= limit:
        return 0
    stays = limit * fresh_share / (bismuth - limit)
    return min(MOST_PASSES, max(1, ceil(log(stays) / log(left) - 1e-9)))
