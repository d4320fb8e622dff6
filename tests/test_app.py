"""Use cases without a window: typed values, sentences, the sheet, advice by command line, demo data."""

from __future__ import annotations

import contextlib
import io
import json
import math
import tempfile
import unittest
from dataclasses import replace
from datetime import UTC, date, datetime, timedelta
from pathlib import Path

from dextrum.__main__ import main
from dextrum.app.advising.assess import assess
from dextrum.app.advising.reason_words import reason_words
from dextrum.app.bench.demo import STORIES, ensure_demo, fill_demo, play_demo
from dextrum.app.bench.demo_ready import MADE_AT, kept_trails, moved_to
from dextrum.app.command import NEEDS, InHand
from dextrum.app.command_search import LETTERS, fit, matching
from dextrum.app.commands import BY_ID, COMMANDS
from dextrum.app.handover.handover import make_sheet, sheet_html
from dextrum.app.job.trail_words import trail_cards
from dextrum.app.places import shipped
from dextrum.app.reading.judged import judged_readings
from dextrum.app.reading.sentences import due_words, readings_sentence, supply_sentence
from dextrum.app.reading.typed import parse_number, parse_reading
from dextrum.core.board import Method
from dextrum.core.board.value_words import value_words
from dextrum.core.job import job_facts
from dextrum.core.reference.judge import comparisons_for
from dextrum.core.trail import (
    Cause,
    Cell,
    DrawTrace,
    Intake,
    JobOpened,
    Look,
    Outcome,
    PointReading,
    Proof,
    Readings,
    Rework,
    Strike,
    Supply,
    Wait,
)
from dextrum.errors import EntryRefusedError, ImportRefusedError
from dextrum.store.job_file import write_job_file
from dextrum.store.jobs import JobStore
from tests.support import DUO, LONG, SLIVER, START, duo_advice, duo_board, library, trail_of

RED = Method.DIODE_RED_GROUND
OPENED = JobOpened("T-1", "Tarnwick Duo", DUO)


def readings(**values: float) -> Readings:
    return Readings(RED, tuple(PointReading("J1." + p, v) for p, v in values.items()), "M1")


class TypedTest(unittest.TestCase):
    def test_what_technicians_type(self) -> None:
        for text, value in (("0.512", 0.512), (".512", 0.512), ("0,512", 0.512), ("512m", 0.512), ("o", math.inf),
                            ("OL", math.inf), (" 0 ", 0.0), ("1.", 1.0)):
            self.assertEqual(parse_reading(text, "P", RED).value, value, text)
        self.assertTrue(parse_reading("0.5w", "P", RED).wavering)
        self.assertEqual(parse_reading("4.7k", "P", Method.RESISTANCE).value, 4700.0)

    def test_ohms_are_shown_as_a_meter_does_and_read_back_as_shown(self) -> None:
        for ohms, words in ((0.3, "0.30 Ω"), (99.99, "99.99 Ω"), (99.999, "100 Ω"), (234.0, "234 Ω"),
                            (999.7, "1.00 kΩ"), (2613.0, "2.61 kΩ"), (21807.0, "21.8 kΩ"), (470e3, "470 kΩ"),
                            (1.2e6, "1.20 MΩ"), (math.inf, "OL")):
            self.assertEqual(value_words(ohms, Method.RESISTANCE), words)
            typed = words.removesuffix("Ω").replace(" ", "")
            self.assertAlmostEqual(parse_reading(typed, "P", Method.RESISTANCE).value, ohms,
                                   delta=0.005 * ohms if math.isfinite(ohms) else None)

    def test_what_is_refused_in_words(self) -> None:
        for text in ("57", "57 V", "abc", "nan", "inf", "-0.5", "", "1e3", "0.5.1", "0x5", "\u0660.5", "9" * 400):
            with self.assertRaises(EntryRefusedError, msg=text) as told:
                parse_reading(text, "P", RED)
            self.assertIn("Nothing was recorded", told.exception.kept)

    def test_numbers_with_bounds_and_units(self) -> None:
        self.assertEqual(parse_number("5,1 V", 0, 50, "V"), 5.1)
        self.assertEqual(parse_number("9", 0, 50, "V"), 9.0)
        for text in ("57", "nan", "", "five", "-1", "5 A"):
            with self.assertRaises(EntryRefusedError, msg=text):
                parse_number(text, 0, 50, "V")


