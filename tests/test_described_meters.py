"""Meters by description: files read strictly, forty dialects understood, nothing claimed that was not verified, no
wrong value in any trouble."""

from __future__ import annotations

import tempfile
import time
import tomllib
import unittest
from math import inf
from pathlib import Path

import numpy as np

from dextrum.app.bench.described_meters import (
    known_meters,
    open_meter,
    shipped_descriptions,
    shipped_meters,
    which_meter,
)
from dextrum.app.bench.listen_to import Recognised, recognise
from dextrum.errors import ImportRefusedError, InstrumentError
from dextrum.instruments.described.described_meters import AskedMeter, SendingMeter
from dextrum.instruments.described.description import MeterDescription, Mode, Value
from dextrum.instruments.described.kinds import DESCRIBED, Description
from dextrum.instruments.described.listening import Heard, described_from, sense_of
from dextrum.instruments.described.resource_names import split_resource
from dextrum.instruments.described.understanding import understood, unit_of
from dextrum.instruments.described.wire import Hello, Wire
from dextrum.instruments.protocols import Link
from dextrum.store.meter_files import meter_from, meter_schema, meters_in, read_meter, toml_of
from tests.dialects import DIALECTS, Dialect, DialectWire
from tests.support import LONG

TROUBLES = 1_000 if LONG else 120
"""Of each dialect."""


def opener(dialect: Dialect) -> object:
    def open_it(_resource: str, _wire: Wire) -> Link:
        return DialectWire(dialect)

    return open_it


def line_meter(*lines: str, identity: str = "lines-value-unit-mode") -> list[float | str]:
    """What a shipped line description makes of lines, asked for diode; the state of what it refuses."""
    description = next(d for d in shipped_meters() if d.id == identity)
    found: list[float | str] = []
    for line in lines:
        try:
            mode = description.mode("diode")
            assert mode is not None
            found.append(understood(description, mode, line))
        except InstrumentError as problem:
            found.append(problem.state)
    return found


def meter_as(description: Description, wire: Link) -> AskedMeter:
    assert isinstance(description, MeterDescription)
    return AskedMeter(wire, description)


