"""The files of a pack, from a folder or a zip, with bounds on count and size."""

from __future__ import annotations

import io
import zipfile
import zlib
from pathlib import Path

from dextrum.errors import ImportRefusedError
from dextrum.store.files import read_bounded

MOST_FILE_BYTES = 32_000_000
MOST_TOTAL_BYTES = 128_000_000
MOST_FILES = 200
MOST_EXPANSION = 200.0


def _refuse(what: str) -> ImportRefusedError:
    return ImportRefusedError(what, "Nothing was taken in.", "Check where the pack comes from.")


def _from_zip(path: Path) -> dict[str, bytes]:
    found: dict[str, bytes] = {}
    try:
        with zipfile.ZipFile(io.BytesIO(read_bounded(path, MOST_TOTAL_BYTES))) as archive:
            infos = [info for info in archive.infolist() if not info.is_dir()]
            if len(infos) > MOST_FILES:
                raise _refuse(f"The pack has {len(infos)} files; at most {MOST_FILES} are read.")
            total = sum(info.file_size for info in infos)
            packed = max(1, sum(info.compress_size for info in infos))
            if total > MOST_TOTAL_BYTES or total / packed > MOST_EXPANSION:
                raise _refuse(f"The pack would grow to {total / 1e6:.0f} MB when unpacked.")
            for info in infos:
                name = info.filename
                if name.startswith(("/", "\\")) or ".." in Path(name).parts:
                    raise _refuse(f"The pack has a file outside its folder ({name}).")
                with archive.open(info) as stream:
                    data = stream.read(MOST_FILE_BYTES + 1)
                if len(data) > MOST_FILE_BYTES:
                    raise _refuse(f"{name} is larger than {MOST_FILE_BYTES / 1e6:.0f} MB.")
                found[Path(name).name] = data
    except (zipfile.BadZipFile, zlib.error, NotImplementedError, RuntimeError, EOFError, OverflowError):
        raise _refuse(f"{path.name} is not a whole zip file.") from None
    return found


def read_pack_files(path: Path) -> dict[str, bytes]:
    """File name to its bytes. Raises ImportRefusedError when the place can't be read or is too large."""
    if not path.exists():
        raise _refuse(f"There is no pack at {path.name}.")
    try:
        if not path.is_dir():
            return _from_zip(path)
        found: dict[str, bytes] = {}
        for file in sorted(path.iterdir()):
            if file.suffix not in (".json", ".csv"):
                continue
            if len(found) >= MOST_FILES:
                raise _refuse(f"The pack has more than {MOST_FILES} files.")
            found[file.name] = read_bounded(file, MOST_FILE_BYTES)
            if sum(map(len, found.values())) > MOST_TOTAL_BYTES:
                raise _refuse(f"The pack is larger than {MOST_TOTAL_BYTES / 1e6:.0f} MB.")
        return found
    except OSError as problem:
        raise _refuse(f"{path.name} can't be read ({problem.strerror}).") from problem


def finish_writing(folder: Path) -> None:
    """After a crash between the two renames the new folder stands beside an empty place: it is put there."""
    for beside in folder.glob(".*.new"):
        place = folder / beside.name[1:-len(".new")]
        if not place.exists() and (beside / "pack.json").exists():
            beside.rename(place)
