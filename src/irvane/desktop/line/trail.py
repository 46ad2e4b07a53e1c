"""The editor of a movement's path: points on a plane of pixels, passed at even times, drawn over the
bench."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from irvane.core.declaring import Path, Trail
from irvane.core.settings import Settings, spec, value_text
from irvane.desktop import theme
from irvane.desktop.line.controls import NAME_WIDTH, ButtonRow
from irvane.desktop.line.points import FloatingPanel, PointsPlane

PATH = "acutance.path"
#: Pixels that are seen to every side at least; steps of the arrow keys, in pixels.
_SEEN, _STEP, _LARGE = 8.0, 0.1, 1.0


class TrailRow(ButtonRow):
    """A path: how many points it has, and a click to see and change it."""

    def __init__(self, path: str) -> None:
        declared = spec(path)
        assert isinstance(declared, Trail)
        super().__init__(
            path,
            f"{declared.help}\nClick to see and draw it; double click on the name: a straight line.",
            NAME_WIDTH,
        )

    def show_value(self, value: Path, _automatic: object = None) -> None:
        """Show how many points there are."""
        self.box.setText(value_text(self.path, value))


class TrailPlane(PointsPlane):
    """A path and its points, about the middle of what is seen."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setAccessibleName("Path of the movement")
        self.setToolTip(
            "Click: a point at the end of the path; drag any. Double click or Delete takes it away. Page "
            "keys: next point; arrow keys: move it by 0.1 px, with Shift by 1 px. The frame is taken to have "
            "passed the points at even times."
        )

    @property
    def _far(self) -> float:
        return max([_SEEN, *(abs(v) + 2 for point in self.points for v in point)])

    def at(self, place: float, value: float) -> QPointF:
        area = self.area()
        side = min(area.width(), area.height()) / (2 * self._far)
        return QPointF(area.center().x() + place * side, area.center().y() + value * side)

    def levels(self, point: QPointF) -> tuple[float, float]:
        area = self.area()
        side = min(area.width(), area.height()) / (2 * self._far)
        return (point.x() - area.center().x()) / side, (point.y() - area.center().y()) / side

    def put(self, place: float, value: float) -> None:
        if self.number >= 0:
            point = round(place, 2), round(value, 2)
            self.changed.emit((*self.points[: self.number], point, *self.points[self.number + 1 :]))

    def add(self, place: float, value: float) -> None:
        declared = spec(PATH)
        assert isinstance(declared, Trail)
        if len(self.points) >= declared.most:
            return
        points = (*self.points, (round(place, 2), round(value, 2)))
        if len(points) == 1:  # a path needs two: it begins in the middle
            points = ((0.0, 0.0), *points)
        self.number = len(points) - 1
        self.changed.emit(points)
        self.select(self.number)

    def remove(self) -> None:
        if len(self.points) <= 2:
            self.changed.emit(())
            self.select(-1)
        else:
            super().remove()

    def step(self, large: bool, right: int, up: int) -> None:
        far = _LARGE if large else _STEP
        x, y = self.points[self.number]
        self.put(x + far * right, y - far * up)

    def insert(self) -> None:
        last = self.points[-1] if self.points else (0.0, 0.0)
        self.add(last[0] + 1, last[1])

    def paintEvent(self, _event: QPaintEvent) -> None:  # noqa: N802
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        area = self.area()
        painter.fillRect(area, theme.WELL)
        painter.setFont(theme.font(10))
        painter.setClipRect(area)
        whole = int(self._far) + 1
        every = 1 if whole <= 14 else 5
        for pixel in range(-whole, whole + 1):
            if pixel % every:
                continue
            painter.setPen(QPen(theme.PANEL if pixel else theme.EDGE, 1 if pixel else 1.6))
            # lines run between pixels, so that the squares are pixels
            a, b = self.at(pixel - 0.5, -whole), self.at(pixel - 0.5, whole)
            painter.drawLine(a, b)
            c, d = self.at(-whole, pixel - 0.5), self.at(whole, pixel - 0.5)
            painter.drawLine(c, d)
        painter.setPen(theme.MUTED)
        corner = QRectF(area.left() + 4, area.bottom() - 18, area.width() - 8, 16)
        painter.drawText(
            corner, Qt.AlignmentFlag.AlignLeft, f"a square is {'a pixel' if every == 1 else '5 × 5 pixels'}"
        )
        painter.setPen(QPen(theme.TEXT, 1.8))
        painter.drawPolyline(QPolygonF([self.at(*point) for point in self.points]))
        self.draw_points(painter, theme.TEXT)
        self.draw_focus(painter)
        painter.end()


class TrailEditor(FloatingPanel):
    """A panel over the bench with the path of the chosen proof.

    Signals
    -------
    changed(path, points)
    sought : it is to be looked for in the frame.
    """

    changed = Signal(str, object)
    sought = Signal()

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent, 340, 400)
        self.plane = TrailPlane()
        self.plane.changed.connect(lambda points: self.changed.emit(PATH, points))
        self.words = QLabel()
        self.words.setObjectName("muted")
        self.words.setWordWrap(True)
        self.find_button = QPushButton("Find it")
        self.find_button.setToolTip(
            "Looks for the path in three parts of the frame, which must agree; takes some seconds. Check it "
            "by the picture."
        )
        self.find_button.clicked.connect(self.sought)
        straight = QPushButton("Straight")
        straight.setToolTip("Takes the path away: length and angle say how the frame moved.")
        straight.clicked.connect(lambda: self.plane.changed.emit(()))
        close = QPushButton("Close")
        close.setToolTip("Closes the editor (Esc); the path stays.")
        close.clicked.connect(self.hide)
        row = QHBoxLayout()
        for button in (self.find_button, straight):
            row.addWidget(button)
        row.addStretch(1)
        row.addWidget(close)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 8, 10, 8)
        layout.addWidget(self.plane, 1)
        layout.addWidget(self.words)
        layout.addLayout(row)
        self._settings: Settings | None = None
        self._item: int | None = None
        self._told: dict[int, str] = {}

    def open(self) -> None:
        """Show the path."""
        self.come(self.plane)
        if self._settings is not None:
            self.show_settings(self._settings, self._item)

    def tell(self, item: int, sentence: str) -> None:
        """What came of looking for an item's path; it stays until there is one, or it is looked for again."""
        self._told[item] = sentence
        if self._settings is not None:
            self.show_settings(self._settings, self._item)

    def show_settings(self, settings: Settings, item: int | None) -> None:
        """Show the path of an item's proof."""
        self._settings, self._item = settings, item
        if self.isHidden():
            return
        self.plane.show_points(settings.acutance.path)
        looked = self._told.get(item, "") if item is not None else ""
        told = (
            looked or "No path yet: length and angle say how the frame moved. Click to draw one, or find it."
        )
        if settings.acutance.path:
            told = f"{value_text(PATH, settings.acutance.path)}; they act while deblurring is set to “moved”."
        self.words.setText(told)
