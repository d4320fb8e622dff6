"""Every kind of fault there is: it changes something, or says that it is quiet; it breaks, is seen and is mended."""

from __future__ import annotations

import unittest

import numpy as np

from dextrum.core.board import Fault, FaultKind
from dextrum.core.board.faults import enumerate_faults
from dextrum.core.board.mending import kinds_mended
from dextrum.core.circuit.edit import NOTHING, edit_for
from dextrum.core.circuit.network import build_circuit
from dextrum.core.diagnosis.hypotheses import NOTHING_ROW
from dextrum.world.breaks import BRIDGES, OPENS, chances_to_break
from dextrum.world.numbers import DEFAULT
from dextrum.world.sizes import drawn_ohms
from tests.support import duo_advice, duo_board

QUIET = frozenset({FaultKind.QUIET_FAILURE})


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
                self.assertEqual(all(edit == NOTHING for edit in edits), kind in QUIET)
                rows = [k for k, f in enumerate(hypotheses.fault_of_row) if f >= 0
                        and hypotheses.faults[int(f)].kind is kind and hypotheses.faults[int(f)].part in
                        {fault.part for fault in faults}]
                moved = False
                for predictions in (model.red_ground, model.resistance):
                    values = predictions.values
                    with np.errstate(invalid="ignore"):
                        differs = (values[rows] != values[NOTHING_ROW]) & ~np.isnan(values[NOTHING_ROW])
                    moved |= bool(differs.any())
                self.assertEqual(moved, kind not in QUIET)

    def test_an_edit_is_asked_for_every_kind_by_name(self) -> None:
        """A kind that nobody thought of is refused, and no short of a milliohm."""
        fault = of_kind(FaultKind.HARD_SHORT)[0]
        unknown = Fault(fault.id, fault.part, "melted", fault.terminals, 1.0, fault.variants, "")  # type: ignore[arg-type]
        with self.assertRaises(AssertionError):
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
