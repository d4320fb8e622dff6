"""The library service's month: closed jobs with what they cost and brought, two lots of ports of which one is bad, a
lot of units bought, three donors, and two more jobs for a day that can't all be done.

All readings come from the simulated board, prices from the forecasts; only names, dates and what was paid are written
down.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from decimal import Decimal
from functools import partial

from dextrum.app.bench.simulated_technician import SimulatedTechnician, with_fault
from dextrum.app.library.library import PackLibrary
from dextrum.core.advice.actions import Action
from dextrum.core.ledger.lines import LinePayload
from dextrum.core.ledger.lot_in import LotIn
from dextrum.core.ledger.ordered import Ordered
from dextrum.core.ledger.units_bought import UnitsBought
from dextrum.core.money.amounts import Currency
from dextrum.core.money.quoting import Terms, price
from dextrum.core.planning.hours import OFFICE, ShopWeek
from dextrum.core.reference.warm import COOLING
from dextrum.core.trail import AUDIT_STEPS, Entry, Intake, Outcome, OwnUnit, Paid, Payload, Quote, QuoteAnswer, Rework
from dextrum.instruments.simulated_board import METER_M1
from dextrum.store.jobs import JobStore
from dextrum.store.ledger import add_lines
from dextrum.store.shop_settings import Charges, set_charges, set_currency, set_shop_week

DUO, ORB = "tarnwick-duo-c", "bramlet-orb-a"
TECHNICIAN = "Ines"
GOOD_PORTS, BAD_PORTS = "P1", "P2"
UNITS = "spring returns"
OPENED_FROM, OPENED_TO = 8, 15
"""Hours of the clock at which the demo's usual day has something left."""
DEMO_CURRENCY = Currency("\u20ac", step=Decimal("0.50"), tax_percent=Decimal(19))
DEMO_CHARGES = Charges(Decimal("4.90"), Decimal("12"), Decimal("15"), Decimal(20), 0.1)
TERMS = Terms(Decimal(48), DEMO_CHARGES.postage, DEMO_CHARGES.rush, DEMO_CHARGES.not_repaired,
              DEMO_CHARGES.parts_margin_percent, DEMO_CHARGES.risk)


@dataclass(frozen=True)
class MonthStory:
    """One job of the month. until: as in `demo.Story`. lots: lot by part that was fitted. bad_first: part of which the
    first new one was bad, and its lot. own: it is one of the units bought. paid: what one of the shop's own was sold
    for; owners paid what was quoted. ending: how it was closed, where the advice doesn't hand it over."""

    serial: str
    pack_id: str
    fault: str
    seed: int
    days_ago: float
    complaint: str
    present: tuple[str, ...]
    until: str = ""
    lots: tuple[tuple[str, str], ...] = ()
    bad_first: tuple[str, str] = ("", "")
    own: bool = False
    quoted: bool = False
    paid: str = ""
    due_hours: float | None = None
    ending: str = ""
    posted: bool = False


