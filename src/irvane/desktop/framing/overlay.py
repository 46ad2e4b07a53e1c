"""What lies over the picture while it is chosen what of it is shown: the crop with its handles, guides, drawn
lines."""

from __future__ import annotations

import math
from itertools import pairwise

from PySide6.QtCore import QLineF, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QWheelEvent
from PySide6.QtWidgets import QWidget

from irvane.core.lens.lines import LEVEL
from irvane.desktop import theme
from irvane.desktop.bench.picture import PictureView

#: Distance (device-independent pixels) within which a handle is taken hold of, its size, and the length of
#: the lever.
_NEAR, _HANDLE, _LEVER = 9.0, 7.0, 26.0
#: Steps of the arrow keys as shares of the picture; with Shift a tenth.
_STEP = 0.01
#: Smallest crop, as a share of a side.
_SMALLEST = 0.02
#: Handles by the sides that they move: left, top, right, bottom.
_HANDLES = {
    "tl": (1, 1, 0, 0), "t": (0, 1, 0, 0), "tr": (0, 1, 1, 0), "r": (0, 0, 1, 0),
    "br": (0, 0, 1, 1), "b": (0, 0, 0, 1), "bl": (1, 0, 0, 1), "l": (1, 0, 0, 0),
}  # fmt: skip
GUIDES = ("no guides", "thirds", "golden section", "diagonals", "fine grid")


