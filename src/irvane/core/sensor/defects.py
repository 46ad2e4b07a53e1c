"""Hot, stuck and dead pixels: single ones and pairs that no light could have made, found and replaced.

A defect stands out from its neighbours of the same colour, and those of other colours know nothing of it, while light
always spreads over them through the lens. In fine texture that is a matter of degree: a small network
that was made by ``training/defects.py`` judges every suspect by the 9×9 pixels around it.
"""

from __future__ import annotations

from collections.abc import Iterator

import numba
import numpy as np

from irvane.core import networks
from irvane.core.image import Mosaic, NoiseModel
from irvane.core.kernels import kernel, serial
from irvane.core.sensor.suspects import Suspects, level, suspects
from irvane.core.threads import each

#: Pixels to each side that the judgement sees.
REACH = 4
_SIDE = 2 * REACH + 1
#: The surroundings of the suspect's colour, those of other colours, and figures of the suspect, of how restless they are, and of
#: how many suspects there are: sharp pictures have many, and none of them is a defect.
FEATURES = 2 * _SIDE**2 + 10
#: Standard deviations of the noise above which surroundings are as restless as can be told.
_RESTLESS = 8.0
#: Side of the squares in which suspects are counted.
_SQUARE = 192
#: Suspects that are judged at once.
_MANY = 8192
#: Values further than this many times the suspect's own height count as this far.
_FAR = 2.0

_PACKAGE, _NETWORK = "irvane.core.sensor", "defects"


def fingerprint() -> str:
    """Hash of the network's weights."""
    return networks.fingerprint(_PACKAGE, _NETWORK)


@serial
def _inside(at, size, period):
    """The place of the same colour inside the rim."""
    while at < 0:
        at += period
    while at >= size:
        at -= period
    return at


