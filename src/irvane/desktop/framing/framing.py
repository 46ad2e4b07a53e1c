"""Choosing what of the corrected picture is shown, on the bench: the crop and its handles, turns, drawn
lines."""

from __future__ import annotations

from typing import Any

import numpy as np
from PySide6.QtCore import QLineF, QObject, QPointF, QRectF, QTimer, Signal
from PySide6.QtWidgets import QWidget

from irvane.core.image import LUMA_2020
from irvane.core.lens.corrections import LensFacts
from irvane.core.lens.framing import (
    geometry_of,
    largest_crop,
    mirrored,
    shaped,
    turned_by,
    turned_extent,
    uncropped,
)
from irvane.core.lens.lines import Levelling, find_level, levelled, set_upright, straightened
from irvane.core.line.view import scene_patch
from irvane.core.pixels.places import OutputRegion
from irvane.core.stations import Lens
from irvane.desktop.bench.bench import Bench
from irvane.desktop.bench.panes import ONE
from irvane.desktop.framing.overlay import Overlay
from irvane.desktop.framing.strip import FramingStrip
from irvane.desktop.item import BARE
from irvane.desktop.proofs import Proofs
from irvane.desktop.service import RenderService

#: Longer side of the picture in which level contours are looked for.
_LEVEL_SIDE = 1100


