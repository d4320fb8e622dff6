"""The views along the order of work; each has a command `view.NAME` in the command table.

A view is one class in `desktop/NAME/view.py` and one line here. Its file is imported when it is first shown, so that a
view costs nothing at the start of the program.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from importlib import import_module
from typing import TYPE_CHECKING, cast

from dextrum.tongue import tr

if TYPE_CHECKING:
    from dextrum.desktop.board.view import BoardView
    from dextrum.desktop.frame.job_model import JobModel
    from dextrum.desktop.frame.view import JobView
    from dextrum.desktop.handover.view import HandoverView
    from dextrum.desktop.library.view import LibraryView
    from dextrum.desktop.port.view import PortView
    from dextrum.desktop.proof.view import ProofView
    from dextrum.desktop.rework.view import ReworkView
    from dextrum.desktop.supply.view import SupplyView


@dataclass(frozen=True)
class ViewKind:
    """name: of its room, its command and its class's file; title: on its tab; of_class: its class's name; has_some:
    whether the job in the model has something of this view. of_shop: it is of the shop and not of a unit: its tab
    stands on the shelf, and it is shown without a job too."""

    name: str
    title: str
    of_class: str
    has_some: Callable[[JobModel], bool]
    of_shop: bool = False

    def view_class(self) -> type[JobView]:
        found = getattr(import_module(f"dextrum.desktop.{self.name}.view"), self.of_class)
        return cast("type[JobView]", found)


def _port_was_read(model: JobModel) -> bool:
    return model.board is not None and any(point in model.judged for point in model.board.port_point_ids())


def _board_was_read(model: JobModel) -> bool:
    board = model.board
    read = board is not None and bool(set(model.judged) - board.port_points - {p.id for p in board.node_pairs})
    return read or model.facts.stage == "board"


VIEWS: tuple[ViewKind, ...] = (
    ViewKind("intake", tr("Intake"), "IntakeView", lambda model: model.facts.intake is not None),
    ViewKind("supply", tr("Supply"), "SupplyView", lambda model: bool(model.facts.supplies)),
    ViewKind("port", tr("Port"), "PortView", _port_was_read),
    ViewKind("board", tr("Board"), "BoardView", _board_was_read),
    ViewKind("teardown", tr("Teardown"), "TeardownView", lambda model: bool(model.facts.fasteners)),
    ViewKind("rework", tr("Rework"), "ReworkView", lambda model: bool(model.facts.reworks)),
    ViewKind("proof", tr("Proof"), "ProofView", lambda model: bool(model.facts.proofs)),
    ViewKind("photos", tr("Photos"), "PhotosView", lambda model: bool(model.facts.photos)),
    ViewKind("handover", tr("Hand-over"), "HandoverView", lambda model: model.facts.outcome is not None),
    ViewKind("library", tr("Known-good"), "LibraryView", lambda model: False),
    ViewKind("packmaking", tr("Pack"), "PackmakingView", lambda model: False),
    ViewKind("day", tr("Day"), "DayView", lambda model: False, True),
    ViewKind("stock", tr("Stock"), "StockView", lambda model: False, True),
    ViewKind("money", tr("Money"), "MoneyView", lambda model: False, True),
)


class Views(Mapping[str, "JobView"]):
    """The views by name, each made when first asked for. Those that commands work with are named with their class."""

    def __init__(self, make: Callable[[ViewKind], JobView]) -> None:
        self._make = make
        self._made: dict[str, JobView] = {}

    def __getitem__(self, name: str) -> JobView:
        if name not in self._made:
            self._made[name] = self._make(next(kind for kind in VIEWS if kind.name == name))
        return self._made[name]

    def __iter__(self) -> Iterator[str]:
        return iter(kind.name for kind in VIEWS)

    def __len__(self) -> int:
        return len(VIEWS)

    def made(self) -> tuple[JobView, ...]:
        return tuple(self._made.values())

    @property
    def supply(self) -> SupplyView:
        return cast("SupplyView", self["supply"])

    @property
    def port(self) -> PortView:
        return cast("PortView", self["port"])

    @property
    def board(self) -> BoardView:
        return cast("BoardView", self["board"])

    @property
    def rework(self) -> ReworkView:
        return cast("ReworkView", self["rework"])

    @property
    def proof(self) -> ProofView:
        return cast("ProofView", self["proof"])

    @property
    def handover(self) -> HandoverView:
        return cast("HandoverView", self["handover"])

    @property
    def library(self) -> LibraryView:
        return cast("LibraryView", self["library"])
