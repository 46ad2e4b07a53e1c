"""Copying settings: chosen stations of one proof to other frames, after seeing what would change."""

from __future__ import annotations

from PySide6.QtCore import QAbstractListModel, QObject, Qt, Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QDialog,
    QHBoxLayout,
    QLabel,
    QListView,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from irvane.core.errors import plain_text
from irvane.core.settings import Settings, copied_settings
from irvane.desktop import theme
from irvane.desktop.item import Item
from irvane.desktop.parts import Parts, change_words
from irvane.desktop.plain import counted, tip
from irvane.desktop.rows import NOWHERE, Index


class _Frames(QAbstractListModel):
    """The frames that may take the settings; what a line says is worked out when it is seen."""

    changed = Signal()

    def __init__(self, settings: Settings, items: list[Item], parent: QObject) -> None:
        super().__init__(parent)
        self._settings, self._items = settings, items
        self._stations: tuple[str, ...] = ()
        self._ticked: set[int] = set()

    def rowCount(self, parent: Index = NOWHERE) -> int:  # noqa: N802
        return 0 if parent.isValid() else len(self._items)

    def flags(self, index: Index) -> Qt.ItemFlag:
        return super().flags(index) | Qt.ItemFlag.ItemIsUserCheckable

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        item = self._items[index.row()]
        if role == Qt.ItemDataRole.CheckStateRole:
            return Qt.CheckState.Checked if index.row() in self._ticked else Qt.CheckState.Unchecked
        if role not in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.ToolTipRole):
            return None
        before = item.settings(item.sidecar.current)
        words = change_words(before, copied_settings(self._settings, before, self._stations))
        if role == Qt.ItemDataRole.ToolTipRole:
            return tip(f"{item.source.name}, {item.proof_name(item.sidecar.current)}: {words}")
        return f"{item.source.name}   {words}"

    def setData(  # noqa: N802
        self, index: Index, value: object, role: int = Qt.ItemDataRole.EditRole
    ) -> bool:
        if role != Qt.ItemDataRole.CheckStateRole:
            return False
        self._ticked ^= {index.row()}
        self.dataChanged.emit(index, index)
        self.changed.emit()
        return True

    def tick_all(self, on: bool) -> None:
        """Tick all lines, or none."""
        self._ticked = set(range(len(self._items))) if on else set()
        self._tell()

    def tick(self, rows: list[int]) -> None:
        """Tick these lines."""
        self._ticked |= set(rows)
        self._tell()

    def set_stations(self, stations: tuple[str, ...]) -> None:
        """The stations that are to be copied."""
        self._stations = stations
        self._tell()

    def ticked(self) -> list[Item]:
        """Items with a tick."""
        return [self._items[row] for row in sorted(self._ticked)]

    def _tell(self) -> None:
        self.dataChanged.emit(self.index(0), self.index(len(self._items) - 1))
        self.changed.emit()


class CopySettingsDialog(QDialog):
    """Which stations, to which frames; every line says what would change.

    Signals
    -------
    wanted(stations, numbers, fresh) : copy these to these items, as a new proof of theirs or into the
    present one.
    """

    wanted = Signal(tuple, tuple, bool)

    def __init__(
        self, name: str, settings: Settings, items: list[Item], parent: QWidget,
        ticked: frozenset[int] = frozenset(),
    ) -> None:  # fmt: skip
        """`name` : of the frame that they come from. ticked : items that are ticked at first."""
        super().__init__(parent)
        self.setWindowTitle("Copy settings")
        self.resize(820, 520)
        self.parts = Parts(settings)
        self.parts.changed.connect(self._preview)
        self.lines = _Frames(settings, items, self)
        self.lines.tick([row for row, item in enumerate(items) if item.number in ticked])
        self.lines.changed.connect(self._count)
        self.frames = QListView()
        self.frames.setModel(self.lines)
        self.frames.setAccessibleName("Frames that take the settings")
        self.frames.setToolTip("Frames with a tick take the settings; Space ticks the chosen line.")
        self.frames.setUniformItemSizes(True)
        self.frames.setStyleSheet(f"QListView {{ background: {theme.PANEL.name()}; }}")  # the boxes stand out
        every = QPushButton("Tick all")
        every.clicked.connect(lambda: self.lines.tick_all(True))
        none = QPushButton("Tick none")
        none.clicked.connect(lambda: self.lines.tick_all(False))
        self.fresh = QCheckBox("As a new proof of each frame")
        self.fresh.setToolTip("The proofs that are there stay as they are.")
        self.copy = QPushButton()
        self.copy.setDefault(True)
        self.copy.clicked.connect(self._take)
        leave = QPushButton("Cancel")
        leave.setToolTip("Nothing is changed (Esc).")
        leave.clicked.connect(self.reject)
        left = QVBoxLayout()
        title = QLabel(plain_text(f"From {name}", 60))
        title.setTextFormat(Qt.TextFormat.PlainText)
        left.addWidget(title)
        left.addWidget(self.parts)
        left.addStretch(1)
        right = QVBoxLayout()
        heads = QHBoxLayout()
        heads.addWidget(QLabel("To"), 1)
        heads.addWidget(every)
        heads.addWidget(none)
        right.addLayout(heads)
        right.addWidget(self.frames, 1)
        right.addWidget(self.fresh)
        both = QHBoxLayout()
        both.addLayout(left, 2)
        both.addSpacing(12)
        both.addLayout(right, 3)
        below = QHBoxLayout()
        below.addStretch(1)
        below.addWidget(leave)
        below.addWidget(self.copy)
        layout = QVBoxLayout(self)
        layout.addLayout(both, 1)
        layout.addLayout(below)
        self._preview()

    def chosen_items(self) -> list[Item]:
        """Items with a tick."""
        return self.lines.ticked()

    def _preview(self) -> None:
        """Every frame's line says what it would get."""
        self.lines.set_stations(self.parts.chosen())
        self._count()

    def _count(self) -> None:
        count = len(self.chosen_items())
        self.copy.setText(f"Copy to {counted(count, 'frame')}")
        self.copy.setEnabled(bool(count and self.parts.chosen()))

    def _take(self) -> None:
        numbers = tuple(item.number for item in self.chosen_items())
        self.wanted.emit(self.parts.chosen(), numbers, self.fresh.isChecked())
        self.accept()
