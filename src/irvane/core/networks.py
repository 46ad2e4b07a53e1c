"""Networks that come with Irvane: their weights, run by OpenVINO in the calling thread.

Convolutions whose input's range is known can be computed in whole numbers of 8 bits (Jacob and others 2018),
which takes two thirds to half of the time. Weights use 7 of the bits: products of pairs are added in 16 bits
where a processor has no instruction for it.

Where the processor computes with half precision (AVX512-FP16), networks do; that changes their results by a
thousandth of the noise that they remove, and takes a sixth of the time. Everywhere else, and for tests, they
compute in single precision.
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
from typing import Any, NamedTuple

import numpy as np

from irvane.core.threads import stopping

#: Names of precisions, as OpenVINO has them.
SINGLE, HALF = "f32", "f16"
#: Of convolutions that may be computed in whole numbers: their names and the lowest and highest value that
#: they read.
Ranges = tuple[tuple[str, float, float], ...]
#: Levels of what is read and of weights, as OpenVINO knows them; the largest weight is the 63rd above zero.
_READ, _WEIGHTS, _LARGEST = 256, 255, 63
#: Networks that decide yes or no, and are small: always in single precision.
_DECIDING = ("defects", "defects_closer")
_FLAGS = Path("/proc/cpuinfo")


@lru_cache(maxsize=1)
def precision() -> str:
    """What networks compute with on this processor: SINGLE or HALF; the variable IRVANE_PRECISION decides
    otherwise."""
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


def fingerprint(package: str, name: str, ranges: Ranges = ()) -> str:
    """Hash of the weights of the network `name` that lies in `package`, and the precision that it runs
    with."""
    wanted = _precision_of(name)
    told = hashlib.blake2b(repr(ranges).encode(), digest_size=4).hexdigest() if ranges else ""
    return f"{_hash(package, name)} {wanted}{told if wanted == SINGLE else ''}"


_STARTING = threading.Lock()


def _runtime() -> tuple[Any, Any]:
    """OpenVINO, and its access to the processor, started by one thread alone."""
    with _STARTING:
        return _started()


@lru_cache(maxsize=1)
def _started() -> tuple[Any, Any]:
    """OpenVINO without its statistics.

    The package `openvino_telemetry` that its wheel asks for would look up a host for statistics. It is never
    imported: OpenVINO then uses its own stand-in, which does nothing.
    """
    sys.modules["openvino_telemetry"] = None  # type: ignore[assignment]
    import openvino  # takes a while: only when it is needed

    # its first touch of an array prepares its bridge to NumPy; two threads that do so at once wait for each
    # other for ever
    openvino.Tensor(np.zeros(1, np.float32)).data[:] = 0
    return openvino, openvino.Core()


def _in_whole_numbers(model: Any, ranges: Ranges) -> None:
    """Let convolutions compute in whole numbers: what they read and their weights are rounded to steps of
    their ranges."""
    import openvino.opset13 as operations

    found = {name: (low, high) for name, low, high in ranges}
    for node in model.get_ordered_ops():
        name = node.get_friendly_name().removesuffix("/WithoutBiases")
        if node.get_type_name() != "Convolution" or name not in found:
            continue
        low, high = found.pop(name)
        size = (high - low) / (_READ - 1)
        nothing = round(-low / size)  # zero is a step, so that borders stay what they are
        ends = np.float32(-nothing * size), np.float32((_READ - 1 - nothing) * size)
        read = operations.fake_quantize(node.input_value(0), *ends, *ends, _READ)
        stored = (
            node.input_value(1).get_node().input_value(0).get_node()
        )  # 16 bits wide, before they are widened
        weights = np.float32(stored.get_data())
        top = np.abs(weights).max((1, 2, 3), keepdims=True) * np.float32((_WEIGHTS // 2) / _LARGEST)
        rounded = operations.fake_quantize(operations.constant(weights), -top, top, -top, top, _WEIGHTS)
        node.input(0).replace_source_output(read.output(0))
        node.input(1).replace_source_output(rounded.output(0))
    assert not found, f"no such convolutions: {', '.join(found)}"


@dataclass
class _Compiled:
    """A compiled network and what runs it; `held` while it keeps the memory of what it made last, some 150
    MB."""

    network: Any
    request: Any
    held: bool = False


class _Key(NamedTuple):
    """What a compiled network is known by."""

    package: str
    name: str
    precision: str
    ranges: Ranges


class _Pool:
    """Compiled networks that nobody is using now: one runs in one thread at a time."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._free: dict[_Key, list[_Compiled]] = defaultdict(list)

    def take(self, key: _Key) -> _Compiled:
        with self._lock:
            for other, resting in self._free.items():
                for one in resting if other != key else ():
                    if one.held:  # another network is at work now
                        one.network.release_memory()
                        one.held = False
            if self._free[key]:
                return self._free[key].pop()
        _, core = _runtime()
        settings = {
            "INFERENCE_PRECISION_HINT": key.precision,
            "INFERENCE_NUM_THREADS": 1,  # parts run side by side instead
            "NUM_STREAMS": 0,  # in the calling thread, with its priority
            "ENABLE_CPU_PINNING": False,
        }
        with _STARTING:
            model = core.read_model(_weights(key.package, key.name))
            if key.ranges:
                _in_whole_numbers(model, key.ranges)
            network = core.compile_model(model, "CPU", settings)
            return _Compiled(network, network.create_infer_request())

    def give(self, key: _Key, compiled: _Compiled) -> None:
        compiled.held = True
        with self._lock:
            self._free[key].append(compiled)

    def clear(self) -> None:
        with self._lock:
            gone, self._free = self._free, defaultdict(list)
        gone.clear()


_POOL = _Pool()


def release() -> None:
    """Give up networks that nobody is using: each holds some 150 MB, and is there again in a tenth of a
    second."""
    _POOL.clear()
    _weights.cache_clear()


class Stopped(Exception):  # noqa: N818 (being stopped is no error)
    """A network stopped in the middle, since what it made is not wanted any more."""


def run(package: str, name: str, planes: np.ndarray, ranges: Ranges = ()) -> np.ndarray:
    """What a network makes of `planes` (float32, planes×H×W): as many rows and columns.

    With `ranges`, these convolutions compute in whole numbers, except where the network computes in half
    precision.

    Raises
    ------
    Stopped
        When it is not wanted any more (:func:`irvane.core.threads.stopping`).
    """
    precision_ = _precision_of(name)
    key = _Key(package, name, precision_, ranges if precision_ == SINGLE else ())
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
