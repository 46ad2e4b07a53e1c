"""The curve editor: points on a plane of EV in and EV out, drawn over the bench."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import (
    QButtonGroup,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from irvane.core.declaring import Curve, Points
from irvane.core.light.curve import curve_shift
from irvane.core.settings import Settings, spec
from irvane.desktop import theme
from irvane.desktop.line.points import FloatingPanel, PointsPlane
from irvane.desktop.numbers import NumberField

CURVES = ("light.curve", "light.curve_red", "light.curve_green", "light.curve_blue")
_COLOURS = dict(zip(CURVES, ("#e6e6e6", "#d98a80", "#8fc08a", "#8aa3d6"), strict=True))
#: What the plane shows, in EV around mid-grey.
LOW, HIGH = -10.0, 6.0
#: Least distance of two points in EV in, and the steps of the arrow keys.
APART, STEP, LARGE_STEP = 0.1, 0.1, 1.0
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


class Plane(PointsPlane):
    """The curve and its points."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.colour = QColor(_COLOURS[CURVES[0]])
        self.setAccessibleName("Curve")
        self.setToolTip(
            "Click: a new point; drag it. Double click or Delete takes it away. Page keys: next point; arrow "
            "keys: move it by 0.1 EV, with Shift by 1 EV; Insert: a new point."
        )

    def area(self) -> QRectF:
        return QRectF(self.rect()).adjusted(_MARGIN + 6, 6, -6, -_MARGIN)

    def at(self, place: float, value: float) -> QPointF:
        area = self.area()
        return QPointF(
            area.left() + area.width() * (place - LOW) / (HIGH - LOW),
            area.bottom() - area.height() * (value - LOW) / (HIGH - LOW),
        )

    def levels(self, point: QPointF) -> tuple[float, float]:
        """EV in and out of a place in the widget."""
        area = self.area()
        x = LOW + (HIGH - LOW) * (point.x() - area.left()) / area.width()
        y = LOW + (HIGH - LOW) * (area.bottom() - point.y()) / area.height()
        return min(max(x, LOW), HIGH), min(max(y, LOW), HIGH)

    def put(self, place: float, value: float) -> None:
        if self.number >= 0:
            self.changed.emit(moved(self.points, self.number, place, value))

    def add(self, place: float, value: float) -> None:
        points, number = with_point(self.points, place, value)
        self.number = number
        self.changed.emit(points)
        self.select(number)

    def step(self, large: bool, right: int, up: int) -> None:
        far = LARGE_STEP if large else STEP
        x, y = self.points[self.number]
        self.put(x + far * right, y + far * up)

    def insert(self) -> None:
        """A point in the middle of the widest gap, on the curve."""
        places = [LOW, *(x for x, _ in self.points), HIGH]
        gap = int(np.argmax(np.diff(places)))
        place = (places[gap] + places[gap + 1]) / 2
        self.add(place, place + float(curve_shift(self.points, np.array(place))))

    def paintEvent(self, _event: QPaintEvent) -> None:  # noqa: N802
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        area = self.area()
        painter.fillRect(area, theme.WELL)
        painter.setFont(theme.font(10))
        for ev in range(int(LOW), int(HIGH) + 1, 2):
            x, y = self.at(ev, LOW).x(), self.at(LOW, ev).y()
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
        painter.drawLine(self.at(LOW, LOW), self.at(HIGH, HIGH))
        levels = np.linspace(LOW, HIGH, 161)
        line = QPolygonF(
            [self.at(x, x + s) for x, s in zip(levels, curve_shift(self.points, levels), strict=True)]
        )
        painter.setPen(QPen(self.colour, 1.8))
        painter.drawPolyline(line)
        self.draw_points(painter, self.colour)
        self.draw_focus(painter)
        painter.end()


class CurveEditor(FloatingPanel):
    """A panel over the bench with the curve of one channel.

    Signals
    -------
    changed(path, points) : a curve of the chosen proof.
    """

    changed = Signal(str, object)

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent, 372, 396)
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
            declared = spec(path)
            assert isinstance(declared, Points)
            button = QPushButton(declared.label)
            button.setCheckable(True)
            button.setProperty("flat", True)
            button.setToolTip(declared.help)
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

    def _value_row(self) -> QHBoxLayout:
        row = QHBoxLayout()
        self.boxes = []
        for words in ("in", "out"):
            box = NumberField()
            box.setRange(-12, 8)
            box.setDecimals(2)
            box.setSingleStep(STEP)
            box.setSuffix(" EV")
            box.setKeyboardTracking(False)
            box.setAccessibleName(f"Level {words} of the point in hand, in EV")
            box.setToolTip(
                f"Level {words} of the point in hand, in EV around mid-grey; typed, it moves the point."
            )
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
        self.come(self.plane)
        if self._settings is not None:
            self.show_settings(self._settings)

    def show_settings(self, settings: Settings) -> None:
        """Show the curves of a proof."""
        self._settings = settings
        if not self.isHidden():
            self.plane.colour = QColor(_COLOURS[self.path])
            self.plane.show_points(settings.get(self.path))
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
