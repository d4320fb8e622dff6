"""A template of a circuit: which parts such a board has, on which lines they sit, and what the unit must do by them.

It is laid over a pack whose parts somebody has placed: each role is given the part that has it, the ends that nobody
knows yet get the nets that are usual there, and functions, symptoms and checks follow. Nothing that is known is
changed; what is only proposed is said to be so (`FactSource`), and counts for less until a probe has told.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace

from dextrum.core.board import (
    Board,
    CircuitUse,
    Component,
    ComponentKind,
    FactSource,
    Function,
    NetRole,
    ProofCheck,
    SourceKind,
    Symptom,
    Terminal,
)
from dextrum.core.board.bounds import STRICT
from dextrum.core.board.kinds import KIND_WORDS
from dextrum.core.board.sources import net_of_end, with_sources
from dextrum.core.packmaking.placing import settled, with_system
from dextrum.core.packmaking.rails_read import rails_after
from dextrum.core.packmaking.second_rung import LANES, REST_FUNCTION, SYSTEM, SYSTEM_FUNCTION
from dextrum.core.packmaking.series import lines_of
from dextrum.tongue import tr

CIRCUIT_ELSE = 0.05
"""Chance of something that no row explains once the parts that matter have their roles: 0.03 to 0.15, an estimate
between that of a whole pack and that of a port alone (`UNDESCRIBED_ELSE`), and nearer to that of a whole pack."""
BEHIND = "_F"
"""What a line is called behind the filter or fuse that it comes through."""


@dataclass(frozen=True)
class Role:
    """What a part of the circuit is for. kind: of part that has it. ends: of a part in series, the lines on its two
    sides, the port's first. pairs: of filters, the pairs of lines they may sit in. pins: of a chip, the names its pins
    usually have, and their lines; by them a chip is recognised. many: whether several parts have it. optional: whether
    boards do without."""

    __pydantic_config__ = STRICT
    id: str
    words: str
    kind: ComponentKind
    purpose: str
    ends: tuple[str, ...] = ()
    pairs: tuple[tuple[str, str], ...] = ()
    pins: Mapping[str, str] = field(default_factory=dict)
    many: bool = False
    optional: bool = False

    def __post_init__(self) -> None:
        if not self.id.strip() or not self.words.strip():
            raise ValueError(tr("a role without id or words; expected both"))
        if len(self.ends) not in (0, 2):
            raise ValueError(tr("role {id} has {count} ends; expected none or two", id=self.id, count=len(self.ends)))


@dataclass(frozen=True)
class RoleFunction:
    """A function by roles and lines. rest: whether it needs as well what nobody has described yet; system: and what
    makes the unit start; shared_lines: and the lines between chips of which no function speaks."""

    __pydantic_config__ = STRICT
    id: str
    words: str
    parts: tuple[str, ...] = ()
    nets_through: tuple[str, ...] = ()
    nets_clear: tuple[str, ...] = ()
    functions: tuple[str, ...] = ()
    rest: bool = False
    system: bool = False
    shared_lines: bool = False


@dataclass(frozen=True)
class CircuitTemplate:
    """needs: lines that the port must have for it to fit. role, function, symptom, check: as in its file."""

    __pydantic_config__ = STRICT
    id: str
    title: str
    needs: tuple[str, ...]
    role: tuple[Role, ...]
    function: tuple[RoleFunction, ...]
    symptom: tuple[Symptom, ...] = ()
    check: tuple[ProofCheck, ...] = ()

    def __post_init__(self) -> None:
        if not self.id.strip() or not self.title.strip():
            raise ValueError(tr("a template without id or title; expected both"))
        roles, functions = {one.id for one in self.role}, {one.id for one in self.function}
        if len(roles) != len(self.role) or len(functions) != len(self.function):
            raise ValueError(tr("two roles or two functions of one id; expected each once"))
        for one in self.function:
            unknown = [*(set(one.parts) - roles), *(set(one.functions) - functions)]
            if unknown:
                raise ValueError(tr("function {id} needs {sorted!r}, which is none of its roles or functions; "
                                    "expected one of them", id=one.id, sorted=sorted(unknown)[0]))
        for named, of in ((check.functions, tr("check {id}", id=check.id)) for check in self.check):
            if set(named) - functions:
                raise ValueError(tr("{of} needs {sorted!r}; expected a function", of=of,
                                    sorted=sorted(set(named) - functions)[0]))
        for symptom in self.symptom:
            if set(symptom.weights) - functions:
                raise ValueError(tr("symptom {id} speaks of {sorted!r}; expected a function", id=symptom.id,
                                    sorted=sorted(set(symptom.weights) - functions)[0]))


Chosen = Mapping[str, tuple[str, ...]]
"""Role to the designators that have it."""


def misfit(template: CircuitTemplate, board: Board) -> str:
    """Why a template can't be laid over a pack; empty where it can."""
    there = {t.net for part in board.components if part.kind is ComponentKind.RECEPTACLE for t in part.terminals}
    lacking = [line for line in template.needs if line not in there]
    return tr("this port has no {lacking}; {title} needs them", lacking=", ".join(lacking[:4]),
              title=template.title) if lacking else ""


