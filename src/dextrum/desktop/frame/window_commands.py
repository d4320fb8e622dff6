"""What each command does in the window."""

from __future__ import annotations

import sys
from collections.abc import Callable
from contextlib import suppress
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, assert_never, cast

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QApplication

from dextrum.app.advising.steps import kind_of_step
from dextrum.app.commands import BY_ID, COMMANDS
from dextrum.app.job.cell_out import cell_out
from dextrum.app.job.job_files import ImportedJob
from dextrum.app.job.when_typed import parse_when
from dextrum.app.reading.typed import parse_number
from dextrum.core.advice.places import Place
from dextrum.core.trail import Access, Cause, Cell, Override, Wait
from dextrum.desktop.board.looking_commands import LookingCommands
from dextrum.desktop.capture.capture_commands import CaptureCommands
from dextrum.desktop.capture.sound_commands import SoundCommands
from dextrum.desktop.frame.long_work import is_small
from dextrum.desktop.frame.room_commands import RoomCommands
from dextrum.desktop.frame.views import VIEWS
from dextrum.desktop.frame.window_help import GOES_ON, PACK_TOUR
from dextrum.desktop.frame.window_help import TOUR as TOUR_JOB
from dextrum.desktop.intake.safety_commands import SafetyCommands
from dextrum.desktop.port.reading_commands import ReadingCommands
from dextrum.desktop.supply.gear_commands import GearCommands
from dextrum.desktop.supply.supply_commands import SupplyCommands
from dextrum.errors import DextrumError, FileStandsError
from dextrum.store.files import safe_name
from dextrum.tongue import english, tr

if TYPE_CHECKING:
    from dextrum.core.advice.actions import Action
    from dextrum.desktop.frame.window import MainWindow
    from dextrum.desktop.keeping.keeping_commands import KeepingCommands
    from dextrum.desktop.packmaking.packmaking_commands import PackmakingCommands
    from dextrum.desktop.photos.photo_commands import PhotoCommands

DEMO_PACK = "tarnwick-duo-c"
RECENT, MOST_REMEMBERED = "recent_commands", 8
NOT_REMEMBERED = ("palette", "keys", "quit", "job.next", "job.previous", "step.go")
"""Of these the palette need not remind."""
LONGEST_NAME = 40
ANOTHER = tr("another model")
"""Chosen in place of a pack, where none describes the unit."""
STOP_USING = {"supply": tr("Stop using the supply that came with it."), "dock": tr("Stop using that dock."),
              "force": tr("Plug in gently; the port was forced."), "liquid": tr("Keep it dry."), "unknown": ""}


