"""Circuit templates: roles found, nets proposed and said to be so, functions that follow, and what doesn't fit."""

from __future__ import annotations

import math
import subprocess
import sys
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path

import numpy as np
from PySide6.QtWidgets import QLabel
from scipy import stats

from dextrum.app.library.library import PackLibrary
from dextrum.app.packmaking.circuits import circuits, in_pair, laid, laid_words, that_fit
from dextrum.app.packmaking.own_packs import begin_pack
from dextrum.core.assumptions.readings import BROAD_VOLTS, ELSE_GROUND, ELSE_GROUND_VOLTS, ELSE_OPEN
from dextrum.core.board import Board, ComponentKind, FactSource, Method, RailCheck, SourceKind
from dextrum.core.board.consistency import inconsistencies
from dextrum.core.diagnosis.after_repair import weigh_trail
from dextrum.core.diagnosis.expected import expected_at
from dextrum.core.diagnosis.likelihood import log_density
from dextrum.core.diagnosis.model import build_model
from dextrum.core.packmaking.circuit_template import CircuitTemplate, misfit, suggested, with_circuit
from dextrum.core.packmaking.first_rung import Opening, described
from dextrum.core.packmaking.placing import PartToPlace, parse_part, with_part, without_part
from dextrum.core.packmaking.port_template import TEMPLATES, own_socket
from dextrum.core.trail import Cell, JobOpened, Look, PointReading, Readings
from dextrum.errors import EntryRefusedError
from dextrum.store.circuits import load_circuit
from dextrum.store.packs.pack_files import checked_board, load_board
from dextrum.store.packs.pack_writer import pack_files_of, write_pack_folder
from dextrum.store.toml_file import TomlFileError
from tests.support import duo_advice, duo_board, library_of, trail_of
from tests.window_support import Key, WindowCase

PLACED = ("F1", "FL1", "FL2", "FL3", "FL4", "FL5", "D1", "U1", "U2", "U3", "C15")


def placed(*parts: str, port: str = "usb-c-24") -> Board:
    """A board of the second rung's kind with some of the Duo's parts on it, their nets unknown but for ground."""
    board = described("Tarnwick Twin", "A", TEMPLATES[port], [Opening("back off", 6.0)])
    board = replace(board, outline_mm=duo_board().outline_mm)
    for name in parts or PLACED:
        part = duo_board().component_by_designator[name]
        pins = tuple((t.name, "GND" if t.net == "GND" else "") for t in part.terminals)
        board = with_part(board, PartToPlace(name, part.kind, pins, part.width_mm, part.height_mm), part.side,
                          part.x_mm, part.y_mm)
    return board


def av() -> CircuitTemplate:
    return circuits()[0]["24-pd-charger-av"]


class ShippedTest(unittest.TestCase):
    def test_all_are_sound_and_each_fits_a_port(self) -> None:
        found, troubles = circuits()
        self.assertEqual(troubles, ())
        self.assertEqual(set(found), {"24-pd-charger-av", "16-charger", "socket-charger"})
        ports = [described("M", "A", one) for one in (*TEMPLATES.values(), own_socket(["VIN", "", "GND"]))]
        for template in found.values():
            self.assertTrue(any(not misfit(template, board) for board in ports), template.id)

    def test_one_that_does_not_fit_says_why(self) -> None:
        small = described("M", "A", TEMPLATES["usb-c-16"])
        self.assertIn("TX1P", misfit(av(), small))
        self.assertEqual([one.id for one in that_fit(small, circuits()[0])], ["16-charger"])
        with self.assertRaises(ValueError):
            with_circuit(small, av(), {})


