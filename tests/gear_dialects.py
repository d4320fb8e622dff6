"""Power meters, supplies and port testers as they are met, for tests: a table of manners written from SCPI-99, IEEE
488.2 and what cheap loggers print, and a wire to each. Nothing here is shared with what understands them."""

from __future__ import annotations

import socketserver
import threading
from collections.abc import Callable
from dataclasses import dataclass, field
from itertools import count

from dextrum.errors import InstrumentError

Row = Callable[[int, float, float, float, float], str]
"""Number, seconds, volts, amps, mAh so far."""


@dataclass(frozen=True)
class PowerDialect:
    """description: the shipped one it should be used with. asks: answers by question; else row is sent unasked. clock:
    whether its rows say when they were taken, and step: seconds between them."""

    name: str
    description: str
    row: Row
    asks: bool = False
    clock: bool = True
    step: float = 0.1


def _seconds(n: int, t: float, v: float, a: float, q: float) -> str:
    return f"{t:.3f},{v:.3f},{a:.4f}"


POWER: tuple[PowerDialect, ...] = (
    PowerDialect("rows when asked", "power-fetch-rows", _seconds, True),
    PowerDialect("rows in exponents", "power-fetch-rows", lambda n, t, v, a, q: f"{t:.4E},{v:.4E},{a:.4E}", True),
    PowerDialect("volts and amps apart", "power-two-queries", lambda n, t, v, a, q: f"{v:.4f}|{a:.4f}", True, False),
    PowerDialect("apart, with units", "power-two-queries", lambda n, t, v, a, q: f"{v:.4f} V|{a * 1000:.1f} mA", True,
                 False),
    PowerDialect("apart, in exponents", "power-two-queries", lambda n, t, v, a, q: f"{v:+.5E}|{a:+.5E}", True, False),
    PowerDialect("both at once", "power-one-query", lambda n, t, v, a, q: f"{v:.4f},{a:.4f}", True, False),
    PowerDialect("both at once, spaced", "power-one-query", lambda n, t, v, a, q: f"{v:.4f} V, {a:.4f} A", True, False),
    PowerDialect("seconds, commas", "power-lines-time", _seconds),
    PowerDialect("seconds, semicolons", "power-lines-time", lambda n, t, v, a, q: f"{t:.2f};{v:.3f};{a:.3f}"),
    PowerDialect("seconds, tabs", "power-lines-time", lambda n, t, v, a, q: f"{t:.2f}\t{v:.3f}\t{a:.3f}"),
    PowerDialect("seconds, units", "power-lines-time", lambda n, t, v, a, q: f"{t:.2f}, {v:.3f}V, {a:.3f}A"),
    PowerDialect("seconds, mAh", "power-lines-time", lambda n, t, v, a, q: f"{t:.2f},{v:.3f},{a:.3f},{q:.1f}mAh"),
    PowerDialect("milliseconds", "power-lines-milliseconds",
                 lambda n, t, v, a, q: f"{t * 1000:.0f},{v * 1000:.0f},{a * 1000:.1f}"),
    PowerDialect("milliseconds, mAh", "power-lines-milliseconds",
                 lambda n, t, v, a, q: f"{t * 1000:.0f} {v * 1000:.0f} {a * 1000:.1f} {q:.2f}"),
    PowerDialect("volts, amps", "power-lines", lambda n, t, v, a, q: f"{v:.3f}V {a:.3f}A", clock=False),
    PowerDialect("named", "power-lines", lambda n, t, v, a, q: f"V={v:.3f} I={a:.3f}", clock=False),
    PowerDialect("named, with watts", "power-lines",
                 lambda n, t, v, a, q: f"U: {v:.3f}V, I: {a * 1000:.0f}mA, {v * a:.3f}W".replace("U:", "V:"),
                 clock=False),
    PowerDialect("volts, amps, mAh, mWh", "power-lines",
                 lambda n, t, v, a, q: f"{v:.3f} {a:.3f} {q:.0f}mAh {q * v:.0f}mWh", clock=False),
    PowerDialect("numbered", "power-lines-numbered", lambda n, t, v, a, q: f"{n},{v:.3f},{a:.3f}", step=1.0),
    PowerDialect("numbered, mAh", "power-lines-numbered", lambda n, t, v, a, q: f"{n};{v:.3f};{a:.3f};{q:.0f}",
                 step=1.0),
)


class PowerWire:
    """Rows of a unit that draws 0.4 A, then 1.2 A; each row once. taken: what was told, as (seconds, volts, amps).
    trouble: what becomes of what is said, None for silence."""

    def __init__(self, dialect: PowerDialect, rows: int = 40,
                 trouble: Callable[[str], str | None] = lambda said: said) -> None:
        self.dialect, self.trouble, self.rows = dialect, trouble, rows
        self.taken: list[tuple[float, float, float]] = []
        self._number = count()
        self._charge = 0.0
        self._answers: list[str] = []
        self._second = ""

    def _next(self) -> str | None:
        n = next(self._number)
        if n >= self.rows:
            return None
        seconds, amps = n * self.dialect.step, 0.4 if n < self.rows // 2 else 1.2
        volts = 5.1 - 0.05 * amps
        if n:
            self._charge += (amps + self.taken[-1][2]) / 2.0 * self.dialect.step / 3.6
        self.taken.append((seconds, volts, amps))
        return self.dialect.row(n, seconds, volts, amps, self._charge)

    def write(self, text: str) -> None:
        said: str | None
        if text == "*IDN?":
            self._answers.append("MAKER,METER 7,SN9,1.0")
            return
        if text in ("FETC:ARR?", "READ?"):
            said = self._next() or ("0" if text == "FETC:ARR?" else None)
        elif text == "MEAS:VOLT?":
            row = self._next()
            said, _, self._second = row.partition("|") if row is not None else (None, "", "")
        elif text == "MEAS:CURR?":
            said, self._second = self._second or None, ""
        else:
            return
        if said is not None and (told := self.trouble(said)) is not None:
            self._answers.append(told)

    def read_line(self) -> str:
        if self._answers:
            return self._answers.pop(0)
        if self.dialect.asks:
            raise InstrumentError("silent", "nothing")
        row = self._next()
        told = self.trouble(row) if row is not None else None
        if row is None or told is None:
            raise InstrumentError("silent" if row is not None else "gone", "nothing")
        return told

    def close(self) -> None:
        self._answers.clear()


