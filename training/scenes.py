"""Pictures to train on: the training half of the photographs, and drawn scenes of what denoisers get wrong.

Drawn scenes are "dead leaves" (Lee, Mumford & Huang 2001; for training: Achddou, Gousseau & Ladjal 2021) whose leaves
carry texture, covered with lettering, hair, gratings, masonry, smooth gradients and point lights.
"""

from __future__ import annotations

import sys
from collections.abc import Callable, Iterator
from pathlib import Path

import cv2
import numpy as np

sys.path.append(str(Path(__file__).parent.parent / "benchmarks"))
import photographs

_LETTERS = "aeghkmnprstwxyzABDEGKMRSW0235689&%"


def dead_leaves(rng: np.random.Generator, side: int = 700) -> np.ndarray:
    """Overlapping discs of random colour with a power law of radii: linear light, side×side×3."""
    picture = np.zeros((side * 2, side * 2, 3), np.float32)
    for _ in range(9000):
        radius = int(4 / np.sqrt(rng.uniform(1 / 2500, 1)))
        colour = (rng.uniform(0.1, 1) * np.clip(rng.normal(0.5, 0.2, 3), 0.02, 1)) ** 1.6
        centre = tuple(int(v) for v in rng.integers(0, side * 2, 2))
        cv2.circle(picture, centre, radius, tuple(float(v) for v in colour), -1, cv2.LINE_AA)
    return cv2.resize(picture, (side, side), interpolation=cv2.INTER_AREA)


def _colour(rng: np.random.Generator) -> tuple[float, ...]:
    grey = rng.uniform(0.02, 1) ** 2
    spread = rng.uniform(0, 1) ** 2
    return tuple(float(v) for v in np.clip(grey * 2.0 ** (spread * rng.normal(0, 0.8, 3)), 0.002, 1))


def _fractal(rng: np.random.Generator, side: int) -> np.ndarray:
    """Texture with a power-law spectrum, mean 1."""
    frequency = np.hypot(*np.meshgrid(np.fft.fftfreq(side), np.fft.rfftfreq(side), indexing="ij"))
    spectrum = np.fft.rfft2(rng.standard_normal((side, side))) / np.maximum(
        frequency, 1 / side
    ) ** rng.uniform(0.6, 1.6)
    spectrum[0, 0] = 0
    field = np.fft.irfft2(spectrum, (side, side))
    return np.exp2(field / field.std() * rng.uniform(0.05, 0.8)).astype(np.float32)


def _grating(rng: np.random.Generator, side: int) -> np.ndarray:
    y, x = np.mgrid[:side, :side].astype(np.float32)
    angle, period = rng.uniform(0, np.pi), rng.uniform(3, 40)
    wave = np.sin(
        2 * np.pi * (x * np.cos(angle) + y * np.sin(angle)) / period * (1 + rng.uniform(0, 0.3) * y / side)
    )
    if rng.random() < 0.5:
        wave = np.tanh(wave * rng.uniform(1, 8))
    return np.exp2(wave * rng.uniform(0.1, 1.5)).astype(np.float32)


