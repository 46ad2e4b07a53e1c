"""Train the networks that denoise a stabilised mosaic; resumable, made for two processor cores.

    pip install -e '.[training]'
    python training/denoiser.py train --array bayer --work FOLDER --steps 10000
    python training/denoiser.py export --array bayer --work FOLDER

The arrays are ``bayer`` and ``six_by_six``. The network sees the packed planes of a variance-stabilised mosaic (noise
of unit variance whatever the camera and ISO) and gives the noise in them. Pictures come from scenes.py; cameras,
white balances, exposures and sensors are drawn at random for every patch. State is saved every few minutes; the same
command goes on from there. Without that state, ``--start`` begins with the shipped weights. The loss is the mean
absolute error; ``--squared`` takes the mean square, which is what PSNR counts, at a smaller rate: for a last run. To
either is added what the network's own grid leaves in plain areas: see `grid`. Where that is seen after a long run, a few
hundred steps at a small ``--rate`` take it away.
"""

from __future__ import annotations

import argparse
import json
from collections.abc import Callable, Sequence
from pathlib import Path

import numpy as np
import onnx
import onnx.checker
import onnx.helper
import onnx.numpy_helper
import scenes
import torch
from fitting import ahead, fit
from scenes import photographs
from torch import nn

from irvane.core.sensor.packing import PACKINGS, Packing

