"""The queue as a surface of its own: what waits, what is being written, what came of the rest."""

from __future__ import annotations

import time
from pathlib import Path
from typing import Any

from PySide6.QtCore import QAbstractTableModel, QObject, Qt, QTimer, QUrl, Signal
from PySide6.QtGui import QDesktopServices
from PySide6.QtWidgets import (
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
from irvane.core.finish.journal import CANCELLED, DONE, FAILED, RUNNING, WAITING, Entry
from irvane.core.waits import Countdown, left_text
from irvane.desktop import theme
from irvane.desktop.plain import tip
from irvane.desktop.queue.runner import QueueRunner
from irvane.desktop.rows import NOWHERE, Index
from irvane.desktop.writing.strip import TICK

_COLUMNS = ("Frame", "Destination", "State", "What came of it")


class _Entries(QAbstractTableModel):
    """The entries as rows."""

    def __init__(self, runner: QueueRunner, parent: QObject) -> None:
        super().__init__(parent)
        self.runner = runner
        self.entries: list[Entry] = []
        self.share = 0.0

    def refresh(self) -> None:
        """Read the entries anew."""
        fresh = self.runner.entries()
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
            now = self.runner.now
            return f"writing {self.share:.0%}" if now is not None and now.id == entry.id else entry.state
        return plain_text(Path(entry.written).name if entry.state == DONE else entry.reason, 120)


class QueueWindow(QWidget):
    """Shows the queue and what can be done with it.

    Signals
    -------
    beside(source's first file, written file)
    """

    beside = Signal(object, object)

    def __init__(self, runner: QueueRunner, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Window)
        self.setWindowTitle("Queue")
        self.resize(900, 460)
        self.runner = runner
        self._timed, self._countdown = "", Countdown(0.0)
        self._ticking = QTimer(self, interval=TICK)
        self._ticking.timeout.connect(self.refresh)
        self.words = QLabel()
        self.bar = QProgressBar()
        self.bar.setRange(0, 1000)
        self.bar.setTextVisible(False)
        self.bar.setAccessibleName("Progress of the file that is being written")
        self.model = _Entries(runner, self)
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
            buttons.addWidget(self._button(words, help_, call))
        buttons.addStretch(1)
        buttons.addWidget(
            self._button("Clear", "Take what is over off the list; the files stay.", runner.clear)
        )
        layout = QVBoxLayout(self)
        layout.addWidget(self.words)
        layout.addWidget(self.bar)
        layout.addWidget(self.table, 1)
        layout.addLayout(buttons)
        runner.changed.connect(self.refresh)
        runner.changed.connect(runner.estimate)
        runner.estimated.connect(self.refresh)
        runner.advanced.connect(self._advance)
        self.refresh()
        runner.estimate()

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

    def _advance(self, share: float, left: float) -> None:
        self.model.share = share
        self._countdown.report(share, time.monotonic(), left)
        self.bar.setValue(round(share * 1000))
        self.refresh()

    def _time_left(self, waiting: int) -> str:
        """Of the file that is being written, and of all; nothing that is not known."""
        parts = []
        expected, running = self.runner.expected, self.runner.now
        if running is not None:
            if running.id != self._timed:
                self._timed, self._countdown = running.id, Countdown(time.monotonic())
            own = left_text(self._countdown.left(time.monotonic()))
            parts += [f"{own} for this file"] if own and waiting > 1 else [own] if own else []
        if waiting > (running is not None) and expected.count == waiting and expected.timed == expected.count:
            done = self._countdown.share if running is not None else 0.0
            told = left_text(expected.seconds * (waiting - done) / waiting)
            parts += [f"{told} for all {waiting}"] if told else []
        return ", ".join(parts)

    def refresh(self) -> None:
        """Show the queue as it is now."""
        self.model.refresh()
        entries = self.model.entries
        count = {state: sum(e.state == state for e in entries) for state in (WAITING, RUNNING, DONE, FAILED)}
        waiting = count[WAITING] + count[RUNNING]
        parts = [f"{waiting} to be written", f"{count[DONE]} written"]
        if count[FAILED]:
            parts.append(f"{count[FAILED]} failed")
        expected = self.runner.expected
        if waiting and expected.count == waiting and expected.size_words():
            parts.append(expected.size_words())
        if told := self._time_left(waiting):
            parts.append(told)
        self.words.setText(
            ", ".join(parts) if entries else "The queue is empty: put proofs into it from the station Finish."
        )
        running = self.runner.now is not None
        self.start.setText("Start" if self.runner.paused else "Pause")
        self.start.setEnabled(bool(waiting) or running)
        self.bar.setVisible(running)
        if running != self._ticking.isActive():
            self._ticking.start() if running else self._ticking.stop()
        if not running:
            self.model.share = 0.0
