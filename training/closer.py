"""Train the network that looks closer at possible defects; resumable, made for two processor cores.

    pip install -e '.[training]'
    python training/closer.py examples --work FOLDER
    python training/closer.py train --work FOLDER
    python training/closer.py export --work FOLDER

Mosaics are those of defects.py. Examples are the pixels that its shipped network does not clear. They are shown turned and
mirrored, and with the two other colours exchanged: a defect stays a defect. The result is shifted so that, of the good pixels
of held-out photographs, no more than `IMAGINED` are taken for defects.
"""

from __future__ import annotations

import math
import multiprocessing
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import denoiser
import numpy as np
import torch
from fitting import fit
from torch import nn

import defects
from irvane.core.sensor.defect_candidates import defect_candidates
from irvane.core.sensor.defect_classifier import FEATURES, PLANES, REACH, SIDE, TOLD, looked
from irvane.core.sensor.defects import possible
from irvane.core.threads import CORES

WIDTH, DENSE = 32, (96, 64)
EXAMPLES, CHECKS = 120_000, 6000
#: Share of the defects that are learnt from: there are three times as many of them as of good pixels. Results are lower
#: for it, and so may the limit be.
LEARNT, LEAST = 0.5, -3.0
#: Good pixels taken for defects on held-out photographs, of 100,000 that are seen.
IMAGINED = 0.5
BATCH, EPOCHS, HIGHEST, LAST = 512, 5, 2e-3, 1e-5
DECAY, SAVE_EVERY = 0.999, 1000


class Net(nn.Module):
    """From 1×N×FEATURES to 1×N×1: above 0 it is a defect."""

    def __init__(self) -> None:
        super().__init__()
        w, (a, b) = WIDTH, DENSE
        self.look = nn.Sequential(
            nn.Conv2d(PLANES, w, 3), nn.ReLU(), nn.Conv2d(w, w, 3), nn.ReLU(), nn.Conv2d(w, w, 3, 2), nn.ReLU(), nn.Conv2d(w, w, 3), nn.ReLU()
        )  # fmt: skip
        seen = w * 9 + PLANES * 9 + TOLD + 2
        self.judge = nn.Sequential(nn.Linear(seen, a), nn.ReLU(), nn.Linear(a, b), nn.ReLU(), nn.Linear(b, 1))

    def forward(self, told: torch.Tensor) -> torch.Tensor:
        told = told[0]
        planes = told[:, : PLANES * SIDE**2].reshape(-1, PLANES, SIDE, SIDE)
        near = planes[:, :, REACH - 1 : REACH + 2, REACH - 1 : REACH + 2]
        parts = self.look(planes), near, told[:, PLANES * SIDE**2 :]
        return self.judge(torch.cat([part.flatten(1) for part in parts], 1))[None]


def _one(task: tuple[Path, bool, int]) -> tuple[np.ndarray, np.ndarray, int, bool]:
    """What is told of the possible defects of a mosaic, which are defects, its pixels, and whether any is faulty."""
    work, learn, number = task
    pictures, shares = defects._pools(work, learn)
    rng = np.random.default_rng((31, learn, number))
    mosaic, noise, wrong = defects.Shots(denoiser.ARRAYS["bayer"], pictures, shares, rng).shot()
    found = defect_candidates(mosaic, noise)
    told = np.empty((0, FEATURES), np.float16)
    true = np.empty(0, bool)
    if found.y.size:
        near, figures = possible(mosaic, noise, found)
        told = looked(mosaic, noise, found, near, figures).astype(np.float16)
        true = wrong[found.y[near], found.x[near]]
    if learn:
        chosen = ~true | (rng.random(true.size) < LEARNT)
        told, true = told[chosen], true[chosen]
    return told, true, wrong.size, bool(wrong.any())


def store_of(work: Path, learn: bool) -> Path:
    return work / f"closer-{'learn' if learn else 'check'}"


