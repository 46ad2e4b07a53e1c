"""Demosaicing of the 6×6 array by learned linear filters.

Each pixel is classed by the direction and coherence of the local structure; for every class and each of the
36 places in the array a linear filter over a 9×9 window was fitted by least squares (the principle of RAISR:
Romano, Isidoro & Milanfar 2017, applied to demosaicing). Filters reproduce flat colours exactly. They were
made by ``training/six_by_six.py`` from photographs and synthetic scenes, and act in the ratio-preserving
domain of :mod:`irvane.core.sensor.encoding`.
"""

from __future__ import annotations

from functools import lru_cache
from importlib.resources import files

import cv2
import numpy as np

from irvane.core.image import SIX_BY_SIX
from irvane.core.kernels import flat, serial
from irvane.core.sensor.encoding import decode_rows, to_ratio
from irvane.core.sensor.padding import ALL_BORDERS, Borders, mirrored
from irvane.core.sensor.windows import REACH, filter_rows, prepared, windows
from irvane.core.threads import each

ANGLES = 12
#: Coherence of the structure tensor that separates flat or crossing, weakly and strongly oriented places.
COHERENCE_STEPS = (0.3, 0.65)
CLASSES = 1 + 2 * ANGLES
_WEAK, _STRONG = (np.float32(step) for step in COHERENCE_STEPS)
_TAN_15 = np.float32(np.tan(np.pi / 12))

_PRE_SIGMA = 1.2
_TENSOR_SIGMA = 1.5
_CLASS_HALO = 16
_BAND = 128
_RIM = 12  # pixels that see the margin
_RIM_PASSES = 3
_OUTERMOST = 2  # pixels whose direction is taken from further inside: at the border it cannot be told
_FILE = "six_by_six.npz"


@lru_cache(maxsize=1)
def _filters() -> np.ndarray:
    """36 places × classes × 3 colours × taps."""
    with files("irvane.core.sensor").joinpath(_FILE).open("rb") as stream, np.load(stream) as stored:
        return prepared(stored["filters"].astype(np.float64))


def plain_filters() -> np.ndarray:
    """The filters of the class without direction, by which the method is linear: 36 places × 3 colours ×
    9×9."""
    return windows(_filters()[:, 0])


def extend(mosaic: np.ndarray, margin: int, place: tuple[int, int]) -> np.ndarray:
    """Continue a mosaic with the array's phase `place` beyond its border; colours stay in place."""
    (h, w), m = mosaic.shape, margin
    rows, columns = (mirrored(n, m, m, 2 - p, 3) for n, p in zip(mosaic.shape, place, strict=True))
    out = np.empty((h + 2 * m, w + 2 * m), mosaic.dtype)
    middle = out[m : m + h]
    middle[:, m : m + w] = mosaic
    middle[:, :m], middle[:, m + w :] = mosaic[:, columns[:m]], mosaic[:, columns[m + w :]]
    out[:m], out[m + h :] = middle[rows[:m]], middle[rows[m + h :]]
    return out


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


@lru_cache(maxsize=36)
def _norms(pattern: bytes) -> np.ndarray:
    """Weights of the blurred colours in the guide, by the place in the array: float32, 6×3×6."""
    colours = np.tile(np.frombuffer(pattern, SIX_BY_SIX.dtype).reshape(6, 6), (8, 8))
    inside = np.s_[18:24, 18:24]  # out of the border's reach
    norms = []
    for colour, weight in ((0, 0.25), (1, 0.5), (2, 0.25)):
        mask = (colours == colour).astype(np.float32)
        norms.append(weight / cv2.GaussianBlur(mask, (0, 0), _PRE_SIGMA)[inside])
    return np.ascontiguousarray(np.swapaxes(norms, 0, 1), np.float32)


@serial
def _separate(v, pattern, planes):
    """Each value into the plane of its colour."""
    for y in range(v.shape[0]):
        for x in range(v.shape[1]):
            planes[pattern[np.uintp(y % 6), np.uintp(x % 6)], y, x] = v[y, x]


@serial
def _weigh(red, green, blue, weights, out):
    for i in range(out.size):
        out[i] = red[i] * weights[0, i] + green[i] * weights[1, i] + blue[i] * weights[2, i]


@serial
def _weigh_rows(planes, weights, out):
    for y in range(out.shape[0]):
        _weigh(planes[0, y], planes[1, y], planes[2, y], weights[y % 6], out[y])


@serial
def _products(gx, gy, xx, yy, xy):
    for i in range(gx.size):
        xx[i] = gx[i] * gx[i]
        yy[i] = gy[i] * gy[i]
        xy[i] = gx[i] * gy[i]


