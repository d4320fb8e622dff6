"""The window by keys and clicks: typing and bad input, undo, gates, shelf, palette, themes, text size, files."""

from __future__ import annotations

import math
import os
import re
import subprocess
import sys
from datetime import UTC, datetime, timedelta
from pathlib import Path

import numpy as np
from PySide6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PySide6.QtGui import QDropEvent, QImage
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QLineEdit, QPushButton, QWidget

from dextrum.app.bench.demo import ensure_demo
from dextrum.app.commands import COMMANDS
from dextrum.benchmarks.run import OWN_START
from dextrum.core.reference.judge import Verdict
from dextrum.core.trail import Cell, Intake, JobOpened, Look, PointReading, Readings, Supply, Wait
from dextrum.desktop import theme
from dextrum.desktop.board.view import BoardView
from dextrum.desktop.frame.window import MainWindow
from dextrum.desktop.frame.window_commands import unhandled
from dextrum.desktop.port.view import PortView
from dextrum.desktop.shots import SHOTS
from dextrum.desktop.start import NO_DISPLAY
from dextrum.desktop.supply.view import SupplyView
from dextrum.desktop.theme import CONTRAST, DARK, LIGHT, Theme, look
from dextrum.store.entries import new_entry
from dextrum.store.job_file import write_job_file
from dextrum.store.jobs import JobStore
from tests.support import DUO, LONG, SLIVER, duo_board, fill_with_demo, library
from tests.window_support import ALT, CTRL, SHIFT, Key, WindowCase

OPENED = JobOpened("SLS-0900", "Tarnwick Duo", DUO)


class OneJobCase(WindowCase):
    """A window with one Duo whose cell is unplugged and whose port was looked into."""

    def fill(self, store: JobStore) -> None:
        self.job = store.add_trail([new_entry(p, "x") for p in (OPENED, Look(("clean",)), Cell("unplugged"))])

    @property
    def port(self) -> PortView:
        view = self.window.views["port"]
        assert isinstance(view, PortView)
        return view


