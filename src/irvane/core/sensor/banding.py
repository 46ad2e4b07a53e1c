"""Row and column banding: offsets that whole lines share, proven against chance and against the scene, and
taken away.

A line of the mosaic is cut into blocks; the mean of each colour of a block is followed from line to line, in
stretches of lines and by frequency (a windowed cosine transform). An offset of the line is in all blocks
alike, bright or dark, left or right, and about as strong from line to line as in wide bands. Structure of the
scene is in some blocks only, or grows with the light, or is strong in wide bands alone. So the variance of
true offsets is what parts of the lines have in common, less what grows with the light (two variance
components, estimated by moments: Searle, Casella & McCulloch 1992), taken of those pairs of parts that agree
least. Only when that is many times its own standard error are offsets taken away: by the best linear
prediction of the same model (Robinson 1991), in which blocks count as much as they are calm. No frequency is
touched that would change a colour's mean over a stretch of lines.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import combinations, pairwise, product

import numpy as np

from irvane.core.image import Mosaic, NoiseModel
from irvane.core.kernels import serial
from irvane.core.threads import each, strips

#: Columns of a block, a multiple of both arrays' periods; a quarter of it in narrow frames.
_BLOCK = 48
_PARTS = 4
#: Lines of a stretch (of the same phase of a Bayer array), at least, and for a band so many times its width.
_STRETCH, _PER_WIDTH = 96, 4
#: Frequencies are dealt with in bands, whose edges are shares of the highest one; those of the fine ones tell
#: whether there is banding at all. What is slower than the first is left alone.
_EDGES = (0.015, 0.09, 0.17, 0.34, 0.5, 0.67, 0.83, 1.0)
_FINE = 4
#: Standard errors above which a variance of offsets is believed: not at all, fully.
_DOUBTFUL, _SURE = 3.5, 5.5
#: Groups of frequencies that standard errors are estimated from (jackknife; Efron & Stein 1981).
_GROUPS = 20
#: Coarse bands may be stronger than fine ones up to so many read noises: what exceeds that is the scene's.
_LARGEST = 1.1
#: Relative spread of the products of lights below which it says little what grows with the light.
_ALIKE = 0.05
#: Offsets are not told from a scene whose own common structure has so many times less of their variance.
_BESIDE = 0.2
#: Contrast of the scene that is assumed where nothing tells it.
_CONTRAST = 0.002
_TINY = 1e-16


@dataclass(frozen=True)
class Banding:
    """What was found of the lines in one direction.

    Attributes
    ----------
    sigma : standard deviation of the offsets that were taken away, relative to white; 0 when none were.
    measured : that of the lines' own offsets, as their products tell it: what is taken away is less, for of
        each line it is only guessed.
    sureness : how many standard errors the variance of the lines' common offsets is away from none.
    """

    sigma: float = 0.0
    measured: float = 0.0
    sureness: float = 0.0


@serial
def _block_means(data, block, period, out):
    """Means of each row's pixels by block and by place in the array: out rows×blocks×period."""
    rows, blocks = out.shape[0], out.shape[1]
    part = np.float32(period / block)
    for y in range(rows):
        for b in range(blocks):
            for p in range(period):
                out[y, b, p] = 0
            for x in range(b * block, (b + 1) * block, period):
                for p in range(period):
                    out[y, b, p] += data[y, x + p]
            for p in range(period):
                out[y, b, p] *= part


