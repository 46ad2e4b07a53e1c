"""Train the network that denoises a stabilised Bayer mosaic; resumable, made for two processor cores.

    pip install -e '.[training]'
    python training/denoiser.py train --work FOLDER --steps 10000
    python training/denoiser.py export --work FOLDER --to src/irvane/core/noise/bayer.onnx

The network sees the four packed planes of a variance-stabilised mosaic (noise of unit variance whatever the camera
and ISO) and gives the noise in them. Pictures come from scenes.py; cameras, white balances, exposures and sensors are
drawn at random for every patch. State is saved every few minutes; the same command goes on from there. Without
that state, ``--start src/irvane/core/noise/bayer.onnx`` begins with the shipped weights.
"""

from __future__ import annotations

import argparse
import json
import time
from pathlib import Path

import numpy as np
import scenes
import torch
from scenes import photographs
from torch import nn

WIDTHS = (32, 64, 128)
BLOCKS = (1, 1, 3, 1, 2)
#: Stabilised values are divided by this at the network's entrance.
SCALE = 16.0
PATCH, BATCH = 96, 8
RATE, LAST_RATE = 1e-3, 1e-5
WARM_UP = 300
DECAY = 0.999
SAVE_EVERY = 250
DRAWN = 160
HELD_OUT = (photographs.TRAINING[0], photographs.TRAINING[7])
_G = np.linspace(0.9, 1200, 60_000)
#: Right side of the closed-form exact unbiased inverse (Mäkitalo & Foi 2013): electrons + 1/8 + variance.
_G_OF = 0.25 * _G**2 + 0.25 * np.sqrt(1.5) / _G - 11 / 8 / _G**2 + 5 / 8 * np.sqrt(1.5) / _G**3


class Residual(nn.Module):
    """Two convolutions beside an identity."""

    def __init__(self, width: int) -> None:
        super().__init__()
        self.first = nn.Conv2d(width, width, 3, padding=1)
        self.second = nn.Conv2d(width, width, 3, padding=1)

    def forward(self, x: torch.Tensor) -> torch.Tensor:
        return x + self.second(torch.relu(self.first(x)))


def chain(width: int, count: int) -> nn.Sequential:
    return nn.Sequential(*(Residual(width) for _ in range(count)))


class Net(nn.Module):
    """Residual U-Net of three scales; sizes must be multiples of 4."""

    def __init__(self, planes: int = 4) -> None:
        super().__init__()
        a, b, c = WIDTHS
        self.head = nn.Conv2d(planes, a, 3, padding=1)
        self.enter_a, self.down_a = chain(a, BLOCKS[0]), nn.Conv2d(a, b, 2, 2)
        self.enter_b, self.down_b = chain(b, BLOCKS[1]), nn.Conv2d(b, c, 2, 2)
        self.middle = chain(c, BLOCKS[2])
        self.up_b, self.leave_b = nn.ConvTranspose2d(c, b, 2, 2), chain(b, BLOCKS[3])
        self.up_a, self.leave_a = nn.ConvTranspose2d(b, a, 2, 2), chain(a, BLOCKS[4])
        self.tail = nn.Conv2d(a, planes, 3, padding=1)

    def forward(self, stable: torch.Tensor) -> torch.Tensor:
        """Denoised planes of stabilised ones, both N×planes×H×W."""
        a = self.enter_a(self.head(stable * (1 / SCALE)))
        b = self.enter_b(self.down_a(a))
        b = self.leave_b(b + self.up_b(self.middle(self.down_b(b))))
        return stable - self.tail(self.leave_a(a + self.up_a(b)))


