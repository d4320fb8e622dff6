"""Looking further: points to measure, the port as a whole, the supply, and trying what the unit must do."""

from __future__ import annotations

import numpy as np

from dextrum.core.advice.actions import Action, OutcomeMeaning
from dextrum.core.advice.gates import off_points
from dextrum.core.advice.outcomes import OUTCOMES
from dextrum.core.advice.weighing import Weighing
from dextrum.core.advice.wording import LEAST_OUTCOME, percent, where_words
from dextrum.core.board import Method
from dextrum.core.diagnosis.functions import state_chances
from dextrum.core.diagnosis.likelihood import check_chances
from dextrum.core.draw.states import states_of

SAME_READING = 1e-3
"""Weight of the rows that tell two points of one copper apart, below which a second one is not offered."""
MOST_MEASURED = 8


def _says_nothing_new(weighing: Weighing, point: str, read: dict[int, list[str]]) -> bool:
    """Whether a point on copper that has been read would read the same under every row that weighs."""
    model = weighing.advice.model
    places = weighing.advice.outcomes.place
    others = read.get(model.copper[point], ())
    if not others or point not in places:
        return False
    values = weighing.diode_values[places[point]]
    if np.isnan(values).any():
        return False
    for other in others:
        if other not in places:
            continue
        seen = weighing.diode_values[places[other]]
        same = np.isclose(values, seen, rtol=0.0, atol=2e-3)
        if float(weighing.weight[~same].sum()) < SAME_READING:
            return True
    return False


def measure_actions(weighing: Weighing) -> list[Action]:
    """Every point not yet read since the last repair, with its expected cost."""
    board, facts, rates = weighing.board, weighing.facts, weighing.rates
    table = weighing.advice.outcomes
    once = {item.subject for item in weighing.evidence.items
            if item.kind == "reading" and item.touches == 1 and item.epoch == facts.epoch}
    again = once & set(off_points(board, weighing.advice.model.references, facts, facts.epoch))
    read: dict[int, list[str]] = {}
    copper = weighing.advice.model.copper
    for epoch, name, method in facts.readings or {}:
        if epoch == facts.epoch and method == Method.DIODE_RED_GROUND and name in copper:
            read.setdefault(copper[name], []).append(name)
    open_points = [i for i, point in enumerate(table.points)
                   if point in again or (not any(facts.reading(point, m.value) is not None
                                                for m in board.point_by_id[point].methods)
                   and not _says_nothing_new(weighing, point, read))]
    if not open_points:
        return []
    joint = weighing.outcome_chances(np.array(open_points)) * weighing.weight
    shape = joint.shape
    chance = joint.sum(axis=2)
    cell_access = board.access_levels[1].id if len(board.access_levels) > 1 else facts.access
    reach: dict[str, list[int]] = {}
    for k, i in enumerate(open_points):
        access = board.point_by_id[table.points[i]].access
        if facts.cell != "unplugged" and board.access_order.get(access, 0) < board.access_order.get(
                cell_access, 0):
            access = cell_access
        reach.setdefault(access, []).append(k)
    expected = np.empty(shape[:2])
    minutes = np.empty(len(open_points))
    for access, members in reach.items():
        part = joint[members]
        expected[members] = weighing.expect(part.reshape(-1, shape[2]), access).reshape(part.shape[:2])
        minutes[members] = board.minutes_to(access, facts.access) + rates.touch_minutes
    after = (chance * expected).sum(axis=1)
    actions = []
    total = after + minutes * rates.labour_per_minute
    lead_now = weighing.leading(weighing.weight)
    for k in np.argsort(total, kind="stable")[:MOST_MEASURED]:
        point = board.point_by_id[table.points[open_points[k]]]
        outcomes = tuple(OutcomeMeaning(OUTCOMES[o], float(chance[k, o]), weighing.lead(joint[k, o]))
                         for o in np.argsort(-chance[k], kind="stable") if chance[k, o] >= LEAST_OUTCOME)
        after_it = sum(weighing.leading(joint[k, o]) for o in range(len(OUTCOMES)))
        why = (f"The leading suspect is then at {percent(after_it)} on average, instead of {percent(lead_now)}."
               if after_it > lead_now + 0.005 else "Tells little more than is known.")
        title = f"Measure {point.words or point.id}"
        if point.id in again:
            title = f"Touch {point.words or point.id} again"
            why = "Clean and touch once more before believing it: flux or lacquer reads open."
        weighing.joints["measure", point.id] = joint[k]
        actions.append(Action("measure", point.id, title,
                              where_words(board, point), why, float(minutes[k]),
                              weighing.minutes_cost(float(minutes[k])), float(total[k]), (point.id,), outcomes))
    return actions


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
        weighing.joints["scan", due[0]] = joint / joint.sum(axis=1, keepdims=True) * share[:, None]
    expected += weighing.minutes_cost(minutes)
    title = "Read the port, contact by contact" if len(due) > 3 else f"Read {', '.join(due)}"
    return Action("scan", due[0], title, f"{len(due)} contacts, diode mode, cell unplugged",
                  "One pass compares every line with a good board." if weighing.advice.model.references.boards
                  else "There is no known-good board yet: twins are compared by eye.", minutes,
                  weighing.minutes_cost(minutes), expected, tuple(due))