class Overlay(QWidget):
    """Paints and moves a crop over a picture view that shows the whole corrected frame.

    Signals
    -------
    cropped(left, top, width, height) : shares of the corrected frame; while it is moved, and once more when
    let go.
    let_go : a handle was let go.
    turned(degrees) : by how much the lever has turned since it was taken hold of, clockwise.
    line_drawn(QLineF) : a line in pixels of the corrected frame. point_set(QPointF) : one place of a curve.
    left : it is done.
    """

    cropped = Signal(float, float, float, float)
    let_go = Signal()
    turned = Signal(float)
    line_drawn = Signal(QLineF)
    point_set = Signal(QPointF)
    left = Signal()

    def __init__(self, view: PictureView) -> None:
        super().__init__(view)
        self.view = view
        self.crop = QRectF(0, 0, 1, 1)
        self.ratio: float | None = None
        self.guides = GUIDES[1]
        self.drawing = ""
        self.lines: list[tuple[str, QLineF]] = []
        self.points: list[QPointF] = []
        self._drag, self._from, self._begun = "", QPointF(), QRectF()
        self._line: QLineF | None = None
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("What is shown")
        self.setToolTip(
            "Drag the crop, its corners or sides; the disc above it turns the picture. Arrow keys move it, "
            "with Ctrl they resize it, with Shift finely. Return: done."
        )
        self.resize(view.size())
        self.show()

    # places

    def _extent(self) -> tuple[int, int]:
        return self.view.contents[0].extent

    def picture_rect(self) -> QRectF:
        """Where the whole corrected frame lies in the view."""
        h, w = self._extent()
        ratio = self.devicePixelRatioF()
        r = self.view.viewport.to_view(
            QRectF(0, 0, w, h), (h, w), self.view.device_size(), self.view.contents[0].mapping
        )
        return QRectF(r.x() / ratio, r.y() / ratio, r.width() / ratio, r.height() / ratio)

    def crop_rect(self) -> QRectF:
        """Where the crop lies in the view."""
        p, c = self.picture_rect(), self.crop
        return QRectF(
            p.x() + c.x() * p.width(),
            p.y() + c.y() * p.height(),
            c.width() * p.width(),
            c.height() * p.height(),
        )

    def _in_frame(self, point: QPointF) -> QPointF:
        p, (h, w) = self.picture_rect(), self._extent()
        return QPointF((point.x() - p.x()) / p.width() * w, (point.y() - p.y()) / p.height() * h)

    def _on_view(self, place: QPointF) -> QPointF:
        p, (h, w) = self.picture_rect(), self._extent()
        return QPointF(p.x() + place.x() / w * p.width(), p.y() + place.y() / h * p.height())

    def lever(self) -> QPointF:
        """Where the disc stands that turns the picture: above the crop, or in it where there is no room."""
        r = self.crop_rect()
        above = r.top() - _LEVER
        return QPointF(r.center().x(), above if above > _NEAR else r.top() + _LEVER)

    def _handle_places(self) -> dict[str, QPointF]:
        r = self.crop_rect()
        middle = r.center()
        across = {"l": r.left(), "r": r.right()}
        down = {"t": r.top(), "b": r.bottom()}
        return {
            key: QPointF(across.get(key[-1], middle.x()), down.get(key[0], middle.y())) for key in _HANDLES
        }

    # painting

    def paintEvent(self, _event: QPaintEvent) -> None:  # noqa: N802
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        picture, crop = self.picture_rect(), self.crop_rect()
        shade = QColor(self.view.surround)
        shade.setAlpha(170)
        for part in (
            QRectF(picture.left(), picture.top(), picture.width(), crop.top() - picture.top()),
            QRectF(picture.left(), crop.bottom(), picture.width(), picture.bottom() - crop.bottom()),
            QRectF(picture.left(), crop.top(), crop.left() - picture.left(), crop.height()),
            QRectF(crop.right(), crop.top(), picture.right() - crop.right(), crop.height()),
        ):
            if part.width() > 0 and part.height() > 0:
                painter.fillRect(part, shade)
        self._paint_guides(painter, crop)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for colour, width in ((theme.EDGE, 3), (theme.ACCENT, 1)):
            painter.setPen(QPen(colour, width))
            painter.drawRect(crop)
            painter.drawLine(QPointF(crop.center().x(), crop.top()), self.lever())
        painter.setPen(QPen(theme.EDGE, 1))
        painter.setBrush(theme.ACCENT)
        painter.drawEllipse(self.lever(), _HANDLE, _HANDLE)
        for key, place in self._handle_places().items():
            size = _HANDLE if len(key) == 2 else _HANDLE - 1.5
            painter.drawEllipse(place, size * 0.72, size * 0.72)
        self._paint_lines(painter)
        painter.end()

    def _paint_guides(self, painter: QPainter, crop: QRectF) -> None:
        shares = {
            "thirds": (1 / 3, 2 / 3),
            "golden section": (0.382, 0.618),
            "fine grid": [k / 12 for k in range(1, 12)],
        }
        for colour, width in ((QColor(0, 0, 0, 90), 2.0), (QColor(255, 255, 255, 110), 1.0)):
            painter.setPen(QPen(colour, width))
            for share in shares.get(self.guides, ()):
                x, y = crop.left() + share * crop.width(), crop.top() + share * crop.height()
                painter.drawLine(QPointF(x, crop.top()), QPointF(x, crop.bottom()))
                painter.drawLine(QPointF(crop.left(), y), QPointF(crop.right(), y))
            if self.guides == "diagonals":
                painter.drawLine(crop.topLeft(), crop.bottomRight())
                painter.drawLine(crop.bottomLeft(), crop.topRight())

    def _paint_lines(self, painter: QPainter) -> None:
        seen = [
            (kind, QLineF(self._on_view(line.p1()), self._on_view(line.p2()))) for kind, line in self.lines
        ]
        if self._line is not None:
            seen.append((self.drawing, self._line))
        for kind, line in seen:
            style = Qt.PenStyle.SolidLine if kind == LEVEL else Qt.PenStyle.DashLine
            for colour, width in ((theme.EDGE, 4.0), (QColor("#f2f2f2"), 1.6)):
                painter.setPen(QPen(colour, width, style if width < 2 else Qt.PenStyle.SolidLine))
                painter.drawLine(line)
        places = [self._on_view(point) for point in self.points]
        for colour, width in ((theme.EDGE, 4.0), (QColor("#f2f2f2"), 1.6)):
            painter.setPen(QPen(colour, width))
            for one, two in pairwise(places):
                painter.drawLine(one, two)
        painter.setPen(QPen(theme.EDGE, 1))
        painter.setBrush(QColor("#f2f2f2"))
        for place in places:
            painter.drawEllipse(place, 3.5, 3.5)

    # mouse and keys

    def _under(self, point: QPointF) -> str:
        if QLineF(point, self.lever()).length() <= _NEAR + 2:
            return "lever"
        near = [(QLineF(point, place).length(), key) for key, place in self._handle_places().items()]
        distance, key = min(near)
        if distance <= _NEAR:
            return key
        r = self.crop_rect()
        if r.top() <= point.y() <= r.bottom():
            if abs(point.x() - r.left()) <= _NEAR / 2:
                return "l"
            if abs(point.x() - r.right()) <= _NEAR / 2:
                return "r"
        if r.left() <= point.x() <= r.right():
            if abs(point.y() - r.top()) <= _NEAR / 2:
                return "t"
            if abs(point.y() - r.bottom()) <= _NEAR / 2:
                return "b"
        return "move" if r.contains(point) else ""

    def mousePressEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        if event.button() != Qt.MouseButton.LeftButton:
            return
        self.setFocus()
        point = event.position()
        if self.drawing == "curve":
            self.point_set.emit(self._in_frame(point))
            return
        if self.drawing:
            self._line = QLineF(point, point)
            return
        self._drag, self._from, self._begun = self._under(point), point, QRectF(self.crop)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        point = event.position()
        if self._line is not None:
            self._line.setP2(point)
            self.update()
        elif self._drag == "lever":
            middle = self.crop_rect().center()
            begun, now = (
                math.degrees(math.atan2(p.y() - middle.y(), p.x() - middle.x())) for p in (self._from, point)
            )
            degrees = (now - begun + 180) % 360 - 180
            fine = 0.1 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0
            self.turned.emit(degrees * fine)
        elif self._drag:
            p = self.picture_rect()
            moved = point - self._from
            self._move(self._drag, moved.x() / p.width(), moved.y() / p.height())
        self._set_cursor(point)

    def mouseReleaseEvent(self, _event: QMouseEvent) -> None:  # noqa: N802
        if self._line is not None:
            line, self._line = self._line, None
            if line.length() > 2 * _NEAR:
                self.line_drawn.emit(QLineF(self._in_frame(line.p1()), self._in_frame(line.p2())))
            self.update()
        if self._drag:
            self._drag = ""
            self.let_go.emit()

    def _set_cursor(self, point: QPointF) -> None:
        shapes = {
            "move": Qt.CursorShape.SizeAllCursor, "lever": Qt.CursorShape.PointingHandCursor,
            "tl": Qt.CursorShape.SizeFDiagCursor, "br": Qt.CursorShape.SizeFDiagCursor,
            "tr": Qt.CursorShape.SizeBDiagCursor, "bl": Qt.CursorShape.SizeBDiagCursor,
            "l": Qt.CursorShape.SizeHorCursor, "r": Qt.CursorShape.SizeHorCursor,
            "t": Qt.CursorShape.SizeVerCursor, "b": Qt.CursorShape.SizeVerCursor,
        }  # fmt: skip
        shape = Qt.CursorShape.CrossCursor if self.drawing else shapes.get(self._drag or self._under(point))
        self.setCursor(shape or Qt.CursorShape.ArrowCursor)

    def _move(self, what: str, dx: float, dy: float) -> None:
        """Move the crop as it was when it was taken hold of, or some of its sides, by shares of the
        picture."""
        b = self._begun
        if what == "move":
            x = min(max(b.x() + dx, 0.0), max(1 - b.width(), 0.0))
            y = min(max(b.y() + dy, 0.0), max(1 - b.height(), 0.0))
            self._tell(QRectF(x, y, b.width(), b.height()))
            return
        left, top, right, bottom = _HANDLES[what]
        x0 = min(max(b.left() + left * dx, 0.0), b.right() - _SMALLEST)
        y0 = min(max(b.top() + top * dy, 0.0), b.bottom() - _SMALLEST)
        x1 = max(min(b.right() + right * dx, 1.0), b.left() + _SMALLEST)
        y1 = max(min(b.bottom() + bottom * dy, 1.0), b.top() + _SMALLEST)
        wished = QRectF(QPointF(x0, y0), QPointF(x1, y1))
        self._tell(self._shaped(wished, what) if self.ratio else wished)

    def _shaped(self, wished: QRectF, what: str) -> QRectF:
        """The wished crop with the ratio of its sides kept; the corner or side across from the handle
        stays."""
        h, w = self._extent()
        ratio = (self.ratio or 1.0) * h / w  # in shares of the picture
        left, top, right, bottom = _HANDLES[what]
        wide, high = wished.width(), wished.height()
        if not (left or right) or ((top or bottom) and high * ratio > wide):
            wide = high * ratio
        high = wide / ratio
        b = self._begun
        room_x = (
            b.right() if left else (1 - b.left() if right else 2 * min(b.center().x(), 1 - b.center().x()))
        )
        room_y = (
            b.bottom() if top else (1 - b.top() if bottom else 2 * min(b.center().y(), 1 - b.center().y()))
        )
        scale = min(1.0, room_x / wide, room_y / high)
        wide, high = wide * scale, high * scale
        x = b.right() - wide if left else (b.left() if right else b.center().x() - wide / 2)
        y = b.bottom() - high if top else (b.top() if bottom else b.center().y() - high / 2)
        return QRectF(x, y, wide, high)

    def _tell(self, crop: QRectF) -> None:
        self.crop = crop
        self.update()
        self.cropped.emit(crop.x(), crop.y(), crop.width(), crop.height())

    def wheelEvent(self, event: QWheelEvent) -> None:  # noqa: N802
        self.view.wheelEvent(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:  # noqa: N802
        key, held = Qt.Key(event.key()), event.modifiers()
        moves = {
            Qt.Key.Key_Left: (-1, 0),
            Qt.Key.Key_Right: (1, 0),
            Qt.Key.Key_Up: (0, -1),
            Qt.Key.Key_Down: (0, 1),
        }
        if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Escape):
            self.left.emit()
        elif key in moves:
            step = _STEP * (0.1 if held & Qt.KeyboardModifier.ShiftModifier else 1.0)
            dx, dy = (step * v for v in moves[key])
            self._begun = QRectF(self.crop)
            self._move("br" if held & Qt.KeyboardModifier.ControlModifier else "move", dx, dy)
            self.let_go.emit()
        else:
            super().keyPressEvent(event)
