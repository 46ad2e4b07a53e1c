"""Fields for numbers that are typed: a click selects all, signs, decimal points and commas and fractions are
understood."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtGui import QFocusEvent, QKeyEvent, QMouseEvent, QValidator
from PySide6.QtWidgets import (
    QAbstractSpinBox,
    QApplication,
    QComboBox,
    QDoubleSpinBox,
    QLineEdit,
    QSpinBox,
    QWidget,
)

_NUMBER = re.compile(r"[+-]?(?:\d+\.?\d*|\.\d+)")
_FRACTION = re.compile(r"([+-]?)\s*(?:(\d+)\s+)?(\d+)\s*/\s*(\d+)")
_GROUPED = re.compile(r"[+-]?\d{1,3}(?:[,. ]\d{3})+")
#: What may still become a number.
_BEGUN = re.compile(r"[+-]?\s*[\d.,\s]*/?\s*\d*")


def number_of(text: str, whole: bool = False) -> float | None:
    """What a typed number means: ``−1``, ``+0,5``, ``1/3``, ``1 1/2``; of whole numbers ``5,500`` is five
    thousand five hundred. None where it is no number."""
    text = text.strip().replace("−", "-")
    if whole and _GROUPED.fullmatch(text):
        text = re.sub(r"[,. ]", "", text)
    fraction = _FRACTION.fullmatch(text)
    if fraction is not None:
        sign, full, top, bottom = fraction.groups()
        if int(bottom) == 0:
            return None
        value = int(full or 0) + int(top) / int(bottom)
        return -value if sign == "-" else value
    text = text.replace(",", ".").replace(" ", "")
    return float(text) if _NUMBER.fullmatch(text) else None


class _Line(QLineEdit):
    """All of it is selected by the click that gives it the keyboard, and by a double click."""

    def __init__(self, owner: _Typed) -> None:
        super().__init__(owner)
        self._owner = owner

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        super().mouseReleaseEvent(event)
        if self._owner.clicked and not self.hasSelectedText():
            self._owner.selectAll()
        self._owner.clicked = False

    def mouseDoubleClickEvent(self, _event: QMouseEvent) -> None:  # noqa: N802
        self._owner.selectAll()


if TYPE_CHECKING:
    _Base = QDoubleSpinBox
else:
    _Base = object


class _Typed(_Base):
    """What both kinds of fields share."""

    #: Was the keyboard given to it by the click that is under way?
    clicked = False

    if TYPE_CHECKING:

        def textFromValue(self, value: Any) -> str: ...  # noqa: N802
        def value(self) -> Any: ...

    def _prepare(self) -> None:
        self.setLineEdit(_Line(self))
        self.setKeyboardTracking(False)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCorrectionMode(QAbstractSpinBox.CorrectionMode.CorrectToNearestValue)

    def focusInEvent(self, event: QFocusEvent) -> None:  # noqa: N802
        self.clicked = event.reason() == Qt.FocusReason.MouseFocusReason
        super().focusInEvent(event)

    @property
    def whole(self) -> bool:
        """Are its numbers whole?"""
        return self.decimals() == 0

    @property
    def being_typed(self) -> bool:
        """Has something been typed that does not count yet?"""
        return self.hasFocus() and self.lineEdit().isModified()

    def _bare(self, text: str) -> str:
        """A text without prefix and unit, or what is left of them."""
        text = text.strip()
        for mark in (self.prefix().strip(), self.suffix().strip()):
            text = text.removeprefix(mark).removesuffix(mark).strip() if mark else text
        unit = self.suffix().strip()
        cut = next((k for k in range(len(unit) - 1, 0, -1) if text.endswith(unit[:k])), 0)
        return text[:-cut].strip() if cut else text

    def _number(self, text: str) -> float | None:
        if self.specialValueText() and text.strip() == self.specialValueText():
            return float(self.minimum())
        return number_of(self._bare(text), self.whole)

    def validate(self, text: str, place: int) -> tuple[QValidator.State, str, int]:
        value = self._number(text)
        if value is not None:
            inside = self.minimum() <= value <= self.maximum()
            state = QValidator.State.Acceptable if inside else QValidator.State.Intermediate
        elif _BEGUN.fullmatch(self._bare(text).replace("−", "-")) or (
            self.specialValueText() and self.specialValueText().startswith(text.strip())
        ):
            state = QValidator.State.Intermediate
        else:
            state = QValidator.State.Invalid
        return state, text, place

    def fixup(self, text: str) -> str:
        """What is out of range goes to its end; what is no number is as before."""
        value = self._number(text)
        if value is None:
            value = float(self.value())
        value = min(max(value, self.minimum()), self.maximum())
        return f"{self.prefix()}{self.textFromValue(round(value) if self.whole else value)}{self.suffix()}"

    def _shown(self, value: float, decimals: int) -> str:
        text = f"{value:.{decimals}f}"
        if not text.strip("-0."):
            text = text.removeprefix("-")
        return f"+{text}" if self.minimum() < 0 < value else text.replace("-", "−")


class NumberField(_Typed, QDoubleSpinBox):
    """A number: with a true minus, and a plus where both signs are possible."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._prepare()

    def textFromValue(self, value: float) -> str:  # noqa: N802
        return self._shown(value, self.decimals())

    def valueFromText(self, text: str) -> float:  # noqa: N802
        found = self._number(text)
        return self.value() if found is None else round(found, self.decimals())


