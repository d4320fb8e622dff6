"""One window, four fixed regions: the shelf, the bench, the reasoning, the trail."""

from __future__ import annotations

from functools import cached_property, partial
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QEvent, QMimeData, QObject, QPoint, Qt, QTimer
from PySide6.QtGui import (
    QAction,
    QCloseEvent,
    QDragEnterEvent,
    QDropEvent,
    QKeyEvent,
    QKeySequence,
    QResizeEvent,
    QShowEvent,
)
from PySide6.QtWidgets import (
    QButtonGroup,
    QHBoxLayout,
    QMainWindow,
    QPushButton,
    QScrollArea,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from dextrum.app.bench.instruments_at_hand import InstrumentsAtHand, bench_addresses, bench_hands, called_here
from dextrum.app.commands import BY_ID, COMMANDS
from dextrum.app.job.hands_first import hands_first
from dextrum.app.job.header_words import header_words
from dextrum.app.job.session import BenchSession
from dextrum.app.supply.live_recovery import recover_streams
from dextrum.core.trail import Entry
from dextrum.desktop import theme
from dextrum.desktop.capture.capture_panel import CapturePanel
from dextrum.desktop.capture.connection_strip import ConnectionStrip
from dextrum.desktop.frame.announcing import Announcer
from dextrum.desktop.frame.ask_line import AskLine
from dextrum.desktop.frame.command_row import hint_of
from dextrum.desktop.frame.due_call import DueCall
from dextrum.desktop.frame.flow_layout import FlowLayout
from dextrum.desktop.frame.header import Header
from dextrum.desktop.frame.job_model import JobModel
from dextrum.desktop.frame.long_work import LongWork
from dextrum.desktop.frame.notice import Notice, NoticeStack
from dextrum.desktop.frame.plain_scroll import PlainScroll
from dextrum.desktop.frame.regions import regions, trail_lines
from dextrum.desktop.frame.scanned_label import ScannedLabel, open_by_label
from dextrum.desktop.frame.shelf import Shelf
from dextrum.desktop.frame.taking_in import take_in_file
from dextrum.desktop.frame.trail_strip import TrailStrip
from dextrum.desktop.frame.value_field import ShortcutsFirst
from dextrum.desktop.frame.view import JobView
from dextrum.desktop.frame.views import VIEWS, ViewKind, Views
from dextrum.desktop.frame.window_commands import WindowCommands
from dextrum.desktop.frame.window_help import WindowHelp
from dextrum.desktop.frame.window_place import FIRST_SIZE, keep_place
from dextrum.desktop.reasons.reasoning import ReasoningPanel
from dextrum.desktop.theme import LARGE_TEXT, look
from dextrum.errors import DextrumError
from dextrum.instruments.protocols import MULTIMETER, PORT_TESTER
from dextrum.store.files import safe_name
from dextrum.tongue import tr

if TYPE_CHECKING:
    from dextrum.core.advice.recommend import Advice
    from dextrum.desktop.frame.command_palette import CommandPalette
    from dextrum.desktop.frame.welcome import Welcome

LEAST_WIDTH, LEAST_HEIGHT = 900, 600
MOST_SAID = 400
"""Letters of a message that are shown; all of it stands in the tool tip."""
POLL_MILLISECONDS = 1000
LATER_MILLISECONDS = 400
AFTER_PAINT_MILLISECONDS = 40
"""From showing the window until it has been painted, on a slow machine too."""


class MainWindow(QMainWindow):
    """Holds the regions together; what commands do is in `window_commands`."""

    def __init__(self, session: BenchSession) -> None:
        super().__init__()
        # Before any widget is made: those that exist already keep the family they were made with.
        theme.apply(theme.application())
        self.setWindowTitle("Dextrum")
        self.opens_anew = False
        self.setMinimumSize(LEAST_WIDTH, LEAST_HEIGHT)
        self.resize(*FIRST_SIZE)
        self.setAcceptDrops(True)
        self.session = session
        self.model = JobModel(session)
        self._unfolded = ""
        self.shelf = Shelf(self.model.why_not)
        self.reasoning = ReasoningPanel(self.model)
        self.trail = TrailStrip(self.model)
        self.ask = AskLine()
        self.announcer = Announcer(self)
        self.help = WindowHelp(self)
        self.long_work = LongWork(self.say_problem)
        self.instruments = InstrumentsAtHand(data=session.store.folder, called=called_here(session.store))
        self.connections = ConnectionStrip(self.instruments)
        self.capture_panel = CapturePanel()
        self.bench_state: Path | None = None
        self.views = Views(self._make_view)
        self.tabs: dict[str, QPushButton] = {}
        self._one_tab = QButtonGroup(self)
        self.pages: dict[str, QScrollArea] = {}
        self.stack = QStackedWidget()
        self._build()
        self.commands = WindowCommands(self)
        self.model.instruments_in_hand = self._instruments_in_hand
        self.model.calls = lambda: bool(self.call.longest())
        self.shelf.asked.connect(self.commands.run)
        self.trail.asked.connect(self.commands.run)
        self.reasoning.asked.connect(self.commands.run)
        self.connections.asked.connect(self.commands.run)
        self.reasoning.chosen.connect(self.commands.go_to)
        self.call.clicked.connect(lambda: self.commands.run("job.due"))
        self._add_actions()
        self.model.opened.connect(self._opened)
        self.model.changed.connect(self._changed)
        self.model.assessed.connect(self._assessed)
        self.model.problem.connect(self.say_problem)
        self.model.recorded.connect(self.trail.say)
        self.model.recorded.connect(self.announcer.say)
        self.model.problem.connect(self.announcer.say)
        self.model.costed.connect(self.trail.say)
        self.shelf.chosen.connect(self.open_job)
        self.shelf.searched.connect(lambda _text: self.refresh_shelf())
        self.header.unfolded.connect(self.unfold)
        self._mark = ""
        self._minute = session.clock().replace(second=0, microsecond=0)
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(0)
        self._later.timeout.connect(self._others_follow)
        self._timer = QTimer(self)
        self._timer.setInterval(POLL_MILLISECONDS)
        self._timer.timeout.connect(self._poll)
        self._timer.start()
        self._size_regions()
        self.refresh_shelf()
        rows = self.shelf.list_model.rows
        if rows:
            self.open_job(rows[0].id)
        else:
            self._opened()
        QTimer.singleShot(LATER_MILLISECONDS, self, self._load_packs)

    def _build(self) -> None:
        central = QWidget()
        across = QHBoxLayout(central)
        across.setContentsMargins(0, 0, 0, 0)
        across.setSpacing(0)
        across.addWidget(self.shelf)
        middle = QWidget()
        middle.setObjectName("bench")
        middle.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        column = QVBoxLayout(middle)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        self.head = QWidget()
        top = QVBoxLayout(self.head)
        top.setContentsMargins(18, 10, 18, 2)
        self.header = Header(self.model.why_not)
        self.header.asked.connect(lambda name: self.commands.run(name))
        top.addWidget(self.header)
        tabs = FlowLayout()
        for kind in VIEWS:
            tab = QPushButton(kind.title)
            tab.setToolTip(hint_of(BY_ID[f"view.{kind.name}"]))
            tab.setObjectName("tab")
            tab.setCheckable(True)
            tab.clicked.connect(lambda _checked, name=kind.name: self.show_view(name))
            self.tabs[kind.name] = tab
            self._one_tab.addButton(tab)
            (self.shelf.shop_tabs if kind.of_shop else tabs).addWidget(tab)
        top.addLayout(tabs)
        column.addWidget(self.head)
        self.middle = middle
        self.notices = NoticeStack(middle)
        self.problem = Notice(self.notices)
        for notice in (self.ask, self.long_work, self.problem):
            self.notices.column.addWidget(notice)
            notice.hide()
            notice.installEventFilter(self)
        self.call = DueCall(self.model)
        self.call.trouble.connect(self.say_problem)
        self.shelf.take_call(self.call)
        column.addWidget(self.capture_panel)
        column.addWidget(self.stack, 1)
        column.addWidget(self.connections)
        column.addWidget(self.trail)
        across.addWidget(middle, 1)
        across.addWidget(self.reasoning)
        self.setCentralWidget(central)

    @cached_property
    def welcome(self) -> Welcome:
        """What is shown while no job is open."""
        from dextrum.desktop.frame.welcome import Welcome

        made = Welcome()
        made.asked.connect(self.commands.run)
        self.stack.addWidget(made)
        return made

    @cached_property
    def palette_box(self) -> CommandPalette:
        """Made when it is first opened."""
        from dextrum.desktop.frame.command_palette import CommandPalette

        return CommandPalette(self, self.commands.run, self.model.in_hand, self.commands.recent)

    def _make_view(self, kind: ViewKind) -> JobView:
        """A view is made when it is first shown or asked for."""
        view = kind.view_class()(self.model)
        view.setAccessibleName(kind.title)
        scroll = PlainScroll()
        self.stack.addWidget(scroll)
        scroll.hold(view)
        self.pages[kind.name] = scroll
        view.asked.connect(self.commands.run)
        view.reshaped.connect(self.help.order_soon)
        view.asks_reason.connect(self.commands.ask_reason)
        view.light(self._advice())
        return view

    def _instruments_in_hand(self) -> dict[str, bool]:
        live = "supply" in self.pages and self.views.supply.is_live
        return {"demo": self.bench_state is not None,
                "multimeter": self.instruments.poller(MULTIMETER) is not None,
                "tester": self.instruments.poller(PORT_TESTER) is not None,
                "power_meter": live or self.instruments.sampler() is not None}

    def _advice(self) -> Advice | None:
        return self.model.assessment.advice if self.model.assessment is not None else None

    def _add_actions(self) -> None:
        self.actions_by_id: dict[str, QAction] = {}
        for command in COMMANDS:
            action = QAction(command.title, self)
            if command.shortcut:
                keys = [QKeySequence(command.shortcut)]
                if command.id == "step.go":
                    keys.append(QKeySequence("Ctrl+Enter"))
                if command.id == "capture.walk":
                    keys.append(QKeySequence("F2"))  # some input methods take Ctrl+Space for themselves
                if command.id == "look.larger":
                    keys.append(QKeySequence("Ctrl+="))
                action.setShortcuts(keys)
            action.triggered.connect(lambda _checked=False, name=command.id: self.commands.run(name))
            self.addAction(action)
            self.actions_by_id[command.id] = action
        self._shortcuts_first = ShortcutsFirst(
            (key for action in self.actions_by_id.values() for key in action.shortcuts()), self)
        self._scanned = ScannedLabel(partial(open_by_label, self), self)

    def restyle(self) -> None:
        """Apply theme and text size to everything, regions included."""
        theme.apply(theme.application())
        self._size_regions()
        if self.model.job_id:
            self._changed()
            self._assessed()

    def _size_regions(self) -> None:
        """Regions grow with the window and the text, and fold away where the view would have too little."""
        sizes = regions(self.width(), look.scale, self._unfolded)
        for region, wide in ((self.shelf, sizes.shelf), (self.reasoning, sizes.reasoning)):
            region.setVisible(wide > 0)
            region.setFixedWidth(wide or region.width())
        self.trail.show_lines(trail_lines(self.height(), look.scale))
        self.header.show_folded(shelf=sizes.shelf_folds, reasoning=sizes.reasoning_folds)

    def unfold(self, region: str) -> None:
        """Show a region that is folded away, in place of the other; once more folds it again."""
        self._unfolded = "" if self._unfolded == region else region
        self._size_regions()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._size_regions()
        self.place_notices()
        self.help.order_soon()

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        QTimer.singleShot(AFTER_PAINT_MILLISECONDS, self, self.model.begin_weighing)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Enter presses the button that has the keyboard, as Space does."""
        focused = self.focusWidget()
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and isinstance(focused, QPushButton) \
                and not event.modifiers() & ~Qt.KeyboardModifier.KeypadModifier:
            focused.click()
            return
        super().keyPressEvent(event)

    def bench_hands(self) -> int:
        """Port on which the hands of that bench are told what to do; 0 where there is none."""
        return bench_hands(self.bench_state) if self.bench_state is not None else 0

    def bench_addresses(self) -> dict[str, str]:
        """Of a simulated bench that was started with the window; empty where there is none."""
        return bench_addresses(self.bench_state) if self.bench_state is not None else {}

    def open_job(self, job_id: str, trail: tuple[Entry, ...] | None = None) -> None:
        """Show another job. trail: the whole of it, where it was just read."""
        if self._unfolded == "shelf":
            self.unfold("shelf")
        self.say_problem("")
        self.trail.say("")
        self.ask.leave()
        for view in self.views.made():
            view.leave_job()
        self.model.open(job_id, trail)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """What comes and goes over the view has its place there, and takes none away."""
        if event.type() in (QEvent.Type.ShowToParent, QEvent.Type.HideToParent, QEvent.Type.LayoutRequest):
            QTimer.singleShot(0, self, self.place_notices)
        return super().eventFilter(watched, event)

    def place_notices(self) -> None:
        """Over what can be done in the view, below its sentence."""
        view = self.current_view()
        under: QWidget = view.detail if view is not None else self.stack
        self.notices.put(under.mapTo(self.middle, QPoint(0, 0)).y(), self.middle.width())

    def show_view(self, name: str) -> None:
        view = self.views[name]
        self.stack.setCurrentWidget(self.pages[name])
        self.tabs[name].setChecked(True)
        view.refresh()
        view.focus_entry()
        self.help.order_soon()

    def current_view(self) -> JobView | None:
        shown = self.stack.currentWidget()
        return next((self.views[name] for name, page in self.pages.items() if page is shown), None)

    def refresh_shelf(self) -> None:
        try:
            rows = self.session.shelf(self.shelf.search.text())
            if not self.shelf.search.text().strip():
                rows = hands_first(rows, self.session.clock().astimezone())
        except DextrumError as problem:
            self.say_problem(str(problem))
            return
        names = self.session.library.short_names()
        self.shelf.show_rows(rows, self.model.job_id, self.session.clock().astimezone(), names)
        if not self.shelf.search.text().strip():
            self.call.look()

    def say_problem(self, words: str) -> None:
        self.problem.say(words[:MOST_SAID] + ("…" if len(words) > MOST_SAID else ""))
        self.problem.setToolTip(words)
        self.place_notices()

    def _opened(self) -> None:
        facts = self.model.facts
        has_job = bool(self.model.job_id)
        for kind in VIEWS:
            self.tabs[kind.name].setVisible(has_job or kind.of_shop)
        if not has_job:
            self.header.serial.setText(tr("No job open"))
            self.header.unit.setText("")
            self.header.show_states()
            self.stack.setCurrentWidget(self.welcome)
            self.welcome.begin()
            self.reasoning.refresh()
            self.trail.refresh()
            return
        self.refresh_shelf()
        if self.model.earlier_words:
            self.trail.say(self.model.earlier_words)
        self.show_view(facts.stage)

    def show_header(self) -> None:
        facts, board = self.model.facts, self.model.board
        self.header.serial.setText(facts.serial)
        large = look.scale > LARGE_TEXT
        self.header.unit.setText(facts.model if large or not board
                                 else tr("{model} · {board} rev {revision}", model=board.model, board=board.name,
                                         revision=board.revision))
        self.header.show_states(**header_words(board, facts, self.model.diode_method, self.session.meter,
                                               self.session.who, short=large))

    def _changed(self) -> None:
        self.announcer.say_changes(self.model)
        self.show_header()
        for kind in VIEWS:
            tab, done = self.tabs[kind.name], kind.has_some(self.model)
            if tab.property("done") != done:
                tab.setProperty("done", done)
                # Before the first show its looks are still to be found; asking for the style then costs the start.
                if tab.testAttribute(Qt.WidgetAttribute.WA_WState_Polished):
                    tab.style().unpolish(tab)
                    tab.style().polish(tab)
        view = self.current_view()
        if view is not None:
            view.refresh()
        # The verdict comes first; the other regions follow in the next turn of the loop.
        self._later.start()

    def _others_follow(self) -> None:
        self.help.show_tour()
        self.trail.refresh()
        self.reasoning.refresh()
        self.refresh_shelf()

    def _load_packs(self) -> None:
        """The other packs, once the window stands: the shelf shows their models' short names."""
        self.session.library.models_offered()
        self.refresh_shelf()
        taken_up = recover_streams(self.session, self.session.store.folder)
        if taken_up:
            self.trail.say(taken_up)

    def _assessed(self) -> None:
        advice = self._advice()
        if advice is not None:
            self.announcer.say(tr("Next: {title}", title=advice.next.title))
        self.reasoning.refresh()
        for view in self.views.made():
            view.light(self._advice())
        current = self.current_view()
        if current is not None and current.shows_advice:
            current.refresh()

    def _rescue(self) -> None:
        """What could not be kept in the job file goes into a file of its own."""
        if not self.model.unsaved:
            return
        for folder in (self.session.store.folder, Path.home()):
            try:
                name = safe_name(f"rescued-{self.model.facts.serial}", ".job.json")
                self.session.export_job(self.model.trail, folder / name, over=True)
                return
            except DextrumError:
                continue

    def _change_mark(self) -> str:
        try:
            return self.session.store.change_count()
        except DextrumError:
            return self._mark

    def _poll(self) -> None:
        """Another window may have recorded something, and a wait may have come due."""
        mark, minute = self._change_mark(), self.session.clock().replace(second=0, microsecond=0)
        if self._mark and mark != self._mark:
            try:
                self.model.reload()
            except DextrumError as problem:
                self.say_problem(str(problem))
        if mark != self._mark or minute != self._minute:
            self.refresh_shelf()
        self._mark, self._minute = mark, minute

    @staticmethod
    def _dropped(data: QMimeData) -> list[Path]:
        return [Path(url.toLocalFile()) for url in data.urls() if url.isLocalFile()]

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if self._dropped(event.mimeData()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        for path in self._dropped(event.mimeData()):
            self.take_in(path)

    def take_in(self, path: Path) -> None:
        """A file that was dropped or named."""
        take_in_file(self, path)

    def closeEvent(self, event: QCloseEvent) -> None:
        for made in self.views.made():
            made.leave_job()
        self._rescue()
        self._timer.stop()
        self._later.stop()
        for made in self.views.made():
            made.close_work()
        self.connections.timer.stop()
        self.commands.gear.close()
        if "photos" in self.commands.rooms.made:
            self.commands.photos.keeper.close()
        self.commands.capture.close()
        self.long_work.leave()
        self.help.close()
        keep_place(self)
        self.model.close()
        super().closeEvent(event)
