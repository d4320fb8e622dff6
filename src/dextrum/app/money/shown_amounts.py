"""Amounts in sentences are shown as the shop shows them, wherever they are said."""

from __future__ import annotations

from dextrum.core.money.amounts import Currency, use_currency
from dextrum.errors import DextrumError
from dextrum.store.jobs import JobStore


def show_as_shop(store: JobStore) -> None:
    """With the currency of this job file, looked up with the first amount that is said."""
    use_currency(lambda: _currency_of(store))


def _currency_of(store: JobStore) -> Currency:
    """The shop's; where its settings can't be read, amounts have no sign."""
    from dextrum.store.shop_settings import currency  # with the first amount: the start shows none

    try:
        return currency(store)
    except DextrumError:
        return Currency()
