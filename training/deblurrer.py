"""Train the network that undoes a known blur; resumable, made for a processor core or two.

    pip install -e '.[training]'
    python training/deblurrer.py make --work FOLDER --count 3000
    python training/deblurrer.py train --work FOLDER --steps 9000
    python training/deblurrer.py export --work FOLDER

Scenes (photographs and drawn ones) are blurred by lenses, discs, polygons, movements and curved paths as the valid convolution of a
larger scene. Some get white noise in one plane; others are photographed by the simulated camera, with mosaic, photon noise and
clipping, and denoised as the program does. The kernel that the methods are told is a little wrong in some. State is saved every few
minutes; the same command goes on.
"""

from __future__ import annotations

import json
import sys
from collections.abc import Callable
from pathlib import Path

import cv2
import denoiser
import numpy as np
import scenes
import torch
from fitting import ahead, commands, falling, fit
from scenes import photographs
from scipy.signal import fftconvolve
from torch import nn

sys.path.append(str(Path(__file__).parent.parent / "tests" / "core"))
import shots

from irvane.core.acutance.blurs import Blur, kernel_of, path_of
from irvane.core.acutance.learned import SCALE, coded, planes_for
from irvane.core.line.camera import LEFT_BY_DENOISING
from irvane.core.line.deblurring import told
from irvane.core.line.develop import denoise_whole, develop
from irvane.core.noise.denoise import FAST, Removal
from irvane.core.pixels.picture import decode16
from irvane.core.settings import Settings

#: Channels at half and at a quarter of the size; planes that the network sees.
WIDTHS, PLANES = (48, 96), 6
#: Sides of a scene and of what is kept of it; patches of a batch, and their side.
SIDE, KEPT, BATCH, PATCH = 400, 192, 12, 96
RATE, LAST_RATE, WARM_UP, DECAY, SAVE_EVERY = 8e-4, 1e-5, 100, 0.998, 200
#: Shares: of drawn scenes, of frames with a mosaic, of kernels that are a little wrong.
OF_DRAWN, OF_MOSAICS, OF_WRONG = 0.35, 0.4, 0.35
_LUMINANCE = np.array([0.2126, 0.7152, 0.0722], np.float32)
#: Below this, differences count squared (Charbonnier and others 1994).
_SOFT = 1e-3
TARGET = Path(__file__).parent.parent / "src" / "irvane" / "core" / "acutance" / "deblur.onnx"


class Block(nn.Module):
    """Two convolutions beside the plain way (He and others 2016)."""

    def __init__(self, width: int) -> None:
        super().__init__()
        self.body = nn.Sequential(
            nn.Conv2d(width, width, 3, padding=1), nn.ReLU(), nn.Conv2d(width, width, 3, padding=1)
        )

    def forward(self, x: torch.Tensor) -> torch.Tensor:
        return x + self.body(x)


class Net(nn.Module):
    """A U-Net of two levels on pixels folded two by two."""

    def __init__(self) -> None:
        super().__init__()
        wide, deep = WIDTHS
        self.head = nn.Conv2d(4 * PLANES, wide, 3, padding=1)
        self.before = nn.Sequential(Block(wide), Block(wide))
        self.down = nn.Conv2d(wide, deep, 2, stride=2)
        self.middle = nn.Sequential(Block(deep), Block(deep), Block(deep))
        self.up = nn.ConvTranspose2d(deep, wide, 2, stride=2)
        self.after = nn.Sequential(Block(wide), Block(wide))
        self.tail = nn.Conv2d(wide, 4, 3, padding=1)
        nn.init.zeros_(self.tail.weight)
        nn.init.zeros_(self.tail.bias)

    def forward(self, seen: torch.Tensor) -> torch.Tensor:
        x = self.before(self.head(nn.functional.pixel_unshuffle(seen, 2)))
        x = self.after(x + self.up(self.middle(self.down(x))))
        return nn.functional.pixel_shuffle(self.tail(x), 2)


