"""Denoising of a Bayer mosaic by a small network that was trained for it.

The mosaic is variance-stabilised, so that its noise has unit variance whatever the camera and the ISO, packed into
four planes, and given to a residual U-Net (Ronneberger, Fischer & Brox 2015) that knows nothing else: no camera, no
colours. It was made by ``training/denoiser.py`` from photographs and drawn scenes seen through simulated sensors; how
is written beside it in ``bayer.json``. Inference runs in ONNX Runtime, one tile per thread.
"""

from __future__ import annotations

import hashlib
from functools import lru_cache
from importlib.resources import files

import numpy as np
import onnxruntime

from irvane.core.image import BAYER, NoiseModel
from irvane.core.noise.stabilise import stabilise, unstabilise

#: Pixels around a place that its result depends on (three scales; what is further has no measurable weight).
REACH = 96
#: Sides of the packed planes must be multiples of this: two halvings.
_STRIDE = 4
_FILE = "bayer.onnx"


@lru_cache(maxsize=1)
def fingerprint() -> str:
    """Hash of the weights."""
    weights = files("irvane.core.noise").joinpath(_FILE).read_bytes()
    return hashlib.blake2b(weights, digest_size=8).hexdigest()


@lru_cache(maxsize=1)
def _session() -> onnxruntime.InferenceSession:
    options = onnxruntime.SessionOptions()
    options.intra_op_num_threads = options.inter_op_num_threads = 1  # tiles run side by side instead
    options.log_severity_level = 3
    weights = files("irvane.core.noise").joinpath(_FILE).read_bytes()
    return onnxruntime.InferenceSession(weights, options, providers=["CPUExecutionProvider"])


def _corner(cfa: np.ndarray) -> tuple[int, int]:
    """Rows and columns to put before a mosaic so that it begins with red, green / green, blue."""
    for rows, columns in np.ndindex(2, 2):
        if np.array_equal(np.roll(cfa, (rows, columns), (0, 1)), BAYER):
            return rows, columns
    raise ValueError("not a Bayer array")


def _pack(stable: np.ndarray) -> np.ndarray:
    return np.stack([stable[j::2, i::2] for j in (0, 1) for i in (0, 1)])[None]


def _unpack(planes: np.ndarray) -> np.ndarray:
    _, _, h, w = planes.shape
    out = np.empty((2 * h, 2 * w), np.float32)
    for k, (j, i) in enumerate(((0, 0), (0, 1), (1, 0), (1, 1))):
        out[j::2, i::2] = planes[0, k]
    return out


def denoise_tile(
    data: np.ndarray, cfa: np.ndarray, noise: NoiseModel, _gains: np.ndarray, strength: float
) -> np.ndarray:
    """Denoise a piece of a Bayer mosaic (float32 H×W); the piece begins at a multiple of 48 pixels of the whole.

    Noise of `strength` times the model's standard deviation is taken for noise.
    """
    (gr, gg, gb), (rr, rg, rb) = noise.gain, noise.read
    more = strength**2
    assumed = NoiseModel(
        (gr * more, gg * more, gb * more), (rr * strength, rg * strength, rb * strength), noise.origin
    )
    h, w = data.shape
    top, left = _corner(cfa)
    unit = 2 * _STRIDE
    below, right = -(h + top) % unit, -(w + left) % unit
    # reflection without repeating the border keeps every colour in its place
    padded = np.pad(data, ((top, below), (left, right)), mode="reflect")
    stable = stabilise(padded, BAYER, assumed)
    (planes,) = _session().run(None, {"noisy": _pack(stable)})
    clean = unstabilise(_unpack(planes), BAYER, assumed)
    return np.ascontiguousarray(clean[top : top + h, left : left + w])
