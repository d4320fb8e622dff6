"""Parts of an own board that look like one that was placed, found on its photo and kept once they are accepted."""

from __future__ import annotations

from collections.abc import Sequence

from dextrum.app.library.library import PackLibrary
from dextrum.core.board import Board, Component
from dextrum.core.packmaking.likes import PhotoOverBoard, PlaceOfLike, with_likes
from dextrum.errors import EntryRefusedError
from dextrum.tongue import tr


def part_to_compare(board: Board, designator: str) -> Component:
    """Raises EntryRefusedError where no such part was placed."""
    part = board.component_by_designator.get(designator.strip().upper())
    if part is None or part.undescribed:
        raise EntryRefusedError(tr("{designator} is no part on the plan.",
                                   designator=designator.strip()[:12] or tr("Nothing")),
                                tr("Nothing was sought."),
                                tr("Place one of them first, over the photo."))
    return part


def find_likes(library: PackLibrary, board: Board, part: Component) -> tuple[PlaceOfLike, ...]:
    """Places on the photo of the part's side that look like it, likeliest first; off the window's thread, since it
    takes a second or so. Raises EntryRefusedError where there is no photo, or the part is too small on it."""
    import cv2
    import numpy as np

    from dextrum.core.packmaking.alike import alike

    data = library.photo(board.pack_id, part.side)
    if not data:
        raise EntryRefusedError(tr("This pack has no photo of the {side} side.",
                                   side=tr(part.side.value)), tr("Nothing was looked for."),
                                tr("Photo… on the page Pack takes one."))
    read = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_COLOR)
    if read is None:
        raise EntryRefusedError(tr("The photo of the {side} side can't be read.",
                                   side=tr(part.side.value)), tr("It was left as it is."),
                                tr("Take it in once more: Photo… on the page Pack."))
    picture = np.ascontiguousarray(read[:, :, ::-1]).astype(np.uint8, copy=False)
    over = PhotoOverBoard(board, part.side, picture.shape[1], picture.shape[0])
    there = [over.pixel(one.x_mm, one.y_mm) for one in board.components
             if one.side is part.side and not one.undescribed and one is not part]
    try:
        found = alike(picture, over.pixel(part.x_mm, part.y_mm), over.size(part.width_mm, part.height_mm), there)
    except ValueError as problem:
        raise EntryRefusedError(f"{part.designator}: {problem}.".replace("; expected", ": expected"),
                                tr("Nothing was looked for.")) from problem
    return tuple(PlaceOfLike(*over.place(one.x, one.y), one.turned, one.likeness) for one in found)


def keep_likes(library: PackLibrary, board: Board, part: Component, taken: Sequence[PlaceOfLike]) -> Board:
    """The pack with the accepted ones, written. Raises EntryRefusedError, StoreError, PackError."""
    try:
        grown = with_likes(board, part, taken)
    except ValueError as problem:
        raise EntryRefusedError(
            f"{problem}.".replace("; expected", ": expected"), tr("Nothing was placed.")
        ) from problem
    library.keep(grown)
    return grown
