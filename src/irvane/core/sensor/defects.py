"""Hot, stuck and dead pixels: single ones and pairs that no light could have made, found and replaced.

A defect stands out from its neighbours of the same colour, and those of other colours know nothing of it,
while light always spreads over them through the lens. In fine texture that is a matter of degree: a small
network that was made by ``training/defects.py`` judges every suspect by the 9×9 pixels around it, and those
that it does not clear are looked at more closely (:mod:`irvane.core.sensor.defect_classifier`).
"""

from __future__ import annotations

import numpy as np

from irvane.core import networks
from irvane.core.image import Mosaic, NoiseModel
from irvane.core.kernels import serial
from irvane.core.sensor import defect_classifier
from irvane.core.sensor.defect_candidates import Candidates, defect_candidates, level, sort
from irvane.core.sensor.neighbourhood import colours_around, surroundings
from irvane.core.threads import each

#: Pixels to each side that the judgement sees.
REACH = 4
_SIDE = 2 * REACH + 1
#: The surroundings of the suspect's colour, those of other colours, and figures of the suspect, of how
#: restless they are, and of how many suspects there are: sharp pictures have many, and none of them is a
#: defect.
FEATURES = 2 * _SIDE**2 + 10
#: Standard deviations of the noise above which surroundings are as restless as can be told.
_RESTLESS = 8.0
#: Standard deviation, relative to white, where a model says that there is no noise.
_LEAST_NOISE = 1e-5
#: Side of the squares in which suspects are counted.
_SQUARE = 192
#: Candidates that are judged at once.
_MANY = 2048
#: Values further than this many times the suspect's own height count as this far.
_FAR = 2.0

_PACKAGE, _NETWORK = "irvane.core.sensor", "defects"


def fingerprint() -> str:
    """Hash of the weights of both networks."""
    return networks.fingerprint(_PACKAGE, _NETWORK) + defect_classifier.fingerprint()


@serial
def _unrest(own, count, middle, noise, odd):
    """Sum of squared differences from the middle in units of the noise; `odd` keeps the three largest."""
    total = np.float32(0)
    for k in range(count):
        off = ((own[k] - middle) / noise) ** 2
        total += off
        if off > odd[0]:
            odd[0], odd[1], odd[2] = off, odd[0], odd[1]
        elif off > odd[1]:
            odd[1], odd[2] = off, odd[1]
        elif off > odd[2]:
            odd[2] = off
    return total


