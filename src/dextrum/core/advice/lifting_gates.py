"""What lifts a held gate, as a step like any other: with its minutes, and where it is done."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from dextrum.core.advice.actions import Action
from dextrum.core.advice.doubt_actions import cell_access
from dextrum.core.advice.repairing import put_back, repair_action
from dextrum.core.advice.weighing import Weighing
from dextrum.core.advice.wording import where_words
from dextrum.core.assumptions.stated import as_stated
from dextrum.core.looks import PUT_RIGHT_BY
from dextrum.core.proof.together import needed_to_run, to_run_words
from dextrum.core.reference.warm import COOLING
from dextrum.core.safety.gates import Gate
from dextrum.core.safety.recheck import in_walking_order
from dextrum.tongue import tr

MOST_NAMED = 3


def lifting_action(weighing: Weighing, gate: Gate) -> Action | None:
    """The step that lifts a gate; None where only the diagnosis does."""
    make = _LIFTS.get(gate.lifted_by)
    return make(weighing, gate) if make is not None else None


def _action(weighing: Weighing, gate: Gate, title: str, where: str, minutes: float, waiting: float = 0.0) -> Action:
    """waiting: minutes in which other jobs fit in."""
    cost = weighing.minutes_cost(minutes + waiting * weighing.rates.waiting_share)
    return Action(gate.lifted_by, gate.target, title, where, f"{gate.words} {gate.instead}", minutes + waiting, cost,
                  weighing.now + cost)


def _make_safe(weighing: Weighing, gate: Gate) -> Action:
    return _action(
        weighing,
        gate,
        tr("Make it safe: isolate, open, cell out, inspect"),
        tr("before anything is plugged in"),
        as_stated(weighing.board, "safe_minutes"),
    )


def _look(weighing: Weighing, gate: Gate) -> Action:
    title = tr("Look into the port") if gate.id == "look_first" else tr("Look into the port again")
    return _action(weighing, gate, title, tr("under magnification"), weighing.rates.look_minutes)


def _clean(weighing: Weighing, gate: Gate) -> Action:
    return _action(weighing, gate, tr("Clean the port"), tr("blow or brush it out, unit unplugged"),
                   as_stated(weighing.board, "clean_minutes"))


def _audit(weighing: Weighing, gate: Gate) -> Action:
    return _action(weighing, gate, tr("Audit the rework"), tr("round {target}, under magnification",
                                                              target=gate.target),
                   as_stated(weighing.board, "audit_minutes"))


def _cool(weighing: Weighing, gate: Gate) -> Action:
    facts = weighing.facts
    points = dict.fromkeys(key[1] for key, reading in (facts.readings or {}).items()
                           if key[0] == facts.epoch and (reading.entry_id, key[1]) in facts.warm)
    waiting = _action(
        weighing,
        gate,
        tr("Let the board cool, then read again"),
        tr("or give the board's temperature"),
        0.0,
        COOLING.total_seconds() / 60.0,
    )
    return replace(waiting, points=tuple(points))


def _cause(weighing: Weighing, gate: Gate) -> Action:
    return _action(weighing, gate, tr("Name what blew it"), tr("supply, dock, force or liquid"), 1.0)


def _unplug(weighing: Weighing, gate: Gate) -> Action:
    board, facts = weighing.board, weighing.facts
    level = next((lv.words for lv in board.access_levels if lv.id == cell_access(board, facts)), "")
    return _action(weighing, gate, tr("Unplug the cell"), level,
                   board.minutes_to(cell_access(board, facts), facts.access)
                   + as_stated(board, "unplug_minutes"))


def _assemble(weighing: Weighing, gate: Gate) -> Action:
    board = weighing.board
    needed = set(needed_to_run(board))
    minutes = sum(one.minutes for one in board.set_ups if one.fasteners and set(one.fasteners) <= needed)
    return _action(weighing, gate, tr("Put it together just enough to run"), to_run_words(board), minutes)


def _put_back(weighing: Weighing, _gate: Gate) -> Action:
    return put_back(weighing)


def _repair(weighing: Weighing, gate: Gate) -> Action | None:
    """The cheapest work that puts right what is seen, and was not done too often; None where there is none here."""
    what = weighing.facts.parts_seen.get(gate.target, "")
    own = [k for k, option in enumerate(weighing.options.options)
           if option.part == gate.target and k not in weighing.done_enough
           and (option.action == "replace" or what in PUT_RIGHT_BY.get(option.action, ()))]
    best = min(own, key=lambda k: float(weighing.costs[k]), default=None)
    return None if best is None else repair_action(weighing, best, weighing.chance_to_mend(best))


def read_again(weighing: Weighing, due: tuple[str, ...], beside: tuple[str, ...] = ()) -> Action:
    """Points to read after a repair, before power: those that were off, and every new joint. beside: those that show
    what heat has done to what lies round it."""
    why = [tr("Shorts must be gone, opens closed and every new joint through before power is applied.")] if due else []
    why += [tr("What lies near the heat must read as on a good board.")] if beside else []
    title = tr("Read again") if due else tr("Read round the heat")
    due = in_walking_order(weighing.board, (*due, *beside))
    board, facts, rates = weighing.board, weighing.facts, weighing.rates
    in_port = sum(point in board.port_points for point in due)
    deepest = max((board.point_by_id[p].access for p in due), key=lambda a: board.access_order.get(a, 0))
    minutes = board.minutes_to(deepest, facts.access) + rates.walk_minutes(in_port, len(due) - in_port)
    rest = len(due) - MOST_NAMED
    title += f": {', '.join(due[:MOST_NAMED])}" + (tr(" and {rest} more", rest=rest) if rest > 0 else "")
    return Action("recheck", due[0], title, where_words(board, board.point_by_id[due[0]]),
                  " ".join(why),
                  minutes, weighing.minutes_cost(minutes), weighing.now, due)


_LIFTS: dict[str, Callable[[Weighing, Gate], Action | None]] = {
    "make_safe": _make_safe, "look": _look, "clean": _clean, "audit": _audit, "cool": _cool, "cause": _cause,
    "unplug_cell": _unplug, "put_back": _put_back, "repair": _repair, "assemble": _assemble,
}
