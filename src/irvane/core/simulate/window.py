"""The workshop window with foliage behind it: hundreds of leaves, branches and a bright sky."""

from __future__ import annotations

import cv2
import numpy as np

from irvane.core.simulate.texture import box, bricks, ellipse, field, mask, paint, vessel, wood

_SKY = np.array([2.1, 2.5, 3.1], np.float32)


def _leaf(centre: tuple[float, float], length: float, turn: float) -> np.ndarray:
    t = np.linspace(0, np.pi, 9)
    along = -np.cos(t) * length / 2
    across = np.sin(t) ** 1.3 * length * 0.23
    x = np.concatenate([along, along[::-1]])
    y = np.concatenate([across, -across[::-1]])
    c, s = np.cos(turn), np.sin(turn)
    return np.stack([centre[0] + c * x - s * y, centre[1] + s * x + c * y], 1)


def _foliage(shape: tuple[int, int], u: float, rng: np.random.Generator) -> np.ndarray:
    h, w = shape
    y = np.mgrid[0:h, 0:w][0].astype(np.float32)
    picture = _SKY * (1.15 - 0.5 * y / h)[..., None] * (1 + 0.06 * field(shape, 30 * u, rng, 5))[..., None]
    far = np.clip(field(shape, 22 * u, rng, 6) * 0.5 + (y / h - 0.35) * 3.2, 0, 1)[..., None]
    hedge = np.array([0.16, 0.30, 0.07], np.float32) * (1 + 0.35 * field(shape, 3 * u, rng, 5))[..., None]
    picture = picture * (1 - far) + np.maximum(hedge, 0.01) * far
    picture = np.ascontiguousarray(picture, np.float32)
    for _ in range(7):  # branches
        points = [np.array([rng.uniform(0, w), h * rng.uniform(0.7, 1.05)])]
        heading = -np.pi / 2 + rng.normal(0, 0.35)
        for _ in range(26):
            heading += rng.normal(0, 0.16)
            points.append(points[-1] + 4.6 * u * np.array([np.cos(heading), np.sin(heading)]))
        for k in range(len(points) - 1):
            width = u * (0.9 - 0.028 * k)
            step = points[k + 1] - points[k]
            normal = np.array([-step[1], step[0]]) / np.hypot(*step) * max(width, 0.12 * u)
            piece = np.array(
                [
                    points[k] + normal,
                    points[k] - normal,
                    points[k + 1] - normal * 0.96,
                    points[k + 1] + normal * 0.96,
                ]
            )
            paint(picture, mask(shape, piece), (0.045, 0.035, 0.022))
    for layer in range(3):
        for _ in range(1500):
            centre = (rng.uniform(-0.02, 1.02) * w, h * (1.02 - rng.beta(1.6, 1.5) * 0.95))
            length = rng.uniform(1.6, 3.6) * u * (0.7 + 0.25 * layer)
            turn = rng.uniform(0, np.pi)
            lit = rng.lognormal(0, 0.45) * (0.35 + 0.35 * layer)
            tint = np.array([0.30 + rng.normal(0, 0.07), 0.52, 0.10 + rng.normal(0, 0.02)], np.float32)
            colour = np.clip(tint * lit, 0.01, 2.5)
            paint(picture, mask(shape, _leaf(centre, length, turn)), tuple(float(v) for v in colour))
            tip = np.array([np.cos(turn), np.sin(turn)]) * length / 2
            side = np.array([-tip[1], tip[0]]) * 0.025
            rib = np.array(
                [centre - tip + side, centre - tip - side, centre + tip - side, centre + tip + side]
            )
            paint(picture, 0.55 * mask(shape, rib), tuple(float(v) for v in colour * 1.7))
    return picture


def window(shape: tuple[int, int], rng: np.random.Generator) -> np.ndarray:
    """The window from inside: float32 H×W×3, linear BT.2020 light, mid-grey 0.18."""
    h, w = shape
    u = h / 100.0
    left, right, top, bottom = 0.16 * w, 0.84 * w, 8 * u, 78 * u
    y, x = np.mgrid[0:h, 0:w].astype(np.float32)
    outside = cv2.GaussianBlur(_foliage(shape, u, rng), (0, 0), 0.03 * u)
    wall = bricks(shape, 5.2 * u, rng, (0.33, 0.17, 0.12), (0.34, 0.32, 0.29))
    reach = np.maximum(np.maximum(left - x, x - right), np.maximum(top - y, y - bottom))
    room = wall * (0.035 + 0.09 * np.exp(-np.maximum(reach, 0) / (13 * u)))[..., None]
    sill = wood(shape, 11 * u, rng, (0.30, 0.20, 0.12))
    on_sill = np.clip((y - 84 * u) / 2, 0, 1)[..., None]
    gloss = 0.10 + 0.55 * np.exp(-np.abs(x - w / 2) / (0.42 * w)) * np.exp(
        -np.maximum(y - 84 * u, 0) / (14 * u)
    )
    room = room * (1 - on_sill) + sill * gloss[..., None] * on_sill
    picture = room.astype(np.float32)
    paint(picture, mask(shape, box(left - 4 * u, top - 4 * u, right + 4 * u, 84 * u)), (0.050, 0.047, 0.043))
    for i in range(3):
        for j in range(2):
            a = left + (right - left) * i / 3 + 1.1 * u
            b = top + (bottom - top) * j / 2 + 1.1 * u
            pane = box(
                a,
                b,
                left + (right - left) * (i + 1) / 3 - 1.1 * u,
                top + (bottom - top) * (j + 1) / 2 - 1.1 * u,
            )
            lit = box(a - 0.35 * u, b - 0.35 * u, pane[1][0] + 0.35 * u, pane[2][1] + 0.35 * u)
            paint(picture, mask(shape, lit), (0.20, 0.20, 0.19))
            paint(picture, mask(shape, pane), outside * 0.86)
    level = np.full(shape, 0.55, np.float32)
    items = (
        (0.27, 8, 26, (0.20, 0.42, 0.70), (0.5, 0.9, 1.0, 0.5, 0.4, 0.6)),
        (0.36, 11, 15, (0.80, 0.45, 0.10), (0.6, 0.9, 1.0, 1.0)),
        (0.62, 7, 31, (0.62, 0.10, 0.14), (0.9, 0.8, 0.5, 0.3, 0.3, 0.4)),
        (0.72, 12, 18, (0.12, 0.55, 0.38), (0.5, 0.9, 1.0, 0.8, 0.7)),
    )
    for place, width, height, colour, profile in items:
        paint(
            picture,
            0.5
            * mask(shape, ellipse((place * w + 2 * u, 89.5 * u), (width * 0.7 * u, 1.4 * u)), soft=0.7 * u),
            (0.01, 0.01, 0.01),
        )
        vessel(picture, place * w, 89.5 * u, width * u, height * u, colour, level, profile)
    return np.maximum(picture, 1e-4).astype(np.float32)
