"""Train the network that enlarges pictures twice; resumable, made for two processor cores.

    pip install -e '.[training]'
    python training/enlarger.py train --work FOLDER --steps 9000
    python training/enlarger.py export --work FOLDER

The network sees the brightness of a finished picture and gives what Lanczos enlarging lacks, four values a pixel (sub-pixel
convolution, Shi and others 2016). Pictures are reduced by three kernels, in light or as they are coded; some are then coded as JPEG,
whose blocks must not be enlarged, and some carry a little noise. State is saved every few minutes; the same command goes on.
"""

from __future__ import annotations

import argparse
import json
from collections.abc import Callable
from pathlib import Path

import cv2
import denoiser
import numpy as np
import scenes
import torch
from fitting import ahead, fit
from PIL import Image
from scenes import photographs
from torch import nn

#: Channels and layers between the first and the last.
WIDTH, LAYERS = 32, 5
#: Side of a patch before enlarging, patches of a batch, drawn scenes, longer side of photographs.
PATCH, BATCH, DRAWN, LONGEST = 64, 16, 48, 2400
RATE, LAST_RATE, WARM_UP, DECAY, SAVE_EVERY = 1e-3, 1e-5, 200, 0.999, 250
#: Shares of drawn scenes, of pages of lettering, of JPEGs, and of noisy ones; qualities; most noise.
OF_DRAWN, OF_LETTERS, OF_JPEG, OF_NOISE, QUALITY, NOISE = 0.25, 0.15, 0.35, 0.3, (60, 96), 0.012
#: Pages of lettering.
PAGES = 32
#: Sharpness of the Gaussian kernel: standard deviations in pixels of the large picture.
BLUR = (0.5, 1.1)
#: Below this, differences count squared (Charbonnier and others 1994).
_SOFT = 1e-3
TARGET = Path(__file__).parent.parent / "src" / "irvane" / "core" / "acutance" / "enlarge.onnx"


class Net(nn.Module):
    """Brightness in, what its four parts lack."""

    def __init__(self) -> None:
        super().__init__()
        layers: list[nn.Module] = [nn.Conv2d(1, WIDTH, 5, padding=2), nn.PReLU(WIDTH)]
        for _ in range(LAYERS):
            layers += [nn.Conv2d(WIDTH, WIDTH, 3, padding=1), nn.PReLU(WIDTH)]
        self.body = nn.Sequential(*layers)
        self.tail = nn.Conv2d(WIDTH, 4, 3, padding=1)
        nn.init.zeros_(self.tail.weight)
        nn.init.zeros_(self.tail.bias)

    def forward(self, bright: torch.Tensor) -> torch.Tensor:
        return self.tail(self.body(bright - 0.5)) * 0.1


def coded(linear: np.ndarray) -> np.ndarray:
    """Brightness of linear light as it is coded (sRGB, IEC 61966-2-1): float32 H×W."""
    bright = np.clip(linear @ np.array([0.2126, 0.7152, 0.0722], np.float32), 0, 1)
    return np.where(bright <= 0.0031308, 12.92 * bright, 1.055 * bright ** (1 / 2.4) - 0.055).astype(
        np.float32
    )


def _light(code: np.ndarray) -> np.ndarray:
    return np.where(code <= 0.04045, code / 12.92, ((code + 0.055) / 1.055) ** 2.4).astype(np.float32)


def reduced(large: np.ndarray, kernel: str, blur: float, in_light: bool) -> np.ndarray:
    """Half as large, by ``area``, ``gaussian`` or ``lanczos``; in light, or as it is coded."""
    from_ = _light(np.clip(large, 0, 1)) if in_light else large
    size = large.shape[1] // 2, large.shape[0] // 2
    if kernel == "lanczos":
        small = np.asarray(Image.fromarray(from_).resize(size, Image.Resampling.LANCZOS))
    else:
        if kernel == "gaussian":
            from_ = cv2.GaussianBlur(from_, (0, 0), blur)
        small = cv2.resize(from_, size, interpolation=cv2.INTER_AREA)
    if in_light:
        small = np.clip(small, 0, 1)
        small = np.where(small <= 0.0031308, 12.92 * small, 1.055 * small ** (1 / 2.4) - 0.055)
    return np.clip(small, 0, 1).astype(np.float32)


def base(small: np.ndarray) -> np.ndarray:
    """What the network adds to: Lanczos over 8 × 8 pixels."""
    return cv2.resize(small, (small.shape[1] * 2, small.shape[0] * 2), interpolation=cv2.INTER_LANCZOS4)


