"""Drivers and pollers against the simulated bench, over its real sockets and over a wire that is worse than any."""

from __future__ import annotations

import json
import os
import pty
import socket
import threading
import time
import unittest
from collections.abc import Callable
from functools import partial
from math import inf
from typing import Any

import numpy as np

from dextrum.app.bench.instruments_at_hand import open_driver
from dextrum.core.board import Method
from dextrum.core.capture.walk import CaptureWalk, Hearing, Recorded
from dextrum.core.trail import Look
from dextrum.errors import InstrumentError
from dextrum.instruments.decided_unit import DecidedUnit
from dextrum.instruments.described.described_meters import AskedMeter, SendingMeter
from dextrum.instruments.parse import parse_value
from dextrum.instruments.polling import InstrumentPoller
from dextrum.instruments.protocols import (
    CAPACITANCE,
    DIODE,
    MULTIMETER,
    OHMS,
    PORT_TESTER,
    POWER_METER,
    SUPPLY,
    Quantity,
)
from dextrum.instruments.simbench.bench import HandRefusedError, SimulatedBench
from dextrum.instruments.simbench.server import TROUBLES, BenchServer, CutError, InstrumentMouth
from dextrum.instruments.visa_link import VisaLink
from tests.support import duo_advice, duo_board, fault_named, scpi_multimeter, shipped_meter

VOLTS = Quantity(DIODE, "V", -0.05, 10.0)
PATIENCE_SECONDS = 10.0
"""For an answer that has to come: a machine with much else to do may stand still for seconds."""


def bench_with(*faults: str, seed: int = 3, clock: Callable[[], float] = time.monotonic) -> SimulatedBench:
    model = duo_advice().model
    found = [fault_named(model.hypotheses.faults, name) for name in faults]
    unit = DecidedUnit(duo_board(), [(f, f.variants[0][0]) for f in found], np.random.default_rng(seed))
    bench = SimulatedBench(duo_board(), unit, Look(("clean",)), ("no_charge",), seed, clock=clock)
    bench.hand({"do": "cell", "cell": "unplugged"})
    return bench


class ParseTest(unittest.TestCase):
    def test_what_is_a_reading(self) -> None:
        for text, value in (("0.512", 0.512), (" 512 mV ", 0.512), ("OL", inf), ("+9.9E37", inf), ("5.12E-01", 0.512),
                            ("0.512 V", 0.512), ("-0.001", -0.001), (".5", 0.5)):
            self.assertAlmostEqual(parse_value(text, VOLTS), value, places=9, msg=text)
        self.assertAlmostEqual(parse_value("1.2 kOhm", Quantity(OHMS, "ohm", -1, 2e8)), 1200.0)

    def test_what_is_none_is_refused_by_its_kind(self) -> None:
        for text, state in (("", "babbling"), ("0.5.1", "babbling"), ("abc", "babbling"), ("0,512", "babbling"),
                            ("0.512 kOhm", "mode"), ("0.5 A", "mode"), ("12", "range"), ("-3", "range"),
                            ("0.5 furlong", "babbling"), ("nan", "babbling"), ("0.5 0.6", "babbling")):
            with self.assertRaises(InstrumentError, msg=text) as caught:
                parse_value(text, VOLTS)
            self.assertEqual(caught.exception.state, state, text)


class Lines:
    """A wire that hands on given lines."""

    def __init__(self, *lines: str) -> None:
        self.lines = list(lines)

    def write(self, text: str) -> None:
        raise AssertionError("a line meter is not written to")

    def read_line(self) -> str:
        if not self.lines:
            raise InstrumentError("silent", "nothing comes")
        return self.lines.pop(0)

    def close(self) -> None:
        self.lines.clear()


