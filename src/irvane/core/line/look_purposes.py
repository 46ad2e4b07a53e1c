"""What the looks are for: how they are offered."""

from __future__ import annotations

from irvane.core.line.looks import LOOKS, PICTURE, Look

#: Looks by their purpose, in the order they are offered.
PURPOSES: dict[str, tuple[str, ...]] = {
    "The picture": (PICTURE, "lifted-2", "lifted-4", "zones"),
    "Noise": (
        "luminance", "red", "green", "blue", "removed", "stress-contrast", "stress-shadows", "stress-curve",
    ),
    "Colour": ("colour",),
    "Sharpness": ("softness", "added", "alone", "enlarged"),
    "Sensor and merges": ("mosaic", "mosaic-red", "mosaic-green", "mosaic-blue", "origin"),
}  # fmt: skip


def by_purpose() -> dict[str, dict[str, Look]]:
    """All looks by what they are for."""
    return {purpose: {key: LOOKS[key] for key in keys} for purpose, keys in PURPOSES.items()}
