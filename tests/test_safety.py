"""Rules of safety: what holds, what lifts it, and that no trail whatever gets past them unasked."""

from __future__ import annotations

import math
import os
import unittest
from pathlib import Path

import numpy as np

from dextrum.app.advising.assess import assess
from dextrum.core.advice.kinds.registry import activities_of_action
from dextrum.core.board import Board, ComponentKind, Method
from dextrum.core.job import JobFacts, job_facts
from dextrum.core.looks import BOARD_FINDINGS, FORBIDS_PLUGGING, FORBIDS_POWER, LOOKS
from dextrum.core.reference.warm import facts_as_judged
from dextrum.core.safety.activities import Activity
from dextrum.core.safety.cautions import CAUTIONS, cautions_in_view, cautions_of_action
from dextrum.core.safety.gates import DANGER_WORDS, RULES, asked_of, gates_before, held_gates, most_volts
from dextrum.core.safety.recheck import points_to_recheck
from dextrum.core.safety.signs import SIGNS, signs_in
from dextrum.core.trail import (
    AUDIT_STEPS,
    Access,
    Audit,
    BoardLook,
    Cause,
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
)
from tests.support import (
    DUO,
    LEAF,
    LONG,
    ORB,
    SLIVER,
    as_good,
    duo_advice,
    duo_board,
    library,
    new_joints,
    replaced,
    trail_of,
)

MANY = int(os.environ.get("DEXTRUM_RANDOM_TRAILS", "10000" if LONG else "80"))
"""Random trails for each pack; the long run draws 10,000 (`./dextrum test --long`)."""
OPENED = JobOpened("T-1", "Tarnwick Duo", DUO)
DOCS = Path(__file__).resolve().parent.parent / "docs"


def facts_of(*payloads: Payload) -> JobFacts:
    return facts_as_judged(duo_board(), duo_advice().model.references, job_facts(trail_of(OPENED, *payloads)))


def asked(after: tuple[Payload, ...], *payloads: Payload) -> set[str]:
    return {gate.id for gate in asked_of(duo_board(), duo_advice().model.references, facts_of(*after), *payloads)}


def next_of(*payloads: Payload) -> tuple[str, str]:
    action = assess(duo_advice(), trail_of(OPENED, *payloads), explain=False).advice.next
    return action.kind, action.target


class SignsTest(unittest.TestCase):
    def test_words_are_read_for_danger(self) -> None:
        for text, signs in (("got wet", {"wet"}), ("cell swollen, back bulges", {"swollen"}), ("it smells", {"smell"}),
                            ("smoke came out", {"smoke"}), ("gets hot when charging", {"hot"}), ("fell down", set()),
                            ("no smell, never wet", set()), ("liquid indicator white", set()),
                            ("not dropped, but got wet", {"wet"}), ("Saltmarsh library", set())):
            self.assertEqual(signs_in(text), signs, text)

    def test_a_ticked_list_wins_over_the_words(self) -> None:
        self.assertEqual(facts_of(Intake("", history="got wet")).danger, {"wet"})
        self.assertEqual(facts_of(Intake("", history="got wet", signs=())).danger, frozenset())
        self.assertEqual(facts_of(Intake("", signs=("hot",))).danger, {"hot"})

    def test_what_was_made_safe_stays_so_until_it_is_seen_again(self) -> None:
        base = (Intake("", signs=("wet",)), Danger(("wet",), "cleared"))
        self.assertEqual(facts_of(*base).danger, frozenset())
        self.assertEqual(facts_of(*base, Intake("typo mended", signs=("wet",))).danger, frozenset())
        self.assertEqual(facts_of(*base, Look(("clean",), signs=("wet",))).danger, {"wet"})