def some_blur(rng: np.random.Generator) -> Blur:
    """A blur of any cause."""
    kind = rng.random()
    if kind < 0.25:
        return Blur("lens", float(rng.uniform(0.6, 2.4)))
    if kind < 0.55:
        blades = int(rng.choice([0, 0, 0, 5, 6, 7, 8]))
        return Blur("defocus", float(rng.uniform(1.5, 7.5)), float(rng.uniform(0, 90)), blades)
    if kind < 0.8:
        return Blur("motion", float(np.exp(rng.uniform(np.log(3), np.log(30)))), float(rng.uniform(-90, 90)))
    # a hand: speed and direction wander
    turns = np.cumsum(rng.normal(0, rng.uniform(0.2, 0.8), 12)) + rng.uniform(0, 2 * np.pi)
    speeds = np.exp(rng.normal(0, 0.5, 12))
    points = np.cumsum(speeds[:, None] * np.stack([np.cos(turns), np.sin(turns)], axis=1), axis=0)
    found = path_of(points)
    return path_of(points * rng.uniform(5, 22) / found.size)


def a_little_wrong(blur: Blur, rng: np.random.Generator) -> Blur:
    """A kernel as it would be estimated."""
    off = float(rng.normal(1, 0.05))
    if blur.path:
        return path_of(np.asarray(blur.path) * off + rng.normal(0, 0.25, (len(blur.path), 2)))
    return Blur(blur.cause, max(0.4, blur.size * off), blur.angle + float(rng.normal(0, 1.5)), blur.blades)


