"""Photographs that packages ship, split into training and test pictures once and for all.

scikit-image carries a few in its wheel; some packages of Debian and the scikit-learn wheel carry more and are
fetched (not installed) into a cache folder: those of the test pictures by :func:`fetch`, those that only training needs by
:func:`fetch_more`. All are free to use and none is copied here.
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
_SHARE, _PLASMA = "usr/share/backgrounds", "usr/share/wallpapers"
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
    *(
        f"{_SHARE}/{name}.jpg"
        for name in (
            "Bridge_by_Sander_Klootwijk",
            "Dragonfly_by_Bolly",
            "Picture_0B_by_freespace",
            "Picture_1A_by_freespace",
            "Wine_by_Jakkub_Mede",
            "aitzgorri_by_Aitzol_Berasategi",
            "free_by_Peter_Nerlich",
            "friends_by_Aitzol_Berasategi",
            "greentock_by_Peter_Nerlich",
            "life_by_Aitzol_Berasategi",
            "picosdeeuropa_by_Aitzol_Berasategi",
            "seeding_by_Clements_Engelhardt",
            "sunset_by_Aitzol_Berasategi",
            "Kleiber_by_Lukas_Baubkus",
        )
    ),
    *(
        f"{_PLASMA}/{name}/contents/images/2560x1600.jpg"
        for name in (
            "BytheWater",
            "ColdRipple",
            "ColorfulCups",
            "EveningGlow",
            "FallenLeaf",
            "Grey",
            "Kite",
            "OneStandsOut",
            "Path",
        )
    ),
)
#: Debian packages that only training needs.
_MORE = ("lomiri-wallpapers-16.04", "lomiri-wallpapers-20.04", "plasma-workspace-wallpapers")


def _fetch_package(name: str) -> None:
    """Fetch a package of Debian and lay out its files in the cache folder."""
    subprocess.run(["apt-get", "download", "-qq", name], cwd=CACHE, check=True)
    package = next(CACHE.glob(f"{name}_*.deb"))
    subprocess.run(["dpkg-deb", "-x", str(package), str(CACHE)], check=True)
    package.unlink()


def fetch_more() -> None:
    """Fetch all that :func:`fetch` does, and the packages that only training needs, once."""
    fetch()
    if any(not (CACHE / name).exists() for name in TRAINING if name.startswith("usr/")):
        for name in _MORE:
            _fetch_package(name)


def fetch() -> None:
    """Fetch the packages that carry the test photographs, once."""
    CACHE.mkdir(parents=True, exist_ok=True)
    if not (CACHE / _MATE).exists():
        _fetch_package("mate-backgrounds")
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
