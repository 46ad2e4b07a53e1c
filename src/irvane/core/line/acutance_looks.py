"""Looks at sharpness: what deblurring and sharpening added, what they left alone, and where a frame is
soft."""

from __future__ import annotations

from dataclasses import replace

import cv2
import numpy as np

from irvane.core.acutance.intentional_blur import softness_map
from irvane.core.colour.spaces import SPACES
from irvane.core.line.camera import mixed_patch
from irvane.core.line.context import Context
from irvane.core.line.develop import Developed
from irvane.core.line.softness import SHARP, SOFT, edges_in
from irvane.core.line.view import scene_patch, show
from irvane.core.pixels.grids import centres, on_grid
from irvane.core.pixels.patches import FramePatch, OutputPatch, trim
from irvane.core.pixels.places import FrameRegion, OutputRegion
from irvane.core.settings import Settings

#: Luminance of linear sRGB (IEC 61966-2-1).
_LUMA = np.array([0.2126, 0.7152, 0.0722], np.float32)
#: By how much more what was added is seen; a change of brightness (of 1) below which a place counts as left
#: alone.
_GAIN, _ALONE = 4.0, 0.0015
#: Pixels of a stripe.
_STRIPE = 8
_SHARP_TINT, _SOFT_TINT = np.array([0.95, 0.92, 0.30], np.float32), np.array([0.62, 0.42, 1.0], np.float32)


def without_acutance(settings: Settings) -> Settings:
    """The same proof with nothing deblurred or sharpened."""
    off = {"deblur": "off", "automatic": "off", "fine": 0.0, "medium": 0.0, "coarse": 0.0}
    return settings.with_values({f"acutance.{name}": value for name, value in off.items()})


def _coded(
    developed: Developed, settings: Settings, context: Context, region: OutputRegion, clean: FramePatch | None
) -> tuple[np.ndarray, OutputPatch]:
    patch = trim(scene_patch(developed, settings, context, region, clean), region)
    light = show(patch, developed, settings)
    return SPACES["srgb"].encode(np.clip(light @ _LUMA, 0, 1)), patch


def added_by_acutance(
    developed: Developed, settings: Settings, context: Context, region: OutputRegion, clean: FramePatch | None
) -> tuple[np.ndarray, np.ndarray, OutputPatch]:
    """Brightness as it is coded (float32 H×W, 0…1) without deblurring and sharpening, what they add to it,
    and where it lies."""
    made, patch = _coded(developed, settings, context, region, clean)
    plain, _ = _coded(developed, without_acutance(settings), context, region, clean)
    h, w = (min(a, b) for a, b in zip(made.shape, plain.shape, strict=True))
    return plain[:h, :w], made[:h, :w] - plain[:h, :w], patch


def added_light(plain: np.ndarray, added: np.ndarray) -> np.ndarray:
    """What was added around mid-grey, as light to look at (H×W×3)."""
    seen = np.clip(0.5 + _GAIN * added, 0, 1)
    return np.repeat(SPACES["srgb"].decode(seen)[..., None], 3, axis=2).astype(np.float32)


def alone_light(plain: np.ndarray, added: np.ndarray) -> np.ndarray:
    """The picture in grey; what was left alone is striped."""
    alone = cv2.blur((np.abs(added) < _ALONE).astype(np.float32), (3, 3)) > 0.7
    y, x = np.mgrid[: plain.shape[0], : plain.shape[1]]
    stripes = alone & ((y + x) // _STRIPE % 2 == 0)
    seen = np.repeat((0.1 + 0.9 * plain)[..., None], 3, axis=2)
    seen[stripes] = 0.45 * seen[stripes] + 0.55 * np.array([0.15, 0.55, 0.58], np.float32)
    return np.square(seen).astype(np.float32)


def added_words(added: np.ndarray) -> str:
    """How much was added, and to how much of the view nothing was."""
    alone = float((np.abs(added) < _ALONE).mean())
    if alone > 0.9999:
        return "Nothing is deblurred or sharpened here."
    mean = float(np.sqrt(np.mean(added**2)))
    return f"Added: {mean:.1%} of white (root mean square); left alone: {alone:.0%} of the view."


def softness_light(
    developed: Developed, settings: Settings, context: Context, region: FrameRegion, clean: FramePatch | None
) -> FramePatch:
    """The picture in grey, tinted by how soft its edges are: from lemon (sharp) to violet (soft)."""
    mixed = mixed_patch(developed, settings, context, region, clean)
    light = np.maximum(mixed.pixels @ _LUMA, 0) * np.float32(4.0 * 2.0**settings.light.exposure)
    grey = np.sqrt(light / (1 + light))
    found = softness_map(edges_in(developed, context), developed.extent)
    known = np.isfinite(found).astype(np.float32)
    soft = np.clip((np.nan_to_num(found) - SHARP) / (SOFT - SHARP), 0, 1) * known
    h, w = grey.shape
    fh, fw = found.shape
    y = on_grid(centres(h, mixed.top, mixed.step), fh, developed.extent[0]).astype(np.float32)
    x = on_grid(centres(w, mixed.left, mixed.step), fw, developed.extent[1]).astype(np.float32)
    across, down = np.meshgrid(x, y)
    share, told = (
        cv2.remap(plane.astype(np.float32), across, down, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
        for plane in (soft, known)
    )
    share = (share / np.maximum(told, 1e-3))[..., None]
    tint = _SHARP_TINT * (1 - share) + _SOFT_TINT * share
    shown = (0.15 + 0.85 * grey[..., None]) * (1 + told[..., None] * (tint - 1))
    return replace(mixed, pixels=np.square(shown).astype(np.float32))
