"""The strip below the view in little room: what can be done is whole, the title gives way."""

from __future__ import annotations

import unittest

from PySide6.QtWidgets import QPushButton

from dextrum.desktop.frame.trail_strip import TrailStrip
from tests.window_support import WindowCase


class NarrowTest(WindowCase):
    def test_the_title_goes_before_a_button_is_cut(self) -> None:
        strip = TrailStrip(self.window.model)
        self.addCleanup(strip.close)
        strip.say("Recorded. " * 40)
        buttons = strip.findChildren(QPushButton)
        wide = sum(button.sizeHint().width() for button in buttons)
        for room, titled in ((wide + 400, True), (wide + 60, False)):
            strip.resize(room, strip.height())
            strip.show()
            self.application.processEvents()
            self.assertEqual(strip.title.isVisible(), titled, room)
            for button in buttons:
                self.assertGreaterEqual(button.width(), button.sizeHint().width(), button.text())


if __name__ == "__main__":
    unittest.main()
