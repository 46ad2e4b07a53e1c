"""What a place of a scene supports, decided once for all renderings of it: on the cleanest of them.

The same wall is even in a noisy picture and in a clean one. Judged on each by itself, the noisy one would be
refused just where its noise is asked for.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from irvane.core.judge.inside import RegionFigures
from irvane.core.judge.place import PlaceFigures

#: Standard deviation over mean up to which a place counts as a patch of a chart does (our choice, about a
#: tenth of a stop across; ISO 15739 asks for even patches without a number).
_AS_A_PATCH = 0.02
#: How many times the noise that is expected the spread of an even place may be; and how many times that of
#: differences a few pixels apart, where nothing is known of the noise.
_OF_NOISE, _OF_DIFFERENCES = 1.5, 1.3
#: Pixels between those; noise that is left by interpolation is alike over less.
_APART = 3
#: How many times cleaner a finished picture must be than a raw beside it, to decide.
_FAR = 2.0
#: Cycles per pixel: what is wider is shading, no edge.
_SHADING = 0.06


@dataclass(frozen=True)
class ScenePlace:
    """What a place supports.

    Attributes
    ----------
    even : noise can be read there. edge : it holds one, whose MTF can be read.
    """

    even: bool
    edge: bool

    @property
    def kind(self) -> str:
        """What it is."""
        return "an even place" if self.even else "an edge" if self.edge else "structure"

    @property
    def words(self) -> str:
        """What it is, where its noise cannot be read."""
        return "" if self.even else self.kind


def scene_place(renderings: Sequence[PlaceFigures]) -> ScenePlace | None:
    """What the place is that these are figures of; None without any."""
    lit = [one for one in renderings if one.probe.luminance > 0]
    if not lit:
        return None
    cleanest = min(lit, key=_unclean)
    edge = cleanest.mtf50 is not None and cleanest.mtf50 >= _SHADING
    return ScenePlace(_is_even(cleanest), edge)


def _unclean(place: PlaceFigures) -> tuple[float, float]:
    """How noisy a rendering is: as its frame's model lets expect, for what was blurred seems to be clean; of
    a
    finished picture as it is, and it decides only where it is far cleaner."""
    level = place.probe.luminance
    spread = place.probe.sigma_luminance / level
    if place.finished:
        return _FAR * spread, spread
    return (place.expected / level if place.expected > 0 else spread), spread


def _is_even(place: PlaceFigures) -> bool:
    if isinstance(place, RegionFigures):
        return place.even
    sigma, mean = place.probe.sigma_luminance, place.probe.luminance
    if sigma <= _AS_A_PATCH * mean:
        return True
    if place.expected > 0:
        return sigma < _OF_NOISE * place.expected
    light = place.inner
    apart = np.concatenate(
        [(light[:, _APART:] - light[:, :-_APART]).ravel(), (light[_APART:] - light[:-_APART]).ravel()]
    )
    return sigma < _OF_DIFFERENCES * float(apart.std()) / np.sqrt(2)
