"""The audit by measuring: few readings show what heat has done, what is seen is evidence, the window leads to both."""

from __future__ import annotations

import math
import unittest
from itertools import combinations

import numpy as np

from dextrum.app.advising.assess import Assessment, assess
from dextrum.app.advising.looking import parse_audit
from dextrum.app.rework.audit_words import audit_rows, audit_sentence, by_eye_words
from dextrum.core.advice.outcomes import OUTCOMES
from dextrum.core.diagnosis.after_repair import chances_made, weigh_trail
from dextrum.core.diagnosis.board_look import audit_look_parts
from dextrum.core.diagnosis.heat_reach import looked_round
from dextrum.core.diagnosis.hypotheses import NOTHING_ROW
from dextrum.core.diagnosis.telling import LookRound
from dextrum.core.job import job_facts
from dextrum.core.rework.audit import AuditWalk, audit_walk
from dextrum.core.safety.recheck import points_of_part
from dextrum.core.trail import AUDIT_STEPS, Audit, Cell, Intake, JobOpened, Look, PartSeen, Payload, Rework, Supply
from dextrum.errors import EntryRefusedError
from dextrum.store.entries import new_entry
from dextrum.store.jobs import JobStore
from tests.support import as_good, duo_advice, duo_board, library, new_joints, trail_of
from tests.window_support import Key, WindowCase

BOARD_OUT = "board_out"
GOOD = OUTCOMES.index("as a good board")
BASE: tuple[Payload, ...] = (JobOpened("T-1", "Tarnwick Duo", "tarnwick-duo-c"), Intake("no dock", ("no_dock",)),
                             Look(("clean",)), Cell("unplugged"))


def near_port() -> frozenset[str]:
    return looked_round(duo_board(), duo_advice().model.heat, "J1")


def walk(part: str, *taken: str, due: tuple[str, ...] = ()) -> AuditWalk:
    advice = duo_advice()
    return audit_walk(advice.model, advice.outcomes, part, taken, due, BOARD_OUT)


def left_hidden(part: str, points: tuple[str, ...]) -> float:
    """Share of the harm that these points would leave unseen; written down by itself."""
    advice = duo_advice()
    made = chances_made(advice.model, part)
    hidden = 0.0
    for row in np.flatnonzero(made):
        left = float(made[row])
        for point in points:
            chances = advice.outcomes.chances[advice.outcomes.place[point], GOOD]
            left *= 1.0 - max(0.0, float(chances[NOTHING_ROW] - chances[row]))
        hidden += left
    return hidden / float(made.sum())


class WalkTest(unittest.TestCase):
    def test_what_it_says_it_shows_is_what_its_points_show(self) -> None:
        for part in ("J1", "FL3", "U1", "F1"):
            due = points_of_part(duo_board(), part, BOARD_OUT)
            found = walk(part, due=due)
            with self.subTest(part):
                self.assertAlmostEqual(found.seen, 1.0 - left_hidden(part, (*due, *found.points)), places=5)

    def test_no_other_two_points_show_much_more(self) -> None:
        """Greedy choice against all pairs of points, with its bound and far better than that."""
        due = points_of_part(duo_board(), "FL3", BOARD_OUT)
        found = walk("FL3", due=due)
        before = left_hidden("FL3", due)
        near = [p for p in duo_advice().outcomes.points if p not in due][:40]
        first_two = found.points[:2]
        best = min(left_hidden("FL3", (*due, *pair)) for pair in combinations({*near, *first_two}, 2))
        gained = before - left_hidden("FL3", (*due, *found.points))
        self.assertGreaterEqual(gained, 0.63 * (before - best))

    def test_nothing_more_is_asked_once_it_was_read(self) -> None:
        for part in ("FL3", "FL5", "U1"):
            due = points_of_part(duo_board(), part, BOARD_OUT)
            found = walk(part, due=due)
            self.assertEqual(walk(part, *due, *found.points).points, (), part)

    def test_no_point_is_asked_for_twice_whatever_was_read_before(self) -> None:
        """What was read in some other order hides a little still, and its best point was asked for without an end."""
        generator = np.random.default_rng(20261201)
        every = duo_advice().outcomes.points
        parts = [part.designator for part in duo_board().components]
        for _ in range(60):
            part = str(generator.choice(parts))
            taken = tuple(generator.choice(every, int(generator.integers(0, 40)), replace=False).tolist())
            for _ in range(12):
                points = walk(part, *taken).points
                self.assertFalse(set(points) & set(taken), (part, points))
                if not points:
                    break
                taken += points
            self.assertEqual(points, (), part)

    def test_few_readings_and_only_where_the_unit_is_open(self) -> None:
        closed = audit_walk(duo_advice().model, duo_advice().outcomes, "FL3", access="closed")
        self.assertTrue(all(duo_board().point_by_id[p].access in ("", "closed") for p in closed.points))
        for part in ("J1", "FL1", "FL3", "U1", "U2"):
            self.assertLessEqual(len(walk(part, due=points_of_part(duo_board(), part, BOARD_OUT)).points), 6, part)

    def test_a_sparse_pack_and_a_trace_ask_for_nothing(self) -> None:
        sparse = library().advice_model("tarnwick-sliver-a", "")
        self.assertEqual(audit_walk(sparse.model, sparse.outcomes, "J1").points, ())
        self.assertEqual(walk("trace t1").parts, ())
        self.assertIn("Look all the same", audit_sentence(walk("trace t1")))

    def test_every_part_near_the_heat_is_either_read_or_looked_at(self) -> None:
        for part in ("J1", "U1", "FL3"):
            found = walk(part, due=points_of_part(duo_board(), part, BOARD_OUT))
            named = {one.part for one in found.parts}
            hypotheses = duo_advice().model.hypotheses
            made = hypotheses.per_fault(chances_made(duo_advice().model, part))
            hurt = {f.part for f, c in zip(hypotheses.faults, made, strict=True) if c > 0 and f.part != part}
            self.assertEqual(named, hurt)
            self.assertTrue(all(one.shown or one.by_eye for one in found.parts))


