"""What the commands of the reference library do."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from dextrum.app.library.shop_library import REFERENCE_METER, Merged, join_shop
from dextrum.desktop.frame.long_work import is_small
from dextrum.errors import DextrumError
from dextrum.store.files import safe_name
from dextrum.tongue import tr

if TYPE_CHECKING:
    from dextrum.desktop.frame.window import MainWindow
    from dextrum.store.table_look import TableLook

FEW_JOBS = 40
"""Closed jobs that are read before anybody notices."""


class LibraryCommands:
    """Handlers by command id."""

    def __init__(self, window: MainWindow) -> None:
        self.window = window
        self.model = window.model
        self.handlers: dict[str, Callable[[], None]] = {
            "library.offer": self.offer, "library.out": lambda: self.move(True),
            "library.back": lambda: self.move(False), "library.write": self.write,
            "library.learn": self.learn, "library.forget": self.forget,
            "library.read": self.read, "library.reference_meter": self.reference_meter,
            "shop.assumed": self.assumed,
        }

    def _judge_anew(self) -> None:
        self.model.set_meter(self.window.session.meter)

    def offer(self) -> None:
        try:
            new = self.window.session.offer_readings(self.model.job_id)
        except DextrumError as problem:
            self.window.say_problem(str(problem))
            return
        self.window.say_problem("")
        self._judge_anew()
        self.window.trail.say(tr("{new} readings added to the known-good",
                                 new=new) if new else tr("They are there already"))

    def learn(self) -> None:
        session, pack_id = self.window.session, self.model.facts.pack_id

        def learned(words: object) -> None:
            self.model.weigh_anew()
            self.window.trail.say(str(words))

        try:
            few = len(session.store.closed_of_pack(pack_id, FEW_JOBS + 1)) <= FEW_JOBS
        except DextrumError as problem:
            self.window.say_problem(str(problem))
            return
        wrong = self.window.long_work.run(tr("Learning from closed jobs"), lambda told: session.learn(pack_id, told),
                                          learned, few)
        if wrong:
            self.window.say_problem(wrong)

    def forget(self) -> None:
        self.window.session.forget_learned(self.model.facts.pack_id)
        self.model.weigh_anew()
        self.window.trail.say(tr("The pack's own rates are used again."))

    def assumed(self) -> None:
        """One of the numbers that a shop may state, and what it is here; empty goes back to what is assumed."""
        from dextrum.app.library.assumed_words import as_typed, assumed_choices, stated_words

        session = self.window.session

        def answer(text: str, name: str) -> str:
            try:
                session.assume(name, as_typed(name, text))
            except DextrumError as problem:
                return f"{problem.happened} {problem.next_step}"
            self.model.weigh_anew()
            self.window.trail.say(stated_words(name, session.library.assumed))
            return ""

        self.window.ask.ask(tr("What is so in this shop, and its number; empty: as assumed"), answer, "",
                            assumed_choices(session.library.assumed), self.window.focusWidget())

    def move(self, out: bool) -> None:
        def answer(text: str, _choice: str) -> str:
            serial, _, reason = text.partition(",")
            try:
                self.window.session.take_board_out(self.model.facts.pack_id, serial.strip(), reason, out)
            except DextrumError as problem:
                return f"{problem.happened} {problem.next_step}"
            self._judge_anew()
            self.window.trail.say(tr("{serial} taken out; all is judged again", serial=serial.strip()) if out
                                  else tr("{serial} taken back; all is judged again", serial=serial.strip()))
            return ""

        words = tr("Which board, and why (SLS-0101, port was changed)") if out else tr("Which board")
        shown = self.window.current_view()
        chosen = self.window.views.library.chosen_board() if shown is not None and shown.name == "library" else ""
        start = f"{chosen}, " if chosen and out else chosen
        self.window.ask.ask(words, answer, start, (), self.window.focusWidget())
        self.window.ask.field.end(False)

    def write(self) -> None:
        pack_id = self.model.facts.pack_id

        self.window.commands.ask_file(
            tr("Write the library to"), safe_name(pack_id, ".known_good.csv"),
            lambda path, over: self.window.session.write_library(pack_id, path, over))

    def read(self) -> None:
        def answer(text: str, _choice: str) -> str:
            path, session, pack_id = Path(text).expanduser(), self.window.session, self.model.facts.pack_id
            if not _is_library(path):
                return self._offer(path)
            return self.window.long_work.run(tr("Merging {path}", path=path.name), lambda told: session.merge_library(
                pack_id, path, told), self._merged, is_small(path))

        self.window.ask.ask(tr("Merge which CSV"), answer, "", (), self.window.focusWidget())

    def _offer(self, path: Path) -> str:
        """A table that another program wrote: its columns are shown first."""
        from dextrum.app.library.foreign_tables import ROLES, Unsaid, understood_rows
        from dextrum.desktop.frame.table_strip import table_strip

        session, pack_id, board = self.window.session, self.model.facts.pack_id, self.model.board
        if board is None:
            return tr("This job has no board pack, so there is no library to add to.")
        unsaid = Unsaid(path.stem[:40], session.meter)

        def read(table: TableLook) -> None:
            self.window.long_work.run(tr("Merging {path}",
                                         path=path.name), lambda told: session.merge_table(pack_id, table, told),
                                      self._merged, is_small(path))

        return table_strip(self.window).offer(path, ROLES, lambda table: understood_rows(table, board, unsaid), read,
                                             self.window.focusWidget())

    def _merged(self, merged: object) -> None:
        assert isinstance(merged, Merged)
        self._judge_anew()
        self.window.trail.say(merged.words)
        if merged.left_out:
            self.window.show_view("library")
            self.window.views.library.show_left_out(merged.left_out)

    def reference_meter(self) -> None:
        session = self.window.session
        try:
            session.store.set_setting(REFERENCE_METER, session.meter)
            join_shop(session.store, session.library)
        except DextrumError as problem:
            self.window.say_problem(str(problem))
            return
        self._judge_anew()
        self.window.trail.say(tr("All meters are compared with {meter}", meter=session.meter))


def _is_library(path: Path) -> bool:
    """Whether it is written as this program writes a library; what can't be read is told by whoever reads it."""
    from dextrum.app.library.foreign_tables import ROLES, is_a_library_file
    from dextrum.store.table_look import look_at_table

    try:
        table = look_at_table(path, ROLES)
    except DextrumError:
        return True
    return is_a_library_file(table.shape.header, table.shape.delimiter)
