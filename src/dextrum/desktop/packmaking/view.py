"""Pack: what the pack of the model in hand knows, what it can't say yet, and what makes it better."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, Qt, QTimer
from PySide6.QtGui import QImage
from PySide6.QtWidgets import QGridLayout, QLabel, QPushButton, QWidget

from dextrum.core.board import Method, Side
from dextrum.desktop.frame.background import Background, Work
from dextrum.desktop.frame.job_model import JobModel
from dextrum.desktop.frame.long_work import is_small
from dextrum.desktop.frame.view import JobView, clear_layout, quiet_label
from dextrum.desktop.packmaking.photo_panel import PhotoPanel
from dextrum.desktop.packmaking.probe_panel import ProbePanel
from dextrum.errors import DextrumError
from dextrum.tongue import tr

if TYPE_CHECKING:
    from dextrum.app.packmaking.photo_layers import LiesOn
    from dextrum.core.board import Board
    from dextrum.core.job import JobFacts
    from dextrum.core.packmaking.wrong_pack import PackMistake


RunLong = Callable[[str, Work, Callable[[object], None], bool], str]
MOST_ENDS_SAID = 8
SAME_SIZE = 0.03
"""Share by which the sizes of one board's two photos may differ: a calliper's jaw on a rounded edge."""


class PackmakingView(JobView):
    name = "packmaking"
    shows_advice = True
    commands = ("pack.good", "pack.photo", "pack.place", "pack.alike", "pack.move", "pack.row", "pack.unplace",
                "pack.circuit", "pack.pair", "pack.probe", "pack.anew", "pack.back", "pack.again", "pack.move_on",
                "pack.exchange", "pack.send", "pack.merge", "pack.new", "pack.files", "guide.packs")

    def __init__(self, model: JobModel) -> None:
        super().__init__(model)
        self.can_head, self.can_not_head = QLabel(tr("It can say")), QLabel(tr("It can't say yet"))
        self.can, self.can_not, self.next_step = QLabel(), QLabel(), QLabel()
        self.wrong_head, self.wrong = QLabel(tr("Likely wrong in this pack")), QLabel()
        self.wrong.setWordWrap(True)
        self.wrong.setTextFormat(Qt.TextFormat.PlainText)
        self.wrong_head.setObjectName("hold")
        self.anew = QPushButton(tr("Probe these anew"))
        self.anew.setObjectName("small")
        self.anew.clicked.connect(lambda: self.asked.emit("pack.anew"))
        for head in (self.can_head, self.can_not_head):
            head.setObjectName("section")
        for label in (self.can, self.can_not, self.next_step):
            label.setWordWrap(True)
            label.setTextFormat(Qt.TextFormat.PlainText)
        self.table = QWidget()
        self.grid = QGridLayout(self.table)
        self.grid.setContentsMargins(0, 8, 0, 8)
        self.grid.setColumnStretch(2, 1)
        self.grid.setHorizontalSpacing(24)
        for part in (self.wrong_head, self.wrong, self.anew, self.can_head, self.can, self.can_not_head, self.can_not,
                     self.table, self.next_step):
            self.body.addWidget(part)
        self.body.setAlignment(self.anew, Qt.AlignmentFlag.AlignLeft)
        for part in (self.wrong_head, self.wrong, self.anew):
            part.hide()
        self.comparing = Background(self)
        self.comparing.finished.connect(self._show_mistakes)
        self._compared: tuple[object, object] = None, None
        self._mistakes: tuple[PackMistake, ...] | None = ()
        """What is likely wrong in the pack; None while good boards are held against it."""
        self.probe = ProbePanel()
        self.probe.touched.connect(self._touched)
        self.probe.read.connect(self._read)
        self.probe.kept.connect(self._keep_nets)
        self.body.addWidget(self.probe)
        self.photo = PhotoPanel()
        self.photo.used.connect(self._use_photo)
        self.photo.laid_over.connect(self._lay_photo_over)
        self.body.addWidget(self.photo, 1)
        self.body.addStretch(1)
        self.holding_against = Background(self)
        self.holding_against.finished.connect(self._tell_of_photo)
        self.setting_right = Background(self)
        self.setting_right.finished.connect(self._keep_photo)
        self.setting_right.failed.connect(self.photo.say)
        self._side = Side.TOP
        self._photo_of = ""
        """Id of the pack for which the photo in hand was opened: another job may be in hand by the time it is read."""
        self._lies: LiesOn | None = None
        """Where the photo in hand lies on one that is kept."""
        self._shown_for = ""
        self._probed: tuple[Board | None, JobFacts | None] = None, None
        self._tabled: tuple[tuple[str, str, str], ...] = ()
        self._marks: dict[str, tuple[float, float]] = {}
        """Where what both sides show lies, as one side's photo has told it; kept with the pack's name."""
        self._fits = ""

    def open_probing(self) -> None:
        """Ask for the nets of placed parts, one touch after the other."""
        self.probe.show()
        self._probed = None, None
        self.refresh()
        self.probe.take_keyboard()
        QTimer.singleShot(0, self.probe, lambda: self.scroll_to(self.probe))

    def probe_anew(self) -> None:
        """Take what is doubted back to 'nobody knows', and ask for it touch by touch. Step back undoes it."""
        from dextrum.core.packmaking.opened_ends import doubted_ends, with_ends_open

        board = self.model.board
        if board is None:
            return
        if self._mistakes is None:
            self.say_trouble(tr("Good boards are still being held against the pack: once more in a moment."))
            return
        ends = doubted_ends(board, self._mistakes)
        if not ends:
            self.say_trouble(tr("Nothing in this pack is doubted."))
            return
        try:
            self.model.session.library.keep(with_ends_open(board, ends))
        except DextrumError as problem:
            self.say_trouble(str(problem))
            return
        self.model.pack_has_grown()
        self.open_probing()
        more = tr(" and {count} more", count=len(ends) - MOST_ENDS_SAID) if len(ends) > MOST_ENDS_SAID else ""
        self.say_trouble(tr("Open now: {ends}{more}. The touches below tell where they belong; Step back brings back "
                            "what was there.", ends=", ".join(ends[:MOST_ENDS_SAID]), more=more))

    def _touched(self, one: str, other: str, joined: bool) -> None:
        from dextrum.core.trail import Touched

        self.model.record(Touched(one, other, joined))

    def _read(self, point: str, typed: str) -> None:
        from dextrum.app.reading.typed import parse_reading

        try:
            reading = parse_reading(typed, point, Method.DIODE_RED_GROUND)
        except DextrumError as problem:
            self.say_trouble(str(problem))
            return
        self.say_trouble("")
        self.model.record_reading(reading, Method.DIODE_RED_GROUND)

    def _keep_nets(self) -> None:
        from dextrum.app.packmaking.probe_words import netted
        from dextrum.core.board.doubts import net_of_everything

        board, session = self.model.board, self.model.session
        if board is None:
            return
        taught = any(r.board_serial == self.model.facts.serial for r in session.library.pack(board.pack_id).known_good)
        learned = 0
        try:
            session.library.keep(netted(board, self.model.facts))
            if taught:
                # It was said to be good: what it reads where nets are known now is a reference as well.
                learned = session.learn_good_unit(self.model.job_id)
        except DextrumError as problem:
            self.say_trouble(str(problem))
            return
        self.model.pack_has_grown()
        grown = self.model.board
        whole = net_of_everything(grown) if grown is not None else None
        self.say_trouble((tr("The nets are in the pack, and {count} readings of this good unit.", count=learned)
                          if learned else tr("The nets are in the pack."))
                         + (f" {whole.place}: {whole.words}" if whole is not None else ""))

    def open_photo(self, path: Path, side: Side, run: RunLong) -> str:
        """Read beside the window; then its corners are chosen. Returns what is wrong at once, or nothing. run: as
        `LongWork.run`."""
        self._side, self._photo_of = side, self._pack_id()
        self.say_trouble("")

        def work(told: Callable[[float], bool]) -> object:
            from dextrum.desktop.frame.picture_file import read_photo

            return read_photo(path, told)

        return run(tr("Reading {name}", name=path.name[:60]), work, self._show_photo, is_small(path))

    def _kept_photos(self) -> dict[Side, Callable[[], bytes]]:
        """What reads the photo of each side that has one, the side in hand first."""
        board, library = self.model.board, self.model.session.library
        if board is None:
            return {}
        pack_id = board.pack_id
        sides = (self._side, *(side for side in Side if side is not self._side))
        return {side: partial(library.photo, pack_id, side) for side in sides if library.has_photo(pack_id, side)}

    def _show_photo(self, read: object) -> None:
        assert isinstance(read, QImage)
        if self._photo_of != self._pack_id():
            return
        image, kept = read, self._kept_photos()
        self._lies = None
        self.photo.open_for(tr("the {side} side", side=tr(self._side.value)), image)

        def work(_told: Callable[[float], bool]) -> object:
            from dextrum.desktop.packmaking.over_kept import lies_on_kept

            return image, lies_on_kept(kept, image)

        if kept:
            self.holding_against.start(work)
            # Its size is known from the other side, or from the photo before.
            size = self._kept_size()
            self.photo.size_mm.setText(f"{size[0]:g} x {size[1]:g}" if size is not None else "")
        QTimer.singleShot(0, self.photo, lambda: self.scroll_to(self.photo))

    def _tell_of_photo(self, found: tuple[QImage, LiesOn | None]) -> None:
        """What the photos that are kept tell of the one in hand, if it still is."""
        from dextrum.app.packmaking.photo_layers import found_on_photo

        image, lies = found
        if image.cacheKey() == self.photo.canvas.image.cacheKey():
            self._lies = lies
            self.photo.tell(found_on_photo(lies, self._side, tuple(self._kept_photos())))
            QTimer.singleShot(0, self.photo, lambda: self.scroll_to(self.photo))

    def _use_photo(self, points: tuple[QPointF, ...], typed: str, known: str) -> None:
        """Set right by its corners and further points; a mark that one side told is known on the other."""
        from dextrum.core.packmaking.photo_fit import by_two_lengths, parse_known, parse_lengths, parse_places
        from dextrum.desktop.packmaking.photo import fitted, parse_size

        corners, further = points[:4], points[4:]
        image = self.photo.canvas.image
        try:
            places = parse_places(typed)
            if places is not None:
                self._lay_by_places(points, ";".join(part for part in (places, known) if part.strip()))
                return
            lengths = parse_lengths(typed)
            if lengths is not None:
                self._refuse_beside_another()
                ends, size = by_two_lengths([(p.x(), p.y()) for p in corners], lengths, (image.width(), image.height()))
                corners = tuple(QPointF(x, y) for x, y in ends)
                size = parse_size(f"{size[0]:.2f} x {size[1]:.2f}")
            else:
                size = parse_size(typed)
                self._refuse_another_size(size)
            named = parse_known(known, len(further), self._marks)
            fit = fitted(corners, size, further, named, self._side is Side.BOTTOM)
        except DextrumError as problem:
            self.photo.say(str(problem))
            return
        except ValueError as problem:
            self.photo.say(f"{problem}.".replace("; expected", ": expected"))
            return
        self._marks |= fit.marks
        self._keep_marks()
        self._fits = tr(" {count} points fit to {residual_mm:.2f} mm.", count=len(points),
                        residual_mm=fit.residual_mm) if further else ""
        self.photo.say(tr("Setting it right…"))

        pack_id = self._photo_of

        def work(_told: Callable[[float], bool]) -> object:
            from dextrum.desktop.frame.picture_file import as_jpeg
            from dextrum.desktop.packmaking.photo import set_right

            return pack_id, size, as_jpeg(set_right(image, corners, *size, fit))

        self.setting_right.start(work)

    def _lay_by_places(self, points: tuple[QPointF, ...], places: str) -> None:
        """A photo of a part of the side, by points whose places are known, over the one that is kept. Raises
        EntryRefusedError, ValueError."""
        from dextrum.core.packmaking.photo_fit import parse_known
        from dextrum.desktop.packmaking.over_kept import lies_by_places
        from dextrum.desktop.packmaking.photo import fitted_by_places

        size = self._kept_size()
        if size is None or self._side not in self._kept_photos():
            raise ValueError(tr("no photo of the {side} side is kept that it could lie on; expected one that shows the "
                                "board from corner to corner first", side=tr(self._side.value)))
        fit = fitted_by_places(points, parse_known(places, len(points), self._marks), size, self._side is Side.BOTTOM)
        self._marks |= fit.marks
        self._keep_marks()
        self._fits = tr(" {count} points fit to {residual_mm:.2f} mm.", count=len(points), residual_mm=fit.residual_mm)
        side = self._side
        self._join(lambda kept, image: lies_by_places(side, fit, size, kept, image))

    def _lay_photo_over(self) -> None:
        lies = self._lies
        if lies is not None and lies.side in self._kept_photos():  # a step back may have taken it
            self._side, self._fits = lies.side, ""
            self._join(lambda _kept, _image: lies)

    def _join(self, where: Callable[[QImage, QImage], LiesOn]) -> None:
        """The photo in hand over the one that is kept, beside the window."""
        image, read, size = self.photo.canvas.image, self._kept_photos()[self._side], self._kept_size()
        pack_id = self._photo_of
        self.photo.say(tr("Laying it over…"))

        def work(_told: Callable[[float], bool]) -> object:
            from dextrum.desktop.packmaking.over_kept import laid_over_kept

            return pack_id, size, laid_over_kept(read(), image, where)

        self.setting_right.start(work)

    def _kept_size(self) -> tuple[float, float] | None:
        """Of the board, as a photo that is kept has told it; None where none has."""
        board = self.model.board
        if board is None or not self._kept_photos():
            return None
        wide, high = (max(place[axis] for place in board.outline_mm) for axis in (0, 1))
        return wide, high

    def _refuse_another_size(self, size: tuple[float, float]) -> None:
        """Two photos of one board are of one size. Raises ValueError."""
        other = next((side for side in self._kept_photos() if side is not self._side), None)
        known = self._kept_size()
        if other is not None and known is not None and any(
                abs(a - b) > SAME_SIZE * b for a, b in zip(size, known, strict=True)):
            raise ValueError(tr("by the photo of the {side} side the board is {wide:g} x {high:g} mm; expected that "
                                "size, or the photo of that side anew first", side=tr(other.value), wide=known[0],
                                high=known[1]))

    def _refuse_beside_another(self) -> None:
        """A photo laid straight by lengths shows as much as it shows: beside one of the other side, both must show the
        board from corner to corner. Raises ValueError."""
        board = self.model.board
        other = self._side.other
        if board is not None and self.model.session.library.has_photo(board.pack_id, other):
            raise ValueError(tr("the photo of the {side} has told the board's size; expected its four corners and that "
                                "size", side=tr("{side} side", side=tr(other.value))))

    def _pack_id(self) -> str:
        return self.model.board.pack_id if self.model.board is not None else ""

    def _marks_name(self) -> str:
        board = self.model.board
        return f"marks.{board.pack_id}" if board is not None else ""

    def _kept_marks(self) -> dict[str, tuple[float, float]]:
        """What an earlier job on this pack has told; nothing where that can't be read."""
        from dextrum.core.packmaking.photo_fit import marks_read

        name = self._marks_name()
        return marks_read(self.model.session.store.setting(name)) if name else {}

    def _keep_marks(self) -> None:
        from dextrum.core.packmaking.photo_fit import marks_written

        name = self._marks_name()
        if name and self._marks:
            self.model.session.store.set_setting(name, marks_written(self._marks))

    def _keep_photo(self, found: tuple[str, tuple[float, float], bytes]) -> None:
        from dextrum.core.packmaking.first_rung import resized

        board, (pack_id, size, data) = self.model.board, found
        if board is None or board.pack_id != pack_id:
            return
        try:
            self.model.session.library.keep(resized(board, *size), {self._side: data})
        except DextrumError as problem:
            self.photo.say(str(problem))
            return
        self.photo.leave()
        self.model.pack_has_grown()
        self.say_trouble(tr("Photo of the {side} side kept: it lies under the plan (Alt+4).{fits}",
                            side=tr(self._side.value), fits=self._fits))

    def exchange_photos(self) -> None:
        """Top and bottom, where they were mixed up: parts and points stay where they are. Step back undoes it."""
        board, kept = self.model.board, self._kept_photos()
        if board is None or len(kept) < len(Side):
            self.say_trouble(tr("Both sides need a photo first."))
            return
        try:
            one, other = (kept[side]() for side in Side)
            self.model.session.library.keep(board, dict(zip(Side, (other, one), strict=True)))
        except DextrumError as problem:
            self.say_trouble(str(problem))
            return
        self.model.pack_has_grown()
        self.say_trouble(tr("The photos of the two sides are exchanged. Step back undoes it."))

    def _compare(self) -> None:
        """Hold good boards against the pack, beside the window; anew when one of the two has changed."""
        board, session = self.model.board, self.model.session
        references = self.model.references
        now = (board, references)
        if self._compared[0] is board and self._compared[1] is references:
            return
        self._compared = now
        self._show_mistakes((None, ()))
        if board is None:
            return
        if references is None or not references.boards:
            from dextrum.core.packmaking.unlikely_nets import unlikely_in_pack

            self._show_mistakes((now, unlikely_in_pack(board)))
            return

        def work(_told: Callable[[float], bool]) -> object:
            from dextrum.app.packmaking.pack_words import mistakes_of

            return now, mistakes_of(session.library.advice_model(board.pack_id, session.meter).model)

        self.comparing.start(work)

    def _show_mistakes(self, found: tuple[object, tuple[PackMistake, ...]]) -> None:
        from dextrum.app.packmaking.pack_words import mistake_lines

        if found[0] is not None and found[0] is not self._compared:
            return
        self._mistakes = found[1] if found[0] is not None or self.model.board is None else None
        lines = mistake_lines(found[1])
        self.wrong.setText("\n".join(f"· {line}" for line in lines))
        for part in (self.wrong_head, self.wrong):
            part.setVisible(bool(lines))
        board = self.model.board
        self.anew.setVisible(bool(lines) and board is not None and self.model.session.library.is_own(board.pack_id)
                             and not self.model.stays)

    def close_work(self) -> None:
        super().close_work()
        self.comparing.close()
        self.holding_against.close()
        self.setting_right.close()

    def refresh(self) -> None:
        from dextrum.app.packmaking.pack_words import standing_of

        board, library = self.model.board, self.model.session.library
        if self._shown_for != self.model.job_id:
            self._shown_for = self.model.job_id
            self._marks = self._kept_marks()
            self.photo.leave()
            self.probe.hide()
        if board is not None and self.probe.isVisibleTo(self):
            self._show_probing(board)
        parts = (self.can_head, self.can, self.can_not_head, self.can_not, self.table, self.next_step)
        for part in parts:
            part.setVisible(board is not None)
        self._compare()
        if board is None:
            self.sentence.setText(tr("This job has no board pack."))
            self.detail.setText(tr("Another model… makes one in half a minute."))
            return
        own = library.is_own(board.pack_id)
        now = standing_of(board, library.pack(self.model.pack_key).known_good, own)
        self.sentence.setText(now.sentence)
        whose = tr("the shop’s own") if own else tr("came with the program or as a whole")
        self.detail.setText(f"{board.pack_id} · {whose}" + (
            tr(" · this job stays on the pack as it was before another job changed it: Move on…")
            if self.model.stays else ""))
        self.can.setText("\n".join(f"· {words}" for words in now.can))
        self.can_not.setText("\n".join(f"· {words}" for words in now.can_not))
        self.can_not_head.setVisible(bool(now.can_not))
        self.can_not.setVisible(bool(now.can_not))
        self.next_step.setText(now.next_step)
        self._show_table(now.facts)
        self.show_cautions()

    def _show_probing(self, board: Board) -> None:
        """Once for what stands on the trail: it is asked for again when suspects are there."""
        from dextrum.app.packmaking.probe_words import faulty_words, probing_of

        facts = self.model.facts
        if self._probed[0] is not board or self._probed[1] is not facts:
            self._probed = board, facts
            self.probe.show_probing(board, probing_of(board, facts), faulty_words(facts))

    def _show_table(self, facts: tuple[tuple[str, str, str], ...]) -> None:
        if facts == self._tabled:
            return
        self._tabled = facts
        clear_layout(self.grid)
        for k, (what, much, source) in enumerate(facts):
            for column, words in enumerate((what, much, source)):
                label = quiet_label(words) if column == 2 else QLabel(words)
                label.setTextFormat(Qt.TextFormat.PlainText)
                self.grid.addWidget(label, k, column, Qt.AlignmentFlag.AlignTop)
