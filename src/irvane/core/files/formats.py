"""Every format that pictures are read from and written to: names, endings, MIME types, depths.

What finds, opens, offers and writes files asks here. How each is read is in :mod:`irvane.core.files.rendered`
and :mod:`irvane.core.files.raw`, how each is written in :mod:`irvane.core.finish.writing`.
"""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path


@dataclass(frozen=True)
class Format:
    """A format.

    Attributes
    ----------
    key, words : its name in settings and scripts, and for people.
    endings : with their dots; the first is what is written.
    mime : type of freedesktop.org's shared database.
    opened : is it opened as a finished picture?
    depths : bits a channel that are written, the usual ones first (32 and 17 are floating point of 32 and 16
        bits); empty where it is not written.
    offered : is it offered to destinations?
    """

    key: str
    words: str
    endings: tuple[str, ...]
    mime: str = ""
    opened: bool = False
    depths: tuple[int, ...] = ()
    offered: bool = True


FORMATS = (
    Format("tiff", "TIFF", (".tif", ".tiff"), "image/tiff", True, (16, 8, 32)),
    Format("jpeg", "JPEG", (".jpg", ".jpeg"), "image/jpeg", True, (8,)),
    Format("png", "PNG", (".png",), "image/png", True, (16, 8)),
    Format("exr", "OpenEXR", (".exr",), "image/x-exr", True, (32, 17)),
    Format("dng", "linear DNG", (".dng",), "image/x-adobe-dng", False, (16, 32)),
    Format("jxl", "JPEG XL", (".jxl",), "image/jxl", False, (16, 8)),
    Format("avif", "AVIF", (".avif",), "image/avif", False, (10,)),
    Format("radiance", "Radiance HDR", (".hdr",), "image/vnd.radiance", False, (32,), offered=False),
)
_BY_KEY = {one.key: one for one in FORMATS}
_BY_ENDING = {ending: one for one in FORMATS for ending in one.endings}
#: Endings of raw files that LibRaw reads (its documentation's list, in common use).
RAW_ENDINGS = frozenset(
    f".{ending}"
    for ending in [
        "3fr",
        "ari",
        "arw",
        "bay",
        "cap",
        "cr2",
        "cr3",
        "crw",
        "dcr",
        "dcs",
        "dng",
        "drf",
        "eip",
        "erf",
        "fff",
        "gpr",
        "iiq",
        "k25",
        "kdc",
        "mdc",
        "mef",
        "mos",
        "mrw",
        "nef",
        "nrw",
        "orf",
        "ori",
        "pef",
        "ptx",
        "pxn",
        "r3d",
        "raf",
        "raw",
        "rw2",
        "rwl",
        "rwz",
        "sr2",
        "srf",
        "srw",
        "x3f",
    ]
)
#: MIME types of raw files.
_RAW_MIME = (
    "image/x-dcraw", "image/x-adobe-dng", "image/x-canon-cr2", "image/x-canon-cr3", "image/x-canon-crw",
    "image/x-nikon-nef", "image/x-nikon-nrw", "image/x-sony-arw", "image/x-fuji-raf", "image/x-olympus-orf",
    "image/x-panasonic-rw2", "image/x-pentax-pef", "image/x-samsung-srw",
)  # fmt: skip
#: MIME types of what is opened.
MIME = (*_RAW_MIME, *(one.mime for one in FORMATS if one.opened))
#: Finished pictures that are opened, and what each ending stands for.
RENDERED_KINDS = {ending: one.key for one in FORMATS if one.opened for ending in one.endings}
RENDERED_ENDINGS = frozenset(RENDERED_KINDS)
OPENABLE = RAW_ENDINGS | RENDERED_ENDINGS


def format_of(path: Path) -> Format | None:
    """The format that a file's ending names; None for raw files of cameras and everything else."""
    return _BY_ENDING.get(path.suffix.lower())


def kind_of(path: Path) -> str:
    """Its key; empty where there is none."""
    found = format_of(path)
    return "" if found is None else found.key


def format_called(key: str) -> Format:
    """A format by its key; raises KeyError."""
    return _BY_KEY[key]
