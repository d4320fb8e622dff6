"""Describing a meter by listening, allowing ports to be asked, taking descriptions in and sharing them."""

from __future__ import annotations

import time
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QTimer

from dextrum.desktop.capture.capture_commands import ALLOWED
from dextrum.errors import DextrumError, FileStandsError, InstrumentError
from dextrum.instruments.described.resource_names import named
from dextrum.instruments.protocols import MULTIMETER
from dextrum.instruments.serial_ports import ADAPTER_MARK, adapters, permission, permitted
from dextrum.store.files import safe_name, write_beside
from dextrum.tongue import tr

if TYPE_CHECKING:
    from dextrum.app.bench.listen_to import Ear, Recognised
    from dextrum.desktop.frame.window import MainWindow

SHOW_MILLISECONDS = 150


class MeterCommands:
    """Handlers by command id."""

    def __init__(self, window: MainWindow) -> None:
        self.window = window
        self.handlers: dict[str, Callable[[], None]] = {
            "meter.listen": self.listen, "meter.allow": self.allow, "meter.take": self.take, "meter.share": self.share}
        self._ear: Ear | None = None
        self._timer = QTimer(window)
        self._timer.setInterval(SHOW_MILLISECONDS)
        self._timer.timeout.connect(self._show_last)

    @property
    def _data(self) -> Path:
        return self.window.session.store.folder

    def listen(self) -> None:
        """Which port, then what it is by how it speaks; one that sends lines is described by three touches."""
        def answer(text: str, _choice: str) -> str:
            resource = text.strip()
            if not resource:
                return tr("A resource name, such as ASRL/dev/ttyUSB0::INSTR.")
            data = self._data

            def work(told: Callable[[float], bool]) -> object:
                from dextrum.app.bench.listen_to import recognise

                try:
                    return recognise(resource, data, told=told)
                except InstrumentError as problem:
                    return problem

            return self.window.long_work.run(tr("Listening at every speed"), work,
                                             lambda found: self._recognised(resource, found), False)

        self.window.ask.ask(tr("Listen to which meter, by its resource name"), answer, "ASRL/dev/ttyUSB0::INSTR", (),
                            self.window.focusWidget())

    def _recognised(self, resource: str, found: object) -> None:
        from dextrum.app.bench.listen_to import Recognised

        if isinstance(found, InstrumentError):
            self.window.say_problem(f"{found.happened} {found.next_step}")
            return
        assert isinstance(found, Recognised)
        self._allow(resource)
        if found.description:
            self.window.commands.capture.use(MULTIMETER, named(found.description, resource))
            self.window.trail.say(tr("{found} is connected: it speaks as {description} says.", found=found.name,
                                     description=found.description))
            return
        self._touch(resource, found, 0, {})

    def _touch(self, resource: str, found: Recognised, place: int, touches: dict[str, tuple[str, ...]]) -> None:
        """One touch after the other: Enter once the probes are as asked, then two seconds of listening."""
        from dextrum.app.bench.described_meters import visa_opener
        from dextrum.app.bench.listen_to import TOUCHES, Ear

        if self._ear is None:
            try:
                self._ear = Ear(visa_opener(resource, found.wire))
            except InstrumentError as problem:
                self.window.say_problem(f"{problem.happened} {problem.next_step}")
                return
            self._timer.start()
        what, words = TOUCHES[place]
        ear = self._ear

        def answer(_text: str, _choice: str) -> str:
            def work(told: Callable[[float], bool]) -> object:
                return _listened(ear, told)

            def heard(lines: object) -> None:
                assert isinstance(lines, tuple)
                touches[what] = lines
                if place + 1 < len(TOUCHES):
                    self._touch(resource, found, place + 1, touches)
                else:
                    self._name(resource, found, touches)

            return self.window.long_work.run(words, work, heard, False)

        self.window.ask.ask(tr("{words}; then Enter", words=words), answer, "", (), self.window.focusWidget())

    def _name(self, resource: str, found: Recognised, touches: dict[str, tuple[str, ...]]) -> None:
        self._leave_ear()
        stands: list[str] = []

        def answer(text: str, _choice: str) -> str:
            from dextrum.app.bench.listen_to import keep_description, made_from

            try:
                made = made_from(touches, found.wire, text)
                keep_description(made, self._data, text in stands)
            except FileStandsError:
                stands.append(text)
                return tr("A meter is described by that name. Another name; or Enter again, and this one takes its "
                          "place.")
            except InstrumentError as problem:
                self.window.say_problem(tr("{happened} {next_step} Nothing was written.", happened=problem.happened,
                                           next_step=problem.next_step))
                return ""
            self.window.commands.capture.use(MULTIMETER, named(made.description.id, resource))
            self.window.say_problem(tr("{description} is described and connected. {cannot}",
                                       description=made.description.name, cannot=" ".join(made.cannot)))
            return ""

        self.window.ask.ask(tr("What to call this meter, such as M3"), answer, "M3", (), self.window.focusWidget())

    def _show_last(self) -> None:
        """The last line that came, as it came."""
        if self._ear is None or not self.window.ask.isVisible():
            if self._ear is not None and not self.window.long_work.busy:
                self._leave_ear()  # Esc has left it
            return
        self.window.trail.say(tr("It sends: {last}", last=self._ear.last[:60]))

    def _leave_ear(self) -> None:
        self._timer.stop()
        if self._ear is not None:
            self._ear.close()
            self._ear = None

    def _allow(self, resource: str) -> None:
        store = self.window.session.store
        kept = store.setting(ALLOWED).split("\n")
        may = permission(resource, adapters())
        if may not in kept:
            store.set_setting(ALLOWED, "\n".join([*(one for one in kept if one), may]))

    def allow(self) -> None:
        """A serial port that the search may ask from now on, or no more."""
        from dextrum.app.bench.instruments_at_hand import unasked_ports

        store = self.window.session.store
        allowed = tuple(one for one in store.setting(ALLOWED).split("\n") if one)
        plugged = adapters()
        choices = tuple((one, tr("ask {port_words}", port_words=_port_words(permission(one, plugged))))
                        for one in unasked_ports(permitted(allowed, plugged)))
        choices += tuple((one, tr("ask {port_words} no more", port_words=_port_words(one))) for one in allowed)
        if not choices:
            self.window.trail.say(tr("The system lists no serial port."))
            return

        def answer(_text: str, port: str) -> str:
            if port in allowed:
                store.set_setting(ALLOWED, "\n".join(one for one in allowed if one != port))
            else:
                self._allow(port)
            self.window.trail.say(tr("The search goes by it from now on."))
            return ""

        self.window.ask.choose(tr("Ports that may be asked"), answer, choices, self.window.focusWidget())

    def take(self) -> None:
        """A description from a file."""
        def answer(text: str, _choice: str) -> str:
            return self.take_file(Path(text.strip()).expanduser())

        self.window.ask.ask(tr("Description of a meter: file"), answer, "", (), self.window.focusWidget())

    def take_file(self, path: Path) -> str:
        """Take a description in; says what is wrong with it."""
        from dextrum.app.bench.listen_to import take_in_description

        try:
            name = take_in_description(path, self._data)
        except DextrumError as problem:
            return f"{problem.happened} {problem.next_step}"
        self.window.trail.say(tr("{name} is described. Ctrl+Shift+F looks for it.", name=name))
        return ""

    def share(self) -> None:
        """A description as a file."""
        from dextrum.app.bench.described_meters import known_instruments
        from dextrum.app.bench.listen_to import described_text

        choices = tuple((d.id, tr(d.name)) for d in known_instruments(self._data))

        def chosen(_text: str, identity: str) -> str:
            def begin(path: Path, over: bool) -> str:
                write_beside(path, described_text(identity, self._data).encode("ascii"), over)
                self.window.trail.say(tr("Written: {path}", path=path.name))
                return ""

            QTimer.singleShot(0, self.window, lambda: self.window.commands.ask_file_for(
                tr("Write the description to"), safe_name(identity, ".toml"), begin))
            return ""

        self.window.ask.choose(tr("Which description"), chosen, choices, self.window.focusWidget())


def _port_words(kept: str) -> str:
    """A port in words, from how its permission is kept: what hangs on it comes before where it is plugged in."""
    resource, _, number = kept.partition(ADAPTER_MARK)
    return tr("{number}, now or last at {resource}", number=number, resource=resource) if number else resource


def _listened(ear: Ear, told: Callable[[float], bool]) -> tuple[str, ...]:
    """Lines of the next seconds; the first half second is not taken, since hands are still moving."""
    from dextrum.app.bench.listen_to import TOUCH_SECONDS

    began = time.monotonic()
    while (passed := time.monotonic() - began) < TOUCH_SECONDS + 0.5 and told(passed / (TOUCH_SECONDS + 0.5)):
        time.sleep(0.05)
    return ear.since(began + 0.5)
