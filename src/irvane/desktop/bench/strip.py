"""The strip above the panes: how they are arranged, blink, swap, matching, zoom, and sentences."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QAction
from PySide6.QtWidgets import (
    QButtonGroup,
    QComboBox,
    QHBoxLayout,
    QLabel,
    QMenu,
    QPushButton,
    QWidget,
)

from irvane.core.files.preferences import preferences
from irvane.core.judge.difference import KINDS
from irvane.core.judge.matching import KINDS as MATCHED
from irvane.core.line.look_purposes import by_purpose
from irvane.core.line.looks import PICTURE
from irvane.desktop.bench.panes import BESIDE, DIFFERENCE, DIVIDED, ONE
from irvane.desktop.bench.viewport import ZOOMS
from irvane.desktop.flat import flat_button, set_state

_PRINT = "print 30 cm"
#: Sizes that pictures are used at: longer side in pixels (a print of 30 cm seen from half a metre, at the
#: eye's limit of one minute of arc, shows about 2,060).
USES = {"web 1200": 1200, "web 2048": 2048, _PRINT: 2060}
#: Amplifications of the difference.
AMPLIFIED = (1, 2, 4, 8, 16, 32, 64)
_ARRANGEMENTS = (
    (ONE, "one", "One pane over the whole width (Z)"),
    (BESIDE, "side by side", "All panes side by side (Z)"),
    (
        DIVIDED,
        "divided",
        "One picture with a dividing line: drag it, turn it with the right button, or both with Shift and "
        "the arrow keys (V)",
    ),
    (DIFFERENCE, "difference", "What the next pane has more, or less, than the chosen one, amplified (U)"),
)


class BenchStrip(QWidget):
    """Buttons of the bench."""

    arranged = Signal(str)
    blinked = Signal(bool)
    swapped = Signal()
    matched = Signal(str, bool)
    zoomed = Signal(object)
    look_chosen = Signal(str)
    marked = Signal(bool)
    counted = Signal(int)
    difference_chosen = Signal(str, float)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        row = QHBoxLayout(self)
        row.setContentsMargins(8, 2, 8, 2)
        row.setSpacing(4)
        group = QButtonGroup(self)
        self._arrangements: dict[str, QPushButton] = {}
        for key, words, tip in _ARRANGEMENTS:
            button = flat_button(words, tip, checkable=True)
            button.clicked.connect(lambda _checked, k=key: self.arranged.emit(k))
            group.addButton(button)
            self._arrangements[key] = button
            row.addWidget(button)
        self.fewer = flat_button("−", "One pane less (O)")
        self.fewer.clicked.connect(lambda: self.counted.emit(-1))
        self.panes_count = QLabel("2 panes")
        self.more = flat_button("+", "One pane more, up to six (I)")
        self.more.clicked.connect(lambda: self.counted.emit(1))
        for part in (self.fewer, self.panes_count, self.more):
            row.addWidget(part)
        row.addSpacing(8)
        self.blink_button = flat_button(
            "blink", "Hold to see the other pane in the same place (hold Q; Shift+Q: by itself)"
        )
        self.blink_button.pressed.connect(lambda: self.blinked.emit(True))
        self.blink_button.released.connect(lambda: self.blinked.emit(False))
        self.swap_button = flat_button("swap", "Exchange the chosen pane and the next (X)")
        self.swap_button.clicked.connect(self.swapped)
        self.match_button = flat_button(
            "equal",
            "Makes the views of the other panes equal to pane A's, for viewing only, each respect by "
            "itself; the captions say by how much (E: brightness).",
        )
        self.match_menu = QMenu(self.match_button)
        self.match_actions: dict[str, QAction] = {}
        for kind in MATCHED:
            action = self.match_menu.addAction(kind)
            action.setCheckable(True)
            action.triggered.connect(lambda on, k=kind: self.matched.emit(k, on))
            self.match_actions[kind] = action
        self.match_button.setMenu(self.match_menu)
        self.marks_button = flat_button(
            "hatch",
            "Rising stripes: colours that were clipped on the sensor, in the colour that is lost. Falling "
            "stripes: places of the finished picture at white, or at black. Dots: colours that the space of "
            "the station Finish does not hold; they are pulled into it softly (H; limits: Shift+H).",
            checkable=True,
        )
        self.marks_button.toggled.connect(self.marked)
        for button in (self.blink_button, self.swap_button, self.match_button, self.marks_button):
            row.addWidget(button)
        row.addStretch(1)
        self.look_box = QComboBox()
        self.look_box.setAccessibleName("Look")
        self.look_box.setPlaceholderText("a region's mask")
        self.look_box.setToolTip(
            "Other ways to see all panes; the results stay as they are (K, Shift+K: next, previous)."
        )
        for purpose, looks in by_purpose().items():
            self.look_box.addItem(purpose)
            heading = self.look_box.model().item(self.look_box.count() - 1)  # type: ignore[attr-defined]
            heading.setFlags(Qt.ItemFlag.NoItemFlags)
            for key, look in looks.items():
                self.look_box.addItem(look.words, key)
                self.look_box.setItemData(self.look_box.count() - 1, look.help, Qt.ItemDataRole.ToolTipRole)
        self.look_box.setMaxVisibleItems(self.look_box.count())
        self.look_box.setCurrentIndex(
            self.look_box.findData(PICTURE)
        )  # with a placeholder it begins with none
        self.look_box.activated.connect(lambda index: self.look_chosen.emit(self.look_box.itemData(index)))
        self.look_name = QLabel("Look")
        self.look_name.setToolTip(self.look_box.toolTip())
        row.addWidget(self.look_name)
        row.addWidget(self.look_box)
        self.kind_box = QComboBox()
        self.kind_box.setAccessibleName("Kind of difference")
        self.kind_box.setToolTip("What is taken from what.")
        for kind, words in KINDS.items():
            self.kind_box.addItem(kind, kind)
            self.kind_box.setItemData(self.kind_box.count() - 1, words, Qt.ItemDataRole.ToolTipRole)
        self.amplified = QComboBox()
        self.amplified.setAccessibleName("Amplification")
        self.amplified.setToolTip("By how much the difference is made larger for the eye.")
        for factor in AMPLIFIED:
            self.amplified.addItem(f"×{factor}", float(factor))
        for box in (self.kind_box, self.amplified):
            box.activated.connect(
                lambda _index: self.difference_chosen.emit(
                    self.kind_box.currentData(), self.amplified.currentData()
                )
            )
            box.hide()
            row.addWidget(box)
        self.show_difference("signed", 8.0)
        self.zoom_box = QComboBox()
        self.zoom_box.setAccessibleName("Zoom")
        self.zoom_box.setToolTip(
            "100 % is one picture pixel on one pixel of the screen. Wheel: step; R: 100 % and back."
        )
        self.zoom_box.addItem("fit", None)
        for zoom in ZOOMS:
            self.zoom_box.addItem(f"{zoom * 100:.0f} %", zoom)
        for use, side in USES.items():
            words = "print 12 in" if use == _PRINT and preferences().inches else use
            self.zoom_box.addItem(words, side)
            tip = f"The frame {side} pixels long: many differences vanish at the size that is used."
            self.zoom_box.setItemData(self.zoom_box.count() - 1, tip, Qt.ItemDataRole.ToolTipRole)
        self.zoom_box.setFixedWidth(86)
        self.zoom_box.activated.connect(lambda index: self.zoomed.emit(self.zoom_box.itemData(index)))
        row.addWidget(self.zoom_box)

    def show_arrangement(self, arrangement: str, count: int) -> None:
        """Mark the arrangement in force and the number of panes."""
        self._arrangements[arrangement].setChecked(True)
        self.panes_count.setText(f"{count} panes")
        differing = arrangement == DIFFERENCE
        for part in (self.look_name, self.look_box):
            part.setVisible(not differing)
        for box in (self.kind_box, self.amplified):
            box.setVisible(differing)

    def show_matched(self, kinds: frozenset[str]) -> None:
        """Show what is made equal."""
        for kind, action in self.match_actions.items():
            action.setChecked(kind in kinds)
        self.match_button.setText(
            "equal" if not kinds else f"equal: {', '.join(k for k in MATCHED if k in kinds)}"[:30]
        )
        set_state(self.match_button, "differs" if kinds else "")

    def show_difference(self, kind: str, amplified: float) -> None:
        """Show kind and amplification in force."""
        self.kind_box.setCurrentIndex(self.kind_box.findData(kind))
        self.amplified.setCurrentIndex(self.amplified.findData(amplified))

    def show_look(self, look: str) -> None:
        """Show the look in force."""
        self.look_box.setCurrentIndex(self.look_box.findData(look))

    def show_zoom(self, zoom: float | None) -> None:
        """Show the zoom in force; that of a use is shown by its name until another is chosen."""
        if isinstance(self.zoom_box.currentData(), int) and zoom not in (None, *ZOOMS):
            return
        place = next((k for k in range(self.zoom_box.count()) if self.zoom_box.itemData(k) == zoom), 0)
        self.zoom_box.setCurrentIndex(place)
