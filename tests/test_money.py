"""Amounts, quotes, another hour, lots bought unseen, and a shop's month."""

from __future__ import annotations

import csv
import io
import tempfile
import unittest
from dataclasses import replace
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal
from pathlib import Path
from unittest.mock import patch

import numpy as np

from dextrum.app.advising.reason_words import beyond_words
from dextrum.app.job.hands_first import hands_first
from dextrum.app.job.session import BenchSession
from dextrum.app.job.trail_words import CARDS
from dextrum.app.money.job_prices import JobPrices
from dextrum.app.money.lots_unseen import Wanted, worth_unseen
from dextrum.app.money.month import MonthBook, month_csv, month_of
from dextrum.app.money.quotes import price_words, quoting, said_words
from dextrum.app.money.spent import Spent, spent_on, terms_of
from dextrum.core.job import OWNERS_ANSWER, JobFacts, job_facts
from dextrum.core.ledger.lot_in import LotIn
from dextrum.core.ledger.units_bought import UnitsBought
from dextrum.core.money.amounts import Currency, about_words, amount_words, parse_amount, use_currency
from dextrum.core.money.quoting import Terms, ask_again, chance_of_loss, costs_of, price
from dextrum.core.money.worth import UnseenUnit, another_hour, shop_factor, worth_of_lot
from dextrum.core.outlook.rest_of_job import RestOfJob, nothing_left
from dextrum.core.trail import Intake, JobOpened, Outcome, OwnUnit, Paid, Payload, Quote, QuoteAnswer, Rework, Wait
from dextrum.store.bench_settings import set_part_price
from dextrum.store.entries import new_entry
from dextrum.store.jobs import JobStore
from dextrum.store.ledger import add_lines
from dextrum.store.shop_settings import (
    Charges,
    charges,
    currency,
    day_pins,
    set_charges,
    set_currency,
    set_day_pins,
    shop_week,
)
from tests.support import DUO, START, duo_board, library_of

TERMS = Terms(Decimal(48), Decimal("5.50"), Decimal(10), Decimal(15), Decimal(20), 0.1)
PLAIN = Currency()


class AmountInSentencesTest(unittest.TestCase):
    """Sentences that are said far from the money's own view have the shop's currency too."""

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.store = JobStore(Path(folder.name) / "jobs.sqlite")
        self.addCleanup(self.store.close)
        self.addCleanup(use_currency, Currency)

    def test_each_job_file_has_its_own_and_a_change_is_seen_at_once(self) -> None:
        BenchSession(self.store, library_of())
        self.assertEqual(amount_words(Decimal("48.5")), "48.50", "none was set")
        set_currency(self.store, Currency("kr", decimals=0))
        self.assertEqual(amount_words(48.5), "49\u00a0kr")
        set_currency(self.store, Currency("\u00a3", before=True))
        self.assertEqual(about_words(110.2), "\u00a3110")
        self.assertEqual(CARDS[Quote](Quote(Decimal("48.5")), None)[0], "Quoted: \u00a348.50")
        use_currency(Currency)
        BenchSession(self.store, library_of())
        self.assertEqual(amount_words(Decimal(7)), "\u00a37.00", "kept with the jobs")

    def test_what_a_unit_is_worth_and_what_a_part_costs(self) -> None:
        set_currency(self.store, Currency("\u20ac"))
        board = duo_board()
        self.assertIn("35\u00a0\u20ac as parts instead of 140\u00a0\u20ac", beyond_words(
            replace(board, donor_value=35.0, unit_value=140.0), (board.components[0].designator, 0.5)))


def rest(hands: object, good: object = True, parts: float = 0.0) -> RestOfJob:
    minutes = np.asarray(hands, dtype=float)
    return RestOfJob(minutes, np.zeros(len(minutes)), np.broadcast_to(np.asarray(good), minutes.shape).copy(), ("U1",),
                     np.ones((len(minutes), 1)), np.array([parts]))