def examples(work: Path) -> None:
    """Make the possible defects to learn from and those to check with."""
    defects._pools(work, True)
    for learn, count in ((False, CHECKS), (True, EXAMPLES)):
        tasks = ((work, learn, number) for number in range(count))
        with ProcessPoolExecutor(CORES, multiprocessing.get_context("spawn")) as processes:
            made = list(processes.map(_one, tasks, chunksize=64))
        told, wrong, sizes, faulty = zip(*made, strict=True)
        np.save(store_of(work, learn).with_suffix(".npy"), np.concatenate(told))
        np.savez(
            store_of(work, learn), wrong=np.concatenate(wrong), clean=np.repeat(~np.array(faulty), [len(w) for w in wrong]),
            pixels=sum(s for s, f in zip(sizes, faulty, strict=True) if not f),
        )  # fmt: skip


def _loaded(work: Path, learn: bool) -> tuple[torch.Tensor, np.ndarray, np.ndarray, int]:
    told = torch.from_numpy(np.load(store_of(work, learn).with_suffix(".npy")))
    with np.load(store_of(work, learn).with_suffix(".npz")) as kept:
        return told, kept["wrong"], kept["clean"], int(kept["pixels"])


def turned(told: torch.Tensor) -> torch.Tensor:
    """The same places as another sensor, turned or mirrored or with other filters, would have seen them."""
    count = PLANES * SIDE**2
    planes = told[:, :count].reshape(-1, PLANES, SIDE, SIDE)
    quarter, mirrored, exchanged = (int(v) for v in torch.randint(4, (3,)))
    planes = torch.rot90(planes, quarter, (2, 3))
    planes = planes.flip(3) if mirrored % 2 else planes
    if exchanged % 2:
        own, first, second, is_own, is_first = planes.unbind(1)
        planes = torch.stack([own, second, first, is_own, 1 - is_own - is_first], 1)
    return torch.cat([planes.flatten(1), told[:, count:]], 1)


@torch.no_grad()
def results(net: Net, told: torch.Tensor) -> np.ndarray:
    return torch.cat([net(part[None].float())[0, :, 0] for part in told.split(4096)]).numpy()


def train(work: Path) -> None:
    torch.set_num_threads(2)
    torch.manual_seed(0)
    told, wrong, _, _ = _loaded(work, True)
    checked, truth, clean, pixels = _loaded(work, False)
    target = torch.from_numpy(wrong).float()[:, None]
    net, smooth = Net(), Net()
    steps = EPOCHS * (len(told) // BATCH)
    print(f"{len(wrong)} examples, {wrong.sum()} defects, {steps} steps", flush=True)

    def losses(first: int) -> Callable[[], torch.Tensor]:
        order = torch.Generator().manual_seed(first)

        def batches():
            while True:
                yield from torch.randperm(len(told), generator=order).split(BATCH)

        chosen = batches()

        def loss() -> torch.Tensor:
            batch = next(chosen)
            made = net(turned(told[batch].float())[None])
            return nn.functional.binary_cross_entropy_with_logits(made[0], target[batch])

        return loss

    def result() -> str:
        made = results(smooth, checked)
        tries = (defects.threshold(made, truth, clean, pixels, share, LEAST) for share in (0.3, 0.5, 1.0))
        return ", ".join(f"limit {limit:.2f} finds {found:.4f}" for limit, found in tries)

    def rate(step: int) -> float:
        return LAST + (HIGHEST - LAST) * 0.5 * (1 + math.cos(math.pi * step / steps))

    fit(net, smooth, work / "closer.pt", steps, rate, losses, result, DECAY, SAVE_EVERY)


def export(work: Path) -> None:
    """Write the trained network, its result shifted."""
    net, saved = Net(), torch.load(work / "closer.pt", weights_only=True)
    net.load_state_dict(saved["smooth"])
    checked, truth, clean, pixels = _loaded(work, False)
    limit, found = defects.threshold(results(net, checked), truth, clean, pixels, IMAGINED, LEAST)
    with torch.no_grad():
        net.judge[-1].bias -= limit
    record = {
        "script": "training/closer.py", "pictures made": EXAMPLES, "steps": saved["step"], "minutes": round(saved["seconds"] / 60),
        "batch": BATCH, "width": WIDTH, "dense": DENSE,
        "imagined per 100,000, held out": IMAGINED, "found of possible ones, held out": round(found, 4),
    }  # fmt: skip
    defects.write(net, "defects_closer", FEATURES, record)


if __name__ == "__main__":
    defects.ask(__doc__, examples, train, export)
