"""The shelf's sheet: all readings, the draw as small plots, photos, minutes, parts and where they are from."""

from __future__ import annotations

import base64
from collections.abc import Callable, Sequence
from dataclasses import replace
from itertools import pairwise

from dextrum.app.handover.handover import ReadingRow, Sheet, SheetPicture
from dextrum.app.job.trail_words import SHOWN_WORDS, trail_cards
from dextrum.app.reading.judged import judge_reading
from dextrum.app.reading.sentences import contact_words
from dextrum.core.board import Board
from dextrum.core.board.value_words import value_words
from dextrum.core.job import JobFacts, job_facts
from dextrum.core.reference.table import ReferenceTable
from dextrum.core.reference.warm import facts_as_judged
from dextrum.core.trail import DrawTrace, Entry, standing
from dextrum.core.when import moment_words
from dextrum.errors import DextrumError
from dextrum.tongue import tr

MOST_PICTURES, PICTURE_SIDE, QUALITY = 12, 640, 80
PLOT_WIDE, PLOT_HIGH, PLOT_POINTS = 520, 130, 400
MOST_TRACES = 8
CODE_SCALE = 6
QUIET_MODULES = 4
"""White round the code, in modules: as ISO/IEC 18004 asks for."""


def with_shelf(sheet: Sheet, board: Board, references: ReferenceTable, trail: tuple[Entry, ...],
               picture: Callable[[str], bytes], code: str) -> Sheet:
    """The sheet with what the shelf keeps. picture: a photo by its content; one that is gone is said. May take a
    second: call it off the window's thread."""
    facts = facts_as_judged(board, references, job_facts(trail))
    return replace(
        sheet, all_readings=_all_readings(board, references, facts),
        method=tr("Diode mode with red on ground, in volts; point to point in ohms; board unpowered."),
        parts=tuple(f"{rework.part}: {rework.source or tr('source not noted')}" for _, rework in facts.reworks
                    if rework.action == "replace"),
        events=tuple(f"{moment_words(card.at.astimezone())}  {card.title}{f': {card.detail}' if card.detail else ''}"
                     for card in trail_cards(trail, board) if not card.struck),
        pictures=_pictures(facts, picture), traces=_traces(trail), code=code_picture(code))


def _all_readings(board: Board, references: ReferenceTable, facts: JobFacts) -> tuple[ReadingRow, ...]:
    """Every point that was read: first, and last after the last repair before it, beside a good unit's."""
    rows = []
    for point in board.points:
        for method in point.methods:
            read = [r for epoch in range(facts.epoch + 1)
                    if (r := facts.reading(point.id, method.value, epoch)) is not None]
            if read:
                judged = judge_reading(board, references, point.id, method, read[0].value, read[0].wavering)
                after = read[-1] if read[-1].epoch > read[0].epoch else None
                rows.append(ReadingRow(contact_words(board, point), value_words(read[0].shown, method),
                                       value_words(after.shown, method) if after else tr("not read again"),
                                       value_words(judged.centre, method) if judged.boards else tr("none")))
    return tuple(rows)


def _pictures(facts: JobFacts, picture: Callable[[str], bytes]) -> tuple[SheetPicture, ...]:
    found: list[SheetPicture] = []
    for photo, _ in facts.photos[:MOST_PICTURES]:
        words = SHOWN_WORDS[photo.shows] + (f": {photo.words}" if photo.words else "")
        try:
            found.append(SheetPicture(words, _small_picture(picture(photo.sha256))))
        except DextrumError:
            found.append(SheetPicture(tr("{words} (the picture is not here)", words=words), ""))
    return tuple(found)


def _small_picture(data: bytes) -> str:
    import cv2
    import numpy as np

    read = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_COLOR)
    if read is None:
        return ""
    scale = min(1.0, PICTURE_SIDE / max(read.shape[:2]))
    size = (max(round(read.shape[1] * scale), 1), max(round(read.shape[0] * scale), 1))
    made, small = cv2.imencode(".jpg", cv2.resize(read, size, interpolation=cv2.INTER_AREA),
                               [cv2.IMWRITE_JPEG_QUALITY, QUALITY])
    return _uri("image/jpeg", bytes(small.tobytes())) if made else ""


