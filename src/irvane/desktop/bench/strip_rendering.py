"""What the test strip is fed with: crops of the chosen pane's proof at the strip's values."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal

from irvane.core.line.teststrip import PRESETS, crop, present, with_tried
from irvane.desktop.bench.content import image_of
from irvane.desktop.bench.panes import Panes
from irvane.desktop.bench.teststrip import TestStrip, can_be_stripped
from irvane.desktop.item import BARE
from irvane.desktop.line.words import automatic_values
from irvane.desktop.service import RenderService
from irvane.desktop.view_request import ViewRequest


class StripRendering(QObject):
    """Opens the strip, has its crops rendered, closes it.

    Signals
    -------
    shown(on) : the strip was opened or left. said(sentence)
    """

    shown = Signal(bool)
    said = Signal(str)

    def __init__(self, panes: Panes, service: RenderService, strip: TestStrip, parent: QObject) -> None:
        super().__init__(parent)
        self.panes, self.service, self.strip = panes, service, strip
        strip.hide()
        strip.wanted.connect(self._render)
        strip.left.connect(self.leave)
        service.stripped.connect(
            lambda run, number, made: strip.take(run, number, image_of(made.rendered.pixels), made.exact)
        )

    def open(self, path: str) -> None:
        """Show the chosen pane's crop at several values of a setting, in the place of the panes."""
        if not can_be_stripped(path):
            self.said.emit("This setting does not change what is seen here.")
            return
        if self.panes.contents[self.panes.view.chosen].proof == BARE:
            self.said.emit("The bare frame has no settings. Press B for the proof, or N for a new one.")
            return
        settings, item = self.panes.settings(self.panes.view.chosen), self.panes.item(self.panes.view.chosen)
        ready = settings is not None and item is not None and item.ready
        frame = self.service.engine.best(item.source, settings.sensor) if ready else None  # type: ignore[union-attr]
        if settings is None or frame is None or frame.coarse:
            self.said.emit("The frame is not developed yet; try again in a moment.")
            return
        now = present(path, settings)
        if now is None:
            now = automatic_values(frame, settings).get(path)
        if now is None:
            self.said.emit("This setting has no value in this picture.")
            return
        self.shown.emit(True)
        self.strip.show()
        self.strip.show_setting(path, now)

    def leave(self) -> None:
        """Back to the panes."""
        if self.strip.isHidden():
            return
        self.service.leave_strip()
        self.strip.hide()
        self.shown.emit(False)

    def _render(self) -> None:
        settings, item, strip = (
            self.panes.settings(self.panes.view.chosen),
            self.panes.item(self.panes.view.chosen),
            self.strip,
        )
        if settings is None or item is None:
            return
        size = strip.crops.picture_size()
        viewport = self.panes.viewport_of(self.panes.view.chosen)
        extent = self.panes.contents[self.panes.view.chosen].extent
        # presets are chosen by how the whole looks
        zoom = None if strip.path == PRESETS else viewport.zoom
        region = crop(extent, viewport.centre, (size.width(), size.height()), zoom)
        for number, value in enumerate(strip.values):
            tried = with_tried(settings, strip.path, value)
            frame = self.service.engine.best(item.source, tried.sensor)
            if frame is not None and (
                strip.path.startswith("lens.") or zoom is None
            ):  # each value has an output of its own
                extent = frame.geometry(tried).output
                region = crop(extent, viewport.centre, (size.width(), size.height()), zoom)
            self.service.render_strip(
                strip.run, number, ViewRequest(item.source, tried, region, look=self.panes.view.look)
            )
