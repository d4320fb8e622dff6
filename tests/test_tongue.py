"""What an owner reads, in another language and another region: nothing is left out, nothing is mistaken."""

from __future__ import annotations

import ast
import re
import string
import tempfile
import unittest
from datetime import date, datetime, time
from pathlib import Path
from typing import get_args

from jinja2 import Environment, nodes
from pypdf import PdfReader

from dextrum.app.bench.described_meters import shipped_descriptions
from dextrum.app.handover.handover import ACTIONS, CAUSES, STATES, make_sheet, sheet_html
from dextrum.app.handover.results import RESULTS
from dextrum.app.handover.shop_paper import ShopPaper, set_shop_paper, shop_paper
from dextrum.app.job.trail_words import POSITION_WORDS
from dextrum.app.job.when_typed import parse_when
from dextrum.app.money.quote_sheet import BASIS_WORDS
from dextrum.app.places import shipped
from dextrum.core.board import ComponentKind
from dextrum.core.board.fasteners import FastenerKind
from dextrum.core.board.kinds import KIND_WORDS
from dextrum.core.draw.records import spell_words
from dextrum.core.draw.spells import typed_spell
from dextrum.core.draw.states import UNKNOWN_WORDS
from dextrum.core.ledger.lot_in import LOT_KIND_WORDS
from dextrum.core.looks import BOARD_FINDING_WORDS, BOARD_FINDINGS, LOOK_WORDS, LOOKS
from dextrum.core.safety.cautions import CAUTIONS
from dextrum.core.trail import (
    Access,
    BoardLook,
    Cause,
    Fastened,
    Intake,
    JobOpened,
    LeftOut,
    Look,
    Outcome,
    PartSeen,
    Proof,
    Rework,
    Supply,
    Swap,
)
from dextrum.core.when import DAYS, MONTHS, DateForm, clock_words, day_words, moment_words, use_form
from dextrum.desktop.frame.window_commands import STOP_USING
from dextrum.errors import WORDS_OF_THE_SYSTEM, EntryRefusedError
from dextrum.store.jobs import JobStore
from dextrum.tongue import LANGUAGES, Tongue, in_a_row, tongue
from tests.support import DUO, START, duo_advice, duo_board, library, trail_of
from tests.window_support import Key, WindowCase

SOURCE = Path(__file__).resolve().parent.parent / "src" / "dextrum"
ENGLISH_ENDINGS = {"s", "s2", "ies", "are", "have", "were", "they"}
"""Gaps for the endings of English words in the plural; another language has forms of its own."""
SAID_IN = ("app/handover/handover.py", "app/money/quote_sheet.py", "core/draw/records.py", "core/teardown/walk.py",
           "app/advising/looking.py", "core/when.py")


def gaps(text: str) -> set[str]:
    return {name for _, name, _, _ in string.Formatter().parse(text) if name}


def words_within(value: ast.expr) -> list[str]:
    """Words that are written out in what fills a gap."""
    match value:
        case ast.Constant(value=str(text)):
            return [text] if re.search(r"[A-Za-z]{2}", text) else []
        case ast.IfExp(body=one, orelse=other):
            return words_within(one) + words_within(other)
        case ast.BoolOp(values=parts) | ast.JoinedStr(values=parts):
            return [word for part in parts for word in words_within(part)]
        case ast.FormattedValue(value=inner):
            return words_within(inner)
    return []


def said_in_code() -> set[str]:
    """Every sentence that is handed to `say` as it is written."""
    found = set()
    for file in SAID_IN:
        for node in ast.walk(ast.parse((SOURCE / file).read_text("utf-8"))):
            if isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id == "say" and node.args:
                parts = [node.args[0]]
                while parts:
                    part = parts.pop()
                    if isinstance(part, ast.IfExp):
                        parts += [part.body, part.orelse]
                    elif isinstance(part, ast.Constant):
                        found.add(str(part.value))
    return found


def said_in_templates() -> set[str]:
    found = set()
    for name in ("handover.html", "quote.html"):
        parsed = Environment().parse((shipped() / "templates" / name).read_text("utf-8"))
        for call in parsed.find_all(nodes.Call):
            if isinstance(call.node, nodes.Name) and call.node.name == "say":
                assert isinstance(call.args[0], nodes.Const)
                found.add(call.args[0].value)
    return found


def said_of_packs() -> set[str]:
    """Words of shipped packs that can stand on a sheet."""
    found: set[str] = set()
    for pack in library().ids():
        board = library().board(pack)
        found |= {check.words for check in board.checks} | {symptom.words for symptom in board.symptoms}
        found |= {state.words for state in board.draw_states} | {one.words for one in board.fasteners if one.words}
        found |= {part.purpose for part in board.components if part.kind is ComponentKind.IC}
        found |= {caution.words for caution in board.cautions if "handover" in caution.views}
    return found


