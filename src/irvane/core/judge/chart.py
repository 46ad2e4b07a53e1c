"""Finding a chart of patches in a frame: even rectangles of about one size, in rows, at even distances."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from irvane.core.errors import ReadError
from irvane.core.pixels.places import FrameRegion

#: Longer side of the copy that is searched.
_SIDE = 900
#: Patches are this share of the copy's area at least and at most.
_SMALLEST, _LARGEST = 1.2e-4, 0.03
#: Slopes of log2 light (EV per pixel of the copy) beyond which a place is an edge.
_EDGE = 0.08
#: A patch fills this share of the rectangle around it, and the spread inside is at most so many EV.
_FILLED, _EVEN = 0.86, 0.3
#: Sizes and distances within a row differ by this share at most.
_ALIKE = 0.22
_FEWEST = 4
#: Patches in a row that may be missing between two that were found.
_MISSING = 2
#: Share of a patch, around its middle, that is read.
INNER = 0.6


@dataclass(frozen=True)
class ChartPatch:
    """A rectangle of the frame: even light to be measured.

    Attributes
    ----------
    row, column : place in the chart, from 0.
    region : what is read, in upright frame pixels.
    """

    row: int
    column: int
    region: FrameRegion


def _candidates(light: np.ndarray) -> np.ndarray:
    """Even rectangles of a picture (float32 H×W×3): rows of (x, y, width, height)."""
    smooth = cv2.GaussianBlur(light, (0, 0), 1.2)
    # deep tones are noise: there, differences count against a floor
    floor = max(float(np.percentile(smooth, 99)) * 2.0**-8, 1e-6)
    levels = np.log2(np.maximum(smooth, 0) + floor)
    across, down = (cv2.Sobel(levels, cv2.CV_32F, *axis, scale=1 / 8) for axis in ((1, 0), (0, 1)))
    even = (np.hypot(across, down).max(axis=2) < _EDGE).astype(np.uint8)
    _, labels, stats, _ = cv2.connectedComponentsWithStats(even, connectivity=4)
    found = []
    for label, (x, y, w, h, size) in enumerate(stats[1:], 1):
        possible = _SMALLEST * even.size < size < _LARGEST * even.size
        if not possible or size < _FILLED * w * h or max(w, h) > 6 * min(w, h):
            continue
        inside = levels[y : y + h, x : x + w][labels[y : y + h, x : x + w] == label]
        if np.subtract(*np.percentile(inside, (95, 5), axis=0)).max() < _EVEN:
            found.append((x, y, w, h))
    return np.array(found, float).reshape(-1, 4)


def _rows(boxes: np.ndarray) -> list[np.ndarray]:
    """Runs of boxes of one size, side by side at even distances, each from left to right."""
    rows, left = [], list(range(len(boxes)))
    while left:
        seed = boxes[left[0]]
        middle = seed[1] + seed[3] / 2
        same = [
            k
            for k in left
            if abs(boxes[k, 1] + boxes[k, 3] / 2 - middle) < 0.3 * seed[3]
            and np.abs(boxes[k, 2:] / seed[2:] - 1).max() < _ALIKE
        ]
        left = [k for k in left if k not in same]
        rows += _even_runs(boxes[sorted(same, key=lambda k: boxes[k, 0])])
    return [row for row in rows if len(row) >= _FEWEST]


def _even_runs(row: np.ndarray) -> list[np.ndarray]:
    """Parts of a row whose middles lie at the usual distance. One or two patches that are missing, because
    they do not stand out from the paper, are put in; a larger gap ends a part."""
    if len(row) < _FEWEST:
        return []
    middles = row[:, 0] + row[:, 2] / 2
    gaps = np.diff(middles)
    usual = float(np.median(gaps))
    parts, part = [], [row[0]]
    for before, after, gap in zip(row[:-1], row[1:], gaps, strict=True):
        count = round(gap / usual)
        if not 1 <= count <= _MISSING + 1 or abs(gap / (count * usual) - 1) > _ALIKE:
            parts.append(part)
            part = [after]
            continue
        part += [before + (after - before) * k / count for k in range(1, count)]
        part.append(after)
    return [np.array(part) for part in (*parts, part)]


def find_chart(picture: np.ndarray, step: float = 1.0) -> list[ChartPatch]:
    """Patches of a chart, from left to right and from top to bottom; empty when there is none.

    Parameters
    ----------
    picture : scene-linear light of the frame (or a reduced copy), float H×W×3, about upright.
    step : frame pixels per pixel of the picture.
    """
    factor = max(1.0, max(picture.shape[:2]) / _SIDE)
    light = np.ascontiguousarray(picture, np.float32)
    if factor > 1:
        size = (round(light.shape[1] / factor), round(light.shape[0] / factor))
        light = np.asarray(cv2.resize(light, size, interpolation=cv2.INTER_AREA), np.float32)
    boxes = _candidates(light)
    rows = sorted(_rows(boxes), key=lambda row: float(row[:, 1].mean()))
    scale = factor * step
    return [ChartPatch(r, c, _inner(box * scale)) for r, row in enumerate(rows) for c, box in enumerate(row)]


def _inner(box: np.ndarray) -> FrameRegion:
    x, y, w, h = box
    mx, my = w * (1 - INNER) / 2, h * (1 - INNER) / 2
    return FrameRegion(round(y + my), round(x + mx), round(y + h - my), round(x + w - mx))


def marked_chart(area: FrameRegion, rows: int, columns: int) -> list[ChartPatch]:
    """Patches of a chart that was marked by hand: a rectangle, divided evenly."""
    h, w = (area.bottom - area.top) / rows, (area.right - area.left) / columns
    return [
        ChartPatch(r, c, _inner(np.array([area.left + c * w, area.top + r * h, w, h])))
        for r in range(rows)
        for c in range(columns)
    ]


class NoChartError(ReadError):
    """No chart was found in the frames of a ladder."""
