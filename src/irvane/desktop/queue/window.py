"""The queue as a surface of its own: what waits, what is being written, what came of the rest."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from PySide6.QtCore import QAbstractTableModel, QObject, QPoint, Qt, QUrl, Signal
from PySide6.QtGui import QDesktopServices
from PySide6.QtWidgets import (
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QMenu,
    QProgressBar,
    QPushButton,
    QTableView,
    QVBoxLayout,
    QWidget,
)

from irvane.core.errors import plain_text
from irvane.core.finish.journal import CANCELLED, DONE, FAILED, RUNNING, WAITING, Entry
from irvane.desktop import theme
from irvane.desktop.plain import tip
from irvane.desktop.queue.telling import QueueTelling
from irvane.desktop.rows import NOWHERE, Index

#: States as they are said, where that differs.
_STATES = {RUNNING: "written elsewhere", DONE: "written"}
_COLUMNS = ("Frame", "Destination", "State", "What came of it")


class _Entries(QAbstractTableModel):
    """The entries as rows."""

    def __init__(self, telling: QueueTelling, parent: QObject) -> None:
        super().__init__(parent)
        self.telling = telling
        self.entries: list[Entry] = []

    def refresh(self) -> None:
        """Show the entries as they are told now."""
        fresh = self.telling.entries
        if [e.id for e in fresh] != [e.id for e in self.entries]:
            self.beginResetModel()
            self.entries = fresh
            self.endResetModel()
        elif fresh:
            self.entries = fresh
            self.dataChanged.emit(self.index(0, 0), self.index(len(fresh) - 1, len(_COLUMNS) - 1))

    def rowCount(self, parent: Index = NOWHERE) -> int:  # noqa: N802
        return 0 if parent.isValid() else len(self.entries)

    def columnCount(self, parent: Index = NOWHERE) -> int:  # noqa: N802
        return 0 if parent.isValid() else len(_COLUMNS)

    def headerData(  # noqa: N802
        self, section: int, way: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole
    ) -> Any:
        if role == Qt.ItemDataRole.DisplayRole and way == Qt.Orientation.Horizontal:
            return _COLUMNS[section]
        return None

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        entry = self.entries[index.row()]
        if role == Qt.ItemDataRole.ForegroundRole and entry.state == FAILED:
            return theme.WARNING
        if role == Qt.ItemDataRole.ToolTipRole:
            return tip(plain_text("\n".join((*entry.paths, entry.written, entry.reason)).strip(), 600))
        if role != Qt.ItemDataRole.DisplayRole:
            return None
        if index.column() == 0:
            more = f" and {len(entry.paths) - 1} more" if len(entry.paths) > 1 else ""
            return plain_text(
                f"{Path(entry.paths[0]).name}{more}{f' “{entry.proof}”' if entry.proof else ''}", 80
            )
        if index.column() == 1:
            return f"{entry.how.name}: {entry.how.words()}"
        if index.column() == 2:
            now = self.telling.runner.now
            writing = now is not None and now.id == entry.id
            return f"writing {self.telling.share:.0%}" if writing else _STATES.get(entry.state, entry.state)
        return plain_text(Path(entry.written).name if entry.state == DONE else entry.reason, 120)


class QueueWindow(QWidget):
    """Shows the queue and what can be done with it.

    Signals
    -------
    beside(source's first file, written file)
    """

    beside = Signal(object, object)

    def __init__(self, telling: QueueTelling, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Window)
        self.setWindowTitle("Queue")
        self.resize(900, 460)
        self.telling = telling
        runner = self.runner = telling.runner
        self.words, self.file_words = QLabel(), QLabel()
        self.words.setWordWrap(True)
        self.file_words.setObjectName("muted")
        self.all_bar, self.bar = QProgressBar(), QProgressBar()
        for bar, name in ((self.all_bar, "of all files"), (self.bar, "of the file that is being written")):
            bar.setRange(0, 1000)
            bar.setTextVisible(False)
            bar.setAccessibleName(f"Progress {name}")
        self.model = _Entries(telling, self)
        self.table = QTableView()
        self.table.setModel(self.model)
        self.table.setAccessibleName("Files of the queue")
        self.table.setSelectionBehavior(QTableView.SelectionBehavior.SelectRows)
        self.table.setWordWrap(False)
        self.table.setShowGrid(False)
        self.table.verticalHeader().hide()
        self.table.verticalHeader().setDefaultSectionSize(22)
        self.table.setStyleSheet(f"QTableView {{ background: {theme.PANEL.name()}; }}")
        header = self.table.horizontalHeader()
        header.setSectionResizeMode(QHeaderView.ResizeMode.Interactive)
        header.setStretchLastSection(True)
        for column, width in enumerate((220, 250, 110)):
            self.table.setColumnWidth(column, width)
        self.table.doubleClicked.connect(lambda _index: self._open_folder())
        self.start = self._button("Start", "Write what waits; editing goes on meanwhile.", self._toggle)
        buttons = QHBoxLayout()
        buttons.addWidget(self.start)
        self.buttons = [self.start]
        for words, help_, call in (
            ("To the front", "Before all others.", lambda: runner.move(self._ids(), 0)),
            ("Up", "One place earlier.", lambda: runner.move(self._ids(), -1)),
            ("Down", "One place later.", lambda: runner.move(self._ids(), 1)),
            ("Cancel", "Do not write these; without a selection: all that wait.", self._cancel),
            (
                "Again",
                "Put what failed or was cancelled back.",
                lambda: runner.retry(self._ids() or self._all(FAILED, CANCELLED)),
            ),
            ("Beside its source", "The written file and its frame on the bench.", self._show_beside),
            ("Open the folder", "Where the file went.", self._open_folder),
        ):
            self.buttons.append(self._button(words, help_, call))
            buttons.addWidget(self.buttons[-1])
        buttons.addStretch(1)
        buttons.addWidget(
            self._button("Clear", "Take what is over off the list; the files stay.", runner.clear)
        )
        layout = QVBoxLayout(self)
        layout.addWidget(self.words)
        layout.addWidget(self.all_bar)
        layout.addWidget(self.file_words)
        layout.addWidget(self.bar)
        layout.addWidget(self.table, 1)
        layout.addLayout(buttons)
        telling.told.connect(self.refresh)
        self.table.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.table.customContextMenuRequested.connect(self._about_entry)
        self.refresh()

    @staticmethod
    def _button(words: str, help_: str, call: Any) -> QPushButton:
        button = QPushButton(words)
        button.setToolTip(help_)
        button.setAccessibleDescription(help_)
        button.clicked.connect(lambda _checked=False: call())
        return button

    def _ids(self) -> list[str]:
        rows = sorted({index.row() for index in self.table.selectionModel().selectedIndexes()})
        return [self.model.entries[row].id for row in rows]

    def _all(self, *states: str) -> list[str]:
        return [entry.id for entry in self.model.entries if entry.state in states]

    def _toggle(self) -> None:
        if self.runner.paused:
            self.runner.start()
        else:
            self.runner.pause()

    def _cancel(self) -> None:
        self.runner.cancel(self._ids() or self._all(WAITING, RUNNING))

    def _open_folder(self) -> None:
        ids = self._ids()
        written = [e.written for e in self.model.entries if e.written and (not ids or e.id in ids)]
        if written:
            QDesktopServices.openUrl(QUrl.fromLocalFile(str(Path(written[-1]).parent)))

    def _show_beside(self) -> None:
        ids = self._ids()
        written = [e for e in self.model.entries if e.state == DONE and (not ids or e.id in ids)]
        if written:
            self.beside.emit(Path(written[-1].paths[0]), Path(written[-1].written))

    def _about_entry(self, place: QPoint) -> None:
        """The right button on an entry: what can be done with it, and with what is selected."""
        row = self.table.rowAt(place.y())
        if row < 0:
            return
        if row not in {index.row() for index in self.table.selectionModel().selectedIndexes()}:
            self.table.selectRow(row)
        menu = QMenu(self)
        for button in self.buttons[1:]:
            menu.addAction(button.text(), button.click)
        menu.popup(self.table.viewport().mapToGlobal(place))
        menu.aboutToHide.connect(menu.deleteLater)

    def refresh(self) -> None:
        """Show the queue as it is now."""
        self.model.refresh()
        telling, runner = self.telling, self.runner
        self.words.setText(telling.words())
        running = runner.now is not None
        several = len(telling.entries) > 1
        self.start.setText("Start" if runner.paused else "Pause")
        if runner.paused and telling.count(DONE) and telling.waiting:
            self.start.setText("Go on")
        self.start.setEnabled(bool(telling.waiting) or running)
        self.bar.setVisible(running)
        self.file_words.setVisible(running)
        self.file_words.setText(telling.of_file())
        self.all_bar.setVisible(several and bool(telling.waiting))
        self.bar.setValue(round(telling.share * 1000))
        self.all_bar.setValue(round(telling.share_of_all * 1000))
