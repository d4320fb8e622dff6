"""A whole job by the mouse under a real X server: run by test_keys_x11 in a process of its own.

Every press is an event of the X server at a place on the screen, so that it goes to what lies on top there. The
keyboard types texts and values, and nothing else.
"""

from __future__ import annotations

import subprocess
import time
import unittest

from PySide6.QtCore import QPoint
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QCheckBox, QComboBox, QMenu, QPushButton, QScrollArea, QWidget

from dextrum.desktop.board.view import BoardView
from dextrum.desktop.port.view import PortView
from dextrum.desktop.supply.view import SupplyView
from tests.test_walk import WalkCase

QUIET_SECONDS = 0.08


class MouseWalkTest(WalkCase):
    def pump(self, seconds: float = QUIET_SECONDS) -> None:
        end = time.monotonic() + seconds
        while time.monotonic() < end:
            self.application.processEvents()
            time.sleep(0.002)

    def click(self, widget: QWidget, at: QPoint | None = None) -> None:
        """Press where it is seen; what has scrolled away is scrolled to, as by the wheel."""
        around = widget.parentWidget()
        while around is not None:
            if isinstance(around, QScrollArea):
                around.ensureWidgetVisible(widget)
            around = around.parentWidget()
        self.pump(0.02)
        self.assertTrue(widget.isVisible() and not widget.visibleRegion().isEmpty(), f"{widget} is not seen")
        middle = widget.rect().center()
        if isinstance(widget, QCheckBox):
            middle.setX(8)  # its words end before the widget does
        place = widget.mapToGlobal(middle if at is None else at)
        subprocess.run(["xdotool", "mousemove", str(place.x()), str(place.y()), "click", "1"], check=True)
        self.pump()

    def button(self, words: str, within: QWidget | None = None) -> QPushButton:
        found = [one for one in (within or self.window).findChildren(QPushButton)
                 if words in (one.text(), one.accessibleName()) and one.isVisible()]
        self.assertTrue(found, f"no button {words!r}")
        return found[0]

    def box(self, words: str) -> QCheckBox:
        return next(one for one in self.window.findChildren(QCheckBox) if one.text() == words and one.isVisible())

    def choose(self, box: QComboBox, row: int) -> None:
        self.click(box)
        self.wait(lambda: box.view().isVisible(), what="for the list")
        self.pump()
        self.click(box.view().viewport(), box.view().visualRect(box.model().index(row, 0)).center())

    def from_menu(self, button: QWidget, words: str) -> None:
        self.click(button)
        self.wait(lambda: self.application.activePopupWidget() is not None, what="for the menu")
        menu = self.application.activePopupWidget()
        assert isinstance(menu, QMenu)
        action = next(one for one in menu.actions() if one.text().startswith(words))
        self.click(menu, menu.actionGeometry(action).center())

    def card(self) -> None:
        self.click(self.window.reasoning.card)

    def new_job(self, serial: str) -> None:
        self.click(self.button("New job", self.window.shelf))
        self.type(serial)
        choice = self.window.ask.choice
        self.choose(choice, choice.findData(self.pack_id))
        self.click(self.window.ask.take)
        self.assertEqual(self.window.model.facts.serial, serial)

    def intake(self, complaint: str, symptoms: tuple[str, ...]) -> None:
        self.click(self.window.tabs["intake"])
        self.type(complaint)
        for symptom in symptoms:
            self.click(self.box(self.board.symptom_by_id[symptom].words))
        self.click(self.button("Record the intake"))
        intake = self.window.model.facts.intake
        assert intake is not None
        self.assertEqual((intake.complaint, set(intake.present)), (complaint, set(symptoms)))

    def look(self) -> None:
        self.click(self.window.tabs["supply"])
        self.click(self.box("clean"))
        self.click(self.button("Record the look"))
        self.assertIsNotNone(self.window.model.facts.look)

    def supply(self, orientation: str) -> None:
        self.click(self.window.tabs["supply"])
        volts, amps, pattern = self.unit.supply(orientation)
        view = self.window.views["supply"]
        assert isinstance(view, SupplyView)
        if view.orientation.isChecked() != (orientation == "b"):
            self.click(view.orientation)
        if (pattern == "blinking") != view.blinking.isChecked():
            self.click(view.blinking)
        for field, value in ((view.volts, volts), (view.amps, amps)):
            self.click(field)
            self.type(f"{value:.2f}")
        self.click(self.button("Record"))
        taken = (self.window.model.facts.supplies or {}).get((self.window.model.facts.epoch, orientation))
        self.assertIsNotNone(taken)

    def cell_out(self) -> None:
        self.from_menu(self.window.header.buttons["cell"], "Cell is unplugged")
        self.assertEqual(self.window.model.facts.cell, "unplugged")

    def scan(self) -> None:
        self.click(self.window.tabs["port"])
        super().scan()

    def asked(self) -> None:
        assessment = self.window.model.assessment
        assert assessment is not None
        action = assessment.advice.next
        for _ in action.points:
            self.card()
            view = self.window.current_view()
            if isinstance(view, PortView):
                point = view.ladder.current_point()
            else:
                assert isinstance(view, BoardView), f"{action.kind} {action.title}"
                shown = view.current_point()
                assert shown is not None
                point = shown.id
            self.assertIn(point, action.points)
            self.type_value(point)

    def repair(self) -> str:
        assessment = self.window.model.assessment
        assert assessment is not None
        action = assessment.advice.next
        self.card()
        self.type("stock")
        for words in ("small parts near the heat counted against the list", "no bridges", "flux off"):
            self.click(self.box(words))
        self.click(self.button("Record the rework"))
        self.unit.mend(action.target, action.detail)
        done = self.window.model.facts.reworks[-1][1]
        self.assertEqual((done.part, done.action, done.audit), (action.target, action.detail,
                                                                ("counted", "bridges", "flux")))
        return action.target

    def said_in_the_line(self, kind: str) -> None:
        before = len(self.window.model.trail)
        self.card()
        self.click(self.window.ask.take)
        self.assertGreater(len(self.window.model.trail), before, kind)

    def name_the_cause(self) -> None:
        self.click(self.window.tabs["rework"])
        row = self.window.views["rework"].row
        if row.buttons["cause.dock"].isVisible():
            self.click(row.buttons["cause.dock"])
        else:
            self.from_menu(row.more, "Cause: the dock")
        self.assertEqual(self.window.model.facts.cause.what if self.window.model.facts.cause else "", "dock")

    def assemble(self) -> None:
        self.card()
        for button in [one for one in self.window.views["proof"].findChildren(QPushButton)
                       if one.text() == "In" and one.isVisible() and one.isEnabled()]:
            if button.isEnabled():
                self.click(button)

    def try_one(self, check: str) -> None:
        self.card()
        self.say_of(check)

    def say_of(self, check: str) -> None:
        about = next(one for one in self.board.checks if one.id == check)
        works = self.unit.functions_work(about.functions)
        self.click(self.button(f"{'Passed' if works else 'Failed'}: {about.words}"))
        self.assertEqual((self.window.model.facts.proofs or {})[check].passed, works)

    def prove(self) -> None:
        self.card()
        while ready := [one for one in self.window.views["proof"].findChildren(QPushButton)
                        if one.text() == "In" and one.isVisible() and one.isEnabled()]:
            self.click(ready[0])
        for check in self.board.checks:
            self.say_of(check.id)

    def test_a_whole_job_from_the_shelf_to_the_sheet(self) -> None:
        self.assertEqual(QGuiApplication.platformName(), "xcb")
        self.window.resize(1270, 860)
        self.window.move(0, 0)
        self.pump(0.3)
        self.hide("FL5:open_winding:3:4", seed=5)
        self.new_job("SLS-0700")
        self.intake("no picture, one way up", ("no_dock",))
        self.look()
        self.supply("a")
        self.supply("b")
        self.cell_out()
        self.scan()
        self.assertEqual(self.follow(), ["FL5"])
        self.assertEqual(self.unit.faults, [])
        self.card()
        self.click(next(one for one in self.window.views["handover"].findChildren(QWidget)
                        if one.accessibleName() == "Sentence for the owner"))
        self.type("Works again.")
        self.click(self.button("Close the job"))
        self.assertEqual(self.window.model.facts.outcome.result if self.window.model.facts.outcome else "", "repaired")
        sheet = self.folder / "sheet.pdf"
        row = self.window.views["handover"].row
        self.click(row.buttons["sheet.pdf"] if row.buttons["sheet.pdf"].isVisible() else self.button("Hand-over sheet"))
        self.type(str(sheet))  # what stood there was chosen, and gives way
        self.click(self.window.ask.take)
        self.wait(sheet.exists, what="for the sheet")


if __name__ == "__main__":
    unittest.main()
