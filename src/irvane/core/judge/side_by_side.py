"""Figures of several pictures at one place, held against one of them, with what is surely known of each."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import replace
from functools import partial

import numpy as np

from irvane.core.colour.spaces import SPACES
from irvane.core.image import LUMA_709, LUMA_2020
from irvane.core.judge.colour_difference import delta_e, lab_of
from irvane.core.judge.detail import edge_error, flattened, structured
from irvane.core.judge.figures import WholeFigures
from irvane.core.judge.gradient import GradientFigures
from irvane.core.judge.histogram import BINS_PER_STOP, STOPS
from irvane.core.judge.place import PlaceFigures
from irvane.core.judge.probe import ProbeFigures, read_probe
from irvane.core.judge.readings import Figure, Line, Reading, SideBySide, slopes
from irvane.core.judge.residue import DB, TWO_SIDED, Residue, noise_difference, residue
from irvane.core.judge.rows import ROWS
from irvane.core.judge.scene_place import ScenePlace, scene_place
from irvane.core.judge.texture import NoiseSpectrum, noise_spectrum, texture_figures
from irvane.core.judge.visual_noise import visual_noise
from irvane.core.store.kept import STORE

#: Least side of a square whose noise is looked at closely.
_LEAST = 16
#: Standard error in dB of the noise of a region, which is read from many squares.
_REGION_ERROR = 0.25
#: Likeness with the reference from which texture is told, and standard error up to which it is.
_LIKE, _SURE = 0.2, 0.2
#: Strength of a picture's structure against the reference's below which it has lost it.
_GONE = 0.5
#: Share of clipped pixels up to which noise is told.
_CLIPPED = 0.01
#: Share of the darkest pixels whose light is the black depth.
_DARKEST = 0.001


def side_by_side(
    readings: Sequence[Reading | None], reference: int = 0, together: Sequence[int] | None = None,
    condition: str = "",
) -> SideBySide:  # fmt: skip
    """Hold pictures against one of them.

    Parameters
    ----------
    readings : of each; None: it is not there.
    together : those that show the scene of the reference; None: all of them. Others are not held against it.
    condition : that of the dynamic range, in words.
    """
    mates = [k for k in (range(len(readings)) if together is None else together) if readings[k] is not None]
    place = _place_of(readings, mates)
    told = _Told(readings, reference, set(mates), place)
    lines = {key: Line(ROWS[key], tuple(figures), note) for key, figures, note in told.all(condition)}
    detail = next((key for key in ("mtf50", "texture") if not lines[key].empty), "")
    even: tuple[Figure | None, ...] = ()
    if place is not None and not place.even:
        spots = at_spot(readings, "smooth")
        even = tuple(_Told(spots, reference, set(mates), _place_of(spots, mates)).noise())
    return SideBySide(reference, place, lines, detail, even)


def _place_of(readings: Sequence[Reading | None], mates: Sequence[int]) -> ScenePlace | None:
    """What the place is, by all pictures of the scene."""
    there = [one for k in mates if (one := readings[k]) is not None]
    return scene_place([one.place for one in there if one.place is not None])


def at_spot(readings: Sequence[Reading | None], kind: str) -> list[Reading | None]:
    """The same read at a judging spot instead of under the probe; without figures of whole pictures."""
    return [
        None if one is None else replace(one, place=one.spot(kind), whole=None, size=None) for one in readings
    ]


class _Told:
    """Works the lines out."""

    def __init__(
        self, readings: Sequence[Reading | None], reference: int, mates: set[int], place: ScenePlace | None
    ) -> None:
        self.readings, self.reference, self.mates, self.place = readings, reference, mates, place
        self.places = [None if one is None else one.place for one in readings]
        # beside a finished picture all are read as they are shown: it has no other light
        self.as_shown = any(p is not None and p.finished for k, p in enumerate(self.places) if k in mates)
        self.slopes = slopes(readings, reference, self.places, self.as_shown)
        # a picture of another scene is judged by itself
        self.scenes = [
            place if k in mates else scene_place([p]) if (p := self.places[k]) is not None else None
            for k in range(len(readings))
        ]
        self.residues = [
            residue(self._inner(p))
            if p is not None and min(p.inner.shape) >= _LEAST and self._even(k)
            else None
            for k, p in enumerate(self.places)
        ]
        self.probes = [None if p is None else self._probe(p) for p in self.places]

    def _inner(self, place: PlaceFigures) -> np.ndarray:
        """Luminance of the small square that its noise is read from."""
        return np.asarray(place.shown @ LUMA_709) if self.as_shown else place.inner

    def _wide(self, place: PlaceFigures) -> np.ndarray:
        """Likewise of the wide one, for texture."""
        return place.shown_light if self.as_shown else place.light

    def _probe(self, place: PlaceFigures) -> ProbeFigures:
        if self.as_shown and min(place.inner.shape) >= _LEAST:
            return read_probe(place.shown, LUMA_709)
        return place.probe

    def _even(self, k: int) -> bool:
        scene = self.scenes[k]
        return scene is not None and scene.even

    def all(self, condition: str) -> list[tuple[str, list[Figure | None], str]]:
        """Every line: key, figures, note."""
        scene = "" if self.place is None else self.place.words
        texture, where = self._texture()
        made = [
            ("noise", self.noise(), scene),
            ("mtf50", self._each("mtf50", self._mtf50), ""),
            ("texture", texture, where),
            ("light", self._each("light", lambda k, p: _figure(p.probe.level_ev)), ""),
            ("range", self._whole("range", lambda r: r.range), condition),
        ]
        for number, key in enumerate(("luminance", "colour", "red", "green", "blue")):
            made.append((key, self._each(key, partial(self._share, number)), scene))
        made += [
            ("visual", self._each("visual", self._visual), scene),
            ("grain", self._each("grain", self._grain), scene),
            ("halo", self._each("halo", self._halo), ""),
            ("edges", self._each("edges", lambda k, p: _figure(p.blur)), ""),
            ("gradient", self._each("gradient", lambda k, p: _gradient(p.gradient)), ""),
            ("colours", self._colours(), ""),
            ("black", self._whole("black", lambda r: None if r.whole is None else black_depth(r.whole)), ""),
            (
                "sensor",
                self._whole("sensor", lambda r: None if r.whole is None else r.whole.sensor_clipped),
                "",
            ),
            ("white", self._whole("white", lambda r: None if r.whole is None else r.whole.white), ""),
            ("red_cast", self._whole("red_cast", lambda r: _cast(r, 0)), ""),
            ("blue_cast", self._whole("blue_cast", lambda r: _cast(r, 1)), ""),
            ("size", self._whole("size", lambda r: None if r.size is None else float(r.size)), ""),
        ]
        return made

    def _against(
        self, key: str, figures: list[Figure | None], errors: Sequence[float | None] = ()
    ) -> list[Figure | None]:
        """The same with what each differs by from the reference; `errors`: of the differences, where they are
        known better than from both figures apart."""
        row, first = ROWS[key], figures[self.reference]
        if first is None or first.value is None:
            return figures
        found = list(figures)
        for k, one in enumerate(figures):
            if k == self.reference or one is None or one.value is None or k not in self.mates:
                continue
            difference = one.value - first.value
            error = math.hypot(one.error, first.error)
            if errors and (known := errors[k]) is not None:
                error = known
            unseen = row.unseen * (max(abs(first.value), abs(one.value)) if row.relative else 1.0)
            alike = abs(difference) <= max(unseen, TWO_SIDED * error)
            found[k] = replace(one, difference=difference, difference_error=error, alike=alike)
        return found

    def _each(self, key: str, make: Callable[[int, PlaceFigures], Figure | None]) -> list[Figure | None]:
        figures = [None if p is None else make(k, p) for k, p in enumerate(self.places)]
        return self._against(key, figures)

    def _whole(self, key: str, read: Callable[[Reading], float | None]) -> list[Figure | None]:
        figures = [None if one is None else _figure(read(one)) for one in self.readings]
        return self._against(key, figures)

    # noise

    def noise(self) -> list[Figure | None]:
        """Signal-to-noise ratios, where the place is even."""
        figures: list[Figure | None] = []
        for k, place in enumerate(self.places):
            if place is None:
                figures.append(None)
            elif not self._even(k):
                figures.append(self._expected(k, place))
            elif place.clipped > _CLIPPED:
                figures.append(Figure(None, words="clipped"))
            else:
                figures.append(self._snr(k, place, self.residues[k]))
        reference = self.residues[self.reference]
        errors = [
            None if own is None or reference is None else noise_difference(own, reference)[1]
            for own in self.residues
        ]
        return self._against("noise", figures, errors)

    def _snr(self, k: int, place: PlaceFigures, noise: Residue | None) -> Figure | None:
        sigma = place.probe.sigma_luminance if noise is None else noise.sigma
        mean = place.probe.luminance if noise is None else noise.mean
        if sigma <= 0 or mean <= 0:
            return Figure(None, words="no noise" if mean > 0 else "no light")
        value = DB * math.log(mean / sigma * self.slopes[k])
        return Figure(value, _REGION_ERROR if noise is None else noise.error)

    def _expected(self, k: int, place: PlaceFigures) -> Figure | None:
        """What the frame's own model lets expect, where the scene has no even place at all."""
        reading = self.readings[k]
        smooth = None if reading is None else reading.spot("smooth")
        nowhere = smooth is not None and (scene := scene_place([smooth])) is not None and not scene.even
        mean = place.probe.luminance
        if not nowhere or place.finished or place.expected <= 0 or mean <= 0:
            return None
        return Figure(DB * math.log(mean / place.expected * self.slopes[k]), 1.0, expected=True)

    def _share(self, number: int, k: int, place: PlaceFigures) -> Figure | None:
        p, noise = self.probes[k], self.residues[k]
        if p is None or not self._even(k) or p.luminance <= 0 or place.clipped > _CLIPPED:
            return None
        sigma = (p.sigma_luminance, p.sigma_colour, *p.sigma)[number]
        light = (p.luminance, p.luminance, *p.mean)[number]
        if light <= 0:
            return None
        value = sigma / light / self.slopes[k]
        error = _REGION_ERROR if noise is None else noise.error
        return Figure(value, value * error / DB)

    def _visual(self, k: int, place: PlaceFigures) -> Figure | None:
        if not self._even(k) or place.clipped > _CLIPPED or min(place.shown.shape[:2]) < _LEAST:
            return None
        value, noise = visual_noise(place.shown), self.residues[k]
        return Figure(value, value * (_REGION_ERROR if noise is None else noise.error) / DB)

    def _grain(self, k: int, place: PlaceFigures) -> Figure | None:
        return Figure(None, words=place.grain) if place.grain and self._even(k) else None

    # detail

    def _mtf50(self, k: int, place: PlaceFigures) -> Figure | None:
        scene = self.scenes[k]
        if place.mtf50 is None or scene is None or not scene.edge:
            return None
        return Figure(place.mtf50, edge_error(place.light, place.mtf50))

    def _halo(self, k: int, place: PlaceFigures) -> Figure | None:
        scene = self.scenes[k]
        return _figure(place.overshoot) if scene is not None and scene.edge else None

    def _texture(self) -> tuple[list[Figure | None], str]:
        """Texture kept at the place, or else at the spot of fine texture; and where."""
        at_place = self._texture_of(self.places)
        if any(one is not None for one in at_place):
            return self._against("texture", at_place), ""
        spots = [None if one is None else one.spot("texture") for one in self.readings]
        there = [one for one in self.readings if one is not None]
        of = [part for one in there for part in (one.spot("texture"), one.spot("smooth"), one.nodes)]
        key = (
            self.reference,
            tuple(sorted(self.mates)),
            self.as_shown,
            tuple(one is None for one in self.readings),
        )
        found = STORE.kept("texture at the spots", of, key, lambda: self._texture_of(spots))
        return self._against("texture", found), "at the spot of fine texture"

    def _texture_of(self, places: Sequence[PlaceFigures | None]) -> list[Figure | None]:
        none: list[Figure | None] = [None] * len(places)
        first = places[self.reference]
        scene = scene_place([p for k, p in enumerate(places) if p is not None and k in self.mates])
        if first is None or scene is None or scene.even:
            return none
        steep = slopes(self.readings, self.reference, places, self.as_shown)
        noise = [self._spectrum(k, place, steep[k]) for k, place in enumerate(places)]
        planes = [None if p is None else flattened(self._wide(p), steep[k]) for k, p in enumerate(places)]
        reference = planes[self.reference]
        assert reference is not None
        if not structured(reference, noise[self.reference]):
            return none
        found = list(none)
        for k, plane in enumerate(planes):
            if plane is None or k not in self.mates:
                continue
            if k == self.reference:
                found[k] = Figure(1.0)
                continue
            one, base = self.readings[k], self.readings[self.reference]
            assert one is not None and base is not None
            shared = one.frame is not None and one.frame == base.frame
            try:
                told = texture_figures(plane, reference, (noise[k], noise[self.reference]), shared)
            except ValueError:
                continue
            if told.similar >= _LIKE and told.error <= _SURE:
                found[k] = Figure(told.honest, told.error)
            elif told.amplitude < _GONE:  # what is left is too little to be like anything
                found[k] = Figure(min(max(told.kept, 0.0), told.amplitude), told.error)
        return found

    def _spectrum(self, k: int, place: PlaceFigures | None, steep: float) -> NoiseSpectrum | None:
        """Noise that is expected at a place, from that of the frame's even spot."""
        reading = self.readings[k]
        smooth = None if reading is None else reading.spot("smooth")
        if smooth is None or place is None or min(smooth.inner.shape) < _LEAST:
            return None
        scene = scene_place([smooth])
        if scene is None or not scene.even:
            return None
        noise = residue(self._inner(smooth))
        found = noise_spectrum(noise.values, noise.mean)
        scale = 1.0
        if smooth.expected > 0 and place.noise > 0:
            there, here = place.noise / float(place.light.mean()), smooth.expected / smooth.probe.luminance
            scale = (there / here) ** 2
        return replace(found, variance=found.variance * scale / steep**2)

    # colour

    def _colours(self) -> list[Figure | None]:
        first = self.places[self.reference]
        found: list[Figure | None] = []
        for k, place in enumerate(self.places):
            if place is None or first is None or k == self.reference or k not in self.mates:
                found.append(None)
                continue
            if self.as_shown:
                colours = [p.shown.reshape(-1, 3).mean(axis=0) for p in (place, first)]
            else:
                colours = [np.array(p.probe.mean) for p in (place, first)]
            level = float((first.shown @ LUMA_709).mean())
            value = _colour_distance(colours[0], colours[1], level, "srgb" if self.as_shown else "rec2020")
            found.append(_figure(value))  # it is a difference itself
        return found


