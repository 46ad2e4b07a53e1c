"""What a file says of its shot, makers' notes among it, each value with the tag that it comes from.

exiv2 decodes the notes of the makers that it knows; its words are cleaned once, here.
"""

from __future__ import annotations

import math
import re
from collections.abc import Iterator
from contextlib import suppress
from dataclasses import dataclass
from functools import lru_cache
from typing import TYPE_CHECKING, Any

from irvane.core.errors import plain_text
from irvane.core.lazily import lazily
from irvane.core.lens.identify import alternatives, parsed

if TYPE_CHECKING:
    import exiv2
else:
    exiv2 = lazily("exiv2")

#: Longest words of a value.
_LONGEST = 120


@dataclass(frozen=True)
class Said:
    """A value that a file states.

    Attributes
    ----------
    name : what it is. words : as it is read. origin : the tag.
    """

    name: str
    words: str
    origin: str


#: What is asked for: exiv2's function that knows where each maker keeps it, and tags besides.
_ASKED: tuple[tuple[str, str, tuple[str, ...]], ...] = (
    ("exposure time", "exposureTime", ()),
    ("aperture", "fNumber", ()),
    ("focal length", "focalLength", ()),
    ("exposure bias", "exposureBiasValue", ()),
    ("program", "exposureMode", ("Photo.ExposureProgram",)),
    ("metering", "meteringMode", ()),
    ("white balance", "whiteBalance", ()),
    ("flash", "flash", ()),
    ("flash bias", "flashBias", ()),
    ("focus mode", "", (
        "CanonCs.FocusMode", "Nikon3.Focus", "Sony1.FocusMode2", "Sony2.FocusMode2", "Fujifilm.FocusMode",
        "Panasonic.FocusMode", "Pentax.FocusMode", "PentaxDng.FocusMode", "OlympusCs.FocusMode",
    )),
    ("focus point", "afPoint", ()),
    ("focus distance", "subjectDistance", ()),
    ("drive", "", (
        "CanonCs.DriveMode", "Nikon3.ShootingMode", "Sony1.ReleaseMode", "Sony2.ReleaseMode",
        "Fujifilm.DriveSetting", "Panasonic.BurstMode", "Pentax.DriveMode", "PentaxDng.DriveMode",
        "OlympusCs.DriveMode", "Sigma.DriveMode", "Casio2.DriveMode", "MinoltaCsNew.DriveMode",
    )),
    ("number in the series", "", (
        "CanonFi.BracketShotNumber", "Fujifilm.SequenceNumber", "Panasonic.SequenceNumber",
        "Sony1.SequenceNumber", "Sony2.SequenceNumber", "Casio2.SequenceNumber",
    )),
    ("bracket", "", (
        "CanonSi.AutoExposureBracketing", "CanonFi.BracketMode", "Nikon3.AutoBracketRelease",
        "Pentax.AutoBracketing", "PentaxDng.AutoBracketing", "Fujifilm.AutoBracketing", "Sigma.AutoBracket",
        "Photo.ExposureMode",
    )),
    ("step of the bracket", "", (
        "CanonSi.AEBBracketValue", "CanonFi.BracketValue", "Nikon3.ExposureBracketComp",
        "MinoltaCsNew.BracketStep",
    )),
    ("shutter", "", (
        "CanonFi.ShutterMode", "Nikon3.ShutterMode", "Fujifilm.ShutterType", "Panasonic.ShutterType",
    )),
    ("stabilised", "", (
        "CanonCs.ImageStabilization", "NikonVr.VibrationReduction", "Sony1.ImageStabilization",
        "Sony2.ImageStabilization", "Panasonic.ImageStabilization", "OlympusCs.ImageStabilization",
        "Casio2.ImageStabilization",
    )),
    ("bright range", "", (
        "CanonLiOp.HighlightTonePriority", "Nikon3.ActiveDLighting", "Sony1.DynamicRangeOptimizer",
        "Sony2.DynamicRangeOptimizer", "Fujifilm.DynamicRange", "PentaxDng.DynamicRangeExpansion",
        "Pentax.DynamicRangeExpansion",
    )),
    ("converter", "", ("Sony1.Teleconverter", "Sony2.Teleconverter", "OlympusEq.ExtenderModel")),
    ("quality", "imageQuality", ()),
    ("macro", "macroMode", ()),
    ("firmware", "", (
        "Canon.FirmwareVersion", "Panasonic.FirmwareVersion", "Sigma.Firmware",
    )),
    ("shutter count", "", ("Nikon3.ShutterCount", "Pentax.ShutterCount", "PentaxDng.ShutterCount")),
    ("serial number", "serialNumber", ("Photo.BodySerialNumber", "Image.CameraSerialNumber")),
    ("serial number of the lens", "", ("Photo.LensSerialNumber", "OlympusEq.LensSerialNumber")),
)  # fmt: skip
#: What says nothing.
_NOTHING = re.compile(r"|0|0 m|n/a|none|unknown.*|\(?65535\)?|\(none\)|-+", re.I)
_NUMBER = re.compile(r"\d+(?:\.\d+)?")
#: Sensitivities in the order of trust; the first field ends at 65535 (Exif 2.32, 4.6.5), which stands for
#: more.
_ISO = (
    "Photo.ISOSpeedRatings", "Photo.RecommendedExposureIndex", "Photo.StandardOutputSensitivity",
    "Photo.ISOSpeed", "Image.ISOSpeedRatings",
)  # fmt: skip
_ISO_ENDS = 65_535
#: What stands for infinity in words of a distance, in metres.
_FAR = 10_000.0


