"""What a recipe's heat does on this board: when the joints of a part float, and how hot its neighbours get by then."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from dextrum.app.rework.heat_answer import (
    HEATER_CELSIUS,
    LONGEST_SECONDS,
    HeatAnswer,
    Protection,
    frame_at,
    parts_at_risk,
    tender_near,
)
from dextrum.core.board import Board, Component, ComponentKind
from dextrum.core.rework.alloy import LEADED, LOW_MELTING, SAC305, melting_range, mixed
from dextrum.core.rework.heat import Board2D, FromBelow, Grid, HotAir, Plate, Shield, Warming, grid_over
from dextrum.core.rework.heat_numbers import (
    CONDUCTIVITY,
    CONNECTOR_CAPACITY,
    HEATER_EXCHANGE,
    JET_STRENGTH,
    PART_CAPACITY,
    PART_HEIGHT,
    PLATE_CONTACT,
    ROOM,
    HeatNumber,
)
from dextrum.core.rework.recipe import Recipe
from dextrum.errors import DextrumError
from dextrum.tongue import english, tr

COARSE_MM, FINE_MM = 1.5, 0.75
ROUGH_MM, ROUGH_SECONDS = 2.0, 120.0
"""Grid and time of what diagnosis asks: which joints soften, not when to the second."""
STEP_SECONDS = 2.0
CIRCLE_MM, DISTANCE_MM = 4.0, 12.0
"""How far the nozzle is moved about, and from the board, where the recipe does not say."""
BARE = Protection()
METAL_SHELLED = (ComponentKind.RECEPTACLE, ComponentKind.CONNECTOR)
LEFT_IN_DOUBT = 0.2
"""Share either way that stays after a calibration: boards' copper, and the same hand on another day. Estimated, 0.1 to
0.3."""
LEAST_SHARE, MOST_SHARE = 0.1, 2.0
"""Beyond, something else is wrong: three times less than the lowest hand, twice a nozzle that stands still."""
SHORTEST_RUN = 5.0
"""Seconds: before, a thermocouple's own lag counts for more than the board."""
HALVINGS = 14
HELD_LONGER = 1.25
"""The heat is held so much longer than until the joints float, while the part is nudged and lifted. Range 1.2 to 2."""


SHIELD_MARGIN_MM = 1.0


def floats_at(recipe: Recipe) -> float:
    """From which temperature joints float, as the school brings them down: half of the joint is what was added."""
    school = f"{english(recipe.school)} {english(recipe.title)}".casefold()
    if "low-melting" in school:
        found = melting_range(mixed({SAC305: 1.0, LOW_MELTING: 1.0}))
    elif "leaded" in school:
        found = melting_range(mixed({SAC305: 1.0, LEADED: 1.0}))
    else:
        found = melting_range(SAC305.composition)
    return found.liquidus


def _source(recipe: Recipe, place: Component) -> tuple[HotAir | None, FromBelow | None]:
    """Hot air and plate of the hottest step that removes, or of any where nothing is removed, in the middle of their
    ranges."""
    air = below = None
    removing = [step for step in recipe.step if step.phase == "remove"]
    for step in removing or recipe.step:
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
        extra[on] += CONNECTOR_CAPACITY.value if part.kind in METAL_SHELLED else PART_CAPACITY.value * PART_HEIGHT.value
    return extra


def shields_over(board: Board, place: Component) -> tuple[Shield, ...]:
    """Over what is tender near the part."""
    return tuple(Shield(one.x_mm - one.width_mm / 2 - SHIELD_MARGIN_MM, one.y_mm - one.height_mm / 2 - SHIELD_MARGIN_MM,
                        one.width_mm + 2 * SHIELD_MARGIN_MM, one.height_mm + 2 * SHIELD_MARGIN_MM)
                 for one in tender_near(board, place))


def _placed(board: Board, part: str) -> Component:
    place = board.component_by_designator.get(part)
    if place is None or len(board.outline_mm) < 3 or place.width_mm <= 0:
        raise DextrumError(tr("This pack does not say how large the board or the part is."),
                           tr("The plan goes on without the heat."), tr("Add outline and sizes to the pack."))
    return place


def own_strength(share: float) -> HeatNumber:
    """A shop's share of Martin's exchange, with what is left of its range."""
    return HeatNumber(share, share * (1.0 - LEFT_IN_DOUBT), share * (1.0 + LEFT_IN_DOUBT), JET_STRENGTH.unit,
                      tr("A thermocouple on a scrap board, at this bench"))


