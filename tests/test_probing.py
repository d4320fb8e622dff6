"""Nets of placed parts by probing: against the Duo's own, with bad touches; and through the window."""

from __future__ import annotations

import functools
import unittest
from collections.abc import Sequence
from types import SimpleNamespace
from unittest import mock

from dextrum.app.library.library import PackLibrary
from dextrum.app.packmaking.own_packs import begin_pack
from dextrum.app.packmaking.probe_words import faulty_words
from dextrum.core.board import Board, Component, ComponentKind, Method
from dextrum.core.board.consistency import inconsistencies
from dextrum.core.board.copper import CARRY
from dextrum.core.board.doubts import net_of_everything, structural_doubts
from dextrum.core.job import job_facts
from dextrum.core.packmaking.first_rung import resized
from dextrum.core.packmaking.netting import Touch
from dextrum.core.packmaking.placing import PartToPlace, with_part
from dextrum.core.packmaking.probing import probing, unknown_ends, with_nets
from dextrum.core.trail import Cell, Intake, JobOpened, Payload, PointReading, Proof, Readings, Touched
from dextrum.desktop.packmaking.view import PackmakingView
from dextrum.instruments.polling import Heard
from tests.support import duo_board, library_of, trail_of
from tests.test_netting import Prober, beeping
from tests.test_packmaking import first_rung
from tests.test_placing import put
from tests.window_support import Key, WindowCase

KINDS = (ComponentKind.FUSE, ComponentKind.FILTER, ComponentKind.ESD_ARRAY, ComponentKind.CAPACITOR,
         ComponentKind.INDUCTOR)


def undescribed_copy(count: int) -> tuple[Board, list[Component]]:
    """The port of a board that nobody has described, with so many of the Duo's parts placed on it, nets unknown."""
    true = duo_board()
    xs, ys = zip(*true.outline_mm, strict=True)
    board = resized(first_rung(), max(xs) - min(xs), max(ys) - min(ys))
    near = sorted((p for p in true.components if p.kind in KINDS), key=lambda p: (p.kind is ComponentKind.CAPACITOR,
                                                                                 p.designator))[:count]
    for part in near:
        board = with_part(board, PartToPlace(part.designator, part.kind, tuple((t.name, "") for t in part.terminals),
                                             part.width_mm, part.height_mm), part.side, part.x_mm - min(xs),
                          part.y_mm - min(ys))
    return board, near


def probed(board: Board, seed: int, bad: float = 0.03) -> tuple[Board, int]:
    """Answered by a hand at the Duo until nothing is asked; the pack, and how often it was touched."""
    hand = Prober("tarnwick-duo-c", seed, bad)
    readings: dict[str, float] = {}
    touches: list[Touch] = []
    while (ask := probing(board, readings, touches).ask) is not None:
        if ask.other:
            touches.append(Touch(ask.one, ask.other, hand.beeps(ask.one, ask.other)))
        else:
            readings[ask.one] = hand.read(ask.one)
    return with_nets(board, readings, touches), hand.count


def apart(of: Sequence[set[str]], mine: Sequence[set[str]]) -> int:
    """Points among others than their own."""
    return sum(len(group) - max(len(group & net) for net in of) for group in mine)


def nets_of(board: Board, points: Sequence[str]) -> list[set[str]]:
    found: dict[str, set[str]] = {}
    for point in points:
        found.setdefault(board.net_of(point), set()).add(point)
    return list(found.values())


