"""What the shop knows about one board revision: points by boards, spreads, weak spots, outliers, meters, drift."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from dextrum.core.board import Board, Method
from dextrum.core.circuit.capacitance import shown_value
from dextrum.core.reference.columns import METHODS, columns_of
from dextrum.core.reference.known_good import KnownGoodReading
from dextrum.core.reference.meters import MeterCorrection, MeterDrift, meter_drift
from dextrum.core.reference.table import PointReference, ReferenceTable, from_scale, values_as_read_by

if TYPE_CHECKING:
    import numpy as np

FEWEST_BOARDS = 3
"""Below this a point is weak: no reading can be contradicted by the others."""


@dataclass(frozen=True)
class PointKnown:
    """One point by one method. centre in its own unit, inf for OL, nan where nothing is known; spread in volts (for
    ohms, of their logarithm); boards that have been read there; last: ISO day of the newest reading."""

    point: str
    method: Method
    centre: float
    spread: float
    boards: int
    last: str
    origin: str
    outliers: int

    @property
    def is_weak(self) -> bool:
        return self.boards < FEWEST_BOARDS or self.origin == "sister"


@dataclass(frozen=True)
class BoardKnown:
    """One known-good board. outliers: readings of it that the others contradict; left_out: it counts nowhere."""

    serial: str
    readings: int
    last: str
    outliers: int
    left_out: bool


@dataclass(frozen=True)
class MeterKnown:
    """One meter. corrections and drifts by method, where there is enough to compare."""

    name: str
    readings: int
    is_reference: bool
    corrections: tuple[MeterCorrection, ...]
    drifts: tuple[MeterDrift, ...]


@dataclass(frozen=True)
class LibraryOverview:
    """away: (points, boards), each board's reading as distance from the others in predictive spreads; nan where it was
    not read, inf where one reads OL and the other does not. outlying: the same shape, left out of the references."""

    points: tuple[PointKnown, ...]
    boards: tuple[BoardKnown, ...]
    meters: tuple[MeterKnown, ...]
    away: np.ndarray
    outlying: np.ndarray

    @property
    def weak(self) -> tuple[PointKnown, ...]:
        return tuple(p for p in self.points if p.is_weak)


def library_overview(board: Board, readings: Sequence[KnownGoodReading], table: ReferenceTable,
                     reference_meter: str = "") -> LibraryOverview:
    """From the readings that fit the board and the table made of them. Every point of the board has a row."""
    import numpy as np

    columns = columns_of(readings)
    if not reference_meter and len(columns):
        reference_meter = columns.meters[int(np.bincount(columns.meter).argmax())]
    ways = _ways(board, columns.points, columns.point, columns.method)
    row = {way: i for i, way in enumerate(ways)}
    away = np.full((len(ways), len(columns.boards)), np.nan)
    read = np.zeros((len(ways), len(columns.boards)), dtype=bool)
    for method, (points, scaled) in values_as_read_by(columns, table.meter, reference_meter, table.corrections).items():
        for place, name in enumerate(points):
            known = table.get(name, method)
            read[row[name, method]] = ~np.isnan(scaled[:, place])
            away[row[name, method]] = _away(scaled[:, place], known)
    outlying = np.zeros(away.shape, dtype=bool)
    at = {name: i for i, name in enumerate(columns.boards)}
    for one in table.outliers:
        cell = row[one.point, one.method], at[one.board]
        outlying[cell] = True
        if one.value == float("inf") and np.isfinite(away[cell]):
            away[cell] = np.inf  # its number is another meter's
    last_of_point: dict[tuple[str, Method], str] = {}
    last_of_board: dict[str, str] = {}
    for reading in readings:
        way = reading.point, reading.method
        last_of_point[way] = max(last_of_point.get(way, ""), reading.taken_on)
        last_of_board[reading.board_serial] = max(last_of_board.get(reading.board_serial, ""), reading.taken_on)
    count = np.bincount(columns.board, minlength=len(columns.boards)) if len(columns) else np.zeros(0, dtype=int)
    return LibraryOverview(
        tuple(_point_known(table.get(*way), way, int(read[i].sum()), last_of_point.get(way, ""),
                           int(outlying[i].sum())) for i, way in enumerate(ways)),
        tuple(BoardKnown(name, int(count[i]), last_of_board[name], int(outlying[:, i].sum()),
                         name in table.outlier_boards) for i, name in enumerate(columns.boards)),
        tuple(_meter_known(name, readings, table, reference_meter, int((columns.meter == i).sum()))
              for i, name in enumerate(columns.meters)), away, outlying)


def _ways(board: Board, names: tuple[str, ...], point: np.ndarray, method: np.ndarray) -> list[tuple[str, Method]]:
    """Each point by its usual method, and by any other by which it has been read, in the board's order."""
    found = {(p.id, p.default_method) for p in board.points}
    found |= {(names[p], METHODS[m]) for p, m in set(zip(point.tolist(), method.tolist(), strict=True))}
    return sorted(found, key=lambda way: (board.point_order[way[0]], METHODS.index(way[1])))


def _away(scaled: np.ndarray, known: PointReference | None) -> np.ndarray:
    import numpy as np

    if known is None:
        return np.where(np.isnan(scaled), np.nan, 0.0)
    opens = np.isinf(scaled)
    if np.isinf(known.centre):
        found = np.where(np.isnan(scaled), np.nan, np.where(opens, 0.0, -np.inf))
    else:
        with np.errstate(invalid="ignore"):
            found = np.where(opens, np.inf, (scaled - known.centre) / max(known.spread, 1e-9))
    return -found if known.method is Method.CAPACITANCE else found  # what impedes more is less of a capacitor


def _point_known(known: PointReference | None, way: tuple[str, Method], boards: int, last: str,
                 outliers: int) -> PointKnown:
    if known is None:
        return PointKnown(*way, float("nan"), float("nan"), boards, last, "", outliers)
    centre = shown_value(known.centre if known.centre == float("inf") else from_scale(known.centre, way[1]), way[1])
    return PointKnown(*way, centre, known.spread, boards, last, known.origin, outliers)


def _meter_known(name: str, readings: Sequence[KnownGoodReading], table: ReferenceTable, reference_meter: str,
                 count: int) -> MeterKnown:
    drifts = () if name == reference_meter else tuple(
        drift for method in METHODS if (drift := meter_drift(readings, name, reference_meter, method)) is not None)
    return MeterKnown(name, count, name == reference_meter,
                      tuple(c for (meter, _), c in table.corrections.items() if meter == name), drifts)
