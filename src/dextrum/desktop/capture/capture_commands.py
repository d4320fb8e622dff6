"""What the commands of instruments do: looking for them, and the walk without hands."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from functools import partial
from math import isfinite
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QTimer, Signal
from PySide6.QtGui import QKeySequence

from dextrum.app.advising.steps import kind_of_step
from dextrum.app.bench.instruments_at_hand import CALLED
from dextrum.app.bench.remembered import Remembered, forget, remembered
from dextrum.app.reading.capture import (
    Cue,
    answer_keys,
    cue_of,
    due_points,
    hearing_words,
    point_name,
    point_words,
    quantity_at,
    spoken_words,
    walk_over,
)
from dextrum.app.reading.typed import ReadAsMillivoltsError, parse_reading
from dextrum.core.board.value_words import value_words
from dextrum.core.capture.walk import (
    Asks,
    CaptureWalk,
    Contact,
    Event,
    HandTimes,
    NeedsProbe,
    Next,
    Over,
    Recorded,
    Struck,
    Tap,
)
from dextrum.core.reference.table import NO_REFERENCES
from dextrum.core.trail import PointReading, Readings, standing
from dextrum.desktop.capture.capture_panel import PAD_KEYS, CapturePanel
from dextrum.desktop.capture.going_on import GoingOn
from dextrum.desktop.capture.held_open import ask_held_open, held_open_seconds
from dextrum.desktop.capture.kept_instruments import KeptInstruments
from dextrum.desktop.capture.sound import Sounder
from dextrum.errors import DextrumError, InstrumentError
from dextrum.instruments.described.resource_names import manners_of, named, split_resource
from dextrum.instruments.polling import Heard
from dextrum.instruments.protocols import KIND_WORDS, MULTIMETER
from dextrum.tongue import tr

if TYPE_CHECKING:
    from dextrum.app.bench.instruments_at_hand import Found
    from dextrum.desktop.frame.window import MainWindow

PEDAL = "capture.pedal"
"""Setting: the number of the key that a foot switch sends."""
TYPED = "0123456789.,okmw+-*/"
"""Keys that values are typed with, in a walk too."""
DRAIN_MILLISECONDS = 40
AFTER_VERDICT_MILLISECONDS = 260
"""Between the tone of the verdict and that of the next point."""
CELL_IN = tr("Is the cell unplugged? Ctrl+U says it is. Nothing was recorded.")
ALLOWED, LONGEST_CALLED = "instrument.allowed", 40
"""Under which the serial ports stand that the search may ask, one a line."""


class CaptureCommands(QObject):
    """Handlers by command id, and the walk that runs. Instruments answer by signals, on the window's thread."""

    found = Signal(object)

    def __init__(self, window: MainWindow, panel: CapturePanel) -> None:
        super().__init__(window)
        self.window = window
        self.model = window.model
        self.instruments = window.instruments
        self.panel = panel
        self.sounder = Sounder(window.session.store, self)
        self.walk: CaptureWalk | None = None
        self._job = ""
        self._recorded: dict[str, str] = {}
        self._typing = False
        self._going_on = GoingOn(self.model, self._begin_over, lambda: self.sounder.play(
            Cue.OVER, "", AFTER_VERDICT_MILLISECONDS), self)
        self.handlers: dict[str, Callable[[], None]] = {
            "instrument.find": self.find, "instrument.connect": self.ask_connect, "instrument.leave": self.leave_one,
            "instrument.call": self.call_one, "instrument.use": self.use_other,
            "capture.walk": self.begin, "capture.pedal": self.choose_pedal,
            "capture.hold": partial(ask_held_open, window),
        }
        panel.tapped.connect(self.tap)
        panel.typed.connect(self.typed)
        panel.left.connect(self.end)
        panel.pedal_chosen.connect(self._keep_pedal)
        kept = window.session.store.setting(PEDAL)
        panel.pedal = int(kept) if kept.isdigit() else 0
        self.found.connect(self._take_found)
        self.model.opened.connect(self._job_changed)
        self._kept = KeptInstruments(window.session.store, window.instruments)
        window.connections.timer.timeout.connect(self._kept.keep)
        self._drain = QTimer(self)
        self._drain.setInterval(DRAIN_MILLISECONDS)
        self._drain.timeout.connect(self._listen)

    # Instruments

    def find(self) -> None:
        self.window.trail.say(tr("Looking for instruments …"))
        before = remembered(self.window.session.store).values()
        self.instruments.allowed = tuple(filter(None, self.window.session.store.setting(ALLOWED).split("\n")))
        self.instruments.find(self.window.bench_addresses().values(), self.found.emit, before)

    def _take_found(self, found: object) -> None:
        if isinstance(found, InstrumentError):
            self.window.trail.say(tr("{happened} Typing goes on as before.", happened=found.happened))
            return
        answered: tuple[Found, ...] = found  # type: ignore[assignment]
        self.instruments.take(answered)
        self._kept.begin()
        names = ", ".join(f"{KIND_WORDS[f.kind]} {f.name}" for f in answered)
        unasked = len(self.instruments.unasked)
        ports = (tr(" {unasked} serial port{were} not asked: Instruments, Ports the search may ask.", unasked=unasked,
                    were="s were" if unasked > 1 else " was")) if unasked else ""
        self.window.trail.say((tr("Found: {names}.",
                                  names=names) if names else tr("No instrument answers. Typing goes on as before."))
                              + ports)
        self.window.connections.begin()

    def connect_to(self, addresses: dict[str, str]) -> None:
        """Use these from now on, by kind."""
        for kind, resource in addresses.items():
            self.instruments.connect(kind, resource)
        if addresses:
            self.window.connections.begin()

    def connect_again(self, known: Mapping[str, Remembered]) -> None:
        """Use what was in use when the program last ran."""
        self.instruments.connect_again(known)
        self._kept.begin()
        if known:
            self.window.connections.begin()

    def ask_connect(self) -> None:
        def answer(resource: str, kind: str) -> str:
            if not resource.strip():
                return tr("A resource name, such as TCPIP::192.168.0.7::5025::SOCKET.")
            plain = resource.strip()
            if not split_resource(plain)[0]:
                QTimer.singleShot(0, self, lambda: self._ask_manner(kind, plain))
                return ""
            self.use(kind, plain)
            return ""

        self.window.ask.ask(
            tr("Connect: resource name"), answer, "", tuple(KIND_WORDS.items()), self.window.focusWidget()
        )

    def use(self, kind: str, resource: str) -> None:
        """Use this one, and again at the next start."""
        self.connect_to({kind: resource})
        self._kept.begin()

    def _ask_manner(self, kind: str, resource: str) -> None:
        """In which of the described manners it speaks, and on which channel."""
        from dextrum.app.bench.described_meters import known_instruments, of_kind, which_meter

        descriptions = of_kind(kind, known_instruments(self.window.session.store.folder))
        choices = (("", tr("find out by its answers")),
                   *((identity, words) for d in descriptions for identity, words in manners_of(d)))

        def find_out(_told: Callable[[float], bool]) -> object:
            try:
                return which_meter(resource, descriptions)
            except InstrumentError as problem:
                return problem

        def proved(found: object) -> None:
            if isinstance(found, InstrumentError):
                self.window.say_problem(f"{found.happened} {found.next_step}")
            elif isinstance(found, tuple):
                self.use(kind, named(found[0].id, resource))
            else:
                self.window.say_problem(tr("It does not prove to be a {kind_words} by its answers. Connect it again "
                                           "and choose how it speaks, or describe it.", kind_words=KIND_WORDS[kind]))

        def answer(_text: str, identity: str) -> str:
            if identity:
                self.use(kind, named(identity, resource))
                return ""
            return self.window.long_work.run(tr("Asking it what it is"), find_out, proved, False)

        self.window.ask.choose(tr("How does it speak"), answer, choices, self.window.focusWidget())

    def leave_one(self) -> None:
        choices = tuple((s.kind, s.name or KIND_WORDS[s.kind]) for s in self.instruments.statuses())
        if not choices:
            self.window.trail.say(tr("No instrument is connected."))
            return

        def answer(_text: str, kind: str) -> str:
            self.instruments.disconnect(kind)
            forget(self.window.session.store, kind)
            return ""

        self.window.ask.ask(tr("Let go of"), answer, "", choices, self.window.focusWidget())

    def call_one(self) -> None:
        """The shop's own name for a connected instrument, under which its readings and its correction stand."""
        known = {s.kind: s for s in self.instruments.statuses() if s.identity}
        if not known:
            self.window.trail.say(tr("No instrument is connected."))
            return

        def answer(name: str, kind: str) -> str:
            status, plain = known[kind], " ".join(name.split())
            if len(plain) > LONGEST_CALLED:
                return tr("A name of up to {longest_called} letters, such as M2.", longest_called=LONGEST_CALLED)
            others = {s.name.casefold() for s in known.values() if s.kind != kind}
            if plain.casefold() in others:
                return tr("Another one is called {plain}.", plain=plain)
            self.window.session.store.set_setting(CALLED + status.identity, plain)
            self.instruments.connect_again({kind: self.instruments.in_use()[kind]})
            self.window.trail.say(tr("{identity} is called {plain} from now on.", identity=status.identity,
                                     plain=plain or status.identity))
            return ""

        choices = tuple((kind, s.name) for kind, s in known.items())
        self.window.ask.ask(tr("What to call it, as its readings stand under it; empty for its own name"), answer, "",
                            choices, self.window.focusWidget())

    def use_other(self) -> None:
        """One that answered in the last search and is not in use."""
        spare = self.instruments.spare
        if not spare:
            self.window.trail.say(tr("No other instrument has answered. Ctrl+Shift+F looks for them."))
            return

        def answer(_text: str, place: str) -> str:
            self.instruments.use(spare[int(place)])
            self._kept.begin()
            self.window.connections.begin()
            return ""

        self.window.ask.choose(tr("Use which one from now on"), answer, tuple(
            (str(k), f"{KIND_WORDS[one.kind]} {one.name}") for k, one in enumerate(spare)), self.window.focusWidget())

    # The walk

    def begin(self) -> None:
        """A walk over the points that are due now."""
        self._going_on.forget()
        board = self.model.board
        if board is None:
            self.window.trail.say(tr("No board pack: there are no points to walk over."))
            return
        if self.model.readings_held():
            self.window.trail.say(CELL_IN)
            return
        assessment = self.model.assessment
        asked = assessment.advice.next.points if assessment is not None and kind_of_step(
            assessment.advice.next).reads else ()
        view = self.window.current_view()
        read = {p for _, p, _ in self.model.facts.readings or {}}
        points = due_points(board, asked, read, view is None or view.name == "port")
        if not points:
            self.window.trail.say(tr("Every point here is read."))
            return
        self._begin_over(points)

    def _begin_over(self, points: tuple[str, ...], before: tuple[str, ...] = ()) -> None:
        """before: what a walk has read that this one goes on from."""
        board = self.model.board
        assert board is not None
        self.walk = walk_over(board, self.model.references or NO_REFERENCES, points, self.model.diode_method,
                              HandTimes(open_after=held_open_seconds(self.window.session.store)), before)
        self._job, self._recorded = self.model.job_id, self._recorded if before else {}
        self._show_where()
        self.panel.begin(typed=self.instruments.poller(MULTIMETER) is None)
        self._listen_for()
        self._drain.start()
        self._show()
        self.sounder.play(Cue.NEXT, point_words(board, points[0]), AFTER_VERDICT_MILLISECONDS if before else 0)
        if before:
            self.window.trail.say(tr("The walk goes on with the next step."))

    def end(self) -> None:
        """Leave the walk; what was recorded stays."""
        if self.walk is None:
            return
        self.walk = None
        self._drain.stop()
        self.panel.hide()
        meter = self.instruments.poller(MULTIMETER)
        if meter is not None:
            meter.listen(on=False)
        view = self.window.current_view()
        if view is not None:
            view.focus_entry()

    def choose_pedal(self) -> None:
        """The next key pressed in the walk is what the foot switch sends."""
        if self.walk is None:
            # Nothing is listened to meanwhile, so nothing can be recorded.
            self.panel.begin()
            self.panel.show_next("", tr("Press the foot switch now; Esc for none."), 0)
        self.panel.choosing = True
        self.panel.show_last(tr("Press the foot switch now; Esc for none."))

    def _keep_pedal(self, key: int) -> None:
        if chr(key).casefold() in TYPED if 0 < key < 128 else False:
            self.panel.show_last(tr("That key types values. Set the foot switch to another."))
            self.panel.choosing = self.walk is None
            return
        self.panel.pedal = key
        self.window.session.store.set_setting(PEDAL, str(key))
        name = QKeySequence(key).toString() if key else ""
        said = tr("The foot switch sends {name}: it repeats.", name=name) if name else tr("No foot switch.")
        self.panel.show_last(said)
        if self.walk is None:
            self.panel.hide()
            self.window.trail.say(said)
            view = self.window.current_view()
            if view is not None:
                view.focus_entry()

    def _job_changed(self) -> None:
        if self.walk is not None and self.model.job_id != self._job:
            self.end()

    def _listen_for(self) -> None:
        board, meter = self.model.board, self.instruments.poller(MULTIMETER)
        if board is not None and meter is not None and self.walk is not None and self.walk.point:
            meter.listen(quantity_at(board, self.walk.point, self.model.diode_method, self.model.ohms_method))

    def _listen(self) -> None:
        """Take what the meter has said since."""
        meter = self.instruments.poller(MULTIMETER)
        if self.walk is None or meter is None:
            return
        for heard in meter.drain():
            if self.walk is None:
                return
            if isinstance(heard, Heard):
                self.panel.show_heard(self._shown(heard.value))
                self._follow(self.walk.sample(heard.at, heard.value))

    def _shown(self, value: float) -> str:
        board = self.model.board
        if not isfinite(value) or board is None or self.walk is None or not self.walk.point:
            return "OL"
        return value_words(max(value, 0.0) + 0.0, self.model.method_at(board.point_by_id[self.walk.point]))

    def tap(self, tap: Tap) -> None:
        if self.walk is not None:
            self._follow(self.walk.tap(tap))

    def typed(self, text: str) -> None:
        """A value typed instead of heard."""
        board = self.model.board
        if self.walk is None or board is None or not self.walk.point:
            return
        point = self.walk.point
        try:
            reading = parse_reading(text, point, self.model.method_at(board.point_by_id[point]))
        except DextrumError as problem:
            self.panel.show_last(f"{problem.happened} {problem.next_step}".strip())
            if isinstance(problem, ReadAsMillivoltsError):
                self.panel.field.setText(problem.instead)  # the next Enter records it
            else:
                self.panel.field.selectAll()
                self.sounder.play(Cue.QUESTION, tr("not a value"))
            return
        self.panel.field.clear()
        self._typing = True
        try:
            self._follow(self.walk.typed(reading.value), reading.wavering)
        finally:
            self._typing = False

    def _follow(self, events: list[Event], wavering: bool = False) -> None:
        """Do what the walk says: record, strike out, sound, show."""
        board = self.model.board
        if board is None or not events:
            if self.walk is not None:
                self._show()
            return
        delay = 0
        for event in events:
            if isinstance(event, Recorded):
                if not self._record(event, wavering):
                    self.end()
                    return
                delay = AFTER_VERDICT_MILLISECONDS
            elif isinstance(event, Struck):
                self._strike(event.point)
            elif isinstance(event, Next):
                self._listen_for()
                self._show_where()
                self.sounder.play(Cue.NEXT, point_words(board, event.point), delay)
            elif isinstance(event, Asks):
                self.sounder.play(Cue.QUESTION, f"{point_words(board, event.other)}?")
            elif isinstance(event, NeedsProbe):
                self.sounder.play(Cue.PROBE)
            elif isinstance(event, Over):
                assert self.walk is not None
                read, skipped = self.walk.read, self.walk.skipped
                self.window.trail.say(tr("The walk is over, {count} point{s} skipped.", count=len(skipped),
                                         s="" if len(skipped) == 1 else "s") if skipped else
                                      tr("All points of the walk are read."))
                self.end()
                self._going_on.wait(read, skipped)
                return
            else:
                assert isinstance(event, Contact)
        self._show()

    def _record(self, event: Recorded, wavering: bool) -> bool:
        board = self.model.board
        assert board is not None
        if self.model.readings_held():
            self.window.trail.say(CELL_IN)
            return False
        method = self.model.method_at(board.point_by_id[event.point])
        value = max(event.value, 0.0) if isfinite(event.value) else event.value
        shown = round(value, 3 if method.is_diode else 2) if isfinite(value) else value
        before = self.model.trail
        meter = self.instruments.poller(MULTIMETER)
        heard_by = meter.status.name if meter is not None and not self._typing else ""
        if not self.model.record_reading(PointReading(event.point, shown, wavering), method, heard_by):
            return False
        made = [e.id for e in self.model.trail[len(before):] if isinstance(e.payload, Readings)]
        if made:
            self._recorded[event.point] = made[-1]
        judged = self.model.judged.get(event.point)
        verdict = judged.judgement.verdict if judged is not None else None
        said = tr("{point_words} reads {value_words}", point_words=point_words(board, event.point),
                  value_words=value_words(shown, method))
        if verdict is not None:
            said += f": {verdict.words}"
        if verdict is not None or self._typing:
            # The value is said back: what was typed blindly is heard before the next is.
            self.sounder.play(cue_of(verdict) if verdict is not None else Cue.WITHIN,
                              spoken_words(point_words(board, event.point), shown, method,
                                           verdict.words if verdict is not None else ""))
        if self._typing:
            self.panel.show_typed(f"{point_name(board, event.point)} {value_words(shown, method)}")
        self.panel.show_last(said + (tr(", held open") if event.held else ""))
        return True

    def _strike(self, point: str) -> None:
        entry = self._recorded.pop(point, "")
        if entry and any(e.id == entry for e in standing(self.model.trail)):
            self.model.strike(entry)
            self.panel.show_last(tr("Struck out."))

    def _show(self) -> None:
        board = self.model.board
        if self.walk is None or board is None or not self.walk.point:
            return
        words = hearing_words(board, self.walk, self.instruments.clock())
        meter = self.instruments.poller(MULTIMETER)
        if meter is None:
            words = tr("No meter: type the value")
        elif meter.status.state not in ("ready", "slow"):
            words = meter.status.words or tr("The meter is being asked")
        keys = answer_keys(board, self.walk) or (PAD_KEYS if meter is None else "")
        self.panel.show_next(point_name(board, self.walk.point), words, self.walk.left(), keys)

    def _show_where(self) -> None:
        """Bring the point that is next into view, without taking the keyboard."""
        board = self.model.board
        if self.walk is None or board is None or not self.walk.point:
            return
        at_port = self.walk.point in board.port_points or self.walk.point in {p.id for p in board.node_pairs}
        name = "port" if at_port else "board"
        view = self.window.current_view()
        if view is None or view.name != name:
            self.window.show_view(name)
            view = self.window.current_view()
        go_to = getattr(view, "go_to", None)
        if go_to is not None:
            go_to(self.walk.point)
        if self.panel.isVisible():
            self.panel.field.setFocus()

    def close(self) -> None:
        self._drain.stop()
        self.walk = None
        self.instruments.close()
