"""Does Irvane handle a file rightly? A quick development of each, held against the camera's own preview."""

from __future__ import annotations

import time
from dataclasses import dataclass, replace
from pathlib import Path

import cv2
import numpy as np

from irvane.core.errors import IrvaneError
from irvane.core.files.thumbnails import preview
from irvane.core.image import LUMA_2020, Mosaic
from irvane.core.line.context import make_context
from irvane.core.line.develop import Developed, quick
from irvane.core.line.realise import developed_only, realise
from irvane.core.line.source import MOSAIC, FileSource, Loaded
from irvane.core.line.view import render_view
from irvane.core.pixels.places import OutputRegion
from irvane.core.settings import Settings, bare

#: Side of the piece that is developed in full, in pixels; it begins at a whole period of every array.
_PIECE, _PERIOD = 768, 12
_SIDE = 128
#: Shapes may differ by this share: previews are often cropped by a few pixels.
_SHAPE = 0.03
_LIKENESS = 0.6
#: Share of pixels far below black (in read noises) from which the black level is in doubt.
_BELOW, _BELOW_SIGMAS = 0.001, 8.0
#: Median distance of two values of the lower half of a normal distribution, in standard deviations; share of
#: pixels that hold nothing up to which they are taken for dead ones and masked rims.
_HALF_NORMAL, _DEAD = 0.532, 0.02


@dataclass(frozen=True)
class Finding:
    """What came of one file: `problems` is empty when all is well."""

    path: Path
    kind: str
    size: tuple[int, int]
    problems: tuple[str, ...]
    notes: tuple[str, ...]
    seconds: float


def _piece(loaded: Loaded) -> Loaded:
    """The middle of a mosaic, beginning at a whole period of its array."""
    assert loaded.mosaic is not None
    data = loaded.mosaic.data
    top, left = (max(0, (side - _PIECE) // 2) // _PERIOD * _PERIOD for side in data.shape)
    part = np.ascontiguousarray(data[top : top + _PIECE, left : left + _PIECE])
    return replace(loaded, mosaic=Mosaic(part, loaded.mosaic.cfa))


def _finite(developed: Developed) -> bool:
    return bool(np.isfinite(developed.plain.read_all()).all())


def _level_problems(loaded: Loaded) -> list[str]:
    """Is the black level in doubt? Dead pixels, which hold nothing at all, and the noise of the darkest
    places itself are none."""
    if loaded.mosaic is None or loaded.noise is None:
        return []
    data, period = loaded.mosaic.data, len(loaded.mosaic.cfa)
    first, second = data[:, :-period:3], data[:, period::3]
    dark = (first < 0) & (second < 0)
    # pairs below black alone: their differences are those of the lower half of the noise
    spread = float(np.median(np.abs(first[dark] - second[dark]))) / _HALF_NORMAL if dark.any() else 0.0
    sample = data[::3, ::3]
    if loaded.levels is not None:
        black, white = (np.asarray(level, float) for level in loaded.levels)
        nothing = float(np.max(-black / (white - black) + 0.5 / (white - black)))
        empty = sample <= nothing
        if float(empty.mean()) < _DEAD:
            sample = sample[~empty]
    limit = -_BELOW_SIGMAS * max(*loaded.noise.read, spread)
    if sample.size and float((sample < limit).mean()) > _BELOW:
        return ["many pixels lie far below black: the black level may be wrong"]
    return []


def _likeness(first: np.ndarray, second: np.ndarray) -> float:
    """Correlation of two small grey pictures of one size, blurred against noise and sharpening."""
    a, b = (cv2.GaussianBlur(p.astype(np.float32), (0, 0), 1.5) for p in (first, second))
    if min(a.std(), b.std()) < 1.0:  # of 255: nothing to compare
        return 1.0
    return float(np.corrcoef(a.ravel(), b.ravel())[0, 1])


def _preview_problems(path: Path, developed: Developed) -> list[str]:
    try:
        shown = preview(path, 512)
    except IrvaneError:
        return []
    h, w = developed.extent
    ph, pw = shown.pixels.shape[:2]
    if abs(np.log((w / h) / (pw / ph))) > _SHAPE:
        return [f"its shape of {w} × {h} is not that of the camera's preview ({pw} × {ph})"]
    settings = replace(bare(), sensor=Settings().sensor)
    region = OutputRegion(0, 0, h, w, max(1.0, max(h, w) / _SIDE))
    own = render_view(developed, settings, make_context(developed, 512), region).pixels[..., :3]
    size = (_SIDE, _SIDE)
    grey = [
        cv2.resize(np.ascontiguousarray(p), size, interpolation=cv2.INTER_AREA) @ LUMA_2020
        for p in (own, shown.pixels[..., :3])
    ]
    if _likeness(*grey) < _LIKENESS:
        return ["it does not look like the camera's own preview"]
    return []


def check_file(path: Path) -> Finding:
    """Decode a file, develop it small and a piece of it in full, and say what is wrong."""
    start = time.perf_counter()
    try:
        loaded = FileSource(path).load()
        if loaded.entry == MOSAIC:
            developed = quick(loaded)
            piece, _ = realise(_piece(loaded), Settings().with_value("noise.amount", 0))
            whole = _finite(developed) and _finite(piece)
        else:
            developed, _ = developed_only(loaded, Settings())
            whole = _finite(developed)
        problems = [] if whole else ["some of its pixels are no numbers"]
        problems += _level_problems(loaded) + _preview_problems(path, developed)
    except IrvaneError as error:
        return Finding(path, "", (0, 0), (str(error),), (), time.perf_counter() - start)
    h, w = developed.extent
    return Finding(path, loaded.entry, (w, h), tuple(problems), loaded.notes, time.perf_counter() - start)
