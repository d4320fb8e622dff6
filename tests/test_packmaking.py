"""Own packs: begun in half a minute, judged by nothing they don't know, taught by good units, kept through crashes."""

from __future__ import annotations

import math
import unittest
from dataclasses import replace
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np

from dextrum.app.advising.assess import Assessment, assess
from dextrum.app.evaluation.evaluate import calibration
from dextrum.app.library.library import PackLibrary
from dextrum.app.packmaking.own_packs import begin_pack, parse_openings, rung_of, taught
from dextrum.app.packmaking.pack_words import standing_of
from dextrum.app.packmaking.sending import send
from dextrum.core.advice.advice_model import AdviceModel
from dextrum.core.advice.recommend import build_advice_model
from dextrum.core.board import Board, Method, NetRole, Side
from dextrum.core.board.consistency import inconsistencies
from dextrum.core.diagnosis.model import build_model
from dextrum.core.draw.records import trace_spells
from dextrum.core.packmaking.draw_profile import learned_profile
from dextrum.core.packmaking.first_rung import Opening, described, pack_id_of
from dextrum.core.packmaking.placing import parse_part, with_part
from dextrum.core.packmaking.port_template import OWN_SOCKET, TEMPLATES, own_socket
from dextrum.core.packmaking.second_rung import REST, with_draws, with_good_unit
from dextrum.core.packmaking.shop_files.tables import read_table
from dextrum.core.packmaking.shop_files.test_netlist import read_test_netlist
from dextrum.core.reference.known_good import KnownGoodReading
from dextrum.core.reference.table import build_reference_table
from dextrum.core.trail import (
    Access,
    Cell,
    DrawTrace,
    Intake,
    JobOpened,
    Look,
    PointReading,
    Readings,
    standing,
)
from dextrum.desktop.frame.table_strip import table_strip
from dextrum.errors import EntryRefusedError, FileStandsError, ImportRefusedError
from dextrum.instruments.simulated_board import METER_M1, SimulatedBoard
from dextrum.store.packs.pack_files import load_board, load_pack
from dextrum.store.packs.pack_source import finish_writing
from dextrum.store.packs.pack_writer import HISTORY, pack_files_of, write_pack_folder
from tests.support import DUO, as_good, duo_advice, duo_board, fault_named, library, library_of, trail_of
from tests.window_support import CTRL, Key, WindowCase

RED = Method.DIODE_RED_GROUND


def first_rung() -> Board:
    return described("Unit of nobody", "C", TEMPLATES["usb-c-24"], (Opening("back off", 6.0),))


class FirstRungTest(unittest.TestCase):
    def test_every_template_makes_a_sound_pack(self) -> None:
        for template in (*TEMPLATES.values(), own_socket(["VIN", "VIN", "", "GND", "GND"]), own_socket([""])):
            with self.subTest(template.words):
                board = described("Tarnwick Grip", "B", template, (Opening("back off", 6.0), Opening("board out", 9.0)))
                self.assertEqual(list(inconsistencies(board)), [])
                self.assertEqual(len(board.points), len(template.contacts))
                self.assertEqual(rung_of(board), 1)

    def test_contacts_are_those_of_the_shipped_boards(self) -> None:
        """The Duo's port was written down by hand from the standard; so was the template, apart from it."""
        theirs, ours = duo_board().ports[0], first_rung().ports[0]
        self.assertEqual({(c.name, c.number, c.signal) for c in ours.contacts},
                         {(c.name, c.number, c.signal) for c in theirs.contacts})
        self.assertEqual({frozenset(g) for g in ours.one_node}, {frozenset(g) for g in theirs.one_node})
        self.assertEqual({frozenset(g) for g in ours.twins}, {frozenset(g) for g in theirs.twins})
        orb = library().board("bramlet-orb-a").ports[0]
        self.assertEqual({c.name for c in TEMPLATES["usb-c-16"].contacts}, {c.name for c in orb.contacts})

    def test_what_can_not_be_a_pack_is_refused_in_words(self) -> None:
        for model, revision, openings in (("", "A", ()), ("日本", "", ()), ("x" * 61, "A", ()),
                                          ("A", "A", (Opening("back", 1.0), Opening("back", 2.0))),
                                          ("A", "A", (Opening("closed", 1.0),))):
            with self.subTest(model), self.assertRaisesRegex(ValueError, "expected"):
                described(model, revision, TEMPLATES["usb-c-16"], openings)
        for count in (0, 41):
            with self.assertRaises(ValueError):
                own_socket([""] * count)

    def test_ids_are_plain(self) -> None:
        self.assertEqual(pack_id_of("Tärnwick  Grip", "rev B/2"), "tarnwick-grip-rev-b-2")

    def test_openings_as_typed(self) -> None:
        self.assertEqual(parse_openings("back off 6, board out 12,5 min"),
                         (Opening("back off", 6.0), Opening("board out", 12.5)))
        self.assertEqual(parse_openings(" "), ())
        for text in ("back off", "back off 900"):
            with self.assertRaises(EntryRefusedError):
                parse_openings(text)


