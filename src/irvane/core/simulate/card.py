"""The test card: grey and colour patches, slanted edges, star, gratings, lettering, dead leaves,
gradients."""

from __future__ import annotations

import cv2
import numpy as np

from irvane.core.simulate.texture import box, ellipse, lettering, mask, paint

#: Reflectances of the colour patches in linear BT.2020, chosen for this card.
PATCHES = (
    (0.30, 0.10, 0.06), (0.42, 0.28, 0.20), (0.12, 0.17, 0.30), (0.11, 0.16, 0.06), (0.24, 0.21, 0.38), (0.20,
    0.48, 0.38),
    (0.52, 0.22, 0.04), (0.09, 0.12, 0.34), (0.44, 0.12, 0.13), (0.12, 0.06, 0.15), (0.34, 0.47, 0.09), (0.60,
    0.40, 0.06),
)  # fmt: skip
#: Grey patches, three to the stop, from 0.9 down.
GREYS = tuple(0.9 * 2 ** (-k / 3) for k in range(18))


def card(shape: tuple[int, int], rng: np.random.Generator) -> np.ndarray:
    """The card filling the frame under even light: float32 H×W×3, linear BT.2020, 18 % grey = 0.18."""
    h, w = shape
    u = h / 100.0
    picture = np.full((h, w, 3), 0.18, np.float32)
    paint(picture, mask(shape, box(4 * u, 4 * u, w - 4 * u, 96 * u)), (0.36, 0.36, 0.36))
    step = (w - 16 * u) / len(GREYS)
    for k, grey in enumerate(GREYS):
        paint(
            picture, mask(shape, box(8 * u + k * step, 8 * u, 8 * u + (k + 0.94) * step, 20 * u)), (grey,) * 3
        )
        lettering(
            picture, f"{k / 3:.1f}", (8 * u + k * step, 20.6 * u), 1.4 * u, (0.03, 0.03, 0.03), mono=True
        )
    step = (w - 16 * u) / len(PATCHES)
    for k, colour in enumerate(PATCHES):
        paint(picture, mask(shape, box(8 * u + k * step, 24 * u, 8 * u + (k + 0.95) * step, 36 * u)), colour)
    _edges(picture, u)
    _star(picture, (62 * u, 57 * u), 15 * u)
    _gratings(picture, u)
    _leaves(picture, box(102 * u, 41 * u, 142 * u, 73 * u), u, rng)
    _words(picture, u)
    x = np.linspace(0, 1, w, dtype=np.float32)[None, :, None]
    ramp = 0.002 * (0.8 / 0.002) ** x
    paint(picture, mask(shape, box(8 * u, 88 * u, w - 8 * u, 93 * u)), np.broadcast_to(ramp, picture.shape))
    return picture


def _edges(picture: np.ndarray, u: float) -> None:
    shape = picture.shape[:2]
    for centre, dark, turn in (
        ((17 * u, 49 * u), 0.09, 5),
        ((35 * u, 49 * u), 0.03, 9),
        ((17 * u, 66 * u), 0.25, 5),
    ):
        square = ellipse(centre, (8.6 * u, 8.6 * u), np.deg2rad(45 + turn), points=4)
        paint(picture, mask(shape, square), (dark,) * 3)


def _star(picture: np.ndarray, centre: tuple[float, float], radius: float) -> None:
    y, x = np.mgrid[0 : picture.shape[0], 0 : picture.shape[1]].astype(np.float32)
    dx, dy = x - centre[0], y - centre[1]
    distance = np.hypot(dx, dy)
    wave = 0.30 + 0.26 * np.cos(72 * np.arctan2(dy, dx))
    inside = np.clip(radius - distance, 0, 1)
    paint(picture, inside, np.repeat(wave[..., None], 3, axis=2))


def _gratings(picture: np.ndarray, u: float) -> None:
    shape = picture.shape[:2]
    x = np.mgrid[0 : shape[0], 0 : shape[1]][1].astype(np.float32)
    for k, period in enumerate((0.9, 0.6, 0.42, 0.3, 0.2)):
        wave = 0.28 + 0.22 * np.sin(2 * np.pi * x / (period * u))
        cover = mask(shape, box((80 + 4.2 * k) * u, 42 * u, (83.6 + 4.2 * k) * u, 57 * u))
        paint(picture, cover, np.repeat(wave[..., None], 3, axis=2))
        cover = mask(shape, box((80 + 4.2 * k) * u, 58.5 * u, (83.6 + 4.2 * k) * u, 72 * u))
        y = np.mgrid[0 : shape[0], 0 : shape[1]][0].astype(np.float32)
        wave = 0.28 + 0.22 * np.sin(2 * np.pi * y / (period * u))
        paint(picture, cover, np.repeat(wave[..., None], 3, axis=2))


def _leaves(picture: np.ndarray, area: np.ndarray, u: float, rng: np.random.Generator) -> None:
    left, top, right, bottom = int(area[0][0]), int(area[0][1]), int(area[2][0]), int(area[2][1])
    h, w = bottom - top, right - left
    field = np.full((2 * h, 2 * w, 3), 0.2, np.float32)
    for _ in range(9000):
        radius = 0.16 * u / np.sqrt(rng.uniform(1 / 600, 1))
        grey = rng.uniform(0.08, 0.5)
        colour = np.clip(grey * (1 + rng.normal(0, 0.22, 3)), 0.02, 0.8)
        place = (int(rng.integers(0, 2 * w)), int(rng.integers(0, 2 * h)))
        cv2.circle(field, place, max(1, int(2 * radius)), tuple(float(v) for v in colour), -1, cv2.LINE_AA)
    small = cv2.resize(field, (w, h), interpolation=cv2.INTER_AREA)
    h, w = (min(a, b) for a, b in zip((h, w), (picture.shape[0] - top, picture.shape[1] - left), strict=True))
    picture[top : top + h, left : left + w] = small[:h, :w]


def _words(picture: np.ndarray, u: float) -> None:
    ink = (0.03, 0.03, 0.03)
    for k, size in enumerate((3.2, 2.4, 1.8, 1.35, 1.0, 0.75)):
        lettering(
            picture,
            "Hot glass keeps the shape of breath 0123456789",
            (8 * u, (74 + 1.25 * k + 0.9 * k * (1 - 0.1 * k)) * u),
            size * 0.8 * u,
            ink,
        )
    lettering(picture, "WORKSHOP ARCHIVE  ·  TEST CARD 3", (100 * u, 76 * u), 2.0 * u, ink)
    lettering(picture, "patches: three to the stop", (100 * u, 79.4 * u), 1.3 * u, ink, mono=True)
    lettering(picture, "edges: 5 and 9 degrees", (100 * u, 81.6 * u), 1.3 * u, ink, mono=True)
