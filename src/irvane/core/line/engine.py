"""The engine: does the work that a window's pictures need, piece by piece, and keeps what comes of it.

Everything that shows, measures or compares takes its frames from here. Methods that compute are called from
one worker thread; :meth:`Engine.best` may be called from anywhere.
"""

from __future__ import annotations

import time
from collections.abc import Collection
from dataclasses import replace

import numpy as np

from irvane.core import networks
from irvane.core.line.context import make_context
from irvane.core.line.develop import develop, quick, repaired, to_be_refined
from irvane.core.line.even_place import even_place
from irvane.core.line.executor import made, part_made, part_of
from irvane.core.line.frame import Frame
from irvane.core.line.frames import Frames, Key, key_of
from irvane.core.line.paces import Paces
from irvane.core.line.planner import missing
from irvane.core.line.results import denoised_key
from irvane.core.line.source import MOSAIC as MOSAIC_ENTRY
from irvane.core.line.source import Loaded, Source
from irvane.core.line.tasks import (
    COARSE,
    FAST_PART,
    FULL,
    LASTING,
    LENS,
    PART,
    REFINE,
    REFINED,
    WHOLE,
    Request,
    Task,
)
from irvane.core.memory import trim_heap
from irvane.core.noise.denoise import Removal
from irvane.core.pixels.picture import Picture, tiles_of
from irvane.core.pixels.places import OutputRegion
from irvane.core.progress import Progress, always, part, step
from irvane.core.sensor.exposure import sensor_exposure
from irvane.core.settings import Sensor, Settings
from irvane.core.store.cache import ResultCache

#: Bytes per pixel that a developed frame takes (16 bits in three colours with halved levels, mosaic, clip
#: marks), and a denoised picture beside it.
_DEVELOPED_BYTES, _DENOISED_BYTES = 13, 8
#: Longer side of the copy that the facts of a coarse frame are taken from.
_COARSE_SIDE = 400
#: Share of all work on a frame that reading and developing have; of reading alone.
_DEVELOPED, _READ = 0.1, 0.3


