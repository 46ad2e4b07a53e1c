"""One setting as a row: name, slider, value that can be typed, its unit, and its automatic where it has
one."""

from __future__ import annotations

import math

from PySide6.QtCore import QRect, Qt, Signal
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QWheelEvent
from PySide6.QtWidgets import (
    QAbstractSpinBox,
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QPushButton,
    QSlider,
    QWidget,
)

from irvane.core.declaring import Curve
from irvane.core.settings import Choice, Number, Points, spec, value_text
from irvane.desktop import theme
from irvane.desktop.line.row import NameLabel, SettingRow
from irvane.desktop.numbers import NumberField

NAME_WIDTH = 78
#: A row with one line, and a number, whose slider runs below its name and value over the whole width.
ROW_HEIGHT, NUMBER_HEIGHT = 26, 29
#: The same in a low window: no control may be off the screen, and the pictures keep their height.
LOW_ROW, LOW_NUMBER = 23, 25
#: A drag with Shift moves this share of the way.
_FINELY = 0.1
#: Steps of a setting above which its slider is coarse.
_MANY = 150
_AUTO = "Takes the value that follows from what is measured in the frame."


class _Track(QSlider):
    """A slider that shows its distance from neutral as a filled line; with Shift it moves finely."""

    def __init__(self, neutral: int) -> None:
        super().__init__(Qt.Orientation.Horizontal)
        self.neutral = neutral
        self.automatic = False
        self._fine_from: tuple[float, int] | None = None
        self._finely = False
        self.setMinimumWidth(110)
        self.setFixedHeight(12)

    def _x(self, value: int) -> int:
        span = max(self.maximum() - self.minimum(), 1)
        return 4 + round((self.width() - 8) * (value - self.minimum()) / span)

    def paintEvent(self, _event: QPaintEvent) -> None:  # noqa: N802
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        middle = self.height() // 2
        here, zero = self._x(self.value()), self._x(self.neutral)
        painter.fillRect(QRect(4, middle - 1, self.width() - 8, 2), theme.WELL)
        painter.fillRect(QRect(zero, middle - 4, 1, 8), QColor("#8c8c8c"))
        colour = theme.MUTED if self.automatic else theme.ACCENT
        if here != zero:
            painter.fillRect(QRect(min(here, zero), middle - 1, abs(here - zero), 2), colour)
        painter.setPen(theme.EDGE)
        painter.setBrush(colour if self.isEnabled() else theme.RAISED)
        grip = QRect(here - 3, middle - 5, 6, 10)
        painter.drawRect(grip)
        if self.hasFocus():
            painter.setPen(theme.TEXT)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(grip.adjusted(-2, -1, 2, 1))
        painter.end()

    def mousePressEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        self._fine_from = None
        self._finely = event.button() == Qt.MouseButton.RightButton
        self._follow(event)
        self.setSliderDown(True)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        if self.isSliderDown():
            self._follow(event)

    def mouseReleaseEvent(self, _event: QMouseEvent) -> None:  # noqa: N802
        self.setSliderDown(False)

    def wheelEvent(self, event: QWheelEvent) -> None:  # noqa: N802
        steps = (event.angleDelta().y() or event.angleDelta().x()) / 120
        finely = event.modifiers() & Qt.KeyboardModifier.ShiftModifier
        step = max(1, round(self.singleStep() * _FINELY)) if finely else self.singleStep()
        if steps:
            self.setValue(self.value() + round(math.copysign(max(abs(steps), 1), steps)) * step)
        event.accept()

    def _follow(self, event: QMouseEvent) -> None:
        x, span = event.position().x(), self.maximum() - self.minimum()
        if self._finely or event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            if self._fine_from is None:
                self._fine_from = x, self.value()
            begun, value = self._fine_from
            self.setValue(round(value + _FINELY * (x - begun) / max(self.width() - 8, 1) * span))
            return
        self._fine_from = None
        self.setValue(round(self.minimum() + (x - 4) / max(self.width() - 8, 1) * span))


