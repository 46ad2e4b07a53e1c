"""The path of a frame that moved while it was exposed, looked for in those of its parts that tell most."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from irvane.core.acutance.blur_cause import SHARP
from irvane.core.acutance.paths import PART, Found, path_from
from irvane.core.line.context import find_edges_of, softness_in
from irvane.core.line.develop import Developed
from irvane.core.line.realise import realise
from irvane.core.line.source import FileSource
from irvane.core.pixels.picture import Picture
from irvane.core.pixels.places import FrameRegion
from irvane.core.progress import Progress, always
from irvane.core.settings import Settings

#: Parts that are asked; light from which a part is clipped, and the share of it that may be.
_ASKED, _CLIPS, _CLIPPED = 3, 0.97, 0.02
_WEIGHTS = np.array([0.25, 0.5, 0.25], np.float32)


def find_path(developed: Developed, progress: Progress = always) -> Found | None:
    """The path, in pixels of the upright frame; None where parts of it do not agree on one, or it did not
    move: its edges are sharp.

    Raises Cancelled.
    """
    soft = softness_in(find_edges_of(developed))
    if soft is not None and soft < SHARP:
        return None
    picture = developed.plain if developed.denoised is None else developed.denoised
    parts = [_plane(picture, developed, place) for place in _places(picture)]
    told = [part for part in parts if part is not None]
    told.sort(key=_texture, reverse=True)
    return path_from(told[:_ASKED], progress) if len(told) >= 2 else None


def path_of_file(path: Path) -> Found | None:
    """The same of a file, denoised first; raises ReadError."""
    developed, _context = realise(FileSource(path), Settings())
    return find_path(developed)


def _places(picture: Picture) -> list[FrameRegion]:
    h, w = picture.shape
    side = min(PART, h, w)
    rows = np.unique(np.linspace(0, h - side, max(2, min(5, h // side))).astype(int))
    columns = np.unique(np.linspace(0, w - side, max(2, min(7, w // side))).astype(int))
    return [FrameRegion(int(y), int(x), int(y) + side, int(x) + side) for y in rows for x in columns]


def _plane(picture: Picture, developed: Developed, place: FrameRegion) -> np.ndarray | None:
    """Square-rooted luminance of a part; None where too much of it is clipped."""
    pixels = picture.read(place).pixels
    if float((pixels.max(axis=2) >= _CLIPS).mean()) > _CLIPPED:
        return None
    luminance = pixels @ (_WEIGHTS * developed.gains.astype(np.float32))
    return np.ascontiguousarray(np.sqrt(np.maximum(luminance, 0)), np.float32)


def _texture(part: np.ndarray) -> float:
    """How much there is in a part that a movement would show in: the middle of its stronger gradients."""
    steps = np.hypot(np.diff(part, axis=0)[:, :-1], np.diff(part, axis=1)[:-1])
    return float(np.quantile(steps, 0.9))
