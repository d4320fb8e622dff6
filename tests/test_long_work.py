"""What takes long runs beside the window, says how far it is, and can be stopped; and what came of it is said."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
import unittest
from datetime import UTC, datetime, timedelta
from functools import partial
from pathlib import Path

from PySide6.QtWidgets import QLabel

from dextrum.core.board import Method
from dextrum.core.trail import (
    Cell,
    Entry,
    Intake,
    JobOpened,
    Look,
    Outcome,
    PointReading,
    Readings,
    Rework,
    Supply,
    Wait,
)
from dextrum.desktop.frame.background import Background
from dextrum.desktop.frame.keys_first import QUIET_SECONDS
from dextrum.desktop.frame.long_work import is_small
from dextrum.desktop.intake.view import IntakeView
from dextrum.desktop.rework.view import ReworkView
from dextrum.desktop.supply.view import SupplyView
from dextrum.progress import Told
from dextrum.store.entries import new_entry
from dextrum.store.job_file import write_job_file
from dextrum.store.jobs import JobStore
from tests.support import DUO, library
from tests.window_support import CTRL, Key, WindowCase

RED = Method.DIODE_RED_GROUND
START = datetime(2026, 3, 12, 9, tzinfo=UTC)
ROOT = Path(__file__).resolve().parent.parent


def long_trail(readings: int) -> tuple[Entry, ...]:
    opened = new_entry(JobOpened("SLS-0990", "Tarnwick Duo", DUO), "Ines", START)
    return (opened, *(new_entry(Readings(RED, (PointReading("J1.A5", 0.5 + 0.001 * (k % 90)),), "M1"), "Ines",
                                START + timedelta(seconds=k)) for k in range(readings)))


class ImportTest(WindowCase):
    def fill(self, store: JobStore) -> None:
        store.add_trail([new_entry(p, "Ines", START)
                         for p in (JobOpened("SLS-0991", "Tarnwick Duo", DUO), Intake("x"))])

    def test_a_large_job_comes_in_beside_the_window_and_twice_is_said(self) -> None:
        file = self.folder / "large.json"
        write_job_file(file, long_trail(4000))
        self.assertFalse(is_small(file))
        work = self.window.long_work
        self.assertEqual(self.window.commands.import_job(file), "")
        self.assertTrue(work.busy)
        self.assertIn("Still at work", self.window.commands.import_job(file))
        slowest, last = 0.0, time.monotonic()
        while work.busy:
            self.application.processEvents()
            slowest, last = max(slowest, time.monotonic() - last), time.monotonic()
        self.assertEqual(self.window.model.facts.serial, "SLS-0990")
        self.assertEqual(len(self.window.model.trail), 4001)
        self.assertIn("4001 entries", self.window.trail.said.text())
        self.window.commands.import_job(file)
        self.wait(lambda: not work.busy, what="for the second import")
        self.assertIn("Already here", self.window.trail.said.text())
        self.assertEqual(len(self.store.trail(self.window.model.job_id)), 4001)
        self.settled()

    def test_stopped_nothing_of_it_is_there(self) -> None:
        file = self.folder / "large.json"
        write_job_file(file, long_trail(20_000))
        before = self.window.model.job_id
        self.window.commands.import_job(file)
        self.window.long_work.stop.click()
        self.wait(lambda: not self.window.long_work.busy, what="for the end")
        self.assertIn("Stopped", self.window.problem.text())
        self.assertEqual(self.window.model.job_id, before)
        self.assertEqual(len(self.store.shelf("SLS-0990", None)), 0)
        self.assertFalse(self.window.long_work.isVisible())

    def test_what_is_no_job_file_is_told_in_the_line(self) -> None:
        wrong = self.folder / "wrong.json"
        wrong.write_text("[]")
        self.assertIn("not a job file", self.window.commands.import_job(wrong))

    def test_what_goes_wrong_far_in_is_told_and_nothing_runs_on(self) -> None:
        def work(_told: Told) -> object:
            from dextrum.errors import ImportRefusedError

            raise ImportRefusedError("Line 9 is odd.", "Nothing was taken in.", "")

        self.window.long_work.run("Reading", work, lambda _found: self.fail("it has failed"), False)
        self.wait(lambda: not self.window.long_work.busy, what="for the end")
        self.assertIn("Line 9 is odd", self.window.problem.text())


class KeysFirstTest(WindowCase):
    """A forecast stands still while somebody types, and goes on afterwards."""

    def fill(self, store: JobStore) -> None:
        store.add_trail([new_entry(p, "Ines", START) for p in (JobOpened("SLS-0991", "Tarnwick Duo", DUO), Intake())])

    def setUp(self) -> None:
        super().setUp()
        self.settled()
        self.steps: list[float] = []
        self.work = Background(self.window)
        self.addCleanup(self.work.close)

    def count(self, told: Told) -> int:
        while told(0.5) and len(self.steps) < 5:
            self.steps.append(time.monotonic())
        return len(self.steps)

    def test_it_begins_when_the_keys_have_come_to_an_end(self) -> None:
        done: list[object] = []
        self.work.finished.connect(done.append)
        self.key(Key.Key_A)
        self.work.start(self.count, keys_first=True)
        pressed: list[float] = []
        for _ in range(9):
            pressed.append(time.monotonic())
            self.key(Key.Key_A)
            time.sleep(QUIET_SECONDS / 4)
        self.wait(lambda: done == [5])
        # Where the machine itself stood still for longer than that between two keys, it may begin there.
        self.assertGreaterEqual(self.steps[0], max(at for at in pressed if at < self.steps[0]) + QUIET_SECONDS)

    def test_a_key_in_the_middle_holds_it_and_what_is_waited_for_is_not_held(self) -> None:
        def on_and_on(told: Told) -> None:
            while told(0.0):
                time.sleep(0.05)

        self.work.start(on_and_on, keys_first=True)
        self.key(Key.Key_A)
        self.work.start(self.count)
        self.wait(lambda: not self.work.busy)
        self.assertEqual(len(self.steps), 5)

    def test_what_is_stopped_while_it_waits_ends_at_once(self) -> None:
        self.key(Key.Key_A)
        self.work.start(self.count, keys_first=True)
        self.work.close()
        self.assertLessEqual(len(self.steps), 1)


class MergeTest(WindowCase):
    def fill(self, store: JobStore) -> None:
        store.add_trail([new_entry(p, "Ines", START)
                         for p in (JobOpened("SLS-0992", "Tarnwick Duo", DUO), Intake("x"))])

    def test_a_library_is_merged_beside_the_window_and_judged_by(self) -> None:
        points = [r for r in library().pack(DUO).known_good if r.meter == "M1" and r.board_serial == "SLS-0101"]
        file = self.folder / "theirs.csv"
        rows = [f"SX-{b:03d},{r.point},{r.method.value},M1,21,{'OL' if r.value == float('inf') else r.value},2026-02-03"
                for b in range(24) for r in points]
        file.write_text("board_serial,point,method,meter,board_celsius,value,taken_on\n" + "\n".join(rows) + "\n")
        self.assertFalse(is_small(file))
        self.window.commands.run("library.read")
        self.type(str(file))
        self.key(Key.Key_Return)
        self.wait(lambda: not self.window.long_work.busy, what="for the merge")
        self.assertIn(f"{len(rows)} readings added", self.window.trail.said.text())
        references = self.window.model.references
        assert references is not None
        found = references.get("J1.A5", RED)
        assert found is not None
        self.assertGreater(found.boards, 20)
        self.session.library.leave_shop()


class SaidTest(WindowCase):
    def fill(self, store: JobStore) -> None:
        for serial, done in (("SLS-0993", (Rework("replace", "F1"), Outcome("repaired"))), ("SLS-0993", ())):
            at = START if done else START + timedelta(days=2)
            store.add_trail([new_entry(p, "Ines", at) for p in (
                JobOpened(serial, "Tarnwick Duo", DUO), Look(("clean",)), Cell("unplugged"), *done)])

    def test_a_unit_that_was_here_before_says_so_and_its_earlier_job_opens(self) -> None:
        self.assertIn("F1 replaced", self.window.model.earlier_words)
        self.assertIn("Here before", self.window.trail.said.text())
        view = self.window.views["intake"]
        assert isinstance(view, IntakeView)
        self.window.show_view("intake")
        self.assertTrue(any("F1 replaced" in label.text() for label in view.findChildren(QLabel) if label.isVisible()))
        here = self.window.model.job_id
        self.window.commands.run("job.earlier")
        self.assertNotEqual(self.window.model.job_id, here)
        self.assertIsNotNone(self.window.model.facts.outcome)
        self.assertEqual(self.window.model.earlier, ())

    def test_a_part_nobody_suspects_is_recorded_with_what_is_advised_instead(self) -> None:
        self.settled()
        view = self.window.views["rework"]
        assert isinstance(view, ReworkView)
        self.window.show_view("rework")
        view.go_to("C60", "replace")
        view.save.click()
        self.assertEqual(self.window.model.facts.reworks[-1][1].part, "C60")
        self.assertIn("C60 was not suspected", view.trouble.text())
        self.assertIn("advised instead", view.trouble.text())

    def test_a_wait_that_is_due_leads_to_the_supply(self) -> None:
        past = (datetime.now(UTC) - timedelta(minutes=3)).astimezone().strftime("%Y-%m-%dT%H:%M")
        self.window.model.record(Cell("plugged"), Supply("b", 9.0, 0.1))
        self.window.model.record(Wait("Is the draw growing?", past))
        self.settled()
        self.assertIn("Read the supply again, B side up", self.window.reasoning.card.labels["title"].text())
        self.key(Key.Key_Return, CTRL)
        view = self.window.current_view()
        assert isinstance(view, SupplyView)
        self.assertTrue(view.orientation.isChecked(), "the B side")

    def test_while_it_waits_there_is_nowhere_to_go(self) -> None:
        self.window.model.record(Wait("A part", "2099-01-01T10:00"))
        self.settled()
        here = self.window.current_view()
        self.key(Key.Key_Return, CTRL)
        self.assertIs(self.window.current_view(), here)
        self.assertIn("Thu 1 Jan 2099", self.window.trail.said.text())

    def test_a_meter_comes_in_only_on_purpose_and_goes_again(self) -> None:
        for wrong, words in (("0.45", "looks like a reading"), ("ol", "looks like a reading"), ("", "no name")):
            self.window.commands.run("meter.set_up")
            self.window.ask.field.setText(wrong)
            self.key(Key.Key_Return)
            self.assertIn(words, self.window.ask.trouble.text())
            self.key(Key.Key_Escape)
        self.window.commands.run("meter.set_up")
        self.window.ask.field.setText("M9")
        self.key(Key.Key_Return)
        self.assertIn("Enter again", self.window.ask.trouble.text())
        self.assertEqual(self.session.meters(), ())
        self.key(Key.Key_Return)
        self.assertEqual([m.name for m in self.session.meters()], ["M9"])
        self.assertEqual(self.session.meter, "M9")
        self.window.commands.run("meter.remove")
        self.key(Key.Key_Return)
        self.assertEqual((self.session.meters(), self.session.meter), ((), "M1"))

    def test_a_file_that_stands_there_is_replaced_only_at_the_second_enter(self) -> None:
        file = self.folder / "mine.json"
        file.write_text("mine")
        self.key(Key.Key_E, CTRL)
        self.window.ask.field.setText(str(file))
        self.key(Key.Key_Return)
        self.assertEqual(file.read_text(), "mine")
        self.assertTrue(self.window.ask.trouble.text())
        self.key(Key.Key_Return)
        self.assertIn("dextrum-job", file.read_text())

    def test_a_file_goes_to_the_side_that_is_shown(self) -> None:
        file = self.folder / "log.csv"
        file.write_text("Time [s],U [V],I [A]\n" + "".join(f"{k},9.0,1.9\n" for k in range(40)))
        self.window.model.record(Cell("plugged"), Supply("b", 9.0, 0.1))
        self.window.show_view("supply")
        view = self.window.views["supply"]
        assert isinstance(view, SupplyView)
        self.window.commands.supply.offer(file)
        strip = view._strip
        assert strip is not None
        self.assertEqual(strip.orientation.currentText(), "A side up")
        strip.orientation.setCurrentIndex(1)
        strip.read()
        self.wait(lambda: not strip.work.busy and strip.isHidden(), what="for the file")
        self.assertTrue(self.window.model.facts.drawn("b"))
        self.assertFalse(self.window.model.facts.drawn("a"))
        self.settled()
        labels = [view.toggles.itemAt(i).widget().text() for i in range(view.toggles.count())]  # type: ignore[union-attr]
        self.assertTrue(any("typed earlier" in label for label in labels), labels)


class CommandLineTest(unittest.TestCase):
    def run_main(self, *arguments: str, stop_once_told: bool = False) -> tuple[int, str, str]:
        """stop_once_told: Ctrl+C when the first line is there, however long the start takes, and also where the tests
        themselves were begun in the background, with Ctrl+C ignored."""
        process = subprocess.Popen([sys.executable, "-m", "dextrum", *arguments], stdout=subprocess.PIPE, text=True,
                                   stderr=subprocess.PIPE, cwd=ROOT,
                                   env={**os.environ, "PYTHONPATH": str(ROOT / "src")},
                                   preexec_fn=partial(signal.signal, signal.SIGINT, signal.SIG_DFL))
        if stop_once_told:
            assert process.stdout is not None
            self.assertTrue(process.stdout.readline())
            process.send_signal(signal.SIGINT)
        out, err = process.communicate(timeout=300)
        return process.returncode, out, err

    def test_an_unknown_pack_is_told_once(self) -> None:
        status, _, err = self.run_main("evaluate", "--pack", "nowhere", "--cases", "2")
        self.assertEqual(status, 1)
        self.assertEqual(err.count("nowhere"), 1)

    def test_ctrl_c_ends_a_bench_without_a_traceback(self) -> None:
        status, _, err = self.run_main("simbench", "--headless", stop_once_told=True)
        self.assertNotIn("Traceback", err)
        self.assertIn(status, (0, 130))

    def test_json_of_a_benchmark_is_nothing_but_json(self) -> None:
        import json

        status, out, _ = self.run_main("bench", "--only", "jobs", "--json")
        self.assertIn("open_of_10000_jobs_p95", json.loads(out))
        self.assertIn(status, (0, 1))


if __name__ == "__main__":
    unittest.main()
