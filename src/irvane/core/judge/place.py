"""Figures of the place under the probe: noise of a small square, and of larger ones around it edge and
texture."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from irvane.core.acutance.edge_blur import find_edges
from irvane.core.colour.spaces import SPACES
from irvane.core.image import LUMA_709, LUMA_2020
from irvane.core.judge.edge import edge_figures
from irvane.core.judge.figures import check_inside
from irvane.core.judge.gradient import SMALLEST as GRADIENT_SMALLEST
from irvane.core.judge.gradient import GradientFigures, gradient_figures
from irvane.core.judge.grain import SMALLEST, grain_figures
from irvane.core.judge.probe import ProbeFigures, read_probe
from irvane.core.line.camera import covers, noise_left, part_of
from irvane.core.line.context import Context, noise_amount
from irvane.core.line.develop import Developed
from irvane.core.line.placing import at_source
from irvane.core.line.source import DISPLAY
from irvane.core.line.steps import noise_shares
from irvane.core.line.view import plain_light, remaining_noise, scene_patch, show
from irvane.core.pixels.patches import FramePatch, trim
from irvane.core.pixels.places import OutputRegion
from irvane.core.settings import Settings

#: Side in pixels (at most, at least; between them a twelfth of the height) of the square around the probe's
#: middle that edges and texture are looked for in.
WIDE, _NARROWEST = 100, 40
#: A place whose spread is less than this many times its noise is even.
_STRUCTURED = 1.5
#: Factor by which the light before the stations is raised, to see how steeply they pass it on; slopes between
#: which that is believed (beyond, something is clipped).
_RAISED, _FLATTEST, _STEEPEST = 1.02, 0.1, 10.0
#: Side in pixels of the square that this is looked at in.
_PASSED = 24
#: Light of a colour of a finished file that counts as clipped.
_WHITE = 0.995
#: A gradient rises by more than this many standard deviations of what is left beside it, which is noise, or
#: less than this share of the light (the steps that are looked for).
_SLANTED, _PLAIN = 1.0, 0.02
#: Fewer points of edges tell nothing of a place; noise that is counted with at least.
_FEWEST_EDGES, _LEAST_NOISE = 40, 0.001


@dataclass(frozen=True)
class PlaceFigures:
    """Figures of one place of one picture.

    Attributes
    ----------
    probe : of the small square.
    grain : what its noise looks like; empty when it is too small to tell, or not even.
    mtf50 : cycles per pixel, and overshoot as a share of the step, of the edge in the wide square; None
        without one.
    light : luminance of the wide square, to hold others against it.
    noise : its noise as the model of the frame and the settings let expect it.
    gradient : of the wide square, when it holds a smooth gradient and no edge.
    blur : σ of the edges in the wide square, in pixels (their middle); None where there are too few.
    inner : luminance of the small square; expected : its noise as the model of the frame and the settings let
        expect it.
    even : is the spread of the small square that of noise, and not the scene's own?
    shown : the small square as it is seen, linear sRGB; shown_light : luminance of the wide one likewise.
    slope : how steeply the stations pass differences of light on here: EV after them per EV before (the
        incremental gain of ISO 15739, of relative light); shown_slope: the same of what is seen.
    finished : is the file's own curve unknown?
    clipped : share of the small square's pixels of which a colour is clipped: on the sensor, or at white in a
        finished file.
    """

    probe: ProbeFigures
    grain: str
    mtf50: float | None
    overshoot: float | None
    light: np.ndarray
    noise: float = 0.0
    gradient: GradientFigures | None = None
    even: bool = True
    blur: float | None = None
    inner: np.ndarray = field(default_factory=lambda: np.zeros((1, 1), np.float32))
    expected: float = 0.0
    shown: np.ndarray = field(default_factory=lambda: np.zeros((1, 1, 3), np.float32))
    shown_light: np.ndarray = field(default_factory=lambda: np.zeros((1, 1), np.float32))
    slope: float = 1.0
    shown_slope: float = 1.0
    finished: bool = False
    clipped: float = 0.0


def wide_region(region: OutputRegion, extent: tuple[int, int]) -> OutputRegion:
    """The wide square around a probe, kept inside the frame."""
    h, w = extent
    side = min(max(h // 12, _NARROWEST), WIDE, h, w)
    top = int(np.clip((region.top + region.bottom - side) // 2, 0, h - side))
    left = int(np.clip((region.left + region.right - side) // 2, 0, w - side))
    return OutputRegion(top, left, top + side, left + side)


def place_figures(
    developed: Developed,
    settings: Settings,
    context: Context,
    region: OutputRegion,
    clean: FramePatch | None = None,
) -> PlaceFigures:
    """Figures of a place at full resolution, scene-linear light after all stations.

    Raises
    ------
    ValueError
        When the small square does not lie inside the frame or is too small.
    """
    check_inside(settings, context, region)
    own, settings, region = settings, *at_source(settings, context, region)
    wide = wide_region(region, developed.extent)
    usable = clean if clean is not None and covers(clean, part_of(settings, context, wide)) else None
    around = trim(scene_patch(developed, settings, context, wide, usable), wide)
    light = around.pixels @ LUMA_2020
    mtf50 = overshoot = None
    try:
        edge = edge_figures(light)
        mtf50, overshoot = edge.mtf50, edge.overshoot
    except ValueError:
        pass  # no edge here: no figure
    near = clean if clean is not None and covers(clean, part_of(settings, context, region)) else None
    inside = wide.top <= region.top and wide.left <= region.left
    inside = inside and region.bottom <= wide.bottom and region.right <= wide.right
    if inside and (near is None or usable is not None):
        small = trim(around, region)
    else:
        small = trim(scene_patch(developed, settings, context, region, near), region)
    probe, shown = read_probe(small.pixels), show(small, developed, own)
    middle = _middle(region)
    level = trim(small, middle)
    higher = trim(scene_patch(developed, settings, context, middle, near, _RAISED), middle)
    denoised = developed.denoised is not None or usable is not None
    top, left = max(region.top - wide.top, 0), max(region.left - wide.left, 0)
    inner = light[top : top + region.bottom - region.top, left : left + region.right - region.left]
    slope = _rise(level.pixels @ LUMA_2020, higher.pixels @ LUMA_2020)
    bright = float((level.pixels @ LUMA_2020).mean())
    known = _Expected(developed, settings, context, middle, bright, slope)
    noise, expected = (known.sigma(float(part.mean()), denoised) for part in (light, inner))
    before = known.sigma(float(inner.mean()), False)
    grain = ""
    plain = before == 0 or probe.sigma_luminance < _STRUCTURED * before
    even = float(inner.std()) < _STRUCTURED * max(noise, 1e-9)  # elsewhere it would be the scene that is told
    if even and min(inner.shape) >= SMALLEST:
        try:
            grain = grain_figures(inner).words
        except ValueError:
            grain = ""
    gradient = None if mtf50 is not None else _gradient(light, noise)
    edges = find_edges(np.ascontiguousarray(light, np.float32), max(noise, _LEAST_NOISE))
    blur = float(np.median(edges.sigma)) if len(edges.sigma) >= _FEWEST_EDGES else None
    return PlaceFigures(
        probe, grain, mtf50, overshoot, light, noise, gradient=gradient, even=plain, blur=blur,
        inner=inner, expected=expected, shown=shown, shown_light=show(around, developed, own) @ LUMA_709,
        slope=slope,
        shown_slope=_rise(*(show(one, developed, own) @ LUMA_709 for one in (level, higher))),
        finished=developed.entry == DISPLAY, clipped=_clipped(developed, region, probe_light=small.pixels),
    )  # fmt: skip


def _middle(region: OutputRegion) -> OutputRegion:
    """The middle of a square: where it is seen how light is passed on."""
    side = min(_PASSED, region.bottom - region.top, region.right - region.left)
    top = region.top + (region.bottom - region.top - side) // 2
    left = region.left + (region.right - region.left - side) // 2
    return OutputRegion(top, left, top + side, left + side)


class _Expected:
    """Noise of luminance that the frame's own model lets expect after all stations."""

    def __init__(
        self, developed: Developed, settings: Settings, context: Context, region: OutputRegion, level: float,
        slope: float,
    ) -> None:  # fmt: skip
        self.developed, self.settings, self.context, self.slope = developed, settings, context, slope
        self._model = developed.noise is not None and developed.colour is not None
        self._raised = 1.0
        if self._model and level > 0:
            before = plain_light(developed, settings, context, region).pixels @ LUMA_2020
            exposed = float(before.mean()) * 2.0**settings.light.exposure
            self._raised = level / max(exposed, 1e-9)

    def sigma(self, level: float, denoised: bool) -> float:
        """σ at a level of light; 0 where nothing is known of it."""
        settings, left = self.settings, 1.0
        if self._model:
            gain, read2 = remaining_noise(self.developed, settings, self.context, denoised)
            before = max(level / max(self._raised, 1e-9), 1e-9)
            return float(np.sqrt(gain * before + read2)) * self.slope * abs(level) / before
        if self.developed.finished is None:
            return 0.0
        if denoised:
            left = noise_left(noise_shares(settings.noise, noise_amount(settings, self.context)))
        root = float(np.sqrt(max(level, 0.0)))
        return 2 * root * float(self.developed.finished.sigmas(np.array([root]))[0]) * left * self.slope


