"""Files of what was worked out before: written beside the work, not many of them, and read as data of no trust."""

from __future__ import annotations

import os
import pickle
import threading
import time
from contextlib import suppress
from itertools import accumulate
from pathlib import Path
from typing import Any

LEFT_SECONDS = 3600.0
"""From which a file that is being written was left by a program that ended meanwhile."""
CORE = "dextrum.core."
"""A file may name classes of the core, and of NumPy only what an array is made of: no function that could do more."""
OF_ARRAYS = frozenset((f"numpy{core}", name) for core, name in (
    ("", "dtype"), ("", "ndarray"), ("._core.numeric", "_frombuffer"), ("._core.multiarray", "_reconstruct"),
    ("._core.multiarray", "scalar"), (".core.numeric", "_frombuffer"), (".core.multiarray", "_reconstruct"),
    (".core.multiarray", "scalar")))


class CoreReader(pickle.Unpickler):
    """Makes nothing but classes of the core and arrays; raises UnpicklingError for all else."""

    def find_class(self, module: str, name: str) -> Any:
        found = super().find_class(module, name) if module.startswith(CORE) or (module, name) in OF_ARRAYS else None
        # What a module of the core has imported from elsewhere is not its own.
        if (module, name) in OF_ARRAYS or (isinstance(found, type) and found.__module__.startswith(CORE)):
            return found
        raise pickle.UnpicklingError(f"{module}.{name} has no place in a kept file")


def keep_beside(place: Path, data: bytes, most: int) -> None:
    """Write a file on a thread of its own; of its kind, by the ending of its name, those used last stay, `most` bytes
    together. Where nothing can be written, nothing is kept."""
    threading.Thread(target=_write, args=(place, data, most), name="keep", daemon=True).start()


def _write(place: Path, data: bytes, most: int) -> None:
    with suppress(OSError):
        place.parent.mkdir(parents=True, exist_ok=True)
        beside = place.with_suffix(f"{place.suffix}.{os.getpid()}.new")
        beside.write_bytes(data)
        os.replace(beside, place)
        files = sorted(place.parent.glob(f"*{place.suffix}"), key=lambda file: file.stat().st_mtime, reverse=True)
        left = [file for file in place.parent.glob("*.new") if time.time() - file.stat().st_mtime > LEFT_SECONDS]
        upto = list(accumulate(file.stat().st_size for file in files))
        for old in [file for file, size in zip(files, upto, strict=True) if size > most and file != place] + left:
            old.unlink(missing_ok=True)
