"""What helps in the window: the keys of a view, the guide, and the guided job."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtWidgets import QWidget

from dextrum.desktop.frame.keys_overlay import KeysOverlay
from dextrum.desktop.frame.reading_order import chain, in_reading_order, without_repeats
from dextrum.desktop.frame.tour_panel import TourPanel
from dextrum.desktop.frame.views import VIEWS

if TYPE_CHECKING:
    from dextrum.desktop.frame.guide_window import GuideWindow
    from dextrum.desktop.frame.window import MainWindow

TOUR = "tour_job"
"""Setting: which job is the guided one."""


class WindowHelp:
    def __init__(self, window: MainWindow) -> None:
        self.window = window
        self.keys = KeysOverlay(window)
        self.keys.read.connect(lambda: self.open_guide())
        self.guide: GuideWindow | None = None
        self.tour = TourPanel()
        self.tour.left.connect(self.tour.hide)

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

    def show_tour(self) -> None:
        """The guided job's step, where the job in hand is the guided one."""
        model = self.window.model
        if model.job_id and model.session.store.setting(TOUR) == model.job_id:
            self.tour.show_for(model.facts, model.board)
        else:
            self.tour.hide()

    def order_tabs(self) -> None:
        """Tab goes through the window as one reads it."""
        window, view = self.window, self.window.current_view()
        shown = view.tab_chain() if view is not None else in_reading_order(window.stack)
        before: tuple[QWidget, ...] = (window.shelf, window.head, window.notices)
        after: tuple[QWidget, ...] = (window.capture_panel, window.connections, window.trail, window.reasoning)
        chain(without_repeats([*map(in_reading_order, before), shown, *map(in_reading_order, after)]))

    def close(self) -> None:
        if self.guide is not None:
            self.guide.close()
