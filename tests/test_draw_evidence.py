"""What a draw gives to diagnosis and advice: both orientations together, gear, cell, plug position, words."""

from __future__ import annotations

import unittest
from dataclasses import replace
from datetime import UTC, date, datetime, timedelta

import numpy as np

from dextrum.app.advising.assess import Assessment, assess
from dextrum.app.advising.reason_words import item_words
from dextrum.app.supply.draw_words import charge_words, computed_wait, draw_words, minutes_words
from dextrum.core.advice.recommend import build_advice_model
from dextrum.core.board import Method
from dextrum.core.diagnosis.draw_evidence import (
    draw_log_likelihood,
    flat_cell_chance,
    functional_chances,
    joint_functional_chances,
    plug_log_likelihood,
)
from dextrum.core.diagnosis.model import build_model
from dextrum.core.draw.profile import profile_of
from dextrum.core.draw.records import (
    STALE,
    bad_supply_chance,
    comes_and_goes,
    draw_records,
    seen_words,
    typed_spells,
)
from dextrum.core.draw.samples import pack_samples
from dextrum.core.trail import (
    Cell,
    DrawTrace,
    Gear,
    Intake,
    JobOpened,
    Look,
    Payload,
    PointReading,
    Readings,
    Rework,
    Strike,
    Supply,
)
from dextrum.instruments.simulated_board import SimulatedBoard
from dextrum.instruments.simulated_draw import SimulatedDraw
from tests.support import DUO, START, duo_advice, duo_board, fault_named, trail_of

OPENED = JobOpened("T-1", "Tarnwick Duo", DUO)
CLEAN = Look(("clean",))
NOW = START + timedelta(hours=2)


def assessed(*payloads: Payload) -> Assessment:
    return assess(duo_advice(), trail_of(OPENED, *payloads))


def trace(orientation: str, first: str, healthy: bool, seconds: float, seed: int = 1) -> DrawTrace:
    made = SimulatedDraw(duo_board(), first, healthy, np.random.default_rng(seed)).samples(seconds, 5.0)
    return DrawTrace(orientation, pack_samples(made), len(made), seconds)  # type: ignore[arg-type]


def said(*payloads: Payload) -> str:
    trail = trail_of(OPENED, CLEAN, *payloads)
    done = assess(duo_advice(), trail)
    words = draw_words(duo_board(), done.facts, done.draws, trail[-1].at)
    assert words is not None
    return " | ".join((words.sentence, words.silent, words.doubt, words.cell))


class RecordTest(unittest.TestCase):
    def test_typed_values_of_one_plug_in_are_one_record(self) -> None:
        (record,) = draw_records(trail_of(OPENED, Supply("a", 5.05, 0.06, 1), Supply("a", 5.05, 0.061, 4),
                                          Supply("a", 5.0, 0.36, 9)))
        self.assertEqual([(s.start, s.end) for s in record.spells], [(60, 240), (540, 540)])
        self.assertEqual(len(record.entry_ids), 3)

    def test_a_minute_that_runs_backwards_begins_another(self) -> None:
        (record,) = draw_records(trail_of(OPENED, Supply("a", 5.05, 0.06, 9), Supply("a", 9.0, 1.9, 1)))
        self.assertEqual([s.amps for s in record.spells], [1.9])

    def test_a_trace_takes_the_place_of_what_was_typed_before_it(self) -> None:
        one = draw_records(trail_of(OPENED, Supply("a", 5.1, 0.0), trace("a", "full", False, 60)))
        self.assertEqual([r.trace is not None for r in one], [True])
        two = draw_records(trail_of(OPENED, trace("a", "full", False, 60), Supply("a", 5.1, 0.0)))
        self.assertEqual([r.trace is not None for r in two], [False])

    def test_repairs_cells_and_supplies_divide_records(self) -> None:
        records = draw_records(trail_of(OPENED, Supply("a", 5.1, 0.0), Rework("replace", "F1"), Supply("a", 9.0, 1.9),
                                        Cell("known_good"), Supply("a", 9.0, 1.9),
                                        Supply("a", 15.0, 1.2, supply_class="dock")))
        self.assertEqual([(r.epoch, r.cell, r.supply_class) for r in records],
                         [(0, "plugged", ""), (1, "plugged", ""), (1, "known_good", ""), (1, "known_good", "dock")])

    def test_struck_out_values_do_not_count(self) -> None:
        trail = trail_of(OPENED, Supply("a", 5.1, 0.0), Supply("b", 5.1, 0.0), Strike("e1"))
        self.assertEqual([r.orientation for r in draw_records(trail)], ["b"])

    def test_a_damaged_trace_is_kept_and_says_nothing(self) -> None:
        bad = DrawTrace("a", "AAAA", 5, 10.0)
        (record,) = draw_records(trail_of(OPENED, bad))
        self.assertEqual((record.spells, seen_words(record, ())), ((), "can't be read"))
        done = assessed(CLEAN, bad, Supply("b", 9.0, 1.9))
        self.assertEqual({o: s.reading is None for o, s in done.draws.now.items()}, {"a": True, "b": False})
        alone = assessed(CLEAN, Supply("b", 9.0, 1.9))
        np.testing.assert_allclose(done.posterior.rows, alone.posterior.rows, atol=1e-12)

    def test_gear_is_trusted_by_when_it_proved_good(self) -> None:
        today = date(2026, 3, 12)
        fresh, old, never = (Gear("supply", "S", day) for day in ("2026-03-10", "2024-01-01", ""))
        chances = [bad_supply_chance((g,), today, True) for g in (fresh, old, never)]
        self.assertEqual(chances, sorted(chances))
        self.assertAlmostEqual(chances[1], STALE)
        both = bad_supply_chance((never, Gear("cable", "C")), today, True)
        self.assertGreater(both, chances[2])

    def test_typed_spells_keep_what_differs(self) -> None:
        spells = typed_spells((Supply("a", 5.0, 0.5, 3, "blinking"), Supply("a", 5.0, 0.5, 1)))
        self.assertEqual([s.pattern for s in spells], ["steady", "blinking"])