def _guide(v: np.ndarray, pattern: np.ndarray) -> np.ndarray:
    planes = np.zeros((3, *v.shape), np.float32)
    _separate(v, pattern, planes)
    for plane in planes:
        cv2.GaussianBlur(plane, (0, 0), _PRE_SIGMA, dst=plane)
    weights = np.tile(_norms(pattern.tobytes()), -(-v.shape[1] // 6))
    guide = np.empty_like(v)
    _weigh_rows(planes, weights, guide)
    return guide


def structure_classes(v: np.ndarray, pattern: np.ndarray) -> np.ndarray:
    """Class of every pixel of a ratio-encoded mosaic `v` (float32 H×W), whose colours repeat `pattern`
    (6×6)."""
    guide = _guide(v, np.ascontiguousarray(pattern))
    gx = cv2.Sobel(guide, cv2.CV_32F, 1, 0, ksize=3)
    gy = cv2.Sobel(guide, cv2.CV_32F, 0, 1, ksize=3)
    tensor = np.empty((3, *v.shape), np.float32)
    _products(flat(gx), flat(gy), *(flat(plane) for plane in tensor))
    for plane in tensor:
        cv2.GaussianBlur(plane, (0, 0), _TENSOR_SIGMA, dst=plane)
    classes = np.empty(v.shape, np.uint8)
    _classify(*(flat(plane) for plane in tensor), flat(classes))
    return classes


@serial
def _classify(xx, yy, xy, classes):
    for i in range(classes.size):
        difference = xx[i] - yy[i]
        cross = 2 * xy[i]
        coherence = np.sqrt(difference * difference + cross * cross) / (xx[i] + yy[i] + np.float32(1e-5))
        # twice the angle in steps of 30 degrees, folded into the first quadrant: 0 to 3
        across, along = abs(cross), abs(difference)
        step = (across > _TAN_15 * along) + (across > along) + (across * _TAN_15 > along)
        half = step if difference >= 0 else 6 - step
        sector = (6 + half if cross >= 0 else 18 - half) % ANGLES
        oriented = 1 + sector + (ANGLES if coherence >= _STRONG else 0)
        classes[i] = 0 if coherence < _WEAK else oriented


@serial
def _encode(mosaic, scales, knee, out):
    for i in range(out.size):
        out[i] = to_ratio(mosaic[i] * scales[i], knee)


@serial
def _encode_rows(mosaic, scales, knee, out):
    for y in range(out.shape[0]):
        _encode(mosaic[y], scales[y % 6], knee, out[y])


def _rectangle(
    whole: np.ndarray, place: tuple[int, int], rows: tuple[int, int], columns: tuple[int, int],
    gains: np.ndarray, knee: float, out: np.ndarray,
) -> None:  # fmt: skip
    """A rectangle in full colour, from a mosaic continued by _CLASS_HALO; `place` is the array's phase."""
    halo = _CLASS_HALO
    part = whole[rows[0] : rows[1] + 2 * halo, columns[0] : columns[1] + 2 * halo]
    pattern = _colours(
        place, (rows[0] - halo, rows[0] - halo + 6), (columns[0] - halo, columns[0] - halo + 6)
    )
    v = np.empty(part.shape, np.float32)
    _encode_rows(part, np.tile(gains[pattern], -(-part.shape[1] // 6)), np.float32(knee), v)
    inside = [
        np.clip(np.arange(first, last), _OUTERMOST, n - 2 * halo - 1 - _OUTERMOST) - first + halo
        for (first, last), n in zip((rows, columns), whole.shape, strict=True)
    ]
    classes = np.ascontiguousarray(structure_classes(v, pattern)[np.ix_(*inside)])
    near = slice(halo - REACH, REACH - halo)
    filter_rows(v[near, near], classes, _filters(), place[0] + rows[0], place[1] + columns[0], out)
    decode_rows(out, gains, knee)


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


def demosaic_six(
    mosaic: np.ndarray, cfa: np.ndarray, gains: np.ndarray, knee: float, borders: Borders = ALL_BORDERS
) -> np.ndarray:
    """Demosaic a 6×6 mosaic by learned, structure-classed linear filters.

    Parameters and result are those of :func:`irvane.core.sensor.bayer.demosaic_bayer`, with `cfa` 6×6: any
    shift of the reference array. Beyond the border the mosaic is reflected about its lines of symmetry; the
    rim is then done again, at the frame's own `borders`, with the picture that came of it continued.

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
        _rectangle(whole, place, rows, columns, gains32, knee, out[slice(*rows), slice(*columns)])

    for _ in each(work, [((first, min(first + _BAND, h)), (0, w)) for first in range(0, h, _BAND)]):
        pass
    rims = [
        ((0, _RIM), (0, w)),
        ((h - _RIM, h), (0, w)),
        ((_RIM, h - _RIM), (0, _RIM)),
        ((_RIM, h - _RIM), (w - _RIM, w)),
    ]
    wanted = [rim for rim, border in zip(rims, borders, strict=True) if border]
    for _pass in range(_RIM_PASSES if wanted and min(h, w) > 2 * _CLASS_HALO else 0):
        _continue_by_picture(whole, out, place)
        for _ in each(work, wanted):
            pass
    return out