def suggested(template: CircuitTemplate, board: Board) -> dict[str, tuple[str, ...]]:
    """The parts that likeliest have each role: those that were chosen before, else by kind, by what they are said to be
    for, by the lines and the names of their pins. A part has one role."""
    kept = dict(board.circuit.parts) if board.circuit is not None and board.circuit.template == template.id else {}
    there = {part.designator for part in board.components}
    found = {role: tuple(name for name in names if name in there) for role, names in kept.items()}
    taken = {name for names in found.values() for name in names}
    for role in template.role:
        if found.get(role.id):
            continue
        fitting = sorted(((_fits(board, role, part), part.designator) for part in board.components
                          if part.kind is role.kind and not part.undescribed and part.designator not in taken),
                         key=lambda one: (-one[0], one[1]))
        own = tuple(name for share, name in fitting if share > 0.0)
        found[role.id] = own if role.many else own[:1]
        taken |= set(found[role.id])
    return found


def _fits(board: Board, role: Role, part: Component) -> float:
    """How well a part fits a role, beside other parts of its kind: 0 not at all."""
    if role.purpose.casefold() == part.purpose.casefold():
        return 10.0
    nets = {terminal.net for terminal in part.terminals}
    if role.many or (not role.ends and not role.pins):
        return 1.0
    if role.ends:
        if all(board.net_is_unknown(f"{part.designator}.{terminal.name}") for terminal in part.terminals):
            return 0.2
        return float(role.ends[0] in nets) + 0.5 * (role.ends[1] in nets)
    named = sum(pin.name.upper() in role.pins for pin in part.terminals)
    return (sum(line in nets for line in set(role.pins.values())) + named) / (2.0 * len(role.pins))


def checked_choice(template: CircuitTemplate, board: Board, chosen: Chosen) -> None:
    """Raises ValueError for a part that isn't there, is of another kind, or has two roles."""
    kinds = {role.id: role for role in template.role}
    taken: dict[str, str] = {}
    for name, parts in chosen.items():
        role = kinds.get(name)
        if role is None:
            raise ValueError(tr("{name!r} is no role of {title}; expected one of {kinds}", name=name[:20],
                                title=template.title, kinds=", ".join(kinds)))
        if len(parts) > 1 and not role.many:
            raise ValueError(tr("{parts} are both the {role}; expected one part", parts=tr(" and ").join(parts[:2]),
                                role=role.words))
        for designator in parts:
            part = board.component_by_designator.get(designator)
            if part is None or part.undescribed:
                raise ValueError(tr("{designator} is no part that was placed; expected one on the plan",
                                    designator=designator[:12]))
            if part.kind is not role.kind:
                raise ValueError(tr("{designator} is placed as {kind}; expected {kind2} for the {role}",
                                    designator=designator, kind=KIND_WORDS[part.kind],
                                    kind2=KIND_WORDS[role.kind], role=role.words))
            if designator in taken:
                raise ValueError(tr("{designator} has two roles, {taken} and {name}; expected one",
                                    designator=designator, taken=taken[designator], name=name))
            taken[designator] = name


def with_circuit(board: Board, template: CircuitTemplate, chosen: Chosen) -> Board:
    """The pack with what the template says of it. What no part was chosen for is left to what is undescribed, where
    there is something.

    Raises ValueError with what doesn't fit and what was expected.
    """
    wrong = misfit(template, board)
    if wrong:
        raise ValueError(tr("{wrong}; expected another template", wrong=wrong))
    checked_choice(template, board, chosen)
    purposes = {name: role.purpose for role in template.role for name in chosen.get(role.id, ())}
    board = with_system(replace(board, circuit=None))
    board = replace(board, components=tuple(replace(part, purpose=purposes.get(part.designator, part.purpose))
                                            for part in board.components))
    board, nets = _bound(board, template, chosen)
    hidden = [part.designator for part in board.components if part.undescribed]
    rest = tuple(name for name in hidden if name not in (LANES, SYSTEM))
    functions = _with_lines_of_chips(board, template, tuple(_function(one, chosen, nets, bool(rest), SYSTEM in hidden)
                                                            for one in template.function))
    if SYSTEM in hidden:
        functions = (Function(SYSTEM_FUNCTION, tr("what makes it start works"), parts=(SYSTEM,)), *functions)
    if rest:
        functions = (Function(REST_FUNCTION, tr("what nobody has described yet works"), parts=rest), *functions)
    own = {check.id: check for check in board.checks}
    checks = (*template.check, *(check for name, check in own.items() if name not in {c.id for c in template.check}
                                 and not check.functions))
    laid = replace(board, functions=functions, symptoms=template.symptom or board.symptoms, checks=checks,
                   prior_something_else=min(board.prior_something_else, CIRCUIT_ELSE),
                   circuit=CircuitUse(template.id, {role: names for role, names in chosen.items() if names}),
                   sources=with_sources(board.sources, [FactSource(what, SourceKind.TEMPLATE)
                                                        for what in ("functions", "symptoms", "checks")]))
    return replace(laid, rail_checks=rails_after(board, laid))


