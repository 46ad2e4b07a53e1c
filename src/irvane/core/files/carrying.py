"""What of a source's metadata goes into a written picture: Exif, XMP and IPTC by one policy, whatever the
format.

After the Metadata Working Group's guidance (2.0): what stands in several of them is kept alike, and what no
longer
holds for the written pixels is dropped. What was done is added to the history (XMP Specification Part 2,
xmpMM).
"""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import suppress
from dataclasses import dataclass
from datetime import UTC, datetime
from fnmatch import fnmatchcase
from pathlib import Path
from typing import TYPE_CHECKING

from irvane.core.errors import IrvaneError, ReadError, plain_text
from irvane.core.files.info import changed_metadata, open_metadata, read_info
from irvane.core.files.shot import read_shot
from irvane.core.files.xmp_rating import rating_paths
from irvane.core.lazily import lazily
from irvane.core.store.small import read_small

if TYPE_CHECKING:
    import exiv2
else:
    exiv2 = lazily("exiv2")


@dataclass(frozen=True)
class Form:
    """Of a written picture, what the Exif standard (CIPA DC-008) wants said: its size, whether it is sRGB,
    and whether a JPEG."""

    width: int
    height: int
    srgb: bool
    jpeg: bool = False
    ppi: int = 300


@dataclass(frozen=True)
class Kept:
    """What of a source's metadata goes into a written picture.

    Attributes
    ----------
    what : one of :data:`POLICIES`.
    author, rights, credit, email, web : written where they are not empty, in place of the source's; as XMP
        too (IPTC Photo Metadata Standard: creator, copyright notice, credit line, creator's contact info).
    """

    what: str = "all"
    author: str = ""
    rights: str = ""
    credit: str = ""
    email: str = ""
    web: str = ""

    def as_xmp(self) -> dict[str, str]:
        """XMP properties of what is not empty."""
        contact = "Xmp.iptc.CreatorContactInfo/Iptc4xmpCore"
        found = {
            "Xmp.dc.creator": self.author, "Xmp.dc.rights": self.rights, "Xmp.photoshop.Credit": self.credit,
            f"{contact}:CiEmailWork": self.email, f"{contact}:CiUrlWork": self.web,
        }  # fmt: skip
        return {key: value for key, value in found.items() if value}


