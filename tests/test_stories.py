"""Written cases: what came in, what the circuit then reads, what must be suspected, and why."""

from __future__ import annotations

import unittest
from dataclasses import dataclass

import numpy as np

from dextrum.app.advising.assess import assess
from dextrum.core.board import Method
from dextrum.core.trail import (
    AUDIT_STEPS,
    Access,
    BoardLook,
    Cell,
    Danger,
    Injection,
    Intake,
    Isolation,
    JobOpened,
    Look,
    PartSeen,
    Payload,
    PointReading,
    Proof,
    RailVolts,
    Readings,
    Rework,
    Supply,
    Swap,
)
from dextrum.instruments.simulated_board import METER_M1, METER_M2, SimulatedBoard
from tests.support import duo_advice, duo_board, fault_named, trail_of

GOOD = (Supply("a", 9.0, 1.92), Supply("b", 9.0, 1.9))
SMALL = (Supply("a", 5.05, 0.06), Supply("b", 5.05, 0.06))
NONE = (Supply("a", 5.1, 0.0), Supply("b", 5.1, 0.0))
BLINKING = (Supply("a", 5.0, 0.3, pattern="blinking"), Supply("b", 5.0, 0.3, pattern="blinking"))
PORT = "port"


@dataclass(frozen=True)
class Case:
    """faults: on the bench's unit. steps: payloads, point names to be read ('M2 FL5.3' with another meter), PORT for
    all contacts, '+FAULT' for what a repair has made, '-PART' for what one has mended. ranking: parts that must be
    suspected before all others; never: parts that must stay under a tenth. course: kinds of step one of which must
    come next, empty where the story is about the suspects alone."""

    name: str
    why: str
    faults: tuple[str, ...]
    steps: tuple[Payload | str, ...]
    ranking: tuple[str, ...]
    least: float
    never: tuple[str, ...] = ()
    course: tuple[str, ...] = ()


