"""A bench at work: one store, one library of packs, one technician, one meter in hand."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from datetime import UTC, datetime
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING

from dextrum.app.job.job_files import ImportedJob, export_job, import_job
from dextrum.app.job.trail_words import words_of
from dextrum.app.library.learning import forget, kept_factors, learn
from dextrum.app.library.library import PackLibrary
from dextrum.app.library.shop_library import (
    REFERENCE_METER,
    Merged,
    join_shop,
    library_csv,
    merge_csv,
    merge_rows,
    readings_to_offer,
)
from dextrum.app.money.shown_amounts import show_as_shop
from dextrum.core.board import Board, Method
from dextrum.core.board.breakout import Breakout, contact_order
from dextrum.core.job import JobFacts, job_facts
from dextrum.core.trail import (
    Access,
    Cell,
    Entry,
    JobOpened,
    PackVersion,
    PartAlone,
    Payload,
    PointReading,
    Readings,
    Rework,
    Strike,
    standing,
    struck_ids,
)
from dextrum.errors import DextrumError, EntryRefusedError
from dextrum.progress import Told, unheard
from dextrum.store.bench_settings import (
    FALSE_ALARM,
    FALSE_ALARM_BOUNDS,
    BenchMeter,
    bench_meters,
    breakouts,
    part_prices,
    put_away_meter,
    set_false_alarm,
    set_part_price,
    set_shop_assumed,
    set_shop_rates,
    set_up_breakout,
    set_up_meter,
    shop_assumed,
    shop_rates,
)
from dextrum.store.entries import new_entry
from dextrum.store.files import write_beside
from dextrum.store.gear import GearRecord, add_gear, list_gear, prove_gear, retire_gear
from dextrum.store.jobs import JobRow, JobStore
from dextrum.store.known_good import TakenOut, add_readings, has_shop_readings, take_out, taken_out
from dextrum.tongue import capital, tr

Clock = Callable[[], datetime]


if TYPE_CHECKING:
    from dextrum.store.table_look import TableLook


def system_clock() -> datetime:
    return datetime.now(UTC)


def _takes_parts(payloads: tuple[Payload, ...]) -> bool:
    return any((isinstance(p, Rework) and p.action != "clean" and not p.lot)
               or (isinstance(p, Cell) and p.state == "new") for p in payloads)


MOST_OPEN = 10_000
"""Open jobs that are looked through when a pack changes: more than any shelf holds."""


class BenchSession:
    """Every way of changing a job goes through here; each is committed before the call returns."""

    def __init__(self, store: JobStore, library: PackLibrary, who: str = "bench", meter: str = "M1",
                 clock: Clock = system_clock) -> None:
        self.store = store
        self.library = library
        self.who = who
        self.meter = meter
        self.clock = clock
        if has_shop_readings(store) or store.setting(REFERENCE_METER) or store.setting(FALSE_ALARM):
            join_shop(store, library)
        elif library.has_shop:
            library.leave_shop()
        library.use_rates(shop_rates(store), part_prices(store))
        library.use_learned(kept_factors(store))
        library.use_assumed(shop_assumed(store))
        show_as_shop(store)
        self.notices: list[str] = []
        self._here: dict[str, set[str]] = {}
        self._undone: dict[str, list[str]] = {}
        self._in_hand = ""
        library.before_change = self._others_stay

    @cached_property
    def _meters(self) -> dict[str, BenchMeter]:
        """By name; read when first asked for."""
        return {meter.name: meter for meter in bench_meters(self.store)}

    def open_new_job(self, serial: str, pack_id: str) -> str:
        """A new job; returns its id. Raises EntryRefusedError when the serial is empty."""
        board = self.library.board(pack_id)
        if not serial.strip():
            raise EntryRefusedError(
                tr("The serial is empty."), tr("Nothing was recorded."), tr("Type what the label says.")
            )
        opened = JobOpened(serial.strip(), board.model, pack_id)
        first = new_entry(opened, self.who, self.clock())
        job_id = self.store.create(first)
        self._here[job_id] = {first.id}
        return job_id

    def open_comeback(self, job_id: str) -> str:
        """The unit of a closed job came back: a new job that knows the old; returns its id. Raises EntryRefusedError
        for a job that is still open, StoreError."""
        facts = job_facts(self.store.trail(job_id))
        if facts.outcome is None:
            raise EntryRefusedError(tr("{serial} is still open.",
                                       serial=facts.serial), tr("Nothing was recorded."), tr("Go on with this job."))
        first = new_entry(JobOpened(facts.serial, facts.model, facts.pack_id, job_id), self.who, self.clock())
        new = self.store.create(first)
        self._here[new] = {first.id}
        return new

    def record(self, job_id: str, *payloads: Payload, known: tuple[Entry, ...] | None = None) -> tuple[Entry, ...]:
        """Commit payloads to a job's trail, all or none."""
        facts = job_facts(self.store.trail(job_id) if known is None else known) if _takes_parts(payloads) else None
        new = self.entries_for(facts, *payloads)
        self.keep(job_id, new, known)
        return new

    def entries_for(self, facts: JobFacts | None, *payloads: Payload) -> tuple[Entry, ...]:
        """Payloads as entries of now; a rework with the lot its part is taken from, and the wire and alloy it takes.
        facts: of its job, needed only where there is one. Where the stock can't be read the rework is recorded without
        them, and `notices` say so."""
        if facts is not None and _takes_parts(payloads):
            from dextrum.app.rework.recipes import recipe_followed
            from dextrum.app.stock.taking import with_lots

            try:
                payloads = with_lots(self.store, facts.pack_id, facts.serial, payloads, lambda rework: recipe_followed(
                    self.store, self._board_of(facts.pack_id), facts.rework_plan, rework))
            except DextrumError as problem:
                self.notices.append(tr("Recorded without the lot of its part: {problem}", problem=problem))
        return tuple(new_entry(payload, self.who, self.clock()) for payload in payloads)

    def _board_of(self, pack_id: str) -> Board | None:
        try:
            return self.library.board(pack_id)
        except DextrumError:
            return None

    def keep(self, job_id: str, new: tuple[Entry, ...], known: tuple[Entry, ...] | None = None,
             pictures: tuple[bytes, ...] = ()) -> None:
        """Commit entries that were made already, all or none, with the pictures they name. Raises StoreError."""
        self.store.append(job_id, *new, known=known, pictures=pictures)
        self._here.setdefault(job_id, set()).update(entry.id for entry in new)
        self._undone.pop(job_id, None)
        if any(isinstance(entry.payload, Rework | PartAlone | Cell) for entry in new):
            self._parts_follow(job_id, new)

    def _parts_follow(self, job_id: str, new: tuple[Entry, ...]) -> None:
        """The rework is recorded, whatever comes of its part in the stock; what is to be said of that waits in
        `notices`."""
        from dextrum.app.stock.taking import after_parts

        try:
            serial = job_facts(self.store.trail(job_id)).serial
            self.notices += after_parts(self.store, job_id, serial, new, self.who, self.clock())
        except DextrumError as problem:
            self.notices.append(str(problem))

    def take_notices(self) -> tuple[str, ...]:
        """What followed from what was recorded, once."""
        said, self.notices = tuple(self.notices), []
        return said

    def reading_payloads(self, reading: PointReading, method: Method, facts: JobFacts,
                         board_celsius: float | None = None, turned: bool = False, meter: str = "") -> tuple[
            Payload, ...]:
        """One typed or heard reading; getting to a deeper access level comes with it.

        turned: the tester or breakout sits in the port the other way up. meter: that read it, where it isn't the one in
        hand. Raises ValueError for a value that can't be.
        """
        board = self.library.board(facts.pack_id)
        order, access = board.access_order, board.point_by_id[reading.point].access
        name = meter or self.meter
        known = self._meters.get(name)
        taken = Readings(method, (reading,), name, board_celsius,
                         known.test_milliamps if known and method.is_diode else None, turned)
        deeper = order.get(access, 0) > order.get(facts.access, 0)
        return (Access(access), taken) if deeper else (taken,)

    def record_reading(self, job_id: str, reading: PointReading, method: Method,
                       known: tuple[Entry, ...] | None = None, facts: JobFacts | None = None,
                       board_celsius: float | None = None, turned: bool = False) -> tuple[Entry, ...]:
        """Commit one reading, see `reading_payloads`. known, facts: the trail and its facts as the caller has them, to
        save reading them again."""
        if facts is None:
            facts = job_facts(self.store.trail(job_id) if known is None else known)
        return self.record(job_id, *self.reading_payloads(reading, method, facts, board_celsius, turned), known=known)

    def begin(self, job_id: str, trail: tuple[Entry, ...]) -> None:
        """A job has come into view with this trail: what stands in it already may be struck out from here."""
        self._in_hand = job_id
        self._here.setdefault(job_id, set()).update(entry.id for entry in trail)

    def _others_stay(self, pack_id: str) -> None:
        """A pack is about to change by the job in hand: open jobs that have been worked on with it as it is stay on
        that, until somebody moves them on."""
        rows = [row for row in self.store.shelf(closed=False, most=MOST_OPEN)
                if row.pack_id == pack_id and row.id != self._in_hand]
        version = ""
        for row in rows:
            trail = self.store.trail(row.id)
            if len(standing(trail)) > 1 and not job_facts(trail).pack_version:
                version = version or self.library.keep_version(pack_id)
                if version:
                    self.store.append(row.id, new_entry(PackVersion(version), self.who, self.clock()), known=trail)

    def strike_last(self, job_id: str) -> Entry | None:
        """Strike out the last standing entry; None when only the opening is left.

        Raises EntryRefusedError for one that another window wrote since the job was opened here: it is named instead.
        """
        stands = [e for e in standing(self.store.trail(job_id)) if not isinstance(e.payload, JobOpened)]
        if not stands:
            return None
        last = stands[-1]
        if job_id in self._here and last.id not in self._here[job_id]:
            raise EntryRefusedError(tr("The last entry was made in another window by {who}: {kind}.", who=last.who,
                                       kind=words_of(last, None)[0]), tr("It was not struck out."),
                                    tr("Choose it in the trail; Ctrl+Del strikes it out."))
        undone = self._undone.get(job_id, [])
        self.record(job_id, Strike(last.id))
        self._undone[job_id] = [*undone, last.id]
        return last

    def strike(self, job_id: str, entry_id: str, reason: str = "") -> None:
        """Strike out one entry. Raises EntryRefusedError when it can't be."""
        found = next((e for e in self.store.trail(job_id) if e.id == entry_id), None)
        if found is None or isinstance(found.payload, JobOpened):
            raise EntryRefusedError(tr("That entry can't be struck out."), tr("Nothing was recorded."), "")
        undone = self._undone.get(job_id, [])
        self.record(job_id, Strike(entry_id, reason))
        self._undone[job_id] = [*undone, entry_id]

    def bring_back(self, job_id: str) -> Entry | None:
        """Bring back what was struck out last here; None where nothing was, or something was recorded since."""
        undone = self._undone.get(job_id, [])
        if not undone:
            return None
        found = self.bring_one_back(job_id, undone[-1])
        self._undone[job_id] = undone[:-1]
        return found

    def bring_one_back(self, job_id: str, entry_id: str) -> Entry | None:
        """Strike the strike that stands against an entry, so that it counts again; None where none stands."""
        trail = self.store.trail(job_id)
        struck = struck_ids(trail)
        against = [e for e in trail if isinstance(e.payload, Strike) and e.payload.entry == entry_id
                   and e.id not in struck]
        for strike in against:
            self.record(job_id, Strike(strike.id))
        return next((e for e in trail if e.id == entry_id), None) if against else None

    def gear(self) -> tuple[GearRecord, ...]:
        """Supplies, cables and docks in use. Raises StoreError."""
        return list_gear(self.store)

    def add_gear(self, kind: str, name: str, supply_class: str = "") -> GearRecord:
        """A new piece of gear, or one that comes back. Raises EntryRefusedError, StoreError."""
        return add_gear(self.store, kind, name, supply_class, self.clock())

    def prove_gear(self, gear_id: str, good: bool, how: str) -> None:
        """Record that a piece has just proved good, or bad. Raises StoreError."""
        prove_gear(self.store, gear_id, good, how, self.who, self.clock())

    def retire_gear(self, gear_id: str) -> None:
        """Put a piece away. Raises StoreError."""
        retire_gear(self.store, gear_id, self.clock())

    def offer_readings(self, job_id: str) -> int:
        """Add a proved unit's readings to the library; returns how many were new.

        Raises EntryRefusedError when it is not proved or has no readings, StoreError.
        """
        facts = job_facts(self.store.trail(job_id))
        board = self.library.board(facts.pack_id)
        offered = readings_to_offer(board, self.library.references(facts.pack_id, self.meter), facts)
        new = add_readings(self.store, facts.pack_id, offered, self.clock())
        join_shop(self.store, self.library)
        return new

    def learn_good_unit(self, job_id: str) -> int:
        """What was read of a unit that is said to be good teaches its pack, one of the shop's own; how many readings
        were new. Raises EntryRefusedError where nothing was read, StoreError, ImportRefusedError."""
        from dextrum.app.packmaking.own_packs import readings_of_good, taught

        trail = self.store.trail(job_id)
        facts = job_facts(trail)
        board = self.library.board(facts.pack_id)
        new = add_readings(self.store, facts.pack_id, readings_of_good(board, facts), self.clock())
        join_shop(self.store, self.library)
        self.library.keep(taught(board, self.library.pack(facts.pack_id).known_good, trail))
        return new

    def take_board_out(self, pack_id: str, board_serial: str, reason: str, out: bool = True) -> None:
        """Take a board out of the references with a reason, or back; everything is judged anew.

        Raises EntryRefusedError when the board is not there or the reason is empty, StoreError.
        """
        there = {r.board_serial for r in self.library.pack(pack_id).known_good}
        gone = {t.board_serial for t in taken_out(self.store, pack_id)}
        if board_serial not in (there if out else gone):
            what = tr("is not among the known-good boards") if out else tr("has not been taken out")
            names = ", ".join(sorted(there if out else gone)) or "none"
            raise EntryRefusedError(f"{board_serial[:40]!r} {what}.", tr("Nothing was changed."), tr("There: {names}.",
                                                                                                     names=names))
        take_out(self.store, pack_id, board_serial, reason, self.who, self.clock(), out)
        join_shop(self.store, self.library)

    def taken_out(self, pack_id: str) -> tuple[TakenOut, ...]:
        """Boards that don't count now, with why. Raises StoreError."""
        return taken_out(self.store, pack_id)

    def merge_library(self, pack_id: str, path: Path, told: Told = unheard) -> Merged:
        """Take in a library as CSV. May take long. Raises ImportRefusedError, StoreError, StoppedError."""
        return self._merged(pack_id, lambda: merge_csv(self.store, self.library, pack_id, path, self.clock(), told))

    def merge_table(self, pack_id: str, table: TableLook, told: Told = unheard) -> Merged:
        """Take in a table that another program wrote, with its columns as they were chosen. Raises as
        `merge_library`."""
        from dextrum.app.library.foreign_tables import Unsaid, rows_of

        def merge() -> Merged:
            rows = rows_of(table, self.library.board(pack_id), Unsaid(table.path.stem[:40], self.meter))
            return merge_rows(self.store, self.library, pack_id, rows, table.path.name, self.clock(), told)

        return self._merged(pack_id, merge)

    def _merged(self, pack_id: str, merge: Callable[[], Merged]) -> Merged:
        """However it ends, the library judges by what was taken in."""
        try:
            return merge()
        finally:
            if not self.library.has_shop:
                join_shop(self.store, self.library)
            self.library.take_in(pack_id, self.meter)

    def write_library(self, pack_id: str, path: Path, over: bool = False) -> None:
        """Write the library of a pack as CSV. Raises FileStandsError, ImportRefusedError, see `write_beside`."""
        write_beside(path, library_csv(self.library, pack_id).encode(), over)

    def meters(self) -> tuple[BenchMeter, ...]:
        """The bench's own meters as they were set up. Raises StoreError."""
        return bench_meters(self.store)

    def set_up_meter(self, meter: BenchMeter) -> None:
        """Add a meter, or change it. Raises StoreError."""
        set_up_meter(self.store, meter)
        self._meters[meter.name] = meter

    def put_away_meter(self, name: str) -> None:
        """Take a meter off the list; what it has read stays. Another comes in hand. Raises StoreError."""
        put_away_meter(self.store, name)
        self._meters.pop(name, None)
        if self.meter == name:
            self.meter = next(iter(self._meters), "M1")
            self.store.set_setting("meter", self.meter)

    def breakouts(self) -> tuple[Breakout, ...]:
        """The bench's breakouts and how each counts. Raises StoreError."""
        return breakouts(self.store)

    def set_up_breakout(self, pack_id: str, name: str, order: str) -> Breakout:
        """A breakout that counts the contacts of a port in `order`. Raises EntryRefusedError, StoreError."""
        board = self.library.board(pack_id)
        if not board.ports or not name.strip():
            what = tr("This pack has no port.") if not board.ports else tr("The breakout has no name.")
            raise EntryRefusedError(
                what, tr("Nothing was recorded."), tr("What is printed on it, such as blue breakout.")
            )
        try:
            found = Breakout(name.strip(), contact_order(order, (c.name for c in board.ports[0].contacts)))
        except ValueError as wrong:
            raise EntryRefusedError(f"{wrong}.", tr("Nothing was recorded."), tr("Such as A1-A12 B12-B1.")) from None
        set_up_breakout(self.store, found)
        return found

    def accept_false_alarms(self, share: float) -> None:
        """The share of scans of a good board that may call a reading off; everything is judged anew.

        Raises EntryRefusedError outside 0.1 to 50 %, StoreError.
        """
        try:
            set_false_alarm(self.store, share)
        except ValueError:
            low, high = FALSE_ALARM_BOUNDS
            raise EntryRefusedError(tr("{share:g} % is outside {low:g} to {high:g} %.", share=100 * share,
                                       low=100 * low, high=100 * high),
                                    tr("Nothing was changed."), tr("Five in a hundred is usual.")) from None
        join_shop(self.store, self.library)

    def charge(self, labour_per_minute: float) -> None:
        """What a minute of work costs here, in the shop's currency. Raises EntryRefusedError, StoreError."""
        try:
            rates = replace(self.library.rates, labour_per_minute=labour_per_minute)
        except ValueError as bad:
            raise EntryRefusedError(f"{capital(str(bad))}.", tr("Nothing was changed."),
                                    tr("Give what a minute of work costs.")) from None
        set_shop_rates(self.store, rates)
        self.library.use_rates(rates, self.library.prices)

    def price(self, pack_id: str, part: str, price: float) -> None:
        """What a part costs here. Raises EntryRefusedError, StoreError."""
        try:
            set_part_price(self.store, pack_id, part, price)
        except ValueError as bad:
            raise EntryRefusedError(f"{capital(str(bad))}.", tr("Nothing was changed."),
                                    tr("Give what one part costs.")) from None
        self.library.use_rates(self.library.rates, part_prices(self.store))

    def assume(self, name: str, value: float | None) -> None:
        """What this shop states in place of what is assumed; None: as assumed again. Raises EntryRefusedError,
        StoreError."""
        try:
            self.library.use_assumed(set_shop_assumed(self.store, name, value))
        except ValueError as bad:
            raise EntryRefusedError(f"{capital(str(bad))}.", tr("Nothing was changed."),
                                    tr("Give a number within its range.")) from None

    def learn(self, pack_id: str, told: Told = unheard) -> str:
        """Count what this shop's closed jobs show of how often parts fail; says what was learned. May take long. Raises
        StoreError, StoppedError."""
        return learn(self.store, self.library, pack_id, told)

    def forget_learned(self, pack_id: str) -> None:
        """Back to the pack's own rates. Raises StoreError."""
        forget(self.store, self.library, pack_id)

    def shelf(self, text: str = "") -> tuple[JobRow, ...]:
        """Open jobs; with a search text, closed ones too."""
        return self.store.shelf(text, None if text.strip() else False)

    def earlier_jobs(self, job_id: str, serial: str, opened_at: datetime | None) -> tuple[tuple[JobRow, ...], JobFacts]:
        """Jobs of the same unit that were opened before this one, newest first, and where the last of them ended."""
        rows = tuple(row for row in self.store.of_serial(serial) if row.id != job_id and opened_at is not None
                     and datetime.fromisoformat(row.opened_at) <= opened_at)
        return rows, job_facts(self.store.trail(rows[0].id)) if rows else JobFacts()

    def due(self, now: datetime) -> tuple[JobRow, ...]:
        """Open jobs whose wait has come to its end, longest first. now: with the bench's zone."""
        return self.store.waiting(now.astimezone().strftime("%Y-%m-%dT%H:%M"))

    def export_job(self, trail: tuple[Entry, ...], path: Path, over: bool = False) -> None:
        """Write a trail as the caller has it, also what could not be kept in the job file. Raises FileStandsError,
        ImportRefusedError, StoreError where a picture is gone."""
        export_job(self.store, trail, path, over)

    def import_job(self, path: Path, told: Told = unheard) -> ImportedJob:
        """Take in a job file; entries that are already here are not taken twice. May take long. Raises
        ImportRefusedError, StoreError, StoppedError."""
        return import_job(self.store, path, told)