def _clipped(developed: Developed, region: OutputRegion, probe_light: np.ndarray) -> float:
    if developed.entry == DISPLAY:
        return float((probe_light >= _WHITE).any(axis=2).mean())
    if developed.clipped is None:
        return 0.0
    part = developed.clipped[
        round(region.top) : round(region.bottom), round(region.left) : round(region.right)
    ]
    return float((part != 0).mean()) if part.size else 0.0


def _rise(light: np.ndarray, higher: np.ndarray) -> float:
    """EV that come out for each EV that goes in."""
    one, two = float(light.mean()), float(higher.mean())
    if min(one, two) <= 0:
        return 1.0
    return float(np.clip(np.log(two / one) / np.log(_RAISED), _FLATTEST, _STEEPEST))


def _gradient(light: np.ndarray, noise: float) -> GradientFigures | None:
    """Figures of a gradient; None where a plane does not account for what is not noise."""
    if min(light.shape) < GRADIENT_SMALLEST:
        return None
    slope = _slope(light)
    rest = float(np.std(light - slope))
    if float(np.std(slope)) < _SLANTED * rest or rest > _STRUCTURED * max(
        noise, _PLAIN * float(light.mean())
    ):
        return None
    # steps are what is seen: counted on encoded values
    return gradient_figures(SPACES["srgb"].encode(np.clip(light, 0, 1)))


def _slope(light: np.ndarray) -> np.ndarray:
    y, x = (np.linspace(-1, 1, n) for n in light.shape)
    across = x * float((light @ x).mean() / (x * x).mean() / x.size)
    down = y * float((y @ light).mean() / (y * y).mean() / y.size)
    return light.mean() + down[:, None] + across[None, :]
