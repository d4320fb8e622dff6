"""Everything by mouse: each command has a place where it is seen, the card and what stands beside it can be pressed."""

from __future__ import annotations

from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QMenu, QPushButton, QWidget

from dextrum.app.commands import BY_ID, COMMANDS
from dextrum.core.board import Method
from dextrum.core.trail import Cell, JobOpened, Look, PointReading, Readings, Supply
from dextrum.desktop.frame.command_row import CommandRow
from dextrum.desktop.frame.header import MENUS
from dextrum.desktop.frame.room_commands import ROOMS
from dextrum.desktop.frame.shelf import FOOT
from dextrum.store.entries import new_entry
from dextrum.store.jobs import JobStore
from tests.window_support import WindowCase

LEFT = Qt.MouseButton.LeftButton
OTHERWISE = {"job.search": "the field on the shelf", "job.next": "a tag", "job.previous": "a tag",
             "step.go": "the card", "job.due": "the line that calls", "gate.pass": "the hold",
             "trail.strike": "the trail", "trail.back": "the trail", "trail.strike_one": "the trail",
             "job.new": "the shelf", "keys": "beside the tabs", "palette": "beside the tabs",
             "gear.proved": "beside the gear"}
"""Commands whose place is neither a row nor a menu."""


class ByMouseTest(WindowCase):
    def fill(self, store: JobStore) -> None:
        volts = {"A1": 0.0, "A4": 0.503, "A5": 0.585, "B5": 0.001, "B4": 0.503, "A6": 0.648}
        store.add_trail([new_entry(payload, "Ines") for payload in (
            JobOpened("SLS-0417", "Tarnwick Duo", "tarnwick-duo-c"), Look(("clean",)), Supply("a", 9.1, 1.85),
            Supply("b", 5.0, 0.0), Cell("unplugged"),
            Readings(Method.DIODE_RED_GROUND, tuple(PointReading(f"J1.{c}", v) for c, v in volts.items()), "M1"))])

    def click(self, widget: QWidget) -> None:
        QTest.mouseClick(widget, LEFT, Qt.KeyboardModifier.NoModifier, widget.rect().center())
        self.application.processEvents()

    def button(self, text: str) -> QPushButton:
        return next(b for b in self.window.findChildren(QPushButton) if b.text() == text and b.isVisible())

    def test_each_command_has_a_place_where_it_is_seen(self) -> None:
        for name in self.window.views:
            self.window.show_view(name)
        placed = {one for row in self.window.findChildren(CommandRow) for one in row.ids}
        placed |= {one for ids in (*MENUS.values(), *FOOT.values()) for one in ids} | set(OTHERWISE)
        placed |= {f"view.{name}" for name in self.window.views}
        self.assertEqual({command.id for command in COMMANDS} - placed, set())

    def test_rooms_that_are_made_late_name_their_commands(self) -> None:
        rooms = self.window.commands.rooms
        for name, room in ROOMS.items():
            with self.subTest(name):
                named = {command.id for command in COMMANDS if command.id.startswith(room.begins)}
                self.assertEqual(set(rooms[name].handlers), named)

    def test_a_click_on_a_command_leaves_the_keyboard_where_it_is(self) -> None:
        self.window.show_view("board")
        before = self.window.focusWidget()
        self.click(self.button("Disconnect"))
        self.assertTrue(self.window.ask.field.hasFocus())
        QTest.keyClick(self.window.ask.field, Qt.Key.Key_Escape)
        self.assertIs(self.window.focusWidget(), before)

    def test_the_card_goes_where_its_step_is_done(self) -> None:
        self.settled()
        self.window.show_view("intake")
        before = self.window.current_view()
        self.click(self.window.reasoning.card)
        self.assertTrue(self.window.current_view() is not before or self.window.ask.isVisible()
                        or self.window.trail.said.text())

    def test_another_step_is_chosen_from_the_list(self) -> None:
        self.settled()
        lines = [line for line in self.window.reasoning.others.lines if line.isVisible()]
        self.assertTrue(lines, "no other step is offered")
        self.window.show_view("handover")
        self.click(lines[0])
        shown = self.window.current_view()
        assert shown is not None
        self.assertTrue(shown.name != "handover" or self.window.ask.isVisible())

    def test_a_hold_is_pressed_and_asks_for_the_reason(self) -> None:
        self.settled()
        self.assertTrue(self.window.reasoning.hold.isVisible())
        self.click(self.window.reasoning.hold)
        self.assertIn("Go past it", self.window.ask.words.text())

    def test_undo_and_redo(self) -> None:
        self.settled()
        read = len(self.window.model.judged)
        self.click(self.button("Undo"))
        self.assertEqual(len(self.window.model.judged), 0)
        self.click(self.button("Redo"))
        self.assertEqual(len(self.window.model.judged), read)

    def test_what_cannot_be_done_now_says_why_and_does_nothing(self) -> None:
        self.settled()
        self.window.show_view("port")
        self.application.processEvents()
        self.click(self.button("Port tester"))
        self.assertIn("No port tester is connected", self.window.trail.said.text())

    def test_states_of_the_header_change_what_they_show(self) -> None:
        self.settled()
        self.window.resize(1600, 900)
        self.application.processEvents()
        header = self.window.header
        self.assertEqual(header.buttons["cell"].text(), "cell unplugged")
        menu = header.menu("cell")
        self.assertIn("Cell is unplugged", menu.actions()[0].text())
        self.assertFalse(menu.actions()[0].isEnabled())
        menu.actions()[1].trigger()
        self.assertEqual(header.buttons["cell"].text(), "cell in")
        self.click(header.buttons["who"])
        self.type("Noor")
        self.key(Qt.Key.Key_Return)
        self.assertEqual(header.buttons["who"].text(), "Noor")
        self.assertEqual(self.session.who, "Noor")
        self.click(header.buttons["access"])
        self.window.ask.choice.setCurrentIndex(self.window.ask.choice.findText("back off"))
        self.key(Qt.Key.Key_Return)
        self.assertEqual(header.buttons["access"].text(), "back off")
        self.assertEqual(self.window.model.trail[-1].who, "Noor")

    def test_what_does_not_fit_is_in_a_menu(self) -> None:
        self.window.show_view("port")
        self.window.resize(960, 700)
        self.application.processEvents()
        row = self.window.views["port"].row
        self.assertTrue(row.folded())
        self.assertTrue(row.more.isVisible())
        self.click(row.more)
        menu = self.application.activePopupWidget()
        self.assertIsInstance(menu, QMenu)
        assert isinstance(menu, QMenu)
        self.assertEqual(len(menu.actions()), len(row.folded()))
        menu.close()

    def test_keys_of_the_view_are_laid_over_it(self) -> None:
        self.window.show_view("port")
        self.key(Qt.Key.Key_F1)
        self.assertTrue(self.window.help.keys.isVisible())
        self.assertIn("to the twin", self.window.help.keys.as_text())
        self.assertIn("Ctrl+Shift+R", self.window.help.keys.as_text())
        self.key(Qt.Key.Key_Escape)
        self.assertFalse(self.window.help.keys.isVisible())
        self.assertIs(self.application.focusWidget(), self.window.views.port.ladder.field)

    def test_tool_tips_say_what_and_by_which_keys(self) -> None:
        for name in self.window.views:
            self.window.show_view(name)
        for row in self.window.findChildren(CommandRow):
            for one, button in row.buttons.items():
                self.assertIn(BY_ID[one].what, button.toolTip())
                self.assertIn(BY_ID[one].shortcut.replace("Return", "Enter"), button.toolTip())

    def test_palette_groups_remembers_and_greys(self) -> None:
        box = self.window.palette_box
        self.key(Qt.Key.Key_K, Qt.KeyboardModifier.ControlModifier)
        self.assertTrue(box.isVisible())
        self.assertEqual(set(box.shown()), {command.id for command in COMMANDS} - {"palette"})
        self.type("who works")
        self.key(Qt.Key.Key_Return)
        self.key(Qt.Key.Key_Escape)
        self.key(Qt.Key.Key_K, Qt.KeyboardModifier.ControlModifier)
        self.assertEqual(box.shown()[0], "bench.who")
        self.type("port tester")
        item = box.list.topLevelItem(0)
        assert item is not None
        self.assertIn("No port tester is connected", item.text(1))
        self.key(Qt.Key.Key_Escape)

    def test_the_mouse_over_a_point_tells_what_is_known_of_it(self) -> None:
        self.settled()
        self.window.show_view("board")
        self.application.processEvents()
        view = self.window.views.board
        words = view.describe("J1.B5")
        self.assertIn("CC2", words)
        self.assertIn("read 0.001 V, grounded", words)
        self.assertIn("reference 0.5", words)
        point = view.points.points[0]
        place = view.plan.place(point.x_mm, point.y_mm, point.side)
        QTest.mouseMove(view.plan, QPoint(round(place.x()), round(place.y())))
        QApplication.processEvents()
        self.assertIn("not read", view.describe(point.id))


