"""A reading against its known-good: the predictive Student t, and the word for what it means."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from functools import lru_cache

from dextrum.core.board import Board, Method, Point
from dextrum.core.circuit.capacitance import compared_value, shown_value
from dextrum.core.reference.pooling import SAME_CHIP
from dextrum.core.reference.table import PointReference, from_scale, to_scale
from dextrum.tongue import tr

NEAR_ZERO_VOLTS = 0.03
SHORT_SHARE = 0.62
"""Below this share of the known-good drop a low reading is called a partial short."""
JUNCTION_VOLTS = 0.5
"""What a rail or line reads in diode mode where its junction counts: protection diodes and chips drop 0.35 to 0.65."""
METER_AMPS = 1e-3
"""What a meter drives in diode mode, or nearly: ohms to ground, times this, are the volts that would be read there."""

BOARD_COMPARISONS = 12


class Verdict(StrEnum):
    WITHIN = "within"
    LOW = "low"
    HIGH = "high"
    OPEN = "open"
    GROUNDED = "grounded"
    PARTIAL_SHORT = "partial_short"
    WAVERING = "wavering"
    NOT_JUDGED = "not_judged"

    @property
    def is_off(self) -> bool:
        return self not in (Verdict.WITHIN, Verdict.NOT_JUDGED)

    @property
    def words(self) -> str:
        return tr({"partial_short": "partial short", "not_judged": "not judged"}.get(self.value, self.value))


SHORTED = frozenset({Verdict.GROUNDED, Verdict.PARTIAL_SHORT, Verdict.LOW})
"""Verdicts of a point that something pulls towards ground."""


@dataclass(frozen=True)
class Judgement:
    """A verdict with the number behind it.

    t: distance in predictive spreads (nan where it has none); tail: two-sided chance that a good board reads
    as far out; low, high: the tolerance in the reading's own unit; centre: known-good, inf for OL.
    """

    verdict: Verdict
    t: float
    tail: float
    low: float
    high: float
    centre: float
    boards: int
    origin: str = "own"

    @property
    def basis(self) -> str:
        """What the verdict rests on, where that is weaker than boards read by this meter."""
        return {
            "role": tr("by what the contact is for: weak"),
            "scan": tr("by the other contacts of this scan: weaker"),
            "corrected": tr("by other meters, corrected"),
            "other meter": tr("by a meter not compared with this one: wider"),
            "sister": tr("by a sister revision only: wider"),
        }.get(self.origin, "")


NO_REFERENCE = Judgement(Verdict.NOT_JUDGED, float("nan"), float("nan"), float("nan"), float("nan"),
                         float("nan"), 0)


def comparisons_for(board: Board, point: Point) -> int:
    """How many readings, as good as independent, are judged together with this one: a port scan, or a walk over the
    board.

    Contacts of one copper are off together and count as one; coppers that end on one chip hang together, and M of them
    with correlation r count as 1 + (M - 1) (1 - r²). D. R. Nyholt, A simple correction for multiple testing for
    single-nucleotide polymorphisms in linkage disequilibrium with each other, American Journal of Human Genetics 74,
    2004, equation 1, whose variance of eigenvalues is M r² for equal correlations.
    """
    if point.id not in board.port_points:
        return BOARD_COMPARISONS
    return max(1, round(1.0 + (board.port_coppers - 1) * (1.0 - SAME_CHIP ** 2)))


@lru_cache(maxsize=4096)
def tolerance(reference: PointReference, false_alarm_per_scan: float, comparisons: int) -> tuple[
        float, float]:
    """Lower and upper bound in the reading's own unit, for `comparisons` readings judged together."""
    if reference.centre == float("inf"):
        return (shown_value(float("inf"), reference.method),) * 2
    # SciPy's special functions take a quarter of a second to import, so the first judgement pays, not the start.
    from scipy.special import stdtrit

    single = 1.0 - (1.0 - false_alarm_per_scan) ** (1.0 / max(1, comparisons))
    reach = float(stdtrit(reference.freedom, 1.0 - single / 2.0)) * reference.spread
    low, high = (shown_value(max(0.0, from_scale(reference.centre + way, reference.method)), reference.method)
                 for way in (-reach, reach))
    return min(low, high), max(low, high)


@lru_cache(maxsize=16384)
def judge(value: float, reference: PointReference | None, false_alarm_per_scan: float = 0.05,
          comparisons: int = 24, wavering: bool = False, to_ground: bool = False) -> Judgement:
    """Judge a reading in volts, ohms or nanofarads (inf for OL) by its reference of the same method.

    to_ground: read against ground, so that few ohms are a short, and not a part of another value.
    """
    if reference is None:
        return NO_REFERENCE
    from scipy.special import stdtr

    low, high = tolerance(reference, false_alarm_per_scan, comparisons)
    method = reference.method
    compared = compared_value(value, method)
    is_open, good_is_open = compared == float("inf"), reference.centre == float("inf")
    centre = shown_value(reference.centre if good_is_open else from_scale(reference.centre, method), method)
    t = tail = float("nan")
    if good_is_open or is_open:
        verdict = Verdict.WITHIN if good_is_open and is_open else (
            Verdict.OPEN if is_open else _below(value, centre, method, to_ground))
    else:
        t = (to_scale(compared, method) - reference.centre) / reference.spread
        tail = 2.0 * float(stdtr(reference.freedom, -abs(t)))
        verdict = (Verdict.WITHIN if low <= value <= high
                   else Verdict.HIGH if value > high else _below(value, centre, method, to_ground))
    if method is Method.CAPACITANCE and value == float("inf"):
        verdict = Verdict.PARTIAL_SHORT  # what conducts between its ends keeps the meter from charging it
    if wavering:
        verdict = Verdict.WAVERING
    return Judgement(verdict, t, tail, low, high, centre, reference.boards, reference.origin)


def _below(value: float, centre: float, method: Method, to_ground: bool) -> Verdict:
    """The word for a reading under its tolerance; near-zero rails are told by their own known-good. Ohms to ground are
    called what diode mode would call the same fault: junctions drop no more than `JUNCTION_VOLTS` beside it."""
    if not method.is_diode:
        if not to_ground or method is Method.CAPACITANCE:
            return Verdict.LOW
        value, centre = value * METER_AMPS, min(centre * METER_AMPS, JUNCTION_VOLTS)
    if value <= min(NEAR_ZERO_VOLTS, 0.3 * centre):
        return Verdict.GROUNDED
    return Verdict.PARTIAL_SHORT if value < SHORT_SHARE * centre else Verdict.LOW
