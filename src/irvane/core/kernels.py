"""How loops over pixels are compiled, the same everywhere.

A kernel runs in the calling thread; one whose first two parameters are the ends of a range is shared out among all threads
by :func:`irvane.core.threads.spread`, which compiles in a third of the time that Numba's own parallel loops need. `inline` is
put into its caller. Steps that look at one pixel at a time are `serial` loops over flat arrays (red, green, blue, red, …): only with one
index and a known stride does the compiler use vector instructions. Pictures are shared out among threads in strips
(:mod:`irvane.core.threads`). Division follows IEEE 754 instead of raising: a loop that could raise cannot use vector instructions. Values are taken
to be finite (pictures are, from their entry on).

What was compiled is kept (:mod:`irvane.core.private`) under a stamp over the content of every file that it can come from: the
kernel's own module and those of ours that it imports, and they import. Packages bring kernels for two kinds of processors,
recognised by the same stamp; what fits none of them is compiled here. Other users of Numba in the process are not touched.
"""

from __future__ import annotations

import fcntl
import hashlib
import inspect
import re
import sys
from collections.abc import Callable
from functools import lru_cache
from pathlib import Path
from typing import Any

import numba
import numpy as np
from llvmlite.binding import get_host_cpu_features
from numba.core.caching import CompileResultCacheImpl, FunctionCache, IndexDataCacheFile, _CacheLocator

from irvane.core.private import kernels_folder

#: Where our packages lie, and what a file imports of them at its outermost level (what kernels can hold of others).
_ROOT = Path(__file__).resolve().parents[2]
_IMPORT = re.compile(
    r"^(?:from|import)[ ]+(irvane(?:\.\w+)*)(?:[ ]+import[ ]+(\([^)]*\)|[^\n#]*))?", re.MULTILINE
)


#: Say where kernels are kept, and run them; no kernel comes from these.
_WITHOUT = {"irvane.core.private", "irvane.core.threads"}


#: Kernels that a package brings: a folder for each kind of processor, the best first, and what such a one can do (the levels
#: v4 and v3 of the System V ABI for x86-64).
_BROUGHT = Path(__file__).parent / "compiled"
_V3 = frozenset(["avx", "avx2", "bmi", "bmi2", "f16c", "fma", "lzcnt", "movbe"])
TARGETS = {
    "x86-64-v4": _V3 | frozenset(["avx512f", "avx512bw", "avx512cd", "avx512dq", "avx512vl"]),
    "x86-64-v3": _V3,
}


def made_for() -> str:
    """What compiled kernels depend on besides the processor: Python's and Numba's versions."""
    return f"py{sys.version_info[0]}{sys.version_info[1]}-numba{numba.__version__}"


@lru_cache(maxsize=1)
def brought() -> tuple[str, ...]:
    """Kinds of processors that this package brings kernels for and this one belongs to, the best first."""
    able = {name for name, has in get_host_cpu_features().items() if has}
    return tuple(
        target
        for target, needed in TARGETS.items()
        if needed <= able and (_BROUGHT / target / made_for()).exists()
    )


@lru_cache(maxsize=1)
def own_folder() -> Path:
    """The folder for what is compiled here, of this copy of the program alone."""
    return kernels_folder() / hashlib.blake2b(str(_ROOT).encode(), digest_size=6).hexdigest()


@lru_cache(maxsize=1024)
def _file_of(module: str) -> Path | None:
    """The file of a module of ours; None where a name is no module."""
    place = _ROOT.joinpath(*module.split("."))
    return next((f for f in (place.with_suffix(".py"), place / "__init__.py") if f.is_file()), None)


@lru_cache(maxsize=1024)
def _read(file: Path) -> tuple[str, frozenset[str]]:
    """Hash of a file's content, and the modules of ours that it may import."""
    text = file.read_bytes()
    names: set[str] = set()
    for package, given in _IMPORT.findall(text.decode("utf-8", "replace")):
        names |= {package, *(f"{package}.{name}" for name in re.findall(r"\w+", given))}
    return hashlib.blake2b(text, digest_size=16).hexdigest(), frozenset(names)


