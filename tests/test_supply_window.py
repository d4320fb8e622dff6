"""The Supply view through the real window: typing, gear, files, plot, live, and the wait that calls."""

from __future__ import annotations

import threading
import time
import unittest
from datetime import UTC, datetime, timedelta
from pathlib import Path
from unittest.mock import patch

import numpy as np
from PySide6.QtCore import QMimeData, QPointF, Qt, QUrl
from PySide6.QtGui import QDropEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QCheckBox

from dextrum.app.advising.assess import assess
from dextrum.app.job.session import BenchSession
from dextrum.app.supply.draw_words import floor_words
from dextrum.app.supply.draws import DrawAssessment
from dextrum.core.draw.samples import pack_samples
from dextrum.core.trail import Cell, DrawTrace, JobOpened, Look, Rework, Supply
from dextrum.desktop.frame.background import Work
from dextrum.desktop.frame.window import MainWindow
from dextrum.desktop.supply.view import SupplyView
from dextrum.instruments.simulated_draw import SimulatedDraw
from dextrum.store.entries import new_entry
from dextrum.store.jobs import JobStore
from tests.support import DUO, SLIVER, duo_advice, duo_board, library, trail_of
from tests.window_support import ALT, CTRL, SHIFT, Key, WindowCase

NOON = datetime(2026, 3, 12, 12, 0, tzinfo=UTC)
OPENED = JobOpened("T-1", "Tarnwick Duo", DUO)


def simulated(first: str, healthy: bool, seconds: float, rate: float = 4.0, seed: int = 3) -> DrawTrace:
    made = SimulatedDraw(duo_board(), first, healthy, np.random.default_rng(seed)).samples(seconds, rate)
    return DrawTrace("a", pack_samples(made), len(made), seconds)


class SupplyCase(WindowCase):
    pack_id = DUO

    def fill(self, store: JobStore) -> None:
        opened = OPENED if self.pack_id == DUO else JobOpened("T-1", "Tarnwick Sliver", self.pack_id)
        self.job_id = store.add_trail([new_entry(p, "x", NOON) for p in (opened, Look(("clean",)))])

    def setUp(self) -> None:
        super().setUp()
        self.now = NOON + timedelta(minutes=1)
        self.session.clock = lambda: self.now
        self.key(Key.Key_2, ALT)
        self.settled()

    @property
    def view(self) -> SupplyView:
        view = self.window.views["supply"]
        assert isinstance(view, SupplyView)
        return view

    def supplies(self) -> list[Supply]:
        return [e.payload for e in self.window.model.trail if isinstance(e.payload, Supply)]

    def value(self, volts: str, amps: str) -> None:
        self.tab_to("Volts")
        self.type(volts)
        self.key(Key.Key_Return)
        self.type(amps)
        self.key(Key.Key_Return)

    def csv(self, text: str, name: str = "meter.csv") -> Path:
        path = self.folder / name
        path.write_text(text)
        return path

    def drop(self, path: Path) -> None:
        data = QMimeData()
        data.setUrls([QUrl.fromLocalFile(str(path))])
        event = QDropEvent(QPointF(400, 300), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton,
                           Qt.KeyboardModifier.NoModifier)
        self.window.dropEvent(event)
        self.application.processEvents()

    def command(self, words: str) -> None:
        self.key(Key.Key_K, CTRL)
        self.type(words)
        self.key(Key.Key_Return)


