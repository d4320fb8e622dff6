"""The stock in words: lots, what fails, what donors hold, what to order."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from decimal import Decimal

from dextrum.app.library.library import PackLibrary
from dextrum.app.outlook.outlooks import JobOutlook, Outlooks
from dextrum.app.stock.taking import Lots, evidence_words, lots_of
from dextrum.core.assumptions.shop import ARRIVALS_A_WEEK
from dextrum.core.board import Board
from dextrum.core.ledger.lines import shop_of
from dextrum.core.money.amounts import Currency
from dextrum.core.stock.donors import DonorPart, donors_for, parts_of_donor
from dextrum.core.stock.fits import fits_of
from dextrum.core.stock.lots import Lot, PartUse
from dextrum.core.stock.reorder import OrderLine, PartDemand, order_list, use_a_week
from dextrum.errors import DextrumError
from dextrum.progress import Told, go_on, unheard
from dextrum.store.files import plain_cell
from dextrum.store.jobs import JobRow, JobStore
from dextrum.store.ledger import lines
from dextrum.store.part_uses import part_uses
from dextrum.store.shop_settings import charges
from dextrum.tongue import tr

USE_WEEKS = 12
"""Weeks of own records that say how many of a part a week takes."""
MOST_DONORS = 60


@dataclass(frozen=True)
class StockNow:
    """Everything the stock's view shows. told: evidence in words, by lot. donors: their parts, by pack and place.
    orders: what to order; on_order: count and day, by part. unread: donors that could not be read."""

    lots: tuple[Lot, ...]
    told: Mapping[str, str]
    donors: tuple[DonorPart, ...]
    orders: tuple[OrderLine, ...]
    on_order: Mapping[str, tuple[tuple[int, str], ...]]
    unread: int

    @property
    def pieces(self) -> int:
        return sum(lot.left for lot in self.lots if not lot.aside and not lot.used_up)


def sisters_of(library: PackLibrary, board: Board) -> tuple[Board, ...]:
    """Boards whose parts fit as well."""
    found = []
    for name in board.sisters:
        try:
            found.append(library.board(name))
        except DextrumError:
            continue
    return tuple(found)


def donor_parts(outlooks: Outlooks, rows: Iterable[JobRow], now: datetime) -> tuple[tuple[DonorPart, ...], int]:
    """What donors still hold, by their own jobs' posteriors; and how many donors could not be read."""
    found: list[DonorPart] = []
    unread = 0
    for row in rows:
        try:
            job = outlooks.of_job(row, now)
        except DextrumError:
            unread += 1
            continue
        if job.done is None or job.model is None:
            unread += 1
            continue
        found += parts_of_donor(job.model.model.board, row.id, job.facts, job.done.chance_by_part)
    return tuple(found), unread


def stock_now(store: JobStore, library: PackLibrary, outlooks: Outlooks, now: datetime,
              told: Told = unheard) -> StockNow:
    """May take some seconds at first: call it off the window's thread. Raises StoreError, StoppedError."""
    known = lots_of(store)
    shop = shop_of(lines(store))
    donors, unread = donor_parts(outlooks, store.with_outcome("donor", MOST_DONORS), now)
    go_on(told, 0.4, tr("Nothing was changed."))
    open_jobs = []
    rows = store.shelf(most=200)
    for place, row in enumerate(rows):
        go_on(told, 0.4 + 0.5 * place / len(rows), tr("Nothing was changed."))
        open_jobs.append(outlooks.of_job(row, now))
    uses = part_uses(store, False, (now - timedelta(weeks=USE_WEEKS)).isoformat())
    first = store.first_opened()
    orders = order_list(demands(known, shop.on_order, open_jobs, uses, now, first, charges(store).delivery_days),
                        float(charges(store).waiting_day))
    return StockNow(tuple(known.lots.values()), {e.lot: evidence_words(e) for e in known.evidence if e.told}, donors,
                    orders, {part: tuple(waiting) for part, waiting in shop.on_order.items() if waiting}, unread)


def demands(known: Lots, on_order: Mapping[str, Sequence[tuple[int, str]]], open_jobs: Sequence[JobOutlook],
            uses: Sequence[PartUse], now: datetime, first: datetime | None, delivery_days: float) -> tuple[
                PartDemand, ...]:
    """What is asked of every part the shop keeps: by open jobs, and by those to come as it was used so far."""
    weeks = USE_WEEKS if first is None else max(0.0, min(float(USE_WEEKS), (now - first).total_seconds() / 604800.0))
    found = []
    for part in dict.fromkeys(lot.part for lot in known.lots.values()):
        own = [lot for lot in known.lots.values() if lot.part == part]
        places = frozenset(place for lot in own for place in lot.fits)
        chances = [_chance(job, places) for job in open_jobs]
        names = {lot.name.casefold() for lot in own if lot.used_up}
        count = sum(use.amount for use in uses
                    if f"{use.pack_id}:{use.part}" in places or use.lot.casefold() in names)
        weekly = use_a_week(count, weeks, _prior_a_week(open_jobs, places))
        price = max((lot.price for lot in own), default=Decimal(0))
        found.append(PartDemand(part, [c for c in chances if c > 0.0], weekly, price, delivery_days,
                                sum(lot.left for lot in own if not lot.aside),
                                sum(count for count, _ in on_order.get(part, ()))))
    return tuple(found)