class PortTypingTest(OneJobCase):
    def setUp(self) -> None:
        super().setUp()
        self.key(Key.Key_3, ALT)

    def test_enter_records_judges_and_moves_on(self) -> None:
        self.type("0.0")
        self.key(Key.Key_Return)
        self.type("0.455")
        self.key(Key.Key_Return)
        judged = self.window.model.judged
        self.assertEqual([judged[p].judgement.verdict for p in ("J1.A1", "J1.A2")], [Verdict.WITHIN] * 2)
        self.assertEqual(self.port.ladder.current_point(), "J1.A3")
        stored = JobStore(self.path)
        self.addCleanup(stored.close)
        self.assertEqual(len(stored.trail(self.job)), 5)
        self.assertEqual(self.window.trail.said.text(), "Recorded")

    def test_o_records_ol_and_typing_over_records_anew(self) -> None:
        self.type("o")
        self.assertEqual(self.window.model.judged["J1.A1"].reading.value, math.inf)
        self.key(Key.Key_Up)
        self.assertEqual(self.port.ladder.current_point(), "J1.A1")
        self.type("0.001")
        self.key(Key.Key_Return)
        self.assertEqual(self.window.model.judged["J1.A1"].reading.value, 0.001)
        self.assertEqual(len(self.window.model.trail), 5)

    def test_ol_typed_in_full_is_one_reading(self) -> None:
        self.type("ol")
        self.type("0.455")
        self.key(Key.Key_Return)
        self.assertEqual([self.window.model.judged[p].reading.value for p in ("J1.A1", "J1.A2")], [math.inf, 0.455])
        self.assertFalse(self.port.trouble.isVisible())

    def test_arrows_move_along_the_row_and_to_the_twin(self) -> None:
        self.key(Key.Key_Down)
        self.key(Key.Key_Right)
        self.assertEqual(self.port.ladder.current_point(), "J1.B2")
        self.key(Key.Key_Left)
        self.assertEqual(self.port.ladder.current_point(), "J1.A2")

    def test_bad_input_is_refused_in_place_in_words_and_nothing_is_lost(self) -> None:
        for text, words in (("abc", "not a voltage"), ("57", "more than a meter shows"), ("nan", "not a voltage"),
                            ("-0.5", "not a voltage"), ("1e9", "not a voltage")):
            before = len(self.window.model.trail)
            self.type(text)
            self.key(Key.Key_Return)
            self.assertTrue(self.port.trouble.isVisible(), text)
            self.assertIn(words, self.port.trouble.text())
            self.assertIn("Nothing was recorded", self.port.trouble.text())
            self.assertEqual(self.port.ladder.field.text(), text)
            self.assertEqual(len(self.window.model.trail), before)
            self.assertEqual(self.port.ladder.current_point(), "J1.A1")
        self.type("0.0")
        self.key(Key.Key_Return)
        self.assertFalse(self.port.trouble.isVisible())
        self.assertIn("J1.A1", self.window.model.judged)

    def test_millivolts_are_offered_as_volts_and_recorded_by_the_next_enter(self) -> None:
        self.type("451")
        self.key(Key.Key_Return)
        self.assertIn("451 mV is 0.451 V", self.port.trouble.text())
        self.assertNotIn("J1.A1", self.window.model.judged)
        self.assertEqual(self.port.ladder.field.text(), "0.451")
        self.key(Key.Key_Return)
        self.assertEqual(self.window.model.judged["J1.A1"].reading.value, 0.451)

    def test_wavering(self) -> None:
        self.type("0.4w")
        self.key(Key.Key_Return)
        self.assertIs(self.window.model.judged["J1.A1"].judgement.verdict, Verdict.WAVERING)

    def test_undo_strikes_out_and_redo_brings_back(self) -> None:
        self.type("o")
        self.key(Key.Key_Z, CTRL)
        self.assertNotIn("J1.A1", self.window.model.judged)
        self.key(Key.Key_Z, CTRL | SHIFT)
        self.assertIn("J1.A1", self.window.model.judged)
        for _ in range(6):
            self.key(Key.Key_Z, CTRL)
        self.assertIn("Nothing left", self.window.trail.said.text())
        self.assertEqual(self.window.model.facts.serial, "SLS-0900")

    def test_click_on_a_lane_goes_there(self) -> None:
        ladder = self.port.ladder
        QTest.mouseClick(ladder, Qt.MouseButton.LeftButton, pos=QPoint(
            ladder.width() - 150, int(ladder._row_top(5) + ladder._row_height() / 2)))
        self.assertEqual(ladder.current_point(), "J1.B5")
        self.assertIs(self.application.focusWidget(), ladder.field)

    def test_other_meter_judges_by_its_own_references(self) -> None:
        self.type("0.001")
        self.key(Key.Key_Return)
        self.key(Key.Key_M, CTRL)
        self.assertIn("meter M2", self.window.header.buttons["meter"].text())
        self.assertEqual(self.store.setting("meter"), "M2")
        self.settled()

    def test_copy_as_text_and_picture(self) -> None:
        self.type("o")
        self.key(Key.Key_C, CTRL | SHIFT)
        self.assertIn("A1\t1\tGND\tOL\topen", QApplication.clipboard().text())
        self.key(Key.Key_P, CTRL | SHIFT)
        self.assertFalse(QApplication.clipboard().image().isNull())


