"""Several pictures of one scene beside each other: what each is, how it lies on the first, and its figures at
every spot."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import cv2
import numpy as np

from irvane.core.files.info import FrameInfo
from irvane.core.image import LUMA_2020
from irvane.core.judge.alignment import Mapping, find_mapping, same_place
from irvane.core.judge.difference import DifferenceFigures, difference_figures
from irvane.core.judge.edge import edge_figures
from irvane.core.judge.figures import WholeFigures, whole_figures
from irvane.core.judge.gradient import gradient_figures
from irvane.core.judge.grain import grain_figures
from irvane.core.judge.matching import brightness_offset
from irvane.core.judge.probe import ProbeFigures, read_probe
from irvane.core.judge.reading import read_nodes, read_spots, spot_squares
from irvane.core.judge.readings import Reading, SideBySide
from irvane.core.judge.side_by_side import side_by_side
from irvane.core.judge.spots import Spot, find_spots
from irvane.core.judge.texture import texture_figures
from irvane.core.judge.verdict import NOTHING, SPOTS, Verdict, verdict
from irvane.core.line.context import Context, geometry_for
from irvane.core.line.develop import Developed
from irvane.core.line.placing import at_source
from irvane.core.line.realise import realise
from irvane.core.line.source import DISPLAY, Source
from irvane.core.line.view import render_view, scene_patch, show
from irvane.core.noise.dynamic_range import CONDITIONS, USUAL, dynamic_range, range_facts
from irvane.core.pixels.patches import OutputPatch, trim
from irvane.core.pixels.places import OutputRegion
from irvane.core.progress import Progress, always, part, step
from irvane.core.settings import Settings

#: Sides in pixels of the rectangles that are read: noise of even places, edges, texture.
FLAT, EDGE, TEXTURE = 40, 100, 128
#: Longer side of the copies that pictures are aligned and compared as wholes with.
_SIDE = 1200


@dataclass(frozen=True)
class Entry:
    """One developed picture; `source`: what tells its frame from others."""

    name: str
    developed: Developed
    context: Context
    settings: Settings
    info: FrameInfo
    size: int
    source: str = ""

    @property
    def output(self) -> tuple[int, int]:
        """Height and width of what is seen."""
        return geometry_for(self.settings, self.context).output

    @property
    def domain(self) -> str:
        """What light its figures are read in."""
        return (
            "linear light of a finished picture" if self.developed.entry == DISPLAY else "scene-linear light"
        )


def develop_entry(source: Source, settings: Settings, progress: Progress = always) -> Entry:
    """Develop a source as the settings say; raises ReadError, MergeError, Cancelled."""
    developed, context = realise(source, settings, progress)
    info = getattr(source, "info", FrameInfo())
    size = sum(path.stat().st_size for path in source.paths if path.exists())
    return Entry(source.name, developed, context, settings, info, size, source.key)


@dataclass(frozen=True)
class SpotFigures:
    """Figures of one picture at one spot.

    Attributes
    ----------
    region : the rectangle that was read, in the picture's own pixels.
    probe : noise and level; of even places.
    grain, pattern : what its noise looks like; empty and None elsewhere than in even places.
    kept : share of the first picture's texture; None where there is none.
    mtf50, overshoot : of the edge; None where there is none.
    steps : steps of a gradient; None where it is none.
    """

    region: OutputRegion
    probe: ProbeFigures
    grain: str = ""
    pattern: float | None = None
    kept: float | None = None
    mtf50: float | None = None
    overshoot: float | None = None
    steps: int | None = None

    def as_dict(self) -> dict[str, Any]:
        """JSON-ready form."""
        r = self.region
        return {
            "at": [r.left, r.top, r.right - r.left, r.bottom - r.top],
            **self.probe.as_dict(),
            "grain": self.grain, "pattern_px": self.pattern, "texture_kept": self.kept, "mtf50": self.mtf50,
            "overshoot": self.overshoot, "gradient_steps": self.steps,
        }  # fmt: skip


@dataclass(frozen=True)
class Compared:
    """Pictures beside each other; everything is held against the first.

    Attributes
    ----------
    offsets : EV that make each as bright as the first.
    mappings : how each lies on the first.
    whole : figures of every whole picture. ranges : dynamic range from its noise model, empty without one.
    differences : against the first, at equal brightness, at a common size; None for the first.
    spots : where they were looked at. at : figures, one row per spot; told : the same held against the first.
    verdict : what they say of all spots together.
    """

    entries: tuple[Entry, ...]
    offsets: tuple[float, ...]
    mappings: tuple[Mapping, ...]
    whole: tuple[WholeFigures, ...]
    ranges: tuple[dict[str, dict[str, float]], ...]
    differences: tuple[DifferenceFigures | None, ...]
    spots: tuple[Spot, ...]
    at: tuple[tuple[SpotFigures, ...], ...]
    told: tuple[SideBySide, ...] = ()
    verdict: Verdict = Verdict(NOTHING)


def reduced_scene(entry: Entry, side: int = _SIDE) -> tuple[np.ndarray, float]:
    """Scene-linear light of the whole picture, its longer side about `side` pixels; and frame pixels per
    pixel."""
    h, w = entry.output
    region = OutputRegion(0, 0, h, w, max(1.0, max(h, w) / side))
    patch = scene_patch(entry.developed, entry.settings, entry.context, region)
    return patch.pixels, patch.step


def scene_at(entry: Entry, region: OutputRegion) -> np.ndarray:
    """Scene-linear light of a rectangle at full resolution."""
    settings, place = at_source(entry.settings, entry.context, region)
    return trim(scene_patch(entry.developed, settings, entry.context, place), place).pixels


def around(x: float, y: float, side: int, extent: tuple[int, int]) -> OutputRegion:
    """A square around a place (shares of width and height), kept inside the frame."""
    h, w = extent
    size = min(side, h, w)
    left = int(np.clip(round(x * w - size / 2), 0, w - size))
    top = int(np.clip(round(y * h - size / 2), 0, h - size))
    return OutputRegion(top, left, top + size, left + size)


def spot_figures(entry: Entry, kind: str, region: OutputRegion, reference: np.ndarray | None) -> SpotFigures:
    """Figures of a rectangle; `reference` is the first picture's luminance there, of the same shape."""
    pixels = scene_at(entry, region)
    light = pixels @ LUMA_2020
    found = SpotFigures(region, read_probe(pixels))
    if kind in ("smooth", "patches", "dark", "bright"):
        with _unsaid():
            grain = grain_figures(light)
            found = replace(found, grain=grain.words, pattern=grain.pattern)
    if kind == "smooth":
        with _unsaid():
            coded = np.sqrt(np.clip(light, 0, 1))
            found = replace(found, steps=gradient_figures(coded).steps)
    if kind == "edge":
        with _unsaid():
            edge = edge_figures(light)
            found = replace(found, mtf50=edge.mtf50, overshoot=edge.overshoot)
    if reference is not None and kind in ("texture", "lettering", "edge"):
        with _unsaid():
            found = replace(found, kept=texture_figures(light, reference).honest)
    return found


