"""The cells of the contact sheet: its frames as a list, and how each is painted."""

from __future__ import annotations

import time
from collections.abc import Sequence

from PySide6.QtCore import (
    QAbstractListModel,
    QMimeData,
    QModelIndex,
    QObject,
    QRect,
    QSize,
    Qt,
    QTimer,
    Signal,
)
from PySide6.QtGui import QImage, QPainter, QPen
from PySide6.QtWidgets import QStyle, QStyledItemDelegate, QStyleOptionViewItem

from irvane.core.files.info import exposure_text, offset_text, place_text
from irvane.core.files.proofs import REJECT
from irvane.desktop import theme
from irvane.desktop.bench.content import image_of
from irvane.desktop.item import Item
from irvane.desktop.plain import tip
from irvane.desktop.rail.model import FRAMES, frames_as_data
from irvane.desktop.rows import NOWHERE, Index
from irvane.desktop.session import Session
from irvane.desktop.sheet.order import arranged, mark_words

CELL = QSize(206, 210)
_ROOM = QSize(190, 130)
#: Scaled pictures that are kept; seconds that pictures are made ready at a time.
_KEPT, _A_TIME = 500, 0.008


class Frames(QAbstractListModel):
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
            lines = (
                item.source.name, exposure_text(item.info), f"{item.info.make} {item.info.model}".strip(),
                item.info.lens, place_text(item.info),
                self.together(item), item.problem, item.diagnosis,
                item.measured.words() if item.measured else "",
            )  # fmt: skip
            return tip("\n".join(line for line in lines if line))
        return None

    def flags(self, index: Index) -> Qt.ItemFlag:
        return super().flags(index) | Qt.ItemFlag.ItemIsDragEnabled

    def mimeTypes(self) -> list[str]:  # noqa: N802
        return [FRAMES, "text/uri-list"]

    def mimeData(self, indexes: Sequence[QModelIndex]) -> QMimeData:  # noqa: N802
        rows = sorted(index.row() for index in indexes)
        return frames_as_data(self.session, [self.numbers[row] for row in rows])

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


class CellDelegate(QStyledItemDelegate):
    """Paints a frame: picture, name, data, marks."""

    def __init__(self, frames: Frames) -> None:
        super().__init__(frames)
        self.frames = frames

    def sizeHint(self, _option: QStyleOptionViewItem, _index: Index) -> QSize:  # noqa: N802
        return CELL

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
        line.translate(0, 14)
        more = place_text(item.info)
        painter.drawText(line, Qt.AlignmentFlag.AlignVCenter,
                         painter.fontMetrics().elidedText(more, Qt.TextElideMode.ElideRight, line.width()))  # fmt: skip
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