def sample(light: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """What the network sees and what it should give, coded: float16 7×KEPT×KEPT. `light`: linear SIDE×SIDE×3."""
    blur = some_blur(rng)
    kernel = kernel_of(blur)
    half = kernel.shape[0] // 2
    light = light * np.float32(rng.uniform(0.35, 1.1) / max(float(np.quantile(light, 0.998)), 1e-3))
    known = a_little_wrong(blur, rng) if rng.random() < OF_WRONG else blur
    if rng.random() < OF_MOSAICS:
        half += half % 2  # a mosaic begins at even pixels
        camera = np.ascontiguousarray(light * shots.NEUTRAL.astype(np.float32))
        seen = cv2.filter2D(camera, -1, kernel, borderType=cv2.BORDER_REFLECT_101)[half:-half, half:-half]
        iso = float(100 * 2.0 ** rng.uniform(0, 6))
        frame = shots.loaded(
            np.ascontiguousarray(np.clip(seen, 0, 1)), iso=iso, seed=int(rng.integers(1 << 30))
        )
        developed = develop(frame, Settings().sensor)
        pixels = decode16(denoise_whole(developed, Settings().sensor, Removal(1.0, FAST)).codes)
        assert developed.noise is not None
        plane, level, sigma = told(pixels, developed.noise.times(LEFT_BY_DENOISING), developed.gains)
        truth = told(camera[half:-half, half:-half], None, developed.gains)[0]
    else:
        scene = np.clip(light @ _LUMINANCE, 0, 0.98)
        plane = fftconvolve(scene, kernel, mode="valid").astype(np.float32)
        noise = float(np.exp(rng.uniform(np.log(0.001), np.log(0.015))))
        plane = np.clip(plane + rng.normal(0, noise, plane.shape), 1e-4, 1).astype(np.float32)
        truth, level = scene[half:-half, half:-half], float(plane.mean())
        sigma = noise / level
    planes, _ = planes_for(plane / np.float32(level), known, sigma)
    top, left = ((n - KEPT) // 2 for n in plane.shape)
    inner = slice(top, top + KEPT), slice(left, left + KEPT)
    return np.concatenate([planes[:, *inner], coded(truth / np.float32(level))[None][:, *inner]]).astype(
        np.float16
    )


def make(work: Path, count: int) -> None:
    """Samples in files of a hundred; those that are there stay."""
    photographs.fetch_more()
    names = tuple(n for n in photographs.TRAINING if n not in denoiser.HELD_OUT)
    folder = work / "deblur"
    folder.mkdir(parents=True, exist_ok=True)
    for part in range(-1, count // 100):  # the first is held out
        path = folder / f"{part + 1:03d}.npy"
        if path.exists():
            continue
        rng = np.random.default_rng(500 + part)
        own = denoiser.HELD_OUT if part < 0 else tuple(rng.choice(names, 22))
        crops = list(scenes.photograph_crops(own, rng, -(-66 // len(own)), (2.0, 3.5), SIDE))[:66]
        crops += [scenes.drawn(rng, SIDE) for _ in range(100 - len(crops))]
        made = np.stack([sample(np.ascontiguousarray(crop, np.float32), rng) for crop in crops])
        np.save(path.with_suffix(".part.npy"), made)
        path.with_suffix(".part.npy").replace(path)
        print(f"{path.name}", flush=True)


def batches(work: Path, seed: int) -> Callable[[], torch.Tensor]:
    """Patches of the samples that are there."""
    rng = np.random.default_rng(seed)
    folder = work / "deblur"

    def give() -> torch.Tensor:
        files = sorted(folder.glob("[0-9][0-9][0-9].npy"))[1:]
        out = []
        for _ in range(BATCH):
            whole = np.load(files[int(rng.integers(len(files)))], mmap_mode="r")
            y, x = rng.integers(0, (KEPT - PATCH) // 2 + 1, 2) * 2
            patch = np.asarray(
                whole[int(rng.integers(len(whole))), :, y : y + PATCH, x : x + PATCH], np.float32
            )
            patch = np.rot90(patch, int(rng.integers(4)), (1, 2))
            out.append(patch[..., ::-1] if rng.random() < 0.5 else patch)
        return torch.from_numpy(np.ascontiguousarray(np.stack(out)))

    return give


@torch.no_grad()
def score(net: Net, held: torch.Tensor) -> tuple[float, float]:
    """Mean PSNR (square-root coded) of the splitting and of the network."""
    before, after = [], []
    for one in held:
        made = one[1] + SCALE * net(one[None, :PLANES])[0, 0]
        for found, kept in ((one[1], before), (made, after)):
            kept.append(-10 * np.log10(float(((found - one[PLANES]) ** 2).mean())))
    return float(np.mean(before)), float(np.mean(after))


def train(work: Path, steps: int, threads: int) -> None:
    torch.set_num_threads(threads)
    torch.manual_seed(0)
    net, smooth = Net().to(memory_format=torch.channels_last), Net()
    held = torch.from_numpy(np.load(work / "deblur" / "000.npy").astype(np.float32))[::2]

    def losses(first: int) -> Callable[[], torch.Tensor]:
        coming = ahead(batches(work, 100 + first))

        def loss() -> torch.Tensor:
            whole = next(coming)
            seen = whole[:, :PLANES].to(memory_format=torch.channels_last)
            off = whole[:, 1:2] + SCALE * net(seen) - whole[:, PLANES:]
            return torch.sqrt(off * off + _SOFT**2).mean()

        return loss

    def words() -> str:
        before, after = score(smooth, held)
        return f"held out {before:.2f} to {after:.2f} dB"

    fit(
        net,
        smooth,
        work / "deblur.pt",
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
    saved = torch.load(work / "deblur.pt", weights_only=True)
    net.load_state_dict(saved["smooth"])
    record = {
        "script": "training/deblurrer.py", "steps": saved["step"], "minutes": round(saved["seconds"] / 60), "batch": BATCH,
        "patch": PATCH, "widths": WIDTHS, "parameters": sum(p.numel() for p in net.parameters()),
        "samples": 100 * (len(list((work / "deblur").glob("[0-9][0-9][0-9].npy"))) - 1),
        "pictures": [n for n in photographs.TRAINING if n not in denoiser.HELD_OUT], "held_out": denoiser.HELD_OUT,
    }  # fmt: skip
    TARGET.with_suffix(".json").write_text(json.dumps(record, indent=1) + "\n", "utf-8")
    axes = {0: "n", 2: "h", 3: "w"}
    torch.onnx.export(
        net.eval(), (torch.zeros(1, PLANES, 64, 64),), str(TARGET), input_names=["seen"], output_names=["lacks"],
        dynamic_axes={"seen": axes, "lacks": axes}, opset_version=17, dynamo=False,
    )  # fmt: skip
    denoiser.shorten(TARGET)


if __name__ == "__main__":
    commands(__doc__, make, train, export, 9000)
