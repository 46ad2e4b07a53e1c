"""What lies over the picture while a region is chosen: handles of gradients and circles, the brush."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QTabletEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QApplication, QWidget

from irvane.core.regions.region import LocalRegion, Part, Stroke
from irvane.desktop import theme
from irvane.desktop.bench.picture import PictureView

#: Distance in which a handle is taken hold of; its radius; a step of the arrow keys, as a share of the frame.
_NEAR, _HANDLE, _STEP = 11.0, 5.0, 0.01
_PAINTED = ("brush", "subject")


class RegionOverlay(QWidget):
    """Handles and brush over a picture.

    Signals
    -------
    shaped(index of the part, numbers, begins) : a part is being moved. stroked(Stroke) : a stroke was
    painted. clicked(x, y) : a place was clicked that a band is to be picked from. resized_brush(steps).
    hovering(x, y). left
    """

    shaped = Signal(int, tuple, bool)
    stroked = Signal(object)
    clicked = Signal(float, float)
    resized_brush = Signal(int)
    hovering = Signal(float, float)
    left = Signal()

    def __init__(self, view: PictureView) -> None:
        super().__init__(view)
        self.view = view
        self.region: LocalRegion | None = None
        self.drawing = ""  # the kind of a part that is to be drawn
        self.brush: Callable[[], tuple[float, float, float, bool, bool]] = lambda: (
            0.06,
            0.5,
            1.0,
            False,
            False,
        )
        #: From shares of the frame to places in the output, and back.
        self.there: Callable[[float, float], tuple[float, float]] = lambda x, y: (x, y)
        self.back: Callable[[float, float], tuple[float, float]] = lambda x, y: (x, y)
        self.ratio = 2 / 3
        self._hold: tuple[int, int] | None = None
        self._begun = False
        self._stroke: list[float] = []
        self._from = QPointF()
        self._cursor = QPointF(-1e4, -1e4)  # nowhere, until the mouse comes
        self._pressure = 1.0
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("The region on the picture")
        self.setAccessibleDescription("Drag handles, or paint. Arrow keys move the shape; Return leaves.")
        self.resize(view.size())
        self.show()

    # places

    def on_view(self, x: float, y: float) -> QPointF:
        """Where a place of the frame (shares) lies in the widget."""
        u, v = self.there(x, y)
        return self.view._view_rect(QRectF(u, v, 0, 0), self.view.contents[0]).topLeft()

    def in_frame(self, point: QPointF) -> tuple[float, float]:
        """The place of the frame (shares) under a widget position."""
        spot = self.view.frame_point(point)
        return self.back(*self.view.contents[0].own_place(spot.x(), spot.y()))

    def _part(self) -> tuple[int, Part] | None:
        if self.region is None or not self.region.parts:
            return None
        return len(self.region.parts) - 1, self.region.parts[-1]

    def _handles(self, part: Part) -> list[tuple[float, float]]:
        n = part.numbers
        if part.kind == "linear":
            return [(n[0], n[1]), (n[2], n[3])]
        if part.kind == "round":
            c, s = math.cos(math.radians(n[4])), math.sin(math.radians(n[4]))
            return [
                (n[0], n[1]), (n[0] + n[2] * c, n[1] + n[2] * s / self.ratio), (n[0] - n[3] * s,
                n[1] + n[3] * c / self.ratio),
            ]  # fmt: skip
        if part.kind == "spot":
            return [(n[0], n[1]), (n[0] + n[2], n[1])]
        return []

    def _moved(self, part: Part, handle: int, x: float, y: float) -> tuple[float, ...]:
        n = list(part.numbers)
        if part.kind == "linear":
            n[2 * handle : 2 * handle + 2] = [x, y]
        elif handle == 0:
            n[0:2] = [x, y]
        elif part.kind == "spot":
            n[2] = max(math.hypot(x - n[0], (y - n[1]) * self.ratio), 0.005)
        else:
            dx, dy = x - n[0], (y - n[1]) * self.ratio
            n[1 + handle] = max(math.hypot(dx, dy), 0.005)
            n[4] = math.degrees(math.atan2(dy, dx)) if handle == 1 else math.degrees(math.atan2(-dx, dy))
        return tuple(n)

    # painting

    def paintEvent(self, _event: QPaintEvent) -> None:  # noqa: N802
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for part in self.region.parts if self.region is not None else ():
            self._paint_part(painter, part)
        found = self._part()
        if found is not None and found[1].kind in _PAINTED and not self.drawing:
            self._paint_brush(painter)
        if self.hasFocus():
            painter.setPen(QPen(theme.ACCENT, 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(self.rect().adjusted(1, 1, -1, -1))
        painter.end()

    def _line(self, painter: QPainter, draw: Callable[[], None]) -> None:
        for colour, width in ((theme.EDGE, 3.0), (theme.ACCENT, 1.2)):
            painter.setPen(QPen(colour, width))
            draw()

    def _paint_part(self, painter: QPainter, part: Part) -> None:
        handles = [self.on_view(*place) for place in self._handles(part)]
        if not handles:
            return
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if part.kind == "linear":
            a, b = handles
            across = QPointF(-(b - a).y(), (b - a).x())
            length = max((across.x() ** 2 + across.y() ** 2) ** 0.5, 1e-3)
            across *= 2000 / length
            self._line(painter, lambda: painter.drawLine(a, b))
            for end, style in ((a, Qt.PenStyle.SolidLine), (b, Qt.PenStyle.DashLine)):
                painter.setPen(QPen(theme.ACCENT, 1, style))
                painter.drawLine(end - across, end + across)
        else:
            self._line(painter, lambda: painter.drawPolyline(self._outline(part)))
        for number, place in enumerate(handles):
            painter.setPen(QPen(theme.EDGE, 1))
            painter.setBrush(theme.ACCENT if number == 0 else theme.TEXT)
            painter.drawEllipse(place, _HANDLE, _HANDLE)

    def _outline(self, part: Part) -> list[QPointF]:
        n = part.numbers
        rx, ry, angle = (n[2], n[3], math.radians(n[4])) if part.kind == "round" else (n[2], n[2], 0.0)
        made = []
        for k in range(73):
            t = 2 * math.pi * k / 72
            u, v = rx * math.cos(t), ry * math.sin(t)
            x = n[0] + u * math.cos(angle) - v * math.sin(angle)
            y = n[1] + (u * math.sin(angle) + v * math.cos(angle)) / self.ratio
            made.append(self.on_view(x, y))
        return made

    def _paint_brush(self, painter: QPainter) -> None:
        size, softness, _, erases, _ = self.brush()
        middle = self.in_frame(self._cursor)
        reach = self.on_view(middle[0] + size / 2, middle[1]) - self.on_view(*middle)
        radius = max((reach.x() ** 2 + reach.y() ** 2) ** 0.5, 1.0)
        if self._stroke:  # the stroke is seen at once; its mask follows
            colour = QColor(theme.MUTED if erases else theme.ACCENT)
            colour.setAlpha(90)
            pen = QPen(
                colour, 2 * radius, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap, Qt.PenJoinStyle.RoundJoin
            )
            painter.setPen(pen)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            places = [
                self.on_view(self._stroke[k], self._stroke[k + 1]) for k in range(0, len(self._stroke), 3)
            ]
            painter.drawPolyline([*places, places[-1] + QPointF(0.1, 0)])
        painter.setBrush(Qt.BrushStyle.NoBrush)
        self._line(painter, lambda: painter.drawEllipse(self._cursor, radius, radius))
        painter.setPen(QPen(theme.ACCENT, 1, Qt.PenStyle.DotLine))
        painter.drawEllipse(self._cursor, radius * (1 - softness), radius * (1 - softness))

    # mouse and pen

    def _begin(self, point: QPointF) -> None:
        self._from, self._begun = point, False
        x, y = self.in_frame(point)
        if self.drawing in ("tone", "hue"):
            self.clicked.emit(x, y)
            return
        if self.drawing:
            return
        found = self._part()
        if found is None:
            return
        index, part = found
        if part.kind in _PAINTED:
            self._stroke = [x, y, self._pressure]
            return
        for number, place in enumerate(self._handles(part)):
            if (self.on_view(*place) - point).manhattanLength() <= _NEAR:
                self._hold = index, number
                return

    def _follow(self, point: QPointF) -> None:
        self._cursor = point
        x, y = self.in_frame(point)
        found = self._part()
        if self._stroke:
            self._stroke += [x, y, self._pressure]
        elif self.drawing in ("linear", "round", "spot") and found is not None:
            self._draw(found[0], x, y)
        elif self._hold is not None and found is not None:
            self.shaped.emit(self._hold[0], self._moved(found[1], self._hold[1], x, y), not self._begun)
            self._begun = True
        else:
            self.hovering.emit(x, y)
        self.update()

    def _draw(self, index: int, x: float, y: float) -> None:
        x0, y0 = self.in_frame(self._from)
        far = max(math.hypot(x - x0, (y - y0) * self.ratio), 0.005)
        numbers: tuple[float, ...]
        if self.drawing == "linear":
            numbers = x0, y0, x, y
        elif self.drawing == "round":
            numbers = x0, y0, max(abs(x - x0), 0.01), max(abs(y - y0) * self.ratio, 0.01), 0.0, 0.6
        else:
            numbers = x0, y0, far, 1.2
        self.shaped.emit(index, numbers, not self._begun)
        self._begun = True

    def _end(self) -> None:
        if self._stroke:
            size, softness, opacity, erases, follows = self.brush()
            erases ^= bool(QApplication.keyboardModifiers() & Qt.KeyboardModifier.AltModifier)
            stroke = Stroke(
                tuple(round(v, 5) for v in self._stroke), size, softness, opacity, erases, follows
            )
            self._stroke = []
            self.stroked.emit(stroke)
        if self.drawing in ("linear", "round", "spot") and self._begun:
            self.drawing = ""
        self._hold = None
        self.update()

    def mousePressEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        if event.button() == Qt.MouseButton.LeftButton:
            self._pressure = 1.0
            self._begin(event.position())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        held = bool(event.buttons() & Qt.MouseButton.LeftButton)
        if self.drawing and not held:
            self._cursor = event.position()
            return
        self._follow(event.position())

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        if event.button() == Qt.MouseButton.LeftButton:
            self._end()

    def tabletEvent(self, event: QTabletEvent) -> None:  # noqa: N802
        self._pressure = max(float(event.pressure()), 0.02)
        kind = event.type()
        if kind == QTabletEvent.Type.TabletPress:
            self._begin(event.position())
        elif kind == QTabletEvent.Type.TabletMove:
            self._follow(event.position())
        elif kind == QTabletEvent.Type.TabletRelease:
            self._end()
        event.accept()

    def wheelEvent(self, event: QWheelEvent) -> None:  # noqa: N802
        steps = event.angleDelta().y() or event.angleDelta().x()
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self.resized_brush.emit(1 if steps > 0 else -1)
            event.accept()
            return
        self.view.wheelEvent(event)
        self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:  # noqa: N802
        ways = {
            Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, -1), Qt.Key.Key_Down: (0,
            1),
        }  # fmt: skip
        found = self._part()
        if event.key() in ways and found is not None and self._handles(found[1]):
            index, part = found
            dx, dy = (v * _STEP for v in ways[Qt.Key(event.key())])
            n = list(part.numbers)
            for k in (0, 2) if part.kind == "linear" else (0,):
                n[k], n[k + 1] = n[k] + dx, n[k + 1] + dy
            self.shaped.emit(index, tuple(n), True)
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Escape):
            self.left.emit()
        else:
            super().keyPressEvent(event)


def with_part(region: LocalRegion, index: int, part: Part) -> LocalRegion:
    """The region with one of its parts replaced."""
    parts = list(region.parts)
    parts[index] = part
    return replace(region, parts=tuple(parts))
