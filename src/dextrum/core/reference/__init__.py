"""What known-good boards read, and how far a reading is from it."""

from dextrum.core.reference.judge import NO_REFERENCE, Judgement, Verdict, judge, tolerance
from dextrum.core.reference.known_good import KnownGoodReading
from dextrum.core.reference.table import PointReference, ReferenceTable, build_reference_table

__all__ = ["NO_REFERENCE", "Judgement", "KnownGoodReading", "PointReference", "ReferenceTable", "Verdict",
           "build_reference_table", "judge", "tolerance"]