class DialectTest(unittest.TestCase):
    def test_at_least_38_of_40_are_usable_as_shipped(self) -> None:
        self.assertGreaterEqual(len(DIALECTS), 40)
        usable = []
        for dialect in DIALECTS:
            found = which_meter("x", shipped_meters(), opener(dialect))  # type: ignore[arg-type]
            if found is None:
                continue
            wire = DialectWire(dialect)
            meter = meter_as(found[0], wire)
            try:
                right = all(abs(meter.read(mode) / value - 1.0) < 0.02 for mode, value in wire.at_probes.items())
                wire.at_probes["diode"] = inf
                right = right and meter.read("diode") == inf
            except InstrumentError:
                right = False
            if right:
                usable.append(dialect.name)
        self.assertGreaterEqual(len(usable), round(0.95 * len(DIALECTS)),
                                sorted({d.name for d in DIALECTS} - set(usable)))

    def test_names_and_serial_numbers_are_taken_from_the_greeting(self) -> None:
        found = which_meter("x", shipped_meters(), opener(DIALECTS[0]))  # type: ignore[arg-type]
        assert found is not None
        self.assertEqual(found[1:], ("MODEL 1", "SN001"))

    def test_no_trouble_ever_makes_a_wrong_value(self) -> None:
        wrong = 0
        for number, dialect in enumerate(DIALECTS):
            found = which_meter("x", shipped_meters(), opener(dialect))  # type: ignore[arg-type]
            if found is None:
                continue
            generator = np.random.default_rng((7, number))

            def trouble(said: str, generator: np.random.Generator = generator) -> str | None:
                kind = int(generator.integers(8))
                if kind == 0:
                    return None
                if kind == 1:
                    return "".join(chr(int(c)) for c in generator.integers(33, 126, 12))
                if kind == 2:
                    return f"{said} {said}"
                if kind == 3:
                    return ""
                if kind == 4:
                    return f"{said}, KOHM"
                if kind == 5:
                    return "-" * 5
                return said

            meter: AskedMeter | None = None
            for _ in range(TROUBLES):
                wire = DialectWire(dialect, trouble)
                value = float(generator.uniform(0.2, 0.8))
                wire.at_probes["diode"] = value
                try:
                    meter = meter_as(found[0], wire)
                    read = meter.read("diode")
                except InstrumentError:
                    continue
                wrong += abs(read - value) > 0.002
        self.assertEqual(wrong, 0)

    def test_a_knob_that_was_turned_is_noticed_within_ten_readings(self) -> None:
        wire = DialectWire(DIALECTS[0])
        found = which_meter("x", shipped_meters(), opener(DIALECTS[0]))  # type: ignore[arg-type]
        assert found is not None
        meter = meter_as(found[0], wire)
        meter.read("diode")
        wire.mode = "resistance"
        states = []
        for _ in range(11):
            try:
                meter.read("diode")
            except InstrumentError as problem:
                states.append(problem.state)
        self.assertIn("mode", states)

    def test_what_is_no_multimeter_is_not_claimed(self) -> None:
        class Load:
            """An electronic load: it says who it is, a mode of its own, and volts."""

            def __init__(self) -> None:
                self.answers: list[str] = []

            def write(self, text: str) -> None:
                said = {"*IDN?": "MAKER,LOAD,1,1", "FUNC?": "CURR", "VOLT?": "5.00", "MEAS:VOLT?": "5.00"}.get(text)
                self.answers += [said] if said else []

            def read_line(self) -> str:
                if not self.answers:
                    raise InstrumentError("silent", "nothing")
                return self.answers.pop(0)

            def close(self) -> None:
                self.answers.clear()

        self.assertIsNone(which_meter("x", shipped_meters(), lambda _r, _w: Load()))
        self.assertIsNone(which_meter("x", shipped_descriptions(), lambda _r, _w: Load()))

    def test_one_that_is_silent_is_asked_little(self) -> None:
        opened: list[float] = []

        class Silent:
            def write(self, _text: str) -> None:
                opened.append(time.monotonic())

            def read_line(self) -> str:
                raise InstrumentError("silent", "nothing")

            def close(self) -> None:
                pass

        self.assertIsNone(which_meter("x", shipped_meters(), lambda _r, _w: Silent()))
        self.assertLessEqual(len(opened), 2)


class LineTest(unittest.TestCase):
    def test_lines_as_plain_meters_send_them(self) -> None:
        self.assertEqual(line_meter("0.512 V DIODE", "512 mV", "0.512V", "+0.512 V DIO", "OL V DIODE", "0.512,V,DIODE",
                                    "5.12E-1 V", "OLV"),
                         [0.512, 0.512, 0.512, 0.512, inf, 0.512, 0.512, inf])

    def test_other_modes_units_and_nonsense_are_refused(self) -> None:
        lines = ("1.2 kOhm RES", "OL MOhm", "4.98 V VDC", "0.5 A", "", "abc", "1 2 V", "12 V")
        self.assertEqual(line_meter(*lines),
                         ["mode", "mode", "mode", "mode", "babbling", "babbling", "babbling", "range"])

    def test_the_mode_may_come_first(self) -> None:
        self.assertEqual(line_meter("DI 0.512 V", "DIODE: 0.512", "OHM 12 kOhm", "DI,OL,V", "DC 0.5 V",
                                    identity="lines-mode-value-unit"), [0.512, 0.512, "mode", inf, "mode"])

    def test_units_tell_mega_from_milli(self) -> None:
        self.assertEqual((unit_of("mV"), unit_of("MOhm"), unit_of("k\u03a9"), unit_of("VDC"), unit_of("furlong")),
                         (("V", 1e-3), ("ohm", 1e6), ("ohm", 1e3), ("V", 1.0), None))

    def test_a_sending_meter_reads_the_next_line_only(self) -> None:
        class Lines:
            def __init__(self) -> None:
                self.sent = iter(["0.100 V DIODE", *["0.512 V DIODE"] * 400])

            def write(self, _text: str) -> None: ...

            def read_line(self) -> str:
                time.sleep(0.01)
                return next(self.sent)

            def close(self) -> None: ...

        description = next(d for d in shipped_meters() if d.id == "lines-value-unit-mode")
        meter = SendingMeter(Lines(), description, queued_seconds=0.05)
        self.addCleanup(meter.close)
        self.assertEqual(meter.read("diode"), 0.512)


