"""What is seen while a part is off, and what the photo made before the work already shows."""

from __future__ import annotations

import math
import unittest

import numpy as np

from dextrum.app.advising.assess import Assessment, assess
from dextrum.app.advising.looking import parse_audit, parse_board_look
from dextrum.core.board import Fault, FaultKind, Side
from dextrum.core.diagnosis.after_repair import weigh_trail
from dextrum.core.diagnosis.board_look import audit_look_parts, pads_lie_bare
from dextrum.core.diagnosis.heat_reach import looked_round
from dextrum.core.diagnosis.telling import LookRound, looks_told
from dextrum.core.faults.listing import enumerate_faults
from dextrum.core.job import job_facts
from dextrum.core.trail import (
    AUDIT_STEPS,
    PADS,
    Access,
    Audit,
    Cell,
    Intake,
    Isolation,
    JobOpened,
    Look,
    PartSeen,
    Payload,
    Rework,
    Supply,
)
from dextrum.store.entries import new_entry
from dextrum.store.jobs import JobStore
from dextrum.world.numbers import DEFAULT
from dextrum.world.unit import WorldUnit
from tests.support import as_good, duo_advice, duo_board, fault_named, replaced, trail_of
from tests.window_support import Key, WindowCase

WITH_PADS = (*AUDIT_STEPS, PADS)
OFF_AT = "J1.A11"
BASE: tuple[Payload, ...] = (
    JobOpened("T-1", "Tarnwick Duo", "tarnwick-duo-c"), Intake("no dock", ("no_dock",)), Look(("clean",)),
    Supply("a", 9.1, 1.85), Supply("b", 9.1, 1.85), Cell("unplugged"), Access("board_out"),
    *as_good("J1.A10", OFF_AT, "J1.B10", but={OFF_AT: math.inf}))
NEAR = "C14"
"""A capacitor among those that are counted round the port."""


def weighed(*payloads: Payload) -> Assessment:
    return assess(duo_advice(), trail_of(*BASE, *payloads), explain=False)


def chance_of(found: Assessment, kind: FaultKind, part: str = "J1") -> float:
    faults = found.posterior.hypotheses.faults
    return float(sum(c for f, c in zip(faults, found.posterior.faults, strict=True)
                     if f.part == part and f.kind is kind))


class TornPadTest(unittest.TestCase):
    OFF_AGAIN = as_good(OFF_AT, but={OFF_AT: math.inf})

    def after(self, *audit: Audit) -> Assessment:
        return weighed(replaced("J1"), *audit, *self.OFF_AGAIN, *self.OFF_AGAIN)

    def test_a_pad_seen_torn_is_wired_and_the_port_is_not_changed_again(self) -> None:
        seen = self.after(Audit(WITH_PADS, part="J1", seen=(PartSeen("J1", "torn"),)))
        self.assertGreater(chance_of(seen, FaultKind.TORN_PAD), 0.8)
        wire = next(a for a in seen.advice.ranked if a.kind == "repair" and a.target == "J1")
        self.assertIn("Wire", wire.title)

    def test_pads_that_were_looked_at_and_are_whole_speak_against_it(self) -> None:
        whole, unseen = self.after(Audit(WITH_PADS, part="J1")), self.after(Audit(AUDIT_STEPS, part="J1"))
        self.assertLess(chance_of(whole, FaultKind.TORN_PAD), chance_of(unseen, FaultKind.TORN_PAD) / 2)

    def test_pads_lie_bare_only_under_a_port_that_was_off(self) -> None:
        board = duo_board()
        for payloads, part, bare in (((replaced("J1"),), "J1", True), ((replaced("J1", "reflow"),), "J1", False),
                                     ((replaced("J1"), replaced("J1", "wire")), "J1", False),
                                     ((replaced("U1"),), "U1", False), ((), "J1", False),
                                     ((replaced("J1"),), "J9", False)):
            facts = job_facts(trail_of(*BASE, *payloads))
            self.assertEqual(pads_lie_bare(board, part, facts.reworks), bare, (payloads, part))

    def test_what_is_seen_where_it_can_not_be_changes_no_other_part(self) -> None:
        model = duo_advice().model
        told, _ = audit_look_parts(model, LookRound("J1", (PartSeen("J1", "torn"),), True, frozenset()), frozenset())
        told = told - told[0]
        rows = np.flatnonzero(np.abs(told) > 1e-9)
        kinds = {model.hypotheses.faults[int(model.hypotheses.fault_of_row[r])].kind for r in rows
                 if told[r] > 0}
        self.assertEqual(kinds, {FaultKind.TORN_PAD})


