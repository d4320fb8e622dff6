"""The simulated bench on loopback: SCPI for each of its four instruments, and JSON lines for the hands.

Trouble can be asked for, so that what happens on real benches happens in tests.
"""

from __future__ import annotations

import json
import socketserver
import threading
import time
from collections.abc import Callable
from typing import Any

import numpy as np

from dextrum.instruments.protocols import (
    CONTINUITY,
    DIODE,
    MULTIMETER,
    OHMS,
    PORT_TESTER,
    POWER_METER,
    SUPPLY,
    VOLTS,
)
from dextrum.instruments.simbench.bench import HandRefusedError, SimulatedBench
from dextrum.tongue import tr

LOOPBACK = "127.0.0.1"
HANDS_PORT = "hands"
TROUBLES = ("", "cut", "garbage", "half", "delay", "silent", "unit", "babble", "mode", "range")
FUNCTIONS = {"DIOD": DIODE, "RES": OHMS, "CONT": CONTINUITY, "VOLT:DC": VOLTS}
NAMES = {MULTIMETER: "BM-1", POWER_METER: "PM-1", PORT_TESTER: "PT-1", SUPPLY: "BS-1"}
OVERLOAD = "9.90000000E+37"
DELAY_SECONDS = 1.3


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
                return shown(bench.meter_shows())
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


class BenchServer:
    """Serves a bench until closed. addresses: instrument kind to VISA resource name, and the hands' port."""

    def __init__(self, bench: SimulatedBench) -> None:
        self.bench = bench
        self.mouths = {kind: InstrumentMouth(bench, kind) for kind in NAMES}
        self._servers = {kind: _serve(mouth.answer) for kind, mouth in self.mouths.items()}
        self._servers[HANDS_PORT] = _serve(self._hands)

    def port(self, name: str) -> int:
        return int(self._servers[name].server_address[1])

    @property
    def addresses(self) -> dict[str, str]:
        return {kind: f"TCPIP::{LOOPBACK}::{self.port(kind)}::SOCKET" for kind in NAMES}

    def hand(self, order: dict[str, Any]) -> dict[str, Any]:
        """One order of the hands, or {'do': 'trouble', 'kind', 'trouble', 'answers'}."""
        if order.get("do") == "trouble":
            mouth = self.mouths[str(order["kind"])]
            mouth.answers_left = int(order.get("answers", 1))
            mouth.trouble = str(order.get("trouble", ""))
            return {}
        return self.bench.hand(order)

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
