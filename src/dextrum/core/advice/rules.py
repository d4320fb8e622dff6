"""What comes before the cheapest step by the plan, as named rules in their order, each with its reason.

The plan looks one step ahead, and two for readings; a rule stands for what it can't see. `evaluate --without NAME`
plays with a rule left out, and so says what it earns.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

from dextrum.core.advice.actions import Action
from dextrum.core.advice.before_repair import at_stake, before_giving_up, before_repair, processor_first, touch_again
from dextrum.core.advice.doubt_actions import charging_action
from dextrum.core.advice.elimination import beyond_what_is_off, pulled_down
from dextrum.core.advice.giving_up import ENDINGS, tried_before_the_end, unproved
from dextrum.core.advice.lifting_gates import lifting_action
from dextrum.core.advice.protocol import protocol
from dextrum.core.advice.proving import proving, tried_anew
from dextrum.core.advice.repairing import repair_action
from dextrum.core.advice.touches import changed_by_lifting, slip_words
from dextrum.core.advice.weighing import Weighing
from dextrum.core.advice.wording import where_words
from dextrum.core.advice.worth_it import costs_more_than_it_earns, saying_why
from dextrum.core.assumptions.planning import (
    BEYOND_REPAIR,
    CLEARED,
    LEAST_CHARGE_MINUTES,
    LIKELY_WHOLE,
)
from dextrum.core.draw.cell import Span
from dextrum.core.job import JobFacts
from dextrum.core.safety.gates import Gate
from dextrum.tongue import tr


@dataclass(frozen=True)
class Turn:
    """One moment of a job, as the rules see it. seen: as it was read; gates hold now, held: what they hold back; due:
    points to read again before power; beside: those round what was heated. settling: steps that would settle a doubtful
    draw. scan: whether the port is still to be read whole; looked: port and rails were seen. candidates: by the plan,
    best first."""

    weighing: Weighing
    seen: JobFacts
    gates: tuple[Gate, ...]
    held: frozenset[str]
    due: tuple[str, ...]
    beside: tuple[str, ...]
    starts: Span | None
    settling: tuple[Action, ...]
    scan: bool
    looked: bool
    candidates: tuple[Action, ...]

    @property
    def leading(self) -> Action:
        """The cheapest step by the plan."""
        return self.candidates[0]

    @property
    def unpowered(self) -> bool:
        """Whether a gate holds power back."""
        return "supply" in self.held

    def proof(self, cleared: float) -> Action | None:
        """The next step of the proof, if nothing is left with a chance of `cleared`."""
        return proving(self.weighing, self.gates, cleared)


@dataclass(frozen=True)
class Rule:
    """find: the step that comes first by this rule, or None. always: it keeps people and boards from harm, or only does
    what is due, and can't be left out."""

    name: str
    reason: str
    find: Callable[[Turn], Action | None]
    always: bool = False


def _proved(turn: Turn) -> Action | None:
    found = turn.proof(CLEARED)
    flat = turn.starts is not None and turn.starts.middle >= LEAST_CHARGE_MINUTES
    if found is not None and found.kind == "prove" and flat and not turn.weighing.facts.proofs:
        assert turn.starts is not None
        return charging_action(turn.weighing, turn.starts)
    return found


def _settled(turn: Turn) -> Action | None:
    facts, board = turn.weighing.facts, turn.weighing.board
    closed = facts.access in ("", *(level.id for level in board.access_levels[:1]))
    if not turn.settling or facts.readings or not closed:
        return None
    best = min(turn.settling, key=lambda action: action.expected)
    return best if best.expected < turn.weighing.now else None


