"""What the commands of own packs do: another model in four questions, a good unit learned from, the pack sent."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QTimer

from dextrum.core.board import Board, Side
from dextrum.desktop.packmaking.circuit_commands import CircuitCommands
from dextrum.desktop.packmaking.merging import ask_merge
from dextrum.desktop.packmaking.moving_commands import MovingCommands
from dextrum.errors import DextrumError, FileStandsError
from dextrum.tongue import tr

if TYPE_CHECKING:
    from dextrum.core.packmaking.likes import PlaceOfLike
    from dextrum.desktop.frame.window import MainWindow
    from dextrum.desktop.packmaking.alike_panel import AlikePanel
    from dextrum.desktop.packmaking.probe_listening import ProbeListening
    from dextrum.desktop.packmaking.view import PackmakingView
    from dextrum.store.table_look import TableLook

REVISION = tr("Board revision, as printed on the board")
OPENS = tr("How it opens, with minutes: back off 6, board out 12")
SHARES = (0.0, 0.35, 0.7)
"""How strongly a photo shows under the plan: not, weak, strong."""
OPENS_USUALLY = tr("back off 6")


class PackmakingCommands:
    """Handlers by command id."""

    def __init__(self, window: MainWindow) -> None:
        self.window = window
        self.model = window.model
        self._alike: AlikePanel | None = None
        self._alike_on: Board | None = None
        self._last_placed = ""
        self._listening: ProbeListening | None = None
        self.handlers: dict[str, Callable[[], None]] = {
            "pack.new": self.another_model, "pack.files": self.from_files, "pack.place": self.place,
            "pack.unplace": self.unplace, "pack.alike": self.alike,
            "pack.back": lambda: self.step(back=True), "pack.again": lambda: self.step(back=False),
            "pack.move_on": self.move_on, "pack.probe": self.probe, "pack.anew": lambda: self.probe(anew=True),
            "pack.photo": self.photo,
            "pack.exchange": lambda: self._view().exchange_photos(),
            "board.photo": self.photo_under_plan,
            "pack.good": self.learn_good_unit, "pack.send": self.send, "pack.merge": lambda: ask_merge(window),
            **CircuitCommands(window).handlers, **MovingCommands(window).handlers}

    def _ask_later(self, ask: Callable[[], None]) -> str:
        """The line that was answered closes first."""
        QTimer.singleShot(0, self.window, ask)
        return ""

    def another_model(self, serial: str = "") -> None:
        """Model, revision, port, openings; then the job, if a serial is known, goes on."""
        from dextrum.core.packmaking.port_template import OWN_SOCKET, OWN_SOCKET_WORDS, TEMPLATES

        told: dict[str, str] = {}
        back = self.window.focusWidget()
        ports = (*((one.id, one.words) for one in TEMPLATES.values()), (OWN_SOCKET, OWN_SOCKET_WORDS))

        def named(text: str, _choice: str) -> str:
            if not text.strip():
                return tr("A name, such as the one on its label.")
            told["model"] = text.strip()
            return self._ask_later(lambda: self.window.ask.ask(REVISION, revised, "A", (), back))

        def revised(text: str, _choice: str) -> str:
            told["revision"] = text.strip()
            return self._ask_later(
                lambda: self.window.ask.ask(
                    tr("Kind of port; of its own kind: contacts in order, such as VIN VIN ? GND"),
                    with_port,
                    "",
                    ports,
                    back,
                )
            )

        def with_port(text: str, choice: str) -> str:
            if choice == OWN_SOCKET and not text.split():
                return tr("Its contacts from one end to the other, ? for unknown ones: VIN VIN ? GND")
            told["port"], told["signals"] = choice, text
            return self._ask_later(lambda: self.window.ask.ask(OPENS, made, OPENS_USUALLY, (), back))

        def made(text: str, _choice: str) -> str:
            from dextrum.app.packmaking.own_packs import begin_pack

            try:
                pack_id = begin_pack(self.window.session.library, told["model"], told["revision"], told["port"],
                                     told["signals"], text)
            except DextrumError as problem:
                return f"{problem.happened} {problem.next_step}"
            if not serial:
                return self._ask_later(lambda: self.window.commands.run("job.new"))
            try:
                job_id = self.window.session.open_new_job(serial, pack_id)
            except DextrumError as problem:
                return f"{problem.happened} {problem.next_step}"
            self.window.open_job(job_id)
            return ""

        self.window.ask.ask(tr("Another model: its name"), named, "", (), back)

    def from_files(self) -> None:
        """A netlist, tables, name, revision, openings; made beside the window, and what didn't fit is told."""
        from dextrum.app.packmaking.shop_files import PLACEMENT_ROLES, understood_parts
        from dextrum.desktop.frame.table_strip import table_strip

        told: dict[str, str] = {}
        back = self.window.focusWidget()

        def step(words: str, field: str, then: Callable[[], str], text: str = "",
                 least: str = "") -> Callable[[], None]:
            def answer(typed: str, _choice: str) -> str:
                if least and not typed.strip():
                    return least
                told[field] = typed.strip()
                return then()

            return lambda: self.window.ask.ask(words, answer, text, (), back)

        opens = step(OPENS, "opens", lambda: self._make(told, looks), OPENS_USUALLY)
        revision = step(REVISION, "revision", lambda: self._ask_later(opens), "A")
        model = step(
            tr("The model's name"), "model", lambda: self._ask_later(revision), "", tr("A name, as on its label.")
        )
        looks: list[TableLook] = []

        def offer(paths: list[str]) -> str:
            """One table after the other, its columns shown and corrected."""
            if not paths:
                return self._ask_later(model)

            def taken(table: TableLook) -> None:
                looks.append(table)
                offer(paths[1:])

            return table_strip(self.window).offer(Path(paths[0]).expanduser(), PLACEMENT_ROLES, understood_parts, taken,
                                                 back)

        def asked_tables() -> str:
            looks.clear()
            return offer([one.strip() for one in told["tables"].split(";") if one.strip()])

        tables = step(tr("Tables of its parts as CSV (; between), or empty"), "tables", asked_tables)
        step(tr("Test netlist of the board, IPC-D-356A"), "netlist", lambda: self._ask_later(tables), "",
             tr("The file's name."))()

    def _make(self, told: dict[str, str], looks: list[TableLook]) -> str:
        from dextrum.app.packmaking.shop_files import pack_from_files

        library = self.window.session.library

        def made(said: object) -> None:
            lines = said if isinstance(said, list) else [str(said)]
            self.window.say_problem(" ".join(lines[-4:]))
            self.window.commands.run("job.new")

        return self.window.long_work.run(tr("Making the pack"), lambda _told: pack_from_files(
            library, told["model"], told["revision"], Path(told["netlist"]).expanduser(),
            tuple(looks), told["opens"]),
            made, True) or ""

    def learn_good_unit(self) -> None:
        """The unit in hand is good: what was read of it teaches its pack."""
        board, library = self.model.board, self.window.session.library
        if board is None or not library.is_own(board.pack_id):
            self.window.trail.say(tr("This pack is not the shop's own: offer the unit as known-good instead (Alt+8)."))
            return

        def answer(text: str, _choice: str) -> str:
            if text.strip().casefold() not in ("", "y", "yes"):
                return tr("Enter says so, Esc leaves.")
            try:
                count = self.window.session.learn_good_unit(self.model.job_id)
            except DextrumError as problem:
                return f"{problem.happened} {problem.next_step}"
            self.model.pack_has_grown()
            self.window.trail.say(tr("Learned from this unit: {count} readings.", count=count))
            return ""

        self.window.ask.ask(
            tr("Does this unit do all it must, with nothing wrong? Enter teaches the pack"),
            answer,
            "",
            (),
            self.window.focusWidget(),
        )

    def photo(self) -> None:
        """A picture file, and the side it shows: the one that has none yet is offered first."""
        from dextrum.app.bench.demo_photos import photo_at_hand

        view, board, library = self._view(), self.model.board, self.window.session.library
        sides = sorted(Side, key=lambda side: board is not None and library.has_photo(board.pack_id, side))
        at_hand = photo_at_hand(self.window.session.store.folder, sides[0])

        def answer(text: str, side: str) -> str:
            if not text.strip():
                return tr("The file's name: a PNG, JPEG or WebP.")
            self.window.show_view("packmaking")
            return view.open_photo(Path(text.strip()).expanduser(), Side(side), self.window.long_work.run)

        self.window.ask.ask(tr("Photo of the board, as a file"), answer, str(at_hand or ""),
                            tuple((side.value, tr("{side} side", side=tr(side.value))) for side in sides),
                            self.window.focusWidget())

    def place(self, text: str = "") -> None:
        """A part by its designator and nets; then a click on the plan, or its place in millimetres."""
        from dextrum.core.packmaking.placing import PartToPlace, next_designator, parse_part
        from dextrum.core.packmaking.port_place import port_named

        plan = self.window.views.board.plan
        back = self.window.focusWidget()
        begun_on = self.model.board.pack_id if self.model.board is not None else ""

        def put(part: PartToPlace, x_mm: float, y_mm: float, side: str) -> str:
            from dextrum.core.packmaking.pins import lies_on
            from dextrum.core.packmaking.placing import with_part

            board = self.model.board
            if board is None or board.pack_id != begun_on:
                return tr("{designator} was begun for {begun_on}; another job is open now. Nothing was placed.",
                          designator=part.designator, begun_on=begun_on)
            try:
                self.window.session.library.keep(with_part(board, part, Side(side), x_mm, y_mm))
            except ValueError as problem:
                return f"{problem}".replace("; expected", ": expected")
            except DextrumError as problem:
                return f"{problem.happened} {problem.next_step}"
            self._last_placed = part.designator
            self.model.pack_has_grown()
            grown = self.model.board
            under = lies_on(grown, part.designator) if grown is not None else ()
            self.window.trail.say(tr("{designator} placed at {x_mm:.1f} {y_mm:.1f} mm, {side} side",
                                     designator=part.designator, x_mm=x_mm, y_mm=y_mm, side=tr(side))
                                  + (tr("; it lies on {parts}: Step back takes it off", parts=", ".join(under[:3]))
                                     if under else ""))
            self._ask_later(lambda: self.place(next_designator(part.designator)))
            return ""

        def clicked(part: PartToPlace) -> None:
            def at(x_mm: float, y_mm: float, side: str) -> None:
                plan.place_by(None)
                wrong = put(part, x_mm, y_mm, side)
                if wrong:
                    self.window.trail.say(wrong)

            plan.place_by(at)
            self.window.show_view("board")
            plan.setFocus()
            self.window.trail.say(tr("Click where {designator} lies, or leave it with Esc", designator=part.designator))

        def answer(typed: str, _choice: str) -> str:
            try:
                part = parse_part(typed, port_named(self.model.board, typed))
            except ValueError as problem:
                return f"{problem}".replace("; expected", ": expected")
            if part.at is not None:
                return put(part, *part.at, plan.side.value)
            self._ask_later(lambda: clicked(part))
            return ""

        plan.place_by(None)
        self.window.ask.ask(tr("Part to place: C14 CC2 GND, or C14 CC2 GND at 12.5 8"), answer, text, (), back)

    def unplace(self) -> None:
        """Take a part off the pack again."""
        def answer(text: str, _choice: str) -> str:
            from dextrum.core.packmaking.placing import without_part

            board = self.model.board
            assert board is not None
            try:
                self.window.session.library.keep(without_part(board, text.strip().upper()))
            except ValueError as problem:
                return f"{problem}".replace("; expected", ": expected")
            except DextrumError as problem:
                return f"{problem.happened} {problem.next_step}"
            self.model.pack_has_grown()
            self.window.trail.say(tr("{text} taken off the pack; what was read there stays in the trail",
                                     text=text.strip().upper()))
            return ""

        self.window.ask.ask(tr("Part to take off the pack"), answer, "", (), self.window.focusWidget())

    def step(self, back: bool) -> None:
        """The pack a step before, or the step taken back once more."""
        board = self.model.board
        if board is None:
            return
        try:
            taken = self.window.session.library.take_step(board.pack_id, back)
        except DextrumError as problem:
            self.window.say_problem(str(problem))
            return
        if not taken:
            self.window.trail.say(tr("No step before this one is kept.") if back else tr("No step was taken back."))
            return
        self.model.pack_has_grown()
        now = self.model.board
        count = len(now.components) if now is not None else 0
        self.window.trail.say(
            tr("One step back: the pack has {count} parts now; what was read stays in the trail", count=count) if back
            else tr("One step on: the pack has {count} parts now; what was read stays in the trail", count=count))

    def alike(self) -> None:
        """One placed part by its designator; what looks like it on the photo is taken or left, one by one."""
        from dextrum.app.packmaking.likes import find_likes, part_to_compare

        library, begun_on = self.window.session.library, self.model.job_id

        def answer(text: str, _choice: str) -> str:
            board = self.model.board
            assert board is not None
            try:
                part = part_to_compare(board, text)
            except DextrumError as problem:
                return f"{problem.happened} {problem.next_step}"

            def found(places: object) -> None:
                if not isinstance(places, tuple):
                    self.window.say_problem(str(places))
                elif self.model.job_id != begun_on or self.model.board is not board:
                    self.window.trail.say(tr("Another job or another state of the pack is open now; nothing was "
                                             "placed."))
                elif not places:
                    self.window.trail.say(tr("Nothing else on the photo looks like {designator}.",
                                             designator=part.designator))
                else:
                    self.window.show_view("board")
                    self._alike_panel().show_places(part, places)

            return self.window.long_work.run(tr("Looking for parts like {designator}", designator=part.designator),
                                             lambda _told: find_likes(library, board, part), found, False) or ""

        self.window.ask.ask(tr("Which placed part? What looks like it is then shown, one by one"), answer,
                            self._last_placed, (), self.window.focusWidget())

    def _alike_panel(self) -> AlikePanel:
        """Above the plan, made when it is first wanted."""
        if self._alike is None:
            from dextrum.desktop.packmaking.alike_panel import AlikePanel

            view = self.window.views.board
            self._alike = AlikePanel(view.plan)
            view.body.insertWidget(0, self._alike)
            self._alike.ended.connect(self._place_likes)
            self.model.changed.connect(self._alike_over)
        self._alike_on = self.model.board
        return self._alike

    def _alike_over(self) -> None:
        if self._alike is not None and self._alike.isVisibleTo(self.window) and self.model.board is not self._alike_on:
            self._alike.leave()

    def _place_likes(self, taken: tuple[PlaceOfLike, ...]) -> None:
        from dextrum.app.packmaking.likes import keep_likes

        board, panel = self.model.board, self._alike
        self.window.views.board.plan.setFocus()
        if not taken or board is None or panel is None or panel.part is None or board is not self._alike_on:
            self.window.trail.say(tr("Nothing was placed."))
            return
        library, like = self.window.session.library, panel.part

        def kept(grown: object) -> None:
            assert isinstance(grown, Board)
            new = [p.designator for p in grown.components[-len(taken):]]
            self._last_placed = new[-1]
            if self.model.board is not None and self.model.board.pack_id == grown.pack_id:
                self.model.pack_has_grown()
            self.window.trail.say(
                tr("{count} placed: {new}", count=len(taken), new=new[0])
                + (tr(" to {new}", new=new[-1]) if len(new) > 1 else "")
                + tr(". Their nets are found by probing.")
            )

        # Each part settles the whole pack anew: forty take half a second.
        wrong = self.window.long_work.run(
            tr("Placing them"), lambda _told: keep_likes(library, board, like, taken), kept, False
        )
        if wrong:
            self.window.say_problem(wrong)

    def move_on(self) -> None:
        """The job in hand follows its pack again, until another job changes it once more."""
        from dextrum.core.trail import PackVersion

        if self.model.record(PackVersion()):
            self.window.trail.say(tr("This job is on its pack as it is now. Ctrl+Z takes that back."))

    def probe(self, anew: bool = False) -> None:
        """Nets of placed parts, touch by touch. anew: of those, the ones that are doubted."""
        self.window.show_view("packmaking")
        if self._listening is None:
            from dextrum.desktop.packmaking.probe_listening import ProbeListening

            self._listening = ProbeListening(self.window, self._view())
        (self._view().probe_anew if anew else self._view().open_probing)()

    def _view(self) -> PackmakingView:
        from dextrum.desktop.packmaking.view import PackmakingView

        view = self.window.views["packmaking"]
        assert isinstance(view, PackmakingView)
        return view

    def photo_under_plan(self) -> None:
        """Weak, strong, none, by turns; kept."""
        view = self.window.views.board
        if not view.plan.photos:
            self.window.trail.say(tr("This pack has no photo: Photo… on the page Pack takes one."))
            return
        now = min(range(len(SHARES)), key=lambda k: abs(SHARES[k] - view.plan.photo_share))
        view.photos.show_at(SHARES[(now + 1) % len(SHARES)])

    def send(self) -> None:
        """The pack as one file, or as a folder."""
        board = self.model.board
        if board is None:
            return

        def answer(text: str, choice: str) -> str:
            from dextrum.app.packmaking.sending import send

            place = Path(text.strip()).expanduser()
            try:
                send(self.window.session.library, board.pack_id, place, choice == "over")
            except FileStandsError:
                return tr("That name is there already. Choose 'replace it', or another name.")
            except DextrumError as problem:
                return f"{problem.happened} {problem.next_step}"
            self.window.trail.say(tr("Pack written: {place}", place=place.name))
            return ""

        self.window.ask.ask(tr("Pack as .zip, .ipc (test netlist), .csv (table of parts), or a folder"), answer,
                            str(Path.home() / f"{board.pack_id}.zip"),
                            (("", tr("new file")), ("over", tr("replace it"))), self.window.focusWidget())
