"""The simulated bench on loopback: SCPI for each of its four instruments, and JSON lines for the hands.

Trouble can be asked for, so that what happens on real benches happens in tests.
"""

from __future__ import annotations

import contextlib
import json
import socketserver
import threading
import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from dextrum.instruments.protocols import (
    CAPACITANCE,
    CONTINUITY,
    DIODE,
    LOOPBACK,
    MULTIMETER,
    OHMS,
    PORT_TESTER,
    POWER_METER,
    SUPPLY,
    VOLTS,
)
from dextrum.instruments.simbench.bench import HandRefusedError, SimulatedBench
from dextrum.tongue import tr

HANDS_PORT = "hands"
TROUBLES = ("", "cut", "garbage", "half", "delay", "silent", "unit", "babble", "mode", "range")
FUNCTIONS = {"DIOD": DIODE, "RES": OHMS, "CONT": CONTINUITY, "VOLT:DC": VOLTS, "CAP": CAPACITANCE}
FARADS = 1e-9
"""Of a nanofarad: SCPI speaks in farads."""
NAMES = {MULTIMETER: "BM-1", POWER_METER: "PM-1", PORT_TESTER: "PT-1", SUPPLY: "BS-1"}
OVERLOAD = "9.90000000E+37"
DELAY_SECONDS = 1.3
HANDS_MOVE_SECONDS = 0.5
"""From one end to the next, where the hands follow what they are asked for."""


class CutError(Exception):
    """The wire is to be cut."""


def shown(value: float, digits: int = 3) -> str:
    return OVERLOAD if value == float("inf") else f"{value:.{digits}f}"


