"""A shorted rail with several loads: what to take off next, or to inject, and what each outcome would mean.

Loads are ranked by what the job is then expected to cost, so what is cheap, reversible and splits the suspects well
comes first; the part that is lifted goes back, unless it was the one.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from dextrum.core.advice.actions import Action
from dextrum.core.advice.advice_model import AdviceModel
from dextrum.core.advice.parts_off import LEAST_ROW, gone_chances, standing_reading
from dextrum.core.advice.repairs import deeper, lifting
from dextrum.core.advice.weighing import Weighing
from dextrum.core.advice.wording import part_words, percent, where_words
from dextrum.core.assumptions.planning import (
    FOUND_LOAD,
    LEAST_LOAD,
    LEAST_UP,
    LIKELY_LEAK,
)
from dextrum.core.assumptions.readings import SAME_OHMS, UNCHANGED_VOLTS
from dextrum.core.assumptions.stated import as_stated
from dextrum.core.board import Board, Component, ComponentKind, Method, Point, RailCheck
from dextrum.core.circuit.edit import NOTHING
from dextrum.core.circuit.isolation import Isolated
from dextrum.core.circuit.network import GROUND
from dextrum.core.diagnosis.hypotheses import NOTHING_ROW
from dextrum.core.diagnosis.injection import rail_group, rail_shorts
from dextrum.core.diagnosis.likelihood import rail_chances
from dextrum.core.job import JobFacts
from dextrum.core.reference.judge import METER_AMPS, SHORTED
from dextrum.core.reference.off_points import ON_GROUND, judge_at
from dextrum.tongue import tr

IN_SERIES = frozenset({ComponentKind.LINK, ComponentKind.FUSE, ComponentKind.FILTER, ComponentKind.INDUCTOR})
MOST_LOADS = 10
SAME_CHANCE_DIGITS = 5
"""To so many digits chances are told apart."""


@dataclass(frozen=True)
class Load:
    """One load of a shorted rail. verb: how it comes off; chance: that the short is in it."""

    part: str
    verb: str
    words: str
    minutes: float
    chance: float
    why: str


def shorted_points(advice: AdviceModel, facts: JobFacts) -> tuple[str, ...]:
    """Points against ground that read shorted by what is on the board now, one of each piece of copper, those most
    surely shorted first."""
    board, model = advice.model.board, advice.model.isolating(facts.isolated)
    found: dict[int, tuple[float, str]] = {}
    read = {key[1] for key in (facts.apart if facts.isolated else facts.readings) or {}} & board.point_by_id.keys()
    for point in sorted((board.point_by_id[name] for name in read), key=lambda p: board.point_order[p.id]):
        if not board.is_to_ground(point.id) or model.copper.get(point.id, GROUND) < 0:
            continue
        reading = standing_reading(facts, point.id, point.default_method)
        if reading is None or reading.wavering:
            continue
        judged = judge_at(board, advice.model.references, point, point.default_method, reading.value)
        if judged.verdict in SHORTED:
            copper = model.copper[point.id]
            share = reading.value / judged.centre if judged.centre and np.isfinite(judged.centre) \
                else volts_at_a_milliampere(point, reading.value)
            if copper not in found or share < found[copper][0]:
                found[copper] = (share, point.id)
    return tuple(point for _, point in sorted(found.values(), key=lambda v: (v[0], board.point_order[v[1]])))


def volts_at_a_milliampere(point: Point, value: float) -> float:
    """What a point that something pulls towards ground reads in diode mode, or nearly, by what it reads by its own
    method: a meter drives about a milliampere then, by which volts are kiloohms."""
    return value if point.default_method.is_diode else value * METER_AMPS


def leaking_points(weighing: Weighing, isolated: Isolated) -> tuple[str, ...]:
    """Points against ground, on copper that has been read, of which it is likely that something pulls them down with
    these parts off, though by no more than boards differ; one of each piece of copper, the likeliest first, and of
    those alike the ones read in ohms. Of one copper, ohms to ground before junctions, read or not: kilohms that move a
    junction by a few millivolts are plain there. What lies beyond a link that is off is a piece of its own, and hasn't
    been read by itself."""
    copper = weighing.advice.model.isolating(isolated).copper
    found: dict[int, tuple[float, str]] = {}
    for method in (Method.DIODE_RED_GROUND, Method.RESISTANCE):
        for point, chance in _likely_leaks(weighing, isolated, method):
            likeliest = max(chance, found.get(copper[point], (0.0, ""))[0])
            found[copper[point]] = likeliest, point
    # Sums of the same chances may differ in their last digits; of those alike, ohms speak more plainly.
    return tuple(point for _, point in sorted(found.values(), key=lambda one: (
        -round(one[0], SAME_CHANCE_DIGITS), weighing.board.point_by_id[one[1]].default_method.is_diode)))


def _likely_leaks(weighing: Weighing, isolated: Isolated, method: Method) -> list[tuple[str, float]]:
    """Of each piece of copper that was read, the point by one method and the chance that something pulls it down; those
    read with these parts off first, then those read at all."""
    facts, model, board, table = weighing.facts, weighing.advice.model, weighing.board, weighing.advice.outcomes
    view = model.isolating(isolated)
    read = {point for _, point, _ in facts.readings or {} if point in table.place and board.is_to_ground(point)}
    seen = {model.copper.get(point, GROUND) for point in read} - {GROUND}
    points = [point for point in table.points if model.copper.get(point, GROUND) in seen and board.is_to_ground(point)
              and board.point_by_id[point].default_method is method
              and (point in read or not method.is_diode
                   or (view.base_edit != NOTHING and view.moved_at(point, method)))]
    if not points:
        return []
    places = np.array([table.place[point] for point in points])
    good = np.array([model.good_at(point, method) for point in points])
    pulled = weighing.values_at(places, method) < _pulled_below(good, method)[:, None]
    rows = weighing.outcome_rows(places)
    if not method.is_diode:  # behind a pull-up its rail lowers a line as well
        nets = [board.net_of_point[point] for point in points]
        pulled &= np.stack([rail_shorts(view, net)[of] > 0.0 for net, of in zip(nets, rows, strict=True)])
    chance = (pulled & ~view.rows_off[rows]) @ weighing.weight
    now = {point for _, point, by, off in facts.apart or {} if by == method and off == isolated}
    order = sorted(range(len(points)), key=lambda k: (points[k] not in now, points[k] not in read, -chance[k]))
    found: dict[int, tuple[str, float]] = {}
    for k in order:
        if chance[k] >= LIKELY_LEAK:
            found.setdefault(view.copper[points[k]], (points[k], float(chance[k])))
    return [(point, by_itself) for point, likely in found.values() if (by_itself := _pulled_with_parts_off(
        weighing, isolated, point, method, likely)) >= LIKELY_LEAK]


def _pulled_below(good: np.ndarray, method: Method) -> np.ndarray:
    """What a point reads less than where something pulls it down, in volts or ohms, by what a good board reads."""
    return good - UNCHANGED_VOLTS if method.is_diode else good * (1.0 - SAME_OHMS)


def _pulled_with_parts_off(weighing: Weighing, isolated: Isolated, point: str, method: Method, whole: float) -> float:
    """The chance that something pulls a point down with these parts off. whole: with everything on."""
    view = weighing.advice.model.isolating(isolated)
    if view.base_edit == NOTHING or not view.moved_at(point, method):
        return whole
    rows = np.flatnonzero(weighing.row_weight > LEAST_ROW)
    predicted = view.predicted_of(point, method, frozenset(rows.tolist()))
    assert predicted is not None
    pulls = predicted.values < _pulled_below(predicted.values[NOTHING_ROW], method)
    return float(weighing.weight @ pulls[weighing.sets].any(axis=1))


def pulled_down(weighing: Weighing, isolated: Isolated) -> tuple[str, ...]:
    """Points that read shorted with these parts off, or of which it is likely that something leaks there; one of each
    piece of copper, read in ohms where it can be."""
    copper, board = weighing.advice.model.isolating(isolated).copper, weighing.board
    leaking = {copper[point]: point for point in leaking_points(weighing, isolated)}
    in_ohms = {place for place, point in leaking.items() if not board.point_by_id[point].default_method.is_diode}
    shorted = {copper[point]: point
               for point in shorted_points(weighing.advice, replace(weighing.facts, isolated=isolated))}
    return tuple((leaking if place in in_ohms else shorted | leaking)[place] for place in {**shorted, **leaking})


def beyond_what_is_off(weighing: Weighing) -> str:
    """A point that something likely pulls down, on copper that a part which is off has split from copper that was read
    since: it is read before anything is taken off there. Empty where there is none."""
    facts, whole = weighing.facts, weighing.advice.model.copper
    view = weighing.advice.model.isolating(facts.isolated)
    if view.base_edit == NOTHING:
        return ""
    read = {point for _, point, _, off in facts.apart or {} if off == facts.isolated and point in whole}
    sides, split = {view.copper[point] for point in read}, {whole[point] for point in read}
    return next((point for point in leaking_points(weighing, facts.isolated)
                 if whole[point] in split and view.copper[point] not in sides), "")


def only_leaks(weighing: Weighing) -> str:
    """The net that reads low without being shorted; empty where something is shorted, or nothing leaks."""
    board, facts = weighing.board, weighing.facts
    found = pulled_down(weighing, facts.isolated)
    for point in (*shorted_points(weighing.advice, facts), *found):
        place = board.point_by_id[point]
        reading = standing_reading(facts, point, place.default_method)
        if reading is not None and judge_at(board, weighing.advice.model.references, place, place.default_method,
                                            reading.value).verdict in ON_GROUND:
            return ""
    return board.net_of_point[found[0]] if found else ""


def _verb(part: Component) -> str:
    return tr("Unplug") if part.kind is ComponentKind.CONNECTOR else tr("Lift")


def part_access(board: Board, designator: str) -> str:
    """How far the unit must be open to take a part off."""
    part = board.component_by_designator[designator]
    level = board.access_levels[1].id if len(board.access_levels) > 1 else ""
    if part.kind is ComponentKind.IC and board.access_levels:
        level = board.access_levels[-1].id
    return deeper(board, level, part.side)


def _on_rail(weighing: Weighing, point: str) -> list[Component]:
    """Parts on the shorted rail, but for those that are off already."""
    view = weighing.advice.model.isolating(weighing.facts.isolated)
    board, node = weighing.board, view.circuit.address_node
    group = rail_group(view, board.net_of_point[point])
    off = {a.partition(".")[0] for a in weighing.facts.isolated}
    return [part for part in board.components if part.designator not in off and group & {
        node[f"{part.designator}.{t.name}"] for t in part.terminals} - {GROUND}]


def _loads_of(weighing: Weighing, parts: Sequence[Component], chance: dict[str, float]) -> list[Component]:
    """Of the parts on a shorted rail, those that can come off: in series with something, or perhaps the short."""
    loads = [part for part in parts if lifting(weighing.board, part) is not None and (
        part.kind in IN_SERIES or chance.get(part.designator, 0.0) >= LEAST_LOAD)]
    loads.sort(key=lambda p: (-(p.kind in IN_SERIES or p.kind is ComponentKind.CONNECTOR),
                              -chance.get(p.designator, 0.0)))
    return loads[:MOST_LOADS]


def _isolate(weighing: Weighing, part: Component, point: str, chance: float) -> Action | None:
    board, facts, rates = weighing.board, weighing.facts, weighing.rates
    how = lifting(board, part)
    # What was read with this off, there or elsewhere on that copper, would read the same again.
    copper, off = weighing.advice.model.copper, facts.isolated | {part.designator}
    read = any(epoch == facts.epoch and isolated == off and copper.get(name) == copper[point]
               for epoch, name, _, isolated in facts.apart or {})
    found = None if read else gone_chances(weighing, part.designator, point)
    if how is None or found is None:
        return None
    gone, sizes = found
    rows = np.take_along_axis(weighing.sets, sizes[weighing.sets].argmax(axis=1)[:, None], axis=1)[:, 0]
    both = (np.stack([gone, 1.0 - gone])[:, rows] * weighing.weight).astype(np.float32)
    outcome = both.sum(axis=1)
    access = part_access(board, part.designator)
    minutes = board.minutes_to(access, facts.access) + how[0] + rates.touch_minutes
    # What was not it goes back; what was is replaced, which then costs the putting on alone.
    cost = weighing.minutes_cost(minutes + how[0] * (1.0 - 2.0 * chance)) + how[1] * board.unit_value
    after = float(outcome @ weighing.expect(both, access))
    place = board.point_by_id[point]
    weighing.tell("isolate", part.designator, (tr("short gone"), tr("still shorted")), both)
    return Action("isolate", part.designator,
                  tr("{verb} {designator}, {part_words}, and read {place} again", verb=_verb(part),
                     designator=part.designator, part_words=part_words(board, part.designator),
                     place=place.words or place.id), part.purpose,
                  tr("{percent} likely to clear the short; it can go back on.", percent=percent(float(outcome[0])))
                  if part.kind is not ComponentKind.IC else tr("Nothing cheaper to remove would tell as much."),
                  minutes, cost, after + cost, (point,))


def isolating_actions(weighing: Weighing) -> tuple[list[Action], tuple[Load, ...]]:
    """Actions that take one load off and measure again, and the loads in that order, with why; none of a rail whose
    short has a name already."""
    points = pulled_down(weighing, weighing.facts.isolated)
    if not points:
        return [], ()
    board, chance = weighing.board, weighing.chance_of_part
    found: dict[str, Action] = {}
    named: set[str] = set()
    for point in points[:2]:
        on_rail = _on_rail(weighing, point)
        if any(chance.get(part.designator, 0.0) >= FOUND_LOAD for part in on_rail):
            named.add(point)
        for part in _loads_of(weighing, on_rail, chance):
            action = _isolate(weighing, part, point, chance.get(part.designator, 0.0))
            if action is not None and (part.designator not in found
                                       or action.expected < found[part.designator].expected):
                found[part.designator] = action
    ranked = _in_search_order(weighing, list(found.values()))
    loads = []
    for action in (a for a in ranked if a.points[0] not in named):
        part = board.component_by_designator[action.target]
        own = chance.get(part.designator, 0.0)
        why = (tr("unplugs in a minute") if part.kind is ComponentKind.CONNECTOR else
               tr("splits the rail") if part.kind in IN_SERIES else
               tr("hot air needed; may be the short") if part.kind is ComponentKind.IC else tr("may be the short"))
        loads.append(Load(part.designator, _verb(part), part.purpose, action.minutes, own, why))
    return ranked, tuple(loads)


def _in_search_order(weighing: Weighing, actions: list[Action]) -> list[Action]:
    """Loads by expected cost; those that may be the short themselves among each other by what lifting one costs for the
    chance that it is the one, which is the best order of looking into boxes one by one (D. Blackwell; L. D. Stone,
    Theory of Optimal Search, 1975, section 4.1). One step ahead can't see that: it takes chips before capacitors."""
    board, chance = weighing.board, weighing.chance_of_part

    def is_box(action: Action) -> bool:
        kind = board.component_by_designator[action.target].kind
        return kind not in IN_SERIES and kind is not ComponentKind.CONNECTOR

    def index(action: Action) -> float:
        chip = board.component_by_designator[action.target].kind is ComponentKind.IC
        times = as_stated(board, "good_chip") if chip else 1.0
        return action.cost * times / max(chance.get(action.target, 0.0), 1e-6)

    boxes = [action for action in actions if is_box(action)]
    expected = sorted(action.expected for action in boxes)
    placed = [replace(action, expected=cost) for action, cost in zip(sorted(boxes, key=index), expected, strict=True)]
    return sorted([*(a for a in actions if not is_box(a)), *placed], key=lambda a: a.expected)


