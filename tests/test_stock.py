"""Parts: lots counted down by reworks, bad lots, donors, orders; the ledger on the disk."""

from __future__ import annotations

import tempfile
import unittest
from collections.abc import Callable
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from decimal import Decimal
from pathlib import Path

import numpy as np

from dextrum.app.job.session import BenchSession
from dextrum.app.money.spent import spent_on
from dextrum.app.outlook.outlooks import Outlooks
from dextrum.app.rework.recipes import RecipeBook
from dextrum.app.stock.overview import find_donors, lots_csv, order_csv, stock_now, stock_sentence
from dextrum.app.stock.taking import lots_of, named_lot
from dextrum.core.entries.rework_plan import PlannedRepair
from dextrum.core.ledger.line_struck import LineStruck
from dextrum.core.ledger.lines import LINE_KINDS, Line, LinePayload, shop_of
from dextrum.core.ledger.lot_in import LotIn
from dextrum.core.ledger.lot_moved import LotMoved
from dextrum.core.ledger.ordered import Ordered
from dextrum.core.ledger.recount import Recount
from dextrum.core.ledger.set_aside import SetAside
from dextrum.core.ledger.units_bought import UnitsBought
from dextrum.core.money.amounts import Currency
from dextrum.core.stock.bad_lots import evidence_of
from dextrum.core.stock.fits import alike, fits_of
from dextrum.core.stock.lots import Lot, PartUse, left_words, lot_to_take, lots_now
from dextrum.core.stock.reorder import PartDemand, demand_chances, order_line, order_list, use_a_week
from dextrum.core.stock.uses import failed_by_return, uses_of
from dextrum.core.trail import (
    Cell,
    Entry,
    JobOpened,
    LotSuspect,
    Outcome,
    PartAlone,
    PartPromised,
    PartTaken,
    Payload,
    ReadAlone,
    Rework,
    ReworkPlan,
    Strike,
)
from dextrum.store.entries import new_entry
from dextrum.store.jobs import JobStore
from dextrum.store.ledger import add_lines, line_from_json, line_to_json, lines
from dextrum.store.part_uses import part_uses
from tests.support import DUO, START, duo_board, library_of

PORT = f"{DUO}:J1"
EXAMPLES: tuple[LinePayload, ...] = (
    LotIn("L1", "USB-C port", "port", 10, Decimal("2.40"), (PORT,), "a supplier", "2026-11-02", "drawer 3, bag C"),
    Recount("L1", 8, "two fell out"), LotMoved("L1", "drawer 4"), SetAside("L1", True, "3 of 5 failed"),
    Ordered("USB-C port", 5, "2026-12-01"), UnitsBought("autumn lot", 12, Decimal("180"), Decimal("9.90")),
    LineStruck("abc"),
)


def line(payload: LinePayload, minute: int = 0) -> Line:
    return Line(f"l{minute}-{payload.kind}", START + timedelta(minutes=minute), "Ines", payload)


def use(lot: str, minute: int, failed: bool = False, part: str = "J1", job: str = "j") -> PartUse:
    return PartUse(f"e{lot}{minute}", f"{job}{minute}", f"SLS-{minute}", DUO, part, lot,
                   START + timedelta(minutes=minute), failed)


def lot_in(name: str = "L1", count: int = 10, part: str = "USB-C port", **more: object) -> LotIn:
    return LotIn(name, part, "port", count, Decimal("2.40"), **{"fits": (PORT,), **more})  # type: ignore[arg-type]


