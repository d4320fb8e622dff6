"""One job at one moment, wholly computed from its trail: suspects, reasons and advice."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from dextrum.app.draws import DrawAssessment, assess_draws
from dextrum.core.advice.recommend import Advice, recommend
from dextrum.core.advice.weighing import AdviceModel
from dextrum.core.diagnosis.evidence import gather_evidence
from dextrum.core.diagnosis.posterior import Posterior, Reason, Suspect, all_reasons, suspects, weigh_sets
from dextrum.core.job import JobFacts, job_facts
from dextrum.core.reference.tester import tester_judged
from dextrum.core.trail import Entry


@dataclass(frozen=True)
class Assessment:
    """Everything weighed. reasons: suspect's fault index to what speaks for and against it."""

    facts: JobFacts
    posterior: Posterior
    suspects: tuple[Suspect, ...]
    reasons: Mapping[int, tuple[Reason, ...]]
    advice: Advice
    draws: DrawAssessment


def assess(model: AdviceModel, entries: tuple[Entry, ...], most_suspects: int = 6) -> Assessment:
    """The whole computation. Pure: same trail and model, same result."""
    facts = tester_judged(model.model.board, model.model.references, job_facts(entries))
    evidence = gather_evidence(model.model, entries, facts.tester_faults)
    posterior = weigh_sets(model.model, evidence)
    ranked = suspects(posterior, most_suspects)
    draws = assess_draws(model, posterior, entries, facts)
    return Assessment(facts, posterior, ranked,
                      all_reasons(model.model, posterior, tuple(s.index for s in ranked)),
                      recommend(model, posterior, facts, draws.doubt, draws.starts), draws)