MONTH = (
    MonthStory("SLS-0203", DUO, "F1:blown_fuse:1:2", 203, 27.2, "Dead since a lightning storm.", ("no_charge",),
               lots=(("F1", "F-A"),), quoted=True),
    MonthStory("SLS-0219", DUO, "J1:open_contact:B5", 219, 24.9, "Charges one way up only.", ("one_way",),
               lots=(("J1", GOOD_PORTS),), own=True, paid="139.00"),
    MonthStory("SLS-0226", DUO, "J1:open_contact:A5", 226, 21.9, "Charges one way up only.", ("one_way",),
               lots=(("J1", GOOD_PORTS),), bad_first=("J1", BAD_PORTS), quoted=True),
    MonthStory("SLS-0262", DUO, "J1:open_contact:A10", 262, 15.1, "No picture in the dock, one way up.", ("no_dock",),
               lots=(("J1", GOOD_PORTS),), bad_first=("J1", BAD_PORTS), quoted=True, posted=True),
    MonthStory("SLS-0274", DUO, "U3:quiet_failure", 274, 12.0, "No picture in the dock.", ("no_dock",),
               lots=(("U3", "donor SLS-0311"),), own=True, paid="145.00"),
    MonthStory("SLS-0280", ORB, "F1:blown_fuse:1:2", 280, 9.1, "Pad does not charge.", ("no_charge",),
               quoted=True),
    MonthStory("SLS-0311", DUO, "U7:hard_short:CORE", 311, 13.9, "Does not start, gets hot.", ("no_start",),
               "give_up", own=True, ending="donor"),
    MonthStory("SLS-0227", ORB, "U2:quiet_failure", 227, 19.2, "Does nothing at all.", ("no_start",),
               "give_up", ending="donor"),
    MonthStory("SLS-0598", DUO, "J1:open_contact:B7", 598, 0.9, "Charges, but no picture one way up.", ("no_dock",),
               "prove", lots=(("J1", BAD_PORTS),), due_hours=68.0, posted=True),
    MonthStory("SLS-0612", DUO, "FL1:open_winding:1:2", 612, 0.2, "No picture in the dock.", ("no_dock",), "repair",
               due_hours=3.0, quoted=True),
    MonthStory("SLS-0634", DUO, "U2:quiet_failure", 634, 0.15, "Does not charge at all.", ("no_charge",), "repair",
               due_hours=4.0),
)


def _played(library: PackLibrary, story: MonthStory, now: datetime) -> tuple[Entry, ...]:
    advice = library.advice_model(story.pack_id, METER_M1.name)
    unit = with_fault(advice, story.fault, story.seed)
    technician = BadPartTechnician(advice, unit, METER_M1, TECHNICIAN, now - timedelta(days=story.days_ago), COOLING)
    technician.bad_first, technician.lots = story.bad_first, dict(story.lots)
    due = "" if story.due_hours is None else (
        now + timedelta(hours=story.due_hours)).replace(minute=0).strftime("%Y-%m-%dT%H:%M")
    technician.open(story.serial, Intake(story.complaint, story.present, (), "", "supply, dock", "screws complete", due,
                                         None, story.posted))
    extra: list[Payload] = [OwnUnit(Decimal(140), Decimal(35), lot=UNITS)] if story.own else []
    if story.quoted:
        extra += [_quote(library, story, technician), QuoteAnswer("accepted")]
    technician.note(*extra, minutes=1.0)

    def stop(action: Action, _trail: tuple[Entry, ...]) -> bool:
        return action.kind == (story.until or "hand_over")

    technician.work(stop)
    if not story.until:
        said = next((p.price for p in extra if isinstance(p, Quote)), Decimal(story.paid or "0"))
        closing: list[Payload] = [Paid(said, "sold" if story.own else "job")] if said else []
        technician.note(*closing, Outcome("repaired"), minutes=6.0)
    elif story.ending == "donor":
        technician.note(Outcome("donor", "Kept for its parts."), minutes=5.0)
    return tuple(technician.trail)


def _quote(library: PackLibrary, story: MonthStory, technician: SimulatedTechnician) -> Quote:
    from dextrum.app.outlook.outlook import outlook_of_trail

    _, rest = outlook_of_trail(library.advice_model(story.pack_id, METER_M1.name), tuple(technician.trail))
    priced = price(rest, TERMS, DEMO_CURRENCY)
    return Quote(priced.price, "fixed", TERMS.not_repaired, False, round(priced.loss, 3), round(priced.chance_good, 3),
                 round(priced.middle, 2), "as the owner says")


