"""The test strip: one crop of a frame at several values of one setting, or the whole of it under every
preset."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from irvane.core.files.presets import Preset, list_presets, presets_folder
from irvane.core.line.engine import Engine
from irvane.core.line.looks import PICTURE, render_look, settings_in
from irvane.core.line.source import Source
from irvane.core.line.tasks import FAST_PART, LENS, PART, REFINE, WHOLE, Request
from irvane.core.line.view import Rendered
from irvane.core.pixels.places import OutputRegion
from irvane.core.progress import Progress, always
from irvane.core.settings import GRADES, Choice, Method, Number, Settings, full_label, spec, value_text

FEWEST, MOST = 3, 7
#: Stands for the quick grades of noise removal where a setting's name is expected.
GRADE = "noise.grade"
#: Stands for all presets there; the values are presets then, the first of them changes nothing.
PRESETS = "presets"
AS_IT_IS = Preset("as it is", (), Settings())
#: Steps of a setting between neighbouring values, before the spread is changed.
_STEPS = 5


def strip_values(path: str, now: Any, count: int, spread: float = 1.0) -> list[Any]:
    """Values to show: all names of a choice, or numbers around the present one, evenly apart and inside the
    range.

    Parameters
    ----------
    path : full name of the setting.
    now : its present value.
    count : how many, FEWEST…MOST.
    spread : multiple of the usual distance.
    """
    if path == GRADE:
        return list(GRADES)
    if path == PRESETS:
        return [AS_IT_IS, *list_presets(presets_folder())[0]]
    declared = spec(path)
    if isinstance(declared, Choice):
        return [name for name, _ in declared.options]
    assert isinstance(declared, Number)
    smallest = 10.0**-declared.decimals
    apart = max(_STEPS * declared.step * spread, smallest)
    apart = min(apart, (declared.high - declared.low) / (count - 1))
    first = min(max(now - apart * (count // 2), declared.low), declared.high - apart * (count - 1))
    values = [round(first + apart * k, declared.decimals) for k in range(count)]
    nearest = min(range(count), key=lambda k: abs(values[k] - now))
    values[nearest] = now  # the present value is always among them
    return sorted(set(values))


def is_numeric(path: str) -> bool:
    """Can there be more or fewer values of it, closer or farther apart?"""
    return path not in (GRADE, PRESETS) and isinstance(spec(path), Number)


def strip_title(path: str) -> str:
    """What is tried."""
    if path == GRADE:
        return "grades of noise removal"
    if path == PRESETS:
        return "presets on this picture"
    declared = spec(path)
    if isinstance(declared, Method):
        return full_label(path)
    group = declared.group.label
    return declared.label + (f" ({group})" if group != declared.label else "")


def strip_label(path: str, value: Any) -> str:
    """A value in words."""
    if isinstance(value, Preset):
        return value.name
    return str(value) if path == GRADE else value_text(path, value)


def present(path: str, settings: Settings) -> Any:
    """The value in force: of a grade its name, or "" when the settings are none of them; None when it is
    automatic."""
    if path == PRESETS:
        return AS_IT_IS
    if path != GRADE:
        return settings.get(path)
    return next((name for name in GRADES if with_tried(settings, path, name) == settings), "")


def with_tried(settings: Settings, path: str, value: Any) -> Settings:
    """Settings with one of the strip's values."""
    if isinstance(value, Preset):
        return value.applied(settings)
    for name, one in (GRADES[value] if path == GRADE else {path: value}).items():
        settings = settings.with_value(name, one)
    return settings


def crop(
    extent: tuple[int, int], centre: tuple[float, float], size: tuple[int, int], scale: float | None
) -> OutputRegion:
    """The part of the output that a picture of `size` (width, height in device pixels) shows.

    Parameters
    ----------
    extent : height and width of the output.
    centre : middle of the crop, as shares of width and height.
    scale : device pixels per output pixel; None: the whole picture.
    """
    h, w = extent
    if scale is None:
        return OutputRegion(0, 0, h, w, max(1.0, h / size[1], w / size[0]))
    wide, high = min(w, max(1, round(size[0] / scale))), min(h, max(1, round(size[1] / scale)))
    left = min(max(round(centre[0] * w - wide / 2), 0), w - wide)
    top = min(max(round(centre[1] * h - high / 2), 0), h - high)
    return OutputRegion(top, left, top + high, left + wide, max(1.0, 1 / scale))


@dataclass(frozen=True)
class Crop:
    """A crop of the strip; not `exact` while something better follows."""

    rendered: Rendered
    exact: bool


def render_crop(
    engine: Engine,
    source: Source,
    settings: Settings,
    region: OutputRegion,
    look: str = PICTURE,
    progress: Progress = always,
    at_once: bool = False,
) -> Crop:
    """A region under some settings, finished: at 1:1 what is missing for it is computed for this region
    alone; a reduced one is made of the whole denoised picture, as the bench shows it.

    Parameters
    ----------
    at_once : a reduced region is not waited for: where the whole is not there yet, its noise is removed as
        that of a reduced picture can be.

    Raises
    ------
    ReadError, MergeError, Cancelled
    """
    own = PART if region.step <= 1 else FAST_PART if at_once else WHOLE
    frame = engine.complete(source, Request(settings, region, look), progress, (LENS, REFINE, own))
    seen = settings_in(look, settings)
    clean = frame.reduced_for(seen, region) if own == FAST_PART else frame.clean(seen, region)
    exact = own != FAST_PART or frame.denoised_for(settings)
    return Crop(render_look(look, frame.developed, settings, frame.context, region, clean), exact)
