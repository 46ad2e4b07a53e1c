"""Soft proof: how a picture will look on a medium, by its ICC profile (LittleCMS)."""

from __future__ import annotations

import io
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
from PIL import Image, ImageCms, ImageFilter

from irvane.core.colour.icc import profile
from irvane.core.errors import ReadError
from irvane.core.lazily import lazily

if TYPE_CHECKING:
    import imagecodecs
else:
    imagecodecs = lazily("imagecodecs")

#: Rendering intents of ICC.1 by name.
INTENTS = {
    "perceptual": imagecodecs.CMS.INTENT.PERCEPTUAL,
    "relative colorimetric": imagecodecs.CMS.INTENT.RELATIVE_COLORIMETRIC,
    "saturation": imagecodecs.CMS.INTENT.SATURATION,
    "absolute colorimetric": imagecodecs.CMS.INTENT.ABSOLUTE_COLORIMETRIC,
}
#: Larger files are no profiles; entries of the grid along each colour.
_MOST, _GRID = 64_000_000, 33
#: Colours of a medium, as its profile's header names them (ICC.1, 7.2.6).
_KINDS = {b"RGB ": "rgb", b"CMYK": "cmyk", b"GRAY": "gray"}


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
        _table(SoftProof(data, name), "srgb")
    except (ImageCms.PyCMSError, imagecodecs.CmsError, OSError, ValueError, TypeError, KeyError) as error:
        raise ReadError(path, "this is no ICC profile of a printer or another medium") from error
    if kind not in ("prtr", "mntr", "spac"):
        raise ReadError(path, "this is no ICC profile of a printer or another medium")
    return data, name


@lru_cache(maxsize=8)
def _table(proof: SoftProof, space: str) -> ImageFilter.Color3DLUT:
    """What becomes of colours of a space on the medium, on a grid: brought to the medium's own values, and
    from these to the screen. (A proofing transform of the library leaves out the bounds of media without
    tables.)"""
    steps = np.linspace(0, 65535, _GRID).round().astype(np.uint16)
    blue, green, red = np.meshgrid(steps, steps, steps, indexing="ij")
    grid = np.stack([red, green, blue], axis=-1).reshape(1, -1, 3)
    kind = _KINDS[proof.data[16:20]]
    flags = imagecodecs.CMS.FLAGS.BLACKPOINTCOMPENSATION if proof.black else 0
    there = imagecodecs.cms_transform(
        grid,
        profile(space),
        proof.data,
        colorspace="rgb",
        outcolorspace=kind,
        intent=INTENTS[proof.intent],
        flags=flags,
    )
    shown = INTENTS["absolute colorimetric" if proof.paper else "relative colorimetric"]
    seen = imagecodecs.cms_transform(
        there, proof.data, profile("srgb"), colorspace=kind, outcolorspace="rgb", intent=shown, flags=flags
    )
    return ImageFilter.Color3DLUT(_GRID, (np.asarray(seen, np.float32) / 65535).ravel().tolist())


def proofed(pixels: np.ndarray, space: str, proof: SoftProof) -> np.ndarray:
    """Pixels (uint8 H×W×3 or ×4, encoded in a colour space) as they will look on the medium: encoded sRGB of
    that shape."""
    image = Image.fromarray(np.ascontiguousarray(pixels[..., :3]))
    out = pixels.copy()
    out[..., :3] = np.asarray(image.filter(_table(proof, space)))
    return out