CASES = (
    Case("open CC2 contact", "One way up is dead, and the contact reads OL while its tail reads well.",
         ("J1:open_contact:B5",), (Intake("x", ("one_way",)), Look(("clean",)), Supply("a", 9.0, 1.9),
                                   Supply("b", 5.1, 0.0), PORT, "J1.B5/tail"), ("J1",), 0.9, ("U1",)),
    Case("open filter winding", "The lane is OL before the filter and good behind it; through reads OL.",
         ("FL5:open_winding:3:4",), (Intake("x", ("no_dock",)), Look(("clean",)), *GOOD, PORT, "FL5.3", "FL5.4",
                                     "FL5.3-4"), ("FL5",), 0.95, ("U3", "J1")),
    Case("blown fuse", "Nothing is drawn either way, VBUS reads OL behind the fuse, and the fuse is not through.",
         ("F1:blown_fuse:1:2",), (Intake("x", ("no_charge",)), Look(("clean",)), *NONE, PORT, "F1.1-2"),
         ("F1",), 0.95, ("U1",)),
    Case("blown fuse before a short", "What blew it sits behind it: C10 is a hard short on the fused rail.",
         ("F1:blown_fuse:1:2", "C10:hard_short:1"), (Intake("x", ("no_charge",)), Look(("clean",)), *NONE, PORT,
                                                     "F1.1-2", "F1.2", Injection("VBUS_F", 5.0, 1.8, "C10")),
         ("F1", "C10"), 0.9),
    Case("CC2 shorted in the PD controller", "One line on ground; lifting its capacitor does not clear it.",
         ("U1:hard_short:CC2",), (Intake("x", ("no_charge",)), Look(("clean",)), Supply("a", 9.0, 1.9),
                                  Supply("b", 5.1, 0.0), PORT, Isolation(("C14",)), "J1.B5"), ("U1",), 0.5),
    Case("the capacitor beside the PD controller", "C17 stands beside the PD controller, but hangs behind R1; with R1 "
         "lifted the short is on the A/V side only, and it is what warms.",
         ("C17:hard_short:1",), (Intake("x", ("no_charge",)), Look(("clean",)), *SMALL, PORT, "R1.1",
                                 Isolation(("R1",)), "R1.1", "R1.2", Injection("V3V3_AV", 3.3, 1.8, "C17")),
         ("C17",), 0.9, ("U1", "U3")),
    Case("processor's rail", "VCORE far below its few tens of ohms, and the processor warms: the job ends here.",
         ("U7:hard_short:CORE",), (Intake("x", ("no_start",)), Look(("clean",)), *GOOD, "C40.1",
                                   Injection("VCORE", 0.9, 1.8, "U7")), ("U7",), 0.85, ("C40", "U5")),
    Case("quiet A/V switch", "All lanes read well, it charges and starts, no picture, and the code points there.",
         ("U3:quiet_failure",), (Intake("x", ("no_dock", "code_T34")), Look(("clean",)), *GOOD, PORT, "C30.1", "C33.1",
                                 Proof("boot", True), Proof("dock_a", False), Proof("dock_b", False)),
         ("U3",), 0.6, ("U1",)),
    Case("dark one way up", "It docks with the B side up, so the A/V switch works, and the A side's own lanes are it.",
         ("FL1:open_winding:1:2",), (Intake("x", ("no_dock",)), Look(("clean",)), *GOOD, Proof("dock_a", False),
                                     Proof("dock_b", True), PORT, "FL1.1", "FL1.2"), ("FL1",), 0.7, ("U3", "FL3")),
    Case("quiet PD controller", "No negotiation, nothing shorted, and its output stays off under power.",
         ("U1:quiet_failure",), (Intake("x", ("no_charge", "code_T21")), Look(("clean",)), *SMALL, PORT,
                                 RailVolts("VCHG", 0.05, "a")), ("U1",), 0.8, ("U2",)),
    Case("quiet charger IC", "No rail is shorted, the PD controller lets 5 V through, and no system rail comes of it.",
         ("U2:quiet_failure",), (Intake("x", ("no_charge",)), Look(("clean",)), *SMALL, PORT, "C22.1",
                                 "L1.1", "C27.1", "R1.1", "C45.1", "C33.1", RailVolts("VCHG", 5.0, "a"),
                                 RailVolts("SYS", 0.1, "a")), ("U2",), 0.6, ("U1",)),
    Case("shorted diode at the port", "The draw blinks, VBUS sits on ground at all four contacts, and D5 warms.",
         ("D5:hard_short:1",), (Intake("x", ("no_charge",)), Look(("clean",)), *BLINKING, PORT,
                                Injection("VBUS", 5.0, 1.8, "D5")), ("D5",), 0.85, ("U1",)),
    Case("bent contacts", "Two neighbours touch: both read as one, and the look has seen it.",
         ("J1:crossed_contacts:A10:A11",), (Intake("x", ("no_dock",)), Look(("crossed",), ("A10", "A11")), PORT),
         ("J1",), 0.8, ("U3",)),
    Case("broken trace to the charger", "VCHG reads well at the PD controller and OL at the charger's capacitor.",
         ("trace:broken_trace:VCHG",), (Intake("x", ("no_charge",)), Look(("clean",)), *SMALL, PORT, "C18.1", "C20.1",
                                        "C21.1"), ("trace VCHG",), 0.8, ("U2",)),
    Case("second fault after a repair", "The port was open and is new; the same lane still reads OL: the filter too.",
         ("FL5:open_winding:3:4",), (Intake("x", ("no_dock",)), Look(("bent",), ("A11",)),
                                     Readings(Method.DIODE_RED_GROUND, (PointReading("J1.A10", float("inf")),
                                                                        PointReading("J1.A11", float("inf"))), "M1"),
                                     Rework("replace", "J1"), "J1.A10", "J1.A11", "FL5.3-4"), ("J1", "FL5"), 0.8),
    Case("flat cell", "A small steady draw in the first minute and nothing off: no chip is convicted for it.",
         (), (Intake("x", ("no_start",)), Look(("clean",)), *SMALL, PORT), (), 0.0, ("J1", "F1")),
    Case("fan that takes the 5 V rail down", "The rail is shorted until the fan is unplugged.",
         ("J3:hard_short:1",), (Intake("x", ("fan_still",)), Look(("clean",)), *SMALL, "C45.1", Isolation(("J3",)),
                                "C45.1"), ("J3",), 0.8, ("U6",)),
    Case("healthy unit, bad supply", "Full power both ways on the shop's own, all checks pass: nothing is wrong.",
         (), (Intake("x", ("no_charge",)), Look(("clean",)), *GOOD, PORT, Proof("charge_a", True),
              Proof("charge_b", True), Proof("boot", True), Proof("dock_a", True), Proof("dock_b", True),
              Proof("rails", True), Proof("touch", True)), (), 0.0, ("F1", "U2", "J1")),
    Case("two capacitors in each other's place", "It charges and the dock stays dark; every line reads well, and only "
         "farads tell: one too few here, one too few there.",
         ("C60:wrong_part", "C30:wrong_part"), (Intake("x", ("no_dock",), history="opened before"), Look(("clean",)),
                                                *GOOD, Proof("dock_a", False), Proof("dock_b", False), PORT, "C60.1",
                                                "C60.2", "C60.1-2", "C61.nF", "C60.nF", "C60.nF", "C30.nF", "C30.nF"),
         ("C60", "C30"), 0.6, ("U3",), ("repair", "measure", "unplug_cell", "look_board")),
    Case("port packed with dirt", "Dirt imitates a dead port: it is cleaned and looked at again before anything else.",
         (), (Intake("x", ("no_charge",)), Look(("dirt",))), (), 0.0, (), ("clean",)),
    Case("cleaned and well", "After cleaning it draws both ways and reads well: it is tried, and nothing is opened.",
         (), (Intake("x", ("no_charge",)), Look(("dirt",)), Rework("clean", "J1"), Look(("clean",)), *GOOD, PORT),
         (), 0.0, ("J1", "F1", "U1"), ("prove", "try", "supply")),
    Case("corrosion round a capacitor", "It got wet and is dry; green by C14, and its line reads low: the capacitor or "
         "the chip behind it, and a touch decides which.",
         ("C14:leaky_part:1",), (Intake("x", ("one_way",), history="got wet", signs=("wet",)), Look(("clean",)),
                                 Cell("unplugged"), Danger(("wet",), "cleared"), Access("board_out"),
                                 BoardLook("top", (PartSeen("C14", "corroded"),)), PORT), ("C14", "U1"), 0.2, ("U3",),
         ("measure", "supply")),
    Case("bridge left by earlier work", "Solder between the lines of FL5 was seen: it is put right before any power.",
         ("FL5:bridged_windings:1:3",), (Intake("x", ("no_dock",)), Look(("clean",)), Cell("unplugged"),
                                         Access("board_out"), BoardLook("top", (PartSeen("FL5", "bridged"),)), PORT),
         ("FL5",), 0.5, (), ("repair", "measure")),
    Case("part left out by earlier work", "A capacitor is not there: no reading tells, but it shows when looked at.",
         ("C62:missing_part",), (Intake("x", ("no_dock",)), Look(("clean",)), *GOOD, PORT, Access("board_out"),
                                 BoardLook("bottom", (PartSeen("C62", "missing"),))), ("C62",), 0.9),
    Case("two meters in one job", "The port is read with one meter, the filter with another that shows 20 mV more.",
         ("FL5:open_winding:3:4",), (Intake("x", ("no_dock",)), Look(("clean",)), *GOOD, PORT, "M2 FL5.3", "M2 FL5.4",
                                     "M2 FL5.3-4"), ("FL5",), 0.95, ("U3", "J1")),
    Case("joint that did not take", "The filter was replaced and still reads open across: the new one, not the chip.",
         ("FL5:open_winding:3:4",), (Intake("x", ("no_dock",)), Look(("clean",)), *GOOD, PORT, "FL5.3-4",
                                     Access("board_out"), Rework("replace", "FL5", audit=AUDIT_STEPS), "FL5.3-4",
                                     "FL5.3-4"), ("FL5",), 0.8, ("U3",)),
    Case("second fault made by the repair", "The PD controller was quiet and is new; a line of it reads open now.",
         ("U1:quiet_failure",), (Intake("x", ("no_charge", "code_T21")), Look(("clean",)), *SMALL, PORT,
                                 RailVolts("VCHG", 0.05, "a"), Access("board_out"), "C12.1",
                                 Rework("replace", "U1", audit=AUDIT_STEPS), "-U1", "+U1:lifted_joint:VDD", "C12.1",
                                 "C12.1", "J1.A5", "J1.B5", "C13.1"), ("U1",), 0.5, ("F1", "U2"),
         ("recheck", "measure", "audit", "repair")),
    Case("hurt by heat", "The capacitor is new and well; a touch later its neighbour's line has no capacitor any more.",
         ("C14:hard_short:1",), (Intake("x", ("one_way",)), Look(("clean",)), PORT, Access("board_out"),
                                 Rework("replace", "C14", audit=AUDIT_STEPS), "-C14", "J1.B5", "C14.1"), (), 0.0,
         ("U1", "U3"), ("recheck", "measure", "cause", "assemble", "prove", "supply")),
    Case("slip of the hand", "One touch read open and the next well: nobody is suspected for it.",
         (), (Intake("x", ("no_dock",)), Look(("clean",)), *GOOD,
              Readings(Method.DIODE_RED_GROUND, (PointReading("J1.A10", float("inf")),), "M1"), PORT, "J1.A10"),
         (), 0.0, ("J1", "FL5")),
    Case("bad dock", "With a known-good dock the picture is there: the unit is well, the owner's dock is not.",
         (), (Intake("x", ("no_dock",)), Look(("clean",)), *GOOD, Swap("dock", "no_dock", True), PORT), (), 0.0,
         ("FL5", "J1"), ("prove", "try")),
    Case("plug that has to be held", "One way up the draw comes and goes with the plug, and its CC contact reads "
         "open: it is the port.",
         ("J1:open_contact:A5",), (Intake("x", ("no_charge",)), Look(("clean",)),
                                   Supply("a", 5.1, 0.0, position="resting"), Supply("a", 9.0, 1.9, position="pushed"),
                                   Supply("b", 9.0, 1.9), PORT), ("J1",), 0.6, ("U1", "U2")),
    Case("leak that goes with a capacitor", "The line reads low, and well with C14 off it: the capacitor leaks.",
         ("C14:leaky_part:1",), (Intake("x", ("one_way",)), Look(("clean",)), PORT, Access("board_out"),
                                 Isolation(("C14",)), "J1.B5", "J1.B5"), ("C14",), 0.8, ("U1",)),
)