class _unsaid:  # noqa: N801 (a context manager, used like a function)
    """A figure that a place does not have is left out."""

    def __enter__(self) -> None:
        pass

    def __exit__(self, kind: type[BaseException] | None, error: object, trace: object) -> bool:
        return kind is not None and issubclass(kind, ValueError)


def side_of(kind: str) -> int:
    """Side of the square that is read at a kind of spot."""
    return {"edge": EDGE, "texture": TEXTURE, "lettering": TEXTURE}.get(kind, FLAT)


def compare_entries(
    entries: Sequence[Entry], spots: Sequence[Spot] | None = None, progress: Progress = always,
    condition: str = USUAL,
) -> Compared:  # fmt: skip
    """Hold pictures against the first.

    Parameters
    ----------
    spots : where to look; None: they are proposed by what the first picture holds.
    condition : that of the dynamic range, of CONDITIONS.
    """
    reduced = [reduced_scene(entry) for entry in entries]
    first = entries[0]
    if spots is None:
        spots = find_spots(*reduced[0])
    offsets, mappings, differences, whole = [], [], [], []
    for k, (entry, (pixels, _)) in enumerate(zip(entries, reduced, strict=True)):
        share = part(progress, k / len(entries), (k + 0.9) / len(entries))
        mapping = _mapping(first, entry, reduced[0][0], pixels)
        offset = 0.0 if k == 0 else brightness_offset(_common(reduced[0][0], mapping, True), pixels)
        offsets.append(offset)
        mappings.append(mapping)
        whole.append(whole_figures(entry.developed, entry.settings, entry.context, share)[0])
        differences.append(
            None if k == 0 else _difference(first, entry, mapping, offset, reduced[0], reduced[k])
        )
    rows = []
    for spot in spots:
        step(progress, 0.95)
        region = around(spot.x, spot.y, side_of(spot.kind), first.output)
        reference = scene_at(first, region) @ LUMA_2020
        row = []
        for entry, mapping in zip(entries, mappings, strict=True):
            there = mapping.region(region)
            same = there.bottom - there.top, there.right - there.left
            usable = reference if same == reference.shape else None
            row.append(spot_figures(entry, spot.kind, there, usable))
        rows.append(tuple(row))
    told = _told(entries, mappings, spots, whole, condition)
    letters = [chr(ord("A") + k) for k in range(len(entries))]
    return Compared(
        tuple(entries), tuple(offsets), tuple(mappings), tuple(whole), tuple(_range(e) for e in entries),
        tuple(differences), tuple(spots), tuple(rows), told, verdict(told, letters, SPOTS),
    )  # fmt: skip


