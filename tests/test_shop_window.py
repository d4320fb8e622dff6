"""Day, stock and money in the real window: by keys and by mouse, on an empty bench, with bad input."""

from __future__ import annotations

import csv
import io
import unittest
from datetime import UTC, datetime, timedelta
from decimal import Decimal

from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from dextrum.core.ledger.lot_in import LotIn
from dextrum.core.ledger.recount import Recount
from dextrum.core.planning.hours import ShopWeek
from dextrum.core.trail import (
    Cell,
    Entry,
    Intake,
    JobOpened,
    Look,
    Outcome,
    OwnUnit,
    Paid,
    Payload,
    Quote,
    QuoteAnswer,
    Rework,
)
from dextrum.desktop.day.view import DayView
from dextrum.desktop.money.view import MoneyView
from dextrum.desktop.stock.view import StockView
from dextrum.store.entries import new_entry
from dextrum.store.jobs import JobStore
from dextrum.store.ledger import add_lines, lines
from dextrum.store.shop_settings import charges, currency, day_pins, set_shop_week, shop_week
from tests.window_support import ALT, CTRL, Key, WindowCase

DUO = "tarnwick-duo-c"
ALL_DAY = ((("00:00", "23:59"),),) * 7
LEFT = Qt.MouseButton.LeftButton


def trail_of(serial: str, *payloads: Payload, hours_ago: float = 1.0) -> list[Entry]:
    at = datetime.now(UTC) - timedelta(hours=hours_ago)
    return [new_entry(p, "Ines", at + timedelta(minutes=k)) for k, p in enumerate(
        (JobOpened(serial, "Tarnwick Duo", DUO), *payloads))]


class ShopCase(WindowCase):
    def fill(self, store: JobStore) -> None:
        set_shop_week(store, ShopWeek(hours=ALL_DAY))
        soon = (datetime.now().astimezone() + timedelta(hours=5)).strftime("%Y-%m-%dT%H:%M")
        for serial, due in (("SLS-0001", soon), ("SLS-0002", "")):
            store.add_trail(trail_of(serial, Intake("dead", ("no_charge",), due=due), Look(("clean",))))
        store.add_trail(trail_of("SLS-0340", Intake("wet", ("no_start",)), Outcome("donor")))
        add_lines(store, (LotIn("P1", "USB-C port", "port", 3, Decimal("3.90"), (f"{DUO}:J1",), place="drawer 3"),),
                  "Ines", datetime.now(UTC))

    @property
    def day(self) -> DayView:
        view = self.window.views["day"]
        assert isinstance(view, DayView)
        return view

    @property
    def stock(self) -> StockView:
        view = self.window.views["stock"]
        assert isinstance(view, StockView)
        return view

    @property
    def money(self) -> MoneyView:
        view = self.window.views["money"]
        assert isinstance(view, MoneyView)
        return view

    def show_day(self) -> None:
        self.key(Key.Key_D, ALT)
        self.wait(lambda: self.day.day is not None and not self.day.background.busy, what="for the day")

    def show_stock(self) -> None:
        self.key(Key.Key_S, ALT)
        self.wait(lambda: self.stock.stock is not None and not self.stock.background.busy, 40.0, "for the stock")

    def show_money(self) -> None:
        self.settled()
        self.key(Key.Key_M, ALT)
        self.wait(lambda: self.money.prices is not None and self.money.month is not None, 40.0, "for the prices")

    def answer(self, *texts: str) -> None:
        """Answer questions one after the other; None of them is a choice."""
        for text in texts:
            self.wait(self.window.ask.isVisible, what=f"for the question before {text!r}")
            if self.window.ask.field.isVisible():
                self.window.ask.field.setText(text)
            else:
                place = self.window.ask.choice.findText(text)
                if place < 0:
                    place = self.window.ask.choice.findData(text)
                self.assertGreaterEqual(place, 0, f"no choice {text!r}")
                self.window.ask.choice.setCurrentIndex(place)
            self.key(Key.Key_Return)
            self.application.processEvents()