class ProbingTest(unittest.TestCase):
    def test_the_duos_parts_get_their_nets_with_three_bad_touches_in_a_hundred(self) -> None:
        wrong = misplaced = grounds = there = touched = 0
        true = duo_board()
        beeps = beeping(true)
        for seed in range(3):
            board, parts = undescribed_copy(24)
            ends = unknown_ends(board)
            done, count = probed(board, seed)
            self.assertEqual(list(inconsistencies(done)), [])
            mine = beeping(done)
            together: dict[str, set[str]] = {}
            for end in ends:
                together.setdefault(beeps[end], set()).add(end)
            for name in dict.fromkeys(mine[end] for end in ends):
                group = {end for end in ends if mine[end] == name}
                wrong += len(group) - max(len(group & of) for of in together.values())
            # Which side of a coil or fuse a point lies on, no beep tells: the nearer end is taken. What its own two
            # ends are called does not matter.
            beside = [end for part in parts if part.kind not in CARRY for end in ends
                      if end.startswith(f"{part.designator}.")]
            ports = [point.id for point in first_rung().points]
            misplaced += apart(nets_of(true, [*beside, *ports]), nets_of(done, [*beside, *ports]))
            grounds += len({e for e in ends if true.net_of(e) == "GND"} ^ {e for e in ends if done.net_of(e) == "GND"})
            there += len(ends)
            touched += count
        self.assertEqual(grounds, 0)
        self.assertLessEqual(wrong / there, 0.01)
        self.assertLessEqual(touched / there, 5.0)
        self.assertLessEqual(misplaced / there, 0.08)

    def test_a_net_of_everything_is_told(self) -> None:
        board, _ = undescribed_copy(24)
        self.assertIsNone(net_of_everything(board))
        readings: dict[str, float] = {}
        touches: list[Touch] = []
        while (ask := probing(board, readings, touches).ask) is not None:  # the tips lie on one another
            if ask.other:
                touches.append(Touch(ask.one, ask.other, True))
            else:
                readings[ask.one] = 0.001
        done = with_nets(board, readings, touches)
        self.assertEqual(list(inconsistencies(done)), [])
        told = net_of_everything(done)
        assert told is not None
        self.assertIn("did the tips touch", told.words)
        self.assertIn(told, structural_doubts(done))
        self.assertIsNone(net_of_everything(duo_board()))

    def test_two_known_nets_that_beep_are_touched_again_and_left_apart(self) -> None:
        board = put(first_rung(), "C14 ? GND")
        volts = {point.id: 0.01 if "GND" in board.net_of(point.at) else 0.3 + 0.02 * k
                 for k, point in enumerate(board.points)} | {"C14.1": 0.95, "J1.A5": 0.95, "J1.B5": 0.95}
        end = "C14.1"
        touches = [Touch(end, "J1.A5", True), Touch(end, "J1.B5", True)]
        now = probing(board, volts, touches)
        self.assertEqual(len(now.doubts), 1)
        assert now.ask is not None
        self.assertIn({now.ask.one, now.ask.other}, ({end, "J1.A5"}, {end, "J1.B5"}))
        again = with_nets(board, volts, touches)
        self.assertIn(again.net_of(end), ("CC1", "CC2", "N_C14_1"))
        self.assertNotEqual(again.net_of("J1.A5"), again.net_of("J1.B5"), "what was said stays")
        # Open the second time: it lies on the one that beeps.
        touches += [Touch(now.ask.one, now.ask.other, False), Touch(now.ask.one, now.ask.other, False)]
        settled = probing(board, volts, touches)
        self.assertEqual((settled.ask, settled.doubts, settled.left), (None, (), ()))
        there = ({"J1.A5", "J1.B5"} - {now.ask.one, now.ask.other}).pop()
        self.assertEqual(with_nets(board, volts, touches).net_of(end), board.net_of(there))

    def test_nothing_unknown_nothing_touched_and_what_has_gone(self) -> None:
        board = first_rung()
        self.assertIsNone(probing(board, {}, ()).ask)
        self.assertEqual(with_nets(board, {}, [Touch("C14.1", "J1.A5", True)]), board)
        one = put(board, "C14 ? GND")
        self.assertEqual(unknown_ends(one), ("C14.1",))
        now = probing(one, {}, [Touch("C99.1", "J1.A5", True)])
        assert now.ask is not None
        self.assertEqual((now.ask.other, now.left), ("", ("C14.1",)))
        self.assertEqual(with_nets(one, {}, ()), one)


