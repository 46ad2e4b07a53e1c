"""Light in a small file; the package reads it again (``irvane.core.simulate.maps``)."""

from __future__ import annotations

import sys
from pathlib import Path

import imagecodecs
import numpy as np

sys.path.insert(0, str(Path(__file__).parent.parent / "src"))

from irvane.core.simulate.maps import _LIT, BRIGHTEST

#: Error of the code in decibels below its whole range: less than a quarter of a camera's noise at ISO 100.
PSNR = 84


#: Bytes that a map must stay below: repositories keep larger files elsewhere.
_MOST = 4_150_000


def lit_by(name: str) -> tuple[float, float, float]:
    """What a room, or the glassmaker's part of one, is multiplied by for photographing."""
    return _LIT[name if name in _LIT else name.rsplit("-", 1)[0]]


def write_map(path: Path, light: np.ndarray) -> int:
    """Write light (float H×W×3); returns the bytes."""
    code = np.sqrt(np.clip(light, 0, BRIGHTEST) / BRIGHTEST) * 65535
    whole = np.rint(code).astype(np.uint16)
    for level in np.arange(PSNR, PSNR - 6, -0.25):
        data = imagecodecs.jpeg2k_encode(whole, level=float(level), codecformat="jp2", reversible=False)
        if len(data) < _MOST:
            break
    path.write_bytes(data)
    return len(data)
