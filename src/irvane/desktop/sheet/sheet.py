"""The contact sheet: a grid of all open frames with their data and marks, sorted and filtered."""

from __future__ import annotations

import time

from PySide6.QtCore import (
    QAbstractListModel,
    QModelIndex,
    QObject,
    QRect,
    QSize,
    Qt,
    QTimer,
    Signal,
)
from PySide6.QtGui import QImage, QKeyEvent, QPainter, QPen
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListView,
    QPushButton,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from irvane.core.files.info import exposure_text, offset_text
from irvane.core.files.proofs import REJECT
from irvane.desktop import theme
from irvane.desktop.bench.content import image_of
from irvane.desktop.item import Item
from irvane.desktop.plain import tip
from irvane.desktop.rows import NOWHERE, Index
from irvane.desktop.session import Session
from irvane.desktop.sheet.order import MEASURED, SHOWN, SORTS, arranged, mark_words

_CELL = QSize(206, 196)
_ROOM = QSize(190, 130)
#: Scaled pictures that are kept; milliseconds after which changes are shown; seconds that pictures are
#: made ready at a time.
_KEPT, _SOON, _A_TIME = 500, 150, 0.008


class _Frames(QAbstractListModel):
    """The frames of the session, sorted and filtered.

    Signals
    -------
    more : pictures that were not ready can be made now.
    """

    more = Signal()

    def __init__(self, session: Session, parent: QObject) -> None:
        super().__init__(parent)
        self.session = session
        self.by, self.shown, self.text = "time", "all", ""
        self.folded = False
        self.numbers: list[int] = []
        self._pictures: dict[int, tuple[int, QImage]] = {}
        # making pictures ready takes a part of the window's time only
        self._spent = 0.0
        self._more = QTimer(self, singleShot=True, interval=20)
        self._more.timeout.connect(self._go_on)

    def arrange(self) -> bool:
        """Sort and filter anew; what is selected stays so. False when nothing changed."""
        fresh = arranged(self.session, self.by, self.shown, self.text, self.folded)
        if fresh == self.numbers:
            return False
        self.layoutAboutToBeChanged.emit()
        kept = self.persistentIndexList()
        before = [self.numbers[index.row()] for index in kept]
        self.numbers = fresh
        places = {number: place for place, number in enumerate(fresh)}
        self.changePersistentIndexList(
            kept, [self.index(places[n]) if n in places else QModelIndex() for n in before]
        )
        self.layoutChanged.emit()
        return True

    def item(self, place: int) -> Item | None:
        return self.session.items.get(self.numbers[place])

    def rowCount(self, parent: Index = NOWHERE) -> int:  # noqa: N802
        return 0 if parent.isValid() else len(self.numbers)

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        item = self.item(index.row())
        if item is None:
            return None
        if role == Qt.ItemDataRole.UserRole:
            return item.number
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole):
            parts = (item.source.name, self.together(item), exposure_text(item.info), mark_words(item))
            return ", ".join(part for part in parts if part)
        if role == Qt.ItemDataRole.ToolTipRole:
            taken = f"{item.info.taken:%Y-%m-%d %H:%M:%S}" if item.info.taken else ""
            lines = (
                item.source.name, exposure_text(item.info), f"{item.info.make} {item.info.model}".strip(),
                item.info.lens, f"{item.info.focal:g} mm" if item.info.focal else "", taken,
                self.together(item), item.problem, item.diagnosis,
                item.measured.words() if item.measured else "",
            )  # fmt: skip
            return tip("\n".join(line for line in lines if line))
        return None

    def together(self, item: Item) -> str:
        """What a cell stands for besides the frame: ``5 frames``, ``with JPG``."""
        other = self.session.items.get(item.pair) if item.pair is not None and item.leads else None
        parts = [f"{len(item.bracket)} frames"] if self.folded and item.bracket else []
        parts += [f"with {other.path.suffix.lstrip('.').upper()}"] if other is not None else []
        return ", ".join(parts)

    def picture(self, item: Item, room: QSize) -> QImage | None:
        """Its preview as large as the room allows; None while there is none, or others are being made
        ready."""
        if item.picture is None:
            return None
        kept = self._pictures.get(item.number)
        if kept is not None and kept[0] == id(item.picture):
            return kept[1]
        began = time.perf_counter()
        if self._more.isActive() and self._spent > _A_TIME:
            return kept[1] if kept is not None else None
        scaled = image_of(item.picture.small).scaled(
            room, Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation
        )
        while len(self._pictures) >= _KEPT:
            self._pictures.pop(next(iter(self._pictures)))
        self._pictures[item.number] = id(item.picture), scaled
        self._spent += time.perf_counter() - began
        if not self._more.isActive():
            self._more.start()
        return scaled

    def _go_on(self) -> None:
        held_up, self._spent = self._spent > _A_TIME, 0.0
        if held_up:
            self.more.emit()


