"""Parts put onto a board by hand: a designator, the nets of its ends, and where it lies."""

from __future__ import annotations

import math
import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace

from dextrum.core.board import (
    Board,
    CircuitUse,
    Component,
    ComponentKind,
    FailureRate,
    Net,
    NetRole,
    Point,
    RepairRule,
    Side,
    SourceKind,
    Terminal,
    unknown_net,
)
from dextrum.core.board.consistency import inconsistencies
from dextrum.core.board.copper import joined_nets
from dextrum.core.board.sources import net_of_end, with_sources
from dextrum.core.board.sources import without_part as sources_without
from dextrum.core.circuit.junction import IDEALITY_TIMES_THERMAL_VOLTS
from dextrum.core.packmaking.from_files import KIND_OF_PREFIX, PINS_OF, on_charge_lines, role_of_net
from dextrum.core.packmaking.kind_defaults import PRICES, RATES, REPAIRS, REST_RATES, SIZE_MM
from dextrum.core.packmaking.pins import pin_places
from dextrum.core.packmaking.port_place import port_named, with_port_at
from dextrum.core.packmaking.rails_read import rails_after
from dextrum.core.packmaking.second_rung import (
    LANES,
    LOADS,
    MOST_VOLTS,
    REST_FUNCTION,
    SYSTEM,
    SYSTEM_FUNCTION,
    functions_of,
    system_of,
    with_rest,
)
from dextrum.core.packmaking.series import lines_of, rest_moved_behind
from dextrum.core.packmaking.usual_traces import with_usual_traces
from dextrum.tongue import tr

CONDUCTS = (ComponentKind.IC, ComponentKind.ESD_ARRAY)
"""What reads as a junction against ground."""
COUNTED = (ComponentKind.IC, ComponentKind.ESD_ARRAY, ComponentKind.CONNECTOR)
"""Kinds of which the number of pins says enough at first."""
ENDS = (ComponentKind.IC, ComponentKind.CONNECTOR)
"""Kinds of part at which a line ends."""
MOST_PINS = 400
CALLED: Mapping[ComponentKind, str] = {ComponentKind.IC: "chip", ComponentKind.ESD_ARRAY: tr("ESD array")}
"""What parts are for until somebody says more, where the kind's own word would not do."""
UNKNOWN, MOST_LETTERS = "?", 24
LOADS_A_RAIL = 0.1
"""How often what hangs undescribed on one rail fails, against a chip with all its pins: a chip's pin or two on each. An
assumption, 0.05 to 0.5."""
LOADS_A_LINE = 0.05
"""The same of what a line goes on to that ends at one chip only among those placed: one pin of twenty. An assumption,
0.02 to 0.2. Without it a short on such a line was the placed chip's with two in three, and in one of five was so."""
REST_SHARE = 0.15
"""How often what is still undescribed fails, against a whole board, once parts are placed: whoever places parts begins
with those that fail. An assumption, 0.05 to 0.4; at 0.3 what was said of the rest at a half was so in a quarter
(docs/packmaking.md)."""
_SIZE = re.compile(r"^(\d+(?:[.,]\d+)?)\s*[x×*]\s*(\d+(?:[.,]\d+)?)$", re.IGNORECASE)
_PIN = re.compile(r"^([^=\s]+)=([^=\s]+)$")


@dataclass(frozen=True)
class PartToPlace:
    """pins: name and net of each; '' for a net that nobody knows yet. at: millimetres, None where it is clicked."""

    designator: str
    kind: ComponentKind
    pins: tuple[tuple[str, str], ...]
    width_mm: float
    height_mm: float
    at: tuple[float, float] | None = None


