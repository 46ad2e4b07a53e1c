"""Deblurring with a known kernel: ours against Richardson–Lucy (scikit-image) and against a splitting of its own, each at its best.

    python benchmarks/acutance.py [--scenes N] [--blind]

With --blind: is the cause told rightly, and how near are radius, length and direction? Whole frames with the mosaic, photon noise at
several ISO and all that the program does by itself.

Crops of the test photographs, linear light; the blur is the valid convolution of a larger scene, then noise; a border of the kernel
and 16 pixels is left out. PSNR on square-root encoded values. Lines are kept as they are made (``.acutance.json`` in the cache
folder), so that a run that was ended goes on.
"""

from __future__ import annotations

import argparse
import json
import sys
import time
from collections import defaultdict
from pathlib import Path

import cv2
import numpy as np
import platformdirs
from scipy import fft
from scipy.signal import fftconvolve
from skimage import restoration

sys.path.insert(0, str(Path(__file__).parent.parent / "tests" / "core"))

import shots

import photographs
from irvane.core.acutance.blurs import Blur, kernel_of, path_of
from irvane.core.acutance.deconvolve import deconvolve
from irvane.core.acutance.learned import fingerprint, restore
from irvane.core.line.context import measure_softness
from irvane.core.line.develop import develop
from irvane.core.settings import Settings

BLURS = (
    Blur("lens", 0.8), Blur("lens", 1.4), Blur("lens", 2.0), Blur("defocus", 2), Blur("defocus", 4), Blur("defocus", 6),
    Blur("motion", 5, 20), Blur("motion", 12, -35), Blur("motion", 25, 70),
    path_of(np.array([(0, 0), (2, 1), (5, 1), (7, 4), (7, 9), (9, 11)])),
    path_of(np.array([(0, 0), (3, 4), (2, 8), (-3, 11), (-4, 15), (1, 19), (3, 20)])),
)  # fmt: skip
NOISE = (0.002, 0.01)
_SIDE, _PLACES = 288, ((0.3, 0.3), (0.7, 0.6), (0.5, 0.8))
_STEPS, _WEIGHTS = (4, 8, 16, 32, 64), (30, 100, 300, 1000, 3000, 10000)
KEPT = platformdirs.user_cache_path("irvane") / ".acutance-2.json"


def scenes(count: int) -> list[tuple[str, np.ndarray]]:
    """Crops of the test photographs with a margin for the largest kernel: name and linear luminance, 0…0.9."""
    made = []
    for name in photographs.TEST:
        grey = photographs.load(name) @ np.array([0.2126, 0.7152, 0.0722], np.float32)
        grey *= 0.9 / max(float(np.quantile(grey, 0.998)), 1e-3)
        side = _SIDE + 40
        for k, (y, x) in enumerate(_PLACES):
            top, left = int(y * (grey.shape[0] - side)), int(x * (grey.shape[1] - side))
            made.append(
                (f"{Path(name).stem} {k}", np.clip(grey[top : top + side, left : left + side], 0, 0.98))
            )
    return made[:count]


def psnr(a: np.ndarray, b: np.ndarray, rim: int) -> float:
    one, two = (np.sqrt(np.clip(p, 0, 1))[rim:-rim, rim:-rim] for p in (a, b))
    return float(-10 * np.log10(np.mean((one - two) ** 2)))


