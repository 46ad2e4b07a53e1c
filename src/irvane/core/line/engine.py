"""The engine: developed frames within a memory budget, made in the order coarse, full, denoised.

Everything that shows, measures or compares takes its frames from here. Methods that compute are called from one
worker thread; :meth:`Engine.best` may be called from anywhere.
"""

from __future__ import annotations

import threading
import time
from collections import OrderedDict
from collections.abc import Iterable
from dataclasses import replace

import numpy as np

from irvane.core import networks
from irvane.core.files.cache import ResultCache
from irvane.core.line.context import make_context, with_lens_measured
from irvane.core.line.develop import (
    Developed,
    denoise_whole,
    develop,
    quick,
    refine_plain,
    repaired,
    to_be_refined,
)
from irvane.core.line.frame import Frame, PartKey
from irvane.core.line.paces import Paces
from irvane.core.line.picture import Patch, Picture, tiles_of, whole_tiles
from irvane.core.line.regional import denoise_region, denoise_view, refine_region
from irvane.core.line.results import denoised_key
from irvane.core.line.source import MOSAIC, Loaded, Source
from irvane.core.line.steps import developing
from irvane.core.memory import budgets, trim_heap
from irvane.core.noise.denoise import FAST, Removal
from irvane.core.places import OutputRegion, Region
from irvane.core.progress import Progress, always, part, step
from irvane.core.sensor.exposure import sensor_exposure
from irvane.core.settings import Sensor, Settings

#: Content of the source, and the settings that its developed form depends on.
Key = tuple[str, Sensor]

#: Bytes that frames hold at rest before plain pictures go to disk.
_AT_REST = 450_000_000
#: Parts of a frame that were denoised for what is seen, kept beside the newest: two for each of six panes.
_PARTS = 11
#: Bytes per pixel that a developed frame takes (16 bits in three colours with halved levels, mosaic, clip marks), and a
#: denoised picture beside it.
_DEVELOPED_BYTES, _DENOISED_BYTES = 13, 8
#: Longer side of the copy that the facts of a coarse frame are taken from.
_COARSE_SIDE = 400


