"""What the shop has set once for money and for its day: currency, terms, its week, what was put where by hand."""

from __future__ import annotations

import json
from dataclasses import asdict, dataclass
from decimal import Decimal
from typing import TypeVar

from pydantic import TypeAdapter, ValidationError

from dextrum.core.board.bounds import STRICT, require
from dextrum.core.money.amounts import NOTHING, Currency, check_amount, use_currency
from dextrum.core.planning.hours import ShopWeek
from dextrum.store.jobs import JobStore
from dextrum.tongue import tr

CURRENCY, CHARGES, WEEK, PINS, SUPPLIERS = "currency", "charges", "shop_week", "day_pins", "suppliers"
T = TypeVar("T")
MOST_PINS = 200


@dataclass(frozen=True)
class Charges:
    """What the shop charges beside labour, whose rate the advice uses as well. postage back; rush on top; not_repaired:
    when nothing can be repaired; parts_margin_percent: on parts; risk: of loss that a price may have; lot_risk: of loss
    that a lot bought unseen may have; waiting_day: what a unit loses in a day that it waits for a part; delivery_days:
    until an order is here."""

    __pydantic_config__ = STRICT
    postage: Decimal = NOTHING
    rush: Decimal = NOTHING
    not_repaired: Decimal = NOTHING
    parts_margin_percent: Decimal = NOTHING
    risk: float = 0.1
    lot_risk: float = 0.2
    waiting_day: Decimal = Decimal(2)
    delivery_days: float = 4.0

    def __post_init__(self) -> None:
        for what in ("postage", "rush", "not_repaired", "parts_margin_percent", "waiting_day"):
            check_amount(getattr(self, what), what)
        require(self.risk, 0.01, 0.9, tr("risk of loss"))
        require(self.lot_risk, 0.01, 0.9, tr("risk of loss of a lot"))
        require(self.delivery_days, 0.1, 120.0, tr("days until an order is here"))


def _read(store: JobStore, key: str, usual: T) -> T:
    """What can't be read (a damaged setting) counts as never set."""
    text = store.setting(key)
    try:
        return TypeAdapter(type(usual)).validate_json(text) if text else usual
    except ValidationError:
        return usual


def _write(store: JobStore, key: str, value: object) -> None:
    store.set_setting(key, json.dumps(asdict(value), default=str))  # type: ignore[call-overload]


def currency(store: JobStore) -> Currency:
    """Raises StoreError."""
    return _read(store, CURRENCY, Currency())


def set_currency(store: JobStore, value: Currency) -> None:
    """Raises StoreError."""
    _write(store, CURRENCY, value)
    use_currency(lambda: value)


def charges(store: JobStore) -> Charges:
    """Raises StoreError."""
    return _read(store, CHARGES, Charges())


def set_charges(store: JobStore, value: Charges) -> None:
    """Raises StoreError."""
    _write(store, CHARGES, value)


def shop_week(store: JobStore) -> ShopWeek:
    """Raises StoreError."""
    return _read(store, WEEK, ShopWeek())


def set_shop_week(store: JobStore, week: ShopWeek) -> None:
    """Raises StoreError."""
    _write(store, WEEK, week)


def day_pins(store: JobStore) -> dict[str, str]:
    """By job id, the wall clock time its next step was put at by hand. Raises StoreError."""
    try:
        kept = json.loads(store.setting(PINS) or "{}")
        return {str(job): str(when) for job, when in kept.items()}
    except (ValueError, AttributeError):
        return {}


def set_day_pins(store: JobStore, pins: dict[str, str]) -> None:
    """The newest ones are kept. Raises StoreError."""
    store.set_setting(PINS, json.dumps(dict(list(pins.items())[-MOST_PINS:])))
