"""Traces: packing, plateaus, rhythm, spells, states, doubt, cell and live samples, with known answers."""

from __future__ import annotations

import math
import unittest
import zlib
from base64 import b64encode
from dataclasses import replace
from itertools import pairwise

import numpy as np

from dextrum.core.draw.cell import forecast_charge, open_volts
from dextrum.core.draw.changes import estimate_noise, find_plateaus, penalty
from dextrum.core.draw.doubt import IN_DOUBT, LEAST_WAIT, find_doubt
from dextrum.core.draw.dwell import stay_chance
from dextrum.core.draw.live import LiveTrace
from dextrum.core.draw.profile import DrawProfile, profile_of
from dextrum.core.draw.reading import DrawReading, even_prior, read_draw
from dextrum.core.draw.regimes import best_states, fewer_spells, log_emissions, regime_log_likelihood, spell_pattern
from dextrum.core.draw.rhythm import FALSE_ALARM, find_beat, irregular_chance, two_levels
from dextrum.core.draw.samples import Samples, pack_samples, tidy, unpack_samples
from dextrum.core.draw.spells import Spell, spells_of, typed_spell
from tests.support import duo_board


def steps(generator: np.random.Generator, *levels: tuple[int, float, float], noise: float = 0.004) -> Samples:
    """A trace at 10 Hz of (samples, volts, amps) pieces."""
    volts = np.concatenate([np.full(n, v) for n, v, _ in levels])
    amps = np.concatenate([np.full(n, a) for n, _, a in levels])
    at = np.arange(len(volts)) / 10.0
    return Samples(at, volts + generator.normal(0, noise, len(at)), amps + generator.normal(0, noise, len(at)))


def profile() -> DrawProfile:
    found = profile_of(duo_board())
    assert found is not None
    return found


def lasting(minutes: float, volts: float, amps: float, start: float = 0.0) -> Spell:
    return Spell(start * 60, (start + minutes) * 60, volts, amps, amps, amps, samples=int(minutes * 600))


def read(*spells: Spell) -> DrawReading:
    return read_draw(profile(), spells, cell=duo_board().cell)


class SamplesTest(unittest.TestCase):
    def test_packed_samples_come_back_to_a_hundredth_of_a_milliampere(self) -> None:
        generator = np.random.default_rng(1)
        made = steps(generator, (500, 5.0, 0.06), (700, 9.0, 1.9))
        back = unpack_samples(pack_samples(made), len(made))
        np.testing.assert_allclose(back.seconds, made.seconds, atol=5e-4)
        np.testing.assert_allclose(back.volts, made.volts, atol=1e-4)
        np.testing.assert_allclose(back.amps, made.amps, atol=1e-5)
        self.assertEqual(pack_samples(back), pack_samples(made))

    def test_damaged_text_is_refused_and_never_blown_up(self) -> None:
        good = pack_samples(Samples(np.array([0.0, 0.1]), np.array([5.0, 5.0]), np.array([0.1, 0.1])))
        bomb = b64encode(zlib.compress(b"\0" * 50_000_000)).decode()
        backwards = pack_samples(Samples(np.array([0.2, 0.1]), np.array([5.0, 5.0]), np.array([0.1, 0.1])))
        for text, count in ((good, 3), (good[:-4], 2), ("%%%", 2), (bomb, 2), (backwards, 2), ("\u00e4", 1),
                            (good, -1)):
            with self.assertRaises(ValueError):
                unpack_samples(text, count)

    def test_what_is_too_much_is_not_packed(self) -> None:
        with self.assertRaises(ValueError):
            pack_samples(Samples(np.array([0.0, 1e7]), np.array([5.0, 5.0]), np.array([0.1, 0.1])))

    def test_tidying_sorts_averages_doubles_and_counts_gaps(self) -> None:
        done = tidy(np.array([10.0, 11.0, 13.0, 12.0, 13.0, 17.0]), np.array([5.0, 5, 5, 5, 7, 5]),
                    np.array([0.1, 0.2, 0.4, 0.3, 0.6, 0.8]))
        np.testing.assert_allclose(done.samples.seconds, [0, 1, 2, 3, 7])
        np.testing.assert_allclose(done.samples.amps, [0.1, 0.2, 0.3, 0.5, 0.8])
        np.testing.assert_allclose(done.samples.volts[3], 6.0)
        self.assertEqual((done.doubled, done.out_of_order, done.missing), (1, 1, 3))

    def test_nonsense_is_refused(self) -> None:
        for bad in (np.array([0.0, math.nan]), np.array([0.0]), np.array([0.0, math.inf])):
            with self.assertRaises(ValueError):
                tidy(np.array([0.0, 1.0]), np.array([5.0, 5.0]), bad)
        self.assertEqual(len(tidy(np.zeros(0), np.zeros(0), np.zeros(0)).samples), 0)


