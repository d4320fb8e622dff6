"""The fourth board: its pack made through the window from two photos and the tips on a good unit, each key and click
counted, and a job on it played to the hand-over."""

from __future__ import annotations

import math
import re
import unittest
from collections.abc import Callable
from types import SimpleNamespace
from unittest import mock

from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QWidget

from dextrum.app.bench.demo_photos import SEED, put_photos
from dextrum.app.bench.simbench import UNDESCRIBED, undescribed_library, units_beside
from dextrum.app.library.library import PackLibrary
from dextrum.app.packmaking.own_packs import rung_of
from dextrum.core.board import Board, Component, Method, Side
from dextrum.core.board.consistency import inconsistencies
from dextrum.core.board.copper import joined_nets
from dextrum.core.packmaking.netting import Ask
from dextrum.core.trail import Isolation
from dextrum.desktop.frame.command_row import CommandRow
from dextrum.desktop.packmaking.probe_panel import ProbePanel
from dextrum.desktop.packmaking.view import PackmakingView
from dextrum.instruments.polling import Heard
from dextrum.instruments.protocols import DIODE, OHMS
from dextrum.instruments.simbench.bench import SimulatedBench
from dextrum.instruments.simulated_board import SimulatedBoard, SimulatedMeter
from dextrum.store.jobs import JobStore
from dextrum.world.photograph import from_above, photographed
from tests.support import library_of
from tests.test_walk import WalkCase
from tests.window_support import CTRL, NONE, Key

PACK = "tarnwick-grip-a"
PLACED_TOP = (("J1 12x3", "J1"), ("J2 3 3x5", "J2"), ("J4 2 2x3", "J4"), ("F1", "F1"), ("D1 4", "D1"),
              ("L1 3x3", "L1"), ("L2 3x3", "L2"), ("U1 10 3x3", "U1"), ("U2 16 6x6", "U2"), ("U3 4 2x2", "U3"),
              ("U4 5 2x2", "U4"))
"""What is typed for each part, and which part of the true board is clicked."""
MOST_KEYS_AND_CLICKS = 400
"""For sixty parts and a hundred and twenty points: what was aimed at."""
WORKS = {"charge": "charge", "boot": "boot"}
"""What the pack's checks ask for, and what that is on the true board."""


def true_board() -> Board:
    return undescribed_library().board(UNDESCRIBED)


class MeterOnBench:
    """The bench's multimeter as the window hears it, in the bench's own time."""

    def __init__(self, bench: SimulatedBench) -> None:
        self.bench = bench
        self.shown: list[Heard] = []
        self.seconds = 0.0
        bench._clock = lambda: self.seconds
        self.quantity, self.listening = "", False
        self.status = SimpleNamespace(name="BM-1", state="ready", words="")

    def listen(self, quantity: str = "", on: bool = True) -> None:
        if (quantity, on) != (self.quantity, self.listening):
            self.shown.clear()
        self.quantity, self.listening = quantity, on
        self.bench.quantity = quantity or self.bench.quantity

    def is_asked_for(self, quantity: str) -> bool:
        return self.listening and self.quantity == quantity

    def drain(self) -> list[Heard]:
        found, self.shown = self.shown, []
        return found

    def run(self, seconds: float) -> None:
        for _ in range(round(seconds * 10)):
            self.seconds += 0.1
            self.shown.append(Heard(self.seconds, self.bench.meter_shows()))