def rail_actions(weighing: Weighing) -> list[Action]:
    """Volts on the rails that the pack knows, with power at the port: what tells a chip that is dead and reads well."""
    board, facts = weighing.board, weighing.facts
    actions = []
    due: list[tuple[RailCheck, str, np.ndarray]] = []
    for check in board.rail_checks:
        if check.id in (facts.rail_volts or {}):
            continue
        ways = []
        for orientation in "ab" if check.by_side else "a":
            up = rail_chances(weighing.advice.model, check.id, orientation, weighing.broken)
            if up is not None:
                ways.append((float(up @ weighing.weight), orientation, up.astype(np.float32)))
        if ways:
            _, orientation, up = max(ways, key=lambda w: (round(w[0], 6), w[1] == "a"))
            due.append((check, orientation, weighing.weight * np.stack([up, 1.0 - up])))
    after = weighing.expect_each([joint for _, _, joint in due], [check.access for check, _, _ in due])
    for (check, orientation, joint), expected in zip(due, after, strict=True):
        weighing.tell("rail", check.id, (tr("up"), tr("missing")), joint)
        actions.append(_read_rail(weighing, check, orientation, expected, tr("under power")))
    return actions


def _read_rail(weighing: Weighing, check: RailCheck, orientation: str, expected: float, how: str) -> Action:
    board, facts = weighing.board, weighing.facts
    minutes = board.minutes_to(check.access, facts.access) + check.minutes + as_stated(board, "rail_setup_minutes")
    cost = weighing.minutes_cost(minutes)
    title = tr("Read {id} {how}, {orientation} side up", id=check.id, how=how, orientation=orientation.upper()) \
        if check.by_side else tr("Read {id} {how}", id=check.id, how=how)
    return Action(
        "rail", check.id, title, where_words(board, board.point_by_id[check.point]),
        tr("{check}: up from {least_volts:g} V. One probe, nothing else near the board; off again before anything "
           "is touched.", check=check.words,
           least_volts=check.least_volts), minutes, cost, expected + cost, (check.point,), (), orientation)


def _may_be_up(weighing: Weighing, rail: str, orientation: str) -> bool:
    """Whether a second reading could find the rail up, by all that is known; not where what it hangs on is missing."""
    up = rail_chances(weighing.advice.model, rail, orientation, weighing.broken)
    return up is not None and float(up @ weighing.weight) >= LEAST_UP


def rail_again(weighing: Weighing) -> Action | None:
    """A rail that was missing at one reading since the last repair, once more: no chip is changed for a probe beside
    the pad."""
    for check in weighing.board.rail_checks:
        seen = (weighing.facts.rail_volts or {}).get(check.id)
        missing = sum(item.touches for item in weighing.evidence.items if item.kind == "rail"
                      and item.subject == check.id and item.epoch == weighing.facts.epoch and not item.isolated
                      and item.value < check.least_volts)
        if missing == 1 and seen is not None and seen.volts < check.least_volts \
                and _may_be_up(weighing, check.id, seen.orientation):
            return _read_rail(weighing, check, seen.orientation, weighing.now, tr("again"))
    return None
