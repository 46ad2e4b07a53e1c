"""Texture kept by denoising, beside OpenCV at equal residual noise: writes docs/noise.md.

A dead-leaves chart (the principle of ISO 19567-2; radii with a power law, every frequency and direction alike) and an
even grey field are photographed by the reference sensor, Bayer array. Texture MTF is the cross-spectrum with the chart
over the chart's own spectrum, averaged over rings of frequency, on luminance in linear light, sharpening off: noise that is
left does not count, texture that is gone does. OpenCV's colour non-local means runs after LibRaw at the strength that
leaves as much noise in the grey field as Irvane does.
"""

from __future__ import annotations

import sys
import tempfile
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import cv2
import numpy as np

import blocks
import enclosed
import protocol
from irvane.core.finish import job
from irvane.core.image import Mosaic
from irvane.core.line.bands import Output
from irvane.core.line.context import make_context
from irvane.core.line.develop import develop
from irvane.core.line.realise import realise
from irvane.core.line.source import FileSource
from irvane.core.settings import bare
from irvane.core.threads import CORES

sys.path.insert(0, str(Path(__file__).parent.parent / "training"))
import scenes

ROOT = Path(__file__).parent.parent
SIDE = 720
SENSITIVITIES = (800, 3200, 12800)
#: Rings of spatial frequency, cycles per pixel.
RINGS = (0.05, 0.1, 0.15, 0.2, 0.25, 0.3, 0.35, 0.4)
_LUMA = np.array([0.2126, 0.7152, 0.0722], np.float32)
FLAT = Output("srgb", linear=True, flat=True)
#: What denoises a source (a file, or a picture) at a strength.
Others = Callable[[Any, float], np.ndarray]


def chart() -> np.ndarray:
    """Dead leaves of low saturation, mean about 0.2: linear light."""
    leaves = scenes.dead_leaves(np.random.default_rng(77), SIDE)
    grey = leaves @ _LUMA
    return np.float32(0.7 * grey[..., None] + 0.3 * leaves) * np.float32(0.2 / grey.mean())


def ours(path: Path, method: str, amount: float) -> np.ndarray:
    """The plain linear rendition with noise removed."""
    settings = bare().with_value("noise.amount", amount).with_value("noise.method", method)
    developed, context = realise(FileSource(path), settings)
    return job.assemble(developed, settings, context, FLAT, 32)


def nlm(linear: np.ndarray, h: float) -> np.ndarray:
    """OpenCV's colour non-local means on the encoded picture."""
    cv2.setNumThreads(CORES)
    eight = np.rint(protocol.encode(linear) * 255).astype(np.uint8)
    clean = cv2.fastNlMeansDenoisingColored(eight, None, h, h, 7, 21).astype(np.float32) / 255
    cv2.setNumThreads(1)
    return np.where(clean <= 0.04045, clean / 12.92, ((clean + 0.055) / 1.055) ** 2.4).astype(np.float32)


def bm3d(path: Path, strength: float) -> np.ndarray:
    """BM3D on the mosaic's stabilised planes, then Irvane's interpolation and rendition."""
    loaded, settings = FileSource(path).load(), bare().with_value("noise.amount", 0.0)
    assert loaded.mosaic is not None and loaded.noise is not None
    clean = blocks.bm3d_mosaic(loaded.mosaic, loaded.noise, strength)
    developed = develop(replace(loaded, mosaic=Mosaic(np.float32(clean), loaded.mosaic.cfa)), settings.sensor)
    return job.assemble(developed, settings, make_context(developed), FLAT, 32)


def residual(field: np.ndarray) -> float:
    """Luminance noise left in an even field, relative to its mean."""
    inner = (field @ _LUMA)[32:-32, 32:-32]
    return float(inner.std() / inner.mean())


def texture_mtf(result: np.ndarray, truth: np.ndarray) -> list[float]:
    """Cross-spectrum over the chart's spectrum in RINGS, through a Hann window."""
    window = np.outer(np.hanning(SIDE - 64), np.hanning(SIDE - 64))
    inner = (slice(32, -32), slice(32, -32))
    a, b = ((p[inner] @ _LUMA) for p in (result, truth))
    fa, fb = (np.fft.fft2((p - p.mean()) * window) for p in (a, b))
    radius = np.hypot(*np.meshgrid(np.fft.fftfreq(SIDE - 64), np.fft.fftfreq(SIDE - 64), indexing="ij"))
    found = []
    for f in RINGS:
        ring = np.abs(radius - f) < 0.02
        found.append(float(np.real(np.sum(fa[ring] * np.conj(fb[ring]))) / np.sum(np.abs(fb[ring]) ** 2)))
    return found


