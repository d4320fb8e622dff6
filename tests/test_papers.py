"""What leaves on paper: the owner's sheet, the shelf's with plots and photos, labels whose code opens the job."""

from __future__ import annotations

import base64
import re
import unittest
from dataclasses import replace
from datetime import timedelta
from decimal import Decimal
from typing import Any, Literal

import cv2
import numpy as np
from pypdf import PdfReader
from PySide6.QtGui import QColor, QImage
from PySide6.QtTest import QTest

from dextrum.app.handover.handover import Sheet, make_sheet, sheet_html
from dextrum.app.handover.label import code_of, good_parts, id_begins, label_of
from dextrum.app.handover.shelf_sheet import _peaks, code_picture, with_shelf
from dextrum.app.handover.shop_paper import PAPERS, ShopPaper, set_shop_paper, shop_paper
from dextrum.app.handover.work_minutes import LONGEST_STRETCH_MINUTES, minutes_of_work
from dextrum.core.board import Method
from dextrum.core.job import job_facts
from dextrum.core.trail import (
    DrawTrace,
    Entry,
    Intake,
    Look,
    Outcome,
    Paid,
    Photo,
    PointReading,
    Proof,
    Quote,
    QuoteAnswer,
    Readings,
    Rework,
    Wait,
)
from dextrum.desktop.handover.pdf import ROLLS_MM, write_label, write_pdf
from dextrum.errors import EntryRefusedError, StoreError
from dextrum.store import pictures
from tests.support import DUO, START, duo_advice, duo_board, trail_of
from tests.test_pictures import StoreCase, picture
from tests.test_safety import OPENED
from tests.test_supply_window import simulated
from tests.window_support import Key, WindowCase, application

MM = 25.4 / 72.0
RED = Method.DIODE_RED_GROUND


def read_by_eye(data_uri: str) -> str:
    """What an independent reader finds in a picture of a code."""
    data = np.frombuffer(base64.b64decode(data_uri.partition(",")[2]), np.uint8)
    image = cv2.imdecode(data, cv2.IMREAD_COLOR)
    assert image is not None
    found, _, _ = cv2.QRCodeDetector().detectAndDecode(image)
    return str(found)


def sheet_of(*payloads: object, shop: ShopPaper | None = None) -> tuple[Sheet, tuple[Entry, ...]]:
    trail = trail_of(OPENED, *payloads)  # type: ignore[arg-type]
    return make_sheet(duo_board(), duo_advice().model.references, trail, "Bench", "Ines", START, shop), trail


class OwnerTest(unittest.TestCase):
    def test_what_was_not_tested_stands_apart_and_until_when_the_shop_stands_for_it(self) -> None:
        shop = ShopPaper("Saltmarsh bench", "Quay 4", "Parts stay ours until paid.", 90)
        sheet, _ = sheet_of(Rework("replace", "U1"), Proof("boot", True), Outcome("repaired"), shop=shop)
        html = sheet_html(sheet)
        self.assertLess(html.index("What we tested"), html.index("What we did not test"))
        for words in ("Saltmarsh bench", "Quay 4", "Parts stay ours until paid.", "We stand for this repair until"):
            self.assertIn(words, html)
        self.assertIn(str((START + timedelta(days=90)).year), sheet.stands_until)
        outcomes: tuple[Literal["returned", "donor", "no_fault"], ...] = ("returned", "donor", "no_fault")
        for outcome in outcomes:
            self.assertEqual(sheet_of(Outcome(outcome), shop=shop)[0].stands_until, "")

    def test_no_table_of_readings_for_an_owner(self) -> None:
        sheet, _ = sheet_of(Readings(RED, (PointReading("J1.B5", 0.001),), "M1"))
        self.assertNotIn("0.001 V", sheet_html(sheet))
        self.assertIn("0.001 V", sheet_html(sheet, "shelf.html"))


