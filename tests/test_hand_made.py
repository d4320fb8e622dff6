"""Faults that only work on a board makes: bridged pins, torn pads, parts in another's place, parts killed by heat."""

from __future__ import annotations

import unittest
from dataclasses import replace

import numpy as np

from dextrum.app.advising.assess import assess
from dextrum.core.advice.lifting_gates import lifting_action
from dextrum.core.advice.weighing import Weighing
from dextrum.core.board import ComponentKind, Fault, FaultKind, Method
from dextrum.core.board.model import FailureRate
from dextrum.core.circuit.network import build_circuit
from dextrum.core.circuit.solve import diode_volts, resistance_ohms
from dextrum.core.diagnosis.after_repair import chances_made
from dextrum.core.faults.listing import enumerate_faults
from dextrum.core.faults.mending import kinds_mended
from dextrum.core.faults.registry import KINDS, edit_for
from dextrum.core.faults.turned_part import pads_across
from dextrum.core.job import job_facts
from dextrum.core.trail import (
    AUDIT_STEPS,
    Audit,
    BoardLook,
    Cell,
    Intake,
    JobOpened,
    Look,
    PartSeen,
    Payload,
    PointReading,
    Proof,
    Readings,
    Rework,
)
from dextrum.instruments.simulated_board import METER_M1, SimulatedBoard
from tests.support import as_good, duo_advice, duo_board, trail_of

HAND_MADE = {FaultKind.BRIDGED_PINS, FaultKind.TORN_PAD, FaultKind.WRONG_PART, FaultKind.TURNED_PART}
BASE: tuple[Payload, ...] = (JobOpened("T-1", "Tarnwick Duo", "tarnwick-duo-c"), Intake("no dock", ("no_dock",)),
                             Look(("clean",)), Cell("unplugged"))


def of_kind(kind: FaultKind) -> list[Fault]:
    return [fault for fault in enumerate_faults(duo_board()) if fault.kind is kind]


class ListingTest(unittest.TestCase):
    def test_they_are_few_beside_what_parts_fail_of(self) -> None:
        faults = enumerate_faults(duo_board())
        every = sum(f.weight for f in faults)
        for kind in HAND_MADE:
            own = of_kind(kind)
            self.assertTrue(own, kind)
            self.assertLess(sum(f.weight for f in own) / every, 0.005, kind)

    def test_a_pack_that_rates_them_is_taken_at_its_word(self) -> None:
        rate = FailureRate(ComponentKind.RECEPTACLE, FaultKind.TORN_PAD, 7.0)
        board = replace(duo_board(), failure_rates=(*duo_board().failure_rates, rate))
        torn = [f for f in enumerate_faults(board) if f.kind is FaultKind.TORN_PAD and f.part == "J1"]
        self.assertAlmostEqual(sum(f.weight for f in torn), 7.0)

    def test_bridges_lie_between_neighbours_on_two_nets(self) -> None:
        for fault in of_kind(FaultKind.BRIDGED_PINS):
            part = duo_board().component_by_designator[fault.part]
            order = [t.name for t in part.terminals]
            one, two = (order.index(name) for name in fault.terminals)
            self.assertEqual(abs(one - two), 1)
            self.assertNotEqual(*(part.terminal(name).net for name in fault.terminals))


