"""The world that units come from: it owns its numbers and shares nothing with what judges it."""

from __future__ import annotations

import ast
import json
import subprocess
import sys
import tempfile
import unittest
from collections.abc import Mapping
from dataclasses import replace
from itertools import pairwise
from pathlib import Path
from typing import Any

import numpy as np

import dextrum.world
from dextrum.app.evaluation.case_files import check_cases, read_cases, world_named
from dextrum.app.evaluation.evaluate import Setting, evaluate
from dextrum.core.board import Fault, FaultKind, Method, Side
from dextrum.core.faults.listing import enumerate_faults
from dextrum.errors import ImportRefusedError
from dextrum.world.arrivals import arrival, listed_arrival, misplaced_points
from dextrum.world.breaks import carried_ohms, chances_to_break, closed_over, decided
from dextrum.world.meter import WorldMeter
from dextrum.world.numbers import (
    DEFAULT,
    SECTIONS,
    Hands,
    Meters,
    World,
    drawn_world,
    numbers_of,
    rough_world,
    world_as_json,
    world_of_json,
)
from dextrum.world.sizes import drawn_ohms
from dextrum.world.unit import OF_A_NEW_JOINT, WorldUnit
from tests.support import duo_advice, duo_board

RED = Method.DIODE_RED_GROUND


def fault(name: str) -> Fault:
    return next(f for f in enumerate_faults(duo_board()) if f.id == name)


def unit_with(*names: str, world: World = DEFAULT, seed: int = 1, harmful: bool = True) -> WorldUnit:
    return WorldUnit(world, duo_board(), [(fault(name), 0.3) for name in names], np.random.default_rng(seed),
                     harmful=harmful)


def without(world: World, **sections: dict[str, float]) -> World:
    for name, values in sections.items():
        world = replace(world, **{name: replace(getattr(world, name), **values)})
    return world


CALM = without(DEFAULT, hands={"slip": 0.0, "again": 0.0, "poor": 0.0}, faults={"intermittent": 0.0},
               checks={"false_fail": 0.0, "false_pass": 0.0, "rail_slip": 0.0, "odd_draw": 0.0},
               repairs={"replace_fails": 0.0, "reflow_fails": 0.0, "wire_fails": 0.0, "harms": 0.0},
               looks={"dirt": 0.0, "corroded": 0.0, "false": 0.0, "burst": 0.0, "askew": 0.0})


class ApartTest(unittest.TestCase):
    def test_nothing_that_judges_is_loaded_with_the_world(self) -> None:
        code = ("import sys, dextrum.world.arrivals, dextrum.world.unit, dextrum.world.numbers, scipy.special;"
                "print(sorted(m for m in sys.modules if m.startswith(('dextrum.core.diagnosis', 'dextrum.core.advice',"
                " 'dextrum.core.reference'))))")
        done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
        self.assertEqual(done.stdout.strip(), "[]")

    def test_of_kinds_of_fault_it_takes_where_they_are_and_what_they_do_to_the_circuit(self) -> None:
        """Sizes, looks and chances of a kind are the judgement's, though they stand in one file with its edit."""
        allowed = {"enumerate_faults", "kinds_mended", "edit_for", "taken_along"}
        for file in Path(str(dextrum.world.__file__)).parent.glob("*.py"):
            for node in ast.walk(ast.parse(file.read_text())):
                if isinstance(node, ast.ImportFrom) and (node.module or "").startswith("dextrum.core.faults"):
                    self.assertLessEqual({alias.name for alias in node.names}, allowed, file.name)
                if isinstance(node, ast.ImportFrom | ast.Import):
                    self.assertNotIn("assumptions", ast.unparse(node), file.name)


