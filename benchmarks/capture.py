"""The mild sharpening of new proofs: what it gains where a lens softened the frame, and loses where none did.

    python benchmarks/capture.py

Test photographs, as they are and softened by a Gaussian of one pixel, through the simulated sensor; luminance after the whole line, square
root, against the photograph as it is. Photographs whose own edges are soft are frames with the fault.
"""

from __future__ import annotations

import tempfile
from pathlib import Path

import cv2
import numpy as np

import photographs
import protocol
from harm import raw
from irvane.core.image import LUMA_2020
from irvane.core.line.context import Context, softness_of
from irvane.core.line.realise import realise
from irvane.core.line.source import FileSource
from irvane.core.line.view import scene_patch
from irvane.core.pixels.patches import trim
from irvane.core.pixels.places import OutputRegion
from irvane.core.settings import Settings


def luminance(path: Path, how: str) -> tuple[np.ndarray, Context]:
    settings = Settings().with_value("acutance.automatic", how)
    developed, context = realise(FileSource(path), settings)
    whole = OutputRegion(0, 0, *developed.extent)
    return trim(scene_patch(developed, settings, context, whole), whole).pixels @ LUMA_2020, context


def psnr(light: np.ndarray, truth: np.ndarray) -> float:
    gain = float((light * truth).sum() / (truth * truth).sum())
    off = np.sqrt(np.clip(light / gain, 0, 1)) - np.sqrt(truth)
    return float(-10 * np.log10(np.mean(off[16:-16, 16:-16] ** 2)))


def main() -> None:
    rows: dict[tuple[float, str], list[float]] = {}
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "frame.dng"
        for soft in (0.0, 1.0):
            for name in photographs.TEST:
                picture = photographs.load(name, 1500) * 0.8
                truth = (picture @ protocol._2020_FROM_SRGB.T.astype(np.float32)) @ LUMA_2020
                seen = cv2.GaussianBlur(picture, (0, 0), soft) if soft else picture
                for iso in (100, 800, 3200):
                    raw(path, seen, iso, False, profile=True)
                    (off, _), (on, context) = luminance(path, "off"), luminance(path, "lens")
                    found = context.softness
                    assert found is not None
                    gain = psnr(on, np.clip(truth, 0, 1)) - psnr(off, np.clip(truth, 0, 1))
                    rows.setdefault((soft, found.cause), []).append(gain)
                    print(
                        Path(name).stem,
                        soft,
                        iso,
                        found.cause,
                        f"{softness_of(context) or 0:.2f} {gain:+.3f} dB",
                        flush=True,
                    )
    print("\n| photographs | told | frames | dB, mean | worst |\n|---|---|---|---|---|")
    for (soft, cause), gains in sorted(rows.items()):
        words = f"softened by σ {soft:g}" if soft else "as they are"
        print(f"| {words} | {cause} | {len(gains)} | {np.mean(gains):+.3f} | {min(gains):+.3f} |")


if __name__ == "__main__":
    main()
