"""Known-good: what the shop knows about the board of the job in hand, and how its meters compare."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QAbstractItemView, QCheckBox, QHBoxLayout, QLabel, QLineEdit, QTableView

from dextrum.app.library.library_words import library_sentence, meter_line, taken_out_line, unread_meters
from dextrum.core.reference.overview import LibraryOverview
from dextrum.desktop.frame.background import Background
from dextrum.desktop.frame.job_model import JobModel
from dextrum.desktop.frame.view import JobView, quiet_label
from dextrum.desktop.library.library_table import HEADS, KnownGoodDelegate, KnownGoodTable
from dextrum.desktop.theme import LARGE_TEXT, look
from dextrum.errors import DextrumError
from dextrum.tongue import tr

MOST_LEFT_OUT_SHOWN = 200


class LibraryView(JobView):
    name = "library"
    commands = ("library.offer", "library.out", "library.back", "library.read", "library.write", "library.learn",
                "library.forget", "library.reference_meter", "meter.set_up", "meter.remove", "judging.false_alarm",
                "shop.labour", "shop.price", "shop.assumed")

    def __init__(self, model: JobModel) -> None:
        super().__init__(model)
        self.table = KnownGoodTable()
        self.left_out: tuple[str, ...] = ()
        self._known_for: tuple[object, ...] = ()
        self._asked_for: tuple[object, ...] = ()
        head = QHBoxLayout()
        self.finder = QLineEdit()
        self.finder.setPlaceholderText(tr("Find points, such as A5 or FL5"))
        self.finder.setAccessibleName(tr("Find points"))
        self.finder.textChanged.connect(lambda _text: self._show_table())
        self.weak = QCheckBox(tr("only weak spots"))
        self.weak.toggled.connect(lambda _on: self._show_table())
        head.addWidget(self.finder, 1)
        head.addWidget(self.weak)
        self.body.addLayout(head)
        self.grid = QTableView()
        self.grid.setAccessibleName(tr("Known-good by points and boards"))
        self.grid.setModel(self.table)
        self.grid.horizontalHeader().setSortIndicator(-1, Qt.SortOrder.AscendingOrder)
        self.grid.setSortingEnabled(True)
        self.delegate = KnownGoodDelegate(self.table)
        self.grid.setItemDelegate(self.delegate)
        self.grid.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.grid.setTabKeyNavigation(False)
        self.grid.setShowGrid(False)
        self.grid.setAlternatingRowColors(False)
        self.grid.setMinimumHeight(look.px(150))
        self.grid.setCornerButtonEnabled(False)
        self.body.addWidget(self.grid, 1)
        self.meters = quiet_label()
        self.meters.setObjectName("expected")
        self.gone = quiet_label()
        self.refused = quiet_label()
        self.refused.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        for label in (self.meters, self.gone, self.refused):
            label.setTextFormat(Qt.TextFormat.PlainText)
            self.body.addWidget(label)
        self.hint: QLabel = quiet_label(tr("A tick is one board's reading: left of the line lower, right higher "
                                           "than the others."))
        self.body.addWidget(self.hint)
        self.background = Background(self)
        self.background.finished.connect(self._take)
        self.background.failed.connect(self.say_trouble)
        self.destroyed.connect(self.background.close)

    def refresh(self) -> None:
        board = self.model.board
        self.hint.setVisible(look.scale <= LARGE_TEXT)
        self.detail.setText("" if board is None else tr("main board {board} rev {revision} · as meter {meter} reads",
                                                        board=board.name, revision=board.revision,
                                                        meter=self.model.session.meter))
        if board is None:
            self.sentence.setText(tr("No board pack: there is nothing to know of this board."))
            self.table.show_known(None)
            return
        self._size_columns()
        library, pack_id, meter = self.model.session.library, self.model.facts.pack_id, self.model.session.meter
        wanted = (library.references(pack_id, meter), meter, pack_id)
        if wanted == self._known_for or wanted == self._asked_for:
            return
        self._asked_for = wanted
        self.sentence.setText(tr("Looking through the library…"))
        self.background.start(lambda _told: (wanted, library.overview(pack_id, meter)))

    def _take(self, result: object) -> None:
        assert isinstance(result, tuple)
        wanted, known = result
        if wanted != self._asked_for or not isinstance(known, LibraryOverview):
            return
        self._known_for = wanted
        self._asked_for = ()
        self._known = known
        board = self.model.board
        if board is None:
            return
        self.sentence.setText(library_sentence(board, known))
        self._show_table()
        self._show_meters(known)

    _known: LibraryOverview | None = None

    def _show_meters(self, known: LibraryOverview) -> None:
        session = self.model.session
        try:
            set_up = {m.name: m for m in session.meters()}
            gone = session.taken_out(self.model.facts.pack_id)
        except DextrumError as problem:
            self.say_trouble(str(problem))
            return
        lines = [meter_line(m, set_up.get(m.name)) for m in known.meters]
        lines += [tr("{m}: has read no known-good board of this model yet", m=m.name) for m in
                  unread_meters(known, tuple(set_up.values()))]
        self.meters.setText("\n".join(lines) or tr("No meter has read a known-good board of this model yet."))
        self.gone.setText(taken_out_line(gone))
        self.gone.setVisible(bool(gone))
        self.show_left_out(self.left_out)

    def show_left_out(self, rows: tuple[str, ...]) -> None:
        """Rows of a merged file that don't fit this pack, each with its reason."""
        self.left_out = rows
        shown = "\n".join(rows[:MOST_LEFT_OUT_SHOWN])
        more = tr("\nand {count} more",
                  count=len(rows) - MOST_LEFT_OUT_SHOWN) if len(rows) > MOST_LEFT_OUT_SHOWN else ""
        self.refused.setText(tr("Left out of the last merge:\n{shown}{more}", shown=shown, more=more) if rows else "")
        self.refused.setVisible(bool(rows))

    def _show_table(self) -> None:
        self.table.show_known(self._known, self.finder.text(), self.weak.isChecked())
        self._size_columns()

    def _size_columns(self) -> None:
        self.grid.verticalHeader().setDefaultSectionSize(look.px(24))
        self.grid.verticalHeader().setFixedWidth(look.px(92))
        for column, width in enumerate((92, 74, 66, 68)):
            self.grid.setColumnWidth(column, look.px(width))
        boards = self.table.columnCount() - len(HEADS)
        room = self.grid.viewport().width() - look.px(92 + 74 + 66 + 62)
        width = max(look.px(72), min(look.px(120), room // boards if boards else 0))
        for column in range(len(HEADS), len(HEADS) + boards):
            self.grid.setColumnWidth(column, width)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._size_columns()

    def chosen_board(self) -> str:
        """The serial of the board whose column is chosen, or nothing."""
        index = self.grid.currentIndex()
        return self.table.board_serial(index.column()) if index.isValid() else ""

    def focus_entry(self) -> None:
        self.finder.setFocus()

    def go_to(self, point_id: str) -> bool:
        """Show one point."""
        self.finder.setText(point_id)
        return bool(self.table.rows)

    def as_text(self) -> str:
        lines = [self.sentence.text(), self.detail.text()]
        for row in range(self.table.rowCount()):
            point = self.table.point(row)
            cells = [str(self.table.data(self.table.index(row, column))) for column in range(len(HEADS))]
            lines.append("\t".join([point.point, *cells]))
        return "\n".join([*lines, self.meters.text(), self.gone.text()])
