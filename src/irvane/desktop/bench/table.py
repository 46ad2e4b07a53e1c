"""The table of figures under the panes: a row a quantity, a column a pane, the verdict above it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from PySide6.QtCore import QAbstractTableModel, QModelIndex, QPersistentModelIndex, QPoint, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QContextMenuEvent, QKeyEvent, QPainter
from PySide6.QtWidgets import QStyle, QStyledItemDelegate, QStyleOptionViewItem, QTableView, QWidget

from irvane.core.judge.readings import Figure, Line
from irvane.core.judge.rows import ROWS, Row
from irvane.desktop import theme
from irvane.desktop.bench.card import Card

Index = QModelIndex | QPersistentModelIndex
#: Height of a row, width of the names (and where there is room), the least width of a column with its bar, in
#: pixels.
ROW, NAMES, WIDE_NAMES, _WITH_BAR = 17, 176, 270, 190
#: Where difference and bar begin in a column, and how long the bar is at most, to either side.
_INSET, _DIFFERENCE, _BAR, _HALF = 14, 80, 142, 34
#: Where names begin.
_NAME = 10
#: A bar is full at so many times what is just seen.
_FULL = 20.0
#: The detail row of the short table: whichever tells detail at this place.
DETAIL = "detail"
_PENDING = QColor("#8f8f8f")
_NONE = "–"


@dataclass(frozen=True)
class Column:
    """A pane's column.

    Attributes
    ----------
    letter : of the pane. left, width : where it stands, in pixels.
    reference : are the others held against it? greyed : is it being measured anew?
    empty : nothing of it is known, or it is of something else.
    """

    letter: str
    left: int
    pane: int = 0
    reference: bool = False
    greyed: bool = False
    empty: bool = False


def figure_words(row: Row, figure: Figure | None) -> str:
    """A figure as it stands in its cell, without its difference."""
    if figure is None:
        return _NONE
    if figure.value is None:
        return figure.words or _NONE
    return f"{'≈ ' if figure.expected else ''}{row.text(figure.value)}"


def difference_words(row: Row, figure: Figure | None) -> str:
    """Its difference from the reference."""
    if figure is None or figure.difference is None:
        return ""
    return "alike" if figure.alike else row.difference(figure.difference)


class FiguresModel(QAbstractTableModel):
    """Lines by columns; column 0 holds the names."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.lines: list[Line] = []
        self.columns: list[Column] = []

    def show_lines(self, lines: list[Line], columns: list[Column]) -> None:
        """Show other lines; a table of the same form only changes its words."""
        same = len(lines) == len(self.lines) and len(columns) == len(self.columns)
        if not same:
            self.beginResetModel()
        self.lines, self.columns = lines, columns
        if not same:
            self.endResetModel()
        elif lines:
            self.dataChanged.emit(self.index(0, 0), self.index(len(lines) - 1, len(columns)))

    def rowCount(self, _parent: Index = QModelIndex()) -> int:  # noqa: N802
        return len(self.lines)

    def columnCount(self, _parent: Index = QModelIndex()) -> int:  # noqa: N802
        return 1 + len(self.columns)

    def figure(self, index: Index) -> Figure | None:
        """The figure of a cell."""
        column = self.columns[index.column() - 1]
        line = self.lines[index.row()]
        return None if column.empty or column.pane >= len(line.figures) else line.figures[column.pane]

    def title(self, row: int) -> str:
        """Name, unit, and where it was read."""
        line = self.lines[row]
        return line.row.title + (f" · {line.note}" if line.note else "")

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if role in (Qt.ItemDataRole.AccessibleTextRole, Qt.ItemDataRole.ToolTipRole):
            return self._in_full(index)
        if role == Qt.ItemDataRole.DisplayRole:
            if index.column() == 0:
                return self.title(index.row())
            return figure_words(self.lines[index.row()].row, self.figure(index))
        return None

    def _in_full(self, index: Index) -> str:
        line = self.lines[index.row()]
        if index.column() == 0:
            return f"{self.title(index.row())}\n{line.row.means}\nClick for more."
        column, figure = self.columns[index.column() - 1], self.figure(index)
        words = f"{column.letter}: {line.row.name} {figure_words(line.row, figure)}"
        if figure is None:
            return f"{words} (this place does not tell it)" if line.row.domain == "place" else words
        words += f" {line.row.unit}" if line.row.unit and figure.value is not None else ""
        if figure.error > 0 and figure.value is not None:
            sure = 1.96 * figure.error
            words += f" ± {line.row.text(sure)} (95 %)"
        if figure.expected:
            words += ", expected from the frame’s noise model"
        if figure.difference is not None:
            told = "alike" if figure.alike else "seen"
            words += f"; {line.row.difference(figure.difference)} against the reference: {told}"
        return words + ("; being measured anew" if column.greyed else "")