def _masonry(rng: np.random.Generator, side: int) -> np.ndarray:
    y, x = np.mgrid[:side, :side]
    high = int(rng.integers(8, 60))
    wide, joint = int(high * rng.uniform(1.5, 3.5)), max(1, int(high * rng.uniform(0.06, 0.2)))
    row = y // high
    column = (x + (row % 2) * (wide // 2)) // wide
    tone = np.exp2(rng.normal(0, 0.4, (side // high + 2, side // wide + 3)))[row, column]
    gap = (y % high < joint) | ((x + (row % 2) * (wide // 2)) % wide < joint)
    return np.where(gap, rng.uniform(0.2, 2.5), tone * _fractal(rng, side)).astype(np.float32)


def _texture(rng: np.random.Generator, side: int) -> np.ndarray:
    kind = rng.random()
    if kind < 0.5:
        return _fractal(rng, side)
    return _grating(rng, side) if kind < 0.75 else _masonry(rng, side)


def _lettering(rng: np.random.Generator, picture: np.ndarray) -> None:
    side = picture.shape[0]
    ink, height = _colour(rng), rng.uniform(0.25, 1.6)
    font = int(rng.choice([cv2.FONT_HERSHEY_SIMPLEX, cv2.FONT_HERSHEY_COMPLEX, cv2.FONT_HERSHEY_TRIPLEX]))
    left, y = int(rng.integers(0, side)), int(rng.integers(0, side))
    cover = np.zeros((side, side), np.uint8)
    for _ in range(int(rng.integers(1, 12))):
        line = "".join(rng.choice(list(_LETTERS + "   "), int(rng.integers(6, 40))))
        cv2.putText(cover, line, (left - side // 4, y), font, height, 255, max(1, round(height)), cv2.LINE_AA)
        y += int(height * 34) + 2
    picture += np.float32(1 / 255) * cover[..., None] * (np.array(ink, np.float32) - picture)


def _hair(rng: np.random.Generator, picture: np.ndarray) -> None:
    side = picture.shape[0]
    start, angle, tint = rng.uniform(0, side, 2), rng.uniform(0, 2 * np.pi), np.array(_colour(rng))
    for _ in range(int(rng.integers(5, 250))):
        t = np.linspace(0, 1, 12)[:, None]
        root = start + rng.normal(0, side * 0.1, 2)
        way = np.array([np.cos(angle), np.sin(angle)]) * side * rng.uniform(0.2, 0.9)
        bend = rng.normal(0, side * 0.08, 2)
        points = (root + t * way + t**2 * bend).astype(np.float32)
        shade = tuple(float(v) for v in tint * rng.uniform(0.4, 1.6))
        cv2.polylines(
            picture, [(points * 16).astype(np.int32)], False, shade, int(rng.integers(1, 4)), cv2.LINE_AA, 4
        )


def _lights(rng: np.random.Generator, picture: np.ndarray) -> None:
    for _ in range(int(rng.integers(1, 60))):
        centre = tuple(int(v) for v in rng.integers(0, picture.shape[0], 2))
        cv2.circle(picture, centre, int(rng.integers(1, 4)), _colour(rng), -1, cv2.LINE_AA)


def _polygon(rng: np.random.Generator, centre: np.ndarray, radius: float) -> np.ndarray:
    corners = int(rng.integers(3, 9))
    turn = np.sort(rng.uniform(0, 2 * np.pi, corners))
    reach = radius * rng.uniform(0.5, 1.4, corners) * np.where(rng.random() < 0.3, 0.3, 1)
    return np.round(centre + np.stack([np.cos(turn) * reach, np.sin(turn) * radius], 1)).astype(np.int32)


def _cover(picture: np.ndarray, corners: np.ndarray, texture: np.ndarray, colour: tuple[float, ...]) -> None:
    """Lay a textured leaf over a picture."""
    left, top = np.clip(corners.min(0) - 2, 0, len(picture))
    right, bottom = np.clip(corners.max(0) + 3, 0, len(picture))
    if right <= left or bottom <= top:
        return
    mask = np.zeros((bottom - top, right - left), np.float32)
    cv2.fillPoly(mask, [corners - (left, top)], 1.0, cv2.LINE_AA)
    leaf = texture[top:bottom, left:right, None] * np.array(colour, np.float32)
    part = picture[top:bottom, left:right]
    part += mask[..., None] * (np.minimum(leaf, 1.5) - part)


def drawn(rng: np.random.Generator, side: int = 512) -> np.ndarray:
    """One drawn scene: linear light, side×side×3; drawn twice as large and reduced."""
    large = 2 * side
    y, x = np.mgrid[:large, :large].astype(np.float32) / large
    angle = rng.uniform(0, 2 * np.pi)
    ramp = (x * np.cos(angle) + y * np.sin(angle)) * rng.uniform(0, 2)
    picture = np.exp2(ramp)[..., None] * np.array(_colour(rng), np.float32)
    picture = np.ascontiguousarray(picture, np.float32)
    smallest = rng.uniform(3, 24)
    textures = [_texture(rng, large) for _ in range(4)]
    if rng.random() < 0.75:
        picture *= textures[3][..., None]
    for number in range(int(rng.choice([0, 30, 300, 1500], p=[0.08, 0.22, 0.35, 0.35]))):
        radius = min(smallest / np.sqrt(rng.uniform(1 / 900, 1)), large / 2)
        centre = rng.uniform(0, large, 2)
        if number % 6 or radius < 20:
            if rng.random() < 0.5:
                cv2.circle(picture, tuple(int(v) for v in centre), int(radius), _colour(rng), -1, cv2.LINE_AA)
            else:
                cv2.fillPoly(picture, [_polygon(rng, centre, radius)], _colour(rng), cv2.LINE_AA)
            continue
        _cover(picture, _polygon(rng, centre, radius), textures[number // 6 % 4], _colour(rng))
    for draw, chance in ((_hair, 0.4), (_lettering, 0.4), (_hair, 0.2), (_lights, 0.25)):
        if rng.random() < chance:
            draw(rng, picture)
    if rng.random() < 0.6:
        picture *= _texture(rng, large)[..., None] ** np.float32(rng.uniform(0.1, 0.7))
    if rng.random() < 0.5:
        picture = cv2.GaussianBlur(picture, (0, 0), rng.uniform(0.3, 2.2))
    return np.clip(cv2.resize(picture, (side, side), interpolation=cv2.INTER_AREA), 0, 1)


def _panes(rng: np.random.Generator, picture: np.ndarray, factor: int) -> None:
    """A turned grid of even panes on an even ground, each of 3 to 24 pixels of the reduced picture."""
    side = len(picture)
    size = rng.uniform(3, 24, 2) * factor
    apart = size + rng.uniform(1.5, 12, 2) * factor
    turn = rng.choice([0.0, np.pi / 2, rng.uniform(0, np.pi)])
    way = np.array([[np.cos(turn), -np.sin(turn)], [np.sin(turn), np.cos(turn)]])
    shared = _colour(rng) if rng.random() < 0.5 else None
    picture[:] = _colour(rng)
    reach = int(0.75 * side / apart.min()) + 1
    for j, i in np.ndindex(2 * reach, 2 * reach):
        corner = (np.array([i, j]) - reach) * apart
        box = corner + np.array([[0, 0], [1, 0], [1, 1], [0, 1]]) * size
        corners = box @ way.T + side / 2
        if (corners.max(0) < 0).any() or (corners.min(0) > side).any():
            continue
        cv2.fillPoly(picture, [np.int32(corners * 16)], shared or _colour(rng), cv2.LINE_AA, 4)


def _cells(rng: np.random.Generator, picture: np.ndarray) -> None:
    """Even cells, each nearer to its own seed than to any other."""
    seeds = np.ones(picture.shape[:2], np.uint8)
    count = int(2 ** rng.uniform(6, 12))
    seeds[tuple(rng.integers(0, len(picture), (2, count)))] = 0
    _, labels = cv2.distanceTransformWithLabels(seeds, cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL)
    colours = np.array([_colour(rng) for _ in range(int(labels.max()) + 1)], np.float32)
    picture[:] = colours[labels]


def even(rng: np.random.Generator, side: int = 512) -> np.ndarray:
    """A scene of small even areas with sharp borders: what is even must come out even, up to the border."""
    factor = 2
    picture = np.zeros((side * factor, side * factor, 3), np.float32)
    if rng.random() < 0.6:
        _panes(rng, picture, factor)
    else:
        _cells(rng, picture)
    if rng.random() < 0.3:
        _lettering(rng, picture)
    y, x = np.mgrid[: len(picture), : len(picture)].astype(np.float32) / len(picture)
    picture *= np.exp2(rng.uniform(-1, 1) * x + rng.uniform(-1, 1) * y)[..., None]
    if rng.random() < 0.3:
        picture = cv2.GaussianBlur(picture, (0, 0), rng.uniform(0.5, 2.0))
    return np.clip(cv2.resize(picture, (side, side), interpolation=cv2.INTER_AREA), 0, 1)


def photograph_crops(
    names: tuple[str, ...],
    rng: np.random.Generator,
    each: int,
    reductions: tuple[float, float] = (1.0, 2.5),
    side: int = 512,
) -> Iterator[np.ndarray]:
    """Random squares of photographs at random reductions."""
    for name in names:
        large = photographs.load(name, 4000)
        for _ in range(each):
            least, most = (min(limit, max(1.0, min(large.shape[:2]) / side)) for limit in reductions)
            factor = rng.uniform(least, most)
            size = (max(side, int(large.shape[1] / factor)), max(side, int(large.shape[0] / factor)))
            small = cv2.resize(large, size, interpolation=cv2.INTER_AREA)
            top = int(rng.integers(0, small.shape[0] - side + 1))
            left = int(rng.integers(0, small.shape[1] - side + 1))
            yield np.clip(small[top : top + side, left : left + side], 0, 1)


def pool(path: Path, make: Callable[[], Iterator[np.ndarray]]) -> np.ndarray:
    """Pictures as one float16 array N×side×side×3, made once and kept on disk."""
    if not path.exists():
        whole = np.stack([np.float16(picture) for picture in make()])
        path.parent.mkdir(parents=True, exist_ok=True)
        np.save(path.with_suffix(".part.npy"), whole)
        path.with_suffix(".part.npy").replace(path)
    return np.load(path, mmap_mode="r")