class PlateauTest(unittest.TestCase):
    def test_edges_are_where_the_steps_are(self) -> None:
        made = steps(np.random.default_rng(2), (301, 5.0, 0.06), (402, 5.0, 0.36), (777, 9.0, 1.9))
        self.assertEqual(find_plateaus(made).edges.tolist(), [0, 301, 703, 1480])

    def test_a_step_in_volts_alone_is_a_step(self) -> None:
        made = steps(np.random.default_rng(3), (300, 5.0, 0.06), (300, 5.1, 0.06))
        self.assertEqual(find_plateaus(made).edges.tolist(), [0, 300, 600])

    def test_noise_alone_is_one_plateau(self) -> None:
        alarms = sum(len(find_plateaus(steps(np.random.default_rng(seed), (3000, 5.0, 0.1)))) > 1
                     for seed in range(200))
        self.assertLessEqual(alarms, 1)

    def test_the_partition_costs_hardly_more_than_the_cheapest_of_all(self) -> None:
        """Against every partition of a short trace, tried one by one: at most a tenth of one change's price more, for
        the places that the screen has ruled out."""
        generator = np.random.default_rng(4)
        for _ in range(10):
            first, second = generator.integers(4, 8, 2).tolist()
            made = steps(generator, (first, 5.0, 0.1), (second, 5.0, 0.13))
            noise = estimate_noise(made)
            scaled = np.column_stack([made.volts / noise.volts, made.amps / noise.amps])

            def misfit(low: int, high: int, scaled: np.ndarray = scaled) -> float:
                at = np.arange(high - low)
                if high - low < 3:
                    return 0.0
                return float(sum(np.sum((y - np.polyval(np.polyfit(at, y, 1), at)) ** 2) for y in scaled[low:high].T))

            count, price = len(made), penalty(len(made))
            best = [0.0] + [math.inf] * count
            for high in range(1, count + 1):
                for low in range(high):
                    best[high] = min(best[high], best[low] + misfit(low, high) + price)
            edges = find_plateaus(made).edges
            found = sum(misfit(int(a), int(b)) + price for a, b in pairwise(edges))
            self.assertLess(found, best[count] + 0.1 * price)

    def test_slow_drift_is_not_cut_to_pieces(self) -> None:
        at = np.arange(3000) / 10.0
        generator = np.random.default_rng(5)
        made = Samples(at, np.full(3000, 5.0) + generator.normal(0, 0.004, 3000),
                       0.5 + 1e-4 * at + generator.normal(0, 0.004, 3000))
        self.assertEqual(len(find_plateaus(made)), 1)

    def test_a_rounding_meter_shows_its_last_digit(self) -> None:
        made = steps(np.random.default_rng(6), (900, 5.0, 0.062), noise=0.006)
        rounded = Samples(made.seconds, np.round(made.volts, 2), np.round(made.amps, 2))
        self.assertAlmostEqual(estimate_noise(rounded).step_amps, 0.01, places=6)
        self.assertEqual(len(find_plateaus(rounded)), 1)

    def test_one_sample_and_none(self) -> None:
        self.assertEqual(len(find_plateaus(Samples(np.array([0.0]), np.array([5.0]), np.array([0.1])))), 1)
        with self.assertRaises(ValueError):
            find_plateaus(Samples(np.zeros(0), np.zeros(0), np.zeros(0)))


