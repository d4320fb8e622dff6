"""What must hold before something is done. A held gate is explained, can be passed with a reason, and says what lifts
it, which is a step like any other.

The rules stand in order, most serious first; docs/safety.md lists them with their reasons.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace

from dextrum.core.board import Board, ComponentKind, Method, NetRole
from dextrum.core.board.kinds import FEED_ROLES
from dextrum.core.board.pull_up import pull_up_of
from dextrum.core.board.value_words import value_words
from dextrum.core.job import JobFacts
from dextrum.core.looks import BOARD_FINDING_WORDS, FORBIDS_PLUGGING, FORBIDS_POWER, LOOK_WORDS, WASHES_OFF
from dextrum.core.proof.together import needed_to_run, not_in, to_run_words
from dextrum.core.reference.judge import Verdict, judge
from dextrum.core.reference.off_points import off_points
from dextrum.core.reference.table import ReferenceTable
from dextrum.core.safety.activities import Activity, unplugs
from dextrum.core.safety.recheck import points_of_part, points_to_recheck
from dextrum.core.trail import PADS, Cell, Injection, Look, Payload
from dextrum.tongue import capital, tr

POWER, CELL, READINGS, HEAT, INJECTION, RUNNING = (Activity.POWER, Activity.CELL, Activity.READINGS, Activity.HEAT,
                                                   Activity.INJECTION, Activity.RUNNING)
LIVE = frozenset({POWER, CELL})
"""With the cell in, a board is under power as well."""
SHORTED_FEED_VOLTS = 0.15
"""A VBUS contact that shows less than this in diode mode passes a milliampere into less than 150 ohms: from 33 mA at
5 V to 130 mA at 20 V straight to ground, into something that is already hot or crossed."""


@dataclass(frozen=True)
class Gate:
    """holds: the activities it holds back. words: why; instead: what to do first; lifted_by: the kind of action, and
    target, that lifts it, empty where only the diagnosis does."""

    id: str
    holds: frozenset[Activity]
    words: str
    instead: str
    lifted_by: str = ""
    target: str = ""

    @property
    def holds_power(self) -> bool:
        return Activity.POWER in self.holds

    @property
    def holds_back(self) -> str:
        """The first of what it holds back, as exported jobs call it."""
        return next(activity.value for activity in (POWER, CELL, READINGS, HEAT, INJECTION, RUNNING)
                    if activity in self.holds)


@dataclass(frozen=True)
class Bench:
    """What a rule looks at."""

    board: Board
    references: ReferenceTable
    facts: JobFacts


DANGER_WORDS = {
    "wet": (tr("It is or was wet: power drives corrosion and shorts, and a wet cell can catch fire."),
            tr("dry and clean the board, and inspect it")),
    "hot": (tr("It gets hot: something is shorted, perhaps the cell itself."), tr("let it cool and find what got hot")),
    "swollen": (tr("The cell is swollen: it can catch fire when charged, pressed or pierced."),
                tr("set the cell aside for a licensed recycler, by local rules; it does not go back")),
    "smell": (tr("It smells: burnt parts, or the cell's own vapour."), tr("find where it comes from")),
    "smoke": (tr("Smoke or sparks: something burns under power."), tr("find what burnt")),
}


def _danger(bench: Bench) -> list[Gate]:
    return [Gate(f"danger_{sign}", frozenset({POWER, CELL, HEAT, INJECTION}), words,
                 tr("Unplug everything, set it apart on something that does not burn, open it, cell out; {then}.",
                    then=then),
                 "make_safe", sign)
            for sign, (words, then) in DANGER_WORDS.items() if sign in bench.facts.danger]


def _swollen_back(bench: Bench) -> list[Gate]:
    facts = bench.facts
    if not facts.own_cell_swollen or "swollen" in facts.danger or facts.cell != "plugged":
        return []
    return [
        Gate(
            "swollen_back",
            frozenset({POWER, CELL, HEAT, INJECTION}),
            tr("The unit's own cell was swollen and is in again."),
            tr("Take it out; fit a new one or a known-good one."),
            "unplug_cell",
        )
    ]


def _seen_on_board(bench: Bench) -> list[Gate]:
    seen = [(part, what) for part, what in bench.facts.parts_seen.items() if what in FORBIDS_POWER]
    words = ", ".join(f"{part} {BOARD_FINDING_WORDS[what]}" for part, what in seen[:3])
    return [Gate("seen_on_board", LIVE, tr("{words}: not powered before it is put right.", words=words),
                 tr("Remove or replace it, then look again."), "repair", seen[0][0])] if seen else []


def _port_replaced(bench: Bench) -> bool:
    """A look after the replacement speaks about the new port."""
    ports = {port.component for port in bench.board.ports}
    return any(rework.action == "replace" and epoch > bench.facts.look_epoch and rework.part in ports
               for epoch, rework in bench.facts.reworks)


def _look_first(bench: Bench) -> list[Gate]:
    if bench.facts.look is not None or not bench.board.ports:
        return []
    return [
        Gate(
            "look_first",
            frozenset({POWER}),
            tr("Look into the port before anything is plugged in: crossed contacts can put supply voltage on a data "
               "line."),
            tr("Record the look."),
            "look",
            "port",
        )
    ]


def _damaged_port(bench: Bench) -> list[Gate]:
    look = bench.facts.look
    bad = [f for f in (look.findings if look is not None else ()) if f in FORBIDS_PLUGGING]
    if not bad or _port_replaced(bench):
        return []
    return [
        Gate(
            "damaged_port",
            frozenset({POWER}),
            tr("No power: port contacts are {bad}.", bad=tr(" and ").join(LOOK_WORDS[f] for f in bad)),
            tr("Take diode readings at the tails (no plug in the port), then replace the port."),
        )
    ]


def _dirty_port(bench: Bench) -> list[Gate]:
    look = bench.facts.look
    found = [f for f in (look.findings if look is not None else ()) if f in WASHES_OFF]
    if not found or _port_replaced(bench):
        return []
    if bench.facts.cleaned:
        return [Gate("packed_port", frozenset({POWER}), tr("The port was cleaned and nobody has looked again."),
                     tr("Look into the port again."), "look", "port")]
    port = bench.board.ports[0].component if bench.board.ports else "port"
    words = tr(" and ").join(LOOK_WORDS[f] for f in found)
    return [
        Gate(
            "packed_port",
            frozenset({POWER}),
            tr("The port is {words}: it imitates a dead one, and may bridge contacts.", words=words),
            tr("Blow or brush it out, then look again."),
            "clean",
            port,
        )
    ]


def _shorted_contact(bench: Bench) -> list[Gate]:
    """A port contact on ground though it should not be, or a supply contact that is next to it."""
    method = Method.DIODE_RED_GROUND
    for point in bench.board.port_point_ids():
        reading = bench.facts.latest_reading(point, method.value)
        if reading is None or (reading.entry_id, point) in bench.facts.set_aside:
            continue
        role = bench.board.net_by_name[bench.board.net_of(bench.board.point_by_id[point].at)].role
        if role is NetRole.GROUND:
            continue
        judged = judge(reading.value, bench.references.get(point, method))
        grounded = judged.verdict is Verdict.GROUNDED or (
            judged.verdict is Verdict.NOT_JUDGED and reading.value <= SHORTED_FEED_VOLTS / 5)
        feed = role is NetRole.VBUS and reading.value < SHORTED_FEED_VOLTS and judged.verdict is not Verdict.WITHIN
        if grounded or feed:
            said = tr("{partition} reads {value_words}", partition=point.partition(".")[2],
                      value_words=value_words(reading.value, method))
            return [Gate("grounded_contact", frozenset({POWER}), tr("No supply on the port while {said}.", said=said),
                         tr("Find the short first."))]
    return []


def _parts_off(bench: Bench) -> list[Gate]:
    lifted = sorted(a for a in bench.facts.isolated if not unplugs(bench.board, a))
    if not lifted:
        return []
    return [
        Gate(
            "parts_off",
            LIVE,
            tr("{few} {are} removed from the board. A rail without its load or its link is not powered.",
               few=few(tuple(lifted)), are="is" if len(lifted) == 1 else "are", count=len(lifted)),
            tr("Put back what was lifted."),
            "put_back",
            lifted[0],
        )
    ]


AUDIT_WORDS = {"counted": tr("small parts counted"), "bridges": tr("no bridges"), "flux": tr("flux off"),
               PADS: tr("pads under it looked at")}


def _audit(bench: Bench) -> list[Gate]:
    missing = bench.facts.unaudited or {}
    if not missing:
        return []
    steps = dict.fromkeys(step for own in missing.values() for step in own)
    return [Gate("audit", LIVE, tr("Not audited round {few}: {audit_words}.", few=few(tuple(missing)),
                                   audit_words=", ".join(AUDIT_WORDS[step] for step in steps)),
                 tr("Look round the joints, then tick the audit."), "audit", next(iter(missing)))]


def _warm(bench: Bench) -> list[Gate]:
    facts = bench.facts
    now = {(r.entry_id, key[1]) for key, r in (facts.readings or {}).items() if key[0] == facts.epoch}
    warm = facts.warm & now
    if not warm:
        return []
    return [
        Gate(
            "warm",
            frozenset({POWER}),
            tr("Still warm from the rework: {count} reading{were} taken too soon and {are} not weighed.",
               count=len(warm), were=" was" if len(warm) == 1 else "s were",
               are="is" if len(warm) == 1 else "are"),
            tr("Let the board cool and read again, or give its temperature."),
            "cool",
        )
    ]


def _recheck(bench: Bench) -> list[Gate]:
    due = points_to_recheck(bench.board, bench.references, bench.facts)
    if not due:
        return []
    return [Gate("recheck", LIVE, tr("No power before {few} {have} been read again.", few=few(due),
                                     have="has" if len(due) == 1 else "have", count=len(due)),
                 tr("Read again."), "recheck", due[0])]


def _cause(bench: Bench) -> list[Gate]:
    """A fuse or filter that was replaced after something on it read wrong, and whose cause nobody has named since the
    port last had power."""
    board, facts = bench.board, bench.facts
    off_before = {point for epoch in range(facts.epoch) for point in off_points(board, bench.references, facts, epoch)}
    for epoch, rework in reversed(facts.reworks):
        part = board.component_by_designator.get(rework.part)
        if rework.action != "replace" or part is None or part.kind not in (ComponentKind.FUSE, ComponentKind.FILTER):
            continue
        if facts.cause is not None and not any(facts.cause_epoch <= powered < epoch for powered, _ in facts.plugged_in):
            return []
        if not off_before & set(points_of_part(board, part.designator)) and not _read_through(bench, part.designator,
                                                                                              off_before):
            return []
        return [
            Gate(
                "cause",
                frozenset({POWER}),
                tr("{part} read wrong and was replaced: something may have blown it.", part=rework.part),
                tr("Name the cause, or waive it."),
                "cause",
                rework.part,
            )
        ]
    return []


def _read_through(bench: Bench, part: str, off: set[str]) -> bool:
    """Whether a point on one of the part's nets read wrong."""
    nets = {t.net for t in bench.board.component_by_designator[part].terminals if
            bench.board.net_by_name[t.net].role is not NetRole.GROUND}
    return any(bench.board.net_of(bench.board.point_by_id[p].at) in nets for p in off)


