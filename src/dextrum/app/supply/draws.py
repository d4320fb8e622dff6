"""What the draw says on a job: every plug-in read as a whole, with what is known of the unit from everything else."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np

from dextrum.core.advice.advice_model import AdviceModel
from dextrum.core.advice.doubt_actions import OpenDoubt, swap_minutes
from dextrum.core.board import Board
from dextrum.core.diagnosis.draw_evidence import functional_chances, record_log_likelihood
from dextrum.core.diagnosis.functional_evidence import FunctionalEvidence
from dextrum.core.diagnosis.model import DiagnosisModel
from dextrum.core.diagnosis.posterior import Posterior
from dextrum.core.diagnosis.witness import FunctionalWitness
from dextrum.core.draw.cell import Span
from dextrum.core.draw.profile import profile_of
from dextrum.core.draw.reading import DrawReading, read_draw
from dextrum.core.draw.records import DrawRecord, every_draw_record
from dextrum.core.job import JobFacts
from dextrum.core.trail import Entry


@dataclass(frozen=True)
class SeenDraw:
    """One plug-in. reading: None where the pack knows nothing about this supply, or only a name was typed."""

    record: DrawRecord
    reading: DrawReading | None


@dataclass(frozen=True)
class DrawAssessment:
    """seen: all plug-ins that count, in time; earlier: those that a later one has taken the place of. now: the latest
    of this repair epoch, by `DrawRecord.way`. swap_minutes: for a known-good cell and reading again, from where the
    unit is. starts: minutes from the last draw until the cell lets
    the unit start; None where it can already, or that isn't known."""

    seen: tuple[SeenDraw, ...] = ()
    earlier: tuple[SeenDraw, ...] = ()
    now: Mapping[str, SeenDraw] = field(default_factory=dict)
    doubt: OpenDoubt | None = None
    starts: Span | None = None
    swap_minutes: float = 0.0


def _without_draws(model: DiagnosisModel, posterior: Posterior) -> np.ndarray:
    """Chance of every row by all evidence but the draw, (R,)."""
    evidence = posterior.evidence
    tried = [isinstance(witness, FunctionalWitness) for witness in evidence.witnesses]
    # What functions say holds together, so without the draw it is weighed anew.
    functional = [w for item, w in zip(evidence.items, evidence.witnesses, strict=True)
                  if isinstance(w, FunctionalWitness) and item.kind != "supply"]
    log_weight = (posterior.hypotheses.log_prior + evidence.log_likelihood[~np.array(tried, dtype=bool)].sum(axis=0)
                  + FunctionalEvidence(model, functional).of_rows())
    rows = np.exp(log_weight - log_weight.max())
    return np.asarray(rows / rows.sum())


def assess_draws(model: AdviceModel, posterior: Posterior, entries: tuple[Entry, ...],
                 facts: JobFacts) -> DrawAssessment:
    """Pure: same trail, same result."""
    records, replaced = every_draw_record(entries)
    if not records:
        return DrawAssessment()
    board, broken = model.model.board, model.model.broken
    others: np.ndarray | None = None
    seen: list[SeenDraw] = []
    for record in sorted(records, key=lambda r: r.at):
        profile = profile_of(board, record.supply_class, record.cell == "known_good")
        reading = None
        if profile is not None and record.spells:
            others = _without_draws(model.model, posterior) if others is None else others
            by_row = functional_chances(board, broken, profile, record.orientation)
            reading = read_draw(profile, record.spells, record.switched_on, board.cell, model.rates.charge_floor_share,
                                others @ by_row)
        seen.append(SeenDraw(record, reading))
    now = {s.record.way: s for s in seen if s.record.epoch == facts.epoch}
    earlier = tuple(SeenDraw(record, None) for record in sorted(replaced, key=lambda r: r.at))
    return DrawAssessment(tuple(seen), earlier, dict(sorted(now.items())), _open_doubt(board, seen, now),
                          _starts(seen, now), swap_minutes(board, facts, model.rates))


def _starts(seen: list[SeenDraw], now: Mapping[str, SeenDraw]) -> Span | None:
    one = seen[-1]
    if now.get(one.record.way) is not one or one.reading is None or one.reading.verdict != "healthy":
        return None
    return one.reading.charge.to_boot if one.reading.charge is not None and not one.reading.charge.overdue else None


def _open_doubt(board: Board, seen: list[SeenDraw], now: Mapping[str, SeenDraw]) -> OpenDoubt | None:
    """The doubt of the plug-in that was read last. What was in doubt before it, the later one has overtaken."""
    one = seen[-1]
    reading = one.reading
    if reading is None or reading.doubt is None or one.record.way == "bench" or now.get(one.record.way) is not one:
        return None
    values, _ = record_log_likelihood(reading.profile, one.record)
    weight = np.zeros(len(reading.profile.functions))
    for regime, value in zip(reading.profile.regimes, values, strict=True):
        weight[regime.function] += regime.prior * np.exp(value - values.max())
    profile, orientation = reading.profile, one.record.orientation

    def healthy(broken: np.ndarray) -> np.ndarray:
        by_set = functional_chances(board, broken, profile, orientation) * weight
        return np.asarray(by_set[:, profile.healthy] / np.maximum(by_set.sum(axis=1), 1e-300))

    return OpenDoubt(orientation, reading.doubt, healthy, len(one.record.entry_ids) - 1)
