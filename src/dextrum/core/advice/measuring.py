"""Looking further: points to measure, the port as a whole, the supply, and trying what the unit must do."""

from __future__ import annotations

import numpy as np

from dextrum.core.advice.actions import Action
from dextrum.core.advice.doubt_actions import probing_access
from dextrum.core.advice.outcomes import OUTCOMES
from dextrum.core.advice.touches import single_touches, slip_words
from dextrum.core.advice.weighing import Weighing
from dextrum.core.advice.wording import percent, where_words
from dextrum.core.board import Method
from dextrum.core.diagnosis.functions import state_chances
from dextrum.core.diagnosis.likelihood import check_chances
from dextrum.core.draw.states import states_of
from dextrum.core.proof.tries import tries_left
from dextrum.core.reference.off_points import off_points
from dextrum.tongue import tr, within

SAME_READING = 1e-3
"""Weight of the rows that tell two points of one copper apart, below which a second one is not offered."""
MOST_MEASURED, MOST_COMPARED, SHORTLISTED = 8, 32, 3
SAME_VOLTS = 2e-3
LEAST_CHANCE = 1e-4
"""Of two outcomes together, below which what follows is not looked at."""


def _says_nothing_new(weighing: Weighing, own: np.ndarray, seen: np.ndarray) -> bool:
    """Whether a point on copper that has been read would read the same under every row that weighs. own: what it would
    read, (L,); seen: what those would that have been read on its copper, (N, L)."""
    if np.isnan(own).any():
        return False
    with np.errstate(invalid="ignore"):
        differs = ~(np.abs(own - seen) <= SAME_VOLTS) & (own != seen)
    return bool((differs @ weighing.weight).min() < SAME_READING)


def _unread(weighing: Weighing, again: frozenset[str]) -> np.ndarray:
    """Places in the outcome table of the points that could tell something, MOST_COMPARED at most: those whose outcomes
    differ most between the rows that weigh, in the table's order."""
    facts, table = weighing.facts, weighing.advice.outcomes
    taken: set[str] = set()
    read: dict[int, list[int]] = {}
    copper = weighing.advice.model.copper
    for epoch, name, method in facts.readings or {}:
        if epoch == facts.epoch:
            taken.add(name)
            if method == Method.DIODE_RED_GROUND and name in copper and name in table.place:
                read.setdefault(copper[name], []).append(table.place[name])
    ranked = np.argsort(-table.spread(weighing.row_weight), kind="stable").tolist()
    values: dict[int, np.ndarray] = {}
    found: list[int] = []
    for rank, i in enumerate(ranked):
        if rank % MOST_COMPARED == 0:
            # What the next few would read, and what has been read on their copper, all at once.
            beside = [k for k in ranked[rank:rank + MOST_COMPARED] if table.points[k] not in taken]
            places = {k for b in beside if copper[table.points[b]] in read for k in (b, *read[copper[table.points[b]]])}
            due = np.array(sorted(places - values.keys()), dtype=int)
            values.update(zip(due.tolist(), weighing.values_at(due) if len(due) else (), strict=True))
        point = table.points[i]
        others = read.get(copper[point], [])
        if point in again or (point not in taken and not (others and _says_nothing_new(
                weighing, values[i], np.stack([values[k] for k in others])))):
            found.append(i)
            if len(found) == MOST_COMPARED:
                break
    return np.array(sorted(found), dtype=int)


