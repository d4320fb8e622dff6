"""What packs and shops state in place of what is assumed: each number counts, and nothing else can be stated."""

from __future__ import annotations

import json
import unittest
from collections.abc import Iterable, Iterator, Mapping
from contextlib import redirect_stderr
from dataclasses import replace
from io import StringIO
from pathlib import Path
from shutil import copytree
from tempfile import TemporaryDirectory

import numpy as np

from dextrum.__main__ import main
from dextrum.app.advising.assess import assess
from dextrum.app.library.assumed_words import SAID, as_typed, assumed_choices, stated_words
from dextrum.app.library.kept_models import WORKED_OUT
from dextrum.app.places import shipped
from dextrum.core.advice.advice_model import AdviceModel
from dextrum.core.advice.recommend import build_advice_model
from dextrum.core.advice.ways_of_seeing import WAYS_OF_SEEING
from dextrum.core.assumptions.stated import (
    OF_THE_BOARD,
    OF_THE_SHOP,
    as_stated,
    assumed_of,
    assumption_of,
    trouble_with,
)
from dextrum.core.board import Board
from dextrum.core.board.consistency import inconsistencies
from dextrum.core.diagnosis.evidence import gather_evidence
from dextrum.core.diagnosis.model import DiagnosisModel, build_model
from dextrum.core.trail import (
    AUDIT_STEPS,
    Access,
    Audit,
    Cell,
    Danger,
    Injection,
    Intake,
    JobOpened,
    Look,
    PartSeen,
    Payload,
    Proof,
    RailVolts,
    Rework,
    Supply,
    Swap,
)
from dextrum.errors import EntryRefusedError
from dextrum.store.bench_settings import ASSUMED, set_shop_assumed, shop_assumed
from dextrum.store.entries import new_entry
from dextrum.store.jobs import JobStore
from tests.support import DUO, as_good, duo_advice, duo_board, library_of, replaced, trail_of
from tests.test_other_make import scan as chip_scan
from tests.test_other_make import trail as chip_trail
from tests.test_other_make import with_chip
from tests.window_support import Key, WindowCase

BEGUN: tuple[Payload, ...] = (JobOpened("T-1", "Tarnwick Duo", DUO), Intake("no dock", ("no_dock", "no_charge")),
                              Look(("clean",)))
READ: tuple[Payload, ...] = (*BEGUN, Supply("a", 9.1, 1.85), Supply("b", 9.1, 1.85), Cell("unplugged"),
                             Access("board_out"), *as_good("J1.A7", "J1.A10", "J1.B10", "C27.2", but={"J1.A7": 0.61}))
SHORTED: tuple[Payload, ...] = (
    *BEGUN, Supply("a", 5.05, 0.06), Supply("b", 5.05, 0.06), Cell("unplugged"), Access("board_out"),
    *as_good("C27.2", but={"C27.2": 0.001}), *as_good("C27.2", but={"C27.2": 0.001}))
CAMERA, ALCOHOL = WAYS_OF_SEEING[0].by, WAYS_OF_SEEING[2].by
TRAILS: tuple[tuple[Payload, ...], ...] = (
    READ,
    (*READ, Swap("dock", "no_dock", False), Proof("dock_a", False), RailVolts("V3V3", 0.1, "a")),
    (*READ, replaced("FL3"), Audit(AUDIT_STEPS, part="FL3", seen=(PartSeen("C34", "missing"),)), *as_good("J1.A10")),
    (*READ, Rework("replace", "FL3")),
    (*READ, *as_good("C27.2", but={"C27.2": 0.001})),
    (*SHORTED, Injection("SYS", 0.45, 0.2, "", "camera"), *as_good("L2.2")),
    (*SHORTED, Injection("SYS", 0.33, 3.0, "", "camera"), Injection("SYS", 3.0, 1.0, "", "camera"), *as_good("L2.2")),
    (*SHORTED, *(Injection("SYS", 3.8, 3.0, "", by, watts=1.0) for by in (CAMERA, ALCOHOL)), *as_good("L2.2")),
    (*BEGUN[:-1], Look(("dirt",)), Supply("a", 9.1, 1.85)),
    (*BEGUN, Danger(("hot",))),
    (*BEGUN, Supply("a", 9.1, 1.85), Supply("b", 9.1, 0.06), Cell("plugged")),
    (*BEGUN, Supply("a", 9.1, 1.85)),
    (*READ, replaced("U3")),
)
"""A line that is off, trials, after a repair, before its audit, a shorted rail that is no longer on the supply, dirt,
danger, a cell that is in, a draw to be read, a chip changed."""
WITH_A_MODEL_OF_ITS_OWN = frozenset({"trace_weight", "breaks_one", "feed_spared", "port_collateral",
                                     "feeder_collateral", "repair_fails", "dead_again", "odd_draw"})
"""What the parts of a model that are worked out beforehand rest on."""


