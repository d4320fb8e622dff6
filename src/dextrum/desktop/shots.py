"""Every main view as a PNG at 1280x800, from demo data, offscreen, the same each time."""

from __future__ import annotations

import os
import tempfile
import time
from collections.abc import Callable
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import TYPE_CHECKING

from dextrum.instruments.polling import Heard, InstrumentStatus
from dextrum.instruments.protocols import MULTIMETER

if TYPE_CHECKING:
    from dextrum.desktop.frame.window import MainWindow

NOON = datetime(2026, 3, 12, 13, 10, tzinfo=UTC)
WIDTH, HEIGHT = 1280, 800
GUIDE_WIDTH = 840
WAIT_SECONDS = 0.005
GUIDE_SHOTS = ("intake", "supply", "port", "board", "rework", "proof", "handover", "library", "capture", "heat",
               "audit", "pack", "photos", "teardown", "day", "stock", "money")


@dataclass(frozen=True)
class Shot:
    """A view of one demo job. dark and scale as given, else those asked for. heat_of: the part whose heat is
    shown. photos: some are taken under the simulated microscope. undone: so many
    fasteners are out, the third missing."""

    file: str
    serial: str
    view: str
    dark: bool = False
    scale: int = 100
    walk: bool = False
    heat_of: str = ""
    photos: bool = False
    undone: int = 0


class ReplayedMeter:
    """In a multimeter's place: hands over given readings, ten a second, by a clock of its own."""

    def __init__(self) -> None:
        self.at = 0.0
        self.waiting: list[Heard] = []
        self.status = InstrumentStatus(MULTIMETER, "BM-1", "", "ready", "", None, "V")

    def shows(self, *values: float) -> None:
        for value in values:
            self.at += 0.1
            self.waiting.append(Heard(self.at, value))

    def listen(self, quantity: str = "", on: bool = True) -> None:
        pass

    def drain(self) -> list[Heard]:
        taken, self.waiting = self.waiting, []
        return taken

    def close(self, wait: bool = True) -> None:
        pass


SHOTS = (
    Shot("intake", "SLS-0417", "intake"), Shot("supply", "SLS-0388", "supply"),
    Shot("port", "SLS-0417", "port"), Shot("board", "SLS-0518", "board"),
    Shot("elimination", "SLS-0444", "board"), Shot("rework", "SLS-0518", "rework"), Shot("proof", "SLS-0231", "proof"),
    Shot("handover", "SLS-0295", "handover"), Shot("port-dark", "SLS-0417", "port", dark=True),
    Shot("capture", "SLS-0417", "board", walk=True),
    Shot("heat", "SLS-0417", "rework", heat_of="J1"),
    Shot("audit", "SLS-0253", "rework"), Shot("pack", "SLS-0502", "packmaking"),
    Shot("library", "SLS-0417", "library"),
    Shot("photos", "SLS-0417", "photos", photos=True), Shot("teardown", "SLS-0518", "teardown", undone=6),
    Shot("day", "SLS-0417", "day"), Shot("stock", "SLS-0417", "stock"), Shot("money", "SLS-0417", "money"),
)


