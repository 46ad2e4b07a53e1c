"""The steps of the line in their order, and what each of them needs.

Margins, cache keys and what must be computed anew follow from this list; ``docs/line.md`` tells the same
steps at length.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Any

from irvane.core.acutance import sharpen
from irvane.core.lens.fringing import REACH as FRINGES
from irvane.core.noise import mixing
from irvane.core.settings import STATIONS, Noise, Sensor, Settings, default, newest_methods

#: Results between steps: a mosaic without faults, a developed frame, its denoised picture, camera-linear
#: light of the frame without its blur, that of a view (in pixels of the output), scene-linear light, what is
#: seen.
REPAIRED, DEVELOPED, DENOISED, DEBLURRED = "repaired", "developed", "denoised", "deblurred"
CAMERA, SCENE, SHOWN = "camera light", "scene light", "shown"
RESULTS = (REPAIRED, DEVELOPED, DENOISED, DEBLURRED, CAMERA, SCENE, SHOWN)


def _always(_settings: Settings) -> bool:
    return True


@dataclass(frozen=True)
class Step:
    """One step of the line.

    Attributes
    ----------
    name : as ``docs/line.md`` has it.
    makes : the result that is kept after it (and after those that follow up to the next one).
    reads : full names of the settings that it depends on; a station's name and a star for all of them.
    around : pixels (of the view) around a place that it needs.
    reduced : may it run on a reduced picture?
    facts : whole-frame facts that it takes.
    acts : does it do anything under these settings? One that does nothing needs nothing around it.
    """

    name: str
    makes: str
    reads: tuple[str, ...]
    around: int = 0
    reduced: bool = True
    facts: tuple[str, ...] = ()
    acts: Callable[[Settings], bool] = _always


def noise_shares(noise: Noise, amount: float) -> mixing.Shares:
    """Shares of the change that denoising made, under the settings of the station Noise and the amount in
    force."""
    share = min(amount, 100.0) / 100

    def three(*values: float) -> tuple[float, float, float]:
        return values[0] / 100, values[1] / 100, values[2] / 100

    return mixing.Shares(
        share * noise.luminance / 100,
        share * noise.colour / 100,
        three(noise.shadows, noise.midtones, noise.highlights),
        three(noise.fine, noise.medium, noise.coarse),
        three(noise.red, noise.green, noise.blue),
        noise.texture / 100,
    )


def _mixes(settings: Settings) -> bool:
    shares = noise_shares(settings.noise, 100.0)
    return not (shares.is_local or shares.is_nothing)


_MIXED = tuple(
    f"noise.{name}"
    for name in (
        "amount", "luminance", "colour", "texture", "shadows", "midtones", "highlights", "fine", "medium",
        "coarse", "red",
        "green", "blue",
    )
)  # fmt: skip

_SHARPENED = tuple(
    f"acutance.{name}"
    for name in (
        "automatic",
        "fine",
        "medium",
        "coarse",
        "noise_floor",
        "overshoot",
        "texture_guard",
        "sharpened_by",
    )
)

LINE = (
    Step("hot pixels", REPAIRED, ("sensor.defects", "sensor.defects_by"), reduced=False,
    facts=("noise model",)),
    Step("banding", REPAIRED, ("sensor.banding", "sensor.banding_width", "sensor.banding_by"), reduced=False,
         facts=("noise model",)),
    Step("demosaic", DEVELOPED, ("sensor.demosaic", "sensor.colour_by"), reduced=False, facts=("clip limits",
    )),
    Step("false colour", DEVELOPED, ("sensor.false_colour", "sensor.false_colour_width"), reduced=False),
    Step("denoise", DENOISED, ("noise.amount", "noise.method", "noise.removed_by"), reduced=False,
    facts=("noise model",)),
    Step("noise mixing", DEBLURRED, _MIXED, mixing.REACH, facts=("noise model",), acts=_mixes),
    Step("clear black", DEBLURRED, ("noise.clear_black",), facts=("haze",)),
    Step("highlights", DEBLURRED, ("sensor.highlights", "sensor.clipping_by"), facts=("highlight map",)),
    Step("fringes", DEBLURRED, ("lens.fringing", "lens.fringe_hue"), FRINGES,
    acts=lambda s: s.lens.fringing > 0),
    Step("deblurring", DEBLURRED, ("acutance.deblur", "acutance.method", "acutance.radius",
    "acutance.corners",
    "acutance.blades",
         "acutance.length", "acutance.angle", "acutance.path", "acutance.roll", "acutance.deblur_strength",
         "acutance.deblurred_by"),
         facts=("noise model", "blur")),
    Step("corner light", CAMERA, ("lens.*",), facts=("lens",)),
    Step("geometry", CAMERA, ("lens.*",), facts=("lens",)),
    Step("white balance, matrix", SCENE, ("colour.light", "colour.temperature", "colour.tint")),
    Step("exposure, tonal range, contrast", SCENE, ("light.*",), facts=("guide",)),
    Step("operator", SCENE, ("light.*",), facts=("guide",)),
    Step("curves, roll-off", SCENE, ("light.*",)),
    Step("saturation", SCENE, ("colour.*",)),
    Step("sharpening", SCENE, _SHARPENED, sharpen.REACH, facts=("noise model",),
         acts=lambda s: sharpen.is_on(s.acutance)),
    Step("base rendering", SHOWN, ("light.white", "finish.*")),
    Step("grain", SHOWN, ("noise.grain", "noise.grain_size")),
)  # fmt: skip


def _reads(step: Step, path: str) -> bool:
    station = path.partition(".")[0]
    return path in step.reads or f"{station}.*" in step.reads


def made_anew(path: str) -> str:
    """The first result that a change of a setting makes anew: nothing before it depends on the setting."""
    found = [step.makes for step in LINE if _reads(step, path)]
    return min(found, key=RESULTS.index) if found else SHOWN


def key_of(settings: Settings, result: str) -> tuple[Any, ...]:
    """Values of all settings that a result depends on, those of earlier results included."""
    return tuple(settings.get(path) for path in read_by(result))


@lru_cache
def read_by(result: str) -> tuple[str, ...]:
    """Full names of the settings that a result depends on, those of earlier results included."""
    before = RESULTS[: RESULTS.index(result) + 1]
    new = Settings()
    every = [f"{station}.{name}" for station in STATIONS for name in vars(getattr(new, station))]
    return tuple(path for path in every if any(step.makes in before and _reads(step, path) for step in LINE))


def around(settings: Settings, result: str) -> int:
    """View pixels around a place that the steps which make a result need under these settings, in any of
    their regions."""
    every = [settings, *(settings.in_region(one) for one in settings.regions if one.acts)]
    return max(sum(step.around for step in LINE if step.makes == result and step.acts(one)) for one in every)


def around_at_most(result: str) -> int:
    """View pixels around a place that these steps need at most, whatever the settings."""
    return sum(step.around for step in LINE if step.makes == result)


@lru_cache(maxsize=256)
def developing(sensor: Sensor) -> Sensor:
    """A station Sensor in which all that a developed frame does not depend on is as in a new proof: frames
    are kept by it."""
    read, methods = read_by(DEVELOPED), newest_methods()
    others = {
        name: methods.get(f"sensor.{name}", default(f"sensor.{name}"))
        for name in vars(sensor)
        if f"sensor.{name}" not in read
    }
    return replace(sensor, **others)
