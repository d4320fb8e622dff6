"""What a job has taken so far: hands by the times of its entries, parts by their lots or the shop's prices."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from decimal import Decimal

from dextrum.app.handover.work_minutes import minutes_of_work
from dextrum.core.board import Board
from dextrum.core.job import JobFacts, job_facts
from dextrum.core.money.amounts import NOTHING, Currency
from dextrum.core.money.quoting import Terms
from dextrum.core.stock.donors import donor_name
from dextrum.core.stock.lots import CELL, Lot
from dextrum.core.trail import Cell, Entry, standing
from dextrum.store.bench_settings import part_prices, shop_rates
from dextrum.store.jobs import JobStore
from dextrum.store.shop_settings import charges

CENT = Decimal("0.01")


@dataclass(frozen=True)
class Spent:
    """minutes of hands; parts: what those fitted cost, in the shop's currency; fitted: how many."""

    minutes: float
    parts: Decimal
    fitted: int

    def cost(self, terms: Terms) -> Decimal:
        """Labour and parts, without postage."""
        labour = terms.labour_per_hour * Decimal(repr(round(self.minutes, 3))) / 60
        return (labour + self.parts).quantize(CENT)


def terms_of(store: JobStore) -> Terms:
    """What this shop charges; labour is the rate that the advice weighs with. Raises StoreError."""
    labour = Decimal(repr(round(shop_rates(store).labour_per_minute * 60.0, 4)))
    own = charges(store)
    return Terms(labour, own.postage, own.rush, own.not_repaired, own.parts_margin_percent, own.risk)


def spent_on(trail: tuple[Entry, ...], board: Board | None, lots: Mapping[str, Lot],
             prices: Mapping[str, float]) -> Spent:
    """lots: by name; prices: of parts, where the shop's differ from the pack's. A donor's part costs nothing here: the
    donor was paid for."""
    facts = job_facts(trail)
    parts, fitted = NOTHING, 0
    for _, rework in facts.reworks:
        if rework.action != "replace":
            continue
        fitted += 1
        parts += _price_of(rework.part, rework.lot, board, lots, prices)
    for entry in standing(trail):
        if isinstance(entry.payload, Cell) and entry.payload.state == "new":
            fitted += 1
            parts += _price_of(CELL, entry.payload.lot, board, lots, prices)
    return Spent(minutes_of_work(trail), parts.quantize(CENT), fitted)


def _price_of(part: str, lot: str, board: Board | None, lots: Mapping[str, Lot],
              prices: Mapping[str, float]) -> Decimal:
    if lot in lots:
        return lots[lot].price
    if lot.startswith(donor_name("")):
        return NOTHING
    component = board.component_by_designator.get(part) if board is not None else None
    usual = prices.get(part, component.price if component is not None else 0.0)
    return Decimal(repr(float(usual)))


def prices_of(store: JobStore, pack_id: str) -> Mapping[str, float]:
    """Raises StoreError."""
    return part_prices(store).get(pack_id, {})


def paid_for(facts: JobFacts) -> Decimal:
    """All that came in for the unit."""
    return sum((one.amount for one in facts.paid), NOTHING)


def brought(facts: JobFacts, spent: Spent, terms: Terms, money: Currency) -> Decimal:
    """What is left to the shop of a job: what came in without its tax, less labour, parts and postage; of the shop's
    own units less what the unit alone cost."""
    came_in = money.kept_of(paid_for(facts))
    posted = facts.intake is not None and facts.intake.posted
    own = facts.own_unit.cost if facts.own_unit is not None else NOTHING
    return (came_in - spent.cost(terms) - (terms.postage if posted else NOTHING) - own).quantize(CENT)
