"""What is corrected in a frame under its settings: from the file, from the lens database, measured, by
hand."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from irvane.core.lens.measured import Aberration, Falloff
from irvane.core.lens.optics import GainGrid, Optics, RadialGain, Warp
from irvane.core.lens.profile import Profile, Tables, find_profile, named_profile, tables_of
from irvane.core.orientation import to_upright
from irvane.core.pixels.radial import DISTANCES, Radial, at, strengthened, tabulated
from irvane.core.stations import Lens

#: Values of the setting ``lens.profile`` that are no names.
AUTO, OFF = "auto", "off"


@dataclass(frozen=True)
class LensFacts:
    """Facts of a frame that its lens corrections depend on.

    Attributes
    ----------
    frame : height and width, upright.
    flip : turn from the sensor to upright.
    raw : False for finished pictures, which are corrected only where that is asked for.
    aberration : lateral aberration measured in the frame; None where it could not be.
    falloff : light lost towards the corners, measured in the frame, likewise.
    fringe_hue : hue of its fringes, degrees; None while it was not looked for.
    """

    frame: tuple[int, int]
    flip: int
    raw: bool
    optics: Optics
    aberration: Aberration | None = None
    falloff: Falloff | None = None
    fringe_hue: float | None = None


@dataclass(frozen=True, eq=False)
class Corrections:
    """What is corrected, in numbers.

    Attributes
    ----------
    profile : the database's, None when none is used.
    of_file : the corrections that the file carries are used.
    measured : aberration as it was measured is used.
    radial : from corrected places to those in the frame.
    centre : x, y of the optical centre in the frame, pixels.
    gains : factor by which light is given back, over DISTANCES; None for none.
    grids : the same by grids, in the frame's own orientation on the sensor.
    """

    profile: Profile | None
    of_file: bool
    measured: bool
    radial: Radial
    centre: tuple[float, float]
    gains: np.ndarray | None
    grids: tuple[GainGrid, ...]

    @property
    def words(self) -> str:
        """Where the corrections come from: ``from the file``, a lens's name, or nothing."""
        if self.of_file:
            return "from the file"
        return self.profile.name if self.profile is not None else ""


def profile_for(facts: LensFacts, lens: Lens) -> Profile | None:
    """The profile that these settings ask for, None for none. Automatic takes one only when it is certain, of
    raw frames whose file carries no corrections."""
    if lens.profile == OFF:
        return None
    optics = optics_for(facts, lens)
    if lens.profile != AUTO:
        return named_profile(lens.profile, optics)
    if not facts.raw or carries(optics):
        return None
    found = find_profile(optics)
    return found if found is not None and found.sure == "certain" else None


def carries(optics: Optics) -> bool:
    """Does the file carry corrections of geometry or light?"""
    return optics.has(Warp, RadialGain, GainGrid)


def optics_for(facts: LensFacts, lens: Lens) -> Optics:
    """What is known of the lens, with the focal length that was set by hand."""
    optics = facts.optics
    return (
        optics if lens.focal is None else Optics(**{**vars(optics), "focal": lens.focal, "focal_full": None})
    )


@lru_cache(maxsize=64)
def corrections_of(facts: LensFacts, lens: Lens) -> Corrections:
    """The corrections of a frame under the settings of the station Lens; nothing is applied twice."""
    profile = profile_for(facts, lens)
    from_file = profile is None and lens.profile == AUTO and carries(facts.optics)
    tables = None if profile is None else tables_of(profile.name, optics_for(facts, lens), facts.frame)
    h, w = facts.frame
    centre = (w / 2, h / 2)
    radial = Radial()
    if from_file:
        radial, centre = _of_file(facts, lens)
    elif tables is not None:
        radial = _of_tables(tables, lens)
    radial, measured = _with_measured(radial, facts, lens, tables)
    if lens.distortion:
        # by hand: the corner moves by so many per cent of its distance, with the square of the distance
        hand = tabulated(lambda r: 1 - lens.distortion / 100 * r**2)
        radial = radial.after(np.stack([hand] * 3))
    gains, grids = _light(facts, lens, tables, from_file)
    return Corrections(profile, from_file, measured, radial, centre, gains, grids)


def _of_tables(tables: Tables, lens: Lens) -> Radial:
    distortion = (
        tables.projection
        if lens.projection == "straight" and tables.projection is not None
        else tables.distortion
    )
    one = (
        np.ones_like(DISTANCES)
        if distortion is None
        else strengthened(distortion, lens.profile_distortion / 100)
    )
    ratios = np.stack([one] * 3)
    if tables.aberration is not None and lens.aberration == AUTO and lens.profile_aberration:
        colours = strengthened(tables.aberration, lens.profile_aberration / 100)
        ratios = np.stack([one * at(colour, one * DISTANCES) for colour in colours])
    return Radial(ratios)


