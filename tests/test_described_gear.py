"""Power meters, supplies and port testers by their files: each manner told right, in time, and nothing wrong in
trouble."""

from __future__ import annotations

import tempfile
import time
import unittest
from dataclasses import replace
from itertools import pairwise
from math import inf
from pathlib import Path

import numpy as np

from dextrum.app.bench.described_meters import (
    known_instruments,
    of_kind,
    open_meter,
    shipped_descriptions,
    which_meter,
)
from dextrum.errors import ImportRefusedError, InstrumentError
from dextrum.instruments.described.kinds import DESCRIBED, Description, driver_of
from dextrum.instruments.described.port_testers import PADS, DescribedTester, TesterDescription
from dextrum.instruments.described.power_meters import (
    AskedPowerMeter,
    PowerMeterDescription,
    SendingPowerMeter,
    power_meter_of,
)
from dextrum.instruments.described.resource_names import manners_of, named
from dextrum.instruments.described.samples import SampleReader, Samples
from dextrum.instruments.described.supplies import DescribedSupply, SupplyDescription
from dextrum.instruments.described.wire import SWITCHES_ON
from dextrum.instruments.protocols import KIND_WORDS, MULTIMETER, POWER_METER, SUPPLY
from dextrum.store.meter_files import meter_from, read_meter, toml_of
from tests.gear_dialects import POWER, SUPPLIES, LoadWire, PowerDialect, PowerWire, SupplyDialect, SupplyWire
from tests.support import LONG

TROUBLES = 1_000 if LONG else 60
"""Of each manner."""


def shipped_as(identity: str) -> Description:
    return next(d for d in shipped_descriptions() if d.id == identity)


def power_description(dialect: PowerDialect) -> PowerMeterDescription:
    found = shipped_as(dialect.description)
    assert isinstance(found, PowerMeterDescription)
    return found


def supply(dialect: SupplyDialect, wire: SupplyWire, channel: str = "") -> DescribedSupply:
    found = shipped_as(dialect.description)
    assert isinstance(found, SupplyDescription)
    return DescribedSupply(wire, found, channel)


def all_samples(meter: AskedPowerMeter | SendingPowerMeter, rows: int) -> list[tuple[float, float, float]]:
    found: list[tuple[float, float, float]] = []
    until = time.monotonic() + 30.0
    while len(found) < rows and time.monotonic() < until:
        try:
            found += meter.samples()
        except InstrumentError:
            break
    return found


