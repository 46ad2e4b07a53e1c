"""Denoising of a mosaic by small networks that were trained for it, one for each colour array.

The mosaic is variance-stabilised, so that its noise has unit variance whatever the camera and the ISO, packed
into planes of one colour, and given to a residual U-Net (Ronneberger, Fischer & Brox 2015) that knows nothing
else: no camera, no colours. The networks were made by ``training/denoiser.py`` from photographs and drawn
scenes seen through simulated sensors; how is written beside each as JSON. Inference runs in OpenVINO, one
tile per thread.
"""

from __future__ import annotations

import json
import math
from functools import lru_cache
from importlib.resources import files

import numpy as np

from irvane.core import networks
from irvane.core.image import NoiseModel
from irvane.core.networks import Ranges
from irvane.core.noise.stabilise import stabilise, unstabilise
from irvane.core.sensor.packing import PACKINGS, Packing
from irvane.core.sensor.padding import ALL_BORDERS, Borders

_PACKAGE = "irvane.core.noise"
#: Pixels that a mosaic is continued by before the network sees it, whole cells: beyond its own border a
#: network sees nothing, and takes the edge to it for one of the picture.
MARGIN = 24


@lru_cache(maxsize=2)
def _kinds(file: str) -> tuple[tuple[float, Ranges], ...]:
    """Highest stabilised value of each kind of frame, and the ranges that hold for it
    (``training/ranges.py``)."""
    told = json.loads(files(_PACKAGE).joinpath("ranges.json").read_text("utf-8"))[file]
    return tuple(
        (kind["peak"] or math.inf, tuple((name, low, high) for name, (low, high) in kind["ranges"].items()))
        for kind in told
    )


def _ranges(packing: Packing, noise: NoiseModel) -> Ranges:
    """Ranges for a frame with this noise: the fewer electrons its pixels hold, the smaller is all that the
    network computes."""
    brightest = stabilise(np.ones(packing.cfa.shape, np.float32), packing.cfa, noise).max()
    kinds = _kinds(packing.file)
    return next((ranges for peak, ranges in kinds if brightest <= peak), kinds[-1][1])


def fingerprint(period: int, whole: bool = False) -> str:
    """Hash of the weights of the network for arrays of `period` rows, and of its ranges where it computes in
    whole numbers."""
    file = PACKINGS[period].file
    every = tuple(one for _, ranges in _kinds(file) for one in ranges) if whole else ()
    return networks.fingerprint(_PACKAGE, file, every)


def denoise_tile(
    data: np.ndarray, cfa: np.ndarray, noise: NoiseModel, _gains: np.ndarray, strength: float,
    borders: Borders = ALL_BORDERS, margin: int = MARGIN, whole: bool = True,
) -> np.ndarray:  # fmt: skip
    """Denoise a piece of a mosaic (float32 H×W); the piece begins at a multiple of 8 pixels of the whole
    (6×6: 12).

    Noise of `strength` times the model's standard deviation is taken for noise. Where the frame ends, the
    piece is continued by `margin` pixels (a multiple of 24). With `whole`, the inner convolutions compute in
    whole numbers.
    """
    assumed = noise.times(strength)
    packing = PACKINGS[cfa.shape[0]]
    (h, w), (above, below, before, after) = data.shape, (margin * border for border in borders)
    top, left = packing.beginning(cfa)
    top, left = top + above, left + before
    padded = data[np.ix_(packing.continued(top, h, below), packing.continued(left, w, after))]
    stable = stabilise(padded, packing.cfa, assumed)
    ranges = _ranges(packing, assumed) if whole else ()
    planes = networks.run(_PACKAGE, packing.file, packing.pack(stable), ranges)
    clean = unstabilise(packing.unpack(planes), packing.cfa, assumed)
    return np.ascontiguousarray(clean[top : top + h, left : left + w])