class Framing(QObject):
    """The commands of the station Lens that need the picture.

    Signals
    -------
    said(sentence), shown(on) : the frame as a whole is seen, or the picture as it will be.
    """

    said = Signal(str)
    shown = Signal(bool)

    def __init__(self, proofs: Proofs, bench: Bench, service: RenderService, parent: QWidget) -> None:
        super().__init__(parent)
        self.proofs, self.bench, self.service = proofs, bench, service
        self.strip = FramingStrip()
        self.strip.hide()
        self.overlay: Overlay | None = None
        self._item: int | None = None
        self._proof = 0
        self._before: tuple[str, float | None, bool] = (ONE, None, True)
        #: Lines (kind and ends) and places of a curve that were drawn, in pixels of the frame.
        self._lines: list[tuple[str, np.ndarray]] = []
        self._points: list[np.ndarray] = []
        self._turned_from: float | None = None
        strip = self.strip
        strip.shaped.connect(lambda _ratio: self._shape())
        strip.guided.connect(self._guide)
        strip.typed.connect(lambda *values: self._crop(values))
        strip.largest.connect(self._largest)
        strip.by_itself.connect(self.level)
        strip.drawing.connect(self._draw)
        strip.applied.connect(self._apply)
        strip.cleared.connect(self._clear)
        strip.turned.connect(self.turn)
        strip.mirrored.connect(self.mirror)
        strip.done.connect(self.leave)
        proofs.session.item_changed.connect(self._changed)
        bench.chosen_changed.connect(self._another)
        service.improved.connect(lambda _key: self._show())

    # what it acts on

    def lens(self) -> Lens | None:
        """The settings of the chosen proof; None where there is none that can be changed."""
        item = self.proofs.item()
        if item is None or not item.ready or item.problem or self.proofs.number == BARE:
            return None
        return item.settings(self.proofs.number).lens

    def facts(self) -> LensFacts | None:
        """What is known of the chosen frame; None while it is not there."""
        item = self.proofs.item()
        if item is None or self.lens() is None:
            return None
        frame = self.service.engine.best(item.source, item.settings(self.proofs.number).sensor)
        return None if frame is None else frame.context.lens

    # seeing the whole frame

    def toggle(self) -> None:
        """See the whole frame with its crop, or the picture as it will be."""
        if self.overlay is not None:
            self.leave()
            return
        item = self.proofs.item()
        if item is None or self.facts() is None:
            self.said.emit("Choose a proof of a frame that is developed: the bare frame has no crop.")
            return
        bench = self.bench
        bench.strip_rendering.leave()
        self._item, self._proof = item.number, self.proofs.number
        self._before = bench.arrangement, bench.viewport.zoom, bench.panes.view.aligning
        bench.panes.change(framing=True, aligning=False)
        bench.set_arrangement(ONE)
        bench.set_zoom(None)
        self.overlay = Overlay(bench.views[0])
        overlay = self.overlay
        overlay.guides = self.strip.guides.currentText()
        overlay.cropped.connect(self._dragged)
        overlay.let_go.connect(self._let_go)
        overlay.turned.connect(self._turned)
        overlay.line_drawn.connect(self._line_drawn)
        overlay.point_set.connect(self._point_set)
        overlay.left.connect(self.leave)
        bench.views[0].resized.connect(self._fit)
        bench.viewport.changed.connect(overlay.update)
        bench.controller.request()
        self.strip.show()
        self._show()
        overlay.setFocus()
        self.shown.emit(True)

    def leave(self) -> None:
        """Back to the picture as it will be."""
        if self.overlay is None:
            return
        overlay, self.overlay = self.overlay, None
        self.bench.views[0].resized.disconnect(self._fit)
        overlay.hide()
        overlay.deleteLater()
        self._clear()
        for button in self.strip.tools.values():
            button.setChecked(False)
        self.strip.hide()
        arrangement, zoom, aligning = self._before
        self.bench.panes.change(framing=False, aligning=aligning)
        self.bench.set_arrangement(arrangement)
        self.bench.set_zoom(zoom)
        self.bench.controller.request()
        self.bench.view_of(self.bench.chosen).setFocus()
        self.shown.emit(False)

    def _another(self) -> None:
        """Another proof was chosen: its crop is another one."""
        item = self.proofs.item()
        if self.overlay is not None and (
            item is None or item.number != self._item or self.proofs.number != self._proof
        ):
            QTimer.singleShot(0, self.leave)

    def _changed(self, number: int) -> None:
        if number == self._item:
            self._show()

    def _fit(self) -> None:
        if self.overlay is not None:
            self.overlay.resize(self.bench.views[0].size())

    def _show(self) -> None:
        """Show the crop and the lines as the settings have them now."""
        facts, lens, overlay = self.facts(), self.lens(), self.overlay
        if overlay is None or facts is None or lens is None:
            return
        overlay.setGeometry(self.bench.views[0].rect())
        crop = lens.crop or largest_crop(facts, lens)
        overlay.crop = QRectF(*(v / 100 for v in crop))
        overlay.ratio = self.strip.chosen_ratio(turned_extent(facts.frame, lens))
        whole = geometry_of(facts, uncropped(lens))

        def seen(places: np.ndarray) -> list[QPointF]:
            return [QPointF(*place) for place in np.nan_to_num(whole.to_output(places)).tolist()]

        overlay.lines = [(kind, QLineF(*seen(line))) for kind, line in self._lines]
        overlay.points = seen(np.array(self._points)) if self._points else []
        overlay.update()
        geometry = geometry_of(facts, lens)
        self.strip.show_crop(crop, geometry.output, geometry.kept)
        self.strip.show_lines(len(self._lines), len(self._points))

    def _guide(self, name: str) -> None:
        if self.overlay is not None:
            self.overlay.guides = name
            self.overlay.update()

    # the crop

    def _crop(self, values: tuple[float, ...]) -> None:
        self.proofs.edit("lens.crop", tuple(round(v, 4) for v in values))

    def _dragged(self, x: float, y: float, w: float, h: float) -> None:
        facts, lens = self.facts(), self.lens()
        if facts is not None and lens is not None:
            high, wide = turned_extent(facts.frame, lens)
            self.strip.show_crop(
                (100 * x, 100 * y, 100 * w, 100 * h), (round(h * high), round(w * wide)), w * h
            )

    def _let_go(self) -> None:
        self._turned_from = None
        overlay, lens = self.overlay, self.lens()
        if overlay is None or lens is None:
            return
        c = overlay.crop
        facts = self.facts()
        now = (100 * c.x(), 100 * c.y(), 100 * c.width(), 100 * c.height())
        before = lens.crop or (largest_crop(facts, lens) if facts is not None else now)
        if max(abs(a - b) for a, b in zip(now, before, strict=True)) > 1e-3:
            self._crop(now)

    def _shape(self) -> None:
        facts, lens = self.facts(), self.lens()
        if facts is None or lens is None:
            return
        extent = turned_extent(facts.frame, lens)
        ratio = self.strip.chosen_ratio(extent)
        if ratio is not None:
            self._crop(shaped(lens.crop or largest_crop(facts, lens), extent, ratio))
        self._show()

    def _largest(self) -> None:
        facts, lens = self.facts(), self.lens()
        if facts is None or lens is None:
            return
        ratio = self.strip.chosen_ratio(turned_extent(facts.frame, lens))
        if ratio is None:
            self.proofs.edit("lens.crop", ())
            return
        self.service.long(
            "crop", "", lambda _progress: largest_crop(facts, lens, ratio), lambda crop: self._crop(crop)
        )

    def turn(self, quarters: int) -> None:
        """A quarter turn clockwise (−1: the other way); the crop goes along."""
        lens = self.lens()
        if lens is not None:
            self.proofs.edit_many(turned_by(lens, quarters))

    def mirror(self) -> None:
        """Exchange left and right; the crop goes along."""
        lens = self.lens()
        if lens is not None:
            self.proofs.edit_many(mirrored(lens))

    def _turned(self, degrees: float) -> None:
        lens = self.lens()
        if lens is None:
            return
        if self._turned_from is None:
            self._turned_from = lens.straighten
        value = (self._turned_from + degrees + 180) % 360 - 180
        self.proofs.edit("lens.straighten", round(min(max(value, -45.0), 45.0), 2))

    # lines

    def _draw(self, kind: str) -> None:
        if self.overlay is not None:
            self.overlay.drawing = kind
            self.overlay.setFocus()

    def _of_frame(self, places: list[QPointF]) -> np.ndarray | None:
        facts, lens = self.facts(), self.lens()
        if facts is None or lens is None:
            return None
        found = geometry_of(facts, uncropped(lens)).to_frame(np.array([(p.x(), p.y()) for p in places]))
        return found if np.isfinite(found).all() else None

    def _line_drawn(self, line: QLineF) -> None:
        places = self._of_frame([line.p1(), line.p2()])
        if places is not None and self.overlay is not None:
            self._lines.append((self.overlay.drawing, places))
        self._show()

    def _point_set(self, point: QPointF) -> None:
        place = self._of_frame([point])
        if place is not None:
            self._points.append(place[0])
        self._show()

    def _clear(self) -> None:
        self._lines, self._points = [], []
        self._show()

    def _apply(self) -> None:
        facts, lens = self.facts(), self.lens()
        if facts is None or lens is None:
            return
        lines, points = list(self._lines), list(self._points)

        def work(_progress: Any) -> dict[str, object]:
            values: dict[str, object] = {}
            if len(points) >= 3:
                values["lens.distortion"] = straightened(facts, lens, [np.array(points)])
            if len(lines) == 1:
                values["lens.straighten"] = levelled(facts, lens, lines[0][1])
            elif lines:
                values |= set_upright(facts, lens, lines)
            return values

        def done(values: dict[str, object]) -> None:
            self.proofs.edit_many(values)
            self._clear()

        self.service.long("lines", "", work, done)

    def level(self) -> None:
        """Turn the picture level by its own contours."""
        item, lens = self.proofs.item(), self.lens()
        if item is None or lens is None or self.facts() is None:
            self.said.emit("Choose a proof of a frame that is developed.")
            return
        settings = item.settings(self.proofs.number).with_values({"lens.crop": (), "lens.edges": "fill"})
        frame = self.service.engine.best(item.source, settings.sensor)
        assert frame is not None

        def work(_progress: Any) -> Levelling:
            h, w = frame.geometry(settings).output
            region = OutputRegion(0, 0, h, w, max(1.0, max(h, w) / _LEVEL_SIDE))
            usable = frame.fitting(settings)
            return find_level(
                scene_patch(usable.developed, settings, usable.context, region).pixels @ LUMA_2020
            )

        def done(found: Levelling) -> None:
            told = f"{found.share:.0%} of the lines that are nearly level or upright agree"
            if not found.sure:
                self.said.emit(
                    f"Nothing was turned: {told}, too few to be sure. Draw a line along what is level."
                )
                return
            self.said.emit(f"Turned by {found.degrees:+.2f}°: {told}.".replace("-", "−"))
            self.proofs.edit(
                "lens.straighten", round(min(max(lens.straighten + found.degrees, -45.0), 45.0), 2)
            )

        self.service.long("level", "", work, done)