def listed() -> set[str]:
    """Words that the program has in lists."""
    return {*DAYS, *MONTHS, *RESULTS.values(), *CAUSES.values(), *ACTIONS.values(), *STATES.values(),
            *LOT_KIND_WORDS.values(), *POSITION_WORDS.values(), *WORDS_OF_THE_SYSTEM.values(),
            *(meter.name for meter in shipped_descriptions()),
            *BASIS_WORDS.values(), *KIND_WORDS.values(), *get_args(FastenerKind), UNKNOWN_WORDS,
            *(words for words in STOP_USING.values() if words),
            *(LOOK_WORDS.get(one, one) for one in LOOKS), "top", "bottom",
            *(BOARD_FINDING_WORDS.get(one, one) for one in BOARD_FINDINGS),
            *(caution.words for caution in CAUTIONS if "handover" in caution.views),
            *(Swap(what, "no_dock", True).thing for what in ("supply", "cable", "dock", "fan", "controllers")),
            *(f"Stop using the {what} that came with it." for what in ("supply", "cable", "dock"))}


class InARowTest(unittest.TestCase):
    def test_each_part_ends_once(self) -> None:
        for parts, said in ((("Replace U1", "board out", ""), "Replace U1. board out"),
                            (("Is the draw growing?", "again 13:14.", "Any entry ends it."),
                             "Is the draw growing? again 13:14. Any entry ends it."),
                            (("likely to fix the fault.", "Wear the strap"), "likely to fix the fault. Wear the strap"),
                            ((), ""), (("", ""), ""), (("A4",), "A4")):
            self.assertEqual(in_a_row(parts), said)


class WordsTest(unittest.TestCase):
    def test_every_sentence_has_its_words_in_every_language(self) -> None:
        wanted = said_in_code() | said_in_templates() | said_of_packs() | listed()
        self.assertGreater(len(wanted), 150)
        for language in LANGUAGES:
            if language != "en":
                with self.subTest(language):
                    self.assertEqual(sorted(wanted - set(tongue(language).words)), [])

    def test_gaps_are_the_same_on_both_sides(self) -> None:
        for language in LANGUAGES:
            for english, said in tongue(language).words.items():
                for form in [said] if isinstance(said, str) else said:
                    self.assertLessEqual(gaps(form), gaps(english), english)
                    self.assertLessEqual(gaps(english) - gaps(form), ENGLISH_ENDINGS, english)
                    self.assertEqual(english.endswith("."), form.endswith("."), english)

    def test_no_gap_is_filled_with_words_of_one_language(self) -> None:
        """A word that is chosen where a sentence is said goes through `tr` too, unless the other language has no gap
        there, as for an ending."""
        found, calls = [], 0
        for file in sorted(SOURCE.rglob("*.py")):
            for node in ast.walk(ast.parse(file.read_text("utf-8"))):
                if not (isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id == "tr"
                        and node.args and isinstance(node.args[0], ast.Constant)):
                    continue
                calls += 1
                said = tongue("de").words.get(str(node.args[0].value), "")
                wanted = gaps(said if isinstance(said, str) else " ".join(said))
                found += [f"{file.name}:{node.lineno} {keyword.arg} {word!r}" for keyword in node.keywords
                          if keyword.arg in wanted for word in words_within(keyword.value)]
        self.assertEqual(found, [])
        self.assertGreater(calls, 2000)

    def test_numbers_have_the_languages_mark_and_names_keep_theirs(self) -> None:
        german = tongue("de")
        self.assertEqual(spell_words(typed_spell(2.0, 5.1, 0.06), german.say), "0,06 A bei 5,1 V")
        self.assertEqual(spell_words(typed_spell(2.0, 5.1, 0.06)), "0.06 A at 5.1 V")
        self.assertEqual(german.say("left out: {reason}", reason="C17.1 {so}"), "ausgelassen: C17.1 {so}")
        self.assertEqual(german.say("words {nobody} knows"), "words {nobody} knows")

    def test_a_language_that_is_not_here_is_english(self) -> None:
        self.assertEqual(tongue("xx"), Tongue())


TRAIL = trail_of(
    JobOpened("SLS-1", "Tarnwick Duo", DUO), Intake("lädt nicht {x}", ("no_charge",), condition="gut",
                                                    came_along="Kabel"),
    Look(("dirt", "loose"), ("A5",)), BoardLook("top", (PartSeen("C62", "missing"),)), Supply("a", 5.1, 0.06),
    Swap("dock", "no_dock", True), Access("back_off"), Fastened("S5", "missing"), Fastened("S6", "wrong_length", 6.0),
    Rework("replace", "F1"), Cause("supply", STOP_USING["supply"]), Proof("charge_a", True),
    LeftOut("dock_a", "keine Dockingstation hier"), Outcome("repaired", "Alles gut."))


