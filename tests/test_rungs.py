"""Packs cut down to a rung of the ladder: what each knows, and whole jobs by them on units of the whole board."""

from __future__ import annotations

import json
import subprocess
import sys
import unittest
from dataclasses import replace
from functools import cache

import numpy as np

from dextrum.app.evaluation.cases import world_case
from dextrum.app.evaluation.rungs import RungModel, by_rung, rung_model
from dextrum.app.packmaking.circuits import circuits
from dextrum.core.board import Board, ComponentKind, NetRole
from dextrum.core.board.consistency import inconsistencies
from dextrum.core.packmaking.cut_down import first_rung, net_names, port_of, third_rung, with_points_of
from dextrum.core.packmaking.kind_defaults import PRICES, RATES, REPAIRS
from dextrum.core.packmaking.placing import parse_part, with_part
from dextrum.core.packmaking.second_rung import LOADS
from dextrum.world.numbers import DEFAULT
from tests.support import duo_board, library


def third(wrong: float = 0.0) -> Board:
    draw = np.random.default_rng(3) if wrong else None
    return third_rung(duo_board(), {"J1.A5": 0.6, "J1.A4": 0.5}, circuits()[0]["24-pd-charger-av"], wrong, draw)


@cache
def model(rung: int) -> RungModel:
    return rung_model(duo_board(), rung, DEFAULT, 5)


class CutDownTest(unittest.TestCase):
    def test_the_first_knows_the_port_and_how_it_opens(self) -> None:
        board = first_rung(duo_board())
        self.assertEqual([part.kind for part in board.components], [ComponentKind.RECEPTACLE])
        self.assertEqual([level.minutes for level in board.access_levels],
                         [level.minutes for level in duo_board().access_levels])

    def test_the_third_has_the_parts_that_matter_on_the_nets_of_the_whole_board(self) -> None:
        board, whole = third(), duo_board()
        self.assertEqual(inconsistencies(board), ())
        names = net_names(whole, port_of(whole))
        placed = [part for part in board.components if not part.undescribed and part.designator != "J1"]
        self.assertGreater(len(placed), 40)
        for part in placed:
            for terminal in part.terminals:
                self.assertEqual(terminal.net, names[whole.net_of(f"{part.designator}.{terminal.name}")])
        assert board.circuit is not None
        self.assertEqual(board.circuit.parts["pd"], ("U1",))
        self.assertEqual(board.circuit.parts["av"], ("U3",))

    def test_the_share_asked_for_lies_on_wrong_nets_and_no_more(self) -> None:
        right, wrong = third(), third(0.2)
        ends = [(part.designator, t.name) for part in right.components if not part.undescribed
                and part.designator != "J1" for t in part.terminals]
        off = sum(right.net_of(f"{p}.{t}") != wrong.net_of(f"{p}.{t}") for p, t in ends)
        self.assertTrue(0.12 < off / len(ends) < 0.28, off / len(ends))

    def test_the_whole_board_gets_every_point_that_the_small_one_has(self) -> None:
        small = third()
        whole = with_points_of(duo_board(), small)
        self.assertTrue({p.id for p in small.points} <= set(whole.point_by_id))
        self.assertEqual(whole.components, duo_board().components)

    def test_a_board_whose_port_is_of_its_own_kind_is_none(self) -> None:
        with self.assertRaises(ValueError):
            port_of(library().board("ondry-leaf-a"))


