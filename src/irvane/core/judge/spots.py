"""Judging spots: places of a frame that tell most about noise, detail and tone, proposed by what they
hold."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import cv2
import numpy as np

from irvane.core.files.thumbnails import Preview
from irvane.core.image import LUMA_2020
from irvane.core.judge.chart import find_chart
from irvane.core.judge.edge import edge_figures
from irvane.core.line.even_place import evenest

#: Longer side of the copy that is searched, and the side of a block in its pixels.
_SIDE, _BLOCK = 1200, 32
#: Light at which a block counts as gone (scene-linear; paper white is 2.9), and the floor of log2 light.
_GONE, _FLOOR = 2.8, 2.0**-11
#: A block is a straight edge, or lettering, when its gradients agree more, or less, than this (structure
#: tensor).
_STRAIGHT, _TANGLED = 0.85, 0.6
_MARGIN = 1
#: EV of fine detail from which a block has texture; EV below the middle of the frame from which one is dark.
_FINE, _DARK = 0.02, 1.0
#: Candidates for an edge that are looked at closely, and pixels around a block that are looked at.
_TRIED, _RIM = 24, 8
#: Side of an even cell in frame pixels, and in pixels of the copy at least; frame pixels that are averaged
#: along a side before evenness is looked for.
_EVEN, _LEAST_CELL, _QUIET = 32, 6, 4.0
#: EV by which paper is uneven at most, and changes from ink to paper in a line of a block (of a fifth of
#: its lines) at least.
_EVEN_PAPER, _STROKES = 0.12, 4


@dataclass(frozen=True)
class Spot:
    """A place worth looking at.

    Attributes
    ----------
    kind : what it holds: texture, edge, smooth, dark, bright, lettering or patches.
    x, y : its middle, as shares of the frame's width and height.
    """

    kind: str
    x: float
    y: float


#: Kinds in the order they are stepped through: the most telling first.
KINDS = ("texture", "edge", "dark", "smooth", "bright", "lettering", "patches")


def _blocks(plane: np.ndarray) -> np.ndarray:
    """Means of blocks."""
    h, w = (side // _BLOCK for side in plane.shape)
    cut = plane[: h * _BLOCK, : w * _BLOCK]
    return np.asarray(cv2.resize(cut, (w, h), interpolation=cv2.INTER_AREA), np.float64)


def find_spots(picture: np.ndarray, step: float = 1.0) -> list[Spot]:
    """Judging spots of a frame, the most telling first; kinds that are not there are left out.

    Parameters
    ----------
    picture : scene-linear light of the whole frame or a reduced copy, float H×W×3.
    step : frame pixels per pixel of the picture (for the search of a chart).
    """
    factor = max(1.0, max(picture.shape[:2]) / _SIDE)
    size = (max(1, round(picture.shape[1] / factor)), max(1, round(picture.shape[0] / factor)))
    small = cv2.resize(picture, size, interpolation=cv2.INTER_AREA) if factor > 1 else picture
    light = np.ascontiguousarray(small @ LUMA_2020, np.float32)
    if min(light.shape) < 4 * _BLOCK:
        return []
    levels = np.log2(np.maximum(light, _FLOOR))
    detail = np.abs(levels - cv2.GaussianBlur(levels, (0, 0), 2.0))
    across, down = (
        cv2.Sobel(levels, cv2.CV_32F, 1, 0, scale=1 / 8),
        cv2.Sobel(levels, cv2.CV_32F, 0, 1, scale=1 / 8),
    )
    xx, yy, xy = (_blocks(p) for p in (across * across, down * down, across * down))
    energy = xx + yy
    agreement = np.hypot(xx - yy, 2 * xy) / np.maximum(energy, 1e-9)
    mean, fine = _blocks(levels), _blocks(detail)
    spread = _blocks(np.sqrt(detail)) ** 2  # what is all over a block counts more than one strong line
    gone = _blocks((light > _GONE).astype(np.float32)) > 0.02
    inside = np.zeros(mean.shape, bool)
    inside[_MARGIN:-_MARGIN, _MARGIN:-_MARGIN] = True
    usable = inside & ~gone & (mean > np.log2(_FLOOR) + 1.5)
    if not usable.any():
        return []
    low, middling, high = np.percentile(mean[usable], (12, 50, 92))
    middle = usable & (mean > low) & (mean < high)
    scores = {
        "texture": np.where(middle & (agreement < _TANGLED) & (spread > _FINE), spread, 0),
        "edge": np.where(middle & (agreement > _STRAIGHT), energy, 0),
        "dark": np.where(usable & (mean <= low) & (mean < middling - _DARK), fine, 0),
        "bright": np.where(usable & (mean >= high), fine + 0.01, 0),
        # ink on paper: fine, tangled, mostly bright with dark strokes
        "lettering": np.where(usable & (agreement < _TANGLED), _strokes(levels, mean) * fine, 0),
    }
    scores["edge"] = _straight(scores["edge"], light)
    spots = [_best(kind, score, light.shape) for kind, score in scores.items() if score.max() > 0]
    averaged, cell = _averaged(light, step * factor)
    even = evenest(averaged, cell)
    if even is not None:
        spots.append(Spot("smooth", even[1] / averaged.shape[1], even[0] / averaged.shape[0]))
    patches = find_chart(picture, step)
    if patches:
        h, w = picture.shape[0] * step, picture.shape[1] * step
        region = patches[len(patches) // 2].region
        spots.append(
            Spot("patches", (region.left + region.right) / 2 / w, (region.top + region.bottom) / 2 / h)
        )
    return sorted(spots, key=lambda spot: KINDS.index(spot.kind))


def _averaged(light: np.ndarray, step: float) -> tuple[np.ndarray, int]:
    """Light in which noise is a quarter, and the side of a cell there; `step`: frame pixels per pixel."""
    if step >= _QUIET:
        return light, max(_LEAST_CELL, round(_EVEN / step))
    size = (max(1, round(light.shape[1] * step / _QUIET)), max(1, round(light.shape[0] * step / _QUIET)))
    return cv2.resize(light, size, interpolation=cv2.INTER_AREA), round(_EVEN / _QUIET)


def _straight(score: np.ndarray, light: np.ndarray) -> np.ndarray:
    """Only the strongest block through which one straight edge leads, as its figures need it; where there is
    none, all as they are."""
    only = np.zeros_like(score)
    for place in np.argsort(score, axis=None)[::-1][:_TRIED]:
        row, column = np.unravel_index(int(place), score.shape)
        if score[row, column] <= 0:
            break
        top, left = max(row * _BLOCK - _RIM, 0), max(column * _BLOCK - _RIM, 0)
        part = light[top : row * _BLOCK + _BLOCK + _RIM, left : column * _BLOCK + _BLOCK + _RIM]
        try:
            edge_figures(part)
        except ValueError:
            continue
        only[row, column] = score[row, column]
        return only
    return score


def _strokes(levels: np.ndarray, mean: np.ndarray) -> np.ndarray:
    """How much each block looks like dark strokes on bright, even paper: share of paper × depth of the ink, 0
    elsewhere."""
    h, w = mean.shape
    blocks = levels[: h * _BLOCK, : w * _BLOCK].reshape(h, _BLOCK, w, _BLOCK).swapaxes(1, 2).reshape(h, w, -1)
    ink, paper = np.percentile(blocks, (5, 75), axis=2)
    on_paper = np.abs(blocks - paper[..., None]) < 0.25
    near = on_paper.mean(axis=2)
    depth = paper - ink
    # paper is even, and letters are many: the eye goes from ink to paper and back several times in a line
    off = np.where(on_paper, blocks - paper[..., None], 0)
    uneven = np.sqrt((off**2).sum(axis=2) / np.maximum(on_paper.sum(axis=2), 1))
    dark = (blocks < ((ink + paper) / 2)[..., None]).reshape(*blocks.shape[:2], _BLOCK, _BLOCK)
    across = np.sort((dark[..., 1:] != dark[..., :-1]).sum(axis=3), axis=2)[..., _BLOCK * 4 // 5]
    found = (near > 0.5) & (depth > 0.8) & (uneven < _EVEN_PAPER) & (across >= _STROKES)
    return np.where(found, near * depth, 0)


def _best(kind: str, score: np.ndarray, shape: tuple[int, ...]) -> Spot:
    row, column = np.unravel_index(int(np.argmax(score)), score.shape)
    return Spot(kind, float((column + 0.5) * _BLOCK / shape[1]), float((row + 0.5) * _BLOCK / shape[0]))


#: Blocks of a preview that are compared, and the brightness (encoded, 0…1) that a first probe looks for.
_CELL, _DARKEST, _BRIGHTEST = 8, 0.2, 0.8
#: Weight of the wider surroundings.
_WIDER = 0.3


@lru_cache(maxsize=8)
def even_place_of(preview: Preview) -> tuple[float, float]:
    """:func:`even_place` of an embedded preview."""
    return even_place(preview.small)


def even_place(pixels: np.ndarray) -> tuple[float, float]:
    """The most even place of middle brightness in a small preview (uint8 H×W×3), as shares of its width and
    height.

    Noise is read there; the middle of the frame when nothing is even.
    """
    grey = np.ascontiguousarray(pixels.astype(np.float32).mean(axis=2) / 255)
    h, w = (side // _CELL for side in grey.shape)
    if min(h, w) < 5:
        return 0.5, 0.5
    cut = grey[: h * _CELL, : w * _CELL]
    mean, square = (cv2.resize(p, (w, h), interpolation=cv2.INTER_AREA) for p in (cut, cut * cut))
    # a cell counts as uneven as its surroundings; of equals, what lies amid an even area is best
    alone = np.sqrt(np.maximum(square - mean**2, 0))
    spread = cv2.dilate(alone, np.ones((3, 3), np.uint8)) + _WIDER * cv2.dilate(
        alone, np.ones((7, 7), np.uint8)
    )
    usable = (mean > _DARKEST) & (mean < _BRIGHTEST)
    usable[[0, -1]] = usable[:, [0, -1]] = False
    if not usable.any():
        return 0.5, 0.5
    row, column = np.unravel_index(int(np.argmin(np.where(usable, spread, np.inf))), spread.shape)
    return float((column + 0.5) * _CELL / grey.shape[1]), float((row + 0.5) * _CELL / grey.shape[0])
