"""One station on the shelf: its settings in columns by what they physically do."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import suppress
from typing import TypeAlias

from PySide6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout, QWidget

from irvane.core.declaring import Cropping, Group, Name, Trail
from irvane.core.errors import IrvaneError
from irvane.core.files.preferences import choose, preferences
from irvane.core.groups import CURVES, GRAIN_AT_THE_END, LOCAL_CONTRAST, OVER_SCALE, PER_CHANNEL, WHOLE
from irvane.core.settings import Choice, Method, Number, Points, Settings, names, spec
from irvane.desktop.line.controls import ChoiceRow, NumberRow, PointsRow
from irvane.desktop.line.folding import at_first
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
_NARROW = {CURVES: 140}
#: Pixels of the others at most: on wide screens sliders are longer, and finer.
_WIDEST = 620
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
        #: Is all of it shown?
        self.unfolded = station in preferences().unfolded
        self._station = station
        self._titles: dict[Group, QLabel] = {}
        self._buttons: dict[Group, list[QWidget]] = {}
        self._shown: tuple[Settings, Settings] | None = None
        #: How many settings are folded away at first.
        self.folded = 0
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
            self._titles[group] = title
            self.columns[group] = column
        return self.columns[group]

    def _new_column(self, group: Group) -> QVBoxLayout:
        holder = QWidget()
        holder.setMaximumWidth(_NARROW.get(group, _WIDEST))
        column = QVBoxLayout(holder)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(1)
        self._layout.addWidget(holder, 1)
        return column

    def add(self, group: Group, widget: QWidget, first: bool = True) -> None:
        """A control without a setting; `first`: it is shown while the station is folded."""
        self.column(group).addWidget(widget)
        self._buttons.setdefault(group, []).append(widget)
        widget.setProperty("first", first)

    def unfold(self, on: bool) -> None:
        """Show all of it, or what most pictures need; remembered."""
        self.unfolded = on
        others = tuple(one for one in preferences().unfolded if one != self._station)
        with suppress(IrvaneError):  # a disk that is full: it is only not remembered
            choose(unfolded=(*others, self._station) if on else others)
        if self._shown is not None:
            self.fold(*self._shown)

    def unfold_for(self, path: str) -> None:
        """Show a setting, wherever it is."""
        if self.rows[path].isHidden():
            self.unfold(True)

    def fold(self, settings: Settings, untouched: Settings) -> None:
        """Show what a proof of these settings needs."""
        self._shown = settings, untouched
        seen: dict[Group, bool] = {}
        folded = 0
        for path, row in self.rows.items():
            group = spec(path).group  # type: ignore[union-attr]
            first = at_first(path, settings, untouched)
            folded += not first
            row.setVisible(first or self.unfolded)
            seen[group] = seen.get(group, False) or first or self.unfolded
        for group, widgets in self._buttons.items():
            for widget in widgets:
                shown = self.unfolded or bool(widget.property("first"))
                widget.setVisible(shown)
                seen[group] = seen.get(group, False) or shown
        holders: dict[QWidget, bool] = {}
        for group, title in self._titles.items():
            title.setVisible(seen.get(group, False))
            holder = title.parentWidget()
            assert holder is not None
            holders[holder] = holders.get(holder, False) or seen.get(group, False)
        for holder, shown in holders.items():
            holder.setVisible(shown)
        self.folded = folded

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
