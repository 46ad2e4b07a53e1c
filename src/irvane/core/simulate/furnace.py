"""The furnace mouth in the dark workshop, and the worker who moves before it."""

from __future__ import annotations

import cv2
import numpy as np

from irvane.core.simulate.texture import box, bricks, ellipse, field, mask, paint, vessel, wood

#: Light of the glowing glass and of the furnace walls, linear BT.2020, mid-grey = 0.18.
_GLASS = np.array([9.0, 4.4, 1.0], np.float32)
_WALL = np.array([3.4, 1.05, 0.17], np.float32)
_FIRELIGHT = np.array([1.0, 0.50, 0.20], np.float32)


def _arch(cx: float, base: float, width: float, height: float) -> np.ndarray:
    t = np.linspace(np.pi, 2 * np.pi, 40)
    top = np.stack([cx + np.cos(t) * width / 2, base - height * 0.5 + np.sin(t) * height * 0.5], 1)
    return np.concatenate([[[cx - width / 2, base]], top, [[cx + width / 2, base]]])


def furnace(shape: tuple[int, int], rng: np.random.Generator) -> np.ndarray:
    """The room without the worker: float32 H×W×3, linear BT.2020 light."""
    h, w = shape
    u = h / 100.0
    y, x = np.mgrid[0:h, 0:w].astype(np.float32)
    cx, base, mouth_w, mouth_h = 0.60 * w, 61 * u, 30 * u, 27 * u
    wall = bricks(shape, 4.4 * u, rng, (0.30, 0.15, 0.10), (0.30, 0.28, 0.25))
    soot = np.exp(-(((x - cx) / (22 * u)) ** 2) - ((y - (base - mouth_h - 4 * u)) / (16 * u)) ** 2)
    wall *= (1 - 0.75 * soot)[..., None]
    floor_line = 74 * u
    floor = wood(shape, 7 * u, rng, (0.20, 0.14, 0.09))
    on_floor = np.clip((y - floor_line) / 2, 0, 1)[..., None]
    surface = wall * (1 - on_floor) + floor * on_floor * (0.8 + 0.2 * field(shape, 6 * u, rng, 3)[..., None])
    # light of the mouth on wall and floor, and a little daylight from a high window at the left
    distance2 = ((x - cx) / u) ** 2 + ((y - (base - mouth_h * 0.45)) / u) ** 2
    fire = 260.0 / (distance2 + 160.0)
    fire = np.where(y > floor_line, fire * 2.4 * np.exp(-(((x - cx) / (40 * u)) ** 2)), fire * 0.55)
    day = 0.018 * np.exp(-(((x - 0.12 * w) / (38 * u)) ** 2) - ((y - 20 * u) / (50 * u)) ** 2) + 0.004
    light = fire[..., None] * _FIRELIGHT + day[..., None] * np.array([0.75, 0.95, 1.25], np.float32)
    room = surface * light
    _window(room, u, w)
    _mouth(room, cx, base, mouth_w, mouth_h, u, rng)
    _tools(room, light, u, w)
    _shelf(room, u, w, light)
    return np.maximum(room, 1e-4).astype(np.float32)


def _mouth(
    room: np.ndarray, cx: float, base: float, width: float, height: float, u: float, rng: np.random.Generator
) -> None:
    shape = room.shape[:2]
    y, x = np.mgrid[0 : shape[0], 0 : shape[1]].astype(np.float32)
    # the stone frame around the opening
    frame = mask(shape, _arch(cx, base + 2 * u, width + 9 * u, height + 8 * u))
    stone = 0.22 * (1 + 0.15 * field(shape, 3 * u, rng, 4))
    near = (
        3.2
        * np.exp(-np.abs(np.hypot((x - cx) / (width / 2), (y - base + height / 2) / (height / 2)) - 1) * 3.0)
        + 0.15
    )
    paint(room, frame, (stone * near)[..., None] * _FIRELIGHT)
    opening = mask(shape, _arch(cx, base, width, height), soft=0.12 * u).full(shape)
    depth = np.clip(
        1 - np.hypot((x - cx) / (width * 0.5), (y - base + height * 0.35) / (height * 0.62)), 0, 1
    )
    swirl = 1 + 0.18 * field(shape, 5 * u, rng, 5)
    inner = _WALL * (0.25 + 1.5 * depth[..., None] ** 0.8) * swirl[..., None]
    paint(room, opening, inner)
    # the crucible with liquid glass, the brightest thing in the picture
    pot = (
        mask(shape, ellipse((cx, base - height * 0.20), (width * 0.33, height * 0.13)), soft=0.15 * u).full(
            shape
        )
        * opening
    )
    paint(room, pot, _GLASS * (1 + 0.12 * field(shape, 4 * u, rng, 4))[..., None])
    lip = (
        mask(shape, ellipse((cx, base - height * 0.12), (width * 0.36, height * 0.13))).full(shape) * opening
    )
    lip = np.clip(
        lip - mask(shape, ellipse((cx, base - height * 0.19), (width * 0.35, height * 0.13))).full(shape),
        0,
        1,
    )
    paint(room, lip * 0.85, _WALL * 0.35)
    glow = cv2.GaussianBlur(opening, (0, 0), 5 * u)[..., None]
    room += glow * _FIRELIGHT * 0.05