class GateTest(WindowCase):
    def fill(self, store: JobStore) -> None:
        self.job = store.add_trail([new_entry(OPENED, "x")])

    def test_cell_gate_keeps_what_was_typed(self) -> None:
        self.key(Key.Key_3, ALT)
        view = self.window.views["port"]
        assert isinstance(view, PortView)
        self.type("0.0")
        self.key(Key.Key_Return)
        self.assertIn("Is the cell unplugged?", view.trouble.text())
        self.assertEqual(view.ladder.field.text(), "0.0")
        self.key(Key.Key_U, CTRL)
        self.key(Key.Key_Return)
        self.assertIn("J1.A1", self.window.model.judged)

    def test_nothing_is_plugged_in_before_the_look_but_a_reason_passes(self) -> None:
        self.key(Key.Key_2, ALT)
        view = self.window.views["supply"]
        assert isinstance(view, SupplyView)
        self.tab_to("Volts")
        self.type("5.1")
        self.key(Key.Key_Return)
        self.type("0")
        self.key(Key.Key_Return)
        self.assertIn("Look into the port", view.trouble.text())
        self.assertFalse(self.window.model.facts.supplies)
        self.key(Key.Key_G, CTRL)
        self.key(Key.Key_Return)
        self.assertIn("A few words", self.window.ask.trouble.text())
        self.type("owner watched it charge")
        self.key(Key.Key_Return)
        view.amps.setFocus()
        self.key(Key.Key_Return)
        self.assertTrue(self.window.model.facts.supplies)
        self.assertEqual(self.window.model.facts.overrides[0][1].reason, "owner watched it charge")

    def test_damaged_port_holds_the_supply(self) -> None:
        self.key(Key.Key_2, ALT)
        self.tab_to("crossed")
        self.key(Key.Key_Space)
        self.tab_to("Contacts seen damaged")
        self.type("Z9")
        self.key(Key.Key_Return)
        view = self.window.views["supply"]
        self.assertIn("Z9 is not a contact", view.trouble.text())
        self.key(Key.Key_A, CTRL)
        self.type("a5 a6")
        self.key(Key.Key_Return)
        seen = self.window.model.facts.look
        self.assertEqual((seen.findings, seen.contacts) if seen else (), (("crossed",), ("A5", "A6")))
        self.assertIn("nothing is plugged in", view.sentence.text())
        self.assertIn("Hold: No power: port contacts are", self.window.reasoning.hold.text())

    def test_bad_supply_values_are_refused(self) -> None:
        self.window.model.record(Look(("clean",)))
        self.key(Key.Key_2, ALT)
        view = self.window.views["supply"]
        for volts, amps in (("57", "1"), ("5", "x"), ("nan", "1")):
            self.tab_to("Volts")
            self.key(Key.Key_A, CTRL)
            self.type(volts)
            self.key(Key.Key_Return)
            self.key(Key.Key_A, CTRL)
            self.type(amps)
            self.key(Key.Key_Return)
            self.assertTrue(view.trouble.text(), volts)
        self.assertFalse(self.window.model.facts.supplies)


class IntakeTest(OneJobCase):
    def test_bad_dates_and_endless_texts_are_refused(self) -> None:
        self.key(Key.Key_1, ALT)
        view = self.window.views["intake"]
        for text in ("soon", "2026-13-40", "3/12"):
            self.tab_to("Back by")
            self.key(Key.Key_A, CTRL)
            self.type(text)
            self.tab_to("Record the intake")
            self.key(Key.Key_Space)
            self.assertIn("is not a date", view.trouble.text())
            self.assertIsNone(self.window.model.facts.intake)
        self.tab_to("Back by")
        self.key(Key.Key_A, CTRL)
        self.type("2026-12-01 16:00")
        self.window.views["intake"].history.setText("x" * 5000)  # type: ignore[attr-defined]
        self.tab_to("Record the intake")
        self.key(Key.Key_Space)
        self.assertIn("5000 characters", view.trouble.text())
        self.assertIsNone(self.window.model.facts.intake)


