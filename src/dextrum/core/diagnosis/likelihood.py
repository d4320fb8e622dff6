"""How likely each observation is under every hypothesis row.

Readings: Student t round what the row predicts, mixed with contact failures (OL) and wrong points (anything);
OL itself is censored: above what the meter can drive.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from scipy.special import gammaln, stdtr

from dextrum.core.assumptions.looks import CLEAN_PORT, SEEN_AT_FAULT, SEEN_ELSEWHERE
from dextrum.core.assumptions.packs import (
    MOST_UNSURE,
    OPEN_ON_ONE,
    POINT_SURE,
    RAISED_VOLTS,
    SEEN_AGAIN_OFF,
    SEEN_ELSEWHERE_OFF,
    SHARES_GUESSED,
)
from dextrum.core.assumptions.readings import (
    BROAD_LOG_OHMS,
    BROAD_VOLTS,
    COMPLIANCE_VOLTS,
    ELSE_GROUND,
    ELSE_GROUND_VOLTS,
    ELSE_OPEN,
    ELSE_SHARE,
    LEAK_LOG_OHMS,
    LEAK_SIZE_SHARE,
    LEAK_VOLTS,
    LEAST_LEVEL_VOLTS,
    MODEL_SHARE,
    MODEL_VOLTS,
    ODD_FROM_VOLTS,
    ODD_PART,
    ODD_VOLTS,
    OPEN_READS_NUMBER,
    PARTED_LEAKS,
    SHARED_SHARE,
    SHORT_OHMS_SHARE,
    SHORT_VOLTS,
    TOUCH_VOLTS,
    UNREFERENCED_LOG_OHMS,
    UNREFERENCED_VOLTS,
    WRONG_POINT,
)
from dextrum.core.assumptions.stated import as_stated
from dextrum.core.board import Board, ComponentKind, Method
from dextrum.core.diagnosis.board_look import corroded_port
from dextrum.core.diagnosis.functions import symptom_chance
from dextrum.core.diagnosis.hypotheses import FIRST_FAULT_ROW, NOTHING_ROW, SOMETHING_ELSE_ROW
from dextrum.core.diagnosis.model import DiagnosisModel
from dextrum.core.faults.registry import KINDS
from dextrum.core.reference.judge import SHORT_SHARE
from dextrum.core.reference.own_scale import USUAL_SLIPS
from dextrum.core.reference.table import to_scale
from dextrum.core.trail import Look

CONTACT_FAILURE = USUAL_SLIPS


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
    """What a good board reads there, and its spread."""
    unsaid: bool = False
    """Whether neither a good board nor the pack says what is read there: then a row that predicts OL predicts nothing,
    and only what a short would read tells."""
    raised: np.ndarray | None = None
    """Rows that leave less on the line than a good board has, by shares that are only guessed, (R,); None where what
    each junction carries is known."""
    again: float = np.nan
    """What the point read before the last repair, on the comparing scale: it does so still if the pack has it wrong."""
    odd_part: float | np.ndarray = ODD_PART
    wrong_point: float = WRONG_POINT
    """Chances that a junction there is another maker's, and that a reading is of another point, on this board."""


@dataclass(frozen=True)
class SharedDeviation:
    """How far one piece of copper has read from each row's prediction so far.

    total: sums of deviations as shares of the prediction, (R,), so that what a short pulls down does not move with what
    a fuse has cut off from it; count: how many readings each row has learned from, (R,).
    """

    total: np.ndarray
    count: np.ndarray


def given_shared(expected: Expected, shared: SharedDeviation) -> Expected:
    """The prediction for one more point on copper that has been read already.

    A normal random effect common to the copper: its posterior mean given the earlier readings shifts the
    prediction, and what is left of its variance narrows it. Rows that predict OL stay as they are.
    """
    common = SHARED_SHARE * expected.spreads ** 2
    touch = (1.0 - SHARED_SHARE) * expected.spreads ** 2 + TOUCH_VOLTS ** 2
    count = np.maximum(shared.count, 1.0)
    gain = np.where(shared.count > 0, common / (common + touch / count), 0.0)
    shift = gain * shared.total / count * _level(expected)
    return replace(expected, means=expected.means + shift, spreads=np.sqrt(common * (1.0 - gain) + touch))