class StoriesTest(unittest.TestCase):
    def played(self, case: Case) -> tuple[Payload, ...]:
        known = duo_advice().model.hypotheses.faults
        faults = [fault_named(known, name) for name in case.faults]
        unit = SimulatedBoard(duo_board(), [(f, f.variants[0][0]) for f in faults], np.random.default_rng(21))
        payloads: list[Payload] = [JobOpened("T-1", "Tarnwick Duo", "tarnwick-duo-c")]
        powered = True
        for step in case.steps:
            if isinstance(step, str) and step[0] in "+-":
                if step[0] == "-":
                    unit.mend(step[1:], "replace")
                else:
                    made = fault_named(known, step[1:])
                    unit.faults.append((made, made.variants[0][0]))
                continue
            if isinstance(step, str):
                meter, _, name = step.rpartition(" ")
                if powered:
                    payloads.append(Cell("unplugged"))
                    powered = False
                points = duo_board().port_point_ids() if name == PORT else (name,)
                by = METER_M2 if meter else METER_M1
                method = duo_board().point_by_id[points[0]].default_method
                payloads.append(Readings(method, tuple(PointReading(p, unit.read(p, method, by)) for p in points),
                                         by.name))
                continue
            if isinstance(step, Isolation):
                unit.isolate(step)
            payloads.append(step)
        return tuple(payloads)

    def test_there_are_enough_and_each_has_its_reason(self) -> None:
        self.assertGreaterEqual(len(CASES), 30)
        self.assertEqual(len({case.name for case in CASES}), len(CASES))
        self.assertTrue(all(len(case.why) > 40 for case in CASES))

    def test_each_is_ranked_as_it_must_be(self) -> None:
        for case in CASES:
            with self.subTest(case.name):
                done = assess(duo_advice(), trail_of(*self.played(case)))
                chance: dict[str, float] = {}
                for fault, share in zip(done.posterior.hypotheses.faults, done.posterior.faults.tolist(), strict=True):
                    chance[fault.part] = chance.get(fault.part, 0.0) + share
                chance.pop("something else")
                first = sorted(chance, key=lambda p: -chance[p])[:len(case.ranking)]
                self.assertEqual(set(first), set(case.ranking), {p: round(chance[p], 2) for p in first})
                for part in case.ranking:
                    self.assertGreaterEqual(chance[part], case.least, part)
                for part in case.never:
                    self.assertLess(chance.get(part, 0.0), 0.1, part)
                if case.course:
                    self.assertIn(done.advice.next.kind, case.course, done.advice.next.title)
