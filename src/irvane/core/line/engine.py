"""The engine: developed frames within a memory budget, made in the order coarse, full, denoised.

Everything that shows, measures or compares takes its frames from here. Methods that compute are called from one
worker thread; :meth:`Engine.best` may be called from anywhere.
"""

from __future__ import annotations

import threading
import time
from collections import OrderedDict
from collections.abc import Iterable
from dataclasses import dataclass, field, replace

import numpy as np

from irvane.core.files.cache import ResultCache
from irvane.core.line.context import Context, make_context, noise_removal
from irvane.core.line.develop import (
    Developed,
    denoise_whole,
    denoised_name,
    develop,
    quick,
    refine_plain,
    repaired,
    to_be_refined,
)
from irvane.core.line.local import denoise_region, refine_region
from irvane.core.line.picture import Patch, Picture, Region, tiles_of, whole_tiles
from irvane.core.line.source import MOSAIC, Loaded, Source
from irvane.core.line.view import covers, wanted
from irvane.core.memory import give_back
from irvane.core.noise import denoise
from irvane.core.noise.denoise import FAST, Removal
from irvane.core.noise.dynamic_range import RANGE_SNR, stops
from irvane.core.progress import Progress, always, part, step
from irvane.core.sensor import defects
from irvane.core.sensor.exposure import SensorExposure, sensor_exposure
from irvane.core.settings import Sensor, Settings

#: Content of the source, and the settings that its developed form depends on.
Key = tuple[str, Sensor]

#: What a picture is: of the binned mosaic; denoising (or the refining of colour) pending; denoised fast; done.
COARSE, NOISY, ROUGH, FINAL = "coarse", "noisy", "rough", "final"

#: Bytes that developed frames may occupy together.
BUDGET = 2_400_000_000
#: Bytes per pixel that a developed frame takes (16 bits in three colours with halved levels, mosaic, clip marks), and a
#: denoised picture beside it.
_DEVELOPED_BYTES, _DENOISED_BYTES = 13, 8
#: Longer side of the copy that the facts of a coarse frame are taken from.
_COARSE_SIDE = 400


@dataclass
class Frame:
    """A developed frame and its facts.

    Attributes
    ----------
    coarse : True while it is only the binned form of the mosaic.
    wholes : denoised pictures of the whole frame, by how they were made: proofs that differ in it stand side by side.
    patches : denoised pixels of the last region that was asked for, likewise; made fast they stand in for the best.
    exposure : the mosaic's values by stops; None for other entries and while the frame is coarse.
    seen : tiles of the plain picture that were refined already, because they were looked at.
    """

    developed: Developed
    context: Context
    coarse: bool
    wholes: dict[Removal, Picture] = field(default_factory=dict)
    patches: dict[Removal, Patch] = field(default_factory=dict)
    exposure: SensorExposure | None = None
    seen: set[tuple[int, int]] = field(default_factory=set)

    @property
    def range_stops(self) -> float | None:
        """Stops between clipping and SNR 3 of a pixel, worst colour; None where there is no mosaic."""
        noise = self.developed.noise
        if noise is None or self.developed.cfa is None:
            return None
        return min(stops(noise, RANGE_SNR, c) for c in range(3))

    def removal(self, settings: Settings) -> Removal:
        """How the denoiser has to run for a proof."""
        able = self.developed.can_be_denoised or self.developed.entry == MOSAIC
        return noise_removal(settings, self.context) if able else Removal()

    def denoised_for(self, settings: Settings) -> bool:
        """Is the whole denoised picture there (or none needed)?"""
        wished = self.removal(settings)
        made = self.developed.denoised is not None and self.developed.removal == wished
        return wished.strength == 0 or made or wished in self.wholes

    def complete_for(self, settings: Settings) -> bool:
        """Is everything there that the proof's whole picture is made of?"""
        return self.denoised_for(settings) and not self.to_be_refined(settings)

    def to_be_refined(self, settings: Settings) -> bool:
        """Will the plain picture still be replaced by a better one?"""
        return not self.coarse and to_be_refined(self.developed, settings.sensor)

    def refined_at(self, region: Region) -> bool:
        """Are the pixels of a region refined already, the whole picture not being it?"""
        return set(tiles_of(wanted(region, self.developed.extent))) <= self.seen

    def clean(self, settings: Settings, region: Region) -> Patch | None:
        """Locally denoised pixels that stand in for a region, if they are there."""
        patch = self.patches.get(self.removal(settings))
        if patch is None or region.step > 1:
            return None
        return patch if covers(patch, wanted(region, self.developed.extent)) else None

    def stand_in(self, settings: Settings, region: Region) -> tuple[Patch | None, str]:
        """Denoised pixels of a region for the time that the whole is not there, and what a picture of them is."""
        if self.coarse:
            return None, COARSE
        clean = self.clean(settings, region)
        if clean is None and not self.denoised_for(settings):
            rough = self.rough(settings, region)
            return rough, NOISY if rough is None else ROUGH
        return clean, NOISY if self.to_be_refined(settings) else FINAL

    def rough(self, settings: Settings, region: Region) -> Patch | None:
        """Pixels denoised by the fast method, for the time until those are there that the settings ask for."""
        return self.clean(settings.with_value("noise.method", FAST), region)

    def fitting(self, settings: Settings) -> Frame:
        """The same frame with the denoised picture that these settings ask for, or with none while it is not there."""
        developed, wished = self.developed, self.removal(settings)
        if not developed.can_be_denoised and not self.wholes:
            return self
        whole = self.wholes.get(wished)
        if whole is None and (developed.denoised is None or developed.removal == wished):
            return self
        made = Developed(**{**vars(developed), "denoised": whole, "removal": wished if whole else Removal()})
        return replace(self, developed=made)

    @property
    def nbytes(self) -> int:
        """Memory that its pictures occupy."""
        return self.developed.nbytes + sum(whole.nbytes for whole in self.wholes.values())


