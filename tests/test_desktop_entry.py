"""In the desktop: menu entry, icon and file types come and go; help, version, manual page and completion."""

from __future__ import annotations

import contextlib
import io
import os
import re
import shutil
import subprocess
import tempfile
import unittest
import xml.etree.ElementTree
from configparser import ConfigParser
from pathlib import Path
from unittest import mock

from dextrum import __version__
from dextrum.__main__ import main
from dextrum.app.desktop_entry import entry_text, install, remove
from dextrum.app.places import shipped
from dextrum.command_line import build_parser, completion, man_page
from dextrum.errors import DextrumError, ImportRefusedError, PackError
from tests.support import ORB, library_of


class DesktopEntryTest(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.home = Path(folder.name)
        changed = mock.patch.dict(os.environ, {"XDG_DATA_HOME": str(self.home), "DEXTRUM_LAUNCHER": ""})
        changed.start()
        self.addCleanup(changed.stop)

    def test_installed_and_removed_without_a_trace(self) -> None:
        said = install()
        self.assertEqual(sum(line.startswith("Written:") for line in said), 3)
        self.assertTrue((self.home / "applications" / "dextrum.desktop").is_file())
        self.assertEqual(install()[:3], said[:3], "a second time is the same")
        self.assertEqual(sum(line.startswith("Removed:") for line in remove()), 3)
        own = [p for p in self.home.rglob("*dextrum*") if p.is_file()]
        self.assertEqual(own, [])
        self.assertEqual(remove(), ["Nothing was installed."])

    def test_entry_and_types_are_well_formed(self) -> None:
        install()
        entry = ConfigParser(interpolation=None)
        entry.optionxform = str  # type: ignore[assignment,method-assign]
        entry.read_string((self.home / "applications" / "dextrum.desktop").read_text(encoding="utf-8"))
        head = entry["Desktop Entry"]
        self.assertEqual((head["StartupWMClass"], head["Icon"]), ("dextrum", "dextrum"))
        self.assertTrue(head["Exec"].endswith(" run %F"))
        types = xml.etree.ElementTree.parse(self.home / "mime" / "packages" / "dextrum.xml").getroot()
        globs = {glob.get("pattern") for glob in types.iter() if glob.tag.endswith("glob")}
        self.assertEqual(globs, {"*.job.json", "*.pack.zip"})
        if shutil.which("desktop-file-validate"):
            done = subprocess.run(["desktop-file-validate", str(self.home / "applications" / "dextrum.desktop")],
                                  check=False, capture_output=True, text=True)
            self.assertEqual(done.returncode, 0, done.stdout)

    def test_a_launcher_with_any_name_is_quoted_as_desktops_read_it(self) -> None:
        for name in ("my bench", "50 % $HOME", 'so-called "bench"', "back\\slash", "it's `here`"):
            launcher = self.home / name / "dextrum"
            launcher.parent.mkdir()
            launcher.write_text("#!/bin/sh\n")
            with mock.patch.dict(os.environ, {"DEXTRUM_LAUNCHER": str(launcher)}):
                line = next(one for one in entry_text().splitlines() if one.startswith("Exec="))
            # As the Desktop Entry Specification reads it: the value's escapes, the argument's, then the field codes.
            value = line.removeprefix("Exec=").removesuffix(" run %F").replace("\\\\", "\\")
            self.assertTrue(value[0] == value[-1] == '"', line)
            self.assertEqual(re.sub(r"\\(.)", r"\1", value[1:-1]).replace("%%", "%"), str(launcher))

    def test_a_folder_that_cannot_be_written_is_said(self) -> None:
        (self.home / "applications").write_text("a file where the folder should be")
        with self.assertRaises(DextrumError) as refused:
            install()
        self.assertIn("can't be written", refused.exception.happened)


class CommandLineTest(unittest.TestCase):
    def said(self, *arguments: str) -> str:
        out = io.StringIO()
        with contextlib.redirect_stdout(out), contextlib.suppress(SystemExit):
            main(list(arguments))
        return out.getvalue()

    def test_version_and_help(self) -> None:
        self.assertEqual(self.said("--version"), f"dextrum {__version__}\n")
        self.assertIn("dextrum run SLS-0417.job.json", self.said("--help"))

    def test_the_manual_page_names_every_verb(self) -> None:
        page = man_page()
        for verb in ("demo", "run", "advise", "pack check", "evaluate", "install\\-desktop"):
            self.assertIn(f".B {verb}", page)
        self.assertEqual(page, (shipped().parents[2] / "docs" / "dextrum.1").read_text(encoding="utf-8"),
                         "docs/dextrum.1 is made by `./dextrum man`")
        if shutil.which("man"):
            done = subprocess.run(["man", "--warnings", "-l", "-"], input=page, check=False, capture_output=True,
                                  text=True, env={**os.environ, "MANPAGER": "cat"})
            self.assertEqual(done.stderr.strip(), "")

    def test_completion_is_a_script_that_bash_takes(self) -> None:
        script = completion("bash")
        self.assertIn("install-desktop", script)
        done = subprocess.run(["bash", "-n"], input=script, text=True, check=False, capture_output=True)
        self.assertEqual((done.returncode, done.stderr), (0, ""))

    def test_every_option_says_what_it_does_or_is_named_so(self) -> None:
        self.assertIn("--data", build_parser().format_help() + man_page().replace("\\-", "-"))


class PackTakenInTest(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def zipped(self, name: str, pack_id: str = "") -> Path:
        place = self.folder / "made" / name
        shutil.copytree(shipped() / "packs" / ORB, place)
        if pack_id:
            head = place / "pack.json"
            head.write_text(head.read_text(encoding="utf-8").replace(ORB, pack_id), encoding="utf-8")
        return Path(shutil.make_archive(str(place), "zip", place))

    def test_a_pack_is_checked_kept_and_offered(self) -> None:
        library = library_of(self.folder / "packs")
        path = self.zipped("some.pack", "bramlet-orb-z")
        self.assertIn("taken in: bramlet-orb-z", library.add_pack(path))
        self.assertIn("bramlet-orb-z", library.ids())
        self.assertIn("bramlet-orb-z", library_of(self.folder / "packs").ids(), "after a restart too")
        self.assertIn("already here", library.add_pack(path))

    def test_one_of_a_name_that_is_here_is_not_replaced(self) -> None:
        library = library_of(self.folder / "packs")
        with self.assertRaises(ImportRefusedError) as refused:
            library.add_pack(self.zipped("same.pack"))
        self.assertIn("here already", refused.exception.happened)

    def test_nonsense_is_refused(self) -> None:
        library = library_of(self.folder / "packs")
        path = self.folder / "x.zip"
        path.write_bytes(b"PK nonsense")
        with self.assertRaises((ImportRefusedError, PackError)):
            library.add_pack(path)
        self.assertFalse((self.folder / "packs").exists())


if __name__ == "__main__":
    unittest.main()
