"""The board pack as plain frozen dataclasses: what one board revision is.

Every class checks its own values when it is made, so a Board that exists is a sane one; the checks that need
the whole board (names that must exist) are in `consistency.py`.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property

from dextrum.core.board.bounds import STRICT, require
from dextrum.core.board.draws import CellModel, DrawOutcome, DrawState
from dextrum.core.board.fasteners import Fastener
from dextrum.core.board.kinds import ComponentKind, FaultKind, Method, NetRole, Side
from dextrum.core.board.procedures import Caution, Kit, ProofCheck, RailCheck, RepairRule
from dextrum.core.board.set_ups import SetUp
from dextrum.core.board.sources import FactSource
from dextrum.tongue import tr


def unknown_net(designator: str, terminal: str) -> str:
    """What the net of a part's end is called while nobody knows it: its own, so that it stands for nothing else."""
    return f"N_{designator}_{terminal}"


@dataclass(frozen=True)
class Net:
    """A node of the board as drawn: one copper connection when nothing is broken."""

    __pydantic_config__ = STRICT
    name: str
    role: NetRole
    nominal_volts: float | None = None
    words: str = ""

    def __post_init__(self) -> None:
        if self.nominal_volts is not None:
            require(self.nominal_volts, 0.0, 60.0, "nominal_volts")


@dataclass(frozen=True)
class Terminal:
    """One end or pin of a part, and what a chip shows there to a meter.

    junction_volts: drop at 1 mA with red on ground. forward_volts: the same with black on ground.
    ohms_to_ground: a resistive load inside the part.
    """

    __pydantic_config__ = STRICT
    name: str
    net: str
    junction_volts: float | None = None
    forward_volts: float | None = None
    ohms_to_ground: float | None = None

    def __post_init__(self) -> None:
        for what, volts in (("junction_volts", self.junction_volts), ("forward_volts", self.forward_volts)):
            if volts is not None:
                require(volts, 0.1, 3.0, what)
        if self.ohms_to_ground is not None:
            require(self.ohms_to_ground, 0.01, 1e9, "ohms_to_ground")


@dataclass(frozen=True)
class FailureRate:
    """How often a kind of part fails in one way, per part and year of use, relative to the others."""

    __pydantic_config__ = STRICT
    kind: ComponentKind
    mode: FaultKind
    weight: float

    def __post_init__(self) -> None:
        require(self.weight, 0.0, 1000.0, "weight")


@dataclass(frozen=True)
class Component:
    """A part on the board; sizes and the position of its middle in mm. undescribed: stands for what nobody has told
    the pack yet, and is no part that could be changed."""

    __pydantic_config__ = STRICT
    designator: str
    kind: ComponentKind
    purpose: str
    terminals: tuple[Terminal, ...]
    side: Side
    x_mm: float
    y_mm: float
    width_mm: float
    height_mm: float
    ohms: float | None = None
    nanofarads: float | None = None
    heat_sensitive: bool = False
    price: float = 0.0
    failure_factor: float = 1.0
    undescribed: bool = False

    def __post_init__(self) -> None:
        require(self.width_mm, 0.1, 200.0, "width_mm")
        require(self.height_mm, 0.1, 200.0, "height_mm")
        require(self.price, 0.0, 10_000.0, "price")
        require(self.failure_factor, 0.0, 100.0, "failure_factor")
        if self.ohms is not None:
            require(self.ohms, 0.0, 1e8, "ohms")
        if self.nanofarads is not None:
            require(self.nanofarads, 1e-3, 1e7, "nanofarads")

    def terminal(self, name: str) -> Terminal:
        for terminal in self.terminals:
            if terminal.name == name:
                return terminal
        raise KeyError(tr("{designator} has no terminal {name}", designator=self.designator, name=name))

    @property
    def lines(self) -> tuple[tuple[str, str], ...]:
        """The pairs of terminals a direct current goes through: (1, 2), and (3, 4) for a filter."""
        names = [t.name for t in self.terminals]
        if self.kind is ComponentKind.FILTER:
            return ((names[0], names[1]), (names[2], names[3]))
        if self.kind in (ComponentKind.FUSE, ComponentKind.LINK, ComponentKind.RESISTOR,
                         ComponentKind.INDUCTOR):
            return ((names[0], names[1]),)
        return ()


