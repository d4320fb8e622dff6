"""The tables behind the advice: outcomes of points, repairs, functions, and what is remembered between steps."""

from __future__ import annotations

import math
import unittest
from dataclasses import replace

import numpy as np

from dextrum.app.advising.assess import assess
from dextrum.core.advice.outcomes import OUTCOMES
from dextrum.core.advice.parts_off import expected_while_isolated
from dextrum.core.advice.rates import ShopRates
from dextrum.core.advice.repairs import build_repair_options, option_costs
from dextrum.core.advice.weighing import Weighing
from dextrum.core.advice.wording import fault_words, part_words, repair_title
from dextrum.core.board import FaultKind, Method
from dextrum.core.diagnosis.evidence import gather_evidence, prediction_sizes
from dextrum.core.diagnosis.expected import expected_at
from dextrum.core.diagnosis.functions import closed_needs
from dextrum.core.diagnosis.hypotheses import NOTHING_ROW, SOMETHING_ELSE_ROW
from dextrum.core.diagnosis.likelihood import reading_log_likelihood
from dextrum.core.diagnosis.shared_deviation import SharedDeviation, given_shared, with_reading
from dextrum.core.entries.readings import agree
from dextrum.core.trail import JobOpened, Look, PointReading, Readings
from tests.support import duo_advice, duo_board, fault_named, trail_of

RED = Method.DIODE_RED_GROUND
OPENED = JobOpened("T-1", "Tarnwick Duo", "tarnwick-duo-c")


def row_of(fault: str) -> int:
    hypotheses = duo_advice().model.hypotheses
    index = next(i for i, f in enumerate(hypotheses.faults) if f.id == fault)
    return int(np.flatnonzero(hypotheses.fault_of_row == index)[0])


class OutcomeTableTest(unittest.TestCase):
    def chances(self, point: str, fault: str | None) -> dict[str, float]:
        table = duo_advice().outcomes
        row = 0 if fault is None else row_of(fault)
        return dict(zip(OUTCOMES, table.chances[table.points.index(point), :, row].tolist(), strict=True))

    def test_every_column_is_a_distribution(self) -> None:
        np.testing.assert_allclose(duo_advice().outcomes.chances.sum(axis=1), 1.0, atol=1e-5)
        self.assertEqual(set(duo_advice().outcomes.points), {p.id for p in duo_board().points})

    def test_outcomes_are_what_the_circuit_says(self) -> None:
        for point, fault, outcome in (("J1.B5", None, "as a good board"), ("J1.B5", "U1:hard_short:CC2", "near 0"),
                                      ("J1.B5", "J1:open_contact:B5", "OL"), ("J1.B5", "U1:lifted_joint:CC2", "high"),
                                      ("J1.B5/tail", "J1:open_contact:B5", "as a good board"),
                                      ("FL1.1-2", "FL1:open_winding:1:2", "OL"), ("FL1.1-3", None, "OL"),
                                      ("FL1.1-3", "FL1:bridged_windings:1:3", "near 0"),
                                      ("C40.1", None, "as a good board"), ("C40.1", "U7:hard_short:CORE", "near 0")):
            with self.subTest(point, fault=fault):
                chances = self.chances(point, fault)
                # What is open leaks on some boards, and then reads high.
                leaks = chances["high"] if outcome == "OL" and fault else 0.0
                self.assertGreater(chances[outcome] + leaks, 0.85)
                self.assertGreater(chances[outcome], 0.6)


    def test_the_spread_of_a_point_is_the_variance_of_its_outcomes(self) -> None:
        table = duo_advice().outcomes
        weight = np.random.default_rng(1).dirichlet(np.ones(table.chances.shape[2])).astype(np.float32)
        weight[::3] = 0.0
        mean = table.chances @ weight
        known = ((table.chances ** 2) @ weight - mean ** 2).sum(axis=1)
        np.testing.assert_allclose(table.spread(weight), known, atol=1e-5)

    def test_what_is_solved_for_some_rows_is_what_all_rows_would_give(self) -> None:
        """With a part off, row by row as it is asked for, and all at once."""
        advice = replace(duo_advice())
        off, point = frozenset({"R1"}), "R1.2"
        rng = np.random.default_rng(2)
        asked = [rng.choice(advice.model.hypotheses.count, 60, replace=False) for _ in range(3)]
        parts = [expected_while_isolated(advice, off, point, rows) for rows in asked]
        again = expected_while_isolated(advice, off, point, asked[0])
        view = advice.model.isolating(off)
        method = advice.model.board.point_by_id[point].default_method
        whole, predicted = expected_at(view, point, method), view.predicted_at(point, method)
        assert whole is not None and predicted is not None
        for rows, part in zip([*asked, asked[0]], [*parts, again], strict=True):
            assert part is not None
            np.testing.assert_allclose(part.values[rows], predicted.values[rows], atol=1e-9)
            np.testing.assert_allclose(part.expected.means[rows], whole.means[rows], atol=1e-9)
            np.testing.assert_allclose(part.expected.spreads[rows], whole.spreads[rows], atol=1e-9)
            np.testing.assert_allclose(part.sizes[rows], prediction_sizes(view, point, method)[rows], rtol=1e-5)
        assert parts[0] is not None and again is not None
        np.testing.assert_array_equal(parts[0].values, again.values, "what was solved in between changes nothing")
        np.testing.assert_array_equal(parts[0].sizes, again.sizes)