class TypingTest(SupplyCase):
    def test_the_minute_runs_by_itself_while_the_same_plug_in_is_watched(self) -> None:
        self.value("5.05", "0.06")
        self.now += timedelta(minutes=7)
        self.tab_to("Volts")
        self.type("a")
        self.value("5.05", "0.36")
        self.now += timedelta(minutes=5)
        self.type("b")
        self.value("5.05", "0.36")
        self.assertEqual([(s.orientation, s.minute) for s in self.supplies()], [("a", 0.0), ("a", 7.0), ("b", 0.0)])

    def both_ways_up(self) -> None:
        """After the second way up the volts are kept for the next value."""
        for _ in range(2):
            self.value("5.03", "0.36")
        self.assertEqual(self.view.volts.text(), "5.03")

    def test_a_press_into_a_field_that_holds_a_value_chooses_it(self) -> None:
        self.both_ways_up()
        for field, typed in ((self.view.volts, "8.89"), (self.view.amps, "1.90")):
            QTest.mouseClick(field, Qt.MouseButton.LeftButton)
            self.type(typed)
        self.key(Key.Key_Return)
        self.assertEqual([(s.volts, s.amps) for s in self.supplies()][2:], [(8.89, 1.9)])

    def test_a_second_press_places_the_caret_as_in_any_field(self) -> None:
        self.both_ways_up()
        for _ in range(2):
            QTest.mouseClick(self.view.volts, Qt.MouseButton.LeftButton)
            self.application.processEvents()
        self.assertFalse(self.view.volts.hasSelectedText())

    def test_letters_change_what_is_between_two_values(self) -> None:
        self.tab_to("Volts")
        for letter in "bhxs":
            self.type(letter)
        self.value("3.4", "0.4")
        (taken,) = self.supplies()
        self.assertEqual((taken.orientation, taken.position, taken.pattern, taken.switched),
                         ("b", "hanging", "blinking", "off"))

    def test_a_typed_minute_counts(self) -> None:
        self.tab_to("Minutes after plugging in")
        self.type("12")
        self.tab_to("Amps")
        self.type("0.06")
        self.tab_to("Volts")
        self.type("5.05")
        self.tab_to("Record")
        self.key(Key.Key_Space)
        self.assertEqual([s.minute for s in self.supplies()], [12.0])

    def test_a_draw_can_be_called_by_its_name(self) -> None:
        self.tab_to("Or call it by its name")
        self.key(Key.Key_Down)
        self.key(Key.Key_Return)
        named = [s.named for s in self.supplies()]
        if not named:  # the list was only opened: choose in it
            self.view.entry.named.activated.emit(self.view.entry.named.currentIndex())
            named = [s.named for s in self.supplies()]
        self.assertEqual(named, [duo_board().draw_states[0].id])
        self.settled()
        self.assertIn("called no draw", self.view.sentence.text().lower())

    def test_the_sentence_says_what_it_means_and_what_it_does_not(self) -> None:
        self.value("9.0", "1.9")
        self.value("5.1", "0.00")
        self.settled()
        self.assertEqual(self.view.sentence.text(),
                         "A side up: negotiates and draws full power; B side up: no draw.")
        self.assertIn("one CC contact", self.view.detail.text())

    def test_striking_out_takes_it_off_the_plot(self) -> None:
        self.value("9.0", "1.9")
        self.settled()
        assert self.view.plot is not None
        self.assertEqual(len(self.view.plot.traces), 1)
        self.key(Key.Key_Z, CTRL)
        self.settled()
        self.assertFalse(self.view.plot.isVisible())
        self.assertTrue(self.view.profile.isVisible())


class GearTest(SupplyCase):
    def add(self, name: str, kind: int) -> None:
        self.command("Add a supply")
        self.type(name)
        self.key(Key.Key_Tab)
        for _ in range(kind):
            self.key(Key.Key_Down)
        self.key(Key.Key_Return)

    def test_what_never_proved_good_weakens_and_is_said_and_proves_good_by_a_key(self) -> None:
        self.assertIn("Say which supply", self.view.weak.text())
        self.add("S7", 0)
        self.assertIn("Supply S7 never proved good", self.view.weak.text())
        self.value("5.1", "0.0")
        self.key(Key.Key_G, CTRL | SHIFT)
        self.assertFalse(self.view.weak.isVisible())
        self.value("5.1", "0.0")
        first, second = self.supplies()
        self.assertEqual((first.supply_proved, first.gear[0].proved_on), (False, ""))
        self.assertEqual((second.supply_proved, second.gear[0].proved_on), (True, "2026-03-12"))

    def test_the_class_comes_with_the_supply(self) -> None:
        self.add("bench", 3)
        self.value("3.8", "0.05")
        self.settled()
        self.assertEqual(self.supplies()[0].supply_class, "bench")
        self.assertIn("back down after the inrush", self.view.sentence.text())

    def test_proved_bad_it_is_said_and_put_away_it_is_gone(self) -> None:
        self.add("S7", 0)
        self.command("proved bad")
        self.assertIn("proved bad", self.view.gear.boxes["supply"].currentText())
        self.command("Put the chosen supply away")
        self.assertEqual(self.view.gear.boxes["supply"].count(), 1)
        self.command("proved bad")
        self.assertIn("Choose a supply first", self.window.trail.said.text())

    def test_a_name_that_is_none_is_refused_in_place(self) -> None:
        self.command("Add a supply")
        self.key(Key.Key_Return)
        self.assertIn("empty", self.window.ask.trouble.text())
        self.key(Key.Key_Escape)
        self.assertEqual(self.session.gear(), ())