class SentenceTest(unittest.TestCase):
    def sentence(self, **values: float) -> str:
        facts = job_facts(trail_of(OPENED, readings(**values)))
        board = duo_board()
        judged = judged_readings(board, duo_advice().model.references, facts)
        return readings_sentence(board, judged, board.port_point_ids())

    def test_it_says_what_is_off_and_no_more(self) -> None:
        self.assertEqual(self.sentence(B5=0.001), "B5 CC2 is grounded.")
        self.assertEqual(self.sentence(B5=0.001, A10=math.inf), "A10 RX2− is open and B5 CC2 is grounded.")
        self.assertEqual(self.sentence(A10=math.inf, A11=math.inf), "A10 RX2− and A11 RX2+ are open.")
        self.assertEqual(self.sentence(A1=0.0), "Nothing abnormal so far (1 of 24 points).")
        self.assertEqual(self.sentence(A2=0.455)[:16], "Nothing abnormal")

    def test_nothing_known_is_said(self) -> None:
        board = library().board(SLIVER)
        facts = job_facts(trail_of(OPENED, readings(A5=0.5)))
        judged = judged_readings(board, library().references(SLIVER, "M1"), facts)
        self.assertIn("not judged", readings_sentence(board, judged, board.port_point_ids()))
        self.assertEqual(readings_sentence(board, {}, ()), "This pack has no points here yet.")

    def test_supply(self) -> None:
        def said(*payloads: object) -> str:
            return supply_sentence(duo_board(), job_facts(trail_of(OPENED, *payloads)))  # type: ignore[arg-type]

        self.assertIn("Look into the port first", said())
        self.assertIn("nothing is plugged in", said(Look(("crossed",))))
        self.assertEqual(said(Look(("clean",)), Supply("a", 9.0, 1.9), Supply("b", 9.0, 1.95)),
                         "Negotiates and draws full power, both ways up.")
        self.assertIn("B side up: no draw", said(Look(("clean",)), Supply("a", 9.0, 1.9), Supply("b", 5.1, 0.0)))

    def test_due(self) -> None:
        self.assertEqual(due_words("2026-03-12T16:00", "2026-03-12"), "due today 16:00")
        self.assertEqual(due_words("2026-03-14", "2026-03-12"), "due Sat 14 Mar")
        self.assertEqual(due_words("2026-03-02", "2026-03-12"), "overdue since Mon 2 Mar")
        self.assertEqual(due_words("2026-03-02T08:00", "2026-03-12"), "overdue since Mon 2 Mar")
        self.assertEqual(due_words("", "2026-03-12"), "")

    def test_reasons_in_words(self) -> None:
        found = assess(duo_advice(), trail_of(OPENED, Intake("x", ("no_charge",)), Look(("clean",)),
                                              Supply("b", 5.1, 0.0), readings(B5=0.001)))
        words = [reason_words(duo_board(), r) for r in found.reasons[found.parts[0].part]]
        self.assertTrue(any(w.startswith("B5 CC2 reads 0.001 V: ") and " for (+" in w for w in words), words)

    def test_comparisons_are_counted_by_scan(self) -> None:
        board = duo_board()
        self.assertEqual(comparisons_for(board, board.point_by_id["J1.A5"]), 14)
        self.assertEqual(comparisons_for(board, board.point_by_id["C14.1"]), 12)