def _chance(job: JobOutlook, places: frozenset[str]) -> float:
    """That an open job will take one: of what is likely, each by itself."""
    if job.rest is None:
        return 0.0
    none = 1.0
    for name, chance in job.rest.chance_of_part().items():
        if f"{job.row.pack_id}:{name}" in places:
            none *= 1.0 - chance
    return 1.0 - none


def _prior_a_week(open_jobs: Sequence[JobOutlook], places: frozenset[str]) -> float:
    """What a week's arrivals would take if they were as the jobs that are open now."""
    if not open_jobs:
        return 0.0
    return ARRIVALS_A_WEEK * sum(_chance(job, places) for job in open_jobs) / len(open_jobs)


def find_donors(stock: StockNow, library: PackLibrary, pack_id: str, part: str, serial: str) -> tuple[DonorPart, ...]:
    """Donors' parts for one place of a job. Raises DextrumError for a pack that isn't here."""
    board = library.board(pack_id)
    return donors_for(stock.donors, fits_of(board, part, sisters_of(library, board)), serial)


def donor_words(part: DonorPart, currency: Currency) -> str:
    """'SLS-0340 U3: 94 % good, 21 min to remove; measure it by itself before it goes on'."""
    state = {"good": tr("measured by itself: good"), "bad": tr("measured by itself: bad"),
             "unmeasured": tr("measure it by itself before it goes on")}[part.measured]
    how = tr("in the drawer") if part.kept else tr("{minutes:.0f} min to remove", minutes=part.minutes)
    promised = tr("; promised to {promised}", promised=part.promised) if part.promised else ""
    seen = f"; {part.words}" if part.words else ""
    return tr("{serial} {part}: {good:.0f} % good, {how}; {state}{seen}{promised}", serial=part.serial, part=part.part,
              good=100 * part.good, how=how, state=state, seen=seen, promised=promised)


def lot_words(lot: Lot, told: str = "") -> str:
    """What is special about a lot, in a few words."""
    said = []
    if lot.aside:
        said.append(tr("set aside: {why_aside}", why_aside=lot.why_aside))
    elif told:
        said.append(told)
    if lot.short:
        said.append(tr("{short} more used than counted: count the bag", short=lot.short))
    elif not lot.exactly and not lot.aside:
        said.append(tr("used up"))
    return "; ".join(said)


def stock_sentence(stock: StockNow, currency: Currency) -> str:
    """What the stock's view means."""
    if not stock.lots and not stock.donors:
        return tr("No parts are kept yet. Take in a lot, and reworks count it down by themselves.")
    aside = [lot.name for lot in stock.lots if lot.aside]
    soon = [line for line in stock.orders if line.short_chance >= RUNS_OUT]
    order = tr("{count} part{s} to order", count=len(stock.orders),
               s="s" * (len(stock.orders) != 1)) if stock.orders else tr("nothing to order")
    if aside:
        return tr("Set aside: {aside}; {order}.", aside=", ".join(aside), order=order)
    if soon:
        return tr("{part} is likely to run out before an order is here ({short_chance:.0f} %).", part=soon[0].part,
                  short_chance=100 * soon[0].short_chance)
    return tr("{count} lots, {pieces} pieces; {order}.", count=len(stock.lots), pieces=stock.pieces, order=order)


RUNS_OUT = 0.2
"""Chance of running out that is said on top: one in five."""


def order_csv(orders: Sequence[OrderLine], day: date) -> str:
    """What to order, one part a row; texts safe to open in a spreadsheet."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(["part", "count", "price_each", "left", "on_order", "expected_use", "chance_of_running_out", "day"])
    for line in orders:
        writer.writerow([plain_cell(line.part), line.count, str(line.price), line.left, line.on_order,
                         f"{line.expected:.1f}", f"{line.short_chance:.2f}", day.isoformat()])
    return out.getvalue()


def lots_csv(lots: Sequence[Lot]) -> str:
    """Every lot, one a row."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(["lot", "part", "kind", "left", "price_each", "place", "source", "day", "used", "failed",
                     "set_aside", "fits"])
    for lot in lots:
        left = f"{lot.exactly:.2f}" if lot.used_up else lot.left
        writer.writerow([plain_cell(lot.name), plain_cell(lot.part), lot.of, left, str(lot.price),
                         plain_cell(lot.place), plain_cell(lot.source), lot.day, lot.used, lot.failed,
                         "yes" if lot.aside else "", plain_cell(" ".join(lot.fits))])
    return out.getvalue()


def measure_first(library: PackLibrary, part: DonorPart, meter: str) -> str:
    """What to read of a donor's part before it goes on, in words; empty where nothing tells. May take a moment."""
    from dextrum.app.rework.part_alone import expected_words
    from dextrum.core.rework.alone import alone

    model = library.advice_model(part.pack_id, meter).model
    wanted = alone(model.board, model.circuit, part.part)[:MOST_MEASURED]
    if not wanted:
        return ""
    return tr("{serial} {part}, before it goes on: ", serial=part.serial, part=part.part) + "; ".join(
        f"{reading.between} {expected_words(reading)}" for reading in wanted) + "."


MOST_MEASURED = 3
"""Readings that are named beside a donor's part; all of them are asked for at rework."""
