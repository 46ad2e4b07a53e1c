"""Photon transfer of a sensor from files: flat and dark frames, two of each exposure."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise
from pathlib import Path
from typing import Any

import numpy as np

from irvane.core.errors import ReadError
from irvane.core.image import Mosaic
from irvane.core.judge.transfer import Point, fit, pair_points
from irvane.core.line.source import MOSAIC, FileSource

_NAMES = ("red", "green", "blue")


def transfer_facts(paths: Sequence[Path]) -> dict[str, Any]:
    """Gain, read noise, saturation and dynamic range of red, green and blue.

    Parameters
    ----------
    paths : frames of one camera at one sensitivity; frames of equal exposure that follow each other are
        pairs.

    Raises
    ------
    ReadError
        When a file is no mosaic, or the frames hold too few pairs.
    """
    frames: list[tuple[Path, Mosaic, tuple[Any, ...], float]] = []
    for path in paths:
        loaded = FileSource(path).load()
        if loaded.entry != MOSAIC or loaded.mosaic is None or loaded.levels is None:
            raise ReadError(path, "photon transfer needs the mosaic of a raw file")
        info = loaded.info
        counts = float(np.mean(loaded.levels[1] - loaded.levels[0]))
        frames.append((path, loaded.mosaic, (info.model, info.iso, info.shutter, info.aperture), counts))
    points: tuple[list[Point], ...] = ([], [], [])
    pairs = []
    taken: set[int] = set()
    for k, ((path, mosaic, key, _), (other, second, same, _)) in enumerate(pairwise(frames)):
        if key != same or k in taken:
            continue
        taken.add(k + 1)
        try:
            found = pair_points(mosaic, second)
        except ValueError as error:
            raise ReadError(other, str(error)) from error
        pairs.append([path.name, other.name])
        for c in range(3):
            points[c].append(found[c])
    facts: dict[str, Any] = {"pairs": pairs}
    for c, name in enumerate(_NAMES):
        try:
            facts[name] = fit(points[c], frames[0][3]).as_dict()
        except ValueError as error:
            raise ReadError(paths[0], str(error)) from error
        facts[name]["points"] = [[p.mean, p.variance] for p in points[c]]
    return facts
