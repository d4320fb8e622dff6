"""The densities of docs/diagnosis.md, 'The posterior by hand', written down once more, with numbers of their own.

For a board that no known-good reading is of. Nothing of the diagnosis is used here, so that a slip there shows.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace


def student(x: float) -> float:
    """Density of Student's t with 4 degrees of freedom."""
    return float(0.375 * (1.0 + x * x / 4.0) ** -2.5)


def student_below(x: float) -> float:
    """Its distribution, in closed form."""
    return 0.5 + 0.375 * x / math.sqrt(1.0 + x * x / 4.0) * (1.0 - x * x / (1.0 + x * x / 4.0) / 12.0)


def normal(x: float, spread: float) -> float:
    return math.exp(-0.5 * (x / spread) ** 2) / (spread * math.sqrt(2.0 * math.pi))


@dataclass(frozen=True)
class Seen:
    """What faults read at a point: mean on the comparing scale, spread, and whether a good board reads a number."""

    mean: float
    spread: float
    number_when_good: bool
    centre: float = math.inf
    base: float = 1.0
    both_ways: bool = False


def expectation(reads: float, good: float, touched: bool, diode: bool, each: tuple[float, ...] = ()) -> Seen:
    """reads, good: volts or ohms with the faults and without, inf for OL. touched: whether a fault has part in it.
    each: what every one of them reads by itself."""
    def scale(value: float) -> float:
        return value if diode or math.isinf(value) else math.log10(value + 0.3)

    mean, centre = scale(reads), scale(good)
    base = 0.035 if diode else 0.25
    away = abs((mean if math.isfinite(mean) else 0.0) - (centre if math.isfinite(centre) else 0.0))
    spread = math.hypot(base, 0.06 * away + 0.003) if touched else base
    if diode and touched and math.isfinite(centre):
        if mean < centre and away > 0.003:
            spread = math.hypot(base, 0.4 * away + 0.003)
        if mean < 0.62 * centre:
            spread = 0.35 * mean + 0.002
    both_ways = min(each, default=good) < good - 1e-9 and max(each, default=good) > good + 1e-9
    return Seen(mean, spread, math.isfinite(centre), centre, base, both_ways)


def one_way(seen: Seen, x: float) -> tuple[Seen, float]:
    """Where x lies on the other side of the good board than the fault moves the point: as a good board, and how likely
    the fault is so small; unless its own spread makes x less likely still."""
    if math.isinf(seen.mean) or math.isinf(seen.centre) or seen.both_ways or seen.spread <= seen.base:
        return seen, 1.0
    if (seen.mean - seen.centre) * (x - seen.centre) >= 0.0:
        return seen, 1.0
    small = student((seen.centre - seen.mean) / seen.spread) / seen.spread * seen.base / student(0.0)
    own = student((x - seen.mean) / seen.spread) / seen.spread
    if small * student((x - seen.centre) / seen.base) / seen.base >= own:
        return seen, 1.0
    return replace(seen, mean=seen.centre, spread=seen.base), small


def level(seen: Seen) -> float:
    return max(seen.mean if math.isfinite(seen.mean) else 1.0, 0.05)


Learned = tuple[float, int, float | None]
"""Of one copper: sum of how far each reading was off, as a share of the level, how many taught anything, and the number
that was read last where faults say OL."""


def learned(then: list[tuple[Seen, float]]) -> Learned:
    total, count, leaked = 0.0, 0, None
    for seen, read in then:
        if math.isinf(seen.mean) and math.isfinite(read):
            leaked = read
        if math.isfinite(seen.mean):
            so, _ = one_way(seen, read)
            off = read - seen.mean
            if all(abs(read - one.mean) < max(5.0 * one.spread, 0.12 if one.mean >= 0.2 else 0.0)
                   for one in (seen, so)):
                total, count = total + off / level(seen), count + 1
    return total, count, leaked


def given(seen: Seen, total: float, count: int) -> Seen:
    """After `count` readings of the same copper."""
    scatter = 0.03 * min(seen.spread, seen.base) ** 2
    away = total / max(count, 1) * level(seen)
    common = seen.spread ** 2 - scatter + another_makers(seen, away)
    touch = scatter + 0.001 ** 2
    gain = common / (common + touch / count) if count else 0.0
    shift = gain * away
    return replace(seen, mean=seen.mean + shift, spread=math.sqrt(common * (1.0 - gain) + touch))


def another_makers(seen: Seen, away: float) -> float:
    """What another maker's junction adds to the variance of copper that is off by `away`, from three spreads on."""
    if not (math.isfinite(seen.mean) and seen.mean >= 0.2 and abs(away) > 3.0 * seen.spread):
        return 0.0
    odd = 0.003 * normal(away, math.hypot(seen.spread, 0.04))
    return odd / (odd + 0.997 * student(away / seen.spread) / seen.spread) * 0.04 ** 2