def parse_part(text: str, port: Component | None = None) -> PartToPlace:
    """'C14 CC2 GND', 'FL3 TX1P A B C 1.2x1.0', 'U4 VIN=VBUS CC1=CC1 GND=GND 4x4 at 12.5 8', or 'U4 16 4x4' for a chip
    of sixteen pins whose nets nobody knows yet. port: the board's own, where it is the one that is meant: it has its
    contacts, and only its size and place are typed.

    Raises ValueError with what is wrong and what was expected.
    """
    words = text.replace(",", ".").split()
    if not words:
        raise ValueError(tr("no part is named; expected a designator and its nets, such as C14 CC2 GND"))
    name = words[0].upper()
    letters = re.match(r"[A-Z]+", name)
    kind = port.kind if port is not None else KIND_OF_PREFIX.get(letters[0]) if letters else None
    if kind is None or not re.fullmatch(r"[A-Z]+\d+[A-Z]?", name):
        raise ValueError(tr("{words!r} is no designator that is known; expected letters of {kind_of_prefix} and a "
                            "number", words=words[0][:12], kind_of_prefix=", ".join(KIND_OF_PREFIX)))
    long = next((word for word in words if len(word) > 2 * MOST_LETTERS), "")
    if long:
        raise ValueError(tr("{long!r}… has {count} letters; expected at most {most_letters} in a name", long=long[:12],
                            count=len(long), most_letters=MOST_LETTERS))
    rest, at = _place_of(words[1:])
    size = SIZE_MM[kind] if port is None else (port.width_mm, port.height_mm)
    if rest and (sized := _SIZE.match(rest[-1])):
        size, rest = (float(sized[1]), float(sized[2])), rest[:-1]
        if not all(0.2 <= side <= 60.0 for side in size):
            raise ValueError(tr("{size:g} x {size2:g} mm; expected sides of 0.2 to 60 mm", size=size[0], size2=size[1]))
    if kind in COUNTED and len(rest) == 1 and rest[0].isdecimal():
        rest = [UNKNOWN] * _count_of_pins(name, rest[0])
    pins = tuple(_pin(word, k) for k, word in enumerate(rest, start=1))
    wanted = PINS_OF.get(kind)
    if wanted is not None and len(pins) not in (0, wanted):
        raise ValueError(tr("{name} has {count} net{s}; expected {wanted}, or ? for one that nobody knows yet",
                            name=name, count=len(pins), s="s" * (len(pins) > 1), wanted=wanted))
    if wanted is not None and not pins:
        pins = tuple((str(k), "") for k in range(1, wanted + 1))
    if port is not None:
        if pins:
            raise ValueError(tr("{name} has its contacts already; expected its size at most, such as {name} 9x7.4",
                                name=name))
        return PartToPlace(name, kind, (), *size, at)
    if not pins:
        raise ValueError(tr("{name} has no pins; expected names and nets, such as VIN=VBUS CC1=CC1 GND=GND", name=name))
    if len({pin for pin, _ in pins}) != len(pins):
        raise ValueError(tr("{name} has two pins of one name; expected each once", name=name))
    return PartToPlace(name, kind, pins, *size, at)


def _count_of_pins(name: str, word: str) -> int:
    """Raises ValueError for one pin, or more than a chip has."""
    if len(word) > 4 or not 2 <= int(word) <= MOST_PINS:
        raise ValueError(tr("{name} has {word} pins; expected 2 to {most_pins}", name=name, word=word[:6],
                            most_pins=MOST_PINS))
    return int(word)


def _place_of(words: list[str]) -> tuple[list[str], tuple[float, float] | None]:
    if len(words) >= 3 and words[-3].lower() == "at":
        try:
            return words[:-3], (float(words[-2]), float(words[-1]))
        except ValueError:
            raise ValueError(tr("'at {words} {words2}' is no place; expected millimetres, such as at 12.5 8",
                                words=words[-2], words2=words[-1])) from None
    return words, None


def _pin(word: str, number: int) -> tuple[str, str]:
    named = _PIN.match(word)
    pin, net = (named[1], named[2]) if named else (str(number), word)
    return pin, "" if net == UNKNOWN else net.upper()


def next_designator(name: str) -> str:
    """'C14' after 'C13'."""
    found = re.fullmatch(r"([A-Z]+)(\d+)[A-Z]?", name)
    return f"{found[1]}{int(found[2]) + 1}" if found else name


def with_part(board: Board, part: PartToPlace, side: Side, x_mm: float, y_mm: float) -> Board:
    """The pack with one part more. Raises ValueError where it is there already, or lies beside the board."""
    port = port_named(board, part.designator) if part.kind is ComponentKind.RECEPTACLE else None
    if port is None and part.designator in board.component_by_designator:
        raise ValueError(tr("{designator} is on the board already; expected another designator",
                            designator=part.designator))
    xs, ys = zip(*board.outline_mm, strict=True)
    if not (min(xs) <= x_mm <= max(xs) and min(ys) <= y_mm <= max(ys)):
        raise ValueError(tr("{x_mm:.1f} {y_mm:.1f} lies beside the board; expected a place on it", x_mm=x_mm,
                            y_mm=y_mm))
    if port is not None:
        return with_port_at(board, port, side, x_mm, y_mm, (part.width_mm, part.height_mm))
    if not any(one.kind is not ComponentKind.RECEPTACLE for one in board.components):
        board = with_rest(board, {})  # what is not placed stays suspected, as the rest
    terminals = tuple(Terminal(pin, net or unknown_net(part.designator, pin)) for pin, net in part.pins)
    called = CALLED.get(part.kind, part.kind.value.replace("_", " "))
    made = Component(part.designator, part.kind, called, terminals, side, round(x_mm, 2),
                     round(y_mm, 2), part.width_mm, part.height_mm, price=PRICES.get(part.kind, 0.0))
    typed = [net_of_end(f"{part.designator}.{pin}", SourceKind.TYPED) for pin, net in part.pins if net]
    grown = settled(replace(board, components=(*board.components, made), sources=with_sources(board.sources, typed)))
    deepest = board.access_levels[-1].id if board.access_levels else "closed"
    grown = replace(grown, points=(*grown.points, *points_of(made, {n.name: n.role for n in grown.nets}, deepest)))
    return _whole(_junctions_shared(board, grown, made))