class FileTest(SupplyCase):
    TEXT = "time,volts,amps\n" + "".join(f"{t},5.05,0.06\n" for t in range(200)) + "200,oops,1\n"

    def trace(self) -> DrawTrace:
        self.wait(lambda: any(isinstance(e.payload, DrawTrace) for e in self.window.model.trail), what="for the trace")
        return next(e.payload for e in self.window.model.trail if isinstance(e.payload, DrawTrace))

    def test_a_dropped_file_is_shown_read_and_told(self) -> None:
        self.drop(self.csv(self.TEXT))
        self.assertTrue(self.view.strip.isVisible())
        self.assertIn("meter.csv", self.view.strip.title.text())
        self.key(Key.Key_Return)
        taken = self.trace()
        self.assertEqual((taken.count, taken.refused, taken.source), (200, 1, "meter.csv"))
        self.assertFalse(self.view.strip.isVisible())
        self.assertIn("1 row not read (line 202", self.window.trail.said.text())
        self.assertIn("line 202: not a number: 'oops'", self.view.trouble.text())
        self.settled()
        self.assertIn("small steady draw", self.view.sentence.text().lower())
        assert self.view.plot is not None
        self.assertEqual([b.words for b in self.view.plot.traces[0].blocks], ["small steady draw at 5 V"])

    def test_corrected_columns_are_remembered(self) -> None:
        text = "t;one;two\n" + "".join(f"{t};0,1;5\n" for t in range(30))
        self.drop(self.csv(text))
        for role, place in (("volts", 2), ("amps", 1)):
            box = self.view.strip.columns[role]
            box.setCurrentIndex(box.findData(place))
        self.key(Key.Key_Return)
        self.trace()
        self.drop(self.csv(text, "next.csv"))
        chosen = self.view.strip.chosen()
        self.assertEqual((chosen.volts, chosen.amps), (2, 1))

    def test_columns_that_miss_something_are_told_and_nothing_is_taken(self) -> None:
        self.drop(self.csv(self.TEXT))
        self.view.strip.columns["volts"].setCurrentIndex(0)
        self.view.strip.go.setFocus()
        self.key(Key.Key_Space)
        self.assertIn("No column is chosen for volts", self.view.trouble.text())
        self.key(Key.Key_Escape)
        self.assertFalse(self.view.strip.isVisible())
        self.assertEqual(self.window.model.facts.supplies, {})

    def test_nonsense_is_told_and_the_way_on_stays_open(self) -> None:
        self.drop(self.csv("hello\nworld\n"))
        self.assertIn("no rows of numbers", self.window.problem.text())
        self.assertFalse(self.view.strip.isVisible())

    def test_a_held_gate_holds_a_file_too(self) -> None:
        self.window.model.record(Look(("bent",), ("A5",)))
        self.drop(self.csv(self.TEXT))
        self.assertFalse(self.view.strip.isVisible())
        self.assertIn("No power: port contacts are bent", self.window.problem.text())

    def test_a_long_file_shows_progress_and_can_be_stopped(self) -> None:
        with (self.folder / "long.csv").open("w") as file:
            file.write("time,volts,amps\n")
            file.writelines(f"{t / 50:.2f},5.05,0.06\n" for t in range(400_000))
        self.drop(self.folder / "long.csv")
        begin, clicked = self.view.strip.work.start, threading.Event()

        def held(work: Work) -> None:
            """It is in the middle when it is stopped, however quick the machine is."""
            begin(lambda told: work(lambda share: told(share) and (share < 0.03 or clicked.wait(30.0)) and told(share)))

        with patch.object(self.view.strip.work, "start", held):
            self.key(Key.Key_Return)
        self.wait(lambda: self.view.strip.bar.value() > 2, what="for progress")
        self.view.strip.stop.click()
        clicked.set()
        self.wait(lambda: not self.view.strip.work.busy, what="for the end")
        self.assertIn("stopped", self.view.trouble.text())
        self.assertEqual(self.window.model.facts.supplies, {})
        self.assertTrue(self.view.strip.go.isEnabled())