class NumbersTest(unittest.TestCase):
    def test_every_number_lies_in_its_range_and_says_what_it_is(self) -> None:
        for section in SECTIONS:
            for number in numbers_of(section):
                with self.subTest(f"{section}.{number.name}"):
                    about = number.metadata
                    self.assertTrue(about["low"] <= number.default <= about["high"])
                    self.assertTrue(about["low"] < about["high"])
                    self.assertTrue(about["unit"] and about["meaning"])

    def test_the_documentation_has_every_number(self) -> None:
        text = (Path(__file__).parent.parent / "docs" / "evaluation.md").read_text()
        for section in SECTIONS:
            for number in numbers_of(section):
                about = number.metadata
                with self.subTest(f"{section}.{number.name}"):
                    self.assertIn(f"| {section}.{number.name} | {number.default:g} | {about['low']:g} to "
                                  f"{about['high']:g} | {about['unit']} | {about['meaning']}"
                                  f"{' *' if about['worse'] else ''} |", text)

    def test_a_world_goes_out_and_comes_back(self) -> None:
        for world in (DEFAULT, rough_world(), drawn_world(3)):
            self.assertEqual(world_of_json(world_as_json(world)), world)

    def test_what_a_file_leaves_out_is_as_in_the_default_world(self) -> None:
        found = world_of_json('{"format": "dextrum-world", "schema": 1, "hands": {"slip": 0.2}}')
        self.assertEqual(found.hands.slip, 0.2)
        self.assertEqual(found.hands.poor, DEFAULT.hands.poor)
        self.assertEqual(found.faults, DEFAULT.faults)

    def test_what_is_wrong_in_a_file_is_named(self) -> None:
        head = '{"format": "dextrum-world", "schema": 1, '
        for text, said in (("", "not JSON"), ("[1]", "no world"), ('{"format": "x"}', "no world"),
                           (head + '"hand": {}}', "no section 'hand'"), (head + '"hands": 3}', "section"),
                           (head + '"hands": {"slips": 1}}', "no number 'slips'"),
                           (head + '"hands": {"slip": 1.5}}', "hands.slip is 1.5"),
                           (head + '"hands": {"slip": true}}', "hands.slip is True"),
                           (head + '"hands": {"slip": NaN}}', "hands.slip is nan"),
                           (head + '"coupling": {"half_ohms": 0}}', "half_ohms is 0; expected a number from 0.6"),
                           (head + '"meters": {"compliance": 1e308}}', "meters.compliance"),
                           (head + '"faults": {"none": 0.7, "unlisted": 0.6}}', "are 1.3 together"),
                           (head + '"cells": {"flat": 0.9, "near_full": 0.2}}', "together"),
                           (head + '"hands": {"slip": "0"}}', "hands.slip is '0'"), ("[" * 100_000, "not JSON")):
            with self.subTest(text[:60]), self.assertRaisesRegex(ImportRefusedError, said):
                world_of_json(text)

    def test_units_come_in_from_the_ends_of_every_range(self) -> None:
        for end in ("low", "high"):
            sections = {section: {number.name: number.metadata[end] for number in numbers_of(section)}
                        for section in SECTIONS}
            world = world_of_json(json.dumps({"format": "dextrum-world", "schema": 1, **sections}))
            for number in range(3):
                with self.subTest(end, number=number):
                    came = arrival(world, duo_board(), number, 2)
                    came.unit.read("J1.A5", RED, came.meter)
                    came.unit.supply("a")
                    came.unit.mend("U1", "replace")
                    came.unit.inject("V3V3", 1.0, 1.0)
                    self.assertTrue(came.unit.look_port(False).findings)

    def test_a_rough_world_is_twice_as_bad_and_no_chance_is_above_one(self) -> None:
        rough = rough_world()
        self.assertAlmostEqual(rough.repairs.harms, 2 * DEFAULT.repairs.harms)
        self.assertEqual(rough.faults.hard_ohms, DEFAULT.faults.hard_ohms)
        for section in SECTIONS:
            for number in numbers_of(section):
                if number.metadata["unit"] in ("chance", "share"):
                    self.assertLessEqual(getattr(getattr(rough, section), number.name), 1.0)

    def test_drawn_worlds_differ_and_keep_to_the_ranges(self) -> None:
        worlds = [drawn_world(seed) for seed in range(20)]
        self.assertEqual(len({w.hands.slip for w in worlds}), 20)
        for world in worlds:
            for section in SECTIONS:
                for number in numbers_of(section):
                    value = getattr(getattr(world, section), number.name)
                    self.assertTrue(number.metadata["low"] <= value <= number.metadata["high"])


