"""A closer look at pixels that a first judgement holds for possible defects.

A convolutional network, made by ``training/closer.py``, sees the 15×15 pixels around, each colour by itself.
It takes a hundred times as long for a pixel as the first judgement does: only few come here.
"""

from __future__ import annotations

import numpy as np

from irvane.core import networks
from irvane.core.image import Mosaic, NoiseModel
from irvane.core.kernels import serial
from irvane.core.sensor.defect_candidates import Candidates, sort
from irvane.core.sensor.neighbourhood import colours_around, surroundings
from irvane.core.threads import each

#: Pixels to each side.
REACH = 7
SIDE = 2 * REACH + 1
#: Values of the suspect's own colour and of the two others, and where the first two of these are.
PLANES = 5
#: Figures of the first judgement that are told again, with its result and how many pixels it holds for
#: possible defects.
TOLD = 10
FEATURES = PLANES * SIDE**2 + TOLD + 2
#: Result of the first judgement above which a pixel comes here.
NEAR = -7.0
#: Results that are doubtful, those that are sure, and the share of doubtful ones among true defects.
_DOUBTFUL, _SURE, _STRAY = (-3.0, -1.0), 2.0, 0.03
#: Doubtful pixels among 100,000 that are expected beforehand, and how many 100,000 pixels that is worth: for
#: small pictures.
_EXPECTED, _TRUST = 3.0, 0.25
#: Doubtful pixels among 100,000 with which the limit is 0, how much it rises when there are twice as many,
#: and the lowest limit. Chosen on the photographs that training leaves out.
_ORDINARY, _STEEP, _LOWEST = 7.0, 1.25, -0.75
#: Pixels that are judged at once.
_MANY = 256
_LEAST_NOISE = 1e-6
_FAR = 2.0

_PACKAGE, _NETWORK = "irvane.core.sensor", "defects_closer"


def fingerprint() -> str:
    """Hash of the network's weights."""
    return networks.fingerprint(_PACKAGE, _NETWORK)


@serial
def _look(data, ys, xs, period, colours, gain, variance, excess, out):
    """Planes of the pixels around, as excesses over the median of their colour in units of the suspect's
    own."""
    count = SIDE * SIDE
    around, own = np.empty(count, np.float32), np.empty(count, np.float32)
    middles = np.empty(3, np.float32)
    for s in range(ys.size):
        kinds, told = colours[(ys[s] % period) * period + xs[s] % period], out[s]
        here = kinds[count // 2]
        sign = np.float32(1) if excess[s] > 0 else np.float32(-1)
        surroundings(data, ys[s], xs[s], period, REACH, around)
        for c in range(3):
            n = 0
            for k in range(count):
                if kinds[k] == c:
                    own[n] = around[k]
                    n += 1
            sort(own, n)
            middles[c] = own[n // 2] if n else np.float32(0)
        noise = np.sqrt(gain[here] * max(middles[here], np.float32(0)) + variance[here])
        least = max(noise, np.float32(_LEAST_NOISE))
        height = abs(excess[s]) / max(middles[here], least)
        for k in range(count):
            kind = (kinds[k] - here) % 3
            r = sign * (around[k] / max(middles[kinds[k]], least) - 1) / height
            r = min(max(r, np.float32(-_FAR)), np.float32(_FAR))
            for plane in range(3):
                told[plane * count + k] = r if kind == plane else np.float32(0)
            told[3 * count + k] = np.float32(kind == 0)
            told[4 * count + k] = np.float32(kind == 1)


def looked(
    mosaic: Mosaic, noise: NoiseModel, found: Candidates, near: np.ndarray, told: np.ndarray
) -> np.ndarray:
    """What the network is told of some of the suspects.

    Parameters
    ----------
    near : int, N; which of the suspects.
    told : float32, N×(TOLD + 2); figures of the first judgement, its result, and how many came here: see
        `figures`.

    Returns
    -------
    float32, N×FEATURES.
    """
    gain, variance = np.array(noise.gain, np.float32), np.array(noise.read, np.float32) ** 2
    out = np.empty((near.size, FEATURES), np.float32)
    _look(
        mosaic.data, found.y[near], found.x[near], mosaic.cfa.shape[0], colours_around(mosaic.cfa, REACH),
        gain, variance,
        found.excess[near], out,
    )  # fmt: skip
    out[:, PLANES * SIDE**2 :] = told
    return out


def figures(seen: np.ndarray, first: np.ndarray, crowds: np.ndarray) -> np.ndarray:
    """What is told of the first judgement: its figures (N×…, the last TOLD), result and crowding (N): N×(TOLD
    + 2)."""
    return np.column_stack([seen[:, -TOLD:], 0.1 * first, 0.2 * np.log2(1 + 1e5 * crowds)]).astype(np.float32)


def defective(
    mosaic: Mosaic, noise: NoiseModel, found: Candidates, near: np.ndarray, told: np.ndarray
) -> np.ndarray:
    """Which of some suspects are defects; parameters as of `looked`: bool, N."""

    def judge(part: slice) -> np.ndarray:
        seen = looked(mosaic, noise, found, near[part], told[part])
        return networks.run(_PACKAGE, _NETWORK, seen)[:, 0]

    parts = [slice(k, k + _MANY) for k in range(0, near.size, _MANY)]
    results = np.concatenate([np.zeros(0, np.float32), *each(judge, parts)])
    return results > limit(results, mosaic.data.size)


def limit(results: np.ndarray, pixels: int) -> float:
    """Result above which a pixel of this mosaic counts as a defect.

    The sharper a picture is, the more of its pixels are doubtful: nearly defects, by the network's results,
    but not quite. Their number tells how many good ones are on the other side. It hardly depends on how many
    true defects there are.
    """
    low, high = _DOUBTFUL
    doubtful = np.count_nonzero((results > low) & (results < high)) - _STRAY * np.count_nonzero(
        results > _SURE
    )
    density = (max(doubtful, 0.0) + _EXPECTED * _TRUST) / (pixels / 1e5 + _TRUST)
    return max(_STEEP * float(np.log2(density / _ORDINARY)), _LOWEST)