def source_stamp(file: Path) -> str:
    """Hash over the content of a file and of all modules of ours that it imports, directly or not."""
    seen: dict[Path, str] = {}
    waiting = [file]
    while waiting:
        one = waiting.pop()
        if one in seen:
            continue
        seen[one], names = _read(one)
        waiting += [path for name in names - _WITHOUT if (path := _file_of(name)) is not None]
    return hashlib.blake2b("".join(sorted(seen.values())).encode(), digest_size=16).hexdigest()


class _Locator(_CacheLocator):
    """Tells Numba where a kernel is kept, and by what it is recognised."""

    def __init__(self, file: str) -> None:
        self._file = Path(file)
        self._folder = own_folder() / self.module

    @property
    def module(self) -> str:
        """Name of the folder for kernels of one file, the same wherever the program lies."""
        return ".".join(self._file.with_suffix("").parts[-3:])

    def get_cache_path(self) -> str:
        return str(self._folder)

    def get_source_stamp(self) -> str:
        return source_stamp(self._file)

    def get_disambiguator(self) -> None:
        return None

    @classmethod
    def from_function(cls, _function: Any, file: str) -> _Locator:
        return cls(file)


class _Kept(CompileResultCacheImpl):
    _locator_classes = (_Locator,)


class _File(IndexDataCacheFile):
    """Entries of one kernel. Several processes may write to it: one at a time, each entry under a name of its own."""

    def save(self, key: Any, data: Any) -> None:
        with (Path(self._cache_path) / ".lock").open("w") as lock:
            fcntl.flock(lock, fcntl.LOCK_EX)
            entries = self._load_index()
            name = self._data_name_pattern.format(
                number=int(hashlib.sha256(repr(key).encode()).hexdigest()[:12], 16)
            )
            self._save_data(name, data)
            self._save_index({**entries, key: name})


class _Cache(FunctionCache):
    """Kernels compiled here, and those that a package brings for processors like this one."""

    _impl_class = _Kept

    def __init__(self, function: Any) -> None:
        super().__init__(function)
        self._stamp, self._base = self._impl.locator.get_source_stamp(), self._impl.filename_base
        self._cache_file: _File = _File(self._cache_path, self._base, self._stamp)

    def _load_overload(self, sig: Any, target_context: Any) -> Any:
        found = super()._load_overload(sig, target_context)
        if found is not None or not self._enabled:
            return found
        (arguments, (triple, *_), *rest) = self._index_key(sig, target_context.codegen())
        for target in brought():
            file = _File(str(_BROUGHT / target / self._impl.locator.module), self._base, self._stamp)
            data = file.load((arguments, (triple, target, ""), *rest))
            if data is not None:
                return self._impl.rebuild(target_context, data)
        return None


def _compiled(**options: Any) -> Callable[[Any], Any]:
    """A decorator: compile with these options, and keep what was compiled."""

    def decorate(function: Any) -> Any:
        made = numba.njit(nogil=True, error_model="numpy", **options)(function)
        made._cache = _Cache(inspect.unwrap(function))
        return made

    return decorate


serial = _compiled(fastmath=True)
#: The same, where NaN marks what is missing.
marked = _compiled()
#: Put into its caller: kept with that.
inline = numba.njit(inline="always", fastmath=True, error_model="numpy")


def flat(picture: np.ndarray) -> np.ndarray:
    """The values of an array as one row, for a `serial` loop; a copy only when they do not lie in one piece."""
    return np.ascontiguousarray(picture).reshape(-1)


def blank(picture: np.ndarray) -> np.ndarray:
    """A new float32 array of the same shape, in one piece."""
    return np.empty(picture.shape, np.float32)


@serial
def fill(row, value):
    """One value everywhere. (What is assigned to a slice is checked for its size, which takes four seconds to compile.)"""
    for x in range(row.size):
        row[x] = value


@serial
def copy(row, out):
    """The values of a row, into another of its size."""
    for x in range(out.size):
        out[x] = row[x]


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