ARRAYS = {packing.file: packing for packing in PACKINGS.values()}
#: Channels at the three scales; a cell of nine pixels holds more than one of four.
WIDTHS = {"bayer": (32, 64, 128), "six_by_six": (48, 96, 144)}
BLOCKS = (1, 1, 3, 1, 2)
#: Stabilised values are divided by this at the network's entrance.
SCALE = 16.0
#: Side of a patch in pixels of the mosaic.
PATCH, BATCH = 192, 8
#: Highest learning rate: for a new network, for one that begins with the shipped weights, and with squared errors.
RATE, RATE_ON, RATE_SQUARED, LAST_RATE = 1e-3, 4e-4, 2e-4, 1e-5
WARM_UP = 300
DECAY = 0.999
SAVE_EVERY = 250
DRAWN, EVEN = 160, 120
#: Shares of the pools among the patches: photographs, drawn scenes, even areas.
SHARES = (0.48, 0.27, 0.25)
#: Plain patches beside each batch, in which the network's own grid is looked for, and the weight of that in the loss. The
#: network of the 6×6 array has none that can be seen; the search for it made its plain areas worse.
PLAIN, GRID = {"bayer": 4, "six_by_six": 0}, 10_000.0
_SHORT = "short."
HELD_OUT = tuple(photographs.TRAINING[k] for k in (0, 7, 14, 22))
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

    def __init__(self, array: Packing) -> None:
        super().__init__()
        planes = array.planes
        a, b, c = WIDTHS[array.file]
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

    def __init__(
        self, array: Packing, pools: list[np.ndarray], shares: Sequence[float], rng: np.random.Generator
    ) -> None:
        self.array, self.pools, self.shares, self.rng = array, pools, shares, rng
        period = array.cfa.shape[0]
        self.colours = np.tile(array.cfa, (PATCH // period, PATCH // period))[..., None]

    def _scene(self) -> np.ndarray:
        rng = self.rng
        pictures = self.pools[rng.choice(len(self.pools), p=self.shares)]
        picture = pictures[rng.integers(len(pictures))]
        top, left = rng.integers(0, picture.shape[0] - PATCH + 1, 2)
        cut = np.float32(picture[top : top + PATCH, left : left + PATCH])
        cut = np.rot90(cut, rng.integers(4))
        return cut[:, ::-1] if rng.random() < 0.5 else cut

    def _mosaic(self) -> np.ndarray:
        """A random camera's mosaic, 1 = clipping, before the clip."""
        rng = self.rng
        mixing = rng.uniform(0.0, 0.3, (3, 3))
        np.fill_diagonal(mixing, 0)
        matrix = np.eye(3) * (1 - mixing.sum(1)) + mixing
        matrix *= np.array([rng.uniform(0.3, 0.95), 1.0, rng.uniform(0.3, 0.95)])[:, None]
        camera = self._scene() @ matrix.T.astype(np.float32) * 2.0 ** rng.uniform(-3.5, 0.8)
        return np.take_along_axis(camera, self.colours, axis=2)[..., 0]

    def one(self) -> tuple[np.ndarray, np.ndarray]:
        rng = self.rng
        light = np.clip(self._mosaic(), 0, 1)
        full = 2.0 ** rng.uniform(np.log2(24), np.log2(60_000)) if rng.random() < 0.9 else 80.0
        return self._shot(light, full)

    def _shot(self, light: np.ndarray, full: float) -> tuple[np.ndarray, np.ndarray]:
        rng = self.rng
        read = 2.0 ** rng.uniform(-0.5, 3.2) * min(1.0, (full / 60) ** 0.5)
        electrons = light * full
        noisy = np.minimum(rng.poisson(electrons) + read * rng.standard_normal(electrons.shape), full)
        stable = 2 * np.sqrt(np.maximum(noisy + 0.375 + read**2, 0))
        clean = np.interp(electrons + 0.125 + read**2, _G_OF, _G)
        return self.array.pack(stable), self.array.pack(clean)

    def batch(self, count: int, plain: int = 0) -> tuple[torch.Tensor, torch.Tensor]:
        """Patches, and after them plain ones, all of the same colour and sensor."""
        made = [self.one() for _ in range(count)]
        if plain:
            full = 2.0 ** self.rng.uniform(np.log2(24), np.log2(2000))
            colour = np.broadcast_to(2.0 ** self.rng.uniform(-5, -0.3, 3), (PATCH, PATCH, 3))
            light = np.take_along_axis(colour, self.colours, axis=2)[..., 0]
            made += [self._shot(light, full) for _ in range(plain)]
        noisy, clean = zip(*made, strict=True)
        return torch.from_numpy(np.stack(noisy)), torch.from_numpy(np.stack(clean))


def pools(work: Path) -> tuple[list[np.ndarray], np.ndarray]:
    """Training pools (photographs, drawn scenes, even areas) and the held-out photographs."""
    names = tuple(n for n in photographs.TRAINING if n not in HELD_OUT)

    def photos(chosen, each, seed):
        return lambda: scenes.photograph_crops(chosen, np.random.default_rng(seed), each)

    drawn = scenes.pool(
        work / "drawn.npy", lambda: (scenes.drawn(np.random.default_rng(9000 + i)) for i in range(DRAWN))
    )
    even = scenes.pool(
        work / "even.npy", lambda: (scenes.even(np.random.default_rng(5000 + i)) for i in range(EVEN))
    )
    return [scenes.pool(work / "photos.npy", photos(names, 20, 1)), drawn, even], scenes.pool(
        work / "held.npy", photos(HELD_OUT, 6, 2)
    )


def rate(step: int, steps: int, highest: float) -> float:
    warm_up = min(WARM_UP, steps // 4)
    if step < warm_up:
        return highest * (step + 1) / warm_up
    share = (step - warm_up) / max(1, steps - warm_up)
    return LAST_RATE + (highest - LAST_RATE) * 0.5 * (1 + np.cos(np.pi * min(share, 1.0)))


def grid(error: torch.Tensor) -> torch.Tensor:
    """Mean square of what errors in plain patches repeat in every cell of the coarsest scale, 4×4 packed pixels.

    Each place of a cell goes another way through the network. What differs from place to place is a pattern, which is
    seen at amplitudes (thousandths of the noise) that a sum of errors does not feel. All planes must be filled.
    """
    n, planes, h, w = error.shape
    phases = error.view(n, planes, h // 4, 4, w // 4, 4).mean((0, 2, 4))
    return (phases - phases.mean((1, 2), keepdim=True)).square().mean()


@torch.no_grad()
def score(net: Net, filled: torch.Tensor, noisy: torch.Tensor, clean: torch.Tensor) -> float:
    """Mean residual noise (RMS, in units of the noise that was there) over patches of very different ISO."""
    net.eval()
    error = torch.cat([(net(n[None]) - c[None]) * filled for n, c in zip(noisy, clean, strict=True)])
    net.train()
    return float((error.square().mean((1, 2, 3)) / filled.mean()).sqrt().mean())


def load_exported(net: Net, path: Path) -> None:
    """Take the weights of an exported network, to train on from where it was left."""
    arrays = {i.name: onnx.numpy_helper.to_array(i) for i in onnx.load(path).graph.initializer}
    net.load_state_dict(
        {name: torch.from_numpy(np.float32(arrays[_SHORT + name])) for name in net.state_dict()}
    )


def shorten(path: Path) -> None:
    """Store an exported network's weights in 16 bits; they are made 32 bits wide again when it is loaded."""
    model = onnx.load(path)
    casts = []
    for weight in model.graph.initializer:
        values = np.float16(onnx.numpy_helper.to_array(weight))
        casts.append(
            onnx.helper.make_node("Cast", [_SHORT + weight.name], [weight.name], to=onnx.TensorProto.FLOAT)
        )
        weight.CopyFrom(onnx.numpy_helper.from_array(values, _SHORT + weight.name))
    nodes = list(model.graph.node)
    del model.graph.node[:]
    model.graph.node.extend(casts + nodes)
    onnx.checker.check_model(model)
    onnx.save(model, path)


def train(array: Packing, work: Path, steps: int, start: bool, squared: bool, highest: float | None) -> None:
    torch.set_num_threads(2)
    torch.manual_seed(0)
    training, held = pools(work)
    net, smooth = Net(array).to(memory_format=torch.channels_last), Net(array)
    seed = 100
    if start:
        load_exported(net, exported(array))
        seed += 100_000 * len(former_runs(array))
    highest = highest or (RATE_SQUARED if squared else RATE_ON if start else RATE)
    check = Patches(array, [held], [1.0], np.random.default_rng(5)).batch(24)
    filled = torch.from_numpy(array.pack(np.ones((PATCH, PATCH), np.float32)))[None]

    def losses(first: int) -> Callable[[], torch.Tensor]:
        source = Patches(array, training, SHARES, np.random.default_rng(seed + first))
        batches = ahead(lambda: source.batch(BATCH, PLAIN[array.file]))

        def loss() -> torch.Tensor:
            noisy, clean = next(batches)
            error = (net(noisy.to(memory_format=torch.channels_last)) - clean) * filled
            off = error.square().mean() if squared else torch.sqrt(error * error + 1e-4).mean()
            return off + GRID * grid(error[BATCH:]) if PLAIN[array.file] else off

        return loss

    fit(
        net, smooth, work / f"{array.file}.pt", steps, lambda step: rate(step, steps, highest), losses,
        lambda: f"held out {score(smooth, filled, *check):.4f}", DECAY, SAVE_EVERY,
    )  # fmt: skip


def exported(array: Packing) -> Path:
    return Path(__file__).parent.parent / "src/irvane/core/noise" / f"{array.file}.onnx"


def former_runs(array: Packing) -> list[dict]:
    """How the shipped network was made, run by run."""
    return json.loads(exported(array).with_suffix(".json").read_text("utf-8"))["runs"]


def export(
    array: Packing, work: Path, start: bool, squared: bool, share: float, highest: float | None
) -> None:
    """Write the network as ONNX, and beside it how it was made (`start`: after the runs recorded before).

    With a `share` below 1, the rest is the shipped weights: the mean of two runs from the same beginning (Wortsman and
    others 2022, "Model soups").
    """
    net, target = Net(array), exported(array)
    former = former_runs(array) if start else []
    saved = torch.load(work / f"{array.file}.pt", weights_only=True)
    if share < 1:
        load_exported(net, target)
        saved["smooth"] = {k: w.lerp(saved["smooth"][k], share) for k, w in net.state_dict().items()}
    net.load_state_dict(saved["smooth"])
    run = {"steps": saved["step"], "minutes": round(saved["seconds"] / 60)}
    if squared:
        run["loss"] = "squared"
    if highest:
        run["rate"] = highest
    if share < 1:
        run["share"] = share
    record = {
        "script": "training/denoiser.py",
        "runs": [*former, run],
        "batch": BATCH, "patch": PATCH, "widths": WIDTHS[array.file], "blocks": BLOCKS,
        "parameters": sum(p.numel() for p in net.parameters()),
        "pictures": [n for n in photographs.TRAINING if n not in HELD_OUT], "held_out": HELD_OUT, "drawn": DRAWN, "even": EVEN,
    }  # fmt: skip
    target.with_suffix(".json").write_text(json.dumps(record, indent=1) + "\n", "utf-8")
    axes = {0: "n", 2: "h", 3: "w"}
    torch.onnx.export(
        net.eval(), (torch.zeros(1, array.planes, 64, 64),), str(target), input_names=["noisy"], output_names=["clean"],
        dynamic_axes={"noisy": axes, "clean": axes}, opset_version=17, dynamo=False,
    )  # fmt: skip
    shorten(target)


if __name__ == "__main__":
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("what", choices=("train", "export"))
    parser.add_argument("--array", choices=ARRAYS, required=True)
    parser.add_argument("--work", type=Path, required=True, help="folder for pictures and states")
    parser.add_argument(
        "--start", action="store_true", help="begin (or: it was begun) with the shipped network"
    )
    parser.add_argument("--squared", action="store_true", help="count (or: it was counted) squared errors")
    parser.add_argument("--rate", type=float, help="highest learning rate (or: it was)")
    parser.add_argument("--share", type=float, default=1.0, help="of the run in what is shipped")
    parser.add_argument("--steps", type=int, default=10_000)
    args = parser.parse_args()
    if args.what == "train":
        photographs.fetch_more()
        args.work.mkdir(parents=True, exist_ok=True)
        train(ARRAYS[args.array], args.work, args.steps, args.start, args.squared, args.rate)
    else:
        export(ARRAYS[args.array], args.work, args.start, args.squared, args.share, args.rate)