#: Policies, and their words.
POLICIES = {
    "all": "all", "no-place": "all but the place", "no-serials": "all but serial numbers and owners",
    "no-places": "all but place and serial numbers", "rights": "author and rights only", "none": "none",
}  # fmt: skip
#: Tags (patterns) of what tells where it was.
_PLACE = (
    "Exif.GPSInfo.*", "Xmp.exif.GPS*", "Xmp.dc.coverage", "Xmp.photoshop.City", "Xmp.photoshop.State", "Xmp.photoshop.Country",
    "Xmp.iptc.Location", "Xmp.iptc.CountryCode", "Xmp.iptcExt.Location*", "Iptc.Application2.City",
    "Iptc.Application2.SubLocation", "Iptc.Application2.ProvinceState", "Iptc.Application2.Country*",
    "Iptc.Application2.Location*", "Iptc.Application2.ContentLocation*",
)  # fmt: skip
#: Of what tells which camera it was, and whose.
_SERIAL = (
    "Exif.Photo.BodySerialNumber", "Exif.Photo.LensSerialNumber", "Exif.Photo.CameraOwnerName",
    "Exif.Photo.ImageUniqueID", "Exif.Photo.UserComment", "Xmp.aux.*", "Xmp.xmpMM.*",
    "Xmp.iptcExt.DigImageGUID",
)  # fmt: skip
_RIGHTS = (
    "Exif.Image.Artist", "Exif.Image.Copyright", "Xmp.dc.creator", "Xmp.dc.rights", "Xmp.xmpRights.*",
    "Xmp.plus.*", "Xmp.photoshop.Credit", "Xmp.photoshop.AuthorsPosition", "Xmp.iptc.CreatorContactInfo*",
    "Iptc.Application2.Byline*", "Iptc.Application2.Copyright", "Iptc.Application2.Credit",
    "Iptc.Envelope.CharacterSet",
)  # fmt: skip
_LEFT = {
    "all": (), "no-place": _PLACE, "no-serials": _SERIAL, "no-places": (*_PLACE, *_SERIAL), "rights": (),
}  # fmt: skip
#: What is copied at all: what describes the scene, the shot and the people, not the file or another
#: program's settings.
_COPIED = (
    "Exif.Photo.*", "Exif.GPSInfo.*", "Exif.Image.Make", "Exif.Image.Model", "Exif.Image.DateTime",
    "Exif.Image.Artist", "Exif.Image.Copyright", "Exif.Image.ImageDescription", "Exif.Image.Rating*",
    "Exif.Image.XP*", "Xmp.dc.*", "Xmp.xmp.Rating", "Xmp.xmp.Label", "Xmp.xmp.CreateDate",
    "Xmp.xmpRights.*", "Xmp.plus.*", "Xmp.photoshop.*", "Xmp.iptc.*", "Xmp.iptcExt.*",
    "Xmp.lr.hierarchicalSubject*", "Xmp.aux.Lens*", "Xmp.aux.SerialNumber", "Xmp.aux.OwnerName",
    "Xmp.exif.GPS*", "Xmp.xmpMM.History*", "Xmp.MicrosoftPhoto.Rating", "Iptc.Application2.*",
    "Iptc.Envelope.CharacterSet",
)  # fmt: skip
#: What no longer holds for the pixels that are written, or is bound to the layout of the file it stood in.
_DROPPED = (
    "Exif.Photo.MakerNote", "Exif.Photo.Pixel?Dimension", "Exif.Photo.ColorSpace",
    "Exif.Photo.InteroperabilityTag", "Exif.Photo.CFAPattern", "Exif.Photo.SubjectArea",
    "Exif.Photo.SubjectLocation",
    "Exif.Photo.FocalPlane*", "Exif.Photo.Compo*", "Exif.Photo.Compressed*", "Exif.Photo.OECF",
    "Exif.Photo.SpatialFrequencyResponse", "Exif.Photo.CustomRendered", "Exif.Photo.Gamma",
    "Exif.Photo.DeviceSettingDescription", "Exif.Photo.RelatedSoundFile", "Exif.Photo.ExifVersion",
    "Exif.Photo.FlashpixVersion", "Exif.Photo.0x*", "Xmp.dc.format", "Xmp.photoshop.ColorMode",
    "Xmp.photoshop.ICCProfile", "Xmp.photoshop.History", "Xmp.photoshop.DocumentAncestors*",
    "Xmp.photoshop.SidecarForExtension", "Xmp.photoshop.LegacyIPTCDigest", "Xmp.iptcExt.ImageRegion*", "Xmp.xmpMM.History*instanceID",
    "Iptc.Application2.Preview*",
)  # fmt: skip
#: Exif that a raw has in its first directory (TIFF/EP, ISO 12234-2), for the same in the written one.
_OF_FIRST = (
    "ExposureTime", "FNumber", "ExposureProgram", "ISOSpeedRatings", "DateTimeOriginal", "ExposureBiasValue",
    "MaxApertureValue", "MeteringMode", "LightSource", "Flash", "FocalLength", "SubjectDistance",
)  # fmt: skip
#: IPTC (IIM 4.2) whose XMP says the same (IPTC Photo Metadata Standard, mapping).
_AS_XMP = {
    "ObjectName": "dc.title", "Caption": "dc.description", "Keywords": "dc.subject", "Byline": "dc.creator",
    "Copyright": "dc.rights", "Headline": "photoshop.Headline", "Credit": "photoshop.Credit",
    "Source": "photoshop.Source", "City": "photoshop.City", "ProvinceState": "photoshop.State",
    "CountryName": "photoshop.Country", "SubLocation": "iptc.Location",
}  # fmt: skip
#: Captions that cameras write by themselves.
_NO_CAPTION = ("", "*DIGITAL CAMERA*", "default", "SONY DSC", "DCIM*")
_LARGEST = 20_000_000


def _any(key: str, patterns: tuple[str, ...]) -> bool:
    return any(fnmatchcase(key, pattern) for pattern in patterns)


def wanted(key: str, policy: str) -> bool:
    """Is a tag copied under a policy?"""
    if policy == "none" or not _any(key, _COPIED) or _any(key, _DROPPED):
        return False
    return _any(key, _RIGHTS) if policy == "rights" else not _any(key, _LEFT[policy])


def copy_metadata(
    source: Path, target: Path, software: str, description: str, form: Form, kept: Kept = Kept()
) -> None:
    """Carry metadata from `source` (and the XMP beside it) into `target`, and note what was done.

    Orientation is set to upright because outputs are written upright. A source without metadata is fine.
    """
    with suppress(ReadError), changed_metadata(target) as out:
        carry(source, out, software, description, form, kept)


