"""Start the application: display, fonts, data, window."""

from __future__ import annotations

import gc
import os
import signal
import sys
from pathlib import Path
from typing import TYPE_CHECKING

from dextrum.errors import StoreError, why_not
from dextrum.tongue import ENGLISH, spoken, tr

if TYPE_CHECKING:
    import subprocess
    from collections.abc import Callable
    from typing import Any

    from PySide6.QtWidgets import QApplication

    from dextrum.desktop.frame.window import MainWindow
    from dextrum.instruments.simbench.server import BenchServer
    from dextrum.store.jobs import JobStore

SWITCH_SECONDS = 0.0005
"""How long what reckons beside the window keeps the interpreter while the window waits for it: with Python's usual five
milliseconds a key in a view that is being forecast took 80 ms to be painted, with this 35."""
SWEEP_MILLISECONDS = 4000
"""After the start, when the first job has been weighed."""
DEMO_PACK = "tarnwick-duo-c"
OPEN_ANEW = 75
"""Exit status of a window that closed to be opened anew, in another language."""
NO_DISPLAY = tr("There is no display here, so no window can be shown.\n  with a screen elsewhere: start it from the "
                "desktop session\n  without a screen:        ./dextrum demo --offscreen\n  with a virtual screen:   "
                "xvfb-run -a ./dextrum demo   (Debian package xvfb)")


def has_display() -> bool:
    return bool(os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY")
                or os.environ.get("QT_QPA_PLATFORM"))


def run_window(demo: bool, data: Path | None = None, offscreen: bool = False, fresh: bool = False,
               files: tuple[Path, ...] = ()) -> int:
    """Open the window and run until it is closed. files: job files and board packs to take in. Returns the exit
    status."""
    if offscreen:
        os.environ["QT_QPA_PLATFORM"] = "offscreen"
    elif not has_display():
        print(NO_DISPLAY, file=sys.stderr)
        return 2
    application, window, store = prepare_window(demo, data, fresh)
    from dextrum.desktop.frame.window_place import stand_where_it_stood

    stand_where_it_stood(window, beside=demo and not offscreen)
    window.show()
    if not store.setting("who"):
        # Every entry says who made it, so it is asked before the first.
        window.commands.run("bench.who")
    bench = _begin_bench(window, store, with_bench=demo and not offscreen)
    for file in files:
        window.take_in(file)

    from PySide6.QtCore import QTimer

    QTimer.singleShot(SWEEP_MILLISECONDS, spare_what_stands)
    QTimer.singleShot(0, application, lambda: _show_icon(application))
    QTimer.singleShot(SWEEP_MILLISECONDS, lambda: _sweep_beside(store))
    QTimer.singleShot(SWEEP_MILLISECONDS, window, lambda: window.commands.photos.watch_again())
    if not demo:
        QTimer.singleShot(SWEEP_MILLISECONDS, window, lambda: window.commands.keeping.warn())
    for stop in (signal.SIGINT, signal.SIGTERM):
        # Python hears of it when it runs next: the window looks at the job file a few times a second.
        signal.signal(stop, lambda *_: window.close())
    try:
        status = application.exec()
    finally:
        if bench is not None:
            bench.terminate()
        store.close()
    return OPEN_ANEW if window.opens_anew else int(status)


def spare_what_stands() -> None:
    """Window, packs and models, once they are there, are left out of the collector's full sweeps: of some two hundred
    thousand things each took 60 to 260 ms, in which no key was answered. What is no longer used is freed all the same,
    but for what holds itself in a ring. Only then is the collector let in: before, it would sweep through what the
    first advice is made with, and find nothing."""
    gc.freeze()
    gc.enable()


def _show_icon(application: QApplication) -> None:
    """Once the window stands: the desktop shows the entry's own meanwhile."""
    from PySide6.QtGui import QIcon

    from dextrum.app.places import shipped

    application.setWindowIcon(QIcon(str(shipped() / "marks" / "dextrum.svg")))


def _sweep_beside(store: JobStore) -> None:
    """Pictures whose entry was never written, as after a crash, go; nobody waits for it."""
    import threading
    from contextlib import suppress

    def sweep() -> None:
        with suppress(StoreError):
            store.sweep_pictures()

    threading.Thread(target=sweep, name="sweep", daemon=True).start()


def _speak_in_dialogs(application: QApplication) -> None:
    """What Qt itself says, such as in the menu of a field."""
    from PySide6.QtCore import QLibraryInfo, QTranslator

    words = QTranslator(application)
    if words.load(f"qtbase_{spoken()}", QLibraryInfo.path(QLibraryInfo.LibraryPath.TranslationsPath)):
        application.installTranslator(words)