class PowerMeterTest(unittest.TestCase):
    def test_every_manner_is_told_as_it_was(self) -> None:
        self.assertGreaterEqual(len(POWER), 20)
        for dialect in POWER:
            with self.subTest(dialect.name):
                wire = PowerWire(dialect)
                description = power_description(dialect)
                meter = power_meter_of(description, wire) if dialect.asks else \
                    SendingPowerMeter(wire, description, 0.0)
                if not dialect.asks:
                    time.sleep(0.05)
                found = all_samples(meter, wire.rows)
                self.assertEqual(len(found), wire.rows)
                np.testing.assert_allclose([s[1:] for s in found], [s[1:] for s in wire.taken], atol=0.0011)
                seconds = [s[0] for s in found]
                self.assertTrue(all(one < other for one, other in pairwise(seconds)))
                if dialect.clock:
                    np.testing.assert_allclose(seconds, [s[0] for s in wire.taken], atol=0.0051)
                if dialect.clock:
                    self.assertEqual(meter.doubt, "")

    def test_no_trouble_makes_a_sample_that_was_not(self) -> None:
        wrong = told = 0
        for number, dialect in enumerate(POWER):
            generator = np.random.default_rng((11, number))

            def trouble(said: str, generator: np.random.Generator = generator) -> str | None:
                kind = int(generator.integers(12))
                return {0: None, 1: "".join(chr(int(c)) for c in generator.integers(33, 126, 14)), 2: f"{said} {said}",
                        3: "", 4: f"{said} KOHM", 5: "-----", 6: "ERROR 5", 7: f"?{said}"}.get(kind, said)

            for _ in range(TROUBLES // 4):
                wire = PowerWire(dialect, 4, trouble)
                description = power_description(dialect)
                try:
                    meter = power_meter_of(description, wire) if dialect.asks else \
                        SendingPowerMeter(wire, description, 0.0)
                except InstrumentError:
                    continue
                found: list[tuple[float, float, float]] = []
                for _ in range(6):
                    try:
                        found += meter.samples()
                    except InstrumentError:
                        continue
                    if not dialect.asks:
                        time.sleep(0.0005)
                told += len(found)
                wrong += sum(not any(abs(v - volts) < 0.0011 and abs(a - amps) < 0.0011
                                     for _, volts, amps in wire.taken) for _, v, a in found)
        self.assertGreater(told, 100)
        self.assertEqual(wrong, 0)

    def test_a_row_that_is_told_twice_counts_once_and_a_clock_that_begins_again_goes_back(self) -> None:
        reader = SampleReader(power_description(POWER[0]).samples)
        self.assertEqual(len(reader.answer("0.1,5.0,0.4;0.2,5.0,0.4", 1.0)), 2)
        self.assertEqual(reader.answer("0.2,5.0,0.4", 1.1), [])
        self.assertEqual(reader.answer("0.0,5.0,0.4", 1.2), [(0.0, 5.0, 0.4)])

    def test_beyond_its_range_is_no_number_and_nonsense_takes_nothing(self) -> None:
        reader = SampleReader(Samples())
        self.assertEqual([s[1:] for s in reader.answer("9.9E37,0.4", 0.0)], [(inf, 0.4)])
        for text, state in (("5.0,-9.9E37", "range"), ("5.0,9.91E37", "range"), ("5.0", "babbling"),
                            ("72,0.4", "range"), ("5.0 A,0.4 A", "mode"),
                            ("5.0 V,0.4 furlong", "babbling"), ("5.0,0.4,0.3", "babbling"),
                            ("5,0 0,4", "babbling")):
            with self.subTest(text), self.assertRaises(InstrumentError) as caught:
                reader.answer(text, 1.0)
            self.assertEqual(caught.exception.state, state)
        with self.assertRaises(InstrumentError):
            reader.answer("x" * 10, 1.0)

    def test_what_it_counts_is_held_against_what_its_amps_add_up_to(self) -> None:
        description = power_description(next(d for d in POWER if d.name == "seconds, mAh"))

        def doubt(share: float, reset: int = -1) -> str:
            reader, charge = SampleReader(description.samples), 100.0
            for k in range(400):
                charge = 0.0 if k == reset else charge + share * 1.0 * 0.1 / 3.6
                reader.answer(f"{k * 0.1:.2f},5.0,1.0,{charge:.2f}mAh", 0.0)
            return reader.doubt

        self.assertEqual(doubt(1.0), "")
        self.assertEqual(doubt(1.05), "")
        self.assertIn("counts", doubt(1.4))
        self.assertIn("counts", doubt(0.5))
        self.assertEqual(doubt(1.0, reset=200), "", "a counter that was set to nothing begins again")

    def test_a_gap_in_the_rows_is_not_added_up(self) -> None:
        description = power_description(next(d for d in POWER if d.name == "seconds, mAh"))
        reader = SampleReader(description.samples)
        for second, charge in ((0, 0), (1, 0.3), (600, 150.0), (601, 150.3)):
            reader.answer(f"{second},5.0,1.0,{charge}mAh", 0.0)
        self.assertEqual(reader.doubt, "")

    def test_one_that_sends_nothing_is_silent_and_one_that_is_gone_is_gone(self) -> None:
        wire = PowerWire(POWER[7], 0)
        meter = SendingPowerMeter(wire, power_description(POWER[7]), 0.0)
        time.sleep(0.05)
        with self.assertRaises(InstrumentError) as caught:
            meter.samples()
        self.assertEqual(caught.exception.state, "gone")


class SupplyTest(unittest.TestCase):
    def test_every_manner_takes_limits_on_every_channel_and_is_never_switched_on(self) -> None:
        for dialect in SUPPLIES:
            for channel in dialect.channels:
                with self.subTest(dialect.name, channel=channel):
                    wire = SupplyWire(dialect)
                    driver = supply(dialect, wire, channel)
                    driver.limit(4.2, 0.5)
                    self.assertEqual((wire.limits[channel, "VOLT"], wire.limits[channel, "CURR"]), (4.2, 0.5))
                    self.assertTrue(all(v == 0.0 for (at, _), v in wire.limits.items() if at != channel))
                    self.assertEqual(driver.measured(), (0.0, 0.0))
                    self.assertEqual(driver.samples()[0][1:], (0.0, 0.0))
                    self.assertEqual(wire.on, [])

    def test_a_limit_that_was_not_taken_is_told(self) -> None:
        for dialect in SUPPLIES:
            for wire in (SupplyWire(dialect, refuses=True), SupplyWire(dialect, rounds=0.5)):
                with self.subTest(dialect.name), self.assertRaises(InstrumentError) as caught:
                    supply(dialect, wire).limit(4.2, 0.7)
                self.assertIn("Do not switch it on", caught.exception.next_step)

    def test_old_errors_are_not_taken_for_new_ones_and_new_ones_are_told(self) -> None:
        wire = SupplyWire(SUPPLIES[0])
        wire.queue += ['-410,"Query INTERRUPTED"', '-113,"Undefined header"']
        supply(SUPPLIES[0], wire).limit(5.0, 0.3)
        self.assertEqual(wire.queue, [])
        with self.assertRaises(InstrumentError) as caught:
            supply(SUPPLIES[0], SupplyWire(SUPPLIES[0], refuses=True)).limit(0.0, 0.0)
        self.assertIn("-222", caught.exception.happened)

    def test_more_than_it_gives_is_not_sent(self) -> None:
        wire = SupplyWire(SUPPLIES[0])
        with self.assertRaises(InstrumentError):
            supply(SUPPLIES[0], wire).limit(500.0, 0.3)
        self.assertEqual(wire.limits["", "VOLT"], 0.0)

    def test_a_channel_that_it_has_not_and_one_that_does_not_come(self) -> None:
        with self.assertRaises(InstrumentError):
            supply(SUPPLIES[3], SupplyWire(SUPPLIES[3]), "CH9")
        wire = SupplyWire(SUPPLIES[3])
        driver = supply(SUPPLIES[3], wire, "CH2")
        wire.dialect = replace(wire.dialect, identity_of=lambda _channel: "CH1")
        with self.assertRaises(InstrumentError) as caught:
            driver.limit(5.0, 0.3)
        self.assertIn("not CH2", caught.exception.happened)

    def test_files_that_would_switch_it_on_are_refused(self) -> None:
        for command in ("OUTP ON", "OUTP 1", "output:state on", "OUT1", ":OUTP:STAT 1", "OUTP2 ON", "OUTPUT1:STATE ON"):
            self.assertTrue(SWITCHES_ON.search(command), command)
        for command in ("OUTP?", "OUTP OFF", "OUTP 0", "VOUT1?", "OUT0", "VOLT 1", "INST OUT2"):
            self.assertFalse(SWITCHES_ON.search(command), command)
        told = {"format": "dextrum-meter", "schema": 1, "kind": "supply", "id": "x", "name": "X", "set_volts":
                "VOLT {volts}", "set_amps": "CURR {amps}", "ask_volts": "VOLT?", "ask_amps": "CURR?"}
        meter_from(told, "x")
        for change in ({"hello": {"send": ["OUTP ON"]}}, {"set_volts": "VOLT {volts};OUTP 1"}, {"set_amps": "CURR"},
                       {"hello": {"ask": "OUTP ON"}}, {"hello": {"errors": "OUTP 1"}},
                       {"denies": ["OUTP ON"]}, {"channels": ["1;OUTP ON"], "select": ["INST {channel}"]},
                       {"channels": ["P ON"], "select": ["OUT{channel}"]}, {"channels": ["A@B"]},
                       {"select": ["INST {channel}"]}, {"kind": "toaster"}, {"most_volts": -1}):
            with self.subTest(change), self.assertRaises(ImportRefusedError):
                meter_from({**told, **change}, "x")


    def test_nor_can_a_file_of_another_kind(self) -> None:
        for kind, more in (("multimeter", {"manner": "asks", "modes": [
                {"quantity": "diode", "ask": "READ?", "check": "OUTP ON", "is_set": ["1"]}]}),
                ("power_meter", {"manner": "asks", "ask": ["READ?"], "hello": {"ask": "OUTP ON"}}),
                ("port_tester", {"ask": "OUT1"})):
            with self.subTest(kind), self.assertRaises(ImportRefusedError) as caught:
                meter_from({"format": "dextrum-meter", "schema": 1, "kind": kind, "id": "x", "name": "X", **more}, "x")
            self.assertIn("switches the output on", str(caught.exception))


class TesterTest(unittest.TestCase):
    class Wire:
        def __init__(self, answer: str) -> None:
            self.said: list[str] = []
            self.answer = answer

        def write(self, text: str) -> None:
            self.said.append("MAKER,TESTER,0,1" if text == "*IDN?" else self.answer)

        def read_line(self) -> str:
            return self.said.pop(0)

        def close(self) -> None: ...

    def test_pads_come_in_any_order_and_in_millivolts(self) -> None:
        usual = shipped_as("tester-scan")
        assert isinstance(usual, TesterDescription)
        order = tuple(reversed(PADS))
        shown = {pad: 0.300 + k / 1000 for k, pad in enumerate(PADS)}
        wire = self.Wire(";".join("OL" if pad == "A5" else f"{1000 * shown[pad]:.0f}" for pad in order))
        tester = DescribedTester(wire, replace(usual, order=order, between=";", unit="mV"))
        scan = tester.scan()
        self.assertEqual(scan[PADS.index("A5")], inf)
        self.assertAlmostEqual(scan[PADS.index("B12")], shown["B12"], places=6)
        for answer in (",".join(["0.5"] * 23), ",".join(["0.5"] * 23 + ["abc"]), "", ",".join(["0.5"] * 23 + ["99"])):
            with self.subTest(answer), self.assertRaises((InstrumentError, IndexError)):
                DescribedTester(self.Wire(answer or "-"), usual).scan()


class SearchTest(unittest.TestCase):
    def found(self, wire: object) -> tuple[str, str] | None:
        ordered = [d for kind in DESCRIBED for d in of_kind(kind, shipped_descriptions())]
        told = which_meter("x", ordered, lambda _resource, _wire: wire)  # type: ignore[arg-type, return-value]
        return (told[0].kind, told[0].id) if told is not None else None

    def test_each_is_found_as_what_it_is(self) -> None:
        self.assertEqual(self.found(PowerWire(POWER[0])), (POWER_METER, "power-fetch-rows"))
        for dialect in SUPPLIES[:3]:
            self.assertEqual(self.found(SupplyWire(dialect)), (SUPPLY, "supply-scpi"), dialect.name)

    def test_a_load_is_neither_supply_nor_meter(self) -> None:
        self.assertIsNone(self.found(LoadWire(SUPPLIES[0])))

    def test_one_that_says_no_is_not_claimed_and_nothing_is_set_by_asking(self) -> None:
        wire = SupplyWire(SUPPLIES[0])
        wire.limits["", "VOLT"] = 3.3
        self.found(wire)
        self.assertEqual((wire.limits["", "VOLT"], wire.on), (3.3, []))


class FileTest(unittest.TestCase):
    def test_each_shipped_one_is_read_back_as_it_was_written(self) -> None:
        for description in shipped_descriptions():
            with self.subTest(description.id), tempfile.TemporaryDirectory() as folder:
                path = Path(folder) / "one.toml"
                path.write_text(toml_of(description), "ascii")
                self.assertEqual(read_meter(path), description)

    def test_every_kind_of_instrument_has_files_and_a_first_one(self) -> None:
        self.assertEqual(set(DESCRIBED), set(KIND_WORDS))
        for kind, one in DESCRIBED.items():
            ids = [d.id for d in of_kind(kind, shipped_descriptions())]
            self.assertEqual(ids[0], one.first)

    def test_a_shops_own_file_is_used_with_the_channel_its_name_says(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            data = Path(folder)
            (data / "meters").mkdir()
            usual = shipped_as("supply-channels")
            assert isinstance(usual, SupplyDescription)
            own = replace(usual, id="mine", channels=("CH1", "CH2", "CH3"))
            (data / "meters" / "mine.toml").write_text(toml_of(own), "ascii")
            self.assertIn(own, known_instruments(data))
            self.assertEqual([identity for identity, _ in manners_of(own)], ["mine@CH1", "mine@CH2", "mine@CH3"])
            wire = SupplyWire(replace(SUPPLIES[3], channels=("CH1", "CH2", "CH3")))
            driver = open_meter(named("mine@CH3", "TCPIP::x"), data, lambda _resource, _wire: wire, kind=SUPPLY)
            driver.limit(5.0, 0.2)
            self.assertEqual(wire.limits["CH3", "VOLT"], 5.0)
            with self.assertRaises(InstrumentError):
                open_meter(named("mine", "TCPIP::x"), data, lambda _resource, _wire: wire, kind=MULTIMETER)

    def test_what_is_wrong_in_a_file_is_told_with_its_place(self) -> None:
        told = {"format": "dextrum-meter", "schema": 1, "kind": "power_meter", "id": "x", "name": "X",
                "manner": "asks", "ask": ["READ?"]}
        meter_from(told, "x")
        for change, place in (({"ask": []}, "ask"), ({"samples": {"pattern": "(?P<volts>1)"}}, "samples"),
                              ({"samples": {"index_seconds": 1.0}}, "samples"), ({"ask": ["A", "B", "C"]}, "questions"),
                              ({"samples": {"nothing": ["("]}}, "samples"), ({"manner": "sings"}, "manner"),
                              ({"samples": {"low_volts": 9.0, "high_volts": 1.0}}, "samples")):
            with self.subTest(change), self.assertRaises(ImportRefusedError) as caught:
                meter_from({**told, **change}, "x.toml")
            self.assertIn(place, str(caught.exception))

    def test_a_number_of_thousands_of_digits_is_refused_in_words(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "long.toml"
            path.write_text(f'format = "dextrum-meter"\nschema = {"9" * 5000}\n')
            with self.assertRaises(ImportRefusedError):
                read_meter(path)
        reader = SampleReader(Samples())
        for row in ("9" * 100_000, "1." * 50_000, "5.0,0.4" + " " * 100_000 + "x"):
            with self.assertRaises(InstrumentError):
                reader.answer(row, 0.0)

    def test_a_driver_is_made_for_each_kind(self) -> None:
        self.assertIsInstance(driver_of(shipped_as("supply-scpi"), SupplyWire(SUPPLIES[0])), DescribedSupply)


if __name__ == "__main__":
    unittest.main()
