"""Stations, and parts of them, to be ticked: each with what a proof changes there in words."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QCheckBox, QGridLayout, QLabel, QWidget

from irvane.core.settings import (
    PARTS,
    REGIONS,
    STATIONS,
    Settings,
    copied_settings,
    differences,
    full_label,
    value_text,
)

_MOST_LISTED = 4


def change_words(before: Settings, after: Settings) -> str:
    """What changes from one proof to another, in words."""
    paths = differences(before, after)
    count = len(after.regions)
    told = (
        ""
        if before.regions == after.regions
        else f"{count} region{'' if count == 1 else 's'}"
        if count
        else "no regions"
    )
    if not paths:
        return told or "nothing changes"
    words = [f"{full_label(p).lower()} {value_text(p, after.get(p))}" for p in paths[:_MOST_LISTED]]
    more = len(paths) - len(words)
    return ", ".join(words) + (f" and {more} more" if more > 0 else "") + (f", {told}" if told else "")


class Parts(QWidget):
    """A box for every station and part, ticked where the proof changes a station; not that of writing."""

    changed = Signal()

    def __init__(self, settings: Settings, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.boxes: dict[str, QCheckBox] = {}
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        for row, part in enumerate((*STATIONS, *sorted(PARTS, key=lambda part: part != REGIONS))):
            box = QCheckBox(part.capitalize() if part in STATIONS or part == REGIONS else f"Only the {part}")
            only = copied_settings(settings, Settings(), (part,))
            box.setChecked(only != Settings() and part in STATIONS[:-1])
            box.setToolTip(f"What this proof has here: {change_words(Settings(), only)}.")
            box.toggled.connect(self.changed)
            self.boxes[part] = box
            words = QLabel("untouched" if only == Settings() else change_words(Settings(), only))
            words.setObjectName("muted")
            words.setWordWrap(True)
            grid.addWidget(box, row, 0, Qt.AlignmentFlag.AlignTop)
            grid.addWidget(words, row, 1)
        grid.setColumnStretch(1, 1)

    def chosen(self) -> tuple[str, ...]:
        """Those with a tick."""
        return tuple(part for part, box in self.boxes.items() if box.isChecked())
