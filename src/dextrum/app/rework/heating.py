"""What a recipe's heat does on this board: when the joints of a part float, and how hot its neighbours get by then."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from dextrum.core.board import Board, Component
from dextrum.core.rework.alloy import LEADED, LOW_MELTING, SAC305, melting_range, mixed
from dextrum.core.rework.heat import Board2D, FromBelow, Grid, HotAir, Plate, grid_over
from dextrum.core.rework.heat_numbers import CONDUCTIVITY, JET_FULL, PART_CAPACITY, PART_HEIGHT, PLATE_CONTACT
from dextrum.core.rework.recipe import Recipe
from dextrum.errors import DextrumError

COARSE_MM, FINE_MM = 1.5, 0.75
LONGEST_SECONDS, STEP_SECONDS = 180.0, 2.0
CIRCLE_MM, DISTANCE_MM = 4.0, 12.0
"""How far the nozzle is moved about, and from the board, where the recipe does not say."""
PLASTIC_CELSIUS = 220.0
"""From here connectors' plastic softens (220 to 260 by kind)."""
MOST_NAMED = 8
HELD_LONGER = 1.25
"""The heat is held so much longer than until the joints float, while the part is nudged and lifted. Range 1.2 to 2."""


@dataclass(frozen=True)
class HeatAnswer:
    """floats_at: °C from which the joints float; seconds: until they do, and its range over the numbers' ranges, inf
    where they don't; softened: parts whose joints melt by the time it is lifted; plastic: connectors that get too hot;
    hottest: °C at the part."""

    part: str
    floats_at: float
    seconds: float
    least_seconds: float
    most_seconds: float
    softened: tuple[str, ...]
    plastic: tuple[tuple[str, float], ...]
    hottest: float


def floats_at(recipe: Recipe) -> float:
    """From which temperature joints float, as the school brings them down: half of the joint is what was added."""
    school = f"{recipe.school} {recipe.title}".casefold()
    if "low-melting" in school:
        found = melting_range(mixed({SAC305: 1.0, LOW_MELTING: 1.0}))
    elif "leaded" in school:
        found = melting_range(mixed({SAC305: 1.0, LEADED: 1.0}))
    else:
        found = melting_range(SAC305.composition)
    return found.liquidus


def _source(recipe: Recipe, place: Component) -> tuple[HotAir | None, FromBelow | None]:
    """Hot air and plate of the hottest removing step, in the middle of their ranges."""
    air = below = None
    for step in recipe.step:
        if step.phase != "remove":
            continue
        tools = {name: (low + high) / 2.0 for name, (low, high) in step.tools.items()}
        if "hot_air_celsius" in tools and (air is None or tools["hot_air_celsius"] > air.celsius):
            air = HotAir(place.x_mm, place.y_mm, tools["hot_air_celsius"], tools.get("nozzle_mm", 8.0), DISTANCE_MM,
                         tools.get("flow_percent", 50.0) / 100.0,
                         min(CIRCLE_MM, max(place.width_mm, place.height_mm) / 2))
        if "plate_celsius" in tools:
            # Handhelds' boards carry parts below, so that they lie badly.
            below = FromBelow(tools["plate_celsius"], PLATE_CONTACT.low)
    return air, below


def _parts_capacity(board: Board, grid: Grid) -> np.ndarray:
    """J/(m² K) of the parts on each cell."""
    x, y = grid.middles()
    extra = np.zeros(grid.count)
    for part in board.components:
        on = (np.abs(x - part.x_mm) <= part.width_mm / 2) & (np.abs(y - part.y_mm) <= part.height_mm / 2)
        extra[on] += PART_CAPACITY.value * PART_HEIGHT.value
    return extra


def heating(board: Board, part: str, recipe: Recipe, step_mm: float = FINE_MM,
            told: Callable[[float], bool] = lambda _share: True) -> HeatAnswer:
    """Raises DextrumError where the pack knows too little of the board, or the recipe brings no hot air or plate."""
    place = board.component_by_designator.get(part)
    if place is None or len(board.outline_mm) < 3 or place.width_mm <= 0:
        raise DextrumError("This pack does not say how large the board or the part is.",
                           "The plan goes on without the heat.", "Add outline and sizes to the pack.")
    air, below = _source(recipe, place)
    if air is None and below is None:
        raise DextrumError("This recipe brings no hot air and no plate.", "", "")
    grid, coarse = grid_over(board.outline_mm, step_mm), grid_over(board.outline_mm, COARSE_MM)
    floats = floats_at(recipe)

    def run(over: Grid, plate: Plate, strength: float) -> tuple[float, np.ndarray, float]:
        warming = Board2D(over, plate, _parts_capacity(board, over)).warm(
            LONGEST_SECONDS, STEP_SECONDS, air, below, jet_strength=strength)
        seconds = warming.seconds_until(place.x_mm, place.y_mm, floats)
        at = int(np.searchsorted(warming.seconds, min(HELD_LONGER * seconds, LONGEST_SECONDS)))
        return seconds, warming.celsius[min(at, len(warming.seconds) - 1)], float(
            warming.at(place.x_mm, place.y_mm).max())

    seconds, celsius, hottest = run(grid, Plate(), 1.0)
    told(0.6)
    ends = [run(coarse, Plate(conductivity=conductivity), strength)[0] for conductivity, strength in (
        (CONDUCTIVITY.low, JET_FULL.high / JET_FULL.value), (CONDUCTIVITY.high, JET_FULL.low / JET_FULL.value))]
    told(1.0)
    hot = {one.designator: float(celsius[grid.cell_at(one.x_mm, one.y_mm)]) for one in board.components
           if one.designator != part}
    melts = melting_range(SAC305.composition).solidus
    plastic = tuple((name, degrees) for name, degrees in hot.items() if degrees >= PLASTIC_CELSIUS - 20.0
                    and board.component_by_designator[name].heat_sensitive)
    softened = tuple(sorted((name for name, degrees in hot.items() if degrees >= melts), key=lambda n: -hot[n]))
    return HeatAnswer(part, floats, seconds, min(ends), max(ends), softened, plastic, hottest)


def heat_words(answer: HeatAnswer) -> str:
    """What it means at the bench, and that it is no thermometer."""
    if answer.seconds == float("inf"):
        first = (f"{answer.part}: by this recipe's middle settings the joints do not float within "
                 f"{LONGEST_SECONDS:.0f} s ({answer.hottest:.0f} °C at most, {answer.floats_at:.0f} °C needed): warm "
                 "from below, or use a larger nozzle.")
    else:
        most = f"{answer.most_seconds:.0f} s" if answer.most_seconds != float("inf") else "not at all"
        first = (f"{answer.part}: joints float from {answer.floats_at:.0f} °C, after about {answer.seconds:.0f} s "
                 f"({answer.least_seconds:.0f} s to {most}, by the board's copper and the air).")
    said = [first]
    if answer.softened:
        more = f" and {len(answer.softened) - MOST_NAMED} more" if len(answer.softened) > MOST_NAMED else ""
        said.append(f"Joints beside it that soften by the time it is lifted: "
                    f"{', '.join(answer.softened[:MOST_NAMED])}{more}: photograph and count.")
    if answer.plastic:
        named = ", ".join(f"{name} {degrees:.0f} °C" for name, degrees in answer.plastic)
        said.append(f"Plastic near its limit: {named}: shield it.")
    said.append("A planning aid, not a thermometer.")
    return " ".join(said)
