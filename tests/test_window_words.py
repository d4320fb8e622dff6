"""The window in a second language: every sentence has its words, nothing is shown past them, and the language is
changed in the window."""

from __future__ import annotations

import ast
import os
import re
import subprocess
import sys
import unittest
from pathlib import Path
from unittest import mock

from dextrum import errors, tongue
from dextrum.app.commands import COMMANDS
from dextrum.app.job.when_typed import parse_when
from dextrum.app.places import choose_language, language_of
from dextrum.core.safety.signs import signs_in
from dextrum.tongue import LANGUAGES, Tongue, tr, words_of
from tests.support import START
from tests.test_tongue import words_within
from tests.window_support import Key, WindowCase

SOURCE = Path(__file__).resolve().parent.parent / "src" / "dextrum"
ASKED = ("setText", "setToolTip", "setPlaceholderText", "setAccessibleName", "setAccessibleDescription",
         "setWindowTitle", "QLabel", "QPushButton", "QCheckBox", "QRadioButton", "say_trouble", "ask", "choose",
         "drawText")
"""What shows words to a person: no plain sentence is handed to it."""
SENTENCE = re.compile(r"[a-z]{2,}[ .,:…]|[A-Z][a-z]{2,}|^[a-z]{4,}$")
ERRORS = frozenset(name for name, one in vars(errors).items() if isinstance(one, type) and issubclass(one, Exception))
NO_SENTENCE = frozenset({"Dextrum", "Enter"})


def calls_of_tr() -> dict[str, str]:
    """Every sentence that is written out in the program, and where."""
    found = {}
    for file in sorted(SOURCE.rglob("*.py")):
        for node in ast.walk(ast.parse(file.read_text("utf-8"))):
            if isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id == "tr" and node.args \
                    and isinstance(node.args[0], ast.Constant):
                found[str(node.args[0].value)] = f"{file.relative_to(SOURCE)}:{node.lineno}"
    return found


def shown_past_tr() -> list[str]:
    """Sentences in the code of the window that go straight to what shows them."""
    found = []
    for file in sorted((SOURCE / "desktop").rglob("*.py")):
        if file.name == "shots.py":
            continue
        for node in ast.walk(ast.parse(file.read_text("utf-8"))):
            if not isinstance(node, ast.Call):
                continue
            name = node.func.attr if isinstance(node.func, ast.Attribute) else getattr(node.func, "id", "")
            if name not in ASKED:
                continue
            found += [f"{file.name}:{node.lineno} {text!r}" for argument in node.args for text in words_within(argument)
                      if SENTENCE.search(text) and text not in NO_SENTENCE]
    return found


OF_THE_COMMAND_LINE = ("__main__.py", "app/desktop_entry.py", "app/evaluation", "world", "benchmarks")
"""What only the command line says, which is English."""


def raised_past_tr() -> list[str]:
    """Sentences in what is raised for people to read."""
    found = []
    for file in sorted(SOURCE.rglob("*.py")):
        place = file.relative_to(SOURCE).as_posix()
        if place.startswith(OF_THE_COMMAND_LINE):
            continue
        for node in ast.walk(ast.parse(file.read_text("utf-8"))):
            name = getattr(node.func, "id", "") if isinstance(node, ast.Call) else ""
            if isinstance(node, ast.Call) and name in {*ERRORS, "told_as_store_errors", "PackProblem"}:
                found += [f"{place}:{node.lineno} {text!r}" for value in (*node.args, *(k.value for k in node.keywords))
                          for text in words_within(value) if " " in text.strip() and SENTENCE.search(text)]
    return found