class _Delegate(QStyledItemDelegate):
    """Paints a frame: picture, name, data, marks."""

    def __init__(self, frames: _Frames) -> None:
        super().__init__(frames)
        self.frames = frames

    def sizeHint(self, _option: QStyleOptionViewItem, _index: Index) -> QSize:  # noqa: N802
        return _CELL

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        item = self.frames.session.items.get(index.data(Qt.ItemDataRole.UserRole))
        if item is None:
            return
        rect = QRect(option.rect).adjusted(4, 4, -4, -4)
        chosen = bool(option.state & QStyle.StateFlag.State_Selected)
        painter.fillRect(rect, theme.RAISED if chosen else theme.PANEL)
        if chosen:
            painter.setPen(QPen(theme.ACCENT, 1))
            painter.drawRect(rect.adjusted(0, 0, -1, -1))
        room = QRect(rect.left() + 4, rect.top() + 4, rect.width() - 8, _ROOM.height())
        ratio = painter.device().devicePixelRatioF()
        picture = self.frames.picture(item, room.size() * ratio)
        rejected = item.sidecar.mark == REJECT
        if picture is not None:
            size = picture.size() / ratio
            painter.setOpacity(0.35 if rejected else 1.0)
            painter.drawImage(
                QRect(room.left() + (room.width() - size.width()) // 2,
                room.top() + (room.height() - size.height()) // 2,
                      size.width(), size.height()), picture,
            )  # fmt: skip
            painter.setOpacity(1.0)
        else:
            painter.fillRect(room, theme.WELL)
            painter.setPen(theme.WARNING if item.problem else theme.MUTED)
            painter.drawText(room, Qt.AlignmentFlag.AlignCenter, "cannot be read" if item.problem else "…")
        if item.bracket:
            painter.fillRect(QRect(rect.left(), rect.top(), 3, rect.height()), theme.ACCENT_DEEP)
        told = self.frames.together(item)
        if told:
            painter.setFont(theme.font(10))
            wide = painter.fontMetrics().horizontalAdvance(told) + 10
            badge = QRect(room.right() - wide + 1, room.bottom() - 15, wide, 16)
            painter.fillRect(badge, theme.PANEL)
            painter.setPen(theme.TEXT)
            painter.drawText(badge, Qt.AlignmentFlag.AlignCenter, told)
        self._words(painter, rect, item, rejected)

    def _words(self, painter: QPainter, rect: QRect, item: Item, rejected: bool) -> None:
        line = QRect(rect.left() + 6, rect.top() + _ROOM.height() + 8, rect.width() - 12, 15)
        painter.setFont(theme.font(11))
        painter.setPen(theme.MUTED if rejected else theme.TEXT)
        name = painter.fontMetrics().elidedText(item.source.name, Qt.TextElideMode.ElideMiddle, line.width())
        painter.drawText(line, Qt.AlignmentFlag.AlignVCenter, name)
        painter.setFont(theme.font(10))
        painter.setPen(theme.MUTED)
        line.translate(0, 15)
        told = exposure_text(item.info)
        if item.offset is not None:
            told += f" · {offset_text(item.offset)}"
        painter.drawText(line, Qt.AlignmentFlag.AlignVCenter,
                         painter.fontMetrics().elidedText(told, Qt.TextElideMode.ElideRight,
                         line.width()))  # fmt: skip
        line.translate(0, 15)
        marks = " ".join(part for part in (item.sidecar.mark, "●" * item.sidecar.stars) if part)
        painter.setPen(theme.WARNING if rejected else theme.ACCENT)
        painter.drawText(line, Qt.AlignmentFlag.AlignVCenter, marks)
        if item.measured is not None:
            painter.setPen(theme.MUTED)
            room = line.adjusted(painter.fontMetrics().horizontalAdvance(marks) + 8, 0, 0, 0)
            told = painter.fontMetrics().elidedText(
                item.measured.words(), Qt.TextElideMode.ElideRight, room.width()
            )
            painter.drawText(room, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, told)