class DangerTest(unittest.TestCase):
    WET = (Intake("no charge", history="got wet", condition="cell swollen, back bulges"), Look(("corroded",)))

    def test_first_of_all_it_is_made_safe(self) -> None:
        self.assertEqual(next_of(*self.WET)[0], "make_safe")
        for payload in (Supply("a", 9.0, 0.2), Cell("known_good"), Rework("replace", "F1"),
                        Injection("V3V3", 0.5, 0.5)):
            self.assertTrue({"danger_wet", "danger_swollen"} <= asked(self.WET, payload), payload)

    def test_after_that_the_port_is_cleaned_and_looked_at_and_the_swollen_cell_stays_out(self) -> None:
        safe = (*self.WET, Cell("unplugged"), Danger(("wet", "swollen"), "cleared"))
        self.assertEqual(next_of(*safe), ("clean", "J1"))
        cleaned = (*safe, Rework("clean", "J1"))
        self.assertEqual(next_of(*cleaned), ("look", "port"))
        looked = (*cleaned, Look(("clean",)))
        self.assertEqual(asked(looked, Cell("plugged")), {"swollen_back"})
        self.assertEqual(asked(looked, Cell("new")), set())
        self.assertEqual(asked((*looked, Cell("new")), Supply("a", 9.0, 0.2)), set())

    def test_every_sign_has_words_and_a_way_out(self) -> None:
        self.assertEqual(set(DANGER_WORDS), set(SIGNS))
        for sign in SIGNS:
            self.assertEqual(next_of(Intake("", signs=(sign,)), Look(("clean",))), ("make_safe", sign))


class HeatAndCurrentTest(unittest.TestCase):
    def test_the_cell_is_out_before_heat_and_injection(self) -> None:
        clean = (Look(("clean",)),)
        for payload in (Rework("replace", "C14", audit=AUDIT_STEPS), Isolation(("U1",)), Injection("V3V3", 0.5, 0.2)):
            self.assertEqual(asked(clean, payload), {"cell_in"})
            self.assertEqual(asked(clean, Cell("unplugged"), payload), set())
        self.assertEqual(asked(clean, Rework("clean", "J1")), set())

    def test_unplugging_is_the_step_before_a_repair(self) -> None:
        base: tuple[Payload, ...] = (Look(("clean",)), Supply("a", 9.0, 1.9), Supply("b", 9.0, 1.9),
                                     Intake("x", ("no_dock",)), Cell("unplugged"), *as_good(
            *(p for p in duo_board().port_point_ids() if p != "J1.A10"), but={"J1.A10": math.inf}), *as_good(
            but={"FL5.3": math.inf, "FL5.3-4": math.inf}))
        self.assertEqual(next_of(*base), ("repair", "FL5"))
        plugged = assess(duo_advice(), trail_of(OPENED, *base, Cell("plugged"))).advice
        self.assertEqual(plugged.next.kind, "unplug_cell")
        self.assertNotIn("repair", [action.kind for action in plugged.ranked])

    def test_never_above_the_rails_own_volts(self) -> None:
        out = (Look(("clean",)), Cell("unplugged"))
        self.assertEqual(most_volts(duo_board(), "V3V3"), 3.3)
        self.assertEqual(asked(out, Injection("V3V3", 5.0, 0.5)), {"above_rail"})
        self.assertEqual(asked(out, Injection("V3V3", 3.3, 0.5)), set())

    def test_no_power_on_what_is_burst_or_next_to_ground(self) -> None:
        clean = (Look(("clean",)), Cell("unplugged"))
        for what in FORBIDS_POWER:
            self.assertIn("seen_on_board", asked((*clean, BoardLook("top", (PartSeen("C14", what),))),
                                                 Supply("a", 9.0, 1.0)))
        low = as_good(but={f"J1.{c}": 0.06 for c in ("A4", "A9", "B4", "B9")})
        self.assertIn("grounded_contact", asked((*clean, *low), Supply("a", 9.0, 1.0)))


class WarmTest(unittest.TestCase):
    """A board at 48 degrees reads some 50 mV low at every junction."""

    def warm(self, celsius: float | None) -> tuple[Payload, ...]:
        points = duo_board().port_point_ids()
        values = {p: r.readings[0].value for p in points for r in as_good(p)}
        low = tuple(PointReading(p, round(v - 0.054 * min(v / 0.5, 1.2), 3)) for p, v in values.items())
        return (Look(("clean",)), Supply("a", 9.0, 1.9), Supply("b", 9.0, 1.9), Cell("unplugged"),
                *as_good(*(p for p in points if p != "J1.B5"), but={"J1.B5": 0.001}), Access("board_out"),
                replaced("U1"), *new_joints("U1", "board_out"), Readings(
                    Method.DIODE_RED_GROUND, low, "M1", celsius))

    def test_what_warmth_explains_is_not_weighed_and_holds_power(self) -> None:
        done = assess(duo_advice(), trail_of(OPENED, *self.warm(None)), explain=False)
        self.assertLess(done.posterior.something_else, 0.2)
        self.assertEqual(done.advice.next.kind, "cool")
        self.assertIn("warm", asked(self.warm(None), Supply("a", 9.0, 1.9)))

    def test_with_its_temperature_it_is_weighed(self) -> None:
        done = assess(duo_advice(), trail_of(OPENED, *self.warm(48.0)), explain=False)
        self.assertLess(done.posterior.something_else, 0.2)
        self.assertNotEqual(done.advice.next.kind, "cool")


