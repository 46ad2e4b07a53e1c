"""Train the network that tells defective pixels from detail; made for two processor cores.

    pip install -e '.[training]'
    python training/defects.py examples --work FOLDER
    python training/defects.py train --work FOLDER
    python training/defects.py export --work FOLDER

Mosaics of both arrays are simulated as in denoiser.py, of sharp and of softened scenes, with and without point lights;
single pixels, pairs, and regular rows of pixels are made too bright or too dark in some of them. Every suspect of
:mod:`irvane.core.sensor.defect_candidates` is an example. The network's result is shifted so that, of the good pixels of
held-out photographs, no more than `IMAGINED` are taken for defects.
"""

from __future__ import annotations

import argparse
import json
import math
import multiprocessing
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import cv2
import denoiser
import numpy as np
import refiner
import torch
from scenes import photographs
from torch import nn

from irvane.core.image import BAYER, SIX_BY_SIX, Mosaic, NoiseModel
from irvane.core.sensor.defect_candidates import defect_candidates
from irvane.core.sensor.defects import FEATURES, crowding, seen
from irvane.core.threads import CORES

WIDTHS = (64, 32)
EXAMPLES, CHECKS = 10000, 2400
#: Shares of photographs, drawn scenes and even areas; of pictures that are softened, have point lights, have defects.
SHARES = (0.6, 0.2, 0.2)
SOFT, LIGHTS, FAULTY = 0.5, 0.25, 0.6
#: Defects per pixel; their heights in standard deviations of the noise; shares of dark ones and of pairs.
RATES, HEIGHTS, DARK, PAIRS = (1e-4, 2e-3), (6.0, 500.0), 0.15, 0.15
#: Share of faulty pictures with focus pixels: what is left of the light there, and how far apart they may be.
FOCUS, COVERED, APART = 0.06, (0.4, 0.7), (4, 6, 8, 12, 24)
#: Good pixels taken for defects on held-out photographs, of 100,000 that are seen.
IMAGINED = 1.0
BATCH, EPOCHS, HIGHEST = 2048, 20, 2e-3
#: Surroundings that are no more restless than noise (times its standard deviation), and the weight of defects in them:
#: there, none must be missed.
CALM, WEIGHT = 1.25, 40.0


class Net(nn.Module):
    """From N×FEATURES to N×1: above 0 it is a defect."""

    def __init__(self) -> None:
        super().__init__()
        a, b = WIDTHS
        self.layers = nn.Sequential(
            nn.Linear(FEATURES, a), nn.ReLU(), nn.Linear(a, b), nn.ReLU(), nn.Linear(b, b), nn.ReLU(), nn.Linear(b, 1)
        )  # fmt: skip

    def forward(self, seen: torch.Tensor) -> torch.Tensor:
        return self.layers(seen)


