"""Port, board and library views by keys and clicks: contact to contact, turned tester, comparisons, methods."""

from __future__ import annotations

from unittest.mock import patch

from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from dextrum.app.library.library import PackLibrary
from dextrum.app.library.shop_library import join_shop
from dextrum.core.board import Method
from dextrum.core.reference.judge import Verdict
from dextrum.core.reference.known_good import KnownGoodReading
from dextrum.core.trail import Cell, JobOpened, Look, PointReading, Readings
from dextrum.desktop.board.view import BoardView
from dextrum.desktop.frame import window
from dextrum.desktop.frame.job_model import JUDGING
from dextrum.desktop.library.view import LibraryView
from dextrum.desktop.port.view import PortView
from dextrum.store.entries import new_entry
from dextrum.store.jobs import JobStore
from dextrum.store.known_good import add_readings
from tests.support import DUO, START, duo_advice, duo_board, library_of
from tests.window_support import ALT, CTRL, SHIFT, Key, WindowCase

RED = Method.DIODE_RED_GROUND
OL = float("inf")


def good_scan(**off: float) -> Readings:
    references = duo_advice().model.references
    read = {p: r.centre for p in duo_board().port_point_ids() if (r := references.get(p, RED)) is not None}
    return Readings(RED, tuple(PointReading(p, off.get(p[3:], round(v, 3))) for p, v in read.items()), "M1")


class ReadingCase(WindowCase):
    scan = good_scan()

    def fill(self, store: JobStore) -> None:
        store.add_trail([new_entry(p, "x", START) for p in (
            JobOpened("SLS-0417", "Tarnwick Duo", DUO), Look(("clean",)), Cell("unplugged"), self.scan)])

    def setUp(self) -> None:
        super().setUp()
        self.session.library = library_of()
        self.key(Key.Key_3, ALT)
        self.wait(lambda: self.window.model.references is not None, what="for the references")
        self.window.model._refresh()

    def command(self, words: str, answer: str = "") -> None:
        self.key(Key.Key_K, CTRL)
        self.type(words)
        self.key(Key.Key_Return)
        if answer:
            self.window.ask.field.clear()
            self.type(answer)
            self.key(Key.Key_Return)

    @property
    def port(self) -> PortView:
        view = self.window.views["port"]
        assert isinstance(view, PortView)
        return view

    @property
    def library(self) -> LibraryView:
        view = self.window.views["library"]
        assert isinstance(view, LibraryView)
        return view


class FirstKeysTest(ReadingCase):
    """The first keys after a start, before anything that judges readings is made."""

    def setUp(self) -> None:
        with patch.object(window, "AFTER_PAINT_MILLISECONDS", 3_600_000):
            WindowCase.setUp(self)

    def packs(self) -> PackLibrary:
        return library_of()

    def test_a_value_typed_at_once_is_recorded_at_its_contact_and_judged_later(self) -> None:
        self.assertIsNone(self.window.model.references)
        self.key(Key.Key_4, ALT)
        board = self.window.views["board"]
        assert isinstance(board, BoardView)
        self.assertEqual(board.sentence.text(), JUDGING)
        self.assertTrue(board.points.points)
        self.key(Key.Key_3, ALT)
        self.assertEqual(self.port.sentence.text(), JUDGING)
        self.port.go_to("J1.A10")
        self.type("o")
        payload = self.window.model.trail[-1].payload
        assert isinstance(payload, Readings)
        self.assertEqual([(r.point, r.value) for r in payload.readings], [("J1.A10", OL)])
        self.window.model.begin_weighing()
        self.wait(lambda: not self.window.model.judging, what="for the references")
        self.assertIn("A10 RX2− is open", self.port.sentence.text())


