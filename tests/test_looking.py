"""Looking over the board, and known-good things in place of the owner's: evidence, advice, and the window."""

from __future__ import annotations

import math
import unittest
from dataclasses import replace
from itertools import pairwise

import numpy as np

from dextrum.app.advising.assess import Assessment, assess
from dextrum.app.advising.looking import parse_board_look
from dextrum.app.bench.simulated_technician import SimulatedTechnician
from dextrum.app.handover.handover import make_sheet
from dextrum.core.advice.elimination import rail_again
from dextrum.core.advice.looking import board_look_actions, look_outcomes
from dextrum.core.advice.measuring import measure_actions
from dextrum.core.advice.weighing import Weighing
from dextrum.core.assumptions.looks import RAISED, SEEN_WATTS, SHOWN_BY_MISTAKE
from dextrum.core.board import Method, Side
from dextrum.core.circuit.injecting import injection_limits
from dextrum.core.diagnosis.board_look import board_look_parts, region_gain, shown_as, shows_on
from dextrum.core.diagnosis.hypotheses import FIRST_FAULT_ROW, NOTHING_ROW
from dextrum.core.diagnosis.injection import watts_in
from dextrum.core.diagnosis.likelihood import look_log_likelihood, look_parts
from dextrum.core.diagnosis.telling import SideLook, looks_told
from dextrum.core.faults.registry import KINDS
from dextrum.core.job import job_facts
from dextrum.core.trail import (
    AUDIT_STEPS,
    Access,
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
    RailVolts,
    Readings,
    Rework,
    Strike,
    Supply,
    Swap,
)
from dextrum.errors import EntryRefusedError
from dextrum.instruments.decided_unit import DecidedUnit
from dextrum.instruments.simulated_board import METER_M1, SimulatedBoard
from dextrum.store.entries import new_entry, payload_from_json, payload_to_json, payload_version
from dextrum.store.jobs import JobStore
from tests.support import DUO, START, duo_advice, duo_board, fault_named, replaced, trail_of
from tests.window_support import CTRL, SHIFT, Key, WindowCase

RED = Method.DIODE_RED_GROUND
OPENED = JobOpened("SLS-0801", "Tarnwick Duo", DUO)
NO_DOCK = Intake("no picture", ("no_dock",))


def rows_of(name: str) -> np.ndarray:
    hypotheses = duo_advice().model.hypotheses
    index = next(i for i, f in enumerate(hypotheses.faults) if f.id == name)
    return np.flatnonzero(hypotheses.fault_of_row == index)


def assessed(*payloads: Payload) -> Assessment:
    return assess(duo_advice(), trail_of(*payloads))


def chance(done: Assessment, name: str) -> float:
    faults = [f.id for f in done.posterior.hypotheses.faults]
    return float(done.posterior.faults[faults.index(name)])


