"""Columns of a table: words are whole while another column has room, and nothing goes past the edge."""

from __future__ import annotations

import time
import unittest

from dextrum.desktop.frame.plain_table import LAST_COLUMN, PlainTable, Row
from dextrum.desktop.theme import look
from tests.window_support import application

HEADS = ("lot", "part", "left", "note")
WIDTHS = (104, 60, 50)
FRAME = 8
"""Pixels of a table that are not its viewport, at most."""
MOST_SECONDS = 2.0


def shown(cells: tuple[str, ...], wide: int = 640) -> PlainTable:
    application()
    table = PlainTable("lots", HEADS, (2,), WIDTHS)
    table.resize(wide, 200)
    table.show()
    table.show_rows((Row("a", cells),))
    until = time.monotonic() + MOST_SECONDS
    while time.monotonic() < until and (table.viewport().width() < wide - FRAME or (
            sum(table.columnWidth(column) for column in range(len(HEADS))) > table.viewport().width() + 2)):
        application().processEvents()  # a busy machine hands the table its size late
    application().processEvents()
    return table


class PlainTableTest(unittest.TestCase):
    def test_words_take_the_room_that_the_last_column_leaves(self) -> None:
        table = shown(("P1", "USB-C port, 24 contacts", "5", ""))
        self.assertGreaterEqual(table.columnWidth(1), table.sizeHintForColumn(1))
        self.assertEqual(table.columnWidth(0), look.px(104))

    def test_a_long_note_leaves_the_columns_what_they_asked_for_or_have_to_spare(self) -> None:
        table = shown(("P1", "fuse 0805, 2 A", "5", "set aside: two of three failed, which is not usual" * 3))
        self.assertGreaterEqual(table.columnWidth(1), table.sizeHintForColumn(1))
        self.assertLess(table.columnWidth(0), look.px(104))
        self.assertGreaterEqual(table.columnWidth(0), table.sizeHintForColumn(0))
        self.assertEqual(sum(table.columnWidth(c) for c in range(3)), sum(look.px(w) for w in WIDTHS))

    def test_columns_end_at_the_edge_however_narrow_the_table(self) -> None:
        for wide in (320, 400, 640):
            with self.subTest(wide=wide):
                table = shown(("P1", "common-mode filter 0605, low profile, 90 ohm", "12", "from the spring order"),
                              wide)
                self.assertLessEqual(sum(table.columnWidth(c) for c in range(4)), table.viewport().width() + 2)
                self.assertGreaterEqual(table.columnWidth(3), look.px(LAST_COLUMN) - 2)

    def test_without_rows_columns_are_as_asked(self) -> None:
        table = shown(("P1", "USB-C port, 24 contacts", "5", ""))
        table.show_rows(())
        self.assertEqual([table.columnWidth(c) for c in range(3)], [look.px(w) for w in WIDTHS])


if __name__ == "__main__":
    unittest.main()