def _level(expected: Expected) -> np.ndarray:
    return np.maximum(np.where(np.isfinite(expected.means), expected.means, 1.0), LEAST_LEVEL_VOLTS)


def with_reading(expected: Expected, shared: SharedDeviation, scaled: float,
                 same: np.ndarray | None = None) -> SharedDeviation:
    """The deviation with one more reading; where it is an outlier for a row, that row learns nothing from it.

    same: which rows read the same there then and now, (R,), where something was mended between; the others learn
    nothing.
    """
    away = np.subtract(scaled, expected.means, out=np.zeros(expected.means.shape), where=np.isfinite(expected.means))
    odd = np.where(expected.means >= ODD_FROM_VOLTS, 3.0 * ODD_VOLTS, 0.0)
    learned = np.isfinite(expected.means) & (np.abs(away) < np.maximum(5.0 * expected.spreads, odd))
    if same is not None:
        learned &= same
    return SharedDeviation(shared.total + np.where(learned, away / _level(expected), 0.0), shared.count + learned)


def expected_at(model: DiagnosisModel, point: str, method: Method, wider: float = 1.0) -> Expected | None:
    """Of every row, (R,); None where the pack has no such point or doesn't know its net, or the method can't be used
    there."""
    if point in model.board.unknown_points:
        return None
    predicted = model.predicted_at(point, method)
    if predicted is None or np.isnan(predicted.values[NOTHING_ROW]):
        return None
    return expected_of(model, point, method, predicted.values, predicted.touched, wider)


def expected_of(model: DiagnosisModel, point: str, method: Method, values: np.ndarray, touched: np.ndarray,
                wider: float = 1.0) -> Expected:
    """Of N boards that would read `values` (N,) there, by the circuit; touched: where a fault has part in it (N,).

    wider: by how much this board scatters more than others do.
    """
    predictions = (model.whole or model).predictions(method)
    healthy = float(predictions.values[NOTHING_ROW, predictions.column[point]])
    if model.whole is not None and model.moved_at(point, method):
        # With a part off the board, no known-good reading says what the point reads; the circuit does.
        touched = np.ones_like(touched)
    reference = model.references.get(point, method if method.is_diode else Method.RESISTANCE)
    if method.is_diode:
        scaled = values.copy()
        base, freedom = UNREFERENCED_VOLTS, 4.0
    else:
        with np.errstate(invalid="ignore"):
            scaled = np.log10(values + 0.3)
        base, freedom = UNREFERENCED_LOG_OHMS, 4.0
    if reference is not None:
        base, freedom = max(reference.spread, 1e-4) * wider, reference.freedom
        if np.isinf(reference.centre):
            scaled = np.where(touched & np.isfinite(scaled), scaled, np.inf)
            base = UNREFERENCED_VOLTS if method.is_diode else UNREFERENCED_LOG_OHMS
        elif method.is_diode and np.isfinite(healthy) and healthy > 0:
            # Open stays open, also beside a known-good zero.
            moved = np.where(np.isfinite(values), values, 0.0) * (reference.centre / healthy)
            scaled = np.where(touched, np.where(np.isfinite(values), moved, np.inf), reference.centre)
        else:
            scaled = np.where(touched, scaled, reference.centre)
    centre = _healthy_scaled(reference.centre if reference is not None else None, healthy, method)
    away = np.abs(np.where(np.isfinite(scaled), scaled, 0.0) - (centre if np.isfinite(centre) else 0.0))
    spreads = np.where(touched, np.hypot(base, MODEL_SHARE * away + MODEL_VOLTS), base)
    if method.is_diode and np.isfinite(centre):
        lowered = touched & (scaled < centre) & (away > MODEL_VOLTS)
        spreads = np.where(lowered, np.hypot(base, LEAK_SIZE_SHARE * away + MODEL_VOLTS), spreads)
        pulled_down = touched & (scaled < SHORT_SHARE * centre)
        spreads = np.where(pulled_down, SHORT_OHMS_SHARE * scaled + SHORT_VOLTS, spreads)
    raised = touched & np.isfinite(scaled) & (scaled > centre + MODEL_VOLTS) \
        if model.board.shares_are_guessed and method.is_diode and np.isfinite(centre) else None
    unsaid = reference is None and method.is_diode and model.whole is None and not np.isfinite(healthy)
    sure = _sure_of_place(model.board, point)
    if reference is not None and np.isinf(reference.centre):
        sure *= 1.0 - OPEN_ON_ONE ** max(reference.boards, 1)
    unsure = 1.0 - sure
    return Expected(scaled, spreads, freedom, bool(np.isfinite(centre)), unsure, centre, base, unsaid, raised,
                    odd_part=as_stated(model.board, "odd_part"), wrong_point=as_stated(model.board, "wrong_point"))


