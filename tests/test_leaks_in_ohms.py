"""Ohms to ground: a leak of kilohms that moves a junction by next to nothing is plain there, and what takes it away."""

from __future__ import annotations

import unittest

import numpy as np

from dextrum.app.advising.assess import Assessment, assess
from dextrum.app.bench.simulated_technician import SimulatedTechnician
from dextrum.core.advice.actions import Action
from dextrum.core.advice.before_repair import touched_once
from dextrum.core.advice.elimination import (
    beyond_what_is_off,
    isolating_actions,
    leaking_points,
    only_leaks,
    pulled_down,
    shorted_points,
)
from dextrum.core.advice.injecting import injection_actions
from dextrum.core.advice.line_first import line_first, read_before_lifting
from dextrum.core.advice.weighing import Weighing
from dextrum.core.board import ComponentKind, Fault, FaultKind, Method, NetRole
from dextrum.core.circuit.isolation import WHOLE_BOARD
from dextrum.core.diagnosis.expected import expected_at
from dextrum.core.diagnosis.hypotheses import NOTHING_ROW
from dextrum.core.diagnosis.likelihood import reading_log_likelihood
from dextrum.core.diagnosis.predictions import predict_resistance
from dextrum.core.faults.listing import enumerate_faults
from dextrum.core.job import job_facts
from dextrum.core.reference.table import to_scale
from dextrum.core.trail import Access, Cell, Intake, Isolation, JobOpened, Look, Payload, PointReading, Readings, Supply
from dextrum.instruments.simulated_board import METER_M1, SimulatedBoard
from tests.support import START, duo_advice, duo_board, fault_named, library, trail_of

OHMS, RED = Method.RESISTANCE, Method.DIODE_RED_GROUND
BEGUN: tuple[Payload, ...] = (
    JobOpened("T-1", "Tarnwick Duo", "tarnwick-duo-c"), Intake("x", ("no_dock",)), Look(("clean",)),
    Supply("a", 9.0, 1.9), Supply("b", 9.0, 1.9), Cell("unplugged"), Access("board_out"))
GOOD_OHMS = 22000.0
"""What the 3.3 V rail of the Duo reads to ground, by its pack."""


def unit_with(fault_id: str, ohms: float, seed: int = 3) -> SimulatedBoard:
    found: Fault = fault_named(duo_advice().model.hypotheses.faults, fault_id)
    return SimulatedBoard(duo_board(), [(found, ohms)], np.random.default_rng(seed))


def read(unit: SimulatedBoard, *points: str) -> Payload:
    method = duo_board().point_by_id[points[0]].default_method
    return Readings(method, tuple(PointReading(p, unit.read(p, method, METER_M1)) for p in points), "M1")


def weighed(*payloads: Payload) -> tuple[Assessment, Weighing]:
    done = assess(duo_advice(), trail_of(*BEGUN, *payloads), explain=False)
    return done, Weighing(duo_advice(), done.posterior, done.facts)