class EvidenceTest(unittest.TestCase):
    def chance(self, part: str, *payloads: Payload) -> float:
        advice = duo_advice()
        posterior = weigh_trail(advice.model, trail_of(*BASE, *as_good("J1.A4", "J1.A5"), Rework("replace", "J1"),
                                                       *new_joints("J1"), *payloads))
        return sum(float(c) for f, c in zip(advice.model.hypotheses.faults, posterior.faults, strict=True)
                   if f.part == part)

    def test_a_part_seen_missing_after_heat_is_suspected_and_one_counted_is_not(self) -> None:
        near = sorted(p for p in near_port() if p.startswith("C"))[0]
        before = self.chance(near)
        self.assertGreater(self.chance(near, Audit(AUDIT_STEPS, part="J1", seen=(PartSeen(near, "missing"),))), 0.9)
        self.assertLess(self.chance(near, Audit(AUDIT_STEPS, part="J1")), before + 1e-9)

    def test_looking_round_one_part_says_nothing_of_the_rest_of_the_board(self) -> None:
        advice = duo_advice()
        rows = advice.model.hypotheses
        far = [p.designator for p in duo_board().components
               if p.designator not in near_port() | {"J1"}]
        told, _ = audit_look_parts(advice.model, LookRound("J1", (), False, frozenset()), near_port())
        of = np.array([f.part in far for f in rows.faults] + [False])[rows.fault_of_row]
        self.assertTrue(np.allclose(told[of], 0.0))
        self.assertLess(float(told.min()), -1.0)

    def test_an_older_audit_and_one_without_counting_tell_nothing(self) -> None:
        self.assertAlmostEqual(self.chance("C14", Audit(AUDIT_STEPS)), self.chance("C14"), places=9)
        self.assertAlmostEqual(self.chance("C14", Audit(("flux",), part="J1")), self.chance("C14"), places=9)

    def test_one_audit_clears_one_part_and_a_bridge_seen_holds_power(self) -> None:
        facts = job_facts(trail_of(*BASE, Rework("replace", "J1"), Rework("replace", "FL5"),
                                   Audit(AUDIT_STEPS, part="J1")))
        self.assertEqual(set(facts.unaudited or {}), {"FL5"})
        seen = job_facts(trail_of(*BASE, Rework("replace", "FL5"), Audit(AUDIT_STEPS, part="FL5",
                                                                        seen=(PartSeen("FL5", "bridged"),))))
        self.assertEqual(seen.parts_seen, {"FL5": "bridged"})
        again = job_facts(trail_of(*BASE, Rework("replace", "FL5"), Audit(
            AUDIT_STEPS, part="FL5", seen=(PartSeen("FL5", "bridged"),)), Rework("replace", "FL5")))
        self.assertEqual(again.parts_seen, {})

    def test_bad_audits_are_refused(self) -> None:
        with self.assertRaises(ValueError):
            Audit(AUDIT_STEPS, seen=(PartSeen("C14", "missing"),))
        with self.assertRaises(ValueError):
            Audit(AUDIT_STEPS, part="J1", seen=tuple(PartSeen(f"C{k}", "missing") for k in range(500)))


