"""Marking a chart of patches by hand: a rectangle over the frame, divided into rows and columns."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QImage, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QDialog, QDialogButtonBox, QGridLayout, QLabel, QVBoxLayout, QWidget

from irvane.core.judge.chart import INNER, ChartPatch, marked_chart
from irvane.core.line.view import Rendered
from irvane.core.pixels.places import FrameRegion
from irvane.desktop import theme
from irvane.desktop.bench.content import image_of
from irvane.desktop.numbers import WholeField

#: Widget pixels within which an edge of the rectangle is taken hold of.
_NEAR = 8
_MOST = 40


class _Area(QWidget):
    """The frame with the rectangle.

    Signals
    -------
    marked(FrameRegion) : the rectangle was changed by the mouse.
    """

    marked = Signal(object)

    def __init__(self, image: QImage, extent: tuple[int, int]) -> None:
        super().__init__()
        self._image, self._extent = image, extent
        self.region = FrameRegion(0, 0, 1, 1)
        self.patches: list[ChartPatch] = []
        self._edges: tuple[str, str] = ("", "")
        self._from = QPointF()
        self.setMinimumSize(480, 320)
        self.setCursor(Qt.CursorShape.CrossCursor)
        self.setAccessibleName(
            "The frame; drag a rectangle over the chart, from the corner of its first patch to its last"
        )

    def _placed(self) -> tuple[float, QPointF]:
        """Widget pixels per frame pixel, and where the frame's corner lies."""
        h, w = self._extent
        scale = min(self.width() / w, self.height() / h)
        return scale, QPointF((self.width() - w * scale) / 2, (self.height() - h * scale) / 2)

    def _rect(self, region: FrameRegion) -> QRectF:
        scale, corner = self._placed()
        r = QRectF(region.left, region.top, region.right - region.left, region.bottom - region.top)
        return QRectF(
            corner.x() + r.x() * scale, corner.y() + r.y() * scale, r.width() * scale, r.height() * scale
        )

    def paintEvent(self, _event: QPaintEvent) -> None:  # noqa: N802
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.SURROUNDS[1])
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        h, w = self._extent
        painter.drawImage(self._rect(FrameRegion(0, 0, h, w)), self._image)
        for patch in self.patches:
            for colour, width in ((theme.EDGE, 3), (theme.ACCENT, 1)):
                painter.setPen(QPen(colour, width))
                painter.drawRect(self._rect(patch.region))
        painter.setPen(QPen(theme.ACCENT, 1, Qt.PenStyle.DashLine))
        painter.drawRect(self._rect(self.region))

    def mousePressEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        point, rect = event.position(), self._rect(self.region)
        inside = rect.adjusted(-_NEAR, -_NEAR, _NEAR, _NEAR).contains(point)
        across = (
            "left"
            if abs(point.x() - rect.left()) < _NEAR
            else "right"
            if abs(point.x() - rect.right()) < _NEAR
            else ""
        )
        down = (
            "top"
            if abs(point.y() - rect.top()) < _NEAR
            else "bottom"
            if abs(point.y() - rect.bottom()) < _NEAR
            else ""
        )
        self._edges = (across, down) if inside else ("", "")
        self._from = point

    def mouseMoveEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        if not event.buttons() & Qt.MouseButton.LeftButton:
            return
        scale, corner = self._placed()
        (h, w), r = self._extent, self.region
        x, y = (
            (v - c) / scale
            for v, c in ((event.position().x(), corner.x()), (event.position().y(), corner.y()))
        )
        x, y = round(min(max(x, 0), w)), round(min(max(y, 0), h))
        left, top, right, bottom = r.left, r.top, r.right, r.bottom
        if any(self._edges):
            left, right = (
                x if self._edges[0] == side else v for side, v in (("left", left), ("right", right))
            )
            top, bottom = (
                y if self._edges[1] == side else v for side, v in (("top", top), ("bottom", bottom))
            )
        else:  # a new rectangle
            start = (self._from - corner) / scale
            left, top, right, bottom = round(start.x()), round(start.y()), x, y
        left, right = sorted((max(left, 0), max(right, 0)))
        top, bottom = sorted((max(top, 0), max(bottom, 0)))
        self.marked.emit(FrameRegion(top, left, max(bottom, top + 1), max(right, left + 1)))