class FaultyUnitTest(unittest.TestCase):
    def test_a_unit_with_a_complaint_is_warned_of_until_it_is_proved(self) -> None:
        def said(*payloads: Payload) -> str:
            return faulty_words(job_facts(trail_of(JobOpened("S", "M", "P"), *payloads)))

        self.assertEqual(said(), "")
        self.assertEqual(said(Intake("")), "")
        self.assertIn("beeps like copper", said(Intake("does not charge")))
        self.assertIn("beeps like copper", said(Intake("", ("no_dock",)), Proof("boot", False)))
        self.assertEqual(said(Intake("does not charge"), Proof("boot", True)), "")


class ProbingWindowTest(WindowCase):
    def packs(self) -> PackLibrary:
        return library_of(self.folder / "packs")

    def test_parts_near_the_port_get_their_nets_by_keys_alone(self) -> None:
        """The Duo on the bench, its port taught as known; fuse, array and three capacitors placed with nets unknown."""
        hand = Prober("tarnwick-duo-c", 4, bad=0.0)
        library = self.session.library
        pack = begin_pack(library, "Grip", "B", "usb-c-24", "", "back off 6")
        library.keep(put(library.board(pack), "F1", "D1 1=? 2=? 3=? 4=? 5=?", "C14 ? ?", "C15 ? ?", "C1 ? ?"))
        self.window.open_job(self.session.open_new_job("SLS-0823", pack))
        self.settled()
        view, model = self.window.views["packmaking"], self.window.model
        assert isinstance(view, PackmakingView)
        panel = view.probe
        model.record(Cell("unplugged"))
        for point in library.board(pack).points:
            if point.part == "J1" and point.to is None:
                model.record(Readings(Method.DIODE_RED_GROUND, (PointReading(point.id, hand.read(point.id)),), "M1"))
        self.window.commands.run("pack.probe")
        before = len(model.trail)
        self.assertIs(self.application.focusWidget(), panel.field)
        self.type("x")
        self.key(Key.Key_Return)
        self.assertIn("is not a voltage", view.trouble.text())
        self.assertEqual(len(model.trail), before)
        panel.field.clear()
        for _ in range(120):
            self.settled()
            ask = panel.ask
            if ask is None:
                break
            if ask.other:
                self.key(Key.Key_B if hand.beeps(ask.one, ask.other) else Key.Key_N)
            else:
                value = hand.read(ask.one)
                self.type("o" if value == float("inf") else f"{value:.3f}")
                self.key(Key.Key_Return)
        self.assertIsNone(panel.ask)
        self.assertIn("Every end has its net", panel.question.text())
        touched = sum(isinstance(entry.payload, Touched) for entry in model.trail)
        self.assertLess(touched, 40)
        # What is asked elsewhere keeps the keyboard, whatever is recorded meanwhile.
        self.window.commands.run("pack.place")
        model.record(Cell("unplugged"))
        self.settled()
        self.assertIs(self.application.focusWidget(), self.window.ask.field)
        self.key(Key.Key_Escape)
        self.window.commands.run("trail.strike")
        # Undo takes the last answer back, and it is asked again; redo gives it back.
        self.window.commands.run("trail.strike")
        self.settled()
        self.assertIsNotNone(panel.ask)
        self.window.commands.run("trail.back")
        self.settled()
        panel.keep.click()
        self.settled()
        board = library.board(pack)
        for end in ("D1.1", "D1.2", "D1.3", "D1.4", "D1.5", "C14.1", "C14.2", "C15.1", "C15.2", "C1.1", "C1.2"):
            self.assertEqual(board.net_of(end), duo_board().net_of(end), end)
        self.assertIn("VBUS", (board.net_of("F1.1"), board.net_of("F1.2")))
        self.assertNotIn("C14.2", board.point_by_id)
        self.assertEqual(library_of(self.folder / "packs").board(pack), board)
        for name in ("board", "port", "rework", "proof", "packmaking"):
            self.window.show_view(name)
            self.application.processEvents()


