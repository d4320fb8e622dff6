"""Every kind of entry there is: a file of its own, read back as written, shown on a card, folded, and told."""

from __future__ import annotations

import unittest
from dataclasses import FrozenInstanceError
from datetime import UTC, datetime
from decimal import Decimal
from pathlib import Path

import numpy as np

from dextrum.app.advising.assess import assess
from dextrum.app.job.trail_words import CARDS, trail_cards, words_of
from dextrum.core import entries
from dextrum.core.board import Method
from dextrum.core.diagnosis.telling import Telling
from dextrum.core.draw.samples import Samples, pack_samples
from dextrum.core.job import job_facts
from dextrum.core.safety.activities import Activity
from dextrum.core.trail import (
    ENTRY_KINDS,
    Access,
    Audit,
    BoardLook,
    Cause,
    Cell,
    ComesAndGoes,
    Danger,
    DrawTrace,
    Entry,
    Fastened,
    Gear,
    Injection,
    Intake,
    Isolation,
    JobOpened,
    LeftOut,
    Look,
    LotSuspect,
    Outcome,
    Override,
    OwnUnit,
    PackVersion,
    Paid,
    PartAlone,
    PartPromised,
    PartSeen,
    PartTaken,
    Payload,
    Photo,
    PhotoMark,
    PlannedRepair,
    PointReading,
    Proof,
    PutTogether,
    Quote,
    QuoteAnswer,
    RailVolts,
    ReadAlone,
    Readings,
    Rework,
    ReworkPlan,
    ReworkStep,
    Strike,
    Supply,
    Swap,
    Touched,
    Wait,
    last_moment,
    moments,
)
from dextrum.store.entries import entry_from_json, entry_to_json, new_entry
from tests.support import duo_advice, duo_board

AT = datetime(2026, 5, 4, 9, 0, tzinfo=UTC)
SAMPLES = pack_samples(Samples(np.array([0.0, 1.0, 2.0]), np.full(3, 5.0), np.full(3, 0.1)))
EXAMPLES: tuple[Payload, ...] = (
    JobOpened("SLS-1", "Tarnwick Duo", "tarnwick-duo-c"),
    Intake("does not charge", ("no_charge",), ("no_dock",), due="2026-05-30 16:00", signs=("wet",)),
    Look(("bent",), ("A4",), "", ("smell",)), BoardLook("top", (PartSeen("C62", "missing"),)), Danger(("hot",)),
    Swap("dock", "no_dock", True), Supply("a", 5.1, 0.4, gear=(Gear("supply", "S1", "2026-05-01"),)),
    DrawTrace("b", SAMPLES, 3, 2.0), Cell("known_good"), Access("shell"),
    Readings(Method.DIODE_RED_GROUND, (PointReading("J1.A5", 0.62), PointReading("J1.A4", float("inf")))),
    Isolation(("C17",)), RailVolts("VSYS", 3.8, "a"), Injection("VSYS", 1.0, 2.0, "C17"),
    Rework("replace", "F1", "stock", ("counted",)), ReworkPlan((PlannedRepair("F1", "small-part", "1"),)),
    ReworkStep("F1", "small-part", 2, "", "Clamp the board."),
    Audit(("flux", "pads"), part="J1", seen=(PartSeen("C14", "missing", True), PartSeen("J1", "torn"))),
    Touched("C14.1", "U4.3", False),
    ComesAndGoes("dock_a", 0.2, words="warm"), LeftOut("rails", "no controllers came along"), PutTogether(("S5", "S6")),
    Fastened("S5", "wrong_length", 6.0),
    Photo("0" * 64, 40, 30, "port", "", "A5 bent", (PhotoMark("ring", 0.5, 0.5, 0.6, 0.5),)),
    Quote(Decimal("49.00"), "fixed", Decimal("15"), loss=0.1, good=0.9, middle=31.5, finding="U1"),
    QuoteAnswer("accepted"), OwnUnit(Decimal("140"), Decimal("35"), lot="fleet A"),
    PackVersion("0123456789abcdef"), Paid(Decimal("49.00")),
    LotSuspect("J1", "L2", 0.4, "3 of 5 failed"), PartPromised("U3", "SLS-0333", "abc"),
    PartTaken("U3", "SLS-0333", "abc", "good"),
    PartAlone("U1", "donor SLS-0091", (ReadAlone("VBUS and GND", 0.512, 0.51, True), ReadAlone("SDA and GND",
              float("inf"), 0.6, False))), Cause("force"), Proof("dock_a", True),
    Wait("a part", "2026-05-20 10:00"), Outcome("repaired"), Override("look_first", "seen before"), Strike("e1"),
)
TELL_NOTHING = {"job_opened", "danger", "cell", "access", "isolation", "rework", "rework_plan", "rework_step", "audit",
                "part_alone", "quote", "quote_answer", "own_unit", "paid", "lot_suspect", "part_promised", "part_taken",
                "touched", "fastened", "photo", "comes_and_goes", "left_out", "put_together", "cause", "wait",
                "outcome", "override", "strike", "supply", "draw_trace", "pack_version"}
