"""Where a sensor really clips: a stated white level above that leaves clipped places coloured.

Light that is clipped piles up at one value with nothing above it. Bright light that is not clipped never
does: its own noise spreads it over half a per cent of white and more (Poisson statistics of some ten thousand
electrons).
"""

from __future__ import annotations

import numpy as np

#: How far below the stated white the wall is looked for, as a share of it, and how far below it must lie.
_DEEPEST, _NEAREST = 0.85, 0.9985
#: Half the width of a wall: share of white, and counts at least.
_WIDTH, _LEAST_WIDTH = 0.0006, 2.0
#: Share of what is brighter than a hundredth below the wall that must stand in it; share that may lie above.
_STANDING, _ABOVE = 0.6, 0.01
#: Pixels of a colour that make a wall; broken ones that may be brighter.
_LEAST, _BROKEN = 200, 4


def _wall(histogram: np.ndarray, black: float, white: float) -> float | None:
    """The count that one colour's pixels clip at; None where none piles up below the stated white.

    Parameters
    ----------
    histogram : how many of its bright pixels have each count.
    """
    span = white - black
    half = max(round(_WIDTH * span), round(_LEAST_WIDTH))
    if histogram.sum() < _LEAST:
        return None
    sums = np.concatenate([[0], np.cumsum(histogram)])

    def between(low: float, high: float) -> int:
        """Pixels of counts from `low` to `high`."""
        first, last = (
            min(max(int(value), 0), len(histogram)) for value in (np.ceil(low), np.floor(high) + 1)
        )
        return int(sums[last] - sums[first])

    # the median of the tallest pile
    wide = 2 * half + 1
    piles = np.convolve(histogram, np.ones(wide, np.int64), "same")
    at = int(np.argmax(piles))
    middle = sums[max(at - half, 0)] + piles[at] / 2
    wall = float(np.searchsorted(sums, middle, "left") - 1)
    standing, above = between(wall - half, wall + half), between(wall + half + 1, len(histogram))
    near = between(wall - 0.01 * span, len(histogram))
    # a few pixels that are broken shine above everything
    if standing < max(_LEAST, _STANDING * near) or above > _ABOVE * standing:
        return None
    return wall if wall < black + _NEAREST * span else None


def clipping_white(counts: np.ndarray, cfa: np.ndarray, black: np.ndarray, white: np.ndarray) -> np.ndarray:
    """White levels, lowered to where the frame's own light piles up.

    Parameters
    ----------
    counts : H×W mosaic. cfa : its pattern. black, white : stated levels of red, green, blue in counts.

    Returns
    -------
    ndarray
        The stated levels themselves where nothing piles up below them. A colour without a wall of its own
        takes the lowest of the others' as long as it never goes beyond it: sensors clip at one count.
    """
    if counts.dtype.kind != "u":
        return white
    side = cfa.shape[0]
    walls: list[float | None] = []
    tops = []
    for colour in range(3):
        low = black[colour] + _DEEPEST * (white[colour] - black[colour])
        places = [counts[y::side, x::side] for y, x in np.argwhere(cfa == colour)]
        histogram = np.bincount(np.concatenate([place[place > low] for place in places]), minlength=1)
        # the brightest but for four, which may be broken
        beyond = np.cumsum(histogram[::-1]) > _BROKEN
        tops.append(float(len(histogram) - 1 - np.argmax(beyond)) if beyond.any() else 0.0)
        walls.append(_wall(histogram, float(black[colour]), float(white[colour])))
    found = [wall for wall in walls if wall is not None]
    if not found:
        return white
    lowest = min(found)
    lowered = [
        wall if wall is not None else lowest if top <= lowest + _LEAST_WIDTH else stated
        for wall, top, stated in zip(walls, tops, white, strict=True)
    ]
    return np.array(lowered, float)
