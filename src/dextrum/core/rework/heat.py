"""How warm a board gets under hot air and on a plate: two-dimensional transient conduction.

    capacity · thickness · ∂T/∂t = conductivity · thickness · ∇²T − loss · (T − room) + exchange · (source − T) + power

on a square grid over the board's outline, edges insulated. In space by central differences between the middles of cells
(finite volumes, so that what flows out of one flows into the next); in time by the two-stage SDIRK method of order two
with γ = 1 − 1/√2 (R. Alexander, SIAM J. Numer. Anal. 14, 1977), which is L-stable and needs one matrix: it is factored
once for as long as the sources stand where they are. A nozzle that is moved in circles is taken as its average over the
circle.

A planning aid and not a thermometer: a board's copper and a bench's flow differ by half.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from scipy import sparse
from scipy.sparse.linalg import splu

from dextrum.core.rework.heat_numbers import (
    AIR_CONDUCTION,
    AIR_DENSITY,
    AIR_FULL,
    AIR_LOW,
    AIR_PRANDTL,
    AIR_VISCOSITY,
    CONDUCTIVITY,
    CORE_LENGTHS,
    JET_PLATEAU,
    JET_SPREAD,
    LAMINATE_CAPACITY,
    PLATE_CONTACT,
    ROOM,
    STILL_AIR,
    THICKNESS,
)
from dextrum.tongue import tr

GAMMA = 1.0 - 1.0 / np.sqrt(2.0)
CIRCLE_PLACES = 12
"""Places of the nozzle over which a circle is averaged."""


@dataclass(frozen=True)
class Plate:
    """The board as a plate. loss: W/(m² K) of both sides together."""

    conductivity: float = CONDUCTIVITY.value
    thickness: float = THICKNESS.value
    capacity: float = LAMINATE_CAPACITY.value
    loss: float = 2.0 * STILL_AIR.value


@dataclass(frozen=True)
class HotAir:
    """A nozzle over a place. flow: 0 the least, 1 full; circle_mm: radius of the circles it is moved in; celsius: at
    the nozzle."""

    x_mm: float
    y_mm: float
    celsius: float
    nozzle_mm: float = 8.0
    distance_mm: float = 10.0
    flow: float = 0.5
    circle_mm: float = 0.0


@dataclass(frozen=True)
class FromBelow:
    """A plate below the board. contact: W/(m² K)."""

    celsius: float
    contact: float = PLATE_CONTACT.value


@dataclass(frozen=True)
class Shield:
    """Metal over a rectangle of the board: passes this share of the jet's exchange."""

    left_mm: float
    top_mm: float
    width_mm: float
    height_mm: float
    passes: float = 0.15


@dataclass(frozen=True)
class Grid:
    """Cells of a board: inside (rows, columns) says which are board. step_mm: their side. left_mm, top_mm: of the first
    cell's corner."""

    left_mm: float
    top_mm: float
    step_mm: float
    inside: np.ndarray = field(repr=False)

    @property
    def count(self) -> int:
        return int(self.inside.sum())

    def middles(self) -> tuple[np.ndarray, np.ndarray]:
        """x and y of the cells inside, millimetres."""
        rows, columns = np.nonzero(self.inside)
        return self.left_mm + (columns + 0.5) * self.step_mm, self.top_mm + (rows + 0.5) * self.step_mm

    def cell_at(self, x_mm: float, y_mm: float) -> int:
        """Index of the cell inside that is nearest to a place."""
        x, y = self.middles()
        return int(np.argmin((x - x_mm) ** 2 + (y - y_mm) ** 2))


def grid_over(outline_mm: tuple[tuple[float, float], ...], step_mm: float) -> Grid:
    """Cells whose middles lie in a polygon, by the even-odd rule. Raises ValueError where none does."""
    points = np.asarray(outline_mm, dtype=float)
    left, top = points.min(axis=0)
    columns, rows = (int(np.ceil(size / step_mm - 1e-9)) for size in points.max(axis=0) - (left, top))
    x = left + (np.arange(max(columns, 1)) + 0.5) * step_mm
    y = top + (np.arange(max(rows, 1)) + 0.5) * step_mm
    xs, ys = np.meshgrid(x, y)
    inside = np.zeros(xs.shape, dtype=bool)
    for (x1, y1), (x2, y2) in zip(points, np.roll(points, -1, axis=0), strict=True):
        crosses = (y1 > ys) != (y2 > ys)
        with np.errstate(divide="ignore", invalid="ignore"):
            at = x1 + (ys - y1) * (x2 - x1) / (y2 - y1)
        inside ^= crosses & (xs < at)
    if not inside.any():
        raise ValueError(tr("the outline holds no cell; expected a board larger than the grid's step"))
    return Grid(float(left), float(top), step_mm, inside)


