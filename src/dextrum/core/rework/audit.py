"""The audit by measuring: the few readings that best tell what heat has done to what lies round a repair.

Each fault that a repair may have made has its chance, and each point its chance of reading off under that fault
(`advice.outcomes`). Points are chosen one by one, each time the one that would catch most of what the points before it
leave hidden (greedy maximum coverage: G. L. Nemhauser, L. A. Wolsey and M. L. Fisher, Mathematical Programming 14,
1978, at least 63 % of the best choice of as many), until they catch nearly all that any reading can show. What no
reading shows is looked for by eye, and named.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np

from dextrum.core.advice.outcomes import AS_A_GOOD_BOARD, OUTCOMES, OutcomeTable
from dextrum.core.advice.rates import ShopRates
from dextrum.core.assumptions.auditing import AUDIT_COVER, AUDIT_LEAST, SHOWN_FROM
from dextrum.core.board import Fault
from dextrum.core.circuit.capacitance import shown_value
from dextrum.core.diagnosis.after_repair import chances_made
from dextrum.core.diagnosis.hypotheses import NOTHING_ROW
from dextrum.core.diagnosis.model import DiagnosisModel

GOOD = OUTCOMES.index(AS_A_GOOD_BOARD)

USUAL_RATES = ShopRates()


@dataclass(frozen=True)
class ShownBy:
    """One way in which a part may have been hurt, and how a point that is read would show it. words: of the fault;
    reads: volts, ohms or nanofarads there, inf for OL; good: on a good board."""

    words: str
    point: str
    reads: float
    good: float


@dataclass(frozen=True)
class PartToAudit:
    """A part near the heat. chance: that it was hurt. shown: by the points of this audit. by_eye: ways that none of
    them shows, in words."""

    part: str
    chance: float
    shown: tuple[ShownBy, ...]
    by_eye: tuple[str, ...]


@dataclass(frozen=True)
class AuditWalk:
    """part: that was heated. points: still to be read, in the order of the board. parts: round it, likeliest hurt
    first. seen: share of all harm, to the part itself as well, that its readings, done and due, show."""

    part: str
    points: tuple[str, ...]
    parts: tuple[PartToAudit, ...]
    seen: float


def audit_walk(model: DiagnosisModel, table: OutcomeTable, part: str, taken: Iterable[str] = (),
               due: Iterable[str] = (), access: str = "", explain: bool = True, action: str = "replace",
               recipe: str = "", rates: ShopRates = USUAL_RATES) -> AuditWalk:
    """What is read and looked at round a part after heat. taken: points read since; due: points that are read anyhow.
    access: how far the unit is open; points behind a deeper level are left alone. explain: with the parts. action,
    recipe: as for `chances_made`. rates: a reading that takes longer must catch as much more."""
    made = chances_made(model, part, action=action, recipe=recipe)
    rows = np.flatnonzero(made > 0.0)
    harm = made[rows]
    if not len(rows) or not table.points:
        return AuditWalk(part, (), (), 0.0)
    # A point that often reads off on a good board catches nothing.
    good = table.chances[:, GOOD, :]
    told = np.clip(good[:, NOTHING_ROW:NOTHING_ROW + 1] - good[:, rows], 0.0, 1.0)
    order = model.board.access_order
    near = np.array([order.get(model.board.point_by_id[p].access, 0) <= order.get(access, 0) for p in table.points],
                    dtype=bool)
    used = [table.place[p] for p in dict.fromkeys((*taken, *due)) if p in table.place]
    hidden = harm * np.prod(1.0 - told[used], axis=0)
    readable = float(harm @ told[near].max(axis=0)) if near.any() else 0.0
    unread = near.copy()
    unread[used] = False  # what a point that was read leaves hidden, reading it once more would leave as well
    takes = np.array([rates.reading_minutes(model.board.point_by_id[p]) for p in table.points]) / rates.touch_minutes
    chosen: list[int] = []
    while harm.sum() - hidden.sum() < AUDIT_COVER * readable:
        gain = np.where(unread, told @ hidden, 0.0) / takes
        best = int(gain.argmax())
        if gain[best] < AUDIT_LEAST * harm.sum() or best in chosen:
            break
        chosen.append(best)
        hidden = hidden * (1.0 - told[best])
    place = model.board.point_order
    points = tuple(sorted((table.points[k] for k in chosen), key=place.__getitem__))
    read = _Read(model, table, told, (*used, *chosen), rows, harm)
    return AuditWalk(part, points, read.parts(part) if explain else (), 1.0 - float(hidden.sum()) / float(harm.sum()))


@dataclass(frozen=True)
class _Read:
    """told: (P, K) of K rows that heat may have made; used: places of the points of this audit."""

    model: DiagnosisModel
    table: OutcomeTable
    told: np.ndarray
    used: tuple[int, ...]
    rows: np.ndarray
    harm: np.ndarray

    def parts(self, heated: str) -> tuple[PartToAudit, ...]:
        own: dict[str, list[int]] = {}
        for k in range(len(self.rows)):
            own.setdefault(self._fault(k).part, []).append(k)
        found = [self._part(name, ways) for name, ways in own.items() if name != heated]
        return tuple(sorted(found, key=lambda one: (-one.chance, one.part)))

    def _fault(self, k: int) -> Fault:
        hypotheses = self.model.hypotheses
        return hypotheses.faults[int(hypotheses.fault_of_row[self.rows[k]])]

    def _part(self, name: str, ways: list[int]) -> PartToAudit:
        shown, by_eye = dict[str, ShownBy](), dict[str, None]()
        for k in ways:
            words = self._fault(k).words
            best = max(self.used, key=lambda p: self.told[p, k], default=-1)
            if best < 0 or self.told[best, k] < SHOWN_FROM:
                by_eye[words] = None
                continue
            point = self.table.points[best]
            method = self.model.board.point_by_id[point].default_method
            predicted = self.model.predicted_at(point, method)
            if predicted is not None:
                shown.setdefault(words, ShownBy(words, point, *(
                    shown_value(float(predicted.values[row]), method) for row in (self.rows[k], NOTHING_ROW))))
        return PartToAudit(name, float(self.harm[ways].sum()), tuple(shown.values()),
                           tuple(words for words in by_eye if words not in shown))
