"""How likely each observation is under every hypothesis row.

Readings: Student t round what the row predicts, mixed with contact failures (OL) and wrong points (anything);
OL itself is censored: above what the meter can drive.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import NamedTuple

import numpy as np
from scipy.special import stdtr

from dextrum.core.assumptions.looks import CLEAN_PORT, SEEN_AT_FAULT, SEEN_ELSEWHERE
from dextrum.core.assumptions.packs import (
    MOST_UNSURE,
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
    LEAK_VOLTS,
    ODD_FROM_VOLTS,
    ODD_VOLTS,
    OPEN_READS_NUMBER,
    PARTED_LEAKS,
)
from dextrum.core.assumptions.stated import as_stated
from dextrum.core.board import ComponentKind, Method
from dextrum.core.diagnosis.board_look import corroded_port
from dextrum.core.diagnosis.expected import Expected, again_spread, expected_apart, held_to_side
from dextrum.core.diagnosis.functions import symptom_chance
from dextrum.core.diagnosis.hypotheses import FIRST_FAULT_ROW, NOTHING_ROW, SOMETHING_ELSE_ROW
from dextrum.core.diagnosis.model import DiagnosisModel
from dextrum.core.diagnosis.shared_deviation import SharedDeviation, given_shared, rows_to_weigh
from dextrum.core.diagnosis.size_in_ohms import given_size
from dextrum.core.faults.registry import KINDS
from dextrum.core.log_student import log_student
from dextrum.core.reference.own_scale import USUAL_SLIPS
from dextrum.core.reference.table import to_scale
from dextrum.core.trail import Look

CONTACT_FAILURE = USUAL_SLIPS


class OnceRead(NamedTuple):
    """What a point read before a repair. taken: chance that a fault was there then which a repair has taken away since;
    by_taken: density of the value under such faults, times their chance."""

    value: float
    taken: float = 0.0
    by_taken: float = 0.0


ReadOnce = Mapping[tuple[str, Method], tuple[OnceRead, ...]]
"""By point and method, in the order of the epochs."""


def read_again(expected: Expected, method: Method, earlier: Sequence[float],
               once: Sequence[OnceRead] = ()) -> Expected:
    """The prediction at a point that was read before a repair already, as `earlier`. That the pack has it wrong is one
    thing, and is not held anew against each reading: what did not fit a good board then makes it likelier now. once:
    what it read before all that is weighed, where the board is weighed as a repair has left it. That reading stands in
    no other place, so that it speaks row by row: under one that did not explain it the pack is likelier wrong, unless
    what was taken away since explained it."""
    if not np.any(expected.unsure > 0.0):
        return expected
    for value, taken, by_taken in once:
        as_packed = np.exp(_if_as_packed(expected, method, value, 1, None, CONTACT_FAILURE))
        expected = _doubted(expected, method, value, (1.0 - taken) * as_packed + by_taken)
    for value in earlier:
        expected = _doubted(expected, method, value, _if_good(expected, method, value))
    return expected


def _doubted(expected: Expected, method: Method, value: float, otherwise: np.ndarray | float) -> Expected:
    """The prediction after a reading that has this density where the pack has the point right."""
    elsewhere = expected.unsure * _if_elsewhere(expected, method, value)
    return replace(expected, again=to_scale(value, method), unsure=np.minimum(
        elsewhere / (elsewhere + (1.0 - expected.unsure) * otherwise), MOST_UNSURE))


def reading_log_likelihood(model: DiagnosisModel, point: str, method: Method, value: float,
                           touches: int = 1, shared: SharedDeviation | None = None,
                           wider: float = 1.0, slips: float = CONTACT_FAILURE,
                           earlier: Sequence[float] = (), once: Sequence[OnceRead] = ()) -> np.ndarray | None:
    """ln density (or ln chance, for OL) of a reading under each row, shape (R,); None where unknown.

    touches: how often in a row the point has read the same; each makes a slip of the hand less likely.
    shared: what the same copper has read before. slips: how often a touch reads open by mistake. earlier: what the
    point read before repairs; once: before all that is weighed.
    """
    apart = expected_apart(model, point, method, wider)
    if apart is None:
        return None
    rows, place = rows_to_weigh(apart, shared)
    expected = apart.expected if shared is None else apart.of(rows)
    found = log_density(read_again(expected, method, earlier, once), method, value, touches,
                        None if shared is None else shared.of(rows), slips)[place]
    # Something else: mostly as a good board, else anything.
    other = _anything(value, method) if value != float("inf") else ELSE_OPEN
    found[SOMETHING_ELSE_ROW] = np.log((1 - ELSE_SHARE) * np.exp(found[NOTHING_ROW]) + ELSE_SHARE * other)
    return np.asarray(found)


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
            replace(expected, base=float(again_spread(expected, method))), method, value, expected.again)
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
    return float(np.exp(log_student(to_scale(value, method), centre, expected.base, expected.freedom)))


def _if_as_packed(expected: Expected, method: Method, value: float, touches: int, shared: SharedDeviation | None,
                  slips: float) -> np.ndarray:
    odd: np.ndarray | float = 0.0
    scaled = to_scale(value, method)
    expected, no_effect = held_to_side(expected, scaled, None if shared is None else shared.count == 0)
    if method.is_diode:
        # What the same copper has read before says already whether it is odd.
        anew = 1.0 if shared is None else shared.count == 0
        odd = np.where(np.isfinite(expected.means) & (expected.means >= ODD_FROM_VOLTS), expected.odd_part, 0.0) * anew
        if shared is not None:
            as_packed, expected = expected, given_shared(expected, shared)
    elif shared is not None:
        expected = given_size(expected, shared)
    broad = BROAD_VOLTS if method.is_diode else BROAD_LOG_OHMS
    failure, slip = slips ** touches, expected.wrong_point ** touches
    is_open = np.isinf(expected.means)
    means = np.where(is_open, 0.0, expected.means)
    if value == float("inf"):
        if method.is_diode:
            above = stdtr(expected.freedom, (means - COMPLIANCE_VOLTS) / expected.spreads)
        else:
            above = np.zeros_like(means)
        leaks = leaks_where_parted(method) if expected.opens else 0.0
        reads_open = 1.0 - OPEN_READS_NUMBER - leaks
        leaky = 0.0 if shared is None else _leaks_by(expected, shared, method)
        chance = np.where(is_open, (1.0 - leaky) * reads_open + leaky * failure, (1.0 - failure) * above + failure)
        return np.asarray(np.log(np.where(is_open, ELSE_OPEN, chance) if expected.unsaid else chance))
    usual = np.exp(log_student(scaled, means, expected.spreads, expected.freedom))
    if shared is not None and shared.carried is not None:  # what it was off by may have come off with a part
        gone = np.where(is_open, 0.0, shared.carried.gone)
        usual = (1.0 - gone) * usual + gone * np.exp(log_student(
            scaled, np.where(is_open, 0.0, as_packed.means), as_packed.spreads, expected.freedom))
    if method.is_diode:
        away = (scaled - means) / np.hypot(expected.spreads, ODD_VOLTS)
        usual = (1.0 - odd) * usual + odd * np.exp(-0.5 * away ** 2) / (
            np.hypot(expected.spreads, ODD_VOLTS) * np.sqrt(2.0 * np.pi))
    if expected.raised is not None:
        above = expected.centre + 2.0 * expected.base < scaled < expected.centre + RAISED_VOLTS
        usual = np.where(expected.raised, (1.0 - SHARES_GUESSED) * usual + SHARES_GUESSED * above / RAISED_VOLTS, usual)
    if no_effect is not None:
        usual = usual * np.exp(no_effect)
    parted = np.full(len(means), OPEN_READS_NUMBER ** touches * broad
                     + (_leaking(scaled, method) if expected.opens else 0.0))
    if shared is not None:
        leaky = _leaks_by(expected, shared, method)
        again = np.exp(log_student(scaled, np.where(leaky > 0.0, shared.leaked, 0.0), np.full(
            len(means), again_spread(expected, method)), expected.freedom))
        parted = (1.0 - leaky) * parted + leaky * ((1.0 - failure - slip) * again + slip * broad)
    density = np.where(is_open, parted, (1.0 - failure - slip) * usual + slip * broad)
    return np.asarray(np.log(np.where(is_open, _anything(value, method), density) if expected.unsaid else density))


def leaks_where_parted(method: Method) -> float:
    """Chance that what a fault has opened reads a number all the same. Where a capacitor is missing nothing leaks: what
    has a capacitance is one."""
    return 0.0 if method is Method.CAPACITANCE else PARTED_LEAKS[method.is_diode]


def _leaks_by(expected: Expected, shared: SharedDeviation, method: Method) -> np.ndarray:
    """Chance that what should read OL leaks, by the number that its copper has read, (N,); 0 where it has read none."""
    if not expected.opens:
        return np.zeros(len(shared.leaked))
    low, high = LEAK_VOLTS if method.is_diode else LEAK_LOG_OHMS
    leak = leaks_where_parted(method) / (high - low)
    broad = OPEN_READS_NUMBER * (BROAD_VOLTS if method.is_diode else BROAD_LOG_OHMS)
    return np.where((shared.leaked >= low) & (shared.leaked <= high), leak / (leak + broad), 0.0)


def _leaking(scaled: float, method: Method) -> float:
    """Density of a number read across, or beyond, what a fault has opened."""
    low, high = LEAK_VOLTS if method.is_diode else LEAK_LOG_OHMS
    return leaks_where_parted(method) / (high - low) if low <= scaled <= high else 0.0


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
