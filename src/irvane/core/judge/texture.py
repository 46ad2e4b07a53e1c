"""Texture kept: how much of a reference's structure another picture of the same scene still holds.

From the cross-spectrum with the reference (the principle of ISO 19567-2 and of the dead-leaves method): what
is not in the reference, such as noise, cancels out.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

SMALLEST = 32
#: Frequencies that are called texture, in cycles per pixel, and the bands of the curve.
LOW, HIGH = 0.1, 0.4
BANDS = np.arange(0.025, 0.5, 0.05)
#: Correlation up to which more than all texture is taken for noise.
_ALIKE = 0.97


@dataclass(frozen=True)
class TextureFigures:
    """Texture against a reference.

    Attributes
    ----------
    kept : share of the reference's structure between LOW and HIGH; 1 for the reference itself, more when it
        is exaggerated.
    similar : correlation of the two in the same band, −1…1.
    frequencies, response : the curve.
    """

    kept: float
    similar: float
    frequencies: np.ndarray
    response: np.ndarray

    @property
    def honest(self) -> float:
        """Texture kept, where what exceeds the reference's counts only as far as it is the same structure
        made stronger.

        A reference whose noise was removed still resembles that noise a little: a noisy picture would seem to
        hold more than all of its texture.
        """
        alike = float(np.clip((self.similar - _ALIKE) / (1 - _ALIKE), 0, 1))
        return self.kept if self.kept <= 1 else 1 + alike * (self.kept - 1)


def _spectrum(plane: np.ndarray) -> np.ndarray:
    h, w = plane.shape
    window = np.hanning(h)[:, None] * np.hanning(w)
    mean = float((plane * window).sum() / window.sum())
    return np.fft.rfft2((plane - mean) * window)


def texture_figures(values: np.ndarray, reference: np.ndarray) -> TextureFigures:
    """Compare two H×W planes of linear light at the same places of the scene, brought to equal brightness by
    their means.

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
    scale = level[1] / level[0] if level[0] > 1e-6 else 1.0
    own, theirs = _spectrum(np.asarray(values, float) * scale), _spectrum(np.asarray(reference, float))
    h, w = values.shape
    frequency = np.hypot(np.fft.fftfreq(h)[:, None], np.fft.rfftfreq(w))
    cross, power = (own * theirs.conj()).real, np.abs(theirs) ** 2
    inside = (frequency >= LOW) & (frequency <= HIGH)
    total = float(power[inside].sum())
    if total <= 1e-12 * max(level[1] ** 2, 1e-12) * h * w:
        raise ValueError("There is no texture in this rectangle.")
    energy = float((np.abs(own) ** 2)[inside].sum())
    edges = np.append(BANDS - 0.025, BANDS[-1] + 0.025)
    place = np.digitize(frequency, edges) - 1
    response = [
        float(cross[place == k].sum() / max(power[place == k].sum(), 1e-30)) for k in range(BANDS.size)
    ]
    found = float(cross[inside].sum())
    return TextureFigures(
        found / total, found / max((total * energy) ** 0.5, 1e-30), BANDS.copy(), np.array(response)
    )