class LaidTest(unittest.TestCase):
    def test_chips_are_known_by_their_pins(self) -> None:
        found = suggested(av(), placed())
        self.assertEqual((found["pd"], found["charger"], found["av"]), (("U1",), ("U2",), ("U3",)))
        self.assertEqual(found["fuse"], ("F1",))
        self.assertEqual(set(found["filters"]), {"FL1", "FL2", "FL3", "FL4", "FL5"})

    def test_what_nobody_knows_is_proposed_and_said_to_be_so(self) -> None:
        board = with_circuit(placed(), av(), suggested(av(), placed()))
        net = {f"{p.designator}.{t.name}": t.net for p in board.components for t in p.terminals}
        self.assertEqual((net["F1.1"], net["F1.2"]), ("VBUS", "VBUS_F"))
        self.assertEqual((net["U1.CC1"], net["U1.VBUS"], net["U2.VIN"]), ("CC1", "VBUS_F", "VCHG"))
        self.assertAlmostEqual(board.sureness["U1.CC1"], 0.8)
        self.assertAlmostEqual(board.sureness["U1.GND"], 0.99)  # typed
        self.assertEqual(inconsistencies(board), ())
        self.assertIn("only proposed", laid_words(board, av()))

    def test_what_is_known_stays(self) -> None:
        board = placed("U1")
        known = replace(board, components=tuple(
            replace(p, terminals=tuple(replace(t, net="CC2") if t.name == "CC1" else t for t in p.terminals))
            if p.designator == "U1" else p for p in board.components))
        net = {t.name: t.net for t in with_circuit(known, av(), {"pd": ("U1",)}).component_by_designator[
            "U1"].terminals}
        self.assertEqual(net["CC1"], "CC2")

    def test_without_a_fuse_the_chip_sits_on_the_port_itself(self) -> None:
        board = with_circuit(placed("U1"), av(), {"pd": ("U1",)})
        self.assertEqual(board.net_of("U1.VBUS"), "VBUS")

    def test_functions_name_the_parts_and_the_rest_stands_for_those_that_nobody_placed(self) -> None:
        board = with_circuit(placed("U1", "F1"), av(), {"pd": ("U1",), "fuse": ("F1",)})
        functions = {one.id: one for one in board.functions}
        self.assertEqual(functions["pd_alive"].parts, ("U1",))
        self.assertEqual(functions["supply_path"].parts, ("F1",))
        self.assertIn("rest", functions["inside"].functions)
        self.assertNotIn("rest", functions["pd_alive"].functions)
        self.assertEqual({c.id for c in board.checks} - {c.id for c in av().check}, {"screws"})

    def test_it_outlives_a_further_part_and_forgets_one_that_goes(self) -> None:
        board = with_circuit(placed(), av(), suggested(av(), placed()))
        more = with_part(board, parse_part("C99 VBUS GND"), duo_board().component_by_designator["C15"].side, 20.0, 20.0)
        self.assertEqual([f.id for f in more.functions], [f.id for f in board.functions])
        less = without_part(more, "U3")
        assert less.circuit is not None
        self.assertNotIn("av", less.circuit.parts)
        self.assertEqual(next(f for f in less.functions if f.id == "av").parts, ())
        self.assertFalse(any(one.end.startswith("U3.") for one in less.sources))

    def test_a_rail_stays_while_what_it_tells_of_does(self) -> None:
        side = duo_board().component_by_designator["C15"].side
        board = with_part(placed(), parse_part("C98 SYS GND"), side, 20.0, 20.0)
        kept = RailCheck("KEPT", "C98.1", "system rail", ("supply_path", "inside"), 3.0, "back_off")
        lost = replace(kept, id="LOST", functions=("nobody",))
        again = with_circuit(replace(board, rail_checks=(kept, lost)), av(), suggested(av(), board))
        self.assertEqual(again.rail_checks, (kept,))

    def test_laid_again_it_is_the_same(self) -> None:
        board = with_circuit(placed(), av(), suggested(av(), placed()))
        self.assertEqual(with_circuit(board, av(), suggested(av(), board)), board)

    def test_it_is_written_and_read_back(self) -> None:
        board = with_circuit(placed(), av(), suggested(av(), placed()))
        self.assertEqual(checked_board(pack_files_of(board)), board)

    def test_wrong_choices_are_told(self) -> None:
        board = placed()
        for chosen, words in (({"pd": ("U9",)}, "U9"), ({"pd": ("C15",)}, "capacitor"), ({"nobody": ("U1",)}, "role"),
                              ({"pd": ("U1",), "charger": ("U1",)}, "two roles"), ({"pd": ("U1", "U2")}, "both")):
            with self.subTest(chosen), self.assertRaises(EntryRefusedError) as refused:
                laid(board, av(), chosen)
            self.assertIn(words, f"{refused.exception.happened} {refused.exception.next_step}")


