"""The contact sheet: a grid of all open frames with their data and marks, sorted and filtered."""

from __future__ import annotations

import time

from PySide6.QtCore import QEvent, QObject, QPoint, QRect, Qt, QTimer, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListView,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from irvane.core.waits import Countdown, left_text
from irvane.desktop import theme
from irvane.desktop.plain import counted
from irvane.desktop.session import Session
from irvane.desktop.sheet.cells import CELL, CellDelegate, Frames
from irvane.desktop.sheet.order import MEASURED, SHOWN, SORTS

#: Milliseconds after which changes are shown, and after which the cells of a sheet have their places.
_SOON, _LAID_OUT = 150, 120
_CHOICES = {
    "Sort by": "Sharpness and noise are measured first: that takes a while, and says how long.",
    "Show": "Which frames are shown: all, or those with a mark, stars, of sets, sharp ones.",
}
_SEARCH = (
    "Parts of names, and fields by name: iso 6400, iso >3200, f/2.8, 50 mm, 1/250, date 2026-11, lens WORD, "
    "camera WORD, 3 stars, kept, mb >20. All of it must hold."
)


class Sheet(QWidget):
    """The surface.

    Signals
    -------
    opened(number) : show this frame on the bench.
    seen : other frames came into sight. measuring : what it is sorted or filtered by has to be measured.
    stopped : it is not to be measured any further. menu_wanted(number, selected, place) : the right button.
    """

    opened = Signal(int)
    seen = Signal()
    measuring = Signal()
    stopped = Signal()
    menu_wanted = Signal(int, object, QPoint)

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.frames = Frames(session, self)
        self.list = QListView()
        self.list.setModel(self.frames)
        self.list.setViewMode(QListView.ViewMode.IconMode)
        self.list.setResizeMode(QListView.ResizeMode.Adjust)
        self.list.setMovement(QListView.Movement.Static)
        self.list.setUniformItemSizes(True)
        self.list.setLayoutMode(QListView.LayoutMode.Batched)
        self.list.setBatchSize(400)
        self.list.setGridSize(CELL)
        self.list.setSelectionMode(QListView.SelectionMode.ExtendedSelection)
        self.list.setVerticalScrollMode(QListView.ScrollMode.ScrollPerPixel)
        self.list.setItemDelegate(CellDelegate(self.frames))
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
        self.search.setPlaceholderText("iso 6400, f/2.8, 50 mm, date 2026-11, name …")
        self.search.setToolTip(_SEARCH)
        self.search.setClearButtonEnabled(True)
        self.search.setMinimumWidth(250)
        self.search.setAccessibleName("Search")
        self.search.textChanged.connect(lambda _t: self._refilter())
        self.told = QLabel()
        self.stop = QPushButton("Cancel")
        self.stop.setToolTip("Measure no further frames; what is known stays.")
        self.stop.clicked.connect(self._stop)
        self.stop.hide()
        self._countdown: Countdown | None = None
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
        row.addWidget(self.stop)
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
        self.list.installEventFilter(self)
        self.list.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.list.customContextMenuRequested.connect(self._about)
        self.list.setDragEnabled(True)
        self._refresh()

    def _about(self, place: QPoint) -> None:
        index = self.list.indexAt(place)
        if index.isValid():
            number = int(index.data(Qt.ItemDataRole.UserRole))
            self.menu_wanted.emit(number, self.selected(), self.list.viewport().mapToGlobal(place))

    def eventFilter(self, _watched: QObject, event: QEvent) -> bool:  # noqa: N802
        if event.type() == QEvent.Type.KeyPress and isinstance(event, QKeyEvent):
            ends = {Qt.Key.Key_Home: 0, Qt.Key.Key_End: self.frames.rowCount() - 1}
            if event.key() in ends and not event.modifiers() and self.frames.rowCount():
                self.list.setCurrentIndex(self.frames.index(ends[Qt.Key(event.key())], 0))
                self._show_current()
                return True
        return False

    @staticmethod
    def _choice(name: str, options: list[str], call) -> QComboBox:  # type: ignore[no-untyped-def]
        box = QComboBox()
        box.addItems(options)
        box.setAccessibleName(name)
        box.setToolTip(_CHOICES[name])
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
            self._begin_measuring()

    def _refilter(self) -> None:
        self.frames.shown, self.frames.text = self.filter.currentText(), self.search.text()
        self.frames.folded = self.fold.isChecked()
        self._refresh()
        if self.frames.shown in MEASURED:
            self._begin_measuring()

    def _tell(self) -> None:
        chosen, shown = len(self.selected()), self.frames.rowCount()
        count = sum(item.leads for item in self.session.items.values())
        words = f"{shown} of {counted(count, 'frame')}" if shown != count else counted(count, "frame")
        if chosen:
            words += f", {chosen} selected"
        self.told.setText(words + self._measuring())

    def _measuring(self) -> str:
        """How far measuring is, where the order needs it: the share, and the time once it is known."""
        frames = [
            i for i in self.session.items.values() if i.ready and i.leads and not (i.is_merge or i.problem)
        ]
        left = sum(item.measured is None for item in frames)
        needs = self.frames.by in MEASURED or self.frames.shown in MEASURED
        if not (needs and left) or self._countdown is None:
            self.stop.hide()
            return ""
        now = time.monotonic()
        share = (len(frames) - left) / len(frames)
        self._countdown.report((share - self._known) / max(1 - self._known, 1e-6), now)
        time_left = left_text(self._countdown.left(now))
        self.stop.show()
        return f", measuring {share:.0%}" + (f", {time_left}" if time_left else "")

    def _begin_measuring(self) -> None:
        frames = [
            i for i in self.session.items.values() if i.ready and i.leads and not (i.is_merge or i.problem)
        ]
        self._known = sum(item.measured is not None for item in frames) / max(len(frames), 1)
        self._countdown = Countdown(time.monotonic())
        self.measuring.emit()

    def _stop(self) -> None:
        self._countdown = None
        self.stopped.emit()
        self._tell()

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
                self._show_current()
                # cells get their places a little later
                QTimer.singleShot(0, self._show_current)
                QTimer.singleShot(_LAID_OUT, self._show_current)
                return

    def _show_current(self) -> None:
        index = self.list.currentIndex()
        if index.isValid():
            self.list.scrollTo(index, QListView.ScrollHint.EnsureVisible)

    def step(self, direction: int) -> None:
        """The next or previous frame."""
        row = self.list.currentIndex().row() + direction
        if 0 <= row < self.frames.rowCount():
            self.list.setCurrentIndex(self.frames.index(row, 0))

    def visible_items(self) -> list[int]:
        """Items that can be seen now."""
        view = self.list.viewport().rect()
        first = self.list.indexAt(view.topLeft() + QRect(0, 0, 20, 20).center())
        per_row = max(1, view.width() // CELL.width())
        rows = view.height() // CELL.height() + 2
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