class DayWindowTest(ShopCase):
    def test_the_day_is_planned_shown_and_opens_a_job_by_enter(self) -> None:
        self.show_day()
        rows = self.day.table.rows_model.rows
        self.assertTrue(rows)
        self.assertEqual({row.cells[2] for row in rows}, {"SLS-0001", "SLS-0002"})
        self.assertTrue(self.day.sentence.text())
        self.day.table.setFocus()
        self.key(Key.Key_Down)
        job = self.day.chosen_job
        self.key(Key.Key_Return)
        self.assertEqual(self.window.model.job_id, job)

    def test_a_block_that_is_dragged_is_pinned_and_let_go_again(self) -> None:
        self.show_day()
        ribbon = self.day.ribbon
        scale = ribbon._scale()
        assert scale is not None
        _, item, box = ribbon._blocks(scale)[-1]
        middle = QPoint(int(box.center().x()), int(box.center().y()))
        QTest.mousePress(ribbon, LEFT, Qt.KeyboardModifier.NoModifier, middle)
        QTest.mouseMove(ribbon, middle + QPoint(90, 0))
        QTest.mouseRelease(ribbon, LEFT, Qt.KeyboardModifier.NoModifier, middle + QPoint(90, 0))
        self.wait(lambda: item.job_id in day_pins(self.store), what="for the pin")
        self.wait(lambda: any(i.pinned for i in self.day.day.items), what="for the new plan")  # type: ignore[union-attr]
        self.day._choose(item.job_id)
        self.window.commands.run("day.free")
        self.assertEqual(day_pins(self.store), {})

    def test_a_click_on_a_block_chooses_its_row(self) -> None:
        self.show_day()
        scale = self.day.ribbon._scale()
        assert scale is not None
        _, item, box = self.day.ribbon._blocks(scale)[-1]
        QTest.mouseClick(self.day.ribbon, LEFT, Qt.KeyboardModifier.NoModifier,
                         QPoint(int(box.center().x()), int(box.center().y())))
        self.assertEqual(self.day.chosen_job, item.job_id)

    def test_hours_days_off_and_the_last_post_are_set_and_nonsense_is_refused(self) -> None:
        self.window.commands.run("day.hours")
        self.window.ask.field.setText("9-8")
        self.key(Key.Key_Return)
        self.assertTrue(self.window.ask.trouble.text())
        self.answer("9-12, 13-17", "", "9-12", "9-12", "9-12", "", "")
        self.wait(lambda: shop_week(self.store).hours[1] == (), what="for the hours")
        self.assertEqual(shop_week(self.store).hours[0], (("09:00", "12:00"), ("13:00", "17:00")))
        self.window.commands.run("day.off")
        self.answer("24 Dec")
        self.assertTrue(shop_week(self.store).days_off[0].endswith("-12-24"))
        self.window.commands.run("day.post")
        self.answer("15:45", "2")
        self.assertEqual((shop_week(self.store).last_post, shop_week(self.store).post_days), ("15:45", 2))

    def test_the_plan_follows_an_entry(self) -> None:
        self.show_day()
        before = self.day.day
        self.assertTrue(self.window.model.record(Intake("dead, and wet", ("no_charge",), due="2099-01-01")))
        self.wait(lambda: self.day.day is not before and not self.day.background.busy, what="for the new plan")

    def test_files_of_the_day(self) -> None:
        self.show_day()
        for command, name in (("day.csv", "day.csv"), ("day.calendar", "day.ics")):
            place = self.folder / name
            self.window.commands.run(command)
            self.answer(str(place))
            self.assertTrue(place.exists(), name)
        rows = list(csv.DictReader(io.StringIO((self.folder / "day.csv").read_text())))
        self.assertEqual(len(rows), len(self.day.day.items))  # type: ignore[union-attr]
        from icalendar import Calendar

        events = Calendar.from_ical((self.folder / "day.ics").read_bytes()).walk("VEVENT")
        self.assertGreaterEqual(len(events), len(rows))
        text = (self.folder / "day.ics").read_text()
        self.assertEqual(text.count("DTSTART:"), len([one for one in text.splitlines() if one.startswith("DTSTART")]))


