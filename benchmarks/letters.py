"""Do letters of ten pixels become easier to read? A reader that compares each with templates of all, before and after deblurring.

    python benchmarks/letters.py

Lines of random letters are blurred, photographed by the simulated camera and developed as the program does, with deblurring off, by the
known blur (both methods), as measured, and with both automatics on. *Read*: share of the letters whose own template is the likest.
"""

from __future__ import annotations

import sys
from pathlib import Path

import cv2
import numpy as np

sys.path.insert(0, str(Path(__file__).parent.parent / "tests" / "core"))

import shots

from irvane.core.acutance.blurs import Blur, kernel_of
from irvane.core.line.realise import realise
from irvane.core.line.view import scene_patch
from irvane.core.pixels.patches import trim
from irvane.core.pixels.places import OutputRegion
from irvane.core.settings import Settings

LETTERS = "ABCDEFGHKLMNPRSTUVXYZabdeghkmnqrsuy23456789"
HEIGHT, ACROSS, DOWN = 10, 40, 26
_CELL = (20, 16)
BLURS = (
    Blur("lens", 1.0),
    Blur("lens", 1.6),
    Blur("defocus", 2),
    Blur("defocus", 3.5),
    Blur("motion", 5, 15),
    Blur("motion", 9, -30),
)
WAYS: dict[str, dict[str, object]] = {
    "off": {}, "fast": {"acutance.method": "fast"}, "best": {"acutance.method": "best"}, "as measured": {"acutance.deblur": "auto"},
    "both automatics": {"acutance.deblur": "auto", "acutance.automatic": "on"},
}  # fmt: skip


def glyph(letter: str) -> np.ndarray:
    """A letter of HEIGHT pixels as the camera's pixels see it: coverage, float32."""
    fine = 8
    size = _CELL[0] * fine, _CELL[1] * fine
    drawn = np.zeros(size, np.uint8)
    scale = HEIGHT * fine / 21.0
    (w, _), _ = cv2.getTextSize(letter, cv2.FONT_HERSHEY_SIMPLEX, scale, round(1.4 * fine))
    cv2.putText(
        drawn,
        letter,
        ((size[1] - w) // 2, size[0] - 5 * fine),
        cv2.FONT_HERSHEY_SIMPLEX,
        scale,
        255,
        round(1.4 * fine),
        cv2.LINE_AA,
    )
    return cv2.resize(drawn, _CELL[::-1], interpolation=cv2.INTER_AREA).astype(np.float32) / 255


def page(rng: np.random.Generator) -> tuple[np.ndarray, np.ndarray]:
    """Linear light H×W, and the numbers of the letters on it."""
    chosen = rng.integers(0, len(LETTERS), (DOWN, ACROSS))
    glyphs = np.stack([glyph(letter) for letter in LETTERS])
    cover = glyphs[chosen].transpose(0, 2, 1, 3).reshape(DOWN * _CELL[0], ACROSS * _CELL[1])
    return 0.5 - 0.45 * cover, chosen


def read(seen: np.ndarray, chosen: np.ndarray) -> float:
    """Share of the letters that are read rightly."""
    templates = np.stack([glyph(letter) for letter in LETTERS])
    flat = -(templates - templates.mean(axis=(1, 2), keepdims=True)).reshape(len(LETTERS), -1)
    flat /= np.linalg.norm(flat, axis=1, keepdims=True)
    right = 0
    for (j, i), number in np.ndenumerate(chosen):
        scores = np.full(len(LETTERS), -1.0)
        for dy in (-1, 0, 1):
            for dx in (-1, 0, 1):
                y, x = j * _CELL[0] + dy, i * _CELL[1] + dx
                cell = seen[max(y, 0) : y + _CELL[0], max(x, 0) : x + _CELL[1]]
                if cell.shape != _CELL:
                    continue
                own = (cell - cell.mean()).ravel()
                scores = np.maximum(scores, flat @ own / max(float(np.linalg.norm(own)), 1e-9))
        right += int(scores.argmax() == number)
    return right / chosen.size


def developed(light: np.ndarray, iso: float, values: dict[str, object]) -> np.ndarray:
    """Square-rooted luminance of the page after the whole line."""
    settings = Settings().with_values({"lens.aberration": "off", "acutance.automatic": "off"} | values)
    frame, context = realise(shots.loaded(light[..., None] * shots.NEUTRAL.astype(np.float32), iso), settings)
    whole = OutputRegion(0, 0, *frame.extent)
    return np.sqrt(np.maximum(trim(scene_patch(frame, settings, context, whole), whole).pixels[..., 1], 0))


def by_hand(blur: Blur) -> dict[str, object]:
    """Settings that undo a known blur."""
    if blur.cause == "motion":
        return {"acutance.deblur": "motion", "acutance.length": blur.size, "acutance.angle": blur.angle}
    return {"acutance.deblur": blur.cause, "acutance.radius": blur.size}


def main() -> None:
    rng = np.random.default_rng(5)
    print("| blur | ISO | " + " | ".join(WAYS) + " |\n|" + "---|" * (2 + len(WAYS)))
    for blur in BLURS:
        for iso in (200, 1600):
            light, chosen = page(rng)
            light = cv2.filter2D(light, -1, kernel_of(blur), borderType=cv2.BORDER_REFLECT_101).astype(
                np.float32
            )
            shares = []
            for way, values in WAYS.items():
                known = by_hand(blur) if way in ("fast", "best") else {}
                shares.append(read(developed(light, iso, known | values), chosen))
            words = f"{blur.cause} {blur.size:g}"
            print(f"| {words} | {iso} | " + " | ".join(f"{share:.0%}" for share in shares) + " |", flush=True)


if __name__ == "__main__":
    main()