def _with_measured(
    radial: Radial, facts: LensFacts, lens: Lens, tables: Tables | None
) -> tuple[Radial, bool]:
    """With the aberration as it was measured, where that is wanted: nobody else knows it, and it is
    certain."""
    found = facts.aberration
    known = not np.array_equal(radial.ratios[0], radial.ratios[1]) or (
        tables is not None and tables.aberration is not None
    )
    if found is None or lens.aberration == OFF or (lens.aberration == AUTO and (known or not found.sure)):
        return radial, False
    share = lens.profile_aberration / 100
    colours = strengthened(found.ratios(), share)
    green = radial.ratios[1]
    ratios = np.stack([green * at(colour, green * DISTANCES) for colour in colours])
    return Radial(ratios, radial.tangential), True


def _of_file(facts: LensFacts, lens: Lens) -> tuple[Radial, tuple[float, float]]:
    """The file's own warps, one after the other."""
    h, w = facts.frame
    radial, centre = Radial(), (w / 2, h / 2)
    unit = np.hypot(h, w) / 2
    for warp in (one for one in facts.optics.corrections if isinstance(one, Warp)):
        centre = _upright(warp.centre, facts)
        far = float(max(np.hypot(centre[0] - x, centre[1] - y) for x in (0, w) for y in (0, h)) / unit)
        planes = warp.planes if len(warp.planes) == 3 else warp.planes * 3
        ratios = np.stack([_ratio(plane, far, warp.fisheye) for plane in planes])
        along = (0.0, 0.0) if warp.fisheye else (planes[1][4] / far, planes[1][5] / far)
        green = strengthened(ratios[1], lens.profile_distortion / 100)
        share = lens.profile_aberration / 100 if lens.aberration == AUTO else 0.0
        tangential = _turned(along, facts.flip) if lens.profile_distortion else (0.0, 0.0)
        ratios = np.stack([green * strengthened(colour / ratios[1], share) for colour in ratios])
        radial = Radial(radial.after(ratios).ratios, tangential)
    return radial, centre


def _ratio(terms: tuple[float, ...], far: float, fisheye: bool) -> np.ndarray:
    """Ratio of the distance in the frame to that in the corrected picture, by a plane's terms; `far` is the
    distance (in half diagonals) that they count as one."""
    if fisheye:
        return tabulated(lambda r: _fisheye(r / far, terms))
    return tabulated(lambda r: np.polyval(terms[3::-1], np.square(r / far)))


def _fisheye(r: np.ndarray, k: tuple[float, ...]) -> np.ndarray:
    """Ratio of a fisheye's distance to that of a straight picture (DNG specification, WarpFisheye)."""
    angle = np.arctan(r)
    far = angle * (k[0] + angle**2 * (k[1] + angle**2 * (k[2] + angle**2 * k[3])))
    return np.where(r > 0, far / np.maximum(r, 1e-12), k[0])


def _turned(tangential: tuple[float, float], flip: int) -> tuple[float, float]:
    """Coefficients of decentring in the upright frame: (along y, along x) like a direction of the sensor."""
    along_y, along_x = tangential
    return {0: (along_y, along_x), 3: (-along_y, -along_x), 5: (-along_x, along_y), 6: (along_x, -along_y)}[
        flip
    ]


def _upright(share: tuple[float, float], facts: LensFacts) -> tuple[float, float]:
    h, w = facts.frame
    sensor = (h, w) if facts.flip in (0, 3) else (w, h)
    return to_upright((share[0] * sensor[1], share[1] * sensor[0]), sensor, facts.flip)


def _by_powers(terms: tuple[float, ...]) -> np.ndarray:
    """Gains by even powers of the distance (DNG specification, FixVignetteRadial); not more beyond the
    corner."""
    return tabulated(
        lambda r: 1 + np.minimum(r, 1) ** 2 * np.polyval(terms[::-1], np.square(np.minimum(r, 1)))
    )


def _light(
    facts: LensFacts, lens: Lens, tables: Tables | None, from_file: bool
) -> tuple[np.ndarray | None, tuple[GainGrid, ...]]:
    share = lens.profile_vignetting / 100
    gains: np.ndarray | None = None
    grids: tuple[GainGrid, ...] = ()
    if lens.falloff == "frame":
        gains = None if facts.falloff is None else facts.falloff.gains() ** share
    elif from_file and share:
        for one in facts.optics.corrections:
            if isinstance(one, RadialGain):
                own = _by_powers(one.terms)
                gains = own**share if gains is None else gains * own**share
        grids = tuple(one for one in facts.optics.corrections if isinstance(one, GainGrid))
    elif tables is not None and tables.gains is not None and share:
        gains = tables.gains**share
    return gains, grids