class ShopTest(StoreCase):
    def test_kept_and_refused(self) -> None:
        store = self.session.store
        self.assertEqual(shop_paper(store), ShopPaper())
        paper = ShopPaper("Bench", "Quay 4", "Terms.", 90, "roll62")
        set_shop_paper(store, paper)
        self.assertEqual(shop_paper(store), paper)
        for wrong in (ShopPaper(days=-1), ShopPaper(days=10**6), ShopPaper(paper="a0"), ShopPaper(mark="file:///etc/passwd"),
                      ShopPaper(terms="t" * 9999)):
            with self.assertRaises(EntryRefusedError):
                set_shop_paper(store, wrong)
        self.assertEqual(shop_paper(store), paper)
        store.set_setting("sheet.days", "\u00b2")
        self.assertEqual(shop_paper(store).days, 0)
        store.set_setting("sheet.days", "many")
        store.set_setting("sheet.paper", "stone")
        self.assertEqual((shop_paper(store).days, shop_paper(store).paper), (0, "a4"))


class MinutesTest(unittest.TestCase):
    def test_pauses_and_waits_are_no_work(self) -> None:
        def at(minutes: float, payload: object, name: str) -> Entry:
            return Entry(name, START + timedelta(minutes=minutes), "Ines", payload)  # type: ignore[arg-type]

        self.assertEqual(minutes_of_work(()), 0.0)
        trail = (at(0, OPENED, "a"), at(4, Look(("clean",)), "b"), at(10, Wait("for a cell"), "c"),
                 at(3000, Look(("clean",)), "d"), at(6000, Look(("clean",)), "e"))
        self.assertEqual(minutes_of_work(trail), 4 + 6 + LONGEST_STRETCH_MINUTES)
        later = trail[-1].at + timedelta(hours=3)
        money = [Entry(f"m{k}", later, "Ines", payload) for k, payload in enumerate((  # type: ignore[arg-type]
            Quote(Decimal("49")), QuoteAnswer("accepted"), Paid(Decimal("49"))))]
        self.assertEqual(minutes_of_work((*trail, *money)), minutes_of_work(trail), "saying a price takes no hands")


class LabelTest(unittest.TestCase):
    def test_a_code_names_the_beginning_of_an_id_and_nothing_else_does(self) -> None:
        draw = np.random.default_rng(2)
        for _ in range(500):
            job = draw.bytes(16).hex()
            self.assertEqual(id_begins(code_of(job)), job[:12])
            self.assertEqual(id_begins(code_of(job).lower()), job[:12])
        for text in ("", "JDX", "JDX12a", "SLS-0417", "JDX" + "9" * 15, "JDX" + "1" * 16):
            self.assertEqual(id_begins(text), "", text)

    def test_another_reader_reads_the_code(self) -> None:
        code = code_of("0123456789abcdef0123456789abcdef")
        self.assertEqual(read_by_eye(code_picture(code)), code)

    def test_a_donor_says_what_is_good_on_it(self) -> None:
        board = duo_board()
        dear = max(board.components, key=lambda part: part.price)
        good = good_parts(board, {dear.designator: 0.4})
        self.assertTrue(good)
        self.assertFalse(any(words.startswith(f"{dear.designator} ") for words in good))
        unread = job_facts(trail_of(OPENED, Intake("x"), Outcome("donor")))
        read = job_facts(trail_of(OPENED, Readings(RED, (PointReading("J1.B5", 0.6),), "M1"), Outcome("donor")))
        self.assertIn(good[0], label_of("0" * 32, read, good).lines[1])
        for facts, parts in ((read, ()), (unread, good)):
            self.assertIn("Nothing on it is known to be good", label_of("0" * 32, facts, parts).lines[1],
                          "a chance that nothing was measured for is no knowledge")


