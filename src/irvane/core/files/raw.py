"""Decoding raw files through LibRaw: counts, levels, pattern, colour data. No demosaicing happens here."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from irvane.core.errors import ReadError
from irvane.core.files.boundary import check_size, reading, textual
from irvane.core.files.camera_data import camera_colour, noise_profile
from irvane.core.files.formats import kind_of
from irvane.core.files.info import FrameInfo, open_metadata, read_info
from irvane.core.files.plain_dng import PlainMosaic, read_plain_dng
from irvane.core.image import BLUE, GREEN, RED, CameraColour, NoiseModel
from irvane.core.lazily import lazily
from irvane.core.sensor.six_by_six import phase

if TYPE_CHECKING:
    import exiv2
    import rawpy
    import tifffile
else:
    exiv2 = lazily("exiv2")
    rawpy = lazily("rawpy")
    tifffile = lazily("tifffile")

#: Frames smaller than this cannot be demosaiced sensibly; larger ones than the second figure are not
#: pictures.
MIN_SIDE, MAX_SIDE = 16, 65_000

#: DNG tag MaskedAreas: top, left, bottom, right of each.
_MASKED_AREAS = 50830
#: Rows and columns of margins that are left out at their edges.
_EDGE = 4


@dataclass(frozen=True)
class RawFrame:
    """A decoded raw: counts of the active area, before any levels.

    Attributes
    ----------
    counts : uint16, H×W mosaic, or H×W×3 for linear (already demosaiced) raws.
    cfa : filter pattern at the top left active pixel, or None for linear and monochrome raws.
    black, white : levels per channel (red, green, blue) in counts.
    flip : 0, 3 (180°), 5 (90° counter-clockwise) or 6 (90° clockwise), LibRaw's codes.
    notes : sentences about fallbacks taken.
    masked : counts and colours (0 red, 1 green, 2 blue) of pixels that see no light, 1-D; None without such.
    uneven : what the black level of each place of the pattern is above that of its colour, like `cfa`.
    """

    path: Path
    counts: np.ndarray
    cfa: np.ndarray | None
    black: np.ndarray
    white: np.ndarray
    colour: CameraColour
    noise: NoiseModel | None
    flip: int
    info: FrameInfo
    notes: tuple[str, ...]
    masked: tuple[np.ndarray, np.ndarray] | None = None
    uneven: np.ndarray | None = None


#: White of light in floating point, in counts; tag WhiteLevel.
_COUNTS, _WHITE_LEVEL = 65535.0, 50717


@dataclass(frozen=True)
class _Decoded:
    """Samples and what is needed to understand them, whoever decoded them.

    Attributes
    ----------
    counts, cfa, flip, masked : as in RawFrame.
    black : levels, one for each place of `cfa`; one alone without a pattern.
    white : level in counts.
    listed : XYZ→camera matrix known for the model, or None.
    shots : camera values of a neutral object, the best known first.
    """

    counts: np.ndarray
    cfa: np.ndarray | None
    black: np.ndarray
    white: float
    listed: np.ndarray | None
    shots: tuple[np.ndarray, ...]
    flip: int
    masked: tuple[np.ndarray, np.ndarray] | None


def _floating(path: Path) -> np.ndarray | None:
    """Light of a linear DNG in floating point, as counts; None for others. LibRaw makes the brightest value
    white."""
    with tifffile.TiffFile(path) as file:
        first = file.pages.first
        for page in (first, *(first.pages or ())):
            if page.sampleformat == tifffile.SAMPLEFORMAT.IEEEFP and page.samplesperpixel == 3:
                check_size(path, page.imagewidth, page.imagelength)
                white = page.tags.get(_WHITE_LEVEL)
                top = 1.0 if white is None else float(np.ravel(white.value)[0])
                return np.asarray(page.asarray(), np.float32) * np.float32(_COUNTS / top)
    return None


def _plain(dng: PlainMosaic) -> _Decoded:
    rows, columns = dng.active
    areas = dng.masked or _margin(rows, columns.start)
    masked = None
    if areas:
        p = dng.cfa.shape[0]
        h, w = dng.counts.shape
        places = np.ix_((np.arange(h) - rows.start) % p, (np.arange(w) - columns.start) % p)
        masked = _chosen(dng.counts, dng.cfa[places], areas)
    counts = np.ascontiguousarray(dng.counts[dng.active])
    return _Decoded(counts, dng.cfa, dng.black, dng.white, None, (dng.neutral,), dng.flip, masked)


def _through_libraw(path: Path) -> _Decoded:
    with textual(path) as name, rawpy.imread(name) as raw:
        check_size(path, raw.sizes.width, raw.sizes.height)
        counts = raw.raw_image_visible
        cfa = None
        if counts.ndim == 3:
            counts = counts[..., :3]
        elif raw.num_colors == 3:
            cfa = _pattern(raw, path)
        elif raw.num_colors != 1:
            raise ReadError(path, f"a sensor with {raw.num_colors} filter colours is not supported")
        # LibRaw lists R, G, B, second G
        black = np.array([*raw.black_level_per_channel, 0.0, 0.0, 0.0, 0.0], float)[:4]
        if cfa is not None:
            black = black[raw.raw_colors_visible[: cfa.shape[0], : cfa.shape[0]]]
        with np.errstate(divide="ignore"):
            shots = [
                1 / np.array(gains[:3], float)
                for gains in (raw.camera_whitebalance, raw.daylight_whitebalance)
            ]
        return _Decoded(
            counts.copy(), cfa, black, float(raw.white_level or 0), np.array(raw.rgb_xyz_matrix, float)[:3,
            :3],
            tuple(shots), int(raw.sizes.flip), None if cfa is None else _masked(path, raw),
        )  # fmt: skip


def _pattern(raw: rawpy.RawPy, path: Path) -> np.ndarray:
    colours = raw.raw_colors_visible
    description = raw.color_desc.decode("ascii", "replace")
    if set(description[: int(colours.max()) + 1]) - set("RGB"):
        raise ReadError(path, f"a sensor with the colours {description} is not supported")
    lookup = np.array([{"R": 0, "G": 1, "B": 2}[c] for c in description], dtype=np.int64)
    side = 6 if raw.raw_pattern is not None and raw.raw_pattern.shape[0] == 6 else 2
    if colours.shape[0] < 12 or colours.shape[1] < 12:
        raise ReadError(path, "the picture is too small to be a raw frame")
    cfa = lookup[colours[:side, :side]]
    if not np.array_equal(cfa, lookup[colours[side : 2 * side, :side]]):
        raise ReadError(path, "the colour filter pattern is of an unknown kind")
    if set(cfa.ravel().tolist()) != {0, 1, 2}:
        raise ReadError(path, "the colour filter pattern lacks a colour")
    return cfa


def _is_known(cfa: np.ndarray) -> bool:
    """Is it an array that can be interpolated: a Bayer array, or a shift of the 6×6 array that is known?"""
    if cfa.shape == (2, 2):
        diagonals = cfa[0, 0] == cfa[1, 1] == GREEN, cfa[0, 1] == cfa[1, 0] == GREEN
        return any(diagonals) and set(cfa.ravel().tolist()) == {RED, GREEN, BLUE}
    try:
        phase(cfa)
    except ValueError:
        return False
    return True


def _levels(decoded: _Decoded, notes: list[str]) -> tuple[np.ndarray, np.ndarray, np.ndarray | None]:
    """Black and white of red, green and blue, and how the places of the pattern differ from their colour's
    black."""
    if decoded.cfa is None:
        black, uneven = decoded.black[:3] + np.zeros(3), None
    else:
        black = np.array([decoded.black[decoded.cfa == c].mean() for c in range(3)])
        uneven = decoded.black - black[decoded.cfa]
    white = np.full(3, decoded.white)
    if (white <= black + 15).any():
        white = np.full(3, float(np.iinfo(np.uint16).max))
        if (top := float(decoded.counts.max())) > black.max() + 15:
            white = np.full(3, top)
        notes.append("The file states no usable white level; the brightest value was taken.")
    return black, white, uneven


def _masked_areas(path: Path, raw: rawpy.RawPy) -> list[tuple[slice, slice]]:
    """Rows and columns of the raw array that see no light: as a DNG states them, or the margins beside the
    picture."""
    sizes = raw.sizes
    try:
        with tifffile.TiffFile(path) as file:
            first = file.pages.first
            for page in (first, *(first.pages or ())):
                if _MASKED_AREAS in page.tags:
                    edges = np.ravel(page.tags[_MASKED_AREAS].value).reshape(-1, 4)
                    return [(slice(int(t), int(b)), slice(int(le), int(r))) for t, le, b, r in edges]
    except Exception:  # not a TIFF structure: the margins are what there is
        pass
    return _margin(slice(sizes.top_margin, sizes.top_margin + sizes.height), sizes.left_margin)


def _margin(rows: slice, columns: int) -> list[tuple[slice, slice]]:
    """The margin at the left of a picture, but for its edges, where it is wide enough."""
    if columns < 3 * _EDGE:
        return []
    return [(slice(rows.start + _EDGE, rows.stop - _EDGE), slice(_EDGE, columns - _EDGE))]


def _masked(path: Path, raw: rawpy.RawPy) -> tuple[np.ndarray, np.ndarray] | None:
    """Counts and colours of the pixels that see no light, if there are any."""
    areas = _masked_areas(path, raw)
    if not areas:
        return None
    return _chosen(raw.raw_image, _colours_of(raw), areas)


def _chosen(
    counts: np.ndarray, colours: np.ndarray, areas: Sequence[tuple[slice, slice]]
) -> tuple[np.ndarray, np.ndarray]:
    parts = [(counts[area].ravel(), colours[area].ravel()) for area in areas]
    return np.concatenate([p[0] for p in parts]), np.concatenate([p[1] for p in parts])


def _colours_of(raw: rawpy.RawPy) -> np.ndarray:
    """Colour of every pixel of the raw array, margins included."""
    letters = raw.color_desc.decode("ascii", "replace")
    return np.array(["RGB".find(letter) for letter in letters], np.int8)[raw.raw_colors]


def _is_cut_off(path: Path) -> bool:
    """Does a DNG promise pixels beyond the end of the file? LibRaw fills some of those with zeros,
    silently."""
    size = path.stat().st_size
    try:
        with tifffile.TiffFile(path) as file:
            first = file.pages.first
            pages = [first, *(first.pages or ())]
            ends = [o + n for p in pages for o, n in zip(p.dataoffsets, p.databytecounts, strict=False)]
    except Exception:  # not even a TIFF structure: LibRaw's own sentence is better
        return False
    return bool(ends) and max(ends) > size


def decode_raw(path: Path) -> RawFrame:
    """Decode a raw file.

    Raises
    ------
    ReadError
        When the file is missing, not a raw, truncated, or of an unsupported kind.
    """
    notes: list[str] = []
    if kind_of(path) == "dng" and path.is_file() and _is_cut_off(path):
        raise ReadError(path, "the file is cut off; copy it again from the card")
    info = read_info(path)
    with reading(path, "it is not a raw file that can be decoded, or it is damaged"):
        return _decoded(path, info, notes)


def _decoded(path: Path, info: FrameInfo, notes: list[str]) -> RawFrame:
    try:
        data: exiv2.ExifData | None = open_metadata(path).exifData()
    except ReadError:
        data = None
    plain = read_plain_dng(path) if kind_of(path) == "dng" else None
    decoded = _plain(plain) if plain is not None else _through_libraw(path)
    if decoded.cfa is not None and not _is_known(decoded.cfa):
        side = decoded.cfa.shape[0]
        raise ReadError(path, f"its {side}×{side} colour filter pattern is of an unknown kind")
    light = _floating(path) if decoded.cfa is None and kind_of(path) == "dng" else None
    if light is not None and light.shape == decoded.counts.shape:
        decoded = replace(decoded, counts=light, black=np.zeros(3), white=_COUNTS)
    black, white, uneven = _levels(decoded, notes)
    colour = camera_colour(decoded.listed, decoded.shots, data, notes)
    counts, flip = decoded.counts, decoded.flip
    h, w = counts.shape[:2]
    if min(h, w) < MIN_SIDE or max(h, w) > MAX_SIDE:
        raise ReadError(path, f"its size of {w} × {h} pixels is not plausible")
    if flip not in (0, 3, 5, 6):
        flip = 0
    return RawFrame(
        path, counts, decoded.cfa, black, white, colour, noise_profile(data), flip, info, tuple(notes),
        decoded.masked, uneven,
    )  # fmt: skip
