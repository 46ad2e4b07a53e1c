"""Denoising of a mosaic, tile by tile, with the method for its colour array."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial

import numpy as np

from irvane.core.image import GREEN, Mosaic, NoiseModel
from irvane.core.noise import classical, learned
from irvane.core.noise.stabilise import stabilise, unstabilise
from irvane.core.progress import Progress, always, step
from irvane.core.sensor.padding import ALL_BORDERS, Borders
from irvane.core.threads import CORES, each

#: A tile may be so much wider than usual where that saves a second one.
_STRETCHED = 1.25
#: Tiles per core that even out how long they take.
_FEWEST = 2


#: Takes a piece of a mosaic, its array, noise model, gains, strength, and at which sides the frame ends;
#: returns the clean piece.
Tile = Callable[[np.ndarray, np.ndarray, NoiseModel, np.ndarray, float, Borders], np.ndarray]


@dataclass(frozen=True)
class Method:
    """A way to denoise a tile.

    Attributes
    ----------
    name : name and version, part of every cache key and of proofs.
    tile : denoises a piece.
    halo : pixels that a tile needs around itself; beyond the measured noise, those of the fast method more.
        What lies further away changes results by less than 0.005 σ of the noise.
    side : rows and columns of a tile.
    fingerprint : hash of its weights; empty when there are none.
    align : tiles and their halos begin so many pixels apart, or half as many: windows, scales and arrays line
        up.
    """

    name: str
    tile: Tile
    halo: int
    side: tuple[int, int]
    fingerprint: Callable[[], str] = str
    align: int = 48


#: Share of the network where its result is averaged with the fast method's.
_NETWORK = 0.85
#: Standard deviations of the noise that the opinions may be apart.
_APART = 1.2


def _two_opinions(
    data: np.ndarray, cfa: np.ndarray, noise: NoiseModel, gains: np.ndarray, strength: float,
    borders: Borders = ALL_BORDERS, margin: int = learned.MARGIN, whole: bool = True,
) -> np.ndarray:  # fmt: skip
    """Network and fast method averaged: their errors are partly independent of each other."""
    first = learned.denoise_tile(data, cfa, noise, gains, strength, borders, margin, whole)
    second = classical.denoise_tile_fast(data, cfa, noise, gains, strength)
    if margin:
        first = _near(first, second, cfa, noise)
    return np.float32(_NETWORK) * first + np.float32(1 - _NETWORK) * second


def _near(first: np.ndarray, second: np.ndarray, cfa: np.ndarray, noise: NoiseModel) -> np.ndarray:
    """The first opinion, held smoothly to within _APART standard deviations of the noise from the second."""
    h, w = second.shape
    colours = np.tile(cfa, (-(-h // cfa.shape[0]), -(-w // cfa.shape[1])))[:h, :w]
    gain, read = (np.array(v, np.float32)[colours] for v in (noise.gain, noise.read))
    limit = np.float32(_APART**2) * (gain * np.maximum(second, 0) + read**2)
    apart = first - second
    return second + apart / np.sqrt(1 + apart**2 / np.maximum(limit, np.float32(1e-12)))


def _honest(tile: Tile) -> Tile:
    """A network that is told of stronger noise than there is shifts the mean of even areas: what is to be
    removed beyond the measured noise is taken by the fast method from what the network leaves."""

    def work(
        data: np.ndarray, cfa: np.ndarray, noise: NoiseModel, gains: np.ndarray, strength: float,
        borders: Borders = ALL_BORDERS,
    ) -> np.ndarray:  # fmt: skip
        clean = tile(data, cfa, noise, gains, min(strength, 1.0), borders)
        if strength <= 1:
            return clean
        # the inverse of the stabilisation expects the noise that is gone by now
        expected = unstabilise(stabilise(clean, cfa, noise), cfa, noise) - clean
        return classical.denoise_tile_fast(clean, cfa, noise, gains, strength - 1) - expected

    return work


#: What proofs say of how noise was removed: at first the networks saw nothing beyond the border of a frame;
#: then they computed all of it in floating point.
FIRST, SECOND, NEWEST = "removal@1", "removal@2", "removal@3"
_SIDE = (1056, 1056)
_floating = partial(learned.denoise_tile, whole=False)
_opinions_floating = partial(_two_opinions, whole=False)
#: By what a proof says, and the number of rows of the colour array.
_LEARNED = {
    (NEWEST, 2): Method(
        "mosaic-network@8", _honest(learned.denoise_tile), 56, _SIDE, partial(learned.fingerprint, 2, True), 8
    ),
    (NEWEST, 6): Method(
        "two-opinions-6x6@11", _honest(_two_opinions), 72, _SIDE, partial(learned.fingerprint, 6, True), 24
    ),
    (SECOND, 2): Method(
        "mosaic-network@7", _honest(_floating), 56, _SIDE, partial(learned.fingerprint, 2), 8
    ),
    (SECOND, 6): Method(
        "two-opinions-6x6@10", _honest(_opinions_floating), 72, _SIDE, partial(learned.fingerprint, 6), 24
    ),
    (FIRST, 2): Method(
        "mosaic-network@6", partial(_floating, margin=0), 56, _SIDE, partial(learned.fingerprint, 2), 8
    ),
    (FIRST, 6): Method(
        "two-opinions-6x6@9",
        partial(_opinions_floating, margin=0),
        72,
        _SIDE,
        partial(learned.fingerprint, 6),
        24,
    ),
}
#: A second opinion without training, to measure against.
CLASSICAL = Method("sliding-cosine@3", classical.denoise_tile, 96, (1056, 1056))
FAST_METHOD = Method("sliding-cosine-fast@3", classical.denoise_tile_fast, 48, (1056, 1056), align=24)
BEST, FAST = "best", "fast"


@dataclass(frozen=True)
class Removal:
    """How noise is to be removed: the multiple of the measured noise that is taken for noise, the kind of
    method, and its age.

    `by` is NEWEST; old proofs have SECOND or FIRST.
    """

    strength: float = 0.0
    kind: str = BEST
    by: str = NEWEST


def method_for(cfa: np.ndarray, kind: str = BEST, by: str = NEWEST) -> Method:
    """The method of a kind (BEST or FAST) for a colour array."""
    if kind == FAST:
        return FAST_METHOD
    return _LEARNED[by, cfa.shape[0]]


def denoise_mosaic(
    mosaic: Mosaic,
    noise: NoiseModel,
    gains: np.ndarray,
    strength: float = 1.0,
    rows: tuple[int, int] | None = None,
    columns: tuple[int, int] | None = None,
    progress: Progress = always,
    method: Method | None = None,
) -> np.ndarray:
    """Denoise a mosaic, or a part of it with the result it has in the whole.

    Parameters
    ----------
    mosaic : the whole mosaic.
    noise : its noise model.
    gains : reference white-balance gains of the three colours (they only steer what counts as colour).
    strength : multiple of the measured noise that is taken for noise; 0 returns the mosaic unchanged.
    rows, columns : half-open ranges of the wanted part; all when None.
    progress : called with the share done; returns False to cancel.
    method : the best one for the colour array when None.

    Returns
    -------
    float32 mosaic of the wanted part.

    Raises
    ------
    Cancelled
        When `progress` returns False.
    """
    h, w = mosaic.data.shape
    top, bottom = rows or (0, h)
    left, right = columns or (0, w)
    if strength <= 0:
        return mosaic.data[top:bottom, left:right].copy()
    cfa = np.ascontiguousarray(mosaic.cfa, dtype=np.int64)
    chosen = method or method_for(cfa)
    align, halo = chosen.align, chosen.halo + (FAST_METHOD.halo if strength > 1 else 0)
    out = np.empty((bottom - top, right - left), np.float32)

    def work(place: tuple[int, int]) -> None:
        y, x = place
        last_y, last_x = min(y + tall, bottom), min(x + wide, right)
        y0, x0 = (max(0, v // align * align - halo) for v in (y, x))
        tile = np.ascontiguousarray(mosaic.data[y0 : last_y + halo, x0 : last_x + halo])
        borders = y0 == 0, last_y + halo >= h, x0 == 0, last_x + halo >= w
        clean = chosen.tile(tile, cfa, noise, gains, strength, borders)
        out[y - top : last_y - top, x - left : last_x - left] = clean[
            y - y0 : last_y - y0, x - x0 : last_x - x0
        ]

    width = right - left
    wide = width if width <= _STRETCHED * chosen.side[1] else chosen.side[1]
    # every core has something to do, but what lies around tiles is done twice: they are not split for nothing
    across = -(-width // wide)
    down = max(-(-(bottom - top) // int(_STRETCHED * chosen.side[0])), -(-_FEWEST * CORES // across))
    tall = -(-(bottom - top) // (down * align)) * align
    places = [(y, x) for y in range(top, bottom, tall) for x in range(left, right, wide)]
    share = 0.0

    def told() -> None:
        step(progress, share)

    told()
    for done, _ in enumerate(each(work, places, told), 1):
        share = done / len(places)
        told()
    return out


def automatic_amount(noise: NoiseModel) -> float:
    """Automatic strength in per cent from the measured noise: 100 once noise is visible, little at base ISO.

    Judged by the SNR of an 18 % grey in green. Common practice: denoising pays from about ISO 800 (SNR near
    34 on a full-frame sensor), hardly at 500, and does harm at 100–200 (SNR 70 and more).
    """
    snr = noise.snr(0.18, GREEN)
    visible = np.clip((np.log2(95.0) - np.log2(max(snr, 1.0))) / (np.log2(95.0) - np.log2(38.0)), 0.0, 1.0)
    return float(np.round(20 + 80 * visible))
