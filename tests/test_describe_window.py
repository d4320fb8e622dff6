"""A meter nobody knows, on a real serial line (a pseudo terminal): described by three touches in the real window."""

from __future__ import annotations

import os
import pty
import threading
import time
import tty
import unittest
from contextlib import suppress

from PySide6.QtCore import Qt

from dextrum.app.bench.instruments_at_hand import find_instruments
from dextrum.core.trail import Cell, DrawTrace, JobOpened, Look
from dextrum.instruments.protocols import DIODE, MULTIMETER, SUPPLY
from dextrum.store.entries import new_entry
from dextrum.store.jobs import JobStore
from dextrum.store.meter_files import meters_in
from tests.gear_dialects import SUPPLIES, ServedWire, SupplyWire
from tests.window_support import Key, WindowCase

LINES = {"shorted": "DI;+0.002;V", "opened": "DI;+O.L;V", "diode": "DI;+0.512;V"}


class UnknownMeter:
    """Sends a line ten times a second, of what its probes are on."""

    def __init__(self) -> None:
        self.master, slave = pty.openpty()
        tty.setraw(self.master)
        tty.setraw(slave)
        self.slave, self.resource = slave, f"ASRL{os.ttyname(slave)}::INSTR"
        self.on, self.open = "opened", True
        self._thread = threading.Thread(target=self._send, daemon=True)
        self._thread.start()

    def _send(self) -> None:
        while self.open:
            with suppress(OSError):
                os.write(self.master, f"{LINES[self.on]}\r\n".encode())
            time.sleep(0.1)

    def close(self) -> None:
        self.open = False
        self._thread.join()
        for end in (self.master, self.slave):
            os.close(end)


class DescribeTest(WindowCase):
    def fill(self, store: JobStore) -> None:
        store.add_trail([new_entry(p, "Ines") for p in (
            JobOpened("SLS-1", "Tarnwick Duo", "tarnwick-duo-c"), Cell("unplugged"))])

    def setUp(self) -> None:
        self.meter = UnknownMeter()
        self.addCleanup(self.meter.close)
        super().setUp()

    def answer(self, text: str) -> None:
        self.wait(lambda: self.window.ask.isVisible() and not self.window.long_work.busy, 30.0, f"to ask for {text!r}")
        self.window.ask.field.setText(text)
        self.window.ask.field.setFocus()
        self.key(Key.Key_Return)

    def test_three_touches_make_a_meter_that_is_used_at_once(self) -> None:
        self.window.commands.run("meter.listen")
        self.answer(self.meter.resource)
        for touch in ("shorted", "opened", "diode"):
            self.wait(lambda: self.window.ask.isVisible() and not self.window.long_work.busy, 30.0, f"for {touch}")
            self.meter.on = touch
            time.sleep(0.3)
            self.answer("")
            self.wait(lambda: self.window.long_work.busy, what="for it to listen")
        self.answer("M7")
        self.wait(lambda: "is described and connected" in self.window.problem.text(), what="for the description")
        self.assertIn("can't be set from here", self.window.problem.text())
        found, wrong = meters_in(self.folder / "meters")
        self.assertEqual(([d.id for d in found], wrong), (["m7"], ()))
        poller = self.window.instruments.poller(MULTIMETER)
        assert poller is not None
        poller.listen(DIODE)
        self.wait(lambda: any(abs(h.value - 0.512) < 1e-6 for h in poller.drain()), what="for a reading")
        self.assertIn(self.meter.resource, self.store.setting("instrument.allowed"))
        self.assertIn(f"METER:m7:{self.meter.resource}", self.store.setting("instrument.multimeter"),
                      "it is there again tomorrow")

    def test_a_port_that_says_nothing_is_told_and_nothing_is_written(self) -> None:
        self.window.commands.run("meter.listen")
        self.answer("TCPIP::127.0.0.1::9::SOCKET")
        self.wait(lambda: bool(self.window.problem.text()), 30.0, "for what is wrong")
        self.assertEqual(meters_in(self.folder / "meters"), ((), ()))

    def test_a_description_is_shared_and_taken_in(self) -> None:
        self.window.commands.run("meter.share")
        self.wait(self.window.ask.isVisible, what="for the choice")
        self.window.ask.choice.setCurrentIndex(0)
        self.key(Key.Key_Return)
        self.wait(lambda: self.window.ask.field.isVisible(), what="for the file")
        place = self.folder / "shared.toml"
        self.answer(str(place))
        self.assertTrue(place.exists())
        self.window.take_in(place)
        self.assertEqual(len(meters_in(self.folder / "meters")[0]), 1)
        place.write_text("format = 5")
        self.window.take_in(place)
        self.assertIn("shared.toml", self.window.problem.text())


