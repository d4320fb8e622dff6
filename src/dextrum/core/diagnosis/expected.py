"""What every row, or set of rows, predicts at a point, before anything was read there."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from dextrum.core.assumptions.packs import (
    OPEN_ON_ONE,
    POINT_SURE,
)
from dextrum.core.assumptions.readings import (
    LEAK_SIZE_SHARE,
    MODEL_SHARE,
    MODEL_VOLTS,
    ODD_PART,
    SHARED_SHARE,
    SHORT_OHMS_SHARE,
    SHORT_VOLTS,
    TOUCH_VOLTS,
    UNREFERENCED_FREEDOM,
    UNREFERENCED_LOG_OHMS,
    UNREFERENCED_VOLTS,
    WRONG_POINT,
)
from dextrum.core.assumptions.stated import as_stated
from dextrum.core.board import Board, Method
from dextrum.core.diagnosis.hypotheses import NO_ROW, NOTHING_ROW, Hypotheses
from dextrum.core.diagnosis.model import DiagnosisModel
from dextrum.core.log_student import log_student
from dextrum.core.reference.judge import SHORT_SHARE
from dextrum.core.reference.table import LEAST_OHMS

LEAST_DIFFERENCE = 1e-9
"""Of volts or ohms, by which two solutions of one network may differ."""


@dataclass(frozen=True)
class Expected:
    """What each row predicts at one point on the comparing scale: means (R,), inf for OL; spread (R,). opens: whether a
    good board reads a number there, so that OL is what a fault has opened."""

    means: np.ndarray
    spreads: np.ndarray
    freedom: float
    opens: bool = False
    unsure: float | np.ndarray = 0.0
    """Chance that the pack has the point on a wrong net: then what a fault does there is done elsewhere. (R,) where an
    earlier reading bears it out for some rows and not for others."""
    centre: float = np.inf
    base: float = 1.0
    """What a good board reads there, with what is off it, and its spread."""
    unsaid: bool = False
    """Whether neither a good board nor the pack says what is read there: then a row that predicts OL predicts nothing,
    and only what a short would read tells."""
    raised: np.ndarray | None = None
    """Rows that leave less on the line than a good board has, by shares that are only guessed, (R,); None where what
    each junction carries is known."""
    both_ways: np.ndarray | None = None
    """Sets of which one fault by itself raises the point and another lowers it, (R,); None where there is none."""
    again: float = np.nan
    """What the point read before the last repair, on the comparing scale: it does so still if the pack has it wrong."""
    odd_part: float | np.ndarray = ODD_PART
    wrong_point: float = WRONG_POINT
    """Chances that a junction there is another maker's, and that a reading is of another point, on this board."""


@dataclass(frozen=True)
class ExpectedApart:
    """What every row predicts at one point: a few in a hundred each something of their own, all others what a good
    board does, so that what is read there is weighed once for all of them. expected: of N of them, a good board first;
    rows: (N,), which; place: (R,), as which of the N each row predicts."""

    expected: Expected
    rows: np.ndarray
    place: np.ndarray

    def of(self, rows: np.ndarray) -> Expected:
        """The prediction of these rows."""
        return of_these(self.expected, self.place[rows])

