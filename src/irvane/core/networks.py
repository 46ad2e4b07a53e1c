"""Networks that come with Irvane: their weights, run by OpenVINO in the calling thread.

Where the processor computes with half precision (AVX512-FP16), networks do; that changes their results by a thousandth of the
noise that they remove, and takes a sixth of the time. Everywhere else, and for tests, they compute in single precision.
"""

from __future__ import annotations

import hashlib
import os
import sys
import threading
from collections import defaultdict
from dataclasses import dataclass
from functools import lru_cache
from importlib.resources import files
from pathlib import Path
from typing import Any

import numpy as np

from irvane.core.threads import stopping

#: Names of precisions, as OpenVINO has them.
SINGLE, HALF = "f32", "f16"
#: Networks that decide yes or no, and are small: always in single precision.
_DECIDING = ("defects", "defects_closer")
_FLAGS = Path("/proc/cpuinfo")


@lru_cache(maxsize=1)
def precision() -> str:
    """What networks compute with on this processor: SINGLE or HALF; the variable IRVANE_PRECISION decides otherwise."""
    wanted = os.environ.get("IRVANE_PRECISION", "")
    if wanted in (SINGLE, HALF):
        return wanted
    try:
        flags = _FLAGS.read_text("ascii", "replace")
    except OSError:
        return SINGLE
    return HALF if " avx512_fp16 " in flags else SINGLE


def _precision_of(name: str) -> str:
    return SINGLE if name in _DECIDING else precision()


@lru_cache(maxsize=8)
def _weights(package: str, name: str) -> bytes:
    return files(package).joinpath(name + ".onnx").read_bytes()


@lru_cache(maxsize=8)
def _hash(package: str, name: str) -> str:
    return hashlib.blake2b(_weights(package, name), digest_size=8).hexdigest()


def fingerprint(package: str, name: str) -> str:
    """Hash of the weights of the network `name` that lies in `package`, and the precision that it runs with."""
    return f"{_hash(package, name)} {_precision_of(name)}"


_STARTING = threading.Lock()


def _runtime() -> tuple[Any, Any]:
    """OpenVINO, and its access to the processor, started by one thread alone."""
    with _STARTING:
        return _started()


@lru_cache(maxsize=1)
def _started() -> tuple[Any, Any]:
    """OpenVINO without its statistics.

    The package `openvino_telemetry` that its wheel asks for would look up a host for statistics. It is never imported:
    OpenVINO then uses its own stand-in, which does nothing.
    """
    sys.modules["openvino_telemetry"] = None  # type: ignore[assignment]
    import openvino  # takes a while: only when it is needed

    # its first touch of an array prepares its bridge to NumPy; two threads that do so at once wait for each other for ever
    openvino.Tensor(np.zeros(1, np.float32)).data[:] = 0
    return openvino, openvino.Core()


@dataclass
class _Compiled:
    """A compiled network and what runs it; `held` while it keeps the memory of what it made last, some 150 MB."""

    network: Any
    request: Any
    held: bool = False


class _Pool:
    """Compiled networks that nobody is using now: one runs in one thread at a time."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._free: dict[tuple[str, str, str], list[_Compiled]] = defaultdict(list)

    def take(self, key: tuple[str, str, str]) -> _Compiled:
        with self._lock:
            for other, resting in self._free.items():
                for one in resting if other != key else ():
                    if one.held:  # another network is at work now
                        one.network.release_memory()
                        one.held = False
            if self._free[key]:
                return self._free[key].pop()
        _, core = _runtime()
        package, name, wanted = key
        settings = {
            "INFERENCE_PRECISION_HINT": wanted,
            "INFERENCE_NUM_THREADS": 1,  # parts run side by side instead
            "NUM_STREAMS": 0,  # in the calling thread, with its priority
            "ENABLE_CPU_PINNING": False,
        }
        with _STARTING:
            model = core.read_model(_weights(package, name))
            network = core.compile_model(model, "CPU", settings)
            return _Compiled(network, network.create_infer_request())

    def give(self, key: tuple[str, str, str], compiled: _Compiled) -> None:
        compiled.held = True
        with self._lock:
            self._free[key].append(compiled)

    def clear(self) -> None:
        with self._lock:
            gone, self._free = self._free, defaultdict(list)
        gone.clear()


_POOL = _Pool()


def release() -> None:
    """Give up networks that nobody is using: each holds some 150 MB, and is there again in a tenth of a second."""
    _POOL.clear()
    _weights.cache_clear()


class Stopped(Exception):  # noqa: N818 (being stopped is no error)
    """A network stopped in the middle, since what it made is not wanted any more."""


def run(package: str, name: str, planes: np.ndarray) -> np.ndarray:
    """What a network makes of `planes` (float32, planes×H×W): as many rows and columns.

    Raises
    ------
    Stopped
        When it is not wanted any more (:func:`irvane.core.threads.stopping`).
    """
    key = package, name, _precision_of(name)
    compiled = _POOL.take(key)
    request = compiled.request
    stopped = False

    def end() -> None:
        nonlocal stopped
        stopped = True
        request.cancel()

    try:
        with stopping(end):
            if stopped:
                raise Stopped
            request.infer({0: np.ascontiguousarray(planes[None], np.float32)})
        made = np.array(request.get_output_tensor(0).data[0])
    except RuntimeError as error:
        if stopped:
            raise Stopped from error
        raise
    if not stopped:  # one that was stopped would go on with shapes of the work that was broken off
        _POOL.give(key, compiled)
    return made