def denoised_key(content: str, developed: Developed, sensor: Sensor, removal: Removal) -> str:
    """Identity of a denoised picture: everything that it depends on, methods and weights included."""
    assert developed.cfa is not None
    method = denoise.method_for(developed.cfa, removal.kind)
    parts = (
        content,
        sensor,
        developed.gains.tolist(),
        developed.noise,
        removal.strength,
        method.name,
        denoised_name(developed.cfa, sensor, removal),
        defects.fingerprint(),
    )
    return " ".join(map(str, (*parts, method.fingerprint())))


class Engine:
    """Developed frames, least recently used ones dropped when the budget is exceeded.

    Attributes
    ----------
    paces : seconds per megapixel that removing noise from whole frames took here, by kind of method.
    """

    def __init__(self, budget: int = BUDGET, cache: ResultCache | None = None) -> None:
        self._budget, self._cache = budget, cache
        self.paces: dict[str, float] = {}
        self._frames: OrderedDict[Key, Frame] = OrderedDict()
        self._loaded: tuple[str, Loaded] | None = None
        self._pinned: set[Key] = set()
        self._wanted: set[Removal] = set()
        self._lock = threading.Lock()

    @staticmethod
    def _key(source: Source, sensor: Sensor) -> Key:
        return source.key, sensor

    def best(self, source: Source, sensor: Sensor) -> Frame | None:
        """The best form that is there now, without computing anything."""
        with self._lock:
            key = self._key(source, sensor)
            if key in self._frames:
                self._frames.move_to_end(key)
            return self._frames.get(key)

    def pin(self, shown: Iterable[tuple[Source, Sensor]], removals: Iterable[Removal] = ()) -> None:
        """Frames that are shown now are never dropped, nor pictures that were denoised in these ways."""
        with self._lock:
            self._wanted = set(removals)
            self._pinned = {self._key(source, sensor) for source, sensor in shown}

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
                developed = self._frames[other].developed
                if total > self._budget and other != key and developed.mosaic is not None:
                    total -= developed.mosaic.data.nbytes
                    gone.append(developed.mosaic)
                    developed.mosaic = None
            for one in self._frames.values():  # then denoised pictures that no pane shows
                for removal in [r for r in one.wholes if r not in self._wanted]:
                    if total > self._budget:
                        total -= one.wholes[removal].nbytes
                        gone.append(one.wholes.pop(removal))
            for other in list(self._frames):
                if total <= self._budget:
                    break
                if other != key and other not in self._pinned:
                    total -= self._frames[other].nbytes
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

    def _load(self, source: Source, progress: Progress) -> Loaded:
        if self._loaded is not None and self._loaded[0] == source.key:
            return self._loaded[1]
        self._loaded = None
        loaded = source.load(progress)
        give_back()
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
        developed = develop(loaded, sensor)
        self._share(source, developed)
        step(progress, 0.9)
        exposure = None if developed.mosaic is None else sensor_exposure(developed.mosaic)
        frame = Frame(developed, make_context(developed), False, exposure=exposure)
        self._keep(self._key(source, sensor), frame)
        self._loaded = None
        return frame

    def _share(self, source: Source, developed: Developed) -> None:
        """Keep once what is the same under other settings of the sensor: most pixels, and what clips there."""
        content = source.key
        with self._lock:
            others = [f.developed for key, f in self._frames.items() if key[0] == content and not f.coarse]
        for other in others:
            if other.plain is not developed.plain and other.refined == developed.refined:
                developed.plain, developed.clipped = developed.plain.sharing(other.plain), other.clipped

    def with_mosaic(self, source: Source, sensor: Sensor, progress: Progress = always) -> Frame:
        """The demosaiced frame, holding its mosaic too."""
        frame = self.full(source, sensor, progress)
        if frame.developed.cfa is not None and frame.developed.mosaic is None:
            frame.developed.mosaic, *_ = repaired(self._load(source, progress), sensor)
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
        developed = refine_plain(frame.developed, sensor, progress)
        self._share(source, developed)
        fresh = replace(frame, developed=developed)
        self._keep(self._key(source, sensor), fresh)
        return fresh

    def denoise(self, source: Source, settings: Settings, progress: Progress = always) -> Frame:
        """The frame with all that the proof's whole picture is made of: refined, and denoised as the settings ask for it."""
        frame = self.refine(source, settings.sensor, part(progress, 0.0, 0.1))
        if frame.denoised_for(settings):
            return frame.fitting(settings)
        removal = frame.removal(settings)
        h, w = frame.developed.extent
        self._make_room(self._key(source, settings.sensor), h * w * _DENOISED_BYTES)
        clean = self._denoised(source, frame.developed, settings.sensor, removal, progress)
        fresh = replace(frame, wholes={**frame.wholes, removal: clean})
        self._keep(self._key(source, settings.sensor), fresh)
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
        self._cache.put(key, picture.codes)
        return picture

    def _timed(self, developed: Developed, sensor: Sensor, removal: Removal, progress: Progress) -> Picture:
        began = time.monotonic()
        picture = denoise_whole(developed, sensor, removal, progress)
        h, w = developed.extent
        self.paces[removal.kind] = (time.monotonic() - began) / (h * w / 1e6)
        return picture

    def denoise_local(
        self, source: Source, settings: Settings, region: Region, progress: Progress = always
    ) -> Frame:
        """The frame with the denoised pixels of a region at 1:1 (with the margin that views need)."""
        frame = self.with_mosaic(source, settings.sensor)
        outer = wanted(region, frame.developed.extent)
        removal = frame.removal(settings)
        step(progress, 0.0)
        patch = denoise_region(frame.developed, settings.sensor, removal, outer, progress)
        kin = {*self._wanted, *(replace(r, kind=FAST) for r in self._wanted)}
        frame.patches = {**{r: p for r, p in frame.patches.items() if r in kin}, removal: patch}
        return frame

    def refine_local(
        self, source: Source, sensor: Sensor, region: Region, progress: Progress = always
    ) -> Frame:
        """The frame with the plain pixels of a region refined at 1:1 (with the margin that views need)."""
        frame = self.with_mosaic(source, sensor)
        extent = frame.developed.extent
        outer = whole_tiles(wanted(region, extent), extent)
        step(progress, 0.0)
        patch = refine_region(frame.developed, sensor, outer)
        frame.developed.plain = frame.developed.plain.overlaid(patch)
        frame.seen.update(tiles_of(outer))
        return frame
