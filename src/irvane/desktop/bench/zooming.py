"""Zoom and place of the panes: of all together, or of each by itself."""

from __future__ import annotations

from PySide6.QtCore import QObject, QRectF, Signal

from irvane.desktop.bench.panes import Panes
from irvane.desktop.bench.picture import PictureView
from irvane.desktop.bench.viewport import ZOOMS, Viewport


class Zooming(QObject):
    """Gives every view its viewport and changes zoom and place.

    Signals
    -------
    changed : zoom or place of a pane. said(sentence). probe_wanted(x, y) : a place of the first pane's frame.
    """

    changed = Signal()
    said = Signal(str)
    probe_wanted = Signal(float, float)

    def __init__(self, panes: Panes, views: list[PictureView], parent: QObject) -> None:
        super().__init__(parent)
        self.panes, self.views = panes, views
        panes.viewports.extend(Viewport(self) for _ in views)
        for viewport in (panes.viewport, *panes.viewports):
            viewport.changed.connect(self.changed)

    def _acting(self) -> tuple[Viewport, PictureView]:
        """What zooming acts on: the chosen pane while each is by itself, else all through the first view."""
        chosen = self.panes.view.chosen if self.panes.view.free else 0
        return self.panes.viewport_of(chosen), self.views[chosen]

    def set_free(self, on: bool) -> None:
        """Every pane with its own zoom and place, beginning with the common one; or all where the chosen one
        is."""
        if on == self.panes.view.free:
            return
        if on:
            for own in self.panes.viewports:
                own.follow(self.panes.viewport)
        else:
            self.panes.viewport.follow(self.panes.viewports[self.panes.view.chosen])
        self.panes.change(free=on)
        for number, view in enumerate(self.views):
            view.viewport = self.panes.viewport_of(number)
        self.changed.emit()
        words = "Every pane has its own zoom and place" if on else "All panes show the same place"
        self.said.emit(f"{words} (Shift+V).")

    def set_zoom(self, zoom: float | None) -> None:
        """Zoom about the centre; more than the largest zoom is the frame's longer side in pixels."""
        viewport, view = self._acting()
        if zoom is not None and zoom > ZOOMS[-1]:
            self.said.emit("So large it will be used: what cannot be told apart here does not matter there.")
            zoom = min(zoom / max(view.extent), ZOOMS[-1])
        viewport.set_zoom(zoom, view.extent, view.device_size())

    def step_zoom(self, direction: int) -> None:
        """Next larger or smaller zoom."""
        viewport, view = self._acting()
        viewport.step(direction, view.extent, view.device_size())

    def words(self, pane: int) -> str:
        """Zoom of a pane that has its own, for its caption; empty while all share one."""
        if not self.panes.view.free:
            return ""
        zoom = self.panes.viewport_of(pane).zoom
        return "fit" if zoom is None else f"{zoom * 100:.0f} %"

    def probe_to_centre(self) -> None:
        """Ask for the probe in the middle of what is seen."""
        viewport, view = self._acting()
        size = view.device_size()
        middle = viewport.to_frame(QRectF(0, 0, size.width(), size.height()).center(), view.extent, size)
        self.probe_wanted.emit(middle.x(), middle.y())
