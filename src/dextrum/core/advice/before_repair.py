"""What comes before a part is changed: doubtful touches again, the processor's rail, and any cheaper, reversible test
that separates the suspects."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from dextrum.core.advice.across_first import across_first, other_end_first
from dextrum.core.advice.actions import Action
from dextrum.core.advice.counted_first import counted_first
from dextrum.core.advice.elimination import rail_again
from dextrum.core.advice.joined_first import joined_first
from dextrum.core.advice.kinds.registry import kind_of
from dextrum.core.advice.line_first import line_first, read_before_lifting
from dextrum.core.advice.lines_read import read_points
from dextrum.core.advice.order import probing_order
from dextrum.core.advice.second_look import second_look
from dextrum.core.advice.short_first import short_first
from dextrum.core.advice.touches import single_touches, slip_words
from dextrum.core.advice.weighing import Weighing
from dextrum.core.advice.wording import percent, where_words
from dextrum.core.advice.worth_it import earned_by
from dextrum.core.assumptions.planning import (
    AGAINST_FROM,
    AS_GOOD_AS_FOUND,
    CHEAPER,
    DECIDES,
    KNOWN,
    LEAST_BEYOND,
    LEAST_SURPRISE,
    LIKELY_PART,
    MEANT_BY_SYMPTOM,
    NEARLY,
    ON_AND_OFF,
    OPEN_TOUCHES,
    PLANNING_PENALTY,
    SURE_ENOUGH,
)
from dextrum.core.assumptions.stated import as_stated
from dextrum.core.board import ComponentKind, NetRole
from dextrum.core.board.kinds import FEED_ROLES
from dextrum.core.diagnosis.functions import NO_NEEDS
from dextrum.core.diagnosis.hypotheses import NOTHING_ROW
from dextrum.core.entries.intake import REPORTED
from dextrum.core.entries.readings import agree
from dextrum.core.job import JobFacts
from dextrum.core.money.amounts import about_words
from dextrum.core.reference.off_points import verdicts_at
from dextrum.core.safety.gates import few
from dextrum.tongue import tr


def before_repair(weighing: Weighing, ranked: Sequence[Action], unpowered: bool = False) -> Action | None:
    """What to do instead of the leading action where that is a repair; None when it may go ahead. unpowered: a gate
    holds power back."""
    leading = ranked[0]
    chance = weighing.chance_of_part.get(leading.target, 0.0)
    if leading.kind == "repair" and not unpowered:
        again = _try_again(weighing, ranked)
        if again is not None and (weighing.nothing > chance or weighing.nothing * (
                at_stake(weighing, leading) + _proved(weighing)) > _there_and_back(weighing, again)):
            return again
    found = _found_first(weighing, ranked)
    if found is not None:
        leading = found
    elif leading.kind == "repair" and chance < SURE_ENOUGH and _is_chip(weighing, leading.target):
        search = short_first(weighing, leading.target, ranked)
        if search is not None:
            return search
    unread = read_before_lifting(weighing, leading) if leading.kind == "isolate" else None
    if unread is not None:
        return unread
    if leading.kind == "isolate" and _is_chip(weighing, leading.target):
        return (line_first(weighing, leading.target) or _reversible_first(weighing, leading, ranked)
                or counted_first(weighing, leading.target))
    if leading.kind != "repair":
        return None
    if _is_chip(weighing, leading.target):
        looked = second_look(weighing, leading.target, at_stake(weighing, leading), ranked)
        if looked is not None:
            return looked
    scan = next((a for a in ranked if a.kind == "scan"), None)
    if scan is not None and _is_chip(weighing, leading.target):
        return scan  # three minutes, and it may clear the chip
    across = other_end_first(weighing, leading.target) or across_first(weighing, leading.target)
    if across is not None and across.cost > CHEAPER * leading.cost:
        across = None  # the unit would have to be opened further than the change needs
    again = (touch_again(weighing) or joined_first(weighing, leading.target) or across
             or line_first(weighing, leading.target) or against_again(weighing, leading.target)
             or processor_first(weighing))
    if again is None and not unpowered and _is_chip(weighing, leading.target):
        again = rail_again(weighing) or _another_way(weighing, leading.target, ranked)
    again = again or _reversible_first(weighing, leading, ranked)
    if again is None and _is_chip(weighing, leading.target):
        again = counted_first(weighing, leading.target)
    return again or found


def before_giving_up(weighing: Weighing, ranked: Sequence[Action], looked: bool, sure: bool,
                     unpowered: bool = False) -> Action | None:
    """What to do instead of giving up: look where nobody has. None when it may end.

    looked: whether port and rails were seen; sure: whether what is wrong has a name, and can't be mended.
    """
    again = (second_look(weighing, weighing.part_beyond_repair[0], weighing.give_up, ranked)
             or (_named_by_one_touch(weighing) if sure else touch_again(weighing))
             or (None if unpowered else rail_again(weighing))
             or _beside_what_was_changed(weighing, ranked))
    if again is not None:
        return again
    # What it must do is tried as well: what nobody can explain fails at random, a dead chip fails all that hangs on it.
    kinds = () if sure else ("try",) if looked else ("scan", "rail", "supply", "try")
    tests = [a for a in ranked if a.kind in kinds and _is_open(weighing, a)]
    now = weighing.decided(weighing.weight[None, :])
    best = max(tests, key=lambda a: (weighing.decided(weighing.joints[a.kind, a.target]) - now) / a.cost, default=None)
    if best is not None or (sure and weighing.beyond_repair - weighing.unexplained >= KNOWN):
        return best
    return _unread_rails(weighing, sure) or _still_pays(weighing, ranked)


def _still_pays(weighing: Weighing, ranked: Sequence[Action]) -> Action | None:
    """The test that saves most for what it costs, where that is more than it costs: giving up competes at what is
    lost, and tests as if it were more (`planning_penalty`), so that the plan takes none of them any more."""
    best, most = None, 1.0
    for action in ranked:
        if kind_of(action).tests and action.cost > 0.0 and (action.kind, action.target) in weighing.joints:
            saved = (weighing.now - (action.expected - action.cost)) / PLANNING_PENALTY
            if saved > most * action.cost:
                best, most = action, saved / action.cost
    return best


def _beside_what_was_changed(weighing: Weighing, ranked: Sequence[Action]) -> Action | None:
    """Where the likeliest part has been changed as often as any is: what else may be at fault on its rail comes before
    the unit is given up for it. That a new part is bad twice is hardly so; that a camera named its neighbour is.
    Injecting, and taking off what isn't a chip, may be tried; the rest only if it is likelier than all others but that
    part. A chip is changed or lifted only where that chance is worth what it costs: the pack may be wrong about the
    part that was changed, but a chip is not spent on that."""
    likeliest = weighing.part_beyond_repair[0]
    if likeliest not in {weighing.options.options[k].part for k in weighing.done_enough}:
        return None
    without = weighing.weight * (1.0 - weighing.sets_with(likeliest))

    def may_be(action: Action) -> bool:
        chance = float(without @ weighing.sets_with(action.target))
        spends_a_chip = _is_chip(weighing, action.target) and (action.kind == "isolate" or action.detail == "replace")
        return chance > LIKELY_PART * float(without.sum()) and not (
            spends_a_chip and chance * earned_by(weighing) < action.cost)

    return next((a for a in ranked if a.kind == "inject" or (a.kind == "isolate" and not _is_chip(weighing, a.target))
                 or (a.kind in ("isolate", "repair") and may_be(a))), None)


def _is_open(weighing: Weighing, test: Action) -> bool:
    """Whether it isn't known beforehand what a test will show: what hangs on a rail that is missing is missing too."""
    joint = weighing.joints.get((test.kind, test.target))
    return joint is not None and (test.kind == "scan" or float(joint.sum(axis=1).max()) < KNOWN)


