"""What is measured of a frame for choosing among many: noise and sharpness. Kept on disk by content."""

from __future__ import annotations

import json
from contextlib import suppress
from dataclasses import asdict, dataclass
from pathlib import Path

import numpy as np
import platformdirs

from irvane.core.acutance.edge_blur import Edges, edges_of, find_edges, sharpest
from irvane.core.errors import WriteError
from irvane.core.files.atomic import atomic_file
from irvane.core.image import GREEN, LUMA_2020
from irvane.core.judge.diagnosis import MID_SIGNAL, NOISE_CLASSES, decibels, noise_class
from irvane.core.line.source import Loaded, Source
from irvane.core.noise import finished
from irvane.core.progress import Progress, always, step
from irvane.core.sensor.clipping import clip_bits

#: Edges of a frame that is sharp enough are no wider than this (σ, pixels): half their contrast is left at 0.12 cycles per
#: pixel, which at 100 % looks crisp. Common practice, not a standard.
SHARP_ENOUGH = 1.6
#: Noise of a finished picture (encoded by a square root) that is counted with at least: its steps of 8 bits.
_LEAST_NOISE = 0.002
_FORM = 1


@dataclass(frozen=True)
class Measured:
    """Figures of a whole frame.

    Attributes
    ----------
    noise : class of its noise; empty when not known.
    snr : dB at mid-grey; None likewise.
    blur : σ of the sharpest edges in pixels; None where there are too few edges to tell.
    clipped : share of pixels that hold a colour clipped on the sensor; None for finished pictures.
    """

    noise: str
    snr: float | None
    blur: float | None
    clipped: float | None

    @property
    def sharp_enough(self) -> bool:
        """Are its sharpest edges crisp at 100 %?"""
        return self.blur is not None and self.blur <= SHARP_ENOUGH

    @property
    def is_noisy(self) -> bool:
        """Is its noise visible, or stronger?"""
        return self.noise in NOISE_CLASSES[2:]

    def words(self) -> str:
        """``edges 0.9 px, slight noise``."""
        edges = "no edges to tell" if self.blur is None else f"edges {self.blur:.1f} px"
        return ", ".join(part for part in (edges, self.noise) if part)


def measure_loaded(loaded: Loaded) -> Measured:
    """The figures of decoded pixels."""
    if loaded.mosaic is not None and loaded.noise is not None:
        snr = loaded.noise.snr(MID_SIGNAL, GREEN)
        bits = clip_bits(loaded.mosaic)
        share = 0.0 if bits is None else float(np.count_nonzero(bits) / bits.size)
        blur = sharpest(edges_of(loaded.mosaic, loaded.noise))
        return Measured(noise_class(snr), round(decibels(snr), 1), _rounded(blur), share)
    assert loaded.picture is not None
    return Measured("", None, _rounded(sharpest(_edges_of_picture(loaded.picture))), None)


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
    with suppress(OSError, ValueError, TypeError):
        kept = json.loads(path.read_bytes())
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
