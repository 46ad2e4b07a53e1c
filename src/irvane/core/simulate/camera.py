"""A simulated camera: light in, raw counts out, with every error source stated.

The sensor works in electrons: photon noise is Poisson, read noise Gaussian, the well saturates, the converter
rounds to 14 bits (EMVA standard 1288 describes the same linear model). All of it is known truth for the
measurements that Irvane makes.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace

import cv2
import numpy as np

from irvane.core.image import BAYER

#: Linear BT.2020 (D65) to CIE XYZ (ITU-R BT.2020 primaries; white 0.3127, 0.3290).
_XYZ_FROM_2020 = np.array(
    [[0.6369580, 0.1446169, 0.1688810], [0.2627002, 0.6779981, 0.0593017], [0.0, 0.0280727, 1.0609851]]
)


@dataclass(frozen=True)
class LensModel:
    """Optical errors of the simulated lens.

    Attributes
    ----------
    vignetting : darkening in the corner, EV.
    distortion : radial displacement in the corner, share of the half diagonal (negative = barrel).
    lateral_red, lateral_blue : extra magnification of red and blue at the corner, pixels per 1000 px half
        diagonal.
    blur : standard deviation of the optical blur, pixels at 6 MP.
    """

    vignetting: float = 0.6
    distortion: float = -0.006
    lateral_red: float = 0.35
    lateral_blue: float = -0.45
    blur: float = 0.45


@dataclass(frozen=True)
class Body:
    """A simulated camera body.

    Attributes
    ----------
    full_well : electrons at clipping at ISO 100; halved for each doubling of ISO.
    read_noise : electrons.
    black, white : raw counts.
    banding : standard deviation of the row offsets, electrons at ISO 100 input.
    hot_share : share of hot pixels.
    matrix_d65, matrix_a : XYZ→camera.
    """

    model: str
    cfa: np.ndarray = field(default_factory=lambda: BAYER)
    full_well: float = 50_000.0
    read_noise: float = 3.0
    black: int = 512
    white: int = 16383
    banding: float = 0.5
    hot_share: float = 2e-5
    matrix_d65: np.ndarray = field(
        default_factory=lambda: np.array([[0.87, -0.29, -0.08], [-0.45, 1.25, 0.22], [-0.07, 0.19, 0.62]])
    )
    matrix_a: np.ndarray = field(
        default_factory=lambda: np.array([[0.98, -0.38, -0.04], [-0.41, 1.19, 0.25], [-0.05, 0.15, 0.69]])
    )

    def well(self, iso: float) -> float:
        """Electrons at clipping at this ISO."""
        return self.full_well * 100.0 / iso

    def noise_profile(self, iso: float) -> tuple[float, float]:
        """True (S, O) on the 0…1 scale, rounding of the converter included (DNG NoiseProfile)."""
        well = self.well(iso)
        step = 1.0 / (self.white - self.black)
        return 1.0 / well, (self.read_noise / well) ** 2 + step**2 / 12.0


def apply_lens(light: np.ndarray, lens: LensModel) -> np.ndarray:
    """Image a scene through the lens: float32 H×W×3 in, same out."""
    h, w = light.shape[:2]
    half = np.hypot(h, w) / 2
    y, x = np.mgrid[0:h, 0:w].astype(np.float32)
    dx, dy = (x - (w - 1) / 2) / half, (y - (h - 1) / 2) / half
    radius2 = dx * dx + dy * dy
    out = np.empty_like(light)
    extra = (lens.lateral_red / 1000, 0.0, lens.lateral_blue / 1000)
    for c in range(3):
        scale = 1.0 - lens.distortion * radius2 - extra[c]
        map_x = (dx * scale * half + (w - 1) / 2).astype(np.float32)
        map_y = (dy * scale * half + (h - 1) / 2).astype(np.float32)
        plane = np.ascontiguousarray(light[..., c])
        out[..., c] = cv2.remap(plane, map_x, map_y, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT_101)
    sigma = lens.blur * np.sqrt(h * w / 6e6)
    if sigma > 0.05:
        out = cv2.GaussianBlur(out, (0, 0), sigma)
    # cos⁴-like falloff that reaches the stated EV in the corner
    out *= np.exp2(-lens.vignetting * radius2)[..., None]
    return np.maximum(out, 0.0)


def camera_from_scene(body: Body) -> np.ndarray:
    """Matrix from linear BT.2020 to the body's white-balanced camera RGB (rows sum to one: white stays
    white)."""
    matrix = body.matrix_d65 @ _XYZ_FROM_2020
    return matrix / matrix.sum(axis=1, keepdims=True)


def expose(
    light: np.ndarray,
    body: Body,
    *,
    iso: float,
    exposure: float,
    neutral: np.ndarray,
    rng: np.random.Generator,
) -> np.ndarray:
    """Expose the sensor to `light` and read it out.

    Parameters
    ----------
    light : float32, H×W×3, linear BT.2020, relative light (18 % grey = 0.18).
    exposure : factor from light to the clipping point of the green channel (1: a light of 1 just clips).
    neutral : camera response to a neutral object, largest channel 1 (DNG AsShotNeutral).

    Returns
    -------
    uint16, H×W, raw counts with black level.
    """
    h, w = light.shape[:2]
    to_camera = camera_from_scene(body).astype(np.float32)
    ph, pw = body.cfa.shape
    signal = np.zeros((h, w), np.float32)
    for row in range(ph):
        for column in range(pw):
            c = int(body.cfa[row, column])
            part = light[row::ph, column::pw]
            signal[row::ph, column::pw] = (part @ to_camera[c]) * np.float32(neutral[c] * exposure)
    well = body.well(iso)
    electrons = rng.poisson(np.maximum(signal, 0.0) * well).astype(np.float32)
    electrons += rng.standard_normal((h, w), dtype=np.float32) * body.read_noise
    # dark structure does not scale with light: rows offset together, a few pixels leak
    electrons += np.asarray(rng.standard_normal(h) * body.banding, np.float32)[:, None]
    hot = rng.random((h, w), dtype=np.float32) < body.hot_share
    electrons[hot] += np.asarray(rng.uniform(0.05, 0.9, int(hot.sum())), np.float32) * well
    scale = (body.white - body.black) / well
    counts = np.rint(electrons * scale + body.black)
    return np.clip(counts, 0, body.white).astype(np.uint16)


def quiet(body: Body) -> Body:
    """The same body without banding and hot pixels: only the noise that a noise model describes."""
    return replace(body, banding=0.0, hot_share=0.0)
