"""What is known about a frame besides its pixels: exposure data, camera, time."""

from __future__ import annotations

import math
import re
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import asdict, dataclass, field, replace
from datetime import datetime, timedelta
from pathlib import Path
from typing import TYPE_CHECKING, Any

from irvane.core.errors import ReadError, plain_text
from irvane.core.files.boundary import reading, textual
from irvane.core.files.shot import Said, focus_point, metres, read_shot
from irvane.core.lazily import lazily

if TYPE_CHECKING:
    import exiv2
else:
    exiv2 = lazily("exiv2")


@dataclass(frozen=True)
class FrameInfo:
    """Exposure data of a frame; everything is optional because files may not say.

    Attributes
    ----------
    shutter : exposure time in seconds.
    aperture : f-number.
    iso : sensitivity.
    focal : focal length in millimetres.
    taken : time of capture by the camera's clock, with fractions of a second where the file has them.
    zone : minutes that clock is ahead of UTC; None when the file does not say.
    bias : exposure compensation in EV as the camera noted it.
    focal_full : focal length with the same view on 36×24 mm, in millimetres.
    distance : of focus, in metres. size : of the file, in bytes.
    focus : where the camera focused, shares of width and height of the upright picture.
    shot : all that the file says of its shot, with the tags that say it.
    """

    make: str = ""
    model: str = ""
    lens: str = ""
    shutter: float | None = None
    aperture: float | None = None
    iso: float | None = None
    focal: float | None = None
    taken: datetime | None = None
    bias: float | None = None
    focal_full: float | None = None
    distance: float | None = None
    zone: int | None = None
    size: int | None = None
    focus: tuple[float, float] | None = None
    shot: tuple[Said, ...] = field(default=(), compare=False)

    @property
    def moment(self) -> datetime | None:
        """Time of capture for sorting: of clocks that say their zone, UTC."""
        if self.taken is None or self.zone is None:
            return self.taken
        return self.taken - timedelta(minutes=self.zone)

    @property
    def exposure_value(self) -> float | None:
        """Relative exposure in EV (log2 of light gathered × sensitivity); None when the shutter is
        unknown."""
        if not self.shutter:
            return None
        light = self.shutter * (self.iso or 100.0) / 100.0
        if self.aperture:
            light /= self.aperture**2
        return math.log2(light)

    def as_dict(self) -> dict[str, Any]:
        """A JSON-ready dictionary."""
        values = asdict(replace(self, shot=()))
        values["shot"] = {one.name: {"value": one.words, "origin": one.origin} for one in self.shot}
        values["taken"] = self.taken.isoformat() if self.taken else None
        return values


def shutter_text(seconds: float | None) -> str:
    """Exposure time as photographers write it: ``1/250 s``, ``0.5 s``, ``4 s``."""
    if not seconds or seconds <= 0:
        return "– s"
    if seconds < 0.3:
        return f"1/{round(1 / seconds)} s"
    return f"{seconds:.1f} s".replace(".0 s", " s")


def exposure_text(info: FrameInfo) -> str:
    """One line of exposure data: ``1/60 s · f/4 · ISO 6400``; parts that are unknown are left out."""
    parts = []
    if info.shutter:
        parts.append(shutter_text(info.shutter))
    if info.aperture:
        parts.append(f"f/{info.aperture:g}")
    if info.iso:
        parts.append(f"ISO {info.iso:.0f}")
    return " · ".join(parts) or "no exposure data"


def place_text(info: FrameInfo) -> str:
    """What else is known of a frame: ``35 mm · 2026-11-05 14:03 · 24.3 MB``; what is unknown is left out."""
    parts = [f"{info.focal:g} mm"] if info.focal else []
    parts += [f"{info.taken:%Y-%m-%d %H:%M}"] if info.taken else []
    parts += [f"{info.size / 1e6:.1f} MB"] if info.size else []
    return " · ".join(parts)


def offset_text(ev: float) -> str:
    """Distance from the middle exposure: ``+1 EV``, ``−2 EV``, ``0 EV``."""
    return f"{ev:+g} EV".replace("-", "−") if ev else "0 EV"


