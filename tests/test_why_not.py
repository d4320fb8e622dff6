"""Why the system will not do something with a file, in the window's language."""

from __future__ import annotations

import errno
import os
import tempfile
import unittest
from pathlib import Path

from dextrum.errors import WORDS_OF_THE_SYSTEM, ImportRefusedError, why_not
from dextrum.store.files import read_bounded, write_beside


class WhyNotTest(unittest.TestCase):
    def test_what_the_system_says_is_said_in_the_programs_words(self) -> None:
        for number, words in WORDS_OF_THE_SYSTEM.items():
            self.assertEqual(why_not(OSError(number, os.strerror(number))), words)
        self.assertEqual(why_not(OSError(errno.ECONNRESET, "Connection reset by peer")), "Connection reset by peer")
        self.assertEqual(why_not(ValueError("embedded null byte")), "not a name of a file")

    def test_a_file_that_is_not_there_or_that_is_a_folder(self) -> None:
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        with self.assertRaisesRegex(ImportRefusedError, r"gone\.csv can't be read \(it is not there\)"):
            read_bounded(folder / "gone.csv", 10)
        (folder / "plain").write_text("x", encoding="utf-8")
        with self.assertRaisesRegex(ImportRefusedError, r"\(a part of the name is no folder\)"):
            write_beside(folder / "plain" / "sheet.pdf", b"x")


if __name__ == "__main__":
    unittest.main()