class BreaksTest(unittest.TestCase):
    def test_a_dead_chip_breaks_what_names_it_and_all_that_hangs_on_it(self) -> None:
        board = duo_board()
        self.assertEqual(chances_to_break(board, fault("U2:quiet_failure"), 0.0, DEFAULT.coupling),
                         {"power_path": 1.0})
        self.assertEqual(closed_over(board, ("power_path",)),
                         frozenset({"power_path", "charger", "charge_common", "charge_a", "charge_b"}))

    def test_a_partial_short_breaks_less_the_more_ohms_it_has(self) -> None:
        board = duo_board()
        one = next(f for f in enumerate_faults(board) if f.kind is FaultKind.PARTIAL_SHORT
                   and chances_to_break(board, f, 10.0, DEFAULT.coupling))
        chances = [max(chances_to_break(board, one, ohms, DEFAULT.coupling).values()) for ohms in (10.0, 180.0, 900.0)]
        self.assertGreater(chances[0], 0.9)
        self.assertAlmostEqual(chances[1], 0.5)
        self.assertLess(chances[2], 0.2)

    def test_a_rail_that_carries_much_by_itself_bears_a_leak(self) -> None:
        """The processor's rail of the Duo has 38 ohm to ground where it is whole."""
        board = duo_board()
        self.assertAlmostEqual(carried_ohms(board, ("VCORE",)), 38.0)
        self.assertAlmostEqual(carried_ohms(board, ("V3V3", "V1V8")), 1 / (1 / 22000 + 1 / 9000))
        self.assertEqual(carried_ohms(board, ("SYS",)), float("inf"))
        for leak, bears in (("C40:leaky_part:1", 38.0), ("C40:partial_short:1", 38.0),
                            ("C20:leaky_part:1", DEFAULT.coupling.half_leak_ohms)):
            half = chances_to_break(board, fault(leak), bears, DEFAULT.coupling)
            self.assertTrue(half and all(abs(chance - 0.5) < 1e-9 for chance in half.values()), leak)
        leaks = chances_to_break(board, fault("C40:leaky_part:1"), 2000.0, DEFAULT.coupling)
        self.assertLess(max(leaks.values()), 0.01)

    def test_one_contact_of_several_seldom_breaks_anything(self) -> None:
        board = duo_board()
        self.assertEqual(set(chances_to_break(board, fault("J1:open_contact:A4"), 0.0, DEFAULT.coupling).values()),
                         {DEFAULT.coupling.redundant_contact})

    def test_how_often_things_break_is_as_stated(self) -> None:
        board, generator = duo_board(), np.random.default_rng(5)
        numbers = replace(DEFAULT.coupling, pull_up=0.5)
        one = next(f for f in enumerate_faults(board) if f.kind is FaultKind.MISSING_PART and f.part.startswith("R")
                   and numbers.pull_up in chances_to_break(board, f, 0.0, numbers).values())
        name = next(n for n, c in chances_to_break(board, one, 0.0, numbers).items() if c == numbers.pull_up)
        share = np.mean([name in decided(board, one, 0.0, numbers, generator) for _ in range(600)])
        self.assertAlmostEqual(float(share), 0.5, delta=0.08)

    def test_sizes_scatter_about_their_median_and_off_the_grid(self) -> None:
        one = next(f for f in enumerate_faults(duo_board()) if f.kind is FaultKind.PARTIAL_SHORT)
        generator = np.random.default_rng(2)
        ohms = [drawn_ohms(one, DEFAULT.faults, generator) for _ in range(400)]
        self.assertAlmostEqual(float(np.log(np.median(ohms) / DEFAULT.faults.partial_ohms)), 0.0, delta=0.2)
        self.assertEqual(len(set(ohms)), 400)
        self.assertEqual(drawn_ohms(fault("U2:quiet_failure"), DEFAULT.faults, generator), 0.0)


