"""The black level refined: from pixels that see no light, or from the darkest parts of the frame.

Files state black in whole counts. Ten stops under, mid-grey is a few counts above it: a fraction of a count
too much or too little tints the deepest tones.
"""

from __future__ import annotations

import cv2
import numpy as np

from irvane.core.threads import each

#: A measured level further from the stated one than this share of the range is not believed.
_FARTHEST = 0.002
#: Masked pixels that vary more than this share of the range hold something else than darkness.
_WIDEST = 0.005
_FEWEST = 500
#: Pixels per side of the blocks that the darkest is looked for among, and how sure it has to be (standard
#: errors).
_BLOCK = 32
_SURE = 4.0


def refined_black(
    counts: np.ndarray,
    cfa: np.ndarray,
    stated: np.ndarray,
    white: np.ndarray,
    masked: tuple[np.ndarray, np.ndarray] | None,
) -> np.ndarray:
    """Black levels as pixels that see no light have them; without such, never above the darkest part of the
    frame.

    Parameters
    ----------
    counts : uint16 H×W mosaic with the filter pattern `cfa`.
    stated, white : levels of red, green, blue in counts.
    masked : counts and colours of pixels that see no light.
    """
    if masked is not None:
        refined = masked_black(*masked, stated, white)
        if not np.array_equal(refined, stated):
            return refined
    return darkest_black(counts, cfa, stated, white)


def masked_black(
    counts: np.ndarray, colours: np.ndarray, stated: np.ndarray, white: np.ndarray
) -> np.ndarray:
    """Black levels from pixels that see no light.

    Parameters
    ----------
    counts, colours : of the masked pixels, 1-D; colours 0 red, 1 green, 2 blue.
    stated, white : levels of red, green, blue in counts.

    Returns
    -------
    Levels of red, green, blue; the stated one where too few pixels are masked, or what they hold is no
    darkness.
    """
    refined = np.array(stated, float)
    for c in range(3):
        values = counts[colours == c].astype(np.float64)
        if values.size < _FEWEST:
            continue
        middle = np.median(values)
        spread = 1.4826 * np.median(np.abs(values - middle)) + 1.0
        inner = values[np.abs(values - middle) < 4 * spread]
        span = white[c] - stated[c]
        if spread < _WIDEST * span + 1.0 and abs(inner.mean() - stated[c]) < _FARTHEST * span:
            refined[c] = inner.mean()
    return refined


def darkest_black(counts: np.ndarray, cfa: np.ndarray, stated: np.ndarray, white: np.ndarray) -> np.ndarray:
    """Black levels lowered where the darkest part of the frame lies below them: there is no light below none.

    Parameters
    ----------
    counts : uint16 H×W mosaic with the filter pattern `cfa`.
    stated, white : levels of red, green, blue in counts.
    """
    period = cfa.shape[0]
    size = _BLOCK // period * period
    h, w = (side // size * size for side in counts.shape)
    if min(h, w) < size:
        return np.array(stated, float)
    blocks = (w // size, h // size)

    def lowered(c: int) -> float:
        places = np.argwhere(cfa == c)
        means = np.zeros(blocks[::-1], np.float32)
        for j, i in places:
            plane = np.ascontiguousarray(counts[j:h:period, i:w:period])
            means += cv2.resize(plane.astype(np.float32), blocks, interpolation=cv2.INTER_AREA) / len(places)
        y, x = np.unravel_index(np.argmin(means), means.shape)
        block = counts[y * size : (y + 1) * size, x * size : (x + 1) * size]
        values = np.concatenate([block[j::period, i::period].ravel() for j, i in places]).astype(np.float64)
        error = values.std() / np.sqrt(values.size)
        lower = values.mean() + _SURE * error
        return lower if stated[c] - _FARTHEST * (white[c] - stated[c]) < lower < stated[c] else stated[c]

    return np.array(list(each(lowered, range(3))), float)
