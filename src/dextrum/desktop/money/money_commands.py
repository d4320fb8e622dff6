"""What the commands of money do."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from datetime import date
from decimal import Decimal
from pathlib import Path
from typing import TYPE_CHECKING, cast

from dextrum.core.entries.quote import BASES
from dextrum.core.ledger.units_bought import UnitsBought
from dextrum.core.money.amounts import NOTHING, Currency, parse_amount
from dextrum.core.money.quoting import Basis
from dextrum.core.trail import OwnUnit, Paid, Payload, QuoteAnswer
from dextrum.desktop.frame.ask_in_turn import Question, ask_in_turn, said
from dextrum.errors import DextrumError
from dextrum.store.files import safe_name, write_beside
from dextrum.store.ledger import add_lines
from dextrum.store.shop_settings import Charges, charges, currency, set_charges, set_currency
from dextrum.tongue import tr

if TYPE_CHECKING:
    from dextrum.app.money.job_prices import JobPrices
    from dextrum.desktop.frame.window import MainWindow
    from dextrum.desktop.money.view import MoneyView

FULL_PLAYS = 40
"""By the whole advice: half a minute, and the middle then moves by a tenth or so."""
MOST_UNITS = 10_000


class MoneyCommands:
    """Handlers by command id."""

    def __init__(self, window: MainWindow) -> None:
        self.window, self.model = window, window.model
        self.handlers: dict[str, Callable[[], None]] = {
            "money.quote": self.quote, "money.answer": self.answer, "money.sheet": self.sheet,
            "money.paid": self.paid, "money.own": self.own, "money.refine": self.refine, "money.lot": self.lot,
            "money.unseen": self.unseen, "money.month": self.month, "money.csv": self.write_csv,
            "money.charges": self.set_charges, "money.currency": self.set_currency}

    @property
    def view(self) -> MoneyView:
        return cast("MoneyView", self.window.views["money"])

    def _prices(self) -> JobPrices:
        prices = self.view.prices
        if prices is None or prices.serial != self.model.facts.serial:
            raise DextrumError(tr("The price is not worked out yet: open Money, and wait a moment."))
        return prices

    def _amount(self, found: dict[str, object], name: str) -> Callable[[str], str]:
        def take(text: str) -> str:
            try:
                found[name] = parse_amount(text) if text else NOTHING
            except ValueError as wrong:
                return said(wrong)
            return ""

        return take

    def _record(self, make: Callable[[], Payload]) -> str:
        try:
            payload = make()
        except ValueError as wrong:
            return said(wrong)
        return "" if self.model.record(payload) else tr("Not recorded.")

    def quote(self) -> None:
        """Fixed or a ceiling, rush or not, then the price: the one worked out, or another that was said."""
        self.window.show_view("money")
        prices = self._prices()
        if self.model.facts.outcome is not None:
            raise DextrumError(tr("This job is closed."))
        found: dict[str, object] = {"basis": "fixed", "rush": ""}

        def keep(name: str) -> Callable[[str], str]:
            def take(choice: str) -> str:
                found[name] = choice
                return ""

            return take

        def price(text: str) -> str:
            try:
                asked = parse_amount(text) if text else None
            except ValueError as wrong:
                return said(wrong)
            return self._record(lambda: prices.quote(*chosen(), asked))

        def chosen() -> tuple[Basis, bool]:
            return "fixed" if found["basis"] == "fixed" else "ceiling", found["rush"] == "rush"

        def words() -> str:
            basis, rush = chosen()
            worked_out = prices.money.shown(prices.quoting.priced[basis, rush].price)
            return (tr("Price; empty for {worked_out}, {bases}{rush}, at {risk:.0f} % risk of loss",
                       worked_out=worked_out, bases=BASES[basis], rush=tr(", rush") * rush,
                       risk=100 * prices.terms.risk))

        on_top = prices.money.shown(prices.money.said_for(prices.terms.rush))
        rushes = (("", tr("no rush")), ("rush", tr("rush, {on_top} on top", on_top=on_top)))
        ask_in_turn(self.window, (
            Question(tr("Quote"), keep("basis"), choices=tuple(BASES.items())),
            Question(tr("Rush"), keep("rush"), choices=rushes),
            Question(words, price)), lambda: "")

    def answer(self) -> None:
        if self.model.facts.quote is None:
            raise DextrumError(tr("No price was said for this unit yet."))

        def take(_text: str, choice: str) -> str:
            return self._record(lambda: QuoteAnswer(choice))  # type: ignore[arg-type]

        self.window.ask.choose(tr("The owner has"), take, (("accepted", tr("accepted the quote")),
                                                       ("declined", tr("declined it"))), self.window.focusWidget())

    def sheet(self) -> None:
        from dextrum.app.handover.shop_paper import shop_paper
        from dextrum.app.money.quote_sheet import quote_html, quote_sheet
        from dextrum.tongue import tongue

        session = self.window.session
        paper = shop_paper(session.store)
        spoken = tongue(paper.language)
        html = quote_html(quote_sheet(self.model.facts, paper, currency(session.store), session.who,
                                      session.clock(), spoken.say), paper.language)
        title = f"{self.model.facts.serial} {spoken.say('quote')}"

        def begin(path: Path, over: bool) -> str:
            def work(_told: Callable[[float], bool]) -> object:
                from dextrum.desktop.handover.pdf import write_pdf

                write_pdf(html, path, title, over, paper.paper, paper.language)
                return path.name

            return self.window.long_work.run(tr("Writing the quote"), work,
                                             lambda name: self.window.trail.say(tr("Written: {name}",
                                                                                   name=name)), False)

        self.window.commands.ask_file_for(tr("Write the quote to"), safe_name(title, ".pdf"), begin)

    def paid(self) -> None:
        quote = self.model.facts.quote
        found: dict[str, object] = {}

        def what(choice: str) -> str:
            return self._record(lambda: Paid(cast("Decimal", found["amount"]), choice))  # type: ignore[arg-type]

        own = self.model.facts.own_unit is not None
        kinds = (("job", tr("the owner paid for the job")), ("sold", tr("the unit was sold")))
        ask_in_turn(self.window, (
            Question(tr("How much came in"), self._amount(found, "amount"), str(quote.price) if quote else ""),
            Question(tr("For what"), what, choices=kinds[::-1] if own else kinds)), lambda: "")

    def own(self) -> None:
        facts, board = self.model.facts, self.model.board
        now = facts.own_unit
        repaired = now.repaired if now else Decimal(repr(board.unit_value)) if board else NOTHING
        donor = now.as_donor if now else Decimal(repr(board.donor_value)) if board else NOTHING
        found: dict[str, object] = {}

        def lot(text: str) -> str:
            return self._record(lambda: OwnUnit(
                cast("Decimal", found["repaired"]), cast("Decimal", found["as_donor"]), cast("Decimal", found["cost"]),
                " ".join(text.split())))

        ask_in_turn(self.window, (
            Question(tr("What one that works fetches, or saves"), self._amount(found, "repaired"), str(repaired)),
            Question(tr("What it is worth as a donor"), self._amount(found, "as_donor"), str(donor)),
            Question(tr("What this unit alone cost; 0 where it came in a lot"), self._amount(found, "cost"),
                     str(now.cost) if now else "0"),
            Question(tr("The lot of units it came in, if it did"), lot, now.lot if now else "")), lambda: "",
            "" if now else f"money.own.{self.model.job_id}")

    def refine(self) -> None:
        """The job played by the whole advice, beside the window; what is recorded meanwhile makes it old."""
        done, trail, session = self.model.assessment, self.model.trail, self.window.session
        pack_id, meter, library = self.model.facts.pack_id, session.meter, session.library
        if done is None or self.model.facts.outcome is not None:
            raise DextrumError(tr("This job is closed.") if self.model.facts.outcome else tr("Nothing is weighed yet."))
        self.window.show_view("money")
        view = self.view

        def work(told: Callable[[float], bool]) -> object:
            from dextrum.app.outlook.full_play import played_through

            return played_through(library.advice_model(pack_id, meter), trail, done, FULL_PLAYS, told)

        def take(rest: object) -> None:
            view.take_full(rest, len(trail))  # type: ignore[arg-type]

        wrong = self.window.long_work.run(tr("Playing the job through"), work, take, False)
        if wrong:
            self.window.say_problem(wrong)

    def lot(self) -> None:
        session = self.window.session
        found: dict[str, object] = {}

        def name(text: str) -> str:
            found["name"] = " ".join(text.split())
            return "" if found["name"] else tr("A name, by which its units' jobs name it.")

        def count(text: str) -> str:
            if not text.isascii() or not text.isdigit() or not 1 <= int(text) <= MOST_UNITS:
                return tr("A number of units, from 1 on.")
            found["count"] = int(text)
            return ""

        def source(text: str) -> str:
            try:
                line = UnitsBought(str(found["name"]), cast("int", found["count"]), cast("Decimal", found["price"]),
                                   cast("Decimal", found["freight"]), " ".join(text.split()),
                                   session.clock().astimezone().date().isoformat())
            except ValueError as wrong:
                return said(wrong)
            add_lines(session.store, (line,), session.who, session.clock())
            self.window.trail.say(tr("Recorded: {line}. Its units: Shop's own, with this lot.", line=line.words()))
            self.view.refresh()
            return ""

        ask_in_turn(self.window, (
            Question(tr("Name of the lot of units"), name), Question(tr("How many units"), count, "10"),
            Question(tr("What all of them cost"), self._amount(found, "price"), "0"),
            Question(tr("What it cost to get them here"), self._amount(found, "freight"), "0"),
            Question(tr("Who sold them"), source)), lambda: "", "money.lot")

    def unseen(self) -> None:
        """How many of the model in hand, with which complaint, and what one fetches: what to pay for them."""
        from dextrum.app.money.lots_unseen import Wanted, worth_unseen

        board, session = self.model.board, self.window.session
        if board is None:
            raise DextrumError(tr("This job has no board pack."))
        pack_id = self.model.facts.pack_id
        found: dict[str, object] = {}

        def count(text: str) -> str:
            if not text.isascii() or not text.isdigit() or not 1 <= int(text) <= MOST_UNITS:
                return tr("A number of units, from 1 on.")
            found["count"] = int(text)
            return ""

        def symptom(choice: str) -> str:
            found["symptom"] = choice
            return ""

        def freight(text: str) -> str:
            try:
                cost = parse_amount(text) if text else NOTHING
            except ValueError as wrong:
                return said(wrong)
            wanted = Wanted(cast("int", found["count"]), pack_id, str(found["symptom"]),
                            cast("Decimal", found["repaired"]), cast("Decimal", found["as_donor"]))

            def work(told: Callable[[float], bool]) -> object:
                worth, factor, jobs = worth_unseen(session.store, session.library, session.meter, [wanted], cost,
                                                   session.clock(), told)
                money = currency(session.store)
                low, middle, high = (money.about(v) for v in (worth.low, worth.middle, worth.high))
                shop = tr("as {jobs} closed jobs went here, {factor:.2f} times the forecast", jobs=jobs,
                          factor=factor) if jobs else \
                    tr("no closed job of this model yet")
                return (tr("Pay at most {about} for {count} units: then {risk:.0f} % risk of loss. They bring "
                           "{middle} ({low} to {high}), {good_units:.0f} of them repaired, in {hours:.0f} h of "
                           "hands; {shop}.", about=money.about(worth.price), count=wanted.count, risk=100 * worth.risk,
                           middle=middle, low=low, high=high, good_units=worth.good_units[1], hours=worth.hours[1],
                           shop=shop))

            return self.window.long_work.run(tr("Weighing the lot"), work,
                                             lambda words: self.window.say_problem(str(words)), False)

        symptoms = (*((s.id, s.words) for s in board.symptoms), ("", tr("nothing was said")))
        ask_in_turn(self.window, (
            Question(tr("How many {model}", model=board.model), count, "10"),
            Question(tr("With which complaint"), symptom, choices=symptoms),
            Question(tr("What one that works fetches"), self._amount(found, "repaired"), f"{board.unit_value:g}"),
            Question(tr("What one is worth as a donor"), self._amount(found, "as_donor"), f"{board.donor_value:g}"),
            Question(tr("What it costs to get them here"), freight, "0")), lambda: "", f"money.unseen.{pack_id}")

    def month(self) -> None:
        def take(text: str, _choice: str) -> str:
            year, minus, month = text.strip().partition("-")
            try:
                if not minus:
                    raise ValueError
                day = date(int(year), int(month), 1)
            except ValueError:
                return tr("A month, such as 2026-10.")
            self.window.show_view("money")
            self.view.show_days(day)
            return ""

        begin = self.view.days[0]
        before = date(begin.year - (begin.month == 1), (begin.month - 2) % 12 + 1, 1)
        self.window.ask.ask(tr("Which month"), take, f"{before:%Y-%m}", (), self.window.focusWidget())

    def write_csv(self) -> None:
        from dextrum.app.money.month import month_csv

        month = self.view.month
        if month is None:
            raise DextrumError(tr("The month is not read yet: open Money first."))

        def begin(path: Path, over: bool) -> str:
            write_beside(path, month_csv(month).encode("utf-8", "replace"), over)
            self.window.trail.say(tr("Written: {path}", path=path.name))
            return ""

        self.window.commands.ask_file_for(tr("Write the month to"), safe_name(f"{month.begin:%Y-%m}", ".csv"), begin)

    def set_charges(self) -> None:
        store = self.window.session.store
        now = charges(store)
        found: dict[str, object] = {}

        def share(name: str, what: str) -> Callable[[str], str]:
            def take(text: str) -> str:
                try:
                    found[name] = float(text.replace(",", ".").rstrip("% ")) / 100.0
                    replace(now, **{name: found[name]})  # type: ignore[arg-type]
                except ValueError:
                    return tr("{what} in percent, 1 to 90.", what=what)
                return ""

            return take

        def days(text: str) -> str:
            try:
                found["delivery_days"] = float(text.replace(",", "."))
                kept = Charges(**{**{name: getattr(now, name) for name in Charges.__dataclass_fields__}, **found})
            except ValueError as wrong:
                return said(wrong)
            set_charges(store, kept)
            self.model.changed.emit()
            self.window.trail.say(tr("Prices are worked out with this from now on."))
            return ""

        ask_in_turn(
            self.window,
            (
                Question(tr("Postage back"), self._amount(found, "postage"), str(now.postage)),
                Question(tr("Rush, on top"), self._amount(found, "rush"), str(now.rush)),
                Question(
                    tr("Charged when nothing can be repaired"),
                    self._amount(found, "not_repaired"),
                    str(now.not_repaired),
                ),
                Question(
                    tr("Margin on parts, in percent"),
                    self._amount(found, "parts_margin_percent"),
                    str(now.parts_margin_percent),
                ),
                Question(
                    tr("Risk of loss that a price may have, in percent"),
                    share("risk", tr("Risk")),
                    f"{100 * now.risk:g}",
                ),
                Question(
                    tr("Risk of loss of a lot bought unseen, in percent"),
                    share("lot_risk", tr("Risk")),
                    f"{100 * now.lot_risk:g}",
                ),
                Question(
                    tr("What a unit loses in a day that it waits for a part"),
                    self._amount(found, "waiting_day"),
                    str(now.waiting_day),
                ),
                Question(tr("Days until an order of parts is here"), days, f"{now.delivery_days:g}"),
            ),
            lambda: "",
        )

    def set_currency(self) -> None:
        store = self.window.session.store
        now = currency(store)
        found: dict[str, object] = {}

        def keep(name: str, make: Callable[[str], object]) -> Callable[[str], str]:
            def take(text: str) -> str:
                try:
                    found[name] = make(text)
                    replace(now, **{name: found[name]})  # type: ignore[arg-type]
                except ValueError as wrong:
                    return said(wrong)
                return ""

            return take

        def last(choice: str) -> str:
            found["included"] = choice == "yes"
            set_currency(store, Currency(**{**{n: getattr(now, n) for n in Currency.__dataclass_fields__},
                                            **found}))
            self.model.weigh_anew()  # the card and the suspects say amounts too
            self.window.trail.say(tr("Amounts are shown so from now on."))
            return ""

        sides = (("after", tr("after the amount")), ("before", tr("before the amount")))
        ask_in_turn(
            self.window,
            (
                Question(tr("Sign of the currency; empty for none"), keep("sign", str), now.sign),
                Question(
                    tr("It stands"),
                    keep("before", lambda choice: choice == "before"),
                    choices=sides[::-1] if now.before else sides,
                ),
                Question(tr("Decimals shown"), keep("decimals", int), str(now.decimals)),
                Question(tr("Prices are rounded up to"), keep("step", parse_amount), str(now.step)),
                Question(tr("Tax in percent; 0 for none"), keep("tax_percent", parse_amount), str(now.tax_percent)),
                Question(
                    tr("Prices are said"),
                    last,
                    choices=(("yes", tr("with tax")), ("no", tr("without tax")))
                    if now.included
                    else (("no", tr("without tax")), ("yes", tr("with tax"))),
                ),
            ),
            lambda: "",
        )
