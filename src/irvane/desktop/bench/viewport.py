"""Zoom and position shared by all panes: 100 % is one picture pixel on one device pixel."""

from __future__ import annotations

import math

from PySide6.QtCore import QObject, QPointF, QRectF, QSize, Signal

from irvane.core.judge.alignment import Between, Mapping
from irvane.core.pixels.places import OutputRegion

#: Zoom steps; fit comes before them all.
ZOOMS = (0.5, 0.66, 1.0, 2.0, 3.0, 4.0, 8.0)
#: Share of the visible part that is rendered beyond it on every side, so that small pans show no edge.
_MARGIN = 0.04
#: Device pixels at the corners below which a turn is not followed.
_LEAST_TURN = 2.0


def turn(mapping: Mapping | Between | None, size: QSize) -> float:
    """Degrees by which a frame has to be turned about the middle of a view to lie on the reference.

    None where that moves no corner of the view by more than two device pixels: turning resamples, and pixels
    that are judged should stay themselves.
    """
    if mapping is None:
        return 0.0
    moved = math.radians(abs(mapping.rotation)) * math.hypot(size.width(), size.height()) / 2
    return -mapping.rotation if moved > _LEAST_TURN else 0.0


class Viewport(QObject):
    """Zoom (None: fit) and centre, as shares of the frame's width and height.

    Sizes are in device pixels, positions in the frame in frame pixels.
    """

    changed = Signal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.zoom: float | None = None
        self.centre = (0.5, 0.5)

    def scale(self, extent: tuple[int, int], size: QSize) -> float:
        """Device pixels per frame pixel."""
        if self.zoom is not None:
            return self.zoom
        return self.fit_scale(extent, size)

    @staticmethod
    def fit_scale(extent: tuple[int, int], size: QSize) -> float:
        """Scale at which the whole frame just fits (never enlarged beyond 800 %)."""
        h, w = extent
        return min(size.width() / max(w, 1), size.height() / max(h, 1), ZOOMS[-1])

    def origin(self, extent: tuple[int, int], size: QSize) -> QPointF:
        """Frame position of the view's top left corner."""
        h, w = extent
        s = self.scale(extent, size)
        place = []
        for length, side, centre in ((w, size.width(), self.centre[0]), (h, size.height(), self.centre[1])):
            seen = side / s
            place.append(
                (length - seen) / 2
                if seen >= length
                else min(max(centre * length - seen / 2, 0), length - seen)
            )
        return QPointF(*place)

    def placed(
        self, extent: tuple[int, int], size: QSize, mapping: Mapping | Between | None
    ) -> tuple[float, QPointF]:
        """Scale and origin of a frame that lies on the reference as a mapping says, before its
        :func:`turn`."""
        if mapping is None:
            return self.scale(extent, size), self.origin(extent, size)
        s, o = self.scale(mapping.extent, size), self.origin(mapping.extent, size)
        middle = o.x() + size.width() / 2 / s, o.y() + size.height() / 2 / s
        there = mapping.at(*middle)
        x, y = there.place(*middle)
        own = s / there.scale
        return own, QPointF(x - size.width() / 2 / own, y - size.height() / 2 / own)

    def to_view(
        self, rect: QRectF, extent: tuple[int, int], size: QSize, mapping: Mapping | Between | None = None
    ) -> QRectF:
        """Where a rectangle of the frame lies in the view."""
        s, o = self.placed(extent, size, mapping)
        return QRectF((rect.x() - o.x()) * s, (rect.y() - o.y()) * s, rect.width() * s, rect.height() * s)

    def to_frame(self, point: QPointF, extent: tuple[int, int], size: QSize) -> QPointF:
        """Frame position of a point of the view."""
        s, o = self.scale(extent, size), self.origin(extent, size)
        return QPointF(point.x() / s + o.x(), point.y() / s + o.y())

    def region(
        self, extent: tuple[int, int], size: QSize, mapping: Mapping | Between | None = None
    ) -> OutputRegion:
        """The part of the frame to render: what is visible, with a margin."""
        h, w = extent
        s, o = self.placed(extent, size, mapping)
        seen_w, seen_h = size.width() / s, size.height() / s
        turned = math.radians(turn(mapping, size))
        if turned:  # the corners of the view reach farther into a turned frame
            cos, sin = abs(math.cos(turned)), abs(math.sin(turned))
            wide, high = seen_w * cos + seen_h * sin, seen_w * sin + seen_h * cos
            o = QPointF(o.x() - (wide - seen_w) / 2, o.y() - (high - seen_h) / 2)
            seen_w, seen_h = wide, high
        left, top = max(0, math.floor(o.x() - seen_w * _MARGIN)), max(0, math.floor(o.y() - seen_h * _MARGIN))
        right = min(w, math.ceil(o.x() + seen_w * (1 + _MARGIN)))
        bottom = min(h, math.ceil(o.y() + seen_h * (1 + _MARGIN)))
        top, left = min(top, h - 1), min(left, w - 1)
        return OutputRegion(top, left, max(bottom, top + 1), max(right, left + 1), max(1.0, 1 / s))

    def set_zoom(
        self, zoom: float | None, extent: tuple[int, int], size: QSize, about: QPointF | None = None
    ) -> None:
        """Change the zoom, keeping the frame position under `about` (a view position) where it is."""
        if about is None:
            about = QPointF(size.width() / 2, size.height() / 2)
        kept = self.to_frame(about, extent, size)
        self.zoom = zoom
        s = self.scale(extent, size)
        h, w = extent
        x = kept.x() - (about.x() - size.width() / 2) / s
        y = kept.y() - (about.y() - size.height() / 2) / s
        self.centre = (min(max(x / w, 0), 1), min(max(y / h, 0), 1))
        self.changed.emit()

    def step(
        self, direction: int, extent: tuple[int, int], size: QSize, about: QPointF | None = None
    ) -> None:
        """Next larger (+1) or smaller (−1) zoom."""
        now, fit = self.scale(extent, size), self.fit_scale(extent, size)
        if direction > 0:
            larger = [z for z in ZOOMS if z > now * 1.001]
            self.set_zoom(larger[0] if larger else ZOOMS[-1], extent, size, about)
            return
        smaller = [z for z in ZOOMS if z < now * 0.999 and z > fit * 1.001]
        self.set_zoom(smaller[-1] if smaller else None, extent, size, about)

    def follow(self, other: Viewport) -> None:
        """Take over zoom and place; no signal."""
        self.zoom, self.centre = other.zoom, other.centre

    def pan(self, dx: float, dy: float, extent: tuple[int, int], size: QSize) -> None:
        """Move the picture by view pixels."""
        s, o = self.scale(extent, size), self.origin(extent, size)
        h, w = extent
        x = o.x() + (size.width() / 2 - dx) / s
        y = o.y() + (size.height() / 2 - dy) / s
        centre = (min(max(x / w, 0), 1), min(max(y / h, 0), 1))
        if centre != self.centre:
            self.centre = centre
            self.changed.emit()
