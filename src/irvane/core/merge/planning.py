"""Planning a bracket: its shutter times, which of them a hand can hold, how many frames a scene needs."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from irvane.core.errors import SettingError
from irvane.core.files.info import FrameInfo, shutter_text

#: Stops that one exposure of an ordinary sensor holds between clipping and SNR 3 at base ISO, with a stop to
#: spare at both ends; common practice, measured for a camera by its own ladder.
ONE_FRAME = 9.0
MOST_FRAMES = 15
#: Marks of shutter dials at third stops, in parts of a second and in seconds (ISO 2721 and common practice,
#: from memory).
_PARTS = (8000, 6400, 5000, 4000, 3200, 2500, 2000, 1600, 1250, 1000, 800, 640, 500, 400, 320, 250, 200, 160,
    125, 100, 80, 60,
          50, 40, 30, 25, 20, 15, 13, 10, 8, 6, 5, 4)  # fmt: skip
_SECONDS = (0.3, 0.4, 0.5, 0.6, 0.8, 1, 1.3, 1.6, 2, 2.5, 3.2, 4, 5, 6, 8, 10, 13, 15, 20, 25, 30)
_MARKS = tuple(1 / part for part in _PARTS) + _SECONDS


@dataclass(frozen=True)
class Bracket:
    """A planned bracket.

    Attributes
    ----------
    times : seconds, the shortest first. offsets : EV against the metered exposure.
    longest : seconds that can be held by hand (common practice: one over the focal length, with the
        stabiliser's stops).
    holds : stops of scene that the bracket holds. needed : frames that the scene's range needs; None when it
        is not known.
    """

    times: tuple[float, ...]
    offsets: tuple[float, ...]
    longest: float
    holds: float
    needed: int | None

    @property
    def by_hand(self) -> tuple[bool, ...]:
        """Which of the times can be held."""
        return tuple(time <= self.longest * 1.0001 for time in self.times)

    def as_dict(self) -> dict[str, Any]:
        """A JSON-ready dictionary."""
        frames = [
            {"seconds": time, "shutter": shutter_text(dialled(time)), "offset": offset, "by_hand": safe}
            for time, offset, safe in zip(self.times, self.offsets, self.by_hand, strict=True)
        ]
        return {
            "frames": frames,
            "longest_by_hand": self.longest,
            "holds_stops": self.holds,
            "needed_frames": self.needed,
        }

    def words(self) -> str:
        """A line for every frame, and what it means."""
        lines = [
            f"{offset:+g} EV  {shutter_text(dialled(time)):>10}  {'by hand' if safe else 'tripod'}"
            for time, offset, safe in zip(self.times, self.offsets, self.by_hand, strict=True)
        ]
        lines.append(
            f"Up to {shutter_text(self.longest)} can be held. Together they hold about {self.holds:.0f} "
            f"stops."
        )
        if self.needed is not None:
            few = len(self.times) < self.needed
            lines.append(
                f"The scene needs {self.needed} frame{'' if self.needed == 1 else 's'} of this step"
                + (": take more." if few else ".")
            )
        return "\n".join(lines)


def seconds_of(text: str) -> float:
    """Seconds from ``1/250``, ``0.5`` or ``2s``.

    Raises
    ------
    SettingError
    """
    try:
        above, slash, below = text.strip().rstrip("s ").partition("/")
        found = float(above) / float(below) if slash else float(above)
    except (ValueError, ZeroDivisionError):
        raise SettingError(f"“{text}” is no shutter time; write 1/250 or 0.5.") from None
    if not 1e-6 < found < 1e5:
        raise SettingError(f"“{text}” is no shutter time; write 1/250 or 0.5.")
    return found


def plan_bracket(
    seconds: float,
    step: float,
    frames: int,
    focal: float,
    stabiliser: float = 0.0,
    scene: float | None = None,
) -> Bracket:
    """Plan a bracket around a metered exposure.

    Parameters
    ----------
    step : EV between two frames. focal : millimetres as on 36×24 mm. stabiliser : stops it is worth.
    scene : range of the scene in EV, where it is known.

    Raises
    ------
    SettingError
        When a value is not of this world.
    """
    if not 0.3 <= step <= 5 or not 1 <= frames <= MOST_FRAMES:
        raise SettingError(f"A bracket has 1 to {MOST_FRAMES} frames, 0.3 to 5 EV apart.")
    if not 1 <= focal <= 3000 or not 0 <= stabiliser <= 10:
        raise SettingError("The focal length goes from 1 to 3,000 mm, the stabiliser from 0 to 10 stops.")
    offsets = tuple((k - (frames - 1) / 2) * step for k in range(frames))
    times = tuple(seconds * 2.0**offset for offset in offsets)
    needed = None
    if scene is not None:
        needed = max(1, math.ceil((scene - ONE_FRAME) / step) + 1)
    return Bracket(times, offsets, 2.0**stabiliser / focal, ONE_FRAME + step * (frames - 1), needed)


def dialled(seconds: float) -> float:
    """The mark of a shutter dial that is nearest to a time; a time beyond the dial's ends stays as it is."""
    nearest = min(_MARKS, key=lambda mark: abs(math.log2(mark / seconds)))
    return nearest if abs(math.log2(nearest / seconds)) < 0.25 else seconds


def stepped_by(infos: Sequence[FrameInfo]) -> str:
    """What a bracket made other than by the shutter time means for its merge; empty for one made by the
    shutter.

    Both sentences are common practice.
    """
    apertures = sorted({round(info.aperture, 1) for info in infos if info.aperture})
    shutters = {info.shutter for info in infos}
    if len(apertures) > 1:
        return (
            f"Bracketed by aperture, f/{apertures[0]:g} to f/{apertures[-1]:g}: near and far things are not "
            f"equally sharp "
            "in all frames."
        )
    if len(shutters) == 1 and len({info.iso for info in infos}) > 1:
        return "Bracketed by ISO: every frame gathered the same light, so shadows gain less than by longer times."
    return ""
