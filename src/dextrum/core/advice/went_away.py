"""What was plainly there and is gone though nothing was mended: a fault that comes and goes may be away just now.

A point was on ground by two touches and reads as on a good board since, or a part of its rail was seen to warm and all
works. Each reading and trial since speaks of a unit without the fault, and the last of them decide: it would go home.
So what the fault would break is tried as often as a fault is that was said to come and go (`core/proof/tries.py`), and
where it fails, the points are read before it is away again. A point that one touch found on ground is touched again
before the unit goes home, though all works.
"""

from __future__ import annotations

from dataclasses import dataclass

from dextrum.core.advice.actions import Action, OutcomeMeaning
from dextrum.core.advice.lines_read import read_points
from dextrum.core.advice.touches import single_touches
from dextrum.core.advice.weighing import Weighing
from dextrum.core.advice.wording import percent
from dextrum.core.assumptions.trials import HIDES_IN_ONE_TRY
from dextrum.core.board import Method, Point
from dextrum.core.board.value_words import value_words
from dextrum.core.diagnosis.injection import rail_nets
from dextrum.core.diagnosis.telling import EvidenceItem
from dextrum.core.proof.tries import chance_gone, tries_wanted
from dextrum.core.reference.judge import Verdict
from dextrum.core.reference.off_points import ON_GROUND, judge_at
from dextrum.core.safety.gates import few
from dextrum.tongue import tr, within


@dataclass(frozen=True)
class WentAway:
    """What was there, in words ('TP6 read 0.002 V'), on which net, and the points that would show it again."""

    words: str
    net: str
    points: tuple[str, ...]


def went_away(weighing: Weighing) -> tuple[WentAway, ...]:
    """What was there and is gone, with nothing mended since: points first, in the order in which they were read, then
    what warmed."""
    board, model, found, read = weighing.board, weighing.advice.model, [], _standing(weighing)
    for point, method, item in read:
        was = next((value for value in item.stood if _verdict(weighing, point, method, value) in ON_GROUND), None)
        if was is not None and not _verdict(weighing, point, method, item.value).is_off:
            found.append(WentAway(_read_words(point, method, was), board.net_of_point[point.id], (point.id,)))
    for one in weighing.facts.injections:
        if one.warmed:
            rail = rail_nets(model, one.net)
            points = tuple(dict.fromkeys(p.id for p, _, _ in read if board.net_of_point[p.id] in rail))
            found.append(WentAway(tr("{part} warmed on {net}", part=one.warmed, net=one.net), one.net, points))
    return tuple(found)


def _standing(weighing: Weighing) -> list[tuple[Point, Method, EvidenceItem]]:
    """Readings of the board with everything on it, since the last repair."""
    by_id = weighing.board.point_by_id
    return [(by_id[item.subject], item.method, item) for item in weighing.evidence.items
            if item.kind == "reading" and item.method is not None and item.subject in by_id and not item.isolated
            and item.epoch == weighing.facts.epoch]


def _verdict(weighing: Weighing, point: Point, method: Method, value: float) -> Verdict:
    return judge_at(weighing.board, weighing.advice.model.references, point, method, value).verdict


def _read_words(point: Point, method: Method, value: float) -> str:
    return tr("{point} read {value}", point=point.id, value=value_words(value, method))


def touched_before_it_goes_home(weighing: Weighing) -> Action | None:
    """Points that a single touch found on ground, and nothing bears out (`single_touches`), once more, though all that
    was tried works; None where there are none. Two touches that differ and are both on ground are enough."""
    once = single_touches(weighing)
    found = {point.id: _read_words(point, method, item.value) for point, method, item in _standing(weighing)
             if item.touches == 1 and point.id in once and _verdict(weighing, point, method, item.value) in ON_GROUND
             and (item.unlike is None or _verdict(weighing, point, method, item.unlike) not in ON_GROUND)}
    if not found:
        return None
    points = tuple(found)
    return read_points(weighing, points, tr("Touch again: {shown}", shown=few(points)),
                       tr("{read} at its only touch, and all works: a slip, or a fault that comes and goes.",
                          read=found[points[0]]))


def tried_on(weighing: Weighing) -> Action | None:
    """One more trial of the quickest check that such a fault would break, until it is gone with `gone_enough`; None
    where there is no such fault, or it was tried often enough. Of checks that have passed: one that was left out on
    purpose stays so, and of one that is said to come and go it is known how often it wants to be tried."""
    facts, needs, wanted = weighing.facts, weighing.advice.check_needs, tries_wanted(1.0 - HIDES_IN_ONE_TRY)
    said, passed_once = facts.comes_and_goes or {}, {c for c, proof in (facts.proofs or {}).items() if proof.passed}
    for gone in went_away(weighing):
        checks = [c for c in weighing.board.checks if c.id in passed_once and c.id not in said
                  and gone.net in needs[c.id].through | needs[c.id].clear]
        if not checks:
            continue
        check = min(checks, key=lambda c: c.minutes)
        passed = (facts.passes or {}).get(check.id, (0, 0.0))[0]
        if passed < wanted:
            return Action(
                "try", check.id, tr("Try on: {check}", check=within(check.words)),
                tr("{passed} of {wanted_tries} tries", passed=passed, wanted_tries=wanted),
                tr("{seen}, and all works now though nothing was mended: it may come and go. Gone with {percent} so "
                   "far.", seen=gone.words, percent=percent(_gone_after(passed))),
                check.minutes, weighing.minutes_cost(check.minutes), weighing.now, outcomes=_meanings(gone, passed))
    return None


def _gone_after(passed: int) -> float:
    return chance_gone(HIDES_IN_ONE_TRY ** passed)


def _meanings(gone: WentAway, passed: int) -> tuple[OutcomeMeaning, ...]:
    """What one more trial would say, after so many that passed."""
    shows = (1.0 - _gone_after(passed)) * (1.0 - HIDES_IN_ONE_TRY)
    there = tr("it is there: read {shown} at once", shown=few(gone.points)) if gone.points else tr("it is there")
    return (OutcomeMeaning(tr("passes"), 1.0 - shows, tr("gone with {percent}", percent=percent(
                _gone_after(passed + 1)))), OutcomeMeaning(tr("fails"), shows, there))


def read_while_it_fails(weighing: Weighing) -> Action | None:
    """The points of such faults, right after a check has failed; None where nothing failed since they were read, or
    there are none."""
    gone = [one for one in went_away(weighing) if one.points] if weighing.facts.failing else []
    if not gone:
        return None
    points = tuple(dict.fromkeys(point for one in gone for point in one.points))
    return read_points(weighing, points, tr("Measure {shown} while it fails", shown=few(points)),
                       tr("{seen} before; what comes and goes is there just now.", seen=gone[0].words))
