"""Packs by id, and the models made from them, each made once and shared between threads."""

from __future__ import annotations

import threading
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

from dextrum.app.places import shipped
from dextrum.core.advice.rates import ShopRates
from dextrum.core.board import Board
from dextrum.core.reference.known_good import KnownGoodReading
from dextrum.core.reference.sister import with_sisters
from dextrum.core.reference.table import ReferenceTable, build_reference_table
from dextrum.errors import DextrumError, ImportRefusedError
from dextrum.store.files import read_bounded, write_beside
from dextrum.store.packs.pack_files import Pack, load_board, load_known_good
from dextrum.store.packs.pack_source import MOST_TOTAL_BYTES, finish_writing, read_pack_files
from dextrum.tongue import tr

if TYPE_CHECKING:
    from dextrum.core.advice.advice_model import AdviceModel
    from dextrum.core.reference.overview import LibraryOverview


FALSE_ALARM_PER_SCAN = 0.05
Shop = Callable[[str], tuple[Sequence[KnownGoodReading], frozenset[str]]]


def _nothing_of_the_shop(_pack_id: str) -> tuple[Sequence[KnownGoodReading], frozenset[str]]:
    return (), frozenset()


AT = "@"
"""Between a pack's id and the version of it that a job stays on."""


def base_of(pack_id: str) -> str:
    """The id without a version."""
    return pack_id.partition(AT)[0]


