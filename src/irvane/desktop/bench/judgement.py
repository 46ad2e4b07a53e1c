"""What stands under the panes: the verdict in words, and the table of their figures."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import QPoint, Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QHBoxLayout, QMenu, QVBoxLayout, QWidget

from irvane.core.errors import WriteError
from irvane.core.files.preferences import choose, preferences
from irvane.core.judge.readings import Line, SideBySide
from irvane.core.judge.rows import ROWS
from irvane.core.judge.verdict import NOTHING
from irvane.desktop.bench.elided import Elided
from irvane.desktop.bench.table import DETAIL, ROW, Column, FiguresTable
from irvane.desktop.bench.telling import Telling
from irvane.desktop.flat import flat_button

#: Rows that are shown without unfolding, unless others were chosen.
USUAL = ("noise", DETAIL, "light", "range")
#: Rows that are seen at once when all are, and in a low window.
_MOST, _LOW = 11, 2
#: Height of the bench below which a low window has so few.
_NARROW = 520


class Judgement(QWidget):
    """Verdict and table.

    Signals
    -------
    equal_wanted : brightness is to be made equal. explained(key) : a quantity was asked for.
    menu_wanted(place, row, pane) : the right button on a figure. said(sentence)
    """

    equal_wanted = Signal()
    explained = Signal(str)
    menu_wanted = Signal(QPoint, int, int)
    said = Signal(str)

    def __init__(
        self, telling: Telling, columns: Callable[[], Sequence[Column]], parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.telling, self._columns = telling, columns
        self.hidden = self._low = False
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 2)
        layout.setSpacing(0)
        row = QHBoxLayout()
        row.setContentsMargins(10, 0, 4, 0)
        row.setSpacing(4)
        self.words = Elided()
        self.words.setAccessibleName("Verdict")
        font = self.words.font()
        font.setBold(True)
        self.words.setFont(font)
        row.addWidget(self.words, 1)
        self.equal = flat_button(
            "make equally bright", "An eye takes the brighter picture for the better one (E)."
        )
        self.equal.clicked.connect(self.equal_wanted)
        self.spots = flat_button(
            "at all spots", "The verdict of all judging spots together, or of the small square’s place.", True
        )
        self.spots.clicked.connect(telling.judge_at_spots)
        self.all = flat_button("all figures", "Every figure, or the four that are looked at most.", True)
        self.all.setChecked(preferences().all_figures)
        self.all.clicked.connect(self._unfold)
        for button in (self.equal, self.spots, self.all):
            row.addWidget(button)
        layout.addLayout(row)
        self.table = FiguresTable()
        self.table.explained.connect(self.explained)
        self.table.menu_wanted.connect(self.menu_wanted)
        layout.addWidget(self.table)
        telling.changed.connect(self.refresh)
        self.refresh()

    def _unfold(self, on: bool) -> None:
        self._keep(all_figures=on)
        self.refresh()

    def _keep(self, **choice: object) -> None:
        try:
            choose(**choice)
        except WriteError as error:
            self.said.emit(str(error))

    def lines(self) -> list[Line]:
        """The rows that are shown now."""
        told = self.telling.told
        if self.all.isChecked():
            keys = tuple(ROWS)
        else:
            keys = preferences().rows or USUAL
        return [_line(told, key) for key in keys if key == DETAIL or key in ROWS]

    def refresh(self) -> None:
        """Write verdict and figures anew."""
        columns = list(self._columns())
        lines = self.lines()
        self.setVisible(not self.hidden and bool(columns))
        bench = self.parentWidget()
        low = self._low and bench is not None and bench.height() < _NARROW
        self.table.setFixedHeight(min(len(lines), _LOW if low else _MOST) * ROW)
        self.table.show_lines(lines, columns)
        verdict = self.telling.verdict
        told = verdict is not None and not any(column.greyed or column.empty for column in columns)
        if verdict is None or all(column.empty for column in columns):
            self.words.set_full(NOTHING if len(columns) > 1 else "")
        else:
            self.words.set_full(verdict.words)
        self.words.setEnabled(told)
        self.equal.setVisible(verdict is not None and verdict.unequal and told)

    def set_low(self, on: bool) -> None:
        """With less height, in a low window; the rest of the rows is reached by scrolling."""
        self._low = on
        self.refresh()

    def resizeEvent(self, event: QResizeEvent) -> None:  # noqa: N802
        super().resizeEvent(event)
        self.refresh()

    def add_choices(self, menu: QMenu) -> None:
        """Which rows the short table has, in a menu."""
        own = menu.addMenu("Rows of the short table")
        chosen = preferences().rows or USUAL
        for key, name in (
            (DETAIL, "Detail: what tells it here"),
            *((k, row.title) for k, row in ROWS.items()),
        ):
            action = own.addAction(name)
            action.setCheckable(True)
            action.setChecked(key in chosen)
            action.triggered.connect(lambda on, k=key: self._choose(k, on))
        own.addSeparator()
        own.addAction("As shipped").triggered.connect(lambda: self._set_rows(()))

    def _choose(self, key: str, on: bool) -> None:
        order = (USUAL[0], DETAIL, *(k for k in ROWS if k not in USUAL[:1]))
        chosen = {*(preferences().rows or USUAL)}
        chosen = chosen | {key} if on else chosen - {key}
        self._set_rows(tuple(k for k in order if k in chosen))

    def _set_rows(self, rows: tuple[str, ...]) -> None:
        self._keep(rows=rows)
        self.refresh()

    def as_text(self) -> str:
        """All that stands here, in lines with tabulators between columns."""
        model = self.table.told
        rows = [
            "\t".join(str(model.data(model.index(r, c))) for c in range(model.columnCount()))
            for r in range(model.rowCount())
        ]
        head = "\t".join(["", *(column.letter for column in model.columns)])
        return "\n".join([self.words.text_in_full(), head, *rows])


def _line(told: SideBySide | None, key: str) -> Line:
    """A row of the table; an empty one while nothing is known."""
    if key == DETAIL:
        key = "texture" if told is None else told.detail or "texture"
    return Line(ROWS[key], ()) if told is None else told.lines[key]