class BoardTypingTest(OneJobCase):
    def test_jump_type_and_move(self) -> None:
        self.key(Key.Key_4, ALT)
        view = self.window.views["board"]
        assert isinstance(view, BoardView)
        self.tab_to("Jump to a part")
        self.type("FL5.3-4")
        self.key(Key.Key_Return)
        self.assertEqual(view.point_name.text(), "FL5.3-4")
        self.type("0.56")
        self.key(Key.Key_Return)
        self.assertIs(self.window.model.judged["FL5.3-4"].judgement.verdict, Verdict.WITHIN)
        self.assertEqual(self.window.model.facts.access, "back_off")
        self.tab_to("Jump to a part")
        self.key(Key.Key_A, CTRL)
        self.type("Q77")
        self.assertIn("No point of this board begins with Q77", view.trouble.text())

    def test_rework_of_an_unknown_part_is_refused(self) -> None:
        self.key(Key.Key_5, ALT)
        self.type("U99")
        self.tab_to("Record the rework")
        self.key(Key.Key_Space)
        self.assertIn("'U99' is not a part of this board", self.window.views["rework"].trouble.text())
        self.assertEqual(self.window.model.facts.reworks, ())

    def test_unaudited_rework_is_recorded_and_told(self) -> None:
        self.key(Key.Key_5, ALT)
        self.type("C14")
        self.assertIn("C15", self.window.views["rework"].neighbours.text())  # type: ignore[attr-defined]
        self.tab_to("Record the rework")
        self.key(Key.Key_Space)
        self.assertEqual(self.window.model.facts.reworks[0][1].part, "C14")
        self.assertIn("Not audited", self.window.views["rework"].trouble.text())

    def test_a_tab_is_underlined_once_something_was_done_there(self) -> None:
        """By what is painted: a property alone changes nothing on the screen."""
        tab = self.window.tabs["board"]
        self.application.processEvents()
        before = tab.grab().toImage()
        self.assertFalse(tab.property("done"))
        self.window.model.record(Cell("unplugged"))
        point = next(p for p in duo_board().points if p.part and p.id not in duo_board().port_points)
        self.window.model.record(Readings(point.default_method, (PointReading(point.id, 0.5),), "M1"))
        self.application.processEvents()
        self.assertTrue(tab.property("done"))
        self.assertNotEqual(tab.grab().toImage(), before)
        self.window.commands.run("trail.strike")
        self.application.processEvents()
        self.assertEqual(tab.grab().toImage(), before)

    def test_repaired_needs_the_proof(self) -> None:
        self.key(Key.Key_7, ALT)
        self.tab_to("Close the job")
        self.key(Key.Key_Space)
        self.assertIn("Not proved yet", self.window.views["handover"].trouble.text())
        self.assertIsNone(self.window.model.facts.outcome)

    def test_failed_check_is_told(self) -> None:
        self.key(Key.Key_6, ALT)
        self.key(Key.Key_F)
        self.assertIn("Choose the check first", self.window.views["proof"].trouble.text())
        self.assertFalse(self.window.model.facts.proofs)
        self.key(Key.Key_Down)
        self.key(Key.Key_F)
        self.assertIn("Failed:", self.window.views["proof"].sentence.text())
        self.settled()


