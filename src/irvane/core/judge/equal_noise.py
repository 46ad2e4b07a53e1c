"""Equal residual noise: the share of noise removal at which one picture is as noisy as another.

Detail can only be judged at equal noise: the picture that is cleaner gets some of its noise back, the noisier
one is cleaned further, within what its removal can do.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from irvane.core.image import LUMA_2020
from irvane.core.judge.probe import robust_sigma
from irvane.core.lens.framing import without_geometry
from irvane.core.line.frame import Frame
from irvane.core.line.view import scene_patch
from irvane.core.pixels.patches import trim
from irvane.core.pixels.places import FrameRegion, in_output
from irvane.core.progress import Progress, always, part, step
from irvane.core.settings import Settings

#: Places that are looked at, across and down, and their side in pixels.
ACROSS, DOWN, SIDE = 8, 6, 40
#: Share of the places that count: the most even ones of the reference.
_EVEN = 0.25
#: Light below this share of white tells nothing: noise there is judged elsewhere.
_DARKEST = 0.002
#: Amounts of removal that are tried; noise over the amount is a parabola in its square.
AMOUNTS = (0.0, 50.0, 100.0)

#: Renders a region at 1:1: scene-linear light, float32 H×W×3.
Render = Callable[[FrameRegion], np.ndarray]


def places(extent: tuple[int, int]) -> list[FrameRegion]:
    """Squares spread evenly over a frame, each at the same share of its height and width in every frame."""
    h, w = extent
    side = min(SIDE, h, w)
    tops = np.linspace(0, h - side, DOWN + 2)[1:-1].astype(int)
    lefts = np.linspace(0, w - side, ACROSS + 2)[1:-1].astype(int)
    return [FrameRegion(int(t), int(x), int(t) + side, int(x) + side) for t in tops for x in lefts]


def relative_noise(render: Render, region: FrameRegion) -> float:
    """Luminance noise over the mean of a place; infinite where it is too dark to tell."""
    light = render(region) @ LUMA_2020
    mean = float(light.mean())
    return robust_sigma(light) / mean if mean > _DARKEST else np.inf


def even_places(
    render: Render, regions: list[FrameRegion], progress: Progress = always
) -> tuple[list[int], float]:
    """Numbers of the most even places of a reference, and its noise there (median, relative to the mean).

    Raises
    ------
    ValueError
        When the whole picture is too dark.
    """
    found = []
    for number, region in enumerate(regions):
        step(progress, number / len(regions))
        found.append(relative_noise(render, region))
    lit = int(np.isfinite(found).sum())
    if lit == 0:
        raise ValueError("The picture is too dark to tell its noise.")
    even = np.argsort(found)[: max(3, round(_EVEN * lit))]
    chosen = [int(k) for k in even if np.isfinite(found[k])]
    return chosen, float(np.median([found[k] for k in chosen]))


def amount_for(noise: float, squares: tuple[float, float, float]) -> tuple[float, float]:
    """Amount of removal (0…100 %) at which the noise comes nearest to a wished one, and what it is then.

    Parameters
    ----------
    noise : wished noise (standard deviation).
    squares : variances at AMOUNTS.
    """
    share = np.linspace(0, 1, 101)
    # (1 − s)·plain + s·clean: its variance is a parabola in s, given by three of its points
    parabola = np.polynomial.polynomial.polyfit(np.array(AMOUNTS) / 100, squares, 2)
    found = np.sqrt(np.maximum(np.polynomial.polynomial.polyval(share, parabola), 0))
    off = np.abs(found - noise)
    best = int(len(share) - 1 - np.argmin(off[::-1]))  # of equally good ones the cleanest
    return float(100 * share[best]), float(found[best])


def as_noisy(frame: Frame, settings: Settings) -> Render:
    """Renders a frame under settings, with the denoised picture that is there for them."""
    usable = frame.fitting(settings)
    # noise is that of pixels that were never resampled
    settings = replace(settings, lens=without_geometry(settings.lens))

    def render(region: FrameRegion) -> np.ndarray:
        place = in_output(region)
        return trim(scene_patch(usable.developed, settings, usable.context, place), place).pixels

    return render


def equal_noise(
    reference: Render,
    frame: Frame,
    settings: Settings,
    progress: Progress = always,
    extent: tuple[int, int] | None = None,
) -> tuple[float | None, float | None]:
    """Amount of noise removal (0…100 %) for a frame under settings, and its noise then over the reference's.

    The amount is None where the frame's noise cannot be removed, both are None where the reference is too
    dark. While the frame's denoised picture is not there, a noisier frame gets 100 %, so that it is made.

    Parameters
    ----------
    reference : renders the picture that it is held against.
    extent : height and width of that; None: those of the frame.

    Raises
    ------
    Cancelled
        When `progress` returns False.
    """
    own = places(frame.developed.extent)
    theirs = places(extent or frame.developed.extent)
    try:
        chosen, noise = even_places(reference, theirs, part(progress, 0.0, 0.5))
    except ValueError:
        return None, None
    squares = []
    full = settings.with_value("noise.amount", AMOUNTS[-1])
    able = frame.removal(full).strength > 0
    ready = able and frame.denoised_for(full)
    for number, amount in enumerate(AMOUNTS if ready else AMOUNTS[:1]):
        step(progress, 0.5 + number / 6)
        tried = settings.with_value("noise.amount", amount) if able else settings
        render = as_noisy(frame, tried)
        found = [relative_noise(render, own[k]) for k in chosen]
        lit = [value for value in found if np.isfinite(value)]
        if not lit:
            return None, None
        squares.append(float(np.median(lit)) ** 2)
    if not able:
        return None, float(np.sqrt(squares[0])) / max(noise, 1e-9)
    if not ready:
        ratio = float(np.sqrt(squares[0])) / max(noise, 1e-9)
        return (0.0 if ratio <= 1 else AMOUNTS[-1]), ratio
    amount, found_noise = amount_for(noise, (squares[0], squares[1], squares[2]))
    return amount, found_noise / max(noise, 1e-9)
