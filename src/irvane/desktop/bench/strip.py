"""The strip above the panes: how they are arranged, blink, swap, matching, zoom, and sentences."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QButtonGroup, QComboBox, QHBoxLayout, QLabel, QPushButton, QSizePolicy, QWidget

from irvane.core.line.looks import LOOKS
from irvane.desktop.bench.viewport import ZOOMS

ONE, TWO, DIVIDED = "one", "two", "divided"

_ARRANGEMENTS = (
    (ONE, "one", "One pane over the whole width (C)"),
    (TWO, "two", "Two panes side by side (C)"),
    (
        DIVIDED,
        "divided",
        "One picture with a dividing line: drag it, or move it with Shift and the arrow keys (V)",
    ),
)


def _flat(words: str, tip: str, checkable: bool = False) -> QPushButton:
    button = QPushButton(words)
    button.setProperty("flat", True)
    button.setCheckable(checkable)
    button.setToolTip(tip)
    button.setAccessibleDescription(tip)
    return button


class BenchStrip(QWidget):
    """Buttons of the bench."""

    arranged = Signal(str)
    blinked = Signal(bool)
    swapped = Signal()
    matched = Signal(bool)
    zoomed = Signal(object)
    look_chosen = Signal(str)
    marked = Signal(bool)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        row = QHBoxLayout(self)
        row.setContentsMargins(8, 3, 8, 3)
        row.setSpacing(4)
        group = QButtonGroup(self)
        self._arrangements: dict[str, QPushButton] = {}
        for key, words, tip in _ARRANGEMENTS:
            button = _flat(words, tip, checkable=True)
            button.clicked.connect(lambda _checked, k=key: self.arranged.emit(k))
            group.addButton(button)
            self._arrangements[key] = button
            row.addWidget(button)
        row.addSpacing(14)
        self.blink_button = _flat("blink", "Hold to see the other pane in the same place (hold Q)")
        self.blink_button.pressed.connect(lambda: self.blinked.emit(True))
        self.blink_button.released.connect(lambda: self.blinked.emit(False))
        self.swap_button = _flat("swap", "Exchange the two panes (X)")
        self.swap_button.clicked.connect(self.swapped)
        self.match_button = _flat(
            "equal brightness",
            "Brightens or darkens pane B, for viewing only, until it is as bright as pane A in linear light (E). "
            "The offset is shown in its caption.",
            checkable=True,
        )
        self.match_button.toggled.connect(self.matched)
        self.marks_button = _flat(
            "hatch clipping",
            "Rising stripes: colours that were clipped on the sensor, in the colour that is lost. Falling stripes: places "
            "of the finished picture at white, or at black. Dots: colours that the space of the station Finish does not hold; they "
            "are pulled into it softly (H; limits: Shift+H).",
            checkable=True,
        )
        self.marks_button.toggled.connect(self.marked)
        for button in (self.blink_button, self.swap_button, self.match_button, self.marks_button):
            row.addWidget(button)
        row.addSpacing(14)
        self.note = QLabel()
        self.note.setObjectName("muted")
        self.note.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.note.setAccessibleName("Message")
        row.addWidget(self.note, 1)
        self.look_box = QComboBox()
        self.look_box.setAccessibleName("Look")
        self.look_box.setToolTip(
            "Other ways to see all panes; the results stay as they are (K, Shift+K: next, previous)."
        )
        for key, look in LOOKS.items():
            self.look_box.addItem(look.words, key)
            self.look_box.setItemData(self.look_box.count() - 1, look.help, Qt.ItemDataRole.ToolTipRole)
        self.look_box.activated.connect(lambda index: self.look_chosen.emit(self.look_box.itemData(index)))
        row.addWidget(self.look_box)
        self.zoom_box = QComboBox()
        self.zoom_box.setAccessibleName("Zoom")
        self.zoom_box.setToolTip(
            "100 % is one picture pixel on one pixel of the screen. Wheel: step; Z: 100 % and back."
        )
        self.zoom_box.addItem("fit", None)
        for zoom in ZOOMS:
            self.zoom_box.addItem(f"{zoom * 100:.0f} %", zoom)
        self.zoom_box.setFixedWidth(82)
        self.zoom_box.activated.connect(lambda index: self.zoomed.emit(self.zoom_box.itemData(index)))
        row.addWidget(self.zoom_box)

    def show_arrangement(self, arrangement: str) -> None:
        """Mark the arrangement in force."""
        self._arrangements[arrangement].setChecked(True)

    def show_look(self, look: str) -> None:
        """Show the look in force."""
        self.look_box.setCurrentIndex(self.look_box.findData(look))

    def show_zoom(self, zoom: float | None) -> None:
        """Show the zoom in force."""
        place = next((k for k in range(self.zoom_box.count()) if self.zoom_box.itemData(k) == zoom), 0)
        self.zoom_box.setCurrentIndex(place)