def carry(source: Path, out: exiv2.Image, software: str, description: str, form: Form, kept: Kept) -> None:
    """The same into an open image."""
    data = out.exifData()
    _take(source, out, kept.what)
    _required(data, form)
    data["Exif.Image.Orientation"] = exiv2.UShortValue(1)
    data["Exif.Image.Software"] = exiv2.AsciiValue(software)
    if kept.what not in ("none", "rights") and not _caption(data):
        data["Exif.Image.ImageDescription"] = exiv2.AsciiValue(description)
    _sign(out, software, description, kept)


def carry_into_raw(source: Path, out: exiv2.Image, software: str, description: str, kept: Kept) -> None:
    """Into a DNG that was written: what it says of its pixels stays."""
    _take(source, out, kept.what, "Exif.Photo.*", "Exif.GPSInfo.*", *_RIGHTS)
    _sign(out, software, description, kept)


def _take(source: Path, out: exiv2.Image, policy: str, *exif: str) -> None:
    """What a source, and the XMP beside it, say, by a policy; of Exif only what fits the patterns `exif`, where
    such are given."""
    if policy == "none":
        return
    packet = out.xmpData()
    with suppress(ReadError):
        origin = open_metadata(source)
        _copy_exif(origin, out.exifData(), policy, exif)
        _copy_xmp(origin.xmpData(), packet, policy)
        _copy_iptc(origin.iptcData(), out.iptcData(), packet, policy)
    for held in _beside(source):
        _copy_xmp(held.xmpData(), packet, policy)


def _sign(out: exiv2.Image, software: str, description: str, kept: Kept) -> None:
    """What was done, and whose it is."""
    data, packet = out.exifData(), out.xmpData()
    if kept.what != "none":
        _add_history(packet, software, description)
    if kept.author:
        data["Exif.Image.Artist"] = exiv2.AsciiValue(kept.author)
    if kept.rights:
        data["Exif.Image.Copyright"] = exiv2.AsciiValue(kept.rights)
    for key, value in kept.as_xmp().items():
        packet[key] = value


def _required(data: exiv2.ExifData, form: Form) -> None:
    data["Exif.Photo.ExifVersion"] = exiv2.DataValue(b"0232")
    data["Exif.Photo.FlashpixVersion"] = exiv2.DataValue(b"0100")
    data["Exif.Photo.ColorSpace"] = exiv2.UShortValue(1 if form.srgb else 65535)
    data["Exif.Photo.PixelXDimension"] = exiv2.ULongValue(form.width)
    data["Exif.Photo.PixelYDimension"] = exiv2.ULongValue(form.height)
    if form.jpeg:
        data["Exif.Photo.ComponentsConfiguration"] = exiv2.DataValue(bytes((1, 2, 3, 0)))
        data["Exif.Image.YCbCrPositioning"] = exiv2.UShortValue(1)
        for axis in "XY":
            data[f"Exif.Image.{axis}Resolution"] = exiv2.URationalValue((form.ppi, 1))
        data["Exif.Image.ResolutionUnit"] = exiv2.UShortValue(2)


def _copy_exif(origin: exiv2.Image, data: exiv2.ExifData, policy: str, only: tuple[str, ...] = ()) -> None:
    tags = origin.exifData()
    for datum in tags:
        key = str(datum.key())
        with suppress(exiv2.Exiv2Error):  # a value that cannot be written again
            if wanted(key, policy) and (not only or _any(key, only)):
                data[key] = datum.value()
    if policy == "rights":
        return
    for name in _OF_FIRST:
        found = tags.findKey(exiv2.ExifKey(f"Exif.Image.{name}"))
        key = exiv2.ExifKey(f"Exif.Photo.{name}")
        if found != tags.end() and data.findKey(key) == data.end():
            data[f"Exif.Photo.{name}"] = found.value()
    _from_notes(tags, data)


def _from_notes(tags: exiv2.ExifData, data: exiv2.ExifData) -> None:
    """What only the maker's notes say (they are not copied): the lens and the sensitivity."""
    said = {one.name: one for one in read_shot(tags)}
    for name, key in (("lens", "LensModel"), ("ISO", "ISOSpeedRatings")):
        one = said.get(name)
        if one is None or data.findKey(exiv2.ExifKey(f"Exif.Photo.{key}")) != data.end():
            continue
        if name == "ISO":
            data[f"Exif.Photo.{key}"] = exiv2.UShortValue(min(round(float(one.words)), 65_535))
        else:
            data[f"Exif.Photo.{key}"] = exiv2.AsciiValue(one.words)


def _copy_xmp(origin: exiv2.XmpData, packet: exiv2.XmpData, policy: str) -> None:
    """Add what is wanted; what is there already is replaced."""
    for datum in origin:
        key = str(datum.key())
        with suppress(exiv2.Exiv2Error):
            if wanted(key, policy):
                packet[key] = datum.value()


