"""A photo of a board taken into its pack on the command line."""

from __future__ import annotations

from collections.abc import Iterable
from functools import partial
from pathlib import Path

from PySide6.QtCore import QPointF

from dextrum.app.packmaking.by_command import own_pack, refused
from dextrum.app.packmaking.photo_layers import LiesOn, found_on_photo
from dextrum.core.board import Side
from dextrum.core.packmaking.first_rung import resized
from dextrum.core.packmaking.photo_fit import parse_known
from dextrum.desktop.frame.picture_file import as_jpeg, read_photo
from dextrum.desktop.packmaking.over_kept import laid_over_kept, lies_by_places, lies_on_kept
from dextrum.desktop.packmaking.photo import fitted, fitted_by_places, parse_size, set_right
from dextrum.errors import EntryRefusedError
from dextrum.tongue import tr


def lay_photo(folder: Path, photo: Path, side: str, corners: str, size: str, places: str) -> Iterable[str]:
    """A photo under the plan: by its four corners and the board's size; over the one that is kept by the places of four
    points or more; or, with neither, where both show the same. corners: 'x,y x,y …' in pixels, as far as there are.
    Raises EntryRefusedError, ImportRefusedError, StoreError."""

    library, board = own_pack(folder)
    shown, image = Side(side), read_photo(photo)
    try:
        points = [QPointF(*map(float, point.split(","))) for point in corners.split()]
    except (TypeError, ValueError):
        raise refused(ValueError(tr("{corners!r} are no points; expected pixels, such as 120,80 2900,95",
                                     corners=corners[:30]))) from None
    mirrored = shown is Side.BOTTOM
    if points and size:
        size_mm = parse_size(size)
        right = set_right(image, tuple(points[:4]), *size_mm, fitted(tuple(points), size_mm, mirrored=mirrored))
        library.keep(resized(board, *size_mm), {shown: as_jpeg(right)})
        yield tr("Photo of the {side} side kept: it lies under the plan (Alt+4).{fits}", side=tr(side), fits="")
        return
    kept = {one: partial(library.photo, board.pack_id, one) for one in sorted(Side, key=lambda one: one is not shown)
            if library.has_photo(board.pack_id, one)}
    if points:
        wide, high = (max(place[axis] for place in board.outline_mm) for axis in (0, 1))
        try:
            fit = fitted_by_places(points, parse_known(places, len(points), {}), (wide, high), mirrored)
        except ValueError as problem:
            raise refused(problem) from None
        lies: LiesOn | None = None
    else:
        lies = lies_on_kept(kept, image)
        told = found_on_photo(lies, shown, tuple(kept))
        if lies is None or told.odd:
            raise EntryRefusedError(told.words or tr("No photo of this board is kept that it could lie on."),
                                    tr("Nothing was changed."), tr("Corners and size put it in that one's place."))
        yield told.words
    if shown not in kept:
        raise EntryRefusedError(tr("No photo of this board is kept that it could lie on."), tr("Nothing was changed."),
                                tr("First one that shows the side from corner to corner."))
    library.keep(board, {shown: laid_over_kept(kept[shown](), image, lambda one, other: lies or lies_by_places(
        shown, fit, (wide, high), one, other))})
    yield tr("Laid over the photo of the {side} side.", side=tr(side))
