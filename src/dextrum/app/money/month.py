"""A month of the shop: what closed jobs were quoted, took and brought, by kind of fault; lots of units; all as CSV."""

from __future__ import annotations

import csv
import io
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal

from dextrum.app.handover.results import RESULTS
from dextrum.app.library.library import PackLibrary
from dextrum.app.money.spent import Spent, brought, paid_for, prices_of, spent_on, terms_of
from dextrum.app.stock.taking import lots_of
from dextrum.core.board import Board, ComponentKind
from dextrum.core.job import JobFacts, job_facts
from dextrum.core.ledger.lines import shop_of
from dextrum.core.ledger.units_bought import UnitsBought
from dextrum.core.money.amounts import NOTHING
from dextrum.core.money.quoting import Terms
from dextrum.errors import DextrumError
from dextrum.progress import Told, go_on, unheard
from dextrum.store.files import plain_cell
from dextrum.store.jobs import JobRow, JobStore
from dextrum.store.ledger import lines
from dextrum.store.shop_settings import currency
from dextrum.tongue import tr

KIND_WORDS = {ComponentKind.RECEPTACLE: tr("port"), ComponentKind.IC: tr("chip"), ComponentKind.FILTER: tr("filter"),
              ComponentKind.FUSE: tr("fuse"), ComponentKind.CAPACITOR: tr("capacitor")}
MOST_JOBS = 5_000


@dataclass(frozen=True)
class JobMoney:
    """One job. ended: its outcome, empty while it is open; result: the same in words. fault: the kind of what was
    repaired, or how it ended. quoted: None where no price was said. brought:
    what is left to the shop."""

    row: JobRow
    ended: str
    result: str
    fault: str
    quoted: Decimal | None
    forecast: float
    spent: Spent
    cost: Decimal
    paid: Decimal
    brought: Decimal
    lot: str
    as_donor: Decimal
    repaired_worth: Decimal


@dataclass(frozen=True)
class FaultMoney:
    """All jobs of one kind of fault."""

    fault: str
    jobs: int
    quoted: Decimal
    cost: Decimal
    brought: Decimal
    minutes: float


@dataclass(frozen=True)
class LotMoney:
    """A lot of units bought. count: bought; known: of those, taken in as jobs; repaired, donors, open. cost: with its
    freight; spent: on its units; earned: what came in; hold: what donors still hold by their parts' prices and chances;
    bottom: earned and held, less cost and spent."""

    name: str
    count: int
    known: int
    repaired: int
    donors: int
    open: int
    cost: Decimal
    spent: Decimal
    earned: Decimal
    hold: Decimal

    @property
    def bottom(self) -> Decimal:
        return self.earned + self.hold - self.cost - self.spent


@dataclass(frozen=True)
class ShopMonth:
    """begin and end: days, the end not included. skipped: jobs that could not be read."""

    begin: date
    end: date
    jobs: tuple[JobMoney, ...]
    by_fault: tuple[FaultMoney, ...]
    lots: tuple[LotMoney, ...]
    skipped: int

    @property
    def brought(self) -> Decimal:
        return sum((job.brought for job in self.jobs), NOTHING)


def month_of(day: date) -> tuple[date, date]:
    """The first day of a day's month, and of the next."""
    begin = day.replace(day=1)
    return begin, (begin + timedelta(days=32)).replace(day=1)


def fault_of(facts: JobFacts, board: Board | None) -> str:
    """The kind of part that was replaced last, or what else was done, or how it ended."""
    for _, rework in reversed(facts.reworks):
        component = board.component_by_designator.get(rework.part) if board is not None else None
        if rework.action == "clean":
            continue
        if component is None:
            return tr("trace") if rework.part.startswith("trace") else tr("other part")
        return KIND_WORDS.get(component.kind, tr("other part"))
    result = facts.outcome.result if facts.outcome is not None else ""
    return {"no_fault": tr("no fault"), "donor": tr("given up"), "returned": tr("given up")}.get(result, tr("open"))


def job_money(row: JobRow, facts: JobFacts, spent: Spent, terms: Terms, board: Board | None,
              kept_of: Callable[[JobFacts, Spent], Decimal]) -> JobMoney:
    own, ended = facts.own_unit, facts.outcome.result if facts.outcome else ""
    return JobMoney(row, ended, RESULTS.get(ended, ended) or "open",
                    fault_of(facts, board), facts.quote.price if facts.quote is not None else None,
                    facts.quote.middle if facts.quote is not None else 0.0, spent, spent.cost(terms), paid_for(facts),
                    kept_of(facts, spent), own.lot if own is not None else "",
                    own.as_donor if own is not None else NOTHING, own.repaired if own is not None else NOTHING)


