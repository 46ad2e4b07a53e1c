"""The stations of the line and their settings, each declared with unit, range, neutral value and help.

``None`` means *automatic*: the value follows from what is measured in the frame.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from irvane.core import declaring as declare
from irvane.core.declaring import Crop
from irvane.core.groups import (
    BY_HUE,
    CLIPPING,
    COLOUR_ERRORS,
    DARK_LINES,
    FALSE_COLOUR,
    FILE,
    FRAMING,
    GRAIN_AT_THE_END,
    MOSAIC,
    OVER_BRIGHTNESS,
    OVER_SCALE,
    PER_CHANNEL,
    PROFILE,
    REMOVAL,
    STRENGTH,
    UPRIGHT,
    VIGNETTING,
    WHITE_BALANCE,
)
from irvane.core.light_station import Light as Light


def _hue(name: str) -> Any:
    words = f"Strengthens or weakens {name}; −100 % makes them grey."
    return declare.number(0, name.capitalize(), "%", -100, 100, 5, BY_HUE, words)


@dataclass(frozen=True)
class Sensor:
    """From the mosaic to linear colour."""

    demosaic: str = declare.choice(
        "auto", "Interpolation",
        (("auto", "automatic"), ("directional", "directional"), ("linear", "linear")), MOSAIC,
        "How full colour is made from the filter mosaic. Directional is quick; on a 6×6 array, and where "
        "noise is removed by the best method, automatic has a network mend what that gets wrong where fine "
        "structures cross, which takes longer. Linear is softer but calm in extreme noise.",
    )  # fmt: skip
    defects: str = declare.choice(
        "on", "Hot pixels", (("on", "repair"), ("off", "leave")), MOSAIC,
        "Replaces single pixels and pairs that no light could have made: their neighbours know nothing of "
        "them. Stars and points of light stay; so may faint defects amid detail as fine as a pixel.",
    )  # fmt: skip
    banding: str = declare.choice(
        "rows", "Banding",
        (("rows", "rows"), ("columns", "columns"), ("both", "rows and columns"), ("off", "leave")),
        DARK_LINES,
        "Takes away offsets that whole lines share in the deepest tones. A clean sensor is left as it is.",
    )  # fmt: skip
    banding_width: float = declare.number(
        8, "Widest band", "px", 1, 200, 1, DARK_LINES,
        "How wide a band can be. Raise it for broad stripes; a small value leaves soft horizontal shading "
        "alone.",
    )  # fmt: skip
    false_colour: float = declare.number(
        0, "Clean-up", "%", 0, 100, 5, FALSE_COLOUR,
        "Calms coloured fringes and specks that interpolation leaves in fine texture, cloth and lettering. "
        "Tiny coloured things pale with it.",
    )  # fmt: skip
    false_colour_width: float = declare.number(
        4, "Widest fringe", "px", 2, 16, 1, FALSE_COLOUR,
        "How wide the coloured fringes are. Moiré on cloth or roofs needs 8 and more.",
    )  # fmt: skip
    highlights: str = declare.choice(
        "rebuild", "Lost colour", (("rebuild", "rebuild"), ("clip", "cut off")), CLIPPING,
        "Where one or two colours are clipped, the missing light is rebuilt from those that still hold.",
    )  # fmt: skip
    defects_by: str = declare.method("Hot pixels", "defects@1")
    banding_by: str = declare.method("Banding", "lines@1", "lines@2")
    colour_by: str = declare.method("Interpolation", "refined@1", "refined@2")
    clipping_by: str = declare.method("Lost colour", "lent-colour@1")


@dataclass(frozen=True)
class Lens:
    """Errors of the lens, and what of the picture is shown."""

    profile: str = declare.name(
        "auto", "Lens", (("auto", "automatic"), ("off", "none")), PROFILE,
        "What is known of this lens. Automatic takes the corrections that the file carries, or else the "
        "lens database's when it knows just this lens; a raw frame only. Choose a lens by its name when it "
        "was not found.",
    )  # fmt: skip
    profile_distortion: float = declare.number(
        100, "Distortion", "%", 0, 150, 5, PROFILE, "How much of the known distortion is corrected; 0 "
                                                    "leaves it.",
    )  # fmt: skip
    profile_vignetting: float = declare.number(
        100, "Vignetting", "%", 0, 150, 5, PROFILE, "How much of the known loss of light in the corners is "
                                                    "given back.",
    )  # fmt: skip
    profile_aberration: float = declare.number(
        100, "Aberration", "%", 0, 150, 5, PROFILE,
        "How much of the lateral chromatic aberration is corrected, whether it is known or measured.",
    )  # fmt: skip
    focal: float | None = declare.number(
        None, "Focal length", "mm", 1, 2000, 1, PROFILE,
        "For lenses that do not tell it to the camera. Automatic is what the file says.", neutral=50,
        decimals=1,
    )  # fmt: skip
    projection: str = declare.choice(
        "keep", "Fisheye", (("keep", "as it is"), ("straight", "make straight")), PROFILE,
        "A fisheye's picture can be made straight like that of other lenses; its corners are stretched by "
        "that.",
    )  # fmt: skip
    distortion: float = declare.number(
        0.0, "Distortion", "%", -30, 30, 0.1, VIGNETTING,
        "Bends lines straight by hand: how far the corners are moved outwards, of their "
        "distance from the middle. Positive values cure barrels.", decimals=1,
    )  # fmt: skip
    vignetting: float = declare.number(
        0.0, "Corner light", "EV", 0.0, 3.0, 0.1, VIGNETTING,
        "Light given back to the corners. Set it by eye on an even surface.", decimals=1,
    )  # fmt: skip
    falloff: str = declare.choice(
        "profile", "Lost light", (("profile", "from the profile"), ("frame", "measured here")), VIGNETTING,
        "Where the loss of light in the corners is known from. Measured here: from the frame itself, where "
        "its four quarters grow darker alike.",
    )  # fmt: skip
    aberration: str = declare.choice(
        "auto", "Aberration", (("auto", "automatic"), ("measured", "measured here"), ("off", "leave")),
        COLOUR_ERRORS,
        "Red and blue pictures of another size than green: coloured rims that grow towards the corners. "
        "Automatic takes them from the profile, or else measures them on the frame's contours and acts when "
        "that is certain.",
    )  # fmt: skip
    fringing: float = declare.number(
        0, "Fringes", "%", 0, 100, 5, COLOUR_ERRORS,
        "Takes the colour from fringes beside light that is nearly clipped: branches against the sky, "
        "lamps, glitter. Things of that colour elsewhere stay.",
    )  # fmt: skip
    fringe_hue: float | None = declare.number(
        None, "Fringe hue", "°", 0, 360, 5, COLOUR_ERRORS,
        "Hue of the fringes: 0 red, 120 green, 240 blue, 285 violet. Automatic looks for it beside the "
        "brightest edges.",
        neutral=285,
    )  # fmt: skip
    vertical: float = declare.number(
        0.0, "Tilt", "°", -45, 45, 0.5, UPRIGHT,
        "As if the camera had been tilted so much less upwards: falling walls stand upright.", decimals=1,
    )  # fmt: skip
    horizontal: float = declare.number(
        0.0, "Swing", "°", -45, 45, 0.5, UPRIGHT,
        "As if the camera had been swung so much less to the right: a front seen from its side lies level.",
        decimals=1,
    )  # fmt: skip
    straighten: float = declare.number(
        0.0, "Straighten", "°", -45, 45, 0.1, UPRIGHT,
        "Turns the picture clockwise by so many degrees: a slanting horizon lies level.", decimals=2,
    )  # fmt: skip
    turn: str = declare.choice(
        "0", "Turn", (("0", "as taken"), ("90", "right"), ("180", "half"), ("270", "left")), FRAMING,
        "Quarter turns. Nothing is resampled by them.",
    )  # fmt: skip
    mirror: str = declare.choice(
        "off", "Mirror", (("off", "no"), ("on", "left to right")), FRAMING, "Exchanges left and right.",
    )  # fmt: skip
    crop: Crop = declare.crop(
        "Crop", FRAMING,
        "What is shown: left, top, width and height in per cent of the corrected frame. Automatic is the "
        "largest part of the frame's own shape that has no empty corners.",
    )  # fmt: skip
    edges: str = declare.choice(
        "fill", "Corners", (("fill", "no empty ones"), ("keep", "keep empty ones")), FRAMING,
        "Correcting leaves corners without picture. They are cropped away as long as no crop is set by "
        "hand, or kept, black.",
    )  # fmt: skip
    bent_by: str = declare.method("Lens", "sinc@1")


@dataclass(frozen=True)
class Noise:
    """Noise removal on the mosaic."""

    amount: float | None = declare.number(
        None, "Amount", "%", 0, 200, 5, REMOVAL,
        "Share of the measured noise that is removed. Automatic follows the measurement and does "
        "next to nothing at base ISO.", neutral=0,
    )  # fmt: skip
    method: str = declare.choice(
        "best", "Method", (("best", "best"), ("fast", "fast")), REMOVAL,
        "Best: a network trained on noise alone. Fast: cosine transforms, in about a quarter of the time, "
        "with less fine detail kept.",
    )  # fmt: skip
    luminance: float = declare.number(
        100, "Luminance", "%", 0, 100, 5, REMOVAL,
        "How much of the removal acts on brightness. Lower it to keep a natural fine grain.",
    )  # fmt: skip
    colour: float = declare.number(
        100, "Colour", "%", 0, 100, 5, REMOVAL,
        "How much of the removal acts on colour. Coloured blotches are rarely wanted.",
    )  # fmt: skip
    texture: float = declare.number(
        0, "Texture", "%", 0, 100, 5, REMOVAL,
        "How much of what was taken from structured places is given back: a slight natural grain instead of "
        "a glassy surface. Even areas stay clean.",
    )  # fmt: skip
    shadows: float = declare.number(
        100, "Shadows", "%", 0, 100, 5, OVER_BRIGHTNESS, "Share of the removal in the deepest tones, nine "
                                                         "stops "
        "below clipping and darker.",
    )  # fmt: skip
    midtones: float = declare.number(
        100, "Mid-tones", "%", 0, 100, 5, OVER_BRIGHTNESS, "Share of the removal five stops below clipping.",
    )  # fmt: skip
    highlights: float = declare.number(
        100, "Highlights", "%", 0, 100, 5, OVER_BRIGHTNESS, "Share of the removal in the brightest tones, "
                                                            "where noise "
        "is smallest.",
    )  # fmt: skip
    clear_black: float = declare.number(
        0, "Clear black", "%", 0, 100, 5, OVER_BRIGHTNESS,
        "Takes away the even haze that lies over the deepest tones of a noisy frame; measured, per colour.",
    )  # fmt: skip
    fine: float = declare.number(
        100, "Fine grain", "%", 0, 100, 5, OVER_SCALE, "Share of the removal of grain from pixel to pixel.",
    )  # fmt: skip
    medium: float = declare.number(
        100, "Medium", "%", 0, 100, 5, OVER_SCALE, "Share of the removal of specks some pixels wide.",
    )  # fmt: skip
    coarse: float = declare.number(
        100, "Blotches", "%", 0, 100, 5, OVER_SCALE, "Share of the removal of wide soft blotches.",
    )  # fmt: skip
    red: float = declare.number(
        100, "Red", "%", 0, 100, 5, PER_CHANNEL, "Share of the removal in the red of the sensor: with blue "
                                                 "the usual "
        "leftover.",
    )  # fmt: skip
    green: float = declare.number(
        100, "Green", "%", 0, 100, 5, PER_CHANNEL, "Share of the removal in the green of the sensor, which "
                                                   "carries "
        "most of the texture: lower it where mid-tone texture suffers.",
    )  # fmt: skip
    blue: float = declare.number(
        100, "Blue", "%", 0, 100, 5, PER_CHANNEL, "Share of the removal in the blue of the sensor, usually "
                                                  "the noisiest.",
    )  # fmt: skip
    grain: float = declare.number(
        0, "Grain", "%", 0, 100, 5, GRAIN_AT_THE_END,
        "An even grain without colour over the finished picture, against a plastic look. Strongest in the "
        "mid-tones.",
    )  # fmt: skip
    grain_size: float = declare.number(
        1.5, "Grain size", "px", 0.5, 6, 0.5, GRAIN_AT_THE_END, "Width of a grain in pixels of the frame.",
        decimals=1,
    )  # fmt: skip
    removed_by: str = declare.method("Noise removal", "removal@1", "removal@2", "removal@3")


@dataclass(frozen=True)
class Colour:
    """White balance and colour."""

    light: str = declare.choice(
        "shot", "Light",
        (("shot", "as shot"), ("daylight", "daylight"), ("cloud", "cloud"), ("shade", "shade"),
         ("tungsten", "tungsten"), ("fluorescent", "fluorescent"), ("flash", "flash")), WHITE_BALANCE,
        "The light that is taken for white, by name. Temperature and tint can still be moved from there.",
    )  # fmt: skip
    temperature: float | None = declare.number(
        None, "Temperature", "K", 1800, 20000, 50, WHITE_BALANCE,
        "Colour of the light that is taken for white. Higher values make the picture warmer.", neutral=5500,
    )  # fmt: skip
    tint: float | None = declare.number(
        None, "Tint", "mDuv", -60, 60, 1, WHITE_BALANCE,
        "Deviation of that light from a glowing body, in thousandths of Duv. Positive takes out green.",
        neutral=0,
    )  # fmt: skip
    saturation: float = declare.number(
        100, "Saturation", "%", 0, 200, 5, STRENGTH, "Distance of colours from grey of the same lightness."
    )
    pale: float = declare.number(
        0, "Pale colours", "%", -100, 100, 5, STRENGTH,
        "Strengthens or weakens pale colours; what is saturated already stays as it is.",
    )  # fmt: skip
    reds: float = _hue("reds")
    yellows: float = _hue("yellows")
    greens: float = _hue("greens")
    cyans: float = _hue("cyans")
    blues: float = _hue("blues")
    purples: float = _hue("purples")
    rendered_by: str = declare.method("Colour", "rendering@1")


@dataclass(frozen=True)
class Finish:
    """What is written."""

    space: str = declare.choice(
        "srgb", "Space", (("srgb", "sRGB"), ("p3", "Display P3"), ("adobe-rgb", "Adobe RGB (1998)"),
        ("prophoto", "ProPhoto (ROMM)"), ("rec2020", "Rec. 2020")), FILE,
        "Colour space of the written file; its ICC profile is put inside.",
    )  # fmt: skip
    format: str = declare.choice(
        "tiff", "Format", (
            ("tiff", "TIFF 16 bit"), ("jpeg", "JPEG"), ("png", "PNG 16 bit"), ("dng", "linear DNG"),
            ("exr", "OpenEXR"), ("jxl", "JPEG XL"), ("avif", "AVIF"), ("radiance", "Radiance HDR"),
        ), FILE,
        "TIFF, PNG and linear DNG for further work; JPEG, JPEG XL and AVIF to pass on; OpenEXR and Radiance "
        "HDR for the light of the scene: see Float files. Other depths: destinations.",
    )  # fmt: skip
    enlarge: str = declare.choice(
        "1", "Enlarging", (("1", "none"), ("1.5", "1.5 times"), ("2", "twice"), ("4", "4 times")), FILE,
        "Pixels of the written file for each pixel of the picture, along a side; sizes of destinations "
        "count after it.",
    )  # fmt: skip
    enlarge_by: str = declare.choice(
        "learned", "Enlarged by", (("learned", "learned detail"), ("lanczos", "Lanczos")), FILE,
        "Learned: a small network mends what plain filtering leaves soft, and does not enlarge the blocks "
        "of a JPEG. Lanczos: the plain filter, to compare with. Scene-linear files are always enlarged by "
        "it.",
    )  # fmt: skip
    tone: str = declare.choice(
        "light", "Float files", (("light", "plain light"), ("toned", "with tone")), FILE,
        "What OpenEXR, Radiance HDR and TIFF of 32 bits hold. Plain light: as it was in the scene, before "
        "Light, Colour, sharpening and rendering, values above white too; other programs can go on from it. "
        "With tone: what is made of it there. A linear DNG always holds the camera's light.",
    )  # fmt: skip
    quality: float = declare.number(
        92, "Quality", "%", 40, 100, 1, FILE, "Of JPEG, JPEG XL and AVIF; other formats lose nothing."
    )
