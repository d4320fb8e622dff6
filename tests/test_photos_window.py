"""Photos through the window: dropped, pasted, from a watched folder, from a microscope; marked, compared."""

from __future__ import annotations

import base64
import unittest
from dataclasses import replace
from datetime import timedelta
from pathlib import Path

from PySide6.QtCore import QItemSelectionModel, QMimeData, QPoint, QPointF, Qt, QUrl
from PySide6.QtGui import QColor, QDropEvent, QImage
from PySide6.QtTest import QTest

from dextrum.app.bench.simbench import prepare_bench, write_state
from dextrum.app.rework.recipes import RecipeBook
from dextrum.core.job import job_facts
from dextrum.core.trail import Access, Cell, Entry, JobOpened, Look, Photo, PlannedRepair, Rework, ReworkPlan
from dextrum.desktop.photos.thumbnails import MOST_KEPT
from dextrum.desktop.photos.view import PhotosView
from dextrum.instruments.simbench.bench import HandRefusedError
from dextrum.instruments.simbench.server import BenchServer
from dextrum.store import pictures
from tests.support import DUO, START, library
from tests.window_support import Key, WindowCase


def coloured(name: str, wide: int = 300, high: int = 200) -> QImage:
    image = QImage(wide, high, QImage.Format.Format_RGB32)
    image.fill(QColor(name))
    return image


