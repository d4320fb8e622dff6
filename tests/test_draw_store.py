"""CSV of power meters, gear and its record, older entries and files: what is read, refused, and remembered."""

from __future__ import annotations

import sqlite3
import tempfile
import unittest
from contextlib import closing
from datetime import UTC, datetime, timedelta
from pathlib import Path

import numpy as np
import sqlalchemy as sa
from alembic import command
from alembic.config import Config

from dextrum.app.supply.circumstances import DrawCircumstances
from dextrum.app.supply.draw_follow import FollowedFile
from dextrum.app.supply.draw_import import (
    import_words,
    look_at_draw,
    remember_columns,
    trace_csv,
    trace_entry,
)
from dextrum.core.trail import DrawTrace, Gear, JobOpened, Supply
from dextrum.errors import EntryRefusedError, ImportRefusedError
from dextrum.store.database import file_revision
from dextrum.store.draw_csv import DrawFile, read_draw_csv
from dextrum.store.draw_csv_look import ColumnMap, columns_from_text, columns_to_text, look_at_csv
from dextrum.store.entries import new_entry, payload_from_json, payload_to_json
from dextrum.store.gear import add_gear, list_gear, prove_gear, retire_gear
from dextrum.store.jobs import JobStore
from dextrum.store.schema import REVISIONS

NOON = datetime(2026, 3, 12, 12, 0, tzinfo=UTC)