def _function(one: RoleFunction, chosen: Chosen, nets: Mapping[str, str], rest: bool, system: bool) -> Function:
    def known(lines: Iterable[str]) -> tuple[str, ...]:
        return tuple(dict.fromkeys(nets[line] for line in lines if line in nets))

    parts = tuple(name for role in one.parts for name in chosen.get(role, ()))
    # What has this role is among the undescribed, until somebody places it.
    hidden = rest and (one.rest or (bool(one.parts) and not parts))
    return Function(one.id, one.words, parts, known(one.nets_through), known(one.nets_clear),
                    (*one.functions, *((REST_FUNCTION,) if hidden else ()),
                     *((SYSTEM_FUNCTION,) if system and one.system else ())))


def _with_lines_of_chips(board: Board, template: CircuitTemplate, functions: tuple[Function, ...]) -> tuple[
        Function, ...]:
    """The functions, with the lines of chips of which none speaks: one that only this chip has, such as that of its own
    regulator, serves what the chip is for, and so does what it goes on to behind a capacitor; one between chips, such
    as their bus, what asks for `shared_lines`."""
    spoken = {net for function in functions for net in (*function.nets_through, *function.nets_clear)}
    spoken |= {t.net for part in board.components if part.kind is ComponentKind.RECEPTACLE for t in part.terminals}
    role = {net.name: net.role for net in board.nets}
    chips: dict[str, list[str]] = {}
    for part in board.components:
        if part.kind is ComponentKind.IC and not part.undescribed:
            for net in dict.fromkeys(t.net for t in part.terminals):
                if net not in spoken and role[net] is not NetRole.GROUND \
                        and not _is_unknown(board, part, net):
                    chips.setdefault(net, []).append(part.designator)
    shared = tuple(net for net, names in chips.items() if len(names) > 1)
    lines = lines_of(board)
    at_chip = {t.net for part in board.components if part.kind is ComponentKind.IC and not part.undescribed
               for t in part.terminals}
    beyond = {net: line for net, line in lines.items() if net not in at_chip | spoken
              and role[net] not in (NetRole.GROUND, NetRole.RAIL)}
    asks = {one.id for one in template.function if one.shared_lines}

    def told(function: Function) -> Function:
        own = tuple(net for net, names in chips.items() if len(names) == 1 and names[0] in function.parts)
        own += tuple(net for net, line in beyond.items() if line in {lines[one] for one in own})
        bus = tuple(net for net in shared if role[net] is not NetRole.RAIL) if function.id in asks else ()
        rails = tuple(net for net in shared if role[net] is NetRole.RAIL) if function.id in asks else ()
        return replace(function, nets_through=(*function.nets_through, *own, *bus),
                       nets_clear=(*function.nets_clear, *rails))

    return tuple(told(function) for function in functions)


def _is_unknown(board: Board, part: Component, net: str) -> bool:
    return any(t.net == net and board.net_is_unknown(f"{part.designator}.{t.name}") for t in part.terminals)


