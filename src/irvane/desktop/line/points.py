"""A plane with points that are added, taken in hand, moved and taken away, by mouse and keys; and a panel
that holds one."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPen
from PySide6.QtWidgets import QFrame, QWidget

from irvane.desktop import theme

Points = tuple[tuple[float, float], ...]
_NEAR, _MARGIN = 9, 6
_MOVES = {
    Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, 1), Qt.Key.Key_Down: (0, -1),
}  # fmt: skip
_TURNS = {Qt.Key.Key_PageDown: 1, Qt.Key.Key_PageUp: -1}


class PointsPlane(QWidget):
    """Points on a plane; what their places mean and how they bound each other is for the kinds of planes to
    say.

    Signals
    -------
    changed(points), selected(number) : −1 when no point is in hand.
    """

    changed = Signal(object)
    selected = Signal(int)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.points: Points = ()
        self.number = -1
        self._dragging = False
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumSize(200, 200)

    def area(self) -> QRectF:
        """The part of the widget that is the plane."""
        return QRectF(self.rect()).adjusted(_MARGIN, _MARGIN, -_MARGIN, -_MARGIN)

    def at(self, place: float, value: float) -> QPointF:
        """Where a point lies in the widget."""
        raise NotImplementedError

    def levels(self, point: QPointF) -> tuple[float, float]:
        """What a place in the widget means."""
        raise NotImplementedError

    def put(self, place: float, value: float) -> None:
        """Move the point in hand."""
        raise NotImplementedError

    def add(self, place: float, value: float) -> None:
        """Add a point and take it in hand."""
        raise NotImplementedError

    def step(self, large: bool, right: int, up: int) -> None:
        """Move the point in hand by a step."""
        raise NotImplementedError

    def insert(self) -> None:
        """Add a point where one is missing most."""
        raise NotImplementedError

    def show_points(self, points: Points) -> None:
        """Show points; the one in hand stays in hand."""
        self.points = points
        if self.number >= len(points):
            self.select(-1)
        self.update()

    def select(self, number: int) -> None:
        """Take a point in hand."""
        self.number = number
        self.selected.emit(number)
        self.update()

    def remove(self) -> None:
        """Take the point in hand away."""
        if self.number >= 0:
            points = (*self.points[: self.number], *self.points[self.number + 1 :])
            self.number = -1
            self.changed.emit(points)
            self.select(-1)

    def _near(self, point: QPointF) -> int:
        for number, (x, y) in enumerate(self.points):
            offset = self.at(x, y) - point
            if abs(offset.x()) + abs(offset.y()) < _NEAR:
                return number
        return -1

    def mousePressEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        if event.button() != Qt.MouseButton.LeftButton:
            return
        number = self._near(event.position())
        if number >= 0:
            self.select(number)
        else:
            self.add(*self.levels(event.position()))
        self._dragging = True

    def mouseMoveEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        if self._dragging:
            self.put(*self.levels(event.position()))

    def mouseReleaseEvent(self, _event: QMouseEvent) -> None:  # noqa: N802
        self._dragging = False

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        self._dragging = False
        self.select(self._near(event.position()))
        self.remove()

    def keyPressEvent(self, event: QKeyEvent) -> None:  # noqa: N802
        key = Qt.Key(event.key())
        if key in _MOVES and self.number >= 0:
            self.step(bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier), *_MOVES[key])
        elif key in _TURNS and self.points:
            self.select((self.number + _TURNS[key]) % len(self.points))
        elif key == Qt.Key.Key_Insert:
            self.insert()
        elif key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.remove()
        else:
            super().keyPressEvent(event)

    def draw_points(self, painter: QPainter, colour: QColor) -> None:
        """The points, the one in hand larger and in the accent's colour."""
        for number, (x, y) in enumerate(self.points):
            chosen = number == self.number
            painter.setBrush(theme.ACCENT if chosen else theme.WELL)
            painter.setPen(QPen(theme.TEXT if chosen else colour, 1.4))
            side = 5.0 if chosen else 4.0
            painter.drawRect(QRectF(self.at(x, y).x() - side, self.at(x, y).y() - side, 2 * side, 2 * side))

    def draw_focus(self, painter: QPainter) -> None:
        """A line around the plane while keys go to it."""
        painter.setClipping(False)
        if self.hasFocus():
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(theme.ACCENT, 1))
            painter.drawRect(self.area().adjusted(-2, -2, 2, 2))


class FloatingPanel(QFrame):
    """A panel in the lower right corner of what it lies over; Esc closes it."""

    def __init__(self, parent: QWidget, width: int, height: int) -> None:
        super().__init__(parent)
        self.setObjectName("floating")
        self.setFixedSize(width, height)
        parent.installEventFilter(self)
        self.hide()

    def come(self, plane: PointsPlane) -> None:
        """Show it in its place; keys go to its plane, no point is in hand."""
        plane.number = -1
        self.show()
        self._place()
        self.raise_()
        plane.setFocus()

    def _place(self) -> None:
        bench = self.parentWidget()
        assert bench is not None
        around = bench.rect()
        self.move(around.right() - self.width() - 12, max(4, around.bottom() - self.height() - 12))

    def eventFilter(self, watched: object, event: object) -> bool:  # noqa: N802
        if event.type() == event.Type.Resize and not self.isHidden():  # type: ignore[attr-defined]
            self._place()
        return False

    def keyPressEvent(self, event: QKeyEvent) -> None:  # noqa: N802
        if event.key() == Qt.Key.Key_Escape:
            self.hide()
        else:
            super().keyPressEvent(event)
