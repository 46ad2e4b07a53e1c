"""The small window in which the limits of the hatching are set."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import (
    QDialog,
    QDialogButtonBox,
    QFormLayout,
    QLabel,
    QVBoxLayout,
    QWidget,
)

from irvane.core.line.clip_flags import Limits
from irvane.desktop.numbers import NumberField


class LimitsDialog(QDialog):
    """Two limits in EV below paper white; they act at once.

    Signals
    -------
    changed(Limits)
    """

    changed = Signal(object)

    def __init__(self, limits: Limits, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Limits of the hatching")
        self.white = self._box(-3, 0, limits.white, "Marked as white from, in EV below paper white")
        self.black = self._box(-14, -3, limits.black, "Marked as black up to, in EV below paper white")
        form = QFormLayout()
        form.addRow("Marked as white from", self.white)
        form.addRow("Marked as black up to", self.black)
        words = QLabel(
            "Both count from paper white, in the light of the finished picture. A print holds about seven "
            "stops; set the second to −7 to see what it will lose."
        )
        words.setWordWrap(True)
        words.setObjectName("muted")
        buttons = QDialogButtonBox(
            QDialogButtonBox.StandardButton.Close | QDialogButtonBox.StandardButton.RestoreDefaults
        )
        buttons.rejected.connect(self.reject)
        buttons.button(QDialogButtonBox.StandardButton.RestoreDefaults).clicked.connect(self._restore)
        layout = QVBoxLayout(self)
        layout.addLayout(form)
        layout.addWidget(words)
        layout.addWidget(buttons)

    def _box(self, low: float, high: float, value: float, name: str) -> NumberField:
        box = NumberField()
        box.setRange(low, high)
        box.setDecimals(1)
        box.setSingleStep(0.1)
        box.setSuffix(" EV")
        box.setValue(value)
        box.setAccessibleName(name)
        box.valueChanged.connect(lambda _value: self.changed.emit(self.limits()))
        return box

    def limits(self) -> Limits:
        """What is set."""
        return Limits(self.white.value(), self.black.value())

    def _restore(self) -> None:
        self.white.setValue(Limits().white)
        self.black.setValue(Limits().black)