def advice_on(board: Board, whole: bool) -> AdviceModel:
    """The advice on a board that states something; whole: all is worked out anew."""
    known = duo_advice()
    if whole:
        return build_advice_model(build_model(board, known.model.references))
    model = DiagnosisModel(board, known.model.references, known.model.circuit, known.model.hypotheses,
                           known.model.broken_whole, reach=known.model.reach)
    vars(model).update({name: getattr(known.model, name) for name in WORKED_OUT})
    return replace(known, model=model, memory=type(known.memory)())


def told(advice: AdviceModel) -> Iterator[np.ndarray]:
    """What is thought and advised along the trails, one after the other."""
    yield advice.model.hypotheses.log_prior
    for payloads in TRAILS:
        one = assess(advice, trail_of(*payloads), explain=False)
        yield one.posterior.rows
        yield one.posterior.remaining_rows()
        yield np.array(sorted((a.kind + a.target, a.expected, a.cost, a.minutes) for a in one.advice.ranked),
                       dtype=object)[:, 1:].astype(float)


def differs(one: Iterable[np.ndarray], other: Iterable[np.ndarray]) -> bool:
    return any(a.shape != b.shape or not np.allclose(a, b, rtol=1e-9, atol=1e-12, equal_nan=True)
               for a, b in zip(one, other, strict=False))


class CountsTest(unittest.TestCase):
    def test_each_number_that_can_be_stated_changes_what_is_thought_or_advised(self) -> None:
        usual = {whole: tuple(told(advice_on(duo_board(), whole))) for whole in (False, True)}
        for name in dict.fromkeys((*OF_THE_BOARD, *OF_THE_SHOP)):
            if name == "other_make":
                continue  # whether a chip is of another make is told or it isn't: below
            of = assumption_of(name)
            value = of.high if of.high != assumed_of(name) else of.low
            whole = name in WITH_A_MODEL_OF_ITS_OWN
            stated = advice_on(replace(duo_board(), assumed={name: value}), whole)
            self.assertTrue(differs(told(stated), usual[whole]), name)

    def test_where_chips_of_other_makes_are_usual_one_is_told_sooner(self) -> None:
        read = trail_of(*chip_trail(chip_scan(with_chip("U7", -1.4))))

        def is_told(chance: float) -> bool:
            model = advice_on(replace(duo_board(), assumed={"other_make": chance}), False).model
            return bool(gather_evidence(model, read).apart.makes)

        self.assertEqual((is_told(0.05), is_told(0.001)), (True, False))

    def test_what_is_assumed_stated_changes_nothing(self) -> None:
        every = {name: assumed_of(name) for name in (*OF_THE_BOARD, *OF_THE_SHOP)}
        self.assertFalse(differs(told(advice_on(replace(duo_board(), assumed=every), True)),
                                 told(advice_on(duo_board(), True))))


class BoundsTest(unittest.TestCase):
    def test_only_what_is_theirs_and_within_its_range(self) -> None:
        self.assertEqual(trouble_with("repair_fails", 0.1, OF_THE_SHOP), "")
        self.assertIn("0.01 to 0.15", trouble_with("repair_fails", 0.5, OF_THE_SHOP).replace("between ", "")
                      .replace(" and ", " to "))
        for name in ("other_make", "model_share", "no_such"):
            self.assertIn("not among", trouble_with(name, 0.01, OF_THE_SHOP), name)
        self.assertIn("nan", trouble_with("repair_fails", float("nan"), OF_THE_SHOP))

    def test_every_name_is_a_number_of_the_list_and_has_words(self) -> None:
        for name in (*OF_THE_BOARD, *OF_THE_SHOP):
            of = assumption_of(name)
            self.assertTrue(of.low <= assumed_of(name) <= of.high, name)
        self.assertEqual(tuple(SAID), OF_THE_SHOP)
        with self.assertRaises(KeyError):
            assumed_of("inject_minutes.eyes")
        with self.assertRaises(KeyError):
            assumed_of("repair_fails.camera")


    def test_the_docs_say_whose_each_is(self) -> None:
        said = (Path(__file__).parent.parent / "docs" / "assumptions.md").read_text().split("| name |")[0]
        packs, shops = said.split("A pack may")[1].split("A shop may state")
        for names, text in ((OF_THE_BOARD, packs), (OF_THE_SHOP, shops)):
            for name in names:
                self.assertIn(f"`{name}`", text)


class PackTest(unittest.TestCase):
    def test_a_pack_states_its_own_and_is_refused_for_anything_else(self) -> None:
        board = replace(duo_board(), assumed={"other_make": 0.03})
        self.assertEqual(inconsistencies(board), ())
        self.assertEqual(as_stated(board, "other_make"), 0.03)
        for assumed in ({"repair_fails": 0.1}, {"other_make": 0.9}, {"what": 1.0}):
            wrong = inconsistencies(replace(board, assumed=assumed))
            self.assertEqual([(one.section, one.place) for one in wrong], [("assumed", next(iter(assumed)))])

    def test_read_from_its_folder(self) -> None:
        with TemporaryDirectory() as folder:
            place = Path(copytree(shipped() / "packs" / "bramlet-orb-a", Path(folder) / "bramlet-orb-x"))
            said = json.loads((place / "pack.json").read_text())
            for assumed, good in (({"odd_part": 0.01}, True), ({"heat_hurts": 0.1}, False)):
                (place / "pack.json").write_text(json.dumps({**said, "pack_id": "bramlet-orb-x", "assumed": assumed}))
                said_of_it = StringIO()
                with redirect_stderr(said_of_it):
                    self.assertEqual(main(["pack", "check", str(place)]) == 0, good, said_of_it.getvalue())
            (place / "pack.json").write_text(json.dumps({**said, "pack_id": "bramlet-orb-x",
                                                         "assumed": {"odd_part": 0.01}}))
            library = library_of(Path(folder))
            self.assertEqual(as_stated(library.board("bramlet-orb-x"), "odd_part"), 0.01)
            library.use_assumed({"check_slips": 0.08})
            model = library.advice_model("bramlet-orb-x", "M1").model
            self.assertEqual(dict(model.board.assumed), {"odd_part": 0.01, "check_slips": 0.08})


