"""Array conventions shared by the whole core.

* A *mosaic* is float32, H×W, one colour per pixel; 0 is the black level, 1 the sensor's clipping point.
  Values below 0 (noise around black) are kept.
* A *camera-linear* picture is float32, H×W×3 in the camera's own primaries at reference gains, 1 = clipping
point.
* A *scene-linear* picture is float32, H×W×3 in linear BT.2020 primaries, D65, unbounded: values above 1 are
real
  light, negative values stay until output.
* A *display* picture is float32, H×W×3, encoded for its output space, 0…1.

Finite in, finite out: :func:`finite` replaces and counts what is not, once, where data enter.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

RED, GREEN, BLUE = 0, 1, 2

BAYER = np.array([[RED, GREEN], [GREEN, BLUE]])
#: A 6×6 array in which every row and column holds all three colours.
SIX_BY_SIX = np.array(
    [
        [1, 1, 0, 1, 1, 2],
        [1, 1, 2, 1, 1, 0],
        [2, 0, 1, 0, 2, 1],
        [1, 1, 2, 1, 1, 0],
        [1, 1, 0, 1, 1, 2],
        [0, 2, 1, 2, 0, 1],
    ]
)

#: Luminance of linear BT.2020 primaries (ITU-R BT.2020, table 4: the constant-luminance weights).
LUMA_2020 = np.array([0.2627, 0.6780, 0.0593], dtype=np.float32)
#: Luminance of linear sRGB (ITU-R BT.709).
LUMA_709 = np.array([0.2126, 0.7152, 0.0722], dtype=np.float32)

#: Scene grey: an 18 % reflector.
MID_GREY = 0.18


@dataclass(frozen=True)
class Mosaic:
    """A colour-filter mosaic, levels applied.

    Attributes
    ----------
    data : float32, H×W; 0 = black level, 1 = clipping point of that pixel's channel.
    cfa : int array, 2×2 or 6×6, of RED/GREEN/BLUE: the repeating filter pattern at the top left pixel.
    """

    data: np.ndarray
    cfa: np.ndarray

    @property
    def is_bayer(self) -> bool:
        return self.cfa.shape == (2, 2)

    def colours(self) -> np.ndarray:
        """The filter colour of every pixel: int8, H×W."""
        h, w = self.data.shape
        ph, pw = self.cfa.shape
        reps = (-(-h // ph), -(-w // pw))
        return np.tile(self.cfa.astype(np.int8), reps)[:h, :w]


@dataclass(frozen=True)
class NoiseModel:
    """Signal-dependent noise of a mosaic: variance = gain × signal + read² per channel.

    Signal is in units of the clipping point (0…1), as in the DNG specification's NoiseProfile.

    Attributes
    ----------
    gain : variance per unit signal, for red, green, blue.
    read : standard deviation at zero signal, for red, green, blue.
    origin : ``"file"``, ``"measured"``, ``"smoothed"`` (measured in a raw that its camera has smoothed), or
        ``"sensitivity"``: where the model comes from.
    """

    gain: tuple[float, float, float]
    read: tuple[float, float, float]
    origin: str

    def sigma(self, signal: float, channel: int = GREEN) -> float:
        """Standard deviation at `signal` (0…1) in a channel."""
        return float(np.sqrt(max(self.gain[channel] * max(signal, 0.0), 0.0) + self.read[channel] ** 2))

    def snr(self, signal: float, channel: int = GREEN) -> float:
        """Signal-to-noise ratio (a plain ratio, not dB) at `signal`."""
        return signal / max(self.sigma(signal, channel), 1e-9)

    def times(self, strength: float) -> NoiseModel:
        """The model of noise whose standard deviation is `strength` times as large."""
        more = strength**2
        gain, read = (
            tuple(float(v * factor) for v in values)
            for values, factor in ((self.gain, more), (self.read, strength))
        )
        return NoiseModel(gain, read, self.origin)  # type: ignore[arg-type]


@dataclass(frozen=True)
class CameraColour:
    """How a camera sees colour.

    Attributes
    ----------
    matrix : XYZ→camera for D65, 3×3.
    matrix_warm : XYZ→camera for the file's warmer calibration light, or None.
    warm_kelvin, cool_kelvin : temperatures of the two calibration lights.
    neutral : camera response to a neutral object under the light of the shot, largest component 1.
    stated : False when the file has no matrix and a stand-in is used.
    """

    matrix: np.ndarray
    matrix_warm: np.ndarray | None
    warm_kelvin: float
    cool_kelvin: float
    neutral: np.ndarray
    stated: bool


#: Light that no picture exceeds in either direction (float16 ends at 65,504); what is beyond is a damaged
#: file.
BRIGHTEST = 1e6


def finite(picture: np.ndarray) -> tuple[np.ndarray, int]:
    """Replace NaN by 0, infinities by the largest finite value of the picture, and what lies beyond BRIGHTEST
    by that.

    Returns the picture (the same array when nothing had to be replaced) and how many values were replaced.
    """
    good = np.isfinite(picture) & (np.abs(picture) <= BRIGHTEST)
    count = int(picture.size - np.count_nonzero(good))
    if count == 0:
        return picture, 0
    top = float(picture[good].max()) if count < picture.size else 0.0
    clean = np.nan_to_num(picture, nan=0.0, posinf=top, neginf=0.0)
    return np.clip(clean, -BRIGHTEST, BRIGHTEST).astype(picture.dtype, copy=False), count


def largest_colour(picture: np.ndarray) -> np.ndarray:
    """The largest colour of every pixel (H×W): many times faster than NumPy's own maximum over three of
    them."""
    return np.maximum(np.maximum(picture[..., 0], picture[..., 1]), picture[..., 2])
