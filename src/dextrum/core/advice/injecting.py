"""Putting a shorted rail on the bench supply and seeing what gets warm: of a rail that reads shorted, and of one that
is likely shorted and has not been read, for which the touch before it is paid as well.

One reading ahead, a rail that is almost surely shorted seems not worth touching: what it reads is known already. What
it makes possible is not, so the touch is weighed together with the injection after it.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from dextrum.core.advice.actions import Action
from dextrum.core.advice.doubt_actions import probing_access
from dextrum.core.advice.elimination import shorted_points, volts_at_a_milliampere
from dextrum.core.advice.outcomes import OUTCOMES
from dextrum.core.advice.parts_off import standing_reading
from dextrum.core.advice.ways_of_seeing import WAY_BY_WORD, WAYS_OF_SEEING
from dextrum.core.advice.weighing import Weighing
from dextrum.core.advice.wording import held_words, injecting_words, percent, where_words
from dextrum.core.assumptions.looks import RIGHT_PART
from dextrum.core.assumptions.planning import (
    FED_FROM_OHMS,
    FEED_MINUTES,
    LEAST_SEEN,
    LIKELY_SHORT,
    LOOK_AGAIN_MINUTES,
    SIGNAL_VOLTS,
)
from dextrum.core.assumptions.stated import as_stated
from dextrum.core.board import Board, Point
from dextrum.core.board.kinds import FEED_ROLES
from dextrum.core.board.pull_up import pull_up_of
from dextrum.core.circuit.injecting import (
    FED_AMPS,
    InjectionLimits,
    injection_limits,
    limits_held_to_a_watt,
    limits_on_pulled_up,
    same_setting,
)
from dextrum.core.circuit.network import GROUND
from dextrum.core.diagnosis.hypotheses import FIRST_FAULT_ROW, NO_ROW
from dextrum.core.diagnosis.injection import rail_group, rail_nets, rail_shorts, short_seen
from dextrum.core.entries.injection import SeenBy
from dextrum.core.job import JobFacts
from dextrum.core.reference.off_points import off_points
from dextrum.tongue import tr

MOST_LIKELY = 2
"""Rails that are likely shorted of which reading them first is weighed."""


@dataclass(frozen=True)
class Injecting:
    """What an injection would tell. joint: weight of each part that may warm, in order, and in the end of none, under
    each set, (parts + 1, L). cost: with access, in the shop's currency."""

    net: str
    by: str
    limits: InjectionLimits
    parts: tuple[str, ...]
    joint: np.ndarray
    minutes: float
    cost: float


def _rail_of(weighing: Weighing, point: Point, volts: float) -> tuple[str, tuple[InjectionLimits, ...]]:
    """The net to inject into for a point that reads `volts` in diode mode, and what may be set
    (`volts_at_a_milliampere`). The traces of a signal line are too thin for much current. A rail that reads amiss
    itself is not fed beside its line."""
    board = weighing.board
    name = board.net_of(point.at)
    # Through a coil or a link the rail is injected as well, so the lowest rail of all that hang together is the limit.
    joined = rail_nets(weighing.advice.model.isolating(weighing.facts.isolated), name)
    nominal = [(net.nominal_volts, net.name) for net in (board.net_by_name[n] for n in joined)
               if net.role in FEED_ROLES and net.nominal_volts]
    if not nominal:
        low = injection_limits(SIGNAL_VOLTS, 1e3 * volts)
        idles = pull_up_of(board, name)
        if idles is None or _reads_off(weighing, idles.name):
            return name, (low,)
        return name, (low, limits_on_pulled_up(idles.name, idles.nominal_volts or 0.0, 1e3 * volts))
    least = min(nominal)
    return name if any(n == name for _, n in nominal) else least[1], (limits_held_to_a_watt(least[0]),)


def _reads_off(weighing: Weighing, rail: str) -> bool:
    """Whether any net that hangs together with the rail reads shorted, or reads off at all, with what is off now. Ohms
    count only where they are few: behind its pull-up, the line itself lowers them."""
    board, facts, advice = weighing.board, weighing.facts, weighing.advice
    joined = rail_nets(advice.model.isolating(facts.isolated), rail)
    off = {*shorted_points(advice, facts), *off_points(board, advice.model.references, facts, facts.epoch)}
    for place in (board.point_by_id[name] for name in off if name in board.point_by_id):
        reading = standing_reading(facts, place.id, place.default_method)
        many = not place.default_method.is_diode and reading is not None and reading.value >= FED_FROM_OHMS
        if board.net_of_point[place.id] in joined and not many:
            return True
    return False


