"""The strip of controls while it is chosen what of the picture is shown."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import (
    QAbstractSpinBox,
    QButtonGroup,
    QComboBox,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QWidget,
)

from irvane.core.lens.lines import LEVEL, UPRIGHT
from irvane.desktop.framing.overlay import GUIDES
from irvane.desktop.numbers import NumberField
from irvane.desktop.rows import two_rows

#: Ratios of width to height by what is shown; None: any; 0: that of the frame.
RATIOS: tuple[tuple[str, float | None], ...] = (
    ("any shape", None), ("as the frame", 0.0), ("1 : 1", 1.0), ("5 : 4", 5 / 4), ("4 : 3", 4 / 3), ("3 : 2",
    3 / 2),
    ("16 : 9", 16 / 9), ("2 : 1", 2.0), ("3 : 1", 3.0),
)  # fmt: skip
CURVE = "curve"
_SIDES = ("Left", "Top", "Width", "Height")


def _button(words: str, tip: str, checkable: bool = False) -> QPushButton:
    button = QPushButton(words)
    button.setCheckable(checkable)
    button.setToolTip(tip)
    button.setAccessibleDescription(tip)
    return button


class FramingStrip(QWidget):
    """Shape, guides, numbers, lines.

    Signals
    -------
    shaped(ratio or None, upright) : another ratio of the sides. guided(name)
    typed(left, top, width, height) : per cent of the corrected frame.
    largest, by_itself, cleared, applied, done : buttons.
    turned(quarters), mirrored
    drawing(kind) : LEVEL, UPRIGHT, CURVE, or "" for none.
    """

    shaped = Signal(object)
    guided = Signal(str)
    typed = Signal(float, float, float, float)
    largest = Signal()
    by_itself = Signal()
    drawing = Signal(str)
    applied = Signal()
    cleared = Signal()
    turned = Signal(int)
    mirrored = Signal()
    done = Signal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._filling = False
        first, second = two_rows(self)
        self.ratio = QComboBox()
        self.ratio.setAccessibleName("Shape of the crop")
        self.ratio.setToolTip("The ratio of width to height that the crop keeps.")
        for words, value in RATIOS:
            self.ratio.addItem(words, value)
        self.ratio.activated.connect(lambda _index: self._shape())
        self.upright = _button("upright", "The same ratio standing upright.", True)
        self.upright.clicked.connect(lambda _on: self._shape())
        self.guides = QComboBox()
        self.guides.addItems(GUIDES)
        self.guides.setCurrentText(GUIDES[1])
        self.guides.setAccessibleName("Guides")
        self.guides.setToolTip("Lines over the crop that help to place things in it.")
        self.guides.textActivated.connect(self.guided)
        for widget in (self.ratio, self.upright, self.guides):
            first.addWidget(widget)
        self.boxes: list[NumberField] = []
        for side in _SIDES:
            box = NumberField()
            box.setRange(-200, 400)
            box.setDecimals(2)
            box.setSuffix(" %")
            box.setKeyboardTracking(False)
            box.setButtonSymbols(QAbstractSpinBox.ButtonSymbols.NoButtons)
            box.setFixedWidth(74)
            box.setAccessibleName(f"{side} in per cent of the corrected frame")
            box.setToolTip(f"{side} of the crop, in per cent of the corrected frame.")
            box.valueChanged.connect(self._type)
            first.addWidget(QLabel(side))
            first.addWidget(box)
            self.boxes.append(box)
        big = _button("Largest", "The largest crop of this shape without empty corners.")
        big.clicked.connect(self.largest)
        first.addWidget(big)
        self.crop_size = QLabel()
        self.crop_size.setAccessibleName("Size of the crop")
        first.addWidget(self.crop_size, 1)
        self._lines(second)

    def _lines(self, row: QHBoxLayout) -> None:
        for words, tip, quarters in (
            ("Turn left", "A quarter turn to the left (,).", -1), ("Turn right", "A quarter turn to the "
                "right (.).", 1),
        ):  # fmt: skip
            button = _button(words, tip)
            button.clicked.connect(lambda _c=False, q=quarters: self.turned.emit(q))
            row.addWidget(button)
        mirror = _button("Mirror", "Left becomes right (Shift+M).")
        mirror.clicked.connect(self.mirrored)
        row.addWidget(mirror)
        row.addSpacing(14)
        row.addWidget(QLabel("Draw along what is"))
        self._group = QButtonGroup(self)
        self._group.setExclusive(False)
        self.tools: dict[str, QPushButton] = {}
        for kind, words, tip in (
            (
                LEVEL,
                "level",
                "One line turns the picture level; two of them set a front straight that was seen from its "
                "side.",
            ),
            (UPRIGHT, "upright", "One line turns the picture; two of them set falling walls upright."),
            (
                CURVE,
                "bent",
                "Click at least three places along it: the distortion of the lens is taken away.",
            ),
        ):
            button = _button(words, tip, True)
            button.clicked.connect(lambda on, k=kind: self._tool(k if on else ""))
            self.tools[kind] = button
            self._group.addButton(button)
            row.addWidget(button)
        self.apply = _button("Apply", "Correct the picture by the lines that are drawn.")
        self.apply.clicked.connect(self.applied)
        self.clear = _button("Clear", "The lines only; the picture stays as it is.")
        self.clear.clicked.connect(self.cleared)
        auto = _button("Level by itself", "By the contours of the picture; it says how sure it is.")
        auto.clicked.connect(self.by_itself)
        done = _button("Done", "Back to the picture as it will be (Return).")
        done.clicked.connect(self.done)
        for button in (self.apply, self.clear):
            button.setEnabled(False)
            row.addWidget(button)
        row.addSpacing(14)
        row.addWidget(auto)
        row.addStretch(1)
        row.addWidget(done)

    def _tool(self, kind: str) -> None:
        for key, button in self.tools.items():
            button.setChecked(key == kind)
        self.drawing.emit(kind)

    def chosen_ratio(self, extent: tuple[int, int]) -> float | None:
        """Width over height that the crop keeps, for a corrected frame of that height and width; None for
        any."""
        value = self.ratio.currentData()
        if value is None:
            return None
        ratio = float(value) or extent[1] / extent[0]
        return 1 / ratio if self.upright.isChecked() and value else ratio

    def _shape(self) -> None:
        self.shaped.emit(self.ratio.currentData())

    def _type(self) -> None:
        if not self._filling:
            self.typed.emit(*(box.value() for box in self.boxes))

    def show_crop(self, crop: tuple[float, ...], size: tuple[int, int], kept: float) -> None:
        """Show a crop (per cent), its height and width in pixels, and the share of the frame that it
        keeps."""
        self._filling = True
        for box, value in zip(self.boxes, crop, strict=True):
            if not (box.hasFocus() and abs(box.value() - value) < 0.005):
                box.setValue(value)
        self._filling = False
        self.crop_size.setText(f"{size[1]} × {size[0]} px, {kept * 100:.1f} % of the frame")

    def show_lines(self, count: int, points: int) -> None:
        """How many lines and places are drawn."""
        self.apply.setEnabled(count > 0 or points > 2)
        self.clear.setEnabled(count > 0 or points > 0)
