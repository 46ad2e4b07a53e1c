"""Texture kept: how much of a reference's structure another picture of the same scene still holds.

From the cross-spectrum with the reference (the principle of ISO 19567-2 and of the dead-leaves method): what
is not in the reference, such as noise, cancels out. The noise of the reference itself does not: what is
expected of it is taken from its power, and from what both have in common where both are of one frame (as in
the dead-leaves method, where the noise of an even patch is taken off; Burns 2011).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

SMALLEST = 32
#: Frequencies that are called texture, in cycles per pixel, and the bands of the curve.
LOW, HIGH = 0.1, 0.4
BANDS = np.arange(0.025, 0.5, 0.05)
#: Likeness up to which more than all texture is taken for noise, and from which for texture: where noise is
#: not known, and where it was taken off.
_ALIKE, _ALIKE_KNOWN = (0.97, 1.0), (0.6, 0.85)


@dataclass(frozen=True)
class TextureFigures:
    """Texture against a reference.

    Attributes
    ----------
    kept : share of the reference's structure between LOW and HIGH; 1 for the reference itself, more when it
        is exaggerated.
    similar : likeness of the two in the same band, −1…1: 1 where one is the other filtered.
    frequencies, response : the curve.
    error : standard error of `kept`. amplitude : how strong its own structure is against the reference's,
        alike or not. known : was the noise of both known?
    """

    kept: float
    similar: float
    frequencies: np.ndarray
    response: np.ndarray
    error: float = 0.0
    amplitude: float = 1.0
    known: bool = False

    @property
    def honest(self) -> float:
        """Texture kept, where what exceeds the reference's counts only as far as it is the same structure
        made stronger.

        A reference whose noise was removed still resembles that noise a little: a noisy picture would seem to
        hold more than all of its texture.
        """
        low, high = _ALIKE_KNOWN if self.known else _ALIKE
        alike = float(np.clip((self.similar - low) / (high - low), 0, 1))
        return self.kept if self.kept <= 1 else 1 + alike * (self.kept - 1)


def _spectrum(plane: np.ndarray) -> np.ndarray:
    h, w = plane.shape
    window = np.hanning(h)[:, None] * np.hanning(w)
    mean = float((plane * window).sum() / window.sum())
    return np.fft.rfft2((plane - mean) * window)


@dataclass(frozen=True)
class NoiseSpectrum:
    """Noise that is expected in a square.

    Attributes
    ----------
    variance : of linear light at a level of 1. shape : relative power by frequency (mean over the plane 1),
        in the bands of `RINGS`.
    """

    variance: float
    shape: np.ndarray

    def power(self, frequency: np.ndarray) -> np.ndarray:
        """Expected power of each pixel's share, by cycles per pixel."""
        return np.asarray(self.variance * np.interp(frequency, RINGS, self.shape))


#: Middles of the bands of a spectrum of noise, in cycles per pixel.
RINGS = np.arange(0.025, 0.725, 0.05)


def noise_spectrum(values: np.ndarray, mean: float) -> NoiseSpectrum:
    """The spectrum of the noise (H×W, without its light) of an even place of a mean level."""
    h, w = values.shape
    window = np.hanning(h)[:, None] * np.hanning(w)
    power = np.abs(np.fft.fft2(values * window)) ** 2 / max(float((window**2).sum()), 1e-12)
    frequency = np.hypot(np.fft.fftfreq(h)[:, None], np.fft.fftfreq(w))
    ring = np.minimum(np.digitize(frequency, RINGS + 0.025), RINGS.size - 1)
    counts = np.bincount(ring.ravel(), minlength=RINGS.size)
    shape = np.bincount(ring.ravel(), power.ravel(), RINGS.size) / np.maximum(counts, 1)
    shape[counts == 0] = shape[counts > 0][-1]
    total = float(power.mean())
    return NoiseSpectrum(total / max(mean, 1e-9) ** 2, shape / max(total, 1e-30))


@dataclass(frozen=True)
class _Sums:
    """Of the band of texture: cross power, power of both, without noise."""

    cross: np.ndarray
    own: np.ndarray
    reference: np.ndarray