class Shots(refiner.Examples):
    """Simulated mosaics with known defects."""

    def shot(self) -> tuple[Mosaic, NoiseModel, np.ndarray]:
        """A mosaic, its noise model, and where its defects are."""
        rng = self.rng
        cfa = np.roll(BAYER if rng.random() < 0.5 else SIX_BY_SIX, rng.integers(0, 6, 2), (0, 1))
        camera = np.ascontiguousarray(self._camera()[0])
        if rng.random() < LIGHTS:
            self._light_up(camera)
        if rng.random() < SOFT:
            camera = cv2.GaussianBlur(camera, (0, 0), rng.uniform(0.3, 1.2))
        side = camera.shape[0]
        places = np.arange(side) % len(cfa)
        light = np.take_along_axis(camera, cfa[np.ix_(places, places)][..., None], 2)[..., 0]
        full = 2.0 ** rng.uniform(np.log2(60), np.log2(100_000))
        read = 2.0 ** rng.uniform(-0.5, 3.2) * min(1.0, (full / 60) ** 0.5)
        electrons = light * full
        data = rng.poisson(electrons) + read * rng.standard_normal(light.shape)
        wrong = np.zeros(light.shape, bool)
        if rng.random() < FAULTY:
            wrong = self._spoil(data, electrons, np.sqrt(electrons + read**2))
        data = np.minimum(data, full) / full
        noise = NoiseModel((1 / full,) * 3, (read / full,) * 3, "file")
        return Mosaic(data.astype(np.float32), cfa), noise, wrong

    def _light_up(self, camera: np.ndarray) -> None:
        """Put point lights of 1.6 pixels and more into a scene."""
        rng, side = self.rng, camera.shape[0]
        camera *= np.float32(2.0 ** -rng.uniform(0, 6))
        y, x = np.mgrid[-7:8, -7:8]
        for _ in range(int(rng.integers(3, 60))):
            cy, cx = rng.integers(7, side - 7, 2)
            sigma = rng.uniform(0.68, 1.6)
            dy, dx = rng.uniform(-0.5, 0.5, 2)
            spot = np.exp(-((y - dy) ** 2 + (x - dx) ** 2) / (2 * sigma**2))
            tint = 2.0 ** -rng.uniform(0, 3.5, 3)
            peak = 2.0 ** rng.uniform(-7, 1.5) / tint.max()
            camera[cy - 7 : cy + 8, cx - 7 : cx + 8] += np.float32(peak * spot[..., None] * tint)
        np.minimum(camera, 1, out=camera)

    def _spoil(self, data: np.ndarray, electrons: np.ndarray, sigma: np.ndarray) -> np.ndarray:
        rng = self.rng
        wrong = rng.random(data.shape) < 10 ** rng.uniform(*np.log10(RATES))
        if rng.random() < FOCUS:
            wrong[:] = False
            (down, across), (y, x) = rng.choice(APART, 2), rng.integers(0, 4, 2)
            wrong[y::down, x::across] = True
            data[wrong] -= (1 - rng.uniform(*COVERED)) * electrons[wrong]
            return wrong & (np.abs(data - electrons) > 5 * sigma)
        for y, x in zip(*np.nonzero(wrong & (rng.random(data.shape) < PAIRS)), strict=True):
            j, i = ((0, 1), (1, 0), (0, 2), (2, 0))[rng.integers(4)]
            wrong[min(y + j, data.shape[0] - 1), min(x + i, data.shape[1] - 1)] = True
        low, high = HEIGHTS
        height = low * (high / low) ** rng.random(data.shape) * sigma
        dark = rng.random(data.shape) < DARK
        fall = np.minimum(height, electrons * rng.uniform(0.5, 1, data.shape))
        dark &= fall > low * sigma
        data[wrong] += np.where(dark, -fall, height)[wrong]
        return wrong


def _pools(work: Path, learn: bool) -> tuple[list[np.ndarray], tuple[float, ...]]:
    training, held = refiner._pools(work)
    return (training, SHARES) if learn else ([held], (1.0,))


def _one(task: tuple[Path, bool, int]) -> tuple[np.ndarray, np.ndarray, int, bool]:
    """What is seen of the suspects of a mosaic, which are defects, its pixels, and whether any is faulty."""
    work, learn, number = task
    pictures, shares = _pools(work, learn)
    shots = Shots(denoiser.ARRAYS["bayer"], pictures, shares, np.random.default_rng((21, learn, number)))
    mosaic, noise, wrong = shots.shot()
    found = defect_candidates(mosaic, noise)
    return (
        seen(mosaic, noise, found, crowding(found, wrong.shape), slice(None)),
        wrong[found.y, found.x],
        wrong.size,
        bool(wrong.any()),
    )


def examples(work: Path) -> None:
    """Make the suspects to learn from and those to check with."""
    _pools(work, True)
    for learn, count in ((False, CHECKS), (True, EXAMPLES)):
        tasks = ((work, learn, number) for number in range(count))
        with ProcessPoolExecutor(CORES, multiprocessing.get_context("spawn")) as processes:
            made = list(processes.map(_one, tasks, chunksize=16))
        features, wrong, sizes, faulty = zip(*made, strict=True)
        np.savez(
            store_of(work, learn), seen=np.concatenate(features).astype(np.float16), wrong=np.concatenate(wrong),
            clean=np.repeat(~np.array(faulty), [len(w) for w in wrong]),
            pixels=sum(s for s, f in zip(sizes, faulty, strict=True) if not f),
        )  # fmt: skip


def store_of(work: Path, learn: bool) -> Path:
    return work / f"defects-{'learn' if learn else 'check'}.npz"


def _loaded(work: Path, learn: bool) -> tuple[torch.Tensor, torch.Tensor, np.ndarray, int]:
    with np.load(store_of(work, learn)) as kept:
        features, wrong = torch.from_numpy(np.float32(kept["seen"])), torch.from_numpy(kept["wrong"])
        return features, wrong, kept["clean"], int(kept["pixels"])