def _unread_rails(weighing: Weighing, sure: bool = False) -> Action | None:
    """A point of every rail, and of every line that what fails needs, that nobody has read: nothing is called
    unexplained while one of them may sit on ground or be broken. What fails needs is read at a second point as well
    where only one was, which the pack may have wrong; a port's contacts are what they are. What read OL may have been
    a tip that did not touch, a few times in a row. sure: what is wrong has a name; then each line of what fails is read
    once, and no more."""
    board, facts, copper = weighing.board, weighing.facts, weighing.advice.model.copper
    last = {item.subject: item for item in sorted(weighing.evidence.items, key=lambda i: i.epoch)
            if item.kind == "reading"}
    points_read = {name for _, name, _ in facts.readings or {}} - {
        point for point, item in last.items() if item.value == float("inf") and item.touches < OPEN_TOUCHES}
    read = Counter(copper.get(name) for name in points_read)
    of_port = {copper.get(name) for name in points_read & set(board.port_points)}
    found: dict[int, str] = {}
    wanted = _lines_of_what_fails(weighing)
    for point in sorted(board.points, key=lambda p: board.access_order.get(p.access, 0)):
        net, here = board.net_by_name[board.net_of(point.at)], copper[point.id]
        needed = net.name in wanted
        if point.to is not None or point.id in points_read or not (needed or (net.role in FEED_ROLES and not sure)):
            continue
        if read[here] < (2 if needed and not sure and here not in of_port else 1):
            found.setdefault(here, point.id)
    points = probing_order(board, found.values())
    if not points:
        return None
    return read_points(
        weighing, points, tr("Measure the rails and lines that were not read for sure"),
        tr("Before it is given up: one that is grounded, or broken, would explain it after all."))


