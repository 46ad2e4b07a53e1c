"""A known blur undone: half-quadratic splitting with a prior for few, strong edges.

Minimises λ/2·‖k∗x − y‖² + Σ|∇x|^α by turns: gradients are shrunk pixel by pixel, then the picture is found in
the frequency domain (Krishnan & Fergus 2009, "Fast image deconvolution using hyper-Laplacian priors"; the
shrinking after Zuo and others 2013, "A generalized iterated shrinkage algorithm for non-convex sparse
coding"). Luminance is found so; colour differences are smooth and noisy, and take one regularised step.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np
import scipy

from irvane.core.acutance.blurs import Blur, kernel_of
from irvane.core.kernels import flat, serial

#: Exponent of the prior; weight of the data for noise of 1 % of the light, and its power of the noise (the
#: best ones over discs, Gaussians and motions with noise of 0.2 to 1 % of white); how strongly gradients are
#: held to their shrunk ones (from, to, factor).
_ALPHA, _DATA, _POWER, _HELD = 0.7, 3200.0, 1.57, (1.0, 600.0, 2.9)
#: Weight of smoothness of colour differences, relative to the data, for noise of 1 %.
_COLOUR = 0.01
#: Rounds by which a shrunk value is found; entries of the table of them, and how many thresholds it reaches.
#: Least noise that is reckoned with: no kernel is known exactly.
_LEAST = 1e-3
_STEPS, _ENTRIES, _RANGE = 8, 4096, 24.0
#: How often what is not known is found again.
_GUESSES = 3
#: Pixels beside the kernel's reach in which the borders of a part are brought together.
_TAPER = 16


@serial
def _shrink(value, table, unit, out):
    """Values (float32, flat) shrunk by a table of shares, which begins anew every `unit` of size; its last
    entry holds beyond."""
    last = np.float32(table.size - 1)
    for i in range(value.size):
        place = min(abs(value[i]) * unit, last)
        out[i] = value[i] * table[np.int32(place)]


@lru_cache(maxsize=64)
def _shares(held: float) -> tuple[np.ndarray, np.float32]:
    """What is left of values by their size: the w that minimises |w|^α + held/2·(w − v)², over v; and entries
    per size."""
    a = _ALPHA
    w = (2 * (1 - a) / held) ** (1 / (2 - a))
    most = w + a / held * w ** (a - 1)  # below it the minimum is at 0
    sizes = (np.arange(_ENTRIES) + 0.5) * (_RANGE * most / _ENTRIES)
    found = sizes.copy()
    for _ in range(_STEPS):
        found = np.maximum(sizes - a / held * np.maximum(found, 1e-9) ** (a - 1), 1e-9)
    shares = np.where(sizes > most, found / sizes, 0)
    return shares.astype(np.float32), np.float32(_ENTRIES / (_RANGE * most))


@lru_cache(maxsize=16)
def _transfer(blur: Blur, shape: tuple[int, int]) -> tuple[np.ndarray, np.ndarray]:
    """Spectrum of a kernel at a size, and that of both gradients, squared and summed."""
    kernel = kernel_of(blur)
    whole = np.zeros(shape, np.float32)
    h, w = kernel.shape
    whole[:h, :w] = kernel
    spectrum = scipy.fft.rfft2(np.roll(whole, (-(h // 2), -(w // 2)), (0, 1)))
    fy = 2 - 2 * np.cos(2 * np.pi * scipy.fft.fftfreq(shape[0]))
    fx = 2 - 2 * np.cos(2 * np.pi * scipy.fft.rfftfreq(shape[1]))
    return spectrum.astype(np.complex64), (fy[:, None] + fx[None, :]).astype(np.float32)


def margin_of(blur: Blur) -> int:
    """Pixels around a part whose values its own depend on, as far as that is seen."""
    return int(np.ceil(2.5 * blur.reach)) + _TAPER


def _periodic(plane: np.ndarray, spectrum: np.ndarray, reach: int) -> np.ndarray:
    """The plane with its borders blurred into each other, so that they tell nothing of an edge where it
    begins anew."""
    h, w = plane.shape
    soft = scipy.fft.irfft2(scipy.fft.rfft2(plane) * spectrum, s=plane.shape)

    def ramp(n: int) -> np.ndarray:
        near = np.minimum(np.arange(n), np.arange(n)[::-1]) / max(reach, 1)
        return np.asarray(np.clip(near, 0, 1), np.float32)

    share = ramp(h)[:, None] * ramp(w)[None, :]
    return np.asarray(plane * share + soft * (1 - share), np.float32)


def deconvolve(
    plane: np.ndarray, blur: Blur, sigma: float, fine: float = 1.0, known: np.ndarray | None = None,
    clipped: np.ndarray | None = None,
) -> np.ndarray:  # fmt: skip
    """A plane without its blur.

    Parameters
    ----------
    plane : float32 H×W, linear light around 1; with :func:`margin_of` pixels around what is wanted of it.
    sigma : standard deviation of its noise.
    fine : more takes less for noise.
    known : bool H×W, False where nothing is known of the plane (outside of the frame): there it is what the
        found picture gives, blurred, and found again.
    clipped : bool H×W, True where the plane is only known to be at least so bright (censored data: Whyte and
        others 2014).
    """
    spectrum, edges = _transfer(blur, (plane.shape[0], plane.shape[1]))
    plane = _periodic(plane, spectrum, margin_of(blur) // 2)
    data = np.float32(_DATA * fine * (0.01 / max(sigma, _LEAST)) ** _POWER)
    found = _found(plane, spectrum, edges, data)
    known = np.ones(plane.shape, bool) if known is None else known
    clipped = np.zeros(plane.shape, bool) if clipped is None else clipped & known
    if not known.all() or clipped.any():
        for _ in range(_GUESSES):
            guess = scipy.fft.irfft2(scipy.fft.rfft2(found) * spectrum, s=plane.shape)
            told = np.where(known, np.where(clipped, np.maximum(plane, guess), plane), guess)
            found = _found(told.astype(np.float32), spectrum, edges, data)
    return found


def _found(plane: np.ndarray, spectrum: np.ndarray, edges: np.ndarray, data: np.float32) -> np.ndarray:
    given, gain = np.conj(spectrum) * scipy.fft.rfft2(plane), np.abs(spectrum) ** 2
    x, held = plane, _HELD[0]
    shrunk = [np.empty_like(plane), np.empty_like(plane)]
    while held < _HELD[1]:
        table, unit = _shares(held)
        for axis, out in enumerate(shrunk):
            _shrink(flat(np.roll(x, -1, axis) - x), table, unit, out.reshape(-1))
        back = np.roll(shrunk[0], 1, 0) - shrunk[0] + np.roll(shrunk[1], 1, 1) - shrunk[1]
        share = np.float32(held) / data
        x = scipy.fft.irfft2((given + share * scipy.fft.rfft2(back)) / (gain + share * edges), s=plane.shape)
        x = np.asarray(x, np.float32)
        held *= _HELD[2]
    return x


def deconvolve_smooth(plane: np.ndarray, blur: Blur, sigma: float) -> np.ndarray:
    """A blur undone by one Wiener filter, for planes that are smooth, as differences of colour are; `sigma`
    as above."""
    return wiener(plane, blur, _COLOUR * (sigma / 0.01) ** 2 + 1e-3)


def wiener(plane: np.ndarray, blur: Blur, caution: float) -> np.ndarray:
    """A plane without its blur by Wiener's way with a prior on gradients, which weighs `caution` times what
    is seen."""
    spectrum, edges = _transfer(blur, (plane.shape[0], plane.shape[1]))
    plane = _periodic(plane, spectrum, margin_of(blur) // 2)
    found = np.conj(spectrum) * scipy.fft.rfft2(plane) / (np.abs(spectrum) ** 2 + np.float32(caution) * edges)
    return np.asarray(scipy.fft.irfft2(found, s=plane.shape), np.float32)