class _Cells(QStyledItemDelegate):
    """Paints a figure, its difference, and a bar for it."""

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        model = index.model()
        assert isinstance(model, FiguresModel)
        room = QRectF(option.rect)  # type: ignore[attr-defined]
        chosen = bool(option.state & QStyle.StateFlag.State_Selected)  # type: ignore[attr-defined]
        if chosen:
            painter.fillRect(room, theme.RAISED)
        line = model.lines[index.row()]
        if index.column() == 0:
            self._name(painter, room, line)
            return
        column, figure = model.columns[index.column() - 1], model.figure(index)
        pending = column.greyed or figure is None
        if index.row() == 0:  # whose column it is
            painter.setPen(theme.ACCENT if column.reference else theme.MUTED)
            painter.drawText(room, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, column.letter)
        painter.setPen(_PENDING if pending else theme.TEXT)
        flags = Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft
        words = figure_words(line.row, figure)
        wordy = figure is not None and figure.value is None
        wide = room.width() - _INSET if wordy else _DIFFERENCE - _INSET
        text = painter.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, int(wide))
        painter.drawText(room.adjusted(_INSET, 0, 0, 0), flags, text)
        told = difference_words(line.row, figure)
        if figure is None or not told:
            return
        painter.setPen(_PENDING if pending or figure.alike else theme.TEXT)
        painter.drawText(room.adjusted(_DIFFERENCE, 0, 0, 0), flags, told)
        if room.width() >= _WITH_BAR and not figure.alike and figure.difference is not None:
            self._bar(painter, room, line.row, figure, pending)

    @staticmethod
    def _name(painter: QPainter, room: QRectF, line: Line) -> None:
        flags = Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft
        inner = room.adjusted(_NAME, 0, -4, 0)
        metrics = painter.fontMetrics()
        painter.setPen(theme.MUTED)
        name = metrics.elidedText(line.row.title, Qt.TextElideMode.ElideRight, int(inner.width()))
        painter.drawText(inner, flags, name)
        left = metrics.horizontalAdvance(name + "  ")
        if line.note and inner.width() - left > 30:
            painter.setPen(_PENDING)
            note = metrics.elidedText(line.note, Qt.TextElideMode.ElideRight, int(inner.width() - left))
            painter.drawText(inner.adjusted(left, 0, 0, 0), flags, note)

    @staticmethod
    def _bar(painter: QPainter, room: QRectF, row: Row, figure: Figure, pending: bool) -> None:
        """From the middle to the right for what is more, filled where that is better."""
        assert figure.difference is not None
        scale = row.unseen * (abs(figure.value or 0.0) if row.relative else 1.0) * _FULL
        share = max(-1.0, min(1.0, figure.difference / max(scale, 1e-9)))
        middle = room.left() + _BAR + _HALF
        if middle + _HALF > room.right():
            return
        high = room.height() - 9
        top = room.top() + 5
        better = row.better * figure.difference > 0
        painter.setPen(theme.EDGE)
        painter.drawLine(QPoint(round(middle), round(top)), QPoint(round(middle), round(top + high)))
        bar = QRectF(min(middle, middle + share * _HALF), top, abs(share) * _HALF, high)
        colour = _PENDING if pending or not row.better else theme.ACCENT if better else theme.WARNING
        if better or not row.better:
            painter.fillRect(bar, colour)
        else:
            painter.setPen(colour)
            painter.drawRect(bar.adjusted(0.5, 0.5, -0.5, -0.5))