def _lines_of_what_fails(weighing: Weighing) -> frozenset[str]:
    """Nets that the functions behind failed checks and the owner's complaint go through, or must be clear."""
    board, facts = weighing.board, weighing.facts
    failed = {check for check, proof in (facts.proofs or {}).items() if not proof.passed}
    functions = {name for check in board.checks if check.id in failed for name in check.functions}
    said = {item.subject for item in weighing.evidence.items if item.kind == "symptom" and item.seen == REPORTED}
    for symptom in board.symptoms:
        if symptom.id in said:
            functions |= {name for name, weight in symptom.weights.items() if weight >= MEANT_BY_SYMPTOM}
    every = (weighing.advice.function_needs.get(name, NO_NEEDS) for name in functions)
    return frozenset().union(*(needs.through | needs.clear for needs in every))


def touched_once(weighing: Weighing) -> tuple[str, ...]:
    """Points that read off at a single touch since the last repair, with everything on the board, and that neither
    another point of the same island bears out, off in the same way, nor anything else (`single_touches`): one that is
    open and one that is high may be two slips of the hand, and of four that are one copper all read the same. And those
    that read a number and then OL, as on a good board: OL is what a tip reads that does not touch."""
    facts, board = weighing.facts, weighing.board
    once = single_touches(weighing) if not facts.isolated else frozenset()
    seen = verdicts_at(board, weighing.advice.model.references, facts, facts.epoch)
    off = {point: {verdict for verdict in verdicts if verdict.is_off} for point, verdicts in seen.items()}
    island = weighing.advice.model.island_of_point
    count = Counter((island[point], verdict) for point, verdicts in off.items() for verdict in verdicts)
    slipped = {item.subject for item in weighing.evidence.items if item.kind == "reading" and item.epoch == facts.epoch
               and item.value == float("inf") and item.unlike is not None and np.isfinite(item.unlike)}
    return tuple(point for point in sorted(once & off.keys(), key=board.point_order.__getitem__)
                 if (all(count[island[point], verdict] == 1 for verdict in off[point])
                     or _alone_on_its_copper(weighing, point) if off[point] else point in slipped))


def _alone_on_its_copper(weighing: Weighing, point: str) -> bool:
    """Whether a point reads a number that no other point of its copper reads, though some were read."""
    facts, copper = weighing.facts, weighing.advice.model.copper
    method = weighing.board.point_by_id[point].default_method
    value = {name: reading.value for (epoch, name, by), reading in (facts.readings or {}).items()
             if epoch == facts.epoch and by == method and copper.get(name) == copper[point]}
    others = [other for name, other in value.items() if name != point]
    return bool(others) and np.isfinite(value.get(point, np.inf)) and not any(
        agree(value[point], other) for other in others)


def touch_again(weighing: Weighing) -> Action | None:
    """Points that are off by one touch alone, once more; None where there are none."""
    board, rates = weighing.board, weighing.rates
    once = touched_once(weighing)
    if not once:
        return None
    in_port = sum(point in board.port_points for point in once)
    minutes = rates.walk_minutes(in_port, len(once) - in_port)
    return Action("measure", once[0], tr("Touch again: {shown}",
                                         shown=few(once)), where_words(board, board.point_by_id[once[0]]),
                  tr("No part is changed on a single touch: {slip_words}.",
                     slip_words=slip_words(weighing, once)), minutes,
                  weighing.minutes_cost(minutes), weighing.now, once)