def _bound(board: Board, template: CircuitTemplate, chosen: Chosen) -> tuple[Board, dict[str, str]]:
    """The pack with the nets that the template proposes for ends that nobody knows, and the net of each line."""
    port = {t.net for part in board.components if part.kind is ComponentKind.RECEPTACLE for t in part.terminals}
    nets = {net: net for net in port}
    ground = next((net.name for net in board.nets if net.role is NetRole.GROUND), "")
    if ground:
        nets["GND"] = ground
    proposed: dict[str, str] = {}

    def net_at(part: Component, pin: str) -> str:
        address = f"{part.designator}.{pin}"
        return proposed.get(address, "" if board.net_is_unknown(address) else board.net_of(address))

    def through(part: Component, one: str, other: str, near: str, far: str) -> None:
        """One line of a part in series: what is known of one side says what the other is."""
        a, b = net_at(part, one), net_at(part, other)
        if b and b == nets.get(near):
            one, other, a, b = other, one, b, a
        if not a and not b and near in nets:
            proposed[f"{part.designator}.{one}"] = a = nets[near]
        if a and a == nets.get(near):
            if not b:
                proposed[f"{part.designator}.{other}"] = b = nets.get(far, far)
            nets.setdefault(far, b)

    for role in template.role:
        for designator in chosen.get(role.id, ()):
            part = board.component_by_designator[designator]
            if role.ends and part.lines:
                through(part, *part.lines[0], role.ends[0], role.ends[1])
            for one, other in part.lines if role.pairs else ():
                line = next((line for pair in role.pairs for line in pair
                             if nets.get(line) in (net_at(part, one), net_at(part, other))), "")
                if line:
                    through(part, one, other, line, line + BEHIND)
    for role in template.role:
        if role.ends and not chosen.get(role.id) and role.ends[0] in port:
            # Nothing lies between them.
            nets.setdefault(role.ends[1], nets[role.ends[0]])
    for role in template.role:
        for designator in chosen.get(role.id, ()) if role.pins else ():
            part = board.component_by_designator[designator]
            for terminal in part.terminals:
                line = role.pins.get(terminal.name.upper(), "")
                if not line:
                    continue
                known = net_at(part, terminal.name)
                if known:
                    nets.setdefault(line, known)
                else:
                    behind = nets.get(line + BEHIND, "")
                    proposed[f"{designator}.{terminal.name}"] = behind or nets.setdefault(line, line)
    return _with_proposed(board, proposed), nets


def _with_proposed(board: Board, proposed: Mapping[str, str]) -> Board:
    if not proposed:
        return board
    gone = {board.net_of(address) for address in proposed}

    def named(part: Component) -> Component:
        return replace(part, terminals=tuple(_on(terminal, proposed.get(f"{part.designator}.{terminal.name}", ""))
                                             for terminal in part.terminals))

    grown = settled(replace(board, components=tuple(named(part) for part in board.components)), gone)
    roles = {net.name: net.role for net in grown.nets}
    return replace(
        grown, points=tuple(p for p in grown.points if p.at not in proposed or roles[proposed[p.at]]
                            is not NetRole.GROUND),
        sources=with_sources(grown.sources, [net_of_end(address, SourceKind.TEMPLATE) for address in proposed]))


def _on(terminal: Terminal, net: str) -> Terminal:
    return replace(terminal, net=net) if net else terminal


def with_filter_in_pair(board: Board, designator: str, contacts: tuple[str, str]) -> Board:
    """The pack with the nets of a filter, of whose two lines somebody has touched one end and a contact of the port
    each, and heard it beep: its first line from the first contact, its second from the second.

    Raises ValueError with what doesn't fit and what was expected.
    """
    part = board.component_by_designator.get(designator)
    if part is None or part.kind is not ComponentKind.FILTER:
        raise ValueError(tr("{designator} is no filter that was placed; expected one on the plan",
                            designator=designator[:12]))
    port = next((p for p in board.components if p.kind is ComponentKind.RECEPTACLE), None)
    known: dict[str, str] = {}
    for (near, far), contact in zip(part.lines, contacts, strict=True):
        net = next((t.net for t in port.terminals if t.name == contact), "") if port is not None else ""
        if not net:
            raise ValueError(tr("{contact!r} is no contact of the port; expected two such as A2 A3",
                                contact=contact[:8]))
        if board.net_by_name[net].role is NetRole.GROUND:
            raise ValueError(tr("{contact} is on ground; expected a contact of a line", contact=contact))
        for pin, line in ((near, net), (far, net + BEHIND)):
            address = f"{designator}.{pin}"
            if board.net_is_unknown(address):
                known[address] = line
            elif pin == near and board.net_of(address) not in (net, net + BEHIND):
                raise ValueError(tr("{address} is on {net_of} already; expected an end whose net is unknown, or "
                                    "another contact", address=address, net_of=board.net_of(address)))
    if contacts[0] == contacts[1] or not known:
        raise ValueError(tr("both lines of {designator} can't come from {contacts}; expected two contacts",
                            designator=designator, contacts=contacts[0])
                         if contacts[0] == contacts[1] else
                         tr("the nets of {designator} are known already; expected ? at its ends",
                            designator=designator))
    gone = {board.net_of(address) for address in known}
    components = tuple(replace(one, terminals=tuple(_on(t, known.get(f"{one.designator}.{t.name}", ""))
                                                    for t in one.terminals)) for one in board.components)
    grown = settled(replace(board, components=components), gone)
    return replace(grown, sources=with_sources(grown.sources, [
        net_of_end(address, SourceKind.PROBED if not net.endswith(BEHIND) else SourceKind.GUESSED)
        for address, net in known.items()]))