def measure_actions(weighing: Weighing) -> list[Action]:
    """Every point not yet read since the last repair that could tell something, with its expected cost."""
    board, facts, rates = weighing.board, weighing.facts, weighing.rates
    table = weighing.advice.outcomes
    again = single_touches(weighing) & set(off_points(board, weighing.advice.model.references, facts, facts.epoch))
    places = _unread(weighing, again)
    if not len(places):
        return []
    chances = weighing.outcome_chances(places)
    weighing.compared = places, chances
    joint = chances * weighing.weight
    shape = joint.shape
    chance = joint.sum(axis=2)
    reach: dict[str, list[int]] = {}
    for k, i in enumerate(places.tolist()):
        reach.setdefault(probing_access(board, facts, board.point_by_id[table.points[i]].access), []).append(k)
    expected = np.empty(shape[:2])
    minutes = np.empty(len(places))
    accesses = [""] * len(places)
    for access, members in reach.items():
        part = joint[members]
        expected[members] = weighing.expect(part.reshape(-1, shape[2]), access).reshape(part.shape[:2])
        minutes[members] = board.minutes_to(access, facts.access) + np.array([
            rates.reading_minutes(board.point_by_id[table.points[int(places[k])]]) for k in members])
        for k in members:
            accesses[k] = access
    total = (chance * expected).sum(axis=1) + minutes * rates.labour_per_minute
    resolved, shaken = weighing.decided_each(joint), weighing.shaken(joint, weighing.likeliest_part)
    shortlist = list(dict.fromkeys([*np.argsort(total, kind="stable")[:SHORTLISTED].tolist(),
                                    *np.argsort(-resolved, kind="stable")[:SHORTLISTED].tolist()]))
    doubtful = [k for k in np.argsort(-shaken, kind="stable")[:SHORTLISTED].tolist() if k not in shortlist]
    _look_two_ahead(weighing, shortlist, chances, joint, expected, minutes, accesses, total)
    actions = []
    lead_now = float(weighing.leading(weighing.weight))
    best = np.argsort(total, kind="stable")[:MOST_MEASURED].tolist()
    shown = list(dict.fromkeys([*best, *shortlist, *doubtful]))
    leading = weighing.leading(joint[shown]).sum(axis=1).tolist()
    for k, after_it in zip(shown, leading, strict=True):
        point = board.point_by_id[table.points[int(places[k])]]
        weighing.tell("measure", point.id, OUTCOMES, joint[k])
        why = (tr("Should raise the top suspect from {percent} to about {percent2}.", percent=percent(lead_now),
                  percent2=percent(after_it))
               if after_it > lead_now + 0.005 else tr("Would add little."))
        title = tr("Measure {point}", point=point.words or point.id)
        if point.id in again:
            title = tr("Touch {point} again", point=point.words or point.id)
            why = tr("Clean and touch once more before believing it: {slip_words}.",
                     slip_words=slip_words(weighing, (point.id,)))
        actions.append(Action("measure", point.id, title,
                              where_words(board, point), why, float(minutes[k]),
                              weighing.minutes_cost(float(minutes[k])), float(total[k]), (point.id,)))
    return actions


def _look_two_ahead(weighing: Weighing, shortlist: list[int], chances: np.ndarray, joint: np.ndarray,
                    expected: np.ndarray, minutes: np.ndarray, accesses: list[str], total: np.ndarray) -> None:
    """Lower `total` (P,) of the shortlisted points to what they cost with the best second point after each outcome.
    accesses: how far each leaves the unit open, (P,).

    Two readings often pay only together: neither alone clears a chip, both do.
    """
    if len(shortlist) < 2:
        return
    touch = weighing.minutes_cost(weighing.rates.touch_minutes)
    if np.ptp(minutes[shortlist]) > weighing.rates.touch_minutes:
        return
    pairs = [(a, b) for i, a in enumerate(shortlist) for b in shortlist[i + 1:]]
    one, other = (np.array(column) for column in zip(*pairs, strict=True))
    both = joint[one][:, :, None, :] * chances[other][:, None, :, :]
    chance = both.sum(axis=3)
    after = np.zeros(chance.shape)
    counts = chance > LEAST_CHANCE
    after[counts] = weighing.expect(both[counts], accesses[shortlist[0]])
    spent = chance * after
    for a in shortlist:
        # What each outcome of this point leads to, with each of the others read next (others, outcomes).
        found = np.concatenate([spent[one == a].sum(axis=2), spent[other == a].sum(axis=1)])
        own = joint[a].sum(axis=1)
        best = np.minimum(own * expected[a], found.min(axis=0) + own * touch)
        total[a] = min(total[a], float(best.sum()) + minutes[a] * weighing.rates.labour_per_minute)


