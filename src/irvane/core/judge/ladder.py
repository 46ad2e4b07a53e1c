"""The ladder: one scene in steps of exposure, one camera or several, and how far each can be pushed.

Noise is read from the mosaic (where there is one) at the patches of a chart, before any processing;
brightness and colour from the developed picture after each frame was brought to equal brightness by its own
gain.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from irvane.core.colour.spaces import SPACES
from irvane.core.errors import ReadError
from irvane.core.image import GREEN, LUMA_2020, MID_GREY
from irvane.core.judge.chart import ChartPatch, NoChartError, find_chart
from irvane.core.judge.colour_difference import delta_e, lab_of
from irvane.core.judge.probe import robust_sigma, robust_sigma_at
from irvane.core.judge.spots import find_spots
from irvane.core.judge.transfer import Point
from irvane.core.line.context import Context
from irvane.core.line.develop import Developed
from irvane.core.line.realise import completed, developed_only
from irvane.core.line.source import FileSource
from irvane.core.line.view import Rendered, render_view, scene_patch, show
from irvane.core.merge.align import STILL, Motion, align
from irvane.core.orientation import upright_rect
from irvane.core.pixels.patches import OutputPatch, trim
from irvane.core.pixels.places import FrameRegion, OutputRegion, in_output
from irvane.core.progress import Progress, always, step
from irvane.core.sensor.clipping import CLIP_START
from irvane.core.settings import Settings, bare

#: What the content may say otherwise than the exposure data, in EV.
_REFINED_BY = 0.35
#: Least SNR of a patch for its brightness to count.
_TELLING = 2.0
_DARKEST_LAB = 1e-5
#: Height and width of the crops.
_CROP = (180, 260)


@dataclass(frozen=True)
class Rung:
    """One frame of a ladder.

    Attributes
    ----------
    stop : exposure in EV against the camera's reference frame; stated: as the exposure data have it.
    means : scene-linear light of the patches at equal brightness, patches × 3.
    snr : dB of the patches in red, green, blue of the sensor, patches × 3; from the developed picture where
        there is no mosaic.
    snr_denoised : dB of the patches' luminance after denoising; None when that was not asked for.
    clipped : which patches hold clipped pixels.
    error : CIEDE2000 of the patches against the reference frame, finished.
    cast : largest difference of log2 red/green and blue/green of the grey patches from the reference, in EV.
    points : noise over signal for photon transfer, per colour.
    motion : where it lies on the reference.
    crop : the same place of every frame at equal brightness, as it is seen: uint8 H×W×3.
    """

    path: Path
    stop: float
    stated: float
    means: np.ndarray
    snr: np.ndarray
    snr_denoised: np.ndarray | None
    clipped: np.ndarray
    error: np.ndarray
    cast: float
    points: tuple[tuple[Point, ...], ...]
    motion: Motion
    crop: np.ndarray

    @property
    def mean_snr(self) -> float:
        """Mean of the green SNR in dB over the patches that are not clipped."""
        whole = ~self.clipped if (~self.clipped).any() else np.ones(len(self.clipped), bool)
        return float(np.mean(self.snr[whole, GREEN]))


@dataclass(frozen=True)
class CameraLadder:
    """The frames of one camera, brightest first.

    Attributes
    ----------
    counts : converter counts between black and clipping; None when not known.
    """

    name: str
    patches: tuple[ChartPatch, ...]
    rungs: tuple[Rung, ...]
    counts: float | None
    extent: tuple[int, int]


@dataclass
class _Frame:
    path: Path
    developed: Developed
    context: Context
    ev: float | None
    model: str


def _read(path: Path) -> _Frame:
    loaded = FileSource(path).load()
    made = developed_only(loaded, bare())
    return _Frame(path, *made, loaded.info.exposure_value, loaded.info.model or "camera")


def _scene(frame: _Frame, region: FrameRegion, settings: Settings) -> np.ndarray:
    place = in_output(region)  # a ladder is developed bare: its output is the frame
    return trim(scene_patch(frame.developed, settings, frame.context, place), place).pixels


def _whole(frame: _Frame) -> tuple[np.ndarray, float]:
    """Scene-linear light of the whole frame, reduced to about two megapixels, and its step."""
    h, w = frame.developed.extent
    region = OutputRegion(0, 0, h, w, max(1.0, max(h, w) / 1600))
    patch = scene_patch(frame.developed, bare(), frame.context, region)
    return patch.pixels, patch.step


def read_ladder(
    paths: Sequence[Path],
    denoise: bool = False,
    progress: Progress = always,
    patches: Sequence[ChartPatch] | None = None,
    reference: Path | None = None,
) -> list[CameraLadder]:
    """Measure the frames of one or several cameras; cameras in the order of their first frame.

    Parameters
    ----------
    denoise : measure a second time after denoising at the automatic strength.
    patches : the chart, where it was marked by hand (for all cameras); otherwise it is found in each
        reference frame.
    reference : the frame at 0 EV, also of the other cameras' exposures; otherwise one without exposure
        compensation among others that have some, or the brightest one without clipped patches.

    Raises
    ------
    ReadError
        When a file cannot be read, says nothing of its exposure, or no chart is found.
    Cancelled
    """
    groups: dict[str, list[Path]] = {}
    exposures: dict[Path, float] = {}
    for path in paths:
        info = FileSource(path).info
        if info.exposure_value is None:
            raise ReadError(path, "the file does not say how it was exposed; a ladder needs the shutter time")
        exposures[path] = info.exposure_value
        groups.setdefault(info.model or "camera", []).append(path)
    zero: float | None = None if reference is None else exposures.get(reference)
    ladders, done = [], 0
    for name, members in groups.items():
        members.sort(key=lambda path: -exposures[path])
        start = _reference(members, exposures, patches, zero)
        zero = exposures[start.frame.path] if zero is None else zero
        rungs = []
        for path in members:
            step(progress, done / len(paths))
            rungs.append(_rung(_read(path) if path != start.frame.path else start.frame, start, denoise))
            done += 1
        rungs.sort(key=lambda rung: -rung.stop)
        ladders.append(
            CameraLadder(
                name, start.patches, tuple(rungs), _counts(start.frame), start.frame.developed.extent
            )
        )
    return ladders


def frame_to_mark(paths: Sequence[Path]) -> Rendered:
    """A frame of a ladder, brightened to be seen, for marking its chart: the one of middle exposure.

    Raises
    ------
    ReadError
    """
    known = [(FileSource(path).info.exposure_value, path) for path in paths]
    exposed = sorted((ev, path) for ev, path in known if ev is not None)
    frame = _read(exposed[len(exposed) // 2][1] if exposed else paths[0])
    h, w = frame.developed.extent
    offset = -float(np.median(np.log2(np.maximum(_whole(frame)[0] @ LUMA_2020, 1e-6) / MID_GREY)))
    whole = OutputRegion(0, 0, h, w, max(1.0, max(h, w) / 1600))
    return render_view(frame.developed, bare(), frame.context, whole, offset=float(np.clip(offset, -4, 10)))


def _counts(frame: _Frame) -> float | None:
    levels = frame.developed.levels
    return None if levels is None else float(np.mean(levels[1] - levels[0]))


@dataclass
class _Start:
    """The reference frame of a camera and what the others are held against."""

    frame: _Frame
    patches: tuple[ChartPatch, ...]
    light: np.ndarray
    means: np.ndarray
    lab: np.ndarray
    spot: FrameRegion


def _reference(
    members: Sequence[Path],
    exposures: dict[Path, float],
    given: Sequence[ChartPatch] | None,
    zero: float | None,
) -> _Start:
    """The frame at 0 EV: at the exposure `zero`, else without exposure compensation among others that have
    some, else the brightest with all patches below clipping."""
    biases = {path: FileSource(path).info.bias for path in members}
    plain = [path for path in members if biases[path] == 0]
    if zero is not None:
        candidates = sorted(members, key=lambda path: abs(exposures[path] - zero))
    elif len(set(biases.values())) > 1 and plain:
        candidates = [*plain, *members]
    else:
        candidates = list(members)
    for path in candidates:
        frame = _read(path)
        patches = tuple(given) if given is not None else tuple(find_chart(*_whole(frame)))
        settled = zero is not None or path in plain[:1]
        if patches and (settled or not _clipped(frame.developed, patches, STILL).any()):
            means = _means(frame, patches, STILL, 0.0)
            return _Start(frame, patches, _luminance(frame), means, _lab(means, frame), _spot(frame, patches))
    if given is not None:
        raise ReadError(
            members[0], "every frame has a clipped patch, or the marked patches hold none of the chart"
        )
    raise NoChartError(members[0], "no chart of patches was found in these frames; mark it by hand")


def _spot(frame: _Frame, patches: Sequence[ChartPatch]) -> FrameRegion:
    """Where the crop is taken: at the finest texture, else at the chart's middle."""
    h, w = frame.developed.extent
    picture, _ = _whole(frame)
    textured = next((s for s in find_spots(picture) if s.kind == "texture"), None)
    middle = patches[len(patches) // 2].region
    x, y = ((middle.left + middle.right) / 2, (middle.top + middle.bottom) / 2)
    if textured is not None:
        x, y = textured.x * w, textured.y * h
    high, wide = min(_CROP[0], h), min(_CROP[1], w)
    left, top = int(np.clip(round(x - wide / 2), 0, w - wide)), int(np.clip(round(y - high / 2), 0, h - high))
    return FrameRegion(top, left, top + high, left + wide)


def _crop(frame: _Frame, start: _Start, motion: Motion, lift: float) -> np.ndarray:
    settings = bare().with_value("light.exposure", float(np.clip(lift, -10, 10)))
    place = _moved(start.spot, motion, frame.developed.extent)
    return render_view(frame.developed, settings, frame.context, in_output(place)).pixels[..., :3]


def _luminance(frame: _Frame) -> np.ndarray:
    pixels, _ = _whole(frame)
    return np.ascontiguousarray(pixels @ LUMA_2020)


def _moved(region: FrameRegion, motion: Motion, extent: tuple[int, int]) -> FrameRegion:
    """Where a rectangle of the reference lies in a frame that moved against it."""
    if motion.still:
        return region
    x, y = motion.places(np.array([[(region.left + region.right) / 2, (region.top + region.bottom) / 2]]))[0]
    h, w = region.bottom - region.top, region.right - region.left
    left = int(np.clip(round(x - w / 2), 0, extent[1] - w))
    top = int(np.clip(round(y - h / 2), 0, extent[0] - h))
    return FrameRegion(top, left, top + h, left + w)


def _means(frame: _Frame, patches: Sequence[ChartPatch], motion: Motion, lift: float) -> np.ndarray:
    settings = bare().with_value("light.exposure", float(np.clip(lift, -10, 10)))
    places = [_moved(p.region, motion, frame.developed.extent) for p in patches]
    return np.array([_scene(frame, place, settings).reshape(-1, 3).mean(axis=0) for place in places])


def _lab(means: np.ndarray, frame: _Frame) -> np.ndarray:
    pixels = np.ascontiguousarray(means[None], np.float32)
    shown = show(OutputPatch(pixels, 0, 0, 1.0), frame.developed, bare())[0]
    return lab_of(np.maximum(shown, _DARKEST_LAB), SPACES["srgb"])


def _clipped(developed: Developed, patches: Sequence[ChartPatch], motion: Motion) -> np.ndarray:
    found = []
    for patch in patches:
        place = _moved(patch.region, motion, developed.extent)
        pixels = developed.plain.read(place).pixels
        found.append(float((pixels >= CLIP_START).any(axis=2).mean()) > 0.02)
    return np.array(found, bool)


def _rung(frame: _Frame, start: _Start, denoise: bool) -> Rung:
    assert frame.ev is not None and start.frame.ev is not None
    stated = frame.ev - start.frame.ev
    motion = STILL if frame is start.frame else _motion(frame, start, stated)
    clipped = _clipped(frame.developed, start.patches, motion)
    snr, points = _noise(frame, start.patches, motion)
    bright = _means(frame, start.patches, motion, -stated)
    stop = stated + _correction(bright, start.means, snr, clipped)
    means = bright * 2.0 ** (stated - stop)
    denoised = _denoised_snr(frame, start.patches, motion) if denoise else None
    error = delta_e(_lab(means, frame), start.lab)
    return Rung(
        frame.path, stop, stated, means, snr, denoised, clipped, error, _cast(means, start.means, clipped),
        points,
        motion, _crop(frame, start, motion, -stop),
    )  # fmt: skip


def _motion(frame: _Frame, start: _Start, stated: float) -> Motion:
    """How the frame moved against the reference, if the patches agree better for it."""
    if frame.developed.extent != start.frame.developed.extent:
        return STILL
    own = _luminance(frame)
    black = [
        0.0 if f.developed.noise is None else f.developed.noise.read[GREEN] for f in (start.frame, frame)
    ]
    found = align(start.light, own, 2.0**-stated, (black[0], black[1]))
    matrix = found.matrix.copy()
    matrix[:, 2] *= frame.developed.extent[1] / own.shape[1]
    found = replace(found, matrix=matrix)
    return min((STILL, found), key=lambda motion: _disagreement(frame, start, motion))


def _disagreement(frame: _Frame, start: _Start, motion: Motion) -> float:
    """Spread of the patches' ratios to the reference in EV, as far as they are not clipped."""
    whole = ~_clipped(frame.developed, start.patches, motion)
    means = np.maximum(_means(frame, start.patches, motion, 0.0)[:, GREEN], 1e-6)
    ratio = np.log2(means / np.maximum(start.means[:, GREEN], 1e-6))[whole]
    return float(ratio.std()) if ratio.size > 2 else 0.0


def _correction(means: np.ndarray, reference: np.ndarray, snr: np.ndarray, clipped: np.ndarray) -> float:
    """What the content adds to the stated exposure, in EV; 0 where it cannot tell or says something
    absurd."""
    telling = ~clipped & (snr[:, GREEN] > 20 * np.log10(_TELLING)) & (means[:, GREEN] > 0)
    if telling.sum() < 3:
        return 0.0
    found = float(np.median(np.log2(means[telling, GREEN] / reference[telling, GREEN])))
    return found if abs(found) <= _REFINED_BY else 0.0


def _cast(means: np.ndarray, reference: np.ndarray, clipped: np.ndarray) -> float:
    """Largest shift of mean red/green and blue/green against the reference, in EV, over patches that are not
    clipped."""
    whole = ~clipped if (~clipped).any() else np.ones(len(means), bool)
    own, theirs = (np.maximum(m[whole].sum(axis=0), 1e-9) for m in (means, reference))
    ratio = np.log2(own / own[GREEN]) - np.log2(theirs / theirs[GREEN])
    return float(ratio[np.argmax(np.abs(ratio))])


def _noise(
    frame: _Frame, patches: Sequence[ChartPatch], motion: Motion
) -> tuple[np.ndarray, tuple[tuple[Point, ...], ...]]:
    """SNR in dB of every patch and colour, and the points behind it."""
    developed, mosaic = frame.developed, frame.developed.mosaic
    rows: list[list[float]] = []
    points: tuple[list[Point], ...] = ([], [], [])
    for patch in patches:
        place = _moved(patch.region, motion, developed.extent)
        row = []
        for c in range(3):
            if mosaic is None:
                values = developed.plain.read(place).pixels[..., c]
                mean, sigma, count = float(values.mean()), robust_sigma(values), values.size
            else:
                (top, bottom), (left, right) = upright_rect(
                    (place.top, place.bottom), (place.left, place.right), mosaic.data.shape, developed.flip
                )
                p = mosaic.cfa.shape[0]
                top, left = top // p * p, left // p * p
                part = mosaic.data[top:bottom, left:right]
                y, x = np.nonzero(replace(mosaic, data=part).colours() == c)
                mean, sigma = float(part[y, x].mean()), robust_sigma_at(part[y, x], y, x)
                count = y.size
            row.append(20 * float(np.log10(max(mean, 1e-9) / max(sigma, 1e-9))))
            points[c].append(Point(mean, sigma**2, count))
        rows.append(row)
    return np.array(rows), tuple(map(tuple, points))


def _denoised_snr(frame: _Frame, patches: Sequence[ChartPatch], motion: Motion) -> np.ndarray:
    settings = replace(Settings(), lens=bare().lens)
    developed, context = completed(frame.developed, settings, frame.context)
    frame = replace(frame, developed=developed, context=context)
    found = []
    for patch in patches:
        light = _scene(frame, _moved(patch.region, motion, developed.extent), settings) @ LUMA_2020
        ratio = max(float(light.mean()), 1e-9) / max(robust_sigma(light), 1e-9)
        found.append(20 * float(np.log10(ratio)))
    return np.array(found)
