"""The first half hour: the ways to begin, the guide and its search, the guided job that waits for what was done."""

from __future__ import annotations

import re
import unittest
from dataclasses import replace

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from dextrum.app.guide import PAGE_OF, PAGES, folder, page_of, page_text, search
from dextrum.app.job.tour import FIRST_JOB, FIRST_PACK, PACK_STEPS, STEPS, Tour, TourState, step_of
from dextrum.app.packmaking.circuits import circuits
from dextrum.core.board import Board, Method, Side
from dextrum.core.job import job_facts
from dextrum.core.packmaking.circuit_template import with_circuit
from dextrum.core.packmaking.first_rung import described
from dextrum.core.packmaking.likes import PlaceOfLike, with_likes
from dextrum.core.packmaking.placing import parse_part, with_part
from dextrum.core.packmaking.port_template import own_socket
from dextrum.core.packmaking.second_rung import with_good_unit
from dextrum.core.trail import (
    Cell,
    Entry,
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
from dextrum.tongue import ENGLISH, LANGUAGES, words_of
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


def at_step(tour: Tour, trail: tuple[Entry, ...], board: Board, own: bool = True, photos: int = 0) -> int:
    return step_of(tour, TourState(job_facts(trail), board, own, photos))


class PackTourTest(unittest.TestCase):
    def test_each_step_waits_for_what_the_pack_really_has(self) -> None:
        begun = trail_of(JobOpened("SLS-0611", "Tarnwick Grip", "tarnwick-grip-a"))
        board = described("Tarnwick Grip", "A", own_socket(["VIN", "DAT", "GND"]))
        self.assertEqual(at_step(FIRST_PACK, begun, duo_board(), own=False), 0)
        self.assertEqual(at_step(FIRST_PACK, begun, board), 1)
        board = with_good_unit(board, {"J1.A1": 0.53, "J1.A2": 0.64, "J1.A3": 0.0})
        self.assertEqual(at_step(FIRST_PACK, begun, board, photos=1), 2)
        self.assertEqual(at_step(FIRST_PACK, begun, board, photos=2), 3)
        for k in range(1, 11):
            board = with_part(board, parse_part(f"C{k} ? ?"), Side.TOP, 5.0 * k, 8.0)
        self.assertEqual(at_step(FIRST_PACK, begun, board, photos=2), 4)
        board = with_likes(board, board.component_by_designator["C1"], tuple(
            PlaceOfLike(3.0 + 1.5 * k, 20.0, False, 1.0) for k in range(35)))
        self.assertEqual(at_step(FIRST_PACK, begun, board, photos=2), 5)
        ends = {f"{p.designator}.{t.name}" for p in board.components if not p.undescribed for t in p.terminals}
        nets = {"1": "VIN", "2": "GND"}
        known = replace(board, components=tuple(
            p if p.undescribed or p.designator == "J1" else replace(p, terminals=tuple(
                replace(t, net=nets[t.name]) for t in p.terminals)) for p in board.components))
        self.assertGreater(len(ends), 80)
        self.assertEqual(at_step(FIRST_PACK, begun, known, photos=2), 6)
        known = with_part(known, parse_part("U1 VIN=VIN GND=GND"), Side.TOP, 30.0, 12.0)
        laid = with_circuit(known, circuits()[0]["socket-charger"], {"charger": ("U1",)})
        self.assertEqual(at_step(FIRST_PACK, begun, laid, photos=2), 7)
        done = trail_of(JobOpened("SLS-0612", "Tarnwick Grip", "tarnwick-grip-a"),
                        Rework("replace", "U1", "stock", ("counted", "bridges", "flux")), Outcome("repaired", "Works."))
        self.assertEqual(at_step(FIRST_PACK, done, laid, photos=2), len(PACK_STEPS))


class TourTest(unittest.TestCase):
    def test_each_step_waits_until_it_was_really_done(self) -> None:
        board = duo_board()
        scan = Readings(Method.DIODE_RED_GROUND, tuple(PointReading(p, 0.5) for p in board.port_point_ids()), "M1")
        done: list[Payload] = [JobOpened("GUIDED-1", "Tarnwick Duo", DUO), Intake("Dead.", ("no_charge",)),
                                 Look(("clean",)),
                Supply("a", 9.0, 1.0), Supply("b", 9.0, 1.0), Cell("unplugged"), scan, Rework("replace", "F1"),
                Proof("charge_a", True), Outcome("repaired", "")]
        at = [at_step(FIRST_JOB, trail_of(*done[:count]), board) for count in range(1, len(done) + 1)]
        self.assertEqual(at, [0, 1, 2, 2, 3, 4, 5, 6, 7, 8])
        self.assertEqual(len(STEPS), 8)
        self.assertEqual(step_of(FIRST_JOB, None), 0)

    def test_an_intake_without_a_word_is_none(self) -> None:
        empty = trail_of(JobOpened("G", "Tarnwick Duo", DUO), Intake())
        self.assertEqual(at_step(FIRST_JOB, empty, duo_board()), 0)

    def test_every_step_is_said_in_every_language(self) -> None:
        for language in LANGUAGES:
            if language != ENGLISH:
                words, _ = words_of(language)
                self.assertEqual([s.words for s in (*STEPS, *PACK_STEPS) if s.words not in words], [], language)

    def test_half_a_scan_is_not_a_scan(self) -> None:
        board = duo_board()
        half = Readings(Method.DIODE_RED_GROUND, tuple(PointReading(p, 0.5) for p in board.port_point_ids()[:12]), "M1")
        trail = trail_of(JobOpened("G", "Tarnwick Duo", DUO), Intake("Dead."), Look(("clean",)), Supply("a", 9.0, 1.0),
                         Supply("b", 9.0, 1.0), Cell("unplugged"), half)
        self.assertEqual(at_step(FIRST_JOB, trail, board), 4)


class WindowTest(WindowCase):
    def test_an_empty_bench_offers_ways_to_begin(self) -> None:
        self.assertTrue(self.window.welcome.isVisible())
        self.assertEqual(tuple(self.window.welcome.buttons), WAYS)
        QTest.mouseClick(self.window.welcome.buttons["job.new"], Qt.MouseButton.LeftButton)
        self.assertTrue(self.window.ask.isVisible())
        self.type("SLS-1")
        self.key(Key.Key_Return)
        self.assertIn("Say which model it is.", self.window.ask.trouble.text())
        self.key(Key.Key_Tab)
        self.key(Key.Key_Down)
        self.key(Key.Key_Return)
        self.assertFalse(self.window.welcome.isVisible())
        self.assertEqual(self.window.model.facts.serial, "SLS-1")

    def test_the_guide_opens_at_the_page_of_the_view_by_f1_twice(self) -> None:
        self.window.commands.new_job()
        self.type("SLS-1")
        self.key(Key.Key_Tab)
        self.key(Key.Key_Down)
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
        self.assertIn("· 1 of 8", self.window.help.tour.head.text())
        self.window.model.record(Intake("Dead.", ("no_charge",)))
        self.window.model.record(Look(("clean",)))
        self.application.processEvents()
        self.assertIn("· 3 of 8", self.window.help.tour.head.text())
        job = self.window.model.job_id
        QTest.mouseClick(self.window.help.tour.leave, Qt.MouseButton.LeftButton)
        self.assertFalse(self.window.help.tour.isVisible())
        self.window.model.record(Cell("unplugged"))
        self.application.processEvents()
        self.assertFalse(self.window.help.tour.isVisible(), "what was left stays away")
        self.window.commands.run("tour.begin")
        self.assertEqual(self.window.model.job_id, job, "the same job is come back to")
        self.assertTrue(self.window.help.tour.isVisible())

    def test_the_guided_pack_goes_on_from_job_to_job_until_it_is_left(self) -> None:
        self.window.commands.run("tour.pack")
        self.assertFalse(self.window.help.tour.isVisible(), "only on the demo bench")
        self.window.bench_state = self.folder / "simbench.json"
        self.window.commands.run("tour.pack")
        self.application.processEvents()
        panel = self.window.help.tour
        self.assertTrue(panel.isVisible())
        self.assertEqual(len(list((self.folder / "demo-photos").glob("*.jpg"))), 2)
        self.assertEqual(panel.head.text(), "Guided pack · 1 of 8")
        for serial in ("SLS-0001", "SLS-0002"):
            self.window.open_job(self.session.open_new_job(serial, DUO))
            self.application.processEvents()
            self.assertIn("· 1 of 8", panel.head.text(), "a pack that came with the program is none of one's own")
        QTest.mouseClick(panel.leave, Qt.MouseButton.LeftButton)
        self.window.open_job(self.session.open_new_job("SLS-0003", DUO))
        self.application.processEvents()
        self.assertFalse(panel.isVisible())
        # The guided job has its own steps beside it.
        self.window.commands.run("tour.pack")
        self.window.commands.run("tour.begin")
        self.application.processEvents()
        self.assertIn("Guided job · 1 of 8", panel.head.text())


if __name__ == "__main__":
    unittest.main()