def _figure(value: float | None) -> Figure | None:
    return None if value is None else Figure(value)


def _gradient(found: GradientFigures | None) -> Figure | None:
    if found is None:
        return None
    if found.steps == 0:
        return Figure(None, words="no steps")
    steps = "1 step" if found.steps == 1 else f"{found.steps} steps, largest"
    return Figure(None, words=f"{steps} {found.largest * 100:.1f} %")


def _cast(reading: Reading, colour: int) -> float | None:
    whole = reading.whole
    return None if whole is None or whole.cast is None else whole.cast[colour]


def _colour_distance(own: np.ndarray, reference: np.ndarray, level: float, space: str) -> float | None:
    """CIEDE2000 of two colours (linear) at one luminance."""
    luma = LUMA_709 if space == "srgb" else LUMA_2020
    light = float(own @ luma), float(reference @ luma)
    if min(*light, level) <= 1e-5:
        return None
    labs = lab_of(np.stack([own * (level / light[0]), reference * (level / light[1])]), SPACES[space])
    return float(delta_e(labs[:1], labs[1:])[0])


def black_depth(whole: WholeFigures) -> float | None:
    """Light (EV below white) up to which the darkest thousandth lies; None where that is below all that is
    counted."""
    counts, below = whole.histogram.counts[3], float(whole.histogram.below[3])
    running = below + np.cumsum(counts)
    if below >= _DARKEST:
        return -float(STOPS)
    return float(np.searchsorted(running, _DARKEST) + 1) / BINS_PER_STOP - STOPS
