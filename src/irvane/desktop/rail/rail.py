"""The frame rail: a slim virtual list of frames and sets."""

from __future__ import annotations

from bisect import bisect_left

from PySide6.QtCore import QModelIndex, QPersistentModelIndex, QPoint, QRect, QSize, Qt, Signal
from PySide6.QtGui import (
    QContextMenuEvent,
    QDragEnterEvent,
    QDragMoveEvent,
    QDropEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPen,
    QResizeEvent,
)
from PySide6.QtWidgets import QListView, QStyle, QStyledItemDelegate, QStyleOptionViewItem, QWidget

from irvane.core.files.info import exposure_text, offset_text
from irvane.core.files.proofs import REJECT
from irvane.desktop import theme
from irvane.desktop.item import Item
from irvane.desktop.rail.model import RailModel, Row, frames_of, heading_words
from irvane.desktop.session import Session

WIDTH = 124
_HEADING, _FRAME = 40, 106

Index = QModelIndex | QPersistentModelIndex


class _Delegate(QStyledItemDelegate):
    """Paints rows."""

    def __init__(self, model: RailModel) -> None:
        super().__init__(model)
        self._model = model

    def sizeHint(self, _option: QStyleOptionViewItem, index: Index) -> QSize:  # noqa: N802
        row: Row = index.data(Qt.ItemDataRole.UserRole)
        return QSize(WIDTH - 8, _HEADING if row.is_heading else _FRAME)

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        row: Row = index.data(Qt.ItemDataRole.UserRole)
        item = self._model.session.items.get(row.item)
        if item is None:
            return
        rect: QRect = option.rect  # type: ignore[attr-defined]
        chosen = bool(option.state & QStyle.StateFlag.State_Selected)  # type: ignore[attr-defined]
        focused = bool(option.state & QStyle.StateFlag.State_HasFocus)  # type: ignore[attr-defined]
        painter.save()
        if chosen:
            painter.fillRect(rect, theme.RAISED)
        if row.is_heading:
            self._paint_heading(painter, rect, index)
        else:
            self._paint_frame(painter, rect, item, chosen)
        if focused:
            painter.setPen(QPen(theme.ACCENT, 1))
            painter.drawRect(rect.adjusted(0, 0, -1, -1))
        painter.restore()

    def _paint_heading(self, painter: QPainter, rect: QRect, index: Index) -> None:
        painter.setPen(QPen(theme.ACCENT_DEEP, 2))
        painter.drawLine(rect.left() + 6, rect.top() + 4, rect.right() - 6, rect.top() + 4)
        row: Row = index.data(Qt.ItemDataRole.UserRole)
        items = [self._model.session.items[n] for n in row.bracket if n in self._model.session.items]
        above, below = heading_words(row, items)
        painter.setFont(theme.font(11))
        painter.setPen(theme.TEXT)
        inner = rect.adjusted(6, 8, -4, -2)
        painter.drawText(inner, Qt.AlignmentFlag.AlignTop, above)
        painter.setFont(theme.font(10))
        painter.setPen(theme.ACCENT)
        bottom = Qt.AlignmentFlag.AlignBottom
        painter.drawText(inner, bottom | Qt.AlignmentFlag.AlignRight, row.offers)
        room = inner.width() - painter.fontMetrics().horizontalAdvance(row.offers) - 4
        painter.setPen(theme.MUTED)
        shown = painter.fontMetrics().elidedText(below, Qt.TextElideMode.ElideRight, room)
        painter.drawText(inner, bottom, shown)

    def _paint_frame(self, painter: QPainter, rect: QRect, item: Item, chosen: bool) -> None:
        left = rect.left() + (10 if item.bracket or item.is_merge else 6)
        room = QRect(left, rect.top() + 5, rect.right() - left - 5, 68)
        ratio = painter.device().devicePixelRatioF()
        thumb = self._model.thumb(item, room.size() * ratio)
        rejected = item.sidecar.mark == REJECT
        if item.bracket or item.is_merge:
            painter.setPen(QPen(theme.ACCENT_DEEP, 2))
            painter.drawLine(rect.left() + 6, rect.top(), rect.left() + 6, rect.bottom())
        if thumb is not None:
            size = thumb.size() / ratio
            place = QRect(
                room.left(), room.top() + (room.height() - size.height()) // 2, size.width(), size.height()
            )
            painter.setOpacity(0.35 if rejected else 1.0)
            painter.drawImage(place, thumb)
            painter.setOpacity(1.0)
            if chosen:
                painter.setPen(QPen(theme.ACCENT, 2))
                painter.drawRect(place)
        else:
            painter.fillRect(room, theme.WELL)
            painter.setPen(theme.WARNING if item.problem else theme.MUTED)
            painter.setFont(theme.font(10))
            words = "cannot be read" if item.problem else ("merge" if item.is_merge else "…")
            painter.drawText(room, Qt.AlignmentFlag.AlignCenter, words)
        name = rect.adjusted(left - rect.left(), 75, -4, -16)
        painter.setPen(theme.TEXT)
        painter.setFont(theme.font(11))
        shown = painter.fontMetrics().elidedText(item.source.name, Qt.TextElideMode.ElideMiddle, name.width())
        painter.drawText(name, Qt.AlignmentFlag.AlignVCenter, shown)
        painter.setPen(theme.MUTED)
        painter.setFont(theme.font(10))
        line = rect.adjusted(left - rect.left(), 89, -4, -2)
        if item.offset is not None:
            words = offset_text(item.offset)
        elif item.is_merge:
            words = f"{len(item.source.paths)} frames merged"
        else:
            words = (
                exposure_text(item.info).partition(" · ")[0]
                if item.info.iso is None
                else f"ISO {item.info.iso:.0f}"
            )
        count = len(item.sidecar.proofs)
        if count > 1:
            words += f" · {count} proofs"
        marks = " ".join(part for part in (item.sidecar.mark, "●" * item.sidecar.stars) if part)
        if marks:
            painter.setPen(theme.WARNING if rejected else theme.ACCENT)
            painter.drawText(line, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, marks)
            line.setRight(line.right() - painter.fontMetrics().horizontalAdvance(marks) - 4)
            painter.setPen(theme.MUTED)
        painter.drawText(
            line,
            Qt.AlignmentFlag.AlignVCenter,
            painter.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, line.width()),
        )