class PhotosWindowTest(WindowCase):
    def setUp(self) -> None:
        super().setUp()
        self.job = self.session.open_new_job("SLS-0931", DUO)
        self.window.open_job(self.job)
        self.settled()

    def photos(self) -> list[Photo]:
        return [photo for photo, _ in self.window.model.facts.photos]

    def has(self, count: int) -> None:
        self.wait(lambda: len(self.photos()) == count, what=f"for {count} photos")

    def view(self) -> PhotosView:
        self.window.show_view("photos")
        view = self.window.views["photos"]
        assert isinstance(view, PhotosView)
        return view

    def saved(self, name: str, colour: str = "red") -> Path:
        place = self.folder / name
        coloured(colour).save(str(place))
        return place

    def drop(self, *files: Path) -> None:
        data = QMimeData()
        data.setUrls([QUrl.fromLocalFile(str(file)) for file in files])
        self.window.dropEvent(QDropEvent(QPointF(10, 10), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton,
                                         Qt.KeyboardModifier.NoModifier))

    def test_dropped_ones_are_kept_for_what_the_open_view_shows(self) -> None:
        self.window.show_view("port")
        self.drop(self.saved("a.png"), self.saved("b.jpg", "blue"))
        self.has(2)
        self.assertEqual([photo.shows for photo in self.photos()], ["port", "port"])
        self.window.model.record(Rework("clean", "J1"))
        self.window.show_view("rework")
        self.drop(self.saved("c.webp", "green"))
        self.has(3)
        self.assertEqual(self.photos()[2].shows, "after")
        self.drop(self.folder / "gone.png")
        self.wait(lambda: "gone.png" in self.window.problem.toolTip(), what="for the words")
        broken = self.folder / "broken.png"
        broken.write_bytes(b"\x89PNG\r\n\x1a\nnothing")
        self.drop(broken)
        self.wait(lambda: "broken.png" in self.window.problem.toolTip(), what="for the words")
        self.assertEqual(len(self.photos()), 3)
        for photo in self.photos():
            pictures.picture_size(self.session.store.picture(photo.sha256))

    def test_pasted_and_said_what_it_shows(self) -> None:
        view = self.view()
        self.application.clipboard().setImage(coloured("orange"))
        self.key(Key.Key_V, Qt.KeyboardModifier.ControlModifier)
        self.has(1)
        self.window.commands.run("photo.words")
        self.type("A5 bent")
        self.window.ask.choice.setCurrentIndex(self.window.ask.choice.findData("port"))
        self.window.ask.field.setFocus()
        self.key(Key.Key_Return)
        self.assertEqual([(photo.shows, photo.words) for photo in self.photos()], [("port", "A5 bent")])
        self.assertIn("1 of the port", view.sentence.text())
        self.application.clipboard().setText("no picture")
        self.window.commands.run("photo.paste")
        self.assertIn("no picture", self.window.trail.said.text())

    def test_a_photo_of_the_job_that_was_left_meanwhile_goes_to_it(self) -> None:
        other = self.session.open_new_job("SLS-0932", DUO)
        self.drop(self.saved("a.png"))
        self.window.open_job(other)
        self.wait(lambda: self.window.commands.photos.keeper.waiting == 0, what="for the photo")
        self.assertEqual(self.photos(), [])
        self.window.open_job(self.job)
        self.has(1)

    def test_rings_arrows_and_the_last_one_off(self) -> None:
        self.drop(self.saved("a.png"))
        self.has(1)
        view = self.view()
        self.wait(lambda: len(view.canvas.images) == 1, what="for the picture")
        for command, form in (("photo.ring", "ring"), ("photo.arrow", "arrow")):
            self.window.commands.run(command)
            frame = view.canvas.frame(0)
            one = frame.topLeft() + QPointF(frame.width() * 0.25, frame.height() * 0.5)
            other = frame.topLeft() + QPointF(frame.width() * 0.5, frame.height() * 0.5)
            QTest.mousePress(view.canvas, Qt.MouseButton.LeftButton, pos=one.toPoint())
            QTest.mouseMove(view.canvas, other.toPoint())
            QTest.mouseRelease(view.canvas, Qt.MouseButton.LeftButton, pos=other.toPoint())
            self.application.processEvents()
            mark = self.photos()[0].marks[-1]
            self.assertEqual(mark.form, form)
            self.assertAlmostEqual(mark.x, 0.25, delta=0.02)
            self.assertAlmostEqual(mark.to_x, 0.5, delta=0.02)
            self.wait(lambda: len(view.canvas.images) == 1, what="for the picture")
        # A slip of the hand draws nothing, and the picture itself has not changed.
        self.window.commands.run("photo.ring")
        QTest.mouseClick(view.canvas, Qt.MouseButton.LeftButton, pos=QPoint(100, 100))
        self.assertEqual(len(self.photos()[0].marks), 2)
        self.key(Key.Key_Escape)
        self.window.commands.run("photo.unmark")
        self.assertEqual([mark.form for mark in self.photos()[0].marks], ["ring"])
        self.window.commands.run("trail.strike")
        self.assertEqual(len(self.photos()[0].marks), 2, "undone like any entry")
        self.assertEqual(len(list(pictures.pictures_there(self.session.store.folder))), 1)

    def test_two_beside_and_over_one_another(self) -> None:
        self.drop(self.saved("a.png", "red"), self.saved("b.png", "blue"))
        self.has(2)
        view = self.view()
        self.window.commands.run("photo.over")
        self.assertIn("Choose two photos", view.trouble.text())
        first = view.photos.index(0)
        view.list.selectionModel().select(first, QItemSelectionModel.SelectionFlag.Select)
        self.wait(lambda: len(view.canvas.images) == 2, what="for both")
        panes = view.canvas.panes()
        self.assertLess(panes[0].right(), panes[1].left())
        self.window.commands.run("photo.over")
        self.assertTrue(view.share.isVisible())
        view.share.setValue(0)
        middle = view.canvas.frame(0).center().toPoint()

        def shown() -> QColor:
            return QColor(view.canvas.grab().toImage().pixel(middle * view.canvas.devicePixelRatio()))

        self.assertGreater(shown().blue(), 200, "the current one below")
        view.share.setValue(100)
        self.assertGreater(shown().red(), 200)

    def test_a_watched_folder_gives_what_comes_and_not_what_was_there(self) -> None:
        place = self.folder / "scope"
        place.mkdir()
        coloured("grey").save(str(place / "old.png"))
        self.window.commands.run("photo.watch")
        self.type(str(self.folder / "nowhere"))
        self.key(Key.Key_Return)
        self.assertIn("is no folder", self.window.ask.trouble.text())
        self.window.ask.field.setText(str(place))
        self.key(Key.Key_Return)
        coloured("red").save(str(place / "new.png"))
        (place / "notes.txt").write_text("nothing")
        self.has(1)
        self.window.commands.run("photo.watch")
        self.window.ask.field.setText("")
        self.key(Key.Key_Return)
        coloured("blue").save(str(place / "later.png"))
        QTest.qWait(1600)
        self.assertEqual(len(self.photos()), 1)

    def test_many_photos_keep_few_small_pictures(self) -> None:
        for k in range(MOST_KEPT + 20):
            self.drop(self.saved(f"{k}.png", f"#{k * 1000:06x}"))
        self.has(MOST_KEPT + 20)
        view = self.view()
        for k in range(MOST_KEPT + 20):
            view.thumbnails.picture(self.photos()[k].sha256)
        self.wait(lambda: not view.thumbnails._asked, what="for the small pictures")
        self.assertLessEqual(len(view.thumbnails._kept), MOST_KEPT)

    def test_a_picture_that_is_gone_is_said(self) -> None:
        self.drop(self.saved("a.png"))
        self.has(1)
        pictures.place_of(self.session.store.folder, self.photos()[0].sha256).unlink()
        view = self.view()
        self.wait(lambda: "gone" in view.canvas.words, what="for the words")


