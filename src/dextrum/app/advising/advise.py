"""`./dextrum advise JOB.json`: verdicts, posterior and ranked next actions of an exported job."""

from __future__ import annotations

from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from dextrum.app.advising.assess import assess
from dextrum.app.advising.suspect_words import suspect_words
from dextrum.app.library.library import PackLibrary
from dextrum.app.reading.judged import judged_readings
from dextrum.core.advice.wording import fault_words
from dextrum.core.diagnosis.suspected_parts import suspected_parts
from dextrum.core.faults.trace_parts import shown_part
from dextrum.core.job import job_facts
from dextrum.store.job_file import read_job_file

MOST_FAULTS, MOST_PARTS = 20, 10


def _number(value: float) -> float | str | None:
    """JSON has neither infinity nor NaN."""
    if value != value:
        return None
    return "OL" if value == float("inf") else round(value, 6)


def advise(path: Path, library: PackLibrary, meter: str = "") -> dict[str, Any]:
    """Plain JSON values. The meter is the one of the readings unless named. Raises ImportRefusedError."""
    trail = read_job_file(path)
    facts = job_facts(trail)
    used = meter or next((r.meter for r in (facts.readings or {}).values() if r.meter), "M1")
    model = library.advice_model(facts.pack_id, used)
    board = model.model.board
    done = assess(model, trail, most_suspects=MOST_FAULTS, now=datetime.now(UTC))
    judged = judged_readings(board, model.model.references, done.facts)
    return {
        "serial": facts.serial, "pack": facts.pack_id, "meter": used,
        "verdicts": [{"point": r.point, "method": r.method.value, "value": _number(r.reading.shown),
                      "read_by": r.reading.meter,
                      "unit": r.method.unit, "verdict": r.judgement.verdict.value,
                      "t": _number(r.judgement.t), "tail": _number(r.judgement.tail),
                      "known_good": _number(r.judgement.centre), "boards": r.judgement.boards}
                     for r in judged.values()],
        "posterior": {
            "nothing": _number(done.posterior.nothing),
            "something_else": _number(done.posterior.something_else),
            "nothing_left": _number(done.advice.nothing_left),
            "faults": [{"part": s.fault.part, "words": f"{s.fault.part} {fault_words(board, s.fault)}",
                        "mode": s.fault.kind.value, "terminals": list(s.fault.terminals),
                        "probability": _number(s.probability), "mended": s.mended, "still_there": _number(s.still)}
                       for s in done.suspects],
            "parts": [{"part": p.part, "words": f"{shown_part(p.part)} {suspect_words(board, p)}",
                       "probability": _number(p.chance), "mended": p.lead.mended}
                      for p in suspected_parts(done.posterior, MOST_PARTS)],
        },
        "actions": [{"kind": a.kind, "target": a.target, "title": a.title, "minutes": _number(a.minutes),
                     "cost": _number(a.cost), "expected_cost": _number(a.expected), "points": list(a.points),
                     "why": a.why} for a in done.advice.ranked],
        "gates": [{"id": g.id, "holds_back": g.holds_back, "holds": sorted(a.value for a in g.holds), "why": g.words,
                   "instead": g.instead, "lifted_by": g.lifted_by}
                  for g in done.advice.gates],
    }
