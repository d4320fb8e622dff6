"""A meter's CSV becomes an entry: looked at, its columns remembered by source, read, packed."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from dextrum.app.supply.circumstances import DrawCircumstances
from dextrum.core.trail import DrawTrace
from dextrum.errors import ImportRefusedError
from dextrum.store.draw_csv import DrawFile, read_draw_csv
from dextrum.store.draw_csv_look import (
    AS_GUESSED,
    AskedShape,
    ColumnMap,
    CsvLook,
    columns_from_text,
    columns_to_text,
    look_at_csv,
    with_columns,
)
from dextrum.store.jobs import JobStore

SETTING = "draw_columns:"


def look_at_draw(store: JobStore, path: Path, asked: AskedShape = AS_GUESSED) -> CsvLook:
    """A first look, with the columns as they were chosen for this source before. Raises ImportRefusedError."""
    look = look_at_csv(path, asked)
    return with_columns(look, columns_from_text(store.setting(SETTING + look.shape.source), look.shape))


def remember_columns(store: JobStore, look: CsvLook, columns: ColumnMap) -> None:
    """For the next file of this source. Raises StoreError."""
    store.set_setting(SETTING + look.shape.source, columns_to_text(columns))


def read_draw_file(look: CsvLook, columns: ColumnMap, progress: Callable[[float], bool]) -> DrawFile:
    """Raises ImportRefusedError."""
    return read_draw_csv(look.path, look.shape, columns, progress)


def understood_words(look: CsvLook, columns: ColumnMap) -> str:
    """The first rows as they would be read, a line each: '0.0 s   5.021 V   0.312 A', or why one would not be."""
    from dextrum.store.draw_csv import RowReader

    if columns.problem():
        return columns.problem()
    read, first, said = RowReader(look.shape, columns), None, []
    for number, row in enumerate(look.rows, start=look.shape.data_from + 1):
        try:
            at, volts, amps = read(list(row))
        except (ValueError, OverflowError) as bad:
            said.append(f"line {number} would not be read: {str(bad)[:60]}")
            continue
        first = at if first is None else first
        said.append(f"line {number} is read as   {at - first:.3f} s   {volts:.4f} V   {amps:.5f} A")
    return "\n".join(said)


def trace_entry(file: DrawFile, name: str, how: DrawCircumstances) -> DrawTrace:
    """The payload of a file that was read. Raises ImportRefusedError when its samples can't be kept."""
    from dextrum.core.draw.samples import pack_samples

    samples = file.tidied.samples
    try:
        return DrawTrace(how.orientation, pack_samples(samples), len(samples),  # type: ignore[arg-type]
                         float(samples.seconds[-1]), name, file.refused_count, file.tidied.missing, how.supply_proved,
                         how.switched, how.position, how.supply_class, how.gear)  # type: ignore[arg-type]
    except ValueError as bad:
        raise ImportRefusedError(f"The samples can't be kept ({bad}).", "Nothing was taken in.",
                                 "Choose other columns or units.") from bad


def import_words(file: DrawFile, name: str) -> str:
    """'2,431 samples from meter.csv; 3 rows refused (line 17: …); 12 missing.'"""
    samples, tidied = len(file.tidied.samples), file.tidied
    parts = [f"{samples:,} sample{'s' if samples != 1 else ''} from {name}".replace(",", "\u202f")]
    if file.refused_count:
        first = file.refused[0]
        rows = "row" if file.refused_count == 1 else "rows"
        parts.append(f"{file.refused_count} {rows} not read (line {first.line}: {first.why})")
    if file.base:
        parts.append(file.base)
    if file.clock_changes:
        parts.append("the clock was put on or back by an hour: put right")
    if tidied.doubled:
        parts.append(f"{tidied.doubled} came twice, averaged")
    if tidied.missing:
        parts.append(f"{tidied.missing} missing")
    if file.turned:
        parts.append("the current was negative throughout: turned round")
    elif file.set_to_zero:
        parts.append(f"{file.set_to_zero} negative currents taken as 0")
    return "; ".join(parts) + "."


MOST_LINES_SAID = 6


def refused_words(file: DrawFile) -> str:
    """The rows that were not read, line by line, the first few of them; empty where all were."""
    if not file.refused_count:
        return ""
    said = "; ".join(f"line {row.line}: {row.why}" for row in file.refused[:MOST_LINES_SAID])
    more = file.refused_count - min(file.refused_count, MOST_LINES_SAID)
    rows = "row" if file.refused_count == 1 else "rows"
    return f"{file.refused_count} {rows} not read, the rest recorded. {said}" + (f"; and {more} more." if more else ".")


def trace_csv(trace: DrawTrace) -> str:
    """The samples as CSV with a header, as they were taken. Raises ValueError when they can't be unpacked."""
    from dextrum.core.draw.samples import unpack_samples

    samples = unpack_samples(trace.samples, trace.count)
    rows = zip(samples.seconds.tolist(), samples.volts.tolist(), samples.amps.tolist(), strict=True)
    return "seconds,volts,amps\n" + "".join(f"{s:.3f},{v:.4f},{a:.5f}\n" for s, v, a in rows)
