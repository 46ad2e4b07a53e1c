"""One picture of each main view at 1280×800, from copies of the demo frames; of those that are named, or of all."""

from __future__ import annotations

import shutil
import sys
import tempfile
import time
from pathlib import Path

from PIL import Image
from PySide6.QtCore import QRect
from PySide6.QtWidgets import QApplication, QWidget

import irvane.core.handbook
from irvane.core.finish.journal import Journal
from irvane.core.line.teststrip import PRESETS
from irvane.core.simulate.demo import make_demo
from irvane.core.simulate.folder import LADDER_FOLDER, demo_folder
from irvane.desktop import theme
from irvane.desktop.item import Item
from irvane.desktop.window import Window

TARGET = Path(__file__).parent.parent / "docs" / "screenshots"


def chosen(window: Window) -> Item:
    """The frame that is chosen."""
    item = window.proofs.item()
    assert item is not None
    return item


#: Pictures of the handbook, and how wide they are at most.
PAGES = Path(irvane.core.handbook.__file__).parent / "pages" / "pictures"
_WIDEST = 720


def keep(widget: QWidget, name: str, folder: Path = TARGET, part: QRect | None = None) -> None:
    """Save a widget's picture, or a part of it, well packed: 256 colours of its own are enough to show it."""
    path = folder / f"{name}.png"
    path.parent.mkdir(exist_ok=True)
    widget.grab(widget.rect() if part is None else part).save(str(path))
    with Image.open(path) as image:
        plain = image.convert("RGB")
    palette = plain.quantize(256, method=Image.Quantize.MEDIANCUT)
    packed = plain.quantize(palette=palette, dither=Image.Dither.FLOYDSTEINBERG)
    packed.save(path, optimize=True)
    print(name, path.stat().st_size)


class Photographer:
    """Drives the window and takes its picture once everything is computed."""

    def __init__(self) -> None:
        sys.setswitchinterval(0.001)
        self.app = QApplication([])
        theme.apply(self.app)
        self.window = Window()
        self.window.resize(1280, 800)
        self.window.show()
        #: Names of the pictures that are made anew; empty: all.
        self.wanted = frozenset(sys.argv[1:])

    def settle(self, seconds: float = 300) -> None:
        """Wait until nothing is computed any more."""
        end, quiet = time.monotonic() + seconds, time.monotonic()
        while time.monotonic() < end and time.monotonic() - quiet < 0.8:
            self.app.processEvents()
            time.sleep(0.005)
            if not self.window.service.idle():
                quiet = time.monotonic()

    def take(self, name: str) -> None:
        """Save the window's picture."""
        self.settle()
        self.window.surface.message.set_full("")
        self.app.processEvents()
        if not self.wanted or name in self.wanted:
            keep(self.window, name)
            self._crop(name)

    def _crop(self, name: str) -> None:
        """What the handbook shows of a view."""
        w = self.window
        part: dict[str, tuple[QWidget, QRect]] = {
            "start": (w, QRect(390, 0, _WIDEST, 24)),
            "sheet": (w, QRect(0, 0, _WIDEST, 260)),
            "crop": (w.framing.strip, w.framing.strip.rect()),
            "regions": (w.regions.strip, w.regions.strip.rect()),
            "panes": (w.bench.judgement, w.bench.judgement.rect()),
            **{
                name: (w.shelf, w.shelf.rect()) for name in ("noise", "light", "colour", "acutance", "finish")
            },
        }
        if name in part:
            widget, rect = part[name]
            keep(widget, name, PAGES, QRect(rect.x(), rect.y(), min(_WIDEST, rect.width()), rect.height()))

    def choose(self, name: str) -> None:
        """Show a frame."""
        number = next(i.number for i in self.window.session.items.values() if i.source.name == name)
        self.window.rail.choose(number)
        self.settle()


def judging(p: Photographer) -> None:
    """Views of comparing: panes, difference, loupe, decision, ladder."""
    w, bench = p.window, p.window.bench
    p.choose("bench-iso25600.dng")
    for path, value in (("noise.method", "fast"), ("noise.texture", 40.0)):
        w.proofs.new_proof()
        w.proofs.edit(path, value)
    for _ in range(2):
        bench.change_count(1)
    p.settle()
    w.judging.step_spot(1)
    p.take("panes")
    for _ in range(2):
        bench.change_count(-1)
    bench.show_proof(0, 0)
    bench.show_proof(1, 1)
    bench.set_arrangement("difference")
    bench.set_difference("luminance", 8.0)
    p.take("difference")
    bench.set_arrangement("beside")
    w.decide.begin([chosen(w).number])
    p.take("decide")
    w.decide.hide()
    bench.set_zoom(None)
    w.reporting.ladder([demo_folder() / LADDER_FOLDER])
    while w.reporting.ladder_window is None:
        p.settle(3)
    p.settle(3)
    w.reporting.ladder_window.grab().save(str(TARGET / "ladder.png"))
    w.reporting.ladder_window.close()
    print("ladder")