class TrailWordsTest(unittest.TestCase):
    def test_single_readings_in_a_row_are_one_card_and_strikes_show(self) -> None:
        trail = trail_of(OPENED, Look(("clean",)), Cell("unplugged"), readings(A1=0.0), readings(A2=0.45),
                         readings(A3=math.inf), Strike("e1"))
        cards = trail_cards(trail, duo_board())
        self.assertEqual([c.title for c in cards], ["Came in", "Look", "Cell", "3 readings"])
        self.assertEqual(cards[-1].detail, "last J1.A3 OL")
        self.assertEqual([c.struck for c in cards], [False, True, False, False])


class SheetTest(unittest.TestCase):
    def sheet(self, *payloads: object) -> str:
        trail = trail_of(OPENED, *payloads)  # type: ignore[arg-type]
        made = make_sheet(duo_board(), duo_advice().model.references, trail, "Bench & Co", "Ines", START)
        return sheet_html(made)

    def test_it_tells_found_done_cause_tested_and_what_to_stop_using(self) -> None:
        html = self.sheet(Intake("does not charge"), Look(("dirt",)), readings(B5=0.001),
                          Rework("replace", "U1", "lot 3"), readings(B5=0.586),
                          Cause("supply", "Stop using that supply."), Proof("boot", True),
                          Outcome("repaired", "All good."))
        for words in ("does not charge", "dirt", "Grounded: B5 CC2", "Replaced: U1, PD controller (lot 3)",
                      "The supply it was used with.", "Stop using that supply.", "One reading was unlike a good unit",
                      "✓", "not tested", "repaired", "All good.", "does not certify", "If it comes back"):
            self.assertIn(words, html)

    def test_the_readings_stand_on_the_shelfs_sheet(self) -> None:
        trail = trail_of(OPENED, readings(B5=0.001), Rework("replace", "U1", "lot 3"), readings(B5=0.586))
        made = make_sheet(duo_board(), duo_advice().model.references, trail, "Bench", "Ines", START)
        html = sheet_html(made, "shelf.html")
        for words in ("0.001 V", "0.586 V"):
            self.assertIn(words, html)

    def test_everything_is_escaped(self) -> None:
        html = self.sheet(Intake("<script>alert(1)</script>"), Outcome("returned", "a < b & c"))
        self.assertNotIn("<script>", html)
        self.assertIn("&lt;script&gt;", html)
        self.assertIn("Bench &amp; Co", html)

    def test_an_empty_job_still_makes_a_sheet(self) -> None:
        html = self.sheet()
        self.assertIn("still open", html)
        self.assertIn("Nothing was replaced.", html)


