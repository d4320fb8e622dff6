"""Where good boards contradict a pack: what is likely wrong in it, and the touch that would tell."""

from __future__ import annotations

import math
import tempfile
import unittest
from collections.abc import Mapping
from dataclasses import replace
from pathlib import Path

from dextrum.app.library.library import PackLibrary
from dextrum.app.packmaking.own_packs import begin_pack
from dextrum.app.packmaking.pack_words import mistake_lines, mistakes_of
from dextrum.core.board import Board, ComponentKind, Net, NetRole, Point, Side
from dextrum.core.circuit.fit import fit_to_known_good
from dextrum.core.circuit.network import build_circuit
from dextrum.core.circuit.solve import diode_volts
from dextrum.core.packmaking.wrong_pack import PackMistake, wrong_in_pack
from dextrum.core.reference.good_readings import GoodReading, good_readings
from dextrum.store.packs import load_pack
from dextrum.store.packs.pack_doubts import doubts_of
from dextrum.store.packs.pack_writer import pack_files_of, write_pack_folder
from tests.support import DUO, duo_advice, duo_board, library, library_of, part
from tests.window_support import WindowCase

OPEN = math.inf
GOOD = good_readings(duo_board(), duo_advice().model.references)


def predicted(board: Board, readings: Mapping[str, GoodReading]) -> dict[str, float]:
    """By the board's own circuit, fitted to the good boards as the program fits it."""
    at = {point: board.point_by_id[point].at for point in readings}
    circuit = fit_to_known_good(build_circuit(board), {at[p]: r.volts for p, r in readings.items()})
    volts = {point: diode_volts(circuit, address) for point, address in at.items()}
    return {point: one if one < 2.5 else OPEN for point, one in volts.items()}


def with_ends(board: Board, moved: Mapping[str, str]) -> Board:
    """The board with some ends of parts on other nets."""
    return replace(board, components=tuple(replace(c, terminals=tuple(
        replace(t, net=moved.get(f"{c.designator}.{t.name}", t.net)) for t in c.terminals)) for c in board.components))


def mistakes(board: Board, readings: Mapping[str, GoodReading] = GOOD) -> tuple[PackMistake, ...]:
    return wrong_in_pack(board, readings, predicted(board, readings))


class DuoTest(unittest.TestCase):
    def test_a_right_pack_is_not_doubted(self) -> None:
        for name in library().ids():
            board, references = library().board(name), library().references(name, "M1")
            readings = good_readings(board, references)
            self.assertEqual(wrong_in_pack(board, readings, predicted(board, readings)), (), name)

    def test_two_nets_made_one_are_named(self) -> None:
        one, two = "CC1", "VDD_PD"
        ends = {f"{c.designator}.{t.name}": one for c in duo_board().components for t in c.terminals if t.net == two}
        found = mistakes(with_ends(duo_board(), ends))
        self.assertIn(one, [mistake.place for mistake in found[:2]])
        self.assertIn("in ohms", found[0].touch)

    def test_one_end_on_another_net_is_named_with_where_it_belongs(self) -> None:
        found = mistakes(with_ends(duo_board(), {"C14.1": "VBUS"}))
        self.assertEqual((found[0].kind, found[0].place), ("elsewhere", "C14.1"))
        self.assertIn("C14.1 to ", found[0].touch)

    def test_what_the_pack_leaves_out_shows_where_it_should_be_open(self) -> None:
        board = duo_board()
        hung: dict[str, int] = {}
        for c in board.components:
            for t in c.terminals:
                hung[t.net] = hung.get(t.net, 0) + bool(t.junction_volts or t.ohms_to_ground)
        joined = {net for c in board.components for pair in c.lines for net in (c.terminal(pair[0]).net,
                                                                                c.terminal(pair[1]).net)}
        bare = {next(board.net_of(p.at) for p in board.points if p.id in GOOD and GOOD[p.id].volts < OPEN
                     and hung.get(board.net_of(p.at)) == 1 and board.net_of(p.at) not in joined)}
        without = replace(board, components=tuple(
            replace(c, terminals=tuple(replace(t, junction_volts=None, forward_volts=None, ohms_to_ground=None)
                                       if t.net in bare else t for t in c.terminals)) for c in board.components))
        places = {net for mistake in mistakes(without) if mistake.kind == "not_open" for net in (mistake.place,)}
        self.assertTrue(places & bare, (places, bare))