class LedgerTest(unittest.TestCase):
    def test_each_kind_is_read_back_as_it_was_written(self) -> None:
        self.assertEqual({one.kind for one in EXAMPLES}, set(LINE_KINDS))
        for one in EXAMPLES:
            with self.subTest(one.kind):
                self.assertEqual(line_from_json(line_to_json(one)), one)
                self.assertTrue(one.words())

    def test_nonsense_is_refused_and_says_what_is_expected(self) -> None:
        wrong: tuple[Callable[[], object], ...] = (
            lambda: lot_in(count=0), lambda: lot_in(count=-3), lambda: lot_in(name=""), lambda: lot_in(name="a\nb"),
            lambda: lot_in(fits=("J1",)), lambda: Recount("L1", -1, "x"), lambda: Recount("L1", 1, ""),
            lambda: LotIn("L1", "p", "port", 1, Decimal("-1")), lambda: LotIn("L1", "p", "port", 1, Decimal("NaN")),
            lambda: Ordered("p", 1, "next week"), lambda: UnitsBought("", 1, Decimal(1)),
            lambda: UnitsBought("a", 0, Decimal(1)), lambda: lot_in(day="2.11.26"))
        for k, make in enumerate(wrong):
            with self.subTest(k), self.assertRaises(ValueError):
                make()

    def test_what_is_struck_no_longer_counts_and_comes_back(self) -> None:
        first = line(lot_in())
        strike = Line("s", START, "Ines", LineStruck(first.id))
        back = Line("b", START, "Ines", LineStruck("s"))
        self.assertEqual(shop_of([first, strike]).lots, {})
        self.assertIn("L1", shop_of([first, strike, back]).lots)

    def test_an_order_is_taken_off_by_what_comes_in(self) -> None:
        ordered = [line(Ordered("USB-C port", 5, "2026-12-01")), line(Ordered("USB-C port", 5, "2026-12-09"), 1)]
        self.assertEqual(shop_of([*ordered, line(lot_in(count=7), 2)]).on_order["USB-C port"], [(3, "2026-12-09")])

    def test_a_lot_of_the_same_name_adds_and_one_of_another_part_is_kept_beside_it(self) -> None:
        other = replace(lot_in("L1", 4), part="fuse")
        shop = shop_of([line(lot_in("L1", 3)), line(lot_in("L1", 2), 1), line(other, 2), line(other, 3)])
        self.assertEqual({name: lot.counted for name, lot in shop.lots.items()}, {"L1": 5, "L1 (fuse)": 8})

    def test_lines_of_unknown_lots_change_nothing(self) -> None:
        shop = shop_of([line(Recount("nobody", 3, "x")), line(LotMoved("nobody", "y")),
                        line(SetAside("nobody", True, "z"))])
        self.assertEqual((shop.lots, shop.unknown), ({}, {"nobody"}))


class LotsTest(unittest.TestCase):
    def test_parts_used_since_the_last_count_go_off(self) -> None:
        shop = shop_of([line(lot_in()), line(Recount("L1", 4, "counted"), 10)])
        lots = lots_now(shop, [use("L1", 5), use("L1", 12), use("L1", 13), use("other", 14)])
        self.assertEqual((lots["L1"].left, lots["L1"].used, lots["L1"].short), (2, 3, 0))

    def test_more_used_than_counted_is_never_less_than_nothing(self) -> None:
        lots = lots_now(shop_of([line(lot_in(count=1))]), [use("L1", 1), use("L1", 2)])
        self.assertEqual((lots["L1"].left, lots["L1"].short), (0, 1))

    def test_the_oldest_lot_with_some_left_is_taken_and_none_that_is_set_aside(self) -> None:
        shop = shop_of([line(lot_in("old", 1)), line(lot_in("aside", 9), 1), line(lot_in("new", 9), 2),
                        line(SetAside("aside", True, "bad"), 3)])
        self.assertEqual(lot_to_take(lots_now(shop, []), DUO, "J1").name, "old")  # type: ignore[union-attr]
        lots = lots_now(shop, [use("old", 5)])
        self.assertEqual(lot_to_take(lots, DUO, "J1").name, "new")  # type: ignore[union-attr]
        self.assertIsNone(lot_to_take(lots, DUO, "U1"))

    def test_uses_of_a_trail(self) -> None:
        bad = PartAlone("J1", "L1", (ReadAlone("A5", 0.0, 0.5, False),))
        rework = Rework("replace", "J1", "", (), "", "L1")
        trail = [new_entry(payload, "Ines", START) for payload in (
            JobOpened("SLS-1", "Duo", DUO), bad, rework, Rework("reflow", "J1"), replace(rework, lot="L2"))]
        self.assertEqual([(u.lot, u.failed) for u in uses_of("j", trail)],
                         [("L1", True), ("L1", True), ("L2", False)])
        struck = [*trail, new_entry(Strike(trail[4].id), "Ines", START)]
        self.assertEqual([(u.lot, u.failed) for u in uses_of("j", struck)], [("L1", True), ("L1", False)])

    def test_one_part_measured_twice_is_one_part(self) -> None:
        def read(good: bool, source: str = "L1") -> PartAlone:
            return PartAlone("J1", source, (ReadAlone("A5", 0.0, 0.5, good),))

        def uses(*payloads: Payload) -> list[tuple[str, bool]]:
            trail = [new_entry(payload, "Ines", START) for payload in (JobOpened("SLS-1", "Duo", DUO), *payloads)]
            return [(u.lot, u.failed) for u in uses_of("j", trail)]

        fitted = Rework("replace", "J1", "", (), "", "L1")
        self.assertEqual(uses(read(False), read(False)), [("L1", True)])
        self.assertEqual(uses(read(False), read(True), fitted), [("L1", False)], "the first touch slipped")
        self.assertEqual(uses(read(False), fitted, read(False)), [("L1", True), ("L1", False), ("L1", True)])
        self.assertEqual(uses(read(False), read(False, "L2")), [("L1", True), ("L2", True)])

    def test_a_lot_is_found_however_its_name_was_typed(self) -> None:
        lots = lots_now(shop_of([line(lot_in("Bag A", 3))]), [use("bag a", 1)])
        self.assertEqual((lots["Bag A"].left, lots["Bag A"].used), (2, 1))

    def test_a_unit_that_came_back_tells_of_its_earlier_parts(self) -> None:
        trail = [new_entry(payload, "Ines", START) for payload in (
            JobOpened("SLS-1", "Duo", DUO, "before"), Rework("replace", "J1"))]
        self.assertEqual(failed_by_return(trail), ("before", frozenset({"J1"})))
        self.assertEqual(failed_by_return(trail[1:]), ("", frozenset()))


