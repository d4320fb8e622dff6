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
from dextrum.core.advice.parts_off import gone_chances, standing_reading
from dextrum.core.advice.repairs import deeper, lifting
from dextrum.core.advice.weighing import Weighing
from dextrum.core.advice.wording import part_words, percent, where_words
from dextrum.core.assumptions.planning import (
    FOUND_LOAD,
    LEAST_LOAD,
    LEAST_UP,
    LIKELY_LEAK,
)
from dextrum.core.assumptions.readings import UNCHANGED_VOLTS
from dextrum.core.assumptions.stated import as_stated
from dextrum.core.board import Board, Component, ComponentKind, Method, RailCheck
from dextrum.core.circuit.isolation import Isolated
from dextrum.core.circuit.network import GROUND
from dextrum.core.diagnosis.hypotheses import NOTHING_ROW
from dextrum.core.diagnosis.injection import rail_group
from dextrum.core.diagnosis.likelihood import rail_chances
from dextrum.core.job import JobFacts
from dextrum.core.reference.judge import SHORTED
from dextrum.core.reference.off_points import ON_GROUND, judge_at
from dextrum.tongue import tr

IN_SERIES = frozenset({ComponentKind.LINK, ComponentKind.FUSE, ComponentKind.FILTER, ComponentKind.INDUCTOR})
MOST_LOADS = 10


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
        if point.to is not None or model.copper.get(point.id, GROUND) < 0:
            continue
        reading = standing_reading(facts, point.id)
        if reading is None or reading.wavering:
            continue
        judged = judge_at(board, advice.model.references, point, Method.DIODE_RED_GROUND, reading.value)
        if judged.verdict in SHORTED:
            copper = model.copper[point.id]
            share = reading.value / judged.centre if judged.centre and np.isfinite(judged.centre) else reading.value
            if copper not in found or share < found[copper][0]:
                found[copper] = (share, point.id)
    return tuple(point for _, point in sorted(found.values(), key=lambda v: (v[0], board.point_order[v[1]])))


def leaking_points(weighing: Weighing, isolated: Isolated) -> tuple[str, ...]:
    """Points against ground that have been read, of which it is likely that something pulls them down, though by no
    more than boards differ; one of each piece of copper, the likeliest first. isolated: what is off, and pulls nothing.
    """
    facts, advice = weighing.facts, weighing.advice
    read = list(dict.fromkeys(
        point for _, point, method in facts.readings or {} if method == Method.DIODE_RED_GROUND
        and point in advice.outcomes.place and advice.model.copper.get(point, GROUND) >= 0))
    if not read:
        return ()
    places = np.array([advice.outcomes.place[p] for p in read])
    there = ~advice.model.isolating(isolated).rows_off[weighing.outcome_rows(places)]
    values = weighing.diode_values(places)
    good = advice.model.red_ground.values[NOTHING_ROW, [advice.model.red_ground.column[p] for p in read]]
    chance = (there & (values < good[:, None] - UNCHANGED_VOLTS)) @ weighing.weight
    found: dict[int, str] = {}
    for k in np.argsort(-chance, kind="stable").tolist():
        if chance[k] >= LIKELY_LEAK:
            found.setdefault(advice.model.copper[read[k]], read[k])
    return tuple(found.values())


def pulled_down(weighing: Weighing, isolated: Isolated) -> tuple[str, ...]:
    """Points that read shorted with these parts off, or of which it is likely that something leaks there."""
    shorted = shorted_points(weighing.advice, replace(weighing.facts, isolated=isolated))
    copper = weighing.advice.model.copper
    taken = {copper[point] for point in shorted}
    return shorted + tuple(point for point in leaking_points(weighing, isolated) if copper[point] not in taken)


def only_leaks(weighing: Weighing) -> str:
    """The net that reads low without being shorted; empty where something is shorted, or nothing leaks."""
    board, facts = weighing.board, weighing.facts
    found = pulled_down(weighing, facts.isolated)
    for point in found:
        reading = standing_reading(facts, point)
        if reading is not None and judge_at(board, weighing.advice.model.references, board.point_by_id[point],
                                            Method.DIODE_RED_GROUND, reading.value).verdict in ON_GROUND:
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
    # What was read with this off would read the same again.
    read = facts.epoch, point, Method.DIODE_RED_GROUND.value, facts.isolated | {part.designator}
    found = None if read in (facts.apart or {}) else gone_chances(weighing, part.designator, point)
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
        for orientation in "ab":
            up = rail_chances(weighing.advice.model, check.id, orientation, weighing.broken)
            if up is not None:
                ways.append((float(up @ weighing.weight), orientation, up.astype(np.float32)))
        if ways:
            _, orientation, up = max(ways, key=lambda w: (round(w[0], 6), w[1] == "a"))
            due.append((check, orientation, weighing.weight * np.stack([up, 1.0 - up])))
    after = weighing.expect_each([joint for _, _, joint in due], [check.access for check, _, _ in due])
    for (check, orientation, joint), expected in zip(due, after, strict=True):
        weighing.tell("rail", check.id, ("up", "missing"), joint)
        actions.append(_read_rail(weighing, check, orientation, expected, tr("under power")))
    return actions


def _read_rail(weighing: Weighing, check: RailCheck, orientation: str, expected: float, how: str) -> Action:
    board, facts = weighing.board, weighing.facts
    minutes = board.minutes_to(check.access, facts.access) + check.minutes + as_stated(board, "rail_setup_minutes")
    cost = weighing.minutes_cost(minutes)
    return Action(
        "rail", check.id, tr("Read {id} {how}, {orientation} side up", id=check.id, how=how,
                             orientation=orientation.upper()),
        where_words(board, board.point_by_id[check.point]),
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
            return _read_rail(weighing, check, seen.orientation, weighing.now, "again")
    return None
