"""Instruments that are not ours: simulated by a VISA backend of others, from their own kind of file."""

from __future__ import annotations

import tempfile
import unittest
from pathlib import Path
from unittest.mock import patch

from dextrum.app.bench.described_meters import open_meter
from dextrum.app.bench.instruments_at_hand import find_instruments
from dextrum.errors import InstrumentError
from dextrum.instruments import visa_link
from dextrum.instruments.protocols import MULTIMETER, POWER_METER, SUPPLY

BENCH = r"""
spec: "1.1"
devices:
  meter:
    eom:
      ASRL INSTR: {q: "\n", r: "\n"}
      TCPIP INSTR: {q: "\n", r: "\n"}
      USB INSTR: {q: "\n", r: "\n"}
    error: ERROR
    dialogues:
      - {q: "*IDN?", r: "MAKER,SIM METER,S100,1"}
      - {q: "READ?", r: "5.0712E-01"}
    properties:
      function:
        default: 'DIOD'
        getter: {q: "FUNC?", r: '"{}"'}
        setter: {q: "CONF:{}"}
        specs: {type: str, valid: ["DIOD", "RES", "CONT", "VOLT:DC"]}
  supply:
    eom:
      TCPIP INSTR: {q: "\n", r: "\n"}
    error:
      response: {command_error: null_response}
      error_queue:
        - {q: "SYST:ERR?", default: '0,"No error"', command_error: '-113,"Undefined header"', query_error: '-410,"Q"'}
    dialogues:
      - {q: "*IDN?", r: "MAKER,SIM SUPPLY,S200,1"}
      - {q: "MEAS:VOLT?", r: "0.001"}
      - {q: "MEAS:CURR?", r: "0.0002"}
      - {q: "OUTP?", r: "0"}
    properties:
      volts:
        default: 0.0
        getter: {q: "VOLT?", r: "{:.3f}"}
        setter: {q: "VOLT {:.3f}"}
        specs: {min: 0, max: 15, type: float}
      amps:
        default: 0.0
        getter: {q: "CURR?", r: "{:.3f}"}
        setter: {q: "CURR {:.3f}"}
        specs: {min: 0, max: 3, type: float}
  load:
    eom:
      TCPIP INSTR: {q: "\n", r: "\n"}
    error: ERROR
    dialogues:
      - {q: "*IDN?", r: "MAKER,SIM LOAD,S300,1"}
      - {q: "FUNC?", r: "CURR"}
      - {q: "VOLT?", r: "5.000"}
      - {q: "CURR?", r: "0.500"}
      - {q: "MEAS:VOLT?", r: "5.001"}
      - {q: "MEAS:CURR?", r: "0.499"}
      - {q: "OUTP?", r: "0"}
      - {q: "INP?", r: "0"}
resources:
  ASRL1::INSTR: {device: meter}
  TCPIP::sim-meter::INSTR: {device: meter}
  USB::0x1111::0x2222::0x1234::INSTR: {device: meter}
  TCPIP::sim-supply::INSTR: {device: supply}
  TCPIP::sim-load::INSTR: {device: load}
"""


class SimulatedByOthersTest(unittest.TestCase):
    def setUp(self) -> None:
        try:
            import pyvisa
            import pyvisa_sim  # type: ignore[import-untyped,import-not-found,unused-ignore]  # noqa: F401
        except ImportError:
            self.skipTest("pyvisa-sim is not here: it comes with the developers' requirements")
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        place = Path(folder.name) / "bench.yaml"
        place.write_text(BENCH)
        manager = pyvisa.ResourceManager(f"{place}@sim")
        self.addCleanup(manager.close)
        patched = patch.object(visa_link, "_manager", manager)
        patched.start()
        self.addCleanup(patched.stop)

    def test_a_meter_is_read_over_every_wire(self) -> None:
        for resource in ("TCPIP::sim-meter::INSTR", "USB::0x1111::0x2222::0x1234::INSTR", "ASRL1::INSTR"):
            with self.subTest(resource):
                meter = open_meter(resource, None)
                self.addCleanup(meter.close)
                self.assertEqual((meter.name, meter.serial), ("SIM METER", "S100"))
                self.assertAlmostEqual(meter.read("diode"), 0.50712)
                self.assertAlmostEqual(meter.read("resistance"), 0.50712)

    def test_a_search_finds_what_each_is_and_claims_no_load(self) -> None:
        found = {f.resource.rpartition(":TCPIP")[2] or f.resource: f for f in find_instruments(
            allowed=["ASRL1::INSTR"])}
        kinds = sorted((f.kind, f.name) for f in found.values())
        self.assertEqual([kind for kind, _ in kinds].count(SUPPLY), 1)
        self.assertNotIn(POWER_METER, [kind for kind, _ in kinds])
        self.assertFalse(any("LOAD" in name for _, name in kinds), kinds)
        self.assertIn((SUPPLY, "SIM SUPPLY S200"), kinds)
        self.assertIn((MULTIMETER, "SIM METER S100"), kinds)

    def test_a_serial_port_is_asked_only_where_it_is_allowed(self) -> None:
        self.assertFalse(any("ASRL" in f.resource for f in find_instruments()))

    def test_limits_are_taken_and_what_is_beyond_them_is_told(self) -> None:
        supply = open_meter("TCPIP::sim-supply::INSTR", None, kind=SUPPLY)
        self.addCleanup(supply.close)
        supply.limit(4.2, 0.5)
        self.assertEqual(supply.measured(), (0.001, 0.0002))
        with self.assertRaises(InstrumentError) as caught:
            supply.limit(40.0, 0.5)
        self.assertIn("Do not switch it on", caught.exception.next_step)

    def test_a_load_under_a_supplys_name_is_not_believed(self) -> None:
        load = open_meter("TCPIP::sim-load::INSTR", None, kind=SUPPLY)
        self.addCleanup(load.close)
        with self.assertRaises(InstrumentError):
            load.limit(4.2, 0.3)


if __name__ == "__main__":
    unittest.main()
