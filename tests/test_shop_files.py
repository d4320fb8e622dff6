"""Packs made from a shop's files: read as other programs write them, what doesn't fit is told, and the pack judges."""

from __future__ import annotations

import contextlib
import io
import math
import unittest
from dataclasses import replace
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np

from dextrum.__main__ import main
from dextrum.app.advising.assess import assess
from dextrum.app.places import shipped
from dextrum.core.advice.recommend import build_advice_model
from dextrum.core.board import Board, ComponentKind, Method, NetRole
from dextrum.core.board.consistency import inconsistencies
from dextrum.core.diagnosis.model import build_model
from dextrum.core.packmaking.first_rung import Opening
from dextrum.core.packmaking.from_files import board_from_files, test_points_of
from dextrum.core.packmaking.second_rung import with_good_unit
from dextrum.core.packmaking.shop_files.tables import designators, guess_columns, read_table
from dextrum.core.packmaking.shop_files.test_netlist import TestPoint, read_test_netlist, write_test_netlist
from dextrum.core.reference.known_good import KnownGoodReading
from dextrum.core.reference.table import build_reference_table
from dextrum.core.trail import Cell, Intake, JobOpened, Look, PointReading, Readings
from dextrum.instruments.simulated_board import METER_M1, SimulatedBoard
from dextrum.store.packs.pack_files import load_board
from tests.support import DUO, LONG, duo_advice, duo_board, library, trail_of

RED = Method.DIODE_RED_GROUND
OTHERS = """C  written by hand, as inch files of other programs are
P  UNITS CUST 0
P  NNAME00001 A_NET_WITH_A_VERY_LONG_NAME
317GND              J1    -A1   D0280PA00X 003937Y 007874X0550Y0000R000S3
327NNAME00001       C7    -1          A01X+003937Y-007874X0236Y0236R000S0
327N/C              U3    -14         A01X 000100Y 000200X0100Y0100R000S0
317GND              VIA         MD0120PA00X 002000Y 002000X0240Y    R000S3
327GND                    -           A01X 000100Y 000200
327GND              C8    -2          A01
999
327LOST             C9    -1          A01X 000100Y 000200
"""


def connections(board: Board) -> set[frozenset[str]]:
    nets: dict[str, set[str]] = {}
    for part in board.components:
        for terminal in part.terminals:
            nets.setdefault(terminal.net, set()).add(f"{part.designator}.{terminal.name}")
    return {frozenset(net) for net in nets.values()}


class NetlistTest(unittest.TestCase):
    def test_columns_units_long_names_and_what_is_left_out(self) -> None:
        points, left = read_test_netlist(OTHERS)
        self.assertEqual(points, (TestPoint("GND", "J1", "A1", 10.0, 20.0, False),
                                  TestPoint("A_NET_WITH_A_VERY_LONG_NAME", "C7", "1", 10.0, -20.0, True),
                                  TestPoint("", "U3", "14", 0.254, 0.508, True)))
        self.assertEqual([(one.line, one.why) for one in left],
                         [(8, "names no part and pin"), (9, "has no place X and Y")])
        for text in ("", "hello\n" * 5, "999\n"):
            with self.assertRaises(ValueError):
                read_test_netlist(text)

    def test_what_is_written_is_read_again(self) -> None:
        for name in library().ids():
            points = test_points_of(library().board(name))
            again, left = read_test_netlist(write_test_netlist(points, name))
            self.assertEqual((again, left), (points, ()), name)
        long = (TestPoint("N" * 30, "C1", "1", -1.25, 0.5, False), TestPoint("", "C1", "2", 0.0, 0.0, True))
        self.assertEqual(read_test_netlist(write_test_netlist(long, "x"))[0], long)

    def test_lines_are_in_the_columns_of_the_format(self) -> None:
        line = write_test_netlist([TestPoint("VBUS", "J1", "A4", 12.345, -6.0, True)], "x").splitlines()[4]
        self.assertEqual((line[:3], line[3:17].strip(), line[20:26].strip(), line[26], line[27:31].strip()),
                         ("327", "VBUS", "J1", "-", "A4"))
        self.assertEqual((line[41:49], line[49:57]), ("X+012345", "Y-006000"))

    def test_noise_never_crashes(self) -> None:
        draw = np.random.default_rng(3)
        for _ in range(300):
            lines = OTHERS.splitlines()
            at = int(draw.integers(len(lines)))
            text = list(lines[at])
            for _ in range(int(draw.integers(1, 6))):
                text[int(draw.integers(max(len(text), 1)))] = chr(int(draw.integers(32, 1000)))
            lines[at] = "".join(text)
            with contextlib.suppress(ValueError):
                read_test_netlist("\n".join(lines))


