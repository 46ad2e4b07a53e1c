"""Where a frame is soft: its edges' blur by place."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import numpy as np

from irvane.core.acutance.edge_blur import Edges
from irvane.core.acutance.lens_blur import LensBlur, measure_lens
from irvane.core.errors import FileError
from irvane.core.line.context import Context, find_edges_of
from irvane.core.line.develop import Developed, develop
from irvane.core.line.source import FileSource
from irvane.core.progress import Progress, always, step
from irvane.core.settings import Settings
from irvane.core.store.kept import STORE

#: σ, in pixels, of edges that count as sharp, and from which they are wholly soft.
SHARP, SOFT = 0.9, 3.0


def edges_in(developed: Developed, context: Context) -> Edges:
    """Edges of a frame, looked for once."""
    if context.edges is not None:
        return context.edges
    return STORE.kept("edges", (developed,), None, lambda: find_edges_of(developed))


def lens_softness(files: Sequence[Path], progress: Progress = always) -> LensBlur:
    """How soft the lens of some frames is.

    Raises
    ------
    ReadError, FileError, Cancelled
        The second where the frames have too few sharp edges between middle and corners.
    """
    frames = []
    for k, path in enumerate(files):
        developed = develop(FileSource(path).load(), Settings().sensor)
        step(progress, (k + 0.6) / len(files))
        frames.append((find_edges_of(developed), developed.extent))
        step(progress, (k + 1) / len(files))
    found = measure_lens(frames)
    if found is None:
        raise FileError(
            files[0],
            "there are too few sharp edges to measure a lens by; take a chart, or several frames with "
            "detail up to the corners",
        )
    return found


def softness_words(found: np.ndarray) -> str:
    """What a map of softness says: how much is sharp, and where."""
    known = np.isfinite(found)
    if known.sum() < 4:
        return "There are too few edges to tell where the frame is sharp."
    sharp = known & (found < SHARP)
    share = float(sharp.sum() / known.sum())
    if share < 0.02:
        return f"Nothing is quite sharp: the sharpest parts have σ {np.nanquantile(found, 0.05):.1f} px."
    if share > 0.9:
        return "Sharp all over."
    y, x = (np.mean(v) / n for v, n in zip(np.nonzero(sharp), found.shape, strict=True))
    across = "left" if x < 0.36 else "right" if x > 0.64 else ""
    down = "upper" if y < 0.36 else "lower" if y > 0.64 else ""
    where = f"{down} {across}".strip() or "middle"
    rest = float(np.median(found[known & ~sharp]))
    return f"{share:.0%} of its edges are sharp, mostly {where}; the others have σ {rest:.1f} px."
