"""Play the demo's jobs and keep them with the program: run it after the advice or the simulated board has changed. The
photos of the board that nobody described are drawn too."""

from __future__ import annotations

import os
import sys
import time
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parents[1] / "src"))
os.environ["TZ"] = "UTC"
time.tzset()

from dextrum.app.bench.demo import play_demo  # noqa: E402
from dextrum.app.bench.demo_photos import draw_photos  # noqa: E402
from dextrum.app.bench.demo_ready import MADE_AT, keep, kept_place  # noqa: E402
from dextrum.app.library.library import PackLibrary  # noqa: E402

if __name__ == "__main__":
    for photo in draw_photos(kept_place().parent):
        print(f"{photo.name}, {photo.stat().st_size / 1000:.0f} kB")
    trails = play_demo(PackLibrary(), MADE_AT)
    keep(trails, kept_place())
    print(f"{len(trails)} jobs, {kept_place().stat().st_size / 1000:.0f} kB")
