"""The next step: the action after which the expected cost of the job is least, one step ahead."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from dextrum.core.advice.actions import Action, OutcomeMeaning
from dextrum.core.advice.doubt_actions import OpenDoubt, charging_action, doubt_actions
from dextrum.core.advice.gates import PLAIN_FAULTS, Gate, held_gates, off_points, points_to_recheck
from dextrum.core.advice.outcomes import OUTCOMES, build_outcome_table
from dextrum.core.advice.rates import ShopRates
from dextrum.core.advice.repairs import build_repair_options
from dextrum.core.advice.weighing import AdviceModel, Weighing
from dextrum.core.advice.wording import percent, repair_title, where_words
from dextrum.core.board import Method
from dextrum.core.diagnosis.evidence import prediction_sizes
from dextrum.core.diagnosis.functions import state_chances
from dextrum.core.diagnosis.likelihood import check_chances
from dextrum.core.diagnosis.model import DiagnosisModel
from dextrum.core.diagnosis.posterior import Posterior
from dextrum.core.draw.cell import Span
from dextrum.core.draw.states import states_of
from dextrum.core.job import JobFacts

CLEARED = 0.75
"""Chance that no fault is left, above which the device goes to proof."""
LEAST_OUTCOME = 0.03
SAME_READING = 1e-3
"""Weight of the rows that tell two points of one copper apart, below which a second one is not offered."""
BEYOND_REPAIR = 0.8
"""Chance that nothing on the board can be mended, above which giving up competes with going on."""
MOST_RANKED = 8
NEEDS_A_CELL = ("try", "repair", "give_up")


@dataclass(frozen=True)
class Advice:
    """next is ranked[0]. gates hold now. nothing_left: chance that no fault is left."""

    next: Action
    ranked: tuple[Action, ...]
    gates: tuple[Gate, ...]
    nothing_left: float


def build_advice_model(model: DiagnosisModel, rates: ShopRates | None = None) -> AdviceModel:
    rates = rates or ShopRates()
    table = build_outcome_table(model.warm())
    sizes = [prediction_sizes(model, p, model.board.point_by_id[p].default_method) for p in table.points]
    return AdviceModel(model, rates, table, build_repair_options(model.board, model.hypotheses, rates),
                       np.array(sizes, dtype=np.float32).reshape(len(sizes), model.hypotheses.count))


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


def _measure_actions(weighing: Weighing) -> list[Action]:
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
    for k in np.argsort(total, kind="stable")[:MOST_RANKED]:
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
        actions.append(Action("measure", point.id, title,
                              where_words(board, point), why, float(minutes[k]),
                              weighing.minutes_cost(float(minutes[k])), float(total[k]), (point.id,), outcomes))
    return actions


def _scan_action(weighing: Weighing) -> Action | None:
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
    expected += weighing.minutes_cost(minutes)
    title = "Read the port, contact by contact" if len(due) > 3 else f"Read {', '.join(due)}"
    return Action("scan", due[0], title, f"{len(due)} contacts, diode mode, cell unplugged",
                  "One pass compares every line with a good board." if weighing.advice.model.references.boards
                  else "There is no known-good board yet: twins are compared by eye.", minutes,
                  weighing.minutes_cost(minutes), expected, tuple(due))


def _supply_actions(weighing: Weighing) -> list[Action]:
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
        outcomes = tuple(OutcomeMeaning(words[s], float(chance[s]), weighing.lead(joint[s]))
                         for s in np.argsort(-chance, kind="stable")[:3] if chance[s] >= LEAST_OUTCOME)
        actions.append(Action("supply", orientation, f"Read the supply, {orientation.upper()} side up",
                              "known-good supply and cable, power meter in line",
                              "The draw tells which part of the charging path answers.", minutes,
                              weighing.minutes_cost(minutes), after + weighing.minutes_cost(minutes),
                              (), outcomes))
    return actions


def _try_actions(weighing: Weighing) -> list[Action]:
    """After a repair: try what the unit must do. The only test that a quiet failure answers to."""
    board, facts = weighing.board, weighing.facts
    if facts.epoch == 0:
        return []
    actions = []
    for check in board.checks:
        live = check_chances(weighing.advice.model, check.id, weighing.broken)
        if live is None or check.id in (facts.proofs or {}):
            continue
        joint = np.stack([weighing.weight * live, weighing.weight * (1.0 - live)])
        chance = joint.sum(axis=1)
        cost = weighing.minutes_cost(check.minutes)
        outcomes = tuple(OutcomeMeaning(word, float(chance[k]), weighing.lead(joint[k]))
                         for k, word in enumerate(("passes", "fails")) if chance[k] >= LEAST_OUTCOME)
        actions.append(Action("try", check.id, f"Try it: {check.words[0].lower()}{check.words[1:]}",
                              "assembled just enough; port screws in, heat sink on",
                              "Only trying tells whether a chip does its job.", check.minutes, cost,
                              float(chance @ weighing.expect(joint)) + cost, (), outcomes))
    return actions


def _repair_actions(weighing: Weighing) -> list[Action]:
    board = weighing.board
    chance = weighing.weight @ weighing.there
    actions = []
    worth = (weighing.weight @ weighing.options.mends) / np.maximum(weighing.costs, 1e-9)
    order = np.argsort(-worth, kind="stable")[:4]
    for k in order:
        if chance[k] < 0.01:
            continue
        option = weighing.options.options[k]
        # As in `expected_repair_cost`: a unit with nothing wrong shows it when it is tried, before any repair.
        expected = float(weighing.costs[k]) * (1.0 - weighing.nothing) + weighing.after_repair(int(k))
        minutes = board.minutes_to(option.access, weighing.facts.access) + option.minutes
        price = f", part {option.price:.2f}" if option.price else ""
        actions.append(Action(
            "repair", option.part, repair_title(board, option.part, option.action),
            f"{board.component_by_designator[option.part].purpose}{price}"
            if option.part in board.component_by_designator else "fine enamelled wire",
            f"Mends what is wrong with a chance of {percent(chance[k])}.", minutes, float(weighing.costs[k]),
            expected, (), (), option.action))
    return actions


def _give_up(weighing: Weighing) -> Action:
    """Ending it as a donor: what the unit is worth is lost. What can't be mended at all makes it cheaper."""
    value = weighing.board.unit_value
    mendable = np.minimum(weighing.options.mends.sum(axis=1), 1.0) if weighing.options.options else 0.0
    beyond = float((weighing.weight * (1.0 - mendable)).sum()) - weighing.nothing
    if not weighing.advice.model.hypotheses.faults:
        beyond = 0.0  # a pack without parts knows nothing about what can be mended
    expected = value if beyond > BEYOND_REPAIR else weighing.give_up
    why = (f"What is wrong can't be mended here, with a chance of {percent(beyond)}." if beyond > BEYOND_REPAIR
           else "What the unit is worth is lost.")
    return Action("give_up", "", "Give it up as a donor", "", why, 0.0, value, expected)


