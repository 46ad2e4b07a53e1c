"""The handbook as a window: the pages at the left, the chosen one beside them, a field that searches all."""

from __future__ import annotations

from PySide6.QtCore import QSize, Qt, QUrl
from PySide6.QtGui import QTextCursor, QTextDocument
from PySide6.QtWidgets import QHBoxLayout, QLabel, QLineEdit, QListWidget, QTextBrowser, QVBoxLayout, QWidget

from irvane.core.handbook import PAGES, Page, page, pages, pages_folder
from irvane.desktop import theme
from irvane.desktop.finder.search import Entry, search

_LIST = 300
#: Pixels between paragraphs, and above headings.
_APART, _ABOVE = 7, 12
_STYLE = f"a {{ color: {theme.ACCENT.name()}; }} li {{ margin-bottom: 3px; }}"


class HandbookWindow(QWidget):
    """Shows pages; what is searched for is found in all of them and marked in the one shown."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Window)
        self.setWindowTitle("Handbook")
        self.resize(1120, 700)
        self.search = QLineEdit()
        self.search.setPlaceholderText("Search the handbook")
        self.search.setAccessibleName("Search the handbook")
        self.search.setClearButtonEnabled(True)
        self.search.textChanged.connect(self._seek)
        self.search.returnPressed.connect(self._next)
        self.list = QListWidget()
        self.list.setAccessibleName("Pages")
        self.list.setFixedWidth(_LIST)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setSpacing(2)
        self.list.currentRowChanged.connect(self._choose)
        self.count = QLabel()
        self.count.setObjectName("muted")
        self.text = QTextBrowser()
        self.text.setAccessibleName("The page")
        self.text.setOpenLinks(False)
        self.text.setSearchPaths([str(pages_folder())])
        self.text.anchorClicked.connect(self._follow)
        self.text.document().setDefaultStyleSheet(_STYLE)
        self.text.setStyleSheet(f"QTextBrowser {{ background: {theme.PANEL.name()}; padding: 8px 14px; }}")
        left = QVBoxLayout()
        for part in (self.search, self.list, self.count):
            left.addWidget(part)
        layout = QHBoxLayout(self)
        layout.addLayout(left)
        layout.addWidget(self.text, 1)
        self._shown: list[str] = []
        self.key = ""
        self._seek("")
        self.show_page(PAGES[0])

    def sizeHint(self) -> QSize:  # noqa: N802
        return QSize(1120, 700)

    def _seek(self, words: str) -> None:
        """List the pages that the words are found on; without words all."""
        found: list[Page] = pages()
        if words.strip():
            entries = [Entry("", one.title, one.key, one.text) for one in found]
            found = [page(entry.where) for entry in search(words, entries, len(entries))]
        self._shown = [one.key for one in found]
        self.list.blockSignals(True)
        self.list.clear()
        self.list.addItems([one.title for one in found])
        self.list.blockSignals(False)
        count = len(found)
        self.count.setText("" if not words.strip() else f"{count} page{'' if count == 1 else 's'}")
        if found:
            self.show_page(found[0].key if words.strip() or not self.key else self.key, words)

    def _choose(self, row: int) -> None:
        if 0 <= row < len(self._shown):
            self.show_page(self._shown[row], self.search.text())

    def show_page(self, key: str, words: str = "") -> None:
        """Show a page; the first place of the words is brought into sight."""
        if key not in self._shown:
            self._shown = list(PAGES)
            self.search.clear()
        self.key = key
        self.text.setMarkdown(page(key).text)
        self._set_apart()
        row = self._shown.index(key)
        if self.list.currentRow() != row:
            self.list.blockSignals(True)
            self.list.setCurrentRow(row)
            self.list.blockSignals(False)
        self.text.moveCursor(QTextCursor.MoveOperation.Start)
        if words.strip():
            self._find(words.strip())

    def _set_apart(self) -> None:
        """Room between paragraphs, which Markdown leaves to whoever shows it."""
        block = self.text.document().begin()
        while block.isValid():
            cursor, form = QTextCursor(block), block.blockFormat()
            form.setBottomMargin(_APART)
            form.setTopMargin(_ABOVE if form.headingLevel() else 0)
            cursor.setBlockFormat(form)
            block = block.next()

    def _find(self, words: str) -> bool:
        """Mark the next place of the words, or of the longest of them."""
        longest = max(words.split(), key=len)
        return self.text.find(words) or self.text.find(longest, QTextDocument.FindFlag(0))

    def _next(self) -> None:
        words = self.search.text().strip()
        if words and not self._find(words):
            self.text.moveCursor(QTextCursor.MoveOperation.Start)
            self._find(words)

    def _follow(self, address: QUrl) -> None:
        key = address.toString().removesuffix(".md")
        if key in PAGES:
            self.show_page(key)