class CircuitTest(unittest.TestCase):
    def test_bridged_pins_read_as_one(self) -> None:
        circuit = build_circuit(duo_board())
        fault = next(f for f in of_kind(FaultKind.BRIDGED_PINS) if all(
            duo_board().net_by_name[duo_board().net_of(f"{f.part}.{t}")].role != "ground" for t in f.terminals))
        edit = edit_for(duo_board(), circuit, fault, 0.05)
        one, two = (f"{fault.part}.{t}" for t in fault.terminals)
        volts = [diode_volts(circuit, at, Method.DIODE_RED_GROUND, edit) for at in (one, two)]
        self.assertAlmostEqual(volts[0], volts[1], places=3)
        self.assertLess(resistance_ohms(circuit, one, two, edit), 0.1)

    def test_a_torn_pad_reads_as_a_lifted_joint_does(self) -> None:
        circuit = build_circuit(duo_board())
        lifted = {f.terminals: f for f in of_kind(FaultKind.LIFTED_JOINT) if f.part == "J1"}
        for torn in (f for f in of_kind(FaultKind.TORN_PAD) if f.part == "J1"):
            self.assertEqual(edit_for(duo_board(), circuit, torn),
                             edit_for(duo_board(), circuit, lifted[torn.terminals]))

    def test_another_resistor_reads_other_ohms_and_another_capacitor_the_same(self) -> None:
        circuit = build_circuit(duo_board())
        quiet = moved = 0
        for fault in of_kind(FaultKind.WRONG_PART):
            part = duo_board().component_by_designator[fault.part]
            edit = edit_for(duo_board(), circuit, fault, fault.variants[0][0])
            if part.kind is ComponentKind.CAPACITOR:
                quiet += edit.cut_resistances == frozenset() and not edit.added
            else:
                moved += bool(edit.added)
        self.assertGreater(quiet, 10)
        self.assertGreater(moved, 2)

    def test_a_turned_chips_lines_meet_the_pin_across(self) -> None:
        """By hand: a line with nothing on it but capacitors reads the junction of the pin that sits there now."""
        board = duo_board()
        circuit = build_circuit(board)
        checked = shorted = 0
        for fault in of_kind(FaultKind.TURNED_PART):
            part = board.component_by_designator[fault.part]
            edit = edit_for(board, circuit, fault)
            half, pins = len(part.terminals) // 2, part.terminals
            for k, pin in enumerate(pins):
                pad = pins[(k + half) % len(pins)]
                at = f"{fault.part}.{pad.name}"
                if circuit.address_node[at] < 0:
                    continue
                volts = diode_volts(circuit, at, Method.DIODE_RED_GROUND, edit)
                if board.net_by_name[pin.net].role == "ground":
                    shorted += 1
                    self.assertLess(volts, 0.001, at)
                others = {c.kind for c in board.components for t in c.terminals
                          if t.net == pad.net and c is not part}
                if others <= {ComponentKind.CAPACITOR} and pin.junction_volts is not None \
                        and pin.ohms_to_ground is None:
                    checked += 1
                    self.assertAlmostEqual(volts, pin.junction_volts, places=3)
        self.assertGreater(shorted, 1)
        self.assertGreater(checked, 10)

    def test_turned_and_turned_again_is_as_before(self) -> None:
        """Of a chip with an even number of pins, half round twice is once round."""
        part = duo_board().component_by_designator["U2"]
        across = pads_across(part)
        self.assertEqual(len(part.terminals) % 2, 0)
        for name, pad in across.items():
            self.assertNotEqual(name, pad)
            self.assertEqual(across[pad], name)

    def test_what_mends_them(self) -> None:
        self.assertIn(FaultKind.TORN_PAD, kinds_mended(duo_board(), "J1", "wire"))
        self.assertNotIn(FaultKind.TORN_PAD, kinds_mended(duo_board(), "J1", "replace"))
        self.assertIn(FaultKind.BRIDGED_PINS, kinds_mended(duo_board(), "U1", "reflow"))
        self.assertIn(FaultKind.WRONG_PART, kinds_mended(duo_board(), "C14", "replace"))


class MadeTest(unittest.TestCase):
    def made(self, part: str) -> dict[tuple[str, FaultKind], float]:
        hypotheses = duo_advice().model.hypotheses
        found: dict[tuple[str, FaultKind], float] = {}
        for fault, chance in zip(hypotheses.faults, hypotheses.per_fault(chances_made(duo_advice().model, part)),
                                 strict=True):
            if chance:
                key = "own" if fault.part == part else "near", fault.kind
                found[key] = found.get(key, 0.0) + float(chance)
        return found

    def test_a_fitted_chip_has_bridges_beside_lifted_joints_in_their_ratio(self) -> None:
        made = self.made("U1")
        self.assertAlmostEqual(made["own", FaultKind.BRIDGED_PINS] / made["own", FaultKind.LIFTED_JOINT],
                               KINDS[FaultKind.BRIDGED_PINS].after_fitting, places=6)
        self.assertGreater(made["near", FaultKind.WRONG_PART], 0.0)
        self.assertGreater(made["near", FaultKind.MISSING_PART], made["near", FaultKind.WRONG_PART])

    def test_a_port_has_crossings_and_torn_pads(self) -> None:
        made = self.made("J1")
        self.assertGreater(made["own", FaultKind.CROSSED_CONTACTS], made["own", FaultKind.TORN_PAD])
        self.assertGreater(made["own", FaultKind.TORN_PAD], 0.0)
        self.assertNotIn(("own", FaultKind.WRONG_PART), made)

    def test_the_raised_chance_is_many_times_the_first(self) -> None:
        model = duo_advice().model
        hypotheses = model.hypotheses
        before = hypotheses.per_fault(np.exp(hypotheses.log_prior))
        after = hypotheses.per_fault(chances_made(model, "U1"))
        own = [k for k, f in enumerate(hypotheses.faults) if f.part == "U1" and f.kind is FaultKind.BRIDGED_PINS]
        self.assertGreater(after[own].sum(), 20.0 * before[own].sum())