class CautionTest(unittest.TestCase):
    def test_a_pack_of_identity_alone_shows_them(self) -> None:
        for view in ("intake", "supply", "port", "board", "rework", "proof", "handover"):
            self.assertTrue(cautions_in_view(None, JobFacts(access="back_off", own_cell_swollen=True), view), view)

    def test_gone_once_done(self) -> None:
        cell = next(c.words for c in CAUTIONS if c.id == "cell")
        self.assertIn(cell, cautions_in_view(None, JobFacts(cell="plugged"), "port"))
        self.assertNotIn(cell, cautions_in_view(None, JobFacts(cell="unplugged"), "port"))
        self.assertIn(cell, cautions_of_action(JobFacts(cell="plugged"), "inject"))


class DocsTest(unittest.TestCase):
    def test_the_list_of_rules_stands_in_the_docs(self) -> None:
        words = " ".join((DOCS / "safety.md").read_text(encoding="utf-8").split())
        for rule in RULES:
            holds = ", ".join(one.name.lower() for one in rule.holds)
            self.assertIn(f"| `{rule.id}` | {holds} | {' '.join(rule.reason.split())} |", words)


class RandomTrails:
    """Any entries in any order, hazards among them."""

    def __init__(self, board: Board, seed: int) -> None:
        self.board = board
        self.draw = np.random.default_rng(seed)
        self.parts = [c.designator for c in board.components] or ["J1"]
        self.points = [p.id for p in board.points]
        self.rails = [n.name for n in board.nets if n.nominal_volts] or ["VX"]

    def pick(self, *these: object) -> object:
        return these[int(self.draw.integers(len(these)))]

    def payload(self) -> Payload:
        which = int(self.draw.integers(17))
        part = str(self.pick(*self.parts))
        way = str(self.pick("a", "b"))
        made: Payload
        match which:
            case 0:
                made = Intake("", tuple(s.id for s in self.board.symptoms if self.draw.random() < 0.2),
                              signs=tuple(s for s in SIGNS if self.draw.random() < 0.06))
            case 1:
                made = Look((str(self.pick("clean", "clean", *LOOKS)),))
            case 2:
                made = BoardLook("top", (PartSeen(part, str(self.pick(*BOARD_FINDINGS))),))
            case 3:
                made = Danger((str(self.pick(*SIGNS)),), "seen" if self.draw.random() < 0.3 else "cleared")
            case 4:
                made = Supply(way, 9.0, round(float(self.draw.uniform(0, 3)), 2))  # type: ignore[arg-type]
            case 5 | 6:
                made = Cell(str(self.pick("unplugged", "unplugged", "plugged", "known_good", "new")))  # type: ignore[arg-type]
            case 7 | 8 | 9 if self.points:
                made = self.readings()
            case 10:
                made = Isolation((part,), "off" if self.draw.random() < 0.6 else "back")
            case 11:
                made = Injection(str(self.pick(*self.rails)), round(float(self.draw.uniform(0.1, 6)), 2), 0.5)
            case 12:
                made = Rework(str(self.pick("replace", "reflow", "clean", "wire")), part,  # type: ignore[arg-type]
                              audit=AUDIT_STEPS if self.draw.random() < 0.5 else ())
            case 13:
                made = Audit(AUDIT_STEPS)
            case 14:
                made = Cause("unknown")
            case 15 if self.board.checks:
                check = self.board.checks[int(self.draw.integers(len(self.board.checks)))]
                made = Proof(check.id, bool(self.draw.random() < 0.7))
            case 16 if self.board.rail_checks:
                made = RailVolts(self.board.rail_checks[0].id, 3.0, way)  # type: ignore[arg-type]
            case _:
                levels = self.board.access_levels
                made = Access(levels[int(self.draw.integers(len(levels)))].id) if levels else Cause("force")
        return made

    def readings(self) -> Readings:
        place = self.board.point_by_id[str(self.pick(*self.points))]
        value = float(self.draw.choice([0.001, 0.06, 0.3, 0.45, 0.5, math.inf, self.draw.uniform(0, 1)]))
        return Readings(place.default_method, (PointReading(place.id, value),), "M1")