MARTIN_RADIUS = 2.5
"""Nozzle widths over which the mean exchange is taken: where Martin's formula begins to hold."""
LITRES_A_MINUTE = 1e-3 / 60.0


def martin_exchange(nozzle_mm: float, distance_mm: float, litres_a_minute: float) -> float:
    """W/(m² K), mean over a disc of 2.5 nozzle widths, of a single round nozzle square over a plate.

    H. Martin, Advances in Heat Transfer 13 (1977), for Reynolds numbers of 2,000 to 400,000 and distances of 2 to 12
    nozzle widths; outside the distance the nearest is taken.
    """
    width = nozzle_mm / 1000.0
    mass = AIR_DENSITY.value * litres_a_minute * LITRES_A_MINUTE
    reynolds = 4.0 * mass / (np.pi * width * AIR_VISCOSITY.value)
    inverse = 1.0 / MARTIN_RADIUS
    widths_away = min(max(distance_mm / nozzle_mm, 2.0), 12.0)
    shape = inverse * (1.0 - 1.1 * inverse) / (1.0 + 0.1 * (widths_away - 6.0) * inverse)
    stream = 2.0 * np.sqrt(reynolds) * np.sqrt(1.0 + 0.005 * reynolds ** 0.55)
    return float(shape * stream * AIR_PRANDTL.value ** 0.42 * AIR_CONDUCTION.value / width)


def jet_over(air: HotAir, x_mm: np.ndarray, y_mm: np.ndarray, strength: float = 1.0,
             room: float = ROOM) -> tuple[np.ndarray, np.ndarray]:
    """W/(m² K) of the jet at places, and the degrees of its air there; averaged over the circle it is moved in.

    Under the nozzle both are full, the exchange such that its mean is Martin's. Along the board the exchange falls as
    one over the distance, as his mean does, and so does the warmth of the air above the room's: a radial wall jet
    thickens as the distance and slows as one over it (M. B. Glauert, J. Fluid Mech. 1, 1956), so that the heat it
    carries is kept when the air it draws in cools it as one over the distance too.
    strength: a shop's calibration of the exchange.
    """
    flow = AIR_LOW.value + (AIR_FULL.value - AIR_LOW.value) * min(max(air.flow, 0.0), 1.0)
    wide = JET_PLATEAU.value * air.nozzle_mm + JET_SPREAD.value * air.distance_mm
    reach = MARTIN_RADIUS * air.nozzle_mm / wide
    # The fall below has this mean over the disc, where it is 1 in the middle.
    mean_share = 2.0 * (np.sqrt(1.0 + reach ** 2) - 1.0) / reach ** 2
    under = martin_exchange(air.nozzle_mm, air.distance_mm, flow) / mean_share
    turns = np.linspace(0.0, 2.0 * np.pi, CIRCLE_PLACES, endpoint=False) if air.circle_mm > 0 else np.zeros(1)
    total, warmth = np.zeros_like(x_mm, dtype=float), np.zeros_like(x_mm, dtype=float)
    for turn in turns:
        away = (x_mm - air.x_mm - air.circle_mm * np.cos(turn)) ** 2 + (
            y_mm - air.y_mm - air.circle_mm * np.sin(turn)) ** 2
        share = (1.0 + away / wide ** 2) ** -0.5
        total += share
        warmth += share * share
    return strength * under * total / len(turns), room + (jet_celsius(air, room) - room) * warmth / total


def jet_celsius(air: HotAir, room: float = ROOM) -> float:
    """Of the air where it meets the board: as at the nozzle within the jet's core, falling with distance beyond."""
    core = CORE_LENGTHS.value * air.nozzle_mm
    return room + (air.celsius - room) * min(1.0, core / max(air.distance_mm, 1e-6))


@dataclass(frozen=True)
class Warming:
    """seconds (N,) and celsius (N, cells) of the grid. joules_in, joules_lost, joules_stored: since the beginning."""

    grid: Grid
    seconds: np.ndarray = field(repr=False)
    celsius: np.ndarray = field(repr=False)
    joules_in: float
    joules_lost: float
    joules_stored: float

    def at(self, x_mm: float, y_mm: float) -> np.ndarray:
        """Degrees over time at a place, (N,)."""
        return np.asarray(self.celsius[:, self.grid.cell_at(x_mm, y_mm)])

    def seconds_until(self, x_mm: float, y_mm: float, celsius: float) -> float:
        """When a place gets so warm, between the steps by a line; inf where it doesn't."""
        here = self.at(x_mm, y_mm)
        over = np.nonzero(here >= celsius)[0]
        if not len(over):
            return float("inf")
        k = int(over[0])
        if k == 0:
            return float(self.seconds[0])
        share = (celsius - here[k - 1]) / (here[k] - here[k - 1])
        return float(self.seconds[k - 1] + share * (self.seconds[k] - self.seconds[k - 1]))


