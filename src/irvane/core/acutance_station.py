"""The station Acutance and its settings, declared as those of the other stations are
(:mod:`irvane.core.stations`)."""

from __future__ import annotations

from dataclasses import dataclass

from irvane.core import declaring as declare
from irvane.core.declaring import Path
from irvane.core.groups import DEBLUR, FOCUS, LIMITS, MOVEMENT, SCALE


@dataclass(frozen=True)
class Acutance:
    """Blur undone, then sharpening by scale, held back by noise and by its own edges."""

    deblur: str = declare.choice(
        "off", "Cause",
        (("off", "off"), ("auto", "as measured"), ("lens", "soft lens"), ("defocus", "out of focus"),
        ("motion", "moved")), DEBLUR,
        "What softened the picture is undone, as far as the noise allows. As measured: a soft lens, a wrong "
        "focus or a straight movement, told by edges and spectrum; what is not sure is left alone. The "
        "others: by the numbers beside it.",
    )  # fmt: skip
    method: str = declare.choice(
        "best", "Method", (("best", "best"), ("fast", "fast")), DEBLUR,
        "Fast: few, strong edges are looked for. Best: a small network mends what that makes of it, and "
        "takes about three times as long.",
    )  # fmt: skip
    deblur_strength: float = declare.number(
        100, "Strength", "%", 0, 200, 5, DEBLUR, "100 is what noise and kernel allow; more brings out noise "
                                                 "and rings."
    )  # fmt: skip
    radius: float | None = declare.number(
        None, "Radius", "px", 0, 20, 0.1, FOCUS, "Of a soft lens its σ in the middle, of what is out of "
                                                 "focus the radius of its discs of "
        "light. Automatic: as wide as was measured in the frame or its soft places. New proofs begin with "
        "what is kept for their lens.", decimals=1,
    )  # fmt: skip
    corners: float | None = declare.number(
        None, "Corners", "px", 0, 20, 0.1, FOCUS, "Of a soft lens its σ in the corners; it grows towards "
                                                  "them with the square of the "
        "distance. Automatic: as in the middle. New proofs begin with what is kept for their lens.",
        decimals=1,
    )  # fmt: skip
    blades: float = declare.number(
        0, "Blades", "sides", 0, 12, 1, FOCUS, "Of the aperture, which make polygons of the discs of light; "
                                               "0 to 2: round. The angle beside turns them.",
    )  # fmt: skip
    length: float = declare.number(
        10, "Length", "px", 1, 60, 0.5, MOVEMENT, "How far it moved, in a straight line.", decimals=1
    )
    angle: float = declare.number(
        0, "Angle", "°", -90, 90, 1, MOVEMENT, "Of the movement against the rows of the frame, clockwise; "
                                               "of the aperture's polygon one of its "
        "corners.", decimals=0
    )  # fmt: skip
    path: Path = declare.trail(
        "Path", MOVEMENT, "The way that the frame went while it was exposed, where that was no straight "
                          "line: drawn, or found in the frame."
    )  # fmt: skip
    roll: float = declare.number(
        0, "Roll", "°", -3, 3, 0.02, MOVEMENT, "How far the camera turned about its middle meanwhile: "
                                               "towards the border the movement differs.",
        decimals=2,
    )  # fmt: skip
    automatic: str = declare.choice(
        "lens", "Capture", (("off", "off"), ("lens", "mild, for a soft lens"), ("on", "as measured")), SCALE,
        "Capture sharpening. Mild, for a soft lens: only where the frame's edges and spectrum say that a "
        "lens "
        "softened it. As measured: as far as the softness of the edges asks for and the noise allows. The "
        "strengths below are added to either.",
    )  # fmt: skip
    fine: float = declare.number(
        0, "Fine", "%", 0, 200, 5, SCALE, "Strength for structures of one to two pixels: hair, lettering, "
                                          "texture."
    )  # fmt: skip
    medium: float = declare.number(
        0, "Medium", "%", 0, 200, 5, SCALE, "Strength for structures of about three pixels."
    )
    coarse: float = declare.number(
        0, "Coarse", "%", 0, 200, 5, SCALE, "Strength for structures of about six pixels."
    )
    noise_floor: float = declare.number(
        2.0, "Noise floor", "σ", 0, 10, 0.5, LIMITS,
        "Differences below this many standard deviations of the remaining noise are left alone.", decimals=1,
    )  # fmt: skip
    overshoot: float = declare.number(
        10, "Overshoot", "%", 0, 100, 5, LIMITS,
        "How far an edge may go beyond its own surroundings, as a share of their range: no halos at 0.",
    )  # fmt: skip
    texture_guard: float = declare.number(
        50, "Texture guard", "%", 0, 100, 5, LIMITS,
        "By how much sharpening is held back where structure is as fine as pixels can hold: feathers, "
        "cloth, small lettering.",
    )  # fmt: skip
    sharpened_by: str = declare.method("Sharpening", "bands@1", "bands@2")
    deblurred_by: str = declare.method("Deblurring", "sparse@1", "told@2")
