"""The day: a ribbon of hands and waits, and the steps in order; made anew after each entry, beside the window."""

from __future__ import annotations

from datetime import datetime

from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QHideEvent
from PySide6.QtWidgets import QLabel

from dextrum.app.day.day_plan import DayBook, DayPlanned
from dextrum.app.day.day_words import day_detail, day_sentence, hands_words, promise_words, saving_words
from dextrum.app.day.pins import pin
from dextrum.core.when import clock_words
from dextrum.desktop.day.day_ribbon import DayRibbon
from dextrum.desktop.frame.background import Background
from dextrum.desktop.frame.job_model import JobModel
from dextrum.desktop.frame.plain_table import PlainTable, Row
from dextrum.desktop.frame.view import JobView, quiet_label
from dextrum.desktop.theme import look
from dextrum.errors import DextrumError
from dextrum.tongue import tr

FULL_AFTER_MILLISECONDS = 700
"""Without an entry, after which the plan is searched longer and small days are settled."""
AGAIN_AFTER_MILLISECONDS = 60_000
"""Time goes on: what is late now wasn't when the plan was made."""
HEADS = ("", tr("hands"), tr("job"), tr("what"), tr("promise"))


class DayView(JobView):
    name = "day"
    sentence_lines = 2
    commands = ("day.open", "day.pin", "day.free", "day.hours", "day.off", "day.post", "day.calendar", "day.csv")
    keys = (("Enter", tr("open the chosen job")),)

    def __init__(self, model: JobModel) -> None:
        super().__init__(model)
        session = model.session
        self.outlooks = model.outlooks
        self.book = DayBook(session.store, self.outlooks)
        self.day: DayPlanned | None = None
        self.ribbon = DayRibbon()
        self.ribbon.chosen.connect(self._choose)
        self.ribbon.pinned.connect(lambda job, moment: self.asked_to_pin(job, moment))
        self.body.addWidget(self.ribbon)
        self.key: QLabel = quiet_label(tr("Blocks are hands, dotted lines waits that go on by themselves. Drag a "
                                          "block to put it elsewhere."))
        self.body.addWidget(self.key)
        self.table = PlainTable(tr("Steps of the day, in order"), HEADS, (0,), (30, 116, 84, 196))
        self.table.activated.connect(lambda _index: self.asked.emit("day.open"))
        self.table.setMinimumHeight(look.px(190))
        self.body.addWidget(self.table, 1)
        self.waiting = quiet_label()
        self.waiting.setTextFormat(Qt.TextFormat.PlainText)
        self.body.addWidget(self.waiting)
        self.background = Background(self)
        self.background.finished.connect(self._take)
        self.background.failed.connect(self.say_trouble)
        self.destroyed.connect(self.background.close)
        self._stop = False
        self._full_soon = QTimer(self)
        self._full_soon.setSingleShot(True)
        self._full_soon.setInterval(FULL_AFTER_MILLISECONDS)
        self._full_soon.timeout.connect(lambda: self.plan(full=True))
        self._again = QTimer(self)
        self._again.setInterval(AGAIN_AFTER_MILLISECONDS)
        self._again.timeout.connect(self.refresh)

    def refresh(self) -> None:
        if self.day is None:
            self.sentence.setText(tr("Looking through the open jobs…"))
            self.detail.setText("")
        self.plan()
        self._full_soon.start()
        if not self._again.isActive():
            self._again.start()

    @property
    def settled(self) -> bool:
        """Not before the plan was searched longer."""
        return not self._full_soon.isActive() and super().settled

    def hideEvent(self, event: QHideEvent) -> None:
        self._full_soon.stop()
        self._again.stop()
        super().hideEvent(event)

    def plan(self, full: bool = False) -> None:
        """Make the plan anew; what was being worked out before is dropped."""
        now, in_view, book = self.model.session.clock(), self.model.job_id, self.book
        self.background.cancel()
        self.background.start(lambda told: book.plan(now, in_view, full, lambda: not told(0.0)), keys_first=True)

    def _take(self, day: object) -> None:
        assert isinstance(day, DayPlanned)
        self.day = day
        self.show_day()

    def show_day(self) -> None:
        """The plan as it is known."""
        day = self.day
        if day is None:
            return
        today = day.at.astimezone().date()
        self.sentence.setText(day_sentence(day))
        self.detail.setText(day_detail(day))
        self.ribbon.show_day(day, self.model.job_id)
        for part in (self.ribbon, self.key):
            part.setVisible(bool(day.items and day.windows))
        promises = {p.job_id: p for p in day.promises}
        last = {item.job_id: k for k, item in enumerate(day.items)}
        risky = {p.job_id for p in day.at_risk}
        rows = []
        for number, item in enumerate(day.items, start=1):
            promise = promises.get(item.job_id)
            ends = promise is not None and last[item.job_id] == number - 1
            said = promise_words(promise, today, day.at) if promise is not None and ends else ""
            saved = saving_words(promise) if said and promise is not None else ""
            mark = tr("put here: ") if item.pinned else tr("now: ") if item.under_way else ""
            rows.append(Row(f"{item.job_id} {number}", (
                str(number), hands_words(item, today), item.serial, mark + item.words,
                f"{said}: {saved}" if saved else said), bool(said) and item.job_id in risky))
        self.table.show_rows(rows)
        waits = [f"{w.serial}: {w.why.rstrip('.')}" + (
            tr(", until {clock_words}", clock_words=clock_words(w.until.astimezone())) if w.until is not None
            and w.until.astimezone().date() == today else "") for w in day.waiting]
        self.waiting.setText((tr("Waiting: ") + "; ".join(waits)) if waits else "")

    @property
    def chosen_job(self) -> str:
        """Id of the job of the chosen step; empty where none is."""
        return self.table.chosen.partition(" ")[0]

    def _choose(self, job_id: str) -> None:
        for place, row in enumerate(self.table.rows_model.rows):
            if row.key.startswith(f"{job_id} "):
                self.table.setCurrentIndex(self.table.rows_model.index(place, 0))
                self.table.setFocus()
                return

    def asked_to_pin(self, job_id: str, moment: object) -> None:
        """A block was dragged."""
        assert isinstance(moment, datetime)
        try:
            pin(self.model.session.store, job_id, moment)
        except DextrumError as problem:
            self.say_trouble(str(problem))
            return
        self.refresh()

    def focus_entry(self) -> None:
        self.table.setFocus()

    def close_work(self) -> None:
        self._full_soon.stop()
        self._again.stop()
        self.background.close()

    def as_text(self) -> str:
        rows = ["\t".join(row.cells) for row in self.table.rows_model.rows]
        return "\n".join([self.sentence.text(), *rows])