CAPACITANCE_KIND = "capacitance"


@dataclass(frozen=True)
class Point:
    """A place a probe can be put.

    at: 'PART.TERMINAL', 'PART.CONTACT/tail' or '@NET'. to: the second probe's place for a point-to-point
    reading; without it the other probe is on ground. kind: points of one kind share their spread; those of the kind
    'capacitance' are read in nanofarads.
    """

    __pydantic_config__ = STRICT
    id: str
    at: str
    side: Side
    x_mm: float
    y_mm: float
    access: str
    kind: str
    to: str | None = None
    words: str = ""

    def __post_init__(self) -> None:
        if self.kind == CAPACITANCE_KIND and self.to is None:
            raise ValueError(tr("to is missing; expected the other end of what is read in farads"))

    @property
    def methods(self) -> tuple[Method, ...]:
        if self.to is None:
            return (Method.DIODE_RED_GROUND, Method.DIODE_BLACK_GROUND)
        if self.kind == CAPACITANCE_KIND:
            return (Method.CAPACITANCE,)
        return (Method.RESISTANCE, Method.CONTINUITY)

    @property
    def default_method(self) -> Method:
        return self.methods[0]

    def method_of(self, diode: Method, ohms: Method) -> Method:
        """How it is read with this polarity of diode mode and this way of measuring ohms in hand."""
        return next((method for method in (diode, ohms) if method in self.methods), self.default_method)

    @property
    def part(self) -> str:
        return "" if self.at.startswith("@") else self.at.split(".", 1)[0]


@dataclass(frozen=True)
class Contact:
    """One contact of a port in both namings: A1..B12, its row and place, and 1..24 as the breakout counts."""

    __pydantic_config__ = STRICT
    name: str
    number: int
    signal: str

    @property
    def shown_signal(self) -> str:
        """With a real minus, as on screen and paper."""
        return self.signal.replace("-", "\u2212")

    @property
    def row(self) -> str:
        return self.name[0]

    @property
    def place(self) -> int:
        """1 to 12 along the row."""
        return int(self.name[1:])


@dataclass(frozen=True)
class Port:
    """A receptacle: its contacts, which of them are one node, and which are twins."""

    __pydantic_config__ = STRICT
    component: str
    contacts: tuple[Contact, ...]
    one_node: tuple[tuple[str, ...], ...]
    twins: tuple[tuple[str, str], ...]
    visible_row: str = "B"


@dataclass(frozen=True)
class AccessLevel:
    """How far the unit is open. Levels are listed from closed to deepest; minutes are from the one before."""

    __pydantic_config__ = STRICT
    id: str
    words: str
    minutes: float

    def __post_init__(self) -> None:
        require(self.minutes, 0.0, 600.0, "minutes")


@dataclass(frozen=True)
class Trace:
    """A stretch of copper that can break: the listed terminals lose the rest of the net."""

    __pydantic_config__ = STRICT
    id: str
    net: str
    far_terminals: tuple[str, ...]
    words: str = ""


@dataclass(frozen=True)
class Function:
    """Something the device must do, as what has to be whole for it.

    nets_through must be neither open nor shorted; nets_clear must not be shorted; parts must work.
    """

    __pydantic_config__ = STRICT
    id: str
    words: str
    parts: tuple[str, ...] = ()
    nets_through: tuple[str, ...] = ()
    nets_clear: tuple[str, ...] = ()
    functions: tuple[str, ...] = ()


@dataclass(frozen=True)
class Symptom:
    """Something the owner or the screen says. weights: function id to the chance that it shows when broken.

    leak: the chance that it is reported although every function works; flat_cell: that it shows while the cell is flat.
    """

    __pydantic_config__ = STRICT
    id: str
    words: str
    weights: Mapping[str, float]
    leak: float = 0.02
    is_code: bool = False
    flat_cell: float = 0.0

    def __post_init__(self) -> None:
        require(self.leak, 0.0, 1.0, "leak")
        require(self.flat_cell, 0.0, 1.0, "flat_cell")
        for name, weight in self.weights.items():
            require(weight, 0.0, 1.0, tr("weight of {name}", name=name))