def prices(outlook: RestOfJob, spent: Spent, terms: Terms = TERMS, money: Currency = PLAIN) -> JobPrices:
    facts = job_facts([new_entry(JobOpened("S", "Duo", DUO), "Ines", START)])
    return JobPrices("S", outlook, 0.0, spent, terms, money, quoting(facts, outlook, spent, terms, money), None, "")


class AmountTest(unittest.TestCase):
    def test_amounts_are_typed_as_people_write_them(self) -> None:
        for text, amount in (("12.50", "12.50"), ("12,5", "12.5"), ("1 250", "1250"), ("1.250,00", "1250.00"),
                             ("0.045", "0.045"), ("0,001", "0.001"), ("0.5", "0.5"),
                             ("1,250.00", "1250.00"), ("0", "0"), ("1'250.5", "1250.5"), ("1.250", "1250")):
            with self.subTest(text):
                self.assertEqual(parse_amount(text), Decimal(amount))
        for wrong in ("", "-5", "1.2.3", "12,345,6", "1e5", "NaN", "inf", "12.3456", "9" * 9, "٣", "12.٣",
                      "1,25,000", "0.250.000", "00.045", "0,045,000"):
            with self.subTest(wrong), self.assertRaises(ValueError):
                parse_amount(wrong)

    def test_no_amount_is_ever_a_binary_number(self) -> None:
        ten = sum((parse_amount("0.1") for _ in range(10)), Decimal(0))
        self.assertEqual(ten, Decimal(1))
        self.assertEqual(PLAIN.shown(Decimal("2.675")), "2.68")
        self.assertEqual(PLAIN.shown(2.675), "2.68", "as it was said, not as it is stored")

    def test_amounts_are_shown_with_the_shops_sign(self) -> None:
        self.assertEqual(Currency("\u20ac").shown(Decimal("1234.5")), "1\u202f234.50\u00a0\u20ac")
        self.assertEqual(Currency("$", True).shown(Decimal(-3)), "\u2212$3.00")
        self.assertEqual(Currency("kr", decimals=0).shown(Decimal("99.5")), "100\u00a0kr")
        self.assertEqual(Currency("\u20ac").about(31.49), "31\u00a0\u20ac")
        self.assertEqual(PLAIN.shown(float("nan")), "\u2014")

    def test_tax_and_rounding(self) -> None:
        included = Currency("\u20ac", step=Decimal("0.50"), tax_percent=Decimal(19))
        self.assertEqual(included.said_for(Decimal(100)), Decimal("119.00"))
        self.assertEqual(included.said_for(Decimal("100.1")), Decimal("119.50"))
        self.assertEqual(included.tax_in(Decimal("119.00")), Decimal("19.00"))
        self.assertEqual(included.kept_of(Decimal("119.00")), Decimal("100.00"))
        apart = replace(included, included=False)
        self.assertEqual((apart.said_for(Decimal(100)), apart.kept_of(Decimal(100))), (Decimal(100), Decimal(100)))
        self.assertEqual(apart.tax_in(Decimal(100)), Decimal("19.00"))

    def test_nonsense_settings_are_refused(self) -> None:
        for wrong in ({"sign": "1"}, {"decimals": 7}, {"step": Decimal(0)}, {"tax_percent": Decimal(120)},
                      {"sign": "much too long"}):
            with self.subTest(wrong), self.assertRaises(ValueError):
                Currency(**wrong)
        with self.assertRaises(ValueError):
            Terms(Decimal(-1))
        with self.assertRaises(ValueError):
            Terms(Decimal(1), risk=float("nan"))


