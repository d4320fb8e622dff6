"""The next step: the action after which the expected cost of the job is least, one step ahead."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from dextrum.core.advice.actions import Action
from dextrum.core.advice.advice_model import AdviceModel
from dextrum.core.advice.before_repair import TESTS, before_giving_up, before_repair, processor_first, touch_again
from dextrum.core.advice.doubt_actions import OpenDoubt, charging_action, doubt_actions
from dextrum.core.advice.elimination import (
    Load,
    injection_actions,
    isolating_actions,
    only_leaks,
    pulled_down,
    rail_actions,
)
from dextrum.core.advice.lifting_gates import lifting_action, read_again
from dextrum.core.advice.looking import board_look_actions
from dextrum.core.advice.measuring import measure_actions, scan_action, supply_actions, try_actions
from dextrum.core.advice.outcomes import build_outcome_table
from dextrum.core.advice.rates import ShopRates
from dextrum.core.advice.repairing import put_back, repair_action, repair_actions
from dextrum.core.advice.repairs import build_repair_options
from dextrum.core.advice.weighing import Weighing, points_that_settle
from dextrum.core.advice.wording import percent, where_words
from dextrum.core.board import Board
from dextrum.core.diagnosis.evidence import prediction_sizes, standardised
from dextrum.core.diagnosis.model import DiagnosisModel
from dextrum.core.diagnosis.posterior import Posterior
from dextrum.core.draw.cell import Span
from dextrum.core.job import JobFacts
from dextrum.core.reference.off_points import ON_GROUND, PLAIN_FAULTS, off_points
from dextrum.core.safety.activities import Activity, activities_of_action
from dextrum.core.safety.gates import Gate, held_gates
from dextrum.core.safety.recheck import points_to_recheck

CLEARED = 0.75
"""Chance that no fault is left, above which the device goes to proof."""
LIKELY_WHOLE = 0.5
"""Chance that no fault is left, from which a unit is proved before it is given up."""
BEYOND_REPAIR = 0.8
"""Chance that nothing on the board can be mended, above which giving up competes with going on."""
TRIED_AGAIN = 0.3
"""Chance that no fault is left, from which a check that failed is tried once more before anything else."""
LIKELY_PART = 0.5
"""Chance of a part, below which it is likelier good than not."""
LEAST_PAID = 0.5
"""Share of its own cost that a touch must earn to come before the change of such a part."""
MOST_TRIES = 5
"""Trials of one check, after which it counts as failed whatever else is known."""
MOST_RANKED = 8
LEAST_GAIN = 0.1
AT_ONCE = frozenset({"make_safe", "look", "clean"})
"""What lifts a gate and comes before everything else: danger first, then the port as it is seen."""
BEFORE_THE_REST = ("audit", "warm")
ON_WITH_PARTS_OFF = ("isolate", "inject", "repair", "done", "wait", "give_up")


@dataclass(frozen=True)
class Advice:
    """next is ranked[0]. gates hold now. nothing_left: chance that no fault is left. loads: of a shorted rail, in the
    order in which to take them off; leaks_at: its net, where it isn't shorted but only reads low. beyond: the likeliest
    part that can't be mended here, and its chance. settles: of the faults that were asked about, the point that would
    tell most."""

    next: Action
    ranked: tuple[Action, ...]
    gates: tuple[Gate, ...]
    nothing_left: float
    loads: tuple[Load, ...] = ()
    beyond: tuple[str, float] = ("", 0.0)
    settles: tuple[tuple[int, str], ...] = ()
    leaks_at: str = ""


def build_advice_model(model: DiagnosisModel, rates: ShopRates | None = None,
                       prices: Mapping[str, float] | None = None) -> AdviceModel:
    """prices: of parts, where this shop's differ from the pack's."""
    rates = rates or ShopRates()
    table = build_outcome_table(model.warm())
    sizes = [prediction_sizes(model, p, model.board.point_by_id[p].default_method) for p in table.points]
    return AdviceModel(model, rates, table, build_repair_options(model.board, model.hypotheses, rates, prices or {}),
                       np.array(sizes, dtype=np.float32).reshape(len(sizes), model.hypotheses.count))


def _port_first(weighing: Weighing, leading: Action) -> Action | None:
    """Replacing a port that is seen to be damaged before anything else is changed or given up: nothing can be proved
    until then."""
    ports = {port.component for port in weighing.board.ports}
    if leading.kind not in ("repair", "isolate", "give_up") or leading.target in ports or (
            leading.kind == "give_up" and weighing.beyond_repair - weighing.unexplained > BEYOND_REPAIR):
        return None
    for k, option in enumerate(weighing.options.options):
        if option.part in ports and option.action == "replace":
            action = repair_action(weighing, k, weighing.chance_to_mend(k))
            return touch_again(weighing) or processor_first(weighing) or replace(
                action, why="It is damaged: nothing is plugged in, and so nothing proved, until it is replaced.")
    return None


def _charged_first(weighing: Weighing, leading: Action, starts: Span) -> Action | None:
    """Charging before the leading action, if it must be: a unit with a flat cell can't be tried, and nothing is changed
    or given up for what charging may mend, where that is likely enough to pay for the wait."""
    charging = charging_action(weighing, starts)
    pays = leading.kind in ("repair", "give_up") and weighing.nothing * leading.cost > charging.cost
    return charging if pays or leading.kind == "try" else None


def _give_up(weighing: Weighing, looked: bool) -> Action:
    """Ending it as a donor: what the unit is worth is lost. What can't be mended at all makes it cheaper.

    looked: whether the port was read whole and the rails were seen; before that, nothing is called unexplained.
    """
    value = weighing.board.unit_value - weighing.board.donor_value
    beyond = weighing.beyond_repair
    if not looked:
        beyond -= weighing.unexplained
    expected = value if beyond > BEYOND_REPAIR else weighing.give_up
    why = (f"What is wrong can't be mended here, with a chance of {percent(beyond)}." if beyond > BEYOND_REPAIR
           else f"Writes off the unit (donor value: {weighing.board.donor_value:.0f}).")
    return Action("give_up", "", "Give it up as a donor", "", why, 0.0, value, expected)


def _unknown(weighing: Weighing) -> Action:
    """With a pack that names no parts nothing can be weighed, and nothing is given up for that."""
    return Action("grow_pack", "", "This pack can't advise yet", "", "It names no parts. Add the port, the fuse and "
                  "filters beside it, what the unit must do and a good unit's readings; until then everything is "
                  "recorded.", 0.0, 0.0, weighing.now)


def _protocol(weighing: Weighing, gates: tuple[Gate, ...], due: tuple[str, ...]) -> Action | None:
    """Steps that come before any weighing. due: points to read again before power."""
    facts, board = weighing.facts, weighing.board
    held = {gate.id: gate for gate in gates}
    if facts.outcome is not None:
        return Action("done", "", "Nothing more to do", "", "The job is closed.", 0, 0, 0)
    for gate in gates:
        if gate.lifted_by in AT_ONCE:
            return lifting_action(weighing, gate)
    if not weighing.advice.model.hypotheses.faults and not board.checks and not board.draw_states and not due \
            and scan_action(weighing) is None:
        return _unknown(weighing)
    if facts.wait is not None and not facts.wait_is_over:
        until = facts.wait.until.replace("T", " at ")
        return Action("wait", "", f"Wait: {facts.wait.why[:1].lower()}{facts.wait.why[1:]}",
                      f"check again {until}" if until else "", "Other jobs fit in here. Any entry ends the wait.",
                      0.0, 0.0, weighing.now)
    for name in BEFORE_THE_REST:
        if name in held:
            return lifting_action(weighing, held[name])
    if due:
        return read_again(weighing, due)
    if facts.wait_is_over and facts.waits_on and not any(Activity.POWER in gate.holds for gate in gates):
        return Action("supply", facts.waits_on, f"Read the supply again, {facts.waits_on.upper()} side up",
                      "the same supply, cable and meter", "What has changed since tells a flat cell from a fault.",
                      weighing.rates.supply_minutes, weighing.minutes_cost(weighing.rates.supply_minutes), weighing.now)
    unread = [o for o in "ab" if not facts.drawn(o)]
    if board.draw_states and unread and not facts.readings and not facts.reworks and not any(
            Activity.POWER in gate.holds for gate in gates):
        found = [a for a in supply_actions(weighing) if a.target == unread[0]]
        return replace(found[0], why="Takes 2 min with the unit closed. Not if wet, hot or swollen.")
    if "cause" in held:
        return lifting_action(weighing, held["cause"])
    return None


def _proving(weighing: Weighing, held: set[str], cleared: float = CLEARED) -> Action | None:
    """Proof and hand-over, once all works with a chance of `cleared` and both orientations charge. held: what gates
    hold back; power is never advised past one."""
    action = _proof_due(weighing, cleared)
    if action is not None and action.kind in ("prove", "supply", "try") and "supply" in held:
        return touch_again(weighing)
    return action


def _proof_due(weighing: Weighing, cleared: float) -> Action | None:
    board, facts = weighing.board, weighing.facts
    passed = {check for check, proof in (facts.proofs or {}).items() if proof.passed}
    # A trail may hold checks that the pack no longer has; they can't be tried again, and hold nothing up.
    # What no function answers for, such as a missing screw, is put right and ticked again: it speaks of no part.
    failed = [check.id for check in board.checks
              if check.functions and check.id in (facts.proofs or {}) and check.id not in passed]
    missing = [check for check in board.checks if check.id not in passed]
    works = any(check.functions for check in board.checks) and not any(check.functions for check in missing)
    shaky = next((c for c in board.checks if c.id in facts.shaky_checks and c.functions), None)
    if board.checks and not missing and not failed and shaky is not None:
        return Action("try", shaky.id, f"Try once more: {shaky.words[0].lower()}{shaky.words[1:]}", "plug it anew",
                      "It failed, and has passed once since: what goes home has passed twice.", shaky.minutes,
                      weighing.minutes_cost(shaky.minutes), weighing.now)
    if board.checks and not missing and not failed:
        return Action("hand_over", "", "Hand it over", "write the outcome, print the sheet",
                      "Every check has passed.", 3.0, weighing.minutes_cost(3.0), weighing.minutes_cost(3.0))
    again = _failed_once(weighing, failed)
    if again is not None:
        return again
    if weighing.nothing < cleared and not works:
        return None
    if failed:
        return _tried_anew(weighing, failed[0]) if weighing.nothing >= CLEARED else None
    if off_points(board, weighing.advice.model.references, facts, facts.epoch, PLAIN_FAULTS):
        # One slip of the hand must not end a job that is done. What stays open however often it is touched has been
        # weighed, and the proof decides; what stays on ground is never powered.
        again = touch_again(weighing)
        grounded = off_points(board, weighing.advice.model.references, facts, facts.epoch, ON_GROUND)
        if again is not None or grounded:
            return again
    # A check that reads the meter this way up needs no reading of its own before it.
    read_in_proof = {check.orientation for check in missing}
    unread = [o for o in "ab" if board.draw_states and not facts.drawn(o) and o not in read_in_proof]
    if unread:
        first = next(a for a in supply_actions(weighing) if a.target == unread[0])
        return replace(first, why="The readings are clean: now power, both ways up.")
    minutes = sum(check.minutes for check in missing)
    unmet = [check for check in missing if check.id in (facts.proofs or {})]
    if unmet and len(unmet) == len(missing):
        words = f"{unmet[0].words[0].lower()}{unmet[0].words[1:]}"
        return Action("prove", unmet[0].id, f"Put right, then tick again: {words}", "", "It works; this is left before "
                      "it goes back.", minutes, weighing.minutes_cost(minutes), weighing.minutes_cost(minutes))
    return Action("prove", missing[0].id if missing else "", "Prove it works",
                  f"{len(missing)} checks left", f"All works with a chance of {percent(weighing.nothing)}.",
                  minutes, weighing.minutes_cost(minutes), weighing.minutes_cost(minutes))


def _failed_once(weighing: Weighing, failed: Sequence[str]) -> Action | None:
    """What should work with a fair chance, and did not: it is tried once more before anything is opened for it."""
    tries = try_actions(weighing) if failed and weighing.nothing >= TRIED_AGAIN else []
    return next((a for a in tries if a.target in failed), None)


def _tried_anew(weighing: Weighing, failed: str) -> Action | None:
    """What has failed, and failed again, though no fault is left that would explain it: tried with gear known to be
    good, before a unit is given up that may work."""
    tries = sum(item.touches for item in weighing.evidence.items if item.kind == "check" and item.subject == failed)
    check = next(c for c in weighing.board.checks if c.id == failed)
    if tries >= MOST_TRIES:
        return None
    cost = weighing.minutes_cost(check.minutes)
    return Action("try", failed, f"Try with other gear: {check.words[0].lower()}{check.words[1:]}",
                  "another supply, cable and dock, known to be good",
                  "No fault is left that would explain why it fails.", check.minutes, cost, weighing.now)


def _only_looks(weighing: Weighing, action: Action) -> bool:
    """Whether it is a test that doesn't pay for itself: the job is then cheaper ended one way or the other."""
    return action.kind in TESTS and action.expected > weighing.now - LEAST_GAIN


