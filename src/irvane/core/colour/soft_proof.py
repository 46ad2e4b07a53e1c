"""Soft proof: how a picture will look on a medium, by its ICC profile (LittleCMS)."""

from __future__ import annotations

import io
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

import numpy as np
from PIL import Image, ImageCms

from irvane.core.errors import ReadError
from irvane.core.files.icc import profile

#: Rendering intents of ICC.1 by name.
INTENTS = {
    "perceptual": ImageCms.Intent.PERCEPTUAL,
    "relative colorimetric": ImageCms.Intent.RELATIVE_COLORIMETRIC,
    "saturation": ImageCms.Intent.SATURATION,
    "absolute colorimetric": ImageCms.Intent.ABSOLUTE_COLORIMETRIC,
}
#: Larger files are no profiles.
_MOST = 64_000_000


@dataclass(frozen=True)
class SoftProof:
    """A medium and how colours are brought to it.

    Attributes
    ----------
    data : the medium's ICC profile. name : what it calls itself.
    intent : key of INTENTS.
    paper : the colour of paper and ink is shown too (absolute colorimetric on the screen).
    black : black point compensation.
    """

    data: bytes
    name: str
    intent: str = "relative colorimetric"
    paper: bool = False
    black: bool = True


def read_medium(path: Path) -> tuple[bytes, str]:
    """A medium's profile and its name.

    Raises
    ------
    ReadError
        When the file is no profile that pictures can be proofed with.
    """
    try:
        data = path.read_bytes() if path.stat().st_size < _MOST else b""
    except OSError as error:
        raise ReadError(path, f"the profile cannot be read ({error.strerror})") from error
    try:
        found = ImageCms.ImageCmsProfile(io.BytesIO(data))
        kind = found.profile.device_class
        name = ImageCms.getProfileDescription(found).strip() or path.stem
        _transform(SoftProof(data, name), "srgb")
    except (ImageCms.PyCMSError, OSError, ValueError, TypeError) as error:
        raise ReadError(path, "this is no ICC profile of a printer or another medium") from error
    if kind not in ("prtr", "mntr", "spac"):
        raise ReadError(path, "this is no ICC profile of a printer or another medium")
    return data, name


@lru_cache(maxsize=8)
def _transform(proof: SoftProof, space: str) -> ImageCms.ImageCmsTransform:
    source = ImageCms.ImageCmsProfile(io.BytesIO(profile(space)))
    screen = ImageCms.ImageCmsProfile(io.BytesIO(profile("srgb")))
    medium = ImageCms.ImageCmsProfile(io.BytesIO(proof.data))
    flags = ImageCms.Flags.SOFTPROOFING | ImageCms.Flags.HIGHRESPRECALC
    if proof.black:
        flags |= ImageCms.Flags.BLACKPOINTCOMPENSATION
    shown = ImageCms.Intent.ABSOLUTE_COLORIMETRIC if proof.paper else ImageCms.Intent.RELATIVE_COLORIMETRIC
    return ImageCms.buildProofTransform(
        source, screen, medium, "RGB", "RGB", shown, INTENTS[proof.intent], flags=flags
    )


def proofed(pixels: np.ndarray, space: str, proof: SoftProof) -> np.ndarray:
    """Pixels (uint8 H×W×3 or ×4, encoded in a colour space) as they will look on the medium: encoded sRGB of that shape."""
    image = Image.fromarray(np.ascontiguousarray(pixels[..., :3]))
    made = np.asarray(ImageCms.applyTransform(image, _transform(proof, space)))
    out = pixels.copy()
    out[..., :3] = made
    return out
