"""What a mix of solders at a part means at the bench: what it melts at, what brings it down, and what must come off."""

from __future__ import annotations

from dataclasses import dataclass

from dextrum.core.board import Board, ComponentKind
from dextrum.core.rework.alloy import (
    BISMUTH_LIMIT,
    SOLDERS,
    TRACE,
    MeltingRange,
    braid_passes,
    grams_of,
    grams_to_bring_down,
    melting_range,
    mixed,
)

TAIL_CUBIC_MM = 0.1
"""Solder of one small joint: a tail or a chip's pad of 0.3 mm by 1 mm under a fillet. Range 0.05 to 0.3."""
ANCHORS_CUBIC_MM = 10.0
"""Of the four anchors of a receptacle's shell, each a slot of 0.6 mm by 1.5 mm through the board and its fillets. Range
5 to 20."""
BRAID_LEAVES = (0.15, 0.4)
"""Ends of the range of what one pass of braid leaves."""
MOST_CUBIC_MM = 1000.0
LEAST_CELSIUS, MOST_CELSIUS = 60.0, 400.0
"""Between what no solder here melts at and what no joint is brought to."""


@dataclass(frozen=True)
class SolderMix:
    """joints: cubic millimetres of the solder that is there; added: of what is mixed in; refit: solder that the new
    part is put on with; wanted: °C from which all shall be liquid."""

    there: str
    joints_cubic_mm: float
    added: str
    added_cubic_mm: float
    refit: str
    wanted: float


def joints_cubic_mm(board: Board | None, part: str) -> float:
    """Of a part's joints by its kind and its terminals; a beginning to be typed over."""
    component = board.component_by_designator.get(part) if board is not None else None
    if component is None:
        return ANCHORS_CUBIC_MM
    anchors = ANCHORS_CUBIC_MM if component.kind is ComponentKind.RECEPTACLE else 0.0
    return round(anchors + TAIL_CUBIC_MM * len(component.terminals), 1)


def range_words(found: MeltingRange) -> str:
    """Degrees with the doubt said."""
    span = f"{found.solidus:.0f} to {found.liquidus:.0f} °C" if found.liquidus - found.solidus >= 0.5 else (
        f"{found.liquidus:.0f} °C")
    if found.doubt < 0.5:
        return f"{span}, as published for {found.nearest}"
    return f"{span}, give or take {found.doubt:.0f} K: between published points, the nearest {found.nearest}"


def mix_sentences(mix: SolderMix) -> tuple[str, ...]:
    """What it melts at; how much more brings it down; what is left for the new joint, and how often braid must pass.

    Raises ValueError for amounts that make no sense.
    """
    if not 0 < mix.joints_cubic_mm <= MOST_CUBIC_MM or not 0 <= mix.added_cubic_mm <= MOST_CUBIC_MM:
        raise ValueError(f"Joints above 0 and up to {MOST_CUBIC_MM:.0f} mm³, and as much or nothing added.")
    if not LEAST_CELSIUS <= mix.wanted <= MOST_CELSIUS:
        raise ValueError(f"A temperature from {LEAST_CELSIUS:.0f} to {MOST_CELSIUS:.0f} °C.")
    there, added, refit = SOLDERS[mix.there], SOLDERS[mix.added], SOLDERS[mix.refit]
    joints = grams_of(there, mix.joints_cubic_mm)
    parts = {there: joints}
    parts[added] = parts.get(added, 0.0) + grams_of(added, mix.added_cubic_mm)
    composition = mixed(parts)
    found = melting_range(composition)
    said = [f"The mix melts at {range_words(found)}."]
    if found.softens_from is not None:
        said.append(f"Bismuth with lead: parts of it may soften from {found.softens_from:.0f} °C.")
    grams = grams_to_bring_down(there, mix.joints_cubic_mm, added, mix.wanted)
    if grams == 0.0:
        said.append(f"The joints are liquid at {mix.wanted:.0f} °C as they are.")
    elif grams == float("inf"):
        said.append(f"No amount of {added.name} brings it down to {mix.wanted:.0f} °C, doubt included.")
    else:
        said.append(f"Liquid at {mix.wanted:.0f} °C, doubt included, with {1000 * grams / added.density:.1f} mm³ "
                    f"({grams:.2f} g) of {added.name}.")
    said += _left_words(composition, refit.name)
    return tuple(said)


def _left_words(composition: dict[str, float], refit: str) -> list[str]:
    """Of bismuth that stays on the pads."""
    if composition.get("Bi", 0.0) < TRACE:
        return []
    lead = SOLDERS[refit].composition.get("Pb", 0.0)
    passes = braid_passes(composition)
    low, high = (braid_passes(composition, left=left) for left in BRAID_LEAVES)
    trap = (f"{refit} on pads with bismuth left may soften below 100 °C: all of it must come off first."
            if lead >= TRACE else f"Bismuth left under {refit} lowers it and makes it brittle.")
    if passes == 0:
        return [trap, f"So little is there that the new joint stays below {100 * BISMUTH_LIMIT:g} % bismuth."]
    count = "1 pass brings" if passes == 1 else f"{passes} passes, fresh tin between, bring"
    return [trap, f"Braid: {count} it below {100 * BISMUTH_LIMIT:g} % "
                  f"({low} to {high}, as a pass leaves {100 * BRAID_LEAVES[0]:.0f} to {100 * BRAID_LEAVES[1]:.0f} %)."]