def measure(iso: float, folder: Path) -> list[tuple[str, float, list[float]]]:
    """Name, residual noise and texture MTF of every method."""
    truth, grey = chart(), np.full((SIDE, SIDE, 3), 0.2, np.float32)
    paths = [folder / f"{name}-{iso:g}.dng" for name in ("chart", "grey")]
    for path, light in zip(paths, (truth, grey), strict=True):
        protocol.simulate(path, light, iso)
    found = []
    for name, method, amount in (("none", "best", 0.0), ("best", "best", 100.0), ("fast", "fast", 100.0)):
        pictures = [ours(path, method, amount) for path in paths]
        label = "no denoising" if amount == 0 else f"Irvane, {name}"
        found.append((label, residual(pictures[1]), texture_mtf(pictures[0], truth)))
    wanted = found[1][1]
    plain = [protocol.libraw(path, "AHD") for path in paths]
    others: list[tuple[str, Others, list[Any], tuple[float, ...]]] = [
        ("OpenCV NLM, h = {:g}", nlm, plain, (2, 3, 4, 5, 6, 8, 10, 12, 15, 18, 22, 27))
    ]
    if blocks.installed():
        others.append(("BM3D, strength {:g}", bm3d, paths, (0.7, 0.85, 1, 1.2, 1.4, 1.7, 2)))
    for label, method, (first, second), strengths in others:
        left = {strength: residual(method(second, strength)) for strength in strengths}
        nearest = min(strengths, key=lambda strength: abs(left[strength] - wanted))
        mtf = texture_mtf(method(first, nearest), truth)
        found.append((label.format(nearest), left[nearest], mtf))
    return found


_TEXT = """# Noise

How noise is measured, removed and mixed is told in [line.md](line.md); how the networks were made, in
`training/denoiser.py` and, with every number, in `src/irvane/core/noise/*.json`. They see planes of one colour, stabilised
to unit noise (Mäkitalo & Foi 2013), and nothing of camera or ISO. To go on training:

    pip install -e '.[training]'
    python training/denoiser.py train --array bayer --start --work FOLDER --steps 5000
    python training/denoiser.py export --array bayer --work FOLDER

State is saved every few minutes; the same command goes on from there. A second network (`training/refiner.py
--denoised`) refines the interpolated picture of what the first one made; it sees how strong the noise was and what was
removed.

Tried and left out: weights and values of 8 bits made the first network 1.7 to 2.5 times faster and its residual noise 2
to 12 % larger (static, head and tail left at full precision); half precision costs 0.001 dB and takes a sixth of the time where
the processor has it. Bfloat16 is as fast, but ten times as far from single precision. A small network for the fast method (0.4
million weights, entrance of 4×4 pixels) took a third longer than the cosine transform and was still 0.7 dB behind it
after 3,000 steps; its residual fell slowly then.

## For the eye

At 200 %, made by `python benchmarks/crops.py`.

![Crops at 200 %: no denoising, OpenCV, Irvane fast, Irvane best, truth](noise-crops.png)

## Texture kept

Made by `python benchmarks/texture.py`: a dead-leaves chart and an even grey field through the reference sensor, Bayer
array; texture MTF is the cross-spectrum with the chart over the chart's own, on luminance in linear light, sharpening off.
OpenCV's colour non-local means runs after LibRaw AHD, BM3D (where the package `bm3d` is installed) on the stabilised planes
before Irvane's interpolation, each at the strength that comes nearest to Irvane's residual noise.
"""


def main() -> None:
    lines = [_TEXT]
    with tempfile.TemporaryDirectory() as name:
        for iso in SENSITIVITIES:
            head = " | ".join(f"{f:g}" for f in RINGS)
            lines += [
                f"### ISO {iso}",
                "",
                f"| method | noise left % | {head} |",
                "|---" * (len(RINGS) + 2) + "|",
            ]
            for method, left, mtf in measure(iso, Path(name)):
                lines.append(f"| {method} | {left * 100:.2f} | {' | '.join(f'{v:.2f}' for v in mtf)} |")
            lines.append("")
    lines += enclosed.table()
    if blocks.installed():
        lines += blocks.table()
    text = "\n".join(lines)
    print(text)
    (ROOT / "docs" / "noise.md").write_text(text, "utf-8")


if __name__ == "__main__":
    main()