def train(work: Path) -> None:
    torch.set_num_threads(2)
    torch.manual_seed(0)
    features, wrong, _, _ = _loaded(work, True)
    checked, truth, clean, pixels = _loaded(work, False)
    print(
        f"{len(wrong)} suspects, {int(wrong.sum())} defects; to check: {len(truth)}, {int(truth.sum())}",
        flush=True,
    )
    net = Net()
    optimiser = torch.optim.AdamW(net.parameters(), lr=HIGHEST, weight_decay=1e-3)
    target = wrong.float()[:, None]
    calm = 2 * features[:, -3] < CALM
    weights = torch.where(wrong & calm, WEIGHT, 1.0)[:, None]
    for epoch in range(EPOCHS):
        net.train()
        for group in optimiser.param_groups:
            group["lr"] = HIGHEST * 0.5 * (1 + math.cos(math.pi * epoch / EPOCHS)) + 1e-5
        total = 0.0
        for chosen in torch.randperm(len(features)).split(BATCH):
            loss = nn.functional.binary_cross_entropy_with_logits(
                net(features[chosen]), target[chosen], weights[chosen]
            )
            optimiser.zero_grad()
            loss.backward()
            optimiser.step()
            total += loss.item() * len(chosen)
        with torch.no_grad():
            made = net(checked)[:, 0].numpy()
        limit, found = threshold(made, truth.numpy(), clean, pixels, IMAGINED)
        calmly = float((made[truth.numpy() & (2 * checked[:, -3].numpy() < CALM)] > limit).mean())
        print(
            f"{epoch + 1}: loss {total / len(features):.5f}, limit {limit:.2f}, found {found:.4f}, in calm {calmly:.4f}",
            flush=True,
        )
    torch.save(
        {"net": net.state_dict(), "limit": limit, "found": found, "suspects": len(wrong)}, work / "defects.pt"
    )


def threshold(
    made: np.ndarray, wrong: np.ndarray, clean: np.ndarray, pixels: int, imagined: float, least: float = 0.0
) -> tuple[float, float]:
    """The result above which few enough good pixels lie (of 100,000), and the share of suspected defects above it."""
    good = np.sort(made[clean])[::-1]
    limit = max(float(good[int(imagined * pixels / 1e5)]), least)
    return limit, float((made[wrong] > limit).mean())


def write(net: nn.Module, name: str, features: int, record: dict) -> None:
    """Write a network as ONNX, and beside it how it was made."""
    target = Path(__file__).parent.parent / "src/irvane/core/sensor" / f"{name}.onnx"
    record["parameters"] = sum(p.numel() for p in net.parameters())
    record["pictures"] = [n for n in photographs.TRAINING if n not in denoiser.HELD_OUT]
    record["held_out"] = denoiser.HELD_OUT
    target.with_suffix(".json").write_text(json.dumps(record, indent=1) + "\n", "utf-8")
    torch.onnx.export(
        net.eval(), (torch.zeros(1, 16, features),), str(target), input_names=["seen"], output_names=["defect"],
        dynamic_axes={"seen": {1: "n"}, "defect": {1: "n"}}, opset_version=17, dynamo=False,
    )  # fmt: skip
    denoiser.shorten(target)


def export(work: Path) -> None:
    """Write the trained network."""
    net, saved = Net(), torch.load(work / "defects.pt", weights_only=True)
    net.load_state_dict(saved["net"])
    with torch.no_grad():
        net.layers[-1].bias -= saved["limit"]
    record = {
        "script": "training/defects.py", "pictures made": EXAMPLES, "suspects": saved["suspects"], "epochs": EPOCHS,
        "batch": BATCH, "widths": WIDTHS,
        "imagined per 100,000, held out": IMAGINED, "found of suspects, held out": round(saved["found"], 4),
    }  # fmt: skip
    write(net, "defects", FEATURES, record)


def ask(text: str | None, *doings: Callable[[Path], None]) -> None:
    """Do what the command line says: make examples, train, or export."""
    parser = argparse.ArgumentParser(description=text)
    parser.add_argument("what", choices=[doing.__name__ for doing in doings])
    parser.add_argument("--work", type=Path, required=True, help="folder for pictures and states")
    args = parser.parse_args()
    photographs.fetch_more()
    next(doing for doing in doings if doing.__name__ == args.what)(args.work)


if __name__ == "__main__":
    ask(__doc__, examples, train, export)
