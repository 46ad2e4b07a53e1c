"""The curve editor: points on a plane of EV in and EV out, drawn over the bench."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import (
    QButtonGroup,
    QDoubleSpinBox,
    QFrame,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from irvane.core.declaring import Curve
from irvane.core.light.curve import curve_shift
from irvane.core.settings import Points, Settings, spec
from irvane.desktop import theme

CURVES = ("light.curve", "light.curve_red", "light.curve_green", "light.curve_blue")
_COLOURS = dict(zip(CURVES, ("#e6e6e6", "#d98a80", "#8fc08a", "#8aa3d6"), strict=True))
#: What the plane shows, in EV around mid-grey.
LOW, HIGH = -10.0, 6.0
#: Least distance of two points in EV in, and the steps of the arrow keys.
APART, STEP, LARGE_STEP = 0.1, 0.1, 1.0
_NEAR = 9
_MARGIN = 22


def with_point(points: Curve, place: float, value: float) -> tuple[Curve, int]:
    """A curve with one more point, and that point's number; the point is kept between its neighbours."""
    number = sum(x < place for x, _ in points)
    return moved((*points[:number], (place, value), *points[number:]), number, place, value), number


def moved(points: Curve, number: int, place: float, value: float) -> Curve:
    """A curve with one point moved as far as its neighbours allow: both coordinates keep rising."""
    declared = spec(CURVES[0])
    assert isinstance(declared, Points)
    before = points[number - 1] if number else (declared.low - APART, declared.low)
    after = points[number + 1] if number + 1 < len(points) else (declared.high + APART, declared.high)
    x = min(max(place, before[0] + APART), after[0] - APART)
    y = min(max(value, before[1]), after[1])
    return (*points[:number], (round(x, 2), round(y, 2)), *points[number + 1 :])


class Plane(QWidget):
    """The curve and its points.

    Signals
    -------
    changed(points), selected(number) : −1 when no point is in hand.
    """

    changed = Signal(object)
    selected = Signal(int)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.points: Curve = ()
        self.number = -1
        self.colour = QColor(_COLOURS[CURVES[0]])
        self._dragging = False
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumSize(200, 200)
        self.setAccessibleName("Curve")
        self.setToolTip(
            "Click: a new point; drag it. Double click or Delete takes it away. Page keys: next point; arrow keys: move it by "
            "0.1 EV, with Shift by 1 EV; Insert: a new point."
        )

    def _area(self) -> QRectF:
        return QRectF(self.rect()).adjusted(_MARGIN + 6, 6, -6, -_MARGIN)

    def _at(self, place: float, value: float) -> QPointF:
        area = self._area()
        return QPointF(
            area.left() + area.width() * (place - LOW) / (HIGH - LOW),
            area.bottom() - area.height() * (value - LOW) / (HIGH - LOW),
        )

    def levels(self, point: QPointF) -> tuple[float, float]:
        """EV in and out of a place in the widget."""
        area = self._area()
        x = LOW + (HIGH - LOW) * (point.x() - area.left()) / area.width()
        y = LOW + (HIGH - LOW) * (area.bottom() - point.y()) / area.height()
        return min(max(x, LOW), HIGH), min(max(y, LOW), HIGH)

    def show_points(self, points: Curve, colour: str) -> None:
        """Show a curve; the point in hand stays in hand."""
        self.points, self.colour = points, QColor(colour)
        if self.number >= len(points):
            self.select(-1)
        self.update()

    def select(self, number: int) -> None:
        """Take a point in hand."""
        self.number = number
        self.selected.emit(number)
        self.update()

    def put(self, place: float, value: float) -> None:
        """Move the point in hand."""
        if self.number >= 0:
            self.changed.emit(moved(self.points, self.number, place, value))

    def add(self, place: float, value: float) -> None:
        """Add a point and take it in hand."""
        points, number = with_point(self.points, place, value)
        self.number = number
        self.changed.emit(points)
        self.select(number)

    def remove(self) -> None:
        """Take the point in hand away."""
        if self.number >= 0:
            points = (*self.points[: self.number], *self.points[self.number + 1 :])
            self.number = -1
            self.changed.emit(points)
            self.select(-1)

    def _near(self, point: QPointF) -> int:
        for number, (x, y) in enumerate(self.points):
            offset = self._at(x, y) - point
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
        moves = {
            Qt.Key.Key_Left: (-1, 0),
            Qt.Key.Key_Right: (1, 0),
            Qt.Key.Key_Up: (0, 1),
            Qt.Key.Key_Down: (0, -1),
        }
        turns = {Qt.Key.Key_PageDown: 1, Qt.Key.Key_PageUp: -1}
        if key in moves and self.number >= 0:
            far = LARGE_STEP if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else STEP
            x, y = self.points[self.number]
            self.put(x + far * moves[key][0], y + far * moves[key][1])
        elif key in turns and self.points:
            self.select((self.number + turns[key]) % len(self.points))
        elif key == Qt.Key.Key_Insert:
            self._insert()
        elif key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.remove()
        else:
            super().keyPressEvent(event)

    def _insert(self) -> None:
        """A point in the middle of the widest gap, on the curve."""
        places = [LOW, *(x for x, _ in self.points), HIGH]
        gap = int(np.argmax(np.diff(places)))
        place = (places[gap] + places[gap + 1]) / 2
        self.add(place, place + float(curve_shift(self.points, np.array(place))))

    def paintEvent(self, _event: QPaintEvent) -> None:  # noqa: N802
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        area = self._area()
        painter.fillRect(area, theme.WELL)
        painter.setFont(theme.font(10))
        for ev in range(int(LOW), int(HIGH) + 1, 2):
            x, y = self._at(ev, LOW).x(), self._at(LOW, ev).y()
            painter.setPen(QPen(theme.PANEL if ev else theme.EDGE, 1 if ev else 1.6))
            painter.drawLine(QPointF(x, area.top()), QPointF(x, area.bottom()))
            painter.drawLine(QPointF(area.left(), y), QPointF(area.right(), y))
            painter.setPen(theme.MUTED)
            words = f"{ev:+d}".replace("-", "−") if ev else "0"
            painter.drawText(QRectF(x - 20, area.bottom() + 3, 40, 14), Qt.AlignmentFlag.AlignCenter, words)
            painter.drawText(
                QRectF(0, y - 7, area.left() - 5, 14),
                Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
                words,
            )
        painter.setClipRect(area)
        painter.setPen(QPen(theme.MUTED, 1, Qt.PenStyle.DotLine))
        painter.drawLine(self._at(LOW, LOW), self._at(HIGH, HIGH))
        levels = np.linspace(LOW, HIGH, 161)
        line = QPolygonF(
            [self._at(x, x + s) for x, s in zip(levels, curve_shift(self.points, levels), strict=True)]
        )
        painter.setPen(QPen(self.colour, 1.8))
        painter.drawPolyline(line)
        for number, (x, y) in enumerate(self.points):
            chosen = number == self.number
            painter.setBrush(theme.ACCENT if chosen else theme.WELL)
            painter.setPen(QPen(theme.TEXT if chosen else self.colour, 1.4))
            side = 5.0 if chosen else 4.0
            painter.drawRect(QRectF(self._at(x, y).x() - side, self._at(x, y).y() - side, 2 * side, 2 * side))
        painter.setClipping(False)
        if self.hasFocus():
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(theme.ACCENT, 1))
            painter.drawRect(area.adjusted(-2, -2, 2, 2))
        painter.end()