def _uri(kind: str, data: bytes) -> str:
    return f"data:{kind};base64,{base64.b64encode(data).decode('ascii')}"


def code_picture(code: str) -> str:
    """A QR code as a data URI."""
    import segno

    return str(segno.make_qr(code, error="m").png_data_uri(scale=CODE_SCALE, border=QUIET_MODULES)) if code else ""


def _traces(trail: tuple[Entry, ...]) -> tuple[SheetPicture, ...]:
    found: list[SheetPicture] = []
    for entry in standing(trail):
        if isinstance(entry.payload, DrawTrace) and len(found) < MOST_TRACES:
            trace = entry.payload
            words = (tr("{moment_words}, {orientation} side up, {seconds:.0f} s, {supply_class}",
                        moment_words=moment_words(entry.at.astimezone()), orientation=trace.orientation.upper(),
                        seconds=trace.seconds, supply_class=trace.supply_class or tr("supply not named")))
            found.append(SheetPicture(words, _uri("image/svg+xml", _plot(trace).encode())))
    return tuple(found)


def _plot(trace: DrawTrace) -> str:
    """Volts and amps over seconds as SVG; thinned so that a peak stays."""
    import numpy as np

    from dextrum.core.draw.samples import unpack_samples

    read = unpack_samples(trace.samples, trace.count)
    seconds, volts, amps = read.seconds, read.volts, read.amps
    keep = _peaks([float(one) for one in amps], PLOT_POINTS)
    most_amps = max(float(np.max(amps)), 0.1) * 1.1
    most_volts = max(float(np.max(volts)), 1.0) * 1.1
    whole = max(float(seconds[-1] - seconds[0]), 1e-3)

    def line(values: np.ndarray, most: float) -> str:
        x = 40 + (seconds[keep] - seconds[0]) / whole * (PLOT_WIDE - 90)
        y = PLOT_HIGH - 22 - values[keep] / most * (PLOT_HIGH - 34)
        return " ".join(f"{a:.1f},{b:.1f}" for a, b in zip(x, y, strict=True))

    def words(x: float, y: float, text: str, anchor: str = "start") -> str:
        return f'<text x="{x}" y="{y}" font-family="Inter" font-size="11" text-anchor="{anchor}">{text}</text>'

    return (f'<svg xmlns="http://www.w3.org/2000/svg" width="{PLOT_WIDE}" height="{PLOT_HIGH}">'
            f'<rect x="40" y="12" width="{PLOT_WIDE - 90}" height="{PLOT_HIGH - 34}" fill="none" stroke="#8A949B"/>'
            f'<polyline fill="none" stroke="#8A949B" stroke-width="1" stroke-dasharray="4 3" points="'
            f'{line(np.asarray(volts), most_volts)}"/>'
            f'<polyline fill="none" stroke="#16232E" stroke-width="1.6" points="{line(np.asarray(amps), most_amps)}"/>'
            + words(2, 20, f"{most_amps:.2f} A") + words(PLOT_WIDE - 46, 20, f"{most_volts:.1f} V")
            + words(40, PLOT_HIGH - 6, "0 s") + words(PLOT_WIDE - 50, PLOT_HIGH - 6, f"{whole:.0f} s", "end")
            + words(PLOT_WIDE / 2, PLOT_HIGH - 6, tr("amps full line, volts broken"), "middle") + "</svg>")


def _peaks(values: Sequence[float], count: int) -> list[int]:
    """Places of at most 2 · count values: the least and the most of each stretch, in order."""
    import numpy as np

    whole = np.asarray(values)
    if len(whole) <= 2 * count:
        return list(range(len(whole)))
    edges = np.linspace(0, len(whole), count + 1).astype(int)
    found: set[int] = {0, len(whole) - 1}
    for begin, end in pairwise(edges):
        if end > begin:
            part = whole[begin:end]
            found |= {int(begin + np.argmin(part)), int(begin + np.argmax(part))}
    return sorted(found)