class ParseTest(unittest.TestCase):
    def test_parts_and_a_note(self) -> None:
        self.assertEqual(parse_audit(duo_board(), "J1", "C14 missing; note: flux under J1"),
                         ((PartSeen("C14", "missing"),), "flux under J1"))
        self.assertEqual(parse_audit(duo_board(), "J1", ""), ((), ""))
        self.assertEqual(parse_audit(None, "J1", "all there"), ((), "all there"))
        self.assertEqual(parse_audit(duo_board(), "trace t1", "holds"), ((), "holds"))
        with self.assertRaises(EntryRefusedError):
            parse_audit(duo_board(), "J1", "C9999 missing")


class AuditWindowTest(WindowCase):
    def fill(self, store: JobStore) -> None:
        payloads: tuple[Payload, ...] = (
            JobOpened("SLS-0720", "Tarnwick Duo", "tarnwick-duo-c"), Intake("no dock", ("no_dock",)), Look(("clean",)),
            Supply("a", 9.1, 1.85), Supply("b", 9.1, 1.85), Cell("unplugged"), *as_good("J1.A10"),
            Rework("replace", "FL3"))
        store.add_trail([new_entry(payload, "Ines") for payload in payloads])

    def setUp(self) -> None:
        super().setUp()
        self.settled()
        self.window.show_view("rework")
        self.application.processEvents()
        self.view = self.window.views.rework

    def weighed(self) -> Assessment:
        assert self.window.model.assessment is not None
        return self.window.model.assessment

    def test_round_the_heat_is_looked_at_and_read_before_power(self) -> None:
        panel = self.view.round
        self.assertTrue(panel.isVisible())
        self.assertIn("FL3", panel.head.text())
        self.assertIn("C35", panel.by_eye.text())
        panel.look.click()
        self.application.processEvents()
        self.assertIn("Seen round FL3", self.window.ask.words.text())
        self.type("C9999 missing")
        self.key(Key.Key_Return)
        self.assertIn("no part of this board", self.window.ask.trouble.text())
        self.window.ask.field.clear()
        self.type("C34 missing; note: tweezers")
        self.key(Key.Key_Return)
        self.settled()
        audits = self.window.model.facts.audits
        self.assertEqual((audits[0][1].part, audits[0][1].words, audits[0][1].note), ("FL3", "C34 missing", "tweezers"))
        self.assertFalse(self.window.model.facts.unaudited)
        self.assertEqual(self.weighed().suspects[0].fault.part, "C34")

    def test_what_is_due_is_walked_and_the_panel_goes_with_power(self) -> None:
        audit = self.weighed().audits[-1]
        self.window.model.record(Audit(AUDIT_STEPS, part="FL3"))
        self.settled()
        self.view.round.read_them.click()
        self.application.processEvents()
        shown = self.window.current_view()
        assert shown is not None
        self.assertIn(shown.name, ("port", "board"))
        for readings in (*new_joints("FL3", BOARD_OUT), *as_good(*audit.points)):
            self.window.model.record(readings)
        self.settled()
        self.assertNotEqual(self.weighed().advice.next.kind, "recheck")
        facts = self.window.model.facts
        rows = audit_rows(duo_board(), self.weighed().audits[-1], facts, 1)
        self.assertTrue(all(row.now for row in rows))
        self.window.model.record(Supply("a", 9.1, 1.85))
        self.settled()
        self.assertFalse(self.view.round.isVisible())


class WordsTest(unittest.TestCase):
    def test_by_point_with_what_it_would_show(self) -> None:
        found = assess(duo_advice(), trail_of(*BASE, *as_good("J1.A10"), Rework("replace", "FL3")))
        rows = audit_rows(duo_board(), found.audits[-1], found.facts, 1)
        self.assertTrue(rows)
        self.assertTrue(all(row.good and row.shows and not row.now for row in rows))
        self.assertTrue(any("OL" in row.shows for row in rows))
        self.assertTrue(by_eye_words(found.audits[-1]).startswith("By eye"))
        self.assertFalse(math.isnan(found.audits[-1].seen))
