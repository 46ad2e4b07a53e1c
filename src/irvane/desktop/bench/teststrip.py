"""The test strip: one crop at several values of one setting side by side; a click takes one."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QPoint, QRect, QSize, Qt, Signal
from PySide6.QtGui import QColor, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from irvane.core.line.teststrip import (
    FEWEST,
    GRADE,
    MOST,
    PRESETS,
    is_numeric,
    strip_label,
    strip_title,
    strip_values,
)
from irvane.core.settings import Points, spec
from irvane.desktop import theme

_GAP = 3
_LABEL = 22
#: On a crop whose final form follows.
ROUGHLY = "noise removed roughly for now"
#: Crops beside each other; more stand in rows below.
_ACROSS = 7
#: Width by height of the pictures that there is room for.
_SHAPE = 1.5


class _Crops(QWidget):
    """Paints the crops and lets one be chosen."""

    taken = Signal(int)
    left = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.labels: list[str] = []
        self.images: dict[int, QImage] = {}
        #: Crops whose final form follows.
        self.rough: set[int] = set()
        self.now = self.marked = 0
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAccessibleName("Test strip")
        self.setToolTip("Click on the one you want, or choose with the arrow keys and Return. Esc: leave.")

    def _grid(self) -> tuple[int, int]:
        """Rows and columns: one row of a few, and of many as they are seen largest."""
        count = max(len(self.labels), 1)
        if count <= _ACROSS:
            return 1, count

        def size(rows: int) -> float:
            across = -(-count // rows)
            return min(self.width() / across, _SHAPE * (self.height() / rows - _LABEL))

        rows = max(range(1, count + 1), key=size)
        return rows, -(-count // rows)

    def place(self, number: int) -> QRect:
        """Where a crop stands, its label included."""
        rows, across = self._grid()
        row, column = divmod(number, across)
        left, right = ((self.width() + _GAP) * k // across for k in (column, column + 1))
        top, bottom = ((self.height() + _GAP) * k // rows for k in (row, row + 1))
        return QRect(left, top, right - left - _GAP, bottom - top - _GAP)

    def picture_size(self) -> QSize:
        """Size of one crop in device pixels."""
        ratio = self.devicePixelRatioF()
        place = self.place(0)
        return QSize(max(8, int(place.width() * ratio)), max(8, int((place.height() - _LABEL) * ratio)))

    def paintEvent(self, _event: QPaintEvent) -> None:  # noqa: N802
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.SURROUNDS[1])
        for number, words in enumerate(self.labels):
            place = self.place(number)
            picture = place.adjusted(0, 0, 0, -_LABEL)
            image = self.images.get(number)
            if image is None:
                painter.setPen(theme.MUTED)
                painter.drawText(picture, Qt.AlignmentFlag.AlignCenter, "…")
            else:
                size = image.size().scaled(picture.size(), Qt.AspectRatioMode.KeepAspectRatio)
                shown = QRect(picture.topLeft(), size)
                shown.moveCenter(picture.center())
                painter.setRenderHint(
                    QPainter.RenderHint.SmoothPixmapTransform, size.width() < 1.9 * image.width()
                )
                painter.drawImage(shown, image)
                if number in self.rough:
                    self._mark_rough(painter, shown)
            label = QRect(place.left(), place.bottom() - _LABEL + 1, place.width(), _LABEL)
            painter.fillRect(label, theme.PANEL)
            painter.setPen(theme.ACCENT if number == self.now else theme.TEXT)
            told = f"{words} (now)" if number == self.now else words
            told = painter.fontMetrics().elidedText(told, Qt.TextElideMode.ElideRight, label.width() - 4)
            painter.drawText(label, Qt.AlignmentFlag.AlignCenter, told)
            if number == self.marked:
                painter.setPen(QPen(theme.ACCENT, 2 if self.hasFocus() else 1))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawRect(place.adjusted(1, 1, -2, -2))
        painter.end()

    @staticmethod
    def _mark_rough(painter: QPainter, shown: QRect) -> None:
        band = QRect(shown.left(), shown.top(), shown.width(), _LABEL)
        painter.fillRect(band, QColor(0, 0, 0, 140))
        painter.setPen(QColor("#e8e8e8"))
        told = painter.fontMetrics().elidedText(ROUGHLY, Qt.TextElideMode.ElideRight, band.width() - 8)
        painter.drawText(band.adjusted(4, 0, -4, 0), Qt.AlignmentFlag.AlignVCenter, told)

    def _at(self, place: QPoint) -> int:
        return next(
            (k for k in range(len(self.labels)) if self.place(k).adjusted(0, 0, _GAP, _GAP).contains(place)),
            len(self.labels) - 1,
        )

    def mouseMoveEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        self.marked = self._at(event.position().toPoint())
        self.update()

    def mousePressEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        if event.button() == Qt.MouseButton.LeftButton and self.labels:
            self.taken.emit(self._at(event.position().toPoint()))

    def keyPressEvent(self, event: QKeyEvent) -> None:  # noqa: N802
        key = event.key()
        across = self._grid()[1]
        steps = {
            Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1, Qt.Key.Key_Up: -across, Qt.Key.Key_Down: across,
        }  # fmt: skip
        step = steps.get(Qt.Key(key))
        if step is not None:
            self.marked = min(max(self.marked + step, 0), len(self.labels) - 1)
            self.update()
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            self.taken.emit(self.marked)
        elif key == Qt.Key.Key_Escape:
            self.left.emit()
        else:
            super().keyPressEvent(event)


class TestStrip(QWidget):
    """The surface; it takes the place of the panes.

    Signals
    -------
    wanted : values or sizes changed; crops have to be rendered.
    taken(path, value), left : one was chosen; the strip is to be closed.
    """

    __test__ = False  # not a test case, whatever its name says to pytest
    wanted = Signal()
    taken = Signal(str, object)
    left = Signal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.path, self.values = "", []  # type: str, list[Any]
        self.run = 0
        self._now: Any = None
        self._count, self._spread = 5, 1.0
        self.title = QLabel()
        self.crops = _Crops()
        self.crops.taken.connect(lambda k: self.taken.emit(self.path, self.values[k]))
        self.crops.left.connect(self.left)
        row = QHBoxLayout()
        row.setContentsMargins(8, 3, 8, 3)
        row.addWidget(self.title)
        row.addStretch(1)
        self.buttons: dict[str, QPushButton] = {}
        for words, tip, act in (
            ("fewer", "Fewer values", lambda: self._change(-1, 1.0)),
            ("more", "More values", lambda: self._change(1, 1.0)),
            ("closer", "Values nearer to each other", lambda: self._change(0, 0.5)),
            ("farther", "Values farther apart", lambda: self._change(0, 2.0)),
            ("leave", "Back to the panes, nothing changed (Esc)", self.left.emit),
        ):
            button = QPushButton(words)
            button.setProperty("flat", True)
            button.setToolTip(tip)
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            button.clicked.connect(lambda _checked=False, a=act: a())
            self.buttons[words] = button
            row.addWidget(button)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addLayout(row)
        layout.addWidget(self.crops, 1)

    def show_setting(self, path: str, now: Any) -> None:
        """Begin with a setting and its present value."""
        self.path, self._now, self._spread = path, now, 1.0
        self._fill()
        self.crops.setFocus()

    def _change(self, more: int, spread: float) -> None:
        self._count = min(max(self._count + more, FEWEST), MOST)
        self._spread = min(max(self._spread * spread, 1 / 16), 16.0)
        self._fill()

    def _fill(self) -> None:
        self.values = strip_values(self.path, self._now, self._count, self._spread)
        self.title.setText(f"Test strip · {strip_title(self.path)}")
        for name in ("fewer", "more", "closer", "farther"):
            self.buttons[name].setEnabled(is_numeric(self.path))
        crops = self.crops
        crops.labels = [strip_label(self.path, value) for value in self.values]
        crops.images.clear()
        crops.rough.clear()
        crops.now = self.values.index(self._now) if self._now in self.values else -1
        crops.marked = max(crops.now, 0)
        crops.update()
        self.run += 1
        self.wanted.emit()

    def take(self, run: int, number: int, image: QImage, exact: bool = True) -> None:
        """Show a crop, if it belongs to what is asked for now; one that is not exact is marked until it
        is."""
        if run == self.run:
            self.crops.images[number] = image
            (self.crops.rough.discard if exact else self.crops.rough.add)(number)
            self.crops.update()

    def resizeEvent(self, event: object) -> None:  # noqa: N802
        super().resizeEvent(event)  # type: ignore[arg-type]
        if self.path and self.isVisible():
            self._fill()


def can_be_stripped(path: str) -> bool:
    """Does a setting change the picture on the bench?"""
    return path in (GRADE, PRESETS) or not (path.startswith("finish.") or isinstance(spec(path), Points))
