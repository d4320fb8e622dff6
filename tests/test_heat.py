"""The heat of a board: against closed forms, energy kept, half the step, and what shields and circles do."""

from __future__ import annotations

import unittest

import numpy as np
from scipy.special import erfc, exp1, k0

from dextrum.core.rework.heat import (
    Board2D,
    FromBelow,
    Grid,
    HotAir,
    Plate,
    Shield,
    grid_over,
    jet_celsius,
    jet_over,
    martin_exchange,
)
from dextrum.core.rework.heat_numbers import AIR_FULL, AIR_LOW, EVERY_NUMBER, ROOM

SQUARE = ((0.0, 0.0), (120.0, 0.0), (120.0, 120.0), (0.0, 120.0))
BARE = Plate(loss=0.0)
DIFFUSIVITY = BARE.conductivity / BARE.capacity


def sheet(plate: Plate, step_mm: float = 1.0) -> tuple[Board2D, np.ndarray]:
    """A square large enough to be endless for a while, and the distance of its cells from the middle, metres."""
    board = Board2D(grid_over(SQUARE, step_mm), plate)
    x, y = board.grid.middles()
    return board, np.hypot(x - 60.0, y - 60.0) / 1000.0


class ClosedFormTest(unittest.TestCase):
    """H. S. Carslaw, J. C. Jaeger, Conduction of Heat in Solids, 2nd ed."""

    def test_a_point_that_was_heated_at_once_spreads_as_a_bell(self) -> None:
        for loss in (0.0, 24.0):
            plate = Plate(loss=loss)
            board, away = sheet(plate)
            joules, begun, later = 40.0, 8.0, 14.0
            sheet_capacity = plate.capacity * plate.thickness

            def bell(t: float, away: np.ndarray = away, capacity: float = sheet_capacity,
                     loss: float = loss, joules: float = joules) -> np.ndarray:
                return joules / (4 * np.pi * DIFFUSIVITY * t * capacity) * np.exp(
                    -away ** 2 / (4 * DIFFUSIVITY * t) - loss * t / capacity)

            warming = board.warm(later - begun, 0.25, begin=ROOM + bell(begun))
            wanted = bell(later)
            told = warming.celsius[-1] - ROOM
            near = wanted > 0.05 * wanted.max()
            self.assertLess(float(np.max(np.abs(told[near] / wanted[near] - 1.0))), 0.03, loss)

    def test_a_point_that_is_heated_on_and_on(self) -> None:
        board, away = sheet(BARE)
        watts, seconds = 6.0, 25.0
        power = np.zeros(board.grid.count)
        middle = [board.grid.cell_at(x, y) for x, y in ((59.5, 59.5), (60.5, 59.5), (59.5, 60.5), (60.5, 60.5))]
        power[middle] = watts / 4
        told = board.warm(seconds, 0.25, power=power).celsius[-1] - ROOM
        ring = (away > 0.006) & (away < 0.03)
        wanted = watts / (4 * np.pi * BARE.conductivity * BARE.thickness) * exp1(
            away ** 2 / (4 * DIFFUSIVITY * seconds))
        self.assertLess(float(np.max(np.abs(told[ring] / wanted[ring] - 1.0))), 0.03)

    def test_with_loss_it_comes_to_rest_as_the_closed_form_says(self) -> None:
        plate = Plate(loss=400.0)
        board, away = sheet(plate)
        power = np.zeros(board.grid.count)
        middle = [board.grid.cell_at(x, y) for x, y in ((59.5, 59.5), (60.5, 59.5), (59.5, 60.5), (60.5, 60.5))]
        power[middle] = 1.5
        told = board.warm(120.0, 1.0, power=power).celsius[-1] - ROOM
        ring = (away > 0.006) & (away < 0.025)
        length = np.sqrt(plate.conductivity * plate.thickness / plate.loss)
        wanted = 6.0 / (2 * np.pi * plate.conductivity * plate.thickness) * k0(away / length)
        self.assertLess(float(np.max(np.abs(told[ring] / wanted[ring] - 1.0))), 0.03)

    def test_a_half_space_under_a_step_of_flux(self) -> None:
        strip = ((0.0, 0.0), (100.0, 0.0), (100.0, 4.0), (0.0, 4.0))
        board = Board2D(grid_over(strip, 0.5), BARE)
        x, _ = board.grid.middles()
        flux, seconds = 20_000.0, 15.0
        edge = x < 0.5
        power = np.where(edge, flux * BARE.thickness * 0.0005, 0.0)
        told = board.warm(seconds, 0.1, power=power).celsius[-1] - ROOM
        deep = x / 1000.0
        root = np.sqrt(DIFFUSIVITY * seconds)
        wanted = 2 * flux / BARE.conductivity * root / np.sqrt(np.pi) * np.exp(-deep ** 2 / (4 * root ** 2)) \
            - flux * deep / BARE.conductivity * erfc(deep / (2 * root))
        near = wanted > 0.05 * wanted.max()
        self.assertLess(float(np.max(np.abs(told[near] / wanted[near] - 1.0))), 0.03)


