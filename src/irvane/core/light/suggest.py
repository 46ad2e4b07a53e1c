"""A starting point for exposure and recovery, from how the frame's light is spread over stops.

The brightest hundredth of a scene is put where that of an ordinary scene lies: near paper white, whatever the
middle does. So a dark stage keeps its darkness and snow its brightness, while the mean or the median would
turn both to grey. A scene without range (fog, an even wall) has no such anchor; its middle is put a little
above mid-grey.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from irvane.core.colour.rendering import WHITE_EV
from irvane.core.light.guide import Guide

#: EV above mid-grey of the brightest hundredth of an ordinary scene (never nearer to white than _ROOM), and
#: of the middle of one without range.
_BRIGHTEST, _EVEN = 2.6, 0.3
#: Stops between the darkest and the brightest hundredth below which a scene has no range.
_LITTLE_RANGE = 2.5
#: What is nearer to white is lowered by as much of the excess as the second figure tells; dark places
#: likewise lifted.
_ROOM, _LOWERED = 0.4, 0.9
_TOO_DARK, _LIFTED = -4.5, 0.5
#: Below this the middle of a scene is meant to be dark, and its shadows stay.
_LOW_KEY = -3.0
_MOST = 5.0
#: From this share on clipped pixels are lights, and how far a frame with lights is darkened or brightened.
_LIGHTS, _WITH_LIGHTS = 0.004, (-0.7, 0.7)


@dataclass(frozen=True)
class Suggestion:
    """Values for the station Light, and a sentence about them."""

    exposure: float
    shadows: float
    highlights: float
    words: str

    def values(self) -> dict[str, float]:
        """The suggested values by the settings' full names."""
        return {
            "light.exposure": self.exposure,
            "light.shadows": self.shadows,
            "light.highlights": self.highlights,
        }


def suggest(guide: Guide, clipped: float = 0.0, white: float = WHITE_EV) -> Suggestion:
    """Exposure, shadows and highlights for a frame.

    Parameters
    ----------
    guide : holds the frame's levels before any exposure.
    clipped : share of pixels that are clipped on the sensor: lamps, the sun, a furnace. They are gone, and
        the rest of the frame is not moved for them by more than a little.
    white : EV above mid-grey that become white.
    """
    levels = guide.levels
    low, dark, middle, bright, top = levels.p1, levels.p5, levels.p50, levels.p99, levels.brightest
    if bright - low < _LITTLE_RANGE:
        exposure, reason = _EVEN - middle, "puts the middle just above mid-grey: there is little range"
    else:
        brightest = min(_BRIGHTEST, white - _ROOM)
        exposure, reason = (
            brightest - bright,
            f"puts the brightest hundredth {brightest:.1f} EV above mid-grey",
        )
    if clipped >= _LIGHTS and not _WITH_LIGHTS[0] <= exposure <= _WITH_LIGHTS[1]:
        exposure = float(np.clip(exposure, *_WITH_LIGHTS))
        reason = "and no more: clipped lights are gone"
    exposure = round(float(np.clip(exposure, -_MOST, _MOST)), 1) + 0.0
    highlights = round(float(np.clip(-_LOWERED * (top + exposure - white + _ROOM), -3, 0)), 1) + 0.0
    shadows = 0.0
    if middle + exposure > _LOW_KEY:
        shadows = round(float(np.clip(_LIFTED * (_TOO_DARK - dark - exposure), 0, 2)), 1) + 0.0
    words = [f"Exposure {_ev(exposure)} {reason}"]
    if highlights:
        words.append(f"highlights {_ev(highlights)}")
    if shadows:
        words.append(f"shadows {_ev(shadows)}")
    elif middle + exposure <= _LOW_KEY:
        words.append("shadows stay dark as in a low-key scene")
    return Suggestion(exposure, shadows, highlights, "; ".join(words) + ".")


def _ev(value: float) -> str:
    return f"{value:+.1f} EV".replace("-", "−")
