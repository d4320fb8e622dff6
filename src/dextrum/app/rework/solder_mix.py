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
from dextrum.tongue import tr

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
    span = tr("{solidus:.0f} to {liquidus:.0f} °C", solidus=found.solidus,
              liquidus=found.liquidus) if found.liquidus - found.solidus >= 0.5 else (
        f"{found.liquidus:.0f} °C")
    if found.doubt < 0.5:
        return tr("{span}, as published for {nearest}", span=span, nearest=found.nearest)
    return tr("{span}, give or take {doubt:.0f} K: between published points, the nearest {nearest}", span=span,
              doubt=found.doubt, nearest=found.nearest)


def mix_sentences(mix: SolderMix) -> tuple[str, ...]:
    """What it melts at; how much more brings it down; what is left for the new joint, and how often braid must pass.

    Raises ValueError for amounts that make no sense.
    """
    if not 0 < mix.joints_cubic_mm <= MOST_CUBIC_MM or not 0 <= mix.added_cubic_mm <= MOST_CUBIC_MM:
        raise ValueError(tr("Joints above 0 and up to {most_cubic_mm:.0f} mm³, and as much or nothing added.",
                            most_cubic_mm=MOST_CUBIC_MM))
    if not LEAST_CELSIUS <= mix.wanted <= MOST_CELSIUS:
        raise ValueError(tr("A temperature from {least_celsius:.0f} to {most_celsius:.0f} °C.",
                            least_celsius=LEAST_CELSIUS, most_celsius=MOST_CELSIUS))
    there, added, refit = SOLDERS[mix.there], SOLDERS[mix.added], SOLDERS[mix.refit]
    joints = grams_of(there, mix.joints_cubic_mm)
    parts = {there: joints}
    parts[added] = parts.get(added, 0.0) + grams_of(added, mix.added_cubic_mm)
    composition = mixed(parts)
    found = melting_range(composition)
    said = [tr("The mix melts at {range_words}.", range_words=range_words(found))]
    if found.softens_from is not None:
        said.append(tr("Bismuth with lead: parts of it may soften from {softens_from:.0f} °C.",
                       softens_from=found.softens_from))
    grams = grams_to_bring_down(there, mix.joints_cubic_mm, added, mix.wanted)
    if grams == 0.0:
        said.append(tr("The joints are liquid at {wanted:.0f} °C as they are.", wanted=mix.wanted))
    elif grams == float("inf"):
        said.append(tr("No amount of {added} brings it down to {wanted:.0f} °C, doubt included.", added=added.name,
                       wanted=mix.wanted))
    else:
        said.append(tr("Liquid at {wanted:.0f} °C, doubt included, with {grams:.1f} mm³ ({grams2:.2f} g) of {added}.",
                       wanted=mix.wanted, grams=1000 * grams / added.density, grams2=grams, added=added.name))
    said += _left_words(composition, refit.name)
    return tuple(said)


def _left_words(composition: dict[str, float], refit: str) -> list[str]:
    """Of bismuth that stays on the pads."""
    if composition.get("Bi", 0.0) < TRACE:
        return []
    lead = SOLDERS[refit].composition.get("Pb", 0.0)
    passes = braid_passes(composition)
    low, high = (braid_passes(composition, left=left) for left in BRAID_LEAVES)
    trap = (tr("{refit} on pads with bismuth left may soften below 100 °C: all of it must come off first.", refit=refit)
            if lead >= TRACE else tr("Bismuth left under {refit} lowers it and makes it brittle.", refit=refit))
    if passes == 0:
        return [trap, tr("So little is there that the new joint stays below {bismuth_limit:g} % bismuth.",
                         bismuth_limit=100 * BISMUTH_LIMIT)]
    count = tr("1 pass brings") if passes == 1 else tr("{passes} passes, fresh tin between, bring", passes=passes)
    return [trap, tr("Braid: {count} it below {bismuth_limit:g} % ({low} to {high}, as a pass leaves "
                     "{braid_leaves:.0f} to {braid_leaves2:.0f} %).", count=count, bismuth_limit=100 * BISMUTH_LIMIT,
                     low=low, high=high, braid_leaves=100 * BRAID_LEAVES[0], braid_leaves2=100 * BRAID_LEAVES[1])]
