"""For every point, the chance of each readable outcome under every hypothesis row.

An outcome is what a technician tells apart at a glance: near zero, low, as a good board, high, OL. Made once
per model.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from scipy.special import ndtr, stdtrit

from dextrum.core.assumptions.readings import COMPLIANCE_VOLTS, ELSE_SHARE
from dextrum.core.board import Method
from dextrum.core.diagnosis.expected import Expected, expected_at
from dextrum.core.diagnosis.hypotheses import NOTHING_ROW, SOMETHING_ELSE_ROW
from dextrum.core.diagnosis.likelihood import CONTACT_FAILURE, leaks_where_parted
from dextrum.core.diagnosis.model import DiagnosisModel
from dextrum.core.reference.judge import NEAR_ZERO_VOLTS
from dextrum.tongue import tr

AS_A_GOOD_BOARD = tr("as a good board")
OUTCOMES = (tr("near 0"), tr("low"), AS_A_GOOD_BOARD, tr("high"), "OL")
GOOD = OUTCOMES.index(AS_A_GOOD_BOARD)
BLUR = 0.01
"""Share of any outcome whatever the board: slips of the hand."""
OPEN_SCALED = 1e6
LEAST_TOLD_APART = 1e-6
"""Weight of a row below which it is not asked which points tell it from others."""


@dataclass(frozen=True)
class OutcomeTable:
    """chances: (P, 5, R). points: ids in the order of the first axis."""

    points: tuple[str, ...]
    chances: np.ndarray

    @cached_property
    def place(self) -> dict[str, int]:
        """Point id to its place on the first axis."""
        return {point: i for i, point in enumerate(self.points)}

    @cached_property
    def by_row(self) -> np.ndarray:
        """The same with all that one row says side by side in memory, (R, P, 5)."""
        return np.ascontiguousarray(self.chances.transpose(2, 0, 1))

    def spread(self, weight: np.ndarray) -> np.ndarray:
        """How much outcomes differ between rows of these weights at each point: their variances, added up, (P,)."""
        if not self.points:
            return np.zeros(0)
        live = np.flatnonzero(weight > LEAST_TOLD_APART)
        chances, weight = self.by_row.reshape(len(self.by_row), -1)[live], weight[live]
        mean = weight @ chances
        variance = weight @ np.square(chances, out=chances) - mean * mean
        return np.asarray(variance.reshape(len(self.points), -1).sum(axis=1))


def _edges(centre: float, spread: float, freedom: float, diode: bool) -> tuple[float, float, float, float]:
    """Bounds on the comparing scale: near zero | low | good | high | open."""
    top = COMPLIANCE_VOLTS if diode else 7.5
    if not np.isfinite(centre):
        return (NEAR_ZERO_VOLTS if diode else 0.7, top, top, top)
    reach = float(stdtrit(freedom, 0.999)) * spread
    near = min(NEAR_ZERO_VOLTS, 0.3 * centre) if diode else -1.0
    return (min(near, centre - reach), centre - reach, centre + reach, top)


def outcome_chances(model: DiagnosisModel, point: str) -> np.ndarray | None:
    """(5, R) for one point by its default method; None where nothing can be expected there."""
    method = model.board.point_by_id[point].default_method
    expected = expected_at(model, point, method)
    return None if expected is None else shares_of(expected, method)


def shares_of(expected: Expected, method: Method) -> np.ndarray:
    """(5, N) of N rows, those of 'nothing' and 'something else' first."""
    means = np.where(np.isinf(expected.means), OPEN_SCALED, expected.means)
    centre = float(expected.means[NOTHING_ROW])
    edges = _edges(centre, float(expected.spreads[NOTHING_ROW]), expected.freedom, method.is_diode)
    below = np.stack([ndtr((edge - means) / expected.spreads) for edge in edges])
    share = np.diff(np.vstack([np.zeros_like(means), below, np.ones_like(means)]), axis=0)
    share = np.maximum(share, 0.0)
    if np.isfinite(centre):
        # Whatever its size, a fault moves a point to one side of a good board (`held_to_side`).
        lowers, raises = means < centre, np.isfinite(expected.means) & (means > centre)
        share[GOOD] += np.where(lowers, share[GOOD + 1:].sum(axis=0), 0.0) + np.where(
            raises, share[:GOOD].sum(axis=0), 0.0)
        share[GOOD + 1:] *= ~lowers
        share[:GOOD] *= ~raises
    if expected.opens:
        # What a fault has opened may read a number all the same: high, mostly.
        leaks = leaks_where_parted(method) * np.isinf(expected.means)
        share[-2] += leaks * share[-1]
        share[-1] *= 1.0 - leaks
    share *= 1.0 - CONTACT_FAILURE
    share[-1] += CONTACT_FAILURE
    share = (1.0 - BLUR) * share + BLUR / len(OUTCOMES)
    share[:, SOMETHING_ELSE_ROW] = (1 - ELSE_SHARE) * share[:, NOTHING_ROW] + ELSE_SHARE / len(OUTCOMES)
    return np.asarray(share)


def build_outcome_table(model: DiagnosisModel) -> OutcomeTable:
    """Outcome chances of all points of the board."""
    points: list[str] = []
    rows: list[np.ndarray] = []
    for point in model.board.points:
        chances = outcome_chances(model, point.id)
        if chances is not None:
            points.append(point.id)
            rows.append(chances)
    stacked = np.stack(rows) if rows else np.zeros((0, len(OUTCOMES), model.hypotheses.count))
    # Single precision: chances are known to two digits, and the weighing runs through all of them each time.
    return OutcomeTable(tuple(points), stacked.astype(np.float32))
