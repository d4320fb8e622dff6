"""Nothing jumps: messages, questions and banners come and go, and no widget of any view moves."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QWidget
from shiboken6 import getCppPointer

from dextrum.core.trail import Cell, JobOpened, Look, Supply
from dextrum.desktop.theme import look
from dextrum.store.entries import new_entry
from dextrum.store.jobs import JobStore
from tests.window_support import WindowCase

SHORT = "That is not a number of V. Nothing was recorded."
LONG = " ".join([SHORT] * 5)
MOST_MOVED = 1
"""Pixels."""


class NothingJumpsTest(WindowCase):
    def fill(self, store: JobStore) -> None:
        store.add_trail([new_entry(payload, "Ines") for payload in (
            JobOpened("SLS-0417", "Tarnwick Duo", "tarnwick-duo-c"), Look(("clean",)), Supply("a", 9.1, 1.85),
            Cell("unplugged"))])

    def places(self, view: QWidget) -> dict[int, tuple[int, int, int, int]]:
        """Of all widgets of a view that are seen, but for the message itself; by the widget and not by its wrapper,
        which comes and goes for what Qt makes itself."""
        self.pump()
        return {getCppPointer(w)[0]: (w.mapTo(self.window, QPoint(0, 0)).x(), w.mapTo(self.window, QPoint(0, 0)).y(),
                                     w.width(), w.height())
                for w in view.findChildren(QWidget) if w.isVisible() and w.objectName() != "notice"}

    def pump(self) -> None:
        for _ in range(4):
            self.application.processEvents()

    def check(self, before: dict[int, tuple[int, int, int, int]], view: QWidget, what: str) -> None:
        after = self.places(view)
        self.assertEqual(set(after), set(before), what)
        for widget, place in before.items():
            for one, other in zip(place, after[widget], strict=True):
                self.assertLessEqual(abs(one - other), MOST_MOVED, what)

    def test_no_widget_of_any_view_moves(self) -> None:
        self.settled()
        for scale in (100, 150):
            look.scale = scale
            self.window.restyle()
            for name in self.window.views:
                self.window.show_view(name)
                self.pump()
                view = self.window.views[name]
                self.wait(partial(getattr, view, "settled"), 40.0, f"for what {name} reads")
                before = self.places(view)
                for words in (SHORT, LONG, ""):
                    view.say_trouble(words)
                    self.check(before, view, f"{name}, trouble {words[:8]!r}")
                    self.window.say_problem(words)
                    self.check(before, view, f"{name}, problem {words[:8]!r}")
                    self.window.trail.say(words)
                    self.check(before, view, f"{name}, said {words[:8]!r}")
                self.window.commands.run("bench.who")
                self.check(before, view, f"{name}, a question")
                self.type("x" * 60)
                self.key(Qt.Key.Key_Return)
                self.check(before, view, f"{name}, a question and what is wrong with the answer")
                self.window.ask.leave()
                self.check(before, view, f"{name}, the question gone")
                self.window.long_work.show()
                self.check(before, view, f"{name}, work that runs")
                self.window.long_work.hide()
                self.check(before, view, f"{name}, work done")

    def test_a_message_is_seen_whole_and_put_away_by_a_click(self) -> None:
        self.settled()
        view = self.window.views.port
        self.window.show_view("port")
        self.pump()
        view.say_trouble(LONG)
        self.assertTrue(view.trouble.isVisible())
        self.assertGreaterEqual(view.trouble.height(), view.trouble.heightForWidth(view.trouble.width()))
        self.window.say_problem(LONG)
        self.pump()
        self.assertGreaterEqual(self.window.problem.height(), self.window.problem.heightForWidth(
            self.window.problem.width()))
        self.assertGreaterEqual(self.window.notices.y(), 0)


if __name__ == "__main__":
    import unittest

    unittest.main()
