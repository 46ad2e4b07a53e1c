"""Train the network that guesses where the subject of a frame is; resumable, made for a processor core.

    pip install -e '.[training]'
    python training/subject.py make --work FOLDER --count 3000
    python training/subject.py train --work FOLDER --steps 6000
    python training/subject.py export --work FOLDER

Subjects are shapes of random contours, with limbs, hairs and holes, that carry one photograph and lie over another one, which is as sharp
or out of focus; composed in linear light, larger than the network sees them, so that no seam can be learned. Some frames have none:
photographs joined along a horizon, or blurred as a whole. State is saved every few minutes; the same command goes on.
"""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import replace
from itertools import pairwise
from pathlib import Path

import cv2
import denoiser
import numpy as np
import scenes
import torch
from fitting import ahead, commands, falling, fit
from scenes import photographs
from torch import nn

from irvane.core.acutance.edge_blur import find_edges
from irvane.core.acutance.intentional_blur import softness_map
from irvane.core.regions.likely import PLANES, planes_of
from irvane.core.regions.reference import Reference, make_reference

#: Channels by level; sides of what is kept of a frame.
WIDTHS, KEPT = (16, 32, 48, 64, 96), (128, 192)
BATCH, RATE, LAST_RATE, WARM_UP, DECAY, SAVE_EVERY = 8, 1.5e-3, 1e-5, 100, 0.998, 200
#: Shares of frames without a subject, and of those with a subject whose ground is as sharp.
OF_NONE, OF_SHARP = 0.2, 0.45
#: Photographs that whether a subject is told where there is none is tried on.
EMPTY = ("Dune", "Storm", "GreenMeadow", "Aqua", "BytheWater", "EveningGlow", "ColdRipple")
TARGET = Path(__file__).parent.parent / "src" / "irvane" / "core" / "regions" / "likely.onnx"


def _conv(inside: int, outside: int) -> nn.Sequential:
    return nn.Sequential(
        nn.Conv2d(inside, outside, 3, padding=1),
        nn.ReLU(),
        nn.Conv2d(outside, outside, 3, padding=1),
        nn.ReLU(),
    )


class Net(nn.Module):
    """A U-Net of five levels (Ronneberger, Fischer & Brox 2015)."""

    def __init__(self) -> None:
        super().__init__()
        self.down = nn.ModuleList(_conv(a, b) for a, b in zip((PLANES, *WIDTHS[:-1]), WIDTHS, strict=True))
        self.up = nn.ModuleList(_conv(a + b, a) for a, b in pairwise(WIDTHS))
        self.tail = nn.Conv2d(WIDTHS[0], 1, 1)

    def forward(self, seen: torch.Tensor) -> torch.Tensor:
        levels = []
        x = seen
        for number, block in enumerate(self.down):
            x = block(x if number == 0 else nn.functional.max_pool2d(x, 2))
            levels.append(x)
        for block, level in zip(reversed(self.up), reversed(levels[:-1]), strict=True):
            x = nn.functional.interpolate(x, scale_factor=2.0, mode="bilinear", align_corners=False)
            x = block(torch.cat([level, x], dim=1))
        return self.tail(x)


def contour(rng: np.random.Generator, h: int, w: int) -> np.ndarray:
    """A shape: alpha, float32 h×w."""
    mask = np.zeros((h, w), np.float32)
    centre = np.array([rng.uniform(0.2, 0.8) * w, rng.uniform(0.25, 0.8) * h])
    size = np.exp(rng.uniform(np.log(0.1), np.log(0.42))) * min(h, w)
    for number in range(int(rng.integers(1, 4))):
        t = np.linspace(0, 2 * np.pi, 90, endpoint=False)
        radius = np.ones_like(t)
        for order in range(2, 7):
            radius += rng.normal(0, 0.45 / order) * np.cos(order * t + rng.uniform(0, 6.3))
        stretch = np.exp(rng.normal(0, 0.3, 2))
        own = size * (1.0 if number == 0 else rng.uniform(0.25, 0.7))
        turn = rng.uniform(0, np.pi)
        x, y = own * radius * np.cos(t) * stretch[0], own * radius * np.sin(t) * stretch[1]
        points = np.stack([x * np.cos(turn) - y * np.sin(turn), x * np.sin(turn) + y * np.cos(turn)], axis=1)
        cv2.fillPoly(mask, [np.int32((points + centre) * 16)], 1.0, cv2.LINE_AA, 4)
        centre = centre + rng.normal(0, 0.8 * size, 2)
    edges = cv2.findContours((mask > 0.5).astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)[0]
    around = np.concatenate([c[:, 0] for c in edges]).astype(float) if edges else np.zeros((0, 2))
    if len(around) and rng.random() < 0.6:  # limbs
        middle = around.mean(axis=0)
        for _ in range(int(rng.integers(1, 6))):
            root = around[int(rng.integers(len(around)))]
            end = root + (root - middle) * rng.uniform(0.3, 1.2) + rng.normal(0, 0.2 * size, 2)
            cv2.line(
                mask,
                *(tuple(int(v) for v in p) for p in (0.7 * root + 0.3 * middle, end)),
                1.0,
                max(2, int(rng.uniform(0.05, 0.3) * size)),
                cv2.LINE_AA,
            )
    if len(around) and rng.random() < 0.5:  # hairs
        for _ in range(int(rng.integers(30, 250))):
            root = around[int(rng.integers(len(around)))]
            end = root + rng.normal(0, 0.12 * size, 2)
            cv2.line(mask, *(tuple(int(v) for v in p) for p in (root, end)), 0.9, 1, cv2.LINE_AA)
    if rng.random() < 0.3:  # a hole
        cv2.circle(mask, tuple(int(v) for v in centre), int(0.25 * size), 0.0, -1, cv2.LINE_AA)
    return mask


