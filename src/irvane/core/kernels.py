"""How loops over pixels are compiled, the same everywhere.

A kernel runs in the calling thread; one whose first two parameters are the ends of a range is shared out
among all threads by :func:`irvane.core.threads.share_out`, which compiles in a third of the time that Numba's
own parallel loops need. `inline` is put into its caller. Steps that look at one pixel at a time are `serial`
loops over flat arrays (red, green, blue, red, …): only with one index and a known stride does the compiler
use vector instructions. Pictures are shared out among threads in strips (:mod:`irvane.core.threads`).
Division follows IEEE 754 instead of raising: a loop that could raise cannot use vector instructions. Values
are taken to be finite (pictures are, from their entry on).

Numba is loaded when the first kernel is called (:mod:`irvane.core.compiling`), not when a module is imported:
what needs no picture starts without it.
"""

from __future__ import annotations

import threading
from collections.abc import Callable
from functools import update_wrapper
from typing import Any

import numpy as np

_MAKING = threading.RLock()


class Kernel:
    """A loop that is compiled when it is first called, or called by another one that is."""

    def __init__(self, function: Callable[..., Any], options: dict[str, Any]) -> None:
        update_wrapper(self, function)
        self.function, self.options = function, options
        self._made: Any = None

    def __call__(self, *given: Any) -> Any:
        return self.made()(*given)

    def made(self) -> Any:
        """What Numba makes of it. The kernels that it calls (by their plain names) are made first: Numba must
        find them, not these."""
        with _MAKING:
            if self._made is None:
                from irvane.core.compiling import compiled

                around = self.function.__globals__
                for name in self.function.__code__.co_names:
                    if isinstance(called := around.get(name), Kernel):
                        around[name] = called.made()
                self._made = compiled(self.function, self.options)
        return self._made


def load_compiler() -> None:
    """Load what compiles kernels now: it takes the better part of a second the first time, beside other work
    for instance."""
    import irvane.core.compiling  # noqa: F401


def _kernel(**options: Any) -> Callable[[Callable[..., Any]], Any]:
    return lambda function: Kernel(function, options)


serial = _kernel(fastmath=True)
#: The same, where NaN marks what is missing.
marked = _kernel()
#: Put into its caller: kept with that.
inline = _kernel(inline="always", fastmath=True)
#: Instructions written out for the compiler itself.
intrinsic = _kernel(intrinsic=True)


def flat(picture: np.ndarray) -> np.ndarray:
    """The values of an array as one row, for a `serial` loop; a copy only when they do not lie in one
    piece."""
    return np.ascontiguousarray(picture).reshape(-1)


def blank(picture: np.ndarray) -> np.ndarray:
    """A new float32 array of the same shape, in one piece."""
    return np.empty(picture.shape, np.float32)


@serial
def fill(row, value):
    """One value everywhere. (What is assigned to a slice is checked for its size, which takes four seconds to
    compile.)"""
    for x in range(row.size):
        row[x] = value


@serial
def copy(row, out):
    """The values of a row, into another of its size."""
    for x in range(out.size):
        out[x] = row[x]


@serial
def read(table, places):
    """Values of a table (float32) instead of the places in it (0 to its last but one entry), straight between
    entries.

    In a loop of its own: one that looks up in a table uses no vector instructions for the rest of its work
    either. The index is unsigned: no time is lost on negative ones, which end, like everything that is no
    number, in the last entry.
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


#: Bits of the largest light that steps hand on, and of infinity: integers, since loops take floats to be
#: finite.
_LIMIT, _INFINITE = np.int32(np.float32(1e12).view(np.int32)), np.int32(0x7F800000)
_SIGN, _MAGNITUDE = np.int32(-0x80000000), np.int32(0x7FFFFFFF)


@serial
def _hold(bits):
    for i in range(bits.size):
        size = bits[i] & _MAGNITUDE
        limited = _LIMIT | (bits[i] & _SIGN) if size <= _INFINITE else np.int32(0)
        bits[i] = limited if size > _LIMIT else bits[i]


def keep_finite(picture: np.ndarray) -> np.ndarray:
    """The picture (float32, in one piece), in place: infinities and what is beyond 1e12 become that, NaN
    becomes 0."""
    _hold(picture.reshape(-1).view(np.int32))
    return picture
