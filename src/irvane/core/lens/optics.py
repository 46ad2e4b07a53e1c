"""What is known of the lens that took a frame, and what a file says of its errors."""

from __future__ import annotations

from dataclasses import dataclass

#: Diagonal of a 36×24 mm frame.
FULL_DIAGONAL = 43.27


@dataclass(frozen=True)
class Warp:
    """A correction of distortion that a file carries (DNG specification, WarpRectilinear and WarpFisheye).

    Attributes
    ----------
    planes : per colour (one for all, or three) coefficients of the distance and two of decentring.
    centre : x, y in shares of the sensor's width and height.
    fisheye : the distance is that of a fisheye's angle.
    """

    planes: tuple[tuple[float, ...], ...]
    centre: tuple[float, float]
    fisheye: bool = False


@dataclass(frozen=True)
class RadialGain:
    """Light given back by the even powers of the distance (DNG specification, FixVignetteRadial)."""

    terms: tuple[float, ...]
    centre: tuple[float, float]


@dataclass(frozen=True)
class GainGrid:
    """Light given back by a coarse grid (DNG specification, GainMap).

    Attributes
    ----------
    colours : the colours it acts on.
    shape : rows and columns.
    spacing, origin : in shares of the sensor's height and width.
    gains : factors, row by row.
    """

    colours: tuple[int, ...]
    shape: tuple[int, int]
    spacing: tuple[float, float]
    origin: tuple[float, float]
    gains: tuple[float, ...]


@dataclass(frozen=True)
class BadPixels:
    """Pixels that the camera knows to be broken (DNG specification, FixBadPixelsList): rows and columns of
    the sensor, and rectangles (top, left, bottom, right); or a value that marks them
    (FixBadPixelsConstant)."""

    points: tuple[tuple[int, int], ...] = ()
    rectangles: tuple[tuple[int, int, int, int], ...] = ()
    constant: int | None = None


Correction = Warp | RadialGain | GainGrid | BadPixels


@dataclass(frozen=True)
class Optics:
    """The lens of a frame, as far as its file says.

    Attributes
    ----------
    make, model : of the camera.
    lens : its name; empty when the file does not say.
    focal, focal_full : focal length in millimetres, and that which has the same view on 36×24 mm.
    aperture : f-number.
    distance : of focus, in metres.
    corrections : those that the file carries, in their order.
    skipped : names of others that it carries and that are not applied.
    """

    make: str = ""
    model: str = ""
    lens: str = ""
    focal: float | None = None
    focal_full: float | None = None
    aperture: float | None = None
    distance: float | None = None
    corrections: tuple[Correction, ...] = ()
    skipped: tuple[str, ...] = ()

    def has(self, *kinds: type) -> bool:
        """Does the file carry corrections of one of these kinds?"""
        return any(isinstance(one, kinds) for one in self.corrections)