@serial
def _see(data, y, x, cfa, gain, variance, instead, excess, spread, around, own, apart, out):
    """What the network is told of a suspect; `around`, `own` and `apart` are room to work in."""
    h, w = data.shape
    p = cfa.shape[0]
    here = cfa[y % p, x % p]
    sign = np.float32(1) if excess > 0 else np.float32(-1)
    middles, noises = np.zeros(3, np.float32), np.zeros(3, np.float32)
    for k in range(_SIDE * _SIDE):
        j, i = y + k // _SIDE - REACH, x + k % _SIDE - REACH
        j, i = max(_inside(j, h, p), 0), max(_inside(i, w, p), 0)
        if j == y and i == x and k != _SIDE * _SIDE // 2:  # beyond the rim, but not the suspect itself again
            i = i + p if i + p < w else max(i - p, 0)
        around[k] = data[j, i]
    total, many = np.float32(0), 0
    first, second, third = np.float32(0), np.float32(0), np.float32(0)
    for c in range(3):
        count = 0
        for k in range(_SIDE * _SIDE):
            j, i = k // _SIDE - REACH, k % _SIDE - REACH
            if cfa[(y + j) % p, (x + i) % p] == c and (j or i):
                own[count] = around[k]
                apart[count, 0], apart[count, 1] = j, i
                count += 1
        if count > 5:
            level(own, apart, count, 2)
        own[:count].sort()
        middle = own[count // 2] if count else np.float32(0)
        noises[c] = np.sqrt(gain[c] * max(middle, np.float32(0)) + variance[c])
        middles[c] = max(middle, noises[c], np.float32(1e-6))
        for k in range(count):
            off = ((own[k] - middle) / noises[c]) ** 2
            total += off
            if off > first:
                first, second, third = off, first, second
            elif off > second:
                second, third = off, second
            elif off > third:
                third = off
        many += count
    height = abs(excess) / middles[here]
    for k in range(_SIDE * _SIDE):
        j, i = y + k // _SIDE - REACH, x + k % _SIDE - REACH
        c = cfa[j % p, i % p]
        r = sign * (around[k] / middles[c] - 1) / height
        r = min(max(r, np.float32(-_FAR)), np.float32(_FAR))
        out[k] = r if c == here else np.float32(0)
        out[_SIDE * _SIDE + k] = np.float32(0) if c == here else r
    n = 2 * _SIDE * _SIDE
    out[n] = 0.25 * np.log2(abs(excess) / noises[here])
    out[n + 1] = sign
    out[n + 2] = spread / abs(excess)
    out[n + 3] = sign * (instead / middles[here] - 1) / height
    out[n + 3] = min(max(out[n + 3], np.float32(-_FAR)), np.float32(_FAR))
    for c in range(3):
        out[n + 4 + c] = noises[c] / middles[c] / height
    # the two oddest around may be defects themselves
    restless = np.sqrt(max(total - first - second, np.float32(0)) / max(many - 2, 1))
    out[n + 7] = 0.5 * min(restless, np.float32(_RESTLESS))
    out[n + 8] = 0.25 * min(np.sqrt(third), np.float32(_RESTLESS))


@kernel
def _see_all(data, ys, xs, cfa, gain, variance, instead, excess, spread, out):
    for k in numba.prange(ys.size):
        around, own = np.empty(_SIDE * _SIDE, np.float32), np.empty(_SIDE * _SIDE, np.float32)
        apart = np.empty((_SIDE * _SIDE, 2), np.int64)
        _see(
            data, ys[k], xs[k], cfa, gain, variance, instead[k], excess[k], spread[k], around, own, apart, out[k]
        )  # fmt: skip


def crowding(found: Suspects, shape: tuple[int, int]) -> np.ndarray:
    """Share of suspects among the pixels of the square around each suspect: N."""
    down, across = (-(-n // _SQUARE) for n in shape)
    square = found.y // _SQUARE * across + found.x // _SQUARE
    sides = (
        np.diff(np.minimum(np.arange(k + 1) * _SQUARE, n)) for k, n in zip((down, across), shape, strict=True)
    )
    return (np.bincount(square, minlength=down * across) / np.outer(*sides).ravel())[square]


def seen(mosaic: Mosaic, noise: NoiseModel, found: Suspects, crowds: np.ndarray, part: slice) -> np.ndarray:
    """What the network is told of a part of the suspects, whose crowding is known: float32, N×FEATURES."""
    cfa = np.ascontiguousarray(mosaic.cfa, dtype=np.int64)
    gain, variance = np.array(noise.gain, np.float32), np.array(noise.read, np.float32) ** 2
    figures = [v[part] for v in (found.instead, found.excess, found.spread)]
    out = np.empty((figures[0].size, FEATURES), np.float32)
    _see_all(mosaic.data, found.y[part], found.x[part], cfa, gain, variance, *figures, out)
    out[:, -1] = 0.2 * np.log2(1 + 1e5 * crowds[part])
    return out


def _judged(mosaic: Mosaic, noise: NoiseModel, found: Suspects) -> Iterator[np.ndarray]:
    """Which of the suspects are defects, part by part."""
    crowds = crowding(found, mosaic.data.shape)

    def judge(part: slice) -> np.ndarray:
        return networks.run(_PACKAGE, _NETWORK, seen(mosaic, noise, found, crowds, part))[:, 0] > 0

    yield from each(judge, [slice(k, k + _MANY) for k in range(0, found.y.size, _MANY)])


def repair_defects(mosaic: Mosaic, noise: NoiseModel) -> int:
    """Replace defective pixels by the mean of their same-colour neighbours, in place.

    Parameters
    ----------
    mosaic : of either array.
    noise : its noise model; what is no further out than noise explains is left alone.

    Returns
    -------
    How many pixels were replaced.
    """
    found = suspects(mosaic, noise)
    if not found.y.size:
        return 0
    wrong = np.concatenate(list(_judged(mosaic, noise, found)))
    mosaic.data[found.y[wrong], found.x[wrong]] = found.instead[wrong]
    return int(wrong.sum())