class Engine:
    """Does work on frames, and keeps them.

    Parameters
    ----------
    budget, cache, unseen : see :class:`irvane.core.line.frames.Frames`; denoised pictures are kept on disk in
        `cache`, too.

    Attributes
    ----------
    frames : what is there. paces : how long stages take here; those of noise removal by the names of methods.
    """

    def __init__(
        self,
        budget: int | None = None,
        cache: ResultCache | None = None,
        paces: Paces | None = None,
        unseen: int | None = None,
    ) -> None:
        self.frames = Frames(budget, cache, unseen)
        self._cache = cache
        self.paces = paces or Paces()
        self._loaded: tuple[str, Loaded] | None = None
        # under short names, for those who ask the engine
        self.best, self.pin = self.frames.best, self.frames.pin

    def rest(self) -> None:
        """Nothing was computed for a while: see :meth:`irvane.core.line.frames.Frames.rest`."""
        self._loaded = None
        self.frames.rest()

    def forget(self, content: str) -> None:
        """What was made of a source is not wanted any more: it was closed."""
        self.frames.forget(content)
        if self._loaded is not None and self._loaded[0] == content:
            self._loaded = None
        trim_heap()

    def complete(
        self, source: Source, request: Request, progress: Progress = always, kinds: Collection[str] = LASTING
    ) -> Frame:
        """The frame after all work of these kinds that is missing for what is wanted; with the denoised
        picture that fits it.

        Raises
        ------
        ReadError, MergeError, Cancelled
        """
        frame = self.do(source, Task(FULL, request), part(progress, 0.0, _DEVELOPED))
        done: set[str] = set()
        while True:
            left = [t for t in missing(frame, request) if t.kind in kinds and t.kind not in done]
            if not left:
                return frame.fitting(request.settings)
            done.add(left[0].kind)
            shares = (0.0, _DEVELOPED) if left[0].kind in (LENS, REFINE) else (_DEVELOPED, 1.0)
            frame = self.do(source, left[0], part(progress, *shares))

    def make(
        self,
        source: Source,
        kind: str,
        settings: Settings,
        region: OutputRegion | None = None,
        progress: Progress = always,
    ) -> Frame:
        """The frame after work of one kind, whether the settings ask for it or not."""
        request, removal = Request(settings, region), Removal()
        if kind in (FAST_PART, PART, WHOLE):
            removal = self._full(source, settings.sensor, progress).removal(settings)
        return self.do(source, Task(kind, request, removal), progress)

    def do(self, source: Source, task: Task, progress: Progress = always) -> Frame:
        """The frame after a piece of work (and all that it builds on), which is not done when its result is
        there.

        Raises
        ------
        ReadError, MergeError, Cancelled
        """
        sensor = task.request.settings.sensor
        if task.kind == COARSE:
            return self._coarse(source, sensor, progress)
        if task.kind in LASTING:
            return self._lasting(source, task, progress)
        make = self._with_mosaic if task.takes_mosaic else self._full
        frame = make(source, sensor, progress)
        return self._part(source, task, frame, progress) if task.of_what_is_seen else frame

    def _load(self, source: Source, progress: Progress) -> Loaded:
        if self._loaded is not None and self._loaded[0] == source.key:
            return self._loaded[1]
        self._loaded = None
        began = time.monotonic()
        loaded = source.load(progress)
        h, w = loaded.extent
        count = len(source.paths)
        self.paces.note("read" if count == 1 else "merge", time.monotonic() - began, h * w * count / 1e6)
        trim_heap()
        self._loaded = (source.key, loaded)
        return loaded

    def _coarse(self, source: Source, sensor: Sensor, progress: Progress) -> Frame:
        """A frame straight from the binned mosaic, in a fraction of the time of the full one."""
        ready = self.best(source, sensor)
        if ready is not None:
            return ready
        frame = self.frames.coarse_of(source)
        if frame is None:
            loaded = self._load(source, progress)
            developed = quick(loaded)
            coarse = loaded.entry == MOSAIC_ENTRY
            context = make_context(developed, _COARSE_SIDE) if coarse else make_context(developed)
            frame = Frame(developed, context, coarse)
        self.frames.keep(key_of(source, sensor), frame)
        return frame

    def _full(self, source: Source, sensor: Sensor, progress: Progress) -> Frame:
        """The demosaiced frame at full resolution."""
        ready = self.best(source, sensor)
        if ready is not None and not ready.coarse:
            return ready
        loaded = self._load(source, part(progress, 0.0, _READ))
        step(progress, _READ)
        h, w = loaded.extent
        self.frames.make_room(key_of(source, sensor), h * w * _DEVELOPED_BYTES)
        with self.paces.timing(FULL, loaded.extent):
            developed = self.frames.shared(source, develop(loaded, sensor))
        step(progress, 0.9)
        exposure = None if developed.mosaic is None else sensor_exposure(developed.mosaic)
        context, place = make_context(developed), even_place(developed)
        frame = Frame(developed, context, False, exposure=exposure, even_place=place)
        self.frames.keep(key_of(source, sensor), frame)
        if self.frames.coarse_of(source) is None:  # else the other pane's is developed next
            self._loaded = None
        return frame

    def _with_mosaic(self, source: Source, sensor: Sensor, progress: Progress) -> Frame:
        """The demosaiced frame, holding its mosaic too."""
        frame = self._full(source, sensor, progress)
        if frame.developed.cfa is not None and frame.developed.mosaic is None:
            mosaic, *_ = repaired(self._load(source, progress), sensor)
            frame = replace(frame, developed=replace(frame.developed, mosaic=mosaic))
            self._loaded = None
            self.frames.keep(key_of(source, sensor), frame)
        return frame

    def _lasting(self, source: Source, task: Task, progress: Progress) -> Frame:
        """A frame with its lens measured, its plain picture refined, or with a denoised picture more."""
        sensor = task.request.settings.sensor
        frame = self._full(source, sensor, progress)
        if self._is_there(task, frame):
            return frame
        if task.kind == WHOLE:
            return self._denoised(source, task, frame, progress)
        frame, key = self._with_mosaic(source, sensor, progress), key_of(source, sensor)
        if task.kind == REFINE:
            self._make_room_beside(key, frame)
        step(progress, 0.1)
        with self.paces.timing(task.kind, frame.developed.extent):
            developed, context = made(task, frame.developed, frame.context, progress)
        if task.kind == REFINE:
            developed = self.frames.shared(source, developed)
        frame = replace(frame, developed=developed, context=context)
        self.frames.keep(key, frame)
        return frame

    @staticmethod
    def _is_there(task: Task, frame: Frame) -> bool:
        if task.kind == LENS:
            return frame.context.lens_measured
        if task.kind == REFINE:
            return not to_be_refined(frame.developed, task.request.settings.sensor)
        return task.removal in frame.wholes

    def _make_room_beside(self, key: Key, frame: Frame) -> None:
        h, w = frame.developed.extent
        self.frames.make_room(key, h * w * _DENOISED_BYTES)

    def _denoised(self, source: Source, task: Task, frame: Frame, progress: Progress) -> Frame:
        """A frame with a denoised picture more, from disk when it was made before."""
        sensor, key = task.request.settings.sensor, key_of(source, task.request.settings.sensor)
        self.frames.give_up_other_mosaics(key)
        self._make_room_beside(key, frame)
        # finished pictures are kept with full precision: too large for the disk
        cache = None if frame.developed.finished is not None else self._cache
        name = "" if cache is None else denoised_key(source.key, frame.developed, sensor, task.removal)
        codes = None if cache is None else cache.get(name)
        if codes is not None and codes.dtype == np.int16 and codes.shape == (*frame.developed.extent, 3):
            clean = Picture.from_codes(codes)
        else:
            frame = self._with_mosaic(source, sensor, progress)
            with self.paces.timing(task.removal.kind, frame.developed.extent):
                developed, _ = made(task, frame.developed, frame.context, progress)
            assert developed.denoised is not None
            clean = developed.denoised
            networks.release()
            if cache is not None:
                cache.put(name, clean.codes)
        # parts that were denoised for what is seen are of no use beside the whole
        parts = {place: patch for place, patch in frame.patches.items() if place[0] != task.removal}
        views = {place: patch for place, patch in frame.reduced.items() if place[0] != task.removal}
        frame = replace(frame, wholes={**frame.wholes, task.removal: clean}, patches=parts, reduced=views)
        self.frames.keep(key, frame)
        networks.release()
        trim_heap()
        return frame

    def _part(self, source: Source, task: Task, frame: Frame, progress: Progress) -> Frame:
        """A frame with the pixels behind what is seen denoised or refined (with the margin that views
        need)."""
        step(progress, 0.0)
        patch, outer = part_made(task, frame, progress), part_of(task, frame)
        if task.kind == REFINED:
            developed = replace(frame.developed, plain=frame.developed.plain.overlaid(patch))
            frame = replace(frame, developed=developed, seen={*frame.seen, *tiles_of(outer)})
            self.frames.keep(key_of(source, task.request.settings.sensor), frame)
        elif outer.step > 1:
            frame.reduced = {**self.frames.still_seen(frame.reduced), (task.removal, outer): patch}
        else:
            removal = task.removal_of_part
            frame.patches = {**self.frames.still_seen(frame.patches), (removal, outer): patch}
        return frame