class BoardTest(unittest.TestCase):
    def setUp(self) -> None:
        self.grid = grid_over(((0.0, 0.0), (90.0, 0.0), (90.0, 60.0), (60.0, 60.0), (60.0, 55.0), (0.0, 55.0)), 1.0)
        self.board = Board2D(self.grid, Plate())
        self.air = HotAir(30.0, 48.0, 400.0, flow=0.8, circle_mm=4.0)

    def test_energy_is_kept(self) -> None:
        for air, below in ((self.air, None), (None, FromBelow(160.0)), (self.air, FromBelow(150.0))):
            warming = self.board.warm(60.0, 0.5, air, below)
            moved = abs(warming.joules_in) + abs(warming.joules_lost)
            self.assertLess(abs(warming.joules_in - warming.joules_lost - warming.joules_stored), 1e-3 * moved)

    def test_half_the_step_changes_the_answer_by_less_than_two_percent(self) -> None:
        once = self.board.warm(60.0, 1.0, self.air).at(30.0, 48.0)[-1] - ROOM
        halved = self.board.warm(60.0, 0.5, self.air).at(30.0, 48.0)[-1] - ROOM
        self.assertLess(abs(once / halved - 1.0), 0.02)
        finer = Board2D(grid_over(((0.0, 0.0), (90.0, 0.0), (90.0, 60.0), (60.0, 60.0), (60.0, 55.0), (0.0, 55.0)),
                                  0.5), Plate()).warm(60.0, 1.0, self.air).at(30.0, 48.0)[-1] - ROOM
        self.assertLess(abs(finer / once - 1.0), 0.02)

    def test_nothing_gets_hotter_than_the_air_nor_colder_than_the_room(self) -> None:
        warming = self.board.warm(120.0, 2.0, self.air, FromBelow(170.0))
        self.assertLessEqual(float(warming.celsius.max()), 400.0 + 1e-6)
        self.assertGreaterEqual(float(warming.celsius.min()), ROOM - 0.5)

    def test_without_sources_nothing_happens(self) -> None:
        warming = self.board.warm(30.0, 1.0)
        self.assertTrue(np.allclose(warming.celsius, ROOM))
        self.assertEqual(warming.seconds_until(30.0, 48.0, 200.0), float("inf"))

    def test_until_is_between_the_steps(self) -> None:
        warming = self.board.warm(90.0, 1.0, self.air)
        reached = warming.seconds_until(30.0, 48.0, 80.0)
        self.assertTrue(0.0 < reached < 90.0)
        here = warming.at(30.0, 48.0)
        k = int(np.searchsorted(warming.seconds, reached))
        self.assertTrue(here[k - 1] <= 80.0 <= here[k])

    def test_a_shield_keeps_what_is_under_it_cooler_and_a_plate_helps(self) -> None:
        shield = Shield(45.0, 40.0, 12.0, 15.0)
        bare = self.board.warm(60.0, 1.0, self.air)
        covered = self.board.warm(60.0, 1.0, self.air, shields=(shield,))
        self.assertLess(covered.at(46.0, 48.0)[-1], bare.at(46.0, 48.0)[-1] - 0.5)
        helped = self.board.warm(60.0, 1.0, self.air, FromBelow(150.0))
        self.assertLess(helped.seconds_until(30.0, 48.0, 80.0), bare.seconds_until(30.0, 48.0, 80.0))

    def test_parts_take_heat(self) -> None:
        heavy = np.zeros(self.grid.count)
        heavy[self.grid.cell_at(30.0, 48.0)] = 2.0e6 * 3e-3
        slower = Board2D(self.grid, Plate(), heavy).warm(10.0, 0.5, self.air).at(30.0, 48.0)[-1]
        self.assertLess(slower, self.board.warm(10.0, 0.5, self.air).at(30.0, 48.0)[-1])

    def test_a_circle_is_flatter_than_a_nozzle_that_stands(self) -> None:
        x, y = self.grid.middles()
        still, _ = jet_over(HotAir(30.0, 30.0, 400.0), x, y)
        moved, _ = jet_over(HotAir(30.0, 30.0, 400.0, circle_mm=6.0), x, y)
        self.assertGreater(still.max(), moved.max())
        self.assertLess(abs(moved.sum() / still.sum() - 1.0), 0.05)
        self.assertEqual(jet_celsius(HotAir(0, 0, 400.0, 8.0, 10.0)), 400.0)
        self.assertLess(jet_celsius(HotAir(0, 0, 400.0, 8.0, 100.0)), 250.0)

    def test_the_exchange_under_a_nozzle_is_martins(self) -> None:
        # Worked by hand: 50 l/min through 8 mm at 20 mm is 1.0 g/s, Re 5,895, Nu 43.2 over 2.5 widths.
        self.assertAlmostEqual(martin_exchange(8.0, 20.0, 50.0), 43.2 * 0.042 / 0.008, delta=0.5)
        away = np.linspace(0.0, 2.5 * 8.0, 4001)
        air = HotAir(0.0, 0.0, 400.0, 8.0, 20.0, (50.0 - AIR_LOW.value) / (AIR_FULL.value - AIR_LOW.value))
        exchange, _ = jet_over(air, away, np.zeros_like(away))
        mean = np.trapezoid(exchange * away, away) / np.trapezoid(away, away)
        self.assertAlmostEqual(mean / martin_exchange(8.0, 20.0, 50.0), 1.0, delta=1e-4)

    def test_the_jets_air_has_the_rooms_warmth_far_away_and_the_nozzles_below_it(self) -> None:
        x = np.array([30.0, 35.0, 60.0, 3000.0])
        exchange, celsius = jet_over(HotAir(30.0, 30.0, 400.0), x, np.full(4, 30.0))
        self.assertAlmostEqual(celsius[0], 400.0)
        self.assertTrue(np.all(np.diff(celsius) < 0) and np.all(np.diff(exchange) < 0))
        self.assertLess(celsius[-1] - ROOM, 3.0)

    def test_nonsense_is_refused(self) -> None:
        with self.assertRaises(ValueError):
            grid_over(((0.0, 0.0), (0.1, 0.0), (0.1, 0.1)), 5.0)
        with self.assertRaises(ValueError):
            self.board.warm(0.0, 1.0)
        self.assertIsInstance(self.grid, Grid)

    def test_numbers_lie_in_their_ranges(self) -> None:
        self.assertGreaterEqual(len(EVERY_NUMBER), 10)
        for name, number in EVERY_NUMBER.items():
            self.assertTrue(number.low <= number.value <= number.high, name)
            self.assertTrue(number.unit and number.source, name)


if __name__ == "__main__":
    unittest.main()
