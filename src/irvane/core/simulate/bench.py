"""The tool bench: printed labels, tools, jars of coloured frit, a steel rule."""

from __future__ import annotations

import cv2
import numpy as np

from irvane.core.simulate.texture import box, bricks, ellipse, field, lettering, mask, paint, vessel, wood

_LABELS = (
    ("COBALT BLUE", "No. 7 · grain 1.5–3 mm", "expansion 96 · 2 % in clear", (0.10, 0.20, 0.62)),
    ("AMBER", "No. 12 · powder", "keep dry · sieve before use", (0.70, 0.36, 0.05)),
    ("COPPER RUBY", "No. 3 · bars", "strike at 560 °C, twice", (0.55, 0.05, 0.06)),
    ("SEA GREEN", "No. 21 · grain 0.5–1 mm", "expansion 94 · test first", (0.06, 0.42, 0.30)),
    ("OPAL WHITE", "No. 1 · bars", "lay cold, blow thin", (0.80, 0.80, 0.76)),
)
_NOTE = (
    "Orders for the archive week",
    "Mon  lamp chimneys 6 pcs, wall 2.2 mm",
    "Tue  bowls, foot ring ground flat",
    "Wed  repair of the blue carafe (handle)",
    "Thu  samples: amber over opal, 40 × 40",
    "Fri  annealer 510 °C, hold 90 min, down 35 °C/h",
    "mind the shears: left blade is nicked",
)


def bench(shape: tuple[int, int], rng: np.random.Generator) -> np.ndarray:
    """The bench under a lamp: float32 H×W×3, linear BT.2020 light, mid-grey 0.18."""
    h, w = shape
    u = h / 100.0
    y, x = np.mgrid[0:h, 0:w].astype(np.float32)
    surface = bricks(shape, 6.0 * u, rng, (0.42, 0.40, 0.37), (0.36, 0.35, 0.33))
    top = wood(shape, 9.0 * u, rng, (0.36, 0.23, 0.13))
    on_top = np.clip((y - 58 * u) / (0.15 * u), 0, 1)[..., None]
    surface = surface * (1 - on_top) + top * on_top
    paint(surface, mask(shape, box(0, 57 * u, w, 58.4 * u)), (0.05, 0.035, 0.02))
    lamp = 0.35 + 1.25 * np.exp(-(((x - 0.45 * w) / (62 * u)) ** 2) - ((y - 48 * u) / (48 * u)) ** 2)
    light = lamp[..., None] * np.array([1.06, 1.0, 0.88], np.float32)
    picture = surface * light
    _hanging(picture, light, u, rng)
    _jars(picture, light, u, w)
    _paper(picture, light, u)
    _rule(picture, light, u)
    _brush(picture, light, u, rng)
    return np.maximum(picture, 1e-4).astype(np.float32)


def _hanging(picture: np.ndarray, light: np.ndarray, u: float, rng: np.random.Generator) -> None:
    """Shears, jacks and paddles on a rail."""
    shape = picture.shape[:2]
    paint(picture, mask(shape, box(6 * u, 7 * u, 144 * u, 8.2 * u)), light * 0.09)
    for number in range(11):
        x = (12 + number * 12.2) * u
        length = (16 + 6 * ((number * 7) % 3)) * u
        spread = 1.5 * u + 0.9 * u * (number % 2)
        shadow = mask(shape, box(x + 1.2 * u, 9.5 * u, x + spread + 1.5 * u, 8 * u + length), soft=0.8 * u)
        paint(picture, 0.45 * shadow, (0.02, 0.02, 0.02))
        if number % 3 == 2:  # a wooden paddle
            paint(
                picture,
                mask(shape, box(x - 0.5 * u, 8 * u, x + 0.5 * u, 8 * u + length * 0.5)),
                light * np.array([0.30, 0.18, 0.09], np.float32),
            )
            blade = mask(shape, ellipse((x, 8 * u + length * 0.75), (2.6 * u, length * 0.28)))
            grain = 1 + 0.2 * field(shape, 2 * u, rng, 3, stretch=0.2)
            paint(picture, blade, light * grain[..., None] * np.array([0.33, 0.20, 0.10], np.float32))
            continue
        for side in (-1, 1):
            arm = np.array(
                [
                    [x, 8 * u],
                    [x + side * 0.7 * u, 8 * u],
                    [x + side * spread, 8 * u + length],
                    [x + side * (spread - 0.45 * u), 8 * u + length],
                ]
            )
            paint(picture, mask(shape, arm), light * (0.30 if side < 0 else 0.12))
            edge = np.array(
                [
                    [x + side * 0.15 * u, 8 * u],
                    [x + side * 0.3 * u, 8 * u],
                    [x + side * (spread - 0.2 * u), 8 * u + length],
                    [x + side * (spread - 0.28 * u), 8 * u + length],
                ]
            )
            paint(picture, 0.8 * mask(shape, edge), light * 0.9)