class Patches:
    """Random patches: (noisy, clean) stabilised planes."""

    def __init__(self, pools: list[np.ndarray], shares: list[float], rng: np.random.Generator) -> None:
        self.pools, self.shares, self.rng = pools, shares, rng

    def _scene(self) -> np.ndarray:
        rng = self.rng
        pictures = self.pools[rng.choice(len(self.pools), p=self.shares)]
        side, picture = 2 * PATCH, pictures[rng.integers(len(pictures))]
        top, left = rng.integers(0, picture.shape[0] - side + 1, 2)
        cut = np.float32(picture[top : top + side, left : left + side])
        cut = np.rot90(cut, rng.integers(4))
        return cut[:, ::-1] if rng.random() < 0.5 else cut

    def _mosaic(self) -> np.ndarray:
        """Planes (red, green, green, blue) of a random camera's mosaic, 1 = clipping, before the clip."""
        rng = self.rng
        mixing = rng.uniform(0.0, 0.3, (3, 3))
        np.fill_diagonal(mixing, 0)
        matrix = np.eye(3) * (1 - mixing.sum(1)) + mixing
        matrix *= np.array([rng.uniform(0.3, 0.95), 1.0, rng.uniform(0.3, 0.95)])[:, None]
        camera = self._scene() @ matrix.T.astype(np.float32) * 2.0 ** rng.uniform(-3.5, 0.8)
        return np.stack(
            [camera[::2, ::2, 0], camera[::2, 1::2, 1], camera[1::2, ::2, 1], camera[1::2, 1::2, 2]]
        )

    def one(self) -> tuple[np.ndarray, np.ndarray]:
        rng = self.rng
        light = np.clip(self._mosaic(), 0, 1)
        full = 2.0 ** rng.uniform(np.log2(24), np.log2(60_000)) if rng.random() < 0.9 else 80.0
        read = 2.0 ** rng.uniform(-0.5, 3.2) * min(1.0, (full / 60) ** 0.5)
        electrons = light * full
        noisy = np.minimum(rng.poisson(electrons) + read * rng.standard_normal(electrons.shape), full)
        stable = 2 * np.sqrt(np.maximum(noisy + 0.375 + read**2, 0))
        clean = np.interp(electrons + 0.125 + read**2, _G_OF, _G)
        return stable.astype(np.float32), clean.astype(np.float32)

    def batch(self, count: int) -> tuple[torch.Tensor, torch.Tensor]:
        noisy, clean = zip(*(self.one() for _ in range(count)), strict=True)
        return torch.from_numpy(np.stack(noisy)), torch.from_numpy(np.stack(clean))


def pools(work: Path) -> tuple[list[np.ndarray], np.ndarray]:
    """Training pools (photographs, drawn) and the held-out photographs."""
    names = tuple(n for n in photographs.TRAINING if n not in HELD_OUT)

    def photos(chosen, each, seed):
        return lambda: scenes.photograph_crops(chosen, np.random.default_rng(seed), each)

    drawn = scenes.pool(
        work / "drawn.npy", lambda: (scenes.drawn(np.random.default_rng(9000 + i)) for i in range(DRAWN))
    )
    return [scenes.pool(work / "photos.npy", photos(names, 30, 1)), drawn], scenes.pool(
        work / "held.npy", photos(HELD_OUT, 6, 2)
    )


def rate(step: int, steps: int) -> float:
    if step < WARM_UP:
        return RATE * (step + 1) / WARM_UP
    share = (step - WARM_UP) / max(1, steps - WARM_UP)
    return LAST_RATE + (RATE - LAST_RATE) * 0.5 * (1 + np.cos(np.pi * min(share, 1.0)))


@torch.no_grad()
def score(net: Net, noisy: torch.Tensor, clean: torch.Tensor) -> float:
    """Mean residual noise (RMS, in units of the noise that was there) over patches of very different ISO."""
    net.eval()
    error = torch.cat([net(n[None]) - c[None] for n, c in zip(noisy, clean, strict=True)])
    net.train()
    return float(error.square().mean((1, 2, 3)).sqrt().mean())


def load_exported(net: Net, path: Path) -> None:
    """Take the weights of an exported network, to train on from where it was left."""
    import onnx

    arrays = {i.name: onnx.numpy_helper.to_array(i) for i in onnx.load(path).graph.initializer}
    net.load_state_dict({name: torch.from_numpy(arrays[name].copy()) for name in net.state_dict()})


