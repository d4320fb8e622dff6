"""One job at one moment, wholly computed from its trail: suspects, reasons and advice."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from datetime import datetime
from functools import cached_property
from typing import NamedTuple, cast

from dextrum.app.advising.reason_words import together_words
from dextrum.app.supply.draws import DrawAssessment, assess_draws
from dextrum.core.advice.advice_model import AdviceModel
from dextrum.core.advice.any_step import step_of
from dextrum.core.advice.auditing import audits_due
from dextrum.core.advice.recommend import Advice, recommend
from dextrum.core.advice.weighing import Weighing, point_that_settles
from dextrum.core.diagnosis.after_repair import weigh_trail
from dextrum.core.diagnosis.as_usual import standardised
from dextrum.core.diagnosis.explaining import only_collateral
from dextrum.core.diagnosis.posterior import Posterior, Suspect, suspect_of, suspects
from dextrum.core.diagnosis.reasons import Reason, reasons_of_parts
from dextrum.core.diagnosis.suspected_parts import SuspectedPart, chance_by_part, suspected_parts
from dextrum.core.job import JobFacts, job_facts, with_time
from dextrum.core.reference.warm import facts_as_judged
from dextrum.core.rework.audit import AuditWalk
from dextrum.core.safety.recheck import points_to_recheck
from dextrum.core.trail import Entry
from dextrum.tongue import tr


@dataclass(frozen=True)
class Assessment:
    """Everything weighed. suspects: the likeliest faults; parts: the likeliest parts. reasons: what speaks for and
    against each of those parts. together: which faults are likeliest together, where they are several. collateral:
    the fault index of a part's likeliest to the fault that may have taken it along, and the chance of that one being
    there too. audits: what is read and looked at round each part that was heated, before power."""

    facts: JobFacts
    posterior: Posterior
    suspects: tuple[Suspect, ...]
    parts: tuple[SuspectedPart, ...]
    reasons: Mapping[str, tuple[Reason, ...]]
    advice: Advice
    draws: DrawAssessment
    together: str = ""
    collateral: Mapping[int, tuple[int, float]] = field(default_factory=dict)
    audits: tuple[AuditWalk, ...] = ()

    @cached_property
    def chance_by_part(self) -> dict[str, float]:
        """Chance that something is wrong with each part still."""
        return chance_by_part(self.posterior)


def assess(model: AdviceModel, entries: tuple[Entry, ...], most_suspects: int = 6, explain: bool = True,
           now: datetime | None = None) -> Assessment:
    """The whole computation. Pure: same trail, model and time, same result. explain: with the reasons of each suspect,
    and what each outcome of a step would mean. now: a wait that has come to its end no longer holds the job."""
    facts = facts_as_judged(model.model.board, model.model.references, job_facts(entries))
    if now is not None:
        facts = with_time(facts, now)
    posterior = weigh_trail(model.model, entries, facts.set_aside)
    ranked = suspects(posterior, most_suspects)
    parts = suspected_parts(posterior)
    indices = tuple(part.lead.index for part in parts)
    draws = assess_draws(model, posterior, entries, facts)
    return Assessment(facts, posterior, ranked, parts,
                      reasons_of_parts(model.model, posterior, tuple(p.part for p in parts)) if explain else {},
                      recommend(model, posterior, facts, draws.doubt, draws.starts, explain, indices), draws,
                      together_words(posterior) if explain else "",
                      only_collateral(model.model, posterior, indices) if explain else {},
                      audits_due(model, facts, points_to_recheck(model.model.board, model.model.references, facts),
                                 True) if explain and facts.reworks else ())


class _Weighed(NamedTuple):
    """entries: those of the trail that are weighed."""

    entries: tuple[Entry, ...]
    trail: tuple[Entry, ...]
    found: Assessment


def assess_once(model: AdviceModel, entries: tuple[Entry, ...], now: datetime) -> Assessment:
    """As `assess`, with the reasons. A trail that was weighed a moment ago, such as that of the unit beside this one on
    the bench, isn't weighed again, nor for a photo or a touch that tells of the model only; time tells only by whether
    a wait has come to its end."""
    facts = with_time(job_facts(entries), now)
    weighed = tuple(entry for entry in entries if entry.payload.weighs)
    key = (tuple(entry.id for entry in weighed), facts.wait, facts.waits_on, facts.wait_is_over, model.without)
    kept = cast("_Weighed | None", model.memory.whole.get(key))
    if kept is None or kept.entries != weighed:
        kept = _Weighed(weighed, entries, assess(model, entries, now=now))
    elif kept.trail != entries:
        judged = facts_as_judged(model.model.board, model.model.references, facts)
        kept = _Weighed(weighed, entries, replace(kept.found, facts=judged))
    else:
        return kept.found
    model.memory.whole.keep(key, kept)
    return kept.found


def cost_of_step(model: AdviceModel, done: Assessment, name: str) -> str:
    """What measuring a point, or repairing a part, would cost in work beside the step that is advised; in words. Takes
    some milliseconds; call it off the window's thread."""
    weighing = Weighing(model, done.posterior, standardised(model.model, done.facts, done.posterior.evidence.apart))
    step = step_of(weighing, name)
    if step is None:
        return tr("{name!r} is no point that can be measured, and no part that can be repaired.", name=name[:20])
    more = (step.expected - done.advice.next.expected) / model.rates.labour_per_minute
    beside = tr("about the same as the step that is advised") if abs(more) < 1.0 else (
        tr("{more:.0f} min of work more than the step that is advised", more=more) if more > 0 else
        tr("{it:.0f} min of work less, as far as one step shows", it=-more))
    return tr("{title}: {minutes:.0f} min now, and in the end {beside}.", title=step.title, minutes=step.minutes,
              beside=beside)


@dataclass(frozen=True)
class Explanation:
    """Why a part is suspected or not: its likeliest fault, the chance that anything is wrong with it, what speaks for
    and against that, and the point that would tell most. suspect is None where the pack knows no way for the part to
    fail."""

    part: str
    suspect: Suspect | None
    chance: float = 0.0
    reasons: tuple[Reason, ...] = ()
    settles: str = ""


def explain_part(model: AdviceModel, done: Assessment, part: str) -> Explanation:
    """'Why not this part?', for any part of the board. Takes some ten milliseconds; call it off the window's thread."""
    hypotheses = model.model.hypotheses
    chances = done.posterior.faults
    own = [i for i, fault in enumerate(hypotheses.faults) if fault.part.casefold() == part.casefold()]
    if not own:
        return Explanation(part, None)
    index = max(own, key=lambda i: float(chances[i]))
    suspect = suspect_of(done.posterior, index)
    name = suspect.fault.part
    return Explanation(name, suspect, done.chance_by_part[name],
                       reasons_of_parts(model.model, done.posterior, (name,))[name],
                       point_that_settles(Weighing(model, done.posterior, done.facts), index))
