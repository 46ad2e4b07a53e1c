"""A hand that does anything to a window, in any order, on frames so small that hundreds of sequences can be tried."""

from __future__ import annotations

import gc
import shutil
import time
from pathlib import Path
from unittest.mock import patch

from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, initialize, precondition, rule
from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QApplication

from irvane.core.line import deblurring
from irvane.core.line.looks import LOOKS
from irvane.core.line.merge_options import MergeOptions
from irvane.core.line.merging import MergeSource
from irvane.core.merge.kinds import HDR
from irvane.core.settings import Choice, Number, spec
from irvane.desktop import filework, service, theme
from irvane.desktop.window import Window

from .belonging import foreign_when_still
from .oracle import wrong
from .stepped import Steps

FRAMES = Path(__file__).parents[1] / "golden" / "frames"
#: Frames by name: a raw that is deblurred and denoised, one of the other array, a finished picture, a bracket.
NAMES = ("lamp.dng", "leaves.dng", "photo.jpg", "turned.dng")
BRACKET = ("still-1.dng", "still-2.dng", "still-3.dng")
#: Settings of every station, by their full names.
SETTINGS = (
    "sensor.defects", "sensor.demosaic", "sensor.false_colour", "sensor.highlights", "sensor.banding",
    "noise.amount", "noise.method", "noise.luminance", "noise.texture", "noise.shadows", "noise.grain", "noise.clear_black",
    "light.exposure", "light.shadows", "light.highlights", "light.contrast", "light.tone_map", "light.white",
    "colour.temperature", "colour.saturation",
    "lens.straighten", "lens.turn", "lens.mirror", "lens.vertical", "lens.fringing", "lens.distortion",
    "acutance.automatic", "acutance.fine", "acutance.deblur", "acutance.deblur_strength",
)  # fmt: skip
CROPS = ("auto", "10,10,60,70", "0,0,100,100", "35,5,50,50")
ZOOMS = (None, 1.0, 2.0)
#: Seconds within which a window is at rest.
_REST = 60.0