class SecondRungTest(unittest.TestCase):
    """The Duo's true board stands for one that nobody has described: the pack sees a good unit's port of it."""

    good: SimulatedBoard
    board: Board
    advice: AdviceModel

    @classmethod
    def setUpClass(cls) -> None:
        cls.good = SimulatedBoard(duo_board(), (), np.random.default_rng(1))
        start = first_rung()
        cls.board = with_good_unit(start, {p.id: cls.good.read(p.id, RED, METER_M1) for p in start.points})
        known = tuple(KnownGoodReading("G1", p.id, p.default_method, "M1", cls.good.read(p.id, RED, METER_M1)
                                       if p.to is None else 0.05, 21.0, "2026-01-02") for p in cls.board.points)
        cls.advice = build_advice_model(build_model(cls.board, build_reference_table(cls.board, known, "M1")))

    def judged(self, fault: str, seed: int, symptom: str = "no_charge") -> Assessment:
        found = fault_named(duo_advice().model.hypotheses.faults, fault)
        unit = SimulatedBoard(duo_board(), [(found, found.variants[0][0])], np.random.default_rng(seed))
        read = tuple(PointReading(p.id, unit.read(p.id, RED, METER_M1)) for p in self.board.points if p.to is None)
        return assess(self.advice, trail_of(JobOpened("T", self.board.model, self.board.pack_id),
                                            Intake("x", (symptom,)), Look(("clean",)), Cell("unplugged"),
                                            Access("back_off"), Readings(RED, read, "M1")))

    def chance(self, done: Assessment, part: str) -> float:
        return sum(float(c) for f, c in zip(done.posterior.hypotheses.faults, done.posterior.faults, strict=True)
                   if f.part == part)

    def test_it_is_sound_and_predicts_the_good_unit(self) -> None:
        self.assertEqual(list(inconsistencies(self.board)), [])
        self.assertEqual(rung_of(self.board), 2)
        for point in self.board.points:
            if point.to is None:
                expected = self.advice.model.predicted_at(point.id, RED)
                assert expected is not None
                self.assertAlmostEqual(float(expected.values[0]), self.good.true_value(point.id, RED), delta=0.03)

    def test_open_contacts_are_the_ports_and_shorts_lie_behind_or_at_it(self) -> None:
        for contact, least in (("A5", 0.5), ("B5", 0.5), ("A8", 0.25), ("B8", 0.25)):
            for kind in ("open_contact", "lifted_joint"):
                done = self.judged(f"J1:{kind}:{contact}", 3)
                named = [f.terminals for f in (s.fault for s in done.suspects) if f.part == "J1"]
                # What lies behind may be open as well: sure it is not, but it is that contact or nothing of the port.
                self.assertIn(contact, named[0])
                self.assertGreater(self.chance(done, "J1"), least)
                self.assertLess(self.chance(done, "J1"), 0.9)
        for fault, net in (("U1:hard_short:CC2", "CC2"), ("U1:hard_short:CC1", "CC1")):
            done = self.judged(fault, 3)
            self.assertEqual((done.suspects[0].fault.part, done.suspects[0].fault.terminals), (REST, (net,)))

    def test_a_lane_that_is_open_is_no_cause_of_not_charging(self) -> None:
        self.assertGreater(self.chance(self.judged("J1:open_contact:A10", 3, "no_dock"), "J1"), 0.4)

    def test_it_is_never_given_up_for_what_nobody_described(self) -> None:
        for fault in ("U1:quiet_failure", "U2:quiet_failure", "U1:hard_short:CC2"):
            done = self.judged(fault, 4)
            self.assertNotIn("give_up", [a.kind for a in done.advice.ranked], fault)
            self.assertFalse(any(a.kind == "repair" and a.target == REST for a in done.advice.ranked))

    def test_chances_of_the_port_hold(self) -> None:
        """Said of the port, over sixty faults drawn by the Duo's own rates; so few tell an error of a tenth."""
        faults = duo_advice().model.hypotheses.faults
        weight = np.array([f.weight if f.part != "something else" else 0.0 for f in faults])
        draw = np.random.default_rng(8)
        said, so = [], []
        for k in range(60):
            fault = faults[int(draw.choice(len(faults), p=weight / weight.sum()))]
            if fault.kind.value in ("bridged_pins", "torn_pad", "wrong_part"):
                continue
            lane = any(duo_board().net_by_name[duo_board().net_of(f"{fault.part}.{t}")].role is NetRole.LANE
                       for t in fault.terminals if not fault.part.startswith("trace"))
            done = self.judged(fault.id, 100 + k, "no_dock" if lane else "no_charge")
            said.append(self.chance(done, "J1"))
            so.append(fault.part == "J1")
        self.assertLess(calibration(list(zip(said, so, strict=True)))[0], 0.1)
        self.assertLess(max(said), 0.9, "of a port, beside a board that nobody described, nothing is ever sure")

    def test_nothing_read_teaches_nothing_and_a_whole_pack_is_left_as_it_is(self) -> None:
        start = first_rung()
        self.assertIs(with_good_unit(start, {}), start)
        self.assertIs(with_good_unit(duo_board(), {"J1.A5": 0.5}), duo_board())

    def test_open_and_grounded_nets(self) -> None:
        socket = described("Leaf", "A", own_socket(["VIN", "?1", "?2", ""]))
        board = with_good_unit(socket, {"J1.A1": 0.53, "J1.A2": 0.0, "J1.A3": math.inf, "J1.A4": 0.61})
        role = {net.name: net.role for net in board.nets}
        self.assertIs(role["?1"], NetRole.GROUND)
        rest = board.component_by_designator[REST]
        volts = {t.net: t.junction_volts for t in rest.terminals}
        self.assertEqual((volts["VIN"], volts["?2"], volts["C4"]), (0.53, None, 0.61))
        self.assertEqual(list(inconsistencies(board)), [])