def page(rng: np.random.Generator, side: int = 512) -> np.ndarray:
    """Lettering of several sizes, ink on paper or the other way round: coded brightness, side×side."""
    fine = 3
    cover = np.zeros((side * fine, side * fine), np.uint8)
    fonts = (
        cv2.FONT_HERSHEY_SIMPLEX,
        cv2.FONT_HERSHEY_DUPLEX,
        cv2.FONT_HERSHEY_COMPLEX,
        cv2.FONT_HERSHEY_TRIPLEX,
        cv2.FONT_HERSHEY_PLAIN,
    )
    y = 0.0
    while y < side * fine:
        height = float(np.exp(rng.uniform(np.log(0.3), np.log(2.0)))) * fine
        y += 30 * height
        words = "".join(rng.choice(list(scenes._LETTERS + "    "), 120))
        thick = max(1, round(height * rng.uniform(0.8, 2.6)))
        cv2.putText(
            cover,
            words,
            (int(rng.integers(-40, 10)), int(y)),
            fonts[int(rng.integers(5))],
            height,
            255,
            thick,
            cv2.LINE_AA,
        )
    if rng.random() < 0.3:
        cover = cv2.rotate(cover, int(rng.integers(3)))
    small = cv2.resize(cover, (side, side), interpolation=cv2.INTER_AREA).astype(np.float32) / 255
    ink, paper = rng.uniform(0, 0.35), rng.uniform(0.55, 1.0)
    light = (paper**2.2 + (ink**2.2 - paper**2.2) * small) ** (1 / 2.2)
    return np.asarray(light if rng.random() < 0.7 else ink + paper - light, np.float32)


def pools(work: Path) -> tuple[list[np.ndarray], list[np.ndarray], list[np.ndarray]]:
    """Brightness of photographs, drawn scenes, and photographs that are held out; made once."""
    kept = work / "enlarge-pools.npz"
    if not kept.exists():
        work.mkdir(parents=True, exist_ok=True)
        names = [n for n in photographs.TRAINING if n not in denoiser.HELD_OUT]
        rng = np.random.default_rng(1)
        made = {f"p{k}": np.float16(coded(photographs.load(n, LONGEST))) for k, n in enumerate(names)}
        made |= {f"d{k}": np.float16(coded(scenes.drawn(rng, 512))) for k in range(DRAWN)}
        made |= {
            f"h{k}": np.float16(coded(photographs.load(n, 1200))) for k, n in enumerate(denoiser.HELD_OUT)
        }
        np.savez(kept, **made)
    loaded = np.load(kept)
    return tuple([loaded[n] for n in loaded.files if n[0] == kind] for kind in "pdh")  # type: ignore[return-value]


def pages() -> list[np.ndarray]:
    """Pages of lettering, the same in every run."""
    rng = np.random.default_rng(11)
    return [page(rng) for _ in range(PAGES)]


def patch(
    pool: list[np.ndarray], rng: np.random.Generator, side: int = PATCH
) -> tuple[np.ndarray, np.ndarray]:
    """A small patch and the large one that it is of."""
    large_side = 2 * side + 32
    while True:
        picture = pool[int(rng.integers(len(pool)))]
        y, x = (int(rng.integers(0, n - large_side + 1)) for n in picture.shape)
        large = picture[y : y + large_side, x : x + large_side].astype(np.float32)
        if large.std() > 0.012 or rng.random() < 0.1:
            break
    large = np.rot90(large, int(rng.integers(4)))
    large = np.ascontiguousarray(large[:, ::-1] if rng.random() < 0.5 else large)
    kernel = ("area", "gaussian", "lanczos")[int(rng.integers(3))]
    small = reduced(large, kernel, float(rng.uniform(*BLUR)), rng.random() < 0.5)
    if rng.random() < OF_NOISE:
        small = small + rng.normal(0, rng.uniform(0, NOISE), small.shape).astype(np.float32)
    if rng.random() < OF_JPEG:
        y, x = rng.integers(0, 8, 2)
        code = np.rint(np.clip(small[y:, x:], 0, 1) * 255).astype(np.uint8)
        data = cv2.imencode(".jpg", code, [cv2.IMWRITE_JPEG_QUALITY, int(rng.integers(*QUALITY))])[1]
        small = small.copy()
        small[y:, x:] = cv2.imdecode(data, cv2.IMREAD_GRAYSCALE).astype(np.float32) / 255
    lanczos = base(np.ascontiguousarray(small))
    inner, wide = slice(8, 8 + side), slice(16, 16 + 2 * side)
    return small[inner, inner], large[wide, wide] - lanczos[wide, wide]


