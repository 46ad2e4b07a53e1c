"""Fit the filters of the 6×6 demosaicing; a minute or two on two cores.

    python training/six_by_six.py src/irvane/core/sensor/six_by_six.npz

Scenes are the training half of benchmarks/photographs.py at two scales and "dead leaves" pictures (Lee, Mumford &
Huang 2001), each seen through random camera matrices, with slight noise. No test picture is used.
"""

from __future__ import annotations

import sys

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view
from scenes import dead_leaves, photographs

from irvane.core.image import SIX_BY_SIX
from irvane.core.sensor import six_by_six as six
from irvane.core.sensor import windows
from irvane.core.sensor.encoding import POWER, SMALLEST_KNEE

TAPS = windows.WINDOW**2
SHRINKAGE = 0.002  # weight of the all-class statistics in each class
FLAT_WEIGHT = 10.0  # how strictly flat colours are reproduced
NOISE = 0.003
SEED = 20261101


def pictures(rng: np.random.Generator):
    for name in photographs.TRAINING:
        for longest in (1000, 700):
            yield photographs.load(name, longest)
    for _ in range(4):
        yield dead_leaves(rng)


def random_camera(rng: np.random.Generator) -> np.ndarray:
    """A plausible matrix from scene to white-balanced camera colours: rows sum to one, mixing 10–45 %."""
    mixing = rng.uniform(0.02, 0.28, (3, 3))
    np.fill_diagonal(mixing, 0)
    return np.eye(3) * (1 - mixing.sum(1)) + mixing


def encode(light: np.ndarray) -> np.ndarray:
    return (np.maximum(light, 0) + SMALLEST_KNEE) ** POWER


def gather() -> tuple[np.ndarray, np.ndarray]:
    rng = np.random.default_rng(SEED)
    normal = np.zeros((36, six.CLASSES, TAPS, TAPS))
    target = np.zeros((36, six.CLASSES, TAPS, 3))
    for number, scene in enumerate(pictures(rng)):
        camera = encode(scene @ random_camera(rng).T).astype(np.float32)
        h, w = camera.shape[:2]
        colours = SIX_BY_SIX[np.ix_(np.arange(h) % 6, np.arange(w) % 6)]
        v = np.take_along_axis(camera, colours[..., None], 2)[..., 0]
        v = v + rng.normal(0, NOISE, v.shape).astype(np.float32)
        classes = six.structure_classes(v, SIX_BY_SIX)
        r = windows.REACH
        seen = sliding_window_view(v, (windows.WINDOW, windows.WINDOW))
        camera, classes = camera[r:-r, r:-r], classes[r:-r, r:-r]
        for place in range(36):
            y, x = (place // 6 - r) % 6, (place % 6 - r) % 6
            f = seen[y::6, x::6].reshape(-1, TAPS).astype(np.float64)
            mean = f.mean(1, keepdims=True)
            f -= mean
            t = camera[y::6, x::6].reshape(-1, 3) - mean
            k = classes[y::6, x::6].ravel()
            for q in range(six.CLASSES):
                chosen = k == q
                normal[place, q] += f[chosen].T @ f[chosen]
                target[place, q] += f[chosen].T @ t[chosen]
        print(f"scene {number + 1}", flush=True)
    return normal, target


def solve(normal: np.ndarray, target: np.ndarray) -> np.ndarray:
    filters = np.zeros((36, six.CLASSES, TAPS, 3))
    span = np.arange(-windows.REACH, windows.REACH + 1)
    for place in range(36):
        around = SIX_BY_SIX[np.ix_((place // 6 + span) % 6, (place % 6 + span) % 6)].ravel()
        every, every_target = normal[place].sum(0), target[place].sum(0)
        for q in range(six.CLASSES):
            a = normal[place, q] + SHRINKAGE * every
            b = target[place, q] + SHRINKAGE * every_target
            weight = np.trace(a) * FLAT_WEIGHT
            for colour in range(3):
                f = (around == colour).astype(float)
                wanted = (np.arange(3) == colour) - f.mean()
                f -= f.mean()
                a = a + weight * np.outer(f, f)
                b = b + weight * np.outer(f, wanted)
            a += np.eye(TAPS) * np.trace(every) / TAPS * 1e-6
            filters[place, q] = np.linalg.solve(a, b)
    return filters


if __name__ == "__main__":
    photographs.fetch()
    np.savez_compressed(sys.argv[1], filters=solve(*gather()).astype(np.float16))