class NumberRow(SettingRow):
    """A numeric setting.

    Signals
    -------
    changed(value) : a float, or None for automatic.
    held(on) : the slider is taken hold of, or let go.
    """

    held = Signal(bool)

    def __init__(self, path: str) -> None:
        super().__init__()
        declared = spec(path)
        assert isinstance(declared, Number)
        self.spec = declared
        self._fine = declared.step / 10 if declared.decimals else declared.step
        if declared.decimals == 2:
            self._fine = 0.02
        #: Many values lie under each pixel of the slider: the hover text offers to drag finely.
        self.coarse = (declared.high - declared.low) / declared.step > _MANY
        self._filling = False
        self._automatic_value: float | None = None
        self._value: float | None = None
        self.auto: QPushButton | None = None
        self.begin(path, NameLabel(declared.label))
        self.slider = _Track(round((declared.neutral - declared.low) / self._fine))
        self.slider.setRange(0, round((declared.high - declared.low) / self._fine))
        self.slider.setSingleStep(max(1, round(declared.step / self._fine)))
        self.slider.setPageStep(max(1, round(5 * declared.step / self._fine)))
        self.slider.setAccessibleName(declared.label)
        self.slider.valueChanged.connect(self._slid)
        self.slider.sliderPressed.connect(lambda: self.held.emit(True))
        self.slider.sliderReleased.connect(lambda: self.held.emit(False))
        self.box = NumberField()
        self.box.setButtonSymbols(QAbstractSpinBox.ButtonSymbols.NoButtons)
        self.box.setRange(declared.low, declared.high)
        self.box.setDecimals(declared.decimals)
        self.box.setSingleStep(declared.step)
        self.box.setSuffix(f" {declared.unit}")
        self.box.setFixedSize(78, 17)
        self.box.setFrame(False)
        self.box.setAlignment(Qt.AlignmentFlag.AlignRight)
        self.box.setAccessibleName(f"{declared.label} in {declared.unit}")
        self.box.valueChanged.connect(self._typed)
        layout = QGridLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setHorizontalSpacing(5)
        layout.setVerticalSpacing(0)
        layout.setColumnStretch(1, 1)
        layout.addWidget(self.name, 0, 0)
        layout.addWidget(self.back, 0, 1, Qt.AlignmentFlag.AlignLeft)
        layout.addWidget(self.box, 0, 3)
        layout.addWidget(self.slider, 1, 0, 1, 4)
        if declared.automatic:
            self.auto = QPushButton("auto")
            self.auto.setProperty("flat", True)
            self.auto.setCheckable(True)
            self.auto.setAccessibleDescription(_AUTO)
            self.auto.clicked.connect(self._auto_clicked)
            self.auto.setFixedHeight(17)
            layout.addWidget(self.auto, 0, 2)
        self.setFixedHeight(NUMBER_HEIGHT)
        self._tip()

    def set_low(self, on: bool) -> None:
        """With less height, in a low window."""
        self.setFixedHeight(LOW_NUMBER if on else NUMBER_HEIGHT)
        self.slider.setFixedHeight(9 if on else 12)
        self.box.setFixedHeight(16 if on else 17)

    def _tip(self) -> None:
        s = self.spec
        text = f"{s.help}\nFrom {s.low:g} to {s.high:g} {s.unit}; neutral: {s.neutral:g} {s.unit}."
        if s.automatic and self._automatic_value is not None:
            text += f" Automatic here: {value_text(self.path, self._automatic_value)}."
        text += f"\nDrag with Shift{', or with the right button' if self.coarse else ''}: finely. "
        text += "Wheel and arrow keys: steps."
        text += "\nDouble click on the name: back to what a new proof has. Right click, or F: its test strip."
        self.help = text
        self.tell()
        self.slider.setAccessibleDescription(s.help)

    def show_value(self, value: float | None, automatic: float | None = None) -> None:
        """Show a value; None shows the automatic one."""
        self._filling = True
        another = automatic != self._automatic_value
        self._value, self._automatic_value = value, automatic
        shown = value if value is not None else automatic
        if shown is not None:
            self.slider.setValue(round((shown - self.spec.low) / self._fine))
            if not self.box.being_typed:
                self.box.setValue(shown)
        if self.slider.automatic != (value is None):
            self.slider.automatic = value is None
            self.slider.update()
        if self.auto is not None:
            self.auto.setChecked(value is None)
        if another:
            self._tip()
        self._filling = False

    def tell(self) -> None:
        """What is said on hover."""
        super().tell()
        if self.auto is not None and not self._why:
            self.auto.setToolTip(_AUTO)

    def _slid(self, place: int) -> None:
        if not self._filling:
            self.changed.emit(round(self.spec.low + place * self._fine, 6))

    def _typed(self, value: float) -> None:
        if not self._filling and value != self._value:
            self.changed.emit(value)

    def _auto_clicked(self, checked: bool) -> None:
        if checked:
            self.changed.emit(None)
        else:
            fallback = self._automatic_value if self._automatic_value is not None else self.spec.neutral
            self.changed.emit(min(max(round(fallback, self.spec.decimals), self.spec.low), self.spec.high))


class NamedRow(SettingRow):
    """A setting's name and, beside it, the one control that shows and changes it."""

    def __init__(self, path: str, box: QWidget, help: str, width: int = NAME_WIDTH) -> None:
        super().__init__()
        self.begin(path, NameLabel(spec(path).label))
        self.name.setFixedWidth(max(width, self.name.sizeHint().width()))
        box.setAccessibleName(spec(path).label)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(5)
        layout.addWidget(self.name)
        layout.addWidget(self.back)
        layout.addWidget(box, 1)
        self.help = help
        self.tell()
        self.setFixedHeight(ROW_HEIGHT)

    def set_low(self, on: bool) -> None:
        """With less height, in a low window."""
        self.setFixedHeight(LOW_ROW if on else ROW_HEIGHT)


class ChoiceRow(NamedRow):
    """A setting with named values."""

    def __init__(self, path: str) -> None:
        declared = spec(path)
        assert isinstance(declared, Choice)
        self.box = QComboBox()
        # a long choice may be cut in the box, never in its list; the whole is said on hover
        self.box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.box.setMinimumContentsLength(8)
        super().__init__(path, self.box, declared.help)
        for key, words in declared.options:
            self.box.addItem(words, key)
        self.box.activated.connect(lambda index: self.changed.emit(self.box.itemData(index)))

    def show_value(self, value: str, _automatic: object = None) -> None:
        """Show a value."""
        self.box.setCurrentIndex(self.box.findData(value))


class ButtonRow(NamedRow):
    """A setting that is changed elsewhere: its button, or the menu of its name, opens that.

    Signals
    -------
    opened
    """

    opened = Signal()

    def __init__(self, path: str, help: str, width: int = NAME_WIDTH // 2) -> None:
        self.box = QPushButton()
        super().__init__(path, self.box, help, width)
        self.box.clicked.connect(self.opened)
        self.strip.connect(self.opened)


class PointsRow(ButtonRow):
    """A curve: its name and a button that opens the editor."""

    def __init__(self, path: str) -> None:
        declared = spec(path)
        assert isinstance(declared, Points)
        super().__init__(path, f"{declared.help}\nClick to draw it; double click on the name: straight.")
        self.box.setAccessibleName(f"Curve: {declared.label}")

    def show_value(self, value: Curve, _automatic: object = None) -> None:
        """Show how many points there are."""
        self.box.setText(value_text(self.path, value))