class Board2D:
    """A board ready to be warmed. extra_capacity: J/(m² K) of the parts on each cell inside, (cells,)."""

    def __init__(self, grid: Grid, plate: Plate, extra_capacity: np.ndarray | None = None) -> None:
        self.grid, self.plate = grid, plate
        step = grid.step_mm / 1000.0
        self.area = step * step
        count = grid.count
        extra = np.zeros(count) if extra_capacity is None else np.asarray(extra_capacity, dtype=float)
        self.capacity = (plate.capacity * plate.thickness + extra) * self.area  # J/K a cell
        index = np.full(grid.inside.shape, -1)
        index[grid.inside] = np.arange(count)
        pairs = []
        for one, other in ((index[:, :-1], index[:, 1:]), (index[:-1, :], index[1:, :])):
            both = (one >= 0) & (other >= 0)
            pairs.append(np.stack([one[both], other[both]]))
        first, second = np.concatenate(pairs, axis=1)
        flow = np.full(len(first), plate.conductivity * plate.thickness)  # W/K between neighbours, whatever the step
        links = sparse.coo_matrix((flow, (first, second)), shape=(count, count))
        links = (links + links.T).tocsr()
        self._conduction = sparse.diags(np.asarray(links.sum(axis=1)).ravel()) - links  # W/K, takes heat out

    def warm(self, seconds: float, step_seconds: float, air: HotAir | None = None, below: FromBelow | None = None,
             shields: tuple[Shield, ...] = (), begin: np.ndarray | float = ROOM, room: float = ROOM,
             power: np.ndarray | None = None, jet_strength: float = 1.0) -> Warming:
        """Warm it for so long. begin: degrees of each cell, or of all. power: W put into each cell, (cells,).

        jet_strength: a shop's calibration of its hot air. Raises ValueError for times that make no sense.
        """
        if not (seconds > 0 and step_seconds > 0):
            raise ValueError(tr("{seconds} s by {step_seconds} s; expected both above 0", seconds=seconds,
                                step_seconds=step_seconds))
        x, y = self.grid.middles()
        exchange, drive = np.zeros(self.grid.count), np.zeros(self.grid.count)
        if air is not None:
            jet, air_celsius = jet_over(air, x, y, jet_strength, room)
            jet = jet * self.area
            for shield in shields:
                under = ((x >= shield.left_mm) & (x <= shield.left_mm + shield.width_mm)
                         & (y >= shield.top_mm) & (y <= shield.top_mm + shield.height_mm))
                jet = np.where(under, jet * shield.passes, jet)
            exchange += jet
            drive += jet * air_celsius
        if below is not None:
            exchange += below.contact * self.area
            drive += below.contact * self.area * below.celsius
        lost = np.full(self.grid.count, self.plate.loss * self.area)
        source = drive + lost * room + (0.0 if power is None else np.asarray(power, dtype=float))
        out = (self._conduction + sparse.diags(exchange + lost)).tocsc()  # dT/dt = (source − out T)/capacity
        steps = max(1, round(seconds / step_seconds))
        dt = seconds / steps
        # Symmetric, so that ordering and pivots may be chosen for little fill.
        solve = splu((sparse.diags(self.capacity) + GAMMA * dt * out).tocsc(), permc_spec="MMD_AT_PLUS_A",
                     diag_pivot_thresh=0.0, options={"SymmetricMode": True}).solve
        now = np.broadcast_to(np.asarray(begin, dtype=float), (self.grid.count,)).copy()
        told = np.empty((steps + 1, self.grid.count))
        told[0] = now
        stored_before = float(self.capacity @ now)
        into = away = 0.0
        given = 0.0 if power is None else float(np.sum(power))
        for k in range(steps):
            first = solve(source - out @ now)  # rate of the first stage
            middle = now + GAMMA * dt * first
            second = solve(source - out @ (now + (1.0 - GAMMA) * dt * first))
            last = now + (1.0 - GAMMA) * dt * first + GAMMA * dt * second
            for stage, weight in ((middle, 1.0 - GAMMA), (last, GAMMA)):
                into += weight * dt * (given + float(drive.sum() - exchange @ stage))
                away += weight * dt * float(lost @ (stage - room))
            now = last
            told[k + 1] = now
        return Warming(self.grid, np.linspace(0.0, seconds, steps + 1), told, into, away,
                       float(self.capacity @ now) - stored_before)