class UnitTest(unittest.TestCase):
    def test_a_blown_fuse_reads_open_and_is_mended_by_another(self) -> None:
        unit = unit_with("F1:blown_fuse:1:2", world=CALM)
        meter = WorldMeter("M1", 1.0, 0.0, CALM.hands, Meters(lead=0.0))
        self.assertEqual(unit.read("F1.1-2", Method.RESISTANCE, meter), float("inf"))
        self.assertFalse(unit.functions_work(("charge_a",)))
        unit.mend("F1", "replace")
        self.assertLess(unit.read("F1.1-2", Method.RESISTANCE, meter), 1.0)
        self.assertTrue(unit.functions_work(("charge_a",)))
        self.assertEqual(unit.ever_faulty, {"F1"})

    def test_a_repair_may_fail_and_hurt_a_neighbour(self) -> None:
        always = without(CALM, repairs={"replace_fails": 1.0, "harms": 1.0, "harm_mm": 8.0})
        unit = unit_with("U2:quiet_failure", world=always, seed=4)
        unit.mend("U2", "replace")
        kinds = {f.part: f.kind for f, _ in unit.faults}
        self.assertIn(kinds["U2"], OF_A_NEW_JOINT)
        self.assertEqual(len(unit.ever_faulty), 2)
        reflow = unit_with("U2:lifted_joint:REGN", world=without(CALM, repairs={"reflow_fails": 1.0}))
        reflow.mend("U2", "reflow")
        self.assertEqual([f.id for f, _ in reflow.faults], ["U2:lifted_joint:REGN"])

    def test_a_new_part_that_can_have_no_joint_open_may_be_as_bad_as_the_old_one(self) -> None:
        always = without(CALM, repairs={"replace_fails": 1.0})
        unit = unit_with("C14:hard_short:1", world=always)
        unit.mend("C14", "replace")
        self.assertEqual([f.id for f, _ in unit.faults], ["C14:hard_short:1"])

    def test_dirt_hides_a_bent_contact_until_it_is_out(self) -> None:
        dirty = without(CALM, looks={"dirt": 1.0, "contact": 1.0})
        unit = unit_with("J1:open_contact:A6", world=dirty)
        self.assertEqual(unit.look_port(False).findings, ("dirt",))
        self.assertEqual((unit.look_port(True).findings, unit.look_port(True).contacts), (("bent",), ("A6",)))

    def test_a_missing_part_is_seen_from_its_side_only(self) -> None:
        unit = unit_with("FL5:missing_part", world=without(CALM, looks={"missing": 1.0}))
        side = duo_board().component_by_designator["FL5"].side
        other = next(s for s in Side if s is not side)
        self.assertIn("FL5", [seen.part for seen in unit.look_over(side)])
        self.assertEqual(unit.look_over(other), ())

    def test_what_was_never_fitted_is_no_fault(self) -> None:
        unit = unit_with(world=CALM)
        missing = next(f for f in enumerate_faults(duo_board()) if f.kind is FaultKind.MISSING_PART
                       and f.part.startswith("C"))
        unit.never_fitted(missing)
        self.assertEqual(unit.harmful(), ())
        self.assertEqual(unit.ever_faulty, set())

    def test_an_intermittent_fault_comes_and_goes(self) -> None:
        shaky = without(CALM, faults={"intermittent": 1.0, "there": 0.5, "changes": 0.5})
        unit = unit_with("F1:blown_fuse:1:2", world=shaky)
        tried = {unit.functions_work(("vbus_path",)) for _ in range(60)}
        self.assertEqual(tried, {True, False})

    def test_the_warmest_part_is_seen(self) -> None:
        unit = unit_with("C14:hard_short:1", world=CALM)
        net = duo_board().component_by_designator["C14"].terminal("1").net
        seen = [unit.inject(net, 1.0, 2.0) for _ in range(40)]
        self.assertGreater(seen.count("C14"), 30)
        sound = [unit_with(world=CALM).inject(net, 1.0, 2.0) for _ in range(20)]
        self.assertGreater(sound.count(""), 15)

    def test_held_to_its_watts_a_short_gets_no_more_of_a_great_current(self) -> None:
        net = duo_board().component_by_designator["C14"].terminal("1").net
        few = replace(CALM, warmth=replace(CALM.warmth, camera_watts=1.0, false=0.0))

        def seen(held: float | None) -> int:
            unit = WorldUnit(few, duo_board(), [(fault("C14:hard_short:1"), 0.5)], np.random.default_rng(6))
            return [unit.inject(net, 5.0, 3.0, "camera", held) for _ in range(200)].count("C14")

        self.assertGreater(seen(None), 140)  # 4.5 W, of which a camera shows four in five
        self.assertLess(abs(seen(1.0) - 94), 30)  # half of them, less a neighbour named now and then
        self.assertLess(seen(0.01), 15)

    def test_alcohol_shows_by_a_number_of_its_own(self) -> None:
        net = duo_board().component_by_designator["C14"].terminal("1").net
        blind = replace(CALM, warmth=replace(CALM.warmth, camera_watts=0.001, spray_watts=0.001, alcohol_watts=1e9))
        unit = WorldUnit(blind, duo_board(), [(fault("C14:hard_short:1"), 0.5)], np.random.default_rng(6))
        self.assertEqual({unit.inject(net, 5.0, 3.0, "alcohol") for _ in range(20)}, {""})
        self.assertIn("C14", {unit.inject(net, 5.0, 3.0, "spray") for _ in range(20)})

    def test_a_leak_warms_as_a_short_does(self) -> None:
        leak = fault("C20:leaky_part:1")
        unit = WorldUnit(CALM, duo_board(), [(leak, 500.0)], np.random.default_rng(3), harmful=True)
        net = duo_board().component_by_designator["C20"].terminal("1").net
        self.assertIn("C20", [unit.inject(net, 9.0, 0.5) for _ in range(10)])

    def test_a_bridge_to_ground_warms_and_one_between_lines_does_not(self) -> None:
        bridges = [f for f in enumerate_faults(duo_board()) if f.kind is FaultKind.BRIDGED_PINS and f.part == "U5"]
        self.assertTrue({"U5:bridged_pins:SW:GND", "U5:bridged_pins:IN:SW"} <= {f.id for f in bridges})
        seen = {f.id: [WorldUnit(CALM, duo_board(), [(f, 0.7)], np.random.default_rng(3)).inject("VCORE", 0.9, 1.1)
                       for _ in range(6)] for f in bridges}
        self.assertIn("U5", seen["U5:bridged_pins:SW:GND"])
        self.assertNotIn("U5", seen["U5:bridged_pins:IN:SW"])

    def test_slips_come_in_bursts_and_a_calm_hand_never_slips(self) -> None:
        generator = np.random.default_rng(8)
        meter = WorldMeter("M1", 1.0, 0.0, Hands(slip=0.05, again=0.8), Meters())
        opens = [meter.shown(0.5, RED, generator) == float("inf") for _ in range(4000)]
        pairs = np.mean([b for a, b in pairwise(opens) if a])
        self.assertAlmostEqual(float(pairs), 0.8, delta=0.06)
        calm = WorldMeter("M1", 1.0, 0.0, CALM.hands, Meters())
        self.assertLess(max(calm.shown(0.5, RED, generator) for _ in range(500)), 0.52)


