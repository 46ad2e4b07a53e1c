"""Asking how frames are merged."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QFormLayout,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from irvane.core.errors import plain_text
from irvane.core.files.info import exposure_text
from irvane.core.files.thumbnails import Preview
from irvane.core.line.merge_options import MergeOptions, Pair
from irvane.core.line.stitching import Trial
from irvane.core.merge.kinds import KINDS, MEAN, PANORAMA
from irvane.desktop.bench.content import image_of
from irvane.desktop.item import Item
from irvane.desktop.laying import Laying
from irvane.desktop.numbers import WholeField
from irvane.desktop.places import Places
from irvane.desktop.plain import tip

_PROJECTIONS = {
    "auto": "by the width of the view", "rectilinear": "straight lines stay straight",
    "cylindrical": "cylinder: wide views",
    "spherical": "sphere: wide and high ones", "planar": "planar: a shifted lens",
}  # fmt: skip


class MergeDialog(QDialog):
    """How the selected frames are merged.

    Signals
    -------
    wanted(numbers, MergeOptions)
    """

    wanted = Signal(tuple, object)

    def __init__(
        self, items: list[Item], parent: QWidget, before: MergeOptions | None = None,
        places: Places | None = None,
        try_: Callable[[MergeOptions, Callable[[Trial | str], None]], None] | None = None,
    ) -> None:  # fmt: skip
        super().__init__(parent)
        self.setWindowTitle("Merge")
        self.resize(460, 260)
        self._items = items
        self.kind = QComboBox()
        for key, kind in KINDS.items():
            self.kind.addItem(kind.words, key)
            self.kind.setItemData(self.kind.count() - 1, tip(kind.help), Qt.ItemDataRole.ToolTipRole)
        self.told = QLabel()
        self.told.setWordWrap(True)
        self.told.setObjectName("muted")
        self.told.setMinimumHeight(2 * self.told.fontMetrics().height() + 6)
        self.ghosts = WholeField()
        self.ghosts.setRange(0, 100)
        self.ghosts.setValue(50)
        self.ghosts.setSuffix(" %")
        self.ghosts.setToolTip("What moved is taken from one frame; 0: nothing is taken for movement.")
        self.reference = QComboBox()
        self.reference.addItem("the middle exposure", "")
        for item in items:
            self.reference.addItem(
                f"{plain_text(item.source.name, 40)}, {exposure_text(item.info)}", item.path.name
            )
        self.reference.setToolTip("The frame whose place and moving things are kept.")
        self.projection = QComboBox()
        for key, words in _PROJECTIONS.items():
            self.projection.addItem(words, key)
        self.projection.setToolTip(
            "How a wide view is laid flat; planar is for a shifted lens or a flat thing."
        )
        self.fill = QCheckBox("cut to the largest picture without empty corners")
        self.fill.setChecked(True)
        self.aligns = QCheckBox("lay the frames on each other")
        self.aligns.setChecked(True)
        self.aligns.setToolTip("Frames of a tripod are found to stand still and are not resampled.")
        form = QFormLayout()
        for label, widget in (
            ("Frames", QLabel(str(len(items)))), ("Merge", self.kind), ("", self.told),
            ("Search for movement", self.ghosts),
            ("Reference", self.reference), ("", self.aligns), ("Projection", self.projection), ("",
            self.fill),
        ):  # fmt: skip
            widget.setAccessibleName(label or widget.accessibleName())
            form.addRow(label, widget)
        take = QPushButton("Merge")
        take.setDefault(True)
        take.clicked.connect(self._take)
        leave = QPushButton("Cancel")
        leave.clicked.connect(self.reject)
        below = QHBoxLayout()
        below.addStretch(1)
        below.addWidget(leave)
        below.addWidget(take)
        self.places = places
        sides = QHBoxLayout()
        column = QVBoxLayout()
        column.addLayout(form)
        column.addStretch(1)
        sides.addLayout(column)
        if places is not None:
            self.resize(980, 420)
            sides.addWidget(places, 1)
        self._try = try_
        pictures = [(name, image_of(p.pixels) if p is not None else None) for name, p in _positions(items)]
        self.laying = Laying(pictures, before.points if before is not None else (), self._tried)
        self.laying.setVisible(False)
        sides.addWidget(self.laying, 1)
        layout = QVBoxLayout(self)
        layout.addLayout(sides, 1)
        layout.addLayout(below)
        self.kind.currentIndexChanged.connect(lambda _n: self._tell())
        self.projection.currentIndexChanged.connect(lambda _n: self.laying.again())
        self.fill.toggled.connect(lambda _on: self.laying.again())
        steps = {round(i.info.exposure_value or 0, 1) for i in items}
        if len(steps) == 1 and len(items) > 1:
            self.kind.setCurrentIndex(list(KINDS).index(MEAN))
        if before is not None:
            self._begin_with(before)
        self._tell()

    def _begin_with(self, how: MergeOptions) -> None:
        for box, key in (
            (self.kind, how.kind),
            (self.reference, how.reference),
            (self.projection, how.projection),
        ):
            box.setCurrentIndex(max(0, box.findData(key)))
        self.ghosts.setValue(round(how.ghosts))
        self.aligns.setChecked(how.aligns)
        self.fill.setChecked(how.crop == "fill")

    def _tell(self) -> None:
        kind = self.kind.currentData()
        self.told.setText(KINDS[kind].help)
        for widget in (self.projection, self.fill):
            widget.setEnabled(kind == PANORAMA)
        for widget in (self.reference, self.aligns):
            widget.setEnabled(kind != PANORAMA)
        wide = kind == PANORAMA and self._try is not None
        if wide and not self.laying.isVisibleTo(self):
            self.laying.setVisible(True)
            self.resize(1080, 640)
            self.laying.again()
        elif not wide and self.laying.isVisibleTo(self):
            self.laying.setVisible(False)
            self.resize(460, 260)

    def _tried(self, points: tuple[Pair, ...], done: Callable[[Trial | str], None]) -> None:
        if self._try is not None:
            self._try(replace(self._how(), points=points), done)

    def _take(self) -> None:
        self.wanted.emit(tuple(item.number for item in self._items), self._how())
        self.accept()

    def _how(self) -> MergeOptions:
        kind = self.kind.currentData()
        return MergeOptions(
            kind,
            float(self.ghosts.value()),
            self.reference.currentData(),
            self.aligns.isChecked(),
            self.projection.currentData(),
            "fill" if self.fill.isChecked() else "keep",
            self.places.places() if self.places is not None else (),
            points=self.laying.pairs() if kind == PANORAMA else (),
        )


def _positions(items: list[Item]) -> list[tuple[str, Preview | None]]:
    """Positions by the names of their first frames, with the preview of their middle exposure."""
    found = []
    for item in items:
        mates = [one for one in items if one.number in item.bracket] or [item]
        if item is mates[0]:
            found.append((item.path.name, min(mates, key=lambda one: abs(one.offset or 0.0)).preview))
    return found
