"""The network beside BM3D on the same planes: a strong method without training, a hundred times as slow.

BM3D (Dabov, Foi, Katkovnik & Egiazarian 2007) sees the stabilised planes of a Bayer mosaic after an orthonormal
transform that takes their colours apart; stabilisation, its inverse and demosaicing are Irvane's in both cases. It needs
the package ``bm3d``, which is not installed with Irvane: its licence is for research only.
"""

from __future__ import annotations

import importlib.util

import numpy as np

import photographs
import protocol
from irvane.core.colour.whitebalance import gains
from irvane.core.image import BAYER, Mosaic, NoiseModel
from irvane.core.noise.denoise import denoise_mosaic
from irvane.core.noise.stabilise import stabilise, unstabilise
from irvane.core.sensor.demosaic import demosaic
from irvane.core.sensor.encoding import knee_for
from irvane.core.simulate.camera import Body

SIDE = 384
SENSITIVITIES = (3200, 12_800, 51_200)
#: Rows: brightness, red against blue, green against green, green against the others.
_APART = np.array([[1, 1, 1, 1], [2**0.5, 0, 0, -(2**0.5)], [0, 2**0.5, -(2**0.5), 0], [1, -1, -1, 1]]) / 2


def installed() -> bool:
    """Is there a BM3D to compare with?"""
    return importlib.util.find_spec("bm3d") is not None


def bm3d_mosaic(mosaic: Mosaic, noise: NoiseModel, strength: float = 1.0) -> np.ndarray:
    """Denoise a Bayer mosaic with BM3D on its stabilised, decorrelated planes; `strength` times its noise is removed."""
    import bm3d

    stable = stabilise(mosaic.data, mosaic.cfa, noise)
    planes = np.stack([stable[j::2, i::2] for j, i in np.ndindex(2, 2)])
    apart = np.tensordot(_APART, planes, 1)
    clean = np.stack([bm3d.bm3d(plane / 255, strength / 255) * 255 for plane in apart])
    together = np.tensordot(_APART.T, clean, 1)
    for k, (j, i) in enumerate(np.ndindex(2, 2)):
        stable[j::2, i::2] = together[k]
    return unstabilise(stable, mosaic.cfa, noise)


def compare(iso: float) -> tuple[float, float]:
    """Mean PSNR over the middle of every test photograph: BM3D, Irvane."""
    s, o = Body("Reference").noise_profile(iso)
    noise = NoiseModel((s,) * 3, (o**0.5,) * 3, "file")
    factors = gains(protocol.NEUTRAL)
    found = []
    for name in photographs.TEST:
        linear = photographs.load(name)
        top, left = ((n - SIDE) // 4 * 2 for n in linear.shape[:2])
        light = np.ascontiguousarray(linear[top : top + SIDE, left : left + SIDE])
        camera = light * protocol.NEUTRAL.astype(np.float32)
        colours = Mosaic(camera[..., 0], BAYER).colours()[..., None]
        values = np.take_along_axis(camera, colours, 2)[..., 0]
        rng = np.random.default_rng(1)
        noisy = rng.poisson(np.maximum(values, 0) / s) * s + rng.normal(0, o**0.5, values.shape)
        mosaic = Mosaic(np.minimum(noisy, 1).astype(np.float32), BAYER)
        scores = []
        for clean in (bm3d_mosaic(mosaic, noise), denoise_mosaic(mosaic, noise, factors)):
            full = demosaic(Mosaic(np.float32(clean), BAYER), factors, knee_for(0.25 * noise.read[1]))
            scores.append(protocol.psnr(full / protocol.NEUTRAL.astype(np.float32), light))
        found.append(scores)
    bm3d_mean, own = np.mean(found, axis=0)
    return float(bm3d_mean), float(own)


def table() -> list[str]:
    """The section of docs/noise.md."""
    lines = [
        "## Beside BM3D", "",
        f"Made by the same script where the package `bm3d` is installed: the middle {SIDE}×{SIDE} px of the eight test",
        "photographs, Bayer array, BM3D on the stabilised planes taken apart by colour, the same demosaicing; mean PSNR, dB.",
        "", "| ISO | BM3D | Irvane, best | gain |", "|---|---|---|---|",
    ]  # fmt: skip
    for iso in SENSITIVITIES:
        other, own = compare(iso)
        lines.append(f"| {iso} | {other:.2f} | {own:.2f} | {own - other:+.2f} |")
    return [*lines, ""]
