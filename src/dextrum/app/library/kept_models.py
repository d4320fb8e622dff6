"""What was worked out of a board is kept on disk for the next start: it takes most of a second, and seldom changes.

A file is named by a digest of all that goes into it: the board and its known-good readings, how often its parts fail,
and the program's own files. So it is never out of date: when anything changes, another name is looked for. What time
and parts cost is no part of it: repairs are priced when it is read. A file that can't be read is as good as none. It is
no data of the user's: it lies with the platform's caches and is in no backup.
"""

from __future__ import annotations

import hashlib
import os
import pickle
import sys
from collections.abc import Mapping
from contextlib import suppress
from pathlib import Path

import numpy as np

import dextrum
from dextrum.app.library.kept_files import CoreReader, keep_beside
from dextrum.core.advice.advice_model import AdviceModel
from dextrum.core.advice.rates import ShopRates
from dextrum.core.advice.repairs import build_repair_options
from dextrum.core.board import Board
from dextrum.core.diagnosis.heat_reach import HeatReach
from dextrum.core.diagnosis.model import DiagnosisModel
from dextrum.core.reference.table import ReferenceTable
from dextrum.tongue import spoken

MOST_BYTES = 160_000_000
"""Of all together: three boards with ports of many contacts, or fifty small ones. A shop sees a few models a week."""
WORKED_OUT = ("edits", "red_ground", "resistance", "states", "classes", "pairs")
"""Of a diagnosis: what takes longer to work out than to read."""


class KeptModels:
    """In a folder, made when the first is kept."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder

    def place_of(self, board: Board, references: ReferenceTable, learned: Mapping[str, float] | None) -> Path:
        """The file of what is worked out of all these."""
        told = repr((board, references, sorted((learned or {}).items())))
        return self.folder / f"{hashlib.sha256((_program() + told).encode()).hexdigest()[:40]}.model"

    def read(self, place: Path, board: Board, references: ReferenceTable, rates: ShopRates,
             prices: Mapping[str, float], reach: HeatReach | None) -> AdviceModel | None:
        """What is kept there, of this board; None where there is nothing that can be read."""
        try:
            with place.open("rb") as file:
                kept = CoreReader(file).load()
            circuit, hypotheses, broken, worked_out, outcomes, sizes = kept
            model = DiagnosisModel(board, references, circuit, hypotheses, broken, reach=reach)
            vars(model).update({name: worked_out[name] for name in WORKED_OUT})
            found = AdviceModel(model, rates, outcomes, build_repair_options(board, hypotheses, rates, prices), sizes)
        except Exception:  # of whatever kind: what can't be read is worked out anew
            return None
        with suppress(OSError):
            os.utime(place)
        return found

    def keep(self, place: Path, made: AdviceModel) -> None:
        """Written beside the work; the oldest go."""
        model = made.model
        worked_out = {name: getattr(model, name) for name in WORKED_OUT}
        data = pickle.dumps((model.circuit, model.hypotheses, model.broken_whole, worked_out, made.outcomes,
                             made.sizes), 5)
        keep_beside(place, data, MOST_BYTES)


def _program() -> str:
    """Which program it is: its own files as they are, what it computes with, and the language of what it says."""
    root = Path(dextrum.__file__).parent
    files = sorted((root / "core").rglob("*.py"))
    told = [f"{file.relative_to(root)} {stat.st_size} {stat.st_mtime_ns}" for file in files if (stat := file.stat())]
    return "\n".join([sys.version, np.__version__, spoken(), *told])