class PlotTest(SupplyCase):
    def fill(self, store: JobStore) -> None:
        payloads = (OPENED, Look(("clean",)), simulated("none", False, 60), Rework("replace", "F1"), Cell("plugged"),
                    simulated("precharge", True, 1500), Supply("b", 5.0, 0.36, 1.0))
        self.job_id = store.add_trail([new_entry(p, "x", NOON) for p in payloads])

    def test_before_and_after_lie_over_each_other_and_can_be_hidden(self) -> None:
        plot = self.view.plot
        assert plot is not None
        self.assertEqual([(t.orientation, t.before, t.typed) for t in plot.traces],
                         [("a", True, False), ("a", False, False), ("b", False, True)])
        self.assertEqual(len(plot.shown), 3)
        box = next(b for b in self.view.toggle_row.findChildren(QCheckBox) if "before" in b.text() and b.isVisible())
        QTest.mouseClick(box, Qt.MouseButton.LeftButton, pos=box.rect().center() - box.rect().center() / 2)
        box.click() if box.isChecked() else None
        self.application.processEvents()
        self.assertEqual(len(plot.shown), 2)
        self.assertEqual(len(plot.ribbon.rows()), 2)

    def test_cursor_zoom_mark_and_pan_by_keys(self) -> None:
        plot = self.view.plot
        assert plot is not None
        whole = plot.time_range()
        self.key(Key.Key_D, CTRL | SHIFT)
        self.assertIs(self.focus(), plot)
        self.assertIn("after plugging in", plot.readout.text())
        first = plot.at_cursor
        assert first is not None
        self.key(Key.Key_M)
        self.key(Key.Key_Right, SHIFT)
        assert plot.at_cursor is not None
        self.assertAlmostEqual(plot.at_cursor - first, 0.1 * (whole[1] - whole[0]), delta=1.0)
        self.assertIn("from the mark", plot.readout.text())
        self.assertIn("mAh", plot.readout.text())
        self.key(Key.Key_Plus)
        low, high = plot.time_range()
        self.assertAlmostEqual((high - low) * 1.5, whole[1] - whole[0], delta=2.0)
        self.assertTrue(low <= plot.at_cursor <= high)
        self.key(Key.Key_PageDown)
        self.assertGreater(plot.time_range()[0], low)
        self.key(Key.Key_Home)
        self.assertAlmostEqual(plot.time_range()[1], whole[1], delta=1.0)
        self.key(Key.Key_Escape)
        self.assertIsNone(plot.at_cursor)

    def test_the_cursor_reads_what_the_trace_has(self) -> None:
        plot = self.view.plot
        assert plot is not None
        plot.set_cursor(30.0)
        trace = plot.traces[1]
        place = int(np.searchsorted(trace.seconds, 30.0, side="right")) - 1
        self.assertIn(f"{trace.amps[place]:.3f} A", plot.readout.text())

    def test_copies_are_the_trace_and_the_picture(self) -> None:
        self.view._hidden = {t.key for t in self.view.plot.traces if t.typed}  # type: ignore[union-attr]
        self.command("Copy the trace as CSV")
        text = QApplication.clipboard().text()
        self.assertEqual(text.splitlines()[0], "seconds,volts,amps")
        self.assertEqual(len(text.splitlines()), 1500 * 4 + 1)
        self.command("Copy this view as a picture")
        self.assertGreater(QApplication.clipboard().pixmap().width(), 400)
        self.command("Copy this view as text")
        self.assertIn(self.view.sentence.text(), QApplication.clipboard().text())

    def test_every_text_size_and_theme_keeps_the_plot(self) -> None:
        for _ in range(3):
            self.key(Key.Key_Plus, CTRL)
        self.key(Key.Key_T, CTRL)
        self.settled()
        assert self.view.plot is not None
        self.assertTrue(self.view.plot.isVisible())
        self.assertEqual(self.view.plot.graphics.backgroundBrush().color().name(), "#1a232b")