class QuoteTest(unittest.TestCase):
    def test_what_a_play_costs(self) -> None:
        np.testing.assert_allclose(costs_of(rest([60.0], parts=5.0), TERMS), [48.0 + 1.2 * 5.0 + 5.5])
        np.testing.assert_allclose(costs_of(rest([60.0]), TERMS, 30.0, 10.0), [72.0 + 12.0 + 5.5])

    def test_a_fixed_price_loses_no_more_often_than_was_chosen(self) -> None:
        hands = np.random.default_rng(1).lognormal(4.2, 0.5, 2000)
        for risk in (0.05, 0.1, 0.3):
            with self.subTest(risk):
                found = price(rest(hands), replace(TERMS, risk=risk), PLAIN)
                self.assertLessEqual(found.loss, risk + 1e-9)
                lower = chance_of_loss(rest(hands), TERMS, PLAIN, found.price - Decimal("1.00"))
                self.assertGreater(lower, risk - 0.02)

    def test_jobs_that_end_badly_use_up_the_risk_and_may_put_it_out_of_reach(self) -> None:
        hands = np.full(1000, 60.0)
        good = np.arange(1000) >= 50
        found = price(rest(hands, good), TERMS, PLAIN)
        self.assertFalse(found.out_of_reach)
        self.assertAlmostEqual(found.loss, 0.05)
        bad = price(rest(hands, np.arange(1000) >= 300), TERMS, PLAIN)
        self.assertTrue(bad.out_of_reach)
        self.assertAlmostEqual(bad.loss, 0.3)
        covered = price(rest(hands, np.arange(1000) >= 300), replace(TERMS, not_repaired=Decimal(60)), PLAIN)
        self.assertFalse(covered.out_of_reach)

    def test_a_ceiling_brings_no_more_than_it_took(self) -> None:
        hands = np.random.default_rng(2).lognormal(4.0, 0.6, 1000)
        ceiling = price(rest(hands), TERMS, PLAIN, "ceiling")
        fixed = price(rest(hands), TERMS, PLAIN, "fixed")
        self.assertEqual(ceiling.price, fixed.price)
        self.assertLess(ceiling.brings, 0.0)
        self.assertGreater(fixed.brings, 0.0)

    def test_rush_is_on_top_and_nothing_is_below_zero(self) -> None:
        hands = np.full(100, 30.0)
        self.assertEqual(price(rest(hands), TERMS, PLAIN, rush=True).price - price(rest(hands), TERMS, PLAIN).price,
                         Decimal(10))
        free = Terms(Decimal(0))
        self.assertEqual(price(nothing_left(10), free, PLAIN).price, Decimal(0))
        hopeless = price(rest(hands, False), TERMS, PLAIN)
        self.assertEqual(hopeless.price, Decimal(0))
        self.assertEqual(hopeless.chance_good, 0.0)

    def test_the_owner_is_asked_again_when_the_finding_changes(self) -> None:
        self.assertEqual(ask_again(0.1, 0.9, 0.2, 0.85, 1.5), "")
        self.assertIn("cost more", ask_again(0.1, 0.9, 0.5, 0.9, 1.5))
        self.assertEqual(ask_again(0.1, 0.9, 0.5, 0.9, 1.05), "", "another way of forecasting is no other finding")
        self.assertIn("good end", ask_again(0.1, 0.9, 0.1, 0.5, 1.0))

    def test_a_quote_is_said_answered_and_goes_stale(self) -> None:
        def facts(*payloads: Payload) -> JobFacts:
            return job_facts([new_entry(p, "Ines", START) for p in (JobOpened("S", "Duo", DUO), *payloads)])

        cheap, dear = rest(np.full(500, 40.0)), rest(np.full(500, 200.0))
        spent = Spent(10.0, Decimal(0), 0)
        known = quoting(facts(), cheap, spent, TERMS, PLAIN)
        entry = prices(cheap, spent).quote("fixed")
        self.assertEqual(entry.price, known.fixed.price)
        later = quoting(facts(entry), dear, spent, TERMS, PLAIN)
        self.assertTrue(later.again)
        self.assertIn("Ask again", said_words(later, PLAIN))
        answered = quoting(facts(entry, QuoteAnswer("accepted")), cheap, spent, TERMS, PLAIN)
        self.assertIn("accepted", said_words(answered, PLAIN))
        again = facts(entry, QuoteAnswer("accepted"), replace(entry, price=Decimal(99)))
        self.assertIsNone(again.quote_answer)
        head, risk = price_words(known.fixed, Currency("\u20ac"))
        self.assertIn("\u20ac", head)
        self.assertIn("chance of loss", risk)