class LikelihoodTest(unittest.TestCase):
    def profile_chances(self) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        profile = profile_of(duo_board())
        assert profile is not None
        broken = duo_advice().model.broken
        a, b = (functional_chances(duo_board(), broken, profile, o) for o in "ab")
        return a, b, joint_functional_chances(duo_board(), broken, profile)

    def test_the_joint_chance_has_the_chances_of_each_orientation_as_its_margins(self) -> None:
        a, b, joint = self.profile_chances()
        np.testing.assert_allclose(joint.sum(axis=2), a, atol=1e-12)
        np.testing.assert_allclose(joint.sum(axis=1), b, atol=1e-12)
        np.testing.assert_allclose(joint.sum(axis=(1, 2)), 1.0, atol=1e-12)

    def test_what_both_share_is_broken_for_both_or_for_neither(self) -> None:
        """A half-broken charger by hand: the four statuses of two functions summed up."""
        profile = profile_of(duo_board())
        assert profile is not None
        column = {f.id: i for i, f in enumerate(duo_board().functions)}
        broken = np.zeros((1, len(column)))
        broken[0, column["charger"]], broken[0, column["cc_a"]] = 0.5, 0.4
        joint = joint_functional_chances(duo_board(), broken, profile)[0]
        cc, charger = profile.functions.index("cc_{o}"), profile.functions.index("charger")
        expected = {(cc, charger): 0.4 * 0.5, (charger, charger): 0.6 * 0.5, (cc, profile.healthy): 0.4 * 0.5,
                    (profile.healthy, profile.healthy): 0.6 * 0.5}
        for (one, two), chance in expected.items():
            self.assertAlmostEqual(float(joint[one, two]), chance)
        self.assertAlmostEqual(float(joint.sum()), 1.0)

    def row(self, *payloads: Payload) -> np.ndarray:
        records = {r.orientation: r for r in draw_records(trail_of(OPENED, *payloads))}
        found = draw_log_likelihood(duo_advice().model, records)
        assert found is not None
        return found

    def test_an_unproved_supply_that_is_bad_both_ways_is_one_bad_supply(self) -> None:
        proved = self.row(Supply("a", 5.1, 0.0), Supply("b", 5.1, 0.0))
        unproved = self.row(Supply("a", 5.1, 0.0, supply_proved=False), Supply("b", 5.1, 0.0, supply_proved=False))
        self.assertGreater(proved.max() - proved[0], unproved.max() - unproved[0])
        # One bad supply explains both at once: far less than the square of what it explains of one.
        self.assertLess(unproved.max() - unproved[0], 3.0)

    def test_a_named_class_still_works_and_says_less_than_numbers(self) -> None:
        named = self.row(Supply("a", 0, 0, named="none"), Supply("b", 0, 0, named="full"))
        typed = self.row(Supply("a", 5.1, 0.0), Supply("b", 9.0, 1.9))
        cc1 = duo_advice().model.hypotheses.faults
        index = next(i for i, f in enumerate(cc1) if f.id == "J1:open_contact:A5")
        member = duo_advice().model.hypotheses.fault_of_row == index
        for row in (named, typed):
            self.assertGreater(row[member].max() - row[0], 2.0)
        self.assertLess(named[member].max() - named[0], typed[member].max() - typed[0] + 1e-9)

    def test_a_strange_name_and_an_unknown_class_say_nothing(self) -> None:
        for supply in (Supply("a", 0, 0, named="dancing"),):
            records = {r.orientation: r for r in draw_records(trail_of(OPENED, supply))}
            self.assertIsNone(draw_log_likelihood(duo_advice().model, records))
        sparse = replace(duo_advice().model, board=replace(duo_board(), draw_states=(), draw_outcomes=()))
        records = {r.orientation: r for r in draw_records(trail_of(OPENED, Supply("a", 5.0, 0.0)))}
        self.assertIsNone(draw_log_likelihood(sparse, records))

    def test_what_the_draw_says_weighs_less_without_a_cell(self) -> None:
        with_cell, without = self.row(Supply("a", 5.1, 0.0)), self.row(Cell("unplugged"), Supply("a", 5.1, 0.0))
        self.assertGreater(np.ptp(with_cell), np.ptp(without) + 1.0)

    def test_a_draw_that_moves_with_the_plug_points_at_the_port(self) -> None:
        pushed = (Supply("a", 5.1, 0.0), Supply("a", 9.0, 1.9, position="pushed"))
        records = draw_records(trail_of(OPENED, *pushed))
        self.assertTrue(comes_and_goes(records))
        self.assertFalse(comes_and_goes(draw_records(trail_of(OPENED, Supply("a", 9.0, 1.9),
                                                              Supply("a", 9.0, 1.85, position="hanging")))))
        done = assessed(CLEAN, *pushed)
        single = build_model(replace(duo_board(), share_of_two=0.0, share_of_three=0.0), duo_advice().model.references)
        alone = assess(build_advice_model(single), trail_of(OPENED, CLEAN, *pushed))
        self.assertEqual(alone.suspects[0].fault.part, "J1")
        by_part: dict[str, float] = {}
        for fault, chance in zip(duo_advice().model.hypotheses.faults, done.posterior.faults, strict=True):
            by_part[fault.part] = by_part.get(fault.part, 0.0) + float(chance)
        self.assertEqual(max(by_part, key=lambda part: by_part[part]), "J1")
        model = duo_advice().model
        row = plug_log_likelihood(model, True)
        port = [k for k, f in enumerate(model.hypotheses.faults) if f.id == "J1:lifted_joint:B5"]
        self.assertGreater(row[model.hypotheses.fault_of_row == port[0]][0], row[0] + 2)
        self.assertIn("comes and goes with the plug", said(*pushed))

    def test_traces_and_typed_values_agree(self) -> None:
        for first, healthy in (("full", True), ("none", False), ("small_5v", False)):
            traced = assessed(CLEAN, trace("a", first, healthy, 240, 3), trace("b", first, healthy, 240, 4))
            states = [s.reading.profile.states[s.reading.state].id for s in traced.draws.now.values() if s.reading]
            self.assertEqual(states, [first, first])
        shorted = assessed(CLEAN, trace("a", "cycling", False, 90), trace("b", "cycling", False, 90))
        self.assertIn("short", shorted.suspects[0].fault.kind.value)

    def test_the_reasons_cite_the_plateau(self) -> None:
        done = assessed(CLEAN, trace("a", "small_5v", False, 1500))
        words = [item_words(duo_board(), r.items[0]) for reasons in done.reasons.values() for r in reasons]
        self.assertTrue(any("A at 5." in w and "for 25 min" in w for w in words), words)

    def test_does_not_start_is_no_fault_while_the_cell_is_flat(self) -> None:
        complaint = Intake("dead", ("no_start",))
        flat = assessed(complaint, CLEAN, Supply("a", 5.0, 0.06, 1), Supply("a", 5.0, 0.36, 9), Supply("b", 5.0, 0.36))
        charged = assessed(complaint, CLEAN, Supply("a", 9.0, 1.9), Supply("b", 9.0, 1.9))
        self.assertGreater(flat.advice.nothing_left, 2 * charged.advice.nothing_left)
        records = draw_records(trail_of(OPENED, Supply("a", 5.0, 0.36)))
        self.assertGreater(flat_cell_chance(duo_board(), records), 0.7)
        self.assertLess(flat_cell_chance(duo_board(), draw_records(trail_of(OPENED, Supply("a", 9.0, 1.9)))), 0.01)