@lru_cache(maxsize=512)
def _known(key: str) -> bool:
    """Does this exiv2 know a tag of this name?"""
    try:
        exiv2.ExifKey(f"Exif.{key}")
    except exiv2.Exiv2Error:
        return False
    return True


def _found(data: exiv2.ExifData, key: str) -> Any:
    if not _known(key):
        return None
    place = data.findKey(exiv2.ExifKey(f"Exif.{key}"))
    return None if place == data.end() else place


def _asked(data: exiv2.ExifData, function: str) -> Any:
    with suppress(Exception):  # exiv2 raises on values that it does not expect
        place = getattr(exiv2, function)(data)
        return None if place is None or place == data.end() else place
    return None


def _words(datum: Any, data: exiv2.ExifData) -> str:
    with suppress(Exception):  # as above
        text = plain_text(str(datum.print(data)).strip("\0 \n\r\t"), _LONGEST)
        return "" if _NOTHING.fullmatch(text) else text
    return ""


def _said(data: exiv2.ExifData, function: str, keys: tuple[str, ...]) -> Iterator[tuple[str, str]]:
    """Words and tags of a value, the most trusted first."""
    places = [_asked(data, function)] if function else []
    for datum in (*places, *(_found(data, key) for key in keys)):
        if datum is not None and (words := _words(datum, data)):
            yield words, str(datum.key())


def _iso(data: exiv2.ExifData) -> Iterator[tuple[str, str]]:
    for words, origin in _said(data, "", _ISO):
        number = _NUMBER.search(words)
        if (
            number
            and float(number[0]) > 0
            and not (origin.endswith("SpeedRatings") and float(number[0]) >= _ISO_ENDS)
        ):
            yield number[0], origin
    for words, origin in _said(data, "isoSpeed", ()):
        number = _NUMBER.search(words)
        if number and float(number[0]) > 0 and float(number[0]) != _ISO_ENDS:
            yield number[0], origin