class BoardLookTest(unittest.TestCase):
    def test_a_missing_part_that_is_seen_weighs_as_stated(self) -> None:
        model = duo_advice().model
        total, shared = board_look_parts(model, SideLook(Side.BOTTOM, (PartSeen("C62", "missing"),)))
        expected = np.log(KINDS[fault_named(model.hypotheses.faults, "C62:missing_part").kind].shown[1]
                          / SHOWN_BY_MISTAKE["missing"])
        np.testing.assert_allclose(total[rows_of("C62:missing_part")] - total[NOTHING_ROW], expected)
        self.assertEqual(len(shared), 0)
        # Another missing part would have been seen as well.
        np.testing.assert_allclose(total[rows_of("C61:missing_part")] - total[NOTHING_ROW], np.log(0.1))

    def test_nothing_amiss_speaks_against_what_would_show_on_that_side_alone(self) -> None:
        model = duo_advice().model
        top, _ = board_look_parts(model, SideLook(Side.TOP, ()))
        bottom, _ = board_look_parts(model, SideLook(Side.BOTTOM, ()))
        self.assertLess(float((top - top[NOTHING_ROW]).max()), 1e-12)
        both = shows_on(model, Side.TOP) * shows_on(model, Side.BOTTOM)
        self.assertEqual(float(both.max()), 0.0)
        self.assertTrue((top[shows_on(model, Side.BOTTOM) > 0] == 0.0).all())
        self.assertTrue((bottom[shows_on(model, Side.BOTTOM) > 0] < 0.0).all())

    def test_corrosion_raises_its_region_and_fades(self) -> None:
        model = duo_advice().model
        board = model.board
        place = board.component_by_designator["U3"]
        gain = region_gain(model, "U3", "corroded")
        self.assertAlmostEqual(float(gain.max()), np.log(RAISED["corroded"]))
        away = {p.designator: np.hypot(p.x_mm - place.x_mm, p.y_mm - place.y_mm) for p in board.components
                if p.side is place.side}
        of = model.hypotheses.fault_of_row
        by_part: dict[str, float] = {}
        for r in range(2, len(gain)):
            fault = model.hypotheses.faults[int(of[r])]
            by_part[fault.part] = max(by_part.get(fault.part, 0.0), float(gain[r]))
            if KINDS[fault.kind].by_hands:
                self.assertEqual(float(gain[r]), 0.0, "liquid swaps no parts")
        near = sorted((d, by_part[p]) for p, d in away.items() if p in by_part)
        self.assertTrue(all(a >= b - 1e-12 for (_, a), (_, b) in pairwise(near)))
        self.assertEqual(near[-1][1], 0.0)

    def test_a_corroded_port_raises_what_is_near_it(self) -> None:
        model = duo_advice().model
        wet, shared = look_parts(model, Look(("corroded",)))
        self.assertEqual(len(shared), 1)
        self.assertGreater(float((wet - wet[NOTHING_ROW]).max()), 1.0)
        self.assertLess(float(np.abs(wet - wet[NOTHING_ROW])[rows_of("U5:quiet_failure")].max()), 1e-9)

    def test_one_region_counts_once_for_two_faults_in_it(self) -> None:
        look = BoardLook("top", (PartSeen("U3", "corroded"),))
        done = assessed(OPENED, NO_DOCK, Look(("clean",)), look)
        evidence = done.posterior.evidence
        witness = next(w for w, item in zip(evidence.witnesses, evidence.items, strict=True)
                       if item.kind == "board look")
        one, other = int(rows_of("U3:quiet_failure")[0]), int(rows_of("C62:missing_part")[0])
        of = witness.of_sets(duo_advice().model, np.array([[one, -1], [other, -1], [one, other]]))
        base = float(witness.rows[NOTHING_ROW])
        gain = region_gain(duo_advice().model, "U3", "corroded")
        self.assertAlmostEqual(of[2] - base, (of[0] - base) + (of[1] - base) - gain[other], delta=1e-9)

    def test_missing_is_believed_and_striking_it_out_restores(self) -> None:
        begun = (OPENED, NO_DOCK, Look(("clean",)))
        before, look = assessed(*begun), BoardLook("bottom", (PartSeen("C62", "missing"),))
        seen = assessed(*begun, look)
        self.assertGreater(chance(seen, "C62:missing_part"), 0.8)
        self.assertIn("C62", [s.fault.part for s in seen.suspects][:1])
        back = assessed(*begun, look, Strike("e3"))
        np.testing.assert_allclose(back.posterior.faults, before.posterior.faults, atol=1e-12)
        strange = assessed(*begun, BoardLook("top", (PartSeen("X99", "burst"),)))
        none = assessed(*begun, BoardLook("top"))
        np.testing.assert_allclose(strange.posterior.faults, none.posterior.faults, atol=1e-12)

    def test_what_was_seen_before_is_told_once(self) -> None:
        """By a count, an audit or a look of an earlier repair; not by the look of the same side that it replaces."""
        seen, wet = (PartSeen("C32", "missing"),), PartSeen("U3", "corroded")
        side, empty = BoardLook("bottom", seen), "C32:missing_part"
        count, audit = BoardLook("bottom", seen, before_heat_on="U3"), Audit(AUDIT_STEPS, part="U3", seen=seen)
        dark = OPENED, NO_DOCK, Look(("clean",))
        counted, once = assessed(*dark, count), assessed(*dark, side)
        for again in ((count, side), (count, side, side)):
            with self.subTest(again=[look.before_heat_on for look in again]):
                odds = self.told_of(assessed(*dark, *again), empty)
                self.assertAlmostEqual(odds, self.told_of(counted, empty), delta=1e-9)
        self.assertAlmostEqual(self.told_of(assessed(*dark, side, side), empty),
                               self.told_of(once, empty), delta=1e-9)
        self.assertAlmostEqual(self.told_of(assessed(*dark, side, count), empty),
                               self.told_of(once, empty), delta=1e-9)
        repaired = *dark, replaced("U3"), audit
        self.assertAlmostEqual(self.told_of(assessed(*repaired, side), empty),
                               self.told_of(assessed(*repaired), empty), delta=1e-9)
        round_wet = (SideLook(Side.BOTTOM, (wet,), frozenset({("U3", "corroded")})), SideLook(Side.BOTTOM, ()))
        known, clean = (board_look_parts(duo_advice().model, look) for look in round_wet)
        np.testing.assert_allclose(known[0], clean[0])
        self.assertEqual(len(known[1]), 0)

    def test_a_look_that_no_longer_shows_it_speaks_against_it(self) -> None:
        dark = OPENED, NO_DOCK, Look(("clean",))
        seen = BoardLook("bottom", (PartSeen("C32", "missing"),))
        gone, never = assessed(*dark, seen, BoardLook("bottom")), assessed(*dark, BoardLook("bottom"))
        np.testing.assert_allclose(gone.posterior.faults, never.posterior.faults, atol=1e-12)
        anew = assessed(*dark, seen, BoardLook("bottom"), seen)
        self.assertAlmostEqual(chance(anew, "C32:missing_part"), chance(assessed(*dark, seen), "C32:missing_part"))

    def test_a_look_that_was_corrected_keeps_nothing_from_being_told_after_a_repair(self) -> None:
        mistaken, none = BoardLook("bottom", (PartSeen("C32", "missing"),)), BoardLook("bottom")
        self.assertFalse(looks_told(trail_of(mistaken, none)))
        self.assertEqual(looks_told(trail_of(mistaken, BoardLook("top"), none, mistaken)), {("C32", "missing")})
        dark = OPENED, NO_DOCK, Look(("clean",))
        corrected = assessed(*dark, mistaken, none, replaced("U3"), mistaken)
        never = assessed(*dark, none, replaced("U3"), mistaken)
        np.testing.assert_allclose(corrected.posterior.faults, never.posterior.faults, atol=1e-9)
        self.assertGreater(chance(corrected, "C32:missing_part"), 0.5)

    def told_of(self, done: Assessment, name: str) -> float:
        """ln of how much likelier all looks make a fault than a unit without any."""
        row, evidence = int(rows_of(name)[0]), done.posterior.evidence
        return sum(float(witness.rows[row] - witness.rows[NOTHING_ROW])
                   for witness, item in zip(evidence.witnesses, evidence.items, strict=True)
                   if item.kind.endswith(" look"))

    def test_payloads_check_themselves_and_travel(self) -> None:
        for payload in (BoardLook("bottom", (PartSeen("U3", "burst"), PartSeen("C17", "worked_on")), "flux"),
                        Swap("dock", "no_dock", True)):
            kind = payload.kind
            self.assertEqual(payload_from_json(payload_to_json(payload), payload_version(kind)), payload)
        for wrong in (lambda: PartSeen("", "burst"), lambda: PartSeen("U1", "ugly"), lambda: Swap("fan", "", True),
                      lambda: BoardLook("top", (PartSeen("U1", "burst"),) * 500)):
            with self.assertRaises(ValueError):
                wrong()

    def test_the_simulated_eye_sees_as_often_as_is_assumed_and_changes_no_reading(self) -> None:
        faults = duo_advice().model.hypotheses.faults
        for name in ("C62:missing_part", "U3:lifted_joint:V18"):
            fault = fault_named(faults, name)
            what, share = shown_as(duo_board(), fault)
            side = duo_board().component_by_designator[fault.part].side
            hits = sum(PartSeen(fault.part, what) in SimulatedBoard(
                duo_board(), [(fault, 0.0)], np.random.default_rng(seed)).look_over(side) for seed in range(300))
            self.assertLess(abs(hits / 300 - share), 4.0 * np.sqrt(share * (1 - share) / 300), name)
        fault = fault_named(faults, "C62:missing_part")
        units = [SimulatedBoard(duo_board(), [(fault, 0.0)], np.random.default_rng(9)) for _ in range(2)]
        self.assertNotIn("C62", [seen.part for seen in units[0].look_over(Side.TOP)])
        looked = units[0].look_over(Side.BOTTOM)
        self.assertEqual(looked[:1], units[0].look_over(Side.BOTTOM)[:1])
        self.assertEqual(*(unit.read("C62.1", RED, METER_M1) for unit in units))


