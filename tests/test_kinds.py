"""Every kind of fault there is: it changes something, or says that it is quiet; it breaks, is seen and is mended."""

from __future__ import annotations

import unittest
from pathlib import Path

import numpy as np

from dextrum.core.board import ComponentKind, Fault, FaultKind
from dextrum.core.circuit.edit import NOTHING
from dextrum.core.circuit.network import build_circuit
from dextrum.core.diagnosis.functions import breaking
from dextrum.core.diagnosis.hypotheses import NOTHING_ROW
from dextrum.core.faults import kind as kind_module
from dextrum.core.faults.kind import Hit
from dextrum.core.faults.listing import enumerate_faults
from dextrum.core.faults.mending import kinds_mended
from dextrum.core.faults.registry import EVERY, KINDS, edit_for
from dextrum.world.breaks import BRIDGES, OPENS, chances_to_break
from dextrum.world.numbers import DEFAULT
from dextrum.world.sizes import drawn_ohms
from tests.support import duo_advice, duo_board


def of_kind(kind: FaultKind) -> list[Fault]:
    return [fault for fault in enumerate_faults(duo_board()) if fault.kind is kind]


class KindTest(unittest.TestCase):
    def test_the_duo_knows_every_kind(self) -> None:
        for kind in FaultKind:
            with self.subTest(kind):
                self.assertTrue(of_kind(kind))

    def test_each_has_an_edit_that_changes_a_reading_or_is_quiet(self) -> None:
        model, circuit = duo_advice().model, build_circuit(duo_board())
        hypotheses = model.hypotheses
        for kind in FaultKind:
            with self.subTest(kind):
                faults = of_kind(kind)
                edits = [edit_for(duo_board(), circuit, f, f.variants[0][0]) for f in faults]
                self.assertEqual(all(edit == NOTHING for edit in edits), KINDS[kind].quiet)
                rows = [k for k, f in enumerate(hypotheses.fault_of_row) if f >= 0
                        and hypotheses.faults[int(f)].kind is kind and hypotheses.faults[int(f)].part in
                        {fault.part for fault in faults}]
                moved = False
                for predictions in (model.red_ground, model.resistance):
                    values = predictions.values
                    with np.errstate(invalid="ignore"):
                        differs = (values[rows] != values[NOTHING_ROW]) & ~np.isnan(values[NOTHING_ROW])
                    moved |= bool(differs.any())
                self.assertEqual(moved, not KINDS[kind].quiet)

    def test_each_word_has_one_class_and_each_class_is_listed(self) -> None:
        self.assertEqual([kind.word for kind in EVERY], list(FaultKind))
        files = {file.stem for file in Path(kind_module.__file__).parent.glob("*.py")}
        for kind in EVERY:
            self.assertIn(kind.word.value, files)
            self.assertEqual(kind.__module__.rsplit(".", 1)[1], kind.word.value)

    def test_each_says_how_large_it_is_where_and_how_surely_it_breaks(self) -> None:
        touched = Hit(True, True, True, True, True, ComponentKind.FUSE, False, False)
        missed = Hit(False, False, False, False, False, ComponentKind.FUSE, False, False)
        for kind in KINDS.values():
            with self.subTest(kind.word):
                for of in ComponentKind:
                    self.assertAlmostEqual(sum(share for _, share in kind.sizes(of)), 1.0)
                for ohms, _ in kind.sizes(None):
                    self.assertTrue(0.0 < kind.breaks(touched, ohms) <= 1.0)
                    self.assertEqual(kind.breaks(missed, ohms), 0.0)
                self.assertTrue(0.0 <= kind.shown[1] < 1.0 and 0.0 < kind.clean_port < 1.0)
                self.assertEqual(kind.shown[0] != "", kind.shown[1] > 0.0)

    def test_the_more_a_part_conducts_the_more_it_disturbs(self) -> None:
        touched = Hit(False, True, True, True, True, ComponentKind.CAPACITOR, False, False)
        for kind in (KINDS[FaultKind.PARTIAL_SHORT], KINDS[FaultKind.LEAKY_PART]):
            chances = [kind.breaks(touched, ohms) for ohms in (5.0, 50.0, 500.0, 5000.0)]
            self.assertEqual(chances, sorted(chances, reverse=True))

    def test_beside_a_load_that_takes_more_it_disturbs_less_and_a_hard_short_as_much(self) -> None:
        alone = Hit(False, True, True, True, True, ComponentKind.CAPACITOR, False, False)
        beside = alone._replace(load_ohms=38.0)
        for kind in (KINDS[FaultKind.PARTIAL_SHORT], KINDS[FaultKind.LEAKY_PART]):
            for ohms in (90.0, 1500.0):
                scaled = kind.breaks(alone, ohms * 1000.0 / 38.0)
                self.assertLess(scaled, kind.breaks(alone, ohms) + 1e-12)
                self.assertAlmostEqual(kind.breaks(beside, ohms), scaled)
                self.assertEqual(kind.breaks(alone._replace(load_ohms=9000.0), ohms), kind.breaks(alone, ohms))
        hard = KINDS[FaultKind.HARD_SHORT]
        self.assertEqual(hard.breaks(beside, 3.0), hard.breaks(alone, 3.0))

    def test_of_the_board_the_processors_rail_alone_bears_a_leak(self) -> None:
        of_board = breaking(duo_board())
        core, system = (next(f for f in of_kind(FaultKind.LEAKY_PART) if f.part == part) for part in ("C40", "C20"))
        self.assertEqual({hit.load_ohms for hit in of_board.hits(core) if hit is not None}, {38.0})
        self.assertEqual({hit.load_ohms for hit in of_board.hits(system) if hit is not None}, {np.inf})
        self.assertLess(of_board.of(core, 1500.0).max(), 0.1 * of_board.of(system, 1500.0).max())

    def test_a_kind_that_nobody_listed_is_refused(self) -> None:
        """And is no short of a milliohm."""
        fault = of_kind(FaultKind.HARD_SHORT)[0]
        unknown = Fault(fault.id, fault.part, "melted", fault.terminals, 1.0, fault.variants, "")  # type: ignore[arg-type]
        with self.assertRaises(KeyError):
            edit_for(duo_board(), build_circuit(duo_board()), unknown)

    def test_each_is_mended_by_something(self) -> None:
        for kind in FaultKind:
            with self.subTest(kind):
                mends = {action for fault in of_kind(kind) for action in ("replace", "reflow", "wire")
                         if kind in kinds_mended(duo_board(), fault.part, action)}
                self.assertTrue(mends)

    def test_each_breaks_something_in_the_world_too(self) -> None:
        generator = np.random.default_rng(1)
        for kind in FaultKind:
            with self.subTest(kind):
                chances = [chances_to_break(duo_board(), f, drawn_ohms(f, DEFAULT.faults, generator), DEFAULT.coupling)
                           for f in of_kind(kind)]
                self.assertTrue(any(chances))
        self.assertFalse(OPENS & BRIDGES)


if __name__ == "__main__":
    unittest.main()
