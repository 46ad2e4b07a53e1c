"""Train the networks that refine demosaiced pictures; resumable, made for two processor cores.

    pip install -e '.[training]'
    python training/refiner.py examples --array six_by_six --work FOLDER
    python training/refiner.py train --array six_by_six --work FOLDER --steps 9000
    python training/refiner.py export --array six_by_six --work FOLDER

With ``--denoised`` it is the network for mosaics that were denoised (shipped for the array ``bayer``; for
``six_by_six`` it came out no better than the network without). For Bayer mosaics as they were shot the same was tried: it
gained nothing worth its time, and is not shipped.

The network sees a picture that Irvane's own interpolation made of a mosaic (in the domain of the interpolation, at the
camera's reference gains) and gives what is wrong with it. Examples are mosaics of a random camera as in denoiser.py,
denoised by the shipped network; without ``--denoised`` one part is nearly free of noise instead. They are made once
(``examples``); state is saved every few minutes; the same command goes on from there. Without that state, ``--start``
begins with the shipped weights: worth a run when the denoiser has changed.
"""

from __future__ import annotations

import argparse
import json
import math
import multiprocessing
from collections.abc import Callable, Iterator
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import cv2
import denoiser
import numpy as np
import scenes
import torch
from fitting import ahead, fit
from scenes import photographs
from torch import nn

from irvane.core.image import Mosaic, NoiseModel
from irvane.core.noise.denoise import method_for
from irvane.core.sensor.demosaic import demosaic
from irvane.core.sensor.encoding import encoded, knee_for
from irvane.core.sensor.packing import Packing
from irvane.core.sensor.refine import Removed, filters_of
from irvane.core.threads import CORES

#: Channels, and blocks of two convolutions beside an identity.
WIDTH, BLOCKS = 32, 2
PATCH, CUT, BATCH = denoiser.PATCH, 96, 16
EXAMPLES, CHECKS = 4000, 96
#: Factors of what is seen of detail and of what is mended, so that both are near 1 inside the network.
DETAIL, MENDING = 10.0, 0.05
#: Share of examples that are nearly free of noise, and not denoised; full wells of these and of the others, in electrons.
PLAIN, PLAIN_WELL, CLEAN_WELL = 0.4, (200_000, 4_000_000), (60, 60_000)
#: Factors of what is seen of the noise and of what was removed, likewise.
NOISE, REMOVED = 10.0, 0.3
#: Saturation of scenes, as a factor: the pictures at hand are more alike in it than the world is.
SATURATION = (0.6, 2.2)
#: Share of denoised examples that a lens softens, and the standard deviations of its blur in pixels.
SOFT, BLUR = 0.5, (0.3, 1.0)
#: Reductions of photographs: sharp ones are needed here.
REDUCTIONS = (1.8, 3.2)
#: Share of what was learned that is shipped, for denoised mosaics: colours that the pictures at hand do not have are
#: mended too much, so that the mean of the picture before and after is better than either on other photographs.
SHIPPED = 0.5
#: Highest learning rate: for a new network, and for one that begins with the shipped weights.
RATE, RATE_ON, LAST_RATE = 1.5e-3, 6e-4, 1e-5
WARM_UP, DECAY, SAVE_EVERY = 200, 0.998, 500
#: Pixels at the border of an example that do not count, and the weight of errors of colour differences.
BORDER, COLOUR_WEIGHT = 12, 0.5