_SHUTTER = ("Exif.Photo.ExposureTime", "Exif.Image.ExposureTime")
_APERTURE = ("Exif.Photo.FNumber", "Exif.Image.FNumber")
_FOCAL = ("Exif.Photo.FocalLength", "Exif.Image.FocalLength")
_TAKEN = ("Exif.Photo.DateTimeOriginal", "Exif.Image.DateTimeOriginal", "Exif.Image.DateTime")
#: Fractions of that second, and the zone of the clock, ``+01:00`` (Exif 2.31).
_FRACTION = ("Exif.Photo.SubSecTimeOriginal",)
_ZONE = ("Exif.Photo.OffsetTimeOriginal", "Exif.Photo.OffsetTime")
_ZONE_OF = re.compile(r"([+-])(\d\d):(\d\d)")
_BIAS = ("Exif.Photo.ExposureBiasValue", "Exif.Image.ExposureBiasValue")
_FOCAL_FULL = ("Exif.Photo.FocalLengthIn35mmFilm",)


def open_metadata(path: Path) -> exiv2.Image:
    """Open a file's metadata with exiv2; raises ReadError when there is none to read."""
    with reading(path, "its metadata cannot be read"):
        with textual(path) as name:
            image = exiv2.ImageFactory.open(name)
            image.readMetadata()
        return image


@contextmanager
def changed_metadata(path: Path) -> Iterator[exiv2.Image]:
    """Change a file's metadata: the whole of it in memory, since exiv2 passes over errors when it closes a
    file that it wrote.

    Raises
    ------
    ReadError, OSError
    """
    with reading(path):
        image = exiv2.ImageFactory.open(path.read_bytes())
        image.readMetadata()
    yield image
    image.writeMetadata()
    changed = image.io()
    changed.open()
    with changed.mmap() as data, path.open("wb") as stream:
        stream.write(data)


def _text(data: exiv2.ExifData, keys: tuple[str, ...]) -> str:
    for key in keys:
        found = data.findKey(exiv2.ExifKey(key))
        if found != data.end():
            return plain_text(str(found.toString()).strip().rstrip("\0").strip())
    return ""


def _number(data: exiv2.ExifData, keys: tuple[str, ...]) -> float | None:
    for part in [_text(data, (key,)) for key in keys]:
        words = part.split()
        if not words:
            continue
        top, _, bottom = words[0].partition("/")
        try:
            value = float(top) / float(bottom or 1)
        except (ValueError, ZeroDivisionError):
            continue
        if math.isfinite(value):
            return value
    return None


def read_info(path: Path) -> FrameInfo:
    """Exposure data of any file exiv2 can read; an empty record when there is none."""
    try:
        with reading(path):
            return replace(_info(open_metadata(path)), size=path.stat().st_size)
    except ReadError:
        return FrameInfo()


def _info(image: exiv2.Image) -> FrameInfo:
    data = image.exifData()
    try:
        taken = datetime.strptime(_text(data, _TAKEN), "%Y:%m:%d %H:%M:%S")
        fraction = _text(data, _FRACTION)
        if fraction.isdecimal():
            taken += timedelta(seconds=float(f"0.{fraction}"))
    except ValueError:
        taken = None
    zone = _ZONE_OF.fullmatch(_text(data, _ZONE))

    def positive(keys: tuple[str, ...]) -> float | None:
        value = _number(data, keys)
        return value if value and value > 0 else None

    shot = read_shot(data, image.xmpData())
    words = {one.name: one.words for one in shot}
    return FrameInfo(
        zone=None if zone is None else int(f"{zone[1]}1") * (60 * int(zone[2]) + int(zone[3])),
        make=_text(data, ("Exif.Image.Make",)),
        model=_text(data, ("Exif.Image.Model",)),
        lens=words.get("lens", ""),
        shutter=positive(_SHUTTER),
        aperture=positive(_APERTURE),
        iso=float(words["ISO"]) if "ISO" in words else None,
        focal=positive(_FOCAL),
        taken=taken,
        bias=_number(data, _BIAS),
        focal_full=positive(_FOCAL_FULL),
        distance=metres(words.get("focus distance", "")),
        focus=_upright_focus(data),
        shot=shot,
    )


def _upright_focus(data: exiv2.ExifData) -> tuple[float, float] | None:
    found = focus_point(data)
    if found is None:
        return None
    x, y = found[:2]
    turned = {"3": (1 - x, 1 - y), "6": (1 - y, x), "8": (y, 1 - x)}
    return turned.get(_text(data, ("Exif.Image.Orientation",)), (x, y))