class CurveEditor(QFrame):
    """A panel over the bench with the curve of one channel.

    Signals
    -------
    changed(path, points) : a curve of the chosen proof.
    """

    changed = Signal(str, object)

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setObjectName("floating")
        self.setFixedSize(372, 396)
        self.path = CURVES[0]
        self.plane = Plane()
        self.plane.changed.connect(lambda points: self.changed.emit(self.path, points))
        self.plane.selected.connect(lambda _number: self._show_values())
        self.plane.changed.connect(lambda _points: self._show_values())
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 8, 10, 8)
        top = QHBoxLayout()
        self.buttons: dict[str, QPushButton] = {}
        group = QButtonGroup(self)
        for path in CURVES:
            button = QPushButton(spec(path).label)
            button.setCheckable(True)
            button.setProperty("flat", True)
            button.setToolTip(spec(path).help)
            button.clicked.connect(lambda _checked=False, p=path: self.open(p))
            group.addButton(button)
            self.buttons[path] = button
            top.addWidget(button)
        top.addStretch(1)
        close = QPushButton("Close")
        close.setToolTip("Closes the editor (Esc); the curve stays.")
        close.clicked.connect(self.hide)
        top.addWidget(close)
        layout.addLayout(top)
        layout.addWidget(self.plane, 1)
        layout.addLayout(self._value_row())
        self._settings: Settings | None = None
        parent.installEventFilter(self)
        self.hide()

    def _value_row(self) -> QHBoxLayout:
        row = QHBoxLayout()
        self.boxes = []
        for words in ("in", "out"):
            box = QDoubleSpinBox()
            box.setRange(-12, 8)
            box.setDecimals(2)
            box.setSingleStep(STEP)
            box.setSuffix(" EV")
            box.setKeyboardTracking(False)
            box.setAccessibleName(f"Level {words} of the point in hand, in EV")
            box.valueChanged.connect(lambda _value: self._typed())
            self.boxes.append(box)
            row.addWidget(QLabel(words))
            row.addWidget(box)
        row.addStretch(1)
        straight = QPushButton("Straight")
        straight.setToolTip("Takes all points of this curve away.")
        straight.clicked.connect(lambda: self.plane.changed.emit(()))
        row.addWidget(straight)
        return row

    def open(self, path: str) -> None:
        """Show the curve of a channel."""
        self.path = path
        self.buttons[path].setChecked(True)
        self.plane.number = -1
        self.show()
        self._place()
        self.raise_()
        self.plane.setFocus()
        if self._settings is not None:
            self.show_settings(self._settings)

    def show_settings(self, settings: Settings) -> None:
        """Show the curves of a proof."""
        self._settings = settings
        if not self.isHidden():
            self.plane.show_points(settings.get(self.path), _COLOURS[self.path])
            self._show_values()

    def _show_values(self) -> None:
        number = self.plane.number
        inside = 0 <= number < len(self.plane.points)
        for box, value in zip(self.boxes, self.plane.points[number] if inside else (0.0, 0.0), strict=True):
            box.setEnabled(inside)
            box.blockSignals(True)
            box.setValue(value)
            box.blockSignals(False)

    def _typed(self) -> None:
        self.plane.put(self.boxes[0].value(), self.boxes[1].value())

    def _place(self) -> None:
        around = self.parentWidget().rect()
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
