"""Merging in the window: which frames, how; sets made by hand; a bracket planned beforehand."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np
from PySide6.QtCore import QObject, Qt, Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QFormLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from irvane.core.errors import SettingError, plain_text
from irvane.core.files.info import exposure_text
from irvane.core.files.thumbnails import Preview
from irvane.core.line.merge_options import MergeOptions, Pair
from irvane.core.line.merging import MergeSource
from irvane.core.line.source import FileSource
from irvane.core.line.stitching import Trial, try_layout
from irvane.core.merge.kinds import KINDS, MEAN, PANORAMA
from irvane.core.merge.planning import MOST_FRAMES, plan_bracket, seconds_of
from irvane.desktop.bench.content import image_of
from irvane.desktop.item import Item
from irvane.desktop.laying import Laying
from irvane.desktop.numbers import NumberField, WholeField
from irvane.desktop.opening import Opening
from irvane.desktop.places import Places
from irvane.desktop.plain import tip
from irvane.desktop.proofs import Proofs
from irvane.desktop.sheet.sheeting import Sheeting

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


class PlanDialog(QDialog):
    """A bracket planned: shutter times, which can be held, how many frames the scene needs."""

    def __init__(self, item: Item | None, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Plan a bracket")
        self.resize(420, 400)
        shutter = item.info.shutter if item is not None else None
        focal = item.info.focal_full or item.info.focal if item is not None else None
        self.shutter = QLineEdit(
            f"1/{round(1 / shutter)}" if shutter and shutter < 0.4 else f"{shutter:g}" if shutter else "1/60"
        )
        self.shutter.setToolTip("The metered exposure, or that of the chosen frame: 1/60 or 0.5.")
        self.step = _number(0.3, 5, 2, " EV")
        self.frames = WholeField()
        self.frames.setRange(1, MOST_FRAMES)
        self.frames.setValue(3)
        self.focal = _number(1, 3000, focal or 35, " mm")
        self.focal.setToolTip("As on 36 × 24 mm.")
        self.stabiliser = _number(0, 10, 0, " stops")
        self.range = _number(0, 30, 0, " EV")
        self.range.setSpecialValueText("not known")
        self.range.setToolTip("Of the scene, from the deepest shadow that counts to the brightest light.")
        form = QFormLayout()
        for label, widget in (
            ("Metered", self.shutter), ("Step", self.step), ("Frames", self.frames), ("Focal length",
            self.focal),
            ("Stabiliser", self.stabiliser), ("Range of the scene", self.range),
        ):  # fmt: skip
            widget.setAccessibleName(label)
            form.addRow(label, widget)
            signal = widget.textChanged if isinstance(widget, QLineEdit) else widget.valueChanged
            signal.connect(lambda *_: self._tell())
        self.told = QLabel()
        self.told.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.told.setAccessibleName("The plan")
        self.told.setWordWrap(True)
        leave = QPushButton("Close")
        leave.clicked.connect(self.accept)
        below = QHBoxLayout()
        below.addStretch(1)
        below.addWidget(leave)
        layout = QVBoxLayout(self)
        layout.addLayout(form)
        layout.addWidget(self.told, 1)
        layout.addLayout(below)
        self._tell()

    def _tell(self) -> None:
        try:
            made = plan_bracket(
                seconds_of(self.shutter.text()), self.step.value(), self.frames.value(), self.focal.value(),
                self.stabiliser.value(), self.range.value() or None,
            )  # fmt: skip
        except SettingError as error:
            self.told.setText(str(error))
            return
        self.told.setText(made.words())


def _number(low: float, high: float, value: float, unit: str) -> NumberField:
    box = NumberField()
    box.setKeyboardTracking(True)  # the plan follows every sign
    box.setRange(low, high)
    box.setDecimals(1)
    box.setValue(value)
    box.setSuffix(unit)
    return box


class Merging(QObject):
    """The commands.

    Signals
    -------
    said(sentence), changed(sentence) : something was done that may be taken back at once.
    """

    said = Signal(str)
    changed = Signal(str)

    def __init__(self, proofs: Proofs, opening: Opening, sheeting: Sheeting, parent: QWidget) -> None:
        super().__init__(parent)
        self.proofs, self.opening, self.sheeting, self._window = proofs, opening, sheeting, parent
        self.dialog: MergeDialog | None = None

    def _meant(self) -> list[Item]:
        """The frames that are selected, those of the chosen merge, or the bracket of the chosen one."""
        session = self.proofs.session
        numbers = self.sheeting.selected_items()
        if len(numbers) < 2:
            merged = self._chosen_merge()
            numbers = list(self.proofs.bracket())
            if merged is not None:
                numbers = [n for n in session.order if session.items[n].path in merged.paths]
        items = [session.items[n] for n in numbers if n in session.items]
        return [item for item in items if not item.is_merge and not item.problem and item.leads]

    def _chosen_merge(self) -> MergeSource | None:
        item = self.proofs.item()
        return item.source if item is not None and isinstance(item.source, MergeSource) else None

    def ask(self, kind: str = "") -> None:
        """Ask how the selected frames are merged; `kind` is proposed."""
        items = self._meant()
        if len(items) < 2:
            self.said.emit(
                "Select two or more frames (Ctrl or Shift and click), or choose a frame of a bracket."
            )
            return
        merged = self._chosen_merge()
        same = merged is not None and {item.path for item in items} == set(merged.paths)
        before = merged.how if merged is not None and same else None
        places = self._places(items, before) if before is not None and before.kind != PANORAMA else None

        def tried(how: MergeOptions, done: Callable[[Trial | str], None]) -> None:
            members = [FileSource(item.path) for item in items]
            self.proofs.service.trial("layout", lambda progress: try_layout(members, how, progress), done)

        self.dialog = MergeDialog(items, self._window, before, places, tried)
        if kind:
            self.dialog.kind.setCurrentIndex(self.dialog.kind.findData(kind))
        again = self.proofs.item() if before is not None else None
        self.dialog.wanted.connect(lambda numbers, how: self._merge(numbers, how, again))
        self.dialog.open()

    def _places(self, items: list[Item], before: MergeOptions) -> Places | None:
        """The chosen merge to paint on: which places come from which frame."""
        item = self.proofs.item()
        if item is None or item.picture is None:
            return None
        settings = item.settings(item.sidecar.current)
        frame = self.proofs.service.engine.best(item.source, settings.sensor)
        developed = item.picture is not item.preview and frame is not None
        geometry = frame.geometry(settings) if developed and frame is not None else None

        def moved(x: float, y: float, there: bool) -> tuple[float, float]:
            if geometry is None:
                return x, y
            (h, w), (high, wide) = geometry.output, geometry.frame
            if there:
                place = geometry.to_frame(np.array([[x * w, y * h]]))[0] / (wide, high)
            else:
                place = geometry.to_output(np.array([[x * wide, y * high]]))[0] / (w, h)
            return float(place[0]), float(place[1])

        names = [one.path.name for one in items]
        return Places(
            image_of(item.picture.pixels), names, before.places,
            lambda x, y: moved(x, y, True), lambda x, y: moved(x, y, False),
        )  # fmt: skip

    def _merge(self, numbers: tuple[int, ...], how: MergeOptions, again: Item | None = None) -> None:
        if self.sheeting.on:
            self.sheeting.toggle()
        self.opening.merge(numbers, how, again)

    def plan(self) -> None:
        """Plan a bracket, beginning with the chosen frame's exposure."""
        PlanDialog(self.proofs.item(), self._window).open()

    def together(self) -> None:
        """Take the selected frames for one set."""
        numbers = tuple(self.sheeting.selected_items())
        if len(numbers) < 2:
            self.said.emit("Select the frames that belong together (Ctrl or Shift and click).")
            return
        self.proofs.session.set_together(numbers)
        self.changed.emit(f"{len(numbers)} frames are one set now.")

    def apart(self) -> None:
        """Take the chosen frame out of its set."""
        item = self.proofs.item()
        if item is None or not item.bracket:
            self.said.emit("This frame belongs to no set.")
            return
        self.proofs.session.set_together((item.number,))
        self.changed.emit("The frame is out of its set.")
