"""The finder: a field, and below it what was found, where it is, and what it does."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QEvent, QObject, QPoint, QRect, QSize, Qt
from PySide6.QtGui import QKeyEvent, QPainter, QStandardItem, QStandardItemModel
from PySide6.QtWidgets import (
    QFrame,
    QLineEdit,
    QListView,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
)

from irvane.desktop import theme
from irvane.desktop.finder.search import Entry, search
from irvane.desktop.plain import tip
from irvane.desktop.rows import Index

_WIDE, _ROW, _MOST = 480, 38, 9
_NOTHING = Entry("", "Nothing was found", "try another word: the handbook (Shift+F1) can be searched too")


class _Delegate(QStyledItemDelegate):
    """Two lines an entry: its name and kind; where it stands, or why it cannot be done."""

    def sizeHint(self, _option: QStyleOptionViewItem, _index: Index) -> QSize:  # noqa: N802
        return QSize(_WIDE, _ROW)

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        entry: Entry = index.data(Qt.ItemDataRole.UserRole)
        rect: QRect = option.rect  # type: ignore[attr-defined]
        painter.save()
        if option.state & QStyle.StateFlag.State_Selected:  # type: ignore[attr-defined]
            painter.fillRect(rect, theme.RAISED)
        inner = rect.adjusted(8, 2, -8, -2)
        painter.setFont(theme.font(12))
        painter.setPen(theme.MUTED if entry.why_not else theme.TEXT)
        kind = " · ".join(one for one in (entry.kind, entry.keys) if one)
        room = inner.width() - painter.fontMetrics().horizontalAdvance(kind) - 12
        top = Qt.AlignmentFlag.AlignTop
        title = painter.fontMetrics().elidedText(entry.title, Qt.TextElideMode.ElideRight, room)
        painter.drawText(inner, top, title)
        painter.setPen(theme.ACCENT if not entry.why_not else theme.MUTED)
        painter.drawText(inner, top | Qt.AlignmentFlag.AlignRight, kind)
        painter.setFont(theme.font(10))
        painter.setPen(theme.WARNING if entry.why_not else theme.MUTED)
        below = painter.fontMetrics().elidedText(
            entry.why_not or entry.where, Qt.TextElideMode.ElideRight, inner.width()
        )
        painter.drawText(inner, Qt.AlignmentFlag.AlignBottom, below)
        painter.restore()


class Finder(QLineEdit):
    """The field in the bar of jobs.

    Parameters
    ----------
    entries : what can be found now. say : tells why something cannot be done.
    """

    def __init__(self, entries: Callable[[], list[Entry]], say: Callable[[str], object]) -> None:
        super().__init__()
        self._entries, self._say = entries, say
        self._pool: list[Entry] = []
        self.setPlaceholderText("Find …")
        self.setAccessibleName("Find")
        self.setToolTip(
            "Commands, settings, looks, presets, frames, destinations and the handbook, by the words of the "
            "trade (Ctrl+F)."
        )
        self.setClearButtonEnabled(True)
        self.setMinimumWidth(96)
        self.setMaximumWidth(190)
        self.list: QListView | None = None
        self._model = QStandardItemModel(self)
        self.textEdited.connect(lambda _text: self._seek())

    def _made(self) -> QListView:
        """The list, made when it is first needed: the window must be there."""
        if self.list is None:
            shown = QListView(self.window())
            shown.setModel(self._model)
            shown.setItemDelegate(_Delegate(shown))
            shown.setFocusPolicy(Qt.FocusPolicy.NoFocus)
            shown.setFrameShape(QFrame.Shape.Box)
            shown.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
            shown.setAccessibleName("What was found")
            shown.setStyleSheet(
                f"QListView {{ background: {theme.PANEL.name()}; "
                f"border: 1px solid {theme.ACCENT_DEEP.name()}; }}"
            )
            shown.clicked.connect(lambda index: self._take(index.row()))
            shown.hide()
            self.list = shown
            self.window().installEventFilter(self)
        return self.list

    def begin(self) -> None:
        """Take the keyboard."""
        self.setFocus(Qt.FocusReason.ShortcutFocusReason)
        self.selectAll()

    def focusInEvent(self, event: object) -> None:  # noqa: N802
        super().focusInEvent(event)  # type: ignore[arg-type]
        self._pool = self._entries()
        if self.text():
            self._seek()

    def focusOutEvent(self, event: object) -> None:  # noqa: N802
        super().focusOutEvent(event)  # type: ignore[arg-type]
        self._close()

    def found(self) -> list[Entry]:
        """What stands in the list."""
        return [self._model.item(row).data(Qt.ItemDataRole.UserRole) for row in range(self._model.rowCount())]

    def _seek(self) -> None:
        shown = self._made()
        self._pool = self._pool or self._entries()
        found = search(self.text(), self._pool)
        self._model.clear()
        for entry in found or ([_NOTHING] if self.text().strip() else []):
            item = QStandardItem(f"{entry.title}, {entry.kind}, {entry.where}")
            item.setData(entry, Qt.ItemDataRole.UserRole)
            item.setEditable(False)
            item.setToolTip(tip(entry.why_not or entry.help[:400]))
            self._model.appendRow(item)
        rows = min(self._model.rowCount(), _MOST)
        shown.setVisible(rows > 0)
        if rows:
            corner = self.mapTo(self.window(), QPoint(self.width(), self.height() + 2))
            wide = min(_WIDE, self.window().width() - 8)
            shown.setGeometry(max(4, corner.x() - wide), corner.y(), wide, rows * _ROW + 4)
            shown.setCurrentIndex(self._model.index(0, 0))
            shown.raise_()

    def _take(self, row: int) -> None:
        entries = self.found()
        if not 0 <= row < len(entries) or entries[row] is _NOTHING:
            return
        entry = entries[row]
        self._close()
        self.clear()
        self.window().setFocus()
        if entry.why_not:
            self._say(entry.why_not)
        else:
            entry.do()

    def _close(self) -> None:
        if self.list is not None:
            self.list.hide()

    def eventFilter(self, _watched: QObject, event: QEvent) -> bool:  # noqa: N802
        if event.type() == QEvent.Type.Resize:
            self._close()
        return False

    def keyPressEvent(self, event: QKeyEvent) -> None:  # noqa: N802
        shown = self.list
        row = shown.currentIndex().row() if shown is not None and shown.isVisible() else -1
        if event.key() == Qt.Key.Key_Escape:
            self._close()
            self.clear()
            self.window().setFocus()
        elif row >= 0 and event.key() in (Qt.Key.Key_Down, Qt.Key.Key_Up) and shown is not None:
            step = 1 if event.key() == Qt.Key.Key_Down else -1
            shown.setCurrentIndex(self._model.index((row + step) % self._model.rowCount(), 0))
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._take(max(row, 0))
        else:
            super().keyPressEvent(event)
