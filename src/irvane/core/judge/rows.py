"""The rows of the table of figures: what each quantity is called, its unit, what is good, and what it
means."""

from __future__ import annotations

from dataclasses import dataclass

from irvane.core.judge.visual_noise import VIEWED

#: Differences that nobody sees (common practice; the published limits lie near: a just noticeable difference
#: of CIEDE2000 is about 1).
UNSEEN_DB, UNSEEN_DELTA_E, UNSEEN_MTF, UNSEEN_TEXTURE, UNSEEN_EV = 0.5, 1.0, 0.05, 0.05, 0.1
UNSEEN_RANGE, UNSEEN_VISUAL, UNSEEN_SHARE, UNSEEN_HALO = 0.2, 0.3, 0.001, 0.05


@dataclass(frozen=True)
class Row:
    """One quantity.

    Attributes
    ----------
    name, unit : as shown; the unit stands once, with the name.
    digits : after the point. factor : from the figure to what is shown.
    better : 1 where more is good, −1 where less is, 0 where neither.
    unseen : a difference up to this is seen by nobody; relative where `relative`.
    means : two sentences for who asks.
    usual : is it shown without unfolding?
    domain : what it is read of: the place under the probe, or the whole picture.
    """

    name: str
    unit: str
    digits: int
    better: int
    unseen: float
    means: str
    factor: float = 1.0
    relative: bool = False
    usual: bool = False
    domain: str = "place"

    @property
    def title(self) -> str:
        """Name and unit."""
        return f"{self.name}, {self.unit}" if self.unit else self.name

    def text(self, value: float) -> str:
        """A figure as it is shown."""
        shown = f"{value * self.factor:.{self.digits}f}"
        return shown.removeprefix("-" if float(shown) == 0 else "").replace("-", "−")

    def difference(self, value: float) -> str:
        """A difference as it is shown, with its sign."""
        shown = f"{value * self.factor:+.{self.digits}f}"
        return ("±0" if float(shown) == 0 else shown).replace("-", "−")


_NOISE = (
    "Signal-to-noise ratio of luminance at the small square (ISO 15739), in the light of the scene: what the "
    "tone curve and the exposure do to it is taken out, so that a raw and its own TIFF read alike. Higher is "
    "cleaner; half a dB is seen by nobody."
)
_SHARE = (
    " noise at the small square, as a share of the light there, in the light of the scene. Less is cleaner."
)

#: By key, in the order they are shown.
ROWS = {
    "noise": Row("Noise", "dB", 1, 1, UNSEEN_DB, _NOISE, usual=True),
    "mtf50": Row(
        "Detail: edge MTF50", "c/px", 2, 1, UNSEEN_MTF,
        "Cycles per pixel at which the contrast of the edge here falls to half (slanted edge, ISO 12233). "
        "Higher is sharper: 0.12 looks crisp at 100 %, 0.5 is all that a pixel can hold.",
        relative=True, usual=True,
    ),
    "texture": Row(
        "Detail: texture kept", "%", 0, 1, UNSEEN_TEXTURE,
        "How much of the reference's fine structure (0.1 to 0.4 cycles per pixel) this picture still holds, "
        "with the noise of both taken out. 100 % is all of it; more means that it was made stronger.",
        100.0, usual=True,
    ),
    "light": Row(
        "Light", "EV", 1, 0, UNSEEN_EV,
        "Mean luminance of the small square after all stations, in stops around mid-grey. It tells how "
        "bright the place is, not how good.",
        usual=True,
    ),
    "range": Row(
        "Dynamic range", "EV", 1, 1, UNSEEN_RANGE,
        "Stops of the sensor between clipping and the condition beside it, from the noise of the mosaic "
        "(worst "
        "colour). More is better; the preferences choose the condition.",
        usual=True, domain="sensor",
    ),
    "luminance": Row(
        "Luminance noise", "%", 2, -1, UNSEEN_MTF, "Luminance" + _SHARE, 100.0, relative=True
    ),
    "colour": Row(
        "Colour noise", "%", 2, -1, UNSEEN_MTF, "Colour" + _SHARE, 100.0, relative=True
    ),
    "red": Row("Red noise", "%", 2, -1, UNSEEN_MTF, "Red" + _SHARE, 100.0, relative=True),
    "green": Row("Green noise", "%", 2, -1, UNSEEN_MTF, "Green" + _SHARE, 100.0, relative=True),
    "blue": Row("Blue noise", "%", 2, -1, UNSEEN_MTF, "Blue" + _SHARE, 100.0, relative=True),
    "visual": Row(
        "Visual noise", "", 2, -1, UNSEEN_VISUAL,
        f"How strongly an eye sees the noise here at {VIEWED} (ISO 15739: CIELAB after the eye's contrast "
        "sensitivity). Less is cleaner; blotches count more than fine grain, and brightness counts.",
    ),
    "grain": Row(
        "Look of the noise", "", 0, 0, 0.0,
        "What the noise here looks like: an even grain, a fine one, or blotches. People prefer a fine even "
        "grain to blotches of the same strength.",
    ),
    "halo": Row(
        "Halo", "%", 0, -1, UNSEEN_HALO,
        "Largest excess beside the edge here, as a share of its step. Above a tenth a light or dark line is "
        "seen along edges.",
        100.0,
    ),
    "edges": Row(
        "Width of edges", "px", 2, -1, UNSEEN_MTF,
        "How far the edges around the small square are blurred (σ of a Gaussian, the middle of all). Less "
        "is sharper; 1.6 px still looks crisp at 100 %.",
        relative=True,
    ),
    "gradient": Row(
        "Gradient", "", 0, 0, 0.0,
        "Steps in a smooth gradient around the small square, as it is shown (encoded, of white). Steps of "
        "more than half a per cent are seen as bands.",
    ),
    "colours": Row(
        "Colour, ΔE2000", "", 1, 0, UNSEEN_DELTA_E,
        "How far the colour of the small square lies from the reference's at equal brightness (CIEDE2000). "
        "One "
        "is just about seen side by side.",
    ),
    "black": Row(
        "Black depth", "EV", 1, 0, UNSEEN_EV * 5,
        "Light of the darkest thousandth of the picture, in stops below its white. Lower is deeper; haze and "
        "lifted shadows make it higher.",
        domain="picture",
    ),
    "sensor": Row(
        "Clipped on the sensor", "%", 2, -1, UNSEEN_SHARE,
        "Share of the pixels of which a colour was clipped when the frame was taken. What is clipped in all "
        "colours cannot be brought back.",
        100.0, domain="picture",
    ),
    "white": Row(
        "At white in the output", "%", 2, 0, UNSEEN_SHARE,
        "Share of the pixels of the finished picture of which a colour is at white. Lower the highlights or "
        "the exposure to have less.",
        100.0, domain="picture",
    ),
    "red_cast": Row(
        "Shadows: red over green", "EV", 2, 0, UNSEEN_EV,
        "Colour cast of the shadows (3 to 7 stops below mid-grey): how much red exceeds green. Near 0 they "
        "are neutral, if the scene's shadows are.",
        domain="picture",
    ),
    "blue_cast": Row(
        "Shadows: blue over green", "EV", 2, 0, UNSEEN_EV,
        "Colour cast of the shadows (3 to 7 stops below mid-grey): how much blue exceeds green. Near 0 they "
        "are neutral, if the scene's shadows are.",
        domain="picture",
    ),
    "size": Row(
        "File", "MB", 1, 0, 0.1,
        "Size of the frame's file on disk. Of a merge that of all its frames.",
        1e-6, domain="file",
    ),
}  # fmt: skip