def supply_actions(weighing: Weighing) -> list[Action]:
    board, facts = weighing.board, weighing.facts
    if not board.draw_states:
        return []
    actions = []
    words = [state.words for state in states_of(board)] + ["a pattern this model is not known for"]
    for orientation in "ab":
        if facts.drawn(orientation):
            continue
        states = state_chances(board, weighing.broken, orientation)
        joint = (states * weighing.weight[:, None]).T
        chance = joint.sum(axis=1)
        after = float(chance @ weighing.expect(joint))
        minutes = weighing.rates.supply_minutes + (weighing.rates.replug_minutes if facts.cell == "unplugged" else 0.0)
        weighing.joints["supply", orientation] = joint
        outcomes = tuple(OutcomeMeaning(words[s], float(chance[s]), weighing.lead(joint[s]))
                         for s in np.argsort(-chance, kind="stable")[:3] if chance[s] >= LEAST_OUTCOME)
        actions.append(Action("supply", orientation, f"Read the supply, {orientation.upper()} side up",
                              "known-good supply and cable, power meter in line",
                              "The draw tells which part of the charging path answers.", minutes,
                              weighing.minutes_cost(minutes), after + weighing.minutes_cost(minutes),
                              (), outcomes))
    return actions


def try_actions(weighing: Weighing) -> list[Action]:
    """Try what the unit must do: what the owner says is weak, and a quiet failure answers to nothing else."""
    board, facts = weighing.board, weighing.facts
    actions = []
    for check in board.checks:
        live = check_chances(weighing.advice.model, check.id, weighing.broken)
        if live is None or check.id in (facts.proofs or {}):
            continue
        joint = np.stack([weighing.weight * live, weighing.weight * (1.0 - live)])
        chance = joint.sum(axis=1)
        minutes = check.minutes + (weighing.rates.replug_minutes if facts.cell == "unplugged" else 0.0)
        cost = weighing.minutes_cost(minutes)
        weighing.joints["try", check.id] = joint
        outcomes = tuple(OutcomeMeaning(word, float(chance[k]), weighing.lead(joint[k]))
                         for k, word in enumerate(("passes", "fails")) if chance[k] >= LEAST_OUTCOME)
        actions.append(Action("try", check.id, f"Try it: {check.words[0].lower()}{check.words[1:]}",
                              "assembled just enough; port screws in, heat sink on",
                              "Only trying tells whether a chip does its job.", minutes, cost,
                              float(chance @ weighing.expect(joint)) + cost, (), outcomes))
    return actions