class PdfTest(StoreCase):
    @classmethod
    def setUpClass(cls) -> None:
        application()  # fonts need one

    def pages(self, html: str, paper: str = "a4") -> PdfReader:
        place = self.folder / f"{len(list(self.folder.iterdir()))}.pdf"
        write_pdf(html, place, "SLS-1 hand-over", paper=paper)
        return PdfReader(place)

    def test_papers_have_their_size_text_fonts_title_and_language(self) -> None:
        sheet, _ = sheet_of(Intake("does not charge; Größe 5 µA, – “quoted”"), Outcome("repaired"))
        for paper, wide in (("a4", 210.0), ("letter", 215.9), *ROLLS_MM.items()):
            with self.subTest(paper):
                read = self.pages(sheet_html(sheet), paper)
                self.assertAlmostEqual(float(read.pages[0].mediabox.width) * MM, wide, delta=0.6)
                text = " ".join(page.extract_text() for page in read.pages)
                for words in ("What we found", "does not charge", "Größe", "If it comes back"):
                    self.assertIn(words, re.sub(r"\s+", " ", text))
                root: Any = read.trailer["/Root"]
                self.assertEqual(root["/Lang"], "en")
                assert read.metadata is not None
                self.assertEqual(read.metadata.title, "SLS-1 hand-over")
                resources: list[Any] = [page["/Resources"] for page in read.pages]
                fonts = [font.get_object() for one in resources for font in one["/Font"].values()]
                self.assertTrue(fonts)
                for font in fonts:
                    inner: Any = font["/DescendantFonts"][0].get_object() if "/DescendantFonts" in font else font
                    about = inner["/FontDescriptor"].get_object()
                    self.assertTrue({"/FontFile", "/FontFile2", "/FontFile3"} & set(about), "embedded")
        self.assertEqual(set(PAPERS), {"a4", "letter", *ROLLS_MM})

    def test_a_roll_is_one_long_page(self) -> None:
        sheet, _ = sheet_of(Outcome("repaired"))
        self.assertEqual(len(self.pages(sheet_html(sheet), "roll58").pages), 1)

    def test_tables_that_fit_on_a_page_are_not_cut(self) -> None:
        for lines in range(30, 60, 3):
            rows = "".join(f"<tr><td>row {k}.</td></tr>" for k in range(12))
            html = "".join(f"<p>line {k}</p>" for k in range(lines)) + \
                f"<p>HEADING</p><table cellpadding='5'>{rows}</table>"
            with self.subTest(lines):
                pages = [re.sub(r"\s+", " ", page.extract_text()) for page in self.pages(html).pages]
                holding = [k for k, text in enumerate(pages) if "row " in text]
                self.assertEqual(len(holding), 1)
                self.assertIn("HEADING", pages[holding[0]])

    def test_a_label_has_the_rolls_width_and_its_words(self) -> None:
        facts = job_facts(trail_of(OPENED, Intake("x", due="2026-03-13T17:00")))
        for paper, wide in ROLLS_MM.items():
            place = self.folder / f"{paper}.pdf"
            write_label(label_of("0123456789abcdef0123456789abcdef", facts), place, paper=paper)
            read = PdfReader(place)
            self.assertEqual(len(read.pages), 1)
            self.assertAlmostEqual(float(read.pages[0].mediabox.width) * MM, wide, delta=0.6)
            text = read.pages[0].extract_text()
            self.assertIn("T-1", text)
            self.assertIn("Due Fri 13 Mar 2026 17:00", re.sub(r"\s+", " ", text))
            self.assertEqual(len(read.pages[0].images), 1, "its code")

    def test_the_shelf_keeps_readings_draws_photos_and_parts(self) -> None:
        photo = picture(5, 900, 600)
        self.add(photo, shows="port", words="A5 bent")
        gone = Photo("ab" * 32, 10, 10, "board")
        trace = simulated("taper", True, 300.0)
        self.assertIsInstance(trace, DrawTrace)
        sheet, trail = sheet_of(Intake("dark"), trace, Readings(RED, (
            PointReading("J1.B5", 0.001), PointReading("J1.A5", 0.6)), "M1"), Rework("replace", "U1", "lot 3"),
            Photo(pictures.content_of(photo), 900, 600, "port", "", "A5 bent"), gone)

        def read(name: str) -> bytes:
            return self.session.store.picture(name)

        full = with_shelf(sheet, duo_board(), duo_advice().model.references, trail, read, code_of("12" * 16))
        html = sheet_html(full, "shelf.html")
        self.assertEqual(len(full.all_readings), 2)
        self.assertEqual(full.parts, ("U1: lot 3",))
        for words in ("A5 bent", "the picture is not here", "data:image/svg+xml", "data:image/jpeg", "lot 3"):
            self.assertIn(words, html)
        self.assertNotRegex(html, r'src="(?!data:)')
        self.assertEqual(read_by_eye(full.code), code_of("12" * 16))
        pages = self.pages(html)
        self.assertGreaterEqual(sum(len(page.images) for page in pages.pages), 3, "code, plot and photo are on it")
        with self.assertRaises(StoreError):
            read("ab" * 32)

    def test_a_long_trace_keeps_its_peak(self) -> None:
        values = [0.1] * 5000
        values[3217] = 2.0
        keep = _peaks(values, 200)
        self.assertIn(3217, keep)
        self.assertLessEqual(len(keep), 402)
        self.assertEqual(keep, sorted(keep))


