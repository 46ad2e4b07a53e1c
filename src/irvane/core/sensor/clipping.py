"""Which pixels clip: marks for every colour, and clipped colours held at the clip."""

from __future__ import annotations

import cv2
import numpy as np

from irvane.core.image import Mosaic, NoiseModel
from irvane.core.kernels import serial
from irvane.core.threads import share_out

#: Signal, relative to clipping, from which a colour counts as clipped; it fades in from the first figure on.
CLIP_START, CLIP_FULL = 0.96, 0.995
#: Pixels on each side whose clipping speaks for that of a noisy pixel.
BELIEF_REACH = 2
#: Noise at white from which single pixels are not believed to clip, and what they are lowered to.
_VISIBLE, _BELOW = 0.01, 0.99
#: How far below the clip a pixel may be without noise: in standard deviations of the noise at white, and at
#: most.
_NEAR, _NEAREST = 2.0, 0.04


@serial
def _reach_clip(begin, end, data, limit, rows):
    for y in range(begin, end):
        row = data[y]
        highest = row[0]
        for x in range(row.size):
            highest = max(highest, row[x])
        rows[y] = highest >= limit


def rows_near_clip(data: np.ndarray) -> np.ndarray:
    """Rows that hold a clipped pixel, and those beside them: bool."""
    rows = np.zeros(data.shape[0], np.bool_)
    share_out(_reach_clip, len(data), data, np.float32(CLIP_FULL), rows)
    near = rows.copy()
    near[1:] |= rows[:-1]
    near[:-1] |= rows[1:]
    return near


@serial
def _collect(row, colours, limit, clipped, held):
    """Add the colours (bits) of a row's clipped pixels to `clipped`, those of the others to `held`."""
    for x in range(row.size):
        over = row[x] >= limit
        clipped[x] |= colours[x] if over else np.uint8(0)
        held[x] |= np.uint8(0) if over else colours[x]


@serial
def _beside(wide, out):
    """Of every pixel its own bits and those of its neighbours to the left and right; `wide` has one more at
    each end."""
    for x in range(out.size):
        out[x] = wide[x] | wide[x + 1] | wide[x + 2]


@serial
def _around(data, colours, limit, y, clipped, held):
    """Colours (bits) that are clipped, and that are not, in the 3×3 pixels around every pixel of a row."""
    w = data.shape[1]
    over, under = np.zeros(w + 2, np.uint8), np.zeros(w + 2, np.uint8)
    for j in range(max(y - 1, 0), min(y + 2, data.shape[0])):
        _collect(data[j], colours[j % colours.shape[0]], limit, over[1 : w + 1], under[1 : w + 1])
    _beside(over, clipped)
    _beside(under, held)


@serial
def _mark(begin, end, data, colours, limit, rows, bits):
    for y in range(begin, end):
        if rows[y]:
            held = np.empty(data.shape[1], np.uint8)
            _around(data, colours, limit, y, bits[y], held)


@serial
def _hold(begin, end, data, colours, limit, rows, picture):
    for y in range(begin, end):
        if rows[y]:
            clipped, held = np.empty(data.shape[1], np.uint8), np.empty(data.shape[1], np.uint8)
            _around(data, colours, limit, y, clipped, held)
            for x in range(data.shape[1]):
                sure = clipped[x] & ~held[x]
                if sure:
                    for c in range(3):
                        if sure >> c & 1:
                            picture[y, x, c] = max(picture[y, x, c], np.float32(1))


def _colour_bits(mosaic: Mosaic) -> np.ndarray:
    """The bit of every pixel's colour in the rows of the array: uint8, rows × width."""
    width, period = mosaic.data.shape[1], mosaic.cfa.shape[1]
    bits = np.uint8(1) << mosaic.cfa.astype(np.uint8)
    return np.ascontiguousarray(np.tile(bits, (1, -(-width // period)))[:, :width])


def clip_bits(mosaic: Mosaic) -> np.ndarray | None:
    """uint8 per pixel: bit c where colour c is clipped in its 3×3 pixels (its colour's reach); None when
    nothing is."""
    rows = rows_near_clip(mosaic.data)
    if not rows.any():
        return None
    bits = np.zeros(mosaic.data.shape, np.uint8)
    share_out(_mark, len(mosaic.data), mosaic.data, _colour_bits(mosaic), np.float32(CLIP_FULL), rows, bits)
    return bits


def believed(mosaic: Mosaic, after: np.ndarray, noise: NoiseModel) -> np.ndarray:
    """A mosaic before denoising, clipped only where light clips and not noise alone.

    In clouds below the clip noise lifts single pixels to it; held at the clip after denoising, they would
    stay as white specks. Where noise is visible, a pixel counts as clipped when most of its colour around it
    are, or when it is about as bright without noise too.

    Parameters
    ----------
    mosaic : 1 = clipping.
    after : the same denoised, float32 H×W.
    noise : its noise model.

    Returns
    -------
    float32 H×W: the mosaic itself, or with pixels raised to the clip and lowered below it.
    """
    data = mosaic.data
    sigma = max(g + r**2 for g, r in zip(noise.gain, noise.read, strict=True)) ** 0.5
    if sigma < _VISIBLE:
        return data
    rows = rows_near_clip(data)
    if not rows.any():
        return data
    over = (data >= CLIP_FULL).astype(np.uint8)
    side = 2 * BELIEF_REACH + 1
    out = np.minimum(data, np.float32(_BELOW))
    colours = mosaic.colours()
    for c in range(3):
        own = (colours == c).astype(np.uint8)
        count, clipped = (
            cv2.boxFilter(plane, cv2.CV_16U, (side, side), normalize=False, borderType=cv2.BORDER_CONSTANT)
            for plane in (own, own & over)
        )
        out[own.view(bool) & (2 * clipped >= count)] = 1.0
    out[over.view(bool) & (after >= 1 - min(_NEAR * sigma, _NEAREST))] = 1.0
    return out


def hold_clipped(picture: np.ndarray, mosaic: Mosaic) -> None:
    """In place: a colour that is clipped wherever it was measured around a pixel is clipped there.

    Interpolation and denoising leave single pixels a little below the clip, which would not be rebuilt with
    the others.

    Parameters
    ----------
    picture : float32 H×W×3, camera-linear, 1 = clipping.
    mosaic : what it was made of, before denoising.
    """
    rows = rows_near_clip(mosaic.data)
    share_out(
        _hold, len(mosaic.data), mosaic.data, _colour_bits(mosaic), np.float32(CLIP_FULL), rows, picture
    )
