"""Pictures of a job: kept by content with their entries, swept after a crash, sent along; hostile ones refused."""

from __future__ import annotations

import io
import signal
import subprocess
import sys
import tempfile
import unittest
import zipfile
from pathlib import Path

import cv2
import numpy as np

from dextrum.app.job.session import BenchSession
from dextrum.core.job import job_facts
from dextrum.core.trail import Entry, Photo, PhotoMark
from dextrum.errors import DextrumError, FileStandsError, ImportRefusedError, StoreError
from dextrum.store import pictures
from dextrum.store.entries import new_entry
from dextrum.store.job_zip import JobZip, is_job_zip
from dextrum.store.jobs import JobStore
from tests.support import DUO, LONG, START, library

KILLS = 100 if LONG else 6


def picture(seed: int = 0, wide: int = 40, high: int = 30) -> bytes:
    grain = np.random.default_rng(seed).integers(0, 255, (high, wide, 3), dtype=np.uint8)
    done, data = cv2.imencode(".jpg", grain)
    assert done
    return bytes(data.tobytes())


def with_segment(data: bytes, marker: int, content: bytes) -> bytes:
    return data[:2] + bytes((0xFF, marker)) + (len(content) + 2).to_bytes(2) + content + data[2:]


class PictureSizeTest(unittest.TestCase):
    def test_a_picture_alone_has_a_size(self) -> None:
        self.assertEqual(pictures.picture_size(picture()), (40, 30))

    def test_what_is_more_or_less_than_a_picture_is_refused(self) -> None:
        good = picture()
        for data in (b"", b"GIF89a", good[:-2], good[:40], with_segment(good, 0xE1, b"Exif\0\0place"),
                     with_segment(good, 0xFE, b"words"), good[:2] + b"\xff\xd9",
                     b"\xff\xd8" + b"\xff" * 50 + b"\xff\xd9",
                     b"\xff\xd8\xff\xc0\x00\x02\xff\xd9", b"\xff\xd8\xff\xda\x00\x02\xff\xd9"):
            with self.subTest(data[:12]), self.assertRaises(ImportRefusedError):
                pictures.picture_size(data)

    def test_nothing_is_hidden_behind_the_picture_or_between_its_scans(self) -> None:
        done, coded = cv2.imencode(".jpg", np.random.default_rng(1).integers(0, 255, (64, 64, 3), dtype=np.uint8),
                                   [cv2.IMWRITE_JPEG_PROGRESSIVE, 1, cv2.IMWRITE_JPEG_RST_INTERVAL, 2])
        self.assertTrue(done)
        data = bytes(coded.tobytes())
        self.assertEqual(pictures.picture_size(data), (64, 64))
        self.assertGreater(data.count(b"\xff\xda"), 1, "several scans")
        second = data.rindex(b"\xff\xda")
        for hidden in (data + b"PK\x03\x04 a file" + b"\xff\xd9",
                       data[:second] + b"\xff\xe1\x00\x0aExif\0\0xx" + data[second:]):
            with self.assertRaises(ImportRefusedError):
                pictures.picture_size(hidden)

    def test_mutations_never_raise_anything_else(self) -> None:
        draw = np.random.default_rng(5)
        good = bytearray(picture(1, 16, 16))
        for _ in range(2000):
            data = bytearray(good)
            for place in draw.integers(0, len(data), 3):
                data[place] = int(draw.integers(256))
            try:
                wide, high = pictures.picture_size(bytes(data))
            except ImportRefusedError:
                continue
            self.assertTrue(1 <= wide <= 65535 and 1 <= high <= 65535)


class StoreCase(unittest.TestCase):
    def setUp(self) -> None:
        place = tempfile.TemporaryDirectory()
        self.addCleanup(place.cleanup)
        self.folder = Path(place.name)
        self.session = self.opened(self.folder / "jobs.sqlite")
        self.job = self.session.open_new_job("SLS-0901", DUO)

    def opened(self, place: Path) -> BenchSession:
        store = JobStore(place)
        self.addCleanup(store.close)
        return BenchSession(store, library(), "Ines", clock=lambda: START)

    def add(self, data: bytes, **of: object) -> Entry:
        wide, high = pictures.picture_size(data)
        entry = new_entry(Photo(pictures.content_of(data), wide, high, **of), "Ines", START)  # type: ignore[arg-type]
        self.session.keep(self.job, (entry,), pictures=(data,))
        return entry


