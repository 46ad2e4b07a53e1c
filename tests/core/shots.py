"""Simulated mosaics and photographs for the core's tests."""

from __future__ import annotations

from datetime import datetime
from pathlib import Path

import cv2
import numpy as np
import skimage.data

from irvane.core.files.dng import DngColour, write_dng
from irvane.core.files.info import FrameInfo
from irvane.core.image import BAYER, SIX_BY_SIX, CameraColour, Mosaic, NoiseModel
from irvane.core.line.source import MOSAIC, Loaded
from irvane.core.simulate.camera import Body, expose, quiet

NEUTRAL = np.array([0.52, 1.0, 0.66])
WHEN = datetime(2026, 3, 4, 10, 20, 30)


def photograph(name: str = "coffee.png", reduced: bool = True) -> np.ndarray:
    """A photograph that scikit-image ships, linear, reduced twice (or not): float32 H×W×3."""
    coded = cv2.imread(str(Path(skimage.data.__file__).parent / name))[..., ::-1].astype(np.float32) / 255
    linear = np.where(coded <= 0.04045, coded / 12.92, ((coded + 0.055) / 1.055) ** 2.4).astype(np.float32)
    if not reduced:
        return np.ascontiguousarray(linear)
    h, w = (side // 12 * 6 for side in linear.shape[:2])
    return cv2.resize(linear, (w, h), interpolation=cv2.INTER_AREA)


def noise_of(iso: float) -> NoiseModel:
    """True noise of the reference body at an ISO."""
    s, o = Body("Reference").noise_profile(iso)
    return NoiseModel((s,) * 3, (o**0.5,) * 3, "file")


def mosaic_of(camera: np.ndarray, cfa: np.ndarray = BAYER) -> Mosaic:
    """Sample a camera-linear picture through a filter array."""
    h, w = camera.shape[:2]
    colours = Mosaic(np.zeros((h, w), np.float32), cfa).colours()
    data = np.take_along_axis(camera, colours[..., None].astype(np.int64), axis=2)[..., 0]
    return Mosaic(np.ascontiguousarray(data, np.float32), cfa)


def noisy(mosaic: Mosaic, noise: NoiseModel, seed: int = 0) -> Mosaic:
    """Add Poisson–Gaussian noise."""
    rng = np.random.default_rng(seed)
    gain, read = noise.gain[1], noise.read[1]
    electrons = rng.poisson(np.maximum(mosaic.data, 0) / gain) * gain
    data = electrons + rng.normal(0, read, mosaic.data.shape)
    return Mosaic(np.minimum(data, 1).astype(np.float32), mosaic.cfa)


def colour() -> CameraColour:
    """Colour data of the reference body."""
    body = Body("Reference")
    return CameraColour(body.matrix_d65, body.matrix_a, 2856.0, 6504.0, NEUTRAL, True)


def loaded(
    camera: np.ndarray, iso: float = 100.0, cfa: np.ndarray = BAYER, flip: int = 0, seed: int = 0
) -> Loaded:
    """A decoded source of a camera-linear picture."""
    noise = noise_of(iso)
    mosaic = noisy(mosaic_of(camera, cfa), noise, seed)
    return Loaded(MOSAIC, mosaic, None, colour(), noise, flip, FrameInfo(iso=iso, shutter=0.01), ())


def dng(
    path: Path, light: np.ndarray, *, iso: float = 100.0, six: bool = False, cfa: np.ndarray | None = None,
    exposure: float = 1.0, shutter: float = 0.01, profile: bool = True, orientation: int = 1, seed: int = 3, shown: np.ndarray | None = None,
) -> np.ndarray:  # fmt: skip
    """Photograph linear BT.2020 light and write the DNG; returns the counts. `shown`: its preview, uint8 H×W×3."""
    body = quiet(Body("Reference", cfa=(SIX_BY_SIX if six else BAYER) if cfa is None else cfa))
    counts = expose(light, body, iso=iso, exposure=exposure, neutral=NEUTRAL, rng=np.random.default_rng(seed))
    small = np.full((48, 72, 3), 120, np.uint8) if shown is None else shown
    thumb = cv2.imencode(".jpg", small[..., ::-1])[1].tobytes()
    info = FrameInfo("Irvane", "Reference", "Test 35", shutter, 4.0, iso, 35.0, WHEN, 0.0)
    write_dng(
        path, counts, body.cfa, black=body.black, white=body.white,
        colour=DngColour(body.matrix_a, body.matrix_d65, NEUTRAL), info=info,
        noise_profile=body.noise_profile(iso) if profile else None, preview_jpeg=thumb, preview_shape=small.shape[:2],
        orientation=orientation,
    )  # fmt: skip
    return counts


def psnr(a: np.ndarray, b: np.ndarray, border: int = 16) -> float:
    """PSNR of pictures in 0…1, border excluded."""
    inner = (slice(border, -border), slice(border, -border))
    return float(-10 * np.log10(np.mean((a[inner] - b[inner]) ** 2)))
