"""A pack of one's own made on the command line: each step takes the pack's folder, keeps the step before beside it, and
says what it did. The steps are those of the page Pack."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from pathlib import Path

from dextrum.app.library.library import PackLibrary
from dextrum.app.packmaking.own_packs import begin_pack, readings_of_good, taught
from dextrum.core.board import Board, Side
from dextrum.core.board.bounds import EXPECTED
from dextrum.errors import EntryRefusedError, FileStandsError, ImportRefusedError
from dextrum.tongue import capital, tr

MOST_UNDER = 3


def own_pack(folder: Path) -> tuple[PackLibrary, Board]:
    """The library that a pack's folder stands in, and the pack. Raises ImportRefusedError, PackError."""
    from dextrum.store.packs import load_pack

    board = load_pack(folder).board
    library = PackLibrary([folder.resolve().parent])
    if folder.resolve().name != board.pack_id:
        raise ImportRefusedError(tr("{folder} is not called as its pack, {pack_id}.", folder=folder.name[:60],
                                    pack_id=board.pack_id), tr("Nothing was changed."), tr("Rename the folder."))
    return library, board


def refused(problem: ValueError, of: str = "") -> EntryRefusedError:
    wrong, _, expected = str(problem).partition(EXPECTED)
    return EntryRefusedError(f"{of}{capital(wrong)}.", tr("Nothing was changed."),
                             tr("Expected {expected}.", expected=expected) if expected else "")


def new_pack(shelf: Path, model: str, revision: str, port: str, signals: str, opens: str) -> Iterable[str]:
    """The first rung, in a folder of its own under `shelf`. Raises EntryRefusedError, StoreError."""
    shelf.mkdir(parents=True, exist_ok=True)
    pack_id = begin_pack(PackLibrary([shelf]), model, revision, port, signals, opens)
    yield tr("{place} is there: its port can be judged.", place=shelf / pack_id)


def place_parts(folder: Path, lines: Sequence[str], side: str) -> Iterable[str]:
    """Parts as they are typed in the window, each with its place: 'C14 CC2 GND at 12.5 8'. All of them, or none.
    Raises EntryRefusedError, StoreError."""
    from dextrum.core.packmaking.pins import lies_on
    from dextrum.core.packmaking.placing import parse_part, with_part
    from dextrum.core.packmaking.port_place import port_named

    library, board = own_pack(folder)
    said = []
    for line in lines:
        try:
            part = parse_part(line, port_named(board, line))
            if part.at is None:
                raise ValueError(tr("{designator} has no place; expected one, such as at 12.5 8",
                                    designator=part.designator))
            board = with_part(board, part, Side(side), *part.at)
        except ValueError as problem:
            raise refused(problem, f"{line[:40]!r}: ") from None
        under = lies_on(board, part.designator)
        said.append(tr("{designator} placed at {x_mm:.1f} {y_mm:.1f} mm, {side} side", designator=part.designator,
                       x_mm=part.at[0], y_mm=part.at[1], side=tr(side))
                    + (tr("; it lies on {parts}", parts=", ".join(under[:MOST_UNDER])) if under else ""))
    library.keep(board)
    return said


def open_ends(folder: Path, ends: Sequence[str]) -> Iterable[str]:
    """Ends whose net is no longer known, so that probing asks for them: those named, or else those that are doubted.
    Raises EntryRefusedError, StoreError."""
    from dextrum.app.packmaking.pack_words import mistakes_of
    from dextrum.core.diagnosis.model import build_model
    from dextrum.core.packmaking.opened_ends import doubted_ends, with_ends_open

    library, board = own_pack(folder)
    chosen = tuple(ends) or doubted_ends(board, mistakes_of(build_model(board, library.references(board.pack_id, ""))))
    if not chosen:
        return [tr("Nothing in this pack is doubted.")]
    try:
        grown = with_ends_open(board, chosen)
    except ValueError as problem:
        raise refused(problem) from None
    library.keep(grown)
    return [tr("Nobody knows any more on which net these are: {ends}.", ends=", ".join(chosen))]


def learn_from(folder: Path, job: Path) -> Iterable[str]:
    """A job file of a unit that is good: the nets that its probing settled, its readings as references, its supply as
    the draw profile. Raises EntryRefusedError where nothing was read, ImportRefusedError, StoreError."""
    from dextrum.app.packmaking.probe_words import netted
    from dextrum.core.job import job_facts
    from dextrum.store.job_file import read_job_file
    from dextrum.store.packs.pack_files import load_known_good

    library, board = own_pack(folder)
    trail = read_job_file(job)
    facts = job_facts(trail)
    if facts.pack_id != board.pack_id:
        raise ImportRefusedError(tr("{job} is of the pack {other}.", job=job.name[:60], other=facts.pack_id or "-"),
                                 tr("Nothing was learned."), tr("A job on {pack_id}.", pack_id=board.pack_id))
    if facts.touched:
        board = netted(board, facts)
    read = readings_of_good(board, facts)
    known = tuple(one for one in load_known_good(folder, board)[0] if one.board_serial != facts.serial) + read
    library.keep(taught(board, known, trail), known_good=known)
    yield tr("{count} readings of {serial} are references now.", count=len(read), serial=facts.serial)
    if facts.touched:
        yield tr("The nets that its probing settled are in the pack.")


def export_pack(folder: Path, out: Path, over: bool) -> Iterable[str]:
    """The pack as the ending of `out` says. Raises ImportRefusedError, StoreError."""
    from dextrum.app.packmaking.sending import send

    library, board = own_pack(folder)
    try:
        send(library, board.pack_id, out, over)
    except FileStandsError:
        raise ImportRefusedError(tr("{name} is there already.", name=out.name), tr("Nothing was written."),
                                 tr("--over replaces it.")) from None
    return [tr("Pack written: {place}", place=out.name)]


def place_likes(folder: Path, designator: str, take: str) -> Iterable[str]:
    """What looks like a placed part on the photo of its side: listed, or placed. take: 'all', numbers of the list such
    as '1 2 5', or nothing. Raises EntryRefusedError, StoreError."""
    from dextrum.app.packmaking.likes import find_likes, keep_likes, part_to_compare

    library, board = own_pack(folder)
    part = part_to_compare(board, designator)
    found = find_likes(library, board, part)
    if not take:
        return [f"{k + 1:3d}  {one.x_mm:6.2f} {one.y_mm:6.2f} mm  {one.likeness:.2f}{'  turned' if one.turned else ''}"
                for k, one in enumerate(found)]
    if take == "all":
        wanted = list(range(len(found)))
    else:
        try:
            wanted = [int(word) - 1 for word in take.replace(",", " ").split()]
        except ValueError:
            wanted = [-1]
        if not wanted or not all(0 <= k < len(found) for k in wanted):
            raise refused(ValueError(tr("{take!r} are no numbers of the list; expected 1 to {count}, or all",
                                         take=take[:30], count=len(found))))
    grown = keep_likes(library, board, part, [found[k] for k in wanted])
    new = [one.designator for one in grown.components if one.designator not in board.component_by_designator]
    return [tr("Placed: {parts}.", parts=", ".join(new) or "-")]
