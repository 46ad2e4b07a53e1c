"""From a source to its developed pictures, plain and denoised: the expensive half of the line, done once."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from irvane.core.colour.whitebalance import gains
from irvane.core.image import CameraColour, Mosaic, NoiseModel
from irvane.core.lens.optics import Optics
from irvane.core.line.colouring import PERIOD, Colouring, is_refined
from irvane.core.line.source import CAMERA, DISPLAY, MOSAIC, Loaded, Origin
from irvane.core.memory import trim_heap
from irvane.core.noise import denoise, finished
from irvane.core.noise.denoise import Removal
from irvane.core.noise.finished import FinishedNoise
from irvane.core.orientation import upright
from irvane.core.pixels.picture import Picture, encode16
from irvane.core.pixels.places import FrameRegion
from irvane.core.progress import Progress, always, part, step
from irvane.core.sensor import banding_first, refine
from irvane.core.sensor import demosaic as demosaicing
from irvane.core.sensor.banding import Banding, remove_banding
from irvane.core.sensor.clipping import CLIP_FULL, clip_bits
from irvane.core.sensor.defects import repair_defects
from irvane.core.sensor.highlights import HighlightMap
from irvane.core.sensor.listed import mend_listed
from irvane.core.sensor.unclip import map_of
from irvane.core.settings import Sensor

#: Rows that are denoised at once, and of these the rows that are given their full colour at once (with what
#: is around them, whole tiles of the Bayer method).
_BAND, _STRIP = 1104, 552
#: Rows of a finished picture that are denoised at once.
_FINISHED_BAND = 480


@dataclass(frozen=True, eq=False)
class Developed:
    """A source after demosaicing; what is made of it later is another record.

    Attributes
    ----------
    plain, denoised : whole pictures, upright; `denoised` is None until it has been asked for and made.
    removal : how the denoised one was made.
    clipped : uint8 per upright pixel, bit c set where colour c is clipped on the sensor; None when nothing
        is.
    entry : where the source entered the line.
    step : frame pixels per pixel (more than 1 for the quick binned form).
    defects : how many pixels were repaired.
    banding : the line offsets that were taken away.
    levels : black and white of red, green, blue in counts.
    finished : noise of a picture that was demosaiced already.
    mosaic : the mosaic after repair, in sensor orientation, for denoising; None for other entries, and where
        it was given up to save memory (:func:`repaired` makes it again).
    cfa : its colour array.
    refined : was the plain picture refined by the network?
    lent : what the surroundings of clipped places say of their colours, in the sensor's orientation; None
        where no mosaic was interpolated.
    optics : what is known of the lens. origin : what came from where, of a merge.
    """

    plain: Picture
    denoised: Picture | None
    removal: Removal
    clipped: np.ndarray | None
    entry: str
    colour: CameraColour | None
    noise: NoiseModel | None
    extent: tuple[int, int]
    flip: int
    step: float
    defects: int
    notes: tuple[str, ...]
    mosaic: Mosaic | None
    method: str
    banding: Banding = Banding()
    levels: tuple[np.ndarray, np.ndarray] | None = None
    finished: FinishedNoise | None = None
    cfa: np.ndarray | None = None
    refined: bool = False
    lent: HighlightMap | None = None
    optics: Optics = Optics()
    origin: Origin | None = None

    @property
    def can_be_denoised(self) -> bool:
        """Is there a mosaic, or noise that is known otherwise?"""
        return self.cfa is not None or self.finished is not None

    @property
    def nbytes(self) -> int:
        """Memory it occupies."""
        total = self.plain.nbytes + (self.denoised.nbytes if self.denoised else 0)
        total += self.clipped.nbytes if self.clipped is not None else 0
        return total + (self.mosaic.data.nbytes if self.mosaic is not None else 0)

    @property
    def gains(self) -> np.ndarray:
        """Reference gains: those of the shot (smallest 1)."""
        return gains(self.colour.neutral) if self.colour is not None else np.ones(3)

    @property
    def sensor_extent(self) -> tuple[int, int]:
        """Height and width before the picture was turned upright."""
        return self.extent if self.flip in (0, 3) else (self.extent[1], self.extent[0])


def _clip_bits(picture: np.ndarray) -> np.ndarray | None:
    over = picture >= CLIP_FULL
    if not over.any():
        return None
    return (over[..., 0] * np.uint8(1) | over[..., 1] * np.uint8(2) | over[..., 2] * np.uint8(4)).astype(
        np.uint8
    )


def quick(loaded: Loaded) -> Developed:
    """A reduced form straight from the mosaic, in a fraction of a second: shown while the real one is
    made."""
    if loaded.entry != MOSAIC:
        return develop(loaded, Sensor())
    assert loaded.mosaic is not None
    binned = upright(demosaicing.bin_colour(loaded.mosaic), loaded.flip)
    step = 2.0 if loaded.mosaic.is_bayer else 3.0
    extent = _upright_extent(loaded)
    return Developed(
        Picture(binned), None, Removal(), None, MOSAIC, loaded.colour, loaded.noise, extent, loaded.flip,
        step, 0,
        loaded.notes, None, "binned", optics=loaded.optics,
    )  # fmt: skip


def _upright_extent(loaded: Loaded) -> tuple[int, int]:
    h, w = loaded.extent
    return (h, w) if loaded.flip in (0, 3) else (w, h)


def develop(loaded: Loaded, settings: Sensor) -> Developed:
    """Levels are applied; repair defects and demosaic (no denoising).

    Parameters
    ----------
    loaded : the decoded source.
    settings : station Sensor.
    """
    extent = _upright_extent(loaded)
    if loaded.entry != MOSAIC:
        assert loaded.picture is not None
        picture = upright(loaded.picture, loaded.flip)
        clean = (
            None if loaded.denoised is None else Picture(upright(loaded.denoised, loaded.flip), exact=True)
        )
        bits = _clip_bits(picture) if loaded.entry == CAMERA else None
        if loaded.clipped is not None:
            bits = upright(loaded.clipped, loaded.flip)
        correlated = finished.estimate(picture) if loaded.entry in (CAMERA, DISPLAY) else None
        return Developed(
            Picture(picture, exact=True), clean, Removal(1.0 if clean else 0.0), bits, loaded.entry,
            loaded.colour,
            loaded.noise, extent, loaded.flip, 1.0, 0, loaded.notes, None, "none", finished=correlated,
            optics=loaded.optics, origin=loaded.origin,
        )  # fmt: skip
    assert loaded.mosaic is not None and loaded.noise is not None and loaded.colour is not None
    mosaic, defects, banding = repaired(loaded, settings)
    factors, bits = gains(loaded.colour.neutral), clip_bits(loaded.mosaic)
    lent = map_of(mosaic, factors, bits)
    full = _plain_picture(mosaic, Colouring(mosaic.cfa, factors, lent, loaded.noise, settings), loaded.flip)
    return Developed(
        full, None, Removal(), None if bits is None else upright(bits, loaded.flip), MOSAIC,
        loaded.colour, loaded.noise, extent, loaded.flip, 1.0, defects, loaded.notes, mosaic,
        demosaicing.method_name(mosaic.cfa, settings.demosaic), banding, loaded.levels, cfa=mosaic.cfa,
        lent=lent, optics=loaded.optics,
    )  # fmt: skip


def to_be_refined(developed: Developed, settings: Sensor) -> bool:
    """Is the plain picture still to be refined by the network?"""
    if developed.cfa is None or developed.refined or developed.step > 1:
        return False
    return settings.demosaic == demosaicing.AUTO and refine.possible(developed.cfa)


def refine_plain(developed: Developed, settings: Sensor, progress: Progress = always) -> Developed:
    """The same with its plain picture refined by the network; its mosaic must be there.

    Raises
    ------
    Cancelled
        When `progress` returns False.
    """
    mosaic = developed.mosaic
    assert mosaic is not None
    picture = _plain_picture(
        mosaic, colouring_of(developed, settings, refined=True), developed.flip, progress
    )
    return replace(developed, plain=picture, refined=True, method=refine.name(mosaic.cfa))


def colouring_of(
    developed: Developed, settings: Sensor, removal: Removal = Removal(), refined: bool = False
) -> Colouring:
    """How a developed frame gets its colour; after noise was removed as its removal asks for."""
    noise, lent, cfa = developed.noise, developed.lent, developed.cfa
    assert noise is not None and lent is not None and cfa is not None
    refined = is_refined(cfa, settings, removal) if removal.strength else refined
    return Colouring(cfa, developed.gains, lent, noise, settings, removal, refined)


def _plain_picture(mosaic: Mosaic, colouring: Colouring, flip: int, progress: Progress = always) -> Picture:
    h = mosaic.data.shape[0]

    def rows_of(top: int, bottom: int) -> np.ndarray:
        step(progress, top / h)
        return mosaic.data[top:bottom]

    return _full_picture(rows_of, mosaic, colouring, flip)


def repaired(loaded: Loaded, settings: Sensor) -> tuple[Mosaic, int, Banding]:
    """The mosaic without defects and banding, how many pixels were replaced, and the banding that was taken
    off."""
    assert loaded.mosaic is not None and loaded.noise is not None
    mosaic, defects = loaded.mosaic, 0
    if settings.defects == "on" or settings.banding != "off":
        mosaic = Mosaic(mosaic.data.copy(), mosaic.cfa)
    if settings.defects == "on":
        defects = mend_listed(mosaic, loaded.optics.corrections) + repair_defects(mosaic, loaded.noise)
    banding = Banding()
    if settings.banding != "off":
        rows, columns = settings.banding in ("rows", "both"), settings.banding in ("columns", "both")
        width = int(settings.banding_width)
        if settings.banding_by == "lines@1":
            banding = Banding(max(banding_first.remove_banding(mosaic, loaded.noise, rows, columns, width)))
        else:
            found = remove_banding(mosaic, loaded.noise, rows, columns, width)
            banding = max(found, key=lambda one: (one.sigma, one.sureness))
    return mosaic, defects, banding


def _full_picture(
    rows_of: Callable[[int, int], np.ndarray], mosaic: Mosaic, colouring: Colouring, flip: int
) -> Picture:
    """The whole picture, made in bands: a large frame is never held at full size as floating point.

    `rows_of` gives rows of the mosaic to interpolate, from the first (a multiple of PERIOD) to before the
    last.
    """
    h, w = mosaic.data.shape
    codes = np.empty((h, w, 3), np.int16)
    reach = colouring.reach
    for first in range(0, h, _BAND):
        last = min(h, first + _BAND)
        top, bottom = max(0, (first - reach) // PERIOD * PERIOD), min(h, last + reach)
        rows = rows_of(top, bottom)
        for begin in range(first, last, _STRIP):
            end = min(last, begin + _STRIP)
            above, below = max(top, (begin - reach) // PERIOD * PERIOD), min(bottom, end + reach)
            borders = above == 0, below == h, True, True
            part, before = rows[above - top : below - top], mosaic.data[above:below]
            full = colouring.colour(part, before, (above, 0), borders)
            encode16(full[begin - above : end - above], codes[begin:end])
        del rows, part, full
        trim_heap()
    return Picture.from_codes(upright(codes, flip))


def denoise_whole(
    developed: Developed, settings: Sensor, removal: Removal, progress: Progress = always
) -> Picture:
    """The denoised picture of a whole frame.

    Raises
    ------
    Cancelled
        When `progress` returns False.
    """
    if developed.finished is not None:
        return _denoise_finished_whole(developed, developed.finished, removal, progress)
    mosaic, noise = developed.mosaic, developed.noise
    assert mosaic is not None and noise is not None
    h = mosaic.data.shape[0]
    method = denoise.method_for(mosaic.cfa, removal.kind, removal.by)

    def clean(top: int, bottom: int) -> np.ndarray:
        return denoise.denoise_mosaic(
            mosaic, noise, developed.gains, removal.strength, rows=(top, bottom), method=method,
            progress=part(progress, top / h, bottom / h),
        )  # fmt: skip

    return _full_picture(clean, mosaic, colouring_of(developed, settings, removal), developed.flip)


def denoise_finished_part(
    picture: Picture, noise: FinishedNoise, removal: Removal, region: FrameRegion
) -> np.ndarray:
    """A region of a finished picture without its noise, float32 H×W×3."""
    around, align = finished.REACH, finished.ALIGN
    top, left = (max(0, (v - around) // align * align) for v in (region.top, region.left))
    h, w = picture.shape
    part = picture.read(
        FrameRegion(top, left, min(h, region.bottom + around), min(w, region.right + around))
    ).pixels
    clean = finished.denoise_finished(part, noise, removal.strength, removal.kind == denoise.FAST)
    cut = slice(region.top - top, region.bottom - top), slice(region.left - left, region.right - left)
    return np.ascontiguousarray(clean[cut])


def _denoise_finished_whole(
    developed: Developed, noise: FinishedNoise, removal: Removal, progress: Progress
) -> Picture:
    h, w = developed.extent
    clean = np.empty((h, w, 3), np.float32)
    for first in range(0, h, _FINISHED_BAND):
        step(progress, first / h)
        last = min(h, first + _FINISHED_BAND)
        clean[first:last] = denoise_finished_part(
            developed.plain, noise, removal, FrameRegion(first, 0, last, w)
        )
    return Picture(clean, exact=True)
