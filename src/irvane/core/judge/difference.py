"""Two pictures of the same places: their difference as a picture, and as figures."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from irvane.core.colour.spaces import SPACES
from irvane.core.image import LUMA_2020
from irvane.core.judge.colour_difference import delta_e, lab_of

#: Constants of SSIM (Wang, Bovik, Sheikh & Simoncelli 2004): window of σ 1.5 px and 11 px, K1, K2.
_SSIM_SIGMA, _SSIM_SIZE, _K1, _K2 = 1.5, 11, 0.01, 0.03
#: Least side of pictures that have figures.
SMALLEST = 12
#: Beside strong edges, halos lie within so many pixels; edges are steeper than this share of white per pixel.
_HALO_REACH, _HALO_EDGE = 8, 0.06


@dataclass(frozen=True)
class DifferenceFigures:
    """How far two finished pictures lie apart.

    Attributes
    ----------
    psnr : dB on encoded values; None when they are equal.
    ssim : structural similarity of encoded luminance, −1…1.
    delta_e : mean CIEDE2000. delta_e_95 : 95th percentile.
    """

    psnr: float | None
    ssim: float
    delta_e: float
    delta_e_95: float


def ssim_map(one: np.ndarray, two: np.ndarray) -> np.ndarray:
    """Structural similarity of two H×W planes in 0…1, per pixel (float64)."""
    a, b = np.asarray(one, np.float64), np.asarray(two, np.float64)

    def mean(values: np.ndarray) -> np.ndarray:
        return cv2.GaussianBlur(values, (_SSIM_SIZE, _SSIM_SIZE), _SSIM_SIGMA, borderType=cv2.BORDER_REFLECT)

    mean_a, mean_b = mean(a), mean(b)
    var_a, var_b = mean(a * a) - mean_a**2, mean(b * b) - mean_b**2
    both = mean(a * b) - mean_a * mean_b
    c1, c2 = _K1**2, _K2**2
    above = (2 * mean_a * mean_b + c1) * (2 * both + c2)
    return above / ((mean_a**2 + mean_b**2 + c1) * (var_a + var_b + c2))


def ssim(one: np.ndarray, two: np.ndarray) -> float:
    """Mean structural similarity, without the rim that the window does not fill."""
    rim = _SSIM_SIZE // 2
    return float(ssim_map(one, two)[rim:-rim, rim:-rim].mean())


def difference_figures(one: np.ndarray, two: np.ndarray) -> DifferenceFigures:
    """Figures of two finished pictures: linear sRGB light, float H×W×3, 0…1, at least 12 pixels a side."""
    space = SPACES["srgb"]
    a, b = space.encode(one).astype(np.float64), space.encode(two).astype(np.float64)
    error = float(np.mean((a - b) ** 2))
    found = delta_e(lab_of(one, space), lab_of(two, space))
    luma = np.array([0.2126, 0.7152, 0.0722])
    return DifferenceFigures(
        None if error == 0 else float(-10 * np.log10(error)),
        ssim(a @ luma, b @ luma),
        float(found.mean()),
        float(np.percentile(found, 95)),
    )


#: Kinds of difference pictures and what they show.
KINDS = {
    "signed": "Difference of encoded values around mid-grey, each colour by itself.",
    "luminance": "Difference of brightness alone, around mid-grey.",
    "colour": "Difference of colour alone, at even brightness.",
    "ΔE": "CIEDE2000 as brightness: black is equal, white 10 units over the amplification.",
    "halo": "Only beside strong edges of the first picture, within eight pixels: overshoot shows.",
}


def difference_picture(one: np.ndarray, two: np.ndarray, kind: str, amplified: float) -> np.ndarray:
    """What two finished pictures differ in: second minus first.

    Parameters
    ----------
    one, two : linear sRGB light, float32 H×W×3, 0…1, of the same places.
    kind : key of KINDS.
    amplified : factor 1…64.

    Returns
    -------
    Linear sRGB light, float32 H×W×3, 0…1.
    """
    space = SPACES["srgb"]
    if kind == "ΔE":
        share = delta_e(lab_of(one, space), lab_of(two, space)) * (amplified / 10)
        shown = np.repeat(np.clip(share, 0, 1)[..., None], 3, axis=2)
        return space.decode(shown)
    a, b = space.encode(one), space.encode(two)
    change = b - a
    grey = change @ LUMA_2020
    if kind in ("luminance", "halo"):
        change = np.repeat(grey[..., None], 3, axis=2)
    elif kind == "colour":
        change = change - grey[..., None]
    if kind == "halo":
        change = change * _beside_edges(a @ LUMA_2020)[..., None]
    return space.decode(np.clip(0.5 + amplified * change, 0, 1))


def _beside_edges(luminance: np.ndarray) -> np.ndarray:
    """1 within a few pixels of strong edges, but not on them."""
    across = cv2.Scharr(luminance, cv2.CV_32F, 1, 0, scale=1 / 32)
    down = cv2.Scharr(luminance, cv2.CV_32F, 0, 1, scale=1 / 32)
    edge = (np.hypot(across, down) > _HALO_EDGE).astype(np.uint8)
    size = 2 * _HALO_REACH + 1
    near = cv2.dilate(edge, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (size, size)))
    on_it = cv2.dilate(edge, np.ones((3, 3), np.uint8))
    return np.where((near > 0) & (on_it == 0), np.float32(1), np.float32(0))