def _begin_bench(window: MainWindow, store: JobStore, with_bench: bool) -> subprocess.Popen[bytes] | None:
    """Connect what was in use before; for the demo, start its simulated bench and connect that once it stands."""
    from PySide6.QtCore import QTimer

    from dextrum.app.bench.remembered import remembered

    capture = window.commands.capture
    if not with_bench:
        capture.connect_again(remembered(store))
        return None
    from time import time as wall_seconds

    from dextrum.app.bench.simbench import forget_addresses, start_bench

    window.bench_state = store.folder / "simbench.json"
    # The bench and its board are as they were left; only the addresses are new.
    forget_addresses(window.bench_state)
    process = start_bench(window.bench_state, DEMO_PACK, int(wall_seconds()) % 100_000, window=True)
    timer = QTimer(window)
    timer.setInterval(250)

    def look() -> None:
        addresses = window.bench_addresses()
        if addresses:
            timer.stop()
            capture.connect_to(addresses)
        elif process.poll() is not None:
            timer.stop()

    timer.timeout.connect(look)
    timer.start()
    return process


def run_simbench(server: BenchServer, state: Path | None, grade: Callable[[dict[str, Any]], str],
                 beside: int = 0) -> int:
    """The window of the hands, until it is closed, the process is told to end, or the one it serves has ended. Returns
    the exit status."""
    if not has_display():
        print(NO_DISPLAY.replace("./dextrum demo --offscreen", "./dextrum simbench --headless"), file=sys.stderr)
        return 2
    from dextrum.app.bench.microscope import board_from_above  # isort: skip
    from dextrum.app.bench.simbench import has_ended, write_state  # isort: skip
    from PySide6.QtCore import Qt, QTimer
    from PySide6.QtWidgets import QApplication

    from dextrum.desktop import theme
    from dextrum.desktop.bench.simbench_window import SimbenchWindow
    from dextrum.desktop.frame.window_place import FIRST_SIZE, stand_on_the_right

    application = QApplication(sys.argv[:1])
    theme.load_fonts()
    theme.apply(application)
    window = SimbenchWindow(server, grade, board_from_above)
    # Beside a window that began it, that one goes on being typed into.
    window.setAttribute(Qt.WidgetAttribute.WA_ShowWithoutActivating, bool(beside))
    if beside:
        stand_on_the_right(window, FIRST_SIZE[0])
    window.show()
    keep = QTimer()
    keep.setInterval(1000)

    def tick() -> None:
        if has_ended(beside):
            application.quit()
        elif state is not None:
            write_state(state, server)

    tick()
    keep.timeout.connect(tick)
    keep.start()
    for stop in (signal.SIGINT, signal.SIGTERM):
        signal.signal(stop, lambda *_: application.quit())
    status = application.exec()
    server.close()
    return int(status)


def prepare_window(demo: bool, data: Path | None = None,
                   fresh: bool = False) -> tuple[QApplication, MainWindow, JobStore]:
    """The window on its data, not yet shown. Raises StoreError when the data can't be used."""
    sys.setswitchinterval(SWITCH_SECONDS)
    # All that is not Qt comes first: see the package's docstring.
    from dextrum.app.job.session import BenchSession
    from dextrum.app.library.library import PackLibrary
    from dextrum.app.places import cache_folder, user_folder
    from dextrum.store.jobs import JobStore

    folder = data if data is not None else user_folder(demo)
    library = PackLibrary([folder / "packs"], kept=cache_folder())
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as problem:
        raise StoreError(tr("{folder} can't be made ({why}).", folder=folder.name,
                            why=why_not(problem)), "", tr("Name another with --data.")) \
            from problem
    place = folder / "jobs.sqlite"
    if demo and (fresh or not place.exists()):
        from dextrum.app.bench.demo import ensure_demo

        place = ensure_demo(folder, library, fresh)

    from PySide6.QtWidgets import QApplication

    from dextrum.desktop.quick_dataclasses import quick_dataclasses

    with quick_dataclasses():
        from dextrum.core.when import use_form
        from dextrum.desktop import theme
        from dextrum.desktop.frame.region import form_of_region
        from dextrum.desktop.frame.window import MainWindow
        from dextrum.desktop.theme import look

    store = JobStore(place)
    use_form(form_of_region())
    application = QApplication(sys.argv[:1])
    application.setApplicationName("dextrum")
    application.setApplicationDisplayName("Dextrum")
    application.setDesktopFileName("dextrum")
    if spoken() != ENGLISH:
        _speak_in_dialogs(application)
    theme.load_fonts()
    with store.settings_at_once():
        look.theme = next((one for one in theme.THEMES if one.name == store.setting("theme")), theme.LIGHT)
        scale = store.setting("scale", "100")
        look.scale = int(scale) if scale.isdigit() and 75 <= int(scale) <= 200 else 100
        window = MainWindow(BenchSession(store, library, store.setting("who", "bench"), store.setting("meter", "M1")))
    return application, window, store