def lots(**told: tuple[int, int]) -> dict[str, Lot]:
    """By name: (used, failed)."""
    return {name: Lot(name, "p", "port", (PORT,), Decimal(1), "", "", "", 5, 0, used, failed, False, "")
            for name, (used, failed) in told.items()}


class BadLotTest(unittest.TestCase):
    def test_three_of_four_is_told_and_one_of_ten_is_not(self) -> None:
        found = {e.lot: e for e in evidence_of(lots(a=(4, 3), b=(10, 1), c=(20, 1), unused=(0, 0)))}
        self.assertTrue(found["a"].told)
        self.assertFalse(found["b"].told or found["c"].told)
        self.assertNotIn("unused", found)
        self.assertGreater(found["a"].chance, 0.4)
        self.assertLess(found["c"].chance, 0.12)

    def test_the_factor_is_the_ratio_of_the_two_likelihoods(self) -> None:
        """Two of two failed; usual is a beta(2, 38), a bad lot even above its mean: worked out by hand."""
        found = evidence_of(lots(a=(2, 2)))[0]
        a, b = 40 * 0.05, 40 * 0.95
        usual = a * (a + 1) / ((a + b) * (a + b + 1))
        middle = a / (a + b)
        bad = (1 - middle ** 3) / (3 * (1 - middle))
        self.assertAlmostEqual(found.factor / (bad / usual), 1.0, delta=0.03)

    def test_good_lots_are_seldom_told(self) -> None:
        generator = np.random.default_rng(3)
        told = 0
        for _ in range(300):
            drawn = {f"l{k}": (12, int(generator.binomial(12, 0.05))) for k in range(4)}
            told += sum(e.told for e in evidence_of(lots(**drawn)))
        self.assertLess(told / 1200, 0.03)

    def test_a_lot_of_which_half_are_bad_is_found_within_a_dozen(self) -> None:
        generator = np.random.default_rng(4)
        found = sum(evidence_of(lots(bad=(8, int(generator.binomial(8, 0.5))), good=(20, 1)))[0].told
                    for _ in range(200))
        self.assertGreater(found / 200, 0.8)