class LiveTest(SupplyCase):
    def test_a_growing_file_is_followed_and_recorded(self) -> None:
        path = self.csv("time,volts,amps\n" + "".join(f"{t / 10:.1f},5.05,0.06{t % 3}\n" for t in range(100)))
        self.key(Key.Key_L, CTRL | SHIFT)
        self.type(str(path))
        self.key(Key.Key_Return)
        live = self.view.live
        assert live is not None and live.trace is not None
        self.wait(lambda: live.trace is not None and live.trace.count == 100)
        self.assertEqual((live.volts.text(), live.words.text()), ("5.05 V", "small steady draw at 5 V"))
        with path.open("a") as file:
            file.writelines(f"{10 + t / 10:.1f},5.00,0.36{t % 3}\n" for t in range(100))
            file.write("20.0,what,0.1\n")
        self.wait(lambda: live.trace is not None and live.trace.count == 200)
        self.assertEqual(live.words.text(), "modest draw, cell coming back")
        self.assertIn("1 rows not read", live.since.text())
        self.key(Key.Key_L, CTRL | SHIFT)
        taken = [e.payload for e in self.window.model.trail if isinstance(e.payload, DrawTrace)]
        self.assertEqual([t.count for t in taken], [200])
        self.settled()
        self.assertIn("modest draw", self.view.sentence.text().lower())

    def test_a_file_that_goes_away_ends_it_with_what_came(self) -> None:
        path = self.csv("time,volts,amps\n" + "".join(f"{t / 10:.1f},5.05,0.06{t % 3}\n" for t in range(50)))
        self.assertEqual(self.view.follow(path), "")
        path.unlink()
        self.wait(lambda: self.view.live is not None and not self.view.live.running)
        self.assertIn("can't be read", self.view.trouble.text())
        self.assertEqual([e.payload.count for e in self.window.model.trail if isinstance(e.payload, DrawTrace)], [50])

    def test_closing_the_window_records_what_has_come(self) -> None:
        path = self.csv("time,volts,amps\n" + "".join(f"{t / 10:.1f},5.05,0.06{t % 3}\n" for t in range(50)))
        self.assertEqual(self.view.follow(path), "")
        self.window.close()
        self.assertEqual([e.payload.count for e in self.store.trail(self.job_id) if isinstance(e.payload, DrawTrace)],
                         [50])

    def test_another_job_in_view_records_nothing_of_it_there(self) -> None:
        other = self.store.add_trail([new_entry(p, "x", NOON) for p in (
            JobOpened("T-2", "Tarnwick Duo", DUO), Look(("clean",)))])
        path = self.csv("time,volts,amps\n" + "".join(f"{t / 10:.1f},5.05,0.06{t % 3}\n" for t in range(50)))
        self.assertEqual(self.view.follow(path), "")
        self.window.open_job(other)
        self.window.show_view("supply")
        self.settled()
        self.assertFalse(any(isinstance(e.payload, DrawTrace) for e in self.store.trail(other)))
        self.assertTrue(any(isinstance(e.payload, DrawTrace) for e in self.store.trail(self.job_id)))