def fitted(picture: np.ndarray, h: int, w: int, rng: np.random.Generator) -> np.ndarray:
    """A part of a photograph of this size, mirrored at times."""
    factor = max(h / picture.shape[0], w / picture.shape[1]) * rng.uniform(1.0, 1.6)
    size = max(w, round(picture.shape[1] * factor)), max(h, round(picture.shape[0] * factor))
    made = cv2.resize(picture, size, interpolation=cv2.INTER_AREA if factor < 1 else cv2.INTER_CUBIC)
    y, x = int(rng.integers(0, size[1] - h + 1)), int(rng.integers(0, size[0] - w + 1))
    made = made[y : y + h, x : x + w]
    return np.clip(made[:, ::-1] if rng.random() < 0.5 else made, 0, 1)


def composed(pictures: list[np.ndarray], rng: np.random.Generator) -> tuple[Reference, np.ndarray]:
    """A frame, and where its subject is: alpha, float32 h×w."""
    w = int(rng.integers(720, 1500)) // 12 * 12
    h = w * 2 // 3
    one, two = (pictures[int(k)] for k in rng.choice(len(pictures), 2, replace=False))
    ground, alpha = fitted(two, h, w, rng), np.zeros((h, w), np.float32)
    if rng.random() < OF_NONE:
        if rng.random() < 0.5:
            line = h * rng.uniform(0.2, 0.8) + np.arange(w) * rng.normal(0, 0.1)
            upper = np.arange(h)[:, None] < line[None]
            ground = np.where(upper[..., None], fitted(one, h, w, rng), ground)
        else:  # a photograph may have a subject of its own, unless it is blurred as a whole
            ground = cv2.GaussianBlur(ground, (0, 0), float(np.exp(rng.uniform(1.0, 2.8))))
    else:
        if rng.random() > OF_SHARP:
            ground = cv2.GaussianBlur(ground, (0, 0), float(np.exp(rng.uniform(0.9, 2.9))) * w / 1000)
        alpha = contour(rng, h, w)
        subject = fitted(one, h, w, rng) * np.float32(np.exp2(rng.normal(0, 0.5)))
        ground = ground + alpha[..., None] * (subject - ground)
    return seen(ground * np.float32(np.exp2(rng.uniform(-2, 0.2))), rng), alpha


