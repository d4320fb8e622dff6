"""Without any meter that speaks: a walk typed with one hand on a number pad, echoed large and said back."""

from __future__ import annotations

import os
import stat
import unittest
from unittest.mock import patch

from PySide6.QtCore import Qt

from dextrum.app.reading.capture import spoken_words
from dextrum.core.board import Method
from dextrum.core.capture.walk import CaptureWalk
from dextrum.core.trail import Cell, JobOpened, Look, Readings, standing
from dextrum.desktop.capture.sound import MOST_WAITING, Sounder
from dextrum.store.entries import new_entry
from dextrum.store.jobs import JobStore
from tests.support import DUO, START
from tests.window_support import Key, WindowCase

PAD = Qt.KeyboardModifier.KeypadModifier


class OneHandTest(WindowCase):
    def fill(self, store: JobStore) -> None:
        store.add_trail([new_entry(p, "Ines", START) for p in (
            JobOpened("SLS-1", "Tarnwick Duo", DUO), Look(("clean",)), Cell("unplugged"))])

    def setUp(self) -> None:
        super().setUp()
        self.window.commands.run("capture.walk")
        self.panel = self.window.capture_panel

    def pad(self, keys: str) -> None:
        known = {".": Key.Key_Period, "+": Key.Key_Plus, "-": Key.Key_Minus, "*": Key.Key_Asterisk,
                 "/": Key.Key_Slash, "E": Key.Key_Enter}
        for one in keys:
            self.key(known.get(one) or Key(int(Key.Key_0) + int(one)), PAD)

    @property
    def walk(self) -> CaptureWalk:
        walk = self.window.commands.capture.walk
        assert walk is not None
        return walk

    def recorded(self) -> list[tuple[str, float]]:
        return [(r.point, r.value) for e in standing(self.window.model.trail) if isinstance(e.payload, Readings)
                for r in e.payload.readings]

    def test_a_walk_by_the_number_pad_alone(self) -> None:
        first, second, third = self.walk.points[:3]
        self.assertIn("+ OL", self.panel.keys.text())
        self.pad("0.451")
        self.assertEqual(self.panel.heard.text(), "0.451", "echoed large while it is typed")
        self.pad("E")
        self.assertEqual(self.recorded(), [(first, 0.451)])
        self.assertIn("0.451 V", self.panel.heard.text())
        self.pad("+")
        self.assertEqual(self.recorded()[1:], [(second, float("inf"))])
        self.assertEqual(self.walk.point, third)
        self.pad("/")
        self.assertEqual((self.recorded(), self.walk.point), ([(first, 0.451)], second), "struck out, and due again")
        self.pad("*")
        self.assertEqual(self.walk.point, third)
        self.pad("-")
        self.assertEqual(self.walk.point, second)

    def test_millivolts_are_shown_as_volts_and_recorded_by_the_next_enter(self) -> None:
        first = self.walk.point
        self.pad("451E")
        self.assertEqual(self.recorded(), [])
        self.assertEqual(self.panel.field.text(), "0.451")
        self.pad("E")
        self.assertEqual(self.recorded(), [(first, 0.451)])

    def test_what_is_no_value_records_nothing_and_is_told_by_ear(self) -> None:
        self.pad("9.9E")
        self.assertEqual(self.recorded(), [])
        self.assertEqual(self.window.commands.capture.sounder.said[-1], "not a value")
        self.pad("-5E")
        self.assertEqual(self.recorded(), [])

    def test_the_foot_switch_is_enter_while_something_is_typed(self) -> None:
        first = self.walk.point
        self.panel.pedal = int(Key.Key_F9)
        self.pad("0.46")
        self.key(Key.Key_F9)
        self.assertEqual(self.recorded(), [(first, 0.46)])
        second = self.walk.point
        self.key(Key.Key_F9)
        self.assertEqual(self.walk.point, first, "with nothing typed it repeats")
        self.assertNotEqual(first, second)

    def test_each_value_is_said_back(self) -> None:
        self.pad("0.451E")
        said = self.window.commands.capture.sounder.said
        self.assertTrue(any("0.451 volts" in words for words in said), said)
        self.pad("+")
        self.assertTrue(any("O L" in words for words in self.window.commands.capture.sounder.said))
        self.assertFalse(self.window.commands.capture.sounder.speaks, "off by default")


class VoiceTest(WindowCase):
    """The system's synthesiser, stood in for by a script that writes down what it is told."""

    def setUp(self) -> None:
        super().setUp()
        self.log = self.folder / "said.txt"
        script = self.folder / "spd-say"
        script.write_text(f"#!/bin/sh\necho begin >> '{self.log}'\nsleep 0.2\necho \"$4\" >> '{self.log}'\n"
                          f"echo \"$2 $3\" >> '{self.folder}/voices.txt'\n")
        script.chmod(script.stat().st_mode | stat.S_IEXEC)
        found = patch.dict(os.environ, {"PATH": f"{self.folder}:{os.environ['PATH']}"})
        found.start()
        self.addCleanup(found.stop)
        self.sounder = Sounder(self.store, self.window, player=lambda _samples: None)
        self.sounder.speak_from_now(True)

    def test_sentences_come_one_after_the_other_and_stale_ones_are_dropped(self) -> None:
        from dextrum.app.reading.capture import Cue

        for k in range(6):
            self.sounder.play(Cue.WITHIN, f"value {k}")
        self.wait(lambda: self.log.exists() and "value 5" in self.log.read_text(), 20.0, "for the last one")
        lines = self.log.read_text().splitlines()
        self.assertEqual(lines[::2], ["begin"] * len(lines[1::2]), "never two at once")
        self.assertEqual(lines[1::2], ["value 0", *(f"value {k}" for k in range(6 - MOST_WAITING, 6))])
        self.assertEqual(set((self.folder / "voices.txt").read_text().splitlines()), {"-l en"},
                         "in the window's language, whatever the desktop's own voice is")

    def test_where_it_is_off_nothing_is_said(self) -> None:
        from dextrum.app.reading.capture import Cue

        self.sounder.speak_from_now(False)
        self.sounder.play(Cue.WITHIN, "value")
        self.assertFalse(self.log.exists())


class SpokenTest(unittest.TestCase):
    def test_what_is_said(self) -> None:
        self.assertEqual(spoken_words("A4", 0.512, Method.DIODE_RED_GROUND, "within"), "A4. 0.512 volts. within")
        self.assertEqual(spoken_words("fuse", 0.3, Method.RESISTANCE, ""), "fuse. 0.3 ohms")
        self.assertEqual(spoken_words("A4", float("inf"), Method.DIODE_RED_GROUND, "open"), "A4. O L. open")


if __name__ == "__main__":
    unittest.main()
