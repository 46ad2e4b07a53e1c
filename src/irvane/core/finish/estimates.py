"""How large and how long: what files of the queue will take, from what such files took here before."""

from __future__ import annotations

import json
from collections.abc import Iterable
from contextlib import suppress
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

import platformdirs

from irvane.core.errors import IrvaneError, ReadError, SettingError, WriteError
from irvane.core.files.info import open_metadata
from irvane.core.finish.destination import Destination
from irvane.core.finish.journal import Entry
from irvane.core.finish.size import Size, enlarged_to
from irvane.core.settings import Settings
from irvane.core.store.atomic import atomic_file, make_folder
from irvane.core.store.small import read_small

#: After this many pixels what was learned before counts half, so that another machine or other habits show
#: soon.
_MEMORY = 400e6
#: Bytes of what is kept, at most.
_LARGEST = 4_000_000


@dataclass(frozen=True)
class Estimate:
    """What a batch will take.

    Attributes
    ----------
    size : bytes. seconds. Both count what is known only.
    sized, timed : for how many files of `count` they are known.
    """

    count: int = 0
    size: float = 0.0
    sized: int = 0
    seconds: float = 0.0
    timed: int = 0

    def size_words(self) -> str:
        """``about 340 MB``; nothing where too little is known."""
        if self.sized < self.count or not self.count:
            return ""
        mb = self.size / 1e6
        return f"about {mb / 1000:.1f} GB" if mb >= 1000 else f"about {mb:.{0 if mb >= 10 else 1}f} MB"

    def words(self) -> str:
        """``about 340 MB, about 4 min``; nothing where too little is known."""
        parts = [self.size_words()] if self.size_words() else []
        if self.timed == self.count and self.count:
            parts.append(
                f"about {self.seconds / 60:.0f} min"
                if self.seconds > 90
                else f"about {max(self.seconds, 1):.0f} s"
            )
        return ", ".join(parts)


def paces_path() -> Path:
    """Where the paces are kept."""
    return platformdirs.user_state_path("irvane") / "paces.json"


def _size_kind(how: Destination) -> str:
    lossy = how.format in ("jpeg", "jxl", "avif")
    return f"size {how.format} {how.depth} {how.compress} {round(how.quality) if lossy else ''} {how.space}"


def _time_kind(settings: Settings, how: Destination) -> str:
    noise = settings.noise.method if settings.noise.amount else "off"
    return f"time {settings.sensor.demosaic} {noise} {how.format}"


@lru_cache(maxsize=10_000)
def _extent(path: str, _changed: float) -> tuple[int, int] | None:
    try:
        image = open_metadata(Path(path))
        return int(image.pixelHeight()), int(image.pixelWidth())
    except IrvaneError:
        return None


def pixels_of(entry: Entry) -> tuple[float, float] | None:
    """Pixels that are read and pixels that are written for an entry, from the file's header; None when it
    says nothing."""
    try:
        extent = _extent(entry.paths[0], Path(entry.paths[0]).stat().st_mtime)
        if extent is None or min(extent) < 1:
            return None
        h, w = extent
        crop = entry.settings.lens.crop
        if crop:
            h, w = max(1, round(h * crop[3] / 100)), max(1, round(w * crop[2] / 100))
        how = entry.how
        own = entry.settings.finish.enlarge
        _factor, (height, width) = enlarged_to((h, w), own, Size.parse(how.size), how.ppi, how.grow)
    except (OSError, SettingError):
        return None
    return float(extent[0] * extent[1] * len(entry.paths)), float(height * width)


def _paces() -> dict[str, list[float]]:
    with suppress(ReadError, ValueError, TypeError):
        data = json.loads(read_small(paces_path(), _LARGEST) or b"{}")
        return {
            str(kind): [float(told[0]), float(told[1])]
            for kind, told in data.items()
            if len(told) == 2 and told[0] >= 0 and told[1] > 0
        }
    return {}


def learn(entry: Entry, written: Path, seconds: float) -> None:
    """Remember what a file took; trouble with that is no trouble."""
    pixels = pixels_of(entry)
    if pixels is None:
        return
    paces = _paces()
    with suppress(OSError, WriteError):
        for kind, amount, count in (
            (_size_kind(entry.how), written.stat().st_size, pixels[1]),
            (_time_kind(entry.settings, entry.how), seconds, pixels[0]),
        ):
            before = paces.get(kind, [0.0, 0.0])
            keep = 0.5 ** (count / _MEMORY)
            paces[kind] = [before[0] * keep + amount, before[1] * keep + count]
        make_folder(paces_path().parent)
        with atomic_file(paces_path()) as temporary:
            temporary.write_text(json.dumps(paces, indent=1), "utf-8")


def estimated(entries: Iterable[Entry]) -> Estimate:
    """What these will take."""
    paces = _paces()
    count = sized = timed = 0
    size = seconds = 0.0
    for entry in entries:
        count += 1
        pixels = pixels_of(entry)
        if pixels is None:
            continue
        how = entry.how
        pace = paces.get(_size_kind(how))
        if how.format == "tiff" and not how.compress:
            pace = [3 * how.depth / 8, 1.0]
        if pace is not None:
            size, sized = size + pixels[1] * pace[0] / pace[1], sized + 1
        pace = paces.get(_time_kind(entry.settings, how))
        if pace is not None:
            seconds, timed = seconds + pixels[0] * pace[0] / pace[1], timed + 1
    return Estimate(count, size, sized, seconds, timed)