class AdviceTest(unittest.TestCase):
    """The recorded traps, as advice meets them."""

    def weighed(self, *payloads: Payload) -> dict[str, float]:
        found = assess(duo_advice(), trail_of(*BASE, *payloads))
        chance: dict[str, float] = {}
        for fault, one in zip(found.posterior.hypotheses.faults, found.posterior.faults, strict=True):
            name = f"{fault.part}:{fault.kind.value}"
            chance[name] = chance.get(name, 0.0) + float(one)
        return chance

    def test_two_capacitors_swapped_after_a_chip_was_changed_are_thought_of(self) -> None:
        """Everything reads well, the dock stays dark, nobody lists it: small parts in each other's place come up."""
        base: list[Payload] = [*as_good(*(p.id for p in duo_board().points)), Rework("replace", "U3"),
                               Audit(AUDIT_STEPS, part="U3"), *as_good(*(p.id for p in duo_board().points))]
        before = self.weighed(*base)
        after = self.weighed(*base, Proof("charge_a", True), Proof("charge_b", True), Proof("dock_a", False),
                             Proof("dock_a", False), Proof("dock_b", False))

        def swapped(chance: dict[str, float]) -> float:
            return sum(c for name, c in chance.items() if name.endswith("wrong_part"))

        self.assertGreater(swapped(after), 3.0 * swapped(before))

    def test_a_chip_put_in_turned_is_found_by_what_its_lines_read(self) -> None:
        board = duo_board()
        points = [p for p in board.points if p.to is None and p.default_method is Method.DIODE_RED_GROUND][:40]
        for fault in of_kind(FaultKind.TURNED_PART):
            if fault.part not in ("U2", "U3"):
                continue
            unit = SimulatedBoard(board, [(fault, 0.0)], np.random.default_rng(5))
            read = Readings(Method.DIODE_RED_GROUND, tuple(
                PointReading(p.id, unit.read(p.id, p.default_method, METER_M1)) for p in points), "M1")
            chances = self.weighed(*as_good(*(p.id for p in points)), Rework("replace", fault.part),
                                   Audit(AUDIT_STEPS, part=fault.part), read)
            self.assertGreater(chances[f"{fault.part}:turned_part"], 0.9)

    def test_a_chip_seen_turned_holds_power_and_comes_off(self) -> None:
        found = assess(duo_advice(), trail_of(*BASE, *as_good("J1.A4", "J1.A5"), Rework("replace", "U1"),
                                              Audit(AUDIT_STEPS, part="U1", seen=(PartSeen("U1", "turned"),))))
        self.assertIn("seen_on_board", {gate.id for gate in found.advice.gates})
        chance = sum(float(c) for f, c in zip(found.posterior.hypotheses.faults, found.posterior.faults, strict=True)
                     if f.part == "U1" and f.kind is FaultKind.TURNED_PART)
        self.assertGreater(chance, 0.5)

    def test_what_was_seen_stands_until_it_is_put_right_or_looked_at_again(self) -> None:
        def left(*since: Payload, what: str = "bridged", of: str = "U1") -> dict[str, str]:
            seen = Audit(AUDIT_STEPS, part="U1", seen=(PartSeen(of, what),))
            return dict(job_facts(trail_of(*BASE, Rework("replace", "U1"), seen, *since)).parts_seen)

        again, of_another = Audit(AUDIT_STEPS, part="U1"), Audit(AUDIT_STEPS, part="C14")
        self.assertEqual(left(), {"U1": "bridged"})
        self.assertEqual(left(Rework("reflow", "U1")), {})
        self.assertEqual(left(Rework("reflow", "U1"), Audit(AUDIT_STEPS, part="U1", seen=(PartSeen("U1", "bridged"),))),
                         {"U1": "bridged"})
        self.assertEqual(left(Rework("reflow", "U1"), what="turned"), {"U1": "turned"}, "no heat puts that right")
        self.assertEqual(left(Rework("replace", "U1"), what="turned"), {})
        self.assertEqual((left(again), left(of_another)), ({}, {"U1": "bridged"}))
        for step in ("flux", "counted"):
            self.assertEqual(left(Audit((step,), part="U1")), {"U1": "bridged"}, "nobody has looked for bridges")
        self.assertEqual(left(Audit(("bridges",), part="U1"), of="C14", what="missing"), {"C14": "missing"})
        for what in ("burst", "turned"):
            self.assertEqual(left(again, of="C14", what=what), {"C14": what}, "it is not whole for being said once")
            self.assertEqual(left(again, Rework("replace", "C14"), of="C14", what=what), {})
        self.assertEqual(left(of="C14", what="missing"), {"C14": "missing"})
        self.assertEqual(left(again, of="C14", what="missing"), {})

    def test_what_a_look_over_the_board_shows_after_a_repair_is_of_the_new_part(self) -> None:
        bridged = BoardLook("top", (PartSeen("U1", "bridged"),))
        self.assertEqual(job_facts(trail_of(*BASE, Rework("replace", "U1"), bridged)).parts_seen, {"U1": "bridged"})
        self.assertEqual(job_facts(trail_of(*BASE, bridged, Rework("replace", "U1"))).parts_seen, {})

    def test_a_bridge_that_was_wicked_off_holds_nothing_and_costs_no_chip(self) -> None:
        seen = Audit(AUDIT_STEPS, part="U1", seen=(PartSeen("U1", "bridged"),))
        base = (*BASE, *as_good("J1.A4", "J1.A5"), Rework("replace", "U1"), seen)
        found = assess(duo_advice(), trail_of(*base))
        lifting = lifting_action(Weighing(duo_advice(), found.posterior, found.facts),
                                 next(gate for gate in found.advice.gates if gate.id == "seen_on_board"))
        assert lifting is not None
        self.assertEqual((lifting.kind, lifting.target, lifting.detail), ("repair", "U1", "reflow"))
        after = assess(duo_advice(), trail_of(*base, Rework("reflow", "U1"), Audit(AUDIT_STEPS, part="U1")))
        self.assertNotIn("seen_on_board", {gate.id for gate in after.advice.gates})

    def test_a_bridge_of_some_ohms_under_a_fitted_chip_is_not_the_filter_s(self) -> None:
        """Nor the port's, once a new filter has changed nothing: what the chip's fitting made was there before that."""
        low = as_good(but={"J1.B2": 0.414, "J1.B3": 0.414})
        read: tuple[Payload, ...] = (*low, *low, Readings(Method.RESISTANCE, (PointReading("FL3.1-3", 3.8),), "M1"))
        base = (*as_good("J1.B2", "J1.B3"), Rework("replace", "U3"), Audit(AUDIT_STEPS, part="U3"), *read)
        at_first = self.weighed(*base)
        after = self.weighed(*base, Rework("replace", "FL3"), Audit(AUDIT_STEPS, part="FL3"), *read)
        self.assertGreater(at_first["U3:bridged_pins"], at_first["J1:crossed_contacts"])
        self.assertGreater(after["U3:bridged_pins"], at_first["U3:bridged_pins"])
        self.assertGreater(after["U3:bridged_pins"], after["J1:crossed_contacts"])

    def test_a_bridge_seen_round_a_fitted_chip_names_its_pins(self) -> None:
        seen = self.weighed(*as_good("J1.A4", "J1.A5"), Rework("replace", "U1"),
                            Audit(AUDIT_STEPS, part="U1", seen=(PartSeen("U1", "bridged"),)))
        bridged = seen["U1:bridged_pins"]
        self.assertGreater(bridged, 0.5)