def _window(room: np.ndarray, u: float, w: int) -> None:
    shape = room.shape[:2]
    left, top, right, bottom = 5 * u, 8 * u, 24 * u, 30 * u
    paint(
        room,
        mask(shape, box(left - 1.2 * u, top - 1.2 * u, right + 1.2 * u, bottom + 1.2 * u)),
        (0.010, 0.010, 0.011),
    )
    sky = np.array([0.30, 0.42, 0.62], np.float32)
    for i in range(3):
        for j in range(2):
            a = left + (right - left) * j / 2 + 0.4 * u
            b = top + (bottom - top) * i / 3 + 0.4 * u
            pane = box(
                a,
                b,
                left + (right - left) * (j + 1) / 2 - 0.4 * u,
                top + (bottom - top) * (i + 1) / 3 - 0.4 * u,
            )
            paint(room, mask(shape, pane), tuple(float(v) for v in sky * (1.1 - 0.2 * i)))


def _tools(room: np.ndarray, light: np.ndarray, u: float, w: int) -> None:
    """Blowpipes in a rack at the right: thin bright lines before the dark."""
    shape = room.shape[:2]
    for number in range(6):
        x0 = 0.86 * w + number * 3.1 * u
        x1 = x0 + 5 * u
        half = 0.22 * u
        rod = mask(
            shape,
            np.array([[x0 - half, 78 * u], [x0 + half, 78 * u], [x1 + half, 26 * u], [x1 - half, 26 * u]]),
        )
        paint(room, rod, light * 0.55)
        shine = mask(
            shape,
            np.array(
                [
                    [x0 - half, 78 * u],
                    [x0 - half * 0.4, 78 * u],
                    [x1 - half * 0.4, 26 * u],
                    [x1 - half, 26 * u],
                ]
            ),
        )
        paint(room, 0.8 * shine, light * 2.4)
    for height in (40, 66):
        paint(room, mask(shape, box(0.85 * w, height * u, w, (height + 1.1) * u)), light * 0.10)


def _shelf(room: np.ndarray, u: float, w: int, light: np.ndarray) -> None:
    """A shelf with finished vessels in the half-dark at the left."""
    shape = room.shape[:2]
    level = light.mean(axis=2) * 2.2
    paint(room, mask(shape, box(4 * u, 58 * u, 47 * u, 59.6 * u)), light * 0.16)
    colours = (
        (0.25, 0.55, 0.75),
        (0.75, 0.30, 0.12),
        (0.35, 0.70, 0.35),
        (0.62, 0.50, 0.75),
        (0.70, 0.62, 0.25),
    )
    shapes = (
        (0.5, 0.9, 1.0, 0.5, 0.55),
        (0.7, 1.0, 0.8, 0.35, 0.3, 0.5),
        (0.6, 0.75, 0.9, 1.0),
        (0.4, 1.0, 0.9, 0.4, 0.6),
        (0.8, 0.9, 0.95, 1.0),
    )
    for number, (colour, profile) in enumerate(zip(colours, shapes, strict=True)):
        vessel(
            room, (8.5 + number * 8.2) * u, 58 * u, 6 * u, (9 + 4 * (number % 3)) * u, colour, level, profile
        )