class PapersWindowTest(WindowCase):
    def setUp(self) -> None:
        super().setUp()
        self.job = self.session.open_new_job("SLS-0951", DUO)
        self.other = self.session.open_new_job("SLS-0952", DUO)
        self.window.open_job(self.job)
        self.settled()

    def test_the_shop_in_seven_questions(self) -> None:
        self.window.commands.run("shop.paper")
        for typed in ("Saltmarsh bench", "Quay 4", "Terms.", "9" * 5000, "\u00b2", "soon"):
            self.window.ask.field.setText(typed)
            self.key(Key.Key_Return)
            self.application.processEvents()
        self.assertIn("number of days", self.window.ask.trouble.text())
        self.window.ask.field.setText("90")
        self.key(Key.Key_Return)
        self.application.processEvents()
        for choice in ("roll62", "de"):
            self.window.ask.choice.setCurrentIndex(self.window.ask.choice.findData(choice))
            self.key(Key.Key_Return)
            self.application.processEvents()
        self.window.ask.field.setText(str(self.folder / "none.png"))
        self.key(Key.Key_Return)
        self.assertIn("can't be read", self.window.ask.trouble.text())
        mark = QImage(600, 300, QImage.Format.Format_RGB32)
        mark.fill(QColor("navy"))
        mark.save(str(self.folder / "mark.png"))
        self.window.ask.field.setText(str(self.folder / "mark.png"))
        self.key(Key.Key_Return)
        self.application.processEvents()
        kept = shop_paper(self.session.store)
        self.assertEqual(replace(kept, mark=""), ShopPaper("Saltmarsh bench", "Quay 4", "Terms.", 90, "roll62",
                                                           language="de"))
        html = sheet_html(self.window.views.handover.sheet())
        self.assertIn(kept.mark, html)
        place = self.folder / "m.pdf"
        write_pdf(html, place, "m")
        self.assertEqual(len(PdfReader(place).pages[0].images), 1)
        self.window.show_view("handover")
        self.application.processEvents()
        view = self.window.views.handover
        self.assertIn("Quay 4", view.sheet_view.toPlainText())

    def test_every_paper_is_written_and_what_stands_there_is_asked_for(self) -> None:
        for command, name in (("sheet.pdf", "a.pdf"), ("sheet.html", "a.html"), ("sheet.shelf", "b.pdf"),
                              ("sheet.shelf_html", "b.html"), ("sheet.label", "c.pdf")):
            place = self.folder / name
            self.window.commands.run(command)
            self.window.ask.field.setText(str(place))
            self.key(Key.Key_Return)
            self.wait(place.exists, what=name)
            self.wait(lambda: not self.window.long_work.busy, what="for the work to end")
            self.window.commands.run(command)
            self.window.ask.field.setText(str(place))
            self.key(Key.Key_Return)
            self.assertIn("stands there already", self.window.ask.trouble.text())
            self.key(Key.Key_Escape)

    def scan(self, text: str, pause: int = 0) -> None:
        for letter in text:
            QTest.keyClicks(self.focus(), letter)
            if pause:
                QTest.qWait(pause)
        self.key(Key.Key_Return)

    def test_a_scanned_label_opens_its_job_from_anywhere(self) -> None:
        for view in ("intake", "port", "proof", "rework"):
            self.window.open_job(self.job)
            self.settled()
            self.window.show_view(view)
            before = len(self.window.model.trail)
            self.scan(code_of(self.other))
            self.application.processEvents()
            self.assertEqual(self.window.model.job_id, self.other, view)
            self.assertEqual(len(self.session.store.trail(self.job)), before, "nothing was recorded by it")
            self.settled()
        self.scan(code_of("0" * 32))
        self.assertIn("No job here has this label", self.window.problem.toolTip())

    def test_what_is_typed_by_hand_comes_where_it_was_going(self) -> None:
        self.window.shelf.search.setFocus()
        self.type("JDX9 not a label")
        self.wait(lambda: self.window.shelf.search.text() == "JDX9 not a label", what="for the letters")
        self.window.shelf.search.clear()
        self.type("j")
        self.assertEqual(self.window.shelf.search.text(), "", "held: it may be a scanner's")
        self.wait(lambda: self.window.shelf.search.text() == "j", what="for the letter")


if __name__ == "__main__":
    unittest.main()
