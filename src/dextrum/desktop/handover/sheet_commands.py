"""What the commands of paper do: the owner's sheet, the shelf's, the label, and what the shop has on them."""

from __future__ import annotations

import base64
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

from dextrum.app.handover.shop_paper import MARK_BEGINS, MOST_DAYS, PAPERS, ShopPaper, set_shop_paper, shop_paper
from dextrum.errors import DextrumError
from dextrum.store.files import safe_name, write_beside
from dextrum.tongue import ENGLISH, LANGUAGES, tongue, tr

if TYPE_CHECKING:
    from dextrum.app.handover.handover import Sheet
    from dextrum.desktop.frame.window import MainWindow

MARK_PIXELS = 132
"""Height of the shop's mark as it is kept: three times what it has on the sheet."""
Make = Callable[[Path, bool], None]


class SheetCommands:
    """Handlers by command id."""

    def __init__(self, window: MainWindow) -> None:
        self.window, self.model = window, window.model
        self.handlers: dict[str, Callable[[], None]] = {
            "sheet.pdf": self.owner_pdf, "sheet.html": self.owner_html, "sheet.shelf": self.shelf_pdf,
            "sheet.shelf_html": self.shelf_html, "sheet.label": self.label, "shop.paper": self.set_up}

    def _sheet(self, language: str = ENGLISH) -> Sheet:
        sheet = self.window.views.handover.sheet(language)
        if sheet is None:
            raise DextrumError(tr("There is no board pack for this job, so there is no sheet."))
        return sheet

    def _ask(self, words: str, suffix: str, make: Callable[[], Make]) -> None:
        """make: gathers on the window's thread what is then written beside it."""
        def begin(path: Path, over: bool) -> str:
            write = make()

            def work(_told: Callable[[float], bool]) -> object:
                write(path, over)
                return path.name

            return self.window.long_work.run(words, work, lambda name: self.window.trail.say(tr("Written: {name}",
                                                                                                name=name)),
                                             False)

        self.window.commands.ask_file_for(tr("{words}: to",
                                             words=words), safe_name(self.model.facts.serial, suffix), begin)

    def owner_pdf(self) -> None:
        def make() -> Make:
            from dextrum.app.handover.handover import sheet_html

            shop = self._paper()
            html = sheet_html(self._sheet(shop.language), language=shop.language)
            title = f"{self.model.facts.serial} {tongue(shop.language).say('hand-over')}"

            def write(path: Path, over: bool) -> None:
                from dextrum.desktop.handover.pdf import write_pdf

                write_pdf(html, path, title, over, shop.paper, shop.language)

            return write

        self._ask(tr("Write the sheet"), ".pdf", make)

    def owner_html(self) -> None:
        def make() -> Make:
            from dextrum.app.handover.handover import sheet_html

            language = self._paper().language
            html = sheet_html(self._sheet(language), language=language)
            return lambda path, over: write_beside(path, html.encode("utf-8", "replace"), over)

        self._ask(tr("Write the sheet"), ".html", make)

    def _shelf(self) -> Callable[[], str]:
        """What makes the shelf's sheet, beside the window."""
        from dextrum.app.handover.label import code_of

        sheet, model = self._sheet(), self.model
        board, references, trail, job_id = model.board, model.references, model.trail, model.job_id
        if board is None or references is None:
            raise DextrumError(tr("There is no board pack for this job, so there is no sheet."))
        picture = model.session.store.picture

        def html() -> str:
            from dextrum.app.handover.handover import sheet_html
            from dextrum.app.handover.shelf_sheet import with_shelf

            return sheet_html(with_shelf(sheet, board, references, trail, picture, code_of(job_id)), "shelf.html")

        return html

    def shelf_pdf(self) -> None:
        def make() -> Make:
            html, title, paper = self._shelf(), tr("{serial} for the shelf",
                                                   serial=self.model.facts.serial), self._paper().paper

            def write(path: Path, over: bool) -> None:
                from dextrum.desktop.handover.pdf import write_pdf

                write_pdf(html(), path, title, over, paper)

            return write

        self._ask(tr("Write the shelf's sheet"), tr(" shelf") + ".pdf", make)

    def shelf_html(self) -> None:
        def make() -> Make:
            html = self._shelf()
            return lambda path, over: write_beside(path, html().encode("utf-8", "replace"), over)

        self._ask(tr("Write the shelf's sheet"), tr(" shelf") + ".html", make)

    def label(self) -> None:
        def make() -> Make:
            from dextrum.app.handover.label import good_parts, label_of

            good: tuple[str, ...] = ()
            if self.model.board is not None and self.model.assessment is not None:
                good = good_parts(self.model.board, self.model.assessment.chance_by_part)
            label, paper = label_of(self.model.job_id, self.model.facts, good), self._paper().paper

            def write(path: Path, over: bool) -> None:
                from dextrum.desktop.handover.pdf import ROLLS_MM, write_label

                write_label(label, path, over, paper if paper in ROLLS_MM else "roll62")

            return write

        self._ask(tr("Write the label"), " label.pdf", make)

    def _paper(self) -> ShopPaper:
        return shop_paper(self.window.session.store)

    def set_up(self) -> None:
        """Name, address, terms, days, paper: one after the other, each kept at once."""
        from PySide6.QtCore import QTimer

        store, back = self.window.session.store, self.window.focusWidget()
        steps: list[tuple[str, str, tuple[tuple[str, str], ...]]] = [
            (tr("Name of the shop, on top of the sheets"), "name", ()),
            (tr("Its address, in one line"), "address", ()),
            (tr("Terms, as they stand at the end of the owner's sheet"), "terms", ()),
            (tr("Days for which the shop stands for a repair; 0 says nothing of it"), "days", ()),
            (tr("Paper"), "paper", tuple(PAPERS.items())),
            (tr("Language of what an owner reads"), "language", tuple(LANGUAGES.items())),
            (tr("Its mark, as a picture file; a dash for none, empty for the one it has"), "mark", ())]

        def ask(k: int) -> None:
            if k == len(steps):
                self.window.trail.say(tr("The sheets carry it from now on."))
                self.model.changed.emit()
                return
            words, field, choices = steps[k]
            paper = shop_paper(store)
            now = "" if field == "mark" else str(getattr(paper, field))

            def answer(text: str, choice: str) -> str:
                value: str | int = choice if choices else text.strip()
                if field == "days":
                    if not text.strip().isdecimal() or len(text.strip()) > len(str(MOST_DAYS)):
                        return tr("A number of days, such as 90; 0 for none.")
                    value = int(text)
                try:
                    if field == "mark":
                        value = paper.mark if not text.strip() else _mark_from(text.strip())
                    set_shop_paper(store, replace(shop_paper(store), **{field: value}))  # type: ignore[arg-type]
                except DextrumError as problem:
                    return f"{problem.happened} {problem.next_step}"
                QTimer.singleShot(0, self.window, lambda: ask(k + 1))
                return ""

            if choices:
                self.window.ask.choose(words, answer, tuple(sorted(choices, key=lambda one: one[0] != now)), back)
            else:
                self.window.ask.ask(words, answer, now, (), back)

        ask(0)


def _mark_from(text: str) -> str:
    """The picture of a file as it stands on a sheet; a dash is none. Raises ImportRefusedError."""
    from PySide6.QtCore import QBuffer, QByteArray, QIODevice, Qt

    from dextrum.desktop.frame.picture_file import read_photo

    if text == "-":
        return ""
    image = read_photo(Path(text).expanduser())
    if image.height() > MARK_PIXELS:
        image = image.scaledToHeight(MARK_PIXELS, Qt.TransformationMode.SmoothTransformation)
    data = QByteArray()
    buffer = QBuffer(data)
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    image.save(buffer, "PNG")  # type: ignore[call-overload]
    return MARK_BEGINS + base64.b64encode(bytes(data.data())).decode("ascii")
