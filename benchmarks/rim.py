"""What is lost at the rim of a frame: a crop's outermost pixels beside the same pixels inside of the whole frame."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

import photographs
import protocol
from irvane.core.colour.whitebalance import gains
from irvane.core.image import BAYER, SIX_BY_SIX, Mosaic
from irvane.core.sensor.demosaic import demosaic
from irvane.core.sensor.refine import refine

#: Pixels that count as the rim, and pixels that are cut off: a multiple of both arrays.
RIM, CUT = 8, 24
KNEE = 0.001
_GAINS = gains(protocol.NEUTRAL)


def _directional(mosaic: Mosaic) -> np.ndarray:
    return demosaic(mosaic, _GAINS, KNEE)


def _refined(mosaic: Mosaic) -> np.ndarray:
    return refine(_directional(mosaic), mosaic.cfa, _GAINS, KNEE)


WAYS: dict[str, tuple[np.ndarray, Callable[[Mosaic], np.ndarray]]] = {
    "Bayer, directional": (BAYER, _directional),
    "6×6, directional": (SIX_BY_SIX, _directional),
    "6×6, refined": (SIX_BY_SIX, _refined),
}


def loss(camera: np.ndarray, cfa: np.ndarray, way: Callable[[Mosaic], np.ndarray]) -> float:
    """dB lost in the outermost pixels of a crop of a camera-linear picture, on sRGB-encoded white-balanced values."""
    h, w = (side // 12 * 12 for side in camera.shape[:2])
    crop = (slice(CUT, h - CUT), slice(CUT, w - CUT))
    values = np.take_along_axis(camera, Mosaic(camera[..., 0], cfa).colours()[..., None], 2)[..., 0]
    whole = way(Mosaic(np.ascontiguousarray(values[:h, :w]), cfa))[crop]
    part = way(Mosaic(np.ascontiguousarray(values[crop]), cfa))
    rim = np.ones(part.shape[:2], bool)
    rim[RIM:-RIM, RIM:-RIM] = False
    truth = protocol.encode(camera[crop] * _GAINS)[rim]
    inside, outside = (np.mean((protocol.encode(p * _GAINS)[rim] - truth) ** 2) for p in (whole, part))
    return float(10 * np.log10(outside / inside))


def measure() -> dict[str, list[float]]:
    """Losses of every way, by photograph."""
    cameras = [photographs.load(name) * protocol.NEUTRAL.astype(np.float32) for name in photographs.TEST]
    return {name: [loss(camera, cfa, way) for camera in cameras] for name, (cfa, way) in WAYS.items()}


if __name__ == "__main__":
    for name, losses in measure().items():
        print(name, " ".join(f"{v:.2f}" for v in losses), f"mean {np.mean(losses):.2f}")
