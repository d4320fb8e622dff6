"""Per point and method: where known-good boards read, and how much they spread.

Volts are compared as they are, ohms by log10(ohms + 0.3): a winding of half an ohm and a break of megohms are
both far from each other and each tight in itself.
"""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING

from dextrum.core.board import Board, Method
from dextrum.core.reference.known_good import KnownGoodReading
from dextrum.core.reference.pooling import PooledSpread, pool, shrink

if TYPE_CHECKING:
    import numpy as np

LEAST_OHMS = 0.3
METER_RESOLUTION_VOLTS = 5e-4
OTHER_METER_VOLTS = 0.010
"""Spread between meters that have not been compared, used when this meter has read no known-good board."""
OTHER_METER_LOG_OHMS = 0.05
FALLBACK_DIODE = PooledSpread(0.012 ** 2, 4.0)
FALLBACK_GROUND = PooledSpread(0.002 ** 2, 4.0)
FALLBACK_OHMS = PooledSpread(0.06 ** 2, 4.0)


def to_scale(value: float, method: Method) -> float:
    """The value on the scale in which it is compared."""
    return value if method.is_diode else math.log10(value + LEAST_OHMS)


def from_scale(value: float, method: Method) -> float:
    return value if method.is_diode else max(0.0, float(10.0 ** value - LEAST_OHMS))


@dataclass(frozen=True)
class PointReference:
    """Known-good of one point by one method, on the comparing scale.

    centre is inf where known-good boards read OL. spread is that of one further board; freedom its
    degrees. own_meter tells whether the meter in hand took these readings.
    """

    point: str
    method: Method
    centre: float
    spread: float
    freedom: float
    boards: int
    own_meter: bool


@dataclass(frozen=True)
class ReferenceTable:
    """All references for one meter. boards: how many known-good boards stand behind it."""

    by_point: Mapping[tuple[str, Method], PointReference]
    boards: int
    meter: str

    def get(self, point: str, method: Method) -> PointReference | None:
        return self.by_point.get((point, method))


NO_REFERENCES = ReferenceTable({}, 0, "")


def _fallback(kind: str, method: Method) -> PooledSpread:
    if not method.is_diode:
        return FALLBACK_OHMS
    return FALLBACK_GROUND if kind == "ground" else FALLBACK_DIODE


def _values(readings: Iterable[KnownGoodReading], meter: str) -> dict[
        tuple[str, Method], tuple[np.ndarray, bool]]:
    """Per point and method the boards' values (one each, on the scale), and whether this meter took them."""
    import numpy as np

    own: dict[tuple[str, Method], dict[str, list[float]]] = defaultdict(lambda: defaultdict(list))
    every: dict[tuple[str, Method], dict[str, list[float]]] = defaultdict(lambda: defaultdict(list))
    for r in readings:
        scaled = to_scale(r.value, r.method)
        every[r.point, r.method][r.board_serial].append(scaled)
        if r.meter == meter:
            own[r.point, r.method][r.board_serial].append(scaled)
    out = {}
    for key, boards in every.items():
        is_own = key in own
        chosen = own[key] if is_own else boards
        out[key] = (np.array([float(np.median(chosen[b])) for b in sorted(chosen)]), is_own)
    return out


def build_reference_table(board: Board, readings: Iterable[KnownGoodReading], meter: str) -> ReferenceTable:
    """References as this meter sees them. Readings of points that the board doesn't have are ignored."""
    import numpy as np  # with the first judgement, not with the start

    readings = tuple(readings)
    values = {key: value for key, value in _values(readings, meter).items() if key[0] in board.point_by_id}
    by_kind: dict[tuple[str, Method], list[tuple[str, Method]]] = defaultdict(list)
    for point, method in values:
        by_kind[board.point_by_id[point].kind, method].append((point, method))
    table: dict[tuple[str, Method], PointReference] = {}
    for (kind, method), keys in by_kind.items():
        finite = {key: values[key][0][np.isfinite(values[key][0])] for key in keys}
        samples = [v for v in finite.values() if len(v) > 1]
        prior = pool(np.array([float(np.var(v, ddof=1)) for v in samples]),
                     np.array([len(v) - 1.0 for v in samples]), _fallback(kind, method))
        resolution = METER_RESOLUTION_VOLTS if method.is_diode else 0.005
        for key in keys:
            every, own = values[key]
            good = finite[key]
            if len(good) * 2 < len(every) or not len(good):
                table[key] = PointReference(*key, float("inf"), 0.0, 1.0, len(every), own)
                continue
            sample = float(np.var(good, ddof=1)) if len(good) > 1 else 0.0
            variance, freedom = shrink(sample, len(good) - 1.0, prior)
            other = 0.0 if own else (OTHER_METER_VOLTS if method.is_diode else OTHER_METER_LOG_OHMS)
            spread = float(np.sqrt(variance * (1.0 + 1.0 / len(good)) + resolution ** 2 + other ** 2))
            table[key] = PointReference(*key, float(np.mean(good)), spread, freedom, len(every), own)
    return ReferenceTable(table, len({r.board_serial for r in readings}), meter)