def strength_from_run(board: Board, part: str, recipe: Recipe, seconds: float, celsius: float) -> float:
    """The share of Martin's exchange at which the part has so many degrees after so long: by halving, on the coarse
    grid, since more exchange is never cooler. seconds: 5 to 180.

    Raises DextrumError where the run makes no sense, or no share within the range gives it.
    """
    place = _placed(board, part)
    air, below = _source(recipe, place)
    if air is None:
        raise DextrumError(
            tr("This recipe brings no hot air."), tr("Nothing was changed."), tr("Calibrate with one that does.")
        )
    if not SHORTEST_RUN <= seconds <= LONGEST_SECONDS or not celsius > ROOM:
        raise DextrumError(tr("A run takes {shortest_run:.0f} to {longest_seconds:.0f} s and ends above {room:.0f} "
                              "°C.", shortest_run=SHORTEST_RUN, longest_seconds=LONGEST_SECONDS, room=ROOM),
                           tr("Nothing was changed."), tr("Type what the thermocouple read."))
    plate = Board2D(grid := grid_over(board.outline_mm, COARSE_MM), Plate(), _parts_capacity(board, grid))

    def reached(share: float) -> float:
        warming = plate.warm(seconds, STEP_SECONDS, air, below, jet_strength=share)
        return float(warming.at(place.x_mm, place.y_mm)[-1])

    low, high = LEAST_SHARE, MOST_SHARE
    if not reached(low) <= celsius <= reached(high):
        raise DextrumError(tr("{celsius:.0f} °C after {seconds:.0f} s does not fit this recipe's hot air: "
                              "{reached:.0f} to {reached2:.0f} °C would.", celsius=celsius, seconds=seconds,
                              reached=reached(low), reached2=reached(high)), tr("Nothing was changed."),
                           tr("Check settings, place and time of the thermocouple."))
    for _ in range(HALVINGS):
        middle = (low + high) / 2.0
        low, high = (middle, high) if reached(middle) < celsius else (low, middle)
    return (low + high) / 2.0


def softening(board: Board, part: str, recipe: Recipe) -> tuple[dict[str, float], float]:
    """°C at the middle of every other part when this one is lifted, by a recipe's middle settings on a coarse grid, and
    the °C from which their joints melt. Where the part does not float within the longest reckoned time, as hot as it
    gets by then.

    Raises DextrumError where the pack knows too little of the board, or the recipe brings no hot air or plate.
    """
    place = _placed(board, part)
    air, below = _source(recipe, place)
    if air is None and below is None:
        raise DextrumError(tr("This recipe brings no hot air and no plate."), "", "")
    grid = grid_over(board.outline_mm, ROUGH_MM)
    warming = Board2D(grid, Plate(), _parts_capacity(board, grid)).warm(
        ROUGH_SECONDS, STEP_SECONDS, air, below, jet_strength=JET_STRENGTH.value)
    lifted = HELD_LONGER * warming.seconds_until(place.x_mm, place.y_mm, floats_at(recipe))
    celsius = warming.celsius[frame_at(warming, min(lifted, ROUGH_SECONDS))]
    return ({one.designator: float(celsius[grid.cell_at(one.x_mm, one.y_mm)]) for one in board.components
             if one is not place}, melting_range(SAC305.composition).solidus)


def heating(board: Board, part: str, recipe: Recipe, step_mm: float = FINE_MM,
            told: Callable[[float], bool] = lambda _share: True, protection: Protection = BARE,
            strength: HeatNumber = JET_STRENGTH) -> HeatAnswer:
    """strength: the share of Martin's exchange that the hot air gives, with its range; a shop's own where it has one.

    Raises DextrumError where the pack knows too little of the board, or the recipe brings no hot air or plate.
    """
    place = _placed(board, part)
    air, below = _source(recipe, place)
    if air is None and below is None:
        raise DextrumError(tr("This recipe brings no hot air and no plate."), "", "")
    begin = ROOM
    if protection.warmed_first and below is not None:
        # The recipe's own plate warms already.
        protection = replace(protection, warmed_first=False)
    elif protection.warmed_first:
        below = FromBelow(HEATER_CELSIUS, HEATER_EXCHANGE.value)
        loss = Plate().loss
        begin = (below.contact * below.celsius + loss * ROOM) / (below.contact + loss)
    shields = shields_over(board, place) if protection.shields else ()
    grid, coarse = grid_over(board.outline_mm, step_mm), grid_over(board.outline_mm, COARSE_MM)
    floats = floats_at(recipe)

    def run(over: Grid, plate: Plate, share: float) -> tuple[float, Warming]:
        warming = Board2D(over, plate, _parts_capacity(board, over)).warm(
            LONGEST_SECONDS, STEP_SECONDS, air, below, shields, begin, jet_strength=share)
        return warming.seconds_until(place.x_mm, place.y_mm, floats), warming

    seconds, warming = run(grid, Plate(), strength.value)
    told(0.6)
    ends = [run(coarse, Plate(conductivity=conductivity), share)[0] for conductivity, share in (
        (CONDUCTIVITY.low, strength.high), (CONDUCTIVITY.high, strength.low))]
    told(1.0)
    bare = HeatAnswer(part, floats, seconds, min(ends), max(ends), (), (),
                      float(warming.at(place.x_mm, place.y_mm).max()),
                      melting_range(SAC305.composition).solidus, protection,
                      replace(warming, celsius=warming.celsius.astype(np.float32)),
                      {one.designator: grid.cell_at(one.x_mm, one.y_mm) for one in board.components})
    risks = parts_at_risk(board, bare, min(HELD_LONGER * seconds, LONGEST_SECONDS))
    return replace(bare, softened=tuple(risk.part for risk in risks if risk.why == "softens"),
                   plastic=tuple((risk.part, risk.celsius) for risk in risks
                                 if board.component_by_designator[risk.part].heat_sensitive))
