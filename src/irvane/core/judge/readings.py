"""What was read of pictures, and the figures that come of it: the records of a comparison."""

from __future__ import annotations

import math
from collections.abc import Hashable, Sequence
from dataclasses import dataclass

import numpy as np

from irvane.core.image import LUMA_709
from irvane.core.judge.figures import WholeFigures
from irvane.core.judge.place import PlaceFigures
from irvane.core.judge.rows import Row
from irvane.core.judge.scene_place import ScenePlace
from irvane.core.judge.tone_relation import relative_slope


@dataclass(frozen=True)
class Reading:
    """All that was read of one picture.

    Attributes
    ----------
    place : under the probe; None while it is not there.
    spots : at judging spots, by their kind.
    nodes : its light all over the scene, see :mod:`irvane.core.judge.tone_relation`.
    whole : of the whole picture. range : dynamic range of its sensor in stops.
    size : bytes of its file.
    frame : what tells its frame from others; of one frame the noise is the same.
    """

    place: PlaceFigures | None = None
    spots: tuple[tuple[str, PlaceFigures], ...] = ()
    nodes: np.ndarray | None = None
    whole: WholeFigures | None = None
    range: float | None = None
    size: int | None = None
    frame: Hashable = None

    def spot(self, kind: str) -> PlaceFigures | None:
        """What was read at a kind of spot."""
        return dict(self.spots).get(kind)


@dataclass(frozen=True)
class Figure:
    """One figure of one picture.

    Attributes
    ----------
    value : None where words stand instead. error : its standard error.
    expected : it was not measured here but is what the frame's noise model lets expect.
    difference : from the reference, in the same unit; None for the reference and where there is none.
    difference_error : its standard error. alike : is it too small to be seen, or to be sure of?
    """

    value: float | None
    error: float = 0.0
    words: str = ""
    expected: bool = False
    difference: float | None = None
    difference_error: float = 0.0
    alike: bool = True


@dataclass(frozen=True)
class Line:
    """A row with its figures, one for each picture (None: it has none); `note`: where or of what they are."""

    row: Row
    figures: tuple[Figure | None, ...]
    note: str = ""

    @property
    def empty(self) -> bool:
        """Is there nothing in it?"""
        return not any(figure is not None for figure in self.figures)


@dataclass(frozen=True)
class SideBySide:
    """Figures of several pictures.

    Attributes
    ----------
    reference : the picture that the others are held against.
    place : what the place under the probe is. lines : by the keys of ROWS.
    detail : key of the line that tells detail best; empty where none does.
    even : noise at the even judging spot, where the place itself is not even; empty where it is.
    """

    reference: int
    place: ScenePlace | None
    lines: dict[str, Line]
    detail: str = ""
    even: tuple[Figure | None, ...] = ()

    def figure(self, key: str, picture: int) -> Figure | None:
        """One figure."""
        line = self.lines.get(key)
        return None if line is None else line.figures[picture]


def slopes(
    readings: Sequence[Reading | None],
    reference: int,
    places: Sequence[PlaceFigures | None],
    as_shown: bool,
) -> list[float]:
    """How steeply each picture passes on differences of the scene's light at a place: of raws as their
    stations (and, as they are shown, the rendering) do; of finished pictures, whose own curve is not known,
    as they do against a raw beside them, or else against the reference."""
    order = [reference, *(k for k in range(len(readings)) if k != reference)]
    there = [k for k in order if places[k] is not None and readings[k] is not None]
    raws = [k for k in there if (p := places[k]) is not None and not p.finished]
    base = next(iter(raws or there), None)
    return [
        1.0 if place is None else _slope_of(one, place, readings, places, base, as_shown)
        for one, place in zip(readings, places, strict=True)
    ]


def _slope_of(
    one: Reading | None, place: PlaceFigures, readings: Sequence[Reading | None],
    places: Sequence[PlaceFigures | None], base: int | None, as_shown: bool,
) -> float:  # fmt: skip
    own = place.shown_slope if as_shown else place.slope
    if one is None or base is None or not place.finished:
        return own
    first, there = readings[base], places[base]
    if first is None or there is None or first.frame == one.frame or first.nodes is None or one.nodes is None:
        return own
    level = math.log2(max(float((place.shown @ LUMA_709).mean()), 1e-9))
    relative = relative_slope(one.nodes, first.nodes, level)
    return own if relative is None else relative * there.shown_slope