def _copy_iptc(origin: exiv2.IptcData, iptc: exiv2.IptcData, packet: exiv2.XmpData, policy: str) -> None:
    """Add what is wanted, and its XMP where the source has none (other formats hold no IPTC)."""
    held = {str(datum.key()) for datum in packet}
    lists: dict[str, list[str]] = {}
    for datum in origin:
        key = str(datum.key())
        if not wanted(key, policy):
            continue
        with suppress(exiv2.Exiv2Error):
            iptc.add(exiv2.IptcKey(key), datum.value())
            twin = _AS_XMP.get(key.rpartition(".")[2])
            if twin is not None and f"Xmp.{twin}" not in held:
                lists.setdefault(f"Xmp.{twin}", []).append(plain_text(str(datum.toString()), 2000))
    for twin, values in lists.items():
        with suppress(exiv2.Exiv2Error):
            packet[twin] = values if twin in ("Xmp.dc.subject", "Xmp.dc.creator") else values[0]


def _beside(source: Path) -> Iterator[exiv2.Image]:
    """The XMP files beside a source, where there are any that can be read."""
    for path in rating_paths(source):
        with suppress(IrvaneError, exiv2.Exiv2Error):
            held = read_small(path, _LARGEST, "a packet of metadata")
            if held is not None:
                image = exiv2.ImageFactory.open(held)
                image.readMetadata()
                yield image


def _caption(data: exiv2.ExifData) -> str:
    found = data.findKey(exiv2.ExifKey("Exif.Image.ImageDescription"))
    text = "" if found == data.end() else str(found.toString()).strip("\0 ")
    return "" if _any(text, _NO_CAPTION) else text


def _add_history(packet: exiv2.XmpData, software: str, description: str) -> None:
    """One more event behind those that the source had."""
    events = [str(datum.key()) for datum in packet if str(datum.key()).startswith("Xmp.xmpMM.History[")]
    last = max((int(key.partition("[")[2].partition("]")[0]) for key in events), default=0)
    if not events:
        history = exiv2.XmpTextValue()
        history.setXmpArrayType(exiv2.XmpValue.XmpArrayType.xaSeq)
        packet["Xmp.xmpMM.History"] = history
    event = f"Xmp.xmpMM.History[{last + 1}]/stEvt"
    packet[f"{event}:action"] = "derived"
    packet[f"{event}:softwareAgent"] = software
    packet[f"{event}:when"] = datetime.now(UTC).isoformat(timespec="seconds")
    packet[f"{event}:parameters"] = plain_text(description, 2000)


def packed(source: Path, software: str, description: str, form: Form, kept: Kept) -> tuple[bytes, bytes]:
    """Exif (a TIFF structure) and XMP (a packet, UTF-8) for formats that hold these as they are."""
    image = exiv2.ImageFactory.create(exiv2.ImageType.jpeg)
    carry(source, image, software, description, form, kept)
    image.writeMetadata()
    stream = image.io()
    stream.open()
    with stream.mmap() as data:
        exif = _segment(bytes(data), b"Exif\0\0")
    trouble, text = exiv2.XmpParser.encode(image.xmpData(), exiv2.XmpParser.XmpFormatFlags.useCompactFormat)
    return exif, b"" if trouble else text.encode("utf-8")


def exr_attributes(source: Path, kept: Kept) -> dict[str, float | str]:
    """What OpenEXR's standard optional attributes hold of a source (Technical Introduction to OpenEXR)."""
    found: dict[str, float | str | None] = {"owner": kept.rights or None}
    if kept.what not in ("none", "rights"):
        info = read_info(source)
        found |= {
            "expTime": info.shutter, "aperture": info.aperture, "isoSpeed": info.iso, "focus": info.distance,
            "capDate": info.taken.strftime("%Y:%m:%d %H:%M:%S") if info.taken else None,
        }  # fmt: skip
    return {name: value for name, value in found.items() if value is not None}


def _segment(jpeg: bytes, mark: bytes) -> bytes:
    """The body of a JPEG's segment (ITU-T T.81) that begins with a mark; empty where there is none."""
    at = 2
    while at + 4 <= len(jpeg) and jpeg[at] == 0xFF and jpeg[at + 1] != 0xDA:
        length = int.from_bytes(jpeg[at + 2 : at + 4], "big")
        if jpeg[at + 4 : at + 4 + len(mark)] == mark:
            return jpeg[at + 4 + len(mark) : at + 2 + length]
        at += 2 + length
    return b""