class Net(nn.Module):
    """Residual network on cells of the array.

    Its input is N×3×H×W, sides multiples of the array's; where cells differ (6×6) there is a fourth plane: see
    :func:`irvane.core.sensor.refine.filters_of`. For denoised mosaics two more planes follow: see
    :class:`irvane.core.sensor.refine.Removed`.
    """

    def __init__(self, array: Packing, denoised: bool) -> None:
        super().__init__()
        cell = array.cell
        self.cell, self.denoised = cell, denoised
        self.filters = array.cfa if cell == 3 else None
        inputs = 3 * cell**2 + 3 + (cell**2 if cell == 3 else 0) + (cell**2 + 1 if denoised else 0)
        self.head = nn.Conv2d(inputs, WIDTH, 3, padding=1)
        self.body = denoiser.chain(WIDTH, BLOCKS)
        self.tail = nn.Conv2d(WIDTH, 3 * cell**2, 3, padding=1)
        nn.init.zeros_(self.tail.weight)
        nn.init.zeros_(self.tail.bias)

    def forward(self, planes: torch.Tensor) -> torch.Tensor:
        picture = planes[:, :3]
        ground = nn.functional.avg_pool2d(picture, self.cell)
        ground = nn.functional.avg_pool2d(ground, 3, 1, 1, count_include_pad=False)
        detail = picture - nn.functional.interpolate(ground, scale_factor=self.cell, mode="nearest")
        detail = detail * DETAIL
        x = torch.cat([nn.functional.pixel_unshuffle(detail, self.cell), ground], 1)
        if self.cell == 3:
            difference = (detail[:, :1] - detail[:, 2:]) * planes[:, 3:4]
            x = torch.cat([x, nn.functional.pixel_unshuffle(difference, 3)], 1)
        if self.denoised:
            noise = nn.functional.avg_pool2d(planes[:, -2:-1], self.cell) * NOISE
            x = torch.cat([x, noise, nn.functional.pixel_unshuffle(planes[:, -1:] * REMOVED, self.cell)], 1)
        y = self.tail(self.body(torch.relu(self.head(x))))
        return picture + MENDING * nn.functional.pixel_shuffle(y, self.cell)


class Examples(denoiser.Patches):
    """Interpolated pictures, what is told of their noise, and the true ones."""

    denoised = False

    def _camera(self) -> tuple[np.ndarray, np.ndarray]:
        rng = self.rng
        mixing = rng.uniform(0.0, 0.3, (3, 3))
        np.fill_diagonal(mixing, 0)
        neutral = np.array([rng.uniform(0.3, 0.95), 1.0, rng.uniform(0.3, 0.95)])
        matrix = (np.eye(3) * (1 - mixing.sum(1)) + mixing) * neutral[:, None]
        scene = self._scene()
        grey = scene.mean(axis=2, keepdims=True)
        low, high = SATURATION
        scene = np.maximum(grey + np.float32(low * (high / low) ** rng.random()) * (scene - grey), 0)
        camera = scene @ matrix.T.astype(np.float32) * 2.0 ** rng.uniform(-3.0, 0.8)
        return np.clip(camera, 0, 1), 1 / neutral

    def one(self) -> np.ndarray:
        """Planes of PATCH×PATCH, float16: found (3), for denoised mosaics noise and what was removed, and true (3)."""
        rng, cfa = self.rng, self.array.cfa
        camera, gains = self._camera()
        if self.denoised and rng.random() < SOFT:
            camera = cv2.GaussianBlur(np.ascontiguousarray(camera), (0, 0), rng.uniform(*BLUR))
        plain = not self.denoised and rng.random() < PLAIN
        full = 2.0 ** rng.uniform(*np.log2(PLAIN_WELL if plain else CLEAN_WELL))
        read = 2.0 ** rng.uniform(-0.5, 3.2) * min(1.0, (full / 60) ** 0.5)
        electrons = np.take_along_axis(camera, self.colours, axis=2)[..., 0] * full
        noisy = np.minimum(rng.poisson(electrons) + read * rng.standard_normal(electrons.shape), full) / full
        before = after = noisy.astype(np.float32)
        noise = NoiseModel((1 / full,) * 3, (read / full,) * 3, "file")
        if not plain:
            after = method_for(cfa).tile(before, cfa, noise, gains, 1.0)
        knee = knee_for(read / full * (1.0 if plain else 0.25))
        found = demosaic(Mosaic(after, cfa), gains, knee, "directional")
        told = [_planes(found, gains, knee)]
        if self.denoised:
            place = np.arange(after.shape[0]), np.arange(after.shape[1])
            told.append(np.float16(Removed(before, after, noise).planes(found[..., 1], cfa, knee, place)))
        return np.concatenate([*told, _planes(camera, gains, knee)])


def _planes(picture: np.ndarray, gains: np.ndarray, knee: float) -> np.ndarray:
    return np.float16(encoded(picture, gains, knee).transpose(2, 0, 1))


