"""The bench in a process of its own, its hands' window, cues, and streams that survive a crash."""

from __future__ import annotations

import json
import os
import signal
import subprocess
import sys
import tempfile
import time
import unittest
from datetime import UTC, datetime
from pathlib import Path
from unittest.mock import patch

import numpy as np
from PySide6.QtWidgets import QPushButton

from dextrum.app.bench.hands import Hands
from dextrum.app.bench.instruments_at_hand import Found, InstrumentsAtHand, bench_addresses, find_instruments
from dextrum.app.bench.microscope import board_from_above
from dextrum.app.bench.simbench import grade, prepare_bench, read_state, write_state
from dextrum.app.job.session import BenchSession
from dextrum.app.reading.capture import Cue
from dextrum.app.supply.live_recovery import recover_streams
from dextrum.core.trail import DrawTrace, Look
from dextrum.desktop.bench.simbench_window import SimbenchWindow
from dextrum.desktop.capture.sound import TONES, Sounder, samples_of
from dextrum.desktop.supply.view import SupplyView
from dextrum.errors import InstrumentError, StoreError
from dextrum.instruments.protocols import DIODE, KIND_WORDS, MULTIMETER
from dextrum.instruments.simbench.server import HANDS_PORT, BenchServer
from dextrum.instruments.visa_link import VisaLink
from dextrum.store.jobs import JobStore
from dextrum.store.live_journal import LiveJournal, left_over
from tests.support import DUO, duo_advice, library, scpi_multimeter
from tests.window_support import CTRL, SHIFT, Key, WindowCase, application

FL5 = "FL5:open_winding:3:4"