class UnitByPlace:
    """A unit of the true board, asked by the names that the pack made here has for its ends: what lies where the plan
    says that it lies is touched, lifted and replaced."""

    def __init__(self, bench: SimulatedBench, own: Callable[[], Board]) -> None:
        self.bench, self.own = bench, own
        self.mended: list[str] = []

    @property
    def unit(self) -> SimulatedBoard:
        return self.bench.unit

    def part(self, designator: str) -> str:
        own = self.own().component_by_designator[designator]
        near = min((p for p in self.unit.board.components if p.side is own.side),
                   key=lambda p: math.hypot(p.x_mm - own.x_mm, p.y_mm - own.y_mm))
        return near.designator

    def end(self, name: str) -> str:
        own = self.own().point_by_id[name]
        told = min((p for p in self.unit.board.points if p.side is own.side and p.to is None),
                   key=lambda p: math.hypot(p.x_mm - own.x_mm, p.y_mm - own.y_mm))
        return told.at

    def read(self, point: str, method: Method, meter: SimulatedMeter) -> float:
        own = self.own().point_by_id[point]
        if own.to is not None:
            one, other = (self.end(end) for end in (own.at, own.to))
            ohms = self.unit.between(one, other, Method.RESISTANCE)
            return math.inf if ohms > 2e7 else round(ohms + meter.lead_ohms, 2)
        volts = self.unit.between(self.end(point), None, method)
        return math.inf if volts > meter.compliance_volts else round(volts, 3)

    def supply(self, orientation: str) -> tuple[float, float, str]:
        return self.unit.supply(orientation)

    def mend(self, part: str, action: str) -> None:
        self.mended.append(self.part(part))
        self.unit.mend(self.part(part), action)

    def isolate(self, isolation: Isolation) -> None:
        ends = tuple(self.part(one.partition(".")[0]) for one in isolation.parts)
        self.unit.isolate(Isolation(ends, isolation.state))

    @property
    def isolated(self) -> frozenset[str]:
        return self.unit.isolated

    def functions_work(self, functions: tuple[str, ...]) -> bool:
        return self.unit.functions_work(tuple(WORKS[f] for f in functions if f in WORKS))


