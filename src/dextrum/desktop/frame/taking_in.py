"""Files that are dropped on the window or named when it starts: a power meter's, a photo, a board pack, or a job."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from dextrum.errors import DextrumError

if TYPE_CHECKING:
    from dextrum.desktop.frame.window import MainWindow

CSV_SUFFIXES = (".csv", ".tsv", ".txt", ".log")


def take_in_file(window: MainWindow, path: Path) -> None:
    """By what the name ends in; of zips, by what is in them."""
    from dextrum.desktop.frame.picture_file import SUFFIXES as PICTURE_SUFFIXES
    from dextrum.store.job_zip import is_job_zip

    suffix = path.suffix.lower()
    if suffix in CSV_SUFFIXES and window.model.job_id:
        window.say_problem(window.commands.supply.offer(path))
    elif suffix == ".toml":
        from dextrum.desktop.meters.meter_commands import MeterCommands

        room = window.commands.rooms["meters"]
        assert isinstance(room, MeterCommands)
        window.say_problem(room.take_file(path))
    elif suffix in PICTURE_SUFFIXES:
        window.commands.photos.add_file(path)
    elif suffix == ".zip" and not is_job_zip(path):
        try:
            window.trail.say(window.session.library.add_pack(path))
        except DextrumError as problem:
            window.say_problem(str(problem))
    else:
        window.say_problem(window.commands.import_job(path))
