"""Brackets that stand still: repaired mosaics are merged, the merge is denoised once, with its own noise, and
interpolated once."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
import scipy

from irvane.core.colour.whitebalance import gains
from irvane.core.image import Mosaic, NoiseModel
from irvane.core.line.colouring import PERIOD, full_colour, is_refined, reach_of
from irvane.core.line.develop import repaired
from irvane.core.line.merge_lights import rebuild_lights
from irvane.core.line.merge_words import told_of_movers, told_of_plan, told_of_single
from irvane.core.line.source import MERGED, MOSAIC, Loaded, Origin
from irvane.core.merge.ghosts import Ghosts, Place
from irvane.core.merge.hdr import best_single, find_movement, origin_map
from irvane.core.merge.mosaics import merge_mosaics
from irvane.core.merge.registration import CLIPPED, FADE, Member, Plan, plan
from irvane.core.merge.variance import Variance, variance_of
from irvane.core.noise import denoise
from irvane.core.noise.denoise import Removal
from irvane.core.orientation import upright
from irvane.core.pixels.grids import centres, on_grid
from irvane.core.progress import Progress, part, step
from irvane.core.sensor import refine
from irvane.core.sensor.clipping import clip_bits
from irvane.core.sensor.demosaic import bin_colour
from irvane.core.sensor.encoding import POWER, knee_for
from irvane.core.sensor.refine import Removed
from irvane.core.sensor.unclip import map_of, unclipped
from irvane.core.settings import Sensor

#: Rows that are interpolated at once; pixels around a thing that moved that are denoised with it.
_BAND, _AROUND = 552, 48
#: Quarter turns back: the inverse of :func:`irvane.core.orientation.upright`.
_BACK = {0: 0, 3: 3, 5: 6, 6: 5}


@dataclass(frozen=True, eq=False)
class Still:
    """A bracket of mosaics that fit together, and how.

    Attributes
    ----------
    seen : the frames binned, upright. how : of these. mosaics : repaired, in the sensor's orientation.
    """

    names: tuple[str, ...]
    loaded: tuple[Loaded, ...]
    mosaics: tuple[Mosaic, ...]
    seen: tuple[Member, ...]
    how: Plan


def same_array(frames: Sequence[Loaded]) -> bool:
    """Are these mosaics of one size, one array and one orientation?"""
    if any(f.entry != MOSAIC or f.mosaic is None or f.noise is None for f in frames):
        return False
    first = frames[0]
    assert first.mosaic is not None
    return all(
        f.mosaic is not None
        and f.extent == first.extent
        and f.flip == first.flip
        and np.array_equal(f.mosaic.cfa, first.mosaic.cfa)
        for f in frames
    )


def find_still(
    names: Sequence[str], frames: Sequence[Loaded], sensors: Sequence[Sensor], reference: int | None,
    aligns: bool,
    progress: Progress,
) -> Still | None:  # fmt: skip
    """A bracket, when its frames stand still (or are taken to); None when one moved.

    Parameters
    ----------
    sensors : station Sensor of each frame. reference : see :func:`irvane.core.merge.registration.plan`.

    Raises
    ------
    MergeError, Cancelled
    """
    if not same_array(frames):
        return None
    mosaics = []
    for k, (loaded, sensor) in enumerate(zip(frames, sensors, strict=True)):
        step(progress, 0.6 * k / len(frames))
        mosaics.append(repaired(loaded, sensor)[0])
    first = frames[0]
    apart = 2 if mosaics[0].is_bayer else 3
    seen = tuple(
        Member(upright(bin_colour(m), first.flip), _noise(f), f.info, apart)
        for m, f in zip(mosaics, frames, strict=True)
    )
    how = plan(seen, part(progress, 0.6, 1.0), reference, aligns)
    if not all(how.motions[k].still for k in how.used):
        return None
    return Still(tuple(names), tuple(frames), tuple(mosaics), seen, how)


def _noise(loaded: Loaded) -> NoiseModel:
    assert loaded.noise is not None
    return loaded.noise


def _turned_back(found: Ghosts, flip: int) -> Ghosts:
    back = _BACK[flip]
    weights = tuple(None if cells is None else upright(cells, back) for cells in found.weights)
    return Ghosts(weights, upright(found.source, back))


def merge_still(
    still: Still, ghosts: float, places: Sequence[Place], sensor: Sensor, removal: Removal, progress: Progress
) -> Loaded:
    """Merge, denoise and interpolate.

    Parameters
    ----------
    ghosts : strength of the search for movement. places : chosen by hand.
    sensor : how colours are interpolated. removal : how the merge is denoised; strength 0: it is not.

    Raises
    ------
    Cancelled
    """
    how, first = still.how, still.loaded[still.how.reference]
    cfa, flip, colour = still.mosaics[0].cfa, first.flip, first.colour
    assert colour is not None
    moved = find_movement(still.seen, how, ghosts, places, part(progress, 0.0, 0.05))
    here = _turned_back(moved, flip)
    lying = [Member(upright(m.picture, _BACK[flip]), m.noise, m.info, m.step) for m in still.seen]
    merged = merge_mosaics([m.data for m in still.mosaics], cfa, lying, how, here, part(progress, 0.05, 0.15))
    shortest = max(how.used, key=lambda k: how.ratios[k])
    clipped = clip_bits(still.mosaics[shortest])
    factors = gains(colour.neutral)
    variance = variance_of(
        [still.seen[k].noise for k in how.used], [how.ratios[k] for k in how.used], colour.neutral, (FADE,
        CLIPPED)
    )  # fmt: skip
    before, lights = merged, (clipped, how.ratios[shortest])
    plain = _coloured(
        _raised(merged, before, cfa, factors, *lights),
        cfa,
        factors,
        knee_for(variance.model.read[1]),
        sensor,
        False,
        None,
        part(progress, 0.15, 0.35),
    )
    clean = plain
    if removal.strength:
        merged = _denoised(merged, still, here, variance, factors, removal, part(progress, 0.35, 0.8))
        told = _Told(
            before, merged, variance.model.times(removal.strength), before, variance, removal.strength
        )
        knee = knee_for(0.25 * variance.model.read[1])
        refined = is_refined(cfa, sensor, removal)
        raised = _raised(merged, before, cfa, factors, *lights)
        clean = _coloured(raised, cfa, factors, knee, sensor, refined, told, part(progress, 0.8, 1.0))
    if sensor.highlights == "rebuild":
        for picture in (plain,) if clean is plain else (plain, clean):
            rebuild_lights(picture, *lights, factors, Mosaic(before, cfa))
    small = upright(bin_colour(Mosaic(merged, cfa)), flip)
    notes = [*told_of_plan(how, still.names, [f.info for f in still.loaded], small.shape)]
    notes += told_of_movers(moved, still.names)
    notes.append(told_of_single(best_single(still.seen, how, small), still.names))
    origin = Origin(origin_map(still.seen, how, moved, small), still.names, moved.source >= 0)
    return Loaded(
        MERGED, None, plain, colour, variance.model, flip, first.info, tuple(notes), clean,
        optics=first.optics, origin=origin,
        clipped=clipped,
    )  # fmt: skip


def _raised(
    data: np.ndarray, before: np.ndarray, cfa: np.ndarray, factors: np.ndarray, clipped: np.ndarray | None,
    ratio: float
) -> np.ndarray:  # fmt: skip
    """A merged mosaic whose samples that clip in every frame are raised to what they would have held: beside
    them interpolation would see the clip's colours. `before`: it, before denoising; `ratio`: see
    :mod:`irvane.core.line.merge_lights`."""
    if clipped is None:
        return data
    scaled = Mosaic(data / np.float32(ratio), cfa)
    lent = map_of(scaled, factors, clipped)
    return unclipped(scaled, before / np.float32(ratio), factors, lent, 0, 0).data * np.float32(ratio)


def _denoised(
    merged: np.ndarray, still: Still, found: Ghosts, variance: Variance, factors: np.ndarray,
    removal: Removal, progress: Progress
) -> np.ndarray:  # fmt: skip
    """The merge without noise; what is taken from one frame has that frame's noise and is denoised by it."""
    cfa = still.mosaics[0].cfa
    method = denoise.method_for(cfa, removal.kind, removal.by)
    even = Mosaic(variance.evened(merged, cfa), cfa)
    clean = denoise.denoise_mosaic(
        even, variance.model, factors, removal.strength, method=method, progress=part(progress, 0.0, 0.85)
    )
    del even
    clean = variance.back(clean, cfa)
    for k in sorted({int(k) for k in np.unique(found.source)} - {-1}):
        ratio, noise = still.how.ratios[k], still.seen[k].noise
        own = Mosaic(still.mosaics[k].data * np.float32(ratio), cfa)
        gain, read = ([value * ratio for value in values] for values in (noise.gain, noise.read))
        scaled = NoiseModel((gain[0], gain[1], gain[2]), (read[0], read[1], read[2]), noise.origin)
        for rows, columns, share in _boxes(found.source == k, clean.shape):
            made = denoise.denoise_mosaic(
                own, scaled, factors, removal.strength, rows, columns, part(progress, 0.85, 1.0), method
            )
            there = slice(*rows), slice(*columns)
            clean[there] += share * (made - clean[there])
    return clean