class LookingAdviceTest(unittest.TestCase):
    def weighing(self, *payloads: Payload) -> Weighing:
        done = assessed(*payloads)
        return Weighing(duo_advice(), done.posterior, done.facts)

    def test_each_side_is_offered_once_and_its_outcomes_are_all_there_is(self) -> None:
        weighing = self.weighing(OPENED, NO_DOCK, Look(("clean",)))
        actions = board_look_actions(weighing)
        self.assertEqual({a.target for a in actions}, {"top", "bottom"})
        for action in actions:
            joint = weighing.joints["look_board", action.target]
            np.testing.assert_allclose(joint.sum(axis=0), weighing.weight, rtol=1e-5)
        again = self.weighing(OPENED, NO_DOCK, Look(("clean",)), BoardLook("top"))
        self.assertEqual({a.target for a in board_look_actions(again)}, {"bottom"})
        deeper = self.weighing(OPENED, NO_DOCK, Look(("clean",)), Access("board_out"))
        cheaper = {a.target: a.minutes for a in board_look_actions(deeper)}
        self.assertLess(cheaper["bottom"], {a.target: a.minutes for a in actions}["bottom"])

    def test_a_place_that_a_count_showed_empty_is_no_news_to_the_look_over_its_side(self) -> None:
        seen, one = BoardLook("bottom", (PartSeen("C32", "missing"),), before_heat_on="U3"), rows_of("C32:missing_part")
        trail = OPENED, NO_DOCK, Look(("clean",)), seen
        shows, done = shows_on(duo_advice().model, Side.BOTTOM), assessed(*trail)
        for known, facts in ((True, done.facts), (False, replace(done.facts, counted_before=()))):
            with self.subTest(known=known):
                weighing = Weighing(duo_advice(), done.posterior, facts)
                names, joint = look_outcomes(weighing, shows)
                alone = np.array([set(rows[rows >= FIRST_FAULT_ROW].tolist()) <= set(one.tolist())
                                  for rows in weighing.sets]) & (weighing.sets >= FIRST_FAULT_ROW).any(axis=1)
                nothing = float(joint[-1, alone].sum() / weighing.weight[alone].sum())
                self.assertAlmostEqual(nothing, 1.0 if known else float(1.0 - shows[one[0]]), places=4)
                self.assertEqual("C32 missing" in names, not known)
                self.assertEqual(names[-1], "nothing more amiss" if known else "nothing amiss")
                np.testing.assert_allclose(joint.sum(axis=0), weighing.weight, rtol=1e-5)
        fitted = self.weighing(*trail, Rework("replace", "C32", "stock"))
        self.assertEqual(look_outcomes(fitted, shows)[0][-1], "nothing amiss")

    def test_a_point_that_tells_nothing_never_seems_to_pay(self) -> None:
        """Two looked at together must not get the way to a deeper level for nothing."""
        weighing = self.weighing(OPENED, Intake("dead", ("no_start",)), Look(("clean",)), Cell("unplugged"),
                                 Access("back_off"), Readings(RED, (PointReading("L2.2", 0.02),), "M1"))
        told = 0
        for action in measure_actions(weighing):
            place = np.array([weighing.advice.outcomes.place[action.target]])
            outcomes = weighing.outcome_chances(place)[0]
            if float(np.ptp(outcomes, axis=1).max()) < 1e-9:
                told += 1
                self.assertGreaterEqual(action.expected, weighing.now - 0.02, action.target)
            self.assertGreater(action.expected, 0.0)
        self.assertGreaterEqual(len(measure_actions(weighing)), 4, told)

    def test_a_damaged_port_comes_off_before_any_chip(self) -> None:
        """Two contacts that read alike are crossed: no reading shows it, but it was seen."""
        faults = duo_advice().model.hypotheses.faults
        unit = DecidedUnit(duo_board(), [(fault_named(faults, name), ohms) for name, ohms in (
            ("J1:crossed_contacts:A2:A3", 0.3), ("U1:partial_short:SCL", 25.0), ("FL1:open_winding:1:2", 0.0))],
                           np.random.default_rng(3))
        technician = SimulatedTechnician(duo_advice(), unit, METER_M1, "test", START)
        technician.open("B-1", Intake("dead", ("no_charge", "no_start")))
        technician.note(Look(("crossed",)))
        technician.work(most_steps=40, stop=lambda action, _: action.kind == "repair")
        action = technician.assessment().advice.next
        self.assertEqual((action.kind, action.target), ("repair", "J1"))
        self.assertIn("nothing is plugged in", action.why)

    def test_which_contacts_are_damaged_says_more_than_that_some_are(self) -> None:
        """A scar that means nothing may be at any of 24 contacts: P(seen here | none at fault) is a 24th of that."""
        model, places = duo_advice().model, 24
        faults = model.hypotheses.faults
        some, named = (look_log_likelihood(model, Look(("bent",), contacts)) for contacts in ((), ("A5",)))
        rows = {faults[f].id: r for r, f in enumerate(model.hypotheses.fault_of_row) if r >= 2}
        here, there = rows["J1:open_contact:A5"], rows["J1:open_contact:B3"]
        self.assertAlmostEqual(named[here] - named[0], math.log(0.6 / (0.04 / places)), places=9)
        self.assertAlmostEqual(some[here] - some[0], math.log(0.6 / 0.04), places=9)
        self.assertAlmostEqual(named[there], named[0], places=9)
        found = assess(duo_advice(), trail_of(OPENED, Intake("no charge", ("no_charge",)), Look(("bent",), ("A5",))))
        self.assertGreater(found.chance_by_part["J1"], 0.9)

    def test_after_two_repairs_and_a_failed_proof_a_third_fault_is_thought_of(self) -> None:
        faults = duo_advice().model.hypotheses.faults
        unit = DecidedUnit(duo_board(), [(fault_named(faults, name), ohms) for name, ohms in (
            ("U1:hard_short:SDA", 0.3), ("U6:hard_short:OUT", 3.0), ("U4:partial_short:IN", 25.0))],
                           np.random.default_rng(5))
        technician = SimulatedTechnician(duo_advice(), unit, METER_M1, "test", START)
        technician.open("B-1", Intake("dead", ("no_charge", "no_start", "no_rails", "fan_still", "code_T47")))
        technician.note(Look(("clean",)))

        technician.work(most_steps=45)
        facts = job_facts(technician.trail)
        self.assertEqual([rework.part for _, rework in facts.reworks], ["U4", "U6", "U1"])
        self.assertEqual(facts.outcome.result if facts.outcome else "", "repaired")
        self.assertEqual(unit.harmful(), ())

    def test_a_signal_lines_short_gets_power_that_is_seen_and_never_more_than_a_watt(self) -> None:
        for ohms in (0.0, 0.5, 1.5, 4.0):
            limits = injection_limits(0.45, ohms)
            self.assertLessEqual(limits.volts * limits.amps, 1.0 + 0.01)
            self.assertLessEqual(limits.volts, 0.45)
            hard = watts_in(np.array([1 / 0.3, 1 / 3.0]), limits.volts, limits.amps)
            self.assertTrue((hard > SEEN_WATTS["camera"]).all(), f"{ohms}: {hard}")