class RhythmTest(unittest.TestCase):
    def test_a_steady_beat_is_found_with_its_period_and_duty(self) -> None:
        rises = np.arange(20) * 1.25
        beat = find_beat(rises, rises + 0.5, 0.02)
        assert beat is not None
        self.assertAlmostEqual(beat.rhythm.period_seconds, 1.25)
        self.assertAlmostEqual(beat.rhythm.duty, 0.4)
        self.assertEqual(beat.rhythm.regularity, 1.0)

    def test_comings_and_goings_at_random_are_told_as_a_rhythm_less_often_than_stated(self) -> None:
        generator = np.random.default_rng(7)
        alarms = 0
        for _ in range(4000):
            rises = np.cumsum(generator.exponential(1.0, int(generator.integers(5, 30))))
            alarms += find_beat(rises, rises + 0.01, 0.001) is not None
        self.assertLessEqual(alarms / 4000, FALSE_ALARM * 2)

    def test_the_bound_is_one_for_nothing_and_falls_with_every_regular_cycle(self) -> None:
        chances = [irregular_chance(k, 8, 0.25) for k in range(9)]
        self.assertEqual(chances[0], 1.0)
        self.assertEqual(chances, sorted(chances, reverse=True))

    def test_two_levels_of_values_that_go_back_and_forth(self) -> None:
        low, high = two_levels(np.array([0.1, 0.9, 0.12, 1.1]), np.ones(4))
        self.assertAlmostEqual(low, 0.11)
        self.assertAlmostEqual(high, 1.0)


class SpellTest(unittest.TestCase):
    def blinking(self, period: float, seconds: float = 120.0, rate: float = 20.0, before: float = 0.0) -> Samples:
        at = np.arange(0.0, before + seconds, 1.0 / rate)
        on = ((at - before) % period < 0.4 * period) & (at >= before)
        generator = np.random.default_rng(8)
        return Samples(at, np.where(on, 4.6, 0.1) + generator.normal(0, 0.005, len(at)),
                       np.where(on, 0.5, 0.0) + generator.normal(0, 0.004, len(at)))

    def test_a_rhythm_is_one_spell(self) -> None:
        (spell,) = spells_of(self.blinking(1.5))
        assert spell.rhythm is not None
        self.assertEqual(spell.pattern, "blinking")
        self.assertAlmostEqual(spell.rhythm.period_seconds, 1.5, delta=0.02)
        self.assertAlmostEqual(spell.rhythm.duty, 0.4, delta=0.05)
        self.assertAlmostEqual(spell.amps, 0.5, delta=0.01)

    def test_what_came_before_the_rhythm_is_a_spell_of_its_own(self) -> None:
        first, second = spells_of(self.blinking(2.0, before=90.0))
        self.assertEqual((first.pattern, second.pattern), ("steady", "blinking"))
        self.assertAlmostEqual(second.start, 90.0, delta=1.0)

    def test_random_comings_and_goings_are_irregular(self) -> None:
        generator = np.random.default_rng(9)
        at = np.arange(0.0, 600.0, 0.1)
        on = np.cumsum(generator.random(len(at)) < 0.01) % 2
        found = spells_of(Samples(at, np.full(len(at), 5.0), 0.05 + 0.8 * on))
        longest = max(found, key=lambda spell: spell.seconds)
        self.assertEqual((longest.pattern, longest.rhythm), ("irregular", None))
        self.assertEqual([spell.rhythm for spell in found], [None] * len(found))

    def test_a_lone_spike_is_no_spell(self) -> None:
        made = steps(np.random.default_rng(10), (600, 5.0, 0.06))
        made.amps[300] = 0.9
        self.assertEqual(len(spells_of(made)), 1)

    def test_falling_and_rising_are_told_apart_from_level(self) -> None:
        for first, last, said in ((1.0, 0.5, "falling"), (0.5, 1.0, "rising"), (1.0, 0.97, "steady")):
            self.assertEqual(spell_pattern(Spell(0, 600, 9.0, 0.8, first, last)), said)
        self.assertEqual(spell_pattern(Spell(0, 3, 9.0, 0.8, 1.0, 0.5)), "steady")