class LineMeterTest(unittest.TestCase):
    def _meter(self, wire: Paced, queued_seconds: float = 0.0) -> SendingMeter:
        meter = SendingMeter(wire, shipped_meter("lines-value-unit-mode"), queued_seconds)
        self.addCleanup(meter.close)
        return meter

    def test_a_closed_meter_listens_no_longer(self) -> None:
        meter = self._meter(Paced("0.5", pace=0.01))
        meter.close()
        meter._thread.join(2.0)
        self.assertFalse(meter._thread.is_alive())

    def test_one_reading_a_line(self) -> None:
        meter = self._meter(Paced("0.512 V DIODE", "OL V DIODE", "513 mV", "0.5"))
        self.assertEqual([meter.read(DIODE) for _ in range(4)], [0.512, inf, 0.513, 0.5])
        with self.assertRaises(InstrumentError):
            meter.read(DIODE)

    def test_what_was_queued_before_the_question_is_never_a_reading(self) -> None:
        wire = Paced(*["0.299 V DIODE"] * 40, *["OL V DIODE"] * 60, pace=0.01)
        meter = self._meter(wire, queued_seconds=0.2)
        wire.wait_for(left=50)
        self.assertEqual(meter.read(DIODE), inf)

    def test_ten_lines_a_second_are_read_as_they_come(self) -> None:
        """A touch that ended before the question is over, however slowly it is asked."""
        lines = [f"{0.1 + 0.01 * k:.3f} V DIODE" for k in range(30)]
        wire = Paced(*lines, pace=0.05)
        meter = self._meter(wire)
        first = meter.read(DIODE)
        wire.wait_for(left=len(wire.lines) - 9)
        self.assertGreaterEqual(meter.read(DIODE), first + 0.08)

    def test_another_mode_is_told_apart(self) -> None:
        for line in ("1.2 kOhm RES", "OL Ohm", "0.5 V VDC"):
            with self.assertRaises(InstrumentError) as caught:
                self._meter(Paced(line)).read(DIODE)
            self.assertEqual(caught.exception.state, "mode", line)


class Paced:
    """A wire on which a line comes every so often, the first a moment after it is opened."""

    def __init__(self, *lines: str, pace: float = 0.06) -> None:
        self.lines, self.pace = list(lines), pace

    def wait_for(self, left: int) -> None:
        """Until no more lines than these are left, however busy the machine is."""
        until = time.monotonic() + 30.0
        while len(self.lines) > left and time.monotonic() < until:
            time.sleep(0.01)

    def write(self, text: str) -> None:
        raise AssertionError(f"nothing is asked of a line meter: {text}")

    def read_line(self) -> str:
        time.sleep(self.pace)
        if not self.lines:
            raise InstrumentError("silent", "nothing comes")
        return self.lines.pop(0)

    def close(self) -> None:
        self.lines.clear()


class SerialTest(unittest.TestCase):
    """A meter that sends lines, over a serial line of the system's own."""

    def test_lines_come_over_a_terminal(self) -> None:
        meter_end, here = pty.openpty()
        self.addCleanup(os.close, meter_end)
        self.addCleanup(os.close, here)
        meter = open_driver(MULTIMETER, f"LINE:ASRL{os.ttyname(here)}::INSTR", 3.0)
        self.addCleanup(meter.close)
        os.write(meter_end, b"0.299 V DIODE\r\n" * 5)
        time.sleep(0.5)
        found = []
        for said in (b"0.512 V DIODE\r\n", b"OL V DIODE\n"):
            later = threading.Timer(0.15, os.write, (meter_end, said))
            later.start()
            found.append(meter.read(DIODE))
            later.join()
        self.assertEqual(found, [0.512, inf])
        os.write(meter_end, b"0.5")
        with self.assertRaises(InstrumentError) as caught:
            meter.read(DIODE)
        self.assertEqual(caught.exception.state, "silent", "half a line is no reading")


