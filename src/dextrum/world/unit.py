"""One unit of this world: what is wrong with it, and what a technician sees, reads and tries on it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace

import numpy as np

from dextrum.core.board import UNLISTED_PART, Board, Component, ComponentKind, Fault, FaultKind, Method, NetRole, Side
from dextrum.core.circuit.edit import Edit
from dextrum.core.circuit.isolation import isolation_edit
from dextrum.core.circuit.network import Circuit, build_circuit, with_shifts
from dextrum.core.circuit.solve import diode_volts
from dextrum.core.circuit.walked import WalkedNetwork, walks_of
from dextrum.core.draw.states import UNKNOWN, states_of, used_class
from dextrum.core.faults.listing import enumerate_faults
from dextrum.core.faults.mending import kinds_mended
from dextrum.core.faults.registry import edit_for
from dextrum.core.faults.taken_along import taken_along
from dextrum.core.trail import Isolation, Look, PartSeen, put_back, with_isolation
from dextrum.instruments.simulated_draw import SimulatedDraw
from dextrum.world.breaks import BRIDGES, decided, felt_with, nets_of
from dextrum.world.capacitors import fitted_nanofarads, found_between
from dextrum.world.meter import WorldMeter
from dextrum.world.numbers import World
from dextrum.world.sizes import drawn_size

Hidden = tuple[Fault, float]
THERMAL_VOLTS = 0.0257
"""kT / q at 25 °C: a change of a junction's drop by dV is one of ln(Is) by -dV / (n kT / q)."""
SHIELDED_MM = 2.0
"""Parts farther than a chip's own edge count from its middle, so at least so much is added to how far heat reaches."""
SEEN_ON_PART = {FaultKind.MISSING_PART: ("missing", "missing"), FaultKind.HARD_SHORT: ("burst", "burst"),
                FaultKind.QUIET_FAILURE: ("burst", "burst"), FaultKind.LIFTED_JOINT: ("askew", "askew"),
                FaultKind.BRIDGED_PINS: ("bridged", "bridged"),
                FaultKind.WRONG_PART: ("swapped", "swapped"), FaultKind.TURNED_PART: ("turned", "turned")}
"""Kind of fault to what is seen, and the world's number for how often."""
SEEN_IN_PORT = {FaultKind.OPEN_CONTACT: ("bent", "contact"), FaultKind.SHELL_CONTACT: ("bent", "contact"),
                FaultKind.CROSSED_CONTACTS: ("crossed", "crossed"), FaultKind.LIFTED_JOINT: ("loose", "joint")}
MISTAKEN_FOR = ("missing", "askew", "corroded")
TO_GROUND = frozenset({FaultKind.HARD_SHORT, FaultKind.PARTIAL_SHORT, FaultKind.LEAKY_PART, FaultKind.SHELL_CONTACT})
OF_A_NEW_JOINT = frozenset({FaultKind.LIFTED_JOINT, FaultKind.OPEN_CONTACT, FaultKind.OPEN_WINDING,
                            FaultKind.BRIDGED_PINS, FaultKind.CROSSED_CONTACTS, FaultKind.TORN_PAD})
KNOCKED = frozenset({FaultKind.MISSING_PART, FaultKind.LIFTED_JOINT})


