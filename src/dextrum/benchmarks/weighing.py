"""How long posterior and advice take as a trail grows, entry by entry."""

from __future__ import annotations

import time
from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime
from typing import TYPE_CHECKING

from dextrum.benchmarks.measure import Measure, p95, within

if TYPE_CHECKING:
    from dextrum.core.advice.advice_model import AdviceModel
    from dextrum.core.diagnosis.model import DiagnosisModel
    from dextrum.core.trail import Entry

ADVICE_MS, ENTRY_MS, REASONS_MS = 50.0, 20.0, 50.0


@dataclass
class Taken:
    """Seconds after each entry. advice: posterior and ranked advice; entry: the posterior alone; reasons: posterior and
    advice weighed again, with the reasons of the suspects and what each outcome would mean."""

    advice: list[float] = field(default_factory=list)
    entry: list[float] = field(default_factory=list)
    reasons: list[float] = field(default_factory=list)

    def measures(self, board: str = "") -> dict[str, Measure]:
        return {f"{board}posterior_and_advice_p95": within(p95(self.advice) * 1000, "ms", ADVICE_MS),
                f"{board}posterior_after_one_more_entry_p95": within(p95(self.entry) * 1000, "ms", ENTRY_MS),
                f"{board}posterior_advice_and_reasons_p95": within(p95(self.reasons) * 1000, "ms", REASONS_MS)}


def time_advice(advice: AdviceModel, trail: Sequence[Entry], first: int, taken: Taken) -> None:
    """Posterior and advice after each entry from the `first` on, by a model that has not seen the job."""
    from dextrum.app.advising.assess import assess

    for length in range(first, len(trail) + 1):
        begun = time.perf_counter()
        assess(advice, tuple(trail[:length]), explain=False)
        taken.advice.append(time.perf_counter() - begun)
        advice.model.memory.posteriors.clear()  # else the same trail would not be weighed again
        begun = time.perf_counter()
        assess(advice, tuple(trail[:length]))
        taken.reasons.append(time.perf_counter() - begun)


def time_posterior(model: DiagnosisModel, trail: Sequence[Entry], first: int, taken: Taken) -> None:
    """The posterior alone after each entry from the `first` on, by a model that has not seen the job."""
    from dextrum.core.diagnosis.evidence import gather_evidence
    from dextrum.core.diagnosis.posterior import weigh_sets

    for length in range(first, len(trail) + 1):
        begun = time.perf_counter()
        weigh_sets(model, gather_evidence(model, tuple(trail[:length])))
        taken.entry.append(time.perf_counter() - begun)


def duo_weighing() -> dict[str, Measure]:
    """On the Duo pack, on whole jobs."""
    from dextrum.app.bench.demo import STORIES
    from dextrum.app.bench.simulated_technician import SimulatedTechnician, with_fault
    from dextrum.app.library.library import PackLibrary
    from dextrum.core.trail import Intake
    from dextrum.instruments.simulated_board import METER_M1

    playing, advice, alone = (PackLibrary().advice_model("tarnwick-duo-c", "M1") for _ in range(3))
    taken = Taken()
    for story in STORIES:
        if story.pack_id != "tarnwick-duo-c":
            continue
        technician = SimulatedTechnician(playing, with_fault(playing, story.fault, story.seed), METER_M1, "bench",
                                         datetime(2026, 3, 12, tzinfo=UTC))
        technician.open("B-1", Intake(story.complaint, story.present))
        technician.work(most_steps=30)
        time_advice(advice, technician.trail, 2, taken)
        time_posterior(alone.model, technician.trail, 2, taken)
    return taken.measures()