def render_shots(folder: Path, dark: bool = False, scale: int = 100, only: str = "", guide: bool = False) -> int:
    """Write the pictures; returns the exit status. guide: those of the guide too, which ship with the program, in the
    language of this process."""
    os.environ["QT_QPA_PLATFORM"] = "offscreen"
    os.environ["TZ"] = "UTC"
    time.tzset()
    # Qt last: see desktop.start.
    from dextrum.app.bench.demo import TECHNICIAN, fill_demo
    from dextrum.app.guide import folder as guide_folder
    from dextrum.app.job.session import BenchSession
    from dextrum.app.library.library import PackLibrary
    from dextrum.app.places import cache_folder
    from dextrum.store.jobs import JobStore

    from PySide6.QtCore import Qt  # isort: skip
    from PySide6.QtWidgets import QApplication  # isort: skip

    from dextrum.desktop import theme
    from dextrum.desktop.frame.window import MainWindow
    from dextrum.desktop.theme import look

    folder.mkdir(parents=True, exist_ok=True)
    application = QApplication.instance() or QApplication(["dextrum"])
    QApplication.setCursorFlashTime(0)
    theme.load_fonts()
    with tempfile.TemporaryDirectory() as place:
        store = JobStore(Path(place) / "jobs.sqlite")
        library = PackLibrary(kept=cache_folder())
        fill_demo(store, library, NOON)
        session = BenchSession(store, library, TECHNICIAN, clock=lambda: NOON)
        window = MainWindow(session)
        window.resize(WIDTH, HEIGHT)
        window.show()
        by_serial = {row.serial: row.id for row in store.shelf(closed=None)}
        for shot in SHOTS:
            if only and shot.file != only:
                continue
            look.theme = theme.DARK if shot.dark or dark else theme.LIGHT
            look.scale = shot.scale if shot.scale != 100 else scale
            window.restyle()
            window.resize(WIDTH, HEIGHT)
            window.open_job(by_serial[shot.serial])
            _wait(lambda: window.model.fresh, application.processEvents)
            if shot.undone:
                _undo(window, shot.undone)
                _wait(lambda: window.model.fresh, application.processEvents)
            if shot.photos:
                _take_photos(window, application.processEvents)
            window.show_view(shot.view)
            window.trail.say("")
            view = window.views[shot.view]
            _wait(lambda view=view: view.settled, application.processEvents)  # type: ignore[misc]
            if shot.walk:
                _walk_a_little(window)
            if shot.heat_of:
                _show_heat(window, shot.heat_of, application.processEvents)
            for _ in range(6):
                application.processEvents()
            picture = window.grab()
            picture.save(str(folder / f"{shot.file}.png"))
            if guide and shot.file in GUIDE_SHOTS:
                picture.scaledToWidth(GUIDE_WIDTH, Qt.TransformationMode.SmoothTransformation).save(
                    str(guide_folder() / "pictures" / f"{shot.file}.png"))
            print(folder / f"{shot.file}.png")
            if shot.walk:
                window.commands.capture.end()
                window.instruments.disconnect(MULTIMETER)
        window.close()
        store.close()
    return 0


def _wait(until: Callable[[], bool], pump: Callable[[], None]) -> None:
    """Until it is so. What reckons meanwhile, on a thread beside this one, must not have to wait for it."""
    while not until():
        pump()
        time.sleep(WAIT_SECONDS)


def _undo(window: MainWindow, count: int) -> None:
    """The first fasteners of the map, as they come out."""
    from dextrum.core.trail import Fastened

    board = window.model.board
    assert board is not None
    for k, one in enumerate(board.fasteners[:count]):
        window.model.record(Fastened(one.id, "missing" if k == 2 else "out"))


def _take_photos(window: MainWindow, pump: Callable[[], None]) -> None:
    """The port and both sides of a unit whose port is bent, with a ring; the port large."""
    from PySide6.QtGui import QImage

    from dextrum.app.bench.microscope import seen
    from dextrum.app.bench.simbench import prepare_bench
    from dextrum.core.trail import PhotoMark
    from dextrum.desktop.photos.view import PhotosView

    board = window.model.board
    assert board is not None
    seed = 0
    bench = prepare_bench(window.session.library, board.pack_id, ["J1:open_contact:A5"], seed)
    while bench.look.findings == ("clean",):
        seed += 1
        bench = prepare_bench(window.session.library, board.pack_id, ["J1:open_contact:A5"], seed)
    kept = window.commands.photos
    for what, shows, words in (("top", "before", ""), ("bottom", "before", ""), ("port", "port", "A5 bent")):
        data = seen(bench, what)
        kept.keep(lambda data=data: QImage.fromData(data), shows, words)  # type: ignore[misc, arg-type]
        _wait(lambda: not kept.keeper.waiting, pump)
    window.show_view("photos")
    view = window.views["photos"]
    assert isinstance(view, PhotosView)
    _wait(lambda: bool(view.canvas.images), pump)
    view._mark(PhotoMark("ring", 0.42, 0.42, 0.47, 0.42))
    for _ in range(2):
        _wait(lambda: not (view.reading.busy or view.thumbnails._asked) and window.model.fresh, pump)
        pump()


def _show_heat(window: MainWindow, part: str, pump: Callable[[], None]) -> None:
    """The heat of the usual recipe of a part, a while after its joints have floated."""
    view = window.views.rework
    view.go_to(part, "replace")
    view.plan.heat.click()
    _wait(lambda: not view.work.busy, pump)
    pump()
    view.heat.slider.setValue(view.heat.slider.value() + 8)


def _walk_a_little(window: MainWindow) -> None:
    """The walk in the middle of a touch, fed by a meter that replays; nothing of it is recorded."""
    meter, capture = ReplayedMeter(), window.commands.capture
    window.instruments._pollers[MULTIMETER] = meter  # type: ignore[assignment]
    capture.begin()
    meter.at = window.instruments.clock()
    for values in ((float("inf"), float("inf")), (0.05, 0.05, 0.05)):
        meter.shows(*values)
        capture._listen()
    window.connections.refresh()
