"""A pack of one's own from nothing on the command line: described, photographed, placed, taught, and judged by."""

from __future__ import annotations

import io
import math
import unittest
from contextlib import redirect_stderr, redirect_stdout
from pathlib import Path
from tempfile import TemporaryDirectory

import cv2
import numpy as np

from dextrum.__main__ import main
from dextrum.app.bench.simbench import UNDESCRIBED, undescribed_library
from dextrum.core.board import Board, Method, Side
from dextrum.core.trail import Access, Cell, JobOpened, Look, Payload, PointReading, Readings, Touched
from dextrum.store.job_file import job_bytes
from dextrum.store.packs import load_pack
from dextrum.world.photograph import from_above, photographed
from tests.support import trail_of


def grip() -> Board:
    return undescribed_library().board(UNDESCRIBED)


class PackByCommandTest(unittest.TestCase):
    def setUp(self) -> None:
        folder = TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.pack = self.folder / "packs" / "unit-b"

    def run_it(self, *words: object, status: int = 0) -> str:
        out, err = io.StringIO(), io.StringIO()
        with redirect_stdout(out), redirect_stderr(err):
            found = main([str(word) for word in ("pack", *words)])
        self.assertEqual(found, status, out.getvalue() + err.getvalue())
        return out.getvalue() + err.getvalue()

    def new(self) -> None:
        self.run_it("new", self.pack.parent, "--model", "Unit", "--revision", "B", "--port", "usb-c-16",
                    "--opens", "back off 6")

    def board(self) -> Board:
        return load_pack(self.pack).board

    def photo(self, side: Side = Side.TOP, share: float = 1.0) -> tuple[Path, np.ndarray]:
        """A photo of the Grip, or of its upper left part, and the board's corners on the whole one."""
        taken, corners = photographed(from_above(grip(), side, 7, pixels_a_mm=40.0), 3)
        high, wide = taken.shape[:2]
        place = self.folder / "photo.png"
        cv2.imwrite(str(place), taken[:round(share * high), :round(share * wide), ::-1])
        return place, corners

    def with_photo(self) -> None:
        self.new()
        place, corners = self.photo()
        across, down = (max(one[axis] for one in grip().outline_mm) for axis in (0, 1))
        self.run_it("photo", self.pack, place, "--corners", " ".join(f"{x:.1f},{y:.1f}" for x, y in corners),
                    "--size", f"{across}x{down}")

    def test_described_and_checked(self) -> None:
        self.new()
        self.assertIn("unit-b", self.run_it("check", self.pack))
        self.assertEqual(len(self.board().port_points), 16)
        self.assertIn("is here already", self.run_it("new", self.pack.parent, "--model", "Unit", "--revision", "B",
                                                     "--port", "usb-c-16", status=1))
        self.assertIn("no kind of port", self.run_it("new", self.pack.parent, "--model", "X", "--port", "round",
                                                     status=1))

    def test_parts_are_placed_together_or_none(self) -> None:
        self.new()
        said = self.run_it("place", self.pack, "F1 VBUS ? at 10 5", "C14 CC2 GND at 12.5 8")
        self.assertIn("C14 placed at 12.5 8.0 mm, top side", said)
        self.assertNotIn("lies on", said)
        self.assertIn("; it lies on C14", self.run_it("place", self.pack, "C16 CC2 GND at 12.6 8.1"))
        there = {part.designator for part in self.board().components}
        self.assertLessEqual({"F1", "C14"}, there)
        wrong = self.run_it("place", self.pack, "C15 CC2 GND at 13 8", "C14 CC2 GND at 12.5 8", status=1)
        self.assertIn("C14 is on the board already", wrong)
        self.assertNotIn("C15", {part.designator for part in self.board().components})
        self.assertIn("has no place", self.run_it("place", self.pack, "C16 CC2 GND", status=1))

    def test_photo_likes_and_a_closer_photo(self) -> None:
        self.with_photo()
        like = next(part for part in grip().components if part.designator == "C5")
        self.run_it("place", self.pack, f"C1 ? ? {like.width_mm}x{like.height_mm} at {like.x_mm} {like.y_mm}",
                    "--side", like.side.value)
        listed = self.run_it("alike", self.pack, "C1").splitlines() if like.side is Side.TOP else []
        if listed:
            self.assertIn("C2", self.run_it("alike", self.pack, "C1", "--take", "1"))
            self.assertIn("no numbers of the list", self.run_it("alike", self.pack, "C1", "--take", "99999", status=1))
        before = (self.pack / "photo-top.jpg").read_bytes()
        place, _ = self.photo(share=0.6)
        self.assertIn("Laid over", self.run_it("photo", self.pack, place))
        self.assertNotEqual((self.pack / "photo-top.jpg").read_bytes(), before)
        place, _ = self.photo(Side.BOTTOM)
        self.assertIn("is it this board", self.run_it("photo", self.pack, place, status=1))

    def test_a_photo_by_the_places_of_four_points(self) -> None:
        self.with_photo()
        place = self.folder / "grey.png"
        cv2.imwrite(str(place), np.full((300, 400, 3), 90, np.uint8))
        points = "10,10 390,10 390,290 10,290"
        said = self.run_it("photo", self.pack, place, "--corners", points, "--places", "3 2; 12 2; 12 8.6; 3 8.6")
        self.assertIn("Laid over", said)
        self.assertIn("2 places for", self.run_it("photo", self.pack, place, "--corners", points, "--places",
                                                  "3 2; 12 2", status=1))
        self.assertIn("are no points", self.run_it("photo", self.pack, place, "--corners", "10 10", "--places",
                                                   "3 2; 12 2", status=1))

    def test_a_good_unit_teaches_references_and_nets(self) -> None:
        self.new()
        self.run_it("place", self.pack, "C14 ? GND at 12.5 8")
        points = [p for p in self.board().port_point_ids() if "/" not in p]
        volts = {p: 0.001 if "GND" in self.board().net_of(p) else 0.4 + 0.01 * k for k, p in enumerate(points)}
        cc = next(p for p in points if self.board().net_of(p) == "CC1")
        payloads: list[Payload] = [JobOpened("G-1", "Unit", "unit-b"), Look(("clean",)), Cell("unplugged"),
                                   Access("back_off"), Readings(Method.DIODE_RED_GROUND, tuple(
                                       PointReading(p, v) for p, v in {**volts, "C14.1": volts[cc]}.items()), "M1"),
                                   *(Touched("C14.1", cc, True) for _ in range(2))]
        job = self.folder / "good.json"
        job.write_bytes(job_bytes(trail_of(*payloads)))
        said = self.run_it("learn", self.pack, job)
        self.assertIn("readings of G-1 are references now", said)
        pack = load_pack(self.pack)
        self.assertGreaterEqual(len(pack.known_good), len(points))
        self.assertEqual(pack.board.net_of("C14.1"), "CC1")
        self.assertEqual(len(load_pack(self.pack).known_good), len(pack.known_good))
        other = self.folder / "other.json"
        other.write_bytes(job_bytes(trail_of(JobOpened("G-2", "Duo", "tarnwick-duo-c"), *payloads[1:])))
        self.assertIn("is of the pack tarnwick-duo-c", self.run_it("learn", self.pack, other, status=1))
        nothing = self.folder / "nothing.json"
        nothing.write_bytes(job_bytes(trail_of(payloads[0])))
        self.assertIn("Nothing was read", self.run_it("learn", self.pack, nothing, status=1))
        self.assertTrue(math.isfinite(sum(r.value for r in pack.known_good)))

    def test_a_pack_that_ships_or_is_called_otherwise_is_left_alone(self) -> None:
        self.new()
        self.pack.rename(self.pack.with_name("mine"))
        self.assertIn("is not called as its pack", self.run_it("place", self.pack.with_name("mine"), "F1 ? ? at 9 5",
                                                               status=1))


if __name__ == "__main__":
    unittest.main()