class StateTest(unittest.TestCase):
    def words(self, *spells: Spell) -> list[str]:
        found = read(*spells)
        return [found.profile.states[s].id if s < found.profile.unknown else "unknown" for s in found.states]

    def test_a_flat_cell_comes_back_and_charges(self) -> None:
        self.assertEqual(self.words(lasting(4, 5.05, 0.06), lasting(20, 5.0, 0.36, 4), lasting(30, 9.0, 1.9, 24)),
                         ["small_5v", "precharge", "full"])
        self.assertEqual(read(lasting(4, 5.05, 0.06), lasting(20, 5.0, 0.36, 4), lasting(30, 9.0, 1.9, 24)).verdict,
                         "healthy")

    def test_a_pattern_of_no_profile_keeps_no_name(self) -> None:
        for volts, amps in ((15.0, 1.0), (5.0, 1.3), (9.0, 3.4)):
            found = read(lasting(10, volts, amps))
            self.assertEqual((found.state, found.verdict), (found.profile.unknown, "unknown"))

    def test_time_turns_a_small_draw_into_evidence(self) -> None:
        healthy = [read(lasting(minutes, 5.05, 0.06)).healthy for minutes in (1, 5, 15, 40)]
        self.assertEqual(healthy, sorted(healthy, reverse=True))
        self.assertGreater(healthy[0], IN_DOUBT)
        self.assertLess(healthy[-1], 0.01)

    def test_a_known_good_cell_settles_it_at_once(self) -> None:
        known = profile_of(duo_board(), cell_known_good=True)
        assert known is not None
        self.assertLess(read_draw(known, (lasting(1, 5.05, 0.06),)).healthy, 0.02)
        self.assertGreater(read_draw(known, (lasting(1, 9.0, 1.9),)).healthy, 0.99)

    def test_many_samples_of_one_plateau_weigh_as_one_look(self) -> None:
        short, long = lasting(0.9, 5.0, 0.0), lasting(1.0, 5.0, 0.0)
        one, _ = regime_log_likelihood(profile(), (short,))
        two, _ = regime_log_likelihood(profile(), (replace(long, samples=60_000),))
        np.testing.assert_allclose(one - one.max(), two - two.max(), atol=0.2)

    def test_the_forward_sum_is_that_over_all_paths(self) -> None:
        """Three spells: every assignment of states summed up by hand."""
        spells = (lasting(4, 5.05, 0.06), lasting(9, 5.0, 0.36, 4), lasting(20, 9.0, 1.9, 13))
        own = profile()
        regime = next(r for r in own.regimes if r.condition == own.index_of("small_5v"))
        emissions = log_emissions(own.states, spells)
        moves = regime.moves.copy()
        np.fill_diagonal(moves, 0.0)
        moves = moves / moves.sum(axis=1, keepdims=True)

        def length(state: int, first: int, last: int) -> float:
            least = spells[last].end - spells[first].start
            lower, upper = max(least * 0.97 - 3, 0.0), least * 1.03 + 3
            dwell, spread = regime.dwell_seconds[state], regime.dwell_spread[state]
            stay = float(stay_chance(lower, dwell, spread))
            return max(stay if last == 2 else stay - float(stay_chance(upper, dwell, spread)), 1e-12)

        total, best = 0.0, 0.0
        path: tuple[int, ...] = ()
        count = len(own.states) + 1
        for a in range(count):
            for b in range(count):
                for c in range(count):
                    states = (a, b, c)
                    chance = regime.initial[a] * math.exp(sum(emissions[j, s] for j, s in enumerate(states)))
                    first = 0
                    for j in range(3):
                        if j == 2 or states[j + 1] != states[j]:
                            chance *= length(states[j], first, j)
                            if j < 2:
                                chance *= moves[states[j], states[j + 1]]
                            first = j + 1
                    total += chance
                    if chance > best:
                        best, path = chance, states
        value, _ = regime_log_likelihood(own, spells, regimes=[regime])
        self.assertAlmostEqual(float(value[0]), math.log(total), places=6)
        self.assertEqual(tuple(best_states(own, regime, spells)), path)

    def test_hundreds_of_spells_are_grouped_not_dropped(self) -> None:
        spells = tuple(lasting(0.5, 5.0, 0.05 + 0.3 * (k % 2), 0.5 * k) for k in range(400))
        first, summed = fewer_spells(spells, log_emissions(profile().states, spells))
        self.assertLessEqual(len(first), 120)
        np.testing.assert_allclose(summed.sum(axis=0), log_emissions(profile().states, spells).sum(axis=0))
        self.assertEqual(len(read(*spells).states), 400)

    def test_switched_on_draws_more_and_is_not_unknown(self) -> None:
        spells = (lasting(10, 9.05, 0.56),)
        self.assertEqual(read_draw(profile(), spells, switched_on=True).state, profile().index_of("topped"))

    def test_a_class_that_the_pack_does_not_know_has_no_profile(self) -> None:
        self.assertIsNone(profile_of(replace(duo_board(), draw_states=()), "dock"))
        with self.assertRaises(ValueError):
            read_draw(profile(), ())

    def test_a_bench_supply_that_hangs_up_there(self) -> None:
        bench = profile_of(duo_board(), "bench")
        assert bench is not None
        hangs = read_draw(bench, (lasting(2, 3.75, 0.86),))
        falls_back = read_draw(bench, (lasting(0.04, 3.8, 0.9), lasting(2, 3.85, 0.045, 0.04)))
        self.assertEqual(bench.states[hangs.state].id, "hang")
        self.assertLess(hangs.healthy, 0.05)
        self.assertGreater(falls_back.healthy, 0.5)