def _read_apart(weighing: Weighing) -> Action | None:
    """With something off and nothing read since: the point that was shorted."""
    board, facts, rates = weighing.board, weighing.facts, weighing.rates
    read = any(epoch == facts.epoch and off == facts.isolated for epoch, _, _, off in facts.apart or {})
    if not facts.isolated or read:
        return None
    before = pulled_down(weighing, frozenset())
    if not before:
        return None
    point = board.point_by_id[before[0]]
    return Action("measure", point.id, f"Read {point.words or point.id} again", where_words(board, point),
                  f"Whether the short went with {', '.join(sorted(facts.isolated))}.", rates.touch_minutes,
                  weighing.minutes_cost(rates.touch_minutes), weighing.now, (point.id,))


def _kept_from(weighing: Weighing, gates: Sequence[Gate], leading: Action, held: set[str]) -> Action | None:
    """What comes before a part is changed or the unit given up: what is burst or bridged comes off first, since it
    holds power and nothing can be tried; and as long as it is likely that no fault is left, it is proved."""
    if leading.kind not in ("repair", "give_up", "isolate"):
        return None
    seen = next((gate for gate in gates if gate.id == "seen_on_board"), None)
    if seen is not None and leading.target != seen.target and not (
            leading.kind == "give_up" and weighing.beyond_repair - weighing.unexplained > BEYOND_REPAIR):
        found = lifting_action(weighing, seen)
        if found is not None:
            return found
    return _proving(weighing, held, 0.0) if weighing.nothing >= CLEARED else None