class InvariantsTest(unittest.TestCase):
    """Written down by themselves, not by way of the gates."""

    def no_power_because(self, board: Board, facts: JobFacts, due: tuple[str, ...]) -> str:
        look = facts.look
        swapped = {r.part for epoch, r in facts.reworks if r.action == "replace" and epoch > facts.look_epoch}
        ports = {port.component for port in board.ports}
        if facts.danger:
            return f"signs of danger: {facts.danger}"
        if look is not None and set(look.findings) & FORBIDS_PLUGGING and not ports & swapped:
            return "past a damaged port"
        if look is not None and set(look.findings) & {"dirt", "corroded"} and not ports & swapped:
            return "into a dirty port"
        if any(what in ("burst", "bridged") for what in facts.parts_seen.values()):
            return "on a burst or bridged part"
        lifted = [a for a in facts.isolated if (c := board.component_by_designator.get(a.partition(".")[0])) is None
                  or c.kind is not ComponentKind.CONNECTOR]
        if lifted:
            return f"with {lifted} off"
        if due:
            return f"before {due[:3]} were read again"
        return "before the audit" if facts.unaudited else ""

    def one(self, pack: str, seed: int) -> None:
        advice = library().advice_model(pack, "M1")
        board, references = advice.model.board, advice.model.references
        source = RandomTrails(board, seed)
        count = int(source.draw.integers(2, 22))
        payloads = [JobOpened("T", board.model, pack), *(source.payload() for _ in range(count))]
        trail = trail_of(*payloads)
        facts = facts_as_judged(board, references, job_facts(trail))
        due = points_to_recheck(board, references, facts)
        said = f"pack {pack}, seed {seed}: {[type(p).__name__ for p in payloads]}"
        reason = self.no_power_because(board, facts, due)
        done = assess(advice, trail, explain=False).advice
        cell_in = facts.cell != "unplugged"
        for action in done.ranked:
            wanted = activities_of_action(board, action)
            if Activity.POWER in wanted:
                self.assertEqual(reason, "", f"{action.title}; {said}")
            if {Activity.HEAT, Activity.INJECTION} & wanted:
                self.assertFalse(cell_in or facts.danger, f"{action.title}; {said}")
            if action.kind == "inject" and action.limits is not None:
                limit = most_volts(board, action.target)
                self.assertTrue(limit is None or action.limits.volts <= limit, f"{action.title}; {said}")
        passed = {c for c, p in (facts.proofs or {}).items() if p.passed}
        if board.checks and passed == {c.id for c in board.checks} and facts.outcome is None:
            self.assertNotIn(done.next.kind, ("give_up", "repair"), said)
        for _ in range(6):
            new = source.payload()
            held = asked_of(board, references, facts, new)
            wanted = new.does(board)
            self.assertEqual(gates_before(board, references, facts, wanted), tuple(
                gate for gate in held_gates(board, references, facts) if gate.holds & wanted), said)
            if Activity.POWER in wanted and reason:
                self.assertTrue(held, f"{new} {reason}; {said}")
            if {Activity.HEAT, Activity.INJECTION} & wanted and (cell_in or facts.danger):
                self.assertTrue(held, f"{new} with the cell in; {said}")
            if isinstance(new, Injection):
                limit = most_volts(board, new.net)
                self.assertTrue(held or limit is None or new.volts <= limit, f"{new}; {said}")

    def test_duo(self) -> None:
        for seed in range(MANY):
            self.one(DUO, seed)

    def test_orb(self) -> None:
        for seed in range(MANY):
            self.one(ORB, seed)

    def test_the_port_itself_may_be_off_the_board(self) -> None:
        for seed in (354, 401):  # the first that took a receptacle off and then read a draw
            self.one(ORB, seed)

    def test_sliver(self) -> None:
        for seed in range(MANY):
            self.one(SLIVER, seed)

    def test_leaf(self) -> None:
        for seed in range(MANY):
            self.one(LEAF, seed)


if __name__ == "__main__":
    unittest.main()
