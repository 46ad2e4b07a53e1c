"""Smaller work for what is seen: brightness matching, differences, the loupe's place, judging spots, the grey
spot."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from PySide6.QtCore import QObject, Signal

from irvane.core.errors import IrvaneError
from irvane.core.image import GREEN
from irvane.core.judge.alignment import Between, Mapping, between, find_mapping
from irvane.core.judge.difference import DifferenceFigures
from irvane.core.judge.differing import render_difference
from irvane.core.judge.equal_noise import as_noisy, equal_noise
from irvane.core.judge.matching import Match, match
from irvane.core.judge.spot import grey_of_frame, grey_spot
from irvane.core.judge.spots import find_spots
from irvane.core.lens.fringing import picked_hue
from irvane.core.line.engine import Engine
from irvane.core.line.jobs import Worker
from irvane.core.line.looks import render_look
from irvane.core.line.source import Source
from irvane.core.line.view import Rendered, scene_patch
from irvane.core.pixels.places import FrameRegion, OutputRegion
from irvane.core.progress import Progress, step
from irvane.desktop.view_request import ViewRequest

_MATCH_SIDE = 500
_SPOTS_SIDE = 1600
_ALIGN_SIDE = 1200
#: Frame pixels around a place that a fringe's hue is taken from.
_FRINGE = 12


class Comparison(QObject):
    """Asks the worker of the views.

    Signals
    -------
    matched(pane, Match), noise_matched(pane, amount or None, noise or None), picked(settings values or None,
    sentence) : the grey spot. differed(request, request, (Rendered, figures) or None) : the difference of two
    views. peeked(pane, request, Rendered) : the loupe's place. spotted(request, spots) : judging spots of a
    picture. aligned(request, request, Mapping or None) : the second on the first.
    """

    matched = Signal(int, object)
    noise_matched = Signal(int, object, object)
    differed = Signal(object, object, object)
    peeked = Signal(int, object, object)
    spotted = Signal(object, object)
    aligned = Signal(object, object, object)
    picked = Signal(object, str)

    def __init__(
        self,
        engine: Engine,
        view: Worker,
        tell: Callable[[Source], Callable[[IrvaneError], None]],
        parent: QObject,
    ) -> None:
        super().__init__(parent)
        self.engine, self._view, self._tell = engine, view, tell
        self._noise: dict[int, tuple[Any, ...]] = {}

    def forget(self) -> None:
        """A source was closed."""
        self._noise.clear()

    def match(self, pane: int, reference: ViewRequest, other: ViewRequest, kinds: frozenset[str]) -> None:
        """Find what makes `other` equal to `reference` in these respects."""
        frames = [self.engine.best(request.source, request.settings.sensor) for request in (reference, other)]
        if frames[0] is None or frames[1] is None:
            return

        def work(_progress: Any) -> Match:
            patches = []
            for request, frame in zip((reference, other), frames, strict=True):
                assert frame is not None
                h, w = frame.geometry(request.settings).output
                whole = OutputRegion(0, 0, h, w, max(1.0, max(h, w) / _MATCH_SIDE))
                usable = frame.fitting(request.settings)
                patches.append(scene_patch(usable.developed, request.settings, usable.context, whole).pixels)
            return match(patches[0], patches[1], kinds)

        self._view.submit(
            ("match", pane), work, lambda found: self.matched.emit(pane, found), self._tell(other.source), 0
        )

    def match_noise(self, pane: int, reference: ViewRequest, other: ViewRequest) -> None:
        """Find the amount of noise removal at which `other` is as noisy as `reference`; asks again once it
        can be removed."""
        frames = [self.engine.best(request.source, request.settings.sensor) for request in (reference, other)]
        first, second = frames
        if first is None or second is None or first.coarse or second.coarse:
            return
        key = (
            reference.source.key,
            reference.settings,
            other.source.key,
            other.settings,
            id(first),
            id(second),
        )
        if self._noise.get(pane, (None,))[0] == key:
            self.noise_matched.emit(pane, *self._noise[pane][1:])
            return

        def work(progress: Progress) -> tuple[float | None, float | None]:
            return equal_noise(
                as_noisy(first, reference.settings), second, other.settings, progress, first.developed.extent
            )

        def done(found: tuple[float | None, float | None]) -> None:
            self._noise[pane] = (key, *found)
            self.noise_matched.emit(pane, *found)

        self._view.submit(("equal noise", pane), work, done, self._tell(other.source), 4)

    def difference(
        self,
        one: ViewRequest,
        two: ViewRequest,
        kind: str,
        amplified: float,
        mapping: Mapping | Between | None = None,
    ) -> None:
        """The difference of what two panes show, second minus first."""
        frames = [self.engine.best(request.source, request.settings.sensor) for request in (one, two)]
        if frames[0] is None or frames[1] is None or frames[0].coarse or frames[1].coarse:
            return

        def work(progress: Progress) -> tuple[Rendered, DifferenceFigures | None] | None:
            def shown(picture: Rendered) -> None:
                self.differed.emit(one, two, (picture, None))
                step(progress, 0.3)  # the figures of what is not looked at any more are not needed

            usable = [f.fitting(w.settings) for f, w in zip(frames, (one, two), strict=True) if f is not None]
            geometries = [f.geometry(w.settings) for f, w in zip(usable, (one, two), strict=True)]
            how = mapping if two.source.key != one.source.key else between(geometries[0], geometries[1])
            if how is None and geometries[0].output != geometries[1].output:
                return None
            views = [
                (f.developed, w.settings, f.context, f.clean(w.settings, one.region), w.offset)
                for f, w in zip(usable, (one, two), strict=True)
            ]
            return render_difference(views[0], views[1], one.region, kind, amplified, how, shown)

        self._view.submit(
            ("difference",), work, lambda made: self.differed.emit(one, two, made), self._tell(two.source), 1
        )

    def align(self, one: ViewRequest, two: ViewRequest) -> None:
        """Find how the frame of `two` lies on that of `one`; None while one of them is not developed."""
        frames = [self.engine.best(request.source, request.settings.sensor) for request in (one, two)]
        first, second = frames
        if first is None or second is None or first.coarse or second.coarse:
            self.aligned.emit(one, two, None)
            return

        def work(_progress: Any) -> Mapping:
            light = []
            for frame in (first, second):
                patch = frame.developed.plain.whole(_ALIGN_SIDE)
                light.append(np.ascontiguousarray(patch.pixels[..., GREEN]))
            return find_mapping(light[0], light[1], first.developed.extent, second.developed.extent)

        self._view.submit(
            ("align", one.source.key, two.source.key), work, lambda found: self.aligned.emit(one, two, found),
            self._tell(two.source), 4,
        )  # fmt: skip

    def peek(self, pane: int, request: ViewRequest) -> None:
        """Render the place under the loupe, from what is there."""
        frame = self.engine.best(request.source, request.settings.sensor)
        if frame is None:
            return

        def work(_progress: Any) -> Rendered:
            usable = frame.fitting(request.settings)
            made = render_look(
                request.look, usable.developed, request.settings, usable.context, request.region,
                usable.clean(request.settings, request.region), request.offset,
            )  # fmt: skip
            return request.on_medium(made)

        self._view.submit(
            ("peek", pane), work, lambda made: self.peeked.emit(pane, request, made),
            self._tell(request.source), 0,
            let_finish=True,
        )  # fmt: skip

    def find_spots(self, request: ViewRequest) -> None:
        """Find judging spots of a picture; none while it is not developed."""
        frame = self.engine.best(request.source, request.settings.sensor)
        if frame is None or frame.coarse:
            self.spotted.emit(request, [])
            return

        def work(_progress: Any) -> Any:
            h, w = frame.geometry(request.settings).output
            whole = OutputRegion(0, 0, h, w, max(1.0, max(h, w) / _SPOTS_SIDE))
            usable = frame.fitting(request.settings)
            patch = scene_patch(usable.developed, request.settings, usable.context, whole)
            return find_spots(patch.pixels, patch.step)

        self._view.submit(
            ("spots",), work, lambda found: self.spotted.emit(request, found), self._tell(request.source), 3
        )

    def pick_fringe(self, request: ViewRequest, spot: tuple[float, float]) -> None:
        """Hue of the fringe at a place of the output."""
        frame = self.engine.best(request.source, request.settings.sensor)
        if frame is None or frame.coarse:
            self.picked.emit(None, "The frame is not developed yet; try again in a moment.")
            return

        def work(_progress: Any) -> tuple[dict[str, float] | None, str]:
            x, y = np.nan_to_num(frame.geometry(request.settings).to_frame(np.array([spot]))[0])
            h, w = frame.developed.extent
            top, left = (int(np.clip(v - _FRINGE, 0, side - 2 * _FRINGE)) for v, side in ((y, h), (x, w)))
            place = FrameRegion(top, left, top + 2 * _FRINGE, left + 2 * _FRINGE)
            hue = picked_hue(frame.developed.plain.read(place).pixels, frame.developed.gains)
            if hue is None:
                return None, "Nothing is coloured here; click on a coloured fringe."
            return {
                "lens.fringe_hue": hue
            }, f"Fringes of the hue {hue:.0f}° are taken away, as strongly as is set."

        self._view.submit(
            ("pick",), work, lambda found: self.picked.emit(*found), self._tell(request.source), 0
        )

    def pick_grey(self, request: ViewRequest, spot: tuple[float, float] | None) -> None:
        """White balance that makes a spot neutral, or the frame as a whole."""
        frame = self.engine.best(request.source, request.settings.sensor)
        if frame is None or frame.coarse:
            self.picked.emit(None, "The frame is not developed yet; try again in a moment.")
            return

        def work(_progress: Any) -> Any:
            if spot is None:
                return grey_of_frame(frame.developed)
            x, y = frame.geometry(request.settings).to_frame(np.array([spot]))[0]
            return grey_spot(frame.developed, float(np.nan_to_num(x)), float(np.nan_to_num(y)))

        self._view.submit(
            ("pick",),
            work,
            lambda found: self.picked.emit(*found),
            self._tell(request.source),
            0,
        )
