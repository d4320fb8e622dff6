"""What the commands of the stock do: each is a line of the ledger, or an entry of a job."""

from __future__ import annotations

from collections.abc import Callable
from datetime import timedelta
from pathlib import Path
from typing import TYPE_CHECKING, cast

from dextrum.app.job.when_typed import parse_when
from dextrum.app.stock.overview import lots_csv, order_csv, sisters_of
from dextrum.core.ledger.line_struck import LineStruck
from dextrum.core.ledger.lines import LinePayload, shop_of, standing_lines
from dextrum.core.ledger.lot_in import LOT_KIND_WORDS, LotIn
from dextrum.core.ledger.lot_moved import LotMoved
from dextrum.core.ledger.ordered import Ordered
from dextrum.core.ledger.recount import Recount
from dextrum.core.ledger.set_aside import SetAside
from dextrum.core.money.amounts import parse_amount
from dextrum.core.stock.fits import fits_of
from dextrum.core.stock.lots import CELL
from dextrum.core.trail import PartPromised, PartTaken
from dextrum.desktop.frame.ask_in_turn import Question, ask_in_turn, said
from dextrum.errors import DextrumError, EntryRefusedError
from dextrum.store.entries import new_entry
from dextrum.store.files import safe_name, write_beside
from dextrum.store.ledger import add_lines, lines
from dextrum.store.shop_settings import charges
from dextrum.tongue import tr

if TYPE_CHECKING:
    from dextrum.core.stock.lots import Lot
    from dextrum.desktop.frame.window import MainWindow
    from dextrum.desktop.stock.view import StockView

MOST_COUNT = 100_000


def count_typed(text: str, least: int = 0) -> int:
    """Raises EntryRefusedError."""
    if not text.isascii() or not text.isdigit() or not least <= int(text) <= MOST_COUNT:
        raise EntryRefusedError(tr("{text!r} is no count.",
                                   text=text[:20]), tr("Nothing was recorded."), tr("A number from {least} on.",
                                                                                    least=least))
    return int(text)