def joined(seen: Seen, total: float, count: int) -> Seen:
    """On copper that a fault joins to what has taught so much: off by as much, but for the touches."""
    if not count:
        return seen
    return replace(seen, mean=seen.mean + total / count * level(seen),
                   spread=math.sqrt((0.03 * seen.base ** 2 + 0.001 ** 2) * (1.0 + 1.0 / count)))


def density(seen: Seen, value: float, diode: bool, before: Learned | None = None,
            again: float | None = None, beside: Learned | None = None) -> float:
    """Of one touch that reads `value` (volts or ohms; a chance for OL), where one point in two hundred is on another
    net than the pack says. before: what its copper's earlier ones said; again: what it read before the repair; beside:
    what copper said that a fault joins to it, and its own before it."""
    wrong = 0.005
    if again is not None:
        so, good = wrong * elsewhere(seen, again, diode), (1.0 - wrong) * as_good(seen, again, diode)
        wrong = min(so / (so + good), 0.8)
    packed = as_packed(seen, value, diode, before) if beside is None else as_packed(
        joined(seen, beside[0], beside[1]), value, diode, beside if beside[1] else None, True)
    return (1.0 - wrong) * packed + wrong * elsewhere(seen, value, diode, again)


def elsewhere(seen: Seen, value: float, diode: bool, again: float | None = None) -> float:
    """Of a point on another net: half the time as on a good board, else anything; or, nine times in ten, again as it
    read before."""
    if again is None:
        return 0.5 * as_good(seen, value, diode) + 0.5 * anything(value, diode)
    if math.isinf(again) or math.isinf(value):
        alike = float(again == value)
    else:
        again_seen = replace(seen, base=math.sqrt(2.0 * (0.03 * seen.base ** 2 + 0.001 ** 2))) if diode else seen
        alike = near(again_seen, value, again if diode else math.log10(again + 0.3), diode)
    return 0.9 * alike + 0.1 * anything(value, diode)


def as_good(seen: Seen, value: float, diode: bool) -> float:
    """Of a good board."""
    if math.isinf(seen.centre):
        return 0.99 if math.isinf(value) else 0.01 / (2.0 if diode else 8.0)
    return 0.01 if math.isinf(value) else near(seen, value, seen.centre, diode)


def near(seen: Seen, value: float, centre: float, diode: bool) -> float:
    return student(((value if diode else math.log10(value + 0.3)) - centre) / seen.base) / seen.base


def as_packed(seen: Seen, value: float, diode: bool, before: Learned | None, held: bool = False) -> float:
    small = 1.0
    if math.isfinite(value) and not (diode and before and before[1]):
        seen, small = one_way(seen, value if diode else math.log10(value + 0.3))
    odd = 0.003 if diode and math.isfinite(seen.mean) and seen.mean >= 0.2 and not (before and before[1]) else 0.0
    if before is not None and diode and not held:
        seen = given(seen, before[0], before[1])
    opens = math.isinf(seen.mean)
    leaks = (0.12 if diode else 0.35) if seen.number_when_good else 0.0
    leaked = before[2] if before is not None and diode and leaks and not held else None
    leaky = 0.12 / 2.45 / (0.12 / 2.45 + 0.01 / 2.0) if leaked is not None and 0.55 <= leaked <= 3.0 else 0.0
    if math.isinf(value):
        if opens:
            return (1.0 - leaky) * (1.0 - 0.01 - leaks) + leaky * 0.01
        above = student_below((seen.mean - 2.5) / seen.spread) if diode else 0.0
        return 0.99 * above + 0.01
    x = value if diode else math.log10(value + 0.3)
    broad = 1.0 / 2.0 if diode else 1.0 / 8.0
    if opens:
        low, high = (0.55, 3.0) if diode else (1.48, 8.3)
        anew = 0.01 * broad + (leaks / (high - low) if low <= x <= high else 0.0)
        if leaked is None or not leaky:
            return anew
        spread = math.sqrt(2.0 * (0.03 * seen.base ** 2 + 0.001 ** 2))
        return (1.0 - leaky) * anew + leaky * (0.98 * student((x - leaked) / spread) / spread + 0.01 * broad)
    usual = student((x - seen.mean) / seen.spread) / seen.spread
    wide = math.hypot(seen.spread, 0.04)
    usual = (1.0 - odd) * usual + odd * normal(x - seen.mean, wide)
    return 0.98 * small * usual + 0.01 * broad


def anything(value: float, diode: bool) -> float:
    """Of what no pack explains."""
    if math.isinf(value):
        return 0.3
    if not diode:
        return 0.7 / 8.0
    return 0.2 * math.exp(-value / 0.03) / 0.03 + 0.5 / 2.0