def readings_as_good() -> tuple[Payload, ...]:
    """Every point of the board read as the known-good boards read it."""
    references, found = duo_advice().model.references, []
    for point in duo_board().points:
        reference = references.get(point.id, point.default_method)
        if reference is not None and point.default_method is Method.DIODE_RED_GROUND:
            found.append(PointReading(point.id, float(reference.centre)))
    return (Readings(Method.DIODE_RED_GROUND, tuple(found), "M1"),)


class AdviceTest(unittest.TestCase):
    SMALL = (CLEAN, Supply("b", 5.05, 0.06, 1), Supply("a", 5.05, 0.06, 2))

    def test_before_a_chip_is_blamed_the_doubt_is_settled(self) -> None:
        done = assessed(*self.SMALL)
        self.assertIn(done.advice.next.kind, ("wait_draw", "swap_cell"))
        kinds = {a.kind: a for a in done.advice.ranked}
        self.assertLessEqual({"wait_draw", "swap_cell"}, set(kinds))
        self.assertEqual([o.outcome for o in kinds["wait_draw"].outcomes], ["the draw grows", "still the same"])
        self.assertGreater(kinds["swap_cell"].minutes, 5.0)

    def test_nothing_is_swapped_twice_and_nothing_waited_for_once_it_is_clear(self) -> None:
        swapped = assessed(*self.SMALL, Cell("known_good"), Supply("a", 5.05, 0.06, 1))
        self.assertNotIn("swap_cell", {a.kind for a in swapped.advice.ranked})
        late = assessed(CLEAN, Supply("b", 5.05, 0.06, 60), Supply("a", 5.05, 0.06, 60))
        self.assertFalse({"swap_cell", "wait_draw"} & {a.kind for a in late.advice.ranked})

    def test_a_healthy_unit_is_left_to_charge_before_it_is_proved(self) -> None:
        done = assessed(Intake("dead since summer"), CLEAN, Supply("b", 5.05, 0.06, 1), Supply("b", 5.0, 0.36, 12),
                        Supply("a", 5.05, 0.06, 1), Supply("a", 5.0, 0.36, 3), *readings_as_good())
        assert done.draws.starts is not None
        self.assertEqual(done.advice.next.kind, "wait_charge")
        self.assertAlmostEqual(done.advice.next.minutes, done.draws.starts.middle)
        at = done.draws.seen[-1].record.at
        self.assertIsNone(computed_wait(done.draws, at + timedelta(days=1)), "its time has passed: it is read again")
        wait = computed_wait(done.draws, at)
        assert wait is not None
        self.assertEqual(wait.why, "Charging: does it start?")

    def test_the_wait_has_the_clock_time_at_which_it_separates(self) -> None:
        trail = trail_of(OPENED, *self.SMALL)
        done = assess(duo_advice(), trail)
        doubt, wait = done.draws.doubt, computed_wait(done.draws, trail[-1].at)
        assert doubt is not None and wait is not None
        exact = trail[-1].at + timedelta(seconds=doubt.doubt.more)
        self.assertLess(abs(datetime.fromisoformat(wait.until).replace(tzinfo=UTC) - exact), timedelta(minutes=1))

    def test_a_pack_without_access_levels_or_healthy_states_still_advises(self) -> None:
        from dextrum.core.advice.recommend import recommend

        done = assessed(*self.SMALL)
        model = duo_advice()
        bare = replace(model.model, board=replace(duo_board(), access_levels=()))
        advice = recommend(replace(model, model=bare), done.posterior, done.facts, done.draws.doubt)
        self.assertTrue(advice.ranked)
        unhealthy = tuple(o if o.broken else replace(o, states={"unknown": 1.0}) for o in duo_board().draw_outcomes)
        self.assertIsNone(profile_of(replace(duo_board(), draw_outcomes=unhealthy)))

    def test_dirt_holds_the_supply_until_a_look_without_it(self) -> None:
        held = assessed(Look(("dirt",)))
        self.assertIn("packed_port", {g.id for g in held.advice.gates})
        self.assertNotIn("packed_port", {g.id for g in assessed(Look(("dirt",)), CLEAN).advice.gates})