def _means(mosaic: Mosaic, block: int) -> np.ndarray:
    """Mean of every colour in every block of every line: float32 H×blocks×3, NaN where the line does not have
    the colour."""
    data, period = mosaic.data, mosaic.cfa.shape[0]
    h, w = data.shape
    places = np.empty((h, w // block, period), np.float32)

    def work(rows: tuple[int, int]) -> None:
        _block_means(data[rows[0] : rows[1]], block, period, places[rows[0] : rows[1]])

    for _ in each(work, strips(h, 64)):
        pass
    means = np.full((h, w // block, 3), np.nan, np.float32)
    for phase in range(period):
        for c in range(3):
            of_colour = mosaic.cfa[phase] == c
            if of_colour.any():
                means[phase::period, :, c] = places[phase::period][..., of_colour].mean(axis=-1)
    return means


@dataclass(frozen=True)
class _Lines:
    """Lines of one kind, by stretch and frequency.

    Attributes
    ----------
    waves : float32 stretches×frequencies×channels (a channel is a colour in a block).
    level : light of each channel in each stretch, stretches×channels.
    chance : variance of `waves` by noise alone, stretches×channels.
    parts : which part of the line a channel is in.
    first : first line of each stretch. length : of a stretch.
    """

    waves: np.ndarray
    level: np.ndarray
    chance: np.ndarray
    parts: np.ndarray
    first: np.ndarray
    length: int

    @property
    def bands(self) -> list[slice]:
        edges = [round(share * self.length) for share in _EDGES]
        return [slice(max(a, 1), b) for a, b in pairwise(edges)]


#: Mean of the squared window.
_WINDOWED = 0.5


def _window(length: int) -> np.ndarray:
    return np.sin(np.pi * (np.arange(length, dtype=np.float32) + 0.5) / length)[:, None]


def _transformed(means: np.ndarray, counts: np.ndarray, noise: NoiseModel, length: int) -> _Lines:
    """Stretches of lines of one kind (lines×blocks×colours, without gaps), half overlapping, as
    frequencies."""
    from scipy.fft import dct  # takes a while: only when it is needed

    lines, blocks, colours = means.shape
    length = min(length, lines // 2 * 2)
    padded = np.pad(means.reshape(lines, -1), ((length // 2, length), (0, 0)), mode="reflect")
    first = np.arange(0, lines + length // 2, length // 2)
    window, slope = _window(length), np.linspace(-1, 1, length, dtype=np.float32)[:, None]
    waves = np.empty((first.size, length, blocks * colours), np.float32)
    level = np.empty((first.size, blocks * colours), np.float32)
    for k, at in enumerate(first):
        piece = padded[at : at + length]
        level[k] = piece.mean(axis=0)
        tilt = (piece * slope).sum(axis=0) / (slope**2).sum()
        waves[k] = dct((piece - level[k] - tilt * slope) * window, axis=0, norm="ortho")
    gain, read = (np.tile(np.array(v, np.float32)[counts > 0], blocks) for v in (noise.gain, noise.read))
    chance = _WINDOWED * (gain * np.maximum(level, 0) + read**2) / np.tile(counts[counts > 0], blocks)
    parts = np.repeat(np.arange(blocks) * _PARTS // blocks, colours)
    return _Lines(waves, np.maximum(level, 0), chance, parts, first - length // 2, length)


def _kinds(mosaic: Mosaic, noise: NoiseModel, block: int, length: int) -> list[tuple[int, int, _Lines]]:
    """Lines that have the same colours, as (first, step, lines): of a Bayer array every second, of 6×6
    all."""
    means, period = _means(mosaic, block), mosaic.cfa.shape[0]
    step = period if period == 2 else 1
    found = []
    for phase in range(step):
        rows = mosaic.cfa[phase::step]
        counts = np.array([(rows == c).mean() * block for c in range(3)], np.float32)
        kind = means[phase::step][..., counts > 0]
        if step == 1:  # the places of a colour differ from line to line: each phase by its own mean
            for k in range(period):
                kind[k::period] -= kind[k::period].mean(axis=0) - kind.mean(axis=0)
        found.append((phase, step, _transformed(kind, counts, noise, length)))
    return found


def _calm(lines: _Lines, band: slice, common: float) -> np.ndarray:
    """Weight of each channel in each stretch: the inverse of its variance beside the common offsets."""
    power = np.square(lines.waves[:, band]).mean(axis=1)
    return 1 / np.maximum(np.maximum(power - common, lines.chance), _TINY)


@dataclass
class _Sums:
    """Weighted sums over frequencies of products of two groups, by pair of groups and jackknife group."""

    products: np.ndarray
    lights: np.ndarray
    weights: np.ndarray


def _products(kinds: list[_Lines], number: int, common: float) -> _Sums:
    """Products of what the parts of the lines show in one band; each part's darker and brighter half by
    itself."""
    pairs = _PAIRS
    sums = _Sums(*(np.zeros((len(pairs), 4, _GROUPS)) for _ in range(3)))
    for lines in kinds:
        band = lines.bands[number]
        weight = _calm(lines, band, common)
        means, lights, precision = [], [], []
        for part in range(_PARTS):
            inside = lines.parts == part
            level = lines.level[:, inside]
            bright = level > np.median(level, axis=1, keepdims=True)
            for half in (~bright, bright):
                w = weight[:, inside] * half
                total = np.maximum(w.sum(axis=1), _TINY)
                means.append((w[:, None] * lines.waves[:, band][..., inside]).sum(axis=2) / total[:, None])
                lights.append((w * level).sum(axis=1) / total)
                precision.append(total)
        group = np.arange(means[0].size).reshape(means[0].shape) % _GROUPS
        # a stretch counts alike in all pairs: calm ones would otherwise speak for the bright parts alone
        calm = np.exp(2 * np.mean(np.log(precision), axis=0))
        for k, (a, b) in enumerate(_PAIRS):
            for m, (i, j) in enumerate(product((2 * a, 2 * a + 1), (2 * b, 2 * b + 1))):
                trust = np.median(precision[i] * precision[j] / calm)
                w = np.broadcast_to((trust * calm)[:, None], group.shape)
                light = w * (lights[i] * lights[j])[:, None]
                for into, values in (
                    (sums.products, w * means[i] * means[j]), (sums.lights, light), (sums.weights, w),
                ):  # fmt: skip
                    into[k, m] += np.bincount(group.ravel(), values.ravel(), _GROUPS)
    return sums


_PAIRS = list(combinations(range(_PARTS), 2))


def _fitted(sums: list[_Sums], without: int | None = None) -> tuple[float, float]:
    """Variance of common offsets whatever the light, and of what grows with it (relative to light
    squared)."""
    chosen = np.arange(_GROUPS) != (-1 if without is None else without)
    weight = sum(s.weights[..., chosen].sum(axis=-1) for s in sums)
    p = sum(s.products[..., chosen].sum(axis=-1) for s in sums) / np.maximum(weight, _TINY)
    m = sum(s.lights[..., chosen].sum(axis=-1) for s in sums) / np.maximum(weight, _TINY)
    relative = weight / weight.sum()
    mean_m, mean_p = (relative * m).sum(), (relative * p).sum()
    spread = (relative * (m - mean_m) ** 2).sum()
    spread += (_ALIKE * mean_m) ** 2  # pairs in the same light tell nothing
    slope = max(0.0, float((relative * (m - mean_m) * (p - mean_p)).sum() / max(spread, _TINY)))
    by_pair = ((p - slope * m) * weight).sum(axis=1) / weight.sum(axis=1)
    common = float(np.sort(by_pair)[: len(_PAIRS) // 2].mean())
    return (common if common > _BESIDE * slope * mean_m else 0.0), slope


def _together(sums: list[_Sums]) -> float:
    """Variance that parts of the lines have in common, of all pairs alike: where banding is proven, the scene
    has little share in it."""
    weight = sum(s.weights.sum() for s in sums)
    return max(float(sum(s.products.sum() for s in sums) / max(weight, _TINY)), 0.0)


def _common(sums: list[_Sums]) -> tuple[float, float, float]:
    """As :func:`_fitted`, and how many standard errors the first is above 0."""
    variance, slope = _fitted(sums)
    left = np.array([_fitted(sums, k)[0] for k in range(_GROUPS)])
    error = np.sqrt((_GROUPS - 1) / _GROUPS * ((left - left.mean()) ** 2).sum())
    return variance, slope, variance / max(float(error), _TINY)


def _share(sureness: float) -> float:
    return float(np.clip((sureness - _DOUBTFUL) / (_SURE - _DOUBTFUL), 0, 1))


def _offsets(mosaic: Mosaic, noise: NoiseModel, width: int) -> tuple[np.ndarray, float, float]:
    """Offsets of the rows of a mosaic, float32 H, how sure they are, and their own standard deviation."""
    h, w = mosaic.data.shape
    block = _BLOCK if w >= 4 * _PARTS * _BLOCK else _BLOCK // 4
    length = max(_STRETCH, _PER_WIDTH * width)
    offsets = np.zeros(h, np.float32)
    if w < 2 * _PARTS * block or h < 4 * length:
        return offsets, 0.0, 0.0
    kinds = _kinds(mosaic, noise, block, length)
    lines = [one for _, _, one in kinds]
    fine = range(_FINE, len(_EDGES) - 1)
    white = sureness = 0.0
    for _ in range(2):
        white, _, sureness = _common([_products(lines, number, white) for number in fine])
        white = max(white, 0.0)
    variances = [_together([_products(lines, number, white) for number in fine])]
    white *= _share(sureness)
    most = 0.5 * (_LARGEST * max(noise.read)) ** 2
    sums = [_products(lines, number, white) for number in range(len(_EDGES) - 1)]
    _, _, wide = _common(sums[:_FINE])
    found = []
    for number, in_band in enumerate(sums):
        own, slope = _fitted([in_band])
        coarse = _share(wide) * min(max(own, 0.0), most) if number < _FINE else 0.0
        found.append((max(white, coarse), slope))
        if number < _FINE:
            variances.append(_together([in_band]) if coarse else 0.0)
        sureness = max(sureness, wide if coarse else 0.0)
    if max(variance for variance, _ in found) == 0:
        return offsets, max(sureness, 0.0), 0.0
    for phase, step, one in kinds:
        offsets[phase::step] = _predicted(one, found, offsets[phase::step].size)
    return offsets, sureness, max(_whole(lines[0].bands, variances) ** 0.5, float(offsets.std()))


def _whole(bands: Sequence[slice], variances: list[float]) -> float:
    """Variance of lines from that of their waves: of the fine ones, then of each coarse band; waves slower
    than all bands are none of it."""
    counts = [len(np.arange(4096)[band]) for band in bands]
    white, *coarse = variances
    own = [max(white, one) for one in coarse] + [white] * (len(bands) - len(coarse))
    return float(np.dot(counts, own) / sum(counts)) / _WINDOWED


def _predicted(lines: _Lines, found: list[tuple[float, float]], count: int) -> np.ndarray:
    """Best linear prediction of the offsets of lines, beside a share of their light, from the variances of
    both by band."""
    waves = np.zeros((*lines.waves.shape[:2], 1), np.float32)
    for band, (variance, slope) in zip(lines.bands, found, strict=True):
        if variance == 0:
            continue
        weight = _calm(lines, band, variance)
        d = lines.waves[:, band]
        a = (weight.sum(axis=1) + 1 / variance)[:, None]
        b = (weight * lines.level).sum(axis=1)[:, None]
        c = ((weight * lines.level**2).sum(axis=1) + 1 / max(slope, _CONTRAST**2))[:, None]
        e, f = (weight[:, None] * d).sum(axis=2), ((weight * lines.level)[:, None] * d).sum(axis=2)
        waves[:, band, 0] = (c * e - b * f) / (a * c - b * b)
    from scipy.fft import idct

    window = _window(lines.length)
    out = np.zeros(count + 2 * lines.length, np.float32)
    for at, piece in zip(lines.first, idct(waves, axis=1, norm="ortho"), strict=True):
        out[at + lines.length : at + 2 * lines.length] += (piece * window)[:, 0]
    return out[lines.length : lines.length + count]


def remove_banding(
    mosaic: Mosaic, noise: NoiseModel, rows: bool, columns: bool, width: int
) -> tuple[Banding, Banding]:
    """Take the common offsets of rows and of columns from a mosaic, in place, where they are proven.

    Parameters
    ----------
    mosaic : with black at 0.
    noise : its noise model.
    rows, columns : which direction is treated.
    width : widest band in pixels, 1…200.

    Returns
    -------
    What was found of rows and of columns.
    """
    found = [Banding(), Banding()]
    data = mosaic.data
    if rows:
        offsets, sureness, own = _offsets(mosaic, noise, width)
        found[0] = Banding(float(offsets.std()), own, sureness)
        if offsets.any():
            data -= offsets[:, None]
    if columns:
        turned = Mosaic(np.ascontiguousarray(data.T), np.ascontiguousarray(mosaic.cfa.T))
        offsets, sureness, own = _offsets(turned, noise, width)
        found[1] = Banding(float(offsets.std()), own, sureness)
        if offsets.any():
            data -= offsets
    return found[0], found[1]
