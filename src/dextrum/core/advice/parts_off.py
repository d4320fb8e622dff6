"""What a point would read with parts off the board, and how surely that tells whether the short is gone."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.special import ndtr

from dextrum.core.advice.advice_model import AdviceModel, Apart
from dextrum.core.advice.outcomes import BLUR
from dextrum.core.advice.weighing import Weighing
from dextrum.core.assumptions.readings import COMPLIANCE_VOLTS, OL_OHMS, SAME_OHMS, UNCHANGED_VOLTS
from dextrum.core.board import Method
from dextrum.core.circuit.isolation import Isolated
from dextrum.core.diagnosis.carried_over import carried_over
from dextrum.core.diagnosis.evidence import prediction_sizes, sizes_of
from dextrum.core.diagnosis.expected import Expected, expected_at, expected_of
from dextrum.core.diagnosis.hypotheses import FIRST_FAULT_ROW, NOTHING_ROW, SOMETHING_ELSE_ROW
from dextrum.core.diagnosis.joint_predictions import unchanged
from dextrum.core.diagnosis.likelihood import CONTACT_FAILURE
from dextrum.core.diagnosis.own_deviation import share_of_junctions
from dextrum.core.diagnosis.shared_deviation import SharedDeviation, given_shared, with_reading
from dextrum.core.entries.draft import StandingReading
from dextrum.core.job import JobFacts

LEAST_ROW = 1e-4
"""Weight of a fault from which what it would read with a part off is solved."""
OPEN_VOLTS = 2.0 * COMPLIANCE_VOLTS


def standing_reading(facts: JobFacts, point: str,
                     method: Method = Method.DIODE_RED_GROUND) -> StandingReading | None:
    """What a point reads with what is off now; while nothing is, what it reads since the last repair."""
    return facts.reading_apart(point, method.value) if facts.isolated else facts.reading(point, method.value)


@dataclass(frozen=True)
class WithPartsOff:
    """What a point reads with parts off, of the rows that were asked for, all others as a board without a fault.
    values: (R,) volts, inf for OL; expected: of every row on the comparing scale; sizes: (R,), how far each moves
    it."""

    values: np.ndarray
    expected: Expected
    sizes: np.ndarray


def expected_while_isolated(advice: AdviceModel, isolated: Isolated, point: str,
                            rows: np.ndarray) -> WithPartsOff | None:
    """At a point with parts off, solved for the rows (N,) that weigh, and remembered."""
    model, method = advice.model, Method.DIODE_RED_GROUND
    whole = expected_at(model, point, method)
    if whole is None:
        return None
    view = model.isolating(isolated)
    if view is model:
        return WithPartsOff(model.red_ground.values[:, model.red_ground.column[point]], whole,
                            prediction_sizes(model, point, method))
    known = advice.memory.apart.get((view.isolated, point))
    if known is None:
        count = model.hypotheses.count
        values, means, spreads, sizes = np.zeros((4, count))
        known = advice.memory.apart.keep((view.isolated, point), Apart(
            np.zeros(count, dtype=bool), values, means, spreads, sizes, whole.freedom))
    missing = rows[~known.solved[rows]]
    if len(missing) or not known.solved[NOTHING_ROW]:
        missing = missing[missing >= FIRST_FAULT_ROW]
        predicted = view.predicted_of(point, method, frozenset(missing.tolist()))
        assert predicted is not None
        every = np.concatenate([[NOTHING_ROW, SOMETHING_ELSE_ROW], missing])
        expected = expected_of(view, point, method, predicted.values[every], predicted.touched[every],
                               float(predicted.values[NOTHING_ROW]))
        for numbers, found in ((known.values, predicted.values[every]), (known.means, expected.means),
                               (known.spreads, expected.spreads),
                               (known.sizes, sizes_of(expected, predicted.touched[every]))):
            if not known.solved[NOTHING_ROW]:
                numbers[:] = found[0]
            numbers[every] = found
        known.solved[every] = True
    # What was solved for another trail must not count in this one: the same trail gives the same answer.
    asked = np.zeros(len(known.solved), dtype=bool)
    asked[[NOTHING_ROW, SOMETHING_ELSE_ROW]] = asked[rows] = True
    values, means, spreads = (np.where(asked, numbers, numbers[NOTHING_ROW])
                              for numbers in (known.values, known.means, known.spreads))
    return WithPartsOff(values, Expected(means, spreads, known.freedom), np.where(asked, known.sizes, 0.0))


def gone_chances(weighing: Weighing, part: str, point: str) -> tuple[np.ndarray, np.ndarray] | None:
    """With a part taken off as well: the chance of each row (R,) that a point reads nearer to a good board than to what
    the shorts that stay would make it read, and how far each row moves it, (R,). None where none would stay.

    A row that reads the same with the part off as with it on reads what was read, but for the touch: that is how a leak
    that moves a reading by little more than boards differ is found among ten parts. Where the part carries current,
    what the copper is off by stays with the parts that stay, or comes off with this one.
    """
    advice, facts = weighing.advice, weighing.facts
    if not weighing.board.point_by_id[point].default_method.is_diode:
        return _gone_by_ohms(weighing, part, point)
    rows = np.flatnonzero(weighing.row_weight > LEAST_ROW)
    now = expected_while_isolated(advice, facts.isolated, point, rows)
    off = expected_while_isolated(advice, facts.isolated | {part}, point, rows)
    reading = standing_reading(facts, point)
    if now is None or off is None or reading is None:
        return None
    unknown = SharedDeviation.unknown(len(now.values))
    told = with_reading(now.expected, unknown, reading.value)
    own = unknown.plus(told, unchanged(now.values, off.values))
    before = [seen.value for (_, name, method, isolated), seen in (facts.apart or {}).items() if name == point
              and method == Method.DIODE_RED_GROUND.value and isolated == facts.isolated | {part}]
    if before:  # before a repair: what it read then it reads now, if the repair was none
        own = with_reading(off.expected, own, before[-1])
    whole = float(now.expected.means[NOTHING_ROW]), float(off.expected.means[NOTHING_ROW])
    shared = own.or_else(carried_over(
        reading.value, told.count > 0, now.expected.means, off.expected.means, whole, lambda: share_of_junctions(
            advice.model.isolating(facts.isolated), advice.model.isolating(facts.isolated | {part}), point)))
    expected = given_shared(off.expected, shared)
    good = float(off.expected.means[NOTHING_ROW])
    stays = np.where(expected.means < good - UNCHANGED_VOLTS, weighing.row_weight, 0.0)
    if stays.sum() <= LEAST_ROW:
        return None
    still = float(stays @ np.where(stays > 0.0, expected.means, 0.0) / stays.sum())
    middle = (min(good, COMPLIANCE_VOLTS) + still) / 2.0
    means = np.where(np.isinf(expected.means), OPEN_VOLTS, expected.means)
    above = ndtr((means - middle) / expected.spreads)
    if shared.carried is not None:
        came_off = shared.carried.gone
        above = (1.0 - came_off) * above + came_off * ndtr((np.where(np.isinf(
            off.expected.means), OPEN_VOLTS, off.expected.means) - middle) / off.expected.spreads)
    gone = CONTACT_FAILURE + (1.0 - CONTACT_FAILURE) * above
    gone = (1.0 - BLUR) * gone + BLUR / 2.0
    gone[SOMETHING_ELSE_ROW] = 0.5
    return gone, off.sizes


def _gone_by_ohms(weighing: Weighing, part: str, point: str) -> tuple[np.ndarray, np.ndarray] | None:
    """The same in ohms to ground, which tell a leak of kilohms from none at all, whatever was read there before: it is
    gone, or it is there."""
    advice, facts, method = weighing.advice, weighing.facts, Method.RESISTANCE
    rows = np.flatnonzero(weighing.row_weight > LEAST_ROW)
    predicted = advice.model.isolating(facts.isolated | {part}).predicted_of(point, method, frozenset(rows.tolist()))
    if predicted is None:
        return None
    good = predicted.values[NOTHING_ROW]
    stays = predicted.values < good * (1.0 - SAME_OHMS)
    if float(weighing.row_weight[stays].sum()) <= LEAST_ROW:
        return None
    gone = np.where(stays, CONTACT_FAILURE, 1.0)
    gone = (1.0 - BLUR) * gone + BLUR / 2.0
    gone[SOMETHING_ELSE_ROW] = 0.5
    open_ohms = np.where(np.isinf(predicted.values), OL_OHMS, predicted.values)
    return gone, np.where(predicted.touched, np.abs(np.log10(open_ohms / min(good, OL_OHMS))), 0.0)