class DrawProfileTest(unittest.TestCase):
    def traces(self, count: int) -> list[DrawTrace]:
        from dextrum.core.draw.samples import Samples, pack_samples

        found = []
        for seed in range(count):
            unit = SimulatedBoard(duo_board(), (), np.random.default_rng(seed))
            made = unit.draw("a").samples(240.0, 4.0)
            found.append(DrawTrace("a", pack_samples(Samples(made.seconds, made.volts, made.amps)), len(made.seconds),
                                   float(made.seconds[-1])))
        return found

    def test_levels_of_good_units_are_learned_and_marked_so(self) -> None:
        traces = self.traces(3)
        profile = learned_profile([trace_spells(t) for t in traces], "negotiating", ("cc_{o}",))
        self.assertEqual(profile.traces, 3)
        learned = [s for s in profile.states if s.meaning == "learned from 3 good traces"]
        self.assertTrue(learned)
        shown = float(np.median([s.amps for t in traces for s in trace_spells(t)]))
        self.assertLess(min(abs(s.amps - shown) for s in learned), 0.15 * shown + 0.03)
        board = with_draws(with_good_unit(first_rung(), {"J1.A5": 0.5, "J1.A4": 0.5}), profile)
        self.assertEqual(list(inconsistencies(board)), [])
        self.assertIn("cycling", {s.id for s in board.draw_states})
        for outcome in profile.outcomes:
            self.assertAlmostEqual(sum(outcome.states.values()), 1.0)

    def test_nothing_long_enough_teaches_nothing_and_a_stated_profile_stays(self) -> None:
        self.assertEqual(learned_profile([], "negotiating").states, ())
        profile = learned_profile([trace_spells(t) for t in self.traces(1)], "negotiating")
        self.assertIs(with_draws(duo_board(), profile), duo_board())


