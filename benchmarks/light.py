"""Halos beside strong edges, series of exposures, and the time of whole frames per station. Writes docs/light.md.

Run with ``python benchmarks/light.py`` on an idle machine. Overshoot: how far the light beside an edge of six stops goes
beyond its own plateau, in linear light, at full recovery of both ends, beside OpenCV's and scikit-image's local operators.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from pathlib import Path

import cv2
import numpy as np
import skimage.exposure

import series
from irvane.core.colour.spaces import SPACES
from irvane.core.files.info import FrameInfo
from irvane.core.image import MID_GREY
from irvane.core.judge.colour_difference import delta_e
from irvane.core.light.guide import make_guide
from irvane.core.light.tone import apply_tone
from irvane.core.line.bands import Output, finished_bands
from irvane.core.line.context import make_context
from irvane.core.line.develop import develop
from irvane.core.line.source import SCENE, Loaded
from irvane.core.settings import Light, Settings
from irvane.core.threads import CORES

ROOT = Path(__file__).parent.parent

STOPS, WIDTHS = 6.0, (0, 1, 2, 4, 8)
SIZE = (500, 800)


def edge(width: int) -> np.ndarray:
    """Grey light of SIZE: a step of STOPS, `width` pixels wide, around mid-grey."""
    x = np.arange(SIZE[1], dtype=np.float32) - SIZE[1] // 2
    share = np.clip(x / width, 0, 1) if width else (x >= 0).astype(np.float32)
    stops = np.broadcast_to(STOPS * (share - 0.5), SIZE)
    return np.repeat((MID_GREY * np.exp2(stops)).astype(np.float32)[..., None], 3, axis=2)


def irvane(picture: np.ndarray) -> np.ndarray:
    light = Light(shadows=5, highlights=-3)
    return apply_tone(picture, light, make_guide(picture, SIZE), 0, 0, 1.0)


def irvane_local(picture: np.ndarray) -> np.ndarray:
    light = Light(local_small=100, local_large=100)
    return apply_tone(picture, light, make_guide(picture, SIZE), 0, 0, 1.0)


def mantiuk(picture: np.ndarray) -> np.ndarray:
    return cv2.createTonemapMantiuk(gamma=1.0, scale=0.7, saturation=1.0).process(picture)


def detail(picture: np.ndarray) -> np.ndarray:
    coded = SPACES["srgb"].encode(picture / picture.max())
    eight = cv2.detailEnhance((coded * 255).astype(np.uint8), sigma_s=10, sigma_r=0.15)
    return SPACES["srgb"].decode(eight / 255)


def clahe(picture: np.ndarray) -> np.ndarray:
    coded = SPACES["srgb"].encode(picture / picture.max())
    return SPACES["srgb"].decode(
        skimage.exposure.equalize_adapthist(coded[..., 0], clip_limit=0.03)[..., None]
    )


METHODS: dict[str, Callable[[np.ndarray], np.ndarray]] = {
    "Irvane, shadows +5 EV, highlights −3 EV": irvane,
    "Irvane, local contrast +100 % at both scales": irvane_local,
    "OpenCV Mantiuk (contrast mapping)": mantiuk,
    "OpenCV detailEnhance": detail,
    "scikit-image adaptive histogram equalisation": clahe,
}


def overshoot(result: np.ndarray, width: int) -> tuple[float, float]:
    """Largest excess over the bright plateau and under the dark one, as shares of their levels."""
    row, middle = result[SIZE[0] // 2, :, 0].astype(float), SIZE[1] // 2
    dark, bright = np.median(row[:60]), np.median(row[-60:])
    below = (dark - row[:middle].min()) / max(dark, 1e-9)
    above = (row[middle + width :].max() - bright) / max(bright, 1e-9)
    return max(above, 0.0), max(below, 0.0)


def halo_table() -> list[str]:
    """One row per method, one column per width of the edge."""
    lines = ["| method | " + " | ".join(f"{w} px" for w in WIDTHS) + " |", "|---" * (1 + len(WIDTHS)) + "|"]
    for name, method in METHODS.items():
        shares = [overshoot(method(edge(width)), width) for width in WIDTHS]
        words = (f"{above * 100:.1f} / {below * 100:.1f}" for above, below in shares)
        lines.append(f"| {name} | " + " | ".join(words) + " |")
    return lines


def series_table() -> list[str]:
    """Mean and largest ΔE2000 of the unclipped patches against the frame at 0 EV."""
    right, _ = series.patches(0)
    lines = ["| exposure | patches | mean ΔE2000 | largest |", "|---|---|---|---|"]
    for stops in (2, 1, -1, -2, -3, -4, -5, -6, -7, -8):
        lab, whole = series.patches(stops)
        found = delta_e(lab, right)[whole]
        words = f"{stops:+d} EV".replace("-", "−")
        lines.append(f"| {words} | {whole.sum()} | {found.mean():.2f} | {found.max():.2f} |")
    return lines


LIGHT = {
    "light.exposure": 0.5, "light.shadows": 1.0, "light.highlights": -1.0, "light.midtones": 0.2, "light.contrast": 10,
    "light.black": 0.5, "light.roll_off": 1.0, "light.local_small": 20, "light.local_large": 20, "light.curve": "-4:-4.3, 1:1.2",
}  # fmt: skip
COLOUR = {"colour.saturation": 120, "colour.pale": 20, "colour.reds": 20}


def _seconds(work: Callable[[], object]) -> float:
    times = []
    for _ in range(3):
        start = time.perf_counter()
        work()
        times.append(time.perf_counter() - start)
    return min(times)


def time_table() -> list[str]:
    """Whole frame of 24 MP: each station's share beside OpenCV's Gaussian blur of the same pixels."""
    rng = np.random.default_rng(0)
    small = rng.uniform(0.01, 1, (500, 750, 3)).astype(np.float32)
    whole = cv2.resize(small, (6000, 4000), interpolation=cv2.INTER_LINEAR)
    developed = develop(Loaded(SCENE, None, whole, None, None, 0, FrameInfo(), ()), Settings().sensor)
    context = make_context(developed)

    def run(values: dict[str, object]) -> float:
        settings = Settings()
        for path, value in values.items():
            settings = settings.with_value(path, value)
        return _seconds(lambda: [None for _ in finished_bands(developed, settings, context, Output(), 16)])

    cv2.setNumThreads(CORES)
    blur = _seconds(lambda: cv2.GaussianBlur(whole, (0, 0), 20))
    cv2.setNumThreads(1)
    bare = run({})
    rows = (("base rendering and encoding alone", bare), ("everything of Light", run(LIGHT) - bare),
            ("everything of Colour", run(COLOUR) - bare))  # fmt: skip
    lines = ["| what | seconds | beside the blur |", "|---|---|---|"]
    return [*lines, *(f"| {name} | {took:.2f} | {took / blur:.2f} |" for name, took in rows),
            f"| OpenCV Gaussian blur, σ 20 px, {CORES} threads | {blur:.2f} | 1 |"]  # fmt: skip


def main() -> None:
    parts = [
        "# Light and colour", "",
        "Made by `python benchmarks/light.py`; how the steps work is told in [line.md](line.md).", "",
        "## Halos", "",
        "Largest overshoot in linear light beside an edge of six stops, in per cent of its own plateau: above the bright one /",
        "below the dark one. (OpenCV's contrast mapping puts the darkest pixel at 0: its second figure says nothing.)", "",
        *halo_table(), "",
        "## Exposures brought to equal brightness", "",
        "24 patches through the reference sensor (14 bits, ISO 100), exposure given back on the station Light, noise",
        "averaged, against the frame at 0 EV; patches that are clipped are left out.", "",
        *series_table(), "",
        "## Time", "",
        "24 MP, scene-linear light to 16-bit sRGB, all settings of a station at once.", "",
        *time_table(),
    ]  # fmt: skip
    text = "\n".join(parts) + "\n"
    print(text)
    (ROOT / "docs" / "light.md").write_text(text, "utf-8")


if __name__ == "__main__":
    main()
