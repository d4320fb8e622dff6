"""Why a suspect, in words: what each entry says for or against it."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING

from dextrum.app.reading.sentences import contact_words
from dextrum.core.advice.wording import part_words, percent
from dextrum.core.board import Board
from dextrum.core.entries.intake import REPORTED
from dextrum.core.looks import LOOK_WORDS
from dextrum.core.money.amounts import about_words
from dextrum.tongue import tr, within

if TYPE_CHECKING:
    from dextrum.app.advising.assess import Assessment, Explanation
    from dextrum.app.reading.judged import JudgedReading
    from dextrum.core.advice.elimination import Load
    from dextrum.core.diagnosis.other_make import OtherMake
    from dextrum.core.diagnosis.posterior import Posterior
    from dextrum.core.diagnosis.reasons import Reason
    from dextrum.core.diagnosis.telling import EvidenceItem

STRENGTH = ((3.0, tr("strongly")), (1.0, tr("clearly")), (0.25, tr("a little")))
LEAST_STRENGTH = tr("almost no weight")
LEAST_SHOWN = 0.1
NEW_SAID_BELOW = 0.5
"""Chance that no fault is left, below which it is said that a repair has done something."""
NEW_SAID_FROM = 0.5
"""Chance that something new is wrong, from which it is said to be so."""
MOST_NAMED = 4
LEAST_ALIKE, SHARE_ALIKE = 0.005, 0.02
"""Volts or ohms, and share of it, within which readings of one piece of copper are said as one value."""


def item_words(board: Board, item: EvidenceItem) -> str:
    """The observation: 'A10 RX2− reads OL'."""
    if item.kind == "reading":
        return readings_words(board, (item,))
    if item.kind == "rail":
        check = next((c.words for c in board.rail_checks if c.id == item.subject), item.subject)
        return tr("{check} reads {seen} under power", check=check, seen=item.seen)
    if item.kind == "warmth":
        return tr("injected into {subject}: {seen}", subject=item.subject, seen=item.seen)
    if item.kind == "board look":
        return tr("board, {subject} side: {seen}", subject=item.subject, seen=item.seen)
    if item.kind == "count look":
        return tr("round {subject} before the heat: {seen}", subject=item.subject, seen=item.seen)
    if item.kind == "audit look":
        return tr("round {subject} after the heat: {seen}", subject=item.subject, seen=item.seen)
    if item.kind == "swap":
        symptom = board.symptom_by_id.get(item.subject)
        return f"{symptom.words if symptom else item.subject}: {item.seen}"
    if item.kind == "supply":
        return item.seen + (tr(" after the repair") if item.epoch else "")
    if item.kind == "left":
        return tr("what the repair of {subject} may have left or done", subject=item.subject)
    if item.kind == "plug":
        return tr("the draw {seen}", seen=item.seen)
    if item.kind == "symptom":
        symptom = board.symptom_by_id.get(item.subject)
        words = symptom.words if symptom else item.subject
        return tr("owner: {words}",
                  words=words) if item.seen == REPORTED else tr("owner: not so: {words}", words=words)
    if item.kind == "check":
        tried = next((c.words for c in board.checks if c.id == item.subject), item.subject)
        return f"{tr(item.seen)}: {within(tried)}"
    return tr("port looks {seen}", seen=", ".join(LOOK_WORDS.get(f, f) for f in item.seen.split(", ")))


def readings_words(board: Board, items: Sequence[EvidenceItem]) -> str:
    """Readings that belong together, by repairs, by what was off, and by what reads alike: 'A4, A9, B4, B9 VBUS read
    0.562 V, 0.501 V after the repair'."""
    repairs = {item.epoch for item in items if item.epoch}
    said: list[str] = []
    named: tuple[str, ...] = ()
    for epoch, isolated in sorted({(item.epoch, tuple(sorted(item.isolated))) for item in items}):
        off = tr(" with {isolated} off", isolated=", ".join(isolated)) if isolated else ""
        after = "" if not epoch else tr(" after the repair") if len(repairs) == 1 else tr(" after repair {epoch}",
                                                                                          epoch=epoch)
        for group in _alike([i for i in items if i.epoch == epoch and i.isolated == frozenset(isolated)]):
            points = tuple(item.subject for item in group)
            again = tr(" (touched again)") if all(item.touches > 1 for item in group) else ""
            reads = "" if points == named else tr("{point_names} read{s} ", point_names=point_names(board, points),
                                                  s="s" if len(points) == 1 else "")
            named = points
            said.append(f"{reads}{group[len(group) // 2].seen}{again}{off}{after}")
    return ", ".join(said)


def _alike(items: Sequence[EvidenceItem]) -> list[list[EvidenceItem]]:
    """Readings in groups that are said as one value."""
    found: list[list[EvidenceItem]] = []
    for item in items:
        group = next((g for g in found if reads_alike(g[0].value, item.value)), None)
        if group is None:
            found.append([item])
        else:
            group.append(item)
    return found


def reads_alike(one: float, other: float) -> bool:
    """Near enough to be said as one value."""
    return one == other or (math.isfinite(one) and math.isfinite(other)
                            and abs(one - other) <= LEAST_ALIKE + SHARE_ALIKE * abs(one))