class SaidPriceTest(unittest.TestCase):
    hands = np.linspace(20.0, 220.0, 500)

    def test_the_chance_of_loss_is_of_the_price_that_was_said(self) -> None:
        job = prices(rest(self.hands), Spent(0.0, Decimal(0), 0))
        low = job.quote("fixed", asked=Decimal(10))
        self.assertEqual((low.price, low.loss), (Decimal(10), 1.0))
        self.assertLess(job.quote("fixed").loss, 0.11)

    def test_a_rush_costs_what_it_says_once_and_in_each_kind(self) -> None:
        terms, taxed = replace(TERMS, rush=Decimal(20)), Currency("\u20ac", tax_percent=Decimal(25))
        job = prices(rest(self.hands), Spent(0.0, Decimal(0), 0), terms, taxed)
        for basis in ("fixed", "ceiling"):
            calm, rush = job.quote(basis), job.quote(basis, True)
            self.assertAlmostEqual(float(rush.price - calm.price), 25.0, delta=0.011)
            self.assertEqual((calm.rush, rush.rush, rush.basis), (False, True, basis))
        self.assertLess(job.quote("fixed", True).loss, job.quote("fixed").loss, "rush is not worked for, but ahead")


class WorthTest(unittest.TestCase):
    def test_a_sure_repair_is_worth_its_hour_and_a_hopeless_one_is_not(self) -> None:
        sure = another_hour(rest(np.full(500, 30.0)), Decimal(48), Decimal(140), Decimal(35))
        self.assertTrue(sure.pays)
        self.assertAlmostEqual(sure.gain, 140 - 35 - 24)
        self.assertAlmostEqual(sure.hour, sure.gain)
        self.assertEqual((sure.sure, sure.done_by_then), (1.0, 1.0))
        lost = another_hour(rest(np.full(500, 30.0), False), Decimal(48), Decimal(140), Decimal(35))
        self.assertFalse(lost.pays)
        self.assertAlmostEqual(lost.gain, -24.0)

    def test_the_choice_to_stop_after_an_hour_is_worth_something(self) -> None:
        hands = np.where(np.arange(1000) < 600, 30.0, 600.0)
        found = another_hour(rest(hands), Decimal(48), Decimal(140), Decimal(35))
        self.assertGreater(found.hour, found.gain)
        self.assertAlmostEqual(found.done_by_then, 0.6)

    def test_the_price_of_a_lot_has_the_chance_of_loss_that_was_wanted(self) -> None:
        unit = UnseenUnit(10, rest(np.random.default_rng(3).lognormal(4, 0.5, 1000),
                                   np.random.default_rng(4).random(1000) < 0.7), Decimal(140), Decimal(35))
        low, high = (worth_of_lot([unit], Decimal(30), risk, np.random.default_rng(5)) for risk in (0.1, 0.5))
        self.assertLess(low.price, high.price)
        self.assertAlmostEqual(float(high.price), high.middle, delta=5.0)
        self.assertTrue(4.0 <= high.good_units[1] <= 9.0)
        slow = worth_of_lot([unit], Decimal(30), 0.5, np.random.default_rng(5), shop_factor=1.5)
        self.assertLess(slow.middle, high.middle)
        freight = worth_of_lot([unit], Decimal(30), 0.5, np.random.default_rng(5), Decimal(50))
        self.assertAlmostEqual(freight.middle, high.middle - 50.0, delta=0.01)

    def test_a_lot_of_nothing_is_refused_and_a_worthless_one_costs_nothing(self) -> None:
        with self.assertRaises(ValueError):
            worth_of_lot([], Decimal(30), 0.2, np.random.default_rng(0))
        junk = UnseenUnit(3, rest(np.full(50, 90.0), False), Decimal(0), Decimal(0))
        self.assertEqual(worth_of_lot([junk], Decimal(30), 0.2, np.random.default_rng(0)).price, Decimal(0))

    def test_a_shop_that_is_slower_than_forecast_knows_it_by_and_by(self) -> None:
        self.assertEqual(shop_factor([], []), 1.0)
        few, many = shop_factor([60.0], [120.0]), shop_factor([60.0] * 50, [120.0] * 50)
        self.assertTrue(1.0 < few < many < 2.0)