def with_junctions_shared(before: Board, board: Board) -> Board:
    """The pack, whose nets are known better than before: chips and arrays that came onto a line which read as a
    junction take their share of it."""
    for part in board.components:
        was = before.component_by_designator.get(part.designator)
        if part.kind in CONDUCTS and not part.undescribed and was is not None and was.terminals != part.terminals:
            board = _junctions_shared(board, board, board.component_by_designator[part.designator])
    return _whole(board)


def without_part(board: Board, designator: str) -> Board:
    """The pack without a part that was placed. Raises ValueError for the port, and for what isn't there."""
    part = board.component_by_designator.get(designator)
    if part is None or part.undescribed or part.kind is ComponentKind.RECEPTACLE:
        raise ValueError(tr("{designator} is no part that was placed; expected a designator on the plan",
                            designator=designator[:12]))
    left = tuple(p for p in board.components if p is not part)
    sources = sources_without(board.sources, designator)
    kept = settled(replace(board, components=left, sources=sources), {terminal.net for terminal in part.terminals})
    kept = replace(kept, rail_checks=rails_after(board, kept))
    return _whole(_junctions_shared(board, kept, part))


def _junctions_shared(before: Board, board: Board, changed: Component) -> Board:
    """The pack, where what the changed chip or array is on read as a junction before, reading the same: all chips and
    arrays there carry it in equal shares, the undescribed rest among them."""
    if changed.kind not in CONDUCTS:
        return board
    joined = joined_nets(board)
    for group in {joined[t.net] for t in changed.terminals if t.net in joined}:
        stated = [t.junction_volts for part in before.components for t in part.terminals
                  if joined.get(t.net) == group and t.junction_volts is not None]
        here = {part.designator: next(t.name for t in part.terminals if joined[t.net] == group)
                for part in board.components
                if part.kind in CONDUCTS and any(joined[t.net] == group for t in part.terminals)}
        if not stated or not any(board.component_by_designator[name].undescribed for name in here):
            continue
        # Exponential junctions in parallel: their conductances add, so one of k alike reads ln k higher alone.
        together = -math.log(sum(math.exp(-v / IDEALITY_TIMES_THERMAL_VOLTS) for v in stated))
        alone = round(min((together + math.log(len(here))) * IDEALITY_TIMES_THERMAL_VOLTS, MOST_VOLTS), 4)

        def shared(part: Component, group: str = group, here: Mapping[str, str] = here, alone: float = alone) -> (
                Component):
            return replace(part, terminals=tuple(
                replace(t, junction_volts=alone if t.name == here.get(part.designator) else None)
                if joined[t.net] == group else t for t in part.terminals))

        board = replace(board, components=tuple(shared(part) for part in board.components))
    return board