class EmptyShopTest(WindowCase):
    def test_all_three_lead_on_without_a_job(self) -> None:
        for name in ("day", "stock", "money"):
            with self.subTest(name):
                self.window.commands.run(f"view.{name}")
                view = self.window.current_view()
                assert view is not None
                self.assertEqual(view.name, name)
                self.wait(lambda view=view: view.sentence.text() and "\u2026" not in view.sentence.text(),  # type: ignore[misc]
                          20.0, f"for {name}")
                self.assertGreater(len(view.sentence.text()), 15)


class StockWindowTest(ShopCase):
    def test_a_lot_is_taken_in_by_keys_and_a_rework_counts_it_down(self) -> None:
        self.show_stock()
        self.window.commands.run("stock.in")
        self.answer("F-A", "fuse 0805", "fuse", "20")
        self.window.ask.field.setText("cheap")
        self.key(Key.Key_Return)
        self.assertIn("no amount", self.window.ask.trouble.text())
        self.answer("0,45", "F1", "Quayside Parts", "drawer 1")
        self.wait(lambda: any(row.key == "F-A" for row in self.stock.lots.rows_model.rows), 30.0, "for the lot")
        self.assertTrue(self.window.model.record(Cell("unplugged"), Rework("replace", "F1")))
        self.assertIn("19 left", self.window.trail.said.text())
        self.wait(lambda: "19" in next(r.cells[2] for r in self.stock.lots.rows_model.rows if r.key == "F-A"), 30.0,
                  "for the count")
        self.key(Key.Key_Z, CTRL)
        self.wait(lambda: "20" in next(r.cells[2] for r in self.stock.lots.rows_model.rows if r.key == "F-A"), 30.0,
                  "for undo to bring it back")

    def test_answers_are_kept_when_the_questions_are_left_and_gone_when_they_are_done(self) -> None:
        self.show_stock()
        self.window.commands.run("stock.in")
        self.answer("F-B", "fuse 0805", "fuse")
        self.wait(lambda: self.window.ask.words.text() == "How many", what="for the fourth question")
        self.key(Key.Key_Escape)
        self.assertFalse(self.window.ask.isVisible())
        self.assertEqual([line.payload for line in lines(self.store) if line.payload.words().startswith("F-B")], [])
        self.window.commands.run("stock.in")
        for kept in ("F-B", "fuse 0805"):
            self.assertEqual(self.window.ask.field.text(), kept)
            self.key(Key.Key_Return)
            self.application.processEvents()
        self.assertEqual(self.window.ask.choice.currentData(), "fuse")
        self.answer("fuse", "20", "0.04", "F1", "", "")
        self.wait(lambda: any(row.key == "F-B" for row in self.stock.lots.rows_model.rows), 30.0, "for the lot")
        self.window.commands.run("stock.in")
        self.assertEqual(self.window.ask.field.text(), "")

    def test_a_bag_is_refilled_under_its_name_and_never_with_another_part(self) -> None:
        self.show_stock()
        self.window.commands.run("stock.in")
        self.answer("p1")
        self.wait(lambda: self.window.ask.field.text() == "USB-C port", what="for what is in the bag")
        self.window.ask.field.setText("fuse")
        self.key(Key.Key_Return)
        self.assertIn("another name", self.window.ask.trouble.text())
        self.answer("usb-c port", "port", "4", "3.90", "J1", "", "")
        self.wait(lambda: "7" in self.stock.lots.rows_model.rows[0].cells[2], 30.0, "for three and four")

    def test_count_place_aside_and_undo(self) -> None:
        self.show_stock()
        self.stock.lots.setFocus()
        self.window.commands.run("stock.count")
        self.window.ask.field.setText("-2")
        self.key(Key.Key_Return)
        self.assertIn("no count", self.window.ask.trouble.text())
        self.answer("2", "one was bent")
        self.assertEqual([line.payload for line in lines(self.store)][-1], Recount("P1", 2, "one was bent"))
        self.window.commands.run("stock.move")
        self.answer("drawer 4")
        self.wait(lambda: self.stock.lots.rows_model.rows[0].cells[4] == "drawer 4", 30.0, "for the place")
        self.window.commands.run("stock.aside")
        self.answer("smells odd")
        self.wait(lambda: "set aside" in self.stock.lots.rows_model.rows[0].cells[6], 30.0, "for it to be set aside")
        self.window.commands.run("stock.undo")
        self.wait(lambda: "set aside" not in self.stock.lots.rows_model.rows[0].cells[6], 30.0, "for undo")

    def test_a_donors_part_is_found_promised_and_taken(self) -> None:
        self.show_stock()
        self.window.commands.run("stock.donor")
        self.window.ask.field.setText("nobody")
        self.key(Key.Key_Return)
        self.assertIn("no part of", self.window.ask.trouble.text())
        self.answer("U3")
        self.wait(lambda: [r.cells[1] for r in self.stock.donors.rows_model.rows] == ["U3"], 30.0, "for the donor")
        serial = self.window.model.facts.serial
        self.window.commands.run("stock.promise")
        self.wait(lambda: f"promised to {serial}" in self.stock.donors.rows_model.rows[0].cells[5], 30.0, "to promise")
        self.window.commands.run("stock.take")
        self.answer(f"for {serial}", "measured by itself: good")
        self.wait(lambda: not self.stock.donors.rows_model.rows, 30.0, "for the part to be gone")

    def test_what_is_looked_for_is_shown_and_lists_are_written(self) -> None:
        self.show_stock()
        self.stock.finder.setFocus()
        self.type("drawer 3")
        self.assertEqual([row.key for row in self.stock.lots.rows_model.rows], ["P1"])
        self.type("x")
        self.assertEqual(self.stock.lots.rows_model.rows, ())
        for command, name in (("stock.csv", "lots.csv"), ("stock.orders", "order.csv")):
            self.window.commands.run(command)
            self.answer(str(self.folder / name))
            self.assertTrue((self.folder / name).exists(), name)

    def test_a_lots_label_is_printed_and_scanned(self) -> None:
        from dextrum.app.handover.label import code_of, id_begins
        from dextrum.core.ledger.lines import shop_of
        from dextrum.desktop.frame.scanned_label import open_by_label

        self.show_stock()
        self.window.commands.run("stock.label")
        self.answer(str(self.folder / "p1.pdf"))
        self.assertTrue((self.folder / "p1.pdf").read_bytes().startswith(b"%PDF"))
        self.window.show_view("port")
        line_id = shop_of(lines(self.store)).lots["P1"].line_id
        open_by_label(self.window, id_begins(code_of(line_id)))
        self.assertIs(self.window.current_view(), self.stock)
        self.assertEqual(self.stock.finder.text(), "P1")


