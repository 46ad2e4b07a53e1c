"""Denoising of a mosaic by small networks that were trained for it, one for each colour array.

The mosaic is variance-stabilised, so that its noise has unit variance whatever the camera and the ISO, packed into
planes of one colour, and given to a residual U-Net (Ronneberger, Fischer & Brox 2015) that knows nothing else: no
camera, no colours. The networks were made by ``training/denoiser.py`` from photographs and drawn scenes seen through
simulated sensors; how is written beside each as JSON. Inference runs in ONNX Runtime, one tile per thread.
"""

from __future__ import annotations

import hashlib
from dataclasses import dataclass
from functools import lru_cache
from importlib.resources import files
from typing import Any

import numpy as np

from irvane.core.image import BAYER, BLUE, GREEN, SIX_BY_SIX, NoiseModel
from irvane.core.noise.stabilise import stabilise, unstabilise
from irvane.core.sensor.rim import mirrored

#: Sides of the packed planes must be multiples of this: two halvings.
_STRIDE = 4


@dataclass(frozen=True)
class Packing:
    """How a mosaic is laid into planes of one colour each.

    Attributes
    ----------
    file : name of the network's file, without its ending.
    cfa : the reference array; its sides are a multiple of `cell`.
    cell : a plane holds one value of every cell×cell pixels (or none: it is 0 there).
    plane : for every pixel of the array its plane.
    centres : first row (and column) about which the array is symmetric, and their distance.
    """

    file: str
    cfa: np.ndarray
    cell: int
    plane: np.ndarray
    centres: tuple[int, int]

    @property
    def planes(self) -> int:
        return int(self.plane.max()) + 1

    def pack(self, mosaic: np.ndarray) -> np.ndarray:
        """H×W, sides multiples of the array's, to planes×H/cell×W/cell."""
        h, w = mosaic.shape
        out = np.zeros((self.planes, h // self.cell, w // self.cell), np.float32)
        for place, target in self._places():
            out[target] = mosaic[place]
        return out

    def unpack(self, planes: np.ndarray) -> np.ndarray:
        """Back from planes to H×W."""
        _, h, w = planes.shape
        out = np.empty((h * self.cell, w * self.cell), np.float32)
        for place, target in self._places():
            out[place] = planes[target]
        return out

    def _places(self):
        period = self.cfa.shape[0]
        often = period // self.cell
        for j, i in np.ndindex(period, period):
            target = (
                self.plane[j, i],
                slice(j // self.cell, None, often),
                slice(i // self.cell, None, often),
            )
            yield (slice(j, None, period), slice(i, None, period)), target

    def beginning(self, cfa: np.ndarray) -> tuple[int, int]:
        """Rows and columns to put before a mosaic so that it begins as the reference array does."""
        if cfa.shape == self.cfa.shape:
            for rows, columns in np.ndindex(*cfa.shape):
                if np.array_equal(np.roll(cfa, (rows, columns), (0, 1)), self.cfa):
                    return rows, columns
        raise ValueError("no network for this colour array")

    def continued(self, before: int, size: int) -> np.ndarray:
        """Indices that continue `size` rows or columns to whole cells, by reflections that keep every colour."""
        first, apart = self.centres
        unit = int(np.lcm(self.cfa.shape[0], self.cell * _STRIDE))
        return mirrored(size, before, -(before + size) % unit, first - before, apart)


def _six_planes() -> np.ndarray:
    """Five greens of every 3×3 cell, then two planes for each other pixel: red, and blue in every other cell."""
    plane = np.empty((6, 6), np.int64)
    cell = SIX_BY_SIX[:3, :3]
    order = {place: k for k, place in enumerate(zip(*np.nonzero(cell == GREEN), strict=True))}
    others = {place: 5 + 2 * k for k, place in enumerate(zip(*np.nonzero(cell != GREEN), strict=True))}
    for j, i in np.ndindex(6, 6):
        place = (j % 3, i % 3)
        plane[j, i] = order[place] if place in order else others[place] + (SIX_BY_SIX[j, i] == BLUE)
    return plane


#: By the number of rows of the colour array.
PACKINGS = {
    2: Packing("bayer", BAYER, 2, np.array([[0, 1], [2, 3]]), (0, 1)),
    6: Packing("six_by_six", SIX_BY_SIX, 3, _six_planes(), (2, 3)),
}


@lru_cache(maxsize=2)
def _weights(period: int) -> bytes:
    return files("irvane.core.noise").joinpath(PACKINGS[period].file + ".onnx").read_bytes()


@lru_cache(maxsize=2)
def fingerprint(period: int) -> str:
    """Hash of the weights of the network for arrays of `period` rows."""
    return hashlib.blake2b(_weights(period), digest_size=8).hexdigest()


@lru_cache(maxsize=2)
def _session(period: int) -> Any:
    import onnxruntime  # takes a while: only when it is needed

    options = onnxruntime.SessionOptions()
    options.intra_op_num_threads = options.inter_op_num_threads = 1  # tiles run side by side instead
    options.enable_cpu_mem_arena = False  # it would keep the memory of the largest tile, and is no faster
    options.log_severity_level = 3
    return onnxruntime.InferenceSession(_weights(period), options, providers=["CPUExecutionProvider"])


def denoise_tile(
    data: np.ndarray, cfa: np.ndarray, noise: NoiseModel, _gains: np.ndarray, strength: float
) -> np.ndarray:
    """Denoise a piece of a mosaic (float32 H×W); the piece begins at a multiple of 48 pixels of the whole.

    Noise of `strength` times the model's standard deviation is taken for noise.
    """
    (gr, gg, gb), (rr, rg, rb) = noise.gain, noise.read
    more = strength**2
    assumed = NoiseModel(
        (gr * more, gg * more, gb * more), (rr * strength, rg * strength, rb * strength), noise.origin
    )
    packing = PACKINGS[cfa.shape[0]]
    h, w = data.shape
    top, left = packing.beginning(cfa)
    padded = data[np.ix_(packing.continued(top, h), packing.continued(left, w))]
    stable = stabilise(padded, packing.cfa, assumed)
    (planes,) = _session(cfa.shape[0]).run(None, {"noisy": packing.pack(stable)[None]})
    clean = unstabilise(packing.unpack(planes[0]), packing.cfa, assumed)
    return np.ascontiguousarray(clean[top : top + h, left : left + w])
