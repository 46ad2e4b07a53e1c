"""Rebuilding of clipped highlights, beside LibRaw's modes: errors in EV where the light is known.

Photographs are overexposed so that up to 1.5 (and up to 3) stops of one or two colours are lost while one still
holds; errors are those of the lost colours, against the light that the sensor would have held with a larger well.
"""

from __future__ import annotations

import tempfile
from pathlib import Path

import numpy as np
import rawpy

import photographs
import protocol
from irvane.core.line.context import make_context
from irvane.core.line.develop import develop
from irvane.core.line.source import FileSource
from irvane.core.sensor.highlights import rebuild
from irvane.core.settings import Sensor
from irvane.core.simulate.camera import Body, camera_from_scene, quiet

MODES = {"LibRaw clip": 0, "LibRaw blend": 2, "LibRaw reconstruct": 5}
#: Lost stops of the brightest colour: from, to.
RANGES = ((0.1, 1.5), (1.5, 3.0))
BORDER = 16


def true_camera(linear: np.ndarray) -> np.ndarray:
    """Camera-linear light of a photograph before any clipping."""
    light = np.maximum(linear, 0) @ protocol._2020_FROM_SRGB.T.astype(np.float32)
    return (light @ camera_from_scene(quiet(Body("Reference"))).T * protocol.NEUTRAL).astype(np.float32)


def libraw(path: Path, mode: int) -> np.ndarray:
    """LibRaw's camera colours (balanced) with a highlight mode, scaled to its own unclipped part afterwards."""
    with rawpy.imread(str(path)) as raw:
        out = raw.postprocess(
            gamma=(1, 1), no_auto_bright=True, adjust_maximum_thr=0.0, use_camera_wb=True, output_bps=16,
            output_color=rawpy.ColorSpace.raw, highlight_mode=rawpy.HighlightMode(mode),
        )  # fmt: skip
    return out.astype(np.float32) / 65535


def errors(result: np.ndarray, truth: np.ndarray, low: float, high: float) -> np.ndarray:
    """Absolute errors in EV of lost colours whose brightest lost between `low` and `high` stops, one colour held."""
    inner = (slice(BORDER, -BORDER), slice(BORDER, -BORDER))
    result, truth = result[inner], truth[inner]
    lost = np.log2(np.maximum(truth.max(axis=2), 1e-6))
    chosen = (lost > low) & (lost <= high) & (truth.min(axis=2) < 0.9)
    gone = chosen[..., None] & (truth > 1.0)
    return np.abs(np.log2(np.maximum(result[gone], 1e-4) / truth[gone]))


def tints(result: np.ndarray, truth: np.ndarray) -> np.ndarray:
    """Largest error in EV of a colour against the three's mean, where all are lost."""
    inner = (slice(BORDER, -BORDER), slice(BORDER, -BORDER))
    gone = truth[inner].min(axis=2) > 1.0
    off = np.log2(np.maximum(result[inner][gone], 1e-4) / truth[inner][gone])
    return np.abs(off - off.mean(axis=1, keepdims=True)).max(axis=1)


def one(name: str, folder: Path, gain: float) -> dict[str, tuple[np.ndarray, ...]]:
    linear = photographs.load(name)
    camera = true_camera(linear)
    # the brightest tenth loses light
    factor = gain / np.percentile(camera.max(axis=2), 97)
    camera *= factor
    path = folder / "frame.dng"
    protocol.simulate(path, linear * np.float32(factor), 100)
    developed = develop(FileSource(path).load(), Sensor())
    context = make_context(developed)
    ours = rebuild(developed.plain.read_all(), developed.gains, context.highlights, 0, 0, 1)
    found = {"Irvane": ours}
    held = (camera.max(axis=2) < 0.8) & (camera.min(axis=2) > 0.02)
    for words, mode in MODES.items():
        out = libraw(path, mode)[: camera.shape[0], : camera.shape[1]] / developed.gains
        found[words] = out * np.float32(np.median(camera[held] / np.maximum(out[held], 1e-5)))
    return {w: (*(errors(r, camera, *span) for span in RANGES), tints(r, camera)) for w, r in found.items()}


def measure(names: tuple[str, ...] = photographs.TEST) -> dict[str, list[tuple[float, float]]]:
    """Per method: median and 90th percentile of the error in EV for every range, and of the tint where all is lost."""
    gathered: dict[str, list[list[np.ndarray]]] = {}
    with tempfile.TemporaryDirectory() as folder:
        for name in names:
            for gain in (2.0, 4.0):
                for words, spans in one(name, Path(folder), gain).items():
                    lists = gathered.setdefault(words, [[] for _ in spans])
                    for kept, span in zip(lists, spans, strict=True):
                        kept.append(span)
    return {
        words: [
            (float(np.median(np.concatenate(s))), float(np.percentile(np.concatenate(s), 90))) for s in lists
        ]
        for words, lists in gathered.items()
    }


if __name__ == "__main__":
    photographs.fetch()
    for words, spans in measure().items():
        print(f"{words:20s}", "  ".join(f"{m:.3f} EV (90 %: {p:.2f})" for m, p in spans))