def worker(room: np.ndarray, position: float) -> np.ndarray:
    """The room with the worker; `position` −1…1 moves body and pipe."""
    out = room.copy()
    shape = room.shape[:2]
    u, w = shape[0] / 100.0, shape[1]
    x0 = 0.37 * w + position * 6 * u
    lean = 2.0 * u * position
    c = x0 + lean
    body = [
        ellipse((c, 35.0 * u), (2.5 * u, 3.2 * u)),  # head
        np.array(
            [
                [c - 3.1 * u, 33.9 * u],
                [c - 2.4 * u, 31.4 * u],
                [c + 1.2 * u, 31.2 * u],
                [c + 2.6 * u, 33.2 * u],
                [c + 4.6 * u, 34.1 * u],
            ]
        ),
        np.array(
            [[c - 1.4 * u, 37 * u], [c + 1.4 * u, 37 * u], [c + 2.2 * u, 41 * u], [c - 2.2 * u, 41 * u]]
        ),
        ellipse((x0 - 3.6 * u + lean * 0.7, 43.0 * u), (3.2 * u, 3.4 * u)),
        ellipse((x0 + 3.6 * u + lean * 0.7, 43.0 * u), (3.2 * u, 3.4 * u)),
        np.array(
            [
                [x0 - 6.4 * u, 43 * u],
                [x0 + 6.2 * u + lean * 0.5, 42 * u],
                [x0 + 5.2 * u, 55 * u],
                [x0 + 6.4 * u, 72 * u],
                [x0 - 6.6 * u, 72 * u],
                [x0 - 5.2 * u, 56 * u],
            ]
        ),
        np.array(
            [[x0 - 6.4 * u, 70 * u], [x0 - 0.2 * u, 70 * u], [x0 - 1.2 * u, 93 * u], [x0 - 5.4 * u, 93 * u]]
        ),
        np.array(
            [[x0 + 0.2 * u, 70 * u], [x0 + 6.2 * u, 70 * u], [x0 + 6.6 * u, 93 * u], [x0 + 2.4 * u, 93 * u]]
        ),
        np.array(
            [
                [x0 - 6.4 * u, 92 * u],
                [x0 - 0.6 * u, 92 * u],
                [x0 - 0.2 * u, 94.6 * u],
                [x0 - 6.6 * u, 94.6 * u],
            ]
        ),
        np.array(
            [
                [x0 + 2.0 * u, 92 * u],
                [x0 + 8.6 * u, 92.4 * u],
                [x0 + 9.4 * u, 94.6 * u],
                [x0 + 1.8 * u, 94.6 * u],
            ]
        ),
        np.array(
            [
                [x0 + 2.4 * u, 41.6 * u],
                [x0 + 6.2 * u, 43 * u],
                [x0 + 9.6 * u, 52 * u + lean],
                [x0 + 7.4 * u, 53.6 * u + lean],
            ]
        ),
        np.array(
            [
                [x0 + 7.4 * u, 50.8 * u + lean],
                [x0 + 16 * u, 49.6 * u + lean],
                [x0 + 16.2 * u, 52.0 * u + lean],
                [x0 + 8.2 * u, 54 * u + lean],
            ]
        ),
        ellipse((x0 + 16.6 * u, 50.8 * u + lean), (1.5 * u, 1.4 * u)),
    ]
    cover: np.ndarray = np.zeros(shape, np.float32)
    for part in body:
        cover = np.maximum(cover, mask(shape, part).full(shape))
    cover = cv2.GaussianBlur(cover, (0, 0), 0.15 * u)
    x = np.mgrid[0 : shape[0], 0 : shape[1]][1].astype(np.float32)
    # lit from the right by the fire: cloth brightens towards the furnace side
    inside = cv2.GaussianBlur(cover, (0, 0), 1.1 * u)
    side = np.clip(inside - np.roll(inside, -int(1.6 * u), axis=1), 0, 1) ** 1.3
    folds = 1 + 0.35 * field(shape, 5 * u, np.random.default_rng(5), 4, stretch=0.35)
    cloth = (0.010 + 0.42 * side) * folds
    paint(out, cover, cloth[..., None] * _FIRELIGHT + np.array([0.0012, 0.0015, 0.002], np.float32))
    pipe_end = (x0 + 29 * u, 55 * u + 0.6 * lean)
    start = (x0 + 9 * u, 48.8 * u + lean)
    normal = np.array([-(pipe_end[1] - start[1]), pipe_end[0] - start[0]])
    normal = normal / np.hypot(*normal) * 0.28 * u
    pipe = np.array([start + normal, start - normal, pipe_end - normal, pipe_end + normal])
    paint(out, mask(shape, pipe), (0.20, 0.10, 0.05))
    ball = mask(shape, ellipse((pipe_end[0] + 1.6 * u, pipe_end[1]), (2.6 * u, 2.2 * u)), soft=0.12 * u)
    paint(
        out,
        ball,
        np.array([7.0, 2.6, 0.4], np.float32) * (1 - 0.25 * ((x - pipe_end[0]) / (4 * u)) ** 2)[..., None],
    )
    return out
