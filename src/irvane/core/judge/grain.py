"""What the noise of a flat rectangle looks like: fine grain or blotches, and whether a pattern repeats in
it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

SMALLEST = 24
#: Ends of the bands in cycles per pixel: blotches, medium, fine grain.
BANDS = (0.0625, 0.25)
_NAMES = ("blotches", "medium", "fine grain")
#: A line of the spectrum that stands out by more than chance would allow once in a thousand rectangles is a
#: pattern.
_CHANCE = 1e-3
_SMOOTH = 9


@dataclass(frozen=True)
class GrainFigures:
    """Noise by scale.

    Attributes
    ----------
    shares : shares of the variance in blotches, medium, fine grain; of noise without correlation they are
        `white`.
    words : the kind that stands out most against noise without correlation.
    pattern : period in pixels of what repeats, None when nothing does.
    """

    shares: tuple[float, float, float]
    white: tuple[float, float, float]
    words: str
    pattern: float | None


def grain_figures(values: np.ndarray) -> GrainFigures:
    """Look at the noise of an H×W plane; uneven light (a plane of second order) is taken off first.

    Raises
    ------
    ValueError
        With a sentence, when the rectangle is too small or without noise.
    """
    plane = np.asarray(values, np.float64)
    h, w = plane.shape
    if min(h, w) < SMALLEST:
        raise ValueError(f"Grain needs at least {SMALLEST} × {SMALLEST} pixels.")
    y, x = np.mgrid[-1 : 1 : h * 1j, -1 : 1 : w * 1j]
    design = np.stack([v.ravel() for v in (np.ones_like(x), x, y, x * x, x * y, y * y)], axis=1)
    coefficients, *_ = np.linalg.lstsq(design, plane.ravel(), rcond=None)
    residual = plane - (design @ coefficients).reshape(h, w)
    if residual.std() <= 1e-9:
        raise ValueError("There is no noise in this rectangle.")
    window = np.hanning(h)[:, None] * np.hanning(w)
    power = np.abs(np.fft.fft2(residual * window)) ** 2
    frequency = np.hypot(np.fft.fftfreq(h)[:, None], np.fft.fftfreq(w))
    place = np.digitize(frequency, BANDS)
    shares = [float(power[place == k].sum() / power.sum()) for k in range(3)]
    white = [float((place == k).mean()) for k in range(3)]
    excess = [share / max(plain, 1e-9) for share, plain in zip(shares, white, strict=True)]
    words = "even grain" if max(excess) < 1.5 else _NAMES[int(np.argmax(excess))]
    return GrainFigures(
        (shares[0], shares[1], shares[2]), (white[0], white[1], white[2]), words, _pattern(power, frequency)
    )


def _pattern(power: np.ndarray, frequency: np.ndarray) -> float | None:
    """Period of the strongest line of the spectrum, if chance does not explain it."""
    around = _local_mean(power)
    ratio = np.where(frequency > BANDS[0] / 2, power / np.maximum(around, 1e-30), 0)
    # powers of noise are exponentially distributed around their mean; half of the plane is the mirror of the
    # other
    limit = np.log(power.size / 2 / _CHANCE)
    best = int(np.argmax(ratio))
    if ratio.flat[best] < limit:
        return None
    return float(1 / frequency.flat[best])


def _local_mean(power: np.ndarray) -> np.ndarray:
    """Median of the surroundings, as a mean: lines do not raise it."""
    h, w = power.shape
    half = _SMOOTH // 2
    padded = np.pad(power, half, mode="wrap")
    shifted = [
        padded[j : j + h, i : i + w] for j in range(_SMOOTH) for i in range(_SMOOTH) if (j, i) != (half, half)
    ]
    return np.median(shifted, axis=0) / np.log(2)
