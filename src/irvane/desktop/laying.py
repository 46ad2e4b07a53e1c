"""A panorama tried on small pictures, and the same places in two positions, set by hand where a wall is
blank."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import QPointF, QRectF, Qt, QTimer, Signal
from PySide6.QtGui import QColor, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QComboBox, QGridLayout, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from irvane.core.line.merge_options import Pair
from irvane.core.line.stitching import Trial
from irvane.desktop import theme
from irvane.desktop.bench.content import image_of

#: Milliseconds after the last change until it is tried; a step of the keys.
_SOON, _STEP = 250, 0.01
#: Asks for a trial with these pairs; what comes of it (or a sentence) is handed on.
Try = Callable[[tuple[Pair, ...], Callable[[Trial | str], None]], None]


class _Shown(QWidget):
    """A picture as large as there is room."""

    def __init__(self, words: str) -> None:
        super().__init__()
        self.image: QImage | None = None
        self.words = words
        self.setMinimumSize(200, 130)
        self.setAccessibleName(words)

    def room(self) -> QRectF:
        """Where the picture lies."""
        if self.image is None:
            return QRectF(self.rect())
        size = self.image.size().scaled(self.size(), Qt.AspectRatioMode.KeepAspectRatio)
        left, top = (self.width() - size.width()) / 2, (self.height() - size.height()) / 2
        return QRectF(left, top, size.width(), size.height())

    def paintEvent(self, _event: QPaintEvent) -> None:  # noqa: N802
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.fillRect(self.rect(), theme.WELL)
        if self.image is None:
            painter.setPen(theme.MUTED)
            painter.drawText(
                self.rect(), int(Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap), self.words
            )
        else:
            painter.drawImage(self.room(), self.image)
            self._draw_more(painter)
        if self.hasFocus():
            painter.setPen(QPen(theme.ACCENT, 1))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(self.rect().adjusted(0, 0, -1, -1))
        painter.end()

    def _draw_more(self, painter: QPainter) -> None:
        """Nothing over the picture."""


class _Position(_Shown):
    """A position with the places that are set in it; a click, or Space at the cross, sets one."""

    chosen = Signal(float, float)

    def __init__(self, words: str) -> None:
        super().__init__(words)
        self.places: list[tuple[float, float, str]] = []
        self.cross = QPointF(0.5, 0.5)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAccessibleDescription("Click a place; or go with the arrow keys and set it with Space.")

    def _draw_more(self, painter: QPainter) -> None:
        room = self.room()
        for x, y, name in self.places:
            at = QPointF(room.left() + x * room.width(), room.top() + y * room.height())
            painter.setPen(QPen(QColor(0, 0, 0, 160), 3))
            painter.drawEllipse(at, 6, 6)
            painter.setPen(QPen(theme.ACCENT, 1.5))
            painter.drawEllipse(at, 6, 6)
            painter.setPen(theme.TEXT)
            painter.drawText(at + QPointF(9, 5), name)
        at = QPointF(room.left() + self.cross.x() * room.width(), room.top() + self.cross.y() * room.height())
        painter.setPen(QPen(theme.TEXT, 1))
        painter.drawLine(at - QPointF(9, 0), at + QPointF(9, 0))
        painter.drawLine(at - QPointF(0, 9), at + QPointF(0, 9))

    def _share(self, place: QPointF) -> QPointF:
        room = self.room()
        x, y = (place.x() - room.left()) / room.width(), (place.y() - room.top()) / room.height()
        return QPointF(min(max(x, 0.0), 1.0), min(max(y, 0.0), 1.0))

    def mousePressEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        if event.button() == Qt.MouseButton.LeftButton and self.image is not None:
            self.cross = self._share(event.position())
            self.chosen.emit(self.cross.x(), self.cross.y())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        self.cross = self._share(event.position())
        self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:  # noqa: N802
        ways = {
            Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, -1), Qt.Key.Key_Down: (0,
            1),
        }  # fmt: skip
        if event.key() in ways:
            x, y = ways[Qt.Key(event.key())]
            place = self.cross + QPointF(x, y) * _STEP
            self.cross = QPointF(min(max(place.x(), 0.0), 1.0), min(max(place.y(), 0.0), 1.0))
            self.update()
        elif event.key() == Qt.Key.Key_Space:
            self.chosen.emit(self.cross.x(), self.cross.y())
        else:
            super().keyPressEvent(event)


class Laying(QWidget):
    """The panorama as it would be, and two of its positions to set the same places in.

    Parameters
    ----------
    pictures : small pictures of the frames by their names. before : pairs that are set already.
    try_ : tries a layout on small pictures.
    """

    def __init__(
        self, pictures: Sequence[tuple[str, QImage | None]], before: tuple[Pair, ...], try_: Try
    ) -> None:
        super().__init__()
        self._pictures = dict(pictures)
        self._try = try_
        self._pairs = list(before)
        self._first: tuple[str, float, float] | None = None
        self._asked = 0
        self.tried = _Shown("The panorama is tried on small pictures …")
        self.tried.setMinimumSize(430, 170)
        self.told = QLabel()
        self.told.setObjectName("muted")
        self.told.setWordWrap(True)
        names = list(self._pictures)
        self.sides = (_Position("a position"), _Position("the position beside it"))
        self.boxes = (QComboBox(), QComboBox())
        grid = QGridLayout()
        grid.setContentsMargins(0, 0, 0, 0)
        for k, (box, side, words) in enumerate(
            zip(self.boxes, self.sides, ("Position on the left", "Position on the right"), strict=True)
        ):
            box.addItems(names)
            box.setCurrentIndex(min(k, len(names) - 1))
            box.setAccessibleName(words)
            box.currentIndexChanged.connect(self._show)
            side.chosen.connect(lambda x, y, k=k: self._chosen(k, x, y))
            grid.addWidget(box, 0, k)
            grid.addWidget(side, 1, k)
        grid.setRowStretch(1, 1)
        self.words = QLabel()
        self.words.setWordWrap(True)
        self.undo = QPushButton("Take back")
        self.undo.setToolTip("The last place.")
        self.undo.clicked.connect(self._take_back)
        row = QHBoxLayout()
        row.addWidget(self.words, 1)
        row.addWidget(self.undo)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(self.tried, 3)
        layout.addWidget(self.told)
        layout.addLayout(grid, 2)
        layout.addLayout(row)
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(_SOON)
        self._soon.timeout.connect(self._ask)
        self._show()

    def pairs(self) -> tuple[Pair, ...]:
        """The pairs of places."""
        return tuple(self._pairs)

    def again(self) -> None:
        """Try the layout anew, soon."""
        self._soon.start()

    def _ask(self) -> None:
        self._asked += 1
        number = self._asked
        self.told.setText("Trying …")
        self._try(self.pairs(), lambda made: self._made(number, made))

    def _made(self, number: int, made: Trial | str) -> None:
        if number != self._asked:
            return
        if isinstance(made, str):
            self.told.setText(made)
            return
        self.tried.image = image_of(made.pixels)
        self.told.setText(made.words)
        self.tried.update()

    def _chosen(self, side: int, x: float, y: float) -> None:
        name, other = self.boxes[side].currentText(), self.boxes[1 - side].currentText()
        if name == other:
            return
        if self._first is not None and self._first[0] == other:
            self._pairs.append((*self._first, name, x, y))
            self._first = None
            self._soon.start()
        else:
            self._first = name, x, y
        self._show()

    def _take_back(self) -> None:
        if self._first is not None:
            self._first = None
        elif self._pairs:
            self._pairs.pop()
            self._soon.start()
        self._show()

    def _show(self) -> None:
        names = [box.currentText() for box in self.boxes]
        for name, side in zip(names, self.sides, strict=True):
            side.image = self._pictures.get(name)
            side.places = []
            for number, (a, ax, ay, b, bx, by) in enumerate(self._pairs, 1):
                if {a, b} == set(names):
                    side.places.append((ax, ay, f"{number}") if a == name else (bx, by, f"{number}"))
            if self._first is not None and self._first[0] == name:
                side.places.append((self._first[1], self._first[2], "?"))
            side.update()
        count = len(self._pairs)
        if names[0] == names[1]:
            words = "Choose two positions."
        elif self._first is not None:
            words = "Now the same place in the other one."
        elif count:
            words = (
                f"{count} pair{'' if count == 1 else 's'} set; three or more lay two positions on each other."
            )
        else:
            words = (
                "Where positions have little in common: click the same place in both, three times or more."
            )
        self.words.setText(words)
        self.undo.setEnabled(bool(self._pairs) or self._first is not None)