class WordsTest(unittest.TestCase):
    def test_every_sentence_of_the_program_has_its_words_in_every_language(self) -> None:
        written = calls_of_tr()
        self.assertGreater(len(written), 2500)
        commands = {text for one in COMMANDS for text in (one.title, one.what, one.words, one.short) if text}
        for language in LANGUAGES:
            words, _ = words_of(language)
            if words:
                self.assertEqual({text: at for text, at in written.items() if text not in words}, {})
                self.assertEqual(sorted(commands - set(words)), [])

    def test_nothing_is_shown_past_the_words(self) -> None:
        self.assertEqual(shown_past_tr(), [])

    def test_what_goes_wrong_is_said_in_the_language_too(self) -> None:
        self.assertGreater(len(ERRORS), 8)
        self.assertEqual(raised_past_tr(), [])

    def test_one_and_many_have_forms_of_their_own(self) -> None:
        german = Tongue("de", {"{count} reading{s}": ["{count} Messwert", "{count} Messwerte"]})
        self.assertEqual(german.say("{count} reading{s}", count=1, s=""), "1 Messwert")
        self.assertEqual(german.say("{count} reading{s}", count=7, s="s"), "7 Messwerte")

    def test_a_process_speaks_the_language_it_was_begun_with(self) -> None:
        told = subprocess.run(
            [sys.executable, "-c", "from dextrum.app.commands import BY_ID; from dextrum.tongue import tr;"
             "print(BY_ID['job.new'].title, tr('Suspects'), BY_ID['palette'].keys)"], capture_output=True, text=True,
            check=True, env={**os.environ, tongue.SPOKEN: "de", "PYTHONPATH": str(SOURCE.parent)})
        self.assertEqual(told.stdout.strip(), "Neuer Auftrag Verdacht Strg+K")
        self.assertEqual(tr("Suspects"), "Suspects")

    def test_what_the_program_wrote_down_is_said_in_the_language_and_kept_in_english(self) -> None:
        told = subprocess.run(
            [sys.executable, "-c", "from dextrum.core.trail import Wait; from dextrum.tongue import english, tr;"
             "wait = Wait(english(tr('Is the draw growing?')));"
             "print(wait.why, wait.words, Wait('bis Montag {').words);"
             "from dextrum.core.faults.trace_parts import shown_part;"
             "print(shown_part('trace CC1'), shown_part('U1'))"],
            capture_output=True, text=True, check=True,
            env={**os.environ, tongue.SPOKEN: "de", "PYTHONPATH": str(SOURCE.parent)})
        self.assertEqual(told.stdout.strip(), "Is the draw growing? Wächst die Aufnahme? bis Montag {\n"
                                              "Leiterbahn CC1 U1")

    def test_damaged_words_leave_english_and_say_so(self) -> None:
        told = subprocess.run(
            [sys.executable, "-c", "import dextrum.tongue as t; t.json.loads = lambda _: {}; t.speak('de');"
             "print(t.tr('Suspects'))"], capture_output=True, text=True, check=True,
            env={**os.environ, "PYTHONPATH": str(SOURCE.parent)})
        self.assertEqual(told.stdout.strip(), "Suspects")
        self.assertIn("can't be read", told.stderr)

    def test_a_window_on_german_data_shows_no_english(self) -> None:
        told = subprocess.run([sys.executable, str(Path(__file__).with_name("german_window.py"))], capture_output=True,
                              text=True, env={**os.environ, tongue.SPOKEN: "de", "QT_QPA_PLATFORM": "offscreen",
                                              "PYTHONPATH": str(SOURCE.parent)}, cwd=SOURCE.parent.parent)
        self.assertEqual(told.returncode, 0, told.stderr[-2000:])
        lines = told.stdout.splitlines()
        self.assertGreater(int(lines[0]), 400, "texts that were looked at")
        self.assertEqual(lines[1:], [])


    def test_german_is_not_cut_where_room_is_scarce(self) -> None:
        told = subprocess.run(
            [sys.executable, "-c", "import unittest, tests.test_any_size as sizes;"
             "sizes.SIZES = ((960, 1040, 125), (1280, 800, 150), (1280, 800, 200));"
             "suite = unittest.TestLoader().loadTestsFromTestCase(sizes.AnySizeTest);"
             "raise SystemExit(not unittest.TextTestRunner().run(suite).wasSuccessful())"],
            capture_output=True, text=True, cwd=SOURCE.parent.parent,
            env={**os.environ, tongue.SPOKEN: "de", "QT_QPA_PLATFORM": "offscreen", "PYTHONPATH": str(SOURCE.parent)})
        self.assertEqual(told.returncode, 0, told.stderr[-3000:])


