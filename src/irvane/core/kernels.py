"""How loops over pixels are compiled, the same everywhere.

`kernel` runs on all threads (`numba.prange` over rows), `serial` in the calling thread, `inline` is put into its caller.
Steps that look at one pixel at a time are `serial` loops over flat arrays (red, green, blue, red, …): only with one
index and a known stride does the compiler use vector instructions. Pictures are shared out among threads in strips
(:mod:`irvane.core.threads`). Division follows IEEE 754 instead of raising: a loop that could raise cannot use vector instructions. Values are taken
to be finite (pictures are, from their entry on).
"""

from __future__ import annotations

import numba
import numpy as np

_COMMON = {"fastmath": True, "error_model": "numpy"}

kernel = numba.njit(parallel=True, cache=True, nogil=True, **_COMMON)
serial = numba.njit(cache=True, nogil=True, **_COMMON)
#: Like `kernel`, where NaN marks what is missing.
marked_kernel = numba.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
inline = numba.njit(inline="always", **_COMMON)


def flat(picture: np.ndarray) -> np.ndarray:
    """The values of an array as one row, for a `serial` loop; a copy only when they do not lie in one piece."""
    return np.ascontiguousarray(picture).reshape(-1)


def blank(picture: np.ndarray) -> np.ndarray:
    """A new float32 array of the same shape, in one piece."""
    return np.empty(picture.shape, np.float32)


@serial
def read(table, places):
    """Values of a table (float32) instead of the places in it (0 to its last but one entry), straight between entries.

    In a loop of its own: one that looks up in a table uses no vector instructions for the rest of its work either. The
    index is unsigned: no time is lost on negative ones, which end, like everything that is no number, in the last entry.
    """
    last = np.uintp(table.size - 2)
    for i in range(places.size):
        whole = np.int32(places[i])
        index = min(np.uintp(whole), last)
        first = table[index]
        places[i] = first + (places[i] - np.float32(whole)) * (table[index + np.uintp(1)] - first)


@serial
def multiply(picture, gains, out):
    """Each pixel of a flat picture times its own factor."""
    for i in range(gains.size):
        out[3 * i] = picture[3 * i] * gains[i]
        out[3 * i + 1] = picture[3 * i + 1] * gains[i]
        out[3 * i + 2] = picture[3 * i + 2] * gains[i]


#: Bits of the largest light that steps hand on, and of infinity: integers, since loops take floats to be finite.
_LIMIT, _INFINITE = np.int32(np.float32(1e12).view(np.int32)), np.int32(0x7F800000)
_SIGN, _MAGNITUDE = np.int32(-0x80000000), np.int32(0x7FFFFFFF)


@serial
def _hold(bits):
    for i in range(bits.size):
        size = bits[i] & _MAGNITUDE
        limited = _LIMIT | (bits[i] & _SIGN) if size <= _INFINITE else np.int32(0)
        bits[i] = limited if size > _LIMIT else bits[i]


def keep_finite(picture: np.ndarray) -> np.ndarray:
    """The picture (float32, in one piece), in place: infinities and what is beyond 1e12 become that, NaN becomes 0."""
    _hold(picture.reshape(-1).view(np.int32))
    return picture