def settled(board: Board, gone: Iterable[str] = ()) -> Board:
    """Nets, points, rates, repairs and functions that go with the parts. gone: nets that go where no part is on them.

    What a pack states of kinds of parts, and of what a unit must do, stays where nothing undescribed was made here.
    """
    port_roles = {net.name: net.role for net in board.nets if any(
        t.net == net.name for p in board.components if p.kind is ComponentKind.RECEPTACLE for t in p.terminals)}
    board = replace(board, nets=_nets_with(board, port_roles))
    board = replace(board, components=rest_moved_behind(board))
    board = with_loads(board, set(port_roles))
    kinds = {part.kind for part in board.components if not part.undescribed}
    board = with_system(replace(board, failure_rates=_rates(board, kinds, board.shares_are_guessed)))
    on_parts, left = {t.net for part in board.components for t in part.terminals}, set(gone)
    nets = tuple(net for net in board.nets if net.name in on_parts or net.name not in left)
    by_name = {net.name: net.role for net in nets}
    there = {part.designator for part in board.components}
    described = [part for part in board.components if not part.undescribed]
    undescribed = tuple(part.designator for part in board.components if part.undescribed)
    share = REST_SHARE if any(part.kind is not ComponentKind.RECEPTACLE for part in described) else 1.0
    board = replace(board, components=tuple(
        replace(part, failure_factor=share) if part.undescribed and part.designator not in (LOADS, SYSTEM) else part
        for part in board.components))
    rest = tuple(name for name in undescribed if name not in (LANES, SYSTEM))
    functions = tuple(replace(
        f, parts=rest if f.id == REST_FUNCTION else tuple(part for part in f.parts if part in there),
        nets_through=tuple(net for net in f.nets_through if net in by_name),
        nets_clear=tuple(net for net in f.nets_clear if net in by_name)) for f in board.functions)
    if undescribed and board.circuit is None:
        live = [net.name for net in nets if net.role is not NetRole.GROUND and net.name in port_roles]
        inside = (*on_charge_lines(described, port_roles), *rest)
        functions = functions_of(board, live, by_name, inside, system=SYSTEM in there)
    return with_usual_traces(replace(
        board, nets=nets, functions=functions, circuit=_still_there(board, there),
        points=tuple(point for point in board.points if all(
            end.startswith("@") or end.partition(".")[0] in there for end in (point.at, point.to or point.at))),
        repair_rules=(*board.repair_rules, *_repairs(board, kinds))))


def with_loads(board: Board, port_nets: set[str]) -> Board:
    """The pack with what hangs on its rails and was not placed, and what its lines go on to, as one part more that
    nobody has described: a short there is seldom in the only chip that somebody placed. Only where something is
    undescribed at all. What its pins carry of what a good unit read, they keep."""
    plain = tuple(part for part in board.components if part.designator != LOADS)
    before = {t.name: t for part in board.components if part.designator == LOADS for t in part.terminals}
    if not any(part.undescribed for part in plain):
        return board if len(plain) == len(board.components) else replace(board, components=plain)
    rails = rails_of(replace(board, components=plain), port_nets)
    lines = tuple(net for net in lines_that_go_on(replace(board, components=plain), port_nets) if net not in rails)
    ground = next((net.name for net in board.nets if net.role is NetRole.GROUND), "")
    if not (rails or lines) or not ground:
        return replace(board, components=plain)
    across, down = ([place[axis] for place in board.outline_mm] for axis in (0, 1))
    loads = Component(LOADS, ComponentKind.IC, tr("what hangs on rails and lines, not described yet"),
                      (*(before.get(net, Terminal(net, net)) for net in (*rails, *lines)), Terminal("GND", ground)),
                      Side.TOP,
                      (min(across) + max(across)) / 2, (min(down) + max(down)) / 2, 8.0, 6.0,
                      failure_factor=LOADS_A_RAIL * len(rails) + LOADS_A_LINE * len(lines), undescribed=True)
    return replace(board, components=(*plain, loads))


def with_system(board: Board) -> Board:
    """The pack with what makes the unit start as a part that nobody has described, as long as anything is; gone with
    the last of it. A circuit that was laid before there was such a part knows nothing of it, and does without."""
    plain = tuple(part for part in board.components if part.designator != SYSTEM)
    if not any(part.undescribed for part in plain):
        return board if len(plain) == len(board.components) else replace(board, components=plain)
    if board.circuit is not None and not any(f.id == SYSTEM_FUNCTION for f in board.functions):
        return board
    ground = next((net.name for net in board.nets if net.role is NetRole.GROUND), "")
    rates = {rate.mode: rate.weight for rate in board.failure_rates if rate.kind is ComponentKind.IC}
    return replace(board, components=(*plain, system_of(board, ground, rates == dict(REST_RATES))))


def rails_of(board: Board, port_nets: set[str]) -> tuple[str, ...]:
    """Nets beyond the port on which more hangs than was placed: those called rails, and those that a coil or two
    capacitors to ground lie on."""
    ground = {net.name for net in board.nets if net.role is NetRole.GROUND}
    count: dict[str, int] = {}
    for part in board.components:
        nets = {t.net for t in part.terminals} - ground
        if part.kind is ComponentKind.CAPACITOR and len(nets) == 1:
            count[min(nets)] = count.get(min(nets), 0) + 1
        elif part.kind is ComponentKind.INDUCTOR:
            count |= dict.fromkeys(nets, 2)
    return tuple(net.name for net in board.nets if net.name not in port_nets | ground and (
        net.role is NetRole.RAIL or count.get(net.name, 0) >= 2))