class DueTest(WindowCase):
    def test_the_photo_before_the_work_is_asked_for_until_it_is_there(self) -> None:
        self.window.open_job(self.session.open_new_job("SLS-0934", DUO))
        model = self.window.model
        model.record(Look(("clean",)), Cell("unplugged"), Access("back_off"))
        self.settled()
        book = RecipeBook(self.folder / "recipes")
        recipe = next(one for one in book.recipes.values() if one.id == "port-low-melting")
        self.assertEqual(recipe.step[0].photo, "before")
        model.record(ReworkPlan((PlannedRepair("J1", recipe.id, recipe.version),)))
        self.window.show_view("rework")
        lead = self.window.views.rework.lead
        self.assertIn("A photo is due", lead.watch.text())
        self.assertTrue(lead.buttons["photo"].isVisible())
        lead.buttons["photo"].click()
        self.assertIn("as a file", self.window.ask.words.text(), "no bench here, so a file")
        place = self.folder / "a.png"
        coloured("red").save(str(place))
        self.assertEqual(self.window.ask.choice.currentData(), "before")
        self.window.ask.field.setText(str(place))
        self.key(Key.Key_Return)
        self.wait(lambda: len(model.facts.photos) == 1, what="for the photo")
        self.assertIn("Its photo is kept", lead.watch.text())
        self.assertFalse(lead.buttons["photo"].isVisible())
        self.settled()

    def test_marking_a_photo_does_not_make_it_a_new_one(self) -> None:
        early, late = START, START + timedelta(hours=1)
        photo = Photo("0" * 64, 10, 10, "before")
        trail = (Entry("o", early, "i", JobOpened("S", "M", "P")), Entry("a", early, "i", photo),
                 Entry("b", late, "i", replace(photo, words="marked later")))
        kept, at = job_facts(trail).photos[0]
        self.assertEqual((kept.words, at), ("marked later", early))

    def test_the_watched_folder_is_watched_again_after_a_restart(self) -> None:
        place = self.folder / "scope"
        place.mkdir()
        self.session.store.set_setting("photo.folder", str(place))
        self.window.open_job(self.session.open_new_job("SLS-0935", DUO))
        self.settled()
        self.window.commands.photos.watch_again()
        coloured("red").save(str(place / "new.png"))
        self.wait(lambda: len(self.window.model.facts.photos) == 1, what="for the photo")


class MicroscopeTest(WindowCase):
    def setUp(self) -> None:
        super().setUp()
        self.bench = prepare_bench(library(), DUO, ["J1:open_contact:A5", "C14:missing_part"], 4)
        self.server = BenchServer(self.bench)
        self.addCleanup(self.server.close)

    def jpeg(self, of: str) -> QImage:
        image = QImage.fromData(base64.b64decode(self.server.hand({"do": "photo", "of": of})["jpeg"]))
        self.assertFalse(image.isNull())
        return image

    def test_the_port_and_both_sides_are_drawn_as_the_unit_is(self) -> None:
        self.assertGreater(self.jpeg("top").width(), 1000)
        self.assertNotEqual(self.jpeg("top"), self.jpeg("bottom"))
        before = self.jpeg("port")
        self.assertEqual(before, self.jpeg("port"), "the same look, the same picture")
        self.server.hand({"do": "repair", "part": "J1", "action": "replace"})
        if self.bench.look.findings != ("clean",):
            self.assertNotEqual(before, self.jpeg("port"), "a new port looks new")
        with self.assertRaises(HandRefusedError):
            self.server.hand({"do": "photo", "of": "inside"})

    def test_through_the_window(self) -> None:
        self.window.open_job(self.session.open_new_job("SLS-0933", DUO))
        self.settled()
        state = self.folder / "simbench.json"
        write_state(state, self.server)
        self.window.bench_state = state
        self.window.commands.run("photo.microscope")
        self.key(Key.Key_Return)
        self.wait(lambda: len(self.window.model.facts.photos) == 1, what="for the photo")
        self.assertEqual(self.window.model.facts.photos[0][0].shows, "port")


if __name__ == "__main__":
    unittest.main()