class WeighingTest(unittest.TestCase):
    """Many actions at once give what each gives by itself."""

    def weighing(self) -> Weighing:
        trail = trail_of(OPENED, Look(("clean",)), Readings(RED, (PointReading("R1.1", 0.02),), "M1"))
        done = assess(duo_advice(), trail)
        return Weighing(duo_advice(), done.posterior, done.facts)

    def test_expectations_of_many_are_those_of_each(self) -> None:
        weighing, rng = self.weighing(), np.random.default_rng(3)
        shares = [rng.dirichlet(np.ones(k), size=len(weighing.weight)).T.astype(np.float32) for k in (2, 5, 3)]
        joints = [share * weighing.weight for share in shares]
        accesses = ["", "board_out", ""]
        for found, joint, access in zip(weighing.expect_each(joints, accesses), joints, accesses, strict=True):
            self.assertAlmostEqual(found, float(joint.sum(axis=1) @ weighing.expect(joint, access)), delta=1e-2)

    def test_the_leading_state_is_the_heaviest_set_of_faults(self) -> None:
        weighing = self.weighing()
        by_state: dict[tuple[int, ...], float] = {}
        of = weighing.advice.model.hypotheses.fault_of_row
        for rows, weight in zip(weighing.sets, weighing.weight, strict=True):
            if rows[0] != SOMETHING_ELSE_ROW:
                key = (-2,) if rows[0] == NOTHING_ROW else tuple(sorted(set(of[rows].tolist())))
                by_state[key] = by_state.get(key, 0.0) + float(weight)
        self.assertAlmostEqual(float(weighing.leading(weighing.weight)), max(by_state.values()), places=5)
        both = weighing.leading(np.stack([weighing.weight, 0.5 * weighing.weight]))
        self.assertAlmostEqual(float(both[1]), 0.5 * float(both[0]), places=6)

    def test_parts_and_what_mends_them(self) -> None:
        weighing = self.weighing()
        hypotheses = weighing.advice.model.hypotheses
        known: dict[str, float] = {}
        for rows, weight in zip(weighing.sets, weighing.weight, strict=True):
            for part in {hypotheses.faults[int(f)].part for f in hypotheses.fault_of_row[rows] if f >= 0}:
                known[part] = known.get(part, 0.0) + float(weight)
        for part, chance in weighing.chance_of_part.items():
            self.assertAlmostEqual(chance, known[part], places=5)
        options = weighing.options.options
        whole = next(k for k, o in enumerate(options) if o.part == "C17" and o.action == "replace")
        self.assertAlmostEqual(weighing.chance_to_mend(whole), known["C17"], places=5)