def of_these(expected: Expected, places: np.ndarray) -> Expected:
    """The prediction of some of its boards only."""
    return replace(expected, means=expected.means[places], spreads=expected.spreads[places],
                   unsure=expected.unsure[places] if isinstance(expected.unsure, np.ndarray) else expected.unsure,
                   raised=None if expected.raised is None else expected.raised[places])


def read_again(expected: Expected, method: Method, earlier: Sequence[float], once: Sequence[float] = ()) -> Expected:
    """The prediction at a point that was read before a repair already, as `earlier`. That the pack has it wrong is one
    thing, and is not held anew against each reading: what did not fit a good board then makes it likelier now. once:
    what it read before all that is weighed, where the board is weighed as a repair has left it. That reading stands in
    no other place, so that it speaks row by row: under one that did not explain it the pack is likelier wrong."""
    if not np.any(expected.unsure > 0.0):
        return expected
    for value in once:
        as_packed = np.exp(_if_as_packed(expected, method, value, 1, None, CONTACT_FAILURE))
        expected = _doubted(expected, method, value, as_packed)
    for value in earlier:
        expected = _doubted(expected, method, value, _if_good(expected, method, value))
    return expected


def _doubted(expected: Expected, method: Method, value: float, otherwise: np.ndarray | float) -> Expected:
    """The prediction after a reading that has this density where the pack has the point right."""
    elsewhere = expected.unsure * _if_elsewhere(expected, method, value)
    return replace(expected, again=to_scale(value, method), unsure=np.minimum(
        elsewhere / (elsewhere + (1.0 - expected.unsure) * otherwise), MOST_UNSURE))


def _sure_of_place(board: Board, point: str) -> float:
    """Chance that a point is on the net that the pack says."""
    usual = 1.0 if point in board.port_points else POINT_SURE
    return board.sureness.get(board.point_by_id[point].at, usual)


def _healthy_scaled(known: float | None, healthy: float, method: Method) -> float:
    """A good board's reading on the comparing scale, by known-good or else by the circuit."""
    if known is not None:
        return known
    return healthy if method.is_diode or not np.isfinite(healthy) else float(np.log10(healthy + 0.3))


def _log_t(value: float, means: np.ndarray, spreads: np.ndarray, freedom: float) -> np.ndarray:
    z = (value - means) / spreads
    constant = (gammaln((freedom + 1) / 2) - gammaln(freedom / 2)
                - 0.5 * np.log(freedom * np.pi))
    return np.asarray(constant - np.log(spreads) - (freedom + 1) / 2 * np.log1p(z * z / freedom))


def reading_log_likelihood(model: DiagnosisModel, point: str, method: Method, value: float,
                           touches: int = 1, shared: SharedDeviation | None = None,
                           wider: float = 1.0, slips: float = CONTACT_FAILURE,
                           earlier: Sequence[float] = (), once: Sequence[float] = ()) -> np.ndarray | None:
    """ln density (or ln chance, for OL) of a reading under each row, shape (R,); None where unknown.

    touches: how often in a row the point has read the same; each makes a slip of the hand less likely.
    shared: what the same copper has read before. slips: how often a touch reads open by mistake. earlier: what the
    point read before repairs; once: before all that is weighed.
    """
    expected = expected_at(model, point, method, wider)
    if expected is None:
        return None
    found = log_density(read_again(expected, method, earlier, once), method, value, touches, shared, slips)
    # Something else: mostly as a good board, else anything.
    other = _anything(value, method) if value != float("inf") else ELSE_OPEN
    found[SOMETHING_ELSE_ROW] = np.log((1 - ELSE_SHARE) * np.exp(found[NOTHING_ROW]) + ELSE_SHARE * other)
    return found