def _told(
    entries: Sequence[Entry], mappings: Sequence[Mapping], spots: Sequence[Spot],
    whole: Sequence[WholeFigures], condition: str,
) -> tuple[SideBySide, ...]:  # fmt: skip
    """Figures side by side at every spot."""
    first, readings = entries[0], []
    for k, entry in enumerate(entries):
        developed, extent = entry.developed, entry.output
        squares = spot_squares(spots, first.output, extent, developed.extent, mappings[k])
        stops = None
        if developed.noise is not None and developed.cfa is not None:
            h, w = developed.extent
            stops = dynamic_range(developed.noise, h * w, condition)
        readings.append(
            Reading(
                None,
                read_spots(developed, entry.settings, entry.context, squares),
                read_nodes(developed, entry.settings, entry.context, mappings[k], first.output),
                whole[k], stops, entry.size, entry.source or entry.name,
            )
        )  # fmt: skip
    words = CONDITIONS[condition].words
    together = [k for k, mapping in enumerate(mappings) if k == 0 or mapping.found]
    return tuple(
        side_by_side([replace(one, place=one.spot(spot.kind)) for one in readings], 0, together, words)
        for spot in spots
    )


def _range(entry: Entry) -> dict[str, dict[str, float]]:
    developed = entry.developed
    if developed.noise is None or developed.cfa is None:
        return {}
    h, w = developed.extent
    return range_facts(developed.noise, h * w)


def _mapping(first: Entry, entry: Entry, reference: np.ndarray, pixels: np.ndarray) -> Mapping:
    one, two = first.output, entry.output
    there = replace(same_place(one, two), found=True)
    if entry is first or (entry.source and entry.source == first.source and _lie_alike(entry, first)):
        return there
    found = find_mapping(reference @ LUMA_2020, pixels @ LUMA_2020, one, two)
    limit = 0.3 / max(one)  # what moves no corner by a third of a pixel is the same place
    still = (
        one == two
        and np.abs(found.matrix[:, :2] - np.eye(2)).max() < limit
        and np.abs(found.matrix[:, 2]).max() < 0.3
    )
    return there if still else found


def _lie_alike(one: Entry, two: Entry) -> bool:
    return geometry_for(one.settings, one.context) == geometry_for(two.settings, two.context)


def _common(reference: np.ndarray, mapping: Mapping, inside: bool) -> np.ndarray:
    """The part of the first picture that the other holds too, roughly: its middle when they differ."""
    if not inside or mapping.common > 0.98:
        return reference
    h, w = reference.shape[:2]
    share = (1 - mapping.common**0.5) / 2
    return reference[round(h * share) : h - round(h * share), round(w * share) : w - round(w * share)]


def _difference(
    first: Entry, entry: Entry, mapping: Mapping, offset: float, one: tuple[np.ndarray, float],
    two: tuple[np.ndarray, float]
) -> DifferenceFigures:  # fmt: skip
    """At a common reduced size and equal brightness; the other picture is resampled onto the first."""

    a, b = one[0], two[0] * np.float32(2.0**offset)
    shown = [
        show(OutputPatch(np.ascontiguousarray(p), 0, 0, s), e.developed, e.settings)
        for p, s, e in ((a, one[1], first), (b, two[1], entry))
    ]
    matrix = mapping.matrix.copy()
    matrix[:, :2] *= one[1] / two[1]
    half = np.array([0.5, 0.5])
    matrix[:, 2] = mapping.matrix[:, 2] / two[1] + matrix[:, :2] @ half - half
    h, w = a.shape[:2]
    flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    moved = cv2.warpAffine(
        shown[1], matrix, (w, h), flags=flags, borderMode=cv2.BORDER_CONSTANT, borderValue=(-1,) * 3
    )
    inside = (moved >= 0).all(axis=2)
    rows, columns = np.nonzero(inside.mean(axis=1) > 0.9)[0], np.nonzero(inside.mean(axis=0) > 0.9)[0]
    if rows.size < 16 or columns.size < 16:
        rows, columns = np.arange(h), np.arange(w)
    cut = np.s_[rows[0] + 2 : rows[-1] - 1, columns[0] + 2 : columns[-1] - 1]
    return difference_figures(shown[0][cut], np.clip(moved[cut], 0, 1))


def crop(entry: Entry, region: OutputRegion, offset: float, zoom: int = 1) -> np.ndarray:
    """A rectangle as it is seen, each pixel `zoom` times as large: uint8 H×W×3."""
    pixels = render_view(entry.developed, entry.settings, entry.context, region, offset=offset).pixels[
        ..., :3
    ]
    return np.repeat(np.repeat(pixels, zoom, axis=0), zoom, axis=1)