"""Of faults by themselves. What the meter showed is told by `core.draw.records` for both ways up together."""


def entry_of(payload: Payload) -> Entry:
    return new_entry(payload, "Ines", AT)


class EntryKindTest(unittest.TestCase):
    def test_each_has_one_file_one_example_and_one_card(self) -> None:
        files = {file.stem for file in Path(str(entries.__file__)).parent.glob("*.py")}
        self.assertEqual(set(ENTRY_KINDS), files - {"__init__", "kind", "draft", "moment"})
        self.assertEqual(sorted(payload.kind for payload in EXAMPLES), sorted(ENTRY_KINDS))
        self.assertEqual(set(CARDS), set(ENTRY_KINDS.values()))
        for word, kind in ENTRY_KINDS.items():
            self.assertEqual(kind.__module__.rsplit(".", 1)[1], word)

    def test_each_is_read_back_as_it_was_written(self) -> None:
        for payload in EXAMPLES:
            with self.subTest(payload.kind):
                entry = entry_of(payload)
                self.assertEqual(entry_from_json(entry_to_json(entry)), entry)

    def test_none_can_be_changed(self) -> None:
        for payload in EXAMPLES:
            with self.subTest(payload.kind), self.assertRaises(FrozenInstanceError):
                payload.kind = "other"  # type: ignore[misc,assignment]

    def test_each_has_a_card_with_and_without_a_board(self) -> None:
        for payload in EXAMPLES:
            for board in (None, duo_board()):
                with self.subTest(payload.kind, board=board is not None):
                    title, _ = words_of(entry_of(payload), board)
                    self.assertTrue(title)
        self.assertEqual(len(trail_cards([entry_of(p) for p in EXAMPLES], duo_board())), len(EXAMPLES) - 1)

    def test_each_leaves_its_mark_on_the_job(self) -> None:
        before = job_facts([entry_of(EXAMPLES[0]), entry_of(Wait("x"))])
        for payload in EXAMPLES[1:]:
            with self.subTest(payload.kind):
                after = job_facts([entry_of(EXAMPLES[0]), entry_of(Wait("x")), entry_of(payload)])
                self.assertEqual(after == before, payload.kind == "strike")

    def test_each_tells_of_faults_or_says_that_it_does_not(self) -> None:
        for payload in EXAMPLES:
            with self.subTest(payload.kind):
                telling = Telling(duo_board(), duo_advice().model.references, frozenset())
                payload.tells(telling)
                self.assertEqual(not telling.found, payload.kind in TELL_NOTHING)

    def test_what_is_not_weighed_leaves_suspects_and_advice_as_they_were(self) -> None:
        begun = (entry_of(EXAMPLES[0]), entry_of(Intake("x", ("no_charge",))), entry_of(Look(("clean",))))
        before = assess(duo_advice(), begun)
        left = [payload for payload in EXAMPLES if not payload.weighs]
        self.assertEqual([payload.kind for payload in left], ["touched", "photo"])
        for payload in left:
            with self.subTest(payload.kind):
                after = assess(duo_advice(), (*begun, entry_of(payload)))
                self.assertEqual(after.advice, before.advice)
                self.assertEqual(after.reasons, before.reasons)
                np.testing.assert_array_equal(after.posterior.rows, before.posterior.rows)

    def test_power_heat_and_current_are_named(self) -> None:
        named = {payload.kind: payload.does(duo_board()) for payload in EXAMPLES}
        self.assertEqual({k for k, does in named.items() if Activity.POWER in does},
                         {"supply", "draw_trace", "rail_volts", "swap", "proof"})
        self.assertEqual({k for k, does in named.items() if Activity.HEAT in does}, {"isolation", "rework"})
        self.assertEqual({k for k, does in named.items() if Activity.INJECTION in does}, {"injection"})
        self.assertEqual({k for k, does in named.items() if Activity.CELL in does}, {"cell"})


class MomentTest(unittest.TestCase):
    def test_a_repair_begins_an_epoch_and_puts_its_part_back(self) -> None:
        trail = [entry_of(p) for p in (EXAMPLES[0], Isolation(("F1", "U1.3")), Cell("unplugged"),
                                       Rework("replace", "F1"))]
        self.assertEqual([m.epoch for _, m in moments(trail)], [0, 0, 0, 1])
        end = last_moment(trail)
        self.assertEqual((end.epoch, end.isolated, end.cell), (1, frozenset({"U1.3"}), "unplugged"))

    def test_cleaning_is_no_repair_and_what_was_struck_never_was(self) -> None:
        clean, repair = entry_of(Rework("clean", "J1")), entry_of(Rework("reflow", "U1"))
        trail = [entry_of(EXAMPLES[0]), clean, repair, entry_of(Strike(repair.id))]
        self.assertEqual(last_moment(trail).epoch, 0)
        self.assertEqual(last_moment([]).epoch, 0)


if __name__ == "__main__":
    unittest.main()