class PredictedTest(unittest.TestCase):
    def test_a_rail_reads_its_load_and_the_leak_side_by_side(self) -> None:
        model = duo_advice().model
        of = {f"{model.hypotheses.faults[int(f)].id}@{ohms:g}": row for row, (f, ohms) in enumerate(zip(
            model.hypotheses.fault_of_row, model.hypotheses.ohms, strict=True)) if f >= 0}
        values = model.resistance.values[:, model.resistance.column["C16.1-2"]]
        good = float(values[0])
        self.assertAlmostEqual(good / GOOD_OHMS, 1.0, delta=0.1)
        for leak in (1500.0, 6000.0):
            self.assertAlmostEqual(float(values[of[f"C48:leaky_part:1@{leak:g}"]]), good * leak / (good + leak),
                                   delta=0.02 * leak)

    def test_how_far_ohms_may_be_others_follows_the_size_only_where_the_size_decides(self) -> None:
        """A leak beside the rail: half of the way to what the next size reads. A line on ground behind 4.7 kilohms: as
        the pull-up, whatever its size."""
        model = duo_advice().model
        expected = expected_at(model, "C16.1-2", OHMS)
        assert expected is not None
        sizes = {(model.hypotheses.faults[int(f)].id, float(ohms)): row for row, (f, ohms) in enumerate(zip(
            model.hypotheses.fault_of_row, model.hypotheses.ohms, strict=True)) if f >= 0}
        small, large = (sizes["C48:leaky_part:1", ohms] for ohms in (1500.0, 6000.0))
        reads = [GOOD_OHMS * leak / (GOOD_OHMS + leak) for leak in (1500.0, 6000.0)]
        half = 0.5 * float(np.log10(reads[1] / reads[0]))
        for row in (small, large):
            self.assertAlmostEqual(float(expected.spreads[row]), half, delta=0.01)
        line = [sizes["U2:partial_short:SDA", ohms] for ohms in (25.0, 90.0, 320.0)]
        self.assertTrue(bool((expected.spreads[line] < 0.1).all()))
        self.assertLess(float(np.ptp(expected.means[line])), 0.05)

    def test_with_parts_off_one_point_is_solved_as_all_are(self) -> None:
        model = duo_advice().model
        for off in (frozenset({"R1"}), frozenset({"U7"}), frozenset({"C48"})):
            view = model.isolating(off)
            every = predict_resistance(model.board, model.circuit, model.hypotheses, view.edits,
                                       view._apart(OHMS)).at("C16.1-2")
            one = view.predicted_at("C16.1-2", OHMS)
            assert every is not None and one is not None
            np.testing.assert_allclose(one.values, every.values, rtol=1e-9)
            np.testing.assert_array_equal(one.touched, every.touched)

    def test_a_resistor_of_another_value_is_read_across_its_ends(self) -> None:
        """A few hundred times likelier by its ends, whatever lies between the sizes that are reckoned with."""
        def chance(*readings: Payload) -> float:
            done, _ = weighed(*readings)
            return sum(float(c) for f, c in zip(done.posterior.hypotheses.faults, done.posterior.faults, strict=True)
                       if f.id == "R12:wrong_part")

        before = chance()
        for ohms, times in ((2_500.0, 100.0), (47_000.0, 100.0), (10_000.0, 0.2)):
            unit = unit_with("R12:wrong_part", ohms)
            after = chance(read(unit, "R12.1-2"), read(unit, "R12.1-2"))
            self.assertEqual(after > times * before, times > 1.0, (ohms, after / before))

    def test_a_leak_on_a_lane_is_plain_in_ohms_and_hardly_there_in_volts(self) -> None:
        for fault, point in (("U3:leaky_part:TX1P", "FL1.2"), ("D4:leaky_part:3", "FL5.2"),
                             ("D1:leaky_part:3", "D1.3"), ("U3:leaky_part:ML0P", "C60.1")):
            unit, part = unit_with(fault, 3_000.0), fault.partition(":")[0]
            ohms = read(unit, f"{point}-GND")
            assert isinstance(ohms, Readings)
            self.assertAlmostEqual(ohms.readings[0].value, 3_000.0, delta=150.0)

            def chance(*readings: Payload, part: str = part) -> float:
                return sum(one for name, one in leaks_of(weighed(*readings)[0]) if name == part)

            volts = [] if point == "D1.3" else [read(unit, point), read(unit, point)]
            self.assertGreater(chance(*volts, ohms, ohms), 0.2, fault)
            self.assertLess(chance(*volts), 0.25 * chance(*volts, ohms, ohms), fault)

    def test_whatever_may_leak_in_a_shipped_pack_that_was_learned_is_read_to_ground(self) -> None:
        """But for what a coil or a filter joins with copper that is, and on the Duo the thermistor, the fan's line and
        the processor's ends of the lanes: the first two break nothing or next to nothing, the last nobody mends."""
        alone = {"tarnwick-duo-c": {"NTC", "FAN_PWM", *(f"ML{lane}{end}" for lane in range(4) for end in "PN")}}
        for name in ("tarnwick-duo-c", "bramlet-orb-a", "ondry-leaf-a"):
            board = library().board(name)
            grounds = {net.name for net in board.nets if net.role is NetRole.GROUND}
            read = {board.net_of(p.at) for p in board.points if p.to is not None and board.net_of(p.to) in grounds}
            for part in board.components:
                nets = {t.net for t in part.terminals}
                if part.kind in (ComponentKind.INDUCTOR, ComponentKind.FILTER) and nets & read:
                    read |= nets
            leaks = {board.net_of(f"{f.part}.{end}") for f in enumerate_faults(board)
                     if f.kind in (FaultKind.LEAKY_PART, FaultKind.PARTIAL_SHORT) for end in f.terminals}
            self.assertEqual(leaks - read - grounds, alone.get(name, set()), name)

    def test_a_number_where_a_good_board_reads_ol_is_a_slip_the_less_the_more_touches_agree(self) -> None:
        once, twice = (reading_log_likelihood(duo_advice().model, "FL5.2-GND", OHMS, 3_000.0, touches)
                       for touches in (1, 2))
        assert once is not None and twice is not None
        leak = next(row for row, of in enumerate(duo_advice().model.hypotheses.fault_of_row)
                    if row >= 2 and duo_advice().model.hypotheses.faults[of].id == "D4:leaky_part:3")
        # What the pack may have wrong stays, however often it is touched.
        self.assertGreater(twice[leak] - twice[NOTHING_ROW], once[leak] - once[NOTHING_ROW] + 1.0)
        self.assertLess(twice[leak] - twice[NOTHING_ROW], once[leak] - once[NOTHING_ROW] - np.log(0.01))

    def test_what_is_read_to_ground(self) -> None:
        board = duo_board()
        self.assertTrue(all(board.is_to_ground(point) for point in ("C16.1-2", "C16.1", "J1.A4")))
        self.assertFalse(any(board.is_to_ground(point) for point in ("C60.1-2", "FL4.1-3", "J1.A4-B4")))
        with self.assertRaises(KeyError):
            board.is_to_ground("X9.1")


