"""Proof in the real window: put together, in the order that costs least, measured where a power meter is."""

from __future__ import annotations

import unittest

from PySide6.QtCore import Qt

from dextrum.core.trail import (
    Access,
    Cell,
    DrawTrace,
    Fastened,
    JobOpened,
    Look,
    Payload,
    Proof,
    PutTogether,
    Rework,
    Supply,
)
from dextrum.desktop.proof.check_button import CheckButton
from dextrum.instruments.described.resource_names import named
from dextrum.instruments.protocols import POWER_METER
from dextrum.store.entries import new_entry
from dextrum.store.jobs import JobStore
from tests.gear_dialects import POWER, PowerWire, ServedWire
from tests.support import as_good, duo_board
from tests.window_support import Key, WindowCase


class ProofCase(WindowCase):
    more: tuple[Payload, ...] = ()

    def fill(self, store: JobStore) -> None:
        payloads: tuple[Payload, ...] = (
            JobOpened("SLS-1", "Tarnwick Duo", "tarnwick-duo-c"), Look(("clean",)), Cell("unplugged"),
            Access("board_out"), Rework("replace", "F1", audit=("counted", "bridges", "flux")),
            *as_good(*duo_board().port_point_ids(), "F1.1-2", "F1.1", "F1.2"), Cell("plugged"), *self.more)
        store.add_trail([new_entry(p, "Ines") for p in payloads])

    def setUp(self) -> None:
        super().setUp()
        self.settled()
        self.window.show_view("proof")
        self.view = self.window.views.proof
        self.application.processEvents()

    def choose(self, check: str) -> None:
        self.view.go_to(check)
        self.application.processEvents()
        widget = self.focus()
        assert isinstance(widget, CheckButton)
        self.assertEqual(widget.check, check)

    def passed(self) -> set[str]:
        return {check for check, proof in (self.window.model.facts.proofs or {}).items() if proof.passed}


class TogetherTest(ProofCase):
    def test_nothing_runs_before_it_is_put_together(self) -> None:
        self.choose("boot")
        self.key(Key.Key_P)
        self.assertIn("Not put together far enough", self.view.trouble.text())
        self.assertEqual(self.passed(), set())
        label, done = self.view.set_up_lines["charge_a"]
        self.assertIn("Heat sink on, two port screws in", label.text())
        self.assertIn("Not in yet: A1, S5, S6", label.text())
        assert done is not None
        done.setFocus(Qt.FocusReason.TabFocusReason)
        self.key(Key.Key_Space)
        self.assertEqual({f for f, e in (self.window.model.facts.fasteners or {}).items() if e.state == "in"},
                         {"A1", "S5", "S6"})
        self.assertNotIn("Not in yet", label.text())
        self.assertFalse(done.isEnabled())
        self.choose("boot")
        self.key(Key.Key_P)
        self.assertEqual(self.passed(), {"boot"})
        for _ in range(2):  # the proof, and that it is together
            self.window.commands.run("trail.strike")
        self.assertIn("Not in yet", label.text())

    def test_screws_are_not_counted_while_some_are_out(self) -> None:
        self.choose("screws")
        self.key(Key.Key_P)
        self.assertIn("Not in yet, by the trail", self.view.trouble.text())
        self.assertEqual(self.passed(), set())
        self.key(Key.Key_I)
        self.assertEqual(len(self.window.model.facts.fasteners or {}), len(duo_board().fasteners))
        self.key(Key.Key_P)
        self.assertEqual(self.passed(), {"screws"})

    def test_what_is_missing_is_not_called_in(self) -> None:
        self.window.model.record(Fastened("S5", "missing"))
        self.choose("charge_a")
        self.key(Key.Key_I)
        self.assertIn("Missing by the trail: S5", self.view.trouble.text())
        facts = self.window.model.facts
        self.assertEqual({f: e.state for f, e in (facts.fasteners or {}).items()},
                         {"S5": "missing", "A1": "in", "S6": "in"})
        self.choose("charge_a")
        self.key(Key.Key_P)
        self.assertIn("Not put together far enough", self.view.trouble.text())
        self.window.model.record(Fastened("S5", "in"))
        self.choose("charge_a")
        self.key(Key.Key_P)
        self.assertEqual(self.passed(), {"charge_a"})

    def test_a_key_that_does_not_apply_says_so_and_the_row_stays_chosen(self) -> None:
        self.window.model.record(PutTogether(("A1", "S5", "S6")))
        self.choose("boot")
        self.key(Key.Key_M)
        self.assertIn("tells nothing of this check", self.view.trouble.text())
        self.choose("floor")
        self.key(Key.Key_I)
        self.assertIn("names no screws", self.view.trouble.text())
        self.key(Key.Key_P)
        self.assertEqual(self.passed(), {"floor"})

    def test_rows_stand_in_the_order_that_costs_least(self) -> None:
        self.assertEqual(list(self.view.buttons)[:5], ["charge_a", "charge_b", "boot", "dock_b", "dock_a"])
        self.assertIn("Read after the repair: 24 of 24 port contacts and 3 other points, all as on a good board",
                      self.view.after.text())

    def test_the_card_leads_to_the_line_that_says_so(self) -> None:
        self.view.go_to("S5")
        self.application.processEvents()
        self.assertEqual(self.focus(), self.view.set_up_lines["charge_a"][1])


class MeasureTest(ProofCase):
    more = (*(Fastened(name, "in") for name in ("A1", "S5", "S6")), Supply("b", 9.0, 1.92))

    def setUp(self) -> None:
        wire = PowerWire(next(d for d in POWER if d.description == "power-one-query"), rows=100_000)
        self.served = ServedWire(wire)
        self.addCleanup(self.served.close)
        super().setUp()

    def test_a_way_up_is_measured_here_and_said_as_it_comes(self) -> None:
        label = self.view.said["charge_b"]
        self.settled()
        self.assertIn("9.00 V, 1.92 A: full power for this model. P passes it.", label.text())
        self.window.commands.capture.connect_to({POWER_METER: named("power-one-query", self.served.address)})

        def ready() -> bool:
            poller = self.window.instruments.poller(POWER_METER)
            return poller is not None and poller.status.state == "ready"

        self.wait(ready, 20.0, "for the meter")
        self.choose("charge_a")
        self.key(Key.Key_M)
        self.wait(lambda: "Live: 5.08 V, 0.400 A" in self.view.said["charge_a"].text(), 20.0, "for the live figures")
        self.assertIs(self.window.current_view(), self.view)
        self.assertEqual(self.view.meters["charge_a"].text(), "End")
        self.assertFalse(self.view.said["charge_b"].text().startswith("Live"))
        self.key(Key.Key_M)
        self.wait(lambda: any(isinstance(e.payload, DrawTrace) for e in self.window.model.trail), what="for the trace")
        trace = next(e.payload for e in self.window.model.trail if isinstance(e.payload, DrawTrace))
        self.assertEqual(trace.orientation, "a")
        self.settled()
        self.assertIn("5.08 V, 0.40 A", self.view.said["charge_a"].text())
        self.assertEqual(self.view.meters["charge_a"].text(), "Measure")
        self.assertFalse(any(isinstance(e.payload, Proof) for e in self.window.model.trail), "a person passes it")

    def test_without_a_meter_it_says_so(self) -> None:
        self.choose("charge_a")
        self.key(Key.Key_M)
        self.assertEqual(len([e for e in self.window.model.trail if isinstance(e.payload, DrawTrace)]), 0)
        self.assertIn("meter", self.window.trail.said.text())


if __name__ == "__main__":
    unittest.main()