class WorldUnit:
    """faults: what is there now, with ohms. ever_faulty: parts that were at fault at any time."""

    def __init__(self, world: World, board: Board, faults: Sequence[Hidden], generator: np.random.Generator,
                 unlisted: tuple[str, ...] = (), cell: str = "", harmful: bool = False,
                 misplaced: Mapping[str, str] | None = None) -> None:
        """unlisted: functions that something which no pack lists has broken. cell: the condition in which it came in,
        empty to draw it. harmful: every fault breaks something. misplaced: points that are somewhere else than the pack
        has them, and at which other point's place."""
        self.world, self.board, self.generator = world, board, generator
        self.misplaced = misplaced or {}
        self.unlisted = unlisted
        self.faults: list[Hidden] = []
        self.hurt: list[str] = []
        self.ever_faulty: set[str] = {UNLISTED_PART} if unlisted else set()
        self._breaks: dict[str, frozenset[str]] = {}
        self._comes_and_goes: dict[str, bool] = {}
        self._shows: dict[str, bool] = {}
        self._counted: dict[str, bool] = {}
        self._told_by_photo: dict[str, bool] = {}
        self._made_by_work: set[str] = set()
        self._possible: Mapping[str, tuple[Fault, ...]] = {}
        self.isolated: frozenset[str] = frozenset()
        self.circuit = self._scattered()
        # A stream of its own, so that capacitors change nothing in what else is drawn.
        self._fitted = fitted_nanofarads(board, world, generator.spawn(1)[0])
        for fault, ohms in faults:
            self._add(fault, ohms, harmful)
        self.cell = cell or self._drawn_cell()
        self.dirty = bool(generator.random() < world.looks.dirt)
        self.port_corroded = bool(generator.random() < world.looks.corroded)
        self._mistaken = [PartSeen(part.designator, str(generator.choice(MISTAKEN_FOR))) for part in board.components
                          if part.kind is not ComponentKind.RECEPTACLE and generator.random() < world.looks.false]
        self._draws: dict[tuple[frozenset[str], str, bool], SimulatedDraw] = {}
        self._networks: dict[tuple[frozenset[str], frozenset[str]], WalkedNetwork] = {}

    def _scattered(self) -> Circuit:
        """This unit's own circuit: junctions and ohms off the drawn ones, some parts of another maker, some never
        fitted."""
        numbers, generator, board = self.world.boards, self.generator, self.board
        healthy = build_circuit(board)

        def spread(size: float, of: int) -> np.ndarray:
            # Of unit variance whatever the freedom, so that the tails change and the spread stays.
            free = max(numbers.tails, 2.5)
            return np.asarray(size * generator.standard_t(free, of) * np.sqrt((free - 2.0) / free))

        chips = dict(zip((c.designator for c in board.components), spread(numbers.chip, len(board.components)),
                         strict=True))
        shift = np.array([chips[j.part] for j in healthy.junctions]) + spread(numbers.pin, len(healthy.junctions))
        self._healthy = healthy
        other = generator.random(len(shift)) < numbers.other_maker
        shift += np.where(other, generator.choice((-1.0, 1.0), len(shift)) * numbers.other_volts / THERMAL_VOLTS, 0.0)
        arrays = [c.designator for c in board.components if c.kind in (ComponentKind.ESD_ARRAY, ComponentKind.IC)]
        if arrays and generator.random() < self.world.histories.swapped:
            part, sign = str(generator.choice(arrays)), float(generator.choice((-1.0, 1.0)))
            of_it = np.array([j.part == part for j in healthy.junctions], dtype=bool)
            shift += np.where(of_it, sign * self.world.histories.swapped_volts / THERMAL_VOLTS, 0.0)
        marked = {c.designator for c in board.components if c.kind is ComponentKind.RESISTOR}
        scale = np.array([numbers.resistor if r.owner.partition(".")[0] in marked else numbers.path
                          for r in healthy.resistances])
        ohms = np.where(["-" in r.owner for r in healthy.resistances], scale * spread(1.0, len(scale)),
                        spread(numbers.load, len(scale)))
        return with_shifts(healthy, shift, shift, ohms)

    def _drawn_cell(self) -> str:
        cells = self.world.cells
        shares = {"deeply_flat": cells.deeply_flat, "flat": cells.flat, "near_full": cells.near_full}
        u, below = float(self.generator.random()), 0.0
        for state, share in shares.items():
            below += share
            if u < below:
                return state
        return "part_charged"

    def _add(self, fault: Fault, ohms: float, harmful: bool = False) -> None:
        world, generator = self.world, self.generator
        self.faults.append((fault, ohms))
        self.ever_faulty.add(fault.part)
        broken = decided(self.board, fault, ohms, world.coupling, generator)
        for _ in range(200 if harmful else 0):
            if broken:
                break
            broken = decided(self.board, fault, ohms, world.coupling, generator)
        self._breaks[fault.id] = broken
        if generator.random() < world.faults.intermittent:
            self._comes_and_goes[fault.id] = True
        number = self._number_of_sight(fault)
        self._shows[fault.id] = bool(number and generator.random() < number)

    def never_fitted(self, fault: Fault) -> None:
        """A part that boards like this one do without: nobody minds, and it is no fault."""
        self.faults.append((fault, 0.0))
        self._breaks[fault.id] = frozenset()
        self._shows[fault.id] = bool(self.generator.random() < self.world.looks.missing)

    def _number_of_sight(self, fault: Fault) -> float:
        part = self.board.component_by_designator.get(fault.part)
        if part is None:
            return 0.0
        seen = SEEN_IN_PORT if part.kind is ComponentKind.RECEPTACLE else SEEN_ON_PART
        return float(getattr(self.world.looks, seen[fault.kind][1])) if fault.kind in seen else 0.0

    def _there(self) -> list[Hidden]:
        """Faults that are there at this moment."""
        for name in self._comes_and_goes:
            if self.generator.random() < self.world.faults.changes:
                self._comes_and_goes[name] = bool(self.generator.random() < self.world.faults.there)
        return [(f, ohms) for f, ohms in self.faults
                if self._comes_and_goes.get(f.id, True) and not taken_along(f, self.isolated)]

    def breaks(self, fault: Fault) -> frozenset[str]:
        """The functions that one of its faults breaks."""
        return self._breaks[fault.id]

    def broken(self) -> frozenset[str]:
        """Functions that fail now."""
        lost = frozenset().union(*(self._breaks[f.id] for f, _ in self._there()))
        return lost | frozenset(self.unlisted)

    def harmful(self) -> tuple[Fault, ...]:
        """Faults that break something the unit must do."""
        return tuple(fault for fault, _ in self.faults if self._breaks[fault.id])

    # What is read.

    def _edit(self, there: Sequence[Hidden]) -> Edit:
        edit = isolation_edit(self.circuit, self.isolated)
        for number, (fault, ohms) in enumerate(there):
            if fault.part != UNLISTED_PART:
                edit = edit | edit_for(self.board, self.circuit, fault, ohms, number)
        return edit

    def true_value(self, point_id: str, method: Method) -> float:
        """Volts, ohms or nanofarads without a meter; inf where nothing conducts, or too much to measure a capacitor."""
        other = self.misplaced.get(point_id)
        if other is not None and method.is_diode:
            # It moves with another net, and reads on a good board what good boards were read at here.
            good, good_there = (diode_volts(self._healthy, self.board.point_by_id[p].at, method)
                                for p in (point_id, other))
            return self.true_value(other, method) * (good / good_there if good_there > 0 else 1.0)
        point, network = self.board.point_by_id[point_id], self._as_it_stands()
        if point.to is not None:
            ohms = network.ohms(point.at, point.to)
            return ohms if method is not Method.CAPACITANCE else found_between(
                self.board, self.board.net_of(point.at), self.board.net_of(point.to), self._fitted, self._there(),
                self.isolated, ohms, self.world.meters)
        return network.volts(point.at, method)

    def _as_it_stands(self) -> WalkedNetwork:
        there = self._there()
        state = frozenset(f.id for f, _ in there), self.isolated
        if state not in self._networks:
            self._networks[state] = WalkedNetwork(self.circuit, walks_of(self.board), self._edit(there))
        return self._networks[state]

    def read(self, point_id: str, method: Method, meter: WorldMeter) -> float:
        """What the meter shows at one touch."""
        return meter.shown(self.true_value(point_id, method), method, self.generator)

    # What happens with power.

    def draw(self, orientation: str, known_good_cell: bool = False) -> SimulatedDraw:
        """What it draws this way up; the same each time until something about it changes. Raises ValueError where the
        pack says nothing of draws."""
        broken = self.broken()
        key = (broken, orientation, known_good_cell)
        if key not in self._draws:
            self._draws[key] = self._new_draw(broken, orientation, known_good_cell)
        return self._draws[key]

    def _new_draw(self, broken: frozenset[str], orientation: str, known_good_cell: bool) -> SimulatedDraw:
        board, generator = self.board, self.generator
        used = used_class(board, "")
        states = {state.id: state for state in states_of(board, used)}
        outcome = next((o for o in board.draw_outcomes if o.supply_class == used and (
            not o.broken or o.broken.replace("{o}", orientation) in broken)), None)
        if outcome is None or not states:
            raise ValueError(f"{board.pack_id} says nothing of draws on a supply of class {used}")
        if generator.random() < self.world.checks.odd_draw:
            return SimulatedDraw(board, str(generator.choice(list(states))), False, generator)
        if not outcome.broken:
            cell = "part_charged" if known_good_cell else self.cell
            begins = [s.id for s in states.values() if s.cell == cell and s.id in outcome.states]
            begins = begins or [s.id for s in states.values() if s.cell == "part_charged"] or list(states)
            return SimulatedDraw(board, begins[0], True, generator)
        known = {state: chance for state, chance in outcome.states.items() if state != UNKNOWN and state in states}
        # Each model of this world leans its own way from what its pack says.
        weight = np.array(list(known.values())) * np.exp(generator.normal(0.0, self.world.checks.draw_lean, len(known)))
        return SimulatedDraw(board, str(generator.choice(list(known), p=weight / weight.sum())), False, generator)

    def supply(self, orientation: str, minute: float = 1.0, cell_known_good: bool = False) -> tuple[float, float, str]:
        """Volts, amps and pattern that the power meter in line shows."""
        return self.draw(orientation, cell_known_good).level(minute)

    def functions_work(self, functions: Sequence[str]) -> bool:
        """Whether a trial of these passes."""
        works = not self.broken() & set(functions)
        slips = self.world.checks.false_fail if works else self.world.checks.false_pass
        return bool(works != (bool(functions) and self.generator.random() < slips))

    def rail_volts(self, rail: str, orientation: str) -> float:
        """What a rail shows with power at the port."""
        check = next(c for c in self.board.rail_checks if c.id == rail)
        up = not self.broken() & {name.replace("{o}", orientation) for name in check.functions}
        net = self.board.net_by_name[self.board.net_of(self.board.point_by_id[check.point].at)]
        nominal = net.nominal_volts or check.least_volts * 1.2
        if self.generator.random() < self.world.checks.rail_slip:
            up = False  # a probe beside the rail reads nothing; no slip makes volts where there are none
        checks = self.world.checks
        share = self.generator.normal(1.0, checks.rail_spread) if up else abs(
            self.generator.normal(0.0, checks.rail_left))
        return round(float(nominal * share), 2)

    def _leads_to_ground(self, fault: Fault) -> bool:
        """Whether current flows through it from a rail to ground, as through a bridge of two pins one of which is."""
        return fault.kind in TO_GROUND or (fault.kind in BRIDGES and any(
            self.board.net_by_name[net].role is NetRole.GROUND for net in nets_of(self.board, fault)))

    def inject(self, net: str, volts: float, amps: float, seen_by: str = "camera",
               held_watts: float | None = None) -> str:
        """The part that is seen warming with this put on a rail; empty when none is. held_watts: what volts times amps
        were kept at while the volts went up."""
        board, generator, warmth = self.board, self.generator, self.world.warmth
        joined = felt_with(board, net, self.world.coupling.felt_ohms)
        warm: list[tuple[float, str]] = []
        for fault, ohms in self._there():
            if self._leads_to_ground(fault) and nets_of(board, fault) & joined:
                through = min(amps, volts / max(ohms, 0.02))
                most = through * through * max(ohms, 0.02)
                warm.append((most if held_watts is None else min(most, held_watts), fault.part))
        if warm:
            watts, part = max(warm)
            half = {"spray": warmth.spray_watts, "alcohol": warmth.alcohol_watts}.get(seen_by, warmth.camera_watts)
            if generator.random() < watts / (watts + half):
                near = self._near(board.component_by_designator[part], warmth.neighbour_mm)
                return str(generator.choice(near)) if near and generator.random() < warmth.neighbour else part
        if generator.random() < warmth.false:
            return str(generator.choice([c.designator for c in board.components]))
        return ""

    # What is seen.

    def look_port(self, cleaned: bool) -> Look:
        """What shows in the port. Dirt hides the rest until it is out."""
        if self.dirty and not cleaned:
            return Look(("dirt",))
        found: list[str] = ["corroded"] if self.port_corroded and not cleaned else []
        contacts: list[str] = []
        for fault, _ in self.faults:
            part = self.board.component_by_designator.get(fault.part)
            if part is not None and part.kind is ComponentKind.RECEPTACLE and self._shows[fault.id]:
                finding = SEEN_IN_PORT[fault.kind][0]
                found.append(finding)
                contacts += fault.terminals if finding != "loose" else ()
        return Look(tuple(dict.fromkeys(found)) or ("clean",), tuple(dict.fromkeys(contacts)))

    def look_over(self, side: Side) -> tuple[PartSeen, ...]:
        """What is seen on one side of the board."""
        found = [seen for seen in self._mistaken if self.board.component_by_designator[seen.part].side is side]
        for fault, _ in self.faults:
            part = self.board.component_by_designator.get(fault.part)
            if part is not None and part.kind is not ComponentKind.RECEPTACLE and part.side is side \
                    and self._shows[fault.id]:
                found.append(PartSeen(fault.part, SEEN_ON_PART[fault.kind][0]))
        return tuple(dict.fromkeys(found))

    def look_round(self, side: Side, parts: frozenset[str], under: str = "") -> tuple[PartSeen, ...]:
        """What is seen when a few parts are counted against the list and photo made before the work. under: the part
        that was off the board, and under which the pads were looked at."""
        looks, generator = self.world.looks, self.generator
        found = [seen for seen in self.look_over(side) if seen.part in parts]
        for fault, _ in self.faults:
            if fault.kind is FaultKind.MISSING_PART and fault.part in parts and self._counted.setdefault(
                    fault.id, bool(generator.random() < looks.counted)):
                part = self.board.component_by_designator[fault.part]
                found += [PartSeen(fault.part, "missing")] if part.side is side else []
        found = [replace(seen, before=self._was_so_before(seen)) for seen in found]
        if under:
            torn = any(fault.kind is FaultKind.TORN_PAD and fault.part == under for fault, _ in self.faults)
            if generator.random() < (looks.torn if torn else looks.false):
                found.append(PartSeen(under, "torn"))
        return tuple(dict.fromkeys(found))

    def _was_so_before(self, seen: PartSeen) -> bool:
        """Whether the photo made before any work tells that a place was empty by then."""
        if seen.what != "missing" or seen.part in self._made_by_work:
            return False
        return self._told_by_photo.setdefault(seen.part, bool(self.generator.random() < self.world.looks.photo))

    # What is done to it.

    def isolate(self, change: Isolation) -> None:
        """Take loads off the board, or put them back."""
        self.isolated = with_isolation(self.isolated, change)

    def mend(self, part: str, action: str) -> None:
        """One piece of rework: it may fail, and heat may hurt what is near."""
        numbers, generator = self.world.repairs, self.generator
        self.isolated = put_back(self.isolated, part)
        kinds = kinds_mended(self.board, part, action)
        gone = {fault.id for fault, _ in self.faults if fault.part == part and fault.kind in kinds}
        fails = {"reflow": numbers.reflow_fails, "wire": numbers.wire_fails}.get(action, numbers.replace_fails)
        failed = generator.random() < fails
        # A new part that does not take has a joint open; one that can't have that is as bad as the old one was.
        if not failed or (action == "replace" and self._of_rework(part, OF_A_NEW_JOINT)):
            self.faults = [(f, ohms) for f, ohms in self.faults if f.id not in gone]
            self._mistaken = [seen for seen in self._mistaken if seen.part != part]
        if action == "replace":
            self._fit_another(part)
            if generator.random() < numbers.turned:
                self._of_rework(part, frozenset({FaultKind.TURNED_PART}))
        component = self.board.component_by_designator.get(part)
        if component is not None and component.kind is ComponentKind.RECEPTACLE and action == "replace":
            self.dirty = self.port_corroded = False
        if component is not None and generator.random() < numbers.harms:
            reach = numbers.harm_mm + max(component.width_mm, component.height_mm) / 2.0
            near = self._near(component, max(reach, SHIELDED_MM))
            if near and self._hurt(str(generator.choice(near))):
                self.hurt.append(self.faults[-1][0].id)

    def mend_at_once(self) -> None:
        """From now on every repair takes, and hurts nothing."""
        self.world = replace(self.world, repairs=replace(
            self.world.repairs, replace_fails=0.0, reflow_fails=0.0, wire_fails=0.0, turned=0.0, harms=0.0))

    def _hurt(self, part: str) -> bool:
        """Heat floats a neighbour off or lifts it, leaves it in another's place, or kills it."""
        numbers = self.world.repairs
        u = self.generator.random()
        rare = {FaultKind.WRONG_PART} if u < numbers.moved else {FaultKind.QUIET_FAILURE} \
            if u < numbers.moved + numbers.killed else frozenset[FaultKind]()
        return (bool(rare) and self._of_rework(part, frozenset(rare))) or self._of_rework(part, KNOCKED)

    def _fit_another(self, part: str) -> None:
        """Another specimen: its junctions are its own."""
        numbers, generator = self.world.boards, self.generator
        own = set(self.circuit.junctions_of_part.get(part, ()))
        if not own:
            return
        chip = numbers.chip * float(generator.normal())
        shift = np.array([chip + numbers.pin * float(generator.normal()) if k in own else 0.0
                          for k in range(len(self.circuit.junctions))])
        # Back to the drawn value, then off by its own.
        for k in own:
            now, drawn = self.circuit.junctions[k], self._healthy.junctions[k]
            if now.log_is_red_ground is not None and drawn.log_is_red_ground is not None:
                shift[k] -= now.log_is_red_ground - drawn.log_is_red_ground
        self.circuit = with_shifts(self.circuit, shift, shift, np.zeros(len(self.circuit.resistances)))
        self._networks.clear()

    def _of_rework(self, part: str, kinds: frozenset[FaultKind]) -> bool:
        """A fault that heat or a bad joint makes of a part; whether it can have one."""
        if not self._possible:
            by_part: dict[str, tuple[Fault, ...]] = {}
            for fault in enumerate_faults(self.board):
                by_part[fault.part] = (*by_part.get(fault.part, ()), fault)
            self._possible = by_part
        there = {fault.id for fault, _ in self.faults}
        can = [f for f in self._possible.get(part, ()) if f.kind in kinds and f.id not in there]
        if can:
            fault = can[int(self.generator.integers(len(can)))]
            self._made_by_work.add(part)
            self._add(fault, drawn_size(self.board, fault, self.world.faults, self.generator))
        return bool(can)

    def _near(self, part: Component, reach_mm: float) -> list[str]:
        return [other.designator for other in self.board.components
                if other is not part and other.side is part.side and other.kind is not ComponentKind.RECEPTACLE
                and float(np.hypot(other.x_mm - part.x_mm, other.y_mm - part.y_mm)) < reach_mm]
