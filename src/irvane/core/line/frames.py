"""Frames that are kept: within a budget, the least wanted given up first."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Iterable
from dataclasses import replace

from irvane.core.line.develop import Developed
from irvane.core.line.frame import Frame, PartKey
from irvane.core.line.source import Source
from irvane.core.line.steps import developing
from irvane.core.memory import budgets
from irvane.core.noise.denoise import FAST, Removal
from irvane.core.pixels.patches import FramePatch
from irvane.core.pixels.places import FrameRegion
from irvane.core.settings import Sensor
from irvane.core.store.cache import ResultCache

#: Content of the source, and the settings that its developed form depends on.
Key = tuple[str, Sensor]

#: Bytes that frames hold at rest before plain pictures go to disk.
_AT_REST = 450_000_000
#: Parts of a frame that were denoised for what is seen, kept beside the newest: two for each of six panes.
_PARTS = 11


class Frames:
    """Developed frames, the least recently used ones dropped when the budget is exceeded. May be called from
    any thread.

    Parameters
    ----------
    budget : bytes that frames may take together; None: as the machine has it. unseen : bytes of those that no
        pane shows.
    cache : whose folder pictures wait in that have no room in memory; None: they stay.
    """

    def __init__(self, budget: int | None, cache: ResultCache | None, unseen: int | None) -> None:
        self._cache = cache
        self.limit(budgets().frames if budget is None else budget, unseen)
        self._frames: OrderedDict[Key, Frame] = OrderedDict()
        self._pinned: set[Key] = set()
        self._wanted: set[Removal] = set()
        self._seen: set[FrameRegion] = set()
        self._lock = threading.Lock()

    def limit(self, budget: int, unseen: int | None = None) -> None:
        """Bytes that frames may take from now on, and of these those that no pane shows (None: as many)."""
        self._budget, self._unseen = budget, budget if unseen is None else unseen

    def best(self, source: Source, sensor: Sensor) -> Frame | None:
        """The best form that is there now, without computing anything."""
        with self._lock:
            key = key_of(source, sensor)
            if key in self._frames:
                self._frames.move_to_end(key)
            return self._frames.get(key)

    def pin(
        self,
        shown: Iterable[tuple[Source, Sensor]],
        removals: Iterable[Removal] = (),
        regions: Iterable[FrameRegion] = (),
    ) -> None:
        """Frames that are shown now are never dropped, nor pictures that were denoised in these ways, nor
        parts of them that hold these regions."""
        # who asks may ask the engine for more: not while it is held
        wanted, seen = set(removals), set(regions)
        pinned = {key_of(source, sensor) for source, sensor in shown}
        with self._lock:
            self._wanted, self._seen, self._pinned = wanted, seen, pinned

    @property
    def nbytes(self) -> int:
        """Memory that the frames occupy."""
        with self._lock:
            return sum(frame.nbytes for frame in self._frames.values())

    def keep(self, key: Key, frame: Frame) -> None:
        with self._lock:
            self._frames[key] = frame
            self._frames.move_to_end(key)
        self.make_room(key, 0)

    def make_room(self, key: Key, needed: int) -> None:
        """Give up what is least wanted until so many bytes more fit into the budget; the frame `key` itself
        stays."""
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

    def give_up_other_mosaics(self, key: Key) -> None:
        """Of frames that are not worked on, before much is needed for one that is."""
        gone: list[object] = []
        with self._lock:
            for other, one in self._frames.items():
                if other != key and not one.coarse and one.developed.mosaic is not None:
                    gone.append(one.developed)
                    self._frames[other] = replace(one, developed=replace(one.developed, mosaic=None))
        gone.clear()

    def rest(self) -> None:
        """Nothing was computed for a while: mosaics are given up, which are read again in a second when they
        are needed, and of frames that are denoised the plain pictures wait on disk, as long as much is
        held."""
        self.give_up_other_mosaics(("", Sensor()))
        with self._lock:
            plain = [frame.developed.plain for frame in self._frames.values() if frame.wholes]
        for picture in plain:
            if self._cache is not None and self.nbytes > _AT_REST:
                picture.page(self._cache.folder)

    def forget(self, content: str) -> None:
        """What was made of a source is not wanted any more: it was closed."""
        with self._lock:
            gone = [self._frames.pop(key) for key in list(self._frames) if key[0] == content]
        del gone

    def coarse_of(self, source: Source) -> Frame | None:
        """A coarse frame of the source made for other settings of the sensor: it does not depend on them."""
        content = source.key
        with self._lock:
            return next((f for key, f in self._frames.items() if key[0] == content and f.coarse), None)

    def shared(self, source: Source, developed: Developed) -> Developed:
        """Keep once what is the same under other settings of the sensor: most pixels, and what clips
        there."""
        content = source.key
        with self._lock:
            others = [f.developed for key, f in self._frames.items() if key[0] == content and not f.coarse]
        for other in others:
            if other.plain is not developed.plain and other.refined == developed.refined:
                plain = developed.plain.sharing(other.plain)
                developed = replace(developed, plain=plain, clipped=other.clipped)
        return developed

    def still_seen(self, made: dict[PartKey, FramePatch]) -> dict[PartKey, FramePatch]:
        """Denoised parts that a pane shows now: were one pane's to push out another's, they would take turns
        for ever."""
        kin = {*self._wanted, *(replace(r, kind=FAST) for r in self._wanted)}
        seen = self._seen
        kept = [
            ((removal, place), patch)
            for (removal, place), patch in made.items()
            if removal in kin and any(place.step == one.step and place.holds(one) for one in seen)
        ]
        return dict(kept[-_PARTS:])


def key_of(source: Source, sensor: Sensor) -> Key:
    """What a frame is known by."""
    return source.key, developing(sensor)
