"""One station on the shelf: its settings in columns by what they physically do."""

from __future__ import annotations

from collections.abc import Callable
from typing import TypeAlias

from PySide6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout, QWidget

from irvane.core.declaring import Cropping, Group, Name, Trail
from irvane.core.groups import CURVES, GRAIN_AT_THE_END, LOCAL_CONTRAST, OVER_SCALE, PER_CHANNEL, WHOLE
from irvane.core.settings import Choice, Method, Number, Points, names, spec
from irvane.desktop.line.controls import ChoiceRow, NumberRow, PointsRow
from irvane.desktop.line.names import CropRow, NameRow
from irvane.desktop.line.trail import TrailRow

#: Groups of buttons, without settings.
GRADE, FOLDER, QUEUE = Group("grade", "Grade"), Group("folder", "Folder"), Group("queue", "Queue")
#: Groups that stand below another one instead of in a column of their own.
_BELOW = {
    GRADE: OVER_SCALE, GRAIN_AT_THE_END: PER_CHANNEL, LOCAL_CONTRAST: WHOLE,
}  # fmt: skip


#: A setting's row.
Row: TypeAlias = NumberRow | ChoiceRow | PointsRow | NameRow | CropRow | TrailRow
#: Columns that need little room.
_NARROW = {CURVES: 112}
_ROWS: dict[type, Callable[[str], Row]] = {
    Number: NumberRow,
    Choice: ChoiceRow,
    Points: PointsRow,
    Name: NameRow,
    Cropping: CropRow,
    Trail: TrailRow,
}


class StationPage(QWidget):
    """Controls of one station."""

    def __init__(self, station: str) -> None:
        super().__init__()
        self.rows: dict[str, Row] = {}
        self.columns: dict[Group, QVBoxLayout] = {}
        whole = self._whole = QVBoxLayout(self)
        whole.setContentsMargins(12, 8, 6, 6)
        whole.setSpacing(2)
        self._layout = QHBoxLayout()
        self._layout.setSpacing(14)
        self.words = QLabel()
        self.words.setObjectName("muted")
        self.words.setWordWrap(True)
        self.words.setAccessibleName("What was measured")
        self.words.hide()
        whole.addLayout(self._layout, 1)
        whole.addWidget(self.words)
        for path in names(station):
            declared = spec(path)
            assert not isinstance(declared, Method)
            row = _ROWS[type(declared)](path)
            self.column(declared.group).addWidget(row)
            self.rows[path] = row

    def column(self, group: Group) -> QVBoxLayout:
        """The column of a group, made when it is first asked for."""
        if group not in self.columns:
            column = self.columns.get(_BELOW.get(group, group)) or self._new_column(group)
            title = QLabel(group.label)
            title.setObjectName("group")
            column.addWidget(title)
            self.columns[group] = column
        return self.columns[group]

    def _new_column(self, group: Group) -> QVBoxLayout:
        holder = QWidget()
        holder.setMaximumWidth(_NARROW.get(group, 330))
        column = QVBoxLayout(holder)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(1)
        self._layout.addWidget(holder, 1)
        return column

    def unfold_for(self, path: str) -> None:
        """Show a setting, wherever it is."""

    def set_low(self, on: bool) -> None:
        """With less height."""
        for row in self.rows.values():
            row.set_low(on)
        self._whole.setContentsMargins(12, 3 if on else 8, 6, 2 if on else 6)

    def finish(self) -> None:
        """Push the rows of every column to its top."""
        for column in set(self.columns.values()):
            column.addStretch(1)
        self._layout.addStretch(0)