def _read_first(weighing: Weighing, candidates: Sequence[Action]) -> Action | None:
    """A touch before a part that is likelier good than not is changed, where it nearly pays: what the plan can't see,
    such as a rail that can be injected once it has been read, comes on top of that."""
    leading = candidates[0]
    if leading.kind != "repair" or weighing.chance_of_part.get(leading.target, 0.0) >= LIKELY_PART:
        return None
    touch = next((action for action in candidates if action.kind == "measure"), None)
    if touch is None or touch.expected > min(leading.expected, weighing.now) + (1.0 - LEAST_PAID) * touch.cost:
        return None
    return touch


def _holding(board: Board, gates: Sequence[Gate], action: Action) -> tuple[Gate, ...]:
    """Gates that hold an action back."""
    wanted = activities_of_action(board, action.kind, action.target)
    return tuple(gate for gate in gates if gate.holds & wanted)


def _unproved(seen: JobFacts) -> bool:
    """Whether nothing has been seen to fail since the last repair: then it is put together and proved, not given up."""
    return bool(seen.epoch) and all(proof.passed for proof in (seen.proofs or {}).values())


def _lifted_first(weighing: Weighing, gates: Sequence[Gate], leading: Action) -> Action | None:
    """What lifts the gates that hold the leading action back, one at a time; None where nothing holds it."""
    holding = _holding(weighing.board, gates, leading)
    for gate in holding:
        found = lifting_action(weighing, gate)
        if found is not None and not _holding(weighing.board, [g for g in gates if g is not gate], found):
            return replace(found, expected=leading.expected + found.cost)
    return None