@serial
def _see_all(data, ys, xs, period, colours, gain, variance, instead, excess, spread, out):
    """What the network is told of suspects; `colours` are those around every place of the array."""
    around, owns = np.empty(_SIDE * _SIDE, np.float32), np.empty((3, _SIDE * _SIDE), np.float32)
    aparts, counts = np.empty((3, _SIDE * _SIDE, 2), np.float64), np.empty(3, np.int64)
    middles, noises, odd = np.zeros(3, np.float32), np.zeros(3, np.float32), np.zeros(3, np.float32)
    centre, n = _SIDE * _SIDE // 2, 2 * _SIDE * _SIDE
    for s in range(ys.size):
        kinds, told = colours[(ys[s] % period) * period + xs[s] % period], out[s]
        here = kinds[centre]
        sign = np.float32(1) if excess[s] > 0 else np.float32(-1)
        surroundings(data, ys[s], xs[s], period, REACH, around)
        total, many = np.float32(0), 0
        odd[:] = 0
        counts[:] = 0
        for k in range(_SIDE * _SIDE):
            c = kinds[k]
            at = counts[c]
            owns[c, at] = around[k]
            aparts[c, at, 0], aparts[c, at, 1] = k // _SIDE - REACH, k % _SIDE - REACH
            counts[c] += k != centre
        for c in range(3):
            own, count = owns[c], counts[c]
            if count > 5:
                level(own, aparts[c], count, 2)
            sort(own, count)
            middle = own[count // 2] if count else np.float32(0)
            noise = np.sqrt(gain[c] * max(middle, np.float32(0)) + variance[c])
            noises[c] = max(noise, np.float32(_LEAST_NOISE))
            middles[c] = max(middle, noises[c], np.float32(1e-6))
            total += _unrest(own, count, middle, noises[c], odd)
            many += count
        height = abs(excess[s]) / middles[here]
        for k in range(_SIDE * _SIDE):
            r = sign * (around[k] / middles[kinds[k]] - 1) / height
            r = min(max(r, np.float32(-_FAR)), np.float32(_FAR))
            told[k] = r if kinds[k] == here else np.float32(0)
            told[_SIDE * _SIDE + k] = np.float32(0) if kinds[k] == here else r
        told[n] = 0.25 * np.log2(abs(excess[s]) / noises[here])
        told[n + 1] = sign
        told[n + 2] = spread[s] / abs(excess[s])
        r = sign * (instead[s] / middles[here] - 1) / height
        told[n + 3] = min(max(r, np.float32(-_FAR)), np.float32(_FAR))
        for c in range(3):
            told[n + 4 + c] = noises[c] / middles[c] / height
        # the two oddest around may be defects themselves
        restless = np.sqrt(max(total - odd[0] - odd[1], np.float32(0)) / max(many - 2, 1))
        told[n + 7] = 0.5 * min(restless, np.float32(_RESTLESS))
        told[n + 8] = 0.25 * min(np.sqrt(odd[2]), np.float32(_RESTLESS))


def crowding(found: Candidates, shape: tuple[int, int]) -> np.ndarray:
    """Share of suspects among the pixels of the square around each suspect: N."""
    down, across = (-(-n // _SQUARE) for n in shape)
    square = found.y // _SQUARE * across + found.x // _SQUARE
    sides = (
        np.diff(np.minimum(np.arange(k + 1) * _SQUARE, n)) for k, n in zip((down, across), shape, strict=True)
    )
    return (np.bincount(square, minlength=down * across) / np.outer(*sides).ravel())[square]


def seen(mosaic: Mosaic, noise: NoiseModel, found: Candidates, crowds: np.ndarray, part: slice) -> np.ndarray:
    """What the network is told of a part of the suspects, whose crowding is known: float32, N×FEATURES."""
    colours = colours_around(mosaic.cfa, REACH)
    gain, variance = np.array(noise.gain, np.float32), np.array(noise.read, np.float32) ** 2
    figures = [v[part] for v in (found.instead, found.excess, found.spread)]
    out = np.empty((figures[0].size, FEATURES), np.float32)
    _see_all(
        mosaic.data, found.y[part], found.x[part], mosaic.cfa.shape[0], colours, gain, variance, *figures, out
    )
    out[:, -1] = 0.2 * np.log2(1 + 1e5 * crowds[part])
    return out


def possible(mosaic: Mosaic, noise: NoiseModel, found: Candidates) -> tuple[np.ndarray, np.ndarray]:
    """Which of the suspects the first network does not clear, and what is told of them: int N, and see
    `defect_classifier.figures`."""
    crowds = crowding(found, mosaic.data.shape)

    def judge(part: slice) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        told = seen(mosaic, noise, found, crowds, part)
        first = networks.run(_PACKAGE, _NETWORK, told)[:, 0]
        near = np.flatnonzero(first > defect_classifier.NEAR)
        return near + part.start, told[near], first[near]

    parts = list(each(judge, [slice(k, k + _MANY) for k in range(0, found.y.size, _MANY)]))
    near, told, first = (np.concatenate(columns) for columns in zip(*parts, strict=True))
    return near, defect_classifier.figures(told, first, crowding(found.only(near), mosaic.data.shape))


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
    found = defect_candidates(mosaic, noise)
    if not found.y.size:
        return 0
    near, told = possible(mosaic, noise, found)
    wrong = found.only(near[defect_classifier.defective(mosaic, noise, found, near, told)])
    mosaic.data[wrong.y, wrong.x] = wrong.instead
    return wrong.y.size