class ShelfTest(WindowCase):
    def fill(self, store: JobStore) -> None:
        now = datetime.now(UTC)
        for i in range(3):
            at = now - timedelta(hours=i)
            store.add_trail([new_entry(JobOpened(f"SLS-080{i}", "Tarnwick Duo", DUO), "x", at),
                             new_entry(Intake(f"complaint {i}"), "x", at)])
        store.add_trail([new_entry(JobOpened("SLS-0810", "Lost Model", "no-such-pack"), "x", now - timedelta(days=1))])

    def test_keys_walk_the_shelf_and_search_finds(self) -> None:
        self.assertEqual(self.window.model.facts.serial, "SLS-0800")
        self.key(Key.Key_PageDown, CTRL)
        self.assertEqual(self.window.model.facts.serial, "SLS-0801")
        self.key(Key.Key_PageUp, CTRL)
        self.assertEqual(self.window.model.facts.serial, "SLS-0800")
        self.key(Key.Key_F, CTRL)
        self.type("complaint 2")
        self.assertEqual([r.serial for r in self.window.shelf.list_model.rows], ["SLS-0802"])
        self.type("zzz")
        self.assertTrue(self.window.shelf.nothing.isVisible())

    def test_job_whose_pack_is_missing_opens_and_says_so(self) -> None:
        row = next(r for r in self.window.shelf.list_model.rows if r.serial == "SLS-0810")
        self.window.open_job(row.id)
        self.application.processEvents()
        self.assertIn("no board pack 'no-such-pack'", self.window.problem.text())
        self.assertIn("No board pack", self.window.reasoning.card.labels["title"].text())
        for digit in (Key.Key_1, Key.Key_2, Key.Key_3, Key.Key_4, Key.Key_5, Key.Key_6, Key.Key_7):
            self.key(digit, ALT)

    def test_another_window_on_the_same_file_shows_up(self) -> None:
        self.wait(lambda: self.window._mark != "")
        other = JobStore(self.path)
        self.addCleanup(other.close)
        other.append(self.window.model.job_id, new_entry(Look(("dirt",)), "other bench"))
        self.wait(lambda: self.window.model.facts.look is not None)

    def test_entries_of_both_windows_show_when_they_fall_together(self) -> None:
        """The other one records just before this one does: neither mark may hide the other's entry."""
        self.wait(lambda: self.window._mark != "")
        other = JobStore(self.path)
        self.addCleanup(other.close)
        other.append(self.window.model.job_id, new_entry(Look(("dirt",)), "other bench"))
        self.window.model.record(Cell("unplugged"))
        self.wait(lambda: self.window.model.facts.look is not None)
        self.assertEqual(self.window.model.facts.cell, "unplugged")
        rows = len(self.window.shelf.list_model.rows)
        other.create(new_entry(JobOpened("SLS-0888", "Tarnwick Duo", DUO), "other bench"))
        self.wait(lambda: len(self.window.shelf.list_model.rows) == rows + 1)

    def test_wait_is_put_on_the_shelf_and_comes_due(self) -> None:
        self.key(Key.Key_W, CTRL)
        self.type("cell, soon")
        self.key(Key.Key_Return)
        self.assertIn("+90 min", self.window.ask.trouble.text())
        self.key(Key.Key_A, CTRL)
        self.type("Cell coming back, 40")
        self.key(Key.Key_Return)
        self.application.processEvents()
        wait = self.window.model.facts.wait
        self.assertEqual(wait.why if wait else "", "Cell coming back")
        self.window.model.record(Wait("Glue", "2020-01-01T10:00"))
        self.application.processEvents()
        shown = self.window.shelf.list_model.data(self.window.shelf.list_model.index(0))
        self.assertIn("Glue, check again now", str(shown))

    def test_new_job_needs_a_serial_and_escape_leaves(self) -> None:
        self.key(Key.Key_N, CTRL)
        self.key(Key.Key_Return)
        self.assertIn("serial is empty", self.window.ask.trouble.text())
        self.key(Key.Key_Escape)
        self.assertFalse(self.window.ask.isVisible())
        self.assertEqual(len(self.store.shelf()), 4)

    def test_restart_shows_what_was_recorded(self) -> None:
        self.window.model.record(Look(("clean",)), Supply("a", 9.0, 1.9))
        job = self.window.model.job_id
        self.window.close()
        again = MainWindow(self.session)
        again.open_job(job)
        self.assertEqual(again.model.facts.stage, "supply")
        again.close()


