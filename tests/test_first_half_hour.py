"""The first half hour: the ways to begin, the guide and its search, the guided job that waits for what was done."""

from __future__ import annotations

import re
import unittest

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from dextrum.app.guide import PAGE_OF, PAGES, folder, page_of, page_text, search
from dextrum.app.job.tour import STEPS, step_of
from dextrum.core.board import Method
from dextrum.core.job import job_facts
from dextrum.core.trail import (
    Cell,
    Intake,
    JobOpened,
    Look,
    Outcome,
    Payload,
    PointReading,
    Proof,
    Readings,
    Rework,
    Supply,
)
from dextrum.desktop.frame.views import VIEWS
from dextrum.desktop.frame.welcome import WAYS
from dextrum.tongue import LANGUAGES
from tests.support import DUO, duo_board, trail_of
from tests.window_support import WindowCase

Key = Qt.Key


class GuideTest(unittest.TestCase):
    def test_every_page_is_there_and_every_link_and_picture_leads_somewhere(self) -> None:
        for language in LANGUAGES:
            here = folder(language)
            self.assertEqual({place.stem for place in here.glob("*.html")}, set(PAGES))
            for page in PAGES:
                html = (here / f"{page}.html").read_text(encoding="utf-8")
                for target in re.findall(r'(?:href|src)="([^"]+)"', html):
                    self.assertTrue((here / target).is_file(), f"{language} {page}: {target}")
        for page in PAGES:
            self.assertGreater(len(page_text(page)[1]), 150, page)

    def test_pages_of_a_language_are_put_together_as_the_english_ones(self) -> None:
        """Nothing is left out: as many headings, paragraphs, rows, pictures and links."""
        for language in LANGUAGES:
            for page in PAGES:
                counts = [{tag: len(re.findall(rf"<{tag}\b", (folder(one) / f"{page}.html").read_text("utf-8")))
                           for tag in ("h1", "h2", "p", "tr", "li", "img", "code")} for one in ("en", language)]
                self.assertEqual(counts[0], counts[1], f"{language} {page}")

    def test_each_view_has_its_page_and_the_contents_lead_to_all(self) -> None:
        for view in VIEWS:
            self.assertEqual(page_of(view.name), PAGE_OF.get(view.name, view.name))
            self.assertNotEqual(page_of(view.name), "index")
        self.assertEqual(page_of("elsewhere"), "index")
        contents = (folder() / "index.html").read_text(encoding="utf-8")
        for page in PAGES[1:]:
            self.assertIn(f'href="{page}.html"', contents)

    def test_search_finds_all_words_and_the_title_first(self) -> None:
        self.assertEqual(search("port")[0].page, "port")
        self.assertIn("supply", [found.page for found in search("flat cell")])
        self.assertEqual(search("zebra"), ())
        self.assertEqual(search("  "), ())
        for found in search("swollen"):
            self.assertIn("swollen", found.words.casefold())


class TourTest(unittest.TestCase):
    def test_each_step_waits_until_it_was_really_done(self) -> None:
        board = duo_board()
        scan = Readings(Method.DIODE_RED_GROUND, tuple(PointReading(p, 0.5) for p in board.port_point_ids()), "M1")
        done: list[Payload] = [JobOpened("GUIDED-1", "Tarnwick Duo", DUO), Intake("Dead.", ("no_charge",)),
                                 Look(("clean",)),
                Supply("a", 9.0, 1.0), Supply("b", 9.0, 1.0), Cell("unplugged"), scan, Rework("replace", "F1"),
                Proof("charge_a", True), Outcome("repaired", "")]
        at = [step_of(job_facts(trail_of(*done[:count])), board) for count in range(1, len(done) + 1)]
        self.assertEqual(at, [0, 1, 2, 2, 3, 4, 5, 6, 7, 8])
        self.assertEqual(len(STEPS), 8)
        self.assertEqual(step_of(job_facts(trail_of(done[0])), None), 0)

    def test_half_a_scan_is_not_a_scan(self) -> None:
        board = duo_board()
        half = Readings(Method.DIODE_RED_GROUND, tuple(PointReading(p, 0.5) for p in board.port_point_ids()[:12]), "M1")
        trail = trail_of(JobOpened("G", "Tarnwick Duo", DUO), Intake("Dead."), Look(("clean",)), Supply("a", 9.0, 1.0),
                         Supply("b", 9.0, 1.0), Cell("unplugged"), half)
        self.assertEqual(step_of(job_facts(trail), board), 4)


class WindowTest(WindowCase):
    def test_an_empty_bench_offers_ways_to_begin(self) -> None:
        self.assertTrue(self.window.welcome.isVisible())
        self.assertEqual(tuple(self.window.welcome.buttons), WAYS)
        QTest.mouseClick(self.window.welcome.buttons["job.new"], Qt.MouseButton.LeftButton)
        self.assertTrue(self.window.ask.isVisible())
        self.type("SLS-1")
        self.key(Key.Key_Return)
        self.assertFalse(self.window.welcome.isVisible())

    def test_the_guide_opens_at_the_page_of_the_view_by_f1_twice(self) -> None:
        self.window.commands.new_job()
        self.type("SLS-1")
        self.key(Key.Key_Return)
        self.window.show_view("port")
        self.key(Key.Key_F1)
        self.key(Key.Key_F1)
        guide = self.window.help.guide
        assert guide is not None
        self.addCleanup(guide.deleteLater)
        self.assertEqual(guide.page, "port")
        self.assertIn("red probe on ground", guide.browser.toPlainText())
        guide.field.setText("swollen")
        self.assertIn("Intake", guide.browser.toPlainText())
        guide.field.setText("zebra")
        self.assertIn("No page has all these words", guide.browser.toPlainText())
        guide.field.setText("")
        self.assertIn("red probe on ground", guide.browser.toPlainText())

    def test_the_guided_job_is_only_on_the_demo_bench_and_goes_on_by_what_is_recorded(self) -> None:
        self.window.commands.run("tour.begin")
        self.assertFalse(self.window.help.tour.isVisible())
        self.window.bench_state = self.folder / "simbench.json"
        self.window.commands.run("tour.begin")
        self.application.processEvents()
        self.assertTrue(self.window.help.tour.isVisible())
        self.assertIn("step 1 of 8", self.window.help.tour.head.text())
        self.window.model.record(Intake("Dead.", ("no_charge",)))
        self.window.model.record(Look(("clean",)))
        self.application.processEvents()
        self.assertIn("step 3 of 8", self.window.help.tour.head.text())
        job = self.window.model.job_id
        QTest.mouseClick(self.window.help.tour.leave, Qt.MouseButton.LeftButton)
        self.assertFalse(self.window.help.tour.isVisible())
        self.window.commands.run("tour.begin")
        self.assertEqual(self.window.model.job_id, job, "the same job is come back to")
        self.assertTrue(self.window.help.tour.isVisible())


if __name__ == "__main__":
    unittest.main()