class Hand(RuleBasedStateMachine):
    """Drives one window; `folder` and `stepped` are set by whoever runs it."""

    folder = Path()
    #: Work goes on by single steps of a seeded order; else in its own threads.
    stepped = True

    @initialize(seed=st.integers(0, 2**16), small=st.booleans())
    def start(self, seed: int, small: bool) -> None:
        self.here = Path(self.folder) / f"{time.monotonic_ns()}"
        self.here.mkdir()
        for name in (*NAMES, *BRACKET):
            shutil.copy(FRAMES / name, self.here / name)
        self.steps = Steps(seed)
        self._patches = (
            [patch.object(deblurring, "TILE", 96), patch.object(deblurring, "_PITCH", 64)] if small else []
        )
        if self.stepped:
            self._patches += [patch.object(m, "Worker", self.steps.worker) for m in (service, filework)]
        for one in self._patches:
            one.start()
        theme.apply(QApplication.instance())
        self.window = Window()
        for one in self._patches[-2:] if self.stepped else ():
            one.stop()
        self.window.resize(1000, 640)
        self.window.show()
        self.window.opening.open([self.here / name for name in NAMES])
        self.settle()

    # time

    def turn(self, steps: int = 3) -> None:
        """The window reacts, and work goes a little way."""
        app = QApplication.instance()
        for _ in range(steps):
            app.processEvents()
            if self.stepped:
                self.steps.step()
        app.processEvents()

    def settle(self) -> None:
        """Until nothing is computed and no timer waits."""
        app, end, quiet = QApplication.instance(), time.monotonic() + _REST, 0
        while quiet < 3:
            assert time.monotonic() < end, f"the window does not come to rest: {self._busy()}"
            app.processEvents()
            worked = self.steps.step() if self.stepped else not self.window.service.idle()
            if worked:
                quiet = 0
                continue
            due = [
                t
                for t in self.window.findChildren(QTimer)
                if t.isActive() and t.isSingleShot() and t.interval() < 1000
            ]
            for timer in due:
                timer.stop()
                timer.timeout.emit()
            quiet = 0 if due else quiet + 1

    def _busy(self) -> list[str]:
        """What is still going on, for the sentence of a failure."""
        jobs = [
            f"{w._thread.name}: {[j.key for j in (*w._running, *w._waiting)]}"
            for w in self.steps.workers
            if not w.idle()
        ]
        timers = [t for t in self.window.findChildren(QTimer) if t.isActive() and t.isSingleShot()]
        return jobs + [f"timer of {t.parent()}, {t.interval()} ms" for t in timers]

    # what a hand does

    @rule(name=st.sampled_from(NAMES))
    def choose(self, name: str) -> None:
        number = self._number(name)
        if number is not None:
            self.window.rail.choose(number)
        self.turn()

    @rule(path=st.sampled_from(SETTINGS), share=st.floats(0, 1))
    def set(self, path: str, share: float) -> None:
        declared = spec(path)
        if isinstance(declared, Choice):
            value: object = declared.options[int(share * (len(declared.options) - 1) + 0.5)][0]
        else:
            assert isinstance(declared, Number)
            value = round(declared.low + share * (declared.high - declared.low), declared.decimals)
        self.window.proofs.edit(path, value)
        self.turn()

    @rule(crop=st.sampled_from(CROPS))
    def crop(self, crop: str) -> None:
        self.window.proofs.edit("lens.crop", crop)
        self.turn()

    @rule(zoom=st.sampled_from(ZOOMS))
    def zoom(self, zoom: float | None) -> None:
        self.window.bench.set_zoom(zoom)
        self.turn()

    @rule(x=st.integers(-80, 80), y=st.integers(-80, 80))
    def pan(self, x: int, y: int) -> None:
        bench = self.window.bench
        view = bench.view_of(bench.chosen)
        bench.viewport.pan(x, y, view.extent, view.device_size())
        self.turn()

    @rule(look=st.sampled_from(sorted(LOOKS)))
    def look(self, look: str) -> None:
        self.window.bench.set_look(look)
        self.turn()

    @rule(x=st.floats(0, 1), y=st.floats(0, 1))
    def probe(self, x: float, y: float) -> None:
        h, w = self.window.bench.contents[0].extent
        self.window.bench.move_probe(x * w, y * h)
        self.turn()

    @rule(
        name=st.sampled_from(
            ("undo", "redo", "bare", "new_proof", "previous_proof", "next_proof", "remove_proof", "reset", "more_panes",
             "fewer_panes", "pane", "swap", "arrange", "divide", "difference", "match", "align", "marks", "keep", "reject",
             "before", "free", "turn_left", "mirror", "next_spot", "frame_it", "suggest", "region_switch")
        )
    )  # fmt: skip
    def command(self, name: str) -> None:
        self.window.surface.commands.by_name[name].trigger()
        self.turn()

    @rule(kind=st.sampled_from(("linear", "round", "tone")), exposure=st.floats(-2, 2))
    def region(self, kind: str, exposure: float) -> None:
        regions = self.window.regions
        if regions.overlay is None:
            regions.toggle()
        if regions.overlay is None:
            return
        regions.add(kind)
        if regions.region() is not None:
            regions.changes.edit("light.exposure", round(exposure, 2))
        self.turn()

    @rule(path=st.sampled_from(("light.exposure", "noise.amount", "lens.straighten")))
    def strip(self, path: str) -> None:
        self.window.open_test_strip(path)
        self.turn(6)
        self.window.bench.strip_rendering.leave()
        self.turn()

    @rule(name=st.sampled_from(NAMES))
    def close(self, name: str) -> None:
        if len(self.window.session.items) > 2:
            self.choose(name)
            self.window.close_item()
        self.turn()

    @rule(name=st.sampled_from(NAMES))
    def open(self, name: str) -> None:
        self.window.opening.open([self.here / name])
        self.turn(6)

    @rule(name=st.sampled_from(NAMES), other=st.sampled_from(NAMES))
    def replace_file(self, name: str, other: str) -> None:
        """Another picture under the same name; it is closed and opened again, as the window asks for it."""
        number = self._number(name)
        if number is None or len(self.window.session.items) < 2 or Path(name).suffix != Path(other).suffix:
            return
        self.window.rail.choose(number)
        self.turn()
        self.window.close_item()
        shutil.copy(FRAMES / other, self.here / name)
        self.window.opening.open([self.here / name])
        self.turn(6)

    @rule()
    def rest(self) -> None:
        """Nothing was computed for a while: what can be made again is given up."""
        self.window.service._tidy()
        self.turn()

    @precondition(
        lambda self: not any(isinstance(i.source, MergeSource) for i in self.window.session.items.values())
    )
    @rule()
    def merge(self) -> None:
        self.window.opening.add_merge(MergeSource([self.here / name for name in BRACKET], MergeOptions(HDR)))
        self.turn(6)
        self.window.rail.choose(max(self.window.session.items))
        self.turn(6)

    @rule()
    def look_closely(self) -> None:
        """Come to rest; everything that is shown is as it would be made from nothing."""
        self.settle()
        self.check()

    def check(self) -> None:
        if self.window.bench.test_strip.isVisible():
            return
        found = foreign_when_still(self.window) + wrong(self.window)
        assert not found, "; ".join(found[:4])

    def teardown(self) -> None:
        if not hasattr(self, "window"):
            return
        window = self.window
        try:
            self.settle()
            self.check()
        finally:
            self.steps.end()
            window.writing.cancel()
            window.service.files._unsaved.clear()
            window.close()
            window.service._seen.clear()
            window.service.engine.frames._frames.clear()
            for content in window.bench.contents:
                content.current = content.backdrop = content.loupe = None
            window.deleteLater()
            for one in self._patches[: -2 if self.stepped else None]:
                one.stop()
            shutil.rmtree(self.here, ignore_errors=True)
            gc.collect()

    def _number(self, name: str) -> int | None:
        return next((i.number for i in self.window.session.items.values() if i.source.name == name), None)
