"""A worn socket of its own kind is replaced by a USB-C kit: from the complaint to the hand-over, through the window."""

from __future__ import annotations

import math
import unittest

from dextrum.app.rework.part_alone import taken_alone, verdict_words
from dextrum.app.rework.recipes import RecipeBook
from dextrum.core.board import Kit, KitReading
from dextrum.core.board.consistency import inconsistencies
from dextrum.core.rework.alone import kit_alone
from dextrum.core.trail import PartAlone, ReworkStep
from tests.support import DUO, LEAF, library
from tests.test_walk import WalkCase
from tests.window_support import CTRL, Key

GOOD_KIT = ("5.12k", "5.07k", "10.2k", "o", "5.02")
ONE_RESISTOR = ("5.1k", "5.1k", "0.1", "o", "5.0")


class KitTest(unittest.TestCase):
    def judged(self, *typed: str) -> PartAlone:
        return taken_alone("J1", "kit", kit_alone(library().board(LEAF), "J1"), typed)

    def test_both_pull_downs_within_a_tenth_and_five_volts(self) -> None:
        self.assertTrue(self.judged(*GOOD_KIT).good)
        for typed, off in ((ONE_RESISTOR, "CC1 and CC2"), (("4.4k", *GOOD_KIT[1:]), "CC1 and GND"),
                           (("o", *GOOD_KIT[1:]), "CC1 and GND"), ((*GOOD_KIT[:3], "0.2", "5.0"), "plus and minus"),
                           ((*GOOD_KIT[:4], "0.1"), "from 5 V")):
            with self.subTest(off):
                taken = self.judged(*typed)
                self.assertEqual(sum(not r.good for r in taken.readings), 1)
                self.assertIn(off, verdict_words(taken, kit_alone(library().board(LEAF), "J1")))

    def test_what_one_resistor_means_is_said(self) -> None:
        said = verdict_words(self.judged(*ONE_RESISTOR), kit_alone(library().board(LEAF), "J1"))
        self.assertIn("C-to-C cable will not charge it", said)

    def test_only_a_part_with_a_kit_is_offered_the_retrofit(self) -> None:
        book = RecipeBook()
        for pack, offered in ((LEAF, True), (DUO, False)):
            found = book.for_part(library().board(pack), "J1", "replace")
            self.assertEqual(any(recipe.action == "retrofit" for recipe in found), offered)
        self.assertEqual(kit_alone(library().board(DUO), "J1"), ())

    def test_a_kit_for_a_part_that_is_not_there_and_one_with_nothing_to_read_are_told(self) -> None:
        from dataclasses import replace

        board = replace(library().board(LEAF), kits=(Kit("a", "kit", "J9", ()),))
        self.assertEqual(sum("kits" in str(one) for one in inconsistencies(board)), 2)
        with self.assertRaises(ValueError):
            KitReading("CC1 and GND", 5100.0, 5.0)
        self.assertEqual(KitReading("plus and minus").ohms, None)


class RetrofitWalkTest(WalkCase):
    pack_id = LEAF

    def repair(self) -> str:
        """The kit by itself, then the plan step by step, then the record."""
        done = self.window.model.assessment
        assert done is not None
        action = done.advice.next
        self.assertEqual(action.target, "J1")
        self.key(Key.Key_Return, CTRL)
        view = self.window.views.rework
        view.source.setText("kit, lot 7")
        view.plan.recipe.setCurrentIndex(view.plan.recipe.findData("socket-retrofit"))
        for typed, good in ((ONE_RESISTOR, False), (GOOD_KIT, True)):
            view.plan.alone.click()
            self.wait(lambda: view.alone.isVisible() and not view.alone.fields[0].text(), what="for the kit's readings")
            for text in typed:
                self.type(text)
                self.key(Key.Key_Return)
            taken = (self.window.model.facts.measured_alone or {})["J1"]
            self.assertEqual((taken.good, taken.source), (good, "kit, lot 7"))
            self.assertEqual("C-to-C" in view.alone.said.text(), not good)
        view.plan.add.click()
        view.plan.lead.click()
        self.wait(lambda: not view.ordering.busy, what="for the order")
        for _ in range(40):
            led = view._led()
            if led.to_record is not None:
                break
            view.lead.setFocus()
            self.key(Key.Key_PageDown)
        self.assertEqual(view._led().to_record, ("J1", "retrofit"))
        self.key(Key.Key_PageDown)
        self.assertEqual(view.part.currentText(), "J1")
        view.source.setText("kit, lot 7")
        view.save.click()
        self.unit.mend("J1", "replace")
        rework = self.window.model.facts.reworks[-1][1]
        self.assertEqual((rework.part, rework.action, rework.source), ("J1", "replace", "kit, lot 7"))
        return "J1"

    def test_from_a_worn_socket_to_the_sheet(self) -> None:
        self.hide("J1:open_contact:A3", seed=7)
        self.new_job("SLS-0741")
        self.intake("charges only while the plug is held", ("no_charge", "wobbles"))
        self.look()
        self.key(Key.Key_U, CTRL)
        self.scan()
        self.settled()
        self.assertEqual(self.follow(), ["J1"])
        self.assertEqual(self.unit.faults, [])
        self.window.show_view("rework")
        view = self.window.views.rework
        self.assertIn("Cell in", view.lead.words.text())
        view.lead.setFocus()
        self.key(Key.Key_PageDown)
        steps = [e.payload for e in self.window.model.trail if isinstance(e.payload, ReworkStep)]
        self.assertEqual(len(steps), len(RecipeBook().recipes["socket-retrofit"].step))
        self.assertEqual(set(self.window.model.facts.proofs or {}), {c.id for c in self.board.checks})
        self.assertFalse(any(r.value == math.inf for r in (self.window.model.facts.measured_alone or {})["J1"].readings
                             if r.between != "plus and minus pad, no supply"))
        self.hand_over("leaf")