class MissingBeforeTest(unittest.TestCase):
    PLAIN = Audit(AUDIT_STEPS, part="J1", seen=(PartSeen(NEAR, "missing"),))
    BEFORE = Audit(AUDIT_STEPS, part="J1", seen=(PartSeen(NEAR, "missing", True),))

    def test_heat_did_not_do_what_the_photo_shows_already(self) -> None:
        plain, before = (weighed(replaced("J1"), a) for a in (self.PLAIN, self.BEFORE))
        one, other = (chance_of(a, FaultKind.MISSING_PART, NEAR) for a in (plain, before))
        self.assertGreater(one, 0.9)
        self.assertLess(other / (1 - other), one / (1 - one) / 10)
        self.assertGreater(plain.posterior.new_since, 0.5)
        self.assertLess(before.posterior.new_since, 0.1)
        self.assertEqual(job_facts(trail_of(*BASE, replaced("J1"), self.BEFORE)).came_without, frozenset({NEAR}))
        self.assertFalse(job_facts(trail_of(*BASE, replaced("J1"), self.PLAIN)).came_without)

    def test_a_place_that_was_empty_is_as_empty_the_next_time(self) -> None:
        one = chance_of(weighed(replaced("J1"), self.BEFORE, replaced("F1")), FaultKind.MISSING_PART, NEAR)
        other = chance_of(weighed(replaced("J1"), self.BEFORE, replaced("F1"),
                                  Audit(AUDIT_STEPS, part="F1", seen=self.BEFORE.seen)), FaultKind.MISSING_PART, NEAR)
        self.assertAlmostEqual(one, other, delta=0.05)

    def test_what_a_part_looked_like_ends_with_work_on_it(self) -> None:
        self.assertEqual(looks_told(trail_of(*BASE, replaced("J1"), self.BEFORE)), {(NEAR, "missing")})
        self.assertFalse(looks_told(trail_of(*BASE, replaced("J1"), self.BEFORE, replaced(NEAR))))

    def test_it_is_not_fitted_while_nothing_fails_for_it(self) -> None:
        repairs = [a.target for a in weighed(replaced("J1"), self.BEFORE, *as_good(OFF_AT)).advice.ranked[:3]
                   if a.kind == "repair"]
        self.assertNotIn(NEAR, repairs)


class LiftedBeforeTest(unittest.TestCase):
    def test_a_part_replaced_while_it_was_off_may_have_left_something_too(self) -> None:
        """What is weighed after such a repair takes the part as back on the board."""
        model = duo_advice().model
        near = sorted(p for p in looked_round(model.board, model.heat, "D3") if p.startswith("C"))[0]
        seen = Audit(AUDIT_STEPS, part="D3", seen=(PartSeen(near, "missing"),))
        after: tuple[Payload, ...] = (replaced("D3"), seen, *as_good("J1.A10", OFF_AT))
        off, on = (weigh_trail(model, trail_of(*BASE, *lifted, *after)) for lifted in ((Isolation(("D3",)),), ()))
        self.assertEqual((off.since_repair, on.since_repair), ("D3", "D3"))
        self.assertLess(float(np.abs(off.rows - on.rows).max()), 0.02)