def leaks_of(done: Assessment) -> list[tuple[str, float]]:
    """Parts that may leak, with the chance of each way."""
    faults = zip(done.posterior.hypotheses.faults, done.posterior.faults, strict=True)
    return [(fault.part, float(chance)) for fault, chance in faults if fault.kind == "leaky_part"]


class SearchTest(unittest.TestCase):
    def share_of_leaks(self, done: Assessment, part: str) -> float:
        """Of the chance that one of the capacitors of the 3.3 V rail leaks, what is this one's."""
        leaks = [one for one in leaks_of(done) if one[0] in ("C16", "C48", "C49")]
        return sum(chance for name, chance in leaks if name == part) / sum(chance for _, chance in leaks)

    def test_six_kilohms_are_plain_where_the_junction_reads_well(self) -> None:
        unit = unit_with("C48:leaky_part:1", 6000.0)
        lines = read(unit, "R1.1", "TP6", "TP7", "TP8")  # a line on ground behind its pull-up reads nearly the same
        before, _ = weighed(lines)
        after, weighing = weighed(lines, read(unit, "C16.1-2"), read(unit, "C16.1-2"))
        leaks = [sum(chance for _, chance in leaks_of(done)) for done in (before, after)]
        self.assertLess(leaks[0], 0.3)
        self.assertGreater(leaks[1], 0.8)
        self.assertEqual(leaking_points(weighing, WHOLE_BOARD)[0], "C16.1-2")
        self.assertEqual(pulled_down(weighing, WHOLE_BOARD)[0], "C16.1-2")
        taken_off = isolating_actions(weighing)[0]
        self.assertTrue(taken_off and all(action.points == ("C16.1-2",) for action in taken_off))

    def test_one_touch_with_a_part_off_clears_it_or_finds_it(self) -> None:
        unit = unit_with("C48:leaky_part:1", 3000.0)
        begun = read(unit, "TP6", "TP7", "TP8"), read(unit, "C16.1-2"), read(unit, "C16.1-2")
        unit.isolate(Isolation(("C49",)))
        cleared, _ = weighed(*begun, Isolation(("C49",)), read(unit, "C16.1-2"))
        self.assertLess(self.share_of_leaks(cleared, "C49"), 0.02)
        unit.isolate(Isolation(("C49",), "back"))
        unit.isolate(Isolation(("C48",)))
        found, _ = weighed(*begun, Isolation(("C48",)), read(unit, "C16.1-2"), read(unit, "C16.1-2"))
        self.assertGreater(self.share_of_leaks(found, "C48"), 0.95)

    def test_beyond_a_link_that_is_off_it_is_read_before_anything_is_taken_off_there(self) -> None:
        unit = unit_with("C31:leaky_part:1", 1500.0)
        begun = read(unit, "C16.1-2"), read(unit, "C16.1-2")
        unit.isolate(Isolation(("R1",)))
        whole = read(unit, "C16.1-2"), read(unit, "C16.1-2")
        done, weighing = weighed(*begun, Isolation(("R1",)), *whole)
        self.assertEqual(beyond_what_is_off(weighing), "C30.1-2")
        self.assertEqual((done.advice.next.kind, done.advice.next.points), ("measure", ("C30.1-2",)))
        _, then = weighed(*begun, Isolation(("R1",)), *whole, read(unit, "C30.1-2"))
        self.assertEqual(beyond_what_is_off(then), "")
        self.assertLessEqual({"C30", "C31", "C32"}, {action.target for action in isolating_actions(then)[0]})

    def test_a_rail_that_is_low_in_ohms_is_injected_as_one_that_is_low_in_volts(self) -> None:
        unit = unit_with("C48:partial_short:1", 60.0)
        settings = []
        for point in ("C16.1-2", "R1.1"):
            _, weighing = weighed(read(unit, point), read(unit, point))
            self.assertEqual(shorted_points(duo_advice(), weighing.facts), (point,))
            [action] = injection_actions(weighing)
            assert action.limits is not None
            settings.append((action.target, action.limits.volts))
        self.assertEqual(settings[0], settings[1])

    def test_a_line_is_read_itself_before_a_chip_is_changed_for_it_and_the_rail_it_lowers_may_be_fed(self) -> None:
        unit = unit_with("U2:partial_short:SDA", 30.0)
        begun = read(unit, "C16.1-2"), read(unit, "C16.1-2")
        _, weighing = weighed(*begun)
        first = line_first(weighing, "U1")
        assert first is not None
        self.assertEqual(set(first.points), {"TP6", "TP7"})
        self.assertIsNone(line_first(weighing, "C16"))
        _, then = weighed(*begun, read(unit, "TP6", "TP7"))
        self.assertIsNone(line_first(then, "U1"))
        self.assertIn("SDA", {action.target for action in injection_actions(then)})

    def test_before_a_part_comes_off_its_point_is_read_with_it_on(self) -> None:
        unit = unit_with("C48:leaky_part:1", 1500.0)
        lifting = Action("isolate", "C48", "", "", "", 4.0, 7.0, 100.0, ("C16.1-2",))
        _, weighing = weighed(read(unit, "R1.1"))
        first = read_before_lifting(weighing, lifting)
        assert first is not None
        self.assertEqual((first.kind, first.points), ("measure", ("C16.1-2",)))
        _, then = weighed(read(unit, "R1.1"), read(unit, "C16.1-2"))
        self.assertIsNone(read_before_lifting(then, lifting))
        _, off = weighed(read(unit, "C16.1-2"), Isolation(("C49",)))
        self.assertIsNotNone(read_before_lifting(off, lifting), "with something off it may read otherwise")

    def test_what_reads_few_ohms_is_a_short_and_no_leak(self) -> None:
        for ohms, net in ((1500.0, "V3V3"), (60.0, "")):
            kind = "leaky_part" if net else "partial_short"
            unit = unit_with(f"C48:{kind}:1", ohms)
            _, weighing = weighed(read(unit, "TP6", "TP7", "TP8"), read(unit, "C16.1-2"), read(unit, "C16.1-2"))
            self.assertEqual(only_leaks(weighing), net)

    def test_a_line_behind_its_pull_up_is_not_what_leaks(self) -> None:
        unit = unit_with("C48:leaky_part:1", 1500.0)
        _, weighing = weighed(read(unit, "R1.1", "TP6", "TP7"), read(unit, "C16.1-2", "TP6-GND"))
        likely = leaking_points(weighing, WHOLE_BOARD)
        self.assertEqual(likely[0], "C16.1-2")
        self.assertNotIn("TP6-GND", likely)

    def test_a_leak_in_a_chip_is_found_and_no_part_is_changed_for_it_in_vain(self) -> None:
        for part, ohms in (("C49:leaky_part:1", 1200.0), ("U4:leaky_part:SW", 1800.0)):
            technician = SimulatedTechnician(duo_advice(), unit_with(part, ohms), METER_M1, "test", START)
            technician.open("T-1", Intake("x", ("no_charge", "no_dock", "no_start", "no_rails", "fan_still")))
            technician.work(most_steps=120)
            facts = job_facts(technician.trail)
            self.assertEqual(facts.outcome.result if facts.outcome else "", "repaired")
            self.assertEqual([r.part for _, r in facts.reworks], [part.partition(":")[0]])


class AloneOnItsCopperTest(unittest.TestCase):
    def test_of_four_contacts_of_one_copper_the_one_that_reads_otherwise_is_touched_again(self) -> None:
        for value, again in ((0.066, {"J1.A4"}), (0.04, set())):
            values = {"J1.A4": value, "J1.A9": 0.038, "J1.B4": 0.037, "J1.B9": 0.037}
            _, weighing = weighed(Readings(RED, tuple(PointReading(p, v) for p, v in values.items()), "M1"))
            self.assertEqual(set(touched_once(weighing)), again, value)

    def test_ohms_are_compared_by_their_logarithm(self) -> None:
        self.assertAlmostEqual(to_scale(1000.0, OHMS) - to_scale(100.0, OHMS), 1.0, delta=0.002)


if __name__ == "__main__":
    unittest.main()
