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

KIND_WORDS = {ComponentKind.RECEPTACLE: "port", ComponentKind.IC: "chip", ComponentKind.FILTER: "filter",
              ComponentKind.FUSE: "fuse", ComponentKind.CAPACITOR: "capacitor"}
MOST_JOBS = 5_000


@dataclass(frozen=True)
class JobMoney:
    """One job. fault: the kind of what was repaired, or how it ended. quoted: None where no price was said. brought:
    what is left to the shop."""

    row: JobRow
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
            return "trace" if rework.part.startswith("trace") else "other part"
        return KIND_WORDS.get(component.kind, "other part")
    result = facts.outcome.result if facts.outcome is not None else ""
    return {"no_fault": "no fault", "donor": "given up", "returned": "given up"}.get(result, "open")


def job_money(row: JobRow, facts: JobFacts, spent: Spent, terms: Terms, board: Board | None,
              kept_of: Callable[[JobFacts, Spent], Decimal]) -> JobMoney:
    own = facts.own_unit
    return JobMoney(row, RESULTS.get(facts.outcome.result, facts.outcome.result) if facts.outcome else "open",
                    fault_of(facts, board), facts.quote.price if facts.quote is not None else None,
                    facts.quote.middle if facts.quote is not None else 0.0, spent, spent.cost(terms), paid_for(facts),
                    kept_of(facts, spent), own.lot if own is not None else "",
                    own.as_donor if own is not None else NOTHING, own.repaired if own is not None else NOTHING)


def shop_month(store: JobStore, library: PackLibrary, begin: date, end: date,
               hold_of: Callable[[JobRow], Decimal], told: Told = unheard) -> ShopMonth:
    """Everything that was closed in the days from begin to end, and all lots. hold_of: what a donor still holds. May
    take long: call it off the window's thread. Raises StoreError, StoppedError."""
    terms, money, lots = terms_of(store), currency(store), lots_of(store).lots
    prices: dict[str, Mapping[str, float]] = {}

    def read(row: JobRow) -> tuple[JobMoney, JobFacts] | None:
        try:
            trail = store.trail(row.id)
            facts = job_facts(trail)
        except DextrumError:
            return None
        try:
            board: Board | None = library.board(row.pack_id)
        except DextrumError:
            board = None
        if row.pack_id not in prices:
            prices[row.pack_id] = prices_of(store, row.pack_id)
        spent = spent_on(trail, board, lots, prices[row.pack_id])
        return job_money(row, facts, spent, terms, board, lambda f, s: brought(f, s, terms, money)), facts

    closed = store.closed_between(_utc(begin), _utc(end), MOST_JOBS)
    found, skipped = [], 0
    for place, row in enumerate(closed):
        go_on(told, 0.7 * place / len(closed), "Nothing was changed.")
        one = read(row)
        skipped += one is None
        if one is not None:
            found.append(one[0])
    shop = shop_of(lines(store))
    units = _units_of_lots(store, read) if shop.bought else {}
    lots_money = tuple(_lot_money(about, units.get(name, ()), hold_of) for name, about in shop.bought.items())
    return ShopMonth(begin, end, tuple(found), _by_fault(found), lots_money, skipped)


def _utc(day: date) -> str:
    """The beginning of a day of the bench, as times stand in the job file."""
    return datetime(day.year, day.month, day.day).astimezone(UTC).isoformat()


def _units_of_lots(store: JobStore, read: Callable[[JobRow], tuple[JobMoney, JobFacts] | None]) -> dict[
        str, list[tuple[JobMoney, JobFacts]]]:
    """Jobs of the shop's own units, by lot."""
    found: dict[str, list[tuple[JobMoney, JobFacts]]] = {}
    for row in store.own_units(MOST_JOBS):
        one = read(row)
        if one is not None and one[0].lot:
            found.setdefault(one[0].lot, []).append(one)
    return found


def _lot_money(about: UnitsBought, units: Sequence[tuple[JobMoney, JobFacts]],
               hold_of: Callable[[JobRow], Decimal]) -> LotMoney:
    results = [facts.outcome.result if facts.outcome is not None else "" for _, facts in units]
    hold = sum((hold_of(money.row) for (money, facts) in units
                if facts.outcome is not None and facts.outcome.result == "donor"), NOTHING)
    return LotMoney(about.name, about.count, len(units), sum(r in ("repaired", "no_fault") for r in results),
                    results.count("donor"), results.count(""), about.price + about.freight,
                    sum((money.cost for money, _ in units), NOTHING), sum((money.paid for money, _ in units), NOTHING),
                    hold)


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
