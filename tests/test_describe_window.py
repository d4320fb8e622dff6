"""A meter nobody knows, on a real serial line (a pseudo terminal): described by three touches in the real window."""

from __future__ import annotations

import os
import pty
import threading
import time
import tty
import unittest
from contextlib import suppress

from dextrum.core.trail import Cell, JobOpened
from dextrum.instruments.protocols import DIODE, MULTIMETER
from dextrum.store.entries import new_entry
from dextrum.store.jobs import JobStore
from dextrum.store.meter_files import meters_in
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
            self.wait(lambda: self.window.long_work.busy, 5.0, "for it to listen")
        self.answer("M7")
        self.wait(lambda: "is described and connected" in self.window.problem.text(), 10.0, "for the description")
        self.assertIn("can't be set from here", self.window.problem.text())
        found, wrong = meters_in(self.folder / "meters")
        self.assertEqual(([d.id for d in found], wrong), (["m7"], ()))
        poller = self.window.instruments.poller(MULTIMETER)
        assert poller is not None
        poller.listen(DIODE)
        self.wait(lambda: any(abs(h.value - 0.512) < 1e-6 for h in poller.drain()), 15.0, "for a reading")
        self.assertIn(self.meter.resource, self.store.setting("instrument.allowed"))

    def test_a_port_that_says_nothing_is_told_and_nothing_is_written(self) -> None:
        self.window.commands.run("meter.listen")
        self.answer("TCPIP::127.0.0.1::9::SOCKET")
        self.wait(lambda: bool(self.window.problem.text()), 30.0, "for what is wrong")
        self.assertEqual(meters_in(self.folder / "meters"), ((), ()))

    def test_a_description_is_shared_and_taken_in(self) -> None:
        self.window.commands.run("meter.share")
        self.wait(self.window.ask.isVisible, 5.0, "for the choice")
        self.window.ask.choice.setCurrentIndex(0)
        self.key(Key.Key_Return)
        self.wait(lambda: self.window.ask.field.isVisible(), 5.0, "for the file")
        place = self.folder / "shared.toml"
        self.answer(str(place))
        self.assertTrue(place.exists())
        self.window.take_in(place)
        self.assertEqual(len(meters_in(self.folder / "meters")[0]), 1)
        place.write_text("format = 5")
        self.window.take_in(place)
        self.assertIn("shared.toml", self.window.problem.text())


if __name__ == "__main__":
    unittest.main()
