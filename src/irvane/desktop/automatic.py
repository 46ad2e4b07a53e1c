"""Automatic for many frames: what each one's own noise, edges and light ask for is proposed, listed with the
reason, and done when it is agreed to."""

from __future__ import annotations

from PySide6.QtCore import QAbstractTableModel, QObject, Qt, Signal
from PySide6.QtWidgets import (
    QDialog,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QProgressBar,
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
from irvane.desktop.parts import change_words
from irvane.desktop.plain import counted, tip
from irvane.desktop.rows import NOWHERE, Index
from irvane.desktop.session import Session

_COLUMNS = ("Frame", "What was found, and why", "What changes")


class Automatic(QObject):
    """Has frames decided on in the background, and gives them what was decided.

    Signals
    -------
    said(sentence), changed : there are more decisions. done(sentence) : what was proposed was done.

    Attributes
    ----------
    made : decisions of this session, by the number of the frame, in their order.
    proposed : those that wait to be agreed to.
    """

    said = Signal(str)
    done = Signal(str)
    changed = Signal()

    def __init__(self, session: Session, files: FileWork, parent: QWidget) -> None:
        super().__init__(parent)
        self.session, self._window = session, parent
        self.made: dict[int, Decision] = {}
        self.proposed: dict[int, Decision] = {}
        self.dialog: DecisionsDialog | None = None
        self._files = files
        self._open: set[int] = set()
        self._wanted = 0
        files.decided.connect(self._decided)
        files.fresh.connect(self._fresh)

    def run(self, numbers: list[int]) -> None:
        """Look at frames, those selected, and propose; nothing changes before it is agreed to."""
        items = [self.session.items[n] for n in numbers]
        items = [i for i in items if i.ready and not (i.locked or i.is_merge or i.problem) and i.leads]
        if not items:
            self.said.emit("Automatic is for frames: merges and files that cannot be changed are left alone.")
            return
        self.proposed = {}
        self._wanted = len(items)
        for item in items:
            self._open.add(item.number)
            settings = item.settings(item.sidecar.current)
            self._files.decide(item.number, item.source, settings, preferences().new_frames, rules=True)
        self.show()

    def cancel(self) -> None:
        """Nothing of what was proposed, or is still looked at, is done."""
        self._open.clear()
        self.proposed = {}
        self.changed.emit()

    def agree(self, numbers: list[int]) -> None:
        """Do what was proposed for these frames, in one step of undo."""
        values = {n: self.proposed[n].settings for n in numbers if n in self.proposed}
        given = {n: settings for n, settings in values.items() if settings is not None}
        self.session.replace_many(given, f"automatic for {counted(len(given), 'frame')}")
        self.proposed = {}
        self.changed.emit()
        self.done.emit(f"{counted(len(given), 'frame')} changed, each by its own noise, edges and light.")

    def looked_at(self) -> tuple[int, int]:
        """How many frames of those asked for were looked at, and how many there are."""
        return self._wanted - len(self._open), self._wanted

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
        self.proposed[number] = decision
        self.changed.emit()

    @staticmethod
    def _untouched(item: Item) -> bool:
        return len(item.sidecar.proofs) == 1 and not (item.sidecar.mark or item.sidecar.stars)


class _Decisions(QAbstractTableModel):
    """What was decided, or is proposed: then with a tick for each frame."""

    def __init__(self, automatic: Automatic, parent: QObject) -> None:
        super().__init__(parent)
        self._automatic = automatic
        self.numbers: list[int] = []
        self._left_out: set[int] = set()

    def refresh(self) -> None:
        self.beginResetModel()
        shown = self._automatic.proposed or self._automatic.made
        self.numbers = [n for n in shown if n in self._automatic.session.items]
        self._left_out &= set(self.numbers)
        self.endResetModel()

    def agreed(self) -> list[int]:
        """Frames with a tick for which there is something to do."""
        proposed = self._automatic.proposed
        return [n for n in proposed if n not in self._left_out and proposed[n].settings is not None]

    def rowCount(self, parent: Index = NOWHERE) -> int:  # noqa: N802
        return 0 if parent.isValid() else len(self.numbers)

    def columnCount(self, parent: Index = NOWHERE) -> int:  # noqa: N802
        return 0 if parent.isValid() else len(_COLUMNS)

    def headerData(self, section: int, way: Qt.Orientation, role: int = 0) -> object:  # noqa: N802
        across = role == Qt.ItemDataRole.DisplayRole and way == Qt.Orientation.Horizontal
        return _COLUMNS[section] if across else None

    def flags(self, index: Index) -> Qt.ItemFlag:
        number = self.numbers[index.row()]
        decision = self._automatic.proposed.get(number)
        ticks = index.column() == 0 and decision is not None and decision.settings is not None
        return super().flags(index) | (Qt.ItemFlag.ItemIsUserCheckable if ticks else Qt.ItemFlag.NoItemFlags)

    def setData(  # noqa: N802
        self, index: Index, value: object, role: int = Qt.ItemDataRole.EditRole
    ) -> bool:
        if role != Qt.ItemDataRole.CheckStateRole:
            return False
        self._left_out ^= {self.numbers[index.row()]}
        self.dataChanged.emit(index, index)
        return True

    def _texts(self, number: int) -> tuple[str, str, str]:
        decision = self._automatic.proposed.get(number) or self._automatic.made[number]
        item = self._automatic.session.items[number]
        before = item.settings(item.sidecar.current)
        waits = number in self._automatic.proposed
        change = "nothing" if decision.settings is None else change_words(before, decision.settings)
        if not waits and decision.settings is not None and change == "nothing changes":
            change = "done"
        return item.source.name, decision.words, change

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        number = self.numbers[index.row()]
        if role == Qt.ItemDataRole.CheckStateRole and self.flags(index) & Qt.ItemFlag.ItemIsUserCheckable:
            return Qt.CheckState.Unchecked if number in self._left_out else Qt.CheckState.Checked
        if role not in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.ToolTipRole):
            return None
        texts = self._texts(number)
        if role == Qt.ItemDataRole.ToolTipRole:
            return tip("\n".join(texts))
        return plain_text(texts[index.column()], 300)