def log_density(expected: Expected, method: Method, value: float, touches: int = 1,
                shared: SharedDeviation | None = None, slips: float = CONTACT_FAILURE) -> np.ndarray:
    """ln density (or ln chance, for OL) of a reading under each of N predictions, (N,). Where the pack may have the
    point on a wrong net, or it was open on too few good boards, that competes with every prediction, however often the
    point is touched."""
    found = _if_as_packed(expected, method, value, touches, shared, slips)
    if not np.any(expected.unsure > 0.0):
        return found
    return np.asarray(np.logaddexp(np.log1p(-expected.unsure) + found,
                                   np.log(expected.unsure * _if_elsewhere(expected, method, value))))


def _if_elsewhere(expected: Expected, method: Method, value: float) -> float:
    """Density (or chance, for OL) of a reading at a point that is on another net than the pack says: as on a good
    board, or anything."""
    anything = ELSE_OPEN if value == float("inf") else _anything(value, method)
    if not np.isnan(expected.again):
        alike = float(value == expected.again) if np.isinf(expected.again) or value == float("inf") else _near(
            expected, method, value, expected.again)
        return (1.0 - SEEN_AGAIN_OFF) * alike + SEEN_AGAIN_OFF * anything
    return (1.0 - SEEN_ELSEWHERE_OFF) * _if_good(expected, method, value) + SEEN_ELSEWHERE_OFF * anything


def _if_good(expected: Expected, method: Method, value: float) -> float:
    """Density (or chance, for OL) of a reading on a good board."""
    is_open = value == float("inf")
    if not np.isfinite(expected.centre):
        return 1.0 - OPEN_READS_NUMBER if is_open else OPEN_READS_NUMBER * (
            BROAD_VOLTS if method.is_diode else BROAD_LOG_OHMS)
    return CONTACT_FAILURE if is_open else _near(expected, method, value, expected.centre)


def _near(expected: Expected, method: Method, value: float, centre: float) -> float:
    """Density of a number read at a point that reads `centre` on the comparing scale."""
    return float(np.exp(_log_t(to_scale(value, method), np.array(centre), np.array(expected.base), expected.freedom)))


def _if_as_packed(expected: Expected, method: Method, value: float, touches: int, shared: SharedDeviation | None,
                  slips: float) -> np.ndarray:
    odd: np.ndarray | float = 0.0
    if method.is_diode:
        # What the same copper has read before says already whether it is odd.
        anew = 1.0 if shared is None else shared.count == 0
        odd = np.where(np.isfinite(expected.means) & (expected.means >= ODD_FROM_VOLTS), expected.odd_part, 0.0) * anew
        if shared is not None:
            expected = given_shared(expected, shared)
    broad = BROAD_VOLTS if method.is_diode else BROAD_LOG_OHMS
    failure, slip = slips ** touches, expected.wrong_point ** touches
    is_open = np.isinf(expected.means)
    means = np.where(is_open, 0.0, expected.means)
    if value == float("inf"):
        if method.is_diode:
            above = stdtr(expected.freedom, (means - COMPLIANCE_VOLTS) / expected.spreads)
        else:
            above = np.zeros_like(means)
        leaks = PARTED_LEAKS[method.is_diode] if expected.opens else 0.0
        chance = np.where(is_open, 1.0 - OPEN_READS_NUMBER - leaks,
                          (1.0 - failure) * above + failure)
        return np.asarray(np.log(np.where(is_open, ELSE_OPEN, chance) if expected.unsaid else chance))
    scaled = to_scale(value, method)
    usual = np.exp(_log_t(scaled, means, expected.spreads, expected.freedom))
    if method.is_diode:
        away = (scaled - means) / np.hypot(expected.spreads, ODD_VOLTS)
        usual = (1.0 - odd) * usual + odd * np.exp(-0.5 * away ** 2) / (
            np.hypot(expected.spreads, ODD_VOLTS) * np.sqrt(2.0 * np.pi))
    if expected.raised is not None:
        above = expected.centre + 2.0 * expected.base < scaled < expected.centre + RAISED_VOLTS
        usual = np.where(expected.raised, (1.0 - SHARES_GUESSED) * usual + SHARES_GUESSED * above / RAISED_VOLTS, usual)
    density = np.where(is_open, OPEN_READS_NUMBER * broad + (_leaking(scaled, method) if expected.opens else 0.0),
                       (1.0 - failure - slip) * usual + slip * broad)
    return np.asarray(np.log(np.where(is_open, _anything(value, method), density) if expected.unsaid else density))


