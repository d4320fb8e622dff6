"""Stock: lots and where they lie, what fails, what donors hold, what to order."""

from __future__ import annotations

from datetime import date

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QLabel, QLineEdit

from dextrum.app.money.quotes import percent
from dextrum.app.stock.overview import StockNow, find_donors, lot_words, measure_first, stock_now, stock_sentence
from dextrum.core.stock.donors import DonorPart
from dextrum.core.stock.lots import Lot, left_words
from dextrum.core.when import short_day_words
from dextrum.desktop.frame.background import Background
from dextrum.desktop.frame.job_model import JobModel
from dextrum.desktop.frame.plain_table import PlainTable, Row
from dextrum.desktop.frame.view import JobView, quiet_label
from dextrum.desktop.theme import look
from dextrum.errors import DextrumError
from dextrum.store.shop_settings import currency
from dextrum.tongue import in_a_row, tr

LOT_HEADS = (tr("lot"), tr("part"), tr("left"), tr("each"), tr("place"), tr("used"), tr("note"))
ORDER_HEADS = (tr("order"), tr("of"), tr("left"), tr("coming"), tr("runs out"), tr("expected"))
DONOR_HEADS = (tr("donor"), tr("part"), tr("good"), tr("to remove"), tr("what"), tr("note"))
MOST_DONORS_SHOWN = 200