class FiguresTable(QTableView):
    """The rows and columns.

    Signals
    -------
    explained(key, row) : what a quantity means was asked; its place is to be shown.
    menu_wanted(place, row, pane) : the right button on a figure (pane −1: on a name).
    """

    explained = Signal(str)
    menu_wanted = Signal(QPoint, int, int)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setAccessibleName("Figures of the panes")
        self.told = FiguresModel(self)
        self.setModel(self.told)
        self.setItemDelegate(_Cells(self))
        for header in (self.horizontalHeader(), self.verticalHeader()):
            header.hide()
            header.setMinimumSectionSize(8)
        self.verticalHeader().setDefaultSectionSize(ROW)
        self.setShowGrid(False)
        self.setFrameShape(QTableView.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setEditTriggers(QTableView.EditTrigger.NoEditTriggers)
        self.setSelectionMode(QTableView.SelectionMode.SingleSelection)
        self.setSelectionBehavior(QTableView.SelectionBehavior.SelectRows)
        self.setTabKeyNavigation(False)
        self.setStyleSheet(f"background: {theme.PANEL.name()};")
        self.clicked.connect(self._clicked)
        self.card: Card | None = None

    def show_lines(self, lines: Sequence[Line], columns: Sequence[Column]) -> None:
        """Show figures under panes."""
        self.told.show_lines(list(lines), list(columns))
        room = self.viewport().width()
        first = columns[0].left if columns else NAMES
        self.setColumnWidth(0, first)
        for number, column in enumerate(columns, 1):
            ends = columns[number].left if number < len(columns) else room
            self.setColumnWidth(number, max(ends - column.left, 8))

    def explain(self, number: int) -> None:
        """Say what a row is, on a card over it."""
        line = self.told.lines[number]
        where = {"place": "the small square", "picture": "the whole picture", "sensor": "the sensor"}
        paragraphs = [line.row.means, f"Read of: {where.get(line.row.domain, 'the file')}."]
        if line.note:
            paragraphs.append(f"Here: {line.note}.")
        for column_number, column in enumerate(self.told.columns, 1):
            if not column.empty:
                text = self.told.data(
                    self.told.index(number, column_number), Qt.ItemDataRole.AccessibleTextRole
                )
                paragraphs.append(str(text))
        self.card = Card(line.row.title, paragraphs, self.window())
        corner = self.visualRect(self.told.index(number, 0)).topLeft()
        self.card.show_at(self.viewport().mapToGlobal(corner))
        self.explained.emit(next(key for key, row in ROWS.items() if row is line.row))

    def _clicked(self, index: Index) -> None:
        if index.column() == 0:
            self.explain(index.row())

    def keyPressEvent(self, event: QKeyEvent) -> None:  # noqa: N802
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.currentIndex().isValid():
            self.explain(self.currentIndex().row())
            return
        if event.key() in (
            Qt.Key.Key_Up,
            Qt.Key.Key_Down,
            Qt.Key.Key_Left,
            Qt.Key.Key_Right,
            Qt.Key.Key_Home,
            Qt.Key.Key_End,
        ):
            super().keyPressEvent(event)
            return
        event.ignore()  # other keys are the window's

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:  # noqa: N802
        index = self.indexAt(event.pos())
        if index.isValid():
            pane = -1 if index.column() == 0 else self.told.columns[index.column() - 1].pane
            self.menu_wanted.emit(event.globalPos(), index.row(), pane)
