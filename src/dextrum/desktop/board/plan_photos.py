"""The photos of a pack of one's own under a plan of its board: decoded beside the window, as strong as was chosen."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import suppress

from PySide6.QtCore import QObject
from PySide6.QtGui import QImage, QPixmap

from dextrum.core.board import Board, Side
from dextrum.desktop.board.board_plan import BoardPlan
from dextrum.desktop.frame.background import Background
from dextrum.desktop.frame.job_model import JobModel
from dextrum.errors import DextrumError

PHOTO_SHARE = "plan.photo"
"""Setting: how strongly photos show under every plan."""
USUAL_SHARE = "0.35"


class PlanPhotos(QObject):
    """Of one plan."""

    def __init__(self, plan: BoardPlan, model: JobModel) -> None:
        super().__init__(plan)
        self.plan, self.model = plan, model
        self._of: Board | None = None
        self.reading = Background(self)
        self.reading.finished.connect(self._show)

    def load(self, board: Board) -> None:
        """Once for each state of a pack."""
        if self._of is board:
            return
        self._of = board
        self.plan.photos = {}
        library = self.model.session.library
        if not library.is_own(board.pack_id):
            return

        def work(_told: Callable[[float], bool]) -> object:
            found = {side: QImage.fromData(data) for side in Side if (data := library.photo(board.pack_id, side))}
            return board, {side: image for side, image in found.items() if not image.isNull()}

        self.reading.start(work)

    def _show(self, found: tuple[Board, dict[Side, QImage]]) -> None:
        if found[0] is self._of:
            self.plan.photos = {side: QPixmap.fromImage(image) for side, image in found[1].items()}
            self.as_chosen()

    def as_chosen(self) -> None:
        """As strong as was chosen, perhaps under another plan; asks the store, so not at each change of a job."""
        if self.plan.photos:
            self.plan.photo_share = float(self.model.session.store.setting(PHOTO_SHARE, USUAL_SHARE) or USUAL_SHARE)
            self.plan.update()

    def show_at(self, share: float) -> None:
        """How strongly the photo shows; kept."""
        self.plan.photo_share = share
        with suppress(DextrumError):
            self.model.session.store.set_setting(PHOTO_SHARE, f"{share:g}")
        self.plan.update()

    def close(self) -> None:
        self.reading.close()
