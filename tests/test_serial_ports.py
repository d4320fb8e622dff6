"""Meters on serial adapters that are plugged in elsewhere: followed by number, and nothing else is ever asked."""

from __future__ import annotations

import os
import pty
import tempfile
import threading
import time
import tty
import unittest
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path
from unittest.mock import patch

import pyvisa_py.serial  # type: ignore[import-untyped,unused-ignore]  # noqa: F401  # before its list of ports is another
from serial.tools.list_ports_common import ListPortInfo

from dextrum.app.bench.instruments_at_hand import InstrumentsAtHand
from dextrum.app.bench.remembered import Remembered, remember, remembered
from dextrum.errors import InstrumentError
from dextrum.instruments.protocols import DIODE, MULTIMETER
from dextrum.instruments.serial_ports import PluggedInstrument, adapters, permission, permitted
from dextrum.store.jobs import JobStore


class SerialMeter:
    """A meter of SCPI on a pseudo terminal; asked: all that it was told."""

    def __init__(self, serial: str) -> None:
        self.master, self.slave = pty.openpty()
        for end in (self.master, self.slave):
            tty.setraw(end)
        self.device, self.serial, self.asked, self.open = os.ttyname(self.slave), serial, b"", True
        self.mode = "DIOD"
        threading.Thread(target=self._serve, daemon=True).start()

    @property
    def resource(self) -> str:
        return f"ASRL{self.device}::INSTR"

    def _serve(self) -> None:
        rest = b""
        with suppress(OSError):
            while self.open:
                came = os.read(self.master, 200)
                self.asked += came
                *lines, rest = (rest + came).split(b"\n")
                for line in lines:
                    self._answer(line.decode("ascii").strip())

    def _answer(self, text: str) -> None:
        if text.startswith("CONF:"):
            self.mode = text[5:]
        said = {"*IDN?": f"MAKER,METER 5,{self.serial},1.0", "FUNC?": f'"{self.mode}"', "READ?": "0.4510"}.get(text)
        if said is not None:
            os.write(self.master, f"{said}\n".encode("ascii"))

    def close(self) -> None:
        self.open = False
        for end in (self.slave, self.master):
            with suppress(OSError):
                os.close(end)


def port(device: str, number: str | None) -> ListPortInfo:
    """A port as the system lists it: on USB where it has a number, else an old one on the board of the machine."""
    listed = ListPortInfo(device)
    if number is not None:
        listed.vid, listed.pid, listed.serial_number = 0x1111, 0x22, number or None
    return listed


class PortsCase(unittest.TestCase):
    def plug(self, *ports: tuple[str, str | None]) -> None:
        """What is plugged in from now on: device and the adapter's number."""
        listed = [port(*one) for one in ports]
        for where in ("serial.tools.list_ports.comports", "pyvisa_py.serial.comports"):
            patched = patch(where, lambda *_a, **_k: listed)
            patched.start()
            self.addCleanup(patched.stop)

    def wait(self, done: Callable[[], bool], what: str) -> None:
        until = time.monotonic() + 20.0
        while not done():
            self.assertLess(time.monotonic(), until, f"waited in vain {what}")
            time.sleep(0.02)


class PermissionTest(PortsCase):
    def test_a_permission_goes_with_the_adapter(self) -> None:
        self.plug(("/dev/ttyUSB0", "A7"), ("/dev/ttyS0", None))
        kept = [permission("ASRL/dev/ttyUSB0::INSTR", adapters()), permission("ASRL/dev/ttyS0::INSTR", adapters())]
        self.assertEqual(set(permitted(kept, adapters())), {"ASRL/dev/ttyUSB0::INSTR", "ASRL/dev/ttyS0::INSTR"})
        self.plug(("/dev/ttyUSB1", "A7"), ("/dev/ttyUSB0", "B1"))
        self.assertEqual(permitted(kept, adapters()), ("ASRL/dev/ttyUSB1::INSTR", "ASRL/dev/ttyS0::INSTR"))
        self.plug(("/dev/ttyUSB0", "B1"))
        self.assertNotIn("ASRL/dev/ttyUSB0::INSTR", permitted(kept, adapters()))

    def test_a_permission_without_a_number_does_not_reach_what_has_one(self) -> None:
        self.plug(("/dev/ttyUSB0", "B1"))
        self.assertEqual(permitted(["ASRL/dev/ttyUSB0::INSTR"], adapters()), ())
        self.plug(("/dev/ttyUSB0", ""))
        self.assertEqual(permitted(["ASRL/dev/ttyUSB0::INSTR"], adapters()), ("ASRL/dev/ttyUSB0::INSTR",))

    def test_a_remembered_meter_is_followed_and_never_mistaken(self) -> None:
        name = "METER:scpi-configure:ASRL/dev/ttyUSB0::INSTR"
        self.plug(("/dev/ttyUSB0", "A7"))
        meter = PluggedInstrument(name)
        self.assertEqual((meter.now(), meter.adapter), (name, "USB 1111:0022 A7"))
        self.plug(("/dev/ttyUSB3", "A7"), ("/dev/ttyUSB0", "B1"))
        self.assertEqual(meter.now(), "METER:scpi-configure:ASRL/dev/ttyUSB3::INSTR")
        self.plug(("/dev/ttyUSB3", "B1"))
        with self.assertRaisesRegex(InstrumentError, "not plugged in"):
            meter.now()

    def test_what_is_no_serial_port_keeps_its_name(self) -> None:
        self.plug()
        self.assertEqual(PluggedInstrument("TCPIP::10.0.0.7::5025::SOCKET", "USB x").now(),
                         "TCPIP::10.0.0.7::5025::SOCKET")