class RepairTableTest(unittest.TestCase):
    def test_each_option_mends_its_own_part_only(self) -> None:
        repairs, hypotheses = duo_advice().repairs, duo_advice().model.hypotheses
        for k, option in enumerate(repairs.options):
            mended = np.flatnonzero(repairs.mends[:, k])
            self.assertTrue(len(mended), option)
            self.assertEqual({hypotheses.faults[int(hypotheses.fault_of_row[r])].part for r in mended}, {option.part})

    def test_reflow_mends_joints_and_replacing_mends_all(self) -> None:
        repairs = duo_advice().repairs
        actions = {o.action: k for k, o in enumerate(repairs.options) if o.part == "J1"}
        joint, contact = row_of("J1:lifted_joint:A5"), row_of("J1:open_contact:A5")
        self.assertEqual(repairs.mends[joint, actions["reflow"]], 1.0)
        self.assertEqual(repairs.mends[contact, actions["reflow"]], 0.0)
        self.assertEqual(repairs.mends[contact, actions["replace"]], 1.0)

    def test_the_processor_is_beyond_the_bench(self) -> None:
        self.assertFalse([o for o in duo_advice().repairs.options if o.part == "U7"])

    def test_costs_count_access_price_and_risk(self) -> None:
        rates = ShopRates(labour_per_minute=1.0)
        options = build_repair_options(duo_board(), duo_advice().model.hypotheses, rates)
        closed = option_costs(duo_board(), options, rates, "closed")
        opened = option_costs(duo_board(), options, rates, "board_out")
        by_name = {(o.part, o.action): k for k, o in enumerate(options.options)}
        fuse = by_name["F1", "replace"]
        self.assertAlmostEqual(closed[fuse] - opened[fuse], 4.0)
        self.assertAlmostEqual(opened[fuse], 8.0 + rates.recheck_minutes + 0.6 + 0.01 * duo_board().unit_value)
        far_side = by_name["FL1", "replace"]
        self.assertAlmostEqual(closed[far_side] - opened[far_side], 16.0)

    def test_words(self) -> None:
        board = duo_board()
        self.assertEqual(part_words(board, "U1"), "PD controller")
        self.assertEqual(part_words(board, "trace CC2"), "copper")
        self.assertEqual(repair_title(board, "FL5", "replace"), "Replace FL5, filter")
        self.assertEqual(repair_title(board, "trace CC2", "wire"), "Bridge trace CC2 with wire")
        winding = fault_named(duo_advice().model.hypotheses.faults, "FL5:open_winding:3:4")
        self.assertEqual(fault_words(board, winding), "filter: line 2 (RX2−) open")


class FunctionTableTest(unittest.TestCase):
    def broken(self, fault: str, function: str) -> float:
        model = duo_advice().model
        column = [f.id for f in model.board.functions].index(function)
        return float(model.broken[row_of(fault), column])

    def test_what_breaks_what(self) -> None:
        for fault, function, low, high in (
                ("J1:open_contact:A5", "charge_a", 0.9, 1.0), ("J1:open_contact:A5", "charge_b", 0.0, 0.0),
                ("J1:open_contact:A4", "charge_a", 0.0, 0.1), ("F1:blown_fuse:1:2", "charge_common", 0.9, 1.0),
                ("U3:quiet_failure", "dock_a", 1.0, 1.0), ("U3:quiet_failure", "charge_a", 0.0, 0.0),
                ("C17:hard_short:1", "boot", 0.9, 1.0), ("C60:missing_part", "dock_b", 0.9, 1.0),
                ("C12:missing_part", "charge_a", 0.0, 0.1), ("R1:missing_part", "dock_a", 0.9, 1.0),
                ("R1:missing_part", "charge_a", 0.0, 0.0), ("D1:leaky_part:1", "charge_a", 0.0, 0.5)):
            with self.subTest(fault, function=function):
                self.assertTrue(low <= self.broken(fault, function) <= high, self.broken(fault, function))

    def test_needs_are_closed_over_functions(self) -> None:
        needs = dict(zip((f.id for f in duo_board().functions), closed_needs(duo_board()), strict=True))
        self.assertIn("F1", needs["charge_a"].parts)
        self.assertIn("CC1", needs["charge_a"].through)
        self.assertNotIn("CC2", needs["charge_a"].through)

    def test_every_fault_that_readings_can_miss_is_in_a_function(self) -> None:
        """A quiet failure that breaks nothing could never be suspected."""
        model = duo_advice().model
        for i, fault in enumerate(model.hypotheses.faults):
            if fault.kind is FaultKind.QUIET_FAILURE and fault.part not in ("J4", "J5"):
                row = int(np.flatnonzero(model.hypotheses.fault_of_row == i)[0])
                self.assertGreater(float(model.broken[row].max()), 0.9, fault.id)


