"""Columns of a table: words are whole while another column has room, and nothing goes past the edge."""

from __future__ import annotations

import unittest

from dextrum.desktop import theme
from dextrum.desktop.frame.plain_table import LAST_COLUMN, PlainTable, Row, narrowed
from dextrum.desktop.theme import SCALES, look
from tests.window_support import application

HEADS = ("lot", "part", "left", "note")
WIDTHS = (104, 60, 50)


def shown(cells: tuple[str, ...], wide: int = 640) -> PlainTable:
    application()
    table = PlainTable("lots", HEADS, (2,), WIDTHS)
    table.resize(wide, 200)
    table.show()
    table.show_rows((Row("a", cells),))
    application().processEvents()
    return table


def as_before() -> None:
    """The usual size of text, for the tests that come after."""
    look.scale = 100
    theme.apply(application())


class PlainTableTest(unittest.TestCase):
    def setUp(self) -> None:
        as_before()

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

    def test_nothing_goes_past_the_edge_at_any_size_of_text(self) -> None:
        self.addCleanup(as_before)
        for scale in SCALES:
            look.scale = scale
            theme.apply(application())
            for wide in (320, 400, 640):
                with self.subTest(scale=scale, wide=wide):
                    table = shown(("P1", "common-mode filter 0605, low profile, 90 ohm", "12", "from the spring order"),
                                  wide)
                    self.assertLessEqual(sum(table.columnWidth(c) for c in range(4)), table.viewport().width())
                    table.close()

    def test_columns_that_narrow_together_keep_what_each_must_have(self) -> None:
        self.assertEqual(narrowed((104, 60, 50), 107, 26), [51, 29, 26])  # 50 would be 25: two share 81
        self.assertEqual(narrowed((100, 100), 90, 20), [45, 45])
        self.assertEqual(narrowed((300, 30, 20), 120, 40), [40, 40, 40])
        self.assertEqual(narrowed((300, 30), 70, 40), [40, 40])  # no room for both: the table is too narrow
        for room in range(80, 214):
            wide = narrowed((104, 60, 50), room, 26)
            self.assertLessEqual(sum(wide), room)
            self.assertGreaterEqual(sum(wide), room - 2)
            self.assertGreaterEqual(min(wide), 26)

    def test_without_rows_columns_are_as_asked(self) -> None:
        table = shown(("P1", "USB-C port, 24 contacts", "5", ""))
        table.show_rows(())
        self.assertEqual([table.columnWidth(c) for c in range(3)], [look.px(w) for w in WIDTHS])


if __name__ == "__main__":
    unittest.main()
