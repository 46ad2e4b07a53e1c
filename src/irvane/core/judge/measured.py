"""What is measured of a frame for choosing among many: noise and sharpness. Kept on disk by content."""

from __future__ import annotations

import json
from contextlib import suppress
from dataclasses import asdict, dataclass
from pathlib import Path

import cv2
import numpy as np
import platformdirs

from irvane.core.acutance.edge_blur import Edges, edges_of, find_edges, sharpest
from irvane.core.acutance.intentional_blur import softness_map
from irvane.core.colour.camera import BASE_EXPOSURE, apply_camera, transform
from irvane.core.errors import ReadError, WriteError
from irvane.core.image import GREEN, LUMA_2020
from irvane.core.judge.diagnosis import MID_SIGNAL, NOISE_CLASSES, decibels, noise_class
from irvane.core.line.source import DISPLAY, Loaded, Source
from irvane.core.noise import finished
from irvane.core.progress import Progress, always, step
from irvane.core.regions.reference import make_reference
from irvane.core.regions.subject import subject_mask
from irvane.core.sensor.clipping import clip_bits
from irvane.core.sensor.demosaic import bin_colour
from irvane.core.settings import Colour
from irvane.core.store.atomic import atomic_file
from irvane.core.store.small import read_small

#: Edges of a frame that is sharp enough are no wider than this (σ, pixels): half their contrast is left at
#: 0.12 cycles per pixel, which at 100 % looks crisp. Common practice, not a standard.
SHARP_ENOUGH = 1.6
#: Noise of a finished picture (encoded by a square root) that is counted with at least: its steps of 8 bits.
_LEAST_NOISE = 0.002
_FORM = 3
#: Radius around the point of focus, as a share of the longer side.
_AROUND = 0.06
#: Longer side of the picture that the subject is looked for in.
_SIDE = 640
#: Bytes of what is kept, at most.
_LARGEST = 4_000_000


@dataclass(frozen=True)
class Measured:
    """Figures of a whole frame.

    Attributes
    ----------
    noise : class of its noise; empty when not known.
    snr : dB at mid-grey; None likewise.
    blur : σ of the sharpest edges in pixels; None where there are too few edges to tell.
    subject : the same inside of the frame's subject; None where none was found, or it has too few edges.
    clipped : share of pixels that hold a colour clipped on the sensor; None for finished pictures.
    focused : the same around the point where the camera focused; None where its file does not say, or it has
        too few edges.
    """

    noise: str
    snr: float | None
    blur: float | None
    clipped: float | None
    subject: float | None = None
    focused: float | None = None

    @property
    def ranked(self) -> float | None:
        """By what frames are ranked: the edges of what is meant, where that is known."""
        known = (one for one in (self.focused, self.subject) if one is not None)
        return next(known, self.blur)

    @property
    def sharp_enough(self) -> bool:
        """Are its sharpest edges, of the subject where there is one, crisp at 100 %?"""
        return self.ranked is not None and self.ranked <= SHARP_ENOUGH

    @property
    def is_noisy(self) -> bool:
        """Is its noise visible, or stronger?"""
        return self.noise in NOISE_CLASSES[2:]

    def words(self) -> str:
        """``subject 0.9 px, slight noise``."""
        return ", ".join(part for part in (self.edges_words(), self.noise) if part)

    def edges_words(self) -> str:
        """``edges 0.9 px``, ``subject 0.9 px``, or ``focus 0.9 px``."""
        if self.focused is not None:
            return f"focus {self.focused:.1f} px"
        if self.subject is not None:
            return f"subject {self.subject:.1f} px"
        return "no edges to tell" if self.blur is None else f"edges {self.blur:.1f} px"


def measure_loaded(loaded: Loaded) -> Measured:
    """The figures of decoded pixels."""
    if loaded.mosaic is not None and loaded.noise is not None:
        snr = loaded.noise.snr(MID_SIGNAL, GREEN)
        bits = clip_bits(loaded.mosaic)
        share = 0.0 if bits is None else float(np.count_nonzero(bits) / bits.size)
        edges = edges_of(loaded.mosaic, loaded.noise)
        subject = _subject(bin_colour(loaded.mosaic), loaded, edges)
        return Measured(
            noise_class(snr), round(decibels(snr), 1), _rounded(sharpest(edges)), share, subject,
            _focused(loaded, edges),
        )  # fmt: skip
    assert loaded.picture is not None
    edges = _edges_of_picture(loaded.picture)
    subject = _subject(loaded.picture, loaded, edges)
    return Measured("", None, _rounded(sharpest(edges)), None, subject, _focused(loaded, edges))


def _focused(loaded: Loaded, edges: Edges) -> float | None:
    """σ of the sharpest edges around the point where the camera focused."""
    if loaded.info.focus is None:
        return None
    x, y = loaded.info.focus
    x, y = {3: (1 - x, 1 - y), 6: (y, 1 - x), 5: (1 - y, x)}.get(loaded.flip, (x, y))  # as the sensor lies
    h, w = loaded.extent
    near = np.hypot(edges.x - x * w, edges.y - y * h) < _AROUND * max(h, w)
    return _rounded(sharpest(edges.chosen(near)))


def _subject(picture: np.ndarray, loaded: Loaded, edges: Edges) -> float | None:
    """σ of the sharpest edges of the subject."""
    factor = min(1.0, _SIDE / max(picture.shape[:2]))
    small = cv2.resize(picture, None, fx=factor, fy=factor, interpolation=cv2.INTER_AREA)
    if loaded.colour is not None and loaded.entry != DISPLAY:
        balance, matrix = transform(loaded.colour, Colour())
        small = apply_camera(small, balance * 2**BASE_EXPOSURE, matrix)
    made = make_reference(
        np.ascontiguousarray(small, np.float32), loaded.extent, softness_map(edges, loaded.extent)
    )
    found = subject_mask(made)
    if not found.found:
        return None
    h, w = found.mask.shape
    rows = np.minimum(edges.y * h / loaded.extent[0], h - 1).astype(int)
    columns = np.minimum(edges.x * w / loaded.extent[1], w - 1).astype(int)
    return _rounded(sharpest(edges.chosen(found.mask[rows, columns] > 0.5)))


def _rounded(blur: float | None) -> float | None:
    return None if blur is None else round(blur, 2)


def _edges_of_picture(picture: np.ndarray) -> Edges:
    light = np.sqrt(np.maximum(picture @ LUMA_2020, 0)).astype(np.float32)
    estimate = finished.estimate(picture)
    level = _LEAST_NOISE if estimate is None else np.maximum(estimate.sigmas(light), np.float32(_LEAST_NOISE))
    return find_edges(light, level)


def measure_source(source: Source, progress: Progress = always) -> Measured:
    """The figures of a source, from disk when they were measured before.

    Raises
    ------
    ReadError, Cancelled
    """
    path = _store() / f"{source.key}.json"
    with suppress(ReadError, ValueError, TypeError):
        kept = json.loads(read_small(path, _LARGEST) or b"{}")
        if kept.pop("form", None) == _FORM:
            return Measured(**kept)
    step(progress, 0.0)
    made = measure_loaded(source.load(progress))
    with suppress(OSError, WriteError):  # it is measured again then
        path.parent.mkdir(parents=True, exist_ok=True)
        with atomic_file(path) as temporary:
            temporary.write_text(json.dumps({"form": _FORM, **asdict(made)}), "utf-8")
    return made


def _store() -> Path:
    return platformdirs.user_cache_path("irvane") / "measured"
