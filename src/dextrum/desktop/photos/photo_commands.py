"""What the commands of photos do: from a file, the clipboard, a camera, a watched folder, the demo's microscope."""

from __future__ import annotations

import base64
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QFileSystemWatcher, QTimer
from PySide6.QtGui import QImage

from dextrum.app.photos.photo_words import SHOWS, as_shown, shown_while
from dextrum.core.entries.photo import Shows
from dextrum.desktop import theme
from dextrum.desktop.frame.picture_file import SUFFIXES, read_photo
from dextrum.desktop.photos.photo_keeper import PhotoKeeper, TakenPhoto
from dextrum.errors import InstrumentError
from dextrum.tongue import tr

if TYPE_CHECKING:
    from dextrum.desktop.frame.window import MainWindow
    from dextrum.desktop.photos.view import PhotosView

CAMERA, FOLDER = "photo.camera", "photo.folder"
SETTLED_MILLISECONDS = 700
"""A file of the watched folder is taken once it has not grown for so long: it may still be being written."""
SHOWN_OF = {"port": "port", "top": "board", "bottom": "board"}


class PhotoCommands:
    """Handlers by command id."""

    def __init__(self, window: MainWindow) -> None:
        self.window, self.model = window, window.model
        self.keeper = PhotoKeeper(window)
        self.keeper.ready.connect(self._record)
        self.keeper.failed.connect(window.say_problem)
        self._watcher: QFileSystemWatcher | None = None
        self._known: set[str] = set()
        self._growing: dict[str, int] = {}
        self._settling = QTimer(window)
        self._settling.setInterval(SETTLED_MILLISECONDS)
        self._settling.timeout.connect(self._take_settled)
        self.handlers: dict[str, Callable[[], None]] = {
            "photo.add": self.add, "photo.due": self.due, "photo.paste": self.paste, "photo.camera": self.camera,
            "photo.microscope": self.microscope, "photo.watch": self.watch, "photo.words": self.words,
            "photo.ring": lambda: self._view().draw("ring"), "photo.arrow": lambda: self._view().draw("arrow"),
            "photo.unmark": lambda: self._view().take_mark_off(), "photo.over": lambda: self._view().lay_over(),
            "photo.fit": lambda: self._view().fit()}

    def _view(self) -> PhotosView:
        from dextrum.desktop.photos.view import PhotosView

        self.window.show_view("photos")
        view = self.window.views["photos"]
        assert isinstance(view, PhotosView)
        return view

    def _likely(self) -> Shows:
        view = self.window.current_view()
        return shown_while(view.name if view is not None else "", self.model.facts)

    def _choices(self) -> tuple[tuple[str, str], ...]:
        """What a photo may show, the likeliest first."""
        from dextrum.app.job.trail_words import SHOWN_WORDS

        likely = self._likely()
        return tuple((shows, SHOWN_WORDS[shows]) for shows in sorted(SHOWS, key=lambda one: one != likely))

    def keep(self, make: Callable[[], QImage], shows: Shows, words: str = "") -> None:
        """Read and encode beside the window, then record for the job that was open when it was asked for."""
        if not self.model.job_id:
            self.window.say_problem(tr("No job is open: a photo belongs to one."))
            return
        self.keeper.take(make, self.model.job_id, shows, self._about(), words)

    def _record(self, taken: TakenPhoto) -> None:
        from dextrum.app.job.trail_words import SHOWN_WORDS

        if self.model.record_photo(taken.job_id, taken.data, taken.width, taken.height, taken.shows, taken.about,
                                   taken.words):
            self.window.trail.say(tr("Photo kept: {shown_words}", shown_words=SHOWN_WORDS[taken.shows]))

    def _about(self) -> str:
        """The entry that is chosen in the trail, to which the photo then belongs."""
        card = self.window.trail.chosen() if self.window.trail.list.hasFocus() else None
        return card.ids[-1] if card is not None else ""

    def add(self) -> None:
        """A file; what it shows is chosen."""
        def answer(text: str, shows: str) -> str:
            if not text.strip():
                return tr("The file's name: a PNG, JPEG or WebP.")
            self.add_file(Path(text.strip()).expanduser(), as_shown(shows))
            return ""

        self.window.ask.ask(tr("Photo, as a file, and what it shows"), answer, "", self._choices(),
                            self.window.focusWidget())

    def due(self) -> None:
        """By what is at hand: the demo's microscope, else a file; dropping or pasting one does as well."""
        if self.window.bench_hands():
            self.microscope(shows="before")
        else:
            self.add()

    def add_file(self, path: Path, shows: Shows | None = None) -> None:
        """One file, such as one that was dropped."""
        self.keep(lambda: read_photo(path), shows or self._likely())

    def paste(self) -> None:
        """What the clipboard holds: a picture, or a file of one."""
        held = theme.application().clipboard().mimeData()
        files = [Path(url.toLocalFile()) for url in held.urls() if url.isLocalFile()] if held is not None else []
        if held is not None and held.hasImage():
            image = theme.application().clipboard().image()
            self.keep(lambda: image.convertToFormat(QImage.Format.Format_RGB32), self._likely())
        elif files:
            for file in files:
                self.add_file(file)
        else:
            self.window.trail.say(tr("The clipboard holds no picture."))

    def camera(self) -> None:
        """A camera by its number; what it sees is shown until it is taken."""
        def answer(text: str, shows: str) -> str:
            from dextrum.app.photos.camera import MOST_NUMBER

            if not text.strip().isdecimal() or len(text.strip()) > 2 or int(text) > MOST_NUMBER:
                return tr("A number from 0 to {most_number}; 0 is the first camera.", most_number=MOST_NUMBER)
            number = int(text)
            self.window.session.store.set_setting(CAMERA, str(number))

            from dextrum.app.photos.camera import LiveCamera

            def taken(image: QImage) -> None:
                self.keep(lambda: image.convertToFormat(QImage.Format.Format_RGB32), as_shown(shows))

            view = self._view()
            view.end_camera()  # the same one can't be opened twice
            camera = LiveCamera(number)
            QTimer.singleShot(0, view, lambda: view.begin_camera(camera, taken))
            return ""

        self.window.ask.ask(tr("Camera by its number, and what it sees"), answer,
                            self.window.session.store.setting(CAMERA, "0"), self._choices(), self.window.focusWidget())

    def microscope(self, shows: Shows | None = None) -> None:
        """The microscope of the simulated bench: the port, or a side of the board, as the hidden unit is. shows: what
        it is taken for, where that is known."""
        def answer(_text: str, what: str) -> str:
            port = self.window.bench_hands()
            if not port:
                return tr("The simulated bench is not there.")
            self.keep(lambda: seen_by_bench(port, what), shows or as_shown(SHOWN_OF.get(what, "other")))
            return ""

        self.window.ask.choose(tr("Under the microscope of the simulated bench"), answer,
                               (("port", tr("the port, from the front")), ("top", tr("the board, top side")),
                                ("bottom", tr("the board, bottom side"))), self.window.focusWidget())

    def watch(self) -> None:
        """Every picture that comes into a folder from now on belongs to the job that is open then."""
        def answer(text: str, _choice: str) -> str:
            place = Path(text.strip()).expanduser() if text.strip() else None
            if place is not None and not place.is_dir():
                return tr("{place} is no folder.", place=place.name or place)
            self.window.session.store.set_setting(FOLDER, str(place) if place is not None else "")
            self.watch_folder(place)
            self.window.trail.say(tr("Watched from now on: {place}", place=place.name) if place is not None
                                  else tr("No folder is watched."))
            return ""

        self.window.ask.ask(tr("Folder into which the microscope's own program saves; empty for none"), answer,
                            self.window.session.store.setting(FOLDER), (), self.window.focusWidget())

    def watch_folder(self, place: Path | None) -> None:
        """None: no folder any more. What is in it already is left alone."""
        if self._watcher is not None:
            self._watcher.deleteLater()
            self._watcher = None
        self._settling.stop()
        self._growing.clear()
        if place is not None and place.is_dir():
            self._known = {file.name for file in place.iterdir()}
            self._watcher = QFileSystemWatcher([str(place)], self.window)
            self._watcher.directoryChanged.connect(lambda _place: self._settling.start())

    def watch_again(self) -> None:
        """The folder that was watched when the program ended."""
        kept = self.window.session.store.setting(FOLDER)
        if kept:
            self.watch_folder(Path(kept))

    def _take_settled(self) -> None:
        """New pictures of the folder that have stopped growing."""
        if self._watcher is None or not self._watcher.directories():
            self._settling.stop()
            return
        place = Path(self._watcher.directories()[0])
        files = sorted(place.iterdir()) if place.is_dir() else []
        fresh = [file for file in files if file.suffix.lower() in SUFFIXES and file.name not in self._known
                 and file.is_file() and not file.is_symlink()]
        for file in fresh:
            size = file.stat().st_size
            if size and self._growing.get(file.name) == size:
                if not self.model.job_id:
                    return  # its turn comes
                self._known.add(file.name)
                self._growing.pop(file.name)
                self.add_file(file)
            else:
                self._growing[file.name] = size
        if not fresh:
            self._settling.stop()

    def words(self) -> None:
        """What is to be seen on the photo in hand."""
        from dataclasses import replace

        view = self._view()
        photo = next(iter(view.chosen()), None)
        if photo is None:
            self.window.trail.say(tr("There is no photo yet."))
            return
        from dextrum.app.job.trail_words import SHOWN_WORDS

        def answer(text: str, shows: str) -> str:
            view.record_again(replace(photo, words=text.strip(), shows=as_shown(shows)))
            return ""

        choices = tuple((shows, SHOWN_WORDS[shows]) for shows in sorted(SHOWS, key=lambda one: one != photo.shows))
        self.window.ask.ask(tr("What is to be seen on it"), answer, photo.words, choices, self.window.focusWidget())


def seen_by_bench(port: int, what: str) -> QImage:
    """What the simulated bench's microscope shows. Raises InstrumentError."""
    from dextrum.app.bench.hands import Hands

    hands = Hands(port)
    try:
        told = hands("photo", of=what)
        image = QImage.fromData(base64.b64decode(str(told.get("jpeg", ""))))
    except ValueError as problem:
        raise InstrumentError("garbage", tr("The microscope gave no picture."), tr("Try again.")) from problem
    finally:
        hands.close()
    if image.isNull():
        raise InstrumentError("garbage", tr("The microscope gave no picture."), tr("Try again."))
    return image.convertToFormat(QImage.Format.Format_RGB32)


