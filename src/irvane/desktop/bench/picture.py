"""The widget that paints one pane, or two on either side of a dividing line."""

from __future__ import annotations

import math

from PySide6.QtCore import QPoint, QPointF, QRect, QRectF, QSize, Qt, QTimer, Signal
from PySide6.QtGui import (
    QColor,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPen,
    QPolygonF,
    QRegion,
    QResizeEvent,
    QTransform,
    QWheelEvent,
)
from PySide6.QtWidgets import QSizePolicy, QWidget

from irvane.desktop import theme
from irvane.desktop.bench.content import STATES, Content, Layer
from irvane.desktop.bench.hatching import paint_marks
from irvane.desktop.bench.viewport import Viewport, turn

#: Milliseconds for which the probe is pointed out.
_POINTED_OUT = 1500
_NEAR = 7  # device-independent pixels within which the dividing line or the probe is taken hold of
_PAN_STEP = 60
#: Side of the loupe in device-independent pixels.
_LOUPE = 288


class PictureView(QWidget):
    """Paints contents through a viewport and turns mouse and keys into signals.

    Signals
    -------
    pressed : the pane was clicked (it becomes the chosen one).
    probe_moved(x, y), spot_chosen(x, y) : frame positions.
    resized : the size changed; what is visible has to be rendered anew.
    split_moved(share), split_turned(degrees) : the dividing line was moved, or turned.
    hovered(x, y) : the pointer, as shares of the frame, while the loupe is on.
    """

    pressed = Signal()
    probe_moved = Signal(float, float)
    spot_chosen = Signal(float, float)
    resized = Signal()
    split_moved = Signal(float)
    split_turned = Signal(float)
    hovered = Signal(float, float)

    def __init__(self, viewport: Viewport, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.viewport = viewport
        self.contents: list[Content] = [Content()]
        self.split: float | None = None
        self.split_angle = 0.0
        self.loupe = False
        self.loupe_place: tuple[float, float] | None = None
        self.chosen = False
        self.picking = False
        self.probe: QRectF | None = None
        self._pointing = QTimer(self, singleShot=True, interval=_POINTED_OUT)
        self._pointing.timeout.connect(self.update)
        self.hint = ""
        self.surround = theme.SURROUNDS[1]
        self._drag: str = ""
        self._last = QPointF()
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(160, 120)
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)

    # geometry

    @property
    def extent(self) -> tuple[int, int]:
        """Height and width of the frame whose places all panes share."""
        return self.contents[0].reference

    def device_size(self) -> QSize:
        """Size in device pixels."""
        ratio = self.devicePixelRatioF()
        return QSize(max(1, round(self.width() * ratio)), max(1, round(self.height() * ratio)))

    def _device(self, point: QPointF) -> QPointF:
        return point * self.devicePixelRatioF()

    def frame_point(self, point: QPointF) -> QPointF:
        """Position in the shared frame under a widget position."""
        return self.viewport.to_frame(self._device(point), self.extent, self.device_size())

    def _view_rect(self, rect: QRectF, content: Content) -> QRectF:
        """Widget rectangle of a rectangle of a content's own frame."""
        ratio = self.devicePixelRatioF()
        r = self.viewport.to_view(rect, content.extent, self.device_size(), content.mapping)
        return QRectF(r.x() / ratio, r.y() / ratio, r.width() / ratio, r.height() / ratio)

    def _turn(self, content: Content) -> QTransform:
        """The turn about the middle that lays a content's frame on the shared one."""
        turned = QTransform()
        degrees = turn(content.mapping, self.device_size())
        if not degrees:
            return turned
        middle = QRectF(self.rect()).center()
        turned.translate(middle.x(), middle.y())
        turned.rotate(degrees)
        turned.translate(-middle.x(), -middle.y())
        return turned

    # painting

    def paintEvent(self, _event: QPaintEvent) -> None:  # noqa: N802
        painter = QPainter(self)
        painter.fillRect(self.rect(), self.surround)
        if self.split is not None and len(self.contents) > 1:
            self._paint_divided(painter)
        else:
            self._paint_content(painter, self.contents[0], self.rect())
        if self.contents[0].item is not None:
            self._paint_probe(painter)
            self._paint_loupe(painter)
        elif self.hint:
            painter.setPen(theme.TEXT)
            painter.drawText(
                self.rect().adjusted(40, 20, -40, -20),
                Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap,
                self.hint,
            )
        if self.hasFocus() or self.chosen:
            painter.setPen(QPen(theme.ACCENT, 1 if not self.hasFocus() else 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5))
        painter.end()

    def _split_ends(self) -> tuple[QPointF, QPointF]:
        """Two points of the dividing line, far outside."""
        middle = QPointF(self.width() * (self.split or 0.0), self.height() / 2)
        turn = math.radians(self.split_angle)
        along = QPointF(math.sin(turn), math.cos(turn)) * (2.0 * (self.width() + self.height()))
        return middle - along, middle + along

    def _split_distance(self, point: QPointF) -> float:
        """Distance from the dividing line in pixels; negative to its left."""
        turn = math.radians(self.split_angle)
        offset = point - QPointF(self.width() * (self.split or 0.0), self.height() / 2)
        return offset.x() * math.cos(turn) - offset.y() * math.sin(turn)

    def _paint_divided(self, painter: QPainter) -> None:
        one, two = self._split_ends()
        turn = math.radians(self.split_angle)
        across = QPointF(math.cos(turn), -math.sin(turn)) * (2.0 * (self.width() + self.height()))
        for content, side in zip(self.contents, (-across, across), strict=False):
            path = QPainterPath()
            path.addPolygon(QPolygonF([one, two, two + side, one + side]))
            half = QRect(self.rect())
            at = round(self.width() * (self.split or 0.0))
            if side is across:
                half.setLeft(at)
            else:
                half.setRight(at)
            self._paint_content(painter, content, half, path)
        for colour, width in ((theme.EDGE, 3), (theme.ACCENT, 1)):
            painter.setPen(QPen(colour, width))
            painter.drawLine(one, two)

    def _paint_loupe(self, painter: QPainter) -> None:
        """The place under the pointer, magnified, beside it."""
        content = self.contents[0]
        if not self.loupe or self.loupe_place is None or content.loupe is None:
            return
        h, w = content.reference
        x, y = self.loupe_place[0] * w, self.loupe_place[1] * h
        ratio = self.devicePixelRatioF()
        there = (
            self.viewport.to_view(QRectF(x, y, 0, 0), content.reference, self.device_size()).topLeft() / ratio
        )
        side = min(_LOUPE, self.width() - 8, self.height() - 8)
        left = there.x() + 18 if there.x() + 18 + side < self.width() else there.x() - 18 - side
        top = min(max(there.y() - side / 2, 4), self.height() - side - 4)
        box = QRectF(max(left, 4), top, side, side)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, False)
        painter.drawImage(box, content.loupe.image, QRectF(content.loupe.image.rect()))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for colour, width in ((theme.EDGE, 3), (theme.ACCENT, 1)):
            painter.setPen(QPen(colour, width))
            painter.drawRect(box)

    def _paint_content(
        self, painter: QPainter, content: Content, clip: QRect, path: QPainterPath | None = None
    ) -> None:
        painter.save()
        if path is None:
            painter.setClipRect(clip)
        else:
            painter.setClipPath(path)
        turned = self._turn(content)
        seen = clip if path is None else self.rect()
        if content.backdrop is not None and not self._covered(content, seen):
            if path is None and turned.isIdentity():  # only where the latest picture does not lie
                painter.setClipRegion(QRegion(clip) - self._latest(content))
            painter.setTransform(turned, True)
            self._paint_layer(painter, content.backdrop, content)
            painter.resetTransform()
            if path is None:
                painter.setClipRect(clip)
        if content.current is not None:
            painter.setTransform(turned, True)
            self._paint_layer(painter, content.current, content)
            painter.resetTransform()
        words = content.problem or content.busy or STATES[content.state] or content.instead
        if words:
            self._paint_note(painter, words, clip, warning=bool(content.problem))
        painter.restore()

    def _latest(self, content: Content) -> QRegion:
        """Whole pixels of the widget that the latest picture covers."""
        if content.current is None:
            return QRegion()
        rect = self._view_rect(content.current.rect, content)
        corner = QPoint(math.ceil(rect.left()) + 1, math.ceil(rect.top()) + 1)
        return QRegion(QRect(corner, QPoint(math.floor(rect.right()) - 2, math.floor(rect.bottom()) - 2)))

    def _covered(self, content: Content, clip: QRect) -> bool:
        """Does the latest picture cover all of the frame that can be seen?"""
        if content.current is None or content.current is content.backdrop:
            return content.current is not None
        h, w = content.extent
        if not self._turn(content).isIdentity():
            return False
        seen = self._view_rect(QRectF(0, 0, w, h), content).intersected(QRectF(clip))
        return self._view_rect(content.current.rect, content).adjusted(-1, -1, 1, 1).contains(seen)

    def _paint_layer(self, painter: QPainter, layer: Layer, content: Content) -> None:
        target = self._view_rect(layer.rect, content)
        magnified = target.width() / max(layer.image.width(), 1) * self.devicePixelRatioF()
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, magnified < 1.9)
        if abs(magnified - 1) < 0.002:
            # one picture pixel on one device pixel: no resampling
            ratio = self.devicePixelRatioF()
            corner = QPointF(round(target.x() * ratio) / ratio, round(target.y() * ratio) / ratio)
            target = QRectF(corner.x(), corner.y(), layer.image.width() / ratio, layer.image.height() / ratio)
        painter.drawImage(target, layer.image, QRectF(layer.image.rect()))
        if layer.marks is not None:
            paint_marks(painter, layer.marks, target, self.rect(), self.devicePixelRatioF())

    def _paint_note(self, painter: QPainter, words: str, clip: QRect, warning: bool) -> None:
        painter.setFont(theme.font(11))
        room = painter.fontMetrics().boundingRect(
            QRect(0, 0, max(clip.width() - 40, 60), 200), Qt.TextFlag.TextWordWrap, words
        )
        box = QRect(
            clip.left() + 10, clip.bottom() - room.height() - 18, room.width() + 16, room.height() + 8
        )
        shade = QColor(theme.EDGE)
        shade.setAlpha(215)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(shade)
        painter.drawRoundedRect(box, 3, 3)
        painter.setPen(theme.WARNING if warning else theme.TEXT)
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, words)

    def _paint_probe(self, painter: QPainter) -> None:
        if self.probe is None or self.contents[0].current is None:
            return
        rect = self._view_rect(self.probe, self.contents[0])
        turned = self._turn(self.contents[0])
        painter.save()
        painter.setTransform(turned, True)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, not turned.isIdentity())
        painter.setBrush(Qt.BrushStyle.NoBrush)
        wide = 5 if self._pointing.isActive() else 1
        painter.setPen(QPen(theme.EDGE, wide + 2))
        painter.drawRect(rect)
        painter.setPen(QPen(theme.ACCENT, wide))
        painter.drawRect(rect)
        painter.restore()

    def point_out(self) -> None:
        """Show the probe's place more strongly for a moment."""
        self._pointing.start()
        self.update()

    # mouse and keys

    def _near_split(self, point: QPointF) -> bool:
        return self.split is not None and abs(self._split_distance(point)) <= _NEAR

    def _on_probe(self, point: QPointF) -> bool:
        if self.probe is None or self.contents[0].item is None:
            return False
        return (
            self._view_rect(self.probe, self.contents[0])
            .adjusted(-_NEAR, -_NEAR, _NEAR, _NEAR)
            .contains(self._turn(self.contents[0]).inverted()[0].map(point))
        )

    def mousePressEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        self.pressed.emit()
        if event.button() == Qt.MouseButton.RightButton and self.split is not None:
            self._drag = "turn"
            return
        if event.button() != Qt.MouseButton.LeftButton:
            return
        self._last = event.position()
        if self.picking:
            spot = self.frame_point(event.position())
            self.spot_chosen.emit(*self.contents[0].own_place(spot.x(), spot.y()))
        elif self._near_split(event.position()):
            self._drag = "split"
        elif self._on_probe(event.position()):
            self._drag = "probe"
        else:
            self._drag = "pan"

    def mouseMoveEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        point = event.position()
        if self.loupe:
            spot = self.frame_point(point)
            h, w = self.extent
            self.hovered.emit(min(max(spot.x() / w, 0), 1), min(max(spot.y() / h, 0), 1))
        if self._drag == "turn" and self.split is not None:
            offset = point - QPointF(self.width() * self.split, self.height() / 2)
            self.split_turned.emit(math.degrees(math.atan2(offset.x(), offset.y() or 1e-6)))
        elif self._drag == "split":
            self.split_moved.emit(min(max(point.x() / max(self.width(), 1), 0.0), 1.0))
        elif self._drag == "probe":
            spot = self.frame_point(point)
            self.probe_moved.emit(spot.x(), spot.y())
        elif self._drag == "pan":
            moved = self._device(point - self._last)
            self._last = point
            self.viewport.pan(moved.x(), moved.y(), self.extent, self.device_size())
        self._set_cursor(point)

    def _set_cursor(self, point: QPointF) -> None:
        if self.picking:
            shape = Qt.CursorShape.CrossCursor
        elif self._drag in ("split", "turn") or self._near_split(point):
            shape = Qt.CursorShape.SplitHCursor
        elif self._drag == "probe" or self._on_probe(point):
            shape = Qt.CursorShape.SizeAllCursor
        else:
            shape = Qt.CursorShape.ClosedHandCursor if self._drag == "pan" else Qt.CursorShape.ArrowCursor
        self.setCursor(shape)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        self._drag = ""
        self._set_cursor(event.position())

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        self.zoom_at(event.position(), 1.0 if self.viewport.zoom is None else None)

    def zoom_at(self, point: QPointF, zoom: float | None) -> None:
        """Another zoom; what lies at a point of the widget stays there."""
        self.viewport.set_zoom(zoom, self.extent, self.device_size(), self._device(point))

    def wheelEvent(self, event: QWheelEvent) -> None:  # noqa: N802
        direction = 1 if event.angleDelta().y() > 0 else -1
        self.viewport.step(direction, self.extent, self.device_size(), self._device(event.position()))
        event.accept()

    def keyPressEvent(self, event: QKeyEvent) -> None:  # noqa: N802
        moves = {
            Qt.Key.Key_Left: QPoint(1, 0),
            Qt.Key.Key_Right: QPoint(-1, 0),
            Qt.Key.Key_Up: QPoint(0, 1),
            Qt.Key.Key_Down: QPoint(0, -1),
        }
        move = moves.get(Qt.Key(event.key()))
        if move is None:
            super().keyPressEvent(event)
            return
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier and self.split is not None:
            if move.x():
                self.split_moved.emit(min(max(self.split - 0.02 * move.x(), 0.0), 1.0))
            else:
                self.split_turned.emit(self.split_angle + 5.0 * move.y())
        elif event.modifiers() & Qt.KeyboardModifier.AltModifier and self.probe is not None:
            there = self._view_rect(self.probe, self.contents[0]).center()
            there = self._turn(self.contents[0]).map(there)
            centre = self.frame_point(there)
            self.probe_moved.emit(centre.x() - 8 * move.x(), centre.y() - 8 * move.y())
        else:
            size = self.device_size()
            self.viewport.pan(move.x() * _PAN_STEP, move.y() * _PAN_STEP, self.extent, size)

    def resizeEvent(self, event: QResizeEvent) -> None:  # noqa: N802
        super().resizeEvent(event)
        self.resized.emit()