class Engine:
    """Developed frames, least recently used ones dropped when the budget is exceeded.

    Parameters
    ----------
    budget : bytes that frames may take together; None: as the machine has it. unseen : bytes of those that no pane shows.

    Attributes
    ----------
    paces : how long stages take here; those of noise removal by the names of methods.
    """

    def __init__(
        self,
        budget: int | None = None,
        cache: ResultCache | None = None,
        paces: Paces | None = None,
        unseen: int | None = None,
    ) -> None:
        self._budget, self._cache = budgets()[0] if budget is None else budget, cache
        self._unseen = self._budget if unseen is None else unseen
        self.paces = paces or Paces()
        self._frames: OrderedDict[Key, Frame] = OrderedDict()
        self._loaded: tuple[str, Loaded] | None = None
        self._pinned: set[Key] = set()
        self._wanted: set[Removal] = set()
        self._seen: set[Region] = set()
        self._lock = threading.Lock()

    @staticmethod
    def _key(source: Source, sensor: Sensor) -> Key:
        return source.key, developing(sensor)

    def best(self, source: Source, sensor: Sensor) -> Frame | None:
        """The best form that is there now, without computing anything."""
        with self._lock:
            key = self._key(source, sensor)
            if key in self._frames:
                self._frames.move_to_end(key)
            return self._frames.get(key)

    def pin(
        self,
        shown: Iterable[tuple[Source, Sensor]],
        removals: Iterable[Removal] = (),
        regions: Iterable[Region] = (),
    ) -> None:
        """Frames that are shown now are never dropped, nor pictures that were denoised in these ways, nor parts of them that
        hold these regions."""
        # who asks may ask the engine for more: not while it is held
        wanted, seen = set(removals), set(regions)
        pinned = {self._key(source, sensor) for source, sensor in shown}
        with self._lock:
            self._wanted, self._seen, self._pinned = wanted, seen, pinned

    @property
    def nbytes(self) -> int:
        """Memory that the frames occupy."""
        with self._lock:
            return sum(frame.nbytes for frame in self._frames.values())

    def _keep(self, key: Key, frame: Frame) -> None:
        with self._lock:
            self._frames[key] = frame
            self._frames.move_to_end(key)
        self._make_room(key, 0)

    def _make_room(self, key: Key, needed: int) -> None:
        """Give up what is least wanted until so many bytes more fit into the budget; the frame `key` itself stays."""
        # freed after the lock: that takes a while, and the window's thread may wait for it
        gone: list[object] = []
        with self._lock:
            total = needed + sum(f.nbytes for f in self._frames.values())
            for other in list(self._frames):  # mosaics first: they are made again in a second
                one = self._frames[other]
                if total > self._budget and other != key and one.developed.mosaic is not None:
                    total -= one.developed.mosaic.data.nbytes
                    gone.append(one.developed)
                    self._frames[other] = replace(one, developed=replace(one.developed, mosaic=None))
            for one in self._frames.values():  # then denoised pictures that no pane shows
                for removal in [r for r in one.wholes if r not in self._wanted]:
                    if total > self._budget:
                        total -= one.wholes[removal].nbytes
                        gone.append(one.wholes.pop(removal))
            unseen = sum(f.nbytes for k, f in self._frames.items() if k != key and k not in self._pinned)
            for other in list(self._frames):
                if total <= self._budget and unseen <= self._unseen:
                    break
                if other != key and other not in self._pinned:
                    size = self._frames[other].nbytes
                    total, unseen = total - size, unseen - size
                    gone.append(self._frames.pop(other))
            shown = [p for f in self._frames.values() for p in (f.developed.plain, *f.wholes.values())]
        while gone:
            gone.pop()
        for picture in shown:  # the rest is seen: full resolution waits on disk
            if total <= self._budget or self._cache is None:
                break
            before = picture.nbytes
            if picture.page(self._cache.folder):
                total -= before - picture.nbytes

    def _give_up_other_mosaics(self, key: Key) -> None:
        """Of frames that are not worked on, before much is needed for one that is."""
        gone: list[object] = []
        with self._lock:
            for other, one in self._frames.items():
                if other != key and not one.coarse and one.developed.mosaic is not None:
                    gone.append(one.developed)
                    self._frames[other] = replace(one, developed=replace(one.developed, mosaic=None))
        gone.clear()

    def rest(self) -> None:
        """Nothing was computed for a while: mosaics are given up, which are read again in a second when they are needed, and of frames
        that are denoised the plain pictures wait on disk, as long as much is held."""
        self._give_up_other_mosaics(("", Sensor()))
        with self._lock:
            self._loaded = None
            plain = [frame.developed.plain for frame in self._frames.values() if frame.wholes]
        for picture in plain:
            if self._cache is not None and self.nbytes > _AT_REST:
                picture.page(self._cache.folder)

    def forget(self, content: str) -> None:
        """What was made of a source is not wanted any more: it was closed."""
        with self._lock:
            gone = [self._frames.pop(key) for key in list(self._frames) if key[0] == content]
            if self._loaded is not None and self._loaded[0] == content:
                self._loaded = None
        del gone
        trim_heap()

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

    def coarse(self, source: Source, sensor: Sensor, progress: Progress = always) -> Frame:
        """A frame straight from the binned mosaic, in a fraction of the time of the full one.

        Raises
        ------
        ReadError, MergeError, Cancelled
        """
        ready = self.best(source, sensor)
        if ready is not None:
            return ready
        shared = self._coarse_of(source)
        if shared is not None:
            self._keep(self._key(source, sensor), shared)
            return shared
        loaded = self._load(source, progress)
        developed = quick(loaded)
        coarse = loaded.entry == MOSAIC
        context = make_context(developed, _COARSE_SIDE) if coarse else make_context(developed)
        frame = Frame(developed, context, coarse)
        self._keep(self._key(source, sensor), frame)
        return frame

    def _coarse_of(self, source: Source) -> Frame | None:
        """A coarse frame of the source made for other settings of the sensor: it does not depend on them."""
        content = source.key
        with self._lock:
            return next((f for key, f in self._frames.items() if key[0] == content and f.coarse), None)

    def full(self, source: Source, sensor: Sensor, progress: Progress = always) -> Frame:
        """The demosaiced frame at full resolution.

        Raises
        ------
        ReadError, MergeError, Cancelled
        """
        ready = self.best(source, sensor)
        if ready is not None and not ready.coarse:
            return ready
        loaded = self._load(source, part(progress, 0.0, 0.3))
        step(progress, 0.3)
        h, w = loaded.extent
        self._make_room(self._key(source, sensor), h * w * _DEVELOPED_BYTES)
        with self.paces.timing("full", loaded.extent):
            developed = self._shared(source, develop(loaded, sensor))
        step(progress, 0.9)
        exposure = None if developed.mosaic is None else sensor_exposure(developed.mosaic)
        frame = Frame(developed, make_context(developed), False, exposure=exposure)
        self._keep(self._key(source, sensor), frame)
        if self._coarse_of(source) is None:  # else the other pane's is developed next
            self._loaded = None
        return frame

    def _shared(self, source: Source, developed: Developed) -> Developed:
        """Keep once what is the same under other settings of the sensor: most pixels, and what clips there."""
        content = source.key
        with self._lock:
            others = [f.developed for key, f in self._frames.items() if key[0] == content and not f.coarse]
        for other in others:
            if other.plain is not developed.plain and other.refined == developed.refined:
                plain = developed.plain.sharing(other.plain)
                developed = replace(developed, plain=plain, clipped=other.clipped)
        return developed

    def with_mosaic(self, source: Source, sensor: Sensor, progress: Progress = always) -> Frame:
        """The demosaiced frame, holding its mosaic too."""
        frame = self.full(source, sensor, progress)
        if frame.developed.cfa is not None and frame.developed.mosaic is None:
            mosaic, *_ = repaired(self._load(source, progress), sensor)
            frame = replace(frame, developed=replace(frame.developed, mosaic=mosaic))
            self._loaded = None
            self._keep(self._key(source, sensor), frame)
        return frame

    def refine(self, source: Source, sensor: Sensor, progress: Progress = always) -> Frame:
        """The frame with its plain picture refined."""
        frame = self.full(source, sensor)
        if not to_be_refined(frame.developed, sensor):
            return frame
        frame = self.with_mosaic(source, sensor)
        h, w = frame.developed.extent
        self._make_room(self._key(source, sensor), h * w * _DENOISED_BYTES)
        with self.paces.timing("refine", frame.developed.extent):
            developed = self._shared(source, refine_plain(frame.developed, sensor, progress))
        fresh = replace(frame, developed=developed)
        self._keep(self._key(source, sensor), fresh)
        return fresh

    def measure_lens(self, source: Source, sensor: Sensor, progress: Progress = always) -> Frame:
        """The frame with the errors of its lens measured."""
        frame = self.with_mosaic(source, sensor, progress)
        if frame.context.lens_measured:
            return frame
        step(progress, 0.1)
        with self.paces.timing("lens", frame.developed.extent):
            fresh = replace(frame, context=with_lens_measured(frame.developed, frame.context))
        self._keep(self._key(source, sensor), fresh)
        return fresh

    def denoise(self, source: Source, settings: Settings, progress: Progress = always) -> Frame:
        """The frame with all that the proof's whole picture is made of: refined, and denoised as the settings ask for it."""
        frame = self.refine(source, settings.sensor, part(progress, 0.0, 0.1))
        plan = frame.plan(settings)
        if plan.measures_lens:
            frame = self.measure_lens(source, settings.sensor)
        if not plan.removal.strength:
            return frame.fitting(settings)
        removal = plan.removal
        self._give_up_other_mosaics(self._key(source, settings.sensor))
        h, w = frame.developed.extent
        self._make_room(self._key(source, settings.sensor), h * w * _DENOISED_BYTES)
        clean = self._denoised(source, frame.developed, settings.sensor, removal, progress)
        # parts that were denoised for what is seen are of no use beside the whole
        parts = {place: patch for place, patch in frame.patches.items() if place[0] != removal}
        views = {place: patch for place, patch in frame.reduced.items() if place[0] != removal}
        fresh = replace(frame, wholes={**frame.wholes, removal: clean}, patches=parts, reduced=views)
        self._keep(self._key(source, settings.sensor), fresh)
        networks.release()
        trim_heap()
        return fresh.fitting(settings)

    def _denoised(
        self, source: Source, developed: Developed, sensor: Sensor, removal: Removal, progress: Progress
    ) -> Picture:
        """The whole denoised picture, from disk when it was made before."""
        if self._cache is None or developed.finished is not None:
            # finished pictures are kept with full precision: too large for the disk
            return self._timed(self.with_mosaic(source, sensor).developed, sensor, removal, progress)
        key = denoised_key(source.key, developed, sensor, removal)
        codes = self._cache.get(key)
        if codes is not None and codes.dtype == np.int16 and codes.shape == (*developed.extent, 3):
            return Picture.from_codes(codes)
        picture = self._timed(self.with_mosaic(source, sensor).developed, sensor, removal, progress)
        networks.release()
        self._cache.put(key, picture.codes)
        return picture

    def _timed(self, developed: Developed, sensor: Sensor, removal: Removal, progress: Progress) -> Picture:
        with self.paces.timing(removal.kind, developed.extent):
            return denoise_whole(developed, sensor, removal, progress)

    def denoise_local(
        self, source: Source, settings: Settings, region: OutputRegion, progress: Progress = always
    ) -> Frame:
        """The frame with the denoised pixels behind a region of the output at 1:1 (with the margin that views need)."""
        frame = self.with_mosaic(source, settings.sensor)
        outer = frame.part(settings, region)
        removal = frame.removal(settings)
        step(progress, 0.0)
        patch = denoise_region(frame.developed, settings.sensor, removal, outer, progress)
        frame.patches = {**self._still_seen(frame.patches), (removal, outer): patch}
        return frame

    def _still_seen(self, made: dict[PartKey, Patch]) -> dict[PartKey, Patch]:
        """Denoised parts that a pane shows now: were one pane's to push out another's, they would take turns for ever."""
        kin = {*self._wanted, *(replace(r, kind=FAST) for r in self._wanted)}
        seen = self._seen
        kept = [
            ((removal, place), patch)
            for (removal, place), patch in made.items()
            if removal in kin and any(place.step == one.step and place.holds(one) for one in seen)
        ]
        return dict(kept[-_PARTS:])

    def denoise_view(
        self, source: Source, settings: Settings, region: OutputRegion, progress: Progress = always
    ) -> Frame:
        """The frame with what is seen of it at a reduced scale denoised by itself."""
        frame = self.full(source, settings.sensor)
        outer, removal = frame.part(settings, region), frame.removal(settings)
        step(progress, 0.0)
        patch = denoise_view(frame.developed, removal, outer)
        frame.reduced = {**self._still_seen(frame.reduced), (removal, outer): patch}
        return frame

    def refine_local(
        self, source: Source, settings: Settings, region: OutputRegion, progress: Progress = always
    ) -> Frame:
        """The frame with the plain pixels behind a region of the output refined at 1:1 (with the margin that views need)."""
        frame = self.with_mosaic(source, settings.sensor)
        outer = whole_tiles(frame.part(settings, region), frame.developed.extent)
        step(progress, 0.0)
        patch = refine_region(frame.developed, settings.sensor, outer)
        plain = frame.developed.plain.overlaid(patch)
        frame = replace(
            frame, developed=replace(frame.developed, plain=plain), seen={*frame.seen, *tiles_of(outer)}
        )
        self._keep(self._key(source, settings.sensor), frame)
        return frame