class PairTest(unittest.TestCase):
    def test_two_touches_say_in_which_pair_a_filter_sits(self) -> None:
        board = in_pair(placed(), "fl1 a2 a3")
        net = {t.name: t.net for t in board.component_by_designator["FL1"].terminals}
        self.assertEqual(net, {"1": "TX1P", "2": "TX1P_F", "3": "TX1N", "4": "TX1N_F"})
        source = {one.end: one.source for one in board.sources}
        self.assertEqual((source["FL1.1"], source["FL1.2"]), (SourceKind.PROBED, SourceKind.GUESSED))

    def test_the_chip_behind_it_follows(self) -> None:
        board = with_circuit(in_pair(placed(), "FL1 A2 A3"), av(), {"filters": ("FL1",), "av": ("U3",)})
        self.assertEqual(board.net_of("U3.TX1P"), "TX1P_F")
        self.assertEqual(board.net_of("U3.TX2P"), "TX2P")

    def test_what_can_not_be_is_told(self) -> None:
        board = in_pair(placed(), "FL1 A2 A3")
        for typed, words in (("FL1 A2 A3", "known already"), ("FL2 A2 A2", "two contacts"), ("FL2 A1 A3", "ground"),
                             ("C15 A2 A3", "no filter"), ("FL2 A2 Q9", "no contact"), ("FL2", "two contacts")):
            with self.subTest(typed), self.assertRaises(EntryRefusedError) as refused:
                in_pair(board, typed)
            self.assertIn(words, f"{refused.exception.happened} {refused.exception.next_step}")


class FileTest(unittest.TestCase):
    def test_a_broken_file_names_its_line_and_an_own_one_stands_in(self) -> None:
        shipped = Path(__file__).resolve().parents[1] / "src/dextrum/data/circuits/16-charger.toml"
        text = shipped.read_text(encoding="utf-8")
        with tempfile.TemporaryDirectory() as folder:
            place = Path(folder) / "own.toml"
            for old, new in (('parts = ["charger", "cell"]', 'parts = ["charger", "nobody"]'),
                             ("leak = 0.02", "leak = 7"), ('kind = "fuse"', 'kind = "teapot"')):
                place.write_text(text.replace(old, new), encoding="utf-8")
                with self.subTest(new), self.assertRaises(TomlFileError) as refused:
                    load_circuit(place)
                self.assertGreater(refused.exception.line, 0)
                self.assertIn("own.toml", str(refused.exception))
            _, troubles = circuits(Path(folder))
            self.assertEqual(len(troubles), 1)
            place.write_text(text.replace('title = "', 'title = "Ours: '), encoding="utf-8")
            self.assertTrue(circuits(Path(folder))[0]["16-charger"].title.startswith("Ours"))


