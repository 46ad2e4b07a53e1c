"""Light in a small file; the package reads it again (``irvane.core.simulate.maps``)."""

from __future__ import annotations

import sys
from pathlib import Path

import imagecodecs
import numpy as np

sys.path.insert(0, str(Path(__file__).parent.parent / "src"))

from irvane.core.simulate.maps import BRIGHTEST

#: Error of the code in decibels below its whole range: less than a quarter of a camera's noise at ISO 100.
PSNR = 84


def write_map(path: Path, light: np.ndarray) -> int:
    """Write light (float H×W×3); returns the bytes."""
    code = np.sqrt(np.clip(light, 0, BRIGHTEST) / BRIGHTEST) * 65535
    data = imagecodecs.jpeg2k_encode(
        np.rint(code).astype(np.uint16), level=PSNR, codecformat="jp2", reversible=False
    )
    path.write_bytes(data)
    return len(data)