class WholeField(_Typed, QSpinBox):  # type: ignore[misc]
    """A whole number."""

    whole = True  # type: ignore[assignment]

    if TYPE_CHECKING:

        def value(self) -> int: ...

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._prepare()

    def textFromValue(self, value: int) -> str:  # type: ignore[override]  # noqa: N802
        return self._shown(value, 0)

    def valueFromText(self, text: str) -> int:  # type: ignore[override]  # noqa: N802
        found = self._number(text)
        return self.value() if found is None else round(found)


class GreyedFields:
    """What is typed after a click on a greyed field does nothing: it was not meant for the pictures."""

    def __init__(self) -> None:
        self._clicked = False

    def _look(self, window: QWidget, event: QEvent) -> None:
        """Where was it? It comes to what lies around a greyed field, too."""
        if not isinstance(event, QMouseEvent):
            return
        there = window.childAt(window.mapFromGlobal(event.globalPosition().toPoint()))
        field = there.parent() if isinstance(there, QLineEdit) else there
        asked = field if isinstance(field, QAbstractSpinBox | QComboBox) else there
        fields = isinstance(asked, QAbstractSpinBox | QComboBox | QLineEdit)
        self._clicked = fields and asked is not None and not asked.isEnabled()

    def swallows(self, watched: QObject, event: QEvent) -> bool:
        """Is it a key that was meant for a greyed field? It is taken away then, from shortcuts too."""
        if event.type() == QEvent.Type.MouseButtonPress and isinstance(watched, QWidget):
            self._look(watched.window(), event)
        keys = event.type() in (QEvent.Type.ShortcutOverride, QEvent.Type.KeyPress)
        if not self._clicked or not keys or not isinstance(event, QKeyEvent):
            return False
        if not event.text().isprintable() or not event.text():
            if event.key() not in (Qt.Key.Key_Shift, Qt.Key.Key_Control, Qt.Key.Key_Alt):
                self._clicked = event.key() in (Qt.Key.Key_Backspace, Qt.Key.Key_Delete)
            return False
        event.accept()
        return True


def turns_unasked(watched: QObject, event: QEvent) -> bool:
    """Would the wheel change a field without the keyboard, as when a form is scrolled?"""
    if event.type() != QEvent.Type.Wheel:
        return False
    field = watched.parent() if isinstance(watched, QLineEdit) else watched
    return isinstance(field, QAbstractSpinBox | QComboBox) and not field.hasFocus()


def typing() -> bool:
    """Is text being typed somewhere now?"""
    focus = QApplication.focusWidget()
    return focus is not None and focus.testAttribute(Qt.WidgetAttribute.WA_InputMethodEnabled)