def _cell_in(bench: Bench) -> list[Gate]:
    if bench.facts.cell == "unplugged":
        return []
    return [
        Gate(
            "cell_in",
            frozenset({READINGS, HEAT, INJECTION}),
            tr("The cell is still in: it is unplugged before diode readings, before any heat, and before current is "
               "injected."),
            tr("Unplug the cell and say so."),
            "unplug_cell",
        )
    ]


def _not_together(bench: Bench) -> list[Gate]:
    open_ones = not_in(bench.board, bench.facts, needed_to_run(bench.board))
    if not open_ones:
        return []
    return [
        Gate(
            "not_together",
            frozenset({RUNNING}),
            tr("Not put together far enough to run: {few} {are} not in.", few=few(open_ones),
               are="is" if len(open_ones) == 1 else "are",
                                         count=len(open_ones)),
            tr("{capital}; then say so on Proof.", capital=capital(to_run_words(bench.board))),
            "assemble",
            open_ones[0],
        )
    ]


@dataclass(frozen=True)
class Rule:
    """reason: one line for docs/safety.md, which a test holds equal."""

    id: str
    holds: tuple[Activity, ...]
    reason: str
    find: Callable[[Bench], list[Gate]]


RULES: tuple[Rule, ...] = (
    Rule("danger", (POWER, CELL, HEAT, INJECTION),
         tr("A unit that is wet, hot, swollen, smells or smoked can catch fire; it is isolated, opened and its cell "
            "taken out before anything else."), _danger),
    Rule("swollen_back", (POWER, CELL, HEAT, INJECTION),
         tr("A cell that was swollen does not go back in, whatever it looks like now."), _swollen_back),
    Rule("seen_on_board", (POWER, CELL),
         tr("A burst part or a bridge of solder is a short that can be seen; power makes it worse."), _seen_on_board),
    Rule("look_first", (POWER,), tr("Crossed contacts put supply voltage on data lines: look before anything is "
                                    "plugged in."), _look_first),
    Rule("damaged_port", (POWER,), tr("Bent, crossed, missing or burnt contacts kill chips when something is "
                                      "plugged in."), _damaged_port),
    Rule("packed_port", (POWER,), tr("Dirt imitates a dead port and corrosion bridges contacts; both are cleaned "
                                     "off first, and looked at again."), _dirty_port),
    Rule("grounded_contact", (POWER,), tr("A contact on ground, or VBUS next to it, turns the supply into heat."),
         _shorted_contact),
    Rule("parts_off", (POWER, CELL), tr("A rail without its load or its link can rise past what the rest stands."),
         _parts_off),
    Rule("audit", (POWER, CELL), tr("Rework moves small parts and leaves bridges; they are looked for before "
                                    "power."),
         _audit),
    Rule("warm", (POWER,), tr("A warm board reads low, so a short can't be told from warmth yet."), _warm),
    Rule("recheck", (POWER, CELL), tr("The short must be gone, the opens closed and every new joint through "
                                      "before power."), _recheck),
    Rule("cause", (POWER,), tr("What blew a fuse or a filter will blow the next one."), _cause),
    Rule("not_together", (RUNNING,), tr("A plug tears a port whose screws are out, and a processor without its "
                                        "heat sink is hot within moments."), _not_together),
    Rule("cell_in", (READINGS, HEAT, INJECTION), tr("The cell drives the rails, and burns when it is heated."),
         _cell_in),
)