@dataclass(frozen=True)
class SupplyDialect:
    """sets: command to (channel or nothing, quantity); asks: question to the same, or 'out' for the state. shown: how a
    value is said. coarse: it rounds what it is told to a tenth."""

    name: str
    description: str
    channels: tuple[str, ...] = ("",)
    numbered: bool = False
    shown: Callable[[float], str] = field(default=lambda value: f"{value:.3f}")
    queue: bool = True
    greeting: str = "MAKER,SUPPLY 3,SN7,1.0"
    identity_of: Callable[[str], str] = field(default=lambda channel: channel)


SUPPLIES: tuple[SupplyDialect, ...] = (
    SupplyDialect("plain", "supply-scpi"),
    SupplyDialect("in exponents", "supply-scpi", shown=lambda value: f"{value:+.4E}"),
    SupplyDialect("with blanks", "supply-scpi", shown=lambda value: f" {value:.2f} "),
    SupplyDialect("two channels", "supply-channels", ("CH1", "CH2")),
    SupplyDialect("two channels, quoted", "supply-channels", ("CH1", "CH2"),
                  identity_of=lambda channel: f'"{channel}"'),
    SupplyDialect("numbered", "supply-numbered", ("1", "2"), True, lambda value: f"{value:05.2f}", False,
                  "SUPPLY 30V5A V2.0 SN:0012"),
)


class SupplyWire:
    """A supply with limits of its own for every channel; `on` counts commands that would switch it on."""

    def __init__(self, dialect: SupplyDialect, refuses: bool = False, rounds: float = 0.0) -> None:
        self.dialect, self.refuses, self.rounds = dialect, refuses, rounds
        self.at = dialect.channels[0]
        self.limits = {(channel, what): 0.0 for channel in dialect.channels for what in ("VOLT", "CURR")}
        self.queue: list[str] = []
        self.on: list[str] = []
        self._answers: list[str] = []

    def write(self, text: str) -> None:
        if "OUT" in text and not text.endswith("?"):
            self.on.append(text)
        said = self._numbered(text) if self.dialect.numbered else self._scpi(text)
        if said is not None:
            self._answers.append(said)

    def _take(self, channel: str, what: str, value: float) -> None:
        if self.refuses:
            self.queue.append('-222,"Data out of range"')
            return
        self.limits[channel, what] = round(value / self.rounds) * self.rounds if self.rounds else value

    def _scpi(self, text: str) -> str | None:
        word, _, told = text.partition(" ")
        if text == "*IDN?":
            return self.dialect.greeting
        if text == "SYST:ERR?":
            return self.queue.pop(0) if self.queue else '+0,"No error"'
        if text == "OUTP?":
            return "0"
        if text == "INST?" and len(self.dialect.channels) > 1:
            return self.dialect.identity_of(self.at)
        if word == "INST" and told in self.dialect.channels:
            self.at = told
        elif word in ("VOLT", "CURR") and told:
            self._take(self.at, word, float(told))
        elif word in ("VOLT?", "CURR?"):
            return self.dialect.shown(self.limits[self.at, word[:4]])
        elif text in ("MEAS:VOLT?", "MEAS:CURR?"):
            return self.dialect.shown(0.0)
        elif text.endswith("?"):
            self.queue.append('-113,"Undefined header"')
        return None

    def _numbered(self, text: str) -> str | None:
        if text == "*IDN?":
            return self.dialect.greeting
        head, channel, rest = text[:4], text[4:5], text[5:]
        what = {"VSET": "VOLT", "ISET": "CURR"}.get(head)
        if what is not None and rest.startswith(":"):
            self._take(channel, what, float(rest[1:]))
        elif what is not None and rest == "?":
            return self.dialect.shown(self.limits[channel, what])
        elif head in ("VOUT", "IOUT") and rest == "?":
            return self.dialect.shown(0.0)
        return None

    def read_line(self) -> str:
        if not self._answers:
            raise InstrumentError("silent", "nothing")
        return self._answers.pop(0)

    def close(self) -> None:
        self._answers.clear()


class LoadWire(SupplyWire):
    """An electronic load: it has limits and measures as a supply does, and says of itself what only a load has."""

    def _scpi(self, text: str) -> str | None:
        return "1" if text == "INP?" else super()._scpi(text)


class ServedWire:
    """A wire on a socket of this machine; address is its VISA resource name."""

    def __init__(self, wire: PowerWire | SupplyWire) -> None:
        class Talk(socketserver.StreamRequestHandler):
            def handle(self) -> None:
                for line in self.rfile:
                    wire.write(line.decode("ascii").strip())
                    while wire._answers:
                        self.wfile.write(f"{wire._answers.pop(0)}\n".encode("ascii"))

        socketserver.ThreadingTCPServer.daemon_threads = True
        self._server = socketserver.ThreadingTCPServer(("127.0.0.1", 0), Talk)
        self.address = f"TCPIP::127.0.0.1::{self._server.server_address[1]}::SOCKET"
        threading.Thread(target=self._server.serve_forever, daemon=True).start()

    def close(self) -> None:
        self._server.shutdown()
        self._server.server_close()
