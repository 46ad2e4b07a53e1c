"""Networks that come with Irvane: their weights, run by ONNX Runtime in the calling thread."""

from __future__ import annotations

import hashlib
from functools import lru_cache
from importlib.resources import files
from typing import Any

import numpy as np

from irvane.core.threads import stopping


@lru_cache(maxsize=8)
def _weights(package: str, name: str) -> bytes:
    return files(package).joinpath(name + ".onnx").read_bytes()


@lru_cache(maxsize=8)
def fingerprint(package: str, name: str) -> str:
    """Hash of the weights of the network `name` that lies in `package`."""
    return hashlib.blake2b(_weights(package, name), digest_size=8).hexdigest()


@lru_cache(maxsize=8)
def _session(package: str, name: str) -> Any:
    import onnxruntime  # takes a while: only when it is needed

    options = onnxruntime.SessionOptions()
    options.intra_op_num_threads = options.inter_op_num_threads = 1  # parts run side by side instead
    options.enable_cpu_mem_arena = False  # it would keep the memory of the largest part, and is no faster
    options.log_severity_level = 3
    return onnxruntime.InferenceSession(_weights(package, name), options, providers=["CPUExecutionProvider"])


def run(package: str, name: str, planes: np.ndarray) -> np.ndarray:
    """What a network makes of `planes` (float32, planes×H×W): as many rows and columns.

    It stops in the middle, with an exception of ONNX Runtime, when it is not wanted any more.
    """
    session = _session(package, name)
    from onnxruntime import RunOptions

    options = RunOptions()

    def end() -> None:
        options.terminate = True

    with stopping(end):
        (made,) = session.run(None, {session.get_inputs()[0].name: planes[None]}, options)
    return np.asarray(made[0])
