"""Noise left in small even areas and beside strong edges: the scatter of results over many realisations of the noise."""

from __future__ import annotations

import numpy as np

import protocol
from irvane.core.colour.whitebalance import gains
from irvane.core.image import BAYER, GREEN, SIX_BY_SIX, Mosaic, NoiseModel
from irvane.core.noise.denoise import denoise_mosaic, method_for
from irvane.core.simulate.camera import Body

REALISATIONS = 16
DARK, BRIGHT = 0.03, 0.25
#: Sides of the windows and how far they are apart, pixels.
WINDOWS = {5: 9, 10: 4, 24: 6}


def scene(side: int, gap: int) -> tuple[np.ndarray, dict[str, np.ndarray]]:
    """Windows of side×side px on a dark wall beside an open bright area: light, and masks of what is looked at."""
    light = np.full((192, 288), DARK, np.float32)
    parts = {name: np.zeros(light.shape, bool) for name in ("open area", "windows", "2 px beside an edge")}
    for top in range(12, 180 - side, side + gap):
        for left in range(8, 66 - side, side + gap):
            parts["windows"][top : top + side, left : left + side] = True
    light[parts["windows"]] = BRIGHT
    light[:, 80:180] = BRIGHT
    parts["open area"][24:-24, 104:156] = True
    for edge in (slice(82, 84), slice(176, 178)):
        parts["2 px beside an edge"][8:-8, edge] = True
    return light, parts


def left(cfa: np.ndarray, iso: float, kind: str, side: int, gap: int) -> dict[str, float]:
    """Noise left in green, relative to what was there, by part of the scene."""
    light, parts = scene(side, gap)
    s, o = Body("Reference").noise_profile(iso)
    noise = NoiseModel((s,) * 3, (o**0.5,) * 3, "file")
    camera = light[..., None] * protocol.NEUTRAL.astype(np.float32)
    colours = Mosaic(light, cfa).colours()
    values = np.take_along_axis(camera, colours[..., None], 2)[..., 0]
    results = []
    for seed in range(REALISATIONS):
        rng = np.random.default_rng(seed)
        noisy = rng.poisson(values / s) * s + rng.normal(0, o**0.5, values.shape)
        mosaic = Mosaic(np.minimum(noisy, 1).astype(np.float32), cfa)
        results.append(denoise_mosaic(mosaic, noise, gains(protocol.NEUTRAL), method=method_for(cfa, kind)))
    scatter = np.std(results, axis=0, ddof=1) / noise.sigma(BRIGHT)
    return {name: float(scatter[mask & (colours == GREEN)].mean()) for name, mask in parts.items()}


def table() -> list[str]:
    """The section of docs/noise.md."""
    lines = [
        "## Small areas and strong edges", "",
        f"Noise left in green, as a share of what was there (scatter over {REALISATIONS} realisations); windows three stops",
        "above the wall around them, whole pixels. Wanted: 0.25 at most.", "",
        "| array, ISO, method | open area | " + " | ".join(f"windows {s}×{s}" for s in WINDOWS) + " | 2 px beside an edge |",
        "|---" * (3 + len(WINDOWS)) + "|",
    ]  # fmt: skip
    for name, cfa in (("Bayer", BAYER), ("6×6", SIX_BY_SIX)):
        for iso in (3200, 25_600):
            for kind in ("best", "fast"):
                found = [left(cfa, iso, kind, side, gap) for side, gap in WINDOWS.items()]
                windows = [one["windows"] for one in found]
                cells = (found[0]["open area"], *windows, found[0]["2 px beside an edge"])
                lines.append(f"| {name}, {iso}, {kind} | " + " | ".join(f"{v:.2f}" for v in cells) + " |")
    return [*lines, ""]
