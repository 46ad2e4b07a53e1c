"""The noise of a merge, by its light: which frames count changes with it, and no single gain and read noise
describes that.

Where frames fade out towards clipping the merge's standard deviation σ rises in steps. A change of scale y(x)
with dy/σ'(y) = dx/σ(x) gives the merge noise of the plain kind σ'² = gain·y + read² (that of its dark tones),
so that whatever expects a sensor's noise can work on it. This is variance stabilisation (Mäkitalo & Foi 2013)
with the integral taken of a table.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from irvane.core.image import NoiseModel
from irvane.core.kernels import serial
from irvane.core.threads import share_out

#: Entries of a table; light of its first steps relative to where noise of light and of reading are alike.
_ENTRIES, _FINEST = 4096, 0.05
_LEAST = 1e-12


@serial
def _map(begin, end, data, cfa, scale, per, tables, out):
    p, last = cfa.shape[0], tables.shape[1] - 2
    for y in range(begin, end):
        for x in range(data.shape[1]):
            v = data[y, x]
            if v <= 0:
                out[y, x] = v
            else:
                place = np.arcsinh(v / scale) * per
                i = min(int(place), last)
                table = tables[cfa[y % p, x % p]]
                out[y, x] = table[i] + np.float32(place - i) * (table[i + 1] - table[i])


@dataclass(frozen=True, eq=False)
class _Tables:
    """A function of light for each colour, at light that grows as a hyperbolic sine."""

    scale: float
    per: float
    values: np.ndarray

    def __call__(self, data: np.ndarray, cfa: np.ndarray) -> np.ndarray:
        out = np.empty(data.shape, np.float32)
        share_out(
            _map,
            len(data),
            np.ascontiguousarray(data),
            np.ascontiguousarray(cfa, np.int64),
            self.scale,
            self.per,
            self.values,
            out,
        )
        return out


def _grid(scale: float, top: float) -> tuple[np.ndarray, float]:
    per = (_ENTRIES - 1) / float(np.arcsinh(top / scale))
    return scale * np.sinh(np.arange(_ENTRIES) / per), per


@dataclass(frozen=True, eq=False)
class Variance:
    """Noise of a merge, for each colour a function of its light (1 = clipping of the reference).

    Attributes
    ----------
    model : of the dark tones, where all frames count.
    """

    model: NoiseModel
    lights: np.ndarray
    sigmas: np.ndarray
    _evened: _Tables
    _back: _Tables

    def evened(self, data: np.ndarray, cfa: np.ndarray) -> np.ndarray:
        """A mosaic (float32 H×W) of light on a scale on which `model` is its noise everywhere."""
        return self._evened(data, cfa)

    def back(self, data: np.ndarray, cfa: np.ndarray) -> np.ndarray:
        """Inverse of :meth:`evened`."""
        return self._back(data, cfa)

    def sigma(self, light: np.ndarray, colour: int | np.ndarray) -> np.ndarray:
        """Standard deviation of places of this light, float32; `colour`: of all, or an array of each
        one's."""
        light = np.maximum(light, 0)
        if isinstance(colour, np.ndarray):
            found = np.empty(light.shape, np.float32)
            for c in range(3):
                here = colour == c
                found[here] = np.interp(light[here], self.lights, self.sigmas[c])
            return found
        return np.interp(light, self.lights, self.sigmas[colour]).astype(np.float32)


def variance_of(
    noises: Sequence[NoiseModel], ratios: Sequence[float], neutral: np.ndarray, fade: tuple[float, float]
) -> Variance:
    """The noise of frames that are weighted by their inverse variance.

    Parameters
    ----------
    noises, ratios : of each frame; the reference's exposure over its own.
    neutral : what the three colours see of grey, the largest being 1: which of them clips first.
    fade : signals between which a frame fades out.
    """
    dark = np.array(
        [
            [1 / (n.read[c] ** 2 + _LEAST) / r**2 for n, r in zip(noises, ratios, strict=True)]
            for c in range(3)
        ]
    )
    read = 1 / np.sqrt(dark.sum(axis=1))
    gain = np.array(
        [
            sum(n.gain[c] * r * w**2 for n, r, w in zip(noises, ratios, dark[c], strict=True)) * read[c] ** 4
            for c in range(3)
        ]
    )
    gain = np.maximum(gain, 1e-9)
    longest, shortest = min(ratios), max(ratios)
    scale = max(_FINEST * float((read**2 / gain).min()), 1e-7 * longest)
    lights, per = _grid(scale, 2.0 * shortest)
    sigmas, evened = np.empty((3, _ENTRIES)), np.empty((3, _ENTRIES))
    for c in range(3):
        weight, spread = np.zeros(_ENTRIES), np.zeros(_ENTRIES)
        for noise, ratio in zip(noises, ratios, strict=True):
            largest = lights / ratio / max(float(neutral[c]), 1e-3)
            hold = np.clip((fade[1] - largest) / (fade[1] - fade[0]), 1e-4 if ratio == shortest else 0.0, 1)
            variance = noise.gain[c] * lights * ratio + (noise.read[c] ** 2 + _LEAST) * ratio**2
            weight += hold / variance
            spread += hold**2 / variance
        sigmas[c] = np.sqrt(spread) / weight
        stable = np.concatenate(
            [[0.0], np.cumsum(np.diff(lights) * 0.5 * (1 / sigmas[c][1:] + 1 / sigmas[c][:-1]))]
        )
        evened[c] = ((gain[c] * stable / 2 + read[c]) ** 2 - read[c] ** 2) / gain[c]
    evenly, per_back = _grid(scale, float(evened.min(axis=0)[-1]))
    back = np.stack([np.interp(evenly, evened[c], lights) for c in range(3)])
    origin = noises[int(np.argmin(ratios))].origin
    model = NoiseModel(tuple(gain.tolist()), tuple(read.tolist()), origin)  # type: ignore[arg-type]
    return Variance(
        model, lights, sigmas, _Tables(scale, per, evened.astype(np.float32)), _Tables(scale, per_back,
        back.astype(np.float32))
    )  # fmt: skip