class MonthBook:
    """The money of every job that was asked for, each kept until something is recorded in it or prices change, so that
    an entry costs one trail and not a month of them. For one thread at a time."""

    def __init__(self, store: JobStore, library: PackLibrary) -> None:
        self._store, self._library = store, library
        self._kept: dict[str, tuple[int, JobMoney]] = {}
        self._priced_by: object = None

    def month(self, begin: date, end: date, hold_of: Callable[[JobRow], Decimal], told: Told = unheard) -> ShopMonth:
        """Everything that was closed in the days from begin to end, and all lots. hold_of: what a donor still holds.
        May take long: call it off the window's thread. Raises StoreError, StoppedError."""
        store = self._store
        closed = store.closed_between(_utc(begin), _utc(end), MOST_JOBS)
        shop = shop_of(lines(store))
        own = store.own_units(MOST_JOBS) if shop.bought else ()
        rows = {row.id: row for row in (*closed, *own)}
        money = self._money_of(rows, told)
        units: dict[str, list[JobMoney]] = {}
        for job in (money[row.id] for row in own if row.id in money):
            units.setdefault(job.lot, []).append(job)
        lots = tuple(_lot_money(about, units.get(name, ()), hold_of) for name, about in shop.bought.items())
        found = tuple(money[row.id] for row in closed if row.id in money)
        return ShopMonth(begin, end, found, _by_fault(found), lots, len(closed) - len(found))

    def _money_of(self, rows: Mapping[str, JobRow], told: Told) -> dict[str, JobMoney]:
        """By job, without those that can't be read."""
        store = self._store
        terms, money, lots = terms_of(store), currency(store), lots_of(store).lots
        prices = {pack: prices_of(store, pack) for pack in {row.pack_id for row in rows.values()}}
        priced_by = terms, money, prices, {name: lot.price for name, lot in lots.items()}
        if priced_by != self._priced_by:
            self._priced_by, self._kept = priced_by, {}
        last = store.last_positions(list(rows))
        found: dict[str, JobMoney] = {}
        for place, row in enumerate(rows.values()):
            go_on(told, place / len(rows), tr("Nothing was changed."))
            known = self._kept.get(row.id)
            if known is None or known[0] != last.get(row.id) or known[1].row != row:
                try:
                    trail = store.trail(row.id)
                    facts = job_facts(trail)
                except DextrumError:
                    continue
                board = self._board(row.pack_id)
                spent = spent_on(trail, board, lots, prices[row.pack_id])
                known = last.get(row.id, -1), job_money(row, facts, spent, terms, board,
                                                        lambda f, s: brought(f, s, terms, money))
                self._kept[row.id] = known
            found[row.id] = known[1]
        return found

    def _board(self, pack_id: str) -> Board | None:
        try:
            return self._library.board(pack_id)
        except DextrumError:
            return None


def _utc(day: date) -> str:
    """The beginning of a day of the bench, as times stand in the job file."""
    return datetime(day.year, day.month, day.day).astimezone(UTC).isoformat()


def _lot_money(about: UnitsBought, units: Sequence[JobMoney], hold_of: Callable[[JobRow], Decimal]) -> LotMoney:
    ended = [unit.ended for unit in units]
    hold = sum((hold_of(unit.row) for unit in units if unit.ended == "donor"), NOTHING)
    return LotMoney(about.name, about.count, len(units), sum(e in ("repaired", "no_fault") for e in ended),
                    ended.count("donor"), ended.count(""), about.price + about.freight,
                    sum((unit.cost for unit in units), NOTHING), sum((unit.paid for unit in units), NOTHING), hold)


def _by_fault(jobs: Iterable[JobMoney]) -> tuple[FaultMoney, ...]:
    found: dict[str, list[JobMoney]] = {}
    for job in jobs:
        found.setdefault(job.fault, []).append(job)
    return tuple(sorted((FaultMoney(
        fault, len(own), sum((j.quoted or NOTHING for j in own), NOTHING), sum((j.cost for j in own), NOTHING),
        sum((j.brought for j in own), NOTHING), sum(j.spent.minutes for j in own)) for fault, own in found.items()),
        key=lambda one: -one.jobs))


def month_csv(month: ShopMonth) -> str:
    """One row a job; amounts as plain decimals, texts safe to open in a spreadsheet."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(["serial", "model", "closed", "result", "fault", "quoted", "hands_minutes", "cost", "paid",
                     "brought", "lot"])
    for job in month.jobs:
        writer.writerow([plain_cell(job.row.serial), plain_cell(job.row.model), job.row.closed_at[:10], job.result,
                         job.fault, "" if job.quoted is None else str(job.quoted), f"{job.spent.minutes:.0f}",
                         str(job.cost), str(job.paid), str(job.brought), plain_cell(job.lot)])
    return out.getvalue()
