"""Why a suspect, in words: what each entry says for or against it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from dextrum.app.sentences import contact_words
from dextrum.core.advice.wording import percent
from dextrum.core.board import Board

if TYPE_CHECKING:
    from dextrum.app.assess import Explanation
    from dextrum.core.advice.elimination import Load
    from dextrum.core.diagnosis.evidence import EvidenceItem
    from dextrum.core.diagnosis.posterior import Posterior, Reason

STRENGTH = ((3.0, "strongly"), (1.0, "clearly"), (0.25, "a little"))
LEAST_SHOWN = 0.1


def item_words(board: Board, item: EvidenceItem) -> str:
    """The observation: 'A10 RX2- reads OL'."""
    if item.kind == "reading":
        point = board.point_by_id.get(item.subject)
        name = contact_words(board, point) if point is not None else item.subject
        again = " (touched again)" if item.touches > 1 else ""
        after = " after the repair" if item.epoch else ""
        off = f" with {', '.join(sorted(item.isolated))} off" if item.isolated else ""
        return f"{name} reads {item.seen}{again}{off}{after}"
    if item.kind == "rail":
        check = next((c.words for c in board.rail_checks if c.id == item.subject), item.subject)
        return f"{check} reads {item.seen} under power"
    if item.kind == "warmth":
        return f"injected into {item.subject}: {item.seen}"
    if item.kind == "supply":
        return item.seen + (" after the repair" if item.epoch else "")
    if item.kind == "plug":
        return f"the draw {item.seen}"
    if item.kind == "symptom":
        symptom = board.symptom_by_id.get(item.subject)
        words = symptom.words if symptom else item.subject
        return f"owner: {words}" if item.seen == "reported" else f"owner: not so: {words}"
    if item.kind == "check":
        tried = next((c.words for c in board.checks if c.id == item.subject), item.subject)
        return f"{item.seen}: {tried.lower()}"
    return f"port looks {item.seen}"


def reason_words(board: Board, reason: Reason) -> str:
    """The observation with its weight: 'speaks strongly for it (+3.2)'."""
    size = abs(reason.log_odds)
    how = next((word for least, word in STRENGTH if size >= least), "hardly")
    side = "for" if reason.log_odds > 0 else "against"
    return f"{item_words(board, reason.item)}: {how} {side} ({reason.log_odds:+.1f})"


LEAST_TOGETHER = 0.15


def together_words(posterior: Posterior) -> str:
    """The likeliest set of several faults, where it weighs: 'Most likely together: F1 blown, U1 shorted (61 %)'."""
    hypotheses = posterior.hypotheses
    by_faults: dict[tuple[int, ...], float] = {}
    for rows, weight in zip(posterior.sets.rows.tolist(), posterior.sets.weight.tolist(), strict=True):
        faults = tuple(sorted(int(hypotheses.fault_of_row[r]) for r in rows if r >= 0))
        by_faults[faults] = by_faults.get(faults, 0.0) + weight
    if not by_faults:
        return ""
    faults, weight = max(by_faults.items(), key=lambda item: item[1])
    if len(faults) < 2 or weight < LEAST_TOGETHER:
        return ""
    names = ", ".join(f"{hypotheses.faults[f].part} {hypotheses.faults[f].words}" for f in faults)
    return f"Most likely together: {names} ({percent(weight)})."


def explanation_words(board: Board, found: Explanation) -> tuple[str, str]:
    """Title and lines of 'why not this part'."""
    if found.suspect is None:
        return f"{found.part}: nothing known", "This pack knows no way for it to fail."
    title = f"Why not {found.part}: {found.suspect.fault.words} ({percent(found.suspect.probability)})"
    told = [r for r in found.reasons if abs(r.log_odds) >= LEAST_SHOWN][:5]
    lines = [reason_words(board, r) for r in told]
    lines = lines or ["Nothing seen speaks for or against it; only how often it happens."]
    if found.settles:
        lines.append(f"Measuring {found.settles} would tell most.")
    return title, "\n".join(lines)


MOST_LOADS_SAID = 5


def load_words(loads: Sequence[Load], isolated: frozenset[str]) -> str:
    """The loads of a shorted rail in the order in which to take them off, with why; and what is off now."""
    lines = [f"Off the board now: {', '.join(sorted(isolated))}"] if isolated else []
    if loads:
        lines.append("Loads of the shorted rail, in this order:")
        lines += [f"{k}. {load.verb} {load.part}: {load.why}, {percent(load.chance)}"
                  for k, load in enumerate(loads[:MOST_LOADS_SAID], start=1)]
        if len(loads) > MOST_LOADS_SAID:
            lines.append(f"and {len(loads) - MOST_LOADS_SAID} more")
    return "\n".join(lines)
