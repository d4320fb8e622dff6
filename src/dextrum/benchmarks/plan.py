"""The board plan: a frame while zooming, panning and flipping, with a whole board read and a way under suspicion."""

from __future__ import annotations

import os
import time

from dextrum.benchmarks.measure import Measure, p95, within

FRAMES = 240
"""Of the plan alone, and as many over a photo of both sides."""


def plan_speed() -> dict[str, Measure]:
    """One frame at 742 by 400 pixels: the plan moved and painted."""
    os.environ["QT_QPA_PLATFORM"] = "offscreen"
    import numpy as np

    from dextrum.app.library.library import PackLibrary
    from dextrum.app.reading.judged import judged_readings
    from dextrum.core.board import Side
    from dextrum.core.board.path import signal_path
    from dextrum.core.job import job_facts
    from dextrum.core.trail import PointReading, Readings
    from dextrum.instruments.simulated_board import METER_M1, SimulatedBoard
    from dextrum.store.entries import new_entry

    from PySide6.QtCore import QCoreApplication, QEvent  # isort: skip
    from PySide6.QtGui import QImage, QPixmap  # isort: skip
    from PySide6.QtWidgets import QApplication  # isort: skip

    from dextrum.desktop import theme
    from dextrum.desktop.board.board_plan import BoardPlan

    application = QApplication.instance() or QApplication(["bench"])
    theme.load_fonts()
    assert isinstance(application, QApplication)
    theme.apply(application)
    library = PackLibrary()
    board = library.board("tarnwick-duo-c")
    unit = SimulatedBoard(board, (), np.random.default_rng(12))
    entries = [new_entry(Readings(p.default_method, (PointReading(p.id, unit.read(p.id, p.default_method, METER_M1)),),
                                  "M1"), "bench") for p in board.points]
    judged = judged_readings(board, library.references("tarnwick-duo-c", "M1"), job_facts(entries))
    plan = BoardPlan()
    plan.resize(742, 400)
    plan.show_board(board)
    plan.show_state(judged, ("FL5.1-2", "C17.1", "U3.RX2P"), "FL5.1", signal_path(board, "J1.A10"), None)
    plan.show()
    application.processEvents()
    taken = []
    grain = np.random.default_rng(4).normal(120, 40, (1640, 2480, 4)).clip(0, 255).astype(np.uint8)
    photo = QPixmap.fromImage(QImage(grain.data, 2480, 1640, 4 * 2480, QImage.Format.Format_RGB32))
    for k in range(2 * FRAMES):
        if k == FRAMES:
            plan.photos, plan.photo_share = dict.fromkeys(Side, photo), 0.7
        begun = time.perf_counter()
        if k % 60 == 59:
            plan.flip()
        plan._zoom_by(1.05 if k % 80 < 40 else 1 / 1.05)
        plan._pan(4.0 if k % 30 < 15 else -4.0, 2.0)
        # What the event loop would do next: paint all that has changed, once.
        QCoreApplication.sendPostedEvents(None, QEvent.Type.UpdateRequest.value)
        application.processEvents()
        taken.append(time.perf_counter() - begun)
    plan.close()
    return {name: within(1000 * p95(one), "ms", 1000 / 60)
            for name, one in (("plan_frame_p95", taken[5:FRAMES]), ("plan_frame_over_photo_p95", taken[FRAMES + 5:]))}


def photo_speed() -> dict[str, Measure]:
    """A photo of 24 megapixels from its file to the picture whose corners are chosen."""
    os.environ["QT_QPA_PLATFORM"] = "offscreen"
    from pathlib import Path
    from tempfile import TemporaryDirectory

    import numpy as np
    from PySide6.QtCore import Qt
    from PySide6.QtGui import QImage
    from PySide6.QtWidgets import QApplication

    from dextrum.desktop.frame.picture_file import read_photo

    application = QApplication.instance() or QApplication(["bench"])
    assert application is not None
    found = {}
    with TemporaryDirectory() as folder:
        grain = np.random.default_rng(4).normal(120, 40, (500, 750, 4)).clip(0, 255).astype(np.uint8)
        small = QImage(grain.data, 750, 500, 3000, QImage.Format.Format_RGB32)
        # Of a PNG, quality is how little it is packed.
        for kind, quality in (("jpg", 92), ("png", 60)):
            place = Path(folder) / f"board.{kind}"
            small.scaled(6000, 4000, mode=Qt.TransformationMode.SmoothTransformation).save(str(place), quality=quality)
            begun = time.perf_counter()
            read_photo(place)
            found[f"photo_24_megapixels_{kind}"] = within(time.perf_counter() - begun, "s", 2.0)
    return found
