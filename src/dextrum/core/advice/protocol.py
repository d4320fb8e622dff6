"""Steps that come before any weighing: danger, what is due, waiting, the supply before anything is opened."""

from __future__ import annotations

from dataclasses import replace

from dextrum.core.advice.actions import Action
from dextrum.core.advice.lifting_gates import lifting_action, read_again
from dextrum.core.advice.measuring import scan_action, supply_actions
from dextrum.core.advice.weighing import Weighing
from dextrum.core.safety.activities import Activity
from dextrum.core.safety.gates import Gate
from dextrum.core.trail import local_time
from dextrum.core.when import moment_words
from dextrum.tongue import tr, within

AT_ONCE = frozenset({"make_safe", "look", "clean"})
"""What lifts a gate and comes before everything else: danger first, then the port as it is seen."""
BEFORE_THE_REST = ("audit", "warm")


def pack_is_silent(weighing: Weighing) -> Action:
    """With a pack that names no parts nothing can be weighed, and nothing is given up for that."""
    return Action("grow_pack", "", tr("This pack can't advise yet"), "", tr("It names no parts. Add the port, the "
                                                                            "fuse and filters beside it, what the "
                                                                            "unit must do and a good unit's "
                                                                            "readings; until then everything is "
                                                                            "recorded."), 0.0, 0.0, weighing.now)


def protocol(weighing: Weighing, gates: tuple[Gate, ...], due: tuple[str, ...],
             beside: tuple[str, ...] = ()) -> Action | None:
    """Steps that come before any weighing. due: points to read again before power; beside: those round the heat."""
    facts, board = weighing.facts, weighing.board
    held = {gate.id: gate for gate in gates}
    if facts.outcome is not None:
        return Action("done", "", tr("Nothing more to do"), "", tr("The job is closed."), 0, 0, 0)
    for gate in gates:
        if gate.lifted_by in AT_ONCE:
            return lifting_action(weighing, gate)
    if not weighing.advice.model.hypotheses.faults and not board.checks and not board.draw_states and not due \
            and scan_action(weighing) is None:
        return pack_is_silent(weighing)
    if facts.wait is not None and not facts.wait_is_over:
        at = local_time(facts.wait.until)
        return Action("wait", "", tr("Wait: {why}", why=within(facts.wait.words)),
                      tr("check again {moment_words}", moment_words=moment_words(at)) if at is not None else "",
                      tr("Other jobs fit in here. Any entry ends the wait."),
                      0.0, 0.0, weighing.now)
    for name in BEFORE_THE_REST:
        if name in held:
            return lifting_action(weighing, held[name])
    if due or beside:
        return read_again(weighing, due, beside)
    if facts.wait_is_over and facts.waits_on and not any(Activity.POWER in gate.holds for gate in gates):
        return Action(
            "supply",
            facts.waits_on,
            tr("Read the supply again, {waits_on} side up", waits_on=facts.waits_on.upper()),
            tr("the same supply, cable and meter"),
            tr("What has changed since tells a flat cell from a fault."),
            weighing.rates.supply_minutes,
            weighing.minutes_cost(weighing.rates.supply_minutes),
            weighing.now,
        )
    unread = [o for o in "ab" if not facts.drawn(o)]
    if board.draw_states and unread and not facts.readings and not facts.epoch and not any(
            Activity.POWER in gate.holds for gate in gates):
        found = [a for a in supply_actions(weighing) if a.target == unread[0]]
        return replace(found[0], why=tr("Takes 2 min with the unit closed. Not if wet, hot or swollen."))
    if "cause" in held:
        return lifting_action(weighing, held["cause"])
    return None
