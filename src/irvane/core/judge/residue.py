"""How surely a figure of noise is known: what is left of a square after its light, how many of its pixels
tell something of their own, and the interval in which the difference of two pictures lies.

Neighbouring pixels of a developed picture share their noise, so that a square of 4,096 pixels may tell no
more than 200 independent ones would (Bayley & Hammersley 1946: the effective number of observations). Two
pictures of one place are held against each other block by block (a paired block bootstrap, Künsch 1989).
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from irvane.core.judge.probe import MAD_TO_SIGMA, MADS

#: Lags, in pixels, over which noise may be alike.
_LAGS = 12
#: Standard errors on either side of a 95 % interval (of a normal distribution).
TWO_SIDED = 1.96
#: dB by which noise differs per unit of its natural logarithm.
DB = 20 / math.log(10)


@dataclass(frozen=True)
class Residue:
    """Noise of a square.

    Attributes
    ----------
    values : what is left of an H×W plane after its mean and slope; outliers are 0.
    sigma : its standard deviation. mean : that of the plane.
    independent : effective number of independent pixels.
    """

    values: np.ndarray
    sigma: float
    mean: float
    independent: float

    @property
    def error(self) -> float:
        """Standard error of the noise in dB: of a variance it is √(2/n) of it, of σ half of that."""
        return DB * math.sqrt(0.5 / max(self.independent, 1.0))


def residue(plane: np.ndarray) -> Residue:
    """What is left of a plane (H×W) after its mean and slope, without values beyond six standard deviations
    (told by their median)."""
    h, w = plane.shape
    y, x = np.linspace(-1, 1, h)[:, None], np.linspace(-1, 1, w)[None]
    values = np.asarray(plane, np.float64)
    mean = float(values.mean())
    left = values - mean
    for axis in (x * np.ones((h, 1)), y * np.ones((1, w))):
        left = left - axis * float((left * axis).sum() / max((axis * axis).sum(), 1e-12))
    middle = float(np.median(left))
    limit = MADS * MAD_TO_SIGMA * float(np.median(np.abs(left - middle)))
    kept = np.abs(left - middle) <= limit if limit > 0 else np.ones_like(left, bool)
    left = np.where(kept, left, 0.0)
    count = int(kept.sum())
    sigma = math.sqrt(float((left**2).sum()) / max(count - 3, 1))
    return Residue(left, sigma, mean, _independent(left, count))


def _squares(one: np.ndarray, two: np.ndarray) -> float:
    """Sum over the lags of the squared correlations of two residues, without what chance adds."""
    from scipy import fft  # takes a while: only when it is needed

    h, w = one.shape
    size = fft.next_fast_len(h + _LAGS, real=True), fft.next_fast_len(w + _LAGS, real=True)
    spectra = [fft.rfft2(values.astype(np.float32), size) for values in (one, two)]
    covariance = fft.irfft2(spectra[0] * spectra[1].conj(), size)
    power = math.sqrt(float((one**2).sum()) * float((two**2).sum()))
    if power <= 0:
        return 0.0
    lags = min(_LAGS, min(h, w) // 2)
    rows = np.r_[0 : lags + 1, -lags:0]
    part = covariance[np.ix_(rows, rows)] / power
    # of pixels without correlation each lag's square is 1/n by chance
    return float((part**2).sum()) - part.size / one.size


def _independent(left: np.ndarray, count: int) -> float:
    """Pixels over the sum of squared correlations at all lags: so many independent ones give a variance as
    surely."""
    return count / max(_squares(left, left), 1.0)


def noise_difference(own: Residue, reference: Residue) -> tuple[float, float]:
    """How much noisier the first is, in dB of σ, and the standard error of that.

    Squares of equal size are taken for the same place: what their noise has in common does not count.
    """
    difference = DB * math.log(max(own.sigma, 1e-12) / max(reference.sigma, 1e-12))
    apart = own.error**2 + reference.error**2
    if own.values.shape == reference.values.shape:
        common = max(_squares(own.values, reference.values), 0.0) / own.values.size
        apart = max(apart - DB**2 * common, 0.02 * apart)
    return difference, math.sqrt(apart)
