"""What the bench has set up once: its meters, its breakouts, and the false alarms it accepts."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import asdict, dataclass
from typing import TypeVar

from pydantic import TypeAdapter, ValidationError

from dextrum.core.advice.rates import ShopRates
from dextrum.core.board.bounds import STRICT, require
from dextrum.core.board.breakout import Breakout
from dextrum.store.jobs import JobStore
from dextrum.tongue import tr

T = TypeVar("T")
METERS, BREAKOUTS, FALSE_ALARM = "meters", "breakouts", "false_alarm_per_scan"
RATES, PRICES, ASSUMED = "shop_rates", "part_prices", "assumed"
MOST_PRICE = 10_000.0
FALSE_ALARM_BOUNDS = (0.001, 0.5)


@dataclass(frozen=True)
class BenchMeter:
    """A meter of the bench. test_milliamps: of its diode mode; open_above_volts: what it can drive, above that OL."""

    __pydantic_config__ = STRICT
    name: str
    test_milliamps: float | None = None
    open_above_volts: float | None = None

    def __post_init__(self) -> None:
        if not self.name.strip() or len(self.name) > 40:
            raise ValueError(tr("the meter has no name, or a long one; expected a short one such as M3"))
        if not self.name[0].isalpha() or self.name.casefold() in ("o", "ol"):
            raise ValueError(tr("{self!r} looks like a reading; a meter's name begins with a letter, such as M3",
                                self=self.name))
        if self.test_milliamps is not None:
            require(self.test_milliamps, 0.001, 100.0, "test_milliamps")
        if self.open_above_volts is not None:
            require(self.open_above_volts, 0.3, 30.0, "open_above_volts")


def _read(store: JobStore, key: str, kind: type[T]) -> tuple[T, ...]:
    """What is kept under a key; what can't be read (a damaged setting) counts as nothing, since it is typed again."""
    text = store.setting(key)
    if not text:
        return ()
    try:
        return tuple(TypeAdapter(list[kind]).validate_json(text))  # type: ignore[valid-type]
    except ValidationError:
        return ()


def _write(store: JobStore, key: str, items: Sequence[BenchMeter | Breakout]) -> None:
    store.set_setting(key, json.dumps([asdict(item) for item in items]))


def bench_meters(store: JobStore) -> tuple[BenchMeter, ...]:
    """Meters in the order in which they were set up. Raises StoreError."""
    return _read(store, METERS, BenchMeter)


def set_up_meter(store: JobStore, meter: BenchMeter) -> None:
    """Add a meter, or change the one of this name. Raises StoreError."""
    _write(store, METERS, [*(m for m in bench_meters(store) if m.name != meter.name), meter])


def put_away_meter(store: JobStore, name: str) -> None:
    """Take a meter off the list; what it has read keeps its name. Raises StoreError."""
    _write(store, METERS, [m for m in bench_meters(store) if m.name != name])


def breakouts(store: JobStore) -> tuple[Breakout, ...]:
    """Breakouts with how each counts. Raises StoreError."""
    return _read(store, BREAKOUTS, Breakout)


def set_up_breakout(store: JobStore, breakout: Breakout) -> None:
    """Add a breakout, or change the one of this name. Raises StoreError."""
    _write(store, BREAKOUTS, [*(b for b in breakouts(store) if b.name != breakout.name), breakout])


def false_alarm_per_scan(store: JobStore, usual: float) -> float:
    """The accepted share, `usual` where none is set or it makes no sense. Raises StoreError."""
    try:
        share = float(store.setting(FALSE_ALARM) or usual)
    except ValueError:
        return usual
    return share if FALSE_ALARM_BOUNDS[0] <= share <= FALSE_ALARM_BOUNDS[1] else usual


def set_false_alarm(store: JobStore, share: float) -> None:
    """Raises ValueError outside the bounds, StoreError."""
    require(share, *FALSE_ALARM_BOUNDS, tr("the share of scans"))
    store.set_setting(FALSE_ALARM, f"{share:g}")


def shop_rates(store: JobStore) -> ShopRates:
    """What time costs in this shop; the usual where nothing is set, or it can't be read. Raises StoreError."""
    text = store.setting(RATES)
    try:
        return TypeAdapter(ShopRates).validate_json(text) if text else ShopRates()
    except ValidationError:
        return ShopRates()


def set_shop_rates(store: JobStore, rates: ShopRates) -> None:
    """Raises StoreError."""
    store.set_setting(RATES, json.dumps(asdict(rates)))


def shop_assumed(store: JobStore) -> dict[str, float]:
    """What the shop states in place of what is assumed, by name; what can't be stated any more is left out. Raises
    StoreError."""
    from dextrum.core.assumptions.stated import OF_THE_SHOP, trouble_with

    text = store.setting(ASSUMED)
    try:
        kept = TypeAdapter(dict[str, float]).validate_json(text) if text else {}
    except ValidationError:
        return {}
    return {name: value for name, value in kept.items() if not trouble_with(name, value, OF_THE_SHOP)}


def set_shop_assumed(store: JobStore, name: str, value: float | None) -> dict[str, float]:
    """One of them; None goes back to what is assumed. Returns all. Raises ValueError for what can't be stated,
    StoreError."""
    from dextrum.core.assumptions.stated import OF_THE_SHOP, trouble_with

    wrong = trouble_with(name, 0.0 if value is None else value, OF_THE_SHOP)
    if wrong and (value is not None or name not in OF_THE_SHOP):
        raise ValueError(wrong)
    kept = {key: number for key, number in shop_assumed(store).items() if key != name}
    if value is not None:
        kept[name] = value
    store.set_setting(ASSUMED, json.dumps(kept))
    return kept


def part_prices(store: JobStore) -> dict[str, dict[str, float]]:
    """Prices that differ from the packs', by pack id and part. Raises StoreError."""
    text = store.setting(PRICES)
    try:
        return TypeAdapter(dict[str, dict[str, float]]).validate_json(text) if text else {}
    except ValidationError:
        return {}


def set_part_price(store: JobStore, pack_id: str, part: str, price: float) -> None:
    """Raises ValueError outside 0 to 10,000, StoreError."""
    require(price, 0.0, MOST_PRICE, tr("the price"))
    prices = part_prices(store)
    prices.setdefault(pack_id, {})[part] = price
    store.set_setting(PRICES, json.dumps(prices))