def _protocol(weighing: Weighing, gates: tuple[Gate, ...]) -> Action | None:
    """Steps that come before any weighing."""
    facts, board, rates = weighing.facts, weighing.board, weighing.rates
    held = {gate.id: gate for gate in gates}
    model = weighing.advice.model
    if facts.outcome is not None:
        return Action("done", "", "Nothing more to do", "", "The job is closed.", 0, 0, 0)
    if "look_first" in held:
        return Action("look", "port", "Look into the port", "under magnification",
                      held["look_first"].words, rates.look_minutes,
                      weighing.minutes_cost(rates.look_minutes), weighing.now)
    if facts.wait is not None:
        until = facts.wait.until.replace("T", " ")
        return Action("wait", "", f"Wait: {facts.wait.why[0].lower()}{facts.wait.why[1:]}",
                      f"look again {until}" if until else "", "Other jobs fit in here. Any entry ends the wait.",
                      0.0, 0.0, weighing.now)
    due = points_to_recheck(board, model.references, facts)
    if due:
        minutes = rates.touch_minutes * len(due)
        return Action("recheck", due[0], f"Read again: {', '.join(due[:3])}"
                      + (f" and {len(due) - 3} more" if len(due) > 3 else ""),
                      where_words(board, board.point_by_id[due[0]]),
                      "The short must be gone and the opens closed before power is applied.",
                      minutes, weighing.minutes_cost(minutes), weighing.now, due)
    unread = [o for o in "ab" if not facts.drawn(o)]
    if board.draw_states and unread and not facts.readings and not facts.reworks and not any(
            gate.holds_back == "supply" for gate in gates):
        found = [a for a in _supply_actions(weighing) if a.target == unread[0]]
        return replace(found[0], why="Two minutes with the unit still closed, before anything is opened.")
    if "cause" in held:
        return Action("cause", "", "Name what blew it", "supply, dock, force or liquid",
                      held["cause"].words, 1.0, weighing.minutes_cost(1.0), weighing.now)
    return None


