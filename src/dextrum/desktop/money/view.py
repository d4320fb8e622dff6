"""Money: what the job in hand may cost and what to ask for it, the month, and lots of units."""

from __future__ import annotations

from datetime import date
from decimal import Decimal

import numpy as np
from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QHideEvent, QResizeEvent
from PySide6.QtWidgets import QGridLayout, QLabel

from dextrum.app.money.job_prices import JobPrices, hour_words, job_prices, parts_words, quality_words, spent_words
from dextrum.app.money.month import MonthBook, ShopMonth, month_of
from dextrum.app.money.quotes import outlook_sentence, price_words, said_words
from dextrum.app.outlook.full_play import played_through
from dextrum.app.stock.overview import donor_parts
from dextrum.core.money.amounts import Currency
from dextrum.core.money.quoting import costs_of
from dextrum.core.outlook.rest_of_job import RestOfJob
from dextrum.core.when import month_words
from dextrum.desktop.frame.background import Background
from dextrum.desktop.frame.job_model import JobModel
from dextrum.desktop.frame.plain_table import PlainTable, Row
from dextrum.desktop.frame.view import JobView, quiet_label
from dextrum.desktop.money.amount_bars import AmountBars, BarPair
from dextrum.desktop.money.cost_plot import CostPlot, Mark
from dextrum.desktop.theme import look
from dextrum.errors import DextrumError
from dextrum.store.jobs import JobRow
from dextrum.store.shop_settings import currency
from dextrum.tongue import tr

IDLE_AFTER_MILLISECONDS = 4_000
IDLE_PLAYS, LEAST_PLAYS = 30, 10
"""Plays by the whole advice while nothing is recorded, and the fewest that say more than the quick policy."""
FAULT_HEADS = (tr("kind of fault"), tr("jobs"), tr("hands"), tr("quoted"), tr("spent"), tr("brought"))
LOT_HEADS = (
    tr("lot"),
    tr("units"),
    tr("repaired"),
    tr("donors"),
    tr("open"),
    tr("cost"),
    tr("spent"),
    tr("earned"),
    tr("hold"),
    tr("bottom line"),
)


BESIDE_FROM = 680
"""Pixels of the view, from which the month's bars have room beside its table."""