class DoubtTest(unittest.TestCase):
    def test_the_clock_is_when_the_healthy_explanation_falls_below_one_in_twenty(self) -> None:
        doubt = read(lasting(2, 5.05, 0.06)).doubt
        assert doubt is not None
        self.assertAlmostEqual(doubt.healthy + doubt.faulty, 1.0)
        later = read(lasting(doubt.clear_after / 60, 5.05, 0.06))
        self.assertAlmostEqual(later.healthy, IN_DOUBT, delta=0.02)
        self.assertIsNone(read(lasting(doubt.clear_after / 60 + 2, 5.05, 0.06)).doubt)

    def test_nothing_to_wait_for_where_it_is_settled_or_endless(self) -> None:
        self.assertIsNone(read(lasting(2, 5.1, 0.0)).doubt)
        self.assertIsNone(read(lasting(2, 9.0, 1.9)).doubt)
        even = even_prior(profile())
        self.assertIsNone(find_doubt(profile(), even, profile().unknown, 60.0))
        self.assertIsNone(find_doubt(profile(), even, profile().index_of("none"), 60.0))

    def test_the_surer_the_fault_the_shorter_the_wait(self) -> None:
        small = profile().index_of("small_5v")
        waits = []
        for healthy in (0.6, 0.3, 0.1):
            chances = np.zeros(len(profile().functions))
            chances[-1], chances[-2] = healthy, 1 - healthy
            doubt = find_doubt(profile(), chances, small, 60.0)
            assert doubt is not None
            waits.append(doubt.more)
            nearly = find_doubt(profile(), chances, small, 60.0 + doubt.more - 1.0)
            self.assertTrue(nearly is None or nearly.more >= LEAST_WAIT)
        self.assertEqual(waits, sorted(waits, reverse=True))

    def test_staying_midway_is_shorter_and_both_begin_at_one(self) -> None:
        for midway in (False, True):
            self.assertAlmostEqual(float(stay_chance(1e-6, 600.0, 0.5, midway)), 1.0, places=5)
        self.assertLess(float(stay_chance(400.0, 600.0, 0.5, True)), float(stay_chance(400.0, 600.0, 0.5)))
        generator = np.random.default_rng(11)
        left = generator.random(200_000) * 600 * np.exp(0.5 * generator.normal(size=200_000))
        self.assertAlmostEqual(float(stay_chance(400.0, 600.0, 0.5, True)), float(np.mean(left > 400)), delta=0.005)


class CellTest(unittest.TestCase):
    def test_charge_is_counted_from_the_trace(self) -> None:
        charge = read(lasting(30, 9.0, 1.9)).charge
        assert charge is not None and duo_board().cell is not None
        # 17.1 W, an efficiency of 0.87, 0.3 W of its own, about 3.9 V with the cell's resistance: half an hour of it.
        by_hand = (17.1 * 0.87 - 0.3) / 4.0 * 0.5 * 1000
        self.assertAlmostEqual(charge.charge_in_mah.middle, by_hand, delta=0.08 * by_hand)
        self.assertLess(charge.charge_in_mah.low, charge.charge_in_mah.middle)

    def test_it_tightens_as_the_trace_goes_on(self) -> None:
        widths = []
        for minutes in (1, 8, 16):
            charge = read(lasting(minutes, 5.0, 0.36)).charge
            assert charge is not None and charge.to_boot is not None
            widths.append(charge.to_boot.high - charge.to_boot.low)
        self.assertEqual(widths, sorted(widths, reverse=True))

    def test_a_precharge_that_should_have_ended_is_flagged(self) -> None:
        soon, late = read(lasting(10, 5.0, 0.36)).charge, read(lasting(95, 5.0, 0.36)).charge
        assert soon is not None and late is not None and late.should_have_ended_after is not None
        self.assertFalse(soon.overdue)
        self.assertTrue(late.overdue)
        self.assertLess(late.should_have_ended_after, 60.0)
        self.assertLess(read(lasting(95, 5.0, 0.36)).healthy, 0.2)

    def test_phases_follow_each_other(self) -> None:
        flat, part = read(lasting(5, 5.0, 0.36)).charge, read(lasting(5, 9.0, 1.9)).charge
        near, full = read(lasting(5, 9.05, 0.6)).charge, read(lasting(5, 9.05, 0.06)).charge
        assert flat and part and near and full
        self.assertEqual([c.phase for c in (flat, part, near, full)],
                         ["flat", "part_charged", "near_full", "full"])
        assert flat.to_boot and flat.to_floor and flat.to_full and part.to_full and near.to_full
        self.assertLess(flat.to_boot.middle, flat.to_floor.middle)
        self.assertLess(flat.to_floor.middle, flat.to_full.middle)
        self.assertIsNone(part.to_boot)
        self.assertIsNone(full.to_full)

    def test_volts_at_rest_rise_with_charge_from_empty_to_full(self) -> None:
        cell = duo_board().cell
        assert cell is not None
        volts = open_volts(cell, np.linspace(0, 1, 50))
        self.assertTrue((np.diff(volts) > 0).all())
        self.assertEqual((volts[0], volts[-1]), (cell.empty_volts, cell.full_volts))

    def test_no_charging_state_no_forecast(self) -> None:
        self.assertIsNone(read(lasting(5, 5.1, 0.0)).charge)
        cell = duo_board().cell
        assert cell is not None
        self.assertIsNone(forecast_charge(cell, profile(), (typed_spell(1, 5.1, 0.0),), [0], 0.5))


