"""Resizing by a windowed sinc, band by band."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

import numpy as np
import scipy

from irvane.core.pixels.grids import centres, on_grid

#: Half width of the filter in output pixels.
_LOBES = 3.0


def _weights(before: int, after: int) -> scipy.sparse.csr_matrix:
    """after×before: weights of a sinc windowed by its own main lobe (Duchon 1979), wider where the picture is
    reduced."""
    scale = max(before / after, 1.0)
    centre = on_grid(centres(after), before, after)
    reach = int(np.ceil(_LOBES * scale))
    index = np.floor(centre)[:, None].astype(int) + np.arange(-reach, reach + 1)[None, :]
    distance = (index - centre[:, None]) / scale
    values = np.where(np.abs(distance) < _LOBES, np.sinc(distance) * np.sinc(distance / _LOBES), 0.0)
    values /= values.sum(axis=1, keepdims=True)
    mirrored = np.where(index < 0, -1 - index, index)
    mirrored = np.clip(np.where(mirrored >= before, 2 * before - 1 - mirrored, mirrored), 0, before - 1)
    rows = np.repeat(np.arange(after), index.shape[1])
    made = scipy.sparse.csr_matrix(
        (values.ravel().astype(np.float32), (rows, mirrored.ravel())), shape=(after, before)
    )
    made.sum_duplicates()
    return made


def resized(
    bands: Iterable[np.ndarray], before: tuple[int, int], after: tuple[int, int]
) -> Iterator[np.ndarray]:
    """A picture in bands of rows (float32 rows×width×3, linear light), resized; nothing is held whole.

    `before` and `after` are heights and widths.
    """
    across, down = _weights(before[1], after[1]), _weights(before[0], after[0])
    lowest = np.minimum.reduceat(down.indices, down.indptr[:-1])
    highest = np.maximum.reduceat(down.indices, down.indptr[:-1])
    kept: list[np.ndarray] = []
    top = bottom = made = 0
    for band in bands:
        rows = band.shape[0]
        turned = np.ascontiguousarray(band.transpose(1, 0, 2)).reshape(before[1], rows * 3)
        narrow = (across @ turned).reshape(after[1], rows, 3).transpose(1, 0, 2)
        kept.append(np.ascontiguousarray(narrow).reshape(rows, -1))
        bottom += rows
        ready = made
        while ready < after[0] and highest[ready] < bottom:
            ready += 1
        if ready == made:
            continue
        held = np.concatenate(kept)
        out = down[made:ready, top:bottom] @ held
        yield np.ascontiguousarray(out.reshape(ready - made, after[1], 3), np.float32)
        made = ready
        if made < after[0]:
            begin = int(lowest[made:].min())
            kept, top = [held[begin - top :]], begin
