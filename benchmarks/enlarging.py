"""Enlarging against Lanczos with its best sharpening, on photographs and lettering that nothing was trained on. Writes docs/enlarging.md.

    python benchmarks/enlarging.py

Pictures are reduced by three kernels and enlarged again; PSNR on coded brightness, a border left out. *Best sharpening*: of Lanczos,
the unsharp mask (radius and strength) that comes nearest to each picture. Blocks: how much more values differ across borders of JPEG
blocks than beside them, in the enlarged picture over the source.
"""

from __future__ import annotations

import sys
import time
from collections import defaultdict
from pathlib import Path

import cv2
import numpy as np
from PIL import Image

from irvane.core.acutance.enlarging import LEARNED, enlarged
from photographs import TEST, load

_SIDE = 512


def _coded(linear: np.ndarray) -> np.ndarray:
    linear = np.clip(linear, 0, 1)
    return np.where(linear <= 0.0031308, 12.92 * linear, 1.055 * linear ** (1 / 2.4) - 0.055).astype(
        np.float32
    )


def _light(code: np.ndarray) -> np.ndarray:
    return np.where(code <= 0.04045, code / 12.92, ((code + 0.055) / 1.055) ** 2.4).astype(np.float32)


def reduced(light: np.ndarray, kernel: str, factor: int) -> np.ndarray:
    """Reduced linear light, rounded to 8 bits of code."""
    h, w = (side // factor for side in light.shape[:2])
    if kernel == "lanczos":
        small = np.dstack(
            [
                np.asarray(Image.fromarray(light[..., c]).resize((w, h), Image.Resampling.LANCZOS))
                for c in range(3)
            ]
        )
    else:
        base = cv2.GaussianBlur(light, (0, 0), 0.4 * factor) if kernel == "gaussian" else light
        small = cv2.resize(base, (w, h), interpolation=cv2.INTER_AREA)
    return _light(np.rint(_coded(small) * 255) / 255)


def ours(small: np.ndarray, factor: int) -> np.ndarray:
    return np.concatenate(list(enlarged([small], small.shape[:2], str(factor), LEARNED, "srgb")))


def lanczos(small: np.ndarray, factor: int) -> np.ndarray:
    size = small.shape[1] * factor, small.shape[0] * factor
    return np.clip(cv2.resize(_coded(small), size, interpolation=cv2.INTER_LANCZOS4), 0, 1)


def psnr(a: np.ndarray, b: np.ndarray, border: int) -> float:
    weights = np.array([0.2126, 0.7152, 0.0722], np.float32)
    off = ((a - b) @ weights)[border:-border, border:-border]
    return float(-10 * np.log10(np.mean(off**2)))


def best_sharpened(code: np.ndarray, truth: np.ndarray, factor: int, border: int) -> float:
    best = psnr(code, truth, border)
    for sigma in (0.4 * factor, 0.6 * factor, 0.9 * factor):
        blurred = cv2.GaussianBlur(code, (0, 0), sigma)
        for amount in (0.3, 0.6, 1.0, 1.5):
            best = max(best, psnr(np.clip(code + amount * (code - blurred), 0, 1), truth, border))
    return best


def lettering() -> np.ndarray:
    """Black letters of several sizes on paper, linear light."""
    page = np.full((_SIDE * 2, _SIDE * 2), 235, np.uint8)
    rng = np.random.default_rng(3)
    y = 30
    for size in (0.4, 0.5, 0.6, 0.8, 1.1, 1.5, 2.0):
        while y < page.shape[0] - 20 and y < 30 + 140 * (
            1 + list((0.4, 0.5, 0.6, 0.8, 1.1, 1.5, 2.0)).index(size)
        ):
            words = "".join(rng.choice(list("abcdefghijkmnopqrstuvwxyz ABCDEFGH 0123456789"), 60))
            cv2.putText(
                page,
                words,
                (10, y),
                cv2.FONT_HERSHEY_SIMPLEX,
                size,
                25,
                max(1, round(size * 1.4)),
                cv2.LINE_AA,
            )
            y += round(34 * size + 8)
    page = cv2.resize(page, (_SIDE, _SIDE), interpolation=cv2.INTER_AREA)
    return np.repeat(_light(page.astype(np.float32) / 255)[..., None], 3, axis=2)


def blocks(code: np.ndarray, period: int) -> float:
    """Mean difference across block borders over that beside them, along rows, of brightness."""
    bright = code @ np.array([0.2126, 0.7152, 0.0722], np.float32)
    step = np.abs(np.diff(bright, axis=1))
    at = np.arange(step.shape[1]) % period == period - 1
    return float(step[:, at].mean() / step[:, ~at].mean())


def main() -> None:
    lines = [
        "# Enlarging", "",
        "Made by `python benchmarks/enlarging.py`, on photographs and lettering that nothing was trained on; wanted values in brackets.", "",
        "| pictures | factor | Lanczos, best sharpened, dB | ours, dB | gain, dB (≥ 0.7) |", "|---|---|---|---|---|",
    ]  # fmt: skip
    scenes = {Path(n).stem: load(n)[:_SIDE, :_SIDE] for n in TEST}
    sums: dict[tuple[str, int], list[tuple[float, float]]] = defaultdict(list)
    for name, light in [*scenes.items(), ("lettering", lettering())]:
        for factor in (2, 4):
            h, w = (side // factor * factor for side in light.shape[:2])
            truth = _coded(light[:h, :w])
            for kernel in ("area", "gaussian", "lanczos"):
                small = reduced(light[:h, :w], kernel, factor)
                theirs = best_sharpened(lanczos(small, factor), truth, factor, 8 * factor)
                mine = psnr(_coded(ours(small, factor)), truth, 8 * factor)
                kind = "lettering" if name == "lettering" else f"photographs, {kernel}"
                sums[kind, factor].append((theirs, mine))
    for (kind, factor), found in sorted(sums.items()):
        theirs, mine = np.mean(found, axis=0)
        line = f"| {kind} | {factor} | {theirs:.2f} | {mine:.2f} | {mine - theirs:+.2f} |"
        print(line, flush=True)
        lines.append(line)
    ratios = []
    for light in scenes.values():
        small = np.rint(_coded(reduced(light, "area", 2)) * 255).astype(np.uint8)
        data = cv2.imencode(".jpg", small[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, 80])[1]
        coded = cv2.imdecode(data, cv2.IMREAD_COLOR)[..., ::-1].astype(np.float32) / 255
        plain, made = lanczos(_light(coded), 2), _coded(ours(_light(coded), 2))
        ratios.append((blocks(coded, 8), blocks(plain, 16), blocks(made, 16)))
    before, theirs, mine = np.mean(ratios, axis=0)
    began = time.perf_counter()
    count = 0
    whole = np.tile(scenes["coffee"][:500, :500], (8, 12, 1))
    for band in enlarged(
        (whole[k : k + 128] for k in range(0, 4000, 128)), (4000, 6000), "2", LEARNED, "srgb"
    ):
        count += band.shape[0]
    assert count == 8000
    seconds = time.perf_counter() - began
    lines += [
        "", "| what | found |", "|---|---|",
        f"| JPEG of quality 80: differences across block borders over those beside them: source / Lanczos / ours | {before:.2f} / {theirs:.2f} / {mine:.2f} |",
        f"| 24 → 96 MP (≤ 60 s) | {seconds:.0f} s |",
    ]  # fmt: skip
    print(*lines[-2:], sep="\n")
    if "--dry" not in sys.argv:
        (Path(__file__).parent.parent / "docs" / "enlarging.md").write_text("\n".join(lines) + "\n", "utf-8")


if __name__ == "__main__":
    main()
