"""The measuring protocol: simulated raws of photographs, one way to score, LibRaw in the same run."""

from __future__ import annotations

from datetime import datetime
from pathlib import Path

import cv2
import numpy as np
import rawpy
import skimage.metrics

from irvane.core.files.dng import DngColour, write_dng
from irvane.core.files.info import FrameInfo
from irvane.core.image import BAYER, SIX_BY_SIX
from irvane.core.simulate.camera import Body, expose, quiet

#: The light under which the simulated photographs are taken: camera response to white.
NEUTRAL = np.array([0.52, 1.0, 0.66])
BORDER = 16

#: Linear sRGB to linear BT.2020 (ITU-R BT.2087).
_2020_FROM_SRGB = np.array(
    [[0.6274039, 0.3292830, 0.0433131], [0.0690973, 0.9195404, 0.0113623], [0.0163914, 0.0880133, 0.8955953]]
)

LIBRAW_BAYER = ("VNG", "PPG", "AHD", "DCB", "DHT", "AAHD")


def simulate(
    path: Path, linear: np.ndarray, iso: float, six: bool = False, seed: int = 1, well: float = 50_000.0
) -> None:
    """Photograph a picture (linear light, sRGB primaries, 1 = sensor white) with the reference sensor."""
    body = quiet(Body("Reference", cfa=SIX_BY_SIX if six else BAYER, full_well=well))
    light = np.maximum(linear, 0) @ _2020_FROM_SRGB.T.astype(np.float32)
    counts = expose(light, body, iso=iso, exposure=1.0, neutral=NEUTRAL, rng=np.random.default_rng(seed))
    thumb = cv2.imencode(".jpg", np.full((64, 96, 3), 90, np.uint8))[1].tobytes()
    info = FrameInfo("Irvane", "Reference", "", 0.01, 4.0, iso, 50.0, datetime(2026, 1, 1, 12))
    write_dng(
        path,
        counts,
        body.cfa,
        black=body.black,
        white=body.white,
        colour=DngColour(body.matrix_a, body.matrix_d65, NEUTRAL),
        info=info,
        noise_profile=body.noise_profile(iso),
        preview_jpeg=thumb,
        preview_shape=(64, 96),
    )


def libraw(path: Path, method: str | None) -> np.ndarray:
    """LibRaw's plain development: gamma 1, no auto-brightness, no maximum adjustment, 16 bit."""
    with rawpy.imread(str(path)) as raw:
        out = raw.postprocess(
            demosaic_algorithm=None if method is None else rawpy.DemosaicAlgorithm[method],
            gamma=(1, 1),
            no_auto_bright=True,
            adjust_maximum_thr=0.0,
            use_camera_wb=True,
            output_bps=16,
            output_color=rawpy.ColorSpace.sRGB,
        )
    return out.astype(np.float32) / 65535


def encode(linear: np.ndarray) -> np.ndarray:
    """sRGB encoding, clipped to 0–1 (IEC 61966-2-1)."""
    x = np.clip(linear, 0, 1)
    return np.where(x <= 0.0031308, x * 12.92, 1.055 * x ** (1 / 2.4) - 0.055)


def psnr(result: np.ndarray, truth: np.ndarray) -> float:
    """PSNR in dB on sRGB-encoded values, a border of 16 px excluded."""
    inner = (slice(BORDER, -BORDER), slice(BORDER, -BORDER))
    error = np.mean((encode(result[inner]) - encode(truth[inner])) ** 2)
    return float(10 * np.log10(1 / error))


def ssim(result: np.ndarray, truth: np.ndarray) -> float:
    """SSIM (scikit-image) on the same values."""
    inner = (slice(BORDER, -BORDER), slice(BORDER, -BORDER))
    a, b = encode(result[inner]), encode(truth[inner])
    return float(skimage.metrics.structural_similarity(a, b, channel_axis=2, data_range=1.0))
