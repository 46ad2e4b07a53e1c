"""Automatic for many frames: each begins with what its own noise and light ask for; listed with what was
decided and why."""

from __future__ import annotations

from PySide6.QtCore import QAbstractTableModel, QObject, Qt, Signal
from PySide6.QtWidgets import (
    QDialog,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QPushButton,
    QTableView,
    QVBoxLayout,
    QWidget,
)

from irvane.core.errors import plain_text
from irvane.core.files.preferences import preferences
from irvane.core.judge.automatic import Decision
from irvane.desktop import theme
from irvane.desktop.filework import FileWork
from irvane.desktop.item import Item
from irvane.desktop.plain import tip
from irvane.desktop.rows import NOWHERE, Index
from irvane.desktop.session import Session

_COLUMNS = ("Frame", "What was decided, and why")
_NOTHING_CHOSEN = (
    "Nothing is chosen for frames of any noise: Ctrl+, says what new frames begin with, each by its noise."
)


class Automatic(QObject):
    """Has frames decided on in the background, and gives them what was decided.

    Signals
    -------
    said(sentence), changed : there are more decisions.

    Attributes
    ----------
    made : decisions of this session, by the number of the frame, in their order.
    """

    said = Signal(str)
    changed = Signal()

    def __init__(self, session: Session, files: FileWork, parent: QWidget) -> None:
        super().__init__(parent)
        self.session, self._window = session, parent
        self.made: dict[int, Decision] = {}
        self.dialog: DecisionsDialog | None = None
        self._files = files
        self._open: set[int] = set()
        self._together: dict[int, Decision] = {}
        files.decided.connect(self._decided)
        files.fresh.connect(self._fresh)

    def run(self, numbers: list[int]) -> None:
        """Decide on frames, those selected; what comes of it is one step of undo."""
        how = preferences().new_frames
        if not how.decides:
            self.said.emit(_NOTHING_CHOSEN)
            return
        items = [self.session.items[n] for n in numbers]
        items = [i for i in items if i.ready and not (i.locked or i.is_merge or i.problem) and i.leads]
        if not items:
            self.said.emit("There is no frame to decide on.")
            return
        self._together = {}
        for item in items:
            self._open.add(item.number)
            self._files.decide(item.number, item.source, item.settings(item.sidecar.current), how)
        self.said.emit(f"Looking at {len(items)} frame{'' if len(items) == 1 else 's'} …")

    def show(self) -> None:
        """List what was decided."""
        if self.dialog is None:
            self.dialog = DecisionsDialog(self, self._window)
        self.dialog.refresh()
        self.dialog.show()
        self.dialog.raise_()

    def _fresh(self, number: int) -> None:
        """A frame without proofs was read."""
        how, item = preferences().new_frames, self.session.items.get(number)
        if how.by_itself and how.decides and item is not None and not (item.is_merge or item.problem):
            self._files.decide(number, item.source, item.settings(0), how)

    def _decided(self, number: int, decision: Decision) -> None:
        item = self.session.items.get(number)
        if item is None:
            return
        self.made[number] = decision
        if decision.measured is not None:
            self.session.measured(number, decision.measured)
        if number not in self._open:  # a new frame: what it begins with
            if decision.settings is not None and self._untouched(item):
                self.session.begin_with(number, decision.settings)
            self.changed.emit()
            return
        self._open.discard(number)
        self._together[number] = decision
        self.changed.emit()
        if not self._open:
            self._apply()

    @staticmethod
    def _untouched(item: Item) -> bool:
        return len(item.sidecar.proofs) == 1 and not (item.sidecar.mark or item.sidecar.stars)

    def _apply(self) -> None:
        values = {n: d.settings for n, d in self._together.items() if d.settings is not None}
        self.session.replace_many(values, "automatic by each frame's noise and light")
        count = len(self._together)
        self.said.emit(
            f"{len(values)} of {count} frame{'' if count == 1 else 's'} changed; Ctrl+Z takes it back."
        )
        self._together = {}
        self.show()


class _Decisions(QAbstractTableModel):
    def __init__(self, automatic: Automatic, parent: QObject) -> None:
        super().__init__(parent)
        self._automatic = automatic
        self.numbers: list[int] = []

    def refresh(self) -> None:
        self.beginResetModel()
        self.numbers = [n for n in self._automatic.made if n in self._automatic.session.items]
        self.endResetModel()

    def rowCount(self, parent: Index = NOWHERE) -> int:  # noqa: N802
        return 0 if parent.isValid() else len(self.numbers)

    def columnCount(self, parent: Index = NOWHERE) -> int:  # noqa: N802
        return 0 if parent.isValid() else len(_COLUMNS)

    def headerData(self, section: int, way: Qt.Orientation, role: int = 0) -> object:  # noqa: N802
        across = role == Qt.ItemDataRole.DisplayRole and way == Qt.Orientation.Horizontal
        return _COLUMNS[section] if across else None

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        number = self.numbers[index.row()]
        name = self._automatic.session.items[number].source.name
        words = self._automatic.made[number].words
        if role == Qt.ItemDataRole.ToolTipRole:
            return tip(f"{name}\n{words}")
        if role != Qt.ItemDataRole.DisplayRole:
            return None
        return plain_text(name if index.column() == 0 else words, 300)


class DecisionsDialog(QDialog):
    """The list of what was decided."""

    def __init__(self, automatic: Automatic, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("What was decided")
        self.resize(820, 420)
        self.model = _Decisions(automatic, self)
        table = QTableView()
        table.setModel(self.model)
        table.setAccessibleName("Frames and what was decided")
        table.setShowGrid(False)
        table.setSelectionBehavior(QTableView.SelectionBehavior.SelectRows)
        table.verticalHeader().hide()
        table.verticalHeader().setDefaultSectionSize(38)  # two lines
        table.setSelectionMode(QTableView.SelectionMode.NoSelection)
        table.setTextElideMode(Qt.TextElideMode.ElideRight)
        table.setStyleSheet(f"QTableView {{ background: {theme.PANEL.name()}; }}")
        table.horizontalHeader().setStretchLastSection(True)
        table.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Interactive)
        table.setColumnWidth(0, 190)
        table.horizontalHeader().setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)
        self.told = QLabel()
        leave = QPushButton("Close")
        leave.clicked.connect(self.accept)
        below = QHBoxLayout()
        below.addWidget(self.told, 1)
        below.addWidget(leave)
        layout = QVBoxLayout(self)
        layout.addWidget(table, 1)
        layout.addLayout(below)
        automatic.changed.connect(self.refresh)

    def refresh(self) -> None:
        """Show the decisions as they are now."""
        self.model.refresh()
        count = self.model.rowCount()
        self.told.setText(
            f"{count} frame{'' if count == 1 else 's'}" if count else "Nothing was decided yet."
        )