def _jars(picture: np.ndarray, light: np.ndarray, u: float, w: int) -> None:
    shape = picture.shape[:2]
    for number, (name, second, third, colour) in enumerate(_LABELS):
        x = (16 + number * 24) * u
        shadow = mask(shape, ellipse((x + 2 * u, 67 * u), (11 * u, 2.2 * u)), soft=1.2 * u)
        paint(picture, 0.6 * shadow, (0.01, 0.008, 0.006))
        vessel(
            picture,
            x,
            67 * u,
            19 * u,
            25 * u,
            colour,
            light.mean(axis=2) * 1.2,
            (0.92, 1.0, 1.0, 1.0, 0.98, 0.8, 0.82),
        )
        paint(picture, mask(shape, box(x - 8.4 * u, 40.0 * u, x + 8.4 * u, 43.2 * u)), light * 0.16)
        label = box(x - 8 * u, 49 * u, x + 8 * u, 62 * u)
        paint(picture, mask(shape, label), light * np.array([0.74, 0.71, 0.62], np.float32))
        ink = tuple(float(v) for v in 0.035 * light[int(55 * u), int(min(x, w - 1))])
        lettering(picture, name, (x - 7.2 * u, 50.2 * u), 1.75 * u, ink)
        lettering(picture, second, (x - 7.2 * u, 53.2 * u), 1.05 * u, ink, mono=True)
        lettering(picture, third, (x - 7.2 * u, 55.2 * u), 0.75 * u, ink, mono=True)
        lettering(
            picture,
            f"batch {4711 + 37 * number} · opened 03.11. · shelf {number + 2} left",
            (x - 7.2 * u, 57.0 * u),
            0.5 * u,
            ink,
            mono=True,
        )
        for line in range(14):  # a bar code, as fine gratings go
            left = x + (-7 + line * 0.62 + 0.13 * ((line * 5) % 3)) * u
            paint(
                picture,
                mask(shape, box(left, 58.6 * u, left + (0.12 + 0.1 * ((line * 7) % 3)) * u, 61.2 * u)),
                ink,
            )


def _paper(picture: np.ndarray, light: np.ndarray, u: float) -> None:
    shape = picture.shape[:2]
    sheet = np.array([[94 * u, 71 * u], [143 * u, 69 * u], [145 * u, 96 * u], [95 * u, 97 * u]])
    paint(picture, 0.5 * mask(shape, sheet + 0.9 * u, soft=0.9 * u), (0.01, 0.01, 0.01))
    paint(picture, mask(shape, sheet), light * np.array([0.80, 0.79, 0.74], np.float32))
    for number, line in enumerate(_NOTE):
        size = (1.7 if number == 0 else 1.25) * u
        lettering(picture, line, (97 * u, (73 + number * 3.2) * u), size, (0.05, 0.05, 0.09), mono=number > 0)


def _rule(picture: np.ndarray, light: np.ndarray, u: float) -> None:
    shape = picture.shape[:2]
    paint(picture, mask(shape, box(8 * u, 86 * u, 86 * u, 91 * u)), light * 0.48)
    for mm in range(301):
        x = (10 + mm * 0.245) * u
        long = 2.6 if mm % 10 == 0 else (1.9 if mm % 5 == 0 else 1.2)
        paint(picture, mask(shape, box(x, 86 * u, x + 0.07 * u, (86 + long) * u)), (0.02, 0.02, 0.02))
        if mm % 20 == 0:
            lettering(picture, str(mm), (x - 0.7 * u, 88.8 * u), 1.2 * u, (0.02, 0.02, 0.02))


def _brush(picture: np.ndarray, light: np.ndarray, u: float, rng: np.random.Generator) -> None:
    """A brush: hundreds of fine hairs."""
    shape = picture.shape[:2]
    paint(
        picture,
        mask(shape, np.array([[12 * u, 77 * u], [52 * u, 73.5 * u], [52 * u, 76.5 * u], [12 * u, 79 * u]])),
        light * np.array([0.45, 0.10, 0.06], np.float32),
    )
    paint(
        picture,
        mask(shape, np.array([[52 * u, 72.6 * u], [59 * u, 72 * u], [59 * u, 77.5 * u], [52 * u, 77 * u]])),
        light * 0.5,
    )
    canvas = np.zeros(shape, np.uint8)
    for _ in range(420):
        y0 = rng.uniform(72.3, 77.2) * u
        tip = (rng.uniform(70, 77) * u, y0 + rng.normal(0, 1.4) * u)
        middle = (66 * u, y0 + rng.normal(0, 0.4) * u)
        points = np.array([[59 * u, y0], middle, tip])
        cv2.polylines(
            canvas,
            [np.rint(points * 16).astype(np.int32)],
            False,
            int(rng.integers(90, 255)),
            max(1, round(0.05 * u)),
            cv2.LINE_AA,
            shift=4,
        )
    paint(picture, canvas.astype(np.float32) / 255, light * np.array([0.55, 0.45, 0.30], np.float32))