class FileCase(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def file(self, text: str | bytes, name: str = "meter.csv") -> Path:
        path = self.folder / name
        path.write_bytes(text if isinstance(text, bytes) else text.encode())
        return path

    def read(self, text: str | bytes) -> DrawFile:
        found = look_at_csv(self.file(text))
        return read_draw_csv(found.path, found.shape, found.columns)

    def assert_samples(self, file: DrawFile, seconds: list[float], volts: list[float], amps: list[float]) -> None:
        samples = file.tidied.samples
        np.testing.assert_allclose(samples.seconds, seconds)
        np.testing.assert_allclose(samples.volts, volts)
        np.testing.assert_allclose(samples.amps, amps)


class CsvTest(FileCase):
    def test_comma_and_point(self) -> None:
        self.assert_samples(self.read("time,voltage,current\n0,5.05,0.06\n0.5,5.06,0.07\n1,9.0,1.9\n"),
                            [0, 0.5, 1], [5.05, 5.06, 9.0], [0.06, 0.07, 1.9])

    def test_semicolon_decimal_comma_preamble_and_old_encoding(self) -> None:
        text = "Messung am Tisch\nGer\u00e4t;2\n\nZeit;Spannung (V);Strom (mA)\n" \
               "12:00:01;5,05;61,0\n12:00:02;5,05;1.060,5\n12:00:03;5,04;359\n"
        self.assert_samples(self.read(text.encode("latin-1")), [0, 1, 2], [5.05, 5.05, 5.04], [0.061, 1.0605, 0.359])

    def test_columns_in_any_order_in_thousandths(self) -> None:
        text = "I [mA]\tU [mV]\tTimestamp [ms]\n60\t5050\t1000\n61\t5051\t1100\n59\t5049\t1200\n"
        self.assert_samples(self.read(text), [0, 0.1, 0.2], [5.05, 5.051, 5.049], [0.06, 0.061, 0.059])

    def test_watts_stand_in_for_amps_and_other_columns_are_left_alone(self) -> None:
        file = self.read("Timestamp,Power(W),Capacity(mAh),D+ (V),Voltage(V)\n"
                         "2026-03-12T13:10:00.0,0.30,1,2.7,5.0\n2026-03-12T13:10:01.0,9.5,1,2.7,5.0\n")
        self.assert_samples(file, [0, 1], [5, 5], [0.06, 1.9])

    def test_no_header_no_unit(self) -> None:
        self.assert_samples(self.read("0;5,05;0,06\n1;5,05;0,06\n2;5,04;0,36\n"), [0, 1, 2], [5.05, 5.05, 5.04],
                            [0.06, 0.06, 0.36])

    def test_times_as_clock_over_midnight_as_dates_and_as_epochs(self) -> None:
        for times in (("23:59:59", "00:00:00", "00:00:01"),
                      ("12.03.2026 23:59:59", "13.03.2026 0:00:00", "13.03.2026 0:00:01"),
                      ("2026-03-12 23:59:59", "2026-03-13 00:00:00", "2026-03-13 00:00:01"),
                      ("1773360000", "1773360001", "1773360002"), ("1773360000000", "1773360001000", "1773360002000")):
            with self.subTest(times[0]):
                rows = "".join(f"{t};5.0;0.1\n" for t in times)
                self.assert_samples(self.read("time;volts;amps\n" + rows), [0, 1, 2], [5] * 3, [0.1] * 3)

    def test_bad_rows_are_counted_with_their_line_and_reason(self) -> None:
        file = self.read("time,volts,amps\n0,5,0.1\n1,x,0.1\n2,5\n3,999,0.1\n4,5,nan\n5,5,0.1\nend of log\n")
        self.assertEqual([row.line for row in file.refused], [3, 4, 5, 6, 8])
        self.assertEqual((file.refused_count, len(file.tidied.samples)), (5, 2))
        words = import_words(file, "m.csv")
        self.assertIn("5 rows not read (line 3", words)

    def test_doubled_late_and_missing_samples_are_told(self) -> None:
        rows = "".join(f"{t},5,0.1\n" for t in (0, 1, 2, 2, 4, 3, 5, 9))
        file = self.read("time,volts,amps\n" + rows)
        self.assertEqual((file.tidied.doubled, file.tidied.out_of_order, file.tidied.missing), (1, 1, 3))
        self.assertIn("3 missing", import_words(file, "m.csv"))

    def test_a_meter_put_in_backwards_is_turned_round_and_told(self) -> None:
        file = self.read("time,volts,amps\n0,5,-0.3\n1,5,-0.31\n2,5,-0.3\n")
        self.assert_samples(file, [0, 1, 2], [5] * 3, [0.3, 0.31, 0.3])
        self.assertIn("turned round", import_words(file, "m.csv"))
        odd = self.read("time,volts,amps\n0,5,0.3\n1,5,-0.31\n2,5,0.3\n")
        self.assertIn("1 negative currents taken as 0", import_words(odd, "m.csv"))

    def test_what_is_no_table_is_refused_with_nothing_taken(self) -> None:
        for text in (b"", b"   \n", b"hello\nworld\n", b"\x00\x01\x02binary\x00", b"a,b,c\nx,y,z\n"):
            with self.assertRaises(ImportRefusedError) as caught:
                look_at_csv(self.file(text))
            self.assertEqual(caught.exception.kept, "Nothing was taken in.")
        with self.assertRaises(ImportRefusedError):
            look_at_csv(self.folder / "not there.csv")

    def test_columns_that_make_no_sense_are_refused(self) -> None:
        found = look_at_csv(self.file("time,volts,amps\n0,5,0.1\n1,5,0.1\n"))
        for columns in (ColumnMap(0, -1, 2), ColumnMap(0, 1, -1), ColumnMap(0, 1, 1),
                        ColumnMap(-1, 1, 2, every_seconds=0)):
            with self.assertRaises(ImportRefusedError):
                read_draw_csv(found.path, found.shape, columns)
        evenly = read_draw_csv(found.path, found.shape, ColumnMap(-1, 1, 2, every_seconds=0.5))
        self.assert_samples(evenly, [0, 0.5], [5, 5], [0.1, 0.1])

    def test_reading_tells_its_progress_and_can_be_stopped(self) -> None:
        path = self.file("t,u,i\n" + "".join(f"{i},5,0.1\n" for i in range(30_000)))
        found = look_at_csv(path)
        told: list[float] = []

        def go_on(share: float) -> bool:
            told.append(share)
            return True

        read_draw_csv(path, found.shape, found.columns, go_on)
        self.assertEqual(told, sorted(told))
        self.assertGreater(len(told), 5)
        with self.assertRaises(ImportRefusedError):
            read_draw_csv(path, found.shape, found.columns, lambda share: share < 0.3)

    def test_columns_are_remembered_by_source(self) -> None:
        store = JobStore(self.folder / "jobs.sqlite")
        self.addCleanup(store.close)
        text = "t;channel 1;channel 2\n0;0,1;5\n1;0,1;5\n2;0,1;5\n"
        found = look_at_draw(store, self.file(text))
        corrected = ColumnMap(0, 2, 1, amps_unit="mA")
        self.assertNotEqual(found.columns, corrected)
        remember_columns(store, found, corrected)
        self.assertEqual(look_at_draw(store, self.file(text.replace("0,1", "0,2"), "next.csv")).columns, corrected)
        other = look_at_draw(store, self.file(text.replace("channel", "canal"), "other.csv"))
        self.assertNotEqual(other.columns, corrected)

    def test_a_remembered_choice_that_no_longer_fits_is_forgotten(self) -> None:
        shape = look_at_csv(self.file("t;u;i\n0;5;0,1\n1;5;0,1\n")).shape
        good = ColumnMap(0, 1, 2, every_seconds=0.25)
        self.assertEqual(columns_from_text(columns_to_text(good), shape), good)
        for text in ("", "1,2", columns_to_text(ColumnMap(0, 1, 9)), columns_to_text(ColumnMap(0, 1, 1)),
                     columns_to_text(good).replace("mA", "x").replace("A", "furlong")):
            self.assertIsNone(columns_from_text(text, shape))


class TraceEntryTest(FileCase):
    def test_a_file_becomes_an_entry_and_csv_again(self) -> None:
        file = self.read("time,volts,amps\n0,5.05,0.06\n0.5,5.06,0.07\n1,bad,1\n2,9.0,1.9\n")
        how = DrawCircumstances("b", "on", "pushed", "dock", (Gear("supply", "S1", "2026-03-01"),), True)
        trace = trace_entry(file, "meter.csv", how)
        self.assertEqual((trace.count, trace.refused, trace.orientation, trace.switched), (3, 1, "b", "on"))
        again = payload_from_json(payload_to_json(trace), 1)
        self.assertEqual(again, trace)
        self.assertEqual(trace_csv(trace).splitlines()[1:],
                         ["0.000,5.0500,0.06000", "0.500,5.0600,0.07000", "2.000,9.0000,1.90000"])
        self.assert_samples(self.read(trace_csv(trace)), [0, 0.5, 2], [5.05, 5.06, 9.0], [0.06, 0.07, 1.9])

    def test_bad_traces_never_become_entries(self) -> None:
        for make in (lambda: DrawTrace("a", "", 0, 0.0), lambda: DrawTrace("a", "x", 1, -1.0),
                     lambda: DrawTrace("a", "x", 1, 1.0, supply_class="solar"), lambda: Gear("cable", " "),
                     lambda: Gear("cable", "C1", "soon"), lambda: Supply("a", 5.0, 0.1, supply_class="solar")):
            with self.assertRaises(ValueError):
                make()

    def test_supplies_of_the_first_version_still_read(self) -> None:
        old = {"kind": "supply", "orientation": "a", "volts": 5.0, "amps": 0.1, "minute": 2.0, "pattern": "steady",
               "supply_proved": False}
        self.assertEqual(payload_from_json(old, 1), Supply("a", 5.0, 0.1, 2.0, "steady", False))
        with self.assertRaises(ValueError):
            payload_from_json(old, 3)


class FollowTest(FileCase):
    def test_new_rows_come_as_they_are_written_whole(self) -> None:
        path = self.file("t,u,i\n10,5,0.1\n11,5,0.1\n")
        found = look_at_csv(path)
        followed = FollowedFile(found, found.columns)
        self.assertEqual(followed.new_samples(), [(0.0, 5.0, 0.1), (1.0, 5.0, 0.1)])
        self.assertEqual(followed.new_samples(), [])
        with path.open("a") as file:
            file.write("12,5,0.3\n13,5")
        self.assertEqual(followed.new_samples(), [(2.0, 5.0, 0.3)])
        with path.open("a") as file:
            file.write(",0.4\ngarbage\n12,5,0.1\n14,9,1.9\n")
        self.assertEqual(followed.new_samples(), [(3.0, 5.0, 0.4), (4.0, 9.0, 1.9)])
        self.assertEqual(followed.refused, 2)

    def test_a_file_that_shrinks_or_goes_is_told(self) -> None:
        path = self.file("t,u,i\n10,5,0.1\n11,5,0.1\n")
        found = look_at_csv(path)
        followed = FollowedFile(found, found.columns)
        followed.new_samples()
        path.write_text("t,u,i\n")
        with self.assertRaises(ImportRefusedError):
            followed.new_samples()
        path.unlink()
        with self.assertRaises(ImportRefusedError):
            followed.new_samples()


class GearTest(FileCase):
    def setUp(self) -> None:
        super().setUp()
        self.store = JobStore(self.folder / "jobs.sqlite")
        self.addCleanup(self.store.close)

    def test_each_piece_has_its_own_record(self) -> None:
        one = add_gear(self.store, "supply", "S1", "negotiating", NOON)
        add_gear(self.store, "cable", "C1", "", NOON)
        self.assertEqual([(r.kind, r.proved_at) for r in list_gear(self.store)], [("supply", ""), ("cable", "")])
        prove_gear(self.store, one.id, True, "charged a loaner", "Ines", NOON)
        found = list_gear(self.store)[0]
        self.assertEqual((found.as_used(), found.how), (Gear("supply", "S1", "2026-03-12"), "charged a loaner"))

    def test_a_failure_takes_the_proof_away_until_it_proves_good_again(self) -> None:
        one = add_gear(self.store, "supply", "S1", "negotiating", NOON)
        for day, good, proved in ((0, True, "2026-03-12"), (1, False, ""), (2, True, "2026-03-14")):
            prove_gear(self.store, one.id, good, "x", "Ines", NOON + timedelta(days=day))
            found = list_gear(self.store)[0]
            self.assertEqual((found.proved_at[:10], found.failed), (proved, not good))

    def test_put_away_it_keeps_its_record_and_comes_back_under_its_name(self) -> None:
        one = add_gear(self.store, "supply", "S1", "negotiating", NOON)
        prove_gear(self.store, one.id, True, "x", "Ines", NOON)
        retire_gear(self.store, one.id, NOON)
        self.assertEqual(list_gear(self.store), ())
        back = add_gear(self.store, "supply", " S1 ", "default_5v", NOON)
        self.assertEqual((back.id, back.supply_class, back.proved_at[:10]), (one.id, "default_5v", "2026-03-12"))

    def test_a_piece_without_a_name_is_refused(self) -> None:
        for kind, name in (("supply", "  "), ("kettle", "K"), ("cable", "x" * 100)):
            with self.assertRaises(EntryRefusedError):
                add_gear(self.store, kind, name, "", NOON)

    def test_a_file_of_the_first_revision_is_copied_whole_and_upgraded(self) -> None:
        job = self.store.create(new_entry(JobOpened("S-1", "Duo", "tarnwick-duo-c"), "x"))
        self.store.close()
        path = self.folder / "jobs.sqlite"
        with closing(sqlite3.connect(path)) as db:
            db.executescript("drop table gear_proofs; drop table gear; drop table known_good; "
                             "drop table boards_taken_out; drop table ledger; drop table part_uses; "
                             "drop index jobs_by_closing; drop index entries_of_own_units; "
                             "alter table jobs drop column closed_at; "
                             "drop index jobs_by_arrival; "
                             "drop index jobs_open_by_arrival; drop index jobs_waiting; "
                             "drop index jobs_by_serial; drop index jobs_of_pack; "
                             "alter table jobs drop column waits_until; "
                             "update jobs set waits_for = 'cell | coming back|2026-03-12T14:20'; "
                             "update alembic_version set version_num = '0001'")
        again = JobStore(path)
        self.addCleanup(again.close)
        self.assertEqual(len(again.trail(job)), 1)
        row, = again.shelf()
        self.assertEqual((row.waits_for, row.waits_until), ("cell | coming back", "2026-03-12T14:20"))
        self.assertEqual(add_gear(again, "dock", "K1", "", NOON).name, "K1")
        copy = self.folder / f"jobs.before-{REVISIONS[-1]}.sqlite"
        with closing(sqlite3.connect(copy)) as db:
            self.assertEqual(db.execute("select count(*) from entries").fetchone(), (1,))
            self.assertEqual(db.execute("select version_num from alembic_version").fetchone(), ("0001",))

    def test_a_file_of_every_earlier_revision_gets_the_tables_of_a_new_one(self) -> None:
        def tables(path: Path) -> dict[str, set[str]]:
            with closing(sqlite3.connect(path)) as db:
                names = [name for name, in db.execute("select name from sqlite_master where type = 'table'")]
                return {name: {row[1] for row in db.execute(f"pragma table_info({name})")} for name in names}

        wanted = tables(self.folder / "jobs.sqlite")
        for revision in REVISIONS[:-1]:
            with self.subTest(revision=revision):
                path = self.folder / f"of-{revision}" / "jobs.sqlite"
                path.parent.mkdir()
                engine = sa.create_engine(f"sqlite:///{path}")
                config = Config()
                config.set_main_option("script_location", "dextrum.store:migrations")
                with engine.begin() as connection:
                    config.attributes["connection"] = connection
                    command.upgrade(config, revision)
                engine.dispose()
                self.assertEqual(file_revision(path), revision)
                store = JobStore(path)
                self.addCleanup(store.close)
                self.assertEqual(tables(path), wanted)
                job = store.create(new_entry(JobOpened("S-1", "Duo", "tarnwick-duo-c"), "x"))
                self.assertEqual(len(store.trail(job)), 1)


if __name__ == "__main__":
    unittest.main()
