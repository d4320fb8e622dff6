"""Commands of rooms that are not wanted at the start: their files are imported when one of them is first run.

Each costs some milliseconds of the start, and most are not run in a session. A room is one class with `handlers`, and
one line here; `tests/test_by_mouse.py` holds that the line and the class name the same commands.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from importlib import import_module
from typing import TYPE_CHECKING, Protocol, cast

from dextrum.app.commands import COMMANDS

if TYPE_CHECKING:
    from dextrum.desktop.frame.window import MainWindow


class Room(Protocol):
    """What a room's class has."""

    handlers: dict[str, Callable[[], None]]


@dataclass(frozen=True)
class RoomOfCommands:
    """of_class: its class, in its file under `desktop`; begins: what its commands' ids begin with."""

    module: str
    of_class: str
    begins: tuple[str, ...]


ROOMS: dict[str, RoomOfCommands] = {
    "packmaking": RoomOfCommands("packmaking.packmaking_commands", "PackmakingCommands", ("pack.", "board.photo")),
    "photos": RoomOfCommands("photos.photo_commands", "PhotoCommands", ("photo.",)),
    "sheets": RoomOfCommands("handover.sheet_commands", "SheetCommands", ("sheet.", "shop.paper")),
    "proof": RoomOfCommands("proof.proof_commands", "ProofCommands", ("proof.",)),
    "teardown": RoomOfCommands("teardown.teardown_commands", "TeardownCommands", ("teardown.",)),
    "meters": RoomOfCommands("meters.meter_commands", "MeterCommands",
                             ("meter.listen", "meter.allow", "meter.take", "meter.share")),
    "keeping": RoomOfCommands("keeping.keeping_commands", "KeepingCommands", ("keep.",)),
    "look": RoomOfCommands("frame.look_commands", "LookCommands", ("look.",)),
    "day": RoomOfCommands("day.day_commands", "DayCommands", ("day.",)),
    "stock": RoomOfCommands("stock.stock_commands", "StockCommands", ("stock.",)),
    "money": RoomOfCommands("money.money_commands", "MoneyCommands", ("money.",)),
    "library": RoomOfCommands("library.library_commands", "LibraryCommands", ("library.", "shop.assumed")),
    "elimination": RoomOfCommands("board.elimination_commands", "EliminationCommands",
                                  ("load.", "rail.", "shop.labour", "shop.price")),
}


class RoomCommands:
    """The rooms by name, each made when first asked for."""

    def __init__(self, window: MainWindow) -> None:
        self._window = window
        self.made: dict[str, Room] = {}

    def __getitem__(self, name: str) -> Room:
        if name not in self.made:
            room = ROOMS[name]
            found = getattr(import_module(f"dextrum.desktop.{room.module}"), room.of_class)
            self.made[name] = cast(Room, found(self._window))
        return self.made[name]

    def handlers(self) -> dict[str, Callable[[], None]]:
        """What runs a command of a room, by its id."""
        return {command.id: partial(self._run, name, command.id) for name, room in ROOMS.items()
                for command in COMMANDS if command.id.startswith(room.begins)}

    def _run(self, name: str, command_id: str) -> None:
        self[name].handlers[command_id]()
