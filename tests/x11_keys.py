"""Keys as they are under a real X server: run by test_keys_x11 in a process of its own, since Qt takes one platform.

A line edit has keys of its own under X11 (Ctrl+U deletes the line, Ctrl+E goes to its end), which the offscreen
platform does not show.
"""

from __future__ import annotations

import unittest

from PySide6.QtGui import QGuiApplication
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QLineEdit, QPlainTextEdit

from dextrum.app.commands import COMMANDS
from dextrum.core.trail import (
    Access,
    Cell,
    Intake,
    JobOpened,
    Look,
    Payload,
    Readings,
    Rework,
    Supply,
    standing,
)
from dextrum.desktop.board.view import BoardView
from dextrum.desktop.frame.window import MainWindow
from dextrum.desktop.frame.window_place import stand_on_the_screen, stand_where_it_stood
from dextrum.desktop.port.view import PortView
from dextrum.store.entries import new_entry
from dextrum.store.jobs import JobStore
from tests.support import DUO, as_good, duo_board, replaced
from tests.window_support import ALT, CTRL, SHIFT, Key, WindowCase

SUPPLIED = (Look(("clean",)), Supply("a", 9.0, 1.9), Supply("b", 9.0, 1.9))


class KeysTest(WindowCase):
    def fill(self, store: JobStore) -> None:
        for serial in ("SLS-0601", "SLS-0602"):
            store.add_trail([new_entry(p, "Ines") for p in (JobOpened(serial, "Tarnwick Duo", DUO), Intake("x"),
                                                            *SUPPLIED)])

    def port(self) -> PortView:
        self.key(Key.Key_3, ALT)
        view = self.window.views["port"]
        assert isinstance(view, PortView)
        return view

    def read(self) -> dict[str, float]:
        return {r.point: r.value for e in standing(self.window.model.trail) if isinstance(e.payload, Readings)
                for r in e.payload.readings}

    def test_the_platform_is_a_real_one(self) -> None:
        self.assertEqual(QGuiApplication.platformName(), "xcb")

    def test_ctrl_u_says_that_the_cell_is_out_and_the_value_stays(self) -> None:
        self.port()
        self.type("0.002")
        self.key(Key.Key_Return)
        self.assertEqual(self.read(), {})
        self.key(Key.Key_U, CTRL)
        self.assertEqual(self.window.model.facts.cell, "unplugged")
        self.key(Key.Key_Return)
        self.assertEqual(self.read(), {"J1.A1": 0.002})

    def test_every_commands_keys_win_over_a_text_fields(self) -> None:
        """In a field of every view that has one, with text in it: the command runs, the text stays."""
        self.settled()
        self.window.model.calls = lambda: True  # so that each command can be run
        ran: list[str] = []
        for name in list(self.window.commands.handlers):
            self.window.commands.handlers[name] = lambda name=name: ran.append(name)  # type: ignore[misc]
        for view in ("intake", "supply", "port", "board", "rework", "handover"):
            self.window.show_view(view)
            fields = [f for f in self.window.views[view].findChildren(QLineEdit) if f.isVisible() and f.isEnabled()]
            fields += [f for f in self.window.views[view].findChildren(QPlainTextEdit)  # type: ignore[misc]
                       if f.isVisible()]
            self.assertTrue(fields, view)
            field = fields[0]
            field.setFocus()
            self.application.processEvents()
            for command, keys in (("cell.unplugged", (Key.Key_U, CTRL)), ("job.export", (Key.Key_E, CTRL)),
                                  ("palette", (Key.Key_K, CTRL)), ("job.due", (Key.Key_D, CTRL)),
                                  ("job.wait", (Key.Key_W, CTRL)), ("board.look", (Key.Key_B, CTRL)),
                                  ("step.go", (Key.Key_Return, CTRL)), ("sheet.pdf", (Key.Key_P, CTRL))):
                ran.clear()
                self.key(*keys)
                self.assertEqual(ran, [command], f"{view}, {command}")
        self.assertTrue(all(c.shortcut == "" or c.id for c in COMMANDS))

    def test_o_and_the_enter_of_habit_skip_nothing(self) -> None:
        self.key(Key.Key_U, CTRL)
        self.port()
        for value in ("0.001", "o", "0.415", "o", "0.488"):
            self.type(value)
            self.key(Key.Key_Return)
        self.assertEqual(list(self.read()), ["J1.A1", "J1.A2", "J1.A3", "J1.A4", "J1.A5"])

    def test_another_job_begins_at_its_own_place(self) -> None:
        self.key(Key.Key_U, CTRL)
        view = self.port()
        view.ladder.go_to("J1.B12")
        view.ladder.field.setText("0.4")
        rows = self.window.session.shelf()
        other = next(r.id for r in rows if r.id != self.window.model.job_id)
        self.window.open_job(other)
        self.key(Key.Key_U, CTRL)
        view = self.port()
        self.assertEqual((view.ladder.current_point(), view.ladder.field.text()), ("J1.A1", ""))
        for _ in range(30):
            self.type("0.45")
            self.key(Key.Key_Return)
        self.assertEqual(len(self.read()), 24)
        self.assertTrue(all(p in duo_board().port_points for p in self.read()), "no volts as ohms")
        self.assertEqual(self.read()["J1.B12"], 0.45)

    def test_enter_goes_to_the_next_point_that_is_due(self) -> None:
        payloads: tuple[Payload, ...] = (
            Cell("unplugged"), *as_good(*(p for p in duo_board().port_point_ids() if p not in (
            "J1.A6", "J1.B6")), but={"J1.A6": 0.9, "J1.B6": 0.9}), Access("back_off"), replaced("C14"),
            *as_good("C14.1", "C14.1-2", "R10.1-2", "R11.1-2", "TP8-GND", "C1.nF", "C10.nF", "C12.nF", "C13.nF"))
        self.window.session.record(self.window.model.job_id, *payloads)
        self.window.open_job(self.window.model.job_id)
        self.settled()
        assessment = self.window.model.assessment
        assert assessment is not None
        due = assessment.advice.next.points
        self.assertEqual(due, ("J1.A3", "J1.A6", "J1.B6"), "off before it, and what tells of what lies round it")
        self.key(Key.Key_Return, CTRL)
        for _ in due:
            self.type("0.63")
            self.key(Key.Key_Return)
        latest = [e.payload.readings[0].point for e in self.window.model.trail[-len(due):]]  # type: ignore[union-attr]
        self.assertEqual(latest, list(due))

    def test_after_a_question_is_answered_the_keyboard_is_where_it_was(self) -> None:
        """Hiding what has the keyboard passes it on along the tabs: to 'New job', under a real X server only."""
        self.key(Key.Key_U, CTRL)
        self.key(Key.Key_4, ALT)
        before = self.window.focusWidget()
        self.key(Key.Key_L, CTRL)
        self.type("d2")
        self.key(Key.Key_Return)
        self.assertEqual(self.window.model.facts.isolated, frozenset({"D2"}))
        self.settled()
        self.assertIs(self.window.focusWidget(), before)

    def test_search_opens_what_it_found_and_records_nothing(self) -> None:
        self.key(Key.Key_6, ALT)
        before = {r.id: len(self.store.trail(r.id)) for r in self.window.session.shelf()}
        self.key(Key.Key_F, CTRL)
        self.type("SLS-0601")
        self.key(Key.Key_Return)
        self.assertEqual(self.window.model.facts.serial, "SLS-0601")
        self.type("proved after")
        self.key(Key.Key_Tab)
        self.key(Key.Key_Return)
        self.assertEqual({r.id: len(self.store.trail(r.id)) for r in self.window.session.shelf("")}, before)

    def test_undo_and_redo_are_a_stack(self) -> None:
        self.key(Key.Key_U, CTRL)
        self.port()
        for _ in range(6):
            self.type("0.45")
            self.key(Key.Key_Return)
        before = standing(self.window.model.trail)
        for _ in range(4):
            self.key(Key.Key_Z, CTRL)
        self.assertEqual(len(standing(self.window.model.trail)), len(before) - 4)
        for _ in range(6):
            self.key(Key.Key_Z, CTRL | SHIFT)
        self.assertEqual(standing(self.window.model.trail), before)

    def test_enter_on_a_focused_button_presses_it(self) -> None:
        self.key(Key.Key_1, ALT)
        self.type("does not charge")
        self.tab_to("Record the intake")
        self.key(Key.Key_Return)
        intake = self.window.model.facts.intake
        self.assertIn("does not charge", intake.complaint if intake is not None else "")

    def test_letters_record_only_where_the_row_was_chosen(self) -> None:
        self.key(Key.Key_6, ALT)
        before = len(self.window.model.trail)
        self.type("pfpf")
        self.assertEqual(len(self.window.model.trail), before, "the view was shown, no row was chosen")
        self.key(Key.Key_Down)
        self.type("p")
        self.assertEqual(len(self.window.model.trail), before + 1)

    def test_size_and_place_are_remembered(self) -> None:
        self.window.setGeometry(40, 50, 1111, 777)
        self.application.processEvents()
        self.window.close()
        again = MainWindow(self.session)
        stand_where_it_stood(again)
        again.show()
        QTest.qWaitForWindowExposed(again)
        self.assertEqual((again.width(), again.height()), (1111, 777))
        again.close()
        again.deleteLater()

    def test_what_is_too_large_for_the_screen_is_made_to_fit(self) -> None:
        self.window.setGeometry(300, 200, 1500, 1200)
        self.application.processEvents()
        stand_on_the_screen(self.window)
        self.application.processEvents()
        there = self.window.screen().availableGeometry()
        self.assertTrue(there.contains(self.window.frameGeometry()), self.window.frameGeometry())
        self.window.setGeometry(10, 20, 1100, 760)
        self.application.processEvents()
        stand_on_the_screen(self.window)
        self.assertEqual(self.window.geometry().getRect(), (10, 20, 1100, 760), "what fits stays")

    def test_heat_and_the_cell(self) -> None:
        """The board's words come from the trail, and heat with the cell in is asked about."""
        board = self.window.views["board"]
        self.key(Key.Key_4, ALT)
        assert isinstance(board, BoardView)
        self.assertIn("CELL STILL IN", board.detail.text())
        self.assertFalse(self.window.model.record(Rework("replace", "F1")))
        self.key(Key.Key_G, CTRL)
        self.type("measured: no cell fitted")
        self.key(Key.Key_Return)
        self.assertTrue(self.window.model.record(Rework("replace", "F1")))


if __name__ == "__main__":
    unittest.main()