class LiveTest(unittest.TestCase):
    def test_a_step_is_seen_within_a_few_samples(self) -> None:
        made = steps(np.random.default_rng(12), (400, 5.05, 0.06), (400, 5.0, 0.36))
        live = LiveTrace(profile())
        changes = [k for k in range(len(made)) if live.add(made.seconds[k], made.volts[k], made.amps[k]).changed]
        self.assertEqual(len(changes), 1)
        self.assertLessEqual(abs(live.edges[-1] - 400), 2)
        self.assertLess(changes[0] - 400, 4)

    def test_what_it_ends_with_is_what_the_whole_trace_says(self) -> None:
        made = steps(np.random.default_rng(13), (6000, 5.05, 0.06), (3000, 5.0, 0.36), (4000, 9.0, 1.9))
        live = LiveTrace(profile())
        for k in range(len(made)):
            now = live.add(made.seconds[k], made.volts[k], made.amps[k])
        self.assertEqual(now.state, profile().index_of("full"))
        for one, two in zip(live.spells(), spells_of(live.samples()), strict=True):
            self.assertAlmostEqual(one.start, two.start, delta=0.3)
            self.assertAlmostEqual(one.amps, two.amps, delta=0.005)

    def test_many_at_once_are_the_same_trace_as_one_by_one(self) -> None:
        generator = np.random.default_rng(6)
        seconds = np.arange(6000) / 1000.0
        amps = np.where(seconds < 3.0, 0.4, 1.9) + generator.normal(0.0, 0.004, 6000)
        volts = np.full(6000, 9.0) + generator.normal(0.0, 0.01, 6000)
        single, many = LiveTrace(profile()), LiveTrace(profile())
        for k in range(6000):
            last = single.add(float(seconds[k]), float(volts[k]), float(amps[k]))
        for k in range(0, 6000, 40):
            now = many.add_many(seconds[k:k + 40], volts[k:k + 40], amps[k:k + 40])
        np.testing.assert_array_equal(single.samples().amps, many.samples().amps)
        self.assertEqual((now.state, round(now.plateau_amps, 2)), (last.state, round(last.plateau_amps, 2)))
        self.assertAlmostEqual(now.began, 3.0, delta=0.05)
        for wrong in (seconds[5999:], seconds[[0, 1]], np.array([7.0, 7.0])):
            with self.assertRaises(ValueError):
                many.add_many(wrong, wrong, wrong)
        self.assertEqual(many.count, 6000)

    def test_a_clock_that_stands_still_is_refused_and_nothing_lost(self) -> None:
        live = LiveTrace()
        live.add(0.0, 5.0, 0.1)
        with self.assertRaises(ValueError):
            live.add(0.0, 5.0, 0.1)
        self.assertEqual(live.count, 1)
        self.assertEqual(live.add(0.1, 5.0, 0.1).state, -1)


if __name__ == "__main__":
    unittest.main()