class ArrivalTest(unittest.TestCase):
    def test_a_unit_is_the_same_each_time_and_says_why_it_came(self) -> None:
        for number in range(12):
            one, two = arrival(DEFAULT, duo_board(), number, 9), arrival(DEFAULT, duo_board(), number, 9)
            self.assertEqual([(f.id, o) for f, o in one.unit.faults], [(f.id, o) for f, o in two.unit.faults])
            self.assertEqual(one.present, two.present)
            self.assertTrue(one.present)

    def test_a_listed_case_does_harm_and_is_as_listed(self) -> None:
        came = listed_arrival(DEFAULT, duo_board(), (("J1:open_contact:A4", None), ("C14:partial_short:1", 900.0)),
                              ("no_dock",), "deeply_flat", False, (1, 0))
        self.assertEqual(len(came.unit.harmful()), 2)
        self.assertEqual((came.present, came.unit.cell), (("no_dock",), "deeply_flat"))
        self.assertEqual({f.id: o for f, o in came.unit.faults}["C14:partial_short:1"], 900.0)

    def test_sizes_that_a_list_leaves_open_are_those_of_faults_that_did_harm(self) -> None:
        """Of a leak on one line for one function, Bayes' rule by hand: how often a size is met times how often it does
        harm, 1 / (1 + (R / half) ^ slope) in this world."""
        log = np.linspace(np.log(50.0), np.log(200e3), 4001)
        met = np.exp(-0.5 * ((log - np.log(DEFAULT.faults.leak_ohms)) / DEFAULT.faults.leak_spread) ** 2)
        harm = 1.0 / (1.0 + (np.exp(log) / DEFAULT.coupling.half_leak_ohms) ** DEFAULT.coupling.slope)
        expected = float(np.sum(log * met * harm) / np.sum(met * harm))
        drawn = [np.log(listed_arrival(DEFAULT, duo_board(), (("C35:leaky_part:1", None),), ("no_dock",), "charged",
                                       False, (5, number)).unit.faults[0][1]) for number in range(160)]
        error = np.std(drawn) / np.sqrt(len(drawn))
        self.assertLess(abs(np.mean(drawn) - expected), 4.0 * error)
        self.assertGreater(np.log(DEFAULT.faults.leak_ohms) - expected, 6.0 * error, "so that the test can tell")

    def test_a_size_of_what_never_does_harm_is_drawn_all_the_same(self) -> None:
        came = listed_arrival(DEFAULT, duo_board(), (("C40:leaky_part:1", None),), ("no_start",), "charged", False,
                              (5, 1))
        self.assertGreater(came.unit.faults[0][1], 0.0)