class TableTest(unittest.TestCase):
    def test_heads_of_several_programs(self) -> None:
        for text, unit in (("Designator,Mid X,Mid Y,Layer,Rotation\nC1,1.5mm,2mm,TopLayer,90\n", "mm"),
                           ("# made today\nRef;PosX;PosY;Rot;Side\nC1;1,5;2;90;top\n", "mm"),
                           ("RefDes\tValue\tCenter-X (mm)\tCenter-Y (mm)\tSide\nC1\t1u\t1.5\t2\tTop\n", "mm"),
                           ("\ufeffName,x,y\nC1,59.055,78.74\n", "mil")):
            with self.subTest(text[:12]):
                rows, left = read_table(text, unit=unit)
                self.assertEqual(left, ())
                self.assertEqual((rows[0].part, rows[0].bottom), ("C1", False))
                if rows[0].x_mm is not None:
                    self.assertAlmostEqual(rows[0].x_mm, 1.5, places=3)

    def test_a_bill_with_ranges_and_rows_that_do_not_fit(self) -> None:
        rows, left = read_table("Reference,Value,Description\n\"C1, C2 C5-C7\",100n,by the chips\nR1,5.1k,\n,1,\n"
                                "R1,2k,\nC9-C3,1,\n")
        self.assertEqual([row.part for row in rows], ["C1", "C2", "C5", "C6", "C7", "R1"])
        self.assertEqual(rows[0].words, "by the chips")
        self.assertEqual([one.line for one in left], [4, 5, 6])

    def test_columns_can_be_corrected(self) -> None:
        text = "Reference,A,B\nC1,3,4\n"
        guess = guess_columns(text)
        self.assertNotIn("x", guess.columns)
        rows, _ = read_table(text, replace(guess, columns={**guess.columns, "x": 1, "y": 2}))
        self.assertEqual((rows[0].x_mm, rows[0].y_mm), (3.0, 4.0))

    def test_no_such_table(self) -> None:
        for text in ("", "a,b\n1,2\n"):
            with self.assertRaises(ValueError):
                guess_columns(text)
        with self.assertRaises(ValueError):
            read_table("Ref,X,Y\nC1,1,2\n", unit="parsec")
        with self.assertRaises(ValueError):
            designators("C1-R5")


def made_duo() -> Board:
    """The Duo from its own netlist, as a shop would have it: no junctions, no functions, no rates."""
    text = write_test_netlist(test_points_of(duo_board()), "duo")
    return board_from_files("Duo again", "C", read_test_netlist(text)[0], (), (Opening("back off", 6.0),))[0]