class SocketTest(unittest.TestCase):
    """One bench, all four instruments and the hands, over loopback."""

    def setUp(self) -> None:
        self.bench = bench_with("F1:blown_fuse:1:2")
        self.server = BenchServer(self.bench)
        self.addCleanup(self.server.close)

    def link(self, kind: str) -> VisaLink:
        link = VisaLink(self.server.addresses[kind], PATIENCE_SECONDS)
        self.addCleanup(link.close)
        return link

    def driver(self, kind: str) -> Any:
        """As the shipped description has it."""
        driver = open_driver(kind, self.server.addresses[kind], PATIENCE_SECONDS)
        self.addCleanup(driver.close)
        return driver

    def test_a_multimeter_reads_what_the_board_has(self) -> None:
        meter = scpi_multimeter(self.link(MULTIMETER))
        self.assertEqual((meter.name, meter.read(DIODE)), ("BM-1", inf))
        self.bench.hand({"do": "probe", "point": "J1.A5"})
        time.sleep(0.9)
        true = self.bench.unit.true_value("J1.A5", Method.DIODE_RED_GROUND)
        self.assertAlmostEqual(meter.read(DIODE), true, delta=0.004)
        self.bench.hand({"do": "lift"})
        self.assertEqual(meter.read(DIODE), inf)
        meter.read(OHMS)
        self.bench.hand({"do": "probe", "point": "F1.1-2"})
        time.sleep(0.7)
        self.assertEqual(meter.read(OHMS), inf)

    def test_a_port_tester_hands_over_all_and_turned_over_the_rows_change(self) -> None:
        tester = self.driver(PORT_TESTER)
        upright = list(tester.scan())
        self.assertEqual(len(upright), 24)
        self.bench.hand({"do": "turn"})
        turned = list(tester.scan())
        np.testing.assert_allclose(upright[:12], turned[12:], atol=0.01)

    def test_a_power_meter_tells_each_sample_once(self) -> None:
        meter = self.driver(POWER_METER)
        self.assertEqual(list(meter.samples()), [])
        self.bench.rate = 200.0
        self.bench.hand({"do": "cell", "cell": "plugged"})
        self.bench.hand({"do": "plug", "way": "a"})
        found: list[tuple[float, float, float]] = []
        for _ in range(4):
            time.sleep(0.1)
            found += meter.samples()
        seconds = [s[0] for s in found]
        self.assertEqual(seconds, sorted(set(seconds)))
        self.assertGreater(len(found), 60)
        np.testing.assert_allclose(np.diff(seconds), 0.005, atol=1e-6)

    def test_a_bench_supply_takes_its_limits_and_drives_what_hangs_on_it(self) -> None:
        supply = self.driver(SUPPLY)
        supply.limit(1.0, 0.5)
        supply.send("OUTP ON")  # as somebody at its panel
        self.bench.hand({"do": "probe", "point": "J1.A5"})
        volts, amps = supply.measured()
        self.assertLessEqual(amps, 0.5)
        self.assertLessEqual(volts, 1.0)
        supply.send("OUTP OFF")
        self.assertEqual(supply.measured(), (0.0, 0.0))

    def test_the_hands_answer_in_words_and_survive_nonsense(self) -> None:
        with socket.create_connection(("127.0.0.1", self.server.port("hands"))) as wire:
            lines = wire.makefile("rw")
            for order, good in (({"do": "state"}, True), ({"do": "fly"}, False), ({"do": "probe", "point": "X"}, False),
                                ({"do": "try", "check": "boot"}, True), ([1], False),
                                ({"do": "speed", "times": "fast"}, False)):
                lines.write(json.dumps(order) + "\n")
                lines.flush()
                self.assertEqual(json.loads(lines.readline())["ok"], good, order)
            lines.write("{\n")
            lines.flush()
            self.assertFalse(json.loads(lines.readline())["ok"])

    def test_every_trouble_on_the_wire_is_told_and_passes(self) -> None:
        poller = InstrumentPoller(MULTIMETER, "x", lambda: scpi_multimeter(
            VisaLink(self.server.addresses[MULTIMETER], 0.3)))
        self.addCleanup(poller.close)
        poller.listen(DIODE)
        self._until(lambda: poller.status.state == "ready" and poller.status.value == inf, "ready")
        self.bench.hand({"do": "probe", "point": "J1.A5"})
        # A question after the mode may be what is answered badly; then it is nonsense of another kind.
        expected = {"cut": {"gone", "silent"}, "garbage": {"babbling"}, "half": {"silent"}, "silent": {"silent"},
                    "delay": {"silent"}, "unit": {"mode", "babbling"}, "mode": {"babbling", "mode"},
                    "range": {"range", "babbling"}}
        for trouble, states in expected.items():
            seen: set[str] = set()
            self.server.hand({"do": "trouble", "kind": MULTIMETER, "trouble": trouble, "answers": 10**6})

            def saw(states: set[str] = states, seen: set[str] = seen) -> bool:
                seen.add(poller.status.state)
                return bool(states & seen)

            self._until(saw, f"{trouble}: {seen}")
            self.server.hand({"do": "trouble", "kind": MULTIMETER, "trouble": ""})
            self._until(lambda: poller.status.state == "ready", f"back after {trouble}")
        values = [h.value for h in poller.drain() if h.value != inf]
        self.assertTrue(values)

    def test_a_slow_meter_is_told_and_two_of_a_kind_are(self) -> None:
        class Slow:
            name = "BM-9"
            declaration = shipped_meter("scpi-configure").declaration

            def read(self, _quantity: str) -> float:
                time.sleep(0.02)
                return 0.5

            def close(self) -> None:
                pass

        poller = InstrumentPoller(MULTIMETER, "x", Slow, lambda: time.monotonic() * 20.0, pace=0.05)
        self.addCleanup(poller.close)
        poller.listen(DIODE)
        self._until(lambda: poller.status.state == "slow", "slow")
        self.assertIn("hold the probe longer", poller.status.words)
        self.assertTrue(poller.drain(), "it is slow, and read all the same")

    def test_unplugged_and_back(self) -> None:
        address = self.server.addresses[MULTIMETER]
        there = [False]

        def open_driver() -> Any:
            if not there[0]:
                raise InstrumentError("gone", "It is not there.")
            return scpi_multimeter(VisaLink(address, 0.3))

        poller = InstrumentPoller(MULTIMETER, address, open_driver)
        self.addCleanup(poller.close)
        poller.listen(DIODE)
        self._until(lambda: poller.status.state == "gone", "gone")
        self.assertIn("not there", poller.status.line(0.0))
        there[0] = True
        self._until(lambda: poller.status.state == "ready", "there")

    def _until(self, condition: Callable[[], bool], what: str, seconds: float = 60.0) -> None:
        end = time.monotonic() + seconds
        while not condition():
            self.assertLess(time.monotonic(), end, what)
            time.sleep(0.01)