class Sheet(QWidget):
    """The surface.

    Signals
    -------
    opened(number) : show this frame on the bench.
    seen : other frames came into sight. measuring : what it is sorted or filtered by has to be measured.
    """

    opened = Signal(int)
    seen = Signal()
    measuring = Signal()

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.frames = _Frames(session, self)
        self.list = QListView()
        self.list.setModel(self.frames)
        self.list.setViewMode(QListView.ViewMode.IconMode)
        self.list.setResizeMode(QListView.ResizeMode.Adjust)
        self.list.setMovement(QListView.Movement.Static)
        self.list.setUniformItemSizes(True)
        self.list.setLayoutMode(QListView.LayoutMode.Batched)
        self.list.setBatchSize(400)
        self.list.setGridSize(_CELL)
        self.list.setSelectionMode(QListView.SelectionMode.ExtendedSelection)
        self.list.setVerticalScrollMode(QListView.ScrollMode.ScrollPerPixel)
        self.list.setItemDelegate(_Delegate(self.frames))
        self.list.setAccessibleName("Contact sheet")
        self.list.setFrameShape(QListView.Shape.NoFrame)
        self.list.setStyleSheet(f"QListView {{ background: {theme.SURROUNDS[1].name()}; }}")
        self.list.doubleClicked.connect(lambda index: self.opened.emit(index.data(Qt.ItemDataRole.UserRole)))
        self.list.verticalScrollBar().valueChanged.connect(lambda _v: self.seen.emit())
        self.list.selectionModel().selectionChanged.connect(lambda *_: self._tell())
        self.sort = self._choice("Sort by", list(SORTS), self._resort)
        self.filter = self._choice("Show", list(SHOWN), self._refilter)
        self.fold = QCheckBox("Fold sets")
        self.fold.setToolTip("Every bracket as one picture; what is done to it is done to all its frames.")
        self.fold.toggled.connect(lambda _on: self._refilter())
        self.search = QLineEdit()
        self.search.setPlaceholderText("Name, camera, lens, ISO")
        self.search.setClearButtonEnabled(True)
        self.search.setMinimumWidth(210)
        self.search.setAccessibleName("Search")
        self.search.textChanged.connect(lambda _t: self._refilter())
        self.told = QLabel()
        row = QHBoxLayout()
        row.setContentsMargins(8, 4, 8, 4)
        row.setSpacing(6)
        for words, widget in (("Sort by", self.sort), ("Show", self.filter)):
            row.addWidget(QLabel(words))
            row.addWidget(widget)
            row.addSpacing(8)
        row.addWidget(self.fold)
        row.addWidget(self.search)
        row.addSpacing(8)
        row.addWidget(self.told, 1)
        back = QPushButton("Back to the bench")
        back.setToolTip("The chosen frame on the bench (Return, Shift+S).")
        back.clicked.connect(self.open_chosen)
        row.addWidget(back)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addLayout(row)
        layout.addWidget(self.list, 1)
        # frames are read by the hundred: what changes is shown a few times a second
        self._soon = QTimer(self, singleShot=True, interval=_SOON)
        self._soon.timeout.connect(self._refresh)
        session.rows_changed.connect(self._soon.start)
        for changed in (session.item_changed, session.pictured):
            changed.connect(lambda _n: self._soon.isActive() or self._soon.start())
        self.frames.more.connect(self.list.viewport().update)
        self._refresh()

    @staticmethod
    def _choice(name: str, options: list[str], call) -> QComboBox:  # type: ignore[no-untyped-def]
        box = QComboBox()
        box.addItems(options)
        box.setAccessibleName(name)
        box.activated.connect(lambda _index: call())
        return box

    def _refresh(self) -> None:
        """Show the session as it is now."""
        began = time.perf_counter()
        if self.frames.arrange():
            self.seen.emit()
        # of thousands of frames the order is found less often
        self._soon.setInterval(max(_SOON, round(20_000 * (time.perf_counter() - began))))
        self.list.viewport().update()
        self._tell()

    def _resort(self) -> None:
        self.frames.by = self.sort.currentText()
        self._refresh()
        if self.frames.by in MEASURED:
            self.measuring.emit()

    def _refilter(self) -> None:
        self.frames.shown, self.frames.text = self.filter.currentText(), self.search.text()
        self.frames.folded = self.fold.isChecked()
        self._refresh()
        if self.frames.shown in MEASURED:
            self.measuring.emit()

    def _tell(self) -> None:
        chosen, shown = len(self.selected()), self.frames.rowCount()
        count = sum(item.leads for item in self.session.items.values())
        words = (
            f"{shown} of {count} frames" if shown != count else f"{count} frame{'' if count == 1 else 's'}"
        )
        if chosen:
            words += f", {chosen} selected"
        if self.frames.by in MEASURED or self.frames.shown in MEASURED:
            frames = [
                i
                for i in self.session.items.values()
                if i.ready and i.leads and not (i.is_merge or i.problem)
            ]
            left = sum(item.measured is None for item in frames)
            words += f", measuring: {len(frames) - left} of {len(frames)}" if left else ""
        self.told.setText(words)

    def selected(self) -> list[int]:
        """Items that are selected, in their order; of a folded set all of them."""
        rows = sorted(index.row() for index in self.list.selectionModel().selectedIndexes())
        chosen = [int(self.frames.index(row, 0).data(Qt.ItemDataRole.UserRole)) for row in rows]
        if not self.frames.folded:
            return chosen
        sets = [self.session.items[number].bracket or (number,) for number in chosen]
        return [number for one in sets for number in one if number in self.session.items]

    def choose(self, number: int) -> None:
        """Select an item."""
        for row in range(self.frames.rowCount()):
            index = self.frames.index(row, 0)
            if index.data(Qt.ItemDataRole.UserRole) == number:
                self.list.setCurrentIndex(index)
                self.list.scrollTo(index)
                return

    def step(self, direction: int) -> None:
        """The next or previous frame."""
        row = self.list.currentIndex().row() + direction
        if 0 <= row < self.frames.rowCount():
            self.list.setCurrentIndex(self.frames.index(row, 0))

    def visible_items(self) -> list[int]:
        """Items that can be seen now."""
        view = self.list.viewport().rect()
        first = self.list.indexAt(view.topLeft() + QRect(0, 0, 20, 20).center())
        per_row = max(1, view.width() // _CELL.width())
        rows = view.height() // _CELL.height() + 2
        start = max(first.row(), 0)
        stop = min(start + rows * per_row, self.frames.rowCount())
        return [int(self.frames.index(row, 0).data(Qt.ItemDataRole.UserRole)) for row in range(start, stop)]

    def open_chosen(self) -> None:
        """Ask for the bench, with the current frame."""
        index = self.list.currentIndex()
        self.opened.emit(int(index.data(Qt.ItemDataRole.UserRole)) if index.isValid() else -1)

    def keyPressEvent(self, event: QKeyEvent) -> None:  # noqa: N802
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Escape):
            self.open_chosen()
            return
        super().keyPressEvent(event)