def small(crossed: bool = False, between: bool = True) -> Board:
    """A filter between a port's two lines and a chip, whose two lines read apart."""
    nets = tuple(Net(name, NetRole.GROUND if name == "GND" else NetRole.SIGNAL) for name in
                 ("GND", "IN1", "IN2", "OUT1", "OUT2"))
    outs = ("OUT2", "OUT1") if crossed else ("OUT1", "OUT2")
    filter_ = part("FL1", ComponentKind.FILTER, ("1", "IN1"), ("2", outs[0] if between else "IN1"), ("3", "IN2"),
                   ("4", outs[1] if between else "IN2"), ohms=2.0)
    chip = part("U1", ComponentKind.IC, ("A", "OUT1"), ("B", "OUT2"), ("G", "GND"))
    chip = replace(chip, terminals=tuple(replace(t, junction_volts={"A": 0.45, "B": 0.62}.get(t.name))
                                         for t in chip.terminals))
    points = tuple(Point(f"FL1.{k}", f"FL1.{k}", Side.TOP, k, 1.0, "closed", "signal") for k in (1, 2, 3, 4)) + tuple(
        Point(f"U1.{k}", f"U1.{k}", Side.TOP, 5.0, 5.0, "closed", "signal") for k in "AB")
    return Board("small-a", "Small", "Small", "S", "A", ((0.0, 0.0), (9.0, 0.0), (9.0, 9.0), (0.0, 9.0)), nets,
                 (filter_, chip), points)


READ = {"FL1.1": 0.45, "FL1.2": 0.451, "FL1.3": 0.62, "FL1.4": 0.621, "U1.A": 0.45, "U1.B": 0.62}


class SmallTest(unittest.TestCase):
    def of(self, board: Board, **changed: float) -> tuple[PackMistake, ...]:
        values = {**READ, **{name.replace("_", "."): volts for name, volts in changed.items()}}
        return mistakes(board, {point: GoodReading(volts, 0.008) for point, volts in values.items()})

    def test_exchanged_ends_are_told_by_the_pins_beyond(self) -> None:
        self.assertEqual(self.of(small()), ())
        found = self.of(small(crossed=True))
        self.assertEqual((found[0].kind, found[0].place), ("exchanged", "FL1"))
        self.assertEqual(found[0].touch, "FL1.2 to U1.A, in ohms: through means exchanged")

    def test_lines_that_run_the_other_way_are_crossed(self) -> None:
        board = small()
        filter_ = board.components[0]
        ends = {t.name: t for t in filter_.terminals}
        listed = replace(filter_, terminals=(ends["1"], ends["4"], ends["3"], ends["2"]))
        found = self.of(replace(board, components=(listed, *board.components[1:])))
        self.assertEqual((found[0].kind, found[0].place), ("crossed", "FL1"))

    def test_one_bad_touch_is_one_point_and_no_other_thing(self) -> None:
        found = self.of(small(), FL1_2=0.30)
        self.assertIn("FL1.2", {mistake.place for mistake in found[:2]})
        self.assertNotIn("U1.B", {mistake.place for mistake in found})

    def test_what_is_open_on_good_boards_is_said(self) -> None:
        found = self.of(small(), FL1_3=OPEN, FL1_4=OPEN, U1_B=OPEN)
        self.assertEqual([mistake.kind for mistake in found], ["open"])
        self.assertIn("open on good boards", found[0].words)

    def test_scatter_of_boards_is_no_mistake(self) -> None:
        self.assertEqual(self.of(small(), FL1_1=0.458, FL1_2=0.443, FL1_3=0.612), ())

    def test_nothing_read_says_nothing(self) -> None:
        self.assertEqual(wrong_in_pack(small(), {}, {}), ())


class CheckTest(unittest.TestCase):
    def test_the_check_names_it_with_the_touch(self) -> None:
        pack = load_pack(Path(__file__).resolve().parent.parent / "src/dextrum/data/packs" / DUO)
        wrong = with_ends(pack.board, {"C18.1": "CC1"})
        with tempfile.TemporaryDirectory() as place:
            folder = write_pack_folder(Path(place), DUO, pack_files_of(wrong, pack.known_good))
            said = [f"{doubt.place}: {doubt.words}" for doubt in doubts_of(load_pack(folder), folder)]
        self.assertTrue(any(line.startswith("C18.1: C18.1 seems not to be on CC1") and "To tell: " in line
                            for line in said), said)

    def test_many_are_cut_short(self) -> None:
        one = PackMistake("elsewhere", "X", "X seems", "touch", (), 5.0)
        self.assertEqual(len(mistake_lines((one,) * 9)), 5)
        self.assertEqual(mistake_lines(()), ())

    def test_the_program_holds_its_own_packs_against_their_boards(self) -> None:
        self.assertEqual(mistakes_of(duo_advice().model), ())


class WindowTest(WindowCase):
    def packs(self) -> PackLibrary:
        return library_of(self.folder / "packs")

    def test_a_pack_without_good_boards_says_nothing_of_it(self) -> None:
        pack = begin_pack(self.session.library, "Grip", "B", "usb-c-16", "", "")
        self.window.open_job(self.session.open_new_job("SLS-0991", pack))
        self.settled()
        self.window.show_view("packmaking")
        view = self.window.views["packmaking"]
        self.application.processEvents()
        self.assertFalse(view.wrong.isVisible())  # type: ignore[attr-defined]


if __name__ == "__main__":
    unittest.main()