def _proving(weighing: Weighing) -> Action | None:
    """Proof and hand-over, once nothing is likely to be left and both orientations charge."""
    board, facts = weighing.board, weighing.facts
    passed = {check for check, proof in (facts.proofs or {}).items() if proof.passed}
    failed = [check for check, proof in (facts.proofs or {}).items() if not proof.passed]
    missing = [check for check in board.checks if check.id not in passed]
    if board.checks and not missing and not failed:
        return Action("hand_over", "", "Hand it over", "write the outcome, print the sheet",
                      "Every check has passed.", 3.0, weighing.minutes_cost(3.0), weighing.minutes_cost(3.0))
    still_off = off_points(board, weighing.advice.model.references, facts, facts.epoch, PLAIN_FAULTS)
    if weighing.nothing < CLEARED or failed or still_off:
        return None
    unread = [o for o in "ab" if board.draw_states and not facts.drawn(o)]
    if unread:
        first = next(a for a in _supply_actions(weighing) if a.target == unread[0])
        return replace(first, why="The readings are clean: now power, both ways up.")
    minutes = sum(check.minutes for check in missing)
    return Action("prove", missing[0].id if missing else "", "Prove it works",
                  f"{len(missing)} checks left", f"No fault is left with a chance of {percent(weighing.nothing)}.",
                  minutes, weighing.minutes_cost(minutes), weighing.minutes_cost(minutes))


def recommend(advice: AdviceModel, posterior: Posterior, facts: JobFacts, doubt: OpenDoubt | None = None,
              starts: Span | None = None) -> Advice:
    """Ranked actions with the best first. Held gates leave out what they hold back.

    doubt: a draw that has two explanations still, which waiting or a known-good cell would separate. starts: minutes
    until the cell is up far enough for the unit to start, where the draw says that it isn't.
    """
    board = advice.model.board
    weighing = Weighing(advice, posterior, facts)
    gates = held_gates(board, advice.model.references, facts)
    held = {gate.holds_back for gate in gates}
    first = _protocol(weighing, gates) or _proving(weighing)
    if first is not None and first.kind == "prove" and starts is not None and starts.middle >= 1.0 \
            and not facts.proofs:
        first = charging_action(weighing, starts)
    candidates: list[Action] = []
    settling = doubt_actions(weighing, doubt) if doubt is not None and "supply" not in held else []
    if first is None and settling and not facts.readings and facts.access in (
            "", *(level.id for level in board.access_levels[:1])):
        # Before anything is opened for a fault that may be none: what settles it, if it pays at all.
        best = min(settling, key=lambda action: action.expected)
        first = best if best.expected < weighing.now else None
    scan = _scan_action(weighing)
    if scan is not None:
        candidates.append(scan)
    if "supply" not in held:
        candidates.extend(_supply_actions(weighing))
        candidates.extend(_try_actions(weighing))
        candidates.extend(settling)
    candidates.extend(_measure_actions(weighing))
    candidates.extend(_repair_actions(weighing))
    candidates.append(_give_up(weighing))
    candidates.sort(key=lambda action: action.expected)
    if first is None and starts is not None and starts.middle >= 1.0 and candidates[0].kind in NEEDS_A_CELL:
        # A unit with a flat cell can't be tried, and no chip is changed for what charging may mend.
        first = charging_action(weighing, starts)
    ranked = (([first] if first is not None else []) + candidates)[:MOST_RANKED + 1]
    ranked += [action for action in settling if action not in ranked]
    if facts.outcome is not None:
        ranked = ranked[:1]
    return Advice(ranked[0], tuple(ranked), gates, weighing.nothing)