def _leaking(scaled: float, method: Method) -> float:
    """Density of a number read across, or beyond, what a fault has opened."""
    low, high = LEAK_VOLTS if method.is_diode else LEAK_LOG_OHMS
    return PARTED_LEAKS[method.is_diode] / (high - low) if low <= scaled <= high else 0.0


def _anything(value: float, method: Method) -> float:
    """Density of a reading that nothing in the pack explains: anywhere, or, often, near ground."""
    if not method.is_diode:
        return (1 - ELSE_OPEN) * BROAD_LOG_OHMS
    near_ground = float(np.exp(-value / ELSE_GROUND_VOLTS)) / ELSE_GROUND_VOLTS
    return ELSE_GROUND * near_ground + (1 - ELSE_OPEN - ELSE_GROUND) * BROAD_VOLTS


def symptom_log_likelihood(model: DiagnosisModel, symptom: str, present: bool, flat: float = 0.0,
                           broken: np.ndarray | None = None) -> np.ndarray:
    """ln chance of a symptom under each row, (R,). flat: chance that the cell was flat when it was seen.

    broken: (N, functions) of other sets of faults than the rows, where given; so for the functions below.
    """
    broken = model.broken if broken is None else broken
    chance = np.clip(symptom_chance(model.board, broken, symptom, flat), 1e-3, 1 - 1e-3)
    return np.asarray(np.log(chance if present else 1.0 - chance))


def swap_log_likelihood(model: DiagnosisModel, symptom: str, gone: bool,
                        broken: np.ndarray | None = None) -> np.ndarray | None:
    """ln chance of a symptom having gone, or not, with a known-good thing in place of what came with the unit, under
    each row, (R,): what is left of it is the unit's own. None for a symptom that the pack doesn't know."""
    found = model.board.symptom_by_id.get(symptom)
    if found is None:
        return None
    broken = model.broken if broken is None else broken
    slips = as_stated(model.board, "swap_slips")
    silent = np.full(len(broken), 1.0 - slips)
    for name, weight in found.weights.items():
        silent *= 1.0 - weight * broken[:, model.board.function_order[name]]
    silent = np.maximum(silent, slips)
    return np.asarray(np.log(silent if gone else 1.0 - silent))


def check_chances(model: DiagnosisModel, check: str, broken: np.ndarray | None = None,
                  touches: int = 1) -> np.ndarray | None:
    """Chance that a proof check passes under each row, shape (R,); None where it tests no function. touches: how often
    in a row it has come out so; each makes a slip less likely."""
    found = next((c for c in model.board.checks if c.id == check), None)
    if found is None or not found.functions:
        return None
    works = all_work(model, found.functions, broken)
    slips = as_stated(model.board, "check_slips") ** touches
    return np.asarray(slips + (1.0 - 2.0 * slips) * works)


def all_work(model: DiagnosisModel, functions: Sequence[str], broken: np.ndarray | None = None) -> np.ndarray:
    """Chance that every one of these functions works under each row, (R,)."""
    column = model.board.function_order
    broken = model.broken if broken is None else broken
    works = np.ones(len(broken))
    for name in functions:
        works = works * (1.0 - broken[:, column[name]])
    return works


def rail_chances(model: DiagnosisModel, rail: str, orientation: str, broken: np.ndarray | None = None,
                 touches: int = 1) -> np.ndarray | None:
    """Chance that a rail reads up with power at the port, plug this way up, under each row, (R,); None where the pack
    doesn't know the rail. touches: how often in a row it has read so; each makes a slip less likely."""
    found = next((c for c in model.board.rail_checks if c.id == rail), None)
    if found is None:
        return None
    works = all_work(model, [name.replace("{o}", orientation) for name in found.functions], broken)
    slips = as_stated(model.board, "rail_slips") ** touches
    return np.asarray(slips + (1.0 - 2.0 * slips) * works)