class OrderTest(unittest.TestCase):
    def test_demand_of_jobs_and_arrivals(self) -> None:
        own = demand_chances((1.0, 0.5), 0.0, 7.0)
        np.testing.assert_allclose(own[:3], (0.0, 0.5, 0.5))
        coming = demand_chances((), 2.0, 7.0)
        np.testing.assert_allclose(coming[:3], np.exp(-2.0) * np.array([1.0, 2.0, 2.0]), rtol=1e-6)
        self.assertAlmostEqual(float(demand_chances((0.3,), 1.5, 10.0).sum()), 1.0)

    def test_the_dearer_waiting_is_the_more_is_ordered(self) -> None:
        demand = PartDemand("p", (0.9, 0.9), 1.0, Decimal("5.00"), 4.0, 0, 0)
        few, many = order_line(demand, 0.05), order_line(demand, 20.0)
        self.assertLess(few.count, many.count)
        self.assertGreater(many.covered, 0.95)
        whole = demand_chances((0.9, 0.9), 1.0, 11.0)
        self.assertEqual(many.count, int(np.searchsorted(np.cumsum(whole), many.covered)))

    def test_nothing_is_ordered_where_enough_lies_there_or_is_under_way(self) -> None:
        demand = PartDemand("p", (0.5,), 0.1, Decimal("5.00"), 4.0, 10, 0)
        self.assertEqual(order_list([demand, replace(demand, left=0, on_order=12)]), ())
        self.assertEqual(order_line(replace(demand, price=Decimal(0), chances=(), a_week=0.0)).count, 0)

    def test_a_part_without_a_price_is_not_ordered_by_the_hundred(self) -> None:
        for price in ("0", "0.001", "0.05"):
            demand = PartDemand("p", (0.5, 0.2), 2.0, Decimal(price), 4.0, 0, 0)
            with self.subTest(price):
                self.assertLess(order_line(demand, 50.0).count, 15)

    def test_records_take_the_place_of_the_prior(self) -> None:
        self.assertEqual(use_a_week(0, 0, 2.0), 2.0)
        self.assertAlmostEqual(use_a_week(24, 12, 0.0), 24 / 16)


class FitsTest(unittest.TestCase):
    def test_filters_stand_in_for_each_other_and_chips_do_not(self) -> None:
        board = duo_board()
        filters = fits_of(board, "FL1")
        self.assertIn(f"{DUO}:FL2", filters)
        self.assertEqual(filters[0], f"{DUO}:FL1")
        self.assertEqual(fits_of(board, "U4"), (f"{DUO}:U4",))
        self.assertEqual(fits_of(board, "nobody"), (f"{DUO}:nobody",))
        u4, u6 = (board.component_by_designator[n] for n in ("U4", "U6"))
        self.assertFalse(alike(u4, u6))

    def test_the_same_part_of_a_sister_fits(self) -> None:
        board = duo_board()
        sister = replace(board, name="TD-MB", revision="D", sisters=())
        self.assertTrue(any(place.startswith(sister.pack_id) for place in fits_of(board, "J1", (sister,))))