def one_grid(patches: list[ChartPatch]) -> list[ChartPatch]:
    """The patches of the longest row, and of others of the same length that lie exactly above or below it."""
    rows: dict[int, list[ChartPatch]] = {}
    for patch in patches:
        rows.setdefault(patch.row, []).append(patch)
    longest = max(rows.values(), key=len)

    def ends(row: list[ChartPatch]) -> tuple[float, float]:
        return row[0].region.left, row[-1].region.right

    near = 0.25 * (ends(longest)[1] - ends(longest)[0]) / len(longest)
    alike = [
        row
        for row in rows.values()
        if len(row) == len(longest)
        and all(abs(a - b) < near for a, b in zip(ends(row), ends(longest), strict=True))
    ]
    return [patch for row in alike for patch in row]


class ChartDialog(QDialog):
    """Marks the patches; `patches` are those that are marked now."""

    def __init__(self, rendered: Rendered, known: list[ChartPatch], parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Mark the chart")
        self.resize(900, 680)
        extent = self._extent = round(rendered.bottom), round(rendered.right)
        self.area = _Area(image_of(rendered.pixels, rendered.space), extent)
        self.area.marked.connect(self._take)
        words = QLabel(
            "Drag a rectangle over all patches, from the outer corner of the first to that of the last; take "
            "hold of an edge to move it. Then say how many there are: every small frame has to lie inside "
            "one patch."
        )
        words.setWordWrap(True)
        h, w = extent
        self.fields: dict[str, WholeField] = {}
        grid = QGridLayout()
        for place, (name, most, unit) in enumerate(
            (("Left", w - 1, " px"), ("Top", h - 1, " px"), ("Width", w, " px"), ("Height", h, " px"),
             ("Rows", _MOST, ""), ("Columns", _MOST, ""))
        ):  # fmt: skip
            field = WholeField()
            field.setRange(0 if place < 2 else 1, most)
            field.setSuffix(unit)
            field.setAccessibleName(name)
            field.valueChanged.connect(self._show)
            label = QLabel(name)
            label.setBuddy(field)
            grid.addWidget(label, 0, 2 * place)
            grid.addWidget(field, 0, 2 * place + 1)
            self.fields[name] = field
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Cancel)
        self.measure = buttons.addButton("Measure these patches", QDialogButtonBox.ButtonRole.AcceptRole)
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        layout = QVBoxLayout(self)
        layout.addWidget(words)
        layout.addWidget(self.area, 1)
        layout.addLayout(grid)
        layout.addWidget(buttons)
        self._begin(known, extent)

    def _begin(self, known: list[ChartPatch], extent: tuple[int, int]) -> None:
        h, w = extent
        region, rows, columns = FrameRegion(h // 4, w // 4, h - h // 4, w - w // 4), 4, 6
        if known:
            known = one_grid(known)
            rows, columns = len({p.row for p in known}), len({p.column for p in known})
            # the middles of the outermost patches lie half a distance inside
            spans = []
            first = known[0].region
            for count, side, ends in (
                (rows, first.bottom - first.top, [(p.region.top + p.region.bottom) / 2 for p in known]),
                (columns, first.right - first.left, [(p.region.left + p.region.right) / 2 for p in known]),
            ):
                half = (max(ends) - min(ends)) / (count - 1) / 2 if count > 1 else side / INNER / 2
                spans.append((round(min(ends) - half), round(max(ends) + half)))
            (top, bottom), (left, right) = spans
            region = FrameRegion(max(0, top), max(0, left), min(h, bottom), min(w, right))
        self.fields["Rows"].setValue(rows)
        self.fields["Columns"].setValue(columns)
        self._take(region)

    def _take(self, region: FrameRegion) -> None:
        values = (region.left, region.top, region.right - region.left, region.bottom - region.top)
        for name, value in zip(("Left", "Top", "Width", "Height"), values, strict=True):
            self.fields[name].blockSignals(True)
            self.fields[name].setValue(value)
            self.fields[name].blockSignals(False)
        self._show()

    def _show(self) -> None:
        left, top, wide, high, rows, columns = (field.value() for field in self.fields.values())
        # what is typed may reach beyond the frame: it ends there
        self.area.region = FrameRegion(
            top, left, min(top + high, self._extent[0]), min(left + wide, self._extent[1])
        )
        self.area.patches = self.patches = marked_chart(self.area.region, rows, columns)
        self.area.update()