class SharedDeviationTest(unittest.TestCase):
    def test_a_second_contact_is_expected_where_the_first_was(self) -> None:
        expected = expected_at(duo_advice().model, "J1.A9", RED)
        assert expected is not None
        nothing = SharedDeviation.unknown(len(expected.means))
        first = with_reading(expected, nothing, float(expected.means[0]) - 0.006)
        then = given_shared(expected, first)
        self.assertLess(float(then.means[0]), float(expected.means[0]) - 0.004)
        self.assertLess(float(then.spreads[0]), float(expected.spreads[0]) / 2)

    def test_an_outlier_teaches_nothing_about_the_copper(self) -> None:
        expected = expected_at(duo_advice().model, "J1.A9", RED)
        assert expected is not None
        nothing = SharedDeviation.unknown(len(expected.means))
        first = with_reading(expected, nothing, 0.1)
        self.assertEqual((float(first.total[0]), float(first.count[0])), (0.0, 0.0))
        then = given_shared(expected, first)
        self.assertEqual(float(then.means[0]), float(expected.means[0]))
        self.assertAlmostEqual(float(then.spreads[0]), float(expected.spreads[0]), delta=2e-4)

    def test_agreeing_touches(self) -> None:
        self.assertTrue(agree(math.inf, math.inf))
        self.assertTrue(agree(0.452, 0.455))
        self.assertFalse(agree(0.452, math.inf))
        self.assertFalse(agree(math.inf, 0.452))
        self.assertFalse(agree(0.452, 0.60))


class MemoryTest(unittest.TestCase):
    """What is remembered between two steps changes nothing."""

    def test_with_and_without_memory(self) -> None:
        model = duo_advice().model
        trail = trail_of(OPENED, *(Readings(RED, (PointReading(p, v),)) for p, v in (
            ("J1.A4", 0.50), ("J1.A9", 0.499), ("J1.B5", 0.002), ("J1.B4", 0.501))))
        first = gather_evidence(model, trail).log_likelihood
        again = gather_evidence(model, trail).log_likelihood
        model.memory.vectors.clear()
        fresh = gather_evidence(model, trail).log_likelihood
        np.testing.assert_array_equal(first, again)
        np.testing.assert_array_equal(first, fresh)

    def test_one_more_entry_reuses_the_rest(self) -> None:
        model = duo_advice().model
        trail = trail_of(OPENED, *(Readings(RED, (PointReading(f"J1.A{i}", 0.45),)) for i in (2, 3, 10)))
        assess(duo_advice(), trail)
        known = set(model.memory.vectors)
        assess(duo_advice(), (*trail, *trail_of(*(OPENED,) * 4, Readings(RED, (PointReading("J1.A11", 0.45),)))[4:]))
        new = [key[0] for key in set(model.memory.vectors) - known if isinstance(key, tuple)]
        self.assertEqual(new.count("reading"), 1)
        # What a short of the new line would do may be asked for the first time.
        self.assertLessEqual(len([kind for kind in new if kind != "rail shorts"]), 1)

    def test_memory_is_bounded(self) -> None:
        from dextrum.core.diagnosis.memory import MOST_VECTORS

        model = duo_advice().model
        for i in range(MOST_VECTORS + 5):
            model.remembered(("test", i), lambda: None)
        self.assertLessEqual(len(model.memory.vectors), MOST_VECTORS)
        model.memory.vectors.clear()

    def test_density_of_a_reading_integrates_to_about_one(self) -> None:
        grid = np.linspace(0.0, 2.0, 4001)
        rows = [reading_log_likelihood(duo_advice().model, "J1.A5", RED, float(v)) for v in grid]
        density = np.array([np.exp(row[0]) for row in rows if row is not None])
        self.assertAlmostEqual(float(np.trapezoid(density, grid)), 0.99, delta=0.012)
