"""A board of a pack with hidden faults, read by meters that are not perfect.

It uses the circuit of the core with the pack's own junction values, so what it reads is computed, never written
down. Board-to-board spread, meter gain, offset and noise, and bad touches come from the given generator.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from dextrum.core.assumptions.looks import FALSE_WARMTH, NEAR_MM, RIGHT_PART, SHOWN_BY_MISTAKE
from dextrum.core.assumptions.trials import RAIL_SLIPS
from dextrum.core.board import Board, ComponentKind, Fault, Method, Point, Side
from dextrum.core.circuit.capacitance import capacitors_between
from dextrum.core.circuit.edit import Edit
from dextrum.core.circuit.isolation import isolation_edit
from dextrum.core.circuit.network import GROUND, Circuit, build_circuit, with_shifts
from dextrum.core.circuit.walked import WalkedNetwork, walks_of
from dextrum.core.diagnosis.board_look import NOT_LOOKED_AT, counted, shown_as
from dextrum.core.diagnosis.functions import Breaking, breaking, symptom_chance
from dextrum.core.diagnosis.injection import chance_seen, nodes_on_rail
from dextrum.core.draw.states import UNKNOWN, states_of, used_class
from dextrum.core.faults.mending import kinds_mended
from dextrum.core.faults.registry import KINDS, edit_for
from dextrum.core.faults.taken_along import taken_along
from dextrum.core.trail import Isolation, PartSeen, put_back, with_isolation
from dextrum.instruments.simulated_draw import SimulatedDraw

CHIP_SPREAD = 0.10
PIN_SPREAD = 0.12
LOAD_SPREAD = 0.05
PATH_SPREAD = 0.08
RESISTOR_SPREAD = 0.015
"""Of a resistor about its value: most are sold within five hundredths of it, many within one."""
FARADS_SPREAD = 0.05
"""Of a capacitor about its value: most are sold within a tenth of it."""
STRAY_NANOFARADS = 0.04
UNCHARGED_OHMS = 1500.0
"""What conducts better across a capacitor keeps these meters from charging it."""


@dataclass(frozen=True)
class SimulatedMeter:
    """gain and offset act on volts, ohms_gain on ohms; noise in volts; compliance in volts."""

    name: str
    gain: float = 1.0
    offset_volts: float = 0.0
    ohms_gain: float = 1.0
    lead_ohms: float = 0.0
    noise_volts: float = 0.0006
    compliance_volts: float = 2.5
    bad_touch: float = 0.0


METER_M1 = SimulatedMeter("M1")
METER_M2 = SimulatedMeter("M2", gain=1.006, offset_volts=0.004, ohms_gain=1.01, lead_ohms=0.05,
                          noise_volts=0.001, compliance_volts=2.9)


def _spreads_of_ohms(board: Board, healthy: Circuit) -> list[float]:
    """Of each resistance of a board, (N,), in ln ohm."""
    marked = {part.designator for part in board.components if part.kind is ComponentKind.RESISTOR}
    return [LOAD_SPREAD if "-" not in r.owner else RESISTOR_SPREAD if r.owner.partition(".")[0] in marked
            else PATH_SPREAD for r in healthy.resistances]


class SimulatedBoard:
    """One unit. faults: pairs of a fault and its ohms. Repairs take faults away with `mend`."""

    def __init__(self, board: Board, faults: Sequence[tuple[Fault, float]],
                 generator: np.random.Generator, spread: float = 1.0) -> None:
        self.board = board
        self.faults = list(faults)
        self.generator = generator
        # A stream of its own, so that what is looked at changes nothing in what is measured; decided once for a unit.
        eyes = generator.spawn(1)[0]
        self._shows = {fault.id: bool(eyes.random() < shown_as(board, fault)[1]) for fault, _ in self.faults}
        self._mistaken: list[tuple[Side, PartSeen]] = []
        for part in board.components:
            for what, chance in SHOWN_BY_MISTAKE.items():
                if part.kind not in NOT_LOOKED_AT and eyes.random() < chance:
                    self._mistaken.append((part.side, PartSeen(part.designator, what)))
        self._counted = {fault.id: self._shows[fault.id] or bool(eyes.random() < counted(board, fault))
                         for fault, _ in self.faults}
        healthy = build_circuit(board)
        chip = {part.designator: generator.normal(0.0, CHIP_SPREAD * spread) for part in board.components}
        junctions = np.array([chip[j.part] + generator.normal(0.0, PIN_SPREAD * spread)
                              for j in healthy.junctions])
        ohms = np.array([generator.normal(0.0, of * spread) for of in _spreads_of_ohms(board, healthy)])
        self.circuit = with_shifts(healthy, junctions, junctions, ohms)
        of_parts = eyes.spawn(1)[0]
        self._held = {part.designator: part.nanofarads * float(1.0 + FARADS_SPREAD * spread * of_parts.normal())
                      for part in board.components if part.nanofarads is not None}
        self.isolated: frozenset[str] = frozenset()
        self.cell_begins = ""
        self._network: tuple[tuple[frozenset[str], tuple[tuple[Fault, float], ...]], WalkedNetwork] | None = None
        self._broken_draws: dict[tuple[str, ...], np.ndarray] = {}
        self._draws: dict[tuple[tuple[str, ...], str, bool], SimulatedDraw] = {}

    @cached_property
    def _breaking(self) -> Breaking:
        return breaking(self.board)

    def _edit(self) -> Edit:
        edit = isolation_edit(self.circuit, self.isolated)
        for number, (fault, ohms) in enumerate(self.faults):
            if taken_along(fault, self.isolated):
                continue
            edit = edit | edit_for(self.board, self.circuit, fault, ohms, number)
        return edit

    def true_value(self, point_id: str, method: Method) -> float:
        """Volts, ohms or nanofarads without any meter; inf where nothing conducts, or too much for a capacitor."""
        point = self.board.point_by_id[point_id]
        if method is Method.CAPACITANCE and point.to is not None:
            return self._nanofarads(point)
        return self.between(point.at, point.to, method)

    def _nanofarads(self, point: Point) -> float:
        """Between the two nets of a point, without any meter; inf where they conduct too well to be charged."""
        if self.between(point.at, point.to, Method.RESISTANCE) < UNCHARGED_OHMS:
            return float("inf")
        held = {part.designator: self._held[part.designator] for part in capacitors_between(self.board, point)
                if part.designator not in self.isolated}
        for fault, size in self.faults:
            if fault.part in held:
                held[fault.part] = KINDS[fault.kind].nanofarads(held[fault.part], size)
        return STRAY_NANOFARADS + sum(held.values())

    def between(self, end: str, other: str | None, method: Method) -> float:
        """Volts of an end to ground in diode mode, or ohms between two ends, without any meter."""
        network = self._as_it_stands()
        if other is not None:
            return network.ohms(end, other)
        return network.volts(end, method)

    def _as_it_stands(self) -> WalkedNetwork:
        now = self.isolated, tuple(self.faults)
        if self._network is None or now != self._network[0]:
            self._network = now, WalkedNetwork(self.circuit, walks_of(self.board), self._edit())
        return self._network[1]

    def read(self, point_id: str, method: Method, meter: SimulatedMeter) -> float:
        """What the meter shows, rounded as it shows it: 1 mV, or 10 milliohms up to 100 ohms."""
        if meter.bad_touch and self.generator.random() < meter.bad_touch:
            return STRAY_NANOFARADS if method is Method.CAPACITANCE else float("inf")
        true = self.true_value(point_id, method)
        if method is Method.CAPACITANCE:
            return true if np.isinf(true) else float(f"{true * (1 + self.generator.normal(0.0, 0.01)):.3g}")
        if method.is_diode:
            volts = true * meter.gain + meter.offset_volts * (true > 0.05)
            if volts > meter.compliance_volts:
                return float("inf")
            return round(max(0.0, volts + self.generator.normal(0.0, meter.noise_volts)), 3)
        if true > 2e7:
            return float("inf")
        ohms = true * meter.ohms_gain * (1 + self.generator.normal(0.0, 0.01)) + meter.lead_ohms
        return round(ohms, 2) if ohms < 100 else float(f"{ohms:.4g}")

    def _broken_now(self) -> np.ndarray:
        """Chance that each function is broken by what is still there, (1, functions)."""
        intact = np.ones((1, len(self._breaking.every)))
        for fault, ohms in self.faults:
            intact *= 1.0 - self._chances_broken(fault, ohms)
        return 1.0 - intact

    def _chances_broken(self, fault: Fault, ohms: float) -> np.ndarray:
        """Chance that a fault breaks each function, (functions,), by the nearest of the sizes its kind has."""
        nearest = min((size for size, _ in fault.variants), key=lambda size: abs(np.log((size + 0.01) / (ohms + 0.01))))
        return self._breaking.of(fault, nearest)

    def draw(self, orientation: str, cell_known_good: bool = False) -> SimulatedDraw:
        """What it draws this way up from plugging in on; the same each time until something is repaired."""
        here = tuple(fault.id for fault, _ in self.faults)
        if here not in self._broken_draws:
            # Decided once for a set of faults: a chip is dead or it isn't.
            self._broken_draws[here] = self.generator.random(len(self._breaking.every)) < self._broken_now()[0]
        key = (here, orientation, cell_known_good)
        if key not in self._draws:
            used = used_class(self.board, "")
            outcomes = [o for o in self.board.draw_outcomes if o.supply_class == used]
            column = self.board.function_order
            broken = self._broken_draws[here]
            outcome = next(o for o in outcomes
                           if not o.broken or broken[column[o.broken.replace("{o}", orientation)]])
            healthy = not outcome.broken
            if healthy:
                self.cell_begins = self.cell_begins or self._one_of(outcome.states)
                part = next((s.id for s in states_of(self.board) if s.cell == "part_charged"), self.cell_begins)
                first = part if cell_known_good else self.cell_begins
            else:
                first = self._one_of(outcome.states)
            self._draws[key] = SimulatedDraw(self.board, first, healthy, self.generator)
        return self._draws[key]

    def _one_of(self, chances: Mapping[str, float]) -> str:
        known = {state: chance for state, chance in chances.items() if state != UNKNOWN}
        weights = np.array(list(known.values()))
        return str(self.generator.choice(list(known), p=weights / weights.sum()))

    def supply(self, orientation: str, minute: float = 1.0, cell_known_good: bool = False) -> tuple[float, float, str]:
        """Volts, amps and pattern that an in-line power meter shows this way up."""
        return self.draw(orientation, cell_known_good).level(minute)

    def symptoms(self) -> tuple[str, ...]:
        """What an owner would report, drawn once."""
        broken = self._broken_now()
        return tuple(symptom.id for symptom in self.board.symptoms
                     if self.generator.random() < float(symptom_chance(self.board, broken, symptom.id)[0]))

    def look_over(self, side: Side) -> tuple[PartSeen, ...]:
        """What is seen on one side of the board; the same each time until something is repaired."""
        return self._seen(side, self._shows)

    def look_round(self, side: Side, parts: frozenset[str], under: str = "") -> tuple[PartSeen, ...]:
        """What is seen when a few parts are counted against the list and photo made before the work. under: the part
        that was off the board, and under which the pads were looked at."""
        found = [seen for seen in self._seen(side, self._counted) if seen.part in parts]
        bare = {KINDS[fault.kind].under for fault, _ in self.faults if fault.part == under}
        return (*found, *(PartSeen(under, what) for what, often in sorted(bare)
                          if what and self.generator.random() < often))

    def _seen(self, side: Side, shows: Mapping[str, bool]) -> tuple[PartSeen, ...]:
        found = [seen for where, seen in self._mistaken if where is side]
        for fault, _ in self.faults:
            part = self.board.component_by_designator.get(fault.part)
            if part is not None and part.side is side and shows.get(fault.id):
                found.append(PartSeen(fault.part, shown_as(self.board, fault)[0]))
        return tuple(dict.fromkeys(found))

    def functions_work(self, functions: Sequence[str]) -> bool:
        """Whether all the named functions work now."""
        column = self.board.function_order
        broken = self._broken_now()[0]
        return all(broken[column[name]] < 0.5 for name in functions)

    def isolate(self, change: Isolation) -> None:
        """Take loads off the board, or put them back."""
        self.isolated = with_isolation(self.isolated, change)

    def rail_volts(self, rail: str, orientation: str) -> float:
        """What a rail shows with power at the port."""
        check = next(c for c in self.board.rail_checks if c.id == rail)
        up = self.functions_work([name.replace("{o}", orientation) for name in check.functions])
        net = self.board.net_by_name[self.board.net_of(self.board.point_by_id[check.point].at)]
        nominal = net.nominal_volts or check.least_volts * 1.2
        if self.generator.random() < RAIL_SLIPS:
            up = not up
        return round(float(nominal * self.generator.normal(1.0, 0.01)) if up else
                     float(abs(self.generator.normal(0.0, 0.1)) * nominal * 0.5), 2)

    def inject(self, net: str, volts: float, amps: float, seen_by: str = "camera",
               held_watts: float | None = None) -> str:
        """The part that is seen warming with this put on a rail; empty when none is. held_watts: what volts times amps
        were kept at while the volts went up."""
        joined = nodes_on_rail(self.circuit, isolation_edit(self.circuit, self.isolated), net)
        parts: list[tuple[float, str]] = []
        for fault, ohms in self.faults:
            edit = edit_for(self.board, self.circuit, fault, ohms)
            shorted = {n for a, b, _ in edit.joins(self.circuit) if GROUND in (a, b) for n in (a, b)} - {GROUND}
            if shorted & joined and not taken_along(fault, self.isolated):
                parts.append((max(ohms, 0.02), fault.part))
        board = self.board
        if parts:
            ohms, part = min(parts)
            through = min(amps, volts / ohms)
            watts = min(through * through * ohms, np.inf if held_watts is None else held_watts)
            if self.generator.random() < float(chance_seen(np.array([watts]), seen_by)[0]):
                here = board.component_by_designator[part]
                near = [c.designator for c in board.components if c.side is here.side and c is not here
                        and np.hypot(c.x_mm - here.x_mm, c.y_mm - here.y_mm) < NEAR_MM]
                if near and self.generator.random() > RIGHT_PART:
                    return str(self.generator.choice(near))
                return part
        if self.generator.random() < FALSE_WARMTH:
            return str(self.generator.choice([c.designator for c in board.components]))
        return ""

    def mend(self, part: str, action: str) -> tuple[str, ...]:
        """Take away what this rework mends; returns the ids of the faults that are gone."""
        self.isolated = put_back(self.isolated, part)
        kinds = kinds_mended(self.board, part, action)
        gone = [fault for fault, _ in self.faults if fault.part == part and fault.kind in kinds]
        self.faults = [(fault, ohms) for fault, ohms in self.faults if fault not in gone]
        self._mistaken = [(side, seen) for side, seen in self._mistaken if seen.part != part]
        return tuple(fault.id for fault in gone)
