"""The guide in a window of its own: pages with pictures, and a search over all of them."""

from __future__ import annotations

from html import escape

from PySide6.QtCore import QUrl
from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QPushButton, QTextBrowser, QVBoxLayout, QWidget

from dextrum.app.guide import folder, search
from dextrum.desktop.theme import look
from dextrum.tongue import tr


class GuideWindow(QWidget):
    def __init__(self) -> None:
        super().__init__()
        self.setWindowTitle(tr("Dextrum: guide"))
        self.setObjectName("bench")
        self.browser = QTextBrowser()
        self.browser.setOpenExternalLinks(False)
        self.browser.setSearchPaths([str(folder())])
        self.browser.setAccessibleName(tr("Guide"))
        self.field = QLineEdit()
        self.field.setPlaceholderText(tr("search the guide"))
        self.field.setAccessibleName(tr("Search the guide"))
        self.field.textChanged.connect(self._search)
        self.contents, self.back = QPushButton(tr("Contents")), QPushButton(tr("Back"))
        self.contents.clicked.connect(lambda: self.open("index"))
        self.back.clicked.connect(self.browser.backward)
        self.browser.backwardAvailable.connect(self.back.setEnabled)
        self.back.setEnabled(False)
        line = QHBoxLayout()
        line.addWidget(self.field, 1)
        line.addWidget(self.contents)
        line.addWidget(self.back)
        column = QVBoxLayout(self)
        column.addLayout(line)
        column.addWidget(self.browser, 1)
        self.resize(look.px(680), look.px(760))
        QShortcut(QKeySequence("Esc"), self, self.close)
        self.page = ""

    def open(self, page: str) -> None:
        """Show a page by name."""
        self.page = page
        self.field.blockSignals(True)
        self.field.clear()
        self.field.blockSignals(False)
        self.browser.document().setDefaultStyleSheet(
            f"body, td, li, p {{ color: {look.theme.ink}; font-size: {look.px(14)}px; }}"
            f"h1 {{ font-size: {look.px(22)}px; }} a {{ color: {look.theme.below}; }}")
        self.browser.setSource(QUrl.fromLocalFile(str(folder() / f"{page}.html")))
        self.show()
        self.raise_()
        self.activateWindow()

    def _search(self, words: str) -> None:
        if not words.strip():
            self.open(self.page or "index")
            self.field.setFocus()
            return
        found = search(words)
        rows = "".join(f'<p><a href="{one.page}.html"><b>{escape(one.title)}</b></a><br>{escape(one.words)}</p>'
                       for one in found)
        self.browser.setHtml(rows or tr("<p>No page has all these words.</p>"))