class FilesTest(OneJobCase):
    def test_export_import_and_drop(self) -> None:
        file = self.folder / "job.json"
        self.key(Key.Key_E, CTRL)
        self.key(Key.Key_A, CTRL)
        self.type(str(file))
        self.key(Key.Key_Return)
        self.assertTrue(file.exists())
        other = self.folder / "other.json"
        write_job_file(other, (new_entry(JobOpened("SLS-0999", "Tarnwick Sliver", SLIVER), "x"),))
        data = QMimeData()
        data.setUrls([QUrl.fromLocalFile(str(other))])
        self.window.dropEvent(QDropEvent(QPointF(5, 5), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton,
                                         Qt.KeyboardModifier.NoModifier))
        self.assertEqual(self.window.model.facts.serial, "SLS-0999")
        self.settled()

    def test_bad_file_is_told_and_nothing_changes(self) -> None:
        bad = self.folder / "bad.json"
        bad.write_text("{}")
        self.key(Key.Key_I, CTRL)
        self.type(str(bad))
        self.key(Key.Key_Return)
        self.assertIn("is not a job file", self.window.ask.trouble.text())
        self.assertEqual(self.window.model.job_id, self.job)

    def test_folder_that_does_not_exist(self) -> None:
        self.key(Key.Key_P, CTRL)
        self.key(Key.Key_A, CTRL)
        self.type(str(self.folder / "no" / "sheet.pdf"))
        self.key(Key.Key_Return)
        self.assertIn("folder does not exist", self.window.ask.trouble.text())


class PaletteAndLookTest(OneJobCase):
    def test_palette_runs_commands_by_a_few_letters(self) -> None:
        self.key(Key.Key_K, CTRL)
        self.assertTrue(self.window.palette_box.isVisible())
        self.type("hand-over")
        self.key(Key.Key_Return)
        view = self.window.current_view()
        self.assertEqual(view.name if view else "", "handover")
        self.key(Key.Key_F1)
        self.key(Key.Key_Down)
        self.key(Key.Key_Escape)
        self.assertFalse(self.window.palette_box.isVisible())

    def test_every_command_is_handled(self) -> None:
        self.assertEqual(unhandled(self.window.commands), set())

    def test_commands_without_a_job_say_so(self) -> None:
        self.window.model.open("")
        for command in COMMANDS:
            if command.needs_job:
                self.window.say_problem("")
                self.window.commands.run(command.id)
                self.assertIn("No job is open", self.window.problem.text(), command.id)

    def test_theme_and_text_size_are_kept(self) -> None:
        self.key(Key.Key_T, CTRL)
        self.assertIs(look.theme, DARK)
        for _ in range(12):
            self.key(Key.Key_Plus, CTRL)
        self.assertEqual(look.scale, 200)
        self.assertEqual((self.store.setting("theme"), self.store.setting("scale")), ("dark", "200"))
        for view in self.window.views:
            self.window.show_view(view)
            self.application.processEvents()
        self.key(Key.Key_T, CTRL)
        self.assertIs(look.theme, CONTRAST)
        self.key(Key.Key_T, CTRL)
        self.assertIs(look.theme, LIGHT)

    def test_everything_that_takes_keys_has_a_name(self) -> None:
        for name in self.window.views:
            self.window.show_view(name)
            for widget in self.window.findChildren(QWidget):
                if isinstance(widget, QLineEdit | QPushButton) and widget.isVisible():
                    text = widget.text() if isinstance(widget, QPushButton) else ""
                    inside_combo = widget.parent() is not None and type(widget.parent()).__name__ == "QComboBox"
                    self.assertTrue(widget.accessibleName() or text or inside_combo, f"{name}: {widget}")