def rail_log_likelihood(model: DiagnosisModel, rail: str, volts: float, orientation: str,
                        broken: np.ndarray | None = None, touches: int = 1) -> np.ndarray | None:
    """ln chance of a rail being as it was measured, up or not, under each row, (R,)."""
    chances = rail_chances(model, rail, orientation, broken, touches)
    if chances is None:
        return None
    least = next(c.least_volts for c in model.board.rail_checks if c.id == rail)
    return np.asarray(np.log(chances if volts >= least else 1.0 - chances))


def check_log_likelihood(model: DiagnosisModel, check: str, passed: bool, broken: np.ndarray | None = None,
                         touches: int = 1, hidden: float = 0.0) -> np.ndarray | None:
    """ln chance of a check's outcome under each row, (R,); None where it tests no function. hidden: of a fault that
    comes and goes, the chance that one try does not show it; 0 of one that is always there."""
    chances = check_chances(model, check, broken, touches)
    if chances is None or not hidden:
        return None if chances is None else np.asarray(np.log(chances if passed else 1.0 - chances))
    slips = as_stated(model.board, "check_slips") ** touches
    works = (chances - slips) / (1.0 - 2.0 * slips)
    if passed:
        return np.asarray(np.log((1.0 - slips) * works + max(hidden ** touches, slips) * (1.0 - works)))
    return np.asarray(np.log(slips * works + max(1.0 - hidden, slips) * (1.0 - works)))


def look_parts(model: DiagnosisModel, look: Look) -> tuple[np.ndarray, np.ndarray]:
    """ln chance of what was seen in the port under each row, (R,), and of it the parts that any one fault in the port
    explains, (S, R): damage, dirt, looseness. What those say counts once however many faults show them."""
    hypotheses = model.hypotheses
    port = np.zeros(hypotheses.count, dtype=bool)
    clean = np.full(hypotheses.count, CLEAN_PORT)
    damaged, touching, loose = (np.zeros(hypotheses.count, dtype=bool) for _ in range(3))
    for row in range(FIRST_FAULT_ROW, hypotheses.count):
        fault = hypotheses.faults[int(hypotheses.fault_of_row[row])]
        part = model.board.component_by_designator.get(fault.part)
        if part is None or part.kind is not ComponentKind.RECEPTACLE:
            continue
        port[row] = True
        clean[row] = KINDS[fault.kind].clean_port
        damaged[row] = not look.contacts or bool(set(look.contacts) & set(fault.terminals))
        touching[row] = KINDS[fault.kind].dirt_hides
        loose[row] = KINDS[fault.kind].loosens
    # Damage that means nothing may be at any contact: seen at this one it speaks so much more for a fault there.
    places = sum(len(one.contacts) for one in model.board.ports) if look.contacts else 1
    total = np.zeros(hypotheses.count)
    shared: list[np.ndarray] = []
    if "clean" in look.findings:
        total += np.log(clean)
    for seen, where, at_fault, elsewhere in (
            (any(f in ("bent", "crossed", "missing", "burnt") for f in look.findings), damaged, SEEN_AT_FAULT,
             SEEN_ELSEWHERE / max(places, 1)), ("dirt" in look.findings, touching, 0.35, 0.2),
            ("loose" in look.findings or "anchors" in look.findings, loose, 0.3, 0.04)):
        if seen:
            total += np.log(elsewhere)
            shared.append(np.where(where, np.log(at_fault / elsewhere), 0.0))
            total += shared[-1]
    corroded = corroded_port(model, look)
    if corroded is not None:
        shared.append(corroded)
        total += corroded
    return total, np.stack(shared) if shared else np.zeros((0, hypotheses.count))


def look_log_likelihood(model: DiagnosisModel, look: Look) -> np.ndarray:
    """ln chance of what was seen in the port under each row, shape (R,)."""
    return look_parts(model, look)[0]
