"""Figures of the place under the probe: noise of a small square, and of larger ones around it edge and
texture."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

import numpy as np

from irvane.core.acutance.edge_blur import find_edges
from irvane.core.colour.spaces import SPACES
from irvane.core.image import LUMA_2020
from irvane.core.judge.edge import edge_figures
from irvane.core.judge.figures import probe_figures
from irvane.core.judge.gradient import SMALLEST as GRADIENT_SMALLEST
from irvane.core.judge.gradient import GradientFigures, gradient_figures
from irvane.core.judge.grain import SMALLEST, grain_figures
from irvane.core.judge.probe import ProbeFigures
from irvane.core.judge.texture import texture_figures
from irvane.core.line.camera import covers, part_of
from irvane.core.line.context import Context
from irvane.core.line.develop import Developed
from irvane.core.line.placing import at_source
from irvane.core.line.view import remaining_noise, scene_patch
from irvane.core.pixels.patches import FramePatch, trim
from irvane.core.pixels.places import OutputRegion
from irvane.core.settings import Settings

#: Side in pixels (at most, at least; between them a twelfth of the height) of the square around the probe's
#: middle that edges and texture are looked for in.
WIDE, _NARROWEST = 100, 40
#: A place with less structure than this many times its noise holds no texture to speak of.
_STRUCTURED = 1.5
#: Places that correlate less with the reference have no texture in common with it.
_ALIKE = 0.2
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
    kept : share of the reference's texture in the wide square; None without reference or texture.
    gradient : of the wide square, when it holds a smooth gradient and no edge.
    blur : σ of the edges in the wide square, in pixels (their middle); None where there are too few.
    inner : luminance of the small square; expected : its noise as the model of the frame and the settings let
        expect it.
    even : is the spread of the small square that of noise, and not the scene's own?
    """

    probe: ProbeFigures
    grain: str
    mtf50: float | None
    overshoot: float | None
    light: np.ndarray
    noise: float = 0.0
    kept: float | None = None
    gradient: GradientFigures | None = None
    even: bool = True
    blur: float | None = None
    inner: np.ndarray = field(default_factory=lambda: np.zeros((1, 1), np.float32))
    expected: float = 0.0

    def against(self, reference: PlaceFigures | None) -> PlaceFigures:
        """The same with the texture that is kept of a reference's."""
        if reference is None or reference.light.shape != self.light.shape:
            return replace(self, kept=None)
        if reference.light.std() < _STRUCTURED * reference.noise:
            return replace(self, kept=None)
        try:
            found = texture_figures(self.light, reference.light)
        except ValueError:
            return replace(self, kept=None)
        return replace(self, kept=found.honest if found.similar > _ALIKE else None)


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
    probe = probe_figures(developed, settings, context, region, clean)
    settings, region = at_source(settings, context, region)
    wide = wide_region(region, developed.extent)
    usable = clean if clean is not None and covers(clean, part_of(settings, context, wide)) else None
    light = trim(scene_patch(developed, settings, context, wide, usable), wide).pixels @ LUMA_2020
    mtf50 = overshoot = None
    try:
        edge = edge_figures(light)
        mtf50, overshoot = edge.mtf50, edge.overshoot
    except ValueError:
        pass  # no edge here: no figure
    denoised = developed.denoised is not None or usable is not None
    gain, read2 = remaining_noise(developed, settings, context, denoised)
    noise = float(np.sqrt(max(gain * float(light.mean()) + read2, 0.0)))
    top, left = max(region.top - wide.top, 0), max(region.left - wide.left, 0)
    inner = light[top : top + region.bottom - region.top, left : left + region.right - region.left]
    expected = float(np.sqrt(max(gain * float(inner.mean()) + read2, 0.0)))
    grain = ""
    gain, read2 = remaining_noise(developed, settings, context, False)
    before = float(np.sqrt(max(gain * float(inner.mean()) + read2, 0.0)))
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
        inner=inner, expected=expected,
    )  # fmt: skip


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
