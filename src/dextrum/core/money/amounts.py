"""Amounts of money: decimal, never binary floating point, and shown as the shop shows them."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from decimal import ROUND_CEILING, ROUND_HALF_UP, Decimal, InvalidOperation
from functools import cache

from dextrum.core.board.bounds import STRICT
from dextrum.tongue import tr

MOST = Decimal(1_000_000)
"""Of any one amount: a shop's year and no typing error."""
NOTHING = Decimal(0)


def check_amount(amount: Decimal, what: str, least: Decimal = NOTHING) -> None:
    """Raise ValueError for an amount below `least`, above what is believable, or that is no number."""
    if not (isinstance(amount, Decimal) and amount.is_finite() and least <= amount <= MOST):
        raise ValueError(tr("{what} is {amount}; expected {least} to {most}", what=what, amount=amount, least=least,
                            most=MOST))


def parse_amount(text: str) -> Decimal:
    """'12.50', '12,50', '1 250', '1.250,00': the last mark with one or two digits after it is the decimal mark. After
    a lone 0 it always is, since no thousands begin with one: '0.045' is the price of a small part.

    Raises ValueError for anything that is not one amount.
    """
    plain = text.strip().replace("\u00a0", "").replace("\u202f", "").replace(" ", "").replace("'", "")
    at = max(plain.rfind("."), plain.rfind(","))
    decimal = at >= 0 and (len(plain) - at - 1 in (1, 2) or (plain[:at] == "0" and len(plain) - at - 1 in (3, 4)))
    whole, cents = (plain[:at], plain[at + 1:]) if decimal else (plain, "")
    groups = whole.replace(",", ".").split(".")
    marks = [mark for mark in ".," if mark in whole]
    grouped = len(groups) == 1 or (len(groups[0]) <= 3 and groups[0][:1] != "0" and all(
        len(group) == 3 for group in groups[1:]))
    digits = all(some.isascii() and some.isdigit() for some in (*groups, cents or "0"))
    if not (digits and grouped and len(marks) <= 1) or (cents and plain[at] in marks):
        raise ValueError(tr("{text!r} is no amount; expected one like 12.50", text=text.strip()[:20]))
    amount = Decimal("".join(groups) + ("." + cents if cents else ""))
    check_amount(amount, tr("the amount"))
    return amount


@dataclass(frozen=True)
class Currency:
    """How this shop shows and rounds money.

    sign: as it stands beside an amount; before: whether it stands before it. decimals: shown. step: what a price is
    rounded up to. tax_percent: of what is sold; included: whether prices are said with it.
    """

    __pydantic_config__ = STRICT
    sign: str = ""
    before: bool = False
    decimals: int = 2
    step: Decimal = Decimal("0.01")
    tax_percent: Decimal = NOTHING
    included: bool = True

    def __post_init__(self) -> None:
        if len(self.sign) > 6 or any(c.isdigit() or c in ".,-+" for c in self.sign):
            raise ValueError(tr("{sign!r} is no sign of a currency; expected a short one without digits",
                                sign=self.sign[:10]))
        if not 0 <= self.decimals <= 3:
            raise ValueError(tr("decimals is {decimals}; expected 0 to 3", decimals=self.decimals))
        check_amount(self.step, tr("the step of rounding"), Decimal("0.001"))
        check_amount(self.tax_percent, tr("the tax"))
        if self.tax_percent > 100:
            raise ValueError(tr("the tax is {tax_percent} %; expected 0 to 100", tax_percent=self.tax_percent))

    def shown(self, amount: Decimal | float) -> str:
        """An amount as it is shown: rounded to the decimals, with a real minus, and the sign."""
        exact = amount if isinstance(amount, Decimal) else Decimal(repr(float(amount)))
        if not exact.is_finite():
            return "\u2014"
        try:
            rounded = exact.quantize(Decimal(1).scaleb(-self.decimals), ROUND_HALF_UP)
        except InvalidOperation:
            return "\u2014"
        text = f"{abs(rounded):,.{self.decimals}f}".replace(",", "\u202f")
        minus = "\u2212" if rounded < 0 else ""
        if not self.sign:
            return f"{minus}{text}"
        return f"{minus}{self.sign}{text}" if self.before else f"{minus}{text}\u00a0{self.sign}"

    def about(self, amount: Decimal | float) -> str:
        """An estimate, without the small change that nobody knows."""
        whole = Decimal(repr(float(amount))).quantize(Decimal(1), ROUND_HALF_UP)
        return Currency(self.sign, self.before, 0, self.step, self.tax_percent, self.included).shown(whole)

    def rounded_up(self, amount: Decimal) -> Decimal:
        """To the next step of the shop's prices."""
        return (amount / self.step).to_integral_value(ROUND_CEILING) * self.step

    def tax_in(self, price: Decimal) -> Decimal:
        """The tax that a price as it is said holds, or that comes on top of it."""
        share = self.tax_percent / Decimal(100)
        tax = price * share / (1 + share) if self.included else price * share
        return tax.quantize(Decimal(1).scaleb(-self.decimals), ROUND_HALF_UP)

    def kept_of(self, price: Decimal) -> Decimal:
        """What is left to the shop of a price as it is said."""
        return price - self.tax_in(price) if self.included else price

    def said_for(self, kept: Decimal) -> Decimal:
        """The price to say, rounded up, so that at least `kept` is left to the shop."""
        share = self.tax_percent / Decimal(100)
        return self.rounded_up(kept * (1 + share) if self.included else kept)


_of_shop: Callable[[], Currency] = Currency


def use_currency(of_shop: Callable[[], Currency]) -> None:
    """The shop's, from now on and for the whole program: for amounts in sentences that are said far from its settings.
    of_shop: asked with the first of them."""
    global _of_shop
    _of_shop = cache(of_shop)


def amount_words(amount: Decimal | float) -> str:
    """An amount as the shop shows it."""
    return _of_shop().shown(amount)


def about_words(amount: Decimal | float) -> str:
    """An estimate as the shop shows it, without small change."""
    return _of_shop().about(amount)
