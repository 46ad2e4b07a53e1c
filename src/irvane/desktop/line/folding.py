"""Which settings a station shows at first: what nine of ten pictures need. The rest is unfolded by *more*."""

from __future__ import annotations

from irvane.core.settings import Settings
from irvane.desktop.line.rests import belongs_elsewhere

#: Settings that are always shown.
FIRST = frozenset(
    (
        *(f"sensor.{n}" for n in ("highlights", "defects", "banding", "false_colour")),
        *(f"lens.{n}" for n in (
            "profile", "vignetting", "aberration", "fringing", "vertical", "straighten", "crop", "distortion",
        )),
        *(f"noise.{n}" for n in ("amount", "method", "luminance", "colour", "texture", "shadows",
        "clear_black")),
        *(f"light.{n}" for n in (
            "exposure", "contrast", "black", "white", "shadows", "midtones", "highlights", "local_small",
            "local_large", "curve", "tone_map", "tone_strength",
        )),
        *(f"colour.{n}" for n in ("light", "temperature", "tint", "saturation", "pale")),
        *(f"acutance.{n}" for n in (
            "deblur", "deblur_strength", "radius", "length", "angle", "automatic", "fine", "medium",
            "noise_floor",
        )),
        *(f"finish.{n}" for n in ("space", "format", "quality", "enlarge", "tone")),
    )
)  # fmt: skip
#: Settings that are shown at first only where they belong to what is chosen.
_WHERE_THEY_BELONG = frozenset(
    ("acutance.radius", "acutance.length", "acutance.angle", "light.tone_strength", "finish.quality",
    "finish.tone")
)  # fmt: skip


def at_first(path: str, settings: Settings, untouched: Settings) -> bool:
    """Is a setting shown while its station is folded? What differs from an untouched proof always is."""
    if settings.get(path) != untouched.get(path):
        return True
    return path in FIRST and not (path in _WHERE_THEY_BELONG and belongs_elsewhere(path, settings))