class ReasoningTest(OneJobCase):
    def test_suspects_show_reasons_and_step_by_key(self) -> None:
        self.key(Key.Key_3, ALT)
        self.port.ladder.go_to("J1.B5")
        self.type("0.001")
        self.key(Key.Key_Return)
        self.settled()
        panel = self.window.reasoning
        self.assertEqual(panel.suspects.rows[0].part, "U1")
        self.assertIn("B5 CC2 reads 0.001 V", panel.reasons.text())
        self.assertIn("Hold: No supply on the port while B5 reads 0.001 V.", panel.hold.text())
        self.key(Key.Key_J, CTRL)
        self.assertEqual(panel.reasons_title.text(), f"Why {panel.suspects.rows[1].part}")
        shown = [str(panel.suspects.data(panel.suspects.index(i))) for i in range(panel.suspects.rowCount())]
        self.assertTrue(any("something else" in text for text in shown))
        self.assertTrue(any("no fault on the board" in text for text in shown))

    def test_an_old_answer_is_never_headed_as_new(self) -> None:
        self.settled()
        heads = []
        self.window.model.changed.connect(lambda: heads.append(self.window.model.fresh))
        self.key(Key.Key_3, ALT)
        self.type("o")
        self.assertEqual(heads, [False])
        self.assertIn("weighing", self.window.reasoning.card.labels["head"].text())
        self.settled()
        self.assertEqual(self.window.reasoning.card.labels["head"].text(), "Next")

    def test_go_leads_to_what_the_card_says(self) -> None:
        self.settled()
        self.key(Key.Key_Return, CTRL)
        view = self.window.current_view()
        self.assertEqual(view.name if view else "", "supply")
        self.assertEqual(self.focus().accessibleName(), "Volts")

    def test_chosen_entry_is_struck_out(self) -> None:
        self.window.trail.list.setCurrentIndex(self.window.trail.cards.index(1))
        self.key(Key.Key_Delete, CTRL)
        self.assertIsNone(self.window.model.facts.look)
        self.application.processEvents()
        self.assertTrue(self.window.trail.cards.cards[1].struck)

    def test_nothing_chosen_says_so(self) -> None:
        self.window.trail.list.clearSelection()
        self.window.trail.list.setCurrentIndex(self.window.trail.cards.index(-1))
        self.key(Key.Key_Delete, CTRL)
        self.assertIn("Choose an entry", self.window.trail.said.text())


class SizeTest(WindowCase):
    """That all fits at every text size is `test_any_size`'s."""

    def fill(self, store: JobStore) -> None:
        store.add_trail([new_entry(p, "x") for p in (OPENED, Look(("clean",)), Cell("unplugged"))])

    def test_ladder_rows_never_get_lower_than_their_figures(self) -> None:
        for scale in (100, 150, 200):
            look.scale = scale
            self.window.restyle()
            self.window.show_view("port")
            self.application.processEvents()
            ladder = self.window.views["port"].ladder  # type: ignore[attr-defined]
            self.assertGreaterEqual(ladder._row_height(), look.px(23), scale)


def luminance(colour: str) -> float:
    """Relative luminance by WCAG 2.1."""
    parts = [int(colour[i:i + 2], 16) / 255 for i in (1, 3, 5)]
    linear = [p / 12.92 if p <= 0.04045 else ((p + 0.055) / 1.055) ** 2.4 for p in parts]
    return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]


def contrast(one: str, two: str) -> float:
    light, dark = sorted((luminance(one), luminance(two)), reverse=True)
    return (light + 0.05) / (dark + 0.05)


class ContrastTest(WindowCase):
    def values(self, t: Theme) -> list[tuple[str, str]]:
        return [(front, back) for front in (t.ink, t.below, t.above) for back in (t.ground, t.panel, t.lit)] + [
            (t.card_ink, t.card), (t.ink, t.shelf), (t.card_quiet, t.card)]

    def test_values_have_seven_to_one_in_both_themes(self) -> None:
        for t in (LIGHT, DARK):
            for front, back in self.values(t):
                self.assertGreaterEqual(round(contrast(front, back), 2), 7.0, (t.name, front, back))

    def test_quiet_text_stays_readable(self) -> None:
        for t in (LIGHT, DARK):
            for back in (t.ground, t.panel, t.shelf):
                self.assertGreaterEqual(contrast(t.quiet, back), 5.5, (t.name, back))


