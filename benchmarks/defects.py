"""Repair of defective pixels: how many of known ones are found, and how many are imagined. A part of quality.py."""

from __future__ import annotations

from itertools import product

import cv2
import numpy as np

import highlights
import photographs
from irvane.core.image import BAYER, SIX_BY_SIX, Mosaic, NoiseModel
from irvane.core.sensor.defects import repair_defects

READ, WELL = 3.0, 5e6  # electrons; full well times ISO
SENSITIVITIES = (100, 3200)
#: Amplitudes of defects in standard deviations of the noise.
SPANS = ((8, 16), (16, 32), (32, 128))
_SHARE = 5e-4
#: Standard deviation of a good lens's blur in pixels: MTF50 at 0.31 cycles per pixel (common practice: 0.25 to 0.35).
LENS = 0.6
SMOOTH = "soft slopes"


def smooth() -> np.ndarray:
    """Camera-linear light of soft slopes, in which every defect can be told."""
    y, x = np.mgrid[:900, :1200].astype(np.float32)
    light = np.maximum(0.05 + 0.3 * (x / 1200) + 0.1 * np.sin(x / 40) * np.cos(y / 55), 0.01)
    return cv2.GaussianBlur(light[..., None] * np.array([0.5, 1.0, 0.65], np.float32), (0, 0), 1.0)


def _restless(mosaic: np.ndarray, colours: np.ndarray) -> np.ndarray:
    """Standard deviation of the pixels of the same colour in the 5×5 around each, without it: noise and texture."""
    out = np.zeros(mosaic.shape)
    for colour in range(3):
        own = colours == colour
        values = np.where(own, mosaic, 0.0)
        count, total, squares = (
            cv2.boxFilter(a, -1, (5, 5), normalize=False, borderType=cv2.BORDER_REFLECT_101) - a
            for a in (own.astype(float), values, values * values)
        )
        count = np.maximum(count, 2)
        variance = (squares - total**2 / count) / (count - 1)
        out[own] = np.sqrt(np.maximum(variance, 0))[own]
    return out


def _count(light: np.ndarray, cfa: np.ndarray, iso: int, seed: int, textured: bool) -> np.ndarray:
    """Imagined, pixels, and found and all of every span.

    `textured`: defects are as many standard deviations of noise *and* texture around them high.
    """
    h, w = light.shape[:2]
    colours = cfa[np.ix_(np.arange(h) % len(cfa), np.arange(w) % len(cfa))]
    mosaic = np.minimum(np.take_along_axis(light, colours[..., None], 2)[..., 0], 1)
    rng, well = np.random.default_rng(seed), WELL / iso
    clean = np.minimum((rng.poisson(mosaic * well) + rng.normal(0, READ, mosaic.shape)) / well, 1)
    noise = NoiseModel((1 / well,) * 3, (READ / well,) * 3, "file")
    imagined = repair_defects(Mosaic(clean.astype(np.float32), cfa), noise)
    sizes = SPANS[0][0] * (SPANS[-1][1] / SPANS[0][0]) ** rng.random(mosaic.shape)
    where = rng.random(mosaic.shape) < _SHARE
    sigma = np.sqrt(mosaic / well + (READ / well) ** 2)
    wrong = clean + where * sizes * (np.maximum(sigma, _restless(clean, colours)) if textured else sigma)
    where &= wrong < 1
    hot = np.where(where, wrong, clean).astype(np.float32)
    repaired = Mosaic(hot.copy(), cfa)
    repair_defects(repaired, noise)
    found = (repaired.data != hot) & where
    spans = [where & (sizes >= low) & (sizes < high) for low, high in SPANS]
    return np.array([imagined, mosaic.size, *((found & s).sum() for s in spans), *(s.sum() for s in spans)])


def measure() -> list[list[str | float]]:
    """Rows of the table: scene, array, ISO, imagined per 100,000, found in per cent of every span."""
    sharp = [highlights.true_camera(photographs.load(n)) for n in photographs.TEST]
    scenes = {
        SMOOTH: [smooth()],
        "photographs through a lens": [cv2.GaussianBlur(picture, (0, 0), LENS) for picture in sharp],
        "photographs, sharp to the pixel": sharp,
    }
    rows: list[list[str | float]] = []
    for (name, pictures), textured in product(scenes.items(), (False, True)):
        if textured and name == SMOOTH:
            continue
        for array, cfa in (("Bayer", BAYER), ("6×6", SIX_BY_SIX)):
            for iso in SENSITIVITIES:
                sums = sum(_count(picture, cfa, iso, seed, textured) for seed, picture in enumerate(pictures))
                imagined, pixels, *counts = (float(v) for v in sums)
                n = len(SPANS)
                shares = [100 * a / b for a, b in zip(counts[:n], counts[n:], strict=True)]
                over = ", over texture" if textured else ""
                rows.append([f"{name}, {array}, ISO {iso}{over}", imagined / pixels * 1e5, *shares])
    return rows
