"""Parts of a frame at 1:1, made as they will be in the whole frame: what is seen comes first."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from irvane.core.image import Mosaic
from irvane.core.line.develop import (
    PERIOD,
    Developed,
    clean_knee,
    denoise_finished_part,
    full_colour,
    is_refined,
    reach_of,
    removed_from,
)
from irvane.core.line.picture import Patch
from irvane.core.noise import denoise
from irvane.core.noise.denoise import Removal
from irvane.core.noise.reduced import denoise_reduced
from irvane.core.orientation import upright, upright_rect
from irvane.core.places import Region
from irvane.core.progress import Progress, always
from irvane.core.sensor.encoding import knee_for
from irvane.core.sensor.padding import Borders
from irvane.core.sensor.unclip import unclipped
from irvane.core.settings import Sensor


@dataclass(frozen=True)
class _Part:
    """A part of the sensor: half-open ranges of what is wanted, with what its colour depends on, and its borders."""

    rows: tuple[int, int]
    columns: tuple[int, int]
    outer_rows: tuple[int, int]
    outer_columns: tuple[int, int]
    borders: Borders

    def inner(self, full: np.ndarray) -> np.ndarray:
        """What is wanted of a picture of the larger ranges."""
        top, left = self.outer_rows[0], self.outer_columns[0]
        return full[self.rows[0] - top : self.rows[1] - top, self.columns[0] - left : self.columns[1] - left]


def _part(developed: Developed, region: Region, reach: int) -> _Part:
    h, w = developed.sensor_extent
    rows, columns = upright_rect(
        (region.top, region.bottom), (region.left, region.right), developed.sensor_extent, developed.flip
    )
    top, left = (max(0, (first - reach) // PERIOD * PERIOD) for first in (rows[0], columns[0]))
    bottom, right = min(h, rows[1] + reach), min(w, columns[1] + reach)
    return _Part(rows, columns, (top, bottom), (left, right), (top == 0, bottom == h, left == 0, right == w))


def denoise_region(
    developed: Developed, settings: Sensor, removal: Removal, region: Region, progress: Progress = always
) -> Patch:
    """The denoised picture of a region at 1:1, as it will be in the whole frame.

    Raises
    ------
    Cancelled
        When `progress` returns False.
    """
    if developed.finished is not None:
        pixels = denoise_finished_part(developed.plain, developed.finished, removal, region)
        return Patch(pixels, region.top, region.left, 1.0)
    mosaic, noise = developed.mosaic, developed.noise
    assert mosaic is not None and noise is not None
    refined = is_refined(mosaic.cfa, settings, removal)
    part = _part(developed, region, reach_of(mosaic.cfa, settings, refined, True))
    clean = denoise.denoise_mosaic(
        mosaic, noise, developed.gains, removal.strength, rows=part.outer_rows, columns=part.outer_columns,
        method=denoise.method_for(mosaic.cfa, removal.kind, removal.by), progress=progress,
    )  # fmt: skip
    removed = removed_from(mosaic.data[_both(part)], Mosaic(clean, mosaic.cfa), noise, removal)
    full = full_colour(
        _raised(developed, part, Mosaic(clean, mosaic.cfa), removed.held),
        developed.gains,
        clean_knee(noise),
        settings,
        refined,
        removed,
        part.borders,
    )
    return _patch(developed, part, full, region)


def denoise_view(developed: Developed, removal: Removal, region: Region) -> Patch:
    """A reduced region without noise, made of the reduced plain picture: much sooner there than the whole frame.

    The noise of its mosaic must be known.
    """
    assert developed.noise is not None and developed.cfa is not None
    plain = developed.plain.read(region)
    pixels = denoise_reduced(
        plain.pixels, developed.cfa, developed.noise, developed.gains, plain.step, removal.strength
    )
    return replace(plain, pixels=pixels)


def refine_region(developed: Developed, settings: Sensor, region: Region) -> Patch:
    """The refined plain picture of a region at 1:1, as it will be in the whole frame."""
    mosaic, noise = developed.mosaic, developed.noise
    assert mosaic is not None and noise is not None
    part = _part(developed, region, reach_of(mosaic.cfa, settings, True, False))
    around = Mosaic(np.ascontiguousarray(mosaic.data[_both(part)]), mosaic.cfa)
    around = _raised(developed, part, around, around.data)
    full = full_colour(around, developed.gains, knee_for(noise.read[1]), settings, True, None, part.borders)
    return _patch(developed, part, full, region)


def _raised(developed: Developed, part: _Part, mosaic: Mosaic, before: np.ndarray) -> Mosaic:
    assert developed.lent is not None
    return unclipped(
        mosaic, before, developed.gains, developed.lent, part.outer_rows[0], part.outer_columns[0]
    )


def _both(part: _Part) -> tuple[slice, slice]:
    return slice(*part.outer_rows), slice(*part.outer_columns)


def _patch(developed: Developed, part: _Part, full: np.ndarray, region: Region) -> Patch:
    pixels = upright(np.ascontiguousarray(part.inner(full)), developed.flip)
    return Patch(pixels, region.top, region.left, 1.0)