class LoadsTest(unittest.TestCase):
    """A short on a rail is seldom in the only chip that somebody placed there."""

    def test_what_hangs_on_rails_is_a_part_of_its_own_and_goes_with_them(self) -> None:
        board = with_part(first_rung(duo_board()), parse_part("U2 VIN=VBUS SYS=V3V3 GND=GND at 20 20"),
                          duo_board().components[0].side, 20.0, 20.0)
        loads = board.component_by_designator[LOADS]
        self.assertTrue(loads.undescribed)
        self.assertEqual([t.net for t in loads.terminals], ["V3V3", "GND"])
        without = with_part(first_rung(duo_board()), parse_part("C14 CC2 GND at 20 20"),
                            duo_board().components[0].side, 20.0, 20.0)
        self.assertNotIn(LOADS, without.component_by_designator)

    def test_what_its_pins_read_on_a_good_unit_stays_when_more_is_placed(self) -> None:
        board = model(3).advice.model.board
        read = {t.net: t.junction_volts for t in board.component_by_designator[LOADS].terminals if t.junction_volts}
        self.assertGreater(len(read), 5)
        grown = with_part(board, parse_part("C99 CC1 GND at 20 20"), duo_board().components[0].side, 20.0, 20.0)
        kept = {t.net: t.junction_volts for t in grown.component_by_designator[LOADS].terminals if t.junction_volts}
        self.assertEqual(kept, read)

    def test_coils_and_banks_of_capacitors_make_a_rail(self) -> None:
        board = first_rung(duo_board())
        side = duo_board().components[0].side
        for k, text in enumerate(("C1 N1 GND", "C2 N1 GND", "L1 N2 N3", "C3 N4 GND")):
            board = with_part(board, parse_part(f"{text} at {10 + k} 10"), side, 10.0 + k, 10.0)
        nets = {t.net for t in board.component_by_designator[LOADS].terminals} - {"GND"}
        self.assertEqual(nets, {"N1", "N2", "N3"})


    def test_a_line_that_ends_at_one_chip_goes_on_to_what_nobody_placed(self) -> None:
        board = first_rung(duo_board())
        side = duo_board().components[0].side
        for k, text in enumerate(("U3 TX1P=TX1P ML0=ML0 HPD=HPD LDO=LDO GND=GND", "C60 ML0 ML0X", "C7 LDO GND",
                                  "U1 CC1=CC1 HPD=HPD GND=GND")):
            board = with_part(board, parse_part(f"{text} at {10 + 3 * k} 10"), side, 10.0 + 3 * k, 10.0)
        # Not what the port is on, what two chips share, what a chip has for itself, or the chip's side of a capacitor.
        nets = {t.net for t in board.component_by_designator[LOADS].terminals} - {"GND"}
        self.assertEqual(nets, {"ML0X"})


class KindsFileTest(unittest.TestCase):
    def test_every_kind_that_can_be_placed_fails_is_mended_and_costs(self) -> None:
        for kind in RATES:
            self.assertTrue(RATES[kind], kind)
            self.assertTrue(REPAIRS[kind], kind)
            self.assertGreater(PRICES[kind], 0.0, kind)

    def test_a_placed_chip_can_be_replaced(self) -> None:
        options = {(o.part, o.action) for o in model(3).advice.repairs.options}
        for chip in ("U1", "U2", "U3"):
            self.assertIn((chip, "replace"), options)
        self.assertNotIn((LOADS, "replace"), options)


class JobsTest(unittest.TestCase):
    def test_the_same_job_twice_is_the_same(self) -> None:
        rung = model(3)
        played = [by_rung(rung, world_case(DEFAULT, rung.whole, 4, 5)) for _ in range(2)]
        self.assertEqual(played[0].played.minutes, played[1].played.minutes)
        self.assertEqual(played[0].named, played[1].named)
        self.assertEqual(played[0].played.gates_broken, 0)

    def test_a_blown_fuse_is_found_by_a_pack_made_at_the_bench(self) -> None:
        rung = model(3)
        for number in range(200):
            case = world_case(DEFAULT, rung.whole, number, 5)
            if [f.id for f in case.unit.harmful()] == ["F1:blown_fuse:1:2"]:
                break
        else:
            self.skipTest("no such unit among two hundred")
        found = by_rung(rung, replace(case, name="fuse"))
        self.assertTrue(found.named and found.counted)
        self.assertIn("F1", found.played.replaced)

    def test_nothing_is_called_a_part_where_only_the_port_is_known(self) -> None:
        rung = model(1)
        found = by_rung(rung, world_case(DEFAULT, rung.whole, 1, 5))
        self.assertEqual(found.played.replaced, ())
        ground = {net.name for net in rung.advice.model.board.nets if net.role is NetRole.GROUND}
        self.assertEqual(len(ground), 1)


class CommandLineTest(unittest.TestCase):
    def run_it(self, *words: str) -> subprocess.CompletedProcess[str]:
        return subprocess.run([sys.executable, "-m", "dextrum", "evaluate", *words], capture_output=True, text=True,
                              check=False, timeout=300)

    def test_as_json_and_refused(self) -> None:
        done = self.run_it("--rung", "2", "--cases", "2", "--seed", "3", "--json")
        self.assertEqual(done.returncode, 0, done.stderr)
        told = json.loads(done.stdout)
        self.assertEqual((told["rung"], told["cases"], told["gates_broken"]), (2, 2, 0))
        for words in (("--rung", "3", "--world", "drawn"), ("--rung", "3", "--wrong-nets", "0.9"),
                      ("--rung", "3", "--pack", "ondry-leaf-a", "--cases", "1"), ("--rung", "3", "--mismatch")):
            with self.subTest(words):
                refused = self.run_it(*words)
                self.assertNotEqual(refused.returncode, 0)
                self.assertNotIn("Traceback", refused.stderr)
                self.assertIn("Nothing was played", refused.stderr)


if __name__ == "__main__":
    unittest.main()