def _one(task: tuple[str, bool, Path, bool, int]) -> np.ndarray:
    """An example, one of those to learn from or to check with."""
    name, denoised, work, learn, number = task
    training, held = _pools(work)
    shares = denoiser.SHARES if learn else [1.0]
    source = Examples(
        denoiser.ARRAYS[name],
        training if learn else [held],
        shares,
        np.random.default_rng((11, learn, number)),
    )
    source.denoised = denoised
    return source.one()


def _pools(work: Path) -> tuple[list[np.ndarray], np.ndarray]:
    """As those of denoiser.py, with sharper photographs."""
    names = tuple(n for n in photographs.TRAINING if n not in denoiser.HELD_OUT)

    def photos(chosen: tuple[str, ...], seed: int, each: int) -> Callable[[], Iterator[np.ndarray]]:
        return lambda: scenes.photograph_crops(chosen, np.random.default_rng(seed), each, REDUCTIONS)

    (_, drawn, even), _ = denoiser.pools(work)
    sharp = scenes.pool(work / "sharp.npy", photos(names, 6, 20))
    return [sharp, drawn, even], scenes.pool(work / "sharp-held.npy", photos(denoiser.HELD_OUT, 4, 6))


def examples(array: Packing, denoised: bool, work: Path) -> None:
    """Make the pairs of pictures to learn from and those to check with."""
    _pools(work)
    for learn, count in ((False, CHECKS), (True, EXAMPLES)):
        path = store_of(array, denoised, work, learn)
        store = np.lib.format.open_memmap(
            path.with_suffix(".part"), "w+", np.float16, (count, 8 if denoised else 6, PATCH, PATCH)
        )
        tasks = ((array.file, denoised, work, learn, number) for number in range(count))
        with ProcessPoolExecutor(CORES, multiprocessing.get_context("spawn")) as processes:
            for number, planes in enumerate(processes.map(_one, tasks, chunksize=8)):
                store[number] = planes
        store.flush()
        path.with_suffix(".part").replace(path)


def name_of(array: Packing, denoised: bool) -> str:
    return array.file + ("_denoised" if denoised else "")


def store_of(array: Packing, denoised: bool, work: Path, learn: bool) -> Path:
    return work / f"refine-{name_of(array, denoised)}-{'learn' if learn else 'check'}.npy"