def texture_figures(
    values: np.ndarray,
    reference: np.ndarray,
    noise: tuple[NoiseSpectrum | None, NoiseSpectrum | None] = (None, None),
    shared: bool = False,
) -> TextureFigures:
    """Compare two H×W planes of linear light at the same places of the scene, brought to equal brightness by
    their means.

    Parameters
    ----------
    noise : what is expected of both, at a level of 1; None: nothing is.
    shared : is it the same noise in both, but for how much of it is left? So it is of one frame.

    Raises
    ------
    ValueError
        With a sentence, when they differ in size, are too small, or the reference holds no texture.
    """
    if values.shape != reference.shape:
        raise ValueError("Both rectangles must have the same number of pixels.")
    if min(values.shape) < SMALLEST:
        raise ValueError(f"Texture needs at least {SMALLEST} × {SMALLEST} pixels.")
    level = float(values.mean()), float(reference.mean())
    if min(level) <= 1e-9:
        raise ValueError("There is no light in this rectangle.")
    planes = np.asarray(values, float) / level[0], np.asarray(reference, float) / level[1]
    frequency, sums = _sums(*planes, noise, shared)
    kept, similar = _kept(sums, frequency)
    edges = np.append(BANDS - 0.025, BANDS[-1] + 0.025)
    place = np.digitize(frequency, edges) - 1
    response = [
        float(sums.cross[place == k].sum() / max(sums.reference[place == k].sum(), 1e-30))
        for k in range(BANDS.size)
    ]
    error, known = _spread(*planes, noise, shared), all(told is not None for told in noise)
    inside = (frequency >= LOW) & (frequency <= HIGH)
    share = float(sums.own[inside].sum()) / float(sums.reference[inside].sum())
    amplitude = float(np.sqrt(max(share, 0.0)))
    return TextureFigures(kept, similar, BANDS.copy(), np.array(response), error, amplitude, known)


def _sums(
    own: np.ndarray, reference: np.ndarray, noise: tuple[NoiseSpectrum | None, NoiseSpectrum | None],
    shared: bool,
) -> tuple[np.ndarray, _Sums]:  # fmt: skip
    h, w = own.shape
    window = (np.hanning(h)[:, None] * np.hanning(w)) ** 2
    one, two = _spectrum(own), _spectrum(reference)
    frequency = np.hypot(np.fft.fftfreq(h)[:, None], np.fft.rfftfreq(w))
    expected = [
        0.0 * frequency if told is None else told.power(frequency) * float(window.sum()) for told in noise
    ]
    common = np.sqrt(expected[0] * expected[1]) if shared else 0.0
    return frequency, _Sums(
        (one * two.conj()).real - common, np.abs(one) ** 2 - expected[0], np.abs(two) ** 2 - expected[1]
    )


def _kept(sums: _Sums, frequency: np.ndarray) -> tuple[float, float]:
    """Texture kept, and how much alike both are, ring by ring: a filter takes nothing of that."""
    inside = (frequency >= LOW) & (frequency <= HIGH)
    total = float(sums.reference[inside].sum())
    if total <= 1e-12 * inside.size**2:
        raise ValueError("There is no texture in this rectangle.")
    ring = np.digitize(frequency[inside], BANDS + 0.025)
    cross, own, reference = (
        np.bincount(ring, part[inside]) for part in (sums.cross, sums.own, sums.reference)
    )
    both = np.sqrt(np.maximum(own, 0) * np.maximum(reference, 0)).sum()
    return float(cross.sum()) / total, min(float(cross.sum() / max(both, 1e-30)), 1.0)


def _spread(
    own: np.ndarray, reference: np.ndarray, noise: tuple[NoiseSpectrum | None, NoiseSpectrum | None],
    shared: bool,
) -> float:  # fmt: skip
    """Standard error of the texture kept, from its four quarters, each left out in turn (jackknife)."""
    h, w = (side // 2 for side in own.shape)
    quarters = []
    for rows in (slice(0, h), slice(h, 2 * h)):
        for columns in (slice(0, w), slice(w, 2 * w)):
            frequency, sums = _sums(own[rows, columns], reference[rows, columns], noise, shared)
            inside = (frequency >= LOW) & (frequency <= HIGH)
            quarters.append((float(sums.cross[inside].sum()), float(sums.reference[inside].sum())))
    cross, power = (np.array(part) for part in zip(*quarters, strict=True))
    left = (cross.sum() - cross) / np.maximum(power.sum() - power, 1e-30)
    return float(np.sqrt(0.75 * ((left - left.mean()) ** 2).sum()))
