"""What the stations say about a proof, and the automatic values in force."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np

from irvane.core.acutance.blur_cause import UNSURE
from irvane.core.acutance.blurs import DEFOCUS, LENS
from irvane.core.colour.camera import light_of
from irvane.core.colour.saturation import RANGES
from irvane.core.image import GREEN
from irvane.core.judge.diagnosis import MID_SIGNAL, Diagnosis, diagnose
from irvane.core.lens.fringing import USUAL_HUE
from irvane.core.line.colouring import denoised_name
from irvane.core.line.context import noise_amount, noise_removal
from irvane.core.line.deblurring import blur_of, measured_size
from irvane.core.line.frame import Frame
from irvane.core.line.paces import Paces
from irvane.core.line.source import CAMERA, DISPLAY, MERGED, MOSAIC, SCENE
from irvane.core.noise.denoise import BEST, FAST
from irvane.core.settings import Colour, Settings, spec, value_text
from irvane.desktop.line.lens_words import found_profile, lens_word

_ENTRY_WORDS = {
    CAMERA: "demosaiced already",
    MERGED: "merged light",
    SCENE: "scene-linear file",
    DISPLAY: "finished picture",
}


def automatic_values(frame: Frame | None, settings: Settings) -> dict[str, float | str]:
    """Automatic values of a frame under these settings, by setting path."""
    if frame is None:
        return {}
    values: dict[str, float | str] = {"noise.amount": frame.context.noise_amount}
    values["lens.profile"] = found_profile(frame)
    found = frame.context.softness
    if found is not None:
        measured = found.blur or found.beside
        kind = settings.acutance.deblur
        own = kind if kind in (LENS, DEFOCUS) else measured.cause if measured is not None else LENS
        values["acutance.radius"] = measured_size(own, found) or 0.0
    hue = frame.context.lens.fringe_hue
    values["lens.fringe_hue"] = USUAL_HUE if hue is None else hue
    if frame.context.lens.optics.focal:
        values["lens.focal"] = frame.context.lens.optics.focal
    if frame.developed.colour is not None:
        kelvin, tint = light_of(frame.developed.colour, Colour(light=settings.colour.light))
        values |= {"colour.temperature": kelvin, "colour.tint": tint}
    return values


def _acutance_words(frame: Frame | None, settings: Settings, strengths: list[str]) -> str:
    """What is deblurred and sharpened, in a line."""
    by_hand = ", ".join(strengths) + " %" if strengths else "off"
    found = frame.context.softness if frame is not None else None
    sharpened = f"sharpening {by_hand}"
    if settings.acutance.automatic == "on":
        sharpened = "sharpening automatic"
    elif settings.acutance.automatic == "lens" and found is not None and found.cause == LENS:
        sharpened = "soft lens sharpened" if not strengths else f"soft lens, {sharpened}"
    if settings.acutance.deblur == "off":
        return sharpened
    blur = blur_of(settings.acutance, found)
    more = f", {sharpened}" if not sharpened.endswith("off") else ""
    if blur is None:
        unsure = settings.acutance.deblur == "auto" and found is not None and found.cause == UNSURE
        return ("soft, cause not sure" if unsure else "no blur to undo") + more
    kind = {"lens": "lens σ", "defocus": "disc", "motion": "motion"}[blur.cause]
    if blur.path or blur.blades:
        kind = "path" if blur.path else f"{blur.blades} blades,"
    return f"{kind} {blur.size:.1f} px undone{more}"


def diagnosis(frame: Frame) -> Diagnosis:
    """What is the matter with a developed frame, and what is therefore on."""
    developed = frame.developed
    room = frame.exposure.headroom if frame.exposure is not None else None
    clipped = frame.context.clipped_share if developed.entry in (MOSAIC, CAMERA) else None
    return diagnose(developed.noise, clipped, room, developed.defects)


def sigma_text(frame: Frame) -> str:
    """Measured noise at mid-grey, relative to clipping."""
    noise = frame.developed.noise
    return "" if noise is None else f"σ {noise.sigma(MID_SIGNAL, GREEN) * 100:.2f} %"


_NAMED = (
    "shadows",
    "midtones",
    "highlights",
    "contrast",
    "local_small",
    "local_large",
    "black",
    "white",
    "roll_off",
)


def _light(settings: Settings) -> str:
    light = settings.light
    parts = [value_text("light.exposure", light.exposure)] if light.exposure else []
    for name in _NAMED:
        value = getattr(light, name)
        if value:
            path = f"light.{name}"
            name = f"local {spec(path).label}" if name.startswith("local") else spec(path).label
            parts.append(f"{name.lower()} {value_text(path, value)}")
    if any((light.curve, light.curve_red, light.curve_green, light.curve_blue)):
        parts.append("curve")
    if light.tone_map != "none":
        parts.append(light.tone_map)
    return ", ".join(parts) or "as it was"


def _colour(settings: Settings, automatic: Mapping[str, Any], unknown: str) -> str:
    colour = settings.colour
    kelvin = colour.temperature or automatic.get("colour.temperature")
    named = (
        value_text("colour.light", colour.light) if colour.temperature is None and colour.tint is None else ""
    )
    parts = [unknown if kelvin is None else f"{kelvin:.0f} K {named}".rstrip()]
    if settings.colour.saturation != 100:
        parts.append(f"saturation {settings.colour.saturation:.0f} %")
    if any(getattr(colour, name) for name in RANGES):
        parts.append("by hue")
    if settings.colour.pale:
        parts.append(f"pale colours {value_text('colour.pale', settings.colour.pale)}")
    return ", ".join(parts)


def station_words(settings: Settings, frame: Frame | None) -> dict[str, str]:
    """A word or a figure per station."""
    automatic = automatic_values(frame, settings)
    sensor, noise = "…", "…"
    if frame is not None:
        entry = frame.developed.entry
        if entry == MOSAIC:
            sensor = "being developed"
            if not frame.coarse:
                sensor = _interpolation(settings, frame).partition("-")[0]
            if frame.developed.defects:
                sensor += f", {frame.developed.defects} repaired"
        else:
            sensor = _ENTRY_WORDS[entry]
        amount = noise_amount(settings, frame.context)
        automatic_word = "auto " if settings.noise.amount is None else ""
        if frame.developed.noise is None:
            noise = f"{amount:.0f} %" if amount else "off"
            noise = noise if frame.developed.finished is not None else "not measured"
        else:
            noise = f"{sigma_text(frame)}, " + (f"{automatic_word}{amount:.0f} %" if amount else "off")
    acutance = settings.acutance
    strengths = [
        f"{name} {getattr(acutance, name):.0f}"
        for name in ("fine", "medium", "coarse")
        if getattr(acutance, name)
    ]
    finish = settings.finish
    space = dict(spec("finish.space").options)[finish.space]  # type: ignore[union-attr]
    light = ""
    if finish.format == "exr":
        light = "with tone, " if finish.tone == "toned" else "plain light, "
    form = dict(spec("finish.format").options)[finish.format]  # type: ignore[union-attr]
    return {
        "sensor": sensor,
        "lens": lens_word(settings, frame),
        "noise": noise,
        "light": _light(settings),
        "colour": _colour(settings, automatic, "…" if frame is None else "as finished"),
        "acutance": _acutance_words(frame, settings, strengths),
        "finish": f"{form}, {light}{space}",
    }


def _interpolation(settings: Settings, frame: Frame) -> str:
    """The method that made the picture in sight: of the denoised mosaic, where it is denoised."""
    developed, removal = frame.developed, noise_removal(settings, frame.context)
    name = developed.method
    if removal.strength and developed.cfa is not None:
        name = denoised_name(developed.cfa, settings.sensor, removal)
    return name.partition("@")[0]


def sensor_text(settings: Settings, frame: Frame) -> str:
    """What was found on the sensor: levels, room above, repairs, method."""
    developed, exposure = frame.developed, frame.exposure
    if developed.entry != MOSAIC:
        return f"{_ENTRY_WORDS[developed.entry].capitalize()}: there is no mosaic to work on."
    lines = []
    if developed.levels is not None:
        black, white = (_levels_text(level) for level in developed.levels)
        lines.append(f"Black {black}, white {white} (counts)")
    if exposure is not None:
        room = (f"{name} {_room_text(ev)}" for name, ev in zip("RGB", exposure.headroom, strict=True))
        lines.append(f"Room to clipping: {', '.join(room)}")
        lines_off = developed.banding
        banding = "no banding proven"
        if lines_off.sigma:
            off = max(lines_off.measured, lines_off.sigma)
            banding = f"lines off by σ {off * 100:.3f} %"
            banding += (
                f" ({lines_off.sureness:.0f} standard errors from chance)" if lines_off.sureness else ""
            )
        lines.append(f"{developed.defects} pixels repaired, {banding}")
        lines.append(f"Interpolation: {_interpolation(settings, frame)}")
    return " · ".join([*lines, *developed.notes])


def pace_text(paces: Paces, frame: Frame) -> str:
    """How long each method takes for the whole of this frame, as far as it is known on this machine."""
    h, w = frame.developed.extent
    known = [
        f"{kind} about {max(pace * h * w / 1e6, 1):.0f} s"
        for kind, pace in sorted(paces.values.items())
        if kind in (BEST, FAST)
    ]
    return f" The whole frame takes here: {', '.join(known)}." if known else ""


def finished_noise_text(frame: Frame | None) -> str:
    """What is known of the noise of a picture without a mosaic."""
    if frame is None or frame.developed.finished is None:
        return "No noise model: this picture is merged already, or too small or too full to tell."
    found = float(frame.developed.finished.sigmas(np.array(MID_SIGNAL**0.5)))
    return (
        f"Noise of a finished picture, correlated: σ about {2 * MID_SIGNAL**0.5 * found * 100:.2f} % at "
        f"mid-grey. Nothing is "
        "removed unless you set an amount; the raw file gives a better result."
    )


def _levels_text(levels: np.ndarray) -> str:
    values = [f"{v:.0f}" for v in levels]
    return values[0] if len(set(values)) == 1 else " / ".join(values)


def _room_text(ev: float) -> str:
    return f"{ev:.1f} EV" if ev > 0 else "none"


def noise_left(settings: Settings, frame: Frame) -> float:
    """Share of the noise that the chosen amount leaves untouched (what denoising itself leaves is not
    counted)."""
    return 1.0 - min(noise_amount(settings, frame.context), 100) / 100