class MoneyView(JobView):
    name = "money"
    shows_advice = True
    sentence_lines = 2
    commands = ("money.quote", "money.answer", "money.sheet", "money.paid", "money.own", "money.refine", "money.lot",
                "money.unseen", "money.month", "money.csv", "money.charges", "money.currency")

    def __init__(self, model: JobModel) -> None:
        super().__init__(model)
        session = model.session
        self.outlooks = model.outlooks
        self.prices: JobPrices | None = None
        self.book = MonthBook(session.store, session.library)
        self.month: ShopMonth | None = None
        self.days = month_of(session.clock().astimezone().date())
        self.full: tuple[str, int, RestOfJob] | None = None
        self._money = Currency()
        self.grid = QGridLayout()
        self.grid.setHorizontalSpacing(18)
        self.grid.setVerticalSpacing(4)
        self.prices_line = QLabel()
        self.prices_line.setObjectName("sentence")
        self.prices_line.setWordWrap(True)
        self.lines = QLabel()
        self.lines.setObjectName("expected")
        self.lines.setTextFormat(Qt.TextFormat.PlainText)
        self.lines.setWordWrap(True)
        self.lines.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.plot = CostPlot()
        self.plot_words = quiet_label(tr("What the job may cost, by how often it comes up; the dark part ends "
                                         "without a repair."))
        self.grid.addWidget(self.prices_line, 0, 0)
        self.grid.addWidget(self.lines, 1, 0, 2, 1)
        self.grid.addWidget(self.plot, 0, 1, 2, 1)
        self.grid.addWidget(self.plot_words, 2, 1)
        self.grid.setRowStretch(1, 1)
        self.grid.setColumnStretch(0, 1)
        self.grid.setColumnStretch(1, 1)
        self.body.addLayout(self.grid)
        self.month_words = QLabel()
        self.month_words.setObjectName("section")
        self.body.addWidget(self.month_words)
        self.month_grid = QGridLayout()
        self.month_grid.setHorizontalSpacing(18)
        self.faults = PlainTable(tr("The month by kind of fault"), FAULT_HEADS, (1, 2, 3, 4, 5), (84, 40, 54, 70, 74))
        self.month_plot = AmountBars(tr("Quoted and spent, by kind of fault"))
        self.month_grid.addWidget(self.faults, 0, 0)
        self.month_grid.addWidget(self.month_plot, 0, 1, Qt.AlignmentFlag.AlignTop)
        self.month_grid.setColumnStretch(0, 3)
        self.month_grid.setColumnStretch(1, 2)
        self.body.addLayout(self.month_grid)
        self.lots_words = QLabel(tr("Lots of units"))
        self.lots_words.setObjectName("section")
        self.body.addWidget(self.lots_words)
        self.lots = PlainTable(
            tr("Lots of units"), LOT_HEADS, tuple(range(1, 10)), (110, 48, 64, 58, 48, 70, 70, 70, 70)
        )
        self.lots_plot = AmountBars(tr("What came of each lot, and what it took"))
        self.body.addWidget(self.lots)
        self.body.addWidget(self.lots_plot)
        self.body.addStretch(1)
        self.job_work, self.month_work, self.idle_work = Background(self), Background(self), Background(self)
        self.job_work.finished.connect(self._take_job)
        self.month_work.finished.connect(self._take_month)
        self.idle_work.finished.connect(self._take_idle)
        self._idle = QTimer(self)
        self._idle.setSingleShot(True)
        self._idle.setInterval(IDLE_AFTER_MILLISECONDS)
        self._idle.timeout.connect(self._play_while_idle)
        for work in (self.job_work, self.month_work, self.idle_work):
            work.failed.connect(self.say_trouble)
            self.destroyed.connect(work.close)

    def refresh(self) -> None:
        self._leave_idle()
        self._price_job()
        self._read_month()

    def _price_job(self) -> None:
        done, model = self.model.assessment, self.model
        if not model.job_id or model.board is None or done is None or not model.fresh:
            self.prices = None
            self.show_job()
            return
        session, trail = model.session, model.trail
        full = self.full[2] if self.full is not None and self.full[:2] == (model.job_id, len(trail)) else None
        self.job_work.cancel()
        self.job_work.start(lambda _told: (len(trail), job_prices(
            session.store, session.library, done, trail, session.meter, full)), keys_first=True)

    def _read_month(self) -> None:
        session, outlooks, (begin, end) = self.model.session, self.outlooks, self.days

        def hold_of(row: JobRow) -> Decimal:
            parts, _ = donor_parts(outlooks, (row,), session.clock())
            board = session.library.board(row.pack_id)
            held = sum(p.good * board.component_by_designator[p.part].price for p in parts)
            return Decimal(repr(round(float(held), 2)))

        self.month_work.cancel()
        self.month_work.start(lambda told: self.book.month(begin, end, hold_of, told), keys_first=True)

    def _take_job(self, result: object) -> None:
        assert isinstance(result, tuple)
        entries, prices = result
        assert isinstance(prices, JobPrices)
        if entries != len(self.model.trail) or prices.serial != self.model.facts.serial:
            return
        self.prices = prices
        self.show_job()

    def _take_month(self, month: object) -> None:
        assert isinstance(month, ShopMonth)
        self.month = month
        self.show_month()

    def show_job(self) -> None:
        """The job in hand: what is left, prices, what was said, what another hour is worth."""
        prices, facts = self.prices, self.model.facts
        some = prices is not None and facts.outcome is None
        self.prices_line.setVisible(some)
        self.plot.setVisible(some)
        self.plot_words.setVisible(some)
        if prices is None:
            self.sentence.setText(self._no_forecast())
            self.detail.setText("")
            self.lines.setText("")
            return
        self._money = prices.money
        if facts.outcome is not None:
            self.sentence.setText(tr("{serial} is closed. {spent_words}", serial=facts.serial,
                                     spent_words=spent_words(prices)))
            self.detail.setText("")
            self.lines.setText(said_words(prices.quoting, prices.money))
            return
        self.sentence.setText(outlook_sentence(prices.rest))
        self.detail.setText(quality_words(prices))
        fixed, ceiling = (price_words(p, prices.money) for p in (prices.quoting.fixed, prices.quoting.ceiling))
        self.prices_line.setText(fixed[0])
        lines = [f"{fixed[1]}.", f"{ceiling[0]}; {ceiling[1]}.", said_words(prices.quoting, prices.money),
                 spent_words(prices), parts_words(prices.rest)]
        if prices.hour is not None:
            lines.insert(0, hour_words(prices.hour, prices.money))
        self.lines.setText("\n".join(line for line in lines if line))
        self._show_plot(prices)
        if not prices.rest.full and self.isVisible():
            self._idle.start()

    def _leave_idle(self) -> None:
        self._idle.stop()
        self.idle_work.cancel()

    def hideEvent(self, event: QHideEvent) -> None:
        self._leave_idle()
        super().hideEvent(event)

    def _play_while_idle(self) -> None:
        """Nothing was recorded for a while: the job is played by the whole advice, and the forecast is of that."""
        done, trail, session = self.model.assessment, self.model.trail, self.model.session
        if done is None or not self.model.fresh or self.model.facts.outcome is not None:
            return
        pack_id, meter, library = self.model.facts.pack_id, session.meter, session.library
        self.idle_work.start(lambda told: (len(trail), self.model.job_id, played_through(
            library.advice_model(pack_id, meter), trail, done, IDLE_PLAYS, told)), keys_first=True)

    def _take_idle(self, result: object) -> None:
        assert isinstance(result, tuple)
        entries, job_id, rest = result
        if job_id == self.model.job_id and entries == len(self.model.trail) and rest.plays >= LEAST_PLAYS:
            self.take_full(rest, entries)

    def _no_forecast(self) -> str:
        if not self.model.job_id:
            return tr("No job is open. The month and the lots of units stand below.")
        if self.model.board is None:
            return tr("This job has no board pack, so nothing can be forecast.")
        return tr("Weighing the job…")

    def _show_plot(self, prices: JobPrices) -> None:
        costs = costs_of(prices.rest, prices.terms, prices.spent.minutes, float(prices.spent.parts))
        money, fixed, quote = prices.money, prices.quoting.fixed.price, prices.quoting.said
        taxed = tr(", less tax") if money.included and money.tax_percent else ""
        marks = [Mark(float(money.kept_of(fixed)), tr("fixed {money}{taxed}", money=money.shown(fixed), taxed=taxed))]
        if quote is not None:
            marks.append(Mark(float(money.kept_of(quote.price)), tr("said {money}{taxed}",
                                                                    money=money.shown(quote.price), taxed=taxed), True))
        self.plot.show_costs(costs, np.asarray(prices.rest.good), tuple(marks), prices.money)

    def show_month(self) -> None:
        """The month by kind of fault, and lots of units."""
        month = self.month
        if month is None:
            return
        money = self._shown_currency()
        skipped = tr(", {skipped} could not be read", skipped=month.skipped) if month.skipped else ""
        self.month_words.setText(
            tr(
                "{month}: {count} closed{skipped}, brought {money}",
                month=month_words(month.begin),
                count=len(month.jobs),
                skipped=skipped,
                money=money.shown(month.brought),
            )
            if month.jobs
            else tr("{month}: no job was closed{skipped}", month=month_words(month.begin), skipped=skipped)
        )
        self.faults.show_rows([Row(f.fault, (f.fault, str(f.jobs), f"{f.minutes / 60.0:.1f} h",
                                             money.shown(f.quoted) if f.quoted else "", money.shown(f.cost),
                                             money.shown(f.brought)), f.brought < 0) for f in month.by_fault])
        self.faults.fit_height(7)
        self.month_plot.show_pairs([BarPair(f.fault, (f.quoted, tr("quoted")), (f.cost, tr("spent")))
                                    for f in month.by_fault], money)
        for part in (self.faults, self.month_plot):
            part.setVisible(bool(month.jobs))
        self.lots.show_rows([Row(lot.name, (
            lot.name, tr("{known} of {count}", known=lot.known,
                         count=lot.count), str(lot.repaired), str(lot.donors), str(lot.open),
            money.about(lot.cost), money.about(lot.spent), money.about(lot.earned), money.about(lot.hold),
            money.about(lot.bottom)), lot.bottom < 0) for lot in month.lots])
        self.lots.fit_height(5)
        self.lots_plot.show_pairs([BarPair(lot.name, (lot.earned + lot.hold, tr("earned and held")),
                                           (lot.cost + lot.spent, tr("cost and spent"))) for lot in month.lots], money)
        for shown in (self.lots, self.lots_words, self.lots_plot):
            shown.setVisible(bool(month.lots))

    def _shown_currency(self) -> Currency:
        try:
            self._money = currency(self.model.session.store)
        except DextrumError as problem:
            self.say_trouble(str(problem))
        return self._money

    def show_days(self, day: date) -> None:
        """The month that holds a day."""
        self.days = month_of(day)
        self._read_month()

    def take_full(self, rest: RestOfJob, entries: int) -> None:
        """The job was played by the whole advice."""
        self.full = self.model.job_id, entries, rest
        self._price_job()

    def focus_entry(self) -> None:
        self.faults.setFocus()

    def resizeEvent(self, event: QResizeEvent) -> None:
        """The bars stand beside the month's table, or under it where its heads would be cut."""
        super().resizeEvent(event)
        beside = self.width() >= look.px(BESIDE_FROM)
        self.month_grid.addWidget(self.month_plot, 0 if beside else 1, 1 if beside else 0, Qt.AlignmentFlag.AlignTop)
        self.month_grid.setColumnStretch(1, 2 if beside else 0)

    def close_work(self) -> None:
        self._leave_idle()
        for work in (self.job_work, self.month_work, self.idle_work):
            work.close()

    def as_text(self) -> str:
        tables = (self.faults, self.lots)
        return "\n".join([self.sentence.text(), self.lines.text(), self.month_words.text(),
                          *("\t".join(row.cells) for table in tables for row in table.rows_model.rows)])