class HeardMeter:
    """A multimeter that is fed by the test: each drain gives what was shown since, ten a second."""

    def __init__(self) -> None:
        self.shown: list[Heard] = []
        self.seconds = 0.0
        self.quantity = ""
        self.listening = False
        self.status = SimpleNamespace(name="M1", state="ready", words="")

    def listen(self, quantity: str = "", on: bool = True) -> None:
        if (quantity, on) != (self.quantity, self.listening):
            self.shown.clear()
        self.quantity, self.listening = quantity, on

    def is_asked_for(self, quantity: str) -> bool:
        return self.listening and self.quantity == quantity

    def drain(self) -> list[Heard]:
        found, self.shown = self.shown, []
        return found

    def show(self, value: float, seconds: float) -> None:
        for _ in range(round(seconds * 10)):
            self.seconds += 0.1
            self.shown.append(Heard(self.seconds, value))


class ListeningTest(WindowCase):
    """The same probing with both hands on the probes: beeps and values are heard, a tap of Space says no."""

    def packs(self) -> PackLibrary:
        return library_of(self.folder / "packs")

    def test_what_is_heard_is_answered_once_a_touch_and_no_is_only_said_by_a_tap(self) -> None:
        hand = Prober("tarnwick-duo-c", 4, bad=0.0)
        library, meter = self.session.library, HeardMeter()
        pack = begin_pack(library, "Grip", "B", "usb-c-24", "", "back off 6")
        library.keep(put(library.board(pack), "F1", "C14 ? ?", "C15 ? ?"))
        self.window.open_job(self.session.open_new_job("SLS-0824", pack))
        self.settled()
        view, model = self.window.views["packmaking"], self.window.model
        assert isinstance(view, PackmakingView)
        panel = view.probe
        for point in library.board(pack).points:
            if point.part == "J1" and point.to is None:
                model.record(Cell("unplugged"))
                model.record(Readings(Method.DIODE_RED_GROUND, (PointReading(point.id, hand.read(point.id)),), "M1"))

        def answers() -> int:
            return sum(isinstance(entry.payload, Readings | Touched) for entry in model.trail)

        self.window.commands.run("pack.probe")
        panel.by_meter.click()
        self.assertIn("No multimeter is connected", view.trouble.text())
        with mock.patch.object(self.window.instruments, "poller", lambda _kind: meter):
            panel.by_meter.click()
            self.assertTrue(panel.listening)
            wrongly = 0
            for _ in range(60):
                self.settled()
                ask = panel.ask
                if ask is None:
                    break
                wanted = "resistance" if ask.other else "diode"
                self.wait(functools.partial(meter.is_asked_for, wanted), what="for the meter to be asked")
                before = answers()
                joined = bool(ask.other) and hand.beeps(ask.one, ask.other)
                value = (0.4 if joined else float("inf")) if ask.other else hand.read(ask.one)
                meter.show(float("inf"), 1.0)  # the probes lift and travel
                meter.show(value, 5.0)
                self.wait(lambda: not meter.shown, what="for the meter to be heard")
                self.application.processEvents()
                if value == float("inf"):
                    self.assertEqual(answers(), before, "OL in the air is no answer")
                    self.key(Key.Key_Space)
                # The probes stay on for long after it was heard: nothing more comes of it.
                after = answers()
                self.assertEqual(after, before + 1, f"{ask} {value}")
                meter.show(value if value != float("inf") else 0.4, 0.0 if value == float("inf") else 3.0)
                self.application.processEvents()
                wrongly += answers() - after
            self.assertIsNone(panel.ask)
            self.assertEqual(wrongly, 0)
            panel.keep.click()
            self.settled()
            self.window.show_view("port")
            self.wait(lambda: not meter.listening, what="for the meter to be left in peace")
        board = library.board(pack)
        for end in ("C14.1", "C14.2", "C15.1", "C15.2"):
            self.assertEqual(board.net_of(end), duo_board().net_of(end), end)


if __name__ == "__main__":
    unittest.main()
