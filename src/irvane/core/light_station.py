"""The station Light and its settings, declared as in :mod:`irvane.core.stations`."""

from __future__ import annotations

from dataclasses import dataclass

from irvane.core import declaring as declare
from irvane.core.declaring import Curve
from irvane.core.groups import (
    CURVES,
    ENDS,
    LOCAL_CONTRAST,
    RANGE,
    RECOVERY,
    WHOLE,
)


@dataclass(frozen=True)
class Light:
    """Brightness, from the bottom of the tonal range to its top."""

    exposure: float = declare.number(
        0.0, "Exposure", "EV", -10, 10, 0.1, WHOLE, "Brightens or darkens everything, in stops.", decimals=2
    )
    contrast: float = declare.number(
        0.0, "Contrast", "%", -100, 100, 5, WHOLE,
        "Steepness around mid-grey, keeping hue. +100 doubles the distance in stops, −100 halves it.",
    )  # fmt: skip
    black: float = declare.number(
        0.0, "Black point", "EV", -4, 6, 0.1, ENDS,
        "Where black begins. Higher values let more of the deepest tones fall to black.", decimals=1,
    )  # fmt: skip
    white: float = declare.number(
        0.0, "White point", "EV", -3, 8, 0.1, ENDS,
        "The light that becomes paper white, against the usual four stops above mid-grey. Raise "
        "it to keep more of the brightest tones.", decimals=1,
    )  # fmt: skip
    shadows: float = declare.number(
        0.0, "Shadows", "EV", -4, 5, 0.1, RECOVERY,
        "Lifts or deepens dark areas as a whole; edges and fine contrast stay, the deepest black stays "
        "black.",
        decimals=1,
    )  # fmt: skip
    midtones: float = declare.number(
        0.0, "Mid-tones", "EV", -2, 2, 0.1, RECOVERY,
        "Lifts or lowers the middle of the range; black and white stay where they are.", decimals=1,
    )  # fmt: skip
    highlights: float = declare.number(
        0.0, "Highlights", "EV", -3, 3, 0.1, RECOVERY,
        "Lowers or raises bright areas as a whole; edges and fine contrast stay.", decimals=1,
    )  # fmt: skip
    roll_off: float = declare.number(
        0.0, "Roll-off", "EV", 0, 6, 0.1, ENDS,
        "Stops beyond paper white that are still told apart: the brightest two stops below it "
        "bend softly to make room, in all colours alike.", decimals=1,
    )  # fmt: skip
    local_small: float = declare.number(
        0.0, "Small", "%", -100, 100, 5, LOCAL_CONTRAST,
        "Contrast of structures up to about a hundredth of the frame: bark, cloth, ripples. Negative values "
        "soften.",
    )  # fmt: skip
    local_large: float = declare.number(
        0.0, "Large", "%", -100, 100, 5, LOCAL_CONTRAST,
        "Contrast of structures up to about a twentieth of the frame: clouds, folds of land. Negative "
        "values soften.",
    )  # fmt: skip
    curve: Curve = declare.points(
        "All", CURVES,
        "Brightness through points, in EV around mid-grey; colours keep their ratios.",
    )  # fmt: skip
    curve_red: Curve = declare.points(
        "Red", CURVES, "Red alone: casts that differ between shadows and highlights."
    )
    curve_green: Curve = declare.points("Green", CURVES, "Green alone.")
    curve_blue: Curve = declare.points("Blue", CURVES, "Blue alone.")
    tone_map: str = declare.choice(
        "none", "Operator", (("none", "none"), ("photographic", "photographic"), ("local", "local")), RANGE,
        "Fits a scene of many stops into the picture. Photographic: one global curve, no halos, no noise "
        "boost (Reinhard and others, 2002). Local: whole areas are brought nearer to each other, their "
        "detail stays.",
    )  # fmt: skip
    tone_strength: float = declare.number(
        100, "Strength", "%", 0, 100, 5, RANGE, "How far the operator acts; 0 leaves the light as it is."
    )
    tone_key: float = declare.number(
        0.0, "Key", "EV", -4, 4, 0.1, RANGE, "Brightness of the middle of the scene under the operator.",
        decimals=1
    )  # fmt: skip
    toned_by: str = declare.method("Light", "guided@1")