def batches(
    training: list[np.ndarray], drawings: list[np.ndarray], letters: list[np.ndarray], seed: int
) -> Callable[[], tuple[torch.Tensor, torch.Tensor]]:
    rng = np.random.default_rng(seed)

    def make() -> tuple[torch.Tensor, torch.Tensor]:
        kinds = rng.choice(3, BATCH, p=[1 - OF_DRAWN - OF_LETTERS, OF_DRAWN, OF_LETTERS])
        made = [patch((training, drawings, letters)[kind], rng) for kind in kinds]
        small, lacks = (torch.from_numpy(np.stack(part)[:, None]) for part in zip(*made, strict=True))
        return small, lacks

    return make


@torch.no_grad()
def score(net: Net, held: list[np.ndarray]) -> tuple[float, float]:
    """Mean PSNR of Lanczos and of the network, over held-out photographs and three kernels."""
    before, after = [], []
    for picture in held:
        large = picture[: picture.shape[0] // 2 * 2, : picture.shape[1] // 2 * 2].astype(np.float32)
        for kernel in ("area", "gaussian", "lanczos"):
            small = reduced(large, kernel, 0.8, True)
            plain = base(small)
            made = (
                nn.functional.pixel_shuffle(net(torch.from_numpy(small[None, None])), 2)[0, 0].numpy() + plain
            )
            for found, kept in ((plain, before), (made, after)):
                kept.append(-10 * np.log10(np.mean((np.clip(found, 0, 1) - large)[16:-16, 16:-16] ** 2)))
    return float(np.mean(before)), float(np.mean(after))


def train(work: Path, steps: int, threads: int) -> None:
    torch.set_num_threads(threads)
    torch.manual_seed(0)
    training, drawings, held = pools(work)
    letters = pages()
    net, smooth = Net(), Net()

    def rate(step: int) -> float:
        if step < WARM_UP:
            return RATE * (step + 1) / WARM_UP
        return float(LAST_RATE + (RATE - LAST_RATE) * 0.5 * (1 + np.cos(np.pi * step / steps)))

    def losses(first: int) -> Callable[[], torch.Tensor]:
        coming = ahead(batches(training, drawings, letters, 100 + first))

        def loss() -> torch.Tensor:
            small, lacks = next(coming)
            off = nn.functional.pixel_shuffle(net(small), 2) - lacks
            return torch.sqrt(off * off + _SOFT**2).mean()

        return loss

    def told() -> str:
        before, after = score(smooth, held)
        return f"held out {before:.2f} to {after:.2f} dB"

    fit(net, smooth, work / "enlarge.pt", steps, rate, losses, told, DECAY, SAVE_EVERY)


def export(work: Path, former: Path | None) -> None:
    """Write the network as ONNX, and beside it how it was made.

    With a former state, the mean of both weights (Wortsman and others 2022, "Model soups"): lettering that was learned late takes less
    from photographs so.
    """
    net = Net()
    saved = torch.load(work / "enlarge.pt", weights_only=True)
    record_of = {}
    if former is not None:
        before = torch.load(former, weights_only=True)
        saved["smooth"] = {k: w.lerp(before["smooth"][k], 0.5) for k, w in saved["smooth"].items()}
        record_of = {"mean_with_steps": before["step"]}
    net.load_state_dict(saved["smooth"])
    record = {
        "script": "training/enlarger.py", "steps": saved["step"], "minutes": round(saved["seconds"] / 60), "batch": BATCH,
        "patch": PATCH, "width": WIDTH, "layers": LAYERS, "parameters": sum(p.numel() for p in net.parameters()),
        "pictures": [n for n in photographs.TRAINING if n not in denoiser.HELD_OUT], "held_out": denoiser.HELD_OUT,
    } | record_of  # fmt: skip
    TARGET.with_suffix(".json").write_text(json.dumps(record, indent=1) + "\n", "utf-8")
    axes = {0: "n", 2: "h", 3: "w"}
    torch.onnx.export(
        net.eval(), (torch.zeros(1, 1, 64, 64),), str(TARGET), input_names=["bright"], output_names=["lacks"],
        dynamic_axes={"bright": axes, "lacks": axes}, opset_version=17, dynamo=False,
    )  # fmt: skip
    denoiser.shorten(TARGET)


if __name__ == "__main__":
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("what", choices=("train", "export"))
    parser.add_argument("--work", type=Path, required=True, help="folder for pictures and states")
    parser.add_argument("--steps", type=int, default=9000)
    parser.add_argument("--threads", type=int, default=2)
    parser.add_argument("--former", type=Path, help="a state whose weights are averaged with the last ones")
    args = parser.parse_args()
    if args.what == "train":
        photographs.fetch_more()
        train(args.work, args.steps, args.threads)
    else:
        export(args.work, args.former)