class PackLibrary:
    """Packs found in folders, each a folder or zip named after its pack id. Later folders win."""

    def __init__(self, folders: Sequence[Path] = (), rates: ShopRates | None = None, kept: Path | None = None) -> None:
        """kept: folder of what was worked out before; nothing is kept without one."""
        self._kept = kept
        self._own = folders[-1] if folders else None
        # The shop's recipes lie beside its packs.
        self.recipes = self._own.parent / "recipes" if self._own is not None else None
        self.rates = rates or ShopRates()
        self.prices: Mapping[str, Mapping[str, float]] = {}
        self.learned: Mapping[str, Mapping[str, float]] = {}
        self.assumed: Mapping[str, float] = {}
        self._places: dict[str, Path] = {}
        for folder in (shipped() / "packs", *folders):
            if folder.is_dir():
                if folder == self._own:
                    finish_writing(folder)
                for place in sorted(folder.iterdir()):
                    if place.name.startswith("."):
                        continue
                    if place.is_dir() or place.suffix == ".zip":
                        self._places[place.stem] = place
        self._boards: dict[str, Board] = {}
        self._packs: dict[str, Pack] = {}
        self._references: dict[tuple[str, str], ReferenceTable] = {}
        self._models: dict[tuple[str, str], AdviceModel] = {}
        self._priced: dict[tuple[str, str], tuple[ShopRates, Mapping[str, float]]] = {}
        """By which rates and prices each of the models was made."""
        self._at_version: dict[tuple[str, str], str] = {}
        self._shop: Shop = _nothing_of_the_shop
        self.before_change: Callable[[str], None] = lambda pack_id: None
        """Told of a pack of the shop's own that is about to change, before it does."""
        self.reference_meter = ""
        self.false_alarm = FALSE_ALARM_PER_SCAN
        self._lock = threading.RLock()
        self._model_lock = threading.Lock()
        self._generation = 0

    def use_shop(self, shop: Shop, reference_meter: str = "", false_alarm: float = FALSE_ALARM_PER_SCAN) -> None:
        """What the shop has added, and which boards it has taken out, by pack id; everything is judged anew.

        reference_meter: the one that all meters are compared with; by default the one with most readings. false_alarm:
        the share of scans of a good board in which a reading may be called off.
        """
        self._shop = shop
        self.reference_meter = reference_meter
        self.false_alarm = false_alarm
        self.judge_anew()

    @property
    def has_shop(self) -> bool:
        """Whether it judges by what a shop has added or set."""
        return self._shop is not _nothing_of_the_shop or self.false_alarm != FALSE_ALARM_PER_SCAN

    def leave_shop(self) -> None:
        """Judge by the packs alone: another job file is open, and it has no library of its own."""
        self.use_shop(_nothing_of_the_shop)

    def use_rates(self, rates: ShopRates, prices: Mapping[str, Mapping[str, float]]) -> None:
        """What time and parts cost in this shop; repairs are priced anew where that has changed. prices: by pack id and
        part, where they differ from the pack's."""
        self.rates, self.prices = rates, prices

    def use_learned(self, learned: Mapping[str, Mapping[str, float]]) -> None:
        """How often parts fail in this shop, as factors on the pack's rates, by pack and part."""
        if learned != self.learned:
            self.learned = learned
            self._weigh_anew()

    def use_assumed(self, assumed: Mapping[str, float]) -> None:
        """What this shop states in place of what is assumed, by name."""
        if assumed != self.assumed:
            self.assumed = assumed
            self._weigh_anew()

    def _weigh_anew(self, pack_id: str = "") -> None:
        """Forget the models of a pack, or of all. Does not wait for one that is being made: it is not kept then."""
        self._generation += 1
        self._models = {k: v for k, v in self._models.items() if pack_id and base_of(k[0]) != pack_id}

    def judge_anew(self, pack_id: str = "") -> None:
        """Forget what was made from the readings of a pack, or of all: they have changed."""
        self._at_version = {}
        with self._lock:
            self._packs = {k: v for k, v in self._packs.items() if pack_id and base_of(k) != pack_id}
            self._references = {k: v for k, v in self._references.items()
                                if pack_id and base_of(k[0]) != pack_id}
        self._weigh_anew(pack_id)

    def take_in(self, pack_id: str, meter: str) -> None:
        """Judge by what the shop has added to a pack. Made ready before it takes the place of what was there, so that
        nobody waits for it; call it off the window's thread."""
        pack = self._make_pack(pack_id)
        table = self._make_references(pack, meter)
        with self._lock:
            self._packs[pack_id] = pack
            self._references = {k: v for k, v in self._references.items() if k[0] != pack_id}
            self._references[pack_id, meter] = table
        self._weigh_anew(pack_id)

    def add_pack(self, path: Path) -> str:
        """Take a board pack in, from a zip: checked first, then kept beside the shop's data. Says what came of it.

        Raises PackError, ImportRefusedError, and FileStandsError where another pack of this name is kept already.
        """
        pack_id = load_board(path).pack_id
        if self._own is None:
            raise ImportRefusedError(tr("This library has no folder of its own."), tr("Nothing was taken in."))
        place = self._own / f"{pack_id}.zip"
        data = read_bounded(path, MOST_TOTAL_BYTES)
        if place.exists() and place.read_bytes() == data:
            return tr("{pack_id}: already here, nothing in it is new", pack_id=pack_id)
        if pack_id in self._places:
            raise ImportRefusedError(
                tr("A pack named {pack_id} is here already, and another one.", pack_id=pack_id),
                tr("The one that is here was kept."),
                tr("Give the new one another revision and id."),
            )
        self._own.mkdir(parents=True, exist_ok=True)
        write_beside(place, data)
        with self._lock:
            self._places[pack_id] = place
        return tr("Board pack taken in: {pack_id}", pack_id=pack_id)

    def photo(self, pack_id: str, shows: str) -> bytes:
        """The photo of one side of a board, or of the case, as JPEG, set right to its outline; empty where there is
        none. shows: a side, or CASE."""
        place = self._places.get(pack_id)
        if place is None:
            return b""
        name = f"photo-{shows}.jpg"
        if place.is_dir():
            return read_bounded(place / name, MOST_TOTAL_BYTES) if (place / name).is_file() else b""
        return read_pack_files(place).get(name, b"")

    def has_photo(self, pack_id: str, shows: str) -> bool:
        """Whether there is one of that side, without reading it where the pack is a folder."""
        place = self._places.get(pack_id)
        if place is not None and place.is_dir():
            return (place / f"photo-{shows}.jpg").is_file()
        return bool(self.photo(pack_id, shows))

    def keep(self, board: Board, photos: Mapping[str, bytes] | None = None,
             known_good: Sequence[KnownGoodReading] | None = None) -> None:
        """Write a pack of the shop's own, new or grown; it is judged by from now on. photos: as JPEG, by side or CASE,
        beside those it has; known_good: in place of those it has. Raises ImportRefusedError where this library has no
        folder of its own or the pack came with the program, PackError where it could not be opened again (nothing is
        written then), StoreError."""
        place = self._places.get(board.pack_id)
        if self._own is None or (place is not None and place.parent != self._own):
            raise ImportRefusedError(tr("{pack_id} is no pack of this shop's own.",
                                        pack_id=board.pack_id), tr("It was left as it is."),
                                     tr("Make one of your own under another revision."))
        from dextrum.store.packs.pack_files import checked_board
        from dextrum.store.packs.pack_writer import pack_files_of, write_pack_folder

        known: Sequence[KnownGoodReading] = known_good or ()
        if known_good is None and place is not None:
            known, _ = load_known_good(place, board)
        pictures = {f"photo-{shows}.jpg": data for shows, data in (photos or {}).items()}
        files = pack_files_of(board, known)
        checked_board(files)
        if place is not None:
            self.before_change(board.pack_id)
        written = write_pack_folder(self._own, board.pack_id, {**files, **pictures})
        with self._lock:
            self._places[board.pack_id] = written
            self._boards[board.pack_id] = board
        self.judge_anew(board.pack_id)

    def take_step(self, pack_id: str, back: bool) -> bool:
        """The shop's own pack as it was a step before, or the step taken back once more. False where there is none.
        Raises ImportRefusedError for a pack that came with the program, StoreError."""
        from dextrum.store.packs.pack_writer import step_again, step_back

        if self._own is None or not self.is_own(pack_id):
            raise ImportRefusedError(tr("{pack_id} is no pack of this shop's own.",
                                        pack_id=pack_id), tr("It was left as it is."))
        self.before_change(pack_id)
        with self._lock:
            taken = (step_back if back else step_again)(self._own, pack_id)
            self._boards.pop(pack_id, None)
        self.judge_anew(pack_id)
        return taken

    def is_own(self, pack_id: str) -> bool:
        """Whether a pack is the shop's own, and may grow."""
        place = self._places.get(pack_id)
        return place is not None and self._own is not None and place.parent == self._own

    def ids(self) -> tuple[str, ...]:
        return tuple(self._places)

    def board(self, pack_id: str) -> Board:
        """Raises ImportRefusedError when there is no such pack, PackError when it is not sound."""
        with self._lock:
            if pack_id not in self._boards:
                self._boards[pack_id] = self._read_board(self._place(pack_id))
            return self._boards[pack_id]

    def _read_board(self, place: Path) -> Board:
        if self._kept is None:
            return load_board(place)
        from dextrum.app.library.kept_boards import KeptBoards

        return KeptBoards(self._kept).board(place)

    def pack(self, pack_id: str) -> Pack:
        """Board and readings. The readings are only read when something is to be judged."""
        with self._lock:
            if pack_id not in self._packs:
                self._packs[pack_id] = self._make_pack(pack_id)
            return self._packs[pack_id]

    def _make_pack(self, pack_id: str) -> Pack:
        board = self.board(pack_id)
        shipped_with, left_out = load_known_good(self._place(pack_id), board)
        added, out = self._shop(base_of(pack_id))
        fit = tuple(r for r in added if r.point in board.point_by_id
                    and r.method in board.point_by_id[r.point].methods)
        kept = tuple(r for r in (*shipped_with, *fit) if r.board_serial not in out)
        return Pack(board, kept, left_out)

    def keep_version(self, pack_id: str) -> str:
        """Keep a pack of the shop's own as it is now, for jobs that stay on it; its version, empty for other packs.
        Raises StoreError."""
        from dextrum.store.packs.pack_versions import keep_version

        return keep_version(self._own, pack_id) if self._own is not None and self.is_own(pack_id) and self._place(
            pack_id).is_dir() else ""

    def at_version(self, pack_id: str, version: str) -> str:
        """The name by which a state of a pack is asked for here: the pack's own where it is that one, or is not
        kept."""
        from dextrum.store.packs.pack_versions import version_of, version_place

        if not version or self._own is None or pack_id not in self._places:
            return pack_id
        key = pack_id, version
        if key not in self._at_version:
            # Asked for at every look at a command; the files are read once for each state of the pack.
            found = f"{pack_id}{AT}{version}" if version_place(self._own, pack_id, version) is not None else pack_id
            try:
                if self._place(pack_id).is_dir() and version_of(self._place(pack_id)) == version:
                    found = pack_id
            except OSError:
                return pack_id
            self._at_version[key] = found
        return self._at_version[key]

    def _place(self, pack_id: str) -> Path:
        base, _, version = pack_id.partition(AT)
        if version and self._own is not None:
            from dextrum.store.packs.pack_versions import version_place

            kept = version_place(self._own, base, version)
            if kept is not None:
                return kept
        place = self._places.get(base)
        if place is None:
            raise ImportRefusedError(tr("There is no board pack {pack_id!r} here.", pack_id=pack_id),
                                     tr("The job and its trail are kept."),
                                     tr("Put the pack into the packs folder and open the job again."))
        return place

    def meters(self, pack_id: str) -> tuple[str, ...]:
        """Meters that have read known-good boards of this pack; the one in hand need not be among them."""
        return tuple(sorted({reading.meter for reading in self.pack(pack_id).known_good}))

    def short_names(self) -> dict[str, str]:
        """Pack id to its model's short name, of the packs read so far."""
        with self._lock:
            return {pack_id: board.short_name for pack_id, board in self._boards.items()}

    def models_offered(self) -> tuple[tuple[str, str], ...]:
        """(pack id, model name) of every pack that loads, for the new-job line."""
        found = []
        for pack_id in self.ids():
            try:
                found.append((pack_id, self.board(pack_id).model))
            except DextrumError:
                continue
        return tuple(found)

    def references(self, pack_id: str, meter: str) -> ReferenceTable:
        """Quick to make (no circuit is solved), so a reading can be judged before the model stands."""
        with self._lock:
            key = (pack_id, meter)
            if key not in self._references:
                self._references[key] = self._make_references(self.pack(pack_id), meter)
            return self._references[key]

    def has_references(self, pack_id: str, meter: str) -> bool:
        """Whether they are made already, so that asking for them takes no time."""
        return (pack_id, meter) in self._references

    def _make_references(self, pack: Pack, meter: str) -> ReferenceTable:
        table = replace(build_reference_table(pack.board, pack.known_good, meter, self.reference_meter),
                        false_alarm=self.false_alarm)
        return with_sisters(pack.board, table, self._sisters(pack.board, meter))

    def overview(self, pack_id: str, meter: str) -> LibraryOverview:
        """What is known of a board, as this meter sees it. Grows with the library; call it off the window's thread."""
        from dextrum.core.reference.overview import library_overview

        pack, table = self.pack(pack_id), self.references(pack_id, meter)
        return library_overview(pack.board, pack.known_good, table, self.reference_meter)

    def _sisters(self, board: Board, meter: str) -> list[tuple[Board, ReferenceTable]]:
        """Sister revisions that are here, with what their own boards read."""
        found = []
        for name in board.sisters:
            try:
                pack = self.pack(name)
            except DextrumError:
                continue
            found.append((pack.board, build_reference_table(pack.board, pack.known_good, meter, self.reference_meter)))
        return found

    def _as_stated(self, board: Board) -> Board:
        """The board with what this shop states of its own bench."""
        if not self.assumed:
            return board
        from dextrum.core.assumptions.stated import with_shop

        return replace(board, assumed=with_shop(board, self.assumed))

    def advice_model(self, pack_id: str, meter: str) -> AdviceModel:
        """Takes about a second the first time; call it off the window's thread."""
        from dextrum.app.library.kept_models import KeptModels
        from dextrum.app.rework.solved_reach import SolvedReach
        from dextrum.core.advice.recommend import at_rates, build_advice_model
        from dextrum.core.diagnosis.model import build_model

        # A lock of its own: the window must get at boards and references while a model is being made.
        with self._model_lock:
            key, generation = (pack_id, meter), self._generation
            rates, prices = self.rates, self.prices.get(base_of(pack_id), {})
            made = self._models.get(key)
            if made is not None and self._priced.get(key) == (rates, prices):
                return made
            if made is not None:
                made = at_rates(made, rates, prices)
            else:
                board, table = self._as_stated(self.board(pack_id)), self.references(pack_id, meter)
                learned, reach = self.learned.get(base_of(pack_id)), SolvedReach(board, self.recipes)
                kept = KeptModels(self._kept) if self._kept is not None else None
                place = kept.place_of(board, table, learned) if kept is not None else Path()
                made = kept.read(place, board, table, rates, prices, reach) if kept is not None else None
                if made is None:
                    made = build_advice_model(build_model(board, table, learned, reach), rates, prices)
                    if kept is not None:
                        kept.keep(place, made)
                else:
                    made.model.warm()
            if generation == self._generation:
                self._models = {**self._models, key: made}
                self._priced = {**self._priced, key: (rates, prices)}
            return made
