"""A pack in the making is never sure of what it does not know: what makes a unit start, what one good board read, what
lies on a line, and whether the dock shows a picture."""

from __future__ import annotations

import math
import unittest
from dataclasses import replace
from functools import cache

import numpy as np

from dextrum.app.evaluation.cases import world_case
from dextrum.app.evaluation.rungs import RungModel, by_rung, rung_model
from dextrum.core.assumptions.breaking import PORT_COLLATERAL
from dextrum.core.board import Board, Method
from dextrum.core.diagnosis.after_repair import weigh_trail
from dextrum.core.diagnosis.fault_pairs import collateral
from dextrum.core.diagnosis.model import DiagnosisModel, build_model
from dextrum.core.diagnosis.posterior import Posterior
from dextrum.core.packmaking.cut_down import first_rung
from dextrum.core.packmaking.placing import parse_part, with_part
from dextrum.core.packmaking.second_rung import LANES, REST, SYSTEM, functions_of, with_good_unit
from dextrum.core.reference.known_good import KnownGoodReading
from dextrum.core.reference.table import build_reference_table
from dextrum.core.trail import Cell, Intake, JobOpened, Payload, PointReading, Proof, Readings, Rework
from dextrum.instruments.simulated_board import METER_M1, SimulatedBoard
from dextrum.world.numbers import DEFAULT
from tests.support import duo_board, trail_of

RED = Method.DIODE_RED_GROUND


@cache
def good_readings() -> dict[str, float]:
    good = SimulatedBoard(duo_board(), (), np.random.default_rng(7))
    return {p.id: good.read(p.id, RED, METER_M1) for p in first_rung(duo_board()).points}


def second(**instead: float) -> tuple[Board, DiagnosisModel]:
    """A pack of one good unit, and what judges by it. instead: what that unit read otherwise, by contact."""
    read = good_readings() | {f"J1.{name}": value for name, value in instead.items()}
    board = with_good_unit(first_rung(duo_board()), read)
    known = [KnownGoodReading("GOOD-1", point, RED, "M1", value, None, "2026-01-05") for point, value in read.items()]
    return board, build_model(board, build_reference_table(board, known, "M1"))


def after(model: DiagnosisModel, *payloads: Payload) -> Posterior:
    opened = JobOpened("T", model.board.model, model.board.pack_id)
    return weigh_trail(model, trail_of(opened, Cell("unplugged"), *payloads))


def read(**instead: float) -> Readings:
    values = good_readings() | {f"J1.{name}": value for name, value in instead.items()}
    return Readings(RED, tuple(PointReading(point, value) for point, value in values.items()), "M1")


def broken(model: DiagnosisModel, fault: str) -> set[str]:
    """What a fault may break."""
    hypotheses = model.hypotheses
    rows = [r for r in range(2, hypotheses.count) if hypotheses.faults[hypotheses.fault_of_row[r]].id == fault]
    return {f.id for k, f in enumerate(model.board.functions) if model.broken[rows, k].any()}


def chance(found: Posterior, part: str) -> float:
    return sum(float(c) for fault, c in zip(found.hypotheses.faults, found.faults, strict=True) if fault.part == part)


class WhatMakesItStartTest(unittest.TestCase):
    def test_a_unit_that_only_does_not_start_is_not_thought_whole(self) -> None:
        _, model = second()
        said, tried = Intake("", ("no_start",)), [Proof(f"charge_{way}", True) for way in "ab"]
        found = after(model, said, read(), *tried)
        self.assertGreater(chance(found, SYSTEM), 0.15)
        self.assertGreater(chance(found, SYSTEM), chance(found, REST))
        started = after(model, said, read(), *tried, Proof("boot", True))
        self.assertLess(chance(started, SYSTEM), 0.1)

    def test_it_breaks_starting_and_nothing_else(self) -> None:
        _, model = second()
        self.assertEqual({f.id for f in model.hypotheses.faults if f.part == SYSTEM}, {f"{SYSTEM}:quiet_failure"})
        self.assertEqual(broken(model, f"{SYSTEM}:quiet_failure"), {"system", "boot"})

    def test_it_stays_while_anything_is_undescribed_and_once(self) -> None:
        board, _ = second()
        side = duo_board().components[0].side
        for k, text in enumerate(("U2 VIN=VBUS SYS=V3V3 GND=GND", "U1 VIN=VBUS CC1=CC1 GND=GND")):
            board = with_part(board, parse_part(f"{text} at {20 + 5 * k} 20"), side, 20.0 + 5 * k, 20.0)
        self.assertEqual([part.designator for part in board.components].count(SYSTEM), 1)
        own, rest = board.component_by_designator[SYSTEM], board.component_by_designator[REST]
        self.assertTrue(own.y_mm + own.height_mm / 2 < max(y for _, y in board.outline_mm))
        self.assertTrue(own.x_mm - own.width_mm / 2 >= rest.x_mm + rest.width_mm / 2, "drawn over one another")
        boot = next(function for function in board.functions if function.id == "boot")
        self.assertIn("system", boot.functions)
        # Three chips' quiet failures, whatever the pack's rates of chips are.
        weight = {f.id: f.weight for f in build_model(board, build_reference_table(board, (), "M1")).hypotheses.faults}
        self.assertAlmostEqual(weight[f"{SYSTEM}:quiet_failure"], 3.0 * weight["U1:quiet_failure"], places=6)