@dataclass(frozen=True)
class CircuitUse:
    """The template of a circuit that the pack's functions follow. parts: of each of its roles, by id."""

    __pydantic_config__ = STRICT
    template: str
    parts: Mapping[str, tuple[str, ...]] = field(default_factory=dict)


@dataclass(frozen=True)
class Board:
    """One board revision, whole. A sparse one has empty tuples, and every feature says what it can't know.

    kind_spreads: how far boards of this model differ at points of a kind, in volts of diode mode, where it is known;
    spread_boards: from how many boards.
    share_of_two, share_of_three: of faulty boards, how many have two and three faults.
    unit_value, donor_value: what a working unit and one for its parts are worth, in the shop's currency.
    case_mm: corners of the case as it lies while it is opened; fasteners: what is undone, in order. set_ups: what
    stands while checks are tried.
    sisters: pack ids of other revisions whose known-good may stand in where this one has none.
    circuit: the template that its functions were made from, where they were. sources: where facts come from; what none
    is said of is believed. assumed: numbers stated in place of what is assumed, by name (docs/assumptions.md).
    """

    __pydantic_config__ = STRICT
    pack_id: str
    model: str
    short_name: str
    name: str
    revision: str
    outline_mm: tuple[tuple[float, float], ...]
    nets: tuple[Net, ...] = ()
    components: tuple[Component, ...] = ()
    points: tuple[Point, ...] = ()
    ports: tuple[Port, ...] = ()
    access_levels: tuple[AccessLevel, ...] = ()
    failure_rates: tuple[FailureRate, ...] = ()
    traces: tuple[Trace, ...] = ()
    functions: tuple[Function, ...] = ()
    symptoms: tuple[Symptom, ...] = ()
    draw_states: tuple[DrawState, ...] = ()
    draw_outcomes: tuple[DrawOutcome, ...] = ()
    cell: CellModel | None = None
    repair_rules: tuple[RepairRule, ...] = ()
    checks: tuple[ProofCheck, ...] = ()
    set_ups: tuple[SetUp, ...] = ()
    rail_checks: tuple[RailCheck, ...] = ()
    kits: tuple[Kit, ...] = ()
    cautions: tuple[Caution, ...] = ()
    fasteners: tuple[Fastener, ...] = ()
    case_mm: tuple[tuple[float, float], ...] = ()
    prior_nothing: float = 0.06
    prior_something_else: float = 0.03
    unit_value: float = 120.0
    donor_value: float = 0.0
    supply_class_default: str = field(default="negotiating")
    kind_spreads: Mapping[str, float] = field(default_factory=dict)
    spread_boards: int = 13
    share_of_two: float = 0.25
    share_of_three: float = 0.05
    sisters: tuple[str, ...] = ()
    circuit: CircuitUse | None = None
    sources: tuple[FactSource, ...] = ()
    assumed: Mapping[str, float] = field(default_factory=dict)

    def __post_init__(self) -> None:
        for kind, volts in self.kind_spreads.items():
            require(volts, 1e-4, 1.0, tr("kind_spreads of {kind}", kind=kind))
        require(self.donor_value, 0.0, 100_000.0, "donor_value")
        require(self.spread_boards, 2, 100_000, "spread_boards")
        require(self.share_of_two + self.share_of_three, 0.0, 0.9, "share_of_two + share_of_three")
        require(min(self.share_of_two, self.share_of_three), 0.0, 0.9, tr("share_of_two and share_of_three"))
        require(self.prior_nothing, 1e-6, 0.9, "prior_nothing")
        require(self.prior_something_else, 1e-6, 0.9, "prior_something_else")

    @cached_property
    def net_by_name(self) -> Mapping[str, Net]:
        return {net.name: net for net in self.nets}

    @cached_property
    def component_by_designator(self) -> Mapping[str, Component]:
        return {part.designator: part for part in self.components}

    @cached_property
    def point_by_id(self) -> Mapping[str, Point]:
        return {point.id: point for point in self.points}

    @cached_property
    def point_order(self) -> Mapping[str, int]:
        return {point.id: i for i, point in enumerate(self.points)}

    @cached_property
    def function_order(self) -> Mapping[str, int]:
        return {function.id: i for i, function in enumerate(self.functions)}

    @cached_property
    def net_of_point(self) -> Mapping[str, str]:
        """By id, the net that a point's first tip touches."""
        return {point.id: self.net_of(point.at) for point in self.points}

    def is_to_ground(self, point: str) -> bool:
        """Whether a point is read against ground: in diode mode, or in ohms. Raises KeyError when unknown."""
        to = self.point_by_id[point].to
        if self.point_by_id[point].kind == CAPACITANCE_KIND:
            return False
        return to is None or self.net_by_name[self.net_of(to)].role == "ground"

    @cached_property
    def port_signals(self) -> Mapping[str, str]:
        """By net, the port's name for it where it reaches one: that of its first contact there."""
        found: dict[str, str] = {}
        for port in self.ports:
            for contact in port.contacts:
                found.setdefault(self.net_of(f"{port.component}.{contact.name}"), contact.shown_signal)
        return found

    @cached_property
    def chips_on(self) -> Mapping[Side, tuple[Component, ...]]:
        """Chips by the side they sit on."""
        return {side: tuple(c for c in self.components if c.kind is ComponentKind.IC and c.side is side)
                for side in Side}

    @cached_property
    def symptom_by_id(self) -> Mapping[str, Symptom]:
        return {symptom.id: symptom for symptom in self.symptoms}

    @cached_property
    def access_order(self) -> Mapping[str, int]:
        return {level.id: i for i, level in enumerate(self.access_levels)}

    def net_of(self, address: str) -> str:
        """The net of 'PART.TERMINAL', 'PART.CONTACT/tail' or '@NET'. Raises KeyError when unknown."""
        if address.startswith("@"):
            return self.net_by_name[address[1:]].name
        part, _, terminal = address.partition(".")
        return self.component_by_designator[part].terminal(terminal.removesuffix("/tail")).net

    def net_is_unknown(self, address: str) -> bool:
        """Whether nobody has said yet which net 'PART.TERMINAL' is on."""
        part, _, terminal = address.partition(".")
        return not address.startswith("@") and self.net_of(address) == unknown_net(part, terminal)

    @cached_property
    def sureness(self) -> Mapping[str, float]:
        """Ends of parts, as 'U1.5', of whose net the pack is not wholly sure, and the chance that it is so."""
        return {one.end: one.sureness for one in self.sources if one.end and one.sureness < 1.0}

    @cached_property
    def shares_are_guessed(self) -> bool:
        """Whether a part of the board is described by nobody: which of the junctions on a line carries how much is then
        a guess."""
        return any(part.undescribed for part in self.components)

    @cached_property
    def unknown_points(self) -> frozenset[str]:
        """Points whose net nobody has said: what is read there tells nothing yet."""
        return frozenset(p.id for p in self.points if self.net_is_unknown(p.at))

    @cached_property
    def node_pairs(self) -> tuple[Point, ...]:
        """Points measured from one port contact to another: whether they are one node."""
        wanted = {f"{port.component}.{contact.name}" for port in self.ports for contact in port.contacts}
        return tuple(point for point in self.points if point.at in wanted and point.to in wanted)

    def port_point_ids(self) -> tuple[str, ...]:
        """Points that are port contacts, in the order a technician walks them: A1..A12, then B1..B12."""
        return self._port_points

    @cached_property
    def port_points(self) -> frozenset[str]:
        return frozenset(self._port_points)

    @cached_property
    def port_coppers(self) -> int:
        """How many nets the port contacts that can be read lie on."""
        return len({self.net_of(self.point_by_id[point].at) for point in self._port_points})

    @cached_property
    def _port_points(self) -> tuple[str, ...]:
        wanted = {f"{port.component}.{contact.name}" for port in self.ports for contact in port.contacts}
        order = {f"{port.component}.{contact.name}": (contact.row, contact.place)
                 for port in self.ports for contact in port.contacts}
        found = [point.id for point in self.points if point.at in wanted and point.to is None]
        return tuple(sorted(found, key=lambda pid: order[self.point_by_id[pid].at]))

    def minutes_to(self, access: str, current: str) -> float:
        """Minutes to get from one access level to a deeper one; nothing when already there."""
        order = self.access_order
        here, there = order.get(current, 0), order.get(access, 0)
        return sum(level.minutes for level in self.access_levels[here + 1:there + 1])