class ContactToContactTest(ReadingCase):
    def test_after_the_last_contact_it_stops_and_never_takes_volts_for_ohms(self) -> None:
        self.port.ladder.go_to("J1.B12")
        self.port.ladder.field.setFocus()
        self.type("0.000")
        self.key(Key.Key_Return)
        before = len(self.window.model.trail)
        for _ in range(3):
            self.type("0.451")
            self.key(Key.Key_Return)
        self.assertEqual(len(self.window.model.trail), before)
        self.assertIn("last contact", self.port.trouble.text())

    def test_the_sentence_says_what_the_pairs_mean(self) -> None:
        self.key(Key.Key_O, CTRL | ALT)
        self.assertIs(self.focus(), self.port.pairs.field)
        for value in ("0.05", "o", "0.06"):
            self.type(value)
            if value != "o":
                self.key(Key.Key_Return)
        self.assertEqual(self.window.model.judged["J1.A4-B4"].judgement.verdict, Verdict.OPEN)
        self.assertIn("VBUS contacts are not connected together (A4 to B4 OL): broken receptacle",
                      self.port.sentence.text())
        self.type("0.05")
        self.key(Key.Key_Return)
        self.window.model.strike(next(e.id for e in self.window.model.trail if isinstance(e.payload, Readings)
                                      and e.payload.readings[0].point == "J1.A4-B4"))
        self.assertIn("GND and VBUS are each one node", self.port.sentence.text())
        self.window.model.bring_back()
        self.assertIn("J1.A4-B4\tOL", self.port.as_text())

    def test_arrows_go_along_the_pairs_and_back_to_the_contacts(self) -> None:
        self.port.go_to("J1.A4-B4")
        self.key(Key.Key_Right)
        self.assertEqual(self.port.pairs.current_point(), "J1.A4-B9")
        for _ in range(3):
            self.key(Key.Key_Left)
        self.assertIs(self.focus(), self.port.ladder.field)

    def test_a_click_chooses_a_pair_and_what_is_wrong_is_told_in_place(self) -> None:
        strip = self.port.pairs
        self.application.processEvents()
        QTest.mouseClick(strip, Qt.MouseButton.LeftButton, pos=QPoint(strip.width() - 20, strip.height() - 8))
        self.assertEqual(strip.current_point(), "J1.A1-B12")
        self.type("many")
        self.key(Key.Key_Return)
        self.assertIn("ohms like 0.6", self.port.trouble.text())
        self.assertEqual(strip.field.text(), "many")


class TurnedWindowTest(ReadingCase):
    scan = good_scan(A10=OL)

    def test_what_moves_with_the_tester_is_not_held_against_the_unit(self) -> None:
        self.assertIn("A10 RX2− is open", self.port.sentence.text())
        self.key(Key.Key_T, CTRL | SHIFT)
        self.assertIn("tester turned over", self.port.detail.text())
        self.assertEqual(self.port.ladder.judged, {})
        references = duo_advice().model.references
        for point, value in (("J1.A10", None), ("J1.B10", "o")):
            self.port.go_to(point)
            reference = references.get(point, RED)
            assert reference is not None
            self.type(value or f"{reference.centre:.3f}")
            if value is None:
                self.assertIn("for A10 touch its pad B10", self.port.detail.text())
                self.key(Key.Key_Return)
        self.assertIn("The fault moved with the tester: suspect the tester's pad facing A10 RX2−",
                      self.port.sentence.text())
        self.assertTrue(self.window.model.trail[-1].payload.turned)  # type: ignore[union-attr]
        self.key(Key.Key_T, CTRL | SHIFT)
        self.assertEqual(self.window.model.judged["J1.A10"].judgement.verdict, Verdict.WITHIN)
        self.assertEqual(self.window.model.judged["J1.B10"].judgement.verdict, Verdict.WITHIN)
        self.settled()
        assessment = self.window.model.assessment
        assert assessment is not None
        self.assertLess(sum(s.probability for s in assessment.suspects), 0.9)

    def test_a_strike_takes_the_finding_back(self) -> None:
        self.window.model.turned = True
        for point, value in (("J1.A10", OL), ("J1.B10", 0.452)):
            self.window.model.record_reading(PointReading(point, value), RED)
        self.assertIn("A10 RX2− stayed abnormal", self.port.sentence.text())
        self.window.model.strike_last()
        self.window.model.strike_last()
        self.assertNotIn("stayed abnormal", self.port.sentence.text())


