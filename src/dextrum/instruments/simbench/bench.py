"""The simulated bench: a unit with hidden faults, where the probes are, what is plugged in, and what was done to it.

Time is handed in and can run faster than the clock on the wall: a cell charges while one waits.
"""

from __future__ import annotations

import base64
import threading
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from dextrum.core.assumptions.trials import MOVES_WITH_PLUG
from dextrum.core.board import Board, ComponentKind, FaultKind, Method, Side
from dextrum.core.circuit.solve import resistance_ohms
from dextrum.core.entries.injection import WAYS_TO_SEE
from dextrum.core.reference.tester import facing_points
from dextrum.core.trail import Isolation, Look
from dextrum.instruments.decided_unit import DecidedUnit
from dextrum.instruments.protocols import CAPACITANCE, CONTINUITY, DIODE, OHMS, VOLTS, quantity_of
from dextrum.instruments.simbench.ends import end_named, end_told
from dextrum.instruments.simulated_board import SimulatedMeter
from dextrum.instruments.simulated_draw import SimulatedDraw
from dextrum.instruments.simulated_touch import SimulatedTouch, TouchHabits
from dextrum.tongue import tr

METHODS = {DIODE: Method.DIODE_RED_GROUND, OHMS: Method.RESISTANCE, CONTINUITY: Method.CONTINUITY,
           CAPACITANCE: Method.CAPACITANCE}
WARM_CELSIUS, ROOM_CELSIUS, COOLS_SECONDS = 55.0, 23.0, 240.0
VOLTS_PER_CELSIUS = -0.002
NO_CELL = (5.05, 0.0)
"""What a unit without its cell takes from a supply."""
MOST_SAMPLES = 20_000
OHMS_NOISE = 0.005
MOST_OHMS = 2e7
"""Beyond it the multimeter shows OL."""
POWER_ON = tr("Power is on: unplug the supply first.")
CELL_IN = tr("The cell is in: unplug it before the probes touch anything.")
BARE = tr("bare board")
DIODE_TEST_AMPS = 1e-3
"""What a multimeter drives through what it is put on in diode mode: a milliampere, as most do."""
BENCH_METER = SimulatedMeter("BM-1", gain=1.001, offset_volts=0.001, lead_ohms=0.02, bad_touch=0.02)
"""A good meter as they are: a little off, and now and then the touch is bad."""


class HandRefusedError(Exception):
    """What the hands were told can't be done on this bench; said in words."""


@dataclass
class BenchHistory:
    """What was done, for the grading at the end. replaced: parts in their order."""

    touches: int = 0
    plugged: int = 0
    replaced: list[str] = field(default_factory=list)
    isolated: list[str] = field(default_factory=list)
    proofs: int = 0
    seconds: float = 0.0


