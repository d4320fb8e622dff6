"""The sentence above every view: what it means, in a technician's words."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from datetime import date

from dextrum.app.reading.judged import JudgedReading
from dextrum.core.board import Board, Point
from dextrum.core.board.value_words import value_words
from dextrum.core.draw.states import UNKNOWN_WORDS, classify_draw
from dextrum.core.job import JobFacts
from dextrum.core.looks import FORBIDS_PLUGGING, LOOK_WORDS
from dextrum.core.reference.judge import Verdict
from dextrum.core.reference.tester import TurnedFinding
from dextrum.core.trail import DrawTrace, Supply, local_time
from dextrum.core.when import day_words, moment_words
from dextrum.tongue import tr

ONE_NODE_OHMS = 1.0
"""Contacts of one node read at most this from one to the other."""

_SAY = {Verdict.OPEN: tr("are open"), Verdict.GROUNDED: tr("are grounded"), Verdict.LOW: tr("read low"),
        Verdict.HIGH: tr("read high"), Verdict.PARTIAL_SHORT: tr("are partly shorted"), Verdict.WAVERING: tr("waver")}
_SAYS = {Verdict.OPEN: tr("is open"), Verdict.GROUNDED: tr("is grounded"), Verdict.LOW: tr("reads low"),
         Verdict.HIGH: tr("reads high"), Verdict.PARTIAL_SHORT: tr("is partly shorted"),
         Verdict.WAVERING: tr("wavers")}


def contact_words(board: Board, point: Point) -> str:
    """'A10 RX2−' for a port contact, the id for the rest."""
    for port in board.ports:
        for contact in port.contacts:
            if point.at == f"{port.component}.{contact.name}" and point.to is None:
                return f"{contact.name} {contact.shown_signal}"
    return point.id


def _list(parts: list[str]) -> str:
    if len(parts) <= 1:
        return "".join(parts)
    return ", ".join(parts[:-1]) + tr(" and ") + parts[-1]


def _few(names: list[str]) -> str:
    return _list(names) if len(names) <= 4 else tr("{names} and {count} more", names=", ".join(names[:3]),
                                                   count=len(names) - 3)


def abnormal_words(board: Board, judged: Mapping[str, JudgedReading], points: Iterable[str]) -> str:
    """'A4 VBUS is open and A10 RX2− reads high' of those points that are abnormal; empty where none is."""
    by_verdict: dict[Verdict, list[str]] = {}
    for point in points:
        found = judged.get(point)
        if found is not None and found.judgement.verdict.is_off:
            by_verdict.setdefault(found.judgement.verdict, []).append(contact_words(board, board.point_by_id[point]))
    return _list([f"{_few(names)} {(_SAYS if len(names) == 1 else _SAY)[verdict]}"
                  for verdict, names in by_verdict.items()])


def readings_sentence(board: Board, judged: Mapping[str, JudgedReading], points: Iterable[str]) -> str:
    """What the readings of these points say together."""
    points = list(points)
    read = [judged[p] for p in points if p in judged]
    if not points:
        return tr("This pack has no points here yet.")
    if not read:
        return tr("Nothing read yet.")
    off = [r for r in read if r.judgement.verdict.is_off]
    unjudged = [r for r in read if r.judgement.verdict is Verdict.NOT_JUDGED]
    by_scan = [r for r in read if r.judgement.origin in ("scan", "role")]
    weaker = tr(" There is no known-good board: the contacts of this scan judge each other, which is weaker.") \
        if by_scan else ""
    if len(unjudged) == len(read):
        return tr("Recorded, but not judged: there is no known-good reading for this board yet.")
    whole = len(read) == len(points)
    if not off:
        if by_scan:
            return tr("No contact differs from the others.{weaker}", weaker=weaker)
        return (tr("All readings match a good board.") if whole
                else tr("Nothing abnormal so far ({count} of {count2} points).", count=len(read), count2=len(points)))
    head = abnormal_words(board, judged, points)
    tail = tr("All other readings match a good board.") if whole and not by_scan else weaker.strip()
    return f"{head}. {tail}".strip()


def node_words(board: Board, judged: Mapping[str, JudgedReading]) -> str:
    """What contact-to-contact readings say: contacts of one node that are none mean the receptacle itself."""
    apart: dict[str, list[str]] = {}
    whole: set[str] = set()
    for point in board.node_pairs:
        read = judged.get(point.id)
        if read is None or not board.ports:
            continue
        signal = {f"{port.component}.{c.name}": c.shown_signal for port in board.ports for c in port.contacts}[point.at]
        off = read.judgement.verdict.is_off if read.judgement.verdict is not Verdict.NOT_JUDGED \
            else read.reading.value > ONE_NODE_OHMS
        ends = [address.partition(".")[2] for address in (point.at, point.to or "")]
        if off:
            shown = value_words(read.reading.shown, read.method)
            apart.setdefault(signal, []).append(tr("{ends} to {ends2} {shown}", ends=ends[0], ends2=ends[1],
                                                   shown=shown))
        else:
            whole.add(signal)
    if apart:
        return " ".join(tr("{signal} contacts are not connected together ({pairs}): broken receptacle or joint.",
                           signal=signal, pairs=", ".join(pairs)) for signal, pairs in apart.items())
    return tr("{list} {which} one node.", list=_list(sorted(whole)),
              which=tr("is") if len(whole) == 1 else tr("are each")) if whole else ""


def turned_words(board: Board, findings: Sequence[TurnedFinding]) -> str:
    """What turning the tester over tells: what stayed with the port's contact, and what moved with the tester."""
    names: dict[str, list[str]] = {}
    for finding in findings:
        names.setdefault(finding.belongs, []).append(contact_words(board, board.point_by_id[finding.point]))
    said = []
    if "device" in names:
        said.append(tr("Tester turned over, {few} stayed abnormal: it is in the unit.", few=_few(names["device"])))
    if "tester" in names:
        said.append(tr("The fault moved with the tester: suspect the tester's pad facing {few}, or its plug.",
                       few=_few(names["tester"])))
    if "touch" in names:
        said.append(tr("Abnormal only once: {few}. Measure it again.", few=_few(names["touch"])))
    return " ".join(said)