class CommandLineTest(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.place = Path(folder.name)

    def run_main(self, *arguments: str) -> tuple[int, str, str]:
        out, err = io.StringIO(), io.StringIO()
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
            status = main(list(arguments))
        return status, out.getvalue(), err.getvalue()

    def test_advise_prints_verdicts_posterior_and_actions(self) -> None:
        job = self.place / "job.json"
        write_job_file(job, trail_of(OPENED, Look(("clean",)), Cell("unplugged"), readings(B5=0.0, A10=math.inf)))
        status, out, _ = self.run_main("advise", str(job), "--json")
        said = json.loads(out)
        self.assertEqual(status, 0)
        verdicts = {v["point"]: v["verdict"] for v in said["verdicts"]}
        self.assertEqual(verdicts, {"J1.B5": "grounded", "J1.A10": "open"})
        chances = [f["probability"] for f in said["posterior"]["faults"]]
        self.assertEqual(chances, sorted(chances, reverse=True))
        self.assertEqual(set(said["posterior"]["faults"][0]), {"part", "mode", "terminals", "probability", "mended",
                                                                   "still_there", "words"})
        self.assertTrue(said["actions"][0]["title"])
        self.assertEqual(said["gates"][0]["id"], "grounded_contact")
        status, out, _ = self.run_main("advise", str(job))
        self.assertIn("J1.B5 reads 0.0 V: grounded", out)
        self.assertIn("Next: ", out)

    def test_every_key_of_what_advise_prints_is_documented(self) -> None:
        job = self.place / "job.json"
        write_job_file(job, trail_of(OPENED, readings(B5=0.0, A10=math.inf), Rework("replace", "C14")))
        said = json.loads(self.run_main("advise", str(job), "--json")[1])
        self.assertTrue(said["gates"] and said["posterior"]["parts"])
        docs = Path(__file__).resolve().parent.parent / "docs" / "diagnosis.md"
        section = docs.read_text("utf-8").partition("## The JSON of `advise`")[2]
        keys = [*said, *said["posterior"], *said["verdicts"][0], *said["actions"][0], *said["gates"][0],
                *said["posterior"]["parts"][0], *said["posterior"]["faults"][0]]
        self.assertEqual([key for key in keys if f"`{key}`" not in section], [])

    def test_advise_tells_what_is_wrong(self) -> None:
        status, _, err = self.run_main("advise", str(self.place / "nowhere.json"))
        self.assertEqual(status, 1)
        self.assertIn("can't be read", err)
        job = self.place / "job.json"
        write_job_file(job, trail_of(JobOpened("T", "Strange", "no-such-pack")))
        status, _, err = self.run_main("advise", str(job), "--json")
        self.assertEqual(status, 1)
        self.assertIn("no board pack 'no-such-pack'", err)

    def test_pack_check(self) -> None:
        status, out, _ = self.run_main("pack", "check", str(shipped() / "packs" / DUO))
        self.assertEqual(status, 0)
        self.assertIn("Sound.", out)
        (self.place / "pack.json").write_text('{"format": "dextrum-pack", "schema": 1}')
        status, _, err = self.run_main("pack", "check", str(self.place))
        self.assertEqual(status, 1)
        self.assertIn("pack.json, ", err)
        self.assertIn("to fix", err)


class DemoTest(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.place = Path(folder.name)

    def test_jobs_are_many_different_and_the_same_each_time(self) -> None:
        made = []
        for name in ("one", "two"):
            store = JobStore(self.place / f"{name}.sqlite")
            self.addCleanup(store.close)
            count = fill_demo(store, library(), datetime(2026, 3, 12, 13, 10, tzinfo=UTC))
            rows = store.shelf(closed=None)
            self.assertEqual(len(rows), count)
            made.append([(r.serial, r.stage, r.waits_for, r.outcome, [e.payload for e in store.trail(r.id)])
                         for r in rows])
        self.assertEqual(made[0], made[1])
        told = made[0]
        self.assertGreaterEqual(len(told), 8)
        self.assertGreaterEqual(len({r[1] for r in told}), 5)
        self.assertTrue(any("Is the draw growing?" in r[2] for r in told))
        self.assertEqual({r[3] for r in told} & {"donor", "repaired"}, {"donor", "repaired"})
        self.assertGreaterEqual(len({s.fault for s in STORIES}), 8)
        closed = next(r for r in told if r[3] == "repaired")
        epochs = {r.epoch for r in (job_facts(trail_of(*closed[4])).readings or {}).values()}
        self.assertGreaterEqual(len(epochs), 2)

    @unittest.skipUnless(LONG, "plays the demo: ./dextrum test --long")
    def test_what_is_kept_is_what_is_played(self) -> None:
        played = play_demo(library(), MADE_AT)
        for kept, made in zip(kept_trails(), played, strict=True):
            self.assertEqual([(e.at, e.who, e.payload) for e in kept], [(e.at, e.who, e.payload) for e in made])

    def test_moved_to_another_day_all_keeps_its_distance(self) -> None:
        trails = kept_trails()
        for later in (timedelta(0), timedelta(days=400, hours=5, minutes=13), timedelta(days=-3)):
            moment = MADE_AT + later
            for before, after in zip(trails, moved_to(trails, moment), strict=True):
                self.assertEqual([b.at - a.at for a, b in zip(before, after, strict=True)], [later] * len(before))
                for one, other in zip(before, after, strict=True):
                    if isinstance(one.payload, Intake) and one.payload.due:
                        assert isinstance(other.payload, Intake)
                        days = (datetime.fromisoformat(other.payload.due).date() - moment.astimezone().date()).days
                        self.assertEqual(days, (datetime.fromisoformat(one.payload.due).date() - MADE_AT.date()).days)
                        self.assertEqual(other.payload.due[-5:], one.payload.due[-5:])
                    elif isinstance(one.payload, Supply | DrawTrace):
                        assert isinstance(other.payload, Supply | DrawTrace)
                        for gear, moved in zip(one.payload.gear, other.payload.gear, strict=True):
                            ago = (moment.astimezone().date() - date.fromisoformat(moved.proved_on)).days
                            self.assertEqual(ago, (MADE_AT.date() - date.fromisoformat(gear.proved_on)).days)
                        self.assertEqual(replace(one.payload, gear=()), replace(other.payload, gear=()))
                    elif not isinstance(one.payload, Wait):
                        self.assertEqual(one.payload, other.payload)
        self.assertEqual(moved_to(trails, MADE_AT)[0][0].at, trails[0][0].at)

    def test_demo_is_made_once(self) -> None:
        path = ensure_demo(self.place, library())
        stamp = path.stat().st_mtime_ns
        self.assertEqual(ensure_demo(self.place, library()).stat().st_mtime_ns, stamp)
        self.assertEqual([p.name for p in self.place.glob("making*")], [])


class CommandTableTest(unittest.TestCase):
    def test_ids_and_shortcuts_are_unique(self) -> None:
        self.assertEqual(len(BY_ID), len(COMMANDS))
        keys = [c.shortcut for c in COMMANDS if c.shortcut]
        self.assertEqual(len(keys), len(set(keys)))

    def test_palette_finds_by_any_words(self) -> None:
        self.assertEqual(matching("pdf")[0].id, "sheet.pdf")
        self.assertEqual(matching("job new")[0].id, "job.new")
        self.assertEqual(matching("zzz"), ())

    def test_palette_knows_the_words_people_type(self) -> None:
        for typed, wanted in (("undo", "trail.strike"), ("redo", "trail.back"), ("delete", "trail.strike_one"),
                              ("export", "job.export"), ("battery", "cell.unplugged"), ("quote", "step.cost"),
                              ("hndsfree", "capture.walk"), ("ctrl+shift+r", "capture.scan"), ("dark", "look.theme")):
            with self.subTest(typed):
                self.assertIn(wanted, [command.id for command in matching(typed)][:4])

    def test_letters_in_order_are_tried_only_where_no_word_fits(self) -> None:
        self.assertEqual({fit("supply", command) is not None and fit("supply", command) for command in
                          matching("supply")} & {LETTERS}, set())

    def test_each_command_says_what_it_does_in_half_a_line(self) -> None:
        for command in COMMANDS:
            self.assertTrue(command.what, command.id)
            self.assertLess(len(command.what), 70, command.id)
            self.assertLess(len(command.label), 24 if command.short else 60, command.id)

    def test_what_is_impossible_says_why_and_a_missing_job_is_said_first(self) -> None:
        nothing = InHand()
        for command in COMMANDS:
            if command.needs_job:
                self.assertEqual(command.why_not(nothing), NEEDS["job"][1], command.id)
        job = InHand(job=True, board=True, cell="unplugged")
        self.assertEqual(BY_ID["cell.unplugged"].why_not(job), "The cell is unplugged already.")
        self.assertEqual(BY_ID["capture.scan"].why_not(job), NEEDS["tester"][1])
        self.assertEqual(BY_ID["capture.scan"].why_not(replace(job, tester=True)), "")
        self.assertEqual(BY_ID["job.new"].why_not(nothing), "")


class LibraryTest(unittest.TestCase):
    def test_missing_pack_is_told(self) -> None:
        with self.assertRaises(ImportRefusedError):
            library().board("nothing-here")