class StockCommands:
    """Handlers by command id."""

    def __init__(self, window: MainWindow) -> None:
        self.window, self.model = window, window.model
        self.handlers: dict[str, Callable[[], None]] = {
            "stock.in": self.lot_in, "stock.count": self.count, "stock.move": self.move, "stock.aside": self.aside,
            "stock.undo": self.undo, "stock.donor": self.donor, "stock.promise": self.promise,
            "stock.take": self.take, "stock.ordered": self.ordered, "stock.orders": self.write_orders,
            "stock.csv": self.write_lots, "stock.label": self.label}

    @property
    def view(self) -> StockView:
        return cast("StockView", self.window.views["stock"])

    def add(self, payload: LinePayload) -> str:
        """Commit a line and show it; says what is wrong."""
        session = self.window.session
        add_lines(session.store, (payload,), session.who, session.clock())
        self.window.trail.say(tr("Recorded: {payload}.", payload=payload.words()))
        self._again()
        return ""

    def _again(self) -> None:
        if self.window.current_view() is self.view:
            self.view.refresh()
            self.window.views["stock"].setFocus()

    def _lot(self) -> Lot:
        lot = self.view.chosen_lot
        if lot is None:
            raise DextrumError(tr("No lot is chosen: Stock lists them, arrow keys choose."))
        return lot

    def lot_in(self) -> None:
        """What came in, question by question; it fits the places of the board in hand that take the same part."""
        board, library, session = self.model.board, self.window.session.library, self.window.session
        found: dict[str, object] = {"day": session.clock().astimezone().date().isoformat()}

        def keep(name: str, check: Callable[[str], object]) -> Callable[[str], str]:
            def take(text: str) -> str:
                try:
                    found[name] = check(text)
                except (ValueError, EntryRefusedError) as wrong:
                    return said(wrong) if isinstance(wrong, ValueError) else f"{wrong.happened} {wrong.next_step}"
                return ""

            return take

        lots = shop_of(lines(session.store)).lots

        def name_of(text: str) -> str:
            if not text:
                raise ValueError(tr("the bag needs a name; expected one such as L12"))
            plain = " ".join(text.split())
            return next((name for name in lots if name.casefold() == plain.casefold()), plain)

        def part_before() -> str:
            before = lots.get(str(found["lot"]))
            return before.about.part if before is not None else ""

        def part_of(text: str) -> str:
            before, plain = part_before(), " ".join(text.split())
            if not plain:
                raise ValueError(tr("the part needs a name; expected one such as USB-C port"))
            if before and before.casefold() != plain.casefold():
                raise ValueError(tr("lot {found} is of {before}; expected another name for this bag",
                                    found=found["lot"], before=before))
            return before or plain

        def places(text: str) -> tuple[str, ...]:
            names = text.replace(",", " ").split()
            if not names:
                return ()
            if board is None:
                raise ValueError(tr("no board is in hand; open a job of that model first, or leave it empty"))
            known = {c.designator.casefold(): c.designator for c in board.components} | {CELL: CELL}
            wrong = [name for name in names if name.casefold() not in known]
            if wrong:
                raise ValueError(tr("{wrong!r} is no part of {board}; expected such as J1 or FL1", wrong=wrong[0][:20],
                                    board=board.name))
            every = [place for name in names
                     for place in fits_of(board, known[name.casefold()], sisters_of(library, board))]
            return tuple(dict.fromkeys(every))

        def done() -> str:
            try:
                lot = LotIn(**found)  # type: ignore[arg-type]
            except ValueError as wrong:
                return said(wrong)
            return self.add(lot)

        what = tr(" on {board}", board=board.name) if board is not None else ""
        ask_in_turn(self.window, (
            Question(tr("Name of the lot, as on its bag"), keep("lot", name_of)),
            Question(tr("What it is, such as USB-C port"), keep("part", part_of), part_before),
            Question(tr("Kind"), keep("of", str), choices=tuple(LOT_KIND_WORDS.items())),
            Question(tr("How many"), keep("count", lambda text: count_typed(text, 1)), "10"),
            Question(tr("Price of one"), keep("price", parse_amount), "0"),
            Question(tr("Which places{what} it fits, such as J1, FL1 or cell; those that take the same part come "
                        "along", what=what),
                     keep("fits", places)),
            Question(tr("Where from"), keep("source", lambda text: " ".join(text.split()))),
            Question(tr("Where it lies, such as drawer 3, bag C"), keep("place", lambda text: " ".join(text.split()))),
        ), done, "stock.in")

    def count(self) -> None:
        lot = self._lot()
        found = {"count": lot.left}

        def counted(text: str) -> str:
            try:
                found["count"] = count_typed(text)
            except EntryRefusedError as wrong:
                return f"{wrong.happened} {wrong.next_step}"
            return ""

        def why(text: str) -> str:
            try:
                return self.add(Recount(lot.name, found["count"], text or "counted"))
            except ValueError as wrong:
                return said(wrong)

        ask_in_turn(self.window, (Question(tr("How many of {lot} are there", lot=lot.name), counted, str(lot.left)),
                                  Question(tr("Why it differs, if it does"), why, "counted")), lambda: "")

    def _one(self, words: str, make: Callable[[str], LinePayload], usual: str = "") -> None:
        def answer(text: str, _choice: str) -> str:
            try:
                return self.add(make(" ".join(text.split())))
            except ValueError as wrong:
                return said(wrong)

        self.window.ask.ask(words, answer, usual, (), self.window.focusWidget())

    def move(self) -> None:
        lot = self._lot()
        self._one(tr("Where {lot} lies now", lot=lot.name), lambda text: LotMoved(lot.name, text), lot.place)

    def aside(self) -> None:
        lot = self._lot()
        words = tr("Why {lot} is back in use",
                   lot=lot.name) if lot.aside else tr("Why {lot} is set aside", lot=lot.name)
        self._one(words, lambda text: SetAside(lot.name, not lot.aside, text))

    def undo(self) -> None:
        """The last line that stands no longer counts."""
        stands = standing_lines(lines(self.window.session.store))
        if not stands:
            raise DextrumError(tr("The ledger is empty."))
        session = self.window.session
        add_lines(session.store, (LineStruck(stands[-1].id),), session.who, session.clock())
        self.window.trail.say(tr("Undone: {payload}.", payload=stands[-1].payload.words()))
        self._again()

    def donor(self) -> None:
        board = self.model.board
        if board is None:
            raise DextrumError(tr("This job has no board pack."))
        likely = self.model.assessment.suspects[0].fault.part if self.model.assessment is not None and \
            self.model.assessment.suspects else ""

        def answer(text: str, _choice: str) -> str:
            name = next((c.designator for c in board.components if c.designator.casefold() == text.strip().casefold()),
                        "")
            if not name:
                return tr("{text!r} is no part of {board}.", text=text.strip()[:20], board=board.name)
            self.window.show_view("stock")
            self.view.wanted_part = name
            self.view.show_stock()
            if not self.view.shown_donors():
                self.window.trail.say(tr("No donor holds a part for {name}.", name=name))
            return ""

        self.window.ask.ask(tr("A good part for {serial}: which", serial=self.model.facts.serial), answer, likely, (),
                            self.window.focusWidget())

    def promise(self) -> None:
        """The chosen part to the job in hand; one that is promised to it already is free again."""
        part, facts, session = self.view.chosen_donor, self.model.facts, self.window.session
        if part is None:
            raise DextrumError(tr("No donor's part is chosen: Stock lists them."))
        mine = part.promised == facts.serial
        if part.promised and not mine:
            raise DextrumError(tr("{part} of {serial} is promised to {promised} already.", part=part.part,
                                  serial=part.serial, promised=part.promised))
        entry = PartPromised(part.part) if mine else PartPromised(part.part, facts.serial, self.model.job_id)
        session.store.append(part.job_id, new_entry(entry, session.who, session.clock()))
        self.window.trail.say(tr("{part} of {serial} is free again.", part=part.part, serial=part.serial) if mine else
                              tr("{part} of {serial} is promised to {serial2}.", part=part.part, serial=part.serial,
                                 serial2=facts.serial))
        self._again()

    def take(self) -> None:
        part, session = self.view.chosen_donor, self.window.session
        if part is None:
            raise DextrumError(tr("No donor's part is chosen: Stock lists them."))
        facts = self.model.facts
        to = ((self.model.job_id, tr("for {serial}",
                                     serial=facts.serial)),) if self.model.job_id and self.model.job_id != part.job_id \
            and not facts.outcome else ()
        states = (("unmeasured", tr("not measured by itself yet")), ("good", tr("measured by itself: good")),
                  ("bad", tr("measured by itself: bad")))
        found = {"to": ""}

        def where(choice: str) -> str:
            found["to"] = choice
            return ""

        def state(choice: str) -> str:
            job = found["to"]
            session.store.append(part.job_id, new_entry(
                PartTaken(part.part, facts.serial if job else "", job, choice),  # type: ignore[arg-type]
                session.who, session.clock()))
            self.window.trail.say(tr("{part} removed from {serial}. Note 'donor {serial}' as its source.",
                                     part=part.part, serial=part.serial))
            self._again()
            return ""

        ask_in_turn(self.window, (
            Question(tr("{part} of {serial} goes", part=part.part,
                        serial=part.serial), where, choices=(*to, ("", tr("into the drawer")))),
            Question(tr("As it was measured"), state, choices=states)), lambda: "")

    def ordered(self) -> None:
        chosen = next((line for line in (self.view.stock.orders if self.view.stock else ())
                       if line.part == self.view.orders.chosen), None)
        store, clock = self.window.session.store, self.window.session.clock
        due = clock().astimezone().date() + timedelta(days=round(charges(store).delivery_days))
        found: dict[str, object] = {}

        def part(text: str) -> str:
            found["part"] = " ".join(text.split())
            return "" if found["part"] else tr("Which part, as its lots are called.")

        def count(text: str) -> str:
            try:
                found["count"] = count_typed(text, 1)
            except EntryRefusedError as wrong:
                return f"{wrong.happened} {wrong.next_step}"
            return ""

        def when(text: str) -> str:
            try:
                day = parse_when(text, clock().astimezone()).as_written()[:10]
                return self.add(Ordered(str(found["part"]), int(str(found["count"])), day))
            except EntryRefusedError as wrong:
                return f"{wrong.happened} {wrong.next_step}"
            except ValueError as wrong:
                return said(wrong)

        ask_in_turn(self.window, (
            Question(tr("Which part was ordered"), part, chosen.part if chosen else ""),
            Question(tr("How many"), count, str(chosen.count) if chosen else "1"),
            Question(tr("When it should be here"), when, due.isoformat())), lambda: "")

    def _file(self, words: str, name: str, text: Callable[[], str]) -> None:
        if self.view.stock is None:
            raise DextrumError(tr("The stock is not looked through yet: open Stock first."))

        def begin(path: Path, over: bool) -> str:
            write_beside(path, text().encode("utf-8", "replace"), over)
            self.window.trail.say(tr("Written: {path}", path=path.name))
            return ""

        self.window.commands.ask_file_for(words, name, begin)

    def write_orders(self) -> None:
        stock, day = self.view.stock, self.window.session.clock().astimezone().date()
        self._file(tr("Write what to order to"), safe_name(f"order-{day.isoformat()}", ".csv"),
                   lambda: order_csv(stock.orders if stock else (), day))

    def write_lots(self) -> None:
        stock, day = self.view.stock, self.window.session.clock().astimezone().date()
        self._file(tr("Write all lots to"), safe_name(f"stock-{day.isoformat()}", ".csv"),
                   lambda: lots_csv(stock.lots if stock else ()))

    def label(self) -> None:
        """A label for the bag: scanning it finds the lot."""
        from dextrum.app.handover.label import Label, code_of
        from dextrum.app.handover.shop_paper import shop_paper

        lot, store = self._lot(), self.window.session.store
        line_id = shop_of(lines(store)).lots[lot.name].line_id
        label = Label(code_of(line_id), lot.name, tuple(w for w in (lot.part, lot.place, lot.source, lot.day) if w))

        def begin(path: Path, over: bool) -> str:
            from dextrum.desktop.handover.pdf import ROLLS_MM, write_label

            paper = shop_paper(store).paper
            write_label(label, path, over, paper if paper in ROLLS_MM else "roll62")
            self.window.trail.say(tr("Written: {path}", path=path.name))
            return ""

        self.window.commands.ask_file_for(tr("Write the label to"),
                                          safe_name(tr("{name} label", name=lot.name), ".pdf"), begin)