class DecisionsDialog(QDialog):
    """The list of what is proposed, to be agreed to; afterwards of what was decided."""

    def __init__(self, automatic: Automatic, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Automatic")
        self.resize(980, 420)
        self._automatic = automatic
        self.model = _Decisions(automatic, self)
        table = self.table = QTableView()
        table.setModel(self.model)
        table.setAccessibleName("Frames and what was decided")
        table.setShowGrid(False)
        table.setSelectionBehavior(QTableView.SelectionBehavior.SelectRows)
        table.verticalHeader().hide()
        table.verticalHeader().setDefaultSectionSize(68)  # four lines
        table.setSelectionMode(QTableView.SelectionMode.NoSelection)
        table.setTextElideMode(Qt.TextElideMode.ElideRight)
        table.setStyleSheet(f"QTableView {{ background: {theme.PANEL.name()}; }}")
        table.horizontalHeader().setStretchLastSection(True)
        table.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Interactive)
        table.setColumnWidth(0, 190)
        table.setColumnWidth(1, 400)
        table.horizontalHeader().setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)
        self.told = QLabel()
        self.bar = QProgressBar()
        self.bar.setTextVisible(False)
        self.bar.setAccessibleName("Frames that were looked at")
        self.apply = QPushButton()
        self.apply.setDefault(True)
        self.apply.setToolTip("One step: undo takes all of it back.")
        self.apply.clicked.connect(self._agree)
        self.leave = QPushButton("Cancel")
        self.leave.clicked.connect(self.reject)
        below = QHBoxLayout()
        below.addWidget(self.told)
        below.addWidget(self.bar, 1)
        below.addStretch(1)
        below.addWidget(self.leave)
        below.addWidget(self.apply)
        layout = QVBoxLayout(self)
        layout.addWidget(table, 1)
        layout.addLayout(below)
        automatic.changed.connect(self.refresh)
        self.model.dataChanged.connect(lambda *_any: self._count())

    def refresh(self) -> None:
        """Show the decisions as they are now."""
        self.model.refresh()
        self._count()

    def _count(self) -> None:
        looked, wanted = self._automatic.looked_at()
        busy = looked < wanted
        self.bar.setVisible(busy)
        self.bar.setRange(0, max(wanted, 1))
        self.bar.setValue(looked)
        rows, agreed = self.model.rowCount(), len(self.model.agreed())
        if busy:
            self.told.setText(f"Looked at {looked} of {counted(wanted, 'frame')} …")
        elif self._automatic.proposed:
            self.told.setText("Nothing is changed yet." if agreed else "Nothing is to be changed.")
        else:
            self.told.setText(f"{counted(rows, 'frame')} looked at." if rows else "Nothing was decided yet.")
        self.apply.setVisible(busy or bool(self._automatic.proposed))
        self.apply.setEnabled(not busy and agreed > 0)
        self.apply.setText(f"Apply to {counted(agreed, 'frame')}")
        self.leave.setText("Cancel" if self.apply.isVisibleTo(self) else "Close")

    def _agree(self) -> None:
        self._automatic.agree(self.model.agreed())
        self.accept()

    def reject(self) -> None:
        """Nothing is done."""
        self._automatic.cancel()
        super().reject()