class SheetTest(unittest.TestCase):
    def html(self, language: str) -> str:
        paper = ShopPaper("Werkbank", days=90, language=language)
        sheet = make_sheet(duo_board(), duo_advice().model.references, TRAIL, "x", "Ines", START, paper,
                           tongue(language).say)
        return sheet_html(sheet, language=language)

    def test_a_whole_sheet_in_german(self) -> None:
        html = self.html("de")
        for words in ('<html lang="de">', "Was wir gefunden haben", "Buchse: voller Schmutz, Kontakte lose bei A5.",
                      "Bei der Durchsicht der Platine, Oberseite: C62 fehlt.", "Schraube S5, neben der Buchse: fehlt.",
                      "es war eine falsche darin (6 mm)", "Mit einer geprüften Dockingstation war „kein Bild",
                      "0,06 A bei 5,1 V", "Ersetzt: F1, Sicherung", "mitgebrachte Netzteil nicht mehr", "repariert",
                      "Lädt mit der A-Seite oben, mit voller Leistung", "ausgelassen: keine Dockingstation hier",
                      "Für diese Reparatur stehen wir bis", "lädt nicht {x}", "Alles gut."):
            self.assertIn(words, html)
        plain = self.html("en")
        for english in tongue("de").words:
            if len(english) > 25 and "{" not in english and english in plain:
                self.assertNotIn(english, html, "left in English")

    def test_a_day_is_never_mistaken(self) -> None:
        german = tongue("de").say
        self.assertEqual(day_words(date(2026, 3, 4), say=german), "Mi 4. März 2026")
        self.assertEqual(moment_words(datetime(2026, 3, 4, 9, 5), say=german), "Mi 4. März 2026 09:05")


class RegionTest(unittest.TestCase):
    def setUp(self) -> None:
        self.addCleanup(use_form, DateForm())

    def test_day_month_and_clock_go_by_the_region(self) -> None:
        at = datetime(2026, 3, 4, 14, 5)
        self.assertEqual(moment_words(at), "Wed 4 Mar 2026 14:05")
        use_form(DateForm(month_first=True, twelve_hours=True))
        self.assertEqual(moment_words(at), "Wed Mar 4 2026 2:05 pm")
        self.assertEqual([clock_words(time(hour)) for hour in (0, 11, 12, 23)],
                         ["12:00 am", "11:00 am", "12:00 pm", "11:00 pm"])
        self.assertEqual(day_words(date(2026, 3, 4), date(2026, 3, 5)), "yesterday")

    def test_what_is_shown_is_understood_when_it_is_typed_again(self) -> None:
        now = datetime(2026, 3, 2, 9, 0)
        for form in (DateForm(), DateForm(True, True), DateForm(True, False), DateForm(False, True)):
            use_form(form)
            for at in (datetime(2026, 3, 4, 14, 5), datetime(2026, 3, 4, 0, 30), datetime(2027, 12, 31, 12, 0)):
                self.assertEqual(parse_when(moment_words(at), now).at, at, moment_words(at))
        self.assertEqual(parse_when("Fri 5 pm", now).at, datetime(2026, 3, 6, 17, 0))
        with self.assertRaises(EntryRefusedError):
            parse_when("Fri 13 pm", now)

    def test_the_form_of_a_region(self) -> None:
        from dextrum.desktop.frame.region import form_of_region

        self.assertEqual(form_of_region("en_US"), DateForm(True, True))
        self.assertEqual(form_of_region("de_DE"), DateForm())
        self.assertEqual(form_of_region("en_GB"), DateForm())
        self.assertEqual(form_of_region("C"), DateForm())


class LanguageSettingTest(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.store = JobStore(Path(folder.name) / "jobs.sqlite")
        self.addCleanup(self.store.close)

    def test_it_is_kept_and_what_is_no_language_is_refused(self) -> None:
        set_shop_paper(self.store, ShopPaper(language="de"))
        self.assertEqual(shop_paper(self.store).language, "de")
        with self.assertRaisesRegex(EntryRefusedError, "no words"):
            set_shop_paper(self.store, ShopPaper(language="xx"))
        self.store.set_setting("sheet.language", "nonsense")
        self.assertEqual(shop_paper(self.store).language, "en")


class LanguageWindowTest(WindowCase):
    def test_the_owners_pdf_is_in_the_shops_language_and_says_so(self) -> None:
        self.window.open_job(self.session.open_new_job("SLS-0971", DUO))
        self.settled()
        self.window.show_view("handover")
        set_shop_paper(self.store, ShopPaper("Werkbank", language="de"))
        self.window.model.changed.emit()
        view = self.window.views.handover
        self.wait(lambda: "Was wir gefunden haben" in view.sheet_view.toPlainText(), what="for the sheet")
        self.window.commands.run("sheet.pdf")
        self.window.ask.field.setText(str(self.folder / "owner.pdf"))
        self.window.ask.field.setFocus()
        self.key(Key.Key_Return)
        self.wait((self.folder / "owner.pdf").exists, 20.0, "for the PDF")
        self.wait(lambda: not self.window.long_work.busy, 20.0, "for it to be whole")
        read = PdfReader(self.folder / "owner.pdf")
        self.assertIn("Was Sie uns gesagt haben", " ".join(read.pages[0].extract_text().split()))
        self.assertEqual(str(read.root_object["/Lang"]), "de")
        assert read.metadata is not None
        self.assertIn("Übergabe", str(read.metadata.title))
        shelf = view.sheet()
        assert shelf is not None
        self.assertEqual(shelf.outcome, "still open", "the shelf's own stays in the program's words")


if __name__ == "__main__":
    unittest.main()
