"""Jobs and their trails. An entry is committed before `append` returns; nothing is ever changed or deleted."""

from __future__ import annotations

import json
from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path

import sqlalchemy as sa

from dextrum.core.job import JobFacts, job_facts
from dextrum.core.trail import Entry, JobOpened, local_time
from dextrum.errors import StoreError, StoreGoneError
from dextrum.progress import Told, go_on, unheard
from dextrum.store.database import file_identity, holds_entry, open_engine, told_as_store_errors
from dextrum.store.entries import decode_row, payload_to_json, payload_version
from dextrum.store.pictures import FOLDER as PICTURES
from dextrum.store.pictures import pictures_of, place_of, read_picture, sweep, write_picture
from dextrum.store.schema import OWN_UNIT
from dextrum.store.schema import entries as entries_table
from dextrum.store.schema import jobs as jobs_table
from dextrum.store.schema import settings as settings_table
from dextrum.tongue import english, tr

MOST_ASKED = 500
"""Entry ids that are looked for one by one; beyond it all of the job are fetched."""
TOUCHES_STOCK = frozenset({"rework", "part_alone", "cell", "strike"})
"""Kinds of entries after which the parts that a job took are counted again."""
TOLD_EVERY = 1000
"""Entries between two words of progress."""

# Built once: a statement made anew each time costs as much as running it.
_KNOWN = sa.select(entries_table.c.id).where(
    entries_table.c.job_id == sa.bindparam("job"), entries_table.c.id.in_(sa.bindparam("ids", expanding=True)))
_LAST_POSITION = sa.select(sa.func.coalesce(sa.func.max(entries_table.c.position), -1)).where(
    entries_table.c.job_id == sa.bindparam("job"))
_INSERT = entries_table.insert()
_SUMMARISE = jobs_table.update().where(jobs_table.c.id == sa.bindparam("job")).values(
    {name: sa.bindparam(name) for name in ("changed_at", "closed_at", "stage", "waits_for", "waits_until", "due",
                                           "outcome", "search_text")})


@dataclass(frozen=True)
class JobRow:
    """One tag on the shelf. due, waits_until and changed_at are ISO times; due and waits_until may be empty, and are
    in the bench's own clock."""

    id: str
    serial: str
    model: str
    pack_id: str
    opened_at: str
    stage: str
    waits_for: str
    waits_until: str
    due: str
    outcome: str
    changed_at: str
    closed_at: str = ""


def _summary(facts: JobFacts) -> dict[str, str]:
    wait = facts.wait
    until = local_time(wait.until) if wait else None
    intake = facts.intake
    text = " ".join((facts.serial, facts.model, intake.complaint if intake else "",
                     " ".join(rework.part for _, rework in facts.reworks)))
    return {"stage": facts.stage, "waits_for": english(facts.waits_for),
            "waits_until": until.strftime("%Y-%m-%dT%H:%M") if until else "", "due": intake.due if intake else "",
            "closed_at": facts.closed_at.astimezone(UTC).isoformat() if facts.closed_at else "",
            "outcome": facts.outcome.result if facts.outcome else "", "search_text": text.casefold()}


def _written(entry: Entry) -> str:
    return json.dumps(payload_to_json(entry.payload), ensure_ascii=False)