class OwnBoardCase(WalkCase):
    pack_id = PACK

    def packs(self) -> PackLibrary:
        return library_of(self.folder / "packs")

    def fill(self, store: JobStore) -> None:
        put_photos(self.folder)
        self.keys = self.clicks = 0

    def key(self, key: Qt.Key, modifiers: Qt.KeyboardModifier = NONE) -> None:
        self.keys += 1
        super().key(key, modifiers)

    def type(self, text: str) -> None:
        self.keys += len(text)
        super().type(text)

    def click(self, widget: QWidget, at: QPoint | None = None) -> None:
        self.clicks += 1
        QTest.mouseClick(widget, Qt.MouseButton.LeftButton, pos=at or widget.rect().center())
        self.application.processEvents()

    def to_view(self, name: str) -> None:
        """By its tab."""
        self.click(self.window.tabs[name])
        current = self.window.current_view()
        self.assertIs(current, self.window.views[name])

    def press(self, command: str) -> None:
        """The button of a command in the view, or its line in the menu at the end of the row: two clicks."""
        view = self.window.current_view()
        assert view is not None
        row = next(r for r in view.findChildren(CommandRow) if command in r.buttons)
        if row.buttons[command].isVisible():
            self.click(row.buttons[command])
        else:
            self.clicks += 2
            self.window.commands.run(command)
            self.application.processEvents()

    def board_now(self) -> Board:
        board = self.window.model.board
        assert board is not None
        return board

    def pack_view(self) -> PackmakingView:
        view = self.window.views["packmaking"]
        assert isinstance(view, PackmakingView)
        return view

    def asked(self) -> None:
        """A look over the board that shows nothing is one key; all else is typed."""
        assessment = self.window.model.assessment
        assert assessment is not None
        if assessment.advice.next.kind == "look_board":
            self.key(Key.Key_Return, CTRL)
            self.key(Key.Key_Return)
        else:
            super().asked()

    # What a technician does to make the pack

    def another_model(self, serial: str) -> None:
        """Ctrl+N and four questions."""
        self.key(Key.Key_N, CTRL)
        self.type(serial)
        self.choose_last("another model")
        self.type("Tarnwick Grip")
        self.key(Key.Key_Return)
        self.key(Key.Key_Return)  # the revision stands there
        self.type("vin vin dat det gnd gnd")
        self.choose_last("own kind")
        self.type("shell open 7")
        self.key(Key.Key_Return)
        self.assertEqual(self.window.model.facts.pack_id, PACK)
        self.settled()

    def choose_last(self, words: str) -> None:
        self.key(Key.Key_Tab)
        box = self.window.ask.choice
        self.wait(box.hasFocus, what="for the choice")
        self.key(Key.Key_End)
        self.wait(lambda: words in box.currentText(), what=f"for {words}")
        self.key(Key.Key_Return)
        self.application.processEvents()

    def photo(self, side: Side) -> None:
        """The demo's photo of that side, its corners where they are seen, the size typed once."""
        self.press("pack.photo")
        self.assertIn(side.value, self.window.ask.field.text())
        self.key(Key.Key_Return)
        panel = self.pack_view().photo
        self.wait(panel.isVisible, what="for the photo")
        self.application.processEvents()
        k = list(Side).index(side)
        _, corners = photographed(from_above(true_board(), side, SEED + k), SEED + k)
        frame, scale = panel.canvas._frame(), panel.canvas._scale()
        for x, y in corners:
            self.click(panel.canvas, QPoint(round(frame.left() + x * scale), round(frame.top() + y * scale)))
        if not panel.size_mm.text():
            self.type("58x26")
        self.key(Key.Key_Return)
        self.wait(lambda: not panel.isVisible(), what="for the photo to be kept")

    def put(self, typed: str, true: str) -> None:
        """A part as it is typed, then a click where the photo shows it."""
        part = true_board().component_by_designator[true]
        ask, plan = self.window.ask, self.window.views.board.plan
        if not ask.isVisible():
            self.press("pack.place")
        if typed and ask.field.text() != typed:
            self.type(typed)
        self.key(Key.Key_Return)
        self.wait(lambda: bool(plan.placing), what=f"for {typed}: {ask.trouble.text()}")
        if plan.pane_of(part.side) is None:
            self.key(Key.Key_F)
        self.click(plan, plan.place(part.x_mm, part.y_mm, part.side).toPoint())
        self.application.processEvents()

    def others_like_it(self) -> int:
        """What looks like the part placed last: taken where it is one, left where it is not. How many were proposed."""
        self.key(Key.Key_Escape)
        self.to_view("packmaking")
        self.press("pack.alike")
        self.key(Key.Key_Return)
        commands = self.window.commands.packmaking
        self.wait(lambda: commands._alike is not None and commands._alike.isVisible(), what="for what looks alike")
        panel = commands._alike
        assert panel is not None and panel.part is not None
        mark, parts = panel.part, true_board().components

        def at(x_mm: float, y_mm: float) -> Component | None:
            return next((p for p in parts if p.side is mark.side
                         and math.hypot(p.x_mm - x_mm, p.y_mm - y_mm) < 0.4), None)

        true = at(mark.x_mm, mark.y_mm)
        assert true is not None
        right = [(p := at(place.x_mm, place.y_mm)) is not None and p.kind is true.kind for place in panel.places]
        wanted = len(self.board_now().components) + sum(right)
        last = max((k for k, one in enumerate(right) if not one), default=-1)
        for one in right[:last + 1]:
            self.key(Key.Key_Y if one else Key.Key_N)
        self.key(Key.Key_A)
        self.key(Key.Key_Return)
        self.wait(lambda: len(self.board_now().components) == wanted, what="for them to be placed")
        self.settled()
        self.to_view("packmaking")
        return len(right)

    def place_what_is_left(self, of: str, side: Side) -> None:
        """Parts that were not found to look alike, one click each."""
        def lies_there(part: Component) -> bool:
            return any(p.side is side and math.hypot(p.x_mm - part.x_mm, p.y_mm - part.y_mm) < 0.5
                       for p in self.board_now().components if not p.undescribed)

        for part in true_board().components:
            if part.designator.startswith(of) and part.side is side and not lies_there(part):
                numbers = [int(m[1]) for p in self.board_now().components
                           if (m := re.fullmatch(rf"{of}(\d+)", p.designator))]
                self.put(f"{of}{max(numbers) + 1}", part.designator)

    def touch_and_listen(self, bench: SimulatedBench, meter: MeterOnBench, panel: ProbePanel) -> tuple[int, int]:
        """Both tips go where it asks; no is a tap of the foot switch. Touches and taps."""
        taps = 0
        model = self.window.model

        def place(name: str) -> list[object]:
            point = self.board_now().point_by_id[name]
            return [point.side.value, point.x_mm, point.y_mm]

        def hears(ask: Ask) -> bool:
            return meter.is_asked_for(OHMS if ask.other else DIODE)

        for touches in range(900):
            self.application.processEvents()
            ask = panel.ask
            if ask is None:
                return touches, taps
            self.wait(lambda now=ask: hears(now), what="for the meter to be asked")  # type: ignore[misc]
            before = len(model.trail)
            bench.hand({"do": "lift"})
            meter.run(1.0)
            bench.hand({"do": "probe", "at": place(ask.one), **({"to": place(ask.other)} if ask.other else {})})
            meter.run(3.0)
            self.wait(lambda: not meter.shown, what="for the meter to be heard")
            self.application.processEvents()
            if len(model.trail) == before:
                taps += 1
                self.key(Key.Key_Space)
        raise AssertionError("the probing does not come to an end")

    def net_ends(self, board: Board, touched: UnitByPlace) -> dict[str, set[str]]:
        """By net of the pack, the true board's nets of its ends that are points."""
        found: dict[str, set[str]] = {}
        for point in board.points:
            if point.to is None and not board.component_by_designator[point.part].undescribed:
                found.setdefault(board.net_of(point.at), set()).add(true_board().net_of(touched.end(point.id)))
        return found