class BenchSupplyTest(unittest.TestCase):
    IDLE = Supply("a", 3.85, 0.045, supply_class="bench")

    def test_it_is_no_plug_in_at_the_port(self) -> None:
        done = assessed(CLEAN, self.IDLE)
        self.assertFalse(done.facts.drawn("a"))
        self.assertEqual((done.advice.next.kind, done.advice.next.target), ("supply", "a"))

    def test_it_does_not_hide_what_was_read_at_the_port_and_is_named(self) -> None:
        done = assessed(CLEAN, Supply("a", 9.0, 1.9), Supply("b", 9.0, 1.9), self.IDLE)
        self.assertEqual(set(done.draws.now), {"a", "b", "bench"})
        words = said(Supply("a", 9.0, 1.9), Supply("b", 5.1, 0.0), self.IDLE)
        self.assertIn("bench supply: back down after the inrush", words)
        self.assertIn("one CC contact or its joint (B5 CC2)", words)
        self.assertEqual(said(self.IDLE).split(".")[0], "Bench supply: back down after the inrush")
        seen = [i.seen for i in done.posterior.evidence.items if i.kind == "supply"]
        self.assertTrue(any(s.startswith("bench supply in place of the cell 0.0") for s in seen), seen)


class WordsTest(unittest.TestCase):
    def test_one_dead_side_is_a_contact(self) -> None:
        self.assertIn("one CC contact or its joint (B5 CC2)", said(Supply("a", 9.0, 1.9), Supply("b", 5.1, 0.0)))

    def test_a_cell_that_came_on_in_between_is_no_difference(self) -> None:
        self.assertIn("The cell recovered between the two measurements: measure the B side again",
                      said(Supply("b", 5.05, 0.06, 1), Supply("a", 9.0, 1.9, 1)))

    def test_it_says_what_it_does_not_say(self) -> None:
        self.assertIn("It does not say that docking", said(Supply("a", 9.0, 1.9), Supply("b", 9.0, 1.9)))
        self.assertIn("It does not say where the short sits", said(Supply("a", 3.4, 0.4, 1, "blinking")))
        self.assertIn("It does not say what is wrong", said(Supply("a", 15.0, 1.0)))
        self.assertIn("does not show which part of the path", said(Supply("a", 5.1, 0.0)))

    def test_doubt_is_told_with_chances_clock_and_cost(self) -> None:
        words = said(Supply("a", 5.05, 0.06, 1))
        for part in ("would draw the same", "If the draw has not risen by", "A known-good cell tells at once"):
            self.assertIn(part, words)

    def test_gear_that_never_proved_good_is_named(self) -> None:
        gear = (Gear("supply", "S9"), Gear("cable", "C1", "2026-03-11"))
        weak = said(Supply("a", 5.1, 0.0, supply_proved=False, gear=gear))
        self.assertIn("Supply S9 never proved good: weaker evidence.", weak)
        self.assertIn("never proved good", said(Supply("a", 5.1, 0.0, supply_proved=False)))
        stale = said(Supply("a", 5.1, 0.0, gear=(Gear("supply", "S9", "2025-03-11"),)))
        self.assertIn("last proved good on 11 Mar 2025", stale)

    def test_a_precharge_that_should_have_ended_is_said(self) -> None:
        words = said(Supply("a", 5.0, 0.36, 1), Supply("a", 5.0, 0.36, 90))
        self.assertIn("The pre-charge should have ended within", words)

    def test_minutes_in_words(self) -> None:
        self.assertEqual([minutes_words(m) for m in (0.4, 12.2, 99, 160, 120)],
                         ["under a minute", "12 min", "99 min", "2 h 40 min", "2 h"])
        self.assertEqual(charge_words(None), "")

    def test_nothing_drawn_has_no_words(self) -> None:
        done = assessed(CLEAN)
        self.assertIsNone(draw_words(duo_board(), done.facts, done.draws, NOW))


class SimulatedDrawTest(unittest.TestCase):
    def test_a_unit_draws_the_same_until_it_is_mended(self) -> None:
        fault = fault_named(duo_advice().model.hypotheses.faults, "F1:blown_fuse:1:2")
        unit = SimulatedBoard(duo_board(), [(fault, 1e9)], np.random.default_rng(4))
        self.assertIs(unit.draw("a"), unit.draw("a"))
        before = unit.draw("a").phases[0].state.id
        unit.mend("F1", "replace")
        self.assertNotEqual(before, unit.draw("a").phases[0].state.id)
        self.assertEqual(before, "none")

    def test_a_trace_keeps_to_its_phases(self) -> None:
        made = SimulatedDraw(duo_board(), "small_5v", True, np.random.default_rng(5))
        samples = made.samples(made.phases[1].begins + 120.0, 4.0)
        late = samples.seconds >= made.phases[1].begins
        self.assertGreater(samples.amps[late].mean(), 3 * samples.amps[~late].mean())



if __name__ == "__main__":
    unittest.main()