class MadeTest(unittest.TestCase):
    def test_nets_parts_and_port_are_those_of_the_board(self) -> None:
        made = made_duo()
        self.assertEqual(list(inconsistencies(made)), [])
        self.assertEqual(connections(made), connections(duo_board()))
        # A netlist does not tell a link from a resistor; a bill of materials does.
        self.assertEqual({p.designator: p.kind for p in made.components if not p.designator.startswith("R")},
                         {p.designator: p.kind for p in duo_board().components if not p.designator.startswith("R")})
        rows, _ = read_table("Ref,Value\nR1,0R\nR2,4k7\n")
        told, _ = board_from_files("Duo again", "C", test_points_of(duo_board()), rows)
        self.assertIs(told.component_by_designator["R1"].kind, ComponentKind.LINK)
        self.assertEqual(told.component_by_designator["R2"].ohms, 4700.0)
        self.assertEqual({frozenset(g) for g in made.ports[0].one_node},
                         {frozenset(g) for g in duo_board().ports[0].one_node})
        self.assertIs(made.net_by_name["GND"].role, NetRole.GROUND)

    def test_what_does_not_fit_is_told(self) -> None:
        points = (*test_points_of(library().board("bramlet-orb-a")), TestPoint("A", "X9", "1", 0, 0, True),
                  TestPoint("A", "C90", "1", 0, 0, True), TestPoint("A", "TP7", "1", 0, 0, True))
        rows, _ = read_table("Ref,Value\nC90,1u\nC91,1u\nR1,5.1k\n")
        made, left = board_from_files("Orb again", "A", points, rows)
        self.assertEqual(len(left), 4)
        self.assertTrue(any("X9" in one.why for one in left))
        self.assertTrue(any("C90: has 1 pins" in one.why for one in left))
        self.assertEqual(made.component_by_designator["R1"].ohms, 5100.0)
        with self.assertRaises(ValueError):
            board_from_files("No port", "A", (TestPoint("A", "C1", "1", 0, 0, True),
                                              TestPoint("B", "C1", "2", 1, 0, True)))

    def test_taught_by_a_good_unit_it_names_the_right_part_among_the_first_two(self) -> None:
        """Faults of port, fuse, filters, PD controller, charger IC and A/V switch, all points read; a good unit's
        readings are all that the pack was told beside the netlist."""
        made = made_duo()
        there = {p.id for p in duo_board().points} & {p.id for p in made.points}
        made = replace(made, points=tuple(p for p in made.points if p.id in there))
        good = SimulatedBoard(duo_board(), (), np.random.default_rng(1))
        read = {p.id: good.read(p.id, RED, METER_M1) for p in made.points}
        taught = with_good_unit(made, read)
        self.assertEqual(list(inconsistencies(taught)), [])
        known = tuple(KnownGoodReading("G", point, RED, "M1", value, 21.0, "2026-01-02")
                      for point, value in read.items())
        advice = build_advice_model(build_model(taught, build_reference_table(taught, known, "M1")))
        draw = np.random.default_rng(5)
        parts = {p.designator for p in duo_board().components if p.kind in (
            ComponentKind.RECEPTACLE, ComponentKind.FUSE, ComponentKind.FILTER)} | {"U1", "U2", "U3"}
        faults = [f for f in duo_advice().model.hypotheses.faults
                  if f.part in parts and f.kind.value in ("open_contact", "hard_short", "open_winding", "blown_fuse")]
        right = 0
        chosen = draw.choice(len(faults), 40 if LONG else 16, replace=False)
        for k in chosen:
            fault = faults[int(k)]
            unit = SimulatedBoard(duo_board(), [(fault, fault.variants[0][0])], np.random.default_rng(int(k)))
            shown = tuple(PointReading(p.id, unit.read(p.id, RED, METER_M1)) for p in taught.points)
            done = assess(advice, trail_of(JobOpened("T", taught.model, taught.pack_id), Intake("x", ("no_charge",)),
                                           Look(("clean",)), Cell("unplugged"), Readings(RED, shown, "M1")),
                          explain=False)
            named = list(dict.fromkeys(s.fault.part for s in done.suspects))[:2]
            right += fault.part in named
        self.assertGreaterEqual(right / len(chosen), 0.75, f"{right} of {len(chosen)}")

    def test_two_alike_in_parallel_read_together_as_the_good_unit_does(self) -> None:
        made = made_duo()
        good = SimulatedBoard(duo_board(), (), np.random.default_rng(1))
        read = {p.id: good.read(p.id, RED, METER_M1) for p in made.points if p.id in duo_board().point_by_id}
        model = build_model(with_good_unit(made, read), build_reference_table(made, (), "M1"))
        off = []
        for point, value in read.items():
            predicted = model.predicted_at(point, RED)
            if predicted is not None and 0.1 < value < 2.0 and math.isfinite(float(predicted.values[0])):
                off.append(abs(float(predicted.values[0]) - value))
        self.assertGreater(len(off), 30)
        self.assertLess(float(np.median(off)), 0.03)


class CommandTest(unittest.TestCase):
    def run_main(self, *words: str) -> tuple[int, str, str]:
        out, err = io.StringIO(), io.StringIO()
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
            status = main(list(words))
        return status, out.getvalue(), err.getvalue()

    def test_made_told_and_refused(self) -> None:
        with TemporaryDirectory() as name:
            folder = Path(name)
            status, netlist, _ = self.run_main("pack", "netlist", str(shipped() / "packs" / DUO))
            self.assertEqual(status, 0)
            (folder / "duo.ipc").write_text(netlist)
            (folder / "places.csv").write_text("Ref;X;Y;Side\nC14;50,5;20;bottom\nC1x;1;2;top\n")
            words = ("pack", "make", str(folder / "out"), "--model", "Duo again", "--revision", "C", "--netlist",
                     str(folder / "duo.ipc"), "--table", str(folder / "places.csv"), "--opens", "back off 6")
            status, said, _ = self.run_main(*words)
            self.assertEqual(status, 0, said)
            self.assertIn("understood as designator = 'Ref'", said)
            self.assertIn("83", f"{len(load_board(folder / 'out' / 'duo-again-c').components)}")
            made = load_board(folder / "out" / "duo-again-c").component_by_designator["C14"]
            self.assertEqual((made.x_mm, made.side.value), (50.5, "bottom"))
            status, _, wrong = self.run_main(*words)
            self.assertEqual(status, 1)
            self.assertIn("already", wrong)
            (folder / "no.ipc").write_text("nothing")
            status, _, wrong = self.run_main("pack", "make", str(folder), "--model", "x", "--netlist",
                                             str(folder / "no.ipc"))
            self.assertEqual(status, 1)
            self.assertIn("317 or 327", wrong)
            self.assertEqual(self.run_main("pack", "make", str(folder), "--model", "x", "--netlist",
                                           str(folder / "gone.ipc"))[0], 1)
