"""Photographs that packages ship, split into training and test pictures once and for all.

scikit-image carries a few in its wheel; Debian's mate-backgrounds and the scikit-learn wheel carry more and are
fetched (not installed) into a cache folder by :func:`fetch`. All are free to use and none is copied here.
"""

from __future__ import annotations

import subprocess
import sys
import zipfile
from pathlib import Path

import cv2
import numpy as np
import platformdirs
import skimage.data
from PIL import Image

CACHE = platformdirs.user_cache_path("irvane") / "photographs"
_MATE = "usr/share/backgrounds/mate"
_SMALLEST = 528
_SKLEARN = "sklearn/datasets/images"

TEST = (
    "skimage/coffee.png",
    "skimage/chelsea.png",
    "skimage/astronaut.png",
    "skimage/motorcycle_left.png",
    f"{_MATE}/nature/Garden.jpg",
    f"{_MATE}/nature/TwoWings.jpg",
    f"{_MATE}/nature/Wood.jpg",
    f"{_MATE}/abstract/Elephants_5640x3172.jpg",
)
TRAINING = (
    f"{_SKLEARN}/china.jpg",
    f"{_SKLEARN}/flower.jpg",
    "skimage/rocket.jpg",
    *(
        f"{_MATE}/nature/{name}.jpg"
        for name in (
            "Aqua",
            "Blinds",
            "Dune",
            "GreenMeadow",
            "LadyBird",
            "RainDrops",
            "Storm",
            "YellowFlower",
        )
    ),
)


def fetch() -> None:
    """Fetch the packages that carry the photographs, once."""
    CACHE.mkdir(parents=True, exist_ok=True)
    if not (CACHE / _MATE).exists():
        subprocess.run(["apt-get", "download", "-qq", "mate-backgrounds"], cwd=CACHE, check=True)
        package = next(CACHE.glob("mate-backgrounds*.deb"))
        subprocess.run(["dpkg-deb", "-x", str(package), str(CACHE)], check=True)
        package.unlink()
    if not (CACHE / _SKLEARN).exists():
        pip = [sys.executable, "-m", "pip", "download", "-q", "--no-deps", "-d", str(CACHE), "scikit-learn"]
        subprocess.run(pip, check=True)
        wheel = next(CACHE.glob("scikit_learn*.whl"))
        with zipfile.ZipFile(wheel) as archive:
            archive.extractall(CACHE, [n for n in archive.namelist() if n.startswith(_SKLEARN)])
        wheel.unlink()


def load(name: str, longest: int = 1000) -> np.ndarray:
    """A photograph as linear light, float32 H×W×3 in sRGB primaries, reduced at least 2× against its own JPEG
    and demosaicing traces, then to at most `longest` pixels.

    Small ones are continued by reflection to 528 px a side, since LibRaw's 6×6 method refuses less than 512.
    """
    if name.startswith("skimage/"):
        path = Path(skimage.data.__file__).parent / name.removeprefix("skimage/")
    else:
        path = CACHE / name
    coded = np.asarray(Image.open(path).convert("RGB"), dtype=np.float32) / 255
    linear = np.where(coded <= 0.04045, coded / 12.92, ((coded + 0.055) / 1.055) ** 2.4).astype(np.float32)
    factor = max(2.0, max(linear.shape[:2]) / longest)
    size = (int(linear.shape[1] / factor), int(linear.shape[0] / factor))
    small = cv2.resize(linear, size, interpolation=cv2.INTER_AREA)
    down, right = (max(0, _SMALLEST - side) for side in small.shape[:2])
    return np.pad(small, ((0, down), (0, right), (0, 0)), mode="symmetric")
