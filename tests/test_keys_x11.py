"""The keys of the window once more under a real X server, where a text field has keys of its own; and a whole job by
the mouse, whose presses go to what lies on top."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import unittest
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent


@unittest.skipUnless(shutil.which("Xvfb"), "no X server here: apt-get install xvfb")
class KeysUnderX11Test(unittest.TestCase):
    def test_keys_do_what_they_say(self) -> None:
        self.run_under_x("tests.x11_keys")

    @unittest.skipUnless(shutil.which("xdotool"), "nothing presses the mouse here: apt-get install xdotool")
    def test_a_whole_job_is_done_by_the_mouse(self) -> None:
        self.run_under_x("tests.x11_mouse.MouseWalkTest.test_a_whole_job_from_the_shelf_to_the_sheet")

    def run_under_x(self, what: str) -> None:
        read, write = os.pipe()
        server = subprocess.Popen(["Xvfb", "-displayfd", str(write), "-screen", "0", "1280x900x24", "-nolisten", "tcp"],
                                  pass_fds=(write,), stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        os.close(write)
        self.addCleanup(server.wait)
        self.addCleanup(server.terminate)
        with os.fdopen(read) as told:
            display = told.readline().strip()
        self.assertTrue(display.isdigit(), "the X server says its display")
        environment = {**os.environ, "QT_QPA_PLATFORM": "xcb", "DISPLAY": f":{display}",
                       "PYTHONPATH": str(ROOT / "src")}
        environment.pop("WAYLAND_DISPLAY", None)
        done = subprocess.run([sys.executable, "-m", "unittest", "-q", what], cwd=ROOT, env=environment,
                              capture_output=True, text=True, timeout=300, check=False)
        self.assertEqual(done.returncode, 0, done.stderr[-6000:])


if __name__ == "__main__":
    unittest.main()
