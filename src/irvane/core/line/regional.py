"""Parts of a frame at 1:1, made as they will be in the whole frame: what is seen comes first."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from irvane.core.line.colouring import PERIOD
from irvane.core.line.develop import Developed, colouring_of, denoise_finished_part
from irvane.core.noise import denoise
from irvane.core.noise.denoise import Removal
from irvane.core.noise.reduced import denoise_reduced
from irvane.core.orientation import upright, upright_rect
from irvane.core.pixels.patches import FramePatch
from irvane.core.pixels.places import FrameRegion
from irvane.core.progress import Progress, always
from irvane.core.sensor.padding import Borders
from irvane.core.settings import Sensor


@dataclass(frozen=True)
class _Part:
    """A part of the sensor: half-open ranges of what is wanted, with what its colour depends on, and its
    borders."""

    rows: tuple[int, int]
    columns: tuple[int, int]
    outer_rows: tuple[int, int]
    outer_columns: tuple[int, int]
    borders: Borders

    @property
    def place(self) -> tuple[int, int]:
        """Row and column that it begins at."""
        return self.outer_rows[0], self.outer_columns[0]

    def inner(self, full: np.ndarray) -> np.ndarray:
        """What is wanted of a picture of the larger ranges."""
        top, left = self.outer_rows[0], self.outer_columns[0]
        return full[self.rows[0] - top : self.rows[1] - top, self.columns[0] - left : self.columns[1] - left]


def _part(developed: Developed, region: FrameRegion, reach: int) -> _Part:
    h, w = developed.sensor_extent
    rows, columns = upright_rect(
        (region.top, region.bottom), (region.left, region.right), developed.sensor_extent, developed.flip
    )
    top, left = (max(0, (first - reach) // PERIOD * PERIOD) for first in (rows[0], columns[0]))
    bottom, right = min(h, rows[1] + reach), min(w, columns[1] + reach)
    return _Part(rows, columns, (top, bottom), (left, right), (top == 0, bottom == h, left == 0, right == w))


def denoise_region(
    developed: Developed, settings: Sensor, removal: Removal, region: FrameRegion, progress: Progress = always
) -> FramePatch:
    """The denoised picture of a region at 1:1, as it will be in the whole frame.

    Raises
    ------
    Cancelled
        When `progress` returns False.
    """
    if developed.finished is not None:
        pixels = denoise_finished_part(developed.plain, developed.finished, removal, region)
        return FramePatch(pixels, region.top, region.left, 1.0)
    mosaic, noise = developed.mosaic, developed.noise
    assert mosaic is not None and noise is not None
    colouring = colouring_of(developed, settings, removal)
    part = _part(developed, region, colouring.reach)
    clean = denoise.denoise_mosaic(
        mosaic, noise, developed.gains, removal.strength, rows=part.outer_rows, columns=part.outer_columns,
        method=denoise.method_for(mosaic.cfa, removal.kind, removal.by), progress=progress,
    )  # fmt: skip
    full = colouring.colour(clean, mosaic.data[_both(part)], part.place, part.borders)
    return _patch(developed, part, full, region)


def denoise_view(developed: Developed, removal: Removal, region: FrameRegion) -> FramePatch:
    """A reduced region without noise, made of the reduced plain picture: much sooner there than the whole
    frame.

    The noise of its mosaic must be known.
    """
    assert developed.noise is not None and developed.cfa is not None
    plain = developed.plain.read(region)
    pixels = denoise_reduced(
        plain.pixels, developed.cfa, developed.noise, developed.gains, plain.step, removal.strength
    )
    return replace(plain, pixels=pixels)


def refine_region(developed: Developed, settings: Sensor, region: FrameRegion) -> FramePatch:
    """The refined plain picture of a region at 1:1, as it will be in the whole frame."""
    mosaic = developed.mosaic
    assert mosaic is not None
    colouring = colouring_of(developed, settings, refined=True)
    part = _part(developed, region, colouring.reach)
    around = np.ascontiguousarray(mosaic.data[_both(part)])
    return _patch(developed, part, colouring.colour(around, around, part.place, part.borders), region)


def _both(part: _Part) -> tuple[slice, slice]:
    return slice(*part.outer_rows), slice(*part.outer_columns)


def _patch(developed: Developed, part: _Part, full: np.ndarray, region: FrameRegion) -> FramePatch:
    pixels = upright(np.ascontiguousarray(part.inner(full)), developed.flip)
    return FramePatch(pixels, region.top, region.left, 1.0)
