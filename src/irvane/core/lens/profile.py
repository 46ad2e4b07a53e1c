"""Lens profiles: found in the lens database (lensfun through lensfunpy), and read as tables of the distance
from the centre."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np

from irvane.core.lens import answers
from irvane.core.lens.bodies import by_name, camera, fitting, full_name, mounts
from irvane.core.lens.identify import chosen, maker_of, parsed
from irvane.core.lens.optics import FULL_DIAGONAL, Optics
from irvane.core.pixels.radial import DISTANCES

#: Metres that are assumed where the file does not say how far away the lens was focused, and the f-number
#: likewise.
_USUAL_DISTANCE, _USUAL_APERTURE = 10.0, 8.0
#: Changed when lenses are matched otherwise: answers that are kept are asked anew. Lenses that are offered.
_MATCHING, _OFFERED = "by parts 2", 3
#: Longer side of the small picture whose gains are read.
_SMALL = 600


@dataclass(frozen=True)
class Profile:
    """A lens of the database for a frame.

    Attributes
    ----------
    name : of the lens.
    sure : ``"certain"`` (of all that the body can carry this alone agrees with what the file names),
        ``"likely"`` or ``"chosen"`` by hand.
    corrects : what it holds for this focal length: ``distortion``, ``vignetting``, ``aberration``.
    others : lenses that it may be as well, the likelier first.
    """

    name: str
    sure: str
    corrects: tuple[str, ...]
    others: tuple[str, ...] = ()


@dataclass(frozen=True, eq=False)
class Tables:
    """A profile in numbers, over :data:`irvane.core.pixels.radial.DISTANCES`.

    Attributes
    ----------
    distortion : ratio of the distance in the frame to that in the corrected picture; None when not held.
    projection : the same for turning a fisheye's picture into a straight one as well; None for other lenses.
    aberration : 3×entries, ratio of the place of each colour to that of green, by the distance in the frame;
        None likewise.
    gains : factor by which light is given back; None likewise.
    """

    distortion: np.ndarray | None
    projection: np.ndarray | None
    aberration: np.ndarray | None
    gains: np.ndarray | None


def all_profiles() -> list[str]:
    """Names of all lenses of the database, sorted."""
    return sorted(by_name(), key=str.casefold)


@lru_cache(maxsize=64)
def _camera_crop(make: str, model: str) -> float | None:
    """Crop factor of a camera of the database; None when it does not know it."""
    known, answer = answers.kept(f"{make}|{model}")
    if not known:
        known_camera = camera(make, model)
        answer = None if known_camera is None else float(known_camera.crop_factor)
        answers.keep(f"{make}|{model}", answer)
    return None if answer is None else float(answer)


def _crop(optics: Optics, lens: Any = None) -> float:
    """Crop factor of the camera: of the database, from the file's focal lengths, or that of the lens's own
    measurement."""
    known = _camera_crop(optics.make, optics.model)
    if known is not None:
        return known
    if optics.focal and optics.focal_full:
        return optics.focal_full / optics.focal
    return float(lens.crop_factor) if lens is not None else 1.0


def focal_pixels(optics: Optics, extent: tuple[int, int]) -> float:
    """Focal length in pixels of a frame of that height and width; of an ordinary lens where nothing is
    known."""
    diagonal = math.hypot(*extent)
    if optics.focal_full:
        return optics.focal_full / FULL_DIAGONAL * diagonal
    crop = _camera_crop(optics.make, optics.model) if optics.focal else None
    if crop is not None and optics.focal:
        return optics.focal * crop / FULL_DIAGONAL * diagonal
    return diagonal


def pixel_pitch(optics: Optics, extent: tuple[int, int]) -> float | None:
    """From pixel to pixel on the sensor, in micrometres, of a frame of that height and width; None where its
    size is not known."""
    known = _camera_crop(optics.make, optics.model) is not None or (optics.focal and optics.focal_full)
    return FULL_DIAGONAL / _crop(optics) / math.hypot(*extent) * 1000 if known else None


def _fitting(candidates: list[Any], crop: float) -> Any:
    """Of the measurements of one lens that on a sensor no smaller than this, as near as possible."""
    larger = [lens for lens in candidates if lens.crop_factor <= crop * 1.04]
    return min(larger or candidates, key=lambda lens: abs(lens.crop_factor - crop))


@lru_cache(maxsize=256)
def find_profile(optics: Optics) -> Profile | None:
    """The lens of the database that took a frame; None when none is alike."""
    question = "|".join(
        str(v or "")
        for v in (
            _MATCHING, optics.make, optics.model, optics.lens, optics.focal, optics.focal_full, optics.aperture
        )
    )  # fmt: skip
    known, answer = answers.kept(question)
    if not known:
        found = _looked_up(optics)
        answers.keep(
            question, None if found is None else [found.name, found.sure, found.corrects, found.others]
        )
        return found
    return None if answer is None else Profile(answer[0], answer[1], tuple(answer[2]), tuple(answer[3]))


def _looked_up(optics: Optics) -> Profile | None:
    own = camera(optics.make, optics.model)
    lenses = fitting(optics.make, optics.model, optics.focal)
    if own is not None and str(own.mount)[:1].islower():  # its lens cannot be changed
        candidates, certain = [name for name, _ in lenses], len(lenses) == 1
        if not certain:
            return None
    else:
        candidates, certain = chosen([optics.lens], lenses, maker_of(optics.make))
        if not mounts(optics.make, optics.model):  # a body that nothing is known of
            certain = False
            candidates = [] if parsed(optics.lens).bare else candidates
    if not candidates:
        return None
    lens = _fitting(by_name()[candidates[0]], _crop(optics))
    return _described(lens, optics, "certain" if certain else "likely", tuple(candidates[1:_OFFERED]))


def named_profile(name: str, optics: Optics) -> Profile | None:
    """A lens by its name in the database; None when there is none of that name."""
    lenses = by_name().get(name)
    return None if lenses is None else _described(_fitting(lenses, _crop(optics)), optics, "chosen")


def _described(lens: Any, optics: Optics, sure: str, others: tuple[str, ...] = ()) -> Profile:
    focal = _focal(lens, optics)
    known = {
        "distortion": lens.interpolate_distortion(focal),
        "vignetting": lens.interpolate_vignetting(focal, optics.aperture or _USUAL_APERTURE, _USUAL_DISTANCE),
        "aberration": lens.interpolate_tca(focal),
    }
    corrects = tuple(what for what, held in known.items() if held is not None)
    return Profile(full_name(lens), sure, corrects, others)


def _focal(lens: Any, optics: Optics) -> float:
    low, high = float(lens.min_focal), float(lens.max_focal)
    return min(max(optics.focal or math.sqrt(low * high), low), high)


@lru_cache(maxsize=32)
def tables_of(name: str, optics: Optics, extent: tuple[int, int]) -> Tables:
    """A profile's numbers for a frame of that height and width (in either orientation)."""
    import lensfunpy as lf

    lens = _fitting(by_name()[name], _crop(optics))
    focal, crop = _focal(lens, optics), _crop(optics, lens)
    aperture = optics.aperture or _USUAL_APERTURE
    distance = optics.distance or _USUAL_DISTANCE
    h, w = sorted(extent)
    along = np.array([w, h]) / math.hypot(h, w)
    middle = np.array([(w - 1) / 2, (h - 1) / 2])
    half = math.hypot(h, w) / 2

    def modifier(flags: int, size: tuple[int, int] = (w, h)) -> Any:
        made = lf.Modifier(lens, crop, *size)
        made.initialize(
            focal, aperture, distance=distance, scale=1.0, targeom=lf.LensType.RECTILINEAR,
            pixel_format=np.float32,
            flags=flags,
        )  # fmt: skip
        return made

    def ratios(places: Any) -> np.ndarray | None:
        found = []
        for distance_out in DISTANCES[1:]:
            x, y = middle + along * distance_out * half
            place = places(x, y)
            if place is None:
                return None
            found.append(((place.reshape(-1, 2) - middle) @ along) / (distance_out * half))
        seen, r = np.array(found).T, DISTANCES[1:]
        # in the middle: on from the three nearest distances, by a parabola, since models have odd powers of
        # the distance
        a, b, c = r[:3]
        weights = (b * c / ((a - b) * (a - c)), a * c / ((b - a) * (b - c)), a * b / ((c - a) * (c - b)))
        first = seen[:, :3] @ np.array(weights)[:, None]
        return np.concatenate([first, seen], axis=1)

    def of_geometry(flags: int) -> np.ndarray | None:
        made = modifier(flags)
        found = ratios(lambda x, y: made.apply_geometry_distortion(x, y, 1, 1))
        # as large in the middle as before, whatever the convention of the measurement: a crop stays where it
        # is
        return None if found is None else found[0] / found[0][0]

    subpixel = modifier(lf.ModifyFlags.TCA)
    aberration = ratios(lambda x, y: subpixel.apply_subpixel_distortion(x, y, 1, 1))
    distortion = of_geometry(lf.ModifyFlags.DISTORTION)
    straight = lens.type in (lf.LensType.RECTILINEAR, lf.LensType.UNKNOWN)
    projection = None if straight else of_geometry(lf.ModifyFlags.DISTORTION | lf.ModifyFlags.GEOMETRY)
    small = (_SMALL, max(1, round(_SMALL * h / w)))
    return Tables(
        distortion, projection, aberration, _gains(modifier(lf.ModifyFlags.VIGNETTING, small), small)
    )


def _gains(modifier: Any, size: tuple[int, int]) -> np.ndarray | None:
    w, h = size
    light = np.ones((h, w, 3), np.float32)
    if not modifier.apply_color_modification(light):
        return None
    y, x = np.mgrid[0:h, 0:w]
    distance = np.hypot(x - (w - 1) / 2, y - (h - 1) / 2) / (math.hypot(w, h) / 2)
    # even powers of the distance, as such measurements have them; nothing is known beyond the corner
    inside = np.minimum(DISTANCES, distance.max())
    terms = np.polynomial.polynomial.polyfit(distance.ravel() ** 2, 1 / light[..., 1].ravel(), 6)
    return np.asarray(1 / np.polynomial.polynomial.polyval(inside**2, terms))