class KeptTest(StoreCase):
    def test_by_content_once_and_read_back(self) -> None:
        data = picture()
        first = self.add(data, shows="port", words="A5 bent")
        self.add(data, marks=(PhotoMark("ring", 0.5, 0.5, 0.6, 0.5),))
        self.assertEqual(len(list(pictures.pictures_there(self.folder))), 1)
        self.assertEqual(self.session.store.picture(pictures.content_of(data)), data)
        facts = job_facts(self.session.store.trail(self.job))
        self.assertEqual([len(photo.marks) for photo, _ in facts.photos], [1], "the later one stands")
        self.session.strike_last(self.job)
        facts = job_facts(self.session.store.trail(self.job))
        self.assertEqual([photo for photo, _ in facts.photos], [first.payload])
        about = pictures.place_of(self.folder, pictures.content_of(data)).stat()
        self.assertEqual(about.st_mode & 0o077, 0, "for the user alone")

    def test_gone_and_damaged_ones_are_said(self) -> None:
        data = picture()
        self.add(data)
        place = pictures.place_of(self.folder, pictures.content_of(data))
        place.write_bytes(data[:-3] + b"abc")
        with self.assertRaisesRegex(StoreError, "damaged"):
            self.session.store.picture(pictures.content_of(data))
        place.unlink()
        with self.assertRaisesRegex(StoreError, "gone"):
            self.session.store.picture(pictures.content_of(data))

    def test_a_sweep_takes_what_no_entry_names(self) -> None:
        kept, orphan = picture(1), picture(2)
        self.add(kept)
        pictures.write_picture(self.folder, orphan)
        (self.folder / "photos" / "ab").mkdir(exist_ok=True)
        (self.folder / "photos" / "ab" / "half.123.part").write_bytes(b"half")
        self.assertEqual(self.session.store.sweep_pictures(), 2)
        self.assertEqual(self.session.store.picture(pictures.content_of(kept)), kept)
        self.assertEqual(self.session.store.sweep_pictures(), 0)

    def test_where_the_picture_can_not_be_written_there_is_no_entry(self) -> None:
        (self.folder / "photos").write_text("in the way")
        with self.assertRaises(StoreError):
            self.add(picture())
        self.assertEqual(job_facts(self.session.store.trail(self.job)).photos, ())

    def test_values_of_an_entry(self) -> None:
        for of in ({"sha256": "x"}, {"width": 0}, {"words": "w" * 100_000}):
            with self.subTest(of), self.assertRaises(ValueError):
                Photo(**{"sha256": "0" * 64, "width": 10, "height": 10, **of})  # type: ignore[arg-type]
        with self.assertRaises(ValueError):
            PhotoMark("ring", 1.2, 0.0, 0.0, 0.0)


KILLED = """
import sys
from tests.test_pictures import picture
from dextrum.core.trail import Photo
from dextrum.store import pictures
from dextrum.store.entries import new_entry
from dextrum.store.jobs import JobStore
from tests.support import START
store = JobStore(sys.argv[1])
print("ready", flush=True)
for k in range(1000):
    data = picture(int(sys.argv[3]) * 1000 + k, 200, 150)
    wide, high = pictures.picture_size(data)
    store.append(sys.argv[2], new_entry(Photo(pictures.content_of(data), wide, high), "Ines", START), pictures=(data,))
    print(pictures.content_of(data), flush=True)
"""


class KilledTest(StoreCase):
    def test_kills_leave_no_entry_without_its_picture_and_no_picture_without_its_entry(self) -> None:
        draw = np.random.default_rng(11)
        said: list[str] = []
        for turn in range(KILLS):
            process = subprocess.Popen([sys.executable, "-c", KILLED, str(self.folder / "jobs.sqlite"), self.job,
                                        str(turn)], stdout=subprocess.PIPE, text=True, cwd=Path(__file__).parent.parent)
            assert process.stdout is not None
            process.stdout.readline()
            try:
                process.wait(float(draw.uniform(0.0, 0.12)))
            except subprocess.TimeoutExpired:
                process.send_signal(signal.SIGKILL)
            said += process.stdout.read().split()
            process.wait()
            process.stdout.close()
        self.session.store.sweep_pictures()
        named = {photo.sha256 for photo, _ in job_facts(self.session.store.trail(self.job)).photos}
        there = {file.stem for file in pictures.pictures_there(self.folder)}
        self.assertEqual(named, there)
        self.assertLessEqual(set(said), named, "what was said to be recorded is there")
        for name in named:
            self.session.store.picture(name)
        self.assertGreater(len(named), 0)