def point_names(board: Board, points: Sequence[str]) -> str:
    """'A4, A9 VBUS, F1.1': contacts of one signal share its name."""
    by_signal: dict[str, list[str]] = {}
    for name in points[:MOST_NAMED]:
        point = board.point_by_id.get(name)
        contact, _, signal = (contact_words(board, point) if point is not None else name).partition(" ")
        by_signal.setdefault(signal, []).append(contact)
    words = [f"{', '.join(contacts)} {signal}".strip() for signal, contacts in by_signal.items()]
    rest = len(points) - MOST_NAMED
    return ", ".join(words) + (tr(" and {rest} more", rest=rest) if rest > 0 else "")


def reason_words(board: Board, reason: Reason) -> str:
    """The observation with its weight: 'speaks strongly for it (+3.2)'."""
    size = abs(reason.log_odds)
    how = next((word for least, word in STRENGTH if size >= least), LEAST_STRENGTH)
    side = tr("for") if reason.log_odds > 0 else tr("against")
    several = len(reason.items) > 1
    words = readings_words(board, reason.items) if several else item_words(board, reason.items[0])
    weight = f"({reason.log_odds:+.1f})".replace("-", "\u2212")
    return f"{words}: {how} {weight}" if how == LEAST_STRENGTH else f"{words}: {how} {side} {weight}"


def beside_words(board: Board, done: Assessment, index: int) -> str:
    """What would settle a suspect, and what speaks for it being only what another fault took along."""
    faults = done.posterior.hypotheses.faults
    lines = []
    if index in done.collateral:
        cause, chance = done.collateral[index]
        lines.append(tr("May only be collateral damage from {part} ({percent} likely {words}).",
                        part=faults[cause].part, percent=percent(chance), words=faults[cause].words))
    point = dict(done.advice.settles).get(index)
    if point:
        lines.append(tr("Measuring {point} would tell most.", point=point))
    return "\n".join(lines)


LEAST_TOGETHER = 0.15


def together_words(posterior: Posterior) -> str:
    """The likeliest set of several faults, where it weighs: 'Most likely together: F1 blown, U1 shorted (61 %)'.
    After a repair that has most likely done something new, that comes first."""
    hypotheses = posterior.hypotheses
    faults, weight = posterior.likeliest_faults()
    new = ""
    if posterior.since_repair and posterior.nothing < NEW_SAID_BELOW:
        part = posterior.since_repair
        new = (tr("Something new is wrong since {part} was worked on: a joint that did not take, a bad part, or a "
                  "neighbour that heat has hurt. ", part=part) if posterior.new_since >= NEW_SAID_FROM else
               tr("The repair of {part} may not have taken, or something new is wrong since. ", part=part))
    if len(faults) < 2 or weight < LEAST_TOGETHER:
        return new.rstrip()
    names = ", ".join(f"{hypotheses.faults[f].part} {hypotheses.faults[f].words}" for f in faults)
    return tr("{new}Most likely together: {names} ({percent}).", new=new, names=names, percent=percent(weight))


def make_words(makes: Sequence[OtherMake]) -> str:
    """That a chip reads as one of another make, and that its lines are weighed as if it were not; empty for none."""
    return "\n".join(tr("{part} seems to be of another make: its lines read up to {volts:.2f} V {way} all together. "
                        "That is taken off before anything is suspected.", part=make.part, volts=abs(make.largest),
                        way=tr("higher") if make.largest > 0 else tr("lower")) for make in makes)


def weighed_words(posterior: Posterior) -> str:
    """What the chances rest on, and what was left out of them."""
    return (tr("Every fault and every pair of faults was weighed. Three-fault combinations not computed: at most "
               "about {percent}.", percent=percent(posterior.left_out)))


def explanation_rows(board: Board, found: Explanation) -> tuple[str, list[tuple[str, float]], str]:
    """Title, reasons with their log-odds, and what else is said, of 'why not this part'."""
    if found.suspect is None:
        return tr("{part}: nothing known", part=found.part), [], tr("This pack knows no way for it to fail.")
    title = tr("Why not {part} ({percent})? Likeliest: {fault}", part=found.part, percent=percent(found.chance),
               fault=found.suspect.fault.words)
    rows = [(reason_words(board, r), r.log_odds) for r in found.reasons if abs(r.log_odds) >= LEAST_SHOWN][:5]
    more = [] if rows else [tr("Nothing seen speaks for or against it; only how often it happens.")]
    if found.settles:
        more.append(tr("Measuring {settles} would tell most.", settles=found.settles))
    return title, rows, "\n".join(more)


def explanation_words(board: Board, found: Explanation) -> tuple[str, str]:
    """Title and lines of 'why not this part'."""
    title, rows, more = explanation_rows(board, found)
    return title, "\n".join([*(words for words, _ in rows), *([more] if more else [])])


MOST_LOADS_SAID, LEAST_LOAD_SAID = 5, 0.01
LEAST_BEYOND = 0.03
LEAST_CHANGE = 0.02
SUSPECTED = 0.1
"""Chance of a part, from which working on it is no surprise."""