class KeptTest(unittest.TestCase):
    def setUp(self) -> None:
        folder = TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.library = library_of(self.folder)

    def test_every_shipped_pack_is_written_as_it_is_read(self) -> None:
        for name in library().ids():
            pack = library().pack(name)
            place = write_pack_folder(self.folder, name, pack_files_of(pack.board, pack.known_good))
            again = load_pack(place)
            self.assertEqual(again.board, pack.board, name)
            self.assertEqual(len(again.known_good), len(pack.known_good))

    def test_begun_found_again_grown_and_the_step_before_kept(self) -> None:
        name = begin_pack(self.library, "Tarnwick Grip", "B", "usb-c-16", "", "back off 6")
        self.assertEqual(library_of(self.folder).board(name), self.library.board(name))
        self.library.keep(replace(self.library.board(name), unit_value=55.0))
        self.assertEqual(library_of(self.folder).board(name).unit_value, 55.0)
        self.assertEqual(load_board(self.folder / HISTORY / name / "1").unit_value, 120.0)
        self.assertNotIn(HISTORY, library_of(self.folder).ids())
        self.assertTrue(self.library.is_own(name))
        self.assertFalse(self.library.is_own(DUO))

    def test_refused(self) -> None:
        for model, port, signals, openings in (("", "usb-c-16", "", ""), ("Grip", "round", "", ""),
                                               ("Grip", OWN_SOCKET, "", ""), ("Grip", "usb-c-16", "", "back")):
            with self.subTest(model=model, port=port), self.assertRaises(EntryRefusedError):
                begin_pack(self.library, model, "B", port, signals, openings)
        self.assertEqual(list(self.folder.iterdir()), [])
        with self.assertRaises(EntryRefusedError):
            begin_pack(self.library, "Tarnwick Duo", "C", "usb-c-24")
        with self.assertRaises(ImportRefusedError):
            self.library.keep(duo_board())

    def test_a_crash_between_the_two_names_loses_nothing(self) -> None:
        name = begin_pack(self.library, "Grip", "B", "usb-c-16")
        (self.folder / name).rename(self.folder / f".{name}.new")
        self.assertIn(name, library_of(self.folder).ids())
        # A half-written one beside a whole one is never taken.
        half = self.folder / f".{name}.new"
        half.mkdir()
        (half / "pack.json").write_text("{")
        finish_writing(self.folder)
        self.assertEqual(load_board(self.folder / name).model, "Grip")

    def test_sent_and_taken_in_elsewhere(self) -> None:
        name = begin_pack(self.library, "Grip", "B", OWN_SOCKET, "VIN ? GND", "back off 6")
        sent = self.folder / "out" / "grip.zip"
        sent.parent.mkdir()
        send(self.library, name, sent)
        with self.assertRaises(FileStandsError):
            send(self.library, name, sent)
        send(self.library, name, sent, over=True)
        with TemporaryDirectory() as other:
            there = library_of(Path(other))
            there.add_pack(sent)
            self.assertEqual(there.board(name), self.library.board(name))
            there.keep(replace(there.board(name), unit_value=60.0))
            self.assertEqual(library_of(Path(other)).board(name).unit_value, 60.0)

    def test_sent_as_a_folder_and_as_what_other_tools_read(self) -> None:
        name = begin_pack(self.library, "Grip", "B", "usb-c-24", "", "back off 6")
        board = with_part(self.library.board(name), parse_part("C14 CC2 ?"), Side.BOTTOM, 12.5, 8.0)
        self.library.keep(board)
        out = self.folder / "out"
        send(self.library, name, out)
        self.assertEqual(load_board(out / name), board)
        with self.assertRaises(FileStandsError):
            send(self.library, name, out)
        send(self.library, name, self.folder / "grip.ipc")
        points, _ = read_test_netlist((self.folder / "grip.ipc").read_text())
        self.assertIn(("C14", "1", "CC2"), {(p.part, p.pin, p.net) for p in points})
        send(self.library, name, self.folder / "grip.csv")
        rows, left = read_table((self.folder / "grip.csv").read_text())
        self.assertEqual(left, ())
        row = next(row for row in rows if row.part == "C14")
        self.assertEqual((row.x_mm, row.y_mm, row.bottom), (12.5, 8.0, True))
        self.assertIn("1=CC2 2=?", (self.folder / "grip.csv").read_text())
        with self.assertRaisesRegex(ImportRefusedError, "no form"):
            send(self.library, name, self.folder / "grip.xyz")

    def test_words_of_each_rung(self) -> None:
        first = standing_of(first_rung(), (), True)
        self.assertIn("the port alone", first.sentence)
        self.assertTrue(any("none is described" in words for words in first.can_not))
        whole = standing_of(duo_board(), library().pack(DUO).known_good, False)
        self.assertIn("left as it is", whole.next_step)
        self.assertTrue(any("6 good boards" in words for words in whole.can))

    def test_where_each_fact_comes_from_is_kept_and_told(self) -> None:
        board = first_rung()
        known = tuple(KnownGoodReading(name, point, RED, "M1", value, 21.0, "2026-01-02") for name in ("G1", "G2")
                      for point, value in (("J1.A4", 0.45), ("J1.A5", 0.6), ("J1.A1", 0.0)))
        grown = taught(board, known, ())
        told = {what: (much, source) for what, much, source in standing_of(grown, known, True).facts}
        self.assertEqual(told["Junctions"], ("2", "measured on 2 good units"))
        self.assertEqual(told["Failure rates"][1], "usual for such parts")
        self.assertEqual(told["Repairs"][1], "usual for such parts")
        with TemporaryDirectory() as place:
            write_pack_folder(Path(place), grown.pack_id, pack_files_of(grown, known))
            self.assertEqual(load_board(Path(place) / grown.pack_id).sources, grown.sources)
        self.assertNotIn("Junctions", {what for what, _, _ in standing_of(duo_board(), (), False).facts})