class ReadAgainTest(unittest.TestCase):
    """What one reading may have got wrong is asked for once more before it costs a chip, and not for ever."""

    BEGUN = (OPENED, Intake("dead", ("no_start",)), Look(("clean",)), Supply("a", 9.0, 1.6), Supply("b", 9.0, 1.6))

    def test_two_readings_of_a_rail_weigh_more_than_one_and_a_third_that_differs_counts_alone(self) -> None:
        missing = RailVolts("V3V3", 0.05, "a")
        once, twice = assessed(*self.BEGUN, missing), assessed(*self.BEGUN, missing, RailVolts("V3V3", 0.2, "a"))
        self.assertLess(twice.posterior.nothing, once.posterior.nothing)
        self.assertGreater(chance(twice, "U4:quiet_failure"), chance(once, "U4:quiet_failure"))
        item = next(i for i in twice.posterior.evidence.items if i.kind == "rail")
        self.assertEqual((item.touches, item.seen), (2, "0.20 V"))
        up = assessed(*self.BEGUN, missing, RailVolts("V3V3", 3.3, "a"))
        plain = assessed(*self.BEGUN, RailVolts("V3V3", 3.3, "a"))
        np.testing.assert_allclose(up.posterior.faults, plain.posterior.faults, atol=1e-12)

    def test_a_missing_rail_is_read_again_but_not_a_third_time(self) -> None:
        missing = RailVolts("V3V3", 0.05, "a")
        for payloads, target in (((missing,), "V3V3"), ((missing, missing), ""), ((RailVolts("V3V3", 3.3, "a"),), ""),
                                 ((missing, Rework("replace", "U4")), "")):
            done = assessed(*self.BEGUN, *payloads)
            action = rail_again(Weighing(duo_advice(), done.posterior, done.facts))
            self.assertEqual(action.target if action is not None else "", target, payloads)

    def test_a_draw_in_doubt_is_waited_for_a_few_times_only(self) -> None:
        small = [Supply("a", 5.05, 0.1, minute=1.0 + 20.0 * k) for k in range(9)]
        offered = []
        for waits in (0, 1, 8):
            done = assessed(OPENED, Look(("clean",)), *small[:waits + 1])
            kinds = {a.kind for a in done.advice.ranked}
            offered.append(("wait_draw" in kinds, "swap_cell" in kinds))
        self.assertTrue(offered[0][0], offered)
        self.assertFalse(offered[2][0], offered)


