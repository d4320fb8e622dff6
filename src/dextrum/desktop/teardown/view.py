"""Teardown: what is undone next, and on the way back what goes in next; by keys, so that hands stay at the unit."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QPointF, Qt, QTimer
from PySide6.QtGui import QImage, QKeyEvent, QPixmap
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton

from dextrum.core.entries.fastened import FastenerState
from dextrum.core.teardown.walk import Way, level_reached, states_of, teardown_state, too_long_for
from dextrum.core.trail import Access, Fastened
from dextrum.desktop.frame.background import Background
from dextrum.desktop.frame.job_model import JobModel
from dextrum.desktop.frame.value_field import ValueField
from dextrum.desktop.frame.view import JobView, quiet_label
from dextrum.desktop.packmaking.photo_panel import PhotoPanel
from dextrum.desktop.teardown.case_plan import CasePlan
from dextrum.desktop.theme import look
from dextrum.errors import DextrumError
from dextrum.store.packs.pack_writer import CASE
from dextrum.tongue import tr

LENGTH_PIXELS = 64
KEYS: dict[Qt.Key, FastenerState] = {Qt.Key.Key_M: "missing", Qt.Key.Key_R: "rounded"}


class TeardownView(JobView):
    name = "teardown"
    commands = ("teardown.turn", "teardown.mat", "teardown.add", "teardown.photo", "access.opened")
    keys = (("Enter", tr("out, or in again")), ("M", "missing"), ("R", tr("its head is rounded")),
            ("W", tr("a wrong length was in it")))
    sentence_lines = 2

    def __init__(self, model: JobModel) -> None:
        super().__init__(model)
        self.way: Way = "in"
        self._shown_for = ""
        self._chosen = ""
        self.plan = CasePlan()
        self.plan.chosen.connect(self._choose)
        self.photo = PhotoPanel("case")
        self.photo.used.connect(self._use_photo)
        self.reading, self.setting_right, self.showing = Background(self), Background(self), Background(self)
        self.reading.finished.connect(lambda image: self.photo.open_for(tr("the case, from where it is opened"), image))
        self.setting_right.finished.connect(self._keep_photo)
        self.showing.finished.connect(self._show_photo)
        for work in (self.reading, self.setting_right):
            work.failed.connect(self.say_trouble)
        self._photo_of = ""
        self.name_of_next, self.caution, self.count = QLabel(), QLabel(), quiet_label()
        self.name_of_next.setObjectName("pointname")
        self.caution.setObjectName("hold")
        for label in (self.name_of_next, self.caution):
            label.setWordWrap(True)
            label.setTextFormat(Qt.TextFormat.PlainText)
        self.buttons: dict[str, QPushButton] = {}
        line = QHBoxLayout()
        for state, words, act in (("done", tr("Out · Enter"), self._done),
                                  ("missing", tr("Missing · M"), lambda: self._record("missing")),
                                  ("rounded", tr("Rounded · R"), lambda: self._record("rounded")),
                                  ("wrong_length", tr("Wrong length · W"), self._ask_length)):
            self.buttons[state] = QPushButton(words)
            self.buttons[state].clicked.connect(act)
            line.addWidget(self.buttons[state])
        self.length = ValueField()
        self.length.setMaximumWidth(look.px(LENGTH_PIXELS))
        self.length.setPlaceholderText("mm")
        self.length.setAccessibleName(tr("Length of the screw that was in it, mm"))
        self.length.returnPressed.connect(self._length_typed)
        self.length.hide()
        line.addWidget(self.length)
        line.addStretch(1)
        self.body.addWidget(self.name_of_next)
        self.body.addWidget(self.caution)
        self.body.addLayout(line)
        self.body.addWidget(self.count)
        self.body.addWidget(self.photo, 1)
        self.body.addWidget(self.plan, 1)

    # A photo under the map

    def open_photo(self, path: Path) -> None:
        """Read beside the window; then its corners are chosen."""
        self.say_trouble("")

        def work(_told: Callable[[float], bool]) -> object:
            from dextrum.desktop.frame.picture_file import read_photo

            return read_photo(path)

        self.reading.start(work)

    def _use_photo(self, corners: tuple[QPointF, ...], typed: str, _known: str) -> None:
        from dextrum.app.packmaking.fasteners import with_case
        from dextrum.desktop.packmaking.photo import checked_corners, parse_size

        board = self.model.board
        if board is None:
            return
        try:
            size = parse_size(typed)
            checked_corners(corners)
            with_case(board, *size)
        except DextrumError as problem:
            self.photo.say(str(problem))
            return
        image = self.photo.canvas.image
        self.photo.say(tr("Setting it right …"))

        def work(_told: Callable[[float], bool]) -> object:
            from dextrum.desktop.frame.picture_file import as_jpeg
            from dextrum.desktop.packmaking.photo import set_right

            return board.pack_id, size, as_jpeg(set_right(image, corners, *size))

        self.setting_right.start(work)

    def _keep_photo(self, found: tuple[str, tuple[float, float], bytes]) -> None:
        from dextrum.app.packmaking.fasteners import with_case

        pack_id, size, data = found
        board = self.model.board
        if board is None or board.pack_id != pack_id:
            self.say_trouble(tr("Another unit was taken meanwhile: the photo was not kept."))
            return
        try:
            self.model.session.library.keep(with_case(board, *size), {CASE: data})
        except DextrumError as problem:
            self.photo.say(str(problem))
            return
        self.photo.leave()
        self._photo_of = ""
        self.model.pack_has_grown()

    def _load_photo(self) -> None:
        """The photo under the map, read beside the window."""
        board, library = self.model.board, self.model.session.library
        wanted = board.pack_id if board is not None else ""
        if wanted == self._photo_of:
            return
        self._photo_of, self.plan.photo = wanted, QPixmap()
        if board is None or not board.case_mm:
            return

        def work(_told: Callable[[float], bool]) -> object:
            return wanted, QImage.fromData(library.photo(wanted, CASE))

        self.showing.start(work)

    def _show_photo(self, found: tuple[str, QImage]) -> None:
        if found[0] == self._photo_of and not found[1].isNull():
            self.plan.photo = QPixmap.fromImage(found[1])
            self.plan.update()

    def close_work(self) -> None:
        super().close_work()
        for work in (self.reading, self.setting_right, self.showing):
            work.close()

    def refresh(self) -> None:
        board, facts = self.model.board, self.model.facts
        if self._shown_for != self.model.job_id:
            self._shown_for, self._chosen = self.model.job_id, ""
            self.way = "back" if facts.proofs else "in"
            self.photo.leave()
            self.plan.end_placing()
        self._load_photo()
        fasteners = board.fasteners if board is not None else ()
        self.plan.setVisible(bool(fasteners) or (board is not None and bool(board.case_mm)))
        for button in self.buttons.values():
            button.setVisible(bool(fasteners))
        if board is None or not fasteners:
            self.sentence.setText(tr("This pack has no map of how the unit opens."))
            own = board is not None and self.model.session.library.is_own(board.pack_id)
            self.detail.setText(tr("Add to the map… makes one while the unit is opened.") if own else "")
            for label in (self.name_of_next, self.caution, self.count):
                label.setText("")
            self.plan.show_state(board if board is not None and board.case_mm else None, {}, "")
            return
        now = teardown_state(board, facts, self.way)
        one = next((f for f in fasteners if f.id == self._chosen), None) or now.next
        back = self.way == "back"
        screws = [f.id for f in fasteners if f.kind == "screw"]
        out = [name for name in screws if name in now.out]
        placed = [name for name in screws if name in now.back]
        if one is None:
            missing = tr(" {count} missing: they stand on the sheet.", count=len(now.missing)) if now.missing else ""
            self.sentence.setText((tr("All is back in its place.") if back else tr("All is undone.")) + missing)
            self.name_of_next.setText("")
            self.caution.setText("")
        else:
            what = " · ".join(filter(None, (
                one.words, one.head, tr("{length_mm:g} mm", length_mm=one.length_mm) if one.length_mm else "")))
            self.sentence.setText(f"{tr('Next in its place') if back else tr('Next to undo')}: {tr(one.kind)} {one.id}"
                                  + (f", {one.words}." if one.words else "."))
            self.name_of_next.setText(f"{one.id}  {what}")
            long = too_long_for(board, facts, one) if back else 0.0
            self.caution.setText(
                tr("This hole takes {deepest_mm:g} mm at most: the one of {long:g} mm would go into the board.",
                   deepest_mm=one.deepest_mm, long=long)
                if long else one.caution)
        self.buttons["done"].setText(tr("In again · Enter") if back else tr("Out · Enter"))
        for name, button in self.buttons.items():
            button.setEnabled(one is not None)
            if name == "wrong_length":
                button.setVisible(one is not None and one.kind == "screw")
        self.count.setText(tr("{count} of {count2} screws in again, {count3} missing", count=len(placed),
                              count2=len(screws), count3=len(now.missing)) if back
                           else tr("{count} of {count2} screws out, {count3} missing", count=len(out),
                                   count2=len(screws), count3=len(now.missing)))
        self.detail.setText(tr("The way back") if back else tr("The way in"))
        self.plan.show_state(board, states_of(facts), one.id if one is not None else "")
        self.show_cautions()

    def turn(self) -> None:
        """The way back, or in again."""
        self.way = "in" if self.way == "back" else "back"
        self._chosen = ""
        self.refresh()

    def _choose(self, name: str) -> None:
        self._chosen = name
        self.refresh()
        self.plan.setFocus()

    def _current(self) -> str:
        return self.plan.next

    def _done(self) -> None:
        self._record("in" if self.way == "back" else "out")

    def _record(self, state: FastenerState, length_mm: float = 0.0) -> None:
        board, name = self.model.board, self._current()
        if board is None or not name:
            return
        self._chosen = ""
        if self.model.record(Fastened(name, state, length_mm)):
            reached = level_reached(board, self.model.facts)
            order = board.access_order
            if reached and order[reached] > order.get(self.model.facts.access, 0):
                self.model.record(Access(reached))
        # Later: a field passes its Enter on, which would undo the next one too.
        QTimer.singleShot(0, self, self._back_to_plan)

    def _back_to_plan(self) -> None:
        self.length.hide()
        self.plan.setFocus()

    def record_as_undone(self, name: str) -> None:
        """What was just put on the map is out."""
        self.model.record(Fastened(name, "out"))

    def _ask_length(self) -> None:
        self.length.clear()
        self.length.show()
        self.length.setFocus()

    def _length_typed(self) -> None:
        try:
            length = float(self.length.text().replace(",", ".").removesuffix("mm").strip())
            if not 0.5 <= length <= 60.0:
                raise ValueError
        except ValueError:
            self.say_trouble(tr("The length of the screw that was in it, in millimetres: 0.5 to 60."))
            return
        self.say_trouble("")
        self._record("wrong_length", length)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = Qt.Key(event.key())
        if event.isAutoRepeat() or event.modifiers() & ~Qt.KeyboardModifier.KeypadModifier:
            super().keyPressEvent(event)
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.plan.hasFocus():
            self._done()
        elif key in KEYS:
            self._record(KEYS[key])
        elif key == Qt.Key.Key_W and not self.buttons["wrong_length"].isHidden():
            self._ask_length()
        else:
            super().keyPressEvent(event)

    def focus_entry(self) -> None:
        self.plan.setFocus()