class BadWire:
    """A mouth without a socket: what comes is cut into lines as the real link does, and time is a number."""

    def __init__(self, mouth: InstrumentMouth, clock: list[float]) -> None:
        self.mouth = mouth
        self.clock = clock
        self.waiting: list[str] = []

    def write(self, text: str) -> None:
        asked = self.clock[0]
        try:
            said = self.mouth.answer(text)
        except CutError:
            raise InstrumentError("gone", "cut") from None
        if self.clock[0] - asked > 1.0:
            return  # too late: by then the link has been closed
        if said is not None:
            self.waiting += said.splitlines(keepends=True)

    def read_line(self) -> str:
        if not self.waiting or not self.waiting[0].endswith("\n"):
            self.waiting.clear()
            raise InstrumentError("silent", "nothing came")
        return self.waiting.pop(0).strip()

    def close(self) -> None:
        self.waiting.clear()


class FaradsTest(unittest.TestCase):
    def test_a_capacitor_is_read_over_the_wire_in_nanofarads(self) -> None:
        for faults, least, most in (((), 190.0, 250.0), (("C63:missing_part",), 0.0, 0.3)):
            clock = [0.0]
            bench = bench_with(*faults, clock=partial(clock.__getitem__, 0))
            driver = scpi_multimeter(BadWire(InstrumentMouth(bench, MULTIMETER), clock))
            bench.hand({"do": "probe", "point": "C63.nF"})
            clock[0] += 5.0
            self.assertTrue(least <= driver.read(CAPACITANCE) <= most, faults)
            bench.hand({"do": "probe", "point": "C63.1"})
            clock[0] += 5.0
            self.assertLess(driver.read(DIODE), 2.0)


class ThousandTroublesTest(unittest.TestCase):
    def test_no_trouble_makes_a_wrong_entry(self) -> None:
        clock = [0.0]
        bench = bench_with("C17:hard_short:1", clock=lambda: clock[0])
        mouth = InstrumentMouth(bench, MULTIMETER, wait=lambda seconds: clock.__setitem__(0, clock[0] + seconds))
        generator = np.random.default_rng(8)
        points = [p for p in duo_board().port_point_ids()
                  if bench.unit.true_value(p, Method.DIODE_RED_GROUND) < 2.0]
        troubles = recorded = 0
        kinds = [t for t in TROUBLES if t]
        while troubles < 1000:
            walk = CaptureWalk(tuple(points))
            driver: AskedMeter | None = None
            for point in points:
                bench.hand({"do": "probe", "point": point})
                shows = bench._settled(point, DIODE)
                lifted = 0.0
                for k in range(120):
                    clock[0] += 0.1
                    # The hand follows the program: it lifts once the point is recorded, or after a while.
                    if not lifted and (walk.point != point or k > 45):
                        bench.hand({"do": "lift"})
                        lifted = clock[0]
                    if lifted and walk.hearing in (Hearing.CONTACT, Hearing.OVER) and clock[0] - lifted > 0.5:
                        break
                    if generator.random() < 0.12 and not mouth.trouble:
                        mouth.trouble, mouth.answers_left = str(generator.choice(kinds)), 1 + int(generator.integers(3))
                        troubles += 1
                    try:
                        driver = driver or scpi_multimeter(BadWire(mouth, clock))
                        value = driver.read(DIODE)
                    except InstrumentError as problem:
                        if problem.state not in ("range", "mode"):
                            driver = None
                        continue
                    for event in walk.sample(clock[0], value):
                        if isinstance(event, Recorded) and not event.held:
                            recorded += 1
                            self.assertEqual(event.point, point)
                            self.assertAlmostEqual(event.value, shows, delta=0.004, msg=f"{point} {mouth.trouble}")
                if walk.point == point:
                    walk.typed(shows)
        self.assertGreater(recorded, 100)


