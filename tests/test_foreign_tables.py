"""Tables that other programs wrote: understood, corrected, remembered; a library and a list of parts come in by
them."""

from __future__ import annotations

import tempfile
import unittest
from dataclasses import replace
from pathlib import Path

from dextrum.app.library.foreign_tables import ROLES, Unsaid, rows_of, understood_rows
from dextrum.app.packmaking.shop_files import PLACEMENT_ROLES, understood_parts
from dextrum.core.trail import JobOpened
from dextrum.desktop.frame.table_strip import table_strip
from dextrum.errors import ImportRefusedError
from dextrum.store.draw_csv_look import AskedShape
from dextrum.store.entries import new_entry
from dextrum.store.jobs import JobStore
from dextrum.store.packs.pack_files import known_good_rows
from dextrum.store.table_look import TableLook, choice_text, look_at_table, shown_rows, with_choice
from tests.support import DUO, START, duo_board
from tests.window_support import Key, WindowCase

GERMAN = ("Messung vom 3.11.\nPin;Wert mV;Datum;Mode\nA5;512,4;31.10.2026;Diode\nB5;OL;31.10.2026;Diode\n"
          "A9;498;01.11.2026;Diode\n")
UNSAID = Unsaid("SLS-0900", "M1")


class TableCase(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path = Path(folder.name) / "table.csv"

    def look(self, text: str, encoding: str = "utf-8", asked: AskedShape | None = None) -> TableLook:
        self.path.write_bytes(text.encode(encoding))
        return look_at_table(self.path, ROLES, asked or AskedShape())


class LibraryTableTest(TableCase):
    def rows(self, table: TableLook) -> list[tuple[str, ...]]:
        return [(r["point"], r["method"], r["value"], r.get("taken_on", ""), r["board_serial"], r["meter"])
                for r in rows_of(table, duo_board(), UNSAID)]

    def german(self, encoding: str = "utf-8", text: str = GERMAN) -> TableLook:
        return self.look(text, encoding)

    def test_columns_of_another_tongue_are_read_right(self) -> None:
        table = self.german()
        self.assertEqual((table.shape.delimiter, table.shape.decimal_comma, table.shape.data_from), (";", True, 2))
        self.assertEqual(self.rows(table), [
            ("J1.A5", "diode_red_ground", "0.5124", "2026-10-31", "SLS-0900", "M1"),
            ("J1.B5", "diode_red_ground", "OL", "2026-10-31", "SLS-0900", "M1"),
            ("J1.A9", "diode_red_ground", "0.498", "2026-11-01", "SLS-0900", "M1")])
        kept, left = known_good_rows(duo_board(), rows_of(table, duo_board(), UNSAID), "t")
        self.assertEqual((len(kept), left), (3, ()))

    def test_saved_again_by_a_spreadsheet_it_is_the_same(self) -> None:
        wanted = self.rows(self.german())
        for encoding in ("utf-16", "utf-16-le", "utf-8-sig", "latin-1"):
            self.assertEqual(self.rows(self.german(encoding)), wanted, encoding)
        self.assertEqual(self.rows(self.german(text=GERMAN.replace(";", "\t"))), wanted)
        self.assertEqual(self.rows(self.german(text=GERMAN.replace("\n", "\r\n"))), wanted)

    def test_months_first_where_the_file_proves_it_and_as_it_stands_where_it_is_no_day(self) -> None:
        text = "point,value,date\nA5,0.5,10/31/2026\nB5,0.5,11/01/2026\nA9,0.5,soon\nA4,0.5,2026-11-02\n"
        self.assertEqual([row[3] for row in self.rows(self.look(text))],
                         ["2026-10-31", "2026-11-01", "soon", "2026-11-02"])
        text = "point,value,date\nA5,0.5,3/4/2026\n"
        self.assertEqual(self.rows(self.look(text))[0][3], "2026-04-03", "else the day is first")

    def test_ohms_are_ohms_and_a_row_that_can_not_be_is_left_out_with_its_line(self) -> None:
        table = self.look("board,point,ohms\nS1,F1.1-2,0.3\nS1,J1.ZZ,0.2\nS1,F1.1-2,many\n")
        table = replace(table, units={"value": "ohm"})
        rows = rows_of(table, duo_board(), UNSAID)
        self.assertEqual({row["method"] for row in rows}, {"resistance"})
        kept, left = known_good_rows(duo_board(), rows, "t.csv")
        self.assertEqual(len(kept), 1)
        self.assertIn("line 3", left[0])
        self.assertIn("line 4", left[1])

    def test_the_first_rows_are_said_as_they_are_understood(self) -> None:
        said = understood_rows(self.german(), duo_board(), UNSAID)
        self.assertIn("line 3 is read as   SLS-0900   J1.A5   0.5124 V", said[0])
        self.assertIn("OL", said[1])
        table = self.look("point,value\nZ9,0.5\n")
        self.assertIn("no point of this board", understood_rows(table, duo_board(), UNSAID)[0])

    def test_how_it_is_written_can_be_said(self) -> None:
        table = self.look("a note, with a comma\npoint|value\nA5|0,5\n", asked=AskedShape("|", True, 2))
        self.assertEqual(self.rows(table)[0][:3], ("J1.A5", "diode_red_ground", "0.5"))
        bare = self.look("A5,0.5\nB5,0.6\n", asked=AskedShape(",", False, 0))
        self.assertIn("No column is chosen", bare.problem(ROLES))
        bare = replace(bare, columns={**bare.columns, "point": 0, "value": 1})
        self.assertEqual([row[0] for row in self.rows(bare)], ["J1.A5", "J1.B5"])

    def test_what_was_chosen_is_kept_for_this_shape_and_nonsense_is_not(self) -> None:
        plain = self.look(GERMAN)
        table = replace(plain, columns={**plain.columns, "method": -1}, units={"value": "V"})
        self.assertEqual(with_choice(plain, choice_text(table), ROLES), table)
        for kept in ("", "{", "[]", '{"columns": 5}', choice_text(table).replace('"V"', '"furlong"'),
                     choice_text(replace(table, columns={**table.columns, "point": 99}))):
            self.assertIs(with_choice(plain, kept, ROLES), plain, kept)

    def test_what_is_no_table_is_refused_in_words(self) -> None:
        for data in (b"", b"   \n", b"\x00\x01\x02" * 500, b"just words\nand more\n"):
            self.path.write_bytes(data)
            with self.subTest(data[:10]), self.assertRaises(ImportRefusedError):
                look_at_table(self.path, ROLES)
        with self.assertRaises(ImportRefusedError):
            look_at_table(self.path.with_name("gone.csv"), ROLES)

    def test_fields_that_break_off_take_nothing_wrong(self) -> None:
        table = self.look('point,value\nA5,"0.5\nB5,0.6\n')
        rows = rows_of(table, duo_board(), UNSAID)
        kept, _ = known_good_rows(duo_board(), rows, "t")
        self.assertEqual(kept, ())
        self.assertEqual(len(shown_rows(table)), 2)


class PartsTableTest(TableCase):
    def test_parts_are_shown_as_they_would_be_read(self) -> None:
        self.path.write_text("Ref;Mid X;Mid Y;Layer;Rot\nC1;1,5;2,5;Bottom;90\nC2;here;2;Top;0\n")
        table = look_at_table(self.path, PLACEMENT_ROLES)
        self.assertEqual(table.columns["x"], 1)
        said = understood_parts(table)
        self.assertIn("C1 is read at   1.5, 2.5 mm, bottom, turned 90", said[0])
        self.assertIn("line 3 would be left out", said[1])
        self.assertIn("38.1, 63.5 mm", understood_parts(replace(table, units={"x": "in"}))[0])


class StripTest(WindowCase):
    def fill(self, store: JobStore) -> None:
        store.add_trail([new_entry(JobOpened("SLS-1", "Tarnwick Duo", DUO), "Ines", START)])

    def test_a_foreign_library_comes_in_by_keys_and_is_remembered(self) -> None:
        place = self.folder / "others.csv"
        place.write_bytes(GERMAN.replace("Wert mV", "Zahl").encode("utf-16"))

        def offer() -> None:
            self.window.commands.run("library.read")
            self.window.ask.field.setText(str(place))
            self.window.ask.field.setFocus()
            self.key(Key.Key_Return)
            self.assertTrue(table_strip(self.window).isVisible())

        offer()
        strip = table_strip(self.window)
        self.key(Key.Key_Return)
        self.assertIn("No column is chosen for value", strip.trouble.text())
        box = strip.columns["value"]
        box.setFocus()
        self.key(Key.Key_Down)
        self.key(Key.Key_Down)
        box.activated.emit(box.currentIndex())
        self.assertEqual(box.currentText(), "Zahl")
        strip.units["value"].setCurrentIndex(1)
        strip.units["value"].activated.emit(1)
        self.assertIn("0.5124 V", strip.rows.text())
        strip.go.setFocus()
        self.key(Key.Key_Return)
        self.wait(lambda: "3 readings added" in self.window.trail.said.text(), 20.0, "for the merge")
        self.assertFalse(strip.isVisible())
        offer()
        self.assertEqual(strip.columns["value"].currentText(), "Zahl")
        self.key(Key.Key_Escape)
        self.assertFalse(strip.isVisible())

    def test_how_it_is_written_is_corrected_in_the_strip(self) -> None:
        place = self.folder / "odd.csv"
        place.write_text("some words; here\npoint|value\nA5|0.5\n")
        self.window.commands.run("library.read")
        self.window.ask.field.setText(str(place))
        self.window.ask.field.setFocus()
        self.key(Key.Key_Return)
        strip = table_strip(self.window)
        strip.written.separator.setCurrentIndex(strip.written.separator.findData("|"))
        strip.written.separator.activated.emit(0)
        self.assertEqual(strip.columns["point"].currentText(), "point")
        self.assertIn("J1.A5", strip.rows.text())
        self.key(Key.Key_Escape)

    def test_a_file_that_is_not_there_is_told_in_the_question(self) -> None:
        self.window.commands.run("library.read")
        self.window.ask.field.setText(str(self.folder / "none.csv"))
        self.window.ask.field.setFocus()
        self.key(Key.Key_Return)
        self.wait(lambda: bool(self.window.ask.trouble.text() or self.window.problem.text()), what="for the trouble")


if __name__ == "__main__":
    unittest.main()