def scan_action(weighing: Weighing) -> Action | None:
    """All port contacts as one action: each likely row is taken with its most likely outcomes."""
    board, facts, rates = weighing.board, weighing.facts, weighing.rates
    table = weighing.advice.outcomes
    place = table.place
    due = [p for p in board.port_point_ids()
           if not any(facts.reading(p, m.value) is not None for m in board.point_by_id[p].methods)]
    columns = [place[p] for p in due if p in place]
    if not due:
        return None
    access = board.access_levels[1].id if len(board.access_levels) > 1 and facts.cell != "unplugged" \
        else facts.access
    minutes = board.minutes_to(access, facts.access) + rates.contact_minutes * len(due) + 1.0
    expected = weighing.now
    if columns:
        top = np.argsort(-weighing.weight, kind="stable")[:64]
        log_chance = np.log(weighing.outcome_chances(np.array(columns)))
        likely = np.argmax(log_chance[:, :, top], axis=1)
        contact = np.arange(len(columns))[:, None]
        seen = log_chance[contact, likely].sum(axis=0)
        joint = np.exp(seen - seen.max(axis=1, keepdims=True)) * weighing.weight
        share = weighing.weight[top] / weighing.weight[top].sum()
        expected = float(share @ weighing.expect(joint, access))
        weighing.tell("scan", due[0], (), joint / joint.sum(axis=1, keepdims=True) * share[:, None])
    expected += weighing.minutes_cost(minutes)
    title = tr("Read the port, contact by contact") if len(due) > 3 else tr("Read {due}", due=", ".join(due))
    return Action("scan", due[0], title, tr("{count} contacts, diode mode, cell unplugged", count=len(due)),
                  tr("One pass compares every line with the reference.") if weighing.advice.model.references.boards
                  else tr("There is no known-good board yet: twin contacts are compared with each other."), minutes,
                  weighing.minutes_cost(minutes), expected, tuple(due))


def supply_actions(weighing: Weighing) -> list[Action]:
    board, facts = weighing.board, weighing.facts
    if not board.draw_states:
        return []
    actions = []
    words = [state.words for state in states_of(board)] + [tr("a pattern this model is not known for")]
    for orientation in "ab":
        if facts.drawn(orientation):
            continue
        states = state_chances(board, weighing.broken, orientation)
        joint = (states * weighing.weight[:, None]).T
        chance = joint.sum(axis=1)
        after = float(chance @ weighing.expect(joint))
        minutes = weighing.rates.supply_minutes + (weighing.rates.replug_minutes if facts.cell == "unplugged" else 0.0)
        weighing.tell("supply", orientation, words, joint)
        actions.append(Action("supply", orientation, tr("Read the supply, {orientation} side up",
                                                        orientation=orientation.upper()),
                              tr("known-good supply and cable, power meter in line"),
                              tr("The draw tells which part of the charging path answers."), minutes,
                              weighing.minutes_cost(minutes), after + weighing.minutes_cost(minutes)))
    return actions


def try_actions(weighing: Weighing) -> list[Action]:
    """Try what the unit must do: what the owner says is weak, and a quiet failure answers to nothing else. What was
    tried once is tried once more where that pays, what failed first: a picture may be flaky, and one that came may have
    come by chance."""
    board, facts = weighing.board, weighing.facts
    actions = []
    again = {item.subject: item.seen for item in weighing.evidence.items if item.kind == "check"
             and item.touches == 1 and item.epoch == facts.epoch and not item.isolated}
    if "failed" in again.values():
        again = {check: seen for check, seen in again.items() if seen == "failed"}
    due = [check for check in board.checks if (check.id not in (facts.proofs or {}) or check.id in again)
           and check.id not in (facts.left_out or {})]
    passing = [(check, live) for check in due
               if (live := check_chances(weighing.advice.model, check.id, weighing.broken)) is not None]
    joints = [weighing.weight * np.stack([live, 1.0 - live]) for _, live in passing]
    after = weighing.expect_each(joints, [""] * len(joints))
    for (check, _), joint, expected in zip(passing, joints, after, strict=True):
        minutes = check.minutes + (weighing.rates.replug_minutes if facts.cell == "unplugged" else 0.0)
        cost = weighing.minutes_cost(minutes)
        weighing.tell("try", check.id, (tr("passes"), tr("fails")), joint)
        words = within(check.words)
        title, why = {
            "failed": (tr("Try once more: {words}", words=words), tr("Re-plug and retry: a first picture can fail.")),
            "passed": (tr("Try once more: {words}",
                          words=words), tr("It has worked once, and a single try can mislead.")),
        }.get(again.get(check.id, ""), (tr("Try it: {words}",
                                           words=words), tr("Readings cannot show this; it must be tried.")))
        how = tr("assembled just enough; port screws in, heat sink on")
        left = tries_left(facts, check.id)
        if left is not None and left.passed and not left.enough:
            title, how = tr("Try on: {words}", words=words), left.words
            why = tr("It comes and goes: gone with {percent} so far.", percent=percent(left.gone))
        actions.append(Action("try", check.id, title, how, why,
                              minutes, cost, expected + cost))
    return actions
