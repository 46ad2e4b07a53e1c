"""Demosaicing of the 6×6 array by learned linear filters.

Each pixel is classed by the direction and coherence of the local structure; for every class and each of the 36
places in the array a linear filter over a 9×9 window was fitted by least squares (the principle of RAISR: Romano,
Isidoro & Milanfar 2017, applied to demosaicing). Filters reproduce flat colours exactly. They were made by
``training/six_by_six.py`` from photographs and synthetic scenes, and act in the ratio-preserving domain of
:mod:`irvane.core.sensor.encoding`.
"""

from __future__ import annotations

from functools import lru_cache
from importlib.resources import files

import cv2
import numpy as np

from irvane.core.image import SIX_BY_SIX
from irvane.core.kernels import flat, serial
from irvane.core.powers import power
from irvane.core.sensor.encoding import from_ratio, to_ratio
from irvane.core.sensor.rim import mirrored
from irvane.core.threads import each

REACH = 4
WINDOW = 2 * REACH + 1
ANGLES = 12
#: Coherence of the structure tensor that separates flat or crossing, weakly and strongly oriented places.
COHERENCE_STEPS = (0.3, 0.65)
CLASSES = 1 + 2 * ANGLES

_PRE_SIGMA = 1.2
_TENSOR_SIGMA = 1.5
_CLASS_HALO = 16
_BAND = 128
_RIM = 12  # pixels that see the margin
_RIM_PASSES = 3
_OUTERMOST = 2  # pixels whose direction is taken from further inside: at the border it cannot be told
_PADDED = 96
_FILE = "six_by_six.npz"


@lru_cache(maxsize=1)
def _filters() -> np.ndarray:
    """float32, 36 places × classes × 3 colours × 96 (81 taps, filled up with zeros to whole vectors)."""
    with files("irvane.core.sensor").joinpath(_FILE).open("rb") as stream, np.load(stream) as stored:
        taps = stored["filters"].astype(np.float32)
    padded = np.zeros((*taps.shape[:2], 3, _PADDED), np.float32)
    padded[..., : WINDOW * WINDOW] = np.moveaxis(taps, 3, 2)
    return padded


def plain_filters() -> np.ndarray:
    """The filters of the class without direction, float32, 36 places × 3 colours × 96 taps: a linear method."""
    return np.ascontiguousarray(_filters()[:, 0])


def extend(mosaic: np.ndarray, margin: int, place: tuple[int, int]) -> np.ndarray:
    """Continue a mosaic with the array's phase `place` beyond its border; colours stay in place."""
    index = [mirrored(n, margin, margin, 2 - p, 3) for n, p in zip(mosaic.shape, place, strict=True)]
    return mosaic[np.ix_(*index)]


def phase(cfa: np.ndarray) -> tuple[int, int]:
    """Where the reference array begins in this one: (row, column) offset into the reference.

    Raises
    ------
    ValueError
        When the array is not a shift of the reference array.
    """
    for row in range(6):
        for column in range(6):
            if np.array_equal(np.roll(SIX_BY_SIX, (-row, -column), (0, 1)), cfa):
                return row, column
    raise ValueError("unknown 6×6 array")


def structure_classes(v: np.ndarray, colours: np.ndarray) -> np.ndarray:
    """Class of every pixel of a ratio-encoded mosaic `v` (float32 H×W) with filter `colours` (int H×W)."""
    guide = np.zeros_like(v)
    for colour, weight in ((0, 0.25), (1, 0.5), (2, 0.25)):
        mask = (colours == colour).astype(np.float32)
        total = cv2.GaussianBlur(v * mask, (0, 0), _PRE_SIGMA)
        guide += weight * total / cv2.GaussianBlur(mask, (0, 0), _PRE_SIGMA)
    gx = cv2.Sobel(guide, cv2.CV_32F, 1, 0, ksize=3)
    gy = cv2.Sobel(guide, cv2.CV_32F, 0, 1, ksize=3)
    xx = cv2.GaussianBlur(gx * gx, (0, 0), _TENSOR_SIGMA)
    yy = cv2.GaussianBlur(gy * gy, (0, 0), _TENSOR_SIGMA)
    xy = cv2.GaussianBlur(gx * gy, (0, 0), _TENSOR_SIGMA)
    classes = np.empty(v.shape, np.uint8)
    _classify(xx, yy, xy, classes)
    return classes


@serial
def _classify(xx, yy, xy, classes):
    h, w = xx.shape
    for y in range(h):
        for x in range(w):
            difference = xx[y, x] - yy[y, x]
            cross = 2 * xy[y, x]
            coherence = np.sqrt(difference * difference + cross * cross) / (xx[y, x] + yy[y, x] + 1e-5)
            if coherence < COHERENCE_STEPS[0]:
                classes[y, x] = 0
                continue
            angle = 0.5 * np.arctan2(cross, difference) / np.pi + 0.5
            sector = int(angle * ANGLES + 0.5) % ANGLES
            strong = 1 if coherence >= COHERENCE_STEPS[1] else 0
            classes[y, x] = 1 + strong * ANGLES + sector


@serial
def _encode(mosaic, scales, knee, out):
    for i in range(out.size):
        out[i] = to_ratio(mosaic[i] * scales[i], knee)