class AskedAtEverySpeedTest(unittest.TestCase):
    """A meter that is asked, at another speed, that repeats what it is told and stands behind a prompt."""

    def found(self, baud: int, ends: str, echo: bool, prompt: str, data: Path) -> Recognised:
        class Wired:
            """Says nothing that can be read at another speed or with other ends of lines."""

            def __init__(self, wire: Wire) -> None:
                self.meter = DialectWire(DIALECTS[0])
                self.right = (wire.baud, wire.ends) == (baud, ends)
                self.lines: list[str] = []

            def write(self, text: str) -> None:
                if not self.right:
                    return
                self.meter.write(text)
                if echo:
                    self.lines.append(f"{prompt}{text}")
                told = [self.meter.read_line()] if self.meter._answers else []
                self.lines += [one if echo else f"{prompt}{one}" for one in told]

            def read_line(self) -> str:
                if not self.lines:
                    raise InstrumentError("silent", "nothing")
                return self.lines.pop(0)

            def close(self) -> None:
                self.lines.clear()

        told = recognise("ASRL/dev/x::INSTR", data, lambda _resource, wire: Wired(wire), seconds=0.01)
        description = next(d for d in known_meters(data) if d.id == told.description)
        meter = AskedMeter(Wired(description.wire), description)
        self.assertAlmostEqual(meter.read("diode"), 0.512)
        self.assertAlmostEqual(meter.read("resistance"), 1234.5)
        return told

    def test_speed_echo_and_prompt_are_found_and_written_down(self) -> None:
        for baud, ends, echo, prompt in ((19200, "\n", False, ""), (9600, "\r", False, ""), (2400, "\n", True, ""),
                                         (9600, "\n", True, "=> "), (115200, "\n", False, "> "),
                                         (4800, "\r", True, "> ")):
            with self.subTest(baud=baud, echo=echo, prompt=prompt), tempfile.TemporaryDirectory() as folder:
                told = self.found(baud, ends, echo, prompt, Path(folder))
                self.assertEqual((told.wire.baud, told.wire.ends, told.wire.echo, told.wire.prompt),
                                 (baud, ends, echo, prompt.strip()))
                self.assertEqual(len(meters_in(Path(folder) / "meters")[0]), 1)

    def test_one_that_answers_as_usual_needs_no_file(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            told = self.found(9600, "\n", False, "", Path(folder))
            self.assertEqual(told.description, "scpi-configure")
            self.assertFalse((Path(folder) / "meters").exists())


class FileTest(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def described(self, wire: Wire = Wire(), hello: Hello = Hello(), value: Value = Value()) -> MeterDescription:  # noqa: B008
        return MeterDescription("dextrum-meter", 1, "mine", "my meter", "asks", (Mode("diode", ("F3",), ask="R?"),),
                                "", wire, hello, value)

    def test_each_shipped_one_is_written_and_read_back(self) -> None:
        self.assertGreaterEqual(len(shipped_meters()), 9)
        for description in shipped_meters():
            with self.subTest(description.id):
                self.assertEqual(meter_from(tomllib.loads(toml_of(description)), "x"), description)

    def test_a_shops_own_takes_the_place_of_a_shipped_one_and_a_bad_one_is_told(self) -> None:
        own = self.folder / "meters"
        own.mkdir()
        (own / "a.toml").write_text(toml_of(self.described()))
        (own / "b.toml").write_text("format = 'dextrum-meter'\nschema = 1\nid = 'x'\n")
        found, wrong = meters_in(own)
        self.assertEqual([d.id for d in found], ["mine"])
        self.assertIn("b.toml", wrong[0])
        self.assertEqual(known_meters(self.folder)[0].id, "mine")

    def test_nonsense_is_refused_with_its_place(self) -> None:
        good = toml_of(self.described())
        for change, place in (("schema = 1", "schema = 2"), ('manner = "asks"', 'manner = "shouts"'),
                              ('ask = "R?"', 'ask = 5'), ('id = "mine"', 'id = "My Meter"'),
                              ('ask = "R?"', 'ask = "R?"\nis_set = ["("]'), ('ask = "R?"', ""),
                              ('name = "my meter"', 'name = "my meter"\ncolour = "red"')):
            with self.subTest(place):
                self.assertIn(change, good)
                path = self.folder / "bad.toml"
                path.write_text(good.replace(change, place))
                with self.assertRaises(ImportRefusedError) as refused:
                    read_meter(path)
                self.assertIn("bad.toml", refused.exception.happened)
        (self.folder / "bad.toml").write_bytes(b"\xff\xfe\x00")
        with self.assertRaises(ImportRefusedError):
            read_meter(self.folder / "bad.toml")

    def test_the_schema_names_every_field(self) -> None:
        described = meter_schema()["$defs"]
        for kind in DESCRIBED.values():
            with self.subTest(kind.first):
                self.assertEqual(set(described[kind.description.__name__]["properties"]),
                                 set(kind.description.__dataclass_fields__))

    def test_farads_come_in_any_of_their_units_and_nothing_else_is_taken_for_them(self) -> None:
        for description in shipped_meters():
            mode = description.mode("capacitance") if isinstance(description, MeterDescription) else None
            if mode is None:
                continue
            with self.subTest(description.id):
                self.assertEqual(description.declaration.quantity("capacitance").unit, "nF")
                if description.id.startswith("lines"):
                    for line, farads in (("220.0 nF", 220.0), ("0.022 uF", 22.0), ("4.7E-6 F", 4700.0)):
                        self.assertAlmostEqual(understood(description, mode, self.as_line(description, line)), farads)
                    with self.assertRaises(InstrumentError) as refused:
                        understood(description, mode, self.as_line(description, "220 OHM"))
                    self.assertEqual(refused.exception.state, "mode")
                else:
                    self.assertAlmostEqual(understood(description, mode, "2.2000E-07"), 220.0)
                    self.assertEqual(understood(description, mode, "+9.90000000E+37"), inf)
                    with self.assertRaises(InstrumentError):
                        understood(description, mode, "3.0")

    @staticmethod
    def as_line(description: Description, line: str) -> str:
        """A value and its unit as this line meter sends them."""
        return f"CAP {line}" if description.id == "lines-mode-value-unit" else line

    def test_decimal_comma_factor_overload_and_invalid(self) -> None:
        value = Value(r"(?P<value>[+-]?\d+,\d+)", ",", ("1,",), (r"\?+",))
        described = self.described(value=value)
        mode = Mode("diode", ask="R?", unit="mV", factor=10.0, overload_from=99.0)
        self.assertAlmostEqual(understood(described, mode, "51,2"), 0.512)
        self.assertEqual(understood(described, mode, "1,"), inf)
        self.assertEqual(understood(described, mode, "99,9"), inf)
        for line, state in (("???", "range"), ("51.2", "babbling")):
            with self.subTest(line), self.assertRaises(InstrumentError) as refused:
                understood(described, mode, line)
            self.assertEqual(refused.exception.state, state)

    def test_echo_and_prompt_are_taken_off(self) -> None:
        class Echoing:
            def __init__(self) -> None:
                self.lines: list[str] = []

            def write(self, text: str) -> None:
                self.lines += [text, "=> 0.512 V" if text == "R?" else "=>"]

            def read_line(self) -> str:
                if not self.lines:
                    raise InstrumentError("silent", "nothing")
                return self.lines.pop(0)

            def close(self) -> None: ...

        described = self.described(wire=Wire(echo=True, prompt="=> "), hello=Hello(ask=""))
        meter = AskedMeter(Echoing(), described)
        self.assertAlmostEqual(meter.read("diode"), 0.512)
        self.assertEqual(meter.name, "my meter")

    def test_continuity_is_read_by_resistance_where_nothing_else_is_described(self) -> None:
        described = MeterDescription("dextrum-meter", 1, "ohms", "ohms", "asks", (Mode("resistance", ask="R?",
                                                                                      unit="ohm"),))
        self.assertEqual(described.declaration.quantity("continuity").unit, "ohm")
        with self.assertRaises(KeyError):
            described.declaration.quantity("diode")

    def test_resources_name_their_description(self) -> None:
        self.assertEqual(split_resource("METER:mine:TCPIP::1.2.3.4::5025::SOCKET"),
                         ("mine", "TCPIP::1.2.3.4::5025::SOCKET"))
        with self.assertRaises(InstrumentError):
            open_meter("METER:nobody:x", self.folder)


class ListeningTest(unittest.TestCase):
    """Descriptions made from what unknown meters send; the three touches of a diode of 0.512 V."""

    STYLES = (
        ("0.003 V DIODE", "OL V DIODE", "0.512 V DIODE"), ("0.003", "OL", "0.512"), ("+0.003V", "+O.L V", "+0.512V"),
        ("3.1 mV", "OL mV", "512.4 mV"), ("DI 0.003 V", "DI OL V", "DI 0.512 V"), ("0,003 V", "OL V", "0,512 V"),
        ("0003", "1", "0512"), ("3.0", "2999.0", "512.0"), ("V;0.003;DIO", "V;OVLD;DIO", "V;0.512;DIO"),
        ("D: 3.0E-3 V", "D: ------ V", "D: 5.12E-1 V"), ("0.003V DC", "OVER V DC", "0.512V DC"),
        ("=0.003 V #07", "=OL V #07", "=0.512 V #07"))

    def test_most_manners_of_sending_lines_are_learned(self) -> None:
        learned = []
        for style in self.STYLES:
            try:
                made = described_from(Heard((style[0],) * 5, (style[1],) * 5, (style[2],) * 5), Wire(), "u", "u")
            except InstrumentError:
                continue
            mode = made.description.modes[0]
            self.assertAlmostEqual(understood(made.description, mode, style[2]), 0.512, delta=0.001, msg=style[2])
            self.assertEqual(understood(made.description, mode, style[1]), inf, style[1])
            self.assertEqual(meter_from(tomllib.loads(toml_of(made.description)), "x"), made.description)
            self.assertTrue(made.cannot)
            learned.append(style)
        self.assertGreaterEqual(len(learned), len(self.STYLES) - 2, set(self.STYLES) - set(learned))

    def test_another_mode_is_refused_where_the_line_says_it(self) -> None:
        made = described_from(Heard(*((line,) * 5 for line in self.STYLES[0])), Wire(), "u", "u")
        with self.assertRaises(InstrumentError) as refused:
            understood(made.description, made.description.modes[0], "0.512 V VDC")
        self.assertEqual(refused.exception.state, "mode")

    def test_touches_that_make_no_sense_are_told(self) -> None:
        few, alike = ("0.003 V",), ("0.512 V",) * 5
        for heard in (Heard(few, alike, alike), Heard(alike, ("OL V",) * 5, alike), Heard(alike, alike, alike),
                      Heard(("0.0 V",) * 5, ("OL V",) * 5, ("4.9 V",) * 5), Heard(("x",) * 5, ("y",) * 5, ("z",) * 5)):
            with self.subTest(heard), self.assertRaises(InstrumentError):
                described_from(heard, Wire(), "u", "u")

    def test_the_right_speed_makes_sense_and_a_wrong_one_does_not(self) -> None:
        self.assertGreater(sense_of(["0.512 V", "OL V"]), 0.9)
        self.assertLess(sense_of(["\x80\x03\xff", "\xfe~x", "}{"]), 0.1)
        self.assertEqual(sense_of([]), 0.0)


if __name__ == "__main__":
    unittest.main()