class StockCase(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.store = JobStore(Path(folder.name) / "jobs.sqlite")
        self.addCleanup(self.store.close)
        self.now = datetime(2026, 11, 20, 9, 0, tzinfo=UTC)
        self.session = BenchSession(self.store, library_of(), "Ines", clock=self._tick)

    def _tick(self) -> datetime:
        self.now += timedelta(minutes=1)
        return self.now

    def add(self, *payloads: LinePayload) -> None:
        add_lines(self.store, payloads, "Ines", self._tick())

    def left(self, lot: str) -> int:
        return lots_of(self.store).lots[lot].left

    def fit(self, serial: str, part: str = "J1", source: str = "") -> str:
        job = self.session.open_new_job(serial, DUO)
        self.session.record(job, Rework("replace", part, source))
        return job


class StockOnDiskTest(StockCase):
    def test_a_rework_takes_its_part_by_itself_and_undoing_it_brings_it_back(self) -> None:
        self.add(lot_in("L1", 3))
        job = self.fit("SLS-1")
        self.assertEqual(self.left("L1"), 2)
        self.assertIn("J1 taken from L1, 2 left.", self.session.take_notices())
        rework = next(e for e in self.store.trail(job) if isinstance(e.payload, Rework))
        self.assertEqual(rework.payload.lot, "L1")  # type: ignore[union-attr]
        self.session.strike(job, rework.id)
        self.assertEqual(self.left("L1"), 3)
        self.session.bring_one_back(job, rework.id)
        self.assertEqual(self.left("L1"), 2)

    def test_what_was_named_counts_and_words_that_are_no_lot_take_nothing(self) -> None:
        self.add(lot_in("L1", 3), lot_in("L2", 3))
        self.fit("SLS-1", source="l2")
        self.fit("SLS-2", source="from the owner")
        self.assertEqual((self.left("L1"), self.left("L2")), (3, 2))
        self.assertEqual(named_lot(("L1",), "Donor  SLS-9"), "donor SLS-9")
        self.assertEqual(named_lot(("L1",), "elsewhere"), "")

    def test_two_jobs_taking_the_last_part_is_said_and_nothing_is_negative(self) -> None:
        self.add(lot_in("L1", 1))
        self.fit("SLS-1", source="L1")
        self.session.take_notices()
        self.fit("SLS-2", source="L1")
        lot = lots_of(self.store).lots["L1"]
        self.assertEqual((lot.left, lot.short), (0, 1))
        self.assertTrue(any("Count the bag" in words for words in self.session.take_notices()))
        self.add(Recount("L1", 0, "counted"))
        self.assertEqual(lots_of(self.store).lots["L1"].short, 0)

    def test_no_lot_is_named_where_none_fits_or_no_ledger_is_kept(self) -> None:
        job = self.fit("SLS-1")
        rework = next(e.payload for e in self.store.trail(job) if isinstance(e.payload, Rework))
        self.assertEqual(rework.lot, "")
        self.assertEqual(self.session.take_notices(), ())

    def test_a_bad_lot_is_set_aside_and_its_parts_are_suspects_elsewhere(self) -> None:
        self.add(lot_in("bad", 9), lot_in("good", 9, "fuse", fits=(f"{DUO}:F1",)))
        holds = self.fit("SLS-0", source="bad")
        for k in range(1, 4):
            job = self.fit(f"SLS-{k}", source="bad")
            self.session.record(job, Rework("replace", "J1", "the owner's"))
        known = lots_of(self.store)
        self.assertTrue(known.lots["bad"].aside)
        self.assertEqual((known.lots["bad"].used, known.lots["bad"].failed), (4, 3))
        told = [e.payload for e in self.store.trail(holds) if isinstance(e.payload, LotSuspect)]
        self.assertEqual([(t.part, t.lot) for t in told], [("J1", "bad")])
        self.assertGreater(told[0].chance, 0.3)
        self.assertTrue(any("set aside" in words for words in self.session.take_notices()))
        late = self.fit("SLS-8", source="bad")
        self.assertEqual([e.payload.part for e in self.store.trail(late) if isinstance(e.payload, LotSuspect)], ["J1"],
                         "fitted from a lot that is set aside already")
        self.assertTrue(any("was set aside" in words for words in self.session.take_notices()))
        self.add(SetAside("bad", False, "measured the rest: good"))
        self.fit("SLS-9", source="bad")
        self.assertFalse(lots_of(self.store).lots["bad"].aside, "taken back by hand, it stays in use")

    def test_closed_jobs_that_hold_a_part_of_a_bad_lot_are_named(self) -> None:
        self.add(lot_in("bad", 9), lot_in("good", 9, "fuse", fits=(f"{DUO}:F1",)))
        self.session.record(self.fit("SLS-0", source="bad"), Outcome("repaired"))
        for k in range(1, 4):
            self.session.record(self.fit(f"SLS-{k}", source="bad"), Rework("replace", "J1", "the owner's"))
        self.assertTrue(any("Closed jobs hold one too: SLS-0." in words for words in self.session.take_notices()))

    def test_a_rework_is_recorded_though_the_stock_can_not_be_read(self) -> None:
        self.add(lot_in("L1", 3))
        with self.store.engine.begin() as db:
            db.exec_driver_sql("alter table ledger rename to ledger_gone")
        job = self.fit("SLS-1")
        self.assertEqual([e.payload.lot for e in self.store.trail(job) if isinstance(e.payload, Rework)], [""])
        self.assertTrue(any("without the lot" in words for words in self.session.take_notices()))

    def test_what_a_donors_part_measured_goes_along_though_it_sat_in_another_place(self) -> None:
        donor = self.session.open_new_job("SLS-0340", DUO)
        self.session.record(donor, Outcome("donor"), PartTaken("FL3", "SLS-8", "x", "good"))
        job = self.fit("SLS-8", "FL1", "donor SLS-0340")
        rework = next(e.payload for e in self.store.trail(job) if isinstance(e.payload, Rework))
        self.assertIn("measured by itself: good", rework.note)

    def test_a_part_of_a_donor_goes_and_carries_its_origin(self) -> None:
        donor = self.session.open_new_job("SLS-0340", DUO)
        self.session.record(donor, Outcome("donor"))
        self.session.record(donor, PartPromised("U3", "SLS-7", "x"))
        job = self.session.open_new_job("SLS-8", DUO)
        self.session.record(job, Rework("replace", "U3", "donor SLS-0340"))
        taken = [e.payload for e in self.store.trail(donor) if isinstance(e.payload, PartTaken)]
        self.assertEqual([(t.part, t.to) for t in taken], [("U3", "SLS-8")])
        self.assertTrue(any("promised to SLS-7" in words for words in self.session.take_notices()))
        other = self.session.open_new_job("SLS-9", DUO)
        self.session.record(other, Rework("replace", "U3", "donor SLS-0340"))
        self.assertTrue(any("went to SLS-8 already" in words for words in self.session.take_notices()))

    def test_donors_say_how_sure_and_leave_out_what_is_gone(self) -> None:
        donor = self.session.open_new_job("SLS-0340", DUO)
        self.session.record(donor, Outcome("donor"), PartTaken("U1", "SLS-5", "y", "good"))
        session = self.session
        outlooks = Outlooks(self.store, session.library, lambda: "M1")
        stock = stock_now(self.store, session.library, outlooks, self.now)
        parts = {p.part: p for p in stock.donors}
        self.assertNotIn("U1", parts)
        self.assertTrue(0.5 < parts["U3"].good <= 1.0)
        self.assertGreater(parts["U3"].minutes, 0.0)
        found = find_donors(stock, session.library, DUO, "FL1", "SLS-0333")
        self.assertTrue(found and all(p.part.startswith("FL") for p in found))

    def test_the_view_of_nothing_leads_on_and_lists_are_safe_to_open(self) -> None:
        outlooks = Outlooks(self.store, self.session.library, lambda: "M1")
        empty = stock_now(self.store, self.session.library, outlooks, self.now)
        self.assertIn("Take in a lot", stock_sentence(empty, Currency()))
        self.add(lot_in("L1", 1, "=cmd()"))
        self.session.open_new_job("SLS-1", DUO)
        stock = stock_now(self.store, self.session.library, outlooks, self.now)
        self.assertIn("'=cmd()", lots_csv(stock.lots))
        self.assertNotIn(",=cmd()", order_csv(stock.orders, self.now.date()))

    def test_lines_that_can_not_be_read_are_left_and_not_counted(self) -> None:
        self.add(lot_in("L1", 3))
        with self.store.engine.begin() as db:
            db.exec_driver_sql("insert into ledger values ('x', 99, '2026-11-20T09:00:00Z', 'I', 'lot_in', 1, '{')")
        self.assertEqual(len(lines(self.store)), 1)

    def test_a_unit_that_came_back_marks_the_part_of_its_earlier_job(self) -> None:
        self.add(lot_in("L1", 9))
        job = self.fit("SLS-1")
        self.session.record(job, Outcome("repaired"))
        again = self.session.open_comeback(job)
        self.session.record(again, Rework("replace", "J1"))
        self.assertEqual([u.failed for u in part_uses(self.store)], [True, False])
        self.session.strike_last(again)
        self.assertEqual([u.failed for u in part_uses(self.store)], [False], "it was not replaced after all")


class CellsAndKitsTest(StockCase):
    def test_a_new_cell_comes_from_the_drawer_and_its_price_is_counted(self) -> None:
        self.add(LotIn("C1", "cell 3.8 V", "cell", 3, Decimal("14.00"), (f"{DUO}:cell",)), lot_in("L1", 3))
        job = self.session.open_new_job("SLS-1", DUO)
        self.session.record(job, Cell("unplugged"), Cell("new"))
        self.assertEqual((self.left("C1"), self.left("L1")), (2, 3))
        self.assertIn("Cell taken from C1, 2 left.", self.session.take_notices())
        spent = spent_on(self.store.trail(job), None, lots_of(self.store).lots, {})
        self.assertEqual((spent.parts, spent.fitted), (Decimal("14.00"), 1))
        self.session.strike_last(job)
        self.assertEqual(self.left("C1"), 3)
        self.session.record(job, Cell("plugged"), Cell("known_good"))
        self.assertEqual(self.left("C1"), 3, "only a new one is taken")

    def test_a_second_new_cell_in_one_job_says_that_the_first_failed(self) -> None:
        self.add(LotIn("C1", "cell", "cell", 3, Decimal("14.00"), (f"{DUO}:cell",)))
        job = self.session.open_new_job("SLS-1", DUO)
        self.session.record(job, Cell("new"))
        self.session.record(job, Cell("new"))
        self.assertEqual([u.failed for u in part_uses(self.store)], [True, False])

    def test_a_kit_is_taken_where_the_plan_has_one_and_no_port(self) -> None:
        leaf = "ondry-leaf-a"
        self.add(lot_in("SK", 3, "socket", fits=(f"{leaf}:J1",)),
                 LotIn("K1", "socket kit", "kit", 2, Decimal("8.00"), (f"{leaf}:J1",)))
        job = self.session.open_new_job("SLS-1", leaf)
        self.session.record(job, ReworkPlan((PlannedRepair("J1", "socket-retrofit"),)))
        self.session.record(job, Rework("replace", "J1"))
        self.assertEqual((self.left("SK"), self.left("K1")), (3, 1))
        other = self.session.open_new_job("SLS-2", leaf)
        self.session.record(other, Rework("replace", "J1"))
        self.assertEqual((self.left("SK"), self.left("K1")), (2, 1))


class UsedUpTest(StockCase):
    """Wire and alloy, by the metre and gram."""

    def lots(self) -> dict[str, Lot]:
        return lots_of(self.store).lots

    def repair(self, serial: str, *payloads: Payload) -> str:
        job = self.session.open_new_job(serial, DUO)
        self.session.record(job, *payloads)
        return job

    def test_a_repair_takes_what_its_recipe_says_and_gives_it_back(self) -> None:
        self.add(LotIn("W1", "enamelled wire 0.1 mm", "wire", 2, Decimal("1.00")),
                 LotIn("S1", "leaded solder", "alloy", 100, Decimal("0.05")),
                 LotIn("B1", "low-melting alloy", "alloy", 20, Decimal("0.90")))
        job = self.repair("SLS-1", Rework("wire", f"trace {duo_board().traces[0].id}"))
        left = {name: left_words(lot) for name, lot in self.lots().items()}
        self.assertEqual(left, {"W1": "1.95 m", "S1": "99.98 g", "B1": "20 g"})
        self.session.strike_last(job)
        self.assertEqual(left_words(self.lots()["W1"]), "2 m")
        recipes = RecipeBook().recipes
        for recipe, name in (("port-low-melting", "B1"), ("port-leaded", "S1")):
            before = self.lots()[name].exactly
            job = self.repair(f"SLS-{recipe}", ReworkPlan((PlannedRepair("J1", recipe),)))
            self.session.record(job, Rework("replace", "J1"))
            self.assertAlmostEqual(before - self.lots()[name].exactly, recipes[recipe].takes[0].amount)

    def test_the_last_metre_and_a_count_against_it(self) -> None:
        self.add(LotIn("W1", "enamelled wire", "wire", 1, Decimal("1.00")))
        trace = f"trace {duo_board().traces[0].id}"
        for k in range(20):
            self.repair(f"SLS-{k}", Rework("wire", trace))
        self.assertEqual((self.lots()["W1"].left, left_words(self.lots()["W1"])), (0, "0 m"))
        self.assertIn("W1 is used up", " ".join(self.session.notices))
        self.repair("SLS-99", Rework("wire", trace))
        self.assertEqual(self.lots()["W1"].short, 0, "what is at its end is not counted on")
        self.add(Recount("W1", 1, "a new reel"))
        self.repair("SLS-100", Rework("wire", trace))
        self.assertEqual(left_words(self.lots()["W1"]), "0.95 m")

    def test_it_says_nothing_of_failed_parts_and_asks_for_no_place(self) -> None:
        self.add(LotIn("W1", "enamelled wire", "wire", 5, Decimal("1.00")), lot_in("L1", 9))
        self.repair("SLS-1", Rework("wire", f"trace {duo_board().traces[0].id}"), Rework("replace", "J1"))
        self.assertEqual([e.lot for e in evidence_of(self.lots())], ["L1"])
        self.assertEqual([(u.part, u.amount) for u in part_uses(self.store)], [("", 0.05), ("J1", 1.0)])
        self.assertEqual(self.lots()["L1"].left, 8)

    def test_without_such_a_lot_nothing_is_taken(self) -> None:
        self.add(lot_in("L1", 9))
        job = self.repair("SLS-1", Rework("wire", f"trace {duo_board().traces[0].id}"))
        rework = self.store.trail(job)[-1].payload
        assert isinstance(rework, Rework)
        self.assertEqual(rework.used, ())


class TrailOfUses(unittest.TestCase):
    def test_entries_of_other_kinds_take_nothing(self) -> None:
        entries: list[Entry] = [new_entry(JobOpened("SLS-1", "Duo", DUO), "Ines", START)]
        self.assertEqual(uses_of("j", entries), ())


if __name__ == "__main__":
    unittest.main()
