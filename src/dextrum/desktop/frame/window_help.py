"""What helps in the window: the keys of a view, the guide, and the guided job."""

from __future__ import annotations

from functools import cached_property
from typing import TYPE_CHECKING

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QWidget

from dextrum.core.board import Side
from dextrum.desktop.frame.reading_order import chain, in_reading_order, without_repeats
from dextrum.desktop.frame.views import VIEWS

if TYPE_CHECKING:
    from dextrum.desktop.frame.guide_window import GuideWindow
    from dextrum.desktop.frame.keys_overlay import KeysOverlay
    from dextrum.desktop.frame.tour_panel import TourPanel
    from dextrum.desktop.frame.window import MainWindow

ORDER_MILLISECONDS = 60
TOUR = "tour_job"
"""Setting: which job is the guided one."""
PACK_TOUR, GOES_ON = "tour_pack", "on"
"""Setting: whether the guided pack goes on."""


class WindowHelp:
    def __init__(self, window: MainWindow) -> None:
        self.window = window
        self.guide: GuideWindow | None = None
        self._left = ""
        """Which tour was left: it comes back when it is asked for."""
        # Tab is put in order once the window has settled.
        self._order_later = QTimer(window)
        self._order_later.setSingleShot(True)
        self._order_later.setInterval(ORDER_MILLISECONDS)
        self._order_later.timeout.connect(self.order_tabs)

    @cached_property
    def keys(self) -> KeysOverlay:
        """Made when it is first asked for, as all that is here."""
        from dextrum.desktop.frame.keys_overlay import KeysOverlay

        made = KeysOverlay(self.window)
        made.read.connect(lambda: self.open_guide())
        return made

    @cached_property
    def tour(self) -> TourPanel:
        from dextrum.desktop.frame.tour_panel import TourPanel

        made = TourPanel()
        made.left.connect(self.leave_tour)
        self.window.shelf.take_call(made)
        return made

    def order_soon(self) -> None:
        """Put Tab in order once what is shown has come to rest."""
        self._order_later.start()

    def show_keys(self) -> None:
        """The keys of the view in hand, over it; once more opens the guide at the page of that view."""
        if self.keys.isVisible():
            self.keys.leave()
            self.open_guide()
            return
        view = self.window.current_view()
        title = next((kind.title for kind in VIEWS if view is not None and kind.name == view.name), "")
        self.keys.open(view, title, self.window.focusWidget())

    def open_guide(self, page: str = "") -> None:
        """The guide at a page; at the one of the view in hand where none is named."""
        from dextrum.app.guide import page_of
        from dextrum.desktop.frame.guide_window import GuideWindow

        view = self.window.current_view()
        if self.guide is None:
            self.guide = GuideWindow()
        self.guide.open(page or page_of(view.name if view is not None else ""))

    def show_tour(self, asked: bool = False) -> None:
        """The step of the guided job, where the job in hand is that one; else of the guided pack, while it goes on.
        asked: it was left and is asked for again."""
        model = self.window.model
        store, library = model.session.store, model.session.library
        guided = bool(model.job_id) and store.setting(TOUR) == model.job_id
        if asked:
            self._left = ""
        if (not guided and store.setting(PACK_TOUR) != GOES_ON) or (guided and self._left == "job"):
            if "tour" in self.__dict__:
                self.tour.hide()
            return
        from dextrum.app.job.tour import FIRST_JOB, FIRST_PACK, TourState

        tour, board = FIRST_JOB if guided else FIRST_PACK, model.board
        now = None if board is None else TourState(model.facts, board, library.is_own(board.pack_id), sum(
            library.has_photo(board.pack_id, side) for side in Side))
        self.tour.show_for(tour, now)

    def leave_tour(self) -> None:
        """Put away until it is asked for; the guided pack for good, since it belongs to no one job."""
        model = self.window.model
        guided = bool(model.job_id) and model.session.store.setting(TOUR) == model.job_id
        if guided:
            self._left = "job"
        else:
            model.session.store.set_setting(PACK_TOUR, "")
        self.tour.hide()

    def order_tabs(self) -> None:
        """Tab goes through the window as one reads it."""
        window, view = self.window, self.window.current_view()
        shown = view.tab_chain() if view is not None else in_reading_order(window.stack)
        before: tuple[QWidget, ...] = (window.shelf, window.head, window.notices)
        after: tuple[QWidget, ...] = (window.capture_panel, window.connections, window.trail, window.reasoning)
        chain(without_repeats([*map(in_reading_order, before), shown, *map(in_reading_order, after)]))

    def close(self) -> None:
        self._order_later.stop()
        if self.guide is not None:
            self.guide.close()