def injecting_minutes(board: Board, facts: JobFacts, net: str, by: str, fed: str) -> float:
    """Minutes at the bench for looking in one way, with a rail held at its own voltage or none; few where both are
    still on the supply."""
    on_supply = facts.on_supply
    if on_supply is not None and (on_supply.net, on_supply.fed) == (net, fed):
        return LOOK_AGAIN_MINUTES[by]
    return as_stated(board, f"inject_minutes.{by}") + (FEED_MINUTES if fed else 0.0)


def _injecting(weighing: Weighing, point: Point, volts: float, offered: set[frozenset[int]]) -> Injecting | None:
    """The setting and way of seeing that shows most for its minutes; None once all were tried with the same parts off,
    and where too little would be seen. offered: nodes of each rail of which one is offered, to which it adds its own.
    """
    board, model = weighing.board, weighing.advice.model.isolating(weighing.facts.isolated)
    net, settings = _rail_of(weighing, point, volts)
    group = rail_group(model, net)
    if group in offered:
        return None
    offered.add(group)
    off = weighing.facts.isolated  # a short that is still there without what was named is looked for anew
    made = [one for one in weighing.facts.injections if rail_group(model, one.net) == group and one.warmed not in off]
    siemens = rail_shorts(model, net)
    rows = np.take_along_axis(weighing.sets, siemens[weighing.sets].argmax(axis=1)[:, None], axis=1)[:, 0]
    best: tuple[float, SeenBy, InjectionLimits, np.ndarray] | None = None
    for way in WAYS_OF_SEEING if made else WAYS_OF_SEEING[:1]:
        by = way.by
        for limits in settings:
            # Another setting is for what did not show; what a way of seeing has named, it names again.
            if any(one.seen_by == by and (one.warmed or same_setting(one.volts, one.amps, limits)) for one in made):
                continue
            seen = short_seen(siemens, limits.volts, limits.amps, by,
                              limits.watts if limits.held else np.inf).astype(np.float32)
            shown = np.where(siemens[rows] > 0, seen[rows] * RIGHT_PART, 0.0) * weighing.weight
            a_minute = float(shown.sum()) / injecting_minutes(board, weighing.facts, net, by, limits.fed)
            if float(shown.sum()) >= LEAST_SEEN and (best is None or a_minute > best[0]):
                best = a_minute, by, limits, shown
    if best is None:
        return None
    _, seen_by, limits, shown = best
    of = model.hypotheses.fault_of_row[rows]
    part_of = np.array([model.hypotheses.faults[int(f)].part if f >= 0 else "" for f in of])
    parts = tuple(p for p in dict.fromkeys(part_of.tolist()) if float(shown[part_of == p].sum()) > 1e-4)
    joint = np.stack([*(np.where(part_of == p, shown, 0.0) for p in parts), weighing.weight - shown])
    minutes = board.minutes_to(point.access, weighing.facts.access) + injecting_minutes(
        board, weighing.facts, net, seen_by, limits.fed)
    cost = weighing.minutes_cost(minutes) + as_stated(board, "inject_risk") * board.unit_value
    return Injecting(net, seen_by, limits, parts, joint.astype(np.float32), minutes, cost)


def injection_actions(weighing: Weighing) -> list[Action]:
    """Injecting into each rail that reads shorted, once with the same parts off."""
    actions: list[Action] = []
    offered: set[frozenset[int]] = set()
    for name in shorted_points(weighing.advice, weighing.facts):
        place = weighing.board.point_by_id[name]
        reading = standing_reading(weighing.facts, name, place.default_method)
        found = None if reading is None else _injecting(
            weighing, place, volts_at_a_milliampere(place, reading.value), offered)
        if found is None:
            continue
        limits, chance = found.limits, found.joint.sum(axis=1)
        weighing.tell("inject", found.net, [*(tr("{p} warms", p=p) for p in found.parts), tr("nothing warms")],
                      found.joint)
        actions.append(Action(
            "inject", found.net, injecting_words(found.net, found.by, limits),
            where_words(weighing.board, place), _why_inject(found.net, limits, found.by), found.minutes, found.cost,
            float(chance @ weighing.expect(found.joint, place.access)) + found.cost, (name,), (), found.by, limits))
    return actions


