"""Find the ranges of what the inner convolutions of the denoising networks read, for computing those in whole numbers.

    python training/ranges.py --array bayer --work FOLDER

All but a ten-thousandth of the values lie inside: ranges that held every value would be coarser for all of them. What lies
outside is cut off. Pictures are those of training, seen through sensors that hold few or many electrons: the fewer, the smaller
are all values, so there are ranges for each of three kinds of frame. They are written beside the networks. The convolutions at full
size, which carry the brightness itself, stay in floating point (in whole numbers they cost 0.1 to 1.4 dB, the inner ones 0.015 at
most).
"""

from __future__ import annotations

import argparse
import json
from pathlib import Path

import denoiser
import numpy as np
import torch
from torch import nn

TARGET = Path(__file__).parent.parent / "src/irvane/core/noise/ranges.json"
#: Share of the values inside.
INSIDE = 0.9999
#: Highest stabilised value of a kind of frame (None: any), and the electrons at clipping of the sensors that stand for it.
KINDS = (
    (40, (25, 50, 100, 200, 400)),
    (80, (100, 200, 400, 800, 1600)),
    (None, (50, 200, 800, 3200, 12_800, 50_000)),
)
PATCHES = 6


def is_inner(name: str) -> bool:
    """Is a convolution one of the two coarser scales, where most of the work is done?"""
    return name.startswith(("enter_b.", "middle.", "leave_b.")) or name == "down_b"


def found(array: denoiser.Packing, work: Path, full: tuple[int, ...]) -> dict[str, list[float]]:
    """Lowest and highest value of each inner convolution's input, by the name it has in the exported network."""
    net = denoiser.Net(array)
    denoiser.load_exported(net, denoiser.exported(array))
    training, _ = denoiser.pools(work)
    rng = np.random.default_rng(77)
    patches = denoiser.Patches(array, training, denoiser.SHARES, rng)
    seen: dict[str, list[float]] = {}

    def watch(name: str) -> None:
        def look(_module: nn.Module, given: tuple[torch.Tensor, ...]) -> None:
            values = given[0].flatten()
            some = values[torch.from_numpy(rng.integers(0, len(values), 400_000))]
            low, high = (float(torch.quantile(some, share)) for share in (1 - INSIDE, INSIDE))
            before = seen.get(name, [0.0, 0.0])
            seen[name] = [min(before[0], low), max(before[1], high)]

        net.get_submodule(name).register_forward_pre_hook(look)

    for name, module in net.named_modules():
        if isinstance(module, nn.Conv2d) and is_inner(name):
            watch(name)
    with torch.no_grad():
        for most in full:
            made = [patches._shot(np.clip(patches._mosaic(), 0, 1), most)[0] for _ in range(PATCHES)]
            net.eval()(torch.from_numpy(np.stack(made)))
    return {_exported_name(name): [round(v, 4) for v in values] for name, values in seen.items()}


def _exported_name(name: str) -> str:
    """``middle.0.first`` is ``/middle/middle.0/first/Conv`` in the exported network."""
    parts = name.split(".")
    return f"/{parts[0]}/{parts[0]}.{parts[1]}/{parts[2]}/Conv" if len(parts) == 3 else f"/{name}/Conv"


if __name__ == "__main__":
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--array", choices=denoiser.ARRAYS, required=True)
    parser.add_argument("--work", type=Path, required=True, help="folder for pictures")
    args = parser.parse_args()
    every = json.loads(TARGET.read_text("utf-8")) if TARGET.exists() else {}
    array = denoiser.ARRAYS[args.array]
    every[args.array] = [{"peak": peak, "ranges": found(array, args.work, full)} for peak, full in KINDS]
    TARGET.write_text(json.dumps(every, indent=1, sort_keys=True) + "\n", "utf-8")