def load_words(loads: Sequence[Load], isolated: frozenset[str], leaks_at: str = "") -> str:
    """The loads of a shorted rail in the order in which to take them off, with why; and what is off now. leaks_at: the
    rail's net, where nothing is shorted and it only reads low."""
    lines = [tr("Removed now: {sorted}", sorted=", ".join(sorted(isolated)))] if isolated else []
    if loads:
        lines.append(tr("{leaks_at} reads slightly low. Possible leak; loads to disconnect, in order:",
                        leaks_at=leaks_at) if leaks_at else
                     tr("Loads on the shorted rail, in the order to disconnect them:"))
        lines += [f"{k}. {load.verb} {load.part}: {load.why}"
                  + (f", {percent(load.chance)}" if load.chance >= LEAST_LOAD_SAID else "")
                  for k, load in enumerate(loads[:MOST_LOADS_SAID], start=1)]
        if len(loads) > MOST_LOADS_SAID:
            lines.append(tr("and {count} more", count=len(loads) - MOST_LOADS_SAID))
    return "\n".join(lines)


def beyond_words(board: Board, beyond: tuple[str, float]) -> str:
    """What it would mean if it is the part that can't be mended here; empty where that is unlikely."""
    part, chance = beyond
    if chance < LEAST_BEYOND:
        return ""
    if board.component_by_designator[part].undescribed:
        return (tr("It may lie where the pack doesn't look yet ({percent}): {part_words}. Alt+9 says what would "
                   "tell.", percent=percent(chance), part_words=part_words(board, part)))
    return (tr("If it is {part}, {part_words} ({percent}), it cannot be repaired here: the unit is then worth "
               "{donor_value} as parts instead of {unit_value}.", part=part, part_words=part_words(board, part),
               percent=percent(chance), donor_value=about_words(board.donor_value),
               unit_value=about_words(board.unit_value)))


def not_suspected_words(done: Assessment, part: str) -> str:
    """What is advised instead of a part that was worked on without being suspected; empty where it was suspected, or
    where it was the advice. done: as it was before the work."""
    chance = done.chance_by_part.get(part, 0.0)
    step = done.advice.next
    if (step.kind == "repair" and step.target == part) or chance >= SUSPECTED or not done.posterior.hypotheses.faults:
        return ""
    title = within(step.title)
    return tr("{part} was not suspected ({percent}); advised instead: {title}.", part=part, percent=percent(chance),
              title=title)


def quiet_words(done: Assessment, labour_per_minute: float) -> str:
    """With the likeliest chip quiet: what changing it now costs beside measuring on, in work. Empty where neither is
    advised: what both then cost is the unit itself."""
    # Here, since the kinds bring the circuit along, which the first window does without.
    from dextrum.core.advice.giving_up import ENDINGS
    from dextrum.core.faults.registry import KINDS

    if done.advice.next.kind in ENDINGS or not done.suspects:
        return ""
    if not KINDS[done.suspects[0].fault.kind].quiet or done.suspects[0].mended:
        return ""
    part = done.suspects[0].fault.part
    ranked = done.advice.ranked
    change = next((a for a in ranked if a.kind == "repair" and a.target == part), None)
    on = next((a for a in ranked if a.kind in ("measure", "scan", "rail", "try", "supply")), None)
    if change is None or on is None:
        return ""
    return (tr("{part} may be dead although its readings are normal ({percent}). Expected work left: replace {part} "
               "now {expected:.0f} min; keep measuring {expected2:.0f} min.", part=part,
               percent=percent(done.suspects[0].probability), expected=change.expected / labour_per_minute,
               expected2=on.expected / labour_per_minute))


def as_before_words(board: Board, judged: Mapping[str, JudgedReading], makes: Sequence[OtherMake] = ()) -> str:
    """What reads after the repair as it read before, and what that asks for; empty where nothing does. makes: chips of
    another make, on whose lines it asks for nothing."""
    known = {point for make in makes for point in make.points}
    same = [point for point, r in judged.items() if r.before is not None and r.judgement.verdict.is_off
            and point not in known and reads_alike(r.before.value, r.reading.value)]
    return "" if not same else (tr("Reads as before the repair: {point_names}. The repair may have failed: measure "
                                   "the new part and its joints first.", point_names=point_names(board, same)))


def change_words(before: Mapping[str, float], now: Mapping[str, float]) -> str:
    """What changed most, by part: 'Since the last answer: U1 3 % to 17 %, F1 20 % to 1 %'."""
    moved = sorted({*before, *now}, key=lambda part: -abs(now.get(part, 0.0) - before.get(part, 0.0)))[:2]
    said = [tr("{part} {percent} to {percent2}", part=part, percent=percent(before.get(part, 0.0)),
               percent2=percent(now.get(part, 0.0))) for part in moved
            if abs(now.get(part, 0.0) - before.get(part, 0.0)) >= LEAST_CHANGE]
    return tr("Since the last answer: {said}.",
              said=", ".join(said)) if said else tr("Little has changed since the last answer.")