def against_again(weighing: Weighing, part: str) -> Action | None:
    """Points whose single touch speaks so strongly against a part that only a slip of the hand leaves it suspected,
    once more before it is changed; None where there are none, or parts are off the board."""
    said, once = _said_of(weighing, part), single_touches(weighing)
    points = tuple(dict.fromkeys(point for point, nats in said if nats <= -AGAINST_FROM and point in once))
    if not points:
        return None
    return read_points(weighing, points, tr("Touch again: {shown}", shown=few(points)),
                       tr("If {part} is at fault it reads otherwise there; it was touched once.", part=part))


def _named_by_one_touch(weighing: Weighing) -> Action | None:
    """Points whose single touch names the part for which a unit is about to be given up, once more; None where there
    are none, or parts are off the board."""
    part = weighing.part_beyond_repair[0]
    said, once = _said_of(weighing, part), touched_once(weighing)
    points = tuple(dict.fromkeys(point for point, nats in said if nats >= AGAINST_FROM and point in once))
    if not points:
        return None
    return read_points(weighing, points, tr("Touch again: {shown}", shown=few(points)),
                       tr("One touch names {part}, and the unit would be given up for it.", part=part))


def _said_of(weighing: Weighing, part: str) -> list[tuple[str, float]]:
    """Points that were read since the last repair, and how much likelier what they read is, in nats, by all that this
    part may have, as likely as each is, than on a good board. None while parts are off the board."""
    facts, evidence, model = weighing.facts, weighing.evidence, weighing.advice.model
    own = np.flatnonzero(model.hypotheses.rows_of_part(part) & (weighing.row_weight > 0.0))
    if facts.isolated or not len(own):
        return []
    weight = weighing.row_weight[own]
    said = (evidence.log_likelihood[:, own] - evidence.log_likelihood[:, [NOTHING_ROW]]) @ (weight / weight.sum())
    return [(item.subject, float(nats)) for item, nats in zip(evidence.items, said, strict=True)
            if item.kind == "reading" and item.epoch == facts.epoch and item.subject in weighing.board.point_by_id]


def _unread_core_point(weighing: Weighing) -> str:
    """A point on the processor's rail that was never read; empty where it was, or there is none."""
    board, facts = weighing.board, weighing.facts
    core = [p for p in board.points if p.to is None and p.id in weighing.advice.outcomes.place
            and board.net_by_name[board.net_of(p.at)].role is NetRole.CORE_RAIL]
    if not core or any(_read_ever(facts, p.id) for p in core):
        return ""
    return min(core, key=lambda p: board.access_order.get(p.access, 0)).id


def _read_ever(facts: JobFacts, point: str) -> bool:
    return any(name == point for _, name, _ in facts.readings or {})


def processor_first(weighing: Weighing) -> Action | None:
    """The processor's rail before money, where what can't be mended is possible at all."""
    point = _unread_core_point(weighing)
    if not point or weighing.beyond_repair < LEAST_BEYOND:
        return None
    board, facts, rates = weighing.board, weighing.facts, weighing.rates
    place = board.point_by_id[point]
    minutes = board.minutes_to(place.access, facts.access) + rates.touch_minutes
    return Action("measure", point, tr("Measure {place}, the processor's rail", place=place.words or place.id),
                  where_words(board, place),
                  tr("Before money is spent: a short there ends the job, and the unit is then worth "
                     "{donor_value} for its parts. Beyond repair with {percent}.",
                     donor_value=about_words(board.donor_value), percent=percent(weighing.beyond_repair)),
                  minutes, weighing.minutes_cost(minutes), weighing.now, (point,))


def _try_again(weighing: Weighing, ranked: Sequence[Action]) -> Action | None:
    """What has failed once, once more: a slip is told in a few minutes."""
    failed = {check for check, proof in (weighing.facts.proofs or {}).items() if not proof.passed}
    return next((action for action in ranked if action.kind == "try" and action.target in failed), None)