class OwnBoardTest(OwnBoardCase):
    def test_from_photos_and_probing_to_a_pack_and_a_job_on_it(self) -> None:
        good, bad = (next(unit for unit in units_beside() if unit.name == name).make(None)
                     for name in ("grip_good", "grip_bad"))
        meter = MeterOnBench(good)
        self.another_model("SLS-0611")
        self.key(Key.Key_U, CTRL)
        good.hand({"do": "cell", "cell": "unplugged"})
        self.board, self.unit = self.board_now(), good.unit
        self.to_view("port")
        for _ in self.board.ports[0].contacts:
            self.type_value(self.window.views.port.ladder.current_point())
        self.to_view("packmaking")
        self.press("pack.good")
        self.key(Key.Key_Return)
        self.settled()
        for side in Side:
            self.photo(side)
        for typed, true in PLACED_TOP:
            self.put(typed, true)
        self.put("C1", "C1")
        proposed = self.others_like_it()
        self.place_what_is_left("C", Side.TOP)
        self.put("R1", "R1")
        proposed += self.others_like_it()
        self.put("J3 8 10x3", "J3")
        self.put("D2 5", "D2")
        self.put("R7", "R7")
        proposed += self.others_like_it()
        self.put("C29", "C25")
        proposed += self.others_like_it()
        parts = [p for p in self.board_now().components if not p.undescribed]
        self.assertEqual(len(parts), len(true_board().components))
        self.assertGreaterEqual(proposed, 0.9 * (28 + 6 + 4 + 10 - 4))
        points = len([p for p in self.board_now().points if p.to is None])
        panel = self.pack_view().probe
        with mock.patch.object(self.window.instruments, "poller", lambda _kind: meter):
            self.press("pack.probe")
            self.click(panel.by_meter)
            touches, taps = self.touch_and_listen(good, meter, panel)
            self.assertLessEqual(touches, 3.0 * points)
            self.assertLess(taps, 0.3 * touches)
            self.click(panel.keep)
        self.press("pack.circuit")
        while self.window.ask.isVisible():
            self.key(Key.Key_Return)
            self.application.processEvents()
        self.settled()
        board = self.board_now()
        off = [p for p, read in self.window.model.judged.items() if read.judgement.verdict.is_off]
        self.assertEqual(off, [], "what the good unit reads is a reference everywhere now")
        drawn = {p.designator for p in self.window.views.board.plan.parts_here()}
        self.assertFalse({p.designator for p in board.components if p.undescribed} & drawn)
        spent = self.keys + self.clicks
        self.assertLess(spent, MOST_KEYS_AND_CLICKS)
        self.assertEqual(list(inconsistencies(board)), [])
        self.assertGreaterEqual(rung_of(board), 3)
        found = self.net_ends(board, UnitByPlace(good, self.board_now))
        joined = joined_nets(true_board())
        for net, ends in found.items():
            # Which side of a coil an end lies on, no beep tells.
            self.assertEqual(len({joined[name] for name in ends}), 1, net)
        self.assertGreaterEqual(sum(len(ends) == 1 for ends in found.values()), len(found) - 2)
        self.job_on_it(bad)

    def job_on_it(self, bench: SimulatedBench) -> None:
        """The unit that does not charge, by the program's advice on the pack made here, to the hand-over."""
        self.new_job("SLS-0612")
        self.board = self.board_now()
        touched = UnitByPlace(bench, self.board_now)
        self.unit = touched  # type: ignore[assignment]
        self.intake("does not charge on the rail", ("no_charge",))
        self.look()
        self.key(Key.Key_U, CTRL)
        self.assertEqual(self.follow(), ["F1"])
        self.assertEqual(touched.mended, ["F1"])
        self.assertEqual(bench.unit.faults, [])
        self.hand_over("grip")


if __name__ == "__main__":
    unittest.main()
