"""What was measured of a lens in a frame."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from irvane.core.pixels.radial import DISTANCES

#: Pieces of contours needed at least.
FEWEST = 40
#: Shifts in the corner below which nothing is corrected by itself (pixels), and how many standard errors they
#: must exceed.
_LEAST, _SURE = 0.25, 5.0


@dataclass(frozen=True)
class Aberration:
    """Shift of red and blue against green.

    Attributes
    ----------
    red, blue : terms: the place of a colour lies at the distance r·(1 + first + second·r²), r in half
        diagonals.
    corner : shifts of red and blue in the corner, pixels; outwards positive.
    error : standard errors of these, pixels.
    windows : how many pieces of contours it was measured from.
    """

    red: tuple[float, float]
    blue: tuple[float, float]
    corner: tuple[float, float]
    error: tuple[float, float]
    windows: int

    @property
    def sure(self) -> bool:
        """Is there certainly an aberration worth correcting?"""
        pairs = zip(self.corner, self.error, strict=True)
        return self.windows >= FEWEST and any(abs(c) >= max(_LEAST, _SURE * e) for c, e in pairs)

    def ratios(self) -> np.ndarray:
        """3×entries over DISTANCES: place of each colour over that of green."""

        def one(terms: tuple[float, float]) -> np.ndarray:
            return 1 + terms[0] + terms[1] * np.square(np.minimum(DISTANCES, 1.1))

        return np.stack([one(self.red), np.ones_like(DISTANCES), one(self.blue)])


@dataclass(frozen=True)
class Falloff:
    """Light lost in the corner.

    Attributes
    ----------
    corner : EV, at least 0.
    spread : standard deviation of the four quarters of the frame, EV.
    """

    corner: float
    spread: float

    @property
    def sure(self) -> bool:
        """Do the quarters agree that there is some?"""
        return self.corner > 0.15 and self.spread < 0.35 * self.corner

    def gains(self) -> np.ndarray:
        """Factor by which light is given back, over DISTANCES (not more beyond the corner)."""
        return np.exp2(self.corner * np.square(np.minimum(DISTANCES, 1.0)))
