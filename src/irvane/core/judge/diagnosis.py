"""A frame's state in words, each with its figure, and what is therefore switched on."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from irvane.core.image import GREEN, NoiseModel
from irvane.core.noise.denoise import automatic_amount

#: Signals, relative to clipping, that noise is judged at: 18 % grey half a stop under (ISO 12232), and three
#: stops below.
MID_SIGNAL, SHADOW_SIGNAL = 0.127, 0.0159
#: Least SNR at mid-grey of each class. ISO 12232 calls 40:1 excellent and 10:1 acceptable; the others lie
#: between and below, by common practice.
_CLASSES = (
    (40.0, "hardly any noise"),
    (20.0, "slight noise"),
    (10.0, "visible noise"),
    (4.0, "strong noise"),
    (0.0, "extreme noise"),
)
#: Their names, from the least noise on.
NOISE_CLASSES = tuple(words for _, words in _CLASSES)
_SOURCES = {
    "file": "the file's noise profile",
    "measured": "measured in this frame",
    "smoothed": "measured in this frame, which its camera has smoothed",
}
_SMALL_AMOUNT = 60.0
_MUCH_CLIPPED = 0.01
_NAMES = ("red", "green", "blue")


@dataclass(frozen=True)
class Diagnosis:
    """What is the matter with a frame, as far as it was measured.

    Attributes
    ----------
    noise : class of the noise; empty when it is not known.
    findings : sentences with their figures.
    measures : sentences about what is therefore switched on.
    """

    noise: str
    findings: tuple[str, ...]
    measures: tuple[str, ...]


def noise_class(snr: float) -> str:
    """Class of the noise by the signal-to-noise ratio at mid-grey."""
    return next(words for least, words in _CLASSES if snr >= least)


def decibels(ratio: float) -> float:
    """An amplitude ratio in dB."""
    return float(20 * np.log10(max(ratio, 1e-6)))


def diagnose(
    noise: NoiseModel | None,
    clipped: float | None,
    headroom: tuple[float, float, float] | None,
    defects: int | None = None,
) -> Diagnosis:
    """Put a frame's figures into words.

    Parameters
    ----------
    noise : model of the mosaic's noise.
    clipped : share of the pixels that hold a colour clipped on the sensor; None when there is nothing to tell
        it by.
    headroom : stops between the brightest thousandth of red, green, blue and clipping; None when not known.
    defects : pixels that were repaired; None when they were not looked for.
    """
    findings, measures, kind = [], [], ""
    if noise is not None:
        mid, shadow = noise.snr(MID_SIGNAL, GREEN), noise.snr(SHADOW_SIGNAL, GREEN)
        kind = noise_class(mid)
        source = _SOURCES.get(noise.origin, "a usual sensor at this ISO")
        grey, dark = (f"{decibels(snr):.0f} dB".replace("-", "−") for snr in (mid, shadow))
        findings.append(f"{kind.capitalize()}: SNR {grey} at mid-grey, {dark} three stops below ({source}).")
        amount = automatic_amount(noise)
        if amount < _SMALL_AMOUNT:
            measures.append(
                f"Automatic does next to nothing against noise ({amount:.0f} %): detail would be lost for "
                f"little."
            )
        else:
            measures.append(f"Automatic denoises at {amount:.0f} %.")
    if clipped is not None:
        findings.append(_clipping(clipped, headroom))
    if clipped:
        measures.append("Clipped colours are rebuilt from the others and from the surroundings.")
    if defects:
        findings.append(f"{defects} defective pixels.")
        measures.append("Defects are repaired.")
    return Diagnosis(kind, tuple(findings), tuple(measures))


def _clipping(clipped: float, headroom: tuple[float, float, float] | None) -> str:
    if clipped >= _MUCH_CLIPPED:
        return f"{clipped * 100:.1f} % of the pixels are clipped: exposure was too long, or it is a light."
    if clipped > 0:
        return f"{clipped * 100:.2g} % of the pixels are clipped."
    if headroom is None:
        return "Nothing is clipped."
    least = int(np.argmin(headroom))
    return f"Nothing is clipped: {headroom[least]:.1f} EV of room in {_NAMES[least]}."