def _batches(store: np.ndarray, rng: np.random.Generator) -> Iterator[torch.Tensor]:
    """Cuts of the examples that begin where the array does.

    Examples were interpolated by themselves: their borders are rims of frames. Cuts reach over them, where the outermost
    pixels are continued as :func:`irvane.core.sensor.refine.refine` does it.
    """
    starts = np.arange(-BORDER, PATCH - CUT + BORDER + 1, 12)
    while True:
        for chosen in rng.permutation(len(store))[: len(store) // BATCH * BATCH].reshape(-1, BATCH):
            cuts = []
            for n, corner in zip(chosen, rng.choice(starts, (BATCH, 2)), strict=True):
                rows, columns = (np.clip(np.arange(at, at + CUT), 0, PATCH - 1) for at in corner)
                cuts.append(store[n][:, rows[:, None], columns])
            yield torch.from_numpy(np.stack(cuts, dtype=np.float32, casting="unsafe"))


def _error(net: Net, planes: torch.Tensor) -> torch.Tensor:
    told, true = planes[:, :-3], planes[:, -3:]
    if net.filters is not None:
        filters = torch.from_numpy(filters_of(net.filters, told.shape[2:])).expand(len(told), 1, -1, -1)
        told = torch.cat([told[:, :3], filters, told[:, 3:]], 1)
    told = told.contiguous(memory_format=torch.channels_last)
    return (net(told) - true)[..., BORDER:-BORDER, BORDER:-BORDER]


def _penalty(error: torch.Tensor) -> torch.Tensor:
    differences = error[:, ::2] - error[:, 1:2]
    plain, coloured = (torch.sqrt(e * e + 1e-5).mean() for e in (error, differences))
    return plain + COLOUR_WEIGHT * coloured


@torch.no_grad()
def score(net: nn.Module, store: np.ndarray) -> tuple[float, float]:
    """PSNR over all examples before and after, mean of per-example dB, in the interpolation's domain."""
    planes = torch.from_numpy(np.float32(store))
    inner = (..., slice(BORDER, -BORDER), slice(BORDER, -BORDER))
    after = torch.cat([_error(net, p[None]) for p in planes])
    before = (planes[:, :3] - planes[:, -3:])[inner]
    return tuple(float(-10 * e.square().mean((1, 2, 3)).log10().mean()) for e in (before, after))


def exported(array: Packing, denoised: bool) -> Path:
    return Path(__file__).parent.parent / "src/irvane/core/sensor" / f"{name_of(array, denoised)}.onnx"


def train(array: Packing, denoised: bool, work: Path, steps: int, start: bool) -> None:
    torch.set_num_threads(2)
    torch.manual_seed(0)
    learn, check = (np.load(store_of(array, denoised, work, one), mmap_mode="r") for one in (True, False))
    net, smooth = Net(array, denoised).to(memory_format=torch.channels_last), Net(array, denoised)
    if start:
        denoiser.load_exported(net, exported(array, denoised))
        _scale_mending(net, 1 / SHIPPED if denoised else 1.0)
    highest = RATE_ON if start else RATE

    def rate(step: int) -> float:
        share = 0.5 * (1 + math.cos(math.pi * step / steps))
        return LAST_RATE + (highest - LAST_RATE) * min(1.0, (step + 1) / WARM_UP) * share

    def losses(first: int) -> Callable[[], torch.Tensor]:
        source = _batches(learn, np.random.default_rng(100 + first))
        batches = ahead(lambda: next(source))

        def loss() -> torch.Tensor:
            return _penalty(_error(net, next(batches)))

        return loss

    def told() -> str:
        before, after = score(smooth, check)
        return f"held out {before:.2f} to {after:.2f} dB"

    state = work / f"refine-{name_of(array, denoised)}.pt"
    fit(net, smooth, state, steps, rate, losses, told, DECAY, SAVE_EVERY)


@torch.no_grad()
def _scale_mending(net: Net, share: float) -> None:
    for part in net.tail.parameters():
        part *= share


def export(array: Packing, denoised: bool, work: Path, start: bool) -> None:
    """Write the network as ONNX, and beside it how it was made (`start`: after the runs recorded before)."""
    net, target = Net(array, denoised), exported(array, denoised)
    former = json.loads(target.with_suffix(".json").read_text("utf-8"))["runs"] if start else []
    saved = torch.load(work / f"refine-{name_of(array, denoised)}.pt", weights_only=True)
    net.load_state_dict(saved["smooth"])
    _scale_mending(net, SHIPPED if denoised else 1.0)
    record = {
        "script": "training/refiner.py",
        "runs": [*former, {"steps": saved["step"], "minutes": round(saved["seconds"] / 60)}],
        "batch": BATCH, "patch": CUT, "width": WIDTH, "blocks": BLOCKS, "examples": EXAMPLES,
        "share": SHIPPED if denoised else 1.0, "parameters": sum(p.numel() for p in net.parameters()),
        "pictures": [n for n in photographs.TRAINING if n not in denoiser.HELD_OUT], "held_out": denoiser.HELD_OUT,
    }  # fmt: skip
    target.with_suffix(".json").write_text(json.dumps(record, indent=1) + "\n", "utf-8")
    axes = {0: "n", 2: "h", 3: "w"}
    torch.onnx.export(
        net.eval(), (torch.zeros(1, 3 + (net.filters is not None) + 2 * denoised, 96, 96),), str(target), input_names=["picture"], output_names=["refined"],
        dynamic_axes={"picture": axes, "refined": axes}, opset_version=17, dynamo=False,
    )  # fmt: skip
    denoiser.shorten(target)


if __name__ == "__main__":
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("what", choices=("examples", "train", "export"))
    parser.add_argument("--array", choices=denoiser.ARRAYS, required=True)
    parser.add_argument("--work", type=Path, required=True, help="folder for pictures and states")
    parser.add_argument("--denoised", action="store_true", help="the network for denoised mosaics")
    parser.add_argument(
        "--start", action="store_true", help="begin (or: it was begun) with the shipped network"
    )
    parser.add_argument("--steps", type=int, default=9000)
    args = parser.parse_args()
    chosen = denoiser.ARRAYS[args.array], args.denoised, args.work
    if args.what == "train":
        train(*chosen, args.steps, args.start)
    elif args.what == "examples":
        photographs.fetch_more()
        examples(*chosen)
    else:
        export(*chosen, args.start)