def seen(light: np.ndarray, rng: np.random.Generator) -> Reference:
    """A picture as a camera gives it, with noise."""
    ground = np.clip(light, 0, 1).astype(np.float32)
    h, w = ground.shape[:2]
    noise = float(np.exp(rng.uniform(np.log(5e-4), np.log(6e-3))))
    ground += rng.normal(0, 1, ground.shape).astype(np.float32) * np.float32(noise)
    plane = np.ascontiguousarray(cv2.resize(ground[..., 1], (w // 2, h // 2), interpolation=cv2.INTER_AREA))
    edges = find_edges(plane, noise / 2)
    edges = replace(edges.moved(0, 0, 2), sigma=2 * edges.sigma)
    return make_reference(ground, (h, w), softness_map(edges, (h, w)))


def sample(pictures: list[np.ndarray], rng: np.random.Generator) -> np.ndarray:
    """What the network sees of a frame, and where its subject is: float16 (PLANES + 1)×KEPT."""
    reference, alpha = composed(pictures, rng)
    planes = planes_of(reference, KEPT)
    truth = cv2.resize(alpha, KEPT[::-1], interpolation=cv2.INTER_AREA)
    return np.concatenate([planes, truth[None]]).astype(np.float16)


def make(work: Path, count: int) -> None:
    """Samples in files of a hundred; those that are there stay."""
    photographs.fetch_more()
    folder = work / "subject"
    folder.mkdir(parents=True, exist_ok=True)
    names = [n for n in photographs.TRAINING if not any(word in n for word in EMPTY)]
    rng = np.random.default_rng(3)
    kept = {n: photographs.load(n, 2000) for n in names}
    drawn = [scenes.drawn(rng, 700) for _ in range(12)]
    for part in range(-1, count // 100):  # the first is held out
        path = folder / f"{part + 1:03d}.npy"
        if path.exists():
            continue
        rng = np.random.default_rng(900 + part)
        own = [p for n, p in kept.items() if (n in denoiser.HELD_OUT) == (part < 0)]
        made = np.stack([sample(own if part < 0 else own + drawn, rng) for _ in range(100)])
        np.save(path.with_suffix(".part.npy"), made)
        path.with_suffix(".part.npy").replace(path)
        print(path.name, flush=True)


def batches(work: Path, seed: int) -> Callable[[], torch.Tensor]:
    """Frames, mirrored and in other colours at times."""
    rng = np.random.default_rng(seed)
    folder = work / "subject"

    def give() -> torch.Tensor:
        files = sorted(folder.glob("[0-9][0-9][0-9].npy"))[1:]
        out = []
        for _ in range(BATCH):
            whole = np.load(files[int(rng.integers(len(files)))], mmap_mode="r")
            one = np.asarray(whole[int(rng.integers(len(whole)))], np.float32)
            one[:3] = one[rng.permutation(3)] * np.exp(rng.normal(0, 0.12, (3, 1, 1))).astype(np.float32)
            out.append(one[..., ::-1] if rng.random() < 0.5 else one)
        return torch.from_numpy(np.ascontiguousarray(np.stack(out)))

    return give


@torch.no_grad()
def score(net: Net, held: torch.Tensor) -> tuple[float, float]:
    """Mean intersection over union where there is a subject; share of frames without one in which one is told."""
    net.eval()
    likely = torch.sigmoid(net(held[:, :PLANES]))[:, 0] > 0.5
    truth = held[:, PLANES] > 0.5
    both, either = (likely & truth).sum((1, 2)), (likely | truth).sum((1, 2))
    has = truth.sum((1, 2)) > 20
    false = likely[~has].float().mean((1, 2)) > 0.01
    return float((both[has] / either[has].clamp(min=1)).mean()), float(false.float().mean())


def train(work: Path, steps: int, threads: int) -> None:
    torch.set_num_threads(threads)
    torch.manual_seed(0)
    net, smooth = Net().to(memory_format=torch.channels_last), Net()
    held = torch.from_numpy(np.load(work / "subject" / "000.npy").astype(np.float32))

    def losses(first: int) -> Callable[[], torch.Tensor]:
        coming = ahead(batches(work, 100 + first))

        def loss() -> torch.Tensor:
            whole = next(coming)
            out = net(whole[:, :PLANES].to(memory_format=torch.channels_last))
            truth = whole[:, PLANES:]
            likely = torch.sigmoid(out)
            overlap = (likely * truth).sum((1, 2, 3)) + 20
            dice = 1 - 2 * overlap / (likely.sum((1, 2, 3)) + truth.sum((1, 2, 3)) + 40)
            return nn.functional.binary_cross_entropy_with_logits(out, truth) + 0.5 * dice.mean()

        return loss

    def words() -> str:
        union, false = score(smooth, held)
        return f"held out: intersection over union {union:.3f}, false {false:.0%}"

    fit(
        net,
        smooth,
        work / "subject.pt",
        steps,
        falling(steps, RATE, LAST_RATE, WARM_UP),
        losses,
        words,
        DECAY,
        SAVE_EVERY,
    )


def export(work: Path) -> None:
    """Write the network as ONNX, and beside it how it was made."""
    net = Net()
    saved = torch.load(work / "subject.pt", weights_only=True)
    net.load_state_dict(saved["smooth"])
    record = {
        "script": "training/subject.py", "steps": saved["step"], "minutes": round(saved["seconds"] / 60), "batch": BATCH,
        "widths": WIDTHS, "parameters": sum(p.numel() for p in net.parameters()),
        "samples": 100 * (len(list((work / "subject").glob("[0-9][0-9][0-9].npy"))) - 1),
        "pictures": [n for n in photographs.TRAINING if n not in denoiser.HELD_OUT and not any(word in n for word in EMPTY)],
        "held_out": denoiser.HELD_OUT,
    }  # fmt: skip
    TARGET.with_suffix(".json").write_text(json.dumps(record, indent=1) + "\n", "utf-8")
    torch.onnx.export(
        net.eval(), (torch.zeros(1, PLANES, *KEPT),), str(TARGET), input_names=["seen"], output_names=["likely"],
        opset_version=17, dynamo=False,
    )  # fmt: skip
    denoiser.shorten(TARGET)


if __name__ == "__main__":
    commands(__doc__, make, train, export, 6000)