class SimulatedBench:
    """Every call holds the lock: four instruments and the hands ask at once. clock: seconds."""

    def __init__(self, board: Board, unit: DecidedUnit, look: Look, symptoms: Sequence[str], seed: int = 0,
                 meter: SimulatedMeter = BENCH_METER, rate: float = 10.0,
                 clock: Callable[[], float] = time.monotonic) -> None:
        self.board, self.unit, self.look, self.symptoms = board, unit, look, tuple(symptoms)
        self.meter = meter
        self.seed = seed
        self.rate = rate
        self.microscope: Callable[[SimulatedBench, str], bytes] | None = None
        """Draws the unit as a JPEG; put there by what knows how units look."""
        self.lock = threading.RLock()
        self.history = BenchHistory()
        self._hidden = list(unit.faults)
        self._generator = np.random.default_rng((seed, 77))
        self._clock = clock
        self._wall, self._bench, self.speed = clock(), 0.0, 1.0
        self._began = clock()
        self.probe: tuple[str, str] | None = None
        self._pair: tuple[str, str] | None = None
        """What the tips are on, where neither is on ground; empty for bare board."""
        self._touch: SimulatedTouch | None = None
        self.quantity = DIODE
        self.orientation = ""
        self.position = "resting"
        self._plugged_at = 0.0
        self._told_until = 0.0
        self.cell = "plugged"
        self.fan = True
        self.turned = False
        self._charged = 0.0
        receptacles = {p.component for p in board.ports}
        self._closed_by_pushing = {
            fault.id for fault, _ in unit.faults if fault.part in receptacles
            and fault.kind in (FaultKind.OPEN_CONTACT, FaultKind.LIFTED_JOINT)
            and self._generator.random() < MOVES_WITH_PLUG}
        self._warm_since: float | None = None
        self.supply_volts, self.supply_amps, self.supply_on = 0.0, 0.1, False

    def now(self) -> float:
        """Seconds on the bench."""
        wall = self._clock()
        self._bench += (wall - self._wall) * self.speed
        self._wall = wall
        return self._bench

    # What the instruments show

    def meter_shows(self) -> float:
        """What the multimeter shows now, inf for OL."""
        with self.lock:
            now = self._clock()
            if self.quantity == VOLTS:
                return self._rail()
            if self.probe is not None and self._pair is not None and self.probe[1] != self.quantity:
                self._begin_pair(self._pair)  # the tips stay where they are while the dial is turned
            if self._touch is None or self.probe is None or self.probe[1] != self.quantity:
                return float("inf")
            shown = self._touch.shown(now)
            if self.quantity == DIODE:
                return shown if shown <= self.meter.compliance_volts else float("inf")
            return shown

    def _rail(self) -> float:
        if self.probe is None or not self.orientation:
            return round(float(abs(self._generator.normal(0.0, 0.002))), 3)
        rails = [r.id for r in self.board.rail_checks if r.point == self.probe[0]]
        return self.unit.rail_volts(rails[0], self.orientation) if rails else 0.0

    def power_samples(self) -> list[tuple[float, float, float]]:
        """Since the last call, at the meter's rate, from plugging in on: seconds, volts, amps."""
        with self.lock:
            now = self.now()
            if not self.orientation:
                return []
            first = int(np.ceil((self._told_until - self._plugged_at) * self.rate - 1e-9))
            last = int((now - self._plugged_at) * self.rate)
            self._told_until = self._plugged_at + (last + 1) / self.rate
            first = max(first, last - MOST_SAMPLES + 1)
            if self.cell == "unplugged":
                return [(round(k / self.rate, 4), *NO_CELL) for k in range(first, last + 1)]
            draw = self._draw()
            return [(round(k / self.rate, 4), *draw.instant(self._charged + k / self.rate))
                    for k in range(first, last + 1)]

    def _draw(self) -> SimulatedDraw:
        """What it draws as it is plugged: pushing the plug closes a contact that is loose."""
        faults = self.unit.faults
        if self.position == "pushed_in":
            self.unit.faults = [(fault, ohms) for fault, ohms in faults if fault.id not in self._closed_by_pushing]
        try:
            return self.unit.draw(self.orientation, self.cell == "known_good")
        finally:
            self.unit.faults = faults

    def scanned(self) -> list[float]:
        """What the port tester shows at each of its pads, A1 to A12 and B1 to B12."""
        with self.lock:
            facing = facing_points(self.board)
            found = []
            for port in self.board.ports[:1]:
                for row in "AB":
                    for place in range(1, 13):
                        at = f"{port.component}.{row}{place}"
                        point = next((p.id for p in self.board.points if p.at == at and p.to is None), "")
                        point = facing.get(point, point) if self.turned else point
                        found.append(self._settled(point, DIODE) if point else float("inf"))
            self.history.touches += 1
            return [v if v == float("inf") else round(v + float(self._generator.normal(0.0, self.meter.noise_volts)), 3)
                    for v in found]

    def supply_shows(self) -> tuple[float, float]:
        """Volts and amps at the bench supply, put on where the probe is."""
        with self.lock:
            at = end_named(self.board, self.probe[0]) if self.probe is not None else ""
            if not self.supply_on or not at:
                return (self.supply_volts if self.supply_on else 0.0), 0.0
            ground = next((a for a, node in self.unit.circuit.address_node.items() if node == -1), "")
            ohms = resistance_ohms(self.unit.circuit, at, ground, self.unit._edit()) if ground else float("inf")
            amps = min(self.supply_amps, self.supply_volts / max(ohms, 0.02))
            return (min(self.supply_volts, amps * ohms) if np.isfinite(ohms) else self.supply_volts), amps

    def _settled(self, point: str, quantity: str) -> float:
        """What the meter shows at a point once it has settled, before noise."""
        true = self.unit.true_value(point, METHODS[quantity])
        if quantity == DIODE:
            return self._shown_volts(true)
        if quantity == CAPACITANCE:
            return true
        return float("inf") if true > MOST_OHMS else true * self.meter.ohms_gain + self.meter.lead_ohms

    def _shown_volts(self, true: float) -> float:
        """A junction's volts as this meter shows them on a board this warm; inf for OL."""
        volts = true * self.meter.gain + self.meter.offset_volts * (true > 0.05)
        if true > 0.05:
            volts += VOLTS_PER_CELSIUS * (self.celsius() - 25.0)
        return float("inf") if volts > self.meter.compliance_volts else max(volts, 0.0)

    def celsius(self) -> float:
        """Of the board: warm after rework, and cooling."""
        if self._warm_since is None:
            return 25.0
        left = float(np.exp(-(self.now() - self._warm_since) / COOLS_SECONDS))
        return 25.0 + (WARM_CELSIUS - ROOM_CELSIUS) * left

    # What the hands do

    def hand(self, order: dict[str, Any]) -> dict[str, Any]:
        """Carry out one order, such as {'do': 'probe', 'point': 'J1.A4'}. Raises HandRefusedError."""
        with self.lock:
            does = HANDS.get(str(order.get("do")))
            if does is None:
                raise HandRefusedError(tr("'{get}' is nothing the hands can do.", get=order.get("do")))
            return does(self, order) or {}

    def _begin_pair(self, pair: tuple[str, str]) -> None:
        """Both tips on two ends: ohms between them, in diode mode the volts that a milliampere makes of those."""
        quantity = self.quantity
        self._pair = pair
        self.probe = (tr("{one} and {other}", one=pair[0] or BARE, other=pair[1] or BARE), quantity)
        slip = self.meter.bad_touch and self._generator.random() < self.meter.bad_touch
        if slip or not all(pair):
            value = float("inf")
        else:
            ohms = self.unit.between(*pair, Method.RESISTANCE)
            value = ohms * self.meter.ohms_gain + self.meter.lead_ohms if ohms <= MOST_OHMS else float("inf")
            if quantity == DIODE:
                volts = ohms * DIODE_TEST_AMPS
                value = volts if volts <= self.meter.compliance_volts else float("inf")
        self._touch = SimulatedTouch(value, self._clock(), self._generator, TouchHabits(
            noise=self.meter.noise_volts if quantity == DIODE else OHMS_NOISE), quantity != DIODE)

    def _probe(self, order: dict[str, Any]) -> dict[str, Any]:
        """One tip on a point and the other on ground, or the two on two ends ('to'); by name, or by place ('at')."""
        if "at" in order or "to" in order:
            return self._probe_ends(order)
        point = self.board.point_by_id.get(str(order.get("point")))
        if point is None:
            raise HandRefusedError(tr("There is no point {get}.", get=order.get("point")))
        alone = self.quantity if self.quantity not in (OHMS, CAPACITANCE) else DIODE
        quantity = alone if point.to is None else quantity_of(point.default_method)
        if self.cell != "unplugged" and quantity != VOLTS:
            raise HandRefusedError(CELL_IN)
        self.probe, self._pair = (point.id, quantity), None
        self.history.touches += 1
        if quantity == VOLTS:
            self._touch = None
            return {}
        slip = self.meter.bad_touch and self._generator.random() < self.meter.bad_touch
        missed = 0.0 if quantity == CAPACITANCE else float("inf")
        value = missed if slip else self._settled(point.id, quantity)
        self._touch = SimulatedTouch(value, self._clock(), self._generator, TouchHabits(noise=self.meter.noise_volts)
                                     if quantity == DIODE else TouchHabits(noise=OHMS_NOISE), quantity != DIODE)
        return {}

    def _probe_ends(self, order: dict[str, Any]) -> dict[str, Any]:
        """Where the tips came to lie: 'on' and 'to' are ends of the board, empty for bare board."""
        if self.cell != "unplugged":
            raise HandRefusedError(CELL_IN)
        try:
            one = end_told(self.board, order.get("at", order.get("point")))
            other = end_told(self.board, order["to"]) if order.get("to") else ""
        except (ValueError, TypeError) as problem:
            raise HandRefusedError(tr("A tip goes to an end by its name, or to a place such as ['top', 12.5, 8].")) \
                from problem
        named = [told for told in (order.get("point"), order.get("to")) if isinstance(told, str)]
        lost = next((told for told in named if not end_told(self.board, told)), "")
        if lost:
            raise HandRefusedError(tr("There is no point {get}.", get=lost))
        if order.get("to"):
            self.history.touches += 1
            self._begin_pair((one, other))
            return {"on": one, "to": other}
        if not one:
            self._lift({})
            self.history.touches += 1
            return {"on": ""}
        self.history.touches += 1
        self.probe, self._pair = (one, DIODE), None
        slip = self.meter.bad_touch and self._generator.random() < self.meter.bad_touch
        value = float("inf") if slip else self._shown_volts(self.unit.between(one, None, METHODS[DIODE]))
        self._touch = SimulatedTouch(value, self._clock(), self._generator, TouchHabits(noise=self.meter.noise_volts))
        return {"on": one}

    def _lift(self, _order: dict[str, Any]) -> None:
        self.probe = self._touch = self._pair = None

    def _plug(self, order: dict[str, Any]) -> None:
        lifted = sorted(a for a in self.unit.isolated if self.board.component_by_designator[
            a.partition(".")[0]].kind is not ComponentKind.CONNECTOR)
        if lifted:
            raise HandRefusedError(tr("{lifted} is off the board: no power.", lifted=", ".join(lifted)))
        self._unplug(order)
        way = str(order.get("way", "a"))
        if way not in ("a", "b"):
            raise HandRefusedError(tr("'{way}' is no way up; a or b.", way=way))
        self.orientation = way
        self.position = str(order.get("position", "resting"))
        self._plugged_at = self._told_until = self.now()
        self.history.plugged += 1

    def _unplug(self, _order: dict[str, Any]) -> None:
        if self.orientation and self.cell != "unplugged":
            self._charged += self.now() - self._plugged_at  # the cell keeps what it took in
        self.orientation = ""

    def _cell(self, order: dict[str, Any]) -> None:
        cell = str(order.get("cell"))
        if cell not in ("unplugged", "plugged", "known_good"):
            raise HandRefusedError(tr("'{cell}' is no cell; unplugged, plugged or known_good.", cell=cell))
        if self.orientation:
            raise HandRefusedError(POWER_ON)
        self.cell = cell

    def _part(self, order: dict[str, Any]) -> str:
        part = str(order.get("part"))
        if part.partition(".")[0] not in self.board.component_by_designator and not part.startswith("trace"):
            raise HandRefusedError(tr("There is no part {part}.", part=part))
        if self.orientation:
            raise HandRefusedError(POWER_ON)
        return part

    def _off(self, order: dict[str, Any]) -> None:
        part = self._part(order)
        self.unit.isolate(Isolation((part,)))
        self.history.isolated.append(part)
        self._warm_since = self.now()

    def _on(self, order: dict[str, Any]) -> None:
        self.unit.isolate(Isolation((self._part(order),), "back"))
        self._warm_since = self.now()

    def _repair(self, order: dict[str, Any]) -> None:
        part, action = self._part(order), str(order.get("action", "replace"))
        self.unit.mend(part, action)
        if part in self.unit.isolated:
            self.unit.isolate(Isolation((part,), "back"))
        self.history.replaced.append(part if action == "replace" else f"{part} ({action})")
        self._warm_since = self.now()

    def _fan(self, order: dict[str, Any]) -> None:
        self.fan = bool(order.get("in", not self.fan))
        parts = tuple(c.designator for c in self.board.components
                      if c.kind is ComponentKind.CONNECTOR and "fan" in c.purpose)
        if parts:
            self.unit.isolate(Isolation(parts, "back" if self.fan else "off"))

    def _turn(self, _order: dict[str, Any]) -> dict[str, Any]:
        self.turned = not self.turned
        return {"turned": self.turned}

    def _speed(self, order: dict[str, Any]) -> None:
        speed = float(order.get("times", 1.0))
        if not 0.1 <= speed <= 10_000:
            raise HandRefusedError(tr("Time runs 0.1 to 10,000 times as fast."))
        self.now()
        self.speed = speed

    def _wait(self, order: dict[str, Any]) -> None:
        self._bench += 60.0 * min(max(float(order.get("minutes", 0.0)), 0.0), 24 * 60.0)

    def _looked(self, _order: dict[str, Any]) -> dict[str, Any]:
        return {"findings": list(self.look.findings), "contacts": list(self.look.contacts)}

    def _looked_over(self, order: dict[str, Any]) -> dict[str, Any]:
        side = Side.BOTTOM if order.get("side") == "bottom" else Side.TOP
        return {"side": side.value, "seen": [f"{s.part} {s.what}" for s in self.unit.look_over(side)]}

    def _photographed(self, order: dict[str, Any]) -> dict[str, Any]:
        if self.microscope is None:
            raise HandRefusedError(tr("There is no microscope on this bench."))
        return {"jpeg": base64.b64encode(self.microscope(self, str(order.get("of", "")))).decode("ascii")}

    def _told(self, _order: dict[str, Any]) -> dict[str, Any]:
        return {"symptoms": list(self.symptoms)}

    def _try(self, order: dict[str, Any]) -> dict[str, Any]:
        check = next((c for c in self.board.checks if c.id == order.get("check")), None)
        if check is None:
            raise HandRefusedError(tr("There is no check {get}.", get=order.get("check")))
        self.history.proofs += 1
        return {"passed": self.unit.functions_work(check.functions)}

    def _warm(self, order: dict[str, Any]) -> dict[str, Any]:
        by = str(order.get("by"))
        held = order.get("watts")
        return {"warms": self.unit.inject(str(order["net"]), float(order["volts"]), float(order["amps"]),
                                          by if by in WAYS_TO_SEE else "camera", None if held is None else float(held))}

    def _state(self, _order: dict[str, Any]) -> dict[str, Any]:
        return {"probe": self.probe[0] if self.probe else "", "way": self.orientation, "position": self.position,
                "cell": self.cell, "off": sorted(self.unit.isolated), "turned": self.turned, "fan": self.fan,
                "celsius": round(self.celsius(), 1), "speed": self.speed, "shows": self.quantity}

    def _reveal(self, _order: dict[str, Any]) -> dict[str, Any]:
        self.history.seconds = self._clock() - self._began
        hidden = {fault.id for fault, _ in self._hidden}
        left = {fault.id for fault, _ in self.unit.faults}
        faulty = {fault.part for fault, _ in self._hidden}
        return {"wrong": sorted(hidden), "left": sorted(left), "replaced": list(self.history.replaced),
                "good_replaced": [p for p in self.history.replaced if p.partition(" (")[0] not in faulty],
                "touches": self.history.touches, "plugged": self.history.plugged, "proofs": self.history.proofs,
                "minutes": round(self.history.seconds / 60.0, 1)}

    def laid_after(self, other: SimulatedBench) -> None:
        """This board comes to lie where another lay: the instruments stay as they are set. Raises HandRefusedError
        while that one is plugged in."""
        with other.lock, self.lock:
            if other.orientation:
                raise HandRefusedError(POWER_ON)
            other._lift({})
            self.quantity, self.rate, self.turned = other.quantity, other.rate, other.turned
            self.supply_volts, self.supply_amps, self.supply_on = (
                other.supply_volts, other.supply_amps, other.supply_on)

    def kept(self) -> dict[str, Any]:
        """What a state file keeps: hidden faults with what is left of them, and what was done."""
        with self.lock:
            return {"pack": self.board.pack_id, "hidden": [[f.id, ohms] for f, ohms in self._hidden],
                    "left": [[f.id, ohms] for f, ohms in self.unit.faults], "cell": self.cell, "turned": self.turned,
                    "off": sorted(self.unit.isolated), "replaced": list(self.history.replaced),
                    "touches": self.history.touches, "plugged": self.history.plugged}


HANDS: dict[str, Callable[[SimulatedBench, dict[str, Any]], dict[str, Any] | None]] = {
    "probe": SimulatedBench._probe, "lift": SimulatedBench._lift, "plug": SimulatedBench._plug,
    "unplug": SimulatedBench._unplug, "cell": SimulatedBench._cell, "off": SimulatedBench._off,
    "on": SimulatedBench._on, "repair": SimulatedBench._repair, "fan": SimulatedBench._fan,
    "turn": SimulatedBench._turn, "speed": SimulatedBench._speed, "wait": SimulatedBench._wait,
    "photo": SimulatedBench._photographed,
    "look": SimulatedBench._looked, "look_board": SimulatedBench._looked_over, "owner": SimulatedBench._told,
    "try": SimulatedBench._try,
    "warm": SimulatedBench._warm, "state": SimulatedBench._state, "reveal": SimulatedBench._reveal,
}
