"""Lines over a common axis, with marks at their points; a level among them may be dragged."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from PySide6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QHelpEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QToolTip, QWidget

from irvane.desktop import theme

#: Pixels around the lines for the numbers and words beside them; between ticks at least; from a line or point
#: that is meant.
_LEFT, _TOP, _RIGHT, _BOTTOM, _APART, _NEAR = 56, 22, 12, 36, 44, 9
#: Shapes of marks, as corners around a point; the first is round.
_SHAPES = (
    (),
    ((-1, -1), (1, -1), (1, 1), (-1, 1)),
    ((0, -1.2), (1.2, 1), (-1.2, 1)),
    ((0, -1.4), (1.4, 0), (0, 1.4), (-1.4, 0)),
)
_MARK = 3.5
_GRID, _BAND = 40, 60  # opacity of 255


@dataclass(frozen=True)
class Line:
    """Points of one thing, joined."""

    name: str
    xs: tuple[float, ...]
    ys: tuple[float, ...]
    colour: QColor
    shape: int = 0


def ticks(low: float, high: float, most: int) -> list[float]:
    """Round numbers between two, as many as fit: steps of 1, 2 or 5 of a power of ten."""
    if not high > low:
        return [low]
    rough = (high - low) / max(most, 1)
    power = 10.0 ** math.floor(math.log10(rough))
    step = next(f * power for f in (1, 2, 5, 10) if f * power >= rough * 0.999)
    first = math.ceil(low / step - 1e-9)
    return [round(k * step, 10) for k in range(first, math.floor(high / step + 1e-9) + 1)]


class LineChart(QWidget):
    """A chart.

    Signals
    -------
    level_moved(value) : the level was dragged.
    """

    level_moved = Signal(float)

    def __init__(self, up: str, along: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.up, self.along = up, along
        self.lines: list[Line] = []
        self.level: float | None = None
        #: A value that is drawn across without being moved.
        self.across: float | None = None
        self._band: tuple[QPolygonF, QColor] | None = None
        self._dragged = False
        self.setAccessibleName(up)
        self.setMouseTracking(True)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)

    def sizeHint(self) -> QSize:  # noqa: N802
        return QSize(380, 320)

    def add(
        self, name: str, xs: Sequence[float], ys: Sequence[float], colour: QColor | str, shape: int = 0
    ) -> None:
        """Add a line; points that are no numbers are left out."""
        good = [
            (float(x), float(y)) for x, y in zip(xs, ys, strict=True) if math.isfinite(x) and math.isfinite(y)
        ]
        good.sort()
        self.lines.append(
            Line(
                name,
                tuple(x for x, _ in good),
                tuple(y for _, y in good),
                QColor(colour),
                shape % len(_SHAPES),
            )
        )
        self.update()

    def fill(self, xs: Sequence[float], low: Sequence[float], high: Sequence[float], colour: QColor) -> None:
        """Fill what lies between two values at every place."""
        edge = [QPointF(x, y) for x, y in zip(xs, low, strict=True)]
        edge += [QPointF(x, y) for x, y in reversed(list(zip(xs, high, strict=True)))]
        faint = QColor(colour)
        faint.setAlpha(_BAND)
        self._band = QPolygonF(edge), faint
        self.update()

    def set_level(self, value: float) -> None:
        """Put the level somewhere; no signal."""
        self.level = value
        self.update()

    # where things lie

    def _area(self) -> QRectF:
        return QRectF(self.rect()).adjusted(_LEFT, _TOP, -_RIGHT, -_BOTTOM)

    def _ranges(self) -> tuple[float, float, float, float]:
        xs = [x for line in self.lines for x in line.xs] or [0.0]
        ys = [y for line in self.lines for y in line.ys] or [0.0]
        ys += [value for value in (self.level, self.across) if value is not None]
        if self._band is not None:
            ys += [point.y() for point in self._band[0].toList()]
        wide, high = max(xs) - min(xs) or 1.0, max(ys) - min(ys) or 1.0
        return min(xs) - 0.04 * wide, max(xs) + 0.04 * wide, min(ys) - 0.06 * high, max(ys) + 0.06 * high

    def _at(self, x: float, y: float) -> QPointF:
        area, (left, right, low, high) = self._area(), self._ranges()
        return QPointF(
            area.left() + area.width() * (x - left) / (right - left),
            area.bottom() - area.height() * (y - low) / (high - low),
        )

    def _value_at(self, y: float) -> float:
        area, (_, _, low, high) = self._area(), self._ranges()
        return low + (area.bottom() - y) / max(area.height(), 1) * (high - low)

    # painting

    def paintEvent(self, _event: QPaintEvent) -> None:  # noqa: N802
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(theme.font(11))
        painter.fillRect(self.rect(), theme.WELL)
        self._paint_grid(painter)
        if self._band is not None:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(self._band[1])
            painter.drawPolygon(QPolygonF([self._at(p.x(), p.y()) for p in self._band[0].toList()]))
        for value, style in ((self.across, Qt.PenStyle.DotLine), (self.level, Qt.PenStyle.DashLine)):
            if value is not None:
                painter.setPen(QPen(theme.ACCENT if value == self.level else theme.MUTED, 1.4, style))
                y = self._at(0, value).y()
                painter.drawLine(QPointF(self._area().left(), y), QPointF(self._area().right(), y))
        for line in self.lines:
            self._paint_line(painter, line)
        self._paint_names(painter)
        painter.end()

    def _paint_grid(self, painter: QPainter) -> None:
        area, (left, right, low, high) = self._area(), self._ranges()
        faint = QColor(theme.TEXT)
        faint.setAlpha(_GRID)
        for x in ticks(left, right, int(area.width() / _APART)):
            place = self._at(x, low).x()
            painter.setPen(faint)
            painter.drawLine(QPointF(place, area.top()), QPointF(place, area.bottom()))
            painter.setPen(theme.MUTED)
            painter.drawText(
                QRectF(place - 30, area.bottom() + 2, 60, 15), Qt.AlignmentFlag.AlignCenter, _number(x)
            )
        for y in ticks(low, high, int(area.height() / _APART)):
            place = self._at(left, y).y()
            painter.setPen(faint)
            painter.drawLine(QPointF(area.left(), place), QPointF(area.right(), place))
            painter.setPen(theme.MUTED)
            beside = QRectF(0, place - 8, area.left() - 5, 16)
            painter.drawText(beside, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, _number(y))
        painter.drawText(QRectF(6, 2, self.width() - 12, 18), Qt.AlignmentFlag.AlignLeft, self.up)
        below = QRectF(area.left(), self.height() - 18, area.width(), 16)
        painter.drawText(below, Qt.AlignmentFlag.AlignRight, self.along)

    def _paint_line(self, painter: QPainter, line: Line) -> None:
        points = [self._at(x, y) for x, y in zip(line.xs, line.ys, strict=True)]
        painter.setPen(QPen(line.colour, 2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(QPolygonF(points))
        for point in points:
            _paint_mark(painter, point, line)

    def _paint_names(self, painter: QPainter) -> None:
        """What the lines are: beside the words at the top where there is room, or else below each other."""
        area, metrics = self._area(), painter.fontMetrics()
        named = [line for line in self.lines if line.name]
        room = area.right() - 12 - metrics.horizontalAdvance(self.up)
        beside = sum(metrics.horizontalAdvance(line.name) + 24 for line in named) < room
        right = area.right()
        for row, line in enumerate(reversed(named) if beside else named):
            place = QRectF(
                area.left(), 2 if beside else area.top() + 4 + 17 * row, right - area.left() - 16, 16
            )
            words = metrics.elidedText(line.name, Qt.TextElideMode.ElideRight, int(place.width()))
            painter.setPen(theme.TEXT)
            painter.drawText(place, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, words)
            _paint_mark(painter, QPointF(right - 8, place.center().y()), line)
            if beside:
                right -= metrics.horizontalAdvance(words) + 24

    # the level, and what a point says

    def _is_near_level(self, y: float) -> bool:
        return self.level is not None and abs(self._at(0, self.level).y() - y) < _NEAR

    def mousePressEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        self._dragged = event.button() == Qt.MouseButton.LeftButton and self._is_near_level(
            event.position().y()
        )

    def mouseMoveEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        y = event.position().y()
        near = self._dragged or self._is_near_level(y)
        self.setCursor(Qt.CursorShape.SizeVerCursor if near else Qt.CursorShape.ArrowCursor)
        if self._dragged:
            self.set_level(round(self._value_at(y), 1))
            self.level_moved.emit(self.level)

    def mouseReleaseEvent(self, _event: QMouseEvent) -> None:  # noqa: N802
        self._dragged = False

    def words_at(self, place: QPointF) -> str:
        """What the point says that lies there; empty where none does."""
        for line in self.lines:
            for x, y in zip(line.xs, line.ys, strict=True):
                apart = self._at(x, y) - place
                if math.hypot(apart.x(), apart.y()) < _NEAR:
                    return f"{line.name + ': ' if line.name else ''}{_number(round(x, 2))}, {_number(round(y, 2))}"
        return ""

    def event(self, event: QEvent) -> bool:
        if event.type() == QEvent.Type.ToolTip and isinstance(event, QHelpEvent):
            QToolTip.showText(event.globalPos(), self.words_at(QPointF(event.pos())), self)
            return True
        return super().event(event)


def _number(value: float) -> str:
    return f"{value:g}".replace("-", "−")


def _paint_mark(painter: QPainter, point: QPointF, line: Line) -> None:
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(line.colour)
    shape = _SHAPES[line.shape]
    if not shape:
        painter.drawEllipse(point, _MARK, _MARK)
        return
    painter.drawPolygon(QPolygonF([point + QPointF(x * _MARK, y * _MARK) for x, y in shape]))
