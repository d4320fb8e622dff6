"""The views along the order of work; each has a command `view.NAME` in the command table."""

from __future__ import annotations

from dextrum.desktop.board.view import BoardView
from dextrum.desktop.frame.view import JobView
from dextrum.desktop.handover.view import HandoverView
from dextrum.desktop.intake.view import IntakeView
from dextrum.desktop.library.view import LibraryView
from dextrum.desktop.port.view import PortView
from dextrum.desktop.proof.view import ProofView
from dextrum.desktop.rework.view import ReworkView
from dextrum.desktop.supply.view import SupplyView

VIEWS: tuple[type[JobView], ...] = (
    IntakeView,
    SupplyView,
    PortView,
    BoardView,
    ReworkView,
    ProofView,
    HandoverView,
    LibraryView,
)