class ConnectTest(WindowCase):
    """A bench supply with two channels, on a socket, connected by its address and the manner in which it speaks."""

    def fill(self, store: JobStore) -> None:
        store.add_trail([new_entry(p, "Ines") for p in (
            JobOpened("SLS-1", "Tarnwick Duo", "tarnwick-duo-c"), Look(("clean",)), Cell("unplugged"))])

    def setUp(self) -> None:
        self.wire = SupplyWire(next(d for d in SUPPLIES if d.name == "two channels"))
        self.served = ServedWire(self.wire)
        self.addCleanup(self.served.close)
        super().setUp()

    def connect(self, manner: str) -> None:
        self.window.commands.run("instrument.connect")
        ask = self.window.ask
        ask.choice.setCurrentIndex(ask.choice.findData(SUPPLY))
        ask.field.setFocus()
        self.type(self.served.address)
        self.key(Key.Key_Return)
        self.wait(lambda: ask.isVisible() and not ask.field.isVisible(), what="for the manners")
        place = ask.choice.findText(manner, Qt.MatchFlag.MatchContains)
        self.assertGreaterEqual(place, 0, manner)
        ask.choice.setCurrentIndex(place)
        self.key(Key.Key_Return)

    def ready(self) -> None:
        def is_ready() -> bool:
            poller = self.window.instruments.poller(SUPPLY)
            return poller is not None and poller.status.state == "ready"

        self.wait(is_ready, 20.0, "for the supply")

    def test_a_channel_is_chosen_limited_and_logged_and_never_switched_on(self) -> None:
        self.connect("channel CH2")
        self.ready()
        self.assertIn("@CH2:", self.store.setting("instrument.supply"))
        self.window.commands.gear.limit_supply(1.2, 0.4)
        self.wait(lambda: "limited to 1.20 V, 0.40 A" in self.window.trail.said.text(), what="for the limit")
        self.assertEqual(self.wire.limits, {("CH1", "VOLT"): 0.0, ("CH1", "CURR"): 0.0, ("CH2", "VOLT"): 1.2,
                                            ("CH2", "CURR"): 0.4})
        self.window.commands.run("draw.meter")
        view = self.window.views.supply
        live = view.live
        assert live is not None
        self.wait(lambda: live.trace is not None and live.trace.count >= 4, 20.0, "for its rows")
        self.window.commands.run("draw.meter")
        self.wait(lambda: isinstance(self.window.model.trail[-1].payload, DrawTrace), what="for the trace")
        self.assertEqual(self.wire.on, [])

    def test_what_it_is_can_be_found_out_by_its_answers(self) -> None:
        self.connect("find out by its answers")
        self.ready()
        self.assertIn("METER:supply-", self.store.setting("instrument.supply"))


class Meter(SupplyWire):
    """One of two of the same model."""

    def __init__(self, serial: str, volts: float) -> None:
        super().__init__(SUPPLIES[0])
        self.serial, self.shown_volts, self.mode = serial, volts, "DIOD"

    def _scpi(self, text: str) -> str | None:
        if text.startswith("CONF:"):
            self.mode = text[5:]
            return None
        return {"*IDN?": f"MAKER,METER 5,{self.serial},1.0", "FUNC?": f'"{self.mode}"',
                "READ?": f"{self.shown_volts:.4f}"}.get(text)


class TwoMetersTest(WindowCase):
    def fill(self, store: JobStore) -> None:
        store.add_trail([new_entry(p, "Ines") for p in (
            JobOpened("SLS-1", "Tarnwick Duo", "tarnwick-duo-c"), Look(("clean",)), Cell("unplugged"))])

    def setUp(self) -> None:
        self.served = [ServedWire(Meter("SN1", 0.451)), ServedWire(Meter("SN2", 0.449))]
        for one in self.served:
            self.addCleanup(one.close)
        super().setUp()

    def called(self) -> str:
        poller = self.window.instruments.poller(MULTIMETER)
        return poller.status.name if poller is not None and poller.status.state == "ready" else ""

    def choose(self, command: str, text: str = "") -> None:
        self.window.commands.run(command)
        ask = self.window.ask
        if text:
            ask.field.setText(text)
            ask.field.setFocus()
        else:
            ask.choice.setFocus()
        self.key(Key.Key_Return)

    def test_two_of_one_model_have_names_of_their_own_and_change_places(self) -> None:
        found = find_instruments([one.address for one in self.served])
        self.assertEqual({f.name for f in found if f.kind == MULTIMETER}, {"METER 5 SN1", "METER 5 SN2"})
        self.window.instruments.take(f for f in found if f.kind == MULTIMETER)
        self.wait(lambda: bool(self.called()), 20.0, "for the first")
        first = self.called()
        self.assertIn("SN", first, "two of one model must not share a correction")
        self.choose("instrument.call", "M2")
        self.wait(lambda: self.called() == "M2", 20.0, "for its own name")
        self.choose("instrument.use")
        self.wait(lambda: self.called() not in ("", "M2"), 20.0, "for the other")
        self.assertNotEqual(self.called(), first)
        self.assertIn("SN", self.called())
        self.choose("instrument.use")
        self.wait(lambda: self.called() == "M2", 20.0, "for the first again, by its own name")


if __name__ == "__main__":
    unittest.main()