class JobStore:
    """All jobs of one database."""

    def __init__(self, place: Path | str) -> None:
        self.engine = open_engine(place)
        self.folder = Path(place).parent
        self.path = Path(place) if self.engine.dialect.name == "sqlite" else None
        self.set_aside: dict[str, str] = {}
        self._opened_as = file_identity(self.path) if self.path is not None else None
        self._writing = self.engine.execution_options(writes=True)

    def close(self) -> None:
        self.engine.dispose()

    def create(self, opened: Entry) -> str:
        """A new job from its first entry; returns its id (the entry's own). Raises StoreError."""
        return self.add_trail((opened,))

    def add_trail(self, trail: Sequence[Entry]) -> str:
        """A whole job at once, for demo data and tests; see `take_in`."""
        return self.take_in(trail)[0]

    def take_in(self, trail: Sequence[Entry], told: Told = unheard, pictures: Iterable[bytes] = ()) -> tuple[str, int]:
        """A whole job at once; entries already there are skipped. Returns its id and how many entries were new.
        pictures: that the trail names, read one by one while they are written.

        Raises StoreError when the trail does not begin with the opening of a job, StoppedError; then none is recorded.
        """
        first = trail[0] if trail else None
        if first is None or not isinstance(first.payload, JobOpened):
            raise StoreError(tr("The trail does not begin with the opening of a job."), tr("Nothing was recorded."), "")
        # Written down before the transaction begins: whoever records meanwhile must not wait for it.
        written: dict[str, str] = {}
        for place, entry in enumerate(trail):
            if place % TOLD_EVERY == 0:
                go_on(told, place / len(trail), tr("Nothing was recorded."))
            written[entry.id] = _written(entry)
        named = False
        for data in pictures:  # not inside the write: others record meanwhile
            named = True
            with told_as_store_errors(tr("The pictures were not recorded")):
                self._keep_pictures((data,))
        with told_as_store_errors(tr("The job was not recorded")), self._writing.begin() as db:
            there = db.execute(sa.select(jobs_table.c.id).where(jobs_table.c.id == first.id)).first()
            lost = [name for name in pictures_of(trail) if named and not place_of(self.folder, name).is_file()]
            if lost:
                raise StoreError(
                    tr("Another window cleared up meanwhile."), tr("Nothing was recorded."), tr("Try again.")
                )
            if there is None:
                db.execute(jobs_table.insert().values(
                    id=first.id, serial=first.payload.serial, model=first.payload.model,
                    pack_id=first.payload.pack_id, opened_at=first.at.isoformat(),
                    changed_at=first.at.isoformat(), stage="intake"))
            new = self._insert(db, first.id, trail, () if there is None else None, written)
        self.must_stand(trail[-1].id)
        return first.id, new

    def append(self, job_id: str, *new: Entry, known: Sequence[Entry] | None = None,
               pictures: Sequence[bytes] = ()) -> None:
        """Commit entries to a job's trail in one transaction. Raises StoreError; then none is recorded.

        known: the trail as the caller has it. Used for the summary only, and only while it is the whole trail.
        pictures: that the entries name; on the disk before the entries are.
        """
        self.must_stand()
        with told_as_store_errors(tr("The entry was not recorded")), self._writing.begin() as db:
            self._keep_pictures(pictures)
            self._insert(db, job_id, new, known)
        self.must_stand(new[-1].id if new else "")

    def _keep_pictures(self, pictures: Iterable[bytes]) -> None:
        """Inside a write: nobody sweeps meanwhile."""
        for data in pictures:
            if self.path is None:
                raise StoreError(tr("Pictures are kept beside a job file only."), tr("Nothing was recorded."), "")
            write_picture(self.folder, data)

    def picture(self, sha256: str) -> bytes:
        """A picture by its content. Raises StoreError where it is gone or damaged."""
        return read_picture(self.folder, sha256)

    def sweep_pictures(self) -> int:
        """Take away pictures whose entry was never written, as after a crash; returns how many. Raises StoreError."""
        if self.path is None or not (self.folder / PICTURES).is_dir():
            return 0
        self.must_stand()
        with told_as_store_errors(tr("The pictures were not looked through")), self._writing.begin() as db:
            named = set()
            for (payload,) in db.execute(sa.select(entries_table.c.payload).where(entries_table.c.kind == "photo")):
                found = json.loads(payload) if payload else {}
                named.add(str(found.get("sha256", "")) if isinstance(found, dict) else "")
            return sweep(self.folder, named)

    def must_stand(self, entry: str = "") -> None:
        """Raise StoreGoneError unless the file at the path is the one that was opened, and holds this entry."""
        if self.path is not None and not (file_identity(self.path) == self._opened_as
                                          and (not entry or holds_entry(self.path, entry))):
            raise StoreGoneError(tr("The job file was deleted, replaced or moved while the program runs."),
                                 tr("What is recorded now is kept in memory only."),
                                 tr("Ctrl+E writes this job to a file; then start again."))

    def _insert(self, db: sa.Connection, job_id: str, new: Sequence[Entry],
                before: Sequence[Entry] | None = None, written: Mapping[str, str] | None = None) -> int:
        """Returns how many were new. written: payloads as text, where they were made before."""
        # A database takes so many values in one question, and no more.
        known = {row[0] for row in (
            db.execute(_KNOWN, {"job": job_id, "ids": [entry.id for entry in new]}) if len(new) <= MOST_ASKED else
            db.execute(sa.select(entries_table.c.id).where(entries_table.c.job_id == job_id)))}
        position = db.execute(_LAST_POSITION, {"job": job_id}).scalar_one()
        rows = []
        for entry in new:
            if entry.id in known:
                continue
            known.add(entry.id)
            position += 1
            rows.append({"id": entry.id, "job_id": job_id, "position": position, "at": entry.at.isoformat(),
                         "who": entry.who, "kind": entry.payload.kind, "version": payload_version(entry.payload.kind),
                         "payload": (written or {}).get(entry.id) or _written(entry)})
        if not rows:
            return 0
        db.execute(_INSERT, rows)
        whole = before is not None and len(before) + len(rows) == position + 1 and len(rows) == len(new)
        trail = (*before, *new) if whole and before is not None else self._read(db, job_id)
        if any(entry.payload.kind in TOUCHES_STOCK for entry in new):
            # Here, since most entries touch no stock.
            from dextrum.store.part_uses import renew_uses

            renew_uses(db, job_id, trail)
        db.execute(_SUMMARISE, {"job": job_id, "changed_at": max(entry.at for entry in trail).isoformat(),
                                **_summary(job_facts(trail))})
        return len(rows)

    def _read(self, db: sa.Connection, job_id: str) -> tuple[Entry, ...]:
        t = entries_table.c
        rows = db.execute(sa.select(t.id, t.at, t.who, t.version, t.payload).where(t.job_id == job_id)
                          .order_by(t.position))
        found: list[Entry] = []
        wrong = 0
        for row in rows:
            try:
                found.append(decode_row(*row))
            except StoreError as problem:
                wrong += 1
                self.set_aside[job_id] = (tr("{wrong} {which} of this job can't be read, and set aside as {they}. "
                                             "The first: {happened}", wrong=wrong,
                                             which=tr("entry") if wrong == 1 else tr("entries"),
                                             they="it is" if wrong == 1 else "they are",
                                             happened=problem.happened))
        if not wrong:
            self.set_aside.pop(job_id, None)
        return tuple(found)

    def trail(self, job_id: str) -> tuple[Entry, ...]:
        """All entries of a job, in the order in which they were recorded."""
        with told_as_store_errors(tr("The job can't be read")), self.engine.connect() as db:
            return self._read(db, job_id)

    def shelf(self, text: str = "", closed: bool | None = False, most: int = 200) -> tuple[JobRow, ...]:
        """Jobs by when they came in, newest first. text: words that must all occur; closed None for both."""
        t = jobs_table.c
        query = sa.select(t.id, t.serial, t.model, t.pack_id, t.opened_at, t.stage, t.waits_for, t.due,
                          t.waits_until, t.outcome, t.changed_at).order_by(t.opened_at.desc(), t.id).limit(most)
        if closed is not None:
            query = query.where(t.outcome != "" if closed else t.outcome == "")
        for word in text.casefold().split():
            query = query.where(t.search_text.contains(word, autoescape=True))
        with told_as_store_errors(tr("The shelf can't be read")), self.engine.connect() as db:
            return tuple(JobRow(**row) for row in db.execute(query).mappings())

    def of_serial(self, serial: str) -> tuple[JobRow, ...]:
        """All jobs of one unit, newest first."""
        t = jobs_table.c
        query = sa.select(*(t[name] for name in JobRow.__dataclass_fields__)).where(
            t.serial == serial).order_by(t.opened_at.desc()).limit(50)
        with told_as_store_errors(tr("The shelf can't be read")), self.engine.connect() as db:
            return tuple(JobRow(**row) for row in db.execute(query).mappings())

    def begins(self, beginning: str) -> tuple[str, ...]:
        """Ids of the jobs that begin so, at most two: more than one is none that could be meant."""
        t = jobs_table.c
        query = sa.select(t.id).where(t.id.startswith(beginning, autoescape=True)).limit(2)
        with told_as_store_errors(tr("The jobs can't be read")), self.engine.connect() as db:
            return tuple(str(row[0]) for row in db.execute(query))

    def closed_of_pack(self, pack_id: str, most: int) -> tuple[str, ...]:
        """Ids of the closed jobs of a pack, newest first."""
        t = jobs_table.c
        query = sa.select(t.id).where(t.pack_id == pack_id, t.outcome != "").order_by(
            t.opened_at.desc(), t.id).limit(most)
        with told_as_store_errors(tr("The jobs can't be read")), self.engine.connect() as db:
            return tuple(str(row[0]) for row in db.execute(query))

    def last_positions(self, job_ids: Sequence[str]) -> dict[str, int]:
        """Place of the last entry of each job: it moves with every entry. Raises StoreError."""
        t = entries_table.c
        found: dict[str, int] = {}
        with told_as_store_errors(tr("The jobs can't be read")), self.engine.connect() as db:
            for begin in range(0, len(job_ids), MOST_ASKED):
                query = sa.select(t.job_id, sa.func.max(t.position)).where(
                    t.job_id.in_(job_ids[begin:begin + MOST_ASKED])).group_by(t.job_id)
                found |= {str(job): int(last) for job, last in db.execute(query)}
        return found

    def closed_between(self, since: str, until: str, most: int) -> tuple[JobRow, ...]:
        """Jobs that were closed from `since` on and before `until`, ISO times in UTC, in that order."""
        t = jobs_table.c
        query = sa.select(*(t[name] for name in JobRow.__dataclass_fields__)).where(
            t.closed_at >= since, t.closed_at < until, t.outcome != "").order_by(t.closed_at).limit(most)
        with told_as_store_errors(tr("The jobs can't be read")), self.engine.connect() as db:
            return tuple(JobRow(**row) for row in db.execute(query).mappings())

    def with_outcome(self, outcome: str, most: int = 500) -> tuple[JobRow, ...]:
        """Jobs that ended so, newest first."""
        t = jobs_table.c
        query = sa.select(*(t[name] for name in JobRow.__dataclass_fields__)).where(
            t.outcome == outcome).order_by(t.changed_at.desc()).limit(most)
        with told_as_store_errors(tr("The jobs can't be read")), self.engine.connect() as db:
            return tuple(JobRow(**row) for row in db.execute(query).mappings())

    def own_units(self, most: int) -> tuple[JobRow, ...]:
        """Jobs of units that are the shop's own, newest first."""
        t = jobs_table.c
        # Written out, since a partial index serves no value that comes later.
        own = sa.select(entries_table.c.job_id).where(OWN_UNIT).distinct()
        query = sa.select(*(t[name] for name in JobRow.__dataclass_fields__)).where(
            t.id.in_(own)).order_by(t.opened_at.desc()).limit(most)
        with told_as_store_errors(tr("The jobs can't be read")), self.engine.connect() as db:
            return tuple(JobRow(**row) for row in db.execute(query).mappings())

    def came_back(self) -> frozenset[str]:
        """Ids of closed jobs after which the unit came back."""
        t = entries_table.c
        with told_as_store_errors(tr("The jobs can't be read")), self.engine.connect() as db:
            rows = db.execute(sa.select(t.payload).where(t.kind == "job_opened",
                                                         t.payload.contains('"comes_back": "', autoescape=True)))
            found = {str(json.loads(payload).get("comes_back", "")) for (payload,) in rows}
        return frozenset(found - {""})

    def first_opened(self) -> datetime | None:
        """When the first job came in; None on an empty bench."""
        with told_as_store_errors(tr("The jobs can't be read")), self.engine.connect() as db:
            found = db.execute(sa.select(sa.func.min(jobs_table.c.opened_at))).scalar()
        return datetime.fromisoformat(str(found)) if found else None

    def waiting(self, now: str) -> tuple[JobRow, ...]:
        """Open jobs whose wait has come to its end by `now`, an ISO time in the bench's own clock, longest first."""
        t = jobs_table.c
        query = sa.select(*(t[name] for name in JobRow.__dataclass_fields__)).where(
            t.waits_until > "", t.waits_until <= now, t.outcome == "").order_by(t.waits_until).limit(200)
        with told_as_store_errors(tr("The shelf can't be read")), self.engine.connect() as db:
            return tuple(JobRow(**row) for row in db.execute(query).mappings())

    @contextmanager
    def settings_at_once(self) -> Iterator[None]:
        """Within it settings are read by one question to the database, as they were when it began or were set in it: a
        window that is being made asks for more than a dozen. Raises StoreError."""
        with told_as_store_errors(tr("The settings can't be read")), self.engine.connect() as db:
            found = db.execute(sa.select(settings_table.c.key, settings_table.c.value)).all()
        self._settings = {str(key): str(value) for key, value in found}
        try:
            yield
        finally:
            self._settings = None

    _settings: dict[str, str] | None = None

    def setting(self, key: str, default: str = "") -> str:
        if self._settings is not None:
            return self._settings.get(key, default)
        with told_as_store_errors(tr("The settings can't be read")), self.engine.connect() as db:
            row = db.execute(sa.select(settings_table.c.value).where(settings_table.c.key == key)).first()
        return default if row is None else str(row[0])

    def set_setting(self, key: str, value: str) -> None:
        with told_as_store_errors(tr("The setting was not recorded")), self._writing.begin() as db:
            done = db.execute(settings_table.update().where(settings_table.c.key == key).values(value=value))
            if not done.rowcount:
                db.execute(settings_table.insert().values(key=key, value=value))
        if self._settings is not None:
            self._settings[key] = value

    def change_count(self) -> str:
        """A mark that moves when any window has recorded something."""
        with told_as_store_errors(tr("The job file can't be read")), self.engine.connect() as db:
            if db.dialect.name == "sqlite":
                return str(db.execute(sa.text("select max(rowid) from entries")).scalar())
            return str(db.execute(sa.select(sa.func.count()).select_from(entries_table)).scalar())


