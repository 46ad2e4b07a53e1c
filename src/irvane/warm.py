"""Compile every kernel ahead of its first use, on all cores, what a window shows first before the rest.

Which kernels there are, with which types, says ``kernels.txt`` (made by ``scripts/kernels``): its first part
is what the first picture of a window takes. What was compiled is kept on disk (:mod:`irvane.core.kernels`); a
stamp beside it says for which version of the program, of Numba and of the processor that was done. A package
brings its kernels: nothing is left to do then.
"""

from __future__ import annotations

import ctypes
import importlib
import os
import signal
from concurrent.futures import FIRST_COMPLETED, ProcessPoolExecutor, wait
from contextlib import suppress
from dataclasses import dataclass
from functools import lru_cache
from multiprocessing import get_context
from pathlib import Path

from irvane import __version__
from irvane.core.brought import brought
from irvane.core.errors import Cancelled
from irvane.core.installed import version_of
from irvane.core.kernels import Kernel
from irvane.core.private import VARIABLE, kernels_folder, own_folder
from irvane.core.processor import kind
from irvane.core.progress import Progress, always, step
from irvane.core.store.atomic import atomic_file

#: Ends the part of the list that the first picture takes.
REST = "--"
#: Seconds after which is looked whether the work is still wanted; PR_SET_PDEATHSIG of Linux.
_LOOK_UP, _ON_PARENTS_DEATH = 0.2, 1


@dataclass(frozen=True)
class Listed:
    """A kernel: seconds that it took to compile where the list was made, where it is, and the types it is
    called with."""

    seconds: float
    module: str
    name: str
    types: str


@lru_cache(maxsize=1)
def listed() -> tuple[tuple[Listed, ...], tuple[Listed, ...]]:
    """All kernels: those of the first picture, and the rest."""
    parts: tuple[list[Listed], list[Listed]] = ([], [])
    number = 0
    for line in Path(__file__).with_name("kernels.txt").read_text("utf-8").splitlines():
        if line == REST:
            number = 1
            continue
        seconds, place, types = line.split(" ", 2)
        module, _, name = place.rpartition(".")
        parts[number].append(Listed(float(seconds), module, name, types))
    return tuple(parts[0]), tuple(parts[1])


def _stamp() -> Path:
    return own_folder() / "irvane-warm.txt"


def _present() -> str:
    return f"{__version__} {version_of('numba')} {kind()}"


def is_warm() -> bool:
    """Is there nothing left to compile here: brought by the package, or done by :func:`warm`?"""
    if brought():
        return True
    try:
        return _stamp().read_text("utf-8") == _present()
    except (OSError, UnicodeDecodeError):
        return False


def types_of(text: str) -> tuple[object, ...]:
    """Numba's types as they print themselves."""
    from numba import types

    known = {name: getattr(types, name) for name in ("Array", "UniTuple", "float32", "float64", "uint64")}
    known |= {
        name: getattr(types, name)
        for name in ("int8", "int16", "int32", "int64", "uint8", "uint16", "uint32")
    }
    known |= {"bool": types.boolean, "Tuple": lambda *inside: types.Tuple(inside)}
    return tuple(eval(text, {"__builtins__": {}}, known))  # of our own file


def compile_one(one: Listed) -> Listed:
    """Compile a kernel, or load it where it was compiled before."""
    kernel = getattr(importlib.import_module(one.module), one.name)
    (kernel.made() if isinstance(kernel, Kernel) else kernel).compile(types_of(one.types))
    return one


def _begin(niceness: int, folder: str) -> None:
    """In a process that compiles: give way to other work, keep what is compiled where the one that started it
    looks (which may be a folder of its own for the time being), and end with that, however it ends."""
    os.nice(niceness)
    os.environ[VARIABLE] = folder
    ctypes.CDLL(None).prctl(_ON_PARENTS_DEATH, signal.SIGTERM)


def warm(progress: Progress = always, first_only: bool = False, niceness: int = 0) -> None:
    """Compile what is listed, or what the first picture takes of it, with as many processes as there are
    cores.

    Parameters
    ----------
    niceness : how much more other work counts.

    Raises
    ------
    Cancelled
        When `progress` returns False.
    """
    from irvane.core.threads import CORES

    soon, rest = listed()
    kernels = soon if first_only else (*soon, *rest)
    whole, done = sum(one.seconds for one in kernels), 0.0
    with ProcessPoolExecutor(
        CORES, get_context("spawn"), initializer=_begin, initargs=(niceness, str(kernels_folder()))
    ) as pool:
        waiting = {pool.submit(compile_one, one) for one in sorted(kernels, key=lambda one: -one.seconds)}
        try:
            while waiting:
                over, waiting = wait(waiting, _LOOK_UP, FIRST_COMPLETED)
                done += sum(future.result().seconds for future in over)
                step(progress, min(done / whole, 1.0))
        except Cancelled:
            for process in list(pool._processes.values()):  # what they are at may take them ten seconds more
                process.terminate()
            pool.shutdown(cancel_futures=True)
            raise
    if not first_only:
        with suppress(OSError):
            own_folder().mkdir(mode=0o700, exist_ok=True)
            with atomic_file(_stamp()) as temporary:
                temporary.write_text(_present(), "utf-8")
