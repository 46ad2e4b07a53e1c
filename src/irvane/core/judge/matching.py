"""Matching before judging: what makes two pictures equal in brightness, contrast, saturation and white
balance."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass, replace

import numpy as np

from irvane.core.declaring import Curve
from irvane.core.image import LUMA_2020, MID_GREY, largest_colour
from irvane.core.settings import Settings

_LIMIT = 12.0


def brightness_offset(reference: np.ndarray, other: np.ndarray) -> float:
    """EV to add to `other` so that it is as bright as `reference`, in linear light.

    Parameters
    ----------
    reference, other : float32 H×W×3, scene-linear pictures of about the same content; sizes may differ.

    Returns
    -------
    The difference of their mean log luminance over the range both hold (25th to 75th percentile), in EV.
    """
    levels = []
    for picture in (reference, other):
        luminance = np.maximum(picture @ LUMA_2020, 0).ravel()
        quarter, three = np.percentile(luminance, (25, 75))
        inner = luminance[(luminance >= quarter) & (luminance <= three)]
        # the mean, not the median of logs: the noise of dark pixels must not pull
        levels.append(float(np.log2(max(float(inner.mean()), 1e-9))))
    return float(np.clip(levels[0] - levels[1], -_LIMIT, _LIMIT))


#: Made equal by the share of noise removal, see :mod:`irvane.core.judge.equal_noise`.
NOISE = "residual noise"
#: What can be made equal before pictures are judged; brightness comes last, for contrast moves it.
KINDS = ("brightness", "contrast and saturation", "white balance", NOISE)
#: Levels (EV around mid-grey) beyond which contrast is not told, and light below which colour is noise.
_TOLD, _DARKEST = 7.0, 0.004


@dataclass(frozen=True)
class Match:
    """What makes a view of one picture equal to another's; the proof stays as it is.

    Attributes
    ----------
    offset : EV added to the view.
    contrast : per cent added to the setting of that name. saturation : factor of the setting.
    red, blue : EV added to these colours.
    amount : noise removal in per cent instead of the proof's; None: as it is.
    noise : the residual noise there, as a multiple of the other picture's; None when it was not made equal.
    """

    offset: float = 0.0
    contrast: float = 0.0
    saturation: float = 1.0
    red: float = 0.0
    blue: float = 0.0
    amount: float | None = None
    noise: float | None = None

    def differs(self, other: Match) -> bool:
        """Would the two be told apart by eye?"""
        if (self.amount is None) != (other.amount is None) or (self.noise is None) != (other.noise is None):
            return True
        return (
            abs(self.offset - other.offset) > 0.004
            or abs(self.contrast - other.contrast) > 0.4
            or abs((self.amount or 0.0) - (other.amount or 0.0)) > 0.6
            or max(abs(getattr(self, n) - getattr(other, n)) for n in ("saturation", "red", "blue")) > 0.004
        )

    def applied(self, settings: Settings) -> Settings:
        """The settings that the view is rendered with (the offset is given to it apart)."""
        light, colour = settings.light, settings.colour
        if self.contrast:
            light = replace(light, contrast=float(np.clip(light.contrast + self.contrast, -100, 100)))
        if self.saturation != 1.0:
            colour = replace(colour, saturation=float(np.clip(colour.saturation * self.saturation, 0, 200)))
        if self.red:
            light = replace(light, curve_red=_raised(light.curve_red, self.red))
        if self.blue:
            light = replace(light, curve_blue=_raised(light.curve_blue, self.blue))
        noise = settings.noise if self.amount is None else replace(settings.noise, amount=self.amount)
        return replace(settings, light=light, colour=colour, noise=noise)

    def words(self) -> str:
        """What was made equal, with its figures; empty when nothing was."""
        parts = []
        if self.offset:
            parts.append(f"brightness {self.offset:+.2f} EV")
        if self.contrast:
            parts.append(f"contrast {self.contrast:+.0f} %")
        if self.saturation != 1.0:
            parts.append(f"saturation ×{self.saturation:.2f}")
        if self.red or self.blue:
            parts.append(f"red {self.red:+.2f} EV, blue {self.blue:+.2f} EV")
        if self.amount is not None and self.noise is not None:
            parts.append(f"noise removal {self.amount:.0f} % (noise ×{self.noise:.2f})")
        elif self.noise is not None:
            parts.append(f"noise cannot be moved (×{self.noise:.2f})")
        return f"matched: {', '.join(parts)}".replace("-", "−") if parts else ""


def _raised(curve: Curve, stops: float) -> Curve:
    """A tone curve that gives so many EV more; without points: a constant shift, which is a curve of one
    point."""
    return tuple((level, out + stops) for level, out in curve or ((0.0, 0.0),))


def _levels(picture: np.ndarray) -> np.ndarray:
    return np.log2(np.maximum(picture @ LUMA_2020, 1e-6) / MID_GREY)


def match(reference: np.ndarray, other: np.ndarray, kinds: Collection[str]) -> Match:
    """What makes `other` look like `reference` in the given respects.

    Parameters
    ----------
    reference, other : float32 H×W×3, scene-linear pictures of about the same content; sizes may differ.
    kinds : of KINDS.

    Returns
    -------
    Contrast from the spread of log luminance (5th to 95th percentile), saturation from the mean distance of
    colours from grey, white balance from the mean colours, brightness after all these.
    """
    red = blue = contrast = 0.0
    saturation = 1.0
    changed = other.astype(np.float64)
    if "white balance" in kinds:
        sums = [np.log2(np.maximum(p.reshape(-1, 3).mean(axis=0), 1e-9)) for p in (reference, changed)]
        ratio = (sums[0] - sums[0][1]) - (sums[1] - sums[1][1])
        red, blue = (float(np.clip(ratio[c], -2, 2)) for c in (0, 2))
        changed = changed * np.exp2([red, 0.0, blue])
    if "contrast and saturation" in kinds:
        spans = [
            float(np.subtract(*np.percentile(np.clip(_levels(p), -_TOLD, _TOLD), (95, 5))))
            for p in (reference, changed)
        ]
        if min(spans) > 0.1:
            contrast = float(np.clip(100 * np.log2(spans[0] / spans[1]), -100, 100))
        level = np.clip(_levels(changed), -_TOLD, _TOLD)
        changed = changed * np.exp2((2.0 ** (contrast / 100) - 1) * level)[..., None]
        chroma = [_chroma(p) for p in (reference, changed)]
        if min(chroma) > 1e-3:
            saturation = float(np.clip(chroma[0] / chroma[1], 0.25, 4))
    offset = brightness_offset(reference, changed) if "brightness" in kinds else 0.0
    return Match(offset, contrast, saturation, red, blue)


def _chroma(picture: np.ndarray) -> float:
    """Mean distance of colours from grey, as a share of their largest component, where there is light."""
    top = largest_colour(picture)
    lit = top > _DARKEST
    if not lit.any():
        return 0.0
    return float(((top - picture.min(axis=2)) / np.maximum(top, 1e-9))[lit].mean())