class FileTest(unittest.TestCase):
    GOOD: Mapping[str, Any] = {"format": "dextrum-cases", "schema": 1, "pack": "tarnwick-duo-c", "cases": [
        {"name": "15", "faults": [{"id": "F1:blown_fuse:1:2", "ohms": None}], "present": ["no_charge"],
         "look": {"findings": ["dirt"], "contacts": []}, "cell": "", "bad_gear": []}]}

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path = Path(folder.name) / "cases.json"

    def read(self, data: object) -> tuple[str, tuple[object, ...]]:
        self.path.write_text(data if isinstance(data, str) else json.dumps(data))
        return read_cases(self.path)

    def test_what_is_wrong_is_named_with_its_place(self) -> None:
        case = self.GOOD["cases"][0]
        for data, said in (("{", "not JSON"), ("[]", "cases.json"), ({**self.GOOD, "schema": 2}, "holds no cases"),
                           ({**self.GOOD, "cases": []}, "no cases"), ({**self.GOOD, "more": 1}, "more"),
                           ({**self.GOOD, "cases": [{**case, "cell": "warm"}]}, "cell is 'warm'"),
                           ({**self.GOOD, "cases": [{**case, "faults": [{"id": "x", "ohms": -1}]}]}, "ohms of x"),
                           ({**self.GOOD, "cases": [{**case, "look": {"findings": ["odd"]}}]}, "odd"),
                           ({**self.GOOD, "cases": [{**case, "faults": [{"id": "x"}, {"id": "x"}]}]}, "twice")):
            with self.subTest(said), self.assertRaisesRegex(ImportRefusedError, said):
                self.read(data)

    def test_a_fault_or_symptom_that_the_pack_does_not_know(self) -> None:
        case = self.GOOD["cases"][0]
        for change, said in (({"faults": [{"id": "F1:blown", "ohms": None}]}, "no fault 'F1:blown'"),
                             ({"present": ["odd"]}, "no symptom 'odd'")):
            _, cases = self.read({**self.GOOD, "cases": [{**case, **change}]})
            with self.subTest(said), self.assertRaisesRegex(ImportRefusedError, said):
                check_cases(duo_board(), cases)  # type: ignore[arg-type]

    def test_a_case_of_a_file_is_played_so_often_by_whom_one_asks_for(self) -> None:
        pack, cases = self.read(self.GOOD)
        self.assertEqual(pack, duo_advice().model.board.pack_id)
        found = evaluate(Setting(1, 3, world=CALM, listed=cases, repeat=2,  # type: ignore[arg-type]
                                 players=("advice", "oracle")), pack, cores=1)
        self.assertEqual([(p["name"], p["player"]) for p in found.plays],
                         [("15", "advice"), ("15", "oracle")] * 2)
        for play in found.plays:
            self.assertEqual((play["ended"], play["right"], play["why_wrong"], play["left"]),
                             ("repaired", True, "", []) if play["player"] == "advice" else
                             (play["ended"], True, "", play["left"]))
        mine = [p for p in found.plays if p["player"] == "advice"]
        self.assertTrue(all(p["replaced"] == ["F1"] and p["good_parts"] == 0 for p in mine))
        json.dumps(found.as_json(), allow_nan=False)

    def test_worlds_by_name_and_by_file(self) -> None:
        self.assertIs(world_named("default"), DEFAULT)
        self.path.write_text(world_as_json(drawn_world(1)))
        self.assertEqual(world_named(str(self.path)), drawn_world(1))
        with self.assertRaises(ImportRefusedError):
            world_named("nowhere.json")