class MonthTest(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.store = JobStore(Path(folder.name) / "jobs.sqlite")
        self.addCleanup(self.store.close)
        self.now = datetime(2026, 11, 10, 9, 0, tzinfo=UTC)
        self.session = BenchSession(self.store, library_of(), "Ines", clock=self._tick)
        self.book = MonthBook(self.store, self.session.library)

    def _tick(self) -> datetime:
        self.now += timedelta(minutes=10)
        return self.now

    def test_hands_parts_and_what_came_in(self) -> None:
        add_lines(self.store, [LotIn("L1", "fuse", "fuse", 5, Decimal("0.70"), (f"{DUO}:F1",))], "Ines", self.now)
        job = self.session.open_new_job("SLS-1", DUO)
        self.session.record(job, Intake("dead"), Quote(Decimal("49.00"), middle=30.0), QuoteAnswer("accepted"),
                            Rework("replace", "F1"))
        self.session.record(job, Paid(Decimal("49.00")), Outcome("repaired"))
        month = self.book.month(*month_of(date(2026, 11, 3)), lambda _row: Decimal(0))
        money = month.jobs[0]
        self.assertEqual((money.fault, money.quoted, money.paid), ("fuse", Decimal("49.00"), Decimal("49.00")))
        self.assertEqual(money.spent.parts, Decimal("0.70"))
        self.assertEqual(money.brought, Decimal("49.00") - money.cost)
        self.assertEqual([(f.fault, f.jobs) for f in month.by_fault], [("fuse", 1)])
        rows = list(csv.DictReader(io.StringIO(month_csv(month))))
        self.assertEqual(rows[0]["quoted"], "49.00")
        other = self.book.month(*month_of(date(2026, 10, 3)), lambda _row: Decimal(0))
        self.assertEqual(other.jobs, ())

    def test_an_entry_costs_one_trail_and_not_a_month_of_them(self) -> None:
        jobs = [self.session.open_new_job(f"SLS-{k}", DUO) for k in range(3)]
        for job in jobs:
            self.session.record(job, Rework("replace", "F1"), Outcome("repaired"))
        november = month_of(date(2026, 11, 3))
        self.book.month(*november, lambda _row: Decimal(0))
        self.session.record(jobs[1], Paid(Decimal("20.00")))
        with patch.object(self.store, "trail", wraps=self.store.trail) as read:
            month = self.book.month(*november, lambda _row: Decimal(0))
            self.assertEqual([call.args[0] for call in read.call_args_list], [jobs[1]])
            self.assertEqual({j.row.id: j.paid for j in month.jobs}[jobs[1]], Decimal("20.00"))
            set_part_price(self.store, DUO, "F1", 1.35)
            month = self.book.month(*november, lambda _row: Decimal(0))
        self.assertEqual({j.spent.parts for j in month.jobs}, {Decimal("1.35")})

    def test_a_lot_of_units_adds_up(self) -> None:
        add_lines(self.store, [UnitsBought("autumn", 3, Decimal(90), Decimal(6))], "Ines", self.now)
        for serial, result, paid in (("A", "repaired", "120"), ("B", "donor", "")):
            job = self.session.open_new_job(serial, DUO)
            self.session.record(job, OwnUnit(Decimal(140), Decimal(35), lot="autumn"))
            if paid:
                self.session.record(job, Paid(Decimal(paid), "sold"))
            self.session.record(job, Outcome(result))  # type: ignore[arg-type]
        month = self.book.month(date(2026, 11, 1), date(2026, 12, 1), lambda _row: Decimal(20))
        lot = month.lots[0]
        self.assertEqual((lot.count, lot.known, lot.repaired, lot.donors, lot.open), (3, 2, 1, 1, 0))
        self.assertEqual((lot.cost, lot.earned, lot.hold), (Decimal(96), Decimal(120), Decimal(20)))
        self.assertEqual(lot.bottom, Decimal(44) - lot.spent)

    def test_a_price_that_was_said_waits_for_its_answer_on_the_shelf(self) -> None:
        job = self.session.open_new_job("SLS-7", DUO)
        other = self.session.open_new_job("SLS-8", DUO)
        self.session.record(job, Intake("dead", due="2026-11-11T16:00"), Quote(Decimal("49.00")))

        def shelf() -> list[tuple[str, str]]:
            return [(r.serial, r.waits_for) for r in hands_first(self.store.shelf(), self.now)]

        self.assertEqual(shelf(), [("SLS-8", ""), ("SLS-7", OWNERS_ANSWER)])
        self.session.record(other, Wait("a part"))
        self.session.record(job, QuoteAnswer("accepted"))
        self.assertEqual(shelf(), [("SLS-7", ""), ("SLS-8", "a part")])

    def test_a_job_without_a_pack_is_counted_all_the_same(self) -> None:
        self.store.add_trail([new_entry(p, "Ines", self._tick()) for p in (
            JobOpened("X", "Unknown", "no-such-pack"), Rework("replace", "J1"), Outcome("repaired"))])
        month = self.book.month(date(2026, 11, 1), date(2026, 12, 1), lambda _row: Decimal(0))
        self.assertEqual([j.fault for j in month.jobs], ["other part"])

    def test_what_to_pay_for_units_unseen(self) -> None:
        wanted = [Wanted(6, DUO, "no_charge", Decimal(140), Decimal(35))]
        worth, factor, jobs = worth_unseen(self.store, self.session.library, "M1", wanted, Decimal(0), self.now)
        self.assertEqual((factor, jobs), (1.0, 0))
        self.assertTrue(0 <= worth.price <= Decimal(6 * 140))
        self.assertLessEqual(worth.low, worth.high)

    def test_settings_are_kept_and_damaged_ones_count_as_never_set(self) -> None:
        set_currency(self.store, Currency("\u20ac", step=Decimal("0.50"), tax_percent=Decimal(19)))
        set_charges(self.store, Charges(Decimal("5.50"), risk=0.2))
        set_day_pins(self.store, {"j": "2026-11-10T10:00"})
        self.assertEqual(currency(self.store).step, Decimal("0.50"))
        self.assertEqual(charges(self.store).postage, Decimal("5.50"))
        self.assertEqual(day_pins(self.store), {"j": "2026-11-10T10:00"})
        for key in ("currency", "charges", "shop_week", "day_pins"):
            self.store.set_setting(key, "{nonsense")
        self.assertEqual((currency(self.store), charges(self.store)), (Currency(), Charges()))
        self.assertEqual((len(shop_week(self.store).hours), day_pins(self.store)), (7, {}))

    def test_labour_is_the_rate_the_advice_weighs_with(self) -> None:
        self.assertEqual(terms_of(self.store).labour_per_hour, Decimal("48.0"))

    def test_parts_of_a_donor_cost_nothing_and_others_the_shops_price(self) -> None:
        trail = tuple(new_entry(p, "Ines", START) for p in (
            JobOpened("S", "Duo", DUO), Rework("replace", "U3", "donor A", lot="donor A"), Rework("replace", "F1"),
            Rework("reflow", "U1")))
        spent = spent_on(trail, duo_board(), {}, {"F1": 0.9})
        self.assertEqual((spent.parts, spent.fitted), (Decimal("0.90"), 2))


if __name__ == "__main__":
    unittest.main()
