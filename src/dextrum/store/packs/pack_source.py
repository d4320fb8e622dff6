"""The files of a pack, from a folder or a zip, with bounds on count and size."""

from __future__ import annotations

import io
import zipfile
import zlib
from pathlib import Path

from dextrum.errors import ImportRefusedError, why_not
from dextrum.store.files import read_bounded
from dextrum.tongue import tr

MOST_FILE_BYTES = 32_000_000
MOST_TOTAL_BYTES = 128_000_000
MOST_FILES = 200
MOST_EXPANSION = 200.0


def _refuse(what: str) -> ImportRefusedError:
    return ImportRefusedError(what, tr("Nothing was taken in."), tr("Check where the pack comes from."))


def _from_zip(path: Path) -> dict[str, bytes]:
    found: dict[str, bytes] = {}
    try:
        with zipfile.ZipFile(io.BytesIO(read_bounded(path, MOST_TOTAL_BYTES))) as archive:
            infos = [info for info in archive.infolist() if not info.is_dir()]
            if len(infos) > MOST_FILES:
                raise _refuse(tr("The pack has {count} files; at most {most_files} are read.", count=len(infos),
                                 most_files=MOST_FILES))
            total = sum(info.file_size for info in infos)
            packed = max(1, sum(info.compress_size for info in infos))
            if total > MOST_TOTAL_BYTES or total / packed > MOST_EXPANSION:
                raise _refuse(tr("The pack would grow to {total:.0f} MB when unpacked.", total=total / 1000000.0))
            for info in infos:
                name = info.filename
                if name.startswith(("/", "\\")) or ".." in Path(name).parts:
                    raise _refuse(tr("The pack has a file outside its folder ({name}).", name=name))
                with archive.open(info) as stream:
                    data = stream.read(MOST_FILE_BYTES + 1)
                if len(data) > MOST_FILE_BYTES:
                    raise _refuse(tr("{name} is larger than {most_file_bytes:.0f} MB.", name=name,
                                     most_file_bytes=MOST_FILE_BYTES / 1000000.0))
                found[Path(name).name] = data
    except (zipfile.BadZipFile, zlib.error, NotImplementedError, RuntimeError, EOFError, OverflowError):
        raise _refuse(tr("{path} is not a whole zip file.", path=path.name)) from None
    return found


def read_pack_files(path: Path) -> dict[str, bytes]:
    """File name to its bytes. Raises ImportRefusedError when the place can't be read or is too large."""
    if not path.exists():
        raise _refuse(tr("There is no pack at {path}.", path=path.name))
    try:
        if not path.is_dir():
            return _from_zip(path)
        found: dict[str, bytes] = {}
        for file in sorted(path.iterdir()):
            if file.suffix not in (".json", ".csv"):
                continue
            if len(found) >= MOST_FILES:
                raise _refuse(tr("The pack has more than {most_files} files.", most_files=MOST_FILES))
            found[file.name] = read_bounded(file, MOST_FILE_BYTES)
            if sum(map(len, found.values())) > MOST_TOTAL_BYTES:
                raise _refuse(tr("The pack is larger than {most_total_bytes:.0f} MB.",
                                 most_total_bytes=MOST_TOTAL_BYTES / 1000000.0))
        return found
    except OSError as problem:
        raise _refuse(tr("{path} can't be read ({why}).", path=path.name, why=why_not(problem))) from problem


def finish_writing(folder: Path) -> None:
    """After a crash between the two renames the new folder stands beside an empty place: it is put there."""
    for beside in folder.glob(".*.new"):
        place = folder / beside.name[1:-len(".new")]
        if not place.exists() and (beside / "pack.json").exists():
            beside.rename(place)
