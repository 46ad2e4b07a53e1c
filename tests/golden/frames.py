"""The frames of the corpus: shot once by the simulated camera, kept as files, never made again unless they are missing."""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
import shots

from irvane.core.simulate.demo import scene_light
from irvane.core.simulate.furnace import worker

FRAMES = Path(__file__).parent / "frames"
#: Height and width of a frame, in 12ths: both arrays repeat within it.
_SIZE = (240, 360)


def _scene(name: str, size: tuple[int, int] = _SIZE) -> np.ndarray:
    return np.maximum(scene_light(name, size, 7), 1e-4).astype(np.float32)


def _moved(light: np.ndarray, x: float, y: float) -> np.ndarray:
    shift = np.array([[1, 0, x], [0, 1, y]], np.float64)
    return cv2.warpAffine(light, shift, light.shape[1::-1], borderMode=cv2.BORDER_REFLECT_101)


def make() -> None:
    """Shoot the frames that are not there."""
    FRAMES.mkdir(exist_ok=True)

    def raw(name: str, light: np.ndarray, **how: object) -> None:
        path = FRAMES / f"{name}.dng"
        if not path.exists():
            shots.dng(path, np.ascontiguousarray(light, np.float32), **how)  # type: ignore[arg-type]

    bench, furnace = _scene("bench"), _scene("furnace")
    raw("lamp", bench, iso=3200, seed=11)
    raw("leaves", _scene("window"), iso=800, six=True, seed=12)
    raw("turned", bench, iso=12800, profile=False, orientation=6, seed=13)
    for number, (ev, x, y, stands) in enumerate(
        ((-2, 0, 0, -0.4), (0, 2.2, -1.3, 0.0), (2, -1.6, 2.1, 0.3)), 1
    ):
        light = _moved(worker(furnace, stands), x, y)
        raw(f"hand-{number}", light, iso=200, exposure=2.0**ev, shutter=2.0**ev / 30, seed=20 + number)
    for number, ev in enumerate((-2, 0, 2), 1):
        raw(f"still-{number}", furnace, iso=200, exposure=2.0**ev, shutter=2.0**ev / 30, seed=30 + number)
    wide = cv2.resize(shots.photograph("coffee.png"), (560, 336), interpolation=cv2.INTER_AREA)
    for number, left in enumerate((0, 200), 1):
        raw(f"row-{number}", wide[48:288, left : left + 360], iso=100, seed=40 + number)
    photo = FRAMES / "photo.jpg"
    if not photo.exists():
        coded = np.clip(cv2.resize(wide, _SIZE[::-1], interpolation=cv2.INTER_AREA), 0, 1) ** (1 / 2.2)
        cv2.imwrite(
            str(photo), np.rint(coded[..., ::-1] * 255).astype(np.uint8), [cv2.IMWRITE_JPEG_QUALITY, 90]
        )
