"""Per point and method: where known-good boards read, and how much they spread.

Volts are compared as they are, ohms by log10(ohms + 0.3): a winding of half an ohm and a break of megohms are
both far from each other and each tight in itself.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING

from dextrum.core.assumptions.readings import TOUCH_OHMS
from dextrum.core.board import Board, Method
from dextrum.core.circuit.capacitance import compared_value, shown_value
from dextrum.core.reference.columns import ReadingColumns, columns_of, cubes_of
from dextrum.core.reference.known_good import KnownGoodReading
from dextrum.core.reference.meters import (
    AWAY_FROM_ZERO_VOLTS,
    MAD_TO_SPREAD,
    MeterCorrection,
    meter_corrections,
)
from dextrum.core.reference.pooling import (
    FEWEST_POINTS,
    ONE_BOARD_FREEDOM,
    PooledSpread,
    against_own,
    as_known_from,
    pool,
    shrink,
)
from dextrum.core.reference.slips_on_copper import slips_on_copper
from dextrum.core.reference.twins_apart import widened_by_twins

if TYPE_CHECKING:
    import numpy as np

LEAST_OHMS = 0.3
METER_RESOLUTION_VOLTS = 5e-4
OTHER_METER_VOLTS = 0.010
"""Spread between meters that have not been compared, used when this meter has read no known-good board."""
OTHER_METER_LOG_OHMS = 0.05
MOST_STATED_FREEDOM = 30.0
"""A spread that the pack states is trusted as far as the boards behind it, at most so: points of a kind differ."""
NEAR_COMPLIANCE = 2.0
"""Above so many volts one meter may show a number where another has come to its end."""
SAME_BOARD_VOLTS = 0.015
SAME_BOARD_LOG_OHMS = 0.15
"""Two meters, corrected, that read one point of one board further apart than this: one touch has slipped."""
FEWEST_TO_CONTRADICT = 3
OUTLIER_SPREADS = 5.0
OUTLIER_BOARD_SHARE = 0.25
FEWEST_POINTS_OF_A_BOARD = 4
FALLBACK_DIODE = PooledSpread(0.009 ** 2, 12.0)
FALLBACK_GROUND = PooledSpread(0.002 ** 2, 12.0)
FALLBACK_OHMS = PooledSpread(0.06 ** 2, 8.0)
"""What a kind's spread usually is, so that a single good board is of use; a shop's own boards soon weigh more."""


def to_scale(value: float, method: Method) -> float:
    """The value on the scale in which it is compared; of capacitance, by the ohms that it impedes."""
    return value if method.is_diode else math.log10(value + LEAST_OHMS)


def from_scale(value: float, method: Method) -> float:
    return value if method.is_diode else max(0.0, float(10.0 ** value - LEAST_OHMS))


@dataclass(frozen=True)
class PointReference:
    """Known-good of one point by one method, on the comparing scale.

    centre is inf where known-good boards read OL. spread is that of one further board; freedom its
    degrees. own_meter tells whether the meter in hand took these readings. origin: 'own', 'corrected' (other meters,
    brought to this one's scale), 'other meter' (not comparable, so wider), 'sister' (another revision) or 'scan'.
    """

    point: str
    method: Method
    centre: float
    spread: float
    freedom: float
    boards: int
    own_meter: bool
    origin: str = "own"


@dataclass(frozen=True)
class OutlierReading:
    """A reference that the others contradict: left out of them and named. away: in robust spreads, inf for OL."""

    board: str
    point: str
    method: Method
    value: float
    away: float


Corrections = Mapping[tuple[str, Method], MeterCorrection]


@dataclass(frozen=True)
class ReferenceTable:
    """All references for one meter. boards: how many known-good boards stand behind it. false_alarm: the share of scans
    of a good board in which the shop accepts that a reading is called off.

    outliers: readings that were left out; outlier_boards: boards left out whole, since too many of theirs were.
    """

    by_point: Mapping[tuple[str, Method], PointReference]
    boards: int
    meter: str
    outliers: tuple[OutlierReading, ...] = ()
    outlier_boards: tuple[str, ...] = ()
    corrections: Corrections = field(default_factory=dict)
    false_alarm: float = 0.05
    reference_meter: str = ""

    def as_this_meter(self, value: float, meter: str, method: Method) -> float:
        """What another meter read, as this table's meter would have read it; as it is where the two were never
        compared. OL and ground stay what they are."""
        own, law = (self.corrections.get((name, method.compared)) for name in (self.meter, meter))
        if not meter or meter == self.meter or (law is None and meter != self.reference_meter) or (
                own is None and self.meter != self.reference_meter):
            return value
        if method is Method.CAPACITANCE and value == math.inf:
            return value
        moved = compared_value(value, method)
        moved = law.to_reference(moved) if law is not None else moved
        return shown_value(own.from_reference(moved) if own is not None else moved, method)

    def get(self, point: str, method: Method) -> PointReference | None:
        return self.by_point.get((point, method))


NO_REFERENCES = ReferenceTable({}, 0, "")


def _fallback(board: Board, kind: str, method: Method) -> PooledSpread:
    """What is known of a kind's spread before any of its boards is: by the pack, else as usual."""
    if not method.is_diode:
        return FALLBACK_OHMS
    if kind in board.kind_spreads:
        return PooledSpread(board.kind_spreads[kind] ** 2, min(board.spread_boards - 1.0, MOST_STATED_FREEDOM))
    return FALLBACK_GROUND if kind == "ground" else FALLBACK_DIODE


@dataclass(frozen=True)
class _Method:
    """One method's readings on the comparing scale, boards by points (B, P); nan where a board has none there.

    origin: 2 by the meter in hand, 1 corrected to it, 0 by another that can't be compared. extra: variance that the
    correction leaves, (B, P). doubtful: where two meters, or points of one copper, contradict each other on the same
    board, (B, P); slipped: where a meter read OL and another a number, which counts, (B, P).
    """

    points: np.ndarray
    scaled: np.ndarray
    origin: np.ndarray
    extra: np.ndarray
    doubtful: np.ndarray
    slipped: np.ndarray


def _scaled(values: np.ndarray, method: Method) -> np.ndarray:
    import numpy as np

    return values if method.is_diode else np.asarray(np.log10(values + LEAST_OHMS))


def _as_this_meter(values: np.ndarray, name: str, method: Method, meter: str, reference: str,
                   corrections: Corrections) -> tuple[np.ndarray, np.ndarray, int]:
    """One meter's values (B, P) as the meter in hand would read them, the variance this leaves, and their origin."""
    import numpy as np

    nothing = np.zeros(values.shape)
    own, law = corrections.get((meter, method)), corrections.get((name, method))
    if name == meter:
        return values, nothing, 2
    if (law is None and name != reference) or (own is None and meter != reference):
        return values, nothing, 0
    with np.errstate(invalid="ignore"):
        live = np.isfinite(values) & ((values >= AWAY_FROM_ZERO_VOLTS) if method.is_diode else True)
    moved, variance = values, nothing
    if law is not None:
        variance = variance + np.where(live, _law_variance(law, moved), 0.0)
        moved = np.where(live, law.gain * moved + law.offset, moved)
    if own is not None:
        variance = variance + np.where(live, _law_variance(own, moved), 0.0)
        moved = np.where(live, (moved - own.offset) / own.gain, moved)
    return np.where(live, np.maximum(moved, 0.0), moved), variance, 1


def _law_variance(law: MeterCorrection, values: np.ndarray) -> np.ndarray:
    import numpy as np

    gain, both, offset = law.covariance
    finite = np.where(np.isfinite(values), values, 0.0)
    return np.asarray(np.maximum(gain * finite ** 2 + 2 * both * finite + offset, 0.0))


def _as_read_by(cube: np.ndarray, meters: tuple[str, ...], method: Method, meter: str, reference: str,
                corrections: Corrections) -> _Method:
    """Of every board's readings at a point, those of the best origin: the meter's own, else corrected, else strange."""
    import numpy as np

    scaled = np.full(cube.shape[1:], np.nan)
    origin = np.full(cube.shape[1:], -1, dtype=np.int8)
    extra = np.zeros(cube.shape[1:])
    ranked = [(*_as_this_meter(cube[k], name, method, meter, reference, corrections), name)
              for k, name in enumerate(meters)]
    slipped = np.zeros(scaled.shape, dtype=bool)
    lowest, highest = np.full(scaled.shape, np.inf), np.full(scaled.shape, -np.inf)
    for values, variance, rank, _name in sorted(ranked, key=lambda one: (one[2], one[3] == reference)):
        there = ~np.isnan(values)
        # A slip of the probe mostly reads OL: beside a number read on the same board by another meter it says nothing.
        a_number = scaled < NEAR_COMPLIANCE if method.is_diode else np.isfinite(scaled)
        slipped |= np.isinf(values) & a_number
        there &= ~slipped
        scaled[there], origin[there], extra[there] = values[there], rank, variance[there]
        if rank:
            number = np.isfinite(values)
            lowest[number] = np.minimum(lowest[number], values[number])
            highest[number] = np.maximum(highest[number], values[number])
    lowest, highest = np.minimum(lowest, highest), np.maximum(highest, 0.0)
    apart = SAME_BOARD_VOLTS if method.is_diode else SAME_BOARD_LOG_OHMS
    doubtful = np.isfinite(lowest) & (_scaled(highest, method) - _scaled(np.maximum(lowest, 0.0), method) > apart)
    here = np.flatnonzero((origin >= 0).any(axis=0))
    scaled, extra = scaled[:, here], extra[:, here]
    if not method.is_diode:
        # Variance on the logarithmic scale.
        extra = extra / np.square((np.where(np.isfinite(scaled), scaled, 0.0) + LEAST_OHMS) * np.log(10.0))
    return _Method(here, _scaled(scaled, method), origin[:, here], extra, doubtful[:, here],
                   slipped[:, here])


def values_as_read_by(columns: ReadingColumns, meter: str, reference_meter: str, corrections: Corrections) -> dict[
        Method, tuple[tuple[str, ...], np.ndarray]]:
    """Per method the points that have been read and their values (boards, points) on the comparing scale, as the meter
    in hand would have read them; nan where a board has none."""
    parts = {method: _as_read_by(cube, columns.meters, method, meter, reference_meter, corrections)
             for method, cube in cubes_of(columns).items()}
    return {method: (tuple(columns.points[p] for p in part.points), part.scaled) for method, part in parts.items()}


def _few_boards_factor(counts: np.ndarray) -> np.ndarray:
    """By how much the median deviation of so few values falls short of their spread, (P,).

    C. Croux and P. J. Rousseeuw, Time-efficient algorithms for two highly robust estimators of scale, Computational
    Statistics 1, 1992, section 4: by count up to nine, n / (n - 0.8) beyond.
    """
    import numpy as np

    by_count = np.array((1.0, 1.0, 1.196, 1.495, 1.363, 1.206, 1.200, 1.140, 1.129, 1.107))
    return np.where(counts < len(by_count), by_count[np.minimum(counts, len(by_count) - 1)],
                    counts / np.maximum(counts - 0.8, 1.0))


def _centre_and_spread(scaled: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Median and scaled median deviation of every point over boards, (P,); nan where no board reads a number."""
    import warnings

    import numpy as np

    with warnings.catch_warnings():
        warnings.simplefilter("ignore", RuntimeWarning)
        finite = np.where(np.isfinite(scaled), scaled, np.nan)
        centre = np.nanmedian(finite, axis=0)
        spread = MAD_TO_SPREAD * np.nanmedian(np.abs(finite - centre), axis=0)
        return centre, spread * _few_boards_factor(np.isfinite(finite).sum(axis=0))


def _find_outliers(scaled: np.ndarray, typical: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Which readings the others contradict, (B, P), and how far away they are in robust spreads.

    typical: (P,) the usual spread of the point's kind, so that two near-equal boards don't condemn a third.
    """
    import numpy as np

    centre, own = _centre_and_spread(scaled)
    there = ~np.isnan(scaled)
    count = there.sum(axis=0)
    with np.errstate(invalid="ignore", divide="ignore"):
        away = np.abs(scaled - centre) / np.maximum(np.nan_to_num(own), typical)
    opens = np.isinf(scaled) & there
    mostly_open = opens.sum(axis=0) * 2 > count
    away = np.where(opens, np.where(mostly_open, 0.0, np.inf), np.where(mostly_open & there, np.inf, away))
    return there & (count >= FEWEST_TO_CONTRADICT) & (away > OUTLIER_SPREADS), away


def build_reference_table(board: Board, readings: Iterable[KnownGoodReading], meter: str,
                          reference_meter: str = "") -> ReferenceTable:
    """References as this meter sees them. Readings of points that the board doesn't have are ignored.

    reference_meter: the one that all meters of the shop are compared with; by default the one with most readings.
    """
    readings = tuple(r for r in readings if r.point in board.point_by_id)
    return table_of_columns(board, columns_of(readings), meter, reference_meter)


def table_of_columns(board: Board, columns: ReadingColumns, meter: str, reference_meter: str = "") -> ReferenceTable:
    """The same from columns, all of whose points the board must have."""
    import numpy as np  # with the first judgement, not with the start

    if not len(columns):
        return ReferenceTable({}, 0, meter)
    if not reference_meter:
        reference_meter = columns.meters[int(np.bincount(columns.meter).argmax())]
    cubes = cubes_of(columns)
    corrections = meter_corrections(cubes, columns.meters, reference_meter)
    table: dict[tuple[str, Method], PointReference] = {}
    outliers: list[OutlierReading] = []
    methods = {method: _as_read_by(cube, columns.meters, method, meter, reference_meter, corrections)
               for method, cube in cubes.items()}
    methods = {method: _without_slips_on_copper(board, columns.points, part) if method.is_diode else part
               for method, part in methods.items()}
    kinds = np.array([board.point_by_id[p].kind for p in columns.points])
    strange = np.zeros(len(columns.boards))
    seen = np.zeros(len(columns.boards))
    flagged: dict[Method, tuple[np.ndarray, np.ndarray]] = {}
    for method, part in methods.items():
        typical = _typical_spread(board, part, kinds[part.points], method)
        flagged[method] = _find_outliers(part.scaled, typical)
        strange += flagged[method][0].sum(axis=1)
        seen += (~np.isnan(part.scaled)).sum(axis=1)
    for method, part in methods.items():
        contradicted, away = flagged[method]
        lonely = part.doubtful & ~contradicted & ((~np.isnan(part.scaled)).sum(axis=0) < FEWEST_TO_CONTRADICT)
        flagged[method] = contradicted | lonely, np.where(lonely, np.inf, away)
    left_out = (strange > OUTLIER_BOARD_SHARE * np.maximum(seen, 1)) & (seen >= FEWEST_POINTS_OF_A_BOARD)
    for method, part in methods.items():
        outlying, away = flagged[method]
        for b, p in zip(*np.nonzero(outlying), strict=True):
            outliers.append(OutlierReading(columns.boards[b], columns.points[part.points[p]], method,
                                           shown_value(from_scale(float(part.scaled[b, p]), method), method),
                                           float(away[b, p])))
        outliers += [OutlierReading(columns.boards[b], columns.points[part.points[p]], method,
                                    shown_value(math.inf, method), math.inf)
                     for b, p in zip(*np.nonzero(part.slipped & ~outlying), strict=True)]
        kept = np.where(outlying | left_out[:, None], np.nan, part.scaled)
        table.update(_references(board, columns, part, kept, kinds[part.points], method))
        if method.is_diode:
            table.update(widened_by_twins(board, table, method))
    return ReferenceTable(table, len(columns.boards) - int(left_out.sum()), meter, tuple(outliers),
                          tuple(columns.boards[b] for b in np.flatnonzero(left_out)), corrections,
                          reference_meter=reference_meter)


def _without_slips_on_copper(board: Board, names: Sequence[str], part: _Method) -> _Method:
    """Without what a hand that slipped has read, where too few boards were read there to tell."""
    import numpy as np

    few = (~np.isnan(part.scaled)).sum(axis=0) < FEWEST_TO_CONTRADICT
    opens, off = (found & few for found in slips_on_copper(board, [names[place] for place in part.points.tolist()],
                                                           part.scaled))
    if not (opens | off).any():
        return part
    return replace(part, scaled=np.where(opens, np.nan, part.scaled), slipped=part.slipped | opens,
                   doubtful=part.doubtful | off)


def _typical_spread(board: Board, part: _Method, kinds: np.ndarray, method: Method) -> np.ndarray:
    """Robust spread of each point's kind, (P,), not below what a meter and a hand leave."""
    import numpy as np

    _, own = _centre_and_spread(part.scaled)
    found = np.empty(len(own))
    for kind in set(kinds.tolist()):
        here = kinds == kind
        fallback = float(np.sqrt(_fallback(board, kind, method).variance))
        usual = own[here][np.isfinite(own[here]) & (own[here] > 0)]
        least = 0.25 * fallback if len(usual) >= FEWEST_POINTS else fallback
        found[here] = max(float(np.median(usual)) if len(usual) else fallback, least)
    return found


def _of_leads(log_ohms: float) -> float:
    """What leads and tips scatter by from touch to touch and from meter to meter, on the scale of ohms at a reading."""
    return float(TOUCH_OHMS / (10.0 ** log_ohms * math.log(10.0)))


def _references(board: Board, columns: ReadingColumns, part: _Method, kept: np.ndarray, kinds: np.ndarray,
                method: Method) -> dict[tuple[str, Method], PointReference]:
    """Mean, spread pooled over the kind, and origin of every point."""
    import numpy as np

    finite = np.isfinite(kept)
    count = finite.sum(axis=0)
    there = (~np.isnan(kept)).sum(axis=0)
    mean = np.where(finite, kept, 0.0).sum(axis=0) / np.maximum(count, 1)
    # What a correction leaves is common to all boards read by that meter: it moves the mean, as far as they make it up.
    square = np.where(finite, np.square(np.where(finite, kept, 0.0) - mean), 0.0).sum(axis=0)
    variance = square / np.maximum(count - 1, 1)
    by_correction = finite & (part.origin == 1)
    share = by_correction.sum(axis=0) / np.maximum(count, 1)
    corrected = np.where(by_correction, part.extra, 0.0).max(axis=0) * np.square(share)
    only_strange = (np.where(finite, part.origin, -1).max(axis=0) == 0)
    own = np.where(finite, part.origin, -1).max(axis=0) == 2
    resolution = METER_RESOLUTION_VOLTS if method.is_diode else 0.005
    other = OTHER_METER_VOLTS if method.is_diode else OTHER_METER_LOG_OHMS
    found: dict[tuple[str, Method], PointReference] = {}
    for kind in dict.fromkeys(kinds.tolist()):
        here = np.flatnonzero(kinds == kind)
        usual = _fallback(board, kind, method)
        prior, known = pool(variance[here], (count[here] - 1.0).clip(0.0), usual), math.inf
        if prior is not usual:
            # Points of one net read one copper: they are one point, as far as boards differ.
            nets = len({board.net_of(board.point_by_id[columns.points[part.points[p]]].at) for p in here.tolist()})
            prior, known = as_known_from(prior, nets, float(np.median(count[here])), usual)
        for p in here.tolist():
            name = columns.points[part.points[p]]
            if not there[p]:
                continue
            if 2 * count[p] < there[p] or not count[p]:
                found[name, method] = PointReference(name, method, float("inf"), 0.0, 1.0, int(there[p]), bool(own[p]))
                continue
            pooled, freedom = shrink(float(variance[p]), float(count[p] - 1), prior if count[p] < 2 or prior is not
                                     usual else against_own(usual, float(count[p])))
            freedom = max(min(freedom, known), min(usual.freedom, ONE_BOARD_FREEDOM / int(count[p])))
            apart = other if only_strange[p] else 0.0
            further = pooled * (1.0 + 1.0 / int(count[p]))
            touch = resolution if method.is_diode else math.hypot(resolution, _of_leads(float(mean[p])))
            spread = math.sqrt(further + touch ** 2 + float(corrected[p]) + apart ** 2)
            origin = "other meter" if only_strange[p] else "own" if own[p] else "corrected"
            found[name, method] = PointReference(name, method, float(mean[p]), spread, freedom, int(there[p]),
                                                 bool(own[p]), origin)
    return found
