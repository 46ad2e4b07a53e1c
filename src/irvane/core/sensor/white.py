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
#: Pixels of a colour that make a wall.
_LEAST = 200


def _wall(bright: np.ndarray, black: float, white: float) -> float | None:
    """The count that one colour's bright pixels (sorted) clip at; None where none piles up below the stated
    white."""
    span = white - black
    low = black + _DEEPEST * span
    if bright.size < _LEAST:
        return None
    half = max(_WIDTH * span, _LEAST_WIDTH)
    # single pixels that are broken shine above everything: a few may
    top = bright[-1 - min(bright.size // 100, bright.size - 1)]
    counts, edges = np.histogram(bright, bins=np.arange(low, white + 2 * half, half))
    at = int(np.argmax(counts + np.append(counts[1:], 0)))
    middle = edges[at + 1]
    inside = np.abs(bright - middle) <= half * 1.5
    wall = float(np.median(bright[inside])) if inside.any() else middle
    standing = np.count_nonzero(np.abs(bright - wall) <= half)
    above = np.count_nonzero(bright > wall + half)
    near = np.count_nonzero(bright > wall - 0.01 * span)
    if standing < max(_LEAST, _STANDING * near) or above > _ABOVE * standing or top > wall + half:
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
    side = cfa.shape[0]
    walls: list[float | None] = []
    tops = []
    for colour in range(3):
        low = black[colour] + _DEEPEST * (white[colour] - black[colour])
        places = [counts[y::side, x::side] for y, x in np.argwhere(cfa == colour)]
        bright = np.sort(np.concatenate([place[place > low] for place in places]).astype(np.float64))
        tops.append(float(bright[-5]) if bright.size > 5 else 0.0)
        walls.append(_wall(bright, float(black[colour]), float(white[colour])))
    found = [wall for wall in walls if wall is not None]
    if not found:
        return white
    lowest = min(found)
    lowered = [
        wall if wall is not None else lowest if top <= lowest + _LEAST_WIDTH else stated
        for wall, top, stated in zip(walls, tops, white, strict=True)
    ]
    return np.array(lowered, float)
