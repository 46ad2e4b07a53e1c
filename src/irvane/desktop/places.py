"""Places of a merge that are to come from one frame: painted on its picture, frame by frame."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from irvane.core.line.looks import TINTS
from irvane.desktop import theme
from irvane.desktop.numbers import WholeField

#: A place in the frame's own shares (x, y, radius) and the name of the file it is taken from.
Place = tuple[float, float, float, str]
#: From shares of the picture to shares of the frame, and back.
Way = Callable[[float, float], tuple[float, float]]
#: Radius at first, in per cent of the width; parts of a radius after which a stroke sets its next disc; a
#: step of the keys.
_RADIUS, _APART, _STEP = 3, 0.5, 0.02


class _Picture(QWidget):
    """The merge with its places; a press or a stroke sets more."""

    painted = Signal(float, float, bool)

    def __init__(self, image: QImage) -> None:
        super().__init__()
        self.image = image
        self.discs: list[tuple[float, float, float, QColor]] = []
        self.radius = _RADIUS / 100
        self._last: QPointF | None = None
        self.cursor_at = QPointF(0.5, 0.5)
        self.setMinimumSize(430, 300)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Places that come from one frame")
        self.setAccessibleDescription("Click or paint; or go with the arrow keys and set a place with Space.")

    def room(self) -> QRectF:
        """Where the picture lies."""
        size = self.image.size().scaled(self.size(), Qt.AspectRatioMode.KeepAspectRatio)
        return QRectF(
            (self.width() - size.width()) / 2,
            (self.height() - size.height()) / 2,
            size.width(),
            size.height(),
        )

    def paintEvent(self, _event: QPaintEvent) -> None:  # noqa: N802
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.fillRect(self.rect(), theme.WELL)
        room = self.room()
        painter.drawImage(room, self.image)
        for x, y, radius, colour in self.discs:
            painter.setPen(QPen(colour, 1.5))
            painter.setBrush(QColor(colour.red(), colour.green(), colour.blue(), 70))
            painter.drawEllipse(self._at(x, y), radius * room.width(), radius * room.width())
        painter.setPen(QPen(theme.TEXT, 1, Qt.PenStyle.DotLine))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        reach = self.radius * room.width()
        painter.drawEllipse(self._at(self.cursor_at.x(), self.cursor_at.y()), reach, reach)
        if self.hasFocus():
            painter.setPen(QPen(theme.ACCENT, 1))
            painter.drawRect(self.rect().adjusted(0, 0, -1, -1))
        painter.end()

    def _at(self, x: float, y: float) -> QPointF:
        room = self.room()
        return QPointF(room.left() + x * room.width(), room.top() + y * room.height())

    def _share(self, place: QPointF) -> QPointF:
        room = self.room()
        x, y = (place.x() - room.left()) / room.width(), (place.y() - room.top()) / room.height()
        return QPointF(min(max(x, 0.0), 1.0), min(max(y, 0.0), 1.0))

    def mousePressEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        if event.button() == Qt.MouseButton.LeftButton:
            self._last = self.cursor_at = self._share(event.position())
            self.painted.emit(self._last.x(), self._last.y(), True)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        self.cursor_at = self._share(event.position())
        if self._last is not None:
            room, way = self.room(), self.cursor_at - self._last
            far = (way.x() ** 2 + (way.y() * room.height() / room.width()) ** 2) ** 0.5
            if far >= _APART * self.radius:
                self._last = self.cursor_at
                self.painted.emit(self._last.x(), self._last.y(), False)
        self.update()

    def mouseReleaseEvent(self, _event: QMouseEvent) -> None:  # noqa: N802
        self._last = None

    def keyPressEvent(self, event: QKeyEvent) -> None:  # noqa: N802
        ways = {
            Qt.Key.Key_Left: (-1, 0),
            Qt.Key.Key_Right: (1, 0),
            Qt.Key.Key_Up: (0, -1),
            Qt.Key.Key_Down: (0, 1),
        }
        if event.key() in ways:
            x, y = ways[Qt.Key(event.key())]
            place = self.cursor_at + QPointF(x, y) * _STEP
            self.cursor_at = QPointF(min(max(place.x(), 0.0), 1.0), min(max(place.y(), 0.0), 1.0))
            self.update()
        elif event.key() == Qt.Key.Key_Space:
            self.painted.emit(self.cursor_at.x(), self.cursor_at.y(), True)
        else:
            super().keyPressEvent(event)


class Places(QWidget):
    """The picture, which frame the next stroke takes from, how wide it is, and taking strokes back."""

    def __init__(
        self, image: QImage, names: Sequence[str], before: Sequence[Place], way: Way, back: Way
    ) -> None:
        super().__init__()
        self._way, self._back, self._names = way, back, list(names)
        #: Places, stroke by stroke.
        self.strokes: list[list[Place]] = [[place] for place in before]
        self.picture = _Picture(image)
        self.picture.painted.connect(self._painted)
        self.frame = QComboBox()
        self.frame.addItems(self._names)
        self.frame.setAccessibleName("Frame that the place is taken from")
        self.radius = WholeField()
        self.radius.setRange(1, 30)
        self.radius.setValue(_RADIUS)
        self.radius.setSuffix(" % wide")
        self.radius.setAccessibleName("Radius of the brush")
        self.radius.valueChanged.connect(self._resized)
        self.undo = QPushButton("Take back")
        self.undo.setToolTip("The last stroke.")
        self.undo.clicked.connect(self._take_back)
        words = QLabel("Click on what moved, or paint: it is taken from")
        row = QHBoxLayout()
        row.addWidget(words)
        row.addWidget(self.frame, 1)
        row.addWidget(self.radius)
        row.addWidget(self.undo)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(self.picture, 1)
        layout.addLayout(row)
        self._show()

    def places(self) -> tuple[Place, ...]:
        """All places."""
        return tuple(place for stroke in self.strokes for place in stroke)

    def _resized(self, value: int) -> None:
        self.picture.radius = value / 100
        self.picture.update()

    def _painted(self, x: float, y: float, begins: bool) -> None:
        here, beside = self._way(x, y), self._way(min(x + 0.01, 1.0), y)
        scale = abs(beside[0] - here[0]) / max(min(x + 0.01, 1.0) - x, 1e-6) or 1.0
        place = (*here, min(self.picture.radius * scale, 1.0), self.frame.currentText())
        if begins or not self.strokes:
            self.strokes.append([])
        self.strokes[-1].append(place)
        self._show()

    def _take_back(self) -> None:
        if self.strokes:
            self.strokes.pop()
        self._show()

    def _show(self) -> None:
        tints = [QColor.fromRgbF(*tint) for tint in TINTS.values()]
        self.picture.discs = [
            (*self._back(x, y), radius, tints[self._names.index(name) % len(tints)])
            for x, y, radius, name in self.places()
            if name in self._names
        ]
        self.undo.setEnabled(bool(self.strokes))
        self.picture.update()