class ProofByMouseTest(WindowCase):
    def fill(self, store: JobStore) -> None:
        store.add_trail([new_entry(payload, "Ines") for payload in (
            JobOpened("SLS-0419", "Tarnwick Duo", "tarnwick-duo-c"), Look(("clean",)), Supply("a", 9.1, 1.85),
            Supply("b", 9.1, 1.85))])

    def test_a_click_on_a_row_records_nothing_and_a_check_is_failed_by_its_button(self) -> None:
        self.settled()
        self.window.show_view("proof")
        self.application.processEvents()
        view = self.window.views.proof
        row = next(iter(view.buttons.values()))
        QTest.mouseClick(row, LEFT)
        self.assertFalse(self.window.model.facts.proofs)
        self.assertIs(self.application.focusWidget(), row)
        failed = next(b for b in view.findChildren(QPushButton) if b.accessibleName().startswith("Failed: "))
        QTest.mouseClick(failed, LEFT)
        self.application.processEvents()
        proofs = self.window.model.facts.proofs or {}
        self.assertEqual([proof.passed for proof in proofs.values()], [False])
        undo = next(b for b in self.window.trail.findChildren(QPushButton) if b.text() == "Undo")
        QTest.mouseClick(undo, LEFT)
        self.assertFalse(self.window.model.facts.proofs)


class DrawByMouseTest(WindowCase):
    def fill(self, store: JobStore) -> None:
        store.add_trail([new_entry(payload, "Ines") for payload in (
            JobOpened("SLS-0418", "Tarnwick Duo", "tarnwick-duo-c"), Look(("clean",)), Supply("a", 9.1, 1.85))])

    def test_the_plug_is_turned_over_and_two_figures_are_one_draw(self) -> None:
        self.window.show_view("supply")
        view = self.window.views.supply
        QTest.mouseClick(view.orientation, LEFT)
        self.assertTrue(view.orientation.isChecked())
        view.volts.setFocus()
        self.type("5.1 0.36")
        self.key(Qt.Key.Key_Return)
        drawn = [e.payload for e in self.window.model.trail if isinstance(e.payload, Supply)][-1]
        self.assertEqual((drawn.orientation, drawn.volts, drawn.amps), ("b", 5.1, 0.36))
        self.assertEqual(view.volts.text(), "5.1")
        self.type("0.4")
        self.key(Qt.Key.Key_Return)
        drawn = [e.payload for e in self.window.model.trail if isinstance(e.payload, Supply)][-1]
        self.assertEqual((drawn.volts, drawn.amps), (5.1, 0.4))