def lines_that_go_on(board: Board, port_nets: set[str]) -> tuple[str, ...]:
    """Nets of lines that reach one chip among those placed, and no port: a line has two ends, and nobody has placed the
    other. Of a line that a capacitor or resistor divides, the far side. What has a capacitor to ground is a chip's own,
    such as its regulator's."""
    ground = {net.name for net in board.nets if net.role is NetRole.GROUND}
    line = lines_of(board)
    ended = {line[net] for net in port_nets | ground}
    chips: dict[str, set[str]] = {}
    at_chip: set[str] = set()
    for part in board.components:
        nets = {t.net for t in part.terminals if not board.net_is_unknown(f"{part.designator}.{t.name}")}
        if part.kind is ComponentKind.CAPACITOR and nets & ground:
            ended |= {line[net] for net in nets}
        elif part.kind in ENDS and not part.undescribed:
            at_chip |= nets
            for net in nets:
                chips.setdefault(line[net], set()).add(part.designator)
    open_lines = {own for own, parts in chips.items() if own not in ended and len(parts) == 1}
    far = {line[net] for net in line if line[net] in open_lines and net not in at_chip}
    return tuple(net.name for net in board.nets if net.role is not NetRole.RAIL and line[net.name] in open_lines
                 and not (line[net.name] in far and net.name in at_chip))


def _still_there(board: Board, there: set[str]) -> CircuitUse | None:
    """The template's use without parts that are gone."""
    if board.circuit is None:
        return None
    return replace(board.circuit, parts={role: left for role, names in board.circuit.parts.items()
                                         if (left := tuple(name for name in names if name in there))})


def _rates(board: Board, kinds: set[ComponentKind], undescribed: bool) -> tuple[FailureRate, ...]:
    """Those the pack has, and the usual ones of kinds that are new on it. A chip takes the place of the rest."""
    of_rest = {(ComponentKind.IC, mode): weight for mode, weight in REST_RATES.items()}
    rates = {(rate.kind, rate.mode): rate.weight for rate in board.failure_rates}
    if {key: weight for key, weight in rates.items() if key[0] is ComponentKind.IC} == of_rest:
        rates = {key: weight for key, weight in rates.items() if key not in of_rest}
    rated = {kind for kind, _ in rates}
    for kind in sorted(kinds - rated):
        rates |= {(kind, mode): weight for mode, weight in RATES.get(kind, {}).items()}
    if undescribed and ComponentKind.IC not in kinds | rated:
        rates |= of_rest
    return tuple(FailureRate(kind, mode, weight) for (kind, mode), weight in rates.items())


def _repairs(board: Board, kinds: set[ComponentKind]) -> tuple[RepairRule, ...]:
    """The usual repairs of kinds that the pack has none for."""
    deepest = board.access_levels[-1].id if board.access_levels else "closed"
    known = {rule.kind for rule in board.repair_rules}
    return tuple(RepairRule(kind, action, mends, minutes, deepest, risk) for kind in REPAIRS if kind in kinds - known
                 for action, mends, minutes, risk in REPAIRS[kind])


def _nets_with(board: Board, port_roles: Mapping[str, NetRole]) -> tuple[Net, ...]:
    """The nets, and those that parts are on and that are new."""
    new = dict.fromkeys(t.net for part in board.components for t in part.terminals if t.net not in board.net_by_name)
    return (*board.nets, *(Net(net, role_of_net(net, port_roles)) for net in new))


def _whole(board: Board) -> Board:
    """The pack, if it is one that could be opened again. Raises ValueError with what is not."""
    wrong = next(iter(inconsistencies(board)), None)
    if wrong is not None:
        raise ValueError(tr("the pack would no longer hold together: {wrong}; expected a part that nothing else "
                            "names", wrong=wrong))
    return board


def points_of(part: Component, roles: Mapping[str, NetRole], access: str) -> Iterable[Point]:
    """A point at each end that isn't ground."""
    if part.undescribed or part.kind is ComponentKind.RECEPTACLE:
        return
    places = pin_places(part.kind, len(part.terminals), part.width_mm, part.height_mm)
    # Seen from its own side; on the plan, which is seen from the top, the bottom is the other way round.
    mirror = -1.0 if part.side is Side.BOTTOM and len(places) > 2 else 1.0
    for terminal, (x, y) in zip(part.terminals, places, strict=True):
        if roles[terminal.net] is NetRole.GROUND:
            continue
        yield Point(f"{part.designator}.{terminal.name}", f"{part.designator}.{terminal.name}", part.side,
                    round(part.x_mm + mirror * x, 2), round(part.y_mm + y, 2), access, roles[terminal.net].value)
