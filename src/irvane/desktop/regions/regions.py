"""The commands of regions: choosing one, shaping it, changing settings in it, seeing its mask."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QInputDialog, QWidget

from irvane.core.line.local import reference_of
from irvane.core.line.looks import PICTURE
from irvane.core.regions.region import KINDS, MOST, LocalRegion, Part, Stroke
from irvane.core.settings import Settings
from irvane.desktop.bench.bench import Bench
from irvane.desktop.item import BARE
from irvane.desktop.proofs import Proofs
from irvane.desktop.regions.changes import Changes
from irvane.desktop.regions.overlay import RegionOverlay, with_part
from irvane.desktop.regions.strip import BACKGROUND, RegionStrip
from irvane.desktop.regions.telling import Telling
from irvane.desktop.service import RenderService

#: What shapes begin with, before they are drawn.
_FIRST = {
    "linear": (0.5, 0.15, 0.5, 0.6), "round": (0.5, 0.5, 0.2, 0.15, 0.0, 0.6), "tone": (-3.0, -1.0, 1.0),
    "hue": (0.0, 60.0, 20.0),
    "spot": (0.5, 0.5, 0.15, 1.2), "focus": (0.9, 1.0),
}  # fmt: skip
#: Around a tone that is clicked, EV to both sides.
_AROUND = 0.8
_BRUSH_STEP = 1.15


class Regions(QObject):
    """Regions of the chosen pane's proof.

    Signals
    -------
    said(sentence). shown(on) : the strip is seen. another : another region was chosen, or it was changed.
    """

    said = Signal(str)
    shown = Signal(bool)
    another = Signal()

    def __init__(self, proofs: Proofs, bench: Bench, service: RenderService, parent: QWidget) -> None:
        super().__init__(parent)
        self.proofs, self.bench, self.service, self.window = proofs, bench, service, parent
        self.strip = RegionStrip()
        self.strip.hide()
        self.overlay: RegionOverlay | None = None
        self.index = -1
        self._item: int | None = None
        self._gesture = 0
        self.changes = Changes(self)
        self.telling = Telling(self)
        proofs.instead, proofs.suggestion = self.changes.take, self.changes.suggestion
        strip = self.strip
        strip.chosen.connect(self.choose)
        strip.added.connect(self.add)
        strip.changed.connect(self._property)
        strip.sight.connect(lambda _look: self._see())
        strip.brush_changed.connect(self._repaint)
        strip.renamed.connect(self.rename)
        strip.removed.connect(self.remove)
        strip.reset.connect(self.changes.set_back_all)
        strip.pasted.connect(self.changes.paste)
        strip.written.connect(self.telling.write_mask)
        strip.figures.toggled.connect(lambda _on: self._see())
        strip.done.connect(self.toggle)
        proofs.session.item_changed.connect(self._changed)
        bench.chosen_changed.connect(self._pane_chosen)
        bench.viewport.changed.connect(self._repaint)
        service.improved.connect(lambda _key: self._repaint())

    # what it acts on

    def settings(self) -> Settings | None:
        """The settings of the chosen proof; None where none can be changed."""
        item = self.proofs.item()
        if item is None or not item.ready or item.problem or self.proofs.number == BARE:
            return None
        return item.settings(self.proofs.number)

    def region(self) -> LocalRegion | None:
        """The chosen region; None: the whole frame."""
        settings = self.settings()
        if settings is None or not 0 <= self.index < len(settings.regions):
            return None
        return settings.regions[self.index]

    def _put(self, regions: list[LocalRegion], text: str, gesture: str = "") -> None:
        item, settings = self.proofs.item(), self.settings()
        if item is not None and settings is not None:
            self.proofs.session.replace_settings(
                item.number, self.proofs.number, settings.with_regions(regions), text, gesture
            )

    def replace_region(self, region: LocalRegion, text: str, gesture: str = "") -> None:
        """Put another in the chosen region's place; what is done in one gesture is one step back."""
        settings = self.settings()
        if settings is not None and 0 <= self.index < len(settings.regions):
            regions = list(settings.regions)
            regions[self.index] = region
            self._put(regions, text, f"{self.proofs.number}:{self.index}:{gesture}" if gesture else "")

    # the strip

    def toggle(self) -> None:
        """Show the regions, or leave them."""
        if self.overlay is not None:
            self.leave()
            return
        if self.settings() is None:
            self.said.emit("Choose a proof of a frame: the bare frame has no regions.")
            return
        self.strip.show()
        self._open_overlay()
        settings = self.settings()
        assert settings is not None
        self.choose(len(settings.regions) - 1)
        self.shown.emit(True)

    def leave(self) -> None:
        """Back to the whole frame."""
        self.index = -1
        self._close_overlay()
        self.strip.hide()
        self._see()
        self.shown.emit(False)
        self.another.emit()
        self.bench.view_of(self.bench.chosen).setFocus()

    def _open_overlay(self) -> None:
        view = self.bench.view_of(self.bench.chosen)
        overlay = RegionOverlay(view)
        overlay.brush = self._brush
        overlay.there, overlay.back = self._there, self._back
        overlay.shaped.connect(self._shaped)
        overlay.stroked.connect(self._stroked)
        overlay.clicked.connect(self._clicked)
        overlay.resized_brush.connect(self._resize_brush)
        overlay.hovering.connect(self.telling.hover)
        overlay.left.connect(self.leave)
        view.resized.connect(self._fit)
        self.overlay = overlay
        item = self.proofs.item()
        self._item = None if item is None else item.number

    def _close_overlay(self) -> None:
        if self.overlay is not None:
            overlay, self.overlay = self.overlay, None
            overlay.view.resized.disconnect(self._fit)
            overlay.hide()
            overlay.deleteLater()

    def _fit(self) -> None:
        if self.overlay is not None:
            self.overlay.resize(self.overlay.view.size())

    def _repaint(self) -> None:
        if self.overlay is not None:
            self.overlay.update()

    def _pane_chosen(self) -> None:
        if self.overlay is None:
            return
        if self.settings() is None:
            self.leave()
            return
        item = self.proofs.item()
        if self.overlay.view is not self.bench.view_of(self.bench.chosen):
            self._close_overlay()
            self._open_overlay()
        elif item is not None and item.number != self._item:
            self._item, self.index = item.number, -1
            self._see()
        self._show()

    def _changed(self, number: int) -> None:
        if self.overlay is not None and number == self._item:
            self._show()

    def _show(self) -> None:
        settings = self.settings()
        if self.overlay is None or settings is None:
            return
        self.index = min(self.index, len(settings.regions) - 1)
        self.overlay.region = self.region()
        frame = self.frame()
        if frame is not None:
            h, w = frame.developed.extent
            self.overlay.ratio = h / w
        self.overlay.update()
        self.strip.show_regions(settings.regions, self.index)
        if self.strip.figures.isChecked():
            self.bench.measure_inside(self.region())

    def choose(self, index: int) -> None:
        """Choose a region, or with −1 the whole frame."""
        self.index = index
        if self.overlay is not None:
            self.overlay.drawing = ""
            self.strip.hint("")
        self._show()
        self._see()
        self.another.emit()
        if self.overlay is not None:
            self.overlay.setFocus()

    def _see(self) -> None:
        """The look that shows the chosen region's mask as wished."""
        look = self.strip.seen.currentData() if self.overlay is not None and self.region() is not None else ""
        now = self.bench.panes.view.look
        wanted = f"{look}:{self.index}" if look else PICTURE if now.startswith("mask-") else now
        if wanted != now:
            self.bench.set_look(wanted)
        inside = self.region() if self.overlay is not None and self.strip.figures.isChecked() else None
        self.bench.measure_inside(inside)

    # places

    def frame(self) -> Any:
        """The developed frame of the chosen pane; None while there is none."""
        item, settings = self.proofs.item(), self.settings()
        if item is None or settings is None:
            return None
        return self.service.engine.best(item.source, settings.sensor)

    def _there(self, x: float, y: float) -> tuple[float, float]:
        frame, settings = self.frame(), self.settings()
        if frame is None or settings is None:
            return x, y
        geometry = frame.geometry(settings)
        h, w = geometry.frame
        place = np.nan_to_num(geometry.to_output(np.array([[x * w, y * h]]))[0])
        return float(place[0]), float(place[1])

    def _back(self, x: float, y: float) -> tuple[float, float]:
        frame, settings = self.frame(), self.settings()
        if frame is None or settings is None:
            return x, y
        geometry = frame.geometry(settings)
        h, w = geometry.frame
        place = np.nan_to_num(geometry.to_frame(np.array([[x, y]]))[0])
        return float(place[0] / w), float(place[1] / h)

    def _brush(self) -> tuple[float, float, float, bool, bool]:
        s = self.strip
        return (
            s.wide.value() / 1000,
            s.soft.value() / 100,
            s.flow.value() / 100,
            s.erases.isChecked(),
            s.follows.isChecked(),
        )

    def _resize_brush(self, steps: int) -> None:
        value = self.strip.wide.value()
        self.strip.wide.setValue(round(value * _BRUSH_STEP**steps) + steps)

    # shapes

    def add(self, kind: str, operation: str = "new") -> None:
        """A new region of a kind, or another shape of the chosen one."""
        settings, region = self.settings(), self.region()
        if settings is None or self.overlay is None:
            return
        inverted = kind == BACKGROUND
        if inverted:
            kind, operation = "subject", "new"
        part = Part(kind, _FIRST.get(kind, ()))
        if region is None or operation == "new":
            if len(settings.regions) >= MOST:
                self.said.emit(f"A proof has at most {MOST} regions.")
                return
            taken = {one.name for one in settings.regions}
            words = "Background" if inverted else KINDS[kind][0].split(" ")[-1].capitalize()
            name = next(n for n in (f"{words} {k}" for k in range(1, MOST + 2)) if n not in taken)
            self.index = len(settings.regions)
            self._put(
                [*settings.regions, LocalRegion(name, (part,), inverted=inverted)], f"new region “{name}”"
            )
        else:
            made = replace(part, operation=operation)
            self.replace_region(replace(region, parts=(*region.parts, made)), f"{operation} {KINDS[kind][0]}")
        drawn = kind in ("linear", "round", "spot", "tone", "hue")
        self.overlay.drawing = kind if drawn else ""
        self.strip.hint(kind)
        if not self.strip.seen.currentData():
            self.strip.seen.setCurrentIndex(1)  # without changes yet, only its mask shows it
        self._show()
        self._see()
        self.another.emit()
        self.overlay.setFocus()
        if kind == "subject":
            self.telling.find_subject()

    def _shaped(self, index: int, numbers: tuple[float, ...], begins: bool) -> None:
        region = self.region()
        if region is None or index >= len(region.parts):
            return
        part = replace(region.parts[index], numbers=tuple(round(v, 5) for v in numbers))
        if begins:
            self._gesture += 1
        self.replace_region(with_part(region, index, part), "shape of the region", f"shape{self._gesture}")

    def _stroked(self, stroke: Stroke) -> None:
        region = self.region()
        if region is None or not region.parts:
            return
        part = region.parts[-1]
        made = replace(part, strokes=(*part.strokes, stroke))
        self.replace_region(with_part(region, len(region.parts) - 1, made), "stroke")

    def _clicked(self, x: float, y: float) -> None:
        """A band is picked from a place."""
        region, frame = self.region(), self.frame()
        if region is None or frame is None or self.overlay is None or not region.parts:
            return
        kind, self.overlay.drawing = self.overlay.drawing, ""

        def look(_progress: Any) -> tuple[float, ...]:
            reference = reference_of(frame.developed, frame.context)
            h, w = reference.shape
            j, i = min(max(int(y * h), 2), h - 3), min(max(int(x * w), 2), w - 3)
            box = slice(j - 2, j + 3), slice(i - 2, i + 3)
            if kind == "tone":
                tone = float(np.median(reference.stops[box]))
                return round(tone - _AROUND, 2), round(tone + _AROUND, 2), 1.0
            return round(float(np.median(reference.hue[box])), 1), 50.0, 20.0

        def done(numbers: tuple[float, ...] | str) -> None:
            now = self.region()
            if isinstance(numbers, str) or now is None or not now.parts:
                return
            index = len(now.parts) - 1
            self.replace_region(
                with_part(now, index, replace(now.parts[index], numbers=numbers)), f"{kind} picked"
            )

        self.service.trial("shape", look, done)

    def _property(self, name: str, value: object) -> None:
        region = self.region()
        if region is not None:
            self.replace_region(replace(region, **{name: value}), f"{name} of the region", name)  # type: ignore[arg-type]

    def rename(self) -> None:
        """Ask for another name."""
        region = self.region()
        if region is None:
            return
        name, good = QInputDialog.getText(self.window, "Rename the region", "Name", text=region.name)
        if good and name.strip():
            self.replace_region(replace(region, name=name.strip()[:60]), f"rename to “{name.strip()}”")

    def remove(self) -> None:
        """Remove the chosen region; undo brings it back."""
        settings, region = self.settings(), self.region()
        if settings is None or region is None:
            return
        kept = [one for k, one in enumerate(settings.regions) if k != self.index]
        self.index = min(self.index, len(kept) - 1)
        self._put(kept, f"remove “{region.name}”")
        self._show()
        self._see()
        self.another.emit()

    def switch(self) -> None:
        """The chosen region off, or on again; without one, all of them."""
        settings, region = self.settings(), self.region()
        if settings is None or not settings.regions:
            self.said.emit("This proof has no regions. Shift+T makes some.")
            return
        if region is not None:
            self.replace_region(
                replace(region, on=not region.on), f"“{region.name}” {'off' if region.on else 'on'}"
            )
            return
        on = not any(one.on for one in settings.regions)
        self._put([replace(one, on=on) for one in settings.regions], f"all regions {'on' if on else 'off'}")
