"""The line above the views: the unit in hand, and how it is being measured. Each state is a button that changes it."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from PySide6.QtCore import Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QHBoxLayout, QMenu, QPushButton, QSizePolicy, QWidget

from dextrum.app.command import Command
from dextrum.app.commands import BY_ID
from dextrum.desktop.frame.command_row import GAP, drop_down, menu_of
from dextrum.desktop.frame.elided_label import ElidedLabel
from dextrum.tongue import tr

JOB_MENU = ("job.wait", "job.wait_draw", "job.earlier", "job.comeback",
            "job.export", "copy.text", "copy.picture", "sheet.pdf",
            "sheet.html")
CELL_MENU = ("cell.unplugged", "cell.plugged", "cell.known_good", "cell.new")
METER_MENU = ("meter.next", "meter.set_up", "meter.remove", "library.reference_meter", "board.temperature")
POLARITY_MENU = ("method.diode", "method.ohms")
MENUS = {"job": JOB_MENU, "cell": CELL_MENU, "access": ("access.opened",), "meter": METER_MENU,
         "polarity": POLARITY_MENU, "who": ("bench.who",)}
"""What each button opens; one with a single command runs it."""
FOLDED_FIRST = ("who", "polarity", "meter", "access")
LEAST_UNIT = 60
"""Pixels kept for the unit's name before states are folded away."""
WORDS = {"cell": tr("The unit's cell"), "access": tr("How far the unit is open"), "meter": tr("The meter in hand"),
         "polarity": tr("How the diode readings are taken"), "who": tr("Who works here"), "job": tr("This job")}


class Header(QWidget):
    """Signals: asked (a command's id), unfolded (a region's name)."""

    asked = Signal(str)
    unfolded = Signal(str)

    def __init__(self, why_not: Callable[[Command], str]) -> None:
        super().__init__()
        self._why_not = why_not
        self._wanted: frozenset[str] = frozenset()
        self._folding = False
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(GAP)
        self.serial = ElidedLabel()
        self.serial.setObjectName("serial")
        self.unit = ElidedLabel()
        self.unit.setObjectName("quiet")
        self.unit.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.buttons = {name: self._button(name) for name in MENUS}
        self.regions = {name: self._region(name) for name in ("shelf", "reasoning")}
        row.addWidget(self.regions["shelf"])
        row.addWidget(self.serial)
        row.addWidget(self.buttons["job"])
        row.addSpacing(4)
        row.addWidget(self.unit, 1)
        for name in ("cell", "access", "polarity", "meter", "who"):
            row.addWidget(self.buttons[name])
        row.addWidget(self.regions["reasoning"])

    def _region(self, name: str) -> QPushButton:
        """Of a region that is folded away where the window is narrow."""
        button = QPushButton(tr("Shelf") if name == "shelf" else tr("Next step"))
        button.setObjectName("choice")
        button.setToolTip(tr("Shows what is folded away in a narrow window, or folds it again"))
        button.clicked.connect(lambda _checked=False: self.unfolded.emit(name))
        button.hide()
        return button

    def show_folded(self, shelf: bool, reasoning: bool) -> None:
        self.regions["shelf"].setVisible(shelf)
        self.regions["reasoning"].setVisible(reasoning)
        self.fold()

    def _button(self, name: str) -> QPushButton:
        button = QPushButton(tr("Job") if name == "job" else "")
        button.setObjectName("tool")
        button.clicked.connect(lambda _checked=False: self._press(name))
        return button

    def show_states(self, **texts: str) -> None:
        """The words on the buttons by name; without a job there are none."""
        for name, button in self.buttons.items():
            button.setText((tr("Job") if texts else "") if name == "job" else texts.get(name, ""))
            button.setAccessibleName(f"{WORDS[name]}: {button.text()}")
            ids: Iterable[str] = MENUS[name]
            button.setToolTip(tr("{words}: click to change", words=WORDS[name]) if name != "job" else ", ".join(
                BY_ID[one].title for one in ids))
        self.fold()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.fold()

    def fold(self) -> None:
        """Where there is little room, what a slip of costs least goes into the job's menu."""
        shown = [name for name, button in self.buttons.items() if button.text()]
        room = self.width() - self.serial.minimumSizeHint().width() - LEAST_UNIT - sum(
            button.sizeHint().width() + GAP for button in self.regions.values() if not button.isHidden())
        for name in FOLDED_FIRST:
            if sum(self.buttons[one].sizeHint().width() + GAP for one in shown) <= room:
                break
            if name in shown:
                shown.remove(name)
        # A button that is shown may resize this while it is not yet whole; it must not be hidden in the midst of that.
        self._wanted = frozenset(shown)
        if self._folding:
            return
        self._folding = True
        done: frozenset[str] = frozenset({""})
        while done != self._wanted:
            done = self._wanted
            for name, button in self.buttons.items():
                button.setVisible(name in done)
        self._folding = False

    def folded(self) -> tuple[str, ...]:
        return tuple(name for name in FOLDED_FIRST if self.buttons[name].isHidden() and self.buttons[name].text())

    def _press(self, name: str) -> None:
        ids = MENUS[name]
        if len(ids) == 1:
            self.asked.emit(ids[0])
        else:
            drop_down(self.buttons[name], self.menu(name))

    def menu(self, name: str) -> QMenu:
        more = [one for other in self.folded() for one in MENUS[other]] if name == "job" else []
        return menu_of((*MENUS[name], *more), self.asked.emit, self._why_not, self)