class WaitTest(SupplyCase):
    def put_on_the_shelf(self) -> str:
        self.value("5.05", "0.06")
        self.value("5.05", "0.06")
        self.settled()
        self.assertIn("would draw the same", self.view.doubt.text())
        self.key(Key.Key_W, CTRL | SHIFT)
        wait = self.window.model.facts.wait
        assert wait is not None
        return wait.until

    def test_the_wait_is_computed_survives_and_calls_when_due(self) -> None:
        until = self.put_on_the_shelf()
        self.assertIn(f"until {until[11:]}", self.window.trail.said.text())
        other = self.store.add_trail([new_entry(p, "x", NOON) for p in (
            JobOpened("T-2", "Tarnwick Duo", DUO), Look(("clean",)))])
        self.window.open_job(other)
        self.window._poll()
        self.assertFalse(self.window.call.isVisible())
        self.close_window()
        self.now = datetime.fromisoformat(until).astimezone(UTC) + timedelta(seconds=5)
        self.session = BenchSession(self.store, library(), "Ines", clock=lambda: self.now)
        self.window = MainWindow(self.session)
        self.window.show()
        self.window.activateWindow()
        QTest.qWaitForWindowActive(self.window)
        self.window.open_job(other)
        self.window._poll()
        self.assertTrue(self.window.call.isVisible())
        self.assertIn("T-1 calls: Is the draw growing?", self.window.call.text())
        self.key(Key.Key_D, CTRL)
        self.assertEqual(self.window.model.job_id, self.job_id)
        self.assertFalse(self.window.call.isVisible())

    def test_nothing_to_wait_for_is_said(self) -> None:
        self.value("9.0", "1.9")
        self.settled()
        self.key(Key.Key_W, CTRL | SHIFT)
        self.assertIn("Nothing to wait for", self.window.trail.said.text())
        self.key(Key.Key_D, CTRL)
        self.assertIn("No job calls", self.window.trail.said.text())


class SparseTest(SupplyCase):
    pack_id = SLIVER

    def test_a_pack_without_a_profile_records_and_says_so(self) -> None:
        self.value("5.05", "0.06")
        self.settled()
        self.assertIn("recorded", self.view.sentence.text().lower())
        self.assertIn("This pack knows nothing about this supply", self.view.detail.text())
        assert self.view.plot is not None
        self.assertTrue(self.view.plot.isVisible())
        self.window.model.record(DrawTrace("b", "damaged", 4, 3.0))
        self.settled()
        self.assertEqual(len(self.view.plot.traces), 1)


class SpeedTest(SupplyCase):
    def test_a_long_trace_leaves_the_window_free(self) -> None:
        """The window's thread answers while an hour at 50 Hz is read: no turn of the loop takes half a second of its
        own work. By the thread's own clock, since how busy the machine is says nothing of that."""
        trace = simulated("full", False, 3600, 50.0)
        self.window.model.record(trace)
        longest, last, turns = 0.0, time.thread_time(), 0
        while not self.window.model.fresh:
            self.application.processEvents()
            longest, last = max(longest, time.thread_time() - last), time.thread_time()
            turns += 1
        self.assertLess(longest, 0.5)
        self.assertGreater(turns, 10)



class FloorTest(unittest.TestCase):
    def test_when_it_may_go_home_is_said_from_the_last_draw(self) -> None:
        trail = trail_of(OPENED, Look(("clean",)), simulated("precharge", True, 1500.0))
        draws = assess(duo_advice(), trail, explain=False).draws
        at = trail[-1].at
        said = floor_words(draws, at)
        self.assertRegex(said, r"minimum charge at about today \d\d:\d\d \(\d\d:\d\d to")
        self.assertIn("should be at", floor_words(draws, at + timedelta(hours=12)))
        self.assertEqual(floor_words(DrawAssessment(), at), "")
        blown = trail_of(OPENED, Look(("clean",)), simulated("none", False, 60.0))
        self.assertEqual(floor_words(assess(duo_advice(), blown, explain=False).draws, at), "")


if __name__ == "__main__":
    unittest.main()
