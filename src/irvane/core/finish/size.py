"""Sizes of outputs, and resizing by a windowed sinc, band by band."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass

import numpy as np
from scipy import sparse

from irvane.core.errors import SettingError

#: Ways to say a size; centimetres in an inch, and in the units that paper is measured in; pixels of the smallest and largest side; half width of the filter in output pixels.
FULL, LONG, FIT, PERCENT, PAPER = "full", "long", "fit", "percent", "paper"
MODES = (FULL, LONG, FIT, PERCENT, PAPER)
UNITS = {"cm": 1.0, "in": 2.54}
_INCH, _LEAST, _MOST, _LOBES = 2.54, 8, 60_000, 3.0


@dataclass(frozen=True)
class Size:
    """How large an output is.

    Attributes
    ----------
    mode : FULL as it is; LONG: the longer side in pixels; FIT: into width × height in pixels; PERCENT of every side; PAPER:
        into width × height in its `unit`, at the resolution of the destination. Of FIT and PAPER the orientation is that of
        the picture.
    values : one or two numbers.
    unit : of paper, ``cm`` or ``in``.
    """

    mode: str = FULL
    values: tuple[float, ...] = ()
    unit: str = "cm"

    @staticmethod
    def parse(text: str) -> Size:
        """``full``, ``2048`` (longer side), ``1920x1080``, ``50%``, ``30x20cm``, ``12x8in``; raises SettingError otherwise."""
        word = text.strip().lower()
        try:
            if word in ("", FULL):
                return Size()
            if word[-2:] in UNITS:
                sides = word[:-2].replace(",", ".").split("x")
                return _checked(Size(PAPER, tuple(float(v) for v in sides), word[-2:]), 2)
            if word.endswith("%"):
                return _checked(Size(PERCENT, (float(word[:-1]),)), 1)
            if "x" in word:
                return _checked(Size(FIT, tuple(float(v) for v in word.split("x"))), 2)
            return _checked(Size(LONG, (float(word),)), 1)
        except ValueError:
            raise SettingError(
                f"“{text}” is no size; say full, 2048 (longer side), 1920x1080, 50%, 30x20cm or 12x8in."
            ) from None

    def words(self) -> str:
        """As :meth:`parse` reads it."""
        numbers = "x".join(f"{v:g}" for v in self.values)
        return {
            FULL: FULL,
            LONG: numbers,
            FIT: numbers,
            PERCENT: f"{numbers}%",
            PAPER: f"{numbers}{self.unit}",
        }[self.mode]

    def of(self, extent: tuple[int, int], ppi: float) -> tuple[int, int]:
        """Height and width of an output, for a picture of that height and width; never larger than the picture but by PERCENT."""
        h, w = extent
        if self.mode == FULL:
            return extent
        if self.mode == PERCENT:
            scale = self.values[0] / 100
        elif self.mode == LONG:
            scale = min(1.0, self.values[0] / max(h, w))
        else:
            dots = UNITS[self.unit] * ppi / _INCH if self.mode == PAPER else 1.0
            long, short = sorted((v * dots for v in self.values), reverse=True)
            scale = min(1.0, long / max(h, w), short / min(h, w))
        high, wide = (int(np.clip(round(side * scale), _LEAST, _MOST)) for side in (h, w))
        return high, wide


def _checked(size: Size, count: int) -> Size:
    if len(size.values) != count or not all(0 < v <= _MOST for v in size.values):
        raise ValueError
    return size


def _weights(before: int, after: int) -> sparse.csr_matrix:
    """after×before: weights of a sinc windowed by its own main lobe (Duchon 1979), wider where the picture is reduced."""
    scale = max(before / after, 1.0)
    centre = (np.arange(after) + 0.5) * before / after - 0.5
    reach = int(np.ceil(_LOBES * scale))
    index = np.floor(centre)[:, None].astype(int) + np.arange(-reach, reach + 1)[None, :]
    distance = (index - centre[:, None]) / scale
    values = np.where(np.abs(distance) < _LOBES, np.sinc(distance) * np.sinc(distance / _LOBES), 0.0)
    values /= values.sum(axis=1, keepdims=True)
    mirrored = np.where(index < 0, -1 - index, index)
    mirrored = np.clip(np.where(mirrored >= before, 2 * before - 1 - mirrored, mirrored), 0, before - 1)
    rows = np.repeat(np.arange(after), index.shape[1])
    made = sparse.csr_matrix(
        (values.ravel().astype(np.float32), (rows, mirrored.ravel())), shape=(after, before)
    )
    made.sum_duplicates()
    return made


def resized(
    bands: Iterable[np.ndarray], before: tuple[int, int], after: tuple[int, int]
) -> Iterator[np.ndarray]:
    """A picture in bands of rows (float32 rows×width×3, linear light), resized; nothing is held whole.

    `before` and `after` are heights and widths.
    """
    across, down = _weights(before[1], after[1]), _weights(before[0], after[0])
    lowest = np.minimum.reduceat(down.indices, down.indptr[:-1])
    highest = np.maximum.reduceat(down.indices, down.indptr[:-1])
    kept: list[np.ndarray] = []
    top = bottom = made = 0
    for band in bands:
        rows = band.shape[0]
        turned = np.ascontiguousarray(band.transpose(1, 0, 2)).reshape(before[1], rows * 3)
        narrow = (across @ turned).reshape(after[1], rows, 3).transpose(1, 0, 2)
        kept.append(np.ascontiguousarray(narrow).reshape(rows, -1))
        bottom += rows
        ready = made
        while ready < after[0] and highest[ready] < bottom:
            ready += 1
        if ready == made:
            continue
        held = np.concatenate(kept)
        out = down[made:ready, top:bottom] @ held
        yield np.ascontiguousarray(out.reshape(ready - made, after[1], 3), np.float32)
        made = ready
        if made < after[0]:
            begin = int(lowest[made:].min())
            kept, top = [held[begin - top :]], begin