class BenchTest(unittest.TestCase):
    def test_the_board_is_warm_after_rework_and_cools(self) -> None:
        clock = [0.0]
        bench = bench_with(clock=lambda: clock[0])
        cold = bench.celsius()
        bench.hand({"do": "repair", "part": "C17"})
        warm = bench.celsius()
        self.assertGreater(warm, cold + 20)
        clock[0] += 1200.0
        self.assertLess(bench.celsius(), cold + 2)

    def test_time_runs_faster_and_the_cell_charges(self) -> None:
        clock = [0.0]
        bench = bench_with(clock=lambda: clock[0])
        bench.hand({"do": "cell", "cell": "plugged"})
        bench.hand({"do": "speed", "times": 600})
        bench.hand({"do": "plug", "way": "b"})
        clock[0] += 6.0
        self.assertAlmostEqual(bench.power_samples()[-1][0], 3600.0, delta=1.0)

    def test_hands_are_refused_what_would_hurt(self) -> None:
        bench = bench_with()
        bench.hand({"do": "off", "part": "R1"})
        with self.assertRaises(HandRefusedError):
            bench.hand({"do": "plug", "way": "a"})
        bench.hand({"do": "on", "part": "R1"})
        bench.hand({"do": "cell", "cell": "plugged"})
        with self.assertRaises(HandRefusedError):
            bench.hand({"do": "probe", "point": "J1.A5"})
        bench.hand({"do": "plug", "way": "a"})
        with self.assertRaises(HandRefusedError):
            bench.hand({"do": "repair", "part": "C17"})

    def test_pushing_the_plug_may_close_a_loose_contact_and_the_fan_comes_off(self) -> None:
        moved = 0
        for seed in range(12):
            bench = bench_with("J1:open_contact:A5", seed=seed, clock=lambda: 0.0)
            bench.hand({"do": "cell", "cell": "plugged"})
            bench.hand({"do": "plug", "way": "a", "position": "pushed_in"})
            moved += bench._draw() is not bench.unit.draw("a")
            self.assertEqual(len(bench.unit.faults), 1, "it is there still")
        self.assertGreater(moved, 2)
        bench.hand({"do": "unplug"})
        bench.hand({"do": "fan"})
        self.assertEqual(bench.unit.isolated, frozenset({"J3"}))
        bench.hand({"do": "plug", "way": "a"})
        with self.assertRaises(HandRefusedError):
            bench.hand({"do": "cell", "cell": "unplugged"})

    def test_the_cell_keeps_what_it_took_in(self) -> None:
        clock = [0.0]
        bench = bench_with(clock=lambda: clock[0])
        bench.hand({"do": "cell", "cell": "plugged"})
        bench.hand({"do": "plug", "way": "a"})
        clock[0] += 600.0
        bench.hand({"do": "unplug"})
        bench.hand({"do": "plug", "way": "b"})
        self.assertAlmostEqual(bench._charged, 600.0)

    def test_it_reveals_what_was_wrong_and_which_good_parts_went(self) -> None:
        bench = bench_with("F1:blown_fuse:1:2")
        bench.hand({"do": "repair", "part": "U1"})
        bench.hand({"do": "repair", "part": "F1"})
        told = bench.hand({"do": "reveal"})
        self.assertEqual((told["wrong"], told["left"], told["good_replaced"]), (["F1:blown_fuse:1:2"], [], ["U1"]))
        self.assertTrue(bench.hand({"do": "try", "check": "charge_a"})["passed"])


if __name__ == "__main__":
    unittest.main()