class ShopTest(unittest.TestCase):
    def test_kept_with_the_bench_and_left_out_where_it_can_not_be_stated(self) -> None:
        with TemporaryDirectory() as folder:
            store = JobStore(Path(folder) / "jobs.sqlite")
            self.addCleanup(store.close)
            self.assertEqual(shop_assumed(store), {})
            set_shop_assumed(store, "heat_hurts", 0.1)
            self.assertEqual(set_shop_assumed(store, "clean_minutes", 5.0), {"heat_hurts": 0.1, "clean_minutes": 5.0})
            for name, value in (("heat_hurts", 0.9), ("odd_part", 0.01), ("odd_part", None)):
                with self.assertRaises(ValueError):
                    set_shop_assumed(store, name, value)
            self.assertEqual(set_shop_assumed(store, "heat_hurts", None), {"clean_minutes": 5.0})
            store.set_setting(ASSUMED, json.dumps({"heat_hurts": 7.0, "gone": 1.0, "good_chip": 3.0}))
            self.assertEqual(shop_assumed(store), {"good_chip": 3.0})
            store.set_setting(ASSUMED, "not json")
            self.assertEqual(shop_assumed(store), {})

    def test_in_words(self) -> None:
        stated: Mapping[str, float] = {"clean_minutes": 5.0}
        self.assertEqual(assumed_choices(stated)[0][0], "clean_minutes")
        self.assertIn("5 min, stated here", assumed_choices(stated)[0][1])
        self.assertEqual(len(assumed_choices(stated)), len(OF_THE_SHOP))
        self.assertEqual(stated_words("clean_minutes", stated), "In this shop: cleaning a port: 5 min.")
        self.assertEqual(stated_words("clean_minutes", {}), "As assumed again: cleaning a port: 3 min.")
        self.assertIn("4 % (1 % to 15 %)", dict(assumed_choices(stated))["repair_fails"])
        self.assertEqual((as_typed("repair_fails", "8"), as_typed("repair_fails", "8 %"), as_typed("good_chip", "3"),
                          as_typed("good_chip", " ")), (0.08, 0.08, 3.0, None))
        with self.assertRaisesRegex(EntryRefusedError, "0.08 % is outside 1 % to 15 %"):
            as_typed("repair_fails", "0.08")


class EvaluateTest(unittest.TestCase):
    def test_a_number_that_can_not_be_stated_is_refused_before_anything_is_played(self) -> None:
        for typed, words in (("repair_fails", "no name and number"), ("repair_fails=x", "no name and number"),
                             ("repair_fails=0.9", "lies between"), ("model_share=0.1", "not among")):
            refused = StringIO()
            with redirect_stderr(refused):
                self.assertNotEqual(main(["evaluate", "--cases", "1", "--assume", typed]), 0, typed)
            self.assertIn(words, refused.getvalue())


class StatedWindowTest(WindowCase):
    def fill(self, store: JobStore) -> None:
        store.add_trail([new_entry(payload, "Ines") for payload in READ])

    def test_stated_by_keys_judged_by_at_once_and_taken_back(self) -> None:
        self.settled()
        self.window.commands.run("shop.assumed")
        self.application.processEvents()
        ask, library = self.window.ask, self.window.session.library
        ask.choice.setCurrentIndex(ask.choice.findData("heat_hurts"))
        ask.field.setFocus()
        for typed in ("90", "0.1", "much"):
            self.type(typed)
            self.key(Key.Key_Return)
            self.assertTrue(ask.trouble.text(), typed)
            ask.field.clear()
        self.assertFalse(library.assumed)
        self.type("10 %")
        self.key(Key.Key_Return)
        self.settled()
        self.assertEqual(dict(library.assumed), {"heat_hurts": 0.1})
        self.assertEqual(shop_assumed(self.window.session.store), {"heat_hurts": 0.1})
        judged_by = library.advice_model(DUO, self.window.session.meter).model.board
        self.assertEqual(as_stated(judged_by, "heat_hurts"), 0.1)
        self.window.commands.run("shop.assumed")
        self.application.processEvents()
        self.assertEqual(ask.choice.itemData(0), "heat_hurts")
        ask.field.setFocus()
        self.key(Key.Key_Return)
        self.settled()
        self.assertEqual(dict(library.assumed), {})