class CompareTest(ReadingCase):
    def test_a_known_good_board_is_laid_under_the_readings_and_taken_away(self) -> None:
        self.key(Key.Key_Y, CTRL | SHIFT)
        self.type("0102")
        self.key(Key.Key_Return)
        self.assertIn("good board SLS-0102", self.port.detail.text())
        self.assertIn("mV", self.port.detail.text())
        picture = self.port.ladder.grab().toImage()
        self.command("Compare with nothing")
        self.assertNotIn("good board SLS", self.port.detail.text())
        self.assertNotEqual(self.port.ladder.grab().toImage(), picture)

    def test_a_name_that_fits_nothing_is_told_and_escape_leaves_all_as_it_was(self) -> None:
        self.key(Key.Key_Y, CTRL | SHIFT)
        self.type("SLS-7777")
        self.key(Key.Key_Return)
        self.assertIn("No scan or board", self.window.ask.trouble.text())
        self.key(Key.Key_Escape)
        self.assertIsNone(self.window.model.comparison)


class MethodTest(ReadingCase):
    def test_black_on_ground_is_kept_apart_from_red_on_ground(self) -> None:
        self.key(Key.Key_M, CTRL | SHIFT)
        self.assertIn("black on ground", self.window.header.buttons["polarity"].text())
        self.assertEqual(self.port.ladder.judged, {})
        self.port.go_to("J1.A5")
        self.type("1.2")
        self.key(Key.Key_Return)
        judged = self.window.model.judged["J1.A5"]
        self.assertEqual((judged.method, judged.judgement.boards), (Method.DIODE_BLACK_GROUND, 0))
        self.key(Key.Key_M, CTRL | SHIFT)
        self.assertEqual(self.window.model.judged["J1.A5"].method, RED)

    def test_the_meters_current_is_kept_with_each_reading(self) -> None:
        self.command("Set up a meter", "M3; 0.9; 2.4")
        self.assertIn("is a new meter", self.window.ask.trouble.text())
        self.key(Key.Key_Return)
        self.port.go_to("J1.A5")
        self.type("0.585")
        self.key(Key.Key_Return)
        read = self.window.model.trail[-1].payload
        assert isinstance(read, Readings)
        self.assertEqual((read.meter, read.test_milliamps), ("M3", 0.9))
        self.command("Set up a meter", "M3; lots")
        self.assertIn("not a number of mA", self.window.ask.trouble.text())

    def test_the_accepted_false_alarms_widen_and_narrow_the_tolerance(self) -> None:
        def width() -> float:
            lane = self.port.ladder.lanes[4]
            return lane.band.high - lane.band.low

        usual = width()
        self.command("False alarms", "1")
        self.assertGreater(width(), usual)
        self.assertIn("false alarm 1 %", self.port.detail.text())
        self.command("False alarms", "20")
        self.assertLess(width(), usual)
        self.command("False alarms", "90")
        self.assertIn("outside", self.window.ask.trouble.text())

    def test_a_breakout_counts_as_it_was_told_to(self) -> None:
        self.command("Add a breakout", "blue: A1-A12 B12-B1")
        self.assertEqual(self.port.ladder.numbers["B12"], 13)
        self.assertIn("counted as blue: A1-A12 B12-B1", self.port.detail.text())
        self.command("Add a breakout", "red: A1-A12")
        self.assertIn("missing", self.window.ask.trouble.text())
        self.key(Key.Key_Escape)
        for naming in ("as A1 to B12", "1 to 24", "as blue counts"):
            self.command("Contacts as A1")
            self.assertIn(naming, self.window.trail.said.text())


