"""Sizes of outputs."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from irvane.core.acutance.enlarging import FACTORS, enlarged_extent
from irvane.core.errors import SettingError

#: Ways to say a size; centimetres in an inch, and in the units that paper is measured in; pixels of the
#: smallest and largest side.
FULL, LONG, FIT, PERCENT, PAPER = "full", "long", "fit", "percent", "paper"
MODES = (FULL, LONG, FIT, PERCENT, PAPER)
UNITS = {"cm": 1.0, "in": 2.54}
_INCH, _LEAST, _MOST = 2.54, 8, 60_000


@dataclass(frozen=True)
class Size:
    """How large an output is.

    Attributes
    ----------
    mode : FULL as it is; LONG: the longer side in pixels; FIT: into width × height in pixels; PERCENT of
        every side; PAPER: into width × height in its `unit`, at the resolution of the destination. Of FIT and
        PAPER the orientation is that of the picture.
    values : one or two numbers.
    unit : of paper, ``cm`` or ``in``.
    """

    mode: str = FULL
    values: tuple[float, ...] = ()
    unit: str = "cm"

    @staticmethod
    def parse(text: str) -> Size:
        """``full``, ``2048`` (longer side), ``1920x1080``, ``50%``, ``30x20cm``, ``12x8in``; raises
        SettingError otherwise."""
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

    def of(self, extent: tuple[int, int], ppi: float, most: float = 1.0) -> tuple[int, int]:
        """Height and width of an output, for a picture of that height and width; by PERCENT as said,
        otherwise at most so many times as large along a side."""
        h, w = extent
        if self.mode == FULL:
            return extent
        if self.mode == PERCENT:
            scale = self.values[0] / 100
        elif self.mode == LONG:
            scale = min(most, self.values[0] / max(h, w))
        else:
            dots = UNITS[self.unit] * ppi / _INCH if self.mode == PAPER else 1.0
            long, short = sorted((v * dots for v in self.values), reverse=True)
            scale = min(most, long / max(h, w), short / min(h, w))
        high, wide = (int(np.clip(round(side * scale), _LEAST, _MOST)) for side in (h, w))
        return high, wide


def enlarged_to(
    extent: tuple[int, int], own: str, size: Size, ppi: float, grow: bool
) -> tuple[str, tuple[int, int]]:
    """By which of FACTORS a picture of that height and width is enlarged for an output, and the output's
    height and width after it.

    Parameters
    ----------
    own : the factor of the proof, which is the least. grow : may it be more where the size asks for it, up to
        the largest factor?
    """
    large = enlarged_extent(extent, own)
    wanted = size.of(large, ppi, max(FACTORS.values()) / FACTORS[own] if grow else 1.0)
    if not grow:
        return own, wanted
    enough = [name for name, times in FACTORS.items() if times >= FACTORS[own]]
    fitting = [  # a pixel less comes from rounding
        name
        for name in enough
        if all(a + 1 >= b for a, b in zip(enlarged_extent(extent, name), wanted, strict=True))
    ]
    return (fitting or enough[-1:])[0], wanted


def _checked(size: Size, count: int) -> Size:
    if len(size.values) != count or not all(0 < v <= _MOST for v in size.values):
        raise ValueError
    return size
