"""Crops at 200 % for the eye, beside the figures: writes docs/noise-crops.png.

Run with ``python benchmarks/crops.py``. Columns: no denoising, OpenCV's colour non-local means after LibRaw at its best
strength for the picture, Irvane fast, Irvane best, the truth.
"""

from __future__ import annotations

import tempfile
from pathlib import Path

import cv2
import numpy as np
from PIL import Image, ImageDraw, ImageFont

import photographs
import protocol
from texture import nlm, ours

ROOT = Path(__file__).parent.parent
ISO, SIDE, SCALE, HEAD = 12_800, 128, 2, 22
#: Photograph, and the crop's top left as shares of the free room.
SUBJECTS = (
    ("skimage/chelsea.png", (0.03, 0.14)),
    ("usr/share/backgrounds/mate/abstract/Elephants_5640x3172.jpg", (0.45, 0.45)),
    ("skimage/motorcycle_left.png", (0.24, 0.28)),
    ("usr/share/backgrounds/mate/nature/Wood.jpg", (0.5, 0.5)),
    ("skimage/astronaut.png", (0.0, 0.1)),
)
STRENGTHS = (6, 10, 15, 21)


def row(name: str, place: tuple[float, float], folder: Path) -> list[np.ndarray]:
    """The crops of one photograph, 8 bits, enlarged without interpolation."""
    linear = photographs.load(name)
    path = folder / "frame.dng"
    protocol.simulate(path, linear, ISO)
    plain = protocol.libraw(path, "AHD")
    others = max((nlm(plain, h) for h in STRENGTHS), key=lambda picture: protocol.psnr(picture, linear))
    pictures = [ours(path, "best", 0.0), others, ours(path, "fast", 100.0), ours(path, "best", 100.0), linear]
    top, left = (int((n - SIDE) * share) for n, share in zip(linear.shape[:2], place, strict=True))
    crops = []
    for picture in pictures:
        eight = np.rint(protocol.encode(picture[top : top + SIDE, left : left + SIDE]) * 255).astype(np.uint8)
        crops.append(cv2.resize(eight, None, fx=SCALE, fy=SCALE, interpolation=cv2.INTER_NEAREST))
    return crops


def main() -> None:
    heads = (f"no denoising, ISO {ISO}", "OpenCV NLM", "Irvane, fast", "Irvane, best", "truth")
    side, gap = SIDE * SCALE, 4
    sheet = Image.new("RGB", ((side + gap) * len(heads), HEAD + (side + gap) * len(SUBJECTS)), (24, 24, 24))
    draw = ImageDraw.Draw(sheet)
    for k, words in enumerate(heads):
        draw.text((k * (side + gap) + 4, 4), words, (230, 230, 230), ImageFont.load_default(13))
    with tempfile.TemporaryDirectory() as folder:
        for n, (name, place) in enumerate(SUBJECTS):
            for k, crop in enumerate(row(name, place, Path(folder))):
                sheet.paste(Image.fromarray(crop), (k * (side + gap), HEAD + n * (side + gap)))
    sheet.save(ROOT / "docs" / "noise-crops.png", optimize=True)


if __name__ == "__main__":
    main()