def told_apart(apart: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """The rows told apart, (N,), a good board first, and as which of them each row counts, (R,). apart: boolean (R,).
    """
    apart[NOTHING_ROW] = True
    rows, place = np.flatnonzero(apart), np.zeros(len(apart), dtype=np.intp)
    place[rows] = np.arange(len(rows))
    return rows, place


def expected_apart(model: DiagnosisModel, point: str, method: Method, wider: float = 1.0) -> ExpectedApart | None:
    """Kept. None where the pack has no such point or doesn't know its net, or the method can't be used there."""
    def make() -> ExpectedApart | None:
        predicted = None if point in model.board.unknown_points else model.predicted_at(point, method)
        if predicted is None or np.isnan(predicted.values[NOTHING_ROW]):
            return None
        rows, place = told_apart(predicted.touched | differs(predicted.values))
        by_size = None if method.is_diode else _spread_of_size(model.hypotheses, predicted.values)[rows]
        return ExpectedApart(expected_of(model, point, method, predicted.values[rows], predicted.touched[rows],
                                         float(predicted.values[NOTHING_ROW]), wider, by_size), rows, place)

    return model.memory.expected.recall((point, method, wider), make)


def expected_at(model: DiagnosisModel, point: str, method: Method, wider: float = 1.0) -> Expected | None:
    """Of every row, (R,); None as for `expected_apart`."""
    apart = expected_apart(model, point, method, wider)
    return None if apart is None else of_these(apart.expected, apart.place)


def differs(values: np.ndarray) -> np.ndarray:
    """Which are not what the good board's is; NaN is as NaN."""
    good = values[NOTHING_ROW]
    return np.asarray(~np.isnan(values) if np.isnan(good) else values != good)


def expected_of(model: DiagnosisModel, point: str, method: Method, values: np.ndarray, touched: np.ndarray,
                good: float, wider: float = 1.0, by_size: np.ndarray | None = None) -> Expected:
    """Of N boards that would read `values` (N,) there, by the circuit; touched: where a fault has part in it (N,).

    good: what a board without a fault reads, by the circuit, with what is off it. wider: by how much this board
    scatters more than others do. by_size: how far each may read otherwise, (N,) on the comparing scale, by what is not
    known of its size; None where that is not to matter.
    """
    predictions = (model.whole or model).predictions(method)
    healthy = float(predictions.values[NOTHING_ROW, predictions.column[point]])
    moved = model.whole is not None and model.moved_at(point, method)
    if moved:
        # With a part off the board, no known-good reading says what the point reads; the circuit does.
        values, touched = np.append(values, good), np.ones(len(values) + 1, dtype=bool)
    reference = model.references.get(point, method.compared)
    if method.is_diode:
        scaled = values.copy()
        base, freedom = UNREFERENCED_VOLTS, UNREFERENCED_FREEDOM
    else:
        with np.errstate(invalid="ignore"):
            scaled = np.log10(values + LEAST_OHMS)
        base, freedom = UNREFERENCED_LOG_OHMS, UNREFERENCED_FREEDOM
    if reference is not None:
        base, freedom = max(reference.spread, 1e-4) * wider, reference.freedom
        if np.isinf(reference.centre):
            scaled = np.where(touched & np.isfinite(scaled), scaled, np.inf)
            base = UNREFERENCED_VOLTS if method.is_diode else UNREFERENCED_LOG_OHMS
        elif method.is_diode and np.isfinite(healthy) and healthy > 0:
            # Open stays open, also beside a known-good zero.
            as_known = np.where(np.isfinite(values), values, 0.0) * (reference.centre / healthy)
            scaled = np.where(touched, np.where(np.isfinite(values), as_known, np.inf), reference.centre)
        else:
            scaled = np.where(touched, scaled, reference.centre)
    known = _healthy_scaled(reference.centre if reference is not None else None, healthy, method)
    centre = known
    if moved:
        scaled, centre, touched = scaled[:-1], float(scaled[-1]), touched[:-1]
    away = np.abs(np.where(np.isfinite(scaled), scaled, 0.0) - (known if np.isfinite(known) else 0.0))
    spreads = np.where(touched, np.hypot(base, MODEL_SHARE * away + MODEL_VOLTS), base)
    if method.is_diode and np.isfinite(centre):
        below = centre - scaled
        lowered = touched & (scaled < centre) & (below > MODEL_VOLTS)
        spreads = np.where(lowered, np.maximum(spreads, np.hypot(base, LEAK_SIZE_SHARE * below + MODEL_VOLTS)), spreads)
        pulled_down = touched & (scaled < SHORT_SHARE * centre)
        spreads = np.where(pulled_down, SHORT_OHMS_SHARE * scaled + SHORT_VOLTS, spreads)
    elif by_size is not None:
        spreads = np.maximum(spreads, np.where(touched, by_size, 0.0))
    raised = touched & np.isfinite(scaled) & (scaled > centre + MODEL_VOLTS) \
        if model.board.shares_are_guessed and method.is_diode and np.isfinite(centre) else None
    unsaid = reference is None and method.is_diode and model.whole is None and not np.isfinite(healthy)
    sure = _sure_of_place(model.board, point)
    if reference is not None and np.isinf(reference.centre):
        sure *= 1.0 - OPEN_ON_ONE ** max(reference.boards, 1)
    unsure = 1.0 - sure
    return Expected(scaled, spreads, freedom, bool(np.isfinite(known)), unsure, centre, base, unsaid, raised,
                    odd_part=as_stated(model.board, "odd_part"), wrong_point=as_stated(model.board, "wrong_point"))


def expected_of_sets(model: DiagnosisModel, point: str, method: Method, sets: np.ndarray, values: np.ndarray,
                     touched: np.ndarray, wider: float = 1.0) -> Expected:
    """As `expected_of`, for sets of rows (N, W), filled up with NO_ROW."""
    predicted = model.predicted_at(point, method)
    assert predicted is not None
    good = float(predicted.values[NOTHING_ROW])
    expected = expected_of(model, point, method, values, touched, good, wider,
                           None if method.is_diode else _size_of_first(model, point, predicted.values, sets))
    own = np.where(sets == NO_ROW, good, predicted.values[sets])
    rounding = LEAST_DIFFERENCE * (1.0 + good) if np.isfinite(good) else 0.0
    both_ways = np.asarray((own < good - rounding).any(axis=1) & (own > good + rounding).any(axis=1))
    return replace(expected, both_ways=both_ways) if both_ways.any() else expected


def _size_of_first(model: DiagnosisModel, point: str, values: np.ndarray, sets: np.ndarray) -> np.ndarray:
    """Of each set (N, W), how far its reading in ohms may be another by the size of the fault that by itself moves the
    point most, (N,). values: what each row reads, (R,)."""
    by_size = model.remembered(("by size", point), lambda: _spread_of_size(model.hypotheses, values))
    assert by_size is not None
    with np.errstate(invalid="ignore"):
        moved = np.abs(np.log10(values + LEAST_OHMS) - np.log10(values[NOTHING_ROW] + LEAST_OHMS))
    moved = np.where(sets == NO_ROW, -1.0, np.nan_to_num(moved, posinf=np.inf)[sets])
    return np.asarray(by_size[sets[np.arange(len(sets)), moved.argmax(axis=1)]])


def held_to_side(expected: Expected, scaled: float, anew: np.ndarray | None = None) -> tuple[
        Expected, np.ndarray | None]:
    """The prediction where a number was read, on the comparing scale, and ln of the chance that each row is of a size
    that changes nothing there, (R,); None where that matters to no row. anew: rows whose copper was not read before,
    (R,), None for all: what a size does there, the first reading tells.

    How large a fault is, is not known, and a wide spread stands for that; but whatever the size, the point lies between
    what a good board reads and what the fault at its worst does: a short can't raise it. (Rayleigh's monotonicity law:
    what conducts more anywhere reads less at the point that is driven, and what conducts less more; P. G. Doyle and
    J. L. Snell, Random Walks and Electric Networks, 1984, section 1.4. It holds for junctions as well, which only
    conduct more the higher they are driven.) So a row that predicts the one side of a good board is, where the other
    was read, as a good board there, times the chance that it comes as near to one as that; unless what it says by its
    own spread is less.
    """
    centre, means, spreads, freedom = expected.centre, expected.means, expected.spreads, expected.freedom
    if not (np.isfinite(centre) and np.isfinite(scaled)):
        return expected, None
    with np.errstate(invalid="ignore"):
        other_side = (means - centre) * (scaled - centre) < 0.0
    if expected.both_ways is not None:
        other_side &= ~expected.both_ways
    if anew is not None:
        other_side &= anew
    # What is spread as a good board is, is unsure of nothing but what boards scatter.
    rows = np.flatnonzero(other_side & np.isfinite(means) & (spreads > expected.base))
    if not len(rows):
        return expected, None
    no_effect = log_student(centre, means[rows], spreads[rows], freedom) - log_student(
        centre, centre, expected.base, freedom)
    less = no_effect + log_student(scaled, centre, expected.base, freedom) < log_student(
        scaled, means[rows], spreads[rows], freedom)
    rows, no_effect = rows[less], no_effect[less]
    if not len(rows):
        return expected, None
    means, spreads, chance = means.copy(), spreads.copy(), np.zeros(len(means))
    means[rows], spreads[rows], chance[rows] = centre, expected.base, no_effect
    return replace(expected, means=means, spreads=spreads), chance


def of_these(expected: Expected, places: np.ndarray) -> Expected:
    """The prediction of some of its boards only."""
    return replace(expected, means=expected.means[places], spreads=expected.spreads[places],
                   unsure=expected.unsure[places] if isinstance(expected.unsure, np.ndarray) else expected.unsure,
                   raised=None if expected.raised is None else expected.raised[places],
                   both_ways=None if expected.both_ways is None else expected.both_ways[places])


def _spread_of_size(hypotheses: Hypotheses, ohms: np.ndarray) -> np.ndarray:
    """How far what each row reads in ohms (R,) may be another, (R,) on the comparing scale, since a fault's size is
    known to the next one only: half of the way to what it reads then. What is on ground behind a pull-up reads as the
    pull-up does, whatever its size."""
    order = np.lexsort((hypotheses.ohms, hypotheses.fault_of_row))
    of, scaled = hypotheses.fault_of_row[order], np.log10(ohms[order] + LEAST_OHMS)
    both = (of[1:] == of[:-1]) & (of[1:] >= 0) & np.isfinite(scaled[1:]) & np.isfinite(scaled[:-1])
    half = np.abs(np.subtract(scaled[1:], scaled[:-1], out=np.zeros(len(both)), where=both)) / 2.0
    found = np.zeros(len(ohms))
    found[order[:-1]] = half
    found[order[1:]] = np.maximum(found[order[1:]], half)
    return found


def _sure_of_place(board: Board, point: str) -> float:
    """Chance that a point is on the net that the pack says. A capacitor between its own ends is that capacitor,
    whatever nets it lies on."""
    of_part = board.point_by_id[point].default_method is Method.CAPACITANCE
    usual = 1.0 if of_part or point in board.port_points else POINT_SURE
    return board.sureness.get(board.point_by_id[point].at, usual)


def _healthy_scaled(known: float | None, healthy: float, method: Method) -> float:
    """A good board's reading on the comparing scale, by known-good or else by the circuit."""
    if known is not None:
        return known
    return healthy if method.is_diode or not np.isfinite(healthy) else float(np.log10(healthy + LEAST_OHMS))


def again_spread(expected: Expected, method: Method, readings: float | np.ndarray = 1.0) -> float | np.ndarray:
    """Spread of a reading round what so many readings of the same place had been, on the comparing scale: of the
    touches alone. Ohms are read again no better than boards differ."""
    if not method.is_diode:
        return expected.base
    return np.sqrt(((1.0 - SHARED_SHARE) * expected.base ** 2 + TOUCH_VOLTS ** 2) * (1.0 + 1.0 / readings))
