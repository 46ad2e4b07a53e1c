"""Choosing the medium of a soft proof: its profile, and how colours are brought to it."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from pathlib import Path

from PySide6.QtCore import Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QFileDialog,
    QFormLayout,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from irvane.core.colour.soft_proof import INTENTS, SoftProof, read_medium
from irvane.core.errors import ReadError


class MediumDialog(QDialog):
    """The medium.

    Signals
    -------
    chosen(SoftProof or None)
    """

    chosen = Signal(object)

    def __init__(self, now: SoftProof | None, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Soft proof")
        self._now = now
        self.name = QLabel(now.name if now else "no profile chosen")
        pick = QPushButton("Profile …")
        pick.setToolTip("The ICC profile of a paper on a printer, or of another medium.")
        pick.clicked.connect(self._ask)
        self.intent = QComboBox()
        self.intent.setAccessibleName("Intent")
        self.intent.addItems(list(INTENTS))
        self.intent.setCurrentText(now.intent if now else "relative colorimetric")
        self.intent.setToolTip("How colours that the medium does not have are brought to it (ICC.1).")
        self.paper = QCheckBox("show the colour of the paper")
        self.paper.setChecked(bool(now and now.paper))
        self.black = QCheckBox("fit black in (black point compensation)")
        self.black.setChecked(now.black if now else True)
        self.told = QLabel()
        self.told.setWordWrap(True)
        self.see = QPushButton("See it so")
        self.see.setDefault(True)
        self.see.clicked.connect(self._take)
        self.see.setEnabled(now is not None)
        none = QPushButton("See it as it is")
        none.clicked.connect(partial(self.chosen.emit, None))
        none.clicked.connect(self.accept)
        row = QHBoxLayout()
        row.addWidget(self.name, 1)
        row.addWidget(pick)
        form = QFormLayout()
        form.addRow("Medium", row)
        form.addRow("Intent", self.intent)
        form.addRow("", self.paper)
        form.addRow("", self.black)
        below = QHBoxLayout()
        below.addStretch(1)
        below.addWidget(none)
        below.addWidget(self.see)
        layout = QVBoxLayout(self)
        layout.addLayout(form)
        layout.addWidget(self.told)
        layout.addLayout(below)

    def _ask(self) -> None:
        name, _ = QFileDialog.getOpenFileName(
            self, "Profile of the medium", "", "ICC profiles (*.icc *.icm);;All files (*)"
        )
        if name:
            self.use(Path(name))

    def use(self, path: Path) -> None:
        """Take the profile of a file."""
        try:
            data, name = read_medium(path)
        except ReadError as error:
            self.told.setText(str(error))
            return
        self._now = SoftProof(data, name)
        self.name.setText(name)
        self.told.clear()
        self.see.setEnabled(True)

    def _take(self) -> None:
        assert self._now is not None
        self.chosen.emit(
            replace(
                self._now,
                intent=self.intent.currentText(),
                paper=self.paper.isChecked(),
                black=self.black.isChecked(),
            )
        )
        self.accept()