class HalfMeasuredTest(ReadingCase):
    def test_a_filter_half_measured_asks_for_the_rest_and_goes_there(self) -> None:
        view = self.window.views["board"]
        assert isinstance(view, BoardView)
        self.key(Key.Key_4, ALT)
        view.go_to("FL5.1-2")
        self.type("0.6")
        self.key(Key.Key_Return)
        self.assertEqual(view.field.accessibleName(), "Reading of FL5.3-4 in Ω")
        self.assertIn("FL5 is half measured: measure 3-4 through, 1-3 across", view.way.text())
        self.type("0.6")
        self.key(Key.Key_Return)
        self.type("o")
        self.assertNotIn("half measured", view.way.text())
        view.go_to("FL5.1-3")
        self.assertIn("FL5: through on every line, open across", view.way.text())

    def test_ohms_of_a_rail_are_typed_and_shown_as_the_meter_has_them(self) -> None:
        view = self.window.views["board"]
        assert isinstance(view, BoardView)
        self.key(Key.Key_4, ALT)
        view.go_to("C16.1-2")
        self.type("2.6q")
        self.key(Key.Key_Return)
        self.assertIn("ohms like 0.6 or 2.2k", view.trouble.text())
        self.assertIsNone(self.window.model.facts.reading("C16.1-2", Method.RESISTANCE))
        view.field.clear()
        self.type("2.6k")
        self.key(Key.Key_Return)
        reading = self.window.model.facts.reading("C16.1-2", Method.RESISTANCE)
        assert reading is not None
        self.assertEqual(reading.value, 2600.0)
        self.wait(lambda: "C16.1-2 reads low" in view.sentence.text())

    def test_farads_are_typed_in_any_usual_way_whichever_ohms_are_in_hand(self) -> None:
        view = self.window.views["board"]
        assert isinstance(view, BoardView)
        self.key(Key.Key_4, ALT)
        self.window.model.measure_by(ohms=Method.CONTINUITY)
        view.go_to("C63.nF")
        self.assertEqual(view.field.accessibleName(), "Reading of C63.nF in nF")
        self.type("2.2k")
        self.key(Key.Key_Return)
        self.assertIn("nanofarads like 220", view.trouble.text())
        self.assertIsNone(self.window.model.facts.reading("C63.nF", Method.CAPACITANCE))
        view.field.clear()
        self.type("0.022u")
        self.key(Key.Key_Return)
        reading = self.window.model.facts.reading("C63.nF", Method.CAPACITANCE)
        assert reading is not None
        self.assertAlmostEqual(reading.value, 22.0)
        self.wait(lambda: "C63.nF reads low" in view.sentence.text())
        self.key(Key.Key_Z, CTRL)
        self.assertIsNone(self.window.model.facts.reading("C63.nF", Method.CAPACITANCE))

    def test_a_capacitor_with_both_ends_on_signals_says_so(self) -> None:
        view = self.window.views["board"]
        assert isinstance(view, BoardView)
        self.key(Key.Key_4, ALT)
        view.go_to("C27.1")
        self.assertIn("both ends on signals: BTST and SW_CHG", view.way.text())


