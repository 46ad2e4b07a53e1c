"""What a ladder says: how far a camera can be pushed, and from where two cameras differ."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from irvane.core.image import GREEN
from irvane.core.judge.ladder import CameraLadder

#: Colours and lightness of an over-exposed frame are back when all patches lie this near (CIEDE2000).
HELD = 5.0
#: Cameras differ when their mean SNR differs by more than this (dB), and chance does not explain it.
DIFFERS_DB = 1.0
_FEWEST_PAIRS = 3
_RESAMPLES, _CONFIDENCE = 2000, 95.0
#: SNR at which a frame is still called usable unless the user says otherwise, in dB (10 : 1; ISO 12232
#: "acceptable").
USUAL_LIMIT = 20.0


@dataclass(frozen=True)
class Verdict:
    """How far a camera can be pushed.

    Attributes
    ----------
    above : stops of over-exposure at which every patch still comes back; None without an over-exposed frame.
    below : stops of under-exposure at which the mean SNR falls to the limit; at the end of the ladder that
        end.
    ends : True when the ladder ended before the limit was reached: `below` is a least value.
    """

    above: float | None
    below: float
    ends: bool

    @property
    def usable(self) -> float:
        """Stops above and below together."""
        return (self.above or 0.0) + self.below


def verdict(ladder: CameraLadder, limit: float = USUAL_LIMIT, denoised: bool = False) -> Verdict:
    """Usable range of a camera at an SNR limit in dB, bare or after denoising."""
    over = [rung for rung in ladder.rungs if rung.stop > 0.25]
    held = [0.0]
    for rung in sorted(over, key=lambda r: r.stop):
        if rung.error.max() > HELD:
            break
        held.append(rung.stop)
    above = held[-1] if over else None
    under = sorted((r for r in ladder.rungs if r.stop <= 0.25), key=lambda r: -r.stop)
    levels = [
        float(np.mean(r.snr_denoised)) if denoised and r.snr_denoised is not None else r.mean_snr
        for r in under
    ]
    for k, level in enumerate(levels):
        if level < limit:
            if k == 0:
                return Verdict(above, 0.0, False)
            share = (levels[k - 1] - limit) / (levels[k - 1] - level)
            reached = -under[k - 1].stop + share * (under[k - 1].stop - under[k].stop)
            return Verdict(above, reached, False)
    return Verdict(above, -under[-1].stop if under else 0.0, True)


@dataclass(frozen=True)
class Comparison:
    """Two cameras at one stop: mean difference of SNR in dB (first minus second) and its 95 % interval."""

    stop: float
    difference: float
    low: float
    high: float

    @property
    def differs(self) -> bool:
        """More than 1 dB, and not by chance?"""
        return abs(self.difference) > DIFFERS_DB and (self.low > 0 or self.high < 0)


def compare(first: CameraLadder, second: CameraLadder) -> list[Comparison]:
    """Both cameras at the stops that both have (to a quarter), brightest first; patches of the same place are
    paired.

    The interval comes from resampling the patches (bootstrap; Efron 1979).
    """
    rng = np.random.default_rng(0)
    found = []
    pairs = _same_patches(first, second)
    if len(pairs) < _FEWEST_PAIRS:
        return []
    one, two = np.array(pairs).T
    for rung in first.rungs:
        other = min(second.rungs, key=lambda r: abs(r.stated - rung.stated))
        if abs(other.stated - rung.stated) > 0.25:
            continue
        whole = ~(rung.clipped[one] | other.clipped[two])
        if whole.sum() < _FEWEST_PAIRS:
            continue
        difference = (rung.snr[one, GREEN] - other.snr[two, GREEN])[whole]
        drawn = difference[rng.integers(0, difference.size, (_RESAMPLES, difference.size))].mean(axis=1)
        tail = (100 - _CONFIDENCE) / 2
        low, high = np.percentile(drawn, (tail, 100 - tail))
        found.append(Comparison(rung.stated, float(difference.mean()), float(low), float(high)))
    return found


def _same_patches(first: CameraLadder, second: CameraLadder) -> list[tuple[int, int]]:
    """Patches of both that lie at the same place of the frame, to half of their own size."""
    places = []
    for ladder in (first, second):
        h, w = ladder.extent
        edges = np.array(
            [(p.region.left, p.region.right, p.region.top, p.region.bottom) for p in ladder.patches], float
        )
        x, y = (edges[:, 0] + edges[:, 1]) / 2 / w, (edges[:, 2] + edges[:, 3]) / 2 / h
        places.append((x, y, (edges[:, 1] - edges[:, 0]) / w, (edges[:, 3] - edges[:, 2]) / h))
    x, y, width, height = places[0]
    found = []
    for k in range(x.size):
        off = np.maximum(np.abs(places[1][0] - x[k]) / width[k], np.abs(places[1][1] - y[k]) / height[k])
        nearest = int(np.argmin(off))
        if off[nearest] < 0.5:
            found.append((k, nearest))
    return found


def differs_from(comparisons: Sequence[Comparison]) -> float | None:
    """The first stop from which on two cameras differ and stay so; None when they do not."""
    start: float | None = None
    for one in comparisons:
        if not one.differs:
            start = None
        elif start is None:
            start = one.stop
    return start
