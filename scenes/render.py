"""Renders the rooms of the workshop, once, on a developer's machine. Never needed to run or to test Irvane.

    python -m venv v && v/bin/pip install mitsuba numpy scipy pillow opencv-python-headless imagecodecs platformdirs pyoidn numba
    v/bin/python scenes/render.py [NAME…] [--rounds 3] [--spp 12]

Every round is kept in the folder ``work`` as it is done, so that a run that was ended goes on; then all rounds of a room become
one map (see ``denoise.py``), which is written as ``NAME.jp2`` into the package. About six minutes a room on two cores. libLLVM of version 16 or newer is needed (``DRJIT_LIBLLVM_PATH``).
"""

from __future__ import annotations

import argparse
import sys
import time
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import mitsuba as mi
import numpy as np

HERE = Path(__file__).parent
sys.path.insert(0, str(HERE))
mi.set_variant("llvm_ad_rgb")

import shelf  # noqa: E402
import workshop  # noqa: E402
from denoise import denoised  # noqa: E402
from maps import lit_by, write_map  # noqa: E402

WORK = HERE / "work"
OUT = HERE.parent / "src" / "irvane" / "core" / "simulate" / "maps"
SIZE = (2400, 1600)
_SEED = 7
#: Rows that are rendered at once.
_BAND = 400


@dataclass(frozen=True)
class View:
    """One map: a room, and how its camera and figure stand.

    Attributes
    ----------
    crop : left, top, width, height of the part that differs from another map; None for the whole.
    size : width and height in pixels.
    """

    room: str
    how: dict[str, Any]
    crop: tuple[int, int, int, int] | None = None
    size: tuple[int, int] = SIZE


#: Where the glassmaker is in the furnace's picture, whatever he does.
_FIGURE = (448, 344, 944, 1256)
VIEWS = {
    "bench": View("bench", {}),
    "window": View("window", {}),
    "vases": View("vases", {}),
    "vases-behind": View("vases", {"behind": True}),
    "shelf": View("shelf", {}, size=(3936, 2080)),
    "yard": View("yard", {}),
    "night": View("night", {}),
    "furnace": View("furnace", {"pose": None}),
    **{
        f"furnace-{k}": View("furnace", {"pose": pose}, crop=_FIGURE)
        for k, pose in enumerate((-0.9, -0.45, 0.0, 0.45, 0.9), 1)
    },
}


def _round(view: View, number: int, spp: int) -> dict[str, np.ndarray]:
    rooms = shelf if hasattr(shelf, view.room) else workshop
    scene = getattr(rooms, view.room)(np.random.default_rng(_SEED), **view.how)
    sensor = scene.pop("sensor")
    scene["integrator"] = {
        "type": "aov",
        "aovs": "albedo:albedo,normal:sh_normal",
        "image": scene["integrator"],
    }
    loaded = mi.load_dict(scene)
    left, top, width, height = view.crop or (0, 0, *view.size)
    film = sensor["film"]
    film["width"], film["height"] = view.size
    bands = []
    for first in range(top, top + height, _BAND):  # all at once would not fit into the memory
        rows = min(_BAND, top + height - first)
        film |= {"crop_offset_x": left, "crop_offset_y": first, "crop_width": width, "crop_height": rows}
        seed = 10_000 * (number + 1) + first
        bands.append(np.array(mi.render(loaded, sensor=mi.load_dict(sensor), spp=spp, seed=seed)))
    pixels = np.concatenate(bands)
    return {"light": pixels[..., :3], "albedo": pixels[..., 3:6], "normal": pixels[..., 6:9]}


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("names", nargs="*")
    parser.add_argument("--rounds", type=int, default=3)
    parser.add_argument("--spp", type=int, default=12)
    args = parser.parse_args()
    WORK.mkdir(exist_ok=True)
    OUT.mkdir(exist_ok=True)
    for name in args.names or VIEWS:
        began = time.monotonic()
        kept = []
        for number in range(args.rounds):
            path = WORK / f"{name}-{number}.npz"
            if not path.exists():
                made = _round(VIEWS[name], number, args.spp)
                np.savez(
                    path,
                    **{
                        key: value.astype(np.float16 if key != "light" else np.float32)
                        for key, value in made.items()
                    },
                )
                print(
                    f"{name}: round {number + 1} of {args.rounds}, {time.monotonic() - began:.0f} s",
                    flush=True,
                )
            kept.append(path)
        light, noise = denoised(kept, lit_by(name))
        size = write_map(OUT / f"{name}.jp2", light)
        print(
            f"{name}: {noise:.2f} of the noise of the camera at ISO 400, {size / 1e6:.1f} MB, {time.monotonic() - began:.0f} s",
            flush=True,
        )


if __name__ == "__main__":
    main()
