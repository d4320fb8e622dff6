"""What helps in the window: the keys of a view, the guide, and the guided job."""

from __future__ import annotations

from functools import cached_property
from typing import TYPE_CHECKING

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QWidget

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


class WindowHelp:
    def __init__(self, window: MainWindow) -> None:
        self.window = window
        self.guide: GuideWindow | None = None
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
        made.left.connect(made.hide)
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

    def show_tour(self) -> None:
        """The guided job's step, where the job in hand is the guided one."""
        model = self.window.model
        if model.job_id and model.session.store.setting(TOUR) == model.job_id:
            self.tour.show_for(model.facts, model.board)
        elif "tour" in self.__dict__:
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