class EarlierWorkTest(unittest.TestCase):
    """What somebody has done to a board before, and what its pack has wrong."""

    def test_a_changed_port_has_joints_that_did_not_take(self) -> None:
        world = without(DEFAULT, histories={"port_changed": 1.0, "port_joint": 0.2},
                        faults={"unlisted": 0.0, "none": 0.0})
        joints = [f.id for n in range(20) for f, _ in arrival(world, duo_board(), n, 5).unit.faults
                  if f.kind is FaultKind.LIFTED_JOINT and f.part == "J1"]
        self.assertGreater(len(joints), 40)

    def test_a_part_of_another_kind_reads_off_on_all_its_pins_and_breaks_nothing(self) -> None:
        world = without(CALM, histories={"swapped": 1.0})
        off = []
        for seed in range(12):
            unit = unit_with(world=world, seed=seed, harmful=False)
            usual = unit_with(world=without(CALM, histories={"swapped": 0.0}), seed=seed, harmful=False)
            self.assertFalse(unit.broken())
            off.append(max(abs(unit.true_value(p, RED) - usual.true_value(p, RED)) for p in (
                "J1.A5", "J1.B5", "J1.A6", "C30.1", "C45.1")))
        self.assertTrue(any(o > 0.02 for o in off))

    def test_a_point_on_another_net_reads_well_until_that_net_is_shorted(self) -> None:
        world = without(DEFAULT, boards={"wrong_net": 1.0})
        misplaced = misplaced_points(world, duo_board(), 3)
        self.assertEqual(misplaced, misplaced_points(world, duo_board(), 3))
        self.assertFalse(misplaced.keys() & set(misplaced.values()))
        self.assertEqual(misplaced_points(without(DEFAULT, boards={"wrong_net": 0.0}), duo_board(), 3), {})
        board, generator = duo_board(), np.random.default_rng(4)
        short = fault("C17:hard_short:1")
        point = next(p.id for p in board.points if p.to is None and board.net_of(p.at) != board.net_of("C17.1")
                     and p.id not in board.port_points)
        moved = {point: "C17.1"}
        good = WorldUnit(CALM, board, [], generator, misplaced=moved)
        plain = WorldUnit(CALM, board, [], generator)
        shorted = WorldUnit(CALM, board, [(short, 0.3)], generator, misplaced=moved)
        self.assertAlmostEqual(good.true_value(point, RED), plain.true_value(point, RED), delta=0.1)
        self.assertLess(shorted.true_value(point, RED), 0.05)


if __name__ == "__main__":
    unittest.main()
