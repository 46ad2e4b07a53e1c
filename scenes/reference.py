"""How much of the texture of a room its map kept: against a small part of it rendered with very many rays.

    v/bin/python scenes/reference.py [--spp 1024]

The map's texture is what of it goes with the reference (cross-spectrum over the reference's power), by frequency.
"""

from __future__ import annotations

import argparse

import mitsuba as mi
import numpy as np

mi.set_variant("llvm_ad_rgb")

import workshop  # noqa: E402
from render import _SEED, VIEWS, WORK  # noqa: E402

from irvane.core.simulate.maps import read_map  # noqa: E402

#: Room, and left, top, side of the part: bricks and shelf beside the furnace.
_NAME, _LEFT, _TOP, _SIDE = "furnace", 1560, 560, 224


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--spp", type=int, default=1024)
    args = parser.parse_args()
    kept = WORK / f"{_NAME}-reference-{args.spp}.npy"
    if not kept.exists():
        view = VIEWS[_NAME]
        scene = getattr(workshop, view.room)(np.random.default_rng(_SEED), **view.how)
        film = scene["sensor"]["film"]
        film["width"], film["height"] = view.size
        film |= {"crop_offset_x": _LEFT, "crop_offset_y": _TOP, "crop_width": _SIDE, "crop_height": _SIDE}
        sensor = mi.load_dict(scene.pop("sensor"))
        loaded = mi.load_dict(scene)
        parts = [np.array(mi.render(loaded, sensor=sensor, spp=64, seed=900 + k)) for k in range(args.spp // 64)]
        np.save(kept, np.mean(parts, axis=0)[..., :3].astype(np.float32))
    true = np.log2(np.maximum(np.load(kept)[..., :3].mean(axis=2), 1e-5))
    made = np.log2(np.maximum(read_map(_NAME)[_TOP : _TOP + _SIDE, _LEFT : _LEFT + _SIDE].mean(axis=2), 1e-5))
    window = np.outer(np.hanning(_SIDE), np.hanning(_SIDE))
    a, b = (np.fft.fft2((p - p.mean()) * window) for p in (true, made))
    f = np.hypot(*np.meshgrid(np.fft.fftfreq(_SIDE), np.fft.fftfreq(_SIDE)))
    for low, high in ((0.02, 0.05), (0.05, 0.1), (0.1, 0.15), (0.15, 0.2), (0.2, 0.3), (0.3, 0.4), (0.4, 0.5)):
        ring = (f >= low) & (f < high)
        share = float(np.real(b * np.conj(a))[ring].sum() / (np.abs(a) ** 2)[ring].sum())
        print(f"{low:.2f}–{high:.2f} cycles per pixel: {share:.2f} of the texture")


if __name__ == "__main__":
    main()