class RememberedTest(unittest.TestCase):
    def test_what_was_weighed_before_changes_no_answer(self) -> None:
        """The same draw before a repair and after it says different things of the cell as it came in."""
        draw = Supply("a", 5.05, 0.1)
        before = (OPENED, Intake("dead", ("no_start",)), Look(("clean",)), draw)
        after = (OPENED, Intake("dead", ("no_start",)), Look(("clean",)), Rework("replace", "C17"), draw)
        fresh = []
        for payloads in (before, after):
            duo_advice().model.memory.vectors.clear()
            fresh.append(assessed(*payloads).posterior.faults)
        self.assertGreater(float(np.abs(fresh[0] - fresh[1]).max()), 1e-3)
        for order in ((0, 1), (1, 0)):
            duo_advice().model.memory.vectors.clear()
            for k in order:
                found = assessed(*(before, after)[k]).posterior.faults
                np.testing.assert_allclose(found, fresh[k], atol=1e-12)


class SwapTest(unittest.TestCase):
    BEGUN = (OPENED, NO_DOCK, Look(("clean",)))

    def test_gone_with_a_known_good_dock_clears_the_board(self) -> None:
        before = assessed(*self.BEGUN)
        gone = assessed(*self.BEGUN, Swap("dock", "no_dock", True))
        still = assessed(*self.BEGUN, Swap("dock", "no_dock", False))
        self.assertGreater(gone.posterior.nothing, 3 * before.posterior.nothing)
        self.assertLess(chance(gone, "U3:quiet_failure"), chance(before, "U3:quiet_failure"))
        self.assertLess(still.posterior.nothing, before.posterior.nothing)
        latest = assessed(*self.BEGUN, Swap("dock", "no_dock", False), Swap("dock", "no_dock", True))
        np.testing.assert_allclose(latest.posterior.faults, gone.posterior.faults, atol=1e-12)

    def test_an_unknown_symptom_says_nothing(self) -> None:
        before, after = assessed(*self.BEGUN), assessed(*self.BEGUN, Swap("fan", "sings", True))
        np.testing.assert_allclose(before.posterior.faults, after.posterior.faults, atol=1e-12)

    def test_the_sheet_says_what_was_seen_and_what_to_stop_using(self) -> None:
        trail = trail_of(*self.BEGUN, BoardLook("bottom", (PartSeen("C62", "missing"),)), Swap("dock", "no_dock", True),
                         Rework("replace", "C62"), Proof("dock_a", True))
        sheet = make_sheet(duo_board(), duo_advice().model.references, trail, "bench", "Ines", START)
        self.assertIn("Looking over the board, bottom side: C62 missing.", sheet.found)
        self.assertTrue(any("known-good dock" in line and "was gone" in line for line in sheet.found))
        self.assertEqual(sheet.stop_using, "Stop using the dock that came with it.")
        self.assertEqual(dict(job_facts(trail).parts_seen), {})