class DockTest(unittest.TestCase):
    def test_a_port_with_lanes_is_handed_over_only_once_the_dock_was_tried(self) -> None:
        board, _ = second()
        self.assertEqual({"dock_a", "dock_b"} & {check.id for check in board.checks}, {"dock_a", "dock_b"})
        self.assertEqual([check.functions for check in board.checks if check.id == "dock_a"], [("dock_a",)])

    def test_each_way_up_has_its_lanes_and_both_need_the_rest(self) -> None:
        _, model = second()
        proved = {"dock_a", "dock_b", "charge_a", "charge_b"}
        for contact, lost in (("A2", {"dock_a"}), ("B2", {"dock_b"}), ("A8", {"dock_a", "dock_b"}),
                              ("A5", {"dock_a", "charge_a"})):
            self.assertEqual(broken(model, f"J1:open_contact:{contact}") & proved, lost, contact)


    def test_lanes_are_told_by_the_port_whatever_a_shops_file_calls_their_nets(self) -> None:
        board = first_rung(duo_board())
        called = {net.name: f"N{k}" for k, net in enumerate(board.nets)}
        other = replace(board, nets=tuple(replace(net, name=called[net.name]) for net in board.nets),
                        components=tuple(replace(part, terminals=tuple(replace(t, net=called[t.net])
                                                                       for t in part.terminals))
                                         for part in board.components))
        found = {f.id: f for f in functions_of(other, called.values(), {n.name: n.role for n in other.nets}, (REST,))}
        for way, lanes in (("a", ("TX1P", "TX1N", "RX1P", "RX1N")), ("b", ("TX2P", "TX2N", "RX2P", "RX2N"))):
            self.assertEqual(set(found[f"lanes_{way}"].nets_through), {called[lane] for lane in lanes})


class OneGoodBoardTest(unittest.TestCase):
    """What read OL on the only good board may have been a touch that slipped: it holds no later unit for faulty."""

    def test_a_contact_that_was_open_beside_its_twin_says_nothing(self) -> None:
        _, model = second(B8=math.inf)
        self.assertIsNone(model.references.get("J1.B8", RED))
        said = Intake("", ("no_charge",))
        found, whole = after(model, said, read()), after(second()[1], said, read())
        self.assertAlmostEqual(chance(found, REST), chance(whole, REST), delta=0.05)
        self.assertLess(chance(found, "J1"), 0.2, "of one contact nothing is known")

    def test_both_twins_open_are_open(self) -> None:
        _, model = second(A8=math.inf, B8=math.inf)
        self.assertEqual({model.references.by_point[f"J1.{name}", RED].centre for name in ("A8", "B8")}, {math.inf})

    def test_what_the_pack_has_wrong_is_held_against_a_unit_once(self) -> None:
        _, model = second(A8=math.inf, B8=math.inf)
        trail: list[Payload] = [Intake("", ("no_charge",)), read(A8=math.inf)]
        before = after(model, *trail).nothing
        for _ in range(2):
            trail += [Rework("replace", "J1"), read(A8=math.inf)]
        self.assertGreater(after(model, *trail).nothing, 0.5 * before)

    def test_two_good_boards_that_read_open_weigh_more_than_one(self) -> None:
        board, model = second(A8=math.inf, B8=math.inf)
        known = [KnownGoodReading(unit, point, RED, "M1", math.inf if point in ("J1.A8", "J1.B8") else value, None,
                                  "2026-01-05") for unit in ("G1", "G2") for point, value in good_readings().items()]
        both = build_model(board, build_reference_table(board, known, "M1"))
        said = Intake("", ("no_charge",))
        self.assertLess(after(both, said, read(A8=math.inf)).nothing, after(model, said, read(A8=math.inf)).nothing)


class BesideThePortTest(unittest.TestCase):
    def test_what_stands_for_the_whole_board_comes_less_often_with_a_damaged_port(self) -> None:
        board, _ = second()
        board = with_part(board, parse_part("D1 CC1 CC2 SBU1 SBU2 GND at 20 20"), duo_board().components[0].side,
                          20.0, 20.0)
        hypotheses = build_model(board, build_reference_table(board, (), "M1")).hypotheses
        factor, place = collateral(board, hypotheses)

        def at(part: str) -> int:
            return next(k for k, f in enumerate(hypotheses.faults) if f.part == part and f.terminals)

        port = at("J1")
        self.assertEqual(factor[at("D1"), port], PORT_COLLATERAL)
        for lump in (REST, LANES):
            self.assertTrue(1.0 < factor[at(lump), port] < PORT_COLLATERAL)
        self.assertEqual([int(place[at(part)]) for part in ("J1", "D1", REST)], [1, 2, 3])


class FirstRungTest(unittest.TestCase):
    def test_a_fault_of_the_port_is_one_that_the_pack_does_not_know(self) -> None:
        rung: RungModel = rung_model(duo_board(), 1, DEFAULT, 5)
        for number in range(400):
            case = world_case(DEFAULT, rung.whole, number, 5)
            if {fault.part for fault in case.unit.harmful()} == {"J1"}:
                break
        else:
            self.fail("no unit with a fault of the port alone among four hundred")
        claims = by_rung(rung, replace(case, name="port")).played.claims
        self.assertTrue(claims)
        self.assertTrue(all(so for _, so in claims), claims)