class FollowedTest(PortsCase):
    def setUp(self) -> None:
        self.mine, self.other = SerialMeter("SN7"), SerialMeter("SN9")
        self.instruments = InstrumentsAtHand()
        self.addCleanup(self.other.close)
        self.addCleanup(self.mine.close)
        self.addCleanup(self.instruments.close)

    def ready(self) -> bool:
        poller = self.instruments.poller(MULTIMETER)
        return poller is not None and poller.status.state == "ready" and bool(poller.status.identity)

    def test_after_a_night_at_another_socket_the_same_meter_is_read(self) -> None:
        self.plug((self.other.device, "A7"))  # its name of yesterday, which another one has today
        yesterday = Remembered(f"METER:scpi-configure:{self.other.resource}", "USB 1111:0022 A7", "METER 5 SN7")
        self.plug((self.other.device, "B1"), (self.mine.device, "A7"))
        self.instruments.connect_again({MULTIMETER: yesterday})
        self.wait(self.ready, "for the meter")
        poller = self.instruments.poller(MULTIMETER)
        assert poller is not None
        poller.listen(DIODE)
        self.wait(lambda: bool(poller.drain()), "for a reading")
        self.assertEqual(poller.status.identity, "METER 5 SN7")
        self.assertEqual(self.other.asked, b"", "a port that nobody allowed was asked")
        kept = self.instruments.in_use()[MULTIMETER]
        self.assertEqual(kept, Remembered(f"METER:scpi-configure:{self.mine.resource}", "USB 1111:0022 A7",
                                          "METER 5 SN7"))

    def test_what_has_the_ports_name_meanwhile_is_not_asked(self) -> None:
        self.plug((self.other.device, "B1"))
        self.instruments.connect_again({MULTIMETER: Remembered(
            f"METER:scpi-configure:{self.other.resource}", "USB 1111:0022 A7", "METER 5 SN7")})
        self.wait(lambda: "not plugged in" in self.instruments.words(), "to be told")
        found: list[object] = []
        self.instruments.find((), found.append)
        self.wait(lambda: bool(found), "for the search")
        self.assertEqual((found, self.other.asked), ([()], b""))
        self.assertEqual(self.instruments.unasked, (self.other.resource,))

    def test_another_one_without_a_number_at_the_same_port_is_named(self) -> None:
        self.plug((self.other.device, None), (self.mine.device, None))
        self.instruments.connect_again({MULTIMETER: Remembered(
            f"METER:scpi-configure:{self.other.resource}", "", "METER 5 SN7")})
        self.wait(self.ready, "for a meter")
        self.assertIn("METER 5 SN9 answers where METER 5 SN7 was.", self.instruments.words())
        self.instruments.allowed = (self.mine.resource,)
        found: list[object] = []
        self.instruments.find((), found.append)
        self.wait(lambda: bool(found), "for the search")
        assert isinstance(found[0], tuple)
        self.instruments.take(found[0])
        self.wait(lambda: self.ready() and "SN7" in self.instruments.statuses()[0].identity, "for the one of before")
        self.assertEqual([f.name for f in self.instruments.spare], ["METER 5 SN9"])
        self.assertNotIn("answers where", self.instruments.words())


class RememberedTest(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.store = JobStore(Path(folder.name) / "jobs.sqlite")
        self.addCleanup(self.store.close)

    def test_it_comes_back_as_it_was_and_an_older_one_by_its_name(self) -> None:
        used = {MULTIMETER: Remembered("ASRL/dev/ttyUSB0::INSTR", "USB 1111:0022 A7", "METER 5 SN7")}
        remember(self.store, used)
        self.store.set_setting("instrument.supply", "TCPIP::10.0.0.7::5025::SOCKET")
        self.assertEqual(remembered(self.store), {**used, "supply": Remembered("TCPIP::10.0.0.7::5025::SOCKET")})

    def test_a_damaged_one_counts_as_none(self) -> None:
        for text in ("{", '{"resource": 5}', "{}", '{"resource": "x", "more": 1}'):
            self.store.set_setting("instrument.multimeter", text)
            self.assertEqual(remembered(self.store), {}, text)


if __name__ == "__main__":
    unittest.main()
