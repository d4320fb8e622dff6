"""The one tree of errors of the world: what happened, what was kept, what to do next.

Bugs of the program are ordinary Python exceptions and are never caught as these.
"""

from __future__ import annotations

import errno

from dextrum.tongue import tr

WORDS_OF_THE_SYSTEM = {
    errno.ENOENT: tr("it is not there"), errno.EACCES: tr("no permission"), errno.EPERM: tr("no permission"),
    errno.ENOSPC: tr("no room left on the disk"), errno.EDQUOT: tr("no room left on the disk"),
    errno.EROFS: tr("the disk is read-only"), errno.EISDIR: tr("it is a folder"),
    errno.ENOTDIR: tr("a part of the name is no folder"), errno.EIO: tr("the disk does not answer"),
    errno.ENAMETOOLONG: tr("the name is too long"), errno.EBUSY: tr("another program has it"),
    errno.EMFILE: tr("too many files are open"),
}
"""What the system says of files, by its number; it speaks its own language, or none that the window speaks."""


class DextrumError(Exception):
    """Something in the world went wrong, and the technician can be told in three short sentences."""

    def __init__(self, happened: str, kept: str = "", next_step: str = "") -> None:
        self.happened = happened
        self.kept = kept
        self.next_step = next_step
        super().__init__(" ".join(part for part in (happened, kept, next_step) if part))


def why_not(problem: Exception) -> str:
    """Why the system would not do something with a file, in the window's language; 'not a name of a file' for what is
    none."""
    number = getattr(problem, "errno", None)
    return WORDS_OF_THE_SYSTEM.get(number or 0) or getattr(problem, "strerror", "") or tr("not a name of a file")


class PackError(DextrumError):
    """A board pack can't be used as it is; `problems` lists every place that is wrong."""

    def __init__(self, problems: tuple[PackProblem, ...]) -> None:
        self.problems = problems
        first = str(problems[0]) if problems else tr("no detail")
        more = tr(" (and {count} more)", count=len(problems) - 1) if len(problems) > 1 else ""
        super().__init__(
            tr("The pack can't be used: {first}{more}.", first=first, more=more),
            tr("Nothing was changed."),
            tr("Fix the named places and check it again with 'pack check'."),
        )


class PackProblem:
    """One wrong place in a pack: file, place, what is wrong, what was expected."""

    __slots__ = ("expected", "file", "place", "wrong")

    def __init__(self, file: str, place: str, wrong: str, expected: str) -> None:
        self.file = file
        self.place = place
        self.wrong = wrong
        self.expected = expected

    def __str__(self) -> str:
        return tr("{file}, {place}: {wrong}; expected {expected}", file=self.file, place=self.place, wrong=self.wrong,
                  expected=self.expected)


class StoreError(DextrumError):
    """The database can't be opened, read or written."""


class NewerStoreError(StoreError):
    """The file was written by a later version of the program; it is left untouched."""


class ImportRefusedError(DextrumError):
    """A file offered for import doesn't fit; nothing of it was taken in."""


class EntryRefusedError(DextrumError):
    """A typed or heard value can't be an entry; the rest of what was typed is kept."""


class StoppedError(DextrumError):
    """Long work that was stopped before its end."""


class SolveError(DextrumError):
    """The circuit has no solution within the allowed steps (a pack with impossible values)."""


class InstrumentError(DextrumError):
    """An instrument doesn't answer as it should; `state` says how. Nothing of what it said was taken."""

    def __init__(self, state: str, happened: str, next_step: str = tr("Typing goes on as before.")) -> None:
        self.state = state
        super().__init__(happened, tr("Nothing was recorded."), next_step)


class FileStandsError(ImportRefusedError):
    """A file of that name stands there already; it is replaced only when asked for."""


class StoreGoneError(StoreError):
    """The file that is open is no longer the one at its path, so what was written there is not kept."""