def contact_sheet(p: Photographer, folder: Path) -> None:
    """The contact sheet with marks, and the queue while it writes."""
    w = p.window
    w.sheeting.toggle()
    numbers = w.sheeting.sheet.visible_items()
    for start, mark, stars in ((0, "keep", 4), (2, None, 3), (4, "reject", None), (7, "keep", 5)):
        w.session.mark(numbers[start : start + 2 - (mark == "reject")], mark, stars)
    p.take("sheet")
    w.sheeting.sheet.list.selectAll()
    w.queueing.runner.journal = Journal(folder / "queue.jsonl")  # not the user's
    w.queueing.put()
    w.queueing.show()
    queue = w.queueing.window
    assert queue is not None
    while queue.telling.share < 0.3:
        p.settle(0.1)
    if not p.wanted or "queue" in p.wanted:
        keep(queue, "queue")
    w.queueing.runner.cancel([e.id for e in w.queueing.runner.entries()])


def main() -> None:
    TARGET.mkdir(parents=True, exist_ok=True)
    make_demo(demo_folder(), progress=lambda share, what: print(f"{share:.0%} {what}") is None)
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name) / "workshop"
        shutil.copytree(demo_folder(), folder, ignore=shutil.ignore_patterns("*.json", "developed"))
        p = Photographer()
        w = p.window
        w.path.show()
        w.opening.open([folder])
        while not any(row.is_heading for row in w.rail.rows.rows):
            p.settle(5)
        p.choose("bench-iso6400.dng")
        p.take("start")
        w.path.hide()
        w.band.toggle("noise")
        w.bench.set_zoom(1.0)
        w.bench.viewport.centre = (0.29, 0.61)
        w.bench.viewport.changed.emit()
        p.take("noise")
        w.bench.set_zoom(2.0)
        w.open_test_strip("noise.amount")
        while len(w.bench.test_strip.crops.images) < len(w.bench.test_strip.values):
            p.settle(5)
        p.take("strip")
        w.bench.strip_rendering.leave()
        w.bench.set_zoom(None)
        w.band.toggle("light")
        for path, value in (("light.exposure", 0.6), ("light.shadows", 1.5), ("light.contrast", 15)):
            w.proofs.edit(path, value)
        w.proofs.new_proof()
        w.proofs.edit("light.contrast", -10)
        w.bench.set_matching(True)
        p.take("light")
        w.bench.set_matching(False)
        w.session.undo.undo()
        w.band.toggle("colour")
        w.proofs.edit_many({"colour.reds": 40.0, "colour.blues": -60.0})
        p.take("colour")
        w.band.toggle("colour")
        judging(p)
        p.choose("window-leaves.dng")
        w.bench.set_arrangement("divided")
        w.band.toggle("acutance")
        w.proofs.edit("acutance.fine", 90)
        w.proofs.edit("acutance.medium", 40)
        w.bench.set_zoom(2.0)
        w.bench.viewport.centre = (0.4, 0.3)
        w.bench.viewport.changed.emit()
        p.take("divided")
        w.bench.set_zoom(None)
        w.bench.set_arrangement("beside")
        p.choose("furnace-3.dng")
        w.band.toggle("sensor")
        w.bench.set_marks(True)
        p.take("sensor")
        w.bench.set_marks(False)
        w.opening.merge(chosen(w).bracket)
        p.settle()
        w.band.toggle("light")
        p.take("merge")
        w.open_test_strip(PRESETS)
        while len(w.bench.test_strip.crops.images) < len(w.bench.test_strip.values):
            p.settle(5)
        p.take("presets")
        w.bench.strip_rendering.leave()
        p.choose("vases-behind.dng")
        w.band.toggle("acutance")
        w.bench.set_zoom(1.0)
        w.bench.viewport.centre = (0.45, 0.45)
        w.bench.viewport.changed.emit()
        w.proofs.edit_many({"acutance.deblur": "defocus", "acutance.radius": 3.0})
        p.take("acutance")
        w.bench.set_zoom(None)
        p.choose("furnace-3.dng")
        w.band.toggle("light")
        w.proofs.edit("light.exposure", 0.8)
        w.regions.toggle()
        w.regions.add("round")
        assert w.regions.overlay is not None
        w.regions.overlay.drawing = ""
        w.regions._shaped(0, (0.36, 0.5, 0.15, 0.24, 0.0, 0.7), True)
        for path, value in (("light.exposure", 2.2), ("light.shadows", 0.6), ("colour.saturation", 90)):
            w.regions.changes.edit(path, value)
        w.regions.choose(0)
        p.take("regions")
        w.regions.leave()
        w.bench.set_zoom(None)
        w.band.toggle("finish")
        p.choose("test-card.dng")
        p.take("finish")
        w.band.toggle("lens")
        w.proofs.edit_many({"lens.straighten": 3.0, "lens.vertical": 4.0})
        w.framing.toggle()
        w.proofs.edit("lens.crop", (14.0, 16.0, 70.0, 62.0))
        w.framing.strip.tools["upright"].click()
        p.take("crop")
        w.framing.leave()
        w.band.toggle("lens")
        contact_sheet(p, folder)
        w.close()


if __name__ == "__main__":
    main()