def train(work: Path, steps: int, start: Path | None) -> None:
    torch.set_num_threads(2)
    torch.manual_seed(0)
    training, held = pools(work)
    net, smooth = Net().to(memory_format=torch.channels_last), Net()
    if start is not None:
        load_exported(net, start)
    smooth.load_state_dict(net.state_dict())
    optimiser = torch.optim.AdamW(net.parameters(), lr=RATE, weight_decay=1e-4)
    first, seconds, state = 0, 0.0, work / "state.pt"
    if state.exists():
        saved = torch.load(state, weights_only=True)
        net.load_state_dict(saved["net"])
        smooth.load_state_dict(saved["smooth"])
        optimiser.load_state_dict(saved["optimiser"])
        first, seconds = saved["step"], saved["seconds"]
    check = Patches([held], [1.0], np.random.default_rng(5)).batch(24)
    source = Patches(training, [0.62, 0.38], np.random.default_rng(100 + first))
    started, total = time.monotonic() - seconds, 0.0
    for step in range(first, steps):
        for group in optimiser.param_groups:
            group["lr"] = float(rate(step, steps))
        noisy, clean = source.batch(BATCH)
        error = net(noisy.to(memory_format=torch.channels_last)) - clean
        loss = torch.sqrt(error * error + 1e-4).mean()
        optimiser.zero_grad()
        loss.backward()
        nn.utils.clip_grad_norm_(net.parameters(), 1.0)
        optimiser.step()
        with torch.no_grad():
            decay = min(DECAY, (step + 1) / (step + 10))
            for kept, new in zip(smooth.parameters(), net.parameters(), strict=True):
                kept.lerp_(new, 1 - decay)
        total += loss.item()
        if (step + 1) % SAVE_EVERY == 0 or step + 1 == steps:
            seconds = time.monotonic() - started
            torch.save(
                {"net": net.state_dict(), "smooth": smooth.state_dict(), "optimiser": optimiser.state_dict(),
                 "step": step + 1, "seconds": seconds},
                state.with_suffix(".part"),
            )  # fmt: skip
            state.with_suffix(".part").replace(state)
            print(f"{step + 1} steps, {seconds / 60:.1f} min, loss {total / SAVE_EVERY:.4f}, "
                  f"held out {score(smooth, *check):.4f}", flush=True)  # fmt: skip
            total = 0.0


def export(work: Path, target: Path) -> None:
    """Write the network for ONNX Runtime, and beside it how it was made."""
    net = Net()
    saved = torch.load(work / "state.pt", weights_only=True)
    net.load_state_dict(saved["smooth"])
    record = {
        "script": "training/denoiser.py", "steps": saved["step"], "minutes": round(saved["seconds"] / 60),
        "batch": BATCH, "patch": PATCH, "widths": WIDTHS, "blocks": BLOCKS,
        "parameters": sum(p.numel() for p in net.parameters()),
        "pictures": [n for n in photographs.TRAINING if n not in HELD_OUT], "held_out": HELD_OUT, "drawn": DRAWN,
    }  # fmt: skip
    target.with_suffix(".json").write_text(json.dumps(record, indent=1) + "\n", "utf-8")
    axes = {0: "n", 2: "h", 3: "w"}
    torch.onnx.export(
        net.eval(), (torch.zeros(1, 4, 64, 64),), str(target), input_names=["noisy"], output_names=["clean"],
        dynamic_axes={"noisy": axes, "clean": axes}, opset_version=17, dynamo=False,
    )  # fmt: skip


if __name__ == "__main__":
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("what", choices=("train", "export"))
    parser.add_argument("--to", type=Path, help="file to export to")
    parser.add_argument("--work", type=Path, required=True)
    parser.add_argument(
        "--start", type=Path, help="an exported network to begin with, when there is no state yet"
    )
    parser.add_argument("--steps", type=int, default=10_000)
    args = parser.parse_args()
    if args.what == "train":
        photographs.fetch()
        args.work.mkdir(parents=True, exist_ok=True)
        train(args.work, args.steps, args.start)
    else:
        export(args.work, args.to)