class LibraryViewTest(ReadingCase):
    def known(self) -> None:
        self.key(Key.Key_8, ALT)
        self.wait(lambda: self.library._known is not None and not self.library.background.busy)
        self.application.processEvents()

    def test_points_boards_and_meters_are_shown(self) -> None:
        self.known()
        self.assertIn("6 known-good boards of Duo rev C, 2 meters", self.library.sentence.text())
        self.assertEqual(self.library.table.rowCount(), len(duo_board().points))
        self.assertIn("M2", self.library.meters.text())
        self.type("FL5")
        self.assertEqual(self.library.table.rowCount(), 10)  # four ends, two in ohms too, through twice, across at both
        self.assertIn("FL5.1-2", self.library.as_text())

    def test_a_head_sorts_and_no_point_is_lost(self) -> None:
        self.known()
        table = self.library.table
        as_listed = [table.point(row).point for row in range(table.rowCount())]
        header = self.library.grid.horizontalHeader()
        header.setSortIndicator(1, Qt.SortOrder.DescendingOrder)
        spreads = [table.point(row).spread for row in range(table.rowCount())]
        known = [s for s in spreads if s == s]
        self.assertEqual(known, sorted(known, reverse=True))
        self.assertEqual(spreads[:len(known)], known, "what has no value comes last")
        header.setSortIndicator(-1, Qt.SortOrder.AscendingOrder)
        self.assertEqual(sorted(as_listed), sorted(table.point(r).point for r in range(table.rowCount())))

    def test_the_chosen_board_is_taken_out_with_a_reason_and_comes_back(self) -> None:
        self.known()
        self.library.grid.setFocus()
        for _ in range(5):
            self.key(Key.Key_Right)
        serial = self.library.chosen_board()
        self.assertTrue(serial.startswith("SLS-"))
        self.key(Key.Key_K, CTRL)
        self.type("Exclude a known-good")
        self.key(Key.Key_Return)
        self.assertEqual(self.window.ask.field.text(), f"{serial}, ")
        self.type("its port was changed")
        self.key(Key.Key_Return)
        self.wait(lambda: not self.library.background.busy and "5 known-good boards" in self.library.sentence.text())
        self.assertIn(f"{serial} (its port was changed", self.library.gone.text())
        self.command("Include a known-good", serial)
        self.wait(lambda: not self.library.background.busy and "6 known-good boards" in self.library.sentence.text())

    def test_rows_of_a_merged_file_that_do_not_fit_are_listed_with_the_reason(self) -> None:
        path = self.folder / "other.csv"
        path.write_text("board_serial,point,method,meter,board_celsius,value,taken_on\n"
                        "X1,J1.A5,diode_red_ground,M1,21,0.58,2026-01-01\n"
                        "X1,U99.7,diode_red_ground,M1,21,0.5,2026-01-01\n"
                        "X1,J1.A5,resistance,M1,21,0.5,2026-01-01\n")
        self.command("Merge known-good", str(path))
        self.wait(lambda: not self.library.background.busy and "7 known-good boards" in self.library.sentence.text())
        for words in ("line 3: point 'U99.7' is not on this board", "line 4: resistance can't be taken at J1.A5"):
            self.assertIn(words, self.library.refused.text())

    def test_only_weak_spots_can_be_shown(self) -> None:
        add_readings(self.store, DUO, [KnownGoodReading("X1", "J1.A5", Method.DIODE_BLACK_GROUND, "M1", 1.2)], START)
        join_shop(self.store, self.session.library)
        self.known()
        self.tab_to("only weak spots")
        self.key(Key.Key_Space)
        shown = [self.library.table.point(i) for i in range(self.library.table.rowCount())]
        self.assertEqual([(p.point, p.method) for p in shown], [("J1.A5", Method.DIODE_BLACK_GROUND)])


class WhyNotTest(ReadingCase):
    scan = good_scan(A10=OL)

    def test_any_part_can_be_asked_about_by_keys(self) -> None:
        self.settled()
        self.key(Key.Key_J, CTRL | SHIFT)
        self.type("u9")
        self.key(Key.Key_Return)
        self.assertIn("is not a part of this board", self.window.ask.trouble.text())
        self.window.ask.field.clear()
        self.type("fl5")
        self.key(Key.Key_Return)
        self.wait(lambda: "Why not FL5" in self.window.reasoning.reasons_title.text())
        self.assertIn("A10 RX2− reads OL", self.window.reasoning.reasons.text())


class SparseLibraryTest(ReadingCase):
    def test_a_model_nobody_has_read_says_what_to_do(self) -> None:
        job = self.session.open_new_job("SLS-0999", "tarnwick-sliver-a")
        self.window.open_job(job)
        self.key(Key.Key_8, ALT)
        self.wait(lambda: not self.library.background.busy)
        self.application.processEvents()
        self.assertIn("No known-good board of Sliver rev A yet", self.library.sentence.text())
        self.assertIn("No meter", self.library.meters.text())
