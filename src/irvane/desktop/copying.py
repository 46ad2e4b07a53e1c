"""Copying a card in the window: from where, to where, under which names; then the copies are opened."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QDialog,
    QFileDialog,
    QFormLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPlainTextEdit,
    QProgressBar,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from irvane.core.errors import IrvaneError, plain_text
from irvane.core.finish.copying import FAILED, Copied, copy_all, find_pictures, plan_copy, told
from irvane.core.finish.naming import WORDS
from irvane.core.line.jobs import Worker
from irvane.core.progress import Progress
from irvane.core.waits import wait_text
from irvane.desktop.filework import unexpected
from irvane.desktop.plain import tip

_NICE = 10


class CopyDialog(QDialog):
    """Copies a card.

    Signals
    -------
    copied(paths) : these are there now.
    """

    copied = Signal(object)
    _call = Signal(object)

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Copy a card")
        self.resize(620, 360)
        self._worker = Worker("copy", unexpected, nice=_NICE)
        self._call.connect(lambda function: function(), Qt.ConnectionType.QueuedConnection)
        self.card, self.folder = QLineEdit(), QLineEdit(str(Path.home() / "Pictures"))
        self.pattern = QLineEdit("{date}/{name}")
        words = "\n".join(
            f"{{{word}}}: {meant}" for word, meant in WORDS.items() if word not in ("proof", "destination")
        )
        self.pattern.setToolTip(tip(f"A slash makes folders. Words in braces stand for:\n{words}"))
        form = QFormLayout()
        for label, field, help_ in (
            ("From", self.card, "The card, or any folder: its folders are gone through as well."),
            ("To", self.folder, "The folder that the copies go into."),
        ):
            field.setToolTip(help_)
            field.setAccessibleName(label)
            pick = QPushButton("…")
            pick.setAccessibleName(f"{label}: choose a folder")
            pick.clicked.connect(lambda _checked=False, f=field: self._pick(f))
            row = QHBoxLayout()
            row.addWidget(field, 1)
            row.addWidget(pick)
            form.addRow(label, row)
        self.pattern.setAccessibleName("Names")
        form.addRow("Names", self.pattern)
        for field in (self.card, self.folder, self.pattern):
            field.textChanged.connect(self._preview)
        self.told = QLabel("Every copy is read again and held against its source; nothing is deleted.")
        self.told.setWordWrap(True)
        self.told.setTextFormat(Qt.TextFormat.PlainText)
        self.problems = QPlainTextEdit()
        self.problems.setReadOnly(True)
        self.problems.setAccessibleName("What could not be copied")
        self.problems.hide()
        self.bar = QProgressBar()
        self.bar.setRange(0, 1000)
        self.bar.setTextVisible(False)
        self.bar.setAccessibleName("Progress")
        self.bar.hide()
        self.start = QPushButton("Copy")
        self.start.setDefault(True)
        self.start.clicked.connect(self._start)
        self.leave = QPushButton("Close")
        self.leave.clicked.connect(self.reject)
        below = QHBoxLayout()
        below.addWidget(self.bar, 1)
        below.addStretch(1)
        below.addWidget(self.leave)
        below.addWidget(self.start)
        layout = QVBoxLayout(self)
        layout.addLayout(form)
        layout.addWidget(self.told)
        layout.addWidget(self.problems, 1)
        layout.addStretch(1)
        layout.addLayout(below)
        self.running = False
        self._preview()

    def _pick(self, field: QLineEdit) -> None:
        name = QFileDialog.getExistingDirectory(self, "Choose a folder", field.text())
        if name:
            field.setText(name)

    def _preview(self) -> None:
        """Say what the names will be like, by the first pictures of the card."""
        card = self.card.text().strip()
        self.start.setEnabled(bool(card and self.folder.text().strip() and self.pattern.text().strip()))
        if not card:
            return

        def work(_progress: Progress) -> str:
            found, others = find_pictures(Path(card))
            plan = plan_copy(found[:3], Path(), self.pattern.text())
            names = ", ".join(str(one.target) for one in plan)
            rest = f" {others} other files stay there." if others else ""
            return f"{len(found)} pictures{f': {names} …' if names else ''}{rest}"

        self._do("preview", work, lambda words: self.told.setText(plain_text(words, 400)), self._refuse)

    def _do(self, key: str, work: Callable[[Progress], object], done: Callable, failed: Callable) -> None:  # type: ignore[type-arg]
        self._worker.submit(
            key,
            work,
            lambda found: self._call.emit(lambda: done(found)),
            lambda error: self._call.emit(lambda: failed(error)),
            5,
            lambda share, left: self._call.emit(lambda: self._advance(share, left)),
        )

    def _refuse(self, error: IrvaneError) -> None:
        self.told.setText(str(error))
        self._over()

    def _advance(self, share: float, left: float) -> None:
        if self.running:
            self.bar.setValue(round(share * 1000))
            self.told.setText(wait_text("copying", share, left if share >= 0.05 else None))

    def _start(self) -> None:
        if self.running:
            self._worker.cancel(lambda key: key == "copy")
            self.told.setText("Stopped. What was copied stays; Copy goes on where it was.")
            self._over()
            return
        card, folder, pattern = Path(self.card.text()), Path(self.folder.text()), self.pattern.text()

        def work(progress: Progress) -> tuple[list[Copied], int]:
            found, others = find_pictures(card)
            return list(copy_all(plan_copy(found, folder, pattern), progress)), others

        self.running = True
        self.start.setText("Stop")
        self.bar.show()
        self._do("copy", work, self._done, self._refuse)

    def _done(self, made: tuple[list[Copied], int]) -> None:
        results, others = made
        self.told.setText(told(results, others))
        failed = [one.reason for one in results if one.state == FAILED]
        self.problems.setVisible(bool(failed))
        self.problems.setPlainText("\n".join(failed))
        self._over()
        self.copied.emit([one.target for one in results if one.state != FAILED])

    def _over(self) -> None:
        self.running = False
        self.bar.hide()
        self.start.setText("Copy")

    def done(self, result: int) -> None:
        """Closing stops what is being copied; nothing half is left."""
        self._worker.close()
        super().done(result)