def _boxes(
    cells: np.ndarray, shape: tuple[int, int]
) -> list[tuple[tuple[int, int], tuple[int, int], np.ndarray]]:
    """Rows, columns and soft share of the pixels of every region of cells."""
    (ch, cw), (h, w) = cells.shape, shape
    labels, _ = scipy.ndimage.label(scipy.ndimage.binary_dilation(cells, iterations=4))
    found = []
    for number, (ys, xs) in enumerate(scipy.ndimage.find_objects(labels), 1):
        rows = max(0, ys.start * h // ch - _AROUND), min(h, ys.stop * h // ch + _AROUND)
        columns = max(0, xs.start * w // cw - _AROUND), min(w, xs.stop * w // cw + _AROUND)
        inside = (cells & (labels == number)).astype(np.float32)
        soft = cv2.GaussianBlur(inside, (0, 0), 1.0)
        # places of these pixels on the cells
        x = on_grid(centres(columns[1] - columns[0], columns[0]), cw, w).astype(np.float32)
        y = on_grid(centres(rows[1] - rows[0], rows[0]), ch, h).astype(np.float32)
        across, down = np.meshgrid(x, y)
        share = cv2.remap(soft, across, down, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
        found.append((rows, columns, np.clip(share, 0, 1)))
    return found


@dataclass(frozen=True)
class _Told(Removed):
    """What a denoiser did to a merge, whose noise is told by its light."""

    variance: Variance
    strength: float

    def tell(
        self, before: np.ndarray, after: np.ndarray, green: np.ndarray, colours: np.ndarray, knee: float,
        out: np.ndarray
    ) -> None:  # fmt: skip
        light = np.maximum(green, 0)
        slope = np.float32(POWER) * (light + np.float32(knee)) ** np.float32(POWER - 1)
        out[0] = slope * self.variance.sigma(light, 1) * np.float32(self.strength)
        out[1] = (before - after) / (self.variance.sigma(after, colours) * np.float32(self.strength))


def _coloured(
    data: np.ndarray, cfa: np.ndarray, factors: np.ndarray, knee: float, sensor: Sensor, refined: bool,
    told: _Told | None,
    progress: Progress,
) -> np.ndarray:  # fmt: skip
    """Full colour of a merged mosaic, in bands: float32 H×W×3."""
    h, w = data.shape
    refined = refined if told is not None else sensor.demosaic == "auto" and refine.possible(cfa)
    out = np.empty((h, w, 3), np.float32)
    reach = reach_of(cfa, sensor, refined, False)
    for first in range(0, h, _BAND):
        step(progress, first / h)
        last = min(h, first + _BAND)
        top, bottom = max(0, (first - reach) // PERIOD * PERIOD), min(h, last + reach)
        strip = None
        if told is not None:
            strip = _Told(
                told.before[top:bottom], told.after[top:bottom], told.noise, told.held[top:bottom],
                told.variance, told.strength
            )  # fmt: skip
        borders = top == 0, bottom == h, True, True
        full = full_colour(
            Mosaic(data[top:bottom], cfa), factors, knee, sensor, refined, strip, borders, clips=False
        )
        out[first:last] = full[first - top : last - top]
    return out