class DemoShotsTest(WindowCase):
    """Every shipped picture is of a view that the demo data has, and the views paint on every demo job."""

    def fill(self, store: JobStore) -> None:
        fill_with_demo(store)

    def test_all_views_of_all_jobs_paint(self) -> None:
        rows = self.store.shelf(closed=None)
        for row in rows if LONG else rows[::3]:
            self.window.open_job(row.id)
            self.settled()
            for name in self.window.views:
                self.window.show_view(name)
                self.application.processEvents()
                image = self.window.grab().toImage()
                self.assertEqual(image.format() in (QImage.Format.Format_RGB32, QImage.Format.Format_ARGB32,
                                                    QImage.Format.Format_ARGB32_Premultiplied), True)
                pixels = np.frombuffer(image.constBits(), np.uint32).reshape(image.height(), image.bytesPerLine() // 4)
                self.assertGreater(len(np.unique(pixels[::7, :image.width():7])), 8, (row.serial, name))
        self.assertTrue({s.serial for s in SHOTS} <= {r.serial for r in rows})

    def test_a_shot_is_the_same_everywhere(self) -> None:
        """In two time zones and two processes, byte for byte."""
        zones = ("Asia/Tokyo", "America/Lima")
        running = [subprocess.Popen([sys.executable, "-m", "dextrum", "shots", str(self.folder / zone[:4]), "--only",
                                     "port"], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
                                    env={**os.environ, "PYTHONPATH": os.pathsep.join(sys.path), "TZ": zone})
                   for zone in zones]
        self.assertEqual([process.wait(timeout=240) for process in running], [0, 0])
        one, other = ((self.folder / zone[:4] / "port.png").read_bytes() for zone in zones)
        self.assertEqual(one, other)

    def test_shots_are_committed_and_linked(self) -> None:
        root = Path(__file__).parent.parent
        readme = (root / "README.md").read_text()
        for shot in SHOTS:
            self.assertTrue((root / "docs" / "screenshots" / f"{shot.file}.png").exists(), shot.file)
        linked = re.findall(r"docs/screenshots/([\w-]+)\.png", readme)
        self.assertEqual(sorted(set(linked)), sorted(s.file for s in SHOTS))


class StartTest(WindowCase):
    def test_without_display_it_says_how_to_go_on(self) -> None:
        screens = ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")
        environment = {k: v for k, v in os.environ.items() if k not in screens}
        environment["PYTHONPATH"] = os.pathsep.join(sys.path)
        done = subprocess.run([sys.executable, "-m", "dextrum", "demo"], capture_output=True, text=True,
                              env=environment, timeout=300)
        self.assertEqual((done.returncode, done.stdout), (2, ""))
        self.assertEqual(done.stderr.strip(), NO_DISPLAY)
        self.assertIn("--offscreen", NO_DISPLAY)
        self.assertIn("xvfb-run", NO_DISPLAY)

    def test_a_later_start_opens_the_demo_that_is_there(self) -> None:
        """In a process of its own: the order of imports matters there (PySide6 hooks what comes after it)."""
        ensure_demo(self.folder / "demo", library())
        environment = {**os.environ, "PYTHONPATH": os.pathsep.join(sys.path)}
        done = subprocess.run([sys.executable, "-c", OWN_START, str(self.folder / "demo")], capture_output=True,
                              text=True, env=environment, timeout=300)
        self.assertIn("usable", done.stdout, done.stderr[-1500:])
        self.assertIn("kilobytes", done.stdout)

    def test_empty_bench_says_what_to_do(self) -> None:
        self.assertIn("Ctrl+N", self.window.welcome.buttons["job.new"].text())
        self.assertIs(self.application.focusWidget(), self.window.welcome.buttons["job.new"])
        self.key(Key.Key_Return)
        self.assertEqual(self.window.ask.words.text(), "New job: serial")
        self.assertIn("Ctrl+N", self.window.reasoning.card.labels["why"].text())

    def test_fonts_are_the_shipped_ones(self) -> None:
        for widget in (self.window, self.window.header.serial, self.window.trail.said,
                       self.window.shelf.search, self.window.reasoning.card.labels["title"]):
            self.assertEqual(widget.fontInfo().family(), theme.FAMILY, widget)
