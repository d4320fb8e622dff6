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
from dextrum.tongue import tr

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
            said.append(tr("line {number} would not be read: {bad}", number=number, bad=str(bad)[:60]))
            continue
        first = at if first is None else first
        said.append(tr("line {number} is read as   {at:.3f} s   {volts:.4f} V   {amps:.5f} A", number=number,
                       at=at - first, volts=volts, amps=amps))
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
        raise ImportRefusedError(tr("The samples can't be kept ({bad}).", bad=bad), tr("Nothing was taken in."),
                                 tr("Choose other columns or units.")) from bad


def import_words(file: DrawFile, name: str) -> str:
    """'2,431 samples from meter.csv; 3 rows refused (line 17: …); 12 missing.'"""
    samples, tidied = len(file.tidied.samples), file.tidied
    parts = [tr("{samples:,} sample{s} from {name}", samples=samples, s="s" if samples != 1 else "",
                name=name).replace(",", "\u202f")]
    if file.refused_count:
        first = file.refused[0]
        rows = tr("row") if file.refused_count == 1 else tr("rows")
        parts.append(tr("{refused_count} {rows} not read (line {line}: {why})", refused_count=file.refused_count,
                        rows=rows, line=first.line, why=first.why))
    if file.base:
        parts.append(file.base)
    if file.clock_changes:
        parts.append(tr("the clock was put on or back by an hour: put right"))
    if tidied.doubled:
        parts.append(tr("{doubled} came twice, averaged", doubled=tidied.doubled))
    if tidied.missing:
        parts.append(tr("{missing} missing", missing=tidied.missing))
    if file.turned:
        parts.append(tr("the current was negative throughout: turned round"))
    elif file.set_to_zero:
        parts.append(tr("{set_to_zero} negative currents taken as 0", set_to_zero=file.set_to_zero))
    return "; ".join(parts) + "."


MOST_LINES_SAID = 6


def refused_words(file: DrawFile) -> str:
    """The rows that were not read, line by line, the first few of them; empty where all were."""
    if not file.refused_count:
        return ""
    said = "; ".join(tr("line {line}: {why}", line=row.line, why=row.why) for row in file.refused[:MOST_LINES_SAID])
    more = file.refused_count - min(file.refused_count, MOST_LINES_SAID)
    rows = tr("row") if file.refused_count == 1 else tr("rows")
    return tr("{refused_count} {rows} not read, the rest recorded. {said}", refused_count=file.refused_count, rows=rows,
              said=said) + (tr("; and {more} more.", more=more) if more else ".")


def trace_csv(trace: DrawTrace) -> str:
    """The samples as CSV with a header, as they were taken. Raises ValueError when they can't be unpacked."""
    from dextrum.core.draw.samples import unpack_samples

    samples = unpack_samples(trace.samples, trace.count)
    rows = zip(samples.seconds.tolist(), samples.volts.tolist(), samples.amps.tolist(), strict=True)
    return "seconds,volts,amps\n" + "".join(f"{s:.3f},{v:.4f},{a:.5f}\n" for s, v, a in rows)
