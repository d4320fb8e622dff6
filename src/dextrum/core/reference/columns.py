"""Known-good readings as columns, so that a library of many boards is worked through at once."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from dextrum.core.board import Method
from dextrum.core.circuit.capacitance import impeding_ohms_of
from dextrum.core.reference.known_good import KnownGoodReading

if TYPE_CHECKING:
    import numpy as np

METHODS = tuple(Method)
COMPARED_CELSIUS = 21.0
VOLTS_PER_KELVIN = -0.002
"""A junction's drop at a milliampere, about."""
FULL_DROP_VOLTS = 0.5


@dataclass(frozen=True)
class ReadingColumns:
    """N readings. board, point, method and meter are places in the tuples of names; value in volts or ohms, inf for OL;
    celsius nan where it isn't known."""

    boards: tuple[str, ...]
    points: tuple[str, ...]
    meters: tuple[str, ...]
    board: np.ndarray
    point: np.ndarray
    method: np.ndarray
    meter: np.ndarray
    value: np.ndarray
    celsius: np.ndarray

    def __len__(self) -> int:
        return len(self.value)


def _places(names: Iterable[str]) -> tuple[tuple[str, ...], np.ndarray]:
    import numpy as np

    found: dict[str, int] = {}
    places = np.array([found.setdefault(name, len(found)) for name in names], dtype=np.int32)
    return tuple(found), places


def columns_of(readings: Sequence[KnownGoodReading]) -> ReadingColumns:
    """The readings as columns, in their order."""
    import numpy as np

    boards, board = _places(r.board_serial for r in readings)
    points, point = _places(r.point for r in readings)
    meters, meter = _places(r.meter for r in readings)
    method = np.array([METHODS.index(r.method) for r in readings], dtype=np.int32)
    value = np.array([r.value for r in readings], dtype=float)
    celsius = np.array([np.nan if r.board_celsius is None else r.board_celsius for r in readings], dtype=float)
    return ReadingColumns(boards, points, meters, board, point, method, meter, value, celsius)


def cubes_of(columns: ReadingColumns) -> dict[Method, np.ndarray]:
    """Per method, values by meter, board and point: (M, B, P), nan where there is none, diode readings as they would be
    at the compared temperature, nanofarads as the ohms that they impede. Where a meter has read a point of a board more
    than once, the middle one counts."""
    import numpy as np

    shape = (len(columns.meters), len(columns.boards), len(columns.points))
    found: dict[Method, np.ndarray] = {}
    key = (columns.meter.astype(np.int64) * shape[1] + columns.board) * shape[2] + columns.point
    for number in np.flatnonzero(np.bincount(columns.method, minlength=len(METHODS))).tolist():
        use = columns.method == number
        keys, values = key[use], columns.value[use]
        if METHODS[number].is_diode:
            values = at_compared_temperature(values, columns.celsius[use])
        elif METHODS[number] is Method.CAPACITANCE:
            values = impeding_ohms_of(values)
        cube = np.full(shape, np.nan)
        flat = cube.reshape(-1)
        if len(keys) and int(np.bincount(keys).max()) > 1:
            order = np.lexsort((values, keys))
            keys, start, count = np.unique(keys[order], return_index=True, return_counts=True)
            values = values[order][start + (count - 1) // 2]
        flat[keys] = values
        found[METHODS[number]] = cube
    return found


def at_compared_temperature(volts: np.ndarray, celsius: np.ndarray) -> np.ndarray:
    """Diode readings as they would be at COMPARED_CELSIUS; what is not a junction's drop moves with its share of one.

    Unknown temperatures are taken as compared.
    """
    import numpy as np

    apart = np.where(np.isnan(celsius), 0.0, celsius - COMPARED_CELSIUS)
    share = np.clip(np.where(np.isfinite(volts), volts, 0.0) / FULL_DROP_VOLTS, 0.0, 1.2)
    return np.asarray(np.where(np.isfinite(volts), np.maximum(volts - VOLTS_PER_KELVIN * apart * share, 0.0), volts))


def reading_at_compared_temperature(value: float, method: Method, celsius: float | None) -> float:
    """One reading, without arrays; ohms are left as they are."""
    if celsius is None or not method.is_diode or value == float("inf"):
        return value
    share = min(max(value / FULL_DROP_VOLTS, 0.0), 1.2)
    return max(value - VOLTS_PER_KELVIN * (celsius - COMPARED_CELSIUS) * share, 0.0)