class MoneyWindowTest(ShopCase):
    def test_a_job_is_quoted_answered_and_paid(self) -> None:
        self.show_money()
        self.assertIn("min of hands left", self.money.sentence.text())
        worked_out = self.money.prices.quoting.fixed.price  # type: ignore[union-attr]
        self.window.commands.run("money.quote")
        self.answer("fixed price", "no rush")
        self.window.ask.field.setText("plenty")
        self.key(Key.Key_Return)
        self.assertIn("no amount", self.window.ask.trouble.text())
        self.answer("")
        said = next(e.payload for e in self.window.model.trail if isinstance(e.payload, Quote))
        self.assertEqual(said.price, worked_out)
        self.settled()
        self.window.commands.run("money.answer")
        self.answer("accepted the quote")
        self.assertTrue(any(isinstance(e.payload, QuoteAnswer) for e in self.window.model.trail))
        self.window.commands.run("money.paid")
        self.answer("149,00", "the owner paid for the job")
        self.assertEqual([e.payload.amount for e in self.window.model.trail if isinstance(e.payload, Paid)],
                         [Decimal("149.00")])
        self.window.commands.run("money.sheet")
        self.answer(str(self.folder / "quote.pdf"))
        self.wait(lambda: (self.folder / "quote.pdf").exists() and not self.window.long_work.busy, 20.0, "for the PDF")

    def test_the_price_that_is_offered_is_that_of_the_answers_before(self) -> None:
        self.show_money()
        quoting, money = self.money.prices.quoting, self.money.prices.money  # type: ignore[union-attr]
        self.window.commands.run("money.quote")
        self.answer("ceiling", "rush")
        wanted = quoting.priced["ceiling", True].price
        self.wait(lambda: money.shown(wanted) in self.window.ask.words.text(), what="for the price")
        self.answer("")
        said = next(e.payload for e in self.window.model.trail if isinstance(e.payload, Quote))
        self.assertEqual((said.price, said.basis, said.rush), (wanted, "ceiling", True))

    def test_the_shops_own_unit_says_whether_another_hour_pays(self) -> None:
        self.show_money()
        self.window.commands.run("money.own")
        self.answer("140", "35", "0", "autumn lot")
        self.assertEqual([e.payload for e in self.window.model.trail if isinstance(e.payload, OwnUnit)],
                         [OwnUnit(Decimal(140), Decimal(35), Decimal(0), "autumn lot")])
        self.wait(lambda: "One more hour" in self.money.lines.text(), 30.0, "for the hour")

    def test_a_lot_of_units_and_what_to_pay_for_one(self) -> None:
        self.show_money()
        self.window.commands.run("money.lot")
        self.answer("autumn lot", "6", "150", "9,90", "a town")
        self.wait(lambda: [r.key for r in self.money.lots.rows_model.rows] == ["autumn lot"], 30.0, "for the lot")
        self.window.commands.run("money.unseen")
        self.answer("5", "no_charge", "140", "35", "0")
        self.wait(lambda: "Pay at most" in self.window.problem.text(), 60.0, "for what to pay")

    def test_currency_and_charges(self) -> None:
        self.window.commands.run("money.currency")
        self.answer("kr", "after the amount", "0", "1", "25", "with tax")
        self.assertEqual((currency(self.store).sign, currency(self.store).tax_percent), ("kr", Decimal(25)))
        self.window.commands.run("money.charges")
        self.answer("5", "10", "15", "20", "12", "25", "3")
        self.window.ask.field.setText("soon")
        self.key(Key.Key_Return)
        self.assertTrue(self.window.ask.trouble.text())
        self.answer("3")
        self.assertEqual((charges(self.store).risk, charges(self.store).delivery_days), (0.12, 3.0))

    def test_the_month_before_and_its_csv(self) -> None:
        self.show_money()
        self.window.commands.run("money.month")
        self.window.ask.field.setText("last")
        self.key(Key.Key_Return)
        self.assertIn("A month", self.window.ask.trouble.text())
        self.answer("2026-01")
        self.wait(lambda: "January 2026: no job" in self.money.month_words.text(), 20.0, "for the month")
        self.window.commands.run("money.csv")
        self.answer(str(self.folder / "month.csv"))
        self.assertTrue((self.folder / "month.csv").exists())

    def test_a_job_is_played_through_and_can_be_stopped(self) -> None:
        self.show_money()
        self.window.commands.run("money.refine")
        self.wait(lambda: self.window.long_work.busy, what="for the work to begin")
        self.window.long_work.leave()
        self.wait(lambda: not self.window.long_work.busy, 30.0, "for it to stop")


if __name__ == "__main__":
    unittest.main()