def _another_way(weighing: Weighing, part: str, ranked: Sequence[Action]) -> Action | None:
    """Before a chip that reads well is changed on one failed check alone, or on none: another check that it would fail
    as surely. What works the other way up clears the chip, whatever it was; that there is no such thing is what a pack
    knows least. And what the owner said and a draw are not seen to be so on the bench."""
    needs, proofs = weighing.advice.check_needs, weighing.facts.proofs or {}
    failed = [check for check, proof in proofs.items() if not proof.passed and part in needs.get(check, NO_NEEDS).parts]
    own, quiet = weighing.sets_with(part), weighing.sets_with(part, quiet=True)
    if len(failed) > 1 or float(weighing.weight @ quiet) < 0.5 * float(weighing.weight @ own):
        return None
    of_failed = needs[failed[0]].functions if failed else frozenset[str]()
    sure = float(weighing.weight @ own)
    found, most = None, (-1, 0.0)
    for action in ranked:
        joint = weighing.joints.get((action.kind, action.target))
        if action.kind != "try" or action.target in proofs or joint is None:
            continue
        passes = float(joint[0].sum())
        nearest = len(needs[action.target].functions & of_failed), passes
        decides = part in needs[action.target].parts and float(joint[1] @ own) >= DECIDES * sure
        if decides and passes >= LEAST_SURPRISE and nearest > most:
            found, most = action, nearest
    return found and replace(found, why=(
        tr("{part} would fail this as well; if it works, it is not {part}.", part=part) if failed else
        tr("Nothing was seen to fail on the bench yet. {part} would fail this; if it works, it is not {part}.",
           part=part)))


def _found_first(weighing: Weighing, ranked: Sequence[Action]) -> Action | None:
    """What is as good as found, before a chip that isn't: once it is mended the chip is perhaps cleared."""
    leading = ranked[0]
    if leading.kind not in ("repair", "isolate") or not _is_chip(weighing, leading.target):
        return None
    chance = weighing.chance_of_part
    found = max((a for a in ranked if a.kind == "repair" and a.target != leading.target),
                key=lambda a: chance.get(a.target, 0.0), default=None)
    if found is None or chance.get(found.target, 0.0) < AS_GOOD_AS_FOUND:
        return None
    # Both have to be done, so the order costs nothing; but of two chips the surer one stays first.
    least_sure = AS_GOOD_AS_FOUND if _is_chip(weighing, found.target) else SURE_ENOUGH
    if chance.get(leading.target, 0.0) >= least_sure:
        return None
    return replace(found, why=tr("As good as found; whether {target} is at fault as well shows after it.",
                                 target=leading.target))


def _reversible_first(weighing: Weighing, leading: Action, ranked: Sequence[Action]) -> Action | None:
    """The test that saves most of a wrong repair for what it costs, where it saves more than that."""
    sure = weighing.chance_of_part.get(leading.target, 0.0)
    if sure >= SURE_ENOUGH:
        return None
    now = weighing.decided(weighing.weight[None, :])
    work, lost = _work(leading), at_stake(weighing, leading)
    best, worth = None, 0.0
    for action in ranked:
        joint = weighing.joints.get((action.kind, action.target))
        if not kind_of(action).tests or joint is None or action.cost > CHEAPER * work:
            continue
        if action.kind == "isolate" and _is_chip(weighing, action.target):
            continue
        # Only what could speak against this part saves it; finding a further fault elsewhere does not.
        shaken = float(weighing.shaken(joint[None], leading.target)[0])
        resolved = shaken if sure > NEARLY else min(weighing.decided(joint) - now, shaken)
        if resolved * lost > action.cost and resolved / action.cost > worth:
            best, worth = action, resolved / action.cost
    return best


def _work(leading: Action) -> float:
    """The minutes of the step and of undoing it, in the shop's currency."""
    return leading.cost * (ON_AND_OFF if leading.kind == "isolate" else 1.0)


def at_stake(weighing: Weighing, leading: Action) -> float:
    """What is lost where a part is changed, or taken off and put back, in vain, in the shop's currency; of a chip more
    than the work."""
    return _work(leading) * (as_stated(weighing.board, "good_chip") if _is_chip(weighing, leading.target) else 1.0)


def _proved(weighing: Weighing) -> float:
    """What has passed since the last repair, in the shop's currency: after another one it is all tried anew."""
    proofs = weighing.facts.proofs or {}
    return weighing.minutes_cost(sum(check.minutes for check in weighing.board.checks
                                     if check.id in proofs and proofs[check.id].passed))


def _there_and_back(weighing: Weighing, trial: Action) -> float:
    """A trial, in the shop's currency, and as much to open the unit again as it takes to close it for that."""
    minutes = next(check.minutes for check in weighing.board.checks if check.id == trial.target)
    return trial.cost + max(0.0, trial.cost - weighing.minutes_cost(minutes))


def _is_chip(weighing: Weighing, part: str) -> bool:
    component = weighing.board.component_by_designator.get(part)
    return component is not None and component.kind is ComponentKind.IC
