"""Is blur that is wanted told from blur that is not, against a truth per pixel?

    python benchmarks/wanted.py

Part of a picture, where there is most to see, lies sharp before another one: out of focus (discs of 3 and 5 px), or drawn out by a camera
that follows (22 px); or is out of focus before a sharp one (the focus lies on the wrong thing); and whole pictures that moved, are out of
focus, or are as they are. Pictures: photographs of the training set that are large enough to be sharp when reduced, rooms of the demo,
and, as they are, photographs whose background is out of focus (*natural*). All through the simulated sensor. Printed: what was told, and of
the soft and sharp places by the truth, how many the map of softness has right.
"""

from __future__ import annotations

import sys
from collections import Counter
from pathlib import Path

import cv2
import numpy as np

sys.path.insert(0, str(Path(__file__).parent.parent / "tests" / "core"))

import shots

import photographs
from irvane.core.acutance.blurs import Blur, kernel_of
from irvane.core.acutance.intentional_blur import SHARP, SOFT, softness_map
from irvane.core.line.context import find_edges_of, measure_softness
from irvane.core.line.develop import develop
from irvane.core.settings import Settings
from irvane.core.simulate import maps

_H, _W = 840, 1260
_DISC = Blur("defocus", 5)
_PHOTOGRAPHS, _ROOMS = ("Elephants", "Bridge", "picosdeeuropa", "sunset"), ("yard", "bench", "shelf")
_NATURAL = ("Kleiber", "Dragonfly", "seeding")


def _picture(key: str) -> np.ndarray:
    """Light of a room of the demo or a photograph, reduced to the frame: float32 H×W×3, 0…0.7."""
    if key in _ROOMS:
        light = np.clip(maps.lit(key), 0, 1).astype(np.float32)
    else:
        name = next(n for n in (*photographs.TEST, *photographs.TRAINING) if key in n)
        light = photographs.load(name, 100_000)[..., :3]
    scale = 1.001 * max(_H / light.shape[0], _W / light.shape[1])
    return np.clip(
        cv2.resize(light, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)[:_H, :_W] * 0.7, 0, 1
    )


def _blurred(picture: np.ndarray, blur: Blur) -> np.ndarray:
    return cv2.filter2D(picture, -1, kernel_of(blur), borderType=cv2.BORDER_REFLECT_101)


def _shape(picture: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """An ellipse where there is most to see: alpha, float32 H×W×1."""
    much = np.minimum(np.abs(cv2.Laplacian(picture.mean(axis=2), cv2.CV_32F)), 0.1)
    much = cv2.boxFilter(much, -1, (301, 301))[250:-250, 300:-300]
    y, x = np.unravel_index(int(much.argmax()), much.shape)
    axes = int(rng.uniform(170, 260)), int(rng.uniform(150, 230))
    alpha = np.zeros((_H, _W), np.float32)
    cv2.ellipse(alpha, (int(x) + 300, int(y) + 250), axes, rng.uniform(-40, 40), 0, 360, 1, -1, cv2.LINE_AA)
    return alpha[..., None]


def _right(found: np.ndarray, soft: np.ndarray) -> tuple[float, float]:
    """Shares of soft and of sharp places (by the truth) that the map has right, of those that it knows."""
    truth = cv2.resize(soft.astype(np.float32), found.shape[::-1], interpolation=cv2.INTER_AREA)
    known = np.isfinite(found)
    value = np.where(known, found, 0)
    really, not_at_all = known & (truth > 0.95), known & (truth < 0.05)
    return tuple(float(v) for v in (
        (value[really] > SHARP).mean() if really.any() else np.nan, (value[not_at_all] < SOFT).mean() if not_at_all.any() else np.nan,
    ))  # fmt: skip


def frames(
    rng: np.random.Generator, one: np.ndarray, other: np.ndarray
) -> dict[str, tuple[np.ndarray, np.ndarray]]:
    """Pictures of every kind, and where they are soft by the truth (float32 H×W, 0…1)."""
    alpha, angle = _shape(one, rng), float(rng.uniform(-90, 90))
    edge = _blurred(alpha, _DISC)[..., None]
    beside, whole = 1 - alpha[..., 0], np.ones((_H, _W), np.float32)

    def before(blur: Blur) -> tuple[np.ndarray, np.ndarray]:
        return one * alpha + _blurred(other, blur) * (1 - alpha), beside

    return {
        "background 5": before(_DISC),
        "background 3": before(Blur("defocus", 3)),
        "panning": before(Blur("motion", 22, angle)),
        "elsewhere": (_blurred(one * alpha, _DISC) + other * (1 - edge), alpha[..., 0]),
        "all moved": (_blurred(one, Blur("motion", float(rng.uniform(9, 20)), angle)), whole),
        "all out of focus": (_blurred(one, _DISC), whole),
        "sharp": (one, 0 * whole),
    }


def main() -> None:
    rng = np.random.default_rng(21)
    told: dict[str, Counter[str]] = {}
    maps: dict[str, list[tuple[float, float]]] = {}
    pictures = [_picture(key) for key in (*_PHOTOGRAPHS, *_ROOMS)]
    for n, name in enumerate((*_PHOTOGRAPHS, *_ROOMS, *_NATURAL)):
        if name in _NATURAL:
            made = {"natural": (_picture(name), np.full((_H, _W), 0.5, np.float32))}
        else:
            made = frames(rng, pictures[n], pictures[(n + 3) % len(pictures)])
        for kind, (picture, soft) in made.items():
            for iso in (100, 1600):
                light = np.ascontiguousarray(picture * shots.NEUTRAL.astype(np.float32), np.float32)
                developed = develop(shots.loaded(light, iso=iso), Settings().sensor)
                found = measure_softness(developed)
                told.setdefault(kind, Counter())[found.wanted or found.cause] += 1
                maps.setdefault(kind, []).append(
                    _right(softness_map(find_edges_of(developed), developed.extent), soft)
                )
                print(name, kind, iso, found.words(), flush=True)
    print("\n| frames | told as | soft places right | sharp places right |\n|---|---|---|---|")
    for kind, counts in told.items():
        words = ", ".join(f"{count} {what}" for what, count in counts.most_common())
        shares = [
            "–" if np.isnan(column).all() else f"{np.nanmean(column):.0%}"
            for column in np.array(maps[kind]).T
        ]
        print(f"| {kind} | {words} | {' | '.join(shares)} |")


if __name__ == "__main__":
    main()