@serial
def _filter_row(v, classes, filters, place0, column0, vy, halo, gains, knee, base, out):
    window = np.zeros(_PADDED, np.float32)
    for x in range(out.shape[0]):
        vx = x + halo
        mean = np.float32(0)
        for j in range(WINDOW):
            for i in range(WINDOW):
                value = v[vy + j - REACH, vx + i - REACH]
                window[j * WINDOW + i] = value
                mean += value
        mean /= WINDOW * WINDOW
        for k in range(WINDOW * WINDOW):
            window[k] -= mean
        taps = filters[place0 + (column0 + x) % 6, classes[vy, vx]]
        red = np.float32(0)
        green = np.float32(0)
        blue = np.float32(0)
        for k in range(_PADDED):
            red += window[k] * taps[0, k]
            green += window[k] * taps[1, k]
            blue += window[k] * taps[2, k]
        out[x, 0] = from_ratio(mean + red, knee, base) / gains[0]
        out[x, 1] = from_ratio(mean + green, knee, base) / gains[1]
        out[x, 2] = from_ratio(mean + blue, knee, base) / gains[2]


@serial
def _apply(v, classes, filters, row0, column0, halo, gains, knee, out):
    base = power(knee, 0.4)
    for y in range(out.shape[0]):
        place0 = (row0 + y) % 6 * 6
        _filter_row(v, classes, filters, place0, column0, y + halo, halo, gains, knee, base, out[y])


def _rectangle(
    whole: np.ndarray, place: tuple[int, int], rows: tuple[int, int], columns: tuple[int, int],
    gains: np.ndarray, knee: float,
) -> np.ndarray:  # fmt: skip
    """A rectangle in full colour, from a mosaic continued by _CLASS_HALO; `place` is the array's phase."""
    halo = _CLASS_HALO
    part = np.ascontiguousarray(whole[rows[0] : rows[1] + 2 * halo, columns[0] : columns[1] + 2 * halo])
    colours = _colours(place, (rows[0] - halo, rows[1] + halo), (columns[0] - halo, columns[1] + halo))
    v = np.empty(part.shape, np.float32)
    _encode(flat(part), flat(gains[colours]), np.float32(knee), flat(v))
    out = np.empty((rows[1] - rows[0], columns[1] - columns[0], 3), np.float32)
    start = place[0] + rows[0], place[1] + columns[0]
    inside = [
        np.clip(np.arange(first - halo, last + halo), _OUTERMOST, n - 2 * halo - 1 - _OUTERMOST)
        - (first - halo)
        for (first, last), n in zip((rows, columns), whole.shape, strict=True)
    ]
    classes = np.ascontiguousarray(structure_classes(v, colours)[np.ix_(*inside)])
    _apply(v, classes, _filters(), *start, halo, gains, np.float32(knee), out)
    return out


def _colours(place: tuple[int, int], rows: tuple[int, int], columns: tuple[int, int]) -> np.ndarray:
    return SIX_BY_SIX[np.ix_((np.arange(*rows) + place[0]) % 6, (np.arange(*columns) + place[1]) % 6)]


def _continue_by_picture(whole: np.ndarray, picture: np.ndarray, place: tuple[int, int]) -> None:
    """Fill a mosaic's margin with the picture made of it, its outermost pixels continued."""
    halo = _CLASS_HALO
    h, w = picture.shape[:2]
    rows, columns = (np.clip(np.arange(-halo, n + halo), 0, n - 1) for n in (h, w))
    colours = _colours(place, (-halo, h + halo), (-halo, w + halo))
    for strip in (np.s_[:halo, :], np.s_[h + halo :, :], np.s_[:, :halo], np.s_[:, w + halo :]):
        seen = picture[np.ix_(rows[strip[0]], columns[strip[1]])]
        whole[strip] = np.take_along_axis(seen, colours[strip][..., None], axis=2)[..., 0]


def demosaic_six(mosaic: np.ndarray, cfa: np.ndarray, gains: np.ndarray, knee: float) -> np.ndarray:
    """Demosaic a 6×6 mosaic by learned, structure-classed linear filters.

    Parameters and result are those of :func:`irvane.core.sensor.bayer.demosaic_bayer`, with `cfa` 6×6: any shift
    of the reference array. Beyond the border the mosaic is
    reflected about its lines of symmetry; the rim is then done again with the picture that came of it continued.

    Raises
    ------
    ValueError
        When the array is of another kind.

    References
    ----------
    Romano, Isidoro & Milanfar, "RAISR: Rapid and Accurate Image Super Resolution", IEEE TCI 2017.
    """
    place = phase(cfa)
    h, w = mosaic.shape
    gains32 = np.asarray(gains, np.float32)
    out = np.empty((h, w, 3), np.float32)
    whole = extend(mosaic, _CLASS_HALO, place)

    def work(rectangle: tuple[tuple[int, int], tuple[int, int]]) -> None:
        rows, columns = rectangle
        out[slice(*rows), slice(*columns)] = _rectangle(whole, place, rows, columns, gains32, knee)

    for _ in each(work, [((first, min(first + _BAND, h)), (0, w)) for first in range(0, h, _BAND)]):
        pass
    for _pass in range(_RIM_PASSES if min(h, w) > 2 * _CLASS_HALO else 0):
        _continue_by_picture(whole, out, place)
        rims = [
            ((0, _RIM), (0, w)),
            ((h - _RIM, h), (0, w)),
            ((_RIM, h - _RIM), (0, _RIM)),
            ((_RIM, h - _RIM), (w - _RIM, w)),
        ]
        for _ in each(work, rims):
            pass
    return out
