"""Irvane: develop raw photographs and judge the result."""

import os as _os
import tempfile as _tempfile
from pathlib import Path as _Path

from platformdirs import user_cache_path as _user_cache_path

__version__ = "0.1.0"


def _choose_kernel_cache() -> None:
    """Point Numba at a writable folder before it is imported (it refuses to start without one)."""
    if "NUMBA_CACHE_DIR" in _os.environ:
        return
    folder = _user_cache_path("irvane") / "kernels"
    try:
        folder.mkdir(parents=True, exist_ok=True)
        with _tempfile.TemporaryFile(dir=folder):
            pass
    except OSError:
        folder = _Path(_tempfile.gettempdir()) / f"irvane-kernels-{_os.getuid()}"
        folder.mkdir(parents=True, exist_ok=True)
    _os.environ["NUMBA_CACHE_DIR"] = str(folder)


_choose_kernel_cache()