class Rail(QListView):
    """The list.

    Signals
    -------
    frame_chosen(number) : show this item.
    merge_asked(numbers, kind) : the heading of this set was clicked. menu_wanted(number, selected, place) :
    the right button on a
        frame; what is selected stays. set_menu_wanted(numbers, kind, place) : on the heading of a set.
    joined(numbers) : frames were dropped onto a set.
    """

    frame_chosen = Signal(int)
    merge_asked = Signal(object, str)
    menu_wanted = Signal(int, object, QPoint)
    set_menu_wanted = Signal(object, str, QPoint)
    joined = Signal(object)

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.rows = RailModel(session, self)
        self.setModel(self.rows)
        self.setItemDelegate(_Delegate(self.rows))
        self.setFixedWidth(WIDTH)
        self.setAccessibleName("Frames")
        self.setSelectionMode(QListView.SelectionMode.ExtendedSelection)
        self.setVerticalScrollMode(QListView.ScrollMode.ScrollPerPixel)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFrameShape(QListView.Shape.NoFrame)
        self.setDragEnabled(True)
        self.setDragDropMode(QListView.DragDropMode.DragDrop)
        self.setDropIndicatorShown(True)
        self.setStyleSheet(f"QListView {{ background: {theme.PANEL.name()}; }}")
        self.selectionModel().currentChanged.connect(self._current)
        self.clicked.connect(self._clicked)
        self._chosen = self._meant = -1
        self._pressed = self._extends = False
        self.rows.modelReset.connect(self._restore)

    def _current(self, index: QModelIndex, _previous: QModelIndex) -> None:
        row = index.data(Qt.ItemDataRole.UserRole)
        if isinstance(row, Row) and not row.is_heading and row.item != self._chosen:
            if self._extends:
                return  # several are selected; the bench goes on showing the chosen one
            if self._pressed:
                self._meant = row.item  # chosen on release: it may be dragged onto a pane instead
            else:
                self._choose(row.item)

    def _choose(self, number: int) -> None:
        self._chosen = number
        self.frame_chosen.emit(number)

    def _restore(self) -> None:
        """After the rows were made anew the chosen frame is still the chosen one."""
        place = self.rows.place_of(self._chosen)
        if place >= 0:
            self.setCurrentIndex(self.rows.index(place))

    def _clicked(self, index: QModelIndex) -> None:
        row = index.data(Qt.ItemDataRole.UserRole)
        if isinstance(row, Row) and row.is_heading:
            self.merge_asked.emit(row.bracket, row.kind)

    def mousePressEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        if event.button() == Qt.MouseButton.RightButton:
            event.accept()  # a menu is about a frame; it does not choose it
            return
        self._pressed, self._meant = True, -1
        several = Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier
        self._extends = bool(event.modifiers() & several)
        super().mousePressEvent(event)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        super().mouseReleaseEvent(event)
        self._pressed, meant, self._meant = False, self._meant, -1
        self._extends = False
        if meant >= 0 and meant != self._chosen:
            self._choose(meant)

    def _set_under(self, event: QDropEvent) -> tuple[int, ...]:
        """The set that frames are dragged over, with them; nothing where there is none."""
        row = self.indexAt(event.position().toPoint()).data(Qt.ItemDataRole.UserRole)
        numbers = frames_of(event.mimeData())
        item = self.rows.session.items.get(row.item) if isinstance(row, Row) else None
        if item is None or not item.bracket or not set(numbers) - set(item.bracket):
            return ()
        return (*item.bracket, *(n for n in numbers if n not in item.bracket))

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:  # noqa: N802
        if frames_of(event.mimeData()):
            event.acceptProposedAction()
        else:
            event.ignore()  # files are the window's

    def dragMoveEvent(self, event: QDragMoveEvent) -> None:  # noqa: N802
        if not frames_of(event.mimeData()):
            event.ignore()
            return
        event.setAccepted(bool(self._set_under(event)))

    def dropEvent(self, event: QDropEvent) -> None:  # noqa: N802
        members = self._set_under(event)
        if members:
            event.acceptProposedAction()
            self.joined.emit(members)
        else:
            event.ignore()

    def startDrag(self, actions: Qt.DropAction) -> None:  # noqa: N802
        self._pressed, self._meant = False, -1
        self._extends = False
        super().startDrag(actions)
        self._restore()

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:  # noqa: N802
        by_mouse = event.reason() == QContextMenuEvent.Reason.Mouse
        index = self.indexAt(event.pos()) if by_mouse else self.currentIndex()
        row = index.data(Qt.ItemDataRole.UserRole)
        if isinstance(row, Row) and row.is_heading:
            self.set_menu_wanted.emit(row.bracket, row.kind, event.globalPos())
        elif isinstance(row, Row):
            self.menu_wanted.emit(row.item, self.selected_items(), event.globalPos())

    def resizeEvent(self, event: QResizeEvent) -> None:  # noqa: N802
        super().resizeEvent(event)
        if self.currentIndex().isValid():  # a station that opens may not hide the chosen frame
            self.scrollTo(self.currentIndex())

    def keyPressEvent(self, event: QKeyEvent) -> None:  # noqa: N802
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._clicked(self.currentIndex())
            return
        super().keyPressEvent(event)

    def choose(self, number: int) -> None:
        """Select an item."""
        place = self.rows.place_of(number)
        if place >= 0:
            index = self.rows.index(place)
            self.setCurrentIndex(index)
            self.scrollTo(index)

    def follow(self, number: int) -> None:
        """The bench shows this item already: it is the chosen one here too."""
        self._chosen = number
        self._restore()
        self.scrollTo(self.currentIndex())

    def selected_items(self) -> list[int]:
        """Items that are selected, from top to bottom."""
        rows = sorted(index.row() for index in self.selectionModel().selectedIndexes())
        return [self.rows.rows[r].item for r in rows if not self.rows.rows[r].is_heading]

    def step(self, direction: int) -> None:
        """The next or previous frame (headings are passed over)."""
        place = self.currentIndex().row() + direction
        while 0 <= place < len(self.rows.rows):
            if not self.rows.rows[place].is_heading:
                self.setCurrentIndex(self.rows.index(place))
                return
            place += direction

    def visible_items(self) -> list[int]:
        """Items whose rows can be seen now."""
        if self.isHidden():
            return []
        view, seen = self.viewport().rect(), []

        def bottom(place: int) -> int:
            return self.visualRect(self.rows.index(place)).bottom()

        # rows lie one below the other: the first that is seen is found by halving
        for place in range(
            bisect_left(range(len(self.rows.rows)), view.top(), key=bottom), len(self.rows.rows)
        ):
            if self.visualRect(self.rows.index(place)).top() > view.bottom():
                break
            seen.append(self.rows.rows[place].item)
        return seen