class WorldTest(unittest.TestCase):
    def unit(self, seed: int, *faults: str) -> WorldUnit:
        board = duo_board()
        known: tuple[Fault, ...] = tuple(enumerate_faults(board))
        return WorldUnit(DEFAULT, board, [(fault_named(known, name), 0.0) for name in faults],
                         np.random.default_rng(seed))

    def test_what_came_in_missing_is_told_from_what_work_knocked_off(self) -> None:
        came, hurt = 0, 0
        for seed in range(60):
            unit = self.unit(seed, "C14:missing_part")
            unit._of_rework("C13", frozenset({FaultKind.MISSING_PART}))
            seen = {s.part: s for s in unit.look_round(Side.TOP, frozenset({"C13", "C14"})) if s.what == "missing"}
            came += seen["C14"].before if "C14" in seen else 0
            hurt += seen["C13"].before if "C13" in seen else 0
        self.assertEqual(hurt, 0)
        self.assertGreater(came, 40)

    def test_a_torn_pad_is_seen_only_where_the_part_was_off(self) -> None:
        units = [self.unit(seed, "J1:torn_pad:A11") for seed in range(60)]
        self.assertFalse(any(s.what == "torn" for u in units for s in u.look_round(Side.TOP, frozenset({"J1"}))))
        seen = sum(any(s.what == "torn" for s in u.look_round(Side.TOP, frozenset({"J1"}), "J1")) for u in units)
        self.assertGreater(seen, 40)
        self.assertLess(seen, 60)


class TypedTest(unittest.TestCase):
    def test_before_holds_for_the_parts_it_stands_with(self) -> None:
        board = duo_board()
        for text, wanted in (
                ("C14 missing before", (PartSeen("C14", "missing", True),)),
                ("C13 missing, C14 C15 missing already before", (
                    PartSeen("C13", "missing"), PartSeen("C14", "missing", True), PartSeen("C15", "missing", True))),
                ("J1 pad torn; note: A11", (PartSeen("J1", "torn"),)),
                ("C13 worked on before", (PartSeen("C13", "worked_on"),))):
            self.assertEqual(parse_audit(board, "J1", text)[0], wanted, text)
        self.assertEqual(parse_board_look(board, "top", "C14 missing before"), (PartSeen("C14", "missing"),))

    def test_in_words(self) -> None:
        self.assertEqual(PartSeen("C14", "missing", True).words, "C14 missing before the work already")


class PadsWindowTest(WindowCase):
    def fill(self, store: JobStore) -> None:
        store.add_trail([new_entry(payload, "Ines") for payload in (*BASE, Rework("replace", "J1"))])

    def test_the_audit_of_a_port_asks_for_the_pads_under_it(self) -> None:
        self.settled()
        self.window.show_view("rework")
        self.application.processEvents()
        self.window.views.rework.round.look.click()
        self.application.processEvents()
        self.assertIn("on its pads", self.window.ask.words.text())
        self.type("J1 torn, C14 missing before")
        self.key(Key.Key_Return)
        self.settled()
        audit = self.window.model.facts.audits[0][1]
        self.assertEqual(audit.checked, WITH_PADS)
        self.assertEqual(audit.seen, (PartSeen("J1", "torn"), PartSeen("C14", "missing", True)))
        assert self.window.model.assessment is not None
        self.assertIn(FaultKind.TORN_PAD, [s.fault.kind for s in self.window.model.assessment.suspects[:3]])
        self.assertFalse(self.window.model.facts.unaudited)

    def test_without_the_pads_it_says_nothing_of_them(self) -> None:
        self.settled()
        self.window.show_view("rework")
        self.application.processEvents()
        self.window.views.rework.round.look.click()
        self.application.processEvents()
        self.window.ask.choice.setCurrentIndex(1)
        self.key(Key.Key_Return)
        self.settled()
        audit = self.window.model.facts.audits[0][1]
        self.assertEqual((audit.checked, audit.seen), (AUDIT_STEPS, ()))