class BadPartTechnician(SimulatedTechnician):
    """Names the lot a part is from; the first new part of one place is bad, and repairs nothing."""

    bad_first: tuple[str, str] = ("", "")
    lots: dict[str, str]

    def note(self, *payloads: Payload, minutes: float = 0.0) -> None:
        super().note(*(self._from_lot(p) for p in payloads), minutes=minutes)

    def _from_lot(self, payload: Payload) -> Payload:
        if not isinstance(payload, Rework) or payload.action != "replace":
            return payload
        before = self._fitted(payload.part)
        lot = self.bad_first[1] if payload.part == self.bad_first[0] and not before else self.lots.get(payload.part, "")
        return replace(payload, lot=lot, source=lot or payload.source, audit=AUDIT_STEPS if lot else payload.audit)

    def _fitted(self, part: str) -> bool:
        """Whether a new part went on at this place before."""
        return any(isinstance(e.payload, Rework) and (e.payload.part, e.payload.action) == (part, "replace")
                   for e in self.trail)

    def mend(self, part: str, action: str) -> None:
        if part != self.bad_first[0] or (action == "replace" and self._fitted(part)):
            super().mend(part, action)


def month_makers(library: PackLibrary, now: datetime) -> list[Callable[[], tuple[Entry, ...]]]:
    """What plays each job of the month."""
    return [partial(_played, library, story, now) for story in MONTH]


def _lot(days: float, name: str, part: str, of: str, count: int, cost: str, fits: Iterable[str], source: str,
         place: str) -> tuple[float, LinePayload]:
    return days, LotIn(name, part, of, count, Decimal(cost), tuple(fits), source, "", place)  # type: ignore[arg-type]


def _duo(*parts: str) -> tuple[str, ...]:
    return tuple(f"{DUO}:{part}" for part in parts)


SHOP_LINES: tuple[tuple[float, LinePayload], ...] = (
    (34.0, UnitsBought(UNITS, 6, Decimal("150.00"), Decimal("14.50"), "another town's library", "")),
    _lot(33.0, GOOD_PORTS, "USB-C port, 24 contacts", "port", 8, "3.90", _duo("J1"), "Quayside Parts",
         "drawer 3, bag A"),
    _lot(30.0, "F-A", "fuse 0805", "fuse", 20, "0.45", (*_duo("F1"), f"{ORB}:F1"), "Quayside Parts", "drawer 1, bag F"),
    _lot(30.0, "FL-A", "common-mode filter 0605", "filter", 12, "0.38", _duo("FL1", "FL2", "FL3", "FL4", "FL5"),
         "Quayside Parts", "drawer 1, bag L"),
    _lot(29.0, BAD_PORTS, "USB-C port, 24 contacts", "port", 10, "2.10", _duo("J1"), "a market stall",
         "drawer 3, bag C"),
    _lot(26.0, "U3-A", "A/V switch", "chip", 2, "7.60", _duo("U3"), "Quayside Parts", "drawer 2, bag V"),
    _lot(26.0, "W-1", "enamelled wire 0.1 mm, m", "wire", 50, "0.04", (), "Quayside Parts", "drawer 5"),
    (2.0, Ordered("A/V switch", 2, "2026-03-14")),
)


def demo_week(moment: datetime) -> ShopWeek:
    """Hours on every day, so that the demo has a day whenever it is first opened; late or early, all of that day."""
    here = moment.astimezone()
    hours: list[tuple[tuple[str, str], ...]] = [OFFICE] * 7
    if not OPENED_FROM <= here.hour < OPENED_TO:
        hours[here.weekday()] = (("00:00", "23:59"),)
    return ShopWeek(hours=tuple(hours))


def fill_shop(store: JobStore, moment: datetime) -> None:
    """Currency, charges and the ledger of the month, moved to `moment`; what its lots show is told."""
    from dextrum.app.stock.taking import lots_of, tell_of_bad_lots

    set_shop_week(store, demo_week(moment))
    set_currency(store, DEMO_CURRENCY)
    set_charges(store, DEMO_CHARGES)
    for days, line in SHOP_LINES:
        at = moment - timedelta(days=days)
        day = at.date().isoformat()
        if isinstance(line, Ordered):
            line = replace(line, due=(moment + timedelta(days=2)).date().isoformat())
        elif isinstance(line, LotIn | UnitsBought):
            line = replace(line, day=day)
        add_lines(store, (line,), TECHNICIAN, at)
    tell_of_bad_lots(store, lots_of(store), TECHNICIAN, moment - timedelta(hours=2))