def read_to_inject(weighing: Weighing) -> list[Action]:
    """Reading a rail that is likely shorted, weighed with the injection that it makes possible."""
    board, table = weighing.board, weighing.advice.outcomes
    actions: list[Action] = []
    offered: set[frozenset[int]] = set()
    for place in _likely_shorted(weighing):
        point = board.point_by_id[table.points[place]]
        chances = weighing.outcome_chances(np.array([place]))[0]
        grounded, *others = chances
        volts = weighing.values_at(np.array([place]))[0]
        short = weighing.weight * grounded
        expected_volts = float(np.nan_to_num(volts, nan=0.0, posinf=0.0) @ short / max(float(short.sum()), 1e-9))
        found = _injecting(weighing, point, expected_volts, offered)
        if found is None:
            continue
        weighing.tell("measure", point.id, OUTCOMES, chances * weighing.weight)
        after = np.concatenate([found.joint * grounded, [other * weighing.weight for other in others]])
        access = probing_access(board, weighing.facts, point.access)
        minutes = board.minutes_to(access, weighing.facts.access) + weighing.rates.touch_minutes
        touch = weighing.minutes_cost(minutes)
        # Opened once for both; on ground it is injected, else what is left is weighed as after any reading.
        inject = found.cost - weighing.minutes_cost(board.minutes_to(point.access, weighing.facts.access))
        chance = after.sum(axis=1)
        sure = float(short.sum())
        expected = float(chance @ weighing.expect(after, access)) + touch + sure * inject
        actions.append(Action(
            "measure", point.id, tr("Measure {point}", point=point.words or point.id), where_words(board, point),
            tr("On ground with {percent}; then its rail can be put on the bench supply, to see which part warms.",
               percent=percent(sure)), minutes, touch, expected, (point.id,)))
    return actions


def _likely_shorted(weighing: Weighing) -> tuple[int, ...]:
    """Places in the outcome table of points that are likely on ground and have not been read since the last repair, one
    of each piece of copper, the likeliest first; none while something is off the board."""
    facts, table, board = weighing.facts, weighing.advice.outcomes, weighing.board
    copper = weighing.advice.model.copper
    if facts.isolated or not (weighing.sets >= FIRST_FAULT_ROW).any():
        return ()
    read = {copper.get(name, GROUND) for epoch, name, method in facts.readings or {}
            if epoch == facts.epoch and name in board.point_by_id and board.is_to_ground(name)
            and method == board.point_by_id[name].default_method}
    open_still = [i for i, name in enumerate(table.points) if copper.get(name, GROUND) >= 0 and copper[name] not in read
                  and board.point_by_id[name].to is None]
    if not open_still:
        return ()
    # Not likelier than all its faults' chances together, by which most points need no closer look.
    member: np.ndarray = np.not_equal(weighing.rows, NO_ROW)
    by_row = np.bincount(weighing.rows[member], np.broadcast_to(weighing.weight[:, None], member.shape)[member],
                         table.chances.shape[2])
    at_most = table.chances[:, 0] @ by_row
    open_still = [i for i in open_still if at_most[i] >= LIKELY_SHORT]
    if not open_still:
        return ()
    near = table.chances[np.array(open_still), 0]
    chance = near[:, weighing.sets].max(axis=2) @ weighing.weight
    order, access = board.access_order, [board.point_by_id[table.points[i]].access for i in open_still]
    found: dict[int, int] = {}
    for k in sorted(range(len(open_still)), key=lambda k: (-round(float(chance[k]), 2), order.get(access[k], 0), k)):
        if chance[k] < LIKELY_SHORT or len(found) == MOST_LIKELY:
            break
        found.setdefault(copper[table.points[open_still[k]]], open_still[k])
    return tuple(found.values())


def _why_inject(net: str, limits: InjectionLimits, by: str) -> str:
    first = tr("First put {fed} on its own {volts:g} V from a second output, {amps:g} A at most, so that {net} feeds "
               "no chip through its pin; stop if it does not come up. ", fed=limits.fed, volts=limits.most_volts,
               amps=FED_AMPS, net=net) if limits.fed else ""
    if limits.held:
        first += tr("{held} At one step the short gets all of that, and never more. ", held=held_words(limits))
    if WAY_BY_WORD[by].how:
        return first + tr("{how} Never above {most_volts:g} V here; cell out and away.", how=WAY_BY_WORD[by].how,
                          most_volts=limits.most_volts)
    if limits.held:
        return first + tr("Find what gets warm. Never above {most_volts:g} V here; cell out and away; look with a "
                          "camera before a finger.", most_volts=limits.most_volts)
    power = (tr("Up to {watts:.2g} W heats the shorted part", watts=limits.watts) if limits.never_more else
             tr("About {watts:.2g} W heats the shorted part", watts=limits.watts))
    return first + tr("{power}: find what gets warm. Raise it slowly, never above {most_volts:g} V here; cell out and "
                      "away; look with a camera before a finger.", power=power, most_volts=limits.most_volts)
