"""The stations of the line and their settings, each declared with unit, range, neutral value and help.

``None`` means *automatic*: the value follows from what is measured in the frame.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any


@dataclass(frozen=True)
class Group:
    """Settings that act on the same thing and stand together.

    Attributes
    ----------
    key : its identity; the label may be reworded.
    telling : the names of its settings say little without the group's.
    """

    key: str
    label: str
    telling: bool = False


MOSAIC = Group("mosaic", "Mosaic")
DARK_LINES = Group("dark-lines", "Dark lines")
FALSE_COLOUR = Group("false-colour", "False colour")
CLIPPING = Group("clipping", "Clipping")
VIGNETTING = Group("vignetting", "Vignetting")
REMOVAL = Group("removal", "Removal")
OVER_BRIGHTNESS = Group("over-brightness", "Over brightness", telling=True)
OVER_SCALE = Group("over-scale", "Over scale", telling=True)
PER_CHANNEL = Group("per-channel", "Per channel", telling=True)
GRAIN_AT_THE_END = Group("grain-at-the-end", "Grain at the end")
WHOLE = Group("whole", "Whole")
ENDS = Group("ends", "Ends")
RECOVERY = Group("recovery", "Recovery")
LOCAL_CONTRAST = Group("local-contrast", "Local contrast", telling=True)
CURVES = Group("curves", "Curves", telling=True)
RANGE = Group("range", "Range")
WHITE_BALANCE = Group("white-balance", "White balance")
STRENGTH = Group("strength", "Strength")
BY_HUE = Group("by-hue", "By hue", telling=True)
SCALE = Group("scale", "Sharpening", telling=True)
LIMITS = Group("limits", "Limits")
FILE = Group("file", "File")


@dataclass(frozen=True)
class Number:
    """Declaration of a numeric setting."""

    label: str
    unit: str
    low: float
    high: float
    neutral: float
    step: float
    group: Group
    help: str
    automatic: bool = False
    decimals: int = 0


@dataclass(frozen=True)
class Choice:
    """Declaration of a setting with named values."""

    label: str
    options: tuple[tuple[str, str], ...]
    group: Group
    help: str


#: A tone curve: points (level in, level out) in EV around mid-grey, rising; none: a straight line.
Curve = tuple[tuple[float, float], ...]


@dataclass(frozen=True)
class Method:
    """Declaration of the method that a step of the line runs: an old proof keeps the one that made it.

    Attributes
    ----------
    label : what the method does.
    names : released methods as ``name@n``, oldest first; new proofs take the last.
    """

    label: str
    names: tuple[str, ...]


@dataclass(frozen=True)
class Points:
    """Declaration of a curve through points."""

    label: str
    group: Group
    help: str
    unit: str = "EV"
    low: float = -12.0
    high: float = 8.0
    most: int = 12


def _number(
    default: float | None,
    label: str,
    unit: str,
    low: float,
    high: float,
    step: float,
    group: Group,
    help: str,
    *,
    neutral: float | None = None,
    decimals: int = 0,
) -> Any:
    spec = Number(
        label, unit, low, high, neutral if neutral is not None else (default or 0.0), step, group, help,
        automatic=default is None, decimals=decimals,
    )  # fmt: skip
    return field(default=default, metadata={"spec": spec})


def _hue(name: str) -> Any:
    words = f"Strengthens or weakens {name}; −100 % makes them grey."
    return _number(0, name.capitalize(), "%", -100, 100, 5, BY_HUE, words)


def _choice(default: str, label: str, options: tuple[tuple[str, str], ...], group: Group, help: str) -> Any:
    return field(default=default, metadata={"spec": Choice(label, options, group, help)})


def _method(label: str, *names: str) -> Any:
    return field(default=names[-1], metadata={"spec": Method(label, names)})


def _points(label: str, group: Group, help: str) -> Any:
    return field(default=(), metadata={"spec": Points(label, group, help)})


@dataclass(frozen=True)
class Sensor:
    """From the mosaic to linear colour."""

    demosaic: str = _choice(
        "auto", "Interpolation",
        (("auto", "automatic"), ("directional", "directional"), ("linear", "linear")), MOSAIC,
        "How full colour is made from the filter mosaic. Directional is quick; on a 6×6 array, and where noise is removed by "
        "the best method, automatic has a network mend what that gets wrong where fine structures cross, which takes longer. "
        "Linear is softer but calm in extreme noise.",
    )  # fmt: skip
    defects: str = _choice(
        "on", "Hot pixels", (("on", "repair"), ("off", "leave")), MOSAIC,
        "Replaces single pixels and pairs that no light could have made: their neighbours know nothing of them. "
        "Stars and points of light stay; so may faint defects amid detail as fine as a pixel.",
    )  # fmt: skip
    banding: str = _choice(
        "rows", "Banding",
        (("rows", "rows"), ("columns", "columns"), ("both", "rows and columns"), ("off", "leave")), DARK_LINES,
        "Takes away offsets that whole lines share in the deepest tones. A clean sensor is left as it is.",
    )  # fmt: skip
    banding_width: float = _number(
        8, "Widest band", "px", 1, 200, 1, DARK_LINES,
        "How wide a band can be. Raise it for broad stripes; a small value leaves soft horizontal shading alone.",
    )  # fmt: skip
    false_colour: float = _number(
        0, "Clean-up", "%", 0, 100, 5, FALSE_COLOUR,
        "Calms coloured fringes and specks that interpolation leaves in fine texture, cloth and lettering. Tiny coloured "
        "things pale with it.",
    )  # fmt: skip
    false_colour_width: float = _number(
        4, "Widest fringe", "px", 2, 16, 1, FALSE_COLOUR,
        "How wide the coloured fringes are. Moiré on cloth or roofs needs 8 and more.",
    )  # fmt: skip
    highlights: str = _choice(
        "rebuild", "Lost colour", (("rebuild", "rebuild"), ("clip", "cut off")), CLIPPING,
        "Where one or two colours are clipped, the missing light is rebuilt from those that still hold.",
    )  # fmt: skip
    defects_by: str = _method("Hot pixels", "defects@1")
    banding_by: str = _method("Banding", "lines@1", "lines@2")
    colour_by: str = _method("Interpolation", "refined@1", "refined@2")
    clipping_by: str = _method("Lost colour", "lent-colour@1")


@dataclass(frozen=True)
class Lens:
    """Errors of the lens."""

    vignetting: float = _number(
        0.0, "Corner light", "EV", 0.0, 3.0, 0.1, VIGNETTING,
        "Light given back to the corners. Set it by eye on an even surface.", decimals=1,
    )  # fmt: skip


@dataclass(frozen=True)
class Noise:
    """Noise removal on the mosaic."""

    amount: float | None = _number(
        None, "Amount", "%", 0, 200, 5, REMOVAL,
        "Share of the measured noise that is removed. Automatic follows the measurement and does next to nothing "
        "at base ISO.", neutral=0,
    )  # fmt: skip
    method: str = _choice(
        "best", "Method", (("best", "best"), ("fast", "fast")), REMOVAL,
        "Best: a network trained on noise alone. Fast: cosine transforms, in about a quarter of the time, with less fine "
        "detail kept.",
    )  # fmt: skip
    luminance: float = _number(
        100, "Luminance", "%", 0, 100, 5, REMOVAL,
        "How much of the removal acts on brightness. Lower it to keep a natural fine grain.",
    )  # fmt: skip
    colour: float = _number(
        100, "Colour", "%", 0, 100, 5, REMOVAL,
        "How much of the removal acts on colour. Coloured blotches are rarely wanted.",
    )  # fmt: skip
    texture: float = _number(
        0, "Texture", "%", 0, 100, 5, REMOVAL,
        "How much of what was taken from structured places is given back: a slight natural grain instead of a glassy "
        "surface. Even areas stay clean.",
    )  # fmt: skip
    shadows: float = _number(
        100, "Shadows", "%", 0, 100, 5, OVER_BRIGHTNESS, "Share of the removal in the deepest tones, nine stops "
        "below clipping and darker.",
    )  # fmt: skip
    midtones: float = _number(
        100, "Mid-tones", "%", 0, 100, 5, OVER_BRIGHTNESS, "Share of the removal five stops below clipping.",
    )  # fmt: skip
    highlights: float = _number(
        100, "Highlights", "%", 0, 100, 5, OVER_BRIGHTNESS, "Share of the removal in the brightest tones, where noise "
        "is smallest.",
    )  # fmt: skip
    clear_black: float = _number(
        0, "Clear black", "%", 0, 100, 5, OVER_BRIGHTNESS,
        "Takes away the even haze that lies over the deepest tones of a noisy frame; measured, per colour.",
    )  # fmt: skip
    fine: float = _number(
        100, "Fine grain", "%", 0, 100, 5, OVER_SCALE, "Share of the removal of grain from pixel to pixel.",
    )  # fmt: skip
    medium: float = _number(
        100, "Medium", "%", 0, 100, 5, OVER_SCALE, "Share of the removal of specks some pixels wide.",
    )  # fmt: skip
    coarse: float = _number(
        100, "Blotches", "%", 0, 100, 5, OVER_SCALE, "Share of the removal of wide soft blotches.",
    )  # fmt: skip
    red: float = _number(
        100, "Red", "%", 0, 100, 5, PER_CHANNEL, "Share of the removal in the red of the sensor: with blue the usual "
        "leftover.",
    )  # fmt: skip
    green: float = _number(
        100, "Green", "%", 0, 100, 5, PER_CHANNEL, "Share of the removal in the green of the sensor, which carries "
        "most of the texture: lower it where mid-tone texture suffers.",
    )  # fmt: skip
    blue: float = _number(
        100, "Blue", "%", 0, 100, 5, PER_CHANNEL, "Share of the removal in the blue of the sensor, usually the noisiest.",
    )  # fmt: skip
    grain: float = _number(
        0, "Grain", "%", 0, 100, 5, GRAIN_AT_THE_END,
        "An even grain without colour over the finished picture, against a plastic look. Strongest in the mid-tones.",
    )  # fmt: skip
    grain_size: float = _number(
        1.5, "Grain size", "px", 0.5, 6, 0.5, GRAIN_AT_THE_END, "Width of a grain in pixels of the frame.", decimals=1,
    )  # fmt: skip
    removed_by: str = _method("Noise removal", "removal@1", "removal@2")


@dataclass(frozen=True)
class Light:
    """Brightness, from the bottom of the tonal range to its top."""

    exposure: float = _number(
        0.0, "Exposure", "EV", -10, 10, 0.1, WHOLE, "Brightens or darkens everything, in stops.", decimals=2
    )
    contrast: float = _number(
        0.0, "Contrast", "%", -100, 100, 5, WHOLE,
        "Steepness around mid-grey, keeping hue. +100 doubles the distance in stops, −100 halves it.",
    )  # fmt: skip
    black: float = _number(
        0.0, "Black point", "EV", -4, 6, 0.1, ENDS,
        "Where black begins. Higher values let more of the deepest tones fall to black.", decimals=1,
    )  # fmt: skip
    white: float = _number(
        0.0, "White point", "EV", -3, 8, 0.1, ENDS,
        "The light that becomes paper white, against the usual four stops above mid-grey. Raise it to keep more "
        "of the brightest tones.", decimals=1,
    )  # fmt: skip
    shadows: float = _number(
        0.0, "Shadows", "EV", -4, 5, 0.1, RECOVERY,
        "Lifts or deepens dark areas as a whole; edges and fine contrast stay, the deepest black stays black.",
        decimals=1,
    )  # fmt: skip
    midtones: float = _number(
        0.0, "Mid-tones", "EV", -2, 2, 0.1, RECOVERY,
        "Lifts or lowers the middle of the range; black and white stay where they are.", decimals=1,
    )  # fmt: skip
    highlights: float = _number(
        0.0, "Highlights", "EV", -3, 3, 0.1, RECOVERY,
        "Lowers or raises bright areas as a whole; edges and fine contrast stay.", decimals=1,
    )  # fmt: skip
    roll_off: float = _number(
        0.0, "Roll-off", "EV", 0, 6, 0.1, ENDS,
        "Stops beyond paper white that are still told apart: the brightest two stops below it bend softly to make room, "
        "in all colours alike.", decimals=1,
    )  # fmt: skip
    local_small: float = _number(
        0.0, "Small", "%", -100, 100, 5, LOCAL_CONTRAST,
        "Contrast of structures up to about a hundredth of the frame: bark, cloth, ripples. Negative values soften.",
    )  # fmt: skip
    local_large: float = _number(
        0.0, "Large", "%", -100, 100, 5, LOCAL_CONTRAST,
        "Contrast of structures up to about a twentieth of the frame: clouds, folds of land. Negative values soften.",
    )  # fmt: skip
    curve: Curve = _points(
        "All", CURVES,
        "Brightness through points, in EV around mid-grey; colours keep their ratios.",
    )  # fmt: skip
    curve_red: Curve = _points("Red", CURVES, "Red alone: casts that differ between shadows and highlights.")
    curve_green: Curve = _points("Green", CURVES, "Green alone.")
    curve_blue: Curve = _points("Blue", CURVES, "Blue alone.")
    tone_map: str = _choice(
        "none", "Operator", (("none", "none"), ("photographic", "photographic")), RANGE,
        "Fits a scene of many stops into the picture. Photographic: one global curve, no halos, no noise boost "
        "(Reinhard and others, 2002).",
    )  # fmt: skip
    tone_strength: float = _number(
        100, "Strength", "%", 0, 100, 5, RANGE, "How far the operator acts; 0 leaves the light as it is."
    )
    tone_key: float = _number(
        0.0,
        "Key",
        "EV",
        -4,
        4,
        0.1,
        RANGE,
        "Brightness of the middle of the scene under the operator.",
        decimals=1,
    )
    toned_by: str = _method("Light", "guided@1")


@dataclass(frozen=True)
class Colour:
    """White balance and colour."""

    light: str = _choice(
        "shot", "Light",
        (("shot", "as shot"), ("daylight", "daylight"), ("cloud", "cloud"), ("shade", "shade"),
         ("tungsten", "tungsten"), ("fluorescent", "fluorescent"), ("flash", "flash")), WHITE_BALANCE,
        "The light that is taken for white, by name. Temperature and tint can still be moved from there.",
    )  # fmt: skip
    temperature: float | None = _number(
        None, "Temperature", "K", 1800, 20000, 50, WHITE_BALANCE,
        "Colour of the light that is taken for white. Higher values make the picture warmer.", neutral=5500,
    )  # fmt: skip
    tint: float | None = _number(
        None, "Tint", "mDuv", -60, 60, 1, WHITE_BALANCE,
        "Deviation of that light from a glowing body, in thousandths of Duv. Positive takes out green.", neutral=0,
    )  # fmt: skip
    saturation: float = _number(
        100, "Saturation", "%", 0, 200, 5, STRENGTH, "Distance of colours from grey of the same lightness."
    )
    pale: float = _number(
        0, "Pale colours", "%", -100, 100, 5, STRENGTH,
        "Strengthens or weakens pale colours; what is saturated already stays as it is.",
    )  # fmt: skip
    reds: float = _hue("reds")
    yellows: float = _hue("yellows")
    greens: float = _hue("greens")
    cyans: float = _hue("cyans")
    blues: float = _hue("blues")
    purples: float = _hue("purples")
    rendered_by: str = _method("Colour", "rendering@1")


@dataclass(frozen=True)
class Acutance:
    """Sharpening by scale, held back by noise and by its own edges."""

    fine: float = _number(
        0,
        "Fine",
        "%",
        0,
        200,
        5,
        SCALE,
        "Strength for structures of one to two pixels: hair, lettering, texture.",
    )
    medium: float = _number(
        0, "Medium", "%", 0, 200, 5, SCALE, "Strength for structures of about three pixels."
    )
    coarse: float = _number(
        0, "Coarse", "%", 0, 200, 5, SCALE, "Strength for structures of about six pixels."
    )
    noise_floor: float = _number(
        2.0, "Noise floor", "σ", 0, 10, 0.5, LIMITS,
        "Differences below this many standard deviations of the remaining noise are left alone.", decimals=1,
    )  # fmt: skip
    overshoot: float = _number(
        10, "Overshoot", "%", 0, 100, 5, LIMITS,
        "How far an edge may go beyond its own surroundings, as a share of their range: no halos at 0.",
    )  # fmt: skip
    sharpened_by: str = _method("Sharpening", "bands@1")


@dataclass(frozen=True)
class Finish:
    """What is written."""

    space: str = _choice(
        "srgb", "Space", (("srgb", "sRGB"), ("p3", "Display P3"), ("adobe-rgb", "Adobe RGB (1998)"),
        ("prophoto", "ProPhoto (ROMM)"), ("rec2020", "Rec. 2020")), FILE,
        "Colour space of the written file; its ICC profile is put inside.",
    )  # fmt: skip
    format: str = _choice(
        "tiff", "Format", (("tiff", "TIFF"), ("jpeg", "JPEG"), ("exr", "OpenEXR")), FILE,
        "TIFF for further work, JPEG to pass on, OpenEXR for scene-linear light.",
    )  # fmt: skip
    quality: float = _number(
        92, "Quality", "%", 40, 100, 1, FILE, "JPEG quality; other formats lose nothing."
    )
