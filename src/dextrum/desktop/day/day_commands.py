"""What the commands of the day do."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from datetime import date
from pathlib import Path
from typing import TYPE_CHECKING, cast

from dextrum.app.day.pins import free, pin
from dextrum.app.job.when_typed import parse_when
from dextrum.core.planning.hours import DAYS, clock_time, parse_windows
from dextrum.core.trail import local_time
from dextrum.desktop.frame.ask_in_turn import Question, ask_in_turn, said
from dextrum.errors import DextrumError
from dextrum.store.files import safe_name, write_beside
from dextrum.store.shop_settings import set_shop_week, shop_week
from dextrum.tongue import tr

if TYPE_CHECKING:
    from dextrum.desktop.day.view import DayView
    from dextrum.desktop.frame.window import MainWindow

DAY_WORDS = (tr("Monday"), tr("Tuesday"), tr("Wednesday"), tr("Thursday"), tr("Friday"), tr("Saturday"), tr("Sunday"))


class DayCommands:
    """Handlers by command id."""

    def __init__(self, window: MainWindow) -> None:
        self.window = window
        self.handlers: dict[str, Callable[[], None]] = {
            "day.open": self.open_chosen, "day.pin": self.pin_chosen, "day.free": self.free_chosen,
            "day.hours": self.hours, "day.off": self.day_off, "day.post": self.post, "day.csv": self.write_csv,
            "day.calendar": self.write_calendar}

    @property
    def view(self) -> DayView:
        return cast("DayView", self.window.views["day"])

    def _chosen(self) -> str:
        """The job of the chosen step, or the one in view."""
        shown = self.window.current_view()
        return (self.view.chosen_job if shown is self.view else "") or self.window.model.job_id

    def _again(self) -> None:
        if self.window.current_view() is self.view:
            self.view.refresh()

    def open_chosen(self) -> None:
        job = self._chosen()
        if not job:
            self.window.say_problem(tr("No step is chosen."))
            return
        self.window.open_job(job)

    def pin_chosen(self) -> None:
        job = self._chosen()
        if not job:
            self.window.say_problem(tr("No job is chosen."))
            return
        store, clock = self.window.session.store, self.window.session.clock

        def answer(text: str, _choice: str) -> str:
            at = local_time(parse_when(text, clock().astimezone()).as_written())
            if at is None:
                return tr("A time, such as 14:30 or tomorrow 9:00.")
            pin(store, job, at.astimezone())
            self._again()
            return ""

        self.window.ask.ask(tr("Put its next step at"), answer, "", (), self.window.focusWidget())

    def free_chosen(self) -> None:
        job = self._chosen()
        done = bool(job) and free(self.window.session.store, job)
        self.window.trail.say(tr("It goes where the plan puts it.") if done else tr("It was not put anywhere."))
        self._again()

    def hours(self) -> None:
        """Windows of each weekday, one after the other; a day without any is free."""
        store = self.window.session.store
        kept = list(shop_week(store).hours)
        before = tuple(kept)

        def question(place: int) -> Question:
            def take(text: str) -> str:
                try:
                    kept[place] = parse_windows(text)
                    replace(shop_week(store), hours=tuple(kept))
                except ValueError as wrong:
                    return said(wrong)
                return ""

            usual = ", ".join(f"{begin}-{end}" for begin, end in before[place])
            return Question(tr("Hours on {day_words}, such as 9-12:30, 13:15-17:30; empty for none",
                               day_words=DAY_WORDS[place]), take, usual)

        def done() -> str:
            set_shop_week(store, replace(shop_week(store), hours=tuple(kept)))
            self._again()
            return ""

        ask_in_turn(self.window, [question(place) for place in range(len(DAYS))], done)

    def day_off(self) -> None:
        store, clock = self.window.session.store, self.window.session.clock

        def answer(text: str, _choice: str) -> str:
            day = parse_when(text, clock().astimezone()).as_written()[:10]
            date.fromisoformat(day)
            week = shop_week(store)
            off = tuple(d for d in week.days_off if d != day) if day in week.days_off else (*week.days_off, day)
            set_shop_week(store, replace(week, days_off=tuple(sorted(off))))
            self.window.trail.say(tr("{day} is a working day again.",
                                     day=day) if day in week.days_off else tr("{day} is a day off.", day=day))
            self._again()
            return ""

        self.window.ask.ask(
            tr("A day off, or one that is a working day again"), answer, "", (), self.window.focusWidget()
        )

    def post(self) -> None:
        """When the last post goes, and how long it takes."""
        store = self.window.session.store
        found = {"last_post": shop_week(store).last_post, "post_days": str(shop_week(store).post_days)}

        def last(text: str) -> str:
            try:
                found["last_post"] = clock_time(f"{text:0>5}").strftime("%H:%M") if text and text != "-" else ""
            except ValueError as wrong:
                return said(wrong)
            return ""

        def days(text: str) -> str:
            if not text.isdecimal() or int(text) > 30:
                return tr("A number of days, 0 to 30.")
            found["post_days"] = text
            return ""

        def done() -> str:
            set_shop_week(store, replace(shop_week(store), last_post=found["last_post"],
                                         post_days=int(found["post_days"])))
            self._again()
            return ""

        ask_in_turn(self.window, (Question(tr("The last post goes at; a dash where nothing is posted"), last,
                                           found["last_post"]),
                                  Question(tr("Days until it is there"), days, found["post_days"])), done)

    def _file(self, words: str, name: str, data: Callable[[], bytes]) -> None:
        if self.view.day is None:
            raise DextrumError(tr("The day is not planned yet."))

        def begin(path: Path, over: bool) -> str:
            write_beside(path, data(), over)
            self.window.trail.say(tr("Written: {path}", path=path.name))
            return ""

        self.window.commands.ask_file_for(words, name, begin)

    def write_csv(self) -> None:
        from dextrum.app.day.day_files import day_csv

        day = self.view.day
        self._file(tr("Write the day as CSV to"), self._name(".csv"), lambda: day_csv(day).encode() if day else b"")

    def write_calendar(self) -> None:
        from dextrum.app.day.day_files import day_calendar

        day, bench = self.view.day, self.window.session.store.setting("bench") or tr("Our bench")
        self._file(tr("Write the day as a calendar to"), self._name(".ics"),
                   lambda: day_calendar(day, bench) if day else b"")

    def _name(self, suffix: str) -> str:
        return safe_name(f"day-{self.window.session.clock().astimezone():%Y-%m-%d}", suffix)