def supply_words(board: Board, supply: Supply) -> str:
    """One look at the meter by the profile, or the name that was typed; empty where the pack knows nothing."""
    if supply.named:
        state = next((s for s in board.draw_states if s.id == supply.named), None)
        return state.words if state else UNKNOWN_WORDS
    judged = classify_draw(board, supply.volts, supply.amps, supply.pattern, supply.supply_class)
    return judged.words if judged else ""


def supply_sentence(board: Board, facts: JobFacts) -> str:
    """What the two orientations say together."""
    if facts.look is None:
        return tr("Look into the port first: nothing is plugged in before that.")
    bad = [f for f in facts.look.findings if f in FORBIDS_PLUGGING]
    supplies = {o: (facts.supplies or {}).get((facts.epoch, o)) for o in "ab"}
    if bad and not any(supplies.values()):
        return tr("The port is {list}: nothing is plugged in.", list=_list([LOOK_WORDS[f] for f in bad]))
    named = {}
    for orientation, supply in supplies.items():
        if isinstance(supply, DrawTrace):
            named[orientation] = tr("a trace, being read")
        elif supply is not None:
            named[orientation] = supply_words(board, supply) or tr("recorded")
    if not named:
        return tr("Nothing plugged in yet.") if facts.epoch == 0 else tr("Nothing plugged in since the repair.")
    if len(named) == 2 and named["a"] == named["b"]:
        return tr("{named}, both ways up.", named=named["a"].capitalize())
    return "; ".join(tr("{o} side up: {words}", o=o.upper(), words=words) for o, words in named.items()) + "."


def due_words(due: str, today: str) -> str:
    """'due today 16:00', 'due Sat 28 Nov 08:00', 'overdue since Mon 2 Mar' (the hour is past caring), or nothing.

    today: ISO date.
    """
    at = local_time(due)
    if at is None:
        return tr("due {due}", due=due) if due else ""
    here = date.fromisoformat(today)
    if at.date() < here:
        return tr("overdue since {words}", words=day_words(at.date(), here))
    return tr("due {words}", words=moment_words(at, here) if "T" in due else day_words(at.date(), here))