class CommandLineTest(unittest.TestCase):
    def run_it(self, *words: str) -> subprocess.CompletedProcess[str]:
        return subprocess.run([sys.executable, "-m", "dextrum", "pack", "circuit", *words], capture_output=True,
                              text=True, check=False, timeout=120)

    def test_a_template_is_laid_over_a_folder(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            place = write_pack_folder(Path(folder), "tarnwick-twin-a", pack_files_of(placed()))
            listed = self.run_it(str(place))
            self.assertIn("24-pd-charger-av:", listed.stdout)
            done = self.run_it(str(place), "--template", "24-pd-charger-av", "--pair", "FL1=A2,A3", "--role", "av=-")
            self.assertEqual(done.returncode, 0, done.stderr)
            self.assertIn("Still open: A/V switch", done.stdout)
            board = load_board(place)
            self.assertEqual(board.net_of("FL1.2"), "TX1P_F")
            self.assertEqual(next(f for f in board.functions if f.id == "pd_alive").parts, ("U1",))
            wrong = self.run_it(str(place), "--template", "24-pd-charger-av", "--role", "pd=C15")
            self.assertNotEqual(wrong.returncode, 0)
            self.assertIn("C15 is placed as capacitor", wrong.stderr)
            self.assertNotIn("Traceback", wrong.stderr)
            self.assertEqual(load_board(place), board)


class UnsureNetTest(unittest.TestCase):
    """A net that is only proposed must not convict a chip."""

    def reads(self, sure: float | None) -> tuple[float, float]:
        """Chance of U1 when C14, on CC2 beside it, reads 0 V; and of nothing at all."""
        sources = () if sure is None else (FactSource("net C14.1", SourceKind.TEMPLATE, sure=sure),)
        board = replace(duo_board(), sources=sources)
        model = build_model(board, duo_advice().model.references)
        readings = Readings(Method.DIODE_RED_GROUND, (PointReading("C14.1", 0.0),), "M1")
        posterior = weigh_trail(model, trail_of(JobOpened("T-1", "Tarnwick Duo", board.pack_id), Look(("clean",)),
                                                Cell("unplugged"), readings))
        chance = sum(float(c) for f, c in zip(posterior.hypotheses.faults, posterior.faults, strict=True)
                     if f.part == "U1")
        return chance, float(posterior.nothing)

    def test_the_less_sure_the_less_it_says(self) -> None:
        whole, (sure, nothing_sure), (unsure, nothing_unsure) = self.reads(None), self.reads(1.0), self.reads(0.6)
        self.assertEqual(whole, (sure, nothing_sure))
        self.assertLess(unsure, sure)
        self.assertGreater(nothing_unsure, nothing_sure)

    def test_by_hand_the_wrong_net_competes_at_its_chance(self) -> None:
        model = duo_advice().model
        expected = expected_at(model, "C14.1", Method.DIODE_RED_GROUND)
        assert expected is not None
        at = 0.05
        found = np.exp(log_density(replace(expected, unsure=0.3), Method.DIODE_RED_GROUND, at))
        if_so = np.exp(log_density(replace(expected, unsure=0.0), Method.DIODE_RED_GROUND, at))
        near_ground = ELSE_GROUND * math.exp(-at / ELSE_GROUND_VOLTS) / ELSE_GROUND_VOLTS
        anything = near_ground + (1 - ELSE_OPEN - ELSE_GROUND) * BROAD_VOLTS
        good = stats.t.pdf((at - expected.centre) / expected.base, expected.freedom) / expected.base
        np.testing.assert_allclose(found, 0.7 * if_so + 0.3 * (0.5 * good + 0.5 * anything), rtol=1e-9)


class CircuitWindowTest(WindowCase):
    def packs(self) -> PackLibrary:
        return library_of(self.folder / "packs")

    def test_from_the_page_by_keys(self) -> None:
        pack = begin_pack(self.session.library, "Twin", "A", "usb-c-24", "", "back off 6")
        library = self.session.library
        library.keep(replace(placed(), pack_id=pack, model="Twin"))
        self.window.open_job(self.session.open_new_job("SLS-0822", pack))
        self.settled()
        self.window.show_view("packmaking")
        self.window.commands.run("pack.pair")
        self.type("FL1 A1 A3")
        self.key(Key.Key_Return)
        self.assertIn("ground", self.window.ask.trouble.text())
        self.window.ask.field.setText("FL1 A2 A3")
        self.key(Key.Key_Return)
        self.assertEqual(library.board(pack).net_of("FL1.1"), "TX1P")
        self.window.commands.run("pack.circuit")
        self.application.processEvents()
        self.key(Key.Key_Return)
        asked: list[str] = []
        for _ in range(len(av().role)):
            self.wait(lambda: self.window.ask.words.text() not in ("", *asked[-1:]) and "which part" in
                      self.window.ask.words.text(), what="for the next role")
            asked.append(self.window.ask.words.text())
            if "PD controller, the chip" in asked[-1]:
                self.assertEqual(self.window.ask.field.text(), "U1")
                self.window.ask.field.setText("C15")
                self.key(Key.Key_Return)
                self.assertIn("capacitor", self.window.ask.trouble.text())
                self.window.ask.field.setText("U1")
            self.key(Key.Key_Return)
            self.application.processEvents()
        self.assertEqual(len(asked), len(av().role))
        board = library.board(pack)
        assert board.circuit is not None
        self.assertEqual(board.circuit.parts["charger"], ("U2",))
        self.settled()
        page = " ".join(label.text() for label in self.window.views["packmaking"].findChildren(QLabel))
        self.assertIn("from a template", page)
        # A step back takes it away again, and the job goes on.
        self.window.commands.run("pack.back")
        self.assertIsNone(library.board(pack).circuit)


class KindTest(unittest.TestCase):
    def test_every_kind_that_a_template_names_can_be_placed(self) -> None:
        for template in circuits()[0].values():
            for role in template.role:
                self.assertNotIn(role.kind, (ComponentKind.RECEPTACLE,), f"{template.id} {role.id}")
