"""Proof and hand-over: when what must work is tried, how often, and what is tried once more."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from dextrum.core.advice.actions import Action
from dextrum.core.advice.before_repair import touch_again
from dextrum.core.advice.kinds.registry import activities_of_action
from dextrum.core.advice.lifting_gates import lifting_action
from dextrum.core.advice.measuring import supply_actions, try_actions
from dextrum.core.advice.on_ground import has_worked, held_by_ground, read_elsewhere
from dextrum.core.advice.weighing import Weighing
from dextrum.core.advice.went_away import read_while_it_fails, touched_before_it_goes_home, tried_on
from dextrum.core.advice.wording import percent
from dextrum.core.assumptions.planning import CLEARED, LIKELY_WHOLE, MOST_TRIES, TRIED_AGAIN
from dextrum.core.board.kinds import FEED_ROLES
from dextrum.core.proof.order import checks_in_order, in_this_order
from dextrum.core.proof.tries import unproved
from dextrum.core.reference.off_points import PLAIN_FAULTS, off_points
from dextrum.core.safety.gates import Gate
from dextrum.tongue import tr, within


def proving(weighing: Weighing, gates: Sequence[Gate], cleared: float = CLEARED) -> Action | None:
    """Proof and hand-over, once all works with a chance of `cleared` and both orientations charge. gates: that hold;
    power is never advised past one, and what only wants putting together comes first."""
    action = _proof_due(weighing, cleared)
    if action is None or action.kind not in ("prove", "supply", "try"):
        return action
    if any(gate.holds_power for gate in gates):
        return touch_again(weighing)
    does = activities_of_action(weighing.board, action)
    held = next((gate for gate in gates if gate.lifted_by == "assemble" and gate.holds & does), None)
    return lifting_action(weighing, held) if held is not None else action


def _proof_due(weighing: Weighing, cleared: float) -> Action | None:
    board, facts = weighing.board, weighing.facts
    passed = {check for check, proof in (facts.proofs or {}).items() if proof.passed}
    # A trail may hold checks that the pack no longer has; they can't be tried again, and hold nothing up.
    # What no function answers for, such as a missing screw, is put right and ticked again: it speaks of no part.
    failed = [check.id for check in board.checks
              if check.functions and check.id in (facts.proofs or {}) and check.id not in passed]
    by_id = {check.id: check for check in board.checks}
    missing = [by_id[one.check] for one in checks_in_order(board.checks, board.set_ups).checks
               if one.check not in passed and one.check not in (facts.left_out or {})]
    works = any(check.functions for check in board.checks) and not any(check.functions for check in missing)
    shaky = next((c for c in board.checks if c.id in facts.shaky_checks and c.functions), None)
    unsure = next(iter(unproved(facts, tuple(check.id for check in board.checks if check.id in passed))), None)
    if board.checks and not missing and not failed and unsure is not None:
        check = next(c for c in board.checks if c.id == unsure.check)
        minutes = check.minutes if unsure.wanted_tries else unsure.wanted_minutes - unsure.minutes
        return Action("try", check.id, tr("Try on: {check}", check=within(check.words)), unsure.words,
                      tr("It comes and goes: gone with {percent} so far.", percent=percent(unsure.gone)), minutes,
                      weighing.minutes_cost(minutes), weighing.now)
    if board.checks and not missing and not failed and shaky is not None:
        return Action("try", shaky.id, tr("Try once more: {shaky}", shaky=within(shaky.words)), tr("plug it in again"),
                      tr("It failed, and has passed once since: what goes home has passed twice."), shaky.minutes,
                      weighing.minutes_cost(shaky.minutes), weighing.now)
    if board.checks and not missing and not failed:
        return touched_before_it_goes_home(weighing) or tried_on(weighing) or Action(
            "hand_over", "", tr("Hand it over"), tr("write the outcome, print the sheet"),
            tr("Every check has passed."), 3.0, weighing.minutes_cost(3.0), weighing.minutes_cost(3.0))
    again = read_while_it_fails(weighing) or _failed_once(weighing, failed)
    if again is not None:
        return again
    if weighing.nothing < cleared and not works:
        return None
    if failed:
        # Before it is given up, whatever is likelier whole than not is tried with other gear.
        return tried_anew(weighing) if weighing.nothing >= (cleared or LIKELY_WHOLE) else None
    if off_points(board, weighing.advice.model.references, facts, facts.epoch, PLAIN_FAULTS):
        # One slip of the hand must not end a job that is done. What stays open however often it is touched has been
        # weighed, and the proof decides; what stays on ground is proved once its copper reads well elsewhere, or the
        # unit has worked all the same.
        again = touch_again(weighing)
        if again is not None:
            return again
        if held_by_ground(weighing):
            elsewhere = read_elsewhere(weighing)
            if elsewhere is not None or not has_worked(weighing):
                return elsewhere or _tried_first(weighing)
    # A check that reads the meter this way up needs no reading of its own before it.
    read_in_proof = {check.orientation for check in missing}
    unread = [o for o in "ab" if board.draw_states and not facts.drawn(o) and o not in read_in_proof]
    if unread:
        first = next(a for a in supply_actions(weighing) if a.target == unread[0])
        return replace(first, why=tr("The readings are clean: now power, both ways up."))
    minutes = in_this_order(missing, board.set_ups).minutes
    unmet = [check for check in missing if check.id in (facts.proofs or {})]
    if unmet and len(unmet) == len(missing):
        words = within(unmet[0].words)
        return Action(
            "prove",
            unmet[0].id,
            tr("Put right, then tick again: {words}", words=words),
            "",
            tr("It works; this is left before it goes back."),
            minutes,
            weighing.minutes_cost(minutes),
            weighing.minutes_cost(minutes),
        )
    return Action("prove", missing[0].id if missing else "", tr("Prove it works"),
                  tr("{count} checks left", count=len(missing)), tr("Everything works: {percent} likely.",
                                                                    percent=percent(weighing.nothing)),
                  minutes, weighing.minutes_cost(minutes), weighing.minutes_cost(minutes))


def _tried_first(weighing: Weighing) -> Action | None:
    """One trial of what the unit must do, where it is as good as whole by all but a signal that stays on ground; None
    where it is not, and for a rail: then what is on ground is looked for."""
    board, held = weighing.board, held_by_ground(weighing)
    feeds = any(board.net_by_name[board.net_of_point[point]].role in FEED_ROLES for point in held)
    tries = try_actions(weighing) if weighing.nothing >= CLEARED and not feeds else []
    why = tr("{point} stays on ground, and nothing else speaks of a fault. If this works, the pack may have that point "
             "wrong.", point=held[0])
    return replace(min(tries, key=lambda action: action.cost), why=why) if tries else None


def _failed_once(weighing: Weighing, failed: Sequence[str]) -> Action | None:
    """What should work with a fair chance, and did not: it is tried once more before anything is opened for it."""
    tries = try_actions(weighing) if failed and weighing.nothing >= TRIED_AGAIN else []
    return next((a for a in tries if a.target in failed), None)


def tried_anew(weighing: Weighing) -> Action | None:
    """What has failed, and failed again, though no fault is left that would explain it: tried with gear known to be
    good, before a unit is given up that may work."""
    board, proofs = weighing.board, weighing.facts.proofs or {}
    check = next((c for c in board.checks if c.functions and c.id in proofs and not proofs[c.id].passed), None)
    if check is None:
        return None
    tries = sum(item.touches for item in weighing.evidence.items if item.kind == "check" and item.subject == check.id)
    if tries >= MOST_TRIES:
        return None
    cost = weighing.minutes_cost(check.minutes)
    return Action("try", check.id, tr("Try with other gear: {check}", check=within(check.words)),
                  tr("another supply, cable and dock, known to be good"),
                  tr("No fault is left that would explain why it fails."), check.minutes, cost, weighing.now)
