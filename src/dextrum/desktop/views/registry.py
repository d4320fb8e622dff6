"""The views along the order of work; each has a command `view.NAME` in the command table."""

from __future__ import annotations

from dextrum.desktop.views.board import BoardView
from dextrum.desktop.views.handover import HandoverView
from dextrum.desktop.views.intake import IntakeView
from dextrum.desktop.views.library import LibraryView
from dextrum.desktop.views.port import PortView
from dextrum.desktop.views.proof import ProofView
from dextrum.desktop.views.rework import ReworkView
from dextrum.desktop.views.supply import SupplyView
from dextrum.desktop.views.view import JobView

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
