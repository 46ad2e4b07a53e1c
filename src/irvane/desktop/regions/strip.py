"""The strip of the regions: which one is chosen, what it is made of, how its mask is seen."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import Signal
from PySide6.QtWidgets import (
    QAbstractSpinBox,
    QCheckBox,
    QComboBox,
    QHBoxLayout,
    QLabel,
    QMenu,
    QPushButton,
    QWidget,
)

from irvane.core.regions.region import KINDS, LocalRegion
from irvane.desktop.bench.elided import Elided
from irvane.desktop.flat import set_state
from irvane.desktop.numbers import NumberField, WholeField
from irvane.desktop.plain import on_button
from irvane.desktop.rows import two_rows

#: Ways to see a mask, in words; the first is none.
SIGHTS = {
    "": "mask not shown",
    "mask-over": "mask hatched",
    "mask-alone": "mask alone",
    "mask-inside": "inside only",
}
_HELP = {
    "linear": "Drag from where it is whole to where it ends.", "round": "Drag from its middle outwards.",
    "brush": "Paint. Pressure of a pen counts.", "tone": "All that is about as bright as a place you click.",
    "hue": "All that has the hue of a place you click.", "spot": "Drag a circle: what is like its middle in "
        "tone and colour, inside of it.",
    "focus": "What is in focus, by its edges.", "subject": "What is sharp, stands out and is whole; a few "
                                                           "strokes mend it.",
}  # fmt: skip
#: The same in a few words, for the strip.
_HINT = {
    "linear": "Drag along it.", "round": "Drag from its middle.", "brush": "Paint.", "tone": "Click a place.",
    "hue": "Click a place.", "spot": "Drag a circle.", "subject": "Strokes mend it.",
}  # fmt: skip
#: Said of what is greyed while the whole frame is chosen.
_OF_A_REGION = "This is of a region, and the whole frame is chosen: choose a region, or add one."
_OPERATIONS = {
    "new": "as a new region",
    "add": "added to it",
    "subtract": "taken from it",
    "intersect": "only where both are",
}


#: Asked for like a kind of shape: the subject, inverted.
BACKGROUND = "background"


def _spin(low: float, high: float, unit: str, name: str, help: str) -> NumberField:
    box = NumberField()
    box.setRange(low, high)
    box.setDecimals(1 if high < 60 else 0)
    box.setSuffix(f" {unit}")
    box.setKeyboardTracking(False)
    box.setFixedWidth(58)
    box.setButtonSymbols(QAbstractSpinBox.ButtonSymbols.NoButtons)
    box.setAccessibleName(name)
    box.setToolTip(help)
    return box


class RegionStrip(QWidget):
    """Regions of the chosen proof.

    Signals
    -------
    chosen(index) : −1 is the whole frame. added(kind, operation). changed(name, value) : a property of the
    chosen region. sight(look) : how its mask is seen. brush_changed, renamed, moved(by), removed, reset,
    pasted, written, done
    """

    chosen = Signal(int)
    added = Signal(str, str)
    changed = Signal(str, object)
    sight = Signal(str)
    brush_changed = Signal()
    renamed = Signal()
    moved = Signal(int)
    removed = Signal()
    reset = Signal()
    pasted = Signal()
    written = Signal()
    done = Signal()

    def __init__(self) -> None:
        super().__init__()
        self._filling = False
        #: Controls that are of a region, and their help.
        self._of_region: dict[QWidget, str] = {}
        self.setAccessibleName("Regions")
        first, second = two_rows(self)
        self.which = QComboBox()
        self.which.setMinimumWidth(150)
        self.which.setAccessibleName("Region")
        self.which.setToolTip(
            "The shelf shows this region's settings; what differs from the frame is underlined."
        )
        self.which.activated.connect(lambda index: self.chosen.emit(index - 1))
        self.add = QPushButton("Add …")
        self.add.setToolTip("A new region, or another shape of the chosen one.")
        self.menu = QMenu(self)
        for kind, (words, _) in KINDS.items():
            action = self.menu.addAction(words.capitalize(), partial(self._ask_for, kind))
            action.setToolTip(_HELP[kind])
        background = self.menu.addAction("Background", partial(self._ask_for, BACKGROUND))
        background.setToolTip("All but the subject, as a new region.")
        self.menu.setToolTipsVisible(True)
        self.add.setMenu(self.menu)
        self.how = QComboBox()
        self.how.setAccessibleName("What the next shape is")
        self.how.setToolTip("What the shape that is added next does.")
        for key, words in _OPERATIONS.items():
            self.how.addItem(words, key)
        self.seen = QComboBox()
        self.seen.setAccessibleName("How the mask is seen")
        self.seen.setToolTip("How the mask of the chosen region is seen; files are the same.")
        for key, words in SIGHTS.items():
            self.seen.addItem(words, key)
        self.seen.activated.connect(lambda _i: self.sight.emit(self.seen.currentData()))
        self.figures = QCheckBox("figures inside")
        self.figures.setToolTip(
            "The captions' noise, sharpness and brightness from squares all over the region, instead of the "
            "probe."
        )
        self.words = Elided("muted")
        self.words.setAccessibleName("What to do, or what acts here")
        for name, widget in (
            ("Region", self.which), ("", self.add), ("next shape", self.how), ("", self.seen), ("", self.figures),
        ):  # fmt: skip
            if name:
                first.addWidget(QLabel(name))
            first.addWidget(widget)
        first.addWidget(self.words, 1)
        for words, help, signal in (
            ("Whole proof here", "The look of another proof of this frame, painted in here.", self.pasted),
            ("Mask to file …", "Writes the mask as a grey PNG.", self.written), ("Done", "Back to the frame "
                "(Shift+T).", self.done),
        ):  # fmt: skip
            button = QPushButton(words)
            button.setToolTip(help)
            button.clicked.connect(signal)
            first.addWidget(button)
        self._second(second)

    def _ask_for(self, kind: str) -> None:
        """Another shape, combined as is chosen beside."""
        self.added.emit(kind, str(self.how.currentData()))

    def _second(self, row: QHBoxLayout) -> None:
        self.on = QCheckBox("on")
        self.on.setToolTip("Off: as if it were not there, to see before and after (Shift+D).")
        self.on.toggled.connect(lambda value: self._emit("on", value))
        self.inverted = QCheckBox("inverted")
        self.inverted.setToolTip("Everything but it.")
        self.inverted.toggled.connect(lambda value: self._emit("inverted", value))
        self.opacity = _spin(0, 100, "%", "Opacity", "By how much its changes count.")
        self.opacity.valueChanged.connect(lambda v: self._emit("opacity", v / 100))
        self.feather = _spin(
            0, 50, "%", "Feather", "Softness of its border, in per cent of the frame's diagonal."
        )
        self.feather.valueChanged.connect(lambda v: self._emit("feather", v))
        self.grow = _spin(
            -50, 50, "%", "Grow", "Larger, or smaller below 0, in per cent of the frame's diagonal."
        )
        self.grow.valueChanged.connect(lambda v: self._emit("grow", v))
        for words, widget in (
            ("", self.on),
            ("", self.inverted),
            ("Opacity", self.opacity),
            ("Feather", self.feather),
            ("Grow", self.grow),
        ):
            if words:
                row.addWidget(QLabel(words))
            row.addWidget(widget)
        row.addSpacing(12)
        self.wide = WholeField()
        self.wide.setRange(1, 600)
        self.wide.setValue(60)
        self.wide.setSuffix(" ‰")
        self.wide.setButtonSymbols(QAbstractSpinBox.ButtonSymbols.NoButtons)
        self.wide.setAccessibleName("Width of the brush")
        self.wide.setToolTip("In thousandths of the frame's width (Shift and wheel over the picture).")
        self.soft = _spin(0, 100, "%", "Softness of the brush", "How far from its border inwards it fades.")
        self.soft.setValue(50)
        self.flow = _spin(1, 100, "%", "Opacity of a stroke", "Strokes over each other build up.")
        self.flow.setValue(100)
        self.erases = QCheckBox("erase")
        self.erases.setToolTip("Takes away. Alt while painting does the same.")
        self.follows = QCheckBox("follow contours")
        self.follows.setToolTip("Keeps to what is like the place under the brush's middle.")
        self.brush = QWidget()
        inner = QHBoxLayout(self.brush)
        inner.setContentsMargins(0, 0, 0, 0)
        inner.setSpacing(6)
        brush: tuple[QWidget, ...] = (self.wide, self.soft, self.flow, self.erases, self.follows)
        for name, part in zip(("Brush", "soft", "opacity", "", ""), brush, strict=True):
            if name:
                inner.addWidget(QLabel(name))
            inner.addWidget(part)
        self.wide.valueChanged.connect(lambda _v: self.brush_changed.emit())
        row.addWidget(self.brush)
        row.addStretch(1)
        for words, help, signal in (
            ("Rename", "Another name.", self.renamed), ("Set back", "The region changes nothing any more; "
                "its shape stays.", self.reset),
            ("Remove", "Removes the region; Ctrl+Z brings it back.", self.removed),
        ):  # fmt: skip
            button = QPushButton(words)
            button.setToolTip(help)
            button.clicked.connect(signal)
            row.addWidget(button)
            self._of_region[button] = help

    def _emit(self, name: str, value: object) -> None:
        if not self._filling:
            self.changed.emit(name, value)

    def show_regions(self, regions: tuple[LocalRegion, ...], index: int) -> None:
        """Show a proof's regions, one of them chosen."""
        self._filling = True
        self.which.clear()
        self.which.addItem("the whole frame")
        for one in regions:
            mark = " (damaged)" if one.damaged else "" if one.on else " (off)"
            self.which.addItem(on_button(one.name) + mark)
        self.which.setCurrentIndex(index + 1)
        region = regions[index] if 0 <= index < len(regions) else None
        for part in (
            self.on,
            self.inverted,
            self.opacity,
            self.feather,
            self.grow,
            self.seen,
            self.how,
            self.figures,
        ):
            self._of_region.setdefault(part, part.toolTip())
        for control, help in self._of_region.items():
            control.setEnabled(region is not None)
            control.setToolTip(help if region is not None else _OF_A_REGION)
        if region is None:
            self.how.setCurrentIndex(0)
        else:
            self.on.setChecked(region.on)
            self.inverted.setChecked(region.inverted)
            for box, value in (
                (self.opacity, 100 * region.opacity),
                (self.feather, region.feather),
                (self.grow, region.grow),
            ):
                if not box.hasFocus():
                    box.setValue(value)
        last = region.parts[-1].kind if region is not None and region.parts else ""
        self.brush.setVisible(last in ("brush", "subject"))
        self._filling = False

    def hint(self, kind: str) -> None:
        """What to do with the mouse."""
        self.words.set_full(_HINT.get(kind, ""))
        set_state(self.words, "told" if kind else "")