class InstrumentMouth:
    """Answers the commands of one instrument; trouble: one of TROUBLES, for so many answers.

    wait: how a late answer waits, in seconds.
    """

    def __init__(self, bench: SimulatedBench, kind: str, wait: Callable[[float], object] = time.sleep) -> None:
        self.bench = bench
        self.kind = kind
        self.wait = wait
        self.trouble, self.answers_left = "", 0
        self.generator = np.random.default_rng(0)
        self.name = NAMES[kind]

    def answer(self, line: str) -> str | None:
        """What is said to a line; None for nothing. Raises CutError."""
        text = line.strip().upper()
        said = self._said(text)
        if said is None:
            return None
        if not self.trouble or text == "*IDN?":
            return said + "\n"
        trouble = self.trouble
        self.answers_left -= 1
        if self.answers_left <= 0:
            self.trouble = ""
        return self._troubled(trouble, said)

    def _troubled(self, trouble: str, said: str) -> str | None:
        if trouble == "cut":
            raise CutError
        if trouble == "garbage":
            return "".join(chr(int(c)) for c in self.generator.integers(33, 126, 12)) + "\n"
        if trouble == "half":
            return said[:max(1, len(said) // 2)]  # and no end of line
        if trouble == "delay":
            self.wait(DELAY_SECONDS)
        if trouble == "silent":
            return None
        if trouble == "unit":
            return said + " KOHM\n"
        if trouble == "babble":
            return said + "\n" + said + "\n0.123\n"
        if trouble == "mode":
            return '"TEMP"\n'
        if trouble == "range":
            return "8421.5\n"
        return said + "\n"

    def _said(self, text: str) -> str | None:
        bench = self.bench
        if text == "*IDN?":
            return f"SIMBENCH,{self.name},0,1"
        if self.kind == MULTIMETER:
            if text.startswith("CONF:") and text[5:] in FUNCTIONS:
                with bench.lock:
                    bench.quantity = FUNCTIONS[text[5:]]
                return None
            if text == "FUNC?":
                return '"' + next(name for name, q in FUNCTIONS.items() if q == bench.quantity) + '"'
            if text == "READ?":
                value = bench.meter_shows()
                return f"{FARADS * value:.4E}" if bench.quantity == CAPACITANCE and value != float("inf") else shown(
                    value)
        if self.kind == POWER_METER and text == "FETC:ARR?":
            return ";".join(f"{t:.4f},{v:.3f},{a:.3f}" for t, v, a in bench.power_samples()) or "0"
        if self.kind == PORT_TESTER and text == "SCAN?":
            return ",".join(shown(v) for v in bench.scanned())
        if self.kind == SUPPLY:
            return self._supply(text)
        return None

    def _supply(self, text: str) -> str | None:
        bench = self.bench
        word, _, value = text.partition(" ")
        with bench.lock:
            if word == "VOLT" and value:
                bench.supply_volts = float(value)
            elif word == "CURR" and value:
                bench.supply_amps = float(value)
            elif text == "OUTP?":
                return "1" if bench.supply_on else "0"
            elif word == "OUTP":
                bench.supply_on = value == "ON"
            elif text == "CURR?":
                return shown(bench.supply_amps)
            elif text == "SYST:ERR?":
                return "0,\"No error\""
            elif text == "VOLT?":
                return shown(bench.supply_volts)
            elif text in ("MEAS:VOLT?", "MEAS:CURR?"):
                return shown(bench.supply_shows()[text == "MEAS:CURR?"])
        return None


class _Server(socketserver.ThreadingTCPServer):
    allow_reuse_address = True
    daemon_threads = True


def _serve(reply: Callable[[str], str | None]) -> _Server:
    class Handler(socketserver.StreamRequestHandler):
        def handle(self) -> None:
            try:
                for raw in self.rfile:
                    said = reply(raw.decode("ascii", errors="replace"))
                    if said is not None:
                        self.wfile.write(said.encode("ascii"))
            except (CutError, OSError, ValueError):
                return

    server = _Server((LOOPBACK, 0), Handler)
    threading.Thread(target=server.serve_forever, kwargs={"poll_interval": 0.05}, daemon=True).start()
    return server


@dataclass(frozen=True)
class UnitBeside:
    """Another unit that can be laid on the bench: what it is called, in words, and how its bench is made from what was
    kept of it, None at first."""

    name: str
    words: str
    make: Callable[[Mapping[str, Any] | None], SimulatedBench]


CAME_IN = "came_in"
"""The unit that lay on the bench from the start."""


class BenchServer:
    """Serves a bench until closed. addresses: instrument kind to VISA resource name, and the hands' port.

    beside: other units that the hands can lay on it, each as it was left; kept: what a state file says of them.
    """

    def __init__(self, bench: SimulatedBench, beside: Sequence[UnitBeside] = (),
                 kept: Mapping[str, Any] | None = None) -> None:
        self.bench = bench
        self.beside = tuple(beside)
        self.lying = CAME_IN
        self._laid: dict[str, SimulatedBench] = {CAME_IN: bench}
        found = kept.get("beside") if kept else None
        self._kept: dict[str, Any] = dict(found) if isinstance(found, Mapping) else {}
        self.follows = False
        """Whether the tips go where the program asks for them, as if somebody's hands put them there."""
        self._laying = threading.Lock()
        self._moving = threading.Timer(HANDS_MOVE_SECONDS, lambda: None)
        self.mouths = {kind: InstrumentMouth(bench, kind) for kind in NAMES}
        self._servers = {kind: _serve(mouth.answer) for kind, mouth in self.mouths.items()}
        self._servers[HANDS_PORT] = _serve(self._hands)

    def port(self, name: str) -> int:
        return int(self._servers[name].server_address[1])

    @property
    def addresses(self) -> dict[str, str]:
        return {kind: f"TCPIP::{LOOPBACK}::{self.port(kind)}::SOCKET" for kind in NAMES}

    def hand(self, order: dict[str, Any]) -> dict[str, Any]:
        """One order of the hands, or one of SERVED_HANDS, such as {'do': 'trouble', 'kind', 'trouble', 'answers'}."""
        own = SERVED_HANDS.get(str(order.get("do")))
        return own(self, order) if own is not None else self.bench.hand(order)

    def _troubled(self, order: dict[str, Any]) -> dict[str, Any]:
        mouth = self.mouths[str(order["kind"])]
        mouth.answers_left = int(order.get("answers", 1))
        mouth.trouble = str(order.get("trouble", ""))
        return {}

    def _follow(self, order: dict[str, Any]) -> dict[str, Any]:
        self.follows = bool(order.get("on"))
        return {"follows": self.follows}

    def lay(self, name: str) -> dict[str, Any]:
        """Put the unit on the bench away and lay another there. Raises HandRefusedError while power is on, and for a
        unit that isn't here."""
        with self._laying:  # by one hand at a time: orders come over several wires
            bench = self._fetched(name)
            if bench is not self.bench:
                bench.laid_after(self.bench)
                self._moving.cancel()
                self.bench, self.lying = bench, name
                for mouth in self.mouths.values():
                    mouth.bench = bench
        return {"model": bench.board.model, "unit": name}

    def fetch(self, name: str) -> None:
        """Make a unit that was never laid here ready to be laid: that takes a second. Raises HandRefusedError."""
        with self._laying:
            self._fetched(name)

    def _fetched(self, name: str) -> SimulatedBench:
        if name not in self._laid:
            unit = next((one for one in self.beside if one.name == name), None)
            if unit is None:
                raise HandRefusedError(tr("There is no unit {name} beside this bench.", name=name))
            self._laid[name] = unit.make(self._kept.get(name))
        return self._laid[name]

    def _asked(self, order: dict[str, Any]) -> dict[str, Any]:
        """The program asks for a touch: hands that follow lift, and set the tips down there a moment later. They do the
        last thing that was asked for: what a question before it wanted would be heard as the answer to this one."""
        self._moving.cancel()
        if not self.follows:
            return {"follows": False}
        bench, touch = self.bench, {**order, "do": "probe"}
        bench.hand({"do": "lift"})

        def set_down() -> None:
            with contextlib.suppress(HandRefusedError):
                bench.hand(touch)

        self._moving = threading.Timer(HANDS_MOVE_SECONDS, set_down)
        self._moving.daemon = True
        self._moving.start()
        return {"follows": True}

    def kept(self) -> dict[str, Any]:
        """What a state file keeps: the unit that came in, and those beside that were laid on it."""
        beside = {**self._kept, **{name: bench.kept() for name, bench in tuple(self._laid.items()) if name != CAME_IN}}
        return {**self._laid[CAME_IN].kept(), **({"beside": beside, "lying": self.lying} if self.beside else {})}

    def _hands(self, line: str) -> str:
        try:
            order = json.loads(line)
            if not isinstance(order, dict):
                raise HandRefusedError(tr("An order is an object."))
            return json.dumps({"ok": True, **self.hand(order)}) + "\n"
        except (HandRefusedError, KeyError, ValueError, TypeError) as problem:
            return json.dumps({"ok": False, "why": str(problem)}) + "\n"

    def close(self) -> None:
        for server in self._servers.values():
            server.shutdown()
            server.server_close()


SERVED_HANDS: dict[str, Callable[[BenchServer, dict[str, Any]], dict[str, Any]]] = {
    "trouble": BenchServer._troubled, "lay": lambda server, order: server.lay(str(order.get("unit"))),
    "follow": BenchServer._follow, "asked": BenchServer._asked}
"""Orders that are of all that lies at the bench, and not of the one unit on it."""