class ProcessTest(unittest.TestCase):
    """`dextrum simbench --headless`, as the demo and a script start it."""

    def start(self, state: Path, *more: str) -> subprocess.Popen[str]:
        process = subprocess.Popen([sys.executable, "-m", "dextrum", "simbench", "--headless", "--state", str(state),
                                    *more], stdout=subprocess.PIPE, text=True, env={**os.environ})
        self.addCleanup(process.wait)
        self.addCleanup(process.kill)
        assert process.stdout is not None
        self.addCleanup(process.stdout.close)
        self.told = json.loads(process.stdout.readline())
        return process

    def test_it_serves_instruments_and_hands_keeps_its_state_and_goes_on_after_a_crash(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            state = Path(folder) / "bench.json"
            process = self.start(state, "--faults", FL5, "--seed", "4")
            self.assertEqual(set(self.told), {*KIND_WORDS, HANDS_PORT})
            hands = Hands(self.told[HANDS_PORT])
            hands("cell", cell="unplugged")
            hands("probe", point="J1.A5")
            meter = scpi_multimeter(VisaLink(self.told[MULTIMETER]))
            time.sleep(0.9)
            self.assertLess(meter.read(DIODE), 0.9)
            meter.close()
            with self.assertRaises(InstrumentError):
                hands("repair", part="NOPE")
            hands("repair", part="U1")
            time.sleep(1.3)
            hands.close()
            process.send_signal(signal.SIGKILL)
            process.wait()
            second = self.start(state, "--seed", "4")
            again = Hands(self.told[HANDS_PORT])
            told = again("reveal")
            again.close()
            # It writes its state every while; the folder goes only after it.
            second.kill()
            second.wait()
            self.assertEqual((told["wrong"], told["left"], told["good_replaced"]), ([FL5], [FL5], ["U1"]))

    def test_bad_input_is_told_in_words(self) -> None:
        for arguments, words in ((("--faults", "F1:nonsense"), "It knows F1:"), (("--pack", "nope"), "nope")):
            told = subprocess.run([sys.executable, "-m", "dextrum", "simbench", "--headless", *arguments],
                                  capture_output=True, text=True, timeout=300, check=False)
            self.assertEqual(told.returncode, 1)
            self.assertIn(words, told.stderr)
        with tempfile.TemporaryDirectory() as folder:
            broken = Path(folder) / "state.json"
            broken.write_text("{")
            with self.assertRaises(StoreError):
                read_state(broken)
            self.assertEqual(bench_addresses(broken), {})

    def test_a_bench_that_is_not_there(self) -> None:
        with self.assertRaises(InstrumentError) as caught:
            Hands(1)
        self.assertEqual(caught.exception.state, "gone")


class DiscoveryTest(unittest.TestCase):
    def test_what_answers_is_found_by_its_kind_and_a_second_one_is_spare(self) -> None:
        server = BenchServer(prepare_bench(library(), DUO, [FL5], 1))
        self.addCleanup(server.close)
        wanted = server.addresses[MULTIMETER]
        found = [f for f in find_instruments([wanted, "TCPIP::127.0.0.1::1::SOCKET"]) if f.resource.endswith(wanted)]
        self.assertEqual(found, [Found(MULTIMETER, f"METER:scpi-configure:{wanted}", "BM-1")])
        at_hand = InstrumentsAtHand()
        self.addCleanup(at_hand.close)
        at_hand.take(found)
        end = time.monotonic() + 30.0
        while at_hand.statuses()[0].state != "ready":
            self.assertLess(time.monotonic(), end)
            time.sleep(0.02)
        at_hand.take([*found, Found(MULTIMETER, "elsewhere", "BM-2")])
        self.assertIn("BM-2 answers too and is not in use", at_hand.words())
        at_hand.disconnect(MULTIMETER)
        self.assertEqual(at_hand.statuses(), ())


class HandsWindowTest(unittest.TestCase):
    def setUp(self) -> None:
        application()
        self.server = BenchServer(prepare_bench(library(), DUO, [FL5], 1))
        self.addCleanup(self.server.close)
        self.window = SimbenchWindow(self.server, lambda told: grade(duo_advice(), told), board_from_above)
        self.addCleanup(self.window.close)
        self.window.show()

    def click(self, words: str) -> None:
        next(b for b in self.window.findChildren(QPushButton) if b.text() == words).click()

    def test_probe_cell_plug_part_and_grade(self) -> None:
        window, bench = self.window, self.server.bench
        window.point.setText("j1.a4")
        self.click("Touch")
        self.assertIn("unplug it", window.said.text())
        window.cell.setCurrentIndex(1)
        self.click("Do it")
        self.click("Touch")
        self.assertEqual(bench.probe, ("J1.A4", DIODE))
        self.click("Look at the bottom")
        self.assertEqual(window.said.text(), "On the bottom nothing stands out.")
        self.click("Ask the owner")
        self.assertEqual(window.said.text(), "The owner says: no picture in the dock.")
        self.click("Look into the port")
        self.assertRegex(window.said.text(), r"^The port, under magnification: [a-z ,]+( at [AB\d, ]+)?\.$")
        self.click("Lift off")
        window.part.setText("r1")
        self.click("Lift")
        self.click("Plug in")
        self.assertIn("no power", window.said.text())
        self.click("Put back")
        self.click("Plug in")
        self.assertIn("A side up", window.state.text())
        self.click("Unplug")
        window.part.setText("fl5")
        self.click("Replace")
        self.click("Turn the tester")
        self.assertEqual(window.said.text(), "The tester is turned over.")
        self.click("Fan")
        self.assertTrue(bench.turned and not bench.fan)
        self.click("Reveal and grade")
        for words in ("What was wrong: FL5 open winding", "repairs 1", "A shorter way: replace FL5"):
            self.assertIn(words, window.said.text())
        self.assertNotIn("Still there", window.said.text())

    def test_the_state_file_is_written_whole(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "state.json"
            write_state(path, self.server)
            self.assertEqual(bench_addresses(path), self.server.addresses)
            kept = prepare_bench(library(), DUO, (), 0, read_state(path))
            self.assertEqual([f.id for f, _ in kept.unit.faults], [FL5])


class SoundTest(unittest.TestCase):
    def setUp(self) -> None:
        application()
        self.folder = tempfile.TemporaryDirectory()
        self.addCleanup(self.folder.cleanup)
        self.store = JobStore(Path(self.folder.name) / "jobs.sqlite")
        self.addCleanup(self.store.close)
        self.played: list[bytes] = []

    def test_every_cue_has_a_tone_of_its_own(self) -> None:
        self.assertEqual(set(TONES), set(Cue))
        made = {cue: samples_of(cue, 60) for cue in Cue}
        self.assertEqual(len(set(made.values())), len(Cue))
        for samples in made.values():
            wave = np.frombuffer(samples, dtype="<i2")
            self.assertLess(abs(int(wave[0])), 200)
            self.assertLess(abs(int(wave[-1])), 2000)
            self.assertGreater(int(np.abs(wave).max()), 10_000)

    def test_levels_and_cues_are_settings_and_zero_is_silent(self) -> None:
        sounder = Sounder(self.store, player=self.played.append)
        sounder.play(Cue.OPEN)
        self.assertEqual(self.played, [samples_of(Cue.OPEN, 60)])
        sounder.switch(Cue.OPEN, False)
        sounder.play(Cue.OPEN)
        self.assertEqual(len(self.played), 1)
        Sounder(self.store).switch(Cue.OPEN, True)
        sounder.set_level(0)
        sounder.play(Cue.OPEN)
        self.assertEqual(len(self.played), 1)
        self.assertEqual(sounder.heard, [Cue.OPEN] * 3)
        self.assertFalse(sounder.speaks)

    def test_without_a_screen_nothing_sounds(self) -> None:
        self.assertTrue(Sounder(self.store).muted)


class JournalTest(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.store = JobStore(self.folder / "jobs.sqlite")
        self.addCleanup(self.store.close)
        self.session = BenchSession(self.store, library(), "Ines", clock=lambda: datetime.now(UTC))
        self.job = self.session.open_new_job("SLS-0970", DUO)
        self.session.record(self.job, Look(("clean",)))

    def test_a_killed_process_loses_a_second_at_most(self) -> None:
        code = ("import sys, time; from pathlib import Path; from dextrum.store.live_journal import LiveJournal\n"
                "from dextrum.app.supply.circumstances import DrawCircumstances as How\n"
                f"j = LiveJournal(Path({str(self.folder)!r}), {{'job': {self.job!r}, 'how': How('b').as_kept()}})\n"
                "begun = time.monotonic()\n"
                "while True:\n"
                "    t = time.monotonic() - begun\n"
                "    j.add([(t, 9.0, 1.9)]); print(t, flush=True); time.sleep(0.004)\n")
        process = subprocess.Popen([sys.executable, "-c", code], stdout=subprocess.PIPE, text=True)
        assert process.stdout is not None
        last = 0.0
        while last < 2.2:
            last = float(process.stdout.readline())
        self.assertEqual(left_over(self.folder), (), "while it is written, it is no left-over")
        process.kill()
        rest = process.stdout.read().split()
        last = float(rest[-2]) if len(rest) > 1 else last
        process.wait()
        process.stdout.close()
        left, = left_over(self.folder)
        self.assertGreater(float(left.seconds[-1]), last - 1.0)
        self.assertIn("1 live draw log", recover_streams(self.session, self.folder))
        traces = [e.payload for e in self.store.trail(self.job) if isinstance(e.payload, DrawTrace)]
        self.assertEqual((len(traces), traces[0].orientation), (1, "b"))
        self.assertEqual(traces[0].count, len(left.seconds))
        self.assertEqual(recover_streams(self.session, self.folder), "")

    def test_half_a_line_is_dropped_and_a_stranger_is_left_alone(self) -> None:
        journal = LiveJournal(self.folder, {"job": "gone", "how": {}})
        journal.add([(0.0, 5.0, 0.1), (0.1, 5.0, 0.2)])
        journal.keep()
        with journal.path.open("a") as file:
            file.write("nonsense\n0.2,5.0,0.3\n0.3,5")
        stranger = self.folder / "notes.live.csv"
        stranger.write_text("no journal\n1,2,3\n")
        left, = left_over(self.folder)
        np.testing.assert_allclose(left.seconds, [0.0, 0.1, 0.2])
        self.assertIn("kept where it is", recover_streams(self.session, self.folder), "its job is gone")
        self.assertTrue(journal.path.exists() and stranger.exists())


class StreamInTheWindowTest(WindowCase):
    def test_what_can_not_be_recorded_stays_on_the_disk(self) -> None:
        job = self.session.open_new_job("SLS-0972", DUO)
        self.session.record(job, Look(("clean",)))
        self.window.open_job(job)
        view = self.window.views["supply"]
        assert isinstance(view, SupplyView)
        panel = view.begin_stream()
        panel.take([(0.1 * k, 9.0, 1.9) for k in range(40)])
        with patch.object(self.session, "keep", side_effect=StoreError("The disk is full.", "", "Make room.")):
            panel.end()
        self.assertIn("disk is full", self.window.problem.text())
        left, = left_over(self.folder)
        self.assertEqual(len(left.seconds), 40)
        self.assertIn("1 live draw log", recover_streams(self.session, self.folder))

    def test_it_is_begun_written_stopped_and_recorded(self) -> None:
        server = BenchServer(prepare_bench(library(), DUO, [FL5], 1))
        self.addCleanup(server.close)
        job = self.session.open_new_job("SLS-0971", DUO)
        self.session.record(job, Look(("clean",)))
        self.window.open_job(job)
        self.window.commands.capture.connect_to(server.addresses)
        self.wait(lambda: len(self.window.instruments.statuses()) == 4
                  and all(s.state == "ready" for s in self.window.instruments.statuses()))
        self.key(Key.Key_E, CTRL | SHIFT)
        server.bench.rate = 200.0
        server.bench.hand({"do": "plug", "way": "a"})
        view = self.window.views["supply"]
        self.wait(lambda: view.live is not None and view.live.trace is not None  # type: ignore[attr-defined]
                  and view.live.trace.count > 150)  # type: ignore[attr-defined]
        self.assertEqual(len(list(self.folder.glob("*.live.csv"))), 1)
        server.bench.hand({"do": "plug", "way": "a"})
        self.wait(lambda: not view.live.running, what="for the end: it was plugged anew")  # type: ignore[attr-defined]
        self.assertEqual(list(self.folder.glob("*.live.csv")), [])
        self.assertTrue(self.window.model.facts.drawn("a"))
        self.settled()


if __name__ == "__main__":
    unittest.main()