class OwnPackWindowTest(WindowCase):
    def packs(self) -> PackLibrary:
        return library_of(self.folder / "packs")

    def test_from_another_model_to_a_taught_pack(self) -> None:
        self.key(Key.Key_N, CTRL)
        self.type("SLS-0801")
        box = self.window.ask.choice
        box.setCurrentIndex(box.count() - 1)
        self.assertIn("another model", box.currentText())
        self.window.ask.field.setFocus()
        for asked, typed in (("", ""), ("its name", "Tarnwick Grip"), ("revision", "B"), ("Kind of port", ""),
                             ("opens", "")):
            self.assertIn(asked, self.window.ask.words.text())
            if asked == "Kind of port":
                self.window.ask.choice.setCurrentIndex(1)
            if typed:
                self.window.ask.field.clear()
                self.type(typed)
            self.key(Key.Key_Return)
            self.application.processEvents()
        model = self.window.model
        self.assertEqual((model.facts.serial, model.facts.pack_id), ("SLS-0801", "tarnwick-grip-b"))
        self.settled()
        self.window.show_view("packmaking")
        view = self.window.views["packmaking"]
        self.assertIn("the port alone", view.sentence.text())
        # A good unit: nothing to learn before it is read.
        self.window.commands.run("pack.good")
        self.key(Key.Key_Return)
        self.assertIn("Nothing was read", self.window.ask.trouble.text())
        self.key(Key.Key_Escape)
        unit = SimulatedBoard(library().board("bramlet-orb-a"), (), np.random.default_rng(2))
        model.record(Cell("unplugged"))
        self.window.show_view("port")
        port = self.window.views.port
        for _ in range(16):
            value = unit.read(port.ladder.current_point(), RED, METER_M1)
            self.type("o" if value == math.inf else f"{value:.3f}")
            if value != math.inf:
                self.key(Key.Key_Return)
        self.window.commands.run("pack.good")
        self.key(Key.Key_Return)
        self.settled()
        assert model.board is not None
        self.assertIn(REST, model.board.component_by_designator)
        self.assertIsNotNone(model.assessment)
        self.window.show_view("packmaking")
        self.assertIn("one good unit", view.sentence.text())
        self.assertEqual(len([e for e in standing(model.trail) if isinstance(e.payload, Readings)]), 16)
        self.window.show_view("board")
        self.window.show_view("rework")
        self.application.processEvents()

    def test_a_pack_that_came_with_the_program_is_not_taught(self) -> None:
        job = self.session.open_new_job("SLS-0802", DUO)
        self.window.open_job(job)
        for readings in as_good("J1.A5"):
            self.window.model.record(readings)
        self.window.commands.run("pack.good")
        self.assertIn("not the shop's own", self.window.trail.said.text())

    def test_from_a_netlist_to_a_job_on_its_pack(self) -> None:
        from dextrum.core.packmaking.from_files import test_points_of
        from dextrum.core.packmaking.shop_files.test_netlist import write_test_netlist

        netlist, table = self.folder / "orb.ipc", self.folder / "orb.csv"
        netlist.write_text(write_test_netlist(test_points_of(library().board("bramlet-orb-a")), "orb"))
        table.write_text("Ref;Value\nR1;5.1k\nC99;1u\n")

        def answered(asked: str, typed: str) -> None:
            self.assertIn(asked, self.window.ask.words.text())
            self.window.ask.field.clear()
            self.type(typed)
            self.key(Key.Key_Return)
            self.application.processEvents()

        self.window.commands.run("pack.files")
        answered("Test netlist", str(self.folder / "gone.ipc"))
        def tables_shown() -> None:
            self.assertIn("R1 is read without a place", table_strip(self.window).rows.text())
            self.key(Key.Key_Return)
            self.application.processEvents()

        answered("Tables", str(table))
        tables_shown()
        for asked, typed in (("name", "Bramlet Disc"), ("revision", "A"), ("opens", "shell open 5")):
            answered(asked, typed)
        self.assertIn("can't be read", self.window.ask.trouble.text())
        self.key(Key.Key_Escape)
        self.window.commands.run("pack.files")
        for asked, typed in (("Test netlist", str(netlist)), ("Tables", str(table))):
            answered(asked, typed)
        tables_shown()
        for asked, typed in (("name", "Bramlet Disc"), ("revision", "A"), ("opens", "shell open 5")):
            answered(asked, typed)
        self.assertIn("bramlet-disc-a", self.session.library.ids())
        self.assertIn("C99", self.window.problem.text())
        self.assertIn("New job", self.window.ask.words.text())
        job = self.session.open_new_job("SLS-0805", "bramlet-disc-a")
        self.window.open_job(job)
        self.settled()
        for view in ("board", "packmaking", "rework", "port"):
            self.window.show_view(view)
            self.application.processEvents()
        assert self.window.model.board is not None
        self.assertEqual(self.window.model.board.component_by_designator["R1"].ohms, 5100.0)