def recommend(advice: AdviceModel, posterior: Posterior, seen: JobFacts, doubt: OpenDoubt | None = None,
              starts: Span | None = None, explain: bool = True, suspected: Sequence[int] = ()) -> Advice:
    """Ranked actions with the best first. Held gates leave out what they hold back, by the readings as they were seen;
    all else goes by them on this board's own scale.

    doubt: a draw that has two explanations still, which waiting or a known-good cell would separate. starts: minutes
    until the cell is up far enough for the unit to start, where the draw says that it isn't. explain: with what each
    outcome would mean, and what would settle the faults suspected.
    """
    board = advice.model.board
    facts = standardised(advice.model, seen, posterior.evidence.scale)
    weighing = Weighing(advice, posterior, facts)
    gates = held_gates(board, advice.model.references, seen)
    held = {activity.value for gate in gates for activity in gate.holds}
    apart = _read_apart(weighing)
    due = points_to_recheck(board, advice.model.references, seen)
    first = _protocol(weighing, gates, due) or apart or _proving(weighing, held)
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
    scan = scan_action(weighing)
    if scan is not None:
        candidates.append(scan)
    if "supply" not in held:
        candidates.extend(supply_actions(weighing))
        candidates.extend(try_actions(weighing))
        candidates.extend(rail_actions(weighing))
        candidates.extend(settling)
    candidates.extend(board_look_actions(weighing))
    candidates.extend(measure_actions(weighing))
    candidates.extend(repair_actions(weighing))
    isolating, loads = isolating_actions(weighing)
    candidates.extend(isolating)
    candidates.extend(injection_actions(weighing))
    looked = scan is None and not any(a.kind == "rail" for a in candidates)
    if weighing.advice.model.hypotheses.faults:
        candidates.append(_give_up(weighing, looked))
    elif not candidates:
        candidates.append(_unknown(weighing))
    candidates.sort(key=lambda action: (_only_looks(weighing, action), action.expected))
    if first is None and scan is None and any(gate.id == "damaged_port" for gate in gates):
        first = _port_first(weighing, candidates[0])
    if first is None:
        first = before_repair(weighing, candidates, "supply" in held)
    if first is None and candidates[0].kind == "give_up":
        named = weighing.beyond_repair - weighing.unexplained > BEYOND_REPAIR
        likely_whole = (weighing.nothing > LIKELY_WHOLE or _unproved(seen)) and "supply" not in held
        first = (_proving(weighing, held, 0.0) if likely_whole else None) or before_giving_up(
            weighing, candidates, looked, named, "supply" in held)
        if first is None and seen.epoch and "supply" not in held:
            first = _proving(weighing, held, 0.0)
    if first is None and candidates[0].kind == "repair" and "supply" not in held \
            and weighing.nothing > weighing.chance_of_part.get(candidates[0].target, 0.0):
        # Nothing is changed that is more likely whole than the unit is at fault: then it is proved.
        first = _proving(weighing, held, 0.0)
    if first is None:
        first = _kept_from(weighing, gates, candidates[0], held) or _read_first(weighing, candidates)
    leading = first or candidates[0]
    if facts.isolated and leading is not apart and (leading.kind not in ON_WITH_PARTS_OFF or (
            leading.kind == "give_up" and _unproved(seen))):
        first = put_back(weighing)
    elif first is None and starts is not None and starts.middle >= 1.0 and "supply" not in held:
        first = _charged_first(weighing, leading, starts)
    leading = first or leading
    lifted = _lifted_first(weighing, gates, leading)
    if lifted is not None or _holding(board, gates, leading):
        first = lifted
    if first is not None:
        candidates = [a for a in candidates if (a.kind, a.target) != (first.kind, first.target)]
    candidates = [a for a in candidates if not _holding(board, gates, a)]
    ranked = (([first] if first is not None else []) + candidates)[:MOST_RANKED + 1]
    ranked += [action for action in settling if action not in ranked and not _holding(board, gates, action)]
    if facts.outcome is not None:
        ranked = ranked[:1]
    if facts.wait is not None and facts.wait_is_over:
        ranked[0] = replace(ranked[0], why=f"The wait is over: {facts.wait.why} {ranked[0].why}")
    if explain:
        meant = weighing.meanings([(action.kind, action.target) for action in ranked])
        ranked = [action if action.outcomes or not own else replace(action, outcomes=own)
                  for action, own in zip(ranked, meant, strict=True)]
    return Advice(ranked[0], tuple(ranked), gates, weighing.nothing, loads,
                  weighing.part_beyond_repair, points_that_settle(weighing, suspected) if explain else (),
                  only_leaks(weighing) if loads else "")