def read_apart(weighing: Weighing) -> Action | None:
    """With something off and nothing read since: the point that was shorted; what then reads otherwise, once more."""
    board, facts, rates = weighing.board, weighing.facts, weighing.rates
    changed = changed_by_lifting(weighing)
    if changed:
        point = board.point_by_id[changed[0]]
        return Action("measure", point.id, tr("Touch {point} again", point=point.words or point.id),
                      where_words(board, point),
                      tr("No part is convicted or cleared on a single touch: {slip_words}.",
                         slip_words=slip_words(weighing, (point.id,))),
                      rates.touch_minutes, weighing.minutes_cost(rates.touch_minutes), weighing.now, (point.id,))
    if not facts.isolated:
        return None
    if any(epoch == facts.epoch and off == facts.isolated for epoch, _, _, off in facts.apart or {}):
        beyond = beyond_what_is_off(weighing)
        return _read_now(weighing, beyond, tr("What pulled the other side down is on this one: it is read by itself "
                                              "before anything is taken off here.")) if beyond else None
    before = pulled_down(weighing, frozenset())
    return _read_now(weighing, before[0], tr("Checks whether removing {sorted} cleared the short.",
                                             sorted=", ".join(sorted(facts.isolated)))) if before else None


def _read_now(weighing: Weighing, name: str, why: str) -> Action:
    board, rates = weighing.board, weighing.rates
    point = board.point_by_id[name]
    return Action("measure", name, tr("Read {point} again", point=point.words or name), where_words(board, point), why,
                  rates.touch_minutes, weighing.minutes_cost(rates.touch_minutes), weighing.now, (name,))


def _damaged_port(turn: Turn) -> Action | None:
    if turn.scan or not any(gate.id == "damaged_port" for gate in turn.gates):
        return None
    return _port_first(turn.weighing, turn.leading)


def _port_first(weighing: Weighing, leading: Action) -> Action | None:
    """Replacing a port that is seen to be damaged before anything else is changed or given up: nothing can be proved
    until then."""
    ports = {port.component for port in weighing.board.ports}
    if leading.kind not in ("repair", "isolate", *ENDINGS) or leading.target in ports or (
            leading.kind in ENDINGS and weighing.beyond_repair - weighing.unexplained > BEYOND_REPAIR):
        return None
    for k, option in enumerate(weighing.options.options):
        if option.part in ports and option.action == "replace":
            action = repair_action(weighing, k, weighing.chance_to_mend(k))
            return touch_again(weighing) or processor_first(weighing) or replace(
                action, why=tr("It is damaged: nothing is plugged in, and so nothing proved, until it is replaced."))
    return None


def _looked_further(turn: Turn) -> Action | None:
    weighing = turn.weighing
    if turn.leading.kind not in ENDINGS:
        return None
    named = weighing.beyond_repair - weighing.unexplained > BEYOND_REPAIR
    likely_whole = (weighing.nothing > LIKELY_WHOLE or unproved(turn.seen)) and not turn.unpowered
    found = (turn.proof(0.0) if likely_whole else None) or before_giving_up(
        weighing, turn.candidates, turn.looked, named, turn.unpowered)
    if found is not None or turn.unpowered:
        return found
    return (turn.proof(0.0) if turn.seen.epoch else None) or _tried_anew(turn) or tried_before_the_end(
        weighing, turn.candidates)


def _tried_anew(turn: Turn) -> Action | None:
    """What failed, with other gear: where the chance that nothing is left is worth the minutes, since slips come in
    bursts, and a unit that works is not given up for two of them (it counts as in the planning of measurements); and
    once in any case, where what is wrong has no name."""
    weighing = turn.weighing
    again = tried_anew(weighing)
    if again is None:
        return None
    once = all(item.touches == 1 for item in weighing.evidence.items
               if item.kind == "check" and item.subject == again.target)
    unnamed = weighing.unexplained > BEYOND_REPAIR
    return again if weighing.nothing * weighing.give_up >= again.cost or (once and unnamed) else None