class StockView(JobView):
    name = "stock"
    sentence_lines = 1
    commands = ("stock.in", "stock.count", "stock.move", "stock.aside", "stock.donor", "stock.promise", "stock.take",
                "stock.ordered", "stock.undo", "stock.label", "stock.orders", "stock.csv")

    def __init__(self, model: JobModel) -> None:
        super().__init__(model)
        self.outlooks = model.outlooks
        self.stock: StockNow | None = None
        self.wanted_part = ""
        self.finder = QLineEdit()
        self.finder.setPlaceholderText(tr("Find lots, parts, places and donors"))
        self.finder.setAccessibleName(tr("Find in the stock"))
        self.finder.textChanged.connect(lambda _text: self.show_stock())
        self.body.addWidget(self.finder)
        self.lots = PlainTable(tr("Lots"), LOT_HEADS, (2, 3, 5), (104, 150, 62, 70, 126, 48))
        self.body.addWidget(self.lots)
        self.order_words = self._section(tr("To order"))
        self.orders = PlainTable(tr("What to order"), ORDER_HEADS, (0, 2, 3, 4, 5), (60, 220, 56, 70, 84))
        self.body.addWidget(self.orders)
        self.donor_words = self._section(tr("On donors"))
        self.donors = PlainTable(tr("Parts on donors"), DONOR_HEADS, (2, 3), (92, 60, 70, 90, 190))
        self.donors.selectionModel().currentRowChanged.connect(lambda _now, _before: self._say_first())
        self.body.addWidget(self.donors, 1)
        self.note = quiet_label()
        self.note.setTextFormat(Qt.TextFormat.PlainText)
        self.note.setMinimumHeight(look.px(36))
        self.body.addWidget(self.note)
        self.body.addStretch(0)
        self.background, self.first = Background(self), Background(self)
        self.background.finished.connect(self._take)
        self.first.finished.connect(self._take_first)
        for work in (self.background, self.first):
            work.failed.connect(self.say_trouble)
            self.destroyed.connect(work.close)

    def _section(self, words: str) -> QLabel:
        label = QLabel(words)
        label.setObjectName("section")
        self.body.addWidget(label)
        return label

    def refresh(self) -> None:
        if self.stock is None:
            self.sentence.setText(tr("Looking through the stock…"))
            self.detail.setText("")
        session, outlooks, now = self.model.session, self.outlooks, self.model.session.clock()
        self.background.cancel()
        self.background.start(lambda told: stock_now(session.store, session.library, outlooks, now, told),
                              keys_first=True)

    def _take(self, stock: object) -> None:
        assert isinstance(stock, StockNow)
        self.stock = stock
        self.show_stock()

    def _fits(self, *texts: str) -> bool:
        """Whether what is looked for stands in any of these."""
        wanted = self.finder.text().strip().casefold()
        return not wanted or any(wanted in text.casefold() for text in texts)

    def show_stock(self) -> None:
        """What is known, as far as it is looked for."""
        stock = self.stock
        if stock is None:
            return
        try:
            money = currency(self.model.session.store)
        except DextrumError as problem:
            self.say_trouble(str(problem))
            return
        self.sentence.setText(stock_sentence(stock, money))
        self.detail.setText(self._detail(stock))
        rows = [Row(lot.name, (lot.name, lot.part, left_words(lot), money.shown(lot.price), lot.place,
                               str(lot.used), lot_words(lot, stock.told.get(lot.name, ""))),
                    lot.aside or bool(lot.short) or lot.name in stock.told)
                for lot in stock.lots if self._fits(lot.name, lot.part, lot.place, lot.source, " ".join(lot.fits))]
        self.lots.show_rows(rows)
        self.lots.fit_height(9)
        self.orders.show_rows([Row(line.part, (
            str(line.count), line.part, str(line.left), str(line.on_order) if line.on_order else "",
            f"{100 * line.short_chance:.0f} %", f"{line.expected:.1f}"), line.short_chance >= 0.5)
            for line in stock.orders if self._fits(line.part)])
        self.orders.fit_height(4)
        donors = self.shown_donors()
        self.donors.show_rows([_donor_row(part) for part in donors[:MOST_DONORS_SHOWN]])
        self.donor_words.setText(tr("On donors, for {wanted_part} of {serial}", wanted_part=self.wanted_part,
                                    serial=self.model.facts.serial) if self.wanted_part
                                 else tr("On donors"))
        for words, table, some in ((self.order_words, self.orders, bool(stock.orders)),
                                   (self.donor_words, self.donors, bool(stock.donors))):
            words.setVisible(some)
            table.setVisible(some)
        self._say_first()

    def _say_first(self) -> None:
        """What to read of the chosen donor's part before it goes on; worked out beside the window."""
        part, session = self.chosen_donor, self.model.session
        if part is None or (part.kept and part.measured != "unmeasured"):
            self.note.setText("")
            return
        self.note.setText(tr("A donor's part is measured by itself before it goes on."))
        self.first.cancel()
        self.first.start(lambda _told: (part, measure_first(session.library, part, session.meter)))

    def _take_first(self, result: object) -> None:
        assert isinstance(result, tuple)
        part, words = result
        if words and part == self.chosen_donor:
            self.note.setText(words)

    def shown_donors(self) -> tuple[DonorPart, ...]:
        """Donors' parts: those that fit the place that is asked for, best first, or all that are looked for."""
        if self.stock is None:
            return ()
        if self.wanted_part:
            try:
                return find_donors(self.stock, self.model.session.library, self.model.facts.pack_id, self.wanted_part,
                                   self.model.facts.serial)
            except DextrumError as problem:
                self.say_trouble(str(problem))
        return tuple(p for p in self.stock.donors if self._fits(p.serial, p.part, p.purpose))

    @staticmethod
    def _detail(stock: StockNow) -> str:
        today = date.today()
        waiting = [tr("{count} × {part} by {short_day_words}", count=sum((count for count, _ in orders)), part=part,
                      short_day_words=short_day_words(date.fromisoformat(orders[0][1][:10]), today))
                   for part, orders in stock.on_order.items()]
        aside = [f"{lot.name}: {lot.why_aside}" for lot in stock.lots if lot.aside]
        unread = tr("{unread} donors could not be read", unread=stock.unread) if stock.unread else ""
        ordered = tr("ordered: ") + ", ".join(waiting) if waiting else ""
        return in_a_row((*aside, ordered, unread))

    @property
    def chosen_lot(self) -> Lot | None:
        """The lot whose row is chosen."""
        return next((lot for lot in self.stock.lots if lot.name == self.lots.chosen), None) if self.stock else None

    @property
    def chosen_donor(self) -> DonorPart | None:
        """The donor's part whose row is chosen."""
        return next((p for p in self.shown_donors() if f"{p.job_id} {p.part}" == self.donors.chosen), None)

    def look_for(self, text: str) -> None:
        """Show what is called so, as after scanning its label."""
        self.wanted_part = ""
        self.finder.setText(text)
        self.lots.setFocus()

    def leave_job(self) -> None:
        super().leave_job()
        self.wanted_part = ""

    def focus_entry(self) -> None:
        self.finder.setFocus()

    def close_work(self) -> None:
        self.background.close()
        self.first.close()

    def as_text(self) -> str:
        tables = (self.lots, self.orders, self.donors)
        return "\n".join([self.sentence.text(), *("\t".join(row.cells) for table in tables
                                                  for row in table.rows_model.rows)])


def _donor_row(part: DonorPart) -> Row:
    measured = {"good": tr("measured: good"), "bad": tr("measured: bad")}.get(part.measured, "")
    promised = tr("promised to {promised}", promised=part.promised) if part.promised else ""
    return Row(f"{part.job_id} {part.part}", (
        part.serial, part.part, percent(part.good), tr("in the drawer") if part.kept else tr("{minutes:.0f} min",
                                                                                             minutes=part.minutes),
        part.purpose, "; ".join(words for words in (part.words, promised, measured) if words)))
