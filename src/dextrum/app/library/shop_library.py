"""What the shop knows of good boards: units offer their readings, boards are taken out, libraries merge by CSV."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

from dextrum.app.library.library import FALSE_ALARM_PER_SCAN, PackLibrary
from dextrum.app.reading.judged import judged_readings
from dextrum.core.board import Board
from dextrum.core.job import JobFacts
from dextrum.core.reference.judge import Verdict
from dextrum.core.reference.known_good import KnownGoodReading
from dextrum.core.reference.table import ReferenceTable
from dextrum.errors import EntryRefusedError
from dextrum.progress import Told, part_of, unheard
from dextrum.store.bench_settings import false_alarm_per_scan
from dextrum.store.files import read_bounded
from dextrum.store.jobs import JobStore
from dextrum.store.known_good import add_readings, shop_readings, taken_out
from dextrum.store.packs.pack_files import known_good_csv, known_good_rows, known_good_table
from dextrum.tongue import tr

REFERENCE_METER = "reference_meter"
MOST_CSV_BYTES = 200_000_000
READING_SHARE = 0.4
"""Share of a merge that goes into reading the file, for the progress that is shown."""


def join_shop(store: JobStore, library: PackLibrary) -> None:
    """Let the library judge by what this shop has added. Raises StoreError."""

    def of_pack(pack_id: str) -> tuple[tuple[KnownGoodReading, ...], frozenset[str]]:
        return shop_readings(store, pack_id), frozenset(t.board_serial for t in taken_out(store, pack_id))

    library.use_shop(of_pack, store.setting(REFERENCE_METER), false_alarm_per_scan(store, FALSE_ALARM_PER_SCAN))


def readings_to_offer(board: Board, references: ReferenceTable, facts: JobFacts) -> tuple[KnownGoodReading, ...]:
    """The readings of a unit that was proved good, as references.

    Those since the last repair, and from before it those that were as a good board's. Raises EntryRefusedError when the
    unit has not been proved, or nothing was read.
    """
    proofs = facts.proofs or {}
    missing = [c.words for c in board.checks if c.id not in proofs or not proofs[c.id].passed]
    if missing:
        raise EntryRefusedError(tr("The unit is not proved good yet ({missing}).",
                                   missing=missing[0]), tr("Nothing was added."),
                                tr("Prove it first: Alt+6."))
    judged = judged_readings(board, references, facts)
    found = []
    for one in judged.values():
        reading = one.reading
        within = one.judgement.verdict is Verdict.WITHIN
        if reading.wavering or (reading.epoch < facts.epoch and not (within and one.judgement.boards)):
            continue
        if not within and (reading.value == float("inf") or one.judgement.verdict is Verdict.GROUNDED):
            continue  # a good unit does not read so: it was the touch
        method = one.method.compared
        found.append(KnownGoodReading(facts.serial, one.point, method, reading.meter, reading.value,
                                      reading.board_celsius, reading.at.date().isoformat()))
    if not found:
        raise EntryRefusedError(
            tr("This unit has no readings to offer."), tr("Nothing was added."), tr("Read the port: Alt+3.")
        )
    return tuple(found)


@dataclass(frozen=True)
class Merged:
    """new: readings that were not there; known: those that were; left_out: rows that don't fit, with the reason."""

    new: int
    known: int
    left_out: tuple[str, ...]

    @property
    def words(self) -> str:
        said = tr("{new} readings added, {known} were there", new=self.new, known=self.known)
        if self.left_out:
            said += tr("; {count} left out ({left_out})", count=len(self.left_out), left_out=self.left_out[0])
        return said + "."


def merge_csv(store: JobStore, library: PackLibrary, pack_id: str, path: Path, at: datetime,
              told: Told = unheard) -> Merged:
    """Take in another shop's library of a pack, in the format of a pack's known_good.csv; it is judged by once the
    library has taken it in. Raises ImportRefusedError, also where `told` says to stop."""
    rows, broken = known_good_table(path.name, read_bounded(path, MOST_CSV_BYTES))
    merged = merge_rows(store, library, pack_id, rows, path.name, at, told)
    return Merged(merged.new, merged.known, (*broken, *merged.left_out))


def merge_rows(store: JobStore, library: PackLibrary, pack_id: str, rows: list[dict[str, str]], name: str,
               at: datetime, told: Told = unheard) -> Merged:
    """Rows of a library, of the file of that name, however they were read. Raises as `merge_csv`."""
    board = library.board(pack_id)
    kept, left_out = known_good_rows(board, rows, name, part_of(told, 0.0, READING_SHARE))
    there = set(library.pack(pack_id).known_good)
    fresh = [r for r in kept if r not in there]
    new = add_readings(store, pack_id, fresh, at, part_of(told, READING_SHARE, 1.0))
    return Merged(new, len(kept) - new, left_out)


def library_csv(library: PackLibrary, pack_id: str) -> str:
    """All that stands behind the verdicts of a pack, one reading a row."""
    return known_good_csv(library.pack(pack_id).known_good)
