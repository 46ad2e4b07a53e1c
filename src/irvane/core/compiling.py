"""Numba's side of kernels: how they are compiled and where what was compiled is kept.

It is kept (:mod:`irvane.core.private`) under a stamp over the content of every file that it can come from:
the kernel's own module and those of ours that it imports, and they import. Packages bring kernels for two
kinds of processors, recognised by the same stamp; what fits none of them is compiled here. Other users of
Numba in the process are not touched.
"""

from __future__ import annotations

import fcntl
import hashlib
import inspect
import re
from functools import lru_cache
from pathlib import Path
from typing import Any

import numba
from numba.core.caching import CompileResultCacheImpl, FunctionCache, IndexDataCacheFile, _CacheLocator
from numba.extending import intrinsic

from irvane.core.brought import BROUGHT, brought
from irvane.core.private import own_folder

#: Where our packages lie, and what a file imports of them at its outermost level (what kernels can hold of
#: others).
_ROOT = Path(__file__).resolve().parents[2]
_IMPORT = re.compile(
    r"^(?:from|import)[ ]+(irvane(?:\.\w+)*)(?:[ ]+import[ ]+(\([^)]*\)|[^\n#]*))?", re.MULTILINE
)


#: Say where kernels are kept, and run them; no kernel comes from these.
_WITHOUT = {"irvane.core.private", "irvane.core.threads"}


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
    """Entries of one kernel. Several processes may write to it: one at a time, each entry under a name of its
    own."""

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
            file = _File(str(BROUGHT / target / self._impl.locator.module), self._base, self._stamp)
            data = file.load((arguments, (triple, target, ""), *rest))
            if data is not None:
                return self._impl.rebuild(target_context, data)
        return None


def compiled(function: Any, options: dict[str, Any]) -> Any:
    """What a function of :mod:`irvane.core.kernels` becomes; what is put into its caller is kept with
    that."""
    if options.get("intrinsic"):
        return intrinsic(function)
    made = numba.njit(nogil=True, error_model="numpy", **options)(function)
    if "inline" not in options:
        made._cache = _Cache(inspect.unwrap(function))
    return made