def held_gates(board: Board, references: ReferenceTable, facts: JobFacts) -> tuple[Gate, ...]:
    """Gates that hold now, most serious first; those passed with a reason are left out."""
    return _held(RULES, Bench(board, references, facts))


def gates_before(board: Board, references: ReferenceTable, facts: JobFacts,
                 wanted: frozenset[Activity]) -> tuple[Gate, ...]:
    """Gates that now hold back any of what is wanted, most serious first; nothing else is asked about."""
    rules = [rule for rule in RULES if not wanted.isdisjoint(rule.holds)]
    return tuple(gate for gate in _held(rules, Bench(board, references, facts)) if not gate.holds.isdisjoint(wanted))


def _held(rules: Iterable[Rule], bench: Bench) -> tuple[Gate, ...]:
    return tuple(gate for rule in rules for gate in rule.find(bench) if not bench.facts.overridden(gate.id))


def most_volts(board: Board, net: str) -> float | None:
    """The most that may be injected into a net: its own voltage where it is a rail, or that of the rail at which it
    idles; None where the pack doesn't say."""
    known = pull_up_of(board, net) or board.net_by_name.get(net)
    return known.nominal_volts if known is not None and known.role in FEED_ROLES and known.nominal_volts else None


def asked_of(board: Board, references: ReferenceTable, facts: JobFacts, *payloads: Payload) -> tuple[Gate, ...]:
    """Gates that an entry goes past: it is recorded only with a reason. Several payloads are recorded in order, so
    unplugging the cell with a reading lifts the gate for it."""
    found: dict[str, Gate] = {}
    for payload in payloads:
        wanted = payload.does(board)
        if isinstance(payload, Cell):
            facts = replace(facts, cell=payload.state,
                            own_cell_swollen=facts.own_cell_swollen and payload.state != "new")
        elif isinstance(payload, Look):
            facts = replace(facts, look=payload, look_epoch=facts.epoch, cleaned=False)
        found.update((gate.id, gate) for gate in gates_before(board, references, facts, wanted))
        if isinstance(payload, Injection):
            limit = most_volts(board, payload.net)
            if limit is not None and payload.volts > limit and not facts.overridden("above_rail"):
                found["above_rail"] = Gate(
                    "above_rail",
                    frozenset({INJECTION}),
                    tr("{volts:g} V is above the {limit:g} V of {net}.", volts=payload.volts, limit=limit,
                       net=payload.net),
                    tr("Never above the rail's own voltage."),
                )
    return tuple(found.values())


def few(points: tuple[str, ...]) -> str:
    """'A5, A6, B5 and 3 more'."""
    shown = ", ".join(points[:3])
    return shown if len(points) <= 3 else tr("{shown} and {count} more", shown=shown, count=len(points) - 3)