class ZipTest(StoreCase):
    def setUp(self) -> None:
        super().setUp()
        self.data = picture(3)
        self.add(self.data, shows="port")
        self.add(picture(4), shows="after")
        self.session.strike_last(self.job)
        self.place = self.folder / "out.zip"
        self.session.export_job(self.session.store.trail(self.job), self.place)

    def test_without_loss_elsewhere_and_not_twice(self) -> None:
        self.assertTrue(is_job_zip(self.place))
        other = self.opened(self.folder / "other" / "jobs.sqlite")
        taken = other.import_job(self.place)
        self.assertEqual(taken.trail, self.session.store.trail(self.job))
        self.assertEqual(other.store.picture(pictures.content_of(self.data)), self.data)
        self.assertEqual(len(list(pictures.pictures_there(self.folder / "other"))), 2, "the struck one too")
        self.assertEqual(other.import_job(self.place).new, 0)
        again = self.folder / "again.zip"
        other.export_job(taken.trail, again)
        self.assertEqual(again.read_bytes(), self.place.read_bytes(), "the same job, the same zip")
        with self.assertRaises(FileStandsError):
            other.export_job(taken.trail, again)

    def test_a_picture_that_is_gone_stops_the_export_and_leaves_nothing(self) -> None:
        pictures.place_of(self.folder, pictures.content_of(self.data)).unlink()
        with self.assertRaisesRegex(StoreError, "gone"):
            self.session.export_job(self.session.store.trail(self.job), self.folder / "new.zip")
        self.assertEqual([file.name for file in self.folder.glob("*new*")], [])

    def test_hostile_zips_are_refused_and_nothing_is_kept(self) -> None:
        with zipfile.ZipFile(self.place) as archive:
            files = {name: archive.read(name) for name in archive.namelist()}
        name = f"photos/{pictures.content_of(self.data)}.jpg"
        bomb = io.BytesIO()
        with zipfile.ZipFile(bomb, "w", zipfile.ZIP_DEFLATED) as archive:
            archive.writestr("job.json", b"\0" * 80_000_000)
        kinds: dict[str, bytes | dict[str, bytes]] = {
            "no zip": b"nothing", "cut": self.place.read_bytes()[:-40], "bomb": bomb.getvalue(),
            "upwards": {**files, "../../evil.jpg": b"x"}, "more": {**files, "run.sh": b"x"},
            "no job": {name: self.data}, "lacks": {"job.json": files["job.json"]},
            "another picture": {**files, name: picture(9)},
            "with its place": {"job.json": files["job.json"].replace(
                pictures.content_of(self.data).encode(), pictures.content_of(
                    with_segment(self.data, 0xE1, b"Exif")).encode()),
                f"photos/{pictures.content_of(with_segment(self.data, 0xE1, b'Exif'))}.jpg": with_segment(
                    self.data, 0xE1, b"Exif"), **{n: d for n, d in files.items() if n not in ("job.json", name)}}}
        other = self.opened(self.folder / "other" / "jobs.sqlite")
        for words, content in kinds.items():
            place = self.folder / f"{words}.zip"
            if isinstance(content, bytes):
                place.write_bytes(content)
            else:
                with zipfile.ZipFile(place, "w") as archive:
                    for file, data in content.items():
                        archive.writestr(file, data)
            with self.subTest(words), self.assertRaises(ImportRefusedError):
                other.import_job(place)
        self.assertEqual(other.shelf("SLS"), ())
        other.store.sweep_pictures()
        self.assertEqual(list(pictures.pictures_there(self.folder / "other")), [])

    def test_mutated_zips_end_in_words(self) -> None:
        draw = np.random.default_rng(7)
        whole = self.place.read_bytes()
        for turn in range(300):
            data = bytearray(whole)
            for place in draw.integers(0, len(data), 4):
                data[place] = int(draw.integers(256))
            mutated = self.folder / "mutated.zip"
            mutated.write_bytes(bytes(data))
            with self.subTest(turn):
                try:
                    archive = JobZip(mutated)
                    try:
                        list(archive.pictures())
                    finally:
                        archive.close()
                except DextrumError:
                    pass


if __name__ == "__main__":
    unittest.main()