def _likelier_whole(turn: Turn) -> Action | None:
    """The plan reckons that a unit with nothing wrong shows it before a part is changed for nothing: so it is tried,
    where the part is less likely at fault than that, and wherever that saves more than closing, trying and opening."""
    weighing, leading = turn.weighing, turn.leading
    if leading.kind != "repair" or turn.unpowered:
        return None
    trial = turn.proof(0.0)
    if trial is None or weighing.nothing > weighing.chance_of_part.get(leading.target, 0.0):
        return trial
    board = weighing.board
    closed = board.access_levels[0].id if board.access_levels else ""
    opening = weighing.minutes_cost(board.minutes_to(weighing.facts.access, closed)) if closed else 0.0
    return trial if weighing.nothing * at_stake(weighing, leading) > trial.cost + opening else None


def _seen_first(turn: Turn) -> Action | None:
    weighing, leading = turn.weighing, turn.leading
    seen = next((gate for gate in turn.gates if gate.id == "seen_on_board"), None)
    if leading.kind not in ("repair", "isolate", *ENDINGS) or seen is None or leading.target == seen.target or (
            leading.kind in ENDINGS and weighing.beyond_repair - weighing.unexplained > BEYOND_REPAIR):
        return None
    # None once all that puts it right was done twice: what still looks so is how it looks here.
    return lifting_action(weighing, seen)


def _charged_first(turn: Turn) -> Action | None:
    leading, starts = turn.leading, turn.starts
    if starts is None or starts.middle < LEAST_CHARGE_MINUTES or turn.unpowered or leading.kind not in (
            "repair", *ENDINGS):
        return None
    charging = charging_action(turn.weighing, starts)
    return charging if turn.weighing.nothing * leading.cost > charging.cost else None


def _worth_it(turn: Turn) -> Action | None:
    """The next best step where the best costs more than it can earn, with what comes before that one."""
    weighing = turn.weighing
    others = tuple(action for action in turn.candidates if not costs_more_than_it_earns(weighing, action))
    if not others or others[0] is turn.leading:
        return None
    rest = replace(turn, candidates=others)
    found = before_repair(weighing, others, turn.unpowered) or _looked_further(rest) or rest.leading
    # A board that is to be described further says so itself.
    return saying_why(weighing, found, turn.leading) if found.kind == "give_up" else found


RULES: tuple[Rule, ...] = (
    Rule("protocol", tr("Danger first, then what is due: looks, audits, readings before power, waits, the supply."),
         lambda turn: protocol(turn.weighing, turn.gates, turn.due, turn.beside), always=True),
    Rule("read_apart", tr("A load is taken off to read the point that was shorted."),
         lambda turn: read_apart(turn.weighing), always=True),
    Rule("proof", tr("What works with a fair chance is proved."), _proved, always=True),
    Rule("settle_draw", tr("Nothing is opened for a draw that a flat cell explains as well."), _settled),
    Rule("damaged_port", tr("Nothing can be plugged in, and so nothing proved, before a damaged port is replaced."),
         _damaged_port),
    Rule("test_first", tr("A part is not changed before a cheaper, reversible test that could clear it."),
         lambda turn: before_repair(turn.weighing, turn.candidates, turn.unpowered)),
    Rule("look_further", tr("No unit is given up before port, rails and trials were seen, or unproved once repaired."),
         _looked_further),
    Rule("likelier_whole", tr("Nothing is changed for a unit that may be whole, where trying it first pays."),
         _likelier_whole),
    Rule("seen_first", tr("What is seen burst or bridged holds power and comes off before anything else is changed."),
         _seen_first),
    Rule("charged_first", tr("Nothing is changed or given up for what charging may mend, where that pays for the "
                             "wait."),
         _charged_first),
    Rule("worth_it", tr("No part that is likelier good is changed for more than that can earn."), _worth_it),
)
"""In this order: the first that finds a step decides."""

MAY_BE_LEFT_OUT = tuple(rule.name for rule in RULES if not rule.always)


def first_by_rule(turn: Turn, without: frozenset[str] = frozenset()) -> tuple[Action | None, str]:
    """The step that comes first by a rule, and the rule's name; None and '' where the plan decides."""
    for rule in RULES:
        if rule.always or rule.name not in without:
            found = rule.find(turn)
            if found is not None:
                return found, rule.name
    return None, ""
