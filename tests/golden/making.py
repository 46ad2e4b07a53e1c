"""What is kept of a case: reduced pictures, crops, marks, masks, figures."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numba
import numpy as np
from llvmlite.binding import get_host_cpu_name

from irvane.core.finish.job import assemble
from irvane.core.finish.masks import mask_picture
from irvane.core.judge.place import place_figures
from irvane.core.line.bands import Output
from irvane.core.line.camera import camera_light
from irvane.core.line.clip_flags import Limits
from irvane.core.line.context import geometry_for
from irvane.core.line.realise import realise
from irvane.core.line.view import render_view
from irvane.core.pixels.patches import trim
from irvane.core.pixels.places import OutputRegion
from irvane.core.regions.region import LocalRegion
from irvane.core.settings import Settings

from .cases import Case

RESULTS = Path(__file__).parent / "results"
#: On what kind of processor the results were made.
PROCESSOR = RESULTS / "processor.txt"
#: Light before the station Light agrees within this share of white, and is kept in steps of a tenth of it.
CLOSE = 1e-4
STEP = CLOSE / 10
#: Sides of the means that pictures are reduced to, and of the crops kept as they are.
_BLOCK, _CROP, _PROBE = 10, 24, 24
#: Frame pixels per pixel of the fit view that is kept.
_VIEW = 6.0


def _reduced(picture: np.ndarray) -> np.ndarray:
    h, w = (side // _BLOCK for side in picture.shape[:2])
    cut = picture[: h * _BLOCK, : w * _BLOCK].astype(np.float64)
    return cut.reshape(h, _BLOCK, w, _BLOCK, -1).mean((1, 3))


def _middle(picture: np.ndarray) -> np.ndarray:
    top, left = ((side - _CROP) // 2 for side in picture.shape[:2])
    return picture[top : top + _CROP, left : left + _CROP]


def _figures(case: Case, made: Any, settings: Settings, extent: tuple[int, int]) -> np.ndarray:
    """Numbers of the places, a row each; what a place does not support is NaN."""
    h, w = extent
    rows = []
    for x, y in case.probes:
        top, left = round(y * h) - _PROBE // 2, round(x * w) - _PROBE // 2
        found = place_figures(*made, OutputRegion(top, left, top + _PROBE, left + _PROBE))
        one = found.probe
        numbers = [*one.mean, *one.sigma, one.luminance, one.sigma_luminance, one.sigma_colour, one.snr_db]
        rows.append(
            [*numbers, one.level_ev, found.mtf50, found.overshoot, found.noise, found.blur, found.even]
        )
    return np.array([[np.nan if v is None else float(v) for v in row] for row in rows])


def made_of(case: Case) -> dict[str, np.ndarray]:
    """Everything that is kept of a case, computed now."""
    settings = case.settings()
    developed, context = realise(case.source(), settings)
    made = developed, settings, context
    extent = geometry_for(settings, context).output
    whole = OutputRegion(0, 0, *extent)
    light = trim(camera_light(*made, whole), whole).pixels
    screen = assemble(*made, Output(settings.finish.space), 8)
    view = render_view(
        *made, OutputRegion(0, 0, *extent, step=_VIEW), marks=Limits(), space=settings.finish.space
    )
    assert view.marks is not None
    kept = {
        "light_reduced": np.rint(_reduced(light) / STEP).astype(np.int32),
        "light": np.rint(_middle(light) / STEP).astype(np.int32),
        "screen_reduced": np.rint(_reduced(screen)).astype(np.uint8),
        "screen": _middle(screen),
        "view": view.pixels[..., :3],
        "marks": view.marks,
    }
    if case.probes:
        kept["figures"] = _figures(case, (developed, settings, context), settings, extent)
    for number, region in enumerate(settings.regions):
        kept[f"mask_{number}"] = _mask(region, *made)
    return kept


def _mask(region: LocalRegion, developed: Any, settings: Settings, context: Any) -> np.ndarray:
    mask, _ = mask_picture(region, developed, settings, context)
    return np.rint(_reduced(mask)[..., 0]).astype(np.uint8)


def processor() -> str:
    """What kernels are compiled for here."""
    return str(numba.config.CPU_NAME or get_host_cpu_name())


def path_of(name: str) -> Path:
    """Where a case is kept."""
    return RESULTS / f"{name}.npz"


def keep(name: str, made: dict[str, np.ndarray]) -> None:
    """Keep what a case gives now."""
    RESULTS.mkdir(exist_ok=True)
    PROCESSOR.write_text(processor() + "\n", "ascii")
    np.savez_compressed(path_of(name), **made)  # type: ignore[arg-type]
