"""The CSV of a power meter however it is written: units in cells, half-day clocks, days of a spreadsheet, no mark."""

from __future__ import annotations

import tempfile
import time
import unittest
from dataclasses import replace
from pathlib import Path

from dextrum.app.supply.draw_import import import_words, understood_words
from dextrum.store.draw_csv import DrawFile, read_draw_csv
from dextrum.store.draw_csv_look import AskedShape, CsvLook, columns_from_text, columns_to_text, look_at_csv
from dextrum.store.number_fields import is_number, is_time


class WaysTest(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path = Path(folder.name) / "log.csv"

    def read(self, text: str, encoding: str = "utf-8", asked: AskedShape | None = None) -> tuple[CsvLook, DrawFile]:
        self.path.write_bytes(text.encode(encoding))
        look = look_at_csv(self.path, asked or AskedShape())
        return look, read_draw_csv(self.path, look.shape, look.columns)

    def rows(self, times: list[str], head: str = "time,volts,amps", volts: str = "9.012", amps: str = "1.920") -> str:
        return head + "\n" + "".join(f"{t},{volts},{amps}\n" for t in times)

    def lasts(self, file: DrawFile) -> float:
        return float(file.tidied.samples.seconds[-1])

    def test_units_in_the_cells(self) -> None:
        _, file = self.read(self.rows([f"{k}" for k in range(30)], volts="9012 mV", amps="192000 \u00b5A"))
        self.assertAlmostEqual(float(file.tidied.samples.volts[0]), 9.012)
        self.assertAlmostEqual(float(file.tidied.samples.amps[0]), 0.192)

    def test_half_day_clocks(self) -> None:
        times = [f"11:59:{k:02d} AM" for k in range(60)] + [f"12:00:{k:02d} PM" for k in range(60)]
        _, file = self.read(self.rows(times))
        self.assertEqual(self.lasts(file), 119.0)

    def test_days_as_a_spreadsheet_counts_them(self) -> None:
        look, file = self.read(self.rows([f"{46353.5 + k / 86400:.8f}" for k in range(60)]))
        self.assertEqual(look.columns.time_kind, "days")
        self.assertAlmostEqual(self.lasts(file), 59.0, delta=0.01)

    def test_microseconds_since_an_epoch(self) -> None:
        look, file = self.read(self.rows([f"{1_790_000_000_000_000 + k * 100_000}" for k in range(60)]))
        self.assertEqual(look.columns.time_kind, "us")
        self.assertAlmostEqual(self.lasts(file), 5.9, delta=0.01)

    def test_a_clock_that_is_put_back_or_on(self) -> None:
        for first, second in (("02", "02"), ("01", "03")):
            times = [f"2026-10-25T{first}:59:{k:02d}" for k in range(0, 60, 2)]
            times += [f"2026-10-25T{second}:00:{k:02d}" for k in range(0, 60, 2)]
            _, file = self.read(self.rows(times))
            self.assertEqual((self.lasts(file), file.clock_changes), (118.0, 1))
            self.assertIn("by an hour", import_words(file, "x"))

    def test_the_day_may_stand_apart_from_the_clock(self) -> None:
        rows = "date;clock;volts;amps\n" + "".join(
            f"{day};{clock};9,01;1,92\n" for day, clock in (("31.12.2026", "23:59:58"), ("31.12.2026", "23:59:59"),
                                                          ("01.01.2027", "00:00:00"), ("01.01.2027", "00:00:01")))
        look, file = self.read(rows)
        self.assertEqual((look.columns.day, look.columns.time, look.columns.time_kind), (0, 1, "iso"))
        self.assertEqual(self.lasts(file), 3.0)
        look, file = self.read(rows.replace("date;clock", "clock;date").replace(
            "31.12.2026;23:59:58", "23:59:58;31.12.2026").replace("31.12.2026;23:59:59", "23:59:59;31.12.2026").replace(
            "01.01.2027;00:00:00", "00:00:00;01.01.2027").replace("01.01.2027;00:00:01", "00:00:01;01.01.2027"))
        self.assertEqual((look.columns.day, look.columns.time), (1, 0))
        self.assertEqual(self.lasts(file), 3.0)

    def test_the_month_is_first_where_the_file_proves_it(self) -> None:
        for days, kind in ((("1/30/2026", "1/31/2026"), "iso_month_first"), (("30/1/2026", "31/1/2026"), "iso"),
                           (("30.1.2026", "31.1.2026"), "iso")):
            times = [f"{days[0]} 23:59:59", f"{days[1]} 00:00:00", f"{days[1]} 00:00:01"]
            look, file = self.read(self.rows(times))
            self.assertEqual((look.columns.time_kind, self.lasts(file)), (kind, 2.0), days)

    def test_a_time_with_its_zone_needs_no_putting_right_and_a_steady_clock_is_left_alone(self) -> None:
        times = [f"2026-10-25T02:59:{k:02d}+02:00" for k in range(0, 60, 2)]
        times += [f"2026-10-25T02:00:{k:02d}+01:00" for k in range(0, 60, 2)]
        _, file = self.read(self.rows(times))
        self.assertEqual((self.lasts(file), file.clock_changes), (118.0, 0))
        gap = [f"2026-05-25T{hour}:{minute}:{k:02d}" for hour, minute in (("01", "59"), ("03", "00"))
               for k in range(0, 60, 2)]
        look, file = self.read(self.rows(gap))
        self.assertEqual(self.lasts(file), 118.0, "taken as a clock put on")
        steady = read_draw_csv(self.path, look.shape, replace(look.columns, zone="steady"))
        self.assertEqual(self.lasts(steady), 3718.0)

    def test_the_first_rows_are_shown_as_they_are_understood(self) -> None:
        look, _ = self.read("t;U;I\n0,0;5,01;312 mA\n0,5;5,02;x\n1,0;5,03;0,310\n")
        said = understood_words(look, look.columns).splitlines()
        self.assertEqual(said[0], "line 2 is read as   0.000 s   5.0100 V   0.31200 A")
        self.assertIn("line 3 would not be read", said[1])
        self.assertIn("volts", understood_words(look, replace(look.columns, volts=-1)))

    def test_what_was_chosen_is_remembered_and_what_older_versions_kept_still_counts(self) -> None:
        look, _ = self.read(self.rows(["0", "1", "2"]))
        chosen = replace(look.columns, zone="steady", every_seconds=2.0)
        self.assertEqual(columns_from_text(columns_to_text(chosen), look.shape), chosen)
        self.assertEqual(columns_from_text("0,1,2,-1,s,V,A,W,1.0", look.shape), look.columns)
        for text in ("", "0,1,2,-1,s,V,A,W,1.0,9,local", "0,1,2,-1,s,V,A,W,1.0,-1,mars", "0,1,2,-1,s,V,A,W,1.0,-1"):
            self.assertIsNone(columns_from_text(text, look.shape), text)

    def test_a_field_of_thousands_of_letters_takes_no_time(self) -> None:
        for odd in ("9" * 50_000, "9" * 50_000 + "x", "-" * 50_000, "9." * 20_000):
            begun = time.process_time()
            _, file = self.read(self.rows(["0", "1", odd[:50_000], "2", "3"], volts="9.0"))
            self.assertLessEqual(len(file.tidied.samples), 4)
            self.assertFalse(is_number(odd) or is_time(odd))
            self.assertLess(time.process_time() - begun, 1.0, odd[:4])

    def test_two_bytes_a_letter_without_a_mark(self) -> None:
        for encoding in ("utf-16-le", "utf-16-be"):
            _, file = self.read(self.rows([f"{k}" for k in range(30)]), encoding)
            self.assertEqual(len(file.tidied.samples), 30)

    def test_without_a_time_column_it_is_said_and_can_be_put_right(self) -> None:
        look, file = self.read("volts,amps\n" + "9.012,1.920\n" * 40)
        self.assertEqual(look.columns.time, -1)
        self.assertIn("a row every 1 s assumed", import_words(file, "x"))

    def test_a_rising_column_is_offered_as_time_and_a_count_of_rows_is_not(self) -> None:
        text = "".join(f"{k / 10},9.0,1.9\n" for k in range(40))
        self.assertEqual(self.read("lap,volts,amps\n" + text)[0].columns.time, 0)
        self.assertEqual(self.read("index,volts,amps\n" + text)[0].columns.time, -1)

    def test_how_it_is_written_can_be_said(self) -> None:
        text = "made by a bench\nsecond line 1,2,3\n" + "".join(f"{k},9.012,1.92\n" for k in range(40))
        look, file = self.read(text, asked=AskedShape(",", False, 12))
        self.assertEqual(look.shape.data_from, 12)
        self.assertEqual(len(file.tidied.samples), 30)


if __name__ == "__main__":
    unittest.main()