class TypedTest(unittest.TestCase):
    def test_german_dates_are_understood_beside_english_ones(self) -> None:
        for german, english in (("morgen 9:00", "tomorrow 9:00"), ("in 2 Tagen", "in 2 days"),
                                ("in 3 Stunden", "in 3 h"), ("heute um 23:50", "today 23:50")):
            self.assertEqual(parse_when(german, START), parse_when(english, START), german)

    def test_english_names_of_days_and_months_stay_understood_in_a_german_window(self) -> None:
        code = ("from datetime import datetime; from dextrum.app.job.when_typed import parse_when;"
                "now = datetime(2026, 11, 27, 9, 0);"
                "print(all(parse_when(a, now) == parse_when(b, now) for a, b in (('14. Dezember', '14 Dec'),"
                "('3. Mai', 'May 3'), ('12. März 2027', '12 Mar 2027'), ('Di', 'Tue'), ('So 17:00', 'Sun 17:00'))))")
        done = subprocess.run([sys.executable, "-c", code], text=True, capture_output=True, check=False,
                              env={**os.environ, tongue.SPOKEN: "de", "PYTHONPATH": str(SOURCE.parent)})
        self.assertEqual(done.stdout.strip(), "True", done.stderr)

    def test_signs_of_danger_are_heard_in_german(self) -> None:
        for text, signs in (("Ist ins Wasser gefallen", {"wet"}), ("wird sehr heiß", {"hot"}),
                            ("Akku ist aufgebläht", {"swollen"}), ("riecht verbrannt", {"smell"}),
                            ("hat geraucht", {"smoke"}), ("wurde nie nass", set()), ("raucht nicht", set()),
                            ("kein Geruch, aber es wird heiß", {"hot"})):
            self.assertEqual(signs_in(text), signs, text)


class ChosenTest(WindowCase):
    def test_the_language_is_chosen_in_the_window_and_it_opens_anew(self) -> None:
        self.assertEqual(language_of(self.store.folder), "en")
        self.window.commands.run("look.language")
        self.assertEqual(self.window.ask.choice.currentText(), "Deutsch")
        self.key(Key.Key_Return)
        self.wait(lambda: self.window.opens_anew)
        self.assertFalse(self.window.isVisible())
        self.assertEqual(language_of(self.store.folder), "de")

    def test_the_program_begins_itself_again_in_place(self) -> None:
        from dextrum.__main__ import main
        from dextrum.desktop.start import OPEN_ANEW

        data = str(self.store.folder)
        with mock.patch("dextrum.desktop.start.run_window", return_value=OPEN_ANEW), \
                mock.patch("os.execv") as begun, mock.patch("gc.disable"):
            main(["run", "--data", data, "--offscreen"])
        self.assertEqual(begun.call_args.args[1][1:], ["-m", "dextrum", "run", "--data", data, "--offscreen"])

    def test_the_desktops_language_is_taken_until_one_is_chosen(self) -> None:
        with mock.patch.dict(os.environ, {"LC_ALL": "", "LC_MESSAGES": "", "LANG": "de_AT.UTF-8"}):
            self.assertEqual(language_of(self.store.folder), "de")
            choose_language(self.store.folder, "en")
            self.assertEqual(language_of(self.store.folder), "en")
        (self.store.folder / "language").write_bytes(b"\xff\xfe")
        with mock.patch.dict(os.environ, {"LC_ALL": "C"}):
            self.assertEqual(language_of(self.store.folder), "en")