def _specified(data: exiv2.ExifData) -> Iterator[tuple[str, str]]:
    """The lens by its numbers alone (Exif 2.32, LensSpecification; DNG, LensInfo)."""
    for key in ("Photo.LensSpecification", "Image.LensInfo"):
        low, high, wide, long = (*_numbers(data, key), 0.0, 0.0, 0.0, 0.0)[:4]
        if 0 < low <= high < _FAR:
            focals = f"{low:g} mm" if low == high else f"{low:g}-{high:g} mm"
            fast = "" if not wide > 0 else f" f/{wide:g}" if wide == long else f" f/{wide:g}-{long:g}"
            yield focals + fast, f"Exif.{key}"


def _lens(data: exiv2.ExifData, packet: exiv2.XmpData | None) -> Iterator[tuple[str, str]]:
    """The lens: as the camera writes it, unless its notes say more (the name for numbers, or who made it)."""
    named = [
        *_said(data, "", ("Photo.LensModel",)),
        *_said(data, "lensName", ("Nikon3.Lens",)),
        *_specified(data),
    ]
    if packet is not None:
        for datum in packet:
            if str(datum.key()) == "Xmp.aux.Lens":
                named.append((plain_text(str(datum.toString()), _LONGEST), "Xmp.aux.Lens"))
    real = [(" or ".join(meant), origin) for words, origin in named if (meant := alternatives(words))]
    parts = {words: parsed(alternatives(words)[0]) for words, _ in real}
    numbered = [one for one in real if parts[one[0]].focals]
    full = [one for one in numbered if not parts[one[0]].bare]
    if full:
        first = parts[full[0][0]]
        for one in full[1:]:
            other = parts[one[0]]
            same = (other.focals, other.apertures, other.words) == (
                first.focals,
                first.apertures,
                first.words,
            )
            if same and other.maker and not first.maker:
                yield one
    yield from full
    yield from numbered
    yield from real


def read_shot(data: exiv2.ExifData, packet: exiv2.XmpData | None = None) -> tuple[Said, ...]:
    """Everything of :data:`_ASKED`, the lens and the sensitivity, as far as the file states it."""
    asked: list[tuple[str, Iterator[tuple[str, str]]]] = [("lens", _lens(data, packet)), ("ISO", _iso(data))]
    asked += [(name, _said(data, function, keys)) for name, function, keys in _ASKED]
    found = []
    for name, values in asked:
        if (first := next(values, None)) is not None:
            found.append(Said(name, *first))
    if (place := focus_point(data)) is not None:
        found.append(Said("focus at", f"{place[0]:.0%} from the left, {place[1]:.0%} from the top", place[2]))
    return tuple(found)


def metres(words: str) -> float | None:
    """A distance from its words; None where they are none, or far away."""
    number = _NUMBER.search(words)
    value = float(number[0]) if number and "inf" not in words.lower() else 0.0
    return value if 0 < value < _FAR and math.isfinite(value) else None


def _numbers(data: exiv2.ExifData, key: str) -> list[float]:
    """The numbers of a tag; none where it is not there."""
    datum = _found(data, key)
    if datum is not None:
        with suppress(Exception):  # as above
            found = [float(datum.toFloat(k)) for k in range(datum.count())]
            return found if all(map(math.isfinite, found)) else []
    return []


def focus_point(data: exiv2.ExifData) -> tuple[float, float, str] | None:
    """Where the camera focused: shares of the width and height of the picture as the sensor has it, and the
    tag.

    Read are the standard's area (Exif 2.32, SubjectArea) and the tags of two makers whose meaning exiv2
    states.
    """

    size = [*_numbers(data, "Photo.PixelXDimension")[:1], *_numbers(data, "Photo.PixelYDimension")[:1]]
    for key, of_pixels in (
        ("Panasonic.AFPointPosition", False),
        ("Fujifilm.FocusPixel", True),
        ("Photo.SubjectArea", True),
    ):
        at = _numbers(data, key)[:2]
        if len(at) == 2 and of_pixels:
            at = [at[0] / size[0], at[1] / size[1]] if len(size) == 2 and min(size) > 0 else []
        if len(at) == 2 and all(0 < share < 1 for share in at):
            return at[0], at[1], f"Exif.{key}"
    return None