class WindowCommands:
    """Maps command ids to methods; ids without a method would be a bug and fail in a test."""

    def __init__(self, window: MainWindow) -> None:
        self.window = window
        self.model = window.model
        self.looking = LookingCommands(window)
        self.handlers: dict[str, Callable[[], None]] = {
            "job.new": self.new_job, "job.search": self.window.shelf.search.setFocus,
            "job.next": lambda: self.window.shelf.step(1), "job.previous": lambda: self.window.shelf.step(-1),
            "job.export": self.export_job, "job.import": self.ask_import, "job.wait": self.wait,
            "job.earlier": self.earlier_job, "job.comeback": self.comeback,
            "board.temperature": self.board_temperature,
            "trail.strike": self.model.strike_last, "trail.back": self.model.bring_back,
            "trail.strike_one": self.strike_chosen, "step.go": self.go,
            "step.why": self.window.reasoning.choose_next, "step.why_not": self.why_not,
            "step.cost": self.cost_of_step, "gate.pass": self.pass_gate,
            "copy.text": self.copy_text, "copy.picture": self.copy_picture,
            "meter.next": self.next_meter,
            "palette": self.open_palette, "keys": self.window.help.show_keys, "guide.open": self.window.help.open_guide,
            "guide.packs": lambda: self.window.help.open_guide("packs"), "demo.open": self.open_demo,
            "tour.begin": self.begin_tour, "tour.pack": self.begin_pack_tour, "bench.who": self.who,
            "access.opened": self.opened_to, "quit": self.quit,
        }
        self.rooms = RoomCommands(window)
        self.supply = SupplyCommands(window)
        self.capture = CaptureCommands(window, window.capture_panel)
        self.gear = GearCommands(window, self.capture.sounder)
        self.handlers |= {**self.supply.handlers, **self.capture.handlers, **self.gear.handlers,
                          **SoundCommands(window, self.capture.sounder).handlers, **ReadingCommands(window).handlers,
                          **SafetyCommands(window).handlers, **self.looking.handlers, **self.rooms.handlers(),
                          "job.due": self.go_to_due}
        for view in VIEWS:
            self.handlers[f"view.{view.name}"] = partial(self.window.show_view, view.name)
        for state in ("unplugged", "plugged", "known_good", "new"):
            self.handlers[f"cell.{state}"] = partial(self.cell, state)
        for what in STOP_USING:
            self.handlers[f"cause.{what}"] = partial(self.cause, what)

    @property
    def photos(self) -> PhotoCommands:
        return cast("PhotoCommands", self.rooms["photos"])

    @property
    def packmaking(self) -> PackmakingCommands:
        return cast("PackmakingCommands", self.rooms["packmaking"])

    @property
    def keeping(self) -> KeepingCommands:
        return cast("KeepingCommands", self.rooms["keeping"])

    def quit(self) -> None:
        self.window.close()

    def run(self, command_id: str) -> None:
        """Run a command by id; one that can't be run now says why."""
        reason = self.model.why_not(BY_ID[command_id])
        if reason:
            (self.window.trail.say if self.model.job_id else self.window.say_problem)(reason)
            return
        self._remember(command_id)
        try:
            self.handlers[command_id]()
        except DextrumError as problem:
            self.window.say_problem(str(problem))

    def recent(self) -> tuple[str, ...]:
        """Commands run last, newest first."""
        return tuple(self.window.session.store.setting(RECENT).split())

    def _remember(self, command_id: str) -> None:
        if command_id in NOT_REMEMBERED or command_id.startswith("view."):
            return
        # Where it can't be kept, the command itself must run all the same.
        with suppress(DextrumError):
            kept = [command_id, *(one for one in self.recent() if one != command_id)][:MOST_REMEMBERED]
            self.window.session.store.set_setting(RECENT, " ".join(kept))

    def open_demo(self) -> None:
        """The demo bench in a window of its own; what is done there touches nothing here."""
        if self.window.bench_state is not None:
            self.window.trail.say(tr("This is the demo bench."))
            return
        from PySide6.QtCore import QProcess

        QProcess.startDetached(sys.executable, ["-m", "dextrum", "demo"])
        self.window.trail.say(tr("The demo bench opens in a window of its own."))

    def begin_tour(self) -> None:
        """Take in the unit on the simulated bench as the guided job, or come back to it."""
        session = self.window.session
        kept = session.store.setting(TOUR_JOB)
        job = kept if kept and session.store.trail(kept) else ""
        if not job:
            job = session.open_new_job("GUIDED-1", DEMO_PACK)
            session.store.set_setting(TOUR_JOB, job)
        self.window.open_job(job)
        self.window.refresh_shelf()
        self.window.help.show_tour(asked=True)

    def begin_pack_tour(self) -> None:
        """Make a pack of the demo's undescribed board, step by step. A demo that is older than its photos gets them."""
        from contextlib import suppress

        from dextrum.app.bench.demo_photos import put_photos

        with suppress(OSError):
            put_photos(self.window.session.store.folder)
        self.window.session.store.set_setting(PACK_TOUR, GOES_ON)
        self.window.help.show_tour(asked=True)

    def who(self) -> None:
        """The name that entries are made under from now on."""
        def answer(text: str, _choice: str) -> str:
            name = " ".join(text.split())
            if not name or len(name) > LONGEST_NAME:
                return tr("A name, up to {longest_name} letters.", longest_name=LONGEST_NAME)
            self.window.session.who = name
            self.window.session.store.set_setting("who", name)
            if self.model.job_id:
                self.window.show_header()
            self.window.trail.say(tr("{name} works here now", name=name))
            return ""

        self.window.ask.ask(tr("Who works here"), answer, self.window.session.who, (), self.window.focusWidget())

    def opened_to(self) -> None:
        """How far the unit is open; the deepest that is needed comes by itself with a reading there."""
        board, facts = self.model.board, self.model.facts
        if board is None or not board.access_levels:
            self.window.trail.say(tr("This pack names no levels of access."))
            return
        levels = tuple((level.id, level.words) for level in board.access_levels)
        here = facts.access or levels[0][0]

        def answer(_text: str, level: str) -> str:
            return "" if level == here or self.model.record(Access(level)) else tr("Not recorded.")

        self.window.ask.choose(tr("Opened to"), answer, tuple(sorted(levels, key=lambda one: one[0] != here)),
                               self.window.focusWidget())

    def new_job(self) -> None:
        here = self.model.facts.pack_id
        offered = sorted(self.window.session.library.models_offered(), key=lambda offer: offer[0] != here)
        # With a job in hand the next unit is likely of its model; with none, nothing is taken for granted.
        unsaid = () if here else (("", tr("which model?")),)
        choices = (*unsaid, *offered, (ANOTHER, tr("another model…")))

        def answer(serial: str, pack_id: str) -> str:
            if pack_id == ANOTHER and serial.strip():
                QTimer.singleShot(0, self.window, lambda: self.packmaking.another_model(serial))
                return ""
            if not pack_id:
                return tr("Say which model it is.")
            try:
                job_id = self.window.session.open_new_job(serial, pack_id)
            except DextrumError as problem:
                return f"{problem.happened} {problem.next_step}"
            self.window.open_job(job_id)
            return ""

        self.window.ask.ask(tr("New job: serial"), answer, "", choices, self.window.focusWidget())
        self.window.ask.choice.setAccessibleName(tr("Model"))

    def cell(self, state: str) -> None:
        out = state == "unplugged"
        self.model.record(*(cell_out(self.model.board, self.model.facts) if out else (
            Cell(state),)))  # type: ignore[arg-type]

    def cause(self, what: str) -> None:
        self.model.record(Cause(what, STOP_USING[what]))  # type: ignore[arg-type]

    def pass_gate(self) -> None:
        gates = self.model.gates
        asked = self.model.asked
        if not gates and asked is None:
            self.window.trail.say(tr("Nothing is held."))
            return
        view = self.window.current_view()
        reading_view = view is not None and view.name in ("port", "board", "rework")
        gate = next((g for g in gates if (g.id == "cell_in") == reading_view), gates[0] if gates else None)
        if asked is not None and (asked in gates or asked.id == "above_rail" or gate is None):
            gate = asked
        assert gate is not None

        def answer(reason: str, _choice: str) -> str:
            try:
                passed = Override(gate.id, reason)
            except ValueError:
                return tr("A few words, so that it can be understood later.")
            self.model.asked = None
            return "" if self.model.record(passed) else tr("Not recorded.")

        self.window.ask.ask(tr("{why} Go past it, because", why=gate.words), answer, "", (), self.window.focusWidget())

    def ask_reason(self, take: object) -> None:
        """A reason for what a view is about to record. take: is given it, and says what is wrong with it."""
        assert callable(take)
        self.window.ask.ask(tr("Left out, because"), lambda text, _choice: str(take(text)), "", (),
                            self.window.focusWidget())

    def board_temperature(self) -> None:
        def answer(text: str, _choice: str) -> str:
            if not text.strip():
                self.model.board_celsius = None
                self.window.trail.say(tr("Board at room temperature"))
                return ""
            try:
                celsius = parse_number(text.replace("\u00b0", ""), -20.0, 90.0, "C")
            except DextrumError as problem:
                return problem.happened
            self.model.board_celsius = celsius
            self.window.trail.say(tr("Board at {celsius:g} °C for the readings that follow", celsius=celsius))
            self.model.changed.emit()
            return ""

        self.window.ask.ask(tr("Board temperature in °C, empty for room temperature"), answer, "", (),
                            self.window.focusWidget())

    def go_to_due(self) -> None:
        """Open the job that has waited longest past its time."""
        job = self.window.call.longest()
        if job:
            self.window.open_job(job)
        else:
            self.window.trail.say(tr("No job calls."))

    def earlier_job(self) -> None:
        if self.model.earlier:
            self.window.open_job(self.model.earlier[0].id)
        else:
            self.window.trail.say(tr("This unit was not here before, by its serial."))

    def comeback(self) -> None:
        """A new job of the same unit that knows the closed one in hand."""
        self.window.open_job(self.window.session.open_comeback(self.model.job_id))

    def wait(self) -> None:
        def answer(text: str, _choice: str) -> str:
            why, _, until = text.partition(",")
            if not why.strip():
                return tr("What it waits for, then a comma and until when.")
            now = self.window.session.clock().astimezone()
            at = None
            if until.strip():
                # A number alone is minutes.
                at = parse_when(f"+{until.strip()}" if until.strip().isdigit() else until, now)
            end = at.at.strftime("%Y-%m-%dT%H:%M") if at is not None else ""
            if not self.model.record(Wait(english(why.strip()), end)):
                return tr("Not recorded.")
            self.window.trail.say(tr("Waits until {at}", at=at.words(now.date())) if at is not None else tr("Waits"))
            return ""

        self.window.ask.ask(
            tr("Waits for what, until when (part, Fri 17:00)"), answer, "", (), self.window.focusWidget()
        )

    def why_not(self) -> None:
        board = self.model.board
        if board is None or self.model.assessment is None:
            self.window.trail.say(tr("Nothing is weighed yet."))
            return
        names = {c.designator.casefold(): c.designator for c in board.components}

        def answer(text: str, _choice: str) -> str:
            part = names.get(text.strip().casefold())
            if part is None:
                return tr("{text!r} is not a part of this board.", text=text.strip()[:20])
            self.model.explain(part)
            return ""

        self.window.ask.ask(tr("Why not which part"), answer, "", (), self.window.focusWidget())

    def cost_of_step(self) -> None:
        if self.model.board is None or self.model.assessment is None:
            self.window.trail.say(tr("Nothing is weighed yet."))
            return

        def answer(text: str, _choice: str) -> str:
            if not text.strip():
                return tr("A point to measure, or a part to repair.")
            self.model.cost_of(text.strip())
            return ""

        self.window.ask.ask(tr("What would it cost: a point, or a part"), answer, "", (), self.window.focusWidget())

    def strike_chosen(self) -> None:
        card = self.window.trail.chosen()
        if card is None:
            self.window.trail.say(tr("Choose an entry in the trail first."))
            return
        if card.struck:
            self.model.bring_one_back(card.ids[-1])
        else:
            self.model.strike(card.ids[-1])

    def go(self) -> None:
        """To the place where the next step is done."""
        if self.model.assessment is not None:
            self.go_to(self.model.assessment.advice.next)

    def go_to(self, action: Action) -> None:
        """To the place where a step is done."""
        match kind_of_step(action).place:
            case Place.SUPPLY:
                self._go_to_supply(action)
            case Place.LINE:
                self._go_to_line(action)
            case Place.POINTS:
                self.go_to_point(next((p for p in action.points if self.model.facts.reading(
                    p, self._method(p)) is None), action.points[0]))
            case Place.REWORK:
                self.window.show_view("rework")
                self.window.views.rework.go_to(action.target, action.detail)
            case Place.PROOF:
                self.window.show_view("proof")
                self.window.views.proof.go_to(action.target)
            case Place.CAUSE:
                self.open_palette()
                self.window.palette_box.field.setText(tr("Cause:"))
            case Place.HANDOVER:
                self.window.show_view("handover")
            case Place.NOWHERE:  # it waits, or the pack has to grow first
                self.window.trail.say(f"{action.title}: {action.where}" if action.where else action.title)
            case unreached:
                assert_never(unreached)

    def _go_to_supply(self, action: Action) -> None:
        self.window.show_view("supply")
        if kind_of_step(action).sided:
            self.window.views.supply.go_to(action.target)

    def _go_to_line(self, action: Action) -> None:
        kind = kind_of_step(action)
        if kind.at_point and action.points:
            self.go_to_point(action.points[0])
        elif kind.at_side:
            self.looking.show_side(action.target)
        self.handlers[kind.command]()

    def go_to_point(self, point: str) -> None:
        """To a point in the view that has it."""
        for view in (self.window.views.port, self.window.views.board):
            view.refresh()
            if view.go_to(point):
                self.window.show_view(view.name)
                view.go_to(point)
                return

    def _method(self, point: str) -> str:
        board = self.model.board
        return board.point_by_id[point].default_method.value if board else ""

    def ask_import(self) -> None:
        self.window.ask.ask(tr("Import which job file"), lambda text, _c: self.import_job(Path(text).expanduser()),
                            back_to=self.window.focusWidget())

    def import_job(self, path: Path) -> str:
        """Take in a job file and show it; returns what is wrong, or nothing."""
        def taken(result: object) -> None:
            assert isinstance(result, ImportedJob)
            new = result.new
            self.window.open_job(result.job_id, result.trail)
            self.window.trail.say(tr("Taken in: {new} entr{ies}", new=new, ies="y" if new == 1 else "ies") if new
                                  else tr("Already here: nothing in it is new"))

        session = self.window.session
        return self.window.long_work.run(tr("Taking in {path}",
                                            path=path.name), lambda told: session.import_job(path, told), taken,
                                         is_small(path))

    def ask_file(self, words: str, name: str, write: Callable[[Path, bool], None]) -> None:
        """Ask where to write, and write at once; see `ask_file_for`."""
        def at_once(path: Path, over: bool) -> str:
            write(path, over)
            self.window.trail.say(tr("Written: {path}", path=path.name[:60]))
            return ""

        self.ask_file_for(words, name, at_once)

    def ask_file_for(self, words: str, name: str, begin: Callable[[Path, bool], str]) -> None:
        """Ask where to write. What stands there is replaced only when the same name is entered once more. begin:
        writes, or begins to beside the window; returns what is wrong at once."""
        stands: list[str] = []

        def answer(text: str, _choice: str) -> str:
            try:
                path = Path(text).expanduser()
                if not path.parent.is_dir():
                    return tr("That folder does not exist.")
                if path.is_dir():
                    return tr("That is a folder; a name for the file is missing.")
                if path.exists() and text not in stands:
                    raise FileStandsError(tr("{path} stands there already.", path=path.name[:80]), tr("It is kept."),
                                          tr("Enter again replaces it."))
                return begin(path, text in stands)
            except FileStandsError as problem:
                stands.append(text)
                return f"{problem.happened} {problem.next_step}"
            except DextrumError as problem:
                return f"{problem.happened} {problem.kept}"
            except (OSError, ValueError, RuntimeError):
                return tr("That can't be the name of a file here.")

        start = Path.home() / name
        self.window.ask.ask(words, answer, str(start), (), self.window.focusWidget())

    def export_job(self) -> None:
        kind = ".job.zip" if self.model.facts.photos else ".job.json"
        self.ask_file(tr("Write the job to"), safe_name(self.model.facts.serial, kind),
                      lambda path, over: self.window.session.export_job(self.model.trail, path, over))

    def copy_text(self) -> None:
        view = self.window.current_view()
        if view is not None:
            QApplication.clipboard().setText(view.as_text())
            self.window.trail.say(tr("Copied as text"))

    def copy_picture(self) -> None:
        view = self.window.current_view()
        if view is not None:
            QApplication.clipboard().setPixmap(view.grab())
            self.window.trail.say(tr("Copied as a picture"))

    def next_meter(self) -> None:
        here = self.window.session.meter
        session = self.window.session
        known = tuple(dict.fromkeys((*(session.library.meters(self.model.facts.pack_id) if self.model.board else ()),
                                     *(m.name for m in session.meters()))))
        if not known:
            self.window.trail.say(tr("Meter {here}; no other has read known-good boards of this model.", here=here))
            return
        following = known[(known.index(here) + 1) % len(known)] if here in known else known[0]
        self.model.set_meter(following)
        self.window.session.store.set_setting("meter", following)
        self.window.trail.say(tr("Meter {following}", following=following))

    def open_palette(self) -> None:
        self.window.palette_box.open(self.window.focusWidget())


def unhandled(commands: WindowCommands) -> set[str]:
    """Commands that nothing handles; empty unless there is a bug."""
    return {command.id for command in COMMANDS} - set(commands.handlers)
