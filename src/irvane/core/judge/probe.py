"""Figures of a flat probe: mean, noise and signal-to-noise ratio of a small rectangle.

Noise is the standard deviation after a plane has been removed (uneven light is not noise) and without values
beyond six median absolute deviations (a stuck pixel is not noise either). SNR follows ISO 15739: mean over
standard deviation, in dB as 20·log10.
"""

from __future__ import annotations

import math
from dataclasses import asdict, dataclass
from typing import Any

import numpy as np

from irvane.core.image import LUMA_2020

MADS = 6.0
#: A median absolute deviation times this is a standard deviation for Gaussian noise.
MAD_TO_SIGMA = 1.4826
SMALLEST = 4


@dataclass(frozen=True)
class ProbeFigures:
    """Figures of one rectangle in linear light; everything relative to 1 = white.

    Attributes
    ----------
    mean : red, green, blue.
    sigma : standard deviation of red, green, blue.
    luminance, sigma_luminance : mean and noise of BT.2020 luminance.
    sigma_colour : root mean square of the noise of R−Y and B−Y.
    snr_db : luminance mean over its noise, in dB; None when there is no noise or no light.
    level_ev : luminance in stops around mid-grey; None at or below zero.
    """

    mean: tuple[float, float, float]
    sigma: tuple[float, float, float]
    luminance: float
    sigma_luminance: float
    sigma_colour: float
    snr_db: float | None
    level_ev: float | None
    pixels: int

    def as_dict(self) -> dict[str, Any]:
        """JSON-ready form."""
        return asdict(self)


def robust_sigma(values: np.ndarray) -> float:
    """Standard deviation of a plane-corrected H×W array without outliers beyond 6 MAD."""
    h, w = values.shape
    y, x = np.mgrid[0:h, 0:w]
    return robust_sigma_at(values.ravel(), y.ravel(), x.ravel())


def robust_sigmas(planes: np.ndarray) -> list[float]:
    """:func:`robust_sigma` of several planes (N×H×W) at once."""
    _, h, w = planes.shape
    values = planes.astype(np.float64)
    y, x = np.linspace(-1, 1, h)[:, None], np.linspace(-1, 1, w)[None]
    # over a whole rectangle mean and slopes do not touch each other
    left = values - values.mean(axis=(1, 2), keepdims=True)
    left -= (left * x).sum(axis=(1, 2), keepdims=True) / (h * (x * x).sum()) * x
    left -= (left * y).sum(axis=(1, 2), keepdims=True) / (w * (y * y).sum()) * y
    flat = left.reshape(len(planes), -1)
    off = np.abs(flat - np.median(flat, axis=1, keepdims=True))
    spread = np.median(off, axis=1)
    outside = (np.abs(flat) > MADS * spread[:, None]).any(axis=1) & (spread > 1e-12)
    sigmas = np.sqrt((flat**2).sum(axis=1) / max(flat.shape[1] - 3, 1))
    return [
        robust_sigma(plane) if stuck else float(sigma)
        for plane, stuck, sigma in zip(planes, outside, sigmas, strict=True)
    ]


def robust_sigma_at(values: np.ndarray, y: np.ndarray, x: np.ndarray) -> float:
    """Standard deviation as of :func:`robust_sigma`, of values (N) at any places y, x."""
    design = np.stack([np.ones(values.size), x - x.mean(), y - y.mean()], axis=1)
    flat = values.astype(np.float64)
    keep = np.ones(flat.size, bool)
    for _ in range(3):
        used = design[keep]
        coefficients, *_rest = np.linalg.lstsq(used.T @ used, used.T @ flat[keep], rcond=None)
        residual = flat - design @ coefficients
        spread = float(np.median(np.abs(residual[keep] - np.median(residual[keep]))))
        fresh = np.abs(residual) <= MADS * spread if spread > 1e-12 else np.ones(flat.size, bool)
        if (fresh == keep).all() or fresh.sum() <= 3:
            break
        keep = fresh
    used = residual[keep]
    return float(np.sqrt(np.sum(used**2) / max(used.size - 3, 1)))


def read_probe(pixels: np.ndarray, luma: np.ndarray = LUMA_2020) -> ProbeFigures:
    """Figures of a rectangle of linear pixels (float H×W×3, BT.2020 unless `luma` weighs other primaries), at
    least SMALLEST pixels a side.

    Raises
    ------
    ValueError
        When the rectangle is smaller.
    """
    if min(pixels.shape[:2]) < SMALLEST:
        raise ValueError(f"A probe needs at least {SMALLEST} × {SMALLEST} pixels.")
    luminance = pixels @ luma
    planes = [luminance, *(pixels[..., c] - luminance for c in (0, 2)), *np.moveaxis(pixels, 2, 0)]
    sigma_y, *others = robust_sigmas(np.stack(planes))
    colour, sigmas = others[:2], others[2:]
    mean_y = float(luminance.mean())
    snr = 20 * math.log10(mean_y / sigma_y) if sigma_y > 0 and mean_y > 0 else None
    means = pixels.reshape(-1, 3).mean(axis=0)
    return ProbeFigures(
        mean=(float(means[0]), float(means[1]), float(means[2])),
        sigma=(sigmas[0], sigmas[1], sigmas[2]),
        luminance=mean_y,
        sigma_luminance=sigma_y,
        sigma_colour=float(np.sqrt(np.mean(np.square(colour)))),
        snr_db=snr,
        level_ev=math.log2(mean_y / 0.18) if mean_y > 0 else None,
        pixels=int(luminance.size),
    )