class TypedLookTest(unittest.TestCase):
    def test_what_is_typed(self) -> None:
        board = duo_board()
        for text, wanted in (("", ()), ("c62 missing", (PartSeen("C62", "missing"),)),
                             ("C61 C62 gone, c64 is cracked", (PartSeen("C61", "missing"), PartSeen("C62", "missing"),
                                                              PartSeen("C64", "burst"))),
                             ("C61 worked on before", (PartSeen("C61", "worked_on"),)),
                             ("C62 missing C62 missing", (PartSeen("C62", "missing"),))):
            self.assertEqual(parse_board_look(board, "bottom", text), wanted, text)

    def test_what_is_refused(self) -> None:
        for text, words in (("X99 missing", "no part"), ("missing", "A part comes first"), ("C62", "What is wrong"),
                            ("U1 missing", "top side"), ("C62 purple", "no part")):
            with self.assertRaises(EntryRefusedError) as refused:
                parse_board_look(duo_board(), "bottom", text)
            self.assertIn(words, refused.exception.happened)


class LookingWindowTest(WindowCase):
    def fill(self, store: JobStore) -> None:
        store.add_trail(tuple(new_entry(p, "Ines", START) for p in (
            OPENED, NO_DOCK, Look(("clean",)), Cell("unplugged"), Access("back_off"))))

    def setUp(self) -> None:
        super().setUp()
        self.window.open_job(self.store.shelf()[0].id)
        self.settled()

    def test_a_missing_part_is_typed_shown_and_suspected(self) -> None:
        ask = self.window.ask
        self.key(Key.Key_B, CTRL)
        self.assertIn("C62 missing", ask.words.text())
        ask.choice.setCurrentIndex(ask.choice.findData("bottom"))
        self.type("c62 purple")
        self.key(Key.Key_Return)
        self.assertIn("purple", ask.trouble.text())
        self.assertEqual(ask.field.text(), "c62 purple")
        ask.field.clear()
        self.type("c62 missing")
        self.key(Key.Key_Return)
        self.assertEqual(dict(self.window.model.facts.parts_seen), {"C62": "missing"})
        self.settled()
        self.assertEqual(self.window.reasoning.suspects.rows[0].lead.fault.id, "C62:missing_part")
        self.window.show_view("board")
        plan = self.window.views["board"].plan  # type: ignore[attr-defined]
        self.assertEqual(plan.seen, {"C62": "missing"})
        self.assertFalse(plan.grab().isNull())
        self.key(Key.Key_Z, CTRL)
        self.assertEqual(dict(self.window.model.facts.parts_seen), {})

    def test_a_swap_is_recorded_and_a_held_gate_holds_it(self) -> None:
        ask = self.window.ask
        self.key(Key.Key_S, CTRL | SHIFT)
        self.assertIn("no picture", ask.choice.itemText(0))
        ask.choice.setCurrentIndex(ask.choice.findData("dock no_dock"))
        self.type("perhaps")
        self.key(Key.Key_Return)
        self.assertIn("gone, or still", ask.trouble.text())
        ask.field.clear()
        self.type("gone")
        self.key(Key.Key_Return)
        self.assertEqual(self.window.model.facts.swaps, (Swap("dock", "no_dock", True),))
        self.assertIn("was gone", self.window.trail.said.text())
        self.window.model.record(Look(("bent",)))
        self.key(Key.Key_S, CTRL | SHIFT)
        ask.choice.setCurrentIndex(ask.choice.findData("dock no_dock"))
        self.type("still")
        self.key(Key.Key_Return)
        self.assertIn("Hold", ask.trouble.text())
        self.key(Key.Key_Escape)
        self.assertEqual(len(self.window.model.facts.swaps), 1)


if __name__ == "__main__":
    unittest.main()