def splitting(seen: np.ndarray, kernel: np.ndarray, weight: float) -> np.ndarray:
    """An independent half-quadratic splitting with |∇x|^(2/3), shrunk by Newton's steps (Krishnan & Fergus 2009)."""
    pad = kernel.shape[0]
    seen = cv2.copyMakeBorder(seen, pad, pad, pad, pad, cv2.BORDER_REFLECT_101)
    for _ in range(3):  # edges brought together, as in MATLAB's edgetaper
        window = np.outer(
            *(np.clip(np.minimum(np.arange(n), np.arange(n)[::-1]) / pad, 0, 1) for n in seen.shape)
        )
        whole = np.zeros(seen.shape)
        whole[: kernel.shape[0], : kernel.shape[1]] = kernel
        k = fft.fft2(np.roll(whole, (-(kernel.shape[0] // 2),) * 2, (0, 1)))
        soft = fft.ifft2(fft.fft2(seen) * k).real
        seen = window * seen + (1 - window) * soft
    dx, dy = (fft.fft2(np.pad(d, [(0, seen.shape[0] - d.shape[0]), (0, seen.shape[1] - d.shape[1])])) for d in
              (np.array([[1.0, -1.0]]), np.array([[1.0], [-1.0]])))  # fmt: skip
    given, gain, edges = np.conj(k) * fft.fft2(seen), np.abs(k) ** 2, np.abs(dx) ** 2 + np.abs(dy) ** 2
    x, beta = seen, 1.0
    while beta < 256:
        spectrum = fft.fft2(x)
        total = 0
        for d in (dx, dy):
            v = fft.ifft2(spectrum * d).real
            size = np.abs(v)
            w = size.copy()
            for _ in range(6):
                slope = 2 / 3 * np.maximum(w, 1e-6) ** (-1 / 3) + beta * (w - size)
                bend = -2 / 9 * np.maximum(w, 1e-6) ** (-4 / 3) + beta
                w = np.clip(w - slope / np.where(np.abs(bend) < 1e-3, 1e-3, bend), 1e-6, size + 1e-6)
            better = w ** (2 / 3) + beta / 2 * (w - size) ** 2 < beta / 2 * size**2
            total = total + np.conj(d) * fft.fft2(np.where(better, np.sign(v) * w, 0))
        x = fft.ifft2((given + beta / weight * total) / (gain + beta / weight * edges)).real
        beta *= 2 * np.sqrt(2)
    return np.asarray(x[pad:-pad, pad:-pad], np.float32)


def frame(scene: np.ndarray, blur: Blur, noise: float, seed: int) -> dict[str, float]:
    kernel = kernel_of(blur)
    half = kernel.shape[0] // 2
    seen = fftconvolve(scene, kernel, mode="valid").astype(np.float32)
    seen = np.clip(
        seen + np.random.default_rng(seed).normal(0, noise, seen.shape).astype(np.float32), 1e-4, 1
    )
    truth, level, rim = scene[half:-half, half:-half], float(seen.mean()), half + 16

    def ours(fine: float) -> float:
        return psnr(deconvolve(seen / level, blur, noise / level, fine) * level, truth, rim)

    return {
        "blurred": psnr(seen, truth, rim),
        "Richardson–Lucy, best steps": max(
            psnr(restoration.richardson_lucy(seen, kernel, num_iter=n, clip=False), truth, rim)
            for n in _STEPS
        ),
        "splitting, best weight": max(psnr(splitting(seen, kernel, w), truth, rim) for w in _WEIGHTS),
        "fast, by itself": ours(1.0),
        "best, by itself": psnr(restore(seen / level, blur, noise / level) * level, truth, rim),
    }


def _words(blur: Blur) -> str:
    return f"path {blur.size:.0f}" if blur.path else f"{blur.cause} {blur.size:g}"


def speed() -> str:
    """Seconds a megapixel of luminance in one thread, on tiles of 640 × 640 of which 512 × 512 are used."""
    plane = np.random.default_rng(0).random((640, 640), np.float32)
    told = []
    for words, way in (("fast", deconvolve), ("best", restore)):
        way(plane, Blur("defocus", 4), 0.02)
        began = time.perf_counter()
        for _ in range(5):
            way(plane, Blur("defocus", 4), 0.02)
        told.append(f"{words} {(time.perf_counter() - began) / 5 / 0.512**2:.2f} s")
    return f"A megapixel of luminance in one thread: {', '.join(told)}"


def blind() -> None:
    """Causes and measures told without knowing the scene, through the simulated camera."""
    rows = []
    for name in photographs.TEST:
        picture = photographs.load(name, 1400)[:840, :1260]
        for blur in (None, Blur("lens", 1.2), *BLURS_TOLD):
            for iso in (100, 800, 3200):
                light = picture * 0.7
                if blur is not None:
                    kernel = kernel_of(blur)
                    light = cv2.filter2D(light, -1, kernel, borderType=cv2.BORDER_REFLECT_101)
                frame_ = shots.loaded(
                    np.ascontiguousarray(light[..., :3] * shots.NEUTRAL.astype(np.float32)), iso=iso
                )
                began = time.perf_counter()
                found = measure_softness(develop(frame_, Settings().sensor))
                rows.append((blur, iso, found, time.perf_counter() - began))
    print(
        "| blur | right | unsure | wrong | size off, median / 90 % | direction off, 90 % |\n|---|---|---|---|---|---|"
    )
    for blur in (None, Blur("lens", 1.2), *BLURS_TOLD):
        own = [found for b, _, found, _ in rows if b == blur]
        kind = "none" if blur is None else blur.cause
        right = [f for f in own if f.cause == kind]
        unsure = sum(f.cause == "unsure" for f in own)
        sizes = [abs(f.blur.size / blur.size - 1) for f in right if blur is not None and f.blur is not None]
        turns = [
            abs((f.blur.angle - blur.angle + 90) % 180 - 90)
            for f in right
            if blur is not None and f.blur is not None
        ]
        off = f"{np.median(sizes):.1%} / {np.quantile(sizes, 0.9):.1%}" if sizes else ""
        turned = f"{np.quantile(turns, 0.9):.1f}°" if turns and kind == "motion" else ""
        words = (
            "sharp"
            if blur is None
            else f"{blur.cause} {blur.size:g}" + (f" at {blur.angle:g}°" if kind == "motion" else "")
        )
        print(
            f"| {words} | {len(right)} | {unsure} | {len(own) - len(right) - unsure} | {off} | {turned} |",
            flush=True,
        )


#: Blurs that are to be told; smaller discs are one thing with a Gaussian.
BLURS_TOLD = (
    Blur("defocus", 3), Blur("defocus", 4.5), Blur("defocus", 6), Blur("motion", 6, 15), Blur("motion", 12, -40), Blur("motion", 20, 75),
)  # fmt: skip


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--blind", action="store_true")
    parser.add_argument("--scenes", type=int, default=20)
    if parser.parse_args().blind:
        blind()
        return
    count = parser.parse_args().scenes
    kept = json.loads(KEPT.read_text()) if KEPT.exists() else {}
    for number, (name, scene) in enumerate(scenes(count)):
        for k, blur in enumerate(BLURS):
            noise = NOISE[(number + k) % len(NOISE)]
            key = f"{name}|{_words(blur)}|{noise}|{fingerprint()}"
            if key not in kept:
                kept[key] = frame(scene, blur, noise, number)
                KEPT.write_text(json.dumps(kept))
    kept = {key: row for key, row in kept.items() if key.endswith(fingerprint())}
    table: dict[tuple[str, str], list[dict[str, float]]] = defaultdict(list)
    for key, row in kept.items():
        _, blur_, noise_, _ = key.split("|")
        table[blur_, noise_].append(row)
    ways = list(next(iter(kept.values())))
    print(f"{len(kept)} frames. {speed()}.\n")
    print("| blur | noise | " + " | ".join(ways) + " |\n|" + "---|" * (2 + len(ways)))
    for (blur_, noise_), rows in sorted(table.items()):
        print(
            f"| {blur_} | {float(noise_):.1%} | "
            + " | ".join(f"{np.mean([r[w] for r in rows]):.2f}" for w in ways)
            + " |"
        )
    every = list(kept.values())
    print("| **all** | | " + " | ".join(f"**{np.mean([r[w] for r in every]):.2f}**" for w in ways) + " |")


if __name__ == "__main__":
    main()
