"""Merging in the window: which frames, how; sets made by hand; a bracket planned beforehand."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PySide6.QtCore import QObject, Qt, Signal
from PySide6.QtWidgets import (
    QDialog,
    QFormLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from irvane.core.errors import SettingError
from irvane.core.files.frame_sets import BURST, FOCUS, LADDER
from irvane.core.files.frame_sets import PANORAMA as SET_PANORAMA
from irvane.core.line.merge_options import MergeOptions
from irvane.core.line.merging import MergeSource
from irvane.core.line.source import FileSource
from irvane.core.line.stitching import Trial, try_layout
from irvane.core.merge.kinds import MEAN, PANORAMA
from irvane.core.merge.planning import MOST_FRAMES, plan_bracket, seconds_of
from irvane.desktop.bench.content import image_of
from irvane.desktop.item import Item
from irvane.desktop.merge_dialog import MergeDialog
from irvane.desktop.numbers import NumberField, WholeField
from irvane.desktop.opening import Opening
from irvane.desktop.places import Places
from irvane.desktop.proofs import Proofs
from irvane.desktop.sheet.sheeting import Sheeting


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
    ladder(paths) : they are to be measured.
    """

    said = Signal(str)
    changed = Signal(str)
    ladder = Signal(object)

    def __init__(self, proofs: Proofs, opening: Opening, sheeting: Sheeting, parent: QWidget) -> None:
        super().__init__(parent)
        self.proofs, self.opening, self.sheeting, self._window = proofs, opening, sheeting, parent
        self.dialog: MergeDialog | None = None

    def _meant(self, wide: bool = False) -> list[Item]:
        """The frames that are selected, those of the chosen merge, or the set of the chosen one: its panorama
        where that is meant (`wide`)."""
        session = self.proofs.session
        numbers = self.sheeting.selected_items()
        if len(numbers) < 2:
            merged = self._chosen_merge()
            numbers = list(self.proofs.bracket())
            item = self.proofs.item()
            if wide and item is not None and item.panorama:
                numbers = [n for position in item.panorama for n in position]
            if merged is not None:
                numbers = [n for n in session.order if session.items[n].path in merged.paths]
        items = [session.items[n] for n in numbers if n in session.items]
        return [item for item in items if not item.is_merge and not item.problem and item.leads]

    def _chosen_merge(self) -> MergeSource | None:
        item = self.proofs.item()
        return item.source if item is not None and isinstance(item.source, MergeSource) else None

    def heading(self, numbers: tuple[int, ...], kind: str) -> None:
        """The heading of a set was clicked: a bracket is merged, of a panorama it is asked how."""
        items = [self.proofs.session.items[n] for n in numbers if n in self.proofs.session.items]
        if kind == LADDER:
            self.ladder.emit([item.path for item in items])
        elif kind == SET_PANORAMA:
            self.open(items, PANORAMA)
        elif kind == BURST:
            self._merge(numbers, MergeOptions(MEAN))
        elif kind == FOCUS:
            self.said.emit(
                "A focus series: compare its frames, and keep the one that is sharp where it matters."
            )
        else:
            self.opening.merge(numbers)

    def ask(self, kind: str = "") -> None:
        """Ask how the selected frames are merged; `kind` is proposed."""
        items = self._meant(kind == PANORAMA)
        if len(items) < 2:
            self.said.emit(
                "Select two or more frames (Ctrl or Shift and click), or choose a frame of a bracket."
            )
            return
        self.open(items, kind)

    def open(self, items: list[Item], kind: str = "") -> None:
        """Ask how these frames are merged."""
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
        self.join(tuple(self.sheeting.selected_items()))

    def join(self, numbers: tuple[int, ...]) -> None:
        """Take frames for one set."""
        if len(numbers) > 1:
            self.proofs.session.set_together(numbers)
            self.changed.emit(f"{len(numbers)} frames are one set now.")

    def apart(self) -> None:
        """Take the chosen frame out of its set."""
        item = self.proofs.item()
        if item is not None and item.bracket:
            self.take_out(item.number)

    def take_out(self, number: int) -> None:
        """Take a frame out of its set."""
        self.proofs.session.set_together((number,))
        self.changed.emit(f"{self.proofs.session.items[number].source.name} is out of its set.")

    def dissolve(self, numbers: tuple[int, ...]) -> None:
        """Every frame of a set stands alone, in one step of undo."""
        undo = self.proofs.session.undo
        undo.beginMacro("no set")
        for number in numbers:
            self.proofs.session.set_together((number,))
        undo.endMacro()
        self.changed.emit(f"{len(numbers)} frames stand alone now.")
